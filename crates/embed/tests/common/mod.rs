//! What the tests of the facade share.

use gtrig_core::{CleanText, ControlInfo, ControlKind, DeviceInfo, DeviceKind};

/// A pad with a button and a stick.
pub fn pad() -> DeviceInfo {
    let axis = ControlKind::Axis { min: -100, centre: 0, max: 100 };
    DeviceInfo {
        identity: "p".into(),
        kind: DeviceKind::Pad,
        name: CleanText::new("p"),
        bus: CleanText::default(),
        slot: None,
        controls: vec![
            ControlInfo::new("south", ControlKind::Button),
            ControlInfo::new("stick-l-x", axis),
            ControlInfo::new("stick-l-y", axis),
        ],
    }
}
