//! Combos, and what goes with them.

use super::*;

const COMBOS: &str = r#"
rig = 1

[action.slew]
gives = "plane"
from = { stick = "pad/stick-l" }

[action.facing-left]
gives = "on"
from = "pad/dpad-left"

[action.stop]
gives = "pulse"
from = { combo = "double" }
modes = ["driving"]

[mode.driving]
[mode.parked]
enter = "facing-left"
leave = "stop"
windows = "freeze"

[combo.double]
steps = "press south, press south within 250 ms"

[combo.sweep]
stick = "slew"
mirror-while = "action/facing-left"
all-within = "900 ms"
steps = [
  "push down",
  "push down-right within 12 ticks",   # a roll
  "push right after 20 ms within 200 ms unless east or keys/KeyH",
  "together south and west in 40 ms",
]

[combo.charge]
takes = true
modes = "driving"
waits-for = "double"
steps = "do double, hold south for 800 ms, release south within 2 s"
"#;

/// What ends an attempt is turned around like its steps.
#[test]
fn a_mirror_turns_what_may_not_be_pressed_too() {
    let text = r#"rig = 1
[action.slew]
gives = "plane"
from = { stick = "pad/stick-l" }
[action.flip]
gives = "on"
from = "pad/mode"
[combo.roll]
stick = "slew"
mirror-while = "action/flip"
strict = true
passing = ["down-left", "south"]
steps = "push down-right, push up within 200 ms unless left or north"
"#;
    let rig = parse("t", text).unwrap();
    let variants = rig.combos[0].variants();
    let direction = |signal: &SignalId| match rig.signals[signal.index()] {
        Signal::Way(_, Direction(way)) => Some(way),
        _ => None,
    };
    let ways = |signals: &[SignalId]| signals.iter().map(direction).collect::<Vec<_>>();
    let unless = [0, 1].map(|n| ways(&variants[n].steps[1].unless));
    assert_eq!(unless, [[Some(4), None], [Some(0), None]]);
    let passing = [0, 1].map(|n| match &variants[n].strict {
        Some(gtrig_core::Strict::AllBut(passing)) => ways(passing),
        other => panic!("{other:?}"),
    });
    assert_eq!(passing, [[Some(5), None], [Some(7), None]]);
}

#[test]
fn combos_are_read() {
    use crate::words::combo_words;
    let rig = parse("t", COMBOS).unwrap();
    let words: Vec<String> = rig.combos.iter().map(|combo| combo_words(&rig, combo)).collect();
    assert_eq!(
        words,
        [
            "press pad/south, press pad/south within 250 ms",
            "push down, push down-right within 12 ticks, push right after 20 ms within 200 ms unless pad/east or keys/KeyH, together pad/south and pad/west in 40 ms within 500 ms, all within 900 ms",
            "press pad/south, press pad/south within 250 ms, hold pad/south for 800 ms within 500 ms, release pad/south within 2000 ms",
        ]
    );
    let mirror = rig.combos[1].mirror.as_ref().unwrap();
    assert_eq!(mirror.pairs.len(), 2);
    assert_eq!(
        (rig.combos[2].takes, &rig.combos[2].waits_for[..], rig.combos[2].modes),
        (true, &[ComboId(0)][..], ModeSet::EMPTY.with(ModeId(0)))
    );
    assert_eq!(
        (rig.modes[1].enter, rig.modes[1].freezes, rig.actions[2].modes),
        (Some(ActionId(1)), true, ModeSet::EMPTY.with(ModeId(0)))
    );
}

/// A count is short for steps, and one number of its words moves all of them.
#[test]
fn a_count_is_short_for_steps() {
    use crate::words::combo_words;
    let rig =
        |steps: &str| parse("t", &format!("rig = 1\n[combo.c]\nsteps = \"{steps}\"")).unwrap();
    let words = |rig: &Rig| combo_words(rig, &rig.combos[0]);
    let short = rig("press south exactly 3 times within 250 ms");
    let next = "press pad/south within 250 ms unless pad/south";
    assert_eq!(
        words(&short),
        format!("quiet for 250 ms, press pad/south, {next}, {next}, quiet for 250 ms")
    );
    let knobs = short.knobs();
    let places: Vec<String> =
        knobs.iter().map(|k| k.place.to_string()).filter(|p| p.starts_with("combo")).collect();
    assert_eq!(places, ["combo.c.steps[0].within"]);
    let place = &knobs.iter().find(|knob| knob.place.is_in("combo")).unwrap().place;
    let wider = rig("press south exactly 3 times within 300 ms");
    assert_eq!(short.with(place, 300.0).combos, wider.combos);

    let taps = rig("press east, tap south or west 2 times in 150 ms within 400 ms");
    assert_eq!(
        words(&taps),
        "press pad/east, press pad/south or pad/west within 400 ms, release pad/south or pad/west within 150 ms, press pad/south or pad/west within 400 ms, release pad/south or pad/west within 150 ms"
    );
    let faster = taps
        .knobs()
        .into_iter()
        .filter(|k| k.place.is_in("combo"))
        .fold(taps.clone(), |rig, knob| rig.with(&knob.place, 100.0));
    let expected = rig("press east, tap south or west 2 times in 100 ms within 100 ms");
    assert_eq!(faster.combos, expected.combos);
}

#[test]
fn lengths_of_gestures_may_be_pixels_or_shares() {
    let rig = |surface: &str, rest: &str| {
        parse("t", &format!("rig = 1\n{surface}\n[gesture.a]\nkind = \"swipe\"\n{rest}\n"))
    };
    let px = "lengths-in = \"px\"\nlength-px = 300";
    let gesture = &rig("[surface]\npixels = [1920, 1080]", px).unwrap().gestures[0];
    assert_eq!(
        (gesture.unit, gesture.limits.of(Quantity::Length)),
        (gtrig_core::LengthUnit::Px, Some(300.0))
    );
    let shares = &rig("", "lengths-in = \"share\"").unwrap().gestures[0];
    assert_eq!(shares.limits.of(Quantity::Length), Some(15.0 / 160.0));
    for (rest, words) in [
        (px, "expected `pixels` in [surface]"),
        ("lengths-in = \"share\"\nlength-mm = 15", "found the key `length-mm`"),
    ] {
        let error = rig("", rest).unwrap_err().to_string();
        assert!(error.contains(words), "{error}");
    }
}

#[test]
fn an_origin_may_be_two_controls() {
    let rig = |origin: &str, kind: &str| {
        parse("t", &format!("rig = 1\n[gesture.a]\nkind = \"{kind}\"\norigin = {origin}\n"))
    };
    let moving = r#"{ x = "other/boom-x", y = "other/boom-y" }"#;
    let gesture = &rig(moving, "aim").unwrap().gestures[0];
    assert_eq!(gesture.origin.as_ref().unwrap()[1].to_string(), "other/boom-y");
    assert_eq!(rig("[0.2, 0.3]", "aim").unwrap().gestures[0].origin, None);
    for (origin, kind, words) in [
        (moving, "drag", "no `origin` here: only an aim has one"),
        (r#"{ x = "other/a" }"#, "aim", "no `y`"),
    ] {
        let error = rig(origin, kind).unwrap_err().to_string();
        assert!(error.contains(words), "{error}");
    }
}

/// Other combos in the place of a step, once or several times.
#[rstest]
#[case::once("do double", "press pad/south, press pad/south within 250 ms")]
#[case::twice(
    "do double 2 times within 400 ms",
    "press pad/south, press pad/south within 250 ms, press pad/south within 400 ms, press pad/south within 250 ms"
)]
#[case::later(
    "press east, do double after 20 ms within 300 ms unless west",
    "press pad/east, press pad/south after 20 ms within 300 ms unless pad/west, press pad/south within 250 ms"
)]
#[case::a_d_pad(
    "push down, push down-right within 200 ms, press south",
    "push down, push down-right within 200 ms, press pad/south within 500 ms"
)]
fn a_combo_may_do_others(#[case] steps: &str, #[case] words: &str) {
    use crate::words::combo_words;
    let text = format!(
        "rig = 1\n[sampling]\npoll-hz = 60\n\
         [combo.double]\nsteps = \"press south, press south within 250 ms\"\n\
         [combo.it]\nstick = \"pad/dpad\"\nsteps = \"{steps}\"\n"
    );
    let rig = parse("t", &text).unwrap();
    assert_eq!(combo_words(&rig, &rig.combos[1]), words);
    // One number of the words of a `do` moves every time it is done.
    let within = rig
        .knobs()
        .into_iter()
        .find(|knob| knob.place.to_string().contains("combo.it") && knob.tunable.name == "within");
    let is_repeated = steps.contains("2 times");
    assert!(!is_repeated || within.is_some());
    if let Some(knob) = within.filter(|_| is_repeated) {
        let wider = rig.with(&knob.place, 450.0);
        assert_eq!(combo_words(&wider, &wider.combos[1]), words.replace("400", "450"));
    }
}

/// What a combo does by names of another one, and by its own.
#[rstest]
#[case::a_device("device = \"lever\"", "press thumb", "press pad/south, press lever/thumb")]
#[case::its_number("device = \"pad2\"", "press east", "press pad/south, press pad2/east")]
#[case::directions("stick = \"pad/dpad\"", "push left", "press pad/south, push left")]
fn names_mean_what_they_mean_where_they_stand(
    #[case] key: &str,
    #[case] step: &str,
    #[case] words: &str,
) {
    let text = format!(
        "rig = 1\n[combo.other]\n{key}\nsteps = \"{step}\"\n\
         [combo.it]\nsteps = \"press south, do other within 100 ms\"\n"
    );
    let rig = parse("t", &text).unwrap();
    let asked = format!("{words} within 100 ms");
    assert_eq!(crate::words::combo_words(&rig, &rig.combos[1]), asked);
}

/// Why the steps of a combo cannot be asked of one device.
#[rstest]
#[case::a_key_beside_a_button("press south, press keys/KeyA", "not \"keys/KeyA\"")]
#[case::of_one_device_already("press pad2/south, press pad2/east", "not \"pad2/south\"")]
#[case::an_action("press south, press action/horn", "not an action")]
#[case::what_ends_it("press south, press east unless action/horn", "not an action")]
fn one_device_has_buttons_of_one_kind(#[case] steps: &str, #[case] said: &str) {
    let text = format!(
        "rig = 1\n[action.horn]\ngives = \"on\"\nfrom = \"pad/south\"\n\
         [combo.c]\nsteps = \"{steps}\"\none-device = true\n"
    );
    let problems = parse("t", &text).unwrap_err().problems;
    assert_eq!((problems.len(), problems[0].line), (1, 7));
    assert!(problems[0].expected.ends_with(said), "{}", problems[0].expected);
}

/// The step of a combo, and where and what is said of it.
#[rstest]
#[case::unknown_verb("pres south", "6:9: found `pres`", "did you mean \"press\"")]
#[case::unknown_button("press sowth", "6:15: found `sowth`", "did you mean \"south\"")]
#[case::unknown_action("press action/hron", "6:15", "did you mean \"horn\"")]
#[case::nothing("", "6:9: found nothing", "")]
#[case::an_empty_step("press south,", "6:21: found nothing", "a step, such as")]
#[case::no_name("press", "6:13: found the end of the step", "a name")]
#[case::no_time("press south, press east within", "", "a time, such as")]
#[case::no_unit("press south, press east within 200", "6:40: found `200`", "a unit after")]
#[case::unknown_unit("press south, press east within 200 mss", "6:44", "did you mean \"ms\"")]
#[case::a_window_of_zero("press south, press east within 0 ms", "6:40: found `0`", "from 1 to")]
#[case::half_a_tick("press south, press east within 0.5 ticks", "6:40", "whole number")]
#[case::stray_word("press south east", "6:21: found `east`", "a comma, or after")]
#[case::hold_without_time("hold south", "6:9: found a step without it", "`for` and a time")]
#[case::a_chord_of_one("together south", "6:9: found a chord of one", "joined by `and`")]
#[case::a_chord_with_itself("together south and south", "", "different names")]
#[case::a_limit_on_the_first("press south within 90 ms", "", "no step before it")]
#[case::a_limit_on_a_first_do("do d within 90 ms", "", "no step before it")]
#[case::no_exact_do("do d exactly 2 times", "", "a comma, or after")]
#[case::once("press south 1 times", "6:21: found a count", "from 2 to 12")]
#[case::no_times("press south exactly 2", "6:29: found a count", "and `times`")]
#[case::exactly_later("press east, press south exactly 2 times", "", "as the first step")]
#[case::too_many("tap south 12 times, tap east 12 times", "", "at most 24")]
#[case::quiet_alone("quiet for 90 ms", "", "a step beside it")]
#[case::quiet_within("press south, quiet for 90 ms, press east", "", "a step beside it")]
#[case::quiet_before_a_chord("quiet for 90 ms, together south and east", "", "before a press")]
#[case::the_same_twice("press south or south", "", "different names")]
#[case::beyond_the_default("press south, press east after 600 ms", "", "`within` beside it")]
#[case::never("press south, press east after 300 ms within 200 ms", "", "can never be met")]
#[case::buffered_alone("press south, press east buffered 20 ms", "", "beside `after`")]
#[case::itself("press south, do c", "6:25: found `c`, which contains itself", "")]
#[case::unknown_combo("do cc", "6:12: found `cc`", "did you mean \"c\"")]
#[case::a_direction_without_stick("push left", "6:14: found `left`", "`stick = …`")]
fn mistakes_in_combos_have_their_place(
    #[case] steps: &str,
    #[case] found: &str,
    #[case] said: &str,
) {
    let text = format!(
        "rig = 1\n[action.horn]\ngives = \"on\"\nfrom = \"pad/north\"\n[combo.c]\nsteps =\"{steps}\"\n[combo.d]\nsteps = \"press west\"\n"
    );
    let error = parse("t", &text).unwrap_err();
    let all: Vec<String> = error.problems.iter().map(ToString::to_string).collect();
    assert!(all[0].contains(found) && all[0].contains(said), "{all:?}");
}

#[test]
fn all_mistakes_of_a_combo_are_said_at_once() {
    let text = "rig = 1\n[combo.c]\nsteps = [\"pres south\", \"press sowth\", \"press east within 3\"]\nwaits-for = \"d\"\n";
    assert_eq!(parse("t", text).unwrap_err().problems.len(), 4);
}

#[test]
fn combos_that_wait_in_a_circle_are_refused() {
    let text = "rig = 1\n[combo.c]\nsteps = \"press south\"\nwaits-for = \"d\"\n[combo.d]\nsteps = \"press east\"\nwaits-for = \"c\"\n";
    let error = parse("t", text).unwrap_err();
    assert!(error.to_string().contains("waits for itself"), "{error}");
}
