//! From controls, zones, gestures and actions to the edges of signals.

use crate::base::{ActionId, ControlId, Moment, Nanos, SignalId, Tick};
use crate::combo::{BoundSignal, SignalEdge};
use crate::plan::Plan;
use crate::run::Machine;
use crate::sample::Edge;
use crate::spec::Direction;
use alloc::vec::Vec;

/// What the signals were at the last tick.
#[derive(Clone, Debug, Default)]
pub(crate) struct SignalTracker {
    is_on: Vec<bool>,
    by: Vec<Option<ControlId>>,
    /// For each signal that is a direction, the direction its action is in.
    ways: Vec<Option<Direction>>,
    /// An action changed after it was listened to.
    pub(crate) actions_due: bool,
}

impl SignalTracker {
    pub(crate) fn fit(&mut self, signals: usize) {
        self.is_on.resize(signals, false);
        self.by.resize(signals, None);
        self.ways.resize(signals, None);
    }

    /// Collects what changed in this tick, in the order in which it was reported.
    /// `edges` has room for every control and every signal.
    pub(crate) fn listen(
        &mut self,
        machine: &Machine,
        plan: &Plan,
        (now, tick): (Nanos, Tick),
        edges: &mut Vec<SignalEdge>,
    ) {
        let of_tick = |signal, is_press, time, by| SignalEdge {
            signal,
            is_press,
            time,
            tick,
            paused: Moment::default(),
            mode: 0,
            is_clear: false,
            by,
        };
        for &control in machine.touched() {
            let signals = plan.signals_of(control);
            let cell = machine.cell(control);
            if signals.is_empty() && cell.edge() == Some(Edge::Press) {
                let is_button = plan.sampled(control).control.kind.is_button();
                let is_presence = plan.sampled(control).control.is_presence;
                if is_button && !is_presence {
                    edges.push(of_tick(None, true, cell.turned(true), Some(control)));
                }
            }
            for &signal in signals {
                let on = plan.signal_controls(signal).iter().any(|&(other, bit)| {
                    let cell = machine.cell(other);
                    match plan.sampled(other).control.kind.is_button() {
                        true => cell.is_down(),
                        false => cell.is_past(bit),
                    }
                });
                let time = cell.turned(on).min(now);
                self.hear(signal, on, (time, Some(control)), edges, of_tick);
            }
        }
        if machine.touches_changed() {
            for &signal in plan.zone_signals() {
                let BoundSignal::Zone(zone) = *plan.signal(signal) else { continue };
                let contacts = plan.contacts().iter().enumerate();
                let mut inside = contacts.filter(|(n, _)| machine.zone_has(usize::from(zone), *n));
                let by = inside.next().map(|(_, contact)| contact.down);
                self.hear(signal, by.is_some(), (now, by), edges, of_tick);
            }
        }
        if !machine.changed_gestures().is_empty() {
            for &signal in plan.gesture_signals() {
                let BoundSignal::Gesture(gesture) = *plan.signal(signal) else { continue };
                let state = machine.gesture(usize::from(gesture));
                self.hear(signal, state.is_on(), (now, state.contact), edges, of_tick);
            }
        }
        let was_due = core::mem::take(&mut self.actions_due);
        if was_due || !machine.changed().is_empty() {
            for &signal in plan.action_signals() {
                self.hear_action(machine, plan, signal, now, edges, of_tick);
            }
        }
        edges.sort_unstable_by_key(|edge| (edge.time, edge.is_press, edge.signal));
    }

    fn hear_action(
        &mut self,
        machine: &Machine,
        plan: &Plan,
        signal: SignalId,
        now: Nanos,
        edges: &mut Vec<SignalEdge>,
        of_tick: impl Fn(Option<SignalId>, bool, Nanos, Option<ControlId>) -> SignalEdge,
    ) {
        // Who drove it was reported within this tick, or it changed by itself.
        let instant = |action: ActionId| {
            let by = machine.action(action).driver;
            let heard = by.filter(|by| machine.touched().contains(by));
            (heard.map_or(now, |by| machine.cell(by).heard().min(now)), by)
        };
        match *plan.signal(signal) {
            BoundSignal::Action(action) => {
                let on = machine.action(action).is_active();
                self.hear(signal, on, instant(action), edges, of_tick);
            }
            BoundSignal::Way(action, way) => {
                let state = machine.action(action);
                let v = plan.vector(action, state);
                let slot = &mut self.ways[signal.index()];
                *slot = Direction::next(*slot, v);
                let on = *slot == Some(way);
                self.hear(signal, on, instant(action), edges, of_tick);
            }
            _ => {}
        }
    }

    fn hear(
        &mut self,
        signal: SignalId,
        on: bool,
        (time, by): (Nanos, Option<ControlId>),
        edges: &mut Vec<SignalEdge>,
        of_tick: impl Fn(Option<SignalId>, bool, Nanos, Option<ControlId>) -> SignalEdge,
    ) {
        if core::mem::replace(&mut self.is_on[signal.index()], on) != on {
            let slot = &mut self.by[signal.index()];
            *slot = by.or(*slot);
            edges.push(of_tick(Some(signal), on, time, *slot));
        }
    }
}
