//! Writing a take.

use super::{
    VERSION,
    line::{ControlEntry, HeaderLine, Line, Text, marks_text},
};
use gtrig_core::{Device, DeviceId, Event, Label, Presence, Recording, Roster};
use std::{
    borrow::Cow,
    io::{self, Write},
};

/// Writes a recording as a take: the same recording always gives the same
/// bytes.
///
/// # Errors
/// Those of `out`.
pub fn write(recording: &Recording, title: Option<&str>, out: &mut impl Write) -> io::Result<()> {
    let rig_name = recording.rig_name.as_str();
    let header = HeaderLine {
        take: VERSION,
        title: title.map(Text::from),
        rig: Some(rig_name.into()),
        begins: recording.begins_at.0,
    };
    write_line(out, &header)?;
    let mut labels = recording.labels.iter().peekable();
    let roster = &recording.roster;
    let plugged = vec![false; roster.devices().len()];
    let mut writer = Writer { roster, ids: ids(roster), plugged, out };
    for event in recording.events() {
        while let Some(label) = labels.next_if(|label| label.time < event.time) {
            writer.label(label)?;
        }
        writer.event(event)?;
    }
    labels.try_for_each(|label| writer.label(label))
}

/// A name for every device: its address, with a number where two devices
/// had the same address at different times.
fn ids(roster: &Roster) -> Vec<String> {
    let mut ids: Vec<String> = Vec::new();
    for (_, device) in roster.devices() {
        let address = device.address().to_string();
        let mut id = address.clone();
        for n in 2.. {
            if !ids.contains(&id) {
                break;
            }
            id = format!("{address}.{n}");
        }
        ids.push(id);
    }
    ids
}

struct Writer<'a, W> {
    roster: &'a Roster,
    ids: Vec<String>,
    plugged: Vec<bool>,
    out: &'a mut W,
}

impl<W: Write> Writer<'_, W> {
    fn event(&mut self, event: Event) -> io::Result<()> {
        let control = self.roster.control(event.control);
        if control.is_presence {
            return self.presence(control.device, event);
        }
        let id = Text::from(self.ids[usize::from(control.device.0)].as_str());
        let line = Line {
            t: Some(event.time.0),
            on: Some(id),
            c: Some(self.roster.code(event.control).into()),
            v: Some(event.value),
            mark: marks_text(event.marks),
            ..Line::default()
        };
        write_line(self.out, &line)
    }

    fn presence(&mut self, device: DeviceId, event: Event) -> io::Result<()> {
        let presence = Presence::from_value(event.value);
        let here = presence != Presence::Gone;
        let was_here = std::mem::replace(&mut self.plugged[usize::from(device.0)], here);
        let (id, t) =
            (Some(Text::from(self.ids[usize::from(device.0)].as_str())), Some(event.time.0));
        if here && !was_here {
            let line = plug_line(t, id.clone(), self.roster.device(device));
            write_line(self.out, &line)?;
        }
        let line = match presence {
            Presence::Gone => Line { t, unplug: id, ..Line::default() },
            Presence::Deaf => Line { t, deaf: id, ..Line::default() },
            Presence::Here if was_here => Line { t, heard: id, ..Line::default() },
            Presence::Here => return Ok(()),
        };
        write_line(self.out, &line)
    }

    fn label(&mut self, label: &Label) -> io::Result<()> {
        let text = Text(Cow::Borrowed(label.text.as_str()));
        write_line(self.out, &Line { t: Some(label.time.0), label: Some(text), ..Line::default() })
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
        controls: Some(device.info.controls.iter().map(ControlEntry::new).collect()),
        ..Line::default()
    }
}

fn write_line(out: &mut impl Write, line: &impl serde::Serialize) -> io::Result<()> {
    serde_json::to_writer(&mut *out, line)?;
    out.write_all(b"\n")
}
