//! Open Sound Control 1.0, and the touch protocol TUIO 1.1 over it.
//!
//! `docs/osc.md` says what is heard and what is sent. Bytes of messages are read and written
//! by the crate `rosc`; what is here is what they mean: bundles with their times
//! ([`read_packet`]), addresses with wildcards ([`Pattern`]), fingers ([`CursorReader`]), and
//! what comes of a session as packets ([`ActionPackets`], [`CursorPackets`]).

mod actions;
mod bundle;
mod cursors;
mod fingers;
mod packet;
mod pattern;

pub use actions::ActionPackets;
pub use cursors::{CursorFault, CursorReader, FINGERS, Frame, finger_controls};
pub use fingers::CursorPackets;
pub use packet::{MAX_DEPTH, Message, Packet, PacketFault, When, number, read_packet};
pub use pattern::{MAX_ADDRESS, Pattern, is_address};
pub use rosc::{OscMessage, OscType};

/// Below these addresses nothing can be a control: they have a meaning of their own.
pub const OWN_ADDRESSES: [&str; 2] = ["/tuio/", "/gtrig/"];

/// The address of all about fingers.
pub const CURSORS: &str = "/tuio/2Dcur";

/// The address under which a program of another machine says its token.
pub const TOKEN: &str = "/gtrig/token";

/// How often everything is said again, for packets are lost.
const SAID_AGAIN: gtrig_core::Nanos = gtrig_core::Nanos::from_millis(1_000);
