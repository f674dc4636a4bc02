//! Reading a segment, chunk by chunk, up to the first damage.

use super::{MAX_RECORD_BYTES, OPENING, ReelFault, SEGMENT, write::REEL_VERSION};
use mcap::{
    McapError,
    read::parse_record,
    records::{Record, op},
    sans_io::linear_reader::{LinearReadEvent, LinearReader, LinearReaderOptions},
};
use std::{
    collections::HashMap,
    io::{self, Read},
};

/// At most so much of a file is asked for at a time.
const READ_BYTES: usize = 256 << 10;

/// A text of about this size is read at a time.
const TEXT_BYTES: usize = 256 << 10;

/// Whether what was written stands among what was there when the segment begins.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Says {
    Before,
    Then,
}

/// A segment that is being read.
pub(super) struct SegmentReader<R> {
    input: R,
    /// The records of the file; a chunk is one.
    file: LinearReader,
    /// The records of the chunk that is read.
    chunk: Option<LinearReader>,
    lines: Lines,
}

/// What is known of the lines so far.
#[derive(Default)]
struct Lines {
    channels: HashMap<u16, Says>,
    /// The number of the next line.
    next: u32,
    /// That of the segment in its reel, once it was read.
    segment: Option<u64>,
}

impl<R: Read> SegmentReader<R> {
    pub(super) fn new(input: R) -> Self {
        let options = options().with_emit_chunks(true).with_validate_data_section_crc(true);
        let file = LinearReader::new_with_options(options);
        SegmentReader { input, file, chunk: None, lines: Lines::default() }
    }

    /// Its number in the reel, once that was read.
    pub(super) fn number(&self) -> Option<u64> {
        self.lines.segment
    }

    /// Reads up to its number.
    ///
    /// # Errors
    /// When the file is not a segment, or ends before its number.
    pub(super) fn begin(&mut self) -> Result<u64, ReelFault> {
        let mut nothing = Vec::new();
        while self.number().is_none() {
            if !self.record(&mut nothing, false)? || !nothing.is_empty() {
                return Err(ReelFault::NoTake);
            }
        }
        self.number().ok_or(ReelFault::NoTake)
    }

    /// Reads some lines, each with its line feed, with or without what was there when the
    /// segment begins. Returns whether there may be more.
    ///
    /// # Errors
    /// When what follows is damaged, or the file ends before its end. The lines before that
    /// were read.
    pub(super) fn read(
        &mut self,
        text: &mut Vec<u8>,
        with_opening: bool,
    ) -> Result<bool, ReelFault> {
        while text.len() < TEXT_BYTES {
            if !self.record(text, with_opening)? {
                return Ok(false);
            }
        }
        Ok(true)
    }

    /// Reads a record; a message of it is a line. Returns whether there was one.
    fn record(&mut self, text: &mut Vec<u8>, with_opening: bool) -> Result<bool, ReelFault> {
        loop {
            if let Some(chunk) = &mut self.chunk {
                match chunk.next_event().transpose().map_err(ReelFault::Damaged)? {
                    Some(LinearReadEvent::Record { data, opcode }) => {
                        self.lines.record(opcode, data, text, with_opening)?;
                        return Ok(true);
                    }
                    // All of it was there.
                    Some(LinearReadEvent::ReadRequest(_)) => chunk.notify_read(0),
                    None => self.chunk = None,
                }
                continue;
            }
            match self.file.next_event().transpose() {
                Ok(None) => return Ok(false),
                Ok(Some(LinearReadEvent::Record { data, opcode: op::CHUNK })) => {
                    self.chunk = Some(chunk_reader(data)?);
                }
                Ok(Some(LinearReadEvent::Record { data, opcode })) => {
                    self.lines.record(opcode, data, text, with_opening)?;
                    return Ok(true);
                }
                Ok(Some(LinearReadEvent::ReadRequest(wanted))) => {
                    let room = self.file.insert(wanted.clamp(1, READ_BYTES));
                    let read = read_some(&mut self.input, room)?;
                    self.file.notify_read(read);
                }
                Err(McapError::UnexpectedEof) => return Err(ReelFault::Cut),
                Err(error) => return Err(ReelFault::Damaged(error)),
            }
        }
    }
}

impl Lines {
    /// Takes in a record: a message is a line.
    fn record(
        &mut self,
        opcode: u8,
        data: &[u8],
        text: &mut Vec<u8>,
        with_opening: bool,
    ) -> Result<(), ReelFault> {
        if !matches!(opcode, op::MESSAGE | op::CHANNEL | op::METADATA) {
            return Ok(());
        }
        match parse_record(opcode, data).map_err(ReelFault::Damaged)? {
            Record::Message { header, data } => {
                let says = self.channels.get(&header.channel_id);
                let unknown = McapError::UnknownChannel(header.sequence, header.channel_id);
                let says = says.ok_or(ReelFault::Damaged(unknown))?;
                let (expected, found) = (self.next, header.sequence);
                if found != expected {
                    return Err(ReelFault::MissingLines { expected, found });
                }
                self.next = expected.wrapping_add(1);
                if with_opening || *says == Says::Then {
                    text.extend_from_slice(&data);
                    text.push(b'\n');
                }
            }
            Record::Channel(channel) => {
                let is_opening = channel.topic == OPENING;
                let says = if is_opening { Says::Before } else { Says::Then };
                self.channels.insert(channel.id, says);
            }
            Record::Metadata(metadata) if metadata.name == SEGMENT => {
                let number = |key| metadata.metadata.get(key)?.parse::<u64>().ok();
                if number("version") != Some(u64::from(REEL_VERSION)) {
                    return Err(ReelFault::NoTake);
                }
                self.segment = number("number");
            }
            _ => {}
        }
        Ok(())
    }
}

/// How records are read, in a file and in a chunk.
fn options() -> LinearReaderOptions {
    LinearReaderOptions::default().with_record_length_limit(MAX_RECORD_BYTES)
}

/// Reads the records of a chunk, all of which is there, once its checksum is known to be right.
fn chunk_reader(record: &[u8]) -> Result<LinearReader, ReelFault> {
    let damaged = ReelFault::Damaged;
    if let Record::Chunk { header, data } = parse_record(op::CHUNK, record).map_err(damaged)?
        && header.compression.is_empty()
        && !are_records(&data)
    {
        // The crate reads beyond the end of a chunk that is not packed.
        return Err(ReelFault::Damaged(McapError::UnexpectedEoc));
    }
    let options = options().with_skip_start_magic(true).with_skip_end_magic(true);
    let mut reader = LinearReader::new_with_options(options.with_prevalidate_chunk_crcs(true));
    let length = (record.len() as u64).to_le_bytes();
    let bytes = [[op::CHUNK].as_slice(), &length, record].concat();
    reader.insert(bytes.len()).copy_from_slice(&bytes);
    reader.notify_read(bytes.len());
    Ok(reader)
}

/// Whether bytes are records, each as long as it says, and nothing else.
fn are_records(mut bytes: &[u8]) -> bool {
    while let Some((head, rest)) = bytes.split_first_chunk::<9>() {
        let length = u64::from_le_bytes([
            head[1], head[2], head[3], head[4], head[5], head[6], head[7], head[8],
        ]);
        let Some(rest) = usize::try_from(length).ok().and_then(|length| rest.get(length..)) else {
            return false;
        };
        bytes = rest;
    }
    bytes.is_empty()
}

fn read_some(input: &mut impl Read, room: &mut [u8]) -> io::Result<usize> {
    loop {
        match input.read(room) {
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
            read => return read,
        }
    }
}

/// The instant of the latest line of a segment, by what its chunks say of themselves; none of
/// one without a chunk.
pub(super) fn latest(mut input: impl Read) -> Option<u64> {
    let mut reader = LinearReader::new_with_options(options().with_emit_chunks(true));
    let mut latest = None;
    while let Some(Ok(event)) = reader.next_event() {
        match event {
            LinearReadEvent::ReadRequest(wanted) => {
                let room = reader.insert(wanted.clamp(1, READ_BYTES));
                let Ok(read) = read_some(&mut input, room) else { break };
                reader.notify_read(read);
            }
            LinearReadEvent::Record { data, opcode: op::CHUNK } => {
                if let Ok(Record::Chunk { header, .. }) = parse_record(op::CHUNK, data) {
                    latest = latest.max(Some(header.message_end_time));
                }
            }
            LinearReadEvent::Record { .. } => {}
        }
    }
    latest
}
