//! The attempts that go on, and how gestures bear on each other.
//!
//! A tick goes through the updates of contacts in this order:
//!
//! - Every track takes in how its contact went on.
//! - Attempts hear of it, the oldest first: of movements, of a finger that was lifted, of time
//!   that passed. Where all limits hold, the attempt is *met*; it does not fire yet.
//! - Fingers that landed begin attempts, and join those that lack one.
//! - Attempts that are met fire, or go on waiting for other gestures.
//! - What is over is told as a verdict and leaves the list.
//!
//! A movement is told only to the attempts that are judged by movements, or give something, or
//! have all of several fingers. All others catch up with their fingers when they are asked: when
//! one is lifted, when another one joins them, or when somebody looks. Of several attempts at a
//! gesture that last one gives its value; what the others would give is worked out when they take
//! over, or are over. So the cost of a tick follows what can come of it, and not how many attempts
//! go on.
//!
//! Nothing is allocated after [`GestureEngine::fit`].
//!
//! An example, with a tap that waits for a double tap, and two taps in time:
//!
//! ```text
//!  finger       ▔▔▔▔╲____╱▔▔▔╲____________
//!               ↑   ↑    ↑   ↑
//!  tap          try met, waits            cancelled by double: never fires
//!  double       try part try met, fires
//! ```
//!
//! And with one tap alone: when the gap of the double tap has gone by, nothing can come of that any
//! more, and the tap fires at the tick that finds it so.

mod bearing;
mod ending;
mod lifting;
mod moments;
mod shown;

use super::{GestureStates, Ways};
use crate::base::{ContactId, ControlId, GestureId, Nanos, Tick};
use crate::gesture::{
    AttemptPhase, BoundGesture, GestureAttempt, GestureOutcome, GesturePlan, GestureState,
    GestureVerdict, OriginAxis, Taps,
};
use crate::sample::ControlState;
use crate::spec::{GestureKind, Pointing, Quantity, StickCentre};
use crate::touch::{Contact, ContactUpdate, Landing};
use alloc::vec::Vec;
use lifting::lift;
use moments::{
    Step, follow, hold, hold_until, is_hopeless, judge, judge_held, one_tap, step, told,
};
pub use shown::GestureCandidate;

/// At most this many attempts go on at once; a finger that lands when there are as many begins
/// none. Part of the format of rigs.
pub const MAX_ATTEMPTS: usize = 1024;

/// What changes while gestures are recognised. It is copied with a machine, so that any tick can
/// be run again from a checkpoint.
///
/// Invariants, after a tick: an attempt that is over and waits for nobody is not in the list;
/// `wake` is later than the tick, if there is one.
#[derive(Clone, Debug, Default)]
pub(crate) struct GestureEngine {
    /// The attempts that go on, in the order in which they began.
    attempts: Vec<GestureAttempt>,
    /// Every gesture.
    states: GestureStates,
    /// For each gesture its last taps, where it wants several.
    taps: Vec<Taps>,
    /// Where the fingers went.
    ways: Ways,
    /// What came of the attempts that were over in this tick.
    verdicts: Vec<GestureVerdict>,
    /// When time alone may bring an attempt further.
    wake: Option<Nanos>,
    /// Whether an attempt may have ended in this tick.
    is_any_over: bool,
    /// Whether an attempt has met its limits and has not fired yet.
    is_any_met: bool,
}

/// What a tick is run by.
///
/// A tick and a look are run by the same thing: with it, a question that a person asks of a frozen
/// run has the answer that the next tick would give.
#[derive(Clone, Copy)]
pub(crate) struct GesturePoll<'a> {
    /// The gestures of the rig.
    pub(crate) plan: &'a GesturePlan,
    /// The contacts of all panels.
    pub(crate) contacts: &'a [Contact],
    /// All controls, for origins that controls say.
    pub(crate) controls: &'a [ControlState],
    /// Whether an origin of an aim moved.
    pub(crate) has_moved_origin: bool,
    /// The tick.
    pub(crate) tick: Tick,
    /// Its instant.
    pub(crate) now: Nanos,
}

impl GesturePoll<'_> {
    /// The gesture that an attempt is at.
    fn gesture(&self, attempt: &GestureAttempt) -> &BoundGesture {
        self.plan.gesture(attempt.gesture)
    }

    /// Where the origin of an aim is on a surface of this size, if controls say it.
    fn origin(&self, of: &BoundGesture, size: [f32; 2]) -> Option<[f32; 2]> {
        let value = |axis: OriginAxis| self.controls[axis.control.index()].value;
        let shares = of.origin?.map(|axis| axis.share(value(axis)));
        Some([shares[0] * size[0], shares[1] * size[1]])
    }

    /// What says that a contact is there.
    fn down(&self, contact: ContactId) -> ControlId {
        self.contacts[contact.index()].down
    }
}

impl GestureEngine {
    /// Makes room for every attempt that can go on at once, so that no tick needs to allocate.
    pub(crate) fn fit(&mut self, plan: &GesturePlan, contacts: usize) {
        let gestures = plan.gestures.len();
        if gestures == 0 {
            return;
        }
        self.states.fit(gestures);
        self.taps.resize(gestures, Taps::NONE);
        self.ways.fit(plan, contacts);
        let room = room(plan, contacts);
        self.attempts.reserve(room - self.attempts.len().min(room));
        self.verdicts.reserve(room - self.verdicts.len().min(room));
    }

    /// The gestures whose state changed in this tick.
    pub(crate) fn changed(&self) -> &[GestureId] {
        self.states.changed()
    }

    /// What came of the attempts that were over in this tick, in the order in which they began.
    pub(crate) fn verdicts(&self) -> &[GestureVerdict] {
        &self.verdicts
    }

    /// A gesture as it was after the last tick; idle for one that the rig does not have.
    pub(crate) fn state(&self, gesture: GestureId) -> GestureState {
        self.states.of(gesture)
    }

    /// When a tick must run though nothing is reported.
    pub(crate) fn wakes(&self) -> Option<Nanos> {
        self.wake
    }

    /// Whether a tick without updates would change nothing before it wakes.
    pub(crate) fn is_settled(&self) -> bool {
        self.states.is_settled() && self.verdicts.is_empty()
    }

    /// Runs a tick over the updates of its contacts, none of which is in it twice.
    ///
    /// A tick without updates and before its wake time ends what the tick before fired, and nothing
    /// else.
    pub(crate) fn tick(&mut self, poll: GesturePoll, updates: &[ContactUpdate]) {
        self.verdicts.clear();
        self.states.age();
        let is_idle = updates.is_empty() && self.wake.is_none_or(|wake| wake > poll.now);
        if is_idle && !poll.has_moved_origin {
            return;
        }
        updates.iter().for_each(|update| self.ways.go_on(poll.plan, update));
        self.hear(poll, updates.iter().any(|update| update.lifted.is_some()));
        for update in updates {
            self.ways.forget_news(update);
            if let Some(landed) = update.landed {
                self.land(poll, update, landed);
            }
        }
        if self.is_any_met {
            self.settle(poll);
            self.give_anew(poll);
        }
        if self.is_any_over {
            self.conclude(poll);
        }
        if self.is_any_met {
            self.wake = self.next_wake(poll);
        }
    }

    /// Tells the attempts how their fingers went on, and how late it is.
    fn hear(&mut self, poll: GesturePoll, is_any_lifted: bool) {
        let GestureEngine { attempts, ways, taps, states, .. } = self;
        let (mut wake, mut is_any_over, mut is_any_met) = (None, false, false);
        for attempt in attempts.iter_mut() {
            if !attempt.is_over && (attempt.is_watching || is_any_lifted) {
                let of = poll.gesture(attempt);
                if is_any_lifted {
                    // If it is over with this tick, this is what it gave last.
                    attempt.bring_value_up_to_date(of);
                }
                let step = match of.is_press {
                    true => listen_to_press(attempt, of, ways, poll, &mut wake),
                    false => listen(attempt, of, ways, poll),
                };
                match step {
                    Step::Lifted(moved) => {
                        let taps = &mut taps[attempt.gesture.index()];
                        lift(attempt, of, (ways, taps), poll, moved);
                        is_any_over = true;
                    }
                    Step::Moved(_) if attempt.is_lasting && of.gives => {
                        if of.remembers || states.is_given_by(attempt) {
                            give(attempt, of, states);
                        }
                    }
                    Step::Moved(_) | Step::None => {}
                }
            }
            is_any_met |= attempt.phase == AttemptPhase::Met;
        }
        (self.is_any_over, self.is_any_met, self.wake) = (is_any_over, is_any_met, wake);
    }

    /// A finger lands: every gesture that listens there begins an attempt, and
    /// adds the finger to those that lack one.
    ///
    /// An attempt with several fingers is begun by each of them: which of them belong together is
    /// known when the last has landed, and those that found no others are no attempts to tell of.
    fn land(&mut self, poll: GesturePoll, update: &ContactUpdate, landing: Landing) {
        let contact = &poll.contacts[update.contact.index()];
        self.ways.land(poll.plan, contact, (update, landing));
        for (of, n) in poll.plan.gestures.iter().zip((0..).map(GestureId)) {
            let listens = match of.zone {
                Some(zone) => update.zones.has(zone),
                // A zone has what hovers only for a while.
                None => !update.is_taken || contact.by == Pointing::Hover,
            };
            if !listens || !of.by.has(contact.by) {
                continue;
            }
            if of.fingers > 1 {
                let lacks = |attempt: &&mut GestureAttempt| {
                    let is_open = !attempt.is_complete(of) && !attempt.all_lifted();
                    attempt.gesture == n && attempt.panel == contact.panel && is_open
                };
                for attempt in self.attempts.iter_mut().filter(lacks) {
                    attempt.catch_up_with(of, &self.ways.tracks);
                    attempt.land(of, update.contact, landing, update.place);
                }
            }
            if self.attempts.len() == room(poll.plan, poll.contacts.len()) {
                continue;
            }
            self.states.begin(n);
            let mut attempt = GestureAttempt::new(n, of, contact);
            attempt.land(of, update.contact, landing, update.place);
            if of.is_press {
                let hold = f64::from(of.limit(Quantity::Hold).unwrap_or(0.0)) * 1e6;
                attempt.due = Some(Nanos(landing.time.0 + hold as u64));
            }
            attempt.centre = match of.kind {
                GestureKind::Stick(StickCentre::Fixed(place))
                | GestureKind::Aim { origin: place } => {
                    let place = attempt.in_unit(contact.in_mm(place));
                    poll.origin(of, attempt.size).unwrap_or(place)
                }
                _ => attempt.in_unit(update.place),
            };
            if matches!(of.kind, GestureKind::Stick(_) | GestureKind::Aim { .. }) {
                judge(&mut attempt, of, landing.time, poll.tick);
            }
            self.is_any_met |= attempt.phase == AttemptPhase::Met;
            self.wake = moments::wake(self.wake, &attempt, of, poll.now);
            self.attempts.push(attempt);
        }
    }

    /// What those give that fired in this tick.
    fn give_anew(&mut self, poll: GesturePoll) {
        let fired =
            |attempt: &&mut GestureAttempt| attempt.is_lasting && attempt.fired == Some(poll.tick);
        for attempt in self.attempts.iter_mut().filter(fired) {
            let of = poll.gesture(attempt);
            if of.gives {
                give(attempt, of, &mut self.states);
            }
        }
    }

    /// When time alone can bring one further.
    ///
    /// Something that waits is looked at at every tick: what holds it back may pass by time.
    fn next_wake(&self, poll: GesturePoll) -> Option<Nanos> {
        let sooner = |before: Option<Nanos>, attempt: &GestureAttempt| match attempt.phase {
            AttemptPhase::Met => Some(Nanos(poll.now.0 + 1)),
            AttemptPhase::Trying => moments::wake(before, attempt, poll.gesture(attempt), poll.now),
            AttemptPhase::Fired => before,
        };
        self.attempts.iter().fold(None, sooner)
    }
}

/// Brings an attempt to where this tick found its fingers, and judges it where its movements are
/// what matters. Nothing but an origin that moves is heard by one whose fingers were not reported
/// on.
#[inline]
fn listen(attempt: &mut GestureAttempt, of: &BoundGesture, ways: &Ways, poll: GesturePoll) -> Step {
    let origin = poll.origin(of, attempt.size);
    if let Some(origin) = origin {
        attempt.centre = origin;
    }
    let step = match step(attempt, of, &ways.tracks) {
        Step::None if origin.is_some() && poll.has_moved_origin => Step::Moved(poll.now),
        step => step,
    };
    // Only when all fingers are where they are now: between two of them nothing was as it is.
    if let Step::Moved(at) = step {
        follow(attempt, of, at, poll.tick);
    }
    step
}

/// The same of a press: time alone brings it further, and what it has to spare while it waits for
/// others. `wake` is when time does so at the earliest.
#[inline(never)]
fn listen_to_press(
    attempt: &mut GestureAttempt,
    of: &BoundGesture,
    ways: &Ways,
    poll: GesturePoll,
    wake: &mut Option<Nanos>,
) -> Step {
    if let Some(track) = told(attempt, 0, &ways.tracks) {
        hold_until(attempt, of, track, poll.tick);
    }
    let step = step(attempt, of, &ways.tracks);
    if matches!(step, Step::Lifted(_)) {
        return step;
    }
    if attempt.phase != AttemptPhase::Fired {
        hold(attempt, of, poll.now, poll.tick);
    }
    if attempt.phase == AttemptPhase::Trying {
        *wake = moments::wake(*wake, attempt, of, poll.now);
    }
    step
}

/// What an attempt that lasts gives now.
///
/// It shows in the state of its gesture if this is the attempt that gives its value.
#[inline]
fn give(attempt: &mut GestureAttempt, of: &BoundGesture, states: &mut GestureStates) {
    let value = attempt.output(of);
    if value != attempt.value {
        attempt.value = value;
        states.give(attempt);
    }
}

/// How many attempts go on at most: for every finger one at every gesture, and
/// as many again of fingers that have just lifted and of those that wait.
///
/// At most [`MAX_ATTEMPTS`]. A finger that lands when all of it is taken begins no attempt.
fn room(plan: &GesturePlan, contacts: usize) -> usize {
    (plan.gestures.len() * contacts * 3).min(MAX_ATTEMPTS)
}
