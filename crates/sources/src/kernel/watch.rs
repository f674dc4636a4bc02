//! The thread that waits for the folder and its nodes.

use super::{Heard, NodeId, Wanted, ioctl, node::Node};
use gtrig_core::DeviceKind;
use nix::{
    poll::{PollFd, PollFlags, PollTimeout, poll},
    sys::inotify::{AddWatchFlags, InitFlags, Inotify},
};
use std::{
    collections::BTreeMap,
    ffi::OsString,
    fs, io,
    os::fd::AsFd,
    path::{Path, PathBuf},
    sync::{Weak, mpsc::Sender},
};

/// How long the thread waits before it looks whether anybody still listens.
const WAIT_MS: u16 = 500;

pub(super) struct Watch {
    folder: PathBuf,
    wanted: Wanted,
    inotify: Inotify,
    nodes: BTreeMap<OsString, (NodeId, Node)>,
    next_id: u64,
    to: Sender<Heard>,
}

impl Watch {
    pub(super) fn new(folder: &Path, wanted: Wanted, to: Sender<Heard>) -> io::Result<Self> {
        let inotify = Inotify::init(InitFlags::IN_NONBLOCK | InitFlags::IN_CLOEXEC)?;
        let about =
            AddWatchFlags::IN_CREATE | AddWatchFlags::IN_ATTRIB | AddWatchFlags::IN_MOVED_TO;
        inotify.add_watch(folder, about).map_err(|errno| {
            let why = io::Error::from(errno);
            io::Error::new(why.kind(), format!(
                "cannot watch {} for input devices: {why}. Is there a kernel with input devices here? Containers often hide them",
                folder.display()
            ))
        })?;
        let folder = folder.to_owned();
        Ok(Watch { folder, wanted, inotify, nodes: BTreeMap::new(), next_id: 0, to })
    }

    /// Runs for as long as somebody listens.
    pub(super) fn run(mut self, while_alive: &Weak<()>) {
        let mut refused = 0;
        for entry in fs::read_dir(&self.folder).into_iter().flatten().flatten() {
            let result = self.try_open(&entry.file_name());
            refused += usize::from(is_refusal(&result));
        }
        if refused > 0 {
            self.say(Heard::Trouble(format!(
                "{refused} of the devices in {} may not be read: add yourself to their group (usually `input`) and log in again",
                self.folder.display()
            )));
        }
        while while_alive.strong_count() > 0 {
            if self.wait().is_err() {
                return;
            }
        }
    }

    fn say(&self, heard: Heard) {
        // Without a listener the thread is about to end.
        let _ = self.to.send(heard);
    }

    /// Waits once, and handles what came.
    fn wait(&mut self) -> io::Result<()> {
        let ready: Vec<OsString> = {
            let mut fds = vec![PollFd::new(self.inotify.as_fd(), PollFlags::POLLIN)];
            fds.extend(self.nodes.values().map(|(_, n)| PollFd::new(n.fd(), PollFlags::POLLIN)));
            match poll(&mut fds, PollTimeout::from(WAIT_MS)) {
                Ok(_) | Err(nix::errno::Errno::EINTR) => {}
                Err(errno) => return Err(errno.into()),
            }
            let is_ready = |fd: &PollFd| fd.revents().is_some_and(|r| !r.is_empty());
            let nodes = self.nodes.keys().zip(&fds[1..]);
            nodes.filter(|(_, fd)| is_ready(fd)).map(|(name, _)| name.clone()).collect()
        };
        for name in ready {
            self.read(&name);
        }
        self.arrivals();
        Ok(())
    }

    fn read(&mut self, name: &OsString) {
        let Some((id, node)) = self.nodes.get_mut(name) else { return };
        let id = *id;
        let mut changes = Vec::new();
        let result = node.read(&mut changes);
        for change in changes {
            self.say(Heard::Changed(id, change));
        }
        if result.is_err() {
            self.close(name);
        }
    }

    fn close(&mut self, name: &OsString) {
        if let Some((id, _)) = self.nodes.remove(name) {
            self.say(Heard::Gone(id, ioctl::monotonic_now().unwrap_or_default()));
        }
    }

    fn arrivals(&mut self) {
        for event in self.inotify.read_events().unwrap_or_default() {
            let Some(name) = event.name else { continue };
            if event.mask.contains(AddWatchFlags::IN_CREATE) {
                // The number is taken again: whatever had it is gone.
                self.close(&name);
            }
            // A refusal may only be early: permissions follow, and are
            // announced as a change of attributes.
            let _ = self.try_open(&name);
        }
    }

    fn try_open(&mut self, name: &OsString) -> io::Result<()> {
        let is_node = name.to_str().is_some_and(|name| name.starts_with("event"));
        if !is_node || self.nodes.contains_key(name) {
            return Ok(());
        }
        let Some(mut node) = Node::open(&self.folder.join(name))? else { return Ok(()) };
        let private = matches!(node.kind(), DeviceKind::Keys | DeviceKind::Mouse);
        if private && self.wanted == Wanted::NoKeysNorMice {
            return Ok(());
        }
        let id = NodeId(self.next_id);
        self.next_id += 1;
        self.say(Heard::Arrived(id, node.info().clone(), ioctl::monotonic_now()?));
        let mut changes = Vec::new();
        node.begin(&mut changes)?;
        for change in changes {
            self.say(Heard::Changed(id, change));
        }
        self.nodes.insert(name.clone(), (id, node));
        Ok(())
    }
}

fn is_refusal(result: &io::Result<()>) -> bool {
    matches!(result, Err(error) if error.kind() == io::ErrorKind::PermissionDenied)
}
