//! Devices and their controls, what they report, and the roster that numbers
//! them.
//!
//! Sources fill these in (real devices, a take, a game, messages); the rest of the crate only reads
//! them. Nothing here changes in a tick.

mod addresses;
mod axes;
mod event;
mod info;
mod map;
mod reference;
mod roster;
mod scale;
mod slots;
pub mod vocabulary;

pub use addresses::*;
pub use axes::*;
pub use event::*;
pub use info::*;
pub use map::*;
pub use reference::*;
pub use roster::*;
pub use scale::*;
pub use slots::*;
