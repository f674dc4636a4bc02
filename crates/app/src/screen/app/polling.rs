//! The audit: what loops of other rates make of the history.

use super::App;
use crate::loops::AuditBy;
use crate::screen::{bench::Bench, jobs::Audited};

/// What the polling bench knows.
#[derive(Debug, Default)]
pub(crate) struct Polling {
    /// What the loops make of the history, once that is known.
    pub(crate) found: Option<Box<Audited>>,
    /// Whether a thread audits.
    pub(crate) is_busy: bool,
    /// The loops that audits try.
    pub(crate) by: AuditBy,
}

impl App {
    /// Has the history audited, unless it is known already what loops make of it.
    pub(in crate::screen) fn audit_once(&mut self) {
        if self.polling.found.is_none() {
            self.audit();
        }
    }

    /// Has the history audited, unless that is going on already.
    pub(super) fn audit(&mut self) {
        self.bench = Bench::Polling;
        if !std::mem::replace(&mut self.polling.is_busy, true) {
            self.jobs.audit(&self.document.session, self.polling.by.loops());
        }
    }
}
