//! The timeline: a logic analyser for input.

mod row;

use super::{offers, paint};
use crate::screen::{
    App, Theme,
    areas::Areas,
    keymap::Command,
    spots::Spot,
    theme::mark,
    view::{Lane, lane_name},
};
use gtrig_analysis::{
    LaneSummary,
    compare::{ActionRecord, SAME},
    ladder::ComboAttemptOutcome,
    score,
};
use gtrig_core::{
    ActionId, CleanText, ComboId, ControlId, ControlKind, GestureId, LaneMarks, Marks, Nanos, Tick,
    normalise,
};
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::{Modifier, Style},
};
use row::Row;
use unicode_width::UnicodeWidthStr;

pub(super) fn draw(buffer: &mut Buffer, areas: &Areas, app: &App) {
    let lanes = &app.view.shown;
    ruler(buffer, areas, app);
    marks(buffer, areas, app);
    if app.is_untouched() {
        offers::draw(buffer, areas.lanes, app);
        return;
    }
    let mut below = areas.lanes;
    for &lane in lanes.iter().skip(app.view.first_lane) {
        let height = app.lane_height(lane).min(below.height);
        if height == 0 {
            break;
        }
        let area = Rect { height, ..below };
        app.view.spots.note(area, Spot::Lane(lane));
        Row { buffer, area, traces: areas.traces(area), app, lane }.draw();
        below.y += height;
        below.height -= height;
    }
    if !lanes.is_empty() {
        name_folded(buffer, below, app, &app.view.folded);
    } else {
        let text = match app.view.filter.is_empty() {
            true if app.hidden_count() > 0 => {
                format!("every lane is hidden; {} shows them", app.key_of(Command::ShowHidden))
            }
            true => "no lanes: the rig has no actions, and nothing has moved yet".to_owned(),
            false => format!(
                "no lane has these words in its name; {} drops the filter",
                app.key_of(Command::Dismiss)
            ),
        };
        paint::text(buffer, areas.lanes, areas.lanes.x, &text, app.theme.faint());
    }
    playhead(buffer, areas, app);
}

/// Below the last lane, the names of those that are folded away.
fn name_folded(buffer: &mut Buffer, area: Rect, app: &App, folded: &[Lane]) {
    let hidden = match app.hidden_count() {
        0 => String::new(),
        count => format!("{count} hidden, {} shows them   ", app.key_of(Command::ShowHidden)),
    };
    if area.height == 0 || (folded.is_empty() && hidden.is_empty()) {
        return;
    }
    let name = |&lane: &Lane| lane_name(app.session(), lane).trim_start_matches("▷ ").to_owned();
    let names = folded.iter().map(name).collect::<Vec<_>>().join(" · ");
    let folded = match folded.is_empty() {
        true => String::new(),
        false => format!("at rest, {} shows them: {names}", app.key_of(Command::Fold)),
    };
    let text = format!("{hidden}{folded}");
    paint::text(buffer, area, area.x + 2, &text, app.theme.faint());
}

/// Time along the top, the place of the playhead, and what the filter is.
fn ruler(buffer: &mut Buffer, areas: &Areas, app: &App) {
    let (row, traces) = (areas.ruler, areas.traces(areas.ruler));
    paint::rule(buffer, row, app.theme);
    let title = match (app.view.filter.as_str(), app.view.folded.len()) {
        ("", 0) => " lanes ".to_owned(),
        ("", folded) => format!(" lanes +{folded} at rest "),
        (filter, _) => format!(" lanes / {filter} "),
    };
    paint::text(
        buffer,
        Rect { width: areas.gutters.0, ..row },
        row.x + 2,
        &title,
        app.theme.strong(),
    );
    if app.view.stretch.zoom.has_room_in_ticks() {
        // There is room between two polls: say where they are.
        for cell in app.view.stretch.cells() {
            paint::glyph(buffer, traces, traces.x + cell.column, "╷", app.theme.faint());
        }
    }
    let pointers = pointers(traces, app);
    for (column, ms) in time_labels(app) {
        let x = traces.x + column;
        let text = format!("┬{} ms ", paint::grouped(ms));
        let end = x + text.width() as u16;
        // What points at an instant would make another number of it.
        let is_covered = pointers.iter().any(|&[from, to]| from < end && to >= x);
        if end < traces.right() && !is_covered {
            paint::text(buffer, traces, x, &text, app.theme.faint());
        } else {
            paint::glyph(buffer, traces, x, "┬", app.theme.faint());
        }
    }
    for [from, to] in pointers {
        (from..to).for_each(|x| paint::glyph(buffer, traces, x, "═", app.theme.wire()));
    }
    let column = |tick| Some(traces.x + app.view.stretch.column_of(tick)?);
    if let Some(x) = app.view.measured_from.and_then(column) {
        paint::glyph(buffer, traces, x, "▽", app.theme.wire());
    }
    if let Some(x) = column(app.tick()) {
        paint::glyph(buffer, traces, x, "▼", app.theme.wire());
    }
}

/// From where to where the ruler points at something: at the playhead, and along what is
/// measured.
fn pointers(traces: Rect, app: &App) -> Vec<[u16; 2]> {
    let stretch = app.view.stretch;
    let column = |tick| Some(traces.x + stretch.column_of(tick)?);
    let playhead = column(app.tick()).map(|x| [x, x]);
    let measured = app.measured().and_then(|[from, to]| {
        let end = column(to).unwrap_or(traces.right());
        // What begins before the view, or after it.
        let start = column(from.max(stretch.first)).filter(|start| *start <= end)?;
        (to >= stretch.first).then_some([start, end])
    });
    playhead.into_iter().chain(measured).collect()
}

/// Columns and round milliseconds, at least eighteen columns apart. A label
/// stands at the tick that sees its instant.
fn time_labels(app: &App) -> impl Iterator<Item = (u16, u64)> + use<> {
    let rate = app.session().plan().rate();
    let stretch = app.view.stretch;
    let ms_at = |tick| rate.time_of(tick).as_millis();
    let first = ms_at(stretch.first);
    let least = (ms_at(stretch.tick_at(18)) - first).max(1.0) as u64;
    let decade = 10u64.pow(least.ilog10());
    let every = [1, 2, 5, 10].into_iter().map(|n| n * decade).find(|&n| n >= least);
    let every = every.unwrap_or(least);
    let start = (first as u64).div_ceil(every);
    (start..).map_while(move |n| {
        let ms = n * every;
        Some((stretch.column_of(rate.tick_seeing(Nanos::from_millis(ms)))?, ms))
    })
}

/// What people wrote on the timeline.
fn marks(buffer: &mut Buffer, areas: &Areas, app: &App) {
    let (row, traces) = (areas.marks, areas.traces(areas.marks));
    if row.height == 0 {
        return;
    }
    paint::text(buffer, row, row.x + 2, "marks", app.theme.faint());
    let score = app.score();
    let mut answers = score.iter().flat_map(|score| &score.meant).peekable();
    let flag = |(n, (tick, text)): (usize, (Tick, &CleanText))| {
        // What was meant wears what became of it.
        let answer = answers.next_if(|meant| meant.label == n);
        let style = match answer.map(|meant| meant.is_hit) {
            Some(true) => ("✓ ", app.theme.fired()),
            Some(false) => ("✗ ", app.theme.lost()),
            None => ("⚑ ", app.theme.wire()),
        };
        let words = text.as_str().strip_prefix(score::PREFIX).unwrap_or(text.as_str());
        Some((app.view.stretch.column_of(tick)?, style, words.to_owned()))
    };
    let mut flags = app.marks().enumerate().filter_map(flag).peekable();
    while let Some((column, (glyph, style), words)) = flags.next() {
        // Words end a column before the next flag, and say where they go on; at the playhead
        // the row of the why has them all.
        let next = flags.peek().map(|(next, ..)| *next);
        let width = next.unwrap_or(traces.width) - column;
        let room = Rect { x: traces.x + column, width, ..traces };
        let x = paint::text(buffer, room, room.x, glyph, style);
        let width = room.width.saturating_sub(u16::from(next.is_some()));
        paint::text(buffer, Rect { width, ..room }, x, &words, style);
    }
}

fn playhead(buffer: &mut Buffer, areas: &Areas, app: &App) {
    let measured = app.view.measured_from.and_then(|tick| app.view.stretch.column_of(tick));
    // Live it is where every trace ends: a column that moves with each tick says no more, and
    // is much to send.
    let here = app.view.stretch.column_of(app.tick()).filter(|_| !app.view.is_live());
    for column in measured.into_iter().chain(here) {
        column_of_playhead(buffer, areas, app, column);
    }
}

fn column_of_playhead(buffer: &mut Buffer, areas: &Areas, app: &App, column: u16) {
    for rows in [areas.marks, areas.lanes] {
        let traces = areas.traces(rows);
        for y in traces.top()..traces.bottom() {
            if let Some(cell) = buffer.cell_mut((traces.x + column, y)) {
                cell.set_style(app.theme.playhead());
            }
        }
    }
}
