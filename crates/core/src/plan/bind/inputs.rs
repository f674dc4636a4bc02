//! What drives actions: each input of a rig becomes one for every device that it may mean.
//!
//! The inputs of an action keep the order of the rig, and for one of the rig the order of the
//! roster. Between equals the first one wins, so this order is part of what a rig means.

use super::Binder;
use crate::base::{ActionId, ComboId, ControlId, InputId, ZoneId, ZoneSet};
use crate::device::{ControlKind, ControlRef};
use crate::plan::{BoundInput, BoundShape, BoundSide, Opposites, ZoneReader};
use crate::shape::Chain;
use crate::spec::{BothHeld, InputSpec, ShapeUse, SideSpec, Travel};
use alloc::{format, vec::Vec};
use core::num::NonZeroU16;

impl Binder<'_> {
    /// Adds what an input of the rig is on each device that has it; nothing where none has.
    ///
    /// Thresholds are followed, shapes are tied, and who reads whom is noted on the way.
    pub(super) fn input(&mut self, spec: &InputSpec, action: ActionId) {
        match spec {
            InputSpec::Button { control, thresholds } => {
                let (thresholds, bit) = (*thresholds, self.bit(*thresholds));
                for control in self.resolve(control, action) {
                    self.follow(control, thresholds, bit);
                    self.add(BoundInput::Button { control, thresholds, bit });
                }
            }
            InputSpec::Zone(zone) => {
                if self.reads_zone(*zone, action, false) {
                    self.add(BoundInput::Zone(*zone));
                }
            }
            InputSpec::Place { zone, along, shape } => {
                if self.reads_zone(*zone, action, true) {
                    let shape = self.shape(shape, 0, [None, None]);
                    self.add(BoundInput::Place { zone: *zone, along: *along, shape });
                }
            }
            InputSpec::Gesture { gesture, shape } => {
                let shape = self.shape(shape, 0, [None, None]);
                self.feed_by(0..self.touch.contacts.len(), action);
                self.actions.gesture_readers.push((*gesture, self.next()));
                self.add(BoundInput::Gesture { gesture: *gesture, shape });
            }
            InputSpec::Combo(combo) => self.combo(*combo, action),
            InputSpec::Axis { control, shape } => {
                for control in self.resolve(control, action) {
                    let shape = self.shape(shape, 0, [Some(control), None]);
                    self.add(BoundInput::Axis { control, shape });
                }
            }
            InputSpec::Pair { negative, positive, both } => {
                let pair = self.opposites(negative, positive, *both, action);
                self.add_unless(pair.is_empty(), BoundInput::Pair(pair));
            }
            InputSpec::Cross(cross) => {
                let x = self.opposites(&cross.left, &cross.right, cross.both, action);
                let y = self.opposites(&cross.down, &cross.up, cross.both, action);
                self.add_unless(x.is_empty() && y.is_empty(), BoundInput::Cross { x, y });
            }
            InputSpec::Stick { stick, shape } => {
                let names = (format!("{}-x", stick.code), format!("{}-y", stick.code));
                for (x, y) in self.resolve_two(stick, (&names.0, &names.1), |_| true, action) {
                    let shape = self.shape(shape, 0, [Some(x), Some(y)]);
                    self.add(BoundInput::Stick { x, y, shape });
                }
            }
            InputSpec::Pointer { pointer, counts, shape } => {
                // One that says where it is has no motion to add up.
                let counts_both = |kind| kind == ControlKind::Relative;
                for (x, y) in self.resolve_two(pointer, ("x", "y"), counts_both, action) {
                    // The sum is a memory too.
                    let shape = self.shape(shape, 1, [None, None]);
                    self.add(BoundInput::Pointer { x, y, counts: *counts, shape });
                }
            }
        }
    }

    /// A combo drives the action; whatever the combo listens to feeds it.
    ///
    /// A combo that listens to other actions or zones is fed by these; only controls are noted
    /// here.
    fn combo(&mut self, combo: ComboId, action: ActionId) {
        let signals = self.rig.combos[combo.index()].signals();
        let controls: Vec<ControlId> =
            signals.flat_map(|signal| self.controls_of(signal)).collect();
        self.feeds.extend(controls.into_iter().map(|control| (control, action)));
        self.actions.combo_readers.push((combo, self.next()));
        self.add(BoundInput::Combo(combo));
    }

    /// Keys that no device has are no input.
    fn add_unless(&mut self, is_empty: bool, input: BoundInput) {
        if !is_empty {
            self.add(input);
        }
    }

    /// The number of the next input.
    fn next(&self) -> InputId {
        InputId::at(self.actions.inputs.len())
    }

    /// Has the next input read a zone, on whatever panel a contact is. Returns whether there is any
    /// panel: without one nothing could ever be on it.
    ///
    /// `reads_places`: whether a movement within the zone matters too, and not only who gets into it
    /// and out of it.
    fn reads_zone(&mut self, zone: ZoneId, action: ActionId, reads_places: bool) -> bool {
        let contacts = self.touch.contacts.len();
        if contacts == 0 {
            return false;
        }
        self.feed_by(0..contacts, action);
        let (input, zones) = (self.next(), ZoneSet::EMPTY.with(zone));
        self.actions.zone_readers.push(ZoneReader { input, zones, reads_places });
        true
    }

    /// Adds an input, and notes which controls it reads.
    ///
    /// Its number is the next one. Inputs of an action are added one after the other, so that they
    /// lie side by side.
    fn add(&mut self, input: BoundInput) {
        let at = self.next();
        match input {
            BoundInput::Button { control, .. } | BoundInput::Axis { control, .. } => {
                self.reads.push((control, at));
            }
            BoundInput::Stick { x, y, .. } | BoundInput::Pointer { x, y, .. } => {
                self.reads.extend([(x, at), (y, at)]);
            }
            // Zones, gestures and combos say when these are due.
            BoundInput::Zone { .. }
            | BoundInput::Place { .. }
            | BoundInput::Gesture { .. }
            | BoundInput::Combo(_) => {}
            BoundInput::Pair(pair) => self.read_sides(at, &[pair]),
            BoundInput::Cross { x, y } => self.read_sides(at, &[x, y]),
        }
        self.actions.inputs.push(input);
    }

    /// Notes what an input reads that is made of keys and zones: the keys, and on any panel the
    /// zones.
    ///
    /// A cross reads four sides, a pair two; a finger on a zone of one of them makes it due on
    /// whatever panel it is.
    fn read_sides(&mut self, at: InputId, pairs: &[Opposites]) {
        let mut zones = ZoneSet::EMPTY;
        for &pair in pairs {
            self.reads.extend(self.actions.keys_of(pair).map(|key| (key, at)));
            zones = zones.or(pair.negative.zones).or(pair.positive.zones);
        }
        if !zones.is_empty() {
            self.actions.zone_readers.push(ZoneReader { input: at, zones, reads_places: false });
        }
    }

    /// Ties a shape; `axes` are the controls that its calibration is about.
    ///
    /// `own_memories` is 1 for a pointer, whose sum is kept with what its stages remember. An axis
    /// without a control (`None`) is not calibrated.
    fn shape(
        &mut self,
        shape: &ShapeUse,
        own_memories: u16,
        axes: [Option<ControlId>; 2],
    ) -> BoundShape {
        let shape = shape.of(self.rig);
        let chain = Chain::from(shape.stages.as_slice());
        let mut bound = BoundShape {
            chain: self.actions.chains.len() as u32,
            memories: own_memories + chain.memory_count() as u16,
            own: own_memories,
            ..BoundShape::default()
        };
        self.actions.chains.push(chain);
        if shape.travel.iter().any(Option::is_some) {
            let kind = |axis: Option<ControlId>, travel: Option<Travel>| {
                Some(travel?.of(self.roster.control(axis?).kind))
            };
            let travel = [0, 1].map(|at| kind(axes[at], shape.travel[at]));
            self.actions.travels.push(travel);
            bound.travel = NonZeroU16::new(self.actions.travels.len() as u16);
        }
        bound
    }

    /// Gives every shape its memories, those of earlier devices first: so they
    /// stay where they are when devices arrive.
    ///
    /// What a filter of the first pad remembers must be there when a second one has come: the
    /// machine keeps its memories by these numbers and is not told who they are of.
    pub(super) fn place_memories(&mut self) {
        let roster = self.roster;
        let mut shapes: Vec<(Option<ControlId>, &mut BoundShape)> = self
            .actions
            .inputs
            .iter_mut()
            .filter_map(|input| match input {
                BoundInput::Axis { control, shape } => Some((Some(*control), shape)),
                BoundInput::Stick { x, shape, .. } | BoundInput::Pointer { x, shape, .. } => {
                    Some((Some(*x), shape))
                }
                // It is there from the first panel on.
                BoundInput::Place { shape, .. } => {
                    Some((self.touch.contacts.first().map(|contact| contact.down), shape))
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
        self.actions.memory_count = next as usize;
    }

    /// The control of this name on every device that is meant, in the order of the roster. They
    /// feed the action.
    fn resolve(&mut self, reference: &ControlRef, action: ActionId) -> Vec<ControlId> {
        let found: Vec<ControlId> = reference.resolve(self.roster).collect();
        self.feeds.extend(found.iter().map(|&control| (control, action)));
        found
    }

    /// The two controls of these names on every device that is meant.
    ///
    /// `reference` says which devices; its own control does not count. A device that has only one of
    /// the two, or one that is of no such kind, has none.
    fn resolve_two(
        &mut self,
        reference: &ControlRef,
        (x, y): (&str, &str),
        is_it: impl Fn(ControlKind) -> bool,
        action: ActionId,
    ) -> Vec<(ControlId, ControlId)> {
        let devices = self.roster.devices().filter(|(_, device)| reference.means(device));
        let both = devices.filter_map(|(_, d)| Some((d.control(x)?, d.control(y)?)));
        let is_it = |id: ControlId| is_it(self.roster.control(id).kind);
        let found: Vec<_> = both.filter(|&(x, y)| is_it(x) && is_it(y)).collect();
        self.feeds.extend(found.iter().flat_map(|&(x, y)| [(x, action), (y, action)]));
        found
    }

    /// Two opposite sides, bound.
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

    /// A side, bound: all its controls on all devices that are meant, and its zones where there is
    /// a panel.
    ///
    /// Zones count only where there is a panel: without one nothing could ever hold them.
    fn any_of(&mut self, spec: &SideSpec, action: ActionId) -> BoundSide {
        let first = self.actions.sides.len() as u32;
        let found: Vec<_> = spec.keys.iter().flat_map(|of| self.resolve(of, action)).collect();
        let is_button = |id: &ControlId| self.roster.control(*id).kind.is_button();
        let (buttons, travels): (Vec<_>, Vec<_>) = found.into_iter().partition(is_button);
        if !spec.keys.is_empty() {
            self.actions.half = self.follow_half(&travels);
        }
        self.actions.sides.extend([buttons.as_slice(), &travels].concat());
        let mut zones = ZoneSet::EMPTY;
        if !spec.zones.is_empty() && !self.touch.contacts.is_empty() {
            zones = spec.zones.iter().copied().collect();
            self.feed_by(0..self.touch.contacts.len(), action);
        }
        let [buttons, travels] = [buttons, travels].map(|of| of.len() as u32);
        BoundSide { first, buttons, travels, zones }
    }
}
