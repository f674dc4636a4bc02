//! How well the reports of devices came, as a report: a table for people, JSON
//! and CSV for programs.

use crate::{
    report::{Report, Table, cell, json_line},
    words::trouble_words,
};
use gtrig_analysis::stream::{DeviceStream, StreamWatch, Trouble, TroubleKind};
use gtrig_core::{Device, DeviceId, Keyword, Nanos, Roster};
use serde::Serialize;
use std::{
    collections::BTreeMap,
    fmt,
    io::{self, Write},
};

/// What a watch found, to be printed.
#[derive(Clone, Debug, Serialize)]
pub struct HealthReport {
    devices: Vec<DeviceRow>,
    /// In order of time; the newest [`gtrig_analysis::stream::MAX_LISTED`].
    troubles: Vec<TroubleRow>,
}

#[derive(Clone, Debug, Serialize)]
struct DeviceRow {
    device: String,
    name: String,
    bus: String,
    events: u64,
    reports: u64,
    events_per_second: f64,
    interval_ms: Option<Intervals>,
    /// When the longest pause between two reports began.
    longest_from_ns: Option<u64>,
    troubles: BTreeMap<&'static str, u64>,
}

#[derive(Clone, Copy, Debug, Serialize)]
struct Intervals {
    median: f64,
    p95: f64,
    p99: f64,
    longest: f64,
}

#[derive(Clone, Debug, Serialize)]
struct TroubleRow {
    kind: &'static str,
    device: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    control: Option<String>,
    from_ns: u64,
    to_ns: u64,
    count: u32,
    #[serde(skip_serializing_if = "Option::is_none")]
    jump: Option<f32>,
    words: String,
}

impl HealthReport {
    /// A report of what a watch over all devices of a roster found, which nothing follows.
    pub fn new(roster: &Roster, watch: &StreamWatch) -> Self {
        let watch = watch.finished();
        let row = |(id, device): (DeviceId, &Device)| {
            watch.device(id).map(|stream| DeviceRow::new(device, stream))
        };
        HealthReport {
            devices: roster.devices().filter_map(row).collect(),
            troubles: watch.troubles().iter().map(|t| TroubleRow::new(roster, t)).collect(),
        }
    }

    /// Whether nothing is wrong.
    pub fn is_well(&self) -> bool {
        self.devices.iter().all(|device| device.troubles.is_empty())
    }
}

impl DeviceRow {
    fn new(device: &Device, stream: &DeviceStream) -> Self {
        let kinds = TroubleKind::ALL.iter().copied().map(|kind| (kind.word(), stream.count(kind)));
        DeviceRow {
            device: device.address().to_string(),
            name: device.info.name.to_string(),
            bus: device.info.bus.to_string(),
            events: stream.events,
            reports: stream.reports,
            events_per_second: stream.events_per_second(),
            interval_ms: Intervals::new(stream),
            longest_from_ns: stream.intervals.longest().map(|(from, _)| from.0),
            troubles: kinds.filter(|(_, count)| *count > 0).collect(),
        }
    }
}

impl Intervals {
    fn new(stream: &DeviceStream) -> Option<Self> {
        let at = |share| stream.intervals.percentile(share).map(Nanos::as_millis);
        let (from, to) = stream.intervals.longest()?;
        Some(Intervals {
            median: at(0.5)?,
            p95: at(0.95)?,
            p99: at(0.99)?,
            longest: Nanos(to.0 - from.0).as_millis(),
        })
    }
}

impl TroubleRow {
    fn new(roster: &Roster, trouble: &Trouble) -> Self {
        TroubleRow {
            kind: trouble.kind.word(),
            device: roster.device(trouble.device).address().to_string(),
            control: trouble.control.map(|id| roster.address(id).to_string()),
            from_ns: trouble.from.0,
            to_ns: trouble.to.0,
            count: trouble.count,
            jump: (trouble.kind == TroubleKind::Gap).then_some(trouble.jump),
            words: trouble_words(trouble, roster),
        }
    }
}

impl Report for HealthReport {
    fn write_text(&self, out: &mut dyn Write) -> io::Result<()> {
        write!(out, "{self}")
    }

    fn write_json(&self, out: &mut dyn Write) -> io::Result<()> {
        json_line(self, out)
    }

    /// A row for each device, then one for each trouble.
    fn table(&self) -> Table {
        let devices = self.devices.iter().map(DeviceRow::cells);
        Table {
            columns: &[
                "line",
                "device",
                "control",
                "kind",
                "from_ns",
                "to_ns",
                "count",
                "jump",
                "events",
                "reports",
                "events_per_second",
                "median_ms",
                "p95_ms",
                "p99_ms",
                "longest_ms",
                "longest_from_ns",
                "words",
            ],
            rows: devices.chain(self.troubles.iter().map(TroubleRow::cells)).collect(),
        }
    }
}

impl DeviceRow {
    fn cells(&self) -> Vec<String> {
        let count: u64 = self.troubles.values().sum();
        let of = self.interval_ms;
        let mut cells = vec!["device".to_owned(), self.device.clone()];
        cells.extend([""; 4].map(str::to_owned));
        cells.extend([count.to_string(), String::new()]);
        cells.extend([self.events.to_string(), self.reports.to_string()]);
        cells.push(self.events_per_second.to_string());
        let intervals = [
            of.map(|of| of.median),
            of.map(|of| of.p95),
            of.map(|of| of.p99),
            of.map(|of| of.longest),
        ];
        cells.extend(intervals.map(cell));
        cells.extend([cell(self.longest_from_ns), self.name.clone()]);
        cells
    }
}

impl TroubleRow {
    fn cells(&self) -> Vec<String> {
        let TroubleRow { kind, device, control, from_ns, to_ns, count, jump, words } = self;
        let mut cells = vec!["trouble".to_owned(), device.clone()];
        cells.extend([cell(control.as_ref()), (*kind).to_owned(), from_ns.to_string()]);
        cells.extend([to_ns.to_string(), count.to_string(), cell(*jump)]);
        cells.extend([""; 8].map(str::to_owned));
        cells.push(words.clone());
        cells
    }
}

impl fmt::Display for HealthReport {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        writeln!(
            f,
            "{:<10}{:>10}{:>10}{:>10}{:>9}{:>9}{:>12}  troubles",
            "device", "reports", "events/s", "median", "p95", "p99 ms", "longest"
        )?;
        for row in &self.devices {
            let DeviceRow { device, reports, events_per_second, .. } = row;
            write!(f, "{device:<10}{reports:>10}{events_per_second:>10.1}")?;
            match row.interval_ms {
                Some(Intervals { median, p95, p99, longest, .. }) => {
                    write!(f, "{median:>10.2}{p95:>9.2}{p99:>9.2}{longest:>12.2}")?;
                }
                None => write!(f, "{:>10}{:>9}{:>9}{:>12}", "-", "-", "-", "-")?,
            }
            let troubles = row.troubles.iter().map(|(kind, count)| format!("{count} {kind}"));
            let troubles: Vec<String> = troubles.collect();
            let none = ["none".to_owned()];
            let shown = if troubles.is_empty() { &none[..] } else { &troubles };
            writeln!(f, "  {}", shown.join(", "))?;
        }
        for TroubleRow { kind, to_ns, words, .. } in &self.troubles {
            write!(f, "\n{:>16}  {kind:<11}{words}", Nanos(*to_ns).to_string())?;
        }
        if self.troubles.is_empty() { Ok(()) } else { writeln!(f) }
    }
}
