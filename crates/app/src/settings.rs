//! What a person sets for every run, from a file of theirs.

use crate::own;
use gtrig_formats::settings::{self, Bound, Settings};
use std::path::{Path, PathBuf};

/// Settings are no larger than so many MiB.
const MAX_MIB: u64 = 1;

/// The folder of what a person sets.
pub fn folder() -> Option<PathBuf> {
    Some(own::folder("XDG_CONFIG_HOME", ".config")?.join("gtrig"))
}

/// The file of the settings of the person.
pub fn path() -> Option<PathBuf> {
    Some(folder()?.join("settings.toml"))
}

/// Reads the settings of the person; without a file nothing is set. `bound` is all that
/// keys can be set for.
///
/// # Errors
/// When there is a file that cannot be read, or has mistakes.
pub fn read(bound: &[Bound]) -> anyhow::Result<Settings> {
    path().map_or(Ok(Settings::default()), |path| read_from(&path, bound))
}

fn read_from(path: &Path, bound: &[Bound]) -> anyhow::Result<Settings> {
    match own::read(path, MAX_MIB, "the settings")? {
        None => Ok(Settings::default()),
        Some(text) => Ok(settings::parse(&path.display().to_string(), &text, bound)?),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_formats::settings::ThemeName;
    use std::fs;

    #[test]
    fn settings_are_read_where_there_are_some() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("settings.toml");
        assert_eq!(read_from(&path, &[]).unwrap(), Settings::default());
        fs::write(&path, "theme = \"contrast\"\n").unwrap();
        assert_eq!(read_from(&path, &[]).unwrap().theme, Some(ThemeName::Contrast));
        fs::write(&path, "theme = \"loud\"\n").unwrap();
        let told = format!("{:#}", read_from(&path, &[]).unwrap_err());
        assert!(told.contains("settings.toml") && told.contains("loud"), "{told}");
        fs::write(&path, [0xff, 0xfe]).unwrap();
        assert!(read_from(&path, &[]).is_err());
        assert!(read_from(folder.path(), &[]).is_err(), "a folder is no file");
    }

    #[test]
    fn a_huge_file_is_no_settings() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("settings.toml");
        fs::File::create(&path).unwrap().set_len((MAX_MIB << 20) + 1).unwrap();
        assert!(read_from(&path, &[]).unwrap_err().to_string().contains("larger than 1 MiB"));
    }
}
