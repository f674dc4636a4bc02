//! Reading a take: line by line, up to the first damage, at once or while it comes.

use super::{
    VERSION,
    fault::Fault,
    line::{HeaderLine, Text},
    lines::{Lines, ReadLine},
    loader::Loader,
};
use gtrig_analysis::{Capacity, Session, clock::ClockMap};
use gtrig_core::{CleanText, LAST_TIME, Nanos, Rig};
use std::io::{BufRead, BufReader, Read};

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

/// Whether a line is the greeting of a program that sends.
fn is_greeting(line: &[u8]) -> bool {
    let line = serde_json::from_slice::<serde_json::Map<String, serde_json::Value>>(line);
    line.is_ok_and(|line| line.contains_key("live"))
}

/// The column of a fault, where it is known.
fn at(column: Option<usize>) -> String {
    column.map_or(String::new(), |column| format!(", column {column}"))
}

/// Ticks are run after this many lines, so that few events ever wait.
const BATCH: u32 = 1024;

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
    /// Values of devices that no line plugs in; of running programs the lines that could
    /// not be read and those that were lost.
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
        let left_out = (self.damage.is_none() && self.left_out > 0).then(|| {
            format!("{} line(s) could not be read, or were lost on the way", self.left_out)
        });
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
        let mut lines = Lines::new(input);
        let Some(ReadLine { text, .. }) = lines.next()? else {
            return Err(lines.damage(Fault::Empty));
        };
        let header: HeaderLine = match serde_json::from_slice(text) {
            Ok(header) => header,
            Err(_) if is_greeting(text) => return Err(lines.damage(Fault::Greeting)),
            Err(error) => {
                let column = Some(error.column());
                return Err(Damage { line: 1, column, fault: Fault::NoHeader(error) });
            }
        };
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

    /// The first line, as it stands there.
    pub fn first_line(&mut self) -> &[u8] {
        self.lines.text()
    }

    /// Reads the rest into a new session and runs it to the last line.
    pub fn load(self, rig: Rig, capacity: Capacity) -> (Session, Loaded) {
        let (mut session, mut lines) = self.begin(rig, capacity);
        while lines.take_in(&mut session, BATCH) {}
        let loaded = lines.finish(&mut session);
        (session, loaded)
    }

    /// Reads the rest into a new session while it comes.
    pub fn into_intake(self, rig: Rig, capacity: Capacity) -> Intake<R> {
        let (session, lines) = self.begin(rig, capacity);
        Intake { session, lines }
    }

    /// A new session, and what reads the rest into it.
    pub fn begin(self, rig: Rig, capacity: Capacity) -> (Session, TakeLines<R>) {
        let begins = rig.rate.tick_seeing(self.header.begins);
        let session = Session::new(rig, begins, capacity);
        let loader = Loader::new(self.header.begins);
        (session, TakeLines { lines: self.lines, loader, end: None })
    }
}

/// Reads the lines of a take, some at a time, into a session that is shown, or run by
/// another rig, meanwhile.
///
/// Once the lines have ended, or one of them is damaged, no more are taken in.
#[derive(Debug)]
pub struct TakeLines<R> {
    lines: Lines<R>,
    loader: Loader,
    end: Option<Option<Damage>>,
}

impl<R: BufRead + Send + 'static> TakeReader<R> {
    /// Reads on ahead, in a thread of its own, as far as some megabytes: of a file that is all
    /// there, but not of what somebody still writes. The lines are the same, in the same order.
    pub fn ahead(mut self) -> Self {
        self.lines = self.lines.ahead();
        self
    }
}

impl<R: BufRead> TakeLines<R> {
    /// Takes in so many lines and runs the ticks before the last of them. Returns whether
    /// there may be more.
    pub fn take_in(&mut self, session: &mut Session, lines: u32) -> bool {
        for _ in 0..lines {
            self.line(session);
        }
        // A label may be about later, and a damaged line is about nothing.
        session.run_before(self.loader.now.min(self.loader.until));
        self.loader.labels.hand_over(session);
        self.end.is_none()
    }

    /// How many bytes have been read.
    pub fn bytes(&self) -> u64 {
        self.lines.bytes()
    }

    /// The same, and shows to `see` each line, without its line feed, once it is taken in.
    ///
    /// # Errors
    /// Those of `see`. No line is taken in after that.
    pub fn take_in_and_show<E>(
        &mut self,
        session: &mut Session,
        lines: u32,
        see: &mut impl FnMut(&[u8], Taken) -> Result<(), E>,
    ) -> Result<bool, E> {
        for _ in 0..lines {
            let events = self.loader.loaded.events;
            self.line(session);
            if self.end.is_some() {
                break;
            }
            let is_value = self.loader.loaded.events == events + 1;
            let loader = &self.loader;
            see(self.lines.text(), Taken { loader, session, is_value })?;
        }
        Ok(self.take_in(session, 0))
    }

    fn line(&mut self, session: &mut Session) {
        if self.end.is_none() {
            match self.next_line(session) {
                Ok(true) => {}
                Ok(false) => self.end = Some(None),
                Err(damage) => self.end = Some(Some(damage)),
            }
        }
    }

    /// Takes in the next line. Returns whether there was one.
    fn next_line(&mut self, session: &mut Session) -> Result<bool, Damage> {
        let Some(line) = self.lines.next()? else { return Ok(false) };
        self.loader.line(line, session).map(|()| true)
    }

    /// Runs the session to the last line that was read: after that no line is taken in.
    pub fn run_to_last(&mut self, session: &mut Session) {
        self.loader.labels.hand_over(session);
        let last = session.plan().rate().tick_seeing(self.loader.until);
        session.run_until(last);
    }

    /// The same. Returns how reading went.
    pub fn finish(mut self, session: &mut Session) -> Loaded {
        self.run_to_last(session);
        let TakeLines { mut loader, end, .. } = self;
        loader.loaded.damage = loader.never_plugged().or(end.flatten());
        loader.loaded.left_out = loader.early.len() as u64;
        loader.loaded
    }
}

/// What a line of a take has come to.
pub struct Taken<'a> {
    loader: &'a Loader,
    session: &'a mut Session,
    /// Whether it was the value of a device.
    is_value: bool,
}

impl Taken<'_> {
    /// The instant of the line, or of the one before where it goes back.
    pub fn time(&self) -> Nanos {
        self.loader.now
    }

    /// What a take says first that goes on with this line, and when it begins. There is none
    /// where earlier lines belong to the tick that sees this one, or it is no value.
    pub fn opening(&mut self, header: &Header) -> Option<(Nanos, Vec<u8>)> {
        self.session.run_before(self.loader.now);
        if !self.is_value || self.session.waiting().len() != 1 {
            return None;
        }
        let about = [&header.title, &header.rig].map(|text| text.as_ref().map(CleanText::as_str));
        Some(super::write::opening(self.session, about.into(), self.loader.ids()))
    }
}

/// A take that is read while it comes, and its session.
#[derive(Debug)]
pub struct Intake<R> {
    session: Session,
    lines: TakeLines<R>,
}

impl<R: BufRead> Intake<R> {
    /// The session so far.
    pub fn session(&self) -> &Session {
        &self.session
    }

    /// Whether the line that ends a take has come.
    pub fn has_ended(&self) -> bool {
        self.lines.loader.has_ended
    }

    /// Runs the session to the last line. Returns how reading went, too.
    pub fn finish(self) -> (Session, Loaded) {
        let Intake { mut session, lines } = self;
        let loaded = lines.finish(&mut session);
        (session, loaded)
    }

    /// Stops where the lines end that are there, with the session as far as they go, and
    /// what will read those that are still written.
    pub fn into_rest(self) -> (Session, TakeRest) {
        let Intake { mut session, lines: mut rest } = self;
        while rest.take_in(&mut session, BATCH) {}
        let TakeLines { lines, mut loader, end } = rest;
        loader.labels.hand_over(&mut session);
        let last = session.plan().rate().tick_seeing(loader.until);
        session.run_until(last);
        loader.clock = Some((ClockMap::default(), Nanos(0)));
        let damage = end.flatten();
        // The line that was not there has no number.
        let number = lines.number() - u64::from(damage.is_none());
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
        self.loader.line(ReadLine::of(self.number, line), session)?;
        self.loader.labels.hand_over(session);
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
        let Intake { session, lines } = self;
        lines.line(session);
        while lines.end.is_none() && lines.lines.has_more_here() {
            lines.line(session);
        }
        lines.take_in(session, 0)
    }
}
