//! Running the program and reading what it printed.
#![allow(dead_code, reason = "each file of tests needs some of it")]

use std::{
    fs,
    path::{Path, PathBuf},
    process::{Command, Output, Stdio},
};

pub fn gtrig(args: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_gtrig")).args(args).stdin(Stdio::null()).output().unwrap()
}

pub fn demo(name: &str) -> String {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo").join(name);
    root.to_str().unwrap().to_owned()
}

pub fn stdout(output: &Output) -> &str {
    str::from_utf8(&output.stdout).unwrap()
}

pub fn stderr(output: &Output) -> &str {
    str::from_utf8(&output.stderr).unwrap()
}

/// A file with this content, in a folder that lives as long as the result.
pub fn file(name: &str, content: impl AsRef<[u8]>) -> (tempfile::TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join(name);
    fs::write(&path, content).unwrap();
    (folder, path)
}
