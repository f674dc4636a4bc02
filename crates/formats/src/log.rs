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
    ComboNews, ComboOutcome, ControlId, Edge, GestureOutcome, Gives, LaneMarks, Marks, Nanos,
    Presence,
};
use serde::Serialize;
use std::{
    collections::BTreeMap,
    fmt::{self, Write as _},
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
        let (mut of, mut says) = (String::new(), String::new());
        // Writing to memory cannot fail.
        let _ = write_of(session, entry, &mut of);
        let _ = write_says(session, entry, &mut says);
        LogLine { time_ns: entry.time.0, tick: entry.tick.0, kind: kind(entry), of, says }
    }
}

const fn kind(entry: &LogEntry) -> &'static str {
    match entry.what {
        Happening::Report(_) => "report",
        Happening::Edge(..) => "edge",
        Happening::Gesture(_) => "gesture",
        Happening::Combo(_) => "combo",
        Happening::Action { .. } => "action",
    }
}

/// Writes who did something.
fn write_of(session: &Session, entry: &LogEntry, out: &mut String) -> fmt::Result {
    let (roster, rig) = (session.roster(), session.rig());
    match &entry.what {
        Happening::Report(event) => {
            let control = roster.control(event.control);
            match control.is_presence {
                true => write!(out, "{}", roster.device(control.device).address()),
                false => write!(out, "{}", roster.address(event.control)),
            }
        }
        Happening::Edge(control, ..) => write!(out, "{}", roster.address(*control)),
        Happening::Gesture(verdict) => out.write_str(&rig.gestures[verdict.gesture.index()].name),
        Happening::Combo(news) => out.write_str(&rig.combos[news.combo.index()].name),
        Happening::Action { action, .. } => out.write_str(&rig.actions[action.index()].name),
    }
}

/// Writes what was done.
fn write_says(session: &Session, entry: &LogEntry, out: &mut String) -> fmt::Result {
    let (roster, rig) = (session.roster(), session.rig());
    match &entry.what {
        Happening::Report(event) if roster.control(event.control).is_presence => {
            out.write_str(match Presence::from_value(event.value) {
                Presence::Here => "here",
                Presence::Deaf => "not heard",
                Presence::Gone => "gone",
            })
        }
        Happening::Report(event) => {
            write!(out, "{}", event.value)?;
            write_marks(&Marks::WORDS, |mark| event.marks.contains(mark), out)
        }
        Happening::Edge(_, edge, marks) => {
            out.write_str(match edge {
                Some(Edge::Press) => "press",
                Some(Edge::Release) => "release",
                None => "no edge",
            })?;
            write_marks(&LaneMarks::WORDS, |mark| marks.contains(mark), out)
        }
        Happening::Gesture(verdict) => {
            let how = match verdict.outcome {
                GestureOutcome::Fired => "fired: ",
                GestureOutcome::Missed if verdict.is_near() => "nearly: ",
                GestureOutcome::Missed => "missed: ",
                GestureOutcome::Cancelled(_) | GestureOutcome::Broken | GestureOutcome::Open => "",
            };
            write!(out, "{how}{}", verdict_brief(rig, verdict))
        }
        Happening::Combo(news) => write_combo(session, news, out),
        Happening::Action { action, value: [x, y], driver } => {
            match rig.actions[action.index()].gives {
                Gives::On | Gives::Pulse | Gives::Toggle => {
                    out.write_str(if *x > 0.0 { "on" } else { "off" })?;
                }
                Gives::Axis => write!(out, "{x:.3}")?,
                Gives::Plane | Gives::Polar | Gives::Place => write!(out, "{x:.3} {y:.3}")?,
            }
            match driver {
                Some(driver) => write!(out, ", by {}", roster.address(*driver)),
                None => Ok(()),
            }
        }
    }
}

fn write_marks<M: Copy>(
    words: &[(M, &'static str)],
    has: impl Fn(M) -> bool,
    out: &mut String,
) -> fmt::Result {
    let marked = words.iter().filter(|(mark, _)| has(*mark));
    marked.into_iter().try_for_each(|(_, word)| write!(out, ", {word}"))
}

fn write_combo(session: &Session, news: &ComboNews, out: &mut String) -> fmt::Result {
    match news.outcome {
        ComboOutcome::Fired => out.write_str("fired")?,
        ComboOutcome::Cancelled(by) => {
            write!(out, "met, cancelled by {}", session.rig().combos[by.index()].name)?;
        }
        ComboOutcome::Forgotten => out.write_str("met, forgotten: another mode came")?,
    }
    match news.by {
        Some(by) => write!(out, ", by {}", session.roster().address(by)),
        None => Ok(()),
    }
}

/// What a line must have to be shown: some words, whatever their case.
#[derive(Clone, Debug, Default)]
pub struct LogFilter {
    words: Vec<String>,
}

impl LogFilter {
    /// A filter by these words; without any, every line passes.
    pub fn new(words: &str) -> LogFilter {
        let words = words.to_lowercase().split_whitespace().map(str::to_owned).collect();
        LogFilter { words }
    }

    /// To tell which lines of a session pass.
    pub fn of<'a>(&'a self, session: &'a Session) -> Sieve<'a> {
        Sieve { words: &self.words, session, missing: BTreeMap::new(), text: String::new() }
    }
}

/// Tells which lines of a session have all the words of a [`LogFilter`].
///
/// Of a thousand reports nearly all are of a few controls: which of the words stand in the
/// name of one is found once, and only for those that do not its value is put into words.
#[derive(Debug)]
pub struct Sieve<'a> {
    words: &'a [String],
    session: &'a Session,
    /// Of each control that reported, the words that do not stand in its name.
    missing: BTreeMap<ControlId, Vec<&'a str>>,
    text: String,
}

impl<'a> Sieve<'a> {
    /// Whether the line of an entry has all the words.
    pub fn passes(&mut self, entry: &LogEntry) -> bool {
        let Sieve { words, session, missing, text } = self;
        if words.is_empty() {
            return true;
        }
        let all = words.iter().map(String::as_str);
        // No word has a space in it: each stands in one of the parts of a line, or in none.
        match entry.what {
            Happening::Report(event) => {
                let missing = missing
                    .entry(event.control)
                    .or_insert_with(|| not_in_name(session, entry, text, all).collect());
                missing.is_empty() || is_all_said(session, entry, text, missing.iter().copied())
            }
            _ => {
                let missing: Vec<&str> = not_in_name(session, entry, text, all).collect();
                missing.is_empty() || is_all_said(session, entry, text, missing.into_iter())
            }
        }
    }
}

/// Those of some words that stand neither in the kind of an entry nor in the name of who
/// did it. `text` is for its words.
fn not_in_name<'a>(
    session: &Session,
    entry: &LogEntry,
    text: &mut String,
    words: impl Iterator<Item = &'a str>,
) -> impl Iterator<Item = &'a str> {
    text.clear();
    let _ = write_of(session, entry, text);
    make_lowercase(text);
    words.filter(|word| !text.contains(word) && !kind(entry).contains(word))
}

/// Whether all of some words stand in what an entry says was done.
fn is_all_said<'a>(
    session: &Session,
    entry: &LogEntry,
    text: &mut String,
    mut words: impl Iterator<Item = &'a str>,
) -> bool {
    text.clear();
    let _ = write_says(session, entry, text);
    make_lowercase(text);
    words.all(|word| text.contains(word))
}

fn make_lowercase(text: &mut String) {
    match text.is_ascii() {
        true => text.make_ascii_lowercase(),
        false => *text = text.to_lowercase(),
    }
}

impl fmt::Display for LogLine {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let LogLine { time_ns, kind, of, says, .. } = self;
        let time = Nanos(*time_ns).to_string();
        write!(f, "{time:>16}  {kind:<8} {of:<22} {says}")
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
    filter: LogFilter,
    out: W,
}

impl<W: Write> LogWriter<W> {
    /// A writer of all lines that have these words, from the beginning on.
    pub fn new(session: &Session, form: LogForm, words: &str, out: W) -> Self {
        LogWriter {
            cursor: Cursor::at_beginning(session),
            form,
            filter: LogFilter::new(words),
            out,
        }
    }

    /// Writes what has happened since, and hands it on.
    ///
    /// # Errors
    /// Those of the output.
    pub fn catch_up(&mut self, session: &Session) -> io::Result<()> {
        let LogWriter { cursor, form, filter, out } = self;
        let (mut result, mut filter) = (Ok(()), filter.of(session));
        cursor.catch_up(session, |machine| {
            of_tick(session, machine, |entry| {
                if result.is_ok() && filter.passes(&entry) {
                    let line = LogLine::new(session, &entry);
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
