//! The tree of steps while combos are added to it, and how it is laid out to be run.
//!
//! ```text
//!  a: down, right, south                     root
//!  b: down, right, east                        └─ down
//!  c: down (held 400 ms), east                 │    └─ right
//!                                              │         ├─ south   ends a
//!                                              │         └─ east    ends b
//!                                              └─ down, held
//!                                                   └─ east         ends c
//! ```
//!
//! Three combos, six nodes. A press of `down` looks at two of them and not at three combos.

use super::{Automaton, BareStep, BoundCombo, CopyId, Fan, Key, Node, NodeId, Rest, Trigger};
use crate::base::{ComboId, ModeSet, PollRate, SignalId, Tick};
use crate::combo::{KEPT_MOMENTS, SetId, Sets};
use crate::spec::{Combo, ComboClock, ComboStep, ComboVariant, StepKind, Strict, TimeSpan};
use alloc::{
    collections::{BTreeMap, BTreeSet},
    vec,
    vec::Vec,
};
use core::ops::Range;

/// What makes two steps the same node: everything that decides in which state a node is. How a
/// step was written in the rig is not part of it, nor is the window of a first step.
///
/// Two combos that differ in one of these would be in different states after the same presses, so
/// they may not share a node; two that differ in anything else may.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord)]
struct StepKey {
    /// The step before it.
    parent: NodeId,
    /// The step itself, without how it was written; of a first step without its window.
    step: ComboStep,
    /// What the combo is measured by.
    clock: ComboClock,
    /// What ends an attempt at it.
    broken_by: [Option<SetId>; 2],
    /// What a quiet listens to; part of it, for it differs between combos.
    quiet: Option<SetId>,
    /// What has to be on or off, of a first step.
    guard: Option<(SignalId, bool)>,
    /// How long nothing may have been pressed, of a first step.
    calm: Option<(SetId, TimeSpan)>,
    /// Whether releases count that no hand made.
    counts_forced: bool,
    /// Whether it is the release of the press before it.
    is_lift: bool,
    /// The modes in which it is met.
    modes: ModeSet,
}

/// The tree while combos are added to it. Nodes are numbered as they come; [`Builder::finish`]
/// numbers them anew.
///
/// Invariants: `nodes`, `rests`, `children` and `finals` have one entry for each node; `known` has
/// every node but the root.
#[derive(Default)]
struct Builder {
    /// The nodes so far; 0 is the root.
    nodes: Vec<Node>,
    /// What is asked of each beyond a plain press.
    rests: Vec<Rest>,
    /// The nodes so far, by what makes them different.
    known: BTreeMap<StepKey, NodeId>,
    /// For each node the steps that follow it, each with a trigger that leads there.
    children: Vec<Vec<(Trigger, NodeId)>>,
    /// For each node the copies that end there.
    finals: Vec<BTreeSet<CopyId>>,
    /// The sets of signals so far.
    sets: Sets,
}

impl Automaton {
    /// The automaton of the combos of a rig, of which there are so many signals. Windows in ticks
    /// are those of a loop of this rate. A rig without combos has an empty automaton, without a
    /// root.
    ///
    /// `signals` is how many the rig has: the last press of each set is looked up by signal.
    ///
    /// Building takes `n log n` of the number of steps, for each is looked up once by its key.
    pub(crate) fn new(combos: &[Combo], signals: usize, rate: PollRate) -> Self {
        if combos.is_empty() {
            return Automaton::default();
        }
        let mut builder = Builder::default();
        let root = ComboStep::new(StepKind::Quiet(TimeSpan::Time(0)), TimeSpan::Time(0));
        builder.push(0, &root, ComboClock::Reports);
        let mut paths = Vec::new();
        let mut bound: Vec<BoundCombo> = Vec::new();
        let mut copies: Vec<Range<u16>> = Vec::new();
        for (combo, id) in combos.iter().zip((0..).map(ComboId)) {
            let first = bound.len() as u16;
            for (combo, nth) in combo.copies().iter().zip(0..) {
                let (own, number) = (builder.own(combo), CopyId(bound.len() as u16));
                let variants = combo.variants();
                let nodes =
                    variants.iter().flat_map(|variant| builder.add(combo, variant, own, number));
                paths.push(nodes.collect());
                bound.push(BoundCombo::new((combo, id, nth), &variants, own));
            }
            copies.push(first..bound.len() as u16);
        }
        for at in 0..bound.len() {
            let BoundCombo { combo, copy, .. } = bound[at];
            let others = &combos[combo.index()].waits_for;
            let count = copies[combo.index()].len();
            bound[at].has_siblings = count > 1;
            bound[at].waits_for = others
                .iter()
                .flat_map(|other| awaited(copies[other.index()].clone(), usize::from(copy), count))
                .collect();
            for other in bound[at].waits_for.clone() {
                bound[other.index()].is_waited_for = true;
            }
        }
        builder.finish((paths, copies), bound, signals, rate)
    }
}

/// The window of a step of which nothing but its window is asked; see [`BareStep`].
///
/// Most steps of most rigs are bare: `press east within 300 ms` after a press.
fn bare(parent: &Node, (node, rest): (&Node, &Rest)) -> Option<TimeSpan> {
    let is_bare = node.is_plain
        && !node.is_lift
        && node.opens == TimeSpan::Time(0)
        && node.clock == ComboClock::Reports
        && node.modes == ModeSet::ALL
        && node.broken_by == [None, None]
        && rest.guard.is_none()
        && parent.kept == 1;
    is_bare.then_some(node.within)
}

/// The copies that copy `nth` of so many waits for: that on the same device, where
/// the other combo has copies too, otherwise all.
///
/// So a combo on pad 1 does not wait for what the hand on pad 2 does.
fn awaited(others: Range<u16>, nth: usize, count: usize) -> impl Iterator<Item = CopyId> {
    let is_alike = count > 1 && others.len() == count;
    others.zip(0..).filter(move |(_, n)| !is_alike || *n == nth).map(|(other, _)| CopyId(other))
}

impl Builder {
    /// The set of all signals of a combo, if any of its steps listens for quiet.
    ///
    /// Those of both ways, where it has a mirror: whoever faces the other way disturbs the calm as
    /// well.
    fn own(&mut self, combo: &Combo) -> Option<SetId> {
        let is_quiet = |step: &ComboStep| matches!(step.what, StepKind::Quiet(_));
        let signals = combo.variants().into_iter().flat_map(|variant| variant.steps);
        let signals: Vec<SignalId> =
            signals.flat_map(|step| step.what.signals().to_vec()).collect();
        let listens = combo.calm.is_some() || combo.steps.iter().any(is_quiet);
        listens.then(|| self.sets.of(signals.into_iter(), false))
    }

    /// Adds a node for a step, without what only [`Builder::insert`] knows of it. Returns its
    /// number.
    ///
    /// It is not linked to its parent, and not known by its key.
    fn push(&mut self, parent: NodeId, step: &ComboStep, clock: ComboClock) -> NodeId {
        self.rests.push(Rest {
            what: step.what.clone(),
            after: step.after,
            guard: None,
            calm: None,
        });
        let is_plain = matches!(step.what, StepKind::Press(_) | StepKind::Release(_));
        self.nodes.push(Node {
            parent,
            is_plain: is_plain && step.after.amount() == 0,
            is_lift: false,
            counts_forced: false,
            opens: step.opens(),
            within: step.within,
            clock,
            broken_by: [None, None],
            modes: ModeSet::ALL,
            finals: 0..0,
            fans: 0..0,
            quiets: 0..0,
            kept: 1,
            ring: 0,
            wants: 0,
            leads_on: false,
            live: 0,
        });
        self.children.push(Vec::new());
        self.finals.push(BTreeSet::new());
        self.nodes.len() as NodeId - 1
    }

    /// The nodes of the steps of a variant, in order. Those that are not known yet are added; the
    /// copy ends at the last.
    ///
    /// A node that is known is shared; from the first one that is not on, all are new, for the
    /// parent is part of the key.
    fn add(
        &mut self,
        combo: &Combo,
        variant: &ComboVariant,
        own: Option<SetId>,
        number: CopyId,
    ) -> Vec<NodeId> {
        let mut nodes = Vec::new();
        let mut parent = 0;
        for (n, step) in variant.steps.iter().enumerate() {
            let foreign = variant.strict.as_ref().map(|strict| self.banned(strict, step));
            let is_cancelled = !step.unless.is_empty();
            let cancel = is_cancelled.then(|| self.sets.of(step.unless.iter().copied(), false));
            let broken_by = [foreign, cancel];
            let guard = variant.guard.filter(|_| n == 0);
            let quiet = own.filter(|_| matches!(step.what, StepKind::Quiet(_)));
            let calm = combo.calm.filter(|_| n == 0).and_then(|calm| Some((own?, calm.span)));
            let (clock, modes, counts_forced) = (combo.clock, combo.modes, combo.counts_forced);
            // How it was written makes no difference, nor when a first step comes.
            let within = if n == 0 { TimeSpan::Time(0) } else { step.within };
            let (own_text, window_text) = (None, None);
            let step = ComboStep { written: 0, own_text, window_text, within, ..step.clone() };
            let is_lift = n > 0 && variant.steps[n].lifts(&variant.steps[n - 1]);
            let key = StepKey {
                parent,
                step,
                clock,
                broken_by,
                quiet,
                guard,
                calm,
                counts_forced,
                is_lift,
                modes,
            };
            parent = match self.known.get(&key) {
                Some(&node) => node,
                None => self.insert(key),
            };
            nodes.push(parent);
        }
        self.finals[parent as usize].insert(number);
        nodes
    }

    /// What a strict combo does not bear before a step: see [`Strict::bans`].
    fn banned(&mut self, strict: &Strict, step: &ComboStep) -> SetId {
        let chord = step.what.chord();
        match strict {
            Strict::AllBut(passing) => self.sets.of(passing.iter().chain(chord).copied(), true),
            Strict::Only(banned) => {
                let banned = banned.iter().filter(|signal| !chord.contains(signal));
                self.sets.of(banned.copied(), false)
            }
        }
    }

    /// Adds the node of a key that is not known yet, and links it to its parent. How many
    /// arrivals the parent has to remember follows from what its children ask.
    ///
    /// One arrival is enough where a later one is always as good: its window ends later, and all
    /// that may follow has the same to come. It is not where a step may come too *early* after it,
    /// where a chord may have begun before it, and where a release asks for the press that it ends.
    fn insert(&mut self, key: StepKey) -> NodeId {
        let id = self.push(key.parent, &key.step, key.clock);
        let node = &mut self.nodes[id as usize];
        node.broken_by = key.broken_by;
        (node.counts_forced, node.modes) = (key.counts_forced, key.modes);
        // What is asked of a first step alone is looked at apart.
        node.is_plain &= key.calm.is_none();
        (self.rests[id as usize].guard, self.rests[id as usize].calm) = (key.guard, key.calm);
        node.is_lift = key.is_lift;
        let is_press = !matches!(key.step.what, StepKind::Release(_));
        let children = &mut self.children[key.parent as usize];
        for &signal in key.step.what.signals() {
            children.push((Trigger::new(signal, is_press), id));
        }
        if matches!(key.step.what, StepKind::Quiet(_)) {
            children.push((Trigger::QUIET, id));
        }
        // The latest arrival is as good as any, unless what follows may come too
        // early after it, or, of a chord, have begun before it.
        let is_chord = matches!(key.step.what, StepKind::Together { .. });
        let is_early = key.step.buffer.amount() > 0;
        // A release belongs to one of several presses.
        let is_one_of = key.is_lift && key.step.what.signals().len() > 1;
        if is_chord || is_early || is_one_of || key.step.opens().amount() > 0 {
            self.nodes[key.parent as usize].kept = KEPT_MOMENTS as u8;
        }
        // A press that came early is met after one that came later may be, and the
        // release of an earlier press comes after that of a later one.
        if is_early || is_one_of {
            self.nodes[id as usize].kept = KEPT_MOMENTS as u8;
        }
        self.known.insert(key, id);
        id
    }

    /// Numbers the nodes anew, level by level, so that those that follow one by the same trigger
    /// lie side by side: then an edge looks at memory that lies together. A node that several
    /// triggers lead to is placed once.
    ///
    /// Level by level is the order in which nodes are found from the root, first those nearest to
    /// it.
    /// `paths` are the nodes of the copies, and follow.
    fn renumber(&mut self, paths: &mut [Vec<NodeId>]) {
        let mut order: Vec<NodeId> = vec![0];
        let mut is_placed = vec![false; self.nodes.len()];
        let mut at = 0;
        while let Some(&node) = order.get(at) {
            at += 1;
            let children = &mut self.children[node as usize];
            children.sort_unstable();
            let new = children.iter().map(|&(_, child)| child);
            order.extend(
                new.filter(|&child| !core::mem::replace(&mut is_placed[child as usize], true)),
            );
        }
        let mut number = vec![0; self.nodes.len()];
        for (&old, new) in order.iter().zip(0..) {
            number[old as usize] = new;
        }
        let ordered = |n: &NodeId| *n as usize;
        self.nodes = order.iter().map(|n| self.nodes[ordered(n)].clone()).collect();
        self.rests = order.iter().map(|n| self.rests[ordered(n)].clone()).collect();
        self.finals = order.iter().map(|n| self.finals[ordered(n)].clone()).collect();
        self.children = order.iter().map(|n| self.children[ordered(n)].clone()).collect();
        for node in &mut self.nodes {
            node.parent = number[node.parent as usize];
        }
        let children = self.children.iter_mut().flatten().map(|(_, child)| child);
        for node in children.chain(paths.iter_mut().flatten()) {
            *node = number[*node as usize];
        }
    }

    /// Numbers the triggers that lead anywhere, in their order: their keys, by the number of the
    /// trigger.
    fn keys(&self, signals: usize) -> Vec<Option<Key>> {
        let mut keys = vec![None; 2 * signals];
        for &(Trigger(number), _) in self.children.iter().flatten() {
            if let Some(key) = keys.get_mut(number as usize) {
                *key = Some(Key(0));
            }
        }
        keys.iter_mut().flatten().zip(0..).for_each(|(key, n)| *key = Key(n));
        keys
    }

    /// Lays what follows each node side by side.
    ///
    /// It is called a fan because one trigger may lead on to many steps: the same press is the
    /// next step of a dozen combos, each with a window of its own.
    fn lay_fans(&mut self, automaton: &mut Automaton) {
        let Automaton { keys, fans, firsts, bare: all_bare, others: all_others, .. } = automaton;
        firsts.resize(keys.iter().flatten().count(), Fan::default());
        for parent in 0..self.nodes.len() {
            let children = &mut self.children[parent];
            children.sort_unstable();
            // A step may name a signal twice, and is met by it once.
            children.dedup();
            let first = fans.len() as u32;
            let (mut wants, mut quiets) = (0, 0..0);
            for of_trigger in children.chunk_by(|(one, _), (other, _)| one == other) {
                let (bare_begin, others_begin) = (all_bare.len() as u32, all_others.len() as u32);
                for &(_, node) in of_trigger {
                    let of = (&self.nodes[node as usize], &self.rests[node as usize]);
                    match bare(&self.nodes[parent], of) {
                        Some(within) => all_bare.push(BareStep { node, within }),
                        None => all_others.push(node),
                    }
                }
                let bare = bare_begin..all_bare.len() as u32;
                let others = others_begin..all_others.len() as u32;
                let Trigger(number) = of_trigger[0].0;
                match keys.get(number as usize).copied().flatten() {
                    None => quiets = others,
                    Some(key) if parent == 0 => firsts[key.0 as usize] = Fan { key, bare, others },
                    Some(key) => {
                        wants |= key.bit();
                        fans.push(Fan { key, bare, others });
                    }
                }
            }
            let node = &mut self.nodes[parent];
            (node.wants, node.quiets, node.fans) = (wants, quiets, first..fans.len() as u32);
            node.leads_on = !children.is_empty();
        }
    }

    /// Lays everything out as it is run: nodes numbered level by level, the steps after each side
    /// by side, a ring of arrivals for each node.
    ///
    /// Here all that the engine needs room for is counted: arrivals, timers, attempts that wait. It
    /// allocates them once, and no tick does.
    fn finish(
        mut self,
        (mut paths, copies): (Vec<Vec<NodeId>>, Vec<Range<u16>>),
        combos: Vec<BoundCombo>,
        signals: usize,
        rate: PollRate,
    ) -> Automaton {
        self.renumber(&mut paths);
        let mut live = vec![0; self.nodes.len()];
        for node in &self.nodes[1..] {
            let until = &mut live[node.parent as usize];
            *until = node.within.nanos(rate).max(*until);
        }
        let mut automaton = Automaton { keys: self.keys(signals), ..Automaton::default() };
        self.lay_fans(&mut automaton);
        let (mut finals, mut rings) = (Vec::new(), 0);
        for (n, node) in self.nodes.iter_mut().enumerate() {
            node.finals = finals.len() as u32..(finals.len() + self.finals[n].len()) as u32;
            finals.extend(&self.finals[n]);
            node.ring = rings;
            rings += u32::from(node.kept);
            // A window in ticks ends with its last tick.
            node.live = live[n] + rate.time_of(Tick(1)).0;
        }
        let timers = self.nodes.iter().zip(&self.rests).map(|(node, rest)| match rest.what {
            StepKind::Hold(ref of, _) => of.len(),
            StepKind::Quiet(_) => usize::from(self.nodes[node.parent as usize].kept),
            // Several presses may be early, each for several attempts.
            _ if rest.after.amount() > 0 => 4 * KEPT_MOMENTS,
            _ => 0,
        });
        Automaton {
            timer_count: timers.sum(),
            has_mirrors: combos.iter().any(|combo| combo.is_mirrored),
            has_again: combos.iter().any(|combo| combo.again),
            waiting_count: combos.iter().filter(|combo| !combo.waits_for.is_empty()).count(),
            finals,
            paths,
            combos,
            copies,
            set_count: self.sets.len(),
            sets_of: self.sets.by_signal(signals),
            ring_count: rings as usize,
            nodes: self.nodes,
            rests: self.rests,
            ..automaton
        }
    }
}
