//! Which attempt answers which label.

use super::{SLACK, gap};
use alloc::{vec, vec::Vec};
use core::{cmp::Reverse, ops::Range};
use gtrig_core::Nanos;

/// When an attempt began and was over.
pub(super) type Span = [Nanos; 2];

/// How good a way to pair is: so many pairs, and how far apart they are together.
type Worth = (usize, Reverse<u64>);

const NOTHING: Worth = (0, Reverse(0));

/// What a label and those after it are worth with the attempts from each of its own on.
struct Row {
    /// The first of its own.
    from: usize,
    /// From each of them on, and from the one after the last.
    worth: Vec<Worth>,
}

impl Row {
    /// With the attempts from one on; what comes before its own changes nothing.
    fn worth_from(&self, attempt: usize) -> Worth {
        self.worth[attempt.max(self.from) - self.from]
    }
}

/// Pairs labels with attempts, both in order of time (attempts in that in which they were
/// over): a later label has a later attempt. Of all ways it is the one with the most pairs,
/// of those the one with the smallest sum of distances, and of those the one in which the
/// first label has the earliest attempt, then the second. Gives the place of the attempt of
/// each label.
///
/// Each label is held against the attempts around it alone, in time and in memory.
pub(super) fn pair(labels: &[Nanos], attempts: &[Span]) -> Vec<Option<usize>> {
    let with = |at: Nanos, span: Span, (pairs, Reverse(far)): Worth| {
        let distance = gap(span, at);
        (distance <= SLACK.0).then_some((pairs + 1, Reverse(far + distance)))
    };
    let bands = bands(labels, attempts);
    // From the last label back; after it there is nothing.
    let mut rows = vec![Row { from: attempts.len(), worth: vec![NOTHING] }];
    for (&at, band) in labels.iter().zip(&bands).rev() {
        let after = &rows[rows.len() - 1];
        let mut worth = vec![after.worth_from(band.end); band.len() + 1];
        for j in band.clone().rev() {
            let apart = after.worth_from(j).max(worth[j + 1 - band.start]);
            let paired = with(at, attempts[j], after.worth_from(j + 1));
            worth[j - band.start] = paired.map_or(apart, |it| it.max(apart));
        }
        rows.push(Row { from: band.start, worth });
    }
    let mut next = 0;
    let with_after = rows.iter().rev().zip(rows.iter().rev().skip(1));
    let answer = |((&at, band), (row, after)): ((&Nanos, &Range<usize>), (&Row, &Row))| {
        let is_best = |&j: &usize| {
            with(at, attempts[j], after.worth_from(j + 1)) == Some(row.worth_from(next))
        };
        let answer = (next.max(band.start)..band.end).find(is_best);
        next = answer.map_or(next, |j| j + 1);
        answer
    };
    labels.iter().zip(&bands).zip(with_after).map(answer).collect()
}

/// The attempts that each label may have: from the first that is not over too early, up to the
/// last that has not begun too late for it or a label before it. Neither end goes back.
fn bands(labels: &[Nanos], attempts: &[Span]) -> Vec<Range<usize>> {
    // The soonest that any attempt from each on began.
    let mut begins: Vec<Nanos> = attempts.iter().map(|[began, _]| *began).collect();
    for n in (1..begins.len()).rev() {
        begins[n - 1] = begins[n - 1].min(begins[n]);
    }
    let mut end = 0;
    let band = |at: &Nanos| {
        let is_over = |[_, ended]: &Span| ended.0.saturating_add(SLACK.0) < at.0;
        let has_begun = |began: &Nanos| began.0 <= at.0.saturating_add(SLACK.0);
        let start = attempts.partition_point(is_over);
        end = start.max(begins.partition_point(has_begun)).max(end);
        start..end
    };
    labels.iter().map(band).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn ms(ms: u64) -> Nanos {
        Nanos::from_millis(ms)
    }

    #[rstest]
    #[case::the_first_of_two_was_missed(&[1000, 1250], &[[1200, 1300]], &[None, Some(0)])]
    #[case::all_labels_are_late(&[1200, 1450], &[[990, 1000], [1240, 1250]], &[Some(0), Some(1)])]
    #[case::as_near_as_each_other(&[1000], &[[800, 900], [1100, 1200]], &[Some(0)])]
    #[case::just_near_enough(&[1000], &[[1300, 1400]], &[Some(0)])]
    #[case::just_too_far(&[1000], &[[1301, 1400]], &[None])]
    #[case::far_apart(&[1000, 9000], &[[1000, 1000], [9000, 9000]], &[Some(0), Some(1)])]
    #[case::at_one_instant(&[1000, 1000], &[[1000, 1000]], &[Some(0), None])]
    fn labels_have_the_attempts_that_were_meant(
        #[case] labels: &[u64],
        #[case] attempts: &[[u64; 2]],
        #[case] expected: &[Option<usize>],
    ) {
        let labels: Vec<Nanos> = labels.iter().copied().map(ms).collect();
        let attempts: Vec<Span> = attempts.iter().map(|span| span.map(ms)).collect();
        assert_eq!(pair(&labels, &attempts), expected);
    }

    /// Every way to pair in order, those first in which the first label has the earliest
    /// attempt.
    fn ways(labels: &[Nanos], attempts: &[Span], from: usize) -> Vec<Vec<Option<usize>>> {
        let Some((&at, rest)) = labels.split_first() else { return vec![Vec::new()] };
        let near = (from..attempts.len()).filter(|j| gap(attempts[*j], at) <= SLACK.0);
        let answers = near.map(Some).chain([None]);
        let with = |answer: Option<usize>| {
            let after = ways(rest, attempts, answer.map_or(from, |j| j + 1));
            after.into_iter().map(move |way| [vec![answer], way].concat())
        };
        answers.flat_map(with).collect()
    }

    /// Labels of an hour, one close to the next, each with its attempt.
    #[test]
    fn labels_without_a_pause_have_small_bands() {
        let labels: Vec<Nanos> = (0..18_000).map(|n| ms(n * 200)).collect();
        let attempts: Vec<Span> = labels.iter().map(|at| [*at, Nanos(at.0 + 60_000_000)]).collect();
        assert!(bands(&labels, &attempts).iter().all(|band| band.len() <= 4));
        let answers = pair(&labels, &attempts);
        assert!(answers.iter().enumerate().all(|(n, answer)| *answer == Some(n)));
    }

    proptest! {
        /// Labels and attempts that crowd, and that do not: no way is better.
        #[test]
        fn no_way_is_better(
            mut labels in prop::collection::vec(0u64..2_000, 0..6),
            spans in prop::collection::vec((0u64..2_000, 0u64..400), 0..6),
            steps in prop::sample::select(vec![1u64, 50, 100]),
        ) {
            labels.sort_unstable();
            let labels: Vec<Nanos> = labels.into_iter().map(|at| ms(at / steps * steps)).collect();
            let span = |(began, long): (u64, u64)| [began, began + long].map(|at| ms(at / steps * steps));
            let mut attempts: Vec<Span> = spans.into_iter().map(span).collect();
            attempts.sort_by_key(|[_, ended]| *ended);
            let worth = |way: &[Option<usize>]| {
                let pairs = way.iter().zip(&labels).filter_map(|(answer, at)| Some(((*answer)?, *at)));
                pairs.fold(NOTHING, |(pairs, Reverse(far)), (j, at)| {
                    (pairs + 1, Reverse(far + gap(attempts[j], at)))
                })
            };
            let all = ways(&labels, &attempts, 0);
            let most = all.iter().map(|way| worth(way)).max().unwrap();
            let best = all.into_iter().find(|way| worth(way) == most).unwrap();
            prop_assert_eq!(pair(&labels, &attempts), best);
        }
    }
}
