//! Gestures at work: attempts, what is measured of them, and what comes of them.

mod attempt;
mod bound;
mod engine;
mod recent;
mod sign;
mod state;
mod taps;
mod track;
mod verdict;

pub(crate) use attempt::*;
pub(crate) use bound::*;
pub use engine::*;
pub use recent::*;
pub use sign::*;
pub use state::*;
pub use taps::*;
pub(crate) use track::*;
pub use verdict::*;
