//! Naming addresses of messages on the device bench: listen, move, name.

use super::{App, Lesson};
use crate::{
    maps,
    screen::{
        bench::Bench,
        prompt::{Prompt, Purpose},
    },
};
use crossterm::event::{KeyCode, KeyEvent};
use gtrig_analysis::learn::readings;
use gtrig_core::{
    AddressMap, AddressedAs, AddressedControl, AddressedDevice, CleanText, ControlInfo, DeviceKind,
};
use gtrig_formats::words::plural;
use gtrig_sources::AddressHeard;
use std::{collections::HashMap, path::Path};

/// A new name is proposed on this device.
const PROPOSED: &str = "desk";

/// Addresses that are being named.
#[derive(Debug)]
pub(crate) struct Naming {
    /// What was heard.
    pub(crate) heard: Vec<AddressHeard>,
    /// Which of it is chosen.
    pub(crate) chosen: usize,
    /// Whether what moves is chosen by that.
    pub(crate) follows: bool,
    /// How often another reading was asked for than the likeliest, by address and argument.
    turns: HashMap<(String, u8), usize>,
    /// What has a name by now.
    pub(crate) named: AddressMap,
}

impl Naming {
    fn take_in(&mut self, heard: Vec<AddressHeard>) {
        self.heard = heard;
        if self.follows {
            let newest = self.heard.iter().enumerate().max_by_key(|(_, of)| of.moved);
            self.chosen = newest.map_or(0, |(at, _)| at);
        }
    }

    fn choose(&mut self, by: i32) {
        self.follows = false;
        let last = self.heard.len().saturating_sub(1) as i32;
        self.chosen = (self.chosen as i32 + by).clamp(0, last) as usize;
    }

    /// As what it would be read.
    pub(crate) fn read_as(&self, of: &AddressHeard) -> AddressedAs {
        let all = readings(of.range, of.is_whole);
        let turns = self.turns.get(&(of.address.to_string(), of.argument)).copied();
        all[turns.unwrap_or(0) % all.len()]
    }

    fn turn_reading(&mut self) {
        if let Some(of) = self.heard.get(self.chosen) {
            self.follows = false;
            *self.turns.entry((of.address.to_string(), of.argument)).or_default() += 1;
        }
    }

    /// The name that it got here.
    pub(crate) fn name(&self, of: &AddressHeard) -> Option<String> {
        let mut here = self.named.at(|address| address == of.address.as_str());
        let (device, _, control) = here.find(|(.., control)| control.argument == of.argument)?;
        Some(format!("{}/{}", self.named.devices[device].id, control.code))
    }

    /// Gives what is chosen a name; a control of that name that was named here before is
    /// that no more.
    fn name_chosen(&mut self, device: &str, code: &str) {
        let Some(of) = self.heard.get(self.chosen) else { return };
        let control = AddressedControl {
            code: code.to_owned(),
            address: of.address.to_string(),
            argument: of.argument,
            read_as: self.read_as(of),
        };
        for known in &mut self.named.devices {
            known.controls.retain(|known| {
                (&known.address, known.argument) != (&control.address, control.argument)
            });
        }
        let new = AddressedDevice {
            id: device.to_owned(),
            name: CleanText::default(),
            kind: DeviceKind::Other,
            controls: vec![control],
        };
        let before = std::mem::take(&mut self.named);
        self.named = AddressMap { devices: vec![new] }.with(&before);
        self.named.devices.retain(|device| !device.controls.is_empty());
    }

    /// What the chosen one may be called: by what it is already, or by its address.
    fn proposal(&self) -> Option<String> {
        let of = self.heard.get(self.chosen)?;
        if let Some(name) = self.name(of).or_else(|| of.control.clone()) {
            return Some(name);
        }
        let is_good = |c: &char| c.is_ascii_alphanumeric() || "-._".contains(*c);
        let last = of.address.as_str().rsplit('/').next().unwrap_or_default();
        let mut code: String = last.chars().filter(is_good).take(30).collect();
        if of.argument > 0 || self.heard.iter().filter(|o| o.address == of.address).count() > 1 {
            code += &format!("-{}", of.argument + 1);
        }
        Some(format!("{}/{code}", self.device()))
    }

    /// The device that a new name is proposed on: that of the last one.
    fn device(&self) -> &str {
        self.named.devices.first().map_or(PROPOSED, |device| &device.id)
    }
}

impl App {
    /// Begins to name addresses, or says why not.
    pub(super) fn begin_naming(&mut self) {
        let Some(heard) = self.document.addresses_heard() else {
            let words = "no messages are heard: gtrig live --listen osc:9000 hears them";
            return self.tell(words.to_owned(), true);
        };
        let mut naming = Naming {
            heard: Vec::new(),
            chosen: 0,
            follows: true,
            turns: HashMap::new(),
            named: AddressMap::default(),
        };
        naming.take_in(heard);
        self.bench = Bench::Device;
        self.lesson = Some(Lesson::Addresses(naming));
    }

    /// Goes on with what came since; while a name is typed nothing else is chosen.
    pub(super) fn follow_naming(&mut self) {
        if self.prompt.is_some() {
            return;
        }
        if let Some(Lesson::Addresses(naming)) = &mut self.lesson
            && let Some(heard) = self.document.addresses_heard()
        {
            naming.take_in(heard);
        }
    }

    /// A key while addresses are being named.
    pub(super) fn naming_key(&mut self, key: &KeyEvent) {
        let Some(Lesson::Addresses(naming)) = &mut self.lesson else { return };
        match key.code {
            KeyCode::Up => naming.choose(-1),
            KeyCode::Down => naming.choose(1),
            KeyCode::PageUp => naming.choose(-10),
            KeyCode::PageDown => naming.choose(10),
            KeyCode::Tab => naming.turn_reading(),
            KeyCode::Char(' ') => naming.follows = true,
            KeyCode::Enter => {
                if let Some(proposal) = naming.proposal() {
                    self.notice = None;
                    self.prompt = Some(Prompt::replacing(Purpose::Address, &proposal));
                }
            }
            KeyCode::Esc | KeyCode::Char('q') => self.end_naming(),
            _ => {}
        }
    }

    /// A name was typed for the address that is chosen.
    pub(super) fn name_address(&mut self, text: &str) {
        let Some(Lesson::Addresses(naming)) = &mut self.lesson else { return };
        // A control alone is one of the device that was proposed.
        let (device, code) = text.split_once('/').unwrap_or((naming.device(), text));
        let (device, code) = (device.to_owned(), code.to_owned());
        match (&*device, &*code) {
            (device, code) if ControlInfo::is_code(device) && ControlInfo::is_code(code) => {
                naming.name_chosen(device, code);
            }
            _ => {
                let words = "a device and a control, such as desk/slew, each of 1 to 40 letters, digits, dots, dashes or underscores";
                self.tell(words.to_owned(), true);
            }
        }
    }

    /// Asks where the names go, if there are any.
    fn end_naming(&mut self) {
        let Some(Lesson::Addresses(naming)) = &self.lesson else { return };
        if naming.named.devices.is_empty() {
            self.lesson = None;
            return self.tell("nothing was named, and nothing is written".to_owned(), false);
        }
        let path = maps::of_addresses().unwrap_or("osc.toml".into());
        self.notice = None;
        self.prompt = Some(Prompt::new(Purpose::Addresses, &path.display().to_string()));
    }

    /// The names go to a file, and are in force from now on.
    pub(super) fn write_addresses(&mut self, path: &Path) {
        let Some(Lesson::Addresses(naming)) = &self.lesson else { return };
        let named = naming.named.clone();
        let shown = CleanText::new(&path.display().to_string()).to_string();
        if let Err(error) = maps::name_addresses(path, &named) {
            return self.tell(format!("the names are not written: {error:#}"), true);
        }
        self.lesson = None;
        self.document.use_addresses(&named);
        let count: usize = named.devices.iter().map(|device| device.controls.len()).sum();
        let by_rig = self.session().rig().osc.heard.clone();
        let is_by_rig = |device: &AddressedDevice, code: &str| {
            let mut of_rig = by_rig.devices.iter().filter(|of| of.id == device.id);
            of_rig.any(|of| of.controls.iter().any(|control| control.code == code))
        };
        let mut hidden = named.devices.iter().flat_map(|device| {
            let codes = device.controls.iter().map(|control| &control.code);
            codes.filter(|code| is_by_rig(device, code))
        });
        match hidden.next() {
            None => {
                let words = plural(count, "name");
                self.tell(format!("{words} from {shown} in force from now on"), false);
            }
            Some(code) => {
                let words = format!(
                    "{shown} is written, but the rig has a control {code} of its own, which goes before"
                );
                self.tell(words, true);
            }
        }
    }
}
