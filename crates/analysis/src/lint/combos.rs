//! Findings about combos.

use super::{Finding, Lint, Subject};
use alloc::{collections::BTreeMap, vec::Vec};
use core::mem;
use gtrig_core::{
    Combo, ComboId, ComboStep, InputSpec, ModeId, Rig, Signal, SignalId, StepKind, TimeSpan,
};

/// How one combo stands to another that begins like it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Alike {
    /// The one that is over first.
    pub short: ComboId,
    /// The one that goes on, or is the same.
    pub long: ComboId,
    /// Whether they are the same from the beginning to the end.
    pub is_same: bool,
}

/// The combos whose steps are the beginning of those of others. Of each the
/// first other one, so that a rig of many does not say the same many times.
pub fn begins_alike(rig: &Rig) -> Vec<Alike> {
    // In the order of what their steps are about, a beginning stands before what
    // goes on from it.
    let mut known: BTreeMap<Vec<&StepKind>, Vec<usize>> = BTreeMap::new();
    for (n, combo) in rig.combos.iter().enumerate() {
        known.entry(kinds(combo)).or_default().push(n);
    }
    let mut found = Vec::new();
    for (short, combo) in rig.combos.iter().enumerate() {
        let own = kinds(combo);
        let longer = known.range(own.clone()..).take_while(|(kinds, _)| kinds.starts_with(&own));
        let others = longer.flat_map(|(kinds, combos)| {
            combos.iter().map(|&n| (n, kinds.len() == own.len())).collect::<Vec<_>>()
        });
        // Of two that are the same the later one is told.
        let mut others = others.filter(|&(n, is_same)| n != short && (!is_same || n < short));
        if let Some((long, is_same)) = others.find(|&(n, _)| overlap(rig, short, n)) {
            found.push(Alike { short: ComboId::at(short), long: ComboId::at(long), is_same });
        }
    }
    found
}

/// What the steps of a combo are about, without the times.
fn kinds(combo: &Combo) -> Vec<&StepKind> {
    combo.steps.iter().map(|step| &step.what).collect()
}

/// Whether two combos can listen at the same time.
fn overlap(rig: &Rig, one: usize, other: usize) -> bool {
    rig.combos[one].modes.meets(rig.combos[other].modes)
}

pub(super) fn lints(rig: &Rig) -> Vec<Lint> {
    let mut lints = Vec::new();
    let mut found = |id, finding| lints.push(Lint { about: Subject::Combo(id), finding });
    for (combo, id) in rig.combos.iter().zip((0..).map(ComboId)) {
        short(rig, combo, |finding| found(id, finding));
        let others = [without_mode(rig, combo), waits(rig, combo), unread(rig, id)];
        others.into_iter().flatten().for_each(|finding| found(id, finding));
    }
    for Alike { short, long, is_same } in begins_alike(rig) {
        let (one, other) = (&rig.combos[short.index()], &rig.combos[long.index()]);
        let waits = one.waits_for.contains(&long);
        if other.waits_for.contains(&short) {
            let is_sure = is_met_whenever(one, other);
            found(long, Finding::WaitsForItsBeginning { shorter: short, is_sure });
        } else if is_same && waits {
            let is_sure = is_met_whenever(other, one);
            found(short, Finding::WaitsForItsBeginning { shorter: long, is_sure });
        } else if is_same {
            found(short, Finding::SameSteps(long));
        } else if !waits {
            let at_most = open_for(rig, one, other);
            let is_sure = one.waits_for.is_empty() && asks_no_more(one, other);
            found(short, Finding::Begins { longer: long, at_most, is_sure });
        }
    }
    lints
}

/// Whether a combo asks no more of its steps than one that begins with them: what meets these of
/// the longer one meets it.
fn asks_no_more(short: &Combo, long: &Combo) -> bool {
    let is_wider = |own: TimeSpan, limit: TimeSpan| {
        mem::discriminant(&own) == mem::discriminant(&limit) && own.amount() >= limit.amount()
    };
    let step = |(n, (own, other)): (usize, (&ComboStep, &ComboStep))| {
        n == 0
            || (is_wider(own.within, other.within)
                && (own.after, own.buffer) == (other.after, other.buffer)
                && own.unless.iter().all(|signal| other.unless.contains(signal)))
    };
    let all = match (short.all, long.all) {
        (Some(own), Some(limit)) => is_wider(own, limit),
        (own, _) => own.is_none(),
    };
    short.steps.iter().zip(&long.steps).enumerate().all(step)
        && all
        && (short.calm.is_none() || short.calm == long.calm)
        && (short.strict.is_none() || short.strict == long.strict)
        && (short.clock, &short.mirror, &short.devices, short.counts_forced)
            == (long.clock, &long.mirror, &long.devices, long.counts_forced)
        && (short.modes.is_all() || short.modes == long.modes)
}

/// Whether a combo is met by the presses of one that begins with its steps, whenever that one is.
///
/// It may have spent these presses, by an attempt that has none of them in common. Of a single press
/// it has not: what is spent ended before this press began.
fn is_met_whenever(short: &Combo, long: &Combo) -> bool {
    let is_a_press =
        matches!(short.steps.as_slice(), [one] if matches!(one.what, StepKind::Press(_)));
    asks_no_more(short, long) && (short.again || is_a_press)
}

/// For how long at most an attempt at `other` that shares a press with a combo can still be met
/// once that one is: all windows of `other` after the first step that may share it.
fn open_for(rig: &Rig, combo: &Combo, other: &Combo) -> TimeSpan {
    let own: Vec<SignalId> = combo.signals().collect();
    let shares = |step: &ComboStep| {
        step.what.signals().iter().any(|of| own.iter().any(|own| may_be_one_press(rig, *of, *own)))
    };
    let is_as_written = [combo, other].iter().all(|combo| combo.mirror.is_none());
    let shared = other.steps.iter().position(shares).filter(|_| is_as_written).unwrap_or(0);
    let lasts = |step: &ComboStep| match step.what {
        StepKind::Hold(_, span) | StepKind::Quiet(span) => Some(span),
        _ => None,
    };
    let window = |step: &ComboStep| match step.what {
        StepKind::Quiet(_) => None,
        _ => Some(step.within),
    };
    let later = other.steps[shared + 1..].iter().flat_map(|step| [window(step), lasts(step)]);
    let sum = sum_of(rig, lasts(&other.steps[shared]).into_iter().chain(later.flatten()));
    let most = other.all.filter(|all| all.nanos(rig.rate) < sum.nanos(rig.rate));
    most.unwrap_or(sum)
}

/// Whether a press may be one of both signals: two controls of other names are never pressed by one.
fn may_be_one_press(rig: &Rig, one: SignalId, other: SignalId) -> bool {
    let signal = |id: SignalId| rig.signals.get(id.index());
    match (signal(one), signal(other)) {
        (Some(Signal::Control { control, .. }), Some(Signal::Control { control: other, .. })) => {
            control.code == other.code
        }
        _ => true,
    }
}

/// In ticks where all are; else in time.
fn sum_of(rig: &Rig, spans: impl Iterator<Item = TimeSpan>) -> TimeSpan {
    let spans: Vec<TimeSpan> = spans.collect();
    let is_ticks = |span: &TimeSpan| matches!(span, TimeSpan::Ticks(_));
    match spans.iter().all(is_ticks) && !spans.is_empty() {
        true => TimeSpan::Ticks(0).with(spans.iter().map(|span| span.amount()).sum()),
        false => TimeSpan::Time(spans.iter().map(|span| span.nanos(rig.rate)).sum()),
    }
}

/// Times that are shorter than what the loop can tell apart.
fn short(rig: &Rig, combo: &Combo, mut found: impl FnMut(Finding)) {
    let period = 1e9 / rig.rate.hz();
    let period_ms = period / 1e6;
    let is_short =
        |span: TimeSpan| matches!(span, TimeSpan::Time(nanos) if (nanos as f64) < period);
    for (n, step) in combo.steps.iter().enumerate() {
        if n > 0 && is_short(step.within) && !matches!(step.what, StepKind::Quiet(_)) {
            found(Finding::ShortWindow { span: step.within, period_ms });
        }
        match step.what {
            StepKind::Hold(_, span) if is_short(span) => {
                found(Finding::ShortHold { span, period_ms });
            }
            // A chord is pressed at once, and may be seen at once.
            _ => {}
        }
    }
}

/// No mode in which it listens.
fn without_mode(rig: &Rig, combo: &Combo) -> Option<Finding> {
    let mut modes = ModeId::first(rig.modes.len());
    let gated = !combo.modes.is_all() && !modes.any(|mode| combo.modes.has(mode));
    gated.then_some(Finding::NoMode)
}

/// What waiting for others, or for quiet, costs at most.
fn waits(rig: &Rig, combo: &Combo) -> Option<Finding> {
    if let Some(ComboStep { what: StepKind::Quiet(span), .. }) = combo.steps.last() {
        return Some(Finding::FiresAfterQuiet(*span));
    }
    let cost = |&by: &ComboId| {
        let other = rig.combos.get(by.index())?;
        Some((open_for(rig, combo, other), by))
    };
    let costs = combo.waits_for.iter().filter_map(cost);
    let (span, by) = costs.max_by_key(|(span, _)| span.nanos(rig.rate))?;
    Some(Finding::ComboLate { by, span })
}

/// A combo that nothing reads.
fn unread(rig: &Rig, id: ComboId) -> Option<Finding> {
    let mut inputs = rig.actions.iter().flat_map(|action| &action.inputs);
    let is_read = inputs.any(|input| matches!(input, InputSpec::Combo(other) if *other == id));
    let is_waited = rig.combos.iter().any(|combo| combo.waits_for.contains(&id));
    let takes = rig.combos[id.index()].takes;
    // A rig of combos alone is a library: that no action reads them is meant.
    let has_readers = rig.actions.iter().any(|action| !action.inputs.is_empty());
    (has_readers && !is_read && !is_waited && !takes).then_some(Finding::Unread)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::lint::tests::codes_of;
    use alloc::vec;
    use gtrig_core::{
        Combo, ComboId, ComboStep, ModeId, ModeSet, PollRate, Rig, SignalId, StepKind, TimeSpan,
    };
    use rstest::rstest;

    fn press(of: u16, within: u64) -> ComboStep {
        ComboStep::new(StepKind::press(SignalId(of)), TimeSpan::millis(within))
    }

    fn hold(of: u16, ms: u64) -> ComboStep {
        ComboStep::new(StepKind::hold(SignalId(of), TimeSpan::millis(ms)), TimeSpan::millis(500))
    }

    fn quiet(ms: u64) -> ComboStep {
        ComboStep::new(StepKind::Quiet(TimeSpan::millis(ms)), TimeSpan::millis(500))
    }

    fn waiting(combo: Combo, other: usize) -> Combo {
        Combo { waits_for: vec![ComboId::at(other)], ..combo }
    }

    #[rstest]
    #[case::alone(vec![Combo::new("a", vec![press(0, 500)])], &[])]
    #[case::a_beginning(
        vec![Combo::new("a", vec![press(0, 9)]), Combo::new("b", vec![press(0, 9), press(1, 90)])],
        &["combo-begins combo.a"])]
    #[case::a_beginning_that_waits(
        vec![
            waiting(Combo::new("a", vec![press(0, 9)]), 1),
            Combo::new("b", vec![press(0, 9), press(1, 90)]),
        ],
        &["combo-waits combo.a"])]
    #[case::the_wrong_one_waits(
        vec![
            Combo::new("a", vec![press(0, 9)]),
            waiting(Combo::new("b", vec![press(0, 9), press(1, 90)]), 0),
        ],
        &["combo-waits combo.b", "combo-never combo.b"])]
    #[case::one_that_may_have_spent_the_presses(
        vec![
            Combo::new("a", vec![press(0, 90), press(1, 90)]),
            waiting(Combo::new("b", vec![press(0, 90), press(1, 90), press(2, 90)]), 0),
        ],
        &["combo-waits combo.b", "combo-begins combo.b"])]
    #[case::a_hold_that_may_have_spent_the_press(
        vec![
            Combo::new("a", vec![hold(0, 90)]),
            waiting(Combo::new("b", vec![hold(0, 90), press(2, 90)]), 0),
        ],
        &["combo-waits combo.b", "combo-begins combo.b"])]
    #[case::one_that_spends_none(
        vec![
            Combo { again: true, ..Combo::new("a", vec![press(0, 90), press(1, 90)]) },
            waiting(Combo::new("b", vec![press(0, 90), press(1, 90), press(2, 90)]), 0),
        ],
        &["combo-waits combo.b", "combo-never combo.b"])]
    #[case::the_same_twice(
        vec![Combo::new("a", vec![press(0, 9)]), Combo::new("b", vec![press(0, 80)])],
        &["combo-twice combo.b"])]
    #[case::in_other_modes(
        vec![
            Combo { modes: ModeSet::EMPTY.with(ModeId(0)), ..Combo::new("a", vec![press(0, 9)]) },
            Combo { modes: ModeSet::EMPTY.with(ModeId(1)), ..Combo::new("b", vec![press(0, 9)]) },
        ],
        &["combo-never combo.a", "combo-never combo.b"])]
    #[case::a_window_below_a_tick(
        vec![Combo::new("a", vec![press(0, 9), press(1, 9)])], &["combo-short combo.a"])]
    #[case::a_hold_below_a_tick(vec![Combo::new("a", vec![hold(0, 9)])], &["combo-short combo.a"])]
    #[case::quiet_has_a_price(
        vec![Combo::new("a", vec![press(0, 9), quiet(90)])], &["combo-waits combo.a"])]
    fn combos_that_are_worth_a_second_look(#[case] combos: Vec<Combo>, #[case] expected: &[&str]) {
        let rig = Rig { combos, ..Rig::bare("r", PollRate::DEFAULT) };
        assert_eq!(codes_of(&rig), expected);
    }
}
