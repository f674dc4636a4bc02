//! Why a lane is as it is at a tick, in plain sentences with numbers.

use super::{
    gesture::{progress, verdict_words},
    plural,
};
use gtrig_analysis::{
    Session,
    explain::{
        ActionCause, ButtonCause, ControlCause, GestureCause, Through, action_cause, control_cause,
        gesture_cause,
    },
};
use gtrig_core::{
    ActionId, ActionState, Closed, ControlId, ControlKind, Edge, GestureId, Gives, LaneMarks,
    Machine, Nanos, Presence, Rig, Tick,
};

/// Why an action is what it is. `machine` is the state at the tick to explain.
pub fn explain_action(session: &Session, machine: &Machine, action: ActionId) -> String {
    let spec = &session.rig().actions[action.index()];
    let head = format!("{} is {}", spec.name, value(spec.gives, machine.action(action)));
    let name_of = |id: ActionId| &session.rig().actions[id.index()].name;
    match action_cause(session, machine, action) {
        ActionCause::Closed(Closed::While(by)) => {
            format!("{head}: it is closed while {} is on.", name_of(by))
        }
        ActionCause::Closed(Closed::Without(by)) => {
            format!("{head}: it is closed while {} is off.", name_of(by))
        }
        ActionCause::Closed(Closed::Mode(mode)) => {
            let mode = session.rig().modes.get(mode.index()).map_or("?", |mode| &mode.name);
            format!("{head}: it is closed in the mode `{mode}`.")
        }
        ActionCause::Closed(Closed::Waiting) => format!(
            "{head}: it is open again, but waits for what is still held from before to be let go."
        ),
        ActionCause::Driven { by, through, since, active, still } => {
            let by = session.roster().label(by);
            let by = match through.map(|through| through_words(session.rig(), through)) {
                Some(through) => format!("{through}, by {by},"),
                None => by.to_string(),
            };
            let rank = match active {
                0 | 1 => String::new(),
                n => format!(", the strongest of {n} inputs that are active"),
            };
            let still = still.map_or(String::new(), |(ticks, since)| {
                format!(
                    " Nothing on that device that feeds it changed for {ticks} ticks, since {since}: code that moves it only on events would have stopped there."
                )
            });
            if let (Gives::Toggle, Some(since)) = (spec.gives, since) {
                let at = session.plan().rate().time_of(since);
                return format!("{head}: {by} turned it on at tick {since} ({at}).");
            }
            format!("{head}: {by} drives it{rank}.{still}")
        }
        ActionCause::NoDevice => {
            format!("{head}: no device that could drive it has been connected.")
        }
        ActionCause::NotByMain(main) => {
            let main = main.map(|id| session.roster().device(id).label().to_string());
            let main = main.as_deref().unwrap_or("nobody");
            format!(
                "{head}: only the main device drives it, which is {main}, and none of its inputs is active."
            )
        }
        ActionCause::Idle(1) => format!("{head}: its only input is not active."),
        ActionCause::Idle(n) => format!("{head}: none of its {n} inputs is active."),
    }
}

/// What a control drives an action through: `combo swing`.
pub fn through_words(rig: &Rig, through: Through) -> String {
    match through {
        Through::Combo(id) => format!("combo {}", rig.combos[id.index()].name),
        Through::Gesture(id) => format!("gesture {}", rig.gestures[id.index()].name),
        Through::Zone(id) => format!("zone {}", rig.zones[id.index()].name),
    }
}

fn value(gives: Gives, state: ActionState) -> String {
    match gives {
        Gives::On | Gives::Pulse | Gives::Toggle if state.is_active() => "on".to_owned(),
        Gives::On | Gives::Pulse | Gives::Toggle => "off".to_owned(),
        Gives::Polar => format!("{:.3} at {:+.1}°", state.y, state.x),
        Gives::Axis => format!("{:+.3}", state.x),
        Gives::Plane => format!("({:+.3}, {:+.3})", state.x, state.y),
        Gives::Place if state.is_active() => format!("at ({:.2}, {:.2})", state.x, state.y),
        Gives::Place => "nowhere".to_owned(),
    }
}

/// Why a control reads what it reads. `machine` is the state at the tick to
/// explain.
pub fn explain_control(session: &Session, machine: &Machine, control: ControlId) -> String {
    Asked { session, machine, control }.answer()
}

/// Why a gesture is as it is. `machine` is the state at the tick to explain.
pub fn explain_gesture(session: &Session, machine: &Machine, gesture: GestureId) -> String {
    let (rig, rate) = (session.rig(), session.plan().rate());
    let name = &rig.gestures[gesture.index()].name;
    match gesture_cause(session, machine, gesture) {
        GestureCause::Judged(verdict) => format!("{name} {}.", verdict_words(rig, rate, &verdict)),
        GestureCause::Going(candidate) => format!("{name} {}.", progress(rig, &candidate)),
        GestureCause::Over(verdict) => format!(
            "{name}: no attempt goes on. The last one {}.",
            verdict_words(rig, rate, &verdict)
        ),
        GestureCause::Never(None) => format!("{name}: nobody has attempted it."),
        GestureCause::Never(Some(first)) => {
            format!("{name}: nobody has attempted it yet; the first attempt begins at {first}.")
        }
    }
}

struct Asked<'a> {
    session: &'a Session,
    machine: &'a Machine,
    control: ControlId,
}

impl Asked<'_> {
    fn answer(&self) -> String {
        match control_cause(self.session, self.machine, self.control) {
            ControlCause::Presence(presence) => self.presence(presence),
            ControlCause::Unheard(Presence::Deaf) => {
                format!("{} is not listened to: nothing is known of it.", self.device())
            }
            ControlCause::Unheard(_) => {
                format!("{} is not connected: nothing is known of it.", self.device())
            }
            ControlCause::Button { cause, chatter, is_late } => {
                let mut why = self.button(&cause);
                if let Some(chatter) = chatter {
                    let debounce = self.session.plan().edges(self.control).debounce;
                    why += &format!(
                        " The debounce of {debounce} held back what moved too soon; {chatter} so far taken for chatter."
                    );
                }
                if is_late {
                    why += " The report came after its own tick had run.";
                }
                why
            }
            ControlCause::Analogue { reports, age } => self.analogue(reports, age),
        }
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

    /// The tick to explain.
    fn here(&self) -> String {
        self.at(self.machine.at())
    }

    fn presence(&self, presence: Presence) -> String {
        let device = self.session.roster().device_of(self.control);
        let state = match presence {
            Presence::Here => "is connected",
            Presence::Gone => "is not connected",
            Presence::Deaf => "is connected, but not listened to",
        };
        format!("{} ({}) {state}.", device.label(), device.info.name)
    }

    fn button(&self, cause: &ButtonCause) -> String {
        let name = self.name();
        match cause {
            ButtonCause::Lost { moves, is_down } => {
                let (state, remedy) = if *is_down { ("down", "releases") } else { ("up", "taps") };
                format!(
                    "{name} {}, all between {} and {}: the state at both ticks was {state}. Latched sampling shows such {remedy}.",
                    moves_in_words(moves),
                    self.at(self.machine.at().before()),
                    self.here(),
                )
            }
            ButtonCause::Steady { is_down, since, is_suspect } => {
                self.steady(*is_down, *since, *is_suspect)
            }
            ButtonCause::LetGo => format!(
                "{name} was released at {} because {} could no longer be heard.",
                self.here(),
                self.device()
            ),
            ButtonCause::Caught { moves } => format!(
                "{name} {}, all before {}: the state alone would have shown nothing, the latch shows it for one tick.",
                moves_in_words(moves),
                self.here()
            ),
            ButtonCause::GivenBack(edge) => format!(
                "{name} is shown {} at {}: the latch gives back the true state.",
                way(*edge == Edge::Press),
                self.here()
            ),
            ButtonCause::Moved { edge, at, marks } => self.moved(*edge, *at, *marks),
        }
    }

    fn moved(&self, edge: Edge, at: Nanos, marks: LaneMarks) -> String {
        let delay = Nanos(self.time_of(self.machine.at()).0 - at.0);
        let mut why = format!(
            "{} went {} at {at}; {} saw it {delay} later.",
            self.name(),
            way(edge == Edge::Press),
            self.here()
        );
        if marks.contains(LaneMarks::INFERRED) {
            why += " What reports it does not report releases: this one was inferred from silence.";
        }
        if marks.contains(LaneMarks::RESYNCED) {
            why += " Reports before it were lost on the way: this is the state that was asked for again, and what happened between is not known.";
        }
        if marks.contains(LaneMarks::LOST) {
            why += " It moved more than once between the two polls: at least one press was lost.";
        }
        why
    }

    fn steady(&self, is_down: bool, since: Option<Tick>, is_suspect: bool) -> String {
        let state = if is_down { "held" } else { "up" };
        let Some(since) = since else {
            return format!("{} is {state}; it has not moved yet.", self.name());
        };
        let tick = self.machine.at();
        let held = Nanos(self.time_of(tick).0 - self.time_of(since).0);
        let suspicion = match is_suspect {
            true => " It may be stuck: perhaps its release was never reported.",
            false => "",
        };
        format!(
            "{} is {state} since {}: {} ticks, {held}.{suspicion}",
            self.name(),
            self.at(since),
            tick.0 - since.0
        )
    }

    fn analogue(&self, reports: usize, age: Option<Nanos>) -> String {
        let state = self.machine.control(self.control);
        let share = match self.session.roster().control(self.control).kind {
            ControlKind::Relative => String::new(),
            _ => format!(", {:+.3} of its travel", state.value),
        };
        let reports = match age {
            None => "no report since the tick before".to_owned(),
            Some(age) => {
                format!("{} since the tick before, the last {age} old", plural(reports, "report"))
            }
        };
        format!("{} reads {}{share}; {reports}.", self.name(), state.seen)
    }
}

const fn way(is_down: bool) -> &'static str {
    if is_down { "down" } else { "up" }
}

/// `went down at 1 204.31 ms and up at 1 211.87 ms`.
fn moves_in_words(moves: &[(Nanos, bool)]) -> String {
    let mut text = String::from("went ");
    for (i, (time, is_down)) in moves.iter().enumerate() {
        let joint = match i {
            0 => "",
            _ if i + 1 == moves.len() => " and ",
            _ => ", ",
        };
        text += &format!("{joint}{} at {time}", way(*is_down));
    }
    text
}
