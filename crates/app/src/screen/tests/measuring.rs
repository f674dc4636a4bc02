//! Sticks and triggers that are measured, and the yard.

use super::*;

#[test]
fn a_stick_is_measured_and_the_rig_follows() {
    let mut bench = Bench::story(Story::Rim);
    bench.keys("7");
    wait_until(&mut bench, |bench| bench.shows("centre") && bench.shows("+0.0310 -0.0181"));
    assert!(bench.shows("all 72 directions, 8.0 % out of round"));
    assert!(bench.row("past the centre").contains("(4 releases)"));
    assert!(bench.row("snap-back zone").contains("0.15 would hold it"));
    // Calibrated, rest is 0, and the dead zone need not hold its offset.
    bench.keys("p");
    assert!(bench.shows("calibrated and set to what was measured"));
    bench.keys("5");
    let row = bench.row("  1: dead-zone");
    assert!(row.contains(" 0.03 ") && row.contains("was 0.12"), "{row}");
    assert!(bench.row("calibrate-x rest").contains(" 1015 "));
    bench.keys("u");
    assert!(!bench.shows("calibrate-x") && bench.row("▸ 1: dead-zone").contains("0.12"));
    // The hoist's stick never moved.
    bench.keys("7:lane hoist");
    bench.key(KeyCode::Enter);
    // Nor may it be set to what another stick was measured to do.
    bench.keys("p");
    assert!(bench.shows("this stick is not measured yet"));
    wait_until(&mut bench, |bench| bench.shows("▷ it never reported anything: move it"));
}

#[test]
fn a_trigger_that_is_a_button_shows_its_thresholds() {
    let mut bench = Bench::live((160, 52));
    bench.keys("5/trigger");
    bench.key(KeyCode::Enter);
    assert!(bench.shows("pad·1 trigger-r reported"), "{}", bench.rows().join("\n"));
    assert!(bench.shows("on at 0.60 off below 0.40") && bench.shows("press-at"));
}

#[test]
fn the_stick_of_another_device_can_be_laid_over() {
    let mut bench = Bench::live((160, 52));
    bench.keys("5l");
    assert!(bench.shows("reported ◌ pad·2 stick-l"), "{}", bench.rows()[3]);
    bench.keys("l");
    assert!(bench.shows("reported ◌ pad·1 stick-r"));
    bench.keys("ll");
    assert!(bench.shows("pad·1 stick-l reported"));
}

#[test]
fn the_yard_shows_the_right_way_beside_a_mistake() {
    let mut bench = Bench::live((160, 52));
    bench.keys("8");
    bench.pass(2_000);
    assert!(bench.shows("mistake: speed per frame"), "{}", bench.rows().join("\n"));
    // At 60 Hz a speed per frame that was tuned at 30 Hz is twice the right one.
    let speeds = |bench: &Bench| -> Vec<f32> {
        let row = bench.row("hook ");
        row.split_whitespace().filter_map(|word| word.parse().ok()).collect()
    };
    assert_eq!(speeds(&bench).len(), 2, "{}", bench.row("hook "));
    bench.keys("y");
    bench.pass(100);
    assert!(bench.shows("mistake: diagonal not clamped") && bench.shows("hooks "));
    bench.keys("Y>>");
    let row = bench.row("▸ slew speed");
    assert!(row.contains(" 17 was 16") && row.contains("units/s"), "{row}");
    bench.pass(100);
    assert!(bench.shows("mistake: speed per frame") && bench.shows("m apart"));
}

#[test]
fn a_rig_without_a_yard_says_so() {
    let (_folder, _, mut bench) = tuned(HOIST);
    bench.keys("8");
    assert!(bench.shows("the rig has no [yard]"));
}
