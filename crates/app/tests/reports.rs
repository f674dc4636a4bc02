//! The reports for programs: every key and every column stands in
//! `docs/reports.md`, and nothing stands there that no report has.

#[path = "common/command.rs"]
mod command;

use command::{demo, gtrig, stderr, stdout};
use gtrig_core::Keyword;
use gtrig_sources::Story;
use rstest::rstest;
use serde_json::Value;
use std::{collections::BTreeSet, fs, path::Path};

/// The part of the document about a command.
fn section(command: &str) -> String {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/reports.md");
    let text = fs::read_to_string(path).unwrap();
    let (_, after) = text.split_once(&format!("\n## {command}\n")).unwrap();
    after.split_once("\n## ").map_or(after, |(section, _)| section).to_owned()
}

/// What stands between backticks.
fn quoted(text: &str) -> impl Iterator<Item = String> {
    text.split('`').skip(1).step_by(2).map(str::to_owned)
}

/// The keys that the first column of a section's table lists. Those of a row that
/// several objects have alike follow the line that names these objects.
fn documented_keys(section: &str) -> BTreeSet<String> {
    let mut keys = BTreeSet::new();
    let mut places = vec![String::new()];
    for row in section.lines().filter_map(|line| line.strip_prefix("| `")) {
        let names: Vec<String> =
            quoted(&format!("`{}", row.split(" | ").next().unwrap())).collect();
        if row.ends_with(": |") {
            places = names.iter().map(|name| name.trim_end_matches('…').to_owned()).collect();
            continue;
        }
        for place in &places {
            keys.extend(names.iter().map(|name| format!("{place}{name}")));
        }
    }
    keys
}

/// The columns that a section lists after "CSV".
fn documented_columns(section: &str) -> Vec<String> {
    let (_, after) = section.split_once("\nCSV").unwrap();
    let (_, columns) = after.split_once(":\n").unwrap();
    quoted(columns).collect()
}

/// The keys of a JSON value, with those around them. What is not known has none,
/// what is missing is one, and so is what is counted by kind.
fn keys(value: &Value, place: &str, found: &mut BTreeSet<String>) {
    match value {
        Value::Null => {}
        Value::Object(object) if object.contains_key("missing") => {
            found.insert(place.to_owned());
        }
        Value::Object(_) if place.ends_with("counts") || place.ends_with("troubles") => {
            found.insert(format!("{place}.…"));
        }
        Value::Object(object) => {
            for (key, value) in object {
                let dot = if place.is_empty() { "" } else { "." };
                keys(value, &format!("{place}{dot}{key}"), found);
            }
        }
        Value::Array(items) => {
            items.iter().for_each(|item| keys(item, &format!("{place}[]"), found));
        }
        _ => {
            found.insert(place.to_owned());
        }
    }
}

const BITES: &str = r#"
[combo.first]
steps = "tap south"
[combo.then]
steps = "tap south, press south within 400 ms"
[combo.snap]
steps = "press south, press east within 5 ms"
# What strokes come near.
[gesture.sweep]
kind = "swipe"
toward = "any"
fires = "release"
length-mm = 20
[zone.plate]
rect = [0.4, 0.4, 0.1, 0.1]
contact = "share"
[combo.sweeping]
steps = "make gesture/sweep"
[combo.plating]
steps = "press zone/plate"
"#;

const WORN: &str = "[shape.worn]\nstages = [{ dead-zone = 0.2 }]\n";

fn story(name: &str) -> String {
    demo(&format!("{name}.take.jsonl"))
}

/// Every shipped take, one with strokes that were meant, and one that ends with a long
/// pause.
fn takes(folder: &Path) -> Vec<String> {
    let strokes = gtrig(&["simulate", "--strokes", "60", "--seed", "7"]);
    let path = folder.join("strokes.take.jsonl");
    fs::write(&path, &strokes.stdout).unwrap();
    let shipped = Story::ALL.iter().map(|of| story(of.word()));
    let pause = folder.join("pause.take.jsonl");
    let text = fs::read_to_string(story("stuck-horn")).unwrap();
    let (lines, _) = text.trim_end().rsplit_once('\n').unwrap();
    fs::write(&pause, format!("{lines}\n{{\"t\":60000000000,\"ends\":true}}\n")).unwrap();
    let made = [path, pause].map(|path| path.to_str().unwrap().to_owned());
    shipped.into_iter().chain(made).collect()
}

#[rstest]
#[case::replay(&["replay", "TAKES", "--every-tick"])]
#[case::agree(&["agree", "GAMES", "--rig", "RULES"])]
#[case::audit(&["audit", "TAKES", "--hitch", "500:40", "--step", "50"])]
#[case::health(&["health", "TAKES"])]
#[case::gestures(&["gestures", "TAKES"])]
#[case::combos(&["combos", "TAKES", "--rates", "--rig", "COMBOS"])]
#[case::compare(&["compare", "TAKES", "--with", "OTHER"])]
#[case::measure(&["measure", "STICKS"])]
#[case::check(&["check", "COMBOS"])]
#[case::shape(&["shape", "SHAPES", "worn", "--table", "3"])]
fn every_key_and_column_is_documented_and_nothing_else(#[case] args: &[&str]) {
    let folder = tempfile::tempdir().unwrap();
    let rig = |name: &str, change: &dyn Fn(String) -> String| {
        let text = change(fs::read_to_string(demo(name)).unwrap());
        let path = folder.path().join(name);
        fs::write(&path, text).unwrap();
        path.to_str().unwrap().to_owned()
    };
    let other = |rig: String| rig.replace("dead-zone = 0.12", "dead-zone = 0.3");
    // With a combo on the way to another, a window that is too short to tell, and
    // combos that a gesture or a zone alone keeps from being met.
    let combos = |rig: String| rig + BITES;
    let mut words = Vec::new();
    for &arg in args {
        match arg {
            "TAKES" => words.extend(takes(folder.path())),
            "STICKS" => words.extend(["worn-stick", "drifting-hook"].map(story)),
            "GAMES" => words.extend(
                ["late-read", "wide-rest"].map(|of| demo(&format!("game/{of}.take.jsonl"))),
            ),
            "RULES" => words.push(demo("game.toml")),
            "OTHER" => words.push(rig("kestrel-quay.toml", &other)),
            "SHAPES" => words.push(rig("kestrel-quay.toml", &|rig| rig + WORN)),
            "COMBOS" => words.push(rig("combos.toml", &combos)),
            other => words.push(other.to_owned()),
        }
    }
    let run = |form: &str| {
        let all: Vec<&str> = words.iter().map(String::as_str).chain([form]).collect();
        let output = gtrig(&all);
        // What they have to say may be no.
        let code = if args[0] == "agree" { 1 } else { 0 };
        assert_eq!(output.status.code(), Some(code), "{}", stderr(&output));
        stdout(&output).to_owned()
    };
    let section = section(args[0]);

    let mut found = BTreeSet::new();
    for value in serde_json::Deserializer::from_str(&run("--json")).into_iter::<Value>() {
        keys(&value.unwrap(), "", &mut found);
    }
    found.remove("take");
    assert_eq!(found, documented_keys(&section));

    let printed = run("--csv");
    let mut rows = csv::Reader::from_reader(printed.as_bytes());
    let columns: Vec<String> = rows.headers().unwrap().iter().map(str::to_owned).collect();
    let named = ["take".to_owned()].into_iter().filter(|_| !["check", "shape"].contains(&args[0]));
    assert_eq!(columns, named.chain(documented_columns(&section)).collect::<Vec<_>>());
    // A row with another number of cells is an error of the reader.
    assert!(rows.records().map(Result::unwrap).count() >= 3, "too few rows to say anything");
}
