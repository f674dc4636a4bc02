//! Folding and measuring on the timeline.

use super::*;
use crate::screen::view::lane_name;
use std::{fs, path::PathBuf};

fn names(bench: &Bench) -> Vec<String> {
    let lanes = bench.app.lanes();
    lanes.into_iter().map(|lane| lane_name(bench.app.session(), lane)).collect()
}

#[test]
fn lanes_at_rest_fold_into_one_line_that_names_them() {
    let mut bench = Bench::story(Story::LostTap);
    assert_eq!(names(&bench), ["▷ slew x", "pad·2 stick-l-x", "▷ horn", "pad·2 south"]);
    assert!(bench.row("at rest, H shows them").contains("brake · cab-camera"));
    let folded = bench.app.shown_and_folded_lanes().1.len();
    assert!(bench.shows(&format!("lanes +{folded} at rest")));
    bench.keys("H");
    assert_eq!(names(&bench).len(), 4 + folded);
    assert!(bench.shows("── lanes ──") && !bench.shows("at rest, H"));
}

#[test]
fn what_moves_in_view_is_shown_and_so_is_the_chosen_lane() {
    let mut bench = Bench::story(Story::LostTap);
    bench.keys(":lane brake");
    bench.key(KeyCode::Enter);
    assert!(names(&bench).contains(&"▷ brake".to_owned()), "it is chosen");
    // Of the last half second, the stick has come back and rests.
    bench.key(KeyCode::End);
    bench.keys("++++");
    assert!(!names(&bench).contains(&"▷ slew x".to_owned()), "{:?}", names(&bench));
}

/// A press that is lost is no change of the level, and yet must be seen.
#[test]
fn a_lane_with_a_lost_press_is_not_at_rest() {
    let mut bench = Bench::story(Story::LostTap);
    // The first lost press alone, with nothing pressed beside it.
    bench.keys("+++");
    assert_eq!(bench.app.tick(), Tick(37));
    assert!(bench.has_lane("pad·2 south"));
    bench.keys(":lane slew x");
    bench.key(KeyCode::Enter);
    assert!(names(&bench).contains(&"pad·2 south".to_owned()));
}

#[test]
fn while_time_goes_on_a_lane_stays_for_half_a_minute() {
    let mut bench = Bench::live((160, 60));
    let before = names(&bench);
    for _ in 0..20 {
        bench.pass(250);
        let now = names(&bench);
        assert!(before.iter().all(|name| now.contains(name)), "none goes within five seconds");
    }
}

#[test]
fn time_is_measured_between_two_instants() {
    let mut bench = Bench::story(Story::LostTap);
    bench.key(KeyCode::Enter);
    bench.keys("]]");
    let row = bench.row("Δ");
    assert!(row.contains("Δ +700.00 ms, 21 ticks: 1 × on, 1 × off"), "{row}");
    let ruler = &bench.rows()[usize::from(bench.app.view.hit.ruler.y)];
    assert!(ruler.contains("▽═") && ruler.contains("═▼"), "{ruler}");
    // The other way round; ticks that are measured from their start hold the press lost in it.
    bench.key(KeyCode::Home);
    let row = bench.row("Δ");
    assert!(row.contains("Δ −1 233.33 ms, 37 ticks") && row.contains("1 × lost"), "{row}");
    bench.key(KeyCode::Enter);
    assert!(!bench.shows("Δ"));
}

#[test]
fn what_is_measured_is_saved_drawn_and_named() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name).display().to_string();
    let mut bench = Bench::story(Story::LostTap);
    bench.key(KeyCode::Enter);
    assert!(bench.rows().last().unwrap().trim_start().starts_with("f fits it   s saves it"));
    bench.keys("]]");
    let typed = |bench: &mut Bench, key: &str, text: &str| {
        bench.keys(key);
        bench.key_with(KeyCode::Char('u'), KeyModifiers::CONTROL, KeyEventKind::Press);
        bench.keys(text);
        bench.key(KeyCode::Enter);
    };
    typed(&mut bench, "M", "the horn");
    assert!(bench.app.marks().any(|(_, text)| text.as_str() == "the horn (700.00 ms)"));
    typed(&mut bench, "s", &at("part.take.jsonl"));
    wait_until(&mut bench, |bench| bench.shows("saved "));
    typed(&mut bench, "x", &at("part.svg"));
    wait_until(&mut bench, |bench| bench.shows("drawn to"));
    let part = Bench::opened(&fs::read_to_string(at("part.take.jsonl")).unwrap());
    let [first, last] = bench.app.measured().unwrap();
    let time = |bench: &Bench, tick| bench.app.session().plan().rate().time_of(tick);
    assert_eq!(time(&part, part.app.last()), time(&bench, last));
    let begins = time(&part, part.app.session().history().begins());
    assert!(begins <= time(&bench, first) && begins > time(&bench, first.before()));
    assert_eq!(part.app.session().lost_in_history(), 1);
    assert!(
        part.app.document.title.as_deref().unwrap().starts_with("1 233.33 ms to 1 933.33 ms of")
    );
    let svg = fs::read_to_string(at("part.svg")).unwrap();
    assert!(svg.contains("\n1300\n") && !svg.contains("\n2100\n"), "{svg}");
}

#[test]
fn what_is_looked_for_is_found_on_the_lane_or_on_any() {
    let mut bench = Bench::story(Story::LostTap);
    let look = |bench: &mut Bench, words: &str| {
        bench.keys("S");
        bench.keys(words);
        bench.key(KeyCode::Enter);
    };
    bench.key(KeyCode::Home);
    look(&mut bench, "fired any");
    let lane = |bench: &Bench| lane_name(bench.app.session(), bench.app.lane().unwrap());
    let (first, of) = (bench.app.tick(), lane(&bench));
    assert!(of.starts_with('▷') && bench.shows("[ ] fired"), "{of}");
    bench.keys("]");
    assert!(bench.app.tick() > first);
    bench.keys("[");
    assert_eq!((bench.app.tick(), lane(&bench)), (first, of));
    // A press that was lost is one of the control, and of what it should have driven.
    bench.key(KeyCode::Home);
    bench.keys(":lane horn");
    bench.key(KeyCode::Enter);
    look(&mut bench, "lost chosen");
    let lost = bench.app.tick();
    bench.key(KeyCode::Home);
    bench.keys("K");
    assert_eq!(bench.app.tick(), lost);
    look(&mut bench, "nearly chosen");
    assert!(bench.shows("nearly fired on pad·2 south: none after this tick"));
    // Esc goes back to edges.
    bench.key(KeyCode::Esc);
    assert!(bench.shows("[ ] edge"));
}

#[test]
fn what_is_measured_fits_the_view() {
    let mut bench = Bench::story(Story::LostTap);
    bench.key(KeyCode::Enter);
    bench.keys("]]f");
    let stretch = bench.app.view.stretch;
    assert!(stretch.column_of(Tick(37)).is_some() && stretch.column_of(Tick(58)).is_some());
    assert!(stretch.zoom.has_room_in_ticks(), "{stretch:?}");
    bench.key(KeyCode::Enter);
    bench.keys("f");
    assert!(bench.app.view.stretch.column_of(Tick(0)).is_some());
}

#[test]
fn the_whole_history_is_a_row_that_says_where_one_is() {
    let mut bench = Bench::story(Story::LostTap);
    bench.keys("++");
    let row = bench.row("all of it");
    assert_eq!(row.matches('╳').count(), 2, "both lost presses of the lane: {row}");
    assert!(row.contains("00:03"), "{row}");
    let overview = bench.app.view.hit.overview;
    let last = bench.app.last();
    bench.mouse(MouseEventKind::Down(MouseButton::Left), overview.x, overview.y);
    assert_eq!(bench.app.tick(), Tick(0));
    bench.mouse(MouseEventKind::Drag(MouseButton::Left), overview.right() - 1, overview.y);
    assert_eq!(bench.app.tick(), last);
    assert!(bench.app.view.stretch.column_of(last).is_some(), "the view follows");
}

#[test]
fn the_playhead_covers_no_time() {
    let mut bench = Bench::story(Story::LostTap);
    bench.keys("++");
    for _ in 0..40 {
        bench.key(KeyCode::Right);
        let ruler = &bench.rows()[usize::from(bench.app.view.hit.ruler.y)];
        let labels = ruler.split('┬').skip(1).filter(|label| label.contains(" ms"));
        for label in labels {
            let number: String =
                label.chars().take_while(|c| c.is_ascii_digit() || *c == ' ').collect();
            let ms: u32 = number.replace(' ', "").parse().unwrap();
            assert_eq!(ms % 100, 0, "{ruler}");
        }
    }
}

#[test]
fn lost_presses_are_walked_whatever_lane_is_chosen() {
    let mut bench = Bench::story(Story::LostTap);
    bench.keys(":lane slew x");
    bench.key(KeyCode::Enter);
    bench.key(KeyCode::Home);
    let mut ticks = Vec::new();
    for _ in 0..2 {
        bench.keys("K");
        ticks.push(bench.app.tick().0);
        assert!(bench.lane("pad·2 south").contains("▸"), "its lane is chosen");
    }
    assert_eq!(ticks, [37, 73]);
    bench.keys("K");
    assert!(
        bench.shows("lost press on any lane: none after this tick") && bench.app.tick() == Tick(73)
    );
    bench.keys("J");
    assert_eq!(bench.app.tick(), Tick(37));
}

#[test]
fn words_of_marks_that_lie_close_say_that_they_go_on() {
    let mut bench = Bench::story(Story::Glass);
    bench.keys("f");
    bench.key(KeyCode::Home);
    let marks = bench.row(" marks ");
    assert!(marks.contains("✓ look-rig… ✓ look-le… ✗ look-rig… "), "{marks}");
    bench.keys("n");
    assert!(bench.row("── why").contains("meant: look-right"), "all of it");
}

#[test]
fn a_take_that_another_rig_recorded_says_so() {
    let text = |rig: &str| format!("{{\"take\":1,\"rig\":\"{rig}\"}}\n");
    let bench = Bench::opened(&text("Hangar Nine"));
    assert!(bench.row(" TAKE ").contains("Kestrel Quay   ≠ recorded by Hangar Nine (: rig)"));
    assert!(!Bench::opened(&text("Kestrel Quay")).shows("recorded by"));
}

/// A pause of a month is a pause: both ends are in the row of the whole, and in view.
#[test]
fn a_month_fits_into_the_view() {
    let pad = r#""plug":"pad1","kind":"pad","controls":[{"code":"south","kind":"button"}]"#;
    let value =
        |ns: u64, v: i32| format!("{{\"t\":{ns},\"on\":\"pad1\",\"c\":\"south\",\"v\":{v}}}\n");
    let month = 29 * 86_400 * 1_000_000_000;
    let text = [
        format!("{{\"take\":1}}\n{{\"t\":0,{pad}}}\n"),
        value(1_000_000_000, 1),
        value(2_000_000_000, 0),
        value(month, 1),
    ];
    let mut bench = Bench::opened(&text.concat());
    assert!(bench.row("all of it").contains("696:00:00"), "{}", bench.row("all of it"));
    bench.keys(":lane south");
    bench.key(KeyCode::Enter);
    bench.keys("f");
    let lane = bench.lane("pad·1 south");
    assert!(lane.contains(['▁', '╱', '▔', '┃', '▒']), "{lane}");
    let stretch = bench.app.view.stretch;
    for tick in [Tick(0), bench.app.last()] {
        assert!(stretch.column_of(tick).is_some(), "{stretch:?}");
    }
    for key in ["-", "-", "[", "]", "+", "+", "+"] {
        bench.keys(key);
    }
    bench.key(KeyCode::End);
    assert_eq!(bench.app.tick(), bench.app.last());
}

/// A press that was long ago happened all the same, though every lane is at rest now.
#[test]
fn what_is_over_and_at_rest_is_not_nothing() {
    let rig = files::rig(None, None).unwrap();
    let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
    Newcomer(Some(Nanos(0))).drain(&mut session, Nanos(0));
    let pad = session.roster().devices().last().unwrap().0;
    let control = session.roster().device(pad).control("south").unwrap();
    let (time, marks) = (Nanos::from_millis(500), gtrig_core::Marks::empty());
    session.report(gtrig_core::Event { time, value: 0, control, marks });
    let app = App::live(session, Vec::new(), None, Theme::new(true));
    let mut bench = Bench::new(app, Nanos::from_millis(90_000), (160, 47));
    assert!(!bench.shows("Nothing has happened yet") && !bench.shows("no lanes"));
    assert!(bench.shows("at rest, H shows them") && bench.shows("── why ▷ slew x"));
    bench.keys("H");
    assert!(bench.has_lane("pad·1 south") && !bench.shows("Nothing has happened yet"));
}

/// The drift of the story leaves the dead zone, and that is seen.
#[test]
fn a_curve_has_a_scale_and_its_limits_where_there_is_room() {
    let braille = |row: &str| row.chars().filter(|c| ('\u{2801}'..='\u{28ff}').contains(c)).count();
    let mut bench = Bench::story(Story::Drift);
    let lane = bench.lane("pad·2 stick-r-y");
    let top = bench.rows().iter().position(|row| *row == lane).unwrap();
    let rows: Vec<String> = bench.rows()[top..top + 7].to_vec();
    let has = |text: &str| rows.iter().position(|row| row.trim_start().starts_with(text));
    assert!(lane.contains(" 1 ") && has("0.12") == Some(3) && has("-1") == Some(6), "{rows:#?}");
    // The dead zone around rest, and the drift in the row below it.
    assert!(braille(&rows[3]) > 40 && braille(&rows[4]) > 20, "{rows:#?}");
    bench.keys("t");
    let low = bench.lane("pad·2 stick-r-y");
    assert_eq!(braille(&low), 0, "{low}");
    let rig = files::rig(None, Story::Drift.poll_hz()).unwrap();
    let app = App::take(files::shipped_take(Story::Drift, rig).unwrap(), Theme::new(true));
    // A scale never covers a name.
    let mut small = Bench::new(app, Nanos(0), (80, 24));
    assert!(small.lane("pad·2 stick-r-y").starts_with(" ▸  pad·2 stick-r-y "));
    small.keys("I");
    assert!(
        small.rows().iter().any(|row| row.starts_with(" ▸▪  …d·2 stick-r-y")),
        "{:#?}",
        small.rows()
    );
}

/// The lanes of one finger differ in their last letter.
#[test]
fn names_of_lanes_that_are_cut_can_be_told_apart() {
    let rig = files::rig(None, Story::Glass.poll_hz()).unwrap();
    let app = App::take(files::shipped_take(Story::Glass, rig).unwrap(), Theme::new(true));
    let bench = Bench::new(app, Nanos(0), (80, 24));
    assert!(
        bench.shows("…ss contact-1-x") && bench.shows("…ss contact-1-y"),
        "{:#?}",
        bench.rows()
    );
}

/// Names of marks that have too little room never run into the next flag.
#[test]
fn a_name_that_is_cut_leaves_a_column_before_the_next_flag() {
    let mut bench = Bench::story(Story::Hasty);
    bench.keys("f");
    let marks = bench.row("marks");
    assert!(marks.contains("… ⚑") && !marks.contains("…⚑"), "{marks}");
}

/// What came of a gesture does not hide the edge at which it came.
#[test]
fn verdicts_have_words_in_a_row_of_their_own_where_there_is_room() {
    let mut bench = Bench::story(Story::Glass);
    bench.keys("/contact-1");
    bench.key(KeyCode::Enter);
    let row_of = |bench: &Bench| usize::from(bench.app.view.hit.lanes.y);
    let at = row_of(&bench);
    let rows = bench.rows();
    assert!(rows[at].contains('╱') && !rows[at].contains('●'), "{}", rows[at]);
    let told = &rows[at + 1];
    assert!(told.contains("● look-") && told.contains("◇ l"), "{told}");
    // With all lanes low the signs stand on the lane.
    bench.keys("t");
    assert!(bench.rows()[row_of(&bench)].contains('●'));
    // Below the lane of a gesture stands what each attempt came to.
    let mut bench = Bench::story(Story::Glass);
    bench.keys("/swipe look-right");
    bench.key(KeyCode::Enter);
    let told = bench.rows()[row_of(&bench) + 1].clone();
    assert!(told.contains("● fir") && told.contains("◇ l"), "{told}");
    let mut bench = Bench::story(Story::Hasty);
    bench.keys("/combo roll");
    bench.key(KeyCode::Enter);
    assert!(bench.rows().iter().any(|row| row.contains("◇ nearly")), "{}", bench.rows().join("\n"));
}

/// One key keeps the last five minutes, with what was held when they began.
#[test]
fn the_last_five_minutes_are_kept_by_a_key() {
    fn name() -> String {
        let file = format!("quay-of-test-{}.take.jsonl", std::process::id());
        std::env::temp_dir().join(file).display().to_string()
    }
    let text = "{\"take\":1}\n\
        {\"t\":0,\"plug\":\"pad1\",\"kind\":\"pad\",\"name\":\"Pad\",\"identity\":\"a\",\"controls\":[{\"code\":\"south\",\"kind\":\"button\"},{\"code\":\"east\",\"kind\":\"button\"}]}\n\
        {\"t\":1000000000,\"on\":\"pad1\",\"c\":\"south\",\"v\":1}\n\
        {\"t\":2000000000,\"on\":\"pad1\",\"c\":\"east\",\"v\":1}\n\
        {\"t\":3000000000,\"on\":\"pad1\",\"c\":\"east\",\"v\":0}\n\
        {\"t\":400000000000,\"on\":\"pad1\",\"c\":\"east\",\"v\":1}\n\
        {\"t\":401000000000,\"ends\":true}\n";
    let mut bench = Bench::opened(text);
    bench.app.save_name = name;
    let path = PathBuf::from(name().replace("quay-", "quay-last-"));
    bench.key(KeyCode::F(3));
    wait_until(&mut bench, |bench| bench.shows("saved "));
    let rig = files::rig(None, None).unwrap();
    let kept = files::open_take(&path, rig, Capacity::DEFAULT).unwrap().session;
    fs::remove_file(&path).unwrap();
    let seconds = kept.recording().begins_at.0 / 1_000_000_000;
    assert!((100..=101).contains(&seconds), "it begins at {seconds} s");
    let roster = kept.roster();
    let recording = kept.recording();
    let events: Vec<_> = recording
        .events()
        .filter(|event| !roster.control(event.control).is_presence)
        .map(|event| (roster.code(event.control).to_owned(), event.value))
        .collect();
    let expected = [("south".to_owned(), 1), ("east".to_owned(), 1)];
    assert_eq!(events, expected, "south is held over, and what was before it is not there");
}
