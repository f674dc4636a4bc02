//! Shapes, gates, toggles, sums and pointers, as a run has them.

mod common;

use common::*;
use gtrig_core::*;
use gtrig_formats::words::explain_action;
use rstest::rstest;

fn axis(text: &str, stages: Vec<Stage>) -> InputSpec {
    let shape = ShapeUse::Own(Shape { travel: [None; 2], stages });
    InputSpec::Axis { control: reference(text), shape }
}

/// A desk whose only action this is.
fn desk_of(gives: Gives, inputs: Vec<InputSpec>, change: impl Fn(&mut ActionSpec)) -> Desk {
    let mut spec = action("a", gives, inputs);
    change(&mut spec);
    Desk::new(rig(vec![spec]))
}

#[test]
fn a_calibrated_stick_reaches_its_ends_on_both_sides() {
    let travel = [Some(Travel { min: -80, centre: 4, max: 90 }), None];
    let shape = ShapeUse::Own(Shape { travel, stages: Vec::new() });
    let input = InputSpec::Axis { control: reference("pad1/stick-l-x"), shape };
    let mut desk = desk_of(Gives::Axis, vec![input], |_| {});
    for (ms, raw, value) in [(10.0, -80, -1.0), (30.0, 4, 0.0), (50.0, 90, 1.0), (70.0, 47, 0.5)] {
        desk.set(ms, "pad1/stick-l-x", raw);
        desk.session.run_before(Nanos::from_millis(ms as u64 + 17));
        assert_eq!(desk.action(0).x, value, "{raw}");
    }
}

#[test]
fn a_smoothed_stick_moves_on_without_events_and_then_rests() {
    let stages = vec![Stage::Smooth(Smooth::HalfLife(0.05))];
    let mut desk = desk_of(Gives::Axis, vec![axis("pad1/stick-l-x", stages)], |_| {});
    desk.set(10.0, "pad1/stick-l-x", 100);
    desk.run_to(4);
    // Ticks 1 to 4: four periods of a sixtieth of a second.
    let expected = 1.0 - 0.5f32.powf(4.0 / 60.0 / 0.05);
    assert!((desk.action(0).x - expected).abs() < 1e-4, "{}", desk.action(0).x);
    desk.run_to(200);
    assert_eq!(desk.action(0).x, 1.0);
    assert!(desk.session.now().is_settled());
}

#[test]
fn the_stages_can_be_looked_at_one_by_one() {
    let stages = vec![
        Stage::Invert { x: false, y: true },
        Stage::DeadZone(DeadZone::radius(0.2)),
        Stage::Smooth(Smooth::HalfLife(1.0 / 60.0)),
    ];
    let mut desk = desk_of(Gives::Plane, vec![shaped_stick("pad1/stick-l", stages)], |_| {});
    desk.set(10.0, "pad1/stick-l-y", -60);
    desk.run_to(1);
    let plan = desk.session.plan();
    let values = desk.session.now().stages(plan, plan.inputs(ActionId(0))[0]);
    let ys: Vec<f32> = values.iter().map(|v| v[1]).collect();
    for (y, expected) in ys.iter().zip([-0.6, 0.6, 0.5, 0.25]) {
        assert!((y - expected).abs() < 1e-5, "{ys:?}");
    }
    assert_eq!(desk.action(0).y, ys[3]);
}

#[rstest]
#[case::strongest(Combine::Strongest, 0.6)]
#[case::summed(Combine::Sum, 0.3)]
fn several_inputs_come_to_one_value(#[case] combine: Combine, #[case] x: f32) {
    let inputs = vec![axis("pad1/stick-l-x", Vec::new()), axis("pad2/stick-l-x", Vec::new())];
    let mut desk = desk_of(Gives::Axis, inputs, |action| action.combine = combine);
    desk.set(5.0, "pad1/stick-l-x", -30);
    desk.set(6.0, "pad2/stick-l-x", 60);
    desk.run_to(1);
    assert!((desk.action(0).x - x).abs() < 1e-6, "{:?}", desk.action(0));
    assert_eq!(desk.action(0).driver, Some(desk.control("pad2/stick-l-x")));
}

#[test]
fn a_sum_is_held_at_its_end() {
    let inputs = vec![axis("pad1/stick-l-x", Vec::new()), axis("pad2/stick-l-x", Vec::new())];
    let mut desk = desk_of(Gives::Axis, inputs, |action| action.combine = Combine::Sum);
    desk.set(5.0, "pad1/stick-l-x", 80);
    desk.set(6.0, "pad2/stick-l-x", 60);
    desk.run_to(1);
    assert_eq!(desk.action(0).x, 1.0);
}

#[test]
fn polar_is_angle_and_length() {
    let mut desk = desk_of(Gives::Polar, vec![stick("pad1/stick-l", 0.0)], |_| {});
    desk.set(5.0, "pad1/stick-l-x", -50);
    desk.set(6.0, "pad1/stick-l-y", -50);
    desk.run_to(1);
    let ActionState { x: angle, y: length, .. } = desk.action(0);
    assert!(
        (angle - 135.0).abs() < 1e-3 && (length - std::f32::consts::FRAC_1_SQRT_2).abs() < 1e-4,
        "{angle} {length}"
    );
}

/// An injected value leaks its offset into nothing when its source is gone.
#[test]
fn an_offset_counts_only_while_its_device_is_there() {
    let stages = vec![Stage::Scale([2.0, 1.0]), Stage::Offset([0.25, 0.0])];
    let mut desk = desk_of(Gives::Axis, vec![axis("other1/tilt", stages)], |_| {});
    assert_eq!(desk.action(0), ActionState::IDLE);
    let tilt = ControlInfo::new("tilt", ControlKind::Axis { min: -100, centre: 0, max: 100 });
    let info = DeviceInfo {
        identity: "tilt".into(),
        kind: DeviceKind::Other,
        name: CleanText::new("Tilt of the cab"),
        bus: CleanText::default(),
        slot: None,
        controls: vec![tilt],
    };
    // The pads have slots 1 and 2: what is injected does not compete with them.
    let mut rig = desk.session.rig().clone();
    rig.actions[0].inputs = vec![axis("other1/tilt", vec![Stage::Offset([0.25, 0.0])])];
    desk = Desk::new(rig);
    let device = desk.session.plug(info, Nanos::from_millis(5)).unwrap();
    desk.set(10.0, "other1/tilt", 50);
    desk.run_to(1);
    assert_eq!(desk.action(0).x, 0.75);
    desk.session.unplug(device, Nanos::from_millis(20));
    desk.run_to(2);
    assert_eq!(desk.action(0), ActionState::IDLE);
}

#[test]
fn a_pointer_is_summed_and_held_in_the_circle() {
    let shape = ShapeUse::Own(Shape::default());
    let pointer = InputSpec::Pointer { pointer: reference("mouse/x"), counts: 100.0, shape };
    let mut desk = desk_of(Gives::Plane, vec![pointer], |_| {});
    let controls = ["x", "y"].map(|code| ControlInfo::new(code, ControlKind::Relative));
    let info = DeviceInfo { kind: DeviceKind::Mouse, controls: controls.to_vec(), ..pad("m") };
    let mouse = desk.session.plug(info, Nanos(1)).unwrap();
    for (ms, control, counts) in [
        (5.0, "mouse/x", 30),
        (20.0, "mouse/x", 20),
        (21.0, "mouse/y", -50),
        (60.0, "mouse/x", 900),
    ] {
        desk.set(ms, control, counts);
    }
    desk.run_to(2);
    let ActionState { x, y, .. } = desk.action(0);
    assert!((x - 0.5).abs() < 1e-6 && (y - 0.5).abs() < 1e-6, "{x} {y}");
    // No count, no motion: it stays where it is.
    desk.run_to(3);
    assert_eq!((desk.action(0).x, desk.action(0).y), (x, y));
    desk.run_to(5);
    let ActionState { x, y, .. } = desk.action(0);
    assert!((length([x, y]) - 1.0).abs() < 1e-6 && x > 0.99, "{x} {y}");
    desk.session.unplug(mouse, Nanos::from_millis(90));
    desk.run_to(6);
    assert_eq!(desk.action(0), ActionState::IDLE);
}

/// A horn that is closed while the menu is open; the menu opens and closes with
/// east, and so does the horn sound.
fn menu_and_horn() -> Desk {
    let mut actions = vec![
        action("menu", Gives::Toggle, vec![button("pad1/east")]),
        action("horn", Gives::On, vec![button("pad1/south"), button("pad1/east")]),
        action("slew", Gives::Plane, vec![stick("pad1/stick-l", 0.0)]),
    ];
    actions[1].closed_while = vec![ActionId(0)];
    actions[2].closed_while = vec![ActionId(0)];
    Desk::new(rig(actions))
}

#[test]
fn a_toggle_turns_over_with_each_press() {
    let mut desk = menu_and_horn();
    let mut seen = Vec::new();
    for (tick, value) in (1..).zip([1, 1, 0, 1, 0, 0, 1]) {
        desk.set(f64::from(tick) * 16.0, "pad1/east", value);
        desk.run_to(tick);
        seen.push(desk.action(0).is_active());
    }
    assert_eq!(seen, [true, true, true, false, false, false, true]);
}

#[test]
fn a_gate_releases_and_what_was_held_waits_for_a_new_press() {
    let mut desk = menu_and_horn();
    let horn = |desk: &Desk| desk.action(1).is_active();
    desk.set(10.0, "pad1/south", 1);
    desk.set(11.0, "pad1/stick-l-x", 80);
    desk.run_to(1);
    assert!(horn(&desk) && desk.action(2).is_active());
    // East opens the menu: everything is let go in the same tick.
    desk.set(20.0, "pad1/east", 1);
    desk.run_to(2);
    assert!(!horn(&desk) && !desk.action(2).is_active());
    let why = explain_action(&desk.session, desk.session.now(), ActionId(1));
    assert_eq!(why, "horn is off: it is closed while menu is on.");
    desk.set(36.0, "pad1/east", 0);
    // East closes the menu again: it must not sound the horn, nor may south,
    // which has been held all the time; the stick goes on at once.
    desk.set(52.0, "pad1/east", 1);
    desk.run_to(4);
    assert!(!horn(&desk) && desk.action(2).is_active());
    let why = explain_action(&desk.session, desk.session.now(), ActionId(1));
    assert!(why.contains("waits for what is still held"), "{why}");
    desk.set(70.0, "pad1/east", 0);
    desk.set(71.0, "pad1/south", 0);
    desk.run_to(5);
    desk.set(90.0, "pad1/south", 1);
    desk.run_to(6);
    assert!(horn(&desk));
}

/// Two buttons, a trigger, keys as an axis and a cross that a menu closes.
fn behind_a_menu() -> Desk {
    let behind = |name, gives, inputs| ActionSpec {
        closed_while: vec![ActionId(0)],
        ..action(name, gives, inputs)
    };
    Desk::new(rig(vec![
        action("menu", Gives::On, vec![button("pad2/south")]),
        behind("horn", Gives::On, vec![button("pad1/south"), button("pad1/trigger-r")]),
        behind("walk", Gives::Axis, vec![pair("keys/KeyA", "keys/KeyD", BothHeld::Last)]),
        behind("crane", Gives::Plane, vec![cross(BothHeld::Last)]),
        behind("lamp", Gives::Toggle, vec![button("pad1/south"), button("pad1/trigger-r")]),
    ]))
}

/// What is held as an action opens counts no more; what is pressed since does,
/// whatever else is still held.
#[rstest]
#[case::a_button_then_a_trigger(&["pad1/south"], "pad1/trigger-r", 60)]
#[case::a_trigger_then_a_button(&["pad1/trigger-r"], "pad1/south", 1)]
fn a_fresh_press_counts_beside_what_is_held(
    #[case] held: &[&str],
    #[case] fresh: &str,
    #[case] value: i32,
) {
    let mut desk = behind_a_menu();
    let horn = |desk: &Desk| (desk.action(1).is_active(), desk.action(4).is_active());
    desk.set(5.0, "pad2/south", 1);
    desk.run_to(1);
    held.iter().for_each(|control| desk.set(20.0, control, 60));
    desk.run_to(3);
    desk.set(55.0, "pad2/south", 0);
    desk.run_to(5);
    assert_eq!(horn(&desk), (false, false));
    let why = explain_action(&desk.session, desk.session.now(), ActionId(1));
    assert!(why.contains("waits for what is still held from before"), "{why}");
    desk.set(90.0, fresh, value);
    desk.run_to(6);
    assert_eq!(horn(&desk), (true, true));
    desk.set(110.0, fresh, 0);
    desk.run_to(7);
    assert_eq!(horn(&desk), (false, true));
    // Let go and pressed again, the other one counts, too.
    held.iter().for_each(|control| desk.set(120.0, control, 0));
    desk.run_to(8);
    held.iter().for_each(|control| desk.set(140.0, control, 60));
    desk.run_to(9);
    assert_eq!(horn(&desk), (true, false));
}

#[test]
fn keys_of_pairs_and_crosses_must_be_pressed_again_each_by_itself() {
    let mut desk = behind_a_menu();
    let walk = |desk: &Desk| (desk.action(2).x, desk.action(3).x);
    desk.set(5.0, "keys/KeyA", 1);
    desk.run_to(1);
    assert_eq!(walk(&desk), (-1.0, -1.0));
    desk.set(20.0, "pad2/south", 1);
    desk.run_to(3);
    assert_eq!(walk(&desk), (0.0, 0.0));
    desk.set(55.0, "pad2/south", 0);
    desk.run_to(5);
    assert_eq!(walk(&desk), (0.0, 0.0));
    desk.set(90.0, "keys/KeyD", 1);
    desk.run_to(6);
    assert_eq!(walk(&desk), (1.0, 1.0));
    desk.set(110.0, "keys/KeyA", 0);
    desk.set(112.0, "keys/KeyA", 1);
    desk.set(113.0, "keys/KeyD", 0);
    desk.run_to(7);
    // A tap that no poll saw is a press all the same.
    assert_eq!(walk(&desk), (-1.0, -1.0));
}

/// A device that arrives gives inputs other numbers, and what is held stays held.
#[test]
fn what_is_held_waits_though_a_device_arrives() {
    let mut desk = behind_a_menu();
    desk.set(5.0, "pad2/south", 1);
    desk.set(6.0, "pad1/trigger-r", 90);
    desk.run_to(1);
    desk.set(20.0, "pad2/south", 0);
    desk.run_to(3);
    desk.session.plug(pad("c"), Nanos::from_millis(60)).unwrap();
    desk.set(61.0, "pad1/stick-l-x", 3);
    desk.run_to(6);
    assert!(!desk.action(1).is_active());
    desk.set(110.0, "pad1/trigger-r", 10);
    desk.run_to(7);
    desk.set(130.0, "pad1/trigger-r", 90);
    desk.run_to(8);
    assert!(desk.action(1).is_active());
}
