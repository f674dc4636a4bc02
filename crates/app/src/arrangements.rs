//! Where the arrangements of lanes are kept from run to run.

use crate::own;
use anyhow::Context;
use gtrig_formats::{Over, arrangement::Arrangements, save_atomically};
use std::{
    fs,
    io::Write,
    path::{Path, PathBuf},
};

/// A larger file, in MiB, is not read.
const MAX_MIB: u64 = 8;

/// The file. It lies where programs keep their own state, and not among the settings.
pub fn path() -> Option<PathBuf> {
    Some(own::folder("XDG_STATE_HOME", ".local/state")?.join("gtrig/lanes.json"))
}

/// Reads them; without a file nothing is arranged.
///
/// # Errors
/// When there is a file that cannot be read, or is none of ours.
pub fn read(path: &Path) -> anyhow::Result<Arrangements> {
    let Some(text) = own::read(path, MAX_MIB, "the arrangement of lanes")? else {
        return Ok(Arrangements::default());
    };
    let about = || format!("the arrangement of lanes in {} is not used", path.display());
    Arrangements::parse(&text).with_context(about)
}

/// Writes them.
///
/// # Errors
/// When the folder cannot be made or the file not be written.
pub fn write(path: &Path, text: &str) -> anyhow::Result<()> {
    let about = || format!("cannot keep the arrangement of lanes in {}", path.display());
    if let Some(folder) = path.parent() {
        fs::create_dir_all(folder).with_context(about)?;
    }
    save_atomically(path, Over::Anything, |out| out.write_all(text.as_bytes())).with_context(about)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn they_are_kept_and_what_is_damaged_is_told() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a/b/lanes.json");
        assert_eq!(read(&path).unwrap(), Arrangements::default());
        let mut all = Arrangements::default();
        let mut lanes = all.of("rig");
        lanes.turn_pin("horn");
        all.set("rig", lanes);
        write(&path, &all.text()).unwrap();
        assert_eq!(read(&path).unwrap(), all);
        fs::write(&path, "no JSON").unwrap();
        assert!(format!("{:#}", read(&path).unwrap_err()).contains("lanes.json is not used"));
        assert!(write(&path.join("c"), "").is_err());
        fs::File::create(&path).unwrap().set_len((MAX_MIB << 20) + 1).unwrap();
        assert!(read(&path).unwrap_err().to_string().contains("larger than 8 MiB"));
    }
}
