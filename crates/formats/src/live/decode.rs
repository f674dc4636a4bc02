//! What each line means.

use super::{LiveFault, MAX_LINE_BYTES, value_line::LiveValue};
use crate::{
    nearest::nearest,
    take::{Fault, Line, NamedValue, Text, marks, names},
};
use gtrig_core::{CleanText, ControlKind, DeviceInfo, Marks, Nanos, Presence};
use std::collections::{HashMap, HashSet};

/// A sender may have so many devices, counted over all it ever named.
pub const MAX_DEVICES: usize = 64;

/// A sender may have so many controls over all of them, so that 64 senders find room in a
/// session. (A device that comes back under another slot takes room once more.)
pub const MAX_CONTROLS: usize = 900;

/// A game may have so many names for its values, counted over a connection, so that 64
/// senders find room in a session.
pub const MAX_VALUES: usize = 256;

/// A later time is refused.
const TIMES: u64 = 1 << 62;

/// What a line says. Devices are numbered as they are named, controls by their place.
#[derive(Clone, Debug, PartialEq)]
pub enum Said {
    /// A device is there.
    Arrived(u16, DeviceInfo),
    /// A control took a value.
    Value {
        /// Of which device.
        device: u16,
        /// Which of its controls.
        control: u16,
        /// As the device reports it.
        value: i32,
        /// What is special about it.
        marks: Marks,
    },
    /// A device can be heard, or cannot, or is gone.
    Presence(u16, Presence),
    /// What a person wrote.
    Label(CleanText),
    /// What a game made of a frame.
    Frame(Box<FrameSaid>),
    /// The question with this number is answered.
    Answer(u64),
    /// The sender has said everything.
    End,
}

/// What a game says of a frame. Times are by the clock of the sender; one that says none
/// acted when the line arrived, and polled at once.
#[derive(Clone, Debug, PartialEq)]
pub struct FrameSaid {
    /// Its number.
    pub number: u64,
    /// When it polled first and last.
    pub polled: Option<[Nanos; 2]>,
    /// How many fixed steps it ran.
    pub steps: Option<u16>,
    /// What it read at its first and its last poll.
    pub reads: Vec<(ReadOf, [i32; 2])>,
    /// Its values by their names.
    pub gives: Vec<(CleanText, f64)>,
}

/// Of what a frame read.
#[derive(Clone, Debug, PartialEq)]
pub enum ReadOf {
    /// A device of the sender and its control, by number and place.
    Own(u16, u16),
    /// Another device and its control, as they are called.
    Other(String, String),
}

/// A device that was named.
#[derive(Clone, Debug)]
struct Named {
    number: u16,
    controls: HashMap<String, u16>,
    is_here: bool,
}

/// Reads the lines after the greeting.
#[derive(Clone, Debug, Default)]
pub struct LiveDecoder {
    devices: HashMap<String, Named>,
    /// The devices that are here and their controls, by what [names](NamedValue::named) them.
    spelled: HashMap<Vec<u8>, [u16; 2]>,
    /// By number, what each device is.
    infos: Vec<DeviceInfo>,
    controls: usize,
    /// The number of the last line that had one.
    number: Option<u64>,
    missed: u64,
    /// The names of values that a game has.
    names: HashSet<String>,
}

impl LiveDecoder {
    /// Reads a line. Returns what it says and when, by the clock of the sender; a line
    /// without a time tells of now.
    ///
    /// # Errors
    /// When the line cannot be read. Then it changed nothing; only its number was counted.
    pub fn line(&mut self, line: &[u8]) -> Result<(Option<Nanos>, Said), LiveFault> {
        if line.len() > MAX_LINE_BYTES {
            return Err(self.too_long());
        }
        let mut number = None;
        let said = self.read(line, &mut number);
        match (number, &said) {
            (None, Err(_)) => self.count_bad(),
            _ => self.count(number),
        }
        said
    }

    /// Counts a line that is too long to be handed over.
    pub fn too_long(&mut self) -> LiveFault {
        self.count_bad();
        LiveFault::TooLong
    }

    /// A bad line of which no number is known: it had one like any other, and is not lost.
    fn count_bad(&mut self) {
        self.number = self.number.map(|number| number.wrapping_add(1));
    }

    /// Reads a line, and its number before what may be wrong with the rest.
    fn read(
        &mut self,
        line: &[u8],
        number: &mut Option<u64>,
    ) -> Result<(Option<Nanos>, Said), LiveFault> {
        if let Some(line) = LiveValue::of(line)
            && let Some(of) = self.spelled(line.value.named)
        {
            *number = line.n;
            return value(line, of);
        }
        let line: Line = serde_json::from_slice(line).map_err(Fault::NoJson)?;
        *number = line.n;
        if let Some(late) = line.t.filter(|time| *time >= TIMES) {
            return Err(LiveFault::TooLate(late));
        }
        if line.sorts() != 1 {
            return Err(Fault::NotOneSort.into());
        }
        let said = self.said(&line)?;
        Ok((line.t.map(Nanos), said))
    }

    /// How many lines were lost since this was last asked, by their numbers.
    pub fn missed(&mut self) -> u64 {
        std::mem::take(&mut self.missed)
    }

    /// What is known of a device.
    pub fn info(&self, device: u16) -> &DeviceInfo {
        &self.infos[usize::from(device)]
    }

    fn count(&mut self, number: Option<u64>) {
        let Some(number) = number else { return };
        if let Some(last) = self.number {
            self.missed += number.saturating_sub(last).saturating_sub(1);
        }
        self.number = Some(number);
    }

    /// The device and the control that a line names plainly, where both are known and here.
    fn spelled(&mut self, named: &[u8]) -> Option<[u16; 2]> {
        if let Some(&of) = self.spelled.get(named) {
            return Some(of);
        }
        let [id, code] = names(named)?;
        let device = self.here(id).ok()?;
        let of = [device.number, *device.controls.get(code)?];
        self.spelled.insert(named.to_vec(), of);
        Some(of)
    }

    fn said(&mut self, line: &Line) -> Result<Said, LiveFault> {
        Ok(match line {
            Line { on: Some(id), c: Some(code), v: Some(value), mark, .. } => {
                let marks = match mark {
                    Some(text) => marks(&text.0)?,
                    None => Marks::empty(),
                };
                let device = self.here(&id.0)?;
                let Some(&control) = device.controls.get(&*code.0) else {
                    return Err(unknown_control(&id.0, &code.0, device).into());
                };
                Said::Value { device: device.number, control, value: *value, marks }
            }
            Line { plug: Some(id), .. } => self.plug(&id.0, line)?,
            Line { unplug: Some(id), .. } => self.presence(&id.0, Presence::Gone)?,
            Line { deaf: Some(id), .. } => self.presence(&id.0, Presence::Deaf)?,
            Line { heard: Some(id), .. } => self.presence(&id.0, Presence::Here)?,
            Line { label: Some(text), .. } if text.0.is_empty() => {
                return Err(LiveFault::EmptyLabel);
            }
            Line { label: Some(text), .. } => Said::Label(CleanText::new(&text.0)),
            Line { frame: Some(number), .. } => Said::Frame(Box::new(self.frame(line, *number)?)),
            Line { sync: Some(number), .. } => Said::Answer(*number),
            Line { ends: Some(_), .. } => Said::End,
            _ => return Err(Fault::NoValue.into()),
        })
    }

    fn frame(&mut self, line: &Line, number: u64) -> Result<FrameSaid, LiveFault> {
        if line.t.is_none() && line.polled.is_some() {
            return Err(Fault::FrameTimes.into());
        }
        let polled = line.t.map(|_| line.frame_times()).transpose()?;
        let mut reads = Vec::new();
        for (id, codes) in line.read.iter().flatten() {
            let own = self.devices.get(&*id.0);
            for (code, values) in codes {
                let of = match own {
                    Some(device) => ReadOf::Own(device.number, self.state_of(device, id, code)?),
                    None => ReadOf::Other(id.0.to_string(), code.0.to_string()),
                };
                reads.push((of, values.both()));
            }
        }
        let mut gives = Vec::new();
        for (name, &value) in line.gives.iter().flatten() {
            let name = CleanText::new(&name.0);
            if !self.names.contains(name.as_str()) {
                if self.names.len() == MAX_VALUES {
                    return Err(LiveFault::TooManyValues);
                }
                self.names.insert(name.as_str().to_owned());
            }
            gives.push((name, value));
        }
        let polled = polled.map(|polled| polled.map(Nanos));
        Ok(FrameSaid { number, polled, steps: line.steps, reads, gives })
    }

    /// A control that has a state which can be read.
    fn state_of(&self, device: &Named, id: &Text, code: &Text) -> Result<u16, Fault> {
        let Some(&control) = device.controls.get(&*code.0) else {
            return Err(unknown_control(&id.0, &code.0, device));
        };
        let info = &self.infos[usize::from(device.number)].controls[usize::from(control)];
        if info.kind == ControlKind::Relative {
            return Err(Fault::NoState { device: id.0.to_string(), code: code.0.to_string() });
        }
        Ok(control)
    }

    fn here(&mut self, id: &str) -> Result<&mut Named, Fault> {
        match self.devices.get_mut(id) {
            Some(device) if device.is_here => Ok(device),
            Some(_) => Err(Fault::Unplugged(id.to_owned())),
            None => Err(Fault::NeverPlugged(id.to_owned())),
        }
    }

    fn presence(&mut self, id: &str, presence: Presence) -> Result<Said, Fault> {
        let device = self.here(id)?;
        device.is_here = presence != Presence::Gone;
        let number = device.number;
        if presence == Presence::Gone {
            self.spelled.retain(|_, [device, _]| *device != number);
        }
        Ok(Said::Presence(number, presence))
    }

    fn plug(&mut self, id: &str, line: &Line) -> Result<Said, LiveFault> {
        if self.here(id).is_ok() {
            return Err(Fault::PluggedAlready(id.to_owned()).into());
        }
        let info = line.device(id)?;
        let known = self
            .devices
            .get_mut(id)
            .filter(|device| self.infos[usize::from(device.number)] == info);
        let number = match known {
            Some(device) => {
                device.is_here = true;
                device.number
            }
            None => self.name(id, &info)?,
        };
        Ok(Said::Arrived(number, info))
    }

    /// Takes in a device that was not there before.
    fn name(&mut self, id: &str, info: &DeviceInfo) -> Result<u16, LiveFault> {
        if self.infos.len() == MAX_DEVICES {
            return Err(LiveFault::TooManyDevices);
        }
        if self.controls + info.controls.len() > MAX_CONTROLS {
            return Err(LiveFault::TooManyControls);
        }
        self.controls += info.controls.len();
        let number = self.infos.len() as u16;
        self.infos.push(info.clone());
        let codes = info.controls.iter().map(|control| control.code.clone()).zip(0..);
        let named = Named { number, controls: codes.collect(), is_here: true };
        self.devices.insert(id.to_owned(), named);
        Ok(number)
    }
}

/// What a plain line says of a control.
fn value(line: LiveValue, [device, control]: [u16; 2]) -> Result<(Option<Nanos>, Said), LiveFault> {
    let LiveValue { t, value: NamedValue { v, mark, .. }, .. } = line;
    let marks = mark.map_or(Ok(Marks::empty()), marks)?;
    Ok((t.map(Nanos), Said::Value { device, control, value: v, marks }))
}

fn unknown_control(id: &str, code: &str, device: &Named) -> Fault {
    let known = nearest(code, device.controls.keys().map(String::as_str));
    Fault::UnknownControl {
        device: id.to_owned(),
        code: code.to_owned(),
        nearest: known.map(str::to_owned),
    }
}
