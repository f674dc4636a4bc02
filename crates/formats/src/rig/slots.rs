//! The `[slots]` and `[main]` tables of a rig.

use super::{fields::Fields, problem::Problems};
use gtrig_core::{Deal, DeviceKind, MainRule, MainRules, SlotRules, tunable};

pub(super) fn read_slots(problems: &mut Problems, fields: &mut Fields) -> SlotRules {
    let deals = Deal::ALL.map(|deal| (deal.word(), deal));
    let deal = fields.take("deal").and_then(|v| v.word(problems, &deals)).unwrap_or_default();
    let pins = ["1", "2", "3", "4"].map(|slot| {
        let value = fields.take(slot)?;
        let part = value.string(problems)?;
        if part.is_empty() {
            let expected = "a part of the identity or the name of the device that the slot is for";
            problems.add(value.span(), problems.quote(&value), expected);
        }
        Some(part.to_owned())
    });
    SlotRules { deal, pins }
}

pub(super) fn read_main(problems: &mut Problems, fields: &mut Fields) -> MainRules {
    let mut main = MainRules::default();
    let rules = MainRule::ALL.map(|rule| (rule.word(), rule));
    if let Some(rule) = fields.take("rule").and_then(|v| v.word(problems, &rules)) {
        main.rule = rule;
    }
    if let Some(value) = fields.take("among") {
        let kinds = DeviceKind::ALL.map(|kind| (kind.word(), kind));
        let items = value.items(problems);
        main.among = items.filter_map(|item| item.word(problems, &kinds)).collect();
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
