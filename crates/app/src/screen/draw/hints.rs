//! The bottom row of keys.

use super::paint;
use crate::screen::{
    App,
    app::{DeviceLesson, Lesson},
    keymap::{Command, Keymap},
    spots::Spot,
};
use ratatui::{buffer::Buffer, layout::Rect};
use unicode_width::UnicodeWidthStr;

/// What must be there, however small the screen is: at the right edge.
const ALWAYS: [Command; 3] = [Command::Find, Command::Help, Command::Quit];

/// Columns between two hints.
const GAP: u16 = 3;

/// What can be done with what is measured, before all others.
const MEASURED: [(Command, &str); 5] = [
    (Command::FitAll, "fits it"),
    (Command::Save, "saves it"),
    (Command::Export, "draws it"),
    (Command::MarkWithWords, "names it"),
    (Command::Measure, "ends"),
];

/// A key and what it does, in a word.
struct Hint {
    command: Command,
    place: Rect,
    keys: String,
    word: &'static str,
}

/// The hints that matter now, the weightiest first.
fn words(app: &App) -> Vec<(Command, &'static str)> {
    let bindings = app.keymap.bindings().iter();
    let usual = bindings.filter(|binding| !binding.hint.is_empty()).map(|binding| {
        let word = match binding.command {
            Command::Edge(_) => app.view.search.what.words(),
            _ => binding.hint,
        };
        (binding.command, word)
    });
    if app.view.measured_from.is_none() {
        return usual.collect();
    }
    let is_other = |(command, _): &(Command, _)| MEASURED.iter().all(|(it, _)| it != command);
    MEASURED.into_iter().chain(usual.filter(is_other)).collect()
}

/// The hints of a row.
fn layout(area: Rect, app: &App) -> Vec<Hint> {
    layout_of(area, &app.keymap, words(app))
}

/// Those that are always there at its right edge, and of the others the first ones, as
/// many as fit.
fn layout_of(area: Rect, keymap: &Keymap, words: Vec<(Command, &'static str)>) -> Vec<Hint> {
    let hints = words.into_iter().filter_map(|(command, word)| {
        let keys = keymap.there_and_back(command);
        let width = (keys.width() + 1 + word.width()) as u16;
        (!keys.is_empty()).then_some(Hint { command, place: Rect { width, ..area }, keys, word })
    });
    let (mut always, others): (Vec<Hint>, Vec<Hint>) =
        hints.partition(|hint| ALWAYS.contains(&hint.command));
    let mut end = area.right();
    for hint in always.iter_mut().rev() {
        hint.place.x = end.saturating_sub(hint.place.width).max(area.x);
        hint.place.width = end - hint.place.x;
        end = hint.place.x.saturating_sub(GAP).max(area.x);
    }
    let mut x = area.x;
    let mut shown = Vec::new();
    for mut hint in others {
        if x + hint.place.width > end {
            break;
        }
        hint.place.x = x;
        x += hint.place.width + GAP;
        shown.push(hint);
    }
    shown.extend(always);
    shown
}

pub(super) fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    for Hint { command, place, keys, word } in layout(area, app) {
        app.view.spots.note(place, Spot::Command(command));
        let x = paint::text(buffer, place, place.x, &keys, app.theme.strong()) + 1;
        paint::text(buffer, place, x, word, app.theme.faint());
    }
}

/// The keys while a device is being named.
pub(super) fn lesson(buffer: &mut Buffer, area: Rect, app: &App, lesson: &Lesson) {
    let keys = match lesson {
        Lesson::Device(lesson) => of_device(lesson),
        Lesson::Addresses(_) => vec![
            ("Enter", "name it"),
            ("Esc", "end"),
            ("Tab", "read it as"),
            ("↑ ↓", "choose"),
            ("Space", "follow what moves"),
        ],
    };
    let mut x = area.x;
    for (key, word) in keys {
        x = paint::text(buffer, area, x, key, app.theme.strong()) + 1;
        x = paint::text(buffer, area, x, word, app.theme.faint()) + 3;
    }
}

fn of_device(lesson: &DeviceLesson) -> Vec<(&'static str, &'static str)> {
    let kind = lesson.learner.is_at_rest().then_some(("k", "a pad or a lever"));
    let others = [("Enter", "it is so"), ("→", "skip"), ("←", "back"), ("Esc", "end")];
    others.into_iter().chain(kind).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(160)]
    #[case(78)]
    #[case(40)]
    #[case(24)]
    fn the_way_out_is_always_there(#[case] width: u16) {
        let area = Rect { x: 1, y: 9, width, height: 1 };
        let keymap = Keymap::own();
        let words = keymap.bindings().iter().filter(|binding| !binding.hint.is_empty());
        let words = words.map(|binding| (binding.command, binding.hint)).collect();
        let hints = layout_of(area, &keymap, words);
        for command in ALWAYS {
            let found = hints.iter().find(|hint| hint.command == command).unwrap();
            assert_eq!(usize::from(found.place.width), found.keys.width() + 1 + found.word.width());
        }
        assert!(hints.windows(2).all(|two| two[0].place.right() < two[1].place.x));
        assert!(hints.iter().all(|hint| hint.place.right() <= area.right()));
    }
}
