//! What came of the gestures of a take, as a report: lines for people, JSON
//! Lines for programs.

use crate::words::verdict_words;
use gtrig_analysis::{Session, score, score::Score};
use gtrig_core::{CheckedLimit, GestureOutcome, GestureVerdict, Nanos, PollRate};
use serde::Serialize;
use std::io::{self, Write};

/// Verdicts and, where labels say what was meant, how they were understood.
#[derive(Clone, Debug)]
pub struct GestureReport {
    verdicts: Vec<Line>,
    meant: Vec<Line>,
    score: Option<Line>,
}

/// A line of the report; its first key says what it is about.
#[derive(Clone, Debug, Serialize)]
#[serde(tag = "line", rename_all = "kebab-case")]
enum Line {
    Verdict(VerdictLine),
    Meant(MeantLine),
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
    on: String,
    fingers: u8,
    began_ns: u64,
    ended_ns: u64,
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
struct CheckLine {
    name: &'static str,
    unit: &'static str,
    value: f32,
    limit: f32,
    /// By how much the limit was met; negative where it was not.
    margin: f32,
    /// Whether this limit alone, moved by the margin, decides.
    alone: bool,
}

#[derive(Clone, Debug, Serialize)]
struct MeantLine {
    gesture: String,
    at_ns: u64,
    result: &'static str,
    words: String,
}

#[derive(Clone, Debug, Serialize)]
struct ScoreLine {
    meant: usize,
    hits: usize,
    misses: usize,
    false_alarms: usize,
}

impl GestureReport {
    /// A report over the whole history of a session.
    pub fn new(session: &Session) -> Self {
        let verdicts = session.history().verdicts();
        let score = score::score(session.rig(), session.labels(), verdicts.iter());
        let line = |verdict: &GestureVerdict| Line::Verdict(VerdictLine::new(session, verdict));
        GestureReport {
            verdicts: verdicts.iter().map(line).collect(),
            meant: meant_lines(session, &score),
            score: (!score.meant.is_empty()).then(|| Line::Score(ScoreLine::new(&score))),
        }
    }

    /// Whether every label was understood, and nothing fired that nobody meant.
    pub fn is_understood(&self) -> bool {
        match &self.score {
            Some(Line::Score(score)) => score.misses == 0 && score.false_alarms == 0,
            _ => true,
        }
    }

    /// Writes it.
    ///
    /// # Errors
    /// Those of `out`.
    pub fn write(&self, is_json: bool, out: &mut impl Write) -> io::Result<()> {
        for line in self.verdicts.iter().chain(&self.meant).chain(&self.score) {
            match is_json {
                true => serde_json::to_writer(&mut *out, line)?,
                false => write!(out, "{}", line.words())?,
            }
            out.write_all(b"\n")?;
        }
        Ok(())
    }
}

impl Line {
    fn words(&self) -> String {
        match self {
            Line::Verdict(VerdictLine { gesture, on, words, .. }) => {
                format!("{gesture:<20} {on:<18} {words}")
            }
            Line::Meant(MeantLine { gesture, at_ns, result, words }) => {
                format!("{result:<20} {gesture:<18} meant at {}{words}", Nanos(*at_ns))
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
            outcome: match verdict.outcome {
                GestureOutcome::Fired => "fired",
                GestureOutcome::Missed => "missed",
                GestureOutcome::Cancelled(_) => "cancelled",
                GestureOutcome::Broken => "broken",
            },
            near: verdict.is_near(),
            cancelled_by,
            on: session.roster().address(verdict.contact).to_string(),
            fingers: verdict.fingers,
            began_ns: verdict.began.0,
            ended_ns: verdict.ended.0,
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

fn waited(rate: PollRate, verdict: &GestureVerdict) -> Option<f64> {
    let (met, fired) = (rate.time_of(verdict.met?), rate.time_of(verdict.fired?));
    Some(fired.as_millis() - met.as_millis())
}

impl CheckLine {
    fn new(check: &CheckedLimit) -> Self {
        let tunable = check.quantity.tunable();
        let CheckedLimit { value, limit, margin, is_alone: alone, .. } = *check;
        CheckLine { name: tunable.name, unit: tunable.unit, value, limit, margin, alone }
    }
}

fn meant_lines(session: &Session, score: &Score) -> Vec<Line> {
    let verdicts = session.history().verdicts();
    let rig = session.rig();
    let said = session.labels().iter().filter_map(|label| score::named(label.text.as_str()));
    let meant = score.meant.iter().zip(said).map(|(meant, name)| {
        let words = match (meant.is_hit, meant.gesture, meant.attempt) {
            (true, ..) => String::new(),
            (_, None, _) => ": the rig has no such gesture".to_owned(),
            (_, _, None) => ": nobody attempted it there".to_owned(),
            (_, _, Some(n)) => {
                format!(": {}", verdict_words(rig, session.plan().rate(), &verdicts[n]))
            }
        };
        let result = if meant.is_hit { "hit" } else { "miss" };
        Line::Meant(MeantLine { gesture: name.to_owned(), at_ns: meant.at.0, result, words })
    });
    let alarms = score.false_alarms.iter().map(|&n| {
        let verdict = &verdicts[n];
        let gesture = rig.gestures[verdict.gesture.index()].name.clone();
        let words = ": fired, and nobody meant it".to_owned();
        Line::Meant(MeantLine { gesture, at_ns: verdict.began.0, result: "false alarm", words })
    });
    meant.chain(alarms).collect()
}

impl ScoreLine {
    fn new(score: &Score) -> Self {
        let (hits, misses) = score.hits_and_misses();
        let false_alarms = score.false_alarms.len();
        ScoreLine { meant: score.meant.len(), hits, misses, false_alarms }
    }
}
