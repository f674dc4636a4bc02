//! Devices and their controls, as sources describe them.

use crate::base::CleanText;
use alloc::{string::String, vec::Vec};
use strum::{IntoStaticStr, VariantArray};

/// Player numbers run from 1 to this.
pub const SLOTS: u8 = 4;

/// What sort of thing a device is. Pads, levers and others take a player
/// slot; keys, mouse and glass have no player.
///
/// The kind decides which names its controls may have ([`crate::vocabulary`]), how a rig refers
/// to it (`pad1/south`, `keys/KeyH`), and whether it takes a player slot. A source that cannot
/// tell what it has before it calls it [`DeviceKind::Other`]; a map can say better
/// ([`DeviceMap`](crate::DeviceMap)).
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
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
    /// What belongs to the machine and nobody plays with: power and sleep buttons,
    /// hotkeys, volume keys, a lid; its controls may have any name.
    System,
    /// Anything else; its controls may have any name.
    Other,
}

impl DeviceKind {
    /// Whether such a device takes one of the player slots. What code injects, or
    /// what nobody knows, does not compete with pads for them.
    pub const fn takes_slot(self) -> bool {
        matches!(self, DeviceKind::Pad | DeviceKind::Lever)
    }
}

/// What a control reports, with its raw range in device units.
///
/// A raw value is brought to its own scale by [`normalise`](crate::normalise):
///
/// | kind | scale | at rest | has edges |
/// |---|---|---|---|
/// | button | 0 or 1 | 0 | yes |
/// | axis | -1 to +1, each side by itself | 0 | by thresholds |
/// | trigger | 0 to 1 | 0 | by thresholds |
/// | position | 0 to 1 | none | by thresholds |
/// | relative | counts, without an end | 0 | by thresholds |
///
/// ```
/// use gtrig_core::{ControlKind, normalise};
///
/// // A worn stick that rests at 130 and not in the middle of its range.
/// let axis = ControlKind::Axis { min: 0, centre: 130, max: 255 };
/// assert_eq!(normalise(axis, 0), -1.0);
/// assert_eq!(normalise(axis, 130), 0.0);
/// assert_eq!(normalise(axis, 65), -0.5);
/// // A pedal that reports 255 at rest and 0 when it is pressed down.
/// let pedal = ControlKind::Trigger { min: 255, max: 0 };
/// assert_eq!((normalise(pedal, 255), normalise(pedal, 0)), (0.0, 1.0));
/// ```
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ControlKind {
    /// 0 is up, anything else is down.
    Button,
    /// Two-sided: `min` is -1, `centre` is 0, `max` is +1, each side on its
    /// own scale. `centre` lies between the other two; `min` may be the larger
    /// one, of a control that is built in the other way round.
    Axis {
        /// Raw value at -1.
        min: i32,
        /// Raw value at rest.
        centre: i32,
        /// Raw value at +1.
        max: i32,
    },
    /// One-sided: `min` is 0 and rest, `max` is 1. `min` may be the larger one: such
    /// a control rests at its upper end.
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

    /// The smallest and largest raw value, in this order, where there are such.
    pub const fn range(self) -> Option<(i32, i32)> {
        match self.ends() {
            Some((min, max)) if min > max => Some((max, min)),
            ends => ends,
        }
    }

    /// The raw values at its lowest and at its highest value; the first may be the
    /// larger one.
    ///
    /// ```
    /// use gtrig_core::ControlKind;
    ///
    /// let pedal = ControlKind::Trigger { min: 255, max: 0 };
    /// assert_eq!(pedal.ends(), Some((255, 0)));
    /// assert_eq!((pedal.range(), pedal.rest()), (Some((0, 255)), 255));
    /// assert_eq!(ControlKind::Relative.ends(), None);
    /// ```
    pub const fn ends(self) -> Option<(i32, i32)> {
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
    /// What its driver says of it.
    pub grain: AxisInfo,
    /// Which bits of which report it is, where its source reads reports itself.
    pub bits: Option<ReportBits>,
}

/// Some bits of a report that a device sends.
///
/// The workbench shows them beside the bytes of a report, so that it can be seen which bits moved.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct ReportBits {
    /// The number of the report; 0 of a device whose reports have none.
    pub report: u8,
    /// The first of them, counted from the first bit of the report, its number
    /// included; the lowest bit of a byte comes first.
    pub first: u32,
    /// So many of them, 1 to 32.
    pub width: u8,
}

/// What the driver of an analogue control says of it, in device units; 0 where
/// it says nothing. It is shown, and shapes nothing.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct AxisInfo {
    /// Units per millimetre, or per radian of a turning control.
    pub resolution: i32,
    /// Values this close to the centre mean rest.
    pub flat: i32,
    /// Changes this small are filtered as noise.
    pub fuzz: i32,
}

/// The name of a control is no longer than this.
pub(crate) const MAX_CODE: usize = 40;

impl ControlInfo {
    /// A control of which nothing else is said.
    pub fn new(code: &str, kind: ControlKind) -> Self {
        ControlInfo { code: code.into(), kind, grain: AxisInfo::default(), bits: None }
    }

    /// Whether `code` can name a control: 1 to 40 of `A-Z a-z 0-9 - . _`.
    ///
    /// ```
    /// use gtrig_core::ControlInfo;
    ///
    /// assert!(ControlInfo::is_code("stick-l-x"));
    /// assert!(!ControlInfo::is_code("stick l") && !ControlInfo::is_code(""));
    /// ```
    pub fn is_code(code: &str) -> bool {
        (1..=MAX_CODE).contains(&code.len())
            && code.bytes().all(|b| b.is_ascii_alphanumeric() || b"-._".contains(&b))
    }
}

/// A device, as its source describes it.
///
/// Two devices of the same make usually differ in nothing but `identity`, where their source knows
/// by which port each of them is plugged in. Where it does not, they are told apart while both are
/// there, and the one that comes back first takes the place of the one that left last.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DeviceInfo {
    /// What the source knows it by; a device that comes back with the same
    /// identity and controls is the same device.
    pub identity: String,
    /// What sort of thing it is.
    pub kind: DeviceKind,
    /// The name it reports.
    pub name: CleanText,
    /// What it is connected by, such as `usb`; empty where that is not known.
    pub bus: CleanText,
    /// The slot it should have, if it is free; otherwise the rules say.
    pub slot: Option<u8>,
    /// Its controls, in a fixed order.
    pub controls: Vec<ControlInfo>,
}

/// Whether a device can be heard. It is itself a control, the first of every
/// device, so that arrivals and losses travel as events.
///
/// The three are what the source knows. A device that is deaf keeps its slot and its ids; all of
/// its buttons are released and its axes at rest until it is heard again, because nobody knows
/// what a hand does meanwhile.
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
    ///
    /// ```
    /// use gtrig_core::Presence;
    ///
    /// assert_eq!(Presence::from_value(Presence::Deaf.value()), Presence::Deaf);
    /// assert_eq!(Presence::from_value(7), Presence::Gone);
    /// ```
    pub const fn from_value(value: i32) -> Self {
        match value {
            1 => Presence::Here,
            2 => Presence::Deaf,
            _ => Presence::Gone,
        }
    }
}
