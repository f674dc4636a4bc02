use super::*;
use crate::{
    files,
    screen::{Lane, lane_name},
};
use gtrig_analysis::{
    Capacity, Session,
    audit::{Loop, LoopAudit},
    measure::{self, Samples},
    stream::StreamWatch,
};
use gtrig_core::{
    ActionId, Chain, CleanText, ControlInfo, ControlKind, Curve, DeadZone, DeadZoneKind,
    DeviceInfo, DeviceKind, Event, GestureId, Keyword, Marks, Nanos, PollRate, Stage, StickGate,
    Tick, length,
};
use gtrig_formats::measure::MeasureReport;
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
        .map(|hz| gtrig_analysis::audit::audit(session.plan(), &events, Loop::steady(rate(hz))))
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
    // Unplugged at 4.8 s; one more is the legend's, which names what is drawn alone.
    assert_eq!((holes(Nanos::from_millis(4_000)), holes(to)), (0, 2));
}

/// A button whose press is lost, a mouse and a finger, all unplugged in the end.
fn short_visit() -> Session {
    let text = "rig = 1\n[gesture.up]\nkind = \"swipe\"\ntoward = \"up\"\n";
    let rig = gtrig_formats::rig::parse("visit.toml", text).unwrap();
    let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
    let position = ControlKind::Position { min: 0, max: 1000 };
    let devices = [
        (DeviceKind::Pad, vec![("south", ControlKind::Button)]),
        (DeviceKind::Mouse, vec![("x", ControlKind::Relative)]),
        (
            DeviceKind::Glass,
            vec![
                ("contact-1", ControlKind::Button),
                ("contact-1-x", position),
                ("contact-1-y", position),
            ],
        ),
    ];
    let plug = |(kind, controls): (DeviceKind, Vec<(&str, ControlKind)>)| DeviceInfo {
        identity: kind.word().to_owned(),
        kind,
        name: CleanText::new(kind.word()),
        bus: CleanText::default(),
        slot: None,
        controls: controls.into_iter().map(|(code, kind)| ControlInfo::new(code, kind)).collect(),
    };
    let ids = devices.map(plug).map(|info| session.plug(info, Nanos(0)).unwrap());
    let said = [
        (20, 0, "south", 1),
        (21, 0, "south", 0),
        (100, 1, "x", -130),
        // To the upper edge, and as another finger at the left, between two polls.
        (200, 2, "contact-1-x", 500),
        (200, 2, "contact-1-y", 500),
        (200, 2, "contact-1", 1),
        (220, 2, "contact-1-y", 0),
        (236, 2, "contact-1", 0),
        (237, 2, "contact-1-x", 100),
        (237, 2, "contact-1", 1),
        (900, 2, "contact-1", 0),
    ];
    for (ms, device, code, value) in said {
        let time = Nanos::from_millis(ms);
        session.run_before(time);
        let control = session.roster().device(ids[device]).control(code).unwrap();
        session.report(Event { time, value, control, marks: Marks::empty() });
    }
    for id in ids {
        session.unplug(id, Nanos::from_millis(1_000));
    }
    session.run_until(Tick(90));
    session
}

/// The words of a figure that begin at a place, and the place.
fn beginnings(svg: &str) -> Vec<(f64, &str)> {
    let lines: Vec<&str> = svg.lines().collect();
    let begins = |pair: &[&'_ str]| {
        let is_text = pair[0].contains("<text") && !pair[0].contains("text-anchor");
        let (_, x) = pair[0].split_once(" x=\"").filter(|_| is_text)?;
        x.split('"').next()?.parse::<f64>().ok()
    };
    lines.windows(2).filter_map(|pair| Some((begins(pair)?, pair[1]))).collect()
}

#[test]
fn a_legend_of_all_that_can_be_drawn_has_room() {
    let session = short_visit();
    let lanes = crate::screen::lanes(&session, "");
    let (from, to) = (Nanos(0), Nanos::from_millis(1_500));
    let svg = timeline(&session, &Excerpt { title: String::new(), from, to, lanes });
    let words = beginnings(&svg);
    for asked in ["control, as polled", "as reported", "press lost between polls", "nothing known"]
    {
        assert!(words.iter().any(|(_, words)| *words == asked), "{asked} in {words:?}");
    }
    for (x, words) in words {
        assert!(x >= 20.0 && x + page::width_of(words) <= page::WIDTH, "{words} at {x}");
    }
}

#[test]
fn counts_are_drawn_as_far_as_they_go() {
    let session = short_visit();
    let lanes = crate::screen::lanes(&session, "mouse x");
    assert_eq!(lanes.len(), 1);
    assert_eq!(crate::screen::lane_extent(&session, lanes[0]), [0.0, 200.0]);
    let (from, to) = (Nanos(0), Nanos::from_millis(1_500));
    let svg = timeline(&session, &Excerpt { title: String::new(), from, to, lanes });
    assert!(svg.contains("\n+200\n") && svg.contains("\n-200\n"), "{svg}");
}

#[test]
fn two_fingers_between_two_polls_are_two_paths_with_their_numbers_on_the_panel() {
    let session = short_visit();
    let (from, to) = (Nanos(0), Nanos::from_millis(1_500));
    let sheet = TouchSheet { title: String::new(), from, to, panel: 0, gesture: None };
    let svg = touch(&session, &sheet).unwrap();
    let paths: Vec<&str> = svg.lines().filter(|l| l.contains("stroke-width=\"1.5\"")).collect();
    // One goes up, with an arrow; the other stays.
    assert_eq!(paths.len(), 3, "{svg}");
    let (top, left) = (56.0, 20.0);
    let numbers = numbers_of(&svg);
    assert!(!numbers.is_empty(), "{svg}");
    for [x, y] in numbers {
        assert!(x >= left && x < left + 760.0 && y > top, "{x} {y}");
    }
    assert!(svg.contains("where an attempt began"), "{svg}");
}

fn glass(gesture: Option<GestureId>) -> Option<String> {
    let rig = files::rig(None, None).unwrap();
    let session = files::shipped_take(Story::Glass, rig).unwrap().session;
    let (from, to) = (Nanos(0), Nanos::from_millis(12_000));
    touch(&session, &TouchSheet { title: "<thumb>".to_owned(), from, to, panel: 0, gesture })
}

#[test]
fn a_panel_has_its_zones_its_paths_and_what_came_of_gestures() {
    let svg = glass(None).unwrap();
    for words in ["&lt;thumb&gt;", "every gesture: 6 of 9 fired", "walk-left", "gap-ms 12 ms over"]
    {
        assert!(svg.contains(words), "{words} in {svg}");
    }
    // Thirteen times a finger landed, nine of them to go somewhere, which has an arrow.
    let strokes: Vec<&str> = svg.lines().filter(|l| l.contains("stroke-width=\"1.5\"")).collect();
    let arrows = strokes.iter().filter(|path| path.matches(['L', 'M']).count() == 3).count();
    assert_eq!((strokes.len() - arrows, arrows), (13, 9), "{svg}");
    for colour in ["#1a8f3c", "#b3701f", "#1f6fb2"] {
        assert!(strokes.iter().any(|path| path.contains(colour)), "{colour}");
    }
    for heading in ["gesture", "outcome", "over at", "mm", "140"] {
        assert!(svg.contains(&format!("\n{heading}\n")), "{heading}");
    }
    let of_one = glass(Some(GestureId::at(1))).unwrap();
    assert!(of_one.contains("swipe look-right: 2 of 9 fired"), "{of_one}");
    // A wedge for each of those that fired, a ring for where each began, its path and arrow; and
    // the legend's.
    assert_eq!(of_one.matches("stroke=\"#1a8f3c\"").count(), 9);
    let places = numbers_of(&of_one);
    assert_eq!(places.len(), 9);
    for (at, [x, y]) in places.iter().enumerate() {
        let is_apart = |[ox, oy]: &[f64; 2]| (x - ox).abs() >= 16.0 || (y - oy).abs() >= 12.0;
        assert!(places[..at].iter().all(is_apart), "{places:?}");
    }
    pdf(&of_one).unwrap();
}

/// Where the numbers of attempts stand on a panel.
fn numbers_of(svg: &str) -> Vec<[f64; 2]> {
    let lines: Vec<&str> = svg.lines().collect();
    let number = |pair: &[&str]| {
        let is_of_attempt = ["#1a8f3c", "#b3701f"].iter().any(|colour| pair[0].contains(colour));
        let value = |name: &str| {
            let (_, rest) = pair[0].split_once(&format!(" {name}=\""))?;
            rest.split('"').next()?.parse::<f64>().ok()
        };
        let is_number = pair[1].parse::<u32>().is_ok();
        (is_of_attempt && is_number).then(|| Some([value("x")?, value("y")?])).flatten()
    };
    lines.windows(2).filter_map(number).collect()
}

#[test]
fn lanes_at_rest_are_left_out_unless_nothing_moves() {
    let session = story();
    let all = crate::screen::lanes(&session, "");
    let names = |from, to| -> Vec<String> {
        let [from, to] = [from, to].map(Nanos::from_millis);
        let lanes = moving(&session, all.clone(), from, to).into_iter();
        lanes.map(|lane| lane_name(&session, lane)).collect()
    };
    assert_eq!(names(0, 3_700), ["▷ slew x", "pad·2 stick-l-x", "▷ horn", "pad·2 south"]);
    // The lost press alone.
    assert!(names(1_220, 1_240).contains(&"pad·2 south".to_owned()));
    assert!(!names(1_220, 1_240).contains(&"▷ horn".to_owned()));
    assert_eq!(names(3_400, 3_500).len(), all.len());
}

#[test]
fn no_panel_no_figure() {
    let sheet =
        TouchSheet { title: String::new(), from: Nanos(0), to: Nanos(1), panel: 0, gesture: None };
    assert_eq!(touch(&story(), &sheet), None);
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

fn chain() -> Chain {
    let zone = DeadZone { kind: DeadZoneKind::Axes, inner: 0.2, outer: 1.0, slope: 0.0 };
    let curve = Stage::Curve { curve: Curve::Power(2.0), on_axes: false };
    Chain::from([Stage::Gate(StickGate::Square), Stage::DeadZone(zone), curve].as_slice())
}

#[test]
fn a_shape_has_its_zones_its_gate_and_its_numbers() {
    let sheet = StickSheet::of_shape("<worn> & torn".to_owned(), chain());
    let svg = stick(&StickSheet { clamp: false, ..sheet.clone() });
    for words in [
        "&lt;worn&gt; &amp; torn",
        "shaped: what becomes of an even grid",
        "speed by direction",
        "1  gate square",
        "2  dead-zone axes, 0.2 to 1",
        "3  curve power 2",
        "output begins at 0.200 of the travel",
        "full deflection gives 1.000",
    ] {
        assert!(svg.contains(words), "{words}");
    }
    // A square gate puts the diagonal of a square rim at 0.707 on either axis, of
    // which the zone leaves 0.634; its length 0.896, squared, is 0.804.
    assert!(
        svg.contains("square rim (dashes): 0.804") && svg.contains("stroke-dasharray"),
        "{svg}"
    );
    assert!(!stick(&StickSheet { is_single: true, ..sheet }).contains("speed by direction"));
}

#[test]
fn a_long_list_of_stages_makes_a_taller_sheet() {
    let height = |count: usize| -> f64 {
        let stages = vec![Stage::Swap; count];
        let svg = stick(&StickSheet::of_shape(String::new(), Chain::from(stages.as_slice())));
        let (_, height) = svg.split_once("height=\"").unwrap();
        height.split_once('"').unwrap().0.parse().unwrap()
    };
    assert_eq!(height(1), height(3));
    assert!(height(16) > height(1));
}

#[test]
fn a_stick_is_drawn_as_it_was_and_as_it_was_shaped() {
    let session = files::shipped_take(Story::Rim, files::rig(None, None).unwrap()).unwrap().session;
    let input = session.plan().inputs(ActionId(0))[0];
    let of = |to| {
        let title = "worn".to_owned();
        StickSheet::of_input(title, &session, (ActionId(0), input), (Tick(0), Tick(to)))
    };
    let sheet = of(session.now().at().0);
    assert_eq!(sheet.reported.len(), sheet.shaped.len());
    let farthest = |of: &[[f32; 2]]| of.iter().map(|v| length(*v)).fold(0.0, f32::max);
    // The corners of the rim are beyond 1, and the action is held in the circle.
    assert!(farthest(&sheet.reported) > 1.02);
    assert!((farthest(&sheet.shaped) - 1.0).abs() < 1e-6);
    assert!(stick(&sheet).contains("shaped, as the action gave it"));
    pdf(&stick(&of(0))).unwrap();
}

#[test]
fn a_measurement_of_too_little_says_so_in_the_figure() {
    let session = story();
    let axes = session.roster().axes().next().unwrap();
    let nothing = Samples::of(session.roster(), axes, std::iter::empty());
    let found = measure::measure(&nothing);
    let report =
        MeasureReport::new("pad1/stick-l".to_owned(), &found, &measure::propose(&nothing, &found));
    let svg = measurement(&nothing, &found, &report);
    assert!(svg.contains("not known: it never reported anything"), "{svg}");
    pdf(&svg).unwrap();
}

#[test]
fn only_two_endings_are_known() {
    let error = save("<svg/>", Path::new("a.png")).unwrap_err().to_string();
    assert_eq!(error, "a.png: a figure ends in .svg or .pdf");
}
