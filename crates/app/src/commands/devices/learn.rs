//! Naming the controls of a device by moving them.

use super::Devices;
use crate::{
    commands::shared::{Status, complain},
    maps, out,
    screen::Clock,
};
use anyhow::{Context, bail, ensure};
use gtrig_analysis::{
    Capacity, Session,
    learn::{Ask, Learned, Learner},
};
use gtrig_core::{
    CleanText, ControlId, ControlKind, DeviceId, DeviceInfo, DeviceKind, Keyword, Nanos, PollRate,
    Rig, Tick, normalise,
};
use gtrig_formats::words::{ask_words, learned_words};
use gtrig_sources::{Kernel, Source, Wanted};
use signal_hook::{
    consts::{SIGINT, SIGTERM},
    iterator::Signals,
};
use std::{
    io::{self, Write},
    path::PathBuf,
    sync::mpsc::{Receiver, TryRecvError, channel},
    thread,
    time::Duration,
};

const ASIDE: &str = "Enter: it is so   s: skip   b: back   q: write what is named, and end";

/// Asks, listens, and writes a map.
pub(super) fn learn(devices: &Devices) -> anyhow::Result<Status> {
    let kind = devices.kind.kind();
    let asks = match devices.controls.as_slice() {
        [] => Ask::all_of(kind),
        named => named.iter().map(|control| control.0.clone()).collect(),
    };
    ensure!(
        !asks.is_empty(),
        "a device of kind `{}` has no standard controls: say with --controls what it has, such as --controls steering=axis,horn=button",
        kind.word()
    );
    let mut lesson = Lesson::begin(devices)?;
    let part = devices.learn.as_deref().unwrap_or_default();
    let Some(device) = lesson.choose(part)? else { return Ok(Status::No) };
    let mut learner = lesson.learner(device, asks);
    let path = path(devices, &learner, kind)?;
    say(&format!("{}   {}", learner.device().name, learner.device().identity))?;
    say(ASIDE)?;
    lesson.ask_all(device, &mut learner)?;
    write(&learner, kind, &path)
}

/// The file of the map, which must not be there yet: better said before the work.
fn path(devices: &Devices, learner: &Learner, kind: DeviceKind) -> anyhow::Result<PathBuf> {
    let Some(map) = learner.map(kind) else {
        bail!("{} has no numbers by which a map could know it again", learner.device().name);
    };
    let path = match &devices.output {
        Some(path) => path.clone(),
        None => maps::proposed(&map, learner.device())
            .context("there is no home folder: say with --output where the map goes")?,
    };
    ensure!(!path.exists(), "{} is there already: name another with --output", path.display());
    Ok(path)
}

fn write(learner: &Learner, kind: DeviceKind, path: &std::path::Path) -> anyhow::Result<Status> {
    let named = learner.answers().iter().flatten().count();
    let map = learner.map(kind).filter(|_| named > 0);
    let Some(map) = map else {
        complain("nothing was named, and nothing is written");
        return Ok(Status::No);
    };
    maps::write(path, &map).with_context(|| format!("cannot write {}", path.display()))?;
    let asked = learner.asks().len();
    let file = CleanText::new(&path.display().to_string()).to_string();
    say(&format!("{named} of {asked} controls are named by the map {file}"))?;
    Ok(Status::Fine)
}

fn say(text: &str) -> io::Result<()> {
    let mut out = out::stdout();
    writeln!(out, "{text}")?;
    out.flush()
}

/// What a person types.
enum Typed {
    Accept,
    Skip,
    Back,
    End,
}

/// The devices, the person, and how far the events were heard.
struct Lesson {
    session: Session,
    kernel: Kernel,
    clock: Clock,
    typed: Receiver<String>,
    signals: Signals,
    heard: u64,
}

impl Lesson {
    fn begin(devices: &Devices) -> anyhow::Result<Self> {
        let rig = Rig::bare("learn", PollRate::DEFAULT);
        let session = Session::new(rig, Tick(0), Capacity::DEFAULT);
        let clock = Clock::starting_at(Nanos(0));
        let kernel = Kernel::start(&devices.folder, Wanted::All, Vec::new(), clock.now())?;
        let (sender, typed) = channel();
        thread::spawn(move || {
            let lines = io::stdin().lines().map_while(Result::ok);
            lines.map(|line| sender.send(line)).take_while(Result::is_ok).for_each(drop);
        });
        let signals = Signals::new([SIGINT, SIGTERM])?;
        Ok(Lesson { session, kernel, clock, typed, signals, heard: 0 })
    }

    /// Hears for a moment. Returns what came: which control, and its value.
    fn hear(&mut self) -> Vec<(ControlId, i32)> {
        thread::sleep(Duration::from_millis(10));
        let now = self.clock.now();
        self.kernel.drain(&mut self.session, now);
        self.kernel.troubles().iter().for_each(|trouble| complain(trouble));
        self.session.run_before(now);
        let events = self.session.seen_from(self.heard).map(|event| (event.control, event.value));
        let events = events.collect();
        self.heard = self.session.seen_count();
        events
    }

    /// What the person typed since; that nothing more can come is an end.
    fn typed(&mut self) -> Option<Typed> {
        if self.signals.pending().next().is_some() {
            return Some(Typed::End);
        }
        Some(match self.typed.try_recv() {
            Ok(line) => match line.trim() {
                "s" => Typed::Skip,
                "b" => Typed::Back,
                "q" => Typed::End,
                _ => Typed::Accept,
            },
            Err(TryRecvError::Empty) => return None,
            Err(TryRecvError::Disconnected) => Typed::End,
        })
    }

    /// The device that is meant; `None` where the person ends it first.
    fn choose(&mut self, part: &str) -> anyhow::Result<Option<DeviceId>> {
        if part.is_empty() {
            say("Press a button, or move a stick, of the device that is to be named.")?;
        }
        // The list is there after a moment.
        for turn in 0.. {
            let events = self.hear();
            let chosen = match part {
                "" => events.iter().find_map(|(control, value)| self.used(*control, *value)),
                _ => self.named(part)?,
            };
            if chosen.is_some() || matches!(self.typed(), Some(Typed::End)) {
                return Ok(chosen);
            }
            ensure!(
                part.is_empty() || turn < 100,
                "no device has `{part}` in its name or identity; `gtrig devices` lists them"
            );
        }
        Ok(None)
    }

    /// The only device that has a part in its name or identity.
    fn named(&self, part: &str) -> anyhow::Result<Option<DeviceId>> {
        let has_part =
            |info: &DeviceInfo| info.name.as_str().contains(part) || info.identity.contains(part);
        let devices = self.session.roster().devices();
        let mut meant = devices.filter(|(_, device)| has_part(&device.info)).map(|(id, _)| id);
        let first = meant.next();
        ensure!(
            meant.next().is_none(),
            "several devices have `{part}` in their names: say more of it"
        );
        Ok(first)
    }

    /// The device that somebody plays with by this event. The keys that a person types
    /// here with are no such device.
    fn used(&self, control: ControlId, value: i32) -> Option<DeviceId> {
        let roster = self.session.roster();
        let control_of = roster.control(control);
        let kind = roster.device(control_of.device).info.kind;
        let is_far = match control_of.kind {
            ControlKind::Button => value != 0,
            ControlKind::Axis { .. } | ControlKind::Trigger { .. } => {
                normalise(control_of.kind, value).abs() > 0.5
            }
            ControlKind::Position { .. } | ControlKind::Relative => false,
        };
        let is_played = !matches!(kind, DeviceKind::Keys | DeviceKind::Mouse | DeviceKind::Glass);
        (is_far && is_played && !control_of.is_presence).then_some(control_of.device)
    }

    /// A learner of a device that knows how its controls are now.
    fn learner(&self, device: DeviceId, asks: Vec<Ask>) -> Learner {
        let device = self.session.roster().device(device);
        let mut learner = Learner::new(device.info.clone(), asks);
        for (control, at) in device.controls().zip(0..) {
            let value = self.session.now().control(control).seen;
            // One that is at its stated rest may not have been heard yet.
            if value != device.info.controls[at].kind.rest() {
                learner.hear(at, value);
            }
        }
        learner
    }

    /// Asks until all is asked, or the person ends it.
    fn ask_all(&mut self, device: DeviceId, learner: &mut Learner) -> anyhow::Result<()> {
        let controls: Vec<ControlId> = self.session.roster().device(device).controls().collect();
        tell(learner, &Learned::Nothing)?;
        while !learner.is_over() {
            for (control, value) in self.hear() {
                let Some(at) = controls.iter().position(|own| *own == control) else { continue };
                let learned = learner.hear(at, value);
                if learned != Learned::Nothing {
                    tell(learner, &learned)?;
                }
            }
            match self.typed() {
                None => continue,
                Some(Typed::Accept) => {
                    let learned = learner.accept();
                    tell(learner, &learned)?;
                }
                Some(Typed::Skip) => {
                    learner.skip();
                    tell(learner, &Learned::Nothing)?;
                }
                Some(Typed::Back) => {
                    learner.back();
                    tell(learner, &Learned::Nothing)?;
                }
                Some(Typed::End) => return Ok(()),
            }
        }
        Ok(())
    }
}

/// Says what was understood, and what is asked now.
fn tell(learner: &Learner, learned: &Learned) -> io::Result<()> {
    if let Some(words) = learned_words(learner, learned) {
        say(&format!("         {words}"))?;
    }
    if learner.is_at_rest() {
        return say("         leave all of it alone, and press Enter");
    }
    let Some(at) = learner.asked() else { return Ok(()) };
    let ask = &learner.asks()[at];
    say(&format!("{:>3} of {:<3}{:<12} {}", at + 1, learner.asks().len(), ask.code, ask_words(ask)))
}
