//! What a browser sends to the page, over a real socket: the first byte says whether the rest
//! is a request, or frames of a WebSocket that was opened as the page opens it.

#![no_main]

use gtrig_analysis::{Capacity, Session};
use gtrig_core::{Nanos, PollRate, Rig, Tick};
use gtrig_live::{Hub, Options, Place};
use gtrig_sources::Source;
use libfuzzer_sys::fuzz_target;
use std::{
    cell::RefCell,
    io::{Read, Write},
    net::{Shutdown, SocketAddr, TcpStream},
    time::Duration,
};

/// A page, and the session that it feeds.
struct House {
    hub: Hub,
    session: Session,
    to: SocketAddr,
    key: String,
    now: u64,
}

impl House {
    fn new() -> Self {
        let place = Place::page("127.0.0.1:0", false).unwrap();
        let hub = Hub::open(&[place], Options::default(), Nanos(0)).unwrap();
        let Place::Page { address: to, .. } = hub.places()[0] else { panic!("a page") };
        let address = &hub.invitations()[0].addresses[0];
        let key = enter(to, address.rsplit('=').next().unwrap());
        let room = Capacity { events: 1 << 12, changes: 1 << 12 };
        let session = Session::new(Rig::bare("fuzz", PollRate::DEFAULT), Tick(0), room);
        House { hub, session, to, key, now: 0 }
    }

    fn hear(&mut self, bytes: &[u8]) {
        let Some((first, rest)) = bytes.split_first() else { return };
        let mut stream = TcpStream::connect(self.to).unwrap();
        stream.set_read_timeout(Some(Duration::from_secs(9))).unwrap();
        if first % 4 != 0 {
            let (to, key) = (self.to, &self.key);
            let opening = format!(
                "GET /send?k={key} HTTP/1.1\r\nHost: {to}\r\nOrigin: http://{to}\r\nUpgrade: websocket\r\n\
                 Connection: Upgrade\r\nSec-WebSocket-Version: 13\r\nSec-WebSocket-Key: AAAAAAAAAAAAAAAAAAAAAA==\r\n\r\n"
            );
            let _ = stream.write_all(opening.as_bytes());
        }
        let _ = stream.write_all(rest);
        let _ = stream.shutdown(Shutdown::Write);
        // Until it is heard to its end, and closed.
        let _ = stream.read_to_end(&mut Vec::new());
        self.now += 1_000_000;
        self.hub.drain(&mut self.session, Nanos(self.now));
        self.session.run_before(Nanos(self.now));
    }
}

/// Comes in by the key of the address, and returns the page's own.
fn enter(to: SocketAddr, key: &str) -> String {
    let mut stream = TcpStream::connect(to).unwrap();
    write!(stream, "POST /enter?k={key} HTTP/1.1\r\nHost: {to}\r\nOrigin: http://{to}\r\n\r\n").unwrap();
    let mut answer = String::new();
    stream.read_to_string(&mut answer).unwrap();
    answer.rsplit("\r\n").next().unwrap().to_owned()
}

thread_local! {
    static HOUSE: RefCell<House> = RefCell::new(House::new());
}

fuzz_target!(|bytes: &[u8]| HOUSE.with_borrow_mut(|house| house.hear(bytes)));
