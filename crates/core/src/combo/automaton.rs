//! All combos of a rig as one automaton, built once when a rig is bound.
//!
//! It is a tree. Its root is node 0, where every attempt begins. Every other node stands for one
//! step and, by its parents, for all steps before it. So combos that begin alike share the nodes
//! of their common beginning, and a press costs as much as there are different ways to go on, not
//! as much as there are combos.
//!
//! What a combo asks of all its steps (that it is strict, its clock, its modes, which way it
//! faces) is part of the key of every node. Two steps share a node only if they are always in the
//! same state.
//!
//! Three words are needed to read the rest:
//!
//! - A *trigger* is a change of a signal: it goes on or off. Those that lead to any step have a
//!   *key*, by which an edge finds the steps that it meets.
//! - An *arrival* is a moment at which a node was reached. The engine keeps the latest ones of
//!   every node in a ring; the automaton only says where each ring lies and how long it is.
//! - A *copy* is what is run of a combo: one, or one for each player slot where all presses must
//!   come from one device.
//!
//! Invariant: nodes are numbered level by level, and those that follow one node by the same
//! trigger lie side by side (a node that several triggers lead to lies with the first). So an
//! edge of a signal walks over memory that lies together.

mod build;

use crate::base::{ComboId, ModeSet, SignalId};
use crate::combo::{SetId, SignalEdge};
use crate::spec::{Combo, ComboClock, ComboVariant, StepKind, TimeSpan};
use alloc::vec::Vec;
use core::ops::Range;

/// What is run of a combo, by its place among the copies of all combos, in the order of the rig.
///
/// A combo has one copy. A combo whose presses must come from one device has one for each player
/// slot, 1 to 4, each with signals, spent presses and attempts of its own.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct CopyId(pub(crate) u16);

impl CopyId {
    /// The place in [`Automaton::combos`].
    pub(crate) const fn index(self) -> usize {
        self.0 as usize
    }
}

/// Of so many fans one is found quicker by looking at each than by halving.
const FEW_FANS: usize = 6;

/// A node by its place in [`Automaton::nodes`]. 0 is the root: the place before every first step.
pub(crate) type NodeId = u32;

/// A change of a signal: the number of the signal, times two, plus one where it goes on.
///
/// The largest number of all is no signal's: it stands for what begins by itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
struct Trigger(u32);

impl Trigger {
    /// What begins by itself as soon as the node before it is reached: a time in which nothing
    /// may be pressed.
    const QUIET: Trigger = Trigger(u32::MAX);

    /// A signal goes on (`is_press`), or off.
    const fn new(signal: SignalId, is_press: bool) -> Self {
        Trigger((signal.0 as u32) << 1 | is_press as u32)
    }
}

/// A trigger that leads to a step, by its place among all that do; see [`Automaton::key`].
///
/// Most changes of most rigs (that of a button that goes off, say) lead nowhere, and have none.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Key(u32);

impl Key {
    /// One of 64 bits, by which most nodes can be told not to want a trigger without looking it
    /// up. Several share a bit where there are more than 64: a bit that is set means perhaps,
    /// one that is not set means no.
    pub(crate) const fn bit(self) -> u64 {
        1 << (self.0 % 64)
    }
}

/// What is asked of a step beyond a plain press or release, or of the first step of a combo.
///
/// It lies apart from [`Node`], for most edges meet plain steps and never look at it.
#[derive(Clone, Debug)]
pub(crate) struct Rest {
    /// The kind of the step, with its signals and its own times.
    pub(crate) what: StepKind,
    /// The step is met no earlier than this after the step before it; 0 for at once.
    pub(crate) after: TimeSpan,
    /// Of a first step: this signal must be on (`true`) or off for the attempt to begin. So a
    /// mirrored variant begins only while the combo faces that way.
    pub(crate) guard: Option<(SignalId, bool)>,
    /// Of a first step: none of these signals was pressed for so long before it.
    pub(crate) calm: Option<(SetId, TimeSpan)>,
}

/// A step in the automaton, with everything that most edges ask of it.
///
/// All times are by the clock of the combo: nanoseconds, or ticks.
#[derive(Clone, Debug)]
pub(crate) struct Node {
    /// The step before it; the root is its own parent.
    pub(crate) parent: NodeId,
    /// Whether it is one press or one release of one of its signals, which may come at any time
    /// up to [`Node::within`], and is met at once. Of any other step [`Automaton::rest`] says
    /// more.
    pub(crate) is_plain: bool,
    /// Whether it is the release of the very press by which the step before it was met, and not
    /// of any press of the same signal.
    pub(crate) is_lift: bool,
    /// Its press comes no earlier than this after the step before it: `after`, less how much
    /// earlier a press may come to wait for it.
    pub(crate) opens: TimeSpan,
    /// Its press comes no later than this after the step before it. 0 for a first step, which has
    /// none before it.
    pub(crate) within: TimeSpan,
    /// What its times are measured by.
    pub(crate) clock: ComboClock,
    /// A press of a signal in one of these sets since the step before ends the attempt. The first
    /// set is what a strict combo does not bear, the second what the step is cancelled by
    /// (`unless`).
    pub(crate) broken_by: [Option<SetId>; 2],
    /// It is met only in these modes.
    pub(crate) modes: ModeSet,
    /// Whether a release counts that no hand made, because the device was unplugged or could not
    /// be heard.
    pub(crate) counts_forced: bool,
    /// The copies of which this is the last step, as a part of the list that
    /// [`Automaton::finals`] reads.
    pub(crate) finals: Range<u32>,
    /// What may follow it, one entry for each trigger, as a part of the list of fans.
    fans: Range<u32>,
    /// The steps that begin by themselves as soon as it is reached, times without presses, as a
    /// part of the list of steps that are not bare.
    pub(crate) quiets: Range<u32>,
    /// How many arrivals of it are remembered, at least 1. More than the last one matters only
    /// where what follows may come too early after it, may have begun before it, or is the
    /// release of one of several presses.
    pub(crate) kept: u8,
    /// The place of the first of these arrivals among those of all nodes.
    pub(crate) ring: u32,
    /// The [bits](Key::bit) of all triggers that lead on from it.
    pub(crate) wants: u64,
    /// Whether any step follows.
    pub(crate) leads_on: bool,
    /// For how many nanoseconds after an arrival a step may follow it: the longest window of
    /// those that do, and one tick, for a window in ticks ends with its last tick.
    pub(crate) live: u64,
}

/// What one trigger leads to from a node. The fans of a node are in the order of their keys.
#[derive(Clone, Debug, Default)]
struct Fan {
    /// What leads there.
    key: Key,
    /// Its bare steps, as a part of the list of these.
    bare: Range<u32>,
    /// All others, as a part of the list of these.
    others: Range<u32>,
}

/// A *bare* step that may follow a node. Nothing is asked of it but that it comes in time, and of
/// the node before only the last arrival is remembered. So all bare steps that follow an arrival
/// by the same change make the same of it, and each is decided by one comparison.
#[derive(Clone, Copy, Debug)]
pub(crate) struct BareStep {
    /// The step.
    pub(crate) node: NodeId,
    /// Its window.
    pub(crate) within: TimeSpan,
}

/// The steps that a trigger leads to.
#[derive(Clone, Copy, Default)]
pub(crate) struct Steps<'a> {
    /// The bare ones, in the order of their nodes.
    pub(crate) bare: &'a [BareStep],
    /// All others, in the same order.
    pub(crate) others: &'a [NodeId],
}

/// All combos of a rig, ready to run; see the [module](self). It does not change while it runs:
/// what does is in [`ComboEngine`](super::ComboEngine).
///
/// Invariants: node 0 is the root and its own parent; a parent has a smaller number than its
/// children; every range lies in its list; a rig without combos has no nodes at all.
#[derive(Clone, Debug, Default)]
pub(crate) struct Automaton {
    /// All steps, level by level: first the root, then all first steps, and so on.
    pub(crate) nodes: Vec<Node>,
    /// What is asked of each beyond a plain press, in the same order.
    rests: Vec<Rest>,
    /// By the number of a trigger its key, where it leads anywhere.
    keys: Vec<Option<Key>>,
    /// What each trigger leads to, node by node.
    fans: Vec<Fan>,
    /// By the number of a key what it leads to from the root.
    firsts: Vec<Fan>,
    /// The bare steps that follow, fan by fan.
    bare: Vec<BareStep>,
    /// All other steps that follow, fan by fan.
    others: Vec<NodeId>,
    /// The copies that end somewhere, node by node.
    finals: Vec<CopyId>,
    /// For each copy the nodes of its steps, those of its variants one after the
    /// other.
    paths: Vec<Vec<NodeId>>,
    /// What is run: the combos of the rig, or their copies, in its order.
    pub(crate) combos: Vec<BoundCombo>,
    /// For each combo of the rig the copies of it.
    copies: Vec<Range<u16>>,
    /// How many different sets of signals break or quieten anything; of each the engine keeps its
    /// last press.
    pub(crate) set_count: usize,
    /// For each signal, and for what is none, the sets that have it.
    sets_of: Vec<Vec<SetId>>,
    /// How many arrivals are remembered over all nodes.
    pub(crate) ring_count: usize,
    /// How many holds, quiets and early presses are followed at once, at most: room for them is
    /// made once.
    pub(crate) timer_count: usize,
    /// How many copies wait for other combos.
    pub(crate) waiting_count: usize,
    /// Whether any copy is met by either of two ways.
    pub(crate) has_mirrors: bool,
    /// Whether any of its combos may use a press again.
    pub(crate) has_again: bool,
}

/// What is asked of a copy of a combo as a whole, and what it does when it fires.
#[derive(Clone, Debug)]
pub(crate) struct BoundCombo {
    /// The combo of the rig.
    pub(crate) combo: ComboId,
    /// Which of its copies, from 0.
    pub(crate) copy: u8,
    /// Whether the combo has other copies.
    pub(crate) has_siblings: bool,
    /// From its first step to its last no more than this may pass.
    pub(crate) all: Option<TimeSpan>,
    /// Whether the buttons that are down when it fires drive nothing until they are released.
    pub(crate) takes: bool,
    /// Whether a press may count for another attempt after it fired.
    pub(crate) again: bool,
    /// Whether it is met by either of two ways, of which one is the other in a mirror.
    pub(crate) is_mirrored: bool,
    /// What it is on by for longer than one tick: the signals that may meet its last step with
    /// any, of a chord together. It lasts while all of those are on that met it.
    pub(crate) lasts_by: Vec<Vec<SignalId>>,
    /// The copies that are given the first say about the presses of an attempt at it.
    pub(crate) waits_for: Vec<CopyId>,
    /// Whether another one waits for it.
    pub(crate) is_waited_for: bool,
    /// All signals of its steps, each once, in order.
    pub(crate) signals: Vec<SignalId>,
    /// The set of its own signals, where a quiet or calm asks for it.
    pub(crate) own: Option<SetId>,
}

impl Automaton {
    /// A node.
    pub(crate) fn node(&self, node: NodeId) -> &Node {
        &self.nodes[node as usize]
    }

    /// What is asked of a copy as a whole.
    pub(crate) fn combo(&self, copy: CopyId) -> &BoundCombo {
        &self.combos[copy.index()]
    }

    /// What is run of a combo; nothing of one that the rig does not have.
    pub(crate) fn copies(&self, combo: ComboId) -> impl Iterator<Item = CopyId> + use<> {
        self.copies.get(combo.index()).cloned().unwrap_or_default().map(CopyId)
    }

    /// How many combos the rig has.
    pub(crate) fn combo_count(&self) -> usize {
        self.copies.len()
    }

    /// The key of a change of a signal, which goes on (`is_press`) or off; nothing if it leads to
    /// no step of any combo.
    pub(crate) fn key(&self, signal: SignalId, is_press: bool) -> Option<Key> {
        let Trigger(number) = Trigger::new(signal, is_press);
        self.keys.get(number as usize).copied().flatten()
    }

    /// The first steps that a trigger leads to.
    pub(crate) fn firsts(&self, key: Key) -> Steps<'_> {
        self.steps(&self.firsts[key.0 as usize])
    }

    /// The steps that a trigger leads to from a node; none for most pairs.
    ///
    /// Most nodes have one fan or two, but one has as many as there are signals that its next
    /// steps listen to.
    #[inline]
    pub(crate) fn leads(&self, node: &Node, key: Key) -> Steps<'_> {
        let fans = &self.fans[node.fans.start as usize..node.fans.end as usize];
        let fan = match fans.len() {
            ..=FEW_FANS => fans.iter().find(|fan| fan.key == key),
            _ => fans.binary_search_by_key(&key, |fan| fan.key).ok().map(|at| &fans[at]),
        };
        fan.map_or(Steps::default(), |fan| self.steps(fan))
    }

    /// The steps after a node that begin by themselves as soon as it is reached.
    pub(crate) fn quiets(&self, node: &Node) -> &[NodeId] {
        &self.others[node.quiets.start as usize..node.quiets.end as usize]
    }

    /// The steps of a fan.
    #[inline]
    fn steps(&self, fan: &Fan) -> Steps<'_> {
        Steps {
            bare: &self.bare[fan.bare.start as usize..fan.bare.end as usize],
            others: &self.others[fan.others.start as usize..fan.others.end as usize],
        }
    }

    /// What is asked of a node beyond a plain press or release.
    pub(crate) fn rest(&self, node: NodeId) -> &Rest {
        &self.rests[node as usize]
    }

    /// The copies of which a node is the last step, in the order of the rig.
    pub(crate) fn finals(&self, node: &Node) -> &[CopyId] {
        &self.finals[node.finals.start as usize..node.finals.end as usize]
    }

    /// The nodes of the steps of a copy, in order; of a combo with variants (mirrored, say) those
    /// of all of them, one variant after the other.
    pub(crate) fn path(&self, copy: CopyId) -> &[NodeId] {
        &self.paths[copy.index()]
    }

    /// The sets that a press belongs to: of a signal, or of a button that is none (`None`), which
    /// is in all sets that mean everything but a few signals.
    pub(crate) fn sets_of(&self, signal: Option<SignalId>) -> &[SetId] {
        let last = self.sets_of.len() - 1;
        &self.sets_of[signal.map_or(last, SignalId::index)]
    }

    /// Whether a set is everything but some signals, and a press has the name of one of these.
    pub(crate) fn bears_one_of(&self, set: SetId, names: &[SignalEdge]) -> bool {
        let lacks = |edge: &SignalEdge| !self.sets_of(edge.signal).contains(&set);
        self.sets_of(None).contains(&set) && names.iter().any(lacks)
    }
}

impl BoundCombo {
    /// The copy `nth` of a combo.
    fn new(
        (combo, id, nth): (&Combo, ComboId, u8),
        variants: &[ComboVariant],
        own: Option<SetId>,
    ) -> Self {
        let lasts_by = match combo.lasts {
            true => variants.iter().flat_map(lasting_by).collect(),
            false => Vec::new(),
        };
        let all = variants.iter().flat_map(|variant| &variant.steps);
        let mut signals: Vec<SignalId> =
            all.flat_map(|step| step.what.signals().iter().copied()).collect();
        signals.sort_unstable();
        signals.dedup();
        BoundCombo {
            combo: id,
            copy: nth,
            has_siblings: false,
            all: combo.all,
            takes: combo.takes,
            again: combo.again,
            is_mirrored: variants.len() > 1,
            lasts_by,
            waits_for: Vec::new(),
            is_waited_for: false,
            signals,
            own,
        }
    }
}

/// The signals that may meet the last step with any, those of a chord together.
fn lasting_by(variant: &ComboVariant) -> Vec<Vec<SignalId>> {
    let last = variant.steps.iter().rev().find(|step| !step.what.signals().is_empty());
    match last.map(|step| &step.what) {
        Some(StepKind::Press(any) | StepKind::Hold(any, _)) => {
            any.iter().map(|&signal| Vec::from([signal])).collect()
        }
        Some(StepKind::Together { of, .. }) => Vec::from([of.clone()]),
        _ => Vec::new(),
    }
}
