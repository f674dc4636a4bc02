//! How often the devices report, as the screen says it in every frame.

use gtrig_analysis::Session;
use gtrig_core::{DeviceId, Tick};

/// How many reports each device sent in the last whole second before the playhead. It is
/// another number only in another second: the reports are counted then, and not in every
/// frame, for in a second there may be hundreds of thousands of them.
#[derive(Debug, Default)]
pub(crate) struct Rates {
    reports: Vec<u32>,
    /// The second, and how many devices there were.
    of: Option<(u64, usize)>,
}

impl Rates {
    /// Counts anew where it is another second, or where there are other devices.
    pub(super) fn follow(&mut self, session: &Session, tick: Tick) {
        let second = session.plan().rate().time_of(tick).0 / 1_000_000_000;
        let of = Some((second, session.roster().devices().len()));
        if self.of != of {
            (self.reports, self.of) = (session.reports_per_second(tick), of);
        }
    }

    /// The reports of a device, as far as they have been counted.
    pub(crate) fn of(&self, device: DeviceId) -> u32 {
        self.reports.get(usize::from(device.0)).copied().unwrap_or(0)
    }
}
