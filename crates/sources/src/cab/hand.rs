//! A hand on the glass panel.
//!
//! A finger that goes from one place to another follows a minimum-jerk path
//! (T. Flash and N. Hogan, "The coordination of arm movements", J. Neurosci.
//! 1985): of the way it has gone `10 s³ - 15 s⁴ + 6 s⁵` after the share `s` of
//! the time. On top come the bow of a wrist that turns, physiological tremor of
//! nine cycles a second, and the noise of the panel.

use super::{Act, Timetable};
use gtrig_core::Nanos;
use rand_pcg::{Pcg32, rand_core::Rng};
use std::f32::consts::{PI, TAU};

/// Between two reports of the panel.
const INTERVAL: u64 = 8_333_333;

/// Of the tremor, in millimetres.
const TREMOR: f32 = 0.12;

/// The most by which a report is off, in millimetres.
const NOISE: f32 = 0.08;

/// A finger that lands, moves and lifts. Places in millimetres from the top
/// left of the panel.
#[derive(Clone, Copy, Debug)]
pub(super) struct Stroke {
    pub(super) contact: u8,
    pub(super) start: Nanos,
    pub(super) from: [f32; 2],
    pub(super) to: [f32; 2],
    pub(super) over_ms: u64,
    /// How far its middle lies beside the straight line, in millimetres.
    pub(super) bow: f32,
}

impl Stroke {
    /// Puts every report of it on the timetable.
    pub(super) fn plan(&self, timetable: &mut Timetable, rng: &mut Pcg32) {
        let over = self.over_ms * 1_000_000;
        let phase = share(rng) * TAU;
        for after in (0..over).step_by(INTERVAL as usize) {
            let seconds = after as f32 / 1e9;
            let shake = TREMOR * (TAU * 9.0 * seconds + phase).sin();
            let [x, y] = self.at(after as f32 / over as f32);
            let noise = [0, 1].map(|_| (share(rng) * 2.0 - 1.0) * NOISE);
            let place = Some([x + shake + noise[0], y + shake * 0.6 + noise[1]]);
            let act = Act::Touch { contact: self.contact, place };
            timetable.add(Nanos(self.start.0 + after), act);
        }
        let act = Act::Touch { contact: self.contact, place: None };
        timetable.add(Nanos(self.start.0 + over), act);
    }

    fn at(&self, s: f32) -> [f32; 2] {
        let gone = s * s * s * (10.0 - 15.0 * s + 6.0 * s * s);
        let [dx, dy] = [self.to[0] - self.from[0], self.to[1] - self.from[1]];
        let length = dx.hypot(dy).max(f32::MIN_POSITIVE);
        let aside = self.bow * (PI * gone).sin() / length;
        [self.from[0] + dx * gone - dy * aside, self.from[1] + dy * gone + dx * aside]
    }
}

/// From 0 to 1.
pub(super) fn share(rng: &mut Pcg32) -> f32 {
    (rng.next_u32() % 10_000) as f32 / 10_000.0
}
