//! Combos in words.

use super::verdict_brief;
use gtrig_analysis::almost::{Almost, AlmostMet};
use gtrig_analysis::ladder::{ComboAttempt, ComboAttemptOutcome, LimitCheck, is_least};
use gtrig_core::{
    Combo, ComboLimit, ComboStep, Keyword, PollRate, Rig, Signal, SignalId, StepKind, TimeSpan,
};

/// A length of time: `250 ms`, `12.4 ms`, `3 ticks`.
pub fn span_words(span: TimeSpan) -> String {
    amount_words(span, span.amount())
}

/// So much, in the unit of a span.
fn amount_words(unit: TimeSpan, amount: i64) -> String {
    match unit {
        TimeSpan::Time(_) => {
            let ms = format!("{:.2}", amount as f64 / 1e6);
            format!("{} ms", ms.trim_end_matches('0').trim_end_matches('.'))
        }
        TimeSpan::Ticks(_) if amount == 1 => "1 tick".to_string(),
        TimeSpan::Ticks(_) => format!("{amount} ticks"),
    }
}

/// The same in the other unit, rounded up: what a change of that many ticks
/// would be.
fn other_unit(unit: TimeSpan, amount: i64, rate: PollRate) -> String {
    match unit {
        TimeSpan::Time(_) => {
            let ticks = (amount as f64 * 1e-9 * rate.hz()).ceil() as i64;
            amount_words(TimeSpan::Ticks(0), ticks)
        }
        TimeSpan::Ticks(_) => {
            let ms = amount as f64 / rate.hz() * 1000.0;
            format!("{ms:.1} ms")
        }
    }
}

/// A signal, as rigs write it.
pub fn signal_words(rig: &Rig, signal: SignalId) -> String {
    let name =
        |kind: &str, name: Option<&String>| format!("{kind}/{}", name.map_or("?", String::as_str));
    match rig.signals.get(signal.index()) {
        None => "?".to_string(),
        Some(Signal::Control { control, .. }) => control.to_string(),
        Some(Signal::Action(n)) => name("action", rig.actions.get(n.index()).map(|a| &a.name)),
        Some(Signal::Zone(n)) => name("zone", rig.zones.get(n.index()).map(|z| &z.name)),
        Some(Signal::Gesture(n)) => name("gesture", rig.gestures.get(n.index()).map(|g| &g.name)),
        Some(Signal::Way(_, way)) => way.word().to_string(),
        Some(Signal::Dpad(pad, way)) => match pad.number {
            // Of a combo on one device its device is said.
            Some(number) => format!("{}{number}/{}", pad.kind.word(), way.word()),
            None => way.word().to_string(),
        },
        Some(Signal::Others(kind, number)) => format!("another button of {}{number}", kind.word()),
    }
}

/// A combo that one gesture or one zone alone kept from being met: `make
/// gesture/wave: length-mm 6.2 mm short; all else held`.
pub fn almost_words(rig: &Rig, almost: &AlmostMet) -> String {
    let step = &rig.combos[almost.combo.index()].steps[usize::from(almost.step)];
    let how = match &almost.instead {
        Almost::Gesture(verdict) => verdict_brief(rig, verdict),
        Almost::Zone { outside_mm, .. } => format!("a finger landed {outside_mm:.1} mm beside it"),
    };
    format!("{}: {how}; all else held", rung_words(rig, step))
}

/// The device of a copy of a combo whose presses come from one device.
pub fn copy_device(rig: &Rig, combo: &Combo, copy: u8) -> Option<String> {
    let (_, own) = combo.devices.get(usize::from(copy))?.signals.first()?;
    let (Signal::Control { control: device, .. } | Signal::Dpad(device, _)) =
        rig.signals.get(own.index())?
    else {
        return None;
    };
    Some(format!("{}{}", device.kind.word(), device.number?))
}

/// A step, as rigs write it, without its limits on when it comes.
pub fn rung_words(rig: &Rig, step: &ComboStep) -> String {
    let name = step_name(rig, step);
    match &step.what {
        StepKind::Press(_) | StepKind::Release(_) => name,
        StepKind::Hold(_, span) | StepKind::Quiet(span) => {
            format!("{name} for {}", span_words(*span))
        }
        StepKind::Together { spread, in_order, .. } => {
            let order = if *in_order { " in order" } else { "" };
            format!("{name} in {}{order}", span_words(*spread))
        }
    }
}

/// A step without any limit: `press south or east`.
fn step_name(rig: &Rig, step: &ComboStep) -> String {
    let (verb, joint) = match &step.what {
        StepKind::Press(of) => match of.first().and_then(|of| rig.signals.get(of.index())) {
            Some(Signal::Way(..) | Signal::Dpad(..)) => ("push", " or "),
            Some(Signal::Gesture(_)) => ("make", " or "),
            _ => ("press", " or "),
        },
        StepKind::Release(_) => ("release", " or "),
        StepKind::Hold(..) => ("hold", " or "),
        StepKind::Together { .. } => ("together", " and "),
        StepKind::Quiet(_) => return "quiet".to_string(),
    };
    let names = step.what.signals().iter().map(|&signal| signal_words(rig, signal));
    format!("{verb} {}", names.collect::<Vec<_>>().join(joint))
}

/// A combo as rigs write it, with every limit.
pub fn combo_words(rig: &Rig, combo: &Combo) -> String {
    let step = |(n, step): (usize, &ComboStep)| {
        let mut words = rung_words(rig, step);
        if n > 0 && step.after.amount() > 0 {
            words += &format!(" after {}", span_words(step.after));
        }
        if n > 0 && !matches!(step.what, StepKind::Quiet(_)) {
            words += &format!(" within {}", span_words(step.within));
        }
        if step.buffer.amount() > 0 {
            words += &format!(" buffered {}", span_words(step.buffer));
        }
        for (n, signal) in step.unless.iter().enumerate() {
            let word = if n == 0 { "unless" } else { "or" };
            words += &format!(" {word} {}", signal_words(rig, *signal));
        }
        words
    };
    let calm = combo.calm.map(|calm| format!("quiet for {}", span_words(calm.span)));
    let steps = combo.steps.iter().enumerate().map(step);
    let mut words: Vec<String> = calm.into_iter().chain(steps).collect();
    words.extend(combo.all.map(|all| format!("all within {}", span_words(all))));
    words.join(", ")
}

/// What a limit is about, as the person wrote the step: `tap KeyC held`, `press
/// south came`.
pub fn limit_words(rig: &Rig, combo: &Combo, limit: ComboLimit) -> String {
    let step = |n: u8| combo.steps.get(usize::from(n));
    let name = |n: u8| step(n).map_or(String::new(), |step| step_name(rig, step));
    match limit {
        ComboLimit::Calm => format!("quiet before {}", name(0)),
        ComboLimit::Within(n) if is_lift_of_tap(combo, n) => {
            format!("{} held", name(n).replacen("release", "tap", 1))
        }
        ComboLimit::After(n) | ComboLimit::Within(n) => format!("{} came", name(n)),
        ComboLimit::Own(n) => match step(n).map(|step| &step.what) {
            Some(StepKind::Hold(..)) => format!("{} held", name(n)),
            Some(StepKind::Together { .. }) => format!("{} took", name(n)),
            _ => "quiet at the end".to_string(),
        },
        ComboLimit::All => "all steps took".to_string(),
    }
}

/// Whether a step is the release of a tap: it was written as one with its press.
fn is_lift_of_tap(combo: &Combo, n: u8) -> bool {
    let step = |n: u8| combo.steps.get(usize::from(n));
    let before = n.checked_sub(1).and_then(step);
    before.zip(step(n)).is_some_and(|(before, lift)| {
        lift.lifts(before)
            && lift.written == before.written
            && matches!(before.what, StepKind::Press(_))
    })
}

/// What a limit was kept or missed by: `150 of at most 200 ms`.
pub fn measure_words(combo: &Combo, check: &LimitCheck) -> String {
    let asked = span_words(check.asked);
    let Some(measured) = check.measured(combo) else {
        return format!("still going on at the end, at least {asked} asked");
    };
    let most = if is_least(combo, check.limit) { "at least" } else { "at most" };
    let measured = amount_words(check.asked, measured);
    let number = measured.split(' ').next().unwrap_or_default().to_string();
    format!("{number} of {most} {asked}")
}

/// A limit and by how much it was missed: `12.4 ms (1 tick) late`.
pub fn miss_words(combo: &Combo, rate: PollRate, check: &LimitCheck) -> String {
    let by = -check.margin;
    let how = match check.limit {
        ComboLimit::After(_) => "too early",
        ComboLimit::Calm => "too soon after another press",
        _ if is_least(combo, check.limit) => "short",
        ComboLimit::Own(_) => "too far apart",
        ComboLimit::Within(_) | ComboLimit::All => "too late",
    };
    let amount = amount_words(check.asked, by);
    format!("{amount} ({}) {how}", other_unit(check.asked, by, rate))
}

/// What an attempt came to, in a sentence.
pub fn attempt_words(rig: &Rig, combo: &Combo, attempt: &ComboAttempt) -> String {
    let count = combo.steps.len();
    let mirrored = if attempt.is_mirrored { ", turned around" } else { "" };
    match attempt.outcome {
        ComboAttemptOutcome::Met => {
            let tightest = attempt.checks.iter().filter(|check| check.margin < i64::MAX);
            let share = |c: &&LimitCheck| c.margin as f64 / c.asked.amount().max(1) as f64;
            let tightest = tightest.min_by(|a, b| share(a).total_cmp(&share(b)));
            let spare = tightest.map_or(String::new(), |check| {
                let limit = limit_words(rig, combo, check.limit);
                format!(": {limit} {}", measure_words(combo, check))
            });
            let met = if count == 1 { "met".to_string() } else { format!("met all {count} steps") };
            format!("{met}{spare}{mirrored}")
        }
        ComboAttemptOutcome::Near => match attempt.nearest() {
            Some(check) => {
                let limit = limit_words(rig, combo, check.limit);
                let measured = measure_words(combo, check);
                let miss = miss_words(combo, rig.rate, check);
                format!("{limit} {measured}: {miss}; all else held{mirrored}")
            }
            None => "missed".to_string(),
        },
        ComboAttemptOutcome::Missed => {
            let missed = attempt.checks.iter().filter(|check| check.margin < 0);
            let words = missed.map(|check| {
                let limit = limit_words(rig, combo, check.limit);
                let measured = measure_words(combo, check);
                format!("{limit} {measured}: {}", miss_words(combo, rig.rate, check))
            });
            let words: Vec<String> = words.collect();
            let is_said = words.len() > 1 && attempt.is_met_if_all_change(combo);
            let all = if is_said { "; with all of these it would have fired" } else { "" };
            format!("{}{all}{mirrored}", words.join("; "))
        }
        ComboAttemptOutcome::Broken(by) => {
            let by = by.map_or("a button that presses none of its names".to_string(), |signal| {
                signal_words(rig, signal)
            });
            format!("broken by {by}; all else held{mirrored}")
        }
        ComboAttemptOutcome::Stopped(n) => {
            let next = combo.steps.get(usize::from(n)).map(|step| rung_words(rig, step));
            let next = next.unwrap_or_default();
            format!("stopped after {n} of {count} steps: no `{next}` came in time{mirrored}")
        }
    }
}
