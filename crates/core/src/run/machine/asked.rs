//! What can be asked of a machine after a tick: how everything is, what the tick found out, and why.
//!
//! Nothing here moves a run on. What has to be worked out for an answer is worked out on copies, so
//! that a frozen run gives the same answer as often as it is asked.

use super::*;

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
    /// of the presses; and what a latch still hides, or a debounce holds back, as a plain event.
    ///
    /// A machine that begins at rest and is given these events goes on as this one does, but for
    /// what has begun and is not over: attempts at gestures and combos, filters, modes, toggles,
    /// the time of a debounce, an axis that counts as a button and is between its two thresholds,
    /// which begins as not pressed, and what was held while its action was closed or was taken by
    /// a combo, which counts without being let go first; but see [`Machine::handed_over`].
    pub fn opening(&self, plan: &Plan, time: Nanos) -> Vec<Event> {
        self.sampler.opening(&plan.sample, &self.election, time)
    }
}
