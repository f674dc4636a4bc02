//! Presses of keys, and what combos make of them.

use super::{KEYS, reference};
use gtrig_analysis::{Capacity, Session, ladder::Ladder};
use gtrig_core::*;

/// A press and its release, in milliseconds.
#[derive(Clone, Copy, Debug)]
pub struct Tap {
    /// Which of [`KEYS`]; the last is no signal.
    pub button: u16,
    pub at: u64,
    pub lasts: u64,
}

/// A rig polled at 1000 Hz with these combos over the first three keys.
pub fn rig_of(combos: Vec<Combo>) -> Rig {
    let signals = KEYS[..3].iter().map(|code| Signal::Control {
        control: reference(&format!("keys/{code}")),
        thresholds: Thresholds { press_at: 0.5, release_at: 0.4 },
    });
    let signals = signals.collect();
    Rig { combos, signals, ..Rig::bare("r", PollRate::from_hz(1000.0).unwrap()) }
}

/// A session into which taps were fed.
pub struct Keys {
    pub session: Session,
}

impl Keys {
    /// Runs until everything is over.
    pub fn run(rig: Rig, taps: &[Tap]) -> Self {
        Self::run_watched(rig, taps, u64::MAX, |_| {})
    }

    /// The same, and shows the session after so many milliseconds each time.
    pub fn run_watched(
        rig: Rig,
        taps: &[Tap],
        every: u64,
        mut watch: impl FnMut(&Session),
    ) -> Self {
        let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
        let pad = session.plug(super::keys(), Nanos(0)).unwrap();
        let device = session.roster().device(pad);
        let controls = KEYS.map(|code| device.control(code).unwrap());
        let mut events: Vec<Event> = taps
            .iter()
            .flat_map(|tap| {
                [(tap.at, 1), (tap.at + tap.lasts, 0)].map(|(ms, value)| Event {
                    time: Nanos::from_millis(ms),
                    value,
                    control: controls[usize::from(tap.button)],
                    marks: Marks::empty(),
                })
            })
            .collect();
        events.sort_by_key(|event| event.time);
        let last = events.last().map_or(Nanos(0), |event| event.time);
        for event in events {
            session.report(event);
        }
        let ends = last.0 + 3_000_000_000;
        let mut at = 0;
        while at < ends {
            at = ends.min(at.saturating_add(every.saturating_mul(1_000_000)));
            session.run_before(Nanos(at));
            watch(&session);
        }
        Keys { session }
    }

    /// The ladder of a combo over all of it.
    pub fn ladder(&self, combo: ComboId) -> Ladder {
        let tick = self.session.now().at();
        let now = Moment { time: self.session.plan().rate().time_of(tick), tick };
        let edges = self.session.history().signal_edges();
        Ladder::read(self.session.rig(), combo, edges.iter(), now)
    }
}
