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
