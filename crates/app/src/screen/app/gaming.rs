//! A game that says what its frames came to, held against the rig.

use super::App;
use crate::screen::{bench::Bench, jobs::Agreed, view::Lane};
use crossterm::event::{MouseButton, MouseEvent, MouseEventKind};
use gtrig_analysis::{
    agree::{self, Difference, ReadDifference},
    frames::GameId,
};
use gtrig_core::{Aspect, GameTarget, Nanos, Rig};
use gtrig_formats::words::{difference_words, read_difference_words};
use std::time::Duration;

/// While a game plays it is held against the rig again, at most this often,
const LEAST: Duration = Duration::from_secs(1);

/// and so much less often than that takes that other studies have room.
const SHARE: u32 = 8;

/// What the game bench knows.
#[derive(Debug, Default)]
pub(crate) struct Gaming {
    /// How the game agrees, once that is known.
    pub(crate) found: Option<Box<Agreed>>,
    /// Whether a thread finds out.
    pub(crate) is_busy: bool,
    /// The rig has changed since.
    is_old: bool,
    /// When it was found out.
    known_at: Nanos,
    /// The place that is chosen; see [`Gaming::place`].
    pub(crate) chosen: usize,
}

/// A place at which something differs.
#[derive(Clone, Copy, Debug)]
pub(crate) enum GamePlace<'a> {
    /// A value of the game.
    Value(&'a Difference),
    /// What the game read.
    Read(&'a ReadDifference),
}

impl GamePlace<'_> {
    pub(crate) fn polled(self) -> Nanos {
        match self {
            GamePlace::Value(of) => of.first.polled,
            GamePlace::Read(of) => of.first.polled,
        }
    }
}

impl Gaming {
    /// The rig has changed: how the game agrees is found out again.
    pub(super) fn forget(&mut self) {
        self.is_old = true;
    }

    /// At how many places something differs.
    pub(crate) fn place_count(&self) -> usize {
        self.found
            .as_ref()
            .map_or(0, |agreed| agreed.found.differences.len() + agreed.found.reads.len())
    }

    /// A place at which something differs: those of values come first.
    pub(crate) fn place(&self, at: usize) -> Option<GamePlace<'_>> {
        let found = &self.found.as_ref()?.found;
        let of_reads = || found.reads.get(at - found.differences.len()).map(GamePlace::Read);
        found.differences.get(at).map(GamePlace::Value).or_else(of_reads)
    }
}

impl App {
    /// The game that spoke last.
    pub(crate) fn game(&self) -> Option<GameId> {
        self.session().frames().last().map(|frame| frame.game)
    }

    /// Finds out how the game agrees, unless it is known or nothing is new.
    pub(in crate::screen) fn follow_game(&mut self) {
        let Some(game) = self.game().filter(|_| !self.gaming.is_busy) else { return };
        let is_due = match &self.gaming.found {
            None => true,
            Some(_) if self.gaming.is_old => true,
            Some(agreed) => {
                let pause = LEAST.max(agreed.took * SHARE);
                let waited = Duration::from_nanos(self.now.0 - self.gaming.known_at.0);
                agreed.said < self.session().frames().said() && waited >= pause
            }
        };
        if is_due {
            self.gaming.is_busy = true;
            self.gaming.is_old = false;
            self.jobs.agree(&self.document.session, game);
        }
    }

    /// It is known how the game agrees.
    pub(super) fn agreed(&mut self, agreed: Agreed) {
        self.gaming.known_at = self.now;
        self.gaming.found = Some(Box::new(agreed));
        self.gaming.is_busy = false;
        self.gaming.chosen = self.gaming.chosen.min(self.gaming.place_count().saturating_sub(1));
    }

    /// The value of the game that a lane shows, with all that is known of the game.
    pub(crate) fn game_value_of(&self, lane: Lane) -> Option<(&Agreed, usize)> {
        let agreed = self.gaming.found.as_deref()?;
        let Lane::Action(action, axis) = lane else { return None };
        // Another rig may be in force by now, with other actions.
        let name = |rig: &Rig| Some(rig.actions.get(action.index())?.name.clone());
        if name(&agreed.rig) != name(self.session().rig()) {
            return None;
        }
        let rank = |target: &GameTarget| match target.aspect {
            Aspect::X | Aspect::Y => 0,
            Aspect::MovedX | Aspect::MovedY => 1,
            Aspect::Pressed => 2,
            Aspect::Released => 3,
        };
        let values = agreed.found.values.iter().enumerate();
        let of_lane = values.filter_map(|(at, value)| {
            let target = value.target.filter(|target| {
                target.action == action && usize::from(target.aspect.is_second()) == axis
            })?;
            Some((rank(&target), at))
        });
        of_lane.min().map(|(_, at)| (agreed, at))
    }

    /// How what the game made of a lane, or read of it, differs under the playhead.
    pub(crate) fn difference_here(&self, lane: Lane) -> Option<String> {
        let session = self.session();
        let now = session.plan().rate().time_of(self.tick());
        let agreed = self.gaming.found.as_deref()?;
        let found = &agreed.found;
        let tick = |time: Nanos| session.plan().rate().tick_seeing(time);
        let is_here = |first: Nanos, last: Nanos| (tick(first)..=tick(last)).contains(&tick(now));
        if let Lane::Control(id) = lane {
            let mut reads = found.reads.iter().filter(|of| of.control == id);
            let here = reads.find(|of| is_here(of.first.polled, of.last.polled))?;
            return Some(format!("{}.", read_difference_words(session.roster(), here)));
        }
        let (_, value) = self.game_value_of(lane)?;
        let mut differences = found.differences.iter().filter(|of| of.value == value);
        let here = differences.find(|of| is_here(of.first.polled, of.last.polled))?;
        let name = agree::name_of(session.frames(), &found.values[value]);
        let words = difference_words(&agreed.rig, session.roster(), name.as_str(), here);
        Some(format!("{words}."))
    }

    /// When what the game made of a lane, or read of it, begins to differ.
    pub(super) fn game_differences_on(&self, lane: Lane) -> impl Iterator<Item = Nanos> {
        let agreed = self.gaming.found.as_deref();
        let value = self.game_value_of(lane).map(|(_, value)| value);
        let values = agreed.into_iter().flat_map(|agreed| &agreed.found.differences);
        let reads = agreed.into_iter().flat_map(|agreed| &agreed.found.reads);
        let values = values.filter(move |of| Some(of.value) == value);
        let reads = reads.filter(move |of| Lane::Control(of.control) == lane);
        values.map(|of| of.first.polled).chain(reads.map(|of| of.first.polled))
    }

    /// Puts the playhead on the next place at which something differs, or the one before,
    /// and chooses its lane.
    pub(in crate::screen) fn next_game_place(&mut self, by: i32) {
        let (count, chosen) = (self.gaming.place_count(), self.gaming.chosen);
        let Some(place) = self.gaming.place(chosen) else { return };
        let here = self.session().plan().rate().tick_seeing(place.polled());
        // The first time it goes to the chosen one.
        let at = match self.view.is_live() || self.tick() != here {
            true => chosen,
            false => (chosen as i64 + i64::from(by)).rem_euclid(count as i64) as usize,
        };
        self.go_to_game_place(at);
    }

    fn go_to_game_place(&mut self, at: usize) {
        let Some(place) = self.gaming.place(at) else { return };
        let lane = match place {
            GamePlace::Read(of) => Some(Lane::Control(of.control)),
            GamePlace::Value(of) => self.gaming.found.as_ref().and_then(|agreed| {
                let target = agreed.found.values[of.value].target?;
                Some(Lane::Action(target.action, usize::from(target.aspect.is_second())))
            }),
        };
        let tick = self.session().plan().rate().tick_seeing(place.polled());
        self.gaming.chosen = at;
        self.view.chosen = lane.or(self.view.chosen);
        self.go_to(tick);
    }

    /// A click on a place puts the playhead there, and the wheel goes from place to place.
    pub(in crate::screen) fn game_mouse(&mut self, mouse: &MouseEvent) -> bool {
        let area = self.view.hit.places;
        if self.bench != Bench::Game || !area.contains((mouse.column, mouse.row).into()) {
            return false;
        }
        match mouse.kind {
            MouseEventKind::Down(MouseButton::Left) => {
                let row = usize::from(mouse.row - area.y);
                self.go_to_game_place(self.first_game_place(area.height.into()) + row);
            }
            MouseEventKind::ScrollUp => self.next_game_place(-1),
            MouseEventKind::ScrollDown => self.next_game_place(1),
            _ => return false,
        }
        true
    }

    /// The place in the first of so many rows: the chosen one stands a third from the top.
    pub(crate) fn first_game_place(&self, rows: usize) -> usize {
        let count = self.gaming.place_count();
        self.gaming.chosen.saturating_sub(rows / 3).min(count.saturating_sub(rows))
    }
}
