//! The `[game]` table of a rig: what a game calls its actions.

use super::{
    fields::{Entry, Fields, Value},
    problem::Problems,
};
use gtrig_core::{CleanText, GameName, GameSpec, GameTarget, MAX_GAME_NAMES, Nanos, Rig, tunable};

/// What a value of a game may be.
const EXPECTED: &str = "an action that gives one value, or `.x` or `.y` of one that gives two, or \
                        `.pressed` or `.released` of one that is on or off";

/// So many units of a game to one of the rig, at most, and as many the other way round.
const MOST_TIMES: f64 = 1e9;

pub(super) fn read(problems: &mut Problems, fields: &mut Fields, rig: &Rig) -> GameSpec {
    let mut spec = GameSpec::default();
    let tolerance = fields.take(tunable::TOLERANCE.name);
    if let Some(n) = tolerance.and_then(|v| v.tunable(problems, &tunable::TOLERANCE)) {
        spec.tolerance = n;
    }
    let slack = fields.take(tunable::SLACK_MS.name);
    if let Some(ms) = slack.and_then(|v| v.tunable(problems, &tunable::SLACK_MS)) {
        spec.slack = Nanos((ms * 1e6).round() as u64);
    }
    if let Some(names) = fields.take("names").and_then(|v| v.table(problems)) {
        spec.names = names.entries().filter_map(|entry| name(problems, &entry, rig)).collect();
        if spec.names.len() > MAX_GAME_NAMES {
            let found = format!("{} names", spec.names.len());
            problems.add(names.span(), found, &format!("at most {MAX_GAME_NAMES}"));
        }
    }
    spec
}

fn name(problems: &mut Problems, entry: &Entry, rig: &Rig) -> Option<GameName> {
    if entry.key.is_empty() || CleanText::new(entry.key).as_str() != entry.key {
        let found = format!("the name `{}`", entry.key.escape_debug());
        let expected = "1 to 80 characters that can be shown";
        problems.add(entry.key_span.clone(), found, expected);
        return None;
    }
    let target = match entry.value.is_table() {
        false => named(problems, &entry.value, rig),
        true => measured(problems, &entry.value, rig),
    };
    Some(GameName { name: entry.key.to_owned(), target: target? })
}

fn named(problems: &mut Problems, value: &Value, rig: &Rig) -> Option<GameTarget> {
    let text = value.string(problems)?;
    let target = GameTarget::named(rig, text);
    if target.is_none() {
        let actions = rig.actions.iter().map(|action| action.name.as_str());
        problems.add_unknown(value.span(), text, actions, EXPECTED);
    }
    target
}

/// One that is measured in other units, or is what a frame moves.
fn measured(problems: &mut Problems, value: &Value, rig: &Rig) -> Option<GameTarget> {
    let mut fields = value.table(problems)?;
    let times = fields.take("times").map(|value| {
        let number = value.number().filter(|n| (1.0 / MOST_TIMES..=MOST_TIMES).contains(&n.abs()));
        if number.is_none() {
            let expected = format!("a number from 1e-9 to {MOST_TIMES:e}, or the same below 0");
            problems.add(value.span(), problems.quote(value.span()), &expected);
        }
        number
    });
    let is = fields.take("is").map(|value| named(problems, &value, rig));
    let moves = fields.take("moves").map(|value| {
        let target = named(problems, &value, rig)?;
        let moved = target.moved(rig.actions[target.action.index()].gives);
        if moved.is_none() {
            let expected = "the value of an axis, a plane or a polar action, which moves something";
            problems.add(value.span(), problems.quote(value.span()), expected);
        }
        moved
    });
    let span = fields.span();
    fields.finish(problems);
    let target = match (is, moves) {
        (Some(target), None) | (None, Some(target)) => target?,
        _ => {
            let expected = "either `is = \"…\"` or `moves = \"…\"`, and perhaps `times = …`";
            problems.add(span, "neither or both of `is` and `moves`".to_owned(), expected);
            return None;
        }
    };
    Some(GameTarget { times: times.unwrap_or(Some(1.0))?, ..target })
}
