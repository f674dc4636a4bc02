//! The times of combos: those of steps stand in their texts, several in one.
//!
//! A text may be several steps (`press south 3 times within 250 ms`), for which the same words
//! count. Such a number is shown once, where the text has it first, and the other steps of the
//! text follow it.
//!
//! ```text
//!  "press south 3 times within 250 ms"     one number, two steps: those after the first
//!  "hold south for 400 ms"                 its own
//!  "tap south in 200 ms within 500 ms"     two numbers: when it is let go, when it comes
//!  "press east after 100 ms within 400 ms buffered 50 ms"
//! ```

use super::{Selector, Visitor, joined, key};
use crate::base::ComboId;
use crate::spec::tunable::{self, Tunable};
use crate::spec::{Calm, Combo, ComboStep, StepKind, StepText, TimeSpan};
use alloc::vec::Vec;

/// The times of a combo: those of its steps stand in their texts.
///
/// In the order of the texts; a calm that has a text of its own comes first, and what the whole may
/// take last. Those of steps that stand in the texts of another combo are that one's: they
/// [follow](follow()) it.
pub(super) fn combo(visitor: &mut Visitor, combo: &mut Combo, id: ComboId) {
    let place = [key("combo"), key(&combo.name)];
    let at = |text: StepText| joined(&place, [key("steps"), Selector::At(usize::from(text.text))]);
    let here = |text: Option<StepText>| text.filter(|text| text.combo == id);
    let Combo { calm, steps, all, .. } = combo;
    if let Some(calm) = calm
        && let Some(text) = here(calm.text).filter(|_| !is_exact(calm, steps))
    {
        span(visitor, &at(text), (&tunable::FOR, &tunable::FOR_TICKS), &mut calm.span);
    }
    for n in 0..steps.len() {
        let (before, step) = steps.split_at_mut(n);
        let step = &mut step[0];
        if let Some(text) = here(step.own_text)
            && !follows_own(step, before)
        {
            own(visitor, &at(text), step);
        }
        if let Some(text) = here(step.window_text)
            && !follows_window(step, before)
        {
            came(visitor, &at(text), step);
        }
    }
    follow_exact(calm, steps);
    if let Some(all) = all {
        span(visitor, &place, (&tunable::ALL_WITHIN, &tunable::ALL_WITHIN_TICKS), all);
    }
}

/// What a combo does of others has the times that those have now.
pub(super) fn follow(combos: &mut [Combo]) {
    for n in 0..combos.len() {
        let is_foreign = |text: &Option<StepText>| text.is_some_and(|text| text.combo.index() != n);
        let mut others: Vec<ComboId> = Vec::new();
        let calm = combos[n].calm.and_then(|calm| calm.text);
        let texts = combos[n].steps.iter().flat_map(|step| [step.own_text, step.window_text]);
        for text in texts.chain([calm]).filter(is_foreign).flatten() {
            if !others.contains(&text.combo) {
                others.push(text.combo);
            }
        }
        for other in others {
            let (sources, calm_of_other) =
                (combos[other.index()].steps.clone(), combos[other.index()].calm);
            let Combo { calm, steps, .. } = &mut combos[n];
            for step in &mut *steps {
                if step.own_text.is_some_and(|text| text.combo == other) {
                    follows_own(step, &sources);
                }
                if step.window_text.is_some_and(|text| text.combo == other) {
                    follows_window(step, &sources);
                }
            }
            if let (Some(calm), Some(source)) = (calm, calm_of_other)
                && calm.text.is_some()
                && calm.text == source.text
            {
                calm.span = source.span;
            }
        }
    }
}

/// Whether a calm is that of presses that are exact: their text says when they come, too.
fn is_exact(calm: &Calm, steps: &[ComboStep]) -> bool {
    steps.iter().any(|step| step.window_text == calm.text)
}

/// A count that is exact says the quiet before it, and that after it, by the same words.
fn follow_exact(calm: &mut Option<Calm>, steps: &[ComboStep]) {
    if let Some(calm) = calm
        && calm.text.is_some()
        && let Some(press) = steps.iter().find(|step| step.window_text == calm.text)
    {
        calm.span = press.within;
    }
}

/// Takes the own time of a step from one of the same text that says it too. Returns whether there
/// is one.
fn follows_own(step: &mut ComboStep, among: &[ComboStep]) -> bool {
    let is_same = |other: &&ComboStep| {
        let kinds = [&other.what, &step.what].map(core::mem::discriminant);
        other.own_text == step.own_text && kinds[0] == kinds[1]
    };
    let Some(known) = among.iter().find(is_same) else { return false };
    match (&mut step.what, &known.what) {
        (
            StepKind::Hold(_, own) | StepKind::Quiet(own),
            StepKind::Hold(_, other) | StepKind::Quiet(other),
        ) => {
            *own = *other;
        }
        (StepKind::Together { spread, .. }, StepKind::Together { spread: other, .. }) => {
            *spread = *other;
        }
        // That of a tap is when it is let go.
        _ => step.within = known.within,
    }
    true
}

/// Takes from a step of the same text when a step comes. Returns whether there is one.
fn follows_window(step: &mut ComboStep, among: &[ComboStep]) -> bool {
    let is_quiet = |step: &ComboStep| matches!(step.what, StepKind::Quiet(_));
    let is_same = |other: &&ComboStep| other.window_text == step.window_text && !is_quiet(other);
    let Some(known) = among.iter().find(is_same) else { return false };
    match &mut step.what {
        // The quiet after presses that are exact.
        StepKind::Quiet(own) => *own = known.within,
        _ => (step.within, step.after, step.buffer) = (known.within, known.after, known.buffer),
    }
    true
}

/// The own time of a step.
fn own(visitor: &mut Visitor, place: &[Selector], step: &mut ComboStep) {
    match &mut step.what {
        StepKind::Hold(_, own) | StepKind::Quiet(own) => {
            span(visitor, place, (&tunable::FOR, &tunable::FOR_TICKS), own);
        }
        StepKind::Together { spread, .. } => {
            span(visitor, place, (&tunable::IN, &tunable::IN_TICKS), spread);
        }
        StepKind::Press(_) | StepKind::Release(_) => {
            span(visitor, place, (&tunable::IN, &tunable::IN_TICKS), &mut step.within);
        }
    }
}

/// When a step comes after the one before it. What a rig states stays stated: it is not
/// held at nothing, which would be as if it were not there.
fn came(visitor: &mut Visitor, place: &[Selector], step: &mut ComboStep) {
    let ComboStep { after, buffer, within, .. } = step;
    let [has_after, has_buffer] = [&*after, &*buffer].map(|time| time.amount() > 0);
    let latest = *within;
    if has_after {
        span(visitor, place, (&tunable::AFTER, &tunable::AFTER_TICKS), after);
    }
    if has_buffer {
        span(visitor, place, (&tunable::BUFFERED, &tunable::BUFFERED), buffer);
    }
    span(visitor, place, (&tunable::WITHIN, &tunable::WITHIN_TICKS), within);
    if has_after {
        *after = something(*after);
        let is_alike = core::mem::discriminant(after) == core::mem::discriminant(within);
        match is_alike && after.amount() > within.amount() {
            // The number that was changed is held.
            true if *within == latest => *after = after.with(within.amount()),
            true => *within = within.with(after.amount()),
            false => {}
        }
    }
    if has_buffer {
        *buffer = something(*buffer);
        *buffer = buffer.with(buffer.amount().min(after.amount()));
    }
}

/// A time that is not nothing: a millisecond or a tick at least.
fn something(time: TimeSpan) -> TimeSpan {
    match time {
        TimeSpan::Time(0) => TimeSpan::millis(1),
        TimeSpan::Ticks(0) => TimeSpan::Ticks(1),
        some => some,
    }
}

/// A time in milliseconds or ticks.
///
/// A time is kept in nanoseconds or ticks, and shown in milliseconds or ticks; it is written back
/// only where the visitor changed it.
fn span(
    visitor: &mut Visitor,
    place: &[Selector],
    (ms, ticks): (&'static Tunable, &'static Tunable),
    of: &mut TimeSpan,
) {
    let (tunable, unit) = match of {
        TimeSpan::Time(_) => (ms, 1e6),
        TimeSpan::Ticks(_) => (ticks, 1.0),
    };
    let shown = of.amount() as f64 / unit;
    let mut value = shown;
    visitor(&joined(place, [key(tunable.name)]), tunable, &mut value);
    if value != shown {
        *of = of.with(libm::round(value * unit) as i64);
    }
}
