//! Sends what a game reads from its devices to Green Trigger, while it happens.
//! One file, no dependency. Once devices are plugged nothing is allocated, and nothing waits:
//! what cannot be sent is counted; then the state of all controls is said again.
//!
//! ```ignore
//! let mut sender = Sender::open("crane-game", "/tmp/gtrig.sock");
//! let pad = sender.plug("pad1", "pad", &[("south", Kind::Button), ("stick-l-x", Kind::Axis(-100, 0, 100))]);
//! sender.value(pad, 0, 1);
//! sender.frame(); // once a frame: sends, and connects again when it is time
//! ```

use std::io::{ErrorKind, Write};
use std::time::{Duration, Instant};
use std::{os::unix::net::UnixStream, path::PathBuf};

const MOST_BYTES: usize = 1 << 16;
type Text = &'static str;

/// What a control is, with its range as it reports: least, centre, most.
#[derive(Clone, Copy)]
pub enum Kind {
    Button,
    Axis(i32, i32, i32),
    Trigger(i32, i32),
}

struct Device {
    id: Text,
    kind: Text,
    controls: Vec<(Text, Kind, i32)>,
}

/// A connection that comes again by itself.
pub struct Sender {
    name: Text,
    path: PathBuf,
    stream: Option<UnixStream>,
    waiting: Vec<u8>,
    devices: Vec<Device>,
    number: u64,
    /// Lines that were not sent.
    pub lost: u64,
    is_behind: bool,
    retry_at: Instant,
    zero: Instant,
}

impl Sender {
    pub fn open(name: Text, path: impl Into<PathBuf>) -> Self {
        let (zero, waiting) = (Instant::now(), Vec::with_capacity(MOST_BYTES));
        let (path, stream, devices, retry_at) = (path.into(), None, Vec::new(), zero);
        let (number, lost, is_behind) = (0, 0, false);
        #[rustfmt::skip]
        let mut sender = Sender { name, path, stream, waiting, devices, number, lost, is_behind, retry_at, zero };
        sender.connect();
        sender
    }

    /// A device is there. Returns its number.
    pub fn plug(&mut self, id: Text, kind: Text, controls: &[(Text, Kind)]) -> usize {
        let rest = |kind| match kind {
            Kind::Button => 0,
            Kind::Axis(_, rest, _) | Kind::Trigger(rest, _) => rest,
        };
        let controls = controls.iter().map(|&(code, kind)| (code, kind, rest(kind))).collect();
        self.devices.push(Device { id, kind, controls });
        self.say_plug(self.devices.len() - 1);
        self.devices.len() - 1
    }

    /// A control took a value. What did not change is not sent.
    pub fn value(&mut self, device: usize, control: usize, value: i32) {
        let last = &mut self.devices[device].controls[control].2;
        if std::mem::replace(last, value) != value {
            self.say_value(device, control, "");
        }
    }

    /// Sends what fits, and never waits.
    pub fn frame(&mut self) {
        self.connect();
        if self.is_behind && self.waiting.len() < MOST_BYTES / 2 {
            self.is_behind = false;
            self.say_state(r#","mark":"resynced""#);
        }
        match self.stream.as_mut().map(|stream| stream.write(&self.waiting)) {
            Some(Ok(sent)) => drop(self.waiting.drain(..sent)),
            Some(Err(error)) if error.kind() != ErrorKind::WouldBlock => self.stream = None,
            Some(Err(_)) | None => {}
        }
    }

    fn connect(&mut self) {
        if self.stream.is_some() || Instant::now() < self.retry_at {
            return;
        }
        self.retry_at = Instant::now() + Duration::from_millis(500);
        let Ok(stream) = UnixStream::connect(&self.path) else { return };
        self.stream = stream.set_nonblocking(true).is_ok().then_some(stream);
        self.waiting.clear();
        (self.number, self.is_behind) = (0, false);
        let _ = writeln!(self.waiting, r#"{{"live":1,"name":"{}","delay":20000000}}"#, self.name);
        (0..self.devices.len()).for_each(|device| self.say_plug(device));
        self.say_state(r#","mark":"carried""#);
    }

    /// Writes a line and its number, or counts it as lost.
    fn line(&mut self, write: impl FnOnce(&mut Vec<u8>, u64, &[Device])) {
        let (began, time) = (self.waiting.len(), self.zero.elapsed().as_nanos() as u64);
        self.number += 1;
        if self.stream.is_some() && began + MOST_BYTES / 8 <= MOST_BYTES {
            write(&mut self.waiting, time, &self.devices);
            let _ = writeln!(self.waiting, r#","n":{}}}"#, self.number);
        } else {
            (self.lost, self.is_behind) = (self.lost + 1, true);
        }
    }

    fn say_value(&mut self, device: usize, control: usize, mark: &str) {
        self.line(|out, t, devices| {
            let (on, (c, _, v)) = (devices[device].id, devices[device].controls[control]);
            let _ = write!(out, r#"{{"t":{t},"on":"{on}","c":"{c}","v":{v}{mark}"#);
        });
    }

    fn say_state(&mut self, mark: &str) {
        for device in 0..self.devices.len() {
            (0..self.devices[device].controls.len()).for_each(|c| self.say_value(device, c, mark));
        }
    }

    fn say_plug(&mut self, device: usize) {
        self.line(|out, t, devices| {
            let Device { id, kind, controls } = &devices[device];
            let _ = write!(out, r#"{{"t":{t},"plug":"{id}","kind":"{kind}","controls":["#);
            for (at, (code, kind, _)) in controls.iter().enumerate() {
                let _ = write!(out, r#"{}{{"code":"{code}","#, if at > 0 { "," } else { "" });
                let _ = match kind {
                    Kind::Button => write!(out, r#""kind":"button"}}"#),
                    Kind::Trigger(a, b) => write!(out, r#""kind":"trigger","min":{a},"max":{b}}}"#),
                    Kind::Axis(a, centre, b) => {
                        write!(out, r#""kind":"axis","min":{a},"centre":{centre},"max":{b}}}"#)
                    }
                };
            }
            let _ = write!(out, "]");
        });
    }
}
