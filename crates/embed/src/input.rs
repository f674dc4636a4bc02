//! What a game tells and asks.

use crate::reader::Reader;
#[cfg(feature = "trace")]
use crate::trace::Trace;
#[cfg(feature = "trace")]
use alloc::boxed::Box;
use alloc::{string::String, vec::Vec};
use core::fmt;
#[cfg(feature = "trace")]
use gtrig_analysis::Capacity;
use gtrig_core::{
    ActionId, ActionState, Closed, ControlId, DeviceId, DeviceInfo, Event, Gives, Machine, Marks,
    Nanos, Plan, Presence, Rig, Roster, RosterError, Tick, from_polar, polar,
};

/// So many reports may wait for their frame before room for more is asked for.
pub const WAITING: usize = 1024;

/// An action of the rig, found once by its name.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Action(pub(crate) ActionId);

/// A control of a device, found once by its code.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Control(ControlId);

impl Action {
    /// Its place among the actions of the rig, as a number to hand to other languages.
    pub fn place(self) -> usize {
        self.0.index()
    }
}

impl Control {
    /// Its place among all controls, as a number to hand to other languages.
    pub fn place(self) -> usize {
        self.0.index()
    }
}

/// What is counted of an action, for readers that each look when they like.
///
/// Counts wrap around: a reader that looks at least once in 2^32 presses loses none.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Count {
    pub(crate) presses: u32,
    pub(crate) releases: u32,
    /// The sum of the values, each times the seconds of its frames, up to `from`.
    way: [f64; 2],
    /// The frame after which the value counts that it has now.
    from: Nanos,
    /// When it last turned on or off.
    since: Nanos,
}

/// The devices, the rig and the run of a game's input.
#[derive(Clone, Debug)]
pub struct Input {
    rig: Rig,
    roster: Roster,
    plan: Plan,
    machine: Machine,
    /// What was reported and no frame has seen yet, in order of time.
    waiting: Vec<Event>,
    /// The last frame, and the one before it.
    now: Nanos,
    before: Nanos,
    has_run: bool,
    states: Vec<ActionState>,
    /// Those that may fire in two frames one after the other.
    pulses: Vec<ActionId>,
    pub(crate) counts: Vec<Count>,
    #[cfg(feature = "trace")]
    trace: Option<Box<Trace>>,
}

/// Why a rig cannot take the place of another: handles would mean other actions.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OtherActions {
    /// The first action of the rig before that the new one has not at the same place.
    pub missing: String,
}

impl fmt::Display for OtherActions {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "the new rig has not the same actions in the same order: {}", self.missing)
    }
}

impl core::error::Error for OtherActions {}

impl Input {
    /// The input of a game before its first frame, without devices.
    pub fn new(rig: Rig) -> Self {
        let roster = Roster::default();
        let plan = Plan::bind(&rig, &roster);
        let machine = Machine::new(&plan, Tick(0));
        let count = rig.actions.len();
        let pulses = pulses(&plan, count);
        Input {
            rig,
            roster,
            plan,
            machine,
            waiting: Vec::with_capacity(WAITING),
            now: Nanos(0),
            before: Nanos(0),
            has_run: false,
            pulses,
            states: alloc::vec![ActionState::IDLE; count],
            counts: alloc::vec![Count::default(); count],
            #[cfg(feature = "trace")]
            trace: None,
        }
    }

    /// The same with a [`Trace`] of what happens, which keeps so much.
    #[cfg(feature = "trace")]
    pub fn traced(rig: Rig, capacity: Capacity) -> Self {
        let trace = Trace::new(rig.clone(), capacity);
        Input { trace: Some(Box::new(trace)), ..Input::new(rig) }
    }

    /// What happened in the last seconds, of an input that is [traced](Input::traced).
    #[cfg(feature = "trace")]
    pub fn trace(&self) -> Option<&Trace> {
        self.trace.as_deref()
    }

    /// The action of a name.
    pub fn action(&self, name: &str) -> Option<Action> {
        let at = self.rig.actions.iter().position(|action| action.name == name)?;
        Some(Action(ActionId::at(at)))
    }

    /// A control of a device, by its code, such as `south`.
    pub fn control(&self, device: DeviceId, code: &str) -> Option<Control> {
        self.roster.device(device).control(code).map(Control)
    }

    /// The action at a place of the rig; see [`Action::place`].
    pub fn action_at(&self, place: usize) -> Option<Action> {
        (place < self.states.len()).then(|| Action(ActionId::at(place)))
    }

    /// The control at a place; see [`Control::place`].
    pub fn control_at(&self, place: usize) -> Option<Control> {
        let control = self.roster.controls().get(place)?;
        (!control.is_presence).then(|| Control(ControlId::at(place)))
    }

    /// A reader for a loop of the game: it sees what happens from now on.
    pub fn reader(&self) -> Reader {
        Reader::new(self)
    }

    /// A device is there. One with the identity, kind and controls of one that went is that
    /// one again.
    ///
    /// # Errors
    /// When there is no room for its controls.
    pub fn plug(&mut self, info: DeviceInfo, time: Nanos) -> Result<DeviceId, RosterError> {
        #[cfg(feature = "trace")]
        if let Some(trace) = &mut self.trace {
            trace.plug(info.clone(), time)?;
        }
        let device = self.roster.admit(info, &self.rig.slots)?;
        self.plan = Plan::bind(&self.rig, &self.roster);
        self.machine.fit(&self.plan);
        self.tell_presence(device, Presence::Here, time);
        Ok(device)
    }

    /// A device went. What was held on it is released.
    pub fn unplug(&mut self, device: DeviceId, time: Nanos) {
        #[cfg(feature = "trace")]
        if let Some(trace) = &mut self.trace {
            trace.unplug(device, time);
        }
        self.tell_presence(device, Presence::Gone, time);
        self.roster.dismiss(device);
    }

    /// A device can be heard, or no longer: when the window loses the focus, its keyboard
    /// cannot, and what was held is released.
    pub fn set_presence(&mut self, device: DeviceId, presence: Presence, time: Nanos) {
        #[cfg(feature = "trace")]
        if let Some(trace) = &mut self.trace {
            trace.set_presence(device, presence, time);
        }
        self.tell_presence(device, presence, time);
    }

    fn tell_presence(&mut self, device: DeviceId, presence: Presence, time: Nanos) {
        let control = self.roster.device(device).presence();
        self.wait(Event::new(time, control, presence.value()));
    }

    /// Controls took values at a time, as their devices report them. What is told of the
    /// past, of which a frame has run already, is seen by the next frame.
    pub fn feed(&mut self, time: Nanos, values: &[(Control, i32)]) {
        for &(Control(control), value) in values {
            let event = Event::new(time, control, value);
            #[cfg(feature = "trace")]
            if let Some(trace) = &mut self.trace {
                trace.report(event);
            }
            self.wait(event);
        }
    }

    fn wait(&mut self, mut event: Event) {
        if self.has_run && event.time <= self.now {
            event.time = Nanos(self.now.0 + 1);
            event.marks |= Marks::LATE;
        }
        // Mostly the last; of several at the same time in the order in which they were told.
        let at = self.waiting.iter().rposition(|other| other.time <= event.time);
        self.waiting.insert(at.map_or(0, |at| at + 1), event);
    }

    /// Runs a frame: everything up to `now` has happened. A `now` that is not after the last
    /// one runs none.
    pub fn frame(&mut self, now: Nanos) {
        if self.has_run && now <= self.now {
            return;
        }
        let seconds = match self.has_run {
            true => (now.0 - self.now.0) as f32 / 1e9,
            false => self.plan.rate().period_seconds(),
        };
        self.before = if self.has_run { self.now } else { now };
        self.now = now;
        self.has_run = true;
        let due = self.waiting.partition_point(|event| event.time <= now);
        self.machine.tick_lasting(&self.plan, now, seconds, &self.waiting[..due]);
        self.waiting.drain(..due);
        self.count();
        #[cfg(feature = "trace")]
        if let Some(trace) = &mut self.trace {
            trace.run_to(now);
        }
    }

    fn count(&mut self) {
        let Input { machine, plan, states, counts, pulses, before, now, .. } = self;
        for &id in machine.changed() {
            let (was, is) = (states[id.index()], machine.action(id));
            let count = &mut counts[id.index()];
            count.take_in(was, *before);
            if was.is_active() != is.is_active() && plan.gives(id) != Gives::Pulse {
                count.turned(is.is_active(), *now);
            }
            states[id.index()] = is;
        }
        // A pulse that fires in two frames one after the other has not changed.
        for id in pulses.iter().filter(|id| states[id.index()].is_active()) {
            counts[id.index()].turned(true, *now);
        }
    }

    /// Takes another rig, as when a person has edited its file: what is held goes on, and is
    /// no press. What has to be let go before it counts still has to. Toggles are off again;
    /// modes, gestures, combos and filters begin anew; and a control as a button that is between
    /// its two thresholds is up, where these are others now.
    ///
    /// # Errors
    /// When it has not the same actions in the same order, by which the game knows them.
    pub fn reload(&mut self, rig: Rig) -> Result<(), OtherActions> {
        let is_missing = |at: usize, name: &str, gives: Gives| {
            rig.actions.get(at).is_none_or(|new| new.name != name || new.gives != gives)
        };
        let mut before = self.rig.actions.iter().enumerate();
        let missing = before.find(|(at, of)| is_missing(*at, &of.name, of.gives));
        if let Some((_, action)) = missing {
            return Err(OtherActions { missing: action.name.clone() });
        }
        #[cfg(feature = "trace")]
        if let Some(trace) = &mut self.trace {
            trace.reload(rig.clone());
        }
        let plan = Plan::bind(&rig, &self.roster);
        // Before the first frame nothing is held.
        self.machine = match self.has_run {
            true => self.machine.handed_over(&self.plan, &plan, self.now),
            false => Machine::new(&plan, Tick(0)),
        };
        self.plan = plan;
        self.pulses = pulses(&self.plan, rig.actions.len());
        self.counts.resize(rig.actions.len(), Count::default());
        self.states.resize(rig.actions.len(), ActionState::IDLE);
        self.rig = rig;
        for id in ActionId::first(self.states.len()) {
            self.counts[id.index()].take_in(self.states[id.index()], self.now);
            self.states[id.index()] = self.machine.action(id);
        }
        Ok(())
    }

    /// Whether an action is on, or off its rest.
    pub fn is_on(&self, action: Action) -> bool {
        self.state(action).is_active()
    }

    /// The value of an action: 1 or 0, an axis from -1 to +1, the x of a plane, the angle of
    /// a polar one.
    pub fn value(&self, action: Action) -> f32 {
        self.state(action).x
    }

    /// Both values of an action: x and y of a plane or a place.
    pub fn vector(&self, action: Action) -> [f32; 2] {
        let state = self.state(action);
        match self.gives(action) {
            Gives::Polar => from_polar([state.x, state.y]),
            _ => [state.x, state.y],
        }
    }

    /// The direction of a plane or a polar action in degrees, counter-clockwise from the
    /// right, and how far it is pushed.
    pub fn angle(&self, action: Action) -> [f32; 2] {
        let state = self.state(action);
        match self.gives(action) {
            Gives::Polar => [state.x, state.y],
            _ => polar([state.x, state.y]),
        }
    }

    /// When an action last turned on or off; 0 before it ever did. Of a pulse: when it last
    /// fired.
    pub fn since(&self, action: Action) -> Nanos {
        self.counts[action.0.index()].since
    }

    /// The control that drives an action, and its device; `None` at rest.
    pub fn driver(&self, action: Action) -> Option<(DeviceId, &str)> {
        let control = self.state(action).driver?;
        Some((self.roster.control(control).device, self.roster.code(control)))
    }

    /// Why an action does nothing although something drives it, if its gates are closed.
    pub fn closed_by(&self, action: Action) -> Option<Closed> {
        self.machine.closed_by(&self.plan, action.0)
    }

    /// The main device, if any can be heard.
    pub fn main(&self) -> Option<DeviceId> {
        self.machine.main()
    }

    /// The last frame.
    pub fn now(&self) -> Nanos {
        self.now
    }

    /// The rig in force.
    pub fn rig(&self) -> &Rig {
        &self.rig
    }

    /// The devices.
    pub fn roster(&self) -> &Roster {
        &self.roster
    }

    fn state(&self, action: Action) -> ActionState {
        self.states[action.0.index()]
    }

    fn gives(&self, action: Action) -> Gives {
        self.plan.gives(action.0)
    }

    /// How far an action has gone since the beginning: its value, times seconds.
    pub(crate) fn way(&self, action: ActionId) -> [f64; 2] {
        self.counts[action.index()].way_until(self.states[action.index()], self.now)
    }
}

fn pulses(plan: &Plan, count: usize) -> Vec<ActionId> {
    ActionId::first(count).filter(|id| plan.gives(*id) == Gives::Pulse).collect()
}

impl Count {
    fn turned(&mut self, is_on: bool, now: Nanos) {
        match is_on {
            true => self.presses = self.presses.wrapping_add(1),
            false => self.releases = self.releases.wrapping_add(1),
        }
        self.since = now;
    }

    /// The value was `was` up to a frame, and is another from then on.
    fn take_in(&mut self, was: ActionState, until: Nanos) {
        self.way = self.way_until(was, until);
        self.from = until;
    }

    fn way_until(&self, state: ActionState, until: Nanos) -> [f64; 2] {
        let seconds = until.0.saturating_sub(self.from.0) as f64 / 1e9;
        [self.way[0] + f64::from(state.x) * seconds, self.way[1] + f64::from(state.y) * seconds]
    }
}
