//! What happened, a line each: for people, and as JSON for programs.
//!
//! ```text
//!     1 204.31 ms  report   pad1/south             1
//!     1 216.67 ms  edge     pad1/south             press
//!     1 216.67 ms  action   horn                   on, by pad1/south
//! ```

use crate::{report::json_line, words::verdict_brief};
use gtrig_analysis::{
    Cursor, Session,
    log::{Happening, LogEntry, of_tick},
};
use gtrig_core::{
    ComboNews, ComboOutcome, Edge, GestureOutcome, Gives, LaneMarks, Marks, Nanos, Presence,
};
use serde::Serialize;
use std::{
    fmt,
    io::{self, Write},
};

/// An entry in words.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct LogLine {
    /// When it happened, in nanoseconds.
    pub time_ns: u64,
    /// The tick that saw it.
    pub tick: u32,
    /// `report`, `edge`, `gesture`, `combo` or `action`.
    pub kind: &'static str,
    /// The device, control, gesture, combo or action.
    pub of: String,
    /// What it did.
    pub says: String,
}

impl LogLine {
    /// Puts an entry into words.
    pub fn new(session: &Session, entry: &LogEntry) -> LogLine {
        let (roster, rig) = (session.roster(), session.rig());
        let address = |control| roster.address(control).to_string();
        let (kind, of, says) = match &entry.what {
            Happening::Report(event) => match roster.control(event.control).is_presence {
                true => {
                    let device = roster.device(roster.control(event.control).device);
                    let says = match Presence::from_value(event.value) {
                        Presence::Here => "here",
                        Presence::Deaf => "not heard",
                        Presence::Gone => "gone",
                    };
                    ("report", device.address().to_string(), says.to_owned())
                }
                false => {
                    let says = with(&event.value.to_string(), marked(event.marks));
                    ("report", address(event.control), says)
                }
            },
            Happening::Edge(control, edge, marks) => {
                let says = match edge {
                    Some(Edge::Press) => "press",
                    Some(Edge::Release) => "release",
                    None => "no edge",
                };
                let words = LaneMarks::WORDS.iter().filter(|(mark, _)| marks.contains(*mark));
                ("edge", address(*control), with(says, words.map(|(_, word)| *word)))
            }
            Happening::Gesture(verdict) => {
                let how = match verdict.outcome {
                    GestureOutcome::Fired => "fired: ",
                    GestureOutcome::Missed if verdict.is_near() => "nearly: ",
                    GestureOutcome::Missed => "missed: ",
                    GestureOutcome::Cancelled(_)
                    | GestureOutcome::Broken
                    | GestureOutcome::Open => "",
                };
                let name = rig.gestures[verdict.gesture.index()].name.clone();
                ("gesture", name, format!("{how}{}", verdict_brief(rig, verdict)))
            }
            Happening::Combo(news) => {
                ("combo", rig.combos[news.combo.index()].name.clone(), combo(session, news))
            }
            Happening::Action { action, value, driver } => {
                let spec = &rig.actions[action.index()];
                let mut says = match spec.gives {
                    Gives::On | Gives::Pulse | Gives::Toggle if value[0] > 0.0 => "on".to_owned(),
                    Gives::On | Gives::Pulse | Gives::Toggle => "off".to_owned(),
                    Gives::Axis => format!("{:.3}", value[0]),
                    Gives::Plane | Gives::Polar | Gives::Place => {
                        format!("{:.3} {:.3}", value[0], value[1])
                    }
                };
                if let Some(driver) = driver {
                    says += &format!(", by {}", address(*driver));
                }
                ("action", spec.name.clone(), says)
            }
        };
        LogLine { time_ns: entry.time.0, tick: entry.tick.0, kind, of, says }
    }

    /// Whether it has all these words, whatever their case.
    pub fn has(&self, words: &str) -> bool {
        let text = format!("{} {} {}", self.kind, self.of, self.says).to_lowercase();
        words.to_lowercase().split_whitespace().all(|word| text.contains(word))
    }
}

impl fmt::Display for LogLine {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let LogLine { time_ns, kind, of, says, .. } = self;
        let time = Nanos(*time_ns).to_string();
        write!(f, "{time:>16}  {kind:<8} {of:<22} {says}")
    }
}

fn with(says: &str, marks: impl Iterator<Item = &'static str>) -> String {
    let marks: Vec<&str> = marks.collect();
    if marks.is_empty() { says.to_owned() } else { format!("{says}, {}", marks.join(", ")) }
}

fn marked(marks: Marks) -> impl Iterator<Item = &'static str> {
    Marks::WORDS.iter().filter(move |(mark, _)| marks.contains(*mark)).map(|(_, word)| *word)
}

fn combo(session: &Session, news: &ComboNews) -> String {
    let says = match news.outcome {
        ComboOutcome::Fired => "fired".to_owned(),
        ComboOutcome::Cancelled(by) => {
            format!("met, cancelled by {}", session.rig().combos[by.index()].name)
        }
        ComboOutcome::Forgotten => "met, forgotten: another mode came".to_owned(),
    };
    match news.by {
        Some(by) => format!("{says}, by {}", session.roster().address(by)),
        None => says,
    }
}

/// As what lines are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LogForm {
    /// For people.
    Text,
    /// A JSON object a line.
    Json,
}

/// Writes what happens in a session, while it goes on.
#[derive(Debug)]
pub struct LogWriter<W> {
    cursor: Cursor,
    form: LogForm,
    words: String,
    out: W,
}

impl<W: Write> LogWriter<W> {
    /// A writer of all lines that have these words, from the beginning on.
    pub fn new(session: &Session, form: LogForm, words: &str, out: W) -> Self {
        LogWriter { cursor: Cursor::at_beginning(session), form, words: words.to_owned(), out }
    }

    /// Writes what has happened since, and hands it on.
    ///
    /// # Errors
    /// Those of the output.
    pub fn catch_up(&mut self, session: &Session) -> io::Result<()> {
        let LogWriter { cursor, form, words, out } = self;
        let mut result = Ok(());
        cursor.catch_up(session, |machine| {
            of_tick(session, machine, |entry| {
                let line = LogLine::new(session, &entry);
                if result.is_ok() && line.has(words) {
                    result = match form {
                        LogForm::Text => writeln!(out, "{line}"),
                        LogForm::Json => json_line(&line, out),
                    };
                }
            });
        });
        result?;
        out.flush()
    }
}
