//! A game, written by hand and without the core, held against the rig: what agrees, agrees,
//! and a mistake is named with its exact size.

mod common;

use common::Desk;
use gtrig_analysis::{
    Capacity, Session,
    agree::{Agreement, Cause, Gate, Held, Other, ReadKind, agree, games},
    frames::{Frame, Given, Read},
};
use gtrig_core::*;
use proptest::prelude::*;
use rstest::rstest;

const RIG: &str = r#"
rig = 1
[action.horn]
gives = "on"
from = "pad/south"
[action.brake]
gives = "pulse"
from = "pad/east"
[action.lights]
gives = "toggle"
from = "pad/east"
[action.swing]
gives = "axis"
closed-while = "horn"
from = { axis = "pad/stick-l-x", dead-zone = 0.12 }
[action.free]
gives = "axis"
from = { axis = "pad/stick-l-y", dead-zone = 0.12 }
[game.names]
Horn = "horn"
Brake = "brake"
Lights = "lights"
Swing = { is = "swing", times = -100 }
Free = "free"
Way = { moves = "free", times = 30 }
"#;

fn rig() -> Rig {
    gtrig_formats::rig::parse("t.toml", RIG).unwrap()
}

/// What the hand does: after so many tenths of a millisecond a control takes a value.
type Move = (u32, usize, i32);

const CONTROLS: [&str; 4] = ["south", "east", "stick-l-x", "stick-l-y"];

fn hand() -> impl Strategy<Value = Vec<Move>> {
    let button = (1u32..600, 0usize..2, 0i32..2);
    let stick = (1u32..300, 2usize..4, -100i32..=100);
    prop::collection::vec(prop_oneof![button, stick], 10..120)
}

/// A frame: so many tenths of a millisecond after the one before; so many frames before it
/// were never said; whether the game was started again before it.
type Beat = (u32, bool, bool);

fn beats() -> impl Strategy<Value = Vec<Beat>> {
    let lost = prop::bool::weighted(0.05);
    let again = prop::bool::weighted(0.02);
    // A coarse clock says one instant twice.
    let after = prop_oneof![9 => 5u32..500, 1 => Just(0)];
    prop::collection::vec((after, lost, again), 60..200)
}

/// The ways in which the game may be wrong.
#[derive(Clone, Copy, Debug)]
struct Wrong {
    dead_zone: f64,
    /// So many polls ago it read.
    late: usize,
    says_reads: bool,
    has_gate: bool,
    way_of_a_frame: Option<f64>,
    /// Fixed steps of so many milliseconds, and whether each reads what the frame flagged.
    steps: Option<(f64, bool)>,
    turned: f64,
}

const RIGHT: Wrong = Wrong {
    dead_zone: 0.12,
    late: 0,
    says_reads: true,
    has_gate: true,
    way_of_a_frame: None,
    steps: None,
    turned: -100.0,
};

/// The game: what a programmer would write.
struct Game {
    wrong: Wrong,
    before: [i32; 4],
    lights: bool,
    waiting: f64,
    steps: u64,
    last_poll: Nanos,
}

impl Game {
    fn new(wrong: Wrong, state: [i32; 4], polled: Nanos) -> Self {
        Game {
            wrong,
            before: state,
            lights: false,
            waiting: 0.0,
            steps: steps(wrong, polled),
            last_poll: polled,
        }
    }

    fn frame(&mut self, state: [i32; 4], polled: Nanos) -> (Option<u16>, [f64; 6]) {
        let due = steps(self.wrong, polled);
        let ran = (due - self.steps) as u16;
        self.steps = due;
        let seconds = (polled.0 - self.last_poll.0) as f64 / 1e9;
        self.last_poll = polled;
        let pressed = state[1] != 0 && self.before[1] == 0;
        self.before = state;
        self.waiting += f64::from(u8::from(pressed));
        self.lights ^= pressed;
        let brake = match self.wrong.steps {
            None => std::mem::take(&mut self.waiting),
            Some((_, false)) if ran == 0 => 0.0,
            Some((_, false)) => std::mem::take(&mut self.waiting),
            Some((_, true)) => f64::from(ran) * std::mem::take(&mut self.waiting),
        };
        let horn = f64::from(u8::from(state[0] != 0));
        let shaped = |raw: i32| {
            let value = f64::from(raw) / 100.0;
            let rest = self.wrong.dead_zone;
            value.signum() * ((value.abs() - rest) / (1.0 - rest)).clamp(0.0, 1.0)
        };
        let is_open = horn == 0.0 || !self.wrong.has_gate;
        let swing = if is_open { shaped(state[2]) * self.wrong.turned } else { 0.0 };
        let free = shaped(state[3]);
        let way = free * 30.0 * self.wrong.way_of_a_frame.unwrap_or(seconds);
        let steps = self.wrong.steps.map(|_| ran);
        (steps, [horn, brake, f64::from(u8::from(self.lights)), swing, free, way])
    }
}

fn steps(wrong: Wrong, polled: Nanos) -> u64 {
    wrong.steps.map_or(0, |(period, _)| (polled.as_millis() / period) as u64)
}

/// A tenth of a millisecond.
const TENTH: u64 = 100_000;

/// A session in which the hand moves and the game says its frames.
fn played(hand: &[Move], beats: &[Beat], wrong: Wrong) -> Session {
    let mut desk = Desk::new(rig());
    let mut said: Vec<(Nanos, usize, i32)> = Vec::new();
    let mut at = Nanos::from_millis(5);
    for &(after, control, value) in hand {
        at.0 += u64::from(after) * TENTH;
        let control_id = desk.control(&format!("pad1/{}", CONTROLS[control]));
        desk.session.report(Event::new(at, control_id, value));
        said.push((at, control, value));
    }
    let mut session = desk.session;
    let pad = session.roster().devices().find(|(_, d)| d.address().to_string() == "pad1");
    let pad = pad.unwrap().0;
    let device = session.roster().device(pad);
    let ids = CONTROLS.map(|code| device.control(code).unwrap());
    let state = |until: Nanos| {
        let mut state = [0; 4];
        for (_, control, value) in said.iter().filter(|(time, ..)| *time <= until) {
            state[*control] = *value;
        }
        state
    };
    let game = session.frames_mut().game(&CleanText::new("test-game")).unwrap();
    let names = ["Horn", "Brake", "Lights", "Swing", "Free", "Way"];
    let names = names.map(|name| session.frames_mut().name(&CleanText::new(name)).unwrap());
    let begin = Nanos::from_millis(10);
    let mut polls = vec![begin];
    let mut number = 100;
    let mut running = Game::new(wrong, state(begin), begin);
    for &(after, is_lost, starts_again) in beats {
        let polled = Nanos(polls.last().unwrap().0 + u64::from(after) * TENTH);
        polls.push(polled);
        let read = state(polls[polls.len() - 1 - wrong.late.min(polls.len() - 1)]);
        number += 1;
        if starts_again {
            number = 1;
            running = Game::new(wrong, read, polled);
        }
        let (steps, values) = running.frame(read, polled);
        // A game that starts twice and loses a first frame looks like one that goes on.
        if is_lost && !starts_again {
            continue;
        }
        let reads =
            ids.iter().zip(read).map(|(&control, value)| Read { control, values: [value; 2] });
        session.add_frame(Frame {
            game,
            number,
            acted: Nanos(polled.0 + 300_000),
            polled: [polled; 2],
            steps,
            reads: if wrong.says_reads { reads.collect() } else { Vec::new() },
            gives: names.iter().zip(values).map(|(&name, value)| Given { name, value }).collect(),
            devices_came: Nanos(0),
        });
    }
    session
}

fn held_by(session: &Session, rig: &Rig) -> Agreement {
    let recording = session.recording();
    let events: Vec<Event> = recording.events().collect();
    let [game] = games(session.frames())[..] else { panic!("one game") };
    agree(Held::of(rig, &recording, &events), game, |_| {})
}

fn held(session: &Session) -> Agreement {
    held_by(session, session.rig())
}

fn causes(of: &Agreement) -> Vec<&Cause> {
    of.differences.iter().map(|difference| &difference.cause).collect()
}

/// A game that says frames of a horn, at these instants, with what it read and gave.
fn horn_frames(session: &mut Session, frames: &[(u64, i32)]) {
    frames_of(session, ("Horn", "south"), 1, frames);
}

/// The same of any value, which is what was read of a control, in such parts of a unit.
fn frames_of(session: &mut Session, (name, code): (&str, &str), unit: i32, frames: &[(u64, i32)]) {
    let game = session.frames_mut().game(&CleanText::new("test-game")).unwrap();
    let name = session.frames_mut().name(&CleanText::new(name)).unwrap();
    let (_, device) = session.roster().devices().next().unwrap();
    let control = device.control(code).unwrap();
    for (&(ms, read), number) in frames.iter().zip(1..) {
        let polled = Nanos::from_millis(ms);
        session.add_frame(Frame {
            game,
            number,
            acted: polled,
            polled: [polled; 2],
            steps: None,
            reads: vec![Read { control, values: [read; 2] }],
            gives: vec![Given { name, value: f64::from(read) / f64::from(unit) }],
            devices_came: Nanos(0),
        });
    }
}

/// What was held on a device that goes is at rest: a game that reads so is right, and one
/// that goes on is told.
#[rstest]
#[case::gone(true)]
#[case::deaf(false)]
fn what_cannot_be_heard_is_at_rest(#[case] is_gone: bool) {
    let mut desk = Desk::new(rig());
    desk.set(20.0, "pad1/south", 1);
    let pad = desk.session.roster().devices().next().unwrap().0;
    let at = Nanos::from_millis(40);
    match is_gone {
        true => desk.session.unplug(pad, at),
        false => desk.session.set_presence(pad, Presence::Deaf, at),
    }
    let mut session = desk.session;
    let mut stuck = session.clone();
    horn_frames(&mut session, &[(10, 0), (30, 1), (50, 0), (70, 0)]);
    let found = held(&session);
    assert!(found.is_met(), "{:#?}", (found.differences, found.reads));
    horn_frames(&mut stuck, &[(10, 0), (30, 1), (50, 1), (70, 1)]);
    let found = held(&stuck);
    assert_eq!(found.differences.len(), 1);
    assert_eq!(found.differences[0].frames, 2);
}

/// By a coarse clock two frames poll at one instant. What each of them read is its own.
#[test]
fn of_two_frames_at_one_instant_each_reads_for_itself() {
    let mut desk = Desk::new(rig());
    desk.set(20.0, "pad1/south", 1);
    horn_frames(&mut desk.session, &[(10, 0), (30, 0), (30, 1), (50, 1)]);
    let found = held(&desk.session);
    let by = Nanos::from_millis(10);
    assert!(
        matches!(causes(&found)[..], [Cause::Read { kind: ReadKind::Old { by: late }, .. }] if *late == by),
        "{:#?}",
        found.differences
    );
}

/// Of what the history has forgotten nothing is said.
#[test]
fn frames_from_before_the_history_are_not_compared() {
    let small = Capacity { events: 1_000, changes: usize::MAX };
    let mut desk = Desk::with_capacity(rig(), small);
    let frames: Vec<(u64, i32)> = (0..20_000).map(|n| (10 + n * 4, i32::from(n % 4 < 2))).collect();
    let mut down = 0;
    for &(ms, read) in &frames {
        if read != down {
            down = read;
            desk.set(ms as f64 - 1.0, "pad1/south", read);
        }
        let tick = desk.session.plan().rate().tick_at(Nanos::from_millis(ms));
        desk.run_to(tick.0);
    }
    horn_frames(&mut desk.session, &frames);
    assert!(desk.session.history().begins() > Tick(0), "something must have been forgotten");
    let found = held(&desk.session);
    assert!(found.differences.is_empty(), "{:#?}", found.differences.first());
    assert!(found.frames > 100 && found.frames < 20_000, "{}", found.frames);
}

/// A game that stood still says late what its devices did. What it read tells when that had
/// happened, also where it read only the last of several values.
#[test]
fn what_came_late_is_put_back_where_it_was_read() {
    let mut desk = Desk::new(rig());
    desk.run_to(12);
    for (ms, value) in [(20, 30), (24, -70), (28, 100)] {
        desk.set(f64::from(ms), "pad1/stick-l-y", value);
    }
    let mut session = desk.session;
    let frames = [(10, 0), (29, 100), (150, 100), (300, 100)];
    frames_of(&mut session, ("Free", "stick-l-y"), 100, &frames);
    let found = held(&session);
    assert!(found.is_met(), "{:#?}", (found.differences, found.reads));
}

/// A hand that does all of it, and frames of unlike length.
fn usual() -> (Vec<Move>, Vec<Beat>) {
    let sweep =
        (0..60).flat_map(|n| [(170, 2, (n * 7) % 201 - 100), (30, 3, (n * 13) % 201 - 100)]);
    let taps = (0..12).flat_map(|_| [(400, 1, 1), (310, 1, 0)]);
    let horn = [(100, 2, 80), (100, 0, 1), (1500, 2, 60), (900, 0, 0)];
    let hand = sweep.chain(taps).chain(horn).collect();
    let beats = (0..180).map(|n| ([167, 160, 331, 80, 90, 410][n % 6], false, false)).collect();
    (hand, beats)
}

#[rstest]
#[case::without_steps(RIGHT)]
#[case::with_steps(Wrong { steps: Some((20.0, false)), ..RIGHT })]
#[case::that_says_nothing_of_what_it_reads(Wrong { says_reads: false, ..RIGHT })]
fn a_right_game_agrees(#[case] game: Wrong) {
    let (hand, beats) = usual();
    let found = held(&played(&hand, &beats, game));
    assert!(found.is_met(), "{:#?}", found.differences);
    assert_eq!(found.frames, 180);
    assert!(found.latency.whole.count() > 5);
}

#[rstest]
#[case::gate(Wrong { has_gate: false, ..RIGHT }, &|cause: &Cause| {
    *cause == Cause::GateOpen(Gate::While(ActionId(0)))
})]
#[case::way(Wrong { way_of_a_frame: Some(0.016), ..RIGHT }, &|cause: &Cause| {
    matches!(cause, Cause::PerFrame { seconds, .. } if (seconds - 0.016).abs() < 1e-6)
})]
#[case::steps(Wrong { steps: Some((20.0, true)), ..RIGHT }, &|cause: &Cause| {
    matches!(cause, Cause::StepLost(_) | Cause::StepRepeated(_, 2))
})]
#[case::factor(Wrong { turned: 80.0, ..RIGHT }, &|cause: &Cause| {
    matches!(cause, Cause::Times(by) if (by + 0.8).abs() < 1e-6)
})]
#[case::late_and_silent(Wrong { late: 2, says_reads: false, ..RIGHT }, &|cause: &Cause| {
    *cause == Cause::FramesLate(2)
})]
#[case::no_dead_zone(Wrong { dead_zone: 0.0, ..RIGHT }, &|cause: &Cause| {
    matches!(cause, Cause::Number { from, .. } if *from == 0.0)
        || *cause == Cause::Otherwise(Other::Without("dead-zone"))
})]
fn a_mistake_is_found_and_named(#[case] game: Wrong, #[case] is_it: &dyn Fn(&Cause) -> bool) {
    let (hand, beats) = usual();
    let found = held(&played(&hand, &beats, game));
    let causes = causes(&found);
    assert!(
        !causes.is_empty() && causes.iter().all(|cause| is_it(cause)),
        "{:#?}",
        found.differences
    );
    assert!(found.reads.is_empty());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(96))]

    /// Whatever the hand does, however long frames last, with frames that were never said
    /// and games that are started again.
    #[test]
    fn whatever_happens_a_right_game_agrees(
        hand in hand(),
        beats in beats(),
        steps in proptest::option::of(5.0..40.0f64),
        says_reads: bool,
    ) {
        let game = Wrong { steps: steps.map(|period| (period, false)), says_reads, ..RIGHT };
        let found = held(&played(&hand, &beats, game));
        prop_assert!(found.differences.is_empty(), "{:#?}", found.differences);
        prop_assert!(found.reads.is_empty(), "{:#?}", found.reads);
    }

    /// Another dead zone is found, and by how much it is another is exact: the rig with
    /// either end of what is told agrees, and a little beyond it does not.
    #[test]
    fn the_ends_of_a_number_are_exact(hand in hand(), beats in beats(), rest in 0.0..0.5f64) {
        let game = Wrong { dead_zone: rest, ..RIGHT };
        // Of one value alone, so that one number explains all.
        let beats: Vec<Beat> = beats.into_iter().map(|(after, ..)| (after, false, false)).collect();
        let session = played(&hand, &beats, game);
        let found = held(&session);
        for (value, name) in ["Swing", "Free"].iter().enumerate() {
            let differences: Vec<_> = found.differences.iter().filter(|difference| {
                let of = found.values[difference.value].name;
                session.frames().names()[usize::from(of.0)].as_str() == *name
            }).collect();
            if differences.is_empty() || differences.len() > 40 {
                continue;
            }
            let Cause::Number { place, from, to, .. } = &differences[0].cause else {
                prop_assert!(false, "{name}: {:#?}", differences[0]);
                return Ok(());
            };
            prop_assert!(*from <= rest + 1e-6 && rest <= *to + 1e-6, "{from} to {to}, not {rest}");
            let agrees = |number: f64| {
                let rig = session.rig().with(place, number);
                let again = held_by(&session, &rig);
                let compared: Vec<_> = again.differences.iter().filter(|difference| {
                    let of = again.values[difference.value].name;
                    session.frames().names()[usize::from(of.0)].as_str() == *name
                }).collect();
                compared.is_empty()
            };
            prop_assert!(agrees(*from) && agrees(*to), "{value}: {from} to {to}");
            prop_assert!(*from == 0.0 || !agrees(from - 1e-5));
            let most = session.rig().knobs().into_iter().find(|knob| knob.place == *place).unwrap().tunable.max;
            prop_assert!(*to == most || !agrees(to + 1e-5));
        }
    }

    /// By how much a value was off at most is the tolerance with which it would agree.
    #[test]
    fn the_most_is_the_tolerance_it_takes(hand in hand(), beats in beats(), rest in 0.2..0.5f64) {
        let session = played(&hand, &beats, Wrong { dead_zone: rest, ..RIGHT });
        let mut rig = session.rig().clone();
        let most = held(&session).values.iter().map(|value| value.most).fold(0.0, f64::max);
        prop_assume!(most > 0.0);
        rig.game.tolerance = most;
        prop_assert!(held_by(&session, &rig).differences.is_empty());
        rig.game.tolerance = most * (1.0 - 1e-9);
        prop_assert!(!held_by(&session, &rig).differences.is_empty());
    }

    /// A poll that reads what was there some polls ago is told for what it is, and the
    /// slack that it takes is exact to the nanosecond.
    #[test]
    fn a_late_poll_is_told(hand in hand(), beats in beats(), late in 1usize..3) {
        let beats: Vec<Beat> = beats.into_iter().map(|(after, ..)| (after, false, false)).collect();
        let session = played(&hand, &beats, Wrong { late, ..RIGHT });
        let mut rig = session.rig().clone();
        rig.game.slack = Nanos(0);
        let found = held_by(&session, &rig);
        for difference in &found.differences {
            prop_assert!(
                matches!(difference.cause, Cause::Read { kind: ReadKind::Old { .. }, .. }),
                "{difference:#?}"
            );
        }
        let longest = found.reads.iter().filter_map(|read| read.kind.late()).max();
        prop_assume!(longest.is_some());
        rig.game.slack = longest.unwrap();
        let with_slack = held_by(&session, &rig);
        prop_assert!(with_slack.is_met() && with_slack.close > 0, "{:#?}", with_slack.differences);
        rig.game.slack = Nanos(rig.game.slack.0 - 1);
        prop_assert!(!held_by(&session, &rig).reads.is_empty());
    }
}
