//! How one control is sampled: a rig tied to the devices of a roster.

use crate::base::ControlId;
use crate::device::{Control, ControlKind};
use crate::spec::{EdgeSettings, MainRules, Thresholds};

/// How one control is sampled.
#[derive(Clone, Copy, Debug)]
pub(crate) struct SampledControl {
    pub(crate) control: Control,
    pub(crate) edges: EdgeSettings,
    pub(crate) used: UseRange,
    /// Its stretch of the plan's list of passings.
    pub(crate) first_passing: u32,
    pub(crate) passing_count: u32,
}

#[cfg(test)]
impl SampledControl {
    pub(crate) fn with(control: Control, edges: EdgeSettings) -> Self {
        let used = UseRange::of(control.kind, &MainRules::default());
        SampledControl { control, edges, used, first_passing: 0, passing_count: 0 }
    }
}

/// From which values on a control counts as used.
#[derive(Clone, Copy, Debug)]
pub(crate) struct UseRange {
    below: i32,
    above: i32,
}

impl UseRange {
    pub(crate) fn of(kind: ControlKind, rules: &MainRules) -> Self {
        let share = |from: i32, to: i32| {
            let way = (f64::from(to) - f64::from(from)) * f64::from(rules.use_at);
            (f64::from(from) + way) as i32
        };
        match kind {
            ControlKind::Button => UseRange { below: 0, above: 0 },
            ControlKind::Relative => {
                UseRange { below: 1 - rules.use_counts, above: rules.use_counts - 1 }
            }
            ControlKind::Trigger { min, max } if min < max => {
                UseRange { below: i32::MIN, above: share(min, max).min(max - 1) }
            }
            ControlKind::Axis { min, centre, max } => UseRange {
                below: if min < centre { share(centre, min).max(min + 1) } else { i32::MIN },
                above: if centre < max { share(centre, max).min(max - 1) } else { i32::MAX },
            },
            // A finger counts by its touch, not by its place.
            ControlKind::Trigger { .. } | ControlKind::Position { .. } => {
                UseRange { below: i32::MIN, above: i32::MAX }
            }
        }
    }

    /// Whether a value is further out than noise would take it.
    pub(crate) const fn is_beyond(self, value: i32) -> bool {
        value < self.below || value > self.above
    }
}

/// A pair of thresholds of one control, and its bit in the control's cell.
/// The bit is the place of the pair among those of the rig, so that it stays
/// the same when devices arrive.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct BoundThresholds {
    pub(crate) control: ControlId,
    pub(crate) bit: u32,
    pub(crate) thresholds: Thresholds,
}
