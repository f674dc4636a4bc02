//! The mutable half of a run: everything that changes from tick to tick.
//!
//! A [`Machine`] belongs to a [`Plan`] for the controls it was
//! [fitted](Machine::fit) to; running it with a plan of the same roster or of
//! a later one is what a session does when a device arrives. Cloning it makes
//! a checkpoint: the clone, given the same events, computes the same ticks.

use crate::base::{ActionId, ControlId, DeviceId, Moment, Nanos, Tick};
use crate::combo::{ComboEngine, ComboNews, ComboState, Modes, SignalEdge, SignalTracker};
use crate::device::{ControlKind, Event, Marks, Presence};
use crate::gesture::{GestureCandidate, GestureEngine, GestureState, GestureVerdict};
use crate::plan::{ActionGate, ActionState, BoundInput, Plan};
use crate::run::{Controls, combine};
use crate::sample::{ControlState, DeviceStatus};
use crate::shape::StageMemory;
use crate::spec::{Gives, MainRule};
use crate::touch::{ContactState, ContactUpdate};
use alloc::vec::Vec;
use core::cmp::Reverse;

/// The state of a run after its last tick.
#[derive(Clone, Debug)]
pub struct Machine {
    next: Tick,
    cells: Vec<ControlState>,
    devices: Vec<DeviceStatus>,
    actions: Vec<ActionState>,
    /// What each input alone would make of its action, in the order of the
    /// plan; worked out again only when something it reads has changed.
    inputs: Vec<ActionState>,
    /// Controls with an event in this tick, or with one to finish from the
    /// last; none twice.
    touched: Vec<ControlId>,
    stale: Vec<ControlId>,
    changed: Vec<ActionId>,
    is_changed: Vec<bool>,
    /// Inputs that go on changing by themselves.
    unfinished: Vec<u32>,
    due_inputs: Vec<u32>,
    is_input_due: Vec<bool>,
    due: Vec<ActionId>,
    is_due: Vec<bool>,
    /// What stages of shaping remember, in the order of the plan.
    memories: Vec<StageMemory>,
    gating: Vec<Gating>,
    /// Contacts of touch panels, as the zones see them.
    touches: Vec<ContactState>,
    due_touches: Vec<u16>,
    /// Those that zones got or lost in this tick.
    changed_touches: Vec<u16>,
    /// What this tick found out about contacts, for the gestures.
    news: Vec<ContactUpdate>,
    /// The zones that are closed, a bit each.
    closed_zones: u64,
    watch: GestureEngine,
    ears: SignalTracker,
    combos: ComboEngine,
    /// What the combos heard in this tick.
    edges: Vec<SignalEdge>,
    modes: Modes,
    /// Another mode came at the last tick: the actions with modes are due, and
    /// perhaps what was begun is to be forgotten.
    switched: Option<bool>,
    presses: u32,
    lost: u64,
    main: Option<DeviceId>,
    /// The device that was used last, and how often that has been another one.
    user: Option<DeviceId>,
    hand_overs: u32,
    /// Who is the main device may have changed in this tick.
    election_due: bool,
}

/// Why an action is not let through.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Closed {
    /// This action is on.
    While(ActionId),
    /// This action is off.
    Without(ActionId),
    /// This mode, by its place in the rig, is on top.
    Mode(u8),
    /// What was held while it was closed has not been let go yet.
    Waiting,
}

/// Whether an action is let through by its gates.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Gating {
    Open,
    Closed,
    /// Open again, but what was held meanwhile must be let go first: a button
    /// that closed a menu is not to sound the horn.
    Waiting,
}

impl Machine {
    /// A machine before `first`, with everything at rest.
    pub fn new(plan: &Plan, first: Tick) -> Self {
        let mut machine = Machine {
            next: first,
            cells: Vec::new(),
            devices: Vec::new(),
            actions: Vec::new(),
            inputs: Vec::new(),
            touched: Vec::new(),
            stale: Vec::new(),
            changed: Vec::new(),
            is_changed: Vec::new(),
            unfinished: Vec::new(),
            due_inputs: Vec::new(),
            is_input_due: Vec::new(),
            due: Vec::new(),
            is_due: Vec::new(),
            memories: Vec::new(),
            gating: Vec::new(),
            touches: Vec::new(),
            due_touches: Vec::new(),
            changed_touches: Vec::new(),
            news: Vec::new(),
            closed_zones: 0,
            watch: GestureEngine::default(),
            ears: SignalTracker::default(),
            combos: ComboEngine::default(),
            edges: Vec::new(),
            modes: Modes::FIRST,
            switched: None,
            presses: 0,
            lost: 0,
            main: None,
            user: None,
            hand_overs: 0,
            election_due: false,
        };
        machine.fit(plan);
        machine
    }

    /// Makes room for the controls and actions of a plan, so that no tick
    /// needs to allocate.
    pub fn fit(&mut self, plan: &Plan) {
        let known = self.cells.len();
        self.cells
            .extend(plan.controls()[known..].iter().map(|s| ControlState::at_rest(s.control.kind)));
        self.devices.resize(plan.devices().len(), DeviceStatus::SILENT);
        self.actions.resize(plan.action_count(), ActionState::IDLE);
        self.is_due.resize(plan.action_count(), false);
        self.is_changed.resize(plan.action_count(), false);
        self.gating.resize(plan.action_count(), Gating::Open);
        self.memories.resize(plan.memory_count(), StageMemory::default());
        self.touches.resize(plan.contacts().len(), ContactState::default());
        for list in [&mut self.due_touches, &mut self.changed_touches] {
            list.reserve(plan.contacts().len() - list.len());
        }
        self.news.clear();
        self.news.reserve(plan.contacts().len());
        self.watch.fit(plan);
        self.ears.fit(plan.signal_count());
        self.combos.fit(plan.automaton(), plan.signal_count());
        self.edges.clear();
        if plan.has_combos() {
            self.edges.reserve(plan.control_count() + plan.signal_count() + 1);
        }
        for list in [&mut self.touched, &mut self.stale] {
            list.reserve(plan.control_count() - list.len());
        }
        for list in [&mut self.changed, &mut self.due] {
            list.reserve(plan.action_count() - list.len());
        }
        if self.inputs.len() != plan.input_count() {
            self.renumber_inputs(plan);
        }
    }

    /// Another device came, and inputs have other places: all are worked out
    /// again, which gives what was there.
    fn renumber_inputs(&mut self, plan: &Plan) {
        let count = plan.input_count();
        self.inputs.clear();
        self.inputs.resize(count, ActionState::IDLE);
        self.is_input_due.clear();
        self.is_input_due.resize(count, true);
        self.unfinished.clear();
        self.unfinished.reserve(count);
        self.due_inputs.clear();
        self.due_inputs.extend(0..count as u32);
    }

    /// The tick that [`Machine::tick`] will run.
    pub fn next_tick(&self) -> Tick {
        self.next
    }

    /// The tick this state is of: the last one run, or tick 0.
    pub fn at(&self) -> Tick {
        self.next.before()
    }

    /// A control as the last poll saw it.
    pub fn cell(&self, control: ControlId) -> &ControlState {
        &self.cells[control.index()]
    }

    /// A device as a stream of reports.
    pub fn hearing(&self, device: DeviceId) -> &DeviceStatus {
        &self.devices[device.0 as usize]
    }

    /// An action at the last tick.
    pub fn action(&self, action: ActionId) -> ActionState {
        self.actions[action.index()]
    }

    /// The controls that had an event in the last tick, or an edge to clear.
    pub fn touched(&self) -> &[ControlId] {
        &self.touched
    }

    /// The actions whose value or driver changed in the last tick.
    pub fn changed(&self) -> &[ActionId] {
        &self.changed
    }

    /// Presses that left no press edge, over the whole run.
    pub fn lost(&self) -> u64 {
        self.lost
    }

    /// The main device, if any can be heard.
    pub fn main(&self) -> Option<DeviceId> {
        self.main
    }

    /// Whether a tick without events would change nothing at all.
    pub fn is_settled(&self) -> bool {
        self.touched.is_empty()
            && self.changed.is_empty()
            && self.unfinished.is_empty()
            && self.due_inputs.is_empty()
            && self.watch.is_settled()
            && self.combos.is_settled()
            && self.edges.is_empty()
            && self.switched.is_none()
    }

    /// When a tick must run though no event comes: a finger that stays becomes a
    /// long press.
    pub fn wakes(&self) -> Option<Nanos> {
        // Of a clock that stands still nothing comes.
        let combos = self.combos.wakes().filter(|_| !self.modes.is_frozen());
        let combos = combos.map(|time| Nanos(time.0 + self.paused().time.0));
        match (self.watch.wakes(), combos) {
            (Some(one), Some(other)) => Some(one.min(other)),
            (one, other) => one.or(other),
        }
    }

    /// For how long the clock of the combos has stood still, if it does not now.
    fn paused(&self) -> Moment {
        self.modes.paused_at(Moment::default())
    }

    /// Jumps over ticks that would change nothing.
    ///
    /// # Panics
    /// In debug builds, when the machine is not [settled](Machine::is_settled).
    pub fn skip_to(&mut self, next: Tick) {
        debug_assert!(self.is_settled() && next >= self.next);
        self.next = next;
    }

    /// Runs one tick: polls the controls at the instant `now` after these
    /// events, derives edges, and evaluates the actions that could have
    /// changed. Does not allocate.
    ///
    /// `events` are those after the tick before and not after `now`, in order,
    /// of controls the machine was fitted to. [`run`] polls at the instants of
    /// the plan's rate, an [audit](crate::audit) at those of any loop.
    pub fn tick(&mut self, plan: &Plan, now: Nanos, events: &[Event]) {
        for id in self.changed.drain(..) {
            self.is_changed[id.index()] = false;
        }
        self.finish_last_tick();
        for event in events {
            self.receive(plan, event);
        }
        if core::mem::take(&mut self.election_due) {
            self.elect(plan);
        }
        self.poll(plan, now);
        if plan.has_combos() {
            if plan.has_early() {
                self.evaluate(plan, true);
            }
            self.follow_combos(plan, now);
        }
        if self.switched.take().is_some() {
            self.open_modes(plan);
        }
        self.evaluate(plan, false);
        self.ears.actions_due = !self.changed.is_empty();
        if !plan.modes().is_empty() && !self.changed.is_empty() {
            let now = Moment { time: now, tick: self.next };
            let went_on =
                |action| self.changed.contains(&action) && self.actions[action.index()].is_active();
            self.switched = self.modes.follow(plan.modes(), went_on, now);
        }
        self.next = self.next.next();
    }

    fn finish_last_tick(&mut self) {
        for n in self.changed_touches.drain(..) {
            self.touches[usize::from(n)].age();
        }
        core::mem::swap(&mut self.touched, &mut self.stale);
        for id in self.stale.drain(..) {
            let cell = &mut self.cells[id.index()];
            if cell.age() {
                cell.touched = true;
                self.touched.push(id);
            }
        }
    }

    fn touch(&mut self, id: ControlId) {
        let cell = &mut self.cells[id.index()];
        if !cell.touched {
            cell.touched = true;
            self.touched.push(id);
        }
    }

    fn receive(&mut self, plan: &Plan, event: &Event) {
        let sampled = plan.sampled(event.control);
        let control = sampled.control;
        let hearing = &mut self.devices[control.device.0 as usize];
        if control.is_presence {
            let presence = Presence::from_value(event.value);
            if event.marks.contains(Marks::CARRIED) && presence == hearing.presence {
                self.used_by(control.device);
                return;
            }
            hearing.presence = presence;
            self.election_due = true;
            self.cells[event.control.index()].actual = event.value;
            self.touch(event.control);
            if hearing_lost(event.value) {
                self.let_go(plan, event.control, event.time);
            }
            return;
        }
        // What a device says while nobody listens must not move anything.
        if hearing.presence != Presence::Here {
            return;
        }
        if !event.marks.contains(Marks::CARRIED) {
            hearing.last_report = Some(event.time);
            // Getting there is somebody's doing; staying there, with all the noise
            // of it, takes nothing from whoever acted since.
            let was = self.cells[event.control.index()].actual;
            let is_use = sampled.used.is_beyond(event.value) && !sampled.used.is_beyond(was);
            if is_use && !event.marks.contains(Marks::REPEAT) {
                hearing.last_use = Some(event.time);
                self.used_by(control.device);
            }
        }
        let cell = &mut self.cells[event.control.index()];
        if cell.receive(sampled, plan.passings(sampled), event) {
            self.presses += 1;
            cell.press_order = self.presses;
        }
        if let Some(n) = plan.contact_of(event.control) {
            self.touches[usize::from(n)].hear(&plan.contacts()[usize::from(n)], event);
        }
        self.touch(event.control);
    }

    fn used_by(&mut self, device: DeviceId) {
        if self.user != Some(device) {
            self.user = Some(device);
            self.hand_overs += 1;
            self.devices[device.0 as usize].used = self.hand_overs;
            self.election_due = true;
        }
    }

    /// Finds out which device is the main one, and has the actions that only
    /// it drives evaluated again when that is another one now.
    fn elect(&mut self, plan: &Plan) {
        let by_use = plan.main_rule() == MainRule::LastUsed;
        let candidates = plan.devices().iter().zip(&self.devices).zip(0..);
        let main = candidates
            .filter(|((_, hearing), _)| hearing.presence == Presence::Here)
            .filter_map(|((device, hearing), id)| Some((device.main_number?, hearing.used, id)))
            .max_by_key(|&(number, used, id)| {
                (if by_use { used } else { 0 }, Reverse(number), Reverse(id))
            });
        let main = main.map(|(.., id)| DeviceId(id));
        if main != self.main {
            self.main = main;
            for &action in plan.main_only() {
                for input in plan.inputs_of(action) {
                    mark_input(&mut self.due_inputs, &mut self.is_input_due, input);
                }
            }
        }
    }

    fn let_go(&mut self, plan: &Plan, presence: ControlId, time: Nanos) {
        for id in plan.siblings(presence).skip(1).map(ControlId) {
            if self.cells[id.index()].let_go(plan.sampled(id).control.kind, time) {
                self.touch(id);
            }
        }
    }

    fn poll(&mut self, plan: &Plan, now: Nanos) {
        for i in 0..self.touched.len() {
            let id = self.touched[i];
            let sampled = plan.sampled(id);
            let cell = &mut self.cells[id.index()];
            if sampled.control.is_presence {
                cell.seen = cell.actual;
                cell.reported = cell.actual;
                cell.value = f32::from(u8::from(cell.seen == Presence::Here.value()));
                // A shape may make something of rest; that counts only while
                // the device is there.
                for sibling in plan.siblings(id).skip(1).map(ControlId) {
                    for &input in plan.read_by(sibling) {
                        mark_input(&mut self.due_inputs, &mut self.is_input_due, input);
                    }
                }
                continue;
            }
            let polled = cell.sample(sampled, plan.passings(sampled), now);
            if let Some(n) = plan.contact_of(id) {
                let touch = &mut self.touches[usize::from(n)];
                if !core::mem::replace(&mut touch.is_due, true) {
                    self.due_touches.push(n);
                }
            }
            self.lost += u64::from(polled.lost);
            if polled.pressed {
                self.presses += 1;
                cell.press_order = self.presses;
            }
            for &input in plan.read_by(id) {
                mark_input(&mut self.due_inputs, &mut self.is_input_due, input);
            }
        }
        self.follow_touches(plan, now);
        self.follow_gestures(plan, now);
        for input in self.unfinished.drain(..) {
            mark_input(&mut self.due_inputs, &mut self.is_input_due, input);
        }
    }

    /// Finds out which zones have the contacts that moved, and has those that
    /// got one or lost one evaluated.
    fn follow_touches(&mut self, plan: &Plan, now: Nanos) {
        self.news.clear();
        self.close_zones(plan);
        for n in self.due_touches.drain(..) {
            let contact = &plan.contacts()[usize::from(n)];
            let value = |id: ControlId| self.cells[id.index()].value;
            let is_down = self.cells[contact.down.index()].is_down();
            let place = [value(contact.x), value(contact.y)];
            let touch = &mut self.touches[usize::from(n)];
            touch.is_due = false;
            let (changed, news) =
                touch.poll(plan.zones(), (contact, n), place, (is_down, self.closed_zones, now));
            self.news.push(news);
            if changed == 0 {
                continue;
            }
            self.changed_touches.push(n);
            for reader in plan.zone_readers().iter().filter(|reader| reader.reads(n, changed)) {
                mark_input(&mut self.due_inputs, &mut self.is_input_due, reader.input);
            }
        }
    }

    /// Opens and closes zones by the actions of the tick before; the contacts on
    /// them are looked at again.
    fn close_zones(&mut self, plan: &Plan) {
        let closes = |gate: &ActionGate| self.action(gate.by).is_active() == gate.closes;
        let closing = plan.zone_gates().iter().filter(|(_, gate)| closes(gate));
        let closed = closing.fold(0, |bits, (zone, _)| bits | 1 << zone);
        if core::mem::replace(&mut self.closed_zones, closed) == closed {
            return;
        }
        for (touch, n) in self.touches.iter_mut().zip(0..) {
            if touch.is_down() && !core::mem::replace(&mut touch.is_due, true) {
                self.due_touches.push(n);
            }
        }
    }

    /// Tells the gestures what became of the contacts, and has the inputs that
    /// are gestures evaluated where one changed.
    fn follow_gestures(&mut self, plan: &Plan, now: Nanos) {
        if plan.gestures().is_empty() {
            return;
        }
        self.watch.tick(plan, self.next, now, &self.news);
        for &gesture in self.watch.changed() {
            for at in plan.inputs_by_gesture(gesture) {
                mark_input(&mut self.due_inputs, &mut self.is_input_due, at);
            }
        }
    }

    /// Tells the combos what became of their signals, has the inputs that are
    /// combos evaluated where one changed, and takes buttons from the actions
    /// where one that fired does so.
    fn follow_combos(&mut self, plan: &Plan, now: Nanos) {
        self.edges.clear();
        if self.is_silent() && self.wakes().is_none_or(|wake| now < wake) {
            return;
        }
        let at = Moment { time: now, tick: self.next };
        let mut ears = core::mem::take(&mut self.ears);
        let mut edges = core::mem::take(&mut self.edges);
        edges.clear();
        ears.listen(self, plan, (now, self.next), &mut edges);
        self.ears = ears;
        self.edges = edges;
        let (mode, is_frozen) = (self.modes.top(), self.modes.is_frozen());
        let paused = self.modes.paused_at(at);
        for edge in &mut self.edges {
            let Moment { time, tick } = edge.moment().before(paused);
            (edge.time, edge.tick, edge.paused, edge.mode) = (time, tick, paused, mode);
        }
        let now = at.before(paused);
        if self.switched == Some(true) {
            let Moment { time, tick } = now;
            let by = None;
            let clear = SignalEdge {
                signal: None,
                is_press: false,
                time,
                tick,
                paused,
                mode,
                is_clear: true,
                by,
            };
            // What came since the switch belongs to the new mode.
            self.edges.insert(0, clear);
        }
        let automaton = plan.automaton();
        let (edges, tick) = ((self.edges.as_slice(), is_frozen), self.next);
        self.combos.tick(automaton, plan.rate(), (now, tick), edges);
        for &combo in self.combos.changed() {
            for at in plan.inputs_by_combo(combo) {
                mark_input(&mut self.due_inputs, &mut self.is_input_due, at);
            }
        }
        for combo in self.combos.taking(automaton) {
            for &signal in &automaton.combos[usize::from(combo)].signals {
                for &(control, _) in plan.signal_controls(signal) {
                    let cell = &mut self.cells[control.index()];
                    cell.taken = cell.is_down();
                    for &input in plan.read_by(control) {
                        mark_input(&mut self.due_inputs, &mut self.is_input_due, input);
                    }
                }
            }
        }
    }

    /// Whether the combos have nothing to hear, and nothing of the tick before to
    /// end.
    fn is_silent(&self) -> bool {
        self.touched.is_empty()
            && self.changed.is_empty()
            && self.changed_touches.is_empty()
            && self.watch.changed().is_empty()
            && !self.ears.actions_due
            && self.switched.is_none()
            && self.combos.is_settled()
    }

    /// Has the actions evaluated that are not open in every mode.
    fn open_modes(&mut self, plan: &Plan) {
        for id in (0..plan.action_count() as u16).map(ActionId) {
            if plan.action(id).modes != 0 {
                mark_due(&mut self.due, &mut self.is_due, id);
            }
        }
    }

    /// The modes that are on, by their place in the rig, from the bottom to the
    /// top.
    pub fn modes(&self) -> &[u8] {
        self.modes.stack()
    }

    /// A combo, by its place in the rig, at the last tick.
    pub fn combo(&self, combo: usize) -> ComboState {
        self.combos.state(combo)
    }

    /// The combos whose state changed in the last tick.
    pub fn changed_combos(&self) -> &[u16] {
        self.combos.changed()
    }

    /// What the last tick found out about combos.
    pub fn combo_news(&self) -> &[ComboNews] {
        self.combos.news()
    }

    /// What the combos heard in the last tick.
    pub fn signal_edges(&self) -> &[SignalEdge] {
        &self.edges
    }

    /// How many steps of a combo are met and may still be followed by the next.
    pub fn combo_progress(&self, plan: &Plan, combo: usize) -> usize {
        self.combos.progress(plan.automaton(), combo as u16, self.combo_now(plan))
    }

    /// The last tick by the clock of the combos.
    pub fn combo_now(&self, plan: &Plan) -> Moment {
        self.modes.clock(Moment { time: plan.rate().time_of(self.at()), tick: self.at() })
    }

    /// Whether a zone got a contact in the last tick, or lost one.
    pub(crate) fn touches_changed(&self) -> bool {
        !self.changed_touches.is_empty()
    }

    /// A gesture, by its place in the rig, at the last tick.
    pub fn gesture(&self, gesture: usize) -> GestureState {
        self.watch.state(gesture)
    }

    /// The gestures whose state changed in the last tick.
    pub fn changed_gestures(&self) -> &[u16] {
        self.watch.changed()
    }

    /// The verdicts that the last tick gave.
    pub fn verdicts(&self) -> &[GestureVerdict] {
        self.watch.verdicts()
    }

    /// The attempts at gestures that go on, with how far each was at the last
    /// tick.
    pub fn candidates(&self, plan: &Plan) -> Vec<GestureCandidate> {
        self.watch.candidates(plan, plan.rate().time_of(self.at()))
    }

    /// Whether a zone, by its place in the rig, has a contact, by its place in
    /// [`Plan::contacts`].
    pub fn zone_has(&self, zone: usize, contact: usize) -> bool {
        self.touches.get(contact).is_some_and(|touch| touch.is_in(zone as u8))
    }

    /// Evaluates what is due; with `only_early` only the actions that combos read.
    fn evaluate(&mut self, plan: &Plan, only_early: bool) {
        let Machine { cells, devices, touches, watch, combos, main, .. } = self;
        let (main, dt) = (*main, plan.period);
        let controls = Controls { plan, cells, devices, touches, watch, combos, main, dt };
        let mut left = 0;
        for n in 0..self.due_inputs.len() {
            let at = self.due_inputs[n];
            let (input, id) = plan.input(at);
            if only_early && !plan.is_early(id) {
                self.due_inputs[left] = at;
                left += 1;
                continue;
            }
            self.is_input_due[at as usize] = false;
            let action = plan.action(id);
            let (state, is_moving) = controls.input(action, input, &mut self.memories);
            let is_over_next_tick = matches!(action.gives, Gives::Pulse | Gives::Toggle);
            if is_moving || (is_over_next_tick && state.is_active()) {
                self.unfinished.push(at);
            }
            self.inputs[at as usize] = state;
            mark_due(&mut self.due, &mut self.is_due, id);
        }
        self.due_inputs.truncate(left);
        if plan.has_gates() {
            self.evaluate_gates(plan);
        }
        while let Some(id) = self.due.pop() {
            self.evaluate_action(plan, id);
        }
    }

    /// The actions that open and close others come first.
    fn evaluate_gates(&mut self, plan: &Plan) {
        let mut at = 0;
        while at < self.due.len() {
            let id = self.due[at];
            if plan.gated_by(id).is_empty() {
                at += 1;
                continue;
            }
            self.due.swap_remove(at);
            let was_on = self.action(id).is_active();
            self.evaluate_action(plan, id);
            if self.action(id).is_active() != was_on {
                for &gated in plan.gated_by(id) {
                    mark_due(&mut self.due, &mut self.is_due, gated);
                }
            }
        }
    }

    fn evaluate_action(&mut self, plan: &Plan, id: ActionId) {
        self.is_due[id.index()] = false;
        let inputs = plan.inputs_of(id);
        let inputs = &self.inputs[inputs.start as usize..inputs.end as usize];
        let action = plan.action(id);
        let mut state = combine(action, inputs);
        let gives = action.gives;
        if plan.has_gates() {
            state = self.gated(plan, id, state);
        }
        let slot = &mut self.actions[id.index()];
        if gives == Gives::Toggle {
            state = match state.driver {
                Some(_) if slot.is_active() => ActionState::IDLE,
                Some(_) => state,
                None => *slot,
            };
        }
        if *slot != state {
            *slot = state;
            mark_due(&mut self.changed, &mut self.is_changed, id);
        }
    }

    /// What the gates of an action let through.
    fn gated(&mut self, plan: &Plan, id: ActionId, state: ActionState) -> ActionState {
        let gates = plan.gates(plan.action(id));
        let is_closed = !self.is_open_by_mode(plan, id)
            || gates.iter().any(|gate| self.action(gate.by).is_active() == gate.closes);
        let gating = &mut self.gating[id.index()];
        let holds_back = plan.gives(id).is_digital() && state.is_active();
        *gating = match *gating {
            _ if is_closed => Gating::Closed,
            Gating::Closed | Gating::Waiting if holds_back => Gating::Waiting,
            _ => Gating::Open,
        };
        if *gating == Gating::Open { state } else { ActionState::IDLE }
    }

    fn is_open_by_mode(&self, plan: &Plan, id: ActionId) -> bool {
        let modes = plan.action(id).modes;
        modes == 0 || modes >> self.modes.top() & 1 != 0
    }

    /// What an action would be at the last tick if `input` alone drove it.
    pub fn through(&self, plan: &Plan, action: ActionId, input: BoundInput) -> ActionState {
        let mut memories = self.memories.clone();
        self.looking(plan).input(plan.action(action), &input, &mut memories).0
    }

    /// Why the gates of an action do not let it through, if they do not.
    pub fn closed_by(&self, plan: &Plan, action: ActionId) -> Option<Closed> {
        let closing = |gate: &&ActionGate| self.action(gate.by).is_active() == gate.closes;
        match (self.gating[action.index()], plan.gates(plan.action(action)).iter().find(closing)) {
            (Gating::Open, _) => None,
            _ if !self.is_open_by_mode(plan, action) => Some(Closed::Mode(self.modes.top())),
            (_, Some(gate)) if gate.closes => Some(Closed::While(gate.by)),
            (_, Some(gate)) => Some(Closed::Without(gate.by)),
            (Gating::Closed | Gating::Waiting, None) => Some(Closed::Waiting),
        }
    }

    /// The value of an input after each stage of its shape, the calibrated one
    /// first; empty for an input that is not shaped.
    pub fn stages(&self, plan: &Plan, input: BoundInput) -> Vec<[f32; 2]> {
        self.looking(plan).stages(&input, &self.memories)
    }

    /// Controls to look at without moving anything on.
    fn looking<'a>(&'a self, plan: &'a Plan) -> Controls<'a> {
        let Machine { cells, devices, touches, watch, combos, main, .. } = self;
        Controls { plan, cells, devices, touches, watch, combos, main: *main, dt: 0.0 }
    }

    /// What a recording that begins before the next tick must say first: every
    /// device that is there; once more those that were used, in that order;
    /// every control that is off its rest as a state carried over, in the order
    /// of the presses; and what a latch still hides as a plain event.
    pub fn opening(&self, plan: &Plan, time: Nanos) -> Vec<Event> {
        let mut ids: Vec<ControlId> = (0..self.cells.len() as u16).map(ControlId).collect();
        ids.sort_by_key(|id| (!plan.sampled(*id).control.is_presence, self.cell(*id).press_order));
        let said = ids.into_iter().flat_map(|control| {
            let cell = self.cell(control);
            let kind = plan.sampled(control).control.kind;
            let carried = Event { time, value: cell.seen, control, marks: Marks::CARRIED };
            let hidden = Event { value: cell.actual, marks: Marks::empty(), ..carried };
            let is_hiding = kind.is_button() && cell.actual != cell.seen;
            let is_off = cell.seen != kind.rest() && kind != ControlKind::Relative;
            [is_off.then_some(carried), is_hiding.then_some(hidden)]
        });
        let (there, mut opening): (Vec<Event>, Vec<Event>) =
            said.flatten().partition(|event| plan.sampled(event.control).control.is_presence);
        let used = |event: &Event| {
            self.devices[usize::from(plan.sampled(event.control).control.device.0)].used
        };
        let is_used = |event: &&Event| used(event) > 0 && !hearing_lost(event.value);
        let mut users: Vec<Event> = there.iter().filter(is_used).copied().collect();
        users.sort_by_key(used);
        opening.splice(0..0, there.into_iter().chain(users));
        opening
    }
}

fn mark_input(due: &mut Vec<u32>, is_due: &mut [bool], input: u32) {
    if !core::mem::replace(&mut is_due[input as usize], true) {
        due.push(input);
    }
}

fn mark_due(due: &mut Vec<ActionId>, is_due: &mut [bool], action: ActionId) {
    if !core::mem::replace(&mut is_due[action.index()], true) {
        due.push(action);
    }
}

fn hearing_lost(presence: i32) -> bool {
    Presence::from_value(presence) != Presence::Here
}

/// Runs a machine through `events`, which are in order, up to and including
/// tick `until`, and shows it after each tick that could have changed
/// anything. Ticks in which nothing can happen are jumped over. Returns how
/// many events were used.
///
/// This is the only loop: live, frozen, replayed and headless all run it.
pub fn run(
    machine: &mut Machine,
    plan: &Plan,
    events: &[Event],
    until: Tick,
    mut after_tick: impl FnMut(&Machine),
) -> usize {
    let rate = plan.rate();
    let mut used = 0;
    while machine.next_tick() <= until {
        if machine.is_settled() {
            let mut due = events.get(used).map(|event| event.time);
            if let Some(wake) = machine.wakes() {
                due = Some(due.map_or(wake, |time| time.min(wake)));
            }
            let due = due.map(|time| rate.tick_seeing(time));
            let next = due.filter(|&tick| tick <= until).unwrap_or(until.next());
            machine.skip_to(next.max(machine.next_tick()));
            if machine.next_tick() > until {
                break;
            }
        }
        let now = rate.time_of(machine.next_tick());
        let here = events[used..].iter().take_while(|event| event.time <= now).count();
        machine.tick(plan, now, &events[used..used + here]);
        used += here;
        after_tick(machine);
    }
    used
}
