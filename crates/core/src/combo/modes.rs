//! Which mode is on top, and the clock of the combos.
//!
//! Modes lie on each other. The first of the rig is at the bottom and never leaves. An action
//! that goes on puts its mode on top, or ends the one on top. A mode that *freezes* makes the
//! clock of the combos stand still while it is on top: what was begun before can be finished
//! after it, if the same mode comes back.
//!
//! ```text
//!  rig: driving, menu (enter open, leave close), photo (freezes; enter shot, leave shot)
//!
//!  pulse     open           shot            shot            close
//!  stack     driving menu   … menu photo    … menu          driving
//!  clock     runs           stands still    runs on         runs
//!  combos    forgotten      kept            go on           forgotten
//! ```

use crate::base::{ActionId, ModeId, Moment, Nanos, Tick};
use crate::spec::{MAX_MODES, Mode};

/// A mode, as a tick needs it.
#[derive(Clone, Copy, Debug)]
pub(crate) struct BoundMode {
    /// The action that puts it on top when it goes on.
    pub(crate) enter: Option<ActionId>,
    /// The action that ends it when it goes on, while it is on top.
    pub(crate) leave: Option<ActionId>,
    /// Whether the clock of the combos stands still while it is on top.
    pub(crate) freezes: bool,
}

impl BoundMode {
    /// The mode of a rig.
    pub(crate) fn new(mode: &Mode) -> Self {
        BoundMode { enter: mode.enter, leave: mode.leave, freezes: mode.freezes }
    }
}

/// What a change of mode does to attempts that have begun.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Switch {
    /// They go on when their mode is back.
    Keeps,
    /// They are forgotten.
    Forgets,
}

/// The modes that are on, the first of the rig at the bottom. A rig without any
/// is always in mode 0.
#[derive(Clone, Debug)]
pub(crate) struct Modes {
    /// The modes that are on, from the bottom; the first `depth` count. No mode is there twice.
    stack: [ModeId; MAX_MODES],
    /// How many are on, at least 1.
    depth: u8,
    /// For how long the clock of the combos has stood still.
    paused: Moment,
    /// Since when it stands still, and the mode that was on top before.
    frozen: Option<(Moment, ModeId)>,
    /// Which of the actions that enter and leave modes were on at the last tick: two bits for
    /// each mode.
    were_on: u64,
}

// Two bits for each mode are enough.
const _: () = assert!(2 * MAX_MODES <= u64::BITS as usize);

impl Default for Modes {
    fn default() -> Self {
        Modes::FIRST
    }
}

impl Modes {
    /// The first mode alone.
    const FIRST: Modes = Modes {
        stack: [ModeId(0); MAX_MODES],
        depth: 1,
        paused: Moment { time: Nanos(0), tick: Tick(0) },
        frozen: None,
        were_on: 0,
    };

    /// From the bottom to the top.
    pub(crate) fn stack(&self) -> &[ModeId] {
        &self.stack[..usize::from(self.depth)]
    }

    /// The mode on top.
    pub(crate) fn top(&self) -> ModeId {
        self.stack[usize::from(self.depth) - 1]
    }

    /// Whether the clock of the combos stands still.
    pub(crate) fn is_frozen(&self) -> bool {
        self.frozen.is_some()
    }

    /// For how long the clock of the combos has stood still at a moment.
    pub(crate) fn paused_at(&self, now: Moment) -> Moment {
        let since = self.frozen.map_or(now, |(since, _)| since);
        let time = self.paused.time.0 + now.time.0.saturating_sub(since.time.0);
        let tick = self.paused.tick.0 + now.tick.0.saturating_sub(since.tick.0);
        Moment { time: Nanos(time), tick: Tick(tick) }
    }

    /// A moment by the clock of the combos.
    ///
    /// A moment while the clock stands still is the one at which it stopped.
    pub(crate) fn clock(&self, at: Moment) -> Moment {
        at.before(self.paused_at(at))
    }

    /// Follows the actions, as they are at `now`: those that go on count. Returns what became
    /// of the attempts, if another mode is on top.
    ///
    /// Modes are asked in the order of the rig, each for its leave and then its enter: of two that
    /// enter at one tick the later one lies on top.
    pub(crate) fn follow(
        &mut self,
        modes: &[BoundMode],
        is_on: impl Fn(ActionId) -> bool,
        now: Moment,
    ) -> Option<Switch> {
        let before = self.top();
        let mut on = 0;
        for (mode, n) in modes.iter().zip((0..).map(ModeId)) {
            let mut goes_on = |action: Option<ActionId>, bit: usize| {
                let bit = 1 << (2 * n.index() + bit);
                on |= if action.is_some_and(&is_on) { bit } else { 0 };
                on & !self.were_on & bit != 0
            };
            let (enters, leaves) = (goes_on(mode.enter, 0), goes_on(mode.leave, 1));
            if self.depth > 1 && self.top() == n && leaves {
                self.depth -= 1;
            } else if enters {
                self.enter(n);
            }
        }
        self.were_on = on;
        let top = self.top();
        if top == before {
            return None;
        }
        if modes[top.index()].freezes {
            self.frozen = self.frozen.or(Some((now, before)));
            return Some(Switch::Keeps);
        }
        let Some((since, under)) = self.frozen.take() else { return Some(Switch::Forgets) };
        self.paused.time.0 += now.time.0 - since.time.0;
        self.paused.tick.0 += now.tick.0 - since.tick.0;
        Some(if top == under { Switch::Keeps } else { Switch::Forgets })
    }

    /// Puts a mode on top; one that is on already comes back to the top.
    fn enter(&mut self, mode: ModeId) {
        match self.stack().iter().position(|&other| other == mode) {
            Some(at) => self.depth = at as u8 + 1,
            None => {
                self.stack[usize::from(self.depth)] = mode;
                self.depth += 1;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::base::{ActionId, Moment, Nanos, Tick};
    use rstest::rstest;
    use std::vec::Vec;

    /// Driving at the bottom; 1 enters parked, 2 leaves it, 3 enters the menu,
    /// which freezes, 4 leaves that.
    fn modes() -> Vec<BoundMode> {
        let mode = |enter: Option<u16>, leave: Option<u16>, freezes| BoundMode {
            enter: enter.map(ActionId),
            leave: leave.map(ActionId),
            freezes,
        };
        [mode(None, None, false), mode(Some(1), Some(2), false), mode(Some(3), Some(4), true)]
            .into()
    }

    #[rstest]
    #[case::nothing(&[9], &[0], None)]
    #[case::one(&[1], &[0, 1], Some(Switch::Forgets))]
    #[case::there_and_back(&[1, 2], &[0], Some(Switch::Forgets))]
    #[case::a_menu_on_top(&[1, 3], &[0, 1, 2], Some(Switch::Keeps))]
    #[case::out_of_the_menu(&[1, 3, 4], &[0, 1], Some(Switch::Keeps))]
    #[case::only_the_top_is_left(&[1, 3, 2], &[0, 1, 2], None)]
    #[case::back_to_one_below(&[1, 3, 1], &[0, 1], Some(Switch::Keeps))]
    #[case::out_of_the_menu_to_another(&[3, 1], &[0, 2, 1], Some(Switch::Forgets))]
    #[case::the_first_is_never_left(&[2], &[0], None)]
    fn modes_are_stacked(
        #[case] actions: &[u16],
        #[case] stack: &[u8],
        #[case] last: Option<Switch>,
    ) {
        let mut state = Modes::FIRST;
        let mut came = None;
        for (&action, n) in actions.iter().zip(0..) {
            let now = Moment { time: Nanos(1000 * n), tick: Tick(n as u32) };
            came = state.follow(&modes(), |other| other == ActionId(action), now);
            // One that stays on does not switch again.
            assert_eq!(state.follow(&modes(), |other| other == ActionId(action), now), None);
            state.follow(&modes(), |_| false, now);
        }
        let on: Vec<u8> = state.stack().iter().map(|mode| mode.0).collect();
        assert_eq!((on.as_slice(), came), (stack, last));
    }

    #[test]
    fn the_clock_stands_still_in_a_mode_that_freezes() {
        let at = |n: u32| Moment { time: Nanos(u64::from(n) * 10), tick: Tick(n) };
        let mut state = Modes::FIRST;
        state.follow(&modes(), |action| action == ActionId(3), at(5));
        assert_eq!(state.paused_at(at(8)), at(3));
        state.follow(&modes(), |action| action == ActionId(4), at(9));
        assert_eq!((state.paused_at(at(20)), state.is_frozen()), (at(4), false));
    }
}
