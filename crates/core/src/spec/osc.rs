//! What a rig says of Open Sound Control: which addresses are controls, and to which
//! addresses actions are sent. It changes nothing of a run.

use crate::base::ActionId;
use crate::device::AddressMap;
use alloc::{string::String, vec::Vec};

/// Addresses that come in, and addresses that go out.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, Default, PartialEq)]
pub struct OscSpec {
    /// Which addresses are controls.
    pub heard: AddressMap,
    /// Actions that are sent under an address of their own; each action at most once.
    pub sent: Vec<SentAt>,
}

/// An action, and the address under which it is sent.
///
/// The value goes out as one number of an action that gives one, as two of one that gives two,
/// whenever it changes; actions that are not listed have an address made of their name.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub struct SentAt {
    /// The action.
    pub action: ActionId,
    /// The address, such as `/crane/horn`.
    pub address: String,
}
