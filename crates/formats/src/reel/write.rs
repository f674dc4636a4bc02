//! Writing a segment: lines go in, the bytes of its file come out.

use super::{OPENING, SEGMENT, TAKE};
use crate::take::LineOf;
use hashbrown::HashMap;
use mcap::{
    Compression, McapError, WriteOptions, Writer,
    records::{MessageHeader, Metadata},
    write::NoSeek,
};
use std::{
    collections::BTreeMap,
    io::{self, Write},
    mem,
    sync::{Arc, Mutex, PoisonError},
};

/// The version of the format.
pub const REEL_VERSION: u32 = 1;

/// A chunk is closed at this size; a recorder closes it earlier, by its age.
const CHUNK_BYTES: u64 = 256 << 10;

/// What a line is, for programs that read containers of any kind.
const SCHEMA: &str = include_str!("line.schema.json");

/// So many devices of a segment have a channel of their own; the lines of others stand among
/// those about no device. The container numbers channels with 16 bits.
const MAX_CHANNELS: usize = 10_000;

/// A segment that is being written.
///
/// Its bytes are there to be taken as soon as a chunk is closed, in pieces that need no
/// seeking: what was written so far can be read, whatever happens next.
pub struct SegmentWriter {
    writer: Writer<NoSeek<Pending>>,
    pending: Pending,
    schema: u16,
    take: u16,
    devices: HashMap<String, u16>,
    /// Messages so far.
    messages: u32,
}

/// What was written and not taken yet.
#[derive(Clone, Debug, Default)]
struct Pending(Arc<Mutex<Vec<u8>>>);

impl Pending {
    fn take(&self) -> Vec<u8> {
        mem::take(&mut self.0.lock().unwrap_or_else(PoisonError::into_inner))
    }
}

impl Write for Pending {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).extend_from_slice(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl SegmentWriter {
    /// Begins the segment with this number, from 0, and closes its first chunk: `opening` are
    /// the header of a take and the lines that say what is there when it begins, each with
    /// its line feed.
    ///
    /// # Errors
    /// When the container does not take it, which the lines of a take never cause.
    pub fn begin(number: u64, opening: &[u8]) -> io::Result<Self> {
        let pending = Pending::default();
        let options = WriteOptions::new()
            .compression(Some(Compression::Lz4))
            .profile("")
            .library(concat!("gtrig ", env!("CARGO_PKG_VERSION")))
            .chunk_size(Some(CHUNK_BYTES))
            .emit_message_indexes(false)
            .disable_seeking(true);
        let mut writer = options.create(NoSeek::new(pending.clone())).map_err(other)?;
        let metadata = [("version", u64::from(REEL_VERSION)), ("number", number)];
        let metadata = metadata.map(|(key, value)| (key.to_owned(), value.to_string()));
        writer
            .write_metadata(&Metadata { name: SEGMENT.to_owned(), metadata: metadata.into() })
            .map_err(other)?;
        let schema =
            writer.add_schema("gtrig.take.line", "jsonschema", SCHEMA.as_bytes()).map_err(other)?;
        let mut channel =
            |name| writer.add_channel(schema, name, "json", &BTreeMap::new()).map_err(other);
        let (opening_channel, take) = (channel(OPENING)?, channel(TAKE)?);
        let mut segment =
            SegmentWriter { writer, pending, schema, take, devices: HashMap::new(), messages: 0 };
        for line in lines(opening) {
            segment.message(opening_channel, LineOf::read(line).time, line)?;
        }
        segment.close_chunk()?;
        Ok(segment)
    }

    /// Writes lines of a take, each with its line feed.
    ///
    /// # Errors
    /// Those of [`SegmentWriter::begin`].
    pub fn lines(&mut self, text: &[u8]) -> io::Result<()> {
        lines(text).try_for_each(|line| self.line(line))
    }

    fn line(&mut self, line: &[u8]) -> io::Result<()> {
        let LineOf { time, device } = LineOf::read(line);
        let channel = match device {
            None => self.take,
            Some(device) => match self.devices.get(&*device) {
                Some(&channel) => channel,
                None => self.add_device(&device)?,
            },
        };
        self.message(channel, time, line)
    }

    fn add_device(&mut self, device: &str) -> io::Result<u16> {
        if self.devices.len() == MAX_CHANNELS {
            return Ok(self.take);
        }
        let topic = format!("device/{device}");
        let channel = self
            .writer
            .add_channel(self.schema, &topic, "json", &BTreeMap::new())
            .map_err(other)?;
        self.devices.insert(device.to_owned(), channel);
        Ok(channel)
    }

    fn message(&mut self, channel_id: u16, time: u64, line: &[u8]) -> io::Result<()> {
        let header = MessageHeader {
            channel_id,
            sequence: self.messages,
            log_time: time,
            publish_time: time,
        };
        self.messages = self.messages.wrapping_add(1);
        self.writer.write_to_known_channel(&header, line).map_err(other)
    }

    /// Closes the chunk: all lines so far are among the bytes.
    ///
    /// # Errors
    /// Those of [`SegmentWriter::begin`].
    pub fn close_chunk(&mut self) -> io::Result<()> {
        self.writer.flush().map_err(other)
    }

    /// Takes the bytes that go to the file next.
    pub fn take_bytes(&mut self) -> Vec<u8> {
        self.pending.take()
    }

    /// Writes the index. Returns the last bytes of the file.
    ///
    /// # Errors
    /// Those of [`SegmentWriter::begin`].
    pub fn finish(mut self) -> io::Result<Vec<u8>> {
        self.writer.finish().map_err(other)?;
        Ok(self.pending.take())
    }
}

impl std::fmt::Debug for SegmentWriter {
    fn fmt(&self, f: &mut std::fmt::Formatter) -> std::fmt::Result {
        f.debug_struct("SegmentWriter").field("messages", &self.messages).finish_non_exhaustive()
    }
}

/// The lines of a text, without their line feeds.
fn lines(text: &[u8]) -> impl Iterator<Item = &[u8]> {
    text.split_inclusive(|byte| *byte == b'\n').map(|line| line.strip_suffix(b"\n").unwrap_or(line))
}

fn other(error: McapError) -> io::Error {
    match error {
        McapError::Io(error) => error,
        error => io::Error::other(error),
    }
}
