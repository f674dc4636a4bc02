//! The board's instruments.

use super::*;

#[test]
fn the_wire_glows_from_the_stick_that_drives_to_what_it_drives() {
    let mut bench = Bench::story(Story::LostTap);
    let row = bench.row("pad·2 stick-l ");
    assert!(row.contains("━━▶ slew") || row.contains("━┯▶ slew"), "{row}");
    assert!(row.contains("→ ┄") && row.contains("●"), "where to, and the dead zone: {row}");
    let dial = bench.rows()[5..8].join("\n");
    assert!(dial.contains("+0.66"), "the dial has its numbers beside it: {dial}");
    bench.key(KeyCode::Home);
    let row = bench.row("pad·2 stick-l ");
    assert!(row.contains("▷ slew") && row.contains("· ●"), "{row}");
}

#[test]
fn a_button_says_for_how_long_it_has_been_down() {
    let mut bench = Bench::story(Story::LostTap);
    bench.keys("]");
    let row = bench.row("╱ pad·2 south");
    assert!(row.contains("● down") && row.contains("0 ms"), "{row}");
    bench.key(KeyCode::Right);
    let row = bench.row("╲ pad·2 south");
    assert!(row.contains("○ up"), "{row}");
    bench.keys("...");
    let rows = bench.rows();
    let is_it = |row: &&String| row.contains("pad·2 south") && row.contains("○ up");
    assert!(rows.iter().find(is_it).unwrap().contains("433 ms"), "{}", rows.join("\n"));
}

#[test]
fn what_feeds_an_action_is_gathered_by_a_key_or_a_double_click() {
    let mut bench = Bench::live((160, 47));
    let rows = |bench: &Bench| bench.rows()[4..26].join("\n");
    assert!(rows(&bench).contains("keys-2 KeyG") || rows(&bench).contains("keys KeyG"));
    bench.keys(":lane grip");
    bench.key(KeyCode::Enter);
    bench.keys("C");
    assert!(rows(&bench).contains("grip …") && !rows(&bench).contains("keys KeyG"));
    let row = bench.rows().iter().position(|row| row.contains("grip …")).unwrap() as u16;
    let left = MouseEventKind::Down(MouseButton::Left);
    bench.mouse(left, 66, row);
    bench.mouse(left, 66, row);
    assert!(!rows(&bench).contains("grip …") && rows(&bench).contains("keys KeyG"));
}

#[test]
fn fingers_are_shown_on_a_small_panel() {
    let mut bench = Bench::live((160, 60));
    let mut counts = std::collections::BTreeSet::new();
    for _ in 0..400 {
        bench.pass(50);
        let rows = bench.rows();
        let said = |words: &&str| rows[..30].iter().any(|row| row.contains(*words));
        counts.extend(["⡇ none", " 1 down", " 2 down"].iter().position(said));
    }
    assert!(counts.len() >= 2, "fingers come and go: {counts:?}");
}

/// A trigger holds its side of a pair from half its travel on: its lane has that line, and the
/// arrow of the side lights up from there.
#[test]
fn a_trigger_holds_a_side_beside_keys() {
    let rig = "rig = 1\n[action.a]\ngives = \"axis\"\nfrom = { pair = [\"pad/trigger-l\", \"keys/KeyD\"] }";
    let take = r#"{"take":1}
{"t":0,"plug":"pad1","kind":"pad","slot":1,"controls":[{"code":"trigger-l","kind":"trigger","min":0,"max":200}]}
{"t":0,"plug":"keys1","kind":"keys","controls":[{"code":"KeyD","kind":"button"}]}
{"t":90000000,"on":"pad1","c":"trigger-l","v":99}
{"t":190000000,"on":"pad1","c":"trigger-l","v":100}
{"t":300000000,"ends":true}"#;
    let rig = gtrig_formats::rig::parse("t.toml", rig).unwrap();
    let mut bench = Bench::opened_with(rig, take);
    assert!(bench.shows("≥0.50"), "{}", bench.rows().join("\n"));
    let asked = [(KeyCode::Home, "· ·", "+0.00"), (KeyCode::End, "◂ ·", "-1.00")];
    for (key, sides, value) in asked {
        bench.key(key);
        let row = bench.row("pad·1 trigger-l, k…");
        assert!(row.contains(sides) && row.contains(value), "{row}");
    }
}
