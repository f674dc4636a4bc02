//! Tables as a take again, and events that another program wrote as CSV.

mod events;

pub use events::take_of_events;

use super::csv::unescaped;
use crate::take::{TakeWriter, marks};
use csv::{Reader, StringRecord};
use gtrig_analysis::{Label, learn::readings};
use gtrig_core::{
    AddressedAs, AxisInfo, CleanText, ControlInfo, ControlKind, DeviceId, DeviceInfo, DeviceKind,
    Event, Keyword, LAST_TIME, Marks, Nanos, Presence, ReportBits, Roster, SLOTS, SlotRules,
    vocabulary,
};
use std::{
    collections::HashMap,
    fs::File,
    io::{self, BufReader, Read, Write},
    path::Path,
};

/// Why there is no take of some tables.
#[derive(Debug, thiserror::Error)]
pub enum TableFault {
    /// A file cannot be read.
    #[error("cannot read {file}: {error}")]
    Unreadable {
        /// Which.
        file: String,
        /// Why.
        #[source]
        error: csv::Error,
    },
    /// A table has not a column that is needed.
    #[error("{file}: no column {column}")]
    NoColumn {
        /// Which file.
        file: String,
        /// Which column.
        column: &'static str,
    },
    /// A row says what cannot be.
    #[error("{file}, line {line}: {what}")]
    Row {
        /// Which file.
        file: String,
        /// Which line of it, counted from 1.
        line: u64,
        /// What is wrong.
        what: String,
    },
    /// The take cannot be written.
    #[error(transparent)]
    Unwritable(#[from] io::Error),
}

/// A file of comma-separated values with the names of its columns.
struct Sheet<R> {
    file: String,
    rows: Reader<R>,
    columns: Vec<String>,
    row: StringRecord,
}

impl Sheet<BufReader<File>> {
    fn open(folder: &Path, name: &str) -> Result<Self, TableFault> {
        let path = folder.join(name);
        let file = File::open(&path).map_err(|error| TableFault::Unreadable {
            file: path.display().to_string(),
            error: error.into(),
        })?;
        Sheet::new(name, BufReader::with_capacity(1 << 16, file))
    }

    /// The same of a table that may be missing.
    fn open_if_there(folder: &Path, name: &str) -> Result<Option<Self>, TableFault> {
        folder.join(name).exists().then(|| Sheet::open(folder, name)).transpose()
    }
}

impl<R: Read> Sheet<R> {
    fn new(file: &str, from: R) -> Result<Self, TableFault> {
        let mut rows = Reader::from_reader(from);
        let unreadable = |error| TableFault::Unreadable { file: file.to_owned(), error };
        let columns = rows.headers().map_err(unreadable)?.iter().map(str::to_owned).collect();
        Ok(Sheet { file: file.to_owned(), rows, columns, row: StringRecord::new() })
    }

    /// The place of a column, where it is there.
    fn find(&self, column: &str) -> Option<usize> {
        self.columns.iter().position(|known| known.trim() == column)
    }

    fn column(&self, column: &'static str) -> Result<usize, TableFault> {
        let file = self.file.clone();
        self.find(column).ok_or(TableFault::NoColumn { file, column })
    }

    /// Goes on to the next row; `false` after the last.
    fn next(&mut self) -> Result<bool, TableFault> {
        let file = &self.file;
        self.rows
            .read_record(&mut self.row)
            .map_err(|error| TableFault::Unreadable { file: file.clone(), error })
    }

    /// The line of the file that the row begins in, from 1.
    fn line(&self) -> u64 {
        self.row.position().map_or(0, csv::Position::line)
    }

    fn wrong(&self, what: impl Into<String>) -> TableFault {
        TableFault::Row { file: self.file.clone(), line: self.line(), what: what.into() }
    }

    /// A cell as it was before it was written.
    fn text(&self, at: usize) -> &str {
        unescaped(self.row.get(at).unwrap_or_default())
    }

    /// A number of a cell; `None` of an empty one.
    fn number<T: std::str::FromStr>(&self, at: usize) -> Result<Option<T>, TableFault> {
        match self.text(at) {
            "" => Ok(None),
            text => {
                match text.parse() {
                    Ok(number) => Ok(Some(number)),
                    Err(_) => Err(self
                        .wrong(format!("{text:?} is no number that {} may be", self.columns[at]))),
                }
            }
        }
    }

    fn needed<T: std::str::FromStr>(&self, at: usize) -> Result<T, TableFault> {
        self.number(at)?.ok_or_else(|| self.wrong(format!("no {}", self.columns[at])))
    }

    fn word<T: Keyword>(&self, at: usize) -> Result<T, TableFault> {
        let text = self.text(at);
        T::ALL.iter().copied().find(|word| word.word() == text).ok_or_else(|| {
            let known: Vec<&str> = T::ALL.iter().map(|word| word.word()).collect();
            self.wrong(format!("{text:?} is none of {}", known.join(", ")))
        })
    }

    fn marks(&self, at: Option<usize>) -> Result<Marks, TableFault> {
        match at.map_or("", |at| self.text(at)) {
            "" => Ok(Marks::empty()),
            text => marks(text).map_err(|fault| self.wrong(fault.to_string())),
        }
    }
}

/// A device of the tables.
struct Known {
    info: DeviceInfo,
    /// As it is in the take, while it is there.
    here: Option<DeviceId>,
}

/// Writes the take that the tables in a folder came from; of what games said of their frames
/// nothing is in them. Returns how many events it has.
///
/// # Errors
/// When a table is missing or says what cannot be, with its line; those of `out`.
pub fn take_of_tables(folder: &Path, out: impl Write) -> Result<u64, TableFault> {
    let (title, rig, begins, ends) = about(folder)?;
    let (mut devices, controls) = devices(folder)?;
    let mut labels = labels(folder)?.into_iter().peekable();
    let mut take = TakeWriter::begin(out, title.as_deref(), &rig, begins)?;
    let mut roster = Roster::default();
    let mut sheet = Sheet::open(folder, "events.csv")?;
    let (time_at, control_at) = (sheet.column("time_ns")?, sheet.column("control")?);
    let (value_at, marks_at) = (sheet.column("value")?, sheet.find("marks"));
    let (mut count, mut last) = (0, begins);
    while sheet.next()? {
        let time = Nanos(sheet.needed(time_at)?);
        if time > LAST_TIME {
            return Err(sheet.wrong("later than 30 days"));
        }
        let (control, value) = (sheet.needed::<usize>(control_at)?, sheet.needed(value_at)?);
        let known = controls.get(control).copied();
        let (device, place) =
            known.ok_or_else(|| sheet.wrong(format!("controls.csv has no control {control}")))?;
        while let Some(label) = labels.next_if(|label| label.time < time) {
            take.label(&label)?;
        }
        let known = &mut devices[device];
        let is_gone = place == 0 && Presence::from_value(value) == Presence::Gone;
        if place == 0 && !is_gone && known.here.is_none() {
            let id = roster.admit(known.info.clone(), &SlotRules::default());
            known.here = Some(id.map_err(|error| sheet.wrong(error.to_string()))?);
        }
        let Some(id) = known.here else {
            return Err(sheet.wrong(format!("the device {} is not there", known.info.name)));
        };
        let control = match place {
            0 => Some(roster.device(id).presence()),
            place => roster.device(id).controls().nth(place - 1),
        };
        let control = control.ok_or_else(|| sheet.wrong("no such control"))?;
        take.event(&roster, Event { time, value, control, marks: sheet.marks(marks_at)? })?;
        if is_gone {
            known.here = None;
            roster.dismiss(id);
        }
        (count, last) = (count + 1, last.max(time));
    }
    for label in labels {
        last = last.max(label.time);
        take.label(&label)?;
    }
    take.end(ends.unwrap_or(last).max(last))?;
    take.out().flush()?;
    Ok(count)
}

/// Title and rig, and from when until when it goes.
fn about(folder: &Path) -> Result<(Option<String>, String, Nanos, Option<Nanos>), TableFault> {
    let Some(mut sheet) = Sheet::open_if_there(folder, "take.csv")? else {
        return Ok((None, String::new(), Nanos(0), None));
    };
    let [title, rig] = ["title", "rig"].map(|column| sheet.column(column));
    let [begins, ends] = ["begins_ns", "ends_ns"].map(|column| sheet.column(column));
    let (title, rig, begins, ends) = (title?, rig?, begins?, ends?);
    if !sheet.next()? {
        return Ok((None, String::new(), Nanos(0), None));
    }
    let text = sheet.text(title).to_owned();
    Ok((
        Some(text).filter(|text| !text.is_empty()),
        sheet.text(rig).to_owned(),
        Nanos(sheet.number(begins)?.unwrap_or(0)),
        sheet.number(ends)?.map(Nanos),
    ))
}

fn labels(folder: &Path) -> Result<Vec<Label>, TableFault> {
    let mut all = Vec::new();
    let Some(mut sheet) = Sheet::open_if_there(folder, "labels.csv")? else { return Ok(all) };
    let (time, text) = (sheet.column("time_ns")?, sheet.column("text")?);
    while sheet.next()? {
        let text = CleanText::new(sheet.text(text));
        if text.as_str().is_empty() {
            return Err(sheet.wrong("a label has no text"));
        }
        all.push(Label { time: Nanos(sheet.needed(time)?), text });
    }
    all.sort_by_key(|label| label.time);
    Ok(all)
}

/// The device of a control and its place there; 0 is that which says whether the device is
/// there.
type Place = (usize, usize);

/// The devices, and the place of each control.
fn devices(folder: &Path) -> Result<(Vec<Known>, Vec<Place>), TableFault> {
    let mut devices = Vec::new();
    let mut sheet = Sheet::open(folder, "devices.csv")?;
    let [id, kind, slot] = ["device", "kind", "slot"].map(|column| sheet.column(column));
    let [name, identity, bus] = ["name", "identity", "bus"].map(|column| sheet.column(column));
    let (id, kind, slot, name, identity, bus) = (id?, kind?, slot?, name?, identity?, bus?);
    while sheet.next()? {
        if sheet.needed::<usize>(id)? != devices.len() {
            return Err(sheet.wrong("devices are numbered from 0, in order"));
        }
        let slot = sheet.number::<u8>(slot)?;
        if slot.is_some_and(|slot| !(1..=SLOTS).contains(&slot)) {
            return Err(sheet.wrong(format!("slots are numbered from 1 to {SLOTS}")));
        }
        let info = DeviceInfo {
            identity: sheet.text(identity).to_owned(),
            kind: sheet.word::<DeviceKind>(kind)?,
            name: CleanText::new(sheet.text(name)),
            bus: CleanText::new(sheet.text(bus)),
            slot,
            controls: Vec::new(),
        };
        devices.push(Known { info, here: None });
    }
    let controls = controls(folder, &mut devices)?;
    Ok((devices, controls))
}

fn controls(folder: &Path, devices: &mut [Known]) -> Result<Vec<Place>, TableFault> {
    let mut controls = Vec::new();
    let mut sheet = Sheet::open(folder, "controls.csv")?;
    let (id, device) = (sheet.column("control")?, sheet.column("device")?);
    let (code, kind) = (sheet.column("code")?, sheet.column("kind")?);
    let numbers = ["min", "centre", "max", "resolution", "flat", "fuzz"];
    let [min, centre, max, resolution, flat, fuzz] = numbers.map(|column| sheet.find(column));
    let [report, bit, width] = ["report", "bit", "width"].map(|column| sheet.find(column));
    while sheet.next()? {
        if sheet.needed::<usize>(id)? != controls.len() {
            return Err(sheet.wrong("controls are numbered from 0, in order"));
        }
        let device = sheet.needed::<usize>(device)?;
        let Some(known) = devices.get_mut(device) else {
            return Err(sheet.wrong(format!("devices.csv has no device {device}")));
        };
        let of = |at: Option<usize>| at.map_or(Ok(None), |at| sheet.number::<i32>(at));
        let end = |at: Option<usize>, what: &str| {
            of(at)?.ok_or_else(|| sheet.wrong(format!("no {what}")))
        };
        let kind = match sheet.text(kind) {
            "presence" => {
                controls.push((device, 0));
                continue;
            }
            "button" => ControlKind::Button,
            "relative" => ControlKind::Relative,
            "axis" => ControlKind::Axis {
                min: end(min, "min")?,
                centre: end(centre, "centre")?,
                max: end(max, "max")?,
            },
            "trigger" => ControlKind::Trigger { min: end(min, "min")?, max: end(max, "max")? },
            "position" => ControlKind::Position { min: end(min, "min")?, max: end(max, "max")? },
            other => {
                return Err(sheet.wrong(format!(
                    "{other:?} is none of presence, button, axis, trigger, position, relative"
                )));
            }
        };
        let code = sheet.text(code);
        let is_known = known.info.controls.iter().any(|of| of.code == code);
        if !ControlInfo::is_code(code) || is_known {
            return Err(sheet.wrong(format!("{code:?} is no name, or there twice")));
        }
        let grain = AxisInfo {
            resolution: of(resolution)?.unwrap_or(0),
            flat: of(flat)?.unwrap_or(0),
            fuzz: of(fuzz)?.unwrap_or(0),
        };
        let part = |at: Option<usize>| at.map_or(Ok(None), |at| sheet.number::<u32>(at));
        let bits = match (part(report)?, part(bit)?, part(width)?) {
            (Some(report), Some(first), Some(width)) if report < 256 && width <= 32 => {
                Some(ReportBits { report: report as u8, first, width: width as u8 })
            }
            _ => None,
        };
        known.info.controls.push(ControlInfo { code: code.to_owned(), kind, grain, bits });
        controls.push((device, known.info.controls.len()));
    }
    Ok(controls)
}
