//! Ten fingers on a panel that reports and is polled 240 times a second,
//! through twenty zones and every kind of gesture; and the same gestures as an
//! engine programmer would write them by hand, with the same limits, but
//! without signs, margins, verdicts and a history to look back at.
//!
//! Both run the same twenty seconds, and must find the same taps, long presses
//! and swipes before anything is measured.

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use gtrig_analysis::{Capacity, Session};
use gtrig_core::{
    AxisInfo, Claim, CleanText, ControlInfo, ControlKind, DeviceInfo, DeviceKind, Event, Gesture,
    GestureKind, Machine, Marks, Nanos, Outline, PanelEdge, PollRate, Rig, Sign, StickCentre,
    SwipeDirections, SwipeFires, Tick, Zone, run,
};
use std::hint::black_box;

const HZ: u64 = 240;
const SECONDS: u64 = 20;
const LAST: Tick = Tick((HZ * SECONDS) as u32);
const FINGERS: usize = 10;
const MM: [f32; 2] = [160.0, 90.0];

fn glass() -> DeviceInfo {
    let place = |code: String, mm: f32| {
        let kind = ControlKind::Position { min: 0, max: (mm * 100.0) as i32 };
        let grain = AxisInfo { resolution: 100, ..AxisInfo::default() };
        ControlInfo { grain, ..ControlInfo::new(&code, kind) }
    };
    let controls = (1..=FINGERS).flat_map(|n| {
        [
            ControlInfo::new(&format!("contact-{n}"), ControlKind::Button),
            place(format!("contact-{n}-x"), MM[0]),
            place(format!("contact-{n}-y"), MM[1]),
        ]
    });
    DeviceInfo {
        identity: "bench".to_owned(),
        kind: DeviceKind::Glass,
        name: CleanText::new("bench"),
        bus: CleanText::default(),
        slot: None,
        controls: controls.collect(),
    }
}

/// Every kind, the several fingers of those that can have them, and twenty
/// zones that share what is on them.
fn rig() -> Rig {
    let mut rig = Rig::bare("bench", PollRate::from_hz(HZ as f64).unwrap());
    let toward = SwipeDirections::FOUR;
    let kinds = [
        (GestureKind::Tap { times: 1 }, 1),
        (GestureKind::Press, 1),
        (GestureKind::Swipe { toward, fires: SwipeFires::Release, from_edge: None }, 1),
        (GestureKind::Tap { times: 2 }, 1),
        (GestureKind::Tap { times: 1 }, 3),
        (
            GestureKind::Swipe {
                toward: SwipeDirections::EIGHT,
                fires: SwipeFires::Passing,
                from_edge: None,
            },
            1,
        ),
        (
            GestureKind::Swipe {
                toward,
                fires: SwipeFires::Passing,
                from_edge: Some(PanelEdge::Left),
            },
            1,
        ),
        (GestureKind::Drag, 1),
        (GestureKind::Drag, 2),
        (GestureKind::Pinch, 2),
        (GestureKind::Rotate, 2),
        (GestureKind::Stick(StickCentre::Floating), 1),
        (GestureKind::Stick(StickCentre::Following), 1),
        (GestureKind::Aim { origin: [0.5, 0.5] }, 1),
        (GestureKind::Sign { sign: gtrig_core::SignId(0) }, 1),
    ];
    let gesture = |(n, (kind, fingers)): (usize, (GestureKind, u8))| Gesture {
        fingers,
        limits: kind.defaults(fingers),
        ..Gesture::new(&format!("g{n}"), kind)
    };
    rig.gestures = kinds.into_iter().enumerate().map(gesture).collect();
    let hook = vec![[0.0, 0.0], [0.0, 20.0], [10.0, 20.0]];
    rig.signs = vec![Sign { name: "hook".to_owned(), examples: vec![hook] }];
    rig.zones = zones()
        .into_iter()
        .map(|[x, y, w, h]| {
            let outline = Outline::Rect { at: [x, y], size: [w, h] };
            Zone { claim: Claim::Share, follows: true, ..Zone::new("z", outline) }
        })
        .collect();
    rig
}

fn zones() -> Vec<[f32; 4]> {
    (0..20).map(|n| [n as f32 / 25.0, (n % 4) as f32 / 5.0, 0.2, 0.4]).collect()
}

/// Ten fingers that tap, rest, swipe and wander, each at its own beat.
fn events(session: &Session) -> Vec<Event> {
    let device = session.roster().devices().next().unwrap().1;
    let controls: Vec<_> = device.controls().collect();
    let mut events = Vec::new();
    for step in 0..HZ * SECONDS {
        let time = Nanos(1_000_000 + step * 1_000_000_000 / HZ);
        for finger in 0..FINGERS {
            let beat = 150 + 17 * finger as u64;
            let (stroke, at) =
                ((step + 31 * finger as u64) / beat, (step + 31 * finger as u64) % beat);
            let lasts = match stroke % 3 {
                0 => 20,
                1 => 130,
                _ => 60,
            };
            if at > lasts {
                continue;
            }
            let share = at as f32 / lasts as f32;
            let gone = share * share * share * (10.0 - 15.0 * share + 6.0 * share * share);
            let reach = [0.5, 0.0, 30.0][stroke as usize % 3];
            let angle = stroke as f32 * 1.3 + finger as f32;
            let shake = (step as f32 * 0.7 + finger as f32).sin() * 0.1;
            let x = 40.0 + 8.0 * finger as f32 + reach * gone * angle.cos() + shake;
            let y = 45.0 + reach * gone * angle.sin() + shake;
            let mut say = |part: usize, value: i32| {
                let control = controls[3 * finger + part];
                events.push(Event { time, value, control, marks: Marks::empty() });
            };
            if at == lasts {
                say(0, 0);
                continue;
            }
            say(1, (x * 100.0) as i32);
            say(2, (y * 100.0) as i32);
            if at == 0 {
                say(0, 1);
            }
        }
    }
    events
}

/// One finger, as a loop by hand keeps it.
#[derive(Clone, Copy, Default)]
struct Finger {
    down: bool,
    was_down: bool,
    at: [f32; 2],
    start: [f32; 2],
    landed: f64,
    moved: f32,
    has_pressed: bool,
    has_swiped: bool,
    time: f64,
    centre: [f32; 2],
    last_tap: f64,
    zones: u32,
}

#[derive(Default)]
struct ByHand {
    fingers: [Finger; FINGERS],
    taps: u32,
    presses: u32,
    swipes: u32,
    others: u32,
    out: f32,
}

impl ByHand {
    fn event(&mut self, event: &Event) {
        // Presence is control 0.
        let (finger, part) = ((event.control.index() - 1) / 3, (event.control.index() - 1) % 3);
        let finger = &mut self.fingers[finger];
        finger.time = event.time.0 as f64 / 1e6;
        match part {
            0 => finger.down = event.value != 0,
            1 => finger.at[0] = event.value as f32 / 100.0,
            _ => finger.at[1] = event.value as f32 / 100.0,
        }
    }

    fn tick(&mut self, now: f64, zones: &[[f32; 4]]) {
        for n in 0..FINGERS {
            let mut finger = self.fingers[n];
            let [dx, dy] = [finger.at[0] - finger.start[0], finger.at[1] - finger.start[1]];
            let way = (dx * dx + dy * dy).sqrt();
            match (finger.was_down, finger.down) {
                (false, true) => {
                    (finger.start, finger.centre, finger.landed) =
                        (finger.at, finger.at, finger.time);
                    (finger.moved, finger.has_pressed, finger.has_swiped) = (0.0, false, false);
                }
                (true, true) => self.held(&mut finger, way, [dx, -dy], now),
                (true, false) => self.lifted(&mut finger, way, [dx, -dy]),
                (false, false) => continue,
            }
            finger.zones = 0;
            for (z, [x, y, w, h]) in zones.iter().enumerate() {
                let [px, py] = [finger.at[0] / MM[0], finger.at[1] / MM[1]];
                if finger.down && px >= *x && px < x + w && py >= *y && py < y + h {
                    finger.zones |= 1 << z;
                }
            }
            finger.was_down = finger.down;
            self.fingers[n] = finger;
        }
        self.pairs();
    }

    fn held(&mut self, finger: &mut Finger, way: f32, [x, y]: [f32; 2], now: f64) {
        finger.moved = finger.moved.max(way);
        if !finger.has_pressed && finger.moved <= 3.0 && now - finger.landed >= 500.0 {
            finger.has_pressed = true;
            self.presses += 1;
        }
        // A swipe of eight directions, on passing its length.
        let off = (y.atan2(x).to_degrees() / 45.0).rem_euclid(1.0);
        let off = off.min(1.0 - off) * 45.0;
        let is_in_time = finger.time - finger.landed <= 500.0;
        if !finger.has_swiped && way >= 15.0 && off <= 30.0 && is_in_time {
            finger.has_swiped = true;
            self.others += 1;
        }
        // A drag, a floating and a following stick, an aim.
        if way >= 2.0 {
            self.out += x / 20.0;
        }
        self.out += (x / 12.0).clamp(-1.0, 1.0);
        let [cx, cy] = [finger.at[0] - finger.centre[0], finger.at[1] - finger.centre[1]];
        let far = (cx * cx + cy * cy).sqrt();
        if far > 12.0 {
            finger.centre[0] += cx * (far - 12.0) / far;
            finger.centre[1] += cy * (far - 12.0) / far;
        }
        self.out += cx / 12.0;
        let [ax, ay] = [finger.at[0] - 80.0, finger.at[1] - 45.0];
        let far = (ax * ax + ay * ay).sqrt();
        if far >= 2.0 {
            self.out += ax / far;
        }
    }

    fn lifted(&mut self, finger: &mut Finger, way: f32, [x, y]: [f32; 2]) {
        let held = finger.time - finger.landed;
        if finger.moved <= 3.0 && held >= 500.0 && !finger.has_pressed {
            self.presses += 1;
        }
        if finger.moved <= 3.0 && held <= 250.0 {
            self.taps += 1;
            if finger.landed - finger.last_tap <= 250.0 {
                self.others += 1;
            }
            finger.last_tap = finger.time;
        }
        let off = (y.atan2(x).to_degrees() / 90.0).rem_euclid(1.0);
        let off = off.min(1.0 - off) * 90.0;
        if way >= 15.0 && held <= 500.0 && off <= 30.0 {
            self.swipes += 1;
        }
    }

    /// Pinch, rotation and pan of the first two fingers that are down.
    fn pairs(&mut self) {
        let mut down = self.fingers.iter().filter(|finger| finger.down);
        if let (Some(a), Some(b)) = (down.next(), down.next()) {
            let line = |p: [f32; 2], q: [f32; 2]| [q[0] - p[0], q[1] - p[1]];
            let (was, is) = (line(a.start, b.start), line(a.at, b.at));
            let length = |v: [f32; 2]| (v[0] * v[0] + v[1] * v[1]).sqrt();
            let (was_long, is_long) = (length(was), length(is));
            if (is_long - was_long).abs() >= 2.0 {
                self.out += (is_long.max(1.0) / was_long.max(1.0)).ln();
            }
            let turn = (was[1] * is[0] - was[0] * is[1]).atan2(was[0] * is[0] + was[1] * is[1]);
            if turn.to_degrees().abs() >= 6.0 {
                self.out += turn;
            }
            self.out += (a.at[0] - a.start[0] + b.at[0] - b.start[0]) / 40.0;
        }
    }

    fn run(&mut self, session: &Session, events: &[Event], zones: &[[f32; 4]]) {
        let rate = session.plan().rate();
        let mut used = 0;
        for tick in 0..=LAST.0 {
            let now = rate.time_of(Tick(tick));
            while let Some(event) = events.get(used).filter(|event| event.time <= now) {
                self.event(event);
                used += 1;
            }
            self.tick(now.0 as f64 / 1e6, zones);
        }
    }
}

fn session(rig: Rig) -> Session {
    let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
    session.plug(glass(), Nanos(0)).unwrap();
    session.run_until(Tick(0));
    session
}

/// Both must find the same, or the comparison means nothing.
fn check(session: &Session, events: &[Event]) {
    let mut hand = ByHand::default();
    hand.run(session, events, &zones());
    let mut machine = session.now().clone();
    machine.fit(session.plan());
    let mut fired = [0; 3];
    run(&mut machine, session.plan(), events, LAST, |machine| {
        for verdict in machine.verdicts() {
            if let Some(count) = fired.get_mut(verdict.gesture.index()) {
                *count += u32::from(verdict.fired.is_some());
            }
        }
    });
    // A press that goes on has no verdict yet.
    let going = machine.candidates(session.plan());
    fired[1] +=
        going.iter().filter(|c| c.gesture == gtrig_core::GestureId(1) && c.has_fired).count()
            as u32;
    assert_eq!(fired, [hand.taps, hand.presses, hand.swipes]);
    assert!(fired.iter().all(|count| *count > 20), "{fired:?}");
}

fn bench(c: &mut Criterion) {
    let session = session(rig());
    let events = events(&session);
    check(&session, &events);
    let mut fresh = session.now().clone();
    fresh.fit(session.plan());
    let mut group = c.benchmark_group("touch");
    group.throughput(Throughput::Elements(u64::from(LAST.0)));
    group.bench_function("gtrig", |b| {
        let mut machine = fresh.clone();
        b.iter(|| {
            machine.clone_from(&fresh);
            machine.fit(session.plan());
            let mut fired = 0;
            run(&mut machine, session.plan(), &events, LAST, |m| fired += m.verdicts().len());
            black_box(fired)
        });
    });
    group.bench_function("by hand", |b| {
        let zones = zones();
        b.iter(|| {
            let mut hand = ByHand::default();
            hand.run(&session, &events, &zones);
            black_box((hand.taps, hand.others, hand.out, hand.fingers[0].zones))
        });
    });
    idle(&mut group, &fresh, &session);
    group.finish();
}

/// As many ticks with nobody near the panel: what gestures cost that nobody
/// attempts.
fn idle(
    group: &mut criterion::BenchmarkGroup<criterion::measurement::WallTime>,
    fresh: &Machine,
    session: &Session,
) {
    let device = session.roster().devices().next().unwrap().1;
    let first = device.controls().next().unwrap();
    // A contact that says again and again that it is up keeps the ticks from being
    // jumped over.
    let events: Vec<Event> = (0..HZ * SECONDS)
        .map(|step| Event {
            time: Nanos(1_000_000 + step * 1_000_000_000 / HZ),
            value: 0,
            control: first,
            marks: Marks::empty(),
        })
        .collect();
    group.bench_function("nobody touches it", |b| {
        let mut machine = fresh.clone();
        b.iter(|| {
            machine.clone_from(fresh);
            machine.fit(session.plan());
            run(&mut machine, session.plan(), &events, LAST, |m| {
                black_box(m.at());
            })
        });
    });
}

criterion_group!(benches, bench);
criterion_main!(benches);
