//! What came of the gestures of a take, as a report: lines for people, JSON
//! Lines and CSV for programs.

use crate::{
    report::{Report, Table, cell, json_line, rows_of},
    words::verdict_words,
};
use gtrig_analysis::{
    Session, score,
    score::{Confusion, Score},
};
use gtrig_core::{CheckedLimit, GestureOutcome, GestureVerdict, Nanos, PollRate, Rig};
use serde::Serialize;
use std::io::{self, Write};

/// Verdicts and, where labels say what was meant, how they were understood.
#[derive(Clone, Debug)]
pub struct GestureReport {
    /// How many verdicts stand in the reports before.
    told: usize,
    verdicts: Vec<Line>,
    meant: Vec<Line>,
    confusions: Vec<Line>,
    score: Option<Line>,
}

/// A line of the report; its first key says what it is about.
#[derive(Clone, Debug, Serialize)]
#[serde(tag = "line", rename_all = "kebab-case")]
enum Line {
    Verdict(VerdictLine),
    Meant(MeantLine),
    Confusion(ConfusionLine),
    Score(ScoreLine),
}

#[derive(Clone, Debug, Serialize)]
struct VerdictLine {
    gesture: String,
    kind: &'static str,
    outcome: &'static str,
    /// Missed by little.
    near: bool,
    #[serde(skip_serializing_if = "Option::is_none")]
    cancelled_by: Option<String>,
    /// The contact of its first finger.
    control: String,
    fingers: u8,
    from_ns: u64,
    to_ns: u64,
    tick: u32,
    met_tick: Option<u32>,
    fired_tick: Option<u32>,
    /// From meeting its limits to firing.
    waited_ms: Option<f64>,
    value: [f32; 2],
    from_mm: [f32; 2],
    to_mm: [f32; 2],
    checks: Vec<CheckLine>,
    words: String,
}

#[derive(Clone, Debug, Serialize)]
pub(crate) struct CheckLine {
    limit: &'static str,
    unit: &'static str,
    value: f32,
    asked: f32,
    /// By how much the limit was met; negative where it was not.
    margin: f32,
    /// Whether this limit alone, moved by the margin, decides.
    alone: bool,
}

#[derive(Clone, Debug, Serialize)]
struct MeantLine {
    gesture: String,
    time_ns: u64,
    result: &'static str,
    words: String,
}

/// A cell of the table of what was meant against what fired.
#[derive(Clone, Debug, Serialize)]
struct ConfusionLine {
    /// What a label names; nothing where no label is near.
    meant_gesture: Option<String>,
    fired_gesture: Option<String>,
    count: usize,
}

#[derive(Clone, Debug, Serialize)]
struct ScoreLine {
    meant: usize,
    hits: usize,
    misses: usize,
    false_alarms: usize,
}

/// Writes what came of an attempt, as the report says it.
///
/// # Errors
/// Those of `out`.
pub(crate) fn verdict_line(
    session: &Session,
    verdict: &GestureVerdict,
    out: &mut dyn Write,
) -> io::Result<()> {
    json_line(&Line::Verdict(VerdictLine::new(session, verdict)), out)
}

/// The word for what became of an attempt.
pub(crate) const fn outcome_word(outcome: GestureOutcome) -> &'static str {
    match outcome {
        GestureOutcome::Fired => "fired",
        GestureOutcome::Missed => "missed",
        GestureOutcome::Open => "open",
        GestureOutcome::Cancelled(_) => "cancelled",
        GestureOutcome::Broken => "broken",
    }
}

impl GestureReport {
    /// A report over the whole history of a session.
    pub fn new(session: &Session) -> Self {
        GestureReport::rest(session, 0)
    }

    /// What attempts that are over came to, without the first `told`, which are known
    /// already: a report while the take comes, before its [rest](GestureReport::rest).
    pub fn so_far(session: &Session, told: usize) -> Self {
        let verdicts: Vec<_> = session.history().verdicts().iter().skip(told).copied().collect();
        GestureReport::of(session, told, &verdicts)
    }

    /// What these attempts came to, of which there were `told` before.
    pub(crate) fn of(session: &Session, told: usize, verdicts: &[GestureVerdict]) -> Self {
        let line = |verdict: &GestureVerdict| Line::Verdict(VerdictLine::new(session, verdict));
        let verdicts = verdicts.iter().map(line).collect();
        let (meant, confusions, score) = (Vec::new(), Vec::new(), None);
        GestureReport { told, verdicts, meant, confusions, score }
    }

    /// How many attempts it tells of.
    pub fn count(&self) -> usize {
        self.verdicts.len()
    }

    /// A report over the whole history without the first `told` attempts.
    pub fn rest(session: &Session, told: usize) -> Self {
        let verdicts = session.attempts();
        let score = score::score(session.rig(), session.labels(), verdicts.iter());
        let line = |verdict: &GestureVerdict| Line::Verdict(VerdictLine::new(session, verdict));
        let confusion = |cell: &Confusion| Line::Confusion(ConfusionLine::new(session.rig(), cell));
        let is_scored = !score.meant.is_empty();
        GestureReport {
            told,
            verdicts: verdicts.iter().skip(told).map(line).collect(),
            meant: meant_lines(session, &score, &verdicts),
            confusions: score.confusions.iter().map(confusion).collect(),
            score: is_scored.then(|| Line::Score(ScoreLine::new(&score))),
        }
    }

    /// Whether every label was understood, and nothing fired that nobody meant.
    pub fn is_understood(&self) -> bool {
        match &self.score {
            Some(Line::Score(score)) => score.misses == 0 && score.false_alarms == 0,
            _ => true,
        }
    }

    fn lines(&self) -> impl Iterator<Item = &Line> {
        self.verdicts.iter().chain(&self.meant).chain(&self.confusions).chain(&self.score)
    }
}

impl Report for GestureReport {
    fn write_text(&self, out: &mut dyn Write) -> io::Result<()> {
        self.lines().try_for_each(|line| writeln!(out, "{}", line.words()))
    }

    fn write_json(&self, out: &mut dyn Write) -> io::Result<()> {
        self.lines().try_for_each(|line| json_line(line, out))
    }

    /// A row for each limit of each attempt, then one for each label and each
    /// false alarm.
    fn table(&self) -> Table {
        let verdicts = self.verdicts.iter().zip(self.told + 1..);
        let limits = verdicts.flat_map(|(line, attempt)| match line {
            Line::Verdict(verdict) => verdict.rows(attempt),
            _ => Vec::new(),
        });
        let meant = self.meant.iter().filter_map(|line| match line {
            Line::Meant(meant) => Some(meant.cells()),
            _ => None,
        });
        Table {
            columns: &[
                "line",
                "attempt",
                "gesture",
                "kind",
                "outcome",
                "near",
                "cancelled_by",
                "control",
                "fingers",
                "from_ns",
                "to_ns",
                "tick",
                "met_tick",
                "fired_tick",
                "waited_ms",
                "limit",
                "unit",
                "value",
                "asked",
                "margin",
                "alone",
                "words",
            ],
            rows: limits.chain(meant).collect(),
        }
    }
}

impl Line {
    fn words(&self) -> String {
        match self {
            Line::Verdict(VerdictLine { gesture, control, words, .. }) => {
                format!("{gesture:<20} {control:<18} {words}")
            }
            Line::Meant(MeantLine { gesture, time_ns, result, words }) => {
                format!("{result:<20} {gesture:<18} meant at {}{words}", Nanos(*time_ns))
            }
            Line::Confusion(ConfusionLine { meant_gesture, fired_gesture, count }) => {
                let meant = meant_gesture.as_deref().unwrap_or("nothing");
                let fired = fired_gesture.as_deref().unwrap_or("nothing");
                format!("meant {meant:<14} fired {fired:<14} {count} times")
            }
            Line::Score(ScoreLine { meant, hits, misses, false_alarms }) => {
                format!("{meant} meant: {hits} hits, {misses} misses; {false_alarms} false alarms")
            }
        }
    }
}

impl VerdictLine {
    fn new(session: &Session, verdict: &GestureVerdict) -> Self {
        let (rig, rate) = (session.rig(), session.plan().rate());
        let gesture = &rig.gestures[verdict.gesture.index()];
        let cancelled_by = match verdict.outcome {
            GestureOutcome::Cancelled(by) => Some(rig.gestures[by.index()].name.clone()),
            _ => None,
        };
        VerdictLine {
            gesture: gesture.name.clone(),
            kind: gesture.kind.word(),
            outcome: outcome_word(verdict.outcome),
            near: verdict.is_near(),
            cancelled_by,
            control: session.roster().address(verdict.contact).to_string(),
            fingers: verdict.fingers,
            from_ns: verdict.began.0,
            to_ns: verdict.ended.0,
            tick: verdict.tick.0,
            met_tick: verdict.met.map(|tick| tick.0),
            fired_tick: verdict.fired.map(|tick| tick.0),
            waited_ms: waited(rate, verdict),
            value: verdict.value,
            from_mm: verdict.way[0],
            to_mm: verdict.way[1],
            checks: verdict.checks().iter().map(CheckLine::new).collect(),
            words: verdict_words(rig, rate, verdict),
        }
    }
}

impl VerdictLine {
    /// A row for each of its limits; one without a limit if it has none.
    fn rows(&self, attempt: usize) -> Vec<Vec<String>> {
        let row = |check: Option<&CheckLine>| {
            vec![
                "verdict".to_owned(),
                attempt.to_string(),
                self.gesture.clone(),
                self.kind.to_owned(),
                self.outcome.to_owned(),
                self.near.to_string(),
                cell(self.cancelled_by.as_ref()),
                self.control.clone(),
                self.fingers.to_string(),
                self.from_ns.to_string(),
                self.to_ns.to_string(),
                self.tick.to_string(),
                cell(self.met_tick),
                cell(self.fired_tick),
                cell(self.waited_ms),
                cell(check.map(|check| check.limit)),
                cell(check.map(|check| check.unit)),
                cell(check.map(|check| check.value)),
                cell(check.map(|check| check.asked)),
                cell(check.map(|check| check.margin)),
                cell(check.map(|check| check.alone)),
                self.words.clone(),
            ]
        };
        rows_of(&self.checks, row)
    }
}

impl MeantLine {
    fn cells(&self) -> Vec<String> {
        let time = self.time_ns.to_string();
        let mut cells = ["meant", "", &self.gesture, "", self.result].map(str::to_owned).to_vec();
        cells.extend([""; 4].map(str::to_owned));
        cells.extend([time.clone(), time]);
        cells.extend([""; 10].map(str::to_owned));
        // It follows a name in the text.
        cells.push(self.words.trim_start_matches(": ").to_owned());
        cells
    }
}

fn waited(rate: PollRate, verdict: &GestureVerdict) -> Option<f64> {
    let (met, fired) = (rate.time_of(verdict.met?), rate.time_of(verdict.fired?));
    Some(fired.since(met).as_millis())
}

impl CheckLine {
    pub(crate) fn new(check: &CheckedLimit) -> Self {
        let tunable = check.tunable();
        let CheckedLimit { value, limit: asked, margin, is_alone: alone, .. } = *check;
        CheckLine { limit: tunable.name, unit: tunable.unit, value, asked, margin, alone }
    }
}

fn meant_lines(session: &Session, score: &Score, verdicts: &[GestureVerdict]) -> Vec<Line> {
    let rig = session.rig();
    let meant = score.meant.iter().map(|meant| {
        let words = match (meant.is_hit, meant.gesture, meant.attempt) {
            (true, ..) => String::new(),
            (_, None, _) => ": the rig has no such gesture".to_owned(),
            (_, _, None) => ": nobody attempted it there".to_owned(),
            (_, _, Some(n)) => {
                format!(": {}", verdict_words(rig, session.plan().rate(), &verdicts[n]))
            }
        };
        let result = if meant.is_hit { "hit" } else { "miss" };
        let gesture = meant.name.clone();
        Line::Meant(MeantLine { gesture, time_ns: meant.at.0, result, words })
    });
    let alarms = score.false_alarms.iter().map(|&n| {
        let verdict = &verdicts[n];
        let gesture = rig.gestures[verdict.gesture.index()].name.clone();
        let words = ": fired, and nobody meant it".to_owned();
        Line::Meant(MeantLine { gesture, time_ns: verdict.began.0, result: "false alarm", words })
    });
    meant.chain(alarms).collect()
}

impl ConfusionLine {
    fn new(rig: &Rig, cell: &Confusion) -> Self {
        ConfusionLine {
            meant_gesture: cell.meant.clone(),
            fired_gesture: cell.fired.map(|gesture| rig.gestures[gesture.index()].name.clone()),
            count: cell.count,
        }
    }
}

impl ScoreLine {
    fn new(score: &Score) -> Self {
        let (hits, misses) = score.hits_and_misses();
        let false_alarms = score.false_alarms.len();
        ScoreLine { meant: score.meant.len(), hits, misses, false_alarms }
    }
}
