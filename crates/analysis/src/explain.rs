//! Why a lane is as it is at a tick, in plain sentences with numbers.

use crate::session::Session;
use alloc::{
    format,
    string::{String, ToString},
    vec::Vec,
};
use gtrig_core::{
    ActionId, Closed, ControlId, ControlKind, Edge, Event, Gives, LaneMarks, Machine, Nanos,
    Presence, Tick,
};

/// Why a control reads what it reads. `machine` is the state at the tick to
/// explain.
pub fn explain_control(session: &Session, machine: &Machine, control: ControlId) -> String {
    Asked { session, machine, control, tick: machine.at() }.answer()
}

/// Why an action is what it is. `machine` is the state at the tick to explain.
pub fn explain_action(session: &Session, machine: &Machine, action: ActionId) -> String {
    let spec = &session.rig().actions[action.index()];
    let state = machine.action(action);
    let value = match spec.gives {
        Gives::On | Gives::Pulse | Gives::Toggle if state.is_active() => "on".to_string(),
        Gives::On | Gives::Pulse | Gives::Toggle => "off".to_string(),
        Gives::Polar => format!("{:.3} at {:+.1}°", state.y, state.x),
        Gives::Axis => format!("{:+.3}", state.x),
        Gives::Plane => format!("({:+.3}, {:+.3})", state.x, state.y),
    };
    let name = &spec.name;
    let inputs = session.plan().inputs(action);
    let active = inputs
        .iter()
        .filter(|&&input| machine.through(session.plan(), action, input).is_active())
        .count();
    if let Some(why) = machine.closed_by(session.plan(), action) {
        let name_of = |id: ActionId| &session.rig().actions[id.index()].name;
        return match why {
            Closed::While(by) => {
                format!("{name} is {value}: it is closed while {} is on.", name_of(by))
            }
            Closed::Mode(mode) => {
                let modes = &session.rig().modes;
                let mode = modes.get(mode.index()).map_or("?", |mode| &mode.name);
                format!("{name} is {value}: it is closed in the mode `{mode}`.")
            }
            Closed::Without(by) => {
                format!("{name} is {value}: it is closed while {} is off.", name_of(by))
            }
            Closed::Waiting => format!(
                "{name} is {value}: it is open again, but waits for what is still held from before to be let go."
            ),
        };
    }
    match (state.driver, active) {
        (Some(by), 0 | 1) => {
            let by = session.roster().label(by);
            format!("{name} is {value}: {by} drives it.{}", still(session, machine, action))
        }
        (Some(by), n) => format!(
            "{name} is {value}: {} drives it, the strongest of {n} inputs that are active.{}",
            session.roster().label(by),
            still(session, machine, action)
        ),
        (None, _) if inputs.is_empty() => {
            format!("{name} is {value}: no device that could drive it has been connected.")
        }
        (None, _) if spec.main_only => {
            let main = machine.main().map(|id| session.roster().device(id).label().to_string());
            let main = main.as_deref().unwrap_or("nobody");
            format!(
                "{name} is {value}: only the main device drives it, which is {main}, and none of its inputs is active."
            )
        }
        (None, _) if inputs.len() == 1 => {
            format!("{name} is {value}: its only input is not active.")
        }
        (None, _) => format!("{name} is {value}: none of its {} inputs is active.", inputs.len()),
    }
}

/// Of a value that is held: since when nothing was reported. Code that reads
/// the state goes on; code that acts on events stood still.
fn still(session: &Session, machine: &Machine, action: ActionId) -> String {
    let (plan, tick) = (session.plan(), machine.at());
    let Some(by) = machine.action(action).driver.filter(|_| !plan.gives(action).is_digital())
    else {
        return String::new();
    };
    let last = |id| session.history().control_lane(id).changes_before(tick.next()).next();
    let feeders = plan.feeders(action).filter(|&id| plan.are_siblings(id, by));
    let last = feeders.filter_map(last).map(|change| change.tick).max();
    match last.map(|last| (tick.0 - last.0, plan.rate().time_of(last))) {
        Some((ticks @ 2.., since)) => format!(
            " Nothing on that device that feeds it changed for {ticks} ticks, since {since}: code that moves it only on events would have stopped there."
        ),
        _ => String::new(),
    }
}

struct Asked<'a> {
    session: &'a Session,
    machine: &'a Machine,
    control: ControlId,
    tick: Tick,
}

impl Asked<'_> {
    fn answer(&self) -> String {
        let control = self.session.roster().control(self.control);
        if control.is_presence {
            return self.presence();
        }
        match self.machine.device(control.device).presence {
            Presence::Gone if !self.released_now() => {
                format!("{} is not connected: nothing is known of it.", self.device())
            }
            Presence::Deaf if !self.released_now() => {
                format!("{} is not listened to: nothing is known of it.", self.device())
            }
            _ if control.kind.is_button() => self.button(),
            _ => self.analogue(control.kind),
        }
    }

    fn released_now(&self) -> bool {
        self.machine.control(self.control).marks.contains(LaneMarks::SYNTHETIC)
    }

    fn device(&self) -> String {
        self.session.roster().device_of(self.control).label().to_string()
    }

    fn name(&self) -> String {
        self.session.roster().label(self.control).to_string()
    }

    fn time_of(&self, tick: Tick) -> Nanos {
        self.session.plan().rate().time_of(tick)
    }

    /// `tick 73 (1 216.67 ms)`.
    fn at(&self, tick: Tick) -> String {
        format!("tick {tick} ({})", self.time_of(tick))
    }

    fn presence(&self) -> String {
        let device = self.session.roster().device_of(self.control);
        let state = match Presence::from_value(self.machine.control(self.control).seen) {
            Presence::Here => "is connected",
            Presence::Gone => "is not connected",
            Presence::Deaf => "is connected, but not listened to",
        };
        format!("{} ({}) {state}.", device.label(), device.info.name)
    }

    fn button(&self) -> String {
        let cell = self.machine.control(self.control);
        let events: Vec<&Event> = self.session.events_of(self.control, self.tick).collect();
        let why = match cell.edge() {
            None if cell.marks.contains(LaneMarks::LOST) => self.lost(&events, cell.is_down()),
            None => self.steady(cell.is_down()),
            Some(_) if cell.marks.contains(LaneMarks::SYNTHETIC) => format!(
                "{} was released at {} because {} could no longer be heard.",
                self.name(),
                self.at(self.tick),
                self.device()
            ),
            Some(_) if cell.marks.contains(LaneMarks::CAUGHT) => self.caught(&events),
            Some(edge) => self.edge(edge, &events, cell.marks),
        };
        let chatter = cell.chatter();
        let debounce = self.session.plan().edges(self.control).debounce;
        let why = match cell.marks.contains(LaneMarks::CHATTER) {
            true => format!(
                "{why} The debounce of {debounce} held back what moved too soon; {chatter} so far taken for chatter."
            ),
            false => why,
        };
        if cell.marks.contains(LaneMarks::LATE) {
            return why + " The report came after its own tick had run.";
        }
        why
    }

    fn lost(&self, events: &[&Event], is_down: bool) -> String {
        let (state, remedy) = if is_down { ("down", "releases") } else { ("up", "taps") };
        format!(
            "{} {}, all between {} and {}: the state at both ticks was {state}. Latched sampling shows such {remedy}.",
            self.name(),
            moves(events),
            self.at(self.tick.before()),
            self.at(self.tick),
        )
    }

    fn caught(&self, events: &[&Event]) -> String {
        format!(
            "{} {}, all before {}: the state alone would have shown nothing, the latch shows it for one tick.",
            self.name(),
            moves(events),
            self.at(self.tick)
        )
    }

    fn edge(&self, edge: Edge, events: &[&Event], marks: LaneMarks) -> String {
        let word = if edge == Edge::Press { "down" } else { "up" };
        let wanted = edge == Edge::Press;
        let Some(event) = events.iter().rev().find(|e| (e.value != 0) == wanted) else {
            return format!(
                "{} is shown {word} at {}: the latch gives back the true state.",
                self.name(),
                self.at(self.tick)
            );
        };
        let delay = Nanos(self.time_of(self.tick).0 - event.time.0);
        let mut why = format!(
            "{} went {word} at {}; {} saw it {delay} later.",
            self.name(),
            event.time,
            self.at(self.tick)
        );
        if marks.contains(LaneMarks::INFERRED) {
            why += " The terminal reports no releases: this one was inferred from silence.";
        }
        if marks.contains(LaneMarks::RESYNCED) {
            why += " The kernel's queue had overrun: the state was asked for again, and what happened before it is not known.";
        }
        if marks.contains(LaneMarks::LOST) {
            why += " It moved more than once between the two polls: at least one press was lost.";
        }
        why
    }

    fn steady(&self, is_down: bool) -> String {
        let state = if is_down { "held" } else { "up" };
        let lane = self.session.history().control_lane(self.control);
        let Some(since) = lane.since(self.tick) else {
            return format!("{} is {state}; it has not moved yet.", self.name());
        };
        let held = Nanos(self.time_of(self.tick).0 - self.time_of(since).0);
        let ticks = self.tick.0 - since.0;
        let stuck_after = self.session.plan().edges(self.control).stuck_after;
        let suspicion = match is_down && held > stuck_after {
            true => " It may be stuck: perhaps its release was never reported.",
            false => "",
        };
        format!(
            "{} is {state} since {}: {ticks} ticks, {held}.{suspicion}",
            self.name(),
            self.at(since)
        )
    }

    fn analogue(&self, kind: ControlKind) -> String {
        let cell = self.machine.control(self.control);
        let share = match kind {
            ControlKind::Relative => String::new(),
            _ => format!(", {:+.3} of its travel", cell.value),
        };
        let events: Vec<&Event> = self.session.events_of(self.control, self.tick).collect();
        let reports = match events.last() {
            None => "no report since the tick before".to_string(),
            Some(last) => {
                let age = Nanos(self.time_of(self.tick).0 - last.time.0);
                format!(
                    "{} since the tick before, the last {age} old",
                    plural(events.len(), "report")
                )
            }
        };
        format!("{} reads {}{share}; {reports}.", self.name(), cell.seen)
    }
}

fn plural(n: usize, noun: &str) -> String {
    format!("{n} {noun}{}", if n == 1 { "" } else { "s" })
}

/// `went down at 1 204.31 ms and up at 1 211.87 ms`.
fn moves(events: &[&Event]) -> String {
    let mut text = String::from("went ");
    for (i, event) in events.iter().enumerate() {
        let joint = match i {
            0 => "",
            _ if i + 1 == events.len() => " and ",
            _ => ", ",
        };
        let way = if event.value != 0 { "down" } else { "up" };
        text += &format!("{joint}{way} at {}", event.time);
    }
    text
}
