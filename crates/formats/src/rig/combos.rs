//! The `[combo.*]` tables of a rig.

mod devices;
mod mirror;
mod names;
mod steps;

use super::{
    fields::{self, Entry, Fields, Value, check_name},
    language::{self, Verb, Written},
    modes::{modes_of, named},
    problem::{Problems, Word},
};
use gtrig_core::{
    ActionId, ActionSpec, Calm, Combo, ComboClock, ComboId, ComboStep, ControlRef, Direction,
    GestureId, Gives, Keyword, MAX_COMBOS, MAX_STEPS, Mirror, Rig, Signal, SignalId, StepKind,
    StepText, Strict, SwipeDirections, Thresholds, TimeSpan, ZoneId, tunable, vocabulary,
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
    let written: Vec<Text> =
        entries.iter().map(|entry| written(problems, entry, context)).collect();
    let mut reader = Reader {
        context,
        names: &names,
        written: &written,
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
struct Text<'a> {
    /// What the names in it mean, wherever these steps are done.
    names: Names<'a>,
    steps: Vec<Written<'a>>,
    /// Whether that is all of them.
    is_whole: bool,
}

fn written<'a>(problems: &mut Problems, entry: &Entry<'a>, context: Context) -> Text<'a> {
    let names = Names { device: "pad", stick: None };
    let mut read = Text { names, steps: Vec::new(), is_whole: false };
    let Some(mut fields) = entry.value.table(problems) else { return read };
    read.names = Names {
        device: fields.take("device").and_then(|v| v.string(problems)).unwrap_or("pad"),
        stick: fields.take("stick").and_then(|value| stick(problems, value, context)),
    };
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

/// What gives a direction.
fn stick(problems: &mut Problems, value: Value, context: Context) -> Option<Stick> {
    let what =
        "the name of an action of this rig that gives a plane, or a d-pad, such as \"pad/dpad\"";
    let text = value.string(problems)?;
    if let Some(pad) = text.parse::<ControlRef>().ok().filter(|pad| pad.code == Direction::DPAD) {
        let is_known = vocabulary::names(pad.kind).contains(&"dpad-up");
        if !is_known {
            problems.add(value.span(), problems.quote(value.span()), what);
        }
        return is_known.then_some(Stick::Dpad(pad));
    }
    let at = named(problems, value, context.actions, what)?;
    let is_double = |action: &ActionSpec| action.gives.is_vector();
    if !context.rig.actions.get(at).is_some_and(is_double) {
        problems.add(value.span(), problems.quote(value.span()), what);
        return None;
    }
    Some(Stick::Action(ActionId::at(at)))
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
    written: &'a [Text<'a>],
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
        // These were read with its text.
        for key in ["steps", "device", "stick"] {
            fields.take(key);
        }
        let names = &self.written[n].names;
        let clock = fields.take("clock").and_then(|v| v.word::<ComboClock>(problems));
        let all = fields.take("all-within").and_then(|value| duration(problems, value));
        let is_strict = flag(problems, &mut fields, "strict");
        let passing = fields.take("passing");
        let passing = self.passing(problems, passing, is_strict, names);
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
        self.steps(problems, n, &mut vec![n], &mut steps)?;
        let calm = self.calm.take();
        self.check(problems, entry, (calm, &steps), all);
        let may_pass = passing.as_deref().unwrap_or_default();
        let of = (steps.as_slice(), may_pass);
        let mirror = mirror.and_then(|value| self.mirror(problems, value, of, names));
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
        let least: u64 = steps.iter().map(|step| step.takes_at_least(rate)).sum();
        if least > all.nanos(rate) {
            let found = format!("`all-within` of `{}`", entry.key.escape_debug());
            let ms = least as f64 / 1e6;
            let expected =
                format!("no less than the {ms} ms that its steps take: it can never be met");
            problems.add(entry.key_span.clone(), found, &expected);
        }
    }
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
