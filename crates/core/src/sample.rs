//! One control and one device, polled once per tick: state, edges, marks.

mod control;
mod device;
mod marks;
mod settings;

pub use control::*;
pub use device::*;
pub use marks::*;
pub(crate) use settings::*;
