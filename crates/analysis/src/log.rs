//! What happened, entry by entry: reports, edges, gestures, combos, actions.
//!
//! A tick tells first what it saw, in order of time, and then what came of it. The full
//! screen, `gtrig tail` and every test get the same entries.

use crate::session::Session;
use alloc::{boxed::Box, vec::Vec};
use gtrig_core::{
    ActionId, ComboNews, ControlId, Edge, Event, GestureVerdict, LaneMarks, Machine, Nanos, Tick,
};

/// Something that happened.
#[derive(Clone, Debug, PartialEq)]
pub struct LogEntry {
    /// When.
    pub time: Nanos,
    /// The tick that saw it, or of which it came.
    pub tick: Tick,
    /// What.
    pub what: Happening,
}

/// What happened.
#[derive(Clone, Debug, PartialEq)]
pub enum Happening {
    /// A source reported it.
    Report(Event),
    /// A control was pressed or released; without an edge, a press was lost.
    Edge(ControlId, Option<Edge>, LaneMarks),
    /// An attempt at a gesture is over.
    Gesture(Box<GestureVerdict>),
    /// The steps of a combo were met.
    Combo(ComboNews),
    /// An action changed.
    Action {
        /// Which.
        action: ActionId,
        /// To what; of an action that is on or off the first is 1 or 0.
        value: [f32; 2],
        /// What drives it now.
        driver: Option<ControlId>,
    },
}

/// Tells what a tick saw and what came of it.
pub fn of_tick(session: &Session, machine: &Machine, mut each: impl FnMut(LogEntry)) {
    let (tick, plan) = (machine.at(), session.plan());
    for &event in session.history().events_in(plan, tick) {
        each(LogEntry { time: event.time, tick, what: Happening::Report(event) });
    }
    let time = plan.rate().time_of(tick);
    let mut tell = |what| each(LogEntry { time, tick, what });
    let mut touched: Vec<ControlId> = machine.touched().to_vec();
    touched.sort_unstable();
    for control in touched {
        let about = session.roster().control(control);
        let cell = machine.control(control);
        let is_lost = cell.marks.contains(LaneMarks::LOST);
        if about.kind.is_button() && !about.is_presence && (cell.edge().is_some() || is_lost) {
            tell(Happening::Edge(control, cell.edge(), cell.marks));
        }
    }
    for verdict in machine.verdicts() {
        tell(Happening::Gesture(Box::new(*verdict)));
    }
    for news in machine.combo_news() {
        tell(Happening::Combo(*news));
    }
    let mut changed: Vec<ActionId> = machine.changed().to_vec();
    changed.sort_unstable();
    for action in changed {
        let state = machine.action(action);
        let value = match session.plan().gives(action).is_digital() {
            true => [f32::from(u8::from(state.is_active())), 0.0],
            false => [state.x, state.y],
        };
        tell(Happening::Action { action, value, driver: state.driver });
    }
}
