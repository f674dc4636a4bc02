//! How controls are sampled: what a rig says of them, tied to a roster.
//!
//! Worked out when a rig is bound, so that a tick asks no rule: the last rule of the rig that says
//! something of a control has said it here.

use crate::base::{ControlId, DeviceId};
use crate::device::{Control, ControlKind, Scale};
use crate::spec::{EdgeSettings, MainRules, Thresholds};
use alloc::vec::Vec;
use core::ops::Range;

/// How the controls of a roster are sampled.
///
/// Invariants: one entry for each control of the roster and each device of it, in the order of
/// their ids; thresholds are in the order of their controls, each pair of a control once.
#[derive(Clone, Debug, Default)]
pub(crate) struct SamplePlan {
    /// In the order of ids, presences included.
    pub(crate) controls: Vec<SampledControl>,
    /// For each device its presence and controls.
    pub(crate) devices: Vec<Range<u16>>,
    /// Those of a control lie side by side.
    pub(crate) thresholds: Vec<BoundThresholds>,
}

impl SamplePlan {
    /// How a control is sampled.
    #[inline]
    pub(crate) fn control(&self, control: ControlId) -> &SampledControl {
        &self.controls[control.index()]
    }

    /// The device that a control is on.
    #[inline]
    pub(crate) fn device_of(&self, control: ControlId) -> DeviceId {
        self.control(control).control.device
    }

    /// The thresholds of a control that is no button: none of one that no input reads as a
    /// button.
    #[inline]
    pub(crate) fn thresholds_of(&self, sampled: &SampledControl) -> &[BoundThresholds] {
        if sampled.threshold_count == 0 {
            return &[];
        }
        let first = sampled.first_threshold as usize;
        &self.thresholds[first..first + sampled.threshold_count as usize]
    }

    /// The controls of a device, without its presence.
    pub(crate) fn controls_of(&self, device: DeviceId) -> impl Iterator<Item = ControlId> + use<> {
        self.devices[device.index()].clone().skip(1).map(ControlId)
    }
}

/// How one control is sampled.
///
/// Small, and looked up once for each event: a tick that sees a thousand events reads it a thousand
/// times.
#[derive(Clone, Copy, Debug)]
pub(crate) struct SampledControl {
    /// Its device and its kind.
    pub(crate) control: Control,
    /// The scale of that kind.
    pub(crate) scale: Scale,
    /// Latch, debounce and repeats, as the rig says.
    pub(crate) edges: EdgeSettings,
    /// From which values on it counts as used.
    pub(crate) used: UseRange,
    /// Its stretch of [`SamplePlan::thresholds`].
    pub(crate) first_threshold: u32,
    /// How many thresholds it has.
    pub(crate) threshold_count: u32,
}

#[cfg(test)]
impl SampledControl {
    pub(crate) fn with(control: Control, edges: EdgeSettings) -> Self {
        let used = UseRange::of(control.kind, &MainRules::default());
        let scale = Scale::of(control.kind);
        SampledControl { control, scale, edges, used, first_threshold: 0, threshold_count: 0 }
    }
}

/// From which values on a control counts as used: those outside of a range, in raw units. Every
/// kind has values that are outside, but for a place on a surface.
///
/// Only crossing its border is use: a stick that is held beyond it is not used again and again.
#[derive(Clone, Copy, Debug)]
pub(crate) struct UseRange {
    /// Values below this are.
    below: i32,
    /// So are those that are more than this above it.
    span: u32,
}

impl UseRange {
    /// The range of a kind of control by the rules of a rig: a share of the travel from rest, or
    /// counts in one report. Though the share be 1, the last value of the travel is use.
    pub(crate) fn of(kind: ControlKind, rules: &MainRules) -> Self {
        let share = |from: i32, to: i32| {
            let way = (f64::from(to) - f64::from(from)) * f64::from(rules.use_at);
            (f64::from(from) + way) as i32
        };
        let (below, above) = match kind {
            ControlKind::Button => (0, 0),
            ControlKind::Relative => {
                let counts = rules.use_counts.max(1);
                (1 - counts, counts - 1)
            }
            ControlKind::Trigger { min, max } if min < max => {
                (i32::MIN, share(min, max).min(max - 1))
            }
            ControlKind::Trigger { min, max } if min > max => {
                (share(min, max).max(max + 1), i32::MAX)
            }
            ControlKind::Axis { min, centre, max } => {
                let (low, high) = (min.min(max), min.max(max));
                let below = if low < centre { share(centre, low).max(low + 1) } else { i32::MIN };
                let above =
                    if centre < high { share(centre, high).min(high - 1) } else { i32::MAX };
                (below, above)
            }
            // A finger counts by its touch, not by its place.
            ControlKind::Trigger { .. } | ControlKind::Position { .. } => (i32::MIN, i32::MAX),
        };
        UseRange::between(below, above)
    }

    /// What lies below the first or above the second, which is no less.
    fn between(below: i32, above: i32) -> Self {
        UseRange { below, span: above.wrapping_sub(below) as u32 }
    }

    /// Whether a value is further out than noise would take it.
    ///
    /// One comparison: a value below the range comes out above every span.
    pub(crate) const fn is_beyond(self, value: i32) -> bool {
        value.wrapping_sub(self.below) as u32 > self.span
    }
}

/// A pair of thresholds of one control, and its bit in the state of the control.
/// The bit is the place of the pair among those of the rig, so that it stays
/// the same when devices arrive.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct BoundThresholds {
    /// The control.
    pub(crate) control: ControlId,
    /// The bit.
    pub(crate) bit: u32,
    /// From where on it is pressed, and below where it is released again.
    pub(crate) thresholds: Thresholds,
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn use_is_what_lies_outside(one: i32, other: i32, value: i32, near in -2..=2) {
            let (below, above) = (one.min(other), one.max(other));
            let range = UseRange::between(below, above);
            for value in [value, below.saturating_add(near), above.saturating_add(near)] {
                prop_assert_eq!(range.is_beyond(value), value < below || value > above);
            }
        }
    }
}
