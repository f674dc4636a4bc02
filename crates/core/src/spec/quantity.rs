//! What gestures measure, and the limits a rig sets.

use crate::spec::tunable;
use crate::spec::tunable::Tunable;
use strum::{IntoStaticStr, VariantArray};

/// Something that can be measured of an attempt at a gesture.
///
/// Times are milliseconds, lengths are in the [`LengthUnit`] of the gesture, speeds in that unit a
/// second, angles in degrees; a share is between 0 and 1. Each is measured of what was reported, at
/// the time of the report.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, VariantArray)]
pub enum Quantity {
    /// From landing to lifting, of a tap.
    Lift,
    /// For how long a finger has stayed.
    Hold,
    /// How far a finger got from where it landed.
    Move,
    /// From lifting to the next landing.
    Gap,
    /// From where one tap landed to where the next did.
    Spread,
    /// From the first landing of several fingers to the last.
    Together,
    /// From where it began to where it is; of a sign, along its path.
    Length,
    /// From landing to now.
    Time,
    /// Length over time.
    Speed,
    /// The angle to the direction of a swipe.
    OffAxisDeg,
    /// The distance from the line in the direction of a swipe.
    OffAxisMm,
    /// Length over path, at most 1.
    Straight,
    /// From the edge of the surface to where it began.
    Edge,
    /// How far a drag or a pinch has got.
    Slop,
    /// How far two fingers have turned.
    SlopDeg,
    /// From the centre of a stick to where the finger landed.
    Catch,
    /// From the origin of an aim to the finger.
    Dead,
    /// How much a stroke differs from the nearest example.
    Differs,
    /// By how much every other sign differs more.
    Lead,
    /// The speed of a finger as it is lifted.
    Release,
    /// From a zone to where a finger is lifted outside of it.
    Outside,
    /// Full deflection of a stick.
    Ring,
    /// Full deflection of a drag.
    Reach,
    /// Full deflection of a pinch.
    ReachTimes,
    /// Full deflection of a rotation.
    ReachDeg,
    /// Full speed of a flick.
    ReachSpeed,
}

/// What the lengths of a gesture are measured in.
///
/// The same swipe of 15 mm is 150 px on a panel with ten pixels to a millimetre, and 0.094 of a
/// panel that is 160 mm wide. Millimetres are those of a hand, and stay right on every panel that
/// says its size; shares suit a panel that does not.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum LengthUnit {
    /// Millimetres of the surface.
    #[default]
    Mm,
    /// Pixels of the picture, by its width.
    Px,
    /// Shares of the width of the picture.
    Share,
}

/// What a limit asks of a quantity.
///
/// ```
/// use gtrig_core::{LimitSense, Quantity};
///
/// assert_eq!(Quantity::Hold.sense(), LimitSense::AtLeast);
/// assert_eq!(LimitSense::AtLeast.slack(480.0, 500.0), -20.0);
/// assert_eq!(LimitSense::AtMost.slack(2.0, 3.0), 1.0);
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LimitSense {
    /// To be no less.
    AtLeast,
    /// To be no more.
    AtMost,
    /// Nothing: it is a measure of the output.
    Scale,
}

impl LimitSense {
    /// By how much a value meets a limit; negative where it does not. One that
    /// is no number meets none.
    pub fn slack(self, value: f32, limit: f32) -> f32 {
        match self {
            _ if value.is_nan() => f32::NEG_INFINITY,
            LimitSense::AtLeast => value - limit,
            LimitSense::AtMost => limit - value,
            LimitSense::Scale => f32::INFINITY,
        }
    }
}

impl Quantity {
    /// How many there are.
    pub const COUNT: usize = Quantity::VARIANTS.len();

    /// Its limit: key in rigs, unit, range, default and meaning.
    pub const fn tunable(self) -> &'static Tunable {
        match self {
            Quantity::Lift => &tunable::LIFT_MS,
            Quantity::Hold => &tunable::HOLD_MS,
            Quantity::Move => &tunable::MOVE_MM,
            Quantity::Gap => &tunable::GAP_MS,
            Quantity::Spread => &tunable::SPREAD_MM,
            Quantity::Together => &tunable::TOGETHER_MS,
            Quantity::Length => &tunable::LENGTH_MM,
            Quantity::Time => &tunable::TIME_MS,
            Quantity::Speed => &tunable::SPEED_MM_S,
            Quantity::OffAxisDeg => &tunable::OFF_AXIS_DEG,
            Quantity::OffAxisMm => &tunable::OFF_AXIS_MM,
            Quantity::Straight => &tunable::STRAIGHT,
            Quantity::Edge => &tunable::EDGE_MM,
            Quantity::Slop => &tunable::SLOP_MM,
            Quantity::SlopDeg => &tunable::SLOP_DEG,
            Quantity::Catch => &tunable::CATCH_MM,
            Quantity::Dead => &tunable::DEAD_MM,
            Quantity::Differs => &tunable::DIFFERS_DEG,
            Quantity::Lead => &tunable::LEAD_DEG,
            Quantity::Release => &tunable::RELEASE_MM_S,
            Quantity::Outside => &tunable::OUTSIDE_MM,
            Quantity::Ring => &tunable::RING_MM,
            Quantity::Reach => &tunable::REACH_MM,
            Quantity::ReachTimes => &tunable::REACH_TIMES,
            Quantity::ReachDeg => &tunable::REACH_DEG,
            Quantity::ReachSpeed => &tunable::REACH_MM_S,
        }
    }

    /// The same for a gesture whose lengths are measured in a unit.
    pub fn tunable_in(self, unit: LengthUnit) -> &'static Tunable {
        tunable::in_unit(self.tunable(), unit as usize)
    }

    /// What a limit asks of it.
    pub const fn sense(self) -> LimitSense {
        use Quantity::*;
        match self {
            Hold | Length | Speed | Straight | Slop | SlopDeg | Dead | Lead | Release => {
                LimitSense::AtLeast
            }
            Lift | Move | Gap | Spread | Together | Time | OffAxisDeg | OffAxisMm | Edge
            | Catch | Differs | Outside => LimitSense::AtMost,
            Ring | Reach | ReachTimes | ReachDeg | ReachSpeed => LimitSense::Scale,
        }
    }

    /// Whether it can only grow while an attempt goes on, so that a limit that
    /// is passed once stays passed.
    ///
    /// An attempt that has passed such a limit cannot be met any more: gestures that wait for it wait
    /// no longer.
    pub const fn only_grows(self) -> bool {
        use Quantity::*;
        matches!(self, Lift | Move | Together | Time | Edge | Catch)
    }

    /// Whether it is a time, which runs from the first landing of an attempt on. Everything else is
    /// measured only once all fingers are there.
    pub(crate) const fn is_time(self) -> bool {
        use Quantity::*;
        matches!(self, Lift | Hold | Gap | Together | Time)
    }
}

/// The limits that a rig sets to a gesture; of what it leaves out nothing is
/// asked.
///
/// ```
/// use gtrig_core::{GestureLimits, Quantity};
///
/// let limits = GestureLimits::NONE.with(Quantity::Lift, 250.0);
/// assert_eq!((limits.of(Quantity::Lift), limits.of(Quantity::Move)), (Some(250.0), None));
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct GestureLimits([Option<f32>; Quantity::COUNT]);

impl GestureLimits {
    /// Asks nothing.
    pub const NONE: GestureLimits = GestureLimits([None; Quantity::COUNT]);

    /// The limit of a quantity.
    pub const fn of(&self, quantity: Quantity) -> Option<f32> {
        self.0[quantity as usize]
    }

    /// Sets or removes a limit.
    pub fn set(&mut self, quantity: Quantity, limit: Option<f32>) {
        self.0[quantity as usize] = limit;
    }

    /// With one more limit.
    #[must_use]
    pub fn with(mut self, quantity: Quantity, limit: f32) -> Self {
        self.set(quantity, Some(limit));
        self
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_has_its_own_place_and_its_own_key() {
        for (n, quantity) in Quantity::VARIANTS.iter().copied().enumerate() {
            assert_eq!(quantity as usize, n);
            let same = |other: &Quantity| other.tunable().name == quantity.tunable().name;
            assert_eq!(Quantity::VARIANTS.iter().filter(|q| same(q)).count(), 1);
        }
    }
}
