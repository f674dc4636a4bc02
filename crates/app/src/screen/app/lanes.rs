//! What the views ask of the application about lanes.

use super::App;
use crate::screen::bench::Bench;
use crate::screen::view::{Lane, lanes};
use gtrig_analysis::{Label, LaneLog, score, score::Score, stream::Trouble};
use gtrig_core::{ActionId, BoundInput, CleanText, ControlId, ControlKind, DeviceId, Tick};

impl App {
    pub(crate) fn lanes(&self) -> Vec<Lane> {
        let mut lanes = lanes(self.session(), &self.view.filter);
        // What the bench is about comes first.
        if let Some(is_about) = self.bench.entry().is_about {
            lanes.sort_by_key(|&lane| !is_about(self, lane));
        }
        lanes
    }

    /// Whether a lane is about a touch panel.
    pub(in crate::screen) fn is_touch(&self, lane: Lane) -> bool {
        let plan = self.session().plan();
        match lane {
            Lane::Combo(_) => false,
            Lane::Gesture(_) => true,
            Lane::Control(id) => plan.contacts_of(id).next().is_some(),
            Lane::Action(id, _) => plan.inputs(id).iter().any(|input| {
                matches!(
                    input,
                    BoundInput::Gesture { .. } | BoundInput::Zone { .. } | BoundInput::Place { .. }
                )
            }),
        }
    }

    /// Whether a lane is a combo, or an action that one drives or reads, or a button
    /// of one.
    pub(in crate::screen) fn is_timing(&self, lane: Lane) -> bool {
        let plan = self.session().plan();
        match lane {
            Lane::Combo(_) => true,
            Lane::Gesture(_) => false,
            Lane::Control(id) => plan.feeds_combos(id),
            Lane::Action(id, _) => {
                let is_combo = |input: &BoundInput| matches!(input, BoundInput::Combo(_));
                plan.inputs(id).iter().any(is_combo) || plan.combos_read(id)
            }
        }
    }

    /// How what was meant was understood, if any label says what was meant.
    pub(crate) fn score(&self) -> Option<Score> {
        let labels = self.session().labels();
        let says = |label: &Label| score::named(label.text.as_str()).is_some();
        labels
            .iter()
            .any(says)
            .then(|| score::score(self.session().rig(), labels, self.session().attempts().iter()))
    }

    pub(crate) fn log(&self, lane: Lane) -> &LaneLog {
        let history = self.session().history();
        match lane {
            Lane::Control(id) => history.control_lane(id),
            Lane::Action(id, axis) => &history.action_lanes(id)[axis],
            Lane::Gesture(n) => history.gesture_lane(n),
            Lane::Combo(n) => history.combo_lane(n),
        }
    }

    /// The lane that commands are about: the chosen one, or the first.
    pub(crate) fn lane(&self) -> Option<Lane> {
        let lanes = self.lanes();
        self.view.chosen.filter(|lane| lanes.contains(lane)).or(lanes.first().copied())
    }

    /// The lane that shows a trouble best: that of its control, or else the
    /// first of its device.
    pub(crate) fn lane_of(&self, trouble: &Trouble) -> Option<Lane> {
        let of_device = |lane: &Lane| match lane {
            Lane::Control(id) => self.session().roster().control(*id).device == trouble.device,
            Lane::Action(..) | Lane::Gesture(_) | Lane::Combo(_) => false,
        };
        let own = trouble.control.map(Lane::Control);
        own.or_else(|| self.lanes().into_iter().find(of_device))
    }

    /// The trouble under the playhead or, if there is none, the last one before
    /// it, by its place in the list.
    pub(crate) fn trouble_at_playhead(&self) -> Option<usize> {
        let now = self.session().plan().rate().time_of(self.tick());
        self.document
            .streams
            .troubles()
            .partition_point(|trouble| trouble.from <= now)
            .checked_sub(1)
    }

    pub(crate) fn is_digital(&self, lane: Lane) -> bool {
        match lane {
            Lane::Control(id) => self.session().roster().control(id).kind.is_button(),
            Lane::Action(id, _) => self.session().plan().gives(id).is_digital(),
            Lane::Gesture(_) | Lane::Combo(_) => true,
        }
    }

    /// The marks, as ticks.
    pub(crate) fn marks(&self) -> impl DoubleEndedIterator<Item = (Tick, &CleanText)> {
        let rate = self.session().plan().rate();
        self.session().labels().iter().map(move |label| (rate.tick_seeing(label.time), &label.text))
    }

    /// The device of the device bench.
    pub(crate) fn device(&self) -> Option<DeviceId> {
        self.session().roster().devices().nth(self.device).map(|(id, _)| id)
    }

    /// How many rows a lane takes.
    pub(crate) fn lane_height(&self, lane: Lane) -> u16 {
        // A short screen is better used for more lanes.
        let tall = self.view.is_tall && self.view.hit.lanes.height >= 16;
        let tall = tall && self.is_two_sided(lane) && !self.log(lane).is_empty();
        u16::from(tall) + 1 + u16::from(self.shows_reports(lane))
    }

    /// Whether a lane has a second reading below that of the polls: the chosen
    /// one. Of a control it is what was reported, as soon as there is room
    /// between two polls; of an action with a value, what code that acts on
    /// events would have made of it.
    pub(crate) fn shows_reports(&self, lane: Lane) -> bool {
        let has_room = self.view.stretch.zoom.columns_per_tick() > 1;
        let is_chosen = self.view.chosen == Some(lane);
        match lane {
            Lane::Control(_) => is_chosen && has_room,
            Lane::Action(..) if self.game_value_of(lane).is_some() => {
                is_chosen || self.bench == Bench::Game
            }
            // What the bench tunes is shown beside what it was.
            Lane::Action(id, _) if self.tuning.before.is_some() => {
                let is_tuned = self.subject().is_some_and(|(action, ..)| action == id);
                is_chosen || (is_tuned && self.bench == Bench::Stick)
            }
            Lane::Action(..) => is_chosen && !self.is_digital(lane),
            Lane::Gesture(_) | Lane::Combo(_) => false,
        }
    }

    /// Whether a lane's values go below zero.
    pub(crate) fn is_two_sided(&self, lane: Lane) -> bool {
        match lane {
            Lane::Control(id) => {
                matches!(
                    self.session().roster().control(id).kind,
                    ControlKind::Axis { .. } | ControlKind::Relative
                )
            }
            Lane::Action(id, _) => !self.session().plan().gives(id).is_digital(),
            Lane::Gesture(_) | Lane::Combo(_) => false,
        }
    }

    /// Every action, for the board.
    pub(crate) fn actions(&self) -> impl Iterator<Item = ActionId> + use<> {
        (0..self.session().plan().action_count() as u16).map(ActionId)
    }

    /// How long a button has been as it is, in ticks.
    pub(crate) fn ticks_since_change(&self, control: ControlId) -> Option<u32> {
        let lane = self.session().history().control_lane(control);
        let tick = self.tick();
        lane.since(tick).map(|since| tick.0 - since.0)
    }
}
