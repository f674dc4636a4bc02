//! The chain that most rigs have, without a step between: no stage is looked up, no curve is
//! chosen, and what can be worked out before a run is.
//!
//! It gives the same bits as the stages one after the other: the formulas are those of the stages
//! ([`stretch_over`], [`blend`], [`half_life`]), and only exact arithmetic was moved.

use super::{AxisMap, LastStage, Length, Step, finite};
use crate::base::{at_most, length, with_length};
use crate::shape::{
    StageMemory,
    curve::blend,
    half_life,
    stage::{multiplied, on_axes},
    zone::stretch_over,
};
use crate::spec::{Curve, DeadZone, DeadZoneKind, Smooth, Stage};

/// The chain of most rigs, worked out at once: a factor and a shift of each axis; a gate, a zone of
/// the radius, a cubic and a factor on the length; and smoothing by a half-life. Any of them may do
/// nothing. Whether axes are exchanged before is not part of it.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct UsualChain {
    /// What each axis is multiplied by, first.
    scale: [f32; 2],
    /// What is added to each axis after that.
    offset: [f32; 2],
    /// No length is more than this.
    most: f32,
    /// Zone and curve.
    cubic: CubicZone,
    /// The factor of the length.
    by: f32,
    /// The half-life of the smoothing in seconds, where there is one.
    half_life: Option<f32>,
}

impl UsualChain {
    /// The usual chain of these steps, if they are one.
    pub(super) fn of(steps: &[Step]) -> Option<Self> {
        let [Step { axes, length: Some(length), last, .. }] = steps else { return None };
        let AxisMap { scale, offset, .. } = *axes;
        let half_life = match last {
            LastStage::None => None,
            LastStage::Remembers(Stage::Smooth(Smooth::HalfLife(seconds))) => Some(*seconds),
            LastStage::Remembers(_) | LastStage::Forgets(_) => return None,
        };
        let Length { most, by, .. } = *length;
        let cubic = CubicZone::of(&length.zone, &length.curve)?;
        Some(UsualChain { scale, offset, most, cubic, by, half_life })
    }

    /// A value after all of it, and whether it goes on moving by itself; `dt` seconds after the
    /// last one. The first memory is that of the smoothing.
    ///
    /// It has no loop over stages and no choice of a formula; what a stage that is missing would do
    /// is done with numbers that change nothing (an infinite gate, a zone of 0, a factor of 1).
    #[inline]
    pub(super) fn run(
        &self,
        v: [f32; 2],
        dt: f32,
        memories: &mut [StageMemory],
    ) -> ([f32; 2], bool) {
        let v = on_axes(v, false, self.scale, self.offset);
        let was = length(v);
        let to = multiplied(self.cubic.on_length(at_most(was, self.most)), self.by);
        let v = with_length(v, was, to);
        let (v, is_moving) = match (self.half_life, memories) {
            (Some(seconds), [memory, ..]) => half_life(seconds, v, dt, memory),
            _ => (v, false),
        };
        // What a filter has not brought to its end yet is finite.
        (if is_moving { v } else { finite(v) }, is_moving)
    }
}

/// A zone of the radius and a curve that is a line or a blend of a line and a cubic: what
/// [`DeadZone`] and [`Curve`] make of a length, with all that can be worked out before.
#[derive(Clone, Copy, Debug, PartialEq)]
struct CubicZone {
    /// The inner border, in full travel.
    inner: f32,
    /// From the inner border to the outer one.
    width: f32,
    /// The share of the line: 1 less that of the cubic.
    line: f32,
    /// The share of the cubic.
    bend: f32,
}

impl CubicZone {
    /// The two as one, if they are of these kinds.
    fn of(zone: &DeadZone, curve: &Curve) -> Option<Self> {
        let bend = match curve {
            Curve::Linear => 0.0,
            Curve::Blend(bend) => *bend,
            _ => return None,
        };
        let (inner, width, line) = (zone.inner, zone.outer - zone.inner, 1.0 - bend);
        (zone.kind == DeadZoneKind::Radius).then_some(CubicZone { inner, width, line, bend })
    }

    /// What a length from 0 on comes to: 0 inside the zone, 1 at the outer border, and a length
    /// beyond that as long as it is.
    #[inline]
    fn on_length(&self, r: f32) -> f32 {
        if r <= self.inner {
            return 0.0;
        }
        let m = stretch_over(r, self.inner, self.width);
        if m >= 1.0 { m } else { at_most(blend(self.line, self.bend, m), 1.0) }
    }
}
