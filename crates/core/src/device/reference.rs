//! How a rig names a control: `pad1/south`, `pad/stick-l`, `keys/KeyH`.

use crate::base::{ControlId, Keyword};
use crate::device::{Device, DeviceKind, Roster, SLOTS, vocabulary};
use alloc::string::{String, ToString};
use core::{fmt, str::FromStr};

/// A reference to a control (or a stick) on one device or on any of a kind.
///
/// ```
/// use gtrig_core::{ControlRef, DeviceKind};
///
/// let any: ControlRef = "pad/south".parse().unwrap();
/// let second: ControlRef = "pad2/south".parse().unwrap();
/// assert_eq!((any.kind, any.number, second.number), (DeviceKind::Pad, None, Some(2)));
/// assert!("pad9/south".parse::<ControlRef>().is_err(), "there are four slots");
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ControlRef {
    /// The kind of device.
    pub kind: DeviceKind,
    /// Its number, or any.
    pub number: Option<u8>,
    /// The name of the control, or of the stick.
    pub code: String,
}

impl ControlRef {
    /// Whether it means this device.
    pub fn means(&self, device: &Device) -> bool {
        device.info.kind == self.kind && self.number.is_none_or(|n| n == device.number)
    }

    /// The controls it means now, in the order of the roster.
    ///
    /// One for each device that has such a control; devices that were unplugged are among
    /// them, since they keep their ids and may come back.
    pub fn resolve<'r>(&'r self, roster: &'r Roster) -> impl Iterator<Item = ControlId> + 'r {
        roster
            .devices()
            .filter(|(_, device)| self.means(device))
            .filter_map(|(_, device)| device.control(&self.code))
    }

    /// Whether it names a stick, a pair of axes, by the standard vocabulary.
    pub fn is_stick(&self) -> bool {
        vocabulary::sticks(self.kind).contains(&self.code.as_str())
    }

    /// Whether it may name a single control; see [`vocabulary::is_name`].
    pub fn is_control(&self) -> bool {
        vocabulary::is_name(self.kind, &self.code)
    }
}

impl fmt::Display for ControlRef {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.kind.word())?;
        if let Some(n) = self.number {
            write!(f, "{n}")?;
        }
        write!(f, "/{}", self.code)
    }
}

/// Why a text is no reference to a control.
///
/// It is data: what is told to a person about it is written above the core.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum AddressError {
    /// There is no `/`.
    NoSlash,
    /// The part before the `/` names no kind of device.
    UnknownKind(String),
    /// The number is not one a device can have.
    BadNumber(String),
}

impl FromStr for ControlRef {
    type Err = AddressError;

    fn from_str(text: &str) -> Result<Self, AddressError> {
        let (device, code) = text.split_once('/').ok_or(AddressError::NoSlash)?;
        let digits = device.trim_start_matches(|c: char| !c.is_ascii_digit());
        let word = &device[..device.len() - digits.len()];
        let kind = DeviceKind::from_word(word)
            .ok_or_else(|| AddressError::UnknownKind(word.to_string()))?;
        let number = match digits {
            "" => None,
            _ => Some(
                digits
                    .parse()
                    .ok()
                    .filter(|n| (1..=SLOTS).contains(n))
                    .ok_or_else(|| AddressError::BadNumber(digits.to_string()))?,
            ),
        };
        Ok(ControlRef { kind, number, code: code.to_string() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::device::DeviceKind;
    use rstest::rstest;

    #[rstest]
    #[case("pad1/south", DeviceKind::Pad, Some(1), "south")]
    #[case("keys/KeyH", DeviceKind::Keys, None, "KeyH")]
    #[case("lever4/travel", DeviceKind::Lever, Some(4), "travel")]
    fn reads_references(
        #[case] text: &str,
        #[case] kind: DeviceKind,
        #[case] number: Option<u8>,
        #[case] code: &str,
    ) {
        let read: ControlRef = text.parse().unwrap();
        assert_eq!(read, ControlRef { kind, number, code: code.into() });
        assert_eq!(read.to_string(), text);
    }

    #[rstest]
    #[case("pad/south", true)]
    #[case("pad/sowth", false)]
    #[case("pad/extra-3", true)]
    #[case("pad/extra-", false)]
    #[case("pad/trigger-l-button", true)]
    #[case("mouse/pressure", true)]
    #[case("glass/contact-7-x", true)]
    #[case("glass/left", true)]
    #[case("keys/left", false)]
    #[case("other/anything", true)]
    fn some_controls_have_names_of_their_own(#[case] text: &str, #[case] is_control: bool) {
        assert_eq!(text.parse::<ControlRef>().unwrap().is_control(), is_control);
    }

    #[rstest]
    #[case("south", AddressError::NoSlash)]
    #[case("padd/south", AddressError::UnknownKind("padd".into()))]
    #[case("pad0/south", AddressError::BadNumber("0".into()))]
    #[case("pad9/south", AddressError::BadNumber("9".into()))]
    #[case("pad1x/south", AddressError::BadNumber("1x".into()))]
    #[case("/south", AddressError::UnknownKind("".into()))]
    fn refuses_the_rest(#[case] text: &str, #[case] error: AddressError) {
        assert_eq!(text.parse::<ControlRef>(), Err(error));
    }
}
