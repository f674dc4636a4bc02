//! What one moment has to do with those before it: whether it follows them, and
//! what came in between.

use super::climb::Pressed;
use super::*;

impl Climb {
    /// By how much a first step at this moment keeps the calm before it.
    pub(super) fn calm(&self, at: Moment) -> i64 {
        let Some(calm) = self.combo.calm else { return i64::MAX };
        let is_own =
            |signal: &Option<SignalId>| signal.is_some_and(|signal| self.own.contains(&signal));
        let mut before = self.presses.iter().rev();
        let last = before.find(|press| press.serial > self.floor && is_own(&press.signal));
        last.map_or(i64::MAX, |last| calm.span.between(last.at, at) - calm.span.amount())
    }

    /// Of a release that belongs to the press of the step before: which press it
    /// ended.
    pub(super) fn lifts(&self, steps: &[ComboStep], n: usize, signal: SignalId) -> Option<u32> {
        let is_lift = n > 0 && steps[n].lifts(&steps[n - 1]);
        is_lift.then(|| self.held[signal.index()].lifted)
    }

    /// The chain up to a hit that keeps every limit and began last.
    pub(super) fn best(&self, track: &Track, n: usize, hit: &Hit) -> Option<Best> {
        if n == 0 {
            return Some(Best { first: hit.first, began: hit.began, before: None });
        }
        let from = track.hits[n - 1]
            .iter()
            .filter(|from| self.link(&track.way, n, from, hit).is_some_and(|link| link.is_kept()));
        let from = from.filter_map(|from| Some((from.best?, from.number)));
        let (best, number) = from.max_by_key(|(best, number)| (best.first, *number))?;
        Some(Best { before: Some(number), ..best })
    }

    /// How a hit of step `n` follows one of the step before; `None` if it does not at all.
    pub(super) fn link(&self, way: &ComboVariant, n: usize, from: &Hit, to: &Hit) -> Option<Link> {
        let step = &way.steps[n];
        if to.of.is_some_and(|of| of != from.number) {
            return None;
        }
        if let StepKind::Quiet(_) = step.what {
            // What breaks the combo from outside breaks a quiet too.
            let broken = self.broken(way, n, from, to);
            return Some(Link { after: 0, within: 0, broken });
        }
        let opens = step.opens();
        let passed = opens.between(from.met, to.press);
        // A press that is early for this step counts for it later.
        let is_early = (opens.amount()..step.after.amount()).contains(&passed);
        let is_its_press = to.lifts.is_none_or(|press| from.serial == press);
        if from.serial >= to.first || is_early != to.of.is_some() || !is_its_press {
            return None;
        }
        let after = opens.between(from.met, to.press) - opens.amount();
        // A press before the previous step was met never follows it.
        if opens.between(from.met, to.press) < 0 {
            return None;
        }
        let within = step.within.amount() - step.within.between(from.met, to.press);
        Some(Link { after, within, broken: self.broken(way, n, from, to) })
    }

    /// What else was pressed since a press, and before step `n` was met, that this does not bear.
    pub(super) fn broken(
        &self,
        way: &ComboVariant,
        n: usize,
        since: &Hit,
        to: &Hit,
    ) -> Option<Option<SignalId>> {
        let is_between = |press: &&Pressed| {
            press.serial > since.serial && press.serial <= to.heard && press.serial != to.serial
        };
        // One press may turn several signals on.
        let is_else = |press: &&Pressed| !press.hand.is(since.hand) && !press.hand.is(to.hand);
        let between = self.presses.iter().filter(is_between).filter(is_else);
        let mut breaking = between.filter(|press| way.is_broken_by(press.signal, &press.others, n));
        breaking.next().map(|press| press.signal)
    }

    /// How long after a press the last one came that a quiet does not bear, before
    /// another moment; `None` without one.
    pub(super) fn noise(
        &self,
        way: &ComboVariant,
        since: &Hit,
        until: Moment,
        unit: TimeSpan,
    ) -> Option<i64> {
        let last = way.steps.len().checked_sub(1)?;
        let later = self.presses.iter().filter(|press| press.serial > since.serial);
        let noisy = later.filter(|press| {
            let is_own = press.signal.is_some_and(|signal| self.own.contains(&signal));
            let breaks =
                !press.hand.is(since.hand) && way.is_broken_by(press.signal, &press.others, last);
            press.at < until && (is_own || breaks)
        });
        noisy.map(|press| unit.between(since.press, press.at)).max()
    }

    /// Whether a signal of the combo was pressed at the very moment at which a step
    /// was met, or later: then no quiet follows it.
    pub(super) fn was_pressed_since(&self, hit: &Hit) -> bool {
        let later = self.presses.iter().rev().take_while(|press| press.serial > hit.serial);
        let mut own = later.filter(|press| press.signal.is_some_and(|s| self.own.contains(&s)));
        own.any(|press| press.at >= hit.met)
    }
}
