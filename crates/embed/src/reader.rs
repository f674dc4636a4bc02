//! Edges for whoever asks.

use crate::input::{Action, Input};
use alloc::vec::Vec;
use gtrig_core::ActionId;

/// What one loop of a game has seen of its input.
///
/// A press is told to each reader once: by the first look after the frame that saw it. A step
/// that does not run loses none, and one that runs twice sees it once.
#[derive(Clone, Debug)]
pub struct Reader {
    before: Vec<Seen>,
    now: Vec<Seen>,
}

/// What was counted of an action by a look.
#[derive(Clone, Copy, Debug, Default)]
struct Seen {
    presses: u32,
    releases: u32,
    way: [f64; 2],
}

/// What happened between two looks of a reader.
#[derive(Clone, Copy, Debug)]
pub struct News<'r> {
    before: &'r [Seen],
    now: &'r [Seen],
}

impl Reader {
    pub(crate) fn new(input: &Input) -> Self {
        let now: Vec<Seen> = seen(input).collect();
        Reader { before: now.clone(), now }
    }

    /// What happened since this reader looked last.
    pub fn look(&mut self, input: &Input) -> News<'_> {
        core::mem::swap(&mut self.before, &mut self.now);
        self.now.clear();
        self.now.extend(seen(input));
        // A rig that was reloaded may have more actions.
        self.before.resize(self.now.len(), Seen::default());
        self.news()
    }

    /// What its last look found; nothing before the first.
    pub fn news(&self) -> News<'_> {
        News { before: &self.before, now: &self.now }
    }
}

fn seen(input: &Input) -> impl Iterator<Item = Seen> + '_ {
    input.counts.iter().zip(ActionId::first(input.counts.len())).map(|(count, id)| Seen {
        presses: count.presses,
        releases: count.releases,
        way: input.way(id),
    })
}

impl News<'_> {
    /// The action at a place of the rig, if it was there at the look; see [`Action::place`].
    pub fn action_at(&self, place: usize) -> Option<Action> {
        (place < self.now.len()).then(|| Action(ActionId::at(place)))
    }

    /// How often an action turned on. Of a pulse: how often it fired; of a toggle: how often
    /// it was turned on.
    pub fn presses(&self, action: Action) -> u32 {
        let (before, now) = self.of(action);
        now.presses.wrapping_sub(before.presses)
    }

    /// How often an action turned off.
    pub fn releases(&self, action: Action) -> u32 {
        let (before, now) = self.of(action);
        now.releases.wrapping_sub(before.releases)
    }

    /// How far an action went: its values, each times the seconds of its frame. Times a
    /// speed it is a way that does not depend on how long frames are.
    pub fn way(&self, action: Action) -> [f64; 2] {
        let (before, now) = self.of(action);
        [now.way[0] - before.way[0], now.way[1] - before.way[1]]
    }

    fn of(&self, action: Action) -> (Seen, Seen) {
        (self.before[action.0.index()], self.now[action.0.index()])
    }
}
