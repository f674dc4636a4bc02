//! Measuring the stick of the chosen lane, and letting the rig follow.

use super::App;
use crate::screen::{jobs, view::Bench};
use gtrig_core::{ControlId, Input, InputSpec, Nanos, knobs::places_of};

/// The axes of an input that can be measured: x, and y if it has one.
fn measurable(input: Input) -> Option<(ControlId, Option<ControlId>)> {
    match input {
        Input::Stick { x, y, .. } => Some((x, Some(y))),
        Input::Axis { control, .. } => Some((control, None)),
        _ => None,
    }
}

impl App {
    /// On its bench, measures the stick of the chosen lane, and again as more
    /// comes in.
    pub(super) fn measure_if_due(&mut self) {
        if self.bench != Bench::Measure || self.is_measuring {
            return;
        }
        let Some(axes) = self.subject().and_then(|(_, _, input)| measurable(input)) else {
            return;
        };
        let second = self.session.plan().rate().tick_at(Nanos(1_000_000_000)).0;
        let is_known = self.measured.as_ref().is_some_and(|measured| {
            measured.of == axes.0 && self.last().0 < measured.until.0 + second
        });
        if !is_known {
            self.is_measuring = true;
            jobs::measure(&self.session, axes, self.jobs.0.clone());
        }
    }

    /// Sets the dead zone and the rim of the subject to what was measured.
    pub(super) fn take_proposal(&mut self) {
        let Some((action, nth, input)) = self.subject() else { return };
        let Some((x, _)) = measurable(input) else { return };
        // What was measured may be another stick's: that of the lane before.
        let Some(measured) = self.measured.as_ref().filter(|measured| measured.of == x) else {
            self.tell("this stick is not measured yet: 7 does that".to_owned(), true);
            return;
        };
        let proposal = &measured.proposal;
        let spec = self.session.plan().spec_of(action, nth);
        let was = self.wanted_rig().clone();
        let is_calibrated = match &was.actions[action.index()].inputs[spec] {
            InputSpec::Axis { shape, .. } | InputSpec::Stick { shape, .. } => {
                shape.of(&was).travel.iter().all(Option::is_some)
            }
            _ => false,
        };
        let outer = proposal.outer;
        let zone = match is_calibrated {
            true => proposal.dead_zone,
            false => proposal.uncalibrated_dead_zone,
        };
        let places = places_of(&was, action.index(), spec);
        let mut next = was.clone();
        for knob in was.knobs().into_iter().filter(|knob| places.contains(&knob.place)) {
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
            (Err(missing), _) => self.tell(format!("not known yet: {missing}"), true),
            (_, true) => self.tell("the rig says so already".to_owned(), false),
            (_, false) => {
                self.tuning.redo.clear();
                self.turn_to(next, |tuning| &mut tuning.undo);
                self.tell("set to what was measured; u undoes".to_owned(), false);
            }
        }
    }
}
