//! Combos at work: signals, one automaton for all combos of a rig, modes.
//!
//! ```text
//!  controls, zones, gestures, actions
//!      └─▶ SignalTracker: edges of signals, in the order of their reports
//!              └─▶ Modes: by which clock, in which mode
//!                      └─▶ ComboEngine over the Automaton: arrivals, timers, what fires
//! ```
//!
//! What a combo is, with its steps and limits, is in `spec`.

mod automaton;
mod engine;
mod modes;
mod news;
mod presses;
mod sets;
mod signal;
mod stage;
mod tracker;

pub(crate) use automaton::*;
pub use engine::*;
pub(crate) use modes::*;
pub use news::*;
pub(crate) use presses::*;
pub(crate) use sets::*;
pub use signal::*;
pub(crate) use stage::*;
pub(crate) use tracker::*;
