//! The `[[edge]]` tables of a rig.

use super::{
    fields::{Fields, Value},
    problem::Problems,
    reference,
};
use gtrig_core::{DeviceKind, EdgeRule, Keyword, Nanos, Scope, tunable, tunable::Tunable};

pub(super) fn read(problems: &mut Problems, value: &Value) -> Option<EdgeRule> {
    let mut fields = value.table(problems)?;
    let of = match fields.take("of") {
        Some(value) => value.items(problems).filter_map(|v| scope(problems, &v)).collect(),
        None => {
            let found = problems.quote(value.span());
            problems.add(value.span(), found, "`of`: the controls or kinds of device it is for");
            Vec::new()
        }
    };
    let latched = fields.take("latched").and_then(|v| v.bool(problems));
    let debounce = duration(problems, &mut fields, &tunable::DEBOUNCE_MS, 1e6);
    let words = [("ignore", false), ("press", true)];
    let repeats_press = fields.take("repeats").and_then(|v| v.one_of(problems, &words));
    let stuck_after = duration(problems, &mut fields, &tunable::STUCK_AFTER_S, 1e9);
    fields.finish(problems);
    Some(EdgeRule { of, latched, debounce, repeats_press, stuck_after })
}

fn scope(problems: &mut Problems, value: &Value) -> Option<Scope> {
    let text = value.string(problems)?;
    if let Some(kind) = DeviceKind::from_word(text) {
        return Some(Scope::Kind(kind));
    }
    reference(problems, value).map(Scope::Control)
}

fn duration(
    problems: &mut Problems,
    fields: &mut Fields,
    tunable: &Tunable,
    nanos_per_unit: f64,
) -> Option<Nanos> {
    let value = fields.take(tunable.name)?.tunable(problems, tunable)?;
    Some(Nanos((value * nanos_per_unit).round() as u64))
}
