//! The mutable half of a run: everything that changes from tick to tick.
//!
//! A tick goes down the road once, stage by stage, and no stage looks back up:
//!
//! - *begin*: what was seen at the tick before becomes what was before now; edges are cleared.
//! - *receive*: each event since moves its control, or says whether its device can be heard.
//! - *elect*: the main device is chosen anew, if anything that decides it has changed.
//! - *sample*: controls that had an event are polled; edges are derived, lost presses are
//!   counted.
//! - *locate*: contacts that moved are placed in zones, which the actions of the tick before may
//!   have closed.
//! - *recognise gestures*: attempts hear how their fingers went on.
//! - *recognise combos*: after the actions that combos read; a combo that fires takes its
//!   buttons.
//! - *act*: all other actions that are due are worked out, and modes follow them.
//!
//! Each stage marks what the next ones have to look at, so that a tick in which nothing happens
//! does nothing. Only what zones, modes and combos make of *actions* comes a tick later: an
//! action is known at the end of the road.
//!
//! Everything here is plain data. A clone is a checkpoint, and a tick depends on nothing but the
//! machine, the plan, the instant and the events: the same ones give the same bits on every
//! machine.
//!
//! What each stage reads and writes:
//!
//! | stage | reads | owns | marks for later |
//! |---|---|---|---|
//! | sample | events | controls, devices | controls that were touched |
//! | elect | presences, use | the main device | actions that only it drives |
//! | locate | controls | contacts, their zones | inputs that read zones |
//! | gestures | contacts | attempts, verdicts | inputs that read gestures |
//! | combos | signals of all of these | attempts, modes | inputs that read combos |
//! | act | all of these | actions, memories | nothing: the road ends here |

use super::{Actions, Closed, Readings, Which};
use crate::base::{
    ActionId, ActionState, ComboId, ContactId, ControlId, DeviceId, GestureId, ModeId, Moment,
    Nanos, Tick, ZoneId,
};
use crate::combo::{ComboNews, ComboState, Combos, SignalEdge, SignalSources};
use crate::device::Event;
use crate::gesture::{GestureCandidate, GestureEngine, GesturePoll, GestureState, GestureVerdict};
use crate::plan::{BoundInput, Plan};
use crate::sample::{ControlState, DeviceStatus, Election, Polled, Sampler};
use crate::touch::Panels;
use alloc::vec::Vec;

/// The state of a run after its last tick: a stage for each part of the road,
/// each of which owns what it remembers.
///
/// A machine belongs to a [`Plan`] for the controls it was
/// [fitted](Machine::fit) to; running it with a plan of the same roster or of
/// a later one is what a session does when a device arrives. Cloning it makes
/// a checkpoint: the clone, given the same events, computes the same ticks.
///
/// ```
/// use gtrig_core::*;
///
/// let lever = DeviceInfo {
///     identity: "usb-3".into(),
///     kind: DeviceKind::Lever,
///     name: CleanText::new("winch lever"),
///     bus: CleanText::default(),
///     slot: None,
///     controls: vec![ControlInfo::new("travel", ControlKind::Trigger { min: 0, max: 1000 })],
/// };
/// let mut roster = Roster::default();
/// let lever = roster.admit(lever, &SlotRules::default())?;
/// let (here, travel) = (roster.device(lever).presence(), ControlId(1));
///
/// // The travel drives a speed, smoothed: half of a step is made up in 20 ms.
/// let stages = vec![Stage::Smooth(Smooth::HalfLife(0.02))];
/// let shape = ShapeUse::Own(Shape { stages, ..Shape::default() });
/// let axis = InputSpec::Axis { control: "lever/travel".parse().unwrap(), shape };
/// let mut rig = Rig::bare("winch", PollRate::DEFAULT);
/// rig.actions.push(ActionSpec::new("hoist", Gives::Axis, vec![axis]));
/// let plan = Plan::bind(&rig, &roster);
/// let mut machine = Machine::new(&plan, Tick(0));
///
/// let at = Nanos::from_millis;
/// let events = [Event::new(at(0), here, 1), Event::new(at(5), travel, 1000)];
/// let mut heights = vec![];
/// run(&mut machine, &plan, &events, Tick(3), |machine| {
///     heights.push(machine.action(ActionId(0)).x);
/// });
/// // Tick 1 sees the push, and the filter follows it tick by tick.
/// assert!(heights[0] == 0.0 && heights[1] > 0.4 && heights[2] > heights[1]);
///
/// // A copy is a checkpoint: given the same, it comes to the same.
/// let mut copy = machine.clone();
/// run(&mut machine, &plan, &[], Tick(60), |_| {});
/// run(&mut copy, &plan, &[], Tick(60), |_| {});
/// assert_eq!(machine.action(ActionId(0)), copy.action(ActionId(0)));
/// assert_eq!(machine.action(ActionId(0)).x, 1.0, "it has arrived");
/// # Ok::<(), RosterError>(())
/// ```
#[derive(Clone, Debug)]
pub struct Machine {
    /// The tick that comes next.
    next: Tick,
    /// Controls and devices.
    sampler: Sampler,
    /// Which device is the main one.
    election: Election,
    /// Contacts, and the zones that have them.
    panels: Panels,
    /// Attempts at gestures.
    gestures: GestureEngine,
    /// Attempts at combos, and modes.
    combos: Combos,
    /// Actions, and what their inputs remember.
    actions: Actions,
}

impl Machine {
    /// A machine before `first`, with everything at rest.
    pub fn new(plan: &Plan, first: Tick) -> Self {
        let mut machine = Machine {
            next: first,
            sampler: Sampler::default(),
            election: Election::default(),
            panels: Panels::default(),
            gestures: GestureEngine::default(),
            combos: Combos::default(),
            actions: Actions::default(),
        };
        machine.fit(plan);
        machine
    }

    /// Makes room for the controls and actions of a plan, so that no tick
    /// needs to allocate.
    pub fn fit(&mut self, plan: &Plan) {
        self.sampler.fit(&plan.sample);
        self.election.fit(plan.device_count());
        self.panels.fit(&plan.touch);
        self.gestures.fit(&plan.gestures, plan.contacts().len());
        self.combos.fit(&plan.combos, plan.control_count());
        self.actions.fit(&plan.actions);
    }

    /// Whether it has room for everything of a plan; see [`Machine::fit`].
    pub fn fits(&self, plan: &Plan) -> bool {
        self.sampler.controls().len() == plan.control_count()
    }

    /// Runs one tick: polls the controls at the instant `now` after these
    /// events, derives edges, and evaluates the actions that could have
    /// changed. Does not allocate.
    ///
    /// `events` are those after the tick before and not after `now`, in order,
    /// of controls the machine was fitted to. [`run`](crate::run()) polls at the
    /// instants of the plan's rate; any others will do.
    ///
    /// # Panics
    /// For an event of a control that the machine has no room for; see [`Machine::fit`].
    pub fn tick(&mut self, plan: &Plan, now: Nanos, events: &[Event]) {
        self.tick_lasting(plan, now, plan.period, events);
    }

    /// The same of a loop that has no rate: `seconds` have gone by since the tick before.
    /// What stages of shaping remember moves on by that much.
    ///
    /// With 0 seconds no filter moves, but edges, gestures and combos do: these go by `now`.
    pub fn tick_lasting(&mut self, plan: &Plan, now: Nanos, seconds: f32, events: &[Event]) {
        self.begin();
        events.iter().for_each(|event| self.receive(plan, event));
        self.elect(plan);
        self.sample(plan, now);
        self.locate(plan, now);
        self.recognise_gestures(plan, now);
        self.actions.mark_unfinished();
        self.recognise_combos(plan, now, seconds);
        self.act(plan, now, seconds);
        self.next = self.next.next();
    }

    /// Ends the tick before: what was seen then is what was before now.
    #[inline]
    fn begin(&mut self) {
        self.actions.begin_tick();
        self.panels.begin_tick();
        self.sampler.begin_tick();
    }

    /// Takes in an event: into its control, and where that is a part of a contact into this.
    #[inline]
    fn receive(&mut self, plan: &Plan, event: &Event) {
        self.let_through(plan, event.time);
        if self.sampler.receive(&plan.sample, event, &mut self.election) {
            self.panels.receive(&plan.touch, self.sampler.controls(), event);
        }
    }

    /// Debounces whose time is over let through what they held back; where that is a finger, its
    /// contact hears of it.
    #[inline]
    fn let_through(&mut self, plan: &Plan, until: Nanos) {
        while let Some(control) = self.sampler.let_through(&plan.sample, until) {
            self.panels.let_through(&plan.touch, self.sampler.controls(), control);
        }
    }

    /// Has the actions that only the main device drives evaluated again when
    /// that is another one now.
    #[inline]
    fn elect(&mut self, plan: &Plan) {
        if self.election.hold(&plan.election, self.sampler.devices()) {
            for &action in &plan.actions.main_only {
                plan.actions.inputs_of(action).for_each(|input| self.actions.mark(input));
            }
        }
    }

    /// Polls what had an event, and has what reads it evaluated.
    #[inline]
    fn sample(&mut self, plan: &Plan, now: Nanos) {
        self.let_through(plan, now);
        let Machine { sampler, panels, actions, .. } = self;
        sampler.poll(&plan.sample, |control, polled| {
            if polled == Polled::Control {
                panels.read(&plan.touch, control);
            }
            actions.read(&plan.actions, control);
        });
    }

    /// Finds out which zones have the contacts that moved. Zones are opened and
    /// closed by the actions of the tick before.
    #[inline]
    fn locate(&mut self, plan: &Plan, now: Nanos) {
        if !plan.actions.zone_gates.is_empty() {
            self.panels.close(self.actions.closed_zones(&plan.actions));
        }
        let Machine { sampler, panels, actions, .. } = self;
        panels.locate(&plan.touch, sampler.controls(), now, |contact, has, changed| {
            let readers = plan.actions.zone_readers.iter();
            readers.filter(|reader| reader.reads(contact, has, changed)).for_each(|reader| {
                actions.mark(reader.input);
            });
        });
    }

    /// Lets gestures hear how contacts went on, and has the inputs evaluated that read those that
    /// changed.
    #[inline]
    fn recognise_gestures(&mut self, plan: &Plan, now: Nanos) {
        if plan.gesture_count() == 0 {
            return;
        }
        let Machine { sampler, panels, gestures, .. } = self;
        let origins = &plan.gestures.origins;
        let poll = GesturePoll {
            plan: &plan.gestures,
            contacts: plan.contacts(),
            controls: sampler.controls(),
            has_moved_origin: origins.iter().any(|origin| sampler.touched().contains(origin)),
            tick: self.next,
            now,
        };
        gestures.tick(poll, panels.updates());
        for changed in self.gestures.changed() {
            for (gesture, input) in &plan.actions.gesture_readers {
                if gesture == changed {
                    self.actions.mark(*input);
                }
            }
        }
    }

    /// The last tick, to look at without moving anything on.
    fn gesture_poll<'a>(&'a self, plan: &'a Plan) -> GesturePoll<'a> {
        GesturePoll {
            plan: &plan.gestures,
            contacts: plan.contacts(),
            controls: self.sampler.controls(),
            has_moved_origin: false,
            tick: self.at(),
            now: plan.rate().time_of(self.at()),
        }
    }

    /// Lets combos hear what became of their signals, after the actions that they
    /// read and before all others, so that a combo that fires can take its
    /// buttons from those.
    #[inline]
    fn recognise_combos(&mut self, plan: &Plan, now: Nanos, seconds: f32) {
        if plan.combos.is_empty() {
            return;
        }
        if plan.actions.has_early() {
            self.evaluate(plan, seconds, Which::Early);
        }
        let Machine { sampler, panels, gestures, combos, actions, .. } = self;
        let sources = SignalSources {
            sample: &plan.sample,
            controls: sampler.controls(),
            touched: sampler.touched(),
            touch: &plan.touch,
            panels,
            gestures,
            actions: actions.states(),
            changed: actions.changed(),
        };
        combos.tick(&plan.combos, plan.rate(), &sources, Moment { time: now, tick: self.next });
        for changed in combos.changed() {
            for (combo, input) in &plan.actions.combo_readers {
                if combo == changed {
                    actions.mark(*input);
                }
            }
        }
        for taking in combos.taking(&plan.combos) {
            for &signal in &taking.signals {
                for &(control, _) in plan.combos.controls_of(signal) {
                    sampler.take(control);
                    actions.read(&plan.actions, control);
                }
            }
        }
    }

    /// Evaluates what is due, and lets modes follow the actions that switch
    /// them: they count from the next tick.
    #[inline]
    fn act(&mut self, plan: &Plan, now: Nanos, seconds: f32) {
        if self.combos.take_switch() {
            self.actions.mark_moded(&plan.actions);
        }
        self.evaluate(plan, seconds, Which::All);
        let at = Moment { time: now, tick: self.next };
        let Machine { combos, actions, .. } = self;
        let is_on = |action| actions.state(action).is_active();
        combos.follow(&plan.combos.modes, actions.changed(), is_on, at);
    }

    /// Evaluates the actions that are due, or those of them that combos read.
    #[inline]
    fn evaluate(&mut self, plan: &Plan, seconds: f32, which: Which) {
        let Machine { sampler, election, panels, gestures, combos, actions, .. } = self;
        let readings = Readings {
            plan: &plan.actions,
            sample: &plan.sample,
            controls: sampler.controls(),
            devices: sampler.devices(),
            election: &plan.election,
            main: election.main(),
            touch: &plan.touch,
            panels,
            gestures,
            combos,
            presses: sampler.presses(),
            dt: seconds,
        };
        actions.evaluate(&readings, which);
    }

    /// Readings to look at without moving anything on.
    fn looking<'a>(&'a self, plan: &'a Plan) -> Readings<'a> {
        Readings {
            plan: &plan.actions,
            sample: &plan.sample,
            controls: self.sampler.controls(),
            devices: self.sampler.devices(),
            election: &plan.election,
            main: self.election.main(),
            touch: &plan.touch,
            panels: &self.panels,
            gestures: &self.gestures,
            combos: &self.combos,
            presses: self.sampler.presses(),
            dt: 0.0,
        }
    }
}

/// When the next tick must run.
impl Machine {
    /// The tick that [`Machine::tick`] will run.
    pub fn next_tick(&self) -> Tick {
        self.next
    }

    /// The tick this state is of: the last one run, or tick 0.
    pub fn at(&self) -> Tick {
        self.next.before()
    }

    /// Whether a tick without events would change nothing at all before
    /// [`Machine::next_deadline`].
    pub fn is_settled(&self) -> bool {
        self.sampler.touched().is_empty()
            && self.actions.is_settled()
            && self.gestures.is_settled()
            && self.combos.is_settled()
    }

    /// When a tick must run though no event comes: a finger that stays becomes a
    /// long press.
    ///
    /// Holds, quiets, presses that came early and long presses; a filter that moves keeps the
    /// machine from being settled instead.
    pub fn next_deadline(&self) -> Option<Nanos> {
        match (self.gestures.wakes(), self.combos.deadline()) {
            (Some(one), Some(other)) => Some(one.min(other)),
            (one, other) => one.or(other),
        }
    }

    /// Jumps over ticks that would change nothing.
    ///
    /// # Panics
    /// In debug builds, when the machine is not [settled](Machine::is_settled).
    pub fn skip_to(&mut self, next: Tick) {
        debug_assert!(self.is_settled() && next >= self.next);
        self.next = next;
    }
}

/// What the last tick came to.
impl Machine {
    /// A control as the last poll saw it.
    pub fn control(&self, control: ControlId) -> &ControlState {
        &self.sampler.controls()[control.index()]
    }

    /// A device as a stream of reports.
    pub fn device(&self, device: DeviceId) -> &DeviceStatus {
        &self.sampler.devices()[device.index()]
    }

    /// An action at the last tick.
    pub fn action(&self, action: ActionId) -> ActionState {
        self.actions.state(action)
    }

    /// The controls that had an event in the last tick, or an edge to clear.
    pub fn touched(&self) -> &[ControlId] {
        self.sampler.touched()
    }

    /// The actions whose value or driver changed in the last tick.
    pub fn changed(&self) -> &[ActionId] {
        self.actions.changed()
    }

    /// Presses that left no press edge, over the whole run.
    pub fn lost(&self) -> u64 {
        self.sampler.lost()
    }

    /// The main device, if any can be heard.
    pub fn main(&self) -> Option<DeviceId> {
        self.election.main()
    }

    /// The modes that are on, from the bottom to the top.
    pub fn modes(&self) -> &[ModeId] {
        self.combos.modes()
    }

    /// A combo at the last tick.
    pub fn combo(&self, combo: ComboId) -> ComboState {
        self.combos.state(combo)
    }

    /// The combos whose state changed in the last tick.
    pub fn changed_combos(&self) -> &[ComboId] {
        self.combos.changed()
    }

    /// What the last tick found out about combos.
    ///
    /// ```
    /// use gtrig_core::*;
    ///
    /// let mut roster = Roster::default();
    /// let keys = DeviceInfo {
    ///     identity: "k".into(),
    ///     kind: DeviceKind::Keys,
    ///     name: CleanText::default(),
    ///     bus: CleanText::default(),
    ///     slot: None,
    ///     controls: vec![ControlInfo::new("KeyH", ControlKind::Button)],
    /// };
    /// let keys = roster.admit(keys, &SlotRules::default())?;
    /// let (here, key) = (roster.device(keys).presence(), ControlId(1));
    ///
    /// // Two presses, the second at most 250 ms after the first.
    /// let mut rig = Rig::bare("double", PollRate::DEFAULT);
    /// let thresholds = Thresholds { press_at: 0.5, release_at: 0.5 };
    /// rig.signals.push(Signal::Control { control: "keys/KeyH".parse().unwrap(), thresholds });
    /// let press = |within| ComboStep::new(StepKind::press(SignalId(0)), TimeSpan::millis(within));
    /// rig.combos.push(Combo::new("double", vec![press(0), press(250)]));
    /// let plan = Plan::bind(&rig, &roster);
    /// let mut machine = Machine::new(&plan, Tick(0));
    ///
    /// let at = Nanos::from_millis;
    /// let hand = [(0, here, 1), (100, key, 1), (160, key, 0), (300, key, 1)];
    /// let events = hand.map(|(ms, control, value)| Event::new(at(ms), control, value));
    /// let (mut progress, mut fired) = (vec![], vec![]);
    /// run(&mut machine, &plan, &events, Tick(30), |machine| {
    ///     progress.push(machine.combo_progress(&plan, ComboId(0)));
    ///     fired.extend(machine.combo_news().iter().map(|news| (news.began.time, news.met.time)));
    /// });
    /// // Its times are those of the reports, and not of the ticks that saw them.
    /// assert_eq!(fired, [(at(100), at(300))]);
    /// assert!(progress.contains(&1), "one of its steps was met for a while");
    /// # Ok::<(), RosterError>(())
    /// ```
    pub fn combo_news(&self) -> &[ComboNews] {
        self.combos.news()
    }

    /// What the combos heard in the last tick.
    pub fn signal_edges(&self) -> &[SignalEdge] {
        self.combos.edges()
    }

    /// How many steps of a combo are met and may still be followed by the next.
    ///
    /// Worked out when it is asked for: it costs a tick nothing.
    pub fn combo_progress(&self, plan: &Plan, combo: ComboId) -> usize {
        self.combos.progress(&plan.combos, combo, self.combo_now(plan))
    }

    /// The last tick by the clock of the combos.
    pub fn combo_now(&self, plan: &Plan) -> Moment {
        self.combos.clock(Moment { time: plan.rate().time_of(self.at()), tick: self.at() })
    }

    /// A gesture at the last tick.
    pub fn gesture(&self, gesture: GestureId) -> GestureState {
        self.gestures.state(gesture)
    }

    /// The gestures whose state changed in the last tick.
    pub fn changed_gestures(&self) -> &[GestureId] {
        self.gestures.changed()
    }

    /// The verdicts that the last tick gave.
    ///
    /// ```
    /// use gtrig_core::*;
    ///
    /// let kind = ControlKind::Position { min: 0, max: 1600 };
    /// let place = |code: &str| ControlInfo::new(code, kind);
    /// let glass = DeviceInfo {
    ///     identity: "panel".into(),
    ///     kind: DeviceKind::Glass,
    ///     name: CleanText::default(),
    ///     bus: CleanText::default(),
    ///     slot: None,
    ///     controls: vec![
    ///         ControlInfo::new("contact-1", ControlKind::Button),
    ///         place("contact-1-x"),
    ///         place("contact-1-y"),
    ///     ],
    /// };
    /// let mut roster = Roster::default();
    /// let glass = roster.admit(glass, &SlotRules::default())?;
    /// let (here, down) = (roster.device(glass).presence(), ControlId(1));
    ///
    /// let mut rig = Rig::bare("tap", PollRate::DEFAULT);
    /// rig.gestures.push(Gesture::new("tap", GestureKind::Tap { times: 1 }));
    /// let plan = Plan::bind(&rig, &roster);
    /// let mut machine = Machine::new(&plan, Tick(0));
    ///
    /// // A finger that stays for 300 ms, where a tap may take 250.
    /// let at = Nanos::from_millis;
    /// let hand = [(0, here, 1), (100, down, 1), (400, down, 0)];
    /// let events = hand.map(|(ms, control, value)| Event::new(at(ms), control, value));
    /// let mut verdicts = vec![];
    /// run(&mut machine, &plan, &events, Tick(40), |machine| verdicts.extend(machine.verdicts()));
    /// let missed: GestureVerdict = verdicts[0];
    /// assert_eq!(missed.outcome, GestureOutcome::Missed);
    /// assert_eq!((missed.began, missed.ended), (at(100), at(400)));
    /// let late = missed.nearest().unwrap();
    /// assert_eq!((late.quantity, late.value, late.margin), (Quantity::Lift, 300.0, -50.0));
    /// assert!(missed.is_near(), "a fifth more would have been enough");
    /// # Ok::<(), RosterError>(())
    /// ```
    pub fn verdicts(&self) -> &[GestureVerdict] {
        self.gestures.verdicts()
    }

    /// The attempts at gestures that go on, with how far each was at the last
    /// tick.
    ///
    /// It is worked out when it is asked for; see [`GestureCandidate`].
    pub fn candidates(&self, plan: &Plan) -> Vec<GestureCandidate> {
        self.gestures.candidates(self.gesture_poll(plan))
    }

    /// What the attempts at gestures that go on have come to by the last tick:
    /// fired and still on, or open, with each limit as if all were over now. A
    /// recording that ends tells them so.
    pub fn open_verdicts(&self, plan: &Plan) -> Vec<GestureVerdict> {
        self.gestures.open_verdicts(self.gesture_poll(plan))
    }

    /// Whether a zone has a contact.
    pub fn zone_has(&self, zone: ZoneId, contact: ContactId) -> bool {
        self.panels.contact(contact).is_some_and(|contact| contact.is_in(zone))
    }
}

/// Why it is as it is.
impl Machine {
    /// What an action would be at the last tick if `input` alone drove it.
    ///
    /// This is how an explanation says who would win: the same code over the same readings, with
    /// one input at a time. It copies the memories, so it is nothing for a tick.
    pub fn through(&self, plan: &Plan, action: ActionId, input: BoundInput) -> ActionState {
        self.actions.through(&self.looking(plan), action, &input)
    }

    /// Why the gates of an action do not let it through, if they do not.
    ///
    /// ```
    /// use gtrig_core::*;
    ///
    /// let mut roster = Roster::default();
    /// let keys = DeviceInfo {
    ///     identity: "k".into(),
    ///     kind: DeviceKind::Keys,
    ///     name: CleanText::default(),
    ///     bus: CleanText::default(),
    ///     slot: None,
    ///     controls: ["Escape", "KeyH"]
    ///         .map(|key| ControlInfo::new(key, ControlKind::Button))
    ///         .into(),
    /// };
    /// let keys = roster.admit(keys, &SlotRules::default())?;
    /// let here = roster.device(keys).presence();
    /// let (escape, horn_key) = (ControlId(1), ControlId(2));
    ///
    /// let thresholds = Thresholds { press_at: 0.5, release_at: 0.5 };
    /// let key = |name: &str| {
    ///     vec![InputSpec::Button { control: name.parse().unwrap(), thresholds }]
    /// };
    /// let mut rig = Rig::bare("quay", PollRate::DEFAULT);
    /// rig.actions.push(ActionSpec::new("menu", Gives::On, key("keys/Escape")));
    /// let mut horn = ActionSpec::new("horn", Gives::On, key("keys/KeyH"));
    /// horn.closed_while = vec![ActionId(0)];
    /// rig.actions.push(horn);
    /// let plan = Plan::bind(&rig, &roster);
    /// let mut machine = Machine::new(&plan, Tick(0));
    ///
    /// // Both are held: the menu is open, and the horn says nothing.
    /// let at = Nanos::from_millis;
    /// let events = [(here, 1), (escape, 1), (horn_key, 1)];
    /// let events = events.map(|(control, value)| Event::new(at(0), control, value));
    /// machine.tick(&plan, at(0), &events);
    /// let horn = ActionId(1);
    /// assert!(!machine.action(horn).is_active());
    /// assert_eq!(machine.closed_by(&plan, horn), Some(Closed::While(ActionId(0))));
    ///
    /// // The menu is closed again: what was held before must be let go first.
    /// machine.tick(&plan, at(16), &[Event::new(at(10), escape, 0)]);
    /// assert_eq!(machine.closed_by(&plan, horn), Some(Closed::Waiting));
    /// # Ok::<(), RosterError>(())
    /// ```
    pub fn closed_by(&self, plan: &Plan, action: ActionId) -> Option<Closed> {
        self.actions.closed_by(&self.looking(plan), action)
    }

    /// The value of an input after each stage of its shape, the calibrated one
    /// first; empty for an input that is not shaped.
    pub fn stages(&self, plan: &Plan, input: BoundInput) -> Vec<[f32; 2]> {
        self.looking(plan).stages(&input, self.actions.memories())
    }

    /// What a recording that begins before the next tick must say first: every
    /// device that is there; once more those that were used, in that order;
    /// every control that is off its rest as a state carried over, in the order
    /// of the presses; and what a latch still hides as a plain event.
    ///
    /// A machine that begins at rest and is given these events goes on as this one does, but for
    /// what has begun and is not over: attempts at gestures and combos, filters, modes.
    pub fn opening(&self, plan: &Plan, time: Nanos) -> Vec<Event> {
        self.sampler.opening(&plan.sample, &self.election, time)
    }
}
