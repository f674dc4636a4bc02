//! What the mouse points at, and the numbers of the tune bench.

use super::*;
use MouseEventKind::{Down, Moved, ScrollDown, ScrollUp};

/// Where a text stands first.
fn place_of(bench: &Bench, text: &str) -> (u16, u16) {
    let rows = bench.rows();
    let at = |(y, row): (usize, &String)| {
        let before = &row[..row.find(text)?];
        Some((before.chars().count() as u16, y as u16))
    };
    rows.iter().enumerate().find_map(at).unwrap_or_else(|| panic!("{text} in\n{}", rows.join("\n")))
}

fn point(bench: &mut Bench, kind: MouseEventKind, text: &str) {
    let (column, row) = place_of(bench, text);
    bench.mouse(kind, column, row);
}

#[test]
fn what_the_mouse_rests_on_is_said_beside_it_until_a_key_is_pressed() {
    let mut bench = Bench::story(Story::LostTap);
    for (text, said) in [
        ("3 polling", " 3  bench: what loops of other poll rates would have seen "),
        ("Enter measure", " Enter  measure from this tick to the playhead, or end that "),
        ("▷ slew x", " ▷ slew x: an action; a click chooses it, a right click pins it "),
        ("◉ pad·2", "; a click shows them "),
    ] {
        point(&mut bench, Moved, text);
        assert!(bench.shows(said), "{said}\n{}", bench.rows().join("\n"));
    }
    bench.key(KeyCode::Right);
    assert!(!bench.shows("a click shows them"));
}

#[test]
fn a_number_is_nudged_by_the_wheel_and_typed_after_a_double_click() {
    let mut bench = Bench::story(Story::LostTap);
    bench.keys(":number slew dead");
    bench.key(KeyCode::Enter);
    point(&mut bench, Moved, "from[0].dead-zone");
    assert!(bench.shows("the wheel nudges, a double click types"));
    let value = |bench: &Bench| bench.app.knob().unwrap().value;
    point(&mut bench, ScrollUp, "from[0].dead-zone");
    let was = bench.app.original(&bench.app.knob().unwrap()).unwrap();
    assert!(bench.app.knob().unwrap().place.to_string().ends_with("from[0].dead-zone"));
    assert_eq!(value(&bench), was + 0.01);
    point(&mut bench, ScrollDown, "from[0].dead-zone");
    assert_eq!(value(&bench), was);
    // Two clicks that are far apart are two clicks.
    let left = Down(MouseButton::Left);
    point(&mut bench, left, "from[0].dead-zone");
    bench.pass(1_000);
    point(&mut bench, left, "from[0].dead-zone");
    assert!(bench.app.prompt.is_none());
    point(&mut bench, left, "from[0].dead-zone");
    bench.keys("0.2");
    bench.key(KeyCode::Enter);
    assert_eq!(value(&bench), 0.2);
}

#[test]
fn numbers_stand_in_groups_and_say_what_reads_them_and_what_they_changed() {
    let mut bench = Bench::story(Story::LostTap);
    bench.keys(":number slew dead");
    bench.key(KeyCode::Enter);
    assert_eq!(bench.row("  action slew").trim(), "action slew");
    let said = bench.row("action.slew.from[0].dead-zone is");
    assert!(said.contains("0 to 0.95 of full travel, a step is 0.01."), "{said}");
    assert!(said.contains("It is read for slew, of pad·2 stick-l-x"), "{said}");
    // Read for what no panel is connected for, too, and as one side of a pair.
    for (number, said) in [
        ("number walk-left rect", "What comes of it is read for walk-gantry."),
        ("number gesture lights", "What comes of it is read for lights."),
        ("number roll within", "What comes of it is read for damp-swing."),
        ("number yard hoist", "It is about yard hoist."),
    ] {
        bench.keys(":");
        bench.keys(number);
        bench.key(KeyCode::Enter);
        assert!(bench.shows(said), "{number}: {}", bench.rows().join("\n"));
    }
    bench.keys(":number slew dead");
    bench.key(KeyCode::Enter);
    bench.keys("v0.9");
    bench.key(KeyCode::Enter);
    assert!(bench.row("  action slew").contains("1 nudged"));
    assert!(bench.shows("The nudges changed slew: "));
    bench.keys("/hyst");
    bench.key(KeyCode::Enter);
    assert!(bench.shows("numbers with \"hyst\"") && !bench.shows("  action slew"));
    bench.keys("/zzz");
    bench.key(KeyCode::Enter);
    assert!(bench.shows("no number has these words; Esc drops them"));
    bench.key(KeyCode::Esc);
    assert!(bench.shows("numbers of the rig"));
}
