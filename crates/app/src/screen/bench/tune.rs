//! The numbers of the rig in groups: what they are, what they were, what they mean; of the
//! chosen one what it may be, what reads it, and what the nudges changed.
//!
//! ```text
//!   numbers of the rig                        2 appeared  1 changed   d jumps
//!   action slew                               1 nudged
//!   ▸ from[0].dead-zone     0.15  was 0.12   of full travel   Deflection …
//! ```

use super::{Bench, Entry};
use crate::screen::{App, draw::paint, keymap::Command, spots::Spot};
use gtrig_core::{Knob, Place, Selector};
use ratatui::{buffer::Buffer, layout::Rect};
use unicode_width::UnicodeWidthStr;

const MARGIN: u16 = 2;

/// Rows of what there is to know of the chosen number.
const CHOSEN: u16 = 2;

/// What there is to know of it.
pub(crate) const ENTRY: Entry = Entry {
    bench: Bench::Tune,
    key: "6",
    name: "tune",
    help: "bench: every number of the rig",
    keys: &[Command::Filter, Command::Before, Command::Difference(1)],
    wants: |app, _| {
        let lines = in_groups(&app.knobs()).len();
        u16::try_from(lines).unwrap_or(u16::MAX).saturating_add(1 + CHOSEN)
    },
    draw,
    numbers: Some(App::filtered_numbers),
    ..Entry::PLAIN
};

/// A line of the list.
enum Line {
    /// The name of what the numbers below belong to.
    Group(String),
    /// A number, by its place among those that are listed.
    Number(usize),
}

/// What a number belongs to: `action slew`; of one that belongs to the rig as a whole its
/// table.
fn group_of(place: &Place) -> String {
    match place.0.as_slice() {
        [Selector::Key(table), Selector::Key(entry), _, ..] => format!("{table} {entry}"),
        [Selector::Key(table), _, ..] => table.clone(),
        _ => "the rig".to_owned(),
    }
}

/// The place of a number within its group.
fn name_in_group(place: &Place) -> String {
    match place.0.as_slice() {
        [_, Selector::Key(_), rest @ ..] if !rest.is_empty() => Place(rest.to_vec()).to_string(),
        [_, rest @ ..] if !rest.is_empty() => Place(rest.to_vec()).to_string(),
        _ => place.to_string(),
    }
}

fn in_groups(knobs: &[Knob]) -> Vec<Line> {
    let mut lines = Vec::with_capacity(knobs.len() * 2);
    let mut group = None;
    for (at, knob) in knobs.iter().enumerate() {
        let of = group_of(&knob.place);
        if group.as_ref() != Some(&of) {
            lines.push(Line::Group(of.clone()));
            group = Some(of);
        }
        lines.push(Line::Number(at));
    }
    lines
}

/// The whole list, with room for the meaning of each, and what there is to know of the
/// chosen one.
fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    let mut rows: Vec<Rect> = paint::rows(area).collect();
    if rows.is_empty() {
        return;
    }
    let head_row = rows.remove(0);
    let title = match app.tuning.filter.as_str() {
        "" => "numbers of the rig".to_owned(),
        words => format!("numbers with \"{words}\""),
    };
    head(buffer, head_row, app, &title);
    // On a low screen the list alone.
    let below = if rows.len() > 3 * usize::from(CHOSEN) { usize::from(CHOSEN) } else { 0 };
    let about = rows.split_off(rows.len() - below);
    let knobs = app.knobs();
    if knobs.is_empty() {
        if let Some(row) = rows.first() {
            let drops = app.key_of(Command::Dismiss);
            let text = format!("no number has these words; {drops} drops them");
            paint::text(buffer, *row, row.x + MARGIN, &text, app.theme.faint());
        }
        return;
    }
    let names: Vec<String> = knobs.iter().map(|knob| name_in_group(&knob.place)).collect();
    let lines = in_groups(&knobs);
    let table = Table::of(app, &knobs, &names);
    let chosen =
        lines.iter().position(|line| matches!(line, Line::Number(at) if *at == table.chosen));
    let first = first_of(lines.len(), chosen.unwrap_or(0), rows.len());
    for (line, &row) in lines.iter().skip(first).zip(&rows) {
        match line {
            Line::Group(name) => {
                let of_group = knobs.iter().filter(|knob| group_of(&knob.place) == *name);
                let nudged = of_group.filter(|knob| app.is_nudged(knob)).count();
                let x = paint::text(buffer, row, row.x + MARGIN, name, app.theme.strong());
                if nudged > 0 {
                    let text = format!("{nudged} nudged");
                    paint::text(buffer, row, x + 3, &text, app.theme.wire());
                }
            }
            Line::Number(at) => table.draw(buffer, row, *at, knobs[*at].tunable.meaning),
        }
    }
    about_chosen(buffer, &about, app, &knobs[table.chosen]);
}

/// What the chosen number may be and what reads it; and what the nudges changed.
fn about_chosen(buffer: &mut Buffer, rows: &[Rect], app: &App, knob: &Knob) {
    let [range, changed] = rows else { return };
    let theme = app.theme;
    let tunable = knob.tunable;
    let text = format!(
        "{} is {} to {} {}, a step is {}. {}",
        knob.place,
        tunable.min,
        tunable.max,
        tunable.unit,
        tunable.step,
        app.use_in_words(&knob.place)
    );
    paint::text(buffer, *range, range.x + MARGIN, &text, theme.plain());
    if let Some(text) = app.changed_in_words() {
        paint::text(buffer, *changed, changed.x + MARGIN, &text, theme.doubtful());
    }
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
            let count = app.tuning.differences.len();
            let come = if count == 1 { "stretch comes" } else { "stretches come" };
            let whole = format!("{count} {come} out differently: {words}");
            let keys = format!("   {jump} jumps, {undo} undoes, {write} writes");
            // As much of it as there is room for.
            let room = usize::from(row.right().saturating_sub(x));
            let texts = [format!("{whole}{keys}"), format!("{words}{keys}"), words];
            let fits = texts.iter().position(|text| text.width() <= room).unwrap_or(2);
            (texts[fits].clone(), theme.doubtful())
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
        return;
    }
    let (names, meanings): (Vec<String>, Vec<&str>) = knobs.iter().map(words).unzip();
    let table = Table::of(app, &knobs, &names);
    let first = first_of(knobs.len(), table.chosen, rows.len());
    for (at, &row) in (first..knobs.len()).zip(rows) {
        table.draw(buffer, row, at, meanings[at]);
    }
}

/// The first of so many lines in so many rows that have the chosen one in their middle.
fn first_of(lines: usize, chosen: usize, rows: usize) -> usize {
    chosen.saturating_sub(rows / 2).min(lines.saturating_sub(rows))
}

/// So wide is the column of values at least, that it stays where it is while one is nudged.
const LEAST_VALUE: usize = 6;

/// What a number that was nudged was before; nothing of any other.
fn was_of(app: &App, knob: &Knob) -> String {
    let was = app.original(knob).filter(|was| *was != knob.value);
    was.map_or(String::new(), |was| format!("was {was}"))
}

/// Numbers in columns.
struct Table<'a> {
    app: &'a App,
    knobs: &'a [Knob],
    names: &'a [String],
    chosen: usize,
    name_width: usize,
    value_width: usize,
    was_width: usize,
    unit_width: usize,
}

impl<'a> Table<'a> {
    fn of(app: &'a App, knobs: &'a [Knob], names: &'a [String]) -> Self {
        let width = |text: &String| text.chars().count();
        let value = |knob: &Knob| format!("{}", knob.value).len();
        // Room for what was, once anything was another number.
        let was = knobs.iter().filter(|knob| app.is_nudged(knob)).map(|knob| was_of(app, knob));
        Table {
            app,
            knobs,
            names,
            chosen: app.tuning.chosen.min(knobs.len().saturating_sub(1)),
            name_width: names.iter().map(width).max().unwrap_or(0),
            value_width: knobs.iter().map(value).max().unwrap_or(0).max(LEAST_VALUE),
            was_width: was.map(|was| was.len() + 2).max().unwrap_or(0),
            unit_width: knobs.iter().map(|knob| knob.tunable.unit.len()).max().unwrap_or(0),
        }
    }

    fn draw(&self, buffer: &mut Buffer, row: Rect, at: usize, meaning: &str) {
        let Table { app, name_width, value_width, was_width, unit_width, .. } = *self;
        let (knob, name, theme) = (&self.knobs[at], &self.names[at], app.theme);
        app.view.spots.note(row, Spot::Number(at));
        let is_chosen = at == self.chosen;
        let was = was_of(app, knob);
        let style = match (is_chosen, !was.is_empty()) {
            (_, true) => theme.wire(),
            (true, false) => theme.strong(),
            (false, false) => theme.plain(),
        };
        let pointer = if is_chosen { "▸" } else { " " };
        let text = format!("{pointer} {name:<name_width$} {:>value_width$}", knob.value);
        let x = paint::text(buffer, row, row.x + MARGIN, &text, style) + 1;
        let x = paint::text(buffer, row, x, &format!("{was:<was_width$}"), theme.wire());
        let unit = format!("{:<unit_width$}", knob.tunable.unit);
        let x = paint::text(buffer, row, x, &unit, theme.faint()) + 2;
        paint::text(buffer, row, x, meaning, theme.faint());
    }
}
