//! The programs that send, and how each has been doing.

use super::App;
use gtrig_core::Nanos;
use gtrig_sources::{Invitation, SenderState};
use std::collections::VecDeque;

/// Senders are looked at this often.
const STEP: Nanos = Nanos::from_millis(250);

/// So many looks are kept: fifteen seconds.
const KEPT: usize = 60;

/// What is drawn of a sender besides its rate.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Quantity {
    #[default]
    Late,
    Lost,
    Bad,
    Waiting,
    Offset,
}

impl Quantity {
    pub(crate) const ALL: [Quantity; 5] =
        [Quantity::Late, Quantity::Lost, Quantity::Bad, Quantity::Waiting, Quantity::Offset];

    /// Its word above the line that is drawn.
    pub(crate) const fn word(self) -> &'static str {
        match self {
            Quantity::Late => "ms late",
            Quantity::Lost => "lost",
            Quantity::Bad => "bad",
            Quantity::Waiting => "waiting",
            Quantity::Offset => "clock",
        }
    }

    /// What is drawn of it between two looks.
    fn between(self, before: &SenderState, now: &SenderState) -> f32 {
        let offset = |state: &SenderState| state.clock.map_or(0, |clock| clock.offset_ns);
        match self {
            // What said nothing took no time.
            Quantity::Late if now.lines == before.lines => 0.0,
            Quantity::Late => now.latency.as_millis() as f32,
            Quantity::Lost => now.missed.saturating_sub(before.missed) as f32,
            Quantity::Bad => now.faults.saturating_sub(before.faults) as f32,
            Quantity::Waiting => now.waiting as f32,
            Quantity::Offset => (offset(now) - offset(before)).unsigned_abs() as f32,
        }
    }
}

/// What is remembered of the programs that send.
#[derive(Debug, Default)]
pub(crate) struct Sending {
    /// By name.
    pub(crate) senders: Vec<Trend>,
    /// Whether the screen says how a browser gets to the page.
    pub(super) invites: bool,
    /// What is drawn of each besides its rate.
    pub(crate) drawn: Quantity,
    looked: Option<Nanos>,
}

/// A sender, and how it has been doing.
#[derive(Debug)]
pub(crate) struct Trend {
    /// As it was last.
    pub(crate) state: SenderState,
    /// Lines a second, the newest last.
    pub(crate) rates: VecDeque<f32>,
    /// The other quantities, in the order of [`Quantity::ALL`].
    others: [VecDeque<f32>; Quantity::ALL.len()],
}

impl Trend {
    fn new(state: SenderState) -> Self {
        Trend { state, rates: VecDeque::new(), others: Default::default() }
    }

    fn look(&mut self, now: SenderState, elapsed: Nanos) {
        let lines = now.lines.saturating_sub(self.state.lines) as f64;
        let rate = lines * 1e9 / elapsed.0.max(1) as f64;
        keep(&mut self.rates, rate as f32);
        for (kept, quantity) in self.others.iter_mut().zip(Quantity::ALL) {
            keep(kept, quantity.between(&self.state, &now));
        }
        self.state = now;
    }

    /// How a quantity has been, the newest last.
    pub(crate) fn of(&self, quantity: Quantity) -> &VecDeque<f32> {
        &self.others[quantity as usize]
    }

    /// Lines a second, over the last second.
    pub(crate) fn rate(&self) -> f32 {
        let last = self.rates.iter().rev().take(4);
        last.clone().sum::<f32>() / last.len().max(1) as f32
    }

    /// Whether anything is wrong with it.
    pub(crate) fn is_doubtful(&self) -> bool {
        let SenderState { faults, missed, slowed, .. } = self.state;
        faults + missed + slowed > 0
    }
}

fn keep(kept: &mut VecDeque<f32>, new: f32) {
    if kept.len() == KEPT {
        kept.pop_front();
    }
    kept.push_back(new);
}

impl App {
    /// Draws the next quantity of the senders, or the one before.
    pub(in crate::screen) fn next_quantity(&mut self, by: i32) {
        let count = Quantity::ALL.len() as i32;
        let next = (self.sending.drawn as i32 + by).rem_euclid(count);
        self.sending.drawn = Quantity::ALL[next as usize];
    }

    /// Looks at the senders when it is time.
    pub(super) fn follow_senders(&mut self) {
        let elapsed = self.sending.looked.map(|looked| Nanos(self.now.0 - looked.0));
        if elapsed.is_some_and(|elapsed| elapsed < STEP) {
            return;
        }
        self.sending.looked = Some(self.now);
        for state in self.document.senders() {
            let at = self.sending.senders.binary_search_by(|t| t.state.name.cmp(&state.name));
            match (at, elapsed) {
                (Ok(at), Some(elapsed)) => self.sending.senders[at].look(state, elapsed),
                (Ok(_), None) => {}
                (Err(at), _) => {
                    // Whoever was to come has come.
                    self.sending.invites &= !state.place.starts_with("page");
                    self.sending.senders.insert(at, Trend::new(state));
                }
            }
        }
    }

    /// Says how a browser gets to the page, or no more.
    pub(super) fn show_invitation(&mut self) {
        if self.document.invitation().is_none() {
            let words = "no page is served: gtrig live --page makes one for phones and browsers";
            return self.tell(words.to_owned(), true);
        }
        self.sending.invites = !self.sending.invites;
    }

    /// What is to be said of it.
    pub(in crate::screen) fn invitation(&self) -> Option<&Invitation> {
        self.document.invitation().filter(|_| self.sending.invites)
    }
}
