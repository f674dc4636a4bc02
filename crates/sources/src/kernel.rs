//! Linux kernel devices: everything under `/dev/input` that reports events.
//!
//! A thread of its own waits for the folder and the devices and stamps
//! nothing: the times are the kernel's, on its monotonic clock, which is the
//! clock of the session too. [`Kernel`] hands over what the thread found.
//!
//! What a kernel does at the edges, and what is made of it:
//!
//! - *Permissions come late.* A node is announced before it may be opened; it
//!   is tried again whenever its attributes change, and only then complained of.
//! - *A node reports while it is opened.* Its state is asked for until nothing came
//!   meanwhile; it is there from then on, and what waited before is part of the
//!   state.
//! - *A full queue* leaves `SYN_DROPPED` and the newest packet. Then all that waits is
//!   left out and the state is asked for; what differs is reported, marked as
//!   resynced.
//! - *Unplugging* drops what was not yet read and ends in `ENODEV`. Keys that
//!   were held come as releases in a packet closed by a `SYN_REPORT` of 1; they
//!   are not the hand's, so they are left to the core, which marks them. A packet
//!   that is too long for the kernel's buffer is cut and closed in the same way: it
//!   is told by its length; and where eight keys or more are let go at once and
//!   nothing else is said, by the device being there still after a moment.
//! - *A grab* by another program leaves no trace but the state, which goes on. So a
//!   node that is silent is looked at once a second; see `node::Node::look`.
//! - *The same number again.* A node that is announced while it is still open
//!   is another device: the old one is closed first.
//! - *Axes read 0 until the first report*, so a 0 is not taken for a value.

mod decode;
mod ioctl;
mod layout;
mod list;
mod listed;
mod names;
mod node;
mod watch;

pub use list::{KernelDevice, RefusedNode, list};

use crate::Source;
use gtrig_analysis::Session;
use gtrig_core::{
    ControlId, DeviceId, DeviceInfo, DeviceMap, Event, MappedDevice, Marks, Nanos, Presence,
};
use std::{
    collections::HashMap,
    io,
    path::Path,
    sync::{
        Arc,
        mpsc::{Receiver, channel},
    },
    thread,
};

/// Which kernel devices to listen to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Wanted {
    /// All but keyboards and mice: a password that is typed in another window
    /// must not be recorded.
    NoKeysNorMice,
    /// Every one.
    All,
}

/// The kernel's devices as a source.
#[derive(Debug)]
pub struct Kernel {
    heard: Receiver<Heard>,
    devices: HashMap<NodeId, Known>,
    maps: Vec<DeviceMap>,
    troubles: Vec<String>,
    /// The kernel's monotonic clock at instant 0 of the session.
    zero: Nanos,
    /// While it lives, the thread goes on.
    _alive: Arc<()>,
}

/// The number of an opened node; never used twice.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
struct NodeId(u64);

/// What the thread says. Times are the kernel's.
#[derive(Debug)]
enum Heard {
    Arrived(NodeId, DeviceInfo, Nanos),
    Changed(NodeId, Change),
    /// It is heard or not, though it is there.
    Presence(NodeId, Presence, Nanos),
    Gone(NodeId, Nanos),
    Trouble(String),
}

/// A control of a node took a value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Change {
    /// Its place among the controls of the device.
    control: u16,
    value: i32,
    marks: Marks,
    time: Nanos,
}

#[derive(Debug)]
struct Known {
    device: DeviceId,
    /// As its map has it.
    mapped: MappedDevice,
    controls: Vec<ControlId>,
}

impl Kernel {
    /// Starts to listen to the devices in `folder`, usually `/dev/input`, each as the
    /// best of the `maps` has it. `now` is the instant of the session at which it is
    /// called.
    ///
    /// # Errors
    /// When there is no such folder or it cannot be watched, with what to do.
    pub fn start(
        folder: &Path,
        wanted: Wanted,
        maps: Vec<DeviceMap>,
        now: Nanos,
    ) -> io::Result<Self> {
        let zero = Nanos(ioctl::monotonic_now()?.0.saturating_sub(now.0));
        let alive = Arc::new(());
        let (sender, heard) = channel();
        let watch = watch::Watch::new(folder, wanted, sender)?;
        let while_alive = Arc::downgrade(&alive);
        thread::spawn(move || watch.run(&while_alive));
        let (devices, troubles) = (HashMap::new(), Vec::new());
        Ok(Kernel { heard, devices, maps, troubles, zero, _alive: alive })
    }

    fn at(&self, kernel: Nanos) -> Nanos {
        Nanos(kernel.0.saturating_sub(self.zero.0))
    }

    fn plug(&mut self, session: &mut Session, node: NodeId, info: DeviceInfo, time: Nanos) {
        let mapped = match DeviceMap::best(&self.maps, &info) {
            None => MappedDevice::plain(info),
            Some(map) => {
                let (mapped, faults) = map.apply(&info);
                let says = |fault| format!("the map of {}: {fault}", mapped.info.name);
                self.troubles.extend(faults.into_iter().map(says));
                mapped
            }
        };
        match session.plug(mapped.info.clone(), self.at(time)) {
            Ok(device) => {
                let controls = session.roster().device(device).controls().collect();
                self.devices.insert(node, Known { device, mapped, controls });
            }
            Err(error) => self.troubles.push(error.to_string()),
        }
    }

    fn take_in(&mut self, session: &mut Session, heard: Heard) {
        match heard {
            Heard::Arrived(node, info, time) => self.plug(session, node, info, time),
            Heard::Changed(node, Change { control, value, marks, time }) => {
                let time = self.at(time);
                let Some(known) = self.devices.get_mut(&node) else { return };
                known.mapped.report(usize::from(control), value, |control, value| {
                    let control = known.controls[usize::from(control)];
                    session.report(Event { time, value, control, marks });
                });
            }
            Heard::Presence(node, presence, time) => {
                if let Some(known) = self.devices.get(&node) {
                    session.set_presence(known.device, presence, self.at(time));
                }
            }
            Heard::Gone(node, time) => {
                if let Some(known) = self.devices.remove(&node) {
                    session.unplug(known.device, self.at(time));
                }
            }
            Heard::Trouble(text) => self.troubles.push(text),
        }
    }
}

impl Source for Kernel {
    fn drain(&mut self, session: &mut Session, _: Nanos) {
        while let Ok(heard) = self.heard.try_recv() {
            self.take_in(session, heard);
        }
    }

    fn troubles(&mut self) -> Vec<String> {
        std::mem::take(&mut self.troubles)
    }
}

#[cfg(test)]
mod tests;
