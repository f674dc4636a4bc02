//! Sets of signals of which only the last press matters.
//!
//! A strict combo asks whether anything else was pressed since its last step; a quiet, whether one
//! of its own signals was. Asked of every press, that would cost as much as there are combos. So
//! each press is noted once in every *set* that has it, and a step compares one number.

use crate::base::SignalId;
use alloc::vec::Vec;

/// Which presses a watcher is interested in.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Set {
    /// Those of these signals, or, if it is `except`, of any others, be they
    /// signals or not.
    signals: Vec<SignalId>,
    /// Whether they are what is left out, and not what is in.
    is_except: bool,
}

impl Set {
    /// Whether a press is in the set: of a signal, or of a button that is none.
    fn has(&self, signal: Option<SignalId>) -> bool {
        let is_listed = signal.is_some_and(|signal| self.signals.contains(&signal));
        is_listed != self.is_except
    }
}

/// All sets of an automaton. A few, shared by many combos.
#[derive(Clone, Debug, Default)]
pub(crate) struct Sets(Vec<Set>);

/// A set, by its place.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct SetId(u16);

impl Sets {
    /// The set of these, or of everything else.
    pub(crate) fn of(&mut self, signals: impl Iterator<Item = SignalId>, is_except: bool) -> SetId {
        let mut signals: Vec<SignalId> = signals.collect();
        signals.sort_unstable();
        signals.dedup();
        let set = Set { signals, is_except };
        let known = self.0.iter().position(|other| *other == set);
        SetId(known.unwrap_or_else(|| {
            self.0.push(set);
            self.0.len() - 1
        }) as u16)
    }

    /// How many different sets there are.
    pub(crate) fn len(&self) -> usize {
        self.0.len()
    }

    /// For each signal the sets that have it; one more entry for what is no
    /// signal.
    pub(crate) fn by_signal(&self, signals: usize) -> Vec<Vec<SetId>> {
        let of = |signal: Option<SignalId>| {
            let sets = (0..).map(SetId).zip(&self.0);
            sets.filter(|(_, set)| set.has(signal)).map(|(id, _)| id).collect()
        };
        let all = (0..signals as u16).map(|n| of(Some(SignalId(n))));
        all.chain([of(None)]).collect()
    }
}

impl SetId {
    /// The place of a set.
    pub(crate) const fn index(self) -> usize {
        self.0 as usize
    }
}
