//! Looks for the cause of every difference: the mistake that explains it.

use super::{
    Held, Span,
    causes::Cause,
    mistakes::{Mistake, What},
    reading::{Otherwise, Reading},
    road::{Heard, Road},
    rows::{Compared, Row, Rows},
};
use alloc::{vec, vec::Vec};
use gtrig_core::{ActionState, ControlId, DeviceId, Gives, Nanos, Part, Plan};

/// Looks for causes.
pub(super) struct Explainer<'a> {
    pub(super) held: Held<'a>,
    /// What the devices said.
    pub(super) said: &'a Heard,
    pub(super) rows: &'a Rows,
    pub(super) road: &'a Road<'a>,
    reading: &'a Reading,
    /// What comes out of what the game read at the first and at the last poll.
    as_read: Option<Vec<Vec<f64>>>,
    as_read_last: Option<Vec<Vec<f64>>>,
}

impl<'a> Explainer<'a> {
    pub(super) fn new(
        held: Held<'a>,
        said: &'a Heard,
        rows: &'a Rows,
        road: &'a Road<'a>,
        reading: &'a Reading,
    ) -> Self {
        let series = |heard: &Heard| road.series(held.rig, heard, &rows.compared);
        let as_read = reading.is_known().then(|| series(&reading.first));
        let as_read_last = reading.last.as_ref().map(series);
        Explainer { held, said, rows, road, reading, as_read, as_read_last }
    }

    /// The cause of each span in which a value differs.
    pub(super) fn explain(&self, value: usize, ours: &[f64], spans: &[Span]) -> Vec<Cause> {
        let mut causes: Vec<Option<Cause>> = vec![None; spans.len()];
        self.explain_by_reading(value, spans, &mut causes);
        if causes.iter().all(Option::is_some) {
            return causes.into_iter().flatten().collect();
        }
        let of = &self.rows.compared[value];
        let base = self.as_read.as_ref().map_or(ours, |series| &series[value]);
        let (feeders, course) = (self.feeders(of), self.course(of));
        let at = At { of, base, feeders: &feeders, course: &course };
        let open = |causes: &[Option<Cause>]| -> Vec<Span> {
            let left = spans.iter().zip(causes).filter(|(_, cause)| cause.is_none());
            left.map(|(span, _)| *span).collect()
        };
        let mistakes = self.mistakes(at, ours, &open(&causes));
        // Which spans each explains, of those that are left.
        let fits: Vec<Vec<bool>> = mistakes
            .iter()
            .map(|mistake| {
                let spans = spans.iter().zip(&causes);
                spans.map(|(span, cause)| cause.is_none() && self.fits(at, mistake, span)).collect()
            })
            .collect();
        loop {
            let explained = |fits: &[bool]| {
                fits.iter().zip(&causes).filter(|(fits, cause)| **fits && cause.is_none()).count()
            };
            // Of those that explain as many, the first.
            let best = mistakes.iter().zip(&fits).map(|(what, fits)| (explained(fits), what, fits));
            let best = best.rev().max_by_key(|(count, ..)| *count).filter(|(count, ..)| *count > 0);
            let Some((_, mistake, fits)) = best else { break };
            for ((cause, fits), span) in causes.iter_mut().zip(fits).zip(spans) {
                if *fits && cause.is_none() {
                    *cause = Some(self.told(at, &mistake.what, span));
                }
            }
        }
        causes.into_iter().map(|cause| cause.unwrap_or(Cause::Unknown)).collect()
    }

    fn explain_by_reading(&self, value: usize, spans: &[Span], causes: &mut [Option<Cause>]) {
        let of = &self.rows.compared[value];
        let feeders = self.feeders(of);
        for series in [&self.as_read, &self.as_read_last].into_iter().flatten() {
            for (span, cause) in spans.iter().zip(&mut *causes) {
                if cause.is_none() && self.is_explained(of, &series[value], span) {
                    *cause = self.read_otherwise(&feeders, span);
                }
            }
        }
    }

    /// What was read otherwise that the value of a span is made of.
    fn read_otherwise(&self, feeders: &[ControlId], span: &Span) -> Option<Cause> {
        let from = span.first.saturating_sub(1);
        let otherwise = &self.reading.otherwise;
        let begin = otherwise.partition_point(|other| other.row < from);
        let near = otherwise[begin..].iter().take_while(|other| other.row <= span.last);
        let of = |other: &&Otherwise| feeders.contains(&other.control);
        // What is told is how late it was at the worst.
        let worst = |other: &&Otherwise| (other.kind.late(), other.row == span.first);
        if let Some(other) = near.clone().filter(of).max_by_key(worst) {
            return Some(Cause::Read { control: other.control, kind: other.kind });
        }
        if let Some(between) = self.between(feeders, span.first) {
            return Some(between);
        }
        // What a combo or a toggle came to may be of long before.
        let earlier = otherwise[..begin].iter().rev().find(of);
        // And which device counts may be decided by any control.
        let other = earlier.or_else(|| near.max_by_key(worst))?;
        Some(Cause::Read { control: other.control, kind: other.kind })
    }

    /// The controls that drive an action, and those of actions that bear on it: that open and
    /// close it, or switch its modes.
    fn feeders(&self, of: &Compared) -> Vec<ControlId> {
        let plan = Plan::bind(self.held.rig, self.held.roster);
        let parts = self.held.rig.parts_of(of.target.action);
        let actions = parts.into_iter().filter_map(|(part, _)| match part {
            Part::Action(action) => Some(action),
            _ => None,
        });
        actions.flat_map(|action| plan.feeders(action).collect::<Vec<_>>()).collect()
    }

    /// How the action of a value went by what the game read.
    fn course(&self, of: &Compared) -> Course {
        let mut course = Course::default();
        let mut was = ActionState::IDLE;
        self.road.run(self.held.rig, self.heard(), self.rows.list.len(), |_, machine| {
            let now = machine.action(of.target.action);
            let again = now.is_active() && of.gives == Gives::Pulse;
            course.turned_on.push(now.is_active() && (!was.is_active() || again));
            course.turned_off.push(was.is_active() && !now.is_active());
            let device = |control| self.held.roster.control(control).device;
            course.drivers.push(now.driver.map(device));
            was = now;
        });
        course
    }

    /// What the game heard.
    pub(super) fn heard(&self) -> &Heard {
        if self.reading.is_known() { &self.reading.first } else { self.said }
    }

    /// Whether with a mistake all is as the game gave it, in a span and in the compared
    /// rows beside it.
    pub(super) fn is_explained(&self, of: &Compared, series: &[f64], span: &Span) -> bool {
        let is_compared = |row: &usize| !of.theirs[*row].is_nan();
        let begins = |row: &usize| self.rows.list[*row].begins();
        let before = (0..span.first).rev().take_while(|row| !begins(&(row + 1))).find(is_compared);
        let after = (span.last + 1..series.len()).take_while(|row| !begins(row)).find(is_compared);
        let beside = [before, after].into_iter().flatten();
        self.is_explained_within(of, series, span)
            && beside.into_iter().all(|row| !self.rows.differs(of, series, row))
    }

    /// The same in the rows of the span alone.
    pub(super) fn is_explained_within(&self, of: &Compared, series: &[f64], span: &Span) -> bool {
        span.last < series.len()
            && (span.first..=span.last).all(|row| !self.rows.differs(of, series, row))
    }

    /// Whether a mistake explains a span: all is as the game gave it, and what the mistake is about
    /// happened there. One that comes and goes need not be there beside it.
    fn fits(&self, at: At, mistake: &Mistake, span: &Span) -> bool {
        let is_explained = || self.is_explained(at.of, &mistake.series, span);
        match mistake.what {
            What::Follows(_) => {
                self.is_explained_within(at.of, &mistake.series, span)
                    && self.follows_one(at.of, span)
            }
            What::OnlyPolls => is_explained() && self.last_between(at.feeders, span).is_some(),
            What::ReadsInEachStep => is_explained() && self.step_of(at, span).is_some(),
            What::Told(_) | What::PerFrame(_) => is_explained(),
        }
    }

    /// Whether a value can follow a device there: it is of the main device, or it is not
    /// at rest, which any device gives that does nothing.
    fn follows_one(&self, of: &Compared, span: &Span) -> bool {
        self.held.rig.actions[of.target.action.index()].main_only
            || (span.first..=span.last).any(|row| !self.rows.is_at_rest(of, row))
    }

    /// A mistake as it is told of a span that it explains: with what is known of that span alone.
    fn told(&self, at: At, what: &What, span: &Span) -> Cause {
        match what {
            What::Told(cause) => cause.clone(),
            What::OnlyPolls => self.last_between(at.feeders, span).unwrap_or(Cause::Unknown),
            What::ReadsInEachStep => self.step_of(at, span).unwrap_or(Cause::Unknown),
            What::Follows(theirs) => {
                // The one in the middle of the span.
                let ours = at.course.drivers[usize::midpoint(span.first, span.last)];
                Cause::OtherDevice { ours, theirs: *theirs }
            }
            What::PerFrame(seconds) => {
                let rows = &self.rows.list[span.first..=span.last];
                let lasted = |row: &Row| Nanos(libm::round(row.seconds * 1e9) as u64);
                let shortest = rows.iter().map(lasted).min().unwrap_or_default();
                let longest = rows.iter().map(lasted).max().unwrap_or_default();
                Cause::PerFrame { seconds: *seconds, lasted: [shortest, longest] }
            }
        }
    }

    /// A button that moved and moved back last before a span: a release that was caught is shown at
    /// one poll, and the press after it at the next; and what happens waits for a frame with a step.
    fn last_between(&self, feeders: &[ControlId], span: &Span) -> Option<Cause> {
        let begun = (0..=span.first).rev().find(|&row| self.rows.list[row].begins());
        (begun.unwrap_or(0)..=span.first).rev().find_map(|row| self.between(feeders, row))
    }

    /// A button that moved and moved back before the first poll of a row.
    fn between(&self, feeders: &[ControlId], row: usize) -> Option<Cause> {
        let after = self.rows.list[row.saturating_sub(1)].polled[0];
        let until = self.rows.list[row].polled[0];
        let found = self.reading.between(self.held, feeders, (after, until));
        found.map(|(control, moved, back)| Cause::Between { control, moved, back })
    }

    /// The frame of the event that a span is about, which ran no step or several.
    fn step_of(&self, at: At, span: &Span) -> Option<Cause> {
        let Course { turned_on, turned_off, .. } = at.course;
        let found = (0..=span.first).rev().find_map(|row| {
            let steps = self.rows.list[row].steps.filter(|steps| *steps != 1)?;
            (turned_on[row] || turned_off[row]).then_some((row, steps))
        });
        found.map(|(row, steps)| match steps {
            0 => Cause::StepLost(self.rows.at(row)),
            _ => Cause::StepRepeated(self.rows.at(row), steps),
        })
    }
}

/// The value that is looked at.
#[derive(Clone, Copy)]
pub(super) struct At<'s> {
    pub(super) of: &'s Compared,
    /// What the rig makes of what the game read.
    pub(super) base: &'s [f64],
    /// What can drive it.
    pub(super) feeders: &'s [ControlId],
    pub(super) course: &'s Course,
}

/// How an action went, row by row.
#[derive(Debug, Default)]
pub(super) struct Course {
    pub(super) turned_on: Vec<bool>,
    pub(super) turned_off: Vec<bool>,
    drivers: Vec<Option<DeviceId>>,
}
