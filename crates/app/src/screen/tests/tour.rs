//! The first minutes of a newcomer.

use super::*;
use crate::screen::view::lane_name;

/// What the tour asks for, each with the number of the step that it is in.
const TOUR: [&[KeyCode]; 8] = [
    &[KeyCode::Right],
    &[KeyCode::Char('K')],
    &[KeyCode::Char('3')],
    &[KeyCode::Char('1')],
    &[KeyCode::Enter, KeyCode::Char(']')],
    &[],
    &[KeyCode::Char('>')],
    &[KeyCode::Char('u')],
];

fn step(bench: &Bench) -> Option<usize> {
    bench.app.tour_in_words().map(|(step, ..)| step)
}

#[test]
fn the_tour_goes_on_when_what_it_asks_for_was_done_and_can_be_left() {
    let mut bench = Bench::live((100, 40));
    bench.key(KeyCode::F(2));
    wait_until(&mut bench, |bench| bench.shows("tour, step 1 of 9"));
    for (at, keys) in TOUR.into_iter().enumerate() {
        assert_eq!(step(&bench), Some(at + 1));
        // What it does not ask for does not bring it on.
        bench.key(KeyCode::Down);
        bench.key(KeyCode::Up);
        bench.pass(10);
        assert_eq!(step(&bench), Some(at + 1), "{}", bench.rows().join("\n"));
        keys.iter().for_each(|key| bench.key(*key));
        if keys.is_empty() {
            bench.keys(":slew dead");
            bench.key(KeyCode::Enter);
        }
        bench.pass(10);
    }
    assert!(bench.shows("tour, step 9 of 9") && bench.shows("That was the tour."));
    bench.key(KeyCode::F(2));
    assert_eq!(step(&bench), Some(9), "there is none after it");
    bench.key(KeyCode::Esc);
    assert!(step(&bench).is_none() && !bench.shows("tour, step"));
}

/// The lane that the tour speaks of is not behind its words.
#[test]
fn the_tour_covers_no_lane_on_a_usual_screen() {
    let rig = files::rig(None, Story::LostTap.poll_hz()).unwrap();
    let mut app = App::take(files::shipped_take(Story::LostTap, rig).unwrap(), Theme::new(true));
    app.begin_with_tour();
    let mut bench = Bench::new(app, Nanos(0), (160, 47));
    bench.pass(10);
    let top = bench.rows().iter().position(|row| row.contains("tour, step 1")).unwrap();
    let lanes = bench.rows();
    let last = lanes.iter().rposition(|row| row.contains("▸  pad·2 south")).unwrap();
    assert!(last < top, "{}", lanes.join("\n"));
}

#[rstest]
#[case::tiny(1, 1)]
#[case::narrow(12, 30)]
#[case::low(80, 5)]
#[case::usual(80, 24)]
#[case::wide(300, 100)]
fn the_tour_fits_any_screen_and_covers_no_keys(#[case] width: u16, #[case] height: u16) {
    let rig = files::rig(None, Story::LostTap.poll_hz()).unwrap();
    let mut app = App::take(files::shipped_take(Story::LostTap, rig).unwrap(), Theme::new(true));
    app.begin_with_tour();
    let mut bench = Bench::new(app, Nanos(0), (width, height));
    for _ in 0..8 {
        bench.pass(10);
        if height >= 24 {
            assert!(bench.rows().last().unwrap().contains("q quit"));
        }
        bench.key(KeyCode::F(2));
    }
    assert_eq!(step(&bench), Some(9));
}

/// What a newcomer wants, and how many keys it takes; the table of the guide has the same.
#[test]
fn a_newcomer_needs_few_keys() {
    let typed = std::cell::Cell::new(0);
    let press = |bench: &mut Bench, text: &str| {
        for c in text.chars() {
            typed.set(typed.get() + 1);
            bench.key(if c == '\n' { KeyCode::Enter } else { KeyCode::Char(c) });
        }
    };
    let guide = include_str!("../../../../../docs/guide.md");
    let count = |what: &str, keys: usize| {
        assert_eq!(typed.replace(0), keys, "{what}");
        let row = format!("| {what} | {keys} |");
        assert!(guide.contains(&row), "the guide has no row {row}");
    };
    let mut bench = Bench::live((160, 47));
    press(&mut bench, "O\n");
    wait_until(&mut bench, |bench| bench.shows("The horn that did not sound"));
    assert!(bench.shows("all between tick 36"), "{}", bench.rows().join("\n"));
    count("see why a tap was lost, from `gtrig demo`", 2);
    press(&mut bench, ":slew dead\n>");
    assert_eq!(bench.app.unwritten(), 1);
    count("find a dead zone and nudge it", 12);
    bench.keys("u1");
    press(&mut bench, "\n]");
    assert!(bench.shows("Δ +"));
    count("measure from here to the next edge", 2);
    let folder = tempfile::tempdir().unwrap();
    let figure = folder.path().join("f.svg");
    press(&mut bench, "x");
    // The name that is offered is in this folder; here it is another.
    bench.key_with(KeyCode::Char('u'), KeyModifiers::CONTROL, KeyEventKind::Press);
    bench.keys(&figure.display().to_string());
    press(&mut bench, "\n");
    wait_until(&mut bench, |_| figure.exists());
    count("draw it as a figure", 2);
    press(&mut bench, ":walk-left rect\n>");
    assert_eq!(bench.app.knob().unwrap().place.to_string(), "zone.walk-left.rect[0]");
    assert_eq!(bench.app.unwritten(), 1);
    count("move a zone of the panel", 17);
}

#[test]
fn a_rig_for_what_is_plugged_in_is_written_and_used() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("mine.toml");
    let mut bench = Bench::live((160, 47));
    let write = |bench: &mut Bench| {
        bench.keys("R");
        bench.key_with(KeyCode::Char('u'), KeyModifiers::CONTROL, KeyEventKind::Press);
        bench.keys(&path.display().to_string());
        bench.key(KeyCode::Enter);
    };
    write(&mut bench);
    assert!(bench.shows("actions were written to"), "{}", bench.rows().last().unwrap());
    wait_until(&mut bench, |bench| !bench.app.is_retuning());
    bench.pass(100);
    let names = |bench: &Bench| {
        let lanes = super::super::view::all_lanes(bench.app.session());
        lanes.into_iter().map(|of| lane_name(bench.app.session(), of)).collect::<Vec<_>>()
    };
    assert!(names(&bench).contains(&"▷ stick-l x".to_owned()), "{:?}", names(&bench));
    assert_eq!(bench.app.session().rig().name.as_str(), "mine");
    assert_eq!(bench.app.unwritten(), 0);
    let text = std::fs::read_to_string(&path).unwrap();
    assert!(gtrig_formats::rig::parse("mine", &text).is_ok());
    // What is there already is not written over.
    write(&mut bench);
    assert!(bench.shows("cannot write"));
}
