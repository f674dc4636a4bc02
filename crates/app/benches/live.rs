//! Programs that send and that read, over real sockets.
//!
//! - `arrive`: a hundred thousand values from one sender, and from 64 at once, into a session
//!   whose ticks run; against a plain loop over the same lines from the same kind of socket
//!   that only sums them up.
//! - `publish`: ten seconds of the cab's work, run in frames, with nobody who may read, with
//!   nobody who does, and with 16 readers.

#[path = "common/plain.rs"]
mod plain;

use criterion::{BatchSize, Criterion, Throughput, criterion_group, criterion_main};
use gtrig::{broadcast::Broadcast, commands, files};
use gtrig_analysis::{Capacity, Session};
use gtrig_core::{Nanos, Tick};
use gtrig_live::{Hub, Options, Place};
use gtrig_sources::{Source, monotonic_now};
use plain::PlainLine;
use std::{
    hint::black_box,
    io::{BufRead, BufReader, Read, Write},
    os::unix::net::{UnixListener, UnixStream},
    path::Path,
    sync::Arc,
    thread,
};

const VALUES: u64 = 100_000;

/// What a sender says: a pad, and so many values of its stick.
fn said(name: &str, values: u64) -> Vec<u8> {
    let mut text = format!("{{\"live\":1,\"name\":\"{name}\"}}\n").into_bytes();
    text.extend_from_slice(
        br#"{"plug":"pad1","kind":"pad","controls":[{"code":"stick-l-x","kind":"axis","min":-32768,"centre":0,"max":32767}]}"#,
    );
    text.push(b'\n');
    for n in 0..values {
        let value = n % 30_000;
        writeln!(text, "{{\"on\":\"pad1\",\"c\":\"stick-l-x\",\"v\":{value},\"n\":{n}}}").unwrap();
    }
    text
}

/// Sends all of it, each from a thread of its own.
fn send(socket: &Path, all: &Arc<Vec<Vec<u8>>>) -> Vec<thread::JoinHandle<()>> {
    (0..all.len())
        .map(|n| {
            let (socket, all) = (socket.to_owned(), Arc::clone(all));
            thread::spawn(move || {
                UnixStream::connect(socket).unwrap().write_all(&all[n]).unwrap();
            })
        })
        .collect()
}

/// Hears so many values and runs their ticks.
fn hear(hub: &mut Hub, session: &mut Session, zero: Nanos, values: u64) {
    while session.seen_count() < values {
        let now = Nanos(monotonic_now().unwrap().0 - zero.0);
        hub.drain(session, now);
        session.run_before(now);
        thread::yield_now();
    }
}

fn arrive(c: &mut Criterion) {
    let rig = files::rig(None, None).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let mut group = c.benchmark_group("arrive");
    group.sample_size(10).throughput(Throughput::Elements(VALUES));
    for senders in [1, 64] {
        let all = |n: u64| said(&format!("s{n}"), VALUES / senders);
        let all: Arc<Vec<Vec<u8>>> = Arc::new((0..senders).map(all).collect());
        let socket = folder.path().join(format!("hub-{senders}"));
        group.bench_function(format!("from {senders}, ticks run"), |b| {
            b.iter_batched(
                || {
                    let session = Session::new(rig.clone(), Tick(0), Capacity::DEFAULT);
                    let place = Place::Unix(socket.clone());
                    let zero = monotonic_now().unwrap();
                    let hub = Hub::open(&[place], Options::default(), Nanos(0)).unwrap();
                    (hub, session, zero)
                },
                |(mut hub, mut session, zero)| {
                    let sending = send(&socket, &all);
                    // Each device came, too.
                    hear(&mut hub, &mut session, zero, VALUES / senders * senders + senders);
                    sending.into_iter().for_each(|thread| thread.join().unwrap());
                    let lost: u64 = hub.senders().iter().map(|s| s.missed + s.faults).sum();
                    assert_eq!(lost, 0);
                    (hub, session)
                },
                BatchSize::PerIteration,
            );
        });
    }
    let all = Arc::new(vec![said("plain", VALUES)]);
    let socket = folder.path().join("plain");
    let listener = UnixListener::bind(&socket).unwrap();
    group.bench_function("plain serde_json loop", |b| {
        b.iter(|| {
            let sending = send(&socket, &all);
            let mut lines = BufReader::new(listener.accept().unwrap().0);
            let (mut line, mut sum) = (Vec::new(), 0);
            let mut number = 0;
            while lines.read_until(b'\n', &mut line).unwrap() > 0 {
                number += 1;
                if number > 2 {
                    let line: PlainLine = serde_json::from_slice(&line).unwrap();
                    sum += line.t as i64 + i64::from(line.v);
                    black_box((&line.on, &line.c));
                }
                line.clear();
            }
            sending.into_iter().for_each(|thread| thread.join().unwrap());
            sum
        });
    });
    group.finish();
}

fn publish(c: &mut Criterion) {
    const FRAMES: u64 = 300;
    let rig = files::rig(None, None).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let mut group = c.benchmark_group("publish");
    group.sample_size(20);
    for (name, readers) in
        [("nobody may read", None), ("nobody reads", Some(0)), ("16 read", Some(16))]
    {
        let socket = folder.path().join(name.replace(' ', "-"));
        group.bench_function(name, |b| {
            b.iter_batched(
                || {
                    let (session, cab) =
                        commands::cab_session(rig.clone(), 1, Nanos(1_000_000_000));
                    let place = Place::Unix(socket.clone());
                    let open = |_| Broadcast::open(&[place], None, &session).unwrap();
                    let mut broadcast = readers.map(open);
                    for _ in 0..readers.unwrap_or(0) {
                        let mut stream = UnixStream::connect(&socket).unwrap();
                        thread::spawn(move || stream.read_to_end(&mut Vec::new()));
                    }
                    while broadcast.as_ref().is_some_and(|b| Some(b.readers()) != readers) {
                        thread::yield_now();
                    }
                    if let Some(broadcast) = &mut broadcast {
                        broadcast.catch_up(&session);
                    }
                    (session, cab, broadcast)
                },
                |(mut session, mut cab, mut broadcast)| {
                    for frame in 1..=FRAMES {
                        let now = Nanos(1_000_000_000 + frame * 33_333_333);
                        cab.drain(&mut session, now);
                        session.run_before(now);
                        if let Some(broadcast) = &mut broadcast {
                            broadcast.catch_up(&session);
                        }
                    }
                    (session, broadcast)
                },
                BatchSize::PerIteration,
            );
        });
    }
    group.finish();
}

criterion_group!(benches, arrive, publish);
criterion_main!(benches);
