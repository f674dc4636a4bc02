//! What a run of a take gave, tick by tick, for other programs to read.
//!
//! A tick appears when something happened in it: an edge, a lost press, or
//! an action that changed. The same take and rig always give the same bytes.

use crate::{
    report::{RowWriter, Rows, cell, json_line},
    words::through_words,
};
use gtrig_analysis::{Session, explain::driven_through};
use gtrig_core::{
    ActionId, ControlId, Edge, Gives, LaneMarks, Machine, Nanos, PollRate, Roster, Tick,
};
use serde::Serialize;
use std::io::{self, Write};

/// How ticks are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TickForm<'a> {
    /// A JSON object a tick, then one of totals.
    JsonLines,
    /// A row for each edge and each changed action.
    Csv(Rows<'a>),
}

/// Which ticks are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TickChoice {
    /// Those in which something happened, with what did.
    Eventful,
    /// All, each with all actions.
    Every,
}

/// Totals of a run.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Totals {
    /// The last tick.
    pub last_tick: u32,
    /// Press edges.
    pub presses: u64,
    /// Release edges.
    pub releases: u64,
    /// Presses that left no press edge.
    pub lost: u64,
    /// Ticks of pauses that were not written; see [`LONGEST_PAUSE`].
    #[serde(skip_serializing_if = "is_zero")]
    pub left_out: u64,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde calls it so")]
fn is_zero(n: &u64) -> bool {
    *n == 0
}

/// Of a longer time in which nothing happens only so much is written tick by tick.
pub const LONGEST_PAUSE: Nanos = Nanos::from_millis(10_000);

/// Writes the ticks of the whole history of a session.
///
/// # Errors
/// Those of `out`.
pub fn write(
    session: &Session,
    form: TickForm,
    choice: TickChoice,
    out: &mut impl Write,
) -> io::Result<Totals> {
    match form {
        TickForm::JsonLines => Run::new(session, choice, JsonSink { out }).write(),
        TickForm::Csv(rows) => {
            let mut writer = rows.writer(&COLUMNS, out)?;
            let totals = Run::new(session, choice, CsvSink { writer: &mut writer }).write();
            writer.finish()?;
            totals
        }
    }
}

/// The columns of the rows.
pub const COLUMNS: [&str; 11] =
    ["tick", "time_ns", "control", "edge", "marks", "action", "x", "y", "by", "via", "since_ns"];

/// One tick of a report.
#[derive(Serialize)]
struct TickLine<'a> {
    tick: u32,
    time_ns: u64,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    edges: Vec<EdgeEntry>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    actions: Vec<ActionEntry<'a>>,
}

#[derive(Serialize)]
struct EdgeEntry {
    control: String,
    /// `press`, `release`, or `none` for a press that left no edge.
    edge: &'static str,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    marks: Vec<&'static str>,
}

#[derive(Serialize)]
struct ActionEntry<'a> {
    action: &'a str,
    value: Value,
    #[serde(skip_serializing_if = "Option::is_none")]
    by: Option<String>,
    /// What that drives it through, where it is more than the control itself.
    #[serde(skip_serializing_if = "Option::is_none")]
    via: Option<String>,
    /// Of a toggle that is on, where every tick is written: when it was turned on.
    #[serde(skip_serializing_if = "Option::is_none")]
    since_ns: Option<u64>,
}

#[derive(Clone, Copy, Serialize)]
#[serde(untagged)]
enum Value {
    Switch(bool),
    Axis(f32),
    Plane([f32; 2]),
}

trait Sink {
    fn tick(&mut self, line: &TickLine) -> io::Result<()>;
    fn end(&mut self, totals: Totals) -> io::Result<()>;
}

struct JsonSink<'w, W> {
    out: &'w mut W,
}

impl<W: Write> Sink for JsonSink<'_, W> {
    fn tick(&mut self, line: &TickLine) -> io::Result<()> {
        json_line(line, self.out)
    }

    fn end(&mut self, totals: Totals) -> io::Result<()> {
        #[derive(Serialize)]
        struct End {
            end: Totals,
        }
        json_line(&End { end: totals }, self.out)
    }
}

struct CsvSink<'w, 'r, W: Write> {
    writer: &'w mut RowWriter<'r, W>,
}

impl<W: Write> Sink for CsvSink<'_, '_, W> {
    fn tick(&mut self, line: &TickLine) -> io::Result<()> {
        let (tick, time) = (line.tick.to_string(), line.time_ns.to_string());
        for edge in &line.edges {
            let marks = edge.marks.join("+");
            let cells = [&tick, &time, &edge.control, edge.edge, &marks, "", "", "", "", "", ""];
            self.writer.row(&cells)?;
        }
        for action in &line.actions {
            let [x, y] = match action.value {
                Value::Switch(on) => [u8::from(on).to_string(), String::new()],
                Value::Axis(x) => [x.to_string(), String::new()],
                Value::Plane([x, y]) => [x.to_string(), y.to_string()],
            };
            let by = action.by.as_deref().unwrap_or_default();
            let via = action.via.as_deref().unwrap_or_default();
            let since = cell(action.since_ns);
            let name = action.action;
            self.writer.row(&[&tick, &time, "", "", "", name, &x, &y, by, via, &since])?;
        }
        Ok(())
    }

    fn end(&mut self, _: Totals) -> io::Result<()> {
        Ok(())
    }
}

struct Run<'a, S> {
    session: &'a Session,
    choice: TickChoice,
    next: Tick,
    last_actions: Vec<ActionEntry<'a>>,
    totals: Totals,
    sink: S,
}

impl<'a, S: Sink> Run<'a, S> {
    fn new(session: &'a Session, choice: TickChoice, sink: S) -> Self {
        let next = session.history().begins();
        let totals = Totals::default();
        let mut run = Run { session, choice, next, last_actions: Vec::new(), totals, sink };
        if choice == TickChoice::Every {
            run.last_actions = run.actions(&Machine::new(session.plan(), next));
        }
        run
    }

    fn write(mut self) -> io::Result<Totals> {
        let session = self.session;
        let mut result = Ok(());
        session.replay(|machine| {
            if result.is_ok() {
                result = self.tick(machine);
            }
        });
        result?;
        let last = session.now().at();
        self.fill_to(last.next())?;
        self.totals.last_tick = last.0;
        self.totals.lost = session.lost_in_history();
        self.sink.end(self.totals)?;
        Ok(self.totals)
    }

    fn is_every(&self) -> bool {
        self.choice == TickChoice::Every
    }

    fn rate(&self) -> PollRate {
        self.session.plan().rate()
    }

    fn tick(&mut self, machine: &Machine) -> io::Result<()> {
        self.fill_to(machine.at())?;
        self.next = machine.next_tick();
        let edges = self.edges(machine);
        let actions = self.actions(machine);
        if self.is_every() || !edges.is_empty() || !actions.is_empty() {
            self.line(machine.at(), edges, actions)?;
        }
        if self.is_every() {
            self.last_actions = self.actions(machine);
        }
        Ok(())
    }

    /// Writes the ticks that were jumped over because nothing happened, of a long pause
    /// its beginning.
    fn fill_to(&mut self, end: Tick) -> io::Result<()> {
        if !self.is_every() {
            return Ok(());
        }
        let pause = Nanos(self.rate().time_of(self.next).0 + LONGEST_PAUSE.0);
        let stop = end.min(self.rate().tick_at(pause));
        self.totals.left_out += u64::from(end.0.saturating_sub(stop.0));
        while self.next < stop {
            let actions = std::mem::take(&mut self.last_actions);
            let line = TickLine {
                tick: self.next.0,
                time_ns: self.rate().time_of(self.next).0,
                edges: Vec::new(),
                actions,
            };
            self.sink.tick(&line)?;
            self.last_actions = line.actions;
            self.next = self.next.next();
        }
        self.next = end.max(self.next);
        Ok(())
    }

    fn line(
        &mut self,
        tick: Tick,
        edges: Vec<EdgeEntry>,
        actions: Vec<ActionEntry<'a>>,
    ) -> io::Result<()> {
        let Nanos(time_ns) = self.rate().time_of(tick);
        self.sink.tick(&TickLine { tick: tick.0, time_ns, edges, actions })
    }

    fn edges(&mut self, machine: &Machine) -> Vec<EdgeEntry> {
        let roster = self.session.roster();
        let mut ids: Vec<ControlId> = machine.touched().to_vec();
        ids.sort_unstable();
        ids.retain(|&id| has_edges(roster, id));
        ids.into_iter().filter_map(|id| self.edge(machine, id)).collect()
    }

    fn edge(&mut self, machine: &Machine, id: ControlId) -> Option<EdgeEntry> {
        let cell = machine.control(id);
        let edge = match cell.edge() {
            Some(Edge::Press) => {
                self.totals.presses += 1;
                "press"
            }
            Some(Edge::Release) => {
                self.totals.releases += 1;
                "release"
            }
            None if cell.marks.contains(LaneMarks::LOST) => "none",
            None => return None,
        };
        let words = LaneMarks::WORDS.iter().filter(|(mark, _)| cell.marks.contains(*mark));
        Some(EdgeEntry {
            control: self.session.roster().address(id).to_string(),
            edge,
            marks: words.map(|(_, word)| *word).collect(),
        })
    }

    fn actions(&self, machine: &Machine) -> Vec<ActionEntry<'a>> {
        let mut ids: Vec<ActionId> = match self.is_every() {
            true => (0..self.session.plan().action_count() as u16).map(ActionId).collect(),
            false => machine.changed().to_vec(),
        };
        ids.sort_unstable();
        ids.into_iter().map(|id| self.action(machine, id)).collect()
    }

    fn action(&self, machine: &Machine, id: ActionId) -> ActionEntry<'a> {
        let spec = &self.session.rig().actions[id.index()];
        let state = machine.action(id);
        let value = match spec.gives {
            Gives::On | Gives::Pulse | Gives::Toggle => Value::Switch(state.is_active()),
            Gives::Axis => Value::Axis(state.x),
            Gives::Plane | Gives::Polar | Gives::Place => Value::Plane([state.x, state.y]),
        };
        let by = state.driver.map(|id| self.session.roster().address(id).to_string());
        let through = driven_through(self.session.rig(), id, state);
        let via = through.map(|through| through_words(self.session.rig(), through));
        // What is written as it changes became so just now.
        let since = match self.is_every() && spec.gives == Gives::Toggle && state.is_active() {
            true => self.session.history().action_lanes(id)[0].since(machine.at()),
            false => None,
        };
        let since_ns = since.map(|tick| self.rate().time_of(tick).0);
        ActionEntry { action: &spec.name, value, by, via, since_ns }
    }
}

fn has_edges(roster: &Roster, id: ControlId) -> bool {
    let control = roster.control(id);
    control.kind.is_button() && !control.is_presence
}
