//! Files that the program keeps in a person's home.

use anyhow::{Context, bail};
use std::{
    env, fs, io,
    path::{Path, PathBuf},
};

/// The folder that a variable names, or else one in the home.
pub(crate) fn folder(variable: &str, in_home: &str) -> Option<PathBuf> {
    let named = env::var_os(variable).filter(|folder| !folder.is_empty()).map(PathBuf::from);
    named.or_else(|| {
        let home = env::var_os("HOME").filter(|home| !home.is_empty())?;
        Some(Path::new(&home).join(in_home))
    })
}

/// The text of a file of at most so many MiB; `None` where there is none. `about` says
/// what it should be.
///
/// # Errors
/// When it is larger, or cannot be read.
pub(crate) fn read(path: &Path, mib: u64, about: &str) -> anyhow::Result<Option<String>> {
    let told = || format!("cannot read {about} in {}", path.display());
    match fs::metadata(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
        Err(error) => return Err(error).with_context(told),
        Ok(file) if file.len() > mib << 20 => {
            bail!("{} is larger than {mib} MiB: it is not {about}", path.display())
        }
        Ok(_) => {}
    }
    Ok(Some(fs::read_to_string(path).with_context(told)?))
}
