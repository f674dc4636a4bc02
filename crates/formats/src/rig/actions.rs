//! The `[action.*]` tables of a rig.

use super::{
    fields::{Entry, Fields, Value},
    problem::Problems,
    reference, stick_reference,
};
use gtrig_core::{
    ActionSpec, BothHeld, ControlInfo, ControlRef, CrossSpec, Gives, InputSpec, Thresholds,
    tunable::{self, Tunable},
};

/// A rig has at most this many actions.
pub(super) const MAX: usize = 10_000;

pub(super) fn read(problems: &mut Problems, entry: &Entry) -> Option<ActionSpec> {
    if !ControlInfo::is_code(entry.key) {
        let found = format!("the name `{}`", entry.key.escape_debug());
        let expected = "an action name of 1 to 40 letters, digits, dots, dashes or underscores";
        problems.add(entry.key_span.clone(), found, expected);
    }
    let mut fields = entry.value.table(problems)?;
    let gives = match fields.take("gives") {
        Some(value) => value.word(problems, &Gives::ALL.map(|g| (g.word(), g))),
        None => missing(problems, entry, "`gives`: \"on\", \"pulse\", \"axis\" or \"plane\""),
    };
    let clamp = fields.take("clamp");
    let inputs = match fields.take("from") {
        Some(value) => value.items(problems).filter_map(|v| input(problems, &v, gives)).collect(),
        None => missing(problems, entry, "`from`: the controls that drive the action")
            .unwrap_or_default(),
    };
    let is_clamped = clamp.and_then(|value| value.bool(problems));
    if let (Some(value), Some(gives)) = (clamp, gives)
        && gives != Gives::Plane
    {
        let expected = "no `clamp` here: only a plane is held in the unit circle";
        problems.add(value.span(), "`clamp`".to_owned(), expected);
    }
    let words = [("any", false), ("main", true)];
    let main_only = fields.take("devices").and_then(|v| v.word(problems, &words)).unwrap_or(false);
    fields.finish(problems);
    let gives = gives?;
    let clamp = gives == Gives::Plane && is_clamped.unwrap_or(true);
    Some(ActionSpec { name: entry.key.to_owned(), gives, inputs, clamp, main_only })
}

fn missing<T>(problems: &mut Problems, entry: &Entry, what: &str) -> Option<T> {
    let found = format!("the action `{}` without it", entry.key.escape_debug());
    problems.add(entry.key_span.clone(), found, what);
    None
}

/// An input, if it is well-formed and suits what the action gives.
fn input(problems: &mut Problems, value: &Value, gives: Option<Gives>) -> Option<InputSpec> {
    let input = if value.is_string() { button(problems, *value)? } else { table(problems, value)? };
    match gives {
        Some(gives) if !gives.accepts(&input) => {
            let expected = match gives {
                Gives::On | Gives::Pulse => {
                    "a button, such as \"pad/south\", or { control = …, press-at = … }"
                }
                Gives::Axis => "{ axis = … } or { pair = […, …] }",
                Gives::Plane => "{ stick = … } or { cross = {…} }",
            };
            let expected =
                format!("what an action that gives \"{}\" can read: {expected}", gives.word());
            problems.add(value.span(), problems.quote(value), &expected);
            None
        }
        _ => Some(input),
    }
}

fn table(problems: &mut Problems, value: &Value) -> Option<InputSpec> {
    let mut fields = value.table(problems)?;
    let input = if let Some(control) = fields.take("control") {
        let thresholds = thresholds(problems, &mut fields);
        reference(problems, &control).map(|control| InputSpec::Button { control, thresholds })
    } else if let Some(axis) = fields.take("axis") {
        self::axis(problems, &mut fields, axis)
    } else if let Some(pair) = fields.take("pair") {
        self::pair(problems, &mut fields, pair)
    } else if let Some(stick) = fields.take("stick") {
        self::stick(problems, &mut fields, stick)
    } else if let Some(cross) = fields.take("cross") {
        self::cross(problems, &mut fields, cross)
    } else {
        let expected = "an input: `control`, `axis`, `pair`, `stick` or `cross`";
        problems.add(value.span(), problems.quote(value), expected);
        return None;
    };
    fields.finish(problems);
    input
}

fn button(problems: &mut Problems, value: Value) -> Option<InputSpec> {
    let press_at = tunable::PRESS_AT.default as f32;
    let thresholds = Thresholds { press_at, release_at: press_at };
    reference(problems, &value).map(|control| InputSpec::Button { control, thresholds })
}

fn thresholds(problems: &mut Problems, fields: &mut Fields) -> Thresholds {
    let press_at = number(problems, fields, &tunable::PRESS_AT);
    let Some(value) = fields.take(tunable::RELEASE_AT.name) else {
        return Thresholds { press_at, release_at: press_at };
    };
    let release_at = value.tunable(problems, &tunable::RELEASE_AT).map_or(press_at, |v| v as f32);
    if release_at > press_at {
        let expected = format!("a travel not above `press-at`, which is {press_at}");
        problems.add(value.span(), problems.quote(&value), &expected);
    }
    Thresholds { press_at, release_at }
}

fn axis(problems: &mut Problems, fields: &mut Fields, value: Value) -> Option<InputSpec> {
    let dead_zone = number(problems, fields, &tunable::DEAD_ZONE);
    let invert = fields.take("invert").and_then(|v| v.bool(problems)).unwrap_or(false);
    reference(problems, &value).map(|control| InputSpec::Axis { control, dead_zone, invert })
}

fn stick(problems: &mut Problems, fields: &mut Fields, value: Value) -> Option<InputSpec> {
    let dead_zone = number(problems, fields, &tunable::DEAD_ZONE);
    let words = [("x", (true, false)), ("y", (false, true)), ("xy", (true, true))];
    let invert = fields.take("invert").and_then(|v| v.word(problems, &words));
    let (invert_x, invert_y) = invert.unwrap_or_default();
    stick_reference(problems, &value).map(|stick| InputSpec::Stick {
        stick,
        dead_zone,
        invert_x,
        invert_y,
    })
}

fn pair(problems: &mut Problems, fields: &mut Fields, value: Value) -> Option<InputSpec> {
    let both = both_held(problems, fields);
    let sides: Vec<Value> = value.items(problems).collect();
    let [negative, positive] = sides[..] else {
        let expected = "two sides: [the -1 side, the +1 side]";
        problems.add(value.span(), problems.quote(&value), expected);
        return None;
    };
    let negative = side(problems, negative);
    let positive = side(problems, positive);
    Some(InputSpec::Pair { negative, positive, both })
}

fn cross(problems: &mut Problems, fields: &mut Fields, value: Value) -> Option<InputSpec> {
    let both = both_held(problems, fields);
    let mut sides = value.table(problems)?;
    let [left, right, up, down] = ["left", "right", "up", "down"].map(|name| {
        let Some(keys) = sides.take(name) else {
            let expected = "a cross with all of left, right, up and down";
            problems.add(value.span(), format!("no `{name}`"), expected);
            return Vec::new();
        };
        side(problems, keys)
    });
    sides.finish(problems);
    Some(InputSpec::Cross(CrossSpec { left, right, up, down, both }))
}

fn side(problems: &mut Problems, value: Value) -> Vec<ControlRef> {
    value.items(problems).filter_map(|v| reference(problems, &v)).collect()
}

fn both_held(problems: &mut Problems, fields: &mut Fields) -> BothHeld {
    let rules = BothHeld::ALL.map(|rule| (rule.word(), rule));
    let rule = fields.take("both").and_then(|v| v.word(problems, &rules));
    rule.unwrap_or(BothHeld::Neutral)
}

fn number(problems: &mut Problems, fields: &mut Fields, tunable: &Tunable) -> f32 {
    let value = fields.take(tunable.name).and_then(|v| v.tunable(problems, tunable));
    value.unwrap_or(tunable.default) as f32
}
