//! Combos as a stage of a tick: from signals to what fires, by the mode on top.
//!
//! It ties together what listens ([`SignalTracker`]), what decides ([`ComboEngine`]) and which
//! mode is on top ([`Modes`]). The clock of the combos is that of the ticks, less the time for
//! which a mode made it stand still.

use super::{
    BoundCombo, BoundMode, ClockState, ComboEngine, ComboNews, ComboPlan, ComboPoll, ComboState,
    Modes, SignalChange, SignalEdge, SignalSources, SignalTracker, Switch,
};
use crate::base::{ActionId, ComboId, ModeId, Moment, Nanos, PollRate};

/// The state of all combos, signals and modes.
///
/// Cloned with a machine: an attempt that has begun goes on in both.
#[derive(Clone, Debug, Default)]
pub(crate) struct Combos {
    /// What was heard.
    tracker: SignalTracker,
    /// What came of it.
    engine: ComboEngine,
    /// The modes that are on.
    modes: Modes,
    /// Another mode came at the last tick; that tick.
    switched: Option<(Switch, Moment)>,
}

impl Combos {
    /// Makes room for the combos of a plan and so many controls.
    pub(crate) fn fit(&mut self, plan: &ComboPlan, controls: usize) {
        self.tracker.fit(plan, controls);
        self.engine.fit(&plan.automaton, plan.signals.len());
    }

    /// A combo after the last tick.
    pub(crate) fn state(&self, combo: ComboId) -> ComboState {
        self.engine.state(combo)
    }

    /// The combos whose state changed in the last tick.
    pub(crate) fn changed(&self) -> &[ComboId] {
        self.engine.changed()
    }

    /// What the last tick found out of attempts that were met.
    pub(crate) fn news(&self) -> &[ComboNews] {
        self.engine.news()
    }

    /// What the combos heard in the last tick.
    pub(crate) fn edges(&self) -> &[SignalEdge] {
        self.tracker.edges()
    }

    /// The modes that are on, from the bottom to the top.
    pub(crate) fn modes(&self) -> &[ModeId] {
        self.modes.stack()
    }

    /// The mode on top.
    #[inline]
    pub(crate) fn mode(&self) -> ModeId {
        self.modes.top()
    }

    /// A moment by the clock of the combos.
    pub(crate) fn clock(&self, at: Moment) -> Moment {
        self.modes.clock(at)
    }

    /// How many steps of a combo are met at a moment by the clock of the combos.
    pub(crate) fn progress(&self, plan: &ComboPlan, combo: ComboId, now: Moment) -> usize {
        self.engine.progress(&plan.automaton, combo, now)
    }

    /// Whether a tick without signals would change nothing before
    /// [`Combos::deadline`].
    #[inline]
    pub(crate) fn is_settled(&self) -> bool {
        self.engine.is_settled() && self.tracker.edges().is_empty() && self.switched.is_none()
    }

    /// When something happens by itself.
    ///
    /// In the time of the session: the engine knows only its own clock.
    #[inline]
    pub(crate) fn deadline(&self) -> Option<Nanos> {
        // Of a clock that stands still nothing comes.
        let deadline = self.engine.wakes().filter(|_| !self.modes.is_frozen())?;
        Some(Nanos(deadline.0 + self.modes.paused_at(Moment::default()).time.0))
    }

    /// Runs a tick. What can be heard of controls, zones, gestures and the
    /// actions that combos read must be as it is at this tick.
    ///
    /// The tracker says when things were reported; here that becomes a moment by the clock of the
    /// combos, with the mode that was on top at this tick. A switch that forgets comes before all
    /// edges of the tick: what was pressed since belongs to the new mode.
    pub(crate) fn tick(
        &mut self,
        plan: &ComboPlan,
        rate: PollRate,
        sources: &SignalSources,
        at: Moment,
    ) {
        self.tracker.edges_mut().clear();
        if self.is_silent(sources) && self.deadline().is_none_or(|due| at.time < due) {
            return;
        }
        self.tracker.listen(sources, plan, at);
        let (mode, paused) = (self.modes.top(), self.modes.paused_at(at));
        let now = at.before(paused);
        let edges = self.tracker.edges_mut();
        for edge in &mut *edges {
            // Of a clock that stands still all is at one moment.
            let clock = if self.modes.is_frozen() { now } else { edge.moment().before(paused) };
            let stood = Nanos(edge.time.0.saturating_sub(clock.time.0));
            edge.paused = Moment { time: stood, tick: paused.tick };
            (edge.time, edge.tick, edge.mode) = (clock.time, clock.tick, mode);
        }
        if let Some((Switch::Forgets, switched)) = self.switched {
            let Moment { time, tick } = self.modes.clock(switched);
            let paused = self.modes.paused_at(switched);
            let (signal, change, by) = (None, SignalChange::Clear, None);
            // What came since the switch belongs to the new mode.
            let clear = SignalEdge { signal, change, time, tick, paused, mode, by };
            edges.insert(0, clear);
        }
        let clock = if self.modes.is_frozen() { ClockState::Frozen } else { ClockState::Running };
        let poll = ComboPoll { automaton: &plan.automaton, rate, now, tick: at.tick };
        self.engine.tick(&poll, self.tracker.edges(), clock);
    }

    /// Whether there is nothing to hear, and nothing of the tick before to end.
    ///
    /// Most ticks of most runs are: then nothing of the combos is touched.
    fn is_silent(&self, sources: &SignalSources) -> bool {
        sources.touched.is_empty()
            && sources.changed.is_empty()
            && !sources.panels.has_changed()
            && sources.gestures.changed().is_empty()
            && !self.tracker.actions_due
            && self.switched.is_none()
            && self.engine.is_settled()
    }

    /// What took its buttons in this tick.
    pub(crate) fn taking<'a>(
        &'a self,
        plan: &'a ComboPlan,
    ) -> impl Iterator<Item = &'a BoundCombo> + 'a {
        self.engine.taking(&plan.automaton)
    }

    /// Whether another mode came at the last tick; asked once a tick.
    #[inline]
    pub(crate) fn take_switch(&mut self) -> bool {
        self.switched.take().is_some()
    }

    /// Follows the actions that changed in this tick, after which combos hear of
    /// them: at the next tick.
    ///
    /// This is the last thing that a tick does: an action that enters a mode at this tick does so
    /// for everything from the next tick on.
    #[inline]
    pub(crate) fn follow(
        &mut self,
        modes: &[BoundMode],
        changed: &[ActionId],
        is_on: impl Fn(ActionId) -> bool,
        now: Moment,
    ) {
        self.tracker.actions_due = !changed.is_empty();
        if !modes.is_empty() && !changed.is_empty() {
            self.switched = self.modes.follow(modes, is_on, now).map(|switch| (switch, now));
        }
    }
}
