//! What the program brings along and seldom reads: the takes of its stories, and the fonts of its
//! figures.
//!
//! The build packs them (`build.rs`): half a megabyte instead of 1.3. They are unpacked while they
//! are read.

use flate2::bufread::DeflateDecoder;
use std::io::{self, BufRead, BufReader, Read};

/// A file that the build packed.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Packed(&'static [u8]);

/// A file that the build packed, by its name.
macro_rules! packed {
    ($name:literal) => {
        $crate::packed::Packed::new(include_bytes!(concat!(env!("OUT_DIR"), "/", $name)))
    };
}
pub(crate) use packed;

impl Packed {
    /// What `build.rs` wrote; see [`packed!`].
    pub(crate) const fn new(bytes: &'static [u8]) -> Self {
        Packed(bytes)
    }

    /// Unpacks it while it is read.
    pub(crate) fn reader(self) -> impl BufRead {
        BufReader::new(DeflateDecoder::new(self.0))
    }

    /// All of it.
    ///
    /// # Errors
    /// When it is damaged, which a build cannot make.
    pub(crate) fn unpack(self) -> io::Result<Vec<u8>> {
        let mut bytes = Vec::new();
        self.reader().read_to_end(&mut bytes)?;
        Ok(bytes)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(packed!("worn-stick.take.jsonl"), include_bytes!("../demo/worn-stick.take.jsonl"))]
    #[case(packed!("DejaVuSansMono.ttf"), include_bytes!("../fonts/DejaVuSansMono.ttf"))]
    fn a_file_is_unpacked_as_it_was(#[case] packed: Packed, #[case] file: &[u8]) {
        assert!(packed.unpack().unwrap() == file);
        assert!(packed.0.len() < file.len());
    }
}
