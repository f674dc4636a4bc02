//! The page: any browser as a device.
//!
//! A place of the kind `page` serves a handful of files, a way in (`/enter`), and two WebSockets to the page made
//! of them: `/send`, over which it is a sender like any other (each message holds lines of
//! the live format), and `/read`, over which it reads what comes of the session.
//!
//! Whoever may open them is in [`guard`]; how bytes become messages in [`socket`].

mod address;
mod files;
mod guard;
mod head;
mod keys;
mod socket;
mod tls;

pub use address::addresses;
pub(crate) use keys::Keys;
pub(crate) use socket::Web;
pub use tls::Certificate;

use crate::connection::Connection;
use guard::{Guard, Wanted};
use head::Head;
use socket::Stream;
use std::{
    io::{self, Write},
    net::TcpStream,
    sync::{Arc, Mutex},
    time::{Duration, Instant},
};

/// So long a browser may take to say what it wants, and to take a file.
const PATIENCE: Duration = Duration::from_secs(5);

/// Who stands at the door of a page.
#[derive(Debug)]
pub(crate) struct Porter {
    guard: Guard,
    certificate: Option<Certificate>,
}

/// What a browser came for, where it is more than a file.
#[derive(Debug)]
pub(crate) enum Caller {
    /// It sends.
    Sends(Connection),
    /// It reads.
    Reads(Connection),
}

impl Porter {
    pub(crate) fn new(keys: Arc<Mutex<Keys>>, certificate: Option<Certificate>) -> Self {
        Porter { guard: Guard::new(keys, certificate.is_some()), certificate }
    }

    /// Hears what a browser wants. A file is served here, and so is a refusal.
    ///
    /// # Errors
    /// When it does not keep to HTTP, or takes too long.
    pub(crate) fn receive(&self, stream: TcpStream) -> io::Result<Option<Caller>> {
        let late = Instant::now() + PATIENCE;
        stream.set_read_timeout(Some(Duration::from_millis(500)))?;
        stream.set_write_timeout(Some(PATIENCE))?;
        let mut stream = match &self.certificate {
            Some(certificate) => Stream::over_tls(certificate, stream, late)?,
            None => Stream::plain(stream),
        };
        let head = Head::read(&mut stream, late)?;
        match self.guard.wants(&head) {
            Ok(Wanted::File(file)) => stream.write_all(&file.response(&head.host))?,
            Ok(Wanted::Entering(own)) => stream.write_all(&files::key(own.as_str()))?,
            Ok(Wanted::Sending) => {
                return Ok(Some(Caller::Sends(Connection::Web(Box::new(head.upgrade(stream)?)))));
            }
            Ok(Wanted::Reading) => {
                return Ok(Some(Caller::Reads(Connection::Web(Box::new(head.upgrade(stream)?)))));
            }
            Err(refusal) => stream.write_all(&refusal.response())?,
        }
        stream.finish()?;
        Ok(None)
    }
}
