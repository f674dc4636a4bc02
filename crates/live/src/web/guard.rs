//! Who may have what of a page.
//!
//! - A file is anybody's: it holds nothing of a session.
//! - A socket needs the key, which stands in the address behind `#k=`: browsers never send
//!   that part, so no log has it. The page hands it over as `?k=`.
//! - A page of another origin gets no socket, whatever it knows: `Origin` is set by the
//!   browser, and has to be this place. The place is named by an address or `localhost`:
//!   a name that somebody else can point at this machine is refused.

use super::{files::File, head::Head};
use std::{fs::File as OsFile, io, io::Read, net::IpAddr};
use subtle::ConstantTimeEq;

/// What a browser has to know to be let in: made at the start, for this run alone.
#[derive(Clone, PartialEq, Eq)]
pub struct PageKey(String);

impl PageKey {
    /// A new one, which nobody can guess: 128 bits of the system's randomness.
    ///
    /// # Errors
    /// When the system has none.
    pub fn new() -> io::Result<PageKey> {
        let mut bytes = [0; 16];
        OsFile::open("/dev/urandom")?.read_exact(&mut bytes)?;
        Ok(PageKey(bytes.iter().map(|byte| format!("{byte:02x}")).collect()))
    }

    /// Its text, for the address.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// Whether it was said, in a time that depends on the length alone.
    fn is(&self, said: &str) -> bool {
        self.0.as_bytes().ct_eq(said.as_bytes()).into()
    }
}

/// Its text stays out of every message.
impl std::fmt::Debug for PageKey {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("PageKey")
    }
}

/// What a browser wants that may have it.
#[derive(Debug)]
pub(super) enum Wanted {
    File(&'static File),
    Sending,
    Reading,
}

/// Why it may not, as HTTP says it.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Refusal {
    NoSuchFile,
    OnlyGet,
    ForeignName,
    ForeignOrigin,
    NoKey,
    NoSocket,
}

impl Refusal {
    pub(super) fn response(&self) -> Vec<u8> {
        let (status, why) = match self {
            Refusal::NoSuchFile => ("404 Not Found", "there is no such file"),
            Refusal::OnlyGet => ("405 Method Not Allowed", "only GET is answered"),
            Refusal::ForeignName => (
                "421 Misdirected Request",
                "open this page by the address that Green Trigger shows, or by localhost",
            ),
            Refusal::ForeignOrigin => ("403 Forbidden", "only the page itself is let in"),
            Refusal::NoKey => (
                "403 Forbidden",
                "the key is not that of this run: open the address that Green Trigger shows now",
            ),
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
    key: PageKey,
    scheme: &'static str,
}

impl Guard {
    pub(super) fn new(key: PageKey, is_tls: bool) -> Guard {
        Guard { key, scheme: if is_tls { "https" } else { "http" } }
    }

    pub(super) fn wants(&self, head: &Head) -> Result<Wanted, Refusal> {
        if head.method != "GET" {
            return Err(Refusal::OnlyGet);
        }
        if !is_address(&head.host) {
            return Err(Refusal::ForeignName);
        }
        let (path, query) = head.target.split_once('?').unwrap_or((&head.target, ""));
        let wanted = match path {
            "/send" => Wanted::Sending,
            "/read" => Wanted::Reading,
            path => return File::at(path).map(Wanted::File).ok_or(Refusal::NoSuchFile),
        };
        if head.origin.as_deref() != Some(&format!("{}://{}", self.scheme, head.host)) {
            return Err(Refusal::ForeignOrigin);
        }
        if !query.strip_prefix("k=").is_some_and(|said| self.key.is(said)) {
            return Err(Refusal::NoKey);
        }
        if !head.is_upgrade() {
            return Err(Refusal::NoSocket);
        }
        Ok(wanted)
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

    #[test]
    fn keys_differ_and_are_not_told() {
        let (one, other) = (PageKey::new().unwrap(), PageKey::new().unwrap());
        assert!(one != other && one.as_str().len() == 32);
        assert!(one.is(one.as_str()) && !one.is(other.as_str()) && !one.is(""));
        assert!(!format!("{one:?}").contains(one.as_str()));
    }

    fn head(target: &str, origin: Option<&str>) -> Head {
        let mut head = Head::for_tests("GET", target, "10.0.0.1:4711");
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
        let key = PageKey::new().unwrap();
        let guard = Guard::new(key.clone(), false);
        for path in ["/send", "/read"] {
            let target = format!("{path}?{}", query.replace("KEY", key.as_str()));
            assert_eq!(guard.wants(&head(&target, origin)).err(), refused);
        }
    }
}
