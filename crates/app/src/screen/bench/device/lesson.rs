//! A device whose controls are being named: what to move, what moves, what is named.
//!
//! ```text
//!   naming other·1  Quay bare board  as a pad                      3 of 21
//!
//!   push the left stick all the way to the right                    stick-l-x
//!   moving  rx            ────────────┃━━━━━━━━━···  +0.74
//!
//!   east is button-2
//!   named   south button-1   east button-2
//! ```

use crate::screen::{App, app::DeviceLesson, draw::paint};
use gtrig_core::{Keyword, MappedFrom};
use gtrig_formats::words::ask_words;
use ratatui::{buffer::Buffer, layout::Rect};

/// Cells of the bar to either side of its rest.
const HALF: i32 = 16;

pub(super) fn draw(buffer: &mut Buffer, area: Rect, app: &App, lesson: &DeviceLesson) {
    let rows: Vec<Rect> = paint::rows(area).collect();
    let lines = [head, blank, asked, moving, blank, said];
    for (row, line) in rows.iter().zip(lines) {
        line(buffer, *row, app, lesson);
    }
    let rest = rows.get(lines.len()..).unwrap_or_default();
    named(buffer, rest, app, lesson);
}

fn blank(_: &mut Buffer, _: Rect, _: &App, _: &DeviceLesson) {}

fn head(buffer: &mut Buffer, row: Rect, app: &App, lesson: &DeviceLesson) {
    let theme = app.theme;
    let device = app.session().roster().device(lesson.device);
    let x = paint::text(buffer, row, row.x, "naming", theme.faint()) + 1;
    let x = paint::text(buffer, row, x, &device.label().to_string(), theme.strong()) + 2;
    let x = paint::text(buffer, row, x, device.info.name.as_str(), theme.plain()) + 2;
    let x = paint::text(buffer, row, x, &format!("as a {}", lesson.kind.word()), theme.wire()) + 3;
    let count = lesson.learner.asks().len();
    let at = lesson.learner.asked().map_or(0, |at| at + 1);
    paint::text(buffer, row, x, &format!("{at} of {count}"), theme.plain());
}

fn asked(buffer: &mut Buffer, row: Rect, app: &App, lesson: &DeviceLesson) {
    let theme = app.theme;
    let words = match lesson.learner.asked() {
        Some(at) => ask_words(&lesson.learner.asks()[at]),
        None if lesson.learner.is_at_rest() => "leave all of it alone, and press Enter".to_owned(),
        None => "that is all".to_owned(),
    };
    let x = paint::text(buffer, row, row.x, &words, theme.chosen()) + 3;
    if let Some(at) = lesson.learner.asked() {
        paint::text(buffer, row, x, &lesson.learner.asks()[at].code, theme.strong());
    }
}

fn moving(buffer: &mut Buffer, row: Rect, app: &App, lesson: &DeviceLesson) {
    let theme = app.theme;
    let Some((control, share)) = lesson.learner.moving() else {
        paint::text(buffer, row, row.x, "nothing moves", theme.faint());
        return;
    };
    let x = paint::text(buffer, row, row.x, "moving", theme.faint()) + 2;
    paint::text(buffer, row, x, &control.code, theme.signal());
    let begins = row.x + 30;
    let cells = (share * f64::from(HALF)).round() as i32;
    for cell in -HALF..=HALF {
        let is_on = cell.signum() == cells.signum() && cell.abs() <= cells.abs() && cell != 0;
        let (glyph, style) = match (cell, is_on) {
            (0, _) => ("┃", theme.faint()),
            (_, true) => ("━", theme.signal()),
            (_, false) => ("·", theme.rule()),
        };
        paint::glyph(buffer, row, begins + (cell + HALF) as u16, glyph, style);
    }
    let text = format!("{:>5.0} % of its way", 100.0 * share);
    paint::text(buffer, row, begins + 2 * HALF as u16 + 3, &text, theme.plain());
}

fn said(buffer: &mut Buffer, row: Rect, app: &App, lesson: &DeviceLesson) {
    if let Some(said) = &lesson.said {
        paint::text(buffer, row, row.x, said, app.theme.plain());
    }
}

/// What has its name, in as many rows as it takes; the last ones where there are more.
fn named(buffer: &mut Buffer, rows: &[Rect], app: &App, lesson: &DeviceLesson) {
    let Some(first) = rows.first() else { return };
    let answers = lesson.learner.asks().iter().zip(lesson.learner.answers());
    let word = |from: &MappedFrom| from.parts().collect::<Vec<_>>().join(" and ");
    let words: Vec<String> = answers
        .filter_map(|(ask, from)| Some(format!("{} {}", ask.code, word(from.as_ref()?))))
        .collect();
    if words.is_empty() {
        return;
    }
    let mut lines = vec!["named   ".to_owned()];
    for word in words {
        let is_full = lines.last().is_some_and(|line| {
            !line.is_empty() && line.len() + word.len() + 3 > usize::from(first.width)
        });
        if is_full {
            lines.push(String::new());
        }
        if let Some(line) = lines.last_mut() {
            *line += &word;
            *line += "   ";
        }
    }
    let hidden = lines.len().saturating_sub(rows.len());
    for (row, line) in rows.iter().zip(&lines[hidden..]) {
        paint::text(buffer, *row, row.x, line, app.theme.faint());
    }
}
