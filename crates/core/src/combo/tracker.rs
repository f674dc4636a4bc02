//! From controls, zones, gestures and actions to the edges of signals.
//!
//! A signal is what a step of a combo names. It is on or off; an edge is the instant at which
//! that changed, by which control, and whether a hand did it. The edges of a tick are in the
//! order of their times, and for one instant in the order of [`SignalChange`]: so a release
//! counts before a press of the same instant, whatever device spoke first.
//!
//! When a signal changed, by what it is:
//!
//! | signal | the instant |
//! |---|---|
//! | a button | the report of its press or release |
//! | a trigger, an axis | its last report before the poll that found it past the threshold |
//! | several controls | the first that went on; the last that went off |
//! | a d-pad | the last report of any of its four buttons |
//! | a zone, a gesture, an action | that of the control which drives it, or the tick |

use super::{BoundSignal, ComboPlan, SignalChange, SignalEdge};
use crate::base::{ActionId, ActionState, ControlId, ModeId, Moment, Nanos, SignalId, from_polar};
use crate::gesture::GestureEngine;
use crate::sample::{ControlState, Edge, LaneMarks, SamplePlan};
use crate::spec::{Direction, Gives};
use crate::touch::{Panels, TouchPlan};
use alloc::vec::Vec;

/// Everything of a tick that signals are made of.
///
/// Everything is as it is at this tick, but for actions that combos do not read: these are worked
/// out later, and are still those of the tick before.
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
///
/// Invariant: after a tick each signal is what its sources say, but for actions that were worked
/// out after combos listened: `actions_due` says that there are such.
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
    ///
    /// Zones, gestures and actions are asked only where any of them changed; the cost of a tick
    /// follows what was touched.
    pub(super) fn listen(&mut self, sources: &SignalSources, plan: &ComboPlan, at: Moment) {
        for &control in sources.touched {
            self.hear_control(sources, plan, control, at);
        }
        if sources.panels.has_changed() {
            for &signal in &plan.zones {
                let BoundSignal::Zone(zone) = *plan.signal(signal) else { continue };
                let by = sources.panels.first_in(zone).map(|id| sources.touch.contact(id).down);
                self.hear_by(sources, signal, sources.moved(by.is_some(), by), by, at);
            }
        }
        if !sources.gestures.changed().is_empty() {
            for &signal in &plan.gestures {
                let BoundSignal::Gesture(gesture) = *plan.signal(signal) else { continue };
                let state = sources.gestures.state(gesture);
                self.hear_by(sources, signal, turned(state.is_on()), state.contact, at);
            }
        }
        let was_due = core::mem::take(&mut self.actions_due);
        if was_due || !sources.changed.is_empty() {
            for &signal in &plan.actions {
                self.hear_action(sources, plan, signal, at);
            }
        }
        let named = self.edges.len();
        for &control in sources.touched {
            self.hear_nameless(sources, plan, (control, named), at);
        }
        if self.edges.len() > 1 {
            let is_named = |edge: &SignalEdge| plan.is_named(edge.signal);
            let place = |edge: &SignalEdge| (edge.time, edge.change, is_named(edge), edge.signal);
            self.edges.sort_unstable_by_key(place);
            for at_once in self.edges.chunk_by_mut(SignalEdge::is_at_once_with) {
                let nameless = at_once.partition_point(|edge| !is_named(edge));
                gather_presses(&mut at_once[nameless..]);
            }
        }
    }

    /// What a control that was touched does to its signals.
    ///
    /// A control may be several signals at once (`pad/south` and `pad1/south`); each gets an edge
    /// of its own, with the same control and the same time.
    fn hear_control(
        &mut self,
        sources: &SignalSources,
        plan: &ComboPlan,
        control: ControlId,
        at: Moment,
    ) {
        for &signal in plan.signals_of(control) {
            let controls = plan.controls_of(signal);
            let says = match plan.signal(signal) {
                BoundSignal::Dpad { direction, .. } => {
                    let of_four =
                        |four: &[_]| sources.dpad([0, 1, 2, 3].map(|n| four[n]), *direction);
                    first_on_last_off(controls.chunks_exact(4).map(of_four))
                }
                _ => first_on_last_off(controls.iter().map(|one| sources.button(one))),
            };
            let Some(says) = says else { continue };
            // What was carried over from before the recording is on without an edge.
            let is_carried = says.is_on && !sources.controls[says.by.index()].has_moved();
            let change = if is_carried { SignalChange::Carried } else { turned(says.is_on) };
            self.hear(sources, signal, change, (says.since.min(at.time), Some(says.by)), at);
        }
    }

    /// A press of a button that is the press of no signal is an edge too, for strict combos: no
    /// signal names it, or another device holds all that do. The landing of a finger is none: it
    /// is the press of the zones and gestures that it belongs to. Nor is a button of a d-pad that
    /// is named by its directions: which one it makes, the other three say as well.
    ///
    /// It is asked last: the first `named` edges are all that have a name.
    fn hear_nameless(
        &mut self,
        sources: &SignalSources,
        plan: &ComboPlan,
        (control, named): (ControlId, usize),
        at: Moment,
    ) {
        let state = &sources.controls[control.index()];
        let is_heard =
            |edge: &SignalEdge| edge.by == Some(control) && edge.change == SignalChange::Press;
        if state.edge() != Some(Edge::Press) || self.edges[..named].iter().any(is_heard) {
            return;
        }
        let its = sources.sample.control(control).control;
        let lands = sources.touch.contacts_of(control).next().is_some();
        let is_way = |signal: &SignalId| matches!(plan.signal(*signal), BoundSignal::Dpad { .. });
        if !its.kind.is_button()
            || its.is_presence
            || lands
            || plan.signals_of(control).iter().any(is_way)
        {
            return;
        }
        let others = plan.others.iter().find(|(device, _)| *device == its.device);
        let signal = others.map(|(_, signal)| *signal);
        self.edges.push(edge(signal, SignalChange::Press, (state.turned(true), Some(control)), at));
    }

    /// What an action does to a signal that is it, or a direction of it.
    ///
    /// Actions that no combo drives are worked out before combos are, and heard in the same tick;
    /// all others a tick later.
    fn hear_action(
        &mut self,
        sources: &SignalSources,
        plan: &ComboPlan,
        signal: SignalId,
        at: Moment,
    ) {
        match *plan.signal(signal) {
            BoundSignal::Action(action) => {
                let state = sources.actions[action.index()];
                let change = sources.moved(state.is_active(), state.driver);
                self.hear_by(sources, signal, change, state.driver, at);
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
                self.hear_by(sources, signal, turned(on), state.driver, at);
            }
            _ => {}
        }
    }

    /// Notes what a control did to a signal that is no control itself; the one that did it last
    /// where none drives it any more. It did so when it was reported, or at the tick where it was
    /// not reported since the one before.
    ///
    /// `change` is what it would be; where the signal is like that already nothing happens.
    fn hear_by(
        &mut self,
        sources: &SignalSources,
        signal: SignalId,
        change: SignalChange,
        by: Option<ControlId>,
        at: Moment,
    ) {
        let before = &self.signals[signal.index()];
        if before.is_on == (change != SignalChange::Release) {
            return;
        }
        let by = by.or(before.by);
        let heard = by.filter(|by| sources.touched.contains(by)).map(|by| {
            let state = &sources.controls[by.index()];
            state.edge().map_or(state.heard(), |edge| state.turned(edge == Edge::Press))
        });
        let time = heard.map_or(at.time, |heard| heard.min(at.time));
        self.hear(sources, signal, change, (time, by), at);
    }

    /// Notes that a signal is on or off now, by whom and since when.
    ///
    /// An edge that no hand made is told apart here: released by force, because the device of the
    /// control cannot be heard.
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

/// Puts the names of one press side by side, where its first one is.
///
/// Buttons without a name are not among them, and each is a press of its own: a device may have
/// very many.
fn gather_presses(named: &mut [SignalEdge]) {
    for at in 1..named.len() {
        let hand = named[at].hand();
        let before = named[..at].iter().rposition(|edge| edge.hand().is(hand));
        if let Some(before) = before {
            named[before + 1..=at].rotate_right(1);
        }
    }
}

/// One of the buttons or d-pads that a signal is made of.
#[derive(Clone, Copy)]
struct Part {
    /// Whether it is on at this tick.
    is_on: bool,
    /// Whether it was on at the tick before.
    was_on: bool,
    /// When it turned on, or off.
    since: Nanos,
    /// The control that did it.
    by: ControlId,
}

/// What several parts come to, of which one is enough: on since the first of those that are on,
/// or off since the last of those that were.
///
/// A signal of four pads does not go on again while one of them holds it, nor off before the last
/// one lets go.
fn first_on_last_off(parts: impl Iterator<Item = Part>) -> Option<Part> {
    parts.reduce(|one, other| match (one.is_on, other.is_on) {
        (true, true) if other.since < one.since => other,
        (false, false) if (other.was_on, other.since) > (one.was_on, one.since) => other,
        (false, true) => other,
        _ => one,
    })
}

impl SignalSources<'_> {
    /// What becomes of a zone or an action that is on now, or off, where a control drives it: no
    /// hand turned it on where that one was carried over, or repeated by itself.
    ///
    /// An auto-repeat that counts for actions is no press of a combo: nobody pressed twice.
    fn moved(&self, is_on: bool, by: Option<ControlId>) -> SignalChange {
        let is_of_no_hand = by.is_some_and(|by| {
            let by = &self.controls[by.index()];
            let is_repeated = by.marks.contains(LaneMarks::REPEATED);
            by.carried || (is_repeated && by.edge() != Some(Edge::Press))
        });
        if is_on && is_of_no_hand { SignalChange::Carried } else { turned(is_on) }
    }

    /// A button as a part of a signal; of another control whether it is past a threshold.
    fn button(&self, &(control, bit): &(ControlId, u32)) -> Part {
        let state = &self.controls[control.index()];
        let kind = self.sample.control(control).control.kind;
        let was_on = if kind.is_button() { state.was_down() } else { state.was_past(bit) };
        let is_on = state.is_on(kind, bit);
        Part { is_on, was_on, since: state.turned(is_on), by: control }
    }

    /// Whether a d-pad is in a direction: since the last of its buttons moved.
    ///
    /// Left and right together are neither, and so are up and down.
    fn dpad(&self, four: [(ControlId, u32); 4], direction: Direction) -> Part {
        let buttons = four.map(|one| self.button(&one));
        let is_there = |held| Direction::of_buttons(held) == Some(direction);
        let heard = four.map(|(control, _)| (self.controls[control.index()].heard(), control));
        let (since, by) = heard.into_iter().fold(heard[0], Ord::max);
        Part {
            is_on: is_there(buttons.map(|button| button.is_on)),
            was_on: is_there(buttons.map(|button| button.was_on)),
            since,
            by,
        }
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
