//! Measured by hand: what goes in is known, and so is what must come out.

mod common;

use common::*;
use gtrig_analysis::measure::{Measurement, Missing, Proposal, SECTORS, Samples, measure, propose};
use gtrig_core::*;
use proptest::prelude::*;
use rstest::rstest;

fn samples_of(desk: &Desk, axes: Axes) -> Samples {
    Samples::of(desk.session.roster(), axes, desk.session.recording().events())
}

/// A stick of pad·1 along `path`, which gives raw x and y for every 4 ms.
fn measured(path: impl Iterator<Item = [i32; 2]>) -> (Measurement, Proposal) {
    let mut desk = Desk::new(rig(Vec::new()));
    for ([x, y], n) in path.zip(0u32..) {
        let ms = f64::from(n) * 4.0;
        desk.set(ms, "pad1/stick-l-x", x);
        desk.set(ms, "pad1/stick-l-y", y);
    }
    desk.run_to(6_000);
    let controls = ["pad1/stick-l-x", "pad1/stick-l-y"].map(|name| desk.control(name));
    let [x, y] = controls;
    let samples = samples_of(&desk, Axes::stick(x, y));
    let found = measure(&samples);
    let proposal = propose(&samples, &found);
    (found, proposal)
}

fn rest(at: [i32; 2], samples: usize) -> impl Iterator<Item = [i32; 2]> {
    // One unit to either side, in turn.
    (0..samples).map(move |n| [at[0] + (n % 2) as i32 * 2 - 1, at[1]])
}

fn rim(reach: f64) -> impl Iterator<Item = [i32; 2]> {
    (0..=720).map(move |n| {
        let angle = f64::from(n) / 360.0 * std::f64::consts::TAU;
        [(angle.cos() * reach) as i32, (angle.sin() * reach) as i32]
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn the_centre_is_where_it_rests(x in -15i32..15, y in -15i32..15) {
        let (found, _) = measured(rest([x, y], 800));
        let [cx, cy] = found.centre.unwrap();
        prop_assert!((cx * 100.0 - x as f32).abs() < 0.1 && (cy * 100.0 - y as f32).abs() < 0.1);
        // One unit of a hundred to either side.
        prop_assert!((found.noise.unwrap() - 0.01).abs() < 1e-4);
        prop_assert!((found.rest_radius.unwrap() - 0.01).abs() < 1e-3);
    }

    #[test]
    fn reach_is_what_the_rim_is(reach in 60.0f64..100.0) {
        let (found, proposal) = measured(rest([0, 0], 800).chain(rim(reach)));
        let known: Vec<f32> = found.rolled.iter().flatten().copied().collect();
        prop_assert_eq!(known.len(), SECTORS);
        prop_assert!(known.iter().all(|r| (f64::from(*r) * 100.0 - reach).abs() < 1.6));
        prop_assert!(found.circularity_error.unwrap() < 0.04);
        // Once calibrated it gets there whatever it reached before.
        prop_assert!(f64::from(proposal.uncalibrated_outer.unwrap()) * 100.0 <= reach);
        prop_assert!((0.94..=0.98).contains(&proposal.outer.unwrap()), "{:?}", proposal);
        let travel = proposal.travel[0].unwrap();
        prop_assert!((f64::from(travel.max) - reach).abs() < 2.0, "{:?}", travel);
    }
}

#[test]
fn a_stick_that_never_moved_tells_nothing() {
    let (found, proposal) = measured(std::iter::empty());
    assert!(found.centre.is_err() && found.circularity_error.is_err() && found.snap_back.is_err());
    assert_eq!(found.levels, [0, 0]);
    assert!(proposal.travel[0].is_err());
}

#[test]
fn an_axis_stuck_at_one_end_has_no_rest() {
    let (found, _) = measured(rest([98, 0], 1_000));
    assert_eq!(found.centre, Err(Missing::Rest));
    // It is held, though, as far as anybody can tell.
    assert!(found.hold_jitter.is_ok());
}

#[test]
fn a_drift_is_told_in_minutes() {
    // From 0 to 5 units in eight seconds: 37.5 a minute.
    let path = (0..2_000).map(|n| [n / 400, 0]);
    let (found, _) = measured(path);
    let drift = found.drift_per_minute.unwrap();
    assert!((drift - 0.375).abs() < 0.05, "{drift}");
}

/// A trigger of pad·1 along `path`, which gives its raw value for every 4 ms.
fn squeezed(path: impl Iterator<Item = i32>) -> (Measurement, Proposal) {
    let mut desk = Desk::new(rig(Vec::new()));
    for (value, n) in path.zip(0u32..) {
        desk.set(f64::from(n) * 4.0, "pad1/trigger-r", value);
    }
    desk.run_to(6_000);
    let trigger = desk.control("pad1/trigger-r");
    let samples = samples_of(&desk, Axes::single(trigger));
    let found = measure(&samples);
    let proposal = propose(&samples, &found);
    (found, proposal)
}

#[test]
fn a_trigger_is_measured_and_asked_for_what_a_trigger_can_do() {
    // It rests at 3 of 100, gets to 92, is held at 80, and let go from there.
    let rest = |n: u32| (0..n).map(|n| 2 + (n % 3) as i32);
    let squeeze = (0..90).map(|n| n + 3).chain((0..12).rev().map(|n| 80 + n));
    let held = (0..200).map(|n| 79 + n % 3);
    let path = rest(700).chain(squeeze).chain(held).chain([40]).chain(rest(700));
    let (found, proposal) = squeezed(path);
    assert!(found.is_single && found.is_one_sided);
    assert!((found.centre.unwrap()[0] - 0.03).abs() < 1e-3);
    assert_eq!(found.ends(), [None, Some(0.92)]);
    assert_eq!(found.circularity_error, Err(Missing::Directions));
    let steps = found.steps();
    assert!(steps.iter().all(|(_, is_done)| *is_done), "{steps:?}");
    assert_eq!(proposal.travel[0], Ok(Travel { min: 3, centre: 3, max: 92 }));
    // Its calibrated end is its end.
    assert_eq!(proposal.outer, Ok(0.98));
    assert_eq!(proposal.uncalibrated_outer, Ok(0.9));
    let (found, _) = squeezed(rest(700));
    let open: Vec<Missing> = found.steps().into_iter().filter(|s| !s.1).map(|s| s.0).collect();
    assert_eq!(open[0], Missing::Ends);
}

#[test]
fn a_stick_that_says_nothing_or_only_one_thing_is_named() {
    let (found, _) = measured(std::iter::empty());
    assert_eq!(found.centre, Err(Missing::Reports));
    let (found, proposal) = measured((0..900).map(|n| [100, n % 3 - 1]));
    assert_eq!(found.centre, Err(Missing::Movement));
    assert!(proposal.dead_zone.is_err());
    assert_eq!(found.steps()[0], (found.centre.unwrap_err(), false));
}

#[test]
fn the_time_between_reports_is_told_from_pauses() {
    let mut desk = Desk::new(rig(Vec::new()));
    let mut ms = 0.0;
    for n in 0..400 {
        // Every 8 ms, every tenth after 12, and a pause now and then.
        ms += if n % 100 == 99 {
            900.0
        } else if n % 10 == 9 {
            12.0
        } else {
            8.0
        };
        desk.set(ms, "pad1/stick-l-x", n % 50);
        desk.set(ms, "pad1/stick-l-y", n % 40);
    }
    desk.run_to(600);
    let [x, y] = ["pad1/stick-l-x", "pad1/stick-l-y"].map(|name| desk.control(name));
    let found = measure(&samples_of(&desk, Axes::stick(x, y)));
    assert_eq!(found.interval, Ok([Nanos::from_millis(8), Nanos::from_millis(12)]));
}

/// From rest to an angle on the rim, along it for so many degrees, and back.
fn rolled(from: f64, degrees: f64, samples: u32) -> impl Iterator<Item = [i32; 2]> {
    let at = |angle: f64, r: f64| {
        [(angle.to_radians().cos() * r) as i32, (angle.to_radians().sin() * r) as i32]
    };
    let roll = (0..=samples).map(move |n| from + degrees * f64::from(n) / f64::from(samples));
    let out = (0..25).map(move |n| at(from, f64::from(n) * 4.0));
    let back = (0..25).rev().map(move |n| at(from + degrees, f64::from(n) * 4.0));
    out.chain(roll.map(move |angle| at(angle, 100.0))).chain(back)
}

/// What was not rolled is not known, and what to do is said.
#[rstest]
#[case::an_open_roll(330.0, 1_000, Err(Missing::Turn))]
#[case::one_turn_from_rest(360.0, 1_000, Err(Missing::Turn))]
#[case::more_than_a_turn(380.0, 1_000, Ok(()))]
#[case::two_turns(720.0, 1_000, Ok(()))]
#[case::too_quick(720.0, 60, Err(Missing::Slowly))]
#[case::a_push(1.0, 200, Err(Missing::Rim))]
fn reach_in_every_direction_needs_a_whole_roll(
    #[case] degrees: f64,
    #[case] samples: u32,
    #[case] expected: Result<(), Missing>,
    #[values(0.0, 77.0)] from: f64,
) {
    let (found, proposal) = measured(rest([0, 0], 600).chain(rolled(from, degrees, samples)));
    assert_eq!(found.circularity_error.map(|_| ()), expected);
    assert_eq!(proposal.uncalibrated_outer.map(|_| ()), expected);
    // The way out and back through other directions is no reach.
    assert!(found.reach.iter().flatten().all(|r| *r > 0.96), "{:?}", found.reach);
    assert_eq!(found.steps()[1].1, expected.is_ok());
}

/// A stick without noise that is pushed slowly, held, and let go: neither the way
/// out nor what swings is rest.
#[test]
fn rest_is_no_departure_and_no_snap_back() {
    let still = |n: usize| core::iter::repeat_n([0, 0], n);
    let out = (0..=100).map(|n| [n, 0]);
    let swing = [[40, 0], [-9, 0], [6, 0], [-4, 0], [3, 0], [-2, 0], [1, 0], [-1, 0]];
    let swing = swing.into_iter().flat_map(|at| core::iter::repeat_n(at, 4));
    let held = core::iter::repeat_n([100, 0], 200);
    let path = still(400).chain(out).chain(held).chain(swing).chain(still(700));
    let (found, proposal) = measured(path);
    assert_eq!(found.rest_radius, Ok(0.0));
    assert_eq!(found.noise, Ok(0.0));
    assert_eq!(found.hold_jitter, Ok(0.0));
    assert_eq!(proposal.dead_zone, Ok(0.0));
    // It swings to the other side by 9 of 100, which no dead zone of 0 holds.
    assert_eq!(proposal.snap_back_dead_zone, Ok(0.09));
}

/// A rest that wanders is no noise.
#[test]
fn drift_is_told_apart_from_noise() {
    let path = (0..4_000).map(|n| [n / 800 + (n % 2) * 2 - 1, 0]);
    let (found, _) = measured(path);
    let (noise, drift) = (found.noise.unwrap(), found.drift_per_minute.unwrap());
    assert!((noise - 0.01).abs() < 0.002, "{noise}");
    assert!((drift - 0.1875).abs() < 0.03, "{drift}");
}

/// A pad that was unplugged with its stick held is not held on.
#[test]
fn a_device_that_is_gone_holds_nothing() {
    let mut desk = Desk::new(rig(Vec::new()));
    for ([x, _], n) in rest([80, 0], 200).zip(0u32..) {
        desk.set(f64::from(n) * 4.0, "pad1/stick-l-x", x);
    }
    let gone = Nanos::from_millis(800);
    desk.session.unplug(desk.devices[0], gone);
    desk.session.plug(pad("a"), Nanos::from_millis(9_000)).unwrap();
    desk.set(9_100.0, "pad1/stick-l-x", 10);
    desk.run_to(600);
    let [x, y] = ["pad1/stick-l-x", "pad1/stick-l-y"].map(|name| desk.control(name));
    let samples = samples_of(&desk, Axes::stick(x, y));
    assert_eq!(samples.points().count(), 201, "and one after it came back");
    assert!((measure(&samples).hold_jitter.unwrap() - 0.01).abs() < 1e-4);
}

/// Held at one place and then at another: the way between them is no jitter.
#[test]
fn each_place_at_which_it_is_held_is_its_own() {
    let (found, _) = measured(rest([50, 0], 300).chain(rest([60, 0], 300)));
    assert!((found.hold_jitter.unwrap() - 0.01).abs() < 1e-4, "{:?}", found.hold_jitter);
}

/// A stick that lay still for thirty days is measured like one that lay still for ten
/// seconds.
#[test]
fn a_long_silence_is_looked_at_for_a_while() {
    let mut roster = Roster::default();
    let axis = ControlKind::Axis { min: -100, centre: 0, max: 100 };
    let info = DeviceInfo {
        identity: "p".into(),
        kind: DeviceKind::Pad,
        name: CleanText::new("p"),
        bus: CleanText::default(),
        slot: None,
        controls: vec![ControlInfo::new("stick-l-x", axis), ControlInfo::new("stick-l-y", axis)],
    };
    let pad = roster.admit(info, &SlotRules::default()).unwrap();
    let [x, y] = ["stick-l-x", "stick-l-y"].map(|code| roster.device(pad).control(code).unwrap());
    let moved_after = |silence: u64| {
        let events = [(0, 3), (silence, 90), (silence + 8_000_000, 95), (silence + 16_000_000, 0)];
        let events = events.map(|(at, value)| Event::new(Nanos(at), x, value));
        Samples::of(&roster, Axes::stick(x, y), events.into_iter())
    };
    let (short, long) =
        (moved_after(10_000_000_000), moved_after(30 * 86_400_000_000_000 - 1_000_000_000));
    let values = |samples: &Samples| samples.points().map(|(point, _)| point).collect::<Vec<_>>();
    assert_eq!(values(&short), values(&long));
    let stamps = long.points().map(|(_, at)| at).collect::<Vec<_>>();
    assert!(stamps.is_sorted() && *stamps.last().unwrap() > 2.5e6, "their times stay true");
}
