//! The `[mode.*]` tables of a rig, and the keys that name modes.

use super::{
    fields::{Entry, Fields, Value, check_name},
    problem::Problems,
};
use gtrig_core::{ActionId, MAX_MODES, Mode, ModeId, ModeSet};

pub(super) fn read(problems: &mut Problems, table: &Fields, actions: &[&str]) -> Vec<Mode> {
    let modes: Vec<Mode> = table
        .entries()
        .enumerate()
        .filter_map(|(n, entry)| mode(problems, &entry, n, actions))
        .collect();
    if modes.len() > MAX_MODES {
        let found = format!("{} modes", modes.len());
        problems.add(table.span(), found, &format!("at most {MAX_MODES}"));
    }
    modes
}

fn mode(problems: &mut Problems, entry: &Entry, n: usize, actions: &[&str]) -> Option<Mode> {
    check_name(problems, entry, "a mode");
    let mut fields = entry.value.table(problems)?;
    let [enter, leave] = ["enter", "leave"].map(|key| {
        let value = fields.take(key)?;
        let at = named(problems, value, actions, "the name of an action of this rig")?;
        Some(ActionId::at(at))
    });
    let windows = fields.take("windows").and_then(|value| {
        let span = value.span();
        let freezes = value.one_of(problems, &[("forget", false), ("freeze", true)])?;
        Some((span, freezes))
    });
    let freezes = windows.as_ref().is_some_and(|(_, freezes)| *freezes);
    if let Some((span, true)) = windows.filter(|_| n == 0) {
        let expected = "\"forget\": the first mode is on from the beginning, and no press counts \
                        for a combo while one freezes";
        problems.add(span, "\"freeze\" for the first mode".to_owned(), expected);
    }
    fields.finish(problems);
    if n > 0 && enter.is_none() {
        let found = format!("the mode `{}` without it", entry.key.escape_debug());
        let expected = "`enter`: the action that enters it; only the first mode is on by itself";
        problems.add(entry.key_span.clone(), found, expected);
    }
    Some(Mode { name: entry.key.to_owned(), enter, leave, freezes })
}

/// The place of a name among others.
pub(super) fn named(
    problems: &mut Problems,
    value: Value,
    names: &[&str],
    what: &str,
) -> Option<usize> {
    let name = value.string(problems)?;
    let found = names.iter().position(|other| *other == name);
    if found.is_none() {
        problems.add_unknown(value.span(), name, names.iter().copied(), what);
    }
    found
}

/// The modes that are named, or all of them.
pub(super) fn modes_of(problems: &mut Problems, fields: &mut Fields, modes: &[&str]) -> ModeSet {
    let Some(value) = fields.take("modes") else { return ModeSet::ALL };
    let mut found = ModeSet::EMPTY;
    for item in value.items(problems) {
        let at = named(problems, item, modes, "the name of a [mode.…] of this rig");
        if let Some(at) = at.filter(|&at| at < MAX_MODES) {
            found = found.with(ModeId::at(at));
        }
    }
    found
}
