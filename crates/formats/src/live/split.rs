//! Bytes into lines.

use super::MAX_LINE_BYTES;
use memchr::memchr;

/// What stands next in the bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Piece<'a> {
    /// A line, without its line feed.
    Line(&'a [u8]),
    /// The end of a line of more than [`MAX_LINE_BYTES`], which is left out.
    TooLong,
}

/// Cuts bytes into lines, however they come in pieces.
///
/// It keeps at most the beginning of one line.
#[derive(Clone, Debug, Default)]
pub struct LineSplitter {
    begun: Vec<u8>,
    /// The line that has begun is too long already: none of it is kept.
    is_too_long: bool,
}

impl LineSplitter {
    /// Takes in bytes and hands on each line that ends in them. A carriage return before
    /// the line feed is left out, and so are empty lines.
    pub fn feed(&mut self, mut bytes: &[u8], mut each: impl FnMut(Piece<'_>)) {
        while let Some(end) = memchr(b'\n', bytes) {
            let (line, rest) = (&bytes[..end], &bytes[end + 1..]);
            bytes = rest;
            let is_too_long = std::mem::take(&mut self.is_too_long);
            if is_too_long || self.begun.len() + line.len() > MAX_LINE_BYTES {
                self.begun.clear();
                each(Piece::TooLong);
                continue;
            }
            let line = match self.begun.is_empty() {
                true => line,
                false => {
                    self.begun.extend_from_slice(line);
                    &self.begun
                }
            };
            let line = line.strip_suffix(b"\r").unwrap_or(line);
            if !line.is_empty() {
                each(Piece::Line(line));
            }
            self.begun.clear();
        }
        self.is_too_long |= self.begun.len() + bytes.len() > MAX_LINE_BYTES;
        match self.is_too_long {
            true => self.begun = Vec::new(),
            false => self.begun.extend_from_slice(bytes),
        }
    }
}
