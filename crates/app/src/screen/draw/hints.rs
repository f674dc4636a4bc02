//! The bottom row of keys.

use super::paint;
use crate::screen::{
    App,
    app::Lesson,
    keymap::{Command, bindings},
};
use ratatui::{buffer::Buffer, layout::Rect};
use unicode_width::UnicodeWidthStr;

/// What must be there, however small the screen is: at the right edge.
const ALWAYS: [Command; 3] = [Command::Find, Command::Help, Command::Quit];

/// Columns between two hints.
const GAP: u16 = 3;

/// A key and what it does, in a word.
pub(super) struct Hint {
    pub(super) command: Command,
    pub(super) place: Rect,
    keys: &'static str,
    word: &'static str,
}

/// The hints of a row: those that are always there at its right edge, and of the others
/// the first ones, as many as fit.
pub(super) fn layout(area: Rect) -> Vec<Hint> {
    let hints = bindings().filter(|binding| !binding.hint.is_empty()).map(|binding| {
        // A hint that brings its own keys, or a word that follows them.
        let (keys, word) = match binding.hint.rsplit_once(' ') {
            Some((keys, word)) => (keys, word),
            None => (binding.shown, binding.hint),
        };
        let width = (keys.width() + 1 + word.width()) as u16;
        Hint { command: binding.command, place: Rect { width, ..area }, keys, word }
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
    for Hint { place, keys, word, .. } in layout(area) {
        let x = paint::text(buffer, place, place.x, keys, app.theme.strong()) + 1;
        paint::text(buffer, place, x, word, app.theme.faint());
    }
}

/// The keys while a device is being named.
pub(super) fn lesson(buffer: &mut Buffer, area: Rect, app: &App, lesson: &Lesson) {
    let kind = ("k", "a pad or a lever");
    let others = [("Enter", "it is so"), ("→", "skip"), ("←", "back"), ("Esc", "end")];
    let kind = lesson.learner.is_at_rest().then_some(kind);
    let mut x = area.x;
    for (key, word) in others.into_iter().chain(kind) {
        x = paint::text(buffer, area, x, key, app.theme.strong()) + 1;
        x = paint::text(buffer, area, x, word, app.theme.faint()) + 3;
    }
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
        let hints = layout(area);
        for command in ALWAYS {
            let found = hints.iter().find(|hint| hint.command == command).unwrap();
            assert_eq!(usize::from(found.place.width), found.keys.width() + 1 + found.word.width());
        }
        assert!(hints.windows(2).all(|two| two[0].place.right() < two[1].place.x));
        assert!(hints.iter().all(|hint| hint.place.right() <= area.right()));
    }
}
