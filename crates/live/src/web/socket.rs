//! A WebSocket as a connection like any other: lines in, lines out, nobody waited for.

use super::{head::is_waiting, tls::Certificate};
use gtrig_formats::live::MAX_LINE_BYTES;
use rustls::{ServerConnection, StreamOwned};
use std::{
    collections::VecDeque,
    fmt,
    io::{self, Read, Write},
    net::{Shutdown, TcpStream},
    os::fd::{AsFd, BorrowedFd},
    time::Instant,
};
use tungstenite::{
    Error, Message, Utf8Bytes, WebSocket,
    protocol::{Role, WebSocketConfig},
};

/// So many bytes wait for a page that does not read; then it is spoken to no more.
const MAX_UNREAD: usize = 1 << 20;

/// The bytes of a browser, in the clear or not.
#[derive(Debug)]
pub(super) enum Stream {
    Plain(TcpStream),
    Tls(Box<StreamOwned<ServerConnection, TcpStream>>),
}

impl Stream {
    pub(super) fn plain(stream: TcpStream) -> Stream {
        Stream::Plain(stream)
    }

    /// Agrees with the browser on keys, by then.
    ///
    /// # Errors
    /// When it does not agree, or takes longer.
    pub(super) fn over_tls(
        certificate: &Certificate,
        mut stream: TcpStream,
        late: Instant,
    ) -> io::Result<Stream> {
        let config = certificate.config.clone();
        let mut tls = ServerConnection::new(config).map_err(io::Error::other)?;
        while tls.is_handshaking() {
            if Instant::now() > late {
                return Err(io::ErrorKind::TimedOut.into());
            }
            match tls.read_tls(&mut stream) {
                Ok(0) => return Err(io::ErrorKind::UnexpectedEof.into()),
                Ok(_) => {}
                Err(error) if is_waiting(&error) => continue,
                Err(error) => return Err(error),
            }
            let agreed = tls.process_new_packets();
            // What it says of a refusal goes out as well.
            while tls.wants_write() {
                tls.write_tls(&mut stream)?;
            }
            agreed.map_err(io::Error::other)?;
        }
        Ok(Stream::Tls(Box::new(StreamOwned::new(tls, stream))))
    }

    fn socket(&self) -> &TcpStream {
        match self {
            Stream::Plain(stream) => stream,
            Stream::Tls(tls) => &tls.sock,
        }
    }

    /// Says that no more comes.
    pub(super) fn finish(&mut self) -> io::Result<()> {
        if let Stream::Tls(tls) = self {
            tls.conn.send_close_notify();
        }
        self.flush()?;
        self.socket().shutdown(Shutdown::Write)
    }
}

impl Read for Stream {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        match self {
            Stream::Plain(stream) => stream.read(buffer),
            Stream::Tls(tls) => tls.read(buffer),
        }
    }
}

impl Write for Stream {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        match self {
            Stream::Plain(stream) => stream.write(bytes),
            Stream::Tls(tls) => tls.write(bytes),
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        match self {
            Stream::Plain(stream) => stream.flush(),
            Stream::Tls(tls) => tls.flush(),
        }
    }
}

/// A page that sends or reads.
pub(crate) struct Web {
    socket: WebSocket<Stream>,
    /// Bytes of messages that were not taken yet, a line feed after each message.
    heard: VecDeque<u8>,
    is_over: bool,
}

impl fmt::Debug for Web {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Web").field("is_over", &self.is_over).finish_non_exhaustive()
    }
}

impl Web {
    /// A stream on which both have agreed, with what came on it already.
    ///
    /// # Errors
    /// Those of the stream.
    pub(super) fn new(stream: Stream, came: Vec<u8>) -> io::Result<Web> {
        stream.socket().set_nonblocking(true)?;
        let config = WebSocketConfig::default()
            .max_message_size(Some(MAX_LINE_BYTES))
            .max_frame_size(Some(MAX_LINE_BYTES))
            .read_buffer_size(16 << 10)
            .write_buffer_size(0)
            .max_write_buffer_size(MAX_UNREAD);
        let socket = WebSocket::from_partially_read(stream, came, Role::Server, Some(config));
        Ok(Web { socket, heard: VecDeque::new(), is_over: false })
    }

    pub(crate) fn fd(&self) -> BorrowedFd<'_> {
        self.socket.get_ref().socket().as_fd()
    }

    /// Whether there is something to read, if only the end: what has come is looked at, and
    /// what was said before goes on its way.
    ///
    /// # Errors
    /// When the page does not keep to the protocol, or to the bounds.
    pub(crate) fn has_come(&mut self) -> io::Result<bool> {
        let _ = self.socket.flush();
        while !self.is_over && self.heard.is_empty() {
            match self.socket.read() {
                Ok(Message::Text(text)) => self.heard.extend(text.as_bytes()),
                Ok(Message::Binary(bytes)) => self.heard.extend(bytes),
                Ok(Message::Close(_)) => {
                    let _ = self.socket.flush();
                    self.is_over = true;
                }
                Ok(Message::Ping(_) | Message::Pong(_) | Message::Frame(_)) => continue,
                Err(Error::Io(error)) if is_waiting(&error) => return Ok(false),
                Err(Error::ConnectionClosed | Error::AlreadyClosed | Error::Io(_)) => {
                    self.is_over = true;
                }
                Err(error) => return Err(io::Error::other(error.to_string())),
            }
            if !self.is_over {
                self.heard.push_back(b'\n');
            }
        }
        Ok(true)
    }

    /// Reads what has come; nothing is the end.
    ///
    /// # Errors
    /// Those of [`Web::has_come`], and that nothing is there yet.
    pub(crate) fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if !self.has_come()? {
            return Err(io::ErrorKind::WouldBlock.into());
        }
        self.heard.read(buffer)
    }

    /// Sends whole lines as one message.
    ///
    /// # Errors
    /// When the page has not taken what was sent before, or has gone.
    pub(crate) fn write(&mut self, lines: &[u8]) -> io::Result<usize> {
        let faults = |error| match error {
            Error::Io(error) => error,
            other => io::Error::other(other.to_string()),
        };
        self.socket.flush().map_err(faults)?;
        let text = Utf8Bytes::try_from(lines.to_vec()).map_err(io::Error::other)?;
        match self.socket.write(Message::Text(text)) {
            // What did not fit waits with the socket.
            Ok(()) => {}
            Err(Error::Io(error)) if is_waiting(&error) => {}
            Err(error) => return Err(faults(error)),
        }
        let _ = self.socket.flush();
        Ok(lines.len())
    }

    /// Says no more and hears no more.
    pub(crate) fn close(&mut self) {
        let _ = self.socket.close(None);
        let _ = self.socket.flush();
        let _ = self.socket.get_ref().socket().shutdown(Shutdown::Write);
    }
}
