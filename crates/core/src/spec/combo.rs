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

use crate::base::{ActionId, ComboId, ModeId, ModeSet, SignalId};
use crate::spec::{ComboClock, ComboStep, StepKind, StepText, TimeSpan};
use alloc::{string::String, vec::Vec};

/// A rig has at most this many combos.
pub const MAX_COMBOS: usize = 10_000;

/// For so long none of the signals of a combo goes on before its first step: `quiet for 250 ms`
/// at the beginning of a combo.
///
/// A combo with a mirror counts the signals of both ways. What a mode forgot disturbs no calm.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Calm {
    /// How long.
    pub span: TimeSpan,
    /// Where it stands: in a text of its own, or in that of presses that are exact, whose window
    /// is as long. `None` where it stands nowhere.
    pub text: Option<StepText>,
}

/// A combo of a rig.
///
/// ```
/// use gtrig_core::{Combo, ComboStep, SignalId, StepKind, TimeSpan};
///
/// // Two presses of one button, the second at most 250 ms after the first.
/// let press = StepKind::press(SignalId(0));
/// let first = ComboStep::new(press.clone(), TimeSpan::millis(0));
/// let second = ComboStep::new(press, TimeSpan::millis(250));
/// let double = Combo::new("double", vec![first, second]);
/// assert_eq!(double.variants().len(), 1);
/// ```
///
/// Invariants: 1 to [`MAX_STEPS`](crate::MAX_STEPS) steps; a [`StepKind::Quiet`] only as the last
/// of several; with [`calm`](Combo::calm) no chord as the first; the signals, actions, combos and
/// modes that are named exist; no combo waits for itself, be it by others.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub struct Combo {
    /// Its name.
    pub name: String,
    /// What must not happen before the first step.
    pub calm: Option<Calm>,
    /// What must happen, in order.
    pub steps: Vec<ComboStep>,
    /// The longest time from the first press of the first step to the moment of the last
    /// step; `None` asks nothing. No shorter than what the steps must take by
    /// [`ComboStep::after`].
    pub all: Option<TimeSpan>,
    /// What times are measured by.
    pub clock: ComboClock,
    /// Of a strict combo what may not be pressed between two of its steps, during a hold and
    /// during a quiet at its end. A press with several names is one press
    /// ([`HandPress`](crate::HandPress)).
    pub strict: Option<Strict>,
    /// While this signal is on at the first step, left and right are swapped, by
    /// these pairs.
    pub mirror: Option<Mirror>,
    /// Whether it takes the buttons that are down when it fires from the
    /// actions, until they are released.
    pub takes: bool,
    /// Whether a press may count again after it made the combo fire.
    pub again: bool,
    /// Whether it stays on until a press is let go that met its last step (of a chord any of
    /// its presses), instead of being on for one tick. A combo that ends with a release or a
    /// tap is on for one tick all the same.
    pub lasts: bool,
    /// Whether a release counts that no hand made, because the device could not
    /// be heard any more. It ends a hold in any case.
    pub counts_forced: bool,
    /// The combos that come first: an attempt fires when none of these can be met any more by
    /// an attempt that shares a press with it, and is cancelled if one of them is met so.
    pub waits_for: Vec<ComboId>,
    /// The modes in which it listens: no step is met by a press or a release at a tick at
    /// which another mode is on top.
    pub modes: ModeSet,
    /// Of a combo whose presses must all come from one device: what it is on each of
    /// the devices. Then it is run once for each of them: what one device does bears
    /// on no attempt of another.
    pub devices: Vec<OnDevice>,
}

/// What may not be pressed between the steps of a combo.
///
/// ```
/// use gtrig_core::{SignalId, Strict};
///
/// let (south, east, menu) = (SignalId(0), SignalId(1), SignalId(2));
/// let all_but_menu = Strict::AllBut(vec![menu]);
/// assert!(all_but_menu.bans(Some(east), &[], &[]) && !all_but_menu.bans(Some(menu), &[], &[]));
/// // A button that is no signal of the rig is strange too, unless it is the menu by another name.
/// assert!(all_but_menu.bans(None, &[], &[]) && !all_but_menu.bans(None, &[menu], &[]));
/// // The presses of a chord come one after the other, and do not break it.
/// assert!(!all_but_menu.bans(Some(south), &[], &[south, east]));
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Strict {
    /// Anything but these, be it a signal or not.
    AllBut(Vec<SignalId>),
    /// These.
    Only(Vec<SignalId>),
}

impl Strict {
    /// Whether a press, of a signal or of a button that is none, breaks an attempt before a step.
    /// A chord does not break itself. `others` are what else the same press of a hand is called:
    /// it may pass if one of its names may.
    pub fn bans(&self, signal: Option<SignalId>, others: &[SignalId], chord: &[SignalId]) -> bool {
        let is_among = |list: &[SignalId]| signal.is_some_and(|signal| list.contains(&signal));
        let may_pass = |passing: &[SignalId]| {
            is_among(passing) || others.iter().any(|other| passing.contains(other))
        };
        match self {
            Strict::AllBut(passing) => !may_pass(passing) && !may_pass(chord),
            Strict::Only(banned) => is_among(banned) && !is_among(chord),
        }
    }

    /// The same about other signals.
    fn with_signals(&self, other: impl Fn(SignalId) -> SignalId) -> Strict {
        let all = |signals: &[SignalId]| signals.iter().map(|&signal| other(signal)).collect();
        match self {
            Strict::AllBut(passing) => Strict::AllBut(all(passing)),
            Strict::Only(banned) => Strict::Only(all(banned)),
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
///
/// Left and right of a player who faces the other way: with the pair of left and right, the steps
/// *down, right, south* are *down, left, south* while the signal is on.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mirror {
    /// While this is on when the first step is met. What it does later turns no attempt that
    /// has begun.
    pub while_on: SignalId,
    /// These change places, in steps, in what ends an attempt and in what may pass.
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

/// A combo as it is written, or turned around.
#[derive(Clone, Debug)]
pub struct ComboVariant {
    /// The steps, in order.
    pub steps: Vec<ComboStep>,
    /// What may not be pressed between them.
    pub strict: Option<Strict>,
    /// This signal must be on (or off) when the first step is met.
    pub guard: Option<(SignalId, bool)>,
}

impl ComboVariant {
    /// Whether a press, of a signal or of a button that is none, breaks an attempt before step
    /// `n`. `others` are what else the press is called; see [`Strict::bans`].
    ///
    /// # Panics
    /// When there is no such step.
    pub fn is_broken_by(&self, signal: Option<SignalId>, others: &[SignalId], n: usize) -> bool {
        let step = &self.steps[n];
        let is_cancel = signal.is_some_and(|signal| step.unless.contains(&signal));
        let bans = |strict: &Strict| strict.bans(signal, others, step.what.chord());
        is_cancel || self.strict.as_ref().is_some_and(bans)
    }
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
    ///
    /// Just one of the two can be done at a time: their guards ask the opposite of one signal.
    pub fn variants(&self) -> Vec<ComboVariant> {
        let guard = |on: bool| self.mirror.as_ref().map(|mirror| (mirror.while_on, on));
        let (steps, strict) = (self.steps.clone(), self.strict.clone());
        let plain = ComboVariant { steps, strict, guard: guard(false) };
        let Some(mirror) = &self.mirror else { return [plain].into() };
        let steps = self.with_signals(|signal| mirror.of(signal));
        let strict = self.strict.as_ref().map(|strict| strict.with_signals(|of| mirror.of(of)));
        [plain, ComboVariant { steps, strict, guard: guard(true) }].into()
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
    ///
    /// ```
    /// use gtrig_core::{Combo, ComboLimit, ComboStep, SignalId, StepKind, TimeSpan};
    ///
    /// let press = || StepKind::press(SignalId(0));
    /// let first = ComboStep::new(press(), TimeSpan::millis(0));
    /// let second = ComboStep::new(press(), TimeSpan::millis(250));
    /// let double = Combo::new("double", vec![first, second]);
    /// assert_eq!(double.limit(ComboLimit::Within(1)), Some(TimeSpan::millis(250)));
    /// assert_eq!(double.limit(ComboLimit::All), None);
    /// let slower = double.with_limit(ComboLimit::Within(1), 300_000_000);
    /// assert_eq!(slower.limit(ComboLimit::Within(1)), Some(TimeSpan::millis(300)));
    /// ```
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
    ///
    /// `amount` is in the unit of the limit: nanoseconds or ticks; below 0 it is 0. It moves a limit
    /// that is there, and adds none. This is how a margin is proved: with a limit moved by the
    /// margin the verdict turns.
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
///
/// Modes lie on a stack; the one on top counts, from the tick after the one that put it there.
/// See `combo::modes` for how they follow actions.
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
    /// Whether the clock of the combos stands still while it is on top. Nothing that is pressed
    /// then counts for a combo; what is let go is held no more. What was begun before goes on
    /// when the mode before comes back, and is forgotten when another one comes. Never of the
    /// first mode.
    pub freezes: bool,
}

/// A rig has at most this many modes.
pub const MAX_MODES: usize = 32;
