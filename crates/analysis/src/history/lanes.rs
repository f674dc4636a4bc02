//! The lanes drawn from a run, and what is kept beside them: verdicts, and what combos heard and
//! came to.

use super::History;
use crate::lane::{Change, LaneLog};
use alloc::{collections::VecDeque, vec::Vec};
use gtrig_core::{
    ActionId, ComboId, ComboNews, ControlId, GestureId, GestureOutcome, GestureVerdict, Gives,
    LaneMarks, Machine, Plan, SignalEdge, Tick, from_polar,
};

/// The lanes of all controls and actions.
#[derive(Clone, Debug, Default)]
pub(super) struct Lanes {
    controls: Vec<LaneLog>,
    /// For each action its x and its y.
    actions: Vec<[LaneLog; 2]>,
    /// For each action the number of the control that drives it, plus one; 0
    /// for none. Exact: a number of a control is far below 2^24.
    drivers: Vec<LaneLog>,
    /// For each gesture whether it is idle (0), has an attempt (0.5) or is on (1).
    gestures: Vec<LaneLog>,
    /// In the order in which they were given.
    verdicts: VecDeque<GestureVerdict>,
    /// For each combo whether it is on.
    combos: Vec<LaneLog>,
    combo_news: VecDeque<ComboNews>,
    /// What the combos heard.
    signal_edges: VecDeque<SignalEdge>,
    /// How many of them were forgotten.
    forgotten_edges: u64,
    /// How many changes, verdicts, news and edges are kept in all.
    pub(super) changes: usize,
}

impl Lanes {
    pub(super) fn fit(&mut self, machine: &Machine, plan: &Plan) {
        let known = self.controls.len() as u16;
        self.controls.extend(
            (known..plan.control_count() as u16)
                .map(|id| LaneLog::new(machine.control(ControlId(id)).value)),
        );
        self.actions.resize_with(plan.action_count(), || [LaneLog::new(0.0), LaneLog::new(0.0)]);
        self.drivers.resize_with(plan.action_count(), || LaneLog::new(0.0));
        self.gestures.resize_with(plan.gesture_count(), || LaneLog::new(0.0));
        self.combos.resize_with(plan.combo_count(), || LaneLog::new(0.0));
    }

    pub(super) fn record(&mut self, machine: &Machine) {
        let tick = machine.at();
        for &id in machine.touched() {
            let cell = machine.control(id);
            let lane = &mut self.controls[id.index()];
            if cell.value != lane.last() || !cell.marks.is_empty() {
                lane.push(Change { tick, value: cell.value, marks: cell.marks });
                self.changes += 1;
            }
        }
        for &id in machine.changed() {
            let state = machine.action(id);
            let driver = state.driver.map_or(0.0, |by| f32::from(by.0) + 1.0);
            let lanes = self.actions[id.index()].iter_mut().chain([&mut self.drivers[id.index()]]);
            for (lane, value) in lanes.zip([state.x, state.y, driver]) {
                if value != lane.last() {
                    lane.push(Change { tick, value, marks: LaneMarks::empty() });
                    self.changes += 1;
                }
            }
        }
        self.record_gestures(machine);
        self.record_combos(machine);
    }

    fn record_combos(&mut self, machine: &Machine) {
        for &combo in machine.changed_combos() {
            let value = f32::from(u8::from(machine.combo(combo).is_on()));
            let lane = &mut self.combos[combo.index()];
            if value != lane.last() {
                lane.push(Change { tick: machine.at(), value, marks: LaneMarks::empty() });
                self.changes += 1;
            }
        }
        self.combo_news.extend(machine.combo_news());
        self.signal_edges.extend(machine.signal_edges());
        self.changes += machine.combo_news().len() + machine.signal_edges().len();
    }

    /// What gestures did, and what came of their attempts.
    fn record_gestures(&mut self, machine: &Machine) {
        let tick = machine.at();
        for &gesture in machine.changed_gestures() {
            let state = machine.gesture(gesture);
            let value = match state {
                _ if state.is_on() => 1.0,
                _ if state.trying > 0 => 0.5,
                _ => 0.0,
            };
            let mut marks = LaneMarks::empty();
            for verdict in machine.verdicts().iter().filter(|v| v.gesture == gesture) {
                marks.set(LaneMarks::NEAR, marks.contains(LaneMarks::NEAR) || verdict.is_near());
                if matches!(verdict.outcome, GestureOutcome::Cancelled(_)) {
                    marks |= LaneMarks::CANCELLED;
                }
            }
            let lane = &mut self.gestures[gesture.index()];
            if value != lane.last() || !marks.is_empty() {
                lane.push(Change { tick, value, marks });
                self.changes += 1;
            }
        }
        self.changes += machine.verdicts().len();
        self.verdicts.extend(machine.verdicts());
    }

    pub(super) fn forget_before(&mut self, tick: Tick) {
        let kept = self.verdicts.partition_point(|verdict| verdict.tick < tick);
        self.verdicts.drain(..kept);
        let kept = self.combo_news.partition_point(|news| news.tick < tick);
        self.combo_news.drain(..kept);
        let kept = self.signal_edges.partition_point(|edge| edge.seen() < tick);
        self.signal_edges.drain(..kept);
        self.forgotten_edges += kept as u64;
        self.changes = self.verdicts.len() + self.combo_news.len() + self.signal_edges.len();
        let actions = self.actions.as_flattened_mut().iter_mut().chain(&mut self.drivers);
        let gestures = self.gestures.iter_mut().chain(&mut self.combos);
        for lane in self.controls.iter_mut().chain(actions).chain(gestures) {
            lane.forget_before(tick);
            self.changes += lane.len();
        }
    }
}

impl History {
    /// The lane of a control: its value on its own scale.
    pub fn control_lane(&self, control: ControlId) -> &LaneLog {
        &self.lanes.controls[control.index()]
    }

    /// The lanes of an action: x and y.
    pub fn action_lanes(&self, action: ActionId) -> &[LaneLog; 2] {
        &self.lanes.actions[action.index()]
    }

    /// What an action gave at a tick, as a vector: an angle and a length as the
    /// vector they mean.
    pub fn action_vector(&self, plan: &Plan, action: ActionId, tick: Tick) -> [f32; 2] {
        let lanes = self.action_lanes(action);
        let value = [0, 1].map(|axis| lanes[axis].value_at(tick));
        match plan.gives(action) {
            Gives::Polar => from_polar(value),
            _ => value,
        }
    }

    /// The lane of a gesture: 0 idle, 0.5 while an attempt goes on, 1 while it is
    /// on.
    pub fn gesture_lane(&self, gesture: GestureId) -> &LaneLog {
        &self.lanes.gestures[gesture.index()]
    }

    /// What came of attempts at gestures, in the order in which it was known.
    pub fn verdicts(&self) -> &VecDeque<GestureVerdict> {
        &self.lanes.verdicts
    }

    /// The lane of a combo: 1 while it is on.
    pub fn combo_lane(&self, combo: ComboId) -> &LaneLog {
        &self.lanes.combos[combo.index()]
    }

    /// The combos whose steps were all met, in the order in which it was decided
    /// what became of them.
    pub fn combo_news(&self) -> &VecDeque<ComboNews> {
        &self.lanes.combo_news
    }

    /// What the combos heard, in order.
    pub fn signal_edges(&self) -> &VecDeque<SignalEdge> {
        &self.lanes.signal_edges
    }

    /// How many edges before [`History::signal_edges`] were forgotten.
    pub fn forgotten_edges(&self) -> u64 {
        self.lanes.forgotten_edges
    }

    /// Who drove an action: the number of the control plus one, 0 for none.
    pub fn driver_lane(&self, action: ActionId) -> &LaneLog {
        &self.lanes.drivers[action.index()]
    }
}
