//! What a run knows of a device as a stream of reports.

use super::{Election, SampledControl};
use crate::base::{DeviceId, Nanos};
use crate::device::{Event, Marks, Presence};

/// What is known of a device as a stream of reports.
///
/// Both times are those of the reports. A device that reports only changes is silent while nobody
/// touches it: how long it may be so before it counts as stuck is for the reader to say.
#[derive(Clone, Copy, Debug)]
pub struct DeviceStatus {
    /// Whether it can be heard.
    pub presence: Presence,
    /// The instant of its last report, if it ever sent one.
    pub last_report: Option<Nanos>,
    /// When it was last used: a button pressed, or a control moved further
    /// than noise would.
    pub last_use: Option<Nanos>,
}

impl DeviceStatus {
    /// A device that never said anything.
    pub(crate) const SILENT: DeviceStatus =
        DeviceStatus { presence: Presence::Gone, last_report: None, last_use: None };

    /// A control of it reported, which was at `before`: notes when, and whether that is use.
    ///
    /// Only pushing a control is use. Keeping it pushed, with all its noise, must not take the main
    /// device from one that was used since.
    #[inline]
    pub(crate) fn hear(
        &mut self,
        sampled: &SampledControl,
        event: &Event,
        before: i32,
        election: &mut Election,
    ) {
        self.last_report = Some(event.time);
        let is_use = sampled.used.is_beyond(event.value) && !sampled.used.is_beyond(before);
        if is_use && !event.marks.contains(Marks::REPEAT) {
            self.note_use(sampled.control.device, event.time, election);
        }
    }

    /// It is in use, which it was not before.
    #[cold]
    fn note_use(&mut self, device: DeviceId, time: Nanos, election: &mut Election) {
        self.last_use = Some(time);
        election.used_by(device);
    }
}
