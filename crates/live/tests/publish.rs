//! Programs that really read.

mod common;

use common::*;
use gtrig_live::*;
use rstest::rstest;
use std::{
    io::{BufRead, BufReader, Read, Write},
    net::{SocketAddr, TcpStream},
    os::unix::net::UnixStream,
    path::Path,
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    thread,
    time::{Duration, Instant},
};

const PATIENCE: Duration = Duration::from_secs(30);

/// A publisher that says a line now and then and tells how things stand when asked.
struct Desk {
    publisher: Publisher,
    said: u64,
    _folder: tempfile::TempDir,
}

impl Desk {
    fn open(place: Option<&Place>) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let own = Place::Unix(folder.path().join("out"));
        let place = std::slice::from_ref(place.unwrap_or(&own));
        let publisher = Publisher::open(place, Some("secret".into()), "hello").unwrap();
        Desk { publisher, said: 0, _folder: folder }
    }

    fn path(&self) -> &Path {
        match &self.publisher.places()[0] {
            Place::Unix(path) => path,
            place => panic!("{place}"),
        }
    }

    fn reader(&self) -> BufReader<UnixStream> {
        let stream = UnixStream::connect(self.path()).unwrap();
        stream.set_read_timeout(Some(PATIENCE)).unwrap();
        BufReader::new(stream)
    }

    /// What the loop that runs the ticks does.
    fn step(&mut self, line: &str) {
        self.said += 1;
        self.publisher.lines(format!("{} {line}\n", self.said).as_bytes());
        if self.publisher.is_state_wanted() {
            self.publisher.state(format!("state {}\n", self.said).as_bytes());
        }
    }

    fn step_until(&mut self, what: &str, is_so: impl Fn(&Publisher) -> bool) {
        let started = Instant::now();
        while !is_so(&self.publisher) {
            self.step("x");
            assert!(started.elapsed() < PATIENCE, "waited for {what}");
            // Lines come no faster than in a loop that runs ticks.
            thread::sleep(Duration::from_millis(1));
        }
    }
}

/// The numbers of the lines, from how things stood on.
fn lines_of(reader: BufReader<UnixStream>, last: u64) -> Vec<u64> {
    let mut lines = reader.lines().map(Result::unwrap);
    assert_eq!(lines.next().unwrap(), "hello");
    let state = lines.next().unwrap();
    let mut all = vec![state.strip_prefix("state ").unwrap().parse().unwrap()];
    for line in lines {
        all.push(line.split(' ').next().unwrap().parse().unwrap());
        if all.last() == Some(&last) {
            break;
        }
    }
    all
}

/// Whoever comes is told how everything stands, and then every line that follows.
#[test]
fn each_reader_gets_every_line_from_when_it_came() {
    const READERS: usize = 16;
    const LAST: u64 = 1 << 40;
    let mut desk = Desk::open(None);
    let mut readers = Vec::new();
    for count in 1..=READERS {
        let reader = desk.reader();
        readers.push(thread::spawn(move || lines_of(reader, LAST)));
        desk.step_until("a reader", |publisher| publisher.readers() == count);
    }
    (0..5_000).for_each(|_| desk.step("line"));
    while !readers.iter().all(thread::JoinHandle::is_finished) {
        // One that has only just come may not have been told how things stand.
        desk.step("line");
        desk.publisher.lines(format!("{LAST} last\n").as_bytes());
        desk.said += 1;
        thread::sleep(Duration::from_millis(1));
    }
    for reader in readers {
        let numbers = reader.join().unwrap();
        let (_, lines) = numbers.split_last().unwrap();
        assert!(lines.windows(2).all(|pair| pair[1] == pair[0] + 1), "{:?}", &numbers[..5]);
    }
}

/// It loses lines, is told so, and is told how things stand when it reads again; the other
/// one notices nothing, and whoever speaks never waits.
#[test]
fn a_slow_reader_delays_nobody() {
    let mut desk = Desk::open(None);
    let mut slow = desk.reader();
    desk.step_until("the slow one", |publisher| publisher.readers() == 1);
    let quick = desk.reader();
    const LAST: u64 = 1 << 40;
    let quick = thread::spawn(move || lines_of(quick, LAST));
    desk.step_until("both", |publisher| publisher.readers() == 2);
    let long = "x".repeat(1_000);
    for _ in 0..20 * READER_QUEUE / long.len() {
        desk.step(&long);
        thread::sleep(Duration::from_micros(20));
    }
    // Lines go on while it reads what was on its way.
    let is_over = Arc::new(AtomicBool::new(false));
    let until = Arc::clone(&is_over);
    let stepping = thread::spawn(move || {
        while !until.load(Ordering::Relaxed) {
            desk.step("x");
            thread::sleep(Duration::from_millis(1));
        }
        desk
    });
    let mut told = String::new();
    while !told.starts_with("{\"missed_bytes\":") {
        told.clear();
        assert!(slow.read_line(&mut told).unwrap() > 0, "it was never told");
    }
    let missed: u64 =
        told.trim_end().trim_end_matches('}').split(':').nth(1).unwrap().parse().unwrap();
    assert!(missed > READER_QUEUE as u64);
    told.clear();
    slow.read_line(&mut told).unwrap();
    assert!(told.starts_with("state "), "{told}");
    is_over.store(true, Ordering::Relaxed);
    let mut desk = stepping.join().unwrap();
    while !quick.is_finished() {
        desk.step("x");
        desk.publisher.lines(format!("{LAST} last\n").as_bytes());
        desk.said += 1;
        thread::sleep(Duration::from_millis(1));
    }
    let numbers = quick.join().unwrap();
    let (_, lines) = numbers.split_last().unwrap();
    assert!(lines.windows(2).all(|pair| pair[1] == pair[0] + 1));
}

#[test]
fn one_that_goes_is_forgotten_and_its_socket_with_the_publisher() {
    let mut desk = Desk::open(None);
    let reader = desk.reader();
    desk.step_until("it", |publisher| publisher.readers() == 1);
    drop(reader);
    desk.step_until("nobody", |publisher| publisher.readers() == 0);
    let path = desk.path().to_owned();
    drop(desk.publisher);
    assert!(!path.exists());
}

#[rstest]
#[case::nothing("", false)]
#[case::wrong("{\"read\":1,\"token\":\"secres\"}\n", false)]
#[case::nonsense("\u{1b}[2J\n", false)]
#[case::right("{\"read\":1,\"token\":\"secret\"}\n", true)]
fn from_other_machines_a_token_is_needed(#[case] says: &str, #[case] is_let_in: bool) {
    let place: Place = "tcp:0.0.0.0:0".parse().unwrap();
    assert!(Publisher::open(std::slice::from_ref(&place), None, "hello").is_err());
    let mut desk = Desk::open(Some(&place));
    let Place::Tcp(address) = desk.publisher.places()[0] else { panic!("a port") };
    let address = SocketAddr::from(([127, 0, 0, 1], address.port()));
    let mut stream = TcpStream::connect(address).unwrap();
    stream.write_all(says.as_bytes()).unwrap();
    let mut peer = Peer::of(stream);
    if is_let_in {
        desk.step_until("it is let in", |publisher| publisher.readers() == 1);
        let mut first = [0; 5];
        desk.step("x");
        let stepping = thread::spawn(move || {
            let until = Instant::now() + PATIENCE;
            while Instant::now() < until && desk.publisher.readers() == 1 {
                desk.step("x");
                thread::yield_now();
            }
        });
        peer.stream.read_exact(&mut first).unwrap();
        assert_eq!(&first, b"hello");
        drop(peer);
        stepping.join().unwrap();
    } else {
        assert!(peer.rest().contains("a token is needed"));
        assert_eq!(desk.publisher.readers(), 0);
    }
}
