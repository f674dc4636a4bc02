//! Reading and replaying takes.
//!
//! - `parse`: the text of a take, against a plain serde_json loop over the
//!   same lines into a typed struct that borrows from them.
//! - `replay`: ten million events through the demo rig, from memory.

use criterion::{BatchSize, Criterion, Throughput, criterion_group, criterion_main};
use gtrig::{files, headless};
use gtrig_core::{Capacity, Event, Machine, Nanos, Tick, run};
use gtrig_formats::take;
use serde::Deserialize;
use std::{borrow::Cow, hint::black_box};

/// What a programmer who only wants the numbers would write.
#[derive(Deserialize)]
struct PlainLine<'a> {
    t: u64,
    #[serde(borrow, default)]
    on: Cow<'a, str>,
    #[serde(borrow, default)]
    c: Cow<'a, str>,
    #[serde(default)]
    v: i32,
}

fn parse(c: &mut Criterion) {
    let rig = files::rig(None, None).unwrap();
    let (session, _) = headless::cab_session(rig.clone(), 1, Nanos(120_000_000_000));
    let mut text = Vec::new();
    take::write(&session.recording(), None, &mut text).unwrap();
    let mut group = c.benchmark_group("parse");
    group.sample_size(20).throughput(Throughput::Bytes(text.len() as u64));
    group.bench_function("into a session, ticks run", |b| {
        b.iter_batched(
            || rig.clone(),
            |rig| {
                let reader = take::TakeReader::open(&text[..]).unwrap();
                let (session, loaded) = reader.load(rig, Capacity::DEFAULT);
                assert!(loaded.is_sound());
                session
            },
            BatchSize::LargeInput,
        );
    });
    group.bench_function("plain serde_json loop", |b| {
        b.iter(|| {
            let mut sum = 0;
            for line in text.split(|&byte| byte == b'\n').skip(1).filter(|l| !l.is_empty()) {
                let line: PlainLine = serde_json::from_slice(line).unwrap();
                sum += line.t as i64 + i64::from(line.v);
                black_box((&line.on, &line.c));
            }
            sum
        });
    });
    group.finish();
}

const EVENTS: usize = 10_000_000;

/// Ten million events: a recorded minute, over and over, on a time line that
/// goes on.
fn ten_million(minute: &[Event]) -> Vec<Event> {
    let rounds = EVENTS.div_ceil(minute.len()) as u64;
    let shifted = |round: u64| {
        minute.iter().map(move |event| Event {
            time: Nanos(event.time.0 + round * 60_000_000_000),
            ..*event
        })
    };
    (0..rounds).flat_map(shifted).take(EVENTS).collect()
}

fn replay(c: &mut Criterion) {
    let rig = files::rig(None, None).unwrap();
    let (session, _) = headless::cab_session(rig, 1, Nanos(60_000_000_000));
    let minute: Vec<Event> = session.recording().events().collect();
    let events = ten_million(&minute);
    let last = session.plan().rate().tick_seeing(events[EVENTS - 1].time);
    let mut group = c.benchmark_group("replay");
    group.sample_size(10).throughput(Throughput::Elements(EVENTS as u64));
    group.bench_function("ten million events", |b| {
        b.iter(|| {
            let mut machine = Machine::new(session.plan(), Tick(0));
            let mut changed = 0;
            run(&mut machine, session.plan(), &events, last, |m| changed += m.changed().len());
            black_box(changed)
        });
    });
    group.finish();
}

criterion_group!(benches, parse, replay);
criterion_main!(benches);
