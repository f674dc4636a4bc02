//! One copy of a combo, from edges to attempts.

mod ending;

use super::*;
use alloc::boxed::Box;
use core::cmp::Reverse;

/// A press of a signal, or of a button that no signal names.
#[derive(Clone, Debug)]
pub(super) struct Pressed {
    pub(super) serial: u32,
    pub(super) signal: Option<SignalId>,
    /// What else it is called.
    pub(super) others: Box<[SignalId]>,
    pub(super) at: Moment,
    pub(super) hand: HandPress,
}

/// A combo as it is run, one of its copies, and the attempts at it.
#[derive(Clone, Debug)]
pub(super) struct Climb {
    pub(super) combo: Combo,
    /// Which of the copies.
    pub(super) copy: u8,
    /// The signals of its steps, turned around or not.
    pub(super) own: Vec<SignalId>,
    pub(super) modes: Vec<Mode>,
    pub(super) rate: PollRate,
    pub(super) tracks: Vec<Track>,
    pub(super) held: Vec<SignalState>,
    /// The last presses, of signals and others, to find what broke an attempt.
    pub(super) presses: VecDeque<Pressed>,
    pub(super) serial: u32,
    /// For how long the clock has stood still so far.
    pub(super) paused: Nanos,
    /// No chain begins at or before this press.
    pub(super) spent: u32,
    /// The press and the moment at which it was met last.
    met: Option<(u32, Moment)>,
    /// The hits of last steps that are to be judged, each with its track.
    to_judge: Vec<(usize, Hit)>,
    pub(super) floor: u32,
    /// For how long, in nanoseconds, hits matter.
    pub(super) horizon: u64,
    pub(super) unknown: Vec<Unknown>,
    /// Lent by the ladder while it is fed.
    pub(super) found: Found,
}

/// At most this many gaps of a step are kept for its histogram.
const MAX_GAPS: usize = 100_000;

impl Climb {
    pub(super) fn new((combo, copy): (&Combo, u8), rig: &Rig) -> Self {
        let of = |(number, way): (usize, ComboVariant)| Track {
            number,
            hits: vec![VecDeque::new(); way.steps.len()],
            counts: vec![0; way.steps.len()],
            way,
            pending: Vec::new(),
        };
        let spans = |step: &ComboStep| {
            let own = step.what.span().map_or(0, |span| span.nanos(rig.rate));
            LOOKED_BACK * (step.within.nanos(rig.rate) + own) + NEAR_TIME as u64
        };
        let variants = combo.variants();
        let steps = variants.iter().flat_map(|variant| &variant.steps);
        Climb {
            own: steps.flat_map(|step| step.what.signals().iter().copied()).collect(),
            tracks: variants.into_iter().enumerate().map(of).collect(),
            horizon: combo.steps.iter().map(spans).sum(),
            combo: combo.clone(),
            copy,
            modes: rig.modes.clone(),
            rate: rig.rate,
            held: vec![SignalState::default(); rig.signals.len()],
            presses: VecDeque::new(),
            serial: 0,
            paused: Nanos(0),
            spent: 0,
            met: None,
            to_judge: Vec::new(),
            floor: 0,
            unknown: Vec::new(),
            found: Found::default(),
        }
    }

    /// Takes in the edges of one press, or of one release.
    pub(super) fn feed(&mut self, names: &[SignalEdge]) {
        if let Some(first) = names.first() {
            self.wait_for(first);
        }
        self.serial += 1;
        names.iter().for_each(|edge| self.take_in(edge, names));
    }

    /// Lets time pass up to an edge. What is over by then was over before it came.
    fn wait_for(&mut self, edge: &SignalEdge) {
        if edge.change != SignalChange::Clear && !self.is_frozen(edge) {
            self.paused = edge.paused.time;
        }
        self.run_pending(edge.moment());
    }

    /// Whether an edge comes in a mode in which the clock stands still, where it stood when the
    /// mode came.
    fn is_frozen(&self, edge: &SignalEdge) -> bool {
        self.modes.get(edge.mode.index()).is_some_and(|mode| mode.freezes)
    }

    fn take_in(&mut self, edge: &SignalEdge, names: &[SignalEdge]) {
        if edge.change == SignalChange::Clear {
            self.floor = self.serial;
            self.forget();
            return;
        }
        if self.is_frozen(edge) {
            self.hold(edge, 0);
            if !edge.is_on() {
                self.let_go(edge);
            }
            return;
        }
        // What is too old is no part of an attempt, whatever came since.
        self.prune(edge.moment());
        let serial = self.serial;
        self.hold(edge, if edge.is_press() { serial } else { 0 });
        let mut tracks = core::mem::take(&mut self.tracks);
        let others = names.iter().filter_map(|name| name.signal);
        let others: Box<[SignalId]> = others.filter(|of| Some(*of) != edge.signal).collect();
        self.end(&mut tracks, edge, &others);
        let is_deaf = match edge.change {
            SignalChange::Carried => true,
            SignalChange::Forced => !self.combo.counts_forced,
            _ => !self.combo.listens_in(edge.mode),
        };
        if let Some(signal) = edge.signal.filter(|_| !is_deaf) {
            for track in &mut tracks {
                self.meet(track, signal, edge);
            }
            self.judge_ends(&mut tracks);
        }
        if edge.is_press() {
            let (signal, at) = (edge.signal, self.at(edge.moment()));
            self.presses.push_back(Pressed { serial, signal, others, at, hand: edge.hand() });
            if self.presses.len() > 4 * WIDTH {
                self.presses.pop_front();
            }
        }
        self.tracks = tracks;
    }

    /// Nothing more is to be learnt of the attempts that are over.
    pub(super) fn forget_attempts(&mut self) {
        self.unknown.clear();
    }

    pub(super) fn advance(&mut self, now: Moment) {
        self.run_pending(now);
        self.prune(now);
    }

    fn hold(&mut self, edge: &SignalEdge, serial: u32) {
        if let Some(signal) = edge.signal {
            self.held[signal.index()].take(edge, serial);
        }
    }

    /// What was held goes off while nothing counts.
    fn let_go(&mut self, edge: &SignalEdge) {
        let mut tracks = core::mem::take(&mut self.tracks);
        self.end(&mut tracks, edge, &[]);
        self.tracks = tracks;
    }

    fn forget(&mut self) {
        for track in &mut self.tracks {
            track.hits.iter_mut().for_each(VecDeque::clear);
            track.pending.clear();
        }
        for held in &mut self.held {
            held.serial = 0;
        }
        self.unknown.clear();
    }

    pub(super) fn at(&self, moment: Moment) -> Moment {
        self.combo.clock.moment(moment, self.rate)
    }

    /// Finds the steps that an edge meets.
    fn meet(&mut self, track: &mut Track, signal: SignalId, edge: &SignalEdge) {
        // The last step first: a press leads on from what was, not from itself.
        for n in (0..track.way.steps.len()).rev() {
            let step = &track.way.steps[n];
            let is_its = step.what.signals().contains(&signal)
                && edge.is_press() != matches!(step.what, StepKind::Release(_));
            if !is_its || (n == 0 && !self.is_faced(track.way.guard)) {
                continue;
            }
            let at = self.at(edge.moment());
            let mut hit = Hit {
                press: at,
                met: at,
                reported: edge.reported(),
                paused: edge.paused.time,
                signal: Some(signal),
                hand: edge.hand(),
                serial: self.serial,
                first: self.serial,
                began: at,
                own_first: at,
                // It gets one when it is entered.
                number: u32::MAX,
                own: i64::MAX,
                calm: if n == 0 { self.calm(at) } else { i64::MAX },
                lifts: self.lifts(&track.way.steps, n, signal),
                cut_by: None,
                heard: self.serial,
                of: None,
                best: None,
                is_used: false,
            };
            match &step.what {
                &StepKind::Hold(_, span) => {
                    let due = span.over(at, self.rate);
                    track.pending.push(Pending { step: n, due, span, hit });
                    continue;
                }
                StepKind::Together { of, spread, in_order } => {
                    let Some((first, since)) = self.chord(of, *in_order) else { continue };
                    let since = self.at(since);
                    (hit.first, hit.began, hit.own_first) = (first, since, since);
                    hit.own = spread.amount() - spread.between(since, at);
                }
                _ => {}
            }
            let waits = self.wait_to_open(track, n, hit);
            // What counts later for one attempt is no miss of another.
            let is_last = n + 1 == track.way.steps.len();
            let spent = self.spent_for();
            let is_met = || self.best(track, n, &hit).is_some_and(|best| best.first > spent);
            if !(waits && is_last) || is_met() {
                self.enter(track, n, hit);
            }
        }
    }

    /// Notes a press that came early for some attempts: for each it counts when its
    /// time has come, and where that is the same moment, for the one that began last. Returns
    /// whether it did.
    fn wait_to_open(&self, track: &mut Track, n: usize, hit: Hit) -> bool {
        let step = &track.way.steps[n];
        if n == 0 || step.buffer.amount() <= 0 || hit.own < 0 {
            return false;
        }
        let (opens, after) = (step.opens(), step.after);
        let early = track.hits[n - 1].iter().filter(|from| {
            let passed = after.between(from.met, hit.press);
            let is_early = (opens.amount()..after.amount()).contains(&passed);
            is_early && from.own >= 0 && from.serial < hit.first
        });
        let began = |from: &Hit| from.best.map(|best| best.first);
        let mut early: Vec<&Hit> = early.collect();
        early.sort_by_key(|from| (from.met, Reverse((began(from), from.number))));
        early.dedup_by_key(|from| from.met);
        let early: Vec<Pending> = early
            .into_iter()
            .map(|from| {
                let due = after.over(from.met, self.rate);
                Pending { step: n, due, span: after, hit: Hit { of: Some(from.number), ..hit } }
            })
            .collect();
        track.pending.extend(&early);
        !early.is_empty()
    }

    pub(super) fn is_faced(&self, guard: Option<(SignalId, bool)>) -> bool {
        guard.is_none_or(|(by, on)| self.held[by.index()].is_on == on)
    }

    /// The first press of a chord, if all of it is down.
    pub(super) fn chord(&self, of: &[SignalId], in_order: bool) -> Option<(u32, Moment)> {
        let held = of.iter().map(|signal| self.held[signal.index()]);
        let is_down = held.clone().all(|held| held.is_on && held.serial > self.floor);
        let is_ordered = !in_order || held.clone().map(|held| held.serial).is_sorted();
        if !is_down || !is_ordered {
            return None;
        }
        held.map(|held| (held.serial, held.since)).min()
    }

    /// Holds and quiets that are over by `until`.
    pub(super) fn run_pending(&mut self, until: Moment) {
        let until = self.at(until);
        let mut tracks = core::mem::take(&mut self.tracks);
        // When it is over, and by which press, if it is.
        let over = |of: &Pending| of.span.is_over(of.due, until).then_some((of.due, of.hit.serial));
        loop {
            let all = tracks.iter().flat_map(|track| &track.pending);
            let Some(first) = all.filter_map(over).min() else { break };
            for track in &mut tracks {
                while let Some(n) = track.pending.iter().position(|of| over(of) == Some(first)) {
                    let Pending { step, due, mut hit, .. } = track.pending.swap_remove(n);
                    (hit.met, hit.paused) = (due, self.paused);
                    // What comes after an early press is asked of the step after it.
                    if matches!(track.way.steps[step].what, StepKind::Hold(..) | StepKind::Quiet(_))
                    {
                        hit.heard = self.serial;
                    }
                    self.enter(track, step, hit);
                }
            }
            self.judge_ends(&mut tracks);
        }
        self.tracks = tracks;
    }

    /// A step was met, or nearly was.
    pub(super) fn enter(&mut self, track: &mut Track, n: usize, mut hit: Hit) {
        if n == 0 && self.broken(&track.way, n, &hit, &hit).is_some() {
            return;
        }
        hit.number = track.counts[n];
        track.counts[n] += 1;
        if hit.is_sound() {
            hit.best = self.best(track, n, &hit);
        }
        if let Some(Best { before: Some(before), .. }) = hit.best
            && let Some(before) = find_mut(&mut track.hits[n - 1], before)
        {
            before.is_used = true;
        }
        self.note_gap(track, n, &hit);
        if n + 1 == track.way.steps.len() {
            self.to_judge.push((track.number, hit));
        } else if let StepKind::Quiet(span) = track.way.steps[n + 1].what
            && !self.was_pressed_since(&hit)
        {
            let (press, of) = (hit.met, Some(hit.number));
            let quiet = Hit { press, own: i64::MAX, calm: i64::MAX, of, best: None, ..hit };
            let due = span.over(press, self.rate);
            track.pending.push(Pending { step: n + 1, due, span, hit: quiet });
        }
        let hits = &mut track.hits[n];
        hits.push_back(hit);
        if hits.len() > WIDTH {
            hits.pop_front();
        }
    }

    fn note_gap(&mut self, track: &Track, n: usize, hit: &Hit) {
        if n == 0 || hit.of.is_some() || self.found.gaps[n].len() >= MAX_GAPS {
            return;
        }
        let within = track.way.steps[n].within;
        let before = track.hits[n - 1].iter().rev();
        let mut before = before.filter(|before| before.best.is_some() && before.serial < hit.first);
        if let Some(before) = before.next() {
            let gap = within.between(before.met, hit.press);
            if gap >= 0 && gap <= 4 * within.amount() {
                self.found.gaps[n].push(gap);
            }
        }
    }

    /// Judges the hits of last steps of one moment. Of two ways that are met at once, the attempt
    /// counts that began last.
    pub(super) fn judge_ends(&mut self, tracks: &mut [Track]) {
        let mut ends = core::mem::take(&mut self.to_judge);
        ends.sort_by_key(|(_, hit)| Reverse(hit.best.map(|best| best.first)));
        for (number, hit) in ends.drain(..) {
            if self.met != Some((hit.serial, hit.met)) {
                self.judge(&mut tracks[number], hit);
            }
        }
        self.to_judge = ends;
    }

    /// What the chains that end at a hit of the last step come to.
    fn judge(&mut self, track: &mut Track, hit: Hit) {
        let Some(judged) = Judge::new(self, track, hit).run() else { return };
        let Judged { attempt, used, is_met } = judged;
        for (n, number) in used.iter().enumerate() {
            if let Some(hit) = find_mut(&mut track.hits[n], *number) {
                hit.is_used = true;
            }
        }
        if is_met {
            self.spent = hit.serial;
            self.met = Some((hit.serial, hit.met));
        }
        // How long its last step goes on is not known yet, nor of a hold that only a
        // quiet follows.
        let last = track.way.steps.len() - 1;
        let is_quiet = matches!(track.way.steps[last].what, StepKind::Quiet(_));
        let before = last.checked_sub(1).filter(|_| is_quiet);
        let before = before.and_then(|n| Some((n, *find(&track.hits[n], hit.of?)?)));
        for (step, hit) in [(last, hit)].into_iter().chain(before) {
            if hit.own == i64::MAX && track.way.steps[step].what.span().is_some() {
                let (attempt, track) = (self.found.attempts.len(), track.number);
                let Hit { signal, hand, serial, press: from, .. } = hit;
                self.unknown.push(Unknown { attempt, track, step, signal, hand, serial, from });
            }
        }
        self.found.attempts.push(attempt);
    }

    /// Forgets what nothing can come of any more, and notes what stopped there.
    fn prune(&mut self, now: Moment) {
        self.prune_before(Nanos(now.time.0.saturating_sub(self.horizon)));
    }

    pub(super) fn prune_before(&mut self, oldest: Nanos) {
        let mut tracks = core::mem::take(&mut self.tracks);
        for track in &mut tracks {
            for n in 0..track.hits.len() {
                while let Some(hit) = track.hits[n].front()
                    && hit.met.time < oldest
                {
                    let hit = *hit;
                    track.hits[n].pop_front();
                    if n + 1 < track.way.steps.len() && !hit.is_used {
                        self.note_stopped(track, n, &hit);
                    }
                }
            }
        }
        self.tracks = tracks;
    }

    /// An attempt that went on for two written steps and no further.
    fn note_stopped(&mut self, track: &Track, n: usize, hit: &Hit) {
        let Some(best) = hit.best else { return };
        let is_long = track.way.steps[n + 1].written > 2;
        if !is_long || best.first <= self.spent {
            return;
        }
        let mut rungs = vec![rung(hit)];
        let mut before = best.before;
        for n in (0..n).rev() {
            let Some(hit) = before.and_then(|number| find(&track.hits[n], number)) else { break };
            rungs.push(rung(hit));
            before = hit.best.and_then(|best| best.before);
        }
        rungs.reverse();
        self.found.attempts.push(ComboAttempt {
            began: best.began,
            ended: hit.met,
            ended_at: hit.met_at(),
            outcome: ComboAttemptOutcome::Stopped(n as u8 + 1),
            is_mirrored: track.number > 0,
            copy: self.copy,
            rungs,
            checks: Vec::new(),
        });
    }

    /// Chains that began no later than this press do not count.
    pub(super) fn spent_for(&self) -> u32 {
        if self.combo.again { self.floor } else { self.spent.max(self.floor) }
    }
}
