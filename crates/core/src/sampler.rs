//! One control, sampled once per tick: current state, previous state, and the
//! edges between the two.
//!
//! *State sampling* compares the state at two polls, so a press and a release
//! between them leave no trace: the press is **lost**. *Latched sampling*
//! remembers that something happened: the poll shows the other state for one
//! tick, and the true one on the next. Of several taps between two polls a
//! latch still catches only one.
//!
//! Every press is accounted for: over any run,
//! `presses sent = press edges seen + presses lost (+ 1 while a latch owes one)`.

use crate::{ControlKind, LaneMarks, Marks, shape};

/// A change of state between two polls.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Edge {
    /// Down now and up before.
    Press,
    /// Up now and down before.
    Release,
}

/// The sampled state of one control.
///
/// Invariant: outside [`Machine::tick`](crate::Machine::tick), `value` is
/// `normalise(seen)`.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Cell {
    /// Raw value at this tick, as the poll saw it.
    pub seen: i32,
    /// Raw value at the tick before.
    pub before: i32,
    /// `seen` on its own scale; see [`shape::normalise`].
    pub value: f32,
    /// What happened in this tick besides the change of value.
    pub marks: LaneMarks,
    /// Raw value after the last event, which a latch may hide from the poll.
    pub(crate) actual: i32,
    /// When it was last pressed, as a count over all controls.
    pub(crate) press_order: u32,
    presses: u16,
    /// A latch hides a press that the next tick will show.
    owes_press: bool,
    pub(crate) touched: bool,
}

impl Cell {
    pub(crate) fn at_rest(kind: ControlKind) -> Self {
        let rest = kind.rest();
        Cell {
            seen: rest,
            before: rest,
            value: shape::normalise(kind, rest),
            marks: LaneMarks::empty(),
            actual: rest,
            press_order: 0,
            presses: 0,
            owes_press: false,
            touched: false,
        }
    }

    /// Whether a button is down at this tick.
    pub const fn is_down(&self) -> bool {
        self.seen != 0
    }

    /// The edge of a button at this tick.
    pub const fn edge(&self) -> Option<Edge> {
        match (self.before != 0, self.seen != 0) {
            (false, true) => Some(Edge::Press),
            (true, false) => Some(Edge::Release),
            _ => None,
        }
    }

    /// Ends the tick before: what was seen then is what was before now.
    /// Returns whether this control has unfinished business.
    pub(crate) fn age(&mut self) -> bool {
        self.before = self.seen;
        self.marks = LaneMarks::empty();
        self.touched = false;
        self.actual != self.seen
    }

    /// Takes in one event. Returns whether it pressed the control, or carried
    /// it over as held.
    pub(crate) fn receive(&mut self, kind: ControlKind, value: i32, marks: Marks) -> bool {
        if marks.contains(Marks::REPEAT) {
            return false;
        }
        let value = if kind.is_button() { i32::from(value != 0) } else { value };
        if marks.contains(Marks::CARRIED) {
            (self.actual, self.seen, self.before) = (value, value, value);
            return kind.is_button() && value != 0;
        }
        self.marks |= LaneMarks::of(marks);
        if kind == ControlKind::Relative {
            self.actual = self.actual.saturating_add(value);
            return false;
        }
        let press = kind.is_button() && self.actual == 0 && value != 0;
        self.actual = value;
        self.presses = self.presses.saturating_add(u16::from(press));
        press
    }

    /// Returns the control to rest because its device can no longer be heard.
    /// A place on a surface has no rest and stays.
    pub(crate) fn let_go(&mut self, kind: ControlKind) -> bool {
        let held = self.actual != kind.rest() && !matches!(kind, ControlKind::Position { .. });
        if held {
            self.actual = kind.rest();
            self.marks |= LaneMarks::SYNTHETIC;
        }
        held
    }

    /// Polls the control. Returns how many presses were lost.
    pub(crate) fn sample(&mut self, kind: ControlKind, latched: bool) -> u16 {
        if !kind.is_button() {
            self.seen = self.actual;
            self.value = shape::normalise(kind, self.seen);
            if kind == ControlKind::Relative {
                self.actual = 0;
            }
            return 0;
        }
        let was_owed = u16::from(self.owes_press);
        let flickered = self.presses > 0 && self.actual == self.before;
        self.seen = if latched && flickered { 1 - self.before } else { self.actual };
        self.value = self.seen as f32;
        self.owes_press = self.actual != 0 && self.seen == 0;
        let shown = u16::from(self.edge() == Some(Edge::Press));
        let lost = (self.presses + was_owed).saturating_sub(shown + u16::from(self.owes_press));
        self.presses = 0;
        self.marks.set(LaneMarks::CAUGHT, latched && flickered);
        self.marks.set(LaneMarks::LOST, lost > 0);
        lost
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;
    use std::{string::String, vec::Vec};

    /// Runs ticks written as the events between polls (`d` down, `u` up, `r`
    /// repeat) and returns what each poll saw: `_` up, `#` down, then `!` for
    /// each lost press.
    fn polls(ticks: &str, latched: bool) -> String {
        let kind = ControlKind::Button;
        let mut cell = Cell::at_rest(kind);
        let mut seen = Vec::new();
        for events in ticks.split('|') {
            cell.age();
            for event in events.chars() {
                let (value, marks) = match event {
                    'd' => (1, Marks::empty()),
                    'u' => (0, Marks::empty()),
                    _ => (1, Marks::REPEAT),
                };
                cell.receive(kind, value, marks);
            }
            let lost = cell.sample(kind, latched);
            let state = if cell.is_down() { "#" } else { "_" };
            seen.push(String::from(state) + &"!".repeat(lost.into()));
        }
        seen.join("|")
    }

    #[rstest]
    #[case::press_and_release("|d||u|", "_|#|#|_|_")]
    #[case::tap_between_polls("|du||", "_|_!|_|_")]
    #[case::release_between_polls("d|ud|u", "#|#!|_")]
    #[case::bounce_on_press("dud||u", "#!|#|_")]
    #[case::bounce_on_release("d|udu|", "#|_!|_")]
    #[case::two_taps_between_polls("dudu|", "_!!|_")]
    #[case::auto_repeat_is_no_press("d|r|r|u|r", "#|#|#|_|_")]
    #[case::pressed_twice_without_release("dd|u", "#|_")]
    fn state_sampling(#[case] events: &str, #[case] seen: &str) {
        assert_eq!(polls(events, false), seen);
    }

    #[rstest]
    #[case::tap_is_caught_and_falls_back("|du||", "_|#|_|_")]
    #[case::release_is_caught_and_comes_back("d|ud||u", "#|_|#|_")]
    #[case::two_taps_are_one("dudu|", "#!|_")]
    #[case::taps_in_a_row("du|du|du|", "#|_!|#|_")]
    #[case::plain_press("d||u", "#|#|_")]
    fn latched_sampling(#[case] events: &str, #[case] seen: &str) {
        assert_eq!(polls(events, true), seen);
    }

    #[test]
    fn relative_counts_are_summed_per_tick_and_then_gone() {
        let kind = ControlKind::Relative;
        let mut cell = Cell::at_rest(kind);
        cell.receive(kind, 2, Marks::empty());
        cell.receive(kind, -5, Marks::empty());
        cell.sample(kind, false);
        assert_eq!(cell.seen, -3);
        assert!(cell.age(), "the count must be cleared on the next tick");
        cell.sample(kind, false);
        assert_eq!(cell.seen, 0);
    }
}
