//! One stage of shaping.

use core::fmt;

use super::{
    Curve, DeadZone, DeadZoneKind, Smooth, StageMemory, StickGate, at_most, directions, facing,
    length, turn_limit, with_length,
};

/// One stage of shaping.
///
/// Values are vectors: the two axes of a stick with y up, or one axis with
/// y = 0. Every stage maps finite values to finite values.
#[derive(Clone, Debug, PartialEq)]
pub enum Stage {
    /// Turns signs: a stick that reports up as minus needs it on y.
    Invert {
        /// On x.
        x: bool,
        /// On y.
        y: bool,
    },
    /// Exchanges the axes.
    Swap,
    /// Adds to each axis.
    Offset([f32; 2]),
    /// Multiplies each axis.
    Scale([f32; 2]),
    /// Sees to the corners.
    Gate(StickGate),
    /// Takes out rest, and the rim.
    DeadZone(DeadZone),
    /// Bends the response.
    Curve {
        /// How.
        curve: Curve,
        /// Whether each axis is bent by itself, instead of the length.
        on_axes: bool,
    },
    /// Multiplies; what was within the unit circle stays in it.
    Sensitivity(f32),
    /// Calms the hand.
    Smooth(Smooth),
    /// Turns by at most so many degrees a second.
    TurnLimit(f32),
    /// Snaps to four or eight directions.
    Directions {
        /// Four or eight.
        ways: u8,
        /// Degrees beyond its sector for which a direction is kept.
        hysteresis: f32,
    },
    /// Keeps the side of x last pushed to, from this deflection on.
    Facing(f32),
}

impl Stage {
    /// Its name on screen and in reports.
    pub const fn name(&self) -> &'static str {
        match self {
            Stage::Invert { .. } => "invert",
            Stage::Swap => "swap",
            Stage::Offset(_) => "offset",
            Stage::Scale(_) => "scale",
            Stage::Gate(_) => "gate",
            Stage::DeadZone(_) => "dead-zone",
            Stage::Curve { .. } => "curve",
            Stage::Sensitivity(_) => "sensitivity",
            Stage::Smooth(_) => "smooth",
            Stage::TurnLimit(_) => "turn-limit",
            Stage::Directions { .. } => "directions",
            Stage::Facing(_) => "facing",
        }
    }

    /// Whether it remembers.
    pub const fn has_memory(&self) -> bool {
        matches!(
            self,
            Stage::Smooth(_) | Stage::TurnLimit(_) | Stage::Directions { .. } | Stage::Facing(_)
        )
    }

    /// The value after it, and whether it would go on changing with time. A
    /// stage without memory does not touch `memory`.
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

/// Its name and its numbers, as in `dead-zone radius, 0.12 to 0.96`.
impl fmt::Display for Stage {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())?;
        match self {
            Stage::Swap => Ok(()),
            Stage::Invert { x, y } => {
                let axes = [(x, " x"), (y, " y")].into_iter().filter(|(is_so, _)| **is_so);
                axes.map(|(_, axis)| axis).try_for_each(|axis| f.write_str(axis))
            }
            Stage::Offset([x, y]) => write!(f, " by {x}, {y}"),
            Stage::Scale([x, y]) => write!(f, " by {x}, {y}"),
            Stage::Gate(gate) => write!(f, " {}", gate.word()),
            Stage::DeadZone(zone) => {
                write!(f, " {}, {} to {}", zone.kind.word(), zone.inner, zone.outer)?;
                if zone.kind == DeadZoneKind::Sloped {
                    write!(f, ", slope {}", zone.slope)?;
                }
                Ok(())
            }
            Stage::Curve { curve, on_axes } => {
                match curve {
                    Curve::Linear => f.write_str(" linear")?,
                    Curve::Power(n) => write!(f, " power {n}")?,
                    Curve::Blend(n) => write!(f, " blend {n}")?,
                    Curve::S(n) => write!(f, " s {n}")?,
                    Curve::Points(points) => {
                        write!(f, " through {} points", points.inner().count())?;
                    }
                }
                f.write_str(if *on_axes { ", on each axis" } else { "" })
            }
            Stage::Sensitivity(by) => write!(f, " {by}"),
            Stage::Smooth(Smooth::HalfLife(s)) => write!(f, ", half-life {:.1} ms", s * 1000.0),
            Stage::Smooth(Smooth::Adaptive { steady_hz, follow }) => {
                write!(f, ", {steady_hz} Hz at rest, follow {follow}")
            }
            Stage::TurnLimit(limit) => write!(f, " {limit} degrees a second"),
            Stage::Directions { ways, hysteresis } => {
                write!(f, " {ways}, hysteresis {hysteresis} degrees")
            }
            Stage::Facing(from) => write!(f, " from {from}"),
        }
    }
}

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
