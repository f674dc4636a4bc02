//! Running programs that send, and others that read, with the real program between them.

#[path = "common/command.rs"]
mod command;
#[path = "common/mod.rs"]
mod common;

use command::{demo, file, stdout};
use common::{Tmux, wait_until_listening};
use nix::{
    sys::signal::{Signal, kill},
    unistd::{Pid, mkfifo},
};
use rstest::rstest;
use std::{
    fs,
    io::{BufRead, BufReader, Read, Write},
    os::unix::net::{UnixListener, UnixStream},
    path::{Path, PathBuf},
    process::{Child, ChildStdout, Command, Output, Stdio},
    sync::mpsc::{self, RecvTimeoutError},
    thread,
    time::{Duration, Instant},
};

/// Nothing takes this long.
const PATIENCE: Duration = Duration::from_secs(60);

const GREETING: &str = r#"{"live":1,"name":"crane"}"#;
const PAD: &str = r#"{"plug":"pad1","kind":"pad","controls":[{"code":"south","kind":"button"}]}"#;

/// The program, going on, with what it prints.
struct Going {
    child: Child,
    lines: BufReader<ChildStdout>,
    /// Dropped when it is over.
    _is_over: mpsc::Sender<()>,
}

impl Going {
    fn start(args: &[&str]) -> Self {
        let mut child = Command::new(env!("CARGO_BIN_EXE_gtrig"))
            .args(args)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        let lines = BufReader::new(child.stdout.take().unwrap());
        // What never comes is not waited for: it ends, and the test with it.
        let process = Pid::from_raw(child.id() as i32);
        let (is_over, goes_on) = mpsc::channel();
        thread::spawn(move || {
            if goes_on.recv_timeout(PATIENCE) == Err(RecvTimeoutError::Timeout) {
                let _ = kill(process, Signal::SIGKILL);
            }
        });
        Going { child, lines, _is_over: is_over }
    }

    /// Writes to its standard input.
    fn say(&mut self, text: &str) {
        self.child.stdin.as_mut().unwrap().write_all(text.as_bytes()).unwrap();
    }

    /// The next line that it prints.
    fn line(&mut self) -> String {
        let mut line = String::new();
        self.lines.read_line(&mut line).unwrap();
        line
    }

    /// The next line that it prints that has this.
    fn line_with(&mut self, what: &str) -> String {
        loop {
            let line = self.line();
            assert!(!line.is_empty(), "it ended before {what}");
            if line.contains(what) {
                return line;
            }
        }
    }

    fn interrupt(&self) {
        kill(Pid::from_raw(self.child.id() as i32), Signal::SIGINT).unwrap();
    }

    /// The rest of what it prints, once it has ended.
    fn end(mut self) -> (Output, String) {
        let mut rest = String::new();
        self.lines.read_to_string(&mut rest).unwrap();
        (self.child.wait_with_output().unwrap(), rest)
    }
}

/// A folder with a place for a socket.
struct Socket {
    folder: tempfile::TempDir,
}

impl Socket {
    fn new() -> Self {
        Socket { folder: tempfile::tempdir().unwrap() }
    }

    fn path(&self) -> PathBuf {
        self.folder.path().join("s")
    }

    fn place(&self) -> String {
        format!("unix:{}", self.path().display())
    }

    /// Connects as soon as somebody listens.
    fn connect(&self) -> UnixStream {
        let started = Instant::now();
        loop {
            match UnixStream::connect(self.path()) {
                Ok(stream) => return stream,
                Err(error) => assert!(started.elapsed() < PATIENCE, "{error}"),
            }
            thread::yield_now();
        }
    }

    /// Waits until somebody listens.
    fn wait(&self) {
        wait_until_listening(&self.path());
    }
}

fn root(path: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(path)
}

/// The command that runs the example sender of a language, built as its users would.
fn sender(language: &str, folder: &Path) -> Vec<String> {
    let text = |path: &Path| path.to_str().unwrap().to_owned();
    let ours = root("crates/app/tests/senders").join(format!("demo.{language}"));
    let program = folder.join("sender");
    let built = match language {
        "c" => {
            let mut cc = Command::new("cc");
            cc.args(["-std=c11", "-Wall", "-Wextra", "-Werror", "-O2", "-I"]);
            cc.arg(root("senders")).arg(ours).arg("-o").arg(&program).output()
        }
        "rs" => {
            for path in [&ours, &root("senders/gtrig_sender.rs")] {
                fs::copy(path, folder.join(path.file_name().unwrap())).unwrap();
            }
            let mut rustc = Command::new("rustc");
            rustc.args(["--edition", "2024", "-D", "warnings", "-o"]);
            rustc.arg(&program).arg(folder.join("demo.rs")).output()
        }
        _ => {
            for path in [&ours, &root("senders/gtrig_sender.py")] {
                fs::copy(path, folder.join(path.file_name().unwrap())).unwrap();
            }
            return vec!["python3".to_owned(), text(&folder.join("demo.py"))];
        }
    };
    let built = built.expect("scripts/test installs a C compiler");
    assert!(built.status.success(), "{}", String::from_utf8_lossy(&built.stderr));
    vec![text(&program)]
}

fn run(command: &[String], args: &[&str]) -> Command {
    let mut run = Command::new(&command[0]);
    run.args(&command[1..]).args(args);
    run
}

/// Each is short enough to be read before it is pasted.
#[rstest]
#[case::c("h")]
#[case::python("py")]
#[case::rust("rs")]
fn a_sender_has_less_than_150_lines(#[case] ending: &str) {
    let text = fs::read_to_string(root("senders").join(format!("gtrig_sender.{ending}"))).unwrap();
    assert!(text.lines().count() < 150, "{}", text.lines().count());
}

#[rstest]
fn what_a_sender_sends_is_what_comes_out(#[values("c", "py", "rs")] language: &str) {
    let socket = Socket::new();
    let command = sender(language, socket.folder.path());
    let gtrig = Going::start(&["replay", &socket.place()]);
    socket.wait();
    let sent = run(&command, &[socket.path().to_str().unwrap()]).output().unwrap();
    assert_eq!(stdout(&sent), "0 lost\n");
    let (output, printed) = gtrig.end();
    assert_eq!(output.status.code(), Some(0), "{}", command::stderr(&output));
    let end = printed.lines().last().unwrap();
    assert!(end.contains(r#""presses":10,"releases":10,"lost":0"#), "{end}");
}

/// The example sender once it has said more than anybody read, and who should read it.
fn flood(language: &str, socket: &Socket) -> (Child, UnixStream) {
    let command = sender(language, socket.folder.path());
    let listener = UnixListener::bind(socket.path()).unwrap();
    let mut sender = run(&command, &[socket.path().to_str().unwrap(), "flood"]);
    let mut sender = sender.stdout(Stdio::piped()).spawn().unwrap();
    let stream = listener.accept().unwrap().0;
    let mut says = [0; "all said\n".len()];
    sender.stdout.as_mut().unwrap().read_exact(&mut says).unwrap();
    assert_eq!(&says, b"all said\n");
    (sender, stream)
}

fn lost(sender: Child) -> u64 {
    let output = sender.wait_with_output().unwrap();
    stdout(&output).split(' ').next().unwrap().parse().unwrap()
}

/// It says all it has to, though nobody reads, and how many lines that cost.
#[rstest]
fn a_sender_waits_for_nobody(#[values("c", "py", "rs")] language: &str) {
    let socket = Socket::new();
    let (sender, _stream) = flood(language, &socket);
    let lost = lost(sender);
    assert!(lost > 1_000, "{lost}");
}

/// Who reads late finds whole lines, gaps in their numbers, and behind the first gap the
/// state of each control.
#[rstest]
fn what_could_not_be_sent_is_said_again(#[values("c", "py", "rs")] language: &str) {
    let socket = Socket::new();
    let (sender, mut stream) = flood(language, &socket);
    let mut said = String::new();
    stream.read_to_string(&mut said).unwrap();
    assert!(lost(sender) > 0);
    let whole = &said[..said.rfind('\n').unwrap()];
    let number = |line: &str| -> u64 {
        line.rsplit("\"n\":").next().unwrap().trim_end_matches('}').parse().unwrap()
    };
    let lines: Vec<&str> = whole.lines().skip(1).collect();
    let gap = lines.windows(2).position(|pair| number(pair[1]) != number(pair[0]) + 1);
    let behind = &lines[gap.expect("a gap") + 1..];
    for code in ["south", "stick-l-x", "trigger-r"] {
        let is_it = |line: &&str| line.contains(code) && line.contains("resynced");
        assert!(behind.iter().any(is_it), "{code}");
    }
}

/// The C sender never asks for memory itself.
#[test]
fn the_c_sender_allocates_nothing() {
    let folder = tempfile::tempdir().unwrap();
    sender("c", folder.path());
    let names = Command::new("nm").arg("-u").arg(folder.path().join("sender")).output().unwrap();
    let names = stdout(&names);
    assert!(names.contains("snprintf"));
    for name in ["malloc", "calloc", "realloc", "strdup"] {
        assert!(!names.contains(name), "{name}");
    }
}

/// One that is killed while it holds a button lets go of it, and is the same device when it
/// is started again.
#[test]
fn a_sender_that_is_killed_holds_nothing() {
    let socket = Socket::new();
    let command = sender("c", socket.folder.path());
    let args = ["tail", "--kernel", "none", "--listen", &socket.place(), "--only", "pad1/south"];
    let mut gtrig = Going::start(&args);
    socket.wait();
    for _ in 0..3 {
        let mut sender = run(&command, &[socket.path().to_str().unwrap(), "hold"]);
        let mut sender = sender.stdout(Stdio::null()).spawn().unwrap();
        gtrig.line_with("press");
        sender.kill().unwrap();
        sender.wait().unwrap();
        let release = gtrig.line_with("release");
        assert!(release.contains("pad1/south") && release.contains("synthetic"), "{release}");
    }
    gtrig.interrupt();
    let (output, _) = gtrig.end();
    assert_eq!(output.status.code(), Some(0));
}

/// Lines come out as they come in, not at the end.
#[rstest]
#[case::replay(&["replay", "-"], r#""action":"horn","value":true"#)]
#[case::tail(&["tail", "-", "--only", "horn on"], "pad1/south")]
#[case::tail_as_json(&["tail", "-", "--json"], r#""kind":"action","of":"horn","says":"on, by pad1/south""#)]
fn standard_input_is_read_as_it_comes(#[case] args: &[&str], #[case] expected: &str) {
    let mut gtrig = Going::start(args);
    let plug = PAD.replacen('{', r#"{"t":0,"#, 1);
    gtrig.say(&format!(
        "{{\"take\":1}}\n{plug}\n{{\"t\":100000000,\"on\":\"pad1\",\"c\":\"south\",\"v\":1}}\n"
    ));
    // Its tick is over once something later is said.
    gtrig.say("{\"t\":200000000,\"on\":\"pad1\",\"c\":\"south\",\"v\":0}\n");
    gtrig.line_with(expected);
    drop(gtrig.child.stdin.take());
    let (output, _) = gtrig.end();
    assert_eq!(output.status.code(), Some(0));
}

#[test]
fn a_pipe_is_read_as_it_comes() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("p");
    mkfifo(&path, nix::sys::stat::Mode::S_IRWXU).unwrap();
    let mut gtrig = Going::start(&["replay", path.to_str().unwrap()]);
    let mut pipe = fs::OpenOptions::new().write(true).open(&path).unwrap();
    let take = fs::read_to_string(demo("lost-tap.take.jsonl")).unwrap();
    let (first, rest) = take.split_at(take.len() / 2);
    pipe.write_all(first.as_bytes()).unwrap();
    gtrig.line_with("\"press\"");
    pipe.write_all(rest.as_bytes()).unwrap();
    drop(pipe);
    let (output, printed) = gtrig.end();
    assert_eq!(output.status.code(), Some(0));
    assert!(printed.contains("\"end\""));
}

/// A program that greets may come through a pipe too, wherever a take is read.
#[test]
fn a_program_greets_through_a_pipe() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("p");
    mkfifo(&path, nix::sys::stat::Mode::S_IRWXU).unwrap();
    let mut gtrig = Going::start(&["replay", &format!("pipe:{}", path.display())]);
    let mut pipe = fs::OpenOptions::new().write(true).open(&path).unwrap();
    write!(pipe, "{GREETING}\n{PAD}\n{{\"on\":\"pad1\",\"c\":\"south\",\"v\":1}}\n").unwrap();
    gtrig.line_with("\"press\"");
    drop(pipe);
    let (output, printed) = gtrig.end();
    assert_eq!(output.status.code(), Some(0));
    assert!(printed.contains("\"end\""));
}

/// However a take comes, what is printed of it is the same.
#[rstest]
fn a_take_that_comes_in_pieces_gives_the_same_bytes(
    #[values("lost-tap", "hasty-hands", "lazy-thumb")] story: &str,
    #[values(1_000, 70_001)] piece: usize,
) {
    let path = demo(&format!("{story}.take.jsonl"));
    let whole = command::gtrig(&["replay", &path]);
    let mut gtrig = Going::start(&["replay", "-"]);
    let mut stdin = gtrig.child.stdin.take().unwrap();
    let bytes = fs::read(&path).unwrap();
    let writing = thread::spawn(move || {
        for piece in bytes.chunks(piece) {
            stdin.write_all(piece).unwrap();
            stdin.flush().unwrap();
        }
    });
    let (_, printed) = gtrig.end();
    writing.join().unwrap();
    assert!(printed == stdout(&whole));
}

/// A take that is still written is read until its end is there.
#[test]
fn a_file_that_grows_is_followed_to_its_end() {
    let take = fs::read_to_string(demo("lost-tap.take.jsonl")).unwrap();
    let whole = command::gtrig(&["replay", &demo("lost-tap.take.jsonl")]);
    let (first, rest) = take.split_at(take.len() / 2);
    let (_folder, path) = file("t.take.jsonl", first);
    let mut gtrig = Going::start(&["replay", "--follow", path.to_str().unwrap()]);
    let mut printed = gtrig.line_with("\"press\"");
    let mut grows = fs::OpenOptions::new().append(true).open(&path).unwrap();
    grows.write_all(rest.as_bytes()).unwrap();
    let (output, rest) = gtrig.end();
    assert_eq!(output.status.code(), Some(0));
    printed.push_str(&rest);
    assert!(stdout(&whole).ends_with(&printed));
}

/// Ctrl+C ends following, and what came is reported.
#[test]
fn following_ends_when_the_person_interrupts() {
    let take = fs::read_to_string(demo("lost-tap.take.jsonl")).unwrap();
    let lines: Vec<&str> = take.lines().collect();
    let (_folder, path) = file("t.take.jsonl", lines[..lines.len() - 1].join("\n") + "\n");
    let path = path.to_str().unwrap();
    let mut replay = Going::start(&["replay", "--follow", path]);
    replay.line_with("\"press\"");
    replay.interrupt();
    let (output, printed) = replay.end();
    assert_eq!(output.status.code(), Some(0), "{}", command::stderr(&output));
    assert!(printed.lines().last().unwrap().contains("\"end\""));
}

#[test]
fn a_bad_line_is_told_and_the_rest_counts() {
    let socket = Socket::new();
    let mut gtrig = Going::start(&["replay", &socket.place()]);
    let mut stream = socket.connect();
    let press = r#"{"on":"pad1","c":"south","v":1}"#;
    write!(stream, "{GREETING}\n{PAD}\nnonsense\u{1b}[2J\n{press}\n").unwrap();
    gtrig.line_with("\"press\"");
    drop(stream);
    let (output, printed) = gtrig.end();
    assert_eq!(output.status.code(), Some(1));
    assert!(printed.contains("\"presses\":1"), "{printed}");
    let said = command::stderr(&output);
    assert!(
        said.contains("crane: line 2: ") && said.contains("1 line(s) could not be read"),
        "{said}"
    );
    assert!(!said.contains('\u{1b}'));
}

/// The system's own tools are senders and readers, too.
#[test]
fn what_comes_of_it_is_published_to_whoever_reads() {
    let (from, to) = (Socket::new(), Socket::new());
    let take = from.folder.path().join("t.take.jsonl");
    let gtrig = Going::start(&[
        "record",
        take.to_str().unwrap(),
        "--kernel",
        "none",
        "--listen",
        &from.place(),
        "--publish",
        &to.place(),
    ]);
    to.wait();
    let mut readers: Vec<Child> = (0..3)
        .map(|_| {
            let from = format!("UNIX-CONNECT:{}", to.path().display());
            let mut socat = Command::new("socat");
            let socat = socat.args(["-u", &from, "-"]).stdout(Stdio::piped());
            socat.spawn().expect("scripts/test installs socat")
        })
        .collect();
    let mut outs: Vec<_> =
        readers.iter_mut().map(|r| BufReader::new(r.stdout.take().unwrap()).lines()).collect();
    for out in &mut outs {
        let greeting = out.next().unwrap().unwrap();
        assert!(greeting.starts_with(r#"{"gtrig":1,"rig":"Kestrel Quay","hz":60"#), "{greeting}");
        let state = out.next().unwrap().unwrap();
        assert!(state.contains(r#"{"action":"horn","value":false}"#), "{state}");
    }
    let mut socat = Command::new("socat");
    let to_it = format!("UNIX-CONNECT:{}", from.path().display());
    let mut sender = socat.args(["-u", "-", &to_it]).stdin(Stdio::piped()).spawn().unwrap();
    let mut says = sender.stdin.take().unwrap();
    write!(says, "{GREETING}\n{PAD}\n{{\"on\":\"pad1\",\"c\":\"south\",\"v\":1}}\n").unwrap();
    for out in &mut outs {
        let is_horn =
            |line: &String| line.contains(r#""action":"horn","value":true,"by":"pad1/south""#);
        assert!(out.map(Result::unwrap).any(|line| is_horn(&line)));
    }
    gtrig.interrupt();
    let (output, _) = gtrig.end();
    assert_eq!(output.status.code(), Some(0), "{}", command::stderr(&output));
    assert!(fs::read_to_string(&take).unwrap().contains("\"c\":\"south\",\"v\":1"));
    for mut reader in readers {
        reader.wait().unwrap();
    }
    drop(says);
    sender.wait().unwrap();
}

/// What is written to a take meanwhile is seen on the screen.
#[test]
fn a_take_that_grows_is_shown_as_it_does() {
    let take = fs::read_to_string(demo("lost-tap.take.jsonl")).unwrap();
    let (lines, _end) = take.trim_end().rsplit_once('\n').unwrap();
    // The last line is there only in part.
    let (_folder, path) = file("t.take.jsonl", &lines[..lines.len() - 20]);
    let command = format!("{} open --follow {}", env!("CARGO_BIN_EXE_gtrig"), path.display());
    let tmux = Tmux::start("grows", (160, 47), &command);
    tmux.wait("what was there", |s| s.contains(" LIVE ") && s.contains("pad·2"));
    tmux.keys(&["T", "/"]);
    tmux.line("action horn");
    // It sounds until the line is whole that lets go of it.
    let last = |s: &str| s.lines().rfind(|l| l.contains("action   horn")).map(str::to_owned);
    let sounds = |s: &str| last(s).is_some_and(|line| line.contains("on, by pad2/south"));
    tmux.wait("the horn", |s| s.contains("7 lines") && sounds(s));
    let mut grows = fs::OpenOptions::new().append(true).open(&path).unwrap();
    grows.write_all(&lines.as_bytes()[lines.len() - 20..]).unwrap();
    writeln!(grows).unwrap();
    tmux.wait("silence", |s| s.contains("8 lines") && !sounds(s));
    writeln!(grows, "{{\"t\":3300000000,\"on\":\"pad2\",\"c\":\"south\",\"v\":1}}").unwrap();
    tmux.wait("the horn again", |s| s.contains("9 lines") && sounds(s));
    writeln!(grows, "{{\"t\":3900000000,\"ends\":true}}").unwrap();
    tmux.wait_for("the take has ended");
    tmux.keys(&["q"]);
}

/// A take comes through a pipe to the full screen, which reads its keys from the terminal.
#[rstest]
#[case::a_take("open -", "cat TAKE", " TAKE ", "▷ horn")]
#[case::a_program("live --kernel none --listen -", "(cat TAKE; sleep 60)", " LIVE ", "senders")]
fn the_screen_reads_keys_while_something_comes_through_a_pipe(
    #[case] args: &str,
    #[case] from: &str,
    #[case] mode: &str,
    #[case] shown: &str,
) {
    let from = from.replace("TAKE", &demo("lost-tap.take.jsonl"));
    let command = format!("{from} | {} {args}", env!("CARGO_BIN_EXE_gtrig"));
    let name = format!("pipe-{}", args.len());
    let tmux = Tmux::start(&name, (160, 47), &command);
    tmux.wait("what came", |s| s.contains(mode) && s.contains(shown) && s.contains("pad·2"));
    tmux.keys(&["4"]);
    tmux.wait("the stream bench", |s| s.contains("longest gap"));
    tmux.keys(&["q", "q"]);
    tmux.wait("the end", |s| !s.contains("── lanes"));
    tmux.keys(&["C-c"]);
}

/// On the full screen: the sender, its lines, and its going.
#[test]
fn a_sender_is_seen_on_the_screen() {
    let socket = Socket::new();
    let program = env!("CARGO_BIN_EXE_gtrig");
    let command = format!("{program} live --kernel none --listen {}", socket.place());
    let tmux = Tmux::start("senders", (160, 47), &command);
    tmux.wait_for(" LIVE ");
    let mut stream = socket.connect();
    write!(stream, "{GREETING}\n{PAD}\n{{\"on\":\"pad1\",\"c\":\"south\",\"v\":1}}\n").unwrap();
    tmux.wait("the sender and its horn", |s| s.contains("senders 1") && s.contains("pad·1"));
    tmux.keys(&["4"]);
    tmux.wait("its row", |s| {
        s.lines().any(|line| line.contains("crane ") && line.contains("● here"))
    });
    tmux.keys(&["T"]);
    tmux.wait("its lines", |s| {
        s.contains("edge     pad1/south             press")
            && s.contains("horn                   on")
    });
    tmux.keys(&["/"]);
    tmux.line("pad1 release");
    tmux.wait_for("0 lines, those with \"pad1 release\"");
    drop(stream);
    tmux.wait_for("pad1/south             release, synthetic");
    tmux.keys(&["4"]);
    tmux.wait("it has gone", |s| s.lines().any(|l| l.contains("crane ") && l.contains("○ gone")));
    tmux.keys(&["q"]);
    tmux.wait("the shell", |s| s.trim_end().ends_with(['#', '$']));
    assert!(!socket.path().exists());
}

/// An attempt at a gesture or a combo is told once it is over, and all of them are the same
/// bytes as of the file.
#[rstest]
fn attempts_are_told_as_they_end(
    #[values(("gestures", "lazy-thumb"), ("combos", "hasty-hands"))] (command, story): (&str, &str),
    #[values("--text", "--json", "--csv")] form: &str,
) {
    let path = demo(&format!("{story}.take.jsonl"));
    let form = &[form][usize::from(form == "--text")..];
    let whole = Command::new(env!("CARGO_BIN_EXE_gtrig"))
        .args([command, &path])
        .args(form)
        .output()
        .unwrap();
    let take = fs::read_to_string(path).unwrap();
    let (first, rest) = take.split_at(take.len() / 4 * 3);
    let mut gtrig = Going::start(&[&[command, "-"], form].concat());
    gtrig.say(first);
    let mut told = gtrig.line();
    assert!(!told.is_empty());
    gtrig.say(rest);
    drop(gtrig.child.stdin.take());
    let (_, last) = gtrig.end();
    told += &last;
    assert_eq!(told, stdout(&whole));
}
