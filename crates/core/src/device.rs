//! Devices, their controls, and the roster that numbers them.

use crate::CleanText;
use alloc::{string::String, vec::Vec};
use core::{fmt, ops::Range};

/// Player numbers run from 1 to this.
pub const SLOTS: u8 = 4;

/// A session numbers at most this many controls over all its devices.
pub const MAX_CONTROLS: usize = 60_000;

/// What sort of thing a device is. Pads, levers and others take a player
/// slot; keys, mouse and glass belong to whoever sits there.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum DeviceKind {
    /// A game pad in the standard layout.
    Pad,
    /// A lever with one long travel.
    Lever,
    /// A keyboard.
    Keys,
    /// A mouse or other pointer.
    Mouse,
    /// A touch panel.
    Glass,
    /// Anything else; its controls may have any name.
    Other,
}

impl DeviceKind {
    /// Every kind, in the order they are listed to people.
    pub const ALL: [DeviceKind; 6] = [
        DeviceKind::Pad,
        DeviceKind::Lever,
        DeviceKind::Keys,
        DeviceKind::Mouse,
        DeviceKind::Glass,
        DeviceKind::Other,
    ];

    /// The word for it in rigs, takes and on screen.
    pub const fn word(self) -> &'static str {
        match self {
            DeviceKind::Pad => "pad",
            DeviceKind::Lever => "lever",
            DeviceKind::Keys => "keys",
            DeviceKind::Mouse => "mouse",
            DeviceKind::Glass => "glass",
            DeviceKind::Other => "other",
        }
    }

    /// The kind a word stands for.
    pub fn from_word(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|kind| kind.word() == word)
    }

    /// Whether such a device takes one of the player slots.
    pub const fn takes_slot(self) -> bool {
        matches!(self, DeviceKind::Pad | DeviceKind::Lever | DeviceKind::Other)
    }
}

/// What a control reports, with its raw range in device units.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ControlKind {
    /// 0 is up, anything else is down.
    Button,
    /// Two-sided: `min` is -1, `centre` is 0, `max` is +1, each side on its
    /// own scale.
    Axis {
        /// Raw value at -1.
        min: i32,
        /// Raw value at rest.
        centre: i32,
        /// Raw value at +1.
        max: i32,
    },
    /// One-sided: `min` is 0 and rest, `max` is 1.
    Trigger {
        /// Raw value at rest.
        min: i32,
        /// Raw value when fully pulled.
        max: i32,
    },
    /// A place on a surface: `min` is 0, `max` is 1; it has no rest.
    Position {
        /// Raw value at the left or top.
        min: i32,
        /// Raw value at the right or bottom.
        max: i32,
    },
    /// Counts since the last report, summed over each tick.
    Relative,
}

impl ControlKind {
    /// The raw value of a control nobody touches.
    pub const fn rest(self) -> i32 {
        match self {
            ControlKind::Button | ControlKind::Relative => 0,
            ControlKind::Axis { centre, .. } => centre,
            ControlKind::Trigger { min, .. } | ControlKind::Position { min, .. } => min,
        }
    }

    /// Whether it has edges.
    pub const fn is_button(self) -> bool {
        matches!(self, ControlKind::Button)
    }

    /// The smallest and largest raw value, where there are such.
    pub const fn range(self) -> Option<(i32, i32)> {
        match self {
            ControlKind::Button => Some((0, 1)),
            ControlKind::Axis { min, max, .. }
            | ControlKind::Trigger { min, max }
            | ControlKind::Position { min, max } => Some((min, max)),
            ControlKind::Relative => None,
        }
    }
}

/// One control, as its device describes it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ControlInfo {
    /// Its standard name; see [`crate::vocabulary`].
    pub code: String,
    /// What it reports.
    pub kind: ControlKind,
}

impl ControlInfo {
    /// Whether `code` can name a control: 1 to 40 of `A-Z a-z 0-9 - . _`.
    pub fn is_code(code: &str) -> bool {
        (1..=40).contains(&code.len())
            && code.bytes().all(|b| b.is_ascii_alphanumeric() || b"-._".contains(&b))
    }
}

/// A device, as its source describes it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DeviceInfo {
    /// What the source knows it by; a device that comes back with the same
    /// identity and controls is the same device.
    pub identity: String,
    /// What sort of thing it is.
    pub kind: DeviceKind,
    /// The name it reports.
    pub name: CleanText,
    /// The slot it should have, if it is free; otherwise the first free one.
    pub slot: Option<u8>,
    /// Its controls, in a fixed order.
    pub controls: Vec<ControlInfo>,
}

/// The number of a device in its session.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct DeviceId(pub u16);

/// The number of a control in its session, over all devices.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct ControlId(pub u16);

impl ControlId {
    /// As an index into per-control tables.
    pub const fn index(self) -> usize {
        self.0 as usize
    }
}

/// Whether a device can be heard. It is itself a control, the first of every
/// device, so that arrivals and losses travel as events.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Presence {
    /// Not connected.
    Gone,
    /// Connected and heard.
    Here,
    /// Connected, but its input goes elsewhere: focus lost or not captured.
    Deaf,
}

impl Presence {
    /// The name of the presence control.
    pub const CODE: &'static str = "presence";

    /// As the value of an event.
    pub const fn value(self) -> i32 {
        match self {
            Presence::Gone => 0,
            Presence::Here => 1,
            Presence::Deaf => 2,
        }
    }

    /// From the value of an event; unknown values count as gone.
    pub const fn from_value(value: i32) -> Self {
        match value {
            1 => Presence::Here,
            2 => Presence::Deaf,
            _ => Presence::Gone,
        }
    }
}

/// A device on the roster.
#[derive(Clone, Debug)]
pub struct Device {
    /// What the source said.
    pub info: DeviceInfo,
    /// Player slot for kinds that take one, otherwise the how-manyth of its
    /// kind; 0 when all slots were taken.
    pub number: u8,
    first: u16,
    present: bool,
}

impl Device {
    /// The presence control.
    pub const fn presence(&self) -> ControlId {
        ControlId(self.first)
    }

    /// All its controls but presence.
    pub fn controls(&self) -> impl ExactSizeIterator<Item = ControlId> + use<> {
        self.range().skip(1).map(ControlId)
    }

    /// The control with this name.
    pub fn control(&self, code: &str) -> Option<ControlId> {
        let at = self.info.controls.iter().position(|c| c.code == code)?;
        Some(ControlId(self.first + 1 + at as u16))
    }

    /// Presence and all controls.
    pub fn range(&self) -> Range<u16> {
        self.first..self.first + 1 + self.info.controls.len() as u16
    }

    /// How files write it: `pad1`, `keys`, `keys2`.
    pub fn address(&self) -> impl fmt::Display + '_ {
        Named { device: self, dot: "" }
    }

    /// How the screen writes it: `pad·1`, `keys`, `keys·2`.
    pub fn label(&self) -> impl fmt::Display + '_ {
        Named { device: self, dot: "·" }
    }
}

struct Named<'a> {
    device: &'a Device,
    dot: &'static str,
}

impl fmt::Display for Named<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let kind = self.device.info.kind;
        match self.device.number {
            1 if !kind.takes_slot() => f.write_str(kind.word()),
            0 => write!(f, "{}{}0", kind.word(), self.dot),
            n => write!(f, "{}{}{n}", kind.word(), self.dot),
        }
    }
}

/// A control on the roster.
#[derive(Clone, Copy, Debug)]
pub struct Control {
    /// The device it is on.
    pub device: DeviceId,
    /// What it reports; a [`ControlKind::Button`] for presence.
    pub kind: ControlKind,
    /// Whether it is the device's presence.
    pub is_presence: bool,
}

/// Why a device could not be put on the roster.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RosterError {
    /// The session already has [`MAX_CONTROLS`] controls, or would have.
    TooManyControls,
}

impl fmt::Display for RosterError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            RosterError::TooManyControls => write!(
                f,
                "too many controls: a session holds at most {MAX_CONTROLS} over all its devices"
            ),
        }
    }
}

impl core::error::Error for RosterError {}

/// Every device the session has seen. It only grows: an id stays valid, and
/// stays with its device, for as long as the session lasts.
#[derive(Clone, Debug, Default)]
pub struct Roster {
    devices: Vec<Device>,
    controls: Vec<Control>,
}

impl Roster {
    /// Puts a device on the roster, or finds the absent one that it is, and
    /// gives it its slot.
    ///
    /// # Errors
    /// When there is no room for its controls; see [`MAX_CONTROLS`].
    pub fn admit(&mut self, info: DeviceInfo) -> Result<DeviceId, RosterError> {
        let known = self.devices.iter().position(|d| {
            !d.present && d.info.identity == info.identity && d.info.controls == info.controls
        });
        if let Some(at) = known {
            // It takes its number again unless another took it meanwhile.
            let number = self.devices[at].number;
            if !self.is_free(info.kind, number) {
                self.devices[at].number = self.free_number(info.kind, info.slot);
            }
            self.devices[at].present = true;
            return Ok(DeviceId(at as u16));
        }
        let first = self.controls.len();
        if first + 1 + info.controls.len() > MAX_CONTROLS {
            return Err(RosterError::TooManyControls);
        }
        let device = DeviceId(self.devices.len() as u16);
        self.controls.push(Control { device, kind: ControlKind::Button, is_presence: true });
        self.controls.extend(info.controls.iter().map(|c| Control {
            device,
            kind: c.kind,
            is_presence: false,
        }));
        let number = self.free_number(info.kind, info.slot);
        self.devices.push(Device { info, number, first: first as u16, present: true });
        Ok(device)
    }

    /// Frees the slot of a device that was unplugged.
    pub fn dismiss(&mut self, device: DeviceId) {
        self.devices[device.0 as usize].present = false;
    }

    fn free_number(&self, kind: DeviceKind, wanted: Option<u8>) -> u8 {
        let last = if kind.takes_slot() { SLOTS } else { u8::MAX };
        wanted
            .into_iter()
            .chain(1..=last)
            .find(|&n| (1..=last).contains(&n) && self.is_free(kind, n))
            .unwrap_or(0)
    }

    fn is_free(&self, kind: DeviceKind, number: u8) -> bool {
        number != 0
            && !self.devices.iter().any(|d| {
                let rival =
                    if kind.takes_slot() { d.info.kind.takes_slot() } else { d.info.kind == kind };
                d.present && rival && d.number == number
            })
    }

    /// All devices, in the order they came.
    pub fn devices(&self) -> impl ExactSizeIterator<Item = (DeviceId, &Device)> {
        self.devices.iter().enumerate().map(|(i, d)| (DeviceId(i as u16), d))
    }

    /// One device.
    pub fn device(&self, id: DeviceId) -> &Device {
        &self.devices[id.0 as usize]
    }

    /// All controls, presences included, in the order of their ids.
    pub fn controls(&self) -> &[Control] {
        &self.controls
    }

    /// One control.
    pub fn control(&self, id: ControlId) -> Control {
        self.controls[id.index()]
    }

    /// The device a control is on.
    pub fn device_of(&self, id: ControlId) -> &Device {
        self.device(self.control(id).device)
    }

    /// The standard name of a control.
    pub fn code(&self, id: ControlId) -> &str {
        let device = self.device_of(id);
        match (id.0 - device.first).checked_sub(1) {
            None => Presence::CODE,
            Some(at) => &device.info.controls[at as usize].code,
        }
    }

    /// How files write a control: `pad1/south`.
    pub fn address(&self, id: ControlId) -> impl fmt::Display + '_ {
        Joined { device: self.device_of(id), dot: "", between: "/", code: self.code(id) }
    }

    /// How the screen writes a control: `pad·1 south`.
    pub fn label(&self, id: ControlId) -> impl fmt::Display + '_ {
        Joined { device: self.device_of(id), dot: "·", between: " ", code: self.code(id) }
    }
}

struct Joined<'a> {
    device: &'a Device,
    dot: &'static str,
    between: &'static str,
    code: &'a str,
}

impl fmt::Display for Joined<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let device = Named { device: self.device, dot: self.dot };
        write!(f, "{device}{}{}", self.between, self.code)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::{string::ToString, vec};

    fn device(kind: DeviceKind, identity: &str, slot: Option<u8>) -> DeviceInfo {
        let south = ControlInfo { code: "south".into(), kind: ControlKind::Button };
        DeviceInfo {
            identity: identity.into(),
            kind,
            name: CleanText::new(identity),
            slot,
            controls: vec![south],
        }
    }

    fn labels(roster: &Roster) -> Vec<String> {
        roster.devices().map(|(_, d)| d.label().to_string()).collect()
    }

    #[test]
    fn slots_go_to_the_first_free_number_and_keys_take_none() {
        let mut roster = Roster::default();
        for (kind, id) in [
            (DeviceKind::Pad, "a"),
            (DeviceKind::Keys, "k"),
            (DeviceKind::Lever, "b"),
            (DeviceKind::Keys, "k2"),
        ] {
            roster.admit(device(kind, id, None)).unwrap();
        }
        assert_eq!(labels(&roster), ["pad·1", "keys", "lever·2", "keys·2"]);
    }

    #[test]
    fn a_wanted_slot_is_given_when_free() {
        let mut roster = Roster::default();
        roster.admit(device(DeviceKind::Pad, "a", Some(3))).unwrap();
        roster.admit(device(DeviceKind::Pad, "b", Some(3))).unwrap();
        roster.admit(device(DeviceKind::Pad, "c", Some(9))).unwrap();
        assert_eq!(labels(&roster), ["pad·3", "pad·1", "pad·2"]);
    }

    #[test]
    fn a_fifth_pad_has_no_slot() {
        let mut roster = Roster::default();
        for id in ["a", "b", "c", "d", "e"] {
            roster.admit(device(DeviceKind::Pad, id, None)).unwrap();
        }
        assert_eq!(labels(&roster).last().unwrap(), "pad·0");
    }

    #[test]
    fn a_device_that_comes_back_is_the_same_device() {
        let mut roster = Roster::default();
        let a = roster.admit(device(DeviceKind::Pad, "a", None)).unwrap();
        roster.admit(device(DeviceKind::Pad, "b", None)).unwrap();
        roster.dismiss(a);
        assert_eq!(roster.admit(device(DeviceKind::Pad, "a", None)), Ok(a));
        assert_eq!(labels(&roster), ["pad·1", "pad·2"]);
    }

    #[test]
    fn two_devices_with_one_identity_are_two_devices() {
        let mut roster = Roster::default();
        let a = roster.admit(device(DeviceKind::Pad, "same", None)).unwrap();
        let b = roster.admit(device(DeviceKind::Pad, "same", None)).unwrap();
        assert_ne!(a, b);
    }

    #[test]
    fn controls_have_addresses() {
        let mut roster = Roster::default();
        let pad = roster.admit(device(DeviceKind::Pad, "a", None)).unwrap();
        let south = roster.device(pad).control("south").unwrap();
        assert_eq!(roster.address(south).to_string(), "pad1/south");
        assert_eq!(roster.label(south).to_string(), "pad·1 south");
        assert_eq!(roster.code(roster.device(pad).presence()), "presence");
    }

    #[test]
    fn a_session_has_room_for_so_many_controls() {
        let mut roster = Roster::default();
        let mut big = device(DeviceKind::Other, "big", None);
        big.controls = vec![big.controls[0].clone(); MAX_CONTROLS];
        assert_eq!(roster.admit(big), Err(RosterError::TooManyControls));
    }
}
