//! The stream bench: how well the reports of devices and programs come, and what is
//! wrong with them; first of all the programs that send, if any do.
//!
//! ```text
//!   device    reports   every ms  median    p95    p99   longest gap          gap stall …
//!   lever·3       512               10.0   20.1   30.2   240.00 ms at 5 000     2     1
//!   ▸   2 270.31 ms  gap    lever·3 sent nothing for 140.2 ms …
//! ```

mod senders;

use super::{Bench, Entry};
use crate::screen::App;
use crate::screen::draw::paint;
use crate::screen::keymap::Command;
use gtrig_analysis::stream::{DeviceStream, Trouble, TroubleKind};
use gtrig_core::{Device, Keyword, Nanos};
use gtrig_formats::words::trouble_words;
use ratatui::{buffer::Buffer, layout::Rect};

const MARGIN: u16 = 2;
const COUNTS: u16 = 84;
/// Columns of a count.
const COUNT: u16 = 10;

/// What there is to know of it.
pub(crate) const ENTRY: Entry = Entry {
    bench: Bench::Stream,
    key: "4",
    name: "stream",
    help: "bench: how well the reports of devices and programs come",
    keys: &[Command::NextDevice(1), Command::Trouble(1), Command::Trouble(-1)],
    wants: |app, _| {
        let of_senders = senders::wants(app);
        let devices = app.session().roster().devices().len() as u16;
        let troubles = app.document.streams.troubles().len().min(8) as u16;
        // Titles, a gap, and how many troubles there are.
        of_senders + u16::from(of_senders > 0) + devices + troubles + 3
    },
    draw,
    next: App::next_quantity,
    ..Entry::PLAIN
};

fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    let of_senders = Rect { height: senders::rows_of(app, area), ..area };
    senders::draw(buffer, of_senders, app);
    let gap = u16::from(of_senders.height > 0);
    let height = area.height.saturating_sub(of_senders.height + gap);
    let area = Rect { y: area.bottom() - height, height, ..area };
    let mut rows = paint::rows(area);
    if let Some(row) = rows.next() {
        titles(buffer, row, app);
    }
    let devices = app.session().roster().devices();
    let most = usize::from(area.height) / 2;
    for (id, device) in devices.take(most.max(1)) {
        let (Some(row), Some(stream)) = (rows.next(), app.document.streams.device(id)) else {
            break;
        };
        device_row(buffer, row, app, device, stream);
    }
    rows.next();
    let left = rows.collect::<Vec<_>>();
    troubles(buffer, &left, app);
}

fn titles(buffer: &mut Buffer, row: Rect, app: &App) {
    let style = app.theme.faint();
    let text = format!(
        "{:<10}{:>9}{:>10}{:>9}{:>9}{:>9}   {:<22}",
        "device", "reports", "events/s", "median", "p95", "p99 ms", "longest gap"
    );
    paint::text(buffer, row, row.x + MARGIN, &text, style);
    for (kind, at) in TroubleKind::ALL.iter().copied().zip(0..) {
        let place = Rect { x: row.x + COUNTS + at * COUNT, width: COUNT - 1, ..row };
        paint::text_right(buffer, place.intersection(row), kind.word(), style);
    }
}

fn device_row(buffer: &mut Buffer, row: Rect, app: &App, device: &Device, stream: &DeviceStream) {
    let theme = app.theme;
    let at = |share| stream.intervals.percentile(share).map_or("·".to_owned(), short_ms);
    let longest = stream.intervals.longest().map_or(String::new(), |(from, to)| {
        format!("{} ms at {}", short_ms(Nanos(to.0 - from.0)), paint::grouped(from.0 / 1_000_000))
    });
    let label = device.label().to_string();
    let text = format!(
        "{label:<10}{:>9}{:>10.1}{:>9}{:>9}{:>9}   {longest:<22}",
        paint::grouped(stream.reports),
        stream.events_per_second(),
        at(0.5),
        at(0.95),
        at(0.99),
    );
    let style = if stream.reports > 0 { theme.plain() } else { theme.faint() };
    paint::text(buffer, row, row.x + MARGIN, &text, style);
    for (kind, at) in TroubleKind::ALL.iter().copied().zip(0..) {
        let count = stream.count(kind);
        let style = if count > 0 { theme.doubtful() } else { theme.rule() };
        let place = Rect { x: row.x + COUNTS + at * COUNT, width: COUNT - 1, ..row };
        let text = if count > 0 { paint::grouped(count) } else { "·".to_owned() };
        paint::text_right(buffer, place.intersection(row), &text, style);
    }
}

fn short_ms(time: Nanos) -> String {
    format!("{:.2}", time.as_millis())
}

/// The list, around the playhead.
fn troubles(buffer: &mut Buffer, rows: &[Rect], app: &App) {
    let all = app.document.streams.troubles();
    let Some((&head, rows)) = rows.split_first() else { return };
    if all.is_empty() {
        let text = "nothing wrong: no report is missing, late, out of order or twice";
        paint::text(buffer, head, head.x + MARGIN, text, app.theme.faint());
        return;
    }
    let [on, back] = [Command::Trouble(1), Command::Trouble(-1)].map(|it| app.key_of(it));
    let text = format!("{} found; {on} and {back} jump", all.len());
    paint::text(buffer, head, head.x + MARGIN, &text, app.theme.faint());
    let here = app.trouble_at_playhead();
    let centre = here.unwrap_or(0);
    let first = centre.saturating_sub(rows.len() / 2).min(all.len().saturating_sub(rows.len()));
    for ((at, trouble), &row) in all.iter().enumerate().skip(first).zip(rows) {
        trouble_row(buffer, row, app, trouble, here == Some(at));
    }
}

fn trouble_row(buffer: &mut Buffer, row: Rect, app: &App, trouble: &Trouble, is_here: bool) {
    let theme = app.theme;
    let pointer = if is_here { "▸" } else { " " };
    let style = if is_here { theme.strong() } else { theme.plain() };
    let time = format!("{pointer}{:>14}  ", trouble.to.to_string());
    let x = paint::text(buffer, row, row.x + MARGIN, &time, style);
    let x = paint::text(buffer, row, x, &format!("{:<10}", trouble.kind.word()), theme.doubtful());
    paint::text(buffer, row, x, &trouble_words(trouble, app.session().roster()), style);
}
