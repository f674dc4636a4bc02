//! Devices that the proof makes, and what it sends on them.

use input_linux::{
    AbsoluteAxis, AbsoluteInfo, AbsoluteInfoSetup, EventKind, InputId, Key, RelativeAxis,
    UInputHandle, sys,
};
use nix::time::{ClockId, clock_gettime};
use serde::{Deserialize, Serialize};
use std::{fs::File, thread::sleep, time::Duration};

/// One value that was sent, as the take should have it.
#[derive(Debug, Deserialize, Serialize)]
pub struct Sent {
    pub device: String,
    pub c: String,
    pub v: i32,
    /// The kernel's monotonic clock just before and just after.
    pub from: u64,
    pub until: u64,
}

pub fn now() -> u64 {
    let time = clock_gettime(ClockId::CLOCK_MONOTONIC).expect("the kernel has a clock");
    time.tv_sec() as u64 * 1_000_000_000 + time.tv_nsec() as u64
}

/// A device that the proof made.
pub struct Made {
    pub name: &'static str,
    pub handle: UInputHandle<File>,
}

#[derive(Default)]
pub struct Abilities<'a> {
    pub keys: &'a [Key],
    pub axes: &'a [(AbsoluteAxis, i32, i32)],
    pub relative: &'a [RelativeAxis],
    pub repeats: bool,
}

impl Made {
    pub fn new(name: &'static str, abilities: &Abilities) -> anyhow::Result<Self> {
        let handle = UInputHandle::new(File::options().write(true).open("/dev/uinput")?);
        handle.set_evbit(EventKind::Synchronize)?;
        for (kind, wanted) in [
            (EventKind::Key, !abilities.keys.is_empty()),
            (EventKind::Absolute, !abilities.axes.is_empty()),
            (EventKind::Relative, !abilities.relative.is_empty()),
            (EventKind::Autorepeat, abilities.repeats),
        ] {
            if wanted {
                handle.set_evbit(kind)?;
            }
        }
        for &key in abilities.keys {
            handle.set_keybit(key)?;
        }
        for &axis in abilities.relative {
            handle.set_relbit(axis)?;
        }
        let mut setups = Vec::new();
        for &(axis, minimum, maximum) in abilities.axes {
            handle.set_absbit(axis)?;
            let info = AbsoluteInfo { minimum, maximum, ..AbsoluteInfo::default() };
            setups.push(AbsoluteInfoSetup { axis, info });
        }
        let id = InputId { bustype: 3, vendor: 0x6b71, product: 1, version: 1 };
        handle.create(&id, name.as_bytes(), 0, &setups)?;
        // The recorder is to find it before anything happens on it.
        sleep(Duration::from_millis(800));
        Ok(Made { name, handle })
    }

    /// Sends one packet.
    pub fn packet(&self, events: &[(EventKind, u16, i32)]) -> anyhow::Result<()> {
        let raw = |kind, code, value| sys::input_event {
            time: sys::timeval { tv_sec: 0, tv_usec: 0 },
            type_: kind as u16,
            code,
            value,
        };
        let mut all: Vec<_> = events.iter().map(|&(k, c, v)| raw(k, c, v)).collect();
        all.push(raw(EventKind::Synchronize, 0, 0));
        self.handle.write(&all)?;
        Ok(())
    }

    /// Sends a packet and notes what the take should have of it.
    pub fn send(
        &self,
        log: &mut Vec<Sent>,
        events: &[(EventKind, u16, i32)],
        names: &[(&str, i32)],
    ) -> anyhow::Result<()> {
        let from = now();
        self.packet(events)?;
        let until = now();
        let device = self.name.to_owned();
        log.extend(names.iter().map(|&(c, v)| Sent {
            device: device.clone(),
            c: c.to_owned(),
            v,
            from,
            until,
        }));
        sleep(Duration::from_millis(7));
        Ok(())
    }
}

pub const KEY: EventKind = EventKind::Key;
pub const ABS: EventKind = EventKind::Absolute;
pub const REL: EventKind = EventKind::Relative;
pub const SOUTH: u16 = Key::ButtonSouth as u16;

pub fn pad(name: &'static str) -> anyhow::Result<Made> {
    let axes = [(AbsoluteAxis::X, -32768, 32767), (AbsoluteAxis::Hat0X, -1, 1)];
    let keys = [Key::ButtonSouth, Key::ButtonEast];
    Made::new(name, &Abilities { keys: &keys, axes: &axes, ..Abilities::default() })
}
