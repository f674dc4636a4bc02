//! What there is to know of a program that sends.

use gtrig_analysis::clock::ClockReading;
use gtrig_core::{CleanText, Nanos};

/// A page that browsers may open.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Invitation {
    /// Its whole addresses, each with the key, the likeliest first.
    pub addresses: Vec<String>,
    /// Over TLS the SHA-256 fingerprint of the certificate, to be compared with that which the
    /// browser shows.
    pub fingerprint: Option<String>,
}

/// An argument of messages that came under an address.
#[derive(Clone, Debug, PartialEq)]
pub struct AddressHeard {
    /// The address.
    pub address: CleanText,
    /// Which argument; 0 is the first.
    pub argument: u8,
    /// Whether there are any; otherwise it is the message itself.
    pub has_arguments: bool,
    /// The control that it is already, as `desk/slew`.
    pub control: Option<String>,
    /// The sender that it came of last.
    pub from: String,
    /// The last number; `None` of an argument that is not a number.
    pub last: Option<f64>,
    /// The least and the largest number that came.
    pub range: Option<[f64; 2]>,
    /// Whether all of them were whole.
    pub is_whole: bool,
    /// So many messages came.
    pub messages: u64,
    /// When it was another number last, as an instant of the session.
    pub moved: Nanos,
}

/// How a sender is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SenderIs {
    /// It is connected.
    Here,
    /// It said that it is done.
    Done,
    /// It went without a word.
    Lost,
}

/// What is known of a sender.
#[derive(Clone, Debug)]
pub struct SenderState {
    /// Its name.
    pub name: String,
    /// Where it came in.
    pub place: String,
    /// How it is.
    pub state: SenderIs,
    /// How often it came.
    pub came: u32,
    /// Lines that were read.
    pub lines: u64,
    /// Lines that could not be read.
    pub faults: u64,
    /// Lines that never arrived, by their numbers.
    pub missed: u64,
    /// Lines that were read and wait to be taken in.
    pub waiting: u64,
    /// How often it was held up because too many did.
    pub slowed: u64,
    /// From what a line tells until it was read; the latest.
    pub latency: Nanos,
    /// What is known of its clock; `None` where it is ours.
    pub clock: Option<ClockReading>,
    /// Whether its clock is this machine's.
    pub is_our_clock: bool,
    /// How long after what they tell its lines may come.
    pub delay: Nanos,
}
