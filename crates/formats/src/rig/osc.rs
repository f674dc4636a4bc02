//! The `[osc]` table of a rig: addresses that are controls, and addresses that actions are
//! sent to.

use super::fields::{Entry, Fields};
use super::problem::Problems;
use crate::addresses;
use gtrig_core::{ActionId, OscSpec, Rig, SentAt};

pub(super) fn read(problems: &mut Problems, fields: &mut Fields, rig: &Rig) -> OscSpec {
    let heard = fields.take("in").map(|v| addresses::devices(problems, &v)).unwrap_or_default();
    let sent = fields.take("out").and_then(|v| v.table(problems));
    let entries = sent.iter().flat_map(Fields::entries);
    let sent = entries.filter_map(|entry| sent_at(problems, &entry, rig)).collect();
    OscSpec { heard, sent }
}

fn sent_at(problems: &mut Problems, entry: &Entry, rig: &Rig) -> Option<SentAt> {
    let action = rig.actions.iter().position(|action| action.name == entry.key);
    if action.is_none() {
        let names = rig.actions.iter().map(|action| action.name.as_str());
        problems.add_unknown(entry.key_span.clone(), entry.key, names, "the name of an action");
    }
    let address = addresses::address(problems, &entry.value)?.to_owned();
    Some(SentAt { action: ActionId::at(action?), address })
}
