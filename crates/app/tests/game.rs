//! The made-up game of the demo, running for real and sending its frames over a socket:
//! without a mistake it agrees with its rules, and each of its mistakes is found and named.

#[path = "common/command.rs"]
mod command;
#[path = "common/mod.rs"]
mod common;

use command::{demo, stderr};
use common::{Tmux, wait_until_listening};
use rstest::rstest;
use serde_json::Value;
use std::{
    collections::HashMap,
    path::{Path, PathBuf},
    process::{Command, Output},
    sync::LazyLock,
    thread,
};

const MISTAKES: [&str; 10] = [
    "none",
    "late-read",
    "two-reads",
    "step-edges",
    "frame-speed",
    "wide-rest",
    "square-rest",
    "first-pad",
    "open-gate",
    "short-window",
];

/// So often they play at most.
const PLAYS: u32 = 4;

/// The game, built as its story says. A busy machine lets it stand still now and then for
/// longer than it promises: it promises as much as one may, and no line comes late.
fn game(folder: &Path) -> PathBuf {
    let program = folder.join("crane_game");
    let source = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/game/crane_game.c");
    let mut cc = Command::new("cc");
    cc.args(["-std=c11", "-Wall", "-Wextra", "-Werror", "-O2", "-DGT_DELAY_NS=1000000000"]);
    cc.arg("-o").arg(&program).arg(source);
    let built = cc.arg("-lm").output().expect("scripts/test installs a C compiler");
    assert!(built.status.success(), "{}", stderr(&built));
    program
}

/// Has the game play with a mistake before somebody who holds it against its rules. Where the
/// machine stood still meanwhile, it was another game, and they play again.
fn held(game: &Path, folder: &Path, mistake: &str) -> (Output, Value) {
    let play = |n: u32| played(game, &folder.join(format!("{mistake}-{n}")), mistake);
    let mut last = play(0);
    for n in 1..PLAYS {
        if !stood_still(&last.1) {
            break;
        }
        last = play(n);
    }
    last
}

/// Whether the machine did: the game has 324 frames, and reads nothing more than 53 ms after it was
/// reported. This says nothing of its mistakes.
fn stood_still(report: &Value) -> bool {
    let longest = report["latency"]["to_poll_ms"]["longest"].as_f64();
    report["frames"].as_u64() < Some(320) || longest > Some(70.0)
}

/// Has the game play once.
fn played(game: &Path, socket: &Path, mistake: &str) -> (Output, Value) {
    let mut gtrig = Command::new(env!("CARGO_BIN_EXE_gtrig"));
    gtrig.args(["agree", &format!("unix:{}", socket.display()), "--json"]);
    gtrig.args(["--rig", &demo("game.toml")]);
    let gtrig = gtrig.stdout(std::process::Stdio::piped()).spawn().unwrap();
    wait_until_listening(socket);
    let played = Command::new(game).arg(socket).arg(mistake).output().unwrap();
    assert!(stderr(&played).contains("0 lines were not sent"), "{}", stderr(&played));
    let output = gtrig.wait_with_output().unwrap();
    let report = serde_json::from_slice(&output.stdout).unwrap();
    (output, report)
}

/// All of them play at once, for each takes its time.
static HELD: LazyLock<HashMap<&str, (Output, Value)>> = LazyLock::new(|| {
    let folder = tempfile::tempdir().unwrap();
    let game = game(folder.path());
    thread::scope(|scope| {
        let plays = MISTAKES.map(|mistake| {
            let (game, folder) = (&game, folder.path());
            (mistake, scope.spawn(move || held(game, folder, mistake)))
        });
        plays.into_iter().map(|(mistake, play)| (mistake, play.join().unwrap())).collect()
    })
});

fn names(report: &Value) -> Vec<&str> {
    let rows = report["differences"].as_array().unwrap();
    let mut names: Vec<&str> = rows.iter().map(|row| row["name"].as_str().unwrap()).collect();
    names.sort_unstable();
    names.dedup();
    names
}

#[test]
fn without_a_mistake_it_agrees() {
    let (output, report) = &HELD["none"];
    assert!(output.status.success(), "{report:#}");
    assert_eq!(report["agrees"], true);
    assert_eq!(report["game"], "crane-game");
    assert!(report["frames"].as_u64().unwrap() > 100);
    assert_eq!(names(report), Vec::<&str>::new());
    let values = report["values"].as_array().unwrap();
    assert!(values.len() == 9 && values.iter().all(|value| value["compared"].as_u64() > Some(50)));
    let latency = &report["latency"];
    assert!(latency["presses"].as_u64() > Some(10), "{latency}");
    let median = |part: &str| latency[part]["median"].as_f64().unwrap();
    assert!((3.9..4.1).contains(&median("report_ms")), "{latency}");
    assert!(median("to_poll_ms") > 0.0 && median("whole_ms") >= median("to_poll_ms"));
}

/// Each mistake, what it is told as, and the values of the game that it shows in
/// (where only some can).
#[rstest]
#[case::late_read("late-read", &["read-old"], &[])]
#[case::two_reads("two-reads", &["read-twice"], &["Brake"])]
#[case::step_edges("step-edges", &["step-lost", "step-repeated"], &["Brake"])]
#[case::frame_speed("frame-speed", &["per-frame"], &["CameraStep"])]
#[case::wide_rest("wide-rest", &["number"], &["SlewX", "SlewY"])]
#[case::square_rest("square-rest", &["otherwise"], &["SlewX", "SlewY"])]
#[case::first_pad("first-pad", &["other-device"], &["SlewX", "SlewY"])]
#[case::open_gate("open-gate", &["gate-open"], &["SlewX", "SlewY"])]
#[case::short_window("short-window", &["number"], &["CallCrew"])]
fn a_mistake_is_found_and_named(
    #[case] mistake: &str,
    #[case] kinds: &[&str],
    #[case] shows_in: &[&str],
) {
    let (output, report) = &HELD[mistake];
    assert_eq!(output.status.code(), Some(1), "{report:#}");
    assert_eq!(report["agrees"], false);
    let rows = report["differences"].as_array().unwrap();
    assert!(!rows.is_empty());
    for row in rows {
        assert!(kinds.contains(&row["kind"].as_str().unwrap()), "{row:#}");
    }
    if !shows_in.is_empty() {
        assert_eq!(names(report), shows_in);
    }
}

/// Another number is told with the place where it stands and what explains it.
#[rstest]
#[case::wide_rest("wide-rest", "action.slew.from[0].dead-zone", 0.2)]
#[case::short_window("short-window", "combo.two-blasts.steps[1].within", 250.0)]
fn a_number_is_told_with_its_place(#[case] mistake: &str, #[case] place: &str, #[case] set: f64) {
    for row in HELD[mistake].1["differences"].as_array().unwrap() {
        let number = &row["number"];
        assert_eq!(number["place"], place);
        let (from, to) = (number["from"].as_f64().unwrap(), number["to"].as_f64().unwrap());
        assert!((from..=to).contains(&set), "{number}");
        assert!(!(from..=to).contains(&number["ours"].as_f64().unwrap()), "{number}");
    }
}

/// On the full screen, while it plays: what differs, and the lane of the game.
#[test]
fn a_game_is_watched_while_it_plays() {
    let folder = tempfile::tempdir().unwrap();
    let (game, socket) = (game(folder.path()), folder.path().join("s"));
    let (program, rig) = (env!("CARGO_BIN_EXE_gtrig"), demo("game.toml"));
    let command =
        format!("{program} live --kernel none --listen unix:{} --rig {rig}", socket.display());
    let tmux = Tmux::start("game", (160, 47), &command);
    tmux.wait_for(" LIVE ");
    tmux.keys(&["P"]);
    tmux.wait_for("no game says anything of its frames here");
    let mut playing = Command::new(game).arg(&socket).args(["open-gate", "60"]).spawn().unwrap();
    tmux.wait("it agrees at first", |s| s.contains("crane-game") && s.contains("values agree"));
    tmux.wait("the open gate", |s| {
        s.lines().any(|line| {
            line.contains("SlewX") && line.contains("has it open while interlock is on")
        })
    });
    tmux.keys(&["Tab"]);
    tmux.wait("the place", |s| s.contains(" why ▷ slew") && s.contains("in the game"));
    playing.kill().unwrap();
    playing.wait().unwrap();
    tmux.keys(&["q", "q"]);
}
