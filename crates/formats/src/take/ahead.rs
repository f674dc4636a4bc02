//! Lines of a take that are read ahead.
//!
//! A thread reads a block of the input after the other (of a reel it unpacks it), cuts it into lines
//! and takes the lines of values apart, while the session takes in what was read before. Blocks come
//! in their order, at most [`BLOCKS`] wait, and the thread ends with its reader.

use super::{
    MAX_LINE_BYTES,
    fault::Fault,
    lines::{LinesAsked, ReadLine},
    read::Damage,
    value_line::{NamedValue, ValueLine},
};
use memchr::memchr_iter;
use std::{
    io::{self, BufRead, Read},
    ops::Range,
    sync::mpsc::{self, Receiver, SyncSender},
    thread,
};

/// A block has about so many bytes; one with a longer line has more.
const BLOCK: usize = 1 << 18;

/// At most so many blocks wait.
const BLOCKS: usize = 8;

/// Whole lines that lie behind each other.
#[derive(Debug, Default)]
struct Block {
    /// Their bytes, with their line feeds.
    bytes: Vec<u8>,
    /// Each line.
    lines: Vec<Cut>,
    /// Whether none follows.
    is_last: bool,
    /// Why, if it is not that the input ends.
    fault: Option<Fault>,
}

impl Block {
    /// What stands for the next one when the thread is gone before the end.
    fn broken() -> Self {
        let gone = io::Error::other("the thread that reads ahead is gone");
        Block { is_last: true, fault: Some(gone.into()), ..Block::default() }
    }
}

/// A line of a block.
#[derive(Clone, Debug)]
struct Cut {
    /// Where it ends: before its line feed, if it has one.
    ends: u32,
    /// What it says, if it is the line of a value in its plainest form.
    value: Option<CutValue>,
}

/// The line of a value: see [`ValueLine`]. Places are those within the line.
#[derive(Clone, Debug)]
struct CutValue {
    t: u64,
    v: i32,
    named: Range<u32>,
    mark: Option<Range<u32>>,
}

impl CutValue {
    /// Takes a line apart.
    fn of(line: &[u8]) -> Option<Self> {
        let ValueLine { t, value: NamedValue { named, v, mark } } = ValueLine::of(line)?;
        let within = |part: &[u8]| {
            let begins = part.as_ptr().addr() - line.as_ptr().addr();
            begins as u32..(begins + part.len()) as u32
        };
        Some(CutValue {
            t,
            v,
            named: within(named),
            mark: mark.map(|mark| within(mark.as_bytes())),
        })
    }

    /// The same of the line that was taken apart.
    fn in_line<'a>(&self, line: &'a [u8]) -> Option<ValueLine<'a>> {
        let part = |Range { start, end }: Range<u32>| &line[start as usize..end as usize];
        let mark = match &self.mark {
            Some(mark) => Some(str::from_utf8(part(mark.clone())).ok()?),
            None => None,
        };
        let value = NamedValue { named: part(self.named.clone()), v: self.v, mark };
        Some(ValueLine { t: self.t, value })
    }
}

/// Lines that a thread reads ahead.
#[derive(Debug)]
pub(super) struct Ahead {
    blocks: Receiver<Block>,
    /// The block of the last line.
    block: Block,
    /// How many of its lines were asked for.
    asked: usize,
    /// The last line.
    line: Range<usize>,
    /// How many lines were asked for, over all blocks.
    number: u64,
    /// How many bytes they have.
    bytes: u64,
}

impl Ahead {
    /// What follows the lines that were read. Where no thread can be had, they are given back.
    pub(super) fn of<R: BufRead + Send + 'static>(
        lines: LinesAsked<R>,
    ) -> Result<Self, LinesAsked<R>> {
        Ahead::in_blocks(lines, BLOCK)
    }

    /// The same in blocks of another size.
    fn in_blocks<R: BufRead + Send + 'static>(
        lines: LinesAsked<R>,
        block: usize,
    ) -> Result<Self, LinesAsked<R>> {
        let (sender, blocks) = mpsc::sync_channel(BLOCKS);
        let (give, input) = mpsc::channel();
        let work = move || {
            if let Ok(input) = input.recv() {
                read(input, block, &sender);
            }
        };
        if thread::Builder::new().name("read ahead".to_owned()).spawn(work).is_err() {
            return Err(lines);
        }
        let (input, text, number, bytes) = lines.into_rest();
        // It waits for this alone.
        let _ = give.send(input);
        let line = 0..text.len();
        let block = Block { bytes: text, ..Block::default() };
        Ok(Ahead { blocks, block, asked: 0, line, number, bytes })
    }

    /// The next line.
    pub(super) fn next(&mut self) -> Result<Option<ReadLine<'_>>, Damage> {
        self.number += 1;
        while self.asked == self.block.lines.len() {
            if let Some(fault) = self.block.fault.take() {
                return Err(Damage { line: self.number, column: None, fault });
            }
            if self.block.is_last {
                self.line = 0..0;
                return Ok(None);
            }
            let block = self.blocks.recv().unwrap_or_else(|_| Block::broken());
            (self.block, self.asked, self.line) = (block, 0, 0..0);
        }
        let begins = if self.asked == 0 { 0 } else { self.line.end + 1 };
        let cut = &self.block.lines[self.asked];
        self.line = begins..cut.ends as usize;
        self.asked += 1;
        // The last line of an input may have no line feed.
        self.bytes += (self.block.bytes.len().min(self.line.end + 1) - begins) as u64;
        let text = &self.block.bytes[self.line.clone()];
        let value = cut.value.as_ref().and_then(|value| value.in_line(text));
        Ok(Some(ReadLine { number: self.number, text, value }))
    }

    /// The text of the last one, without its line feed.
    pub(super) fn text(&self) -> &[u8] {
        &self.block.bytes[self.line.clone()]
    }

    /// How many lines were asked for.
    pub(super) const fn number(&self) -> u64 {
        self.number
    }

    /// How many bytes they have, with their line feeds.
    pub(super) const fn bytes(&self) -> u64 {
        self.bytes
    }

    /// Whether another line is here already.
    pub(super) fn has_more_here(&self) -> bool {
        self.asked < self.block.lines.len()
    }
}

/// Reads an input to its end, or until nobody asks for more of it.
fn read(mut input: impl Read, block: usize, blocks: &SyncSender<Block>) {
    let mut rest = Vec::new();
    loop {
        let begun = rest.len();
        // Where it is interrupted it goes on.
        let came = input.by_ref().take(block as u64).read_to_end(&mut rest);
        let has_ended = matches!(came, Ok(0));
        let whole = match memchr::memrchr(b'\n', &rest[begun..]) {
            _ if has_ended => rest.len(),
            Some(at) => begun + at + 1,
            None => 0,
        };
        let mut after = Vec::with_capacity(block + 2 * (rest.len() - whole));
        after.extend_from_slice(&rest[whole..]);
        rest.truncate(whole);
        let mut block = Block { lines: cut(&rest), bytes: rest, ..Block::default() };
        rest = after;
        block.fault = came.err().map(Fault::from);
        if let Some(long) = too_long(&block, &rest) {
            block.lines.truncate(long);
            block.fault = Some(Fault::TooLong);
        }
        block.is_last = has_ended || block.fault.is_some();
        let is_last = block.is_last;
        let says_something = is_last || !block.lines.is_empty();
        if says_something && blocks.send(block).is_err() || is_last {
            return;
        }
    }
}

/// The lines of a block.
fn cut(bytes: &[u8]) -> Vec<Cut> {
    let mut lines = Vec::with_capacity(bytes.len() / 48);
    let mut begins = 0;
    let unended = (bytes.last().is_some_and(|last| *last != b'\n')).then_some(bytes.len());
    for ends in memchr_iter(b'\n', bytes).chain(unended) {
        lines.push(Cut { ends: ends as u32, value: CutValue::of(&bytes[begins..ends]) });
        begins = ends + 1;
    }
    lines
}

/// The first line of a block, or the one after it, that is longer than a line may be.
fn too_long(block: &Block, rest: &[u8]) -> Option<usize> {
    let begins = [0].into_iter().chain(block.lines.iter().map(|line| line.ends as usize + 1));
    let lengths = begins.zip(&block.lines).map(|(begins, line)| line.ends as usize - begins);
    let mut lengths = lengths.chain([rest.len()]);
    lengths.position(|length| length > MAX_LINE_BYTES)
}

#[cfg(test)]
mod tests {
    use super::{super::lines::Lines, *};
    use proptest::prelude::*;
    use rstest::rstest;
    use std::io::BufReader;

    /// An input that gives a few bytes at a time, and may fail at the end.
    #[derive(Debug)]
    struct Trickle {
        bytes: Vec<u8>,
        given: usize,
        piece: usize,
        fails: bool,
    }

    impl Read for Trickle {
        fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
            let there = &self.bytes[self.given..];
            if there.is_empty() && self.fails {
                return Err(io::Error::other("the disk is gone"));
            }
            let count = there.len().min(self.piece).min(buffer.len());
            buffer[..count].copy_from_slice(&there[..count]);
            self.given += count;
            Ok(count)
        }
    }

    /// The same behind a buffer that holds so many bytes.
    fn trickle(bytes: &[u8], holds: usize, piece: usize, fails: bool) -> BufReader<Trickle> {
        BufReader::with_capacity(holds, Trickle { bytes: bytes.to_vec(), given: 0, piece, fails })
    }

    /// Every line of an input, and how it ends.
    fn told<R: Read + Send>(lines: &mut Lines<BufReader<R>>) -> Vec<String> {
        let mut told = Vec::new();
        loop {
            told.push(match lines.next() {
                Ok(Some(line)) => format!("{line:?}"),
                Ok(None) => return [told, vec![format!("end after {}", lines.bytes())]].concat(),
                Err(damage) => return [told, vec![damage.to_string()]].concat(),
            });
            told.push(format!("{} {}", lines.number(), lines.bytes()));
        }
    }

    /// The lines of an input after the first, asked for and read ahead in blocks of this size.
    fn both(input: impl Fn() -> BufReader<Trickle>, block: usize) -> [Vec<String>; 2] {
        let begun = || {
            let mut lines = Lines::new(input());
            let is_there = lines.next().is_ok_and(|line| line.is_some());
            (lines, is_there)
        };
        let ((mut asked, is_there), (first, _)) = (begun(), begun());
        let (Lines::Asked(first), true) = (first, is_there) else { return [vec![], vec![]] };
        let mut ahead: Lines<BufReader<Trickle>> =
            Lines::Ahead(Ahead::in_blocks(first, block).unwrap());
        assert_eq!(ahead.text(), asked.text());
        [told(&mut asked), told(&mut ahead)]
    }

    fn line() -> impl Strategy<Value = String> {
        prop_oneof![
            3 => (0u64..1 << 50, -300i32..300).prop_map(|(t, v)| {
                format!(r#"{{"t":{t},"on":"pad1","c":"stick-l-x","v":{v}}}"#)
            }),
            1 => (0u64..9, "[a-z]{1,9}").prop_map(|(t, mark)| {
                format!(r#"{{"t":{t},"on":"pad1","c":"south","v":1,"mark":"{mark}"}}"#)
            }),
            1 => Just(String::new()),
            1 => "[ -~\u{e4}]{0,40}",
        ]
    }

    proptest! {
        /// Whatever an input has and wherever its blocks are cut: read ahead, its lines, their
        /// numbers, what they say, how much was read and what is wrong are the same.
        #[test]
        fn lines_that_are_read_ahead_are_the_same(
            lines in prop::collection::vec(line(), 1..40),
            ends in any::<bool>(),
            fails in any::<bool>(),
            holds in 1usize..200,
            piece in 1usize..200,
            block in 1usize..300,
        ) {
            let mut text = lines.join("\n");
            if ends {
                text.push('\n');
            }
            let [asked, ahead] = both(|| trickle(text.as_bytes(), holds, piece, fails), block);
            prop_assert_eq!(asked, ahead);
        }
    }

    #[rstest]
    #[case::as_long_as_can_be(MAX_LINE_BYTES, true)]
    #[case::as_long_as_can_be_at_the_end(MAX_LINE_BYTES, false)]
    #[case::longer(MAX_LINE_BYTES + 1, true)]
    #[case::longer_at_the_end(MAX_LINE_BYTES + 1, false)]
    #[case::much_longer(3 * MAX_LINE_BYTES, true)]
    fn a_line_that_is_too_long_is_found_where_it_is(#[case] length: usize, #[case] ends: bool) {
        let mut text = b"first\nsecond\n".to_vec();
        text.resize(text.len() + length, b'x');
        text.extend_from_slice(if ends { b"\nlast\n" } else { b"" });
        for (block, holds) in [(10_000, 7), (BLOCK, 1 << 16), (4 * MAX_LINE_BYTES, 1 << 23)] {
            let [asked, ahead] = both(|| trickle(&text, holds, 1 << 16, false), block);
            assert_eq!(asked.len(), ahead.len());
            assert!(asked == ahead, "in blocks of {block}, behind {holds}");
        }
    }

    #[test]
    fn a_take_does_not_end_where_its_thread_does() {
        struct Broken;
        impl Read for Broken {
            fn read(&mut self, _: &mut [u8]) -> io::Result<usize> {
                panic!("a defect of the reader")
            }
        }
        let input = BufReader::new(b"first\n".chain(Broken));
        let mut lines = Lines::new(input);
        assert!(lines.next().unwrap().is_some());
        let mut lines = lines.ahead();
        let damage = lines.next().unwrap_err();
        assert!(damage.to_string().contains("is gone"), "{damage}");
        assert_eq!(damage.line, 2);
    }

    #[test]
    fn the_thread_ends_with_its_reader() {
        /// An input without an end, that says when it is dropped.
        struct Endless(mpsc::Sender<()>);
        impl Read for Endless {
            fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
                buffer.fill(b'\n');
                Ok(buffer.len())
            }
        }
        impl Drop for Endless {
            fn drop(&mut self) {
                let _ = self.0.send(());
            }
        }
        let (dropped, is_dropped) = mpsc::channel();
        let mut lines = Lines::new(BufReader::new(Endless(dropped))).ahead();
        assert!(lines.next().unwrap().is_some());
        drop(lines);
        is_dropped.recv_timeout(std::time::Duration::from_secs(60)).unwrap();
    }
}
