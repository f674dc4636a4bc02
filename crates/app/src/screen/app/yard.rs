//! The yard: the crane as the history moves it, beside the same crane moved the
//! wrong way.

use super::App;
use crate::screen::bench::Bench;
use gtrig_analysis::{
    Session,
    motion::{Crane, CraneTrack, MotionRule},
};
use gtrig_core::Tick;

/// Ticks that a frame works out at most, so that no key waits.
const AT_ONCE: u32 = 20_000;

/// A history of so many events is run the wrong way between two frames.
const EVENTS_AT_ONCE: usize = 60_000;

/// The two cranes of the yard.
#[derive(Debug, Default)]
pub(crate) struct Yard {
    /// Which of the mistakes is shown.
    mistake: usize,
    right: Option<CraneTrack>,
    wrong: Option<Wrong>,
    /// Whether a thread runs the history with the mistake.
    is_running: bool,
}

/// A run with a mistake in it.
#[derive(Debug)]
struct Wrong {
    track: CraneTrack,
    /// The history with the mistake and how many events it has, where the rig
    /// makes it; otherwise only the motion is wrong.
    session: Option<(Box<Session>, u64)>,
}

impl Yard {
    /// The mistake that is shown.
    pub(crate) fn mistake(&self) -> MotionRule {
        MotionRule::MISTAKES[self.mistake]
    }
}

impl App {
    /// Begins both cranes anew: the history is another one now.
    pub(super) fn clear_yard(&mut self) {
        self.yard = Yard { mistake: self.yard.mistake, ..Yard::default() };
    }

    pub(super) fn next_mistake(&mut self, by: isize) {
        let count = MotionRule::MISTAKES.len();
        self.yard.mistake = (self.yard.mistake + count).saturating_add_signed(by) % count;
        self.yard.wrong = None;
        self.yard.is_running = false;
        self.show_bench(Bench::Yard);
    }

    /// On its bench, moves both cranes on.
    pub(in crate::screen) fn move_yard(&mut self) {
        let right = self
            .yard
            .right
            .get_or_insert_with(|| CraneTrack::new(&self.document.session, MotionRule::Right));
        right.catch_up(&self.document.session, AT_ONCE);
        if self.yard.wrong.is_none() {
            self.begin_wrong();
        }
        let Some(Wrong { track, session }) = &mut self.yard.wrong else { return };
        match session {
            None => track.catch_up(&self.document.session, AT_ONCE),
            Some((wrong, from)) => {
                wrong.follow(&self.document.session, *from);
                *from = self.document.session.seen_count();
                track.catch_up(wrong, AT_ONCE)
            }
        };
    }

    fn begin_wrong(&mut self) {
        let way = self.yard.mistake();
        let Some(rig) = way.rig(self.session().rig()) else {
            let track = CraneTrack::new(self.session(), way);
            self.yard.wrong = Some(Wrong { track, session: None });
            return;
        };
        if self.yard.is_running {
            return;
        }
        let from = self.session().seen_count();
        if self.session().history().event_count() <= EVENTS_AT_ONCE {
            let session = self.session().retuned(rig);
            self.went_wrong(session, from, way);
        } else {
            self.yard.is_running = true;
            self.jobs.go_wrong(self.session().recording(), rig, (from, way));
        }
    }

    /// The history was run with a mistake, up to event number `from`.
    pub(super) fn went_wrong(&mut self, session: Session, from: u64, way: MotionRule) {
        self.yard.is_running = false;
        if way == self.yard.mistake()
            && way.rig(self.session().rig()).as_ref() == Some(session.rig())
        {
            let track = CraneTrack::new(&session, way);
            self.yard.wrong = Some(Wrong { track, session: Some((Box::new(session), from)) });
        }
    }

    /// The two cranes after the last `count` ticks up to the playhead: the right
    /// one, and the wrong one as far as it is known.
    pub(crate) fn cranes(&self, count: u32) -> [Vec<Crane>; 2] {
        let tick: Tick = self.tick();
        let right = self.yard.right.as_ref();
        let right = right.map_or(Vec::new(), |track| track.until(self.session(), tick, count));
        let wrong = self.yard.wrong.as_ref().map_or(Vec::new(), |wrong| {
            let session = wrong.session.as_ref().map_or(self.session(), |(session, _)| session);
            wrong.track.until(session, tick, count)
        });
        [right, wrong]
    }
}
