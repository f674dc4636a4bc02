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
    Scale::of(kind).at(raw)
}

/// The scale of a kind of control: what [`normalise`] can work out before it knows the value.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Scale {
    /// Of a button: 0 or 1.
    OnOff,
    /// Of a relative control: the count itself.
    Count,
    /// Of everything that has ends.
    Travel(Travel),
}

/// A way between two ends, with a rest on it or at one of them.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Travel {
    /// The raw value of rest.
    rest: i32,
    /// From rest on, and below it.
    sides: [Side; 2],
}

/// The way from rest to one end.
#[derive(Clone, Copy, Debug)]
struct Side {
    /// The end less the rest, in raw units; infinite where that is nothing, so that
    /// every value there is at rest.
    span: f32,
    /// The value of the end: -1 or +1.
    end: f32,
}

impl Scale {
    /// The scale of a kind of control.
    pub(crate) fn of(kind: ControlKind) -> Self {
        match kind {
            ControlKind::Button => Scale::OnOff,
            ControlKind::Relative => Scale::Count,
            ControlKind::Trigger { min, max } | ControlKind::Position { min, max } => {
                let side = Side::between(min, max, 1.0);
                Scale::Travel(Travel { rest: min, sides: [side; 2] })
            }
            ControlKind::Axis { min, centre, max } => {
                let (low, high) =
                    (Side::between(centre, min, -1.0), Side::between(centre, max, 1.0));
                let sides = if min <= max { [high, low] } else { [low, high] };
                Scale::Travel(Travel { rest: centre, sides })
            }
        }
    }

    /// A raw value on it.
    fn at(self, raw: i32) -> f32 {
        match self {
            Scale::OnOff => f32::from(u8::from(raw != 0)),
            Scale::Count => raw as f32,
            Scale::Travel(travel) => travel.at(raw),
        }
    }
}

impl Side {
    /// The side from a rest to an end of this value.
    fn between(rest: i32, end: i32, value: f32) -> Self {
        let span = i64::from(end) - i64::from(rest);
        Side { span: if span == 0 { f32::INFINITY } else { span as f32 }, end: value }
    }
}

impl Travel {
    /// A raw value on it, held between the ends. Division, not multiplication by a
    /// reciprocal, so that the end is exactly 1.
    #[inline]
    pub(crate) fn at(&self, raw: i32) -> f32 {
        let side = self.sides[usize::from(raw < self.rest)];
        let way = i64::from(raw) - i64::from(self.rest);
        // Rest is 0, and never -0.
        (way as f32 / side.span).clamp(0.0, 1.0) * side.end + 0.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// How far `raw` is on the way from `from` to `to`, held in 0 to 1.
    fn share(from: i32, raw: i32, to: i32) -> f32 {
        let [from, raw, to] = [from, raw, to].map(i64::from);
        if to == from { 0.0 } else { ((raw - from) as f32 / (to - from) as f32).clamp(0.0, 1.0) }
    }

    proptest! {
        /// The scale says what the formula says, whichever way round the ends are; and rest is 0,
        /// not -0.
        #[test]
        fn a_scale_is_the_formula(
            ends in prop::array::uniform3(prop_oneof![any::<i32>(), -3..=3]),
            raw in prop_oneof![any::<i32>(), -4..=4],
        ) {
            let [one, centre, other] = ends;
            let trigger = normalise(ControlKind::Trigger { min: one, max: other }, raw);
            prop_assert_eq!(trigger, share(one, raw, other));
            let mut ordered = ends;
            ordered.sort_unstable();
            for [min, centre, max] in [ordered, [ordered[2], ordered[1], ordered[0]]] {
                let is_low = if min <= max { raw < centre } else { raw > centre };
                let says = if is_low { -share(centre, raw, min) } else { share(centre, raw, max) };
                let axis = normalise(ControlKind::Axis { min, centre, max }, raw);
                prop_assert_eq!(axis, says);
                prop_assert!(axis != 0.0 || axis.is_sign_positive());
            }
            prop_assert_eq!(normalise(ControlKind::Axis { min: one, centre, max: other }, centre), 0.0);
        }
    }
}
