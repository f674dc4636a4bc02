//! From names to numbers.

use super::{SignalKinds, table::ControlTable};
use crate::base::{ActionId, ControlId, SignalId};
use crate::combo::{Automaton, BoundMode, BoundSignal};
use crate::device::{Control, ControlKind, ControlRef, Device, DeviceKind, Roster};
use crate::gesture::{BoundGesture, Signs};
use crate::plan::{
    ActionGate, BoundAction, BoundDevice, BoundInput, BoundShape, BoundSide, Opposites, Plan,
    ZoneReader,
};
use crate::sample::{BoundThresholds, SampledControl, UseRange};
use crate::shape::Chain;
use crate::spec::{
    ActionSpec, BothHeld, EdgeSettings, InputSpec, MAX_THRESHOLDS, MainRules, Rig, Scope, ShapeUse,
    SideSpec, Signal, Surface, Thresholds, Travel, Zone,
};
use crate::touch::{Contact, Zones};
use alloc::{format, sync::Arc, vec, vec::Vec};
use core::ops::Range;

pub(crate) struct Binder<'r> {
    rig: &'r Rig,
    roster: &'r Roster,
    inputs: Vec<BoundInput>,
    sides: Vec<ControlId>,
    passings: Vec<BoundThresholds>,
    /// The different thresholds of the rig, in the order they appear.
    pairs: Vec<Thresholds>,
    chains: Vec<Chain>,
    travels: Vec<[Option<ControlKind>; 2]>,
    gates: Vec<ActionGate>,
    feeds: Vec<(ControlId, ActionId)>,
    reads: Vec<(ControlId, u32)>,
    spec_of: Vec<u16>,
    contacts: Vec<Contact>,
    zone_readers: Vec<ZoneReader>,
    gesture_inputs: Vec<u32>,
    combo_inputs: Vec<u32>,
    signal_controls: Vec<(ControlId, u32)>,
    signals_of: Vec<(ControlId, SignalId)>,
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
            chains: Vec::new(),
            travels: Vec::new(),
            gates: Vec::new(),
            feeds: Vec::new(),
            reads: Vec::new(),
            spec_of: Vec::new(),
            contacts: contacts(roster, &rig.surface),
            zone_readers: Vec::new(),
            gesture_inputs: Vec::new(),
            combo_inputs: Vec::new(),
            signal_controls: Vec::new(),
            signals_of: Vec::new(),
        }
    }

    pub(super) fn bind(mut self) -> Plan {
        let rig = self.rig;
        let actions: Vec<BoundAction> =
            rig.actions.iter().zip(0..).map(|(spec, n)| self.action(spec, ActionId(n))).collect();
        let signals: Vec<BoundSignal> =
            rig.signals.iter().zip(0..).map(|(signal, n)| self.signal(signal, n)).collect();
        self.passings.sort_by_key(|passing| (passing.control, passing.bit));
        self.passings.dedup();
        let memory_count = self.place_memories();
        let action_of = (0..)
            .map(ActionId)
            .zip(&actions)
            .flat_map(|(id, action)| action.inputs.clone().map(move |_| id))
            .collect();
        let contact_of = self.contact_of();
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
            feeds: ControlTable::new(self.feeds, self.roster.controls().len()),
            read_by: ControlTable::new(self.reads, self.roster.controls().len()),
            action_of,
            spec_of: self.spec_of,
            zones: Zones::new(&rig.zones, &rig.surface),
            contacts: self.contacts,
            contact_of,
            zone_readers: self.zone_readers,
            gesture_inputs: self.gesture_inputs,
            zone_gates: zone_gates(rig),
            gestures: rig.gestures.iter().map(BoundGesture::new).collect(),
            automaton: Arc::new(Automaton::new(&rig.combos, signals.len(), rig.rate)),
            signal_kinds: signal_kinds(&signals),
            early: early(rig),
            signals,
            signal_controls: self.signal_controls,
            signals_of: ControlTable::new(self.signals_of, self.roster.controls().len()),
            combo_inputs: self.combo_inputs,
            modes: rig.modes.iter().map(BoundMode::new).collect(),
            signs: Signs::new(&rig.signs),
            inputs: self.inputs,
            sides: self.sides,
            passings: self.passings,
            chains: self.chains,
            travels: self.travels,
            memory_count,
            gates: self.gates,
        }
    }

    /// Nothing where no zone and no gesture asks for it.
    fn contact_of(&self) -> Vec<u16> {
        if self.rig.zones.is_empty() && self.rig.gestures.is_empty() {
            return Vec::new();
        }
        let mut contact_of = vec![0; self.roster.controls().len()];
        for (contact, n) in self.contacts.iter().zip(1..) {
            for control in [contact.down, contact.x, contact.y] {
                contact_of[control.index()] = n;
            }
        }
        contact_of
    }

    /// A zone counts on every panel.
    fn zone(&mut self, zone: usize, action: ActionId) {
        let device = |contact: &Contact| self.roster.control(contact.down).device;
        let mut first = 0;
        let panels: Vec<u16> = self
            .contacts
            .chunk_by(|a, b| device(a) == device(b))
            .map(|panel| panel.len() as u16)
            .collect();
        for count in panels {
            self.feed_by(first..first + count, action);
            self.zone_readers.push(ZoneReader {
                input: self.inputs.len() as u32,
                zones: 1 << zone,
                contacts: Some((first, first + count)),
            });
            self.inputs.push(BoundInput::Zone { zone: zone as u8, first, count });
            first += count;
        }
    }

    /// Some contacts feed an action.
    fn feed_by(&mut self, contacts: Range<u16>, action: ActionId) {
        let of = &self.contacts[usize::from(contacts.start)..usize::from(contacts.end)];
        let controls = of.iter().flat_map(|contact| [contact.down, contact.x, contact.y]);
        self.feeds.extend(controls.map(|control| (control, action)));
    }

    /// Gives every shape its memories, those of earlier devices first: so they
    /// stay where they are when devices arrive.
    fn place_memories(&mut self) -> usize {
        let roster = self.roster;
        let mut shapes: Vec<(Option<ControlId>, &mut BoundShape)> = self
            .inputs
            .iter_mut()
            .filter_map(|input| match input {
                BoundInput::Axis { control, shape } => Some((Some(*control), shape)),
                BoundInput::Stick { x, shape, .. } | BoundInput::Pointer { x, shape, .. } => {
                    Some((Some(*x), shape))
                }
                // It is there whatever devices are.
                BoundInput::Gesture { shape, .. } => Some((None, shape)),
                _ => None,
            })
            .collect();
        shapes.sort_by_key(|(control, _)| control.map(|control| roster.control(control).device));
        let mut next = 0;
        for (_, shape) in shapes {
            shape.memory = next;
            next += u32::from(shape.memories);
        }
        next as usize
    }

    fn devices(&self, main: &MainRules) -> Vec<BoundDevice> {
        let bound = |(_, device): (_, &Device)| {
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

    fn sampled(&self, rig: &Rig) -> Vec<SampledControl> {
        let plain = |(&control, id): (&Control, u16)| {
            let first = self.passings.partition_point(|passing| passing.control < ControlId(id));
            let after = self.passings.partition_point(|passing| passing.control <= ControlId(id));
            let (first_passing, passing_count) = (first as u32, (after - first) as u32);
            let used = UseRange::of(control.kind, &rig.main);
            SampledControl {
                control,
                edges: EdgeSettings::DEFAULT,
                used,
                first_passing,
                passing_count,
            }
        };
        let mut controls: Vec<SampledControl> =
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
            self.gates
                .extend(gates.iter().map(|&by| ActionGate { by: ActionId(by as u16), closes }));
        }
        BoundAction {
            gives: spec.gives,
            clamp: spec.clamp,
            main_only: spec.main_only,
            combine: spec.combine,
            modes: spec.modes,
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
                        self.passings.push(BoundThresholds { control, bit, thresholds });
                    }
                    self.add(BoundInput::Button { control, thresholds, bit });
                }
            }
            InputSpec::Zone(zone) => self.zone(*zone, action),
            InputSpec::Gesture { gesture, shape } => {
                let shape = self.shape(shape, 0, [None, None]);
                self.feed_by(0..self.contacts.len() as u16, action);
                self.gesture_inputs.push(self.inputs.len() as u32);
                self.inputs.push(BoundInput::Gesture { gesture: *gesture as u16, shape });
            }
            InputSpec::Combo(combo) => {
                let signals = self.rig.combos[*combo].signals();
                let controls: Vec<ControlId> =
                    signals.flat_map(|signal| self.controls_of(signal)).collect();
                self.feeds.extend(controls.into_iter().map(|control| (control, action)));
                self.combo_inputs.push(self.inputs.len() as u32);
                self.inputs.push(BoundInput::Combo(*combo as u16));
            }
            InputSpec::Axis { control, shape } => {
                for control in self.resolve(control, action) {
                    let shape = self.shape(shape, 0, [Some(control), None]);
                    self.add(BoundInput::Axis { control, shape });
                }
            }
            InputSpec::Pair { negative, positive, both } => {
                let pair = self.opposites(negative, positive, *both, action);
                if !pair.is_empty() {
                    self.add(BoundInput::Pair(pair));
                }
            }
            InputSpec::Cross(cross) => {
                let x = self.opposites(&cross.left, &cross.right, cross.both, action);
                let y = self.opposites(&cross.down, &cross.up, cross.both, action);
                if !(x.is_empty() && y.is_empty()) {
                    self.add(BoundInput::Cross { x, y });
                }
            }
            InputSpec::Stick { stick, shape } => {
                let names = (format!("{}-x", stick.code), format!("{}-y", stick.code));
                for (x, y) in self.resolve_two(stick, (&names.0, &names.1), action) {
                    let shape = self.shape(shape, 0, [Some(x), Some(y)]);
                    self.add(BoundInput::Stick { x, y, shape });
                }
            }
            InputSpec::Pointer { pointer, counts, shape } => {
                for (x, y) in self.resolve_two(pointer, ("x", "y"), action) {
                    // The sum is a memory too.
                    let shape = self.shape(shape, 1, [None, None]);
                    self.add(BoundInput::Pointer { x, y, counts: *counts, shape });
                }
            }
        }
    }

    /// The controls of a signal that is one.
    fn controls_of(&self, signal: SignalId) -> Vec<ControlId> {
        match &self.rig.signals[signal.index()] {
            Signal::Control { control, .. } => control.resolve(self.roster).collect(),
            _ => Vec::new(),
        }
    }

    fn signal(&mut self, signal: &Signal, id: u16) -> BoundSignal {
        let action = |at: usize| ActionId(at as u16);
        match signal {
            Signal::Control { control, thresholds } => {
                let (thresholds, bit) = (*thresholds, self.bit(*thresholds));
                let first = self.signal_controls.len() as u32;
                for control in control.resolve(self.roster) {
                    if !self.roster.control(control).kind.is_button() {
                        self.passings.push(BoundThresholds { control, bit, thresholds });
                    }
                    self.signal_controls.push((control, bit));
                    self.signals_of.push((control, SignalId(id)));
                }
                BoundSignal::Controls { first, len: self.signal_controls.len() as u32 - first }
            }
            Signal::Action(at) => BoundSignal::Action(action(*at)),
            Signal::Zone(zone) => BoundSignal::Zone(*zone as u8),
            Signal::Gesture(gesture) => BoundSignal::Gesture(*gesture as u16),
            Signal::Way(at, way) => BoundSignal::Way(action(*at), *way),
        }
    }

    fn add(&mut self, input: BoundInput) {
        let at = self.inputs.len() as u32;
        let sides = |pair: Opposites| [pair.negative, pair.positive];
        match input {
            BoundInput::Button { control, .. } | BoundInput::Axis { control, .. } => {
                self.reads.push((control, at));
            }
            BoundInput::Stick { x, y, .. } | BoundInput::Pointer { x, y, .. } => {
                self.reads.extend([(x, at), (y, at)]);
            }
            // It is the contacts that say when these are due.
            BoundInput::Zone { .. } | BoundInput::Gesture { .. } | BoundInput::Combo(_) => {}
            BoundInput::Pair(pair) => self.read_sides(at, &sides(pair)),
            BoundInput::Cross { x, y } => self.read_sides(at, &[sides(x), sides(y)].concat()),
        }
        self.inputs.push(input);
    }

    fn read_sides(&mut self, at: u32, sides: &[BoundSide]) {
        for side in sides {
            let keys = side.first as usize..(side.first + side.len) as usize;
            self.reads.extend(self.sides[keys].iter().map(|&key| (key, at)));
        }
        let zones = sides.iter().fold(0, |bits, side| bits | side.zones);
        if zones != 0 {
            self.zone_readers.push(ZoneReader { input: at, zones, contacts: None });
        }
    }

    /// Ties a shape; `axes` are the controls that its calibration is about.
    fn shape(
        &mut self,
        shape: &ShapeUse,
        own_memories: u16,
        axes: [Option<ControlId>; 2],
    ) -> BoundShape {
        let shape = shape.of(self.rig);
        let chain = Chain::from(shape.stages.as_slice());
        let mut bound = BoundShape {
            chain: self.chains.len() as u32,
            memories: own_memories + chain.memory_count() as u16,
            own: own_memories,
            ..BoundShape::default()
        };
        self.chains.push(chain);
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
        negative: &SideSpec,
        positive: &SideSpec,
        both: BothHeld,
        action: ActionId,
    ) -> Opposites {
        let negative = self.any_of(negative, action);
        let positive = self.any_of(positive, action);
        Opposites { negative, positive, both }
    }

    fn any_of(&mut self, spec: &SideSpec, action: ActionId) -> BoundSide {
        let first = self.sides.len() as u32;
        for reference in &spec.keys {
            let found = self.resolve(reference, action);
            self.sides.extend(found);
        }
        let mut zones = 0;
        if !spec.zones.is_empty() && !self.contacts.is_empty() {
            zones = spec.zones.iter().fold(0, |bits, zone| bits | 1 << zone);
            self.feed_by(0..self.contacts.len() as u16, action);
        }
        BoundSide { first, len: self.sides.len() as u32 - first, zones }
    }
}

/// The contacts of the touch panels of a roster, in its order.
fn contacts(roster: &Roster, surface: &Surface) -> Vec<Contact> {
    let turn = surface.turn;
    let panels = roster.devices().filter(|(_, device)| device.info.kind == DeviceKind::Glass);
    let of = |device: &Device, panel: u16, n: u16| {
        let part = |axis: &str| device.control(&format!("contact-{n}{axis}"));
        let (down, x, y) = (part("")?, part("-x")?, part("-y")?);
        let size = surface.mm.unwrap_or_else(|| turn.size(size(roster, x, y)));
        Some(Contact { down, x, y, size, turn, panel })
    };
    let all = panels
        .zip(0..)
        .flat_map(|((_, device), panel)| (1..).map_while(move |n| of(device, panel, n)));
    all.collect()
}

/// How wide a surface is taken to be that does not say it: a hand-held one.
const NOMINAL_WIDTH_MM: f64 = 160.0;

/// How large a surface is, in millimetres. One that does not say it counts as of
/// a nominal width, and its units as square.
fn size(roster: &Roster, x: ControlId, y: ControlId) -> [f32; 2] {
    let extent = |id: ControlId| {
        let info = roster.info(id);
        let (min, max) = info.kind.range().unwrap_or((0, 1));
        (f64::from(max) - f64::from(min), f64::from(info.grain.resolution))
    };
    let ((width, per_x), (height, per_y)) = (extent(x), extent(y));
    // A surface without extent is as good as a square one.
    if !(width > 0.0 && height > 0.0) {
        return [NOMINAL_WIDTH_MM as f32; 2];
    }
    let size = match per_x > 0.0 && per_y > 0.0 {
        true => [width / per_x, height / per_y],
        false => [NOMINAL_WIDTH_MM, NOMINAL_WIDTH_MM * height / width],
    };
    size.map(|mm| mm as f32)
}

fn zone_gates(rig: &Rig) -> Vec<(u8, ActionGate)> {
    let gate = |by: &usize, closes| ActionGate { by: ActionId(*by as u16), closes };
    let of = |(zone, n): (&Zone, u8)| {
        let closing = zone.closed_while.iter().map(move |by| (n, gate(by, true)));
        let opening = zone.open_while.iter().map(move |by| (n, gate(by, false)));
        closing.chain(opening).collect::<Vec<_>>()
    };
    rig.zones.iter().zip(0..).flat_map(of).collect()
}

fn signal_kinds(signals: &[BoundSignal]) -> SignalKinds {
    let mut kinds = SignalKinds::default();
    for (signal, id) in signals.iter().zip((0..).map(SignalId)) {
        match signal {
            BoundSignal::Controls { .. } => {}
            BoundSignal::Zone(_) => kinds.zones.push(id),
            BoundSignal::Gesture(_) => kinds.gestures.push(id),
            BoundSignal::Action(_) | BoundSignal::Way(..) => kinds.actions.push(id),
        }
    }
    kinds
}

/// The actions that combos read, and those that open and close them.
fn early(rig: &Rig) -> Vec<bool> {
    let read = rig.signals.iter().filter_map(|signal| match signal {
        Signal::Action(at) | Signal::Way(at, _) => Some(*at),
        _ => None,
    });
    let mut early = Vec::new();
    for at in read {
        early.resize(rig.actions.len(), false);
        let action = &rig.actions[at];
        for &gate in action.closed_while.iter().chain(&action.open_while).chain([&at]) {
            early[gate] = true;
        }
    }
    early
}

fn gated_by(actions: &[BoundAction], gates: &[ActionGate]) -> Vec<Vec<ActionId>> {
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
