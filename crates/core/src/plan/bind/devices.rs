//! How the controls and devices of a roster are sampled.

use crate::base::ControlId;
use crate::device::{Control, DeviceKind, Roster, Scale};
use crate::sample::{BoundThresholds, ElectionPlan, SampledControl, UseRange};
use crate::spec::{EdgeSettings, MainRules, Rig, Scope};
use alloc::vec::Vec;

/// Every control of a roster; `thresholds` are in order of their controls.
///
/// Rules are applied in the order of the rig, each upon what those before it said.
pub(super) fn controls(
    roster: &Roster,
    rig: &Rig,
    thresholds: &[BoundThresholds],
) -> Vec<SampledControl> {
    let plain = |(&control, id): (&Control, ControlId)| {
        let first = thresholds.partition_point(|pair| pair.control < id);
        let after = thresholds.partition_point(|pair| pair.control <= id);
        SampledControl {
            control,
            scale: Scale::of(control.kind),
            edges: EdgeSettings::DEFAULT,
            used: UseRange::of(control.kind, &rig.main),
            first_threshold: first as u32,
            threshold_count: (after - first) as u32,
        }
    };
    let mut controls: Vec<SampledControl> =
        roster.controls().iter().zip((0..).map(ControlId)).map(plain).collect();
    for rule in &rig.edges {
        for id in rule.of.iter().flat_map(|scope| covered(roster, scope)) {
            controls[id.index()].edges.apply(rule);
        }
    }
    controls
}

/// The controls that a rule about edges covers: one on all devices that are meant, or all of a
/// kind of device.
///
/// Presences are never among them.
fn covered(roster: &Roster, scope: &Scope) -> Vec<ControlId> {
    match scope {
        Scope::Control(reference) => reference.resolve(roster).collect(),
        Scope::Kind(kind) => {
            let devices = roster.devices().filter(|(_, d)| d.info.kind == *kind);
            devices.flat_map(|(_, device)| device.controls()).collect()
        }
    }
}

/// Which devices may be the main one, and by which rule. A device without a slot comes after all
/// that have one.
///
/// By slot; keys, mice and panels, which have no slots, by their number among their kind.
pub(super) fn election(roster: &Roster, main: &MainRules) -> ElectionPlan {
    let kinds = roster.devices().map(|(_, device)| device.info.kind);
    let candidate = |device: &crate::device::Device| {
        let may_be = main.among.contains(&device.info.kind);
        // A device without a slot comes after those that have one.
        may_be.then(|| device.number.wrapping_sub(1))
    };
    ElectionPlan {
        rule: main.rule,
        candidates: roster.devices().map(|(_, device)| candidate(device)).collect(),
        is_desk: kinds.map(|kind| matches!(kind, DeviceKind::Keys | DeviceKind::Mouse)).collect(),
    }
}
