//! The moments at which the steps of a combo were met, or nearly were.

use super::*;

/// A moment at which a step was met, or nearly was.
#[derive(Clone, Copy, Debug)]
pub(super) struct Hit {
    pub(super) press: Moment,
    pub(super) met: Moment,
    pub(super) reported: Nanos,
    /// Its press, and the first of a chord, as a count over all edges.
    pub(super) serial: u32,
    pub(super) first: u32,
    pub(super) began: Moment,
    pub(super) own_first: Moment,
    /// Which of the hits of its step, counted from the beginning.
    pub(super) number: u32,
    /// By how much it keeps its own limit; [`i64::MAX`] without one, or while
    /// that goes on.
    pub(super) own: i64,
    /// Up to this press what may break it counts.
    pub(super) heard: u32,
    /// Of a quiet the hit of the step before that it follows.
    pub(super) of: Option<u32>,
    /// The chain that keeps every limit and began last.
    pub(super) best: Option<Best>,
    pub(super) is_used: bool,
}

#[derive(Clone, Copy, Debug)]
pub(super) struct Best {
    pub(super) first: u32,
    pub(super) began: Moment,
    /// The hit of the step before.
    pub(super) before: Option<u32>,
}

/// How a hit follows one of the step before.
#[derive(Clone, Copy, Debug)]
pub(super) struct Link {
    pub(super) after: i64,
    pub(super) within: i64,
    pub(super) broken: Option<Option<SignalId>>,
}

/// The hits of one variant of the combo.
#[derive(Clone, Debug)]
pub(super) struct Track {
    /// Its place among the variants.
    pub(super) number: usize,
    pub(super) steps: Vec<ComboStep>,
    pub(super) guard: Option<(SignalId, bool)>,
    pub(super) hits: Vec<VecDeque<Hit>>,
    pub(super) counts: Vec<u32>,
    /// Holds and quiets that go on, by step.
    pub(super) pending: Vec<(usize, Hit)>,
}

/// A check of the last attempts that is known only later: for how long the last
/// step was held or stayed quiet.
#[derive(Clone, Copy, Debug)]
pub(super) struct Unknown {
    pub(super) attempt: usize,
    pub(super) track: usize,
    pub(super) step: usize,
    pub(super) serial: u32,
    pub(super) from: Moment,
}

pub(super) fn is_about(steps: &[ComboStep], signal: SignalId) -> bool {
    steps.iter().any(|step| step.what.signals().contains(&signal))
}

pub(super) fn rung(hit: &Hit) -> Rung {
    Rung { first: hit.own_first, press: hit.press, met: hit.met, reported: hit.reported }
}

pub(super) fn find(hits: &VecDeque<Hit>, number: u32) -> Option<&Hit> {
    let first = hits.front()?.number;
    hits.get(number.checked_sub(first)? as usize)
}

pub(super) fn find_mut(hits: &mut VecDeque<Hit>, number: u32) -> Option<&mut Hit> {
    let first = hits.front()?.number;
    hits.get_mut(number.checked_sub(first)? as usize)
}
