//! What a kernel device is, and which control each of its codes is.
//!
//! A device is what its codes and properties say: fingers on a surface, a pointer, a
//! pad, keys, or something else, whose controls go by the kernel's names (`names`).
//! Nothing of a device that is several of these is left out. Values stay as
//! reported; a hat, which the kernel reports as an axis of three values, becomes two
//! buttons.

use super::names;
use crate::hid::axes::AxisUsage;
use gtrig_core::{AxisInfo, CleanText, ControlInfo, ControlKind, DeviceInfo, DeviceKind};
use std::collections::{BTreeMap, HashMap};

pub(super) const EV_SYN: u16 = 0;
pub(super) const EV_KEY: u16 = 1;
pub(super) const EV_REL: u16 = 2;
pub(super) const EV_ABS: u16 = 3;
pub(super) const EV_SW: u16 = 5;

pub(super) const ABS_X: u16 = 0x00;
pub(super) const ABS_Y: u16 = 0x01;
const ABS_Z: u16 = 0x02;
const ABS_RX: u16 = 0x03;
const ABS_RY: u16 = 0x04;
const ABS_RZ: u16 = 0x05;
const ABS_THROTTLE: u16 = 0x06;
const ABS_GAS: u16 = 0x09;
const ABS_BRAKE: u16 = 0x0a;
const ABS_HAT0X: u16 = 0x10;
const ABS_HAT2X: u16 = 0x14;
const ABS_HAT2Y: u16 = 0x15;
const ABS_HAT3Y: u16 = 0x17;
const ABS_PRESSURE: u16 = 0x18;
pub(super) const ABS_MT_SLOT: u16 = 0x2f;
pub(super) const ABS_MT_POSITION_X: u16 = 0x35;
pub(super) const ABS_MT_POSITION_Y: u16 = 0x36;
pub(super) const ABS_MT_TOOL_TYPE: u16 = 0x37;
pub(super) const ABS_MT_TRACKING_ID: u16 = 0x39;
/// The value of a tool that is the flat of a hand: what it touched does not
/// count.
pub(super) const MT_TOOL_PALM: i32 = 2;
/// What a panel may say of a contact besides its place, and how it is called.
pub(super) const EXTRAS: [(u16, &str); 2] = [(0x3a, "pressure"), (0x30, "size")];
const ABS_VOLUME: u16 = 0x20;
const ABS_MT_FIRST: u16 = ABS_MT_SLOT;

const BTN_LEFT: u16 = 0x110;
/// All buttons of the gamepad layout.
const PAD_BUTTONS: std::ops::RangeInclusive<u16> = 0x130..=0x13e;
const BTN_TL2: u16 = 0x138;
const BTN_TR2: u16 = 0x139;
const BTN_TOOL_PEN: u16 = 0x140;
/// Which tool touches, a touch, and how many fingers: what contacts say better.
const TOUCHES: std::ops::RangeInclusive<u16> = 0x140..=0x14f;
const BTN_TOUCH: u16 = 0x14a;

/// It measures how it is moved, and is no stick.
const PROP_ACCELEROMETER: u16 = 6;

/// More contacts than this are not followed.
const MAX_CONTACTS: i32 = 32;

/// So many contacts of a panel that does not number them.
const ANONYMOUS_CONTACTS: u16 = 10;

/// What the kernel says a device can do.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Abilities {
    pub(super) name: String,
    pub(super) identity: String,
    pub(super) keys: Vec<u16>,
    pub(super) relative: Vec<u16>,
    pub(super) switches: Vec<u16>,
    /// The numbers of its properties.
    pub(super) properties: Vec<u16>,
    /// What it is connected by.
    pub(super) bus: String,
    pub(super) axes: Vec<AbsAxis>,
    /// What its report descriptor says of the axes, where it has one that tells.
    pub(super) usages: BTreeMap<u16, AxisUsage>,
}

/// An absolute axis, as its driver describes it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct AbsAxis {
    pub(super) code: u16,
    /// Smallest and largest value.
    pub(super) range: (i32, i32),
    /// What it was when the device was opened; 0 may mean that nothing was reported.
    pub(super) value: i32,
    pub(super) grain: AxisInfo,
}

/// Which control a code is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Route {
    /// A button, an axis or a relative count.
    Plain(u16),
    /// A hat: the buttons of its negative and its positive side.
    Hat(u16, u16),
}

/// How a panel tells its contacts apart.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Contacts {
    /// It has none, or one whose controls are plain.
    None,
    /// By slots.
    Slots,
    /// Not at all: it lists them in every packet (the kernel's protocol A).
    Listed,
}

/// A device as it is plugged into a session, and the way from codes to
/// controls.
#[derive(Clone, Debug)]
pub(super) struct Layout {
    pub(super) info: DeviceInfo,
    pub(super) routes: HashMap<(u16, u16), Route>,
    pub(super) tells_contacts: Contacts,
    /// The first control of the first contact.
    pub(super) contacts: u16,
    pub(super) contact_count: u16,
    /// What each contact has: touch, x, y, and then the codes of these.
    pub(super) extras: Vec<u16>,
    /// Of a pointer that is always somewhere: the control that says so, once it has
    /// said where.
    pub(super) in_range: Option<u16>,
}

impl Abilities {
    fn has_key(&self, code: u16) -> bool {
        self.keys.contains(&code)
    }

    fn has_place(&self) -> bool {
        self.axis(ABS_X).is_some() && self.axis(ABS_Y).is_some()
    }

    fn axis(&self, code: u16) -> Option<(i32, i32)> {
        let axis = self.axes.iter().find(|axis| axis.code == code);
        // Some drivers say min > max; the values are the same range.
        axis.map(|&AbsAxis { range: (a, b), .. }| (a.min(b), a.max(b)))
    }

    fn has_axes<const N: usize>(&self, codes: [u16; N]) -> bool {
        codes.iter().all(|&code| self.axis(code).is_some())
    }

    /// Whether what is typed into it can be read from its keys.
    pub(super) fn types(&self) -> bool {
        self.keys.iter().any(|&code| names::writes(code))
    }

    /// Whether it moves a pointer that other programs see too.
    pub(super) fn is_desk_mouse(&self) -> bool {
        self.kind() == DeviceKind::Mouse && !self.is_pen()
    }

    fn is_pen(&self) -> bool {
        self.has_key(BTN_TOOL_PEN) && self.has_place() && !self.has_axes([ABS_MT_POSITION_X])
    }

    /// A panel that knows one finger alone.
    fn is_single_touch(&self) -> bool {
        self.has_key(BTN_TOUCH) && self.has_place() && !self.is_pen()
    }

    fn is_pad(&self) -> bool {
        let buttons = self.keys.iter().filter(|code| PAD_BUTTONS.contains(code)).count();
        let has_more = buttons > 1 || !self.axes.is_empty();
        buttons > 0 && has_more && !self.properties.contains(&PROP_ACCELEROMETER)
    }

    /// Whether nobody plays with it: it has no button that a hand is meant for, and
    /// nothing that moves but the volume. The kernel itself names the parts of a
    /// keyboard that steer the machine (`hid-input.c`).
    fn is_of_the_machine(&self) -> bool {
        let is_named = [" Consumer Control", " System Control"].iter().any(|end| {
            let is_plain = self.axes.iter().all(|axis| axis.code == ABS_VOLUME);
            is_plain && self.name.ends_with(end)
        });
        let has_play = self.keys.iter().any(|&code| names::is_for_play(code))
            || !self.relative.is_empty()
            || self.axes.iter().any(|axis| axis.code != ABS_VOLUME);
        is_named || !has_play
    }

    pub(super) fn kind(&self) -> DeviceKind {
        let has_contacts = self.has_axes([ABS_MT_POSITION_X, ABS_MT_POSITION_Y])
            || self.axis(ABS_MT_SLOT).is_some()
            || self.is_single_touch();
        let points = self.relative.contains(&0) || self.has_place();
        if has_contacts {
            DeviceKind::Glass
        } else if self.is_pen() || (self.has_key(BTN_LEFT) && points) {
            DeviceKind::Mouse
        } else if self.is_pad() {
            DeviceKind::Pad
        } else if self.types() {
            DeviceKind::Keys
        } else if self.is_of_the_machine() {
            DeviceKind::System
        } else {
            DeviceKind::Other
        }
    }

    /// The layout; `None` for a device without anything to report.
    pub(super) fn layout(&self) -> Option<Layout> {
        let kind = self.kind();
        let info = DeviceInfo {
            identity: CleanText::new(&self.identity).to_string(),
            kind,
            name: CleanText::new(&self.name),
            bus: CleanText::new(&self.bus),
            slot: None,
            controls: Vec::new(),
        };
        let mut layout = Layout {
            info,
            routes: HashMap::new(),
            tells_contacts: Contacts::None,
            contacts: 0,
            contact_count: 0,
            extras: Vec::new(),
            in_range: None,
        };
        for &code in &self.keys {
            if let Some(name) = self.key_name(kind, code) {
                layout.plain(EV_KEY, code, name, ControlKind::Button);
            }
        }
        for &code in &self.switches {
            layout.plain(EV_SW, code, names::switch(code), ControlKind::Button);
        }
        for &code in &self.relative {
            layout.plain(EV_REL, code, names::relative(code), ControlKind::Relative);
        }
        self.add_place(kind, &mut layout);
        for axis in self.axes.iter().filter(|axis| axis.code < ABS_MT_FIRST) {
            if !layout.routes.contains_key(&(EV_ABS, axis.code)) && !self.repeats_contact(axis.code)
            {
                let before = layout.info.controls.len();
                self.add_axis(kind, axis, &mut layout);
                layout.info.controls[before..].iter_mut().for_each(|c| c.grain = axis.grain);
            }
        }
        self.add_contacts(&mut layout);
        (!layout.info.controls.is_empty()).then_some(layout)
    }

    /// A panel repeats its first contact as one of a panel that has no other.
    fn repeats_contact(&self, code: u16) -> bool {
        let has_many = self.axis(ABS_MT_POSITION_X).is_some() || self.axis(ABS_MT_SLOT).is_some();
        has_many && matches!(code, ABS_X | ABS_Y | ABS_PRESSURE)
    }

    /// What a key is called; `None` for what is told elsewhere.
    fn key_name(&self, kind: DeviceKind, code: u16) -> Option<String> {
        if self.is_pen()
            && let Some(name) = names::pen_button(code)
        {
            return Some(name.to_owned());
        }
        if kind == DeviceKind::Glass && TOUCHES.contains(&code) {
            let is_contact =
                self.is_single_touch() && code == BTN_TOUCH && !self.repeats_contact(ABS_X);
            return is_contact.then(|| "contact-1".to_owned());
        }
        // Pads with analogue triggers report a button for each as well; it is named
        // apart from the trigger itself.
        let name = match code {
            BTN_TL2 if kind == DeviceKind::Pad && self.has_trigger("trigger-l") => {
                "trigger-l-button".to_owned()
            }
            BTN_TR2 if kind == DeviceKind::Pad && self.has_trigger("trigger-r") => {
                "trigger-r-button".to_owned()
            }
            _ => names::button(kind, code),
        };
        Some(name)
    }

    fn has_trigger(&self, name: &str) -> bool {
        self.axes.iter().any(|axis| self.pad_axis(axis.code).is_some_and(|(its, _)| its == name))
    }

    /// The axes of a pad: what it is called, and whether it rests at one end. The
    /// right stick is on RX and RY and the triggers on Z and RZ or, without RX and RY,
    /// the stick on Z and RZ; triggers may also be GAS and BRAKE, or the third hat
    /// (`Documentation/input/gamepad.rst`).
    fn pad_axis(&self, code: u16) -> Option<(&'static str, bool)> {
        let has_right = self.has_axes([ABS_RX, ABS_RY]);
        let is_on_z = !has_right && self.has_axes([ABS_Z, ABS_RZ]);
        Some(match code {
            ABS_X => ("stick-l-x", false),
            ABS_Y => ("stick-l-y", false),
            ABS_RX if has_right => ("stick-r-x", false),
            ABS_RY if has_right => ("stick-r-y", false),
            ABS_Z if is_on_z => ("stick-r-x", false),
            ABS_RZ if is_on_z => ("stick-r-y", false),
            ABS_Z => ("trigger-l", true),
            ABS_RZ => ("trigger-r", true),
            ABS_BRAKE if is_on_z || !self.has_axes([ABS_Z]) => ("trigger-l", true),
            ABS_GAS if is_on_z || !self.has_axes([ABS_RZ]) => ("trigger-r", true),
            ABS_HAT2Y => ("trigger-l", true),
            ABS_HAT2X => ("trigger-r", true),
            _ => return None,
        })
    }

    /// The place of a pointer, or of the only finger of a panel.
    fn add_place(&self, kind: DeviceKind, layout: &mut Layout) {
        let is_pointer = kind == DeviceKind::Mouse && !self.relative.contains(&0);
        let is_finger = kind == DeviceKind::Glass && !self.repeats_contact(ABS_X);
        if !self.has_place() || !(is_pointer || is_finger) {
            return;
        }
        let prefix = if is_finger { "contact-1-" } else { "" };
        let place = |(min, max)| ControlKind::Position { min, max };
        for (code, axis) in [(ABS_X, "x"), (ABS_Y, "y")] {
            let (kind, grain) = self.part(code, place);
            layout.plain(EV_ABS, code, format!("{prefix}{axis}"), kind);
            layout.grain_of_last(grain);
        }
        if is_finger && self.axis(ABS_PRESSURE).is_some() {
            let pressed = |(min, max)| ControlKind::Trigger { min, max };
            let (kind, grain) = self.part(ABS_PRESSURE, pressed);
            layout.plain(EV_ABS, ABS_PRESSURE, format!("{prefix}pressure"), kind);
            layout.grain_of_last(grain);
        }
        if is_pointer && !self.is_pen() {
            layout.in_range = Some(layout.add("in-range".to_owned(), ControlKind::Button));
        }
    }

    fn add_axis(&self, kind: DeviceKind, axis: &AbsAxis, layout: &mut Layout) {
        let Some((min, max)) = self.axis(axis.code) else { return };
        let centre = (i64::from(min) + i64::from(max) + 1).div_euclid(2) as i32;
        let stick = ControlKind::Axis { min, centre: centre.min(max), max };
        let trigger = ControlKind::Trigger { min, max };
        let is_hat = (ABS_HAT0X..=ABS_HAT3Y).contains(&axis.code);
        let named = self.pad_axis(axis.code).filter(|_| kind == DeviceKind::Pad);
        if let Some((name, is_one_sided)) = named {
            let control = if is_one_sided { trigger } else { stick };
            return layout.plain(EV_ABS, axis.code, name.to_owned(), control);
        }
        if is_hat && (min, max) == (-1, 1) {
            return layout.hat(kind, axis.code);
        }
        // The usage says more than the code: there are more sliders than throttles.
        let usage = self.usages.get(&axis.code).filter(|_| kind == DeviceKind::Other);
        // One that was found at an end, and has been reported, rests there; a throttle
        // stays where it was put.
        let was_reported = axis.value != 0 && min < max;
        let control = match axis.value {
            at if at == max && was_reported && axis.code != ABS_THROTTLE => {
                ControlKind::Trigger { min: max, max: min }
            }
            at if at == min && was_reported => trigger,
            _ if usage.map_or(names::is_one_sided(axis.code), |of| of.is_one_sided) => trigger,
            _ => stick,
        };
        let name = usage.map_or_else(|| names::axis(axis.code), |of| of.name.clone());
        layout.plain(EV_ABS, axis.code, name, control);
    }

    fn add_contacts(&self, layout: &mut Layout) {
        let slots = self.axis(ABS_MT_SLOT).map(|(_, last)| last);
        (layout.tells_contacts, layout.contact_count) = match slots {
            Some(last) => (Contacts::Slots, last.saturating_add(1).clamp(0, MAX_CONTACTS) as u16),
            None if self.axis(ABS_MT_POSITION_X).is_some() => {
                (Contacts::Listed, ANONYMOUS_CONTACTS)
            }
            None => return,
        };
        let place = |(min, max)| ControlKind::Position { min, max };
        let x = self.part(ABS_MT_POSITION_X, place);
        let y = self.part(ABS_MT_POSITION_Y, place);
        let pressed = |(min, max)| ControlKind::Trigger { min, max };
        let extras = EXTRAS.iter().filter(|(code, _)| self.axis(*code).is_some());
        layout.extras = extras.clone().map(|(code, _)| *code).collect();
        layout.contacts = layout.info.controls.len() as u16;
        for n in 1..=layout.contact_count {
            layout.add(format!("contact-{n}"), ControlKind::Button);
            layout.add_with(format!("contact-{n}-x"), x);
            layout.add_with(format!("contact-{n}-y"), y);
            for (code, name) in extras.clone() {
                layout.add_with(format!("contact-{n}-{name}"), self.part(*code, pressed));
            }
        }
    }

    /// The kind and grain of a part of a contact.
    fn part(&self, code: u16, kind: impl Fn((i32, i32)) -> ControlKind) -> (ControlKind, AxisInfo) {
        let axis = self.axes.iter().find(|axis| axis.code == code);
        let grain = axis.map_or(AxisInfo::default(), |axis| axis.grain);
        (kind(self.axis(code).unwrap_or((0, 0))), grain)
    }
}

impl Layout {
    /// How many controls each contact has.
    pub(super) fn stride(&self) -> u16 {
        3 + self.extras.len() as u16
    }

    fn add_with(&mut self, code: String, (kind, grain): (ControlKind, AxisInfo)) {
        self.add(code, kind);
        self.grain_of_last(grain);
    }

    fn grain_of_last(&mut self, grain: AxisInfo) {
        if let Some(last) = self.info.controls.last_mut() {
            last.grain = grain;
        }
    }

    fn add(&mut self, code: String, kind: ControlKind) -> u16 {
        self.info.controls.push(ControlInfo::new(&code, kind));
        self.info.controls.len() as u16 - 1
    }

    fn has(&self, name: &str) -> bool {
        self.info.controls.iter().any(|control| control.code == name)
    }

    fn plain(&mut self, event: u16, code: u16, name: String, kind: ControlKind) {
        // Two codes may mean the same thing; the second goes by its number.
        let name = if self.has(&name) { format!("code-{event}-{code}") } else { name };
        let control = self.add(name, kind);
        self.routes.insert((event, code), Route::Plain(control));
    }

    /// The buttons of a hat: the first one is the cross of a pad.
    fn hat(&mut self, kind: DeviceKind, code: u16) {
        let which = (code - ABS_HAT0X) / 2 + 1;
        let prefix = match (kind, which) {
            (DeviceKind::Pad, 1) => "dpad".to_owned(),
            (_, 1) => "hat".to_owned(),
            _ => format!("hat-{which}"),
        };
        let sides = if code.is_multiple_of(2) { ["left", "right"] } else { ["up", "down"] };
        let [negative, positive] = sides.map(|side| {
            let name = format!("{prefix}-{side}");
            // A pad may report its cross in both ways.
            let name = if self.has(&name) { format!("code-{EV_ABS}-{code}-{side}") } else { name };
            self.add(name, ControlKind::Button)
        });
        self.routes.insert((EV_ABS, code), Route::Hat(negative, positive));
    }
}
