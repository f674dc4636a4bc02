//! HID devices without a driver between: their reports, as they send them.
//!
//! A device describes its reports itself ([`descriptor`]); its controls go by their
//! usages ([`usage`]), and every byte of its reports is a control as well, so that what
//! the descriptor keeps to itself is in the session and in the take. Bits that a person
//! named in a map become controls too ([`layout`]).

mod decode;
mod descriptor;
mod layout;
mod usage;

pub use descriptor::DescriptorFault;
