//! Stages that remember: smoothing, turn limit, directions, facing.
//!
//! Each is a function of the value, the time since the tick before, and a
//! [`StageMemory`]. With no time passed it gives its last output again, which is how
//! a screen looks at a run without disturbing it.
//!
//! | stage | keeps in `out` | keeps in `aside` |
//! |---|---|---|
//! | smooth, by half-life | the last output | the share of a step for this `dt` |
//! | smooth, adaptive | the last output | the smoothed speed |
//! | turn limit | the last output | cosine and sine of the limit for this `dt` |
//! | directions | nothing | the number of the direction |
//! | facing | the side | nothing |

use crate::base::length;
use crate::spec::Smooth;
use core::f32::consts::{LN_2, PI, TAU};

/// What a stage remembers from tick to tick.
///
/// Plain data, the same for every stage, so that a machine keeps all of them in one list and a
/// copy of it is a checkpoint. A new one means: never run, at rest.
///
/// Invariant: `dt` is more than 0 and `is_live` holds once something was worked out for a time
/// between ticks; before that `dt` is no time at all.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct StageMemory {
    /// The last output.
    pub(super) out: [f32; 2],
    /// What else the stage needs.
    pub(super) aside: [f32; 2],
    /// The time between ticks for which `aside` was worked out.
    pub(super) dt: f32,
    /// Whether there has been an output.
    pub(super) is_live: bool,
}

/// No time between ticks: nothing was worked out for any.
const NO_TIME: f32 = f32::NEG_INFINITY;

impl Default for StageMemory {
    fn default() -> Self {
        StageMemory { out: [0.0; 2], aside: [0.0; 2], dt: NO_TIME, is_live: false }
    }
}

impl StageMemory {
    /// Whether something was worked out for this time between ticks. Then there has been an output,
    /// and it is more than 0.
    #[inline]
    fn knows(&self, dt: f32) -> bool {
        self.dt.to_bits() == dt.to_bits()
    }

    /// The last output.
    pub(crate) fn place(&self) -> [f32; 2] {
        self.out
    }

    /// Goes on from there.
    pub(crate) fn set_place(&mut self, place: [f32; 2]) {
        self.out = place;
    }
}

/// Closer than this, a filter has arrived.
const ARRIVED: f32 = 1.0 / 65_536.0;

/// Slower than this, in units a second, an adaptive filter has come to rest: with
/// the largest `follow` it moves the cut-off by a thousandth of the smallest.
const CALM: f32 = 1e-6;

impl Smooth {
    /// The next output, and whether it is still on its way.
    ///
    /// `dt` is in seconds. By half-life `out += (1 - 2^(-dt / half-life)) (v - out)`; adaptive
    /// `out += a(f) (v - out)` with `a(f) = 2 pi f dt / (2 pi f dt + 1)` and
    /// `f = steady + follow * |speed|`, where the speed is that of `v - out` over `dt`, itself smoothed
    /// by `a(1 Hz)`. Closer than 2^-16 it has arrived, exactly.
    #[inline]
    pub fn step(self, v: [f32; 2], dt: f32, memory: &mut StageMemory) -> ([f32; 2], bool) {
        match self {
            Smooth::HalfLife(seconds) => half_life(seconds, v, dt, memory),
            Smooth::Adaptive { steady_hz, follow } => adaptive(steady_hz, follow, v, dt, memory),
        }
    }
}

/// Before anything moved, it rested. Returns whether time has passed since the last
/// output.
#[inline]
fn begin(dt: f32, memory: &mut StageMemory) -> bool {
    if !memory.is_live {
        *memory = StageMemory { is_live: true, ..StageMemory::default() };
    }
    dt > 0.0
}

/// Smoothing by a half-life in seconds: the next output, and whether it is still on its
/// way.
#[inline]
pub(super) fn half_life(
    seconds: f32,
    v: [f32; 2],
    dt: f32,
    memory: &mut StageMemory,
) -> ([f32; 2], bool) {
    // The time between ticks is the same for a whole run.
    if !memory.knows(dt) {
        if !begin(dt, memory) {
            return (memory.out, false);
        }
        (memory.dt, memory.aside[0]) = (dt, made_up(seconds, dt));
    }
    let is_moving = approach(v, memory.aside[0], memory);
    (memory.out, is_moving)
}

/// The same by a low-pass that follows the speed.
#[inline(never)]
fn adaptive(
    steady_hz: f32,
    follow: f32,
    v: [f32; 2],
    dt: f32,
    memory: &mut StageMemory,
) -> ([f32; 2], bool) {
    if !begin(dt, memory) {
        return (memory.out, false);
    }
    let share = adapted(steady_hz, follow, v, dt, memory);
    let is_moving = approach(v, share, memory);
    // The speed it has seen dies away after it has arrived, as it does while it is on its
    // way.
    let is_calm = length(memory.aside) < CALM;
    if !is_moving && is_calm {
        memory.aside = [0.0; 2];
    }
    (memory.out, is_moving || !is_calm)
}

/// Makes up a share of the way. Returns whether there is any left: then the output is finite, for
/// so is the way that is left. A share that is too small to be added arrives: the output would
/// stand still for ever, a little beside.
#[inline]
fn approach(v: [f32; 2], share: f32, memory: &mut StageMemory) -> bool {
    let [x, y] = memory.out;
    let out = [x + share * (v[0] - x), y + share * (v[1] - y)];
    let away = [v[0] - out[0], v[1] - out[1]];
    let far = away[0] * away[0] + away[1] * away[1];
    let is_far = far > ARRIVED * ARRIVED && far < f32::INFINITY;
    let is_moving = is_far && out != memory.out;
    memory.out = if is_moving { out } else { v };
    is_moving
}

/// The share of a step that is made up in `dt` seconds.
#[cold]
fn made_up(half_life: f32, dt: f32) -> f32 {
    1.0 - libm::expf(-LN_2 * dt / half_life.max(1e-6))
}

/// The same for a low-pass that follows the speed, which it takes in.
///
/// The speed is measured against the last output, as in the paper, where it is that of the signal
/// against its filtered self.
fn adapted(steady_hz: f32, follow: f32, v: [f32; 2], dt: f32, memory: &mut StageMemory) -> f32 {
    let calm = low_pass(1.0, dt);
    for ((speed, v), out) in memory.aside.iter_mut().zip(v).zip(memory.out) {
        *speed += calm * ((v - out) / dt - *speed);
    }
    low_pass(steady_hz + follow * length(memory.aside), dt)
}

/// The share of a step that a first-order low-pass makes up in `dt` seconds.
fn low_pass(cutoff_hz: f32, dt: f32) -> f32 {
    // 1 / (1 + tau / dt) with tau = 1 / (2 pi f), by one division.
    let turned = TAU * cutoff_hz.max(1e-3) * dt;
    turned / (turned + 1.0)
}

/// Turns the direction by at most so much: `limit` in degrees a second, by the
/// shorter way. The length follows at once, and so does the direction of a
/// stick that comes from rest.
///
/// Angles are compared by their sines and cosines, as cross and dot product
/// give them; only those of the limit are worked out, once for a run.
///
/// ```
/// use gtrig_core::{StageMemory, turn_limit};
///
/// let mut memory = StageMemory::default();
/// turn_limit([1.0, 0.0], 90.0, 0.5, &mut memory);
/// // From right to up at 90 degrees a second: after half a second it is half-way.
/// let (out, is_moving) = turn_limit([0.0, 1.0], 90.0, 0.5, &mut memory);
/// assert!((out[0] - out[1]).abs() < 1e-6 && is_moving);
/// ```
pub fn turn_limit(v: [f32; 2], limit: f32, dt: f32, memory: &mut StageMemory) -> ([f32; 2], bool) {
    let (r, was) = (length(v), length(memory.out));
    let most = limit.to_radians() * dt;
    if r == 0.0 || was == 0.0 || most >= PI {
        memory.out = v;
        return (v, false);
    }
    if dt <= 0.0 {
        return (memory.out, false);
    }
    if !memory.knows(dt) {
        *memory = StageMemory {
            aside: [libm::cosf(most), libm::sinf(most)],
            dt,
            is_live: true,
            out: memory.out,
        };
    }
    let ([from_x, from_y], [cos, sin]) = (memory.out, memory.aside);
    let cross = from_x * v[1] - from_y * v[0];
    let is_ahead = from_x * v[0] + from_y * v[1] > 0.0;
    let is_beside = cross.abs() > sin * r * was;
    let is_within = if cos >= 0.0 { is_ahead && !is_beside } else { is_ahead || is_beside };
    if is_within {
        memory.out = v;
        return (v, false);
    }
    // Half a turn is turned counter-clockwise, whatever the sign of its nought.
    let (sin, scale) = (if cross < 0.0 { -sin } else { sin }, r / was);
    memory.out = [scale * (from_x * cos - from_y * sin), scale * (from_x * sin + from_y * cos)];
    (memory.out, true)
}

/// An angle in radians between -pi and pi.
fn wrap(angle: f32) -> f32 {
    let turns = libm::roundf(angle / TAU);
    angle - turns * TAU
}

/// Snaps to `ways` directions, the first of which points right. A direction is
/// kept until the stick is more than `hysteresis` degrees beyond its sector.
///
/// The length stays as it is. Rest forgets the direction.
///
/// ```
/// use gtrig_core::{StageMemory, directions};
///
/// let mut memory = StageMemory::default();
/// assert_eq!(directions([0.5, 0.1], 4, 5.0, &mut memory)[1], 0.0);
/// // 47 degrees is beyond the border of 45, but not by more than the hysteresis.
/// let (sin, cos) = 47.0f32.to_radians().sin_cos();
/// assert_eq!(directions([cos, sin], 4, 5.0, &mut memory)[1], 0.0);
/// let (sin, cos) = 52.0f32.to_radians().sin_cos();
/// assert_eq!(directions([cos, sin], 4, 5.0, &mut memory)[0], 0.0);
/// ```
pub fn directions(v: [f32; 2], ways: u8, hysteresis: f32, memory: &mut StageMemory) -> [f32; 2] {
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
///
/// ```
/// use gtrig_core::{StageMemory, facing};
///
/// let mut memory = StageMemory::default();
/// assert_eq!(facing([0.1, 0.0], 0.2, &mut memory), [0.0, 0.0]);
/// assert_eq!(facing([-0.6, 0.3], 0.2, &mut memory), [-1.0, 0.0]);
/// // The side stays when the stick goes back to rest.
/// assert_eq!(facing([0.0, 0.0], 0.2, &mut memory), [-1.0, 0.0]);
/// ```
pub fn facing(v: [f32; 2], from: f32, memory: &mut StageMemory) -> [f32; 2] {
    if v[0].abs() >= from && v[0] != 0.0 {
        memory.out = [1.0f32.copysign(v[0]), 0.0];
    }
    memory.out
}
