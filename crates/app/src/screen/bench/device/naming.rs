//! Addresses of messages that are being named: what came, what moves, what it is called.
//!
//! ```text
//!   naming addresses   move what you want to name, and press Enter         2 named
//!   address      argument      number                 from … to           read as         is
//! ▸ /crane/slew         1      -0.520   ··●········     -1 … 1       axis -1 … 1  desk/slew
//!   /crane/horn         1           1   ··········●      0 … 1   button from 0.5          ·
//!   /cue/go             ·    12 times                                      pulse          ·
//! ```

use crate::screen::{App, app::Naming, draw::paint};
use gtrig_core::{AddressedAs, DownAt, Nanos};
use gtrig_sources::AddressHeard;
use ratatui::{buffer::Buffer, layout::Rect};

/// What moved within this time is bright.
const FRESH: Nanos = Nanos::from_millis(500);

/// What stands beside the address, with its columns.
const COLUMNS: [(&str, u16); 6] = [
    ("argument", 10),
    ("number", 12),
    ("", BAR + 3),
    ("from … to", 19),
    ("read as", 23),
    ("is", 18),
];
/// Which of them are left out one after the other where there is too little room.
const LEFT_OUT: [usize; 4] = [BAR_AT, 3, 4, 0];
/// The place of the bar among them.
const BAR_AT: usize = 2;
/// Cells of the bar of a number between the ends of what came.
const BAR: u16 = 11;
/// The least and the most columns of an address.
const ADDRESS: (u16, u16) = (14, 48);

pub(super) fn draw(buffer: &mut Buffer, area: Rect, app: &App, naming: &Naming) {
    let mut rows = paint::rows(area);
    let (Some(head), Some(titles)) = (rows.next(), rows.next()) else { return };
    self::head(buffer, head, app, naming);
    if naming.heard.is_empty() {
        let text =
            "nothing has come yet: send something to the port, or look at what is told above";
        paint::text(buffer, titles, titles.x, text, app.theme.faint());
        return;
    }
    let columns = columns(titles, naming);
    paint::text(buffer, titles, titles.x + 2, "address", app.theme.faint());
    for (place, (title, _)) in columns.iter().zip(COLUMNS) {
        right(buffer, *place, title, app.theme.faint());
    }
    let rows: Vec<Rect> = rows.collect();
    let most = naming.heard.len().saturating_sub(rows.len());
    let first = naming.chosen.saturating_sub(rows.len() / 2).min(most);
    for ((at, of), row) in naming.heard.iter().enumerate().skip(first).zip(rows) {
        heard(buffer, row, app, naming, (of, at == naming.chosen));
    }
}

fn head(buffer: &mut Buffer, row: Rect, app: &App, naming: &Naming) {
    let theme = app.theme;
    let x = paint::text(buffer, row, row.x, "naming addresses", theme.strong()) + 3;
    let words = match naming.follows {
        true => "move what you want to name, and press Enter",
        false => "Enter names the chosen one; Space goes back to choosing what moves",
    };
    let x = paint::text(buffer, row, x, words, theme.chosen()) + 3;
    let count: usize = naming.named.devices.iter().map(|device| device.controls.len()).sum();
    paint::text(buffer, row, x, &format!("{count} named"), theme.plain());
}

/// Where the columns are, behind the longest address; those for which there is no room are
/// empty.
fn columns(row: Rect, naming: &Naming) -> [Rect; COLUMNS.len()] {
    let longest = naming.heard.iter().map(|of| of.address.as_str().len()).max();
    let longest = longest.unwrap_or_default().min(usize::from(ADDRESS.1)) as u16 + 2;
    let address = longest.max(ADDRESS.0);
    let mut widths = COLUMNS.map(|(_, width)| width);
    for at in LEFT_OUT {
        if address + widths.iter().sum::<u16>() > row.width {
            widths[at] = 0;
        }
    }
    let mut x = row.x + address;
    widths.map(|width| {
        let place = Rect { x, width, ..row }.intersection(row);
        x += width;
        place
    })
}

fn right(buffer: &mut Buffer, place: Rect, text: &str, style: ratatui::style::Style) {
    if place.width > 0 {
        paint::text_right(buffer, place, text, style);
    }
}

fn heard(
    buffer: &mut Buffer,
    row: Rect,
    app: &App,
    naming: &Naming,
    (of, is_chosen): (&AddressHeard, bool),
) {
    let theme = app.theme;
    let is_fresh = app.now.0.saturating_sub(of.moved.0) < FRESH.0;
    let plain = if is_chosen { theme.strong() } else { theme.plain() };
    let columns = columns(row, naming);
    let place = Rect { width: columns[0].x.saturating_sub(row.x + 1), ..row };
    let text = format!("{} {}", if is_chosen { "▸" } else { " " }, of.address);
    paint::text(buffer, place, row.x, &text, plain);
    let argument = if of.has_arguments { (of.argument + 1).to_string() } else { "·".to_owned() };
    let last = match of.last {
        Some(n) => number(n),
        None if of.has_arguments => "no number".to_owned(),
        None => format!("{} times", paint::grouped(of.messages)),
    };
    let range = of.range.map_or(String::new(), |ends| ends.map(short).join(" … "));
    let (name, style) = match (naming.name(of), &of.control) {
        (Some(name), _) => (name, theme.chosen()),
        (None, Some(name)) => (name.clone(), theme.wire()),
        (None, None) => ("·".to_owned(), theme.rule()),
    };
    let moving = if is_fresh { theme.signal() } else { plain };
    let read_as = words(naming.read_as(of));
    let cells = [
        (argument, theme.faint()),
        (last, moving),
        (String::new(), plain),
        (range, theme.faint()),
        (read_as, plain),
        (name, style),
    ];
    for (place, (text, style)) in columns.into_iter().zip(cells) {
        right(buffer, place, &text, style);
    }
    bar(buffer, columns[BAR_AT], app, of, is_fresh);
}

/// Where the number is between the ends of what came.
fn bar(buffer: &mut Buffer, place: Rect, app: &App, of: &AddressHeard, is_fresh: bool) {
    let (Some(last), Some([least, most])) = (of.last, of.range) else { return };
    if place.width < BAR || most <= least {
        return;
    }
    let at = ((last - least) / (most - least) * f64::from(BAR - 1)).round() as u16;
    for cell in 0..BAR {
        let (glyph, style) = match cell == at {
            true if is_fresh => ("●", app.theme.signal()),
            true => ("●", app.theme.plain()),
            false => ("·", app.theme.rule()),
        };
        paint::glyph(buffer, place, place.right() - BAR + cell, glyph, style);
    }
}

/// A number without digits that say nothing.
fn short(n: f64) -> String {
    let text = number(n);
    match text.contains('.') && !text.contains('e') {
        true => text.trim_end_matches('0').trim_end_matches('.').to_owned(),
        false => text,
    }
}

/// A number in as many digits as are of use; in as many whatever it is while it moves.
fn number(n: f64) -> String {
    match n.abs() {
        1e7.. => format!("{n:.1e}"),
        size if size.fract() == 0.0 => format!("{n:.0}"),
        1000.0.. => format!("{n:.1}"),
        _ => format!("{n:.3}"),
    }
}

fn words(read_as: AddressedAs) -> String {
    match read_as {
        AddressedAs::Axis { min, rest: 0.0, max } => {
            format!("axis {} … {}", short(min), short(max))
        }
        AddressedAs::Axis { min, rest, max } => {
            format!("axis {} … {} … {}", short(min), short(rest), short(max))
        }
        AddressedAs::Trigger { rest, end } => {
            format!("trigger {} … {}", short(rest), short(end))
        }
        AddressedAs::Button(DownAt::Least(least)) => format!("button from {}", short(least)),
        AddressedAs::Button(DownAt::Most(most)) => format!("button up to {}", short(most)),
        AddressedAs::Pulse => "pulse".to_owned(),
    }
}
