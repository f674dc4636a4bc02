//! The `[combo.*]` tables of a rig.

mod devices;
mod mirror;
mod names;

use super::{
    fields::{self, Entry, Fields, Value, check_name},
    language::{self, Verb, Written},
    modes::{modes_of, named},
    problem::{Problems, Word},
};
use gtrig_core::{
    ActionId, ActionSpec, Calm, Combo, ComboClock, ComboId, ComboStep, ControlRef, Direction,
    GestureId, Gives, Keyword, MAX_COMBOS, MAX_STEPS, Mirror, Rig, Signal, SignalId, StepKind,
    Strict, SwipeDirections, Thresholds, TimeSpan, ZoneId, tunable, vocabulary,
};
use std::ops::Range;

/// What combos may refer to.
#[derive(Clone, Copy)]
pub(super) struct Context<'a> {
    pub(super) rig: &'a Rig,
    /// The names of all actions, in order.
    pub(super) actions: &'a [&'a str],
    pub(super) modes: &'a [&'a str],
}

/// Reads all combos, and the signals that they are about.
pub(super) fn read(
    problems: &mut Problems,
    table: &Fields,
    context: Context,
) -> (Vec<Signal>, Vec<Combo>) {
    let entries: Vec<Entry> = table.entries().collect();
    if entries.len() > MAX_COMBOS {
        let found = format!("{} combos", entries.len());
        problems.add(table.span(), found, &format!("at most {MAX_COMBOS}"));
        return (Vec::new(), Vec::new());
    }
    let names: Vec<&str> = entries.iter().map(|entry| entry.key).collect();
    let mut reader = Reader {
        context,
        names: &names,
        written: entries.iter().map(|entry| written(problems, entry)).collect(),
        signals: Vec::new(),
        calm: None,
        one_device: Vec::new(),
    };
    let combos = entries.iter().enumerate();
    let mut combos: Vec<Combo> =
        combos.filter_map(|(n, entry)| reader.combo(problems, entry, n)).collect();
    if combos.len() == entries.len() {
        reader.tie_to_devices(problems, &mut combos);
    }
    let signals = reader.signals;
    if combos.len() == entries.len() {
        let waits = |at: usize| combos[at].waits_for.iter().map(|other| other.index());
        fields::check_waits(problems, entries, waits, "combos");
    }
    (signals, combos)
}

/// The steps of a combo as they are written, as far as they can be read.
#[derive(Clone, Default)]
struct Text<'a> {
    steps: Vec<Written<'a>>,
    /// Whether that is all of them.
    is_whole: bool,
}

fn written<'a>(problems: &mut Problems, entry: &Entry<'a>) -> Text<'a> {
    let mut read = Text::default();
    let Some(mut fields) = entry.value.table(problems) else { return read };
    let Some(value) = fields.take("steps") else {
        let found = format!("the combo `{}` without them", entry.key.escape_debug());
        let expected = "`steps`, such as \"press south, press south within 250 ms\"";
        problems.add(entry.key_span.clone(), found, expected);
        return read;
    };
    read.is_whole = true;
    let items: Vec<Value> = value.items(problems).collect();
    let is_list = items.len() > 1;
    for item in items {
        let Some(text) = item.string(problems) else {
            read.is_whole = false;
            continue;
        };
        if is_list && text.contains(',') {
            let expected = "one step in each text of a list, or all of them in one text";
            problems.add(item.span(), problems.quote(item.span()), expected);
            read.is_whole = false;
            continue;
        }
        for part in text.split(',') {
            let at = part.as_ptr() as usize - text.as_ptr() as usize;
            let place = |span: Range<usize>| problems_place(&item, text, at, span);
            match language::step(problems, part, place) {
                Some(step) => read.steps.push(step),
                None => read.is_whole = false,
            }
        }
    }
    read.is_whole &= !read.steps.is_empty();
    read
}

/// The place in the file of a part of a text. One that is written with escapes has
/// no such parts; then it is the whole.
fn problems_place(item: &Value, text: &str, at: usize, span: Range<usize>) -> Range<usize> {
    let whole = item.span();
    if whole.len() != text.len() + 2 {
        return whole;
    }
    let first = whole.start + 1 + at;
    first + span.start..first + span.end.max(span.start)
}

struct Reader<'a> {
    context: Context<'a>,
    names: &'a [&'a str],
    written: Vec<Text<'a>>,
    signals: Vec<Signal>,
    /// The quiet before the first step of the combo that is read.
    calm: Option<Calm>,
    /// The combos whose presses must come from one device, each with where it says so.
    one_device: Vec<(usize, Value<'a>)>,
}

/// What the names in a combo are looked up by.
struct Names<'a> {
    device: &'a str,
    stick: Option<Stick>,
}

/// What the directions in a combo are those of.
#[derive(Clone, Debug)]
enum Stick {
    /// An action that gives a plane.
    Action(ActionId),
    /// A d-pad: `pad/dpad`.
    Dpad(ControlRef),
}

impl<'a> Reader<'a> {
    fn combo(&mut self, problems: &mut Problems, entry: &Entry<'a>, n: usize) -> Option<Combo> {
        check_name(problems, entry, "a combo");
        let mut fields = entry.value.table(problems)?;
        fields.take("steps");
        let names = Names {
            device: fields.take("device").and_then(|v| v.string(problems)).unwrap_or("pad"),
            stick: fields.take("stick").and_then(|value| self.stick(problems, value)),
        };
        let clock = fields.take("clock").and_then(|v| v.word::<ComboClock>(problems));
        let all = fields.take("all-within").and_then(|value| duration(problems, value));
        let is_strict = flag(problems, &mut fields, "strict");
        let passing = fields.take("passing");
        let passing = self.passing(problems, passing, is_strict, &names);
        let mirror = fields.take("mirror-while");
        let one_device = fields.take("one-device");
        let one_device = one_device.filter(|value| value.bool(problems).unwrap_or(false));
        self.one_device.extend(one_device.map(|value| (n, value)));
        let [takes, again] = ["takes", "again"].map(|key| flag(problems, &mut fields, key));
        let counts_forced = flag(problems, &mut fields, "forced-releases");
        let words = [("pulse", false), ("while-held", true)];
        let lasts = fields.take("on").and_then(|v| v.one_of(problems, &words)).unwrap_or(false);
        let waits_for = fields.take("waits-for").map_or(Vec::new(), |value| {
            let what = "the name of a [combo.…] of this rig";
            let items: Vec<Value> = value.items(problems).collect();
            let places = items.into_iter().filter_map(|v| named(problems, v, self.names, what));
            places.map(ComboId::at).collect()
        });
        let modes = modes_of(problems, &mut fields, self.context.modes);
        fields.finish(problems);
        let mut steps = Vec::new();
        self.calm = None;
        self.steps(problems, n, &mut vec![n], &names, &mut steps)?;
        let calm = self.calm.take();
        self.check(problems, entry, (calm, &steps), all);
        let mirror = mirror.and_then(|value| self.mirror(problems, value, &steps, &names));
        Some(Combo {
            calm,
            counts_forced,
            all,
            clock: clock.unwrap_or_default(),
            strict: passing.map(Strict::AllBut),
            mirror,
            takes,
            again,
            lasts,
            waits_for,
            modes,
            ..Combo::new(entry.key, steps)
        })
    }

    /// What gives a direction.
    fn stick(&self, problems: &mut Problems, value: Value) -> Option<Stick> {
        let what = "the name of an action of this rig that gives a plane, or a d-pad, such as \"pad/dpad\"";
        let text = value.string(problems)?;
        if let Some(pad) = text.parse::<ControlRef>().ok().filter(|pad| pad.code == Direction::DPAD)
        {
            let is_known = vocabulary::names(pad.kind).contains(&"dpad-up");
            if !is_known {
                problems.add(value.span(), problems.quote(value.span()), what);
            }
            return is_known.then_some(Stick::Dpad(pad));
        }
        let at = named(problems, value, self.context.actions, what)?;
        let is_double = |action: &ActionSpec| action.gives.is_vector();
        if !self.context.rig.actions.get(at).is_some_and(is_double) {
            problems.add(value.span(), problems.quote(value.span()), what);
            return None;
        }
        Some(Stick::Action(ActionId::at(at)))
    }

    fn passing(
        &mut self,
        problems: &mut Problems,
        value: Option<Value>,
        is_strict: bool,
        names: &Names,
    ) -> Option<Vec<SignalId>> {
        let Some(value) = value else { return is_strict.then(Vec::new) };
        if !is_strict {
            let expected =
                "`strict = true` beside it: a combo that is not strict lets anything pass";
            problems.add(value.span(), problems.quote(value.span()), expected);
        }
        let mut passing = Vec::new();
        for item in value.items(problems) {
            let Some(text) = item.string(problems) else { continue };
            let word = Word { text, span: item.span() };
            passing.extend(self.signal(problems, &word, names));
        }
        Some(passing)
    }

    /// The steps of combo `n`, those of others that it does in their place.
    fn steps(
        &mut self,
        problems: &mut Problems,
        n: usize,
        within: &mut Vec<usize>,
        names: &Names,
        steps: &mut Vec<ComboStep>,
    ) -> Option<()> {
        let Text { steps: written, is_whole } = self.written[n].clone();
        let mut is_sound = is_whole;
        for (at, part) in written.iter().enumerate() {
            if part.verb != Verb::Do {
                let text = (within.len() == 1).then_some(at as u8);
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
            let text = (within.len() == 1).then_some(at as u8);
            let is_first = steps.is_empty() && part.times == 1;
            within.push(other);
            for _ in 0..part.times {
                let begins = steps.len();
                self.steps(problems, other, within, names, steps)?;
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
        (names, text): (&Names, Option<u8>),
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
        // Its other numbers stand in the text of the other combo.
        let is_plain = matches!(first.what, StepKind::Press(_) | StepKind::Release(_));
        if is_plain && part.within.or(part.after).or(part.buffered).is_some() {
            first.text = text;
        }
        Some(())
    }

    /// One written step: one, or for a tap two.
    fn step(
        &mut self,
        problems: &mut Problems,
        part: &Written,
        (names, text): (&Names, Option<u8>),
        steps: &mut Vec<ComboStep>,
    ) -> Option<()> {
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
        let step = ComboStep { what, after, within, buffer, unless, written, text };
        push_times(part, &step, steps);
        if part.is_exact {
            self.calm = Some(Calm { span: within, text });
            let quiet = ComboStep::new(StepKind::Quiet(within), default(&tunable::WITHIN));
            steps.push(ComboStep { written: written + part.times, text, ..quiet });
        }
        Some(())
    }

    /// Whether the steps of a combo make sense together.
    fn check(
        &self,
        problems: &mut Problems,
        entry: &Entry,
        (calm, steps): (Option<Calm>, &[ComboStep]),
        all: Option<TimeSpan>,
    ) {
        let is_quiet = |step: &ComboStep| matches!(step.what, StepKind::Quiet(_));
        let quiet = steps.iter().position(is_quiet);
        if steps.is_empty() || quiet.is_some_and(|at| at == 0 || at + 1 < steps.len()) {
            let found = format!("a `quiet` within `{}`", entry.key.escape_debug());
            let expected = "one before the first step or after the last one, and a step beside it";
            problems.add(entry.key_span.clone(), found, expected);
        }
        let is_chord = |step: &ComboStep| matches!(step.what, StepKind::Together { .. });
        if calm.is_some() && steps.first().is_some_and(is_chord) {
            let found = format!("a `quiet` before a chord, in `{}`", entry.key.escape_debug());
            let expected = "one before a press, a release, a tap or a hold";
            problems.add(entry.key_span.clone(), found, expected);
        }
        let rate = self.context.rig.rate;
        let Some(all) = all else { return };
        let least: u64 = steps.iter().map(|step| least_nanos(step, rate)).sum();
        if least > all.nanos(rate) {
            let found = format!("`all-within` of `{}`", entry.key.escape_debug());
            let ms = least as f64 / 1e6;
            let expected =
                format!("no less than the {ms} ms that its steps take: it can never be met");
            problems.add(entry.key_span.clone(), found, &expected);
        }
    }
}

/// A step as often as it is done, each time with its release if it is a tap.
fn push_times(part: &Written, step: &ComboStep, steps: &mut Vec<ComboStep>) {
    let signals = step.what.signals().to_vec();
    let is_first = steps.is_empty();
    for n in 0..part.times {
        let ComboStep { written, text, .. } = *step;
        let mut step = step.clone();
        if is_first && n == 0 {
            let within = TimeSpan::millis(tunable::WITHIN.default as u64);
            step = ComboStep::new(step.what, within);
        } else if n > 0 && part.is_exact {
            // One more in between would be one too many.
            let more = signals.iter().filter(|of| !step.unless.contains(of));
            let more: Vec<SignalId> = more.copied().collect();
            step.unless.extend(more);
        }
        steps.push(ComboStep { written: written + n, text, ..step });
        if part.verb == Verb::Tap {
            let lift = part.own.unwrap_or(TimeSpan::millis(tunable::TAP_MS));
            let lift = ComboStep::new(StepKind::Release(signals.clone()), lift);
            steps.push(ComboStep { written: written + n, text, ..lift });
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

fn least_nanos(step: &ComboStep, rate: gtrig_core::PollRate) -> u64 {
    let own = match step.what {
        StepKind::Hold(_, span) | StepKind::Quiet(span) => span.nanos(rate),
        _ => 0,
    };
    step.opens().nanos(rate) + own
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

fn flag(problems: &mut Problems, fields: &mut Fields, key: &'static str) -> bool {
    fields.take(key).and_then(|value| value.bool(problems)).unwrap_or(false)
}

/// A time as a text of its own: `"600 ms"`.
fn duration(problems: &mut Problems, value: Value) -> Option<TimeSpan> {
    let text = value.string(problems)?;
    let words: Vec<Word> =
        text.split_whitespace().map(|text| Word { text, span: value.span() }).collect();
    let [number, unit] = &words[..] else {
        let expected = "a time, such as \"600 ms\" or \"30 ticks\"";
        problems.add(value.span(), problems.quote(value.span()), expected);
        return None;
    };
    language::time(problems, number, Some(unit), &tunable::ALL_WITHIN)
}
