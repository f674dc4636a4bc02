//! A session as tables for tools of data: CSV or Parquet, a file each.
//!
//! `docs/tables.md` lists the tables and their columns, and a test compares. What is in them
//! comes from the same run as what `gtrig replay`, `gestures` and `combos` print.

mod columns;
mod csv;
#[cfg(feature = "parquet")]
mod parquet;
mod read;

pub use columns::{Holds, TABLES, TableSpec};
pub use read::{TableFault, take_of_events, take_of_tables};

use crate::{
    combos::{ComboLines, ComboReports},
    gestures::GestureReport,
    report::{Report, Table},
    take::marks_text,
    ticks::{TickLine, TickWriter, Value},
};
use gtrig_analysis::{Session, stream::StreamWatch};
use gtrig_core::{ControlId, ControlKind, DeviceId, Event, Keyword, Nanos, Tick};
use std::{
    fs::{self, File},
    io::{self, BufWriter},
    path::{Path, PathBuf},
};
use tempfile::TempDir;

/// As what tables are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TableForm {
    /// Comma-separated values, with the names of the columns first.
    Csv,
    /// Apache Parquet, compressed.
    #[cfg(feature = "parquet")]
    Parquet,
}

impl TableForm {
    /// What the names of the files end in.
    pub const fn ending(self) -> &'static str {
        match self {
            TableForm::Csv => "csv",
            #[cfg(feature = "parquet")]
            TableForm::Parquet => "parquet",
        }
    }
}

/// What a cell holds.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Cell<'a> {
    Empty,
    Whole(i64),
    Single(f32),
    Number(f64),
    Flag(bool),
    Text(&'a str),
}

/// The place of the events among the tables.
const EVENTS: usize = 3;

/// A file that takes rows.
enum Sheet {
    Csv(Box<csv::Sheet<BufWriter<File>>>),
    #[cfg(feature = "parquet")]
    Parquet(Box<parquet::Sheet<BufWriter<File>>>),
}

impl Sheet {
    fn row(&mut self, cells: &[Cell]) -> io::Result<()> {
        match self {
            Sheet::Csv(sheet) => sheet.row(cells),
            #[cfg(feature = "parquet")]
            Sheet::Parquet(sheet) => sheet.row(cells),
        }
    }

    fn finish(self) -> io::Result<()> {
        match self {
            Sheet::Csv(sheet) => sheet.finish(),
            #[cfg(feature = "parquet")]
            Sheet::Parquet(sheet) => sheet.finish(),
        }
    }
}

/// The tables of a session, written while it comes: at the end all of them are there, and
/// before none.
pub struct Tables {
    /// Where they are written, and where they belong.
    folder: TempDir,
    to: PathBuf,
    sheets: Vec<Sheet>,
    events: u64,
    ticks: TickWriter<'static, Vec<u8>>,
    /// Of each control, as it is written.
    addresses: Vec<String>,
    /// So many attempts at gestures are written.
    attempts: usize,
    combos: Option<ComboReports>,
    /// From where on the session keeps what there is.
    begins: Tick,
    begins_at: Nanos,
}

impl std::fmt::Debug for Tables {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Tables").field("events", &self.events).finish_non_exhaustive()
    }
}

impl Tables {
    /// Begins to write the tables of a folder that is not there yet.
    ///
    /// # Errors
    /// When it cannot be made.
    pub fn create(to: &Path, form: TableForm, session: &Session) -> io::Result<Tables> {
        let beside = to.parent().filter(|folder| *folder != Path::new(""));
        let mut builder = tempfile::Builder::new();
        #[cfg(unix)]
        builder.permissions(std::os::unix::fs::PermissionsExt::from_mode(0o777));
        let folder = builder.prefix(".tables-").tempdir_in(beside.unwrap_or(Path::new(".")))?;
        let sheet = |spec: &TableSpec| {
            let file =
                File::create_new(folder.path().join(spec.name).with_extension(form.ending()))?;
            let file = BufWriter::with_capacity(1 << 16, file);
            Ok(match form {
                TableForm::Csv => Sheet::Csv(Box::new(csv::Sheet::new(spec, file)?)),
                #[cfg(feature = "parquet")]
                TableForm::Parquet => Sheet::Parquet(Box::new(parquet::Sheet::new(spec, file)?)),
            })
        };
        let has_combos = !session.rig().combos.is_empty();
        let combos = has_combos.then(|| ComboReports::new(session.rig(), ComboLines::All));
        let sheets = TABLES.iter().map(sheet).collect::<io::Result<_>>()?;
        Ok(Tables {
            folder,
            to: to.to_owned(),
            sheets,
            events: 0,
            ticks: TickWriter::keeping(session),
            addresses: Vec::new(),
            attempts: 0,
            combos,
            begins: session.history().begins(),
            begins_at: session.recording().begins_at,
        })
    }

    fn sheet(&mut self, name: &str) -> &mut Sheet {
        let at = TABLES.iter().position(|spec| spec.name == name);
        &mut self.sheets[at.expect("every table that is written is in the list")]
    }

    /// Writes what ticks have seen since.
    ///
    /// # Errors
    /// Those of the files.
    pub fn catch_up(&mut self, session: &Session) -> io::Result<()> {
        let roster = session.roster();
        for at in self.addresses.len()..roster.controls().len() {
            self.addresses.push(roster.address(ControlId(at as u16)).to_string());
        }
        for event in session.seen_from(self.events) {
            self.event(session, event)?;
        }
        self.events = session.seen_count();
        self.ticks.catch_up(session)?;
        let kept = self.ticks.kept();
        kept.ticks.iter().try_for_each(|tick| self.tick(tick))?;
        if !kept.verdicts.is_empty() {
            let report = GestureReport::of(session, self.attempts, &kept.verdicts);
            self.attempts += kept.verdicts.len();
            self.report("gestures", &report.table())?;
        }
        if let Some(report) = self.combos.as_mut().and_then(|combos| combos.so_far(session)) {
            self.report("combos", &report.table())?;
        }
        Ok(())
    }

    fn event(&mut self, session: &Session, event: Event) -> io::Result<()> {
        let kind = session.roster().control(event.control).kind;
        let marks = marks_text(event.marks);
        let tick = session.plan().rate().tick_seeing(event.time);
        let share = match kind.range() {
            Some(_) => Cell::Single(gtrig_core::normalise(kind, event.value)),
            None => Cell::Empty,
        };
        let cells = [
            nanos(event.time),
            Cell::Whole(tick.0.into()),
            Cell::Whole(event.control.0.into()),
            Cell::Text(&self.addresses[event.control.index()]),
            Cell::Whole(event.value.into()),
            share,
            text(marks.as_ref().map(|text| text.0.as_ref())),
        ];
        self.sheets[EVENTS].row(&cells)
    }

    fn tick(&mut self, kept: &TickLine) -> io::Result<()> {
        let (tick, time) = (Cell::Whole(kept.tick.into()), Cell::Whole(kept.time_ns as i64));
        let counts = [kept.edges.len(), kept.actions.len()].map(|n| Cell::Whole(n as i64));
        self.sheet("ticks").row(&[tick, time, counts[0], counts[1]])?;
        for edge in &kept.edges {
            let marks = edge.marks.join("+");
            let marks = text(Some(&*marks).filter(|marks| !marks.is_empty()));
            let cells = [tick, time, Cell::Text(&edge.control), Cell::Text(edge.edge), marks];
            self.sheet("edges").row(&cells)?;
        }
        for action in &kept.actions {
            let [x, y] = match action.value {
                Value::Switch(on) => [Cell::Single(f32::from(u8::from(on))), Cell::Empty],
                Value::Axis(x) => [Cell::Single(x), Cell::Empty],
                Value::Plane(values) => values.map(Cell::Single),
            };
            let (by, via) = (text(action.by.as_deref()), text(action.via.as_deref()));
            let cells = [tick, time, Cell::Text(&action.action), x, y, by, via];
            self.sheet("actions").row(&cells)?;
        }
        Ok(())
    }

    /// Writes what is known once all has come, and puts the folder where it belongs. `title` is
    /// that of the recording, `rig` the name of the one that it was recorded by. Returns
    /// whether the session still kept all of it; otherwise nothing is said of what labels
    /// meant, nor, of what it has forgotten, of what gestures and zones alone kept combos from.
    ///
    /// # Errors
    /// Those of the files.
    pub fn finish(
        mut self,
        session: &Session,
        streams: &StreamWatch,
        (title, rig): (Option<&str>, Option<&str>),
    ) -> io::Result<bool> {
        self.catch_up(session)?;
        let has_forgotten = session.history().begins() > self.begins;
        let (rig_name, begins) = (session.rig().name.as_str(), self.begins_at);
        let hz = session.plan().rate().hz();
        let row = [
            text(title),
            Cell::Text(rig.unwrap_or(rig_name)),
            Cell::Number(hz),
            nanos(begins),
            nanos(session.ends_at()),
        ];
        self.sheet("take").row(&row)?;
        for label in session.labels() {
            let cells = [nanos(label.time), Cell::Text(label.text.as_str())];
            self.sheet("labels").row(&cells)?;
        }
        self.devices(session)?;
        if !session.rig().gestures.is_empty() {
            let report = if has_forgotten {
                let open = session.now().open_verdicts(session.plan());
                GestureReport::of(session, self.attempts, &open)
            } else {
                GestureReport::rest(session, self.attempts)
            };
            self.report("gestures", &report.table())?;
        }
        if let Some(combos) = self.combos.take() {
            self.report("combos", &combos.rest(session, streams).table())?;
        }
        std::mem::take(&mut self.sheets).into_iter().try_for_each(Sheet::finish)?;
        fs::rename(self.folder.path(), &self.to)?;
        // What is where it belongs is not taken away.
        let _ = self.folder.keep();
        Ok(!has_forgotten)
    }

    fn devices(&mut self, session: &Session) -> io::Result<()> {
        let roster = session.roster();
        for (DeviceId(id), device) in roster.devices() {
            let address = device.address().to_string();
            let slot =
                (device.info.kind.takes_slot() && device.number != 0).then_some(device.number);
            let bus = device.info.bus.as_str();
            let cells = [
                Cell::Whole(id.into()),
                Cell::Text(&address),
                Cell::Text(device.info.kind.word()),
                slot.map_or(Cell::Empty, |slot| Cell::Whole(slot.into())),
                Cell::Text(device.info.name.as_str()),
                Cell::Text(&device.info.identity),
                text(Some(bus).filter(|bus| !bus.is_empty())),
            ];
            self.sheet("devices").row(&cells)?;
        }
        for (at, control) in roster.controls().iter().enumerate() {
            let id = ControlId(at as u16);
            let address = roster.address(id).to_string();
            let DeviceId(device) = control.device;
            let whole = |n: i32| Cell::Whole(n.into());
            let (word, [min, centre, max]) = match control.kind {
                ControlKind::Button => ("button", [Cell::Empty; 3]),
                ControlKind::Axis { min, centre, max } => ("axis", [min, centre, max].map(whole)),
                ControlKind::Trigger { min, max } => {
                    ("trigger", [whole(min), Cell::Empty, whole(max)])
                }
                ControlKind::Position { min, max } => {
                    ("position", [whole(min), Cell::Empty, whole(max)])
                }
                ControlKind::Relative => ("relative", [Cell::Empty; 3]),
            };
            let word = if control.is_presence { "presence" } else { word };
            let info = (!control.is_presence).then(|| roster.info(id));
            let grain = info.map(|info| info.grain).unwrap_or_default();
            let bits = info.and_then(|info| info.bits);
            let not_0 = |n: i32| if n == 0 { Cell::Empty } else { whole(n) };
            let of_bits = |n: Option<u32>| n.map_or(Cell::Empty, |n| Cell::Whole(n.into()));
            let cells = [
                Cell::Whole(at as i64),
                Cell::Whole(device.into()),
                Cell::Text(&address),
                Cell::Text(roster.code(id)),
                Cell::Text(word),
                min,
                centre,
                max,
                not_0(grain.resolution),
                not_0(grain.flat),
                not_0(grain.fuzz),
                of_bits(bits.map(|bits| bits.report.into())),
                of_bits(bits.map(|bits| bits.first)),
                of_bits(bits.map(|bits| bits.width.into())),
            ];
            self.sheet("controls").row(&cells)?;
        }
        Ok(())
    }

    /// A report, each cell as what its column holds.
    fn report(&mut self, name: &str, table: &Table) -> io::Result<()> {
        let spec = TABLES.iter().find(|spec| spec.name == name);
        let columns = spec.map_or(&[][..], |spec| spec.columns);
        for row in &table.rows {
            let cells: io::Result<Vec<Cell>> =
                row.iter().zip(columns).map(|(text, (_, holds))| typed(text, *holds)).collect();
            self.sheet(name).row(&cells?)?;
        }
        Ok(())
    }
}

fn text(text: Option<&str>) -> Cell<'_> {
    text.map_or(Cell::Empty, Cell::Text)
}

fn nanos(time: Nanos) -> Cell<'static> {
    Cell::Whole(time.0 as i64)
}

/// The text of a cell as what its column holds.
fn typed(text: &str, holds: Holds) -> io::Result<Cell<'_>> {
    let cell = match holds {
        _ if text.is_empty() => Some(Cell::Empty),
        Holds::Whole => text.parse().ok().map(Cell::Whole),
        Holds::Single => text.parse().ok().map(Cell::Single),
        Holds::Number => text.parse().ok().map(Cell::Number),
        Holds::Flag => text.parse().ok().map(Cell::Flag),
        Holds::Text => Some(Cell::Text(text)),
    };
    cell.ok_or_else(|| io::Error::other(format!("{text:?} is not what its column holds")))
}
