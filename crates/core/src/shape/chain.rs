//! Stages in the order a rig states them.

use super::{
    Curve, DeadZone, Gate, Memory, Smooth, ZoneKind, directions, facing, length, turn_limit,
    with_length,
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

    /// Whether it makes a vector longer or shorter, and nothing else.
    const fn keeps_direction(&self) -> bool {
        match self {
            Stage::Gate(Gate::Circle)
            | Stage::Curve { on_axes: false, .. }
            | Stage::Sensitivity(_) => true,
            Stage::DeadZone(zone) => matches!(zone.kind, ZoneKind::Radius | ZoneKind::Cut),
            _ => false,
        }
    }

    /// What becomes of the length of a value, for a stage that keeps the
    /// direction.
    fn on_length(&self, r: f32) -> f32 {
        match self {
            Stage::Gate(Gate::Circle) => r.min(1.0),
            Stage::DeadZone(zone) => zone.on_length(r).unwrap_or(r),
            Stage::Curve { curve, .. } => curve.at(r),
            Stage::Sensitivity(by) => multiplied(r, *by),
            _ => r,
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

fn sign(is_inverted: bool) -> f32 {
    if is_inverted { -1.0 } else { 1.0 }
}

fn multiplied(r: f32, by: f32) -> f32 {
    (r * by).min(r.max(1.0))
}

/// The value after all stages that do not remember: what a hand that holds still
/// comes to, but for smoothing.
pub fn without_memory(stages: &[Stage], v: [f32; 2]) -> [f32; 2] {
    stages.iter().fold(v, |v, stage| stage.plain(v))
}

/// Runs stages over a value; `memories` are those of the stages that remember,
/// in order. Returns the output and whether it would go on changing.
pub fn run(stages: &[Stage], v: [f32; 2], dt: f32, memories: &mut [Memory]) -> ([f32; 2], bool) {
    run_each(stages, v, dt, memories, |_| {})
}

/// The same, and shows the value after each stage.
pub fn run_each(
    stages: &[Stage],
    mut v: [f32; 2],
    dt: f32,
    memories: &mut [Memory],
    mut after: impl FnMut([f32; 2]),
) -> ([f32; 2], bool) {
    let mut memories = memories.iter_mut();
    let mut is_moving = false;
    // Most stages only make a vector longer or shorter: of several in a row the
    // length is worked out once, and the vector once in the end.
    let mut lengths: Option<(f32, f32)> = None;
    for stage in stages {
        if stage.keeps_direction() {
            let (was, r) = lengths.unwrap_or_else(|| {
                let r = length(v);
                (r, r)
            });
            let r = stage.on_length(r);
            lengths = Some((was, r));
            after(with_length(v, was, r));
            continue;
        }
        if let Some((was, r)) = lengths.take() {
            v = with_length(v, was, r);
        }
        if !stage.has_memory() {
            v = stage.plain(v);
            after(v);
            continue;
        }
        let Some(memory) = memories.next() else { continue };
        let (out, moves) = stage.apply(v, dt, memory);
        is_moving |= moves;
        v = out;
        after(v);
    }
    if let Some((was, r)) = lengths {
        v = with_length(v, was, r);
    }
    // Nothing here makes one of finite values; an engine must never see one.
    (v.map(|part| if part.is_finite() { part } else { 0.0 }), is_moving)
}
