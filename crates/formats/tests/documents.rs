//! The documents say what the program does: their examples are read, and
//! their tables compared.

use gtrig_analysis::Capacity;
use gtrig_core::{DeviceKind, tunable, vocabulary};
use gtrig_formats::{rig, take};
use std::{
    fs,
    path::{Path, PathBuf},
};

const RIG: &str = include_str!("../../../docs/rig-format.md");
const OSC: &str = include_str!("../../../docs/osc.md");
const LIMITS: &str = include_str!("../../../docs/limits.md");
const TAKE: &str = include_str!("../../../docs/take-format.md");

/// The first code block of a language.
fn block<'d>(document: &'d str, language: &str) -> &'d str {
    let (_, rest) = document.split_once(&format!("```{language}\n")).unwrap();
    rest.split_once("```").unwrap().0
}

#[test]
fn the_example_rig_is_sound() {
    let rig = rig::parse("rig-format.md", block(RIG, "toml")).unwrap_or_else(|e| panic!("{e}"));
    assert_eq!(rig.actions.len(), 4);
}

#[test]
fn the_example_take_is_sound() {
    let text = block(TAKE, "jsonl");
    let rig = rig::parse("rig-format.md", block(RIG, "toml")).unwrap();
    let (session, loaded) =
        take::TakeReader::open(text.as_bytes()).unwrap().load(rig, Capacity::DEFAULT);
    assert!(loaded.is_sound(), "{loaded:?}");
    assert_eq!((loaded.events, session.labels().len()), (5, 1));
}

/// Every block of a rig in the document about messages, in one rig.
#[test]
fn the_example_addresses_are_sound() {
    let blocks = OSC.split("```toml\n").skip(1).map(|rest| rest.split_once("```").unwrap().0);
    let head = "rig = 1\n[action.horn]\ngives = \"on\"\nfrom = \"other/horn\"\n\
                [action.slew]\ngives = \"axis\"\nfrom = { axis = \"other/slew\" }\n";
    let text: String = [head].into_iter().chain(blocks).collect();
    let rig = rig::parse("osc.md", &text).unwrap_or_else(|e| panic!("{e}"));
    assert_eq!(rig.osc.heard.devices[0].controls.len(), 5);
    assert_eq!(rig.osc.sent[0].address, "/crane/horn");
    for key in ["address", "as", "argument", "min", "rest", "max", "end", "at-least", "at-most"] {
        assert!(OSC.contains(&format!("`{key}`")), "{key}");
    }
}

#[test]
fn every_tunable_number_is_in_the_table() {
    for t in tunable::ALL {
        let row = format!(
            "| `{}` | {} | {} | {} | {} | {} |",
            t.name, t.unit, t.min, t.max, t.default, t.meaning
        );
        assert!(RIG.contains(&row), "missing in docs/rig-format.md:\n{row}");
    }
}

#[test]
fn every_control_but_the_keys_is_named() {
    for kind in [DeviceKind::Pad, DeviceKind::Lever, DeviceKind::Mouse] {
        for name in vocabulary::names(kind) {
            assert!(RIG.contains(&format!("`{name}`")), "{name}");
        }
    }
}

/// Every test that `docs/limits.md` names is there.
#[test]
fn every_bound_is_held_by_a_test() {
    let rows = LIMITS.lines().filter(|line| line.starts_with("| ") && !line.contains("checked by"));
    let tests: Vec<&str> = rows
        .map(|row| row.trim_end_matches(" |").rsplit("| ").next().unwrap().trim_matches('`'))
        .collect();
    assert!(tests.len() > 20);
    let sources = sources(Path::new(env!("CARGO_MANIFEST_DIR")).join(".."));
    for test in tests {
        assert!(sources.contains(&format!("fn {test}(")), "no test is called {test}");
    }
}

/// The text of all sources below a folder.
fn sources(folder: PathBuf) -> String {
    let mut text = String::new();
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            text += &sources(path);
        } else if path.extension().is_some_and(|ending| ending == "rs") {
            text += &fs::read_to_string(path).unwrap();
        }
    }
    text
}

/// Whether a text of the reader is a key and no sentence.
fn is_key(text: &str) -> bool {
    !text.is_empty() && text.bytes().all(|b| b.is_ascii_lowercase())
}

/// The reader takes each table of the root by its name.
#[test]
fn every_table_of_a_rig_is_in_the_list_of_top_keys() {
    let reader = include_str!("../src/rig.rs");
    let (_, read) = reader.split_once("fn read(problems").unwrap();
    let (read, _) = read.split_once("fn check_thresholds").unwrap();
    let keys: Vec<&str> = read.split('"').skip(1).step_by(2).filter(|text| is_key(text)).collect();
    let known = ["sampling", "slots", "edge", "shape", "zone", "action", "combo", "yard"];
    assert!(keys.len() >= 14 && known.iter().all(|key| keys.contains(key)), "{keys:?}");
    let top = RIG.split("## Top").nth(1).unwrap().split("\n## ").next().unwrap();
    for key in keys {
        let is_listed = [format!("`{key}`"), format!("`[{key}"), format!("`[[{key}]]`")];
        assert!(is_listed.iter().any(|cell| top.contains(cell.as_str())), "{key}");
    }
}
