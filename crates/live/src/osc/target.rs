//! Where packets of Open Sound Control go.

use std::{
    io,
    net::{Ipv4Addr, Ipv6Addr, SocketAddr, UdpSocket},
};

/// A program that is sent packets, whether it is there or not.
#[derive(Debug)]
pub struct OscTarget(UdpSocket);

impl OscTarget {
    /// Makes a socket that sends there.
    ///
    /// # Errors
    /// When the system has none, or no way there.
    pub fn new(to: SocketAddr) -> io::Result<OscTarget> {
        let from: SocketAddr = match to {
            SocketAddr::V4(_) => (Ipv4Addr::UNSPECIFIED, 0).into(),
            SocketAddr::V6(_) => (Ipv6Addr::UNSPECIFIED, 0).into(),
        };
        let socket = UdpSocket::bind(from)?;
        socket.set_nonblocking(true)?;
        socket.connect(to)?;
        Ok(OscTarget(socket))
    }

    /// Sends a packet. Never waits; nobody knows whether it arrives.
    pub fn send(&self, packet: &[u8]) {
        // That nobody listens there is said by an error of a later packet: somebody may
        // come. What finds no room is lost, as on any way.
        let _ = self.0.send(packet);
    }
}
