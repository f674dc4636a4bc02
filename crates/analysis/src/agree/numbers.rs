//! The number of a rig with which it gives what a game gave.

use super::causes::Cause;
use alloc::vec::Vec;
use gtrig_core::{ActionId, InputSpec, Knob, Rig, ShapeUse};

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
    /// How many differences it explains.
    pub(super) explained: usize,
    /// The sum of the squares of what is left.
    pub(super) error: f64,
}

impl Score {
    fn is_better_than(self, other: Score) -> bool {
        (self.counted(), -self.error) > (other.counted(), -other.error)
    }

    /// How many differences it explains, if it breaks nothing.
    const fn counted(self) -> usize {
        if self.broken == 0 { self.explained } else { 0 }
    }
}

/// A number that explains differences, and the rig with it.
pub(super) struct Found {
    pub(super) cause: Cause,
    pub(super) rig: Rig,
    /// Whether it is no more than a few times the rig's: one that somebody may have set.
    pub(super) is_near: bool,
}

/// Tries every number that an action depends on. `series` runs a rig; `judge` says how well
/// what came out explains what the game gave.
pub(super) fn search(
    rig: &Rig,
    action: ActionId,
    series: impl Fn(&Rig) -> Vec<f64>,
    judge: impl Fn(&[f64]) -> Score,
) -> Vec<Found> {
    let plain = series(rig);
    let knobs = rig.knobs().into_iter().filter(|knob| is_of(rig, action, knob));
    let mut found: Vec<(usize, Found)> = Vec::new();
    for knob in knobs {
        let try_one = |value: f64| {
            let came = series(&rig.with(&knob.place, value));
            (judge(&came), came)
        };
        let Some(best) = best_of(&knob, &plain, &try_one) else { continue };
        let score = try_one(best).0;
        if score.counted() == 0 {
            continue;
        }
        let explains = |value: f64| try_one(value).0.counted() >= score.counted();
        let from = last_that(best, knob.tunable.min, &explains);
        let to = last_that(best, knob.tunable.max, &explains);
        let cause = Cause::Number {
            place: knob.place.clone(),
            unit: knob.tunable.unit,
            ours: knob.value,
            from,
            to,
        };
        let is_near = is_near(&knob, if from > knob.value { from } else { to });
        found.push((score.counted(), Found { cause, rig: rig.with(&knob.place, best), is_near }));
    }
    found.sort_by_key(|(explained, _)| core::cmp::Reverse(*explained));
    found.into_iter().map(|(_, found)| found).collect()
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

/// Whether an action may depend on a number.
fn is_of(rig: &Rig, action: ActionId, knob: &Knob) -> bool {
    let spec = &rig.actions[action.index()];
    let place = &knob.place;
    let is_source = |input: &InputSpec| match input {
        InputSpec::Combo(combo) => place.is_of("combo", &rig.combos[combo.index()].name),
        InputSpec::Gesture { gesture, .. } => {
            place.is_of("gesture", &rig.gestures[gesture.index()].name)
        }
        InputSpec::Zone(zone) | InputSpec::Place { zone, .. } => {
            place.is_of("zone", &rig.zones[zone.index()].name)
        }
        _ => false,
    };
    let of_input = |input: &InputSpec| {
        is_source(input) || input.shape().is_some_and(|shape| is_of_shape(rig, shape, knob))
    };
    place.is_of("action", &spec.name) || place.is_in("edge") || spec.inputs.iter().any(of_input)
}

fn is_of_shape(rig: &Rig, shape: &ShapeUse, knob: &Knob) -> bool {
    match shape {
        ShapeUse::Named(at) => knob.place.is_of("shape", &rig.shapes[at.index()].name),
        ShapeUse::Own(_) => false,
    }
}

/// The value that explains most, if any other than the one of the rig changes anything.
fn best_of(knob: &Knob, plain: &[f64], try_one: &impl Fn(f64) -> (Score, Vec<f64>)) -> Option<f64> {
    let Knob { tunable, value, .. } = knob;
    let (least, most) = (tunable.min, tunable.max);
    let shares = SHARES.iter().map(|share| value * share);
    let parts = PARTS.iter().map(|part| least + (most - least) * part);
    let mut tried: Vec<f64> = match *value == 0.0 {
        true => parts.collect(),
        false => shares.chain([least, most]).collect(),
    };
    tried.iter_mut().for_each(|value| *value = value.clamp(least, most));
    tried.push(*value);
    tried.sort_by(f64::total_cmp);
    tried.dedup();
    let mut changes = false;
    let mut best: Option<(usize, Score)> = None;
    for (n, &candidate) in tried.iter().enumerate() {
        let (score, came) = try_one(candidate);
        changes |= came != plain;
        if best.is_none_or(|(_, known)| score.is_better_than(known)) {
            best = Some((n, score));
        }
    }
    let (at, score) = best.filter(|_| changes)?;
    if score.error == 0.0 && score.counted() > 0 {
        return Some(tried[at]);
    }
    let around = [tried[at.saturating_sub(1)], tried[(at + 1).min(tried.len() - 1)]];
    Some(narrowed(around, (tried[at], score), try_one))
}

/// The place of the least error between two values, by thirds.
fn narrowed(
    [mut low, mut high]: [f64; 2],
    mut best: (f64, Score),
    try_one: &impl Fn(f64) -> (Score, Vec<f64>),
) -> f64 {
    for _ in 0..STEPS {
        let third = (high - low) / 3.0;
        let (one, other) = (low + third, high - third);
        let (of_one, of_other) = (try_one(one).0, try_one(other).0);
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
    best.0
}

/// The last value from one that explains towards an end that still does.
fn last_that(from: f64, end: f64, explains: &impl Fn(f64) -> bool) -> f64 {
    if explains(end) {
        return end;
    }
    let (mut good, mut bad) = (from, end);
    for _ in 0..HALVINGS {
        let middle = f64::midpoint(good, bad);
        match explains(middle) {
            true => good = middle,
            false => bad = middle,
        }
    }
    good
}
