//! Every tunable number, declared once: screen, rig checker and documents
//! read it here.
//!
//! ```
//! use gtrig_core::tunable::{ALL, DEAD_ZONE};
//!
//! assert!(DEAD_ZONE.allows(DEAD_ZONE.default) && !DEAD_ZONE.allows(f64::NAN));
//! // What is declared here is all that a person can nudge.
//! assert!(ALL.iter().all(|of| of.min < of.max && of.step > 0.0 && of.allows(of.default)));
//! ```

mod combos;
mod game;
mod gestures;
mod sampling;
mod shaping;
mod surface;
mod yard;

pub use combos::*;
pub use game::*;
pub use gestures::*;
pub use sampling::*;
pub use shaping::*;
pub use surface::*;
pub use yard::*;

/// A number a person may set, with all that is to be known about it.
///
/// A number in a rig that is outside of `min` to `max` is refused with its place; a nudge stops at
/// the ends.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Tunable {
    /// Its key in a rig.
    pub name: &'static str,
    /// Its unit, as shown after the number.
    pub unit: &'static str,
    /// The smallest value allowed.
    pub min: f64,
    /// The largest value allowed.
    pub max: f64,
    /// One nudge.
    pub step: f64,
    /// The value of a rig that does not mention it.
    pub default: f64,
    /// What it does, in a sentence.
    pub meaning: &'static str,
}

impl Tunable {
    /// A number with its range, ends included, and with what a nudge changes and what it is where
    /// a rig does not say it.
    const fn new(
        name: &'static str,
        unit: &'static str,
        (min, max): (f64, f64),
        (step, default): (f64, f64),
        meaning: &'static str,
    ) -> Tunable {
        Tunable { name, unit, min, max, step, default, meaning }
    }

    /// The same in a unit of which so many are one of its own.
    ///
    /// Range, step and default all become `by` times as large.
    const fn times(self, name: &'static str, unit: &'static str, by: f64) -> Tunable {
        let Tunable { min, max, step, default, meaning, .. } = self;
        Tunable {
            name,
            unit,
            min: written(min * by),
            max: written(max * by),
            step: written(step * by),
            default: written(default * by),
            meaning,
        }
    }

    /// Whether `value` may be set (NaN may not).
    pub fn allows(&self, value: f64) -> bool {
        (self.min..=self.max).contains(&value)
    }
}

/// A positive number as a person writes it: without what multiplying did to its last digits.
///
/// To nine decimals; 3 mm are 0.01875 of a panel of 160 mm, and not 0.018750000000000003.
const fn written(number: f64) -> f64 {
    const DECIMALS: f64 = 1e9;
    (number * DECIMALS + 0.5) as u64 as f64 / DECIMALS
}

/// All of them, in the order documents list them.
///
/// Numbers with the same key in several units are there once, by their first unit.
pub const ALL: [&Tunable; 73] = [
    &POLL_HZ,
    &DEAD_ZONE,
    &PRESS_AT,
    &RELEASE_AT,
    &DEBOUNCE_MS,
    &STUCK_AFTER_S,
    &USE_AT,
    &USE_COUNTS,
    &OUTER,
    &SLOPE,
    &EXPONENT,
    &CUBIC,
    &STEEPNESS,
    &SENSITIVITY,
    &HALF_LIFE_MS,
    &STEADY_HZ,
    &FOLLOW,
    &TURN_LIMIT,
    &HYSTERESIS,
    &FACING,
    &POINTS,
    &OFFSET,
    &SCALE,
    &COUNTS,
    &CALIBRATE_X,
    &CALIBRATE_Y,
    &RECT,
    &CIRCLE,
    &POLYGON,
    &RECT_UNITS,
    &CIRCLE_UNITS,
    &POLYGON_UNITS,
    &CAMERA,
    &ZOOM,
    &LIFT_MS,
    &HOLD_MS,
    &MOVE_MM,
    &GAP_MS,
    &SPREAD_MM,
    &TOGETHER_MS,
    &LENGTH_MM,
    &TIME_MS,
    &SPEED_MM_S,
    &RELEASE_MM_S,
    &OUTSIDE_MM,
    &OFF_AXIS_DEG,
    &OFF_AXIS_MM,
    &STRAIGHT,
    &EDGE_MM,
    &SLOP_MM,
    &SLOP_DEG,
    &CATCH_MM,
    &AT,
    &DEAD_MM,
    &ORIGIN,
    &DIFFERS_DEG,
    &LEAD_DEG,
    &RING_MM,
    &REACH_MM,
    &REACH_MM_S,
    &REACH_TIMES,
    &REACH_DEG,
    &AFTER,
    &WITHIN,
    &BUFFERED,
    &FOR,
    &IN,
    &ALL_WITHIN,
    &SPEED,
    &ACCELERATION,
    &BRAKING,
    &TOLERANCE,
    &SLACK_MS,
];
