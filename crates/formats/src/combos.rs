//! What came of the combos of a take, as a report: lines for people, JSON Lines
//! and CSV for programs.

mod beside;

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
use serde::Serialize;
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

/// A line of the report; its first key says what it is about.
#[derive(Clone, Debug, Serialize)]
#[serde(tag = "line", rename_all = "kebab-case")]
enum Line {
    Attempt(Box<AttemptLine>),
    /// A combo that fires on the way to another.
    Bite(BiteLine),
    /// A window that is shorter than a device reports.
    Coarse(CoarseLine),
    Pace(PaceLine),
    Difference(DifferenceLine),
    Summary(SummaryLine),
}

#[derive(Clone, Debug, Serialize)]
struct AttemptLine {
    combo: String,
    outcome: &'static str,
    from_ns: u64,
    to_ns: u64,
    /// The tick at which it fired, later than it was met if it had to wait.
    fired_tick: Option<u32>,
    waited_ms: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    cancelled_by: Option<String>,
    turned_around: bool,
    /// Of a combo whose presses come from one device which one.
    #[serde(skip_serializing_if = "Option::is_none")]
    device: Option<String>,
    rungs: Vec<RungLine>,
    checks: Vec<CheckLine>,
    /// What came instead of the one step that was missed.
    #[serde(skip_serializing_if = "Option::is_none")]
    instead: Option<InsteadLine>,
    words: String,
}

/// A gesture or a zone that alone kept a combo from being met.
#[derive(Clone, Debug, Serialize)]
struct InsteadLine {
    /// Counted from 1.
    step: u8,
    signal: String,
    control: String,
    /// Of a gesture its limits.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    checks: Vec<gestures::CheckLine>,
    /// Of a zone how far beside it the finger landed.
    #[serde(skip_serializing_if = "Option::is_none")]
    outside_mm: Option<f32>,
}

#[derive(Clone, Debug, Serialize)]
struct RungLine {
    press_ns: u64,
    met_ns: u64,
    tick: u32,
    /// Of a gesture the limits of the attempt that fired.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    gesture_checks: Vec<gestures::CheckLine>,
}

#[derive(Clone, Debug, Serialize)]
struct CheckLine {
    limit: String,
    /// `ns` or `ticks`.
    unit: &'static str,
    /// What was measured; not known of what went on when the take ended.
    value: Option<i64>,
    asked: i64,
    margin: Option<i64>,
    alone: bool,
}

#[derive(Clone, Debug, Serialize)]
struct BiteLine {
    combo: String,
    other: String,
    times: usize,
    of: usize,
}

#[derive(Clone, Debug, Serialize)]
struct CoarseLine {
    combo: String,
    window_ms: f64,
    device: String,
    /// Half of its reports come after no more than this.
    median_ms: f64,
}

#[derive(Clone, Debug, Serialize)]
struct PaceLine {
    poll_hz: f64,
    fired: usize,
    median_ms: Option<f64>,
    longest_ms: Option<f64>,
}

#[derive(Clone, Debug, Serialize)]
struct DifferenceLine {
    poll_hz: f64,
    combo: String,
    time_ns: u64,
    result: &'static str,
    why: String,
}

#[derive(Clone, Debug, Serialize)]
struct SummaryLine {
    met: usize,
    fired: usize,
    near: usize,
    missed: usize,
    broken: usize,
    stopped: usize,
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

/// What became of an attempt that was met and waited for others in vain.
fn waited_words(cancelled_by: Option<&str>, is_forgotten: bool) -> String {
    match cancelled_by {
        Some(by) => format!("; it waited, and {by} was met with one of its presses"),
        None if is_forgotten => "; it waited for others and was forgotten: another mode came, or too many attempts waited".to_owned(),
        None => String::new(),
    }
}

/// The attempts at gestures that fired, by the tick at which they did.
struct Fired(BTreeMap<(GestureId, Tick), GestureVerdict>);

impl Fired {
    fn new(session: &Session) -> Self {
        let attempts = session.attempts();
        let fired = attempts.into_iter();
        Fired(fired.filter_map(|v| Some(((v.gesture, v.fired?), v))).collect())
    }
}

impl AttemptLine {
    fn new(
        (session, fired_gestures): (&Session, &Fired),
        combo: ComboId,
        attempt: &ComboAttempt,
    ) -> Self {
        let (rig, rate) = (session.rig(), session.plan().rate());
        let of = &rig.combos[combo.index()];
        let is_its = |news: &&ComboNews| attempt.is_of(combo, news);
        let news = session.history().combo_news().iter().find(is_its);
        let news = news.filter(|_| attempt.outcome == ComboAttemptOutcome::Met);
        let fired = news.filter(|news| news.outcome == ComboOutcome::Fired);
        let cancelled_by = news.and_then(|news| match news.outcome {
            ComboOutcome::Cancelled(by) => Some(rig.combos[by.index()].name.clone()),
            ComboOutcome::Fired | ComboOutcome::Forgotten => None,
        });
        let is_forgotten = news.is_some_and(|news| news.outcome == ComboOutcome::Forgotten);
        let began = attempt.rungs.first().map_or(attempt.ended_at, |rung| rung.reported);
        let device = copy_device(rig, of, attempt.copy);
        let mut words = attempt_words(rig, of, attempt);
        words += &device.as_ref().map_or(String::new(), |device| format!(", on {device}"));
        words += &waited_words(cancelled_by.as_deref(), is_forgotten);
        AttemptLine {
            combo: of.name.clone(),
            outcome: match attempt.outcome {
                ComboAttemptOutcome::Met if cancelled_by.is_some() => "cancelled",
                ComboAttemptOutcome::Met if is_forgotten => "forgotten",
                ComboAttemptOutcome::Met => "met",
                ComboAttemptOutcome::Near => "near",
                ComboAttemptOutcome::Missed => "missed",
                ComboAttemptOutcome::Broken(_) => "broken",
                ComboAttemptOutcome::Stopped(_) => "stopped",
            },
            from_ns: began.0,
            to_ns: attempt.ended_at.0,
            fired_tick: fired.map(|news| news.tick.0),
            waited_ms: fired.map(|news| {
                rate.time_of(news.tick).as_millis() - rate.time_of(news.known).as_millis()
            }),
            cancelled_by,
            turned_around: attempt.is_mirrored,
            device,
            rungs: attempt
                .rungs
                .iter()
                .zip(&of.steps)
                .map(|(rung, step)| RungLine::new((session, fired_gestures), step, rung))
                .collect(),
            checks: attempt.checks.iter().map(|c| CheckLine::new(rig, combo, c)).collect(),
            instead: None,
            words,
        }
    }

    /// An attempt that one gesture or one zone alone kept from being met.
    fn almost((session, fired): (&Session, &Fired), almost: &AlmostMet) -> Self {
        AttemptLine {
            outcome: "near",
            fired_tick: None,
            waited_ms: None,
            cancelled_by: None,
            instead: Some(InsteadLine::new(session, almost)),
            words: almost_words(session.rig(), almost),
            ..AttemptLine::new((session, fired), almost.combo, &almost.attempt)
        }
    }
}

impl AttemptLine {
    /// A row for each of its limits; one without a limit if it has none.
    fn rows(&self, attempt: usize) -> Vec<Vec<String>> {
        let row = |check: Option<&CheckLine>| {
            vec![
                "attempt".to_owned(),
                attempt.to_string(),
                self.combo.clone(),
                self.outcome.to_owned(),
                self.from_ns.to_string(),
                self.to_ns.to_string(),
                cell(self.fired_tick),
                cell(self.waited_ms),
                cell(self.cancelled_by.as_ref()),
                self.turned_around.to_string(),
                cell(self.device.as_ref()),
                cell(check.map(|check| &check.limit)),
                cell(check.map(|check| check.unit)),
                cell(check.and_then(|check| check.value)),
                cell(check.map(|check| check.asked)),
                cell(check.and_then(|check| check.margin)),
                cell(check.map(|check| check.alone)),
                String::new(),
                self.words.clone(),
            ]
        };
        rows_of(&self.checks, row)
    }
}

impl DifferenceLine {
    fn cells(&self) -> Vec<String> {
        let time = self.time_ns.to_string();
        let mut cells = ["difference", "", &self.combo, self.result].map(str::to_owned).to_vec();
        cells.extend([time.clone(), time]);
        cells.extend([""; 11].map(str::to_owned));
        cells.extend([self.poll_hz.to_string(), self.why.clone()]);
        cells
    }
}

impl RungLine {
    fn new((session, fired): (&Session, &Fired), step: &ComboStep, rung: &Rung) -> Self {
        let of = step.what.signals().first().map(|of| &session.rig().signals[of.index()]);
        let verdict = match (&step.what, of) {
            (StepKind::Press(_), Some(Signal::Gesture(gesture))) => {
                let tick = session.plan().rate().tick_seeing(rung.reported);
                fired.0.get(&(*gesture, tick))
            }
            _ => None,
        };
        let checks = verdict.into_iter().flat_map(GestureVerdict::checks);
        RungLine {
            press_ns: rung.press.time.0,
            met_ns: rung.met.time.0,
            tick: rung.met.tick.0,
            gesture_checks: checks.map(gestures::CheckLine::new).collect(),
        }
    }
}

impl InsteadLine {
    fn new(session: &Session, almost: &AlmostMet) -> Self {
        let (rig, roster) = (session.rig(), session.roster());
        let step = &rig.combos[almost.combo.index()].steps[usize::from(almost.step)];
        let (contact, checks, outside_mm) = match &almost.instead {
            Almost::Gesture(verdict) => {
                let checks = verdict.checks().iter().map(gestures::CheckLine::new);
                (verdict.contact, checks.collect(), None)
            }
            Almost::Zone { contact, outside_mm, .. } => (*contact, Vec::new(), Some(*outside_mm)),
        };
        InsteadLine {
            step: almost.step + 1,
            signal: rung_words(rig, step),
            control: roster.address(contact).to_string(),
            checks,
            outside_mm,
        }
    }
}

impl CheckLine {
    fn new(rig: &Rig, combo: ComboId, check: &LimitCheck) -> Self {
        let unit = match check.asked {
            TimeSpan::Time(_) => "ns",
            TimeSpan::Ticks(_) => "ticks",
        };
        CheckLine {
            limit: limit_words(rig, &rig.combos[combo.index()], check.limit),
            unit,
            value: check.measured(&rig.combos[combo.index()]),
            asked: check.asked.amount(),
            // What still went on when the take ended has none yet.
            margin: (check.margin < i64::MAX).then_some(check.margin),
            alone: check.is_alone,
        }
    }
}

impl PaceLine {
    fn new(paced: &LoopRun) -> Self {
        let latencies = paced.latencies();
        let ms = |at: usize| latencies.get(at).map(|latency| latency.as_millis());
        PaceLine {
            poll_hz: paced.of.rate.hz(),
            fired: latencies.len(),
            median_ms: ms(latencies.len() / 2),
            longest_ms: latencies.last().map(|latency| latency.as_millis()),
        }
    }
}

impl Line {
    fn words(&self) -> String {
        match self {
            Line::Attempt(line) => {
                let AttemptLine { combo, outcome, to_ns, words, .. } = line.as_ref();
                format!("{:>14}  {combo:<20} {outcome:<10} {words}", Nanos(*to_ns).to_string())
            }
            Line::Bite(BiteLine { combo, other, times, of }) => {
                format!("{combo} fired on the way to {other} {times} of {of} times")
            }
            Line::Coarse(CoarseLine { combo, window_ms, device, median_ms }) => format!(
                "{combo} has a window of {window_ms} ms, and {device} reports every {median_ms:.2} ms (median): nothing so short can be told"
            ),
            Line::Pace(PaceLine { poll_hz, fired, median_ms, longest_ms }) => {
                let ms = |ms: &Option<f64>| ms.map_or("-".to_owned(), |ms| format!("{ms:.2} ms"));
                format!(
                    "at {poll_hz} Hz {fired} fired; from the last step to the poll that acted: median {}, longest {}",
                    ms(median_ms),
                    ms(longest_ms)
                )
            }
            Line::Difference(DifferenceLine { poll_hz, combo, time_ns, result, why }) => {
                format!("at {poll_hz} Hz {combo} {result} at {}: {why}", Nanos(*time_ns))
            }
            Line::Summary(SummaryLine { met, fired, near, missed, broken, stopped }) => format!(
                "{met} met, {fired} fired, {near} nearly, {missed} missed, {broken} broken, {stopped} stopped on the way"
            ),
        }
    }
}
