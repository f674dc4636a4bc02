//! The lines of a take, one after the other: read when they are asked for, or ahead of that.

use super::{MAX_LINE_BYTES, ahead::Ahead, fault::Fault, read::Damage, value_line::ValueLine};
use memchr::memchr;
use std::{
    io::{self, BufRead, BufReader, Read},
    mem,
};

/// A line that was read.
#[derive(Clone, Copy, Debug)]
pub(super) struct ReadLine<'a> {
    /// Which it is, from 1.
    pub(super) number: u64,
    /// Without its line feed.
    pub(super) text: &'a [u8],
    /// What it says, if it is the line of a value in its plainest form.
    pub(super) value: Option<ValueLine<'a>>,
}

impl<'a> ReadLine<'a> {
    /// A line, without its line feed.
    pub(super) fn of(number: u64, text: &'a [u8]) -> Self {
        ReadLine { number, text, value: ValueLine::of(text) }
    }
}

/// The lines of an input.
#[derive(Debug)]
pub(super) enum Lines<R> {
    /// They are read when they are asked for.
    Asked(LinesAsked<R>),
    /// A thread reads them ahead.
    Ahead(Ahead),
}

impl<R: BufRead> Lines<R> {
    /// All lines of an input.
    pub(super) fn new(input: R) -> Self {
        Lines::Asked(LinesAsked { input, held: 0, parts: Vec::new(), number: 0, bytes: 0 })
    }

    /// The next line.
    pub(super) fn next(&mut self) -> Result<Option<ReadLine<'_>>, Damage> {
        match self {
            Lines::Asked(lines) => lines.next(),
            Lines::Ahead(lines) => lines.next(),
        }
    }

    /// The text of the last one, without its line feed.
    pub(super) fn text(&mut self) -> &[u8] {
        match self {
            Lines::Asked(lines) => lines.text(),
            Lines::Ahead(lines) => lines.text(),
        }
    }

    /// How many lines were asked for.
    pub(super) fn number(&self) -> u64 {
        match self {
            Lines::Asked(lines) => lines.number,
            Lines::Ahead(lines) => lines.number(),
        }
    }

    /// How many bytes they have, with their line feeds.
    pub(super) fn bytes(&self) -> u64 {
        match self {
            Lines::Asked(lines) => lines.bytes,
            Lines::Ahead(lines) => lines.bytes(),
        }
    }

    /// A fault of the line that was asked for last.
    pub(super) fn damage(&self, fault: Fault) -> Damage {
        Damage { line: self.number(), column: None, fault }
    }
}

impl<R: Read> Lines<BufReader<R>> {
    /// Whether another line is here already, so that nobody has to wait for it.
    pub(super) fn has_more_here(&self) -> bool {
        match self {
            Lines::Asked(lines) => memchr(b'\n', &lines.input.buffer()[lines.held..]).is_some(),
            Lines::Ahead(lines) => lines.has_more_here(),
        }
    }
}

impl<R: BufRead + Send + 'static> Lines<R> {
    /// The rest of them, read ahead.
    pub(super) fn ahead(self) -> Self {
        match self {
            Lines::Asked(lines) => Ahead::of(lines).map_or_else(Lines::Asked, Lines::Ahead),
            Lines::Ahead(lines) => Lines::Ahead(lines),
        }
    }
}

/// Lines that are read when they are asked for, without holding more than one.
///
/// A line that the input holds as a whole is left there, and not copied, until the next one is asked
/// for. Invariant: `held` is 0, or `parts` is empty.
#[derive(Debug)]
pub(super) struct LinesAsked<R> {
    input: R,
    /// How many bytes of what the input holds are the last line and its line feed.
    held: usize,
    /// The last line, where it came in parts, without its line feed.
    parts: Vec<u8>,
    number: u64,
    bytes: u64,
}

impl<R: BufRead> LinesAsked<R> {
    fn next(&mut self) -> Result<Option<ReadLine<'_>>, Damage> {
        self.number += 1;
        let read = self.go_on().map_err(|error| self.damage(error.into()))?;
        self.bytes += read as u64;
        if read == 0 {
            return Ok(None);
        }
        if self.parts.len() > MAX_LINE_BYTES {
            return Err(self.damage(Fault::TooLong));
        }
        let number = self.number;
        Ok(Some(ReadLine::of(number, self.text())))
    }

    /// The text of the last line.
    fn text(&mut self) -> &[u8] {
        match self.held.checked_sub(1) {
            // It is there until it is consumed: nothing is read for it.
            Some(ends) => self.input.fill_buf().unwrap_or_default().get(..ends).unwrap_or_default(),
            None => &self.parts,
        }
    }

    /// Goes on to the next line feed, the end, or more than a line may have. Returns how many bytes
    /// that is.
    fn go_on(&mut self) -> io::Result<usize> {
        self.input.consume(mem::take(&mut self.held));
        self.parts.clear();
        loop {
            let came = match self.input.fill_buf() {
                Err(error) if error.kind() == io::ErrorKind::Interrupted => continue,
                came => came?,
            };
            let room = MAX_LINE_BYTES + 1 - self.parts.len();
            let came = &came[..came.len().min(room)];
            let ended = memchr(b'\n', came);
            if let (Some(ends), []) = (ended, self.parts.as_slice()) {
                self.held = ends + 1;
                return Ok(self.held);
            }
            // A last line without its line feed is good if it is whole, and its missing brace
            // tells if it is not.
            self.parts.extend_from_slice(&came[..ended.unwrap_or(came.len())]);
            let read = ended.map_or(came.len(), |at| at + 1);
            self.input.consume(read);
            if read == 0 || ended.is_some() {
                return Ok(self.parts.len() + usize::from(ended.is_some()));
            }
        }
    }

    /// The rest of the input, the last line, and how many lines and bytes there were.
    pub(super) fn into_rest(mut self) -> (R, Vec<u8>, u64, u64) {
        let text = self.text().to_vec();
        self.input.consume(self.held);
        (self.input, text, self.number, self.bytes)
    }

    fn damage(&self, fault: Fault) -> Damage {
        Damage { line: self.number, column: None, fault }
    }
}
