//! The formulas of shaping, each once, each tested on its own.
//!
//! Normalised values are `f32`, the type game code reads. Every function maps
//! finite input to finite output. A [`Chain`] of [`Stage`](crate::Stage)s turns the
//! normalised value of a stick, an axis or a trigger into what an action reads.

mod chain;
mod curve;
mod filter;
mod response;
mod scale;
mod stage;
mod zone;

pub use chain::*;
pub use filter::*;
pub use response::*;

pub use zone::*;

#[cfg(test)]
mod tests;
