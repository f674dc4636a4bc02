//! What a run knows of a device as a stream of reports.

use crate::{Nanos, Presence};

const SECOND: u64 = 1_000_000_000;

/// What is known of a device as a stream of reports.
#[derive(Clone, Copy, Debug)]
pub struct Hearing {
    /// Whether it can be heard.
    pub presence: Presence,
    /// The instant of its last report, if it ever sent one.
    pub last_report: Option<Nanos>,
    /// When it was last used: a button pressed, or a control moved further
    /// than noise would.
    pub last_use: Option<Nanos>,
    /// The how-manyth hand-over made it the device used last; 0 before any.
    pub(crate) used: u32,
    second: u64,
    this_second: u32,
    last_second: u32,
}

impl Hearing {
    pub(crate) const SILENT: Hearing = Hearing {
        presence: Presence::Gone,
        last_report: None,
        last_use: None,
        used: 0,
        second: 0,
        this_second: 0,
        last_second: 0,
    };

    /// Reports in the last whole second before `now`. Events of the same
    /// instant are one report.
    pub fn reports_per_second(&self, now: Nanos) -> u32 {
        match (now.0 / SECOND).checked_sub(self.second) {
            Some(0) => self.last_second,
            Some(1) => self.this_second,
            _ => 0,
        }
    }

    pub(crate) fn hear(&mut self, time: Nanos) {
        if self.last_report == Some(time) {
            return;
        }
        // Most reports come in the second of the one before; dividing would cost.
        if time.0.wrapping_sub(self.second * SECOND) >= SECOND {
            let second = time.0 / SECOND;
            self.last_second = if second == self.second + 1 { self.this_second } else { 0 };
            (self.second, self.this_second) = (second, 0);
        }
        self.this_second += 1;
        self.last_report = Some(time);
    }
}
