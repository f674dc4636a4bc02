//! By hand and by property: ends fixed, monotone, continuous where they should
//! be, the same in every direction where they are radial, calm in the end.

use super::*;
use crate::{base::*, device::*, spec::*};
use core::f32::consts::{FRAC_1_SQRT_2 as SQRT_HALF, PI, TAU};
use proptest::prelude::*;
use rstest::rstest;
use std::{vec, vec::Vec};

const AXIS: ControlKind = ControlKind::Axis { min: -100, centre: 20, max: 80 };
const TRIGGER: ControlKind = ControlKind::Trigger { min: 0, max: 255 };

fn at(angle: f32, r: f32) -> [f32; 2] {
    [r * libm::cosf(angle), r * libm::sinf(angle)]
}

fn close(a: [f32; 2], b: [f32; 2], within: f32) -> bool {
    (a[0] - b[0]).abs() <= within && (a[1] - b[1]).abs() <= within
}

fn zone(kind: DeadZoneKind, inner: f32, outer: f32) -> DeadZone {
    DeadZone { kind, inner, outer, slope: 0.2 }
}

#[rstest]
#[case(AXIS, -100, -1.0)]
#[case(AXIS, -40, -0.5)]
#[case(AXIS, 20, 0.0)]
#[case(AXIS, 50, 0.5)]
#[case(AXIS, 80, 1.0)]
#[case(AXIS, i32::MAX, 1.0)]
#[case(AXIS, i32::MIN, -1.0)]
#[case(TRIGGER, 255, 1.0)]
#[case(TRIGGER, -3, 0.0)]
#[case(ControlKind::Axis { min: 5, centre: 5, max: 5 }, 9, 0.0)]
#[case(ControlKind::Axis { min: i32::MIN, centre: 0, max: i32::MAX }, i32::MIN, -1.0)]
#[case(ControlKind::Button, 7, 1.0)]
#[case(ControlKind::Relative, -3, -3.0)]
fn normalises(#[case] kind: ControlKind, #[case] raw: i32, #[case] value: f32) {
    assert_eq!(normalise(kind, raw), value);
}

#[rstest]
#[case::inside(DeadZoneKind::Radius, [0.12, 0.16], [0.0, 0.0])]
#[case::edge_to_end(DeadZoneKind::Radius, [0.6, 0.8], [0.6, 0.8])]
#[case::half(DeadZoneKind::Radius, [0.36, 0.48], [0.3, 0.4])]
#[case::one_axis(DeadZoneKind::Radius, [-0.6, 0.0], [-0.5, 0.0])]
#[case::cut_keeps(DeadZoneKind::Cut, [0.36, 0.48], [0.36, 0.48])]
#[case::cut_cuts(DeadZoneKind::Cut, [0.1, 0.1], [0.0, 0.0])]
#[case::per_axis(DeadZoneKind::Axes, [0.6, 0.1], [0.5, 0.0])]
#[case::sloped_narrow(DeadZoneKind::Sloped, [0.6, 0.0], [0.5, 0.0])]
#[case::sloped_wide(DeadZoneKind::Sloped, [1.0, 0.35], [1.0, 0.0])]
fn zones_by_hand(#[case] kind: DeadZoneKind, #[case] v: [f32; 2], #[case] out: [f32; 2]) {
    let found = zone(kind, 0.2, 1.0).apply(v);
    assert!(close(found, out, 1e-6), "{found:?}");
}

#[rstest]
#[case::cubic(Curve::Blend(0.5), 0.5, 0.3125)]
#[case::square(Curve::Power(2.0), 0.5, 0.25)]
#[case::s_middle(Curve::S(3.0), 0.5, 0.5)]
#[case::s_low(Curve::S(2.0), 0.25, 0.1)]
#[case::linear(Curve::Linear, 0.3, 0.3)]
fn curves_by_hand(#[case] curve: Curve, #[case] m: f32, #[case] out: f32) {
    assert!((curve.at(m) - out).abs() < 1e-6, "{}", curve.at(m));
}

#[rstest]
#[case::corner(StickGate::Circle, [1.0, 1.0], [SQRT_HALF, SQRT_HALF])]
#[case::inside(StickGate::Circle, [0.3, -0.5], [0.3, -0.5])]
#[case::square_corner(StickGate::Square, [1.0, 1.0], [SQRT_HALF, SQRT_HALF])]
#[case::square_side(StickGate::Square, [1.0, 0.0], [1.0, 0.0])]
#[case::square_half(StickGate::Square, [0.5, 0.5], [0.46771, 0.46771])]
fn gates_by_hand(#[case] gate: StickGate, #[case] v: [f32; 2], #[case] out: [f32; 2]) {
    assert!(close(gate.apply(v), out, 1e-5), "{:?}", gate.apply(v));
}

#[rstest]
#[case::right([1.0, 0.0], 0.0)]
#[case::up([0.0, 1.0], 90.0)]
#[case::left([-1.0, 0.0], 180.0)]
#[case::down([0.0, -1.0], -90.0)]
#[case::first_quadrant([0.5, 0.5], 45.0)]
#[case::second_quadrant([-0.5, 0.5], 135.0)]
#[case::third_quadrant([-0.5, -0.5], -135.0)]
#[case::fourth_quadrant([0.5, -0.5], -45.0)]
#[case::nearly_up([1e-4, 1.0], 89.99427)]
fn angles_in_all_quadrants(#[case] v: [f32; 2], #[case] degrees: f32) {
    let [angle, r] = polar(v);
    assert!((angle - degrees).abs() < 1e-3, "{angle}");
    assert!((r - length(v)).abs() < 1e-6);
    assert!(close(from_polar([angle, r]), v, 1e-6));
}

#[test]
fn a_half_life_makes_up_half_in_its_time() {
    let mut memory = StageMemory::default();
    let smooth = Smooth::HalfLife(0.020);
    let ticks: Vec<f32> =
        (0..4).map(|_| smooth.step([1.0, 0.0], 0.010, &mut memory).0[0]).collect();
    for (value, expected) in ticks.iter().zip([0.29289, 0.5, 0.64645, 0.75]) {
        assert!((value - expected).abs() < 1e-4, "{ticks:?}");
    }
}

#[test]
fn an_adaptive_filter_calms_noise_and_follows_a_flick() {
    let smooth = Smooth::Adaptive { steady_hz: 1.0, follow: 5.0 };
    let mut memory = StageMemory::default();
    let noisy: Vec<f32> = (0..200)
        .map(|n| smooth.step([if n % 2 == 0 { 0.02 } else { -0.02 }, 0.0], 0.004, &mut memory).0[0])
        .collect();
    assert!(noisy[100..].iter().all(|v| v.abs() < 0.004), "{:?}", &noisy[190..]);
    let arrives = (0..50).position(|_| smooth.step([1.0, 0.0], 0.004, &mut memory).0[0] > 0.9);
    assert!(arrives.is_some_and(|ticks| ticks < 10), "{arrives:?}");
}

/// The 1 € filter as its paper has it, run at every tick.
struct Reference {
    out: f64,
    speed: f64,
}

impl Reference {
    fn step(&mut self, v: f64, [steady, follow, dt]: [f64; 3]) -> f64 {
        let share = |hz: f64| 1.0 / (1.0 + 1.0 / (core::f64::consts::TAU * hz * dt));
        self.speed += share(1.0) * ((v - self.out) / dt - self.speed);
        self.out += share(steady + follow * self.speed.abs()) * (v - self.out);
        self.out
    }
}

proptest! {
    /// A hand that rests for a while between its movements: the speed that the
    /// filter has seen dies away and is not forgotten, and once the filter says
    /// that it has arrived, ticks may be left out.
    #[test]
    fn an_adaptive_filter_keeps_its_speed_through_a_rest(
        moves in prop::collection::vec((-1.0f32..1.0, 1u32..400), 1..12),
        steady_hz in 0.05f32..10.0,
        follow in 0.0f32..50.0,
    ) {
        let (dt, smooth) = (0.004, Smooth::Adaptive { steady_hz, follow });
        let numbers = [f64::from(steady_hz), f64::from(follow), f64::from(dt)];
        let (mut memory, mut reference) =
            (StageMemory::default(), Reference { out: 0.0, speed: 0.0 });
        for (v, ticks) in moves {
            let mut is_moving = true;
            for n in 0..ticks {
                // A poll that nothing is due for is left out, as a run does.
                if is_moving || n == 0 {
                    is_moving = smooth.step([v, 0.0], dt, &mut memory).1;
                }
                let expected = reference.step(f64::from(v), numbers);
                let out = f64::from(memory.place()[0]);
                prop_assert!((out - expected).abs() < 1e-3, "{} {}", out, expected);
            }
        }
    }
}

#[test]
fn a_direction_is_kept_within_its_hysteresis() {
    let mut memory = StageMemory::default();
    let degrees = |d: f32| at(d.to_radians(), 1.0);
    let snapped: Vec<i32> = [10.0, 24.0, 27.0, 28.0, 24.0, 18.0, 17.0]
        .map(|d| polar(directions(degrees(d), 8, 5.0, &mut memory))[0] as i32)
        .to_vec();
    // The border is at 22.5: it must be passed by 5 either way.
    assert_eq!(snapped, [0, 0, 0, 45, 45, 45, 0]);
    assert_eq!(directions([0.0, 0.0], 8, 5.0, &mut memory), [0.0, 0.0]);
}

#[test]
fn facing_keeps_its_side() {
    let mut memory = StageMemory::default();
    let sides: Vec<f32> = [0.1, 0.5, 0.1, 0.0, -0.1, -0.3, 0.0]
        .map(|x| facing([x, 0.4], 0.2, &mut memory)[0])
        .to_vec();
    assert_eq!(sides, [0.0, 1.0, 1.0, 1.0, 1.0, -1.0, -1.0]);
}

#[test]
fn a_turn_takes_its_time_and_a_stick_from_rest_does_not() {
    let mut memory = StageMemory::default();
    let turned = |v, memory: &mut StageMemory| polar(turn_limit(v, 900.0, 0.01, memory).0)[0];
    assert!((turned([0.0, 1.0], &mut memory) - 90.0).abs() < 1e-3);
    let angles: Vec<f32> = (0..12).map(|_| turned([-1.0, -1e-3], &mut memory)).collect();
    assert!((angles[0] - 99.0).abs() < 1e-2, "{angles:?}");
    // The shorter way: past 180, not back through 0.
    assert!(angles.iter().all(|a| *a >= 90.0 || *a < -170.0), "{angles:?}");
    assert!((angles[11] - polar([-1.0, -1e-3])[0]).abs() < 1e-2, "{angles:?}");
}

/// Neither way is the shorter one: it is turned counter-clockwise, wherever it comes from.
#[rstest]
#[case::from_the_right([1.0, 0.0])]
#[case::from_the_left([-1.0, 0.0])]
#[case::from_above([0.0, 1.0])]
#[case::from_below([0.0, -1.0])]
#[case::from_a_corner([0.6, -0.8])]
#[case::from_a_signed_nought([-0.7, -0.0])]
fn half_a_turn_is_counter_clockwise(#[case] from: [f32; 2]) {
    for to in [[-from[0], -from[1]], [0.0 - from[0], 0.0 - from[1]]] {
        let mut memory = StageMemory::default();
        turn_limit(from, 900.0, 0.01, &mut memory);
        let (out, _) = turn_limit(to, 900.0, 0.01, &mut memory);
        let (turned, nine) = (polar(out)[0] - polar(from)[0], 9.0);
        assert!((turned.rem_euclid(360.0) - nine).abs() < 1e-3, "{from:?} to {to:?}: {turned}");
    }
}

/// Between two directions it is the one that is further from the right.
#[rstest]
#[case(4, [1.0, 1.0], [0.0, 1.0])]
#[case(4, [-1.0, 1.0], [-1.0, 0.0])]
#[case(4, [1.0, -1.0], [0.0, -1.0])]
#[case(4, [-1.0, -1.0], [-1.0, 0.0])]
fn between_two_directions(#[case] ways: u8, #[case] v: [f32; 2], #[case] towards: [f32; 2]) {
    let snapped = directions(v, ways, 5.0, &mut StageMemory::default());
    assert!(close(snapped.map(|part| part * SQRT_HALF), towards, 1e-6), "{snapped:?}");
}

fn curves() -> impl Strategy<Value = Curve> {
    let points = prop::collection::vec((0.01f32..0.99, 0.0f32..1.0), 0..6).prop_map(|pairs| {
        let mut x: Vec<f32> = pairs.iter().map(|p| p.0).collect();
        let mut y: Vec<f32> = pairs.iter().map(|p| p.1).collect();
        x.sort_by(f32::total_cmp);
        x.dedup();
        y.sort_by(f32::total_cmp);
        let pairs: Vec<[f32; 2]> = x.into_iter().zip(y).map(|(x, y)| [x, y]).collect();
        Curve::Points(CurvePoints::new(&pairs).unwrap())
    });
    prop_oneof![
        Just(Curve::Linear),
        (0.2f32..5.0).prop_map(Curve::Power),
        (0.0f32..1.0).prop_map(Curve::Blend),
        (1.0f32..5.0).prop_map(Curve::S),
        points,
    ]
}

fn kinds() -> impl Strategy<Value = DeadZoneKind> {
    prop::sample::select(DeadZoneKind::ALL.to_vec())
}

fn stages() -> impl Strategy<Value = Stage> {
    prop_oneof![
        any::<(bool, bool)>().prop_map(|(x, y)| Stage::Invert { x, y }),
        Just(Stage::Swap),
        (-2.0f32..2.0, -2.0f32..2.0).prop_map(|(x, y)| Stage::Offset([x, y])),
        (-10.0f32..10.0, -10.0f32..10.0).prop_map(|(x, y)| Stage::Scale([x, y])),
        prop::sample::select(StickGate::ALL.to_vec()).prop_map(Stage::Gate),
        (kinds(), 0.0f32..0.5, 0.55f32..1.0)
            .prop_map(|(kind, inner, outer)| Stage::DeadZone(zone(kind, inner, outer))),
        (curves(), any::<bool>()).prop_map(|(curve, on_axes)| Stage::Curve { curve, on_axes }),
        (0.05f32..5.0).prop_map(Stage::Sensitivity),
        (0.0001f32..1.0).prop_map(|s| Stage::Smooth(Smooth::HalfLife(s))),
        (0.05f32..60.0, 0.0f32..50.0)
            .prop_map(|(steady_hz, follow)| Stage::Smooth(Smooth::Adaptive { steady_hz, follow })),
        (1.0f32..7200.0).prop_map(Stage::TurnLimit),
        (prop::bool::ANY, 0.0f32..20.0).prop_map(|(eight, hysteresis)| Stage::Directions {
            ways: if eight { 8 } else { 4 },
            hysteresis
        }),
        (0.0f32..1.0).prop_map(Stage::Facing),
    ]
}

/// A chain of what most rigs have, in that order; any of it may be left out but the factor.
fn usual_stages() -> impl Strategy<Value = Vec<Stage>> {
    let zone = (0.0f32..0.5, 0.55f32..1.0)
        .prop_map(|(inner, outer)| Stage::DeadZone(zone(DeadZoneKind::Radius, inner, outer)));
    let curve = prop_oneof![Just(Curve::Linear), (0.0f32..1.0).prop_map(Curve::Blend)];
    let some = prop::option::of::<BoxedStrategy<Stage>>;
    let stages = (
        some(Just(Stage::Swap).boxed()),
        some(any::<(bool, bool)>().prop_map(|(x, y)| Stage::Invert { x, y }).boxed()),
        some((-2.0f32..2.0, -2.0f32..2.0).prop_map(|(x, y)| Stage::Offset([x, y])).boxed()),
        some(Just(Stage::Gate(StickGate::Circle)).boxed()),
        some(zone.boxed()),
        some(curve.prop_map(|curve| Stage::Curve { curve, on_axes: false }).boxed()),
        (0.05f32..5.0).prop_map(|by| Some(Stage::Sensitivity(by))),
        some((0.0001f32..1.0).prop_map(|s| Stage::Smooth(Smooth::HalfLife(s))).boxed()),
    );
    stages.prop_map(|(a, b, c, d, e, f, g, h)| {
        [a, b, c, d, e, f, g, h].into_iter().flatten().collect()
    })
}

proptest! {
    #[test]
    fn clamping_twice_is_clamping_once(x in -2.0f32..2.0, y in -2.0f32..2.0) {
        let once = clamp_to_circle([x, y]);
        prop_assert!(length(once) <= 1.0 + 1e-6);
        prop_assert!(close(clamp_to_circle(once), once, 1e-6));
    }

    #[test]
    fn a_vector_inside_the_circle_is_not_touched(x in -0.7f32..0.7, y in -0.7f32..0.7) {
        prop_assert_eq!(clamp_to_circle([x, y]), [x, y]);
    }

    #[test]
    fn normalising_is_monotone(a in any::<i32>(), b in any::<i32>()) {
        let (low, high) = (a.min(b), a.max(b));
        prop_assert!(normalise(AXIS, low) <= normalise(AXIS, high));
    }

    /// Stretched zones begin at 0, whatever the direction.
    #[test]
    fn a_stretched_zone_has_no_step_at_its_edge(
        inner in 0.0f32..0.5, outer in 0.6f32..1.0, angle in 0.0f32..TAU,
    ) {
        let edge = zone(DeadZoneKind::Radius, inner, outer).apply(at(angle, inner + 1e-4));
        prop_assert!(length(edge) < 1e-4 / (outer - inner) + 1e-5);
        let axis = zone(DeadZoneKind::Axes, inner, outer).apply([inner + 1e-4, 0.0]);
        prop_assert!(axis[0] < 1e-4 / (outer - inner) + 1e-5);
    }

    /// A radial zone treats every direction alike.
    #[test]
    fn a_radial_zone_is_the_same_all_round(
        inner in 0.0f32..0.5, outer in 0.6f32..1.0, r in 0.0f32..1.0, angle in 0.0f32..TAU,
    ) {
        let zone = zone(DeadZoneKind::Radius, inner, outer);
        let turned = zone.apply(at(angle, r));
        let straight = zone.apply([r, 0.0])[0];
        prop_assert!(close(turned, at(angle, straight), 1e-5), "{:?}", turned);
    }

    #[test]
    fn zones_fix_both_ends_and_never_go_down(
        kind in kinds(), inner in 0.0f32..0.5, outer in 0.55f32..1.0, a in 0.0f32..1.0, b in 0.0f32..1.0,
    ) {
        let zone = zone(kind, inner, outer);
        let on = |v: f32| zone.apply([v, 0.0])[0];
        prop_assert_eq!(on(0.0), 0.0);
        prop_assert!((on(1.0) - 1.0).abs() < 1e-6);
        prop_assert!(on(a.min(b)) <= on(a.max(b)) + 1e-6);
    }

    #[test]
    fn curves_fix_both_ends_and_never_go_down(
        curve in curves(), a in 0.0f32..1.0, b in 0.0f32..1.0,
    ) {
        prop_assert!(curve.at(0.0).abs() < 1e-6 && (curve.at(1.0) - 1.0).abs() < 1e-6);
        prop_assert!(curve.at(a.min(b)) <= curve.at(a.max(b)) + 1e-5);
        prop_assert!((0.0..=1.0).contains(&curve.at(a)));
    }

    #[test]
    fn a_curve_through_points_meets_them(x in 0.05f32..0.95, y in 0.0f32..1.0) {
        let curve = Curve::Points(CurvePoints::new(&[[x, y]]).unwrap());
        prop_assert!((curve.at(x) - y).abs() < 1e-5);
    }

    #[test]
    fn a_curve_on_the_length_keeps_direction(
        curve in curves(), r in 0.01f32..1.0, angle in -PI..PI,
    ) {
        let v = at(angle, r);
        let [x, y] = curve.on_length(v);
        prop_assert!((x * v[1] - y * v[0]).abs() < 1e-5 && x * v[0] + y * v[1] >= 0.0);
    }

    #[test]
    fn the_square_fills_the_circle(x in -1.0f32..1.0, y in -1.0f32..1.0) {
        prop_assert!(length(StickGate::Square.apply([x, y])) <= 1.0 + 1e-5);
        let rim = StickGate::Square.apply([1.0, y]);
        prop_assert!((length(rim) - 1.0).abs() < 1e-5);
    }

    /// A filter goes to where the hand is, and says when it is there.
    #[test]
    fn smoothing_arrives(
        smooth in prop_oneof![
            (0.0001f32..2.0).prop_map(Smooth::HalfLife),
            (0.05f32..20.0, 0.0f32..50.0)
                .prop_map(|(steady_hz, follow)| Smooth::Adaptive { steady_hz, follow }),
        ],
        hz in 10.0f32..1000.0,
        places in prop::collection::vec((-30.0f32..30.0, -1.0f32..1.0), 1..4),
    ) {
        let seconds = match smooth {
            Smooth::HalfLife(half_life) => 40.0 * half_life,
            // The speed dies away besides, at 1 Hz.
            Smooth::Adaptive { steady_hz, .. } => 8.0 / steady_hz + 10.0,
        };
        let mut memory = StageMemory::default();
        for (x, y) in places {
            let mut ticks = 0;
            loop {
                let (out, is_moving) = smooth.step([x, y], 1.0 / hz, &mut memory);
                if !is_moving {
                    prop_assert_eq!(out, [x, y]);
                    break;
                }
                ticks += 1;
                prop_assert!(ticks as f32 <= seconds * hz + 100.0, "after {} s", ticks as f32 / hz);
            }
        }
    }

    /// Whatever the chain: run at once or stage by stage it gives the same to
    /// the bit, looking at it changes nothing, and no NaN leaves it.
    #[test]
    fn any_chain_gives_numbers_and_can_be_looked_at(
        (stages, must_be_usual) in prop_oneof![
            prop::collection::vec(stages(), 0..8).prop_map(|stages| (stages, false)),
            usual_stages().prop_map(|stages| (stages, true)),
        ],
        hand in prop::collection::vec((-1.5f32..1.5, -1.5f32..1.5), 1..40),
    ) {
        let chain = Chain::from(stages.as_slice());
        prop_assert!(chain.is_usual() || !must_be_usual);
        let mut memories = vec![StageMemory::default(); chain.memory_count()];
        for (x, y) in hand {
            let (mut by_stage, mut last) = (memories.clone(), [x, y]);
            chain.run_each([x, y], 1.0 / 60.0, &mut by_stage, |_, v| last = v);
            let (out, _) = chain.run([x, y], 1.0 / 60.0, &mut memories);
            prop_assert!(out[0].is_finite() && out[1].is_finite());
            prop_assert_eq!((out.map(f32::to_bits), &memories), (last.map(f32::to_bits), &by_stage));
            let mut looked_at = memories.clone();
            let (again, _) = chain.run([x, y], 0.0, &mut looked_at);
            prop_assert!(close(again, out, 1e-4), "{:?} {:?}", again, out);
        }
    }
}
