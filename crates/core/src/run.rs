//! The machine: all that changes from tick to tick, and the loop that runs it.

mod actions;
mod machine;
mod readings;
mod until;

pub use actions::*;
pub use machine::*;
pub(crate) use readings::*;
pub use until::*;
