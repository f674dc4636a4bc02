//! The file of a take that is being written, which other programs may delete,
//! move, replace or cut meanwhile.

use std::{
    fs::{self, File},
    io::{self, Seek, SeekFrom, Write},
    os::unix::fs::MetadataExt,
    path::{Path, PathBuf},
};

/// A file that this program made and writes to, and where it is.
#[derive(Debug)]
pub(super) struct TakeFile {
    file: File,
    path: PathBuf,
    written: u64,
}

/// What has become of a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Fate {
    /// It is where it was made, with all that was written.
    There,
    /// It has another name now.
    Moved,
    /// It has no name any more: it was deleted, or another took its place.
    Deleted,
    /// Some of what was written is not in it any more.
    Cut,
}

impl TakeFile {
    /// Makes a file; one that is there already is never overwritten.
    pub(super) fn create(path: &Path) -> io::Result<Self> {
        // To be written again elsewhere it must be readable too; and what is written after
        // another program cut it goes to its end, so that it stays too short for good.
        let file = File::options().read(true).append(true).create_new(true).open(path)?;
        Ok(TakeFile { file, path: path.to_owned(), written: 0 })
    }

    #[cfg(test)]
    pub(super) fn of(file: File, path: &Path) -> Self {
        TakeFile { file, path: path.to_owned(), written: 0 }
    }

    pub(super) fn path(&self) -> &Path {
        &self.path
    }

    /// How many bytes were written.
    pub(super) fn written(&self) -> u64 {
        self.written
    }

    /// Writes what it can, which it takes away from `bytes`.
    pub(super) fn write(&mut self, bytes: &mut Vec<u8>) -> io::Result<()> {
        let mut taken = 0;
        let result = loop {
            if taken == bytes.len() {
                break Ok(());
            }
            match self.file.write(&bytes[taken..]) {
                Ok(0) => break Err(io::ErrorKind::WriteZero.into()),
                Ok(n) => taken += n,
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(error) => break Err(error),
            }
        };
        bytes.drain(..taken);
        self.written += taken as u64;
        result
    }

    /// What has become of it.
    pub(super) fn fate(&self) -> io::Result<Fate> {
        let ours = self.file.metadata()?;
        let is_same = |named: &fs::Metadata| (named.dev(), named.ino()) == (ours.dev(), ours.ino());
        Ok(match fs::symlink_metadata(&self.path) {
            _ if ours.is_file() && ours.len() < self.written => Fate::Cut,
            Ok(named) if is_same(&named) => Fate::There,
            _ if ours.nlink() == 0 => Fate::Deleted,
            _ => Fate::Moved,
        })
    }

    /// Finds where it was moved to, if the system tells.
    pub(super) fn find(&mut self) -> bool {
        use std::os::fd::AsRawFd;
        let link = format!("/proc/self/fd/{}", self.file.as_raw_fd());
        let Ok(path) = fs::read_link(link) else { return false };
        let earlier = std::mem::replace(&mut self.path, path);
        let is_found = matches!(self.fate(), Ok(Fate::There));
        if !is_found {
            self.path = earlier;
        }
        is_found
    }

    /// Writes all of it again under its name, or the next free one, and goes on there.
    pub(super) fn write_again(&mut self) -> io::Result<()> {
        let mut again = create_free(&self.path)?;
        self.file.seek(SeekFrom::Start(0))?;
        let copied = io::copy(&mut &self.file, &mut again.file);
        // A copy that failed is in nobody's way.
        if let Err(error) = copied {
            let _ = fs::remove_file(&again.path);
            return Err(error);
        }
        again.written = self.written;
        *self = again;
        Ok(())
    }
}

/// More files of one name than anybody keeps.
const MOST_NAMES: usize = 1_000;

/// Makes the file at `path`, or at the first of `path-2`, `path-3` … that is free.
pub(super) fn create_free(path: &Path) -> io::Result<TakeFile> {
    let numbered = (2..MOST_NAMES).map(|n| numbered(path, n));
    for path in std::iter::once(path.to_owned()).chain(numbered) {
        match TakeFile::create(&path) {
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {}
            result => return result,
        }
    }
    Err(io::ErrorKind::AlreadyExists.into())
}

/// `a.take.jsonl` with a number is `a-2.take.jsonl`.
fn numbered(path: &Path, n: usize) -> PathBuf {
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    let (stem, ends) = name.split_once('.').unwrap_or((&name, ""));
    let dot = if ends.is_empty() { "" } else { "." };
    path.with_file_name(format!("{stem}-{n}{dot}{ends}"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("f/a.take.jsonl", "f/a-2.take.jsonl")]
    #[case("a", "a-2")]
    #[case(".hidden", "-2.hidden")]
    fn a_name_with_a_number(#[case] path: &str, #[case] expected: &str) {
        assert_eq!(numbered(Path::new(path), 2), Path::new(expected));
    }

    #[rstest]
    #[case::untouched(&|_: &Path| (), Fate::There)]
    #[case::deleted(&|path: &Path| fs::remove_file(path).unwrap(), Fate::Deleted)]
    #[case::replaced(&|path: &Path| {
        fs::write(path.with_extension("new"), "another").unwrap();
        fs::rename(path.with_extension("new"), path).unwrap();
    }, Fate::Deleted)]
    #[case::moved(&|path: &Path| fs::rename(path, path.with_extension("old")).unwrap(), Fate::Moved)]
    #[case::moved_and_replaced(&|path: &Path| {
        fs::rename(path, path.with_extension("old")).unwrap();
        fs::write(path, "another").unwrap();
    }, Fate::Moved)]
    #[case::cut(&|path: &Path| fs::write(path, "").unwrap(), Fate::Cut)]
    #[case::written_to(&|path: &Path| {
        File::options().append(true).open(path).unwrap().write_all(b"more").unwrap();
    }, Fate::There)]
    fn what_became_of_it(#[case] happens: &dyn Fn(&Path), #[case] fate: Fate) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("r.take.jsonl");
        let mut file = TakeFile::create(&path).unwrap();
        file.write(&mut b"some lines".to_vec()).unwrap();
        happens(&path);
        assert_eq!(file.fate().unwrap(), fate);
        file.write(&mut b"more lines".to_vec()).unwrap();
        assert_eq!(file.fate().unwrap(), fate, "writing on does not hide it");
    }

    #[test]
    fn it_is_written_again_beside_the_one_that_took_its_place() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("r.take.jsonl");
        let mut file = TakeFile::create(&path).unwrap();
        file.write(&mut b"some ".to_vec()).unwrap();
        fs::remove_file(&path).unwrap();
        fs::write(&path, "another").unwrap();
        file.write_again().unwrap();
        file.write(&mut b"lines".to_vec()).unwrap();
        assert_eq!(fs::read_to_string(&path).unwrap(), "another");
        assert_eq!(fs::read_to_string(folder.path().join("r-2.take.jsonl")).unwrap(), "some lines");
    }
}
