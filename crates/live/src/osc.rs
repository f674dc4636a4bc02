//! Programs that send Open Sound Control over UDP: each machine that sends to a port is a
//! sender. One thread hears a port.
//!
//! Nothing is ever answered. What takes effect later, by the time tag of its bundle, is kept
//! until then, so that nothing that is handed on tells of the future.

mod heard;
mod peer;
mod socket;
mod target;
mod wall;

pub(crate) use heard::HeardList;
pub use target::OscTarget;

use crate::visitor::House;
use gtrig_core::{AddressMap, Nanos};
use gtrig_formats::osc::{CURSORS, OscMessage, OscType, TOKEN, When, read_packet};
use gtrig_sources::monotonic_now;
use peer::Peer;
use socket::{Datagram, Ear};
use std::{
    collections::{BTreeMap, BTreeSet, HashMap},
    io,
    net::{IpAddr, SocketAddr},
    sync::{Arc, Mutex, PoisonError},
    time::Duration,
};
use wall::WallClock;

/// Whether anybody still listens is looked at this often.
const LOOK: Duration = Duration::from_millis(100);

/// So many messages that take effect later are kept; one more takes effect at once.
pub const MAX_LATER: usize = 4096;

/// A time tag may be so far ahead, and so far behind; of any other nothing is heeded.
const AHEAD: Nanos = Nanos::from_millis(10_000);
const BEHIND: Nanos = Nanos::from_millis(1_000);

/// So many machines that may not send are told of.
const MAX_STRANGERS: usize = 64;

/// Which addresses are controls, and who may send; it can change while it is heard.
#[derive(Debug, Default)]
pub(crate) struct Rules {
    map: Mutex<Arc<AddressMap>>,
    /// Machines that need not say a token.
    pub(crate) known: Vec<IpAddr>,
}

impl Rules {
    pub(crate) fn new(map: AddressMap, known: Vec<IpAddr>) -> Self {
        let known = known.iter().map(IpAddr::to_canonical).collect();
        Rules { map: Mutex::new(Arc::new(map)), known }
    }

    pub(crate) fn map(&self) -> Arc<AddressMap> {
        Arc::clone(&self.map.lock().unwrap_or_else(PoisonError::into_inner))
    }

    /// From now on these are the addresses that are controls.
    pub(crate) fn set_map(&self, map: AddressMap) {
        *self.map.lock().unwrap_or_else(PoisonError::into_inner) = Arc::new(map);
    }

    fn may_send(&self, from: IpAddr) -> bool {
        from.is_loopback() || self.known.contains(&from)
    }
}

/// A message that takes effect later: from where, of which tracker, and what.
#[derive(Debug)]
struct Later {
    from: IpAddr,
    source: Arc<str>,
    says: OscMessage,
}

/// What the thread of a port knows.
pub(crate) struct Port {
    ear: Ear,
    place: String,
    house: Arc<House>,
    rules: Arc<Rules>,
    heard: Arc<HeardList>,
    peers: HashMap<IpAddr, Peer>,
    /// By when, and in which order those of one instant came.
    later: BTreeMap<(Nanos, u64), Later>,
    order: u64,
    strangers: BTreeSet<IpAddr>,
}

impl Port {
    /// Opens a port. Returns where it is, with the port that the system chose.
    ///
    /// # Errors
    /// When it cannot be had.
    pub(crate) fn open(
        address: SocketAddr,
        house: Arc<House>,
        rules: Arc<Rules>,
        heard: Arc<HeardList>,
    ) -> io::Result<(Port, SocketAddr)> {
        let ear = Ear::open(address)?;
        let at = ear.address()?;
        let port = Port {
            ear,
            place: format!("osc:{at}"),
            house,
            rules,
            heard,
            peers: HashMap::new(),
            later: BTreeMap::new(),
            order: 0,
            strangers: BTreeSet::new(),
        };
        Ok((port, at))
    }

    /// Hears it for as long as somebody listens.
    pub(crate) fn serve(mut self) {
        let mut buffer = vec![0; 1 << 16];
        let mut map = self.rules.map();
        while self.house.is_open() {
            let asked = monotonic_now();
            let result = self.ear.hear(&mut buffer, self.patience());
            let newest = self.rules.map();
            if !Arc::ptr_eq(&map, &newest) {
                map = newest;
                self.peers.values_mut().for_each(|peer| peer.use_map(&map));
            }
            match result {
                Ok(Some(datagram)) => {
                    // What was to take effect before it came is told before it.
                    self.take_effect(datagram.arrived);
                    self.datagram(&buffer[..datagram.length], &datagram);
                }
                // No packet waits that came before it was asked for.
                Ok(None) => asked.into_iter().for_each(|asked| self.take_effect(asked)),
                Err(error) => {
                    let _ = self.house.troubles.send(format!("{}: {error}", self.place));
                    std::thread::sleep(LOOK);
                }
            }
        }
    }

    /// How long may be waited.
    fn patience(&self) -> Duration {
        let Some((&(next, _), _)) = self.later.first_key_value() else { return LOOK };
        let now = monotonic_now().unwrap_or(next);
        Duration::from_nanos(next.0.saturating_sub(now.0)).min(LOOK)
    }

    /// What was to take effect by an instant does.
    fn take_effect(&mut self, by: Nanos) {
        while let Some(next) = self.later.first_entry()
            && next.key().0 <= by
        {
            let ((time, _), Later { from, source, says }) = next.remove_entry();
            if let Some(peer) = self.peers.get_mut(&from) {
                peer.hear(&source, &says, [time, by], &self.heard);
            }
        }
    }

    fn datagram(&mut self, bytes: &[u8], datagram: &Datagram) {
        let packet = read_packet(bytes);
        let from = datagram.from;
        if !self.peers.contains_key(&from) {
            let says = packet.iter().flat_map(|packet| &packet.messages);
            let token = says.map(|message| &message.says).find_map(token_of);
            if !self.let_in(from, token) {
                return;
            }
        }
        if datagram.lost > 0 {
            // Nobody knows whose they were.
            self.peers.values_mut().for_each(Peer::doubt);
        }
        let Some(peer) = self.peers.get_mut(&from) else { return };
        if datagram.lost > 0 {
            peer.lost(u64::from(datagram.lost));
        }
        let packet = match packet {
            Ok(packet) => packet,
            Err(fault) => return peer.fault(&fault.to_string()),
        };
        packet.faults.iter().for_each(|fault| peer.fault(&fault.to_string()));
        // Of which tracker the rest of the packet is.
        let mut source: Arc<str> = "".into();
        let Ok(wall) = WallClock::now() else { return };
        for message in packet.messages {
            if let Some(said) = source_of(&message.says) {
                source = said.into();
            }
            let (time, is_odd) = placed(message.when, &wall, datagram.arrived);
            if is_odd {
                let why = "a time tag is more than 10 s ahead or 1 s behind the clock of this \
                           machine: it counts from when it came";
                peer.fault(why);
            }
            if time > datagram.arrived && self.later.len() < MAX_LATER {
                self.order += 1;
                let later = Later { from, source: Arc::clone(&source), says: message.says };
                self.later.insert((time, self.order), later);
            } else {
                let times = [time.min(datagram.arrived), datagram.arrived];
                peer.hear(&source, &message.says, times, &self.heard);
            }
        }
    }

    /// Whether a machine may send from now on.
    fn let_in(&mut self, from: IpAddr, token: Option<&str>) -> bool {
        let needs_token = !self.rules.may_send(from);
        if needs_token && token.is_none() {
            self.refuse(from, &format!(
                "says no token: {TOKEN} with the value of GTRIG_TOKEN, or name it with --osc-from"
            ));
            return false;
        }
        let (house, map) = (Arc::clone(&self.house), self.rules.map());
        match Peer::enter(house, &self.place, from, (needs_token, token), map) {
            Ok(peer) => {
                self.peers.insert(from, peer);
                true
            }
            Err(why) => {
                self.refuse(from, &why);
                false
            }
        }
    }

    /// Says once why a machine is not heard.
    fn refuse(&mut self, from: IpAddr, why: &str) {
        if self.strangers.len() < MAX_STRANGERS && self.strangers.insert(from) {
            let _ = self.house.troubles.send(format!("{}: {from} is not heard: {why}", self.place));
        }
    }
}

fn token_of(message: &OscMessage) -> Option<&str> {
    match (&*message.addr, &message.args[..]) {
        (TOKEN, [OscType::String(token), ..]) => Some(token),
        _ => None,
    }
}

/// The tracker that a message names.
fn source_of(message: &OscMessage) -> Option<&str> {
    match (&*message.addr, &message.args[..]) {
        (CURSORS, [OscType::String(word), OscType::String(name), ..]) if word == "source" => {
            Some(name)
        }
        _ => None,
    }
}

/// When a message takes effect, and whether its time tag is of no use.
fn placed(when: When, wall: &WallClock, arrived: Nanos) -> (Nanos, bool) {
    let When::At(tag) = when else { return (arrived, false) };
    match wall.monotonic(tag) {
        Some(time)
            if time.0 <= arrived.0.saturating_add(AHEAD.0)
                && time.0.saturating_add(BEHIND.0) >= arrived.0 =>
        {
            (time, false)
        }
        _ => (arrived, true),
    }
}
