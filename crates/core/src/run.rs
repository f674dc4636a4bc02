//! The machine: all that changes from tick to tick, and the loop that runs it.

mod actions;
mod machine;

pub(crate) use actions::*;
pub use machine::*;
