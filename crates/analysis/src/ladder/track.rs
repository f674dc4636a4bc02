//! The moments at which the steps of a combo were met, or nearly were.

use super::*;

/// A moment at which a step was met, or nearly was.
#[derive(Clone, Copy, Debug)]
pub(super) struct Hit {
    pub(super) press: Moment,
    pub(super) met: Moment,
    /// The press in the time of the take.
    pub(super) reported: Nanos,
    /// For how long the clock of the combos had stood still when it was met.
    pub(super) paused: Nanos,
    /// Which of the signals of its step it was.
    pub(super) signal: Option<SignalId>,
    /// The press of a hand that it comes from.
    pub(super) hand: HandPress,
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
    /// Of a first step by how much it keeps the calm before it; [`i64::MAX`] where
    /// nothing was pressed before.
    pub(super) calm: i64,
    /// Of a release that belongs to the press of the step before: which press it
    /// ended.
    pub(super) lifts: Option<u32>,
    /// Of a hold or a quiet that a press cut short: of which signal, or of a button
    /// that no signal names.
    pub(super) cut_by: Option<Option<SignalId>>,
    /// Up to this press what may break it counts.
    pub(super) heard: u32,
    /// Of a quiet, and of a press that came early, the hit of the step before that
    /// it follows.
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
    pub(super) way: ComboVariant,
    pub(super) hits: Vec<VecDeque<Hit>>,
    pub(super) counts: Vec<u32>,
    /// Holds, quiets and early presses that go on.
    pub(super) pending: Vec<Pending>,
}

/// A step that is met by itself.
#[derive(Clone, Copy, Debug)]
pub(super) struct Pending {
    pub(super) step: usize,
    /// When, as far as nothing ends it, and in which unit that was asked.
    pub(super) due: Moment,
    pub(super) span: TimeSpan,
    pub(super) hit: Hit,
}

impl Hit {
    /// Whether it keeps its own limits.
    pub(super) const fn is_sound(&self) -> bool {
        self.own >= 0 && self.calm >= 0
    }

    /// When it was met in the time of the take.
    pub(super) const fn met_at(&self) -> Nanos {
        Nanos(self.met.time.0 + self.paused.0)
    }
}

/// A check of the last attempts that is known only later: for how long the last
/// step was held or stayed quiet.
#[derive(Clone, Copy, Debug)]
pub(super) struct Unknown {
    pub(super) attempt: usize,
    pub(super) track: usize,
    pub(super) step: usize,
    pub(super) signal: Option<SignalId>,
    pub(super) hand: HandPress,
    pub(super) serial: u32,
    pub(super) from: Moment,
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
