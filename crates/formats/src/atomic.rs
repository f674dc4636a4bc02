//! Writing a file so that a reader, or a power cut, finds either the old one
//! or the new one, never half of each.

use std::{
    fs::{self, File, Metadata},
    io::{self, BufWriter, Write},
    path::{Path, PathBuf},
};

/// What may be where a file is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Over<'a> {
    /// No file: one that is there stays.
    Nothing,
    /// Any file, which the new one takes the place of.
    Anything,
    /// A file with this in it, as it was read; another program may have written it since.
    Same(&'a [u8]),
}

/// Writes `path` through a temporary file in the same folder, which takes its
/// place only once it is complete and on disk. A file that takes the place of another has
/// its mode, and where it may its owner; a link stays a link to what is written. What is no
/// file at all, such as a pipe or a device, is written to as it is.
///
/// # Errors
/// When the folder cannot be written, the disk is full, `write` fails, or something is
/// at `path` that may not be; the file that was there, if any, is then as it was.
pub fn save_atomically(
    path: &Path,
    over: Over,
    write: impl FnOnce(&mut BufWriter<&File>) -> io::Result<()>,
) -> io::Result<()> {
    let path = &followed(path)?;
    let there = match fs::metadata(path) {
        Ok(there) => Some(there),
        Err(error) if error.kind() == io::ErrorKind::NotFound => None,
        Err(error) => return Err(error),
    };
    if there.as_ref().is_some_and(|there| !there.is_file() && !there.is_dir()) {
        return write_all(&File::options().write(true).open(path)?, write);
    }
    let folder = match path.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder,
        _ => Path::new("."),
    };
    let temporary = new_file(folder)?;
    write_all(temporary.as_file(), write)?;
    temporary.as_file().sync_all()?;
    match (over, there) {
        (Over::Nothing, _) => {
            temporary.persist_noclobber(path).map_err(|error| match error.error.kind() {
                kind @ io::ErrorKind::AlreadyExists => io::Error::new(kind, "it is there already"),
                _ => error.error,
            })?;
        }
        (Over::Same(was), _) if fs::read(path)? != was => {
            return Err(io::Error::other("another program has written it meanwhile"));
        }
        (_, there) => {
            if let Some(there) = there {
                make_alike(temporary.as_file(), &there)?;
            }
            temporary.persist(path)?;
        }
    }
    // The name is on disk once its folder is; some systems cannot say so.
    let _ = File::open(folder).and_then(|folder| folder.sync_all());
    Ok(())
}

fn write_all(
    file: &File,
    write: impl FnOnce(&mut BufWriter<&File>) -> io::Result<()>,
) -> io::Result<()> {
    let mut buffered = BufWriter::with_capacity(1 << 16, file);
    write(&mut buffered)?;
    buffered.flush()
}

/// Where a path leads: a link may lead to another, or to what is not there yet.
fn followed(path: &Path) -> io::Result<PathBuf> {
    /// As many as systems follow.
    const MOST_LINKS: usize = 40;
    let mut path = path.to_owned();
    for _ in 0..MOST_LINKS {
        if !fs::symlink_metadata(&path).is_ok_and(|there| there.is_symlink()) {
            return Ok(path);
        }
        let to = fs::read_link(&path)?;
        path = path.parent().map_or(to.clone(), |folder| folder.join(&to));
    }
    Err(io::Error::other("too many links"))
}

/// Temporary files are private; a saved one is as readable as any other that its owner
/// makes.
#[cfg(unix)]
fn new_file(folder: &Path) -> io::Result<tempfile::NamedTempFile> {
    use std::os::unix::fs::PermissionsExt;
    let usual = fs::Permissions::from_mode(0o666);
    tempfile::Builder::new().prefix(".gtrig-").permissions(usual).tempfile_in(folder)
}

#[cfg(not(unix))]
fn new_file(folder: &Path) -> io::Result<tempfile::NamedTempFile> {
    tempfile::Builder::new().prefix(".gtrig-").tempfile_in(folder)
}

/// Gives a file what the one has whose place it takes.
#[cfg(unix)]
fn make_alike(file: &File, there: &Metadata) -> io::Result<()> {
    use std::os::unix::fs::{MetadataExt, fchown};
    // Only a privileged person may give files away; it is theirs otherwise.
    let _ = fchown(file, Some(there.uid()), Some(there.gid()));
    file.set_permissions(there.permissions())
}

#[cfg(not(unix))]
fn make_alike(_: &File, _: &Metadata) -> io::Result<()> {
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn save(path: &Path, over: Over, text: &str) -> io::Result<()> {
        save_atomically(path, over, |out| out.write_all(text.as_bytes()))
    }

    #[test]
    fn an_interrupted_save_leaves_the_old_file_and_no_litter() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.take.jsonl");
        fs::write(&path, "old").unwrap();
        let result = save_atomically(&path, Over::Anything, |out| {
            out.write_all(&[b'x'; 200_000])?;
            Err(io::Error::other("the disk is full"))
        });
        assert_eq!(result.unwrap_err().to_string(), "the disk is full");
        assert_eq!(fs::read_to_string(&path).unwrap(), "old");
        assert_eq!(fs::read_dir(&folder).unwrap().count(), 1);
    }

    #[rstest]
    #[case::nothing_there(None, Over::Nothing, Ok("new"))]
    #[case::anything(Some("old"), Over::Anything, Ok("new"))]
    #[case::as_it_was_read(Some("old"), Over::Same(b"old"), Ok("new"))]
    #[case::there_already(Some("old"), Over::Nothing, Err("there already"))]
    #[case::changed_meanwhile(Some("newer"), Over::Same(b"old"), Err("meanwhile"))]
    #[case::gone_meanwhile(None, Over::Same(b"old"), Err("No such file"))]
    fn what_may_be_there(
        #[case] there: Option<&str>,
        #[case] over: Over,
        #[case] expected: Result<&str, &str>,
    ) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a");
        if let Some(text) = there {
            fs::write(&path, text).unwrap();
        }
        let result = save(&path, over, "new");
        match expected {
            Ok(text) => assert_eq!(fs::read_to_string(&path).unwrap(), text),
            Err(said) => {
                let error = result.unwrap_err().to_string();
                assert!(error.contains(said), "{error}");
                assert_eq!(fs::read_to_string(&path).ok().as_deref(), there);
            }
        }
        assert!(fs::read_dir(&folder).unwrap().count() <= 1, "there is litter");
    }

    #[cfg(unix)]
    #[test]
    fn mode_and_links_stay() {
        use std::os::unix::fs::{PermissionsExt, symlink};
        let folder = tempfile::tempdir().unwrap();
        let [file, link, far, empty] =
            ["file", "link", "far", "empty"].map(|name| folder.path().join(name));
        fs::write(&file, "old").unwrap();
        fs::set_permissions(&file, fs::Permissions::from_mode(0o640)).unwrap();
        symlink("file", &link).unwrap();
        symlink(&link, &far).unwrap();
        symlink("not there yet", &empty).unwrap();
        save(&far, Over::Same(b"old"), "new").unwrap();
        assert_eq!(fs::read_to_string(&file).unwrap(), "new");
        assert_eq!(fs::metadata(&file).unwrap().permissions().mode() & 0o777, 0o640);
        save(&empty, Over::Nothing, "new").unwrap();
        assert_eq!(fs::read_to_string(folder.path().join("not there yet")).unwrap(), "new");
        for link in [link, far, empty] {
            assert!(fs::symlink_metadata(link).unwrap().is_symlink());
        }
    }

    /// The null device is never replaced, not even by somebody who may.
    #[cfg(unix)]
    #[test]
    fn what_is_no_file_is_written_to() {
        let null = Path::new("/dev/null");
        save(null, Over::Anything, "x").unwrap();
        assert!(!fs::metadata(null).unwrap().is_file());
    }

    /// `/dev/full` is the kernel's own full disk; it is no folder, so this
    /// checks the path that a missing folder takes too.
    #[test]
    fn a_folder_that_is_none_is_an_error() {
        assert!(save(Path::new("/dev/full/a"), Over::Anything, "x").is_err());
        assert!(save(Path::new("/dev/full"), Over::Anything, "x").is_err());
    }
}
