//! Writing a take.

use super::{
    VERSION,
    line::{ControlEntry, HeaderLine, Line, OneOrTwo, Text, True, marks_text},
};
use crate::report::json;
use gtrig_analysis::{
    Label, Recording, Session,
    frames::{Frame, Frames, Given},
};
use gtrig_core::{CleanText, Device, DeviceId, Event, Keyword, Nanos, Presence, Roster};
use std::{
    borrow::Cow,
    collections::BTreeMap,
    io::{self, Write},
};

/// Writes a recording as a take: the same recording always gives the same
/// bytes.
///
/// # Errors
/// Those of `out`.
pub fn write(recording: &Recording, title: Option<&str>, out: &mut impl Write) -> io::Result<()> {
    let rig = recording.rig_name.as_str();
    let mut writer = TakeWriter::begin(out, title, rig, recording.begins_at)?;
    let mut labels = recording.labels.iter().peekable();
    let mut frames = recording.frames.told(recording.begins_at).peekable();
    for event in recording.events() {
        while let Some(label) = labels.next_if(|label| label.time < event.time) {
            writer.label(label)?;
        }
        while let Some(frame) = frames.next_if(|frame| frame.stands_behind() < event.time) {
            writer.frame(&recording.roster, &recording.frames, &frame)?;
        }
        writer.event(&recording.roster, event)?;
    }
    labels.try_for_each(|label| writer.label(label))?;
    frames.try_for_each(|frame| writer.frame(&recording.roster, &recording.frames, &frame))?;
    writer.end(recording.ends_at())
}

/// What a take says first that goes on after the last tick of `session`: see
/// [`TakeWriter::opening`]. `ids` are those of the devices, in the order of the roster.
pub(crate) fn opening(
    session: &Session,
    about: (Option<&str>, Option<&str>),
    ids: Vec<String>,
) -> (Nanos, Vec<u8>) {
    let (machine, plan) = (session.now(), session.plan());
    let begins = plan.rate().begin_of(machine.next_tick());
    // Writing to memory cannot fail.
    let mut text = Vec::new();
    if let Ok(mut writer) = TakeWriter::begin_with_ids(&mut text, about, begins, ids) {
        for event in machine.opening(plan, begins) {
            let _ = writer.event(session.roster(), event);
        }
    }
    (begins, text)
}

/// Writes a take line by line, for as long as there is something to write.
#[derive(Debug)]
pub struct TakeWriter<W> {
    out: W,
    ids: Vec<String>,
    plugged: Vec<bool>,
    /// Whether each was ever plugged in.
    came: Vec<bool>,
}

impl<W: Write> TakeWriter<W> {
    /// Writes the header.
    ///
    /// # Errors
    /// Those of `out`.
    pub fn begin(out: W, title: Option<&str>, rig: &str, begins: Nanos) -> io::Result<Self> {
        Self::begin_with_ids(out, (title, Some(rig)), begins, Vec::new())
    }

    /// The same, where the first devices of the roster have these ids.
    fn begin_with_ids(
        mut out: W,
        (title, rig): (Option<&str>, Option<&str>),
        begins: Nanos,
        ids: Vec<String>,
    ) -> io::Result<Self> {
        let (title, rig) = (title.map(Text::from), rig.map(Text::from));
        write_line(&mut out, &HeaderLine { take: VERSION, title, rig, begins: begins.0 })?;
        let (plugged, came) = (vec![false; ids.len()], vec![false; ids.len()]);
        Ok(TakeWriter { out, ids, plugged, came })
    }

    /// The header and the lines that say what is there after the last tick of `session`,
    /// which is what goes on: with them a take of what follows begins. Returns the instant
    /// at which it does, too.
    pub fn opening(&mut self, session: &Session, title: Option<&str>) -> (Nanos, Vec<u8>) {
        self.name_devices(session.roster());
        let rig = session.rig().name.as_str();
        opening(session, (title, Some(rig)), self.ids.clone())
    }

    /// What is written to.
    pub fn out(&mut self) -> &mut W {
        &mut self.out
    }

    /// Writes an event. Events must come in order, and of each device its
    /// arrival first.
    ///
    /// # Errors
    /// Those of the output.
    pub fn event(&mut self, roster: &Roster, event: Event) -> io::Result<()> {
        self.name_devices(roster);
        let control = roster.control(event.control);
        if control.is_presence {
            return self.presence(roster, control.device, event);
        }
        let line = Line {
            t: Some(event.time.0),
            on: Some(self.ids[usize::from(control.device.0)].as_str().into()),
            c: Some(roster.code(event.control).into()),
            v: Some(event.value),
            mark: marks_text(event.marks),
            ..Line::default()
        };
        write_line(&mut self.out, &line)
    }

    /// Names the devices that came since: by their address, with a number
    /// where two devices had the same address at different times.
    fn name_devices(&mut self, roster: &Roster) {
        for (_, device) in roster.devices().skip(self.ids.len()) {
            let address = device.address().to_string();
            let numbered = (2..).map(|n| format!("{address}.{n}"));
            let mut ids = std::iter::once(address.clone()).chain(numbered);
            let free = ids.find(|id| !self.ids.contains(id)).unwrap_or(address);
            self.ids.push(free);
            self.plugged.push(false);
            self.came.push(false);
        }
    }

    fn presence(&mut self, roster: &Roster, device: DeviceId, event: Event) -> io::Result<()> {
        let presence = Presence::from_value(event.value);
        let here = presence != Presence::Gone;
        let was_here = std::mem::replace(&mut self.plugged[usize::from(device.0)], here);
        let (id, t) =
            (Some(Text::from(self.ids[usize::from(device.0)].as_str())), Some(event.time.0));
        if here && !was_here {
            self.came[usize::from(device.0)] = true;
            write_line(&mut self.out, &plug_line(t, id.clone(), roster.device(device)))?;
        }
        let line = match presence {
            Presence::Gone => Line { t, unplug: id, ..Line::default() },
            Presence::Deaf => Line { t, deaf: id, ..Line::default() },
            Presence::Here if was_here => {
                Line { t, heard: id, mark: marks_text(event.marks), ..Line::default() }
            }
            Presence::Here => return Ok(()),
        };
        write_line(&mut self.out, &line)
    }

    /// Writes a label.
    ///
    /// # Errors
    /// Those of the output.
    pub fn label(&mut self, label: &Label) -> io::Result<()> {
        let text = Text(Cow::Borrowed(label.text.as_str()));
        let line = Line { t: Some(label.time.0), label: Some(text), ..Line::default() };
        write_line(&mut self.out, &line)
    }

    /// Takes back the labels of an instant that were written so far.
    ///
    /// # Errors
    /// Those of the output.
    pub fn take_back_labels(&mut self, time: Nanos) -> io::Result<()> {
        self.label(&Label { time, text: CleanText::default() })
    }

    /// Writes what a game said of a frame, behind all events up to
    /// [that instant](Frame::stands_behind). What it read of a device that had gone when the take
    /// begins is left out.
    ///
    /// # Errors
    /// Those of the output.
    pub fn frame(&mut self, roster: &Roster, frames: &Frames, frame: &Frame) -> io::Result<()> {
        self.name_devices(roster);
        let mut read: BTreeMap<Text, BTreeMap<Text, _>> = BTreeMap::new();
        for of in &frame.reads {
            let device = usize::from(roster.control(of.control).device.0);
            if !self.came[device] {
                continue;
            }
            let of_device = read.entry(self.ids[device].as_str().into()).or_default();
            of_device.insert(roster.code(of.control).into(), OneOrTwo::of(of.values));
        }
        let name = |given: &Given| frames.names()[usize::from(given.name.0)].as_str().into();
        let gives: BTreeMap<Text, f64> =
            frame.gives.iter().map(|given| (name(given), given.value)).collect();
        let is_at_once = frame.polled == [frame.acted; 2];
        let line = Line {
            t: Some(frame.acted.0),
            frame: Some(frame.number),
            game: Some(frames.games()[usize::from(frame.game.0)].as_str().into()),
            polled: (!is_at_once).then(|| OneOrTwo::of(frame.polled.map(|at| at.0))),
            steps: frame.steps,
            read: Some(read).filter(|read| !read.is_empty()),
            gives: Some(gives).filter(|gives| !gives.is_empty()),
            ..Line::default()
        };
        write_line(&mut self.out, &line)
    }

    /// Writes the end: up to where the recording went on, though nothing happened any
    /// more.
    ///
    /// # Errors
    /// Those of the output.
    pub fn end(&mut self, time: Nanos) -> io::Result<()> {
        write_line(&mut self.out, &Line { t: Some(time.0), ends: Some(True), ..Line::default() })
    }
}

fn plug_line<'a>(t: Option<u64>, id: Option<Text<'a>>, device: &'a Device) -> Line<'a> {
    let slot = (device.info.kind.takes_slot() && device.number != 0).then_some(device.number);
    Line {
        t,
        plug: id,
        kind: Some(device.info.kind.word().into()),
        slot,
        name: Some(device.info.name.as_str().into()),
        identity: Some(device.info.identity.as_str().into()),
        bus: Some(device.info.bus.as_str().into()).filter(|_| !device.info.bus.as_str().is_empty()),
        controls: Some(device.info.controls.iter().map(ControlEntry::new).collect()),
        ..Line::default()
    }
}

fn write_line(out: &mut impl Write, line: &impl serde::Serialize) -> io::Result<()> {
    json(line, &mut *out)?;
    out.write_all(b"\n")
}
