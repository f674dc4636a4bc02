//! A segment of a reel: after a first byte of 0 lines that are written to one and come back as
//! they were, after any other the bytes of a file, of which whatever can be read is lines.

#![no_main]

use gtrig_analysis::Capacity;
use gtrig_core::{Nanos, PollRate, Rig};
use gtrig_formats::{
    reel::{Reel, ReelText, SegmentWriter},
    take::TakeReader,
};
use libfuzzer_sys::fuzz_target;
use std::{
    fs,
    io::{BufReader, Read},
    path::PathBuf,
    sync::LazyLock,
};

const ROOM: Capacity = Capacity { events: 1 << 16, changes: 1 << 16 };

/// In memory, where there is such a place.
static FILE: LazyLock<PathBuf> = LazyLock::new(|| {
    let memory = PathBuf::from("/dev/shm");
    let folder = if memory.is_dir() { memory } else { std::env::temp_dir() };
    folder.join(format!("gtrig-fuzz-{}.mcap", std::process::id()))
});

fn text_of(bytes: &[u8]) -> ReelText {
    fs::write(&*FILE, bytes).expect("there is room");
    let reel = Reel::open(&FILE).expect("a file is a reel");
    let ends = reel.ends();
    assert!(ends >= Nanos(0) && reel.segments().len() == 1);
    ReelText::of(&reel, 0..1)
}

fuzz_target!(|bytes: &[u8]| {
    let Some((kind, bytes)) = bytes.split_first() else { return };
    if *kind == 0 {
        let lines: Vec<&[u8]> = bytes.split(|byte| *byte == b'\n').collect();
        let text = [lines.join(&b'\n'), b"\n".to_vec()].concat();
        let mut segment = SegmentWriter::begin(0, b"{\"take\":1}\n").expect("memory takes it");
        segment.lines(&text).expect("memory takes it");
        let mut read = Vec::new();
        let file = segment.finish().expect("memory takes it");
        text_of(&file).read_to_end(&mut read).expect("what is written can be read");
        assert_eq!(read, [b"{\"take\":1}\n".as_slice(), &text].concat());
        return;
    }
    let mut read = Vec::new();
    let _ = text_of(bytes).read_to_end(&mut read);
    assert!(read.is_empty() || read.ends_with(b"\n"));
    if let Ok(take) = TakeReader::open(BufReader::new(text_of(bytes))) {
        take.load(Rig::bare("fuzz", PollRate::DEFAULT), ROOM);
    }
});
