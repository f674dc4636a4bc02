//! Two numbers as a vector.

use core::f32::consts::PI;

/// The Euclidean length.
///
/// By a square root, correctly rounded, so that it is the same on every machine.
#[inline]
pub fn length([x, y]: [f32; 2]) -> f32 {
    libm::sqrtf(x * x + y * y)
}

/// From the second place to the first.
pub(crate) fn minus(a: [f32; 2], b: [f32; 2]) -> [f32; 2] {
    [a[0] - b[0], a[1] - b[1]]
}

/// Holds a vector in the unit circle. Only a vector longer than 1 is divided
/// by its length, so that shorter ones keep their analogue precision.
///
/// ```
/// use gtrig_core::clamp_to_circle;
///
/// assert_eq!(clamp_to_circle([0.3, 0.4]), [0.3, 0.4]);
/// assert_eq!(clamp_to_circle([3.0, 4.0]), [0.6, 0.8]);
/// ```
pub fn clamp_to_circle([x, y]: [f32; 2]) -> [f32; 2] {
    let r = length([x, y]);
    if r > 1.0 { [x / r, y / r] } else { [x, y] }
}

/// A vector of length `r` made as long as `to`, which is 0 where `r` is. No part of it is -0.
#[inline]
pub(crate) fn with_length([x, y]: [f32; 2], r: f32, to: f32) -> [f32; 2] {
    // A root is 0 or more than this: the scale is exactly 1 where the length stays, and 0 where
    // there is none.
    let scale = to / if r > f32::MIN_POSITIVE { r } else { f32::MIN_POSITIVE };
    [x * scale + 0.0, y * scale + 0.0]
}

/// The lesser of two values; unlike `f32::min` it is a single instruction.
#[inline]
pub(crate) fn at_most(v: f32, most: f32) -> f32 {
    if v > most { most } else { v }
}

/// Angle and length: degrees counter-clockwise from the right, above -180 up to
/// 180, by the two-argument arctangent: a full turn, with no dead spot at the
/// vertical. Rest has the angle 0.
///
/// ```
/// use gtrig_core::{from_polar, polar};
///
/// assert_eq!(polar([0.0, 0.5]), [90.0, 0.5]);
/// // To the left it is 180, never -180, whatever the sign of a zero.
/// assert_eq!(polar([-1.0, -0.0]), [180.0, 1.0]);
/// let [x, y] = from_polar([90.0, 0.5]);
/// assert!(x.abs() < 1e-6 && (y - 0.5).abs() < 1e-6);
/// ```
pub fn polar([x, y]: [f32; 2]) -> [f32; 2] {
    let r = length([x, y]);
    if r == 0.0 {
        return [0.0, 0.0];
    }
    let degrees = libm::atan2f(y, x) * (180.0 / PI);
    [if degrees <= -180.0 { 180.0 } else { degrees }, r]
}

/// The vector of an angle in degrees and a length; see [`polar`].
pub fn from_polar([degrees, r]: [f32; 2]) -> [f32; 2] {
    let angle = degrees.to_radians();
    [r * libm::cosf(angle), r * libm::sinf(angle)]
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case::rest([0.0, -0.0], 0.0, [0.0, 0.0])]
    #[case::cut_to_rest([-0.6, 0.8], 0.0, [0.0, 0.0])]
    #[case::one_of_the_shortest([2f32.powi(-74), -0.0], 0.5, [0.5, 0.0])]
    #[case::halved([-0.6, 0.8], 0.5, [-0.3, 0.4])]
    fn a_vector_of_another_length(
        #[case] v: [f32; 2],
        #[case] to: f32,
        #[case] expected: [f32; 2],
    ) {
        let out = with_length(v, length(v), to);
        assert_eq!(out, expected);
        assert!(out.iter().all(|part| part.to_bits() != (-0.0f32).to_bits()), "{out:?}");
    }

    proptest! {
        /// What keeps its length keeps its bits, and no length is a number below the normal ones.
        #[test]
        fn a_vector_of_its_own_length_is_itself(x: f32, y: f32) {
            let r = length([x, y]);
            prop_assume!(r.is_finite());
            prop_assert!(r == 0.0 || r > f32::MIN_POSITIVE);
            let expected = if r == 0.0 { [0.0; 2] } else { [x + 0.0, y + 0.0] };
            prop_assert_eq!(with_length([x, y], r, r).map(f32::to_bits), expected.map(f32::to_bits));
        }
    }
}
