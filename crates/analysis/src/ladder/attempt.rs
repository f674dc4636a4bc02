//! An attempt at a combo: how far it got, and by how much each limit was kept.

use super::*;

/// What an attempt came to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ComboAttemptOutcome {
    /// All steps were met.
    Met,
    /// They would have been with one limit changed.
    Near,
    /// They would have been, had not this been pressed in between: a signal, or
    /// `None` for a button that no signal names.
    Broken(Option<SignalId>),
    /// All its steps came, and several limits were missed, or one by more than
    /// little: each check with a negative margin says by how much; see
    /// [`ComboAttempt::is_met_if_all_change`].
    Missed,
    /// It went no further than so many steps.
    Stopped(u8),
}

/// A step of an attempt.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Rung {
    /// Of a chord when its first press was; otherwise `press`.
    pub first: Moment,
    /// When its press was, or for a release or a quiet when that was.
    pub press: Moment,
    /// When it was met; later than `press` for a hold.
    pub met: Moment,
    /// When it was reported, with the time the clock of the combos stood still.
    pub reported: Nanos,
}

/// A limit of an attempt.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct LimitCheck {
    /// Which.
    pub limit: ComboLimit,
    /// What was asked.
    pub asked: TimeSpan,
    /// By how much it was kept, in the unit of what was asked; negative where
    /// it was not.
    pub margin: i64,
    /// Whether the margin holds with all other limits as they are.
    pub is_alone: bool,
}

/// Whether a limit asks for at least so much, instead of at most.
pub fn is_least(combo: &Combo, limit: ComboLimit) -> bool {
    match limit {
        ComboLimit::After(_) | ComboLimit::Calm => true,
        ComboLimit::Within(_) | ComboLimit::All => false,
        ComboLimit::Own(n) => {
            let step = combo.steps.get(usize::from(n));
            step.is_some_and(|step| matches!(step.what, StepKind::Hold(..) | StepKind::Quiet(_)))
        }
    }
}

/// An attempt at a combo.
#[derive(Clone, Debug, PartialEq)]
pub struct ComboAttempt {
    /// When its first step was met.
    pub began: Moment,
    /// When its last step was, or would have been, met; of one that stopped, when
    /// the last of those that were.
    pub ended: Moment,
    /// The same in the time of the take, which goes on where the clock of the
    /// combos stands still.
    pub ended_at: Nanos,
    /// What it came to.
    pub outcome: ComboAttemptOutcome,
    /// Whether it is turned around; see [`Mirror`](gtrig_core::Mirror).
    pub is_mirrored: bool,
    /// Of a combo whose presses come from one device on which of its devices, counted
    /// from 0; otherwise 0.
    pub copy: u8,
    /// The steps that were met, in order.
    pub rungs: Vec<Rung>,
    /// Its limits.
    pub checks: Vec<LimitCheck>,
}

impl ComboAttempt {
    /// Whether it would have been met with all limits that it missed changed by what
    /// they were missed by. A press that may come early and came too early even for
    /// that is met only later, if the limit lets it: then nothing is said.
    pub fn is_met_if_all_change(&self, combo: &Combo) -> bool {
        let mut missed = self.checks.iter().filter(|check| check.margin < 0);
        !missed.any(|check| match check.limit {
            ComboLimit::After(n) => combo.steps[usize::from(n)].buffer.amount() > 0,
            _ => false,
        })
    }

    /// Of a near miss the limit with the smallest change, for its size, that
    /// would have made it fire.
    pub fn nearest(&self) -> Option<&LimitCheck> {
        let missed = self.checks.iter().filter(|check| check.margin < 0 && check.is_alone);
        missed.min_by(|a, b| a.shortfall().total_cmp(&b.shortfall()))
    }

    /// Of the limits of a step the one that is kept least, for its size; of the last
    /// one that on the whole too.
    pub fn worst_of(&self, step: usize) -> Option<&LimitCheck> {
        let is_its = |check: &&LimitCheck| match check.limit {
            ComboLimit::After(n) | ComboLimit::Within(n) | ComboLimit::Own(n) => {
                usize::from(n) == step
            }
            ComboLimit::Calm => step == 0,
            ComboLimit::All => step + 1 == self.rungs.len(),
        };
        let share = |check: &LimitCheck| check.margin as f64 / check.asked.amount().max(1) as f64;
        self.checks.iter().filter(is_its).min_by(|a, b| share(a).total_cmp(&share(b)))
    }
}

impl LimitCheck {
    /// What was measured, in the unit of what was asked; `None` while it goes on.
    pub fn measured(&self, combo: &Combo) -> Option<i64> {
        let asked = self.asked.amount();
        match is_least(combo, self.limit) {
            _ if self.margin == i64::MAX => None,
            true => asked.checked_add(self.margin),
            false => asked.checked_sub(self.margin),
        }
    }

    /// By what share of itself it was missed; 0 where it was kept.
    pub fn shortfall(&self) -> f64 {
        (-self.margin).max(0) as f64 / self.asked.amount().max(1) as f64
    }
}
