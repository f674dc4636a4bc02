//! What a rig says, and what is said of a rig that is wrong.

use super::*;
use gtrig_core::{BothHeld, Deal, Gives, InputSpec, MainRule};
use rstest::rstest;

const HEAD: &str = "rig = 1\n";

/// The one-line form of every mistake in `HEAD` followed by `body`.
fn mistakes(body: &str) -> Vec<String> {
    let text = format!("{HEAD}{body}");
    parse("t.toml", &text).unwrap_err().problems.iter().map(ToString::to_string).collect()
}

#[test]
fn the_shipped_rig_is_sound() {
    let text = include_str!("../../../../demo/kestrel-quay.toml");
    let rig = parse("kestrel-quay.toml", text).unwrap_or_else(|e| panic!("{e}"));
    let names: Vec<&str> = rig.actions.iter().map(|a| a.name.as_str()).collect();
    assert_eq!(
        names,
        ["slew", "hoist", "grip", "horn", "brake", "cab-camera", "walk-gantry", "touch"]
    );
    assert_eq!(rig.actions[0].gives, Gives::Plane);
    assert!(rig.actions[0].clamp);
}

#[test]
fn defaults_are_filled_in() {
    let rig = parse("t", "rig = 1\n[action.a]\ngives = \"axis\"\nfrom = { pair = [\"keys/KeyA\", [\"keys/KeyD\", \"keys/KeyE\"]] }").unwrap();
    assert_eq!(rig.rate, PollRate::DEFAULT);
    let [InputSpec::Pair { negative, positive, both }] = &rig.actions[0].inputs[..] else {
        panic!("{rig:?}");
    };
    assert_eq!((negative.len(), positive.len(), *both), (1, 2, BothHeld::Neutral));
}

#[rstest]
#[case::sowth(
    "[action.a]\ngives='on'\nfrom='pad/sowth'",
    "4:6: found 'pad/sowth', expected a control of \"pad\", such as south, east, west (did you mean \"south\"?)"
)]
#[case::kind(
    "[action.a]\ngives='on'\nfrom='padd/south'",
    "4:6: found 'padd/south', expected a kind of device: pad, lever, keys, mouse, glass, other (did you mean \"pad\"?)"
)]
#[case::slot(
    "[action.a]\ngives='on'\nfrom='pad7/south'",
    "4:6: found 'pad7/south', expected no number for any device of the kind, or a slot from 1 to 4, such as \"pad2/south\""
)]
#[case::no_slash(
    "[action.a]\ngives='on'\nfrom='south'",
    "4:6: found 'south', expected a device and a control, such as \"pad/south\", \"pad1/stick-l-x\" or \"keys/KeyH\""
)]
#[case::nan("[sampling]\npoll-hz = nan", "3:11: found nan, expected a number from 10 to 1000 (Hz)")]
#[case::too_fast(
    "[sampling]\npoll-hz = 2e3",
    "3:11: found 2e3, expected a number from 10 to 1000 (Hz)"
)]
#[case::not_a_number(
    "[sampling]\npoll-hz = \"60\"",
    "3:11: found \"60\", expected a number from 10 to 1000 (Hz)"
)]
#[case::dead_zone(
    "[action.a]\ngives='plane'\nfrom={ stick='pad/stick-l', dead-zone=1.5 }",
    "4:39: found 1.5, expected a number from 0 to 0.95 (of full travel)"
)]
#[case::stick_as_button(
    "[action.a]\ngives='on'\nfrom='pad/stick-l'",
    "4:6: found 'pad/stick-l', expected one control; a stick is read with `stick = …`"
)]
#[case::wrong_input(
    "[action.a]\ngives='plane'\nfrom=['pad/south']",
    "4:7: found 'pad/south', expected what an action that gives \"plane\" can read: { stick = … }, { cross = {…} } or { pointer = … }"
)]
#[case::unknown_key(
    "[action.a]\ngives='on'\nfrm='x'\nfrom='pad/south'",
    "4:1: found the key `frm`, expected only the keys gives, clamp, from, devices, combine, closed-while, open-while (did you mean \"from\"?)"
)]
#[case::clamp(
    "[action.a]\ngives='on'\nclamp=true\nfrom='pad/south'",
    "4:7: found `clamp`, expected no `clamp` here: only a plane is held in the unit circle"
)]
#[case::gives(
    "[action.a]\ngives='onn'\nfrom='pad/south'",
    "3:7: found 'onn', expected one of \"on\", \"pulse\", \"toggle\", \"axis\", \"plane\", \"polar\" (did you mean \"on\"?)"
)]
#[case::one_side(
    "[action.a]\ngives='axis'\nfrom={ pair=['keys/KeyA'] }",
    "4:13: found ['keys/KeyA'], expected two sides: [the -1 side, the +1 side]"
)]
#[case::half_cross(
    "[action.a]\ngives='plane'\nfrom={ cross={ left='keys/KeyA', right='keys/KeyD', up='keys/KeyW' } }",
    "4:14: found no `down`, expected a cross with all of left, right, up and down"
)]
#[case::release_above_press(
    "[action.a]\ngives='on'\nfrom={ control='pad/trigger-r', press-at=0.4, release-at=0.5 }",
    "4:58: found 0.5, expected a travel not above `press-at`, which is 0.4"
)]
#[case::edge_of_nothing(
    "[[edge]]\nlatched=true",
    "2:1: found [[edge]], expected `of`: the controls or kinds of device it is for"
)]
#[case::debounce(
    "[[edge]]\nof='pad'\ndebounce-ms=500",
    "4:13: found 500, expected a number from 0 to 100 (ms)"
)]
#[case::repeats(
    "[[edge]]\nof='keys'\nrepeats='presss'",
    "4:9: found 'presss', expected one of \"ignore\", \"press\" (did you mean \"press\"?)"
)]
#[case::deal(
    "[slots]\ndeal='first'",
    "3:6: found 'first', expected one of \"first-free\", \"last-used\" (did you mean \"first-free\"?)"
)]
#[case::pin(
    "[slots]\n2=''",
    "3:3: found '', expected a part of the identity or the name of the device that the slot is for"
)]
#[case::fifth_slot(
    "[slots]\n5='a'",
    "3:1: found the key `5`, expected only the keys deal, 1, 2, 3, 4"
)]
#[case::main_among(
    "[main]\namong=['pad', 'mice']",
    "3:15: found 'mice', expected one of \"pad\", \"lever\", \"keys\", \"mouse\", \"glass\", \"other\""
)]
#[case::use_at(
    "[main]\nuse-at=0",
    "3:8: found 0, expected a number from 0.05 to 1 (of full travel)"
)]
#[case::devices(
    "[action.a]\ngives='on'\nfrom='pad/south'\ndevices='mein'",
    "5:9: found 'mein', expected one of \"any\", \"main\" (did you mean \"main\"?)"
)]
#[case::zone_beyond_the_rim(
    "[shape.s]\nstages=[{ dead-zone=0.6, outer=0.5 }]",
    "3:21: found 0.6, expected a dead zone below `outer`, which is 0.5"
)]
#[case::points_go_back(
    "[shape.s]\nstages=[{ curve='points', points=[[0.5, 0.2], [0.4, 0.6]] }]",
    "3:47: found [0.4, 0.6], expected an x above that of the point before"
)]
#[case::points_fall(
    "[shape.s]\nstages=[{ curve='points', points=[[0.5, 0.6], [0.7, 0.2]] }]",
    "3:47: found [0.7, 0.2], expected a y not below that of the point before"
)]
#[case::no_points(
    "[shape.s]\nstages=[{ curve='points' }]",
    "3:17: found a curve without them, expected `points`: [[x, y], …] between [0, 0] and [1, 1]"
)]
#[case::no_travel(
    "[shape.s]\ncalibrate-x=[5, 5, 5]",
    "3:13: found [5, 5, 5], expected three whole numbers that rise: what is read at one end, at rest and at the other end; of a trigger the first two are the same"
)]
#[case::nan(
    "[shape.s]\nstages=[{ sensitivity=nan }]",
    "3:23: found nan, expected a number from 0.05 to 5 (times)"
)]
#[case::no_stage(
    "[shape.s]\nstages=[{ deadzone=0.1 }]",
    "3:9: found { deadzone=0.1 }, expected a stage, known by one of the keys invert, swap, offset, scale, gate, dead-zone, curve, sensitivity, half-life-ms, steady-hz, turn-limit, directions, facing"
)]
#[case::six_ways(
    "[shape.s]\nstages=[{ directions=6 }]",
    "3:22: found 6, expected 4 or 8 directions"
)]
#[case::unknown_shape(
    "[shape.worn]\nstages=[{ swap=true }]\n[action.a]\ngives='axis'\nfrom={ axis='lever/travel', shape='won' }",
    "6:35: found 'won', expected the name of a [shape.…] of this rig (did you mean \"worn\"?)"
)]
#[case::shape_and_zone(
    "[shape.s]\nstages=[{ swap=true }]\n[action.a]\ngives='axis'\nfrom={ axis='lever/travel', shape='s', dead-zone=0.1 }",
    "6:35: found 's', expected no `dead-zone` and no `invert` beside a shape: they are stages of it"
)]
#[case::gate_of_a_gate(
    "[action.a]\ngives='on'\nfrom='keys/KeyA'\n[action.b]\ngives='toggle'\nfrom='keys/KeyB'\nclosed-while='a'\n[action.c]\ngives='on'\nfrom='keys/KeyC'\nopen-while='b'",
    "9:9: found the gate `b` of `c`, expected a gate that gives \"on\" or \"toggle\" and has no gates itself"
)]
#[case::pointer(
    "[action.a]\ngives='plane'\nfrom={ pointer='pad' }",
    "4:16: found 'pad', expected a device that counts, such as \"mouse\" or \"other1\""
)]
#[case::empty("[action.a]\ngives='on'\nfrom=[]", "4:6: found [], expected at least one entry")]
#[case::escape_in_name(
    "[action.\"a\\u001b[2J\"]\ngives='on'\nfrom='pad/south'",
    "2:9: found the name `a\\u{1b}[2J`, expected an action name of 1 to 40 letters, digits, dots, dashes or underscores"
)]
fn each_mistake_has_its_place(#[case] body: &str, #[case] said: &str) {
    assert_eq!(mistakes(body), [said]);
}

#[test]
fn slots_and_main_device_are_read() {
    let text = "rig = 1\n[slots]\ndeal = 'last-used'\n2 = 'twin'\n[main]\nrule = 'last-used'\namong = ['pad', 'keys']\nuse-at = 0.3\n[action.a]\ngives = 'on'\nfrom = 'pad/south'\ndevices = 'main'\n";
    let rig = parse("t.toml", text).unwrap();
    assert_eq!(rig.slots.deal, Deal::LastUsed);
    assert_eq!(rig.slots.pins, [None, Some("twin".to_owned()), None, None]);
    assert_eq!((rig.main.rule, rig.main.use_at, rig.main.use_counts), (MainRule::LastUsed, 0.3, 4));
    assert_eq!(rig.main.among, [DeviceKind::Pad, DeviceKind::Keys]);
    assert!(rig.actions[0].main_only);
}

#[test]
fn edge_rules_say_what_they_say_and_no_more() {
    let text = "rig = 1\n[[edge]]\nof = ['pad/south', 'keys']\ndebounce-ms = 2.5\n[[edge]]\nof = 'keys'\nlatched = true\nstuck-after-s = 5\n";
    let rig = parse("t.toml", text).unwrap();
    assert_eq!(rig.edges[0].debounce, Some(gtrig_core::Nanos(2_500_000)));
    assert_eq!((rig.edges[0].of.len(), rig.edges[0].latched), (2, None));
    assert_eq!((rig.edges[1].latched, rig.edges[1].debounce), (Some(true), None));
}

#[test]
fn more_thresholds_than_there_are_bits_are_refused() {
    let inputs: Vec<String> =
        (1..=33).map(|n| format!("{{ control = 'pad/trigger-r', press-at = 0.{n:02} }}")).collect();
    let body = format!("[action.a]\ngives = 'on'\nfrom = [{}]", inputs.join(", "));
    assert!(mistakes(&body)[0].contains("33 different pairs"), "{:?}", mistakes(&body));
}

#[test]
fn all_mistakes_come_at_once_in_order() {
    let text =
        "[sampling]\npoll-hz = 5\n[action.a]\nfrom = 'pad/sowth'\n[action.b]\ngives = 'on'\n";
    let places: Vec<String> =
        mistakes(text).iter().map(|m| m.split(':').take(2).collect::<Vec<_>>().join(":")).collect();
    assert_eq!(places, ["3:11", "4:9", "5:8", "6:9"]);
}

#[test]
fn broken_toml_has_its_place_too() {
    let error = parse("t.toml", "rig = 1\n[action.a\ngives = \"on\"\n").unwrap_err();
    assert_eq!(error.problems[0].line, 2, "{error}");
}

#[rstest]
#[case("", "no `rig` version")]
#[case("rig = 2", "2")]
#[case("rig = \"1\"", "\"1\"")]
fn a_rig_says_its_version(#[case] text: &str, #[case] found: &str) {
    let error = parse("t.toml", text).unwrap_err();
    assert_eq!((error.problems[0].line, error.problems[0].found.as_str()), (1, found));
}

#[test]
fn the_message_shows_the_line() {
    let text = "rig = 1\n[action.horn]\ngives = \"on\"\nfrom = [\"pad/south\", \"keys/Keyh\"]\n";
    let shown = parse("quay.toml", text).unwrap_err().to_string();
    insta::assert_snapshot!(shown, @r#"
    error: found "keys/Keyh", expected a control of "keys", such as KeyA, KeyB, KeyC
     --> quay.toml:4:22
      |
    4 | from = ["pad/south", "keys/Keyh"]
      |                      ^^^^^^^^^^^
      |
      = help: did you mean "KeyH"?

    quay.toml: 1 mistake
    "#);
}
