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

mod asked;
mod handover;

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
        self.receive(plan, events);
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

    /// Takes in the events: each into its control, and where that is a part of a contact into
    /// this.
    #[inline]
    fn receive(&mut self, plan: &Plan, events: &[Event]) {
        let Machine { sampler, election, panels, .. } = self;
        let is_asked = plan.touch.is_asked();
        let tells_all = is_asked && plan.touch.hears_movements;
        sampler.receive(&plan.sample, events, election, tells_all, |controls, event| {
            if is_asked {
                panels.receive(&plan.touch, controls, event);
            }
        });
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
        let Machine { sampler, panels, actions, .. } = self;
        let is_asked = plan.touch.is_asked();
        sampler.poll(&plan.sample, now, |control, polled| {
            if polled == Polled::Control && is_asked {
                panels.read(&plan.touch, control);
            }
            actions.read(&plan.actions, control);
        });
    }

    /// Finds out which zones have the contacts that moved. Zones are opened and
    /// closed by the actions of the tick before.
    #[inline]
    fn locate(&mut self, plan: &Plan, now: Nanos) {
        if !plan.touch.is_asked() {
            return;
        }
        if !plan.actions.zone_gates.is_empty() {
            self.panels.close(self.actions.closed_zones(&plan.actions));
        }
        let Machine { sampler, panels, actions, .. } = self;
        panels.locate(&plan.touch, sampler.controls(), now, |has, changed| {
            let readers = plan.actions.zone_readers.iter();
            readers.filter(|reader| reader.reads(has, changed)).for_each(|reader| {
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
