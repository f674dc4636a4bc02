//! What a stick was measured to do, as a report: lines for people, JSON and
//! CSV for programs.

use crate::{
    report::{Report, Table, cell, json_line},
    words::missing_words,
};
use gtrig_analysis::measure::{Known, Measurement, Proposal, SECTORS, SnapBack};
use gtrig_core::{Nanos, Travel};
use serde::Serialize;
use std::{
    fmt,
    io::{self, Write},
};

/// A measurement of one stick, axis or trigger.
#[derive(Clone, Debug, Serialize)]
pub struct MeasureReport {
    /// What was measured: `pad1/stick-l`.
    pub control: String,
    /// Whether it is an axis or a trigger, and no stick.
    is_single: bool,
    /// How far it gets to the low and the high end of x.
    ends: [Option<f32>; 2],
    /// What is to be done, in order, and whether it was.
    steps: Vec<GuideStep>,
    centre: Entry<[f32; 2]>,
    noise: Entry<f32>,
    rest_radius: Entry<f32>,
    drift_per_minute: Entry<f32>,
    circularity_error: Entry<f32>,
    asymmetry: Entry<[f32; 2]>,
    hold_jitter: Entry<f32>,
    snap_back: Entry<Snap>,
    levels: [usize; 2],
    effective_bits: [f32; 2],
    /// Median and 95th percentile.
    report_interval_ms: Entry<[f64; 2]>,
    reach_by_5_degrees: Vec<Option<f32>>,
    /// In how many of these it was rolled along the rim.
    rolled_directions: usize,
    proposal: Proposed,
}

/// A step of the guide.
#[derive(Clone, Copy, Debug, Serialize)]
struct GuideStep {
    to_do: &'static str,
    is_done: bool,
}

/// A value, or what to do so that there is one.
#[derive(Clone, Copy, Debug, Serialize)]
#[serde(untagged)]
enum Entry<T> {
    Known(T),
    Missing { missing: &'static str },
}

#[derive(Clone, Copy, Debug, Serialize)]
struct Snap {
    releases: usize,
    overshoot: f32,
    settles_in_ms: f64,
    crossings: usize,
}

#[derive(Clone, Copy, Debug, Serialize)]
struct Proposed {
    calibrate_x: Entry<[i32; 3]>,
    calibrate_y: Entry<[i32; 3]>,
    dead_zone: Entry<f32>,
    uncalibrated_dead_zone: Entry<f32>,
    snap_back_dead_zone: Entry<f32>,
    outer: Entry<f32>,
    uncalibrated_outer: Entry<f32>,
}

impl<T> Entry<T> {
    fn new<S>(known: Known<S>, value: impl Fn(S) -> T) -> Self {
        match known {
            Ok(known) => Entry::Known(value(known)),
            Err(missing) => Entry::Missing { missing: missing_words(missing) },
        }
    }

    fn known(&self) -> Option<&T> {
        match self {
            Entry::Known(value) => Some(value),
            Entry::Missing { .. } => None,
        }
    }

    fn words(&self, known: impl Fn(&T) -> String) -> Result<String, &'static str> {
        match self {
            Entry::Known(value) => Ok(known(value)),
            Entry::Missing { missing } => Err(missing),
        }
    }
}

/// A line of a report: what it is about, and the value with what it means, or
/// what to do so that there is one.
pub type Line = (&'static str, Result<String, &'static str>);

impl MeasureReport {
    /// A report about a stick, axis or trigger of this name.
    pub fn new(control: String, found: &Measurement, proposal: &Proposal) -> Self {
        let same = |v: f32| v;
        let travel = |t: Travel| [t.min, t.centre, t.max];
        MeasureReport {
            control,
            is_single: found.is_single,
            ends: found.ends(),
            steps: found
                .steps()
                .into_iter()
                .map(|(step, is_done)| GuideStep { to_do: missing_words(step), is_done })
                .collect(),
            centre: Entry::new(found.centre, |v| v),
            noise: Entry::new(found.noise, same),
            rest_radius: Entry::new(found.rest_radius, same),
            drift_per_minute: Entry::new(found.drift_per_minute, same),
            circularity_error: Entry::new(found.circularity_error, same),
            asymmetry: Entry::new(found.asymmetry, |v| v),
            hold_jitter: Entry::new(found.hold_jitter, same),
            snap_back: Entry::new(found.snap_back, Snap::new),
            levels: found.levels,
            effective_bits: found.levels.map(|levels| (levels.max(1) as f32).log2()),
            report_interval_ms: Entry::new(found.interval, |both| both.map(Nanos::as_millis)),
            reach_by_5_degrees: found.reach.to_vec(),
            rolled_directions: found.rolled.iter().flatten().count(),
            proposal: Proposed {
                calibrate_x: Entry::new(proposal.travel[0], travel),
                calibrate_y: Entry::new(proposal.travel[1], travel),
                dead_zone: Entry::new(proposal.dead_zone, same),
                uncalibrated_dead_zone: Entry::new(proposal.uncalibrated_dead_zone, same),
                snap_back_dead_zone: Entry::new(proposal.snap_back_dead_zone, same),
                outer: Entry::new(proposal.outer, same),
                uncalibrated_outer: Entry::new(proposal.uncalibrated_outer, same),
            },
        }
    }

    /// The cells of its row, in the order of the columns.
    fn cells(&self) -> Vec<String> {
        let known = |entry: &Entry<f32>| cell(entry.known());
        let both = |entry: &Entry<[f32; 2]>| [0, 1].map(|n| cell(entry.known().map(|v| v[n])));
        let travel = |entry: &Entry<[i32; 3]>| {
            cell(entry.known().map(|[min, centre, max]| format!("{min} {centre} {max}")))
        };
        let snap = self.snap_back.known();
        let interval = self.report_interval_ms.known();
        let mut cells = vec![self.control.clone()];
        cells.extend(both(&self.centre));
        cells.extend([&self.noise, &self.rest_radius, &self.drift_per_minute].map(known));
        cells.extend(self.ends.map(cell));
        cells.push(known(&self.circularity_error));
        cells.extend(both(&self.asymmetry));
        cells.push(known(&self.hold_jitter));
        cells.extend([
            cell(snap.map(|snap| snap.releases)),
            cell(snap.map(|snap| snap.overshoot)),
            cell(snap.map(|snap| snap.settles_in_ms)),
            cell(snap.map(|snap| snap.crossings)),
        ]);
        cells.extend(self.levels.map(|levels| levels.to_string()));
        cells.extend([0, 1].map(|n| cell(interval.map(|both| both[n]))));
        cells.push(self.rolled_directions.to_string());
        let Proposed {
            calibrate_x,
            calibrate_y,
            dead_zone,
            uncalibrated_dead_zone,
            snap_back_dead_zone,
            outer,
            uncalibrated_outer,
        } = &self.proposal;
        cells.extend([travel(calibrate_x), travel(calibrate_y)]);
        cells.extend([dead_zone, uncalibrated_dead_zone, snap_back_dead_zone].map(known));
        cells.extend([outer, uncalibrated_outer].map(known));
        cells
    }

    /// What was measured, a line each.
    pub fn lines(&self) -> Vec<Line> {
        let share = |v: &f32| format!("{v:.4} of the travel");
        let [x_bits, y_bits] = self.effective_bits;
        let levels = match self.is_single {
            true => format!("{}: {x_bits:.1} bits in use", self.levels[0]),
            false => format!(
                "{} × {}: {x_bits:.1} and {y_bits:.1} bits in use",
                self.levels[0], self.levels[1]
            ),
        };
        let mut lines = vec![
            ("centre", self.centre.words(|place| self.centre_words(*place))),
            (
                "noise at rest",
                self.noise.words(|v| format!("{v:.4} (standard deviation within a second)")),
            ),
            ("rest radius", self.rest_radius.words(|v| format!("{v:.4} holds 99.9 % of it"))),
            // Where it is known it stands beside the centre.
            ("drift", self.drift_per_minute.words(|_| String::new())),
            ("reach", Ok(self.reach())),
            ("circularity", self.circularity_error.words(|v| format!("{:.1} % error", v * 100.0))),
            ("asymmetry", self.asymmetry.words(|[x, y]| format!("{x:+.3} in x, {y:+.3} in y"))),
            ("hold jitter", self.hold_jitter.words(share)),
            ("snap-back", self.snap_back.words(Snap::words)),
            ("levels", Ok(levels)),
            (
                "reports",
                self.report_interval_ms.words(|[median, most]| {
                    format!("every {median:.2} ms while it moves, 95 % within {most:.2} ms")
                }),
            ),
        ];
        // A single axis has no directions; of a stick that has all, the reach says
        // how round it is.
        let is_said = self.is_single || matches!(self.circularity_error, Entry::Known(_));
        lines.retain(|(name, _)| match *name {
            "circularity" => !is_said,
            "asymmetry" => !self.is_single,
            "drift" => self.drift_per_minute.known().is_none(),
            _ => true,
        });
        lines
    }

    /// Where it rests, and how far that moves.
    fn centre_words(&self, [x, y]: [f32; 2]) -> String {
        match self.drift_per_minute.known() {
            Some(drift) => format!("{x:+.4} {y:+.4}, drifts by {drift:.4} a minute"),
            None => format!("{x:+.4} {y:+.4}"),
        }
    }

    fn reach(&self) -> String {
        let known = self.rolled_directions;
        match (self.is_single, self.ends) {
            (false, _) => match self.circularity_error {
                Entry::Known(error) => {
                    format!("all {known} directions, {:.1} % out of round", error * 100.0)
                }
                Entry::Missing { .. } => format!("{known} of {SECTORS} directions"),
            },
            (true, [None, None]) => "neither end yet".to_owned(),
            (true, [low, high]) => {
                let side =
                    |sign: &'static str, end: Option<f32>| end.map(|end| format!("{sign}{end:.3}"));
                let sides = [side("-", low), side("+", high)];
                format!(
                    "{} of the travel",
                    sides.into_iter().flatten().collect::<Vec<_>>().join(" and ")
                )
            }
        }
    }

    /// What is to be done next, as a step of so many, and how far it is; `None`
    /// when everything was done.
    pub fn next_step(&self) -> Option<String> {
        let at = self.steps.iter().position(|step| !step.is_done)?;
        let (n, of, to_do) = (at + 1, self.steps.len(), self.steps[at].to_do);
        let far = if at == 1 { format!(": {} so far", self.reach()) } else { String::new() };
        Some(format!("step {n} of {of}: {to_do}{far}"))
    }

    /// What follows for a rig, a line each, with the reason and the cost.
    pub fn proposals(&self) -> Vec<Line> {
        let travel = |[min, centre, max]: &[i32; 3]| {
            format!("[{min}, {centre}, {max}]: each side reaches its end, and rest is 0")
        };
        let mut lines = vec![
            ("calibrate-x", self.proposal.calibrate_x.words(travel)),
            ("calibrate-y", self.proposal.calibrate_y.words(travel)),
            (
                "dead-zone",
                self.proposal.dead_zone.words(|v| {
                    let cost = v * 100.0;
                    format!("{v}: the rest radius and a quarter; costs {cost:.0} % of the travel")
                }),
            ),
            ("snap-back zone", self.swings_through().ok_or("")),
            (
                "uncalibrated",
                self.proposal.uncalibrated_dead_zone.words(|v| {
                    let cost = v * 100.0;
                    format!("{v}: holds the offset of rest too; costs {cost:.0} %")
                }),
            ),
            (
                "outer",
                self.proposal.outer.words(|v| {
                    format!(
                        "{v}: every direction gets there; costs {:.0} % of it",
                        (1.0 - v) * 100.0
                    )
                }),
            ),
        ];
        let is_calibrated = lines[..2].iter().all(|(_, value)| value.is_ok());
        lines.retain(|(name, value)| match *name {
            "calibrate-y" => !self.is_single,
            "snap-back zone" => value.is_ok(),
            // Who calibrates needs the other one.
            "uncalibrated" => !is_calibrated,
            _ => true,
        });
        lines
    }
}

impl MeasureReport {
    /// That the dead zone lets through what a released stick swings past rest, if
    /// it does.
    fn swings_through(&self) -> Option<String> {
        let (zone, holds) =
            (self.proposal.dead_zone.known()?, self.proposal.snap_back_dead_zone.known()?);
        (holds > zone)
            .then(|| format!("let go, it swings past a dead zone of {zone}: {holds} would hold it"))
    }
}

impl Snap {
    fn new(snap: SnapBack) -> Self {
        let SnapBack { releases, overshoot, settles_in, crossings } = snap;
        Snap { releases, overshoot, settles_in_ms: settles_in.as_millis(), crossings }
    }

    fn words(&self) -> String {
        let Snap { releases, overshoot, settles_in_ms, crossings } = self;
        format!(
            "{overshoot:.3} past the centre, still after {settles_in_ms:.0} ms, out again {crossings}× ({releases} releases)"
        )
    }
}

impl Report for MeasureReport {
    fn write_text(&self, out: &mut dyn Write) -> io::Result<()> {
        // An empty line between one stick and the next.
        writeln!(out, "{self}")
    }

    fn write_json(&self, out: &mut dyn Write) -> io::Result<()> {
        json_line(self, out)
    }

    /// One row.
    fn table(&self) -> Table {
        Table { columns: &COLUMNS, rows: vec![self.cells()] }
    }
}

const COLUMNS: [&str; 28] = [
    "control",
    "centre_x",
    "centre_y",
    "noise",
    "rest_radius",
    "drift_per_minute",
    "low_end",
    "high_end",
    "circularity_error",
    "asymmetry_x",
    "asymmetry_y",
    "hold_jitter",
    "releases",
    "overshoot",
    "settles_in_ms",
    "crossings",
    "levels_x",
    "levels_y",
    "interval_median_ms",
    "interval_p95_ms",
    "rolled_directions",
    "calibrate_x",
    "calibrate_y",
    "dead_zone",
    "uncalibrated_dead_zone",
    "snap_back_dead_zone",
    "outer",
    "uncalibrated_outer",
];

impl fmt::Display for MeasureReport {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        writeln!(f, "{}", self.control)?;
        let mut line = |(name, value): Line| match value {
            Ok(value) => writeln!(f, "  {name:<15} {value}"),
            Err(missing) => writeln!(f, "  {name:<15} not known: {missing}"),
        };
        self.lines().into_iter().try_for_each(&mut line)?;
        self.proposals().into_iter().try_for_each(&mut line)?;
        match self.next_step() {
            Some(step) => writeln!(f, "  {:<15} {step}", "to know more"),
            None => Ok(()),
        }
    }
}
