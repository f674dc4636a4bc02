//! Strokes on the glass panel whose intention is known, for asking how many of
//! them a rig understands.

use super::{
    Act, Cab, Model,
    hand::{Stroke, share},
};
use crate::Source;
use gtrig_analysis::Session;
use gtrig_core::Nanos;

/// From one to the next.
const BEAT_MS: u64 = 1_300;

/// The most that [`Cab::strokes`] draws at once.
pub const MAX_STROKES: u32 = 10_000;

impl Cab {
    /// Has a hand draw so many strokes into a session, never twice the same:
    /// swipes to the left and to the right, pairs of taps, and two fingers that
    /// move apart, each labelled with what was meant by the names of the shipped
    /// rig; and now and then a thumb that only rests, which means nothing. Runs
    /// the session to their end.
    pub fn strokes(session: &mut Session, seed: u64, count: u32) {
        let mut cab = Cab::idle(seed);
        cab.timetable.add(Nanos(0), Act::Plug(Model::Glass));
        for n in 0..u64::from(count.min(MAX_STROKES)) {
            cab.one_of_many(Nanos::from_millis(500 + n * BEAT_MS));
        }
        let end = Nanos::from_millis(500 + u64::from(count) * BEAT_MS);
        cab.drain(session, end);
        session.run_before(end);
    }

    fn between(&mut self, least: f32, most: f32) -> f32 {
        least + (most - least) * share(&mut self.rng)
    }

    fn draw(&mut self, stroke: Stroke) {
        stroke.plan(&mut self.timetable, &mut self.rng);
    }

    fn one_of_many(&mut self, start: Nanos) {
        let meant = match (share(&mut self.rng) * 9.0) as u32 {
            0..3 => self.swipe(start, 1.0),
            3..6 => self.swipe(start, -1.0),
            6 => self.two_taps(start),
            7 => self.apart(start),
            _ => return self.rest(start),
        };
        self.timetable.add(start, Act::Label(meant));
    }

    fn swipe(&mut self, start: Nanos, side: f32) -> &'static str {
        let length = self.between(22.0, 60.0);
        let slope = self.between(-0.35, 0.25);
        let from = [80.0 - side * self.between(10.0, 35.0), self.between(25.0, 65.0)];
        let to = [from[0] + side * length, from[1] + slope * length];
        let over_ms = self.between(140.0, 420.0) as u64;
        let bow = self.between(-2.5, 2.5);
        self.draw(Stroke { contact: 1, start, from, to, over_ms, bow });
        if side > 0.0 { "meant: look-right" } else { "meant: look-left" }
    }

    fn two_taps(&mut self, start: Nanos) -> &'static str {
        let at = [self.between(30.0, 130.0), self.between(15.0, 75.0)];
        let first = self.between(50.0, 130.0) as u64;
        let pause = self.between(70.0, 260.0) as u64;
        let again = [at[0] + self.between(-4.0, 4.0), at[1] + self.between(-4.0, 4.0)];
        let second = Nanos(start.0 + (first + pause) * 1_000_000);
        for (start, at, over_ms) in [(start, at, first), (second, again, first)] {
            self.draw(Stroke { contact: 1, start, from: at, to: at, over_ms, bow: 0.0 });
        }
        "meant: lights"
    }

    fn apart(&mut self, start: Nanos) -> &'static str {
        let middle = [self.between(60.0, 100.0), self.between(35.0, 55.0)];
        let [near, far] = [self.between(8.0, 14.0), self.between(20.0, 32.0)];
        let later = Nanos(start.0 + self.between(0.0, 60.0) as u64 * 1_000_000);
        let over_ms = self.between(350.0, 700.0) as u64;
        for (contact, start, side) in [(1, start, -1.0), (2, later, 1.0)] {
            let at = |reach: f32| [middle[0] + side * reach, middle[1] - side * reach * 0.4];
            let (from, to) = (at(near), at(far));
            self.draw(Stroke { contact, start, from, to, over_ms, bow: 1.0 });
        }
        "meant: zoom"
    }

    /// A thumb that lies there and slips a little.
    fn rest(&mut self, start: Nanos) {
        let from = [self.between(30.0, 130.0), self.between(15.0, 75.0)];
        let to = [from[0] + self.between(-5.0, 5.0), from[1] + self.between(-5.0, 5.0)];
        let over_ms = self.between(400.0, 900.0) as u64;
        self.draw(Stroke { contact: 1, start, from, to, over_ms, bow: 0.0 });
    }
}
