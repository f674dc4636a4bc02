//! The formulas of shaping, each once, each tested on its own.
//!
//! Normalised values are `f32`, the type game code reads. Every function maps
//! finite input to finite output.

use crate::ControlKind;

/// A raw value on its own scale: -1 to +1 for an axis, 0 to 1 for a trigger
/// or a position, 0 or 1 for a button, the count itself for a relative
/// control. Values outside the reported range are held at its ends; a side of
/// zero length is always at rest.
pub fn normalise(kind: ControlKind, raw: i32) -> f32 {
    match kind {
        ControlKind::Button => f32::from(u8::from(raw != 0)),
        ControlKind::Relative => raw as f32,
        ControlKind::Trigger { min, max } | ControlKind::Position { min, max } => {
            share(min, raw, max)
        }
        ControlKind::Axis { min, centre, max } if raw < centre => {
            debug_assert!(min <= centre && centre <= max);
            -share(centre, raw, min)
        }
        ControlKind::Axis { centre, max, .. } => share(centre, raw, max),
    }
}

/// How far `raw` is on the way from `from` to `to`, held in 0 to 1. Division,
/// not multiplication by a reciprocal, so that the end is exactly 1.
fn share(from: i32, raw: i32, to: i32) -> f32 {
    let span = i64::from(to) - i64::from(from);
    if span == 0 {
        return 0.0;
    }
    ((i64::from(raw) - i64::from(from)) as f32 / span as f32).clamp(0.0, 1.0)
}

/// The dead zone of one axis: rest below `inner`, and the remaining travel
/// stretched so that output starts at 0 at its edge:
/// `sign(v) * (|v| - inner) / (1 - inner)`.
pub fn axis_dead_zone(v: f32, inner: f32) -> f32 {
    let size = v.abs();
    if size <= inner { 0.0 } else { ((size - inner) / (1.0 - inner)).copysign(v) }
}

/// The radial dead zone of a stick: rest inside the circle of radius `inner`,
/// direction kept outside it, and the length stretched from 0 at its edge:
/// `(r - inner) / (1 - inner)`. Length 1 stays 1.
pub fn radial_dead_zone([x, y]: [f32; 2], inner: f32) -> [f32; 2] {
    let r = length([x, y]);
    if r <= inner {
        return [0.0, 0.0];
    }
    let scale = (r - inner) / ((1.0 - inner) * r);
    [x * scale, y * scale]
}

/// Holds a vector in the unit circle. Only a vector longer than 1 is divided
/// by its length, so that shorter ones keep their analogue precision.
pub fn clamp_to_circle([x, y]: [f32; 2]) -> [f32; 2] {
    let r = length([x, y]);
    if r > 1.0 { [x / r, y / r] } else { [x, y] }
}

/// The Euclidean length.
pub fn length([x, y]: [f32; 2]) -> f32 {
    libm::sqrtf(x * x + y * y)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    const AXIS: ControlKind = ControlKind::Axis { min: -100, centre: 20, max: 80 };
    const TRIGGER: ControlKind = ControlKind::Trigger { min: 0, max: 255 };

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
    #[case(0.2, 0.2, 0.0)]
    #[case(-0.2, 0.2, 0.0)]
    #[case(0.6, 0.2, 0.5)]
    #[case(-0.6, 0.2, -0.5)]
    #[case(1.0, 0.2, 1.0)]
    #[case(0.3, 0.0, 0.3)]
    fn axis_dead_zone_by_hand(#[case] v: f32, #[case] inner: f32, #[case] out: f32) {
        assert!((axis_dead_zone(v, inner) - out).abs() < 1e-6);
    }

    #[rstest]
    #[case([0.3, 0.4], 0.5, [0.0, 0.0])]
    #[case([0.6, 0.8], 0.5, [0.6, 0.8])]
    #[case([0.45, 0.6], 0.5, [0.3, 0.4])]
    fn radial_dead_zone_by_hand(#[case] v: [f32; 2], #[case] inner: f32, #[case] out: [f32; 2]) {
        let [x, y] = radial_dead_zone(v, inner);
        assert!((x - out[0]).abs() < 1e-6 && (y - out[1]).abs() < 1e-6, "{x} {y}");
    }

    proptest! {
        #[test]
        fn clamping_twice_is_clamping_once(x in -2.0f32..2.0, y in -2.0f32..2.0) {
            let once = clamp_to_circle([x, y]);
            prop_assert!(length(once) <= 1.0 + 1e-6);
            let twice = clamp_to_circle(once);
            prop_assert!((once[0] - twice[0]).abs() < 1e-6 && (once[1] - twice[1]).abs() < 1e-6);
        }

        #[test]
        fn a_vector_inside_the_circle_is_not_touched(x in -0.7f32..0.7, y in -0.7f32..0.7) {
            prop_assert_eq!(clamp_to_circle([x, y]), [x, y]);
        }

        #[test]
        fn the_dead_zone_has_no_step_at_its_edge(inner in 0.0f32..0.95, angle in 0.0f32..6.3) {
            let r = inner + 1e-4;
            let edge = [r * libm::cosf(angle), r * libm::sinf(angle)];
            prop_assert!(length(radial_dead_zone(edge, inner)) < 1e-4 / (1.0 - inner) + 1e-5);
        }

        #[test]
        fn the_radial_dead_zone_keeps_direction(
            x in -1.0f32..1.0, y in -1.0f32..1.0, inner in 0.0f32..0.95,
        ) {
            let [u, v] = radial_dead_zone([x, y], inner);
            prop_assert!((u * y - v * x).abs() < 1e-5);
            prop_assert!(u * x >= 0.0 && v * y >= 0.0);
        }

        #[test]
        fn normalising_is_monotone(a in any::<i32>(), b in any::<i32>()) {
            let (low, high) = (a.min(b), a.max(b));
            prop_assert!(normalise(AXIS, low) <= normalise(AXIS, high));
        }
    }
}
