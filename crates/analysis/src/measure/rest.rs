//! What the hand did: where the stick rested, where it was held, and how steady
//! it was there.

use super::{
    Known, LEAST_HELD, LEAST_SPAN, Missing, NEAR, Point, SAMPLE, SNAP, STILL, WANDER, apart, mean,
};
use alloc::vec::Vec;
use core::ops::Range;
use gtrig_core::length;

/// A stretch of samples in which the hand did nothing.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Quiet {
    /// Their places.
    pub(super) samples: Range<usize>,
    /// Whether the stick was let go; else it was held.
    pub(super) is_rest: bool,
}

/// Noise is told within stretches of so many samples: a second.
const SECOND: usize = (1_000_000_000 / SAMPLE.0) as usize;

/// Noise outside the middle of a rest may be so many times as far out as within.
const SPIKE: f32 = 1.25;

/// Where the hand did nothing, in order.
pub(super) fn quiet_parts(points: &[Point]) -> Vec<Quiet> {
    let window = (STILL.0 / SAMPLE.0) as usize;
    let (mut parts, mut from) = (Vec::new(), 0);
    while from + window <= points.len() {
        let first = points[from].0;
        let is_still = |(point, _): &&Point| apart(*point, first) <= WANDER;
        let still = points[from..].iter().take_while(is_still).count();
        if still < window {
            from += 1;
            continue;
        }
        if let Some(Quiet { samples, is_rest }) = quiet(&points[from..from + still], from > 0) {
            parts.push(Quiet { samples: samples.start + from..samples.end + from, is_rest });
        }
        from += still;
    }
    parts
}

/// The part of a still stretch in which the hand did nothing: as far around its
/// middle as it stays within what the middle itself shows. After a movement the
/// middle begins when every release is over.
fn quiet(stretch: &[Point], has_moved: bool) -> Option<Quiet> {
    let quarter = stretch.len() / 4;
    let swings = if has_moved { (SNAP.0 / SAMPLE.0) as usize } else { 0 };
    let middle = quarter.max(swings)..stretch.len() - quarter;
    let centre = mean(stretch.get(middle.clone()).filter(|middle| !middle.is_empty())?);
    let from_centre = |(point, _): &Point| apart(*point, centre);
    let most = stretch[middle.clone()].iter().map(from_centre).fold(0.0, f32::max);
    let is_out = |point: &Point| from_centre(point) > most * SPIKE;
    let begin = stretch[..middle.start].iter().rposition(is_out).map_or(0, |last| last + 1);
    let after = stretch[middle.end..].iter().position(is_out);
    let end = after.map_or(stretch.len(), |first| middle.end + first);
    Some(Quiet { samples: begin..end, is_rest: length(centre) <= NEAR })
}

/// The samples at rest.
pub(super) fn of(points: &[Point], parts: &[Quiet]) -> Vec<Point> {
    let rest = parts.iter().filter(|part| part.is_rest);
    rest.flat_map(|part| &points[part.samples.clone()]).copied().collect()
}

/// The standard deviation of the worse axis about the mean of each second.
pub(super) fn noise(rest: &[Point]) -> f32 {
    let seconds = rest.chunks(SECOND).filter(|second| second.len() > SECOND / 2);
    let (mut sum, mut count) = ([0.0; 2], 0);
    for second in seconds {
        let centre = mean(second);
        let of = squares(second, centre);
        (sum, count) = ([sum[0] + of[0], sum[1] + of[1]], count + second.len());
    }
    libm::sqrt(sum[0].max(sum[1]) / count.max(1) as f64) as f32
}

/// Of each axis the sum of the squared distances from the centre.
fn squares(points: &[Point], centre: [f32; 2]) -> [f64; 2] {
    [0, 1].map(|axis| {
        let square = |(point, _): &Point| {
            let off = f64::from(point[axis] - centre[axis]);
            off * off
        };
        points.iter().map(square).sum()
    })
}

fn deviation(points: &[Point], centre: [f32; 2]) -> f32 {
    let [x, y] = squares(points, centre);
    libm::sqrt(x.max(y) / points.len().max(1) as f64) as f32
}

/// What holds 999 of a thousand of them, from the centre.
pub(super) fn radius(points: &[Point], centre: [f32; 2]) -> f32 {
    let mut distances: Vec<f32> = points.iter().map(|(point, _)| apart(*point, centre)).collect();
    distances.sort_by(f32::total_cmp);
    distances[(distances.len() * 999).div_ceil(1000).max(1) - 1]
}

/// The least-squares slope of both axes over time, as a length in a minute.
pub(super) fn drift(rest: &[Point]) -> Known<f32> {
    let span = rest.last().map_or(0.0, |last| last.1) - rest.first().map_or(0.0, |first| first.1);
    if span < LEAST_SPAN {
        return Err(Missing::Span);
    }
    let middle = rest.iter().map(|(_, t)| t).sum::<f64>() / rest.len() as f64;
    let centre = mean(rest);
    let slope = [0, 1].map(|axis| {
        let (mut over, mut under) = (0.0, 0.0);
        for (point, t) in rest {
            let t = t - middle;
            over += t * f64::from(point[axis] - centre[axis]);
            under += t * t;
        }
        (over / under.max(1e-9)) as f32
    });
    Ok(length(slope) * 60.0)
}

/// Of each stretch in which it was held its own deviation; the mean of those, each sample
/// counting as much.
pub(super) fn jitter(points: &[Point], parts: &[Quiet]) -> Known<f32> {
    let (mut sum, mut count) = (0.0, 0);
    for part in parts.iter().filter(|part| !part.is_rest) {
        let points = &points[part.samples.clone()];
        sum += deviation(points, mean(points)) * points.len() as f32;
        count += points.len();
    }
    if count < LEAST_HELD { Err(Missing::Hold) } else { Ok(sum / count as f32) }
}
