//! The `[yard.*]` tables of a rig.

use super::{
    fields::{Fields, Value},
    problem::Problems,
};
use gtrig_core::{
    ActionId, ActionSpec, CranePart, Drive, Gives, Keyword, YardSpec, tunable, tunable::Tunable,
};

pub(super) fn read(
    problems: &mut Problems,
    fields: &mut Fields,
    actions: &[ActionSpec],
) -> YardSpec {
    let drives = std::array::from_fn(|n| {
        let mut table = fields.take(CranePart::ALL[n].word())?.table(problems)?;
        let drive = drive(problems, &mut table, actions);
        table.finish(problems);
        drive
    });
    let grip = fields.take("grip").and_then(|value| by(problems, &value, actions));
    YardSpec { drives, grip: grip.map(|(action, _)| action) }
}

fn drive(problems: &mut Problems, table: &mut Fields, actions: &[ActionSpec]) -> Option<Drive> {
    let mut number = |tunable: &Tunable| {
        let given = table.take(tunable.name).and_then(|v| v.tunable(problems, tunable));
        given.unwrap_or(tunable.default) as f32
    };
    let speed = number(&tunable::SPEED);
    let acceleration = number(&tunable::ACCELERATION);
    let braking = number(&tunable::BRAKING);
    let Some(value) = table.take("by") else {
        let expected = "`by`: the action that drives this part, such as \"hoist\" or \"slew.x\"";
        problems.add(table.span(), "no `by`".to_owned(), expected);
        return None;
    };
    let by = by(problems, &value, actions)?;
    Some(Drive { by, speed, acceleration, braking })
}

/// An action, and which of its values: `hoist`, or `slew.x`.
fn by(problems: &mut Problems, value: &Value, actions: &[ActionSpec]) -> Option<(ActionId, usize)> {
    let text = value.string(problems)?;
    let named = |name: &str| actions.iter().position(|action| action.name == name);
    let found = match text.rsplit_once('.') {
        _ if named(text).is_some() => named(text).map(|at| (at, None)),
        Some((name, "x")) => named(name).map(|at| (at, Some(0))),
        Some((name, "y")) => named(name).map(|at| (at, Some(1))),
        _ => None,
    };
    let Some((at, axis)) = found else {
        let known = actions.iter().map(|action| action.name.as_str());
        problems.add_unknown(value.span(), text, known, "an action of this rig");
        return None;
    };
    match (actions[at].gives, axis) {
        (Gives::Plane, Some(axis)) => Some((ActionId(at as u16), axis)),
        (Gives::Plane | Gives::Polar | Gives::Place, _) | (_, Some(_)) => {
            let expected = "one value: an action that gives one, or `.x` or `.y` of a plane";
            problems.add(value.span(), problems.quote(value.span()), expected);
            None
        }
        (_, None) => Some((ActionId(at as u16), 0)),
    }
}
