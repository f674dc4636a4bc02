//! All senders as one source of a session.

use crate::{
    connection::{Connection, Door, Pipe},
    osc::{HeardList, Port, Rules},
    place::Place,
    publish::ReaderDoor,
    registry::{Registry, Ticket},
    sender::{Arrival, QUEUE},
    visitor::{Entrance, House, serve},
    web::{Caller, Certificate, Keys, Porter, addresses},
};
use gtrig_analysis::Session;
use gtrig_core::{AddressMap, ControlInfo, DeviceMap, Nanos, Rig};
use gtrig_sources::{
    AddressHeard, Heard, Invitation, Listener, SenderState, Source, monotonic_now,
};
use std::{
    fs, io,
    net::{IpAddr, SocketAddr, TcpListener},
    path::PathBuf,
    sync::{
        Arc, Mutex, PoisonError,
        atomic::{AtomicUsize, Ordering},
        mpsc::{Receiver, channel},
    },
    thread,
    time::Duration,
};

/// So many programs may be connected at once to a place; the next is refused.
pub const MAX_CONNECTIONS: usize = 80;

/// Whether anybody still listens is looked at this often.
const LOOK: Duration = Duration::from_millis(100);

/// So many lines over all senders are taken in at a time; the rest waits.
const AT_A_TIME: usize = 1 << 16;

/// How senders are heard.
#[derive(Clone, Debug, Default)]
pub struct Options {
    /// What senders from other machines have to say.
    pub token: Option<String>,
    /// By which maps their devices are seen.
    pub maps: Vec<DeviceMap>,
    /// Where a page hands over that which reads; without it a page only sends.
    pub readers: Option<ReaderDoor>,
    /// Which addresses of Open Sound Control are controls by the rig.
    pub of_rig: AddressMap,
    /// Which others are, that a person named.
    pub named: AddressMap,
    /// Machines that may send it without a token.
    pub osc_from: Vec<IpAddr>,
}

/// A sender as the session hears it.
#[derive(Debug)]
struct Peer {
    ticket: Ticket,
    listener: Listener,
}

/// A page that browsers may open.
#[derive(Debug)]
struct Page {
    keys: Arc<Mutex<Keys>>,
    addresses: Vec<SocketAddr>,
    is_tls: bool,
    /// The key that was invited by last.
    shown: String,
}

impl Page {
    /// The whole addresses, where they are others than before.
    fn invite(&mut self, invitation: &mut Invitation) {
        let keys = self.keys.lock().unwrap_or_else(PoisonError::into_inner);
        let key = keys.next().as_str();
        if self.shown != key {
            let scheme = if self.is_tls { "https" } else { "http" };
            let whole = |at: &SocketAddr| format!("{scheme}://{at}/#k={key}");
            invitation.addresses = self.addresses.iter().map(whole).collect();
            key.clone_into(&mut self.shown);
        }
    }
}

/// Hears the programs that come to some places.
#[derive(Debug)]
pub struct Hub {
    house: Arc<House>,
    arrivals: Receiver<Arrival>,
    troubles: Receiver<String>,
    peers: Vec<Peer>,
    maps: Vec<DeviceMap>,
    said: Vec<String>,
    zero: Nanos,
    places: Vec<Place>,
    invitations: Vec<Invitation>,
    /// For each page how it invites.
    pages: Vec<Page>,
    readers: Option<ReaderDoor>,
    /// Which addresses are controls, and which were heard.
    rules: Arc<Rules>,
    of_rig: AddressMap,
    named: AddressMap,
    heard: Arc<HeardList>,
    sockets: Vec<PathBuf>,
    /// What has come and is being put in order of time.
    batch: Vec<(Nanos, usize, Heard)>,
    _alive: Arc<()>,
}

impl Hub {
    /// Listens at these places. `now` is the instant of the session at which it is called.
    ///
    /// # Errors
    /// When nobody can come to one of them, with what to do.
    pub fn open(places: &[Place], options: Options, now: Nanos) -> io::Result<Hub> {
        let zero = Nanos(monotonic_now()?.0.saturating_sub(now.0));
        let alive = Arc::new(());
        let (to_arrivals, arrivals) = channel();
        let (to_troubles, troubles) = channel();
        let house = Arc::new(House {
            registry: Registry::new(options.token.clone()),
            boot: boot_id(),
            alive: Arc::downgrade(&alive),
            arrivals: to_arrivals,
            troubles: to_troubles,
        });
        let mut hub = Hub {
            house,
            arrivals,
            troubles,
            peers: Vec::new(),
            maps: options.maps,
            said: Vec::new(),
            zero,
            places: Vec::new(),
            invitations: Vec::new(),
            pages: Vec::new(),
            readers: options.readers,
            rules: Arc::new(Rules::new(
                options.of_rig.clone().with(&options.named),
                options.osc_from,
            )),
            of_rig: options.of_rig,
            named: options.named,
            heard: Arc::default(),
            sockets: Vec::new(),
            batch: Vec::new(),
            _alive: alive,
        };
        let has_token = options.token.is_some_and(|token| !token.is_empty());
        for (at, place) in places.iter().enumerate() {
            if places[..at].contains(place) {
                return Err(io::Error::other(format!("{place} is named twice")));
            }
            let is_known = matches!(place, Place::Osc(_)) && !hub.rules.known.is_empty();
            if place.needs_token() && !has_token && !is_known {
                return Err(io::Error::other(format!(
                    "{place} can be reached from other machines: set GTRIG_TOKEN to a secret that senders have to say, or listen on {}",
                    if matches!(place, Place::Osc(_)) {
                        "osc:PORT, or name machines with --osc-from"
                    } else {
                        "tcp:PORT"
                    }
                )));
            }
            hub.listen(place).map_err(|error| place.cannot("listen", &error))?;
        }
        Ok(hub)
    }

    fn listen(&mut self, place: &Place) -> io::Result<()> {
        match *place {
            Place::Page { address, is_tls } => return self.listen_for_browsers(address, is_tls),
            Place::Osc(address) => return self.listen_for_messages(address),
            Place::Tuio(_) => {
                return Err(io::Error::other("fingers by TUIO are heard at osc:PORT"));
            }
            _ => {}
        }
        let door = Door::open(place)?;
        let place = door.as_ref().map_or_else(|| place.clone(), |door| door.place(place));
        let entrance = Entrance {
            place: place.to_string(),
            needs_token: place.needs_token(),
            name_of_take: name_of_take(&place),
        };
        let house = Arc::clone(&self.house);
        match (&place, door) {
            (_, Some(door)) => {
                if let Place::Unix(path) = &place {
                    self.sockets.push(path.clone());
                }
                thread::Builder::new()
                    .spawn(move || receive(&house, &entrance, &door, &Greeter::Sender))?;
            }
            (Place::Pipe(path), None) => {
                let mut pipe = Pipe::open(path)?;
                thread::Builder::new().spawn(move || {
                    while house.is_open() {
                        match pipe.next(LOOK) {
                            Ok(Some(connection)) => serve(&house, &entrance, connection),
                            Ok(None) => {}
                            Err(error) => {
                                let trouble = format!("{}: {error}", entrance.place);
                                let _ = house.troubles.send(trouble);
                                return;
                            }
                        }
                    }
                })?;
            }
            (_, None) => {
                let stdin = Connection::Stdin(io::stdin());
                thread::Builder::new().spawn(move || serve(&house, &entrance, stdin))?;
            }
        }
        self.places.push(place);
        Ok(())
    }

    /// A page, for whoever has its key.
    fn listen_for_browsers(&mut self, address: SocketAddr, is_tls: bool) -> io::Result<()> {
        let listener = TcpListener::bind(address)?;
        let at = listener.local_addr()?;
        let place = Place::Page { address: at, is_tls };
        let addresses = addresses(at);
        let certificate = is_tls.then(|| Certificate::new(&addresses)).transpose()?;
        let keys = Arc::new(Mutex::new(Keys::new()?));
        let fingerprint = certificate.as_ref().map(|of| of.fingerprint().to_owned());
        self.invitations.push(Invitation { addresses: Vec::new(), fingerprint });
        self.pages.push(Page { keys: Arc::clone(&keys), addresses, is_tls, shown: String::new() });
        self.invite();
        let entrance = Entrance {
            place: place.to_string(),
            needs_token: false,
            name_of_take: name_of_take(&place),
        };
        let (house, door) = (Arc::clone(&self.house), Door::Tcp(listener));
        let porter = Greeter::Browser(Porter::new(keys, certificate), self.readers.clone());
        thread::Builder::new().spawn(move || receive(&house, &entrance, &door, &porter))?;
        self.places.push(place);
        Ok(())
    }

    /// Says the addresses anew where a browser has used one up.
    fn invite(&mut self) {
        for (page, invitation) in self.pages.iter_mut().zip(&mut self.invitations) {
            page.invite(invitation);
        }
    }

    /// Messages of Open Sound Control.
    fn listen_for_messages(&mut self, address: SocketAddr) -> io::Result<()> {
        let (port, at) = Port::open(
            address,
            Arc::clone(&self.house),
            Arc::clone(&self.rules),
            Arc::clone(&self.heard),
        )?;
        thread::Builder::new().spawn(move || port.serve())?;
        self.places.push(Place::Osc(at));
        Ok(())
    }

    /// Where it listens, with the ports that the system chose.
    pub fn places(&self) -> &[Place] {
        &self.places
    }

    /// One that came under a name that another still has takes its place.
    fn welcome(&mut self, session: &mut Session, now: Nanos) {
        while let Ok(Arrival { ticket, heard }) = self.arrivals.try_recv() {
            if let Some(at) = self.peers.iter().position(|peer| peer.ticket.name == ticket.name) {
                // Of two that came at once the older may be told of behind the newer.
                if self.peers[at].ticket.came > ticket.came {
                    continue;
                }
                let mut before = self.peers.remove(at).listener;
                // What it said to the end counts, but not what it goes on to say.
                for _ in 0..QUEUE {
                    let Some(heard) = before.heard() else { break };
                    before.take_in(session, heard);
                }
                before.leave(session, now);
            }
            let (listener, _) = Listener::hearing(heard, self.maps.clone(), self.zero);
            self.peers.push(Peer { ticket, listener });
        }
    }

    /// Takes lines of every sender, as many of one as of another.
    fn gather(&mut self) {
        let most = AT_A_TIME / self.peers.len().max(1);
        for (at, peer) in self.peers.iter_mut().enumerate() {
            let mut newest = Nanos(0);
            let mut taken = 0;
            while taken < most
                && let Some(heard) = peer.listener.heard()
            {
                // What a sender says stays in its order.
                newest = heard.time().unwrap_or(newest).max(newest);
                self.batch.push((newest, at, heard));
                taken += 1;
            }
            peer.ticket.counts.taken.fetch_add(taken as u64, Ordering::Relaxed);
        }
        if self.peers.len() > 1 {
            self.batch.sort_by_key(|(time, ..)| *time);
        }
    }
}

impl Source for Hub {
    fn drain(&mut self, session: &mut Session, now: Nanos) {
        self.welcome(session, now);
        self.gather();
        for (_, at, heard) in self.batch.drain(..) {
            self.peers[at].listener.take_in(session, heard);
        }
        for peer in &mut self.peers {
            self.said.extend(peer.listener.troubles());
        }
        self.said.extend(self.troubles.try_iter());
        self.invite();
    }

    fn use_map(&mut self, session: &mut Session, map: &DeviceMap, now: Nanos) {
        self.maps.insert(0, map.clone());
        self.peers.iter_mut().for_each(|peer| peer.listener.use_map(session, map, now));
    }

    fn delay(&self) -> Nanos {
        self.house.registry.delay()
    }

    fn senders(&self) -> Vec<SenderState> {
        self.house.registry.states()
    }

    fn use_rig(&mut self, rig: &Rig) {
        if rig.osc.heard != self.of_rig {
            self.of_rig.clone_from(&rig.osc.heard);
            self.rules.set_map(self.of_rig.clone().with(&self.named));
        }
    }

    fn use_addresses(&mut self, map: &AddressMap) {
        self.named = map.clone().with(&self.named);
        self.rules.set_map(self.of_rig.clone().with(&self.named));
    }

    fn addresses_heard(&self) -> Option<Vec<AddressHeard>> {
        let hears = self.places.iter().any(|place| matches!(place, Place::Osc(_)));
        hears.then(|| self.heard.all(&self.rules.map(), self.zero))
    }

    fn invitations(&self) -> &[Invitation] {
        &self.invitations
    }

    fn troubles(&mut self) -> Vec<String> {
        std::mem::take(&mut self.said)
    }
}

impl Drop for Hub {
    fn drop(&mut self) {
        for path in &self.sockets {
            let _ = fs::remove_file(path);
        }
    }
}

/// Who hears first what a connection is.
#[derive(Debug)]
enum Greeter {
    /// It is a sender.
    Sender,
    /// It is a browser; those that read go there.
    Browser(Porter, Option<ReaderDoor>),
}

impl Greeter {
    fn attend(&self, house: &House, entrance: &Entrance, connection: Connection) {
        let caller = match (self, connection) {
            (Greeter::Browser(porter, _), Connection::Tcp(stream)) => porter.receive(stream),
            (_, connection) => Ok(Some(Caller::Sends(connection))),
        };
        match caller {
            Ok(Some(Caller::Sends(connection))) => serve(house, entrance, connection),
            Ok(Some(Caller::Reads(mut connection))) => match self {
                Greeter::Browser(_, Some(readers)) => readers.let_in(connection),
                _ => connection.close(),
            },
            // A file was served; or what came was no request, of which nobody needs to know.
            Ok(None) | Err(_) => {}
        }
    }
}

/// Lets programs in for as long as somebody listens.
fn receive(house: &Arc<House>, entrance: &Entrance, door: &Door, greeter: &Greeter) {
    thread::scope(|scope| let_in(house, entrance, door, greeter, scope));
}

fn let_in<'s>(
    house: &'s House,
    entrance: &'s Entrance,
    door: &Door,
    greeter: &'s Greeter,
    scope: &'s thread::Scope<'s, '_>,
) {
    let connected = Arc::new(AtomicUsize::new(0));
    while house.is_open() {
        let mut connection = match door.next(LOOK) {
            Ok(Some(connection)) => connection,
            Ok(None) => continue,
            Err(error) => {
                // Out of handles, mostly: they may come free again.
                let _ = house.troubles.send(format!("{}: {error}", entrance.place));
                thread::sleep(LOOK);
                continue;
            }
        };
        if connected.fetch_add(1, Ordering::Relaxed) >= MAX_CONNECTIONS {
            connected.fetch_sub(1, Ordering::Relaxed);
            let why = format!("{MAX_CONNECTIONS} programs are connected here already");
            connection.say(&serde_json::json!({ "error": why }).to_string());
            connection.close();
            continue;
        }
        let count = Arc::clone(&connected);
        let spawned = thread::Builder::new().spawn_scoped(scope, move || {
            greeter.attend(house, entrance, connection);
            count.fetch_sub(1, Ordering::Relaxed);
        });
        if spawned.is_err() {
            connected.fetch_sub(1, Ordering::Relaxed);
        }
    }
}

/// A take has no name; the place where it comes in has.
fn name_of_take(place: &Place) -> String {
    let name = match place {
        Place::Stdin => "stdin".to_owned(),
        Place::Pipe(path) | Place::Unix(path) => {
            path.file_name().map_or(String::new(), |name| name.to_string_lossy().into_owned())
        }
        Place::Tcp(address)
        | Place::Osc(address)
        | Place::Tuio(address)
        | Place::Page { address, .. } => format!("port-{}", address.port()),
    };
    let is_good = |c: &char| c.is_ascii_alphanumeric() || "-._".contains(*c);
    let name: String = name.chars().filter(is_good).take(40).collect();
    if ControlInfo::is_code(&name) { name } else { "take".to_owned() }
}

/// The number that this machine got when it was started.
fn boot_id() -> Option<u128> {
    let text = fs::read_to_string("/proc/sys/kernel/random/boot_id").ok()?;
    u128::from_str_radix(text.trim().replace('-', "").as_str(), 16).ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_analysis::Capacity;
    use gtrig_core::{PollRate, Rig, Tick};
    use gtrig_formats::live::Greeting;
    use std::sync::mpsc::{SyncSender, sync_channel};

    /// Two programs of one name are let in by threads of their own, and one of these may stand
    /// still between giving it its place and telling of it.
    #[test]
    fn of_two_that_come_at_once_the_newer_is_heard() {
        let mut hub = Hub::open(&[], Options::default(), Nanos(0)).unwrap();
        let greeting = Greeting::read(br#"{"live":1,"name":"phone"}"#, "take").unwrap();
        let come = || {
            let ticket = hub.house.registry.enter(&greeting, "here", false, false).unwrap();
            let (says, heard) = sync_channel(1);
            (says, Arrival { ticket, heard })
        };
        let [(older, arrival_of_older), (newer, arrival_of_newer)] = [come(), come()];
        for arrival in [arrival_of_newer, arrival_of_older] {
            hub.house.arrivals.send(arrival).unwrap();
        }
        let rig = Rig::bare("test", PollRate::DEFAULT);
        let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
        hub.drain(&mut session, Nanos(0));
        let say = |says: &SyncSender<Heard>, text: &str| says.send(Heard::Trouble(text.into()));
        assert!(say(&older, "the older").is_err(), "it has no place any more");
        say(&newer, "the newer").unwrap();
        hub.drain(&mut session, Nanos(1));
        assert_eq!(hub.troubles(), ["the newer"]);
    }
}
