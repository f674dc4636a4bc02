//! Where programs come to.

use std::{
    fmt,
    net::{SocketAddr, ToSocketAddrs},
    path::PathBuf,
    str::FromStr,
};

/// Where programs send to, or read from.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Place {
    /// Standard input: `-` or `pipe:-`.
    Stdin,
    /// A named pipe: its path, or `pipe:PATH`.
    Pipe(PathBuf),
    /// A Unix socket: `unix:PATH`.
    Unix(PathBuf),
    /// A TCP port: `tcp:PORT` on this machine alone, `tcp:ADDRESS:PORT` elsewhere.
    Tcp(SocketAddr),
}

/// Why a text names no place.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum PlaceFault {
    /// It names nothing.
    #[error(
        "a place is -, the path of a named pipe, pipe:PATH, unix:PATH, tcp:PORT or tcp:ADDRESS:PORT"
    )]
    Empty,
    /// The address is none.
    #[error("{0:?} is no PORT and no ADDRESS:PORT, such as tcp:4710 or tcp:[::1]:4710")]
    NoAddress(String),
}

impl Place {
    /// Whether only programs of this machine can come there.
    pub fn is_local(&self) -> bool {
        match self {
            Place::Tcp(address) => address.ip().is_loopback(),
            Place::Stdin | Place::Pipe(_) | Place::Unix(_) => true,
        }
    }

    /// Whether the text says what kind of place it names; the path of a file does not.
    pub fn is_named(text: &str) -> bool {
        ["pipe:", "unix:", "tcp:"].iter().any(|kind| text.starts_with(kind))
    }
}

impl FromStr for Place {
    type Err = PlaceFault;

    fn from_str(text: &str) -> Result<Place, PlaceFault> {
        if let Some(path) = text.strip_prefix("unix:") {
            return match path {
                "" => Err(PlaceFault::Empty),
                path => Ok(Place::Unix(path.into())),
            };
        }
        if let Some(address) = text.strip_prefix("tcp:") {
            let fault = || PlaceFault::NoAddress(address.to_owned());
            if let Ok(port) = address.parse::<u16>() {
                return Ok(Place::Tcp(SocketAddr::from(([127, 0, 0, 1], port))));
            }
            let found = address.to_socket_addrs().map_err(|_| fault())?.next();
            return found.map(Place::Tcp).ok_or_else(fault);
        }
        match text.strip_prefix("pipe:").unwrap_or(text) {
            "" => Err(PlaceFault::Empty),
            "-" => Ok(Place::Stdin),
            path => Ok(Place::Pipe(path.into())),
        }
    }
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Place::Stdin => write!(f, "-"),
            Place::Pipe(path) => write!(f, "{}", path.display()),
            Place::Unix(path) => write!(f, "unix:{}", path.display()),
            Place::Tcp(address) => write!(f, "tcp:{address}"),
        }
    }
}
