//! Rigs with a mistake in them: what a game may do instead of what the rig says.

use super::causes::Gate;
use alloc::vec::Vec;
use gtrig_core::{
    ActionId, ActionSpec, BothHeld, Combine, DeadZoneKind, InputSpec, Keyword, ModeSet, Rig,
    ShapeUse, Stage, tunable,
};

/// What is done otherwise, without a number.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Other {
    /// A plane is not held in the unit circle.
    NoClamp,
    /// A plane is held in the unit circle.
    Clamp,
    /// A dead zone is measured otherwise.
    DeadZone {
        /// By the rig.
        ours: DeadZoneKind,
        /// By the game.
        theirs: DeadZoneKind,
    },
    /// A stage of a shape is left out; its name.
    Without(&'static str),
    /// Opposite keys held together mean something else.
    Both {
        /// By the rig.
        ours: BothHeld,
        /// By the game.
        theirs: BothHeld,
    },
    /// Several active inputs come to something else.
    Combine {
        /// By the rig.
        ours: Combine,
        /// By the game.
        theirs: Combine,
    },
}

/// A rig that does something of an action otherwise.
pub(super) fn others(rig: &Rig, action: ActionId) -> Vec<(Other, Rig)> {
    let spec = &rig.actions[action.index()];
    let mut found = Vec::new();
    let mut add = |other: Other, change: &dyn Fn(&mut Rig)| {
        let mut changed = rig.clone();
        change(&mut changed);
        found.push((other, changed));
    };
    if spec.gives.is_vector() {
        let other = if spec.clamp { Other::NoClamp } else { Other::Clamp };
        add(other, &|rig| {
            let spec = of(rig, action);
            spec.clamp = !spec.clamp;
        });
    }
    for &theirs in Combine::ALL.iter().filter(|other| **other != spec.combine) {
        add(Other::Combine { ours: spec.combine, theirs }, &|rig| of(rig, action).combine = theirs);
    }
    for (n, input) in spec.inputs.iter().enumerate() {
        if let InputSpec::Pair { both: ours, .. } = *input {
            for &theirs in BothHeld::ALL.iter().filter(|other| **other != ours) {
                add(Other::Both { ours, theirs }, &|rig| set_both(rig, action, n, theirs));
            }
        }
        if let InputSpec::Cross(cross) = input {
            let ours = cross.both;
            for &theirs in BothHeld::ALL.iter().filter(|other| **other != ours) {
                add(Other::Both { ours, theirs }, &|rig| set_both(rig, action, n, theirs));
            }
        }
        let Some(shape) = input.shape() else { continue };
        for (at, stage) in shape.of(rig).stages.iter().enumerate() {
            if let Stage::DeadZone(zone) = stage {
                for &theirs in DeadZoneKind::ALL.iter().filter(|other| **other != zone.kind) {
                    add(Other::DeadZone { ours: zone.kind, theirs }, &|rig| {
                        if let Some(Stage::DeadZone(zone)) =
                            stages_of(rig, action, n).and_then(|stages| stages.get_mut(at))
                        {
                            zone.kind = theirs;
                            // The rig says a slope of sloped ones alone.
                            zone.slope = tunable::SLOPE.default as f32;
                        }
                    });
                }
            }
            add(Other::Without(stage.name()), &|rig| {
                if let Some(stages) = stages_of(rig, action, n) {
                    stages.remove(at);
                }
            });
        }
    }
    found
}

/// A rig in which an action does not heed one of its gates.
pub(super) fn ungated(rig: &Rig, action: ActionId) -> Vec<(Gate, Rig)> {
    let spec = &rig.actions[action.index()];
    let mut found = Vec::new();
    for (n, &gate) in spec.closed_while.iter().enumerate() {
        let mut changed = rig.clone();
        of(&mut changed, action).closed_while.remove(n);
        found.push((Gate::While(gate), changed));
    }
    for (n, &gate) in spec.open_while.iter().enumerate() {
        let mut changed = rig.clone();
        of(&mut changed, action).open_while.remove(n);
        found.push((Gate::Without(gate), changed));
    }
    if !spec.modes.is_all() {
        let mut changed = rig.clone();
        of(&mut changed, action).modes = ModeSet::ALL;
        found.push((Gate::Modes, changed));
    }
    found
}

/// A rig that looks at its buttons only when it polls; `None` of one that does so anyway.
pub(super) fn unlatched(rig: &Rig) -> Option<Rig> {
    let mut changed = rig.clone();
    changed.edges.iter_mut().for_each(|rule| {
        rule.latched = rule.latched.map(|_| false);
    });
    (changed != *rig).then_some(changed)
}

fn of(rig: &mut Rig, action: ActionId) -> &mut ActionSpec {
    &mut rig.actions[action.index()]
}

/// The stages of an input, those that it shares with others too.
fn stages_of(rig: &mut Rig, action: ActionId, input: usize) -> Option<&mut Vec<Stage>> {
    let Rig { actions, shapes, .. } = rig;
    Some(match actions[action.index()].inputs[input].shape_mut()? {
        ShapeUse::Own(shape) => &mut shape.stages,
        ShapeUse::Named(at) => &mut shapes[at.index()].shape.stages,
    })
}

fn set_both(rig: &mut Rig, action: ActionId, input: usize, to: BothHeld) {
    match &mut of(rig, action).inputs[input] {
        InputSpec::Pair { both, .. } => *both = to,
        InputSpec::Cross(cross) => cross.both = to,
        _ => {}
    }
}
