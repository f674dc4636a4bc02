//! From controls, zones, gestures and actions to the edges of signals.
//!
//! A signal is what a step of a combo names. It is on or off; an edge is the instant at which
//! that changed, by which control, and whether a hand did it. The edges of a tick are in the
//! order of their times, and for one instant in the order of [`SignalChange`]: so a release
//! counts before a press of the same instant, whatever device spoke first.

use super::{BoundSignal, ComboPlan, SignalChange, SignalEdge};
use crate::base::{ActionId, ActionState, ControlId, ModeId, Moment, Nanos, SignalId, from_polar};
use crate::gesture::GestureEngine;
use crate::sample::{ControlState, Edge, LaneMarks, SamplePlan};
use crate::spec::{Direction, Gives};
use crate::touch::{Panels, TouchPlan};
use alloc::vec::Vec;

/// Everything of a tick that signals are made of.
#[derive(Clone, Copy)]
pub(crate) struct SignalSources<'a> {
    /// The controls as the plan knows them.
    pub(crate) sample: &'a SamplePlan,
    /// The controls as this tick sampled them.
    pub(crate) controls: &'a [ControlState],
    /// The controls that were reported on, or changed by themselves.
    pub(crate) touched: &'a [ControlId],
    /// Contacts and zones as the plan knows them.
    pub(crate) touch: &'a TouchPlan,
    /// The contacts at this tick.
    pub(crate) panels: &'a Panels,
    /// The gestures at this tick.
    pub(crate) gestures: &'a GestureEngine,
    /// The actions that combos read, as they are at this tick.
    pub(crate) actions: &'a [ActionState],
    /// The actions that changed in this tick.
    pub(crate) changed: &'a [ActionId],
}

/// What the signals were at the last tick.
#[derive(Clone, Debug, Default)]
pub(crate) struct SignalTracker {
    /// By [`SignalId`].
    signals: Vec<Tracked>,
    /// What changed in this tick, in the order in which it was reported.
    edges: Vec<SignalEdge>,
    /// An action changed after it was listened to.
    pub(super) actions_due: bool,
}

/// A signal at the last tick.
#[derive(Clone, Copy, Debug, Default)]
struct Tracked {
    /// Whether it was on.
    is_on: bool,
    /// The control that moved it last.
    by: Option<ControlId>,
    /// Of a signal that is a direction, the direction its action is in.
    direction: Option<Direction>,
}

impl SignalTracker {
    /// Makes room for an edge of every control and every signal, and for one at
    /// which everything is forgotten.
    pub(crate) fn fit(&mut self, plan: &ComboPlan, controls: usize) {
        self.signals.resize(plan.signals.len(), Tracked::default());
        self.edges.clear();
        if !plan.is_empty() {
            self.edges.reserve(controls + plan.signals.len() + 1);
        }
    }

    /// What changed in this tick, in order.
    pub(crate) fn edges(&self) -> &[SignalEdge] {
        &self.edges
    }

    /// The same, for the clock of the combos to be put in.
    pub(super) fn edges_mut(&mut self) -> &mut Vec<SignalEdge> {
        &mut self.edges
    }

    /// Collects what changed in a tick, sorted by time.
    pub(super) fn listen(&mut self, sources: &SignalSources, plan: &ComboPlan, at: Moment) {
        for &control in sources.touched {
            self.hear_control(sources, plan, control, at);
        }
        if sources.panels.has_changed() {
            for &signal in &plan.zones {
                let BoundSignal::Zone(zone) = *plan.signal(signal) else { continue };
                let by = sources.panels.first_in(zone).map(|id| sources.touch.contact(id).down);
                self.hear(sources, signal, turned(by.is_some()), (at.time, by), at);
            }
        }
        if !sources.gestures.changed().is_empty() {
            for &signal in &plan.gestures {
                let BoundSignal::Gesture(gesture) = *plan.signal(signal) else { continue };
                let state = sources.gestures.state(gesture);
                self.hear(sources, signal, turned(state.is_on()), (at.time, state.contact), at);
            }
        }
        let was_due = core::mem::take(&mut self.actions_due);
        if was_due || !sources.changed.is_empty() {
            for &signal in &plan.actions {
                self.hear_action(sources, plan, signal, at);
            }
        }
        self.edges.sort_unstable_by_key(|edge| (edge.time, edge.change, edge.signal));
    }

    /// What a control that was touched does to its signals. A press of a button that no signal
    /// names is an edge too, for strict combos.
    fn hear_control(
        &mut self,
        sources: &SignalSources,
        plan: &ComboPlan,
        control: ControlId,
        at: Moment,
    ) {
        let signals = plan.signals_of(control);
        let state = &sources.controls[control.index()];
        if signals.is_empty() && state.edge() == Some(Edge::Press) {
            let its = sources.sample.control(control).control;
            if its.kind.is_button() && !its.is_presence {
                let others = plan.others.iter().find(|(device, _)| *device == its.device);
                let signal = others.map(|(_, signal)| *signal);
                let by = (state.turned(true), Some(control));
                self.edges.push(edge(signal, SignalChange::Press, by, at));
            }
        }
        for &signal in signals {
            let is_on = |&(other, bit): &(ControlId, u32)| {
                let state = &sources.controls[other.index()];
                match sources.sample.control(other).control.kind.is_button() {
                    true => state.is_down(),
                    false => state.is_past(bit),
                }
            };
            let controls = plan.controls_of(signal);
            let (on, time) = match plan.signal(signal) {
                BoundSignal::Dpad { direction, .. } => {
                    let is_there = |four: &[(ControlId, u32)]| {
                        let held = [0, 1, 2, 3].map(|n| is_on(&four[n]));
                        Direction::of_buttons(held) == Some(*direction)
                    };
                    // It is in a direction since the last of its buttons moved.
                    let four = controls
                        .chunks_exact(4)
                        .find(|four| four.iter().any(|(other, _)| *other == control));
                    let buttons = four.unwrap_or(&[]).iter();
                    let last =
                        buttons.map(|(other, _)| sources.controls[other.index()].heard()).max();
                    (controls.chunks_exact(4).any(is_there), last.unwrap_or(at.time))
                }
                _ => {
                    let on = controls.iter().any(is_on);
                    (on, state.turned(on))
                }
            };
            let time = time.min(at.time);
            // What was carried over from before the recording is on without an edge.
            let change = match on && !state.has_moved() {
                true => SignalChange::Carried,
                false => turned(on),
            };
            self.hear(sources, signal, change, (time, Some(control)), at);
        }
    }

    /// What an action does to a signal that is it, or a direction of it.
    fn hear_action(
        &mut self,
        sources: &SignalSources,
        plan: &ComboPlan,
        signal: SignalId,
        at: Moment,
    ) {
        // Who drove it was reported within this tick, or it changed by itself.
        let instant = |by: Option<ControlId>| {
            let heard = by.filter(|by| sources.touched.contains(by));
            (heard.map_or(at.time, |by| sources.controls[by.index()].heard().min(at.time)), by)
        };
        match *plan.signal(signal) {
            BoundSignal::Action(action) => {
                let state = sources.actions[action.index()];
                self.hear(sources, signal, turned(state.is_active()), instant(state.driver), at);
            }
            BoundSignal::Way(action, gives, direction) => {
                let state = sources.actions[action.index()];
                let v = match gives {
                    Gives::Polar => from_polar([state.x, state.y]),
                    _ => [state.x, state.y],
                };
                let slot = &mut self.signals[signal.index()].direction;
                *slot = Direction::next(*slot, v);
                let on = *slot == Some(direction);
                self.hear(sources, signal, turned(on), instant(state.driver), at);
            }
            _ => {}
        }
    }

    /// Notes that a signal is on or off now, by whom and since when.
    fn hear(
        &mut self,
        sources: &SignalSources,
        signal: SignalId,
        change: SignalChange,
        (time, by): (Nanos, Option<ControlId>),
        at: Moment,
    ) {
        let on = change != SignalChange::Release;
        let tracked = &mut self.signals[signal.index()];
        if core::mem::replace(&mut tracked.is_on, on) == on {
            return;
        }
        tracked.by = by.or(tracked.by);
        let by = tracked.by;
        // What went off because its device could not be heard was let go by nobody.
        let is_forced = by.is_some_and(|by| {
            let marks = sources.controls[by.index()].marks;
            sources.touched.contains(&by) && marks.contains(LaneMarks::SYNTHETIC)
        });
        let change = if is_forced && !on { SignalChange::Forced } else { change };
        self.edges.push(edge(Some(signal), change, (time, by), at));
    }
}

/// The change of a signal that is on now, or off.
const fn turned(on: bool) -> SignalChange {
    if on { SignalChange::Press } else { SignalChange::Release }
}

/// An edge before the clock of the combos is taken into account.
fn edge(
    signal: Option<SignalId>,
    change: SignalChange,
    (time, by): (Nanos, Option<ControlId>),
    at: Moment,
) -> SignalEdge {
    let (tick, mode) = (at.tick, ModeId(0));
    let paused = Moment::default();
    SignalEdge { signal, change, time, tick, paused, mode, by }
}
