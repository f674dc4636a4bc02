//! A hub, a session that it feeds, and programs that connect.

#![allow(dead_code, reason = "every test uses its own part of it")]

use gtrig_analysis::{Capacity, Session};
use gtrig_core::{Event, Nanos, PollRate, Presence, Rig, Tick};
use gtrig_live::{Hub, Options, Place};
use gtrig_sources::{Source, monotonic_now};
use std::{
    io::{BufRead, BufReader, Read, Write},
    net::{Shutdown, TcpStream},
    os::unix::net::UnixStream,
    thread,
    time::{Duration, Instant},
};

pub const PAD: &str = r#"{"plug":"pad1","kind":"pad","controls":[{"code":"south","kind":"button"},{"code":"stick-l-x","kind":"axis","min":-100,"centre":0,"max":100}]}"#;

pub fn greeting(name: &str) -> String {
    format!(r#"{{"live":1,"name":"{name}"}}"#)
}

/// What is waited for must come within this time.
const PATIENCE: Duration = Duration::from_secs(30);

/// A stream to the hub, of either kind.
pub trait Stream: Read + Write + Send {
    fn end(&self);
    fn wait(&self, time: Option<Duration>);
}

impl Stream for UnixStream {
    fn end(&self) {
        self.shutdown(Shutdown::Write).unwrap();
    }

    fn wait(&self, time: Option<Duration>) {
        self.set_read_timeout(time).unwrap();
    }
}

impl Stream for TcpStream {
    fn end(&self) {
        self.shutdown(Shutdown::Write).unwrap();
    }

    fn wait(&self, time: Option<Duration>) {
        self.set_read_timeout(time).unwrap();
    }
}

/// A program that sends.
pub struct Peer {
    pub stream: Box<dyn Stream>,
}

impl Peer {
    pub fn of(stream: impl Stream + 'static) -> Self {
        Peer { stream: Box::new(stream) }
    }

    pub fn say(&mut self, lines: &[&str]) {
        let mut text = lines.join("\n");
        text.push('\n');
        // One that is refused is closed while it speaks.
        let _ = self.stream.write_all(text.as_bytes());
    }

    pub fn end(&self) {
        self.stream.end();
    }

    /// All that is said to it until it is closed.
    pub fn rest(&mut self) -> String {
        self.stream.wait(Some(PATIENCE));
        let mut said = Vec::new();
        match self.stream.read_to_end(&mut said) {
            Ok(_) => {}
            Err(error) if error.kind() == std::io::ErrorKind::ConnectionReset => {}
            Err(error) => panic!("{error}"),
        }
        String::from_utf8(said).unwrap()
    }
}

/// A session and the hub that feeds it.
pub struct House {
    pub hub: Hub,
    pub session: Session,
    pub zero: Nanos,
    _folder: tempfile::TempDir,
}

impl House {
    pub fn open(is_unix: bool) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let place = match is_unix {
            true => Place::Unix(folder.path().join("hub")),
            false => "tcp:0".parse().unwrap(),
        };
        let house = House::at(&place, Options::default());
        House { _folder: folder, ..house }
    }

    pub fn at(place: &Place, options: Options) -> Self {
        let rig = Rig::bare("test", PollRate::DEFAULT);
        let session = Session::new(rig, Tick(0), Capacity::DEFAULT);
        let begun = Nanos(2_000_000_000);
        let zero = Nanos(monotonic_now().unwrap().0 - begun.0);
        let hub = Hub::open(std::slice::from_ref(place), options, begun).unwrap();
        House { hub, session, zero, _folder: tempfile::tempdir().unwrap() }
    }

    pub fn connect(&self) -> Peer {
        match &self.hub.places()[0] {
            Place::Unix(path) => Peer::of(UnixStream::connect(path).unwrap()),
            Place::Tcp(address) => Peer::of(TcpStream::connect(address).unwrap()),
            place => panic!("nobody connects to {place}"),
        }
    }

    /// The instant of the session at a time of the monotonic clock.
    pub fn instant(&self, monotonic: Nanos) -> Nanos {
        Nanos(monotonic.0.saturating_sub(self.zero.0))
    }

    pub fn now(&self) -> Nanos {
        self.instant(monotonic_now().unwrap())
    }

    pub fn drain(&mut self) {
        let now = self.now();
        self.hub.drain(&mut self.session, now);
        // As long after as any sender here may be.
        self.session.run_before(Nanos(now.0.saturating_sub(1_000_000_000)));
    }

    /// Takes in what comes until something is so.
    pub fn until(&mut self, what: &str, is_so: impl Fn(&House) -> bool) {
        let started = Instant::now();
        loop {
            self.drain();
            if is_so(self) {
                return;
            }
            assert!(started.elapsed() < PATIENCE, "waited for {what}");
            thread::yield_now();
        }
    }

    pub fn until_without_draining(&self, what: &str, is_so: impl Fn(&House) -> bool) {
        let started = Instant::now();
        while !is_so(self) {
            assert!(started.elapsed() < PATIENCE, "waited for {what}");
            thread::yield_now();
        }
    }

    /// The next line that is said to a program, while what comes is taken in.
    pub fn line_of(&mut self, peer: &mut Peer) -> String {
        peer.stream.wait(Some(PATIENCE));
        let mut line = String::new();
        BufReader::with_capacity(1, &mut peer.stream).read_line(&mut line).unwrap();
        line
    }

    /// Every event of the controls of this code.
    pub fn events(&self, code: &str) -> Vec<Event> {
        let roster = self.session.roster();
        let all = self.session.recording();
        let is_its = |event: &Event| {
            !roster.control(event.control).is_presence && roster.code(event.control) == code
        };
        all.events().filter(is_its).collect()
    }

    pub fn values(&self, code: &str) -> Vec<i32> {
        self.events(code).iter().map(|event| event.value).collect()
    }

    /// How many events there are.
    pub fn count(&self) -> usize {
        self.session.recording().events().count()
    }

    /// The last that was heard of the presence of any device.
    pub fn presence(&self) -> Option<Presence> {
        let roster = self.session.roster();
        let all = self.session.recording();
        let last = all.events().filter(|event| roster.control(event.control).is_presence).last()?;
        Some(Presence::from_value(last.value))
    }

    pub fn troubles(&mut self) -> Vec<String> {
        self.hub.troubles()
    }
}
