//! Takes as reels, and back; parts of reels; what is damaged, cut or missing.

use gtrig_analysis::{Capacity, Session};
use gtrig_core::{ControlId, Nanos, Rig};
use gtrig_formats::{
    reel::{Reel, ReelFault, ReelText, SegmentSize, SegmentWriter, copy_to_reel, segment_name},
    rig,
    take::{Loaded, TakeReader},
};
use proptest::prelude::*;
use rstest::rstest;
use std::{
    fmt::Write as _,
    fs,
    io::{BufReader, Read},
    ops::Range,
    path::{Path, PathBuf},
    sync::LazyLock,
};
use tempfile::TempDir;

fn demo(name: &str) -> String {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    fs::read_to_string(folder.join(name)).unwrap()
}

fn quay() -> Rig {
    rig::parse("rig", &demo("kestrel-quay.toml")).unwrap()
}

/// Segments of so many bytes of lines.
const fn of_bytes(bytes: u64) -> SegmentSize {
    SegmentSize { bytes, ..SegmentSize::DEFAULT }
}

/// A take as a reel in a folder of its own.
fn reel(text: &str, size: SegmentSize) -> (TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let to = folder.path().join("a.reel");
    let take = TakeReader::open(text.as_bytes()).unwrap();
    copy_to_reel(take, quay(), &to, size).unwrap();
    (folder, to)
}

/// All of a part, and why there is no more, if it ends early.
fn read_part(reel: &Reel, part: Range<usize>) -> (String, Option<String>) {
    let mut bytes = Vec::new();
    let read = ReelText::of(reel, part).read_to_end(&mut bytes);
    (String::from_utf8(bytes).unwrap(), read.err().map(|error| error.to_string()))
}

fn read(path: &Path) -> (String, Option<String>) {
    let reel = Reel::open(path).unwrap();
    read_part(&reel, 0..reel.segments().len())
}

fn load(text: impl Read) -> (Session, Loaded) {
    TakeReader::open(BufReader::new(text)).unwrap().load(quay(), Capacity::DEFAULT)
}

/// A session of devices that come and go, are held across every boundary, and of all else
/// that a take has.
fn busy(count: u64) -> String {
    let mut text = String::from("{\"take\":1,\"title\":\"busy\",\"rig\":\"Kestrel Quay\"}\n");
    for (id, slot) in [("a", 1), ("b", 2)] {
        writeln!(
            text,
            "{{\"t\":0,\"plug\":\"{id}\",\"kind\":\"pad\",\"slot\":{slot},\"controls\":[{{\"code\":\"south\",\"kind\":\"button\"}},{{\"code\":\"east\",\"kind\":\"button\"}},{{\"code\":\"stick-l-x\",\"kind\":\"axis\",\"min\":-100,\"centre\":0,\"max\":100}}]}}"
        )
        .unwrap();
    }
    for n in 0..count {
        let t = 1_000_000 + n * 700_000;
        match n % 97 {
            20 => writeln!(text, "{{\"t\":{t},\"unplug\":\"b\"}}"),
            40 => writeln!(
                text,
                "{{\"t\":{t},\"plug\":\"b\",\"kind\":\"pad\",\"slot\":2,\"controls\":[{{\"code\":\"south\",\"kind\":\"button\"}},{{\"code\":\"east\",\"kind\":\"button\"}},{{\"code\":\"stick-l-x\",\"kind\":\"axis\",\"min\":-100,\"centre\":0,\"max\":100}}]}}"
            ),
            50 => writeln!(text, "{{\"t\":{t},\"deaf\":\"a\"}}"),
            60 => writeln!(text, "{{\"t\":{t},\"heard\":\"a\"}}"),
            61 => writeln!(text, "{{\"t\":{},\"label\":\"a word about {n}\"}}", t / 2),
            62 => writeln!(
                text,
                "{{\"t\":{t},\"frame\":{n},\"read\":{{\"a\":{{\"south\":0}},\"b\":{{\"east\":0}}}},\"gives\":{{\"Horn\":0}}}}"
            ),
            n if n % 5 == 0 => writeln!(text, "{{\"t\":{t},\"on\":\"a\",\"c\":\"south\",\"v\":{}}}", n % 2),
            n if n % 7 == 0 => writeln!(text, "{{\"t\":{t},\"on\":\"a\",\"c\":\"east\",\"v\":{}}}", n % 3),
            n => writeln!(text, "{{\"t\":{t},\"on\":\"a\",\"c\":\"stick-l-x\",\"v\":{}}}", n as i64 * 2 - 97),
        }
        .unwrap();
    }
    writeln!(text, "{{\"t\":{},\"ends\":true}}", 2_000_000 + count * 700_000).unwrap();
    text
}

#[rstest]
fn a_take_comes_back_to_the_byte(
    #[values("lost-tap", "hand-over", "lazy-thumb", "worn-stick", "jerking-hook")] name: &str,
    #[values(1, 3_000, 100_000, u64::MAX)] bytes: u64,
) {
    let text = demo(&format!("{name}.take.jsonl"));
    let (_folder, path) = reel(&text, of_bytes(bytes));
    assert_eq!(read(&path), (text.clone(), None));
    let count = Reel::open(&path).unwrap().segments().len();
    assert!(count > 1 || bytes >= text.len() as u64 / 2, "{count} segments");
}

#[test]
fn what_another_program_wrote_comes_back_to_the_byte_too() {
    let text = concat!(
        "{\"rig\":\"x\",  \"take\": 1}\n",
        "{\"kind\":\"keys\",\"plug\":\"k\",\"t\":5,\"controls\":[{\"kind\":\"button\",\"code\":\"KeyA\"}]}\n",
        "{ \"c\":\"KeyA\", \"v\":1, \"on\":\"\\u006b\", \"t\":7 }\n",
        "{\"label\":\"\\u00fcber\",\"t\":3}\n",
        "{\"t\":900000000,\"on\":\"k\",\"c\":\"KeyA\",\"v\":0}",
    );
    let (_folder, path) = reel(text, of_bytes(1));
    assert_eq!(read(&path), (format!("{text}\n"), None));
}

#[test]
fn a_segment_begins_with_what_is_held_then() {
    let text = busy(1_000);
    let (whole, loaded) = load(text.as_bytes());
    assert!(loaded.is_sound(), "{:?}", loaded.complaints());
    let (_folder, path) = reel(&text, of_bytes(2_000));
    let reel = Reel::open(&path).unwrap();
    assert!(reel.segments().len() > 20);
    for first in 0..reel.segments().len() {
        let (part, loaded) = load(ReelText::of(&reel, first..reel.segments().len()));
        assert!(loaded.is_sound(), "segment {first}: {:?}", loaded.complaints());
        assert_eq!(part.now().at(), whole.now().at());
        for device in ["pad1", "pad2"] {
            for code in ["south", "east", "stick-l-x"] {
                let state = |session: &Session| {
                    let controls = session.roster().controls();
                    let ids = ControlId::first(controls.len());
                    let mut of_code = ids.rev().filter(|&id| {
                        let address = session.roster().address(id).to_string();
                        address.starts_with(device) && address.ends_with(code)
                    });
                    of_code.next().map(|id| session.now().control(id).value)
                };
                // A device that is gone is not among what is there.
                if let Some(value) = state(&part) {
                    assert_eq!(Some(value), state(&whole), "{device} {code} of segment {first}");
                }
            }
        }
        let from = reel.segments()[first].begins;
        let after = |session: &Session| {
            let events = session.seen_from(0).filter(|event| event.time > from);
            events.map(|event| (event.time, event.value, event.marks)).collect::<Vec<_>>()
        };
        assert_eq!(after(&part), after(&whole), "segment {first}");
    }
}

/// The files of a reel, in order.
fn files(path: &Path) -> Vec<PathBuf> {
    let reel = Reel::open(path).unwrap();
    reel.segments().iter().map(|segment| segment.path.clone()).collect()
}

/// Whether `text` is the beginning of `whole`, up to the end of a line.
fn is_beginning(text: &str, whole: &str) -> bool {
    whole.starts_with(text) && (text.is_empty() || text.ends_with('\n'))
}

#[test]
fn the_last_segment_may_be_cut_anywhere() {
    let text = busy(70);
    let (_folder, path) = reel(&text, of_bytes(2_500));
    let last = fs::File::options().write(true).open(files(&path).pop().unwrap()).unwrap();
    let mut shortest = text.len();
    for length in (0..last.metadata().unwrap().len()).rev() {
        last.set_len(length).unwrap();
        let (read, fault) = read(&path);
        assert_eq!(fault, None, "cut to {length} bytes");
        assert!(is_beginning(&read, &text), "cut to {length} bytes");
        assert!(read.len() <= shortest, "more lines of {length} bytes than of more");
        shortest = read.len();
    }
    assert!(shortest > 0 && shortest < text.len());
}

#[test]
fn a_segment_in_the_middle_that_is_cut_is_damage() {
    let text = busy(400);
    let (_folder, path) = reel(&text, of_bytes(8_000));
    let files = files(&path);
    let bytes = fs::read(&files[1]).unwrap();
    for length in [1, 100, bytes.len() / 2, bytes.len() - 1] {
        fs::write(&files[1], &bytes[..length]).unwrap();
        let (read, fault) = read(&path);
        let fault = fault.expect("it must be told");
        let name = files[1].file_name().unwrap().to_str().unwrap();
        assert!(fault.starts_with(name) && fault.contains("was cut"), "{fault}");
        assert!(is_beginning(&read, &text) && !read.is_empty());
    }
    // Nothing of it is as if it were not there.
    fs::write(&files[1], b"").unwrap();
    let (read, fault) = read(&path);
    assert!(fault.unwrap().contains("segment 1 is missing, the next one here is 2"));
    assert!(is_beginning(&read, &text) && !read.is_empty());
}

#[test]
fn a_segment_that_is_gone_is_damage_and_what_follows_it_is_read_alone() {
    let text = busy(1_000);
    let (_folder, path) = reel(&text, of_bytes(8_000));
    fs::remove_file(&files(&path)[2]).unwrap();
    let reel = Reel::open(&path).unwrap();
    let count = reel.segments().len();
    let (read, fault) = read_part(&reel, 0..count);
    assert!(is_beginning(&read, &text) && !read.is_empty());
    assert!(fault.unwrap().contains("segment 2 is missing, the next one here is 3"));
    let (rest, fault) = read_part(&reel, 2..count);
    assert_eq!(fault, None);
    let end = text.lines().last().unwrap();
    assert!(load(rest.as_bytes()).1.is_sound() && rest.trim_end().ends_with(end));
}

#[test]
fn a_part_ends_where_it_is_said_to() {
    let text = busy(1_000);
    let (_folder, path) = reel(&text, of_bytes(8_000));
    let reel = Reel::open(&path).unwrap();
    let (beginning, _) = read_part(&reel, 0..2);
    assert!(is_beginning(&beginning, &text));
    let next = reel.segments()[2].begins;
    let times = beginning.lines().filter(|line| line.contains("\"on\"")).map(|line| {
        let time = line.strip_prefix("{\"t\":").unwrap().split(',').next().unwrap();
        time.parse::<u64>().unwrap()
    });
    assert!(times.max().unwrap() < next.0);
    assert_eq!(reel.segment_at(next), 2);
    assert_eq!(reel.segment_at(Nanos(next.0 - 1)), 1);
    assert_eq!(reel.segment_at(Nanos(0)), 0);
    assert_eq!(reel.ends(), Nanos(2_000_000 + 1_000 * 700_000));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    /// Whatever happens to a byte or two, a line that is read is a line that was written, in
    /// its place; and where lines are lacking, it is said.
    #[test]
    fn what_is_damaged_is_never_read_as_something_else(
        changes in prop::collection::vec((any::<prop::sample::Index>(), 1u8..), 1..3),
        which in 0usize..3,
    ) {
        static REEL: LazyLock<(String, TempDir, PathBuf)> = LazyLock::new(|| {
            let text = busy(300);
            let (folder, path) = reel(&text, of_bytes(5_000));
            (text, folder, path)
        });
        let (text, _, path) = &*REEL;
        let folder = tempfile::tempdir().unwrap();
        for (file, n) in files(path).iter().zip(0..) {
            let mut bytes = fs::read(file).unwrap();
            for (at, xor) in changes.iter().filter(|_| n == which) {
                let at = at.index(bytes.len());
                bytes[at] ^= xor;
            }
            fs::write(folder.path().join(file.file_name().unwrap()), bytes).unwrap();
        }
        let (read, fault) = read(folder.path());
        prop_assert!(is_beginning(&read, text), "{fault:?}");
        prop_assert!(read == *text || fault.is_some() || which == 2);
    }

    /// Whatever is called like a segment.
    #[test]
    fn what_is_no_segment_is_said_to_be_none(bytes in prop::collection::vec(any::<u8>(), 1..200)) {
        let folder = tempfile::tempdir().unwrap();
        let name = segment_name(Nanos(0));
        fs::write(folder.path().join(name), [b"\x89MCAP0\r\n".as_slice(), &bytes].concat()).unwrap();
        let (read, fault) = read(folder.path());
        prop_assert!(read.is_empty());
        prop_assert!(fault.is_none() || fault.unwrap().contains("0000000.000000000.mcap: "));
    }
}

#[rstest]
#[case::start(0, "0000000.000000000.mcap")]
#[case::a_nanosecond(1, "0000000.000000001.mcap")]
#[case::thirty_days(2_592_000_000_000_000, "2592000.000000000.mcap")]
fn the_name_of_a_segment_says_when_it_begins(#[case] begins: u64, #[case] name: &str) {
    assert_eq!(segment_name(Nanos(begins)), name);
}

#[test]
fn other_files_of_the_folder_are_left_alone() {
    let text = busy(400);
    let (_folder, path) = reel(&text, of_bytes(8_000));
    for name in [
        "notes.txt",
        "1.5.mcap",
        "9999999.000000000.mcap",
        "0000000.mcap",
        "+000001.000000000.mcap",
    ] {
        fs::write(path.join(name), "what else is here").unwrap();
    }
    fs::create_dir(path.join("0000099.000000000.mcap")).unwrap();
    assert_eq!(read(&path), (text, None));
}

#[test]
fn a_folder_without_segments_is_no_reel() {
    let folder = tempfile::tempdir().unwrap();
    assert!(!Reel::is_at(folder.path()));
    assert!(matches!(Reel::open(folder.path()), Err(ReelFault::NoSegments)));
    assert!(matches!(Reel::open(&folder.path().join("none")), Err(ReelFault::Io(_))));
}

#[test]
fn a_segment_alone_is_a_reel_under_any_name() {
    let text = busy(400);
    let (folder, path) = reel(&text, of_bytes(8_000));
    let alone = folder.path().join("alone.mcap");
    fs::copy(&files(&path)[1], &alone).unwrap();
    assert!(Reel::is_at(&alone) && !Reel::is_at(&folder.path().join("none.mcap")));
    let (read, fault) = read(&alone);
    assert_eq!(fault, None);
    assert!(load(read.as_bytes()).1.is_sound());
}

#[test]
fn a_reel_that_is_there_is_not_written_over_and_a_damaged_take_is_copied_up_to_there() {
    let text = busy(400);
    let (folder, path) = reel(&text, of_bytes(8_000));
    let take = || TakeReader::open(text.as_bytes()).unwrap();
    let error = copy_to_reel(take(), quay(), &path, SegmentSize::DEFAULT).unwrap_err();
    assert_eq!(error.kind(), std::io::ErrorKind::AlreadyExists);
    assert_eq!(read(&path), (text.clone(), None));
    let damaged = text.replacen("\"v\":0}", "\"v\":0.5}", 5);
    let to = folder.path().join("b.reel");
    let take = TakeReader::open(damaged.as_bytes()).unwrap();
    let copied = copy_to_reel(take, quay(), &to, of_bytes(1_000)).unwrap();
    let (before, _) = damaged.split_once("\"v\":0.5}").unwrap();
    let (before, _) = before.rsplit_once('\n').unwrap();
    assert!(copied.loaded.damage.is_some());
    assert_eq!(read(&to), (format!("{before}\n"), None));
}

/// What a chunk that is closed holds can be read at once.
#[test]
fn each_chunk_can_be_read_once_it_is_closed() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join(segment_name(Nanos(0)));
    let text = busy(100);
    let (header, lines) = text.split_once('\n').unwrap();
    let mut segment = SegmentWriter::begin(0, format!("{header}\n").as_bytes()).unwrap();
    let (mut bytes, mut so_far) = (segment.take_bytes(), format!("{header}\n"));
    for line in lines.lines() {
        fs::write(&file, &bytes).unwrap();
        assert_eq!(read(folder.path()), (so_far.clone(), None));
        segment.lines(line.as_bytes()).unwrap();
        assert!(segment.take_bytes().is_empty());
        segment.close_chunk().unwrap();
        bytes.extend(segment.take_bytes());
        writeln!(so_far, "{line}").unwrap();
    }
    bytes.extend(segment.finish().unwrap());
    fs::write(&file, &bytes).unwrap();
    assert_eq!(read(folder.path()), (text.clone(), None));
}

/// Where the records of a kind begin, in the bytes of a segment.
fn records(bytes: &[u8], kind: u8) -> Vec<usize> {
    let mut found = Vec::new();
    let mut at = 8;
    while at + 9 < bytes.len() {
        if bytes[at] == kind {
            found.push(at);
        }
        at += 9 + u64::from_le_bytes(bytes[at + 1..at + 9].try_into().unwrap()) as usize;
    }
    found
}

const CHUNK: u8 = 6;
const METADATA: u8 = 12;

/// How long the record is, and how long its chunk says to be unpacked.
#[rstest]
#[case::record(METADATA, 0, 1)]
#[case::unpacked(CHUNK, 1, 9 + 16)]
fn a_record_or_chunk_beyond_its_bound_is_damage(
    #[case] kind: u8,
    #[case] which: usize,
    #[case] field: usize,
) {
    let text = busy(400);
    let (_folder, path) = reel(&text, of_bytes(8_000));
    let file = &files(&path)[0];
    let mut bytes = fs::read(file).unwrap();
    let at = records(&bytes, kind)[which] + field;
    for length in [16u64 << 20, 1 << 40, u64::MAX] {
        bytes[at..at + 8].copy_from_slice(&length.saturating_add(1).to_le_bytes());
        fs::write(file, &bytes).unwrap();
        let (read, fault) = read(&path);
        assert!(is_beginning(&read, &text) && read.len() < text.len());
        assert!(fault.unwrap().contains("limit"), "{length}");
    }
}

#[test]
fn a_chunk_that_is_gone_from_the_middle_is_noticed() {
    let folder = tempfile::tempdir().unwrap();
    let mut segment = SegmentWriter::begin(0, b"{\"take\":1}\n").unwrap();
    for n in 0..3 {
        segment.lines(format!("{{\"t\":{n},\"label\":\"{n}\"}}\n").as_bytes()).unwrap();
        segment.close_chunk().unwrap();
    }
    let mut bytes = segment.take_bytes();
    let chunks = records(&bytes, CHUNK);
    bytes.drain(chunks[2]..chunks[3]);
    fs::write(folder.path().join(segment_name(Nanos(0))), bytes).unwrap();
    let (read, fault) = read(folder.path());
    assert_eq!(read, "{\"take\":1}\n{\"t\":0,\"label\":\"0\"}\n");
    assert!(fault.unwrap().contains("line 2 is missing, the next one here is 3"));
}

#[test]
fn so_many_devices_of_a_segment_have_channels() {
    let folder = tempfile::tempdir().unwrap();
    let mut segment = SegmentWriter::begin(0, b"{\"take\":1}\n").unwrap();
    let mut text = String::new();
    for n in 0..70_000 {
        writeln!(text, "{{\"t\":{n},\"unplug\":\"d{n}\"}}").unwrap();
    }
    segment.lines(text.as_bytes()).unwrap();
    let file = folder.path().join(segment_name(Nanos(0)));
    fs::write(&file, segment.finish().unwrap()).unwrap();
    assert_eq!(read(folder.path()), (format!("{{\"take\":1}}\n{text}"), None));
    let summary = mcap::Summary::read(&fs::read(&file).unwrap()).unwrap().unwrap();
    assert_eq!(summary.channels.len(), 2 + 10_000);
}

/// What another program makes of a container: what it holds, by the index alone.
#[test]
fn the_index_has_every_line_of_every_device() {
    let text = busy(400);
    let (_folder, path) = reel(&text, SegmentSize::DEFAULT);
    let bytes = fs::read(&files(&path)[0]).unwrap();
    let summary = mcap::Summary::read(&bytes).unwrap().unwrap();
    let stats = summary.stats.as_ref().unwrap();
    assert_eq!(stats.message_count, text.lines().count() as u64);
    assert_eq!(stats.message_end_time, 2_000_000 + 400 * 700_000);
    let count = |topic: &str| {
        let channel = summary.channels.values().find(|channel| channel.topic == topic).unwrap();
        stats.channel_message_counts[&channel.id]
    };
    assert_eq!(count("opening"), 1);
    let lines = |what: &str| text.lines().filter(|line| line.contains(what)).count() as u64;
    assert_eq!(count("take"), lines("\"label\"") + lines("\"frame\"") + lines("\"ends\""));
    assert_eq!(count("device/b"), lines("plug\":\"b\""));
    let mut read = String::new();
    for index in &summary.chunk_indexes {
        for message in summary.stream_chunk(&bytes, index).unwrap() {
            writeln!(read, "{}", str::from_utf8(&message.unwrap().data).unwrap()).unwrap();
        }
    }
    assert_eq!(read, text);
}

/// Writes a container with a message that is a header, as another program does, and with a
/// segment record of this version.
fn write_container(file: &Path, options: mcap::WriteOptions, version: Option<&str>) {
    let mut writer = options.create(fs::File::create(file).unwrap()).unwrap();
    if let Some(version) = version {
        let metadata = [("version", version), ("number", "0")];
        let metadata = metadata.map(|(key, value)| (key.to_owned(), value.to_owned())).into();
        let record = mcap::records::Metadata { name: "segment".into(), metadata };
        writer.write_metadata(&record).unwrap();
    }
    let none = std::collections::BTreeMap::new();
    let channel_id = writer.add_channel(0, "opening", "json", &none).unwrap();
    let header =
        mcap::records::MessageHeader { channel_id, sequence: 0, log_time: 0, publish_time: 0 };
    writer.write_to_known_channel(&header, b"{\"take\":1}").unwrap();
    writer.finish().unwrap();
}

/// A container that another program made, and one of a version that is not known.
#[rstest]
#[case::nothing_of_ours(None)]
#[case::a_later_version(Some("2"))]
fn a_container_without_a_take_is_said_to_be_none(#[case] version: Option<&str>) {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join(segment_name(Nanos(0)));
    write_container(&file, mcap::WriteOptions::new(), version);
    let (read, fault) = read(folder.path());
    assert_eq!(read, "");
    assert!(fault.unwrap().contains("holds no take of version 1"));
}

/// A record of a chunk that is not packed, and claims to be longer than the chunk.
#[rstest]
fn a_record_does_not_reach_beyond_its_chunk(#[values(0, 1)] less: u64) {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join(segment_name(Nanos(0)));
    let options = mcap::WriteOptions::new().compression(None).calculate_chunk_crcs(false);
    let options = options.calculate_data_section_crc(false).emit_message_indexes(false);
    write_container(&file, options, Some("1"));
    let mut bytes = fs::read(&file).unwrap();
    let chunk = records(&bytes, CHUNK)[0];
    let length = u64::from_le_bytes(bytes[chunk + 1..chunk + 9].try_into().unwrap()) as usize;
    // The message is the last record of its chunk: 22 bytes and its line.
    let message = 22 + 10;
    let at = chunk + 9 + length - message - 8;
    let claimed = message as u64 + 1 - less;
    bytes[at..at + 8].copy_from_slice(&claimed.to_le_bytes());
    fs::write(&file, bytes).unwrap();
    let (read, fault) = read(folder.path());
    assert_eq!(read == "{\"take\":1}\n", less == 1, "{read} {fault:?}");
    assert_eq!(fault.is_some(), less == 0, "{fault:?}");
}
