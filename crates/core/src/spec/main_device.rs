//! Which device is the main one.

use crate::device::DeviceKind;
use crate::spec::tunable;
use alloc::{vec, vec::Vec};
use strum::{IntoStaticStr, VariantArray};

/// Which of the devices that can be heard is the main one. When the main device
/// is unplugged or deaf, the rule chooses another one. While no device can be
/// heard, there is no main device.
///
/// Who is main matters to actions that only the main device drives
/// ([`ActionSpec::main_only`](crate::ActionSpec)), and to whoever shows prompts: a game draws the
/// buttons of the device that its player has in hand.
///
/// ```
/// use gtrig_core::{DeviceKind, MainRule, MainRules};
///
/// let rules = MainRules::default();
/// assert_eq!((rules.rule, rules.use_at), (MainRule::First, 0.5));
/// assert!(rules.among.contains(&DeviceKind::Pad) && !rules.among.contains(&DeviceKind::Keys));
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub struct MainRules {
    /// How it is chosen.
    pub rule: MainRule,
    /// Among devices of these kinds. Keys and mouse count as one.
    pub among: Vec<DeviceKind>,
    /// An analogue control counts as used from this share of its travel on.
    pub use_at: f32,
    /// A relative control counts as used from so many counts in a report on.
    pub use_counts: i32,
}

impl Default for MainRules {
    fn default() -> Self {
        MainRules {
            rule: MainRule::First,
            among: vec![DeviceKind::Pad, DeviceKind::Lever, DeviceKind::Other],
            use_at: tunable::USE_AT.default as f32,
            use_counts: tunable::USE_COUNTS.default as i32,
        }
    }
}

/// How the main device is chosen.
///
/// With `last-used` a player who takes up the keyboard is followed at once; with `first`, nothing
/// changes who leads but plugging in and out.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum MainRule {
    /// The lowest number, of equals the one that came first.
    First,
    /// The one that was used last; before any was, the first.
    LastUsed,
}
