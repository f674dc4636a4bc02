//! Raw values on their own scale.

use super::ControlKind;

/// A raw value on its own scale: -1 to +1 for an axis, 0 to 1 for a trigger
/// or a position, 0 or 1 for a button, the count itself for a relative
/// control. Values outside the reported range are held at its ends; a side of
/// zero length is always at rest.
///
/// `(raw - rest) / (end - rest)`, in 64-bit whole numbers before the division, so that a range as
/// wide as 32 bits does not overflow.
pub fn normalise(kind: ControlKind, raw: i32) -> f32 {
    match kind {
        ControlKind::Button => f32::from(u8::from(raw != 0)),
        ControlKind::Relative => raw as f32,
        ControlKind::Trigger { min, max } | ControlKind::Position { min, max } => {
            share(min, raw, max)
        }
        ControlKind::Axis { min, centre, max } => {
            let is_low = if min <= max { raw < centre } else { raw > centre };
            if is_low { -share(centre, raw, min) } else { share(centre, raw, max) }
        }
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
