//! What an action is made of: the parts of a rig that bear on what it gives.
//!
//! Whoever asks which numbers can change an action, or which actions a number can change, asks
//! here. A part bears on an action if the action reads it, or reads something that it bears on:
//!
//! ```text
//!  action ── reads ──▶ shape, zone, gesture, combo
//!    └── gates, modes, combos that take its buttons
//!                      gesture ──▶ its zone, gestures it waits for or that end it
//!                      combo ────▶ zones, gestures and actions of its steps, combos it waits for
//!                      zone ─────▶ zones above it, its gates
//! ```

use super::{
    Claim, Combo, GestureKind, InputSpec, Mode, Place, Rig, ShapeUse, Signal, Space, Strict,
};
use crate::base::{ActionId, ComboId, GestureId, ModeSet, ShapeId, SignalId, ZoneId};
use crate::device::ControlRef;
use alloc::{collections::BTreeSet, vec, vec::Vec};

/// A part of a rig that has numbers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Part {
    /// An action, with the shapes of its own.
    Action(ActionId),
    /// A shape that inputs share.
    Shape(ShapeId),
    /// Where the view is in the world.
    Surface,
    /// A zone.
    Zone(ZoneId),
    /// A gesture.
    Gesture(GestureId),
    /// A combo.
    Combo(ComboId),
}

impl Part {
    /// Whether a number stands in this part of a rig.
    ///
    /// # Panics
    /// For a part that the rig does not have.
    pub fn has(self, rig: &Rig, place: &Place) -> bool {
        match self {
            Part::Action(id) => place.is_of("action", &rig.actions[id.index()].name),
            Part::Shape(id) => place.is_of("shape", &rig.shapes[id.index()].name),
            Part::Surface => place.is_in("surface"),
            Part::Zone(id) => place.is_of("zone", &rig.zones[id.index()].name),
            Part::Gesture(id) => place.is_of("gesture", &rig.gestures[id.index()].name),
            Part::Combo(id) => place.is_of("combo", &rig.combos[id.index()].name),
        }
    }
}

/// How far from an action a part of it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Nearness {
    /// It is the action itself, or its inputs read it.
    Read,
    /// It bears on one of those.
    Beyond,
}

impl Rig {
    /// The parts that bear on what an action gives, each once: the action itself first, then what
    /// its inputs read, then what bears on those, the nearer before the farther.
    ///
    /// How the edges of its buttons are derived bears on every action, and is not listed.
    ///
    /// # Panics
    /// For an action that the rig does not have.
    pub fn parts_of(&self, action: ActionId) -> Vec<(Part, Nearness)> {
        let mut known = BTreeSet::from([Part::Action(action)]);
        let mut found = vec![(Part::Action(action), Nearness::Read)];
        let mut add = |found: &mut Vec<_>, parts: Vec<Part>, nearness: Nearness| {
            let new = parts.into_iter().filter(|part| known.insert(*part));
            found.extend(new.map(|part| (part, nearness)));
        };
        add(&mut found, self.read_by(action), Nearness::Read);
        let mut at = 0;
        while let Some(&(part, _)) = found.get(at) {
            add(&mut found, self.bearing_on(part), Nearness::Beyond);
            at += 1;
        }
        found
    }

    /// What the inputs of an action read.
    fn read_by(&self, action: ActionId) -> Vec<Part> {
        let mut parts = Vec::new();
        for input in &self.actions[action.index()].inputs {
            if let Some(ShapeUse::Named(shape)) = input.shape() {
                parts.push(Part::Shape(*shape));
            }
            match input {
                InputSpec::Zone(zone) | InputSpec::Place { zone, .. } => {
                    parts.push(Part::Zone(*zone));
                }
                InputSpec::Gesture { gesture, .. } => parts.push(Part::Gesture(*gesture)),
                InputSpec::Combo(combo) => parts.push(Part::Combo(*combo)),
                _ => {
                    let zones = input.sides().into_iter().flat_map(|side| &side.zones);
                    parts.extend(zones.copied().map(Part::Zone));
                }
            }
        }
        parts
    }

    /// The parts that bear on one directly.
    fn bearing_on(&self, part: Part) -> Vec<Part> {
        match part {
            Part::Shape(_) | Part::Surface => Vec::new(),
            Part::Action(action) => self.bearing_on_action(action),
            Part::Zone(zone) => self.bearing_on_zone(zone),
            Part::Gesture(gesture) => self.bearing_on_gesture(gesture),
            Part::Combo(combo) => self.bearing_on_combo(&self.combos[combo.index()]),
        }
    }

    /// What its inputs read, what opens and closes it, and combos that take its buttons.
    fn bearing_on_action(&self, action: ActionId) -> Vec<Part> {
        let spec = &self.actions[action.index()];
        let mut parts = self.read_by(action);
        parts.extend(gates(&spec.closed_while, &spec.open_while));
        parts.extend(self.switches_of(spec.modes));
        let takes = |combo: &Combo| combo.takes && self.is_about_one_of(combo, &spec.inputs);
        let combos = self.combos.iter().zip((0..).map(ComboId));
        parts.extend(combos.filter(|(combo, _)| takes(combo)).map(|(_, id)| Part::Combo(id)));
        parts.extend((spec.space == Space::World).then_some(Part::Surface));
        parts
    }

    /// Zones that have a contact first, and what opens and closes it.
    fn bearing_on_zone(&self, zone: ZoneId) -> Vec<Part> {
        let spec = &self.zones[zone.index()];
        let mut parts: Vec<Part> = gates(&spec.closed_while, &spec.open_while).collect();
        // Of equal layers the one that the rig names first is asked first.
        let order = |id: ZoneId| (-self.zones[id.index()].layer, id);
        parts.extend(self.taking_zones().filter(|id| order(*id) < order(zone)).map(Part::Zone));
        parts.extend((spec.space == Space::World).then_some(Part::Surface));
        parts
    }

    /// The zones that keep their contacts from those below, and from gestures without a zone.
    fn taking_zones(&self) -> impl Iterator<Item = ZoneId> {
        let zones = self.zones.iter().zip((0..).map(ZoneId));
        zones.filter(|(zone, _)| zone.claim == Claim::Take).map(|(_, id)| id)
    }

    /// Where its fingers are, and the gestures that it waits for or that end it.
    fn bearing_on_gesture(&self, gesture: GestureId) -> Vec<Part> {
        let spec = &self.gestures[gesture.index()];
        let mut parts: Vec<Part> = match spec.zone {
            Some(zone) => vec![Part::Zone(zone)],
            None => self.taking_zones().map(Part::Zone).collect(),
        };
        if let GestureKind::Click { lifts_in } = spec.kind {
            parts.push(Part::Zone(lifts_in));
        }
        parts.extend(spec.waits_for.iter().copied().map(Part::Gesture));
        let others = self.gestures.iter().zip((0..).map(GestureId));
        let ends = others.filter(|(other, id)| {
            other.takes && !other.beside.contains(&gesture) && !spec.beside.contains(id)
        });
        parts.extend(ends.map(|(_, id)| Part::Gesture(id)));
        parts
    }

    /// What its signals stand for, and the combos that it waits for.
    fn bearing_on_combo(&self, combo: &Combo) -> Vec<Part> {
        let signals = signals_of(combo).map(|signal| &self.signals[signal.index()]);
        let mut parts: Vec<Part> = signals.filter_map(stands_for).collect();
        parts.extend(combo.waits_for.iter().copied().map(Part::Combo));
        // Steps that it does of another combo stand there.
        let texts = combo.steps.iter().flat_map(|step| [step.own_text, step.window_text]);
        parts.extend(texts.flatten().map(|text| Part::Combo(text.combo)));
        parts.extend(self.switches_of(combo.modes));
        parts
    }

    /// The actions that switch modes, where not every mode is meant.
    fn switches_of(&self, modes: ModeSet) -> impl Iterator<Item = Part> {
        let switches = |mode: &Mode| [mode.enter, mode.leave].into_iter().flatten();
        let asked = if modes.is_all() { &[][..] } else { &self.modes };
        asked.iter().flat_map(switches).map(Part::Action)
    }

    /// Whether a combo is about a button that inputs read.
    fn is_about_one_of(&self, combo: &Combo, inputs: &[InputSpec]) -> bool {
        signals_of(combo).any(|signal| match &self.signals[signal.index()] {
            Signal::Control { control, .. } => {
                inputs.iter().flat_map(buttons).any(|button| may_be_one(button, control))
            }
            // Each button of a d-pad is an input of its own.
            Signal::Dpad(dpad, _) => {
                let is_its = |button: &ControlRef| {
                    button.kind == dpad.kind && button.code.starts_with(dpad.code.as_str())
                };
                inputs.iter().flat_map(buttons).any(is_its)
            }
            _ => false,
        })
    }
}

/// The actions that open and close something.
fn gates<'a>(
    closed_while: &'a [ActionId],
    open_while: &'a [ActionId],
) -> impl Iterator<Item = Part> + 'a {
    closed_while.iter().chain(open_while).copied().map(Part::Action)
}

/// The controls that an input reads as buttons.
fn buttons(input: &InputSpec) -> impl Iterator<Item = &ControlRef> {
    let own = match input {
        InputSpec::Button { control, .. } => Some(control),
        _ => None,
    };
    own.into_iter().chain(input.sides().into_iter().flat_map(|side| &side.keys))
}

/// Whether two references may mean one control.
fn may_be_one(one: &ControlRef, other: &ControlRef) -> bool {
    let is_number_free = one.number.is_none() || other.number.is_none();
    one.kind == other.kind
        && one.code == other.code
        && (is_number_free || one.number == other.number)
}

/// The signals of the steps of a combo, and of what breaks it or turns it around.
fn signals_of(combo: &Combo) -> impl Iterator<Item = SignalId> {
    let steps = combo.steps.iter().flat_map(|step| step.what.signals().iter().chain(&step.unless));
    let strict = match &combo.strict {
        Some(Strict::Only(signals)) => signals.as_slice(),
        _ => &[],
    };
    let mirror = combo.mirror.iter();
    let turned = mirror.flat_map(|mirror| {
        let pairs = mirror.pairs.iter().flat_map(|&(one, other)| [one, other]);
        pairs.chain([mirror.while_on])
    });
    steps.chain(strict).copied().chain(turned)
}

/// The part of a rig that a signal stands for; none for a control.
fn stands_for(signal: &Signal) -> Option<Part> {
    Some(match signal {
        Signal::Action(action) | Signal::Way(action, _) => Part::Action(*action),
        Signal::Zone(zone) => Part::Zone(*zone),
        Signal::Gesture(gesture) => Part::Gesture(*gesture),
        Signal::Control { .. } | Signal::Dpad(..) | Signal::Others(..) => return None,
    })
}
