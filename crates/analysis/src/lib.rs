//! What is kept of a run and concluded from it, without any input or output.
//!
//! The [core](gtrig_core) runs ticks and forgets. This crate keeps their past
//! and asks questions of it:
//!
//! - a [`Session`] is a run with its past: every event, a checkpoint now and
//!   then, and the lanes drawn from them ([`History`]); a [`Recording`] is that
//!   past, taken out to be written;
//! - the other modules each answer one question over a session or a recording.
//!
//! Like the core it is `no_std`: no file, socket, clock, thread or screen.
#![no_std]

extern crate alloc;
#[cfg(test)]
extern crate std;

pub mod agree;
pub mod almost;
pub mod audit;
pub mod bytes;
pub mod clock;
pub mod compare;
mod cursor;
pub mod explain;
pub mod frames;
mod history;
mod label;
pub mod ladder;
mod lane;
pub mod learn;
pub mod limits;
pub mod lint;
pub mod log;
pub mod loops;
pub mod measure;
pub mod motion;
mod order;
pub mod phase;
mod recording;
pub mod score;
mod session;
pub mod stream;
pub mod strokes;

pub use cursor::Cursor;
pub use history::{Capacity, History};
pub use label::Label;
pub use lane::{Change, LaneLog, LaneSummary};
pub use recording::Recording;
pub use session::Session;
