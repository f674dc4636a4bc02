//! How a person arranges the lanes: pins, order, what is hidden.

use super::App;
use crate::screen::{
    keymap::Command,
    view::{Lane, lane_name},
};
use gtrig_core::ActionId;
use gtrig_formats::arrangement::{Arrangement, Arrangements};
use std::path::PathBuf;

/// The arrangement of the lanes of this rig, and those of all others.
#[derive(Debug, Default)]
pub(crate) struct Arranging {
    all: Arrangements,
    /// Where they are kept; nowhere without one.
    path: Option<PathBuf>,
    /// That of the rig in force, and its name.
    now: Arrangement,
    of: String,
}

impl Arranging {
    /// Those that were kept there.
    pub(in crate::screen) fn kept(all: Arrangements, path: Option<PathBuf>) -> Self {
        Arranging { all, path, ..Arranging::default() }
    }

    /// Another rig may be in force.
    fn follow(&mut self, rig: &str) {
        if self.of != rig {
            self.of = rig.to_owned();
            self.now = self.all.of(rig);
        }
    }
}

impl App {
    /// Arranges lanes as they were, and keeps how they are.
    pub(in crate::screen) fn arrange(&mut self, arranging: Arranging) {
        self.arranging = arranging;
    }

    pub(super) fn follow_arrangement(&mut self) {
        let rig = self.document.session.rig().name.as_str();
        self.arranging.follow(rig);
    }

    /// How many lanes of those that could be shown are hidden by hand.
    pub(crate) fn hidden_count(&self) -> usize {
        if !self.view.filter.is_empty() || self.arranging.now.is_empty() {
            return 0;
        }
        let all = crate::screen::view::lanes(self.session(), "");
        all.len() - self.arranged(all.clone()).len()
    }

    pub(crate) fn is_pinned(&self, lane: Lane) -> bool {
        let pinned = &self.arranging.now.pinned;
        !pinned.is_empty() && pinned.contains(&lane_name(self.session(), lane))
    }

    /// Whether what feeds the action of a lane is gathered in it.
    pub(crate) fn is_gathered(&self, lane: Lane) -> bool {
        let Lane::Action(id, _) = lane else { return false };
        let gathered = &self.arranging.now.gathered;
        !gathered.is_empty() && gathered.contains(&self.session().rig().actions[id.index()].name)
    }

    /// Lanes in the order of the rig, as a person arranged them.
    pub(super) fn arranged(&self, lanes: Vec<Lane>) -> Vec<Lane> {
        let now = &self.arranging.now;
        if now.is_empty() {
            return lanes;
        }
        let session = self.session();
        let is_on_hidden_device = |lane: Lane| match lane {
            Lane::Control(id) => {
                let label = session.roster().device_of(id).label().to_string();
                now.hidden_devices.contains(&label)
            }
            _ => false,
        };
        let is_in_gathered = |lane: Lane| match lane {
            Lane::Action(..) => false,
            lane => self.action_of(lane).is_some_and(|id| self.is_gathered(Lane::Action(id, 0))),
        };
        let mut named: Vec<(Lane, String)> = Vec::with_capacity(lanes.len());
        for lane in lanes {
            let name = lane_name(session, lane);
            let is_hidden =
                now.hidden.contains(&name) || is_on_hidden_device(lane) || is_in_gathered(lane);
            // One that was gone to is shown, hidden or not.
            let is_wanted = now.pinned.contains(&name) || self.view.chosen == Some(lane);
            if !is_hidden || is_wanted {
                named.push((lane, name));
            }
        }
        let rank = |name: &String| {
            now.pinned.iter().position(|pinned| pinned == name).unwrap_or(usize::MAX)
        };
        named.sort_by_key(|(_, name)| rank(name));
        named.into_iter().map(|(lane, _)| lane).collect()
    }

    /// Pins the chosen lane, or takes its pin away.
    pub(super) fn turn_pin(&mut self) {
        if let Some(lane) = self.lane() {
            self.turn_pin_of(lane);
        }
    }

    pub(super) fn turn_pin_of(&mut self, lane: Lane) {
        let name = lane_name(self.session(), lane);
        self.pick(lane);
        self.arranging.now.turn_pin(&name);
        self.keep_arrangement();
    }

    /// Moves the chosen lane among those that are pinned.
    pub(super) fn move_lane(&mut self, by: i32) {
        let Some(lane) = self.lane() else { return };
        let name = lane_name(self.session(), lane);
        if !self.is_pinned(lane) {
            let pin = self.key_of(Command::Pin);
            self.tell(format!("only lanes that are pinned are moved: {pin} pins it"), false);
        } else if self.arranging.now.move_pin(&name, by) {
            self.keep_arrangement();
        }
    }

    pub(super) fn hide_lane(&mut self) {
        let Some(lane) = self.lane() else { return };
        let name = lane_name(self.session(), lane);
        self.choose_neighbour();
        self.arranging.now.hide(&name);
        self.keep_arrangement();
        self.tell_hidden(&name);
    }

    pub(super) fn hide_device(&mut self) {
        let Some(Lane::Control(id)) = self.lane() else {
            self.tell("this is no lane of a device".to_owned(), false);
            return;
        };
        let label = self.session().roster().device_of(id).label().to_string();
        self.arranging.now.hidden_devices.insert(label.clone());
        self.view.chosen = None;
        self.keep_arrangement();
        self.choose_first();
        self.tell_hidden(&format!("every lane of {label}"));
    }

    fn tell_hidden(&mut self, what: &str) {
        let shows = self.key_of(Command::ShowHidden);
        self.tell(format!("{what} is hidden from now on; {shows} shows all that is"), false);
    }

    /// The action below whose lane a lane stands: the first that it feeds.
    fn action_of(&self, lane: Lane) -> Option<ActionId> {
        match lane {
            Lane::Action(id, _) => Some(id),
            Lane::Control(id) => self.session().plan().fed_by(id).first().copied(),
            Lane::Gesture(_) | Lane::Combo(_) => {
                self.actions().find(|&id| self.recognises(id, lane))
            }
        }
    }

    /// Gathers what feeds the action of the chosen lane in it, or shows it again.
    pub(super) fn gather(&mut self) {
        let Some(lane) = self.lane() else { return };
        let Some(action) = self.action_of(lane) else {
            self.tell("this lane feeds no action".to_owned(), false);
            return;
        };
        let name = self.session().rig().actions[action.index()].name.clone();
        let gathered = &mut self.arranging.now.gathered;
        if !gathered.remove(&name) {
            gathered.insert(name);
            self.pick(Lane::Action(action, 0));
        }
        self.keep_arrangement();
    }

    /// Shows all that is hidden or gathered again; pins stay.
    pub(super) fn show_hidden(&mut self) {
        let pinned = std::mem::take(&mut self.arranging.now.pinned);
        self.arranging.now = Arrangement { pinned, ..Arrangement::default() };
        self.keep_arrangement();
    }

    /// Chooses the lane below the chosen one, or above the last; of the only one none.
    fn choose_neighbour(&mut self) {
        let was = self.lane();
        self.choose(1);
        if self.lane() == was {
            self.choose(-1);
        }
        if self.lane() == was {
            self.view.chosen = None;
        }
    }

    fn keep_arrangement(&mut self) {
        let Arranging { all, path, now, of } = &mut self.arranging;
        if all.set(of, now.clone())
            && let Some(path) = path
        {
            self.jobs.keep(path.clone(), all.text());
        }
    }
}
