//! The direction of the crates' own modules: lower never knows higher.
//!
//! The compiler lets modules of one crate form circles, and a re-export hides
//! them. So this test reads the sources: every path that begins at the crate
//! or above the file is resolved to the module it leads to, through the list
//! of re-exports in `lib.rs`, and that module must not be above the file's.

use std::{
    collections::BTreeMap,
    fs,
    path::{Path, PathBuf},
};

/// The stages of the core, from below to above.
const CORE: &[&str] =
    &["base", "device", "spec", "sample", "shape", "touch", "gesture", "combo", "plan", "run"];

/// The modules of the analysis, from below to above; those of a line know nothing
/// of each other.
const ANALYSIS: &[&str] = &[
    "lane",
    "label",
    "frames",
    "order",
    "history",
    "recording",
    "session",
    "cursor",
    "audit",
    "ladder",
];

/// A crate's sources.
struct Sources {
    root: PathBuf,
    order: &'static [&'static str],
    /// For each name that `lib.rs` re-exports its module.
    exports: BTreeMap<String, String>,
}

impl Sources {
    fn of(root: &str, order: &'static [&'static str]) -> Self {
        let root = Path::new(env!("CARGO_MANIFEST_DIR")).join(root);
        let lib = code(&fs::read_to_string(root.join("lib.rs")).unwrap());
        let mut exports = BTreeMap::new();
        for line in lib.split("pub use ").skip(1) {
            let list = line.split(';').next().unwrap();
            let Some((module, names)) = list.split_once("::") else { continue };
            for name in names.trim_matches(['{', '}', ' ', '\n']).split(',') {
                exports.insert(name.trim().to_owned(), module.trim().to_owned());
            }
        }
        assert!(!exports.is_empty(), "{} has a list of re-exports", root.display());
        Sources { root, order, exports }
    }

    /// How far above the others a module is; one that the order does not list is
    /// above all of them.
    fn rank(&self, module: &str) -> usize {
        self.order.iter().position(|other| *other == module).unwrap_or(self.order.len())
    }

    /// The module of the crate to which the first two names of a path lead.
    fn resolve<'a>(&'a self, name: &'a str) -> &'a str {
        self.exports.get(name).map_or(name, String::as_str)
    }

    /// Every step from a module to one above it.
    fn steps_up(&self) -> Vec<String> {
        let mut found = Vec::new();
        for file in files(&self.root) {
            let relative = file.strip_prefix(&self.root).unwrap().with_extension("");
            let mut names = relative.iter().map(|part| part.to_str().unwrap().to_owned());
            let module = names.next().unwrap();
            if module == "lib" {
                continue;
            }
            let depth = names.count();
            let text = code(&fs::read_to_string(&file).unwrap());
            for name in first_names(&text, depth) {
                let target = self.resolve(&name);
                if self.rank(target) > self.rank(&module) {
                    found.push(format!("{}: crate::{name}", relative.display()));
                }
            }
        }
        found
    }
}

/// Source text without comments.
fn code(text: &str) -> String {
    text.lines().map(|line| line.split("//").next().unwrap().to_owned() + "\n").collect()
}

fn files(folder: &Path) -> Vec<PathBuf> {
    let entries = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path());
    let mut files: Vec<PathBuf> =
        entries.flat_map(|path| if path.is_dir() { files(&path) } else { vec![path] }).collect();
    files.retain(|path| path.extension().is_some_and(|extension| extension == "rs"));
    files.sort();
    files
}

/// The first names of all paths that begin at the crate: `crate::a::B` and
/// `crate::{a::B, c}`; and of those that climb out of the top of a file that
/// lies `depth` folders below a module of the crate.
fn first_names(text: &str, depth: usize) -> Vec<String> {
    let climb = "super::".repeat(depth + 1);
    let mut names = Vec::new();
    for start in ["crate::", climb.as_str()] {
        for (at, _) in text.match_indices(start) {
            let before = text[..at].chars().next_back().unwrap_or(' ');
            if before.is_alphanumeric() || "_:".contains(before) {
                continue;
            }
            let rest = &text[at + start.len()..];
            match rest.strip_prefix('{') {
                Some(group) => names.extend(heads(group)),
                None => names.push(word(rest)),
            }
        }
    }
    names.retain(|name| !matches!(name.as_str(), "" | "super" | "self"));
    names
}

fn word(text: &str) -> String {
    text.chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect()
}

/// The first names of the paths of a group, whose opening brace is gone.
fn heads(group: &str) -> Vec<String> {
    let (mut depth, mut names, mut is_head) = (0, Vec::new(), true);
    for (at, c) in group.char_indices() {
        match c {
            '{' => depth += 1,
            '}' if depth == 0 => break,
            '}' => depth -= 1,
            ',' if depth == 0 => is_head = true,
            c if is_head && (c.is_alphanumeric() || c == '_') => {
                names.push(word(&group[at..]));
                is_head = false;
            }
            _ => {}
        }
    }
    names
}

#[test]
fn the_stages_of_the_core_know_only_those_below() {
    let core = Sources::of("src", CORE);
    assert_eq!(core.exports["Machine"], "run", "re-exports are resolved");
    assert_eq!(core.steps_up(), Vec::<String>::new());
}

#[test]
fn what_is_kept_of_a_run_knows_nothing_of_what_is_concluded_from_it() {
    let analysis = Sources::of("../analysis/src", ANALYSIS);
    assert_eq!(analysis.exports["Session"], "session", "re-exports are resolved");
    assert_eq!(analysis.steps_up(), Vec::<String>::new());
}

/// What the test would say of sources that do climb.
#[test]
fn a_step_up_is_seen_however_it_is_written() {
    let text = code(
        "use crate::{base::Tick, run::{Machine, run}}; // crate::combo\n\
         fn f() -> crate::Plan { super::super::gesture::engine() }\n\
         use super::bound;",
    );
    assert_eq!(first_names(&text, 1), ["base", "run", "Plan", "gesture"]);
    let core = Sources::of("src", CORE);
    assert!(core.rank(core.resolve("Plan")) > core.rank("touch"));
}
