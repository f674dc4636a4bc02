//! Reels.
//!
//! - `write`: a million lines into a segment, against the same lines behind their lengths.
//! - `read`: them from its file, against the same text from a file.
//! - `copy`: a take to a reel, with what is there at each segment, against reading the take.

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use gtrig::files;
use gtrig_analysis::Capacity;
use gtrig_core::Nanos;
use gtrig_formats::{
    reel::{Reel, ReelText, SegmentSize, SegmentWriter, copy_to_reel, segment_name},
    take::TakeReader,
};
use std::{
    fmt::Write as _,
    fs::{self, File},
    hint::black_box,
    io::Read,
};

const LINES: u64 = 1_000_000;

/// Four pads that report a thousand times a second: the header and their arrival, and a
/// million values.
fn million() -> (String, String) {
    let mut head = "{\"take\":1}\n".to_owned();
    let pads = ["pad1", "pad2", "pad3", "pad4"];
    for pad in pads {
        writeln!(
            head,
            "{{\"t\":0,\"plug\":\"{pad}\",\"kind\":\"pad\",\"controls\":[{{\"code\":\"south\",\"kind\":\"button\"}},{{\"code\":\"stick-l-x\",\"kind\":\"axis\",\"min\":-32768,\"centre\":0,\"max\":32767}}]}}"
        )
        .unwrap();
    }
    let mut text = String::new();
    for n in 0..LINES {
        let (t, pad) = (n / 4 * 1_000_000 + n % 4 * 10_000, pads[(n % 4) as usize]);
        let noise = (n * 7919 + n / 1000 * 131) % 3000;
        match n % 200 {
            0..4 => writeln!(
                text,
                "{{\"t\":{t},\"on\":\"{pad}\",\"c\":\"south\",\"v\":{}}}",
                n / 200 % 2
            ),
            _ => writeln!(text, "{{\"t\":{t},\"on\":\"{pad}\",\"c\":\"stick-l-x\",\"v\":{noise}}}"),
        }
        .unwrap();
    }
    (head, text)
}

fn write(c: &mut Criterion) {
    let (head, text) = million();
    let mut group = c.benchmark_group("write");
    group.sample_size(10).throughput(Throughput::Elements(LINES));
    group.bench_function("a million lines into a segment", |b| {
        b.iter(|| {
            let mut segment = SegmentWriter::begin(0, head.as_bytes()).unwrap();
            let mut bytes = 0;
            // A recorder has some ten thousandths of them at a time.
            for lines in text.as_bytes().chunks(1 << 20) {
                segment.lines(lines).unwrap();
                bytes += segment.take_bytes().len();
            }
            bytes + segment.finish().unwrap().len()
        });
    });
    group.bench_function("the same behind their lengths", |b| {
        b.iter(|| {
            let mut out = Vec::with_capacity(text.len() + 4 * LINES as usize);
            for line in text.split('\n') {
                out.extend((line.len() as u32).to_le_bytes());
                out.extend(line.as_bytes());
            }
            black_box(out).len()
        });
    });
    group.finish();
}

fn read(c: &mut Criterion) {
    let (head, text) = million();
    let folder = tempfile::tempdir().unwrap();
    let mut segment = SegmentWriter::begin(0, head.as_bytes()).unwrap();
    segment.lines(text.as_bytes()).unwrap();
    fs::write(folder.path().join(segment_name(Nanos(0))), segment.finish().unwrap()).unwrap();
    let plain = folder.path().join("plain");
    fs::write(&plain, &text).unwrap();
    let drain = |mut input: &mut dyn Read| std::io::copy(&mut input, &mut std::io::sink()).unwrap();
    let mut group = c.benchmark_group("read");
    group.sample_size(10).throughput(Throughput::Bytes(text.len() as u64));
    group.bench_function("a million lines from a segment", |b| {
        b.iter(|| drain(&mut ReelText::of(&Reel::open(folder.path()).unwrap(), 0..1)));
    });
    group.bench_function("the same text from a file", |b| {
        b.iter(|| drain(&mut File::open(&plain).unwrap()));
    });
    group.finish();
}

fn copy(c: &mut Criterion) {
    let (head, text) = million();
    let text = head + &text;
    let rig = files::rig(None, None).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let to = folder.path().join("a.reel");
    let mut group = c.benchmark_group("copy");
    group.sample_size(10).throughput(Throughput::Bytes(text.len() as u64));
    group.bench_function("a take to a reel", |b| {
        b.iter(|| {
            let take = TakeReader::open(text.as_bytes()).unwrap();
            let copied = copy_to_reel(take, rig.clone(), &to, SegmentSize::DEFAULT).unwrap();
            assert!(copied.loaded.is_sound());
            fs::remove_dir_all(&to).unwrap();
        });
    });
    group.bench_function("reading the take", |b| {
        b.iter(|| {
            let take = TakeReader::open(text.as_bytes()).unwrap();
            take.load(rig.clone(), Capacity { events: 100_000, changes: 100_000 }).1.events
        });
    });
    group.finish();
}

criterion_group!(benches, write, read, copy);
criterion_main!(benches);
