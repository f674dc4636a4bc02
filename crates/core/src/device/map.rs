//! Maps: what the controls of a device are to be called, and what each of them is
//! made of.
//!
//! A device that says little of itself, or says it wrongly, is put right by a map: a
//! person named its controls, set where they rest and end, split an axis that is two
//! triggers, or joined two pedals to one axis. A [`DeviceMap`] is what was written; a
//! [`MappedDevice`] is one device seen through it, and turns what it reports into
//! what is reported of it here. Values stay in the units of the device.
//!
//! ```text
//!  what the device says          map                  what is reported here
//!  axis-2   0 ── 128 ── 255      split it             trigger-l   128 ── 0
//!                                                     trigger-r   128 ── 255
//!  pedal-a, pedal-b              join them            rudder      -255 ── 0 ── 255
//!  hat-0    0 ── 8               at some values       dpad-up     down at 7, 0, 1
//!  code-99                       leave it out
//!  south                         (not named)          south
//! ```
//!
//! A map never fails as a whole. What it asks of a control that the device does not have is a
//! [`MapFault`], and the rest of it counts.

mod mapped;

pub use mapped::*;

use super::info::MAX_CODE;
use super::{ControlInfo, ControlKind, DeviceInfo, DeviceKind};
use crate::base::CleanText;
use alloc::{format, string::String, vec, vec::Vec};
use core::fmt;

/// Which devices a map is for, by the numbers that their makers gave them.
///
/// ```
/// use gtrig_core::{CleanText, DeviceInfo, DeviceKind, DeviceMatch};
///
/// let info = DeviceInfo {
///     identity: "0003:6b71:0001:0100:usb-1/input0".into(),
///     kind: DeviceKind::Pad,
///     name: CleanText::new("quay pad"),
///     bus: CleanText::new("usb"),
///     slot: None,
///     controls: vec![],
/// };
/// let any = DeviceMatch { vendor: 0x6b71, product: 1, version: None, name: None, is_raw: false };
/// let this = DeviceMatch { version: Some(0x100), ..any.clone() };
/// let next = DeviceMatch { version: Some(0x101), ..any.clone() };
/// assert!(this.fits(&info) > any.fits(&info), "the more it asks, the better it fits");
/// assert_eq!(next.fits(&info), None);
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DeviceMatch {
    /// Who made it.
    pub vendor: u16,
    /// What it is.
    pub product: u16,
    /// Which version of it; any where absent.
    pub version: Option<u16>,
    /// The name it reports, where the numbers are those of many.
    pub name: Option<String>,
    /// Whether its reports are read as it sends them, without a driver between: its
    /// controls have other names then.
    pub is_raw: bool,
}

/// What the identity of a device begins with whose reports are read as it sends them.
pub const RAW: &str = "hid/";

/// The numbers of a device: those of USB, which other buses use too.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct HardwareIds {
    /// Who made it.
    pub vendor: u16,
    /// What it is.
    pub product: u16,
    /// Which version of it.
    pub version: u16,
}

impl HardwareIds {
    /// Those in the identity of a device, which begins with bus, vendor, product and
    /// version, each in four hexadecimal digits, as the sources of real devices write
    /// it: `0003:6b71:0001:0100:…`, perhaps behind [`RAW`]. `None` for any other identity.
    ///
    /// ```
    /// use gtrig_core::HardwareIds;
    ///
    /// let ids = HardwareIds::of("0003:6b71:0001:0100:usb-1").unwrap();
    /// assert_eq!((ids.vendor, ids.product, ids.version), (0x6b71, 1, 0x100));
    /// assert_eq!(HardwareIds::of("trainer-pad-1"), None);
    /// ```
    pub fn of(identity: &str) -> Option<Self> {
        let mut parts = identity.strip_prefix(RAW).unwrap_or(identity).split(':').map(|part| {
            let is_hex = part.len() == 4 && part.bytes().all(|b| b.is_ascii_hexdigit());
            is_hex.then(|| u16::from_str_radix(part, 16).ok()).flatten()
        });
        let mut next = || parts.next().flatten();
        next()?;
        Some(HardwareIds { vendor: next()?, product: next()?, version: next()? })
    }
}

impl DeviceMatch {
    /// How well it is for a device: the more it asks, the higher; `None` if it is for
    /// others.
    ///
    /// 0 for vendor and product alone, 1 with the version, 2 with the name, 3 with both.
    pub fn fits(&self, info: &DeviceInfo) -> Option<u8> {
        let ids = HardwareIds::of(&info.identity)?;
        let is_version = self.version.is_none_or(|version| version == ids.version);
        let is_name = self.name.as_ref().is_none_or(|name| *name == info.name.as_str());
        let is_product = (self.vendor, self.product) == (ids.vendor, ids.product);
        let is_same_way = self.is_raw == info.identity.starts_with(RAW);
        let is_it = is_product && is_same_way && is_version && is_name;
        is_it.then(|| u8::from(self.version.is_some()) + 2 * u8::from(self.name.is_some()))
    }
}

/// A map, as it was written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DeviceMap {
    /// Which devices it is for.
    pub device: DeviceMatch,
    /// What the device is called here; as it says itself where absent.
    pub name: Option<CleanText>,
    /// What sort of thing it is; as it was taken for where absent.
    pub kind: Option<DeviceKind>,
    /// Its named controls; no two have the same name.
    pub controls: Vec<MappedControl>,
    /// Those that are not reported at all: noise, counters, doubles.
    pub left_out: Vec<String>,
}

/// A control that a person named.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MappedControl {
    /// What it is called; see [`ControlInfo::is_code`].
    pub code: String,
    /// What it is made of.
    pub from: MappedFrom,
}

/// What a named control is made of. Controls of the device go by the names that they
/// have without a map.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum MappedFrom {
    /// One control, perhaps of another kind or range than the device says. Several may
    /// be made of the same one: that splits it. A value beyond the range is held at
    /// its ends.
    Control {
        /// Which one.
        code: String,
        /// As what; as the device says where absent.
        kind: Option<ControlKind>,
    },
    /// A button that is down at some of the values of a control: a side of a hat, an
    /// axis that is only ever at its ends.
    Level {
        /// Which one.
        code: String,
        /// At which values.
        down: Levels,
    },
    /// One axis of two one-sided controls: -1 with the first fully on, +1 with the
    /// second.
    Joined {
        /// The one that takes it to -1.
        negative: String,
        /// The one that takes it to +1.
        positive: String,
    },
}

/// Values at which a button is down.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Levels {
    /// This one and all above.
    AtLeast(i32),
    /// This one and all below.
    AtMost(i32),
    /// These alone.
    Among(Vec<i32>),
}

impl Levels {
    /// Whether the button is down at a value.
    fn has(&self, value: i32) -> bool {
        match self {
            Levels::AtLeast(least) => value >= *least,
            Levels::AtMost(most) => value <= *most,
            Levels::Among(values) => values.contains(&value),
        }
    }
}

impl MappedFrom {
    /// The controls of the device that it is made of.
    pub fn parts(&self) -> impl Iterator<Item = &str> {
        let (first, second) = match self {
            MappedFrom::Control { code, .. } | MappedFrom::Level { code, .. } => (code, None),
            MappedFrom::Joined { negative, positive } => (negative, Some(positive)),
        };
        core::iter::once(first.as_str()).chain(second.map(String::as_str))
    }
}

/// What is wrong between a map and a device: it goes on without that control.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum MapFault {
    /// The device has no control of this name.
    NoControl(String),
    /// A control that is to be joined is a button or a place.
    NotAnalogue(String),
}

impl fmt::Display for MapFault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            MapFault::NoControl(code) => write!(f, "the device has no control `{code}`"),
            MapFault::NotAnalogue(code) => {
                write!(f, "`{code}` cannot be joined: only axes and triggers can")
            }
        }
    }
}

impl core::error::Error for MapFault {}

#[cfg(test)]
mod tests;
