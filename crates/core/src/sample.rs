//! Controls and devices, polled once per tick: state, edges, marks, and which
//! device is the main one.
//!
//! This is where time-stamped reports become the state of a tick: above it nobody sees an event.

mod control;
mod device;
mod election;
mod marks;
mod sampler;
mod settings;

pub use control::*;
pub use device::*;
pub(crate) use election::*;
pub use marks::*;
pub(crate) use sampler::*;
pub(crate) use settings::*;
