//! Gestures at work: attempts, what is measured of them, and what comes of them.
//!
//! ```text
//!  contacts ──▶ Tracks: how far each finger got, once for all attempts
//!           ──▶ attempts: one for each finger and each gesture that listens there
//!               judge at moments ──▶ met ──▶ fire, or wait for others ──▶ lasting
//!               └── over ──▶ verdict: each limit with its margin
//! ```
//!
//! What a gesture is, with its limits, is in `spec`; who has which contact is in `touch`.

mod attempt;
mod bound;
mod engine;
mod recent;
mod sign;
mod state;
mod taps;
mod track;
mod verdict;
mod ways;

pub(crate) use attempt::*;
pub(crate) use bound::*;
pub use engine::*;
pub use recent::*;
pub use sign::*;
pub use state::*;
pub use taps::*;
pub(crate) use track::*;
pub use verdict::*;
use ways::*;
