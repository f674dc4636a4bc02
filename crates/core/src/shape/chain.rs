//! Stages in the order a rig states them.

use super::{Curve, DeadZone, Gate, Memory, Smooth, directions, facing, length, turn_limit};

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
    Gate(Gate),
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
    pub fn apply(&self, v: [f32; 2], dt: f32, memory: &mut Memory) -> ([f32; 2], bool) {
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

    /// The value after a stage without memory; one that has gives it unchanged.
    fn plain(&self, v: [f32; 2]) -> [f32; 2] {
        match self {
            Stage::Invert { x, y } => [sign(*x) * v[0], sign(*y) * v[1]],
            Stage::Swap => [v[1], v[0]],
            Stage::Offset(by) => [v[0] + by[0], v[1] + by[1]],
            Stage::Scale(by) => [v[0] * by[0], v[1] * by[1]],
            Stage::Gate(gate) => gate.apply(v),
            Stage::DeadZone(zone) => zone.apply(v),
            Stage::Curve { curve, on_axes: false } => curve.on_length(v),
            Stage::Curve { curve, on_axes: true } => curve.on_axes(v),
            Stage::Sensitivity(by) => multiplied(v, *by),
            Stage::Smooth(_)
            | Stage::TurnLimit(_)
            | Stage::Directions { .. }
            | Stage::Facing(_) => v,
        }
    }
}

fn sign(is_inverted: bool) -> f32 {
    if is_inverted { -1.0 } else { 1.0 }
}

fn multiplied(v: [f32; 2], by: f32) -> [f32; 2] {
    let r = length(v);
    let most = r.max(1.0);
    let scale = if r * by > most { most / r } else { by };
    [v[0] * scale, v[1] * scale]
}

/// The value after all stages that do not remember: what a hand that holds still
/// comes to, but for smoothing.
pub fn without_memory(stages: &[Stage], v: [f32; 2]) -> [f32; 2] {
    stages.iter().fold(v, |v, stage| stage.plain(v))
}

/// Runs stages over a value; `memories` are those of the stages that remember,
/// in order. Returns the output and whether it would go on changing.
pub fn run(
    stages: &[Stage],
    mut v: [f32; 2],
    dt: f32,
    memories: &mut [Memory],
) -> ([f32; 2], bool) {
    let mut memories = memories.iter_mut();
    let mut is_moving = false;
    for stage in stages {
        if !stage.has_memory() {
            v = stage.plain(v);
            continue;
        }
        let Some(memory) = memories.next() else { continue };
        let (out, moves) = stage.apply(v, dt, memory);
        is_moving |= moves;
        v = out;
    }
    // Nothing here makes one of finite values; an engine must never see one.
    (v.map(|part| if part.is_finite() { part } else { 0.0 }), is_moving)
}
