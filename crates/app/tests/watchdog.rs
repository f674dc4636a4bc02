//! Every command that only prints ends soon and in little memory, whatever rig and take
//! it is given, sound or damaged.

#[path = "common/command.rs"]
mod command;

use proptest::prelude::*;
use std::{
    fmt::Write,
    fs,
    path::Path,
    process::{Command, Stdio},
    thread,
    time::{Duration, Instant},
};

/// No run of these takes a hundredth of this, but machines may be busy.
const PATIENCE: Duration = Duration::from_secs(60);

/// What `gtrig --help` states, in KiB, and what the takes and rigs of these tests add.
const MEMORY_KIB: u64 = 300 << 10;

/// What happens next in a take.
#[derive(Clone, Debug)]
enum Line {
    Value(usize, usize, i32),
    Plug(usize),
    Unplug(usize),
    Deaf(usize, bool),
    Label(u64),
    Ends,
    /// What no take has.
    Damage(String),
}

fn line() -> impl Strategy<Value = Line> {
    let device = 0usize..6;
    let value = prop_oneof![
        4 => 0i32..2,
        4 => -200i32..200,
        1 => Just(i32::MIN),
        1 => Just(i32::MAX),
    ];
    prop_oneof![
        60 => (device.clone(), 0usize..9, value).prop_map(|(d, c, v)| Line::Value(d, c, v)),
        4 => device.clone().prop_map(Line::Plug),
        2 => device.clone().prop_map(Line::Unplug),
        2 => (device, any::<bool>()).prop_map(|(d, deaf)| Line::Deaf(d, deaf)),
        2 => (0u64..2_592_000_000_000_000).prop_map(Line::Label),
        1 => Just(Line::Ends),
        1 => "[ -~]{0,40}".prop_map(Line::Damage),
    ]
}

/// How long after the line before: an instant, a tap, a pause, a night, a month.
fn gap() -> impl Strategy<Value = u64> {
    prop_oneof![
        10 => 0u64..3,
        20 => 0u64..40_000_000,
        6 => 0u64..2_000_000_000,
        1 => 0u64..40_000_000_000_000,
        1 => 0u64..2_592_000_000_000_000,
    ]
}

const CONTROLS: &str = r#"{"code":"south","kind":"button"},{"code":"east","kind":"button"},{"code":"stick-l-x","kind":"axis","min":-128,"centre":0,"max":127},{"code":"stick-l-y","kind":"axis","min":127,"centre":127,"max":-128},{"code":"trigger-r","kind":"trigger","min":5,"max":5},{"code":"contact-1","kind":"button"},{"code":"contact-1-x","kind":"position","min":0,"max":99},{"code":"contact-1-y","kind":"position","min":3,"max":3},{"code":"wheel-y","kind":"relative"}"#;
const CODES: [&str; 9] = [
    "south",
    "east",
    "stick-l-x",
    "stick-l-y",
    "trigger-r",
    "contact-1",
    "contact-1-x",
    "contact-1-y",
    "wheel-y",
];
const KINDS: [&str; 6] = ["pad", "pad", "glass", "keys", "mouse", "other"];

fn take() -> impl Strategy<Value = String> {
    let begins = prop_oneof![3 => Just(0u64), 1 => gap()];
    let lines = prop::collection::vec((gap(), line()), 1..120);
    (begins, lines).prop_map(|(begins, lines)| {
        let mut text = format!("{{\"take\":1,\"begins\":{begins}}}\n");
        let plug = |t: u64, d: usize| {
            let kind = KINDS[d];
            format!(r#"{{"t":{t},"plug":"d{d}","kind":"{kind}","controls":[{CONTROLS}]}}"#)
        };
        for d in 0..4 {
            text += &(plug(begins, d) + "\n");
        }
        let mut t = begins;
        for (gap, line) in lines {
            t += gap;
            let result = match line {
                Line::Value(d, c, v) => {
                    writeln!(text, r#"{{"t":{t},"on":"d{d}","c":"{}","v":{v}}}"#, CODES[c])
                }
                Line::Plug(d) => writeln!(text, "{}", plug(t, d)),
                Line::Unplug(d) => writeln!(text, r#"{{"t":{t},"unplug":"d{d}"}}"#),
                Line::Deaf(d, true) => writeln!(text, r#"{{"t":{t},"deaf":"d{d}"}}"#),
                Line::Deaf(d, false) => writeln!(text, r#"{{"t":{t},"heard":"d{d}"}}"#),
                Line::Label(t) => writeln!(text, r#"{{"t":{t},"label":"meant: poke"}}"#),
                Line::Ends => writeln!(text, r#"{{"t":{t},"ends":true}}"#),
                Line::Damage(what) => writeln!(text, "{what}"),
            };
            result.expect("memory takes it");
        }
        text
    })
}

/// Parts of rigs that go on by themselves, remember, wait, or never come to rest.
const PARTS: &[&str] = &[
    "[[edge]]\nof = \"pad\"\nlatched = true\ndebounce-ms = 5\nstuck-after-s = 1\n",
    "[shape.a]\nstages = [{ offset = [0.3, -0.1] }, { half-life-ms = 400 }]\n[action.a]\ngives = \"plane\"\nfrom = { stick = \"pad/stick-l\", shape = \"a\" }\n",
    "[shape.b]\nstages = [{ scale = -3 }, { turn-limit = 1 }, { steady-hz = 0.05, follow = 0 }, { offset = 0.5 }]\n[action.b]\ngives = \"polar\"\nfrom = { stick = \"pad/stick-l\", shape = \"b\" }\n",
    "[action.speed]\ngives = \"axis\"\nfrom = [{ axis = \"pad/stick-l-x\", dead-zone = 0.1 }, { pair = [\"pad/south\", \"pad/east\"], both = \"last\" }, { axis = \"pad/trigger-r\" }]\n",
    "[action.flip]\ngives = \"toggle\"\nfrom = [\"pad/south\", \"keys/KeyH\"]\n",
    "[gesture.poke]\nkind = \"tap\"\nwaits-for = [\"twice\"]\n[gesture.twice]\nkind = \"tap\"\ntimes = 5\ngap-ms = 2000\n",
    "[gesture.stay]\nkind = \"press\"\nhold-ms = 5000\n[gesture.pull]\nkind = \"drag\"\ntakes = true\n[gesture.aim]\nkind = \"aim\"\norigin = [0.5, 0.5]\n",
    "[zone.z]\nrect = [0, 0, 0.5, 1]\nfollow = true\n[action.z]\ngives = \"on\"\nfrom = { zone = \"z\" }\n",
    "[combo.c]\nsteps = \"quiet for 60 s, press south, press east within 60 s after 30 s buffered 20 s, quiet for 60 s\"\nwaits-for = [\"d\"]\n[combo.d]\nsteps = \"press south 12 times within 60 s\"\nagain = true\n",
    "[combo.e]\nsteps = \"together south and east in 10000 ticks, hold south for 10000 ticks\"\nclock = \"ticks\"\n",
    "[mode.one]\n[mode.two]\nenter = \"flap\"\nleave = \"flap\"\n[action.flap]\ngives = \"pulse\"\nfrom = \"pad/east\"\n",
    "[yard.trolley]\nby = \"travel\"\nspeed = 1\nacceleration = 1\nbraking = 1\n[action.travel]\ngives = \"axis\"\nfrom = { axis = \"pad/stick-l-y\" }\n",
];

fn rig() -> impl Strategy<Value = String> {
    let parts = prop::sample::subsequence(PARTS, 0..=PARTS.len());
    let hz = prop_oneof![Just("10"), Just("60"), Just("1000")];
    (parts, hz)
        .prop_map(|(parts, hz)| format!("rig = 1\n[sampling]\npoll-hz = {hz}\n{}", parts.concat()))
}

const RUNS: &[&str] = &[
    "check R",
    "replay T --rig R",
    "replay T --rig R --form csv --every-tick",
    "audit T --rig R --rates 10,240,1000 --form json",
    "health T",
    "gestures T --rig R --form json",
    "combos T --rig R --form csv",
    "combos T --rig R --rates 10,30,240",
    "measure T --form json",
    "compare T R R",
    "compare T R --rig R",
    "figure T F --rig R",
    "figure T F --rig R --stick pad/stick-l",
];

/// Runs a command with its memory held. Returns why it is not as it should be.
fn trouble(run: &str, folder: &Path) -> Option<String> {
    let at = |name: &str| folder.join(name).to_str().unwrap().to_owned();
    let args = run.split(' ').map(|arg| match arg {
        "T" => at("t.take.jsonl"),
        "R" => at("r.toml"),
        "F" => at("f.svg"),
        plain => plain.to_owned(),
    });
    let script = format!("ulimit -v {MEMORY_KIB}; exec \"$0\" \"$@\"");
    let mut child = Command::new("sh")
        .args(["-c", &script, env!("CARGO_BIN_EXE_gtrig")])
        .args(args)
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    let started = Instant::now();
    let status = loop {
        match child.try_wait().unwrap() {
            Some(status) => break status,
            None if started.elapsed() > PATIENCE => {
                child.kill().unwrap();
                child.wait().unwrap();
                return Some(format!("{run}: it does not end"));
            }
            None => thread::sleep(Duration::from_millis(2)),
        }
    };
    // Neither a panic nor a signal.
    let is_fine = status.code().is_some_and(|code| code <= 2);
    (!is_fine).then(|| format!("{run}: {status}"))
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 20, ..ProptestConfig::with_cases(24) })]

    #[test]
    fn whatever_it_is_given_it_ends(take in take(), rig in rig()) {
        let folder = tempfile::tempdir().unwrap();
        fs::write(folder.path().join("t.take.jsonl"), &take).unwrap();
        fs::write(folder.path().join("r.toml"), &rig).unwrap();
        for run in RUNS {
            let trouble = trouble(run, folder.path());
            prop_assert!(trouble.is_none(), "{}\n{}\n{}", trouble.unwrap(), rig, take);
        }
    }
}

/// The rigs of these tests are sound, so that they are run at all.
#[test]
fn every_part_of_a_rig_is_sound() {
    for part in PARTS {
        let text = format!("rig = 1\n{part}");
        gtrig_formats::rig::parse("part", &text).unwrap_or_else(|mistakes| panic!("{mistakes}"));
    }
    let all = format!("rig = 1\n{}", PARTS.concat());
    gtrig_formats::rig::parse("all", &all).unwrap_or_else(|mistakes| panic!("{mistakes}"));
}
