//! Who may have what of a page.
//!
//! - A file is anybody's: it holds nothing of a session.
//! - A socket needs a key of the page ([`Keys`]). The one of the address stands behind `#k=`:
//!   browsers never send that part, so no log has it. The page hands it over as `?k=` at
//!   `/enter`, and is given its own, by which it opens its sockets.
//! - A page of another origin gets no socket, whatever it knows: `Origin` is set by the
//!   browser, and has to be this place. The place is named by an address or `localhost`:
//!   a name that somebody else can point at this machine is refused.

use super::{
    files::File,
    head::Head,
    keys::{Keys, PageKey},
};
use std::{
    net::IpAddr,
    sync::{Arc, Mutex, PoisonError},
};

/// What a browser wants that may have it.
#[derive(Debug)]
pub(super) enum Wanted {
    File(&'static File),
    /// To be known from now on, by this key.
    Entering(PageKey),
    Sending,
    Reading,
}

/// Why it may not, as HTTP says it.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Refusal {
    NoSuchFile,
    Method,
    ForeignName,
    ForeignOrigin,
    NoKey,
    NoRandomness,
    NoSocket,
}

impl Refusal {
    pub(super) fn response(&self) -> Vec<u8> {
        let (status, why) = match self {
            Refusal::NoSuchFile => ("404 Not Found", "there is no such file"),
            Refusal::Method => {
                ("405 Method Not Allowed", "only GET is answered, and POST at /enter")
            }
            Refusal::ForeignName => (
                "421 Misdirected Request",
                "open this page by the address that Green Trigger shows, or by localhost",
            ),
            Refusal::ForeignOrigin => ("403 Forbidden", "only the page itself is let in"),
            Refusal::NoKey => (
                "403 Forbidden",
                "the address was used already, or is of another run: \
                 open the one that Green Trigger shows now",
            ),
            Refusal::NoRandomness => {
                ("503 Service Unavailable", "the system gave no random numbers for a key")
            }
            Refusal::NoSocket => ("426 Upgrade Required", "this is for WebSockets"),
        };
        let length = why.len() + 1;
        format!(
            "HTTP/1.1 {status}\r\nContent-Type: text/plain; charset=utf-8\r\nContent-Length: {length}\r\nConnection: close\r\nX-Content-Type-Options: nosniff\r\n\r\n{why}\n"
        )
        .into_bytes()
    }
}

/// Decides.
#[derive(Debug)]
pub(super) struct Guard {
    keys: Arc<Mutex<Keys>>,
    scheme: &'static str,
}

impl Guard {
    pub(super) fn new(keys: Arc<Mutex<Keys>>, is_tls: bool) -> Guard {
        Guard { keys, scheme: if is_tls { "https" } else { "http" } }
    }

    pub(super) fn wants(&self, head: &Head) -> Result<Wanted, Refusal> {
        let (path, query) = head.target.split_once('?').unwrap_or((&head.target, ""));
        let method = if path == "/enter" { "POST" } else { "GET" };
        if head.method != method {
            return Err(Refusal::Method);
        }
        if !is_address(&head.host) {
            return Err(Refusal::ForeignName);
        }
        if !matches!(path, "/enter" | "/send" | "/read") {
            return File::at(path).map(Wanted::File).ok_or(Refusal::NoSuchFile);
        }
        if head.origin.as_deref() != Some(&format!("{}://{}", self.scheme, head.host)) {
            return Err(Refusal::ForeignOrigin);
        }
        let said = query.strip_prefix("k=").ok_or(Refusal::NoKey)?;
        let mut keys = self.keys.lock().unwrap_or_else(PoisonError::into_inner);
        if path == "/enter" {
            let own = keys.let_in(said).map_err(|_| Refusal::NoRandomness)?;
            return own.map(Wanted::Entering).ok_or(Refusal::NoKey);
        }
        keys.of_page(said).ok_or(Refusal::NoKey)?;
        match head.is_upgrade() {
            true if path == "/send" => Ok(Wanted::Sending),
            true => Ok(Wanted::Reading),
            false => Err(Refusal::NoSocket),
        }
    }
}

/// Whether a host, with or without a port, is an address or this machine itself.
fn is_address(host: &str) -> bool {
    let name = match host.rsplit_once(':') {
        Some((name, port)) if port.bytes().all(|byte| byte.is_ascii_digit()) => name,
        _ => host,
    };
    let bare = name.strip_prefix('[').and_then(|name| name.strip_suffix(']'));
    name == "localhost"
        || bare.map_or_else(
            || name.parse().is_ok_and(|ip: IpAddr| ip.is_ipv4()),
            |name| name.parse().is_ok_and(|ip: IpAddr| ip.is_ipv6()),
        )
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::address("192.168.1.5:4711", true)]
    #[case::no_port("10.0.0.1", true)]
    #[case::six("[fe80::1]:4711", true)]
    #[case::this_machine("localhost:4711", true)]
    #[case::a_name("quay.example:4711", false)]
    #[case::six_without_brackets("fe80::1", false)]
    #[case::four_in_brackets("[10.0.0.1]", false)]
    #[case::nothing("", false)]
    #[case::port_alone(":4711", false)]
    fn a_place_is_named_by_an_address(#[case] host: &str, #[case] is: bool) {
        assert_eq!(is_address(host), is);
    }

    fn head(method: &str, target: &str, origin: Option<&str>) -> Head {
        let mut head = Head::for_tests(method, target, "10.0.0.1:4711");
        head.origin = origin.map(str::to_owned);
        head
    }

    #[rstest]
    #[case::of_the_page("k=KEY", Some("http://10.0.0.1:4711"), None)]
    #[case::of_another("k=KEY", Some("http://evil.example"), Some(Refusal::ForeignOrigin))]
    #[case::by_another_scheme("k=KEY", Some("https://10.0.0.1:4711"), Some(Refusal::ForeignOrigin))]
    #[case::of_none("k=KEY", None, Some(Refusal::ForeignOrigin))]
    #[case::without_a_key("", Some("http://10.0.0.1:4711"), Some(Refusal::NoKey))]
    #[case::with_another_key("k=1", Some("http://10.0.0.1:4711"), Some(Refusal::NoKey))]
    fn a_socket_needs_key_and_origin(
        #[case] query: &str,
        #[case] origin: Option<&str>,
        #[case] refused: Option<Refusal>,
    ) {
        let mut keys = Keys::new().unwrap();
        let key = keys.let_in(keys.next().clone().as_str()).unwrap().unwrap();
        let guard = Guard::new(Arc::new(Mutex::new(keys)), false);
        for (method, path) in [("GET", "/send"), ("GET", "/read"), ("POST", "/enter")] {
            let target = format!("{path}?{}", query.replace("KEY", key.as_str()));
            assert_eq!(guard.wants(&head(method, &target, origin)).err(), refused, "{path}");
        }
    }

    /// A page of another origin, and a request that opens nothing, use up no address.
    #[test]
    fn only_the_page_itself_uses_an_address_up() {
        let keys = Keys::new().unwrap();
        let next = keys.next().clone();
        let guard = Guard::new(Arc::new(Mutex::new(keys)), false);
        let (own, target) = (Some("http://10.0.0.1:4711"), format!("/enter?k={}", next.as_str()));
        let foreign = guard.wants(&head("POST", &target, Some("http://evil.example")));
        assert_eq!(foreign.err(), Some(Refusal::ForeignOrigin));
        assert_eq!(guard.wants(&head("GET", &target, own)).err(), Some(Refusal::Method));
        let send = format!("/send?k={}", next.as_str());
        assert_eq!(guard.wants(&head("GET", &send, own)).err(), Some(Refusal::NoKey));
        assert!(matches!(guard.wants(&head("POST", &target, own)), Ok(Wanted::Entering(_))));
        assert_eq!(guard.wants(&head("POST", &target, own)).err(), Some(Refusal::NoKey));
    }
}
