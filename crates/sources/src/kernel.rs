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

use crate::{Source, listener::Listener, nodes::Wanted};
use gtrig_analysis::Session;
use gtrig_core::{DeviceMap, Nanos};
use std::{io, path::Path};

/// The kernel's devices as a source.
#[derive(Debug)]
pub struct Kernel(Listener);

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
        let listener = Listener::start(maps, now, |sender| {
            let watch = watch::Watch::new(folder, wanted, sender)?;
            Ok(move |while_alive: &_| watch.run(while_alive))
        });
        Ok(Kernel(listener?))
    }
}

impl Source for Kernel {
    fn drain(&mut self, session: &mut Session, now: Nanos) {
        self.0.drain(session, now);
    }

    fn use_map(&mut self, session: &mut Session, map: &DeviceMap, now: Nanos) {
        self.0.use_map(session, map, now);
    }

    fn troubles(&mut self) -> Vec<String> {
        self.0.troubles()
    }
}

#[cfg(test)]
mod tests;
