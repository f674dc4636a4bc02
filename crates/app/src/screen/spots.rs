//! What the mouse can point at.

use super::{keymap::Command, view::Lane};
use gtrig_core::{ActionId, DeviceId};
use ratatui::layout::{Position, Rect};
use std::cell::RefCell;

/// Something on the screen that a mouse can do something with.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Spot {
    /// A click does what its key does.
    Command(Command),
    /// A click shows it.
    Device(DeviceId),
    /// A click chooses the number, the wheel nudges it, a double click types it: by its
    /// place among those of the bench.
    Number(usize),
    /// A click chooses the lane.
    Lane(Lane),
    /// A click chooses the lane of the action, a double click gathers what feeds it.
    Block(ActionId),
}

/// Where the last frame put them. What draws them notes them, so that what is seen and
/// what is hit are one; drawing changes nothing else.
#[derive(Debug, Default)]
pub(crate) struct Spots(RefCell<Vec<(Rect, Spot)>>);

impl Spots {
    /// Another frame begins.
    pub(super) fn clear(&self) {
        self.0.borrow_mut().clear();
    }

    /// Something was drawn there, perhaps over something else.
    pub(crate) fn note(&self, place: Rect, spot: Spot) {
        self.0.borrow_mut().push((place, spot));
    }

    /// What lies on top at a place.
    pub(super) fn at(&self, place: Position) -> Option<Spot> {
        let spots = self.0.borrow();
        spots.iter().rev().find(|(area, _)| area.contains(place)).map(|(_, spot)| *spot)
    }
}
