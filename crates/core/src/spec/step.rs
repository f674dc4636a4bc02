//! Steps of combos: what must happen, and in which time.

use crate::base::{ComboId, Moment, Nanos, PollRate, SignalId, Tick};
use alloc::vec::Vec;
use strum::{IntoStaticStr, VariantArray};

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
    ///
    /// ```
    /// use gtrig_core::{Moment, Nanos, Tick, TimeSpan};
    ///
    /// let press = Moment { time: Nanos::from_millis(100), tick: Tick(6) };
    /// let next = Moment { time: Nanos::from_millis(340), tick: Tick(21) };
    /// assert_eq!(TimeSpan::millis(250).between(press, next), 240_000_000);
    /// assert_eq!(TimeSpan::Ticks(14).between(press, next), 15);
    /// ```
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
///
/// With `reports`, a combo is the same at every poll rate and however a loop stutters; with `ticks`
/// it is what a game counts that looks at its buttons once a frame.
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
///
/// ```text
///  step before           opens        after                   within
///      │                   │            │                       │
///      ├───────────────────┼────────────┼───────────────────────┤
///      │   too early       │  buffered: │   met at once         │  too late
///      │                   │  waits for │                       │
///      │                   │  `after`   │                       │
/// ```
///
/// All three count from the moment of the step before: of a press its instant, of a hold or a
/// quiet its end, of a chord its last press.
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
    /// Where its own time stands: for how long a hold or a quiet lasts, in what time a chord comes
    /// together or a tap is let go. `None` where it has none, or stands nowhere.
    pub own_text: Option<StepText>,
    /// Where it stands when the step comes; `None` of the first step, and of one that stands
    /// nowhere.
    pub window_text: Option<StepText>,
}

/// One of the texts in which the steps of a combo are written.
///
/// A combo that does another one has steps whose numbers stand in a text of that.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct StepText {
    /// The combo that has the text.
    pub combo: ComboId,
    /// Which of its texts it is, from 0.
    pub text: u8,
}

impl ComboStep {
    /// A step that may come at any time up to `within`.
    pub fn new(what: StepKind, within: TimeSpan) -> Self {
        let (after, buffer) = (within.with(0), within.with(0));
        ComboStep {
            what,
            after,
            within,
            buffer,
            unless: Vec::new(),
            written: 0,
            own_text: None,
            window_text: None,
        }
    }

    /// Whether it is the release of the very press of the step before.
    ///
    /// *press south, release south* is a tap of one press: the release of an earlier press of
    /// `south` is none of it.
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
    ///
    /// ```
    /// use gtrig_core::{ComboStep, SignalId, StepKind, TimeSpan};
    ///
    /// let mut step = ComboStep::new(StepKind::press(SignalId(0)), TimeSpan::millis(400));
    /// (step.after, step.buffer) = (TimeSpan::millis(150), TimeSpan::millis(50));
    /// assert_eq!(step.opens(), TimeSpan::millis(100));
    /// ```
    pub fn opens(&self) -> TimeSpan {
        self.after.with(self.after.amount() - self.buffer.amount())
    }

    /// How long it takes at least, in nanoseconds: until it counts, and as long as it lasts.
    ///
    /// ```
    /// use gtrig_core::{ComboStep, PollRate, SignalId, StepKind, TimeSpan};
    ///
    /// let hold = StepKind::Hold([SignalId(0)].into(), TimeSpan::millis(400));
    /// let mut step = ComboStep::new(hold, TimeSpan::millis(500));
    /// step.after = TimeSpan::millis(150);
    /// assert_eq!(step.takes_at_least(PollRate::DEFAULT), 550_000_000);
    /// ```
    pub fn takes_at_least(&self, rate: PollRate) -> u64 {
        let own = match self.what {
            StepKind::Hold(_, span) | StepKind::Quiet(span) => span.nanos(rate),
            _ => 0,
        };
        self.opens().nanos(rate) + own
    }
}

/// What must happen for a step to be met.
///
/// ```
/// use gtrig_core::{SignalId, StepKind, TimeSpan};
///
/// let (south, east) = (SignalId(0), SignalId(1));
/// let chord = StepKind::Together {
///     of: vec![south, east],
///     spread: TimeSpan::millis(50),
///     in_order: false,
/// };
/// assert_eq!(chord.chord(), [south, east]);
/// assert_eq!(StepKind::hold(south, TimeSpan::millis(400)).span(), Some(TimeSpan::millis(400)));
/// ```
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
    pub(super) fn span_mut(&mut self) -> Option<&mut TimeSpan> {
        match self {
            StepKind::Press(_) | StepKind::Release(_) => None,
            StepKind::Hold(_, span) | StepKind::Quiet(span) => Some(span),
            StepKind::Together { spread, .. } => Some(spread),
        }
    }

    /// The same kind of step about other signals.
    pub(super) fn with_signals(&self, other: &impl Fn(SignalId) -> SignalId) -> StepKind {
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
