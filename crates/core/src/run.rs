//! The machine: all that changes from tick to tick, and the loop that runs it.
//!
//! ```text
//!  Plan (immutable) ─┐
//!  Machine ──────────┼──▶ tick(now, events) ──▶ Machine, one tick later
//!  events ───────────┘
//! ```
//!
//! `run` is the loop around it that jumps over ticks in which nothing can happen.

mod actions;
mod machine;
mod readings;
mod until;

pub use actions::*;
pub use machine::*;
pub(crate) use readings::*;
pub use until::*;
