//! The two ends of a line to another program, of whichever kind it is.

use crate::{place::Place, web::Web};
use nix::{
    errno::Errno,
    fcntl::{FcntlArg, OFlag, fcntl},
    poll::{PollFd, PollFlags, PollTimeout, poll},
    sys::{
        socket::{
            AddressFamily, Backlog, MsgFlags, SockFlag, SockType, UnixAddr, bind, listen, send,
            socket,
        },
        stat::{Mode, fchmod},
    },
};
use std::{
    fs::{self, File},
    io::{self, Read, Write},
    net::{Shutdown, TcpListener, TcpStream},
    os::{
        fd::{AsFd, AsRawFd, BorrowedFd},
        unix::{
            fs::{FileTypeExt, OpenOptionsExt},
            net::{UnixListener, UnixStream},
        },
    },
    path::{Path, PathBuf},
    time::Duration,
};

/// A program that reads or sends.
#[derive(Debug)]
pub(crate) enum Connection {
    Stdin(io::Stdin),
    Pipe(File),
    Unix(UnixStream),
    Tcp(TcpStream),
    /// A page in a browser.
    Web(Box<Web>),
}

impl Connection {
    /// Waits for bytes for so long.
    pub(crate) fn is_ready(&mut self, wait: Duration) -> io::Result<bool> {
        if let Connection::Web(web) = self {
            // A message may have come with the one before.
            return Ok(web.has_come()? || is_ready(web.fd(), wait)? && web.has_come()?);
        }
        is_ready(self.fd(), wait)
    }

    fn fd(&self) -> BorrowedFd<'_> {
        match self {
            Connection::Stdin(stdin) => stdin.as_fd(),
            Connection::Pipe(file) => file.as_fd(),
            Connection::Unix(stream) => stream.as_fd(),
            Connection::Tcp(stream) => stream.as_fd(),
            Connection::Web(web) => web.fd(),
        }
    }

    /// Reads what is there; nothing is the end.
    pub(crate) fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = match self {
            Connection::Stdin(stdin) => {
                nix::unistd::read(stdin.as_raw_fd(), buffer).map_err(Into::into)
            }
            Connection::Pipe(file) => file.read(buffer),
            Connection::Unix(stream) => stream.read(buffer),
            Connection::Tcp(stream) => stream.read(buffer),
            Connection::Web(web) => web.read(buffer),
        };
        match read {
            Err(error) if error.kind() == io::ErrorKind::ConnectionReset => Ok(0),
            read => read,
        }
    }

    /// Says something, if there is room for it without waiting. Pipes have no way back.
    pub(crate) fn say(&mut self, line: &str) {
        let bytes = format!("{line}\n");
        let socket = match self {
            Connection::Stdin(_) | Connection::Pipe(_) => return,
            Connection::Unix(stream) => stream.as_raw_fd(),
            Connection::Tcp(stream) => stream.as_raw_fd(),
            Connection::Web(web) => {
                let _ = web.write(line.as_bytes());
                return;
            }
        };
        // One that does not read is not waited for.
        let _ = send(socket, bytes.as_bytes(), MsgFlags::MSG_DONTWAIT | MsgFlags::MSG_NOSIGNAL);
    }

    /// Reading and writing no longer wait.
    pub(crate) fn set_nonblocking(&self) -> io::Result<()> {
        match self {
            Connection::Stdin(_) | Connection::Pipe(_) | Connection::Web(_) => Ok(()),
            Connection::Unix(stream) => stream.set_nonblocking(true),
            Connection::Tcp(stream) => stream.set_nonblocking(true),
        }
    }

    /// Writes what fits.
    pub(crate) fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        match self {
            Connection::Stdin(_) | Connection::Pipe(_) => Ok(0),
            Connection::Unix(stream) => stream.write(bytes),
            Connection::Tcp(stream) => stream.write(bytes),
            Connection::Web(web) => web.write(bytes),
        }
    }

    /// Whether anything can be said to it.
    pub(crate) fn has_way_back(&self) -> bool {
        !matches!(self, Connection::Stdin(_) | Connection::Pipe(_))
    }

    /// Says no more and hears no more.
    pub(crate) fn close(&mut self) {
        let _ = match self {
            Connection::Stdin(_) | Connection::Pipe(_) => Ok(()),
            Connection::Unix(stream) => stream.shutdown(Shutdown::Both),
            Connection::Tcp(stream) => stream.shutdown(Shutdown::Both),
            Connection::Web(web) => {
                web.close();
                Ok(())
            }
        };
    }
}

fn is_ready(fd: BorrowedFd<'_>, wait: Duration) -> io::Result<bool> {
    let mut fds = [PollFd::new(fd, PollFlags::POLLIN)];
    let wait = PollTimeout::try_from(wait).unwrap_or(PollTimeout::MAX);
    match poll(&mut fds, wait) {
        Ok(ready) => Ok(ready > 0),
        Err(Errno::EINTR) => Ok(false),
        Err(errno) => Err(errno.into()),
    }
}

/// Where programs connect.
#[derive(Debug)]
pub(crate) enum Door {
    Unix(UnixListener),
    Tcp(TcpListener),
}

impl Door {
    /// # Errors
    /// When nobody can connect there, with what to do.
    pub(crate) fn open(place: &Place) -> io::Result<Option<Door>> {
        Ok(match place {
            Place::Stdin | Place::Pipe(_) | Place::Page { .. } => None,
            Place::Osc(_) | Place::Tuio(_) => None,
            Place::Unix(path) => Some(Door::Unix(unix_listener(path)?)),
            Place::Tcp(address) => Some(Door::Tcp(TcpListener::bind(address)?)),
        })
    }

    /// Waits for the next program for so long.
    pub(crate) fn next(&self, wait: Duration) -> io::Result<Option<Connection>> {
        let fd = match self {
            Door::Unix(listener) => listener.as_fd(),
            Door::Tcp(listener) => listener.as_fd(),
        };
        if !is_ready(fd, wait)? {
            return Ok(None);
        }
        Ok(Some(match self {
            Door::Unix(listener) => Connection::Unix(listener.accept()?.0),
            Door::Tcp(listener) => {
                let stream = listener.accept()?.0;
                // Lines are short and none of them can wait.
                stream.set_nodelay(true)?;
                Connection::Tcp(stream)
            }
        }))
    }

    /// The port, where it was left to the system to choose one.
    pub(crate) fn place(&self, asked: &Place) -> Place {
        match self {
            Door::Tcp(listener) => listener.local_addr().map_or_else(|_| asked.clone(), Place::Tcp),
            Door::Unix(_) => asked.clone(),
        }
    }
}

/// A socket that only programs of this user can connect to. One that a program left
/// behind when it was killed is taken away.
fn unix_listener(path: &Path) -> io::Result<UnixListener> {
    let is_socket = fs::symlink_metadata(path).is_ok_and(|meta| meta.file_type().is_socket());
    if is_socket && UnixStream::connect(path).is_err() {
        fs::remove_file(path)?;
    }
    let socket = socket(AddressFamily::Unix, SockType::Stream, SockFlag::SOCK_CLOEXEC, None)?;
    // Before it has a name: nobody can connect in between.
    fchmod(socket.as_raw_fd(), Mode::S_IRUSR | Mode::S_IWUSR)?;
    bind(socket.as_raw_fd(), &UnixAddr::new(path)?)?;
    fs::set_permissions(path, std::os::unix::fs::PermissionsExt::from_mode(0o600))?;
    listen(&socket, Backlog::new(64)?)?;
    Ok(UnixListener::from(socket))
}

/// A named pipe, into which one program after the other writes.
///
/// It is open for reading at all times: who writes between two programs finds a reader, and what it
/// says waits to be heard.
#[derive(Debug)]
pub(crate) struct Pipe {
    path: PathBuf,
    end: File,
    /// Whether a program was heard at this end: it would say for ever that that one has gone.
    was_heard: bool,
}

impl Pipe {
    /// # Errors
    /// When there is none.
    pub(crate) fn open(path: &Path) -> io::Result<Self> {
        let end = reading_end(path)?;
        Ok(Pipe { path: path.to_owned(), end, was_heard: false })
    }

    /// Waits so long for the next program to say something.
    ///
    /// # Errors
    /// When the pipe is there no more.
    pub(crate) fn next(&mut self, wait: Duration) -> io::Result<Option<Connection>> {
        if self.was_heard {
            // The one before is closed when this one is open.
            self.end = reading_end(&self.path)?;
            self.was_heard = false;
        }
        if !is_ready(self.end.as_fd(), wait)? {
            return Ok(None);
        }
        self.was_heard = true;
        Ok(Some(Connection::Pipe(self.end.try_clone()?)))
    }
}

/// Opens a named pipe without waiting for who writes.
fn reading_end(path: &Path) -> io::Result<File> {
    let meta = fs::metadata(path).map_err(|error| match error.kind() {
        io::ErrorKind::NotFound => {
            io::Error::new(error.kind(), "there is no such pipe; mkfifo makes one")
        }
        _ => error,
    })?;
    if !meta.file_type().is_fifo() {
        return Err(io::Error::other(match meta.is_file() {
            true => "it is a file; gtrig open --follow reads one that grows",
            false => "it is no named pipe",
        }));
    }
    let end = File::options().read(true).custom_flags(OFlag::O_NONBLOCK.bits()).open(path)?;
    // Only the opening does not wait.
    fcntl(end.as_raw_fd(), FcntlArg::F_SETFL(OFlag::empty()))?;
    Ok(end)
}
