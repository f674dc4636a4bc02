//! A machine that sends: what its messages are, as devices.

use super::HeardList;
use crate::{
    registry::{Ticket, count},
    sender::{Arrival, QUEUE},
    visitor::House,
};
use gtrig_core::{
    AddressMap, AddressedAs, CleanText, ControlInfo, DeviceInfo, DeviceKind, Marks, Nanos,
};
use gtrig_formats::{
    live::{Greeting, PeerClock},
    osc::{
        CURSORS, CursorReader, OWN_ADDRESSES, OscMessage, OscType, Pattern, TOKEN, finger_controls,
        is_address, number,
    },
};
use gtrig_sources::{Change, Heard, NodeId};
use std::{
    collections::{BTreeMap, HashMap},
    net::IpAddr,
    sync::{
        Arc,
        atomic::Ordering,
        mpsc::{SyncSender, TrySendError, sync_channel},
    },
    time::{Duration, Instant},
};

/// The same trouble is told this often.
const TELL: Duration = Duration::from_secs(1);

/// So many trackers of fingers of one machine are told apart.
const MAX_TRACKERS: usize = 8;

/// A machine that sends.
#[derive(Debug)]
pub(super) struct Peer {
    house: Arc<House>,
    ticket: Ticket,
    queue: SyncSender<Heard>,
    map: Arc<AddressMap>,
    /// Where in the map the controls with an address are.
    places: HashMap<String, Arc<[(usize, usize)]>>,
    /// Those devices of the map that told something, by their places.
    devices: BTreeMap<usize, Made>,
    /// Trackers of fingers, by the name that they say.
    trackers: HashMap<String, (NodeId, CursorReader)>,
    nodes: u64,
    told: Option<Instant>,
    /// A person was told that something that comes is no control.
    has_told_of_names: bool,
    /// Values were lost: the next one says so.
    is_unsure: bool,
}

/// A device that was made of addresses.
#[derive(Debug)]
struct Made {
    node: NodeId,
    /// For each control the last number that came.
    numbers: Vec<Option<f64>>,
}

impl Peer {
    /// Lets a machine in; from those that need one with a token.
    pub(super) fn enter(
        house: Arc<House>,
        place: &str,
        from: IpAddr,
        (needs_token, token): (bool, Option<&str>),
        map: Arc<AddressMap>,
    ) -> Result<Peer, String> {
        let greeting = Greeting {
            name: name(place, from),
            // Its times are told by the wall clock, and are ours by then.
            clock: PeerClock::Own,
            delay: Nanos(0),
            answers: false,
            token: token.map(str::to_owned),
        };
        let ticket = house.registry.enter(&greeting, place, needs_token, true);
        let ticket = ticket.map_err(|refusal| refusal.to_string())?;
        let (queue, heard) = sync_channel(QUEUE);
        // Where nobody listens any more, the thread ends soon.
        let _ = house.arrivals.send(Arrival { ticket: ticket.clone(), heard });
        let mut peer = Peer {
            house,
            ticket,
            queue,
            map: Arc::default(),
            places: HashMap::new(),
            devices: BTreeMap::new(),
            trackers: HashMap::new(),
            nodes: 0,
            told: None,
            has_told_of_names: false,
            is_unsure: false,
        };
        peer.use_map(&map);
        Ok(peer)
    }

    /// A message takes effect at `time`; it came at `arrived`, in a packet of the tracker
    /// `source`, if it is one.
    pub(super) fn hear(
        &mut self,
        source: &str,
        message: &OscMessage,
        [time, arrived]: [Nanos; 2],
        heard: &HeardList,
    ) {
        count(&self.ticket.counts.lines);
        self.ticket.counts.latency.store(arrived.0.saturating_sub(time.0), Ordering::Relaxed);
        if message.addr == CURSORS {
            return self.fingers(source, message, time);
        }
        if OWN_ADDRESSES.iter().any(|own| message.addr.starts_with(own)) {
            if message.addr != TOKEN {
                let shown = CleanText::new(&message.addr);
                self.fault(&format!("{shown} means nothing here: of fingers {CURSORS} is heard"));
            }
            return;
        }
        heard.note(message, &self.ticket.name, arrived);
        let places = self.controls_at(&message.addr);
        if places.is_empty() && is_address(&message.addr) {
            self.tell_of_names(&message.addr);
        }
        for place in places.iter() {
            self.value(*place, &message.args, time);
        }
    }

    /// The controls that an address, or a pattern, is of.
    fn controls_at(&mut self, address: &str) -> Arc<[(usize, usize)]> {
        if let Some(places) = self.places.get(address) {
            return Arc::clone(places);
        }
        if is_address(address) {
            return Arc::default();
        }
        let Some(pattern) = Pattern::new(address) else {
            let shown = CleanText::new(address);
            self.fault(&format!("{shown} is no address and no pattern"));
            return Arc::default();
        };
        let places = self.map.at(|of| pattern.matches(of));
        places.map(|(device, control, _)| (device, control)).collect()
    }

    fn value(&mut self, (device, control): (usize, usize), args: &[OscType], time: Nanos) {
        let map = Arc::clone(&self.map);
        let spec = &map.devices[device].controls[control];
        let number = match (spec.read_as, args.get(usize::from(spec.argument))) {
            (AddressedAs::Pulse, _) => Some(1.0),
            (_, argument) => argument.and_then(number),
        };
        let value = number.and_then(|number| spec.read_as.raw(number));
        let (Some(number), Some(value)) = (number, value) else {
            let (address, at) = (&spec.address, spec.argument + 1);
            return self.fault(&format!("{address}: argument {at} is no finite number"));
        };
        let Some(node) = self.node_of(device, time) else { return };
        if let Some(made) = self.devices.get_mut(&device) {
            made.numbers[control] = Some(number);
        }
        self.change(node, control as u16, value, time);
        if spec.read_as == AddressedAs::Pulse {
            self.change(node, control as u16, 0, time);
        }
    }

    /// The device of the map; it arrives with the first that it tells.
    fn node_of(&mut self, device: usize, time: Nanos) -> Option<NodeId> {
        if let Some(made) = self.devices.get(&device) {
            return Some(made.node);
        }
        let spec = &self.map.devices[device];
        let numbers = vec![None; spec.controls.len()];
        let info = spec.info(spec.id.clone(), "osc");
        let node = self.plug(info, time)?;
        self.devices.insert(device, Made { node, numbers });
        Some(node)
    }

    fn plug(&mut self, mut info: DeviceInfo, time: Nanos) -> Option<NodeId> {
        info.identity = format!("{}/{}", self.ticket.name, info.identity);
        if let Err(refusal) = self.house.registry.admit(&self.ticket, &info) {
            self.fault(&refusal.to_string());
            return None;
        }
        self.nodes += 1;
        let node = NodeId(self.nodes);
        self.hand_over(Heard::Arrived(node, Box::new(info), time));
        Some(node)
    }

    fn change(&mut self, node: NodeId, control: u16, value: i32, time: Nanos) {
        let unsure = std::mem::take(&mut self.is_unsure);
        let marks = if unsure { Marks::RESYNCED } else { Marks::empty() };
        let change = Change { control, value, marks, time, is_last: true };
        self.hand_over(Heard::Changed(node, change));
    }

    fn fingers(&mut self, source: &str, message: &OscMessage, time: Nanos) {
        if !self.trackers.contains_key(source) {
            if self.trackers.len() == MAX_TRACKERS {
                return self.fault(&format!("more than {MAX_TRACKERS} trackers of fingers"));
            }
            let Some(node) = self.plug(tracker(source), time) else { return };
            self.trackers.insert(source.to_owned(), (node, CursorReader::default()));
        }
        let Some((node, reader)) = self.trackers.get_mut(source) else { return };
        let node = *node;
        match reader.hear(message) {
            Ok(None) => {}
            Err(fault) => self.fault(&fault.to_string()),
            Ok(Some(frame)) => {
                // What was lost on the way on may have been a finger that went.
                let changes = if self.is_unsure { reader.all() } else { frame.changes };
                for (control, value) in changes {
                    self.change(node, control, value, time);
                }
                if frame.left_out > 0 {
                    self.fault("there are more fingers than are heard of a tracker");
                }
                if frame.is_late {
                    self.fault("a frame of fingers came after a later one: it is left out");
                }
            }
        }
    }

    /// From now on other addresses are controls. Devices that are as they were stay; the
    /// others go, and come again with what is held.
    pub(super) fn use_map(&mut self, map: &Arc<AddressMap>) {
        let before = std::mem::replace(&mut self.map, Arc::clone(map));
        let mut places: HashMap<&str, Vec<(usize, usize)>> = HashMap::new();
        for (device, control, spec) in map.at(|_| true) {
            places.entry(&spec.address).or_default().push((device, control));
        }
        self.places = places.into_iter().map(|(of, at)| (of.to_owned(), at.into())).collect();
        let Ok(now) = gtrig_sources::monotonic_now() else { return };
        for (at, made) in std::mem::take(&mut self.devices) {
            let old = &before.devices[at];
            let place = map.devices.iter().position(|device| device.id == old.id);
            match place {
                Some(place) if map.devices[place] == *old => {
                    self.devices.insert(place, made);
                }
                place => {
                    self.hand_over(Heard::Gone(made.node, now));
                    let Some(place) = place else { continue };
                    self.carry(place, (&before, at, &made.numbers), now);
                }
            }
        }
    }

    /// A device comes again as the map has it by now, with the numbers that came before.
    fn carry(
        &mut self,
        place: usize,
        (before, old, numbers): (&AddressMap, usize, &[Option<f64>]),
        now: Nanos,
    ) {
        let Some(node) = self.node_of(place, now) else { return };
        let map = Arc::clone(&self.map);
        for (control, spec) in map.devices[place].controls.iter().enumerate() {
            let known = before.devices[old]
                .controls
                .iter()
                .position(|of| (&of.address, of.argument) == (&spec.address, spec.argument));
            let number = known.and_then(|at| numbers[at]);
            let Some((number, value)) = number.and_then(|n| Some((n, spec.read_as.raw(n)?))) else {
                continue;
            };
            if spec.read_as == AddressedAs::Pulse {
                continue;
            }
            if let Some(made) = self.devices.get_mut(&place) {
                made.numbers[control] = Some(number);
            }
            let (control, marks) = (control as u16, Marks::CARRIED);
            let change = Change { control, value, marks, time: now, is_last: true };
            self.hand_over(Heard::Changed(node, change));
        }
    }

    /// Something of it may have been lost.
    pub(super) fn doubt(&mut self) {
        self.is_unsure = true;
    }

    /// So many packets of whoever sends here were lost.
    pub(super) fn lost(&mut self, packets: u64) {
        self.ticket.counts.missed.fetch_add(packets, Ordering::Relaxed);
        self.tell(|missed| format!("{missed} packet(s) were lost so far: too many came at once"));
    }

    /// Something of it counts for nothing.
    pub(super) fn fault(&mut self, why: &str) {
        count(&self.ticket.counts.faults);
        self.tell(|_| why.to_owned());
    }

    /// Says once that what comes is nobody's yet.
    fn tell_of_names(&mut self, address: &str) {
        if !std::mem::replace(&mut self.has_told_of_names, true) {
            let (name, shown) = (&self.ticket.name, CleanText::new(address));
            let text = format!(
                "{name}: {shown} is no control yet: W in gtrig live names it, or [osc.in] in the rig"
            );
            self.hand_over(Heard::Trouble(text));
        }
    }

    /// Tells of a trouble, but not all the time.
    fn tell(&mut self, what: impl FnOnce(u64) -> String) {
        if self.told.is_some_and(|told| told.elapsed() < TELL) {
            return;
        }
        self.told = Some(Instant::now());
        let missed = self.ticket.counts.missed.load(Ordering::Relaxed);
        let text = format!("{}: {}", self.ticket.name, what(missed));
        self.hand_over(Heard::Trouble(text));
    }

    /// Nobody who sends over UDP can be held up: what finds no room is lost, and counted.
    fn hand_over(&mut self, heard: Heard) {
        match self.queue.try_send(heard) {
            Ok(()) => count(&self.ticket.counts.queued),
            Err(TrySendError::Disconnected(_)) => {}
            // A device that could not arrive, or go, would stay so: that is waited for.
            Err(TrySendError::Full(heard @ (Heard::Arrived(..) | Heard::Gone(..)))) => {
                count(&self.ticket.counts.slowed);
                count(&self.ticket.counts.queued);
                let _ = self.queue.send(heard);
            }
            Err(TrySendError::Full(_)) => {
                count(&self.ticket.counts.missed);
                self.is_unsure = true;
            }
        }
    }
}

/// A tracker of fingers, by the name that it says, as a device.
fn tracker(source: &str) -> DeviceInfo {
    let plain: String =
        source.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
    let name = if source.is_empty() { "fingers".to_owned() } else { source.to_owned() };
    DeviceInfo {
        identity: format!("fingers-{plain}"),
        kind: DeviceKind::Glass,
        name: CleanText::new(&name),
        bus: CleanText::new("osc"),
        slot: None,
        controls: finger_controls(),
    }
}

/// What a machine is called that sends to a place: `osc-9000`, and of another machine with
/// its address behind.
fn name(place: &str, from: IpAddr) -> String {
    let port = place.rsplit(':').next().unwrap_or_default();
    if from.is_loopback() {
        return format!("osc-{port}");
    }
    let of: String = match from {
        IpAddr::V4(v4) => v4.to_string(),
        // The half that tells it from others of its network.
        IpAddr::V6(v6) => format!("{:016x}", u128::from(v6) as u64),
    };
    let name = format!("osc-{port}-{of}");
    debug_assert!(ControlInfo::is_code(&name), "{name}");
    name
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_machine_has_a_name() {
        let named = |from: &str| name("osc:0.0.0.0:9000", from.parse().unwrap());
        assert_eq!(named("127.0.0.1"), "osc-9000");
        assert_eq!(named("::1"), "osc-9000");
        assert_eq!(named("192.168.0.12"), "osc-9000-192.168.0.12");
        let longest = named("ffff:ffff:ffff:ffff:ffff:ffff:ffff:ffff");
        assert_eq!(longest, "osc-9000-ffffffffffffffff");
        assert!(ControlInfo::is_code(&longest));
    }
}
