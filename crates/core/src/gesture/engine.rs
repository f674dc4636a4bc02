//! The attempts that go on, and how gestures bear on each other.

use crate::base::{ContactId, ControlId, GestureId, Nanos, SparseSet, Tick};
use crate::gesture::{
    AttemptPhase, BoundGesture, Check, CheckedLimit, Finger, GestureAttempt, GestureOutcome,
    GesturePlan, GestureVerdict, Tap, Taps, Trail, measure_taps, millis,
};
use crate::spec::{GestureKind, Quantity, StickCentre, SwipeFires};
use crate::touch::{Contact, ContactUpdate};
use alloc::vec::Vec;

/// At most this many attempts go on at once; a finger that lands when there
/// are as many begins none.
pub const MAX_ATTEMPTS: usize = 1024;

/// A gesture at a tick.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct GestureState {
    /// How many attempts go on that have not fired.
    pub trying: u16,
    /// How many have fired and last.
    lasting: u16,
    /// Whether one fired in this tick.
    pub fired: bool,
    /// What it gives; see [`GestureKind`].
    pub value: [f32; 2],
    /// The first contact of the attempt that fired last.
    pub contact: Option<ControlId>,
}

impl GestureState {
    /// Whether it fired in this tick or still lasts.
    pub const fn is_on(&self) -> bool {
        self.fired || self.lasting > 0
    }

    /// Forgets what it gave, if it is over.
    fn rest(&mut self) {
        if !self.is_on() {
            (self.value, self.contact) = ([0.0; 2], None);
        }
    }
}

/// An attempt that goes on, to be shown.
#[derive(Clone, Debug, PartialEq)]
pub struct GestureCandidate {
    /// The gesture.
    pub gesture: GestureId,
    /// The first of its contacts.
    pub contact: ControlId,
    /// When it began.
    pub began: Nanos,
    /// Whether its limits have been met, though it waits for others.
    pub is_waiting: bool,
    /// Whether it has fired.
    pub has_fired: bool,
    /// Where its first finger landed and where it is, in millimetres from the top
    /// left.
    pub way: [[f32; 2]; 2],
    /// The centre of a stick, or the origin of an aim, in the same measure.
    pub centre: [f32; 2],
    /// Every limit, and how far it is from being met at this moment.
    pub checks: Vec<CheckedLimit>,
}

/// The mutable half of all gestures.
#[derive(Clone, Debug, Default)]
pub(crate) struct GestureEngine {
    attempts: Vec<GestureAttempt>,
    states: Vec<GestureState>,
    taps: Vec<Taps>,
    trails: Vec<Trail>,
    verdicts: Vec<GestureVerdict>,
    changed: SparseSet<GestureId>,
    /// Gestures that fired for this tick alone.
    pulsed: Vec<GestureId>,
    /// For each contact the place of its update among those of this tick.
    update_of: Vec<Option<u16>>,
    wake: Option<Nanos>,
}

/// What a tick is run by.
#[derive(Clone, Copy)]
pub(crate) struct GesturePoll<'a> {
    pub(crate) plan: &'a GesturePlan,
    pub(crate) contacts: &'a [Contact],
    pub(crate) tick: Tick,
    pub(crate) now: Nanos,
}

impl GesturePoll<'_> {
    fn gesture(&self, attempt: &GestureAttempt) -> &BoundGesture {
        self.plan.gesture(attempt.gesture)
    }

    /// What says that a contact is there.
    fn down(&self, contact: ContactId) -> ControlId {
        self.contacts[contact.index()].down
    }
}

impl GestureEngine {
    /// Makes room, so that no tick needs to allocate.
    pub(crate) fn fit(&mut self, plan: &GesturePlan, contacts: usize) {
        let gestures = plan.gestures.len();
        if gestures == 0 {
            return;
        }
        self.states.resize(gestures, GestureState::default());
        self.taps.resize(gestures, Taps::NONE);
        self.changed.grow(gestures);
        self.update_of.resize(contacts, None);
        if !plan.signs.is_empty() {
            self.trails.resize(contacts, Trail::EMPTY);
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

    pub(crate) fn verdicts(&self) -> &[GestureVerdict] {
        &self.verdicts
    }

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
    pub(crate) fn tick(&mut self, poll: GesturePoll, updates: &[ContactUpdate]) {
        self.age();
        let is_idle = updates.is_empty() && self.wake.is_none_or(|wake| wake > poll.now);
        if is_idle {
            return;
        }
        for (update, n) in updates.iter().zip(0..) {
            self.update_of[update.contact.index()] = Some(n);
            // Where it lands next is no part of the stroke that it ends.
            let is_its = update.lifted.is_none() || update.landed.is_none();
            if let Some(trail) = self.trails.get_mut(update.contact.index()).filter(|_| is_its) {
                trail.add(update.place);
            }
        }
        for at in 0..self.attempts.len() {
            self.hear(poll, at, updates);
        }
        for update in updates {
            self.update_of[update.contact.index()] = None;
            if let Some(landed) = update.landed {
                self.land(poll, update, landed);
            }
        }
        self.settle(poll);
        self.conclude(poll);
        self.wake = self.next_wake(poll);
    }

    /// Tells an attempt the updates of its fingers.
    fn hear(&mut self, poll: GesturePoll, at: usize, updates: &[ContactUpdate]) {
        let GestureEngine { attempts, trails, taps, update_of, .. } = self;
        let attempt = &mut attempts[at];
        let of = poll.gesture(attempt);
        let update_of = |finger: &Finger| {
            let n = usize::from(update_of[finger.contact.index()]?);
            (!finger.is_lifted).then(|| &updates[n])
        };
        let (mut moved, mut is_news) = (None, false);
        for n in 0..attempt.fingers().len() {
            let finger = attempt.fingers()[n];
            let Some(&ContactUpdate { lifted, landed, place, at, .. }) = update_of(&finger) else {
                continue;
            };
            is_news = true;
            if of.kind == GestureKind::Press {
                // Until now it was as it has been.
                judge(attempt, of, lifted.unwrap_or(at), poll.tick);
            }
            // Where it lands next is no movement of this one.
            if lifted.is_none() || landed.is_none() {
                attempt.move_to(finger.contact, place);
                moved = moved.max(Some(at));
            }
        }
        // Only when all fingers are where they are now: between two of them nothing
        // was as it is.
        if let Some(at) = moved {
            follow(attempt, of, at, poll.tick);
        }
        for n in 0..attempt.fingers().len() {
            let finger = attempt.fingers()[n];
            if let Some(&ContactUpdate { lifted: Some(time), is_broken, .. }) = update_of(&finger) {
                attempt.lift(finger.contact, time);
                attempt.is_broken |= is_broken;
            }
        }
        let is_due = of.kind == GestureKind::Press && !attempt.any_lifted();
        if is_due && attempt.phase == AttemptPhase::Trying {
            judge(attempt, of, poll.now, poll.tick);
        }
        let Some(over) = attempt.over.filter(|_| is_news && !attempt.is_broken) else { return };
        if !attempt.is_complete(of) {
            return;
        }
        match of.kind {
            GestureKind::Tap { times: 1 } if attempt.all_lifted() => {
                judge(attempt, of, over, poll.tick);
            }
            GestureKind::Tap { times } if attempt.all_lifted() => {
                one_tap(attempt, of, &mut taps[attempt.gesture.index()], times, poll.tick);
            }
            GestureKind::Swipe { fires: SwipeFires::Release, .. } => {
                judge(attempt, of, over, poll.tick);
            }
            GestureKind::Sign { sign } => {
                let trail = &trails[attempt.first().contact.index()];
                if let Some(stroke) = trail.stroke() {
                    attempt.likeness = poll.plan.signs.likeness(&stroke, sign);
                }
                judge(attempt, of, over, poll.tick);
            }
            _ => {}
        }
    }

    /// A finger lands: every gesture that listens there begins an attempt, or
    /// adds the finger to one that lacks it.
    fn land(&mut self, poll: GesturePoll, update: &ContactUpdate, landed: Nanos) {
        if let Some(trail) = self.trails.get_mut(update.contact.index()) {
            trail.begin(update.place);
        }
        let contact = &poll.contacts[update.contact.index()];
        for (of, n) in poll.plan.gestures.iter().zip((0..).map(GestureId)) {
            let listens = match of.zone {
                Some(zone) => update.zones.has(zone),
                None => !update.is_taken,
            };
            if !listens {
                continue;
            }
            let joins = |attempt: &GestureAttempt| {
                let lacks = attempt.gesture == n && !attempt.is_complete(of);
                let panel = poll.contacts[attempt.first().contact.index()].panel;
                lacks && !attempt.all_lifted() && panel == contact.panel
            };
            let at = match self.attempts.iter().position(joins) {
                Some(at) => at,
                None => {
                    let is_busy = |attempt: &GestureAttempt| attempt.gesture == n;
                    let is_busy = of.kind.is_single() && self.attempts.iter().any(is_busy);
                    if is_busy || self.attempts.len() == room(poll.plan, poll.contacts.len()) {
                        continue;
                    }
                    self.attempts.push(GestureAttempt::new(n, contact.size));
                    self.change(n).trying += 1;
                    self.attempts.len() - 1
                }
            };
            let attempt = &mut self.attempts[at];
            attempt.land(update.contact, landed, update.place);
            attempt.centre = match of.kind {
                GestureKind::Stick(StickCentre::Fixed(place))
                | GestureKind::Aim { origin: place } => {
                    [place[0] * contact.size[0], place[1] * contact.size[1]]
                }
                _ => update.place,
            };
            if matches!(of.kind, GestureKind::Stick(_) | GestureKind::Aim { .. }) {
                judge(attempt, of, landed, poll.tick);
            }
        }
    }

    /// Lets those fire that have met their limits and need not wait any more.
    fn settle(&mut self, poll: GesturePoll) {
        let mut at = 0;
        while at < self.attempts.len() {
            let attempt = &self.attempts[at];
            if attempt.phase != AttemptPhase::Met || attempt.cancelled_by.is_some() {
                at += 1;
                continue;
            }
            let of = poll.gesture(attempt);
            if of.waits_for.iter().any(|&other| self.is_possible(poll, other, attempt)) {
                at += 1;
                continue;
            }
            self.fire(poll, at);
            // It may have ended others, or freed them to fire.
            at = 0;
        }
        for at in 0..self.attempts.len() {
            self.give(poll, at);
        }
    }

    /// Whether a gesture can still fire with what an attempt is about.
    fn is_possible(&self, poll: GesturePoll, gesture: GestureId, waiting: &GestureAttempt) -> bool {
        let of = poll.plan.gesture(gesture);
        let is_several = matches!(of.kind, GestureKind::Tap { times: 2.. });
        let is_open = is_several && {
            let gap = of.limit(Quantity::Gap).unwrap_or(0.0);
            self.taps[gesture.index()].open_until(gap).is_some_and(|until| until > poll.now)
        };
        is_open
            || self.attempts.iter().any(|other| {
                let is_live = other.phase != AttemptPhase::Fired
                    && other.cancelled_by.is_none()
                    && (other.over.is_none() || other.phase == AttemptPhase::Met);
                other.gesture == gesture
                    && is_live
                    && (is_several || other.shares_with(waiting))
                    && (other.phase == AttemptPhase::Met || !is_hopeless(other, of, poll.now))
            })
    }

    fn fire(&mut self, poll: GesturePoll, at: usize) {
        let attempt = &mut self.attempts[at];
        let of = poll.gesture(attempt);
        (attempt.phase, attempt.fired) = (AttemptPhase::Fired, Some(poll.tick));
        attempt.value = attempt.output(of);
        attempt.is_lasting = of.kind.lasts() && attempt.over.is_none();
        let fired = *attempt;
        if let GestureKind::Tap { times: 2.. } = of.kind {
            self.taps[fired.gesture.index()].spend();
        }
        let contact = poll.down(fired.first().contact);
        let state = self.change(fired.gesture);
        state.trying -= 1;
        (state.value, state.contact) = (fired.value, Some(contact));
        state.lasting += u16::from(fired.is_lasting);
        if !core::mem::replace(&mut state.fired, true) {
            self.pulsed.push(fired.gesture);
        }
        for other in &mut self.attempts {
            let its = poll.gesture(other);
            let is_beside =
                of.beside.contains(&other.gesture) || its.beside.contains(&fired.gesture);
            let waited = other.phase == AttemptPhase::Met && its.waits_for.contains(&fired.gesture);
            let is_taken = of.takes && !is_beside && other.shares_with(&fired);
            let is_over = other.phase == AttemptPhase::Fired || other.cancelled_by.is_some();
            if !is_over && other.gesture != fired.gesture && (waited || is_taken) {
                other.cancelled_by = Some(fired.gesture);
            }
        }
    }

    /// What an attempt that lasts gives now.
    fn give(&mut self, poll: GesturePoll, at: usize) {
        let attempt = &mut self.attempts[at];
        let of = poll.gesture(attempt);
        if !attempt.is_lasting || !of.kind.has_value() || attempt.over.is_some() {
            return;
        }
        let value = attempt.output(of);
        let gesture = attempt.gesture;
        if value != attempt.value {
            attempt.value = value;
            self.change(gesture).value = value;
        }
    }

    /// Gives a verdict to those that are over, and forgets them.
    fn conclude(&mut self, poll: GesturePoll) {
        let mut at = 0;
        while at < self.attempts.len() {
            let attempt = &self.attempts[at];
            let is_over = match poll.gesture(attempt).kind {
                GestureKind::Tap { .. } => attempt.all_lifted(),
                _ => attempt.any_lifted(),
            };
            let waits = attempt.phase == AttemptPhase::Met && !attempt.is_broken;
            if attempt.cancelled_by.is_none() && (!is_over || waits) {
                at += 1;
                continue;
            }
            let attempt = self.attempts.remove(at);
            self.forget(poll, &attempt);
        }
    }

    fn forget(&mut self, poll: GesturePoll, attempt: &GestureAttempt) {
        let of = poll.gesture(attempt);
        let state = self.change(attempt.gesture);
        state.lasting -= u16::from(attempt.is_lasting);
        state.trying -= u16::from(attempt.phase != AttemptPhase::Fired);
        state.rest();
        if attempt.is_broken {
            self.taps[attempt.gesture.index()].clear();
        }
        // One of too few fingers or taps is no attempt at all.
        if !attempt.is_complete(of) || attempt.is_part {
            return;
        }
        let contact = poll.down(attempt.first().contact);
        let ended = attempt.over.unwrap_or(poll.now);
        let mut verdict = attempt.verdict(poll.tick, ended, contact);
        verdict.outcome = match (attempt.fired, attempt.cancelled_by) {
            (Some(_), _) => GestureOutcome::Fired,
            (None, Some(by)) => GestureOutcome::Cancelled(by),
            (None, None) if attempt.is_broken => GestureOutcome::Broken,
            (None, None) => GestureOutcome::Missed,
        };
        self.verdicts.push(verdict.with_checks(&attempt.tally, &of.checks));
    }

    /// Those that time alone can bring further.
    fn next_wake(&self, poll: GesturePoll) -> Option<Nanos> {
        let next = Nanos(poll.now.0 + 1);
        let due = |attempt: &GestureAttempt| match (attempt.phase, poll.gesture(attempt)) {
            (AttemptPhase::Met, _) => Some(next),
            (AttemptPhase::Trying, of) if of.kind == GestureKind::Press => {
                let hold = f64::from(of.limit(Quantity::Hold)?) * 1e6;
                let due = Nanos(attempt.first().landed.0 + hold as u64);
                let can_come = !is_hopeless(attempt, of, poll.now);
                can_come.then_some(due.max(next))
            }
            _ => None,
        };
        self.attempts.iter().filter_map(due).min()
    }

    /// The attempts that go on, with how far each is now.
    pub(crate) fn candidates(&self, poll: GesturePoll) -> Vec<GestureCandidate> {
        let shown = |attempt: &GestureAttempt| {
            let of = poll.gesture(attempt);
            let until = attempt.over.unwrap_or(poll.now);
            let checks = of.checks.iter().map(|check: &Check| {
                let value = attempt.measure(of, check.quantity, until);
                CheckedLimit {
                    quantity: check.quantity,
                    value,
                    limit: check.limit,
                    margin: check.slack(value),
                    is_alone: false,
                }
            });
            GestureCandidate {
                gesture: attempt.gesture,
                contact: poll.down(attempt.first().contact),
                began: attempt.began(),
                is_waiting: attempt.phase == AttemptPhase::Met,
                has_fired: attempt.phase == AttemptPhase::Fired,
                way: [attempt.first().start, attempt.first().at],
                centre: attempt.centre,
                checks: checks.collect(),
            }
        };
        let mut candidates: Vec<GestureCandidate> = self.attempts.iter().map(shown).collect();
        let has_attempt = |id: &GestureId| self.attempts.iter().any(|a| a.gesture == *id);
        let between = GestureId::first(self.taps.len()).filter(|id| !has_attempt(id));
        candidates.extend(between.filter_map(|id| self.between_taps(poll, id)));
        candidates
    }

    /// A gesture of several taps that waits for the next one: how much of the gap
    /// has gone.
    fn between_taps(&self, poll: GesturePoll, gesture: GestureId) -> Option<GestureCandidate> {
        let of = poll.plan.gestures.get(gesture.index())?;
        let limit = of.limit(Quantity::Gap)?;
        let taps = &self.taps[gesture.index()];
        taps.open_until(limit).filter(|until| *until > poll.now)?;
        let last = taps.newest()?;
        let value = millis(poll.now.0.saturating_sub(last.lifted.0));
        let margin = Quantity::Gap.sense().slack(value, limit);
        let gap = CheckedLimit { quantity: Quantity::Gap, value, limit, margin, is_alone: false };
        Some(GestureCandidate {
            gesture,
            contact: poll.down(last.contact),
            began: last.landed,
            is_waiting: false,
            has_fired: false,
            way: [last.start; 2],
            centre: last.start,
            checks: [gap].into(),
        })
    }
}

/// How many attempts go on at most: for every finger one at every gesture, and
/// as many again of fingers that have just lifted and of those that wait.
fn room(plan: &GesturePlan, contacts: usize) -> usize {
    (plan.gestures.len() * contacts * 3).min(MAX_ATTEMPTS)
}

/// Judges an attempt as it has been until a moment.
fn judge(attempt: &mut GestureAttempt, of: &BoundGesture, until: Nanos, tick: Tick) {
    let mut tally = attempt.tally;
    let is_met = tally.judge(&of.checks, |quantity| attempt.measure(of, quantity, until));
    attempt.tally = tally;
    if is_met && attempt.phase == AttemptPhase::Trying {
        (attempt.phase, attempt.met) = (AttemptPhase::Met, Some(tick));
    }
}

/// Judges a movement, where movements are what matters.
fn follow(attempt: &mut GestureAttempt, of: &BoundGesture, at: Nanos, tick: Tick) {
    let matters = match of.kind {
        GestureKind::Swipe { fires, .. } => fires == SwipeFires::Passing,
        GestureKind::Drag | GestureKind::Pinch | GestureKind::Rotate | GestureKind::Aim { .. } => {
            true
        }
        GestureKind::Tap { .. }
        | GestureKind::Press
        | GestureKind::Stick(_)
        | GestureKind::Sign { .. } => false,
    };
    if matters && attempt.is_complete(of) && !attempt.any_lifted() {
        judge(attempt, of, at, tick);
    }
}

/// A tap of several is over: the last so many are judged together.
fn one_tap(
    attempt: &mut GestureAttempt,
    of: &BoundGesture,
    taps: &mut Taps,
    times: u8,
    tick: Tick,
) {
    let Some(over) = attempt.over else { return };
    let measure = |quantity| attempt.measure(of, quantity, over);
    let is_good = [Quantity::Lift, Quantity::Move]
        .iter()
        .all(|&quantity| of.limit(quantity).is_none_or(|limit| measure(quantity) <= limit));
    taps.push(Tap {
        contact: attempt.first().contact,
        landed: attempt.first().landed,
        lifted: over,
        start: attempt.first().start,
        moved: measure(Quantity::Move),
        together: measure(Quantity::Together),
        is_spent: false,
        is_good,
    });
    let gap = of.limit(Quantity::Gap).unwrap_or(0.0);
    let Some(last) = taps.last(times, gap) else {
        attempt.is_part = true;
        return;
    };
    attempt.first_landing = last.first().map(|tap| tap.landed);
    let is_met = attempt.tally.judge(&of.checks, |quantity| measure_taps(last, quantity));
    if is_met {
        (attempt.phase, attempt.met) = (AttemptPhase::Met, Some(tick));
    }
}

/// Whether an attempt cannot be met any more, whatever its fingers do.
fn is_hopeless(attempt: &GestureAttempt, of: &BoundGesture, now: Nanos) -> bool {
    of.checks.iter().filter(|check| check.quantity.only_grows()).any(|check| {
        // A finger that is still missing comes now at the earliest.
        check.slack(attempt.measure(of, check.quantity, now)) < 0.0
    })
}
