//! Combos that one gesture or one zone alone kept from being met.
//!
//! A step of a combo may be a gesture or a zone. Where that was missed by little,
//! the [ladder](crate::ladder) knows of no press. So the edges are read once more
//! with one: of the gesture at the tick at which its attempt was over, of the zone
//! at the tick at which a finger landed beside it; and as of the report with which
//! that finger moved, if that tick saw one. Where the combo is met with it, this
//! alone kept it from being met.

use crate::{
    Session,
    ladder::{ComboAttempt, ComboAttemptOutcome, Ladder},
};
use alloc::vec::Vec;
use gtrig_core::{
    Combo, ComboId, ComboStep, Contact, ControlId, GestureId, GestureOutcome, GestureVerdict,
    ModeId, Moment, Signal, SignalChange, SignalEdge, SignalId, StepKind, Tick, ZoneId,
};

/// A finger that lands no further than this beside a zone nearly landed on it, in
/// millimetres.
pub const BESIDE_MM: f32 = 5.0;

/// Of the edges after a press that was missed, so many are read at most.
const READ_ON: usize = 256;

/// What a hand nearly did.
#[derive(Clone, Debug, PartialEq)]
pub enum Almost {
    /// An attempt at a gesture that was a near miss.
    Gesture(GestureVerdict),
    /// A finger landed beside a zone.
    Zone {
        /// Which.
        zone: ZoneId,
        /// The contact.
        contact: ControlId,
        /// How far beside it, in millimetres.
        outside_mm: f32,
    },
}

/// A combo that would have been met, had one of its steps been.
#[derive(Clone, Debug, PartialEq)]
pub struct AlmostMet {
    /// The combo.
    pub combo: ComboId,
    /// The step that was missed.
    pub step: u8,
    /// What came instead.
    pub instead: Almost,
    /// The attempt as it would have been.
    pub attempt: ComboAttempt,
}

/// A press of a signal that did not come.
struct Missed {
    signal: SignalId,
    /// When it would have been reported, and the tick that would have seen it.
    at: Moment,
    instead: Almost,
}

impl Missed {
    /// Nothing but `instead` at a tick, by a contact.
    fn new(
        session: &Session,
        signal: SignalId,
        (contact, tick): (ControlId, Tick),
        instead: Almost,
    ) -> Self {
        let seen = session.plan().rate().time_of(tick);
        let reported = session.events_of(contact, tick).map(|event| event.time).max();
        Missed {
            signal,
            at: Moment { time: reported.map_or(seen, |at| at.min(seen)), tick },
            instead,
        }
    }
}

/// Every combo of a session that one gesture or one zone alone kept from being
/// met, in the order of the rig and then of time.
pub fn almost_met(session: &Session) -> Vec<AlmostMet> {
    let signals = (0..).map(SignalId).zip(&session.rig().signals);
    let mut missed: Vec<Missed> = signals
        .flat_map(|(id, signal)| match *signal {
            Signal::Gesture(gesture) => missed_gestures(session, id, gesture),
            Signal::Zone(zone) => missed_zones(session, id, zone),
            _ => Vec::new(),
        })
        .collect();
    missed.sort_by_key(|missed| missed.at);
    let combos = ComboId::first(session.rig().combos.len());
    combos.flat_map(|combo| of_combo(session, combo, &missed)).collect()
}

fn missed_gestures(session: &Session, signal: SignalId, gesture: GestureId) -> Vec<Missed> {
    let is_near = |verdict: &&GestureVerdict| {
        verdict.gesture == gesture && verdict.outcome == GestureOutcome::Missed && verdict.is_near()
    };
    let attempts = session.attempts();
    let near = attempts.iter().filter(is_near);
    near.map(|verdict| {
        let by = (verdict.contact, verdict.tick);
        Missed::new(session, signal, by, Almost::Gesture(*verdict))
    })
    .collect()
}

fn missed_zones(session: &Session, signal: SignalId, zone: ZoneId) -> Vec<Missed> {
    let plan = session.plan();
    let Some(of) = plan.zones().on_panel().get(zone.index()) else { return Vec::new() };
    let mut missed = Vec::new();
    for contact in plan.contacts().iter().filter(|contact| of.by.has(contact.by)) {
        let downs = session.history().control_lane(contact.down);
        let landings = downs.changes_after(session.history().begins());
        for tick in landings.filter(|change| change.value > 0.0).map(|change| change.tick) {
            let outside_mm = of.outline.outside(place(session, contact, tick), contact.size);
            if outside_mm > 0.0 && outside_mm <= BESIDE_MM {
                let instead = Almost::Zone { zone, contact: contact.down, outside_mm };
                missed.push(Missed::new(session, signal, (contact.down, tick), instead));
            }
        }
    }
    missed
}

/// Where a contact was at a tick, in millimetres from the top left.
fn place(session: &Session, contact: &Contact, tick: Tick) -> [f32; 2] {
    let lane = |axis: ControlId| session.history().control_lane(axis).value_at(tick);
    let [x, y] = contact.place([lane(contact.x), lane(contact.y)]);
    [x * contact.size[0], y * contact.size[1]]
}

fn of_combo(session: &Session, id: ComboId, missed: &[Missed]) -> Vec<AlmostMet> {
    let rig = session.rig();
    let combo = &rig.combos[id.index()];
    let its = |missed: &&Missed| steps_of(combo, missed.signal).next().is_some();
    let mut found = Vec::new();
    let mut ladder = Ladder::new(rig, id);
    let edges = session.history().signal_edges();
    let mut read = 0;
    for missed in missed.iter().filter(its) {
        let is_before =
            |edge: &&SignalEdge| (edge.seen(), edge.reported()) <= (missed.at.tick, missed.at.time);
        let before = edges.range(read..).take_while(is_before).count();
        ladder.feed(edges.range(read..read + before));
        read += before;
        let after = edges.iter().skip(read).take(READ_ON);
        let attempt = with_press(session, ladder.fork(), missed, after);
        found.extend(attempt.and_then(|attempt| {
            let is_it = |n: &usize| {
                let rung = attempt.rungs.get(*n);
                rung.is_some_and(|rung| rung.reported == missed.at.time)
            };
            let step = steps_of(combo, missed.signal).find(is_it)? as u8;
            Some(AlmostMet { combo: id, step, instead: missed.instead.clone(), attempt })
        }));
    }
    found
}

/// The steps that a press of a signal meets, and that do not ask for how long.
fn steps_of(combo: &Combo, signal: SignalId) -> impl Iterator<Item = usize> {
    let is_its =
        move |step: &ComboStep| matches!(&step.what, StepKind::Press(of) if of.contains(&signal));
    combo.steps.iter().enumerate().filter(move |(_, step)| is_its(step)).map(|(n, _)| n)
}

/// The attempt that is met with a press that did not come, if one is.
fn with_press<'e>(
    session: &Session,
    mut ladder: Ladder,
    missed: &Missed,
    after: impl Iterator<Item = &'e SignalEdge>,
) -> Option<ComboAttempt> {
    let (paused, mode) = clock(session, missed.at.tick);
    let Moment { time, tick } = missed.at.before(paused);
    let (signal, change, by) = (Some(missed.signal), SignalChange::Press, None);
    let press = SignalEdge { signal, change, time, tick, paused, mode, by };
    ladder.feed([&press]);
    let mut read = 0;
    ladder.feed(after.inspect(|_| read += 1));
    if read < READ_ON {
        let end = session.now().combo_now(session.plan());
        ladder.advance(end);
    }
    let uses_it = |attempt: &&ComboAttempt| {
        attempt.outcome == ComboAttemptOutcome::Met
            && attempt.rungs.iter().any(|rung| rung.reported == press.reported())
    };
    ladder.attempts().iter().find(uses_it).cloned()
}

/// For how long the clock of the combos has stood still at a tick, and the mode then on top.
fn clock(session: &Session, tick: Tick) -> (Moment, ModeId) {
    if session.rig().modes.is_empty() {
        return (Moment::default(), ModeId(0));
    }
    let at = Moment { time: session.plan().rate().time_of(tick), tick };
    let machine = session.at(tick);
    let paused = at.before(machine.combo_now(session.plan()));
    (paused, machine.modes().last().copied().unwrap_or(ModeId(0)))
}
