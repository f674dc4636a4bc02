//! Under which addresses this machine is reached.

use nix::{ifaddrs::getifaddrs, net::if_::InterfaceFlags};
use std::net::{IpAddr, SocketAddr};

/// The addresses by which a browser reaches `at`, the likeliest first: where it is
/// all of this machine's, those of its networks, and last its own.
pub fn addresses(at: SocketAddr) -> Vec<SocketAddr> {
    if !at.ip().is_unspecified() {
        return vec![at];
    }
    let mut found: Vec<IpAddr> = Vec::new();
    for interface in getifaddrs().into_iter().flatten() {
        let Some(address) = interface.address.as_ref().and_then(|of| of.as_sockaddr_in()) else {
            continue;
        };
        let ip = IpAddr::V4(address.ip());
        let is_up = interface.flags.contains(InterfaceFlags::IFF_UP);
        if is_up && !ip.is_loopback() && !found.contains(&ip) {
            found.push(ip);
        }
    }
    // Those of a home or a studio before all others.
    found.sort_by_key(|ip| matches!(ip, IpAddr::V4(ip) if !ip.is_private()));
    found.push(IpAddr::from([127, 0, 0, 1]));
    found.into_iter().map(|ip| SocketAddr::new(ip, at.port())).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_address_is_itself_and_all_are_those_of_the_machine() {
        let one: SocketAddr = "192.0.2.7:80".parse().unwrap();
        assert_eq!(addresses(one), [one]);
        let all = addresses("0.0.0.0:4711".parse().unwrap());
        assert_eq!(all.last(), Some(&"127.0.0.1:4711".parse().unwrap()));
        assert!(all[..all.len() - 1].iter().all(|at| !at.ip().is_loopback()));
    }
}
