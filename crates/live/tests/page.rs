//! The page: what a browser may have, and what its sockets carry.

mod common;

use common::{House, PAD, greeting};
use gtrig_core::Marks;
use gtrig_live::{Options, Place, Publisher};
use gtrig_sources::{SenderIs, Source};
use proptest::{collection::vec, prelude::*};
use rstest::rstest;
use rustls::{
    ClientConfig, ClientConnection, DigitallySignedStruct, SignatureScheme, StreamOwned,
    client::danger::{HandshakeSignatureValid, ServerCertVerified, ServerCertVerifier},
    crypto::ring,
    pki_types::{CertificateDer, ServerName, UnixTime},
};
use std::{
    io::{self, Read, Write},
    net::{SocketAddr, TcpStream},
    sync::{Arc, Mutex},
    time::{Duration, Instant},
};
use tungstenite::{
    Message, WebSocket,
    client::IntoClientRequest,
    handshake::client::Request,
    protocol::frame::{
        Frame,
        coding::{Data, OpCode},
    },
};

const PATIENCE: Duration = Duration::from_secs(30);

/// A page at a port that the system chose.
fn house() -> House {
    House::at(&"page:127.0.0.1:0".parse().unwrap(), Options::default())
}

fn address(house: &House) -> SocketAddr {
    let Place::Page { address, .. } = house.hub.places()[0] else { panic!("a page") };
    address
}

fn key(house: &House) -> String {
    let whole = &house.hub.invitations()[0].addresses[0];
    whole.split_once("#k=").unwrap().1.to_owned()
}

/// What is answered to these bytes, to the end.
fn answer(house: &House, bytes: &[u8]) -> String {
    let mut stream = TcpStream::connect(address(house)).unwrap();
    stream.set_read_timeout(Some(PATIENCE)).unwrap();
    stream.write_all(bytes).unwrap();
    let mut answer = Vec::new();
    // One that is refused in the middle of what it says may be cut off.
    let _ = stream.read_to_end(&mut answer);
    String::from_utf8(answer).unwrap()
}

fn get(house: &House, path: &str, more: &str) -> String {
    let host = address(house);
    answer(house, format!("GET {path} HTTP/1.1\r\nHost: {host}\r\n{more}\r\n").as_bytes())
}

fn request(house: &House, path: &str, key: &str, origin: &str) -> Request {
    let at = address(house);
    let mut request = format!("ws://{at}{path}?k={key}").into_client_request().unwrap();
    request.headers_mut().insert("Origin", origin.parse().unwrap());
    request
}

/// What lets a page in, over a stream of either kind.
fn post(host: SocketAddr, key: &str, origin: &str, stream: &mut (impl Read + Write)) -> String {
    write!(stream, "POST /enter?k={key} HTTP/1.1\r\nHost: {host}\r\nOrigin: {origin}\r\n\r\n")
        .unwrap();
    let mut answer = Vec::new();
    // Over TLS it may end without a farewell.
    let _ = stream.read_to_end(&mut answer);
    String::from_utf8(answer).unwrap()
}

/// A page comes in by the address that is shown: its own key.
fn enter(house: &mut House) -> String {
    house.drain();
    let (at, key) = (address(house), key(house));
    let mut stream = TcpStream::connect(at).unwrap();
    stream.set_read_timeout(Some(PATIENCE)).unwrap();
    let answer = post(at, &key, &format!("http://{at}"), &mut stream);
    assert!(answer.starts_with("HTTP/1.1 200 "), "{answer}");
    answer.split_once("\r\n\r\n").unwrap().1.to_owned()
}

/// A socket of a page that came in.
fn socket(house: &mut House, path: &str) -> WebSocket<TcpStream> {
    let key = enter(house);
    let at = address(house);
    let stream = TcpStream::connect(at).unwrap();
    stream.set_read_timeout(Some(PATIENCE)).unwrap();
    let request = request(house, path, &key, &format!("http://{at}"));
    tungstenite::client(request, stream).unwrap().0
}

fn say(socket: &mut WebSocket<impl Read + Write>, lines: &[&str]) {
    socket.send(Message::text(lines.join("\n"))).unwrap();
}

#[test]
fn files_are_served_and_load_nothing_from_elsewhere() {
    let house = house();
    let page = get(&house, "/", "");
    assert!(page.starts_with("HTTP/1.1 200 OK\r\n"), "{page}");
    for header in ["default-src 'none'", "nosniff", "frame-ancestors 'none'", "no-referrer"] {
        assert!(page.contains(header), "{header}");
    }
    let script = get(&house, "/link.js?x", "");
    assert!(script.contains("text/javascript") && script.contains("class Link"));
    assert!(!script.contains("//cdn") && !page.contains("https://"));
}

/// The address that is shown lets one browser in, and then another address is shown; who came
/// opens sockets by a key of its own.
#[test]
fn an_address_lets_one_browser_in() {
    let mut house = house();
    let (at, first) = (address(&house), key(&house));
    let origin = format!("http://{at}");
    let ask = |key: &str, origin: &str| post(at, key, origin, &mut TcpStream::connect(at).unwrap());
    let foreign = ask(&first, "http://evil.example");
    assert!(foreign.starts_with("HTTP/1.1 403 "), "{foreign}");
    let own = enter(&mut house);
    let again = ask(&first, &origin);
    assert!(again.starts_with("HTTP/1.1 403 ") && again.contains("was used already"), "{again}");
    assert!(ask(&own, &origin).ends_with(&own), "a page that came may come again");
    house.drain();
    assert!(key(&house) != first && key(&house) != own);
    assert!(house.hub.invitations()[0].addresses.iter().all(|of| of.ends_with(&key(&house))));
    let bare = request(&house, "/send", &first, &origin);
    assert!(tungstenite::client(bare, TcpStream::connect(at).unwrap()).is_err());
}

/// Of many that use an address at the same instant one is let in.
#[test]
fn one_of_many_at_once_is_let_in() {
    let house = house();
    let (at, key) = (address(&house), key(&house));
    let ask = || {
        let mut stream = TcpStream::connect(at).unwrap();
        post(at, &key, &format!("http://{at}"), &mut stream).starts_with("HTTP/1.1 200 ")
    };
    let let_in = std::thread::scope(|scope| {
        let asking: Vec<_> = (0..8).map(|_| scope.spawn(ask)).collect();
        asking.into_iter().map(|of| of.join().unwrap()).filter(|is| *is).count()
    });
    assert_eq!(let_in, 1);
}

#[rstest]
#[case::another_path("/etc/passwd", "404")]
#[case::up("/../Cargo.toml", "404")]
#[case::no_key("/send", "403")]
#[case::no_origin("/send?k=1", "403")]
fn what_is_not_there_is_not_served(#[case] path: &str, #[case] status: &str) {
    let answer = get(&house(), path, "");
    assert!(answer.starts_with(&format!("HTTP/1.1 {status} ")), "{answer}");
}

#[test]
fn another_method_or_name_is_refused() {
    let house = house();
    let at = address(&house);
    let posted = answer(&house, format!("POST / HTTP/1.1\r\nHost: {at}\r\n\r\n").as_bytes());
    assert!(posted.starts_with("HTTP/1.1 405 "), "{posted}");
    let named = answer(&house, b"GET / HTTP/1.1\r\nHost: evil.example\r\n\r\n");
    assert!(named.starts_with("HTTP/1.1 421 ") && named.contains("by the address"), "{named}");
    // What is no request at all is closed, and so is a head that never ends.
    assert_eq!(answer(&house, b"\x16\x03\x01\r\n\r\n"), "");
    let endless = format!("GET / HTTP/1.1\r\nX: {}", "y".repeat(20_000));
    assert_eq!(answer(&house, endless.as_bytes()), "");
}

/// A browser tells truly of which page a script is, and a script that knows the key is refused
/// all the same.
#[rstest]
#[case::of_another_page("/send", true, "http://evil.example", 403)]
#[case::of_another_port("/read", true, "http://127.0.0.1:1", 403)]
#[case::without_the_key("/send", false, "", 403)]
fn foreign_scripts_get_no_socket(
    #[case] path: &str,
    #[case] knows: bool,
    #[case] origin: &str,
    #[case] status: u16,
) {
    let mut house = house();
    let at = address(&house);
    let own = format!("http://{at}");
    let origin = if origin.is_empty() { &own } else { origin };
    let said = if knows { enter(&mut house) } else { "0".repeat(32) };
    let stream = TcpStream::connect(at).unwrap();
    let refused = tungstenite::client(request(&house, path, &said, origin), stream);
    match refused.err().unwrap() {
        tungstenite::HandshakeError::Failure(tungstenite::Error::Http(answer)) => {
            assert_eq!(answer.status(), status);
        }
        other => panic!("{other}"),
    }
}

#[test]
fn what_a_page_sends_becomes_a_device() {
    let mut house = house();
    let mut socket = socket(&mut house, "/send");
    let plug = PAD.replacen('{', r#"{"t":1000000,"#, 1);
    say(&mut socket, &[&greeting("phone"), &plug]);
    // Several lines in a message, and a message in several frames.
    let press = r#"{"t":2000000,"on":"pad1","c":"south","v":1,"n":7}"#;
    let release = r#"{"t":3000000,"on":"pad1","c":"south","v":0,"n":8}"#;
    say(&mut socket, &[press, release]);
    let (first, rest) = r#"{"t":4000000,"on":"pad1","c":"stick-l-x","v":50,"n":11}"#.split_at(20);
    let part = |text: &str, opcode, is_last| {
        Message::Frame(Frame::message(text.as_bytes().to_vec(), OpCode::Data(opcode), is_last))
    };
    socket.send(part(first, Data::Text, false)).unwrap();
    socket.send(part(rest, Data::Continue, true)).unwrap();
    house.until("the stick", |house| house.values("stick-l-x").len() == 1);
    assert_eq!(house.values("south"), [1, 0]);
    // Numbers that are missing are lines that were lost.
    assert!(house.events("stick-l-x")[0].marks.contains(Marks::RESYNCED));
    let sender = house.hub.senders().remove(0);
    assert_eq!((sender.name.as_str(), sender.missed), ("phone", 2));
    assert!(sender.place.starts_with("page:127.0.0.1:"), "{}", sender.place);
    // It comes again under its name: the same sender, with what is held.
    drop(socket);
    house.until("its end", |house| house.hub.senders()[0].state == SenderIs::Lost);
    let mut socket = self::socket(&mut house, "/send");
    let held = r#"{"t":9000000,"on":"pad1","c":"south","v":1,"mark":"carried"}"#;
    say(&mut socket, &[&greeting("phone"), &plug, held]);
    house.until("what is held", |house| house.values("south") == [1, 0, 1]);
    assert_eq!(house.hub.senders()[0].came, 2);
}

/// Of two pages of one name the older is told why it has to go, so that they do not throw each
/// other out for ever.
#[test]
fn the_older_of_two_pages_is_told_that_it_was_replaced() {
    let mut house = house();
    let mut older = socket(&mut house, "/send");
    say(&mut older, &[&greeting("phone")]);
    house.until("the older", |house| !house.hub.senders().is_empty());
    let mut newer = socket(&mut house, "/send");
    say(&mut newer, &[&greeting("phone"), PAD, r#"{"on":"pad1","c":"south","v":1}"#]);
    let told = older.read().unwrap().into_text().unwrap();
    assert!(told.contains(r#""replaced":true"#), "{told}");
    house.until("the press", |house| house.values("south") == [1]);
}

#[test]
fn a_page_answers_for_its_clock_and_is_told_of_its_faults() {
    let mut house = house();
    let mut socket = socket(&mut house, "/send");
    say(&mut socket, &[r#"{"live":1,"name":"phone","answers":true}"#]);
    let asked = loop {
        house.drain();
        if let Message::Text(text) = socket.read().unwrap() {
            break text;
        }
    };
    assert!(asked.starts_with(r#"{"sync":1}"#), "{asked}");
    say(&mut socket, &[r#"{"t":5,"sync":1}"#, "no line"]);
    let told = socket.read().unwrap().into_text().unwrap();
    assert!(told.contains(r#""error":"line 2:"#), "{told}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Whatever comes instead of a request, or on a socket instead of messages, harms nobody else.
    #[test]
    fn any_bytes_are_survived(
        requests in vec(vec(any::<u8>(), 0..200), 1..4),
        frames in vec((0x80u8..=0x8f, vec(any::<u8>(), 0..300)), 1..4),
    ) {
        let mut house = house();
        for bytes in &requests {
            let mut stream = TcpStream::connect(address(&house)).unwrap();
            let _ = stream.write_all(bytes);
        }
        let mut odd = socket(&mut house, "/send");
        for (first, bytes) in &frames {
            let _ = odd.get_mut().write_all(&[&[*first], bytes.as_slice()].concat());
        }
        drop(odd);
        let mut good = socket(&mut house, "/send");
        say(&mut good, &[&greeting("phone"), PAD, r#"{"on":"pad1","c":"south","v":1}"#]);
        house.until("the press", |house| house.values("south") == [1]);
    }
}

/// A browser tells of an event with the time at which it happened, and an answer about its clock
/// may have been written meanwhile: what is told after it does not go back for it.
#[test]
fn what_is_told_after_an_answer_may_be_older_than_it() {
    let mut house = house();
    let mut socket = socket(&mut house, "/send");
    let press = r#"{"t":1000000,"on":"pad1","c":"south","v":1}"#;
    say(&mut socket, &[r#"{"live":1,"name":"phone","answers":true}"#, PAD, press]);
    house.until("the press", |house| house.values("south") == [1]);
    let asked = socket.read().unwrap().into_text().unwrap();
    // By the answer, which the clock of the page is 50 ms further for, the press was earlier.
    let answer = asked.trim_end().replace('{', r#"{"t":50000000,"#);
    say(&mut socket, &[&answer, r#"{"t":2000000,"on":"pad1","c":"south","v":0}"#]);
    house.until("the release", |house| house.values("south") == [1, 0]);
    let release = house.events("south")[1];
    assert!(!release.marks.contains(Marks::DISORDERED), "{:?}", release.marks);
}

/// A message that is longer than any line ends the connection, and says why on the screen.
#[test]
fn a_message_beyond_its_bound_closes_the_socket() {
    let mut house = house();
    let mut socket = socket(&mut house, "/send");
    say(&mut socket, &[&greeting("phone")]);
    house.until("the phone", |house| !house.hub.senders().is_empty());
    let _ = socket.send(Message::text("x".repeat(300_000)));
    house.until("its end", |house| house.hub.senders()[0].state == SenderIs::Lost);
    let told = house.troubles().join("\n");
    assert!(told.contains("phone: cannot be read") && told.contains("it was closed"), "{told}");
}

#[test]
fn a_page_reads_what_is_published() {
    let publisher = Publisher::open(&[], None, r#"{"gtrig":1,"rig":"one"}"#).unwrap();
    let options = Options { readers: Some(publisher.door()), ..Options::default() };
    let mut house = House::at(&"page:127.0.0.1:0".parse().unwrap(), options);
    let mut socket = socket(&mut house, "/read");
    let started = Instant::now();
    while !publisher.is_state_wanted() {
        assert!(started.elapsed() < PATIENCE, "nobody asks how things stand");
    }
    publisher.state(b"{\"tick\":1}\n");
    publisher.lines(b"{\"tick\":2}\n{\"tick\":3}\n");
    publisher.greet(r#"{"gtrig":1,"rig":"two"}"#);
    publisher.lines(b"{\"tick\":4}\n");
    let mut heard = String::new();
    while !heard.contains("4}") {
        heard += socket.read().unwrap().to_text().unwrap();
    }
    let lines: Vec<&str> = heard.lines().collect();
    let expected = [
        r#"{"gtrig":1,"rig":"one"}"#,
        r#"{"tick":1}"#,
        r#"{"tick":2}"#,
        r#"{"tick":3}"#,
        r#"{"gtrig":1,"rig":"two"}"#,
        r#"{"tick":4}"#,
    ];
    assert_eq!(lines, expected);
    drop(socket);
    while publisher.readers() > 0 {
        assert!(started.elapsed() < PATIENCE, "it is not noticed that it went");
    }
}

/// One that does not read loses lines, and is told; nobody waits for it.
#[test]
fn a_page_that_does_not_read_is_not_waited_for() {
    let publisher = Publisher::open(&[], None, "{}").unwrap();
    let options = Options { readers: Some(publisher.door()), ..Options::default() };
    let mut house = House::at(&"page:127.0.0.1:0".parse().unwrap(), options);
    let mut socket = socket(&mut house, "/read");
    let line = format!("{{\"x\":\"{}\"}}\n", "y".repeat(60_000));
    let started = Instant::now();
    let mut is_behind = false;
    while !is_behind {
        assert!(started.elapsed() < PATIENCE, "it never falls behind");
        if publisher.is_state_wanted() {
            publisher.state(b"{\"state\":1}\n");
        }
        for _ in 0..200 {
            publisher.lines(line.as_bytes());
        }
        // What has come, if anything has.
        socket.get_ref().set_read_timeout(Some(Duration::from_millis(10))).unwrap();
        is_behind = match socket.read() {
            Ok(message) => message.to_text().unwrap().contains("missed_bytes"),
            Err(tungstenite::Error::Io(error)) if error.kind() == io::ErrorKind::WouldBlock => {
                false
            }
            Err(error) => panic!("{error}"),
        };
    }
}

/// Trusts the one certificate whose fingerprint it was told, as a person does.
#[derive(Debug, Default)]
struct Compare(Mutex<Vec<u8>>);

impl ServerCertVerifier for Compare {
    fn verify_server_cert(
        &self,
        certificate: &CertificateDer<'_>,
        _: &[CertificateDer<'_>],
        _: &ServerName<'_>,
        _: &[u8],
        _: UnixTime,
    ) -> Result<ServerCertVerified, rustls::Error> {
        *self.0.lock().unwrap() = certificate.to_vec();
        Ok(ServerCertVerified::assertion())
    }

    fn verify_tls12_signature(
        &self,
        _: &[u8],
        _: &CertificateDer<'_>,
        _: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        Err(rustls::Error::General("only TLS 1.3 is spoken here".to_owned()))
    }

    fn verify_tls13_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, rustls::Error> {
        let known = ring::default_provider().signature_verification_algorithms;
        rustls::crypto::verify_tls13_signature(message, certificate, signed, &known)
    }

    fn supported_verify_schemes(&self) -> Vec<SignatureScheme> {
        ring::default_provider().signature_verification_algorithms.supported_schemes()
    }
}

#[test]
fn over_tls_the_certificate_is_the_one_that_is_shown() {
    let mut house = House::at(&"page-tls:127.0.0.1:0".parse().unwrap(), Options::default());
    let at = address(&house);
    let invitation = house.hub.invitations()[0].clone();
    assert!(invitation.addresses[0].starts_with(&format!("https://{at}/#k=")));
    let seen = Arc::new(Compare::default());
    let config = ClientConfig::builder_with_provider(Arc::new(ring::default_provider()))
        .with_safe_default_protocol_versions()
        .unwrap()
        .dangerous()
        .with_custom_certificate_verifier(seen.clone())
        .with_no_client_auth();
    let config = Arc::new(config);
    let connect = || {
        let name = ServerName::try_from("127.0.0.1").unwrap();
        let client = ClientConnection::new(config.clone(), name).unwrap();
        let stream = TcpStream::connect(at).unwrap();
        stream.set_read_timeout(Some(PATIENCE)).unwrap();
        StreamOwned::new(client, stream)
    };
    let origin = format!("https://{at}");
    let answer = post(at, &key(&house), &origin, &mut connect());
    let (_, own) = answer.split_once("\r\n\r\n").unwrap();
    let request = request(&house, "/send", own, &origin);
    let (mut socket, _) = tungstenite::client(request, connect()).unwrap();
    let digest = ::ring::digest::digest(&::ring::digest::SHA256, &seen.0.lock().unwrap());
    let pairs: Vec<String> = digest.as_ref().iter().map(|byte| format!("{byte:02X}")).collect();
    assert_eq!(invitation.fingerprint, Some(pairs.join(":")));
    say(&mut socket, &[&greeting("phone"), PAD, r#"{"on":"pad1","c":"south","v":1}"#]);
    house.until("the press", |house| house.values("south") == [1]);
    // One who speaks without TLS, or says nothing, holds up nobody.
    let mut plain = TcpStream::connect(at).unwrap();
    plain.write_all(b"GET / HTTP/1.1\r\n\r\n").unwrap();
    let _silent = TcpStream::connect(at).unwrap();
    say(&mut socket, &[r#"{"on":"pad1","c":"south","v":0}"#]);
    house.until("the release", |house| house.values("south") == [1, 0]);
    plain.set_read_timeout(Some(PATIENCE)).unwrap();
    let mut told = Vec::new();
    let ended: io::Result<usize> = plain.read_to_end(&mut told);
    assert!(ended.is_ok() || !told.starts_with(b"HTTP"), "{told:?}");
}
