//! Combos: presses, holds and chords in time.
//!
//! A combo is a list of [`ComboStep`]s over **signals**: anything that is on or off,
//! such as a button, a key, a trigger past its threshold, a zone, a gesture, a
//! direction of a stick, or an action. It **fires** at a moment if there are
//! moments before it, one for each step and in order, that keep every limit, and
//! the first of which came after all that is *spent*: when a combo fires, every
//! press up to its last one is spent for it. This is all there is to it; in
//! particular an extra press does no harm, unless the combo is *strict*.
//!
//! A step that comes early ([`ComboStep::buffer`]) is met when its time has come:
//! what follows counts from then. What may not come before a step is asked up to
//! its press.
//!
//! Times are those of the reports (or, if a combo says so, of the ticks that
//! saw them); a limit may also be a number of ticks. Of the moments at which a
//! step was met the latest [`KEPT_MOMENTS`](crate::KEPT_MOMENTS) are remembered.
//!
//! `combo::automaton` compiles all combos of a rig into one automaton, in which
//! those with equal beginnings share them; `combo::engine` runs it.

use crate::base::{ActionId, ComboId, ModeId, ModeSet, Moment, Nanos, PollRate, SignalId, Tick};
use alloc::{string::String, vec::Vec};
use strum::{IntoStaticStr, VariantArray};

/// A rig has at most this many combos.
pub const MAX_COMBOS: usize = 10_000;

/// A combo has at most this many steps, taps counting as two.
pub const MAX_STEPS: usize = 24;

/// A length of time.
///
/// ```
/// use gtrig_core::{Moment, Nanos, PollRate, Tick, TimeSpan};
///
/// let rate = PollRate::from_hz(60.0).unwrap();
/// let press = Moment { time: Nanos::from_millis(100), tick: Tick(6) };
/// // A window of three ticks ends with tick 9, at 150 ms.
/// let over = TimeSpan::Ticks(3).over(press, rate);
/// assert_eq!((over.tick, over.time), (Tick(9), Nanos::from_millis(150)));
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum TimeSpan {
    /// In nanoseconds.
    Time(u64),
    /// In ticks.
    Ticks(u32),
}

impl TimeSpan {
    /// So many milliseconds.
    pub const fn millis(ms: u64) -> Self {
        TimeSpan::Time(ms * 1_000_000)
    }

    /// How much it is, in its own unit.
    pub const fn amount(self) -> i64 {
        match self {
            TimeSpan::Time(nanos) => nanos as i64,
            TimeSpan::Ticks(ticks) => ticks as i64,
        }
    }

    /// The same unit with another amount; none is below zero.
    #[must_use]
    pub const fn with(self, amount: i64) -> Self {
        let amount = if amount < 0 { 0 } else { amount };
        match self {
            TimeSpan::Time(_) => TimeSpan::Time(amount as u64),
            TimeSpan::Ticks(_) => TimeSpan::Ticks(amount as u32),
        }
    }

    /// From one moment to another, in its unit.
    pub const fn between(self, from: Moment, to: Moment) -> i64 {
        match self {
            TimeSpan::Time(_) => to.time.0 as i64 - from.time.0 as i64,
            TimeSpan::Ticks(_) => to.tick.0 as i64 - from.tick.0 as i64,
        }
    }

    /// The moment at which it is over.
    pub fn over(self, from: Moment, rate: PollRate) -> Moment {
        match self {
            TimeSpan::Time(nanos) => {
                let time = Nanos(from.time.0.saturating_add(nanos));
                Moment { time, tick: rate.tick_seeing(time).max(from.tick) }
            }
            TimeSpan::Ticks(ticks) => {
                let tick = Tick(from.tick.0.saturating_add(ticks));
                Moment { time: rate.time_of(tick), tick }
            }
        }
    }

    /// Whether it is over at a moment, if `over` is when it is.
    pub fn is_over(self, over: Moment, at: Moment) -> bool {
        match self {
            TimeSpan::Time(_) => over.time <= at.time,
            TimeSpan::Ticks(_) => over.tick <= at.tick,
        }
    }

    /// In nanoseconds.
    pub fn nanos(self, rate: PollRate) -> u64 {
        match self {
            TimeSpan::Time(nanos) => nanos,
            TimeSpan::Ticks(ticks) => rate.time_of(Tick(ticks)).0,
        }
    }
}

/// What a combo measures times by.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(
    Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, VariantArray, IntoStaticStr,
)]
#[strum(serialize_all = "kebab-case")]
pub enum ComboClock {
    /// When a change was reported.
    #[default]
    Reports,
    /// The instant of the tick that saw it: what a loop knows that takes no
    /// notice of the time of reports.
    Ticks,
}

impl ComboClock {
    /// A moment by this clock: the time of its tick, where reports do not count.
    pub fn moment(self, moment: Moment, rate: PollRate) -> Moment {
        match self {
            ComboClock::Reports => moment,
            ComboClock::Ticks => Moment { time: rate.time_of(moment.tick), ..moment },
        }
    }
}

/// One step of a combo.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct ComboStep {
    /// What must happen.
    pub what: StepKind,
    /// No earlier than this after the step before; of the first step 0.
    pub after: TimeSpan,
    /// No later than this after the step before. Nothing is asked of the first
    /// step.
    pub within: TimeSpan,
    /// So much earlier than `after` it may come and still count, when its time
    /// has come. In the unit of `after`.
    pub buffer: TimeSpan,
    /// A press of any of these since the step before ends the attempt.
    pub unless: Vec<SignalId>,
    /// Which step it is of those that were written down: a tap is two.
    pub written: u8,
    /// Which of the texts of its combo it stands in; `None` for one that comes
    /// from another combo.
    pub text: Option<u8>,
}

impl ComboStep {
    /// A step that may come at any time up to `within`.
    pub fn new(what: StepKind, within: TimeSpan) -> Self {
        let (after, buffer) = (within.with(0), within.with(0));
        ComboStep { what, after, within, buffer, unless: Vec::new(), written: 0, text: None }
    }

    /// Whether it is the release of the very press of the step before.
    pub fn lifts(&self, before: &ComboStep) -> bool {
        match (&before.what, &self.what) {
            (StepKind::Press(of) | StepKind::Hold(of, _), StepKind::Release(lifted)) => {
                let has =
                    |names: &[SignalId], of: &[SignalId]| of.iter().all(|n| names.contains(n));
                has(of, lifted) && has(lifted, of)
            }
            _ => false,
        }
    }

    /// The earliest moment after the step before at which it counts.
    pub fn opens(&self) -> TimeSpan {
        self.after.with(self.after.amount() - self.buffer.amount())
    }
}

/// What must happen for a step to be met.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum StepKind {
    /// Any of these goes on.
    Press(Vec<SignalId>),
    /// Any of these goes off. Right after a press or a hold of the same ones, in any
    /// order, it is the release of that press, and not that of a later one.
    Release(Vec<SignalId>),
    /// Any of these goes on and stays on for so long. The step is met when that
    /// is over; its limits are about the press.
    Hold(Vec<SignalId>, TimeSpan),
    /// Signals go on, at most so long after each other, and are all on then.
    Together {
        /// Which; two or more.
        of: Vec<SignalId>,
        /// From the first to the last.
        spread: TimeSpan,
        /// Whether they must come in this order.
        in_order: bool,
    },
    /// For so long none of the signals of the combo goes on. Only as its last
    /// step.
    Quiet(TimeSpan),
}

impl StepKind {
    /// A press of one signal.
    pub fn press(of: SignalId) -> Self {
        StepKind::Press([of].into())
    }

    /// A release of one signal.
    pub fn release(of: SignalId) -> Self {
        StepKind::Release([of].into())
    }

    /// One signal held for so long.
    pub fn hold(of: SignalId, span: TimeSpan) -> Self {
        StepKind::Hold([of].into(), span)
    }

    /// The signals it is about: of a chord all, of anything else any.
    pub fn signals(&self) -> &[SignalId] {
        match self {
            StepKind::Press(of)
            | StepKind::Release(of)
            | StepKind::Hold(of, _)
            | StepKind::Together { of, .. } => of,
            StepKind::Quiet(_) => &[],
        }
    }

    /// The signals that must be on together; none of what is no chord.
    pub fn chord(&self) -> &[SignalId] {
        match self {
            StepKind::Together { of, .. } => of,
            _ => &[],
        }
    }

    /// Its own limit, besides those on when it comes.
    pub const fn span(&self) -> Option<TimeSpan> {
        match self {
            StepKind::Press(_) | StepKind::Release(_) => None,
            StepKind::Hold(_, span) | StepKind::Quiet(span) => Some(*span),
            StepKind::Together { spread, .. } => Some(*spread),
        }
    }

    /// The same, to be changed.
    fn span_mut(&mut self) -> Option<&mut TimeSpan> {
        match self {
            StepKind::Press(_) | StepKind::Release(_) => None,
            StepKind::Hold(_, span) | StepKind::Quiet(span) => Some(span),
            StepKind::Together { spread, .. } => Some(spread),
        }
    }

    /// The same kind of step about other signals.
    fn with_signals(&self, other: &impl Fn(SignalId) -> SignalId) -> StepKind {
        let mut turned = self.clone();
        match &mut turned {
            StepKind::Press(of)
            | StepKind::Release(of)
            | StepKind::Hold(of, _)
            | StepKind::Together { of, .. } => of.iter_mut().for_each(|of| *of = other(*of)),
            StepKind::Quiet(_) => {}
        }
        turned
    }
}

/// For so long none of the signals of a combo goes on before its first step.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Calm {
    /// How long.
    pub span: TimeSpan,
    /// Which of the texts of its combo it stands in; `None` where it comes from
    /// another combo.
    pub text: Option<u8>,
}

/// A combo of a rig.
///
/// Invariants: 1 to [`MAX_STEPS`] steps; a [`StepKind::Quiet`] only as the last of
/// several; with [`calm`](Combo::calm) no chord as the first; the signals, actions, combos and modes that are named exist; no
/// combo waits for itself, be it by others.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub struct Combo {
    /// Its name.
    pub name: String,
    /// What must not happen before the first step.
    pub calm: Option<Calm>,
    /// What must happen, in order.
    pub steps: Vec<ComboStep>,
    /// From the first step to the last; `None` asks nothing.
    pub all: Option<TimeSpan>,
    /// What times are measured by.
    pub clock: ComboClock,
    /// Of a strict combo what may not be pressed between its steps.
    pub strict: Option<Strict>,
    /// While this signal is on at the first step, left and right are swapped, by
    /// these pairs.
    pub mirror: Option<Mirror>,
    /// Whether it takes the buttons that are down when it fires from the
    /// actions, until they are released.
    pub takes: bool,
    /// Whether a press may count again after it made the combo fire.
    pub again: bool,
    /// Whether it stays on until the signals of its last step go off, instead
    /// of being on for one tick.
    pub lasts: bool,
    /// Whether a release counts that no hand made, because the device could not
    /// be heard any more.
    pub counts_forced: bool,
    /// The combos that must have failed first.
    pub waits_for: Vec<ComboId>,
    /// The modes in which it listens.
    pub modes: ModeSet,
    /// Of a combo whose presses must all come from one device: what it is on each of
    /// the devices. Then it is run once for each of them: what one device does bears
    /// on no attempt of another.
    pub devices: Vec<OnDevice>,
}

/// What may not be pressed between the steps of a combo.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Strict {
    /// Anything but these, be it a signal or not.
    AllBut(Vec<SignalId>),
    /// These.
    Only(Vec<SignalId>),
}

impl Strict {
    /// Whether a press, of a signal or of a button that is none, breaks an attempt
    /// before a step. A chord does not break itself.
    pub fn bans(&self, signal: Option<SignalId>, chord: &[SignalId]) -> bool {
        let is_among = |list: &[SignalId]| signal.is_some_and(|signal| list.contains(&signal));
        match self {
            Strict::AllBut(passing) => !is_among(passing) && !is_among(chord),
            Strict::Only(banned) => is_among(banned) && !is_among(chord),
        }
    }
}

/// What a combo is on one device.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OnDevice {
    /// For each signal of its steps, and of what breaks or turns them, that of this
    /// device.
    pub signals: Vec<(SignalId, SignalId)>,
    /// Of a strict combo what may not be pressed on the device.
    pub banned: Vec<SignalId>,
}

impl OnDevice {
    /// What a signal is on this device; the same where it is none of any device.
    fn of(&self, signal: SignalId) -> SignalId {
        let own = self.signals.iter().find(|(any, _)| *any == signal);
        own.map_or(signal, |(_, own)| *own)
    }
}

/// What turns a combo around.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mirror {
    /// While this is on.
    pub while_on: SignalId,
    /// These change places.
    pub pairs: Vec<(SignalId, SignalId)>,
}

impl Mirror {
    /// What a signal is turned around; the same where it has no opposite.
    fn of(&self, signal: SignalId) -> SignalId {
        let other = |&(one, other): &(SignalId, SignalId)| match signal {
            _ if signal == one => Some(other),
            _ if signal == other => Some(one),
            _ => None,
        };
        self.pairs.iter().find_map(other).unwrap_or(signal)
    }
}

/// The steps of a combo, as it is written or turned around.
#[derive(Clone, Debug)]
pub struct ComboVariant {
    /// The steps, in order.
    pub steps: Vec<ComboStep>,
    /// This signal must be on (or off) when the first step is met.
    pub guard: Option<(SignalId, bool)>,
}

impl Combo {
    /// A combo of these steps of which nothing else is asked.
    pub fn new(name: &str, steps: Vec<ComboStep>) -> Self {
        Combo {
            name: name.into(),
            calm: None,
            steps,
            all: None,
            clock: ComboClock::Reports,
            strict: None,
            mirror: None,
            takes: false,
            again: false,
            lasts: false,
            counts_forced: false,
            waits_for: Vec::new(),
            modes: ModeSet::ALL,
            devices: Vec::new(),
        }
    }

    /// What is run for it: itself or, where its presses must come from one device,
    /// a combo for each.
    pub fn copies(&self) -> Vec<Combo> {
        if self.devices.is_empty() {
            return [self.clone()].into();
        }
        let copy = |device: &OnDevice| Combo {
            steps: self.with_signals(|signal| device.of(signal)),
            strict: self.strict.as_ref().map(|_| Strict::Only(device.banned.clone())),
            mirror: self.mirror.as_ref().map(|mirror| Mirror {
                while_on: mirror.while_on,
                pairs: mirror.pairs.iter().map(|&(a, b)| (device.of(a), device.of(b))).collect(),
            }),
            devices: Vec::new(),
            ..self.clone()
        };
        self.devices.iter().map(copy).collect()
    }

    /// Its steps about other signals.
    fn with_signals(&self, other: impl Fn(SignalId) -> SignalId) -> Vec<ComboStep> {
        let step = |step: &ComboStep| ComboStep {
            what: step.what.with_signals(&other),
            unless: step.unless.iter().map(|&signal| other(signal)).collect(),
            ..step.clone()
        };
        self.steps.iter().map(step).collect()
    }

    /// The ways in which its steps may be done: one, or with a [`Mirror`] two.
    pub fn variants(&self) -> Vec<ComboVariant> {
        let Some(mirror) = &self.mirror else {
            return [ComboVariant { steps: self.steps.clone(), guard: None }].into();
        };
        let turned = self.with_signals(|signal| mirror.of(signal));
        let steps = self.steps.clone();
        let plain = ComboVariant { steps, guard: Some((mirror.while_on, false)) };
        [plain, ComboVariant { steps: turned, guard: Some((mirror.while_on, true)) }].into()
    }

    /// Every signal that its steps are about.
    pub fn signals(&self) -> impl Iterator<Item = SignalId> {
        self.steps.iter().flat_map(|step| step.what.signals().iter().copied())
    }

    /// Whether it listens in a mode.
    pub const fn listens_in(&self, mode: ModeId) -> bool {
        self.modes.has(mode)
    }

    /// One of its limits; when a quiet comes is not limited.
    pub fn limit(&self, limit: ComboLimit) -> Option<TimeSpan> {
        let step = |n: u8| self.steps.get(usize::from(n));
        let moved = |n: u8| step(n).filter(|step| !matches!(step.what, StepKind::Quiet(_)));
        match limit {
            ComboLimit::After(n) => moved(n).map(ComboStep::opens),
            ComboLimit::Within(n) => moved(n).map(|step| step.within),
            ComboLimit::Own(n) => step(n)?.what.span(),
            ComboLimit::Calm => self.calm.map(|calm| calm.span),
            ComboLimit::All => self.all,
        }
    }

    /// The combo with one limit changed.
    #[must_use]
    pub fn with_limit(&self, limit: ComboLimit, amount: i64) -> Combo {
        let mut combo = self.clone();
        let step = |combo: &mut Combo, n: u8| combo.steps.get_mut(usize::from(n)).cloned();
        match limit {
            ComboLimit::After(n) => {
                if let Some(mut step) = step(&mut combo, n) {
                    step.after = step.after.with(amount + step.buffer.amount());
                    combo.steps[usize::from(n)] = step;
                }
            }
            ComboLimit::Within(n) => {
                if let Some(step) = combo.steps.get_mut(usize::from(n)) {
                    step.within = step.within.with(amount);
                }
            }
            ComboLimit::Own(n) => {
                let step = combo.steps.get_mut(usize::from(n));
                if let Some(span) = step.and_then(|step| step.what.span_mut()) {
                    *span = span.with(amount);
                }
            }
            ComboLimit::Calm => {
                if let Some(calm) = &mut combo.calm {
                    calm.span = calm.span.with(amount);
                }
            }
            ComboLimit::All => combo.all = combo.all.map(|all| all.with(amount)),
        }
        combo
    }
}

/// A limit of a combo; of a step by its place among the steps.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum ComboLimit {
    /// For how long none of its signals goes on before the first step, at least.
    Calm,
    /// No earlier than this after the step before; what a buffer lets through
    /// is already taken off.
    After(u8),
    /// No later than this after the step before.
    Within(u8),
    /// How long a hold or a quiet lasts at least, or how long a chord takes at
    /// most.
    Own(u8),
    /// From the first step to the last at most.
    All,
}

impl ComboLimit {
    /// The step that it is about; `None` for the whole.
    pub const fn step(self) -> Option<u8> {
        match self {
            ComboLimit::After(n) | ComboLimit::Within(n) | ComboLimit::Own(n) => Some(n),
            ComboLimit::Calm => Some(0),
            ComboLimit::All => None,
        }
    }
}

/// A mode, such as driving or parked: which actions and combos are open.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mode {
    /// Its name.
    pub name: String,
    /// The action that puts it on top of the other modes when the action goes
    /// on; `None` for the first mode.
    pub enter: Option<ActionId>,
    /// The action that ends it, if it is on top.
    pub leave: Option<ActionId>,
    /// Whether the clock of the combos stands still in it, so that what was begun
    /// before can be finished after; otherwise what was begun is forgotten. Never of
    /// the first mode.
    pub freezes: bool,
}

/// A rig has at most this many modes.
pub const MAX_MODES: usize = 32;
