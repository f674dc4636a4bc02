//! Where programs come to.

use std::{
    fmt, io,
    net::{IpAddr, SocketAddr, ToSocketAddrs},
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
    /// Messages of Open Sound Control over UDP: `osc:PORT`, of this machine alone, or
    /// `osc:ADDRESS:PORT`; to send to, a program that listens there.
    Osc(SocketAddr),
    /// A program that hears fingers by TUIO: `tuio:PORT`, `tuio:ADDRESS:PORT`. What such
    /// programs say is heard by [`Place::Osc`].
    Tuio(SocketAddr),
    /// A page for browsers: `page:PORT` at every address of this machine,
    /// `page:ADDRESS:PORT` at one; `page-tls:` the same over TLS.
    Page {
        /// Where.
        address: SocketAddr,
        /// Whether browsers come over TLS.
        is_tls: bool,
    },
}

/// Why a text names no place.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum PlaceFault {
    /// It names nothing.
    #[error(
        "a place is -, the path of a named pipe, pipe:PATH, unix:PATH, or tcp:, osc: or page: with PORT or ADDRESS:PORT"
    )]
    Empty,
    /// The text is not an address.
    #[error("{0:?} is no PORT and no ADDRESS:PORT, such as 4710 or [::1]:4710")]
    NoAddress(String),
}

impl Place {
    /// Whether programs of other machines can come there, and have to say the token. A page
    /// has a key of its own.
    pub fn needs_token(&self) -> bool {
        match self {
            Place::Tcp(address) | Place::Osc(address) => !address.ip().is_loopback(),
            Place::Stdin | Place::Pipe(_) | Place::Unix(_) => false,
            Place::Page { .. } | Place::Tuio(_) => false,
        }
    }

    /// Why nothing could be done at a place, with what to do where that is known.
    pub(crate) fn cannot(&self, what: &str, error: &io::Error) -> io::Error {
        let is_port = !matches!(self, Place::Stdin | Place::Pipe(_) | Place::Unix(_));
        let more = match error.kind() {
            io::ErrorKind::AddrInUse if is_port => "; another program has that port: name another",
            io::ErrorKind::AddrNotAvailable if is_port => "; this machine has no such address",
            io::ErrorKind::PermissionDenied if is_port => {
                "; ports below 1024 are the administrator's: name a higher one"
            }
            _ => "",
        };
        io::Error::new(error.kind(), format!("cannot {what} at {self}: {error}{more}"))
    }

    /// A page at a port of all addresses of this machine, or at an address and a port.
    ///
    /// # Errors
    /// When the text is neither.
    pub fn page(text: &str, is_tls: bool) -> Result<Place, PlaceFault> {
        let address = address(text, IpAddr::from([0, 0, 0, 0]))?;
        Ok(Place::Page { address, is_tls })
    }

    /// Whether the text says what kind of place it names, of those that a take can come
    /// from; the path of a file does not.
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
            return self::address(address, IpAddr::from([127, 0, 0, 1])).map(Place::Tcp);
        }
        let home = IpAddr::from([127, 0, 0, 1]);
        if let Some(address) = text.strip_prefix("osc:") {
            return self::address(address, home).map(Place::Osc);
        }
        if let Some(address) = text.strip_prefix("tuio:") {
            return self::address(address, home).map(Place::Tuio);
        }
        for (kind, is_tls) in [("page:", false), ("page-tls:", true)] {
            if let Some(address) = text.strip_prefix(kind) {
                return Place::page(address, is_tls);
            }
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
            Place::Osc(address) => write!(f, "osc:{address}"),
            Place::Tuio(address) => write!(f, "tuio:{address}"),
            Place::Page { address, is_tls: false } => write!(f, "page:{address}"),
            Place::Page { address, is_tls: true } => write!(f, "page-tls:{address}"),
        }
    }
}

/// A port, which is one of `home`, or an address and a port.
fn address(text: &str, home: IpAddr) -> Result<SocketAddr, PlaceFault> {
    if let Ok(port) = text.parse::<u16>() {
        return Ok(SocketAddr::new(home, port));
    }
    let fault = || PlaceFault::NoAddress(text.to_owned());
    text.to_socket_addrs().map_err(|_| fault())?.next().ok_or_else(fault)
}
