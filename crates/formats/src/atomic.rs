//! Writing a file so that a reader, or a power cut, finds either the old one
//! or the new one, never half of each.

use std::{
    fs::File,
    io::{self, BufWriter, Write},
    path::Path,
};

/// Writes `path` through a temporary file in the same folder, which takes its
/// place only once it is complete and on disk.
///
/// # Errors
/// When the folder cannot be written, the disk is full, or `write` fails; the
/// file that was at `path`, if any, is then as it was.
pub fn save_atomically(
    path: &Path,
    write: impl FnOnce(&mut BufWriter<&File>) -> io::Result<()>,
) -> io::Result<()> {
    let folder = match path.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder,
        _ => Path::new("."),
    };
    let temporary = tempfile::Builder::new().prefix(".gtrig-").tempfile_in(folder)?;
    let mut buffered = BufWriter::with_capacity(1 << 16, temporary.as_file());
    write(&mut buffered)?;
    buffered.flush()?;
    drop(buffered);
    temporary.as_file().sync_all()?;
    give_usual_permissions(temporary.as_file())?;
    temporary.persist(path)?;
    Ok(())
}

/// Temporary files are private; a saved one should be as readable as any
/// other file of its owner.
#[cfg(unix)]
fn give_usual_permissions(file: &File) -> io::Result<()> {
    use std::os::unix::fs::PermissionsExt;
    file.set_permissions(std::fs::Permissions::from_mode(0o644))
}

#[cfg(not(unix))]
fn give_usual_permissions(_: &File) -> io::Result<()> {
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs;

    #[test]
    fn an_interrupted_save_leaves_the_old_file_and_no_litter() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.take.jsonl");
        fs::write(&path, "old").unwrap();
        let result = save_atomically(&path, |out| {
            out.write_all(&[b'x'; 200_000])?;
            Err(io::Error::other("the disk is full"))
        });
        assert_eq!(result.unwrap_err().to_string(), "the disk is full");
        assert_eq!(fs::read_to_string(&path).unwrap(), "old");
        assert_eq!(fs::read_dir(&folder).unwrap().count(), 1);
    }

    #[test]
    fn a_save_replaces_the_old_file() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a");
        fs::write(&path, "old").unwrap();
        save_atomically(&path, |out| out.write_all(b"new")).unwrap();
        assert_eq!(fs::read_to_string(&path).unwrap(), "new");
    }

    /// `/dev/full` is the kernel's own full disk; it is no folder, so this
    /// checks the path that a missing folder takes too.
    #[test]
    fn a_folder_that_is_none_is_an_error() {
        let path = Path::new("/dev/full/a");
        assert!(save_atomically(path, |out| out.write_all(b"x")).is_err());
    }
}
