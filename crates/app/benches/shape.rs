//! A full chain of shaping for two sticks and two triggers, against the same
//! written by hand; and a nudge of ten busy minutes.

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use gtrig::files;
use gtrig_core::{
    Capacity, CleanText, ControlInfo, ControlKind, DeviceInfo, DeviceKind, Event, Marks, Nanos,
    Session, Tick,
    shape::{self, Curve, DeadZone, Gate, Memory, Smooth, Stage, ZoneKind},
};
use std::hint::black_box;

const DT: f32 = 1.0 / 60.0;
const HALF_LIFE: f32 = 0.02;
const INNER: f32 = 0.12;
const OUTER: f32 = 0.96;

fn stages() -> Vec<Stage> {
    let zone = DeadZone { kind: ZoneKind::Radius, inner: INNER, outer: OUTER, slope: 0.0 };
    vec![
        Stage::Invert { x: false, y: true },
        Stage::Gate(Gate::Circle),
        Stage::DeadZone(zone),
        Stage::Curve { curve: Curve::Blend(0.4), on_axes: false },
        Stage::Sensitivity(0.9),
        Stage::Smooth(Smooth::HalfLife(HALF_LIFE)),
    ]
}

/// The same, as an engine programmer would write it for one game.
fn by_hand([x, y]: [f32; 2], state: &mut [f32; 2]) -> [f32; 2] {
    let y = -y;
    let r = (x * x + y * y).sqrt();
    let (x, y, r) = if r > 1.0 { (x / r, y / r, 1.0) } else { (x, y, r) };
    let target = if r <= INNER {
        [0.0, 0.0]
    } else {
        let m = ((r - INNER) / (OUTER - INNER)).min(1.0);
        let m = (0.6 * m + 0.4 * m * m * m) * 0.9;
        [x / r * m, y / r * m]
    };
    let share = 1.0 - (-std::f32::consts::LN_2 * DT / HALF_LIFE).exp();
    for (out, target) in state.iter_mut().zip(target) {
        *out += share * (target - *out);
    }
    *state
}

/// Two sticks and two triggers through a second of wandering.
fn hands() -> Vec<[[f32; 2]; 4]> {
    let at = |n: u32, k: f32| ((n as f32) * k).sin();
    (0..60)
        .map(|n| {
            let (left, right) = ([at(n, 0.1), at(n, 0.13)], [at(n, 0.07), at(n, 0.3) * 1.1]);
            [left, right, [at(n, 0.2).abs(), 0.0], [at(n, 0.05).abs(), 0.0]]
        })
        .collect()
}

fn chain(c: &mut Criterion) {
    let (stages, hands) = (stages(), hands());
    // Both must agree, or the comparison means nothing.
    let (mut memories, mut states) = ([Memory::default(); 4], [[0.0; 2]; 4]);
    for hand in &hands {
        for (n, v) in hand.iter().enumerate() {
            let (ours, _) = shape::run(&stages, *v, DT, &mut memories[n..=n]);
            let theirs = by_hand(*v, &mut states[n]);
            let apart = (ours[0] - theirs[0]).abs().max((ours[1] - theirs[1]).abs());
            assert!(apart < 1e-4, "{ours:?} {theirs:?}");
        }
    }
    let mut group = c.benchmark_group("chain");
    group.throughput(Throughput::Elements(hands.len() as u64));
    group.bench_function("gtrig", |b| {
        b.iter(|| {
            let (mut memories, mut sum) = ([Memory::default(); 4], 0.0);
            for hand in &hands {
                for (n, v) in hand.iter().enumerate() {
                    sum += shape::run(&stages, *v, DT, &mut memories[n..=n]).0[0];
                }
            }
            black_box(sum)
        });
    });
    group.bench_function("by hand", |b| {
        b.iter(|| {
            let (mut states, mut sum) = ([[0.0; 2]; 4], 0.0);
            for hand in &hands {
                for (n, v) in hand.iter().enumerate() {
                    sum += by_hand(black_box(*v), &mut states[n])[0];
                }
            }
            black_box(sum)
        });
    });
    group.finish();
}

/// Ten minutes of four devices that report both axes of a stick a thousand
/// times a second, run again by a rig with one other number.
fn nudge(c: &mut Criterion) {
    let rig = files::rig(None, None).unwrap();
    let mut session = Session::new(rig.clone(), Tick(0), Capacity::DEFAULT);
    let axis = ControlKind::Axis { min: -32768, centre: 0, max: 32767 };
    let pads = ["a", "b", "c", "d"].map(|identity| DeviceInfo {
        identity: identity.into(),
        kind: DeviceKind::Pad,
        name: CleanText::new(identity),
        bus: CleanText::default(),
        slot: None,
        controls: ["stick-l-x", "stick-l-y"].map(|code| ControlInfo::new(code, axis)).to_vec(),
    });
    let pads = pads.map(|info| session.plug(info, Nanos(0)).unwrap());
    for ms in 1..600_000u64 {
        let time = Nanos(ms * 1_000_000);
        for (&pad, n) in pads.iter().zip(0..) {
            for (control, k) in session.roster().device(pad).controls().zip([0.001, 0.0013]) {
                let value = ((ms as f64 * k + f64::from(n)).sin() * 30_000.0) as i32;
                session.report(Event { time, value, control, marks: Marks::empty() });
            }
        }
        session.run_before(time);
    }
    let place = rig.knobs().into_iter().find(|knob| knob.place.to_string().contains("slew"));
    let other = rig.with(&place.unwrap().place, 0.15);
    let mut group = c.benchmark_group("nudge");
    group.sample_size(10);
    group.bench_function("ten minutes of four devices", |b| {
        b.iter(|| black_box(session.retuned(other.clone(), Capacity::DEFAULT).now().at()));
    });
    group.finish();
}

criterion_group!(benches, chain, nudge);
criterion_main!(benches);
