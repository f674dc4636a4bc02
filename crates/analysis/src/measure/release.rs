//! What a stick does when it is let go.

use super::{FAR, Known, Missing, Point, SAMPLE, SNAP, SnapBack, apart, rest::Quiet};
use alloc::vec::Vec;
use gtrig_core::{Nanos, length};

/// Over all releases, the worst of each. What is within `radius` of the centre has settled.
pub(super) fn snap_back(
    points: &[Point],
    parts: &[Quiet],
    centre: [f32; 2],
    radius: f32,
) -> Known<SnapBack> {
    let most = (SNAP.0 / SAMPLE.0) as usize;
    let mut found: Option<SnapBack> = None;
    let rests: Vec<&Quiet> = parts.iter().filter(|part| part.is_rest).collect();
    for (n, rest) in rests.iter().enumerate() {
        // Where rest begins, look back for where it came from.
        let at = rest.samples.start;
        if at == 0 || (n > 0 && rests[n - 1].samples.end == at) {
            continue;
        }
        let begin = at.saturating_sub(2 * most);
        let path = &points[begin..(at + most).min(points.len())];
        let Some(release) = path.iter().rposition(|(p, _)| apart(*p, centre) > FAR) else {
            continue;
        };
        let from = [path[release].0[0] - centre[0], path[release].0[1] - centre[1]];
        let size = length(from);
        let along =
            |p: [f32; 2]| ((p[0] - centre[0]) * from[0] + (p[1] - centre[1]) * from[1]) / size;
        let after = &path[release..];
        let overshoot = after.iter().map(|(p, _)| -along(*p)).fold(0.0, f32::max);
        let outside: Vec<bool> = after.iter().map(|(p, _)| apart(*p, centre) > radius).collect();
        let settled = outside.iter().rposition(|is_out| *is_out).map_or(0, |last| last + 1);
        let leaves = outside.windows(2).filter(|pair| !pair[0] && pair[1]).count();
        let one = SnapBack {
            releases: 1,
            overshoot,
            settles_in: Nanos(settled as u64 * SAMPLE.0),
            crossings: leaves,
        };
        found = Some(found.map_or(one, |all| SnapBack {
            releases: all.releases + 1,
            overshoot: all.overshoot.max(one.overshoot),
            settles_in: all.settles_in.max(one.settles_in),
            crossings: all.crossings.max(one.crossings),
        }));
    }
    found.ok_or(Missing::Flick)
}
