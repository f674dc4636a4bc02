//! What follows from a measurement for a rig.

use super::{
    Known, MARGIN, Measurement, Missing, SECTORS, Samples, measure, samples::raw, towards,
};
use gtrig_core::{ControlKind, Travel, length};

/// What to write into a rig, and what it costs.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Proposal {
    /// Calibrated travel of x and of y.
    pub travel: [Known<Travel>; 2],
    /// The dead zone once calibrated: what rest needs and a quarter more.
    pub dead_zone: Known<f32>,
    /// The dead zone without calibration, which must hold the distance of rest
    /// from the middle as well.
    pub uncalibrated_dead_zone: Known<f32>,
    /// From where on output is full, once calibrated: what every direction then
    /// reaches, less a fiftieth.
    pub outer: Known<f32>,
    /// The same without calibration.
    pub uncalibrated_outer: Known<f32>,
    /// The dead zone, once calibrated, that would hold what a released stick swings
    /// past its centre.
    pub snap_back_dead_zone: Known<f32>,
}

/// What samples and the measurement of them suggest. What holds once the axes are
/// calibrated is measured on calibrated values.
pub fn propose(samples: &Samples, measured: &Measurement) -> Proposal {
    let travel = [0, 1].map(|axis| travel(measured, samples.kinds()[axis], axis));
    let calibrated = samples.calibrated(travel.map(Result::ok));
    let then = measure(&calibrated);
    let hundredths = |share: f32, round: fn(f32) -> f32| round(share * 100.0) / 100.0;
    let outer = |of: &Measurement| smallest_reach(of).map(|r| hundredths(r * 0.98, libm::floorf));
    let missing =
        travel.iter().find_map(|travel| travel.err().filter(|m| *m != Missing::Directions));
    Proposal {
        travel,
        dead_zone: then.rest_radius.map(|r| hundredths(r * MARGIN, libm::ceilf)),
        uncalibrated_dead_zone: measured.rest_radius.and_then(|r| {
            let off = length(measured.centre?);
            Ok(hundredths(off + r * MARGIN, libm::ceilf))
        }),
        outer: missing.map_or_else(|| outer(&then), Err),
        uncalibrated_outer: outer(measured),
        snap_back_dead_zone: then.snap_back.map(|snap| hundredths(snap.overshoot, libm::ceilf)),
    }
}

/// How far every direction gets.
fn smallest_reach(measured: &Measurement) -> Known<f32> {
    let [low, high] = measured.ends();
    match (measured.is_single, measured.is_one_sided) {
        (true, true) => high.ok_or(Missing::Ends),
        (true, false) => Ok(low.ok_or(Missing::Ends)?.min(high.ok_or(Missing::Ends)?)),
        (false, _) => {
            measured.circularity_error?;
            Ok(measured.rolled.iter().flatten().copied().fold(1.0, f32::min))
        }
    }
}

/// What an axis really reads at its ends and at rest, in device units.
fn travel(measured: &Measurement, kind: ControlKind, axis: usize) -> Known<Travel> {
    if axis == 1 && measured.is_single {
        return Err(Missing::Directions);
    }
    let missing = if measured.is_single { Missing::Ends } else { Missing::Rim };
    let rest = measured.centre?[axis];
    let end = |sector: usize| towards(&measured.reach, sector % SECTORS).ok_or(missing);
    let most = end(axis * SECTORS / 4)?.min(1.0);
    let centre = raw(kind, rest);
    let min = match measured.is_one_sided {
        true => centre,
        false => raw(kind, -end(axis * SECTORS / 4 + SECTORS / 2)?.min(1.0)),
    };
    let max = raw(kind, most);
    if min <= centre && centre < max {
        Ok(Travel { min, centre, max })
    } else {
        Err(Missing::Spread)
    }
}
