//! A run with its past: what the application, live or replaying, holds.

use crate::frames::{Frame, Frames, Read};
use crate::history::{Capacity, History, Segment};
use crate::label::Label;
use crate::order::Order;
use crate::recording::{Recording, end_of};
use alloc::{sync::Arc, vec::Vec};
use gtrig_core::{
    ControlId, DeviceId, DeviceInfo, Event, GestureVerdict, Machine, Marks, Nanos, Plan, Presence,
    Rig, Roster, RosterError, Tick,
};

/// Ticks are run after this many events, so that few ever wait.
const BATCH: usize = 4096;

/// Devices, rig, machine and history in step.
///
/// Sources push into it ([`plug`](Session::plug), [`report`](Session::report)
/// and so on), the owner of the clock moves it on
/// ([`run_until`](Session::run_until)), and views read from it.
#[derive(Clone, Debug)]
pub struct Session {
    roster: Roster,
    rig: Rig,
    plan: Plan,
    machine: Machine,
    history: History,
    labels: Vec<Label>,
    frames: Frames,
    order: Order,
    /// Whether plan, machine and history have all the devices of the roster.
    is_bound: bool,
}

impl Session {
    /// An empty session that will start at tick `begins`.
    pub fn new(rig: Rig, begins: Tick, capacity: Capacity) -> Self {
        let roster = Roster::default();
        let plan = Plan::bind(&rig, &roster);
        let machine = Machine::new(&plan, begins);
        let history = History::new(&machine, &plan, capacity);
        let (labels, frames, order) = (Vec::new(), Frames::default(), Order::default());
        Session { roster, rig, plan, machine, history, labels, frames, order, is_bound: true }
    }

    /// A device arrived. Its events may follow from `time` on.
    ///
    /// # Errors
    /// When the roster has no room for its controls.
    pub fn plug(&mut self, info: DeviceInfo, time: Nanos) -> Result<DeviceId, RosterError> {
        let device = self.plug_in_batch(info, time)?;
        self.rebind();
        Ok(device)
    }

    /// The same of a device among many: none of its state can be asked for until
    /// [`Session::bind`], which running ticks does too; binding all that came until then
    /// costs as much as binding one.
    ///
    /// # Errors
    /// Those of [`Session::plug`].
    pub fn plug_in_batch(
        &mut self,
        info: DeviceInfo,
        time: Nanos,
    ) -> Result<DeviceId, RosterError> {
        let device = self.roster.admit(info, &self.rig.slots)?;
        self.order.fit(self.roster.devices().len());
        self.is_bound = false;
        let time = self.order.coming(time);
        let time = self.take_in(self.presence_event(device, Presence::Here, time));
        self.order.came(device, time);
        Ok(device)
    }

    /// Ties the devices that came [among many](Session::plug_in_batch) to the rig.
    pub fn bind(&mut self) {
        if !self.is_bound {
            self.rebind();
        }
    }

    /// A device went away. Whatever was held on it is released.
    pub fn unplug(&mut self, device: DeviceId, time: Nanos) {
        let time = self.order.going(device, time);
        let time = self.take_in(self.presence_event(device, Presence::Gone, time));
        self.roster.dismiss(device);
        self.order.turned_over(time);
    }

    /// A device can be heard, or no longer; see [`Presence`].
    pub fn set_presence(&mut self, device: DeviceId, presence: Presence, time: Nanos) {
        self.report(self.presence_event(device, presence, time));
    }

    fn presence_event(&self, device: DeviceId, presence: Presence, time: Nanos) -> Event {
        let control = self.roster.device(device).presence();
        Event { time, value: presence.value(), control, marks: Marks::empty() }
    }

    /// Takes in an event. One that is no later than the last tick run can no
    /// longer be seen by its own tick; it is moved to just after that tick
    /// and marked as late, so that a replay sees what this run saw. One that is
    /// older than another of the same device is marked as disordered. A device
    /// says nothing before it came, and comes, goes, falls silent and is heard again in
    /// the order of the reports: what claims otherwise is moved. What is reported of a
    /// device that has gone is left out.
    pub fn report(&mut self, event: Event) {
        if self.roster.device_of(event.control).is_connected() {
            self.take_in(event);
        }
    }

    /// Takes in an event. Returns when it happened.
    fn take_in(&mut self, mut event: Event) -> Nanos {
        let control = self.roster.control(event.control);
        self.order.mark(control.device, &mut event);
        match control.is_presence {
            true => self.order.move_presence(control.device, &mut event),
            false => self.order.move_value(control.device, &mut event),
        }
        let next = self.machine.next_tick();
        // What waits came after the last tick: so did what is no earlier.
        let waits = self.history.waiting().first();
        let may_be_late = waits.is_none_or(|first| event.time < first.time);
        if may_be_late && next > Tick(0) {
            let last = self.plan.rate().time_of(next.before());
            if event.time <= last {
                event.time = Nanos(last.0 + 1);
                event.marks |= Marks::LATE;
            }
        }
        self.order.taken_in(control.device, event.time, control.is_presence);
        self.history.push(event);
        event.time
    }

    /// Runs every tick up to and including `until`.
    pub fn run_until(&mut self, until: Tick) {
        self.bind();
        self.history.run(&mut self.machine, &self.plan, until);
    }

    /// Runs every tick that lies before `time`: what may be run when no
    /// event before `time` can come any more.
    pub fn run_before(&mut self, time: Nanos) {
        let next = self.plan.rate().tick_seeing(time);
        match next {
            Tick(0) => self.bind(),
            next => self.run_until(next.before()),
        }
    }

    /// Writes a label. One without a text is none.
    pub fn add_label(&mut self, label: Label) {
        if label.text.as_str().is_empty() {
            return;
        }
        let at = self.labels.partition_point(|other| other.time <= label.time);
        self.labels.insert(at, label);
    }

    /// Writes many labels, in any order. Those without a text are none.
    pub fn add_labels(&mut self, labels: impl IntoIterator<Item = Label>) {
        let has_text = |label: &Label| !label.text.as_str().is_empty();
        self.labels.extend(labels.into_iter().filter(has_text));
        self.labels.sort_by_key(|label| label.time);
    }

    /// Removes the labels of a tick. Returns whether there were any.
    pub fn remove_labels_at(&mut self, tick: Tick) -> bool {
        let rate = self.plan.rate();
        self.remove_labels(|label| rate.tick_seeing(label.time) == tick)
    }

    /// Removes some labels. Returns whether there were any.
    pub fn remove_labels(&mut self, is_to_go: impl Fn(&Label) -> bool) -> bool {
        let before = self.labels.len();
        self.labels.retain(|label| !is_to_go(label));
        self.labels.len() != before
    }

    /// The labels, in order of time.
    pub fn labels(&self) -> &[Label] {
        &self.labels
    }

    /// What games said of their frames.
    pub fn frames(&self) -> &Frames {
        &self.frames
    }

    /// The same, to find out how games and values are numbered before frames are
    /// [taken in](Session::add_frame).
    pub fn frames_mut(&mut self) -> &mut Frames {
        &mut self.frames
    }

    /// A game said what a frame came to. Those from before the history that is kept are
    /// forgotten.
    pub fn add_frame(&mut self, mut frame: Frame) {
        let device_of = |read: &Read| self.roster.control(read.control).device;
        let came = frame.reads.iter().map(|read| self.order.came_at(device_of(read))).max();
        frame.devices_came = came.unwrap_or_default();
        self.frames.push(frame);
        self.frames.forget_before(self.begins_at());
    }

    /// The instant from which on the history is kept.
    fn begins_at(&self) -> Nanos {
        self.plan.rate().begin_of(self.history.begins())
    }

    /// The devices.
    pub fn roster(&self) -> &Roster {
        &self.roster
    }

    /// The rig in force.
    pub fn rig(&self) -> &Rig {
        &self.rig
    }

    /// The rig, tied to the devices known now.
    pub fn plan(&self) -> &Plan {
        &self.plan
    }

    /// The state after the last tick.
    pub fn now(&self) -> &Machine {
        &self.machine
    }

    /// Presses that left no press edge, over the history that is kept.
    pub fn lost_in_history(&self) -> u64 {
        self.machine.lost() - self.history.lost_before()
    }

    /// The past.
    pub fn history(&self) -> &History {
        &self.history
    }

    /// What came of every attempt at a gesture that is kept; those that still go
    /// on come last, as they are now.
    pub fn attempts(&self) -> Vec<GestureVerdict> {
        let open = self.machine.open_verdicts(&self.plan);
        self.history.verdicts().iter().copied().chain(open).collect()
    }

    /// The state after any tick that is kept, to the bit as it was.
    pub fn at(&self, tick: Tick) -> Machine {
        self.history.at(&self.plan, tick.min(self.machine.at()))
    }

    /// The events of one control that `tick` saw.
    pub fn events_of(&self, control: ControlId, tick: Tick) -> impl Iterator<Item = &Event> {
        self.history.events_in(&self.plan, tick).iter().filter(move |e| e.control == control)
    }

    /// The events of one control after the instant of tick `first` and not
    /// after that of `last`: what it reported, between the polls too.
    pub fn reports_of(
        &self,
        control: ControlId,
        first: Tick,
        last: Tick,
    ) -> impl Iterator<Item = &Event> {
        let events = self.history.events_between(&self.plan, first, last);
        events.filter(move |event| event.control == control)
    }

    /// The same of all controls.
    pub fn reports_between(&self, first: Tick, last: Tick) -> impl Iterator<Item = &Event> {
        self.history.events_between(&self.plan, first, last)
    }

    /// How many reports each device sent in the last whole second before a
    /// tick, by the device's number. Events of the same instant are one report.
    pub fn reports_per_second(&self, tick: Tick) -> Vec<u32> {
        self.history.reports_per_second(&self.plan, self.plan.rate().time_of(tick))
    }

    /// How many events ticks have seen since the session began.
    pub fn seen_count(&self) -> u64 {
        self.history.seen_count()
    }

    /// The events that ticks have seen, in order, from number `from` on (see
    /// [`Session::seen_count`]): what a recorder that writes as it goes has not
    /// written yet. Their order and values never change any more.
    pub fn seen_from(&self, from: u64) -> impl Iterator<Item = Event> {
        self.history.seen_from(from).copied()
    }

    /// The events that no tick has seen yet, in order of time: what is shown at once of
    /// devices that report, though nothing has come of it yet.
    pub fn waiting(&self) -> &[Event] {
        self.history.waiting()
    }

    /// The end of what ticks have seen, labels and frames included: up to where a recording of it
    /// goes on, though nothing may happen any more.
    pub fn ends_at(&self) -> Nanos {
        let rate = self.plan.rate();
        let ran_to = rate.time_of(self.machine.at());
        end_of(rate, ran_to, (&self.labels, &self.frames), None)
    }

    /// The same history run by another rig: what would have come out. Devices
    /// keep the slots they have. Events that no tick has seen yet are left to
    /// [`Session::follow`].
    pub fn retuned(&self, rig: Rig) -> Session {
        Session::replayed(&self.recording(), rig)
    }

    /// A recording run by a rig; see [`Session::retuned`]. As much of it is kept as of the
    /// session that it is of.
    pub fn replayed(recording: &Recording, rig: Rig) -> Session {
        let begins = rig.rate.tick_seeing(recording.begins_at);
        let mut session = Session::new(rig, begins, recording.capacity);
        session.roster = recording.roster.clone();
        session.order.clone_from(&recording.order);
        session.labels.clone_from(&recording.labels);
        session.frames = recording.frames.clone();
        session.rebind();
        let is_alike = recording.run_by == (session.rig.rate, session.rig.main.clone());
        if is_alike && recording.opening.is_empty() {
            let Session { history, machine, plan, .. } = &mut session;
            history.rerun(machine, plan, &recording.segments, recording.waiting);
        } else {
            session.run_batches(recording);
        }
        session.run_until(session.plan.rate().tick_at(recording.ends_at));
        session
    }

    fn run_batches(&mut self, recording: &Recording) {
        let seen = recording.len() - recording.waiting;
        let mut events = recording.events().take(seen).peekable();
        while events.peek().is_some() {
            let mut last = Nanos(0);
            for event in events.by_ref().take(BATCH) {
                last = event.time;
                self.history.push(event);
            }
            self.run_before(last);
        }
    }

    /// Takes over what `other`, which had `from` events when it was
    /// [retuned](Session::retuned) into this session or when this last
    /// followed it, has seen since.
    pub fn follow(&mut self, other: &Session, from: u64) {
        self.roster = other.roster.clone();
        self.order.clone_from(&other.order);
        self.labels.clone_from(&other.labels);
        self.frames = other.frames.clone();
        self.rebind();
        // They stand where the other run saw them: nothing of them is judged again.
        other.seen_from(from).for_each(|event| self.history.push(event));
        let seen_until = other.plan.rate().time_of(other.machine.at());
        self.run_until(self.plan.rate().tick_at(seen_until));
    }

    /// Takes over the events that no tick of `other` has seen yet, to go on in
    /// its place.
    pub fn take_waiting(&mut self, other: &Session) {
        other.history.waiting().iter().for_each(|event| self.history.push(*event));
    }

    fn rebind(&mut self) {
        self.plan = Plan::bind(&self.rig, &self.roster);
        self.machine.fit(&self.plan);
        self.history.fit(&self.machine, &self.plan);
        self.is_bound = true;
    }

    /// The history, to be written.
    pub fn recording(&self) -> Recording {
        let segments = self.history.segments();
        let begins_at = self.begins_at();
        Recording {
            labels: self.labels.iter().filter(|l| l.time >= begins_at).cloned().collect(),
            frames: self.frames.clone(),
            waiting: self.history.waiting().len(),
            ends_at: self.plan.rate().time_of(self.machine.at()),
            ..self.recording_from(begins_at, segments[0].start.clone(), segments)
        }
    }

    /// The ticks from `first` to `last`, both included and as far as they are kept, to be
    /// written. What was held before is carried over, as in a recording whose beginning was
    /// forgotten; what an action, a gesture or a combo remembers from before is not.
    pub fn recording_between(&self, first: Tick, last: Tick) -> Recording {
        let last = last.min(self.machine.at());
        let first = first.clamp(self.history.begins(), last.max(self.history.begins()));
        let segment = self.history.part(&self.plan, first, last);
        let begins_at = self.plan.rate().begin_of(first);
        let ends_at = self.plan.rate().time_of(last);
        let is_within = |label: &&Label| (begins_at..=ends_at).contains(&label.time);
        Recording {
            labels: self.labels.iter().filter(is_within).cloned().collect(),
            frames: self.frames.between(begins_at, ends_at),
            ends_at,
            ..self.recording_from(begins_at, segment.start.clone(), alloc::vec![Arc::new(segment)])
        }
    }

    /// A recording of these segments, before which the machine was at `start`; without
    /// labels and frames.
    fn recording_from(
        &self,
        begins_at: Nanos,
        mut start: Machine,
        segments: Vec<Arc<Segment>>,
    ) -> Recording {
        start.fit(&self.plan);
        Recording {
            roster: self.roster.clone(),
            rig_name: self.rig.name.clone(),
            begins_at,
            labels: Vec::new(),
            frames: Frames::default(),
            opening: start.opening(&self.plan, begins_at),
            segments,
            waiting: 0,
            ends_at: begins_at,
            order: self.order.clone(),
            capacity: self.history.capacity(),
            run_by: (self.rig.rate, self.rig.main.clone()),
        }
    }

    /// Runs the whole history again and shows the machine after each tick
    /// that could have changed anything.
    pub fn replay(&self, after_tick: impl FnMut(&Machine)) {
        let mut machine = self.history.first().clone();
        self.history.run_on(&mut machine, &self.plan, self.machine.at(), after_tick);
    }
}
