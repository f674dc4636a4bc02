//! Reels as they are looked at: one part of a recording that may not fit in memory.

use crate::files::{self, Begun};
use anyhow::Context;
use gtrig_analysis::Capacity;
use gtrig_core::{Nanos, Rig};
use gtrig_formats::reel::{Reel, Segment};
use std::{ops::Range, path::Path, sync::Arc};

/// A part of a reel has so many bytes of segments, or a little more: some millions of events.
const PART_BYTES: u64 = 24 << 20;

/// And so many segments: where little happens they are small, and opening each takes a while.
const PART_SEGMENTS: usize = 200;

/// A reel, and which part of it is shown.
///
/// Invariant: the part has at least one of its segments.
#[derive(Clone, Debug)]
pub struct ReelPart {
    reel: Arc<Reel>,
    part: Range<usize>,
    /// The instant of its latest line.
    ends: Nanos,
}

impl ReelPart {
    /// The part of the reel at `path` around an instant.
    ///
    /// # Errors
    /// When it is no reel.
    pub fn of(path: &Path, at: Nanos) -> anyhow::Result<Self> {
        let reel = Reel::open(path)
            .with_context(|| format!("{} is no reel that can be read", path.display()))?;
        let (ends, part) = (reel.ends(), part_at(reel.segments(), reel.segment_at(at)));
        Ok(ReelPart { reel: Arc::new(reel), part, ends })
    }

    /// The part around another instant.
    #[must_use]
    pub fn around(&self, at: Nanos) -> Self {
        let part = part_at(self.reel.segments(), self.reel.segment_at(at));
        ReelPart { part, ..self.clone() }
    }

    /// Reads it by a rig, at least up to an instant. Where the segment before that of the
    /// instant is damaged, or is not the one before, the part begins with that of the instant.
    ///
    /// # Errors
    /// When its first segment cannot be read.
    pub fn open(mut self, rig: Rig, at: Nanos) -> anyhow::Result<Begun> {
        let here = self.reel.segment_at(at);
        let begins = rig.rate.tick_seeing(self.reel.segments()[here].begins);
        let leads_there = |begun: &Begun| begun.session.now().next_tick() > begins;
        let begun = match self.read(rig.clone(), at) {
            Ok(begun) if self.part.start == here || leads_there(&begun) => begun,
            Err(error) if self.part.start == here => return Err(error),
            _ => {
                self.part.start = here;
                self.read(rig, at)?
            }
        };
        Ok(Begun { reel: Some(self), ..begun })
    }

    fn read(&self, rig: Rig, at: Nanos) -> anyhow::Result<Begun> {
        let mut begun = files::begin_part(&self.reel, self.part.clone(), rig, Capacity::DEFAULT)?;
        begun.reading.read_to(&mut begun.session, at);
        begun.reading.is_until(self.part_ends());
        Ok(begun)
    }

    /// When the reel begins, and the instant of its latest line.
    pub fn whole(&self) -> [Nanos; 2] {
        [self.reel.begins(), self.ends]
    }

    /// When the part begins, and when what follows it does, or the reel ends.
    pub fn shown(&self) -> [Nanos; 2] {
        [self.reel.segments()[self.part.start].begins, self.part_ends()]
    }

    fn part_ends(&self) -> Nanos {
        let next = self.reel.segments().get(self.part.end);
        next.map_or(self.ends, |next| next.begins)
    }

    /// Whether it is all of the reel.
    pub fn is_whole(&self) -> bool {
        self.part == (0..self.reel.segments().len())
    }

    /// How much was recorded in each of so many equal stretches of the reel's time: bytes.
    pub fn density(&self, stretches: usize) -> Vec<f64> {
        let [begins, ends] = self.whole();
        let of = ends.0.saturating_sub(begins.0).max(1) as f64 / stretches.max(1) as f64;
        let mut density = vec![0.0; stretches];
        let segments = self.reel.segments();
        for (at, segment) in segments.iter().enumerate() {
            let over = segments.get(at + 1).map_or(ends, |next| next.begins);
            let place = |time: Nanos| (time.0 - begins.0) as f64 / of;
            let (from, to) = (place(segment.begins), place(over.max(segment.begins)));
            let first = (from as usize).min(stretches.saturating_sub(1));
            if from >= to {
                // Its recorder was killed before anything came.
                density.iter_mut().skip(first).take(1).for_each(|sum| *sum += segment.bytes as f64);
                continue;
            }
            let per_stretch = segment.bytes as f64 / (to - from);
            for (n, sum) in density.iter_mut().enumerate().skip(first) {
                let within = to.min((n + 1) as f64) - from.max(n as f64);
                if within < 0.0 {
                    break;
                }
                *sum += per_stretch * within;
            }
        }
        density
    }
}

/// The segments that are shown with the one at a place: the one before it, for what led to
/// it, and those after it, as long as they are few.
fn part_at(segments: &[Segment], at: usize) -> Range<usize> {
    let first = at.saturating_sub(1);
    let mut bytes = 0;
    let fits = |segment: &&Segment| {
        bytes += segment.bytes;
        bytes <= PART_BYTES
    };
    let end = first + segments[first..].iter().take(PART_SEGMENTS).take_while(fits).count();
    first..end.max(at + 1)
}

/// An instant as a person writes it: seconds, or minutes, hours and days before them, parted
/// by colons, as `90.5`, `1:30.5` or `2:13:00:00`.
///
/// # Errors
/// When the text is not an instant; the error says how one is written.
pub fn instant(text: &str) -> Result<Nanos, String> {
    let told = || {
        format!(
            "no instant: {text}; write seconds, or days, hours and minutes before them, as 5:12:30.5"
        )
    };
    let (front, seconds) = text.rsplit_once(':').map_or((None, text), |(f, s)| (Some(f), s));
    let is_plain = seconds.bytes().all(|byte| byte.is_ascii_digit() || byte == b'.');
    let seconds = seconds.parse::<f64>().ok().filter(|_| is_plain).ok_or_else(told)?;
    let mut whole = 0_u64;
    let units = [60, 3600, 86_400];
    let parts: Vec<&str> = front.map_or(Vec::new(), |front| front.rsplit(':').collect());
    if parts.len() > units.len() {
        return Err(told());
    }
    for (part, unit) in parts.into_iter().zip(units) {
        let is_plain = !part.is_empty() && part.bytes().all(|byte| byte.is_ascii_digit());
        let number = part.parse::<u32>().ok().filter(|_| is_plain).ok_or_else(told)?;
        whole += u64::from(number) * unit;
    }
    // To the nanosecond for thirty days.
    Ok(Nanos(whole.saturating_mul(1_000_000_000).saturating_add((seconds * 1e9).round() as u64)))
}

/// An instant of a long recording as a person reads it: days, hours, minutes and seconds.
pub fn in_words(time: Nanos) -> String {
    let tenths = time.0 / 100_000_000;
    let (minutes, tenths) = (tenths / 600, tenths % 600);
    let seconds = format!("{:02}.{}", tenths / 10, tenths % 10);
    let (hours, minutes) = (minutes / 60, minutes % 60);
    match (hours / 24, hours % 24) {
        (0, 0) => format!("{minutes}:{seconds}"),
        (0, hours) => format!("{hours}:{minutes:02}:{seconds}"),
        (days, hours) => format!("{days}:{hours:02}:{minutes:02}:{seconds}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("0", 0)]
    #[case("90.5", 90_500_000_000)]
    #[case("1:30.5", 90_500_000_000)]
    #[case("05:12:30", 18_750_000_000_000)]
    #[case("2:13:00:00.000000001", 219_600_000_000_001)]
    #[case("0:90", 90_000_000_000)]
    fn an_instant_is_read(#[case] text: &str, #[case] nanos: u64) {
        assert_eq!(instant(text), Ok(Nanos(nanos)));
    }

    #[rstest]
    fn what_is_no_instant_is_said_to_be_none(
        #[values(
            "",
            ":",
            "1:",
            ":1",
            "-1",
            "1e3",
            "nan",
            "1:-2",
            "1:2:3:4:5",
            "1.5:00",
            "+1",
            "1h"
        )]
        text: &str,
    ) {
        assert!(instant(text).unwrap_err().contains("5:12:30.5"));
    }

    #[rstest]
    #[case(0, "0:00.0")]
    #[case(90_590_000_000, "1:30.5")]
    #[case(18_750_000_000_000, "5:12:30.0")]
    #[case(219_600_000_000_001, "2:13:00:00.0")]
    fn an_instant_is_written(#[case] nanos: u64, #[case] text: &str) {
        assert_eq!(in_words(Nanos(nanos)), text);
        assert_eq!(instant(text), Ok(Nanos(nanos / 100_000_000 * 100_000_000)));
    }

    fn segments(bytes: &[u64]) -> Vec<Segment> {
        let segment = |(n, &bytes): (usize, &u64)| Segment {
            begins: Nanos(n as u64 * 1_000_000_000),
            bytes,
            path: std::path::PathBuf::new(),
        };
        bytes.iter().enumerate().map(segment).collect()
    }

    /// Nothing of what was recorded is lost among the stretches, nor told twice.
    #[rstest]
    #[case::goes_on(5_000_000_000)]
    #[case::killed_at_once(4_000_000_000)]
    fn all_of_a_reel_is_in_its_stretches(
        #[case] ends: u64,
        #[values(1, 3, 5, 80)] stretches: usize,
    ) {
        let folder = tempfile::tempdir().unwrap();
        for segment in segments(&[10, 20, 0, 40, 7]) {
            let name = gtrig_formats::reel::segment_name(segment.begins);
            std::fs::write(folder.path().join(name), vec![0; segment.bytes as usize]).unwrap();
        }
        let part = ReelPart::of(folder.path(), Nanos(0)).unwrap();
        let density = ReelPart { ends: Nanos(ends), ..part }.density(stretches);
        assert!((density.iter().sum::<f64>() - 77.0).abs() < 1e-6, "{density:?}");
    }

    #[rstest]
    #[case::small_is_whole(&[10, 10, 10], 0, 0..3)]
    #[case::with_the_one_before(&[PART_BYTES / 2; 5], 2, 1..3)]
    #[case::at_least_up_to_it(&[PART_BYTES; 5], 3, 2..4)]
    #[case::the_last(&[PART_BYTES / 4; 9], 8, 7..9)]
    #[case::small_ones(&[1; 999], 300, 299..499)]
    #[case::the_first(&[PART_BYTES / 4; 9], 0, 0..4)]
    fn a_part_has_what_led_to_it_and_what_fits(
        #[case] bytes: &[u64],
        #[case] at: usize,
        #[case] part: Range<usize>,
    ) {
        assert_eq!(part_at(&segments(bytes), at), part);
    }
}
