//! An attempt at a combo as a ladder, each step a rung with its window to scale,
//! and the intervals of all attempts against those windows.

use super::page::{FAINT, FIRED, INK, LOST, Page, RULE, SIGNAL, round_step};
use gtrig_analysis::{
    Session,
    ladder::{ComboAttempt, ComboAttemptOutcome, LimitCheck},
};
use gtrig_core::{Combo, ComboId, Moment, Nanos, PollRate, StepKind};
use gtrig_formats::combos::ladder as ladder_of;
use gtrig_formats::words::{attempt_words, combo_words, miss_words, rung_words, span_words};

/// What a figure of a ladder shows.
#[derive(Clone, Debug)]
pub struct LadderSheet {
    /// Above the figure.
    pub title: String,
    /// The combo, by its place in the rig.
    pub combo: ComboId,
    /// Of the attempts that were over in this stretch the nearest miss, or else the
    /// last.
    pub from: Nanos,
    /// Its end.
    pub to: Nanos,
}

const LEFT: f64 = 300.0;
const RIGHT: f64 = 700.0;
const TOP: f64 = 84.0;
const ROW: f64 = 28.0;
/// Of a histogram, with its heading.
const HISTOGRAM: f64 = 96.0;
const BARS: usize = 60;

/// Draws it, as SVG.
pub fn ladder(session: &Session, sheet: &LadderSheet) -> String {
    let rig = session.rig();
    let ladder = ladder_of(session, sheet.combo);
    let combo = &rig.combos[sheet.combo.index()];
    let stretch = sheet.from..=sheet.to;
    let here: Vec<&ComboAttempt> =
        ladder.attempts().iter().filter(|a| stretch.contains(&a.ended.time)).collect();
    let near = here.iter().filter(|a| a.outcome == ComboAttemptOutcome::Near);
    let short =
        |attempt: &ComboAttempt| attempt.nearest().map_or(f64::INFINITY, LimitCheck::shortfall);
    let nearest = near.min_by(|a, b| short(a).total_cmp(&short(b)));
    let attempt = nearest.or(here.last()).copied();
    let steps = combo.steps.len();
    let gaps: Vec<(usize, &[i64])> =
        (1..steps).map(|n| (n, ladder.gaps(n))).filter(|(_, gaps)| !gaps.is_empty()).collect();
    let rungs = TOP + steps as f64 * ROW;
    let mut page = Page::new(rungs + 60.0 + gaps.len() as f64 * HISTOGRAM);
    page.title(&sheet.title);
    page.text(20.0, 52.0, &format!("{}: {}", combo.name, combo_words(rig, combo)), FAINT);
    let words = attempt.map_or("nobody has tried it".to_owned(), |attempt| {
        format!("{}: {}", attempt.ended_at, attempt_words(rig, combo, attempt))
    });
    page.text(20.0, 70.0, &words, INK);
    let mut drawing = Drawing { rate: session.plan().rate(), combo, page };
    for n in 0..steps {
        let y = TOP + (n as f64 + 0.6) * ROW;
        drawing.page.text(20.0, y + 4.0, &rung_words(rig, &combo.steps[n]), INK);
        drawing.page.line((LEFT, y), (RIGHT, y), RULE, 1.0);
    }
    if let Some(attempt) = attempt {
        drawing.attempt(attempt);
    }
    for ((n, gaps), row) in gaps.into_iter().zip(0..) {
        let y = rungs + 50.0 + f64::from(row) * HISTOGRAM;
        let name = rung_words(rig, &combo.steps[n]);
        drawing.histogram(n, gaps, &format!("{} intervals to {name}", gaps.len()), y);
    }
    drawing.page.finish()
}

struct Drawing<'a> {
    rate: PollRate,
    combo: &'a Combo,
    page: Page,
}

impl Drawing<'_> {
    fn attempt(&mut self, attempt: &ComboAttempt) {
        let Some(first) = attempt.rungs.first() else { return };
        let from = first.first;
        let windows = attempt.rungs.windows(2).zip(self.combo.steps.iter().skip(1));
        let ends = windows.map(|(two, step)| step.within.over(two[0].met, self.rate));
        let presses = attempt.rungs.iter().map(|rung| rung.met);
        let end = ends.chain(presses).max().unwrap_or(attempt.ended);
        let length = (end.time.0.saturating_sub(from.time.0)).max(1) as f64;
        let place = |at: Moment| {
            let share = at.time.0.saturating_sub(from.time.0) as f64 / length;
            LEFT + share.min(1.0) * (RIGHT - LEFT)
        };
        for (n, rung) in attempt.rungs.iter().enumerate() {
            let y = TOP + (n as f64 + 0.6) * ROW;
            let step = &self.combo.steps[n];
            let before = n.checked_sub(1).map(|m| &attempt.rungs[m]);
            if let Some(before) = before.filter(|_| !matches!(step.what, StepKind::Quiet(_))) {
                let opens = place(step.opens().over(before.met, self.rate));
                let closes = place(step.within.over(before.met, self.rate));
                self.page.hole((opens, y - 8.0), (closes, y + 8.0));
                for x in [opens, closes] {
                    self.page.line((x, y - 8.0), (x, y + 8.0), FAINT, 1.0);
                }
            }
            let worst = attempt.worst_of(n);
            let is_missed = worst.is_some_and(|check| check.margin < 0);
            let colour = if is_missed { LOST } else { FIRED };
            self.page.line((place(rung.first), y), (place(rung.met), y), colour, 4.0);
            match is_missed {
                true => self.page.cross(place(rung.press), y),
                false => self.page.circle((place(rung.press), y), 4.0, colour),
            }
            let words = match worst {
                Some(check) if check.margin < 0 => miss_words(self.combo, self.rate, check),
                Some(check) if check.margin < i64::MAX => {
                    format!("{} to spare", span_words(check.asked.with(check.margin)))
                }
                _ => String::new(),
            };
            self.page.text(RIGHT + 14.0, y + 4.0, &words, colour);
        }
        let y = TOP + self.combo.steps.len() as f64 * ROW + 14.0;
        self.page.text(LEFT, y, "0", FAINT);
        self.page.text_ending(RIGHT, y, &format!("{:.1} ms", length / 1e6), FAINT);
    }

    /// How often an interval came, against the window that it should have kept.
    fn histogram(&mut self, n: usize, gaps: &[i64], title: &str, top: f64) {
        let step = &self.combo.steps[n];
        let end = 2 * step.within.amount().max(1);
        let mut counts = [0u32; BARS];
        for gap in gaps {
            let at = (*gap as f64 / end as f64 * BARS as f64) as usize;
            counts[at.min(BARS - 1)] += 1;
        }
        let (low, high) = (top + 70.0, 46.0);
        let most = f64::from(counts.iter().copied().max().unwrap_or(1).max(1));
        let place = |amount: f64| LEFT + (amount / end as f64).min(1.0) * (RIGHT - LEFT);
        let (opens, closes) = (step.opens().amount() as f64, step.within.amount() as f64);
        self.page.text(20.0, top + 16.0, title, INK);
        self.page.hole((place(opens), low - high), (place(closes), low));
        for (bar, count) in counts.iter().enumerate().filter(|(_, count)| **count > 0) {
            let gap = (bar as f64 + 0.5) * end as f64 / BARS as f64;
            let x = place(gap);
            let colour = if (opens..=closes).contains(&gap) { SIGNAL } else { LOST };
            let y = low - high * f64::from(*count) / most;
            self.page.line((x, low), (x, y), colour, (RIGHT - LEFT) / BARS as f64 - 1.0);
        }
        self.page.line((LEFT, low), (RIGHT, low), FAINT, 1.0);
        for amount in [opens, closes] {
            self.page.line((place(amount), low - high), (place(amount), low), FAINT, 1.0);
        }
        let unit = step.within;
        let words = |amount: f64| span_words(unit.with(amount as i64));
        let every = round_step(end as f64 / 6.0);
        for k in 0..=6 {
            let amount = f64::from(k) * every;
            if amount <= end as f64 {
                self.page.text_centred(place(amount), low + 14.0, &words(amount), FAINT);
            }
        }
        self.page.text(RIGHT + 14.0, low, &format!("window {}", words(closes)), FAINT);
    }
}
