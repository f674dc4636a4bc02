//! What comes of a session, as lines for whoever reads.
//!
//! One thread serves all readers. Whoever runs the ticks hands it each chunk of lines once
//! and goes on; a reader that is too slow for what it is sent loses lines, is told how many
//! bytes of them there were, and is told how everything stands when it has caught up.

use crate::{connection::Connection, connection::Door, place::Place};
use std::{
    collections::VecDeque,
    fs, io,
    path::PathBuf,
    sync::{
        Arc,
        atomic::{AtomicBool, AtomicUsize, Ordering},
        mpsc::{Receiver, RecvTimeoutError, Sender, channel},
    },
    thread,
    time::{Duration, Instant},
};
use subtle::ConstantTimeEq;

/// So many programs may read at once; the next is refused.
pub const MAX_READERS: usize = 64;

/// So many bytes of lines wait for a reader; then it is too slow.
pub const READER_QUEUE: usize = 1 << 20;

/// From other machines a reader must have said its token by then.
const PATIENCE: Duration = Duration::from_secs(5);

/// Doors and slow readers are looked at this often.
const LOOK: Duration = Duration::from_millis(5);

/// What goes to the thread.
#[derive(Debug)]
enum Order {
    /// For everyone who is up to date.
    Lines(Arc<[u8]>),
    /// How everything stands, for everyone who is not.
    State(Arc<[u8]>),
    /// What is published is something else from here on.
    Greeting(Arc<[u8]>),
}

/// Where readers are let in that came by way of a page.
#[derive(Clone, Debug)]
pub struct ReaderDoor(Sender<Connection>);

impl ReaderDoor {
    /// Lets one in; it goes when nobody publishes any more.
    pub(crate) fn let_in(&self, reader: Connection) {
        let _ = self.0.send(reader);
    }
}

/// Lines go out here.
#[derive(Debug)]
pub struct Publisher {
    orders: Option<Sender<Order>>,
    thread: Option<thread::JoinHandle<()>>,
    readers: Arc<AtomicUsize>,
    is_state_wanted: Arc<AtomicBool>,
    callers: ReaderDoor,
    places: Vec<Place>,
    sockets: Vec<PathBuf>,
}

impl Publisher {
    /// Lets readers in at these places. Each is greeted with this line.
    ///
    /// # Errors
    /// When nobody can come to one of them, with what to do.
    pub fn open(places: &[Place], token: Option<String>, greeting: &str) -> io::Result<Publisher> {
        let (mut doors, mut open, mut sockets) = (Vec::new(), Vec::new(), Vec::new());
        let token = token.filter(|token| !token.is_empty());
        for place in places {
            if place.needs_token() && token.is_none() {
                return Err(io::Error::other(format!(
                    "{place} can be reached from other machines: set GTRIG_TOKEN to a secret that readers have to say, or publish at tcp:PORT"
                )));
            }
            let door = Door::open(place).map_err(|error| place.cannot("publish", &error))?;
            let door = door.ok_or_else(|| {
                io::Error::other(format!("cannot publish at {place}: name unix:PATH or tcp:PORT"))
            })?;
            if let Place::Unix(path) = place {
                sockets.push(path.clone());
            }
            let place = door.place(place);
            doors.push((door, place.needs_token()));
            open.push(place);
        }
        let (orders, heard) = channel();
        let (to_callers, callers) = channel();
        let readers = Arc::new(AtomicUsize::new(0));
        let is_state_wanted = Arc::new(AtomicBool::new(false));
        let room = Room {
            doors,
            callers,
            token,
            greeting: format!("{greeting}\n").into_bytes().into(),
            readers: Vec::new(),
            count: Arc::clone(&readers),
            is_state_wanted: Arc::clone(&is_state_wanted),
        };
        let thread = thread::Builder::new().spawn(move || room.serve(&heard))?;
        Ok(Publisher {
            orders: Some(orders),
            thread: Some(thread),
            readers,
            is_state_wanted,
            callers: ReaderDoor(to_callers),
            places: open,
            sockets,
        })
    }

    /// Where readers come, with the ports that the system chose.
    pub fn places(&self) -> &[Place] {
        &self.places
    }

    /// Where a page hands over those who read by way of it.
    pub fn door(&self) -> ReaderDoor {
        self.callers.clone()
    }

    /// How many read.
    pub fn readers(&self) -> usize {
        self.readers.load(Ordering::Relaxed)
    }

    /// Whether somebody came or has caught up, and has to be told how everything stands.
    /// Asking takes it back.
    pub fn is_state_wanted(&self) -> bool {
        self.is_state_wanted.swap(false, Ordering::Relaxed)
    }

    /// Hands on whole lines. Never waits.
    pub fn lines(&self, lines: &[u8]) {
        if !lines.is_empty() && self.readers() > 0 {
            self.order(Order::Lines(lines.into()));
        }
    }

    /// Readers are greeted with this line from here on, and those who are here are told it.
    pub fn greet(&self, greeting: &str) {
        self.order(Order::Greeting(format!("{greeting}\n").into_bytes().into()));
    }

    /// Hands on how everything stands after the lines before. Never waits.
    pub fn state(&self, lines: &[u8]) {
        self.order(Order::State(lines.into()));
    }

    fn order(&self, order: Order) {
        if let Some(orders) = &self.orders {
            // A thread that is gone has no readers.
            let _ = orders.send(order);
        }
    }
}

impl Drop for Publisher {
    fn drop(&mut self) {
        self.orders = None;
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
        for path in &self.sockets {
            let _ = fs::remove_file(path);
        }
    }
}

/// The thread's side.
struct Room {
    /// With whether who comes there needs a token.
    doors: Vec<(Door, bool)>,
    /// Those who came by way of a page, which knows them.
    callers: Receiver<Connection>,
    token: Option<String>,
    greeting: Arc<[u8]>,
    readers: Vec<Reader>,
    count: Arc<AtomicUsize>,
    is_state_wanted: Arc<AtomicBool>,
}

/// A program that reads.
struct Reader {
    connection: Connection,
    waiting: VecDeque<Arc<[u8]>>,
    /// Of the first, so many bytes are sent.
    sent: usize,
    /// Bytes that wait.
    bytes: usize,
    /// Bytes that it was too slow for since it was told last.
    missed: usize,
    standing: Standing,
    came: Instant,
    /// What it has said of its token.
    said: Vec<u8>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Standing {
    /// It has to say its token first.
    Unknown,
    /// It has to be told how everything stands.
    Behind,
    /// It gets every line.
    UpToDate,
    Gone,
}

impl Room {
    fn serve(mut self, orders: &Receiver<Order>) {
        loop {
            match orders.recv_timeout(LOOK) {
                Ok(order) => self.take(order),
                Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) => break,
            }
            while let Ok(order) = orders.try_recv() {
                self.take(order);
            }
            self.let_in();
            for reader in &mut self.readers {
                reader.hear(self.token.as_deref());
                reader.send();
            }
            self.readers.retain(|reader| reader.standing != Standing::Gone);
            let known = |reader: &&Reader| reader.standing != Standing::Unknown;
            self.count.store(self.readers.iter().filter(known).count(), Ordering::Relaxed);
            let is_behind =
                |reader: &Reader| reader.standing == Standing::Behind && reader.bytes == 0;
            if self.readers.iter().any(is_behind) {
                self.is_state_wanted.store(true, Ordering::Relaxed);
            }
        }
        // What is there still goes out, as far as readers take it at once.
        self.readers.iter_mut().for_each(Reader::send);
    }

    fn take(&mut self, order: Order) {
        if let Order::Greeting(greeting) = &order {
            self.greeting = Arc::clone(greeting);
        }
        for reader in &mut self.readers {
            match (&order, reader.standing) {
                (Order::Lines(lines) | Order::Greeting(lines), Standing::UpToDate) => {
                    reader.queue(lines);
                }
                (Order::State(lines), Standing::Behind) if reader.bytes == 0 => {
                    if reader.missed > 0 {
                        let told = format!("{{\"missed_bytes\":{}}}\n", reader.missed);
                        reader.missed = 0;
                        reader.queue(&told.into_bytes().into());
                    } else {
                        reader.queue(&self.greeting);
                    }
                    reader.standing = Standing::UpToDate;
                    reader.queue(lines);
                }
                _ => {}
            }
        }
    }

    fn let_in(&mut self) {
        for (door, needs_token) in &self.doors {
            let standing = if *needs_token { Standing::Unknown } else { Standing::Behind };
            while let Ok(Some(connection)) = door.next(Duration::ZERO) {
                admit(&mut self.readers, connection, standing);
            }
        }
        while let Ok(connection) = self.callers.try_recv() {
            admit(&mut self.readers, connection, Standing::Behind);
        }
    }
}

/// One more reader, if there is room.
fn admit(readers: &mut Vec<Reader>, mut connection: Connection, standing: Standing) {
    if readers.len() == MAX_READERS || connection.set_nonblocking().is_err() {
        let why = format!("{MAX_READERS} programs read here already");
        connection.say(&serde_json::json!({ "error": why }).to_string());
        connection.close();
        return;
    }
    readers.push(Reader {
        connection,
        waiting: VecDeque::new(),
        sent: 0,
        bytes: 0,
        missed: 0,
        standing,
        came: Instant::now(),
        said: Vec::new(),
    });
}

impl Reader {
    fn queue(&mut self, lines: &Arc<[u8]>) {
        if self.bytes + lines.len() > READER_QUEUE {
            // A line that has begun is ended; the rest is lost.
            let kept = usize::from(self.sent > 0).min(self.waiting.len());
            let lost: usize = self.waiting.drain(kept..).map(|lines| lines.len()).sum();
            self.missed += lost + lines.len();
            self.bytes -= lost;
            self.standing = Standing::Behind;
            return;
        }
        self.bytes += lines.len();
        self.waiting.push_back(Arc::clone(lines));
    }

    fn send(&mut self) {
        while let Some(first) = self.waiting.front() {
            match self.connection.write(&first[self.sent..]) {
                Ok(0) => return self.go(),
                Ok(sent) => {
                    self.sent += sent;
                    self.bytes -= sent;
                    if self.sent == first.len() {
                        self.sent = 0;
                        self.waiting.pop_front();
                    }
                }
                Err(error) if error.kind() == io::ErrorKind::WouldBlock => return,
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(_) => return self.go(),
            }
        }
    }

    /// What it says counts for nothing but its token; that it has gone is noticed.
    fn hear(&mut self, token: Option<&str>) {
        let mut buffer = [0; 512];
        match self.connection.read(&mut buffer) {
            Ok(0) => return self.go(),
            Ok(read) if self.standing == Standing::Unknown => {
                self.said.extend_from_slice(&buffer[..read]);
            }
            Ok(_) => {}
            Err(error) if error.kind() == io::ErrorKind::WouldBlock => {}
            Err(_) => return self.go(),
        }
        if self.standing != Standing::Unknown {
            return;
        }
        let end = self.said.iter().position(|byte| *byte == b'\n');
        let is_late = self.came.elapsed() > PATIENCE || self.said.len() > 4096;
        match end.map(|end| token_of(&self.said[..end])) {
            Some(said) if bool::from(said.as_bytes().ct_eq(token.unwrap_or("").as_bytes())) => {
                self.standing = Standing::Behind;
            }
            Some(_) => self.refuse(),
            None if is_late => self.refuse(),
            None => {}
        }
    }

    fn refuse(&mut self) {
        let why =
            "a token is needed here: {\"read\":1,\"token\":…}, the value of GTRIG_TOKEN there";
        self.connection.say(&serde_json::json!({ "error": why }).to_string());
        self.go();
    }

    fn go(&mut self) {
        self.connection.close();
        self.standing = Standing::Gone;
    }
}

/// The token in the first line of a reader; empty where there is none.
fn token_of(line: &[u8]) -> String {
    let said: Result<serde_json::Value, _> = serde_json::from_slice(line);
    let token = said.ok().and_then(|said| said.get("token")?.as_str().map(str::to_owned));
    token.unwrap_or_default()
}
