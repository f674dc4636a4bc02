//! The number of a rig with which it gives what a game gave.

use super::causes::Cause;
use alloc::vec::Vec;
use gtrig_core::{ActionId, Knob, Nearness, Place, Rig};

/// Shares of a number that are tried first, besides the ends of its range.
const SHARES: [f64; 22] = [
    0.0, 0.25, 0.33, 0.5, 0.6, 0.7, 0.8, 0.85, 0.9, 0.95, 0.98, 1.02, 1.05, 1.1, 1.2, 1.35, 1.5,
    1.7, 2.0, 2.5, 3.0, 4.0,
];

/// Parts of the range that are tried of a number that is 0.
const PARTS: [f64; 8] = [0.01, 0.02, 0.05, 0.1, 0.2, 0.35, 0.5, 0.75];

/// How many times the stretch that holds the best value is made smaller.
const STEPS: u32 = 28;

/// How many times the stretch between a value that still explains and one that does not is halved.
const HALVINGS: u32 = 24;

/// How well a number explains what a game gave.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Score {
    /// In how many frames it breaks what agreed.
    pub(super) broken: usize,
    /// Which differences it explains: a bit for each of those that are looked at.
    pub(super) explained: u64,
    /// The sum of the squares of what is left.
    pub(super) error: f64,
}

impl Score {
    fn is_better_than(self, other: Score) -> bool {
        (self.counted(), -self.error) > (other.counted(), -other.error)
    }

    /// How many differences it explains, if it breaks nothing.
    const fn counted(self) -> u32 {
        if self.broken == 0 { self.explained.count_ones() } else { 0 }
    }

    /// Whether it explains all that another one does, and breaks nothing.
    const fn explains_all_of(self, other: Score) -> bool {
        self.broken == 0 && self.explained & other.explained == other.explained
    }
}

/// At most so many numbers are tried for a value, the nearest of those that bear on its action.
const MOST_NUMBERS: usize = 120;

/// In so many parts a stretch is looked at for values that do not explain.
const SLICES: u32 = 16;

/// How many values from one end of a range to the other are tried on what the search did not look
/// at.
const SPREAD: u32 = 9;

/// A number that explains differences.
pub(super) struct Found {
    pub(super) place: Place,
    pub(super) unit: &'static str,
    /// What it is in the rig.
    pub(super) ours: f64,
    /// The value that explains best.
    pub(super) best: f64,
    /// From where to where it explains all that this value does.
    pub(super) range: [f64; 2],
    /// Whether the action itself or what it reads has it, and it is no more than a few times the
    /// rig's: one that somebody may have set.
    pub(super) is_near: bool,
}

impl Found {
    /// Values that it may be, the best one first.
    pub(super) fn values(&self) -> impl DoubleEndedIterator<Item = f64> {
        let [from, to] = self.range;
        let part = move |n: u32| from + (to - from) * f64::from(n) / f64::from(SPREAD - 1);
        core::iter::once(self.best).chain((0..SPREAD).map(part))
    }

    /// The same as it is told.
    pub(super) fn into_cause(self) -> Cause {
        let Found { place, unit, ours, range: [from, to], .. } = self;
        Cause::Number { place, unit, ours, from, to }
    }
}

/// Tries every number that bears on an action. `series` runs a rig; `judge` says how well
/// what came out explains what the game gave.
pub(super) fn search(
    rig: &Rig,
    action: ActionId,
    series: impl Fn(&Rig) -> Vec<f64>,
    judge: impl Fn(&[f64]) -> Score,
) -> Vec<Found> {
    let plain = series(rig);
    let mut found: Vec<(u32, Found)> = Vec::new();
    for (knob, nearness) in bearing_on(rig, action) {
        let run = |value: f64| series(&rig.with(&knob.place, value));
        let score = |value: f64| judge(&run(value));
        let range = settable(rig, &knob);
        let Some(tried) = tried(&knob, range, &plain, run, &judge) else { continue };
        let (best, most) = best_of(&tried, &score);
        if most.counted() == 0 {
            continue;
        }
        // As many others would be another explanation.
        let explains = |score: Score| score.explains_all_of(most);
        let reach = |beyond: &mut dyn Iterator<Item = &(f64, Score)>| {
            let end = furthest(best, beyond, explains, score);
            unbroken([best, end], |value| explains(score(value)))
        };
        let from = reach(&mut tried.iter().rev().filter(|(value, _)| *value < best));
        let to = reach(&mut tried.iter().filter(|(value, _)| *value > best));
        let is_near =
            nearness == Nearness::Read && is_near(&knob, if from > knob.value { from } else { to });
        let Knob { place, tunable, value: ours } = knob;
        // As it is kept.
        let range = [from, to].map(|end| number_at(&rig.with(&place, end), &place).unwrap_or(end));
        let found_one = Found { place, unit: tunable.unit, ours, best, range, is_near };
        found.push((most.counted(), found_one));
    }
    found.sort_by_key(|(explained, _)| core::cmp::Reverse(*explained));
    found.into_iter().map(|(_, found)| found).collect()
}

fn number_at(rig: &Rig, place: &Place) -> Option<f64> {
    rig.knobs().into_iter().find(|knob| knob.place == *place).map(|knob| knob.value)
}

/// Whether a number may have been set instead of the rig's: up to three times as much, or
/// less, or within a tenth of the range where the rig's is 0.
fn is_near(knob: &Knob, other: f64) -> bool {
    let Knob { tunable, value, .. } = knob;
    match *value == 0.0 {
        true => other.abs() <= (tunable.max - tunable.min) / 10.0,
        false => other / value <= 3.0,
    }
}

/// The numbers that bear on an action, each with how near it is: those of what it reads, and how
/// the edges of its buttons are derived, before those beyond.
fn bearing_on(rig: &Rig, action: ActionId) -> Vec<(Knob, Nearness)> {
    let (edges, mut others): (Vec<Knob>, Vec<Knob>) =
        rig.knobs().into_iter().partition(|knob| knob.place.is_in("edge"));
    let mut found: Vec<(Knob, Nearness)> = Vec::new();
    for (part, nearness) in rig.parts_of(action) {
        let its = others.extract_if(.., |knob| part.has(rig, &knob.place));
        found.extend(its.map(|knob| (knob, nearness)));
    }
    let near = found.partition_point(|(_, nearness)| *nearness == Nearness::Read);
    found.splice(near..near, edges.into_iter().map(|knob| (knob, Nearness::Read)));
    found.truncate(MOST_NUMBERS);
    found
}

/// From where to where a number may be set while all others stay as they are: a dead zone below its
/// outer border.
fn settable(rig: &Rig, knob: &Knob) -> [f64; 2] {
    let is_alone = |value: f64| rig.with_alone(&knob.place, value).is_some();
    [knob.tunable.min, knob.tunable.max].map(|end| match is_alone(end) {
        true => end,
        false => last_that(is_alone, knob.value, end),
    })
}

/// The last value on the way from one that is good to one that is not, as halving finds it.
fn last_that(is_good: impl Fn(f64) -> bool, mut good: f64, mut bad: f64) -> f64 {
    for _ in 0..HALVINGS {
        let middle = f64::midpoint(good, bad);
        match is_good(middle) {
            true => good = middle,
            false => bad = middle,
        }
    }
    good
}

/// Values of a number over its range, in order, and how well each explains; nothing if none
/// changes what comes out.
fn tried(
    knob: &Knob,
    [least, most]: [f64; 2],
    plain: &[f64],
    run: impl Fn(f64) -> Vec<f64>,
    judge: impl Fn(&[f64]) -> Score,
) -> Option<Vec<(f64, Score)>> {
    let value = &knob.value;
    let shares = SHARES.iter().map(|share| value * share);
    let parts = PARTS.iter().map(|part| least + (most - least) * part);
    let mut values: Vec<f64> = if *value == 0.0 { parts.collect() } else { shares.collect() };
    values.iter_mut().for_each(|value| *value = value.clamp(least, most));
    values.extend([*value, least, most]);
    values.sort_by(f64::total_cmp);
    values.dedup();
    let mut changes = false;
    let tried = values.into_iter().map(|value| {
        let came = run(value);
        changes |= came != plain;
        (value, judge(&came))
    });
    let tried: Vec<(f64, Score)> = tried.collect();
    changes.then_some(tried)
}

/// The value that explains most: one of those that were tried, or one near the best of them.
fn best_of(tried: &[(f64, Score)], score: &impl Fn(f64) -> Score) -> (f64, Score) {
    let mut at = 0;
    for (n, (_, score)) in tried.iter().enumerate() {
        if score.is_better_than(tried[at].1) {
            at = n;
        }
    }
    let (_, best) = tried[at];
    if best.error == 0.0 && best.counted() > 0 {
        return tried[at];
    }
    let around = [tried[at.saturating_sub(1)].0, tried[(at + 1).min(tried.len() - 1)].0];
    narrowed(around, tried[at], score)
}

/// The place of the least error between two values, by thirds.
fn narrowed(
    [mut low, mut high]: [f64; 2],
    mut best: (f64, Score),
    score: &impl Fn(f64) -> Score,
) -> (f64, Score) {
    for _ in 0..STEPS {
        let third = (high - low) / 3.0;
        let (one, other) = (low + third, high - third);
        let (of_one, of_other) = (score(one), score(other));
        for (value, score) in [(one, of_one), (other, of_other)] {
            if score.is_better_than(best.1) {
                best = (value, score);
            }
        }
        match of_one.error <= of_other.error {
            true => high = other,
            false => low = one,
        }
    }
    best
}

/// The end of a stretch, or where it breaks off: between two values that explain there may be some
/// that do not.
fn unbroken([begin, end]: [f64; 2], explains: impl Fn(f64) -> bool) -> f64 {
    let mut good = begin;
    for part in 1..SLICES {
        let value = begin + (end - begin) * f64::from(part) / f64::from(SLICES);
        if !explains(value) {
            return last_that(explains, good, value);
        }
        good = value;
    }
    end
}

/// The last value from one that explains on that still does, as far as all that were tried up to
/// there do: further away one may explain again by chance.
fn furthest(
    from: f64,
    beyond: &mut dyn Iterator<Item = &(f64, Score)>,
    explains: impl Fn(Score) -> bool,
    score: impl Fn(f64) -> Score,
) -> f64 {
    let mut good = from;
    for &(value, of_value) in beyond {
        if explains(of_value) {
            good = value;
            continue;
        }
        return last_that(|value| explains(score(value)), good, value);
    }
    good
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_core::{
        ActionSpec, Combo, ComboId, ComboStep, Gives, InputSpec, PollRate, Signal, SignalId,
        StepKind, StepText, Thresholds, TimeSpan,
    };
    use std::format;

    /// A combo of two presses, the second with a window that stands in its second text.
    fn combo(n: u16) -> Combo {
        let step = |text: u8| ComboStep {
            window_text: (text > 0).then_some(StepText { combo: ComboId(n), text }),
            ..ComboStep::new(StepKind::press(SignalId(0)), TimeSpan::millis(500))
        };
        Combo::new(&format!("c{n}"), [step(0), step(1)].into())
    }

    #[test]
    fn a_number_is_tried_as_far_as_all_others_may_stay() {
        let hold = StepKind::Hold([SignalId(0)].into(), TimeSpan::millis(86));
        let text = Some(StepText { combo: ComboId(0), text: 0 });
        let step = ComboStep { own_text: text, ..ComboStep::new(hold, TimeSpan::millis(500)) };
        let mut rig = Rig::bare("t", PollRate::DEFAULT);
        rig.combos = [Combo::new("c", [step].into())].into();
        let knob = |rig: &Rig| rig.knobs().into_iter().find(|knob| knob.value == 86.0).unwrap();
        let most = knob(&rig).tunable.max;
        assert_eq!(settable(&rig, &knob(&rig))[1], most);
        rig.combos[0].all = Some(TimeSpan::millis(589));
        let [least, last] = settable(&rig, &knob(&rig));
        assert!(least == 1.0 && (588.9..=589.0).contains(&last), "{last}");
    }

    /// Beyond 0.7 it explains as many differences, but others.
    #[test]
    fn a_range_explains_the_same_all_along() {
        let thresholds = Thresholds { press_at: 0.5, release_at: 0.5 };
        let control = "pad/trigger-r".parse().unwrap();
        let inputs = [InputSpec::Button { control, thresholds }].into();
        let mut rig = Rig::bare("t", PollRate::DEFAULT);
        rig.actions = [ActionSpec::new("grip", Gives::On, inputs)].into();
        let press_at = |rig: &Rig| {
            let mut knobs = rig.knobs().into_iter();
            knobs.find(|knob| knob.tunable.name == "press-at").unwrap().value
        };
        let judge = |series: &[f64]| {
            let explained = match series[0] {
                0.55..0.7 => 0b011,
                0.7..0.9 => 0b101,
                _ => 0,
            };
            Score { broken: 0, explained, error: (series[0] - 0.6).abs() }
        };
        let found = search(&rig, ActionId(0), |rig| [press_at(rig)].into(), judge);
        let [from, to] = found[0].range;
        assert!((0.55..0.551).contains(&from) && (0.699..0.701).contains(&to), "{from} {to}");
    }

    /// From 3 to 4 nothing is explained.
    #[test]
    fn a_stretch_ends_where_it_breaks_off() {
        let explains = |value: f64| !(3.0..4.0).contains(&value);
        let end = unbroken([0.0, 10.0], explains);
        assert!((2.999..3.0).contains(&end), "{end}");
        assert_eq!(unbroken([10.0, 4.0], explains), 4.0);
    }

    #[test]
    fn the_nearest_numbers_are_tried_of_very_many() {
        let mut rig = Rig::bare("t", PollRate::DEFAULT);
        let thresholds = Thresholds { press_at: 0.5, release_at: 0.5 };
        let control = "pad/south".parse().unwrap();
        rig.signals = [Signal::Control { control, thresholds }].into();
        rig.combos = (0..300).map(combo).collect();
        rig.combos[7].waits_for = (8..300).map(ComboId).collect();
        let inputs = [InputSpec::Combo(ComboId(7))].into();
        rig.actions = [ActionSpec::new("roll", Gives::Pulse, inputs)].into();
        let tried = bearing_on(&rig, ActionId(0));
        assert_eq!(tried.len(), MOST_NUMBERS);
        let (nearest, nearness) = &tried[0];
        assert!(nearest.place.is_of("combo", "c7") && *nearness == Nearness::Read);
        assert!(tried[1..].iter().all(|(_, nearness)| *nearness == Nearness::Beyond));
    }
}
