//! What a chain makes of a hand that pushes from rest and holds still: its response by length
//! and by direction.

use crate::base::{clamp_to_circle, length};
use crate::shape::Chain;
use core::f32::consts::{FRAC_1_SQRT_2, TAU};

/// The response of a chain to a push from rest, after all smoothing.
///
/// This is what a curve on the stick bench is drawn from, and what a measurement of "diagonals are
/// too fast" comes to.
///
/// ```
/// use gtrig_core::{Chain, DeadZone, Response, Rim, Stage};
///
/// let chain = Chain::from([Stage::DeadZone(DeadZone::radius(0.2))].as_slice());
/// let response = Response { chain: &chain, clamp: true };
/// assert_eq!((response.along(0.1), response.along(1.0)), (0.0, 1.0));
/// // Held in the circle, a diagonal is no faster, whatever the rim.
/// assert!((response.diagonal_ratio(Rim::Square) - 1.0).abs() < 1e-6);
/// ```
#[derive(Clone, Copy, Debug)]
pub struct Response<'a> {
    /// The stages.
    pub chain: &'a Chain,
    /// Whether the action holds the output in the unit circle.
    pub clamp: bool,
}

/// Along which rim a stick travels.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Rim {
    /// The unit circle.
    Round,
    /// The square around it: both axes get to their ends at once.
    Square,
}

impl Rim {
    /// Both, in the order they are drawn.
    pub const ALL: [Rim; 2] = [Rim::Square, Rim::Round];

    /// The place on the rim at an angle in radians.
    pub fn at(self, angle: f32) -> [f32; 2] {
        let [x, y] = [libm::cosf(angle), libm::sinf(angle)];
        let reach = match self {
            Rim::Round => 1.0,
            Rim::Square => x.abs().max(y.abs()),
        };
        [x / reach, y / reach]
    }
}

impl Response<'_> {
    /// The output for a deflection.
    pub fn at(&self, v: [f32; 2]) -> [f32; 2] {
        let out = self.chain.from_rest(v);
        if self.clamp { clamp_to_circle(out) } else { out }
    }

    /// The length of the output for a deflection to the right.
    pub fn along(&self, travel: f32) -> f32 {
        length(self.at([travel, 0.0]))
    }

    /// From which deflection to the right on something comes out: the largest one that gives
    /// nothing, of those below the first that gives something. Nothing if none ever does.
    ///
    /// The first is looked for in steps of a thousandth of the travel.
    pub fn onset(&self) -> Option<f32> {
        let gives = |travel: f32| self.along(travel) > 0.0;
        let first = (0..=1000u16).find(|&n| gives(f32::from(n) / 1000.0))?;
        let [mut nothing, mut something] =
            [first.saturating_sub(1), first].map(|n| f32::from(n) / 1000.0);
        // As finely as numbers are told apart there.
        for _ in 0..20 {
            let middle = (nothing + something) / 2.0;
            *if gives(middle) { &mut something } else { &mut nothing } = middle;
        }
        Some(nothing)
    }

    /// The slope of that, over a hundredth of the travel.
    ///
    /// At the ends of the travel over half of that; 1 is as fast as the hand.
    pub fn slope(&self, travel: f32) -> f32 {
        let (from, to) = ((travel - 0.005).max(0.0), (travel + 0.005).min(1.0));
        (self.along(to) - self.along(from)) / (to - from)
    }

    /// The length of the output at full deflection in a direction.
    pub fn speed(&self, rim: Rim, angle: f32) -> f32 {
        length(self.at(rim.at(angle)))
    }

    /// How much faster the fastest diagonal is than the fastest straight push.
    ///
    /// 1 where they are alike; the square root of 2, 1.41, where both axes are full at once and
    /// nothing holds them. Infinite where a straight push gives nothing and a diagonal something.
    pub fn diagonal_ratio(&self, rim: Rim) -> f32 {
        let fastest = |pushes: [[f32; 2]; 4]| {
            pushes.into_iter().map(|push| length(self.at(push))).fold(0.0, f32::max)
        };
        // Exactly along the axes: a cosine of a quarter turn is not quite 0.
        let straight = fastest([[1.0, 0.0], [0.0, 1.0], [-1.0, 0.0], [0.0, -1.0]]);
        let part = match rim {
            Rim::Round => FRAC_1_SQRT_2,
            Rim::Square => 1.0,
        };
        let diagonal = fastest([[part, part], [-part, part], [-part, -part], [part, -part]]);
        if diagonal == straight { 1.0 } else { diagonal / straight }
    }

    /// The output at full deflection in `count` directions all round, as
    /// vectors in those directions.
    pub fn ring(&self, rim: Rim, count: u16) -> impl Iterator<Item = [f32; 2]> {
        let angles = (0..count).map(move |n| f32::from(n) / f32::from(count) * TAU);
        angles.map(move |angle| {
            let r = self.speed(rim, angle);
            [r * libm::cosf(angle), r * libm::sinf(angle)]
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::spec::{DeadZone, DeadZoneKind, Stage};
    use alloc::{vec, vec::Vec};
    use rstest::rstest;

    fn zone(inner: f32) -> Stage {
        Stage::DeadZone(DeadZone::radius(inner))
    }

    /// From where on stages give something.
    #[rstest]
    #[case::at_once(vec![], Some(0.0))]
    #[case::beyond_a_zone(vec![zone(0.2)], Some(0.2))]
    #[case::between_two_steps(vec![zone(0.12345)], Some(0.12345))]
    #[case::beyond_what_is_cut(
        vec![Stage::DeadZone(DeadZone { kind: DeadZoneKind::Cut, ..DeadZone::radius(0.3) })],
        Some(0.3)
    )]
    #[case::at_rest(vec![Stage::Offset([0.1, 0.0])], Some(0.0))]
    #[case::never(vec![Stage::Scale([0.1, 0.1]), zone(0.5)], None)]
    fn output_begins_where_a_zone_ends(#[case] stages: Vec<Stage>, #[case] asked: Option<f32>) {
        let chain = Chain::from(stages.as_slice());
        assert_eq!(Response { chain: &chain, clamp: true }.onset(), asked);
    }
}
