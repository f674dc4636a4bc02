//! The programs that send, and how each has been doing.

use super::App;
use gtrig_core::Nanos;
use gtrig_sources::SenderState;
use std::collections::VecDeque;

/// Senders are looked at this often.
const STEP: Nanos = Nanos::from_millis(250);

/// So many looks are kept: fifteen seconds.
const KEPT: usize = 60;

/// What is remembered of the programs that send.
#[derive(Debug, Default)]
pub(crate) struct Sending {
    /// By name.
    pub(crate) senders: Vec<Trend>,
    looked: Option<Nanos>,
}

/// A sender, and how it has been doing.
#[derive(Debug)]
pub(crate) struct Trend {
    /// As it was last.
    pub(crate) state: SenderState,
    /// Lines a second, the newest last.
    pub(crate) rates: VecDeque<f32>,
    /// From what a line told until it was read, in milliseconds.
    pub(crate) latencies: VecDeque<f32>,
}

impl Trend {
    fn new(state: SenderState) -> Self {
        Trend { state, rates: VecDeque::new(), latencies: VecDeque::new() }
    }

    fn look(&mut self, now: SenderState, elapsed: Nanos) {
        let lines = now.lines.saturating_sub(self.state.lines) as f64;
        let rate = lines * 1e9 / elapsed.0.max(1) as f64;
        // What said nothing took no time.
        let latency = if lines > 0.0 { now.latency.as_millis() } else { 0.0 };
        for (kept, new) in [(&mut self.rates, rate), (&mut self.latencies, latency)] {
            if kept.len() == KEPT {
                kept.pop_front();
            }
            kept.push_back(new as f32);
        }
        self.state = now;
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

impl App {
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
                (Err(at), _) => self.sending.senders.insert(at, Trend::new(state)),
            }
        }
    }
}
