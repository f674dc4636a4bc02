//! Contacts of touch panels, and the zones that have them.

mod contact;
mod panels;
mod spans;
mod zones;

pub use contact::*;
pub(crate) use panels::*;
pub use zones::*;
