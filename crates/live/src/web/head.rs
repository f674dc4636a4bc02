//! The head of a request, and what becomes of its connection.

use super::socket::{Stream, Web};
use std::{
    io::{self, Read, Write},
    time::Instant,
};
use tungstenite::handshake::derive_accept_key;

/// A longer head is refused.
pub(super) const MAX_HEAD: usize = 8 << 10;

/// A head has at most so many lines.
const MAX_HEADERS: usize = 64;

/// What a browser asks for.
#[derive(Debug)]
pub(super) struct Head {
    pub(super) method: String,
    /// The path, and what follows a question mark.
    pub(super) target: String,
    pub(super) host: String,
    pub(super) origin: Option<String>,
    /// The key of a WebSocket, where it asks for one.
    socket_key: Option<String>,
    /// What came after the head.
    rest: Vec<u8>,
}

impl Head {
    /// # Errors
    /// When what comes is not a request, is too long, or is not complete by then.
    pub(super) fn read(stream: &mut Stream, late: Instant) -> io::Result<Head> {
        let mut bytes = Vec::new();
        let mut buffer = [0; 2048];
        loop {
            match stream.read(&mut buffer) {
                Ok(0) => return Err(io::ErrorKind::UnexpectedEof.into()),
                Ok(read) => bytes.extend_from_slice(&buffer[..read]),
                Err(error) if is_waiting(&error) => {}
                Err(error) => return Err(error),
            }
            if let Some(head) = Head::parse(&bytes)? {
                return Ok(head);
            }
            if bytes.len() > MAX_HEAD {
                return Err(io::Error::other(format!("a request of more than {MAX_HEAD} bytes")));
            }
            if Instant::now() > late {
                return Err(io::ErrorKind::TimedOut.into());
            }
        }
    }

    /// The head, once all of it has come.
    fn parse(bytes: &[u8]) -> io::Result<Option<Head>> {
        let mut headers = [httparse::EMPTY_HEADER; MAX_HEADERS];
        let mut request = httparse::Request::new(&mut headers);
        let length = match request.parse(bytes).map_err(io::Error::other)? {
            httparse::Status::Complete(length) => length,
            httparse::Status::Partial => return Ok(None),
        };
        let header = |name: &str| {
            let found = request.headers.iter().find(|of| of.name.eq_ignore_ascii_case(name))?;
            std::str::from_utf8(found.value).ok()
        };
        let is_socket = header("upgrade").is_some_and(|of| of.eq_ignore_ascii_case("websocket"))
            && header("sec-websocket-version") == Some("13");
        Ok(Some(Head {
            method: request.method.unwrap_or_default().to_owned(),
            target: request.path.unwrap_or_default().to_owned(),
            host: header("host").unwrap_or_default().to_owned(),
            origin: header("origin").map(str::to_owned),
            socket_key: header("sec-websocket-key").filter(|_| is_socket).map(str::to_owned),
            rest: bytes[length..].to_vec(),
        }))
    }

    /// Whether it asks for a WebSocket.
    pub(super) fn is_upgrade(&self) -> bool {
        self.socket_key.is_some()
    }

    /// Answers that it is one from here on.
    ///
    /// # Errors
    /// Those of the stream.
    pub(super) fn upgrade(self, mut stream: Stream) -> io::Result<Web> {
        let key = self.socket_key.unwrap_or_default();
        let accept = derive_accept_key(key.as_bytes());
        write!(
            stream,
            "HTTP/1.1 101 Switching Protocols\r\nUpgrade: websocket\r\nConnection: Upgrade\r\nSec-WebSocket-Accept: {accept}\r\n\r\n"
        )?;
        stream.flush()?;
        Web::new(stream, self.rest)
    }

    #[cfg(test)]
    pub(super) fn for_tests(method: &str, target: &str, host: &str) -> Head {
        let text = format!(
            "{method} {target} HTTP/1.1\r\nHost: {host}\r\nUpgrade: websocket\r\nSec-WebSocket-Version: 13\r\nSec-WebSocket-Key: a\r\n\r\n"
        );
        Head::parse(text.as_bytes()).unwrap().unwrap()
    }
}

/// Whether nothing is wrong, but nothing is there yet.
pub(super) fn is_waiting(error: &io::Error) -> bool {
    use io::ErrorKind::{Interrupted, TimedOut, WouldBlock};
    matches!(error.kind(), WouldBlock | TimedOut | Interrupted)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[test]
    fn a_head_has_what_it_says_and_what_came_behind_it() {
        let text = "GET /send?k=1 HTTP/1.1\r\nhOST: 10.0.0.1:4711\r\nOrigin: http://10.0.0.1:4711\r\n\r\nrest";
        let head = Head::parse(text.as_bytes()).unwrap().unwrap();
        assert_eq!((head.method.as_str(), head.target.as_str()), ("GET", "/send?k=1"));
        assert_eq!(head.host, "10.0.0.1:4711");
        assert_eq!(head.origin.as_deref(), Some("http://10.0.0.1:4711"));
        assert_eq!((head.is_upgrade(), head.rest.as_slice()), (false, b"rest".as_slice()));
        for end in 0..text.len() - "rest".len() {
            assert!(Head::parse(&text.as_bytes()[..end]).unwrap().is_none(), "{end}");
        }
    }

    #[rstest]
    #[case::no_http(b"\x16\x03\x01\x02\x00\x01\x00".as_slice())]
    #[case::no_name(b"GET / HTTP/1.1\r\n: x\r\n\r\n".as_slice())]
    #[case::controls(b"GET /\x07 HTTP/1.1\r\n\r\n".as_slice())]
    fn what_is_no_request_is_refused(#[case] bytes: &[u8]) {
        assert!(Head::parse(bytes).is_err());
    }

    #[test]
    fn a_request_of_too_many_lines_is_refused() {
        let many = "X: y\r\n".repeat(MAX_HEADERS + 1);
        assert!(Head::parse(format!("GET / HTTP/1.1\r\n{many}\r\n").as_bytes()).is_err());
    }
}
