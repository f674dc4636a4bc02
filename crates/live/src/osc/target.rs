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
        // A whole network may be named.
        socket.set_broadcast(true)?;
        socket.connect(to)?;
        Ok(OscTarget(socket))
    }

    /// Sends a packet. Never waits; nobody knows whether it arrives.
    pub fn send(&self, packet: &[u8]) {
        let sent = self.0.send(packet);
        // The system says here that nobody heard an earlier packet, and does not send this one.
        // It is sent once more, for somebody may be there by now. A packet that finds no room
        // in the system is lost, as packets are.
        if sent.is_err_and(|error| error.kind() == io::ErrorKind::ConnectionRefused) {
            let _ = self.0.send(packet);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::time::{Duration, Instant};

    /// A program that comes later gets every packet from then on.
    #[test]
    fn somebody_may_come_later() {
        let to = UdpSocket::bind("127.0.0.1:0").unwrap();
        let address = to.local_addr().unwrap();
        drop(to);
        let target = OscTarget::new(address).unwrap();
        target.send(b"/nobody\0");
        // The system says so a moment later.
        let started = Instant::now();
        let is_refused = || target.0.take_error().is_ok_and(|error| error.is_some());
        while !is_refused() {
            assert!(started.elapsed() < Duration::from_secs(30), "it is never refused");
            target.send(b"/nobody\0");
        }
        target.send(b"/nobody\0");
        let listener = UdpSocket::bind(address).unwrap();
        listener.set_read_timeout(Some(Duration::from_secs(30))).unwrap();
        target.send(b"/first\0\0");
        let mut buffer = [0; 64];
        let length = listener.recv(&mut buffer).unwrap();
        assert_eq!(&buffer[..length], b"/first\0\0");
    }
}
