//! What each stage makes of a value.

use crate::base::{at_most, length, with_length};
use crate::shape::{StageMemory, directions, facing, turn_limit};
use crate::spec::{DeadZoneKind, Stage, StickGate};

impl Stage {
    /// The value after it, and whether it would go on changing with time. A
    /// stage without memory does not touch `memory`.
    ///
    /// `dt` is the time since the tick before, in seconds; see [`Chain::run`](crate::Chain::run).
    ///
    /// ```
    /// use gtrig_core::{Stage, StageMemory};
    ///
    /// let mut memory = StageMemory::default();
    /// let doubled = Stage::Sensitivity(2.0).apply([0.3, 0.4], 0.0, &mut memory).0;
    /// assert_eq!(doubled, [0.6, 0.8]);
    /// // What was within the unit circle stays in it.
    /// assert_eq!(Stage::Sensitivity(5.0).apply([0.3, 0.4], 0.0, &mut memory).0, [0.6, 0.8]);
    /// ```
    #[inline(never)]
    pub fn apply(&self, v: [f32; 2], dt: f32, memory: &mut StageMemory) -> ([f32; 2], bool) {
        match self {
            Stage::Smooth(smooth) => smooth.step(v, dt, memory),
            Stage::TurnLimit(limit) => turn_limit(v, *limit, dt, memory),
            Stage::Directions { ways, hysteresis } => {
                (directions(v, *ways, *hysteresis, memory), false)
            }
            Stage::Facing(from) => (facing(v, *from, memory), false),
            plain => (plain.plain(v), false),
        }
    }

    /// Whether it exchanges, multiplies or moves the axes.
    pub(super) const fn is_of_axes(&self) -> bool {
        matches!(self, Stage::Invert { .. } | Stage::Swap | Stage::Offset(_) | Stage::Scale(_))
    }

    /// Whether it makes a vector longer or shorter, and nothing else.
    ///
    /// Such stages can be worked out on the length alone, one after the other; see `Chain`.
    pub(super) const fn keeps_direction(&self) -> bool {
        match self {
            Stage::Gate(StickGate::Circle)
            | Stage::Curve { on_axes: false, .. }
            | Stage::Sensitivity(_) => true,
            Stage::DeadZone(zone) => matches!(zone.kind, DeadZoneKind::Radius | DeadZoneKind::Cut),
            _ => false,
        }
    }

    /// What becomes of the length of a value, for a stage that keeps the
    /// direction.
    pub(super) fn on_length(&self, r: f32) -> f32 {
        match self {
            Stage::Gate(StickGate::Circle) => at_most(r, 1.0),
            Stage::DeadZone(zone) => zone.on_length(r),
            Stage::Curve { curve, .. } => curve.at(r),
            Stage::Sensitivity(by) => multiplied(r, *by),
            _ => r,
        }
    }

    /// The value after a stage without memory; one that has gives it unchanged.
    pub(super) fn plain(&self, v: [f32; 2]) -> [f32; 2] {
        match self {
            Stage::Invert { x, y } => on_axes(v, false, [sign(*x), sign(*y)], [0.0; 2]),
            Stage::Swap => on_axes(v, true, [1.0; 2], [0.0; 2]),
            Stage::Offset(by) => on_axes(v, false, [1.0; 2], *by),
            Stage::Scale(by) => on_axes(v, false, *by, [0.0; 2]),
            Stage::Gate(gate) => gate.apply(v),
            Stage::DeadZone(zone) => zone.apply(v),
            Stage::Curve { curve, on_axes: false } => curve.on_length(v),
            Stage::Curve { curve, on_axes: true } => curve.on_axes(v),
            Stage::Sensitivity(by) => {
                let r = length(v);
                with_length(v, r, multiplied(r, *by))
            }
            Stage::Smooth(_)
            | Stage::TurnLimit(_)
            | Stage::Directions { .. }
            | Stage::Facing(_) => v,
        }
    }
}

/// What turns an axis around, or leaves it as it is, by a multiplication.
pub(super) const fn sign(is_inverted: bool) -> f32 {
    if is_inverted { -1.0 } else { 1.0 }
}

/// Axes exchanged or not, multiplied, then moved. Adding nothing turns the -0
/// of an inverted rest into 0.
#[inline]
pub(super) fn on_axes([x, y]: [f32; 2], swap: bool, scale: [f32; 2], offset: [f32; 2]) -> [f32; 2] {
    let [x, y] = if swap { [y, x] } else { [x, y] };
    [x * scale[0] + offset[0], y * scale[1] + offset[1]]
}

/// A length multiplied; what was within the unit circle stays in it.
#[inline]
pub(super) fn multiplied(r: f32, by: f32) -> f32 {
    at_most(r * by, if r > 1.0 { r } else { 1.0 })
}
