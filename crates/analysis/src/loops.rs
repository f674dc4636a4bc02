//! What combos make of the same take in loops of other rates.
//!
//! A loop that polls rarely loses presses, sees several in one tick, and knows
//! the times of ticks only; so a combo may come out differently in it. Each loop
//! is run by the same machine, and what was met is held against what the
//! fastest loop met.

use crate::audit::Loop;
use crate::ladder::{ComboAttempt, ComboAttemptOutcome, Ladder, Rung};
use crate::recording::Recording;
use alloc::{
    collections::{BTreeMap, BTreeSet},
    vec::Vec,
};
use gtrig_core::{
    ComboId, ComboNews, ComboOutcome, Machine, Moment, Nanos, Plan, PollRate, Rig, SignalEdge, Tick,
};

/// What a loop made of a take.
#[derive(Clone, Debug)]
pub struct LoopRun {
    /// The loop.
    pub of: Loop,
    /// What combos came to, in order.
    pub news: Vec<ComboNews>,
    /// When the loop acted on each: the instant of its poll.
    pub acted: Vec<Nanos>,
    /// What they heard.
    edges: Vec<SignalEdge>,
    ends: Moment,
    rate: PollRate,
}

/// Why a combo came out differently in a loop.
#[derive(Clone, Debug, PartialEq)]
pub enum LoopCause {
    /// A change of one of its signals left no edge in the loop of this rate: it
    /// was over before the next poll.
    NoEdge {
        /// The change, as the other loop saw it.
        edge: SignalEdge,
        /// The rate of the loop that did not.
        rate: PollRate,
    },
    /// In the loop of this rate the attempt came to something else.
    Attempt {
        /// What it came to.
        attempt: ComboAttempt,
        /// The rate of that loop.
        rate: PollRate,
    },
    /// In the loop of this rate it was met too, and waited for another combo that
    /// was met with one of its presses; `None` where it was forgotten, see
    /// [`ComboOutcome::Forgotten`].
    Waited {
        /// The other combo.
        by: Option<ComboId>,
        /// The rate of that loop.
        rate: PollRate,
    },
    /// In the loop of this rate one of its presses was spent by an attempt that was
    /// met then.
    Spent {
        /// When that was met.
        met: Nanos,
        /// The rate of that loop.
        rate: PollRate,
    },
    /// In the loop of this rate what hands did is no attempt at it.
    NoAttempt {
        /// The rate of that loop.
        rate: PollRate,
    },
}

/// A combo that one loop fired and another did not.
#[derive(Clone, Debug, PartialEq)]
pub struct LoopDifference {
    /// The loop, by its place among those compared.
    pub at: usize,
    /// The combo, by its place in the rig.
    pub combo: ComboId,
    /// When its steps were met, in the loop in which they were.
    pub met: Nanos,
    /// Whether this loop fired it, and the fastest one did not.
    pub is_extra: bool,
    /// Why, in a sentence.
    pub cause: LoopCause,
}

impl LoopRun {
    /// Runs a take by a loop.
    pub fn run(recording: &Recording, rig: &Rig, of: Loop) -> Self {
        let rig = Rig { rate: of.rate, ..rig.clone() };
        let plan = Plan::bind(&rig, &recording.roster);
        let mut machine = Machine::new(&plan, Tick(0));
        let (mut news, mut acted, mut edges) = (Vec::new(), Vec::new(), Vec::new());
        let mut events = recording.events().peekable();
        let mut here = Vec::new();
        let mut polls = of.polls();
        polls.skip_before(recording.begins_at);
        let last = loop {
            let now = polls.next_poll();
            if now < recording.begins_at {
                continue;
            }
            here.clear();
            while let Some(event) = events.next_if(|event| event.time <= now) {
                here.push(event);
            }
            machine.tick(&plan, now, &here);
            news.extend(machine.combo_news().iter().copied());
            acted.resize(news.len(), now);
            edges.extend(machine.signal_edges().iter().copied());
            if now > recording.ends_at {
                break now;
            }
            // However long nothing happens, it costs nothing: the ticks that change
            // nothing are counted, and not run.
            if of.is_steady() && machine.is_settled() {
                let next = events.peek().map_or(recording.ends_at, |event| event.time);
                let next = machine.next_deadline().map_or(next, |deadline| next.min(deadline));
                let skipped = polls.skip_before(next);
                machine.skip_to(Tick(machine.at().0 + 1 + skipped));
            }
        };
        let ends = Moment { time: last, tick: machine.at() };
        LoopRun { of, news, acted, edges, ends, rate: of.rate }
    }

    /// The latencies from the last step to the poll that acted on it, shortest
    /// first.
    pub fn latencies(&self) -> Vec<Nanos> {
        let fired = self.news.iter().zip(&self.acted);
        let fired = fired.filter(|(news, _)| news.outcome == ComboOutcome::Fired);
        let mut latencies: Vec<Nanos> =
            fired.map(|(news, acted)| Nanos(acted.0.saturating_sub(news.met.time.0))).collect();
        latencies.sort_unstable();
        latencies
    }

    /// Every attempt at a combo in this loop.
    fn attempts(&self, rig: &Rig, combo: ComboId) -> Vec<ComboAttempt> {
        let own = Rig { rate: self.rate, ..rig.clone() };
        let mut ladder = Ladder::read(&own, combo, self.edges.iter(), self.ends);
        ladder.finish();
        ladder.attempts().to_vec()
    }
}

/// What a loop made of one combo.
struct Told<'p> {
    run: &'p LoopRun,
    combo: ComboId,
    attempts: Vec<ComboAttempt>,
    /// The attempts that fired, each with when its last press was reported, in order.
    fired: Vec<(Nanos, usize)>,
}

impl<'p> Told<'p> {
    fn new(run: &'p LoopRun, rig: &Rig, combo: ComboId) -> Self {
        let attempts = run.attempts(rig, combo);
        let is_met = |attempt: &ComboAttempt| attempt.outcome == ComboAttemptOutcome::Met;
        let met = attempts.iter().enumerate().filter(|(_, attempt)| is_met(attempt));
        let met: BTreeMap<(Moment, u8), usize> =
            met.map(|(n, attempt)| ((attempt.ended, attempt.copy), n)).collect();
        let its = run.news.iter().filter(|news| news.combo == combo);
        let fired = its.filter(|news| news.outcome == ComboOutcome::Fired);
        let fired = fired.filter_map(|news| met.get(&(news.met, news.copy)).copied());
        let mut fired: Vec<_> = fired.map(|n| (last_press(&attempts[n]), n)).collect();
        fired.sort_unstable();
        Told { run, combo, attempts, fired }
    }

    /// How far apart the same change may be in this loop and in another one: what a
    /// zone, a gesture or the direction of a stick does is known by the poll only.
    fn slack(&self, other: &Told) -> u64 {
        let period = |told: &Told| told.run.rate.time_of(Tick(1)).0;
        period(self).max(period(other)) + 1_000_000
    }

    /// Why this loop did not fire what another one did.
    fn why_not(&self, did: &Told, attempt: &ComboAttempt) -> LoopCause {
        let rate = self.run.rate;
        let last = last_press(attempt);
        let slack = self.slack(did);
        let its_own = || self.attempts.iter().filter(|other| other.copy == attempt.copy);
        let same = its_own().min_by_key(|other| last_press(other).0.abs_diff(last.0));
        let same = same.filter(|other| last_press(other).0.abs_diff(last.0) <= slack);
        match same {
            Some(other) if other.outcome == ComboAttemptOutcome::Met => {
                let its = |n: &&ComboNews| {
                    n.combo == self.combo && (n.met, n.copy) == (other.ended, other.copy)
                };
                match self.run.news.iter().find(its).map(|news| news.outcome) {
                    Some(ComboOutcome::Cancelled(by)) => {
                        return LoopCause::Waited { by: Some(by), rate };
                    }
                    Some(ComboOutcome::Forgotten) => return LoopCause::Waited { by: None, rate },
                    // It fired, and goes with another attempt of the other loop.
                    Some(ComboOutcome::Fired) | None => {}
                }
            }
            Some(other) => return LoopCause::Attempt { attempt: other.clone(), rate },
            None => {}
        }
        if let Some(edge) = self.unseen(did, attempt) {
            return LoopCause::NoEdge { edge, rate };
        }
        let first = attempt.rungs.first().map_or(last, |rung| rung.reported);
        let spent = its_own().find(|other| {
            other.outcome == ComboAttemptOutcome::Met && (first..last).contains(&last_press(other))
        });
        match spent {
            Some(other) => LoopCause::Spent { met: other.ended_at, rate },
            None => LoopCause::NoAttempt { rate },
        }
    }

    /// A change that an attempt took in another loop, and that this one did not see.
    fn unseen(&self, did: &Told, attempt: &ComboAttempt) -> Option<SignalEdge> {
        let slack = self.slack(did);
        let heard = |edge: &SignalEdge| {
            let (from, to) = (edge.time.0.saturating_sub(slack), edge.time.0 + slack);
            let at = self.run.edges.partition_point(|other| other.time.0 < from);
            let mut here = self.run.edges[at..].iter().take_while(|other| other.time.0 <= to);
            here.any(|other| (other.signal, other.change) == (edge.signal, edge.change))
        };
        let taken = |edge: &&SignalEdge| {
            let is_its = |rung: &Rung| rung.reported == edge.reported();
            edge.signal.is_some() && attempt.rungs.iter().any(is_its)
        };
        did.run.edges.iter().filter(taken).find(|edge| !heard(edge)).copied()
    }
}

fn last_press(attempt: &ComboAttempt) -> Nanos {
    attempt.rungs.last().map_or(attempt.ended_at, |rung| rung.reported)
}

/// What comes out differently from the fastest of these loops, in order of time.
pub fn differences(rig: &Rig, runs: &[LoopRun]) -> Vec<LoopDifference> {
    let hz = |n: &usize| runs[*n].rate.hz();
    let Some(best) = (0..runs.len()).max_by(|a, b| hz(a).total_cmp(&hz(b))) else {
        return Vec::new();
    };
    let fired: BTreeSet<ComboId> =
        runs.iter().flat_map(|run| run.news.iter().map(|news| news.combo)).collect();
    let mut found = Vec::new();
    for combo in fired {
        let fastest = Told::new(&runs[best], rig, combo);
        for (at, run) in runs.iter().enumerate().filter(|(at, _)| *at != best) {
            let other = Told::new(run, rig, combo);
            found.extend(only_in(at, &fastest, &other, false));
            found.extend(only_in(at, &other, &fastest, true));
        }
    }
    found.sort_by_key(|difference| (difference.met, difference.at, difference.combo));
    found
}

/// What one loop fired and the other did not.
fn only_in(at: usize, did: &Told, did_not: &Told, is_extra: bool) -> Vec<LoopDifference> {
    let slack = did.slack(did_not);
    // Both are in order: each of the one goes with the first left of the other that
    // is no further away.
    let mut theirs = did_not.fired.iter().map(|(last, _)| last.0).peekable();
    let only = did.fired.iter().filter(|(last, _)| {
        while theirs.next_if(|their| their + slack < last.0).is_some() {}
        theirs.next_if(|their| *their <= last.0 + slack).is_none()
    });
    let differs = |&(_, n): &(Nanos, usize)| {
        let attempt = &did.attempts[n];
        let cause = did_not.why_not(did, attempt);
        LoopDifference { at, combo: did.combo, met: attempt.ended_at, is_extra, cause }
    };
    only.map(differs).collect()
}
