//! The `[slots]` and `[main]` tables of a rig.

use super::{fields::Fields, problem::Problems};
use gtrig_core::{Deal, DeviceKind, MainRule, MainRules, SlotRules, tunable};

pub(super) fn read_slots(problems: &mut Problems, fields: &mut Fields) -> SlotRules {
    let deal = fields.take("deal").and_then(|v| v.word::<Deal>(problems)).unwrap_or_default();
    let pins = ["1", "2", "3", "4"].map(|slot| {
        let value = fields.take(slot)?;
        let part = value.string(problems)?;
        if part.is_empty() {
            let expected = "a part of the identity or the name of the device that the slot is for";
            problems.add(value.span(), problems.quote(value.span()), expected);
        }
        Some(part.to_owned())
    });
    SlotRules { deal, pins }
}

pub(super) fn read_main(problems: &mut Problems, fields: &mut Fields) -> MainRules {
    let mut main = MainRules::default();
    if let Some(rule) = fields.take("rule").and_then(|v| v.word::<MainRule>(problems)) {
        main.rule = rule;
    }
    if let Some(value) = fields.take("among") {
        let items = value.items(problems);
        main.among = items.filter_map(|item| item.word::<DeviceKind>(problems)).collect();
    }
    let mut number = |tunable: &tunable::Tunable| {
        fields.take(tunable.name).and_then(|v| v.tunable(problems, tunable))
    };
    if let Some(use_at) = number(&tunable::USE_AT) {
        main.use_at = use_at as f32;
    }
    if let Some(counts) = number(&tunable::USE_COUNTS) {
        main.use_counts = counts as i32;
    }
    main
}
