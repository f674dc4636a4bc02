use super::*;
use crate::{
    files,
    screen::{Lane, lane_name},
};
use gtrig_core::{
    Nanos, PollRate, Session,
    audit::{Loop, LoopAudit},
    stream::StreamWatch,
};
use gtrig_sources::Story;

fn story() -> Session {
    let rig = files::rig(None, Some(30.0)).unwrap();
    files::shipped_take(Story::LostTap, rig).unwrap().session
}

fn timeline(session: &Session, excerpt: &Excerpt) -> String {
    super::timeline(session, &StreamWatch::over(session), excerpt)
}

fn excerpt(session: &Session, title: &str) -> Excerpt {
    let lanes = crate::screen::lanes(session, "");
    let wanted = |lane: &Lane| {
        ["▷ horn", "pad·2 south", "▷ slew x"].contains(&lane_name(session, *lane).as_str())
    };
    let lanes = lanes.into_iter().filter(wanted).collect();
    let (from, to) = (Nanos::from_millis(1_100), Nanos::from_millis(2_600));
    Excerpt { title: title.to_owned(), from, to, lanes }
}

fn audits(session: &Session) -> Vec<LoopAudit> {
    let events: Vec<_> = session.recording().events().collect();
    let rate = |hz| PollRate::from_hz(hz).unwrap();
    [20.0, 60.0, 1000.0]
        .map(|hz| gtrig_core::audit::audit(session.plan(), &events, Loop::steady(rate(hz))))
        .to_vec()
}

#[test]
fn a_timeline_has_its_words_and_its_crosses() {
    let session = story();
    let svg = timeline(&session, &excerpt(&session, "The horn that did not sound"));
    for words in [
        "The horn that did not sound",
        "pad·2 south",
        "▷ horn",
        "time, ms",
        "polled at 30 Hz",
        "a short tap: no horn",
        "1200",
    ] {
        assert!(svg.contains(words), "{words}");
    }
    // Two crosses of lost presses and the legend's, two strokes each.
    assert_eq!(svg.matches("stroke=\"#c2187a\"").count(), 6, "{svg}");
    assert_eq!(svg, timeline(&session, &excerpt(&session, "The horn that did not sound")));
}

#[test]
fn a_device_that_is_gone_is_a_hole_and_not_a_line_at_rest() {
    let rig = files::rig(None, None).unwrap();
    let session = files::shipped_take(Story::HandOver, rig).unwrap().session;
    let lanes = crate::screen::lanes(&session, "pad·2 stick-r-y");
    let (from, to) = (Nanos(0), Nanos::from_millis(7_000));
    let excerpt = |to| Excerpt { title: String::new(), from, to, lanes: lanes.clone() };
    let holes = |to| timeline(&session, &excerpt(to)).matches("#eceff2").count();
    // Unplugged at 4.8 s; one more is the legend's.
    assert_eq!((holes(Nanos::from_millis(4_000)), holes(to)), (1, 2));
}

#[test]
fn words_from_outside_stay_words() {
    let session = story();
    let svg = timeline(&session, &excerpt(&session, "<script>&\"</script>"));
    assert!(svg.contains("&lt;script&gt;&amp;"), "{svg}");
    pdf(&svg).unwrap();
}

#[test]
fn a_pdf_carries_its_font() {
    let session = story();
    let svg = audit("What other rates would have seen", &audits(&session));
    assert!(svg.contains("3 of 7") && svg.contains("0 of 7"), "{svg}");
    let bytes = pdf(&svg).unwrap();
    assert!(bytes.starts_with(b"%PDF-"));
    let has = |word: &[u8]| bytes.windows(word.len()).any(|window| window == word);
    assert!(has(b"DejaVuSansMono") && has(b"/FontFile"), "no font is embedded");
}

#[test]
fn a_figure_of_nothing_is_still_a_figure() {
    let session = story();
    let empty = Excerpt { title: String::new(), from: Nanos(5), to: Nanos(5), lanes: Vec::new() };
    pdf(&timeline(&session, &empty)).unwrap();
    pdf(&audit("", &[])).unwrap();
}

#[test]
fn only_two_endings_are_known() {
    let error = save("<svg/>", Path::new("a.png")).unwrap_err().to_string();
    assert_eq!(error, "a.png: a figure ends in .svg or .pdf");
}
