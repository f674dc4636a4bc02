//! Labels that were read, before a session has them.

use gtrig_analysis::{Label, Session};
use gtrig_core::Nanos;
use std::collections::{BTreeMap, BTreeSet};

/// Labels that were read and are not in the session yet.
///
/// A label without a text takes back all that stand before it in the take and are about exactly its
/// instant: a recording has its labels as soon as they are written, and they may be removed later.
#[derive(Debug, Default)]
pub(super) struct ReadLabels {
    written: BTreeMap<Nanos, Vec<Label>>,
    /// The instants at which a session has no label of those that it has by now.
    taken_back: BTreeSet<Nanos>,
}

impl ReadLabels {
    /// Takes in the next one.
    pub(super) fn add(&mut self, label: Label) {
        if label.text.as_str().is_empty() {
            self.written.remove(&label.time);
            self.taken_back.insert(label.time);
        } else {
            self.written.entry(label.time).or_default().push(label);
        }
    }

    /// Hands over all of them.
    pub(super) fn hand_over(&mut self, session: &mut Session) {
        let taken_back = std::mem::take(&mut self.taken_back);
        if !taken_back.is_empty() {
            session.remove_labels(|label| taken_back.contains(&label.time));
        }
        if !self.written.is_empty() {
            session.add_labels(std::mem::take(&mut self.written).into_values().flatten());
        }
    }
}
