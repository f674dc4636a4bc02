//! Audits as reports: a table for people, JSON and CSV for programs.

use crate::report::{Report, Table, cell, json_line};
use gtrig_analysis::{
    audit::{LoopAudit, Presses},
    phase::PhaseLoss,
};
use gtrig_core::{Nanos, Roster};
use serde::Serialize;
use std::{
    fmt,
    io::{self, Write},
};

/// What several loops made of one recording.
#[derive(Clone, Debug, Serialize)]
pub struct AuditReport {
    /// The shortest time any button was down, or up between two presses.
    shortest_state_ms: Option<f64>,
    /// The rate from which on a steady loop cannot lose a press, whatever its
    /// phase: one poll in the shortest state.
    sure_hz: Option<f64>,
    /// The lowest of the audited rates at which nothing was lost, nor would have been
    /// in another phase.
    lowest_lossless_hz: Option<f64>,
    loops: Vec<LoopRow>,
}

#[derive(Clone, Debug, Serialize)]
struct LoopRow {
    poll_hz: f64,
    jitter: f64,
    hitch_every_ms: Option<f64>,
    hitch_lasts_ms: Option<f64>,
    step_hz: Option<f64>,
    total: Row,
    controls: Vec<Row>,
}

#[derive(Clone, Debug, Serialize)]
struct Row {
    /// `all` for all of them together.
    control: String,
    sent: u64,
    seen: u64,
    lost: u64,
    /// What a steady loop of the rate loses on average over all its phases; not known
    /// of what is latched.
    mean_lost: Option<f64>,
    chatter: u64,
    delayed: u64,
    missed_by_step: u64,
    doubled_by_step: u64,
    latency_ms: Option<Latency>,
}

#[derive(Clone, Copy, Debug, Serialize)]
struct Latency {
    min: f64,
    median: f64,
    p95: f64,
    p99: f64,
    max: f64,
}

impl AuditReport {
    /// A report of audits of the same events, each with what its rate loses over all
    /// phases.
    pub fn new(
        roster: &Roster,
        audits: &[(LoopAudit, Vec<PhaseLoss>)],
        shortest_state: Option<Nanos>,
    ) -> Self {
        let loops: Vec<LoopRow> =
            audits.iter().map(|(audit, losses)| LoopRow::new(roster, audit, losses)).collect();
        let lossless = loops.iter().filter(|row| row.total.is_lossless());
        let rates = lossless.map(|row| row.poll_hz);
        AuditReport {
            shortest_state_ms: shortest_state.map(Nanos::as_millis),
            sure_hz: shortest_state.filter(|s| s.0 > 0).map(|s| 1e9 / s.0 as f64),
            lowest_lossless_hz: rates.reduce(f64::min),
            loops,
        }
    }

    /// Whether none of the loops lost a press, and none would have in another phase.
    pub fn is_lossless(&self) -> bool {
        self.loops.iter().all(|row| row.total.is_lossless())
    }
}

impl LoopRow {
    fn new(roster: &Roster, audit: &LoopAudit, losses: &[PhaseLoss]) -> Self {
        let loss = |id| losses.iter().find(|loss| loss.control == id).map(|loss| loss.lost);
        let all = losses.iter().map(|loss| loss.lost).reduce(|a, b| a + b);
        let name = |id| roster.address(id).to_string();
        let of = audit.of;
        LoopRow {
            poll_hz: of.rate.hz(),
            jitter: of.jitter,
            hitch_every_ms: of.hitches.map(|h| h.every.as_millis()),
            hitch_lasts_ms: of.hitches.map(|h| h.lasts.as_millis()),
            step_hz: of.step.map(gtrig_core::PollRate::hz),
            total: Row::new("all".to_owned(), &audit.total, all),
            controls: audit
                .controls
                .iter()
                .map(|(id, presses)| Row::new(name(*id), presses, loss(*id)))
                .collect(),
        }
    }
}

impl Row {
    fn new(control: String, presses: &Presses, mean_lost: Option<f64>) -> Self {
        let at = |share| presses.latency(share).map(Nanos::as_millis);
        let latency = || {
            Some(Latency {
                min: at(0.0)?,
                median: at(0.5)?,
                p95: at(0.95)?,
                p99: at(0.99)?,
                max: at(1.0)?,
            })
        };
        Row {
            control,
            sent: presses.sent,
            seen: presses.seen,
            lost: presses.lost,
            mean_lost,
            chatter: presses.chatter,
            delayed: presses.delayed,
            missed_by_step: presses.missed_by_step,
            doubled_by_step: presses.doubled_by_step,
            latency_ms: latency(),
        }
    }

    /// Whether no press was lost, nor would have been in another phase.
    fn is_lossless(&self) -> bool {
        self.lost == 0 && self.mean_lost.is_none_or(|lost| lost == 0.0)
    }

    /// What is counted, in the order of the columns.
    fn counts(&self, mean: impl Fn(f64) -> String) -> [String; 8] {
        [
            self.sent.to_string(),
            self.seen.to_string(),
            self.lost.to_string(),
            self.mean_lost.map_or(String::new(), mean),
            self.chatter.to_string(),
            self.delayed.to_string(),
            self.missed_by_step.to_string(),
            self.doubled_by_step.to_string(),
        ]
    }
}

/// The widths of the columns that hold numbers, and their titles.
const COLUMNS: [(usize, &str); 13] = [
    (5, "sent"),
    (5, "seen"),
    (5, "lost"),
    (7, "mean"),
    (8, "chatter"),
    (8, "delayed"),
    (7, "missed"),
    (8, "doubled"),
    (8, "min ms"),
    (8, "median"),
    (8, "p95"),
    (8, "p99"),
    (8, "max"),
];

impl Report for AuditReport {
    fn write_text(&self, out: &mut dyn Write) -> io::Result<()> {
        write!(out, "{self}")
    }

    fn write_json(&self, out: &mut dyn Write) -> io::Result<()> {
        json_line(self, out)
    }

    /// A row for each control by each loop, and one for all controls.
    fn table(&self) -> Table {
        let rows = |by: &LoopRow| -> Vec<_> {
            by.controls.iter().chain([&by.total]).map(|row| by.cells(row)).collect()
        };
        Table {
            columns: &[
                "poll_hz",
                "jitter",
                "hitch_every_ms",
                "hitch_lasts_ms",
                "step_hz",
                "control",
                "sent",
                "seen",
                "lost",
                "mean_lost",
                "chatter",
                "delayed",
                "missed_by_step",
                "doubled_by_step",
                "latency_min_ms",
                "latency_median_ms",
                "latency_p95_ms",
                "latency_p99_ms",
                "latency_max_ms",
            ],
            rows: self.loops.iter().flat_map(rows).collect(),
        }
    }
}

impl LoopRow {
    fn cells(&self, row: &Row) -> Vec<String> {
        let counts = row.counts(|mean| mean.to_string());
        let latency = row.latency_ms.map(Latency::list);
        let mut cells = vec![
            self.poll_hz.to_string(),
            self.jitter.to_string(),
            cell(self.hitch_every_ms),
            cell(self.hitch_lasts_ms),
            cell(self.step_hz),
            row.control.clone(),
        ];
        cells.extend(counts);
        cells.extend((0..5).map(|n| cell(latency.map(|latency| latency[n]))));
        cells
    }
}

impl Latency {
    fn list(self) -> [f64; 5] {
        let Latency { min, median, p95, p99, max } = self;
        [min, median, p95, p99, max]
    }
}

impl fmt::Display for AuditReport {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:>8}  {:<20}", "poll Hz", "control")?;
        for (width, title) in COLUMNS {
            write!(f, "{title:>width$}")?;
        }
        writeln!(f)?;
        for row in &self.loops {
            let rate = row.poll_hz.to_string();
            for (at, control) in row.controls.iter().chain([&row.total]).enumerate() {
                let rate = if at == 0 { rate.as_str() } else { "" };
                writeln!(f, "{rate:>8}  {control}")?;
            }
        }
        writeln!(f)?;
        match self.lowest_lossless_hz {
            Some(hz) => writeln!(
                f,
                "Nothing is lost at {hz} Hz, the lowest of these rates that loses nothing, whatever the phase of a steady loop."
            )?,
            None => {
                writeln!(
                    f,
                    "Every one of these rates loses presses, in this phase or in another."
                )?;
            }
        }
        writeln!(f, "mean: what a steady loop of the rate loses on average over all its phases.")?;
        match (self.shortest_state_ms, self.sure_hz) {
            (Some(ms), Some(hz)) => writeln!(
                f,
                "The shortest press or pause lasted {ms:.2} ms: a steady loop of {:.0} Hz or more cannot lose one, whatever its phase.",
                hz.ceil()
            ),
            _ => writeln!(f, "No button was pressed and released: there is nothing to lose."),
        }
    }
}

impl fmt::Display for Row {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:<20}", self.control)?;
        for ((width, _), count) in COLUMNS.iter().zip(self.counts(|mean| format!("{mean:.2}"))) {
            write!(f, "{count:>width$}")?;
        }
        match self.latency_ms {
            Some(latency) => latency.list().iter().try_for_each(|ms| write!(f, "{ms:>8.2}")),
            None => write!(f, "{:>8}", "–"),
        }
    }
}
