//! Measuring the stick of the chosen lane, and letting the rig follow.

use super::App;
use crate::screen::{bench::Bench, jobs::Measured, keymap::Command};
use gtrig_analysis::measure::Proposal;
use gtrig_core::{Axes, BoundInput, Nanos, places_of};
use gtrig_formats::words::missing_words;

/// What the measuring bench and the stick bench know of sticks.
#[derive(Debug, Default)]
pub(crate) struct Measuring {
    /// What the stick of the chosen lane was measured to do.
    pub(crate) found: Option<Box<Measured>>,
    /// Whether a thread measures.
    pub(super) is_busy: bool,
    /// The stick that is laid over the one of the stick bench.
    pub(super) laid: Option<Axes>,
}

/// The axes of an input that can be measured: a pointer has no travel.
fn measurable(input: BoundInput) -> Option<Axes> {
    input.axes().filter(|_| !matches!(input, BoundInput::Pointer { .. }))
}

impl App {
    /// On its bench, measures the stick of the chosen lane, and again as more
    /// comes in.
    pub(in crate::screen) fn measure_if_due(&mut self) {
        if self.measuring.is_busy {
            return;
        }
        let Some(axes) = self.subject().and_then(|(_, _, input)| measurable(input)) else {
            return;
        };
        let second = self.session().plan().rate().tick_at(Nanos(1_000_000_000)).0;
        let is_known = self.measuring.found.as_ref().is_some_and(|measured| {
            measured.of == axes && self.last().0 < measured.until.0 + second
        });
        if !is_known {
            self.measuring.is_busy = true;
            self.jobs.measure(&self.document.session, axes);
        }
    }

    /// Calibrates the subject and sets its dead zone and its rim to what was
    /// measured.
    pub(super) fn take_proposal(&mut self) {
        let Some((action, nth, input)) = self.subject() else { return };
        let Some(axes) = measurable(input) else { return };
        // What was measured may be another stick's: that of the lane before.
        let Some(measured) = self.measuring.found.as_ref().filter(|measured| measured.of == axes)
        else {
            let measures = self.key_of(Command::Bench(Bench::Measure));
            self.tell(format!("this stick is not measured yet: {measures} does that"), true);
            return;
        };
        let Proposal {
            travel,
            dead_zone,
            uncalibrated_dead_zone,
            outer,
            uncalibrated_outer,
            snap_back_dead_zone: _,
        } = measured.proposal;
        let spec = self.session().plan().spec_of(action, nth);
        let was = self.wanted_rig().clone();
        let travel = [travel[0].ok(), travel[1].ok().filter(|_| !axes.is_single())];
        let is_known = travel[0].is_some() && (axes.is_single() || travel[1].is_some());
        let mut next = match is_known {
            true => was.calibrated(action, spec, travel),
            false => was.clone(),
        };
        let (zone, outer) = match is_known {
            true => (dead_zone, outer),
            false => (uncalibrated_dead_zone, uncalibrated_outer),
        };
        let places = places_of(&next, action, spec);
        for knob in next.knobs().into_iter().filter(|knob| places.contains(&knob.place)) {
            let proposed = match knob.tunable.name {
                "dead-zone" => zone,
                "outer" => outer,
                _ => continue,
            };
            if let Ok(value) = proposed {
                next = next.with(&knob.place, (f64::from(value) * 100.0).round() / 100.0);
            }
        }
        match (zone, next == was) {
            (Err(missing), _) => {
                self.tell(format!("not known yet: {}", missing_words(missing)), true);
            }
            (_, true) => self.tell("the rig says so already".to_owned(), false),
            (_, false) => {
                let Some(next) = self.as_written(next) else { return };
                self.tuning.redo.clear();
                self.turn_to(next, |tuning| &mut tuning.undo);
                let how = if is_known { "calibrated and set" } else { "set" };
                let [undo, write] = [Command::Undo, Command::WriteRig].map(|it| self.key_of(it));
                let text = format!("{how} to what was measured; {undo} undoes, {write} writes");
                self.tell(text, false);
            }
        }
    }
}
