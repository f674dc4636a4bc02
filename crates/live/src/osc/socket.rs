//! The socket of a port: each packet with when it came, and how many were lost before it.

#[cfg(target_os = "linux")]
use super::wall::WallClock;
use gtrig_core::Nanos;
use gtrig_sources::monotonic_now;
#[cfg(target_os = "linux")]
use nix::sys::socket::{
    ControlMessageOwned, MsgFlags, SockaddrStorage, recvmsg,
    sockopt::{ReceiveTimestampns, RxqOvfl},
};
use nix::{
    poll::{PollFd, PollFlags, PollTimeout, poll},
    sys::socket::{setsockopt, sockopt::RcvBuf},
};
use std::{
    io,
    net::{IpAddr, Ipv4Addr, SocketAddr, UdpSocket},
    os::fd::AsFd,
    time::Duration,
};
#[cfg(target_os = "linux")]
use std::{io::IoSliceMut, os::fd::AsRawFd};

/// The kernel is asked for so much room for packets that wait; it gives what it may.
const ROOM: usize = 1 << 20;

/// A packet that came.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Datagram {
    pub(super) length: usize,
    pub(super) from: IpAddr,
    /// By the monotonic clock, when the kernel had it.
    pub(super) arrived: Nanos,
    /// So many that came before it found no room in the kernel.
    pub(super) lost: u32,
}

#[derive(Debug)]
pub(super) struct Ear {
    socket: UdpSocket,
    /// How many the kernel had lost by the last packet.
    #[cfg_attr(not(target_os = "linux"), expect(dead_code, reason = "it says nothing of them"))]
    lost: u32,
    /// When the last packet came: none comes before one that was there already.
    last: Nanos,
}

impl Ear {
    pub(super) fn open(address: SocketAddr) -> io::Result<Ear> {
        let socket = UdpSocket::bind(address)?;
        socket.set_nonblocking(true)?;
        #[cfg(target_os = "linux")]
        {
            setsockopt(&socket, ReceiveTimestampns, &true)?;
            setsockopt(&socket, RxqOvfl, &1)?;
        }
        // Less will do.
        let _ = setsockopt(&socket, RcvBuf, &ROOM);
        Ok(Ear { socket, lost: 0, last: Nanos(0) })
    }

    pub(super) fn address(&self) -> io::Result<SocketAddr> {
        self.socket.local_addr()
    }

    /// Waits for a packet for so long.
    pub(super) fn hear(
        &mut self,
        buffer: &mut [u8],
        wait: Duration,
    ) -> io::Result<Option<Datagram>> {
        // Rounded up: what is waited for is over then.
        let wait = wait + Duration::from_micros(999);
        let mut fds = [PollFd::new(self.socket.as_fd(), PollFlags::POLLIN)];
        match poll(&mut fds, PollTimeout::try_from(wait).unwrap_or(PollTimeout::MAX)) {
            Ok(0) | Err(nix::errno::Errno::EINTR) => return Ok(None),
            Ok(_) => {}
            Err(errno) => return Err(errno.into()),
        }
        let heard = self.receive(buffer)?;
        Ok(heard.map(|datagram| {
            self.last = self.last.max(datagram.arrived);
            Datagram { arrived: self.last, ..datagram }
        }))
    }

    /// A packet that is there, with what the kernel says of it.
    #[cfg(target_os = "linux")]
    fn receive(&mut self, buffer: &mut [u8]) -> io::Result<Option<Datagram>> {
        let mut room = nix::cmsg_space!(nix::sys::time::TimeSpec, u32);
        let mut parts = [IoSliceMut::new(buffer)];
        let socket = self.socket.as_raw_fd();
        let result =
            recvmsg::<SockaddrStorage>(socket, &mut parts, Some(&mut room), MsgFlags::empty());
        let message = match result {
            Ok(message) => message,
            Err(nix::errno::Errno::EAGAIN | nix::errno::Errno::EINTR) => return Ok(None),
            Err(errno) => return Err(errno.into()),
        };
        let now = monotonic_now()?;
        let (mut arrived, mut lost) = (now, self.lost);
        for said in message.cmsgs()? {
            match said {
                ControlMessageOwned::ScmTimestampns(at) => {
                    arrived = instant(&Duration::from(at), now, &WallClock::now()?);
                }
                ControlMessageOwned::RxqOvfl(count) => lost = count,
                _ => {}
            }
        }
        let before = std::mem::replace(&mut self.lost, lost);
        let Some(from) = message.address.as_ref().and_then(ip) else { return Ok(None) };
        let lost = lost.wrapping_sub(before);
        Ok(Some(Datagram { length: message.bytes, from, arrived, lost }))
    }

    /// A packet that is there; when it came and what was lost nobody says here.
    #[cfg(not(target_os = "linux"))]
    fn receive(&mut self, buffer: &mut [u8]) -> io::Result<Option<Datagram>> {
        let (length, from) = match self.socket.recv_from(buffer) {
            Ok(received) => received,
            Err(error) if error.kind() == io::ErrorKind::WouldBlock => return Ok(None),
            Err(error) => return Err(error),
        };
        let (arrived, from) = (monotonic_now()?, canonical(from.ip()));
        Ok(Some(Datagram { length, from, arrived, lost: 0 }))
    }
}

/// By the monotonic clock, a time of day at which a packet came that was read by `now`; `now`
/// where the time of day was set meanwhile.
#[cfg(target_os = "linux")]
fn instant(at: &Duration, now: Nanos, wall: &WallClock) -> Nanos {
    let at = wall.monotonic_at(at.as_nanos() as i128).map(|at| at.min(now));
    at.filter(|at| now.0 - at.0 < 1_000_000_000).unwrap_or(now)
}

#[cfg(target_os = "linux")]
fn ip(address: &SockaddrStorage) -> Option<IpAddr> {
    let v4 = address.as_sockaddr_in().map(|of| IpAddr::V4(of.ip()));
    let ip = v4.or_else(|| address.as_sockaddr_in6().map(|of| IpAddr::V6(of.ip())))?;
    Some(canonical(ip))
}

/// The machine that an address is of: one of IPv4 however it is written, and this one by
/// one address.
fn canonical(ip: IpAddr) -> IpAddr {
    let ip = ip.to_canonical();
    if ip.is_loopback() { IpAddr::V4(Ipv4Addr::LOCALHOST) } else { ip }
}

#[cfg(all(test, target_os = "linux"))]
mod tests {
    use super::*;
    use rstest::rstest;

    const SECOND: u64 = 1_000_000_000;

    /// It is 5 s by the monotonic clock and 1000 s after 1970.
    #[rstest]
    #[case::just_now(1_000 * SECOND - 30, 5 * SECOND - 30)]
    #[case::held_up(1_000 * SECOND - SECOND / 2, 5 * SECOND - SECOND / 2)]
    #[case::the_time_of_day_was_set_forth(900 * SECOND, 5 * SECOND)]
    #[case::and_back(1_100 * SECOND, 5 * SECOND)]
    #[case::before_the_machine_began(SECOND, 5 * SECOND)]
    fn a_packet_came_when_the_kernel_had_it(#[case] at: u64, #[case] expected: u64) {
        let (now, wall) = (Nanos(5 * SECOND), 1_000 * i128::from(SECOND));
        let clock = WallClock::at(now, wall);
        assert_eq!(instant(&Duration::from_nanos(at), now, &clock), Nanos(expected));
    }
}
