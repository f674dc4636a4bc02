//! Which attempt answers which label.

use super::{
    gap,
    near::{Near, Span},
};
use alloc::{vec, vec::Vec};
use core::cmp::Reverse;
use gtrig_core::Nanos;

/// How good a way to pair is: so many pairs, and how far apart they are together.
type Worth = (usize, Reverse<u64>);

const NOTHING: Worth = (0, Reverse(0));

/// What the best ways are worth that begin with each attempt, or with one after it.
///
/// A tree as in P. M. Fenwick, "A New Data Structure for Cumulative Frequency Tables" (1994), with
/// the largest instead of the sum, counted from the last attempt back.
struct Best(Vec<Worth>);

impl Best {
    /// Of so many attempts, with nothing paired.
    fn of(attempts: usize) -> Best {
        Best(vec![NOTHING; attempts + 1])
    }

    /// What the best way is worth that begins with this attempt or a later one.
    fn from(&self, attempt: usize) -> Worth {
        let mut node = self.0.len() - 1 - attempt.min(self.0.len() - 1);
        let mut best = NOTHING;
        while node > 0 {
            best = best.max(self.0[node]);
            node &= node - 1;
        }
        best
    }

    /// A way that begins with this attempt is worth so much.
    fn add(&mut self, attempt: usize, worth: Worth) {
        let mut node = self.0.len() - 1 - attempt;
        while node < self.0.len() {
            self.0[node] = self.0[node].max(worth);
            node += node & node.wrapping_neg();
        }
    }
}

/// An attempt that a label may have.
struct Choice {
    attempt: usize,
    /// How far it is from the label.
    distance: u64,
    /// What the best way is worth that begins with it.
    worth: Worth,
}

/// Pairs labels with attempts, both in order of time (attempts in that in which they were
/// over): a later label has a later attempt. Of all ways it is the one with the most pairs,
/// of those the one with the smallest sum of distances, and of those the one in which the
/// first label has the earliest attempt, then the second. Gives the place of the attempt of
/// each label.
///
/// Each label is held against the attempts near it alone, in time and in memory, however long
/// some of them went on.
pub(super) fn pair(labels: &[Nanos], attempts: &[Span]) -> Vec<Option<usize>> {
    let mut near = Near::new(attempts);
    let of_label = |&at: &Nanos| {
        let choice = |attempt: usize| {
            let distance = gap(attempts[attempt], at);
            Choice { attempt, distance, worth: NOTHING }
        };
        near.of(at).map(choice).collect()
    };
    let mut choices: Vec<Vec<Choice>> = labels.iter().map(of_label).collect();
    // From the last label back; after it there is nothing.
    let mut best = Best::of(attempts.len());
    for choices in choices.iter_mut().rev() {
        for choice in choices.iter_mut() {
            let (pairs, Reverse(far)) = best.from(choice.attempt + 1);
            choice.worth = (pairs + 1, Reverse(far + choice.distance));
        }
        choices.iter().for_each(|choice| best.add(choice.attempt, choice.worth));
    }
    let (mut next, mut left) = (0, best.from(0));
    let answer = |choices: &Vec<Choice>| {
        let is_best = |choice: &&Choice| choice.attempt >= next && choice.worth == left;
        let choice = choices.iter().find(is_best)?;
        let (pairs, Reverse(far)) = left;
        (next, left) = (choice.attempt + 1, (pairs - 1, Reverse(far - choice.distance)));
        Some(choice.attempt)
    };
    choices.iter().map(answer).collect()
}

#[cfg(test)]
mod tests {
    use super::{super::SLACK, *};
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

    /// Labels of an hour, one close to the next, each with its attempt; beside them one goes on
    /// from the beginning to the end.
    #[test]
    fn labels_without_a_pause_have_small_choices() {
        let labels: Vec<Nanos> = (0..18_000).map(|n| ms(n * 200)).collect();
        let mut attempts: Vec<Span> =
            labels.iter().map(|at| [*at, Nanos(at.0 + 60_000_000)]).collect();
        attempts.push([ms(0), ms(4_000_000)]);
        let mut near = Near::new(&attempts);
        assert!(labels.iter().all(|at| near.of(*at).count() <= 5));
        let answers = pair(&labels, &attempts);
        assert!(answers.iter().enumerate().all(|(n, answer)| *answer == Some(n)));
    }

    proptest! {
        /// Labels and attempts that crowd, and that do not: no way is better.
        #[test]
        fn no_way_is_better(
            mut labels in prop::collection::vec(0u64..2_000, 0..6),
            spans in prop::collection::vec(
                (0u64..2_000, prop_oneof![4 => 0u64..400, 1 => 0u64..3_000]), 0..6,
            ),
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
