//! Handles, and what is told of actions.

use std::ffi::c_char;

/// The handle of an action.
#[allow(non_camel_case_types)]
pub type gt_action = u32;

/// The handle of a device.
#[allow(non_camel_case_types)]
pub type gt_device = u32;

/// The handle of a control of a device.
#[allow(non_camel_case_types)]
pub type gt_control = u32;

/// A control and what it reports.
#[repr(C)]
#[derive(Clone, Copy, Debug)]
#[allow(non_camel_case_types)]
pub struct gt_value {
    /// From gt_find_control.
    pub control: gt_control,
    /// In units of the device.
    pub value: i32,
}

/// An action after a frame.
#[repr(C)]
#[derive(Clone, Copy, Debug, Default, PartialEq)]
#[allow(non_camel_case_types)]
pub struct gt_state {
    /// Whether it is on, or off its rest.
    pub is_on: bool,
    /// 1 or 0, an axis from -1 to +1, the x of a plane, the angle of a polar one.
    pub value: f32,
    /// x and y of a plane or a place.
    pub vector: [f32; 2],
    /// The direction of a plane or a polar action in degrees, counter-clockwise from the
    /// right.
    pub degrees: f32,
    /// How far it is pushed.
    pub reach: f32,
    /// When it last turned on or off; 0 before it ever did. Of a pulse: when it last fired.
    pub since: u64,
}

/// What drives an action.
#[repr(C)]
#[derive(Clone, Copy, Debug)]
#[allow(non_camel_case_types)]
pub struct gt_driver {
    /// Whether anything does. The rest says nothing where it is false.
    pub is_driven: bool,
    /// The device.
    pub device: gt_device,
    /// The name of its control, ended by a zero byte.
    pub code: [c_char; 41],
}

/// Why an action does nothing although something drives it.
#[repr(C)]
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(non_camel_case_types)]
pub enum gt_closed_by {
    /// It is open.
    GT_OPEN = 0,
    /// An action is on.
    GT_CLOSED_WHILE = 1,
    /// An action is off.
    GT_CLOSED_WITHOUT = 2,
    /// A mode is on top.
    GT_CLOSED_BY_MODE = 3,
    /// What was held while it was closed has not been let go yet.
    GT_CLOSED_WAITING = 4,
}
