//! How much a rig may have: so much is read, and one more is refused.

use super::{actions::MAX as MAX_ACTIONS, parse, shapes::MAX_STAGES, zones::MAX_CORNERS};
use gtrig_core::{
    MAX_COMBOS, MAX_EXAMPLES, MAX_GESTURES, MAX_MODES, MAX_SIGNS, MAX_STEPS, MAX_THRESHOLDS,
    MAX_ZONES,
};
use rstest::rstest;

/// `part` for each of so many, with `#` for its number.
fn many(part: &str, count: usize) -> String {
    (0..count).map(|n| part.replace('#', &n.to_string())).collect()
}

fn zones(count: usize) -> String {
    many("[zone.z#]\nrect = [0, 0, 0.5, 0.5]\n", count)
}

fn gestures(count: usize) -> String {
    many("[gesture.g#]\nkind = \"tap\"\n", count)
}

fn signs(count: usize) -> String {
    many("[sign.s#]\nexamples = [[[0, 0], [0, 20], [10, 20]]]\n", count)
}

fn examples(count: usize) -> String {
    format!("[sign.s]\nexamples = [{}]\n", many("[[0, 0], [0, 20], [10, 20]],", count))
}

fn combos(count: usize) -> String {
    many("[combo.c#]\nsteps = \"press south, press east within # ms after # ms\"\n", count)
        .replace("within 0 ms after 0 ms", "within 1 ms")
}

fn steps(count: usize) -> String {
    format!("[combo.c]\nsteps = \"press south{}\"\n", many(", press east within 90 ms", count - 1))
}

/// All but the first need something that enters them.
fn modes(count: usize) -> String {
    let button = "[action.go]\ngives = \"pulse\"\nfrom = \"pad/start\"\n[mode.first]\n";
    button.to_owned() + &many("[mode.m#]\nenter = \"go\"\n", count - 1)
}

fn stages(count: usize) -> String {
    format!("[shape.s]\nstages = [{}]\n", many("{ scale = 1.1 },", count))
}

fn corners(count: usize) -> String {
    let corner = |n: usize| {
        let angle = n as f64 / count as f64 * std::f64::consts::TAU;
        format!("[{:.4}, {:.4}],", 0.5 + 0.4 * angle.cos(), 0.5 + 0.4 * angle.sin())
    };
    format!("[zone.z]\npolygon = [{}]\n", (0..count).map(corner).collect::<String>())
}

fn actions(count: usize) -> String {
    many("[action.a#]\ngives = \"on\"\nfrom = \"pad/south\"\n", count)
}

fn thresholds(count: usize) -> String {
    let input = |n: usize| {
        format!(
            "{{ control = \"pad/trigger-r\", press-at = 0.9, release-at = {} }},",
            0.1 + n as f64 / 100.0
        )
    };
    format!("[action.a]\ngives = \"on\"\nfrom = [{}]\n", (0..count).map(input).collect::<String>())
}

/// A comment that makes the file so long.
fn bytes(count: usize) -> String {
    format!("#{}\n", "x".repeat(count - "rig = 1\n#\n".len()))
}

#[rstest]
#[case::zones(zones, MAX_ZONES)]
#[case::gestures(gestures, MAX_GESTURES)]
#[case::signs(signs, MAX_SIGNS)]
#[case::examples(examples, MAX_EXAMPLES)]
#[case::combos(combos, MAX_COMBOS)]
#[case::steps(steps, MAX_STEPS)]
#[case::modes(modes, MAX_MODES)]
#[case::stages(stages, MAX_STAGES)]
#[case::corners(corners, MAX_CORNERS)]
#[case::actions(actions, MAX_ACTIONS)]
#[case::thresholds(thresholds, MAX_THRESHOLDS)]
#[case::bytes(bytes, crate::MAX_DOCUMENT_BYTES)]
fn so_many_are_read_and_one_more_is_refused(#[case] of: fn(usize) -> String, #[case] most: usize) {
    let read = |count| parse("t", &format!("rig = 1\n{}", of(count)));
    read(most).unwrap_or_else(|mistakes| panic!("{mistakes}"));
    let refused = read(most + 1).unwrap_err();
    assert!(refused.problems[0].expected.contains(&most.to_string()) || most > 10_000);
}
