//! How controls are sampled: what a rig says of them, tied to a roster.
//!
//! Worked out when a rig is bound, so that a tick asks no rule: the last rule of the rig that says
//! something of a control has said it here.

use crate::base::{ControlId, DeviceId};
use crate::device::{Control, ControlKind, Scale, normalise};
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
    /// The range of a kind of control by the rules of a rig: less than a share of the travel from
    /// rest, or fewer counts in one report.
    pub(crate) fn of(kind: ControlKind, rules: &MainRules) -> Self {
        let last_below = |end: i32| last_below(kind, end, rules.use_at);
        let (below, above) = match kind {
            ControlKind::Button => (0, 0),
            ControlKind::Relative => {
                let counts = rules.use_counts.max(1);
                (1 - counts, counts - 1)
            }
            ControlKind::Trigger { min, max } if min < max => (i32::MIN, last_below(max)),
            ControlKind::Trigger { min, max } if min > max => (last_below(max), i32::MAX),
            ControlKind::Axis { min, centre, max } => {
                let (low, high) = (min.min(max), min.max(max));
                let below = if low < centre { last_below(low) } else { i32::MIN };
                let above = if centre < high { last_below(high) } else { i32::MAX };
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

/// The last raw value on the way from rest to an end of the travel that is less than a share of it,
/// which is more than 0 and at most 1: as the value itself says it, to the last digit.
fn last_below(kind: ControlKind, end: i32, share: f32) -> i32 {
    let (mut below, mut beyond) = (i64::from(kind.rest()), i64::from(end));
    while (beyond - below).abs() > 1 {
        let middle = i64::midpoint(below, beyond);
        match normalise(kind, middle as i32).abs() < share {
            true => below = middle,
            false => beyond = middle,
        }
    }
    below as i32
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
    /// Whether the control holds a side by them, so that it matters when it passed them.
    pub(crate) holds_side: bool,
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn kinds() -> impl Strategy<Value = ControlKind> {
        let numbers = || prop_oneof![-300i32..300, any::<i32>()];
        prop_oneof![
            (numbers(), numbers()).prop_map(|(min, max)| ControlKind::Trigger { min, max }),
            [numbers(), numbers(), numbers()].prop_map(|mut of| {
                of.sort_unstable();
                ControlKind::Axis { min: of[0], centre: of[1], max: of[2] }
            }),
            [numbers(), numbers(), numbers()].prop_map(|mut of| {
                of.sort_unstable();
                ControlKind::Axis { min: of[2], centre: of[1], max: of[0] }
            }),
        ]
    }

    proptest! {
        /// The value itself says whether it is use, on its whole travel and beyond it.
        #[test]
        fn use_is_a_share_of_the_travel(
            kind in kinds(),
            twentieths in 1..=20u8,
            along in 0.0..=1.0,
            near in -2..=2,
        ) {
            let use_at = f32::from(twentieths) / 20.0;
            let used = UseRange::of(kind, &MainRules { use_at, ..MainRules::default() });
            let (min, max) = kind.range().unwrap();
            let inside = f64::from(min) + (f64::from(max) - f64::from(min)) * along;
            for value in [inside as i32, min, max, kind.rest(), used.below] {
                let value = value.saturating_add(near);
                prop_assert_eq!(used.is_beyond(value), normalise(kind, value).abs() >= use_at);
            }
        }

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
