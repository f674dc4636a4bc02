//! Which attempt answers which label.

use super::{SLACK, gap};
use alloc::{vec, vec::Vec};
use core::cmp::Reverse;
use gtrig_core::Nanos;

/// When an attempt began and was over.
pub(super) type Span = [Nanos; 2];

/// How good a way to pair is: so many pairs, and how far apart they are together.
type Worth = (usize, Reverse<u64>);

const NOTHING: Worth = (0, Reverse(0));

/// Pairs labels with attempts, both in order of time (attempts in that in which they were
/// over): a later label has a later attempt. Of all ways it is the one with the most pairs,
/// of those the one with the smallest sum of distances, and of those the one in which the
/// first label has the earliest attempt, then the second. Gives the place of the attempt of
/// each label.
pub(super) fn pair(labels: &[Nanos], attempts: &[Span]) -> Vec<Option<usize>> {
    let mut answers = Vec::with_capacity(labels.len());
    let mut rest = labels;
    while !rest.is_empty() {
        let (near, [from, to]) = cluster(rest, attempts);
        let of_near = pair_all(&rest[..near], &attempts[from..to]);
        answers.extend(of_near.into_iter().map(|answer| answer.map(|n| from + n)));
        rest = &rest[near..];
    }
    answers
}

/// How many labels from the first on may want one another's attempts, and the attempts that
/// they may have: what comes later has nothing to do with them.
fn cluster(labels: &[Nanos], attempts: &[Span]) -> (usize, [usize; 2]) {
    let first = |at: Nanos| attempts.partition_point(|[_, ended]| ended.0 + SLACK.0 < at.0);
    let after = |at: Nanos| {
        attempts.iter().rposition(|span| gap(*span, at) <= SLACK.0).map_or(0, |last| last + 1)
    };
    let from = first(labels[0]);
    let (mut count, mut to) = (0, from);
    for &at in labels {
        if count > 0 && first(at) >= to {
            break;
        }
        (count, to) = (count + 1, to.max(after(at)));
    }
    (count, [from, to])
}

/// [`pair`], with memory for every label with every attempt.
fn pair_all(labels: &[Nanos], attempts: &[Span]) -> Vec<Option<usize>> {
    let with = |at: Nanos, span: Span, (pairs, Reverse(far)): Worth| {
        let distance = gap(span, at);
        (distance <= SLACK.0).then_some((pairs + 1, Reverse(far + distance)))
    };
    // What labels and attempts are worth from each of them on; nothing after the last ones.
    let mut worth = vec![vec![NOTHING; attempts.len() + 1]; labels.len() + 1];
    for (i, &at) in labels.iter().enumerate().rev() {
        for (j, &span) in attempts.iter().enumerate().rev() {
            let apart = worth[i + 1][j].max(worth[i][j + 1]);
            worth[i][j] = with(at, span, worth[i + 1][j + 1]).map_or(apart, |it| it.max(apart));
        }
    }
    let mut next = 0;
    let answer = |(i, &at): (usize, &Nanos)| {
        let is_best =
            |&j: &usize| with(at, attempts[j], worth[i + 1][j + 1]) == Some(worth[i][next]);
        let answer = (next..attempts.len()).find(is_best);
        next = answer.map_or(next, |j| j + 1);
        answer
    };
    labels.iter().enumerate().map(answer).collect()
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
