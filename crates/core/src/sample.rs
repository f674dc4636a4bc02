//! Controls and devices, polled once per tick: state, edges, marks, and which
//! device is the main one.

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
