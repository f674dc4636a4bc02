//! A thousand combos over the buttons of a pad polled a thousand times a second;
//! and the same combos as an engine programmer would write them by hand, as a list
//! of state machines of which each looks at every press.
//!
//! Both run the same minute of presses, and must fire the same combos at the same
//! instants before anything is measured.

use criterion::{BatchSize, Criterion, Throughput, criterion_group, criterion_main};
use gtrig_analysis::{Capacity, Session};
use gtrig_core::{
    CleanText, Combo, ComboStep, ControlInfo, ControlKind, ControlRef, DeviceInfo, DeviceKind,
    Event, Machine, Marks, Nanos, PollRate, Rig, Signal, SignalId, StepKind, Thresholds, Tick,
    TimeSpan,
};
use std::hint::black_box;

const COMBOS: usize = 1000;
const BUTTONS: usize = 12;
const SECONDS: u64 = 60;

/// Numbers that look drawn by lot, the same in every run.
struct Lot(u64);

impl Lot {
    fn next(&mut self, below: u64) -> u64 {
        self.0 =
            self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % below
    }
}

fn pad() -> DeviceInfo {
    let button = |n| ControlInfo::new(&format!("b{n}"), ControlKind::Button);
    DeviceInfo {
        identity: "bench".to_owned(),
        kind: DeviceKind::Other,
        name: CleanText::new("bench"),
        bus: CleanText::default(),
        slot: None,
        controls: (0..BUTTONS).map(button).collect(),
    }
}

/// Combos of two to five presses, each within 150 to 450 ms of the one before.
fn combos() -> Vec<Combo> {
    let mut lot = Lot(7);
    let combo = |n| {
        let steps = 2 + lot.next(4);
        let step = |_| {
            let button = SignalId(lot.next(BUTTONS as u64) as u16);
            ComboStep::new(StepKind::press(button), TimeSpan::millis(150 + 50 * lot.next(7)))
        };
        Combo::new(&format!("c{n}"), (0..steps).map(step).collect())
    };
    (0..COMBOS).map(combo).collect()
}

fn rig(combos: Vec<Combo>) -> Rig {
    let signal = |n| Signal::Control {
        control: ControlRef { kind: DeviceKind::Other, number: None, code: format!("b{n}") },
        thresholds: Thresholds { press_at: 0.5, release_at: 0.5 },
    };
    let signals = (0..BUTTONS).map(signal).collect();
    Rig { combos, signals, ..Rig::bare("bench", PollRate::from_hz(1000.0).unwrap()) }
}

fn session(combos: Vec<Combo>) -> Session {
    let mut session = Session::new(rig(combos), Tick(0), Capacity::DEFAULT);
    session.plug(pad(), Nanos(0)).unwrap();
    session
}

/// Fast hands: a press every 60 to 160 ms, held for 40 ms.
fn presses() -> Vec<(u64, usize)> {
    let mut lot = Lot(3);
    let mut at = 100;
    let mut presses = Vec::new();
    while at < SECONDS * 1000 {
        presses.push((at, lot.next(BUTTONS as u64) as usize));
        at += 60 + lot.next(100);
    }
    presses
}

fn events(session: &Session) -> Vec<Event> {
    let (_, device) = session.roster().devices().next().unwrap();
    let controls: Vec<_> = device.controls().collect();
    let event = |ms: u64, value, button: usize| Event {
        time: Nanos::from_millis(ms),
        value,
        control: controls[button],
        marks: Marks::empty(),
    };
    let both = presses().into_iter();
    let both = both.flat_map(|(at, button)| [event(at, 1, button), event(at + 40, 0, button)]);
    let mut events: Vec<Event> = both.collect();
    events.sort_by_key(|event| event.time);
    events
}

/// A combo as a state machine of its own: for each step the latest moment at which
/// it was met, and by an attempt that began when.
#[derive(Clone)]
struct ByHand {
    steps: Vec<(usize, u64)>,
    met: Vec<Option<(u64, u64)>>,
    spent: u64,
}

impl ByHand {
    fn new(combo: &Combo) -> Self {
        let step = |step: &ComboStep| match (&step.what, step.within) {
            (StepKind::Press(of), TimeSpan::Time(within)) => (of[0].index(), within),
            _ => unreachable!(),
        };
        let steps: Vec<_> = combo.steps.iter().map(step).collect();
        ByHand { met: vec![None; steps.len()], steps, spent: 0 }
    }

    /// Returns whether it fires.
    fn press(&mut self, button: usize, now: u64) -> bool {
        let mut fires = false;
        for n in (0..self.steps.len()).rev() {
            let (wanted, within) = self.steps[n];
            if wanted != button {
                continue;
            }
            let began = match n.checked_sub(1) {
                None => Some(now),
                Some(before) => {
                    self.met[before].filter(|(at, _)| now - at <= within).map(|(_, began)| began)
                }
            };
            let Some(began) = began else { continue };
            self.met[n] = Some((now, began));
            if n + 1 == self.steps.len() && began > self.spent {
                self.spent = now;
                fires = true;
            }
        }
        fires
    }

    /// Goes back to idle when nothing can come of what was met any more.
    fn time_out(&mut self, now: u64) {
        for n in 0..self.steps.len() - 1 {
            if let Some((at, _)) = self.met[n]
                && now - at > self.steps[n + 1].1
            {
                self.met[n] = None;
            }
        }
    }
}

fn fired_by_hand(list: &mut [ByHand]) -> Vec<(u64, usize)> {
    let mut fired = Vec::new();
    for (at, button) in presses() {
        for (n, machine) in list.iter_mut().enumerate() {
            if machine.press(button, at * 1_000_000) {
                fired.push((at * 1_000_000, n));
            }
        }
    }
    fired
}

fn check_that_both_agree() {
    let mut session = session(combos());
    for event in events(&session) {
        session.report(event);
    }
    session.run_before(Nanos::from_millis(SECONDS * 1000 + 1000));
    let news = session.history().combo_news().iter();
    let mut ours: Vec<_> = news.map(|n| (n.met.time.0, n.combo.index())).collect();
    let mut list: Vec<ByHand> = combos().iter().map(ByHand::new).collect();
    let mut theirs = fired_by_hand(&mut list);
    ours.sort_unstable();
    theirs.sort_unstable();
    assert!(ours.len() > 50, "{} fired: too few to say anything", ours.len());
    assert_eq!(ours, theirs);
}

/// A machine in the middle of the minute, and the events after it.
fn warm(session: &Session) -> (Machine, Vec<Event>) {
    let mut machine = Machine::new(session.plan(), Tick(0));
    let all = events(session);
    // That the pad is there.
    let here: Vec<Event> = session.recording().events().collect();
    machine.tick(session.plan(), Nanos(0), &here);
    let (before, after) = all.split_at(all.len() / 2);
    for event in before {
        machine.tick(session.plan(), event.time, std::slice::from_ref(event));
    }
    (machine, after.to_vec())
}

fn combo(c: &mut Criterion) {
    check_that_both_agree();
    let mut group = c.benchmark_group("combo");
    for (name, combos) in [("1000 combos", combos()), ("no combos", Vec::new())] {
        let session = session(combos);
        let (machine, after) = warm(&session);
        let edges = after.len();
        // One tick for each edge, and as many in which nothing happens.
        group.throughput(Throughput::Elements(edges as u64));
        group.bench_function(format!("edge/{name}"), |b| {
            let run = |mut machine: Machine| {
                for event in &after {
                    machine.tick(session.plan(), event.time, std::slice::from_ref(event));
                }
                machine
            };
            b.iter_batched(|| machine.clone(), run, BatchSize::SmallInput);
        });
        group.bench_function(format!("quiet/{name}"), |b| {
            let now = after[0].time;
            let run = |mut machine: Machine| {
                for _ in 0..edges {
                    machine.tick(session.plan(), black_box(now), &[]);
                }
                machine
            };
            b.iter_batched(|| machine.clone(), run, BatchSize::SmallInput);
        });
    }
    let list: Vec<ByHand> = combos().iter().map(ByHand::new).collect();
    let presses = presses();
    let (_, presses) = presses.split_at(presses.len() / 2);
    group.throughput(Throughput::Elements(2 * presses.len() as u64));
    group.bench_function("edge/by hand", |b| {
        let run = |mut list: Vec<ByHand>| {
            for &(at, button) in presses {
                // A release is an edge too, which costs a list of presses nothing.
                for machine in &mut list {
                    black_box(machine.press(button, at * 1_000_000));
                }
            }
            list
        };
        b.iter_batched(|| list.clone(), run, BatchSize::SmallInput);
    });
    group.bench_function("quiet/by hand", |b| {
        let run = |mut list: Vec<ByHand>| {
            for now in 0..2 * presses.len() as u64 {
                for machine in &mut list {
                    machine.time_out(black_box(now));
                }
            }
            list
        };
        b.iter_batched(|| list.clone(), run, BatchSize::SmallInput);
    });
    group.finish();
}

criterion_group!(benches, combo);
criterion_main!(benches);
