//! Addresses: which control of which device a number is that came under an address.
//!
//! Some protocols, Open Sound Control among them, know no devices: a message has an
//! address such as `/crane/slew` and a few arguments. An [`AddressMap`] says which of them
//! are controls, and of which devices. What a control reports is in millionths of its way
//! ([`ADDRESSED_UNITS`]), whatever numbers the messages have.

use super::{ControlInfo, ControlKind, DeviceInfo, DeviceKind};
use crate::base::CleanText;
use alloc::{string::String, vec::Vec};

/// A control with an address that is fully to one side reports this.
pub const ADDRESSED_UNITS: i32 = 1_000_000;

/// What came under addresses, as devices. No two devices have the same `id`.
///
/// A rig states it under `osc`, and a file of its own may add to it. It says nothing of ports or
/// of the bytes of a message: whoever receives messages looks up who is told by each
/// ([`AddressMap::at`]) and what the number comes to ([`AddressedAs::raw`]).
///
/// ```
/// use gtrig_core::{AddressMap, AddressedAs, AddressedControl, AddressedDevice, DeviceKind};
///
/// let slew = AddressedControl {
///     code: "slew".into(),
///     address: "/crane/slew".into(),
///     argument: 0,
///     read_as: AddressedAs::AXIS,
/// };
/// let desk = AddressedDevice {
///     id: "desk".into(),
///     name: Default::default(),
///     kind: DeviceKind::Other,
///     controls: vec![slew],
/// };
/// let map = AddressMap { devices: vec![desk] };
/// let (device, control, of) = map.at(|address| address == "/crane/slew").next().unwrap();
/// assert_eq!((device, control, of.read_as.raw(-0.25)), (0, 0, Some(-250_000)));
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, Default, PartialEq)]
pub struct AddressMap {
    /// The devices.
    pub devices: Vec<AddressedDevice>,
}

/// A device that is made of addresses. No two of its controls have the same code.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub struct AddressedDevice {
    /// What it is known by; see [`ControlInfo::is_code`].
    pub id: String,
    /// What it is called; empty for its `id`.
    pub name: CleanText,
    /// What sort of thing it is.
    pub kind: DeviceKind,
    /// Its controls.
    pub controls: Vec<AddressedControl>,
}

/// A control that an argument of some messages tells of.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub struct AddressedControl {
    /// Its name; see [`ControlInfo::is_code`].
    pub code: String,
    /// The address of the messages, such as `/crane/slew`; without wildcards.
    pub address: String,
    /// Which argument of them; 0 is the first.
    pub argument: u8,
    /// As what it is read.
    pub read_as: AddressedAs,
}

/// As what the number under an address is read.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum AddressedAs {
    /// Two-sided, each side on its own scale. `rest` lies between the other two; `min` may be
    /// the larger one.
    Axis {
        /// The number at -1.
        min: f64,
        /// The number at 0.
        rest: f64,
        /// The number at +1.
        max: f64,
    },
    /// One-sided. The two differ.
    Trigger {
        /// The number at 0.
        rest: f64,
        /// The number at 1.
        end: f64,
    },
    /// On or off.
    Button(DownAt),
    /// Each message is a press and a release at once, whatever it brings.
    Pulse,
}

/// At which numbers a button is down.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum DownAt {
    /// This one and all above.
    Least(f64),
    /// This one and all below.
    Most(f64),
}

impl AddressedAs {
    /// What is taken where nothing else is said: an axis from -1 over 0 to 1.
    pub const AXIS: AddressedAs = AddressedAs::Axis { min: -1.0, rest: 0.0, max: 1.0 };
    /// The same: a trigger from 0 to 1.
    pub const TRIGGER: AddressedAs = AddressedAs::Trigger { rest: 0.0, end: 1.0 };
    /// The same: a button that is down from one half on.
    pub const BUTTON: AddressedAs = AddressedAs::Button(DownAt::Least(0.5));

    /// What the control reports.
    pub const fn kind(self) -> ControlKind {
        match self {
            AddressedAs::Axis { .. } => {
                ControlKind::Axis { min: -ADDRESSED_UNITS, centre: 0, max: ADDRESSED_UNITS }
            }
            AddressedAs::Trigger { .. } => ControlKind::Trigger { min: 0, max: ADDRESSED_UNITS },
            AddressedAs::Button(_) | AddressedAs::Pulse => ControlKind::Button,
        }
    }

    /// The raw value for a number, to the nearest millionth and away from 0 where two are as
    /// near; a number beyond an end is held there. A pulse is down. `None` of what is no
    /// finite number.
    ///
    /// ```
    /// use gtrig_core::AddressedAs;
    /// let midi = AddressedAs::Axis { min: 0.0, rest: 64.0, max: 127.0 };
    /// assert_eq!(midi.raw(0.0), Some(-1_000_000));
    /// assert_eq!(midi.raw(127.5), Some(1_000_000));
    /// assert_eq!(midi.raw(f64::NAN), None);
    /// ```
    pub fn raw(self, number: f64) -> Option<i32> {
        if !number.is_finite() {
            return None;
        }
        Some(match self {
            AddressedAs::Axis { min, rest, max } => {
                let is_above = (number - rest) * (max - rest) > 0.0;
                let end = if is_above { max } else { min };
                if is_above { way(number, rest, end) } else { -way(number, rest, end) }
            }
            AddressedAs::Trigger { rest, end } => way(number, rest, end),
            AddressedAs::Button(DownAt::Least(least)) => i32::from(number >= least),
            AddressedAs::Button(DownAt::Most(most)) => i32::from(number <= most),
            AddressedAs::Pulse => 1,
        })
    }
}

/// How far a number is on the way from rest to an end, 0 to [`ADDRESSED_UNITS`]. Where there
/// is no way there is nothing on it.
///
/// `round(1 000 000 * (number - rest) / (end - rest))`, halves away from 0; `end` may be below
/// `rest`.
fn way(number: f64, rest: f64, end: f64) -> i32 {
    if end == rest {
        return 0;
    }
    let share = (number - rest) / (end - rest);
    let units = libm::round(share * f64::from(ADDRESSED_UNITS));
    units.clamp(0.0, f64::from(ADDRESSED_UNITS)) as i32
}

impl AddressedDevice {
    /// As its source describes it; `identity` is by what it knows it.
    pub fn info(&self, identity: String, bus: &str) -> DeviceInfo {
        let controls = self.controls.iter();
        let name = if self.name.as_str().is_empty() {
            CleanText::new(&self.id)
        } else {
            self.name.clone()
        };
        DeviceInfo {
            identity,
            kind: self.kind,
            name,
            bus: CleanText::new(bus),
            slot: None,
            controls: controls.map(|of| ControlInfo::new(&of.code, of.read_as.kind())).collect(),
        }
    }
}

impl AddressMap {
    /// Both maps. Of a device that both have the controls of the other one are added; where
    /// both name a control, this one's is taken.
    ///
    /// The order of devices and controls is that of this map, and what is added comes behind.
    pub fn with(mut self, other: &AddressMap) -> AddressMap {
        for device in &other.devices {
            match self.devices.iter_mut().find(|known| known.id == device.id) {
                None => self.devices.push(device.clone()),
                Some(known) => {
                    for control in &device.controls {
                        if known.controls.iter().all(|of| of.code != control.code) {
                            known.controls.push(control.clone());
                        }
                    }
                }
            }
        }
        self
    }

    /// The controls that messages with this address tell of, with the places of their
    /// devices and their own.
    pub fn at<'m>(
        &'m self,
        is_it: impl Fn(&str) -> bool + 'm,
    ) -> impl Iterator<Item = (usize, usize, &'m AddressedControl)> {
        let devices = self.devices.iter().enumerate();
        let all = devices.flat_map(|(device, of)| {
            of.controls.iter().enumerate().map(move |(at, control)| (device, at, control))
        });
        all.filter(move |(.., control)| is_it(&control.address))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use alloc::vec;
    use rstest::rstest;

    const MIDI: AddressedAs = AddressedAs::Axis { min: 0.0, rest: 64.0, max: 127.0 };
    const TURNED: AddressedAs = AddressedAs::Axis { min: 10.0, rest: 2.0, max: -30.0 };
    const ONE_SIDED: AddressedAs = AddressedAs::Axis { min: 0.0, rest: 0.0, max: 4.0 };
    const AT_ITS_END: AddressedAs = AddressedAs::Axis { min: 10.0, rest: 10.0, max: -30.0 };
    const DOWN: AddressedAs = AddressedAs::Trigger { rest: 255.0, end: 55.0 };

    #[rstest]
    #[case::left_end(MIDI, 0.0, -1_000_000)]
    #[case::left_side_has_its_own_scale(MIDI, 32.0, -500_000)]
    #[case::rest(MIDI, 64.0, 0)]
    #[case::right_side(MIDI, 95.5, 500_000)]
    #[case::beyond(MIDI, 1e300, 1_000_000)]
    #[case::turned(TURNED, -14.0, 500_000)]
    #[case::turned_below(TURNED, 6.0, -500_000)]
    #[case::no_way_to_that_side(ONE_SIDED, -1.0, 0)]
    #[case::no_way_beyond_a_turned_end(AT_ITS_END, 12.0, 0)]
    #[case::no_way_at_rest(ONE_SIDED, 0.0, 0)]
    #[case::one_sided(ONE_SIDED, 1.0, 250_000)]
    #[case::trigger(AddressedAs::TRIGGER, 0.25, 250_000)]
    #[case::trigger_below(AddressedAs::TRIGGER, -0.25, 0)]
    #[case::trigger_downwards(DOWN, 155.0, 500_000)]
    #[case::half_a_millionth(AddressedAs::TRIGGER, 0.000_000_5, 1)]
    #[case::down(AddressedAs::BUTTON, 0.5, 1)]
    #[case::up(AddressedAs::BUTTON, 0.499, 0)]
    #[case::down_below(AddressedAs::Button(DownAt::Most(-1.0)), -1.0, 1)]
    #[case::up_above(AddressedAs::Button(DownAt::Most(-1.0)), -0.9, 0)]
    #[case::pulse(AddressedAs::Pulse, 0.0, 1)]
    fn a_number_becomes_a_way(#[case] read_as: AddressedAs, #[case] number: f64, #[case] raw: i32) {
        assert_eq!(read_as.raw(number), Some(raw));
        assert_eq!(read_as.raw(f64::INFINITY), None);
        let (least, most) = read_as.kind().range().unwrap();
        assert!((least..=most).contains(&raw));
    }

    fn device(id: &str, codes: &[(&str, &str)]) -> AddressedDevice {
        let control = |&(code, address): &(&str, &str)| AddressedControl {
            code: code.into(),
            address: address.into(),
            argument: 0,
            read_as: AddressedAs::BUTTON,
        };
        AddressedDevice {
            id: id.into(),
            name: CleanText::default(),
            kind: DeviceKind::Other,
            controls: codes.iter().map(control).collect(),
        }
    }

    #[test]
    fn of_two_maps_the_first_goes_before() {
        let rig = AddressMap { devices: vec![device("desk", &[("horn", "/horn")])] };
        let of_desk = device("desk", &[("horn", "/other"), ("lamp", "/lamp")]);
        let kept = AddressMap { devices: vec![of_desk, device("tablet", &[("a", "/horn")])] };
        let both = rig.with(&kept);
        let horn: Vec<_> =
            both.at(|of| of == "/horn").map(|(d, c, of)| (d, c, &*of.code)).collect();
        assert_eq!(horn, [(0, 0, "horn"), (1, 0, "a")]);
        assert_eq!(both.at(|of| of == "/lamp").count(), 1);
        assert_eq!(both.at(|of| of == "/other").count(), 0);
        assert_eq!(both.devices[0].info("x".into(), "osc").name.as_str(), "desk");
    }
}
