//! Reading a rig: TOML text in, a checked [`Rig`] or every mistake out.
//!
//! `docs/rig-format.md` describes the format.

mod actions;
mod combos;
mod edges;
mod edit;
mod game;
mod gestures;
mod language;
mod modes;
mod osc;
mod shapes;
mod slots;
mod starter;
mod surface;
mod yard;
mod zones;

pub use edit::{EditError, update_numbers};
pub use starter::starter;

use crate::Mistakes;
use crate::document::{self, fields, problem};
use fields::{Fields, Value};
use gtrig_core::{
    AddressError, ControlRef, DeviceKind, InputSpec, Keyword, MAX_THRESHOLDS, PollRate, Rig,
    Signal, Thresholds, tunable, vocabulary,
};
use problem::Problems;

/// The version of the format that this program reads.
pub const VERSION: i64 = 1;

/// Reads a rig. `file` names it in messages.
///
/// # Errors
/// All mistakes, in the order of their places.
pub fn parse(file: &str, text: &str) -> Result<Rig, Mistakes> {
    document::parse(file, text, "rig", read)
}

fn read(problems: &mut Problems, mut root: Fields) -> Rig {
    check_version(problems, &mut root);
    let name = root.take("name").and_then(|v| v.string(problems)).unwrap_or("unnamed rig");
    let mut rig = Rig::bare(name, PollRate::DEFAULT);
    let [shapes, actions, modes, combos] =
        ["shape", "action", "mode", "combo"].map(|key| table(problems, &mut root, key));
    // Gates, modes and combos are named before they are read.
    let [action_names, mode_names, combo_names] = [&actions, &modes, &combos].map(names);
    read_polling(problems, &mut root, &mut rig);
    if let Some(table) = shapes {
        rig.shapes = shapes::read(problems, &table);
    }
    read_touch(problems, &mut root, &mut rig, &action_names);
    if let Some(table) = &modes {
        rig.modes = modes::read(problems, table, &action_names);
    }
    if let Some(table) = actions {
        let names =
            ActionNames { combos: &combo_names, actions: &action_names, modes: &mode_names };
        read_actions(problems, &table, &mut rig, names);
    }
    if let Some(table) = combos {
        let context = combos::Context { rig: &rig, actions: &action_names, modes: &mode_names };
        (rig.signals, rig.combos) = combos::read(problems, &table, context);
    }
    whole_table(problems, &mut root, "yard", |problems, table| {
        rig.yard = yard::read(problems, table, &rig.actions);
    });
    whole_table(problems, &mut root, "game", |problems, table| {
        rig.game = game::read(problems, table, &rig);
    });
    whole_table(problems, &mut root, "osc", |problems, table| {
        rig.osc = osc::read(problems, table, &rig);
    });
    check_thresholds(problems, &rig);
    root.finish(problems);
    rig
}

/// The names that an action may refer to.
#[derive(Clone, Copy)]
struct ActionNames<'a> {
    combos: &'a [&'a str],
    actions: &'a [&'a str],
    modes: &'a [&'a str],
}

fn table<'a>(
    problems: &mut Problems,
    root: &mut Fields<'a>,
    key: &'static str,
) -> Option<Fields<'a>> {
    root.take(key).and_then(|value| value.table(problems))
}

/// Reads a table that has fixed keys, and notes those that nobody took.
fn whole_table(
    problems: &mut Problems,
    root: &mut Fields,
    key: &'static str,
    read: impl FnOnce(&mut Problems, &mut Fields),
) {
    if let Some(mut table) = table(problems, root, key) {
        read(problems, &mut table);
        table.finish(problems);
    }
}

/// The keys of a table of tables.
fn names<'a>(table: &Option<Fields<'a>>) -> Vec<&'a str> {
    table.iter().flat_map(Fields::entries).map(|entry| entry.key).collect()
}

/// How devices are polled, and which of them count.
fn read_polling(problems: &mut Problems, root: &mut Fields, rig: &mut Rig) {
    whole_table(problems, root, "sampling", |problems, table| read_sampling(problems, table, rig));
    whole_table(problems, root, "slots", |problems, table| {
        rig.slots = slots::read_slots(problems, table);
    });
    whole_table(problems, root, "main", |problems, table| {
        rig.main = slots::read_main(problems, table);
    });
    if let Some(value) = root.take("edge") {
        rig.edges = value.items(problems).filter_map(|v| edges::read(problems, &v)).collect();
    }
}

/// What lies on touch panels and what fingers mean there.
fn read_touch(problems: &mut Problems, root: &mut Fields, rig: &mut Rig, actions: &[&str]) {
    whole_table(problems, root, "surface", |problems, table| {
        rig.surface = surface::read(problems, table);
    });
    if let Some(table) = table(problems, root, "zone") {
        let context = zones::Context { surface: &rig.surface, actions };
        rig.zones = zones::read(problems, &table, context);
    }
    if let Some(table) = table(problems, root, "sign") {
        rig.signs = gestures::read_signs(problems, &table);
    }
    if let Some(table) = table(problems, root, "gesture") {
        rig.gestures = gestures::read(problems, &table, (&rig.zones, &rig.surface), &rig.signs);
    }
}

fn read_actions(problems: &mut Problems, table: &Fields, rig: &mut Rig, names: ActionNames) {
    let Rig { shapes, zones, gestures, .. } = &*rig;
    let ActionNames { combos, actions, modes } = names;
    let surface = &rig.surface;
    let context = actions::Context { surface, shapes, zones, gestures, combos, actions, modes };
    let read = |entry| actions::read(problems, &entry, context);
    rig.actions = table.entries().filter_map(read).collect();
    actions::check_gates(problems, table, &rig.actions);
    zones::check_gates(problems, rig);
    if rig.actions.len() > actions::MAX {
        problems.add(table.span(), format!("{} actions", rig.actions.len()), "at most 10000");
    }
}

fn check_thresholds(problems: &mut Problems, rig: &Rig) {
    let mut pairs: Vec<Thresholds> = Vec::new();
    let inputs = rig.actions.iter().flat_map(|action| &action.inputs);
    let of_inputs = inputs.filter_map(|input| match input {
        InputSpec::Button { thresholds, .. } => Some(*thresholds),
        _ => None,
    });
    let of_signals = rig.signals.iter().filter_map(|signal| match signal {
        Signal::Control { thresholds, .. } => Some(*thresholds),
        _ => None,
    });
    let has_keys = |input: &InputSpec| input.sides().into_iter().any(|side| !side.keys.is_empty());
    let of_sides = rig.actions.iter().flat_map(|action| &action.inputs).any(has_keys);
    let of_sides = of_sides.then_some(Thresholds::HALF);
    for thresholds in of_inputs.chain(of_signals).chain(of_sides) {
        if !pairs.contains(&thresholds) {
            pairs.push(thresholds);
        }
    }
    if pairs.len() > MAX_THRESHOLDS {
        let found = format!("{} different pairs of `press-at` and `release-at`", pairs.len());
        problems.add(0..0, found, &format!("at most {MAX_THRESHOLDS}"));
    }
}

fn check_version(problems: &mut Problems, root: &mut Fields) {
    let expected = format!("`rig = {VERSION}`, the version of the format this program reads");
    match root.take("rig") {
        None => problems.add(0..0, "no `rig` version".to_owned(), &expected),
        Some(value) if value.integer() == Some(VERSION) => {}
        Some(value) => problems.add(value.span(), problems.quote(value.span()), &expected),
    }
}

fn read_sampling(problems: &mut Problems, sampling: &mut Fields, rig: &mut Rig) {
    if let Some(hz) = sampling.take("poll-hz").and_then(|v| v.tunable(problems, &tunable::POLL_HZ))
        && let Some(rate) = PollRate::from_hz(hz)
    {
        rig.rate = rate;
    }
}

/// Reads a reference to a single control.
fn reference(problems: &mut Problems, value: &Value) -> Option<ControlRef> {
    let reference = any_reference(problems, value)?;
    if reference.is_control() {
        return Some(reference);
    }
    let kind = reference.kind;
    let known = vocabulary::names(kind);
    if reference.is_stick() {
        let advice = "one control; a stick is read with `stick = …`";
        problems.add(value.span(), problems.quote(value.span()), advice);
    } else {
        let some = known[..3].join(", ");
        let expected = format!("a control of \"{}\", such as {some}", kind.word());
        problems.add_unknown(value.span(), &reference.code, known.iter().copied(), &expected);
    }
    None
}

/// Reads a reference to a stick.
fn stick_reference(problems: &mut Problems, value: &Value) -> Option<ControlRef> {
    let reference = any_reference(problems, value)?;
    if reference.is_stick() || vocabulary::names(reference.kind).is_empty() {
        return Some(reference);
    }
    let expected = "a stick, such as \"pad/stick-l\" or \"pad1/stick-r\"";
    let known = vocabulary::sticks(reference.kind);
    problems.add_unknown(value.span(), &reference.code, known.iter().copied(), expected);
    None
}

fn any_reference(problems: &mut Problems, value: &Value) -> Option<ControlRef> {
    let text = value.string(problems)?;
    let kinds: Vec<&str> = DeviceKind::ALL.iter().map(|kind| kind.word()).collect();
    match text.parse() {
        Ok(reference) => return Some(reference),
        Err(AddressError::NoSlash) => problems.add(
            value.span(),
            problems.quote(value.span()),
            "a device and a control, such as \"pad/south\", \"pad1/stick-l-x\" or \"keys/KeyH\"",
        ),
        Err(AddressError::UnknownKind(word)) => {
            let expected = format!("a kind of device: {}", kinds.join(", "));
            problems.add_unknown(value.span(), &word, kinds, &expected);
        }
        Err(AddressError::BadNumber(_)) => problems.add(
            value.span(),
            problems.quote(value.span()),
            "no number for any device of the kind, or a slot from 1 to 4, such as \"pad2/south\"",
        ),
    }
    None
}

#[cfg(test)]
mod bounds;
#[cfg(test)]
mod tests;
