//! How far a stick gets.

use super::{Known, Missing, OUT, Point, SAMPLE, SECTORS, apart};
use alloc::vec::Vec;
use gtrig_core::length;

/// How far it got in each direction.
pub(super) struct Rim {
    /// Wherever it arrived.
    pub(super) reach: [Option<f32>; SECTORS],
    /// Where it was rolled through: between directions on both sides.
    pub(super) rolled: [Option<f32>; SECTORS],
    /// How many sectors the longest roll went through.
    longest: usize,
}

impl Rim {
    pub(super) fn of(points: &[Point], centre: [f32; 2]) -> Self {
        let mut rim = Rim { reach: [None; SECTORS], rolled: [None; SECTORS], longest: 0 };
        let is_out = |(point, _): &Point| length(*point) > 0.5 && apart(*point, centre) > 0.5;
        for run in points.chunk_by(|one, next| is_out(one) == is_out(next)) {
            if is_out(&run[0]) {
                rim.add(arrived(run));
            }
        }
        rim
    }

    /// One run along the rim.
    fn add(&mut self, run: &[Point]) {
        let sectors = unwrapped(run);
        let least = sectors.iter().copied().min().unwrap_or(0);
        let most = sectors.iter().copied().max().unwrap_or(0);
        self.longest = self.longest.max((most - least) as usize);
        for ((point, _), sector) in run.iter().zip(sectors) {
            let (r, n) = (length(*point), sector.rem_euclid(SECTORS as i32) as usize);
            let is_rolled = least < sector && sector < most;
            let further = |slot: &mut Option<f32>| *slot = Some(slot.map_or(r, |was| was.max(r)));
            further(&mut self.reach[n]);
            if is_rolled {
                further(&mut self.rolled[n]);
            }
        }
    }

    /// The largest reach less the smallest, as a share of the mean.
    pub(super) fn circularity(&self) -> Known<f32> {
        let known: Vec<f32> = self.rolled.iter().flatten().copied().collect();
        match known.len() {
            SECTORS => {}
            0 => return Err(Missing::Rim),
            _ if self.longest > SECTORS => return Err(Missing::Slowly),
            _ => return Err(Missing::Turn),
        }
        let (least, most) =
            known.iter().fold((f32::MAX, 0.0f32), |(a, b), r| (a.min(*r), b.max(*r)));
        Ok((most - least) / (known.iter().sum::<f32>() / known.len() as f32))
    }

    /// Reach to the right less that to the left, and of the two ends of y.
    pub(super) fn asymmetry(&self, is_single: bool) -> Known<[f32; 2]> {
        let [right, up, left, down] = [0, SECTORS / 4, SECTORS / 2, 3 * SECTORS / 4]
            .map(|sector| towards(&self.reach, sector));
        match (right, left, up, down) {
            (Some(right), Some(left), ..) if is_single => Ok([right - left, 0.0]),
            (Some(right), Some(left), Some(up), Some(down)) => Ok([right - left, up - down]),
            _ if is_single => Err(Missing::Ends),
            _ => Err(Missing::Rim),
        }
    }
}

/// A run without its way out to the rim and its way back: from where it gets no
/// further out for a while, to where it was last as far out as for a while before.
fn arrived(run: &[Point]) -> &[Point] {
    let ahead = (OUT.0 / SAMPLE.0) as usize;
    let r = |n: usize| length(run[n].0);
    let most = |range: core::ops::Range<usize>| range.map(r).fold(0.0, f32::max);
    let is_there = |n: &usize| r(*n) >= most(*n..(n + ahead).min(run.len()));
    let is_last = |n: &usize| r(*n) >= most(n.saturating_sub(ahead)..*n);
    let begin = (0..run.len()).find(is_there).unwrap_or(0);
    let end = (0..run.len()).rev().find(is_last).unwrap_or(0);
    &run[begin.min(end)..=end]
}

/// The sector of each sample, counted on over whole turns.
fn unwrapped(run: &[Point]) -> Vec<i32> {
    let turn = SECTORS as i32;
    let mut last: Option<i32> = None;
    let sector = |(point, _): &Point| {
        let sector = sector_of(*point) as i32;
        // By the shorter way from the last one.
        let on = last
            .map_or(sector, |last| last + (sector - last + turn / 2).rem_euclid(turn) - turn / 2);
        last = Some(on);
        on
    };
    run.iter().map(sector).collect()
}

fn sector_of([x, y]: [f32; 2]) -> usize {
    // From -1/2 to 1/2 of a turn; a whole one more keeps it positive.
    let turns = libm::atan2(y.into(), x.into()) / core::f64::consts::TAU + 1.0;
    libm::round(turns * SECTORS as f64) as usize % SECTORS
}

/// The reach around a direction: the largest of it and its neighbours.
pub(super) fn towards(reach: &[Option<f32>; SECTORS], sector: usize) -> Option<f32> {
    let around = [SECTORS - 1, 0, 1].map(|by| reach[(sector + by) % SECTORS]);
    around.into_iter().flatten().reduce(f32::max)
}
