//! Which device is the main one.
//!
//! ```text
//!  first      the lowest slot that can be heard: pad·1, and pad·2 while pad·1 is gone
//!  last-used  whoever pressed a button last, or pushed a stick beyond noise
//! ```
//!
//! Keys and mouse are in two hands of one player, so either of them counts for both.

use super::DeviceStatus;
use crate::base::DeviceId;
use crate::device::Presence;
use crate::spec::MainRule;
use alloc::vec::Vec;
use core::cmp::Reverse;

/// Who can be elected, and how.
#[derive(Clone, Debug)]
pub(crate) struct ElectionPlan {
    /// By slot, or by use.
    pub(crate) rule: MainRule,
    /// For each device its slot, if it may be the main one. A device without a
    /// slot comes after those that have one.
    pub(crate) candidates: Vec<Option<u8>>,
    /// For each device whether it is keys or a mouse, which count as one.
    pub(crate) is_desk: Vec<bool>,
}

impl ElectionPlan {
    /// Whether two devices count as one.
    pub(crate) fn are_together(&self, one: DeviceId, other: DeviceId) -> bool {
        one == other || self.is_desk[one.index()] && self.is_desk[other.index()]
    }
}

/// The main device, and who used their devices in which order.
///
/// Use is counted in hand-overs and not in times, so that two devices that report at one instant
/// have an order, and so that a device that is held in use costs nothing.
#[derive(Clone, Debug, Default)]
pub(crate) struct Election {
    /// The main device.
    main: Option<DeviceId>,
    /// The device that was used last.
    user: Option<DeviceId>,
    /// How often another device than the one before was used.
    hand_overs: u32,
    /// For each device the number of the hand-over that made it the one used
    /// last; 0 before any.
    ranks: Vec<u32>,
    /// Whether anything has changed that decides it.
    is_due: bool,
}

impl Election {
    /// Makes room for so many devices.
    pub(crate) fn fit(&mut self, devices: usize) {
        self.ranks.resize(devices, 0);
    }

    /// The main device, if any can be heard.
    pub(crate) fn main(&self) -> Option<DeviceId> {
        self.main
    }

    /// The number of the hand-over that made a device the one used last; 0
    /// before any.
    pub(crate) fn rank(&self, device: DeviceId) -> u32 {
        self.ranks[device.index()]
    }

    /// A device was used.
    pub(crate) fn used_by(&mut self, device: DeviceId) {
        if self.user != Some(device) {
            self.user = Some(device);
            self.hand_overs += 1;
            self.ranks[device.index()] = self.hand_overs;
            self.is_due = true;
        }
    }

    /// A device began or ceased to be heard.
    pub(crate) fn call(&mut self) {
        self.is_due = true;
    }

    /// Finds out which device is the main one, if anything that decides it has
    /// changed. Returns whether it is another one now.
    #[inline]
    pub(crate) fn hold(&mut self, plan: &ElectionPlan, devices: &[DeviceStatus]) -> bool {
        core::mem::take(&mut self.is_due) && self.elect(plan, devices)
    }

    /// Chooses the main device: of those that can be heard and may be it, the one used last or
    /// the one of the lowest slot; of equals the first in the roster. Returns whether it is
    /// another one now.
    fn elect(&mut self, plan: &ElectionPlan, devices: &[DeviceStatus]) -> bool {
        let by_use = plan.rule == MainRule::LastUsed;
        let candidates = DeviceId::first(devices.len())
            .filter(|id| devices[id.index()].presence == Presence::Here);
        let main = candidates
            .filter_map(|id| Some((plan.candidates[id.index()]?, self.rank(id), id)))
            .max_by_key(|&(number, rank, id)| {
                (if by_use { rank } else { 0 }, Reverse(number), Reverse(id))
            });
        let main = main.map(|(.., id)| id);
        core::mem::replace(&mut self.main, main) != main
    }
}
