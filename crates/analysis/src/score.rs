//! What a person meant, against what gestures made of it.
//!
//! A label that reads `meant: NAME`, with whatever else after the name, says
//! that the gesture `NAME` was meant there: at an instant of the attempt, or no
//! further than [`SLACK`] from it. An attempt that fired and was meant is a
//! **hit**; a label whose gesture did not fire is a **miss**; any other attempt
//! that fired is a **false alarm**, whether a label names its gesture or not.

mod near;
mod pairing;

use crate::label::Label;
use alloc::{
    borrow::ToOwned,
    collections::{BTreeMap, BTreeSet},
    string::String,
    vec,
    vec::Vec,
};
use gtrig_core::{GestureId, GestureVerdict, Nanos, Rig};
use near::{Near, Span};

/// How far from an attempt a label may stand.
pub const SLACK: Nanos = Nanos(300_000_000);

/// With what a label begins that says what was meant.
pub const PREFIX: &str = "meant: ";

/// A gesture that a person meant.
#[derive(Clone, Debug, PartialEq)]
pub struct Meant {
    /// The label, by its place among all.
    pub label: usize,
    /// Where the label stands.
    pub at: Nanos,
    /// What it names.
    pub name: String,
    /// The gesture; `None` where the rig has none of that name.
    pub gesture: Option<GestureId>,
    /// The attempt that fired, or else a near miss, or else the one that came
    /// closest in time, by its place among the verdicts.
    pub attempt: Option<usize>,
    /// Whether it fired.
    pub is_hit: bool,
}

/// How a take was understood.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Score {
    /// Every label that says what was meant, in order.
    pub meant: Vec<Meant>,
    /// The attempts that fired though nobody meant them, by their places among
    /// the verdicts.
    pub false_alarms: Vec<usize>,
    /// What was meant, against what fired: every label and every attempt that
    /// fired is in it. In the order of the rig.
    pub confusions: Vec<Confusion>,
}

/// How often something was meant and something fired.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Confusion {
    /// What a label names; `None` where no label is near.
    pub meant: Option<String>,
    /// The gesture that fired; `None` where none did.
    pub fired: Option<GestureId>,
    /// How often.
    pub count: usize,
}

impl Score {
    /// How many labels were understood, and how many were not.
    pub fn hits_and_misses(&self) -> (usize, usize) {
        let hits = self.meant.iter().filter(|meant| meant.is_hit).count();
        (hits, self.meant.len() - hits)
    }
}

/// The gesture that a label names, if it says what was meant.
pub fn named(text: &str) -> Option<&str> {
    let name = text.strip_prefix(PREFIX)?.split_whitespace().next()?;
    Some(name.trim_end_matches([',', ':', ';']))
}

/// Holds verdicts against labels. An attempt answers one label, and a label is answered by one
/// attempt; which one, `docs/rig-format.md` says. Where no label says what was meant, nothing
/// is a false alarm. Labels are in order of time.
pub fn score<'v>(
    rig: &Rig,
    labels: &[Label],
    verdicts: impl Iterator<Item = &'v GestureVerdict>,
) -> Score {
    let said = labels.iter().enumerate();
    let said = said.filter_map(|(n, label)| Some((n, label.time, named(label.text.as_str())?)));
    // Combos are not scored: to say that one was meant is no miss of a gesture.
    let is_combo = |name: &str| rig.combos.iter().any(|combo| combo.name == name);
    let is_gesture = |name: &str| rig.gestures.iter().any(|gesture| gesture.name == name);
    let said = said.filter(|(.., name)| is_gesture(name) || !is_combo(name));
    let meant = |(label, at, name): (usize, Nanos, &str)| {
        let gesture = rig.gestures.iter().position(|gesture| gesture.name == name);
        let gesture = gesture.map(GestureId::at);
        Meant { label, at, name: name.to_owned(), gesture, attempt: None, is_hit: false }
    };
    let mut score = Score { meant: said.map(meant).collect(), ..Score::default() };
    if score.meant.is_empty() {
        return score;
    }
    let all: Vec<&GestureVerdict> = verdicts.collect();
    let mut is_used = vec![false; all.len()];
    let gestures: BTreeSet<GestureId> = score.meant.iter().filter_map(|it| it.gesture).collect();
    for gesture in gestures {
        for (label, n) in answers(gesture, &score.meant, &all) {
            is_used[n] = true;
            (score.meant[label].attempt, score.meant[label].is_hit) = (Some(n), true);
        }
    }
    let spans: Vec<Span> = all.iter().copied().map(span).collect();
    let mut near = Near::new(&spans);
    for meant in score.meant.iter_mut().filter(|meant| !meant.is_hit) {
        let fits = |n: &usize| meant.gesture == Some(all[*n].gesture) && !is_used[*n];
        let near: Vec<usize> = near.of(meant.at).filter(fits).collect();
        let hit = near.iter().copied().find(|&n| all[n].fired.is_some());
        let how_close = |n: usize| (!all[n].is_near(), all[n].ended.0.abs_diff(meant.at.0));
        let closest = || near.iter().copied().min_by_key(|&n| how_close(n));
        (meant.is_hit, meant.attempt) = (hit.is_some(), hit.or_else(closest));
        if let Some(n) = meant.attempt {
            is_used[n] = true;
        }
    }
    let is_alarm = |n: &usize| all[*n].fired.is_some() && !is_used[*n];
    score.false_alarms = (0..all.len()).filter(is_alarm).collect();
    let alarms: Vec<&GestureVerdict> = score.false_alarms.iter().map(|&n| all[n]).collect();
    score.confusions = confusions(&score.meant, &alarms);
    score
}

/// Pairs the labels of a gesture with its attempts that fired: their places.
fn answers(
    gesture: GestureId,
    meant: &[Meant],
    verdicts: &[&GestureVerdict],
) -> Vec<(usize, usize)> {
    let its = meant.iter().enumerate().filter(|(_, meant)| meant.gesture == Some(gesture));
    let (times, places): (Vec<Nanos>, Vec<usize>) = its.map(|(n, meant)| (meant.at, n)).unzip();
    let all = verdicts.iter().enumerate();
    let fired = all.filter(|(_, v)| v.gesture == gesture && v.fired.is_some());
    let mut attempts: Vec<(usize, Span)> = fired.map(|(n, verdict)| (n, span(verdict))).collect();
    attempts.sort_by_key(|(_, [_, ended])| *ended);
    let (fired, spans): (Vec<usize>, Vec<Span>) = attempts.into_iter().unzip();
    let answers = places.into_iter().zip(pairing::pair(&times, &spans));
    answers.filter_map(|(label, answer)| Some((label, fired[answer?]))).collect()
}

/// Counts what was meant against what fired. A false alarm belongs to the label
/// that is nearest to it, if one is near.
fn confusions(meant: &[Meant], alarms: &[&GestureVerdict]) -> Vec<Confusion> {
    let labels: Vec<Option<usize>> =
        alarms.iter().map(|alarm| nearest(meant, span(alarm))).collect();
    let is_of_alarm: BTreeSet<usize> = labels.iter().copied().flatten().collect();
    let hits = meant.iter().enumerate().filter(|(_, meant)| meant.is_hit);
    let silent = (0..meant.len()).filter(|n| !meant[*n].is_hit && !is_of_alarm.contains(n));
    let pairs = hits.map(|(n, meant)| (Some(n), meant.gesture));
    let pairs = pairs.chain(silent.map(|n| (Some(n), None)));
    let pairs =
        pairs.chain(labels.iter().zip(alarms).map(|(label, of)| (*label, Some(of.gesture))));
    // In the order of the rig; then names that the rig does not know; then no gesture at all.
    let mut counts = BTreeMap::new();
    for (label, fired) in pairs {
        let meant = label.map(|n| &meant[n]);
        let place = |gesture: Option<GestureId>| gesture.map_or(usize::MAX, GestureId::index);
        let row = (meant.is_none(), place(meant.and_then(|m| m.gesture)), meant.map(|m| &m.name));
        *counts.entry((row, place(fired), fired)).or_insert(0) += 1;
    }
    let cell = |(((_, _, name), _, fired), count): ((_, _, _), usize)| Confusion {
        meant: Option::<&String>::cloned(name),
        fired,
        count,
    };
    counts.into_iter().map(cell).collect()
}

/// The label nearest to an attempt, of equals the first; none further than [`SLACK`].
fn nearest(meant: &[Meant], of: Span) -> Option<usize> {
    let first_from = |at: Nanos| meant.partition_point(|label| label.at < at);
    let after = first_from(of[0]);
    // Several labels may stand at one instant.
    let before = after.checked_sub(1).map(|n| first_from(meant[n].at));
    let distance = |&n: &usize| gap(of, meant[n].at);
    let near = before.into_iter().chain((after < meant.len()).then_some(after));
    near.filter(|n| distance(n) <= SLACK.0).min_by_key(distance)
}

/// When an attempt began and was over.
fn span(verdict: &GestureVerdict) -> Span {
    [verdict.began, verdict.ended]
}

/// How far an instant is from a stretch of time; 0 where it is within.
fn gap([began, ended]: [Nanos; 2], at: Nanos) -> u64 {
    began.0.saturating_sub(at.0).max(at.0.saturating_sub(ended.0))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("meant: swipe", Some("swipe"))]
    #[case("meant: swipe, a lazy one", Some("swipe"))]
    #[case("meant: swipe (lazy)", Some("swipe"))]
    #[case("meant:", None)]
    #[case("he meant: swipe", None)]
    fn a_label_names_a_gesture(#[case] text: &str, #[case] gesture: Option<&str>) {
        assert_eq!(named(text), gesture);
    }

    /// To say that a combo was meant is no miss of a gesture; a name that the rig
    /// does not know is, for somebody mistyped it.
    #[test]
    fn combos_are_not_scored() {
        let mut rig = Rig::bare("t", gtrig_core::PollRate::DEFAULT);
        rig.combos = vec![gtrig_core::Combo::new("brake", Vec::new())];
        let label = |text| Label { time: Nanos(0), text: gtrig_core::CleanText::new(text) };
        let labels = [label("meant: brake"), label("meant: brak")];
        assert_eq!(score(&rig, &labels, core::iter::empty()).hits_and_misses(), (0, 1));
    }
}
