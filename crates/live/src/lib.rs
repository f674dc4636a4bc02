//! Running programs beside the devices of this machine: what they send becomes devices of
//! a session, and what comes of the session is sent to whoever reads.
//!
//! - A [`Hub`] listens at [`Place`]s and is a source: each program that connects is a
//!   sender, with a thread, a clock and devices of its own. `docs/live-format.md` says what
//!   it may send.
//! - A place may be a page: browsers that open it are senders too, and readers.
//! - A place may be a port for Open Sound Control: each machine that sends there is a sender.
//! - An [`OscTarget`] is sent packets of it.
//! - A [`Publisher`] sends lines to any number of readers.
//!
//! Nobody who connects is trusted: everything is bounded, and what does not keep to its
//! bounds is slowed, or closed with a reason, without the others noticing.

mod connection;
mod hub;
mod osc;
mod place;
mod publish;
mod registry;
mod sender;
mod visitor;
mod web;

pub use hub::{Hub, MAX_CONNECTIONS, Options};
pub use osc::{MAX_LATER, OscTarget};
pub use place::{Place, PlaceFault};
pub use publish::{MAX_READERS, Publisher, READER_QUEUE, ReaderDoor};
pub use registry::MAX_NAMES;
pub use sender::{MAX_FAULTS, QUEUE};
