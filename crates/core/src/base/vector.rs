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

/// A vector of length `r` made as long as `to`, which is 0 where `r` is.
#[inline]
pub(crate) fn with_length([x, y]: [f32; 2], r: f32, to: f32) -> [f32; 2] {
    if to == 0.0 {
        return [0.0; 2];
    }
    if r == to {
        return [x, y];
    }
    let scale = to / r;
    [x * scale, y * scale]
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
