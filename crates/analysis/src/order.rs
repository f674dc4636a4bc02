//! When what is reported may have happened, so that a take can hold it: devices come and
//! go in the order in which they are reported to, and say nothing before they came.

use alloc::vec::Vec;
use gtrig_core::{DeviceId, Event, Marks, Nanos};

/// What the times of earlier events forbid.
#[derive(Clone, Debug, Default)]
pub(crate) struct Order {
    devices: Vec<DeviceOrder>,
    /// When a device came or went last. Slots are dealt in this order.
    turnover: Nanos,
}

#[derive(Clone, Copy, Debug, Default)]
struct DeviceOrder {
    /// The time of its newest event, as it was reported.
    newest: Nanos,
    /// When it came.
    came: Nanos,
    /// When its presence changed last.
    presence: Nanos,
    /// When it said anything last, or will have.
    last: Nanos,
}

impl Order {
    /// Makes room for so many devices.
    pub(crate) fn fit(&mut self, devices: usize) {
        self.devices.resize(devices, DeviceOrder::default());
    }

    /// When a device comes: not before any other came or went.
    pub(crate) fn coming(&self, time: Nanos) -> Nanos {
        time.max(self.turnover)
    }

    /// When a device goes: not before any other came or went, nor before it was silent.
    pub(crate) fn going(&self, device: DeviceId, time: Nanos) -> Nanos {
        self.coming(time).max(self.devices[usize::from(device.0)].last)
    }

    /// A device came or went at that time.
    pub(crate) fn turned_over(&mut self, time: Nanos) {
        self.turnover = time;
    }

    /// A device came at that time.
    pub(crate) fn came(&mut self, device: DeviceId, time: Nanos) {
        self.devices[usize::from(device.0)].came = time;
        self.turned_over(time);
    }

    /// When a device came last.
    pub(crate) fn came_at(&self, device: DeviceId) -> Nanos {
        self.devices[usize::from(device.0)].came
    }

    /// Marks an event that is older than another of its device.
    pub(crate) fn mark(&mut self, device: DeviceId, event: &mut Event) {
        let newest = &mut self.devices[usize::from(device.0)].newest;
        if event.time < *newest {
            event.marks |= Marks::DISORDERED;
        }
        *newest = event.time.max(*newest);
    }

    /// Moves the presence of a device to where no later one stands.
    pub(crate) fn move_presence(&mut self, device: DeviceId, event: &mut Event) {
        event.time = event.time.max(self.devices[usize::from(device.0)].presence);
    }

    /// An event of a device was taken in.
    pub(crate) fn taken_in(&mut self, device: DeviceId, time: Nanos, is_presence: bool) {
        let device = &mut self.devices[usize::from(device.0)];
        device.last = time.max(device.last);
        if is_presence {
            device.presence = time;
        }
    }

    /// Moves a value of a device that had not come yet to where it came, and marks it.
    pub(crate) fn move_value(&self, device: DeviceId, event: &mut Event) {
        let came = self.devices[usize::from(device.0)].came;
        if event.time < came {
            event.time = came;
            event.marks |= Marks::LATE;
        }
    }
}
