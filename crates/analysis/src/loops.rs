//! What combos make of the same take in loops of other rates.
//!
//! A loop that polls rarely loses presses, sees several in one tick, and knows
//! the times of ticks only; so a combo may come out differently in it. Each loop
//! is run by the same machine, and what was met is held against what the
//! fastest loop met.

use crate::audit::Loop;
use crate::ladder::{ComboAttempt, ComboAttemptOutcome, Ladder};
use crate::recording::Recording;
use alloc::{vec, vec::Vec};
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
    /// In the loop of this rate another combo was in its way, or its presses were
    /// spent.
    InItsWay {
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
        let mut last = Nanos(0);
        for now in of.polls().skip_while(|now| *now < recording.begins_at) {
            here.clear();
            while let Some(event) = events.next_if(|event| event.time <= now) {
                here.push(event);
            }
            machine.tick(&plan, now, &here);
            news.extend(machine.combo_news().iter().copied());
            acted.resize(news.len(), now);
            edges.extend(machine.signal_edges().iter().copied());
            last = now;
            if now > recording.ends_at {
                break;
            }
        }
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

    /// What fired, as combo and moment.
    fn fired(&self) -> Vec<&ComboNews> {
        self.news.iter().filter(|news| news.outcome == ComboOutcome::Fired).collect()
    }
}

/// What comes out differently from the fastest of these loops, in order of time.
pub fn differences(rig: &Rig, paced: &[LoopRun]) -> Vec<LoopDifference> {
    let hz = |n: &usize| paced[*n].rate.hz();
    let Some(best) = (0..paced.len()).max_by(|a, b| hz(a).total_cmp(&hz(b))) else {
        return Vec::new();
    };
    let mut found = Vec::new();
    for (at, other) in paced.iter().enumerate().filter(|(at, _)| *at != best) {
        let (missing, extra) = unmatched(&paced[best], other);
        let differs = |news: &ComboNews, is_extra: bool| {
            let (did, did_not) =
                if is_extra { (other, &paced[best]) } else { (&paced[best], other) };
            let (combo, met) = (news.combo, news.met.time);
            LoopDifference { at, combo, met, is_extra, cause: cause(rig, did, did_not, news) }
        };
        found.extend(missing.into_iter().map(|news| differs(news, false)));
        found.extend(extra.into_iter().map(|news| differs(news, true)));
    }
    found.sort_by_key(|difference| (difference.met, difference.at));
    found
}

/// What only the one fired, and what only the other did.
fn unmatched<'p>(one: &'p LoopRun, other: &'p LoopRun) -> (Vec<&'p ComboNews>, Vec<&'p ComboNews>) {
    let slack = one.rate.time_of(Tick(1)).0.max(other.rate.time_of(Tick(1)).0) + 1_000_000;
    let (ours, theirs) = (one.fired(), other.fired());
    let mut is_taken = vec![false; theirs.len()];
    let mut missing = Vec::new();
    for news in ours {
        let fits = |(n, their): &(usize, &&ComboNews)| {
            !is_taken[*n]
                && their.combo == news.combo
                && their.met.time.0.abs_diff(news.met.time.0) <= slack
        };
        match theirs.iter().enumerate().find(fits) {
            Some((n, _)) => is_taken[n] = true,
            None => missing.push(news),
        }
    }
    let extra = theirs.into_iter().zip(is_taken).filter(|(_, taken)| !taken);
    (missing, extra.map(|(news, _)| news).collect())
}

/// Why one loop did what another did not.
fn cause(rig: &Rig, did: &LoopRun, did_not: &LoopRun, news: &ComboNews) -> LoopCause {
    let combo = &rig.combos[news.combo.index()];
    let span = news.began.time..=news.met.time;
    let is_its = |edge: &&SignalEdge| {
        let of = edge.signal.is_some_and(|signal| combo.signals().any(|its| its == signal));
        of && span.contains(&edge.time)
    };
    let heard = |edge: &SignalEdge, by: &LoopRun| {
        // It may have been seen a poll later.
        let slack = by.rate.time_of(Tick(1)).0 + 1_000_000;
        by.edges.iter().any(|other| {
            (other.signal, other.change) == (edge.signal, edge.change)
                && other.time.0.abs_diff(edge.time.0) <= slack
        })
    };
    if let Some(edge) = did.edges.iter().filter(is_its).find(|edge| !heard(edge, did_not)) {
        return LoopCause::NoEdge { edge: *edge, rate: did_not.rate };
    }
    let slow = Rig { rate: did_not.rate, ..rig.clone() };
    let ladder = Ladder::read(&slow, news.combo, did_not.edges.iter(), did_not.ends);
    let attempt = ladder.attempts().iter().find(|attempt| {
        attempt.outcome != ComboAttemptOutcome::Met
            && attempt.ended.time >= news.began.time
            && attempt.began.time <= news.met.time
    });
    match attempt {
        Some(attempt) => LoopCause::Attempt { attempt: attempt.clone(), rate: did_not.rate },
        None => LoopCause::InItsWay { rate: did_not.rate },
    }
}
