//! Devices of which a thread tells: a [`Listener`] puts what it tells into the session.

use crate::Source;
use gtrig_analysis::{
    Label, Session,
    frames::{Frame, Given, Read},
};
use gtrig_core::{
    CleanText, ControlId, ControlKind, Device, DeviceId, DeviceInfo, DeviceMap, Event,
    MappedDevice, Marks, Nanos, Presence,
};
use nix::time::{ClockId, clock_gettime};
use std::{
    collections::HashMap,
    io,
    sync::{
        Arc, Weak,
        mpsc::{Receiver, Sender, channel},
    },
    thread,
};

/// The number by which a thread tells of a device; never used twice.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct NodeId(pub u64);

/// What the thread says, small, for many wait in queues. Times are those of the kernel's monotonic clock.
#[derive(Debug)]
pub enum Heard {
    /// A device is there.
    Arrived(NodeId, Box<DeviceInfo>, Nanos),
    /// One of its controls took a value.
    Changed(NodeId, Change),
    /// It is heard or not, though it is there.
    Presence(NodeId, Presence, Nanos),
    /// It is not there any more.
    Gone(NodeId, Nanos),
    /// What a person wrote about that instant.
    Labelled(CleanText, Nanos),
    /// What a game said of a frame.
    Frame(Box<FrameHeard>),
    /// What went wrong, in words for a person.
    Trouble(String),
}

/// What a game said of a frame; see [`Frame`].
#[derive(Clone, Debug, PartialEq)]
pub struct FrameHeard {
    /// The game.
    pub game: CleanText,
    /// The number of the frame.
    pub number: u64,
    /// When its values were worked out.
    pub acted: Nanos,
    /// When it polled first and last.
    pub polled: [Nanos; 2],
    /// How many fixed steps it ran.
    pub steps: Option<u16>,
    /// What it read.
    pub reads: Vec<ReadHeard>,
    /// Its values by their names.
    pub gives: Vec<(CleanText, f64)>,
}

/// What a frame read of a control.
#[derive(Clone, Debug, PartialEq)]
pub struct ReadHeard {
    /// The control.
    pub of: ReadOf,
    /// At the first and at the last poll.
    pub values: [i32; 2],
}

/// Of what a game read.
#[derive(Clone, Debug, PartialEq)]
pub enum ReadOf {
    /// A control of a device of its own, by its place.
    Node(NodeId, u16),
    /// A control of a device that another source hears, such as `pad1` and `south`.
    Address(String, String),
}

/// A control of a node took a value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Change {
    /// Its place among the controls of the device.
    pub control: u16,
    /// As the device reports it.
    pub value: i32,
    /// What is special about it.
    pub marks: Marks,
    /// When it did.
    pub time: Nanos,
    /// Whether it is the last that its report says.
    pub is_last: bool,
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
pub struct Listener {
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
///
/// # Errors
/// When the system has none.
pub fn monotonic_now() -> io::Result<Nanos> {
    let time = clock_gettime(ClockId::CLOCK_MONOTONIC)?;
    Ok(Nanos(time.tv_sec() as u64 * 1_000_000_000 + time.tv_nsec() as u64))
}

impl Heard {
    /// When what is said happened; `None` of what has no time.
    pub fn time(&self) -> Option<Nanos> {
        match self {
            Heard::Arrived(_, _, time)
            | Heard::Presence(_, _, time)
            | Heard::Gone(_, time)
            | Heard::Labelled(_, time) => Some(*time),
            Heard::Changed(_, change) => Some(change.time),
            Heard::Frame(frame) => Some(frame.acted),
            Heard::Trouble(_) => None,
        }
    }
}

impl Listener {
    /// Hears what comes through `heard`; `zero` is the monotonic clock at instant 0 of the
    /// session. Whoever sends goes on for as long as the second lives.
    pub fn hearing(heard: Receiver<Heard>, maps: Vec<DeviceMap>, zero: Nanos) -> (Self, Weak<()>) {
        let alive = Arc::new(());
        let while_alive = Arc::downgrade(&alive);
        let (devices, troubles) = (HashMap::new(), Vec::new());
        (Listener { heard, devices, maps, troubles, zero, _alive: alive }, while_alive)
    }

    /// The same with what is sent through.
    pub(crate) fn new(maps: Vec<DeviceMap>, zero: Nanos) -> (Self, Sender<Heard>, Weak<()>) {
        let (sender, heard) = channel();
        let (listener, while_alive) = Listener::hearing(heard, maps, zero);
        (listener, sender, while_alive)
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
        // Many may come at once; what they are tied to is found when ticks run next.
        match session.plug_in_batch(mapped.info.clone(), time) {
            Ok(device) => {
                let controls = session.roster().device(device).controls().collect();
                self.devices.insert(node, Known { device, found, said, mapped, controls });
            }
            Err(error) => self.troubles.push(error.to_string()),
        }
    }

    /// What has come, to be [taken in](Listener::take_in).
    pub fn heard(&mut self) -> Option<Heard> {
        self.heard.try_recv().ok()
    }

    /// Puts what was said into the session.
    pub fn take_in(&mut self, session: &mut Session, heard: Heard) {
        match heard {
            Heard::Arrived(node, info, time) => self.plug(session, node, *info, self.at(time)),
            Heard::Changed(node, Change { control, value, marks, time, is_last }) => {
                let time = self.at(time);
                let Some(known) = self.devices.get_mut(&node) else { return };
                if let Some(said) = known.said.get_mut(usize::from(control)) {
                    *said = value;
                }
                let mut tell = |control, value| {
                    let control = known.controls[usize::from(control)];
                    session.report(Event { time, value, control, marks });
                };
                known.mapped.report(usize::from(control), value, &mut tell);
                if is_last {
                    known.mapped.settle(tell);
                }
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
            Heard::Labelled(text, time) => {
                session.add_label(Label { time: self.at(time), text });
            }
            Heard::Frame(frame) => self.frame(session, *frame),
            Heard::Trouble(text) => self.troubles.push(text),
        }
    }

    fn frame(&mut self, session: &mut Session, heard: FrameHeard) {
        let Some(game) = session.frames_mut().game(&heard.game) else { return };
        let reads = heard.reads.iter().filter_map(|read| {
            let control = self.control_of(session, &read.of)?;
            Some(Read { control, values: read.values })
        });
        let reads = reads.collect();
        let names = session.frames_mut();
        let gives = heard
            .gives
            .iter()
            .filter_map(|(name, value)| Some(Given { name: names.name(name)?, value: *value }));
        let mut gives: Vec<Given> = gives.collect();
        gives.sort_by_key(|given| given.name);
        gives.dedup_by_key(|given| given.name);
        let frame = Frame {
            game,
            number: heard.number,
            acted: self.at(heard.acted),
            polled: heard.polled.map(|at| self.at(at)),
            steps: heard.steps,
            reads,
            gives,
            devices_came: Nanos(0),
        };
        session.add_frame(frame);
    }

    /// The control of the session that a game read. What a map turns or joins cannot be
    /// held against it.
    fn control_of(&mut self, session: &Session, of: &ReadOf) -> Option<ControlId> {
        let control = match of {
            ReadOf::Node(node, control) => {
                let known = self.devices.get(node)?;
                known.controls[known.mapped.same_as(usize::from(*control))?]
            }
            ReadOf::Address(device, code) => {
                let devices = session.roster().devices().filter(|(_, d)| d.is_connected());
                let named = |(_, d): &(DeviceId, &Device)| d.address().to_string() == *device;
                let (_, found) = devices.into_iter().find(named)?;
                found.control(code)?
            }
        };
        let has_state = session.roster().control(control).kind != ControlKind::Relative;
        has_state.then_some(control)
    }

    /// All its devices go.
    pub fn leave(&mut self, session: &mut Session, now: Nanos) {
        for (_, known) in self.devices.drain() {
            session.unplug(known.device, now);
        }
    }
}

impl Source for Listener {
    fn drain(&mut self, session: &mut Session, _: Nanos) {
        while let Some(heard) = self.heard() {
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
            let mut tell = |control, value| {
                let control = controls[usize::from(control)];
                session.report(Event { time: now, value, control, marks: Marks::CARRIED });
            };
            for ((at, value), info) in said.iter().copied().enumerate().zip(&found.controls) {
                if value == info.kind.rest() || info.kind == ControlKind::Relative {
                    continue;
                }
                mapped.report(at, value, &mut tell);
            }
            mapped.settle(tell);
            known.said = said;
        }
    }

    fn troubles(&mut self) -> Vec<String> {
        std::mem::take(&mut self.troubles)
    }
}
