//! Device nodes: a thread reads them and says what it found, and a [`Listener`] puts
//! that into the session.

use crate::Source;
use gtrig_analysis::Session;
use gtrig_core::{
    ControlId, ControlKind, DeviceId, DeviceInfo, DeviceMap, Event, MappedDevice, Marks, Nanos,
    Presence,
};
use nix::{
    poll::{PollFd, PollFlags, PollTimeout, poll},
    sys::inotify::Inotify,
    time::{ClockId, clock_gettime},
};
use std::{
    collections::HashMap,
    ffi::OsString,
    io,
    os::fd::{AsFd, BorrowedFd},
    sync::{
        Arc, Weak,
        mpsc::{Receiver, Sender, channel},
    },
    thread,
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

/// The number of an opened node; never used twice.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) struct NodeId(pub(crate) u64);

/// What the thread says. Times are those of the kernel's monotonic clock.
#[derive(Debug)]
pub(crate) enum Heard {
    Arrived(NodeId, DeviceInfo, Nanos),
    Changed(NodeId, Change),
    /// It is heard or not, though it is there.
    Presence(NodeId, Presence, Nanos),
    Gone(NodeId, Nanos),
    Trouble(String),
}

/// A control of a node took a value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Change {
    /// Its place among the controls of the device.
    pub(crate) control: u16,
    pub(crate) value: i32,
    pub(crate) marks: Marks,
    pub(crate) time: Nanos,
}

/// A device as the session knows it.
#[derive(Debug)]
struct Known {
    device: DeviceId,
    /// As it was found, and what each of its controls said last.
    found: DeviceInfo,
    said: Vec<i32>,
    /// As its map has it.
    mapped: MappedDevice,
    controls: Vec<ControlId>,
}

/// Hears a thread, and sees each device through the best of some maps.
#[derive(Debug)]
pub(crate) struct Listener {
    heard: Receiver<Heard>,
    devices: HashMap<NodeId, Known>,
    maps: Vec<DeviceMap>,
    troubles: Vec<String>,
    /// The monotonic clock at instant 0 of the session.
    zero: Nanos,
    /// While it lives, the thread goes on.
    _alive: Arc<()>,
}

/// The kernel's monotonic clock.
pub(crate) fn monotonic_now() -> io::Result<Nanos> {
    let time = clock_gettime(ClockId::CLOCK_MONOTONIC)?;
    Ok(Nanos(time.tv_sec() as u64 * 1_000_000_000 + time.tv_nsec() as u64))
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

impl Listener {
    /// Hears what `sender` says; `zero` is the monotonic clock at instant 0 of the
    /// session. The thread goes on for as long as the second lives.
    pub(crate) fn new(maps: Vec<DeviceMap>, zero: Nanos) -> (Self, Sender<Heard>, Weak<()>) {
        let alive = Arc::new(());
        let while_alive = Arc::downgrade(&alive);
        let (sender, heard) = channel();
        let (devices, troubles) = (HashMap::new(), Vec::new());
        (Listener { heard, devices, maps, troubles, zero, _alive: alive }, sender, while_alive)
    }

    /// Starts a thread and hears it: `watch` makes what it runs. `now` is the instant of
    /// the session at which it is called.
    ///
    /// # Errors
    /// Those of the clock, and of `watch`.
    pub(crate) fn start<R: FnOnce(&Weak<()>) + Send + 'static>(
        maps: Vec<DeviceMap>,
        now: Nanos,
        watch: impl FnOnce(Sender<Heard>) -> io::Result<R>,
    ) -> io::Result<Self> {
        let zero = Nanos(monotonic_now()?.0.saturating_sub(now.0));
        let (listener, sender, while_alive) = Listener::new(maps, zero);
        let run = watch(sender)?;
        thread::spawn(move || run(&while_alive));
        Ok(listener)
    }

    fn at(&self, kernel: Nanos) -> Nanos {
        Nanos(kernel.0.saturating_sub(self.zero.0))
    }

    fn plug(&mut self, session: &mut Session, node: NodeId, info: DeviceInfo, time: Nanos) {
        let found = info.clone();
        let said = found.controls.iter().map(|control| control.kind.rest()).collect();
        let mapped = match DeviceMap::best(&self.maps, &info) {
            None => MappedDevice::plain(info),
            Some(map) => {
                let (mapped, faults) = map.apply(&info);
                let says = |fault| format!("the map of {}: {fault}", mapped.info.name);
                self.troubles.extend(faults.into_iter().map(says));
                mapped
            }
        };
        match session.plug(mapped.info.clone(), time) {
            Ok(device) => {
                let controls = session.roster().device(device).controls().collect();
                self.devices.insert(node, Known { device, found, said, mapped, controls });
            }
            Err(error) => self.troubles.push(error.to_string()),
        }
    }

    fn take_in(&mut self, session: &mut Session, heard: Heard) {
        match heard {
            Heard::Arrived(node, info, time) => self.plug(session, node, info, self.at(time)),
            Heard::Changed(node, Change { control, value, marks, time }) => {
                let time = self.at(time);
                let Some(known) = self.devices.get_mut(&node) else { return };
                if let Some(said) = known.said.get_mut(usize::from(control)) {
                    *said = value;
                }
                known.mapped.report(usize::from(control), value, |control, value| {
                    let control = known.controls[usize::from(control)];
                    session.report(Event { time, value, control, marks });
                });
            }
            Heard::Presence(node, presence, time) => {
                if let Some(known) = self.devices.get(&node) {
                    session.set_presence(known.device, presence, self.at(time));
                }
            }
            Heard::Gone(node, time) => {
                if let Some(known) = self.devices.remove(&node) {
                    session.unplug(known.device, self.at(time));
                }
            }
            Heard::Trouble(text) => self.troubles.push(text),
        }
    }
}

impl Source for Listener {
    fn drain(&mut self, session: &mut Session, _: Nanos) {
        while let Ok(heard) = self.heard.try_recv() {
            self.take_in(session, heard);
        }
    }

    fn use_map(&mut self, session: &mut Session, map: &DeviceMap, now: Nanos) {
        // It is the newest, and goes before others that ask for as much.
        self.maps.insert(0, map.clone());
        let of_map =
            self.devices.iter().filter(|(_, known)| map.device.fits(&known.found).is_some());
        let nodes: Vec<NodeId> = of_map.map(|(node, _)| *node).collect();
        for node in nodes {
            let Some(Known { device, found, said, .. }) = self.devices.remove(&node) else {
                continue;
            };
            session.unplug(device, now);
            self.plug(session, node, found.clone(), now);
            let Some(known) = self.devices.get_mut(&node) else { continue };
            let Known { mapped, controls, .. } = known;
            for ((at, value), info) in said.iter().copied().enumerate().zip(&found.controls) {
                if value == info.kind.rest() || info.kind == ControlKind::Relative {
                    continue;
                }
                mapped.report(at, value, |control, value| {
                    let control = controls[usize::from(control)];
                    session.report(Event { time: now, value, control, marks: Marks::CARRIED });
                });
            }
            known.said = said;
        }
    }

    fn troubles(&mut self) -> Vec<String> {
        std::mem::take(&mut self.troubles)
    }
}
