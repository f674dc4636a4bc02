//! What can be done while nothing has happened yet.

use super::paint;
use crate::screen::{App, keymap::Command};
use ratatui::{
    buffer::Buffer,
    layout::{Position, Rect},
};

/// What is offered: a command, and what a newcomer has of it.
const OFFERS: [(Command, &str); 5] = [
    (Command::Capture, "play: keyboard and mouse of this terminal drive the rig; Ctrl+G lets go"),
    (Command::Stories, "open a story: made-up takes, each with a mistake to find"),
    (Command::Open, "open a take: what you or a tester recorded"),
    (Command::Find, "find anything by a few letters of it"),
    (Command::Help, "see every key, those of this bench first"),
];

/// What no key does.
const ELSEWHERE: [(&str, &str); 3] = [
    (
        "plug in",
        "a pad, a lever or a panel: it is heard at once; gtrig devices says what may not be",
    ),
    ("send", "from a running game: gtrig live --listen unix:/tmp/quay.sock"),
    ("watch", "a simulated crane cab at work: gtrig demo"),
];

/// Columns of what to press.
const KEYS: u16 = 10;

/// The rows of the offers, below the one that says what is going on.
fn places(area: Rect) -> impl Iterator<Item = (Rect, Command)> {
    let commands = OFFERS.into_iter().map(|(command, _)| command);
    paint::rows(area).skip(2).zip(commands)
}

pub(super) fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    let theme = app.theme;
    let text = "Nothing has happened yet. From here you can";
    paint::text(buffer, area, area.x + 2, text, theme.strong());
    let mut say = |row: Rect, keys: &str, words: &str| {
        paint::text(buffer, row, row.x + 4, keys, theme.wire());
        let words = paint::cut(words, row.width.saturating_sub(4 + KEYS));
        paint::text(buffer, row, row.x + 4 + KEYS, &words, theme.plain());
    };
    for ((row, command), (_, words)) in places(area).zip(OFFERS) {
        say(row, app.keymap.shown(command).unwrap_or("click"), words);
    }
    for (row, (keys, words)) in paint::rows(area).skip(3 + OFFERS.len()).zip(ELSEWHERE) {
        say(row, keys, words);
    }
}

/// What a click on an offer does.
pub(super) fn command_at(area: Rect, place: Position) -> Option<Command> {
    places(area).find(|(row, _)| row.contains(place)).map(|(_, command)| command)
}
