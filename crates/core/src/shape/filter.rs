//! Stages that remember: smoothing, turn limit, directions, facing.
//!
//! Each is a function of the value, the time since the tick before, and a
//! [`Memory`]. With no time passed it gives its last output again, which is how
//! a screen looks at a run without disturbing it.

use super::length;
use core::f32::consts::{LN_2, PI, TAU};

/// What a stage remembers from tick to tick.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Memory {
    /// The last output.
    pub(super) out: [f32; 2],
    /// What else the stage needs.
    pub(super) aside: [f32; 2],
    /// Whether there has been an output.
    pub(super) is_live: bool,
}

impl Memory {
    /// The last output.
    pub(crate) fn place(&self) -> [f32; 2] {
        self.out
    }

    pub(crate) fn set_place(&mut self, place: [f32; 2]) {
        self.out = place;
    }
}

/// Closer than this, a filter has arrived.
const ARRIVED: f32 = 1.0 / 65_536.0;

/// How a value is smoothed.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Smooth {
    /// Exponentially: after so many seconds half of a step is made up.
    HalfLife(f32),
    /// By a low-pass whose cut-off rises with the speed, so that a resting hand
    /// is calm and a fast one is not delayed: the 1 EUR filter (Casiez, Roussel
    /// and Vogel, "1 EUR Filter: A Simple Speed-based Low-pass Filter for Noisy
    /// Input in Interactive Systems", CHI 2012), with its derivative cut-off of
    /// 1 Hz.
    Adaptive {
        /// The cut-off at rest, in hertz.
        steady_hz: f32,
        /// By how much the cut-off rises with the speed: hertz per unit a second.
        follow: f32,
    },
}

impl Smooth {
    /// The next output, and whether it is still on its way.
    pub fn step(self, v: [f32; 2], dt: f32, memory: &mut Memory) -> ([f32; 2], bool) {
        if !memory.is_live {
            // Before anything moved, it rested.
            *memory = Memory { is_live: true, ..Memory::default() };
        }
        if dt <= 0.0 {
            return (memory.out, false);
        }
        let share = match self {
            Smooth::HalfLife(half_life) => {
                // The time between ticks is the same for a whole run.
                if memory.aside[0] != dt {
                    let share = 1.0 - libm::expf(-LN_2 * dt / half_life.max(1e-6));
                    memory.aside = [dt, share];
                }
                memory.aside[1]
            }
            Smooth::Adaptive { steady_hz, follow } => {
                let speed = [0, 1].map(|i| (v[i] - memory.out[i]) / dt);
                let calm = low_pass(1.0, dt);
                for (aside, speed) in memory.aside.iter_mut().zip(speed) {
                    *aside += calm * (speed - *aside);
                }
                low_pass(steady_hz + follow * length(memory.aside), dt)
            }
        };
        for (out, v) in memory.out.iter_mut().zip(v) {
            *out += share * (v - *out);
        }
        let is_moving = length([v[0] - memory.out[0], v[1] - memory.out[1]]) > ARRIVED;
        if !is_moving {
            memory.out = v;
            if let Smooth::Adaptive { .. } = self {
                memory.aside = [0.0; 2];
            }
        }
        (memory.out, is_moving)
    }
}

/// The share of a step that a first-order low-pass makes up in `dt` seconds.
fn low_pass(cutoff_hz: f32, dt: f32) -> f32 {
    let tau = 1.0 / (TAU * cutoff_hz.max(1e-3));
    1.0 / (1.0 + tau / dt)
}

/// Turns the direction by at most so much: `limit` in degrees a second, by the
/// shorter way. The length follows at once, and so does the direction of a
/// stick that comes from rest.
pub fn turn_limit(v: [f32; 2], limit: f32, dt: f32, memory: &mut Memory) -> ([f32; 2], bool) {
    let (r, was) = (length(v), length(memory.out));
    if r == 0.0 || was == 0.0 || !memory.is_live {
        *memory = Memory { out: v, is_live: true, ..*memory };
        return (v, false);
    }
    let (angle, from) = (libm::atan2f(v[1], v[0]), libm::atan2f(memory.out[1], memory.out[0]));
    let turn = wrap(angle - from);
    let most = limit.to_radians() * dt;
    if turn.abs() <= most {
        memory.out = v;
        return (v, false);
    }
    let angle = from + most.copysign(turn);
    memory.out = [r * libm::cosf(angle), r * libm::sinf(angle)];
    (memory.out, true)
}

/// An angle in radians between -pi and pi.
fn wrap(angle: f32) -> f32 {
    let turns = libm::roundf(angle / TAU);
    angle - turns * TAU
}

/// Snaps to `ways` directions, the first of which points right. A direction is
/// kept until the stick is more than `hysteresis` degrees beyond its sector.
pub fn directions(v: [f32; 2], ways: u8, hysteresis: f32, memory: &mut Memory) -> [f32; 2] {
    let r = length(v);
    if r == 0.0 {
        memory.is_live = false;
        return [0.0, 0.0];
    }
    let sector = TAU / f32::from(ways);
    let angle = libm::atan2f(v[1], v[0]);
    let kept = memory.aside[0];
    let away = wrap(angle - kept * sector).abs();
    if !memory.is_live || away > sector / 2.0 + hysteresis.to_radians() {
        memory.aside[0] = libm::roundf(angle / sector);
        memory.is_live = true;
    }
    let angle = memory.aside[0] * sector;
    let unit = [libm::cosf(angle), libm::sinf(angle)];
    // Exactly along an axis where the direction is.
    unit.map(|part| if part.abs() < 1e-6 { 0.0 } else { part * r })
}

/// The side on which x last was beyond `from`: -1 or +1, and 0 before it ever
/// was.
pub fn facing(v: [f32; 2], from: f32, memory: &mut Memory) -> [f32; 2] {
    if v[0].abs() >= from && v[0] != 0.0 {
        memory.out = [1.0f32.copysign(v[0]), 0.0];
    }
    memory.out
}

/// Angle and length: degrees counter-clockwise from the right, above -180 up to
/// 180, by the two-argument arctangent: a full turn, with no dead spot at the
/// vertical. Rest has the angle 0.
pub fn polar([x, y]: [f32; 2]) -> [f32; 2] {
    let r = length([x, y]);
    if r == 0.0 {
        return [0.0, 0.0];
    }
    let degrees = libm::atan2f(y, x) * (180.0 / PI);
    [if degrees <= -180.0 { 180.0 } else { degrees }, r]
}
