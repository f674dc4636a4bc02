//! The numbers by which a run knows things. Each counts from 0, in the order in
//! which a roster or a rig lists what it numbers.

/// The number of a device in its session.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct DeviceId(pub u16);

/// The number of a control in its session, over all devices.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct ControlId(pub u16);

impl ControlId {
    /// As an index into per-control tables.
    pub const fn index(self) -> usize {
        self.0 as usize
    }
}

/// The number of an action: its place in the rig.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct ActionId(pub u16);

impl ActionId {
    /// As an index into per-action tables.
    pub const fn index(self) -> usize {
        self.0 as usize
    }
}

/// A signal of a rig, by its place in [`Rig::signals`](crate::Rig::signals).
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct SignalId(pub u16);

impl SignalId {
    /// As an index into per-signal tables.
    pub const fn index(self) -> usize {
        self.0 as usize
    }
}
