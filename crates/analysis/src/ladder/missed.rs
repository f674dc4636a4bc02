//! The attempt behind a last step that no chain comes near.

use super::{judge::Judge, track::Hit};
use alloc::{vec, vec::Vec};

/// What a chain misses: how many limits, and by what share of themselves.
#[derive(Clone, Copy, Debug, Default, PartialEq, PartialOrd)]
struct Missed {
    limits: u32,
    share: f64,
}

impl Missed {
    /// With one more limit, kept or not.
    fn and(self, margin: i64, asked: i64) -> Self {
        match margin < 0 {
            true => Missed {
                limits: self.limits + 1,
                share: self.share + (-margin) as f64 / asked.max(1) as f64,
            },
            false => self,
        }
    }
}

impl Judge<'_> {
    /// Of the chains that lead to the last hit in order, whatever they miss, the one
    /// that misses the fewest limits, and those by the least. No hit of it was part of
    /// another attempt, for a press is tried once.
    pub(super) fn least_missed(&self) -> Option<Vec<Hit>> {
        let count = self.track.way.steps.len();
        let mut best: Vec<Vec<Option<(Missed, usize)>>> = Vec::with_capacity(count);
        let spent = self.ladder.spent_for();
        let first: Vec<&Hit> = self.hits(0).collect();
        let fits = |hit: &Hit| hit.first > spent && (count == 1 || !hit.is_used);
        best.push(
            first.iter().map(|hit| fits(hit).then(|| (self.missed_by_itself(0, hit), 0))).collect(),
        );
        for n in 1..count {
            let from: Vec<&Hit> = self.hits(n - 1).collect();
            let is_last = n + 1 == count;
            let reached = self.hits(n).map(|to| {
                if to.is_used && !is_last {
                    return None;
                }
                let before = best[n - 1].iter().zip(&from).enumerate();
                let reached = before.filter_map(|(at, (known, from))| {
                    let (known, _) = (*known)?;
                    Some((self.missed_between(n, known, from, to)?, at))
                });
                // Of equals the one that began last.
                let least = |a: &(Missed, usize), b: &(Missed, usize)| {
                    a.0.partial_cmp(&b.0).unwrap_or(core::cmp::Ordering::Equal).then(b.1.cmp(&a.1))
                };
                let (missed, at) = reached.min_by(least)?;
                let own = self.missed_by_itself(n, to);
                let both =
                    Missed { limits: missed.limits + own.limits, share: missed.share + own.share };
                Some((both, at))
            });
            let reached = reached.collect();
            best.push(reached);
        }
        // The hit that is judged is the only one of the last step.
        let mut at = 0;
        best[count - 1][0]?;
        let mut chain = vec![self.last];
        for n in (1..count).rev() {
            at = best[n][at]?.1;
            chain.push(*self.hits(n - 1).nth(at)?);
        }
        chain.reverse();
        Some(chain)
    }

    fn missed_by_itself(&self, n: usize, hit: &Hit) -> Missed {
        let calm = self.ladder.combo.calm.map_or(0, |calm| calm.span.amount());
        let own = self.track.way.steps[n].what.span().map_or(0, gtrig_core::TimeSpan::amount);
        Missed::default().and(hit.calm, calm).and(hit.own, own)
    }

    /// What is missed up to a hit, by way of one of the step before; `None` if it does
    /// not follow that, or if something was pressed in between.
    fn missed_between(&self, n: usize, before: Missed, from: &Hit, to: &Hit) -> Option<Missed> {
        let step = &self.track.way.steps[n];
        let link =
            self.ladder.link(&self.track.way, n, from, to).filter(|link| link.broken.is_none())?;
        let missed = before.and(link.after, step.opens().amount());
        Some(missed.and(link.within, step.within.amount()))
    }
}
