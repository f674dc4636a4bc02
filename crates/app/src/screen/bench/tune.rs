//! The numbers of the rig: what they are, what they were, what they mean.
//!
//! ```text
//!   numbers of the rig                        2 appeared  1 changed   d jumps
//!   ▸ action.slew.from[0].dead-zone     0.15  was 0.12   of full travel   Deflection …
//! ```

use super::{Bench, Entry};
use crate::screen::App;
use crate::screen::draw::paint;
use crate::screen::keymap::Command;
use gtrig_core::Knob;
use ratatui::{buffer::Buffer, layout::Rect};

const MARGIN: u16 = 2;

/// What there is to know of it.
pub(crate) const ENTRY: Entry = Entry {
    bench: Bench::Tune,
    key: "6",
    name: "tune",
    help: "bench: every number of the rig",
    keys: &[Command::Before, Command::Difference(1)],
    wants: |app, _| app.knobs().len() as u16 + 1,
    draw,
    numbers: Some(|_, rig| rig.knobs()),
    ..Entry::PLAIN
};

/// The whole list, with room for the meaning of each.
fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    let mut rows = paint::rows(area);
    if let Some(row) = rows.next() {
        head(buffer, row, app, "numbers of the rig");
    }
    list(buffer, &rows.collect::<Vec<_>>(), app, |knob| {
        (knob.place.to_string(), knob.tunable.meaning)
    });
}

/// A heading, and what the nudges have changed.
pub(super) fn head(buffer: &mut Buffer, row: Rect, app: &App, title: &str) {
    let theme = app.theme;
    let x = paint::text(buffer, row, row.x + MARGIN, title, theme.strong()) + 3;
    let words = app.differences_in_words();
    let (text, style) = match (app.is_retuning(), app.tuning.before.is_some()) {
        (true, _) => ("running the history again …".to_owned(), theme.doubtful()),
        (false, false) => {
            let ways = |command| app.keymap.there_and_back(command);
            let [choose, nudge] = [Command::Knob(1), Command::Nudge(1)].map(ways);
            let value = app.key_of(Command::Value);
            (format!("{choose} choose, {nudge} nudge, {value} types a value"), theme.faint())
        }
        (false, true) if words.is_empty() => {
            ("nothing comes out differently".to_owned(), theme.faint())
        }
        (false, true) => {
            let commands = [Command::Difference(1), Command::Undo, Command::WriteRig];
            let [jump, undo, write] = commands.map(|command| app.key_of(command));
            let text = format!("{words}   {jump} jumps, {undo} undoes, {write} writes");
            (text, theme.doubtful())
        }
    };
    paint::text(buffer, row, x, &text, style);
}

/// Numbers, one a row, around the chosen one; `words` gives the name and the
/// meaning of one.
pub(super) fn list<'k>(
    buffer: &mut Buffer,
    rows: &[Rect],
    app: &App,
    words: impl Fn(&Knob) -> (String, &'k str),
) {
    let knobs = app.knobs();
    if let (true, Some(&row)) = (knobs.is_empty(), rows.first()) {
        let text = "no number: keys and buttons have none";
        paint::text(buffer, row, row.x + MARGIN, text, app.theme.faint());
    }
    let named: Vec<(String, &str)> = knobs.iter().map(words).collect();
    let width = named.iter().map(|(name, _)| name.chars().count()).max().unwrap_or(0);
    let unit_width = knobs.iter().map(|knob| knob.tunable.unit.len()).max().unwrap_or(0);
    // Room for what was, once anything was another number.
    let is_tuned = |knob: &Knob| app.original(knob).is_some_and(|was| was != knob.value);
    let was_width = if knobs.iter().any(is_tuned) { 10 } else { 0 };
    let chosen = app.tuning.chosen.min(knobs.len().saturating_sub(1));
    let first = chosen.saturating_sub(rows.len() / 2);
    let first = first.min(knobs.len().saturating_sub(rows.len()));
    let shown = knobs.iter().zip(&named).enumerate().skip(first);
    for ((at, (knob, (name, meaning))), &row) in shown.zip(rows) {
        let is_chosen = at == chosen;
        let was = app.original(knob).filter(|was| *was != knob.value);
        let style = match (is_chosen, was.is_some()) {
            (_, true) => app.theme.wire(),
            (true, false) => app.theme.strong(),
            (false, false) => app.theme.plain(),
        };
        let pointer = if is_chosen { "▸" } else { " " };
        let text = format!("{pointer} {name:<width$} {:>8}", knob.value);
        let x = paint::text(buffer, row, row.x + MARGIN, &text, style) + 1;
        let was = was.map_or(String::new(), |was| format!("was {was}"));
        let x = paint::text(buffer, row, x, &format!("{was:<was_width$}"), app.theme.wire());
        let unit = format!("{:<unit_width$}", knob.tunable.unit);
        let x = paint::text(buffer, row, x, &unit, app.theme.faint()) + 2;
        paint::text(buffer, row, x, meaning, app.theme.faint());
    }
}
