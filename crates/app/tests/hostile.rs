//! Whatever names a take, a rig, a map or a path has, nothing of it commands the
//! terminal.

#[path = "common/command.rs"]
mod command;

use command::{gtrig, stdout};
use gtrig_core::{PollRate, Rig, showable};
use gtrig_formats::{
    reel::{Reel, SegmentSize, copy_to_reel},
    take::TakeReader,
};
use std::{collections::BTreeSet, fs, path::PathBuf};

/// What would command a terminal, hide, reorder or tower, in one word.
const HOSTILE: &str = "\u{1b}[2J\u{9b}31m\u{7}\u{202e}\u{61c}\u{ad}\u{180e}\u{34f}\u{115f}\u{3164}\u{e0041}\u{200b}e\u{301}\u{302}\u{303}\u{304}";

/// The same where a file name must do, which has no slash and no NUL.
struct Files {
    folder: tempfile::TempDir,
    take: PathBuf,
    /// A figure of it has its path for a title.
    untitled: PathBuf,
    broken: PathBuf,
    rig: PathBuf,
    wrong: PathBuf,
    log: PathBuf,
    reel: PathBuf,
}

impl Files {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str, text: String| {
            let path = folder.path().join(format!("{HOSTILE}{name}"));
            fs::write(&path, text).unwrap();
            path
        };
        let json = serde_json::to_string(&format!("={HOSTILE}")).unwrap();
        let lines = [
            format!(r#"{{"take":1,"title":{json},"rig":{json}}}"#),
            format!(
                r#"{{"t":0,"plug":{json},"kind":"pad","name":{json},"identity":{json},"bus":{json},"controls":[{{"code":"south","kind":"button"}},{{"code":"stick-l-x","kind":"axis","min":-128,"centre":0,"max":127}},{{"code":"stick-l-y","kind":"axis","min":-128,"centre":0,"max":127}}]}}"#
            ),
            format!(
                r#"{{"t":0,"plug":"glass","kind":"glass","name":{json},"controls":[{{"code":"contact-1","kind":"button"}},{{"code":"contact-1-x","kind":"position","min":0,"max":99}},{{"code":"contact-1-y","kind":"position","min":0,"max":99}}]}}"#
            ),
            format!(r#"{{"t":20000000,"on":{json},"c":"south","v":1}}"#),
            format!(r#"{{"t":30000000,"on":{json},"c":"stick-l-x","v":99}}"#),
            r#"{"t":40000000,"on":"glass","c":"contact-1","v":1}"#.to_owned(),
            r#"{"t":50000000,"on":"glass","c":"contact-1","v":0}"#.to_owned(),
            format!(r#"{{"t":60000000,"on":{json},"c":"south","v":0}}"#),
            format!(r#"{{"t":60000000,"label":{json}}}"#),
            format!(r#"{{"t":70000000,"label":"meant: {}"}}"#, &json[1..json.len() - 1]),
            r#"{"t":900000000,"ends":true}"#.to_owned(),
        ];
        let take = lines.join("\n") + "\n";
        let broken = take.clone() + &format!("{{\"t\":900000001,\"on\":{json},\"c\":{json}}}\n");
        let toml = json.replace("\\u009b", "").replace('\u{9b}', "");
        let rig = format!(
            "rig = 1\nname = {toml}\n[action.horn]\ngives = \"on\"\nfrom = [\"pad/south\", \"keys/KeyH\"]\n[action.slew]\ngives = \"plane\"\nfrom = {{ stick = \"pad/stick-l\", dead-zone = 0.1 }}\n[gesture.poke]\nkind = \"tap\"\n[combo.twice]\nsteps = \"tap south\"\n"
        );
        let wrong = format!("{rig}[action.{toml}]\ngives = {toml}\n{toml} = 1 # {HOSTILE}\n");
        let log = format!("N: {HOSTILE}\nI: 3 0001 0002\nR: 1 05\n{HOSTILE}\n");
        let untitled = at(
            "u.take.jsonl",
            take.replacen("\"title\"", "\"rig\"", 1).replacen(
                &format!(",\"rig\":{json}}}"),
                "}",
                1,
            ),
        );
        let (take, broken) = (at("t.take.jsonl", take), at("b.take.jsonl", broken));
        let (rig, wrong, log) = (at("r.toml", rig), at("w.toml", wrong), at("l.txt", log));
        // A reel of it that is damaged further down.
        let reel = folder.path().join(format!("{HOSTILE}r.reel"));
        let text = fs::read(&take).unwrap();
        let lines = TakeReader::open(&text[..]).unwrap();
        let rules = Rig::bare("any", PollRate::DEFAULT);
        copy_to_reel(lines, rules, &reel, SegmentSize::DEFAULT).unwrap();
        let segment = Reel::open(&reel).unwrap().segments()[0].path.clone();
        fs::copy(&segment, segment.with_file_name("0000001.000000000.mcap")).unwrap();
        Files { folder, take, untitled, broken, rig, wrong, log, reel }
    }

    /// Arguments in which a word in braces is a file.
    fn fill(&self, args: &str) -> Vec<String> {
        args.split_whitespace()
            .map(|arg| match arg {
                "{take}" => self.take.to_str().unwrap().to_owned(),
                "{broken}" => self.broken.to_str().unwrap().to_owned(),
                "{rig}" => self.rig.to_str().unwrap().to_owned(),
                "{wrong}" => self.wrong.to_str().unwrap().to_owned(),
                "{log}" => self.log.to_str().unwrap().to_owned(),
                "{reel}" => self.reel.to_str().unwrap().to_owned(),
                "{new.reel}" => self.new_file("new.reel"),
                "{gone}" => self.new_file("gone"),
                "{untitled}" => self.untitled.to_str().unwrap().to_owned(),
                "{new.svg}" => self.new_file("new.svg"),
                "{svg}" => self.new_file("f.svg"),
                "{pdf}" => self.new_file("f.pdf"),
                "{new}" => self.new_file("new.take.jsonl"),
                "{hostile}" => HOSTILE.to_owned(),
                plain => plain.to_owned(),
            })
            .collect()
    }

    fn new_file(&self, name: &str) -> String {
        self.folder.path().join(format!("{HOSTILE}{name}")).to_str().unwrap().to_owned()
    }
}

/// What is wrong with a text that a terminal shows.
fn harm(text: &str) -> Option<char> {
    showable(text).find(|(c, may_be)| !may_be && *c != '\n').map(|(c, _)| c)
}

const RUNS: &[&str] = &[
    "agree {take} --rig {rig}",
    "agree {broken} {take} --rig {rig} --form json",
    "audit {take} --rates 30,60",
    "audit {take} {broken} --form csv",
    "check {rig}",
    "check {wrong}",
    "check {gone}",
    "combos {take} --rig {rig}",
    "combos {broken} {take} --rig {rig} --form json",
    "combos {take} --rig {rig} --form csv",
    "compare {take} {rig} {rig}",
    "compare {take} {rig} {wrong} --form json",
    "compile {rig} {gone}/x",
    "compile {wrong} {svg}",
    "convert {take} {gone} --rig {rig} --as csv",
    "convert {take} {take}",
    "convert {broken} {gone}",
    "convert {gone} {gone}",
    "convert {log} {new}",
    "convert {reel} {new}",
    "convert {reel} {gone}",
    "convert {take} {new.reel}",
    "convert {take} {reel}",
    "devices --help",
    "devices {hostile}",
    "figure {take} {svg} --rig {rig}",
    "figure {take} {pdf} --rig {rig}",
    "figure {take} {gone} --rig {rig}",
    "gestures {take} --rig {rig}",
    "gestures {take} {take} --rig {rig} --form csv",
    "gestures {take} --rig {rig} --form json",
    "health {take} {broken}",
    "health {reel}",
    "health {take} --form json",
    "health {take} --form csv",
    "hid {log}",
    "hid {log} --output {take}",
    "tail {take}",
    "tail {take} --json --rig {rig}",
    "tail {broken} --only {hostile}",
    "measure {take}",
    "measure {take} --form json",
    "measure {take} {hostile}",
    "record {take} --kernel none",
    "record {gone}/x --seconds 0",
    "replay {take} --rig {rig}",
    "replay {take} {broken} --rig {rig} --form csv",
    "replay {gone}",
    "replay {take} --rig {wrong}",
    "replay {take} --rig {gone}",
    "settings",
    "settings {hostile}",
    "shape {hostile} --rig {rig}",
    "simulate {hostile}",
    "live --rig {wrong}",
    "live --{hostile}",
    "demo {hostile}",
    "open {gone}",
    "open {rig}",
    "help {hostile}",
    "{hostile}",
];

#[test]
fn no_command_passes_on_what_would_command_a_terminal() {
    let files = Files::new();
    for run in RUNS {
        let args = files.fill(run);
        let output = gtrig(&args.iter().map(String::as_str).collect::<Vec<_>>());
        for (stream, bytes) in [("output", &output.stdout), ("error", &output.stderr)] {
            let text = str::from_utf8(bytes).unwrap();
            assert_eq!(harm(text), None, "{run}: standard {stream}: {text:?}");
        }
        let said = output.stdout.len() + output.stderr.len();
        assert!(said > 0 || run.starts_with("figure"), "{run} says nothing");
        assert!(output.status.code().is_some_and(|code| code <= 2), "{run}: {output:?}");
    }
}

/// Every command is among those runs.
#[test]
fn no_command_is_left_out() {
    let help = gtrig(&["--help"]);
    let commands =
        stdout(&help).split("Commands:").nth(1).unwrap().split("Options:").next().unwrap();
    let is_name = |line: &&str| line.starts_with("  ") && !line.starts_with("   ");
    let names: BTreeSet<&str> = commands
        .lines()
        .filter(is_name)
        .filter_map(|line| line.split_whitespace().next())
        .collect();
    let run: BTreeSet<&str> = RUNS.iter().filter_map(|run| run.split_whitespace().next()).collect();
    assert!(names.len() > 15);
    assert_eq!(names.difference(&run).collect::<Vec<_>>(), Vec::<&&str>::new());
}

/// A drawing may be opened by anything. (A PDF is made of the same drawing.)
#[test]
fn figures_hold_none_of_it() {
    let files = Files::new();
    let runs = [
        "figure {take} {svg} --rig {rig} --title {hostile}",
        "figure {take} {pdf} --rig {rig}",
        "figure {untitled} {new.svg} --rig {rig}",
    ];
    for run in runs {
        let args = files.fill(run);
        let output = gtrig(&args.iter().map(String::as_str).collect::<Vec<_>>());
        assert_eq!(output.status.code(), Some(0), "{output:?}");
    }
    for name in ["f.svg", "new.svg"] {
        let drawing = fs::read_to_string(files.new_file(name)).unwrap();
        assert_eq!(harm(&drawing), None, "{name}");
    }
    let pdf = fs::read(files.new_file("f.pdf")).unwrap();
    for (at, _) in HOSTILE.char_indices().filter(|(_, c)| c.len_utf8() == 4) {
        let hidden = &HOSTILE.as_bytes()[at..at + 4];
        assert!(!pdf.windows(4).any(|bytes| bytes == hidden), "{hidden:?}");
    }
    assert!(!pdf.windows(4).any(|bytes| bytes == b"\x1b[2J"));
}

#[test]
fn no_cell_of_a_table_is_a_formula() {
    let files = Files::new();
    for run in RUNS.iter().filter(|run| run.ends_with("csv")) {
        let args = files.fill(run);
        let output = gtrig(&args.iter().map(String::as_str).collect::<Vec<_>>());
        let mut rows = csv::Reader::from_reader(&output.stdout[..]);
        for cell in rows
            .records()
            .map(Result::unwrap)
            .flat_map(|row| row.iter().map(str::to_owned).collect::<Vec<_>>())
        {
            let is_formula = cell.starts_with(['=', '+', '-', '@']) && cell.parse::<f64>().is_err();
            assert!(!is_formula, "{run}: {cell}");
        }
    }
}
