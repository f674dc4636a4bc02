//! What is found by typing, and what can be clicked.

use super::{super::bench, *};
use crate::screen::{bound, keymap::Keymap, view::Lane};
use gtrig_core::Keyword;
use gtrig_formats::settings;

fn find(bench: &mut Bench, words: &str) {
    bench.keys(":");
    bench.keys(words);
}

/// The list, without its frame.
fn found(bench: &Bench) -> Vec<String> {
    let rows = bench.rows();
    let area = bench.app.view.hit.found;
    let rows = &rows[usize::from(area.top())..usize::from(area.bottom())];
    let text = |row: &String| row.chars().skip(area.x.into()).take(area.width.into()).collect();
    rows.iter().map(text).filter(|row: &String| !row.trim().is_empty()).collect()
}

#[test]
fn everything_there_is_can_be_found() {
    let mut bench = Bench::story(Story::LostTap);
    for (words, kind) in [
        ("polling", "bench"),
        ("nudge", "key"),
        ("pad south", "lane"),
        ("slew dead", "number"),
        ("device pad", "device"),
        ("short tap", "mark"),
        ("drifting", "story"),
    ] {
        find(&mut bench, words);
        assert!(found(&bench).iter().any(|row| row.contains(kind)), "{:?}", found(&bench));
        bench.key(KeyCode::Esc);
        assert!(bench.app.find.is_none());
    }
}

#[test]
fn what_is_found_is_done() {
    let mut bench = Bench::story(Story::LostTap);
    find(&mut bench, "bench polling");
    bench.key(KeyCode::Enter);
    assert_eq!(bench.app.bench, bench::Bench::Polling);
    find(&mut bench, "mark three");
    bench.key(KeyCode::Enter);
    let mark = bench.app.marks().find(|(_, text)| text.as_str().contains("three")).unwrap().0;
    assert_eq!(bench.app.tick(), mark);
    find(&mut bench, "number action.slew dead");
    bench.key(KeyCode::Enter);
    let knob = bench.app.knob().unwrap();
    assert_eq!(knob.place.to_string(), "action.slew.from[0].dead-zone");
    find(&mut bench, "one tick back");
    bench.key(KeyCode::Enter);
    assert_eq!(bench.app.tick().0, mark.0 - 1);
}

#[test]
fn a_lane_that_never_moved_is_shown_when_it_is_found() {
    let mut bench = Bench::story(Story::LostTap);
    assert!(!bench.has_lane("pad·2 north"));
    find(&mut bench, "lane north");
    bench.key(KeyCode::Enter);
    assert!(bench.lane("pad·2 north").contains("▸"));
    assert!(matches!(bench.app.view.chosen, Some(Lane::Control(_))));
}

#[test]
fn a_story_brings_its_own_rig_and_rate() {
    let mut bench = Bench::story(Story::LostTap);
    for story in [Story::Hasty, Story::LostTap] {
        find(&mut bench, &format!("story {}", story.word()));
        bench.key(KeyCode::Enter);
        wait_until(&mut bench, |bench| bench.shows(&story.title()[..30]));
        let rate = story.poll_hz().map_or(60.0, |hz| hz);
        assert_eq!(bench.app.session().plan().rate().hz(), rate);
    }
}

#[test]
fn the_choice_goes_down_and_up_and_a_click_does_what_is_under_it() {
    let mut bench = Bench::story(Story::LostTap);
    find(&mut bench, "bench");
    bench.key(KeyCode::Down);
    bench.key(KeyCode::Down);
    bench.key(KeyCode::Up);
    assert!(found(&bench)[1].contains("▸"), "{:?}", found(&bench));
    let area = bench.app.view.hit.found;
    let row = found(&bench).iter().position(|row| row.contains("a touch panel")).unwrap();
    let at = (area.x + 5, area.y + row as u16);
    bench.mouse(MouseEventKind::Down(MouseButton::Left), at.0, at.1);
    assert_eq!(bench.app.bench, bench::Bench::Touch);
    find(&mut bench, "bench");
    bench.mouse(MouseEventKind::Down(MouseButton::Left), 0, 46);
    assert!(bench.app.find.is_none(), "a click beside the list closes it");
}

#[test]
fn tabs_devices_and_hints_can_be_clicked() {
    let mut bench = Bench::live((160, 47));
    let column = |row: &str, word: &str| row[..row.find(word).unwrap()].chars().count() as u16;
    let rows = bench.rows();
    let at = |word: &str| {
        let row = rows.iter().position(|row| row.contains(word)).unwrap();
        (column(&rows[row], word), row as u16)
    };
    let click = MouseEventKind::Down(MouseButton::Left);
    let (tab, device, hint) = (at("stream"), at("lever·3"), at("help"));
    bench.mouse(click, tab.0, tab.1);
    assert_eq!(bench.app.bench, bench::Bench::Stream);
    bench.mouse(click, device.0, device.1);
    assert_eq!(bench.app.bench, bench::Bench::Device);
    let shown = bench.app.device().unwrap();
    assert_eq!(bench.app.session().roster().device(shown).label().to_string(), "lever·3");
    bench.mouse(click, hint.0, hint.1);
    assert!(bench.app.help.is_some());
    bench.mouse(click, 5, 5);
    assert!(bench.app.help.is_none());
}

#[test]
fn the_help_begins_with_the_bench_and_is_searched_by_typing() {
    let mut bench = Bench::story(Story::LostTap);
    bench.keys("3?");
    let rows = bench.rows();
    let heading = rows.iter().position(|row| row.contains("On this bench")).unwrap();
    assert!(rows[heading + 1].contains("what loops of other poll rates"), "{}", rows[heading + 1]);
    let own = rows[heading + 2..heading + 5].join("\n");
    assert!(
        own.contains("press that was lost") && own.contains("audit the history again"),
        "{own}"
    );
    assert!(bench.shows("← →") && bench.shows("one tick back; one tick on"));
    bench.keys("quit");
    assert!(bench.shows("lines with \"quit\"") && !bench.shows("zoom in"));
    bench.keys("zzz");
    assert!(bench.shows("no line has all of these words"));
    bench.key(KeyCode::Esc);
    assert!(bench.shows("zoom in"));
    bench.key(KeyCode::Esc);
    assert!(bench.app.help.is_none());
}

#[rstest]
fn the_list_and_the_help_need_no_more_room_than_there_is(
    #[values(1, 2, 5, 20, 80, 300)] width: u16,
    #[values(1, 2, 3, 8, 24, 100)] height: u16,
) {
    let mut bench = Bench::story(Story::LostTap);
    bench.screen.backend_mut().resize(width, height);
    find(&mut bench, "e");
    bench.key(KeyCode::Esc);
    bench.keys("?e");
}

/// The first minute: a session without a device says what can be done, and offers it.
#[test]
fn while_nothing_has_happened_the_screen_offers_what_can_be_done() {
    let mut bench = bare();
    let offer = bench.row("open a story");
    assert!(offer.contains(" O "), "{offer}");
    assert!(bench.shows("a pad, a lever or a panel") && bench.shows("gtrig demo"));
    let row = bench.rows().iter().position(|row| row.contains("open a story")).unwrap();
    bench.mouse(MouseEventKind::Down(MouseButton::Left), 20, row as u16);
    let rows = found(&bench);
    let stories = rows
        .iter()
        .take_while(|row| row.trim_start_matches(['▸', ' ']).starts_with("story "))
        .count();
    assert_eq!(stories, Story::ALL.len(), "every story is listed first: {rows:?}");
    bench.key(KeyCode::Enter);
    wait_until(&mut bench, |bench| bench.shows("The horn that did not sound"));
    assert!(!bench.shows("Nothing has happened yet"));
}

#[test]
fn other_keys_do_what_is_set_and_are_shown_everywhere() {
    let mut bench = Bench::story(Story::LostTap);
    let text = "[keys]\nmeasure = \"F5\"\nfold = \"Ctrl+L\"\nbench-polling = \"ü\"\nfind = []\n";
    let settings = settings::parse("settings.toml", text, &bound()).unwrap();
    bench.app.use_keys(Keymap::new(&settings.keys));
    bench.frame();
    assert!(bench.shows("at rest, Ctrl+L shows them") && bench.shows("F5 measure"));
    assert!(bench.shows("ü polling") && !bench.shows(": find"));
    bench.key(KeyCode::Enter);
    bench.keys(":3");
    assert!(bench.app.measured().is_none() && bench.app.find.is_none());
    assert_eq!(bench.app.bench, bench::Bench::Board);
    bench.key(KeyCode::F(5));
    bench.keys("ü");
    assert!(bench.app.measured().is_some());
    assert_eq!(bench.app.bench, bench::Bench::Polling);
    bench.keys("?");
    assert!(bench.shows("F5") && bench.shows("Ctrl+L"));
}
