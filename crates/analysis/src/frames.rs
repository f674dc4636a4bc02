//! What a game said of its frames: when it polled, what it read, and what it made of it.

use alloc::{collections::BTreeMap, collections::VecDeque, sync::Arc, vec::Vec};
use gtrig_core::{CleanText, ControlId, Nanos};

/// Frames of so many games may be in a session.
pub const MAX_GAMES: usize = 64;

/// The games of a session may have so many names for values, all together.
pub const MAX_NAMES: usize = 16_384;

/// So many values of frames are kept, each frame counted as [`FRAME_WEIGHT`] more: about
/// a day of one game at 60 frames a second with two changes in each. What is older is
/// forgotten.
const MAX_WEIGHT: usize = 1 << 24;

/// What a frame without a value takes, in values.
const FRAME_WEIGHT: usize = 6;

/// So many frames are shared or forgotten at a time.
const CHUNK: usize = 1024;

/// A game, in the order in which they first spoke.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct GameId(pub u16);

/// A name that a game has for a value, in the order in which they came.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct NameId(pub u16);

/// What a frame read of a control.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Read {
    /// The control.
    pub control: ControlId,
    /// Its value at the first and at the last poll of the frame, as the device reports it.
    pub values: [i32; 2],
}

/// What a frame gave a value of the game.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Given {
    /// The name that the game has for it.
    pub name: NameId,
    /// The value.
    pub value: f64,
}

/// A frame of a game.
///
/// Said by a game, a frame may leave out what is as in the frame before. Kept, it holds
/// what is not, or all that was said where what was before is not known.
#[derive(Clone, Debug, PartialEq)]
pub struct Frame {
    /// Whose.
    pub game: GameId,
    /// Its number: one more than that of the frame before. A lower one than before is of
    /// a game that was started again.
    pub number: u64,
    /// When the game's values were worked out.
    pub acted: Nanos,
    /// When it polled first, and last; not after `acted`.
    pub polled: [Nanos; 2],
    /// How many fixed steps it ran; `None` of a game that has none.
    pub steps: Option<u16>,
    /// What it read.
    pub reads: Vec<Read>,
    /// What it made of it.
    pub gives: Vec<Given>,
    /// When the last of the devices came that it or a frame before it reads. A session
    /// [works it out](crate::Session::add_frame), whatever it was.
    pub devices_came: Nanos,
}

impl Frame {
    /// The instant behind whose events a take has its line: when it acted, or when its devices
    /// came, where they were told of too late.
    pub fn stands_behind(&self) -> Nanos {
        self.acted.max(self.devices_came)
    }
}

/// How a game stood after a frame.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct GameState {
    /// The number of the frame; `None` before the first.
    pub number: Option<u64>,
    /// What it reads of each control at the last poll.
    pub reads: BTreeMap<ControlId, i32>,
    /// The values by name.
    pub gives: BTreeMap<NameId, f64>,
}

impl GameState {
    /// Whether a frame of this number follows the one before at once.
    fn is_followed_by(&self, number: u64) -> bool {
        self.number.is_some_and(|last| last.checked_add(1) == Some(number))
    }

    /// Goes on to a frame. Where frames are missing before it, or the game was started
    /// again, only what it says is known.
    pub fn go_on(&mut self, frame: &Frame) {
        if !self.is_followed_by(frame.number) {
            self.reads.clear();
            self.gives.clear();
        }
        self.number = Some(frame.number);
        self.reads.extend(frame.reads.iter().map(|read| (read.control, read.values[1])));
        self.gives.extend(frame.gives.iter().map(|given| (given.name, given.value)));
    }

    /// Leaves out of a frame what is as it was.
    fn take_known_from(&self, frame: &mut Frame) {
        if self.is_followed_by(frame.number) {
            let known = |read: &Read| self.reads.get(&read.control).map(|&was| [was; 2]);
            frame.reads.retain(|read| known(read) != Some(read.values));
            frame.gives.retain(|given| self.gives.get(&given.name) != Some(&given.value));
        }
    }

    /// Writes into a frame all that is known, as if what was before were not.
    fn complete(&self, frame: &mut Frame) {
        if !self.is_followed_by(frame.number) {
            return;
        }
        for (&control, &value) in &self.reads {
            if frame.reads.iter().all(|read| read.control != control) {
                frame.reads.push(Read { control, values: [value; 2] });
            }
        }
        for (&name, &value) in &self.gives {
            if frame.gives.iter().all(|given| given.name != name) {
                frame.gives.push(Given { name, value });
            }
        }
    }
}

/// The frames of all games of a session, in the order in which they were said.
///
/// Cheap to copy: copies share what they have in common.
#[derive(Clone, Debug, Default)]
pub struct Frames {
    games: Arc<Vec<CleanText>>,
    names: Arc<Vec<CleanText>>,
    chunks: VecDeque<Arc<Vec<Frame>>>,
    /// Of each game, how it stood before the first frame that is kept, and after the last.
    before: Vec<GameState>,
    after: Vec<GameState>,
    /// When the last of the devices came that any of them reads.
    devices_came: Nanos,
    weight: usize,
    forgotten: u64,
    len: usize,
}

fn named(names: &mut Arc<Vec<CleanText>>, name: &CleanText, most: usize) -> Option<u16> {
    let known = names.iter().position(|known| known == name);
    let at = known.or_else(|| {
        (names.len() < most).then(|| {
            Arc::make_mut(names).push(name.clone());
            names.len() - 1
        })
    });
    at.map(|at| at as u16)
}

impl Frames {
    /// The game of a name, which is a new one where none has it; `None` when there is no
    /// room for one more.
    pub fn game(&mut self, name: &CleanText) -> Option<GameId> {
        let id = named(&mut self.games, name, MAX_GAMES)?;
        self.before.resize_with(self.games.len(), GameState::default);
        self.after.resize_with(self.games.len(), GameState::default);
        Some(GameId(id))
    }

    /// The id of a name for a value, in the same way.
    pub fn name(&mut self, name: &CleanText) -> Option<NameId> {
        named(&mut self.names, name, MAX_NAMES).map(NameId)
    }

    /// What the games are called, in the order of their ids.
    pub fn games(&self) -> &[CleanText] {
        &self.games
    }

    /// What their values are called, in the order of their ids.
    pub fn names(&self) -> &[CleanText] {
        &self.names
    }

    /// Takes in a frame that a game said.
    pub(crate) fn push(&mut self, mut frame: Frame) {
        self.devices_came = self.devices_came.max(frame.devices_came);
        frame.devices_came = self.devices_came;
        let after = &mut self.after[usize::from(frame.game.0)];
        after.take_known_from(&mut frame);
        after.go_on(&frame);
        self.weight += weight(&frame);
        self.len += 1;
        match self.chunks.back_mut() {
            Some(last) if last.len() < CHUNK => Arc::make_mut(last).push(frame),
            _ => self.chunks.push_back(Arc::new(alloc::vec![frame])),
        }
        while self.weight > MAX_WEIGHT && self.chunks.len() > 1 {
            self.forget_first();
        }
    }

    /// Forgets frames that were over before a time, many at once.
    pub(crate) fn forget_before(&mut self, time: Nanos) {
        let is_over = |chunk: &Arc<Vec<Frame>>| chunk.iter().all(|frame| frame.acted < time);
        while self.chunks.len() > 1 && is_over(&self.chunks[0]) {
            self.forget_first();
        }
    }

    fn forget_first(&mut self) {
        let Some(chunk) = self.chunks.pop_front() else { return };
        for frame in chunk.iter() {
            self.before[usize::from(frame.game.0)].go_on(frame);
            self.weight -= weight(frame);
        }
        self.forgotten += chunk.len() as u64;
        self.len -= chunk.len();
    }

    /// How many frames are kept.
    pub fn len(&self) -> usize {
        self.len
    }

    /// Whether none is kept.
    pub fn is_empty(&self) -> bool {
        self.len == 0
    }

    /// How many frames were ever said.
    pub fn said(&self) -> u64 {
        self.forgotten + self.len as u64
    }

    /// The frames that are kept, of all games.
    pub fn iter(&self) -> impl Iterator<Item = &Frame> {
        self.chunks.iter().flat_map(|chunk| chunk.iter())
    }

    /// The frames from a number on, counted over all that were ever said.
    pub fn said_from(&self, from: u64) -> impl Iterator<Item = &Frame> {
        self.iter().skip(from.saturating_sub(self.forgotten) as usize)
    }

    /// The frames of a game with how it stood after each.
    pub fn walk(&self, game: GameId, mut see: impl FnMut(&Frame, &GameState)) {
        let mut state = self.before.get(usize::from(game.0)).cloned().unwrap_or_default();
        for frame in self.iter().filter(|frame| frame.game == game) {
            state.go_on(frame);
            see(frame, &state);
        }
    }

    /// The frames as a recording says them that begins at a time: the first one of each
    /// game says all.
    pub fn told(&self, begins: Nanos) -> impl Iterator<Item = Frame> + '_ {
        let mut before: Vec<Option<GameState>> = self.before.iter().cloned().map(Some).collect();
        self.iter().filter_map(move |frame| {
            let state = &mut before[usize::from(frame.game.0)];
            match state {
                Some(state) if frame.acted < begins => {
                    state.go_on(frame);
                    return None;
                }
                _ => {}
            }
            let mut frame = frame.clone();
            if let Some(state) = state.take() {
                state.complete(&mut frame);
            }
            Some(frame)
        })
    }

    /// Those that a recording of a stretch of time has.
    pub(crate) fn between(&self, begins: Nanos, ends: Nanos) -> Frames {
        let mut part = Frames {
            games: Arc::clone(&self.games),
            names: Arc::clone(&self.names),
            before: alloc::vec![GameState::default(); self.before.len()],
            after: alloc::vec![GameState::default(); self.after.len()],
            ..Frames::default()
        };
        let is_within = |frame: &Frame| (begins..=ends).contains(&frame.acted);
        self.told(begins).filter(is_within).for_each(|frame| part.push(frame));
        part
    }

    /// The one that was said last.
    pub fn last(&self) -> Option<&Frame> {
        self.chunks.back()?.last()
    }

    /// The end of the last one.
    pub fn end(&self) -> Option<Nanos> {
        let last = self.chunks.back()?;
        last.iter().map(|frame| frame.acted).max()
    }
}

fn weight(frame: &Frame) -> usize {
    FRAME_WEIGHT + frame.reads.len() + frame.gives.len()
}

#[cfg(test)]
mod tests {
    use super::*;
    use alloc::vec;
    use proptest::prelude::*;

    fn said(number: u64, south: [i32; 2], horn: f64) -> Frame {
        Frame {
            game: GameId(0),
            number,
            acted: Nanos(number * 10),
            polled: [Nanos(number * 10); 2],
            steps: None,
            reads: vec![Read { control: ControlId(1), values: south }],
            gives: vec![Given { name: NameId(0), value: horn }],
            devices_came: Nanos(0),
        }
    }

    fn frames() -> Frames {
        let mut frames = Frames::default();
        assert_eq!(frames.game(&CleanText::new("crane-game")), Some(GameId(0)));
        assert_eq!(frames.name(&CleanText::new("Horn")), Some(NameId(0)));
        frames
    }

    #[test]
    fn a_frame_keeps_what_changed() {
        let mut frames = frames();
        let of = [
            said(1, [0, 0], 0.0),
            said(2, [0, 0], 0.0),
            said(3, [0, 1], 0.0),
            said(4, [1, 1], 1.0),
        ];
        of.into_iter().for_each(|frame| frames.push(frame));
        let kept: Vec<_> = frames.iter().map(|f| (f.reads.len(), f.gives.len())).collect();
        assert_eq!(kept, [(1, 1), (0, 0), (1, 0), (0, 1)]);
    }

    /// After a gap nothing is known but what is said.
    #[test]
    fn a_gap_is_no_change() {
        let mut frames = frames();
        frames.push(said(1, [1, 1], 1.0));
        frames.push(Frame { gives: vec![], ..said(3, [1, 1], 0.0) });
        let mut states = vec![];
        frames.walk(GameId(0), |_, state| states.push((state.reads.len(), state.gives.len())));
        assert_eq!(states, [(1, 1), (1, 0)]);
    }

    #[test]
    fn games_and_names_have_bounds() {
        let mut frames = Frames::default();
        for n in 0..MAX_GAMES + 1 {
            let id = frames.game(&CleanText::new(&alloc::format!("game-{n}")));
            assert_eq!(id.is_some(), n < MAX_GAMES);
        }
        for n in 0..MAX_NAMES + 1 {
            let id = frames.name(&CleanText::new(&alloc::format!("value-{n}")));
            assert_eq!(id.is_some(), n < MAX_NAMES);
        }
    }

    proptest! {
        /// However much was forgotten, what is left says how things stood.
        #[test]
        fn what_is_left_stands_as_it_did(
            moves in prop::collection::vec((0u64..3, 0i32..2, 0i32..2, 0u8..3), 1..4000),
            until in 0u64..60_000,
        ) {
            let mut all = frames();
            let mut number = 0;
            for (skip, first, last, horn) in moves {
                number += skip;
                all.push(said(number, [first, last], f64::from(horn)));
            }
            let mut left = all.clone();
            left.forget_before(Nanos(until));
            prop_assert_eq!(all.said(), left.said());
            let states = |frames: &Frames| {
                let mut states = vec![];
                frames.walk(GameId(0), |frame, state| states.push((frame.acted, state.clone())));
                states
            };
            let (whole, rest) = (states(&all), states(&left));
            prop_assert_eq!(&whole[whole.len() - rest.len()..], &rest[..]);
            // What is written begins with all of it, and is the same again.
            let mut told = frames();
            left.told(Nanos(until)).for_each(|frame| told.push(frame));
            let from = rest.iter().position(|(acted, _)| acted.0 >= until).unwrap_or(rest.len());
            prop_assert_eq!(states(&told), rest[from..].to_vec());
            // Of a stretch that ends before, its frames stand as they did.
            let end = Nanos(until + (until % 977));
            let part = states(&left.between(Nanos(until), end));
            let within = rest[from..].iter().take_while(|(acted, _)| *acted <= end).count();
            prop_assert_eq!(part, rest[from..from + within].to_vec());
        }
    }
}
