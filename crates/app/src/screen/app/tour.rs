//! A short tour through one story. It drives the real program: a step is done when what it
//! asks for was done, by whatever way.

use super::App;
use crate::screen::{bench::Bench, keymap::Command};
use gtrig_core::{LaneMarks, Tick};
use gtrig_sources::Story;

/// Where somebody is in the tour.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Tour {
    /// Its story is being opened.
    Opening,
    /// At a step.
    At {
        step: usize,
        /// Where the playhead was when the step began.
        from: Tick,
    },
}

/// A step of the tour.
struct Step {
    words: fn(&App) -> String,
    is_done: fn(&App, Tick) -> bool,
}

/// The steps, in order; the last is never done, and ends by leaving.
const STEPS: [Step; 9] = [
    Step {
        words: |app| {
            let [back, on] = [Command::Step(-1), Command::Step(1)].map(|it| app.key_of(it));
            format!(
                "This is a take: what a pad reported for three seconds, polled 30 times a second as a \
                 game would. Each column is a tick. Go from tick to tick with {back} and {on}."
            )
        },
        is_done: |app, from| app.tick() != from,
    },
    Step {
        words: |app| {
            let lost = app.key_of(Command::Lost(1));
            format!(
                "Somebody tapped for the horn, and it did not sound. Go to the press that was lost \
                 with {lost}."
            )
        },
        is_done: |app, from| app.tick() != from && app.is_on_lost_press(),
    },
    Step {
        words: |app| {
            let polling = app.key_of(Command::Bench(Bench::Polling));
            format!(
                "Below it says why: the tap began and ended between two polls. Would a faster loop \
                 have seen it? {polling} polls the same events at other rates."
            )
        },
        is_done: |app, _| app.bench == Bench::Polling,
    },
    Step {
        words: |app| {
            let board = app.key_of(Command::Bench(Bench::Board));
            format!(
                "Each row is a loop, with the presses that it loses. Go back to the board with \
                 {board}: it draws the way from every control to what it drives."
            )
        },
        is_done: |app, _| app.bench == Bench::Board,
    },
    Step {
        words: |app| {
            let [measure, next] = [Command::Measure, Command::Edge(1)].map(|it| app.key_of(it));
            format!(
                "How long is it until the next press? {measure} measures from here, and {next} goes \
                 to the next edge of the chosen lane."
            )
        },
        is_done: |app, _| app.measured().is_some_and(|[first, last]| first != last),
    },
    Step {
        words: |app| {
            let find = app.key_of(Command::Find);
            format!(
                "Anything can be found by a few letters. Type {find}, then \"slew dead\", then Enter: \
                 that is the dead zone of the stick that slews the crane."
            )
        },
        is_done: |app, _| {
            let place = app.knob().map(|knob| knob.place.to_string());
            app.bench == Bench::Tune && place.is_some_and(|place| place.contains("slew"))
        },
    },
    Step {
        words: |app| {
            let nudge = app.key_of(Command::Nudge(1));
            format!(
                "Nudge it up a few times with {nudge}. The whole take is run again at once, and what \
                 comes out differently is counted above."
            )
        },
        is_done: |app, _| app.unwritten() > 0,
    },
    Step {
        words: |app| format!("{} takes it back.", app.key_of(Command::Undo)),
        is_done: |app, _| app.unwritten() == 0,
    },
    Step {
        words: |app| {
            let commands = [Command::Help, Command::Find, Command::Stories, Command::Dismiss];
            let [help, find, stories, leave] = commands.map(|command| app.key_of(command));
            format!(
                "That was the tour. {help} has every key, {find} finds everything, {stories} opens \
                 the other stories. {leave} leaves."
            )
        },
        is_done: |_, _| false,
    },
];

impl App {
    /// Begins the tour, or skips a step of it.
    pub(super) fn begin_tour(&mut self) {
        match self.tour {
            Some(Tour::At { step, .. }) if step + 1 < STEPS.len() => self.go_to_step(step + 1),
            Some(_) => {}
            None => {
                if self.open_story(Story::LostTap) {
                    self.tour = Some(Tour::Opening);
                }
            }
        }
    }

    /// Begins the tour through the story that is shown.
    pub(in crate::screen) fn begin_with_tour(&mut self) {
        self.tour = Some(Tour::Opening);
    }

    /// Leaves the tour. Returns whether there was one.
    pub(super) fn end_tour(&mut self) -> bool {
        self.tour.take().is_some()
    }

    /// The tour in the take that takes the place of this one: its own story only.
    pub(super) fn tour_in_next(&self) -> Option<Tour> {
        self.tour.filter(|tour| *tour == Tour::Opening)
    }

    fn go_to_step(&mut self, step: usize) {
        self.tour = Some(Tour::At { step, from: self.tick() });
    }

    /// Goes on where a step is done.
    pub(super) fn follow_tour(&mut self) {
        match self.tour {
            Some(Tour::Opening) if self.document.is_take && !self.is_reading() => {
                // The story opens on the lost press, which is to be found.
                self.go_to(self.session().history().begins());
                self.go_to_step(0);
            }
            Some(Tour::At { step, from }) if (STEPS[step].is_done)(self, from) => {
                self.go_to_step(step + 1);
            }
            _ => {}
        }
    }

    /// What the tour says now: the number of the step, of how many, and its words.
    pub(crate) fn tour_in_words(&self) -> Option<(usize, usize, String)> {
        let Some(Tour::At { step, .. }) = self.tour else { return None };
        Some((step + 1, STEPS.len(), (STEPS[step].words)(self)))
    }

    /// Whether a press was lost at the playhead.
    fn is_on_lost_press(&self) -> bool {
        let tick = self.tick();
        self.searched_lanes().into_iter().any(|lane| {
            let here = self.log(lane).changes_after(tick.before()).next();
            here.is_some_and(|of| of.tick == tick && of.marks.contains(LaneMarks::LOST))
        })
    }
}
