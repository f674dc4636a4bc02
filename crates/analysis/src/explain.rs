//! Why a lane is as it is at a tick: the cause, with its numbers.
//!
//! Explanations are data; the words for them are elsewhere.

use crate::session::Session;
use alloc::vec::Vec;
use gtrig_core::{
    ActionId, ActionState, Closed, ComboId, ControlId, DeviceId, Edge, Event, GestureCandidate,
    GestureId, GestureVerdict, InputSpec, LaneMarks, Machine, Nanos, Presence, Rig, Tick, ZoneId,
};

/// Why an action is what it is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum ActionCause {
    /// Its gates do not let it through.
    Closed(Closed),
    /// A control drives it.
    Driven {
        /// Which.
        by: ControlId,
        /// What it drives it through, where that is more than the control itself.
        through: Option<Through>,
        /// The tick at which it became what it is.
        since: Option<Tick>,
        /// How many of its inputs are active; of several that one is the strongest.
        active: usize,
        /// For a value that is held: for how many ticks nothing on that device
        /// that feeds it has changed, and since when. Code that acts on events
        /// alone stood still there.
        still: Option<(u32, Nanos)>,
    },
    /// No device that could drive it has been connected.
    NoDevice,
    /// Only the main device drives it, which is this one, and it does not.
    NotByMain(Option<DeviceId>),
    /// None of so many inputs is active.
    Idle(usize),
}

/// What a control drives an action through.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Through {
    /// A combo that it was the last press of.
    Combo(ComboId),
    /// A gesture that began with it.
    Gesture(GestureId),
    /// A zone that has it.
    Zone(ZoneId),
}

/// What the control that drives an action drives it through; `None` for one that
/// does so by itself.
pub fn driven_through(rig: &Rig, action: ActionId, state: ActionState) -> Option<Through> {
    let inputs = &rig.actions[action.index()].inputs;
    match inputs.get(usize::from(state.input?))? {
        InputSpec::Combo(combo) => Some(Through::Combo(*combo)),
        InputSpec::Gesture { gesture, .. } => Some(Through::Gesture(*gesture)),
        InputSpec::Zone(zone) | InputSpec::Place { zone, .. } => Some(Through::Zone(*zone)),
        _ => None,
    }
}

/// Why an action is what it is; `machine` is the state at the tick to explain.
pub fn action_cause(session: &Session, machine: &Machine, action: ActionId) -> ActionCause {
    let (plan, spec) = (session.plan(), &session.rig().actions[action.index()]);
    if let Some(why) = machine.closed_by(plan, action) {
        return ActionCause::Closed(why);
    }
    let inputs = plan.inputs(action);
    match machine.action(action).driver {
        Some(by) => {
            let is_active = |input: &&_| machine.through(plan, action, **input).is_active();
            let active = inputs.iter().filter(is_active).count();
            let state = machine.action(action);
            ActionCause::Driven {
                by,
                through: driven_through(session.rig(), action, state),
                since: session.history().action_lanes(action)[0].since(machine.at()),
                active,
                still: still(session, machine, action),
            }
        }
        None if inputs.is_empty() => ActionCause::NoDevice,
        None if spec.main_only => ActionCause::NotByMain(machine.main()),
        None => ActionCause::Idle(inputs.len()),
    }
}

fn still(session: &Session, machine: &Machine, action: ActionId) -> Option<(u32, Nanos)> {
    let (plan, tick) = (session.plan(), machine.at());
    let by = machine.action(action).driver.filter(|_| !plan.gives(action).is_digital())?;
    let last = |id| session.history().control_lane(id).changes_before(tick.next()).next();
    let feeders = plan.feeders(action).filter(|&id| plan.are_siblings(id, by));
    let last = feeders.filter_map(last).map(|change| change.tick).max()?;
    let ticks = tick.0 - last.0;
    (ticks >= 2).then(|| (ticks, plan.rate().time_of(last)))
}

/// Why a control reads what it reads.
#[derive(Clone, Debug, PartialEq)]
pub enum ControlCause {
    /// It is the presence of its device.
    Presence(Presence),
    /// Nothing is known of it: its device is gone or deaf.
    Unheard(Presence),
    /// It is a button.
    Button {
        /// What became of it.
        cause: ButtonCause,
        /// What a debounce took for chatter so far, where it held something back
        /// in this tick.
        chatter: Option<u32>,
        /// Whether the report came after its own tick had run.
        is_late: bool,
    },
    /// It has a travel, or is relative.
    Analogue {
        /// Reports since the tick before.
        reports: usize,
        /// How old the last of them is.
        age: Option<Nanos>,
    },
}

/// What became of a button in a tick.
#[derive(Clone, Debug, PartialEq)]
pub enum ButtonCause {
    /// It moved between two polls and left no edge.
    Lost {
        /// When it moved, and whether down.
        moves: Vec<(Nanos, bool)>,
        /// Whether both polls saw it down.
        is_down: bool,
    },
    /// It has not moved.
    Steady {
        /// Whether it is held.
        is_down: bool,
        /// Since which tick, if it ever moved.
        since: Option<Tick>,
        /// Whether it has been held for so long that it may be stuck.
        is_suspect: bool,
    },
    /// Its device can no longer be heard, which released it.
    LetGo,
    /// A latch shows for one tick what the state alone would have hidden.
    Caught {
        /// When it moved, and whether down.
        moves: Vec<(Nanos, bool)>,
    },
    /// A latch gives back the true state.
    GivenBack(Edge),
    /// It was reported to move.
    Moved {
        /// Which way.
        edge: Edge,
        /// When that was reported.
        at: Nanos,
        /// What else is to be said of it.
        marks: LaneMarks,
    },
}

/// Why a control reads what it reads; `machine` is the state at the tick to
/// explain.
pub fn control_cause(session: &Session, machine: &Machine, id: ControlId) -> ControlCause {
    let control = session.roster().control(id);
    let state = machine.control(id);
    if control.is_presence {
        return ControlCause::Presence(Presence::from_value(state.seen));
    }
    let is_let_go = state.marks.contains(LaneMarks::SYNTHETIC);
    let events: Vec<&Event> = session.events_of(id, machine.at()).collect();
    match machine.device(control.device).presence {
        presence @ (Presence::Gone | Presence::Deaf) if !is_let_go => {
            ControlCause::Unheard(presence)
        }
        _ if control.kind.is_button() => ControlCause::Button {
            cause: button_cause(session, machine, id, &events),
            chatter: state.marks.contains(LaneMarks::CHATTER).then(|| state.chatter()),
            is_late: state.marks.contains(LaneMarks::LATE),
        },
        _ => {
            let now = session.plan().rate().time_of(machine.at());
            let age = events.last().map(|last| Nanos(now.0 - last.time.0));
            ControlCause::Analogue { reports: events.len(), age }
        }
    }
}

/// How a button moved that was down before or not, and whether down. What it says again is no
/// movement; what let go of it between, such as its device that went, is not among its reports.
fn moves(events: &[&Event], was_down: bool) -> Vec<(Nanos, bool)> {
    let said: Vec<_> = events.iter().map(|event| (event.time, event.value != 0)).collect();
    let before = core::iter::once(was_down).chain(said.iter().map(|(_, is_down)| *is_down));
    let moved = said.iter().zip(before).filter(|((_, is_down), was)| is_down != was);
    let moved: Vec<_> = moved.map(|(said, _)| *said).collect();
    if moved.is_empty() { said } else { moved }
}

fn button_cause(
    session: &Session,
    machine: &Machine,
    id: ControlId,
    events: &[&Event],
) -> ButtonCause {
    let state = machine.control(id);
    let Some(edge) = state.edge() else {
        let is_down = state.is_down();
        return match state.marks.contains(LaneMarks::LOST) {
            true => ButtonCause::Lost { moves: moves(events, is_down), is_down },
            false => steady(session, machine, id),
        };
    };
    if state.marks.contains(LaneMarks::SYNTHETIC) {
        return ButtonCause::LetGo;
    }
    if state.marks.contains(LaneMarks::CAUGHT) {
        return ButtonCause::Caught { moves: moves(events, edge == Edge::Release) };
    }
    let is_press = edge == Edge::Press;
    match events.iter().rev().find(|event| (event.value != 0) == is_press) {
        Some(event) => ButtonCause::Moved { edge, at: event.time, marks: state.marks },
        None => ButtonCause::GivenBack(edge),
    }
}

fn steady(session: &Session, machine: &Machine, id: ControlId) -> ButtonCause {
    let (plan, tick) = (session.plan(), machine.at());
    let is_down = machine.control(id).is_down();
    let since = session.history().control_lane(id).since(tick);
    let held = since.map_or(0, |since| plan.rate().time_of(tick).0 - plan.rate().time_of(since).0);
    let is_suspect = is_down && Nanos(held) > plan.edges(id).stuck_after;
    ButtonCause::Steady { is_down, since, is_suspect }
}

/// Why a gesture is as it is.
#[derive(Clone, Debug, PartialEq)]
pub enum GestureCause {
    /// This tick gave a verdict.
    Judged(GestureVerdict),
    /// An attempt goes on.
    Going(GestureCandidate),
    /// No attempt goes on; this was the last one.
    Over(GestureVerdict),
    /// Nobody has attempted it yet; when the first attempt begins, if one is kept.
    Never(Option<Nanos>),
}

/// Why a gesture is as it is; `machine` is the state at the tick to explain.
pub fn gesture_cause(session: &Session, machine: &Machine, id: GestureId) -> GestureCause {
    let mut candidates = machine.candidates(session.plan()).into_iter();
    let going = candidates.find(|candidate| candidate.gesture == id);
    let verdicts = session.history().verdicts();
    let known = verdicts.partition_point(|verdict| verdict.tick <= machine.at());
    let last = verdicts.range(..known).rev().find(|verdict| verdict.gesture == id);
    match (going, last) {
        (_, Some(verdict)) if verdict.tick == machine.at() => GestureCause::Judged(*verdict),
        (Some(candidate), _) => GestureCause::Going(candidate),
        (None, Some(verdict)) => GestureCause::Over(*verdict),
        (None, None) => {
            let later = verdicts.range(known..).filter(|verdict| verdict.gesture == id);
            GestureCause::Never(later.map(|verdict| verdict.began).min())
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_core::Marks;
    use rstest::rstest;

    /// What a button says, and how it moved.
    #[rstest]
    #[case::a_tap(false, &[1, 0], &[1, 0])]
    #[case::said_again(true, &[0, 0, 1, 1], &[0, 1])]
    #[case::said_again_first(true, &[1, 0, 1], &[0, 1])]
    #[case::let_go_by_its_device(true, &[1], &[1])]
    fn what_is_said_again_is_no_movement(
        #[case] was_down: bool,
        #[case] said: &[i32],
        #[case] asked: &[i32],
    ) {
        let event = |(n, &value): (u64, &i32)| {
            let (control, marks) = (ControlId(1), Marks::empty());
            Event { time: Nanos(n), value, control, marks }
        };
        let events: Vec<Event> = (0..).zip(said).map(event).collect();
        let moves = moves(&events.iter().collect::<Vec<_>>(), was_down);
        let ways: Vec<i32> = moves.iter().map(|(_, is_down)| i32::from(*is_down)).collect();
        assert_eq!(ways, asked);
    }
}
