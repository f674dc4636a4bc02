//! From names to numbers.

use super::{
    ActionId, BoundAction, BoundDevice, BoundShape, Gate, Input, Opposites, Passing, Plan, Sampled,
    Side, Table, UseRange,
};
use crate::{
    ActionSpec, BothHeld, Control, ControlId, ControlKind, ControlRef, EdgeSettings, InputSpec,
    MAX_THRESHOLDS, MainRules, Rig, Roster, Scope, ShapeUse, Thresholds, Travel, shape::Stage,
};
use alloc::{format, vec, vec::Vec};

pub(super) struct Binder<'r> {
    rig: &'r Rig,
    roster: &'r Roster,
    inputs: Vec<Input>,
    sides: Vec<ControlId>,
    passings: Vec<Passing>,
    /// The different thresholds of the rig, in the order they appear.
    pairs: Vec<Thresholds>,
    stages: Vec<Stage>,
    travels: Vec<[Option<ControlKind>; 2]>,
    gates: Vec<Gate>,
    feeds: Vec<(ControlId, ActionId)>,
    reads: Vec<(ControlId, u32)>,
    spec_of: Vec<u16>,
}

impl<'r> Binder<'r> {
    pub(super) fn new(rig: &'r Rig, roster: &'r Roster) -> Self {
        Binder {
            rig,
            roster,
            inputs: Vec::new(),
            sides: Vec::new(),
            passings: Vec::new(),
            pairs: Vec::new(),
            stages: Vec::new(),
            travels: Vec::new(),
            gates: Vec::new(),
            feeds: Vec::new(),
            reads: Vec::new(),
            spec_of: Vec::new(),
        }
    }

    pub(super) fn bind(mut self) -> Plan {
        let rig = self.rig;
        let actions: Vec<BoundAction> =
            rig.actions.iter().zip(0..).map(|(spec, n)| self.action(spec, ActionId(n))).collect();
        self.passings.sort_by_key(|passing| (passing.control, passing.bit));
        self.passings.dedup();
        let memory_count = self.place_memories();
        let action_of = (0..)
            .map(ActionId)
            .zip(&actions)
            .flat_map(|(id, action)| action.inputs.clone().map(move |_| id))
            .collect();
        let main_only = (0..).map(ActionId).zip(&rig.actions).filter(|(_, a)| a.main_only);
        Plan {
            rate: rig.rate,
            period: rig.rate.period_seconds(),
            controls: self.sampled(rig),
            devices: self.devices(&rig.main),
            main_rule: rig.main.rule,
            main_only: main_only.map(|(id, _)| id).collect(),
            gated_by: gated_by(&actions, &self.gates),
            actions,
            feeds: Table::new(self.feeds, self.roster.controls().len()),
            read_by: Table::new(self.reads, self.roster.controls().len()),
            action_of,
            spec_of: self.spec_of,
            inputs: self.inputs,
            sides: self.sides,
            passings: self.passings,
            stages: self.stages,
            travels: self.travels,
            memory_count,
            gates: self.gates,
        }
    }

    /// Gives every shape its memories, those of earlier devices first: so they
    /// stay where they are when devices arrive.
    fn place_memories(&mut self) -> usize {
        let roster = self.roster;
        let mut shapes: Vec<(ControlId, &mut BoundShape)> = self
            .inputs
            .iter_mut()
            .filter_map(|input| match input {
                Input::Axis { control, shape } => Some((*control, shape)),
                Input::Stick { x, shape, .. } | Input::Pointer { x, shape, .. } => {
                    Some((*x, shape))
                }
                _ => None,
            })
            .collect();
        shapes.sort_by_key(|(control, _)| roster.control(*control).device);
        let mut next = 0;
        for (_, shape) in shapes {
            shape.memory = next;
            next += u32::from(shape.memories);
        }
        next as usize
    }

    fn devices(&self, main: &MainRules) -> Vec<BoundDevice> {
        let bound = |(_, device): (_, &crate::Device)| {
            let is_candidate = main.among.contains(&device.info.kind);
            BoundDevice {
                range: device.range(),
                // A device without a slot comes after those that have one.
                main_number: is_candidate.then(|| device.number.wrapping_sub(1)),
                kind: device.info.kind,
            }
        };
        self.roster.devices().map(bound).collect()
    }

    fn sampled(&self, rig: &Rig) -> Vec<Sampled> {
        let plain = |(&control, id): (&Control, u16)| {
            let first = self.passings.partition_point(|passing| passing.control < ControlId(id));
            let after = self.passings.partition_point(|passing| passing.control <= ControlId(id));
            let (first_passing, passing_count) = (first as u32, (after - first) as u32);
            let used = UseRange::of(control.kind, &rig.main);
            Sampled { control, edges: EdgeSettings::DEFAULT, used, first_passing, passing_count }
        };
        let mut controls: Vec<Sampled> =
            self.roster.controls().iter().zip(0..).map(plain).collect();
        for rule in &rig.edges {
            for id in rule.of.iter().flat_map(|scope| self.covered(scope)) {
                controls[id.index()].edges.apply(rule);
            }
        }
        controls
    }

    fn covered(&self, scope: &Scope) -> Vec<ControlId> {
        match scope {
            Scope::Control(reference) => reference.resolve(self.roster).collect(),
            Scope::Kind(kind) => {
                let devices = self.roster.devices().filter(|(_, d)| d.info.kind == *kind);
                devices.flat_map(|(_, device)| device.controls()).collect()
            }
        }
    }

    /// The bit of a pair of thresholds.
    fn bit(&mut self, thresholds: Thresholds) -> u32 {
        let known = self.pairs.iter().position(|pair| *pair == thresholds);
        let bit = known.unwrap_or_else(|| {
            self.pairs.push(thresholds);
            self.pairs.len() - 1
        });
        debug_assert!(bit < MAX_THRESHOLDS);
        bit as u32 % MAX_THRESHOLDS as u32
    }

    fn action(&mut self, spec: &ActionSpec, id: ActionId) -> BoundAction {
        let (first, first_gate) = (self.inputs.len() as u32, self.gates.len() as u32);
        for (input, nth) in spec.inputs.iter().zip(0..) {
            self.input(input, id);
            self.spec_of.resize(self.inputs.len(), nth);
        }
        for (gates, closes) in [(&spec.closed_while, true), (&spec.open_while, false)] {
            self.gates.extend(gates.iter().map(|&by| Gate { by: ActionId(by as u16), closes }));
        }
        BoundAction {
            gives: spec.gives,
            clamp: spec.clamp,
            main_only: spec.main_only,
            combine: spec.combine,
            gates: first_gate..self.gates.len() as u32,
            inputs: first..self.inputs.len() as u32,
        }
    }

    fn input(&mut self, spec: &InputSpec, action: ActionId) {
        match spec {
            InputSpec::Button { control, thresholds } => {
                let (thresholds, bit) = (*thresholds, self.bit(*thresholds));
                for control in self.resolve(control, action) {
                    if !self.roster.control(control).kind.is_button() {
                        self.passings.push(Passing { control, bit, thresholds });
                    }
                    self.add(Input::Button { control, thresholds, bit });
                }
            }
            InputSpec::Axis { control, shape } => {
                for control in self.resolve(control, action) {
                    let shape = self.shape(shape, 0, [Some(control), None]);
                    self.add(Input::Axis { control, shape });
                }
            }
            InputSpec::Pair { negative, positive, both } => {
                let pair = self.opposites(negative, positive, *both, action);
                if !pair.is_empty() {
                    self.add(Input::Pair(pair));
                }
            }
            InputSpec::Cross(cross) => {
                let x = self.opposites(&cross.left, &cross.right, cross.both, action);
                let y = self.opposites(&cross.down, &cross.up, cross.both, action);
                if !(x.is_empty() && y.is_empty()) {
                    self.add(Input::Cross { x, y });
                }
            }
            InputSpec::Stick { stick, shape } => {
                let names = (format!("{}-x", stick.code), format!("{}-y", stick.code));
                for (x, y) in self.resolve_two(stick, (&names.0, &names.1), action) {
                    let shape = self.shape(shape, 0, [Some(x), Some(y)]);
                    self.add(Input::Stick { x, y, shape });
                }
            }
            InputSpec::Pointer { pointer, counts, shape } => {
                for (x, y) in self.resolve_two(pointer, ("x", "y"), action) {
                    // The sum is a memory too.
                    let shape = self.shape(shape, 1, [None, None]);
                    self.add(Input::Pointer { x, y, counts: *counts, shape });
                }
            }
        }
    }

    fn add(&mut self, input: Input) {
        let at = self.inputs.len() as u32;
        let sides = |pair: Opposites| [pair.negative, pair.positive];
        let keys = |side: Side| side.first as usize..(side.first + side.len) as usize;
        match input {
            Input::Button { control, .. } | Input::Axis { control, .. } => {
                self.reads.push((control, at));
            }
            Input::Stick { x, y, .. } | Input::Pointer { x, y, .. } => {
                self.reads.extend([(x, at), (y, at)]);
            }
            Input::Pair(pair) => {
                for side in sides(pair) {
                    self.reads.extend(self.sides[keys(side)].iter().map(|&key| (key, at)));
                }
            }
            Input::Cross { x, y } => {
                for side in [sides(x), sides(y)].concat() {
                    self.reads.extend(self.sides[keys(side)].iter().map(|&key| (key, at)));
                }
            }
        }
        self.inputs.push(input);
    }

    /// Ties a shape; `axes` are the controls that its calibration is about.
    fn shape(
        &mut self,
        shape: &ShapeUse,
        own_memories: u16,
        axes: [Option<ControlId>; 2],
    ) -> BoundShape {
        let shape = shape.of(self.rig);
        let first = self.stages.len() as u32;
        self.stages.extend(shape.stages.iter().cloned());
        let remembering = shape.stages.iter().filter(|stage| stage.has_memory()).count();
        let mut bound = BoundShape {
            first,
            len: shape.stages.len() as u16,
            memories: own_memories + remembering as u16,
            own: own_memories,
            ..BoundShape::default()
        };
        if shape.travel.iter().any(Option::is_some) {
            let kind = |axis: Option<ControlId>, travel: Option<Travel>| {
                let Travel { min, centre, max } = travel?;
                Some(match self.roster.control(axis?).kind {
                    ControlKind::Trigger { .. } => ControlKind::Trigger { min, max },
                    _ => ControlKind::Axis { min, centre, max },
                })
            };
            self.travels.push([0, 1].map(|at| kind(axes[at], shape.travel[at])));
            bound.travel = self.travels.len() as u16;
        }
        bound
    }

    fn resolve(&mut self, reference: &ControlRef, action: ActionId) -> Vec<ControlId> {
        let found: Vec<ControlId> = reference.resolve(self.roster).collect();
        self.feeds.extend(found.iter().map(|&control| (control, action)));
        found
    }

    /// The two controls of these names on every device that is meant.
    fn resolve_two(
        &mut self,
        reference: &ControlRef,
        (x, y): (&str, &str),
        action: ActionId,
    ) -> Vec<(ControlId, ControlId)> {
        let devices = self.roster.devices().filter(|(_, device)| reference.means(device));
        let found: Vec<_> =
            devices.filter_map(|(_, d)| Some((d.control(x)?, d.control(y)?))).collect();
        self.feeds.extend(found.iter().flat_map(|&(x, y)| [(x, action), (y, action)]));
        found
    }

    fn opposites(
        &mut self,
        negative: &[ControlRef],
        positive: &[ControlRef],
        both: BothHeld,
        action: ActionId,
    ) -> Opposites {
        let negative = self.any_of(negative, action);
        let positive = self.any_of(positive, action);
        Opposites { negative, positive, both }
    }

    fn any_of(&mut self, references: &[ControlRef], action: ActionId) -> Side {
        let first = self.sides.len() as u32;
        for reference in references {
            let found = self.resolve(reference, action);
            self.sides.extend(found);
        }
        Side { first, len: self.sides.len() as u32 - first }
    }
}

fn gated_by(actions: &[BoundAction], gates: &[Gate]) -> Vec<Vec<ActionId>> {
    if gates.is_empty() {
        return Vec::new();
    }
    let mut gated = vec![Vec::new(); actions.len()];
    for (action, id) in actions.iter().zip(0..) {
        for gate in &gates[action.gates.start as usize..action.gates.end as usize] {
            gated[gate.by.index()].push(ActionId(id));
        }
    }
    gated
}

impl<T: Ord + Copy> Table<T> {
    fn new(mut pairs: Vec<(ControlId, T)>, controls: usize) -> Self {
        pairs.sort_unstable();
        pairs.dedup();
        let mut starts = vec![0; controls + 1];
        for &(control, _) in &pairs {
            starts[control.index() + 1] += 1;
        }
        for i in 0..controls {
            starts[i + 1] += starts[i];
        }
        Table { starts, entries: pairs.into_iter().map(|(_, entry)| entry).collect() }
    }
}
