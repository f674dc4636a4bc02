//! A part of a reel, or all of it, as the text of a take.

use super::{Reel, ReelFault, Segment, read::SegmentReader};
use std::{
    collections::VecDeque,
    fs::File,
    io::{self, BufRead, Read},
    ops::Range,
};

/// Segments of a reel, one after another, as the text of one take: the header and what was
/// there at the beginning of the first of them, and the lines of all.
///
/// Reading it gives an error where a segment is damaged, missing or cut; what stands before
/// is good. The last segment of the reel may be cut: it is as long as its whole chunks.
pub struct ReelText {
    ahead: VecDeque<Segment>,
    /// Whether more segments follow those.
    is_followed: bool,
    now: Option<(String, SegmentReader<File>)>,
    /// Whether what was there is still to be read: of the first segment only.
    with_opening: bool,
    text: Vec<u8>,
    /// So much of the text was taken.
    taken: usize,
    /// Why there is no more, once all of the text was taken.
    fault: Option<io::Error>,
}

impl ReelText {
    /// The text of these segments. None is opened yet.
    pub fn of(reel: &Reel, part: Range<usize>) -> Self {
        ReelText {
            is_followed: part.end < reel.segments().len(),
            ahead: reel.segments()[part].iter().cloned().collect(),
            now: None,
            with_opening: true,
            text: Vec::new(),
            taken: 0,
            fault: None,
        }
    }

    /// Reads on. Returns whether there may be more.
    fn read_on(&mut self) -> io::Result<bool> {
        let Some((name, reader)) = &mut self.now else { return self.next_segment() };
        let may_be_more = match reader.read(&mut self.text, self.with_opening) {
            // The recorder died, or still writes.
            Err(ReelFault::Cut) if self.ahead.is_empty() && !self.is_followed => false,
            read => read.map_err(|fault| fault.of(name))?,
        };
        if !may_be_more && self.ahead.is_empty() {
            return Ok(false);
        }
        if !may_be_more {
            self.next_segment()?;
        }
        Ok(true)
    }

    fn next_segment(&mut self) -> io::Result<bool> {
        let Some(segment) = self.ahead.pop_front() else { return Ok(false) };
        let name = segment.name();
        let of = |error: io::Error| io::Error::new(error.kind(), format!("{name}: {error}"));
        let mut reader = SegmentReader::new(File::open(&segment.path).map_err(of)?);
        let number = match reader.begin() {
            // Nothing of it was written but its name.
            Err(ReelFault::Cut) if self.ahead.is_empty() && !self.is_followed => {
                self.now = None;
                return Ok(false);
            }
            begun => begun.map_err(|fault| fault.of(&name))?,
        };
        if let Some((_, before)) = self.now.take() {
            self.with_opening = false;
            let expected = before.number().map_or(number, |before| before + 1);
            if number != expected {
                return Err(ReelFault::Missing { expected, found: number }.of(&name));
            }
        }
        self.now = Some((name, reader));
        Ok(true)
    }
}

impl std::fmt::Debug for ReelText {
    fn fmt(&self, f: &mut std::fmt::Formatter) -> std::fmt::Result {
        f.debug_struct("ReelText").field("ahead", &self.ahead.len()).finish_non_exhaustive()
    }
}

impl BufRead for ReelText {
    fn fill_buf(&mut self) -> io::Result<&[u8]> {
        if self.taken == self.text.len() {
            self.text.clear();
            self.taken = 0;
            let mut may_be_more = self.fault.is_none();
            while self.text.is_empty() && may_be_more {
                may_be_more = self.read_on().unwrap_or_else(|fault| {
                    self.fault = Some(fault);
                    false
                });
            }
            if let Some(fault) = self.fault.take_if(|_| self.text.is_empty()) {
                return Err(fault);
            }
        }
        Ok(&self.text[self.taken..])
    }

    fn consume(&mut self, bytes: usize) {
        self.taken += bytes;
    }
}

impl Read for ReelText {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.fill_buf()?.read(buffer)?;
        self.consume(read);
        Ok(read)
    }
}
