//! Reels, recorded, killed, filled up, converted and looked at by the real program.

#[path = "common/command.rs"]
mod command;
#[path = "common/mod.rs"]
mod common;

use command::{demo, gtrig, stderr, stdout};
use common::Tmux;
use gtrig::{files, reels::ReelPart};
use gtrig_analysis::Capacity;
use gtrig_core::Nanos;
use gtrig_formats::{
    reel::{Reel, ReelText},
    take::{Loaded, TakeReader},
};
use nix::{
    sys::signal::{Signal, kill},
    unistd::Pid,
};
use rstest::rstest;
use std::{
    fmt::Write as _,
    fs,
    io::{Read, Write},
    path::{Path, PathBuf},
    process::{Child, Command, Output, Stdio},
    thread,
    time::{Duration, Instant},
};
use tempfile::TempDir;

const BIG: (u16, u16) = (160, 47);

/// Nothing takes this long.
const PATIENCE: Duration = Duration::from_secs(60);

/// An empty folder, and what is in it under a name.
fn place(name: &str) -> (TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join(name);
    (folder, path)
}

fn text(path: &Path) -> String {
    path.to_str().unwrap().to_owned()
}

/// What can be read of a reel, whatever comes then.
fn lines_of(path: &Path) -> String {
    let mut bytes = Vec::new();
    if let Ok(reel) = Reel::open(path) {
        let _ = ReelText::of(&reel, 0..reel.segments().len()).read_to_end(&mut bytes);
    }
    String::from_utf8(bytes).unwrap()
}

/// A take with a stick that moves a thousand times a second for so many seconds, and a press
/// of the horn in each.
fn long_take(seconds: u64) -> String {
    let mut text = String::from(
        "{\"take\":1,\"title\":\"a long shift\"}\n{\"t\":0,\"plug\":\"pad1\",\"kind\":\"pad\",\"controls\":[{\"code\":\"south\",\"kind\":\"button\"},{\"code\":\"stick-l-x\",\"kind\":\"axis\",\"min\":-32768,\"centre\":0,\"max\":32767}]}\n",
    );
    for ms in 1..seconds * 1000 {
        let t = ms * 1_000_000;
        let x = (ms * 37 % 60_000) as i64 - 30_000;
        writeln!(text, "{{\"t\":{t},\"on\":\"pad1\",\"c\":\"stick-l-x\",\"v\":{x}}}").unwrap();
        if ms % 1000 == 500 || ms % 1000 == 600 {
            let v = u8::from(ms % 1000 == 500);
            writeln!(text, "{{\"t\":{t},\"on\":\"pad1\",\"c\":\"south\",\"v\":{v}}}").unwrap();
        }
    }
    writeln!(text, "{{\"t\":{},\"ends\":true}}", seconds * 1_000_000_000).unwrap();
    text
}

/// A long take as a reel.
fn long_reel(seconds: u64) -> (TempDir, PathBuf) {
    let (folder, reel) = place("shift.reel");
    let take = folder.path().join("shift.take.jsonl");
    fs::write(&take, long_take(seconds)).unwrap();
    let output = gtrig(&["convert", &text(&take), &text(&reel)]);
    assert!(output.status.success(), "{}", stderr(&output));
    (folder, reel)
}

#[test]
fn a_take_becomes_a_reel_and_a_reel_a_take() {
    let (folder, reel) = place("a.reel");
    let take = demo("hand-over.take.jsonl");
    let made = gtrig(&["convert", &take, &text(&reel)]);
    assert!(made.status.success() && stderr(&made).contains("1 segment(s) to"));
    let back = folder.path().join("b.take.jsonl");
    let made = gtrig(&["convert", &text(&reel), &text(&back)]);
    assert!(made.status.success(), "{}", stderr(&made));
    assert_eq!(fs::read(&take).unwrap(), fs::read(&back).unwrap());
    for command in ["replay", "gestures", "combos", "health", "audit"] {
        let [of_reel, of_take] =
            [&text(&reel), &take].map(|path| gtrig(&[command, path, "--json"]));
        assert_eq!(of_reel.status, of_take.status, "{}", stderr(&of_reel));
        assert_eq!(stdout(&of_reel), stdout(&of_take), "{command}");
    }
    let again = gtrig(&["convert", &take, &text(&reel)]);
    assert!(!again.status.success() && stderr(&again).contains("is there already"));
}

#[rstest]
#[case::followed(&["replay", "REEL", "--follow"], "only a take can be followed")]
#[case::opened_followed(&["open", "REEL", "--follow"], "only a take can be followed")]
#[case::at_of_a_take(&["open", "TAKE", "--at", "5"], "--at is of a reel")]
#[case::no_instant(&["open", "REEL", "--at", "5h"], "write seconds, or days, hours and minutes")]
#[case::ring_of_a_take(&["record", "x.take.jsonl", "--keep-hours", "2"], "a name that ends in .reel")]
#[case::ring_of_nothing(&["record", "x.reel", "--keep-gib", "0"], "a number above 0")]
#[case::tables_to_a_reel(&["convert", "FOLDER", "x.reel"], "make a reel of that")]
#[case::there_already(&["record", "REEL", "--kernel", "none", "--listen", "-"], "cannot record to")]
fn what_cannot_be_is_said(#[case] args: &[&str], #[case] said: &str) {
    let (folder, reel) = long_reel(1);
    let (take, folder) = (demo("lost-tap.take.jsonl"), text(folder.path()));
    let reel = text(&reel);
    let named = |arg: &&str| match *arg {
        "REEL" => reel.clone(),
        "TAKE" => take.clone(),
        "FOLDER" => folder.clone(),
        arg => arg.to_owned(),
    };
    let args: Vec<String> = args.iter().map(named).collect();
    let output = gtrig(&args.iter().map(String::as_str).collect::<Vec<_>>());
    assert!(!output.status.success() && stderr(&output).contains(said), "{}", stderr(&output));
}

#[test]
fn a_damaged_reel_is_read_up_to_there_and_that_is_said() {
    let (folder, reel) = long_reel(400);
    let segments = Reel::open(&reel).unwrap().segments().to_vec();
    assert!(segments.len() > 2);
    let mut bytes = fs::read(&segments[1].path).unwrap();
    let middle = bytes.len() / 2;
    bytes[middle] ^= 1;
    fs::write(&segments[1].path, bytes).unwrap();
    let name = segments[1].path.file_name().unwrap().to_str().unwrap();
    let replayed = gtrig(&["replay", &text(&reel)]);
    assert_eq!(replayed.status.code(), Some(1));
    assert!(stderr(&replayed).contains(name), "{}", stderr(&replayed));
    let take = folder.path().join("part.take.jsonl");
    let converted = gtrig(&["convert", &text(&reel), &text(&take)]);
    assert_eq!(converted.status.code(), Some(1));
    assert!(stderr(&converted).contains("what stands before it was written"));
    let (part, whole) = (fs::read_to_string(&take).unwrap(), long_take(400));
    assert!(whole.starts_with(&part) && part.len() > 8 << 20);
}

/// A segment that is damaged, and one that is not there, in front of the instant.
#[rstest]
#[case::damaged(&|segment: &Path| fs::write(segment, "no container at all").unwrap())]
#[case::gone(&|segment: &Path| fs::remove_file(segment).unwrap())]
fn what_follows_a_damage_is_looked_at(#[case] happens: &dyn Fn(&Path)) {
    let (_folder, reel) = long_reel(400);
    let segments = Reel::open(&reel).unwrap().segments().to_vec();
    happens(&segments[1].path);
    let at = Nanos(segments[2].begins.0 + 1_000_000_000);
    let part = ReelPart::of(&reel, at).unwrap();
    let begun = part.open(files::rig(None, None).unwrap(), at).unwrap();
    let session = &begun.session;
    assert!(session.plan().rate().time_of(session.now().at()) >= at);
    assert_eq!(begun.reel.unwrap().shown()[0], segments[2].begins);
}

/// A recording of what is sent over standard input.
struct Recording {
    child: Child,
    sent: u64,
    /// What it writes on standard error.
    told: Box<dyn Fn() -> String>,
    _folder: TempDir,
}

impl Recording {
    /// Has `command`, which runs the program with these arguments, record to a reel.
    fn start(mut command: Command) -> Self {
        let (folder, told) = place("told");
        let mut child = command
            .stdin(Stdio::piped())
            .stdout(Stdio::null())
            .stderr(fs::File::create(&told).unwrap())
            .spawn()
            .unwrap();
        let pad = r#"{"plug":"pad1","kind":"pad","controls":[{"code":"south","kind":"button"},{"code":"stick-l-x","kind":"axis","min":-9000000,"centre":0,"max":9000000}]}"#;
        writeln!(child.stdin.as_mut().unwrap(), "{{\"live\":1,\"name\":\"crane\"}}\n{pad}")
            .unwrap();
        let told = Box::new(move || fs::read_to_string(&told).unwrap());
        Recording { child, sent: 0, told, _folder: folder }
    }

    fn to(reel: &Path) -> Self {
        let mut command = Command::new(env!("CARGO_BIN_EXE_gtrig"));
        command.arg("record").arg(reel).args(TO_REEL);
        Self::start(command)
    }

    /// Sends so many values, each one higher than the one before.
    fn send(&mut self, count: u64) {
        let mut lines = String::new();
        for _ in 0..count {
            self.sent += 1;
            writeln!(lines, "{{\"on\":\"pad1\",\"c\":\"stick-l-x\",\"v\":{}}}", self.sent).unwrap();
        }
        self.child.stdin.as_mut().unwrap().write_all(lines.as_bytes()).unwrap();
    }

    fn signal(&self, signal: Signal) {
        kill(Pid::from_raw(self.child.id() as i32), signal).unwrap();
    }

    fn wait_told(&self, what: &str) {
        wait(what, || (self.told)().contains(what).then_some(()));
    }
}

impl Drop for Recording {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn wait<T>(what: &str, mut look: impl FnMut() -> Option<T>) -> T {
    let began = Instant::now();
    loop {
        if let Some(found) = look() {
            return found;
        }
        assert!(began.elapsed() < PATIENCE, "{what} never came");
        thread::sleep(Duration::from_millis(5));
    }
}

/// The values of the stick that stand in lines of a take: each is there once, in order.
fn count_values(lines: &str) -> u64 {
    let values = lines.lines().filter(|line| line.contains("stick-l-x") && line.contains("\"v\":"));
    let mut count = 0;
    for line in values {
        count += 1;
        assert!(line.contains(&format!("\"v\":{count}")), "{line} is not value {count}");
    }
    count
}

/// Whether a value stands in a line of a take: at its end, or before a mark that it came late.
fn has_value(lines: &str, value: u64) -> bool {
    [format!("\"v\":{value}}}"), format!("\"v\":{value},")].iter().any(|v| lines.contains(v))
}

const TO_REEL: [&str; 6] = ["--kernel", "none", "--listen", "-", "--seconds", "600"];

#[test]
fn a_recording_that_is_killed_has_what_was_written_and_opens() {
    let (_folder, reel) = place("killed.reel");
    let mut recording = Recording::to(&reel);
    recording.send(3_000);
    // It is read while it is written.
    wait("every value", || (count_values(&lines_of(&reel)) == 3_000).then_some(()));
    recording.send(10_000);
    recording.signal(Signal::SIGKILL);
    recording.child.wait().unwrap();
    let kept = count_values(&lines_of(&reel));
    assert!((3_000..=13_000).contains(&kept), "{kept}");
    let health = gtrig(&["health", &text(&reel), "--json"]);
    assert!(health.status.success(), "{}", stderr(&health));
}

/// A recording to a small disk of its own, the reel as it can be read from outside, and where
/// the disk is for the recorder.
fn on_a_small_disk(size: &str) -> (Recording, PathBuf, TempDir) {
    let mount = tempfile::tempdir().unwrap();
    let at = text(mount.path());
    let gtrig = env!("CARGO_BIN_EXE_gtrig");
    let mut command = Command::new("unshare");
    command.args(["--map-root-user", "--mount", "sh", "-c"]).arg(format!(
        "mount -t tmpfs -o size={size} none {at} && exec {gtrig} record {at}/a.reel {}",
        TO_REEL.join(" ")
    ));
    let mut recording = Recording::start(command);
    let there = PathBuf::from(format!("/proc/{}/root{at}/a.reel", recording.child.id()));
    recording.send(100);
    wait("the first values", || (count_values(&lines_of(&there)) == 100).then_some(()));
    (recording, there, mount)
}

#[test]
fn what_finds_no_room_on_a_full_disk_is_written_once_there_is_some() {
    let (mut recording, there, mount) = on_a_small_disk("200k");
    while recording.sent < 50_000 {
        recording.send(1_000);
    }
    recording.wait_told("cannot be written");
    recording.wait_told("Recording goes on in memory");
    recording.send(1_000);
    let kept = count_values(&lines_of(&there));
    assert!(kept >= 100 && kept < recording.sent, "{kept} of {}", recording.sent);
    let child = recording.child.id().to_string();
    let status = Command::new("nsenter")
        .args(["--user", "--mount", "--target", &child, "mount", "-o", "remount,size=64m"])
        .arg(mount.path())
        .status();
    assert!(status.unwrap().success());
    recording.wait_told("written again, nothing is missing");
    wait("every value", || (count_values(&lines_of(&there)) == recording.sent).then_some(()));
    recording.signal(Signal::SIGINT);
    assert!(recording.child.wait().unwrap().success(), "{}", (recording.told)());
}

#[test]
fn on_a_full_disk_the_oldest_segments_go() {
    let (mut recording, there, _mount) = on_a_small_disk("7m");
    let mut is_full = false;
    let mut lines = String::new();
    // Once more after it is full, so that what is read was written since.
    while !is_full {
        assert!(recording.sent < 5_000_000, "the disk is never full");
        is_full = (recording.told)().contains("the oldest segments of the reel go");
        recording.send(50_000);
        lines = wait("the last value", || {
            let lines = lines_of(&there);
            has_value(&lines, recording.sent).then_some(lines)
        });
    }
    let values = lines.lines().filter(|line| {
        line.contains("stick-l-x") && line.contains("\"v\":") && !line.contains("carried")
    });
    // Some of the first are gone, and no other.
    let count = values.count() as u64;
    assert!(count < recording.sent && count > 10_000, "{count} of {}", recording.sent);
    assert!(has_value(&lines, recording.sent - count + 1));
    assert!(load(&lines).is_sound());
    assert!(!(recording.told)().contains("cannot be written"), "{}", (recording.told)());
}

/// How a take is read.
fn load(lines: &str) -> Loaded {
    let rig = files::rig(None, None).unwrap();
    TakeReader::open(lines.as_bytes()).unwrap().load(rig, Capacity::DEFAULT).1
}

/// Runs `gtrig record` of a reel until `happens` has happened to it, and ends it.
fn recorded(happens: impl Fn(&Path, &mut Recording)) -> (TempDir, PathBuf, String) {
    let (folder, reel) = place("a.reel");
    let mut recording = Recording::to(&reel);
    recording.send(500);
    wait("every value", || (count_values(&lines_of(&reel)) == 500).then_some(()));
    happens(&reel, &mut recording);
    recording.send(500);
    let has_last = |reel: &Reel| {
        let mut texts = (0..reel.segments().len()).map(|n| ReelText::of(reel, n..n + 1));
        texts.any(|mut text| {
            let mut lines = String::new();
            let _ = text.read_to_string(&mut lines);
            has_value(&lines, 1_000)
        })
    };
    let places = [reel.clone(), reel.with_file_name("b.reel")];
    wait("the last value", || {
        places.iter().flat_map(|place| Reel::open(place)).any(|reel| has_last(&reel)).then_some(())
    });
    recording.signal(Signal::SIGINT);
    recording.child.wait().unwrap();
    let told = (recording.told)();
    (folder, reel, told)
}

#[test]
fn a_folder_that_is_moved_is_recorded_to_where_it_is() {
    let (folder, _, told) = recorded(|reel, recording| {
        fs::rename(reel, reel.with_file_name("b.reel")).unwrap();
        recording.wait_told("was moved");
    });
    let moved = folder.path().join("b.reel");
    assert!(told.contains("b.reel"), "{told}");
    assert_eq!(count_values(&lines_of(&moved)), 1_000);
}

#[test]
fn after_a_segment_that_is_cut_the_next_one_goes_on() {
    let (_folder, reel, _) = recorded(|reel, recording| {
        let segment = Reel::open(reel).unwrap().segments()[0].clone();
        fs::File::options().write(true).open(&segment.path).unwrap().set_len(200).unwrap();
        recording.wait_told("cut a segment of the reel");
        wait("the next segment", || {
            (Reel::open(reel).unwrap().segments().len() == 2).then_some(())
        });
    });
    let found = Reel::open(&reel).unwrap();
    assert_eq!(found.segments().len(), 2);
    let mut rest = String::new();
    ReelText::of(&found, 1..2).read_to_string(&mut rest).unwrap();
    assert!(has_value(&rest, 1_000) && rest.contains("\"ends\":true"), "{rest}");
    let health = gtrig(&["health", &text(&found.segments()[1].path)]);
    assert!(health.status.success(), "{}", stderr(&health));
    let whole: Output = gtrig(&["health", &text(&reel)]);
    assert!(!whole.status.success() && stderr(&whole).contains("was cut"), "{}", stderr(&whole));
}

#[test]
fn one_moves_through_a_reel() {
    let (_folder, reel) = long_reel(7_200);
    let command = format!("{} open {}", env!("CARGO_BIN_EXE_gtrig"), text(&reel));
    let tmux = Tmux::start("reel", BIG, &command);
    // Of two hours a part is read.
    let screen = tmux.wait("the reel", |s| s.contains("the reel") && s.contains("2:00:00"));
    assert!(screen.contains("this part") && screen.contains("a long shift"), "{screen}");
    // Another instant by its time, and the edges of what is there.
    tmux.keys(&[":"]);
    tmux.line("1:30:00");
    tmux.wait("an hour and a half", |s| s.contains("5 400 000.00 ms"));
    tmux.keys(&["Home", "Home"]);
    tmux.wait("the beginning", |s| s.contains("tick 0 ") && s.contains("the reel"));
    tmux.keys(&["End", "End"]);
    tmux.wait("the end", |s| s.contains("7 200 000.00 ms"));
}
