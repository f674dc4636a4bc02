//! The attempts at all combos of a session that goes on, each told once nothing can
//! come before it and nothing of it changes any more.

use super::*;
use crate::Session;

/// The ladders of a session, and how far what they found is told. Whatever the pieces in
/// which a session is read, the same attempts come in the same order.
#[derive(Clone, Debug)]
pub struct Attempts {
    ladders: Vec<Ladder>,
    /// How many edges they have read.
    read: u64,
    /// Attempts that ended before this are told.
    told: Nanos,
    /// Of each ladder so many attempts at its beginning are told.
    passed: Vec<usize>,
}

impl Attempts {
    /// Those of a session from its beginning.
    pub fn new(rig: &Rig) -> Self {
        let ladders: Vec<Ladder> =
            ComboId::first(rig.combos.len()).map(|combo| Ladder::new(rig, combo)).collect();
        let passed = vec![0; ladders.len()];
        Attempts { ladders, read: 0, told: Nanos(0), passed }
    }

    /// Reads what is new and returns the attempts that can be told now, in the order in
    /// which they ended.
    pub fn settled(&mut self, session: &Session) -> Vec<(ComboId, ComboAttempt)> {
        self.read(session);
        self.tell_before(self.settled_before(session))
    }

    /// Returns all others, at the end of a take.
    pub fn rest(&mut self, session: &Session) -> Vec<(ComboId, ComboAttempt)> {
        self.read(session);
        self.ladders.iter_mut().for_each(Ladder::finish);
        self.tell_before(Nanos(u64::MAX))
    }

    /// Every attempt so far, told or not.
    pub fn all(&self) -> impl Iterator<Item = &ComboAttempt> {
        self.ladders.iter().flat_map(Ladder::attempts)
    }

    fn read(&mut self, session: &Session) {
        let (forgotten, edges) =
            (session.history().forgotten_edges(), session.history().signal_edges());
        let new = (self.read.max(forgotten) - forgotten) as usize;
        let now = session.now().combo_now(session.plan());
        for ladder in &mut self.ladders {
            ladder.feed(edges.range(new..));
            ladder.advance(now);
        }
        self.read = forgotten + edges.len() as u64;
    }

    /// Before this nothing is found any more, what was met has fired or has not, and the
    /// gestures of its steps are over.
    fn settled_before(&self, session: &Session) -> Nanos {
        let now = session.now().combo_now(session.plan());
        let open = self.ladders.iter().map(|ladder| ladder.settled_before(now));
        let waiting = self.untold().filter(|(combo, attempt)| {
            let is_its = |news: &ComboNews| attempt.is_of(*combo, news);
            let is_met = attempt.outcome == ComboAttemptOutcome::Met;
            is_met && !session.history().combo_news().iter().rev().any(is_its)
        });
        let waiting = waiting.map(|(_, attempt)| attempt.ended.time);
        let rate = session.plan().rate();
        let gestures = session.now().open_verdicts(session.plan());
        // The clock of the combos may have stood still since.
        let paused = rate.time_of(session.now().at()).0 - now.time.0;
        let fired = gestures.iter().filter_map(|verdict| verdict.fired);
        let fired = fired.map(|tick| Nanos(rate.time_of(tick).0.saturating_sub(paused)));
        open.chain(waiting).chain(fired).min().unwrap_or(now.time)
    }

    fn untold(&self) -> impl Iterator<Item = (ComboId, &ComboAttempt)> {
        let ladders = (0..).map(ComboId).zip(self.ladders.iter().zip(&self.passed));
        let all = ladders.flat_map(|(combo, (ladder, passed))| {
            ladder.attempts()[*passed..].iter().map(move |attempt| (combo, attempt))
        });
        all.filter(|(_, attempt)| attempt.ended.time >= self.told)
    }

    fn tell_before(&mut self, until: Nanos) -> Vec<(ComboId, ComboAttempt)> {
        let its = self.untold().filter(|(_, attempt)| attempt.ended.time < until);
        let mut found: Vec<(ComboId, ComboAttempt)> =
            its.map(|(combo, attempt)| (combo, attempt.clone())).collect();
        found.sort_by_key(|(combo, attempt)| (attempt.ended, *combo));
        self.told = self.told.max(until);
        for (ladder, passed) in self.ladders.iter().zip(&mut self.passed) {
            let rest = ladder.attempts()[*passed..].iter();
            *passed += rest.take_while(|attempt| attempt.ended.time < self.told).count();
        }
        found
    }
}

impl ComboAttempt {
    /// Whether this is what became of it.
    pub fn is_of(&self, combo: ComboId, news: &ComboNews) -> bool {
        news.combo == combo && news.copy == self.copy && news.met.time == self.ended.time
    }
}
