//! What a rig says, checked but not yet tied to devices; and every number that a
//! person may set.
//!
//! | module | what of a rig |
//! |---|---|
//! | `rig` | the whole, and its invariants |
//! | `action`, `main_device` | actions, what drives them, which device counts |
//! | `edges` | latch, debounce, thresholds |
//! | `shape` | dead zones, curves, filters |
//! | `surface`, `zone`, `pointing` | panels, zones, what points |
//! | `gesture`, `quantity` | gestures and what is measured of them |
//! | `signal`, `step`, `combo` | combos and modes |
//! | `osc`, `game`, `yard` | what other programs call things; the crane |
//! | `tunable`, `knobs` | every number, its range and its place |
//! | `parts` | what bears on what an action gives |
//!
//! All of it is plain data without behaviour in time: what it means tick by tick is in the stages.

mod action;
mod combo;
mod edges;
mod game;
mod gesture;
mod knobs;
mod main_device;
mod osc;
mod parts;
mod pointing;
mod quantity;
mod rig;
mod shape;
mod signal;
mod step;
mod surface;
pub mod tunable;
mod yard;
mod zone;

pub use action::*;
pub use combo::*;
pub use edges::*;
pub use game::*;
pub use gesture::*;
pub use knobs::*;
pub use main_device::*;
pub use osc::*;
pub use parts::*;
pub use pointing::*;
pub use quantity::*;
pub use rig::*;
pub use shape::*;
pub use signal::*;
pub use step::*;
pub use surface::*;
pub use yard::*;
pub use zone::*;
