//! Standard output and what may go there: nothing that commands a terminal, whatever the
//! names in takes, rigs and paths are.

use gtrig_core::harmless;
use std::io::{self, BufWriter, StdoutLock, Write};

/// Standard output, buffered, without what may not be shown.
pub type Output = BufWriter<Harmless<StdoutLock<'static>>>;

/// Standard output for text of any kind.
pub fn stdout() -> Output {
    BufWriter::with_capacity(1 << 16, Harmless::new(io::stdout().lock()))
}

/// Passes text on with U+FFFD in the place of what may not be shown. JSON has no such
/// characters but as escapes, so that none of it is lost.
#[derive(Debug)]
pub struct Harmless<W> {
    out: W,
    /// The beginning of a character whose rest has not come yet.
    rest: Vec<u8>,
}

impl<W: Write> Harmless<W> {
    /// One that writes to `out`.
    pub const fn new(out: W) -> Self {
        Harmless { out, rest: Vec::new() }
    }
}

impl<W: Write> Write for Harmless<W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let is_plain = |byte: &u8| (b' '..=b'~').contains(byte) || *byte == b'\n';
        if self.rest.is_empty() && bytes.iter().all(is_plain) {
            self.out.write_all(bytes)?;
            return Ok(bytes.len());
        }
        self.rest.extend_from_slice(bytes);
        let whole = match str::from_utf8(&self.rest) {
            Ok(text) => text.len(),
            // What is no text at all is not kept for ever.
            Err(error) if error.error_len().is_some() => self.rest.len(),
            Err(error) => error.valid_up_to(),
        };
        let text = String::from_utf8_lossy(&self.rest[..whole]);
        self.out.write_all(harmless(&text).as_bytes())?;
        self.rest.drain(..whole);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        self.out.flush()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("plain\n", "plain\n")]
    #[case("über\u{1b}[2J\n", "über\u{fffd}[2J\n")]
    #[case("\u{202e}x\u{9b}2J", "\u{fffd}x\u{fffd}2J")]
    fn whatever_the_pieces(
        #[case] text: &str,
        #[case] shown: &str,
        #[values(1, 2, 3, 100)] n: usize,
    ) {
        let mut out = Harmless::new(Vec::new());
        text.as_bytes().chunks(n).for_each(|chunk| out.write_all(chunk).unwrap());
        assert_eq!(String::from_utf8(out.out).unwrap(), shown);
    }
}
