//! What jobs came to: saved, drawn, opened, worked out.

use super::{App, NOTICE_TIME, tuning::Tuning};
use crate::{
    files::{Opened, RigSource},
    screen::jobs::{Outcome, Saving},
};
use gtrig_core::Nanos;
use std::sync::Arc;

impl App {
    /// Takes in what jobs have come to since the last time, in the order in which they ended.
    pub(super) fn finish_jobs(&mut self) {
        while let Some((outcome, is_current)) = self.jobs.next() {
            match outcome {
                Outcome::Saved { path, events, result: Ok(()), .. } => {
                    self.tell(format!("saved {events} events to {}", path.display()), false);
                }
                Outcome::Saved { what, result: Err(why), .. } => {
                    self.document.is_unsaved |= is_current && what == Saving::All;
                    self.tell(format!("{why:#}"), true);
                }
                Outcome::Audited(audited) => {
                    self.polling.found = Some(audited);
                    self.polling.is_busy = false;
                }
                Outcome::Agreed(agreed) => self.agreed(*agreed),
                Outcome::WentWrong(session, (from, way)) => self.went_wrong(*session, from, way),
                Outcome::Retuned(session, from) => self.retuned(*session, from),
                Outcome::Measured(measured) => {
                    self.measuring.found = Some(measured);
                    self.measuring.is_busy = false;
                }
                Outcome::Drawn(path, Ok(())) => {
                    self.tell(format!("drawn to {}", path.display()), false);
                }
                Outcome::Drawn(_, Err(why)) => self.tell(format!("{why:#}"), true),
                Outcome::Kept(Ok(())) => {}
                Outcome::Kept(Err(why)) => self.tell(format!("{why:#}"), true),
                Outcome::RigChanged(changed) => self.rig_changed(*changed),
                Outcome::Opened(Err(why)) => self.tell(format!("{why:#}"), true),
                Outcome::Opened(Ok(opened)) => self.replace_with(*opened, None),
                Outcome::OpenedPart(Err(why), _) => self.tell(format!("{why:#}"), true),
                Outcome::OpenedPart(Ok(begun), at) => self.show_part(*begun, at),
                Outcome::OpenedStory(Err(why)) => self.tell(format!("{why:#}"), true),
                Outcome::OpenedStory(Ok(story)) => {
                    let (opened, source) = *story;
                    self.replace_with(opened, Some(source));
                }
            }
        }
    }

    /// Ends the recording and waits for saves that are still being written, so that none is cut off
    /// by the end of the program. Returns what went wrong with them.
    pub(crate) fn finish_saving(&mut self) -> Vec<String> {
        let mut failures = Vec::new();
        failures.extend(self.document.stop_recording().err().map(|why| format!("{why:#}")));
        failures.extend(self.jobs.finish());
        failures
    }

    /// Shows another take instead of what was there. What the person set up
    /// about the view stays, and so does the rig, unless the take brings its own.
    pub(super) fn replace_with(&mut self, opened: Opened, rig: Option<RigSource>) {
        self.replace_by(App::take(opened, self.theme), rig);
    }

    /// The same, of what is ready to be shown.
    pub(super) fn replace_by(&mut self, mut next: App, rig: Option<RigSource>) {
        let now = self.now;
        (next.now, next.bench, next.tour) = (now, self.bench, self.tour_in_next());
        next.tuning = match rig {
            None => self.tuning.for_another_take(),
            Some(source) => Tuning::of(source),
        };
        next.keymap = Arc::clone(&self.keymap);
        next.arranging = std::mem::take(&mut self.arranging);
        next.jobs = std::mem::take(&mut self.jobs);
        next.jobs.begin_document();
        let view = std::mem::take(&mut self.view);
        *self = next;
        self.view.lay_out_like(&view);
        self.watch_rig();
        (self.bench.entry().shown)(self);
        // The notice was timed by a clock that stood at zero.
        if let Some(notice) = &mut self.notice {
            notice.until = Nanos(now.0 + NOTICE_TIME.0);
        }
    }
}
