//! Reading and replaying takes.
//!
//! - `parse`: the text of a take, by the demo rig and by one that reads nothing,
//!   against a plain serde_json loop over the same lines into a typed struct that
//!   borrows from them.
//! - `replay`: ten million events through the demo rig, from memory.
//! - `audit`: ten minutes of four devices at 1 kHz, polled at six rates.

#[path = "common/plain.rs"]
mod plain;

use criterion::{BatchSize, Criterion, Throughput, criterion_group, criterion_main};
use gtrig::{commands, files};
use gtrig_analysis::{Capacity, Session, audit::Loop, stream::StreamWatch};
use gtrig_core::{
    CleanText, ControlInfo, ControlKind, DeviceInfo, DeviceKind, Event, Machine, Marks, Nanos,
    PollRate, Rig, Tick, run,
};
use gtrig_formats::take;
use plain::PlainLine;
use std::hint::black_box;

fn parse(c: &mut Criterion) {
    let rig = files::rig(None, None).unwrap();
    let (session, _) = commands::cab_session(rig.clone(), 1, Nanos(120_000_000_000));
    let mut text = Vec::new();
    take::write(&session.recording(), None, &mut text).unwrap();
    let mut group = c.benchmark_group("parse");
    group.sample_size(20).throughput(Throughput::Bytes(text.len() as u64));
    let reads_nothing = Rig::bare("nothing", PollRate::from_hz(10.0).unwrap());
    for (name, rig) in [
        ("into a session, ticks run", &rig),
        ("into a session, by a rig that reads nothing, ten ticks a second", &reads_nothing),
    ] {
        group.bench_function(name, |b| {
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
    }
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
    let (session, _) = commands::cab_session(rig, 1, Nanos(60_000_000_000));
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

/// Ten minutes of four pads that report a thousand times a second, each with a
/// button pressed ten times a second.
fn ten_busy_minutes() -> (Session, Vec<Event>) {
    let mut session = Session::new(files::rig(None, None).unwrap(), Tick(0), Capacity::DEFAULT);
    let button = |code: &str| ControlInfo::new(code, ControlKind::Button);
    let axis = ControlKind::Axis { min: -32768, centre: 0, max: 32767 };
    let pads: Vec<_> = ["a", "b", "c", "d"]
        .map(|identity| DeviceInfo {
            identity: identity.into(),
            kind: DeviceKind::Pad,
            name: CleanText::new(identity),
            bus: CleanText::default(),
            slot: None,
            controls: vec![
                button("south"),
                ControlInfo::new("stick-l-x", axis),
                ControlInfo::new("stick-l-y", axis),
            ],
        })
        .into_iter()
        .map(|info| session.plug(info, Nanos(0)).unwrap())
        .collect();
    let mut events: Vec<Event> = session.recording().events().collect();
    for ms in 1..600_000u64 {
        for (&pad, n) in pads.iter().zip(0..) {
            let time = Nanos(ms * 1_000_000 + n * 1_000);
            let mut controls = session.roster().device(pad).controls();
            let (south, x, y) =
                (controls.next().unwrap(), controls.next().unwrap(), controls.next().unwrap());
            let event = |control, value| Event { time, value, control, marks: Marks::empty() };
            let noise = (ms * 7919 + n * 131) as i32 % 300;
            events.extend([event(x, noise), event(y, -noise)]);
            if ms % 50 == n {
                events.push(event(south, i32::from(ms % 100 < 50)));
            }
        }
    }
    (session, events)
}

fn audit(c: &mut Criterion) {
    let (session, events) = ten_busy_minutes();
    let mut group = c.benchmark_group("audit");
    group.sample_size(10).throughput(Throughput::Elements(events.len() as u64));
    group.bench_function("ten minutes of four devices at six rates", |b| {
        b.iter(|| {
            let rates = [20.0, 30.0, 60.0, 120.0, 240.0, 1000.0];
            let loops = rates.map(|hz| Loop::steady(PollRate::from_hz(hz).unwrap()));
            black_box(
                loops.map(|of| gtrig_analysis::audit::audit(session.plan(), &events, of).total),
            )
        });
    });
    group.finish();
}

/// Following the streams, against a plain loop that keeps what it must: the last
/// report of each device, the value of each control, and counted intervals.
fn health(c: &mut Criterion) {
    let (mut session, events) = ten_busy_minutes();
    let rate = session.plan().rate();
    for event in events.iter().skip(4) {
        session.report(*event);
    }
    session.run_until(rate.tick_seeing(events[events.len() - 1].time));
    let mut group = c.benchmark_group("health");
    group.sample_size(10).throughput(Throughput::Elements(events.len() as u64));
    group.bench_function("gtrig", |b| {
        b.iter(|| black_box(StreamWatch::over(&session).troubles().len()));
    });
    group.bench_function("by hand", |b| {
        let roster = session.roster();
        b.iter(|| {
            let mut last = vec![Nanos(0); roster.devices().len()];
            let mut values = vec![0; roster.controls().len()];
            let mut counts = vec![0u64; 4096];
            let mut jumps = 0;
            for event in session.seen_from(0) {
                let device = usize::from(roster.control(event.control).device.0);
                let interval = event.time.0 - last[device].0;
                if interval > 0 {
                    counts[(interval / 10_000).min(4095) as usize] += 1;
                    last[device] = event.time;
                }
                let moved = event.value.abs_diff(values[event.control.index()]);
                jumps += u32::from(moved > 6553 && interval > 4_000_000);
                values[event.control.index()] = event.value;
            }
            black_box((counts, jumps))
        });
    });
    group.finish();
}

criterion_group!(benches, parse, replay, audit, health);
criterion_main!(benches);
