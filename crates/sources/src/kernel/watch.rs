//! The thread that waits for the folder and its nodes.

use super::node::{Look, Node};
use crate::listener::{Change, Heard, NodeId, monotonic_now};
use crate::nodes::{self, Private, Wanted};
use gtrig_core::{Nanos, Presence};
use nix::sys::inotify::{AddWatchFlags, InitFlags, Inotify};
use std::{
    collections::BTreeMap,
    ffi::OsString,
    fs, io,
    path::{Path, PathBuf},
    sync::{Weak, mpsc::Sender},
};

/// How long the thread waits before it looks whether anybody still listens.
const WAIT_MS: u16 = 500;

/// For so long it waits to see whether a device goes that lets all its keys go: a
/// kernel takes it away within a fraction of that, but a slow machine may be slow.
const HOLD_BACK: Nanos = Nanos::from_millis(80);

/// After so long without a word a node is looked at, and then again.
const LOOK: Nanos = Nanos::from_millis(1000);

/// A node that may not be read for so long will not become readable by itself.
const PATIENCE: Nanos = Nanos::from_millis(2000);

pub(super) struct Watch {
    folder: PathBuf,
    wanted: Wanted,
    inotify: Inotify,
    /// Whether the folder that is there is the one that is watched.
    is_watched: bool,
    nodes: BTreeMap<OsString, Open>,
    /// Nodes that may not be read, and since when; `None` once that was said.
    refused: BTreeMap<OsString, Option<Nanos>>,
    /// Devices that are not listened to, each with why until that was said.
    left_alone: BTreeMap<String, Option<Private>>,
    next_id: u64,
    to: Sender<Heard>,
}

struct Open {
    id: NodeId,
    node: Node,
    /// When it last said something, or was looked at.
    heard: Nanos,
}

impl Watch {
    pub(super) fn new(folder: &Path, wanted: Wanted, to: Sender<Heard>) -> io::Result<Self> {
        let inotify = Inotify::init(InitFlags::IN_NONBLOCK | InitFlags::IN_CLOEXEC)?;
        let mut watch = Watch {
            folder: folder.to_owned(),
            wanted,
            inotify,
            is_watched: false,
            nodes: BTreeMap::new(),
            refused: BTreeMap::new(),
            left_alone: BTreeMap::new(),
            next_id: 0,
            to,
        };
        watch.watch_folder().map_err(|why| {
            let folder = folder.display();
            let words = match why.kind() {
                io::ErrorKind::NotFound => format!(
                    "there is no {folder}. Is there a kernel with input devices here? Containers often hide them"
                ),
                io::ErrorKind::PermissionDenied => format!(
                    "{folder} may not be read: ask whoever runs this machine, or look at its permissions with `ls -ld {folder}`"
                ),
                _ => format!("cannot watch {folder} for input devices: {why}"),
            };
            io::Error::new(why.kind(), words)
        })?;
        Ok(watch)
    }

    fn watch_folder(&mut self) -> io::Result<()> {
        let about = AddWatchFlags::IN_CREATE
            | AddWatchFlags::IN_ATTRIB
            | AddWatchFlags::IN_MOVED_TO
            | AddWatchFlags::IN_DELETE_SELF
            | AddWatchFlags::IN_MOVE_SELF
            | AddWatchFlags::IN_ONLYDIR;
        self.inotify.add_watch(&self.folder, about)?;
        self.is_watched = true;
        Ok(())
    }

    /// Runs for as long as somebody listens.
    pub(super) fn run(mut self, while_alive: &Weak<()>) {
        self.look_around();
        let refused = self.refused.len();
        if refused > 0 {
            self.refused.values_mut().for_each(|since| *since = None);
            self.say(Heard::Trouble(format!(
                "{refused} of the devices in {} may not be read: add yourself to their group (usually `input`) and log in again",
                self.folder.display()
            )));
        }
        self.tell_left_alone();
        while while_alive.strong_count() > 0 {
            if self.wait().is_err() {
                return;
            }
        }
    }

    /// Says which devices are not listened to, of each once.
    fn tell_left_alone(&mut self) {
        let new = self.left_alone.iter_mut();
        let new = new.filter_map(|(name, why)| Some((name, why.take()?)));
        let names: Vec<String> =
            new.map(|(name, why)| format!("{name} ({})", why.words())).collect();
        if names.is_empty() {
            return;
        }
        self.say(Heard::Trouble(format!(
            "left alone: {}; `--kernel all` listens to them too",
            names.join(", ")
        )));
    }

    /// Opens what is in the folder.
    fn look_around(&mut self) {
        for entry in fs::read_dir(&self.folder).into_iter().flatten().flatten() {
            self.try_open(&entry.file_name());
        }
    }

    fn say(&self, heard: Heard) {
        // Without a listener the thread is about to end.
        let _ = self.to.send(heard);
    }

    fn say_changes(&self, id: NodeId, changes: Vec<Change>) {
        changes.into_iter().for_each(|change| self.say(Heard::Changed(id, change)));
    }

    /// Waits once, and handles what came.
    fn wait(&mut self) -> io::Result<()> {
        let holds_back = self.nodes.values().any(|open| open.node.holds_back());
        let wait_ms = if holds_back { HOLD_BACK.as_millis() as u16 } else { WAIT_MS };
        let nodes = self.nodes.iter().map(|(name, open)| (name, open.node.fd()));
        let ready = nodes::wait(&self.inotify, nodes, wait_ms)?;
        for name in &ready {
            self.with(name, Open::read);
        }
        let now = monotonic_now()?;
        let silent = |(name, open): (&OsString, &Open)| {
            let wait = if open.node.holds_back() { HOLD_BACK } else { LOOK };
            let is_due = now.0 >= open.heard.0 + wait.0;
            (is_due && !ready.contains(name)).then(|| name.clone())
        };
        let silent: Vec<OsString> = self.nodes.iter().filter_map(silent).collect();
        for name in &silent {
            self.with(name, Open::look);
        }
        self.arrivals();
        self.tell_left_alone();
        self.complain(now);
        Ok(())
    }

    /// Does something with a node, and says what came of it.
    fn with(&mut self, name: &OsString, act: impl Fn(&mut Open) -> io::Result<Vec<Heard>>) {
        let Some(open) = self.nodes.get_mut(name) else { return };
        match act(open) {
            Ok(heard) => heard.into_iter().for_each(|heard| self.say(heard)),
            Err(_) => self.close(name),
        }
    }

    fn close(&mut self, name: &OsString) {
        if let Some(Open { id, .. }) = self.nodes.remove(name) {
            self.say(Heard::Gone(id, monotonic_now().unwrap_or_default()));
        }
    }

    fn arrivals(&mut self) {
        let left = AddWatchFlags::IN_DELETE_SELF
            | AddWatchFlags::IN_MOVE_SELF
            | AddWatchFlags::IN_UNMOUNT
            | AddWatchFlags::IN_IGNORED;
        for event in self.inotify.read_events().unwrap_or_default() {
            if event.mask.intersects(left) {
                self.lose_folder();
                continue;
            }
            let Some(name) = event.name else { continue };
            if event.mask.contains(AddWatchFlags::IN_CREATE) {
                // The number is taken again: whatever had it is gone.
                self.close(&name);
            }
            // A refusal may only be early: permissions follow, and are
            // announced as a change of attributes.
            self.try_open(&name);
        }
        if !self.is_watched && self.watch_folder().is_ok() {
            self.say(Heard::Trouble(format!("{} is there again", self.folder.display())));
            self.look_around();
        }
    }

    fn lose_folder(&mut self) {
        if std::mem::take(&mut self.is_watched) {
            self.say(Heard::Trouble(format!(
                "{} went away, or another one took its place: new devices are seen once it is there again",
                self.folder.display()
            )));
        }
    }

    fn try_open(&mut self, name: &OsString) {
        let is_node = name.to_str().is_some_and(|name| name.starts_with("event"));
        if !is_node || self.nodes.contains_key(name) {
            return;
        }
        match self.open(name) {
            Err(error) if error.kind() == io::ErrorKind::PermissionDenied => {
                let now = monotonic_now().unwrap_or_default();
                self.refused.entry(name.clone()).or_insert(Some(now));
            }
            // What vanishes while it is opened never was there.
            Ok(()) | Err(_) => {
                self.refused.remove(name);
            }
        }
    }

    /// Opens a node, and says so once its state is known: its first line in a take is
    /// that it is there.
    fn open(&mut self, name: &OsString) -> io::Result<()> {
        let Some(mut node) = Node::open(&self.folder.join(name))? else { return Ok(()) };
        if self.wanted == Wanted::NoKeysNorMice
            && let Some(why) = node.is_private()
        {
            self.left_alone.entry(node.info().name.to_string()).or_insert(Some(why));
            return Ok(());
        }
        let mut changes = Vec::new();
        let at = node.begin(&mut changes)?;
        let id = NodeId(self.next_id);
        self.next_id += 1;
        self.say(Heard::Arrived(id, Box::new(node.info().clone()), at));
        self.say_changes(id, changes);
        self.nodes.insert(name.clone(), Open { id, node, heard: at });
        Ok(())
    }

    /// Says of nodes that came and stay unreadable.
    fn complain(&mut self, now: Nanos) {
        let mut troubles = Vec::new();
        for (name, since) in &mut self.refused {
            if since.is_some_and(|since| now.0 >= since.0 + PATIENCE.0) {
                *since = None;
                let path = self.folder.join(name);
                if !path.exists() {
                    continue;
                }
                troubles.push(format!(
                    "{} may not be read: add yourself to its group (usually `input`) and log in again",
                    path.display()
                ));
            }
        }
        troubles.into_iter().for_each(|text| self.say(Heard::Trouble(text)));
    }
}

impl Open {
    /// Reads what is there.
    ///
    /// # Errors
    /// When the device is gone.
    fn read(&mut self) -> io::Result<Vec<Heard>> {
        self.heard = monotonic_now()?;
        let mut changes = Vec::new();
        let mut heard = Vec::new();
        if self.node.is_grabbed() {
            let at = self.node.begin_again(&mut changes)?;
            heard.push(Heard::Presence(self.id, Presence::Here, at));
        } else {
            // What came before it went was still said by a hand.
            let result = self.node.read(&mut changes);
            if result.is_err() && changes.is_empty() {
                result?;
            }
        }
        heard.extend(changes.into_iter().map(|change| Heard::Changed(self.id, change)));
        if self.node.takes_more_contacts() {
            heard.push(Heard::Trouble(format!(
                "{}: more fingers at once than can be followed; those beyond are missing",
                self.node.info().name
            )));
        }
        Ok(heard)
    }

    /// Looks after a node that says nothing.
    ///
    /// # Errors
    /// When the device is gone.
    fn look(&mut self) -> io::Result<Vec<Heard>> {
        let mut changes = Vec::new();
        if self.node.holds_back() {
            self.node.let_go(&mut changes)?;
            return Ok(changes.into_iter().map(|c| Heard::Changed(self.id, c)).collect());
        }
        self.heard = monotonic_now()?;
        if self.node.is_grabbed() {
            return Ok(Vec::new());
        }
        let look = self.node.look(&mut changes)?;
        let mut heard: Vec<Heard> =
            changes.into_iter().map(|change| Heard::Changed(self.id, change)).collect();
        if look == Look::Grabbed {
            heard.push(Heard::Presence(self.id, Presence::Deaf, self.heard));
            heard.push(Heard::Trouble(format!(
                "{}: another program keeps its events to itself (it grabbed the device); nothing of it is heard until that lets go",
                self.node.info().name
            )));
        }
        Ok(heard)
    }
}
