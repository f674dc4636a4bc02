//! What ends a hold or a quiet, and how long it had lasted by then.

use super::*;

/// An edge, and what else its press is called.
type Named<'e> = (&'e SignalEdge, &'e [SignalId]);

impl Climb {
    /// What a change brings to an end: a hold by the release of what is held, a
    /// quiet by a press of the combo's own, and both by a press that breaks them.
    pub(super) fn end(&mut self, tracks: &mut [Track], edge: &SignalEdge, others: &[SignalId]) {
        let at = self.at(edge.moment());
        for track in &mut *tracks {
            self.end_going(track, (edge, others), at);
            // A hold that is cut short may begin a quiet, which this ends at once.
            while self.end_pending(track, (edge, others), at) {}
        }
        self.judge_ends(tracks);
        let ended: Vec<bool> = self
            .unknown
            .iter()
            .map(|unknown| {
                let way = &tracks[unknown.track].way;
                unknown.serial < self.serial
                    && self.ends(
                        (way, unknown.step),
                        (unknown.signal, unknown.hand),
                        (edge, others),
                    )
            })
            .collect();
        self.learn(&ended, at);
    }

    /// Holds that were long enough already end.
    fn end_going(&self, track: &mut Track, edge: Named, at: Moment) {
        let Track { way, hits, .. } = track;
        for (n, step) in way.steps.iter().enumerate() {
            let StepKind::Hold(_, span) = step.what else { continue };
            let going = hits[n].iter_mut().filter(|hit| hit.own == i64::MAX);
            let ended = going.filter(|hit| self.ends((way, n), (hit.signal, hit.hand), edge));
            for hit in ended.filter(|hit| hit.serial < self.serial) {
                hit.own = span.between(hit.press, at) - span.amount();
            }
        }
    }

    /// Holds and quiets end that were not long enough. Returns whether there were
    /// any.
    fn end_pending(&mut self, track: &mut Track, named: Named, at: Moment) -> bool {
        let (edge, _) = named;
        let mut over = Vec::new();
        let Track { way, pending, .. } = &mut *track;
        pending.retain(|&Pending { step, hit, .. }| {
            let is_over =
                hit.serial < self.serial && self.ends((way, step), (hit.signal, hit.hand), named);
            if is_over {
                over.push((step, hit));
            }
            !is_over
        });
        for (step, mut hit) in over.iter().copied() {
            let Some(span) = track.way.steps[step].what.span() else { continue };
            hit.own = span.between(hit.press, at) - span.amount();
            // What ended it did not come before.
            (hit.met, hit.heard, hit.paused) = (at, self.serial - 1, self.paused);
            hit.cut_by = edge.is_press().then_some(edge.signal);
            self.enter(track, step, hit);
        }
        !over.is_empty()
    }

    /// Whether a change ends what step `n` goes on with; `of` is what is held, by
    /// this press of a hand.
    fn ends(
        &self,
        (way, n): (&ComboVariant, usize),
        (of, hand): (Option<SignalId>, HandPress),
        (edge, others): Named,
    ) -> bool {
        let is_else = edge.is_press() && !edge.hand().is(hand);
        let is_breaking = is_else && way.is_broken_by(edge.signal, others, n);
        match way.steps[n].what {
            StepKind::Hold(..) => {
                let is_released = !edge.is_on() && edge.signal == of;
                is_released || (is_breaking && edge.signal != of)
            }
            StepKind::Quiet(_) => {
                let is_own = edge.signal.is_some_and(|signal| self.own.contains(&signal));
                edge.is_press() && is_own || is_breaking
            }
            _ => false,
        }
    }

    /// Now it is known how long the last step of some attempts went on.
    fn learn(&mut self, ended: &[bool], at: Moment) {
        let Climb { unknown, found: Found { attempts, .. }, combo, .. } = self;
        let mut ended = ended.iter();
        unknown.retain(|unknown| {
            if !ended.next().copied().unwrap_or(false) {
                return true;
            }
            let limit = ComboLimit::Own(unknown.step as u8);
            let checks = attempts[unknown.attempt].checks.iter_mut();
            if let Some(check) = checks.into_iter().find(|check| check.limit == limit)
                && let Some(span) = combo.steps[unknown.step].what.span()
            {
                let known = span.between(unknown.from, at) - span.amount();
                check.margin = check.margin.min(known);
                let margin = check.margin;
                // A hold before a quiet can be no longer than that bears.
                let is_quiet = matches!(combo.steps[unknown.step].what, StepKind::Quiet(_));
                let before = unknown.step.checked_sub(1).filter(|_| is_quiet);
                let hold = before.filter(|&n| matches!(combo.steps[n].what, StepKind::Hold(..)));
                let limit = hold.map(|n| ComboLimit::Own(n as u8));
                let checks = attempts[unknown.attempt].checks.iter_mut();
                for check in checks.filter(|check| Some(check.limit) == limit) {
                    check.margin = check.margin.min(margin);
                }
            }
            false
        });
    }
}
