//! Findings in words.

mod combo;
mod gesture;

pub use combo::*;
pub use gesture::*;
