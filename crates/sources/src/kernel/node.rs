//! An opened `/dev/input/event*`.

use super::{
    Change,
    decode::{Decoder, Next, Raw, State},
    ioctl,
    layout::{
        ABS_MT_POSITION_X, ABS_MT_POSITION_Y, ABS_MT_SLOT, ABS_MT_TRACKING_ID, Abilities, AbsAxis,
    },
};
use evdev::BusType;
use evdev::raw_stream::RawDevice;
use gtrig_core::{AxisInfo, DeviceInfo, DeviceKind, Nanos};
use std::{
    fs::OpenOptions,
    io,
    os::{
        fd::{AsFd, BorrowedFd, OwnedFd},
        unix::fs::OpenOptionsExt,
    },
    path::Path,
    time::UNIX_EPOCH,
};

/// A device that can be read without waiting.
pub(super) struct Node {
    device: RawDevice,
    decoder: Decoder,
    info: DeviceInfo,
    slots: usize,
}

impl Node {
    /// Opens a node; `None` for one that reports nothing.
    pub(super) fn open(path: &Path) -> io::Result<Option<Self>> {
        let file = OpenOptions::new().read(true).custom_flags(nix::libc::O_NONBLOCK).open(path)?;
        let device = RawDevice::from_fd(OwnedFd::from(file))?;
        ioctl::use_monotonic_clock(&device)?;
        let abilities = abilities(&device)?;
        let Some(layout) = abilities.layout() else { return Ok(None) };
        let (info, slots) = (layout.info.clone(), usize::from(layout.contact_count));
        Ok(Some(Node { device, decoder: Decoder::new(layout), info, slots }))
    }

    pub(super) fn info(&self) -> &DeviceInfo {
        &self.info
    }

    pub(super) fn kind(&self) -> DeviceKind {
        self.info.kind
    }

    pub(super) fn fd(&self) -> BorrowedFd<'_> {
        self.device.as_fd()
    }

    /// The state that is there before anything is read.
    pub(super) fn begin(&mut self, out: &mut Vec<Change>) -> io::Result<()> {
        let state = self.state()?;
        self.decoder.begin(&state, ioctl::monotonic_now()?, out);
        Ok(())
    }

    /// Reads what is there.
    ///
    /// # Errors
    /// When the device is gone.
    pub(super) fn read(&mut self, out: &mut Vec<Change>) -> io::Result<()> {
        let events: Vec<Raw> = match self.device.fetch_events() {
            Ok(events) => events.map(raw).collect(),
            Err(error) if error.kind() == io::ErrorKind::WouldBlock => return Ok(()),
            Err(error) => return Err(error),
        };
        for event in events {
            if self.decoder.event(event, out) == Next::AskForState {
                let state = self.state()?;
                self.decoder.resync(&state, event.time, out);
                // The rest of the batch is older than the state, and asking for
                // it made the kernel drop the keys that came after the batch.
                return Ok(());
            }
        }
        Ok(())
    }

    fn state(&self) -> io::Result<State> {
        let down = self.device.get_key_state()?.iter().map(|key| key.0).collect();
        let axes = self.device.get_absinfo()?.map(|(code, info)| (code.0, info.value())).collect();
        let mut slots = vec![[-1, 0, 0]; self.slots];
        if self.slots > 0 {
            let codes = [ABS_MT_TRACKING_ID, ABS_MT_POSITION_X, ABS_MT_POSITION_Y];
            for (part, code) in codes.into_iter().enumerate() {
                let values = ioctl::slots(&self.device, code, self.slots)?;
                slots.iter_mut().zip(values).for_each(|(slot, value)| slot[part] = value);
            }
        }
        Ok(State { down, axes, slots })
    }
}

/// The kernel's bus types in words; a rare one goes by its number alone, which
/// is in the identity.
fn bus(bus: BusType) -> &'static str {
    match bus {
        BusType::BUS_PCI => "pci",
        BusType::BUS_USB => "usb",
        BusType::BUS_BLUETOOTH => "bluetooth",
        BusType::BUS_VIRTUAL => "virtual",
        BusType::BUS_I8042 => "i8042",
        BusType::BUS_RS232 => "rs232",
        BusType::BUS_GAMEPORT => "gameport",
        BusType::BUS_I2C => "i2c",
        BusType::BUS_HOST => "host",
        BusType::BUS_SPI => "spi",
        _ => "",
    }
}

fn raw(event: evdev::InputEvent) -> Raw {
    // The crate dresses the kernel's stamp up as a time of day.
    let stamp = event.timestamp().duration_since(UNIX_EPOCH).unwrap_or_default();
    Raw {
        time: Nanos(stamp.as_nanos() as u64),
        kind: event.event_type().0,
        code: event.code(),
        value: event.value(),
    }
}

fn abilities(device: &RawDevice) -> io::Result<Abilities> {
    let id = device.input_id();
    let name = device.name().unwrap_or("unnamed").to_owned();
    let place = device.unique_name().or(device.physical_path()).unwrap_or_default();
    let identity = format!(
        "{:04x}:{:04x}:{:04x}:{:04x}:{place}:{name}",
        id.bus_type().0,
        id.vendor(),
        id.product(),
        id.version(),
    );
    let axis = |(code, info): (evdev::AbsoluteAxisCode, evdev::AbsInfo)| AbsAxis {
        code: code.0,
        range: (info.minimum(), info.maximum()),
        grain: AxisInfo { resolution: info.resolution(), flat: info.flat(), fuzz: info.fuzz() },
    };
    let axes: Vec<AbsAxis> = device.get_absinfo()?.map(axis).collect();
    debug_assert!(axes.iter().filter(|axis| axis.code == ABS_MT_SLOT).count() <= 1);
    let keys = device.supported_keys().into_iter().flat_map(|keys| keys.iter()).map(|k| k.0);
    let relative = device.supported_relative_axes().into_iter().flat_map(|axes| axes.iter());
    Ok(Abilities {
        name,
        identity,
        bus: bus(id.bus_type()).to_owned(),
        keys: keys.collect(),
        relative: relative.map(|r| r.0).collect(),
        axes,
    })
}
