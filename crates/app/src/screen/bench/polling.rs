//! The polling bench: what loops of other rates would have made of the same
//! events, for the control of the chosen lane or for all buttons.
//!
//! ```text
//!   poll      sent seen lost  late   latency from event to poll, ms
//!     30 Hz      7    4 ╳  3     0   ├────┃──────┤            0.0  12.1  33.2
//!    120 Hz      7    6 ╳  1     0   ├─┃─┤                    0.0   4.0   8.2
//! ```

use super::{Bench, Entry};
use crate::screen::draw::paint;
use crate::screen::keymap::Command;
use crate::screen::{
    App,
    jobs::Audited,
    view::{Lane, lane_name},
};
use gtrig_analysis::audit::{Hitches, LoopAudit, Presses};
use gtrig_core::Nanos;
use ratatui::{buffer::Buffer, layout::Rect};

const RATE: u16 = 2;
const COUNTS: u16 = 13;
const BAR: u16 = 42;
/// Columns of the numbers behind the bar.
const NUMBERS: u16 = 30;

/// What there is to know of it.
pub(crate) const ENTRY: Entry = Entry {
    bench: Bench::Polling,
    key: "3",
    name: "polling",
    help: "bench: what loops of other poll rates would have seen",
    keys: &[Command::Audit, Command::AuditBy, Command::Lost(1), Command::Lost(-1)],
    wants: |app, _| {
        let loops = app.polling.found.as_ref().map_or(6, |found| found.loops.len());
        // Head, titles, a gap, and what they come to.
        loops as u16 + 6
    },
    draw,
    shown: App::audit_once,
    ..Entry::PLAIN
};

fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    let Some(audited) = &app.polling.found else {
        let text = "auditing the history: the same events, polled at other rates …";
        paint::text(buffer, area, area.x + RATE, text, app.theme.faint());
        return;
    };
    let subject = Subject::of(app);
    let mut rows = paint::rows(area);
    if let Some(row) = rows.next() {
        head(buffer, row, app, audited, &subject);
    }
    if let Some(row) = rows.next() {
        titles(buffer, row, app);
    }
    let longest = audited.loops.iter().filter_map(|l| subject.presses(l).latency(1.0)).max();
    let scale = longest.unwrap_or(Nanos(1)).0.max(1);
    for (audit, row) in audited.loops.iter().zip(&mut rows) {
        Row { app, audit, presses: subject.presses(audit), scale }.draw(buffer, row);
    }
    rows.next();
    for (text, row) in sentences(audited, &subject).iter().zip(rows) {
        paint::text(buffer, row, row.x + RATE, text, app.theme.plain());
    }
}

/// Whose presses are shown.
struct Subject {
    lane: Option<(gtrig_core::ControlId, String)>,
    none: Presses,
}

impl Subject {
    /// The control of the chosen lane, if it is a button; otherwise all.
    fn of(app: &App) -> Self {
        let lane = match app.lane() {
            Some(lane @ Lane::Control(id)) if app.is_digital(lane) => {
                Some((id, lane_name(app.session(), lane)))
            }
            _ => None,
        };
        Subject { lane, none: Presses::default() }
    }

    fn presses<'a>(&'a self, audit: &'a LoopAudit) -> &'a Presses {
        match &self.lane {
            None => &audit.total,
            Some((wanted, _)) => audit
                .controls
                .iter()
                .find(|(id, _)| id == wanted)
                .map_or(&self.none, |(_, presses)| presses),
        }
    }

    fn name(&self) -> &str {
        self.lane.as_ref().map_or("all buttons", |(_, name)| name)
    }
}

fn head(buffer: &mut Buffer, row: Rect, app: &App, audited: &Audited, subject: &Subject) {
    let theme = app.theme;
    let x = paint::text(buffer, row, row.x + RATE, subject.name(), theme.strong()) + 2;
    let state = if app.polling.is_busy {
        "auditing again …".to_owned()
    } else {
        let [again, by] = [Command::Audit, Command::AuditBy].map(|command| app.key_of(command));
        format!(
            "history up to tick {}{}; {again} audits again, {by} by other loops; choose a button's lane for its own",
            audited.until,
            nature(audited)
        )
    };
    paint::text(buffer, row, x, &state, theme.faint());
}

/// What all the loops have in common besides polling.
fn nature(audited: &Audited) -> String {
    let Some(LoopAudit { of, .. }) = audited.loops.first() else { return String::new() };
    let mut words = String::new();
    if of.jitter > 0.0 {
        words += &format!(", jitter {:.0} %", of.jitter * 100.0);
    }
    if let Some(Hitches { every, lasts }) = of.hitches {
        words += &format!(", a stall of {lasts} every {every}");
    }
    words
}

/// What becomes of presses in a fixed step that the frames feed.
fn by_step(audited: &Audited, subject: &Subject) -> Option<String> {
    let step = audited.loops.first()?.of.step?;
    let rows = audited.loops.iter().map(|audit| {
        let Presses { missed_by_step, doubled_by_step, .. } = subject.presses(audit);
        format!("{} Hz: {missed_by_step} / {doubled_by_step}", audit.of.rate.hz())
    });
    let rows = rows.collect::<Vec<_>>().join("   ");
    Some(format!("Flagged in a frame and read by a fixed step of {step}, missed / doubled: {rows}"))
}

fn titles(buffer: &mut Buffer, row: Rect, app: &App) {
    let style = app.theme.faint();
    paint::text(buffer, row, row.x + RATE, "    poll", style);
    paint::text(buffer, row, row.x + COUNTS, " sent  seen   lost  late", style);
    paint::text(buffer, row, row.x + BAR, "latency from event to poll", style);
    let numbers = Rect { width: row.width.saturating_sub(1), ..row };
    paint::text_right(buffer, numbers, "median      p99      max ms", style);
}

struct Row<'a> {
    app: &'a App,
    audit: &'a LoopAudit,
    presses: &'a Presses,
    scale: u64,
}

impl Row<'_> {
    fn draw(&self, buffer: &mut Buffer, row: Rect) {
        let theme = self.app.theme;
        let rate = self.audit.of.rate;
        let is_own = rate == self.app.session().plan().rate();
        let style = if is_own { theme.wire() } else { theme.plain() };
        let text = format!("{:>5} Hz{}", rate.hz(), if is_own { " ◂" } else { "" });
        paint::text(buffer, row, row.x + RATE, &text, style);
        let Presses { sent, seen, lost, delayed, .. } = self.presses;
        let x = paint::text(buffer, row, row.x + COUNTS, &format!("{sent:>5} {seen:>5} "), style);
        let (mark, lost_style) =
            if *lost > 0 { ("╳", theme.lost()) } else { (" ", theme.faint()) };
        let x = paint::text(buffer, row, x, &format!("{mark}{lost:>5} "), lost_style);
        let late = if *delayed > 0 { theme.doubtful() } else { theme.faint() };
        paint::text(buffer, row, x, &format!("{delayed:>5}"), late);
        self.latency(buffer, row);
    }

    /// From the shortest to the longest, with the median, to a common scale.
    fn latency(&self, buffer: &mut Buffer, row: Rect) {
        let theme = self.app.theme;
        let width = row.width.saturating_sub(BAR + NUMBERS);
        let at = |share| self.presses.latency(share);
        let (Some(min), Some(median), Some(max)) = (at(0.0), at(0.5), at(1.0)) else { return };
        let p99 = at(0.99).unwrap_or(max);
        if width > 8 {
            let last = u64::from(width - 1);
            let place = |latency: Nanos| row.x + BAR + (latency.0 * last / self.scale) as u16;
            for x in place(min)..=place(max) {
                paint::glyph(buffer, row, x, "─", theme.signal());
            }
            paint::glyph(buffer, row, place(min), "├", theme.signal());
            paint::glyph(buffer, row, place(max), "┤", theme.signal());
            paint::glyph(buffer, row, place(median), "┃", theme.wire());
        }
        let ms = [median, p99, max].map(|n| format!("{:>8.2}", n.as_millis()));
        let numbers = Rect { width: row.width.saturating_sub(1), ..row };
        paint::text_right(buffer, numbers, &ms.join(" "), theme.plain());
    }
}

fn sentences(audited: &Audited, subject: &Subject) -> Vec<String> {
    let lossless = audited.loops.iter().filter(|audit| subject.presses(audit).lost == 0);
    let lowest = lossless.map(|audit| audit.of.rate.hz()).reduce(f64::min);
    let name = subject.name();
    let first = match lowest {
        Some(hz) => format!(
            "Of {name} nothing is lost at {hz} Hz, the lowest of these rates that loses nothing in this phase."
        ),
        None => format!(
            "Of {name} every one of these rates loses presses; latching catches taps at any rate."
        ),
    };
    let second = audited.shortest_state.filter(|s| s.0 > 0).map(|shortest| {
        let sure = (1e9 / shortest.0 as f64).ceil();
        format!("The shortest press or pause of any button lasted {shortest}: a steady loop of {sure} Hz or more cannot lose one.")
    });
    [Some(first), second, by_step(audited, subject)].into_iter().flatten().collect()
}
