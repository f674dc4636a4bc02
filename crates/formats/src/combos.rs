//! What came of the combos of a take, as a report: lines for people, JSON Lines
//! and CSV for programs.

mod beside;
mod lines;

use crate::{
    gestures,
    report::{Report, Table, cell, json_line, rows_of},
    words::{almost_words, attempt_words, copy_device, limit_words, loop_words, rung_words},
};
use gtrig_analysis::{
    Session,
    almost::{Almost, AlmostMet, almost_met},
    ladder::{Attempts, ComboAttempt, ComboAttemptOutcome, Ladder, LimitCheck, Rung},
    lint::begins_alike,
    loops::{LoopDifference, LoopRun},
    stream::StreamWatch,
};
use gtrig_core::{
    ComboId, ComboNews, ComboOutcome, ComboStep, DeviceId, GestureId, GestureVerdict, Nanos, Rig,
    Signal, SignalId, StepKind, Tick, TimeSpan,
};
use lines::{
    AttemptLine, BiteLine, CoarseLine, DifferenceLine, Fired, Line, PaceLine, SummaryLine,
};
use std::{
    collections::BTreeMap,
    io::{self, Write},
};

/// Attempts, combos that get in each other's way, and what loops of other rates
/// make of them.
#[derive(Clone, Debug)]
pub struct ComboReport {
    lines: Vec<Line>,
    /// How many attempts stand in the reports before.
    told: usize,
    near: usize,
    differences: usize,
}

/// The reports of a take that still comes.
#[derive(Clone, Debug)]
pub struct ComboReports {
    attempts: Attempts,
    which: ComboLines,
    told: usize,
    /// Kept until all are known, where the nearest come first.
    near: Vec<(ComboId, ComboAttempt)>,
}

/// Which attempts a report has.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ComboLines {
    /// All of them, in the order in which they ended, and then those that a gesture or a
    /// zone alone kept from being met.
    All,
    /// The near misses, the nearest first; those that a gesture or a zone alone kept
    /// from being met come last.
    Near,
}

impl ComboReports {
    /// Those of a session from its beginning.
    pub fn new(rig: &Rig, which: ComboLines) -> Self {
        ComboReports { attempts: Attempts::new(rig), which, told: 0, near: Vec::new() }
    }

    /// What can be told since the last one; nothing while nothing can.
    pub fn so_far(&mut self, session: &Session) -> Option<ComboReport> {
        let settled = self.attempts.settled(session);
        let told = self.tell(session, settled);
        (!told.lines.is_empty()).then_some(told)
    }

    /// The rest of them, at the end of the take, and what combos do to each other.
    pub fn rest(mut self, session: &Session, streams: &StreamWatch) -> ComboReport {
        let rest = self.attempts.rest(session);
        let mut report = self.tell(session, rest);
        let mut almost = almost_met(session);
        match self.which {
            ComboLines::All => almost.sort_by_key(|almost| almost.attempt.ended),
            ComboLines::Near => {
                self.near.sort_by(|(_, a), (_, b)| shortfall(a).total_cmp(&shortfall(b)));
                report.lines = attempt_lines(session, &self.near);
            }
        }
        let fired = Fired::new(session);
        let of_almost = almost.iter().map(|almost| AttemptLine::almost((session, &fired), almost));
        report.lines.extend(of_almost.map(|line| Line::Attempt(Box::new(line))));
        report.lines.extend(beside::bites(session));
        report.lines.extend(beside::coarse(session, streams));
        let summary = self.summary(session, almost.len());
        report.near = summary.near;
        report.lines.push(Line::Summary(summary));
        report
    }

    fn tell(&mut self, session: &Session, settled: Vec<(ComboId, ComboAttempt)>) -> ComboReport {
        let told = self.told;
        let lines = match self.which {
            ComboLines::All => attempt_lines(session, &settled),
            ComboLines::Near => {
                let is_near = |(_, attempt): &(ComboId, ComboAttempt)| {
                    attempt.outcome == ComboAttemptOutcome::Near
                };
                self.near.extend(settled.into_iter().filter(is_near));
                Vec::new()
            }
        };
        self.told += lines.len();
        ComboReport { lines, told, near: 0, differences: 0 }
    }

    fn summary(&self, session: &Session, almost: usize) -> SummaryLine {
        let count = |outcome: fn(ComboAttemptOutcome) -> bool| {
            self.attempts.all().filter(|attempt| outcome(attempt.outcome)).count()
        };
        let history = session.history().combo_news();
        let fired = history.iter().filter(|news| news.outcome == ComboOutcome::Fired);
        SummaryLine {
            met: count(|outcome| outcome == ComboAttemptOutcome::Met),
            fired: fired.count(),
            near: count(|outcome| outcome == ComboAttemptOutcome::Near) + almost,
            missed: count(|outcome| outcome == ComboAttemptOutcome::Missed),
            broken: count(|outcome| matches!(outcome, ComboAttemptOutcome::Broken(_))),
            stopped: count(|outcome| matches!(outcome, ComboAttemptOutcome::Stopped(_))),
        }
    }
}

fn attempt_lines(session: &Session, attempts: &[(ComboId, ComboAttempt)]) -> Vec<Line> {
    if attempts.is_empty() {
        return Vec::new();
    }
    let fired = Fired::new(session);
    let line = |(combo, attempt): &(ComboId, ComboAttempt)| {
        Line::Attempt(Box::new(AttemptLine::new((session, &fired), *combo, attempt)))
    };
    attempts.iter().map(line).collect()
}

impl ComboReport {
    /// Adds what loops made of the take, and what came out differently.
    pub fn add_pace(&mut self, rig: &Rig, paced: &[LoopRun], differences: &[LoopDifference]) {
        self.lines.extend(paced.iter().map(|paced| Line::Pace(PaceLine::new(paced))));
        self.lines.extend(differences.iter().map(|difference| {
            let LoopDifference { at, combo, met, is_extra, .. } = difference;
            Line::Difference(DifferenceLine {
                poll_hz: paced[*at].of.rate.hz(),
                combo: rig.combos[combo.index()].name.clone(),
                time_ns: met.0,
                result: if *is_extra { "fires" } else { "does not fire" },
                why: loop_words(rig, difference),
            })
        }));
        self.differences += differences.len();
    }

    /// Whether nothing was missed by little, and nothing came out differently.
    pub fn is_clear(&self) -> bool {
        self.near == 0 && self.differences == 0
    }
}

impl Report for ComboReport {
    fn write_text(&self, out: &mut dyn Write) -> io::Result<()> {
        self.lines.iter().try_for_each(|line| writeln!(out, "{}", line.words()))
    }

    fn write_json(&self, out: &mut dyn Write) -> io::Result<()> {
        self.lines.iter().try_for_each(|line| json_line(line, out))
    }

    /// A row for each limit of each attempt, then one for each difference of a
    /// loop.
    fn table(&self) -> Table {
        let mut attempt = self.told;
        let rows = self.lines.iter().flat_map(|line| match line {
            Line::Attempt(line) => {
                attempt += 1;
                line.rows(attempt)
            }
            Line::Difference(line) => vec![line.cells()],
            Line::Bite(_) | Line::Coarse(_) | Line::Pace(_) | Line::Summary(_) => Vec::new(),
        });
        Table {
            columns: &[
                "line",
                "attempt",
                "combo",
                "outcome",
                "from_ns",
                "to_ns",
                "fired_tick",
                "waited_ms",
                "cancelled_by",
                "turned_around",
                "device",
                "limit",
                "unit",
                "value",
                "asked",
                "margin",
                "alone",
                "poll_hz",
                "words",
            ],
            rows: rows.collect(),
        }
    }
}

/// The ladder of a combo over the whole history of a session.
pub fn ladder(session: &Session, combo: ComboId) -> Ladder {
    let now = session.now().combo_now(session.plan());
    Ladder::read(session.rig(), combo, session.history().signal_edges().iter(), now)
}

fn shortfall(attempt: &ComboAttempt) -> f64 {
    attempt.nearest().map_or(f64::INFINITY, LimitCheck::shortfall)
}
