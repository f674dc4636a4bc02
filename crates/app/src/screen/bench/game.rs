//! The game bench: what a running game made of its frames, held against the rig.
//!
//! ```text
//!  crane-game  324 frames  ✗ 2 of 9 values differ
//!  SlewX       slew.x   71 of 251 ≠  0.077  gives what … dead-zone = 0.1905 to 0.2093 would
//!  Horn        horn          251 ✓
//!  ── 12 places: Tab goes on, a click goes there ──
//!  ▸   970.98 ms  frame 27  SlewY is 0 instead of -0.0854 (10 frames): the game …
//! ```

use super::{Bench, Entry};
use crate::screen::keymap::Command;
use crate::screen::{App, app::GamePlace, draw::paint, jobs::Agreed, view::Lane};
use gtrig_analysis::agree::{Delays, Value, name_of, target_name};
use gtrig_core::Nanos;
use gtrig_formats::words::{cause_words, difference_words, read_difference_words};
use ratatui::{buffer::Buffer, layout::Rect};

/// What there is to know of it.
pub(crate) const ENTRY: Entry = Entry {
    bench: Bench::Game,
    key: "P",
    name: "game",
    help: "bench: does a running game read what its rules say?",
    keys: &[Command::NextDevice(1), Command::Audit],
    draw,
    is_about: Some(is_about),
    shown: App::follow_game,
    advance: App::follow_game,
    mouse: App::game_mouse,
    next: App::next_game_place,
    ..Entry::PLAIN
};

const NAME: u16 = 2;
const IS: u16 = 20;
const COUNT: u16 = 38;
const WHY: u16 = 62;

fn is_about(app: &App, lane: Lane) -> bool {
    app.game_value_of(lane).is_some()
}

/// How many rows the values take: about half of those there are, so that places are seen too.
fn value_rows(bench: Rect, app: &App) -> u16 {
    let count = app.gaming.found.as_ref().map_or(0, |agreed| agreed.found.values.len());
    (count as u16).min(bench.height.saturating_sub(3) / 2 + 1)
}

/// Where the places are that differ, below the values.
pub(crate) fn places_area(bench: Rect, app: &App) -> Rect {
    let above = (value_rows(bench, app) + 3).min(bench.height);
    Rect { y: bench.y + above, height: bench.height - above, ..bench }
}

fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    let Some(agreed) = &app.gaming.found else {
        let rows = paint::rows(area).zip(without(app));
        for (row, text) in rows {
            paint::text(buffer, row, row.x + NAME, text, app.theme.faint());
        }
        return;
    };
    let mut rows = paint::rows(area);
    if let Some(row) = rows.next() {
        head(buffer, row, app, agreed);
    }
    if let Some(row) = rows.next() {
        let room = Rect { x: row.x + NAME, width: row.width.saturating_sub(NAME), ..row };
        fitted(buffer, room, &latency(agreed), app.theme.faint());
    }
    let shown = usize::from(value_rows(area, app));
    for (value, row) in worst_first(agreed).into_iter().take(shown).zip(&mut rows) {
        value_row(buffer, row, app, agreed, value);
    }
    if let Some(row) = rows.next() {
        rule(buffer, row, app, agreed, shown);
    }
    places(buffer, places_area(area, app), app);
}

/// What is shown where no game says anything.
fn without(app: &App) -> [&'static str; 4] {
    match app.game() {
        Some(_) => ["the rig runs along the frames of the game …", "", "", ""],
        None => [
            "no game says anything of its frames here",
            "",
            "A game that sends what it reads and makes of each frame is held against the rig:",
            "docs/live-format.md (Frames), senders/gtrig_frames.h, and a game to try in demo/game",
        ],
    }
}

fn head(buffer: &mut Buffer, row: Rect, app: &App, agreed: &Agreed) {
    let (theme, found) = (app.theme, &agreed.found);
    let game = app.session().frames().games()[usize::from(found.game.0)].to_string();
    let mut x = paint::text(buffer, row, row.x + NAME, &game, theme.strong()) + 2;
    let frames = format!("{} frames", paint::grouped(found.frames));
    x = paint::text(buffer, row, x, &frames, theme.plain()) + 2;
    let compared = found.values.iter().filter(|value| value.compared > 0).count();
    let differ = found.values.iter().filter(|value| value.differed > 0).count();
    let (verdict, style) = match (found.is_met(), compared, differ) {
        (_, 0, _) => {
            ("◇ nothing is compared: name its values in [game.names]".to_owned(), theme.doubtful())
        }
        (true, ..) => (format!("✓ all {compared} values agree"), theme.strong()),
        (false, _, 0) => ("≠ its values agree, what it read does not".to_owned(), theme.lost()),
        (false, ..) => (format!("≠ {differ} of {compared} values differ"), theme.lost()),
    };
    x = paint::text(buffer, row, x, &verdict, style) + 2;
    let counts =
        [(found.missing, "missing"), (found.restarts, "restarts"), (found.close, "close calls")];
    for (count, what) in counts.into_iter().filter(|(count, _)| *count > 0) {
        x = paint::text(buffer, row, x, &format!("{count} {what}"), theme.doubtful()) + 2;
    }
    let state = match (app.gaming.is_busy, app.session().frames().games().len()) {
        (true, _) => "looking again …".to_owned(),
        (false, 0 | 1) => String::new(),
        (false, games) => format!("the latest of {games} games"),
    };
    paint::text(buffer, row, x, &state, theme.faint());
}

/// The parts of the way from a press to a value.
fn latency(agreed: &Agreed) -> String {
    let latency = &agreed.found.latency;
    let part = |delays: &Delays| {
        let at = |share| delays.at(share).map_or(0.0, Nanos::as_millis);
        format!("{:.1} ({:.1})", at(0.5), at(0.95))
    };
    match latency.whole.count() {
        0 => "no press turned on a value of the game yet".to_owned(),
        presses => format!(
            "{presses} presses, ms median (p95): device report {} · event → poll {} · poll → value {} · in all {}",
            part(&latency.report),
            part(&latency.to_poll),
            part(&latency.to_value),
            part(&latency.whole),
        ),
    }
}

/// Those that differ most stand first.
fn worst_first(agreed: &Agreed) -> Vec<usize> {
    let values = &agreed.found.values;
    let mut order: Vec<usize> = (0..values.len()).collect();
    order.sort_by_key(|&at| (std::cmp::Reverse(values[at].differed), values[at].target.is_none()));
    order
}

fn value_row(buffer: &mut Buffer, row: Rect, app: &App, agreed: &Agreed, at: usize) {
    let (theme, session) = (app.theme, app.session());
    let value: &Value = &agreed.found.values[at];
    let name = name_of(session.frames(), value);
    let style = if value.differed > 0 { theme.strong() } else { theme.plain() };
    let cell = |from: u16, to: u16| Rect {
        x: row.x + from,
        width: (to - from).min(row.width.saturating_sub(from)),
        ..row
    };
    fitted(buffer, cell(NAME, IS), name.as_str(), style);
    let Some(target) = value.target else {
        paint::text(buffer, row, row.x + IS, "not compared: no such action", theme.faint());
        return;
    };
    fitted(buffer, cell(IS, COUNT), &target_name(&agreed.rig, target), theme.faint());
    if value.differed == 0 {
        let text = format!("{:>6} frames ✓", value.compared);
        paint::text(buffer, row, row.x + COUNT, &text, theme.faint());
        return;
    }
    let text = format!("{:>6} of {} ≠ {:.3}", value.differed, value.compared, value.most);
    paint::text(buffer, row, row.x + COUNT, &text, theme.lost());
    let of_value = agreed.found.differences.iter().filter(|difference| difference.value == at);
    if let Some(worst) = of_value.max_by_key(|difference| difference.frames) {
        let why = cause_words(&agreed.rig, session.roster(), &worst.cause);
        let room = cell(WHY, row.width.max(WHY));
        fitted(buffer, room, &why, theme.plain());
    }
}

/// A text, and a column that stays free behind it.
fn fitted(buffer: &mut Buffer, area: Rect, text: &str, style: ratatui::style::Style) {
    let area = Rect { width: area.width.saturating_sub(1), ..area };
    paint::text(buffer, area, area.x, text, style);
}

fn rule(buffer: &mut Buffer, row: Rect, app: &App, agreed: &Agreed, shown: usize) {
    paint::rule(buffer, row, app.theme);
    let count = app.gaming.place_count();
    let more = agreed.found.values.len().saturating_sub(shown);
    let more = if more > 0 { format!("{more} further values · ") } else { String::new() };
    let text = match count {
        0 => format!(" {more}nothing differs "),
        _ => format!(
            " {more}place {} of {count}: {} goes on, a click goes there ",
            app.gaming.chosen + 1,
            app.key_of(Command::NextDevice(1))
        ),
    };
    let room = Rect { x: row.x + NAME, width: row.width.saturating_sub(NAME), ..row };
    fitted(buffer, room, &text, app.theme.faint());
}

fn places(buffer: &mut Buffer, area: Rect, app: &App) {
    let (theme, session) = (app.theme, app.session());
    let Some(agreed) = app.gaming.found.as_deref() else { return };
    let first = app.first_game_place(area.height.into());
    for (at, row) in (first..).zip(paint::rows(area)) {
        let Some(place) = app.gaming.place(at) else { break };
        let (frame, words) = match place {
            GamePlace::Value(of) => {
                let name = name_of(session.frames(), &agreed.found.values[of.value]);
                let words = difference_words(&agreed.rig, session.roster(), name.as_str(), of);
                (of.first.number, words)
            }
            GamePlace::Read(of) => (of.first.number, read_difference_words(session.roster(), of)),
        };
        let (glyph, style) = match at == app.gaming.chosen {
            true => ("▸", theme.strong()),
            false => (" ", theme.plain()),
        };
        let polled = place.polled().to_string();
        let text = format!("{glyph} {polled:>14}  frame {frame:<6} {words}");
        let room = Rect { x: row.x + 1, width: row.width.saturating_sub(1), ..row };
        fitted(buffer, room, &text, style);
    }
}
