//! The operator of the demo: lifts one container after another, never twice
//! in quite the same way.

use super::{Act, Model, Timetable, hand::Stroke};
use gtrig_core::Nanos;
use rand_pcg::{Pcg32, rand_core::Rng};

/// How long one lift takes.
const LIFT: Nanos = Nanos::from_millis(12_000);

/// Plans one lift at a time, always a lift ahead.
#[derive(Debug, Default)]
pub(super) struct Operator {
    planned_to: Nanos,
    lifts: u64,
}

impl Operator {
    /// Makes sure that something is on the timetable.
    pub(super) fn plan_ahead(&mut self, timetable: &mut Timetable, rng: &mut Pcg32) {
        // The next lift is planned when the last act of this one comes up.
        if timetable.0.len() <= 1 {
            Lift { start: self.planned_to, number: self.lifts, timetable, rng }.plan();
            self.planned_to = Nanos(self.planned_to.0 + LIFT.0);
            self.lifts += 1;
        }
    }
}

struct Lift<'a> {
    start: Nanos,
    number: u64,
    timetable: &'a mut Timetable,
    rng: &'a mut Pcg32,
}

impl Lift<'_> {
    fn plan(mut self) {
        self.slew();
        self.horn();
        self.hoist();
        self.grip();
        self.keys();
        self.brake();
        self.twin_pad();
        self.glass();
        if self.number % 4 == 3 {
            // The lead of the second pad is loose.
            self.at(9_600, Act::Unplug(Model::TwinPad));
            self.at(11_300, Act::Plug(Model::TwinPad));
        }
    }

    /// An instant `ms` into the lift, give or take 40 ms: nobody is a metronome.
    fn time(&mut self, ms: u64) -> Nanos {
        let jitter = u64::from(self.rng.next_u32() % 80_000) * 1_000;
        Nanos(self.start.0 + ms * 1_000_000 + jitter)
    }

    fn at(&mut self, ms: u64, act: Act) {
        let time = self.time(ms);
        self.timetable.add(time, act);
    }

    fn tap(&mut self, device: Model, code: &'static str, ms: u64, hold_us: u64) {
        let from = self.time(ms);
        let spread = u64::from(self.rng.next_u32()) % (hold_us / 4 + 1);
        let until = Nanos(from.0 + (hold_us + spread) * 1_000);
        self.timetable.tap(device, code, from, until);
    }

    fn push(&mut self, device: Model, code: &'static str, ms: u64, to: f32, over_ms: u64) {
        let over = Nanos::from_millis(over_ms);
        self.at(ms, Act::Move { device, code, to, over });
    }

    /// A share of the travel near `about`.
    fn near(&mut self, about: f32) -> f32 {
        about + ((self.rng.next_u32() % 200) as f32 - 100.0) / 1_000.0
    }

    fn slew(&mut self) {
        let (x, y) = (self.near(0.75), self.near(-0.6));
        self.push(Model::WornPad, "stick-l-x", 200, x, 350);
        self.push(Model::WornPad, "stick-l-y", 300, y, 400);
        self.push(Model::WornPad, "stick-l-x", 1_900, -0.4, 500);
        self.push(Model::WornPad, "stick-l-y", 2_100, 0.3, 400);
        self.push(Model::WornPad, "stick-l-x", 2_900, 0.0, 180);
        self.push(Model::WornPad, "stick-l-y", 2_900, 0.0, 180);
    }

    fn horn(&mut self) {
        self.tap(Model::WornPad, "south", 900, 160_000);
        self.tap(Model::WornPad, "south", 1_400, 90_000);
        // Too short for a poll at 60 Hz.
        self.tap(Model::WornPad, "south", 1_700, 6_000);
        self.tap(Model::WornPad, "south", 7_200, 240_000);
    }

    fn hoist(&mut self) {
        let up = self.near(0.8);
        self.push(Model::Lever, "travel", 2_600, up, 600);
        self.push(Model::Lever, "travel", 4_700, 0.0, 400);
        self.push(Model::Lever, "travel", 9_000, -up, 500);
        self.push(Model::Lever, "travel", 10_600, 0.0, 300);
        self.tap(Model::Lever, "thumb", 4_000, 70_000);
    }

    fn grip(&mut self) {
        self.push(Model::WornPad, "trigger-r", 4_600, 1.0, 240);
        self.push(Model::WornPad, "trigger-r", 8_600, 0.0, 160);
    }

    /// Left, then right before left is let go, then back to left.
    fn keys(&mut self) {
        self.hold_key("KeyA", 5_400, 1_300);
        self.hold_key("KeyD", 5_900, 400);
        self.hold_key("KeyE", 10_000, 600);
        self.hold_key("ArrowRight", 7_700, 800);
    }

    /// A key repeats after half a second, then every 33 ms.
    fn hold_key(&mut self, code: &'static str, ms: u64, hold_ms: u64) {
        let from = self.time(ms);
        let until = Nanos(from.0 + hold_ms * 1_000_000);
        self.timetable.tap(Model::Keys, code, from, until);
        let repeats = (from.0 + 500_000_000..until.0).step_by(33_000_000);
        for time in repeats {
            self.timetable.add(Nanos(time), Act::Repeat { code });
        }
    }

    fn brake(&mut self) {
        self.tap(Model::Keys, "Space", 8_100, 45_000);
        self.tap(Model::Keys, "Space", 8_250, 50_000);
        self.tap(Model::TwinPad, "east", 11_000, 60_000);
    }

    fn twin_pad(&mut self) {
        self.push(Model::TwinPad, "stick-r-y", 6_300, -1.0, 300);
        self.push(Model::TwinPad, "stick-r-y", 7_000, 0.0, 200);
        self.tap(Model::TwinPad, "dpad-left", 6_500, 300_000);
        self.tap(Model::TwinPad, "shoulder-r", 6_900, 500_000);
    }

    /// Looks to the right, puts on the lights, and zooms on the load.
    fn glass(&mut self) {
        let from = [36.0 + 20.0 * self.near(0.3), 40.0 + 20.0 * self.near(0.0)];
        let swipe = [from[0] + 44.0, from[1] + 10.0 * self.near(0.2)];
        self.stroke(3_200, 1, [from, swipe], 240);
        let at = [84.0, 30.0];
        self.stroke(5_000, 1, [at, at], 70);
        self.stroke(5_210, 1, [at, at], 80);
        // Two fingers apart, and later a swipe that is too short.
        self.stroke(6_600, 1, [[66.0, 46.0], [46.0, 52.0]], 620);
        self.stroke(6_620, 2, [[84.0, 42.0], [108.0, 36.0]], 600);
        self.stroke(9_400, 1, [[96.0, 44.0], [81.0, 43.0]], 210);
    }

    fn stroke(&mut self, ms: u64, contact: u8, [from, to]: [[f32; 2]; 2], over_ms: u64) {
        let start = Nanos(self.start.0 + ms * 1_000_000);
        let stroke = Stroke { contact, start, from, to, over_ms, bow: 1.0 };
        stroke.plan(self.timetable, self.rng);
    }
}
