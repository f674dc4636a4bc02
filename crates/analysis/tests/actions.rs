//! What game code reads, by hand.

mod common;

use common::*;
use gtrig_analysis::*;
use gtrig_core::*;
use gtrig_formats::words::explain_action;
use rstest::rstest;

/// Sets everything before tick 1 and returns what the only action then is.
fn read(gives: Gives, inputs: Vec<InputSpec>, set: &[(&str, i32)]) -> (f32, f32, Option<String>) {
    let mut desk = Desk::new(rig(vec![action("a", gives, inputs)]));
    for (i, (control, value)) in set.iter().enumerate() {
        desk.set(1.0 + i as f64, control, *value);
    }
    desk.run_to(1);
    let state = desk.action(0);
    let by = state.driver.map(|by| desk.session.roster().address(by).to_string());
    (state.x, state.y, by)
}

#[rstest]
#[case(&[], 0.0, None)]
#[case(&[("pad1/south", 1)], 1.0, Some("pad1/south"))]
#[case(&[("pad2/south", 1)], 1.0, Some("pad2/south"))]
#[case::first_of_equals(&[("keys/KeyS", 1), ("pad2/south", 1)], 1.0, Some("pad2/south"))]
fn any_of_buttons(#[case] set: &[(&str, i32)], #[case] x: f32, #[case] by: Option<&str>) {
    let inputs = vec![button("pad/south"), button("keys/KeyS")];
    assert_eq!(read(Gives::On, inputs, set), (x, 0.0, by.map(str::to_owned)));
}

/// A key that was held while its action was closed must be let go first: its repeats do not count
/// either, where repeats are presses.
#[test]
fn what_was_held_meanwhile_presses_by_no_repeat() {
    let mut horn = action("horn", Gives::Pulse, vec![button("keys/KeyS")]);
    horn.closed_while = vec![ActionId(0)];
    let mut rig = rig(vec![action("menu", Gives::On, vec![button("keys/KeyW")]), horn]);
    let of = vec![Scope::Kind(DeviceKind::Keys)];
    rig.edges = vec![EdgeRule { of, repeats_press: Some(true), ..EdgeRule::default() }];
    let mut desk = Desk::new(rig);
    let mut says = |tick: u32, key: &str, value: i32, marks: Marks| {
        let (time, control) = (Nanos::from_millis(u64::from(tick) * 16 - 8), desk.control(key));
        desk.session.report(Event { time, value, control, marks });
        desk.run_to(tick);
        desk.action(1).is_active()
    };
    says(1, "keys/KeyW", 1, Marks::empty());
    assert!(!says(2, "keys/KeyS", 1, Marks::empty()));
    assert!(!says(3, "keys/KeyW", 0, Marks::empty()));
    assert!(!says(4, "keys/KeyS", 1, Marks::REPEAT));
    assert!(!says(5, "keys/KeyS", 0, Marks::empty()));
    assert!(says(6, "keys/KeyS", 1, Marks::empty()));
    assert!(says(7, "keys/KeyS", 1, Marks::REPEAT));
}

/// A control that is held beyond its threshold, where it counts as released only below rest or where
/// it has no rest at all: whether it is on while its device is deaf, and when that is heard again.
#[rstest]
#[case::to_its_rest("pad1/stick-l-x", 80, [false, false])]
#[case::where_it_was("glass/contact-1-x", 800, [false, true])]
fn nothing_is_held_that_cannot_be_heard(
    #[case] control: &str,
    #[case] raw: i32,
    #[case] asked: [bool; 2],
) {
    let thresholds = Thresholds { press_at: 0.5, release_at: 0.0 };
    let input = InputSpec::Button { control: reference(control), thresholds };
    let mut desk = Desk::new(rig(vec![action("horn", Gives::On, vec![input])]));
    desk.session.plug(glass(), Nanos(0)).unwrap();
    desk.set(1.0, control, raw);
    desk.run_to(1);
    assert!(desk.action(0).is_active());
    let device = desk.session.roster().control(desk.control(control)).device;
    for (presence, ms, tick, is_on) in
        [(Presence::Deaf, 20, 2, asked[0]), (Presence::Here, 40, 3, asked[1])]
    {
        desk.session.set_presence(device, presence, Nanos::from_millis(ms));
        desk.run_to(tick);
        assert_eq!(desk.action(0).is_active(), is_on, "{presence:?}");
    }
}

#[rstest]
#[case(49, 0.0)]
#[case(50, 1.0)]
#[case(100, 1.0)]
fn a_trigger_is_a_button_from_its_threshold_on(#[case] raw: i32, #[case] x: f32) {
    let inputs = vec![button("pad1/trigger-r")];
    assert_eq!(read(Gives::On, inputs, &[("pad1/trigger-r", raw)]).0, x);
}

#[test]
fn a_trigger_that_trembles_at_its_threshold_is_pressed_once() {
    let inputs = || vec![button("pad1/trigger-r")];
    let mut desk = Desk::new(rig(vec![
        action("held", Gives::On, inputs()),
        action("pulse", Gives::Pulse, inputs()),
    ]));
    let mut seen = Vec::new();
    for (tick, raw) in (1..).zip([49, 51, 49, 51, 31, 29, 49, 50]) {
        desk.set(f64::from(tick) * 16.0, "pad1/trigger-r", raw);
        desk.run_to(tick);
        seen.push((desk.action(0).is_active(), desk.action(1).is_active()));
    }
    let held: Vec<bool> = seen.iter().map(|s| s.0).collect();
    let pulses: Vec<bool> = seen.iter().map(|s| s.1).collect();
    assert_eq!(held, [false, true, true, true, true, false, false, true]);
    assert_eq!(pulses, [false, true, false, false, false, false, false, true]);
}

#[rstest]
#[case::neither(BothHeld::Last, &[], 0.0)]
#[case::left(BothHeld::Last, &[("keys/KeyA", 1)], -1.0)]
#[case::both_neutral(BothHeld::Neutral, &[("keys/KeyA", 1), ("keys/KeyD", 1)], 0.0)]
#[case::right_last(BothHeld::Last, &[("keys/KeyA", 1), ("keys/KeyD", 1)], 1.0)]
#[case::left_last(BothHeld::Last, &[("keys/KeyD", 1), ("keys/KeyA", 1)], -1.0)]
#[case::falls_back(BothHeld::Last, &[("keys/KeyA", 1), ("keys/KeyD", 1), ("keys/KeyD", 0)], -1.0)]
#[case::right_first(BothHeld::First, &[("keys/KeyD", 1), ("keys/KeyA", 1)], 1.0)]
#[case::falls_to_the_later(BothHeld::First, &[("keys/KeyD", 1), ("keys/KeyA", 1), ("keys/KeyD", 0)], -1.0)]
#[case::neutral_falls_back(BothHeld::Neutral, &[("keys/KeyA", 1), ("keys/KeyD", 1), ("keys/KeyA", 0)], 1.0)]
fn opposite_keys(#[case] both: BothHeld, #[case] set: &[(&str, i32)], #[case] x: f32) {
    assert_eq!(read(Gives::Axis, vec![pair("keys/KeyA", "keys/KeyD", both)], set).0, x);
}

/// A trigger or an axis holds its side from half its travel on. It is pressed by the poll, after
/// the buttons of that tick, and in the order of the devices.
#[rstest]
#[case::below_the_half("pad1/trigger-r", BothHeld::Last, &[("pad1/trigger-r", 49)], 0.0)]
#[case::from_the_half_on("pad1/trigger-r", BothHeld::Last, &[("pad1/trigger-r", 50)], -1.0)]
#[case::an_axis("pad1/stick-l-x", BothHeld::Last, &[("pad1/stick-l-x", 50)], -1.0)]
#[case::an_axis_the_other_way("pad1/stick-l-x", BothHeld::Last, &[("pad1/stick-l-x", -100)], 0.0)]
#[case::after_the_buttons("pad1/trigger-r", BothHeld::Last, &[("pad1/trigger-r", 80), ("keys/KeyD", 1)], -1.0)]
#[case::the_button_was_first("pad1/trigger-r", BothHeld::First, &[("pad1/trigger-r", 80), ("keys/KeyD", 1)], 1.0)]
fn a_travel_holds_its_side(
    #[case] travel: &str,
    #[case] both: BothHeld,
    #[case] set: &[(&str, i32)],
    #[case] x: f32,
) {
    assert_eq!(read(Gives::Axis, vec![pair(travel, "keys/KeyD", both)], set).0, x);
}

#[rstest]
#[case(BothHeld::Last, "pad2/trigger-r")]
#[case(BothHeld::First, "pad1/stick-l-x")]
fn of_travels_at_one_poll_the_first_one_is_first(#[case] both: BothHeld, #[case] by: &str) {
    let walk = pair("pad2/trigger-r", "pad1/stick-l-x", both);
    let set = [("pad2/trigger-r", 90), ("pad1/stick-l-x", 90)];
    let (x, _, driver) = read(Gives::Axis, vec![walk], &set);
    assert_eq!(driver.as_deref(), Some(by), "{x}");
}

/// Pulled before the key in an earlier tick, and again after it, or never let go.
#[rstest]
#[case::held(&[(10.0, 80)], 1.0)]
#[case::wavers_above_the_half(&[(10.0, 80), (45.0, 60)], 1.0)]
#[case::again(&[(10.0, 80), (45.0, 40), (60.0, 80)], -1.0)]
fn a_travel_is_pressed_anew_when_it_was_below_the_half(
    #[case] pulls: &[(f64, i32)],
    #[case] x: f32,
) {
    let inputs = vec![pair("pad1/trigger-r", "keys/KeyD", BothHeld::Last)];
    let mut desk = Desk::new(rig(vec![action("a", Gives::Axis, inputs)]));
    desk.set(20.0, "keys/KeyD", 1);
    for &(at, value) in pulls {
        desk.set(at, "pad1/trigger-r", value);
        desk.run_to((at / 1000.0 * 60.0).ceil() as u32);
    }
    desk.run_to(6);
    assert_eq!(desk.action(0).x, x);
}

/// A recording that begins later says first what nobody pressed, and then what holds sides and
/// buttons in the order in which they were pressed.
#[rstest]
#[case::it_holds_its_side(80, ["pad1/stick-l-x", "keys/KeyD", "pad1/trigger-r"])]
#[case::it_did(20, ["pad1/trigger-r", "pad1/stick-l-x", "keys/KeyD"])]
fn a_travel_is_carried_over_in_the_order_of_presses(#[case] raw: i32, #[case] order: [&str; 3]) {
    let inputs = vec![pair("pad1/trigger-r", "keys/KeyD", BothHeld::Last)];
    let mut desk = Desk::new(rig(vec![action("a", Gives::Axis, inputs)]));
    for (at, control, value) in [
        (10.0, "pad1/stick-l-x", 30),
        (20.0, "keys/KeyD", 1),
        (40.0, "pad1/trigger-r", 90),
        (60.0, "pad1/trigger-r", raw),
    ] {
        desk.set(at, control, value);
        desk.run_to((at / 1000.0 * 60.0).ceil() as u32);
    }
    let opening = desk.session.now().opening(desk.session.plan(), Nanos::from_millis(70));
    let roster = desk.session.roster();
    let carried = opening.iter().filter(|event| !roster.control(event.control).is_presence);
    let carried: Vec<_> = carried.map(|event| roster.address(event.control).to_string()).collect();
    assert_eq!(carried, order);
}

/// What is pulled while the action is closed must be let go first, and what is pulled when its
/// device falls silent is let go.
#[test]
fn a_travel_that_was_held_meanwhile_must_be_let_go() {
    let mut walk =
        action("walk", Gives::Axis, vec![pair("pad1/trigger-r", "keys/KeyD", BothHeld::Last)]);
    walk.closed_while = vec![ActionId(0)];
    let mut desk = Desk::new(rig(vec![action("menu", Gives::On, vec![button("keys/KeyW")]), walk]));
    let x_after = |desk: &mut Desk, at: f64, control: &str, value: i32| {
        desk.set(at, control, value);
        desk.run_to((at / 1000.0 * 60.0).ceil() as u32);
        desk.action(1).x
    };
    assert_eq!(x_after(&mut desk, 10.0, "keys/KeyW", 1), 0.0);
    assert_eq!(x_after(&mut desk, 30.0, "pad1/trigger-r", 90), 0.0);
    assert_eq!(x_after(&mut desk, 50.0, "keys/KeyW", 0), 0.0);
    assert_eq!(x_after(&mut desk, 70.0, "pad1/trigger-r", 70), 0.0);
    assert_eq!(x_after(&mut desk, 90.0, "pad1/trigger-r", 20), 0.0);
    assert_eq!(x_after(&mut desk, 110.0, "pad1/trigger-r", 55), -1.0);
    let pad = desk.session.roster().control(desk.control("pad1/south")).device;
    desk.session.set_presence(pad, Presence::Deaf, Nanos::from_millis(130));
    desk.run_to(8);
    assert_eq!(desk.action(1).x, 0.0);
}

/// A side of two keys was pressed when the first of those that are held was.
#[rstest]
#[case::first(BothHeld::First, &[("keys/KeyA", 1), ("keys/KeyD", 1), ("keys/KeyW", 1)], -1.0)]
#[case::first_of_its_keys_let_go(BothHeld::First, &[("keys/KeyA", 1), ("keys/KeyD", 1), ("keys/KeyW", 1), ("keys/KeyA", 0)], 1.0)]
#[case::last(BothHeld::Last, &[("keys/KeyA", 1), ("keys/KeyD", 1), ("keys/KeyW", 1)], -1.0)]
#[case::last_again(BothHeld::Last, &[("keys/KeyW", 1), ("keys/KeyA", 1), ("keys/KeyD", 1), ("keys/KeyA", 0)], 1.0)]
fn a_side_of_several_keys(#[case] both: BothHeld, #[case] set: &[(&str, i32)], #[case] x: f32) {
    let keys = vec![reference("keys/KeyA"), reference("keys/KeyW")];
    let negative = SideSpec { keys, zones: Vec::new() };
    let walk = InputSpec::Pair { negative, positive: held_by("keys/KeyD"), both };
    assert_eq!(read(Gives::Axis, vec![walk], set).0, x);
}

/// A toggle says what turned it on, and when, however long ago that was.
#[test]
fn why_names_what_made_it() {
    let signal = |code: &str| Signal::Control {
        control: reference(code),
        thresholds: Thresholds { press_at: 0.5, release_at: 0.5 },
    };
    let within = TimeSpan::millis(500);
    let step = |n: u16| ComboStep::new(StepKind::Press(vec![SignalId(n)]), within);
    let mut rig = rig(vec![action(
        "lamp",
        Gives::Toggle,
        vec![InputSpec::Combo(ComboId(0)), button("pad1/south")],
    )]);
    rig.signals = vec![signal("keys/KeyA"), signal("keys/KeyD")];
    rig.combos = vec![Combo::new("swing", vec![step(0), step(1)])];
    let mut desk = Desk::new(rig);
    for (ms, key, value) in
        [(20.0, "KeyA", 1), (60.0, "KeyA", 0), (100.0, "KeyD", 1), (150.0, "KeyD", 0)]
    {
        desk.set(ms, &format!("keys/{key}"), value);
    }
    desk.run_to(100);
    let why = explain_action(&desk.session, desk.session.now(), ActionId(0));
    assert_eq!(why, "lamp is on: combo swing, by keys KeyD, turned it on at tick 6 (100.00 ms).");
}

#[test]
fn a_diagonal_of_keys_is_no_faster() {
    let set = [("keys/KeyW", 1), ("keys/KeyD", 1)];
    let (x, y, _) = read(Gives::Plane, vec![cross(BothHeld::Neutral)], &set);
    assert!((length([x, y]) - 1.0).abs() < 1e-6, "{x} {y}");
    assert!(x > 0.7 && y > 0.7, "up and to the right: {x} {y}");
}

/// Brought to the length 1 a diagonal is a digit short of it: it is as strong as a full push.
#[rstest]
#[case::the_keys_come_first([cross(BothHeld::Neutral), stick("pad/stick-l", 0.2)], 0.70710677)]
#[case::the_stick_comes_first([stick("pad/stick-l", 0.2), cross(BothHeld::Neutral)], 1.0)]
fn of_equally_strong_inputs_the_first_counts(#[case] inputs: [InputSpec; 2], #[case] x: f32) {
    let set = [("keys/KeyW", 1), ("keys/KeyD", 1), ("pad1/stick-l-x", 100)];
    let (got, ..) = read(Gives::Plane, inputs.into(), &set);
    assert!((got - x).abs() < 1e-6, "{got}");
}

/// What a debounce held back counts when its time is over, before what is pressed later in
/// the same tick.
#[rstest]
#[case::pressed_after_it_counted(104.0, 1.0)]
#[case::pressed_before_it_counted(101.0, -1.0)]
fn of_two_keys_the_one_counts_that_counted_last(#[case] east: f64, #[case] x: f32) {
    let inputs = vec![pair("pad1/south", "pad1/east", BothHeld::Last)];
    let mut rig = rig(vec![action("a", Gives::Axis, inputs)]);
    let (of, debounce) =
        (vec![Scope::Control(reference("pad1/south"))], Some(Nanos::from_millis(40)));
    rig.edges = vec![EdgeRule { of, debounce, ..EdgeRule::default() }];
    let mut desk = Desk::new(rig);
    // The release at 62 ms counts, and holds back what comes until 102 ms.
    for (at, value) in [(10.0, 1), (62.0, 0), (70.0, 1)] {
        desk.set(at, "pad1/south", value);
    }
    desk.set(east, "pad1/east", 1);
    desk.run_to(6);
    assert_eq!(desk.action(0).x, 0.0, "at 100 ms");
    desk.run_to(7);
    assert_eq!(desk.action(0).x, x, "at 116.67 ms");
}

/// A button that was held when its action opened is not forgotten when that closes and opens
/// again, whatever its device says of it meanwhile.
#[rstest]
#[case::it_says_nothing(false)]
#[case::it_says_again_that_it_is_held(true)]
fn what_is_held_through_two_openings_must_be_let_go(#[case] says_it_again: bool) {
    let mut actions = vec![
        action("menu", Gives::Toggle, vec![button("pad/east")]),
        action("horn", Gives::On, vec![button("pad/south")]),
    ];
    actions[1].closed_while = vec![ActionId(0)];
    let mut desk = Desk::new(rig(actions));
    let mut sounds = Vec::new();
    // The menu opens, closes, opens and closes; the horn is pressed in it and held.
    let presses = [20.0, 120.0, 220.0, 320.0];
    for (n, at) in presses.into_iter().enumerate() {
        desk.set(at, "pad1/east", 1);
        desk.set(at + 40.0, "pad1/east", 0);
        if n == 0 {
            desk.set(at + 50.0, "pad1/south", 1);
        } else if says_it_again {
            desk.set(at + 60.0, "pad1/south", 1);
        }
    }
    desk.set(420.0, "pad1/south", 0);
    desk.set(440.0, "pad1/south", 1);
    for tick in 0..30 {
        desk.run_to(tick);
        if desk.action(1).is_active() {
            sounds.push(tick);
        }
    }
    assert_eq!(sounds.first(), Some(&27), "only the press at 440 ms sounds it: {sounds:?}");
}

#[rstest]
#[case::rest(&[], 0.0, 0.0)]
#[case::inside_the_dead_zone(&[("pad1/stick-l-x", 15)], 0.0, 0.0)]
#[case::rescaled(&[("pad1/stick-l-x", 60)], 0.5, 0.0)]
#[case::up_is_plus(&[("pad1/stick-l-y", -100)], 0.0, 1.0)]
#[case::corner_is_held_in_the_circle(&[("pad1/stick-l-x", 100), ("pad1/stick-l-y", -100)], 0.70710677, 0.70710677)]
#[case::strongest_pad_wins(&[("pad1/stick-l-x", 60), ("pad2/stick-l-x", -100)], -1.0, 0.0)]
fn sticks(#[case] set: &[(&str, i32)], #[case] x: f32, #[case] y: f32) {
    let (got_x, got_y, _) = read(Gives::Plane, vec![stick("pad/stick-l", 0.2)], set);
    assert!((got_x - x).abs() < 1e-6 && (got_y - y).abs() < 1e-6, "{got_x} {got_y}");
    assert!(got_y.is_sign_positive() || got_y < 0.0, "rest is 0, not -0");
}

#[test]
fn a_pulse_lasts_one_tick_and_fires_once_per_press() {
    let mut desk = Desk::new(rig(vec![action("a", Gives::Pulse, vec![button("pad/south")])]));
    desk.set(1.0, "pad1/south", 1);
    desk.set(120.0, "pad1/south", 0);
    desk.set(150.0, "pad1/south", 1);
    let on: Vec<u32> = (0..15)
        .filter(|&tick| {
            desk.run_to(tick);
            desk.action(0).is_active()
        })
        .collect();
    assert_eq!(on, [1, 9]);
}

#[test]
fn unplugging_releases_what_was_held_and_marks_it() {
    let mut desk = Desk::new(rig(vec![action("a", Gives::On, vec![button("pad/south")])]));
    desk.set(1.0, "pad1/south", 1);
    desk.run_to(2);
    assert!(desk.action(0).is_active());
    let south = desk.control("pad1/south");
    desk.session.unplug(desk.devices[0], Nanos::from_millis(40));
    desk.run_to(3);
    let cell = desk.session.now().control(south);
    assert_eq!(cell.edge(), Some(Edge::Release));
    assert!(cell.marks.contains(LaneMarks::SYNTHETIC));
    assert!(!desk.action(0).is_active());
    // What a device says after it left is not heard.
    desk.set(60.0, "pad1/south", 1);
    desk.run_to(5);
    assert!(!desk.action(0).is_active());
}

#[test]
fn with_no_device_at_all_every_action_is_at_rest() {
    let rig = rig(vec![
        action("a", Gives::On, vec![button("pad/south")]),
        action("b", Gives::Plane, vec![stick("pad/stick-l", 0.1), cross(BothHeld::Last)]),
    ]);
    let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
    session.run_until(Tick(100));
    let rest = [0, 1].map(|id| session.now().action(ActionId(id)));
    assert_eq!(rest, [ActionState::IDLE; 2]);
    assert!(explain_action(&session, session.now(), ActionId(0)).contains("no device"));
}
