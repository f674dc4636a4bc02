//! Real senders of Open Sound Control, and what a session hears of them.

mod common;

use common::*;
use gtrig_core::{AddressMap, DeviceKind, Event, Marks, Nanos, Presence};
use gtrig_formats::{addresses, osc::MAX_DEPTH};
use gtrig_live::*;
use gtrig_sources::{SenderIs, Source, monotonic_now};
use rstest::rstest;
use std::{
    net::{IpAddr, SocketAddr, UdpSocket},
    process::Command,
    time::{SystemTime, UNIX_EPOCH},
};

const MAP: &str = r#"map = 1
[osc.in.desk]
name = "Harbour desk"
[osc.in.desk.control]
slew = { address = "/crane/slew", as = "axis" }
hoist = { address = "/crane/hoist", as = "trigger", rest = 0, end = 127 }
horn = { address = "/crane/horn", as = "button" }
reach = { address = "/crane/place", argument = 2, as = "trigger" }
cue = { address = "/cue/go", as = "pulse" }
"#;

fn map(text: &str) -> AddressMap {
    addresses::parse("map", text).unwrap_or_else(|e| panic!("{e}"))
}

/// A hub that hears messages.
struct Desk {
    house: House,
    to: SocketAddr,
}

impl Desk {
    fn open(place: &str, options: Options) -> Self {
        let house = House::at(&place.parse().unwrap(), options);
        let Place::Osc(to) = house.hub.places()[0] else { panic!("a port for messages") };
        Desk { house, to }
    }

    fn new() -> Self {
        Desk::open("osc:0", Options { named: map(MAP), ..Options::default() })
    }

    /// Sends a message with the system's own tool.
    fn send(&self, args: &[&str]) {
        let (host, port) = (self.to.ip().to_string(), self.to.port().to_string());
        let sent = Command::new("oscsend").args([&*host, &*port]).args(args).status().unwrap();
        assert!(sent.success());
    }

    /// Runs a program that has `to`, an address of the system's own library.
    fn python(&self, program: &str) {
        let port = self.to.port();
        let head =
            format!("import liblo\nfrom liblo import *\nto = Address('127.0.0.1', {port})\n");
        let run =
            Command::new("/usr/bin/python3").args(["-c", &(head + program)]).status().unwrap();
        assert!(run.success());
    }

    /// Sends bytes.
    fn bytes(&self, bytes: &[u8]) {
        let socket = UdpSocket::bind("127.0.0.1:0").unwrap();
        socket.send_to(bytes, self.to).unwrap();
    }

    fn until_values(&mut self, code: &str, values: &[i32]) -> Vec<Event> {
        self.house.until(code, |house| house.values(code).len() >= values.len());
        assert_eq!(self.house.values(code), values);
        self.house.events(code)
    }

    /// Waits until a person is told something.
    fn until_told(&mut self, words: &str) -> Vec<String> {
        let mut told = Vec::new();
        let started = std::time::Instant::now();
        while !told.iter().any(|of: &String| of.contains(words)) {
            assert!(started.elapsed().as_secs() < 30, "{words}: {told:?}");
            self.house.drain();
            told.extend(self.house.troubles());
        }
        told
    }

    /// How many messages and packets are wrong so far.
    fn faults(&self) -> u64 {
        self.house.hub.senders().iter().map(|state| state.faults).sum()
    }
}

#[test]
fn messages_of_a_real_sender_are_controls() {
    let mut desk = Desk::new();
    desk.send(&["/crane/slew", "f", "-0.5"]);
    desk.until_values("slew", &[-500_000]);
    desk.send(&["/crane/hoist", "i", "127"]);
    desk.send(&["/crane/horn", "T"]);
    desk.send(&["/crane/horn", "F"]);
    desk.send(&["/crane/place", "sd", "a text", "0.25"]);
    desk.send(&["/cue/go"]);
    desk.until_values("hoist", &[1_000_000]);
    desk.until_values("horn", &[1, 0]);
    desk.until_values("reach", &[250_000]);
    desk.until_values("cue", &[1, 0]);
    // One after the other from other ports, and one sender all the same.
    let [state] = &desk.house.hub.senders()[..] else { panic!("one sender") };
    assert_eq!((state.state, state.lines, state.faults), (SenderIs::Here, 6, 0));
    assert_eq!(state.name, format!("osc-{}", desk.to.port()));
    let roster = desk.house.session.roster();
    let (_, device) = roster.devices().next().unwrap();
    assert_eq!(roster.devices().len(), 1);
    assert_eq!((device.info.name.as_str(), device.info.kind), ("Harbour desk", DeviceKind::Other));
    assert_eq!(device.info.identity, format!("{}/desk", state.name));
}

#[test]
fn a_pattern_is_for_all_that_match_it() {
    let mut desk = Desk::new();
    desk.send(&["/crane/{slew,horn}", "i", "1"]);
    desk.send(&["/*/h*", "f", "0"]);
    desk.until_values("horn", &[1, 0]);
    desk.until_values("hoist", &[0]);
    desk.until_values("slew", &[1_000_000]);
}

#[rstest]
#[case::another_argument("/crane/slew", &["s", "left"])]
#[case::none("/crane/slew", &[])]
#[case::no_number("/crane/horn", &["N"])]
#[case::not_so_many("/crane/place", &["f", "1"])]
#[case::no_pattern("/crane/[a", &["f", "1"])]
#[case::no_address("/crane slew", &["f", "1"])]
#[case::another_profile("/tuio/2Dobj", &["s", "alive"])]
fn what_is_no_value_is_counted_and_told(#[case] address: &str, #[case] args: &[&str]) {
    let mut desk = Desk::new();
    desk.send(&[&[address], args].concat());
    desk.until_told(address);
    assert_eq!(desk.faults(), 1);
    desk.send(&["/crane/horn", "i", "1"]);
    desk.until_values("horn", &[1]);
}

/// By the wall clock, in nanoseconds since 1970.
fn wall() -> i128 {
    SystemTime::now().duration_since(UNIX_EPOCH).unwrap().as_nanos() as i128
}

/// The time of the session at a wall clock.
fn instant_of(house: &House, at: i128) -> i128 {
    i128::from(house.now().0) + at - wall()
}

/// As near as two clocks can be read beside each other on a busy machine.
const NEAR: i128 = 5_000_000;

#[test]
fn a_bundle_takes_effect_when_its_time_has_come() {
    let mut desk = Desk::new();
    let sent = wall();
    let of = |seconds: f64| {
        let at = sent as f64 / 1e9 + seconds;
        format!("Bundle({at:.6} + 2208988800, Message('/crane/slew', {seconds:.1}))")
    };
    // The later one first, and one whose time is over.
    let program =
        [0.8, 0.4, -0.2].map(|seconds| format!("liblo.send(to, {})\n", of(seconds))).concat();
    desk.python(&program);
    let slews = desk.until_values("slew", &[-200_000, 400_000, 800_000]);
    for (event, after) in slews.iter().zip([-200_000_000, 400_000_000, 800_000_000]) {
        let off = i128::from(event.time.0) - instant_of(&desk.house, sent + after);
        assert!(off.abs() < NEAR, "{off} ns from its tag");
    }
    assert!(wall() >= sent + 800_000_000, "not before its time");
    assert_eq!(desk.faults(), 0);
}

/// A clock that is wrong, as of a tablet that was never set.
#[rstest]
#[case::far_ahead(20)]
#[case::far_behind(-20)]
fn a_time_tag_of_no_use_counts_from_when_it_came(#[case] seconds: i64) {
    let mut desk = Desk::new();
    let sent = wall();
    let at = (sent / 1_000_000_000) as i64 + seconds + 2_208_988_800;
    desk.python(&format!("liblo.send(to, Bundle({at}, Message('/crane/horn', 1)))"));
    let horn = desk.until_values("horn", &[1]);
    let since = i128::from(horn[0].time.0) - instant_of(&desk.house, sent);
    assert!((0..10_000_000_000).contains(&since), "{since}");
    assert_eq!(desk.faults(), 1);
    desk.until_told("a time tag is more than");
}

#[test]
fn so_many_messages_wait_for_their_time() {
    let mut desk = Desk::new();
    let program = format!(
        "import time\nfor n in range({}):\n  at = time.time() + 8 + 2208988800\n  \
         liblo.send(to, Bundle(at, *[Message('/crane/slew', 0.5) for _ in range(128)]))\n  \
         time.sleep(0.002)\n",
        MAX_LATER / 128 + 1
    );
    desk.python(&program);
    // Those for which there is no room take effect at once.
    desk.until_values("slew", &[500_000; 128]);
}

#[test]
fn bundles_too_deep_in_each_other_are_refused() {
    let mut desk = Desk::new();
    let nested = |depth: usize| (0..depth).fold(horn(1), |inner, _| bundle(&inner, 1));
    desk.bytes(&nested(MAX_DEPTH + 1));
    desk.house.until("a fault", |house| house.hub.senders().iter().any(|of| of.faults == 1));
    desk.bytes(&nested(MAX_DEPTH));
    desk.until_values("horn", &[1]);
    desk.bytes(b"hello");
    desk.bytes(b"");
    desk.bytes(&[0; 4]);
    desk.house.until("all faults", |house| house.hub.senders().iter().any(|of| of.faults == 4));
}

/// A frame of fingers: each with its number and place.
fn frame(source: &str, number: i32, fingers: &[(i32, f64, f64)]) -> String {
    let ids: String = fingers.iter().map(|(id, ..)| format!(", {id}")).collect();
    let set = |(id, x, y): &(i32, f64, f64)| {
        format!(", Message('/tuio/2Dcur', 'set', {id}, {x:.3}, {y:.3}, 0.0, 0.0, 0.0)")
    };
    let sets: String = fingers.iter().map(set).collect();
    let source = match source {
        "" => String::new(),
        source => format!("Message('/tuio/2Dcur', 'source', '{source}'), "),
    };
    format!(
        "liblo.send(to, Bundle({source}Message('/tuio/2Dcur', 'alive'{ids}){sets}, \
         Message('/tuio/2Dcur', 'fseq', ('i', {number}))))\n"
    )
}

#[test]
fn two_fingers_of_a_tracker_touch() {
    let mut desk = Desk::new();
    desk.python(
        &[
            frame("", 1, &[]),
            frame("", 2, &[(4, 0.25, 0.5)]),
            frame("", 3, &[(4, 0.5, 0.5), (5, 1.0, 0.0)]),
            // It went another way, and came too late.
            frame("", 2, &[]),
            frame("", 4, &[(5, 1.0, 0.0)]),
            frame("", 5, &[]),
        ]
        .concat(),
    );
    let second = desk.until_values("contact-2", &[1, 0]);
    let first = desk.until_values("contact-1", &[1, 0]);
    assert!(first[1].time <= second[1].time && first[0].time <= second[0].time);
    desk.until_values("contact-1-x", &[250_000, 500_000]);
    desk.until_values("contact-2-y", &[0]);
    let (_, device) = desk.house.session.roster().devices().next().unwrap();
    assert_eq!((device.info.kind, device.info.name.as_str()), (DeviceKind::Glass, "fingers"));
    assert_eq!(desk.faults(), 1);
    desk.until_told("after a later one");
}

/// Two programs at one port, each with fingers of its own.
#[test]
fn two_trackers_are_two_panels() {
    let mut desk = Desk::new();
    desk.python(
        &[
            frame("wall@10.0.0.1", 7, &[(4, 0.25, 0.5)]),
            frame("table@10.0.0.2", 3, &[(4, 0.75, 0.5)]),
            frame("wall@10.0.0.1", 8, &[]),
            frame("table@10.0.0.2", 4, &[(4, 0.75, 0.25)]),
        ]
        .concat(),
    );
    desk.house.until("all of it", |house| house.values("contact-1-y").len() == 3);
    let roster = desk.house.session.roster();
    let names: Vec<&str> = roster.devices().map(|(_, of)| of.info.name.as_str()).collect();
    assert_eq!(names, ["wall@10.0.0.1", "table@10.0.0.2"]);
    assert_eq!(desk.house.values("contact-1"), [1, 1, 0]);
}

#[test]
fn so_many_trackers_are_told_apart() {
    let mut desk = Desk::new();
    let frames: String =
        (1..=9).map(|n| frame(&format!("table-{n}"), 1, &[(n, 0.25, 0.5)])).collect();
    desk.python(&frames);
    desk.until_told("more than 8 trackers");
    assert_eq!(desk.house.session.roster().devices().len(), 8);
}

/// An address of this machine by which it is another one.
fn other_machine() -> IpAddr {
    let socket = UdpSocket::bind("0.0.0.0:0").unwrap();
    socket.connect("192.0.2.1:9").expect("this machine has a network");
    socket.local_addr().unwrap().ip()
}

/// A bundle that takes effect at once, with so many of these.
fn bundle(element: &[u8], count: usize) -> Vec<u8> {
    let element = [&(element.len() as u32).to_be_bytes()[..], element].concat();
    [&b"#bundle\0\0\0\0\0\0\0\0\x01"[..], &element.repeat(count)].concat()
}

fn horn(on: u8) -> Vec<u8> {
    [b"/crane/horn\0,i\0\0\0\0\0", &[on][..]].concat()
}

#[test]
fn of_another_machine_a_token_is_needed() {
    let options = Options { token: Some("quay".to_owned()), named: map(MAP), ..Options::default() };
    let mut desk = Desk::open("osc:0.0.0.0:0", options);
    let socket = UdpSocket::bind((other_machine(), 0)).unwrap();
    let to = SocketAddr::new(other_machine(), desk.to.port());
    let say = |bytes: &[u8]| socket.send_to(bytes, to).unwrap();
    say(&horn(1));
    say(b"/gtrig/token\0\0\0\0,s\0\0wrong\0\0\0");
    say(&horn(1));
    // This machine is heard without one.
    desk.to.set_ip("127.0.0.1".parse().unwrap());
    desk.send(&["/crane/hoist", "i", "1"]);
    desk.until_values("hoist", &[7_874]);
    assert!(desk.house.values("horn").is_empty());
    desk.until_told("says no token");
    say(b"/gtrig/token\0\0\0\0,s\0\0quay\0\0\0\0");
    say(&horn(1));
    desk.until_values("horn", &[1]);
    assert_eq!(desk.house.hub.senders().len(), 2);
}

#[test]
fn a_machine_that_is_named_needs_no_token() {
    let osc_from = vec![other_machine()];
    let options = Options { named: map(MAP), osc_from, ..Options::default() };
    let mut desk = Desk::open("osc:0.0.0.0:0", options);
    let socket = UdpSocket::bind((other_machine(), 0)).unwrap();
    socket.send_to(&horn(1), (other_machine(), desk.to.port())).unwrap();
    desk.until_values("horn", &[1]);
    // Without either nobody could be heard.
    let place = ["osc:0.0.0.0:0".parse().unwrap()];
    let error = Hub::open(&place, Options::default(), Nanos(0)).unwrap_err().to_string();
    assert!(error.contains("GTRIG_TOKEN") && error.contains("--osc-from"), "{error}");
}

/// Another rig, or a person who names something, changes what is a control.
#[test]
fn a_map_that_changes_carries_what_is_held() {
    let mut desk = Desk::new();
    desk.send(&["/crane/horn", "i", "1"]);
    desk.send(&["/crane/slew", "f", "0.5"]);
    desk.send(&["/lamp", "f", "0.75"]);
    desk.until_values("slew", &[500_000]);
    desk.house.until("the lamp", |house| {
        house.hub.addresses_heard().unwrap().iter().any(|of| of.address.as_str() == "/lamp")
    });
    let more = "map = 1\n[osc.in.desk.control]\nlamp = { address = \"/lamp\", as = \"trigger\" }\n\
                slew = { address = \"/crane/slew\", as = \"axis\", min = -2, max = 2 }";
    desk.house.hub.use_addresses(&map(more));
    desk.house.until("the device again", |house| house.session.roster().devices().len() == 2);
    let horns = desk.until_values("horn", &[1, 1]);
    assert_eq!(
        horns.iter().map(|of| of.marks).collect::<Vec<_>>(),
        [Marks::empty(), Marks::CARRIED]
    );
    desk.until_values("slew", &[500_000, 250_000]);
    desk.send(&["/lamp", "f", "0.5"]);
    desk.until_values("lamp", &[500_000]);
    assert_eq!(desk.house.presence(), Some(Presence::Here));
}

#[test]
fn what_comes_is_listed() {
    let mut desk = Desk::new();
    for (address, types, values) in [
        ("/lamp", "f", &["0.25"][..]),
        ("/lamp", "f", &["-0.75"]),
        ("/place", "si", &["a", "3"]),
        ("/bang", "", &[]),
        ("/crane/*", "i", &["1"]),
    ] {
        desk.send(&[&[address, types][..], values].concat());
    }
    desk.until_values("horn", &[1]);
    let heard = desk.house.hub.addresses_heard().unwrap();
    let rows: Vec<_> = heard
        .iter()
        .map(|of| (of.address.as_str(), of.argument, of.last, of.range, of.is_whole, of.messages))
        .collect();
    let expected = [
        ("/lamp", 0, Some(-0.75), Some([-0.75, 0.25]), false, 2),
        ("/place", 0, None, None, true, 1),
        ("/place", 1, Some(3.0), Some([3.0, 3.0]), true, 1),
        ("/bang", 0, None, None, true, 1),
    ];
    assert_eq!(rows, expected);
    assert!(!heard[3].has_arguments && heard[2].has_arguments);
    let told = desk.until_told("is no control yet");
    let names: Vec<_> = told.iter().filter(|told| told.contains("is no control yet")).collect();
    assert_eq!(names.len(), 1, "once: {told:?}");
    // Nothing is heard by way of messages where no port is open.
    assert_eq!(House::open(true).hub.addresses_heard(), None);
}

#[test]
fn so_many_addresses_are_listed() {
    let mut desk = Desk::new();
    let program = "import time\nfor n in range(600):\n  liblo.send(to, '/a/%d' % n, 1.0)\n  \
                   if n % 50 == 0: time.sleep(0.01)\n";
    desk.python(program);
    desk.send(&["/crane/horn", "i", "1"]);
    desk.until_values("horn", &[1]);
    assert_eq!(desk.house.hub.addresses_heard().unwrap().len(), 512);
}

/// Nobody who sends over UDP can be held up: what finds no room is counted, and the next
/// value says so.
#[test]
fn what_finds_no_room_is_counted() {
    let mut desk = Desk::new();
    desk.send(&["/crane/horn", "i", "1"]);
    desk.until_values("horn", &[1]);
    let socket = UdpSocket::bind("127.0.0.1:0").unwrap();
    let message = [&b"/crane/slew\0,f\0\0"[..], &0.5f32.to_be_bytes()].concat();
    let bundle = bundle(&message, 1000);
    // Nothing is taken in meanwhile.
    desk.house.until_without_draining("the queue is full", |house| {
        socket.send_to(&bundle, desk.to).unwrap();
        house.hub.senders()[0].missed > 0
    });
    desk.house.until("all is taken in", |house| house.hub.senders()[0].waiting == 0);
    desk.send(&["/crane/horn", "i", "0"]);
    desk.house.until("the next", |house| house.values("horn").len() == 2);
    let all = desk.house.session.recording();
    assert!(all.events().any(|event| event.marks.contains(Marks::RESYNCED)));
    assert_eq!(desk.house.hub.senders()[0].state, SenderIs::Here);
}

#[test]
fn a_port_that_is_taken_is_said() {
    let desk = Desk::new();
    let place = [format!("osc:{}", desk.to).parse().unwrap()];
    let error = Hub::open(&place, Options::default(), Nanos(0)).unwrap_err().to_string();
    assert!(error.contains(&format!("cannot listen at osc:{}", desk.to)), "{error}");
    let place = ["tuio:0".parse().unwrap()];
    let error = Hub::open(&place, Options::default(), Nanos(0)).unwrap_err().to_string();
    assert!(error.contains("heard at osc:PORT"), "{error}");
    assert!(monotonic_now().is_ok());
}
