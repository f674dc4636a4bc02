//! What a run of a take gave, tick by tick, for other programs to read.
//!
//! A tick appears when something happened in it: an edge, a lost press, or
//! an action that changed. The same take and rig always give the same bytes, whether it is
//! [written](write()) once it is read or [line by line](TickWriter) while it comes.

mod greeting;

pub use greeting::write_greeting;

use crate::{
    gestures::verdict_line,
    report::{RowWriter, Rows, cell, json_line},
    words::through_words,
};
use gtrig_analysis::{Cursor, Session, explain::driven_through};
use gtrig_core::{
    ActionId, ComboId, ComboNews, ComboOutcome, ControlId, Edge, GestureVerdict, Gives, LaneMarks,
    Machine, Nanos, Roster, Tick,
};
use serde::Serialize;
use std::io::{self, Write};

/// How ticks are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TickForm<'a> {
    /// A JSON object a tick, then one of totals.
    JsonLines,
    /// The same without totals, and with what came of gestures and combos.
    Published,
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
    let mut ticks = TickWriter::new(session, form, choice, out)?;
    ticks.catch_up(session)?;
    ticks.finish(session)
}

/// Writes the ticks of a session while it goes on.
///
/// However often it is asked to catch up, it writes the same bytes.
#[derive(Debug)]
pub struct TickWriter<'r, W: Write> {
    cursor: Cursor,
    lines: Lines<'r, W>,
}

impl<'r, W: Write> TickWriter<'r, W> {
    /// Writes what stands before the first tick, if anything does.
    ///
    /// # Errors
    /// Those of `out`.
    pub fn new(
        session: &Session,
        form: TickForm<'r>,
        choice: TickChoice,
        out: W,
    ) -> io::Result<Self> {
        let sink = match form {
            TickForm::JsonLines => Sink::JsonLines(out),
            TickForm::Published => Sink::Published(out),
            TickForm::Csv(rows) => Sink::Csv(Box::new(rows.writer(&COLUMNS, out)?)),
        };
        let cursor = Cursor::at_beginning(session);
        let lines = Lines::new(session, choice, cursor.next_tick(), sink);
        Ok(TickWriter { cursor, lines })
    }

    /// One that publishes what happens from now on.
    pub fn publishing(session: &Session, out: W) -> Self {
        let cursor = Cursor::at_end(session);
        let (choice, sink) = (TickChoice::Eventful, Sink::Published(out));
        TickWriter { lines: Lines::new(session, choice, cursor.next_tick(), sink), cursor }
    }

    /// One that keeps the ticks in which something happened, from the first on.
    pub(crate) fn keeping(session: &Session) -> Self {
        let cursor = Cursor::at_beginning(session);
        let (choice, sink) = (TickChoice::Eventful, Sink::Kept(Kept::default()));
        TickWriter { lines: Lines::new(session, choice, cursor.next_tick(), sink), cursor }
    }

    /// What was kept since this was last asked.
    pub(crate) fn kept(&mut self) -> Kept {
        match &mut self.lines.sink {
            Sink::Kept(kept) => std::mem::take(kept),
            _ => Kept::default(),
        }
    }

    /// What is written to.
    pub fn out(&mut self) -> Option<&mut W> {
        match &mut self.lines.sink {
            Sink::JsonLines(out) | Sink::Published(out) => Some(out),
            Sink::Csv(_) | Sink::Kept(_) => None,
        }
    }

    /// Writes the ticks that have run since.
    ///
    /// # Errors
    /// Those of the output.
    pub fn catch_up(&mut self, session: &Session) -> io::Result<()> {
        let mut result = Ok(());
        let lines = &mut self.lines;
        let forgotten = self.cursor.catch_up(session, |machine| {
            if result.is_ok() {
                result = lines.tick(session, machine);
            }
        });
        self.lines.totals.left_out += u64::from(forgotten);
        result
    }

    /// Hands on what is written.
    ///
    /// # Errors
    /// Those of the output.
    pub fn flush(&mut self) -> io::Result<()> {
        self.lines.sink.flush()
    }

    /// Writes what stands at the end. All ticks must have been written.
    ///
    /// # Errors
    /// Those of the output.
    pub fn finish(mut self, session: &Session) -> io::Result<Totals> {
        self.lines.end(session)?;
        self.flush()?;
        Ok(self.lines.totals)
    }
}

/// What was kept instead of written.
#[derive(Debug, Default)]
pub(crate) struct Kept {
    pub(crate) ticks: Vec<TickLine>,
    pub(crate) verdicts: Vec<GestureVerdict>,
}

/// The columns of the rows.
pub const COLUMNS: [&str; 11] =
    ["tick", "time_ns", "control", "edge", "marks", "action", "x", "y", "by", "via", "since_ns"];

/// One tick of a report.
#[derive(Debug, Serialize)]
pub(crate) struct TickLine {
    pub(crate) tick: u32,
    pub(crate) time_ns: u64,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(crate) edges: Vec<EdgeEntry>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(crate) actions: Vec<ActionEntry>,
}

#[derive(Debug, Serialize)]
pub(crate) struct EdgeEntry {
    pub(crate) control: String,
    /// `press`, `release`, or `none` for a press that left no edge.
    pub(crate) edge: &'static str,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(crate) marks: Vec<&'static str>,
}

#[derive(Debug, Serialize)]
pub(crate) struct ActionEntry {
    pub(crate) action: String,
    pub(crate) value: Value,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) by: Option<String>,
    /// What that drives it through, where it is more than the control itself.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(crate) via: Option<String>,
    /// Of a toggle that is on, where every tick is written: when it was turned on.
    #[serde(skip_serializing_if = "Option::is_none")]
    since_ns: Option<u64>,
}

#[derive(Clone, Copy, Debug, Serialize)]
#[serde(untagged)]
pub(crate) enum Value {
    Switch(bool),
    Axis(f32),
    Plane([f32; 2]),
}

/// Where the lines go, and how.
#[derive(Debug)]
enum Sink<'r, W: Write> {
    JsonLines(W),
    Published(W),
    Csv(Box<RowWriter<'r, W>>),
    Kept(Kept),
}

impl<W: Write> Sink<'_, W> {
    /// Takes a line, and gives back what it did not keep.
    fn tick(&mut self, line: TickLine) -> io::Result<TickLine> {
        match self {
            Sink::JsonLines(out) | Sink::Published(out) => json_line(&line, out)?,
            Sink::Csv(writer) => rows(writer, &line)?,
            Sink::Kept(kept) => {
                let (tick, time_ns) = (line.tick, line.time_ns);
                kept.ticks.push(line);
                return Ok(TickLine { tick, time_ns, edges: Vec::new(), actions: Vec::new() });
            }
        }
        Ok(line)
    }

    fn end(&mut self, totals: Totals) -> io::Result<()> {
        #[derive(Serialize)]
        struct End {
            end: Totals,
        }
        match self {
            Sink::JsonLines(out) => json_line(&End { end: totals }, out),
            Sink::Published(_) | Sink::Csv(_) | Sink::Kept(_) => Ok(()),
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        match self {
            Sink::JsonLines(out) | Sink::Published(out) => out.flush(),
            Sink::Csv(writer) => writer.flush(),
            Sink::Kept(_) => Ok(()),
        }
    }
}

/// The rows of a tick.
fn rows<W: Write>(writer: &mut RowWriter<'_, W>, line: &TickLine) -> io::Result<()> {
    let (tick, time) = (line.tick.to_string(), line.time_ns.to_string());
    for edge in &line.edges {
        let marks = edge.marks.join("+");
        let cells = [&tick, &time, &edge.control, edge.edge, &marks, "", "", "", "", "", ""];
        writer.row(&cells)?;
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
        let name = action.action.as_str();
        writer.row(&[&tick, &time, "", "", "", name, &x, &y, by, via, &since])?;
    }
    Ok(())
}

/// What is written, and what of it is known so far.
#[derive(Debug)]
struct Lines<'r, W: Write> {
    choice: TickChoice,
    next: Tick,
    last_actions: Vec<ActionEntry>,
    totals: Totals,
    sink: Sink<'r, W>,
}

impl<'r, W: Write> Lines<'r, W> {
    fn new(session: &Session, choice: TickChoice, next: Tick, sink: Sink<'r, W>) -> Self {
        let last_actions = match choice {
            TickChoice::Every => actions(session, &Machine::new(session.plan(), next), choice),
            TickChoice::Eventful => Vec::new(),
        };
        Lines { choice, next, last_actions, totals: Totals::default(), sink }
    }

    fn end(&mut self, session: &Session) -> io::Result<()> {
        let last = session.now().at();
        self.fill_to(session, last.next())?;
        self.totals.last_tick = last.0;
        self.totals.lost = session.lost_in_history();
        self.sink.end(self.totals)
    }

    fn tick(&mut self, session: &Session, machine: &Machine) -> io::Result<()> {
        let is_every = self.choice == TickChoice::Every;
        self.fill_to(session, machine.at())?;
        self.next = machine.next_tick();
        let edges = self.edges(session, machine);
        let actions = actions(session, machine, self.choice);
        self.recognised(session, machine)?;
        if !is_every && edges.is_empty() && actions.is_empty() {
            return Ok(());
        }
        let Nanos(time_ns) = session.plan().rate().time_of(machine.at());
        let line = TickLine { tick: machine.at().0, time_ns, edges, actions };
        let line = self.sink.tick(line)?;
        if is_every {
            self.last_actions = line.actions;
        }
        Ok(())
    }

    /// Writes the ticks that were jumped over because nothing happened, of a long pause
    /// its beginning.
    fn fill_to(&mut self, session: &Session, end: Tick) -> io::Result<()> {
        if self.choice != TickChoice::Every {
            return Ok(());
        }
        let rate = session.plan().rate();
        let pause = Nanos(rate.time_of(self.next).0 + LONGEST_PAUSE.0);
        let stop = end.min(rate.tick_at(pause));
        self.totals.left_out += u64::from(end.0.saturating_sub(stop.0));
        while self.next < stop {
            let actions = std::mem::take(&mut self.last_actions);
            let Nanos(time_ns) = rate.time_of(self.next);
            let line = TickLine { tick: self.next.0, time_ns, edges: Vec::new(), actions };
            let line = self.sink.tick(line)?;
            self.last_actions = line.actions;
            self.next = self.next.next();
        }
        self.next = end.max(self.next);
        Ok(())
    }

    /// What came of gestures and combos, where it is asked for.
    fn recognised(&mut self, session: &Session, machine: &Machine) -> io::Result<()> {
        let out = match &mut self.sink {
            Sink::Published(out) => out,
            Sink::Kept(kept) => {
                kept.verdicts.extend(machine.verdicts());
                return Ok(());
            }
            Sink::JsonLines(_) | Sink::Csv(_) => return Ok(()),
        };
        for verdict in machine.verdicts() {
            verdict_line(session, verdict, out)?;
        }
        machine.combo_news().iter().try_for_each(|news| combo_line(session, news, out))
    }

    fn edges(&mut self, session: &Session, machine: &Machine) -> Vec<EdgeEntry> {
        let roster = session.roster();
        let mut ids: Vec<ControlId> = machine.touched().to_vec();
        ids.sort_unstable();
        ids.retain(|&id| has_edges(roster, id));
        ids.into_iter().filter_map(|id| self.edge(roster, machine, id)).collect()
    }

    fn edge(&mut self, roster: &Roster, machine: &Machine, id: ControlId) -> Option<EdgeEntry> {
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
            control: roster.address(id).to_string(),
            edge,
            marks: words.map(|(_, word)| *word).collect(),
        })
    }
}

/// How everything stands, as the line of a tick with all actions.
///
/// # Errors
/// Those of `out`.
pub fn write_state(session: &Session, out: &mut impl Write) -> io::Result<()> {
    let machine = session.now();
    let tick = machine.at();
    let actions = actions(session, machine, TickChoice::Every);
    let Nanos(time_ns) = session.plan().rate().time_of(tick);
    json_line(&TickLine { tick: tick.0, time_ns, edges: Vec::new(), actions }, out)
}

/// What came of the steps of a combo.
fn combo_line(session: &Session, news: &ComboNews, out: &mut impl Write) -> io::Result<()> {
    #[derive(Serialize)]
    struct Line<'a> {
        line: &'static str,
        combo: &'a str,
        outcome: &'static str,
        #[serde(skip_serializing_if = "Option::is_none")]
        cancelled_by: Option<&'a str>,
        tick: u32,
        #[serde(skip_serializing_if = "Option::is_none")]
        by: Option<String>,
    }
    let name = |combo: ComboId| session.rig().combos[combo.index()].name.as_str();
    let (outcome, cancelled_by) = match news.outcome {
        ComboOutcome::Fired => ("fired", None),
        ComboOutcome::Cancelled(other) => ("cancelled", Some(name(other))),
        ComboOutcome::Forgotten => ("forgotten", None),
    };
    let by = news.by.map(|by| session.roster().address(by).to_string());
    let (line, combo, tick) = ("combo", name(news.combo), news.tick.0);
    json_line(&Line { line, combo, outcome, cancelled_by, tick, by }, out)
}

/// The actions that changed, or all of them.
fn actions(session: &Session, machine: &Machine, choice: TickChoice) -> Vec<ActionEntry> {
    let mut ids: Vec<ActionId> = match choice {
        TickChoice::Every => (0..session.plan().action_count() as u16).map(ActionId).collect(),
        TickChoice::Eventful => machine.changed().to_vec(),
    };
    ids.sort_unstable();
    ids.into_iter().map(|id| action(session, machine, id, choice)).collect()
}

fn action(session: &Session, machine: &Machine, id: ActionId, choice: TickChoice) -> ActionEntry {
    let spec = &session.rig().actions[id.index()];
    let state = machine.action(id);
    let value = match spec.gives {
        Gives::On | Gives::Pulse | Gives::Toggle => Value::Switch(state.is_active()),
        Gives::Axis => Value::Axis(state.x),
        Gives::Plane | Gives::Polar | Gives::Place => Value::Plane([state.x, state.y]),
    };
    let by = state.driver.map(|id| session.roster().address(id).to_string());
    let through = driven_through(session.rig(), id, state);
    let via = through.map(|through| through_words(session.rig(), through));
    // What is written as it changes became so just now.
    let is_on = spec.gives == Gives::Toggle && state.is_active();
    let since = match choice == TickChoice::Every && is_on {
        true => session.history().action_lanes(id)[0].since(machine.at()),
        false => None,
    };
    let since_ns = since.map(|tick| session.plan().rate().time_of(tick).0);
    ActionEntry { action: spec.name.clone(), value, by, via, since_ns }
}

fn has_edges(roster: &Roster, id: ControlId) -> bool {
    let control = roster.control(id);
    control.kind.is_button() && !control.is_presence
}
