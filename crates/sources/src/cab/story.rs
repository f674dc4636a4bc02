//! The takes that ship with the program: each shows one thing that goes wrong
//! at Kestrel Quay.

use super::{Act, Cab, Model, hand::Stroke};
use crate::Source;
use gtrig_analysis::Session;
use gtrig_core::{Nanos, Presence};
use strum::{IntoStaticStr, VariantArray};

/// A story told by a take.
#[derive(Clone, Copy, Debug, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Story {
    /// A horn tap that falls between two polls at 30 Hz.
    LostTap,
    /// A stick whose rest wanders out of its dead zone.
    #[strum(serialize = "drifting-hook")]
    Drift,
    /// Two devices that fight for one hook.
    HandOver,
    /// A key that is held while the focus goes elsewhere.
    StuckHorn,
    /// A lever whose radio drops reports in the middle of a lift.
    #[strum(serialize = "jerking-hook")]
    Skips,
    /// A worn stick, moved so that it can be measured.
    #[strum(serialize = "worn-stick")]
    Rim,
    /// Swipes, taps and pinches on glass, some of them lazy.
    #[strum(serialize = "lazy-thumb")]
    Glass,
    /// Combos that come a little too late, too far apart, or between two polls.
    #[strum(serialize = "hasty-hands")]
    Hasty,
}

impl Story {
    /// What it is about, in a line.
    pub const fn title(self) -> &'static str {
        match self {
            Story::LostTap => "The horn that did not sound: a tap lost between two polls",
            Story::Drift => "The drifting hook: a stick whose rest wanders out of its dead zone",
            Story::HandOver => {
                "Two hands on one hook: a forgotten pad takes the hoist from the lever"
            }
            Story::StuckHorn => {
                "The horn that would not stop: focus went away while its key was held"
            }
            Story::Skips => "The jerking hook: a lever whose radio drops reports in mid-lift",
            Story::Rim => "The worn stick, measured: let go, rolled along the rim, held, flicked",
            Story::Glass => {
                "The lazy thumb: what was meant on the glass, and what the game made of it"
            }
            Story::Hasty => {
                "The hasty hands: signals that came too late, too far apart, or between two polls"
            }
        }
    }

    /// The poll rate it is to be watched at, where it is not the rig's.
    pub const fn poll_hz(self) -> Option<f64> {
        match self {
            Story::LostTap => Some(30.0),
            _ => None,
        }
    }

    /// Plays the whole story into a session and runs it to its end.
    pub fn play(self, session: &mut Session) {
        let mut cab = Cab::idle(self as u64 + 1);
        let end = match self {
            Story::LostTap => lost_tap(&mut cab),
            Story::Drift => drift(&mut cab),
            Story::HandOver => hand_over(&mut cab),
            Story::StuckHorn => stuck_horn(&mut cab),
            Story::Skips => skips(&mut cab),
            Story::Rim => rim(&mut cab),
            Story::Glass => glass(&mut cab),
            Story::Hasty => hasty(&mut cab),
        };
        cab.drain(session, end);
        session.run_before(end);
    }
}

fn ms(ms: u64) -> Nanos {
    Nanos::from_millis(ms)
}

fn us(us: u64) -> Nanos {
    Nanos(us * 1_000)
}

fn push(cab: &mut Cab, device: Model, code: &'static str, at: u64, to: f32, over: u64) {
    cab.timetable.add(ms(at), Act::Move { device, code, to, over: ms(over) });
}

fn label(cab: &mut Cab, at: u64, text: &'static str) {
    cab.timetable.add(ms(at), Act::Label(text));
}

fn lost_tap(cab: &mut Cab) -> Nanos {
    cab.timetable.add(ms(0), Act::Plug(Model::TwinPad));
    push(cab, Model::TwinPad, "stick-l-x", 250, 0.7, 300);
    push(cab, Model::TwinPad, "stick-l-x", 1_900, 0.0, 250);
    for (from, until) in [
        (403_700, 521_300),
        // Between the polls at 1 200.00 and 1 233.33 ms.
        (1_204_310, 1_211_870),
        (1_893_600, 1_931_000),
        // Between the polls at 2 400.00 and 2 433.33 ms: two of three taps.
        (2_402_000, 2_409_500),
        (2_418_200, 2_425_900),
        (2_428_000, 2_470_000),
        (3_089_300, 3_260_000),
    ] {
        cab.timetable.tap(Model::TwinPad, "south", us(from), us(until));
    }
    label(cab, 1_204, "a short tap: no horn");
    label(cab, 2_402, "three quick taps: one horn");
    ms(3_800)
}

fn hasty(cab: &mut Cab) -> Nanos {
    let pad = Model::TwinPad;
    cab.timetable.add(ms(0), Act::Plug(pad));
    for (code, from, until) in [
        // Two blasts; two that are 12.4 ms too far apart; two of which the second
        // lies between two polls at 60 Hz, and the same again, slowly.
        ("south", 402_000, 471_000),
        ("south", 639_500, 720_000),
        ("south", 1_500_000, 1_580_000),
        ("south", 1_862_400, 1_950_000),
        ("south", 2_600_000, 2_690_000),
        ("south", 2_852_000, 2_860_500),
        // Both hands at once, and one of them late.
        ("east", 3_500_000, 3_620_000),
        ("west", 3_543_000, 3_633_000),
        ("west", 4_200_000, 4_330_000),
        ("east", 4_278_600, 4_352_000),
        // The end of a roll of the stick, in time and too late.
        ("north", 5_620_000, 5_700_000),
        ("north", 7_152_000, 7_230_000),
        // Once more, hurried.
        ("south", 8_000_000, 8_060_000),
        ("south", 8_170_000, 8_220_000),
        ("south", 8_331_000, 8_380_000),
    ] {
        cab.timetable.tap(pad, code, us(from), us(until));
    }
    for at in [5_200, 6_500] {
        push(cab, pad, "stick-l-y", at, 1.0, 70);
        push(cab, pad, "stick-l-x", at + 110, 1.0, 70);
        push(cab, pad, "stick-l-y", at + 230, 0.0, 70);
        push(cab, pad, "stick-l-x", at + 430, 0.0, 90);
    }
    label(cab, 402, "two blasts: the crew comes");
    label(cab, 1_500, "two blasts, and nobody came");
    label(cab, 2_600, "and again nobody");
    label(cab, 4_200, "both hands: no stop");
    label(cab, 6_500, "a roll that did nothing");
    ms(9_000)
}

fn drift(cab: &mut Cab) -> Nanos {
    let (device, code) = (Model::TwinPad, "stick-r-y");
    cab.timetable.add(ms(0), Act::Plug(device));
    push(cab, device, code, 300, -0.8, 300);
    push(cab, device, code, 1_500, 0.0, 160);
    cab.timetable.add(ms(1_700), Act::Drift { device, code, to: -0.19, over: ms(5_000) });
    label(cab, 1_660, "stick let go");
    label(cab, 5_600, "nobody touches it, and the hook rises");
    cab.timetable.tap(device, "east", ms(6_800), ms(6_870));
    push(cab, device, code, 7_100, 0.5, 200);
    push(cab, device, code, 7_700, 0.0, 160);
    ms(9_000)
}

fn hand_over(cab: &mut Cab) -> Nanos {
    cab.timetable.add(ms(0), Act::Plug(Model::Lever));
    cab.timetable.add(ms(0), Act::Plug(Model::TwinPad));
    push(cab, Model::Lever, "travel", 400, 0.55, 500);
    label(cab, 400, "first hand: the lever lifts");
    // The pad lies on the desk; something leans on its stick.
    push(cab, Model::TwinPad, "stick-r-y", 1_800, 0.85, 350);
    label(cab, 1_850, "pad 2 leans on a clipboard: the hook falls");
    push(cab, Model::TwinPad, "stick-r-y", 3_400, 0.0, 200);
    push(cab, Model::Lever, "travel", 4_200, 0.0, 300);
    cab.timetable.tap(Model::Lever, "thumb", ms(2_300), ms(2_420));
    cab.timetable.add(ms(4_800), Act::Unplug(Model::TwinPad));
    label(cab, 4_800, "pad 2 unplugged");
    push(cab, Model::Lever, "travel", 5_200, -0.5, 400);
    push(cab, Model::Lever, "travel", 6_400, 0.0, 300);
    ms(7_200)
}

fn skips(cab: &mut Cab) -> Nanos {
    let device = Model::Lever;
    cab.timetable.add(ms(0), Act::Plug(device));
    // The radio fails while the lever moves, and once while it rests.
    for (from, until) in [(2_130, 2_270), (3_060, 3_170), (5_000, 5_240)] {
        cab.timetable.add(ms(from), Act::DropReports { device, until: ms(until) });
    }
    push(cab, device, "travel", 500, 0.35, 500);
    push(cab, device, "travel", 2_000, 0.9, 420);
    label(cab, 2_200, "the hook jerks upwards");
    push(cab, device, "travel", 2_950, -0.6, 380);
    label(cab, 3_100, "and down");
    push(cab, device, "travel", 4_100, 0.0, 400);
    ms(6_000)
}

fn rim(cab: &mut Cab) -> Nanos {
    let device = Model::WornPad;
    cab.timetable.add(ms(0), Act::Plug(device));
    let both = |cab: &mut Cab, at: u64, [x, y]: [f32; 2], over: u64| {
        push(cab, device, "stick-l-x", at, x, over);
        push(cab, device, "stick-l-y", at, y, over);
    };
    label(cab, 100, "let go");
    label(cab, 3_000, "rolled along the rim");
    both(cab, 3_000, [1.0, 0.0], 300);
    // Twice round, a step every 20 ms.
    for step in 0..=288u64 {
        let angle = step as f32 / 144.0 * std::f32::consts::TAU;
        both(cab, 3_400 + step * 20, [angle.cos(), angle.sin()], 30);
    }
    label(cab, 9_300, "let go");
    both(cab, 9_300, [0.0, 0.0], 90);
    label(cab, 12_000, "held");
    both(cab, 12_000, [0.7, 0.0], 250);
    both(cab, 13_600, [0.0, 0.0], 90);
    label(cab, 14_800, "flicked");
    for (at, to) in [(14_800, [-0.95, 0.0]), (16_200, [0.0, 0.95])] {
        both(cab, at, to, 120);
        // Let go, it swings past the centre and comes back.
        both(cab, at + 400, to.map(|part| -0.14 * part), 50);
        both(cab, at + 455, [0.0, 0.0], 60);
    }
    ms(18_500)
}

/// Everything is labelled with what was meant.
fn glass(cab: &mut Cab) -> Nanos {
    cab.timetable.add(ms(0), Act::Plug(Model::Glass));
    let mut stroke =
        |contact: u8, at: u64, from: [f32; 2], to: [f32; 2], over_ms: u64, bow: f32| {
            let stroke = Stroke { contact, start: ms(at), from, to, over_ms, bow };
            stroke.plan(&mut cab.timetable, &mut cab.rng);
        };
    stroke(1, 600, [50.0, 50.0], [98.0, 48.0], 230, 1.5);
    stroke(1, 1_700, [104.0, 46.0], [60.0, 52.0], 250, -1.0);
    // Too short, too much of an arc, too slow.
    stroke(1, 2_800, [60.0, 52.0], [73.8, 51.0], 190, 0.4);
    stroke(1, 3_900, [100.0, 40.0], [78.0, 56.0], 240, 3.0);
    stroke(1, 5_000, [52.0, 50.0], [92.0, 49.0], 520, 1.0);
    // Two taps; two more that are too far apart in time.
    let at = [84.0, 30.0];
    for (tap, over_ms) in [(6_200, 70), (6_420, 80), (7_400, 75), (7_737, 70)] {
        stroke(1, tap, at, at, over_ms, 0.0);
    }
    // Apart, together again, and with both fingers at once to the right: no pinch.
    stroke(1, 8_800, [70.0, 46.0], [46.0, 54.0], 600, 1.0);
    stroke(2, 8_830, [86.0, 42.0], [112.0, 34.0], 590, 1.0);
    stroke(1, 10_200, [46.0, 54.0], [68.0, 48.0], 560, 1.0);
    stroke(2, 10_215, [112.0, 36.0], [88.0, 42.0], 570, 1.0);
    for (at, text) in [
        (600, "meant: look-right"),
        (1_700, "meant: look-left"),
        (2_800, "meant: look-right, a lazy one"),
        (3_900, "meant: look-left, from the wrist"),
        (5_000, "meant: look-right, in no hurry"),
        (6_300, "meant: lights"),
        (7_500, "meant: lights, a slow one"),
        (8_900, "meant: zoom"),
        (10_300, "meant: zoom"),
    ] {
        label(cab, at, text);
    }
    ms(11_800)
}

fn stuck_horn(cab: &mut Cab) -> Nanos {
    let device = Model::Keys;
    cab.timetable.add(ms(0), Act::Plug(device));
    cab.timetable.tap(device, "KeyH", ms(300), ms(480));
    cab.timetable.add(ms(1_000), Act::Button { device, code: "KeyH", down: true });
    for at in (1_500..2_000).step_by(33) {
        cab.timetable.add(ms(at), Act::Repeat { code: "KeyH" });
    }
    // The window lost focus: no release ever comes.
    label(cab, 2_000, "focus lost while KeyH is held");
    cab.timetable.add(ms(2_000), Act::Hearing(device, Presence::Deaf));
    cab.timetable.add(ms(3_000), Act::Hearing(device, Presence::Here));
    cab.timetable.tap(device, "KeyH", ms(3_400), ms(3_520));
    ms(4_200)
}
