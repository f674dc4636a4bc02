//! The main device: who it is, what it drives, and that it may be nobody.

mod common;

use common::*;
use gtrig_analysis::*;
use gtrig_core::*;
use gtrig_formats::words::explain_action;
use proptest::prelude::*;
use rstest::rstest;

/// Two pads and the keys; only the main one drives the horn and the slew.
fn desk(rule: MainRule, among: &[DeviceKind]) -> Desk {
    let mut rig = rig(vec![
        action("horn", Gives::On, vec![button("pad/south"), button("keys/KeyW")]),
        action("slew", Gives::Plane, vec![stick("pad/stick-l", 0.0), cross(BothHeld::Last)]),
    ]);
    rig.actions.iter_mut().for_each(|action| action.main_only = true);
    rig.main = MainRules { rule, among: among.to_vec(), ..MainRules::default() };
    Desk::new(rig)
}

fn main_label(desk: &Desk) -> String {
    let main = desk.session.now().main();
    main.map_or("nobody".into(), |id| desk.session.roster().device(id).label().to_string())
}

const PADS: &[DeviceKind] = &[DeviceKind::Pad];
const ALL: &[DeviceKind] = &[DeviceKind::Pad, DeviceKind::Keys, DeviceKind::Mouse];

/// What is done at 20 ms, and who is the main device at 33 ms.
#[rstest]
#[case::nothing_used(MainRule::LastUsed, PADS, &[], "pad·1")]
#[case::a_press(MainRule::LastUsed, PADS, &[("pad2/south", 1)], "pad·2")]
#[case::first_does_not_mind(MainRule::First, PADS, &[("pad2/south", 1)], "pad·1")]
#[case::noise(MainRule::LastUsed, PADS, &[("pad2/stick-l-x", 49)], "pad·1")]
#[case::as_far(MainRule::LastUsed, PADS, &[("pad2/stick-l-x", 50)], "pad·2")]
#[case::moved(MainRule::LastUsed, PADS, &[("pad2/stick-l-x", -51)], "pad·2")]
#[case::pulled(MainRule::LastUsed, PADS, &[("pad2/trigger-r", 60)], "pad·2")]
#[case::keys_do_not_count(MainRule::LastUsed, PADS, &[("keys/KeyW", 1)], "pad·1")]
#[case::keys_count(MainRule::LastUsed, ALL, &[("keys/KeyW", 1)], "keys")]
fn who_is_it(
    #[case] rule: MainRule,
    #[case] among: &[DeviceKind],
    #[case] done: &[(&str, i32)],
    #[case] expected: &str,
) {
    let mut desk = desk(rule, among);
    for &(control, value) in done {
        desk.set(20.0, control, value);
    }
    desk.run_to(2);
    assert_eq!(main_label(&desk), expected);
}

#[test]
fn a_stick_that_is_held_takes_nothing_from_whoever_acts_since() {
    let mut desk = desk(MainRule::LastUsed, PADS);
    desk.set(10.0, "pad1/stick-l-x", 80);
    desk.set(20.0, "pad2/south", 1);
    // It trembles where it is held, and then is pushed anew.
    desk.set(30.0, "pad1/stick-l-x", 79);
    desk.set(31.0, "pad1/stick-l-x", 82);
    desk.run_to(2);
    assert_eq!(main_label(&desk), "pad·2");
    desk.set(40.0, "pad1/stick-l-x", 0);
    desk.set(45.0, "pad1/stick-l-x", 70);
    desk.run_to(3);
    assert_eq!(main_label(&desk), "pad·1");
}

/// Counts of two mice in one tick, and whose are the last of at least four in a report.
#[rstest]
#[case::each_report_counts(&[(1, 9), (2, 4), (1, 4)], 1)]
#[case::few_do_not_add_up(&[(2, 4), (1, 3), (1, 3)], 2)]
#[case::to_the_left(&[(2, 4), (1, -4)], 1)]
fn a_report_counts_by_itself(#[case] said: &[(u8, i32)], #[case] main: u8) {
    let mut desk = desk(MainRule::LastUsed, ALL);
    for identity in ["one", "other"] {
        let counts = ControlInfo::new("x", ControlKind::Relative);
        let info = DeviceInfo {
            identity: identity.into(),
            kind: DeviceKind::Mouse,
            controls: [counts].into(),
            ..keys()
        };
        desk.session.plug(info, Nanos(0)).unwrap();
    }
    for (&(mouse, counts), ms) in said.iter().zip(20u8..) {
        desk.set(f64::from(ms), &format!("mouse{mouse}/x"), counts);
    }
    desk.run_to(2);
    let number = main.to_string();
    let label = main_label(&desk);
    assert_eq!(label.strip_prefix("mouse·").unwrap_or("1"), number, "{label}");
}

#[test]
fn it_falls_back_to_the_one_used_before_and_to_nobody_and_nothing_breaks() {
    let mut desk = desk(MainRule::LastUsed, ALL);
    desk.set(10.0, "keys/KeyW", 1);
    desk.set(30.0, "pad2/south", 1);
    desk.run_to(2);
    assert_eq!((main_label(&desk), desk.action(0).is_active()), ("pad·2".into(), true));
    let [first, second, keys] = desk.devices;
    desk.session.unplug(second, Nanos::from_millis(40));
    desk.run_to(3);
    // The key is still held, and its device is the main one again.
    assert_eq!(main_label(&desk), "keys");
    assert!(desk.action(0).is_active() && desk.action(1).is_active());
    for (device, ms) in [(keys, 60), (first, 70)] {
        desk.session.unplug(device, Nanos::from_millis(ms));
    }
    desk.run_to(6);
    assert_eq!(main_label(&desk), "nobody");
    assert!(!desk.action(0).is_active() && !desk.action(1).is_active());
    desk.session.plug(pad("b"), Nanos::from_millis(120)).unwrap();
    desk.run_to(8);
    assert_eq!(main_label(&desk), "pad·2");
}

#[test]
fn a_hand_over_stops_what_the_other_still_holds_and_acts_in_the_same_tick() {
    let mut desk = desk(MainRule::LastUsed, PADS);
    desk.set(10.0, "pad1/stick-l-x", 80);
    desk.run_to(1);
    assert!(desk.action(1).x > 0.7);
    desk.set(20.0, "pad2/south", 1);
    desk.run_to(2);
    assert_eq!(desk.action(1), ActionState::IDLE);
    assert_eq!(desk.action(0).driver, Some(desk.control("pad2/south")));
    let why = explain_action(&desk.session, desk.session.now(), ActionId(1));
    assert_eq!(
        why,
        "slew is (+0.000, +0.000): only the main device drives it, which is pad·2, and none of its inputs is active."
    );
}

#[test]
fn plugging_a_hundred_times_a_second_leaves_nothing_behind() {
    let mut desk = desk(MainRule::First, PADS);
    let pad_b = desk.devices[1];
    for n in 0..3_000 {
        let at = |half: u64| Nanos::from_millis(n * 10 + half);
        desk.session.unplug(pad_b, at(0));
        assert_eq!(desk.session.plug(pad("b"), at(5)).unwrap(), pad_b);
        desk.set((n * 10 + 6) as f64, "pad2/south", 1);
        desk.session.run_before(at(9));
    }
    desk.session.unplug(pad_b, Nanos::from_millis(30_000));
    desk.run_to(1_900);
    assert_eq!(desk.session.roster().devices().len(), 3);
    assert!(!desk.session.now().control(desk.control("pad2/south")).is_down(), "stuck");
}

proptest! {
    /// A recording that begins in the middle knows who was used last.
    #[test]
    fn half_a_recording_knows_the_main_device(uses in prop::collection::vec(0usize..3, 1..40)) {
        let controls = ["pad1/south", "pad2/south", "keys/KeyW"];
        let mut rig = rig(vec![action("horn", Gives::On, vec![button("pad/south")])]);
        rig.main = MainRules { rule: MainRule::LastUsed, among: ALL.to_vec(), ..MainRules::default() };
        let mut desk = Desk::with_capacity(rig.clone(), Capacity { events: 1, changes: 1 });
        for (n, &used) in (1u32..).zip(&uses) {
            desk.set(f64::from(n) * 40.0, controls[used], 1);
            desk.set(f64::from(n) * 40.0 + 20.0, controls[used], 0);
        }
        // Long enough that the uses are forgotten.
        for ms in 2_000..60_000 {
            desk.set(f64::from(ms), "pad1/stick-l-x", ms % 40);
        }
        desk.run_to(3_600);
        let recording = desk.session.recording();
        prop_assert!(recording.begins_at > Nanos::from_millis(1_700));
        let mut again = Desk::new(rig);
        // The desk has plugged its devices already.
        for event in recording.events().filter(|e| e.time >= recording.begins_at) {
            again.session.report(event);
        }
        again.run_to(3_600);
        prop_assert_eq!(again.session.now().main(), desk.session.now().main());
    }
}
