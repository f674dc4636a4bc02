//! The thread that waits for `/dev/hidraw*` and reads them.

use super::{decode::Decoder, layout::Layout, raw::RawNode};
use crate::listener::{Change, Heard, NodeId, monotonic_now};
use crate::nodes::{self, Private, Wanted};
use gtrig_core::{DeviceMap, Marks};
use nix::sys::inotify::{AddWatchFlags, InitFlags, Inotify};
use std::{
    collections::{BTreeMap, BTreeSet},
    ffi::OsString,
    fs, io,
    path::{Path, PathBuf},
    sync::{Weak, mpsc::Sender},
};

/// How long the thread waits before it looks whether anybody still listens.
const WAIT_MS: u16 = 500;

pub(super) struct Watch {
    folder: PathBuf,
    wanted: Wanted,
    maps: Vec<DeviceMap>,
    inotify: Inotify,
    nodes: BTreeMap<OsString, Open>,
    /// Those of which was said why they are not read.
    told: BTreeSet<OsString>,
    next_id: u64,
    to: Sender<Heard>,
}

struct Open {
    id: NodeId,
    node: RawNode,
    decoder: Decoder,
    /// Whether the person was told of a report of it that could not be read.
    is_told: bool,
}

impl Watch {
    pub(super) fn new(
        folder: &Path,
        wanted: Wanted,
        maps: Vec<DeviceMap>,
        to: Sender<Heard>,
    ) -> io::Result<Self> {
        let inotify = Inotify::init(InitFlags::IN_NONBLOCK | InitFlags::IN_CLOEXEC)?;
        let about = AddWatchFlags::IN_CREATE | AddWatchFlags::IN_ATTRIB | AddWatchFlags::IN_ONLYDIR;
        inotify.add_watch(folder, about).map_err(|why| {
            let words = format!("cannot watch {} for HID devices: {why}", folder.display());
            io::Error::new(io::Error::from(why).kind(), words)
        })?;
        let (folder, nodes, told) = (folder.to_owned(), BTreeMap::new(), BTreeSet::new());
        Ok(Watch { folder, wanted, maps, inotify, nodes, told, next_id: 0, to })
    }

    /// Runs for as long as somebody listens.
    pub(super) fn run(mut self, while_alive: &Weak<()>) {
        for entry in fs::read_dir(&self.folder).into_iter().flatten().flatten() {
            self.try_open(&entry.file_name(), true);
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
        let nodes = self.nodes.iter().map(|(name, open)| (name, open.node.fd()));
        let ready = nodes::wait(&self.inotify, nodes, WAIT_MS)?;
        for name in &ready {
            if let Some(open) = self.nodes.get_mut(name)
                && open.read(&self.to).is_err()
            {
                self.close(name);
            }
        }
        for event in self.inotify.read_events().unwrap_or_default() {
            let Some(name) = event.name else { continue };
            if event.mask.contains(AddWatchFlags::IN_CREATE) {
                // The number is taken again: whatever had it is gone.
                self.close(&name);
                self.told.remove(&name);
            }
            // Permissions may follow, and are announced as a change of attributes.
            self.try_open(&name, !event.mask.contains(AddWatchFlags::IN_CREATE));
        }
        Ok(())
    }

    fn close(&mut self, name: &OsString) {
        if let Some(Open { id, .. }) = self.nodes.remove(name) {
            self.say(Heard::Gone(id, monotonic_now().unwrap_or_default()));
        }
    }

    /// Opens a node, or says why not, once; `is_settled` where its permissions are what
    /// they stay.
    fn try_open(&mut self, name: &OsString, is_settled: bool) {
        let is_node = name.to_str().is_some_and(|name| name.starts_with("hidraw"));
        if !is_node || self.nodes.contains_key(name) {
            return;
        }
        let path = self.folder.join(name);
        let why = match self.open(&path) {
            Ok(Ok(open)) => {
                self.nodes.insert(name.clone(), open);
                return;
            }
            Ok(Err(why)) => why,
            Err(error) if error.kind() == io::ErrorKind::PermissionDenied && is_settled => {
                "it may not be read; `gtrig devices --hid` says what to do".to_owned()
            }
            // What vanishes while it is opened never was there.
            Err(_) => return,
        };
        if self.told.insert(name.clone()) {
            self.say(Heard::Trouble(format!("{}: {why}", path.display())));
        }
    }

    /// Opens a node and says that it is there; or why it is left alone.
    fn open(&mut self, path: &Path) -> io::Result<Result<Open, String>> {
        let node = RawNode::open(path)?;
        let name = node.identity.name.clone();
        let descriptor = match node.descriptor() {
            Ok(descriptor) => descriptor,
            Err(fault) => return Ok(Err(format!("{name} cannot be read: {fault}"))),
        };
        if self.wanted == Wanted::NoKeysNorMice && Layout::is_private(&descriptor) {
            let why = Private::Types.words();
            return Ok(Err(format!(
                "{name} is left alone: {why}, or it moves the pointer; `--kernel all` listens to it too"
            )));
        }
        let layout = Layout::new(&node.identity, &descriptor, &self.maps);
        if layout.info.controls.is_empty() {
            return Ok(Err(format!("{name} has nothing to report")));
        }
        for left_out in &layout.left_out {
            self.say(Heard::Trouble(format!("{name}: left out: {left_out}")));
        }
        let id = NodeId(self.next_id);
        self.next_id += 1;
        self.say(Heard::Arrived(id, Box::new(layout.info.clone()), monotonic_now()?));
        Ok(Ok(Open { id, node, decoder: Decoder::new(layout), is_told: false }))
    }
}

impl Open {
    /// Reads what is there. A report has the time at which it is read: nobody stamped
    /// it before.
    ///
    /// # Errors
    /// When the device is gone.
    fn read(&mut self, to: &Sender<Heard>) -> io::Result<()> {
        while let Some(bytes) = self.node.read()? {
            let (id, time) = (self.id, monotonic_now()?);
            // Without a listener the thread is about to end.
            let say = |change| drop(to.send(Heard::Changed(id, change)));
            let mut last = None;
            let told = self.decoder.report(bytes, |control, value| {
                let (marks, is_last) = (Marks::empty(), false);
                let change = Change { control, value, marks, time, is_last };
                last.replace(change).into_iter().for_each(say);
            });
            last.map(|last| Change { is_last: true, ..last }).into_iter().for_each(say);
            if let Err(fault) = told
                && !std::mem::replace(&mut self.is_told, true)
            {
                let name = &self.decoder.layout().info.name;
                let _ = to.send(Heard::Trouble(format!("{name}: left out: {fault}")));
            }
        }
        Ok(())
    }
}
