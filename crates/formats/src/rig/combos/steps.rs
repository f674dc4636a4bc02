//! The steps of a combo, from how they are written.

use super::*;

impl Reader<'_> {
    /// The steps of combo `n`, those of others that it does in their place. Names mean what they
    /// mean in the combo in which they are written.
    pub(super) fn steps(
        &mut self,
        problems: &mut Problems,
        n: usize,
        within: &mut Vec<usize>,
        steps: &mut Vec<ComboStep>,
    ) -> Option<()> {
        let Text { names, steps: written, is_whole } = &self.written[n];
        let mut is_sound = *is_whole;
        for (at, part) in written.iter().enumerate() {
            let text = StepText { combo: ComboId::at(n), text: at as u8 };
            if part.verb != Verb::Do {
                is_sound &= self.step(problems, part, (names, text), steps).is_some();
                check_count(problems, part, steps)?;
                continue;
            }
            let name = &part.names[0];
            let Some(other) = self.names.iter().position(|other| *other == name.text) else {
                let known = self.names.iter().copied();
                problems.add_word(name, known, "the name of a [combo.…] of this rig");
                return None;
            };
            if within.contains(&other) {
                let found = format!("`{}`, which contains itself", name.text.escape_debug());
                problems.add(name.span.clone(), found, "a combo that does not do itself");
                return None;
            }
            let is_first = steps.is_empty() && part.times == 1;
            within.push(other);
            for _ in 0..part.times {
                let begins = steps.len();
                self.steps(problems, other, within, steps)?;
                check_count(problems, part, steps)?;
                self.join(problems, part, (names, text), steps.get_mut(begins..)?)?;
            }
            within.pop();
            if is_first {
                check_written(problems, part, &steps.first()?.what, true)?;
            }
        }
        is_sound.then_some(())
    }

    /// What a `do` asks of the first step of each time.
    fn join(
        &mut self,
        problems: &mut Problems,
        part: &Written,
        (names, text): (&Names, StepText),
        group: &mut [ComboStep],
    ) -> Option<()> {
        let unless: Vec<Option<SignalId>> =
            part.unless.iter().map(|name| self.signal(problems, name, names)).collect();
        let Some(first) = group.first_mut() else { return Some(()) };
        if first.written == 1 {
            return Some(());
        }
        check_written(problems, part, &first.what, false)?;
        first.unless.extend(unless.into_iter().flatten());
        first.within = part.within.unwrap_or(first.within);
        first.after = part.after.unwrap_or(first.after);
        first.buffer = part.buffered.unwrap_or(first.buffer);
        if part.within.or(part.after).or(part.buffered).is_some() {
            first.window_text = Some(text);
        }
        Some(())
    }

    /// One written step: one, or for a tap two.
    fn step(
        &mut self,
        problems: &mut Problems,
        part: &Written,
        (names, text): (&Names, StepText),
        steps: &mut Vec<ComboStep>,
    ) -> Option<()> {
        let text = Some(text);
        if part.verb == Verb::Quiet && steps.is_empty() && self.calm.is_none() {
            check_written(problems, part, &StepKind::Quiet(part.own?), false)?;
            self.calm = Some(Calm { span: part.own?, text });
            return Some(());
        }
        let signals: Vec<Option<SignalId>> =
            part.names.iter().map(|name| self.signal(problems, name, names)).collect();
        let unless: Vec<Option<SignalId>> =
            part.unless.iter().map(|name| self.signal(problems, name, names)).collect();
        let signals: Vec<SignalId> = signals.into_iter().collect::<Option<_>>()?;
        let unless: Vec<SignalId> = unless.into_iter().collect::<Option<_>>()?;
        let default = |tunable: &tunable::Tunable| TimeSpan::millis(tunable.default as u64);
        let written = steps.last().map_or(1, |step| step.written + 1);
        let what = match part.verb {
            Verb::Press | Verb::Tap => StepKind::Press(signals.clone()),
            Verb::Release => StepKind::Release(signals.clone()),
            Verb::Hold => StepKind::Hold(signals.clone(), part.own?),
            Verb::Together => StepKind::Together {
                of: signals.clone(),
                spread: part.own.unwrap_or(default(&tunable::IN)),
                in_order: part.in_order,
            },
            Verb::Quiet => StepKind::Quiet(part.own?),
            Verb::Do => return None,
        };
        let is_first = steps.is_empty();
        check_written(problems, part, &what, is_first && part.times == 1)?;
        if part.is_exact && !(is_first && self.calm.is_none()) {
            let expected = "it as the first step, with nothing before it";
            problems.add(part.span.clone(), "`exactly`".to_owned(), expected);
            return None;
        }
        let within = part.within.unwrap_or(default(&tunable::WITHIN));
        let after = part.after.unwrap_or(within.with(0));
        let buffer = part.buffered.unwrap_or(after.with(0));
        let is_plain = matches!(what, StepKind::Press(_) | StepKind::Release(_));
        let own_text = text.filter(|_| !is_plain);
        let window_text = text.filter(|_| !matches!(what, StepKind::Quiet(_)));
        let step =
            ComboStep { what, after, within, buffer, unless, written, own_text, window_text };
        push_times(part, &step, text, steps);
        if part.is_exact {
            self.calm = Some(Calm { span: within, text });
            let quiet = ComboStep::new(StepKind::Quiet(within), default(&tunable::WITHIN));
            let written = written + part.times;
            steps.push(ComboStep { written, window_text: text, ..quiet });
        }
        Some(())
    }
}

/// A step as often as it is done, each time with its release if it is a tap.
fn push_times(
    part: &Written,
    step: &ComboStep,
    text: Option<StepText>,
    steps: &mut Vec<ComboStep>,
) {
    let signals = step.what.signals().to_vec();
    let is_first = steps.is_empty();
    for n in 0..part.times {
        let ComboStep { written, own_text, .. } = *step;
        let mut step = step.clone();
        if is_first && n == 0 {
            let within = TimeSpan::millis(tunable::WITHIN.default as u64);
            step = ComboStep { own_text, ..ComboStep::new(step.what, within) };
        } else if n > 0 && part.is_exact {
            // One more in between would be one too many.
            let more = signals.iter().filter(|of| !step.unless.contains(of));
            let more: Vec<SignalId> = more.copied().collect();
            step.unless.extend(more);
        }
        steps.push(ComboStep { written: written + n, ..step });
        if part.verb == Verb::Tap {
            let lift = part.own.unwrap_or(TimeSpan::millis(tunable::TAP_MS));
            let lift = ComboStep::new(StepKind::Release(signals.clone()), lift);
            steps.push(ComboStep { written: written + n, own_text: text, ..lift });
        }
    }
}

fn check_count(problems: &mut Problems, part: &Written, steps: &[ComboStep]) -> Option<()> {
    if steps.len() > MAX_STEPS {
        let found = format!("a combo of {} steps", steps.len());
        let expected = format!("at most {MAX_STEPS}, a tap counting as two");
        problems.add(part.span.clone(), found, &expected);
        return None;
    }
    Some(())
}

fn check_written(
    problems: &mut Problems,
    part: &Written,
    what: &StepKind,
    is_first: bool,
) -> Option<()> {
    let mut problem = |found: &str, expected: &str| {
        problems.add(part.span.clone(), found.to_owned(), expected);
        None
    };
    let has_window = part.after.is_some() || part.within.is_some() || part.buffered.is_some();
    if is_first && (has_window || !part.unless.is_empty()) {
        return problem(
            "a limit on when the first step comes",
            "none: there is no step before it to count from",
        );
    }
    if matches!(what, StepKind::Quiet(_)) && has_window {
        return problem("a limit on when a quiet comes", "none: it begins with the step before it");
    }
    if part.buffered.is_some() && (part.after.is_none() || matches!(what, StepKind::Hold(..))) {
        return problem(
            "`buffered`",
            "it beside `after`, and not on a hold: an early press waits for that moment",
        );
    }
    if let (Some(after), Some(buffered)) = (part.after, part.buffered) {
        let is_alike = std::mem::discriminant(&after) == std::mem::discriminant(&buffered);
        if !is_alike || buffered.amount() > after.amount() {
            return problem("`buffered`", "no more than `after`, in the same unit");
        }
    }
    if let Some(after) = part.after {
        let within = part.within.unwrap_or(TimeSpan::millis(tunable::WITHIN.default as u64));
        let is_alike = std::mem::discriminant(&after) == std::mem::discriminant(&within);
        if is_alike && after.amount() > within.amount() {
            let expected = match part.within {
                Some(_) => "an earliest moment before the latest: this step can never be met",
                None => "`within` beside it: without it a step comes within 500 ms",
            };
            return problem("`after` beyond `within`", expected);
        }
    }
    let mut known = what.signals().to_vec();
    known.sort_unstable();
    known.dedup();
    if known.len() < what.signals().len() {
        return problem("a step with the same name twice", "different names");
    }
    Some(())
}
