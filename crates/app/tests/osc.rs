//! Open Sound Control with the system's own programs, and the real program between them.

#[path = "common/command.rs"]
mod command;
#[path = "common/mod.rs"]
mod common;

use command::{demo, gtrig, stdout};
use common::Tmux;
use nix::{
    sys::signal::{Signal, kill},
    unistd::Pid,
};
use serde_json::Value;
use std::{
    fs,
    io::{BufRead, BufReader, Lines},
    net::UdpSocket,
    path::Path,
    process::{Child, ChildStdout, Command, Stdio},
    sync::atomic::{AtomicU16, Ordering},
    sync::mpsc::{RecvTimeoutError, channel},
    thread,
    time::{Duration, Instant},
};

const RIG: &str = r#"rig = 1
name = "Harbour desk"
[osc.in.desk.control]
slew = { address = "/crane/slew", as = "axis" }
horn = { address = "/crane/horn", as = "button" }
[osc.out]
horn = "/lamps/horn"
[action.horn]
gives = "on"
from = "other/horn"
[action.slew]
gives = "axis"
from = { axis = "other/slew" }
"#;

/// A port that nobody has, and nobody gets: each is told once, and they lie below those that the
/// system gives to senders.
fn free_port() -> u16 {
    static NEXT: AtomicU16 = AtomicU16::new(0);
    let first = 20_000 + (std::process::id() % 10_000) as u16;
    loop {
        let port = first + NEXT.fetch_add(1, Ordering::Relaxed);
        if UdpSocket::bind(("127.0.0.1", port)).is_ok() {
            return port;
        }
    }
}

/// A program that ends with the test.
struct Ending(Child);

impl Drop for Ending {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// The system's receiver: what it prints of what arrives.
struct Receiver {
    port: u16,
    lines: Lines<BufReader<ChildStdout>>,
    _process: Ending,
}

impl Receiver {
    fn start() -> Self {
        let port = free_port();
        let mut process = Command::new("oscdump")
            .args(["-L", &port.to_string()])
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let lines = BufReader::new(process.stdout.take().unwrap()).lines();
        Receiver { port, lines, _process: Ending(process) }
    }

    /// What arrives up to a line that has these words, which is the last.
    fn until(&mut self, words: &str) -> Vec<String> {
        let mut all = Vec::new();
        for line in self.lines.by_ref().map_while(Result::ok) {
            let is_it = line.contains(words);
            all.push(line);
            if is_it {
                return all;
            }
        }
        panic!("{words} never arrives: {all:#?}");
    }
}

/// `gtrig record` that hears a port and sends to some places.
struct Recording {
    process: Ending,
    port: u16,
}

impl Recording {
    fn start(rig: &str, take: &Path, publish: &[String]) -> Self {
        let port = free_port();
        let mut command = Command::new(env!("CARGO_BIN_EXE_gtrig"));
        command.args(["record", "--kernel", "none", "--rig", rig]);
        command.args(["--listen", &format!("osc:{port}")]).arg(take);
        for place in publish {
            command.args(["--publish", place]);
        }
        let mut process = Ending(command.stderr(Stdio::piped()).spawn().unwrap());
        // It hears from when the take is there.
        let started = Instant::now();
        while !take.exists() {
            if let Some(status) = process.0.try_wait().unwrap() {
                // Another program may have taken the port, for example.
                let said = std::io::read_to_string(process.0.stderr.take().unwrap()).unwrap();
                panic!("it ended with {status}: {said}");
            }
            assert!(started.elapsed() < Duration::from_secs(30), "it does not start");
            thread::yield_now();
        }
        Recording { process, port }
    }

    fn end(mut self) {
        kill(Pid::from_raw(self.process.0.id() as i32), Signal::SIGINT).unwrap();
        assert!(self.process.0.wait().unwrap().success());
    }
}

fn send(port: u16, args: &[&str]) {
    let sent = Command::new("oscsend").args(["127.0.0.1", &port.to_string()]).args(args).status();
    assert!(sent.unwrap().success());
}

/// From a real sender by the rig to a real receiver; and the take gives the same.
#[test]
fn messages_become_actions_and_actions_messages() {
    let folder = tempfile::tempdir().unwrap();
    let (rig, take) = (folder.path().join("desk.toml"), folder.path().join("desk.take.jsonl"));
    fs::write(&rig, RIG).unwrap();
    let rig = rig.to_str().unwrap();
    let mut receiver = Receiver::start();
    let recording = Recording::start(rig, &take, &[format!("osc:{}", receiver.port)]);
    // How all stands, which is said each second.
    receiver.until("/gtrig/action/slew f 0.0");
    send(recording.port, &["/crane/horn", "i", "1"]);
    receiver.until("/gtrig/tick ih");
    receiver.until("/lamps/horn i 1");
    send(recording.port, &["/crane/slew", "f", "-0.5"]);
    receiver.until("/gtrig/action/slew f -0.5");
    send(recording.port, &["/crane/horn", "i", "0"]);
    receiver.until("/lamps/horn i 0");
    recording.end();
    let replayed = gtrig(&["replay", "--rig", rig, take.to_str().unwrap()]);
    let ticks: Vec<Value> =
        stdout(&replayed).lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let horn = |tick: &&Value| tick["actions"][0]["action"] == "horn";
    let horns: Vec<_> =
        ticks.iter().filter(horn).map(|tick| tick["actions"][0]["value"].clone()).collect();
    assert_eq!(horns, [true, false]);
}

/// Fingers of a tracker by TUIO act in the zones of a rig, and go out as they came.
#[test]
fn fingers_come_and_go() {
    let folder = tempfile::tempdir().unwrap();
    let take = folder.path().join("table.take.jsonl");
    let mut receiver = Receiver::start();
    let places = [format!("osc:{}", receiver.port), format!("tuio:{}", receiver.port)];
    let recording = Recording::start(&demo("panel.toml"), &take, &places);
    receiver.until("/gtrig/action/");
    let frame = |number: i32, fingers: &[(i32, f64, f64)]| {
        let ids: String = fingers.iter().map(|(id, ..)| format!(", {id}")).collect();
        let sets = fingers.iter().map(|(id, x, y)| {
            format!(", Message('/tuio/2Dcur', 'set', {id}, {x}, {y}, 0.0, 0.0, 0.0)")
        });
        let sets: String = sets.collect();
        let program = format!(
            "from liblo import *\nsend(Address('127.0.0.1', {}), Bundle(Message('/tuio/2Dcur', \
             'source', 'table@quay'), Message('/tuio/2Dcur', 'alive'{ids}){sets}, \
             Message('/tuio/2Dcur', 'fseq', ('i', {number}))))",
            recording.port
        );
        assert!(
            Command::new("/usr/bin/python3").args(["-c", &program]).status().unwrap().success()
        );
    };
    frame(1, &[(7, 0.25, 0.5), (9, 0.75, 0.5)]);
    receiver.until("/tuio/2Dcur ss \"source\" \"green-trigger-glass\"");
    receiver.until("/tuio/2Dcur sii \"alive\" 1 2");
    receiver.until("/tuio/2Dcur sifffff \"set\" 1 0.25");
    receiver.until("/tuio/2Dcur sifffff \"set\" 2 0.75");
    receiver.until("/tuio/2Dcur si \"fseq\"");
    frame(2, &[(9, 0.75, 0.5)]);
    receiver.until("/tuio/2Dcur si \"alive\" 2");
    frame(3, &[]);
    receiver.until("/tuio/2Dcur s \"alive\"");
    recording.end();
    let text = fs::read_to_string(&take).unwrap();
    let lines: Vec<Value> = text.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let touch = |code: &str| {
        let is_its = move |line: &&Value| line["c"] == *code;
        lines.iter().filter(is_its).map(|line| line["v"].clone()).collect::<Vec<_>>()
    };
    assert_eq!(
        (touch("contact-1"), touch("contact-2")),
        (vec![1.into(), 0.into()], vec![1.into(), 0.into()])
    );
    assert!(text.contains("table@quay"));
}

/// On the full screen: listen, move, name; and the next session knows the names.
#[test]
fn an_address_is_named_on_the_screen() {
    let folder = tempfile::tempdir().unwrap();
    let port = free_port();
    let home = folder.path().display();
    let program = env!("CARGO_BIN_EXE_gtrig");
    let listen = format!("--kernel none --listen osc:{port}");
    let tmux = Tmux::start(
        "osc-naming",
        (120, 40),
        &format!("env XDG_CONFIG_HOME={home} {program} live {listen}"),
    );
    tmux.wait_for("LIVE");
    send(port, &["/crane/slew", "f", "-0.5"]);
    tmux.wait_for("/crane/slew is no control yet");
    tmux.keys(&["W"]);
    tmux.wait_for("axis -1 … 1");
    tmux.keys(&["Enter"]);
    tmux.wait_for("such as desk/slew: desk/slew");
    tmux.keys(&["Enter"]);
    tmux.wait_for("1 named");
    tmux.keys(&["Escape"]);
    tmux.wait_for("write the names to:");
    tmux.keys(&["Enter"]);
    tmux.wait_for("1 name from");
    send(port, &["/crane/slew", "f", "0.75"]);
    tmux.keys(&["2"]);
    let screen = tmux.wait_for("other");
    assert!(screen.contains("2 device"), "{screen}");
    tmux.keys(&["Tab", "Tab"]);
    tmux.wait_for("+0.750");
    drop(tmux);
    let path = folder.path().join("gtrig/maps/osc.toml");
    let checked = gtrig(&["check", path.to_str().unwrap()]);
    assert!(stdout(&checked).contains("A map of addresses: 1 device, 1 control"), "{checked:?}");
    // The next session, without a screen.
    let port = free_port();
    let tail = Command::new(program)
        .args(["tail", "--kernel", "none", "--listen", &format!("osc:{port}"), "--only", "report"])
        .env("XDG_CONFIG_HOME", folder.path())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    let mut tail = Ending(tail);
    let mut lines = BufReader::new(tail.0.stdout.take().unwrap()).lines();
    // Until it hears, nothing arrives.
    let (end, is_over) = channel::<()>();
    let sender = thread::spawn(move || {
        let goes_on = Err(RecvTimeoutError::Timeout);
        while is_over.recv_timeout(Duration::from_millis(50)) == goes_on {
            send(port, &["/crane/slew", "f", "0.25"]);
        }
    });
    let is_slew = |line: &String| line.contains("slew");
    let line = lines.by_ref().map_while(Result::ok).find(is_slew);
    assert!(line.as_ref().is_some_and(|line| line.contains("250000")), "{line:?}");
    drop(end);
    sender.join().unwrap();
}
