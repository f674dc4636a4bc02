//! The full screen for hours at many times real time: a simulated cab at work, devices
//! that come and go, keys, nudges, saves, recordings and resizes drawn from a seed.
//! `scripts/soak` runs it. Ends with 1 where memory, handles or the time of a frame grow.

use anyhow::{Context, ensure};
use crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};
use gtrig::{
    files::{self, RigSource},
    screen::{App, Theme, draw},
};
use gtrig_analysis::{Capacity, Session};
use gtrig_core::{
    CleanText, ControlInfo, ControlKind, DeviceId, DeviceInfo, DeviceKind, Event as Report, Marks,
    Nanos, Presence, Tick,
};
use gtrig_sources::{Cab, Source, Terminal, TerminalKeys};
use rand_pcg::Pcg32;
use rand_pcg::rand_core::{Rng, SeedableRng};
use ratatui::{Terminal as Screen, backend::TestBackend};
use std::{
    env, fs,
    time::{Duration, Instant},
};

/// A frame of the screen, in the session's time.
const FRAME: Nanos = Nanos::from_millis(33);

/// The figures are taken so often.
const WINDOWS: u32 = 12;

/// Windows in which the history fills up to its capacity.
const WARM_UP: usize = 4;

/// So much is kept that it is full soon.
const KEPT: Capacity = Capacity { events: 400_000, changes: 400_000 };

/// Keys that a person may press at any time; those that end it, suspend it or open
/// another take are not among them.
const KEYS: &str = "1234567890LB[]mnNeEgG+-ft/jk<>)(lyYuUdDbcaipx";

/// A pad that comes, says something, falls silent and goes.
struct Visitor {
    rng: Pcg32,
    here: Option<DeviceId>,
    next: Nanos,
}

impl Source for Visitor {
    fn drain(&mut self, session: &mut Session, now: Nanos) {
        while self.next <= now {
            let time = self.next;
            self.next = Nanos(time.0 + u64::from(self.rng.next_u32() % 400_000_000));
            match (self.here, self.rng.next_u32() % 40) {
                (None, _) => self.here = session.plug(self.info(), time).ok(),
                (Some(id), 0) => {
                    session.unplug(id, time);
                    self.here = None;
                }
                (Some(id), 1) => session.set_presence(id, Presence::Deaf, time),
                (Some(id), 2) => session.set_presence(id, Presence::Here, time),
                (Some(id), n) => {
                    let controls = session.roster().device(id).controls();
                    if let Some(control) = { controls }.nth(n as usize % 2) {
                        let value = (self.rng.next_u32() % 256) as i32 - 128;
                        let marks = Marks::empty();
                        session.report(Report { time, value, control, marks });
                    }
                }
            }
        }
    }
}

impl Visitor {
    /// One of three, so that each comes back.
    fn info(&mut self) -> DeviceInfo {
        let n = self.rng.next_u32() % 3;
        DeviceInfo {
            identity: format!("visitor-{n}"),
            kind: DeviceKind::Pad,
            name: CleanText::new("Quay visitor pad"),
            bus: CleanText::new("simulated"),
            slot: None,
            controls: vec![
                ControlInfo::new("south", ControlKind::Button),
                ControlInfo::new("stick-l-x", ControlKind::Axis { min: -128, centre: 0, max: 127 }),
            ],
        }
    }
}

/// What is looked at.
#[derive(Clone, Copy, Debug)]
struct Figures {
    hours: f64,
    resident_mib: f64,
    handles: usize,
    threads: usize,
    frame: Duration,
}

struct Soak {
    app: App,
    screen: Screen<TestBackend>,
    rng: Pcg32,
    now: Nanos,
    frames: u64,
    saved: u64,
}

impl Soak {
    fn new(seed: u64) -> anyhow::Result<Self> {
        let mut session = Session::new(files::rig(None, None)?, Tick(0), KEPT);
        let how = TerminalKeys::Inferred(Nanos::from_millis(150));
        let terminal = Terminal::plug(&mut session, how, (160, 47), Nanos(0))?;
        let rng = Pcg32::seed_from_u64(seed ^ 0x5eed);
        let visitor = Visitor { rng, here: None, next: Nanos(0) };
        let sources: Vec<Box<dyn Source>> = vec![Box::new(Cab::at_work(seed)), Box::new(visitor)];
        let mut app = App::live(session, sources, Some(terminal), Theme::new(true));
        app.follow_rig(Some(RigSource::of(None, None)?));
        let screen = Screen::new(TestBackend::new(160, 47))?;
        let rng = Pcg32::seed_from_u64(seed);
        Ok(Soak { app, screen, rng, now: Nanos(0), frames: 0, saved: 0 })
    }

    fn key(&mut self, code: KeyCode, modifiers: KeyModifiers) {
        let event = Event::Key(KeyEvent::new(code, modifiers));
        self.app.event(&event, self.now);
    }

    fn keys(&mut self, text: &str) {
        for c in text.chars() {
            let shift =
                if c.is_ascii_uppercase() { KeyModifiers::SHIFT } else { KeyModifiers::NONE };
            let shift = if "<>()".contains(c) { KeyModifiers::SHIFT } else { shift };
            self.key(KeyCode::Char(c), shift);
        }
    }

    /// Something that a person does, now and then.
    fn act(&mut self) {
        match self.rng.next_u32() % 400 {
            0..8 => {
                let at = self.rng.next_u32() as usize % KEYS.len();
                self.keys(&KEYS[at..=at]);
            }
            8 => {
                let (w, h) = (60 + self.rng.next_u32() % 140, 15 + self.rng.next_u32() % 50);
                self.screen.backend_mut().resize(w as u16, h as u16);
            }
            9 => self.screen.backend_mut().resize(160, 47),
            10..14 => self.calm_down(),
            14 => self.write("s"),
            15 => self.write("r"),
            16 => {
                let at = self.rng.next_u32() % 160;
                let event = crossterm::event::MouseEvent {
                    kind: crossterm::event::MouseEventKind::Down(
                        crossterm::event::MouseButton::Left,
                    ),
                    column: at as u16,
                    row: (self.rng.next_u32() % 47) as u16,
                    modifiers: KeyModifiers::NONE,
                };
                self.app.event(&Event::Mouse(event), self.now);
            }
            _ => {}
        }
    }

    /// Back to the live screen, whatever is open, frozen, captured or filtered.
    fn calm_down(&mut self) {
        self.key(KeyCode::Char('g'), KeyModifiers::CONTROL);
        for _ in 0..3 {
            self.key(KeyCode::Esc, KeyModifiers::NONE);
        }
        self.key(KeyCode::End, KeyModifiers::NONE);
    }

    /// Saves or records to a new file; what older ones there are is removed, as a soak
    /// would fill a disk.
    fn write(&mut self, key: &str) {
        self.calm_down();
        self.saved += 1;
        if let Some(old) = self.saved.checked_sub(6) {
            let _ = fs::remove_file(format!("soak-{old}.take.jsonl"));
        }
        self.keys(key);
        self.key(KeyCode::Char('u'), KeyModifiers::CONTROL);
        self.keys(&format!("soak-{}.take.jsonl", self.saved));
        self.key(KeyCode::Enter, KeyModifiers::NONE);
    }

    fn frame(&mut self) -> anyhow::Result<Duration> {
        self.now = Nanos(self.now.0 + FRAME.0);
        self.frames += 1;
        self.app.advance(self.now);
        let began = Instant::now();
        self.screen.draw(|frame| {
            self.app.fit(frame.area());
            draw(frame, &self.app);
        })?;
        Ok(began.elapsed())
    }

    /// What a frame takes: the middle of many, on the first bench, live, at one size and
    /// one zoom.
    fn probe(&mut self) -> anyhow::Result<Duration> {
        self.calm_down();
        self.keys("1++++++++++++++++++++++++++++++++++++++++");
        self.screen.backend_mut().resize(160, 47);
        let mut times = (0..200).map(|_| self.frame()).collect::<Result<Vec<_>, _>>()?;
        times.sort_unstable();
        Ok(times[times.len() / 2])
    }

    fn figures(&mut self) -> anyhow::Result<Figures> {
        let frame = self.probe()?;
        let pages = fs::read_to_string("/proc/self/statm")?;
        let pages: f64 = pages.split_whitespace().nth(1).context("no resident size")?.parse()?;
        Ok(Figures {
            hours: self.now.0 as f64 / 3.6e12,
            resident_mib: pages * 4096.0 / f64::from(1 << 20),
            handles: fs::read_dir("/proc/self/fd")?.count(),
            threads: fs::read_dir("/proc/self/task")?.count(),
            frame,
        })
    }
}

fn main() -> anyhow::Result<()> {
    let mut arguments = env::args().skip(1);
    let usage = "usage: soak MINUTES SEED";
    let minutes: f64 = arguments.next().context(usage)?.parse()?;
    let seed: u64 = arguments.next().context(usage)?.parse()?;
    let folder = tempfile::tempdir()?;
    env::set_current_dir(folder.path())?;
    let mut soak = Soak::new(seed)?;
    let window = Duration::from_secs_f64(minutes * 60.0 / f64::from(WINDOWS));
    let mut all = Vec::new();
    println!("  hours  resident  handles  threads  frame");
    for _ in 0..WINDOWS {
        let began = Instant::now();
        while began.elapsed() < window {
            soak.act();
            soak.frame()?;
        }
        let figures = soak.figures()?;
        let Figures { hours, resident_mib, handles, threads, frame } = figures;
        println!("{hours:7.2}  {resident_mib:5.0} MiB  {handles:7}  {threads:7}  {frame:.0?}");
        all.push(figures);
    }
    let (frames, saved, times) = (soak.frames, soak.saved, soak.now.0 as f64 / minutes / 6e10);
    println!(
        "seed {seed}: {frames} frames, {saved} saves and recordings, {times:.0} times real time"
    );
    judge(&all)
}

/// Whether what came after the warm-up grew.
fn judge(all: &[Figures]) -> anyhow::Result<()> {
    let (early, late) = all[WARM_UP..].split_at((all.len() - WARM_UP) / 2);
    // The middle one: a machine may be busy with something else for a while.
    let usual = |part: &[Figures], of: fn(&Figures) -> f64| {
        let mut all: Vec<f64> = part.iter().map(of).collect();
        all.sort_by(f64::total_cmp);
        all[all.len() / 2]
    };
    type Figure = (&'static str, fn(&Figures) -> f64, f64);
    let figures: [Figure; 4] = [
        ("resident memory", |f| f.resident_mib, 1.15),
        ("handles", |f| f.handles as f64, 1.5),
        ("threads", |f| f.threads as f64, 1.5),
        ("the time of a frame", |f| f.frame.as_secs_f64(), 1.5),
    ];
    for (what, of, at_most) in figures {
        let (before, after) = (usual(early, of), usual(late, of));
        ensure!(after <= before * at_most, "{what} grew from {before:.3} to {after:.3}");
    }
    println!("flat");
    Ok(())
}
