//! Gestures at work: attempts, what is measured of them, and what comes of them.

mod attempt;
mod bound;
mod engine;
mod sign;
mod taps;
mod verdict;

pub(crate) use attempt::*;
pub(crate) use bound::*;
pub use engine::*;
pub use sign::*;
pub(crate) use taps::*;
pub use verdict::*;
