//! The devices of the cab. All are made up.

use super::axis::Wear;
use gtrig_core::{
    AxisInfo, CleanText, ControlInfo, ControlKind, DeviceInfo, DeviceKind, vocabulary,
};
use strum::VariantArray;

/// One of the cab's devices.
#[derive(Clone, Copy, Debug, PartialEq, Eq, VariantArray)]
pub(super) enum Model {
    /// A worn pad: 250 reports a second, its left stick rests off centre.
    WornPad,
    /// Its twin: 125 reports a second, its right stick never reaches the top.
    TwinPad,
    /// A long lever with a noisy sensor.
    Lever,
    /// A keyboard.
    Keys,
    /// A touch panel.
    Glass,
}

/// What it takes to build one.
pub(super) struct Maker {
    pub(super) info: DeviceInfo,
    pub(super) axes: Vec<Wear>,
    /// Nanoseconds between reports.
    pub(super) interval: u64,
}

/// Of the glass panel, which is 160 by 90 millimetres.
pub(super) const UNITS_PER_MM: f32 = 12.0;

const STICK: ControlKind = ControlKind::Axis { min: -32768, centre: 0, max: 32767 };

impl Model {
    pub(super) fn maker(self) -> Maker {
        match self {
            Model::WornPad => Maker {
                info: pad("Quay trainer pad A (worn)", "cab-pad-a", 1),
                axes: vec![
                    worn_stick("stick-l-x", 0.031),
                    worn_stick("stick-l-y", -0.018),
                    Wear::none("stick-r-x"),
                    Wear::none("stick-r-y"),
                    Wear::none("trigger-l"),
                    Wear::none("trigger-r"),
                ],
                interval: 4_000_000,
            },
            Model::TwinPad => Maker {
                info: pad("Quay trainer pad B", "cab-pad-b", 2),
                axes: vec![
                    Wear::none("stick-l-x"),
                    Wear::none("stick-l-y"),
                    Wear::none("stick-r-x"),
                    Wear { reach: 0.93, ..Wear::none("stick-r-y") },
                    Wear::none("trigger-r"),
                ],
                interval: 8_000_000,
            },
            Model::Lever => {
                Maker { info: lever(), axes: vec![noisy_lever()], interval: 10_000_000 }
            }
            Model::Keys => Maker { info: keys(), axes: Vec::new(), interval: 1_000_000_000 },
            Model::Glass => Maker { info: glass(), axes: Vec::new(), interval: 8_333_333 },
        }
    }
}

fn worn_stick(code: &'static str, offset: f32) -> Wear {
    Wear { noise: 0.006, offset, step: 64, ..Wear::none(code) }
}

fn noisy_lever() -> Wear {
    Wear { noise: 0.012, step: 4, ..Wear::none("travel") }
}

fn device(kind: DeviceKind, name: &str, identity: &str, slot: Option<u8>) -> DeviceInfo {
    DeviceInfo {
        identity: identity.to_owned(),
        kind,
        name: CleanText::new(name),
        bus: CleanText::new("simulated"),
        slot,
        controls: Vec::new(),
    }
}

/// What the drivers of the cab's pads and lever say of their axes.
fn with_grain(mut controls: Vec<ControlInfo>, grain: AxisInfo) -> Vec<ControlInfo> {
    let analogue = |c: &&mut ControlInfo| {
        matches!(c.kind, ControlKind::Axis { .. } | ControlKind::Trigger { .. })
    };
    controls.iter_mut().filter(analogue).for_each(|control| control.grain = grain);
    controls
}

fn named(codes: &[&str], kind: impl Fn(&str) -> ControlKind) -> Vec<ControlInfo> {
    codes.iter().map(|code| ControlInfo::new(code, kind(code))).collect()
}

fn pad(name: &str, identity: &str, slot: u8) -> DeviceInfo {
    let kind = |code: &str| match code {
        _ if code.starts_with("stick") => STICK,
        _ if code.starts_with("trigger") => ControlKind::Trigger { min: 0, max: 255 },
        _ => ControlKind::Button,
    };
    DeviceInfo {
        controls: with_grain(
            named(vocabulary::PAD, kind),
            AxisInfo { resolution: 0, flat: 128, fuzz: 16 },
        ),
        ..device(DeviceKind::Pad, name, identity, Some(slot))
    }
}

fn lever() -> DeviceInfo {
    let kind = |code: &str| match code {
        "travel" => ControlKind::Axis { min: 0, centre: 2048, max: 4095 },
        _ => ControlKind::Button,
    };
    DeviceInfo {
        controls: with_grain(
            named(vocabulary::LEVER, kind),
            AxisInfo { resolution: 27, flat: 15, fuzz: 4 },
        ),
        ..device(DeviceKind::Lever, "Hoist lever, twelve bits", "cab-lever", Some(3))
    }
}

fn keys() -> DeviceInfo {
    DeviceInfo {
        controls: named(vocabulary::KEYS, |_| ControlKind::Button),
        ..device(DeviceKind::Keys, "Cab keyboard", "cab-keys", None)
    }
}

fn glass() -> DeviceInfo {
    let kind = |code: &str| match code {
        _ if code.ends_with("-x") => ControlKind::Position { min: 0, max: 1919 },
        _ if code.ends_with("-y") => ControlKind::Position { min: 0, max: 1079 },
        _ => ControlKind::Button,
    };
    let mut controls = named(vocabulary::GLASS, kind);
    for control in controls.iter_mut().filter(|control| !control.kind.is_button()) {
        control.grain.resolution = UNITS_PER_MM as i32;
    }
    DeviceInfo { controls, ..device(DeviceKind::Glass, "Cab glass panel", "cab-glass", None) }
}
