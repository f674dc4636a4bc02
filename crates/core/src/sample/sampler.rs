//! All controls and devices of a run, polled once per tick.
//!
//! Cost follows what was reported: a control without an event since the poll before is not looked
//! at, but to clear an edge or to resolve a latch.
//!
//! A device that cannot be heard (gone, or deaf) lets go of everything: its buttons are released
//! and its axes at rest, marked as synthetic, since no hand did it. What it says before it can be
//! heard again moves nothing.

use super::{BoundThresholds, ControlState, DeviceStatus, Election, SamplePlan};
use crate::base::{ControlId, DeviceId, Nanos, SparseSet};
use crate::device::{ControlKind, Event, Marks, Presence, Scale};
use alloc::vec::Vec;

/// The state of every control and device.
///
/// Invariant: a control is in `touched` after a poll exactly if it had an event
/// since the poll before, was let go, or had an edge to clear or a latch to
/// resolve.
///
/// It has no thought of actions or rigs: what it knows of them is in the [`SamplePlan`].
#[derive(Clone, Debug, Default)]
pub(crate) struct Sampler {
    /// By [`ControlId`], presences included.
    controls: Vec<ControlState>,
    /// By [`DeviceId`].
    devices: Vec<DeviceStatus>,
    /// The controls to look at; see above.
    touched: SparseSet<ControlId>,
    /// Every button of which a debounce holds something back; perhaps some of which it no
    /// longer does.
    held_back: SparseSet<ControlId>,
    /// Whether an event of this tick carried a state over from before the recording.
    has_carried: bool,
    /// Presses so far, over all controls: what orders them.
    presses: u32,
    /// Presses that left no press edge.
    lost: u64,
}

impl Sampler {
    /// Makes room for the controls of a plan; those it knows stay as they are.
    ///
    /// A roster only grows, so those of a plan that is bound anew come behind those that are there.
    pub(crate) fn fit(&mut self, plan: &SamplePlan) {
        let known = self.controls.len();
        let new = plan.controls[known..].iter().map(|s| ControlState::at_rest(s.control.kind));
        self.controls.extend(new);
        self.devices.resize(plan.devices.len(), DeviceStatus::SILENT);
        self.touched.grow(plan.controls.len());
        self.held_back.grow(plan.controls.len());
    }

    /// All controls, as the last poll saw them.
    #[inline]
    pub(crate) fn controls(&self) -> &[ControlState] {
        &self.controls
    }

    /// All devices, as streams of reports.
    #[inline]
    pub(crate) fn devices(&self) -> &[DeviceStatus] {
        &self.devices
    }

    /// The controls that had an event in the last tick, or an edge to clear.
    #[inline]
    pub(crate) fn touched(&self) -> &[ControlId] {
        self.touched.as_slice()
    }

    /// Presses so far, over all controls.
    pub(crate) fn presses(&self) -> u32 {
        self.presses
    }

    /// Presses that left no press edge, over the whole run.
    pub(crate) fn lost(&self) -> u64 {
        self.lost
    }

    /// Ends the tick before: what was seen then is what was before now.
    ///
    /// A control with unfinished business stays touched: a latch that owes an edge, a debounce that
    /// holds back.
    #[inline]
    pub(crate) fn begin_tick(&mut self) {
        let Sampler { controls, touched, has_carried, .. } = self;
        if core::mem::take(has_carried) {
            touched.as_slice().iter().for_each(|id| controls[id.index()].carried = false);
        }
        touched.retain(|id| controls[id.index()].age());
    }

    /// Takes in the events of a tick, and shows those to `heard` that count: what a device says
    /// while nobody listens must not move anything. Those that are plain, for they say where a
    /// control is, and nothing else, are shown only if it `tells_all`, or while a debounce holds
    /// something back.
    ///
    /// Each in this order: debounces that are over by then are let through; a presence is heard;
    /// what a device says that cannot be heard is left out; use is noted for the election; the
    /// control takes the event in.
    #[inline]
    pub(crate) fn receive(
        &mut self,
        plan: &SamplePlan,
        events: &[Event],
        election: &mut Election,
        tells_all: bool,
        mut heard: impl FnMut(&[ControlState], &Event),
    ) {
        let mut events = events;
        while !events.is_empty() {
            events = self.receive_plain(plan, events, election, |controls, event| {
                if tells_all {
                    heard(controls, event);
                }
            });
            let Some((event, rest)) = events.split_first() else { return };
            if self.receive_any(plan, event, election) {
                heard(&self.controls, event);
            }
            events = rest;
        }
    }

    /// Takes in events as long as each says where a control is, without a mark, and nothing is
    /// held back: most events are such. Returns the others, from the first of them on.
    ///
    /// A function of its own, so that what its loop needs stays in registers.
    #[inline(never)]
    fn receive_plain<'e>(
        &mut self,
        plan: &SamplePlan,
        events: &'e [Event],
        election: &mut Election,
        mut heard: impl FnMut(&[ControlState], &Event),
    ) -> &'e [Event] {
        if !self.held_back.is_empty() {
            return events;
        }
        // As slices, whose places are known to stay where they are.
        let (controls, devices) = (self.controls.as_mut_slice(), self.devices.as_mut_slice());
        let mut rest = events;
        while let Some((event, after)) = rest.split_first() {
            let sampled = plan.control(event.control);
            if !event.marks.is_empty() || !matches!(sampled.scale, Scale::Travel(_)) {
                break;
            }
            rest = after;
            let status = &mut devices[sampled.control.device.index()];
            if status.presence != Presence::Here {
                continue;
            }
            let state = &mut controls[event.control.index()];
            status.hear(sampled, event, state.actual, election);
            state.stand_at(event.value, event.time);
            self.touched.insert(event.control);
            heard(controls, event);
        }
        rest
    }

    /// Takes in an event of any kind. Returns whether it counts.
    #[inline(never)]
    fn receive_any(&mut self, plan: &SamplePlan, event: &Event, election: &mut Election) -> bool {
        if !self.held_back.is_empty() {
            self.let_through(plan, event.time);
        }
        let sampled = plan.control(event.control);
        let device = sampled.control.device;
        if sampled.control.is_presence {
            self.hear_presence(plan, device, event, election);
            return false;
        }
        let status = &mut self.devices[device.index()];
        if status.presence != Presence::Here {
            return false;
        }
        let state = &mut self.controls[event.control.index()];
        if event.marks.contains(Marks::CARRIED) {
            self.has_carried = true;
        } else {
            // What was counted in this tick already says nothing of the next report.
            let is_count = matches!(sampled.scale, Scale::Count);
            let before = if is_count { 0 } else { state.actual };
            status.hear(sampled, event, before, election);
        }
        if state.receive(sampled, plan.thresholds_of(sampled), event) {
            self.presses += 1;
            state.press_order = self.presses;
        }
        if state.held_until().is_some() {
            self.held_back.insert(event.control);
        }
        self.touched.insert(event.control);
        true
    }

    /// Lets debounces through whose time is over at an instant, in the order of their ends:
    /// so the one of two buttons that counted last is the one pressed last.
    ///
    /// It is called before each event as well, so that what was held back gets its place in the
    /// order of presses before what was pressed after its end.
    #[cold]
    fn let_through(&mut self, plan: &SamplePlan, until: Nanos) {
        let Sampler { controls, held_back, presses, .. } = self;
        loop {
            held_back.retain(|id| controls[id.index()].held_until().is_some());
            let ids = held_back.as_slice().iter();
            let held = ids.filter_map(|id| Some((controls[id.index()].held_until()?, *id)));
            let Some((_, id)) = held.min().filter(|(time, _)| *time <= until) else { return };
            let state = &mut controls[id.index()];
            if state.let_through(plan.control(id).edges.debounce) {
                *presses += 1;
                state.press_order = *presses;
            }
        }
    }

    /// A device came, went, fell silent or is heard again.
    ///
    /// A presence that was carried over and changes nothing says that the device was *used* before
    /// the recording began; see [`Sampler::opening`].
    #[cold]
    fn hear_presence(
        &mut self,
        plan: &SamplePlan,
        device: DeviceId,
        event: &Event,
        election: &mut Election,
    ) {
        let presence = Presence::from_value(event.value);
        let status = &mut self.devices[device.index()];
        if event.marks.contains(Marks::CARRIED) && presence == status.presence {
            election.used_by(device);
            return;
        }
        status.presence = presence;
        election.call();
        self.controls[event.control.index()].actual = event.value;
        self.touched.insert(event.control);
        for id in plan.controls_of(device) {
            let control = plan.control(id);
            let kind = control.control.kind;
            let moves = match presence {
                // A place is where it was, and may be past a threshold again.
                Presence::Here => {
                    let is_place = matches!(kind, ControlKind::Position { .. });
                    is_place && !plan.thresholds_of(control).is_empty()
                }
                Presence::Gone | Presence::Deaf => {
                    self.controls[id.index()].let_go(kind, event.time)
                }
            };
            if moves {
                self.touched.insert(id);
            }
        }
    }

    /// Polls the controls that were touched, at the instant `now`, and shows each
    /// to `read`; of a presence also the controls of its device, for a shape may
    /// make something of rest, and that counts only while the device is there.
    ///
    /// A control that is no button and holds a side counts as pressed now: after the buttons that
    /// were pressed in this tick, and of several in the order of ids.
    ///
    /// # Allocation
    /// None: `touched` has room for every control.
    #[inline]
    pub(crate) fn poll(
        &mut self,
        plan: &SamplePlan,
        now: Nanos,
        mut read: impl FnMut(ControlId, Polled),
    ) {
        if !self.held_back.is_empty() {
            self.let_through(plan, now);
        }
        for &id in self.touched.as_slice() {
            let sampled = plan.control(id);
            let state = &mut self.controls[id.index()];
            if sampled.control.is_presence {
                state.see_presence();
                for sibling in plan.controls_of(sampled.control.device) {
                    read(sibling, Polled::Device);
                }
                continue;
            }
            self.lost += u64::from(state.sample(sampled));
            let thresholds = plan.thresholds_of(sampled);
            // What cannot be heard is past none, wherever it is.
            if !thresholds.is_empty()
                && self.devices[sampled.control.device.index()].presence == Presence::Here
            {
                state.pass(thresholds);
                if state.takes_side(thresholds) {
                    order_sides(plan, &mut self.controls, &mut self.presses);
                }
            }
            read(id, Polled::Control);
        }
    }

    /// Before the first tick: what is held in another run is held as it is there.
    pub(crate) fn hold_as(
        &mut self,
        (other, of_other): (&Sampler, &SamplePlan),
        plan: &SamplePlan,
    ) {
        let ids = ControlId::first(self.controls.len());
        for (id, (state, before)) in ids.zip(self.controls.iter_mut().zip(&other.controls)) {
            let its = of_other.thresholds_of(of_other.control(id));
            let was_past = |pair: &BoundThresholds| {
                its.iter().any(|it| it.thresholds == pair.thresholds && before.is_past(it.bit))
            };
            let pairs = plan.thresholds_of(plan.control(id)).iter();
            state.hold_as(before.taken, pairs.filter(|pair| was_past(pair)));
        }
    }

    /// Takes a button from the actions until it is released, if it is down.
    ///
    /// The sampler lets go by itself, when a poll finds the button up.
    pub(crate) fn take(&mut self, control: ControlId) {
        let state = &mut self.controls[control.index()];
        state.taken = state.is_down();
    }

    /// What a recording that begins here must say first: see
    /// [`Machine::opening`](crate::Machine::opening).
    ///
    /// In this order: the presences; of the devices that were used their presences once more, the
    /// one used last at the end; then every control that is off its rest, and at the end, in the
    /// order in which they were pressed, buttons and what holds a side. What a latch hides is said
    /// as an event of its own, and so is what a debounce holds back: no device says that again.
    pub(crate) fn opening(
        &self,
        plan: &SamplePlan,
        election: &Election,
        time: Nanos,
    ) -> Vec<Event> {
        let mut ids: Vec<ControlId> = ControlId::first(self.controls.len()).collect();
        let order = |id: &ControlId| {
            let (sampled, state) = (plan.control(*id), &self.controls[id.index()]);
            let is_held =
                sampled.control.kind.is_button() || state.holds_side(plan.thresholds_of(sampled));
            (!sampled.control.is_presence, if is_held { state.press_order } else { 0 })
        };
        ids.sort_by_key(order);
        let said = ids.into_iter().flat_map(|control| {
            let state = &self.controls[control.index()];
            let kind = plan.control(control).control.kind;
            let carried = Event { time, value: state.seen, control, marks: Marks::CARRIED };
            let hidden = Event { value: state.actual, marks: Marks::empty(), ..carried };
            let held_back = Event { value: state.reported, ..hidden };
            let is_hiding = kind.is_button() && state.actual != state.seen;
            let is_off = state.seen != kind.rest() && kind != ControlKind::Relative;
            let is_holding_back = state.held_until().is_some();
            [
                is_off.then_some(carried),
                is_hiding.then_some(hidden),
                is_holding_back.then_some(held_back),
            ]
        });
        let (there, mut opening): (Vec<Event>, Vec<Event>) =
            said.flatten().partition(|event| plan.control(event.control).control.is_presence);
        let used = |event: &Event| election.rank(plan.device_of(event.control));
        let is_used =
            |event: &&Event| used(event) > 0 && Presence::from_value(event.value) == Presence::Here;
        let mut users: Vec<Event> = there.iter().filter(is_used).copied().collect();
        users.sort_by_key(used);
        opening.splice(0..0, there.into_iter().chain(users));
        opening
    }
}

/// One more control was found to hold a side since this tick: all that were found so far get
/// their places among the presses, in the order of ids.
#[cold]
fn order_sides(plan: &SamplePlan, controls: &mut [ControlState], presses: &mut u32) {
    let takes_side = |pair: &&BoundThresholds, controls: &[ControlState]| {
        controls[pair.control.index()].takes_side(core::slice::from_ref(pair))
    };
    let count = plan.thresholds.iter().filter(|pair| takes_side(pair, controls)).count();
    *presses += 1;
    let mut order = *presses - count as u32;
    for pair in &plan.thresholds {
        if takes_side(&pair, controls) {
            order += 1;
            controls[pair.control.index()].press_order = order;
        }
    }
}

/// What of a control was polled.
///
/// Inputs that read a control must be worked out again for either.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Polled {
    /// The control itself.
    Control,
    /// Whether its device can be heard.
    Device,
}
