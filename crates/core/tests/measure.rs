//! Measured by hand: what goes in is known, and so is what must come out.

mod common;

use common::*;
use gtrig_core::{
    measure::{Measurement, SECTORS, Samples, measure, propose},
    *,
};
use proptest::prelude::*;

/// A stick of pad·1 along `path`, which gives raw x and y for every 4 ms.
fn measured(path: impl Iterator<Item = [i32; 2]>) -> (Measurement, [ControlKind; 2]) {
    let mut desk = Desk::new(rig(Vec::new()));
    for ([x, y], n) in path.zip(0u32..) {
        let ms = f64::from(n) * 4.0;
        desk.set(ms, "pad1/stick-l-x", x);
        desk.set(ms, "pad1/stick-l-y", y);
    }
    desk.run_to(6_000);
    let controls = ["pad1/stick-l-x", "pad1/stick-l-y"].map(|name| desk.control(name));
    let kinds = controls.map(|id| desk.session.roster().control(id).kind);
    let [x, y] = controls;
    let samples = Samples::of(desk.session.recording().events(), (x, Some(y)), kinds);
    (measure(&samples), kinds)
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
        let (found, kinds) = measured(rest([0, 0], 800).chain(rim(reach)));
        let known: Vec<f32> = found.reach.iter().flatten().copied().collect();
        prop_assert_eq!(known.len(), SECTORS);
        prop_assert!(known.iter().all(|r| (f64::from(*r) * 100.0 - reach).abs() < 1.6));
        prop_assert!(found.circularity_error.unwrap() < 0.04);
        let proposal = propose(&found, kinds);
        prop_assert!(f64::from(proposal.outer.unwrap()) * 100.0 <= reach);
        let travel = proposal.travel[0].unwrap();
        prop_assert!((f64::from(travel.max) - reach).abs() < 2.0, "{:?}", travel);
    }
}

#[test]
fn a_stick_that_never_moved_tells_nothing() {
    let (found, kinds) = measured(std::iter::empty());
    assert!(found.centre.is_err() && found.circularity_error.is_err() && found.snap_back.is_err());
    assert_eq!(found.levels, [0, 0]);
    assert!(propose(&found, kinds).travel[0].is_err());
}

#[test]
fn an_axis_stuck_at_one_end_has_no_rest() {
    let (found, _) = measured(rest([98, 0], 1_000));
    assert_eq!(found.centre, Err("let the stick go for two seconds"));
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
