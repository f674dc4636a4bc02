//! What a stick can really do: noise, centre, reach, snap-back, resolution; and
//! the calibration and dead zone that follow.
//!
//! The events of two axes are sampled every [`SAMPLE`], as the value in force
//! then, and told apart by what the hand did:
//!
//! - **rest**: for [`STILL`] at least, nothing moved further than [`WANDER`] from
//!   where it was, and that is within [`NEAR`] of the middle;
//! - **held**: the same, further out;
//! - **rim**: everything else further out than half of the travel;
//! - **release**: from beyond [`FAR`] to rest within [`SNAP`].
//!
//! A number for which there is too little data is not guessed.

use alloc::{vec, vec::Vec};
use gtrig_core::{Axes, ControlKind, Event, Marks, Nanos, Travel, length, normalise};

/// How often the value in force is looked at.
pub const SAMPLE: Nanos = Nanos::from_millis(4);

/// A hand is still after so long.
pub const STILL: Nanos = Nanos::from_millis(400);

/// How far a still hand may seem to move, as a share of the travel.
pub const WANDER: f32 = 0.06;

/// Rest is within this of the middle.
pub const NEAR: f32 = 0.3;

/// A release begins beyond this.
pub const FAR: f32 = 0.6;

/// A release is over within this.
pub const SNAP: Nanos = Nanos::from_millis(250);

/// Directions in which reach is measured.
pub const SECTORS: usize = 72;

/// A hand that rests may leave a stick without reports for so long; what is
/// shorter is an interval between two of them.
const PAUSE: Nanos = Nanos::from_millis(100);

/// Intervals that their median needs.
const LEAST_INTERVALS: usize = 50;

/// Samples at rest that noise needs: two seconds.
const LEAST_REST: usize = 500;

/// Samples held that jitter needs.
const LEAST_HELD: usize = 75;

/// Sectors that must be known for circularity.
const LEAST_SECTORS: usize = 60;

/// Rest must span this for a drift to be told from noise.
const LEAST_SPAN: f32 = 4.0;

/// A number, or what is missing for it.
pub type Known<T> = Result<T, Missing>;

/// What is missing for a number.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Missing {
    /// The stick has not rested for two seconds.
    Rest,
    /// It rested once, not again later.
    Span,
    /// It has not been rolled along its rim.
    Rim,
    /// It has not been held off rest for a second.
    Hold,
    /// It has not been let snap back from its rim.
    Flick,
    /// It never reported anything.
    Reports,
    /// One axis reads an end all the time.
    Movement,
    /// It reported for less than a second.
    MoreReports,
    /// It has not been pushed to its ends.
    Ends,
    /// Its ends and its rest are not apart.
    Spread,
    /// A single axis has no directions.
    Directions,
}

/// Two axes, as shares of the travel their device states.
#[derive(Clone, Debug)]
pub struct Samples {
    /// x, y and the time in seconds.
    points: Vec<([f32; 2], f32)>,
    kinds: [ControlKind; 2],
    is_single: bool,
    /// Different raw values of each axis.
    levels: [Vec<i32>; 2],
    /// The times between reports that were no pause, in nanoseconds.
    intervals: Vec<u64>,
}

impl Samples {
    /// The values of two axes over a stretch of events, which are in order.
    /// `y` may be the same control again for a single axis: it counts as 0.
    pub fn of(events: impl Iterator<Item = Event>, axes: Axes, kinds: [ControlKind; 2]) -> Self {
        let levels = [Vec::new(), Vec::new()];
        let mut samples = Samples {
            points: Vec::new(),
            kinds,
            is_single: axes.is_single(),
            levels,
            intervals: Vec::new(),
        };
        let mut last_report: Option<u64> = None;
        let mut raw = kinds.map(ControlKind::rest);
        let mut next: Option<u64> = None;
        let is_meant =
            |event: &Event| axes.has(event.control) && !event.marks.contains(Marks::REPEAT);
        for event in events.filter(is_meant) {
            let mut at = next.unwrap_or(event.time.0);
            while at < event.time.0 {
                samples.add(raw, at);
                at += SAMPLE.0;
            }
            next = Some(at);
            // Both axes of a stick come in one report.
            let apart = event.time.0.saturating_sub(last_report.unwrap_or(event.time.0));
            if apart > 0 && apart < PAUSE.0 {
                samples.intervals.push(apart);
            }
            last_report = Some(event.time.0);
            let axis = usize::from(event.control != axes.x);
            raw[axis] = event.value;
            if let Err(place) = samples.levels[axis].binary_search(&event.value) {
                samples.levels[axis].insert(place, event.value);
            }
        }
        if let Some(at) = next {
            samples.add(raw, at);
        }
        if axes.is_single() {
            samples.points.iter_mut().for_each(|(point, _)| point[1] = 0.0);
        }
        samples
    }

    /// The values of x and y, each with its time in seconds.
    pub fn points(&self) -> impl Iterator<Item = ([f32; 2], f32)> + '_ {
        self.points.iter().copied()
    }

    /// Why nothing is known of rest: what to do, or what is wrong.
    fn no_rest(&self) -> Missing {
        let is_stuck = |axis: usize| {
            let range = self.kinds[axis].range();
            let ends = range.is_some_and(|(min, max)| match self.levels[axis].as_slice() {
                [only] => *only == max || (*only == min && self.kinds[axis].rest() != min),
                _ => false,
            });
            ends && self.points.len() >= LEAST_REST
        };
        match self.points.len() {
            0 => Missing::Reports,
            _ if is_stuck(0) || (!self.is_single && is_stuck(1)) => Missing::Movement,
            _ => Missing::Rest,
        }
    }

    fn add(&mut self, raw: [i32; 2], at: u64) {
        let [x, y] = raw;
        let point = [normalise(self.kinds[0], x), normalise(self.kinds[1], y)];
        self.points.push((point, at as f32 / 1e9));
    }
}

/// What was measured. Lengths are shares of the travel the device states.
#[derive(Clone, Debug, PartialEq)]
pub struct Measurement {
    /// Whether it is an axis or a trigger, and no stick.
    pub is_single: bool,
    /// Whether it goes to one side only, as a trigger does.
    pub is_one_sided: bool,
    /// Where it rests.
    pub centre: Known<[f32; 2]>,
    /// Standard deviation at rest, of the worse axis.
    pub noise: Known<f32>,
    /// 99.9 % of rest lie within this of the centre.
    pub rest_radius: Known<f32>,
    /// How far the rest wanders in a minute.
    pub drift_per_minute: Known<f32>,
    /// How far it gets in each direction, the first to the right, then
    /// counter-clockwise as y is reported; `None` where it never was.
    pub reach: [Option<f32>; SECTORS],
    /// The largest reach less the smallest, as a share of the mean.
    pub circularity_error: Known<f32>,
    /// Reach to the right less that to the left, and of the two ends of y.
    pub asymmetry: Known<[f32; 2]>,
    /// Standard deviation while held off rest, of the worse axis.
    pub hold_jitter: Known<f32>,
    /// What happens after it is let go.
    pub snap_back: Known<SnapBack>,
    /// Different raw values seen on each axis.
    pub levels: [usize; 2],
    /// The time between two reports while it moves: the median, and what 95 % lie
    /// within.
    pub interval: Known<[Nanos; 2]>,
}

/// What a stick does when it is let go.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SnapBack {
    /// How many releases were seen.
    pub releases: usize,
    /// How far it swings past the centre, at worst.
    pub overshoot: f32,
    /// How long it takes to stay within the rest radius, at worst.
    pub settles_in: Nanos,
    /// How often it leaves the rest radius again on the way, at worst.
    pub crossings: usize,
}

/// What the hand did at a sample.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Phase {
    Moving,
    Rest,
    Held,
}

/// Measures.
pub fn measure(samples: &Samples) -> Measurement {
    let phases = phases(&samples.points);
    let of = |wanted: Phase| -> Vec<([f32; 2], f32)> {
        let all = samples.points.iter().zip(&phases);
        all.filter(|(_, phase)| **phase == wanted).map(|(point, _)| *point).collect()
    };
    let (rest, held) = (of(Phase::Rest), of(Phase::Held));
    let centre = if rest.len() < LEAST_REST { Err(samples.no_rest()) } else { Ok(mean(&rest)) };
    let rest_radius = centre.map(|centre| radius(&rest, centre, 0.999));
    let reach = reach(&samples.points, centre.unwrap_or([0.0; 2]));
    let is_single = samples.is_single;
    Measurement {
        is_single,
        is_one_sided: is_single && matches!(samples.kinds[0], ControlKind::Trigger { .. }),
        centre,
        noise: centre.map(|centre| deviation(&rest, centre)),
        rest_radius,
        drift_per_minute: centre.and_then(|_| drift(&rest)),
        reach,
        circularity_error: if is_single { Err(Missing::Directions) } else { circularity(&reach) },
        asymmetry: asymmetry(&reach, is_single),
        hold_jitter: jitter(&samples.points, &phases, held.len()),
        snap_back: match (centre, rest_radius) {
            (Ok(centre), Ok(radius)) => snap_back(&samples.points, &phases, centre, radius),
            _ => Err(samples.no_rest()),
        },
        levels: [samples.levels[0].len(), samples.levels[1].len()],
        interval: interval(samples.intervals.clone()),
    }
}

/// The median, and what 95 % lie within.
fn interval(mut intervals: Vec<u64>) -> Known<[Nanos; 2]> {
    if intervals.len() < LEAST_INTERVALS {
        return Err(Missing::MoreReports);
    }
    intervals.sort_unstable();
    let rank = |percent: usize| (intervals.len() * percent).div_ceil(100) - 1;
    Ok([50, 95].map(|percent| Nanos(intervals[rank(percent)])))
}

fn phases(points: &[([f32; 2], f32)]) -> Vec<Phase> {
    let window = (STILL.0 / SAMPLE.0) as usize;
    let mut phases = vec![Phase::Moving; points.len()];
    let mut from = 0;
    while from + window <= points.len() {
        let first = points[from].0;
        let is_still = |(point, _): &&([f32; 2], f32)| apart(*point, first) <= WANDER;
        let still = points[from..].iter().take_while(is_still).count();
        if still < window {
            from += 1;
            continue;
        }
        // The way in and the way out are no part of it.
        let stretch = &points[from..from + still];
        let middle = mean(&stretch[still / 4..still - still / 4]);
        let is_in = |(point, _): &([f32; 2], f32)| apart(*point, middle) <= WANDER / 2.0;
        let (begin, end) = (stretch.iter().position(is_in), stretch.iter().rposition(is_in));
        let phase = if length(middle) <= NEAR { Phase::Rest } else { Phase::Held };
        if let (Some(begin), Some(end)) = (begin, end) {
            phases[from + begin..=from + end].fill(phase);
        }
        from += still;
    }
    phases
}

fn apart(a: [f32; 2], b: [f32; 2]) -> f32 {
    length([a[0] - b[0], a[1] - b[1]])
}

fn mean(points: &[([f32; 2], f32)]) -> [f32; 2] {
    [0, 1].map(|axis| {
        let sum: f64 = points.iter().map(|(point, _)| f64::from(point[axis])).sum();
        (sum / points.len().max(1) as f64) as f32
    })
}

fn deviation(points: &[([f32; 2], f32)], centre: [f32; 2]) -> f32 {
    let of = |axis: usize| {
        let square = |(point, _): &([f32; 2], f32)| f64::from(point[axis] - centre[axis]);
        let sum: f64 = points.iter().map(|p| square(p) * square(p)).sum();
        libm::sqrt(sum / points.len().max(1) as f64) as f32
    };
    of(0).max(of(1))
}

fn radius(points: &[([f32; 2], f32)], centre: [f32; 2], share: f32) -> f32 {
    let mut distances: Vec<f32> = points.iter().map(|(point, _)| apart(*point, centre)).collect();
    distances.sort_by(f32::total_cmp);
    let rank = libm::ceilf(share * distances.len() as f32) as usize;
    distances[rank.clamp(1, distances.len()) - 1]
}

/// The least-squares slope of both axes over time, as a length in a minute.
fn drift(rest: &[([f32; 2], f32)]) -> Known<f32> {
    let span = rest.last().map_or(0.0, |last| last.1) - rest.first().map_or(0.0, |first| first.1);
    if span < LEAST_SPAN {
        return Err(Missing::Span);
    }
    let middle = rest.iter().map(|(_, t)| f64::from(*t)).sum::<f64>() / rest.len() as f64;
    let centre = mean(rest);
    let slope = [0, 1].map(|axis| {
        let (mut over, mut under) = (0.0, 0.0);
        for (point, t) in rest {
            let t = f64::from(*t) - middle;
            over += t * f64::from(point[axis] - centre[axis]);
            under += t * t;
        }
        (over / under.max(1e-9)) as f32
    });
    Ok(length(slope) * 60.0)
}

fn sector_of([x, y]: [f32; 2]) -> usize {
    // From -1/2 to 1/2 of a turn; a whole one more keeps it positive.
    let turns = libm::atan2f(y, x) / core::f32::consts::TAU + 1.0;
    libm::roundf(turns * SECTORS as f32) as usize % SECTORS
}

fn reach(points: &[([f32; 2], f32)], centre: [f32; 2]) -> [Option<f32>; SECTORS] {
    let mut reach = [None::<f32>; SECTORS];
    for (point, _) in points {
        let r = length(*point);
        if r > 0.5 && apart(*point, centre) > 0.5 {
            let slot = &mut reach[sector_of(*point)];
            *slot = Some(slot.map_or(r, |most| most.max(r)));
        }
    }
    reach
}

fn circularity(reach: &[Option<f32>; SECTORS]) -> Known<f32> {
    let known: Vec<f32> = reach.iter().flatten().copied().collect();
    if known.len() < LEAST_SECTORS {
        return Err(Missing::Rim);
    }
    let (least, most) = known.iter().fold((f32::MAX, 0.0f32), |(a, b), r| (a.min(*r), b.max(*r)));
    Ok((most - least) / (known.iter().sum::<f32>() / known.len() as f32))
}

/// The reach around a direction: the largest of it and its neighbours.
fn towards(reach: &[Option<f32>; SECTORS], sector: usize) -> Option<f32> {
    let around = [SECTORS - 1, 0, 1].map(|by| reach[(sector + by) % SECTORS]);
    around.into_iter().flatten().reduce(f32::max)
}

fn asymmetry(reach: &[Option<f32>; SECTORS], is_single: bool) -> Known<[f32; 2]> {
    let [right, up, left, down] =
        [0, SECTORS / 4, SECTORS / 2, 3 * SECTORS / 4].map(|sector| towards(reach, sector));
    match (right, left, up, down) {
        (Some(right), Some(left), ..) if is_single => Ok([right - left, 0.0]),
        (Some(right), Some(left), Some(up), Some(down)) => Ok([right - left, up - down]),
        _ if is_single => Err(Missing::Ends),
        _ => Err(Missing::Rim),
    }
}

impl Measurement {
    /// How far it gets to either end of x.
    pub fn ends(&self) -> [Option<f32>; 2] {
        [SECTORS / 2, 0].map(|sector| towards(&self.reach, sector))
    }

    /// What a person is to do so that everything is known, in order, and whether
    /// it was done.
    pub fn steps(&self) -> Vec<(Missing, bool)> {
        let [low, high] = self.ends();
        let is_reached = match (self.is_single, self.is_one_sided) {
            (false, _) => self.circularity_error.is_ok(),
            (true, true) => high.is_some(),
            (true, false) => low.is_some() && high.is_some(),
        };
        vec![
            (self.centre.err().unwrap_or(Missing::Rest), self.centre.is_ok()),
            (if self.is_single { Missing::Ends } else { Missing::Rim }, is_reached),
            (Missing::Hold, self.hold_jitter.is_ok()),
            (Missing::Flick, self.snap_back.is_ok()),
            (Missing::Span, self.drift_per_minute.is_ok()),
        ]
    }
}

/// Of each stretch in which it was held its own deviation; the mean of those.
fn jitter(points: &[([f32; 2], f32)], phases: &[Phase], held: usize) -> Known<f32> {
    if held < LEAST_HELD {
        return Err(Missing::Hold);
    }
    let stretches = points.iter().zip(phases).collect::<Vec<_>>();
    let stretches = stretches.chunk_by(|a, b| a.1 == b.1).filter(|s| *s[0].1 == Phase::Held);
    let (mut sum, mut count) = (0.0, 0);
    for stretch in stretches {
        let points: Vec<([f32; 2], f32)> = stretch.iter().map(|(point, _)| **point).collect();
        sum += deviation(&points, mean(&points)) * points.len() as f32;
        count += points.len();
    }
    Ok(sum / count as f32)
}

fn snap_back(
    points: &[([f32; 2], f32)],
    phases: &[Phase],
    centre: [f32; 2],
    radius: f32,
) -> Known<SnapBack> {
    let most = (SNAP.0 / SAMPLE.0) as usize;
    let mut found: Option<SnapBack> = None;
    for at in 1..points.len() {
        // Where rest begins, look back for where it came from.
        if phases[at] != Phase::Rest || phases[at - 1] == Phase::Rest {
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
    /// From where on output is full: what every direction reaches, less a
    /// fiftieth.
    pub outer: Known<f32>,
}

/// What a measurement of two axes of these kinds suggests.
pub fn propose(measured: &Measurement, kinds: [ControlKind; 2]) -> Proposal {
    let hundredths = |share: f32, round: fn(f32) -> f32| round(share * 100.0) / 100.0;
    Proposal {
        travel: [0, 1].map(|axis| travel(measured, kinds[axis], axis)),
        dead_zone: measured.rest_radius.map(|r| hundredths(r * 1.25, libm::ceilf)),
        uncalibrated_dead_zone: measured.rest_radius.and_then(|r| {
            let off = length(measured.centre?);
            Ok(hundredths(off + r * 1.25, libm::ceilf))
        }),
        outer: smallest_reach(measured).map(|r| hundredths(r * 0.98, libm::floorf)),
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
            Ok(measured.reach.iter().flatten().copied().fold(1.0, f32::min))
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
    let raw = |share: f32| match kind {
        ControlKind::Axis { min, centre, .. } if share < 0.0 => between(centre, min, -share),
        ControlKind::Axis { centre, max, .. } => between(centre, max, share),
        ControlKind::Trigger { min, max } | ControlKind::Position { min, max } => {
            between(min, max, share)
        }
        ControlKind::Button | ControlKind::Relative => 0,
    };
    let centre = raw(rest);
    let min = match measured.is_one_sided {
        true => centre,
        false => raw(-end(axis * SECTORS / 4 + SECTORS / 2)?.min(1.0)),
    };
    let max = raw(most);
    if min <= centre && centre < max {
        Ok(Travel { min, centre, max })
    } else {
        Err(Missing::Spread)
    }
}

fn between(from: i32, to: i32, share: f32) -> i32 {
    let way = f64::from(to) - f64::from(from);
    libm::round(f64::from(from) + f64::from(share) * way) as i32
}
