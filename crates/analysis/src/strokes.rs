//! Where the fingers on a panel went, as the polls saw them.

use crate::History;
use alloc::vec::Vec;
use gtrig_core::{Contact, LaneMarks, Tick};

/// A finger, from the poll that saw it first to the one that saw it last.
#[derive(Clone, Debug, PartialEq)]
pub struct Stroke {
    /// The poll that saw it first, of those that were asked for.
    pub first: Tick,
    /// Where this poll and each one after it saw it, in shares of the surface; never empty.
    pub places: Vec<[f32; 2]>,
}

impl Stroke {
    /// The poll that saw it last, of those that were asked for.
    pub fn last(&self) -> Tick {
        Tick(self.first.0 + self.places.len() as u32 - 1)
    }
}

/// The strokes of a contact from one tick to another, both included.
///
/// A finger that was lifted and another one that landed before the next poll are two, though every
/// poll saw the contact down.
pub fn strokes(history: &History, contact: &Contact, [first, last]: [Tick; 2]) -> Vec<Stroke> {
    let [down, x, y] = [contact.down, contact.x, contact.y].map(|id| history.control_lane(id));
    let mut strokes: Vec<Stroke> = Vec::new();
    let mut was_down = false;
    for tick in (first.0..=last.0).map(Tick) {
        let is_down = down.value_at(tick) != 0.0;
        // Whoever was down already pressed without an edge.
        let has_landed =
            || down.change_at(tick).is_some_and(|change| change.marks.contains(LaneMarks::LOST));
        let place = || contact.place([x.value_at(tick), y.value_at(tick)]);
        match strokes.last_mut() {
            Some(stroke) if is_down && was_down && !has_landed() => stroke.places.push(place()),
            _ if is_down => strokes.push(Stroke { first: tick, places: [place()].into() }),
            _ => {}
        }
        was_down = is_down;
    }
    strokes
}
