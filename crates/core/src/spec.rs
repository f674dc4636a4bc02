//! What a rig says, checked but not yet tied to devices; and every number that a
//! person may set.

mod action;
mod combo;
mod edges;
mod game;
mod gesture;
mod knobs;
mod main_device;
mod osc;
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
pub use pointing::*;
pub use quantity::*;
pub use rig::*;
pub use shape::*;
pub use signal::*;
pub use step::*;
pub use surface::*;
pub use yard::*;
pub use zone::*;
