//! Devices, as a game describes them.

use crate::{
    input::text,
    status::{Refusal, gt_status},
};
use gtrig_core::{CleanText, ControlInfo, ControlKind, DeviceInfo, DeviceKind, Presence};
use std::{ffi::c_char, slice};

/// What sort of thing a device is; rigs name devices by it.
#[repr(C)]
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(non_camel_case_types)]
pub enum gt_device_kind {
    /// A game pad in the standard layout.
    GT_PAD = 0,
    /// A lever with one long travel.
    GT_LEVER = 1,
    /// A keyboard.
    GT_KEYS = 2,
    /// A mouse or other pointer.
    GT_MOUSE = 3,
    /// A touch panel.
    GT_GLASS = 4,
    /// Anything else.
    GT_OTHER = 5,
}

/// What a control reports.
#[repr(C)]
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(non_camel_case_types)]
pub enum gt_control_kind {
    /// 0 is up, anything else is down.
    GT_BUTTON = 0,
    /// Two-sided: min is -1, centre is 0, max is +1.
    GT_AXIS = 1,
    /// One-sided: min is 0 and rest, max is 1.
    GT_TRIGGER = 2,
    /// A place on a surface: min is 0, max is 1.
    GT_POSITION = 3,
    /// Counts since the last report.
    GT_RELATIVE = 4,
}

/// A control of a device. What its kind has no use for is not read.
#[repr(C)]
#[derive(Clone, Copy, Debug)]
#[allow(non_camel_case_types)]
pub struct gt_control_info {
    /// Its standard name, such as "south": 1 to 40 letters, digits, dots, dashes or
    /// underscores.
    pub code: *const c_char,
    /// What it reports: one of gt_control_kind.
    pub kind: u32,
    /// The raw value at its lowest; not equal to `max`.
    pub min: i32,
    /// Of an axis the raw value at rest, between the other two.
    pub centre: i32,
    /// The raw value at its highest.
    pub max: i32,
}

/// A device.
#[repr(C)]
#[derive(Clone, Copy, Debug)]
#[allow(non_camel_case_types)]
pub struct gt_device_info {
    /// What the game knows it by. One with the identity, kind and controls of one that went is
    /// that one again.
    pub identity: *const c_char,
    /// Its name, for people.
    pub name: *const c_char,
    /// What it is: one of gt_device_kind.
    pub kind: u32,
    /// The player slot it should have, 1 to 4, if it is free; 0 where the rig says.
    pub slot: u32,
    /// Its controls, `control_count` of them.
    pub controls: *const gt_control_info,
    /// How many.
    pub control_count: usize,
}

/// Whether a device can be heard.
#[repr(C)]
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(non_camel_case_types)]
pub enum gt_presence {
    /// It is connected, and heard.
    GT_HERE = 0,
    /// It is connected, and cannot be heard: the window has lost the focus.
    GT_DEAF = 1,
}

pub(crate) fn presence(of: u32) -> Result<Presence, Refusal> {
    match of {
        0 => Ok(Presence::Here),
        1 => Ok(Presence::Deaf),
        _ => Err(Refusal::not_found(format!("there is no gt_presence {of}"))),
    }
}

/// A device as C describes it.
///
/// # Safety
/// Its texts end with a zero byte, and there are as many controls as it says.
pub(crate) unsafe fn device(info: &gt_device_info) -> Result<DeviceInfo, Refusal> {
    let kind = match info.kind {
        0 => DeviceKind::Pad,
        1 => DeviceKind::Lever,
        2 => DeviceKind::Keys,
        3 => DeviceKind::Mouse,
        4 => DeviceKind::Glass,
        5 => DeviceKind::Other,
        kind => return Err(wrong(format!("there is no gt_device_kind {kind}"))),
    };
    let listed = match (info.controls.is_null(), info.control_count) {
        (_, 0) => &[],
        (true, _) => return Err(Refusal::null("controls")),
        // SAFETY: the caller says that there are so many.
        (false, count) => unsafe { slice::from_raw_parts(info.controls, count) },
    };
    let mut controls: Vec<ControlInfo> = Vec::with_capacity(listed.len());
    for control in listed {
        // SAFETY: the caller says that the text ends.
        let code = unsafe { text(control.code, "code") }?;
        if !ControlInfo::is_code(code) {
            let needed = "1 to 40 letters, digits, dots, dashes or underscores";
            return Err(wrong(format!("the control name {code:?} is not {needed}")));
        }
        if controls.iter().any(|other| other.code == code) {
            return Err(wrong(format!("the control {code:?} is listed twice")));
        }
        controls.push(ControlInfo::new(code, control_kind(code, control)?));
    }
    // SAFETY: the caller says that the texts end.
    let (identity, name) = unsafe { (text(info.identity, "identity")?, text(info.name, "name")?) };
    let slot = match info.slot {
        0 => None,
        slot @ 1..=4 => Some(slot as u8),
        slot => return Err(wrong(format!("there is no slot {slot}: it is 1 to 4, or 0"))),
    };
    Ok(DeviceInfo {
        identity: identity.to_owned(),
        kind,
        name: CleanText::new(name),
        bus: CleanText::default(),
        slot,
        controls,
    })
}

fn control_kind(code: &str, of: &gt_control_info) -> Result<ControlKind, Refusal> {
    let gt_control_info { min, centre, max, .. } = *of;
    let kind = match of.kind {
        0 => ControlKind::Button,
        1 => ControlKind::Axis { min, centre, max },
        2 => ControlKind::Trigger { min, max },
        3 => ControlKind::Position { min, max },
        4 => ControlKind::Relative,
        kind => return Err(wrong(format!("control {code:?}: there is no gt_control_kind {kind}"))),
    };
    let is_flat = kind.range().is_some_and(|(low, high)| low == high);
    let is_between = |value| (min < value && value < max) || (max < value && value < min);
    match kind {
        _ if is_flat => Err(wrong(format!("control {code:?}: min and max are both {min}"))),
        ControlKind::Axis { .. } if !is_between(centre) => {
            Err(wrong(format!("control {code:?}: centre {centre} is not between {min} and {max}")))
        }
        kind => Ok(kind),
    }
}

fn wrong(text: String) -> Refusal {
    Refusal(gt_status::GT_NO_DEVICE, text)
}
