//! The ladders of the combos, kept in step with the session.

use super::App;
use crate::screen::bench::Bench;
use crate::screen::view::Lane;
use gtrig_analysis::{
    Session,
    ladder::{ComboAttempt, ComboAttemptOutcome, Ladder, LimitCheck},
};
use gtrig_core::{BoundInput, ComboId, Tick};
use gtrig_formats::words::attempt_words;

/// Of a rig with more combos only so many are followed all the time, and the
/// chosen one.
const FOLLOWED: usize = 256;

/// What every attempt at the combos came to.
#[derive(Debug, Default)]
pub(crate) struct Ladders {
    /// The first combos of the rig, in order.
    of: Vec<Ladder>,
    /// Another one that was chosen.
    other: Option<(ComboId, Ladder)>,
    /// How many edges of the session they have read.
    read: u64,
}

impl Ladders {
    fn get(&self, combo: ComboId) -> Option<&Ladder> {
        let other = self.other.as_ref().filter(|(n, _)| *n == combo).map(|(_, ladder)| ladder);
        self.of.get(combo.index()).or(other)
    }

    fn all(&self) -> impl Iterator<Item = (ComboId, &Ladder)> {
        let other = self.other.iter().map(|(n, ladder)| (*n, ladder));
        (0..).map(ComboId).zip(&self.of).chain(other)
    }

    /// Reads what is new in a session; `chosen` is followed too.
    fn catch_up(&mut self, session: &Session, chosen: Option<ComboId>) {
        let rig = session.rig();
        let history = session.history();
        let (forgotten, edges) = (history.forgotten_edges(), history.signal_edges());
        if self.of.is_empty() && !rig.combos.is_empty() {
            let count = rig.combos.len().min(FOLLOWED);
            self.of = ComboId::first(count).map(|id| Ladder::new(rig, id)).collect();
            self.read = forgotten;
        }
        let now = session.now().combo_now(session.plan());
        if let Some(n) = chosen.filter(|&n| self.get(n).is_none() && n.index() < rig.combos.len()) {
            let known = edges.range(..(self.read.saturating_sub(forgotten)) as usize);
            self.other = Some((n, Ladder::read(rig, n, known, now)));
        }
        let new = edges.range((self.read.max(forgotten) - forgotten) as usize..);
        let other = self.other.iter_mut().map(|(_, ladder)| ladder);
        for ladder in self.of.iter_mut().chain(other) {
            ladder.feed(new.clone());
            ladder.advance(now);
        }
        self.read = forgotten + edges.len() as u64;
    }
}

impl App {
    pub(super) fn follow_combos(&mut self) {
        if self.session().rig().combos.is_empty() {
            return;
        }
        let chosen = match self.view.chosen {
            Some(Lane::Combo(n)) => Some(n),
            _ => None,
        };
        self.ladders.catch_up(&self.document.session, chosen);
    }

    /// The ladder of a combo, if it is followed.
    pub(crate) fn ladder(&self, combo: ComboId) -> Option<&Ladder> {
        self.ladders.get(combo)
    }

    /// The tick at which an attempt was over.
    pub(crate) fn end_tick(&self, attempt: &ComboAttempt) -> Tick {
        self.session().plan().rate().tick_seeing(attempt.ended_at)
    }

    /// The combo of the ladder bench: the chosen one, or that of the chosen
    /// action, or else the one that was attempted last.
    pub(crate) fn combo(&self) -> Option<ComboId> {
        let of_action = |lane| match lane {
            Lane::Combo(n) => Some(n),
            Lane::Action(id, _) => {
                self.session().plan().inputs(id).iter().find_map(|input| match input {
                    BoundInput::Combo(n) => Some(*n),
                    _ => None,
                })
            }
            _ => None,
        };
        let latest = || {
            let last = |(n, _): (ComboId, &Ladder)| Some((self.attempt_of(n)?.ended, n));
            self.ladders.all().filter_map(last).max().map(|(_, n)| n)
        };
        let first = (!self.session().rig().combos.is_empty()).then_some(ComboId(0));
        self.view.chosen.and_then(of_action).or_else(latest).or(first)
    }

    /// The last attempt at a combo that was over at the playhead.
    pub(crate) fn attempt_of(&self, combo: ComboId) -> Option<&ComboAttempt> {
        let attempts = self.ladder(combo)?.attempts();
        let tick = self.tick();
        attempts.iter().rev().find(|attempt| self.end_tick(attempt) <= tick)
    }

    /// The attempt at a combo that is over next after the playhead.
    pub(crate) fn next_attempt_of(&self, combo: ComboId) -> Option<&ComboAttempt> {
        let tick = self.tick();
        self.ladder(combo)?.attempts().iter().find(|attempt| self.end_tick(attempt) > tick)
    }

    /// Every near miss, the nearest first, with its combo.
    pub(crate) fn near_misses(&self) -> Vec<(ComboId, &ComboAttempt)> {
        let near = self.ladders.all().flat_map(|(n, ladder)| {
            let attempts = ladder.attempts().iter();
            let near = attempts.filter(|a| a.outcome == ComboAttemptOutcome::Near);
            near.map(move |attempt| (n, attempt))
        });
        let mut near: Vec<(ComboId, &ComboAttempt)> = near.collect();
        let short =
            |attempt: &ComboAttempt| attempt.nearest().map_or(f64::INFINITY, LimitCheck::shortfall);
        near.sort_by(|(_, a), (_, b)| short(a).total_cmp(&short(b)));
        near
    }

    /// Puts the playhead on the next near miss, or the one before.
    pub(super) fn jump_to_near(&mut self, way: i32) {
        let here = self.tick();
        let near = self.near_misses();
        let placed = near.iter().map(|&(n, attempt)| (self.end_tick(attempt), n, attempt));
        let found = match way > 0 {
            true => placed.filter(|(tick, ..)| *tick > here).min_by_key(|(tick, ..)| *tick),
            false => placed.filter(|(tick, ..)| *tick < here).max_by_key(|(tick, ..)| *tick),
        };
        let Some((tick, combo, attempt)) = found else {
            let side = if way > 0 { "after" } else { "before" };
            return self.tell(format!("no combo nearly fired {side} this tick"), false);
        };
        let rig = self.session().rig();
        let of = &rig.combos[combo.index()];
        let words = format!("{}: {}", of.name, attempt_words(rig, of, attempt));
        self.pick(Lane::Combo(combo));
        self.bench = Bench::Ladder;
        self.go_to(tick);
        self.tell(words, false);
    }
}
