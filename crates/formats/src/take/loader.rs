//! What the lines of a take do to a session.

use super::{
    fault::Fault,
    labels::ReadLabels,
    line::{Line, marks},
    lines::ReadLine,
    read::{Damage, Loaded},
    value_line::{self, NamedValue, ValueLine},
};
use crate::nearest::nearest;
use gtrig_analysis::{
    Label, Session,
    clock::ClockMap,
    frames::{Frame, Given, Read as FrameRead},
};
use gtrig_core::{
    CleanText, ControlId, ControlKind, DeviceId, Event, LAST_TIME, Marks, Nanos, Presence,
};
use hashbrown::HashMap;

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

/// What the line of a value says.
#[derive(Clone, Copy, Debug)]
struct Value<'a> {
    time: u64,
    value: i32,
    mark: Option<&'a str>,
    of: Of<'a>,
}

/// The control that a line is about.
#[derive(Clone, Copy, Debug)]
enum Of<'a> {
    /// One that a line before has named in the same way.
    Control(ControlId),
    /// The one of these names, if there is one.
    Names { device: &'a str, code: &'a str },
}

/// Takes lines into a session, one after the other.
#[derive(Debug)]
pub(super) struct Loader {
    /// Of a take that is still written: its clock, and when the line came.
    pub(super) clock: Option<(ClockMap, Nanos)>,
    /// Where the take begins.
    begins: Nanos,
    devices: HashMap<String, Named>,
    /// The controls of devices that are present, by what [names](NamedValue::named) them.
    spelled: HashMap<Vec<u8>, ControlId>,
    /// The instant of the last line, labels aside.
    pub(super) now: Nanos,
    /// The latest instant of which anything good is said.
    pub(super) until: Nanos,
    /// Whether the line that ends a take was there.
    pub(super) has_ended: bool,
    /// Values of devices that no line has plugged in yet.
    pub(super) early: Vec<Early>,
    pub(super) labels: ReadLabels,
    pub(super) loaded: Loaded,
}

/// A value of a device that was not plugged in yet.
#[derive(Debug)]
pub(super) struct Early {
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

impl Loader {
    /// One before the first line of a take that begins there.
    pub(super) fn new(begins: Nanos) -> Self {
        Loader {
            clock: None,
            begins,
            devices: HashMap::new(),
            spelled: HashMap::new(),
            now: begins,
            until: begins,
            has_ended: false,
            early: Vec::new(),
            labels: ReadLabels::default(),
            loaded: Loaded::default(),
        }
    }

    /// By which id each device is known, in the order of the roster.
    pub(super) fn ids(&self) -> Vec<String> {
        let mut ids = vec![String::new(); self.devices.len()];
        // Of a device that came back under another id the one it has now counts.
        for (id, named) in self.devices.iter().filter(|(_, named)| named.present) {
            let place = usize::from(named.id.0);
            ids.resize(ids.len().max(place + 1), String::new());
            ids[place].clone_from(id);
        }
        ids
    }

    /// Takes in a line.
    ///
    /// # Errors
    /// When it is damaged, with its number.
    pub(super) fn line(&mut self, line: ReadLine, session: &mut Session) -> Result<(), Damage> {
        let ReadLine { number, text, value } = line;
        let value = value.and_then(|line| Some((line, self.meant(line.value.named)?)));
        let taken = match value {
            Some((ValueLine { t, value: NamedValue { v, mark, .. } }, of)) => {
                self.take_in_value(number, Value { time: t, value: v, mark, of }, session)
            }
            None => {
                let line = serde_json::from_slice(text).map_err(|error| Damage {
                    line: number,
                    column: Some(error.column()),
                    fault: Fault::NoJson(error),
                })?;
                self.take_in(number, &line, session)
            }
        };
        taken.map_err(|fault| Damage { line: number, column: None, fault })
    }

    /// What the line of a value names, if it does so plainly.
    fn meant<'a>(&mut self, named: &'a [u8]) -> Option<Of<'a>> {
        if let Some(&control) = self.spelled.get(named) {
            return Some(Of::Control(control));
        }
        let [device, code] = value_line::names(named)?;
        let known = self.present(device).ok().and_then(|known| known.controls.get(code).copied());
        if let Some(control) = known {
            self.spelled.insert(named.to_vec(), control);
        }
        Some(Of::Names { device, code })
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
        if let Line { on: Some(on), c: Some(c), v: Some(v), mark, .. } = line {
            let mark = mark.as_ref().map(|mark| &*mark.0);
            let of = Of::Names { device: &on.0, code: &c.0 };
            return self.take_in_value(number, Value { time, value: *v, mark, of }, session);
        }
        let time = self.placed(time, line.label.is_some());
        if let Some(text) = &line.label {
            // People write about the past; a label may stand anywhere.
            let text = CleanText::new(&text.0);
            self.labels.add(Label { time: Nanos(time), text });
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
        let marks = self.go_on_to(number, Nanos(time));
        self.take_in_other(line, marks, session)?;
        self.until = self.until.max(self.now);
        Ok(())
    }

    /// Takes in what the line of a value says.
    fn take_in_value(
        &mut self,
        number: u64,
        line: Value,
        session: &mut Session,
    ) -> Result<(), Fault> {
        let Value { time, value, mark, of } = line;
        if time > LAST_TIME.0 {
            return Err(Fault::TooLate { key: "t", time });
        }
        let time = self.placed(time, false);
        if self.has_ended {
            return Err(Fault::AfterTheEnd);
        }
        let mut marks = self.go_on_to(number, Nanos(time));
        if let Some(text) = mark {
            marks |= self::marks(text)?;
        }
        match (self.value(session, of, value, marks), of) {
            (Err(Fault::NeverPlugged(device)), Of::Names { code, .. })
                if self.early.len() < MAX_EARLY =>
            {
                let code = code.to_owned();
                self.early.push(Early { line: number, device, code, value, marks });
                return Ok(());
            }
            (done, _) => done?,
        }
        self.until = self.until.max(self.now);
        Ok(())
    }

    /// Time goes on to that of a line; one that goes back is marked so.
    fn go_on_to(&mut self, number: u64, time: Nanos) -> Marks {
        if time >= self.now {
            self.now = time;
            return Marks::empty();
        }
        self.loaded.backwards += 1;
        self.loaded.first_backwards.get_or_insert(number);
        Marks::LATE | Marks::DISORDERED
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
                self.spelled.clear();
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
        of: Of,
        value: i32,
        marks: Marks,
    ) -> Result<(), Fault> {
        let time = self.now;
        let control = match of {
            Of::Control(control) => control,
            Of::Names { device, code } => self.present(device)?.control(device, code)?,
        };
        session.report(Event { time, value, control, marks });
        self.loaded.events += 1;
        Ok(())
    }

    /// The values that waited for a device.
    fn take_in_early(&mut self, id: &str, session: &mut Session) -> Result<(), Fault> {
        for early in self.early.extract_if(.., |early| early.device == id).collect::<Vec<_>>() {
            self.loaded.before_plug += 1;
            self.loaded.first_before_plug.get_or_insert(early.line);
            let of = Of::Names { device: id, code: &early.code };
            self.value(session, of, early.value, early.marks | Marks::LATE)?;
        }
        Ok(())
    }

    /// A device that never was plugged in has said nothing.
    pub(super) fn never_plugged(&self) -> Option<Damage> {
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
            let device = match self.known(&id.0) {
                // It was gone when the take begins.
                Err(_) if self.begins > Nanos(0) => continue,
                known => known?,
            };
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
        let devices_came = Nanos(0);
        session.add_frame(Frame { game, number, acted, polled, steps, reads, gives, devices_came });
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
