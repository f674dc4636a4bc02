//! The devices of a machine, as a report: what each is, its controls with their
//! codes and ranges, and what may not be read.

use crate::report::{Report, Table, cell, json_line, rows_of};
use gtrig_core::{ControlInfo, ControlKind, DeviceInfo, DeviceKind, Keyword};
use serde::Serialize;
use std::io::{self, Write};

/// A device that was found, and where.
#[derive(Clone, Debug)]
pub struct FoundDevice {
    /// Its node: `/dev/input/event5`.
    pub node: String,
    /// What it is here.
    pub info: DeviceInfo,
    /// For each control the type and code of the kernel's events; a hat has one code
    /// for two controls.
    pub codes: Vec<Option<(u16, u16)>>,
    /// Why it is not listened to without an express wish.
    pub left_alone: Option<String>,
    /// The map that it is seen through.
    pub map: Option<Mapped>,
    /// How often it reported, where somebody listened.
    pub rate: Option<ReportRate>,
    /// For each control, where that is said, its range in the world: the smallest and
    /// the largest value, and their unit. Empty where it is said of none.
    pub physical: Vec<Option<(f64, f64, String)>>,
}

/// The map of a device, and what its controls are made of.
#[derive(Clone, Debug)]
pub struct Mapped {
    /// The file of the map.
    pub file: String,
    /// For each control the names that its parts have without the map.
    pub from: Vec<Vec<String>>,
}

/// How often a device reported.
#[derive(Clone, Copy, Debug, Serialize)]
pub struct ReportRate {
    /// So many reports in all.
    pub reports: u64,
    /// The median time between two, in milliseconds; `None` of fewer than two.
    pub median_ms: Option<f64>,
    /// The longest time between two, in milliseconds.
    pub longest_ms: Option<f64>,
}

/// A node that may not be read.
#[derive(Clone, Debug)]
pub struct RefusedDevice {
    /// Its node.
    pub node: String,
    /// What its device is called, where the system says so.
    pub name: Option<String>,
    /// Why.
    pub why: String,
    /// What to do about it; several lines.
    pub remedy: String,
}

/// What was found under a folder.
#[derive(Clone, Debug)]
pub struct DeviceReport {
    lines: Vec<Line>,
}

#[derive(Clone, Debug, Serialize)]
#[serde(tag = "line", rename_all = "kebab-case")]
enum Line {
    Device(DeviceLine),
    Refused(RefusedLine),
}

#[derive(Clone, Debug, Serialize)]
struct DeviceLine {
    node: String,
    kind: &'static str,
    name: String,
    identity: String,
    bus: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    left_alone: Option<String>,
    #[serde(skip_serializing_if = "Option::is_none")]
    map: Option<String>,
    #[serde(flatten)]
    rate: Option<ReportRate>,
    controls: Vec<ControlLine>,
}

#[derive(Clone, Debug, Serialize)]
struct ControlLine {
    control: String,
    kind: &'static str,
    /// What it is made of by a map: names without the map.
    #[serde(skip_serializing_if = "Option::is_none")]
    from: Option<Vec<String>>,
    /// The type and the code of the kernel's events.
    event_type: Option<u16>,
    code: Option<u16>,
    /// Where it is in which report, without a driver between.
    #[serde(skip_serializing_if = "Option::is_none")]
    report: Option<u8>,
    #[serde(skip_serializing_if = "Option::is_none")]
    bit: Option<u32>,
    #[serde(skip_serializing_if = "Option::is_none")]
    width: Option<u8>,
    /// Its range in the world.
    #[serde(skip_serializing_if = "Option::is_none")]
    physical_min: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    physical_max: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    unit: Option<String>,
    min: Option<i32>,
    max: Option<i32>,
    /// What it reports when nobody touches it.
    rest: i32,
    resolution: i32,
    flat: i32,
    fuzz: i32,
}

#[derive(Clone, Debug, Serialize)]
struct RefusedLine {
    node: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    name: Option<String>,
    why: String,
    remedy: String,
}

impl DeviceReport {
    /// A report about these: what nobody plays with comes after the others.
    pub fn new(mut found: Vec<FoundDevice>, refused: Vec<RefusedDevice>) -> Self {
        found.sort_by_key(|device| device.info.kind == DeviceKind::System);
        let device = |device: FoundDevice| Line::Device(DeviceLine::new(device));
        let refusal = |RefusedDevice { node, name, why, remedy }| {
            Line::Refused(RefusedLine { node, name, why, remedy })
        };
        let lines = found.into_iter().map(device).chain(refused.into_iter().map(refusal));
        DeviceReport { lines: lines.collect() }
    }
}

impl DeviceLine {
    fn new(found: FoundDevice) -> Self {
        let FoundDevice { node, info, codes, left_alone, map, rate, mut physical } = found;
        physical.resize(info.controls.len(), None);
        let (map, from) = match map {
            Some(Mapped { file, from }) => (Some(file), from.into_iter().map(Some).collect()),
            None => (None, vec![None; info.controls.len()]),
        };
        let controls = info.controls.iter().zip(codes).zip(from).zip(physical);
        DeviceLine {
            node,
            kind: info.kind.word(),
            name: info.name.to_string(),
            identity: info.identity.clone(),
            bus: info.bus.to_string(),
            left_alone,
            map,
            rate,
            controls: controls
                .map(|(((c, code), from), physical)| ControlLine {
                    physical_min: physical.as_ref().map(|(min, ..)| *min),
                    physical_max: physical.as_ref().map(|(_, max, _)| *max),
                    unit: physical.map(|(.., unit)| unit).filter(|unit| !unit.is_empty()),
                    ..ControlLine::new(c, code, from)
                })
                .collect(),
        }
    }

    fn write_text(&self, out: &mut dyn Write) -> io::Result<()> {
        let DeviceLine { node, kind, name, identity, bus, .. } = self;
        writeln!(out, "{kind:<6} {name}  {node}")?;
        writeln!(out, "       {identity}, {}", if bus.is_empty() { "bus unknown" } else { bus })?;
        if let Some(why) = &self.left_alone {
            writeln!(out, "       left alone without `--kernel all`: {why}")?;
        }
        if let Some(file) = &self.map {
            writeln!(out, "       by the map {file}")?;
        }
        if let Some(ReportRate { reports, median_ms, longest_ms }) = self.rate {
            let times = match median_ms.zip(longest_ms) {
                Some((median, longest)) => {
                    format!(", one every {median:.2} ms (median), the longest gap {longest:.1} ms")
                }
                None => String::new(),
            };
            writeln!(out, "       {reports} reports{times}")?;
        }
        let (buttons, others): (Vec<_>, Vec<_>) = self
            .controls
            .iter()
            .partition(|c| c.kind == "button" && c.is_as_found() && c.report.is_none());
        let mut row = String::new();
        for button in buttons {
            if row.len() + button.control.len() > WIDTH {
                writeln!(out, "       {}", row.trim_end())?;
                row.clear();
            }
            row += &format!("{} ", button.control);
        }
        if !row.is_empty() {
            writeln!(out, "       {}", row.trim_end())?;
        }
        others.iter().try_for_each(|control| writeln!(out, "       {}", control.words()))
    }
}

/// How wide a row of buttons may be.
const WIDTH: usize = 90;

impl ControlLine {
    fn new(control: &ControlInfo, code: Option<(u16, u16)>, from: Option<Vec<String>>) -> Self {
        let range = control.kind.ends();
        ControlLine {
            control: control.code.clone(),
            kind: match control.kind {
                ControlKind::Button => "button",
                ControlKind::Axis { .. } => "axis",
                ControlKind::Trigger { .. } => "trigger",
                ControlKind::Position { .. } => "position",
                ControlKind::Relative => "relative",
            },
            from,
            event_type: code.map(|(kind, _)| kind),
            code: code.map(|(_, code)| code),
            report: control.bits.map(|bits| bits.report),
            bit: control.bits.map(|bits| bits.first),
            width: control.bits.map(|bits| bits.width),
            physical_min: None,
            physical_max: None,
            unit: None,
            min: range.map(|(min, _)| min),
            max: range.map(|(_, max)| max),
            rest: control.kind.rest(),
            resolution: control.grain.resolution,
            flat: control.grain.flat,
            fuzz: control.grain.fuzz,
        }
    }

    /// Whether no map made it something else.
    fn is_as_found(&self) -> bool {
        self.from.as_ref().is_none_or(|from| *from == [self.control.as_str()])
    }

    fn words(&self) -> String {
        let ControlLine { control, kind, rest, .. } = self;
        let mut words = format!("{control:<18} {kind:<9}");
        if let (Some(min), Some(max)) = (self.min, self.max) {
            words += &format!(" {min} to {max}");
        }
        if *kind == "axis" || *kind == "trigger" {
            words += &format!(", rest {rest}");
        }
        for (name, value) in
            [("units per mm or radian", self.resolution), ("flat", self.flat), ("fuzz", self.fuzz)]
        {
            if value != 0 {
                words += &format!(", {value} {name}");
            }
        }
        if let (Some(min), Some(max)) = (self.physical_min, self.physical_max) {
            let unit = self.unit.as_deref().unwrap_or("in the world");
            words += &format!(", {min} to {max} {unit}");
        }
        if let (Some(report), Some(bit), Some(width)) = (self.report, self.bit, self.width) {
            words += &format!(", report {report} bits {bit} to {}", bit + u32::from(width) - 1);
        }
        if let Some(from) = self.from.as_ref().filter(|_| !self.is_as_found()) {
            words += &format!("  of {}", from.join(" and "));
        }
        words
    }
}

impl Report for DeviceReport {
    fn write_text(&self, out: &mut dyn Write) -> io::Result<()> {
        if self.lines.is_empty() {
            return writeln!(out, "no input devices");
        }
        self.lines.iter().try_for_each(|line| match line {
            Line::Device(device) => device.write_text(out),
            Line::Refused(RefusedLine { node, name, why, remedy }) => {
                let name = name.as_deref().unwrap_or("?");
                writeln!(out, "refused {name}  {node}: {why}")?;
                remedy.lines().try_for_each(|line| writeln!(out, "       {line}"))
            }
        })
    }

    fn write_json(&self, out: &mut dyn Write) -> io::Result<()> {
        self.lines.iter().try_for_each(|line| json_line(line, out))
    }

    /// A row for each control, and one for each device that may not be read.
    fn table(&self) -> Table {
        let rows = self.lines.iter().flat_map(|line| match line {
            Line::Device(device) => {
                let row = |control: Option<&ControlLine>| {
                    vec![
                        "device".to_owned(),
                        device.node.clone(),
                        device.kind.to_owned(),
                        device.name.clone(),
                        device.identity.clone(),
                        device.bus.clone(),
                        cell(control.map(|control| &control.control)),
                        cell(control.map(|control| control.kind)),
                        cell(control.and_then(|control| control.event_type)),
                        cell(control.and_then(|control| control.code)),
                        cell(control.and_then(|control| control.min)),
                        cell(control.and_then(|control| control.max)),
                        cell(control.map(|control| control.rest)),
                        cell(device.left_alone.as_ref()),
                    ]
                };
                rows_of(&device.controls, row)
            }
            Line::Refused(refused) => {
                let mut row = vec![String::new(); 14];
                row[0] = "refused".to_owned();
                row[1] = refused.node.clone();
                row[3] = refused.name.clone().unwrap_or_default();
                row[13] = refused.why.clone();
                vec![row]
            }
        });
        Table {
            columns: &[
                "line",
                "node",
                "kind",
                "name",
                "identity",
                "bus",
                "control",
                "control_kind",
                "event_type",
                "code",
                "min",
                "max",
                "rest",
                "why",
            ],
            rows: rows.collect(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_core::CleanText;

    fn report() -> DeviceReport {
        let axis = ControlKind::Axis { min: -512, centre: 0, max: 511 };
        let mut stick = ControlInfo::new("stick-l-x", axis);
        stick.grain.fuzz = 16;
        let info = DeviceInfo {
            identity: "0003:6b71:0001:0001::Quay pad".into(),
            kind: DeviceKind::Pad,
            name: CleanText::new("Quay pad\u{1b}[2J"),
            bus: CleanText::new("usb"),
            slot: None,
            controls: vec![ControlInfo::new("south", ControlKind::Button), stick],
        };
        let found = FoundDevice {
            node: "/dev/input/event5".into(),
            info,
            codes: vec![Some((1, 0x130)), Some((3, 0))],
            left_alone: None,
            map: None,
            rate: None,
            physical: Vec::new(),
        };
        let refused = RefusedDevice {
            node: "/dev/input/event6".into(),
            name: Some("Quay lever".into()),
            why: "may not be read".into(),
            remedy: "add yourself to the group `input`".into(),
        };
        DeviceReport::new(vec![found], vec![refused])
    }

    #[test]
    fn people_see_what_it_is_and_what_to_do() {
        let mut text = Vec::new();
        report().write_text(&mut text).unwrap();
        insta::assert_snapshot!(String::from_utf8(text).unwrap(), @r"
        pad    Quay pad�[2J  /dev/input/event5
               0003:6b71:0001:0001::Quay pad, usb
               south
               stick-l-x          axis      -512 to 511, rest 0, 16 fuzz
        refused Quay lever  /dev/input/event6: may not be read
               add yourself to the group `input`
        ");
    }

    #[test]
    fn programs_see_codes_and_ranges() {
        let mut text = Vec::new();
        report().write_json(&mut text).unwrap();
        let lines: Vec<serde_json::Value> = String::from_utf8(text)
            .unwrap()
            .lines()
            .map(|l| serde_json::from_str(l).unwrap())
            .collect();
        assert_eq!(lines[0]["controls"][1]["code"], 0);
        assert_eq!(lines[0]["controls"][1]["min"], -512);
        assert_eq!(lines[1]["line"], "refused");
        let table = report().table();
        assert!(table.rows.iter().all(|row| row.len() == table.columns.len()));
        assert_eq!(table.rows.len(), 3);
    }
}
