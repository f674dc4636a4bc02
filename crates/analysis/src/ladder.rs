//! What every attempt at a combo came to, and by how much.
//!
//! A combo fires at a moment if there is a *chain* of moments, one for each
//! step, that keeps every limit (see [`Combo`]). So the margin of a
//! limit is the most by which it is kept over all chains that keep *every
//! other* limit: tightened by less, or loosened by no less, the combo fires
//! there, and otherwise it does not. The ladder finds these margins exactly: for
//! each pair of moments of neighbouring steps it knows the best chain that
//! leads to the first (the one that began last) and whether a chain leads on
//! from the second.
//!
//! It is a reader of [`SignalEdge`]s and runs beside the automaton, which only
//! finds out what fires; both agree, as tests hold.

mod attempt;
mod climb;
mod judge;
mod links;
mod missed;
mod settled;
mod track;

pub use attempt::*;
pub use settled::Attempts;

use alloc::{collections::VecDeque, vec, vec::Vec};
use climb::Climb;
use gtrig_core::{
    Combo, ComboId, ComboLimit, ComboNews, ComboStep, ComboVariant, HandPress, Mode, Moment, Nanos,
    PollRate, Rig, SignalChange, SignalEdge, SignalId, SignalState, StepKind, TimeSpan,
};
use judge::{Judge, Judged};
use track::*;

/// Of the moments at which a step was met, at most so many are looked at.
const WIDTH: usize = 64;

/// A step that comes after so many times what it may take is no part of an attempt
/// any more.
const LOOKED_BACK: u64 = 4;

/// A miss is a near one if a limit changed by no more than itself, or by this
/// many nanoseconds, would have made it fire.
const NEAR_TIME: i64 = 100_000_000;

/// The same in ticks.
const NEAR_TICKS: i64 = 6;

/// Reads the edges of a session for one combo. See the module documentation.
#[derive(Clone, Debug)]
pub struct Ladder {
    /// One, or for a combo whose presses come from one device one for each.
    climbs: Vec<Climb>,
    found: Found,
}

/// What is found of all copies of a combo.
#[derive(Clone, Debug, Default)]
struct Found {
    attempts: Vec<ComboAttempt>,
    gaps: Vec<Vec<i64>>,
}

impl Ladder {
    /// The ladder of a combo of a rig, by its place there.
    pub fn new(rig: &Rig, combo: ComboId) -> Self {
        Ladder::of(&rig.combos[combo.index()], rig)
    }

    /// The ladder of a combo over the signals and modes of a rig.
    pub fn of(combo: &Combo, rig: &Rig) -> Self {
        let copies = combo.copies();
        let climb = |(copy, nth): (&Combo, u8)| Climb::new((copy, nth), rig);
        let gaps = vec![Vec::new(); combo.steps.len()];
        Ladder {
            climbs: copies.iter().zip(0..).map(climb).collect(),
            found: Found { attempts: Vec::new(), gaps },
        }
    }

    /// The ladder of a combo that has read all these edges, up to `now` by the
    /// clock of the combos.
    pub fn read<'e>(
        rig: &Rig,
        combo: ComboId,
        edges: impl Iterator<Item = &'e SignalEdge>,
        now: Moment,
    ) -> Self {
        let mut ladder = Ladder::new(rig, combo);
        ladder.feed(edges);
        ladder.advance(now);
        ladder
    }

    /// What it knows of what goes on, without the attempts that are over: to find out
    /// what would come of other edges than those that came.
    #[must_use]
    pub fn fork(&mut self) -> Ladder {
        let found = core::mem::take(&mut self.found);
        let mut fork = self.clone();
        fork.found.gaps = vec![Vec::new(); found.gaps.len()];
        fork.climbs.iter_mut().for_each(Climb::forget_attempts);
        self.found = found;
        fork
    }

    /// Every attempt so far, in the order in which it was over.
    pub fn attempts(&self) -> &[ComboAttempt] {
        &self.found.attempts
    }

    /// The times from each step to the next as they came, whether they kept the
    /// limits or not, in the unit of the step's `within`; of the first step none.
    pub fn gaps(&self, step: usize) -> &[i64] {
        &self.found.gaps[step]
    }

    /// Takes in the next edges, with all names of the last press.
    pub fn feed<'e>(&mut self, edges: impl IntoIterator<Item = &'e SignalEdge>) {
        let mut names: Vec<SignalEdge> = Vec::new();
        for edge in edges {
            if names.last().is_some_and(|before| !edge.is_same_as(before)) {
                self.each(|climb| climb.feed(&names));
                names.clear();
            }
            names.push(*edge);
        }
        if !names.is_empty() {
            self.each(|climb| climb.feed(&names));
        }
    }

    /// Lets time pass up to a moment by the clock of the combos.
    pub fn advance(&mut self, now: Moment) {
        self.each(|climb| climb.advance(now));
    }

    /// Takes what is open for over, as at the end of a take: what had begun is told
    /// as stopped.
    pub fn finish(&mut self) {
        self.each(|climb| climb.prune_before(Nanos(u64::MAX)));
    }

    /// Attempts that ended before this, by the clock of the combos, are all found, and
    /// nothing of them changes any more: it has read all up to `now`.
    pub(crate) fn settled_before(&self, now: Moment) -> Nanos {
        let of_climb = self.climbs.iter().flat_map(|climb| {
            let found = Nanos(now.time.0.saturating_sub(climb.horizon));
            let unknown = climb.unknown.iter().map(|unknown| unknown.attempt);
            unknown.map(|attempt| self.found.attempts[attempt].ended.time).chain([found])
        });
        of_climb.min().unwrap_or(now.time)
    }

    /// Does something with every copy, which finds its attempts where the others do.
    fn each(&mut self, mut with: impl FnMut(&mut Climb)) {
        for climb in &mut self.climbs {
            core::mem::swap(&mut self.found, &mut climb.found);
            with(climb);
            core::mem::swap(&mut self.found, &mut climb.found);
        }
    }
}
