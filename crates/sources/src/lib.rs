//! Where raw input events come from.
//!
//! A [`Source`] pushes into a [`Session`]: it plugs devices in, reports events
//! with the time at which they happened, and unplugs. The core never asks a
//! source anything, so a new one (kernel devices, a network stream, raw HID)
//! is a new implementation of this trait and nothing else.
//!
//! - [`Terminal`]: the keyboard and mouse of the terminal.
//! - [`Fingers`]: fingers that a person draws with the mouse.
//! - `Kernel` (on Linux): the devices under `/dev/input`, as they come and go.
//! - `HidRaw` (on Linux): the reports of HID devices as they send them; [`HexLog`]: a
//!   file of such reports.
//! - [`Cab`]: a simulated crane cab, driven by a seed; it also plays the
//!   [`Story`] takes that ship with the program.

mod cab;
mod fingers;
mod hid;
#[cfg(target_os = "linux")]
mod kernel;
#[cfg(unix)]
mod listener;
#[cfg(target_os = "linux")]
mod nodes;
mod sender;
mod terminal;

pub use cab::{Cab, MAX_STROKES, Story};
pub use fingers::{FINGERS, Fingers};
pub use hid::{DescriptorFault, HexLog, HexLogFault, Physical, report_bits_of};
#[cfg(target_os = "linux")]
pub use hid::{HidDevice, HidRaw, list as list_hid_devices};
#[cfg(target_os = "linux")]
pub use kernel::{Kernel, KernelDevice, RefusedNode, list as list_kernel_devices};
#[cfg(unix)]
pub use listener::{Change, FrameHeard, Heard, Listener, NodeId, ReadHeard, ReadOf, monotonic_now};
#[cfg(target_os = "linux")]
pub use nodes::Wanted;
pub use sender::{AddressHeard, Invitation, SenderIs, SenderState};
pub use terminal::{Terminal, TerminalKeys, code_of};

use gtrig_analysis::Session;
use gtrig_core::{AddressMap, DeviceMap, Nanos, Rig};

/// Where raw events come from.
pub trait Source {
    /// Hands over everything that happened up to `now`. Never blocks. The
    /// owner of the clock calls it before it runs the ticks up to `now`, and
    /// `now` never goes back.
    fn drain(&mut self, session: &mut Session, now: Nanos);

    /// A map was made: devices that it is for are seen through it from `now` on. They
    /// go, and come again as it has them. Sources without such devices do nothing.
    fn use_map(&mut self, _session: &mut Session, _map: &DeviceMap, _now: Nanos) {}

    /// How long after it happened an event may be handed over, besides the time that any
    /// source has.
    fn delay(&self) -> Nanos {
        Nanos(0)
    }

    /// The programs that send, with all that ever came.
    fn senders(&self) -> Vec<SenderState> {
        Vec::new()
    }

    /// The pages that browsers may open.
    fn invitations(&self) -> &[Invitation] {
        &[]
    }

    /// The session goes on by this rig. Sources of which a rig says nothing do nothing.
    fn use_rig(&mut self, _rig: &Rig) {}

    /// These addresses are controls from now on, besides those of the rig and those that
    /// were named before. Sources without addresses do nothing.
    fn use_addresses(&mut self, _map: &AddressMap) {}

    /// The addresses under which messages came, in the order in which they came first;
    /// `None` where none are heard.
    fn addresses_heard(&self) -> Option<Vec<AddressHeard>> {
        None
    }

    /// What went wrong since this was last asked, in words for a person.
    fn troubles(&mut self) -> Vec<String> {
        Vec::new()
    }
}
