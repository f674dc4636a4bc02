//! The benches: what the upper half of the screen can be about.
//!
//! A bench is one file here, whose [`Entry`] says everything that the rest of
//! the screen needs to know of it. They are listed once, in [`ALL`]: tabs, keys,
//! help, figures, numbers and tests come from that list.

pub(super) mod board;
mod bytes;
pub(super) mod device;
pub(super) mod game;
mod gestures;
pub(super) mod ladder;
pub(super) mod log;
pub(super) mod measure;
pub(super) mod polling;
pub(super) mod stick;
pub(super) mod stream;
pub(super) mod touch;
pub(super) mod tune;
pub(super) mod yard;

use super::{App, keymap::Command, view::Lane};
use crate::figure::{self, Excerpt};
use crossterm::event::MouseEvent;
use gtrig_core::{Knob, Rig};
use ratatui::{buffer::Buffer, layout::Rect};

/// Which bench.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Bench {
    /// The road from controls to actions.
    Board,
    /// Every control of one device.
    Device,
    /// What loops of other rates would have seen.
    Polling,
    /// How well the reports of each device come.
    Stream,
    /// One stick, axis or trigger, with its shape and its numbers.
    Stick,
    /// Every number of the rig.
    Tune,
    /// What a stick can really do.
    Measure,
    /// The crane that the actions move.
    Yard,
    /// A touch panel with its zones.
    Touch,
    /// A combo, step by step.
    Ladder,
    /// The bytes of a device whose reports are read without a driver.
    Bytes,
    /// What happened, line by line.
    Log,
    /// A game, held against the rig.
    Game,
}

/// Every bench, in the order of the tabs.
pub(crate) const ALL: [&Entry; 13] = [
    &board::ENTRY,
    &device::ENTRY,
    &polling::ENTRY,
    &stream::ENTRY,
    &stick::ENTRY,
    &tune::ENTRY,
    &measure::ENTRY,
    &yard::ENTRY,
    &touch::ENTRY,
    &ladder::ENTRY,
    &bytes::ENTRY,
    &log::ENTRY,
    &game::ENTRY,
];

/// What there is to know of a bench.
pub(crate) struct Entry {
    /// Which it is.
    pub(crate) bench: Bench,
    /// The key that shows it, as [`gtrig_formats::settings::Key`] reads it, unless another
    /// is set.
    pub(crate) key: &'static str,
    /// Its word on the tab.
    pub(crate) name: &'static str,
    /// What it is about, in the help.
    pub(crate) help: &'static str,
    /// The keys that matter most while it is shown, which the help shows first; those of
    /// numbers to nudge are known by [`Entry::numbers`].
    pub(crate) keys: &'static [Command],
    /// So many rows of this width show all of it; as many as there can be, where more
    /// always show more.
    pub(crate) wants: fn(&App, u16) -> u16,
    /// Draws it.
    pub(crate) draw: fn(&mut Buffer, Rect, &App),
    /// For a bench that lists numbers to nudge: those of the rig that it is about.
    pub(crate) numbers: Option<fn(&App, &Rig) -> Vec<Knob>>,
    /// Draws what it is about as SVG; or says why it cannot.
    pub(crate) figure: fn(&App, Excerpt) -> Result<String, &'static str>,
    /// Lanes that it is about, which come first.
    pub(crate) is_about: Option<fn(&App, Lane) -> bool>,
    /// What to do when it is shown.
    pub(crate) shown: fn(&mut App),
    /// What to do while it is shown, after time went on.
    pub(crate) advance: fn(&mut App),
    /// Takes a mouse event on its area. Returns whether it was for it.
    pub(crate) mouse: fn(&mut App, &MouseEvent) -> bool,
    /// Goes on to the next thing that it can be about, or the one before.
    pub(crate) next: fn(&mut App, i32),
}

impl Entry {
    /// A bench that shows something and does nothing else.
    const PLAIN: Entry = Entry {
        bench: Bench::Board,
        key: "",
        name: "",
        help: "",
        keys: &[],
        wants: |_, _| u16::MAX,
        draw: |_, _, _| {},
        numbers: None,
        figure: |app, excerpt| Ok(figure::timeline(app.session(), &app.document.streams, &excerpt)),
        is_about: None,
        shown: |_| {},
        advance: |_| {},
        mouse: |_, _| false,
        next: App::next_device,
    };
}

impl Bench {
    /// What there is to know of it.
    pub(crate) fn entry(self) -> &'static Entry {
        // The order of the list is that of the variants; a test holds it.
        ALL[self as usize]
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_bench_has_its_place_its_key_and_its_words() {
        for (n, entry) in ALL.iter().enumerate() {
            assert_eq!(entry.bench as usize, n, "{}", entry.name);
            let same = |other: &&&Entry| other.key == entry.key || other.name == entry.name;
            assert_eq!(ALL.iter().filter(same).count(), 1, "{}", entry.name);
            assert!(!entry.name.is_empty() && entry.help.starts_with("bench: "));
        }
    }
}
