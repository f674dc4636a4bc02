//! Who takes which player slot.

use crate::device::{DeviceInfo, SLOTS};
use alloc::string::String;
use strum::{IntoStaticStr, VariantArray};

/// Who takes which of the player slots.
///
/// ```
/// use gtrig_core::{CleanText, DeviceInfo, DeviceKind, SlotRules};
///
/// let mut rules = SlotRules::default();
/// rules.pins[1] = Some("winch".into());
/// let winch = DeviceInfo {
///     identity: "usb-4".into(),
///     kind: DeviceKind::Lever,
///     name: CleanText::new("winch lever"),
///     bus: CleanText::default(),
///     slot: None,
///     controls: vec![],
/// };
/// // Slot 2 is kept for it, and nobody else gets that.
/// assert_eq!(rules.pinned(&winch), Some(2));
/// assert!(rules.is_kept(2) && !rules.is_kept(1));
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SlotRules {
    /// What a device gets that is not pinned.
    pub deal: Deal,
    /// For each slot, in order, a part of the identity or the name of the only
    /// device that may have it.
    pub pins: [Option<String>; SLOTS as usize],
}

impl SlotRules {
    /// The slot that is kept for a device, if one is.
    pub fn pinned(&self, info: &DeviceInfo) -> Option<u8> {
        let is_meant =
            |part: &String| info.identity.contains(part) || info.name.as_str().contains(part);
        let at = self.pins.iter().position(|pin| pin.as_ref().is_some_and(is_meant))?;
        Some(at as u8 + 1)
    }

    /// Whether a slot is kept for some device.
    pub fn is_kept(&self, slot: u8) -> bool {
        self.pins.get(usize::from(slot).wrapping_sub(1)).is_some_and(Option::is_some)
    }
}

/// What slot a device gets. Under either rule a device that comes back gets
/// its own again, as long as nobody else has it.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Deal {
    /// The first free one.
    #[default]
    FirstFree,
    /// A slot that no device has had yet, or else the slot whose device left
    /// first. So a device that comes back soon finds its slot free.
    LastUsed,
}
