//! What the names of combos are: when they go on and off, and what counts as a press of a hand.

mod common;

use common::{glass, keys, pad};
use gtrig_analysis::*;
use gtrig_core::*;
use rstest::rstest;

/// A millisecond, a control of a device, and what it says: `again` for an auto-repeat, `carried`
/// for what was so when the recording began.
type Report = (u64, &'static str, &'static str, i32);
const DEVICES: [&str; 4] = ["a", "b", "keys", "glass"];

/// From when to when each combo was met, in milliseconds, with two pads, keys and a panel.
fn met(combos: &str, rest: &str, reports: &[Report]) -> Vec<(f64, f64)> {
    let text = format!("rig = 1\n[sampling]\npoll-hz = 60\n{combos}\n{rest}");
    let rig = gtrig_formats::rig::parse("names", &text).unwrap();
    let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
    let devices =
        [pad("a"), pad("b"), keys(), glass()].map(|info| session.plug(info, Nanos(0)).unwrap());
    for &(at_ms, device, code, value) in reports {
        let place = DEVICES.iter().position(|name| *name == device).unwrap();
        let (code, marks) = match code.split_once(' ') {
            Some((code, "again")) => (code, Marks::REPEAT),
            Some((code, _)) => (code, Marks::CARRIED),
            None => (code, Marks::empty()),
        };
        let control = session.roster().device(devices[place]).control(code).unwrap();
        session.report(Event { marks, ..Event::new(Nanos::from_millis(at_ms), control, value) });
    }
    session.run_before(Nanos::from_millis(9000));
    let ms = |at: Nanos| at.0 as f64 / 1e6;
    let news = session.history().combo_news().iter();
    news.map(|news| (ms(news.began.time), ms(news.met.time))).collect()
}

/// Polls are at 100, 116.7, 133.3 ... ms.
#[rstest]
#[case::both_pressed_between_two_polls(&[
    (102, "b", "south", 1), (108, "a", "south", 1), (200, "a", "east", 1)], (102.0, 200.0))]
#[case::both_let_go_between_two_polls(&[
    (52, "a", "south", 1), (152, "a", "south", 0), (200, "a", "east", 1)], (52.0, 200.0))]
#[case::one_after_the_other(&[
    (52, "a", "south", 1), (80, "b", "south", 1), (110, "a", "south", 0), (200, "a", "east", 1)],
    (52.0, 200.0))]
fn a_name_of_two_pads_goes_on_with_the_first(
    #[case] reports: &[Report],
    #[case] asked: (f64, f64),
) {
    let combo = "[combo.it]\nsteps = \"press south, press east\"";
    assert_eq!(met(combo, "", reports), [asked]);
}

#[rstest]
#[case::of_the_first(&[(102, "a", "south", 0), (109, "b", "south", 0)])]
#[case::of_the_second(&[(102, "b", "south", 0), (109, "a", "south", 0)])]
fn a_name_of_two_pads_goes_off_with_the_last(#[case] lifts: &[Report]) {
    let combo = "[combo.it]\nsteps = \"press south, release south\"";
    let reports = [&[(52, "a", "south", 1), (80, "b", "south", 1)], lifts].concat();
    assert_eq!(met(combo, "", &reports), [(52.0, 109.0)]);
}

/// Two names in another order are the same names: each press is too short, though from the first
/// press to the second release it is long enough.
#[rstest]
#[case("release south or keys/KeyW")]
#[case("release keys/KeyW or south")]
fn a_release_is_that_of_the_press_before(#[case] release: &str) {
    let press = "press south or keys/KeyW";
    let combo = format!("[combo.it]\nsteps = [\"{press}\", \"{release} after 60 ms\"]");
    let reports = [
        (52, "keys", "KeyW", 1),
        (80, "keys", "KeyW", 0),
        (100, "a", "south", 1),
        (150, "a", "south", 0),
    ];
    assert_eq!(met(&combo, "", &reports), []);
}

const PLATE: &str = "[zone.plate]\nrect = [0, 0, 0.5, 1]\n[gesture.tap]\nkind = \"tap\"\n\
                     [action.horn]\ngives = \"on\"\nfrom = \"pad/south\"";

/// What is no control itself moves when what drives it was reported, not at the poll that sees it.
#[rstest]
#[case::a_zone("zone/plate", ("glass", "contact-1"))]
#[case::an_action("action/horn", ("a", "south"))]
fn a_name_goes_on_and_off_when_it_was_reported(
    #[case] name: &str,
    #[case] (device, code): (&'static str, &'static str),
) {
    let combo = format!("[combo.it]\nsteps = \"press {name}, release {name}\"");
    let reports = [(52, device, code, 1), (152, device, code, 0)];
    assert_eq!(met(&combo, PLATE, &reports), [(52.0, 152.0)]);
}

/// While the finger is there another key may be pressed: that disturbs the combo.
#[rstest]
#[case::a_zone("press zone/plate", false, true)]
#[case::a_gesture("make gesture/tap", false, true)]
#[case::neither("press keys/KeyA", false, true)]
#[case::another_key("press keys/KeyA", true, false)]
fn a_finger_disturbs_no_strict_combo(
    #[case] step: &str,
    #[case] is_disturbed: bool,
    #[case] fires: bool,
) {
    let combo = format!("[combo.it]\nstrict = true\nsteps = [\"press keys/KeyW\", \"{step}\"]");
    // The finger lands beside the zone for the gesture, that no zone takes it.
    let x = if step.contains("zone") { 100 } else { 900 };
    let reports = [
        (52, "keys", "KeyW", 1),
        (90, "glass", "contact-1-x", x),
        (91, "glass", "contact-1", 1),
        (150, "glass", "contact-1", 0),
        (180, "keys", "KeyS", i32::from(is_disturbed)),
        (200, "keys", "KeyA", 1),
    ];
    assert_eq!(met(&combo, PLATE, &reports).len(), usize::from(fires));
}

/// What was down when the recording began was pressed by no hand, by whatever name.
#[rstest]
#[case::a_zone("zone/plate", ("glass", "contact-1"), "contact-1 carried")]
#[case::an_action("action/horn", ("a", "south"), "south carried")]
#[case::a_button("pad1/south", ("a", "south"), "south carried")]
fn what_was_carried_over_is_no_press_of_what_it_drives(
    #[case] name: &str,
    #[case] (device, code): (&'static str, &'static str),
    #[case] carried: &'static str,
) {
    let combo = format!("[combo.it]\nsteps = \"press {name}, press keys/KeyW\"");
    let (carried, key) = ((1, device, carried, 1), (200, "keys", "KeyW", 1));
    assert_eq!(met(&combo, PLATE, &[carried, key]), []);
    // Let go and pressed again, it is.
    let again = [carried, (50, device, code, 0), (90, device, code, 1), key];
    assert_eq!(met(&combo, PLATE, &again), [(90.0, 200.0)]);
}

/// A rig may let auto-repeat count for pulses; combos are about what hands do.
#[test]
fn auto_repeat_is_no_press_of_an_action_either() {
    let combo = "[combo.it]\nsteps = \"press action/brake 2 times\"";
    let rest = "[[edge]]\nof = \"keys\"\nrepeats = \"press\"\n\
                [action.brake]\ngives = \"pulse\"\nfrom = \"keys/KeyW\"";
    let held =
        [(52, "keys", "KeyW", 1), (152, "keys", "KeyW again", 1), (252, "keys", "KeyW again", 1)];
    assert_eq!(met(combo, rest, &held), []);
    let tapped = [(52, "keys", "KeyW", 1), (90, "keys", "KeyW", 0), (152, "keys", "KeyW", 1)];
    assert_eq!(met(combo, rest, &tapped), [(52.0, 152.0)]);
}
