//! Reading a take: line by line, up to the first damage, at once or while it comes.

use super::{
    MAX_LINE_BYTES, VERSION,
    fault::Fault,
    line::{HeaderLine, Line, Text, marks},
};
use crate::nearest::nearest;
use gtrig_analysis::{
    Capacity, Label, Session,
    clock::ClockMap,
    frames::{Frame, Given, Read as FrameRead},
};
use gtrig_core::{
    CleanText, ControlId, ControlKind, DeviceId, Event, LAST_TIME, Marks, Nanos, Presence, Rig,
};
use std::{
    collections::HashMap,
    io::{BufRead, BufReader, Read},
};

/// What the first line says.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Header {
    /// What the take is about.
    pub title: Option<CleanText>,
    /// The name of the rig it was recorded with.
    pub rig: Option<CleanText>,
    /// The instant at which the recording begins.
    pub begins: Nanos,
}

/// Where and why reading a take had to stop. What stands before is good.
#[derive(Debug, thiserror::Error)]
#[error("line {line}{}: {fault}", at(*.column))]
pub struct Damage {
    /// The line, from 1.
    pub line: u64,
    /// The column in bytes, from 1, where it is known.
    pub column: Option<usize>,
    /// What is wrong with it.
    #[source]
    pub fault: Fault,
}

/// The column of a fault, where it is known.
fn at(column: Option<usize>) -> String {
    column.map_or(String::new(), |column| format!(", column {column}"))
}

/// What came of reading a take into a session.
#[derive(Debug, Default)]
pub struct Loaded {
    /// Events read.
    pub events: u64,
    /// Lines whose time lies before that of the line above; their events
    /// were moved to that time and marked as late.
    pub backwards: u64,
    /// The first such line.
    pub first_backwards: Option<u64>,
    /// Values of a device in lines before the one that plugs it in, as recorders of
    /// busy devices once wrote them: they were moved there and marked as late.
    pub before_plug: u64,
    /// The first such line.
    pub first_before_plug: Option<u64>,
    /// Values of devices that no line plugs in; of running programs the lines that were
    /// none and those that were lost.
    pub left_out: u64,
    /// Where reading stopped, if not at the end; where values were left out, the first
    /// of them, though reading went on.
    pub damage: Option<Damage>,
}

impl Loaded {
    /// Whether the take is as it should be.
    pub fn is_sound(&self) -> bool {
        self.damage.is_none() && self.left_out == 0 && self.backwards == 0 && self.before_plug == 0
    }

    /// What is wrong, a sentence each.
    pub fn complaints(&self) -> Vec<String> {
        let backwards = self.first_backwards.map(|line| {
            format!(
                "line {line}: time goes back; {} such line(s) were moved to the time of the line above and marked late",
                self.backwards
            )
        });
        let early = self.first_before_plug.map(|line| {
            format!(
                "line {line}: a value of a device before the line that plugs it in; {} such line(s) were moved there and marked late",
                self.before_plug
            )
        });
        let damage = self.damage.as_ref().map(|damage| match self.left_out {
            0 => format!("{damage}; the {} event(s) before it were read", self.events),
            n => format!("{damage}; {n} such value(s) were left out, and {} read", self.events),
        });
        let left_out = (self.damage.is_none() && self.left_out > 0)
            .then(|| format!("{} line(s) were none, or were lost on the way", self.left_out));
        backwards.into_iter().chain(early).chain(damage).chain(left_out).collect()
    }
}

/// A take whose first line has been read.
#[derive(Debug)]
pub struct TakeReader<R> {
    /// What that line says.
    pub header: Header,
    lines: Lines<R>,
}

impl<R: BufRead> TakeReader<R> {
    /// Reads the first line.
    ///
    /// # Errors
    /// When it is no header of a take of this version: then nothing can be
    /// made of the rest.
    pub fn open(input: R) -> Result<Self, Damage> {
        let mut lines = Lines { input, buffer: Vec::new(), number: 0 };
        let Some(line) = lines.next()? else {
            return Err(lines.damage(Fault::Empty));
        };
        let header: HeaderLine = serde_json::from_slice(line).map_err(|error| Damage {
            line: 1,
            column: Some(error.column()),
            fault: Fault::NoHeader(error),
        })?;
        let (version, begins) = (header.take, header.begins);
        let clean = |text: Option<Text>| text.map(|t| CleanText::new(&t.0));
        let header =
            Header { title: clean(header.title), rig: clean(header.rig), begins: Nanos(begins) };
        if version != VERSION {
            return Err(lines.damage(Fault::OtherVersion(version)));
        }
        if header.begins > LAST_TIME {
            return Err(lines.damage(Fault::TooLate { key: "begins", time: begins }));
        }
        Ok(TakeReader { header, lines })
    }

    /// Reads the rest into a new session and runs it to the last line.
    pub fn load(self, rig: Rig, capacity: Capacity) -> (Session, Loaded) {
        let mut intake = self.into_intake(rig, capacity);
        while intake.take_in(BATCH) {}
        intake.finish()
    }

    /// Reads the rest into a new session while it comes.
    pub fn into_intake(self, rig: Rig, capacity: Capacity) -> Intake<R> {
        let begins = rig.rate.tick_seeing(self.header.begins);
        let session = Session::new(rig, begins, capacity);
        let loader = Loader {
            clock: None,
            devices: HashMap::new(),
            now: self.header.begins,
            until: self.header.begins,
            has_ended: false,
            early: Vec::new(),
            labels: Vec::new(),
            loaded: Loaded::default(),
        };
        Intake { lines: self.lines, session, loader, end: None }
    }
}

/// Reads a take into a session, some lines at a time.
///
/// Once the lines have ended, or one of them is damaged, no more are taken in.
#[derive(Debug)]
pub struct Intake<R> {
    lines: Lines<R>,
    session: Session,
    loader: Loader,
    end: Option<Option<Damage>>,
}

impl<R: BufRead> Intake<R> {
    /// Takes in so many lines and runs the ticks before the last of them. Returns whether
    /// there may be more.
    fn take_in(&mut self, lines: u32) -> bool {
        for _ in 0..lines {
            self.line();
        }
        // A label may be about later, and a damaged line is about nothing.
        self.session.run_before(self.loader.now.min(self.loader.until));
        self.end.is_none()
    }

    fn line(&mut self) {
        if self.end.is_none() {
            match self.loader.line(&mut self.lines, &mut self.session) {
                Ok(true) => {}
                Ok(false) => self.end = Some(None),
                Err(damage) => self.end = Some(Some(damage)),
            }
        }
    }

    /// The session so far.
    pub fn session(&self) -> &Session {
        &self.session
    }

    /// Whether the line that ends a take has come.
    pub fn has_ended(&self) -> bool {
        self.loader.has_ended
    }

    /// Runs the session to the last line. Returns how reading went, too.
    pub fn finish(self) -> (Session, Loaded) {
        let Intake { mut session, mut loader, end, .. } = self;
        loader.loaded.damage = loader.never_plugged().or(end.flatten());
        loader.loaded.left_out = loader.early.len() as u64;
        session.add_labels(loader.labels);
        let last = session.plan().rate().tick_seeing(loader.until);
        session.run_until(last);
        (session, loader.loaded)
    }
}

impl<R: BufRead> Intake<R> {
    /// Stops where the lines end that are there, with the session as far as they go, and
    /// what will read those that are still written.
    pub fn into_rest(mut self) -> (Session, TakeRest) {
        while self.take_in(BATCH) {}
        let Intake { lines, mut session, mut loader, end } = self;
        session.add_labels(std::mem::take(&mut loader.labels));
        let last = session.plan().rate().tick_seeing(loader.until);
        session.run_until(last);
        loader.clock = Some((ClockMap::default(), Nanos(0)));
        let damage = end.flatten();
        // The line that was not there has no number.
        let number = lines.number - u64::from(damage.is_none());
        (session, TakeRest { loader, number, damage })
    }
}

/// What is still written of a take that was read so far.
///
/// Its lines are not placed by their own times but by when they come, for nobody knows how
/// long nothing was written before: see [`ClockMap`].
#[derive(Debug)]
pub struct TakeRest {
    loader: Loader,
    number: u64,
    damage: Option<Damage>,
}

impl TakeRest {
    /// Takes in a line that came at `now`, without its line feed.
    ///
    /// # Errors
    /// When it is damaged. Then no more lines are taken in.
    pub fn line(&mut self, session: &mut Session, line: &[u8], now: Nanos) -> Result<(), Damage> {
        if let Some(damage) = self.damage.take() {
            return Err(damage);
        }
        self.number += 1;
        if let Some((_, came)) = &mut self.loader.clock {
            *came = now;
        }
        self.loader.text(self.number, line, session)?;
        session.add_labels(std::mem::take(&mut self.loader.labels));
        Ok(())
    }

    /// Whether the line that ends a take has come.
    pub fn has_ended(&self) -> bool {
        self.loader.has_ended
    }
}

impl<R: Read> Intake<BufReader<R>> {
    /// Waits for a line, takes in all that came with it, and runs the ticks before the
    /// last of them. Returns whether there may be more.
    pub fn take_in_what_comes(&mut self) -> bool {
        self.line();
        while self.end.is_none() && self.lines.input.buffer().contains(&b'\n') {
            self.line();
        }
        self.take_in(0)
    }
}

/// The lines of a file, without holding more than one.
#[derive(Debug)]
struct Lines<R> {
    input: R,
    buffer: Vec<u8>,
    number: u64,
}

impl<R: BufRead> Lines<R> {
    fn next(&mut self) -> Result<Option<&[u8]>, Damage> {
        self.buffer.clear();
        self.number += 1;
        let limit = MAX_LINE_BYTES as u64 + 1;
        let read = self.input.by_ref().take(limit).read_until(b'\n', &mut self.buffer);
        read.map_err(|error| self.damage(error.into()))?;
        if self.buffer.is_empty() {
            return Ok(None);
        }
        // A last line without its line feed is good if it is whole, and its
        // missing brace tells if it is not.
        let ended = self.buffer.pop_if(|last| *last == b'\n').is_some();
        if !ended && self.buffer.len() > MAX_LINE_BYTES {
            return Err(self.damage(Fault::TooLong));
        }
        Ok(Some(&self.buffer))
    }

    fn damage(&self, fault: Fault) -> Damage {
        Damage { line: self.number, column: None, fault }
    }
}

/// A device as the lines name it.
#[derive(Debug)]
struct Named {
    id: DeviceId,
    controls: HashMap<String, ControlId>,
    present: bool,
}

impl Named {
    fn control(&self, id: &str, code: &str) -> Result<ControlId, Fault> {
        self.controls.get(code).copied().ok_or_else(|| {
            let known = nearest(code, self.controls.keys().map(String::as_str));
            Fault::UnknownControl {
                device: id.to_owned(),
                code: code.to_owned(),
                nearest: known.map(str::to_owned),
            }
        })
    }
}

#[derive(Debug)]
struct Loader {
    /// Of a take that is still written: its clock, and when the line came.
    clock: Option<(ClockMap, Nanos)>,
    devices: HashMap<String, Named>,
    /// The instant of the last line, labels aside.
    now: Nanos,
    /// The latest instant of which anything good is said.
    until: Nanos,
    /// Whether the line that ends a take was there.
    has_ended: bool,
    /// Values of devices that no line has plugged in yet.
    early: Vec<Early>,
    labels: Vec<Label>,
    loaded: Loaded,
}

/// A value of a device that was not plugged in yet.
#[derive(Debug)]
struct Early {
    line: u64,
    device: String,
    code: String,
    value: i32,
    marks: Marks,
}

/// What a game is called in a take that does not say it.
const GAME: &str = "game";

/// At most so many wait for their device.
pub(super) const MAX_EARLY: usize = 10_000;

/// Ticks are run after this many lines, so that few events ever wait.
const BATCH: u32 = 1024;

impl Loader {
    /// Takes in the next line. Returns whether there was one.
    fn line<R: BufRead>(
        &mut self,
        lines: &mut Lines<R>,
        session: &mut Session,
    ) -> Result<bool, Damage> {
        let number = lines.number + 1;
        let Some(bytes) = lines.next()? else { return Ok(false) };
        self.text(number, bytes, session).map(|()| true)
    }

    fn text(&mut self, number: u64, bytes: &[u8], session: &mut Session) -> Result<(), Damage> {
        let line = serde_json::from_slice(bytes).map_err(|error| Damage {
            line: number,
            column: Some(error.column()),
            fault: Fault::NoJson(error),
        })?;
        let taken = self.take_in(number, &line, session);
        taken.map_err(|fault| Damage { line: number, column: None, fault })
    }

    /// Where a line stands in the session.
    fn placed(&mut self, time: u64, is_label: bool) -> u64 {
        let Some((map, came)) = &mut self.clock else { return time };
        if !is_label {
            map.heard(Nanos(time), *came);
        }
        map.map(Nanos(time), *came).0
    }

    fn take_in(&mut self, number: u64, line: &Line, session: &mut Session) -> Result<(), Fault> {
        let time = line.t.ok_or(Fault::NoTime)?;
        if time > LAST_TIME.0 {
            return Err(Fault::TooLate { key: "t", time });
        }
        if line.sorts() != 1 {
            return Err(Fault::NotOneSort);
        }
        if line.n.is_some() || line.sync.is_some() {
            return Err(Fault::Live);
        }
        let time = self.placed(time, line.label.is_some());
        if let Some(text) = &line.label {
            // People write about the past; a label may stand anywhere.
            let text = CleanText::new(&text.0);
            self.labels.push(Label { time: Nanos(time), text });
            self.until = self.until.max(Nanos(time));
            return Ok(());
        }
        if self.has_ended {
            return Err(Fault::AfterTheEnd);
        }
        if let Some(number) = line.frame {
            // A recorder writes it when it was said, which may be later than `t`.
            self.frame(line, number, Nanos(time), session)?;
            self.until = self.until.max(Nanos(time));
            return Ok(());
        }
        let mut marks = Marks::empty();
        if Nanos(time) < self.now {
            marks |= Marks::LATE | Marks::DISORDERED;
            self.loaded.backwards += 1;
            self.loaded.first_backwards.get_or_insert(number);
        }
        self.now = self.now.max(Nanos(time));
        if let Line { on: Some(device), c: Some(code), v: Some(value), mark, .. } = line {
            if let Some(text) = mark {
                marks |= self::marks(&text.0)?;
            }
            let is_early = !self.devices.contains_key(device.0.as_ref());
            if is_early && self.early.len() < MAX_EARLY {
                let (device, code, value) = (device.0.to_string(), code.0.to_string(), *value);
                self.early.push(Early { line: number, device, code, value, marks });
                return Ok(());
            }
            self.value(session, &device.0, &code.0, *value, marks)?;
        } else {
            self.take_in_other(line, marks, session)?;
        }
        self.until = self.until.max(self.now);
        Ok(())
    }

    /// Takes in what is neither a value nor a label.
    fn take_in_other(
        &mut self,
        line: &Line,
        marks: Marks,
        session: &mut Session,
    ) -> Result<(), Fault> {
        match line {
            Line { plug: Some(id), .. } => {
                self.plug(&id.0, line, session)?;
                self.take_in_early(&id.0, session)
            }
            Line { unplug: Some(id), .. } => {
                let device = self.present(&id.0)?;
                device.present = false;
                let id = device.id;
                session.unplug(id, self.now);
                Ok(())
            }
            Line { deaf: Some(id), .. } => self.presence(session, &id.0, Presence::Deaf),
            Line { heard: Some(id), mark: Some(text), .. } => {
                let device = self.present(&id.0)?.id;
                let control = session.roster().device(device).presence();
                let (time, value) = (self.now, Presence::Here.value());
                let marks = marks | self::marks(&text.0)?;
                session.report(Event { time, value, control, marks });
                Ok(())
            }
            Line { heard: Some(id), .. } => self.presence(session, &id.0, Presence::Here),
            Line { ends: Some(_), .. } => {
                self.has_ended = true;
                Ok(())
            }
            _ => Err(Fault::NoValue),
        }
    }

    fn value(
        &mut self,
        session: &mut Session,
        id: &str,
        code: &str,
        value: i32,
        marks: Marks,
    ) -> Result<(), Fault> {
        let time = self.now;
        let device = self.present(id)?;
        let control = device.control(id, code)?;
        session.report(Event { time, value, control, marks });
        self.loaded.events += 1;
        Ok(())
    }

    /// The values that waited for a device.
    fn take_in_early(&mut self, id: &str, session: &mut Session) -> Result<(), Fault> {
        for early in self.early.extract_if(.., |early| early.device == id).collect::<Vec<_>>() {
            self.loaded.before_plug += 1;
            self.loaded.first_before_plug.get_or_insert(early.line);
            self.value(session, id, &early.code, early.value, early.marks | Marks::LATE)?;
        }
        Ok(())
    }

    /// A device that never was plugged in has said nothing.
    fn never_plugged(&self) -> Option<Damage> {
        let early = self.early.first()?;
        let fault = Fault::NeverPlugged(early.device.clone());
        Some(Damage { line: early.line, column: None, fault })
    }

    /// What a game said of a frame.
    fn frame(
        &mut self,
        line: &Line,
        number: u64,
        acted: Nanos,
        session: &mut Session,
    ) -> Result<(), Fault> {
        let name = line.game.as_ref().map_or(GAME, |game| &game.0);
        let game = session.frames_mut().game(&CleanText::new(name)).ok_or(Fault::TooManyNames)?;
        let polled = line.frame_times()?.map(|at| self.placed(at, true)).map(Nanos);
        let mut reads = Vec::new();
        for (id, codes) in line.read.iter().flatten() {
            let device = self.known(&id.0)?;
            for (code, values) in codes {
                let control = device.control(&id.0, &code.0)?;
                if session.roster().control(control).kind == ControlKind::Relative {
                    let (device, code) = (id.0.to_string(), code.0.to_string());
                    return Err(Fault::NoState { device, code });
                }
                reads.push(FrameRead { control, values: values.both() });
            }
        }
        let mut gives = Vec::new();
        for (name, &value) in line.gives.iter().flatten() {
            let name = session.frames_mut().name(&CleanText::new(&name.0));
            gives.push(Given { name: name.ok_or(Fault::TooManyNames)?, value });
        }
        // Cleaned, two names may be one.
        gives.sort_by_key(|given| given.name);
        gives.dedup_by_key(|given| given.name);
        let steps = line.steps;
        session.add_frame(Frame { game, number, acted, polled, steps, reads, gives });
        Ok(())
    }

    fn known(&self, id: &str) -> Result<&Named, Fault> {
        self.devices.get(id).ok_or_else(|| Fault::NeverPlugged(id.to_owned()))
    }

    fn present(&mut self, id: &str) -> Result<&mut Named, Fault> {
        match self.devices.get_mut(id) {
            Some(device) if device.present => Ok(device),
            Some(_) => Err(Fault::Unplugged(id.to_owned())),
            None => Err(Fault::NeverPlugged(id.to_owned())),
        }
    }

    fn presence(
        &mut self,
        session: &mut Session,
        id: &str,
        presence: Presence,
    ) -> Result<(), Fault> {
        let (device, time) = (self.present(id)?.id, self.now);
        session.set_presence(device, presence, time);
        Ok(())
    }

    fn plug(&mut self, id: &str, line: &Line, session: &mut Session) -> Result<(), Fault> {
        if self.present(id).is_ok() {
            return Err(Fault::PluggedAlready(id.to_owned()));
        }
        let info = line.device(id)?;
        let device = session.plug_in_batch(info, self.now)?;
        let roster = session.roster();
        let known = roster.device(device);
        let controls = known.controls().map(|c| (roster.code(c).to_owned(), c)).collect();
        self.devices.insert(id.to_owned(), Named { id: device, controls, present: true });
        Ok(())
    }
}
