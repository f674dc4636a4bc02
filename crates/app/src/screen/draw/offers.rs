//! What can be done while nothing has happened yet.

use super::paint;
use crate::screen::{App, keymap::Command, spots::Spot};
use ratatui::{buffer::Buffer, layout::Rect};

/// What is offered: a command, and what a newcomer has of it.
const OFFERS: [(Command, &str); 7] = [
    (Command::Capture, "play: keyboard and mouse of this terminal drive the rig; Ctrl+G lets go"),
    (Command::Tour, "take the tour: one story, nine steps, with the real program"),
    (Command::Stories, "open a story: made-up takes, each with a mistake to find"),
    (Command::Open, "open a take: what you or a tester recorded"),
    (Command::StarterRig, "write a rig for what is plugged in: an action each, to begin with"),
    (Command::Find, "find anything by a few letters of it"),
    (Command::Help, "see every key, those of this bench first"),
];

/// What no key does.
const ELSEWHERE: [(&str, &str); 4] = [
    (
        "plug in",
        "a pad, a lever or a panel: it is heard at once; gtrig devices says what may not be",
    ),
    ("send", "from a running game: gtrig live --listen unix:/tmp/quay.sock"),
    ("touch", "with a phone, or what any browser has: gtrig live --page"),
    ("watch", "a simulated crane cab at work: gtrig demo"),
];

/// Columns of what to press.
const KEYS: u16 = 10;

pub(super) fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    let theme = app.theme;
    let text = "Nothing has happened yet. From here you can";
    paint::text(buffer, area, area.x + 2, text, theme.strong());
    let mut say = |row: Rect, keys: &str, words: &str| {
        paint::text(buffer, row, row.x + 4, keys, theme.wire());
        paint::text(buffer, row, row.x + 4 + KEYS, words, theme.plain());
    };
    for (row, (command, words)) in paint::rows(area).skip(2).zip(OFFERS) {
        app.view.spots.note(row, Spot::Command(command));
        say(row, app.keymap.shown(command).unwrap_or("click"), words);
    }
    for (row, (keys, words)) in paint::rows(area).skip(3 + OFFERS.len()).zip(ELSEWHERE) {
        say(row, keys, words);
    }
}
