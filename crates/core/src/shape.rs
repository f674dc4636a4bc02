//! The formulas of shaping, each once, each tested on its own.
//!
//! Normalised values are `f32`, the type game code reads. Every function maps
//! finite input to finite output. A [`Chain`] of [`Stage`]s turns the
//! normalised value of a stick, an axis or a trigger into what an action reads.

mod chain;
mod curve;
mod filter;
mod response;
mod stage;
mod zone;

pub use chain::Chain;
pub use curve::{Curve, CurvePoints, CurvePointsError};
pub use filter::{Smooth, StageMemory, directions, facing, from_polar, polar, turn_limit};
pub use response::{Response, Rim};
pub use stage::Stage;
pub use zone::{DeadZone, DeadZoneBorder, DeadZoneKind, StickGate};

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

/// Holds a vector in the unit circle. Only a vector longer than 1 is divided
/// by its length, so that shorter ones keep their analogue precision.
pub fn clamp_to_circle([x, y]: [f32; 2]) -> [f32; 2] {
    let r = length([x, y]);
    if r > 1.0 { [x / r, y / r] } else { [x, y] }
}

/// A vector of length `r` made as long as `to`, which is 0 where `r` is.
#[inline]
fn with_length([x, y]: [f32; 2], r: f32, to: f32) -> [f32; 2] {
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
fn at_most(v: f32, most: f32) -> f32 {
    if v > most { most } else { v }
}

/// The Euclidean length.
#[inline]
pub fn length([x, y]: [f32; 2]) -> f32 {
    libm::sqrtf(x * x + y * y)
}

#[cfg(test)]
mod tests;
