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
use crate::spec::tunable::{self, Tunable};
use crate::spec::{Calm, Combo, ComboStep, StepKind, TimeSpan};

/// The times of a combo: those of its steps stand in their texts.
///
/// In the order of the texts; a calm that has a text of its own comes first, and what the whole may
/// take last.
pub(super) fn combo(visitor: &mut Visitor, combo: &mut Combo) {
    let place = [key("combo"), key(&combo.name)];
    let at = |text: u8| joined(&place, [key("steps"), Selector::At(usize::from(text))]);
    let Combo { calm, steps, all, .. } = combo;
    let first_text = steps.first().and_then(|step| step.text);
    if let Some(Calm { span: calm, text: Some(text) }) = calm
        && Some(*text) != first_text
    {
        span(visitor, &at(*text), (&tunable::FOR, &tunable::FOR_TICKS), calm);
    }
    for n in 0..steps.len() {
        let (before, step) = steps.split_at_mut(n);
        let step = &mut step[0];
        let Some(text) = step.text else { continue };
        let same = before.iter().position(|other| other.text == Some(text));
        match same {
            Some(first) => again(visitor, &at(text), &before[first..], first == 0, step),
            None => once(visitor, &at(text), n == 0, step),
        }
    }
    // A count that is exact says the quiet before it by the same words.
    if let Some(Calm { span: calm, text: Some(text) }) = calm
        && Some(*text) == first_text
    {
        let limited = steps.iter().filter(|step| matches!(step.what, StepKind::Press(_))).nth(1);
        *calm = limited.map_or(*calm, |step| step.within);
    }
    if let Some(all) = all {
        span(visitor, &place, (&tunable::ALL_WITHIN, &tunable::ALL_WITHIN_TICKS), all);
    }
}

/// The times of a step that stands in a text of its own, or is the first of it.
///
/// When the first step of a combo comes is not limited, and a quiet comes at once.
fn once(visitor: &mut Visitor, place: &[Selector], is_first: bool, step: &mut ComboStep) {
    match &mut step.what {
        StepKind::Hold(_, own) | StepKind::Quiet(own) => {
            span(visitor, place, (&tunable::FOR, &tunable::FOR_TICKS), own);
        }
        StepKind::Together { spread, .. } => {
            span(visitor, place, (&tunable::IN, &tunable::IN_TICKS), spread);
        }
        StepKind::Press(_) | StepKind::Release(_) => {}
    }
    if !is_first && !matches!(step.what, StepKind::Quiet(_)) {
        came(visitor, place, step);
    }
}

/// The times of a step in the text of others: the release of a tap, or the same step
/// done again, for which the same words count.
///
/// `before` are the steps of the same text so far; `is_first` says that the text is the first of its
/// combo, whose first press has no window.
fn again(
    visitor: &mut Visitor,
    place: &[Selector],
    before: &[ComboStep],
    is_first: bool,
    step: &mut ComboStep,
) {
    let is_press = |step: &&ComboStep| matches!(step.what, StepKind::Press(_));
    match &mut step.what {
        StepKind::Release(_) => {
            let known = before.iter().find(|step| matches!(step.what, StepKind::Release(_)));
            match known {
                Some(known) => step.within = known.within,
                None => span(visitor, place, (&tunable::IN, &tunable::IN_TICKS), &mut step.within),
            }
        }
        StepKind::Quiet(own) => {
            *own = before.iter().rfind(is_press).map_or(*own, |press| press.within);
        }
        _ => match before.iter().filter(is_press).nth(usize::from(is_first)) {
            Some(known) => {
                (step.within, step.after, step.buffer) = (known.within, known.after, known.buffer);
            }
            None => came(visitor, place, step),
        },
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
