//! Contacts of touch panels, and the zones that have them.

mod contact;
mod zones;

pub use contact::*;
pub use zones::*;
