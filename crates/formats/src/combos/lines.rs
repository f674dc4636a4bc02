//! The lines of a report of combos.

use super::*;
use serde::Serialize;

/// A line of the report; its first key says what it is about.
#[derive(Clone, Debug, Serialize)]
#[serde(tag = "line", rename_all = "kebab-case")]
pub(super) enum Line {
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
pub(super) struct AttemptLine {
    pub(super) combo: String,
    pub(super) outcome: &'static str,
    pub(super) from_ns: u64,
    pub(super) to_ns: u64,
    /// The tick at which it fired, later than it was met if it had to wait.
    pub(super) fired_tick: Option<u32>,
    pub(super) waited_ms: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) cancelled_by: Option<String>,
    pub(super) turned_around: bool,
    /// Of a combo whose presses come from one device which one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) device: Option<String>,
    pub(super) rungs: Vec<RungLine>,
    pub(super) checks: Vec<CheckLine>,
    /// What came instead of the one step that was missed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) instead: Option<InsteadLine>,
    pub(super) words: String,
}

/// A gesture or a zone that alone kept a combo from being met.
#[derive(Clone, Debug, Serialize)]
pub(super) struct InsteadLine {
    /// Counted from 1.
    pub(super) step: u8,
    pub(super) signal: String,
    pub(super) control: String,
    /// Of a gesture its limits.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) checks: Vec<gestures::CheckLine>,
    /// Of a zone how far beside it the finger landed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) outside_mm: Option<f32>,
}

#[derive(Clone, Debug, Serialize)]
pub(super) struct RungLine {
    pub(super) press_ns: u64,
    pub(super) met_ns: u64,
    pub(super) tick: u32,
    /// Of a gesture the limits of the attempt that fired.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) gesture_checks: Vec<gestures::CheckLine>,
}

#[derive(Clone, Debug, Serialize)]
pub(super) struct CheckLine {
    pub(super) limit: String,
    /// `ns` or `ticks`.
    pub(super) unit: &'static str,
    /// What was measured; not known of what went on when the take ended.
    pub(super) value: Option<i64>,
    pub(super) asked: i64,
    pub(super) margin: Option<i64>,
    pub(super) alone: bool,
}

#[derive(Clone, Debug, Serialize)]
pub(super) struct BiteLine {
    pub(super) combo: String,
    pub(super) other: String,
    pub(super) times: usize,
    pub(super) of: usize,
}

#[derive(Clone, Debug, Serialize)]
pub(super) struct CoarseLine {
    pub(super) combo: String,
    pub(super) window_ms: f64,
    pub(super) device: String,
    /// Half of its reports come after no more than this.
    pub(super) median_ms: f64,
}

#[derive(Clone, Debug, Serialize)]
pub(super) struct PaceLine {
    pub(super) poll_hz: f64,
    pub(super) fired: usize,
    pub(super) median_ms: Option<f64>,
    pub(super) longest_ms: Option<f64>,
}

#[derive(Clone, Debug, Serialize)]
pub(super) struct DifferenceLine {
    pub(super) poll_hz: f64,
    pub(super) combo: String,
    pub(super) time_ns: u64,
    pub(super) result: &'static str,
    pub(super) why: String,
}

#[derive(Clone, Debug, Serialize)]
pub(super) struct SummaryLine {
    pub(super) met: usize,
    pub(super) fired: usize,
    pub(super) near: usize,
    pub(super) missed: usize,
    pub(super) broken: usize,
    pub(super) stopped: usize,
}

/// What became of an attempt that was met and waited for others in vain.
pub(super) fn waited_words(cancelled_by: Option<&str>, is_forgotten: bool) -> String {
    match cancelled_by {
        Some(by) => format!("; it waited, and {by} was met with one of its presses"),
        None if is_forgotten => "; it waited for others and was forgotten: another mode came, or too many attempts waited".to_owned(),
        None => String::new(),
    }
}

/// The attempts at gestures that fired, by the tick at which they did.
pub(super) struct Fired(BTreeMap<(GestureId, Tick), GestureVerdict>);

impl Fired {
    pub(super) fn new(session: &Session) -> Self {
        let attempts = session.attempts();
        let fired = attempts.into_iter();
        Fired(fired.filter_map(|v| Some(((v.gesture, v.fired?), v))).collect())
    }
}

impl AttemptLine {
    pub(super) fn new(
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
            waited_ms: fired
                .map(|news| rate.time_of(news.tick).since(rate.time_of(news.known)).as_millis()),
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
    pub(super) fn almost((session, fired): (&Session, &Fired), almost: &AlmostMet) -> Self {
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
    pub(super) fn rows(&self, attempt: usize) -> Vec<Vec<String>> {
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
    pub(super) fn cells(&self) -> Vec<String> {
        let time = self.time_ns.to_string();
        let mut cells = ["difference", "", &self.combo, self.result].map(str::to_owned).to_vec();
        cells.extend([time.clone(), time]);
        cells.extend([""; 11].map(str::to_owned));
        cells.extend([self.poll_hz.to_string(), self.why.clone()]);
        cells
    }
}

impl RungLine {
    pub(super) fn new((session, fired): (&Session, &Fired), step: &ComboStep, rung: &Rung) -> Self {
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
    pub(super) fn new(session: &Session, almost: &AlmostMet) -> Self {
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
    pub(super) fn new(rig: &Rig, combo: ComboId, check: &LimitCheck) -> Self {
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
    pub(super) fn new(paced: &LoopRun) -> Self {
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
    pub(super) fn words(&self) -> String {
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
