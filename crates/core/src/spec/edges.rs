//! How the edges of controls are derived.

use crate::base::Nanos;
use crate::device::{ControlRef, DeviceKind};
use crate::spec::tunable;
use alloc::vec::Vec;

/// How the edges of some controls are derived, as far as it is said.
///
/// Rules are applied in the order of the rig, and each changes only what it says:
///
/// ```
/// use gtrig_core::{DeviceKind, EdgeRule, EdgeSettings, Nanos, Scope};
///
/// // Keys are latched; nothing else is said of them, so the defaults stay.
/// let rule = EdgeRule {
///     of: vec![Scope::Kind(DeviceKind::Keys)],
///     latched: Some(true),
///     ..EdgeRule::default()
/// };
/// assert!(rule.debounce.is_none() && !EdgeSettings::DEFAULT.latched);
/// assert_eq!(EdgeSettings::DEFAULT.debounce, Nanos(0));
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, Default, PartialEq)]
pub struct EdgeRule {
    /// Which controls.
    pub of: Vec<Scope>,
    /// Whether transitions between two polls are latched.
    pub latched: Option<bool>,
    /// How long a button is not believed after it moved.
    pub debounce: Option<Nanos>,
    /// Whether auto-repeat counts as a press, as where nobody filters it.
    pub repeats_press: Option<bool>,
    /// How long a button may be held before it is suspected to be stuck.
    pub stuck_after: Option<Nanos>,
}

/// How the edges of a control are derived.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct EdgeSettings {
    /// Whether transitions between two polls are latched.
    pub latched: bool,
    /// How long a button is not believed after it moved.
    pub debounce: Nanos,
    /// Whether auto-repeat counts as a press.
    pub repeats_press: bool,
    /// How long a button may be held before it is suspected to be stuck.
    pub stuck_after: Nanos,
}

impl EdgeSettings {
    /// State sampling, no debounce, auto-repeat filtered.
    pub const DEFAULT: EdgeSettings = EdgeSettings {
        latched: false,
        debounce: Nanos(0),
        repeats_press: false,
        stuck_after: Nanos::from_millis(tunable::STUCK_AFTER_S.default as u64 * 1000),
    };

    /// Takes over what a rule says; what it does not say stays.
    pub(crate) fn apply(&mut self, rule: &EdgeRule) {
        self.latched = rule.latched.unwrap_or(self.latched);
        self.debounce = rule.debounce.unwrap_or(self.debounce);
        self.repeats_press = rule.repeats_press.unwrap_or(self.repeats_press);
        self.stuck_after = rule.stuck_after.unwrap_or(self.stuck_after);
    }
}

/// What a rule covers: one control, or every control of a kind of device.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Scope {
    /// One control, on one or any device.
    Control(ControlRef),
    /// Every control of the devices of a kind.
    Kind(DeviceKind),
}

/// A rig uses at most this many different pairs of thresholds.
pub const MAX_THRESHOLDS: usize = 32;

/// From where to where an analogue control counts as a pressed button.
///
/// Between the two nothing changes: the wider they are apart, the less a trembling finger presses
/// twice. Both are shares of the full travel; of an axis on its positive side.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Thresholds {
    /// Pressed from this travel on.
    pub press_at: f32,
    /// Released below this travel; not above `press_at`.
    pub release_at: f32,
}

impl Thresholds {
    /// Down from half the travel on: what counts for a side of a pair or a cross.
    pub const HALF: Self = Thresholds { press_at: 0.5, release_at: 0.5 };
}
