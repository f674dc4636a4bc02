//! A full chain of shaping for two sticks and two triggers, against the same
//! written by hand; and a nudge of ten busy minutes.

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use gtrig::files;
use gtrig_analysis::{Capacity, Session};
use gtrig_core::{
    Chain, CleanText, ControlInfo, ControlKind, Curve, DeadZone, DeadZoneKind, DeviceInfo,
    DeviceKind, Event, Marks, Nanos, Smooth, Stage, StageMemory, StickGate, Tick,
};
use std::{
    f32::consts::{LN_2, TAU},
    hint::black_box,
};

const DT: f32 = 1.0 / 60.0;

/// Closer than this, a filter has arrived.
const ARRIVED: f32 = 1.0 / 65_536.0;

/// The numbers of a chain, known at run time only, as they are while tuning.
#[derive(Clone, Copy)]
struct Numbers {
    scale: [f32; 2],
    offset: [f32; 2],
    inner: f32,
    outer: f32,
    exponent: f32,
    blend: f32,
    by: f32,
    half_life: f32,
    steady_hz: f32,
    follow: f32,
    turn: f32,
}

const NUMBERS: Numbers = Numbers {
    scale: [1.02, -0.98],
    offset: [0.01, -0.02],
    inner: 0.12,
    outer: 0.96,
    exponent: 1.6,
    blend: 0.4,
    by: 0.9,
    half_life: 0.02,
    steady_hz: 2.0,
    follow: 6.0,
    turn: 720.0,
};

/// What most games do to a stick.
fn usual(n: &Numbers) -> Vec<Stage> {
    let zone = DeadZone { kind: DeadZoneKind::Radius, inner: n.inner, outer: n.outer, slope: 0.0 };
    vec![
        Stage::Invert { x: false, y: true },
        Stage::Gate(StickGate::Circle),
        Stage::DeadZone(zone),
        Stage::Curve { curve: Curve::Blend(n.blend), on_axes: false },
        Stage::Sensitivity(n.by),
        Stage::Smooth(Smooth::HalfLife(n.half_life)),
    ]
}

/// Every kind of stage that gives a vector.
fn full(n: &Numbers) -> Vec<Stage> {
    let zone = DeadZone { kind: DeadZoneKind::Radius, inner: n.inner, outer: n.outer, slope: 0.0 };
    vec![
        Stage::Scale(n.scale),
        Stage::Offset(n.offset),
        Stage::Gate(StickGate::Circle),
        Stage::DeadZone(zone),
        Stage::Curve { curve: Curve::Power(n.exponent), on_axes: false },
        Stage::Sensitivity(n.by),
        Stage::Smooth(Smooth::Adaptive { steady_hz: n.steady_hz, follow: n.follow }),
        Stage::TurnLimit(n.turn),
    ]
}

/// What the chain by hand remembers of one stick.
#[derive(Clone, Copy, Default)]
struct Hand {
    smooth: [f32; 2],
    speed: [f32; 2],
    turned: [f32; 2],
}

/// A value that was shaped, and whether it would go on changing.
type Shaped = ([f32; 2], bool);

/// The usual chain as a careful engine programmer would write it for one game, with what a
/// chain promises: rest is +0, the rim is exactly 1, nothing within the circle leaves it,
/// the filter arrives and says so, and what is no number never gets out.
fn usual_by_hand(n: &Numbers, share: f32, [x, y]: [f32; 2], hand: &mut Hand) -> Shaped {
    let [x, y] = [x + 0.0, 0.0 - y];
    let was = (x * x + y * y).sqrt();
    let r = was.min(1.0);
    let m = if r <= n.inner { 0.0 } else { ((r - n.inner) / (n.outer - n.inner)).min(1.0) };
    let m = if m >= 1.0 { m } else { ((1.0 - n.blend) * m + n.blend * m * m * m).min(1.0) };
    let to = (m * n.by).min(1.0);
    let target = if to == 0.0 {
        [0.0; 2]
    } else if to == was {
        [x, y]
    } else {
        [x * (to / was), y * (to / was)]
    };
    let [was_x, was_y] = hand.smooth;
    let out = [was_x + share * (target[0] - was_x), was_y + share * (target[1] - was_y)];
    let away = [target[0] - out[0], target[1] - out[1]];
    let is_far = away[0] * away[0] + away[1] * away[1] > ARRIVED * ARRIVED;
    let is_moving = is_far && out != hand.smooth;
    hand.smooth = if is_moving { out } else { target };
    (hand.smooth.map(|part| if part.is_finite() { part } else { 0.0 }), is_moving)
}

fn full_by_hand(n: &Numbers, [x, y]: [f32; 2], hand: &mut Hand) -> Shaped {
    let v = [x * n.scale[0] + n.offset[0], y * n.scale[1] + n.offset[1]];
    let target = lengthened(n, v, |m| m.powf(n.exponent));
    let low_pass = |hz: f32| 1.0 / (1.0 + 1.0 / (TAU * hz * DT));
    let calm = low_pass(1.0);
    for ((speed, target), out) in hand.speed.iter_mut().zip(target).zip(hand.smooth) {
        *speed += calm * ((target - out) / DT - *speed);
    }
    let share = low_pass(n.steady_hz + n.follow * hand.speed[0].hypot(hand.speed[1]));
    for (out, target) in hand.smooth.iter_mut().zip(target) {
        *out += share * (target - *out);
    }
    // There, or it would go on for ever. The speed that was seen dies away by itself.
    let is_moving =
        hand.smooth.iter().zip(target).any(|(out, target)| (target - out).abs() > ARRIVED);
    if !is_moving {
        hand.smooth = target;
    }
    let [x, y] = hand.smooth;
    let [was_x, was_y] = hand.turned;
    let r = (x * x + y * y).sqrt();
    if r == 0.0 || (was_x == 0.0 && was_y == 0.0) {
        hand.turned = [x, y];
        return (hand.turned, is_moving);
    }
    let from = was_y.atan2(was_x);
    let turn = y.atan2(x) - from;
    let turn = turn - (turn / TAU).round() * TAU;
    let most = n.turn.to_radians() * DT;
    hand.turned = if turn.abs() <= most {
        [x, y]
    } else {
        let angle = from + most.copysign(turn);
        [r * angle.cos(), r * angle.sin()]
    };
    (hand.turned, is_moving || turn.abs() > most)
}

/// Gate, dead zone, curve and sensitivity on the length.
fn lengthened(n: &Numbers, [x, y]: [f32; 2], curve: impl Fn(f32) -> f32) -> [f32; 2] {
    let was = (x * x + y * y).sqrt();
    let r = was.min(1.0);
    if r <= n.inner {
        return [0.0, 0.0];
    }
    let m = ((r - n.inner) / (n.outer - n.inner)).min(1.0);
    let scale = curve(m) * n.by / was;
    [x * scale, y * scale]
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

/// Benches a chain against the same by hand, after seeing that both agree as closely as
/// that.
fn against(
    c: &mut Criterion,
    (name, closely): (&str, f32),
    stages: &[Stage],
    by_hand: impl Fn([f32; 2], &mut Hand) -> Shaped,
) {
    let (chain, moves) = (Chain::from(stages), hands());
    let each = chain.memory_count();
    let mut memories = vec![StageMemory::default(); 4 * each];
    let mut states = [Hand::default(); 4];
    for four in &moves {
        for (n, v) in four.iter().enumerate() {
            let (ours, _) = chain.run(*v, DT, &mut memories[n * each..(n + 1) * each]);
            let (theirs, _) = by_hand(*v, &mut states[n]);
            let apart = (ours[0] - theirs[0]).abs().max((ours[1] - theirs[1]).abs());
            assert!(apart < closely, "{ours:?} {theirs:?}");
        }
    }
    let mut group = c.benchmark_group(name);
    group.throughput(Throughput::Elements(moves.len() as u64));
    group.bench_function("gtrig", |b| {
        b.iter(|| {
            memories.fill(StageMemory::default());
            let mut sum = 0.0;
            for four in &moves {
                for (v, memories) in four.iter().zip(memories.chunks_exact_mut(each)) {
                    let (out, is_moving) = chain.run(*v, DT, memories);
                    sum += out[0] + f32::from(u8::from(is_moving));
                }
            }
            black_box(sum)
        });
    });
    group.bench_function("by hand", |b| {
        b.iter(|| {
            let (mut states, mut sum) = ([Hand::default(); 4], 0.0);
            for four in &moves {
                for (v, state) in four.iter().zip(&mut states) {
                    let (out, is_moving) = by_hand(*v, state);
                    sum += out[0] + f32::from(u8::from(is_moving));
                }
            }
            black_box(sum)
        });
    });
    group.finish();
}

fn chain(c: &mut Criterion) {
    let numbers = black_box(NUMBERS);
    // Worked out once, as the time between two ticks does not change.
    let share = 1.0 - (-LN_2 * DT / numbers.half_life).exp();
    let by_hand = |v, hand: &mut Hand| usual_by_hand(&numbers, share, v, hand);
    against(c, ("usual chain", 1e-6), &usual(&numbers), by_hand);
    // Angles that are compared as such are another ten thousandth.
    let by_hand = |v, hand: &mut Hand| full_by_hand(&numbers, v, hand);
    against(c, ("full chain", 1e-2), &full(&numbers), by_hand);
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
        b.iter(|| black_box(session.retuned(other.clone()).now().at()));
    });
    group.finish();
}

criterion_group!(benches, chain, nudge);
criterion_main!(benches);
