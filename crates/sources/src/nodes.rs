//! Device nodes: which of them are listened to, and how they are waited for.

use nix::{
    poll::{PollFd, PollFlags, PollTimeout, poll},
    sys::inotify::Inotify,
};
use std::{
    ffi::OsString,
    io,
    os::fd::{AsFd, BorrowedFd},
};

/// Which devices to listen to.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Wanted {
    /// All but keyboards and mice: a password that is typed in another window
    /// must not be recorded.
    NoKeysNorMice,
    /// Every one.
    All,
}

/// Why a device is not listened to without an express wish.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Private {
    /// What is typed into it could be read.
    Types,
    /// It moves the pointer of this machine.
    Mouse,
}

impl Private {
    pub(crate) const fn words(self) -> &'static str {
        match self {
            Private::Types => "what is typed on it could be read",
            Private::Mouse => "it moves the pointer",
        }
    }
}

/// Waits until the folder has news, or some of the nodes: which ones.
///
/// # Errors
/// When the kernel cannot be asked.
pub(crate) fn wait<'n>(
    folder: &Inotify,
    nodes: impl Iterator<Item = (&'n OsString, BorrowedFd<'n>)>,
    wait_ms: u16,
) -> io::Result<Vec<OsString>> {
    let (names, nodes): (Vec<_>, Vec<_>) = nodes.unzip();
    let all = std::iter::once(folder.as_fd()).chain(nodes);
    let mut fds: Vec<PollFd> = all.map(|fd| PollFd::new(fd, PollFlags::POLLIN)).collect();
    match poll(&mut fds, PollTimeout::from(wait_ms)) {
        Ok(_) | Err(nix::errno::Errno::EINTR) => {}
        Err(errno) => return Err(errno.into()),
    }
    let is_ready = |fd: &PollFd| fd.revents().is_some_and(|events| !events.is_empty());
    let ready = names.into_iter().zip(&fds[1..]).filter(|(_, fd)| is_ready(fd));
    Ok(ready.map(|(name, _)| name.clone()).collect())
}
