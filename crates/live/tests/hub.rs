//! Programs that really connect, and what a session hears of them.

mod common;

use common::*;
use gtrig_core::{Marks, Nanos, Presence};
use gtrig_live::*;
use gtrig_sources::{SenderIs, Source};
use rstest::rstest;
use std::{io::Write, net::TcpStream};

#[rstest]
#[case::unix(true)]
#[case::tcp(false)]
fn a_press_comes_through(#[case] is_unix: bool) {
    let mut house = House::open(is_unix);
    let mut sender = house.connect();
    sender.say(&[&greeting("crane"), PAD, r#"{"t":1000,"on":"pad1","c":"south","v":1}"#]);
    house.until("the press", |house| house.values("south") == [1]);
    sender.say(&[r#"{"t":2000,"on":"pad1","c":"south","v":0}"#]);
    house.until("the release", |house| house.values("south") == [1, 0]);
    let [state] = &house.hub.senders()[..] else { panic!("one sender") };
    assert_eq!((state.name.as_str(), state.state, state.lines), ("crane", SenderIs::Here, 3));
}

/// However the bytes are cut into packets.
#[test]
fn a_line_may_come_in_pieces() {
    let mut house = House::open(true);
    let mut sender = house.connect();
    let text =
        format!("{}\r\n{PAD}\n\n{{\"on\":\"pad1\",\"c\":\"south\",\"v\":1}}\n", greeting("crane"));
    for byte in text.as_bytes() {
        sender.stream.write_all(&[*byte]).unwrap();
    }
    house.until("the press", |house| house.values("south") == [1]);
}

/// A sender that dies holds nothing any more, and is the same device when it comes again.
#[test]
fn one_that_dies_and_returns_goes_on_as_the_same_device() {
    let mut house = House::open(true);
    let press = r#"{"on":"pad1","c":"south","v":1}"#;
    for round in 1..=3 {
        let mut sender = house.connect();
        sender.say(&[&greeting("crane"), PAD, press]);
        house.until("the press", |house| house.presence() == Some(Presence::Here));
        house.until("the press", |house| house.values("south").len() == round);
        drop(sender);
        house.until("it went", |house| house.presence() == Some(Presence::Gone));
    }
    assert_eq!(house.session.roster().devices().len(), 1);
    house.until("it counts as lost", |house| {
        let [state] = &house.hub.senders()[..] else { panic!("one sender") };
        (state.came, state.state) == (3, SenderIs::Lost)
    });
}

/// A connection can be dead without anybody knowing: the newer one is the sender.
#[test]
fn one_that_comes_twice_takes_its_own_place() {
    let mut house = House::open(true);
    let mut first = house.connect();
    first.say(&[&greeting("crane"), PAD]);
    house.until("the first", |house| house.presence() == Some(Presence::Here));
    let mut second = house.connect();
    second.say(&[&greeting("crane"), PAD, r#"{"on":"pad1","c":"south","v":1}"#]);
    house.until("the second", |house| house.values("south") == [1]);
    let told = first.rest();
    assert!(told.contains(r#""replaced":true"#) && told.lines().count() == 1, "{told}");
    assert_eq!(house.session.roster().devices().len(), 1);
    assert_eq!(house.presence(), Some(Presence::Here));
}

#[test]
fn what_is_lost_is_counted_and_the_next_value_says_so() {
    let mut house = House::open(true);
    let mut sender = house.connect();
    let value = |n: u64, v: i32| format!(r#"{{"on":"pad1","c":"south","v":{v},"n":{n}}}"#);
    sender.say(&[&greeting("crane"), PAD, &value(1, 1), &value(2, 0), &value(9, 1), &value(10, 0)]);
    house.until("all of it", |house| house.values("south").len() == 4);
    let marks: Vec<Marks> = house.events("south").iter().map(|event| event.marks).collect();
    let is_resynced: Vec<bool> = marks.iter().map(|m| m.contains(Marks::RESYNCED)).collect();
    assert_eq!(is_resynced, [false, false, true, false]);
    assert_eq!(house.hub.senders()[0].missed, 6);
    assert_eq!(house.troubles(), ["crane: 6 line(s) of it were lost so far"]);
}

/// A line that is none is told to both sides, and those beside it count.
#[test]
fn a_bad_line_is_left_out() {
    let mut house = House::open(true);
    let mut sender = house.connect();
    sender.say(&[&greeting("crane"), PAD, "{", r#"{"on":"pad1","c":"sauth","v":1}"#]);
    sender.say(&[r#"{"on":"pad1","c":"south","v":1}"#]);
    house.until("the press", |house| house.values("south") == [1]);
    assert_eq!(house.hub.senders()[0].faults, 2);
    sender.end();
    let said = sender.rest();
    assert!(said.contains("line 2: ") && said.contains("did you mean"), "{said}");
}

/// Each is told why, closed, and does not bother the one beside it.
#[rstest]
#[case::no_greeting("hello", "no greeting")]
#[case::another_version(r#"{"live":2,"name":"x"}"#, "version 2")]
#[case::a_name_with_spaces(r#"{"live":1,"name":"a b"}"#, "is not 1 to 40")]
#[case::a_name_that_commands(r#"{"live":1,"name":"\u001b[2J"}"#, "is not 1 to 40")]
#[case::an_unknown_clock(r#"{"live":1,"name":"x","clock":"sun"}"#, "neither")]
#[case::no_boot(r#"{"live":1,"name":"x","clock":"monotonic"}"#, "boot_id")]
#[case::a_long_delay(r#"{"live":1,"name":"x","delay":9999999999}"#, "at most 1000000000 ns")]
fn one_that_greets_wrongly_is_refused(#[case] line: &str, #[case] why: &str) {
    let mut house = House::open(true);
    let mut other = house.connect();
    other.say(&[&greeting("other"), PAD]);
    let mut sender = house.connect();
    sender.say(&[line]);
    let said = sender.rest();
    assert!(said.contains("\"error\"") && said.contains(why), "{said}");
    other.say(&[r#"{"on":"pad1","c":"south","v":1}"#]);
    house.until("the other", |house| house.values("south") == [1]);
    assert!(house.troubles()[0].contains(why));
}

#[test]
fn many_bad_lines_end_it() {
    let mut house = House::open(true);
    let mut sender = house.connect();
    sender.say(&[&greeting("crane")]);
    let bad = vec!["nonsense"; MAX_FAULTS as usize + 50];
    sender.say(&bad);
    house.until("it is closed", |house| {
        house.hub.senders().first().is_some_and(|sender| sender.state == SenderIs::Lost)
    });
    assert_eq!(house.hub.senders()[0].faults, MAX_FAULTS);
}

/// A line without an end takes no memory, and the next one counts.
#[test]
fn an_endless_line_is_left_out() {
    let mut house = House::open(true);
    let mut sender = house.connect();
    sender.say(&[&greeting("crane"), PAD]);
    let chunk = vec![b'x'; 1 << 16];
    for _ in 0..64 {
        sender.stream.write_all(&chunk).unwrap();
    }
    sender.say(&["", r#"{"on":"pad1","c":"south","v":1}"#]);
    house.until("the press", |house| house.values("south") == [1]);
    assert_eq!(house.hub.senders()[0].faults, 1);
}

#[test]
fn a_sender_has_so_many_devices_and_no_more() {
    let mut house = House::open(true);
    let mut sender = house.connect();
    let pads: Vec<String> =
        (0..100).map(|at| PAD.replace("\"pad1\"", &format!("\"pad{at}\""))).collect();
    sender.say(&[&greeting("crane")]);
    sender.say(&pads.iter().map(String::as_str).collect::<Vec<_>>());
    house.until("all lines", |house| {
        house.hub.senders().first().is_some_and(|sender| sender.lines == 100)
    });
    house.drain();
    assert_eq!(house.session.roster().devices().len(), 64);
    assert_eq!(house.hub.senders()[0].faults, 36);
    let told = house.troubles().concat();
    assert!(told.contains("at most 64 devices"), "{told}");
}

/// Also when it goes and comes with others each time.
#[test]
fn devices_are_counted_over_every_time_it_comes() {
    let mut house = House::open(true);
    for round in 0.. {
        let mut sender = house.connect();
        let pads: Vec<String> =
            (0..40).map(|at| PAD.replace("\"pad1\"", &format!("\"pad{round}-{at}\""))).collect();
        sender.say(&[&greeting("crane")]);
        sender.say(&pads.iter().map(String::as_str).collect::<Vec<_>>());
        if round == 1 {
            assert!(sender.rest().contains("over every time it came"));
            break;
        }
        house.until("all lines", |house| {
            house.hub.senders().first().is_some_and(|sender| sender.lines == 40)
        });
    }
    house.drain();
    assert_eq!(house.session.roster().devices().len(), 64);
}

/// Also when it goes and comes again.
#[test]
fn so_many_labels_are_kept() {
    let mut house = House::open(true);
    let labels = vec![r#"{"label":"x"}"#; 6_000];
    for round in 1..=2 {
        let mut sender = house.connect();
        sender.say(&[&greeting("crane")]);
        sender.say(&labels[..if round == 1 { 6_000 } else { 4_050 }]);
        house.until("its labels", |house| {
            house
                .hub
                .senders()
                .first()
                .is_some_and(|s| s.came == round && s.lines >= [6_000, 10_050][round as usize - 1])
        });
    }
    house.drain();
    assert_eq!(house.session.labels().len(), 10_000);
    assert_eq!(house.hub.senders()[0].faults, 50);
}

/// Tying them to the rig one by one would take seconds.
#[test]
fn devices_that_come_and_go_all_the_time_hold_nobody_up() {
    const TIMES: usize = 5_000;
    let mut house = House::open(true);
    let mut calm = house.connect();
    calm.say(&[&greeting("calm"), PAD]);
    let mut restless = house.connect();
    // They take no slots, which others could have when they come again.
    let boxes = PAD.replace("\"kind\":\"pad\"", "\"kind\":\"other\"");
    let pads: Vec<String> =
        (0..60).map(|at| boxes.replace("\"pad1\"", &format!("\"p{at}\""))).collect();
    restless.say(&[&greeting("restless")]);
    restless.say(&pads.iter().map(String::as_str).collect::<Vec<_>>());
    let again = [r#"{"unplug":"p0"}"#, &pads[0]].repeat(TIMES);
    restless.say(&again);
    calm.say(&[r#"{"on":"pad1","c":"south","v":1}"#]);
    house.until("the calm one", |house| house.values("south") == [1]);
    house.until("all of it", |house| {
        house
            .hub
            .senders()
            .iter()
            .all(|s| s.waiting == 0 && (s.name == "calm" || s.lines as usize == 60 + 2 * TIMES))
    });
    let identities: Vec<&str> =
        house.session.roster().devices().map(|(_, device)| device.info.identity.as_str()).collect();
    assert_eq!(identities.len(), 61, "{identities:?}");
}

/// The clock of this machine needs no estimate; what claims to come later does not.
#[test]
fn the_clock_of_this_machine_is_taken_as_it_is() {
    let boot = std::fs::read_to_string("/proc/sys/kernel/random/boot_id").unwrap();
    let mut house = House::open(true);
    let mut sender = house.connect();
    let greeting =
        format!(r#"{{"live":1,"name":"crane","clock":"monotonic","boot":"{}"}}"#, boot.trim());
    let before = gtrig_sources::monotonic_now().unwrap();
    let value = |t: u64| format!(r#"{{"t":{t},"on":"pad1","c":"south","v":1}}"#);
    let plug = PAD.replacen('{', &format!("{{\"t\":{},", before.0 - 20_000_000), 1);
    sender.say(&[
        &greeting,
        &plug,
        &value(before.0 - 9_000_000),
        &value(before.0),
        &value(before.0 + 3_600_000_000_000),
    ]);
    house.until("all", |house| house.values("south").len() == 3);
    let times: Vec<Nanos> = house.events("south").iter().map(|event| event.time).collect();
    assert_eq!(times[1].0 - times[0].0, 9_000_000);
    assert!(times[2] <= house.now() && times[2] > times[1]);
    assert!(house.hub.senders()[0].is_our_clock);
}

/// A program that answers lets its clock be known from both sides.
#[test]
fn one_that_answers_has_an_uncertainty() {
    let mut house = House::open(true);
    let mut sender = house.connect();
    sender.say(&[r#"{"live":1,"name":"crane","answers":true}"#, PAD]);
    for _ in 0..3 {
        let asked = house.line_of(&mut sender);
        let number: u64 =
            asked.trim().trim_matches(['{', '}']).split(':').nth(1).unwrap().parse().unwrap();
        let now = gtrig_sources::monotonic_now().unwrap().0 - 5_000_000_000;
        sender.say(&[&format!(r#"{{"t":{now},"sync":{number}}}"#)]);
    }
    house.until("a bound", |house| {
        house.hub.senders()[0].clock.is_some_and(|clock| clock.uncertainty.is_some())
    });
    let clock = house.hub.senders()[0].clock.unwrap();
    let (error, uncertainty) =
        ((clock.offset_ns - 5_000_000_000).unsigned_abs(), clock.uncertainty.unwrap());
    assert!(error <= uncertainty.0, "{clock:?}");
    assert!(uncertainty < Nanos::from_millis(2_000), "{clock:?}");
}

/// Sixty-four at once, and none of them loses a line.
#[test]
fn many_senders_are_heard_at_once() {
    const VALUES: usize = 500;
    let mut house = House::open(true);
    let mut senders: Vec<Peer> = (0..MAX_NAMES).map(|_| house.connect()).collect();
    for (at, sender) in senders.iter_mut().enumerate() {
        sender.say(&[&greeting(&format!("crane-{at}")), PAD]);
    }
    for round in 0..VALUES {
        for sender in &mut senders {
            sender.say(&[&format!(
                r#"{{"on":"pad1","c":"south","v":{},"n":{}}}"#,
                round % 2,
                round + 1
            )]);
        }
        house.drain();
    }
    house.until("all of it", |house| {
        house.hub.senders().iter().all(|s| s.lines == VALUES as u64 + 1 && s.waiting == 0)
    });
    house.drain();
    assert_eq!(house.values("south").len(), MAX_NAMES * VALUES);
    let mut one_more = house.connect();
    one_more.say(&[&greeting("one-more")]);
    assert!(one_more.rest().contains("64 names"));
}

/// One that floods waits, loses nothing, and the others do not notice.
#[test]
fn one_that_floods_is_held_up() {
    const LINES: usize = 3 * QUEUE;
    let mut house = House::open(true);
    let mut flood = house.connect();
    flood.say(&[&greeting("flood"), PAD]);
    let mut calm = house.connect();
    calm.say(&[&greeting("calm"), &PAD.replace("south", "east")]);
    house.until("both", |house| house.session.roster().devices().len() == 2);
    let pouring = std::thread::spawn(move || {
        let line = b"{\"on\":\"pad1\",\"c\":\"south\",\"v\":1}\n".repeat(1000);
        for _ in 0..LINES / 1000 {
            flood.stream.write_all(&line).unwrap();
        }
        flood
    });
    house.until_without_draining("it is held up", |house| {
        house.hub.senders().iter().any(|s| s.name == "flood" && s.slowed > 0)
    });
    assert!(house.hub.senders().iter().all(|s| s.waiting <= QUEUE as u64 + 1));
    calm.say(&[r#"{"on":"pad1","c":"east","v":1}"#]);
    house.until("the calm one", |house| house.values("east") == [1]);
    house.until("all of it", |house| house.values("south").len() == LINES / 1000 * 1000);
    drop(pouring.join().unwrap());
}

#[rstest]
#[case::without(None, false)]
#[case::wrong(Some("secres"), false)]
#[case::right(Some("secret"), true)]
fn from_other_machines_a_token_is_needed(#[case] token: Option<&str>, #[case] is_let_in: bool) {
    let place: Place = "tcp:0.0.0.0:0".parse().unwrap();
    let nobody = Hub::open(std::slice::from_ref(&place), Options::default(), Nanos(0));
    assert!(nobody.unwrap_err().to_string().contains("GTRIG_TOKEN"));
    let options = Options { token: Some("secret".into()), ..Options::default() };
    let mut house = House::at(&place, options);
    let Place::Tcp(address) = house.hub.places()[0] else { panic!("a port") };
    let stream = TcpStream::connect(("127.0.0.1", address.port())).unwrap();
    let mut sender = Peer::of(stream);
    let token = token.map_or(String::new(), |token| format!(r#","token":"{token}""#));
    sender.say(&[&format!(r#"{{"live":1,"name":"far"{token}}}"#), PAD]);
    if is_let_in {
        house.until("it is let in", |house| house.presence() == Some(Presence::Here));
    } else {
        assert!(sender.rest().contains("a token is needed"));
        assert!(house.hub.senders().is_empty());
    }
}

/// A take that is sent is heard like any sender, and ends as it says.
#[test]
fn a_take_can_be_sent() {
    let mut house = House::open(true);
    let mut sender = house.connect();
    let take = include_str!("../../../demo/lost-tap.take.jsonl");
    sender.say(&take.lines().collect::<Vec<_>>());
    house.until("it is done", |house| {
        house.hub.senders().first().is_some_and(|sender| sender.state == SenderIs::Done)
    });
    house.drain();
    let values = take.lines().filter(|line| line.contains("\"v\":")).count();
    assert_eq!(house.hub.senders()[0].faults, 0);
    let presences = house.session.roster().devices().len();
    assert_eq!(house.count(), values + 2 * presences);
}

#[test]
fn a_pipe_is_heard_and_heard_again() {
    let (_folder, path, mut house) = house_with_a_pipe();
    for round in 1..=2 {
        let mut pipe = writer(&path);
        pipe.write_all(press("crane").as_bytes()).unwrap();
        house.until("the press", |house| house.values("south").len() == round);
        drop(pipe);
        house.until("it went", |house| house.presence() == Some(Presence::Gone));
    }
}

/// The folder of a named pipe, the pipe, and who hears it.
fn house_with_a_pipe() -> (tempfile::TempDir, std::path::PathBuf, House) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("crane.pipe");
    nix::unistd::mkfifo(&path, nix::sys::stat::Mode::S_IRWXU).unwrap();
    let house = House::at(&Place::Pipe(path.clone()), Options::default());
    (folder, path, house)
}

fn writer(pipe: &std::path::Path) -> std::fs::File {
    std::fs::OpenOptions::new().write(true).open(pipe).unwrap()
}

/// All that a program says which presses a button.
fn press(name: &str) -> String {
    format!("{}\n{PAD}\n{{\"on\":\"pad1\",\"c\":\"south\",\"v\":1}}\n", greeting(name))
}

/// What each of many programs says is heard, however soon it comes after the one before, and
/// though it is gone before anybody looks.
#[test]
fn nothing_is_lost_between_two_programs_of_a_pipe() {
    let (_folder, path, mut house) = house_with_a_pipe();
    for _ in 0..200 {
        writer(&path).write_all(press("crane").as_bytes()).unwrap();
    }
    house.until("all of them", |house| house.values("south").len() == 200);
}

/// A program opens a pipe before the one before has closed it: nobody can see an end between them.
#[rstest]
#[case::it_is_killed("", SenderIs::Lost)]
#[case::it_is_killed_in_a_line(r#"{"on":"pad1","c":"so"#, SenderIs::Lost)]
#[case::it_is_killed_where_it_greets(
    r#"{"t":9,"ends":true}
{"live":1,"na"#,
    SenderIs::Done
)]
#[case::it_ends("{\"t\":9000000000,\"ends\":true}\nno line counts behind it\n", SenderIs::Done)]
#[case::it_is_refused(&"nonsense\n".repeat(1_000), SenderIs::Lost)]
fn a_greeting_in_a_pipe_is_that_of_the_next_program(#[case] end: &str, #[case] is: SenderIs) {
    let (_folder, path, mut house) = house_with_a_pipe();
    let mut pipe = writer(&path);
    write!(pipe, "{}{end}{}", press("one"), press("other")).unwrap();
    house.until("both", |house| house.values("south").len() == 2);
    let states: Vec<_> = house.hub.senders().iter().map(|of| (of.name.clone(), of.state)).collect();
    assert_eq!(states, [("one".to_owned(), is), ("other".to_owned(), SenderIs::Here)]);
}

/// A program that says nonsense for ever is told of once.
#[test]
fn nonsense_in_a_pipe_is_told_of_once() {
    let (_folder, path, mut house) = house_with_a_pipe();
    let mut pipe = writer(&path);
    for _ in 0..100 {
        pipe.write_all("nonsense\n".repeat(1_000).as_bytes()).unwrap();
    }
    pipe.write_all(press("crane").as_bytes()).unwrap();
    house.until("the press", |house| house.values("south").len() == 1);
    let told = house.troubles();
    assert!(matches!(&told[..], [once] if once.contains("no greeting")), "{told:?}");
}

#[rstest]
#[case::nothing_there("nowhere.pipe", "mkfifo")]
#[case::a_file("file", "--follow")]
#[case::a_socket_in_use("unix:used", "in use")]
fn a_place_where_nobody_can_come_is_refused(#[case] name: &str, #[case] why: &str) {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("file"), "x").unwrap();
    let _used = std::os::unix::net::UnixListener::bind(folder.path().join("used")).unwrap();
    let place = match name.strip_prefix("unix:") {
        Some(name) => Place::Unix(folder.path().join(name)),
        None => Place::Pipe(folder.path().join(name)),
    };
    let error = Hub::open(&[place], Options::default(), Nanos(0)).unwrap_err().to_string();
    assert!(error.contains(why), "{error}");
}

/// What is wrong with a port is said with what to do.
#[rstest]
#[case::tcp("tcp:PORT")]
#[case::a_page("page:127.0.0.1:PORT")]
fn a_port_that_another_program_has_is_refused(#[case] place: &str) {
    let used = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let port = used.local_addr().unwrap().port().to_string();
    let place: Place = place.replace("PORT", &port).parse().unwrap();
    let error = Hub::open(&[place], Options::default(), Nanos(0)).unwrap_err().to_string();
    assert!(error.contains("another program has that port: name another"), "{error}");
    let error = Hub::open(&["tcp:203.0.113.77:4710".parse().unwrap()], secret(), Nanos(0));
    let error = error.unwrap_err().to_string();
    assert!(error.contains("this machine has no such address"), "{error}");
}

fn secret() -> Options {
    Options { token: Some("secret".to_owned()), ..Options::default() }
}

/// A socket that a killed program left behind is taken over, and only its owner may use it.
#[test]
fn a_socket_is_its_owners_alone_and_goes_with_the_hub() {
    use std::os::unix::fs::PermissionsExt;
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("left");
    drop(std::os::unix::net::UnixListener::bind(&path).unwrap());
    let house = House::at(&Place::Unix(path.clone()), Options::default());
    let mode = std::fs::metadata(&path).unwrap().permissions().mode();
    assert_eq!(mode & 0o777, 0o600);
    drop(house);
    assert!(!path.exists());
}

/// The polls of a frame are mapped as its time is: how long each was before it stays.
#[test]
fn a_frame_keeps_its_times_by_any_clock() {
    let mut house = House::open(true);
    let mut sender = house.connect();
    sender.say(&[&greeting("crane"), PAD]);
    sender.say(&[
        r#"{"t":7000000000,"on":"pad1","c":"south","v":1}"#,
        r#"{"t":7004000000,"frame":1,"polled":[7000500000,7003000000],"steps":2,"read":{"pad1":{"south":1}},"gives":{"Horn":1}}"#,
        r#"{"t":7020000000,"frame":2,"polled":7019000000,"gives":{"Horn":0}}"#,
    ]);
    house.until("both frames", |house| house.session.frames().len() == 2);
    let frames: Vec<_> = house.session.frames().iter().cloned().collect();
    let first = &frames[0];
    assert_eq!(
        (first.acted.0 - first.polled[0].0, first.acted.0 - first.polled[1].0),
        (3_500_000, 1_000_000)
    );
    assert_eq!((first.number, first.steps, first.reads.len()), (1, Some(2), 1));
    assert_eq!((frames[1].number, frames[1].acted.0 - frames[1].polled[0].0), (2, 1_000_000));
    assert_eq!(house.session.frames().games()[0].as_str(), "crane");
}

/// Times of `south` as the sender told them, in milliseconds; how far apart they come out.
fn apart(told: &[u64], more: &[&str]) -> Vec<u64> {
    let mut house = House::open(true);
    let mut sender = house.connect();
    let value = |(at, ms): (usize, &u64)| {
        format!(r#"{{"t":{},"on":"pad1","c":"south","v":{}}}"#, ms * 1_000_000, (at + 1) % 2)
    };
    let values: Vec<String> = told.iter().enumerate().map(value).collect();
    let greeting = greeting("crane");
    let plug = PAD.replacen('{', "{\"t\":6990000000,", 1);
    let lines: Vec<&str> =
        [greeting.as_str(), &plug].into_iter().chain(more.iter().copied()).collect();
    // In one piece, as what is read late arrives.
    sender.say(&[lines, values.iter().map(String::as_str).collect()].concat());
    house.until("all", |house| house.events("south").len() == told.len());
    let events = house.events("south");
    events.windows(2).map(|pair| pair[1].time.0 - pair[0].time.0).collect()
}

/// Nothing is known of a clock when a program is first heard. What it wrote while nobody read
/// stands where it happened all the same, unless it tells of so long a time that it cannot have
/// been written as it went by.
#[rstest]
#[case::while_nobody_read(&[7000, 7040, 7055, 7240], &[], &[40, 15, 185])]
#[case::a_label_tells_nothing_of_the_clock(
    &[7000, 7100], &[r#"{"t":9000000000,"label":"later"}"#], &[100]
)]
#[case::a_bad_line_is_no_hindrance(&[7000, 7100], &["nonsense"], &[100])]
#[case::all_at_once(&[7000, 7100, 7300], &[], &[0, 0])]
fn what_waited_before_the_clock_was_known_stands_where_it_happened(
    #[case] told: &[u64],
    #[case] more: &[&str],
    #[case] apart_by: &[u64],
) {
    let apart_by: Vec<u64> = apart_by.iter().map(|ms| ms * 1_000_000).collect();
    assert_eq!(apart(told, more), apart_by);
}

/// A game may say what it read of a device that another one says.
#[test]
fn a_frame_may_read_the_device_of_another() {
    let mut house = House::open(true);
    let (mut driver, mut game) = (house.connect(), house.connect());
    driver.say(&[&greeting("driver"), PAD]);
    house.until("the pad", |house| house.presence() == Some(Presence::Here));
    game.say(&[
        &greeting("game"),
        r#"{"frame":1,"read":{"pad1":{"south":1,"nothing":1},"pad4":{"south":1}},"gives":{"Horn":1}}"#,
    ]);
    house.until("the frame", |house| house.session.frames().len() == 1);
    let frame = house.session.frames().iter().next().unwrap().clone();
    // What is no device and no control is left out.
    assert_eq!(frame.reads.len(), 1);
    assert_eq!(house.session.roster().code(frame.reads[0].control), "south");
}

/// A game that dies and comes again goes on counting, or begins anew; both are one game.
#[test]
fn a_game_that_returns_is_the_same_game() {
    let mut house = House::open(true);
    for round in 1..=2 {
        let mut game = house.connect();
        game.say(&[&greeting("crane"), PAD, r#"{"frame":5,"gives":{"Horn":1}}"#]);
        house.until("the frame", |house| house.session.frames().len() == round);
        drop(game);
        house.until("it went", |house| house.presence() == Some(Presence::Gone));
    }
    assert_eq!(house.session.frames().games().len(), 1);
}
