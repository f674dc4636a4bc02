//! Messages gathered into bundles that go out.

use rosc::{OscMessage, OscPacket, OscType, encoder};

/// A packet that may be divided is no larger than this, where its first message is not: it
/// passes every network in one piece.
const ROOM: usize = 1400;

/// A bundle that takes effect at once.
const HEAD: &[u8] = b"#bundle\0\0\0\0\0\0\0\0\x01";

/// Puts messages into packets.
#[derive(Debug, Default)]
pub(super) struct Bundles {
    /// The packet so far; empty, or a head with messages.
    packet: Vec<u8>,
}

impl Bundles {
    /// Adds a message to what goes out together.
    pub(super) fn add(&mut self, addr: &str, args: Vec<OscType>) {
        self.put(addr, args, |_| {}, usize::MAX);
    }

    /// Adds a message that may go out apart from those before: a packet that would be too
    /// large goes out first.
    pub(super) fn add_apart(
        &mut self,
        addr: &str,
        args: Vec<OscType>,
        send: &mut impl FnMut(&[u8]),
    ) {
        self.put(addr, args, send, ROOM);
    }

    fn put(&mut self, addr: &str, args: Vec<OscType>, mut send: impl FnMut(&[u8]), room: usize) {
        let message = OscPacket::Message(OscMessage { addr: addr.to_owned(), args });
        // What is written has no place in a bundle within itself, and nothing else can fail.
        let Ok(bytes) = encoder::encode(&message) else { return };
        if self.packet.len() + 4 + bytes.len() > room {
            self.flush(&mut send);
        }
        if self.packet.is_empty() {
            self.packet.extend_from_slice(HEAD);
        }
        self.packet.extend((bytes.len() as u32).to_be_bytes());
        self.packet.extend(bytes);
    }

    /// What was added goes out.
    pub(super) fn flush(&mut self, send: &mut impl FnMut(&[u8])) {
        if !self.packet.is_empty() {
            send(&self.packet);
            self.packet.clear();
        }
    }
}
