//! What a rig says, and what is said of a rig that is wrong.

mod combos;
mod mistakes;

use super::*;
use gtrig_core::{
    ActionId, BothHeld, ComboId, Deal, Direction, GestureKind, Gives, InputSpec, MainRule, ModeId,
    ModeSet, Quantity, SignalId, SwipeDirections, SwipeFires, Zones,
};
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
        [
            "slew",
            "hoist",
            "grip",
            "horn",
            "brake",
            "cab-camera",
            "walk-gantry",
            "touch",
            "look-aside",
            "lights",
            "load-zoom",
            "call-crew",
            "stop",
            "damp-swing"
        ]
    );
    assert_eq!(rig.actions[0].gives, Gives::Plane);
    assert!(rig.actions[0].clamp);
}

/// The same half of the panel, measured in every way.
#[rstest]
#[case("in='panel'\nrect=[0.5,0,0.5,1]")]
#[case("in='mm'\nrect=[80,0,80,90]")]
#[case("in='px'\nrect=[960,0,960,1080]")]
#[case("in='view'\nrect=[640,0,640,720]")]
#[case("in='world'\nrect=[50,-52,320,360]")]
#[case("anchor='top-right'\nrect=[0,0,0.5,1]")]
#[case("in='mm'\nanchor='bottom-right'\nrect=[0,0,80,90]")]
#[case("in='view'\nanchor='bottom-left'\nrect=[640,0,640,720]")]
#[case("in='mm'\nanchor='bottom-right'\npolygon=[[0,0],[80,0],[80,90],[0,90]]")]
fn a_zone_is_where_its_space_says(#[case] zone: &str) {
    let surface = "pixels=[1920,1080]\nmm=[160,90]\nwindow={ size=[1920,1080], view=[1280,720] }\n\
                   world={ camera=[50,128], zoom=2 }";
    let rig = parse("t", &format!("rig = 1\n[surface]\n{surface}\n[zone.a]\n{zone}")).unwrap();
    let zones = Zones::new(&rig.zones, &rig.surface);
    let bounds = zones.on_panel()[0].outline.bounds(9.0 / 16.0);
    for (is, should) in bounds.into_iter().zip([0.5, 0.0, 1.0, 1.0]) {
        assert!((is - should).abs() < 1e-4, "{bounds:?}");
    }
}

#[test]
fn a_gesture_has_its_defaults_and_what_is_said_of_it() {
    let text = "rig = 1\n[gesture.a]\nkind='swipe'\nlength-mm=9\noff-axis-deg='none'\nstraight=0.9";
    let gesture = &parse("t", text).unwrap().gestures[0];
    let limit = |quantity| gesture.limits.of(quantity);
    let said = [limit(Quantity::Length), limit(Quantity::OffAxisDeg), limit(Quantity::Straight)];
    assert_eq!(said, [Some(9.0), None, Some(0.9)]);
    assert_eq!([limit(Quantity::Time), limit(Quantity::Speed)], [Some(500.0), None]);
    let kind = GestureKind::Swipe {
        toward: SwipeDirections::FOUR,
        fires: SwipeFires::Passing,
        from_edge: None,
    };
    assert_eq!((gesture.kind, gesture.fingers, gesture.zone), (kind, 1, None));
}

/// All kinds, and all that can be said of them.
#[test]
fn the_rig_of_every_gesture_is_sound() {
    let text = include_str!("../../../../demo/gestures.toml");
    let rig = parse("gestures.toml", text).unwrap_or_else(|e| panic!("{e}"));
    let mut words: Vec<&str> = rig.gestures.iter().map(|gesture| gesture.kind.word()).collect();
    words.sort_unstable();
    words.dedup();
    assert_eq!(words.len(), GestureKind::WORDS.len());
}

#[test]
fn defaults_are_filled_in() {
    let rig = parse("t", "rig = 1\n[action.a]\ngives = \"axis\"\nfrom = { pair = [\"keys/KeyA\", [\"keys/KeyD\", \"keys/KeyE\"]] }").unwrap();
    assert_eq!(rig.rate, PollRate::DEFAULT);
    let [InputSpec::Pair { negative, positive, both }] = &rig.actions[0].inputs[..] else {
        panic!("{rig:?}");
    };
    assert_eq!((negative.keys.len(), positive.keys.len(), *both), (1, 2, BothHeld::Neutral));
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
    let read = |count: usize| {
        format!("[action.a]\ngives = 'on'\nfrom = [{}]\n", inputs[..count].join(", "))
    };
    let pair = "[action.b]\ngives = 'axis'\nfrom = { pair = ['pad/trigger-l', 'pad/trigger-r'] }";
    for body in [read(33), read(32) + pair] {
        assert!(mistakes(&body)[0].contains("33 different pairs"), "{:?}", mistakes(&body));
    }
    parse("t", &format!("rig = 1\n{}{pair}", read(31))).unwrap();
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

/// Of very many mistakes the first are listed, in their order, and the rest are counted.
#[test]
fn many_mistakes_are_counted() {
    let keys: String = (0..20_000).map(|n| format!("key-{n} = {n}\n")).collect();
    let error = parse("t", &format!("rig = 1\n{keys}")).unwrap_err();
    assert_eq!((error.problems.len(), error.more), (100, 19_900));
    let places: Vec<(usize, usize)> = error.problems.iter().map(|p| (p.line, p.column)).collect();
    assert_eq!(places, (2..102).map(|line| (line, 1)).collect::<Vec<_>>());
    let text = error.to_string();
    assert!(text.contains("t:101:1"), "the last one listed");
    assert!(
        text.ends_with("t: 20000 mistakes, of which the first 100 are listed"),
        "{}",
        text.len()
    );
}
