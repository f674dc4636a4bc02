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
//! have several fingers. All others catch up with their finger when they are asked: when it is
//! lifted, when another one joins it, or when somebody looks. So the cost of a tick follows what
//! can come of it, and not how many attempts go on.
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
mod moments;
mod shown;

use crate::base::{ContactId, ControlId, GestureId, Nanos, SparseSet, Tick};
use crate::gesture::{
    AttemptPhase, BoundGesture, FingerNews, GestureAttempt, GestureOutcome, GesturePlan,
    GestureState, GestureVerdict, OriginAxis, Recent, Taps, Tracks, Trail,
};
use crate::sample::ControlState;
use crate::spec::{GestureKind, Pointing, Quantity, StickCentre, SwipeFires};
use crate::touch::{Contact, ContactUpdate, Landing};
use alloc::vec::Vec;
use moments::{Stepped, due, earliest, follow, is_hopeless, judge, one_tap, step, told};
pub use shown::GestureCandidate;

/// At most this many attempts go on at once; a finger that lands when there are as many begins
/// none. Part of the format of rigs.
pub const MAX_ATTEMPTS: usize = 1024;

/// What changes while gestures are recognised. It is copied with a machine, so that any tick can
/// be run again from a checkpoint.
///
/// Invariants, after a tick: `trying` and `lasting` of a state are the numbers of its attempts that
/// have not fired, and that last; an attempt that is over and waits for nobody is not in the list;
/// `wake` is later than the tick, if there is one.
#[derive(Clone, Debug, Default)]
pub(crate) struct GestureEngine {
    /// The attempts that go on, in the order in which they began.
    attempts: Vec<GestureAttempt>,
    /// Every gesture, as it was after the last tick.
    states: Vec<GestureState>,
    /// For each gesture its last taps, where it wants several.
    taps: Vec<Taps>,
    /// For each contact how far it got since it landed.
    tracks: Tracks,
    /// For each contact the stroke that it draws; empty in a rig without signs.
    trails: Vec<Trail>,
    /// For each contact its last places; empty in a rig without flicks.
    recent: Vec<Recent>,
    /// What came of the attempts that were over in this tick.
    verdicts: Vec<GestureVerdict>,
    /// The gestures whose state changed in this tick.
    changed: SparseSet<GestureId>,
    /// Gestures that fired for this tick alone.
    pulsed: Vec<GestureId>,
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
        self.states.resize(gestures, GestureState::default());
        self.taps.resize(gestures, Taps::NONE);
        self.changed.grow(gestures);
        self.tracks.fit(contacts);
        if !plan.signs.is_empty() {
            self.trails.resize(contacts, Trail::default());
            self.trails.iter_mut().for_each(Trail::fit);
        }
        if plan.gestures.iter().any(|gesture| gesture.kind == GestureKind::Flick) {
            self.recent.resize(contacts, Recent::EMPTY);
        }
        let room = room(plan, contacts);
        self.attempts.reserve(room - self.attempts.len().min(room));
        self.verdicts.reserve(room - self.verdicts.len().min(room));
        self.pulsed.reserve(gestures - self.pulsed.len());
    }

    /// The gestures whose state changed in this tick.
    pub(crate) fn changed(&self) -> &[GestureId] {
        self.changed.as_slice()
    }

    /// What came of the attempts that were over in this tick, in the order in which they began.
    pub(crate) fn verdicts(&self) -> &[GestureVerdict] {
        &self.verdicts
    }

    /// A gesture as it was after the last tick; idle for one that the rig does not have.
    pub(crate) fn state(&self, gesture: GestureId) -> GestureState {
        self.states.get(gesture.index()).copied().unwrap_or_default()
    }

    /// When a tick must run though nothing is reported.
    pub(crate) fn wakes(&self) -> Option<Nanos> {
        self.wake
    }

    /// Whether a tick without updates would change nothing before it wakes.
    pub(crate) fn is_settled(&self) -> bool {
        self.pulsed.is_empty() && self.changed.is_empty() && self.verdicts.is_empty()
    }

    /// Ends the tick before.
    fn age(&mut self) {
        self.verdicts.clear();
        self.changed.clear();
        while let Some(gesture) = self.pulsed.pop() {
            let state = self.change(gesture);
            state.fired = false;
            state.rest();
        }
    }

    /// The state of a gesture, which will change.
    fn change(&mut self, gesture: GestureId) -> &mut GestureState {
        self.changed.insert(gesture);
        &mut self.states[gesture.index()]
    }

    /// Runs a tick over the updates of its contacts, none of which is in it twice.
    ///
    /// A tick without updates and before its wake time ends what the tick before fired, and nothing
    /// else.
    pub(crate) fn tick(&mut self, poll: GesturePoll, updates: &[ContactUpdate]) {
        self.age();
        let is_idle = updates.is_empty() && self.wake.is_none_or(|wake| wake > poll.now);
        if is_idle && !poll.has_moved_origin {
            return;
        }
        updates.iter().for_each(|update| self.note(poll, update));
        let is_any_lifted = updates.iter().any(|update| update.lifted.is_some());
        (self.is_any_over, self.is_any_met, self.wake) = (false, false, None);
        for at in 0..self.attempts.len() {
            let attempt = &self.attempts[at];
            if !attempt.is_over && (attempt.is_watching || is_any_lifted) {
                self.hear(poll, at);
            }
            self.is_any_met |= self.attempts[at].phase == AttemptPhase::Met;
        }
        for update in updates {
            self.tracks.forget_news(update.contact);
            if let Some(trail) = self.trails.get_mut(update.contact.index())
                && update.lifted.is_some()
            {
                trail.end();
            }
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

    /// Notes how a finger that was there went on.
    ///
    /// Tracks, trails of strokes and the last places for flicks: each is kept once for a contact,
    /// for all attempts with it.
    fn note(&mut self, poll: GesturePoll, update: &ContactUpdate) {
        let contact = update.contact.index();
        self.tracks.go_on(update, &poll.plan.units);
        if let Some(trail) = self.trails.get_mut(contact) {
            trail.add(update.lifted.map_or(update.place, |lift| lift.place));
        }
        if let Some(recent) = self.recent.get_mut(contact)
            && update.lifted.is_none()
        {
            recent.add(update.at, update.place);
        }
    }

    /// Tells an attempt how its fingers went on, and how late it is.
    ///
    /// `at` is the place in the list of attempts.
    #[inline]
    fn hear(&mut self, poll: GesturePoll, at: usize) {
        let attempt = &mut self.attempts[at];
        let of = poll.gesture(attempt);
        if let Some(origin) = poll.origin(of, attempt.size) {
            attempt.centre = origin;
        }
        let stepped = step(attempt, of, &self.tracks, poll.tick);
        match stepped {
            Some(Stepped { is_lifting: true, moved }) => return self.hear_lift(poll, at, moved),
            // Only when all fingers are where they are now: between two of them nothing
            // was as it is.
            Some(Stepped { moved, .. }) => follow(attempt, of, moved, poll.tick),
            None if of.origin.is_some() && poll.has_moved_origin => {
                follow(attempt, of, poll.now, poll.tick);
            }
            None => {}
        }
        // Time alone brings nothing further but a press, and what that has to spare while
        // it waits for others.
        if of.is_press && attempt.phase != AttemptPhase::Fired {
            judge(attempt, of, poll.now, poll.tick);
            if attempt.phase == AttemptPhase::Trying {
                self.wake = earliest(self.wake, due(attempt, of, poll.now));
            }
        }
        if attempt.is_lasting && of.gives && (stepped.is_some() || of.origin.is_some()) {
            self.give(at, of);
        }
    }

    /// Tells an attempt that fingers of it have been lifted, the last of those that
    /// moved at a time.
    #[inline(never)]
    fn hear_lift(&mut self, poll: GesturePoll, at: usize, moved: Nanos) {
        let attempt = &mut self.attempts[at];
        let of = poll.gesture(attempt);
        let tracks = &self.tracks;
        let news = |attempt: &GestureAttempt, n| told(attempt, n, tracks).map(|track| track.news);
        let mut fingers = 0..attempt.fingers().len();
        attempt.is_broken |= fingers.any(|n| news(attempt, n) == Some(FingerNews::Broken));
        // What lasts begins only with fingers that are there; what is broken is judged no more.
        if !of.kind.lasts() && !attempt.is_broken {
            follow(attempt, of, moved, poll.tick);
        }
        for n in 0..attempt.fingers().len() {
            if let Some(track) = told(attempt, n, tracks).filter(|track| track.news.is_end()) {
                attempt.lift(of, n, track.time);
            }
        }
        self.is_any_over = true;
        if attempt.is_broken {
            // Of several taps it was only one.
            attempt.is_part |= matches!(of.kind, GestureKind::Tap { times: 2.. });
        } else if attempt.is_complete(of) {
            self.hear_end(poll, at);
        }
    }

    /// Judges an attempt of which a finger has been lifted, if that is when it is
    /// judged.
    ///
    /// What is known only now is worked out here: the velocity of a flick, the likeness of a
    /// stroke, the sequence that a tap ends.
    fn hear_end(&mut self, poll: GesturePoll, at: usize) {
        let GestureEngine { attempts, trails, recent, taps, .. } = self;
        let attempt = &mut attempts[at];
        let of = poll.gesture(attempt);
        let Some(over) = attempt.over else { return };
        let contact = attempt.first().contact.index();
        match of.kind {
            GestureKind::Tap { .. } if !attempt.all_lifted() => return,
            GestureKind::Tap { times: times @ 2.. } => {
                return one_tap(attempt, of, &mut taps[attempt.gesture.index()], times, poll.tick);
            }
            GestureKind::Tap { .. }
            | GestureKind::Click { .. }
            | GestureKind::Swipe { fires: SwipeFires::Release, .. } => {}
            GestureKind::Flick => {
                let at = attempt.in_mm(attempt.first().at);
                attempt.release = attempt.in_unit(recent[contact].release(over, at));
            }
            GestureKind::Sign { sign } => {
                if let Some(stroke) = trails[contact].stroke() {
                    attempt.likeness = poll.plan.signs.likeness(&stroke, sign);
                }
            }
            _ => return,
        }
        judge(attempt, of, over, poll.tick);
    }

    /// A finger lands: every gesture that listens there begins an attempt, and
    /// adds the finger to those that lack one.
    ///
    /// An attempt with several fingers is begun by each of them: which of them belong together is
    /// known when the last has landed, and those that found no others are no attempts to tell of.
    fn land(&mut self, poll: GesturePoll, update: &ContactUpdate, landing: Landing) {
        if let Some(trail) = self.trails.get_mut(update.contact.index()) {
            trail.begin(update.place);
        }
        if let Some(recent) = self.recent.get_mut(update.contact.index()) {
            recent.begin(landing.time, update.place);
        }
        let contact = &poll.contacts[update.contact.index()];
        self.tracks.land(update, contact, &poll.plan.units);
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
                    attempt.catch_up_with(&self.tracks);
                    attempt.land(update.contact, landing, update.place);
                }
            }
            if self.attempts.len() == room(poll.plan, poll.contacts.len()) {
                continue;
            }
            self.change(n).trying += 1;
            let mut attempt = GestureAttempt::new(n, of, contact);
            attempt.land(update.contact, landing, update.place);
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
            self.wake = earliest(self.wake, due(&attempt, of, poll.now));
            self.attempts.push(attempt);
        }
    }

    /// What an attempt that lasts gives now.
    ///
    /// It shows in the state of its gesture if this is the attempt that gives its value.
    fn give(&mut self, at: usize, of: &BoundGesture) {
        let attempt = &mut self.attempts[at];
        let value = attempt.output(of);
        if value == attempt.value {
            return;
        }
        attempt.value = value;
        let (gesture, landing) = (attempt.gesture, attempt.first().landing.id);
        if self.states[gesture.index()].driver == landing {
            self.change(gesture).value = value;
        }
    }

    /// What those give that fired in this tick.
    fn give_anew(&mut self, poll: GesturePoll) {
        for at in 0..self.attempts.len() {
            let attempt = &self.attempts[at];
            let of = poll.gesture(attempt);
            if attempt.fired == Some(poll.tick) && attempt.is_lasting && of.gives {
                self.give(at, of);
            }
        }
    }

    /// When time alone can bring one further.
    ///
    /// Something that waits is looked at at every tick: what holds it back may pass by time.
    fn next_wake(&self, poll: GesturePoll) -> Option<Nanos> {
        let when = |attempt: &GestureAttempt| match attempt.phase {
            AttemptPhase::Met => Some(Nanos(poll.now.0 + 1)),
            AttemptPhase::Trying => due(attempt, poll.gesture(attempt), poll.now),
            AttemptPhase::Fired => None,
        };
        self.attempts.iter().filter_map(when).min()
    }
}

/// How many attempts go on at most: for every finger one at every gesture, and
/// as many again of fingers that have just lifted and of those that wait.
///
/// At most [`MAX_ATTEMPTS`]. A finger that lands when all of it is taken begins no attempt.
fn room(plan: &GesturePlan, contacts: usize) -> usize {
    (plan.gestures.len() * contacts * 3).min(MAX_ATTEMPTS)
}
