//! The real program in a real terminal.

mod common;

use common::Tmux;
use rstest::rstest;
use std::{
    fs,
    io::{Read, Write},
    path::Path,
    process::Command,
    sync::mpsc,
    thread,
    time::{Duration, Instant},
};

const BIG: (u16, u16) = (160, 47);

fn gtrig(args: &str) -> String {
    format!("{} {args}", env!("CARGO_BIN_EXE_gtrig"))
}

/// The tick that the status line shows.
fn tick(screen: &str) -> Option<u32> {
    screen.split("tick ").nth(1)?.split_whitespace().next()?.parse().ok()
}

/// The tick that the status line shows once it says `word` and stands still.
fn settled_tick(tmux: &Tmux, word: &str) -> u32 {
    let before = std::cell::Cell::new(None);
    let screen = tmux.wait(word, |s| {
        let now = tick(s).filter(|_| s.contains(word));
        before.replace(now) == now && now.is_some()
    });
    tick(&screen).unwrap()
}

/// Walks to the shell's own words after the program ended.
fn back_in_the_shell(tmux: &Tmux) {
    let prompt = |screen: &str| screen.trim_end().ends_with(['#', '$']);
    tmux.wait("the shell's prompt", prompt);
    tmux.line("echo back; stty -a | tr ';' '\\n' | grep -o ' [-]*icanon\\| [-]*echo '");
    let screen = tmux.wait("a sane terminal", |s| s.contains("back\n") && s.contains(" icanon"));
    assert!(!screen.contains("-icanon") && !screen.contains("-echo"), "{screen}");
    assert!(!screen.contains("── lanes"), "the alternate screen was left:\n{screen}");
}

#[test]
fn from_the_demo_to_a_saved_take_and_back() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("t.take.jsonl");
    let path = path.to_str().unwrap();
    let tmux = Tmux::start("road", BIG, &gtrig("demo"));
    // It opens on something worth looking at.
    tmux.wait("a live demo", |s| s.contains(" LIVE ") && s.contains("▷ slew x") && s.contains("█"));
    // Freeze, and step.
    tmux.keys(&["Space"]);
    let frozen = settled_tick(&tmux, "FROZEN");
    tmux.keys(&["Left", "Left", "Left"]);
    tmux.wait("three ticks back", |s| tick(s) == Some(frozen - 3));
    tmux.keys(&["Right"]);
    tmux.wait("one tick on", |s| tick(s) == Some(frozen - 2));
    tmux.wait("the recording goes on", |s| {
        let behind = s.split(" ticks behind").next().and_then(|t| t.rsplit(' ').next());
        behind.and_then(|n| n.parse::<u32>().ok()).is_some_and(|n| n > 10)
    });
    // Filter.
    tmux.keys(&["/", "h", "o", "r", "n", "Enter"]);
    tmux.wait("only the horn", |s| s.contains("lanes / horn") && !s.contains("▷ slew x "));
    tmux.keys(&["Escape"]);
    tmux.wait_for("▷ slew x");
    // Save.
    tmux.keys(&["s"]);
    tmux.wait_for("save the history as: ");
    tmux.keys(&["C-u"]);
    tmux.line(path);
    tmux.wait_for("saved ");
    // Quit, and open it again.
    tmux.keys(&["q"]);
    back_in_the_shell(&tmux);
    tmux.line("clear");
    tmux.line(&gtrig(&format!("open {path}")));
    tmux.wait("the take", |s| {
        s.contains(" TAKE ") && s.contains("▷ slew x") && s.contains("pad·1")
    });
    // Open another from within.
    tmux.keys(&["o"]);
    tmux.wait_for("open the take:");
    tmux.line(&demo("hand-over.take.jsonl"));
    tmux.wait_for("Two hands on one hook");
}

fn demo(name: &str) -> String {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    folder.canonicalize().unwrap().join(name).to_str().unwrap().to_owned()
}

#[test]
fn real_keys_are_captured_and_their_releases_inferred() {
    let tmux = Tmux::start("capture", BIG, &gtrig("live"));
    tmux.wait_for(" LIVE ");
    tmux.keys(&["c"]);
    tmux.wait("the way out is shown", |s| s.matches("Ctrl+G lets go").count() == 2);
    tmux.wait_for("this terminal reports no releases: inferred after 150 ms");
    tmux.keys(&["h"]);
    // The key went down, the horn sounded, and the release is marked.
    tmux.wait("a press, a horn and a guess", |s| {
        let lane = |name: &str| s.lines().any(|l| l.contains(name) && l.contains("╱"));
        lane("▷ horn")
            && lane("keys KeyH")
            && s.lines().any(|l| l.contains("keys KeyH") && l.contains('?'))
    });
    tmux.keys(&["q"]);
    tmux.wait("q is a key like any other", |s| s.contains("keys KeyQ") && s.contains("CAPTURED"));
    tmux.keys(&["C-g"]);
    tmux.wait("let go", |s| s.contains(" LIVE ") && s.contains("deaf"));
    // What was captured is not thrown away by one key.
    tmux.keys(&["q"]);
    tmux.wait_for("not saved");
    tmux.keys(&["q"]);
    back_in_the_shell(&tmux);
}

#[test]
fn the_screen_shows_what_replay_prints() {
    let replay = Command::new(env!("CARGO_BIN_EXE_gtrig"))
        .args(["replay", "--hz", "30", &demo("lost-tap.take.jsonl")])
        .output()
        .unwrap();
    let text = String::from_utf8(replay.stdout).unwrap();
    // The ticks with an edge of the pad's south, from the first on.
    let ticks: Vec<u32> = text
        .lines()
        .filter(|line| line.contains("pad2/south\",\"edge\""))
        .map(|line| line[8..].split(',').next().unwrap().parse().unwrap())
        .collect();
    assert_eq!(ticks.len(), 9);
    let tmux = Tmux::start("same", BIG, &gtrig("demo lost-tap"));
    tmux.wait_for(" TAKE ");
    tmux.keys(&["Home"]);
    tmux.wait("the beginning", |s| tick(s) == Some(0));
    for expected in ticks {
        tmux.keys(&["]"]);
        tmux.wait(&format!("tick {expected}"), |s| tick(s) == Some(expected));
    }
}

#[test]
fn gaps_are_shown_and_can_be_jumped_to() {
    let tmux = Tmux::start("gaps", BIG, &gtrig("demo jerking-hook"));
    tmux.wait_for("streams ░ 2");
    tmux.keys(&["4"]);
    tmux.wait_for("lever·3 sent nothing for 140.21 ms");
    tmux.keys(&["e"]);
    tmux.wait("the second gap", |s| tick(s) == Some(191));
}

#[test]
fn a_number_is_nudged_written_and_followed() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("rig.toml");
    fs::copy(demo("kestrel-quay.toml"), &path).unwrap();
    let path = path.to_str().unwrap();
    let tmux = Tmux::start("tune", BIG, &gtrig(&format!("demo drifting-hook --rig {path}")));
    tmux.wait_for(" TAKE ");
    tmux.keys(&["5", ">", ">", ">"]);
    tmux.wait_for("was 0.12");
    tmux.keys(&["w"]);
    tmux.wait_for("the rig was written");
    let written = fs::read_to_string(path).unwrap();
    assert!(written.contains("dead-zone = 0.15, invert = true }") && written.contains("# x slews"));
    fs::write(path, written.replace("0.15", "0.25")).unwrap();
    tmux.wait_for("0.25 of full travel");
}

#[test]
fn a_click_on_the_timeline_moves_the_playhead() {
    let tmux = Tmux::start("mouse", BIG, &gtrig("demo lost-tap"));
    let before = settled_tick(&tmux, " TAKE ");
    let horn = |l: &str| l.contains("▷ horn") && l.contains("▁");
    let screen = tmux.wait("the horn's lane", |s| s.lines().any(horn));
    let lanes = screen.lines().position(horn).unwrap();
    // Press and release of the left button at column 60, as terminals say it.
    let place = format!("60;{}", lanes + 1);
    tmux.bytes(&format!("\x1b[<0;{place}M\x1b[<0;{place}m"));
    tmux.wait("another tick", |s| tick(s).is_some_and(|t| t != before));
    tmux.wait_for("── why ▷ horn");
}

#[test]
fn a_recording_survives_the_death_of_the_program() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("r.take.jsonl");
    let tmux = Tmux::start("record", BIG, &gtrig("demo"));
    tmux.wait_for(" LIVE ");
    tmux.keys(&["r"]);
    tmux.wait_for("record from now on to:");
    tmux.keys(&["C-u"]);
    tmux.line(path.to_str().unwrap());
    let screen = tmux.wait("recording", |s| s.contains("● REC r.take.jsonl") && tick(s).is_some());
    let started = tick(&screen).unwrap();
    let shown = tmux.wait("a second more", |s| tick(s).is_some_and(|t| t > started + 60));
    signal("KILL", tmux.child());
    let replay = Command::new(env!("CARGO_BIN_EXE_gtrig"))
        .args(["replay", path.to_str().unwrap()])
        .output()
        .unwrap();
    // The last line may have been cut off; all before it is there.
    let text = String::from_utf8(replay.stdout).unwrap();
    let last = text.lines().last().unwrap();
    let last: u32 =
        last.split("last_tick\":").nth(1).unwrap().split(',').next().unwrap().parse().unwrap();
    // A tenth of a second is six ticks; the screen shows up to two more.
    assert!(last + 8 >= tick(&shown).unwrap(), "{last} against\n{shown}");
}

fn signal(signal: &str, process: u32) {
    let script = format!("kill -{signal} {process}");
    assert!(Command::new("sh").args(["-c", &script]).status().unwrap().success());
}

/// Waits until a file is as wished, and returns what is in it.
fn wait_for_file(path: &Path, is_so: impl Fn(&str) -> bool) -> String {
    let started = Instant::now();
    loop {
        let text = fs::read_to_string(path).unwrap_or_default();
        if is_so(&text) {
            return text;
        }
        assert!(started.elapsed() < Duration::from_secs(30), "it never came:\n{text}");
        thread::sleep(Duration::from_millis(20));
    }
}

#[test]
fn a_recording_goes_on_when_its_file_is_deleted() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("r.take.jsonl");
    let tmux =
        Tmux::start("deleted", BIG, &gtrig(&format!("live --record {}", path.to_str().unwrap())));
    tmux.wait_for("● REC r.take.jsonl");
    fs::remove_file(&path).unwrap();
    tmux.wait("it is said", |s| s.contains("the take was deleted or replaced"));
    tmux.keys(&["c", "h", "C-g"]);
    let text = wait_for_file(&path, |text| text.contains("\"c\":\"KeyH\",\"v\":1}"));
    assert!(text.starts_with("{\"take\":1,"), "{text}");
}

/// A program that captures its terminal's keys and records them, without tmux.
#[cfg(target_os = "linux")]
fn recording(path: &Path, more: &[&str]) -> common::pty::Pty {
    let mut command = Command::new(env!("CARGO_BIN_EXE_gtrig"));
    command.args(["live", "--kernel", "none"]).args(more).arg("--record").arg(path);
    let mut pty = common::pty::Pty::start(&mut command).unwrap();
    while !fs::read_to_string(path).unwrap_or_default().contains("\"c\":\"KeyZ\"") {
        pty.keyboard.write_all(b"cz").unwrap();
        thread::sleep(Duration::from_millis(50));
    }
    pty
}

/// A terminal may not answer what it is asked: the first frame is drawn before.
#[test]
fn the_first_frame_comes_before_the_terminal_is_asked() {
    let mut command = Command::new(env!("CARGO_BIN_EXE_gtrig"));
    command.args(["live", "--kernel", "none"]);
    let (drawn, screen) = mpsc::channel();
    let watch = move |bytes: &[u8]| drop(drawn.send(bytes.to_vec()));
    let _pty = common::pty::Pty::watched(&mut command, watch).unwrap();
    let mut all = Vec::new();
    let place =
        |all: &[u8], what: &str| all.windows(what.len()).position(|part| part == what.as_bytes());
    let asked = loop {
        all.extend(screen.recv_timeout(Duration::from_secs(30)).expect("it asks"));
        if let Some(asked) = place(&all, "\x1b[?u") {
            break asked;
        }
    };
    let frame = place(&all, "lanes").expect("the frame has come");
    assert!(frame < asked);
    assert!(place(&all[..asked], "\x1b[?2026l").is_some_and(|end| end > frame), "and it is whole");
}

/// A serial line tells no size, and somebody may tell any.
#[rstest]
#[case::none([0, 0])]
#[case::the_most_that_can_be_told([u16::MAX; 2])]
fn whatever_size_a_terminal_tells_it_has_a_screen(#[case] size: [u16; 2]) {
    let mut command = Command::new(env!("CARGO_BIN_EXE_gtrig"));
    command.args(["demo", "lost-tap"]);
    let (drawn, screen) = mpsc::channel();
    let watch = move |bytes: &[u8]| drop(drawn.send(bytes.to_vec()));
    let _pty = common::pty::Pty::sized(&mut command, size, watch).unwrap();
    let mut all = Vec::new();
    while !String::from_utf8_lossy(&all).contains("history") {
        all.extend(screen.recv_timeout(Duration::from_secs(30)).expect("it is drawn"));
    }
}

/// No signal says so to a program that the terminal does not control, and this one draws nothing
/// that could not be written.
#[cfg(target_os = "linux")]
#[test]
fn it_ends_when_its_terminal_is_gone() {
    use nix::poll::{PollFd, PollFlags, poll};
    use std::os::fd::AsFd;
    let mut command = Command::new(env!("CARGO_BIN_EXE_gtrig"));
    command.args(["demo", "lost-tap"]);
    let (drawn, screen) = mpsc::channel();
    let watch = move |bytes: &[u8]| drop(drawn.send(bytes.to_vec()));
    let mut pty = common::pty::Pty::watched(&mut command, watch).unwrap();
    screen.recv_timeout(Duration::from_secs(30)).expect("it draws");
    // Who reads the screen lets go of it with the next frame.
    pty.stall();
    pty.keyboard.write_all(b"?").unwrap();
    while screen.recv().is_ok() {}
    // When nothing is drawn any more, who types does.
    let is_drawn = |screen: &fs::File| {
        let mut screen = [PollFd::new(screen.as_fd(), PollFlags::POLLIN)];
        poll(&mut screen, 1_500u16).unwrap() > 0
    };
    while is_drawn(&pty.keyboard) {
        assert!(pty.keyboard.read(&mut [0; 1 << 16]).unwrap() > 0);
    }
    pty.keyboard = fs::File::open("/dev/null").unwrap();
    let started = Instant::now();
    while pty.child.try_wait().unwrap().is_none() {
        assert!(started.elapsed() < Duration::from_secs(30), "it goes on");
        thread::sleep(Duration::from_millis(20));
    }
}

#[cfg(target_os = "linux")]
#[test]
fn a_recording_goes_on_though_the_terminal_takes_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("r.take.jsonl");
    let mut pty = recording(&path, &[]);
    pty.stall();
    // More frames than a terminal holds are drawn while these come.
    let started = Instant::now();
    let mut typed = 0;
    while fs::read_to_string(&path).unwrap().matches("\"c\":\"KeyH\",\"v\":1").count() < 60 {
        assert!(started.elapsed() < Duration::from_secs(30), "of {typed} keys too few came");
        pty.keyboard.write_all(b"h").unwrap();
        typed += 1;
        thread::sleep(Duration::from_millis(50));
    }
    // It ends when it is asked to, and the take has its end.
    signal("TERM", pty.child.id());
    wait_for_file(&path, |text| text.ends_with("\"ends\":true}\n"));
    pty.child.wait().unwrap();
}

/// On a terminal without a shell, which would take the keys of what is stopped.
#[cfg(target_os = "linux")]
#[test]
fn what_was_typed_while_the_program_stood_still_is_late_and_nothing_stays_held() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("r.take.jsonl");
    let mut pty = recording(&path, &["--release-after", "2000"]);
    pty.keyboard.write_all(b"h").unwrap();
    wait_for_file(&path, |text| text.contains("\"c\":\"KeyH\",\"v\":1}"));
    signal("STOP", pty.child.id());
    let state = format!("/proc/{}/stat", pty.child.id());
    wait_for_file(Path::new(&state), |text| text.contains(") T "));
    pty.keyboard.write_all(b"j").unwrap();
    // The hole itself.
    thread::sleep(Duration::from_millis(1_500));
    signal("CONT", pty.child.id());
    let text = wait_for_file(&path, |text| text.contains("\"c\":\"KeyJ\",\"v\":1"));
    let lines: Vec<&str> = text.lines().collect();
    let at = |what: &str| {
        let found = lines.iter().rposition(|line| line.contains(what));
        found.unwrap_or_else(|| panic!("no {what} in {text}"))
    };
    let (held, hole) = (at("\"c\":\"KeyH\",\"v\":1}"), at("\"deaf\":\"keys\""));
    let late = at("\"c\":\"KeyJ\",\"v\":1,\"mark\":\"late\"");
    assert!(held < hole && hole < late, "{text}");
}

#[rstest]
#[case("term", "TERM")]
#[case("int", "INT")]
fn a_signal_gives_the_terminal_back(#[case] name: &str, #[case] kind: &str) {
    let tmux = Tmux::start(name, BIG, &gtrig("demo"));
    tmux.wait_for(" LIVE ");
    signal(kind, tmux.child());
    back_in_the_shell(&tmux);
}

#[test]
fn suspended_it_gives_the_terminal_back_and_resumed_it_goes_on() {
    let tmux = Tmux::start("suspend", BIG, &gtrig("demo"));
    tmux.wait_for(" LIVE ");
    tmux.keys(&["C-z"]);
    back_in_the_shell(&tmux);
    tmux.line("fg");
    tmux.wait("it goes on", |s| s.contains(" LIVE ") && s.contains("── lanes"));
}

#[test]
fn a_panic_gives_the_terminal_back_and_its_message_can_be_read() {
    let example = Path::new(env!("CARGO_BIN_EXE_gtrig")).with_file_name("examples/faulty_source");
    let tmux = Tmux::start("panic", BIG, example.to_str().unwrap());
    tmux.wait_for("the faulty source is faulty");
    back_in_the_shell(&tmux);
}

#[test]
fn resizing_works_down_to_almost_nothing_and_back() {
    let tmux = Tmux::start("resize", BIG, &gtrig("demo"));
    tmux.wait_for(" LIVE ");
    tmux.resize(20, 5);
    tmux.wait("a small screen", |s| s.contains("LIVE") && !s.contains("why"));
    tmux.resize(80, 24);
    tmux.wait("a usual screen", |s| {
        let fits = s.lines().all(|line| line.chars().count() <= 80);
        fits && s.contains("Space freeze/go") && s.contains("why")
    });
    tmux.resize(160, 47);
    tmux.wait("a large screen", |s| s.contains("q quit") && s.contains("walk-gantry"));
}

/// The sequences of a screen that say how text looks.
fn sgr(screen: &str) -> impl Iterator<Item = &str> {
    screen.split("\x1b[").skip(1).filter_map(|s| Some(s.split_once('m')?.0))
}

#[test]
fn a_theme_is_set_in_a_file_and_a_mistake_in_it_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gtrig/settings.toml");
    fs::create_dir(folder.path().join("gtrig")).unwrap();
    fs::write(&path, "theme = \"sixteen\"\n").unwrap();
    let program = format!("XDG_CONFIG_HOME={} {}", folder.path().display(), gtrig("demo lost-tap"));
    let tmux = Tmux::start("theme", BIG, &program);
    tmux.wait_for(" TAKE ");
    let screen = tmux.coloured_screen();
    let indexed = |codes: &str| {
        let (_, number) = codes.split_once("8;5;")?;
        number.split(';').next()?.parse::<u8>().ok()
    };
    let colours: Vec<u8> = sgr(&screen).filter_map(indexed).collect();
    assert!(
        colours.iter().all(|&colour| colour < 16),
        "those that a terminal defines: {colours:?}"
    );
    let is_green = |codes: &str| codes.contains("92") || codes.contains("38;5;10");
    assert!(sgr(&screen).any(is_green), "fired is green");
    fs::write(&path, "theme = \"sixten\"\n").unwrap();
    let tmux = Tmux::start("mistake", BIG, &program);
    tmux.wait_for_all(&["settings.toml", "sixten", "sixteen"]);
    back_in_the_shell(&tmux);
}

#[test]
fn keys_are_set_in_a_file_that_the_program_prints_itself() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gtrig/settings.toml");
    fs::create_dir(folder.path().join("gtrig")).unwrap();
    let home = format!("XDG_CONFIG_HOME={}", folder.path().display());
    let printed = folder.path().join("printed.toml");
    let tmux = Tmux::start(
        "keys",
        BIG,
        &format!("{home} {} > {}; echo printed=$?", gtrig("settings"), printed.display()),
    );
    tmux.wait_for("printed=0");
    let text = fs::read_to_string(&printed).unwrap();
    let changed = text.replace("stories = \"O\" ", "stories = \"F4\" ");
    assert!(text != changed && text.contains(&path.display().to_string()), "{text}");
    fs::write(&path, changed).unwrap();
    let tmux = Tmux::start("keys set", BIG, &format!("{home} {}", gtrig("demo lost-tap")));
    tmux.wait_for_all(&[" TAKE ", "F4 stories"]);
    tmux.keys(&["O"]);
    tmux.keys(&["F4"]);
    tmux.wait_for("a few letters of a key");
    tmux.keys(&["Escape"]);
    // Two that have one key are told, with the place of the second.
    fs::write(&path, "[keys]\nstories = \"s\"\n").unwrap();
    let tmux = Tmux::start("keys clash", BIG, &format!("{home} {}", gtrig("demo lost-tap")));
    tmux.wait_for_all(&["settings.toml:2:11", "another one for `save`"]);
    back_in_the_shell(&tmux);
}

#[test]
fn no_color_is_honoured() {
    let tmux = Tmux::start("nocolor", BIG, &format!("NO_COLOR=1 {}", gtrig("demo")));
    tmux.wait_for(" LIVE ");
    let screen = tmux.coloured_screen();
    // Of all SGR sequences only bold, underlined, reversed and reset may occur.
    for codes in sgr(&screen) {
        let plain = |code: &str| matches!(code, "" | "0" | "1" | "4" | "7" | "39" | "49");
        assert!(codes.split(';').all(plain), "{codes}");
    }
    tmux.wait("one row", |s| s.lines().any(|l| l.contains("LIVE") && l.contains("60 Hz")));
}

#[test]
fn every_key_of_the_hints_is_in_the_help() {
    let tmux = Tmux::start("help", BIG, &gtrig("demo"));
    tmux.wait_for(" LIVE ");
    tmux.keys(&["?"]);
    tmux.wait_for_all(&[
        "letters search it",
        "On this bench",
        "freeze the view",
        "one tick back",
        "the edge before",
        "a press was lost",
        "suspend",
    ]);
    tmux.bytes("suspend");
    tmux.wait("only that", |s| s.contains("the shell's fg") && !s.contains("one tick back"));
    tmux.keys(&["Escape"]);
    tmux.wait_for("one tick back");
    tmux.keys(&["Escape"]);
    tmux.wait("closed", |s| !s.contains("On this bench"));
}

#[test]
fn a_few_letters_open_a_story_and_find_what_is_in_it() {
    let tmux = Tmux::start("find", (80, 24), &gtrig("demo"));
    tmux.wait_for_all(&[" LIVE ", ": find", "? help", "q quit"]);
    tmux.keys(&[":"]);
    tmux.wait_for("Esc closes");
    tmux.bytes("lost tap");
    tmux.wait_for("story    lost-tap");
    tmux.keys(&["Enter"]);
    tmux.wait_for_all(&[" TAKE ", "30 Hz"]);
    tmux.keys(&[":"]);
    tmux.bytes("three quick");
    tmux.wait_for("three quick taps");
    tmux.keys(&["Enter"]);
    tmux.wait("at the mark", |s| !s.contains("Esc closes") && s.contains(" TAKE "));
}

/// What a terminal sends for a mouse whose left button is down (0), drags (32)
/// or goes up.
fn mouse(tmux: &Tmux, button: u8, column: u16, row: u16, end: char) {
    tmux.bytes(&format!("\x1b[<{button};{column};{row}{end}"));
}

#[test]
fn a_drag_of_the_mouse_becomes_a_swipe() {
    let tmux = Tmux::start("swipe", BIG, &gtrig("live"));
    tmux.wait_for(" LIVE ");
    tmux.keys(&["9"]);
    tmux.wait_for("no touch panel has been connected");
    // A machine that is busy draws too slowly for a swipe: the hand tries again.
    let started = Instant::now();
    while !tmux.screen().contains("● look-right") {
        assert!(started.elapsed().as_secs() < 30, "{}", tmux.screen());
        mouse(&tmux, 0, 12, 12, 'M');
        for column in (18..=48).step_by(6) {
            mouse(&tmux, 32, column, 12, 'M');
        }
        mouse(&tmux, 0, 48, 12, 'm');
    }
    tmux.wait_for_all(&[
        "swipe look-right",
        "▷ look-aside",
        "nobody touches it",
        "glass",
        "length-mm",
    ]);
}

/// Types h twice, so far apart, until the screen is as wished.
fn type_until(tmux: &Tmux, apart: Duration, is_so: impl Fn(&str) -> bool) {
    let started = Instant::now();
    loop {
        tmux.keys(&["h"]);
        thread::sleep(apart);
        tmux.keys(&["h"]);
        // What was typed is over before anything is typed again.
        let typed = Instant::now();
        while typed.elapsed() < Duration::from_millis(1_500) {
            if is_so(&tmux.screen()) {
                return;
            }
            thread::sleep(Duration::from_millis(20));
        }
        assert!(started.elapsed() < Duration::from_secs(60), "{}", tmux.screen());
    }
}

#[test]
fn keys_typed_with_delays_fire_a_combo_or_nearly_do() {
    let folder = tempfile::tempdir().unwrap();
    let rig = folder.path().join("rig.toml");
    // A terminal that reports no releases says one 150 ms after the last press, so a
    // press counts at once and its release is a guess; the machine may be busy.
    let text = "rig = 1\n[action.horn]\ngives = \"pulse\"\nfrom = { combo = \"double\" }\n[combo.double]\ndevice = \"keys\"\nsteps = \"press KeyH, press KeyH within 700 ms\"\n";
    fs::write(&rig, text).unwrap();
    let tmux = Tmux::start("combo", BIG, &gtrig(&format!("live --rig {}", rig.display())));
    tmux.wait_for(" LIVE ");
    tmux.keys(&["L"]);
    tmux.wait_for_all(&["nobody has tried it yet", "steps[1].within"]);
    tmux.keys(&["c"]);
    tmux.wait_for("Ctrl+G lets go");
    // A machine that is busy types too slowly for a combo: the hand tries again.
    type_until(&tmux, Duration::from_millis(320), |s| s.contains("met all 2 steps"));
    // A little too slow: the window and some more. One of the tries before may have
    // been so, too: what is shown must be the last one.
    type_until(&tmux, Duration::from_millis(820), |s| s.contains("it fires; one step"));
    tmux.wait_for_all(&["nearly fired, the nearest", "too late", "of at most 700 ms"]);
}
