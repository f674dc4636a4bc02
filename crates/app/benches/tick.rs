//! One tick of the demo rig, against the same rig written by hand: as the plain loop an
//! engine programmer would write, and as the quickest one, which looks at nothing that has
//! not moved, and knows the main device and whether an action is open. And once more as a game
//! runs the rig: told by handles, frame by frame.
//!
//! All run the same sixty seconds of the simulated cab and are checked to give the same
//! actions before anything is measured.

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use gtrig::{commands, files};
use gtrig_analysis::Session;
use gtrig_core::{DeviceId, Event, InputSpec, Machine, Marks, Nanos, Presence, Rig, Tick, run};
use gtrig_embed::{Control, Input};
use std::hint::black_box;

const SECONDS: u64 = 60;
const LAST: Tick = Tick(60 * SECONDS as u32);

/// The demo rig by hand: every control it needs by name, no tables.
struct ByHand {
    ids: Ids,
    raw: Vec<i32>,
    before: Vec<i32>,
    presses: Vec<u16>,
    order: Vec<u32>,
    device_of: Vec<u16>,
    present: Vec<bool>,
    presence: Vec<bool>,
    is_button: Vec<bool>,
    ordered: u32,
    lost: u64,
    edges: u64,
    slew: [f32; 2],
    hoist: f32,
    grip: bool,
    pulled: [bool; 2],
    horn: bool,
    brake: bool,
    camera: f32,
    walk: f32,
    touch: bool,
    /// Whether to look at every button in every tick, and at every action.
    scans: bool,
    /// The actions that each control feeds, a bit each.
    feeds: Vec<u16>,
    /// Where each control rests.
    rest: Vec<i32>,
    /// The buttons that moved in this tick, and the actions that may have.
    moved: Vec<usize>,
    due: u16,
    /// What acted last, and the actions that are open.
    main: u16,
    open: u16,
}

const SLEW: u16 = 1;
const HOIST: u16 = 2;
const GRIP: u16 = 4;
const HORN: u16 = 8;
const BRAKE: u16 = 16;
const CAMERA: u16 = 32;
const WALK: u16 = 64;
const TOUCH: u16 = 128;

struct Ids {
    stick_l: [[usize; 2]; 2],
    stick_r_y: [usize; 2],
    trigger_r: [usize; 2],
    south: [usize; 2],
    east: [usize; 2],
    dpad: [[usize; 2]; 2],
    shoulder: [[usize; 2]; 2],
    lever: usize,
    thumb: usize,
    keys: [usize; 12],
    contact: usize,
    /// Every button of the rig, for edges and lost presses.
    buttons: Vec<usize>,
}

fn ids(session: &Session) -> Ids {
    let find = |address: &str| {
        let roster = session.roster();
        let (device, code) = address.split_once('/').unwrap();
        let (_, device) =
            roster.devices().find(|(_, d)| d.address().to_string() == device).unwrap();
        device.control(code).unwrap().index()
    };
    let pads = |code: &str| [find(&format!("pad1/{code}")), find(&format!("pad2/{code}"))];
    let both = |a: &str, b: &str| {
        let (a, b) = (pads(a), pads(b));
        [[a[0], b[0]], [a[1], b[1]]]
    };
    let keys = [
        "KeyA",
        "KeyD",
        "KeyW",
        "KeyS",
        "KeyF",
        "KeyR",
        "KeyG",
        "KeyH",
        "Space",
        "KeyQ",
        "KeyE",
        "ArrowLeft",
    ]
    .map(|code| find(&format!("keys/{code}")));
    let mut ids = Ids {
        stick_l: both("stick-l-x", "stick-l-y"),
        stick_r_y: pads("stick-r-y"),
        trigger_r: pads("trigger-r"),
        south: pads("south"),
        east: pads("east"),
        dpad: both("dpad-left", "dpad-right"),
        shoulder: both("shoulder-l", "shoulder-r"),
        lever: find("lever3/travel"),
        thumb: find("lever3/thumb"),
        keys,
        contact: find("glass/contact-1"),
        buttons: Vec::new(),
    };
    ids.buttons.extend(ids.south.iter().chain(&ids.east).chain(&ids.keys));
    ids.buttons.extend(ids.dpad.as_flattened().iter().chain(ids.shoulder.as_flattened()));
    ids.buttons.extend([ids.thumb, ids.contact, find("keys/ArrowRight")]);
    ids
}

fn axis(raw: i32, min: i32, centre: i32, max: i32) -> f32 {
    let side = if raw < centre { centre - min } else { max - centre };
    ((raw - centre) as f32 / side as f32).clamp(-1.0, 1.0)
}

fn dead_zone(v: f32, inner: f32) -> f32 {
    if v.abs() <= inner { 0.0 } else { ((v.abs() - inner) / (1.0 - inner)).copysign(v) }
}

fn stronger(a: f32, b: f32) -> f32 {
    if b * b > a * a { b } else { a }
}

/// The actions that each of so many controls feeds.
fn feeds(ids: &Ids, controls: usize) -> Vec<u16> {
    let mut feeds = vec![0; controls];
    let [a, d, w, s, f, r, g, h, space, q, e, left] = ids.keys;
    let right = ids.buttons[ids.buttons.len() - 1];
    let mut feed = |of: &[usize], action| of.iter().for_each(|&id| feeds[id] |= action);
    feed(ids.stick_l.as_flattened(), SLEW);
    feed(&[a, d, w, s], SLEW);
    feed(&ids.stick_r_y, HOIST);
    feed(&[ids.lever, f, r], HOIST);
    feed(&ids.trigger_r, GRIP);
    feed(&[g], GRIP);
    feed(&ids.south, HORN);
    feed(&[h, ids.thumb], HORN);
    feed(&ids.east, BRAKE);
    feed(&[space], BRAKE);
    feed(ids.dpad.as_flattened(), CAMERA);
    feed(&[q, e], CAMERA);
    feed(ids.shoulder.as_flattened(), WALK);
    feed(&[left, right], WALK);
    feed(&[ids.contact], TOUCH);
    feeds
}

impl ByHand {
    fn new(session: &Session, scans: bool) -> Self {
        let controls = session.roster().controls();
        let n = controls.len();
        let rest: Vec<i32> = controls.iter().map(|c| c.kind.rest()).collect();
        let ids = ids(session);
        ByHand {
            scans,
            feeds: feeds(&ids, n),
            rest: rest.clone(),
            moved: Vec::with_capacity(64),
            due: u16::MAX,
            main: 0,
            open: u16::MAX,
            ids,
            raw: rest.clone(),
            before: rest,
            presses: vec![0; n],
            order: vec![0; n],
            device_of: controls.iter().map(|c| c.device.0).collect(),
            present: vec![false; session.roster().devices().len()],
            presence: controls.iter().map(|c| c.is_presence).collect(),
            is_button: controls.iter().map(|c| c.kind.is_button()).collect(),
            ordered: 0,
            lost: 0,
            edges: 0,
            slew: [0.0; 2],
            hoist: 0.0,
            grip: false,
            pulled: [false; 2],
            horn: false,
            brake: false,
            camera: 0.0,
            walk: 0.0,
            touch: false,
        }
    }

    fn tick(&mut self, events: &[Event]) {
        match self.scans {
            true => self.tick_of_all(events),
            false => self.tick_of_moved(events),
        }
    }

    /// A tick that looks at nothing that has not moved.
    fn tick_of_moved(&mut self, events: &[Event]) {
        // A press is one for a tick.
        self.due |= BRAKE * u16::from(self.brake);
        for id in self.moved.drain(..) {
            self.before[id] = self.raw[id];
        }
        for event in events {
            let id = event.control.index();
            let device = self.device_of[id];
            if self.presence[id] {
                self.present[usize::from(device)] = event.value == Presence::Here.value();
                continue;
            }
            if !self.present[usize::from(device)] || event.marks.contains(Marks::REPEAT) {
                continue;
            }
            if self.is_button[id] {
                if event.value != 0 && self.raw[id] == 0 {
                    self.presses[id] += 1;
                    self.ordered += 1;
                    self.order[id] = self.ordered;
                    self.main = device;
                }
                if self.feeds[id] != 0 && !self.moved.contains(&id) {
                    self.moved.push(id);
                }
            } else if (event.value - self.rest[id]).unsigned_abs() > 8_192 {
                self.main = device;
            }
            self.raw[id] = event.value;
            self.due |= self.feeds[id];
        }
        for &id in &self.moved {
            let (was, is) = (self.before[id] != 0, self.raw[id] != 0);
            self.edges += u64::from(was != is);
            self.lost +=
                u64::from(self.presses[id] - u16::from(is && !was && self.presses[id] > 0));
            self.presses[id] = 0;
        }
        if self.due != 0 {
            self.actions();
            self.due = 0;
        }
    }

    fn tick_of_all(&mut self, events: &[Event]) {
        self.before.copy_from_slice(&self.raw);
        for event in events {
            let id = event.control.index();
            let device = usize::from(self.device_of[id]);
            if self.presence[id] {
                self.present[device] = event.value == Presence::Here.value();
                continue;
            }
            if !self.present[device] || event.marks.contains(Marks::REPEAT) {
                continue;
            }
            if self.is_button[id] && event.value != 0 && self.raw[id] == 0 {
                self.presses[id] += 1;
                self.ordered += 1;
                self.order[id] = self.ordered;
            }
            self.raw[id] = event.value;
        }
        for &id in &self.ids.buttons {
            let (was, is) = (self.before[id] != 0, self.raw[id] != 0);
            self.edges += u64::from(was != is);
            self.lost +=
                u64::from(self.presses[id] - u16::from(is && !was && self.presses[id] > 0));
            self.presses[id] = 0;
        }
        self.actions();
    }

    fn down(&self, id: usize) -> bool {
        self.raw[id] != 0
    }

    fn pressed(&self, id: usize) -> bool {
        self.raw[id] != 0 && self.before[id] == 0
    }

    fn pair(&self, negative: usize, positive: usize, last_wins: bool) -> f32 {
        match (self.down(negative), self.down(positive)) {
            (false, false) => 0.0,
            (true, false) => -1.0,
            (false, true) => 1.0,
            (true, true) if !last_wins => 0.0,
            (true, true) if self.order[negative] > self.order[positive] => -1.0,
            (true, true) => 1.0,
        }
    }

    fn actions(&mut self) {
        let due = (if self.scans { u16::MAX } else { self.due }) & self.open;
        if due & SLEW != 0 {
            self.slew();
        }
        if due & HOIST != 0 {
            self.hoist();
        }
        let [.., g, h, space, q, e, left] = self.ids.keys;
        let right = self.ids.buttons[self.ids.buttons.len() - 1];
        if due & GRIP != 0 {
            for (pulled, &id) in self.pulled.iter_mut().zip(&self.ids.trigger_r) {
                let travel = self.raw[id] as f32 / 255.0;
                *pulled = travel >= 0.6 || (*pulled && travel >= 0.4);
            }
            self.grip = self.pulled.contains(&true) || self.down(g);
        }
        if due & HORN != 0 {
            self.horn = self.ids.south.iter().any(|&id| self.down(id))
                || self.down(h)
                || self.down(self.ids.thumb);
        }
        if due & BRAKE != 0 {
            self.brake = self.ids.east.iter().any(|&id| self.pressed(id)) || self.pressed(space);
        }
        if due & CAMERA != 0 {
            self.camera = self.ids.dpad.iter().fold(self.pair(q, e, true), |v, pad| {
                stronger(v, self.pair(pad[0], pad[1], false))
            });
        }
        if due & WALK != 0 {
            self.walk = self.ids.shoulder.iter().fold(self.pair(left, right, true), |v, pad| {
                stronger(v, self.pair(pad[0], pad[1], false))
            });
        }
        if due & TOUCH != 0 {
            self.touch = self.down(self.ids.contact);
        }
    }

    fn slew(&mut self) {
        let [a, d, w, s, ..] = self.ids.keys;
        let cross = [self.pair(a, d, true), self.pair(s, w, true)];
        let mut slew = [0.0, 0.0];
        let mut best = 0.0;
        for stick in self.ids.stick_l {
            let x = axis(self.raw[stick[0]], -32768, 0, 32767);
            let y = -axis(self.raw[stick[1]], -32768, 0, 32767);
            let len = (x * x + y * y).sqrt();
            if len <= 0.12 {
                continue;
            }
            let scale = (len - 0.12) / ((1.0 - 0.12) * len);
            let v = hold([x * scale, y * scale]);
            if v[0] * v[0] + v[1] * v[1] > best {
                best = v[0] * v[0] + v[1] * v[1];
                slew = v;
            }
        }
        let v = hold(cross);
        if v[0] * v[0] + v[1] * v[1] > best {
            slew = v;
        }
        self.slew = slew;
    }

    fn hoist(&mut self) {
        let [_, _, _, _, f, r, ..] = self.ids.keys;
        let lever = dead_zone(axis(self.raw[self.ids.lever], 0, 2048, 4095), 0.08);
        self.hoist = self.ids.stick_r_y.iter().fold(lever, |hoist, &y| {
            stronger(hoist, dead_zone(-axis(self.raw[y], -32768, 0, 32767), 0.12))
        });
        self.hoist = stronger(self.hoist, self.pair(f, r, false));
    }

    fn outputs(&self) -> [f32; 9] {
        let on = |b: bool| f32::from(u8::from(b));
        [
            self.slew[0],
            self.slew[1],
            self.hoist,
            on(self.grip),
            on(self.horn),
            on(self.brake),
            self.camera,
            self.walk,
            on(self.touch),
        ]
    }

    fn run(&mut self, session: &Session, events: &[Event], mut after: impl FnMut(u32, &Self)) {
        let rate = session.plan().rate();
        let mut used = 0;
        for tick in 0..=LAST.0 {
            let now = rate.time_of(Tick(tick));
            let here = events[used..].iter().take_while(|e| e.time <= now).count();
            self.tick(&events[used..used + here]);
            used += here;
            after(tick, self);
        }
    }
}

fn hold([x, y]: [f32; 2]) -> [f32; 2] {
    let len = (x * x + y * y).sqrt();
    if len > 1.0 { [x / len, y / len] } else { [x, y] }
}

/// What a game says before a frame.
enum Told {
    /// A device reported these.
    Values(Nanos, Vec<(Control, i32)>),
    /// A device can be heard, or no longer.
    Presence(Nanos, DeviceId, Presence),
}

impl Told {
    fn time(&self) -> Nanos {
        match self {
            Told::Values(time, _) | Told::Presence(time, ..) => *time,
        }
    }
}

/// The same devices and reports, as a game tells them to what it embeds.
struct InGame {
    fresh: Input,
    told: Vec<Told>,
}

impl InGame {
    fn new(rig: Rig, session: &Session, events: &[Event]) -> Self {
        let roster = session.roster();
        let mut fresh = Input::new(rig);
        for (_, device) in roster.devices() {
            fresh.plug(device.info.clone(), Nanos(0)).unwrap();
        }
        let mut told: Vec<Told> = Vec::new();
        for event in events {
            let control = roster.control(event.control);
            if control.is_presence {
                let presence = Presence::from_value(event.value);
                told.push(Told::Presence(event.time, control.device, presence));
                continue;
            }
            let value = (fresh.control_at(event.control.index()).unwrap(), event.value);
            match told.last_mut() {
                Some(Told::Values(time, values)) if *time == event.time => values.push(value),
                _ => told.push(Told::Values(event.time, vec![value])),
            }
        }
        InGame { fresh, told }
    }

    /// All of it again, so much later.
    fn run(
        &self,
        session: &Session,
        input: &mut Input,
        later: u64,
        mut after: impl FnMut(u32, &Input),
    ) {
        let rate = session.plan().rate();
        let at = |time: Nanos| Nanos(time.0 + later);
        let mut told = self.told.iter().peekable();
        for tick in 0..=LAST.0 {
            let now = rate.time_of(Tick(tick));
            while let Some(told) = told.next_if(|told| told.time() <= now) {
                match told {
                    Told::Values(time, values) => input.feed(at(*time), values),
                    Told::Presence(time, device, to) => {
                        input.set_presence(*device, *to, at(*time));
                    }
                }
            }
            input.frame(at(now));
            after(tick, input);
        }
    }
}

fn outputs_in_game(input: &Input) -> [f32; 9] {
    let a = |n| input.vector(input.action_at(n).unwrap());
    [a(0)[0], a(0)[1], a(1)[0], a(2)[0], a(3)[0], a(4)[0], a(5)[0], a(6)[0], a(7)[0]]
}

fn outputs(machine: &Machine) -> [f32; 9] {
    let a = |n| machine.action(gtrig_core::ActionId(n));
    [a(0).x, a(0).y, a(1).x, a(2).x, a(3).x, a(4).x, a(5).x, a(6).x, a(7).x]
}

/// All ways must agree on every tick, or the comparison means nothing.
fn check(session: &Session, events: &[Event], in_game: &InGame) {
    let mut theirs = Vec::new();
    let mut all = ByHand::new(session, true);
    all.run(session, events, |_, hand| theirs.push(hand.outputs()));
    session.replay(|machine| {
        let hand = theirs[machine.at().0 as usize];
        for (ours, by_hand) in outputs(machine).into_iter().zip(hand) {
            assert!((ours - by_hand).abs() < 1e-6, "tick {}: {ours} {by_hand}", machine.at());
        }
    });
    in_game.run(session, &mut in_game.fresh.clone(), 0, |tick, input| {
        for (ours, by_hand) in outputs_in_game(input).into_iter().zip(theirs[tick as usize]) {
            assert!((ours - by_hand).abs() < 1e-6, "tick {tick} in a game: {ours} {by_hand}");
        }
    });
    let mut moved = ByHand::new(session, false);
    moved.run(session, events, |tick, hand| {
        assert_eq!(hand.outputs(), theirs[tick as usize], "tick {tick}");
    });
    assert_eq!((moved.lost, moved.edges), (all.lost, all.edges));
}

fn bench(c: &mut Criterion) {
    let mut rig = files::rig(None, None).unwrap();
    // The loop by hand does not latch, so neither does the rig here; and it knows
    // no gestures, zones and combos, which have benches of their own.
    rig.edges.clear();
    rig.combos.clear();
    rig.signals.clear();
    rig.gestures.clear();
    rig.zones.clear();
    rig.actions.truncate(8);
    for action in &mut rig.actions {
        action.inputs.retain(|input| match input {
            InputSpec::Pair { negative, .. } => negative.zones.is_empty(),
            _ => true,
        });
    }
    let (session, _) = commands::cab_session(rig.clone(), 1, Nanos(SECONDS * 1_000_000_000));
    let events: Vec<Event> = session.recording().events().collect();
    let in_game = InGame::new(rig, &session, &events);
    check(&session, &events, &in_game);
    let fresh = Machine::new(session.plan(), Tick(0));
    let mut group = c.benchmark_group("tick");
    group.throughput(Throughput::Elements(u64::from(LAST.0)));
    group.bench_function("gtrig", |b| {
        let mut machine = fresh.clone();
        b.iter(|| {
            machine.clone_from(&fresh);
            let mut sum = 0.0;
            run(&mut machine, session.plan(), &events, LAST, |m| {
                sum += m.action(gtrig_core::ActionId(0)).x;
            });
            black_box(sum)
        });
    });
    group.bench_function("in a game", |b| {
        let slew = in_game.fresh.action_at(0).unwrap();
        let (mut input, mut later) = (in_game.fresh.clone(), 0);
        b.iter(|| {
            let mut sum = 0.0;
            in_game.run(&session, &mut input, later, |_, input| sum += input.vector(slew)[0]);
            later += (SECONDS + 1) * 1_000_000_000;
            black_box(sum)
        });
    });
    for (name, scans) in [("by hand", true), ("by hand, what moved", false)] {
        group.bench_function(name, |b| {
            b.iter(|| {
                let mut hand = ByHand::new(&session, scans);
                let mut sum = 0.0;
                hand.run(&session, &events, |_, hand| sum += hand.slew[0]);
                black_box((sum, hand.lost, hand.edges, hand.main))
            });
        });
    }
    group.finish();
}

criterion_group!(benches, bench);
criterion_main!(benches);
