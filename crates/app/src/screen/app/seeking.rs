//! Looking along time for where something happened.

use super::App;
use crate::screen::{
    keymap::Command,
    view::{Lane, lane_name},
};
use gtrig_analysis::{Change, ladder::ComboAttemptOutcome};
use gtrig_core::{ActionId, BoundInput, ControlId, LaneMarks, Tick};

/// What is looked for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Sought {
    /// A change of a digital lane; on an analogue one leaving rest, coming back to it, or
    /// passing half of the travel.
    #[default]
    Edge,
    /// It went on, or left its rest.
    Fired,
    /// A gesture or a combo of it nearly fired.
    Near,
    /// A press of it was lost.
    Lost,
    /// It came out otherwise than before the nudges, or than in the game.
    Differed,
}

impl Sought {
    pub(crate) const ALL: [Sought; 5] =
        [Sought::Fired, Sought::Near, Sought::Lost, Sought::Differed, Sought::Edge];

    pub(crate) const fn words(self) -> &'static str {
        match self {
            Sought::Edge => "edge",
            Sought::Fired => "fired",
            Sought::Near => "nearly fired",
            Sought::Lost => "lost press",
            Sought::Differed => "came out different",
        }
    }
}

/// What is looked for, and where.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Search {
    pub(crate) what: Sought,
    pub(crate) place: SearchPlace,
}

/// Where something is looked for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum SearchPlace {
    #[default]
    ChosenLane,
    AnyLane,
}

impl Search {
    pub(crate) const LOST: Search = Search { what: Sought::Lost, place: SearchPlace::AnyLane };

    pub(crate) fn words(self) -> String {
        let place = match self.place {
            SearchPlace::ChosenLane => "chosen",
            SearchPlace::AnyLane => "any",
        };
        format!("{} on {place} lane", self.what.words())
    }
}

/// The one of these ticks that comes next after a tick, or before it.
fn nearest(ticks: impl Iterator<Item = Tick>, from: Tick, way: i32) -> Option<Tick> {
    match way > 0 {
        true => ticks.filter(|tick| *tick > from).min(),
        false => ticks.filter(|tick| *tick < from).max(),
    }
}

impl App {
    /// Looks for something else from now on, and goes to the next.
    pub(super) fn look_for(&mut self, search: Search) {
        self.view.search = search;
        self.go_on_looking(1);
    }

    /// Puts the playhead on the next place of what is looked for, or the one before.
    pub(super) fn go_on_looking(&mut self, way: i32) {
        self.jump_to(self.view.search, way);
    }

    /// Puts the playhead on the next place of something, or the one before, and chooses
    /// its lane.
    pub(super) fn jump_to(&mut self, search: Search, way: i32) {
        let here = self.tick();
        let lanes = match search.place {
            SearchPlace::ChosenLane => self.lane().into_iter().collect(),
            SearchPlace::AnyLane => self.lanes_with(search.what),
        };
        let found = lanes
            .into_iter()
            .filter_map(|lane| Some((self.nearest_on(lane, search.what, here, way)?, lane)));
        // Of several at one tick the first lane.
        let found = match way > 0 {
            true => found.min_by_key(|(tick, _)| *tick),
            false => found.min_by_key(|(tick, _)| std::cmp::Reverse(*tick)),
        };
        match found {
            Some((tick, lane)) => {
                self.pick(lane);
                self.go_to(tick);
            }
            None => {
                let side = if way > 0 { "after" } else { "before" };
                let place = match (search.place, self.lane()) {
                    (SearchPlace::ChosenLane, Some(lane)) => lane_name(self.session(), lane),
                    _ => "any lane".to_owned(),
                };
                let elsewhere = self.key_of(Command::Look);
                self.tell(
                    format!(
                        "{} on {place}: none {side} this tick; {elsewhere} looks for something else",
                        search.what.words()
                    ),
                    false,
                );
            }
        }
    }

    /// The lanes on which something can be looked for, each thing on one kind of lane: an
    /// action wears what its controls do.
    fn lanes_with(&self, what: Sought) -> Vec<Lane> {
        let mut lanes = self.searched_lanes();
        lanes.retain(|lane| match what {
            Sought::Edge | Sought::Differed => true,
            Sought::Fired => !matches!(lane, Lane::Control(_)),
            Sought::Near => matches!(lane, Lane::Gesture(_) | Lane::Combo(_)),
            Sought::Lost => matches!(lane, Lane::Control(_)),
        });
        lanes
    }

    fn nearest_on(&self, lane: Lane, what: Sought, from: Tick, way: i32) -> Option<Tick> {
        match what {
            Sought::Edge => self.nearest_change(lane, from, way, |was, change| {
                let region = |value: f32| (value == 0.0, value.abs() >= 0.5, value < 0.0);
                self.is_digital(lane)
                    || !change.marks.is_empty()
                    || region(was) != region(change.value)
            }),
            Sought::Fired => self.nearest_change(lane, from, way, |was, change| {
                // A gesture that is tried has half of the value.
                let is_on = |value: f32| match lane {
                    Lane::Gesture(_) => value == 1.0,
                    _ => value != 0.0,
                };
                is_on(change.value) && !is_on(was)
            }),
            Sought::Lost => {
                let lost = |control| {
                    let is_lost = |_, change: Change| change.marks.contains(LaneMarks::LOST);
                    self.nearest_change(Lane::Control(control), from, way, is_lost)
                };
                nearest(self.controls_of(lane).into_iter().filter_map(lost), from, way)
            }
            Sought::Near => {
                let of_lane = |lane| match lane {
                    Lane::Combo(combo) => {
                        let attempts = self.ladder(combo)?.attempts().iter();
                        let near = attempts.filter(|a| a.outcome == ComboAttemptOutcome::Near);
                        nearest(near.map(|attempt| self.end_tick(attempt)), from, way)
                    }
                    lane => self.nearest_change(lane, from, way, |_, change| {
                        change.marks.contains(LaneMarks::NEAR)
                    }),
                };
                nearest(self.recognisers_of(lane).into_iter().filter_map(of_lane), from, way)
            }
            Sought::Differed => {
                let rate = self.session().plan().rate();
                let seen = |time| rate.tick_seeing(time);
                let nudged = self.tuning.differences.iter().filter(|of| match lane {
                    Lane::Action(action, _) => of.action == action,
                    _ => false,
                });
                let in_game = self.game_differences_on(lane);
                nearest(nudged.map(|of| seen(of.from)).chain(in_game.map(seen)), from, way)
            }
        }
    }

    /// The nearest change of a lane that is one by what it was before it and what it is.
    fn nearest_change(
        &self,
        lane: Lane,
        from: Tick,
        way: i32,
        is_it: impl Fn(f32, Change) -> bool,
    ) -> Option<Tick> {
        let log = self.log(lane);
        let found = match way > 0 {
            true => {
                let mut last = log.value_at(from);
                log.changes_after(from)
                    .find(|change| is_it(std::mem::replace(&mut last, change.value), *change))
            }
            false => log
                .changes_before(from)
                .find(|change| is_it(log.value_at(change.tick.before()), *change)),
        };
        found.map(|change| change.tick)
    }

    /// The control of a lane, or those that feed its action.
    fn controls_of(&self, lane: Lane) -> Vec<ControlId> {
        let plan = self.session().plan();
        match lane {
            Lane::Control(control) => vec![control],
            Lane::Action(action, _) => {
                let all = (0..plan.control_count() as u16).map(ControlId);
                all.filter(|&control| plan.fed_by(control).contains(&action)).collect()
            }
            Lane::Gesture(_) | Lane::Combo(_) => Vec::new(),
        }
    }

    /// Whether an action is driven by the gesture or the combo of a lane.
    pub(super) fn recognises(&self, action: ActionId, lane: Lane) -> bool {
        self.recognisers_of(Lane::Action(action, 0)).contains(&lane)
    }

    /// The gesture or the combo of a lane, or those that drive its action.
    fn recognisers_of(&self, lane: Lane) -> Vec<Lane> {
        let of_input = |input: &BoundInput| match input {
            BoundInput::Gesture { gesture, .. } => Some(Lane::Gesture(*gesture)),
            BoundInput::Combo(combo) => Some(Lane::Combo(*combo)),
            _ => None,
        };
        match lane {
            Lane::Action(action, _) => {
                self.session().plan().inputs(action).iter().filter_map(of_input).collect()
            }
            lane => vec![lane],
        }
    }
}
