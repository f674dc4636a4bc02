//! An opened `/dev/input/event*`.

use super::{
    decode::{Decoder, Next, Raw, Slot, State},
    ioctl,
    layout::{
        ABS_MT_POSITION_X, ABS_MT_POSITION_Y, ABS_MT_SLOT, ABS_MT_TOOL_TYPE, ABS_MT_TRACKING_ID,
        Abilities, AbsAxis, Contacts, Layout, MT_TOOL_PALM,
    },
};
use crate::hid::axes::usages_of;
use crate::listener::{Change, monotonic_now};
use crate::nodes::Private;
use evdev::BusType;
use evdev::raw_stream::RawDevice;
use gtrig_core::{AxisInfo, DeviceInfo, Nanos};
use std::{
    fs::OpenOptions,
    io,
    os::{
        fd::{AsFd, AsRawFd, BorrowedFd, OwnedFd},
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
    /// What every slot has: its id, x, y, what else the layout has of a contact, and
    /// its tool, where the panel tells it.
    slot_codes: Vec<u16>,
    tells_tools: bool,
    private: Option<Private>,
    has_switches: bool,
    /// How often the state was another one than events told, in a row.
    untold: u8,
    is_grabbed: bool,
}

/// A state of a node, and what came since.
struct Settled {
    state: State,
    /// From when on events count.
    at: Nanos,
    since: Vec<Raw>,
}

/// So often the state is asked for again, if something was reported meanwhile.
const TRIES: usize = 32;

/// Why a device is not listened to without an express wish.
fn why_private(abilities: &Abilities) -> Option<Private> {
    match abilities {
        _ if abilities.types() => Some(Private::Types),
        _ if abilities.is_desk_mouse() => Some(Private::Mouse),
        _ => None,
    }
}

/// What a look at a silent node found.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Look {
    AsTold,
    /// Another program keeps its events to itself.
    Grabbed,
}

impl Node {
    /// Opens a node; `None` for one that reports nothing.
    pub(super) fn open(path: &Path) -> io::Result<Option<Self>> {
        let file = OpenOptions::new().read(true).custom_flags(nix::libc::O_NONBLOCK).open(path)?;
        let device = RawDevice::from_fd(OwnedFd::from(file))?;
        ioctl::use_monotonic_clock(&device)?;
        let abilities = abilities(&device)?;
        let Some(layout) = abilities.layout() else { return Ok(None) };
        let info = layout.info.clone();
        let has_slots = layout.tells_contacts == Contacts::Slots;
        let slots = if has_slots { usize::from(layout.contact_count) } else { 0 };
        let places = [ABS_MT_TRACKING_ID, ABS_MT_POSITION_X, ABS_MT_POSITION_Y];
        let slot_codes = places.into_iter().chain(layout.extras.iter().copied()).collect();
        let tells_tools = abilities.axes.iter().any(|axis| axis.code == ABS_MT_TOOL_TYPE);
        Ok(Some(Node {
            device,
            decoder: Decoder::new(layout),
            info,
            slots,
            slot_codes,
            tells_tools,
            private: why_private(&abilities),
            has_switches: !abilities.switches.is_empty(),
            untold: 0,
            is_grabbed: false,
        }))
    }

    pub(super) fn layout(&self) -> &Layout {
        self.decoder.layout()
    }

    pub(super) fn info(&self) -> &DeviceInfo {
        &self.info
    }

    /// Why it is not listened to without an express wish; `None` if it is.
    pub(super) fn is_private(&self) -> Option<Private> {
        self.private
    }

    pub(super) fn fd(&self) -> BorrowedFd<'_> {
        self.device.as_fd()
    }

    /// Begins to listen: what was there before is its state. Returns since when.
    ///
    /// # Errors
    /// When the device is gone.
    pub(super) fn begin(&mut self, out: &mut Vec<Change>) -> io::Result<Nanos> {
        let Settled { state, at, since } = self.settle()?;
        self.decoder.begin(&state, at, out);
        self.take_in(since, at, out)?;
        Ok(at)
    }

    /// Whether releases wait to be told from those of a device that goes.
    pub(super) fn holds_back(&self) -> bool {
        self.decoder.holds_back()
    }

    /// Nothing followed the releases that are held back.
    ///
    /// # Errors
    /// When the device is gone: then they were no hand's.
    pub(super) fn let_go(&mut self, out: &mut Vec<Change>) -> io::Result<()> {
        ioctl::is_there(&self.device)?;
        self.decoder.let_go(out);
        Ok(())
    }

    /// Whether more fingers touch it than are followed; asked once.
    pub(super) fn takes_more_contacts(&mut self) -> bool {
        self.decoder.takes_more_contacts()
    }

    /// Whether another program keeps its events to itself.
    pub(super) const fn is_grabbed(&self) -> bool {
        self.is_grabbed
    }

    /// Its events come again: it is as if it had just been opened.
    ///
    /// # Errors
    /// When the device is gone.
    pub(super) fn begin_again(&mut self, out: &mut Vec<Change>) -> io::Result<Nanos> {
        (self.is_grabbed, self.untold) = (false, 0);
        self.decoder.forget();
        self.begin(out)
    }

    /// Looks whether the state of a node that said nothing for a while is as its
    /// events told. Where it is not, once may be chance: asking for the keys drops
    /// those that came that very moment. Their changes are told then, as resynced.
    pub(super) fn look(&mut self, out: &mut Vec<Change>) -> io::Result<Look> {
        let at = monotonic_now()?;
        let waiting = self.drain()?;
        if !waiting.is_empty() {
            self.take_in(waiting, at, out)?;
            return Ok(Look::AsTold);
        }
        let state = self.state()?;
        let since = self.drain()?;
        if !self.decoder.differs(&state) {
            self.untold = 0;
            self.take_in(since, at, out)?;
            return Ok(Look::AsTold);
        }
        if since.is_empty() {
            self.untold += 1;
            if self.untold > 1 {
                self.is_grabbed = true;
                return Ok(Look::Grabbed);
            }
            self.decoder.resync(&state, at, out);
            return Ok(Look::AsTold);
        }
        // It spoke that very moment, and keys of it may have been dropped.
        self.untold = 0;
        let Settled { state, at, since } = self.settle()?;
        self.decoder.resync(&state, at, out);
        self.take_in(since, at, out)?;
        Ok(Look::AsTold)
    }

    /// Reads what is there.
    ///
    /// # Errors
    /// When the device is gone.
    pub(super) fn read(&mut self, out: &mut Vec<Change>) -> io::Result<()> {
        let events = self.batch()?;
        self.untold = 0;
        self.take_in(events, Nanos(0), out)
    }

    /// Takes in events, none of which was before an instant.
    fn take_in(
        &mut self,
        events: Vec<Raw>,
        mut at: Nanos,
        out: &mut Vec<Change>,
    ) -> io::Result<()> {
        let mut events = events.into_iter();
        while let Some(event) = events.next() {
            let event = Raw { time: event.time.max(at), ..event };
            if self.decoder.event(event, out) == Next::AskForState {
                // All that waits is older than the state.
                let settled = self.settle()?;
                at = settled.at;
                self.decoder.resync(&settled.state, at, out);
                events = settled.since.into_iter();
            }
        }
        Ok(())
    }

    /// What waits, as far as one call brings it.
    fn batch(&mut self) -> io::Result<Vec<Raw>> {
        match self.device.fetch_events() {
            Ok(events) => Ok(events.map(raw).collect()),
            Err(error) if error.kind() == io::ErrorKind::WouldBlock => Ok(Vec::new()),
            Err(error) => Err(error),
        }
    }

    /// All that waits.
    fn drain(&mut self) -> io::Result<Vec<Raw>> {
        let mut all = self.batch()?;
        let mut last = all.len();
        while last > 0 {
            let more = self.batch()?;
            last = more.len();
            all.extend(more);
        }
        Ok(all)
    }

    /// Leaves out all that waits, and asks for the state: again, if anything was
    /// reported meanwhile, because then the state may be of before and after it. A
    /// device that never stops reporting has its last word, and what it said since
    /// is taken in again.
    fn settle(&mut self) -> io::Result<Settled> {
        self.drain()?;
        let mut tries = 0;
        loop {
            let at = monotonic_now()?;
            let state = self.state()?;
            let since = self.drain()?;
            tries += 1;
            if since.is_empty() || tries == TRIES {
                return Ok(Settled { state, at, since });
            }
        }
    }

    fn state(&self) -> io::Result<State> {
        let down = self.device.get_key_state()?.iter().map(|key| key.0).collect();
        let axes = self.device.get_absinfo()?.map(|(code, info)| (code.0, info.value())).collect();
        let on = match self.has_switches {
            true => self.device.get_switch_state()?.iter().map(|switch| switch.0).collect(),
            false => Vec::new(),
        };
        Ok(State { down, on, axes, slots: self.slots()? })
    }

    fn slots(&self) -> io::Result<Vec<Slot>> {
        let none = Slot { id: -1, parts: Vec::new(), is_palm: false };
        let mut slots = vec![none; self.slots];
        if self.slots == 0 {
            return Ok(slots);
        }
        for (n, &code) in self.slot_codes.iter().enumerate() {
            let values = ioctl::slots(&self.device, code, self.slots)?;
            for (slot, value) in slots.iter_mut().zip(values) {
                match n {
                    0 => slot.id = value,
                    _ => slot.parts.push(value),
                }
            }
        }
        if self.tells_tools {
            let tools = ioctl::slots(&self.device, ABS_MT_TOOL_TYPE, self.slots)?;
            let palms = tools.into_iter().map(|tool| tool == MT_TOOL_PALM);
            slots.iter_mut().zip(palms).for_each(|(slot, is_palm)| slot.is_palm = is_palm);
        }
        Ok(slots)
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
        value: info.value(),
        grain: AxisInfo { resolution: info.resolution(), flat: info.flat(), fuzz: info.fuzz() },
    };
    let axes: Vec<AbsAxis> = device.get_absinfo()?.map(axis).collect();
    debug_assert!(axes.iter().filter(|axis| axis.code == ABS_MT_SLOT).count() <= 1);
    let codes: Vec<u16> = axes.iter().map(|axis| axis.code).collect();
    let usages = usages_of(&report_descriptor(device).unwrap_or_default(), &codes);
    let keys = device.supported_keys().into_iter().flat_map(|keys| keys.iter()).map(|k| k.0);
    let switches = device.supported_switches().into_iter().flat_map(|all| all.iter());
    let properties = device.properties().iter().map(|property| property.0);
    let relative = device.supported_relative_axes().into_iter().flat_map(|axes| axes.iter());
    Ok(Abilities {
        name,
        identity,
        bus: bus(id.bus_type()).to_owned(),
        keys: keys.collect(),
        relative: relative.map(|r| r.0).collect(),
        switches: switches.map(|switch| switch.0).collect(),
        properties: properties.collect(),
        axes,
        usages,
    })
}

/// The report descriptor of the HID device that a node belongs to, which anybody may
/// read.
fn report_descriptor(device: &RawDevice) -> Option<Vec<u8>> {
    let number = nix::sys::stat::fstat(device.as_raw_fd()).ok()?.st_rdev;
    let (major, minor) = (nix::sys::stat::major(number), nix::sys::stat::minor(number));
    std::fs::read(format!("/sys/dev/char/{major}:{minor}/device/device/report_descriptor")).ok()
}
