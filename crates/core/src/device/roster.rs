//! The roster: every device a session has seen, and the numbers of their
//! controls.
//!
//! A session gives out numbers once. Machine, plan, takes and history know a control only by its
//! [`ControlId`], and the roster is what turns it into a name again. Ids are dealt in the order in
//! which devices come: first the presence of a device, then its controls in the order of its
//! source.
//!
//! ```text
//!  id     0         1      2      3          4         5
//!         presence  south  east   stick-l-x  presence  travel
//!         └──────────── pad·1 ────────────┘  └── lever·2 ──┘
//! ```

use crate::base::{ControlId, DeviceId, Keyword};
use crate::device::{
    Axes, ControlInfo, ControlKind, Deal, DeviceInfo, DeviceKind, Presence, SLOTS, SlotRules,
};
use alloc::{
    format,
    string::{String, ToString},
    vec::Vec,
};
use core::{cmp::Reverse, fmt, ops::Range};

/// A session numbers at most this many controls over all its devices.
pub const MAX_CONTROLS: usize = 60_000;

/// A device on the roster.
///
/// Everything but whether it is connected stays as it was when it came.
#[derive(Clone, Debug)]
pub struct Device {
    /// What the source said.
    pub info: DeviceInfo,
    /// The player slot, for kinds that take one; 0 when all slots were taken.
    /// Devices of other kinds are counted within their kind, from 1.
    pub number: u8,
    /// The id of its presence; those of its controls follow, in the order of its source.
    first: u16,
    /// `None` while it is connected. Otherwise departures are counted, and this
    /// is the number of its own: the higher, the later it left.
    left: Option<u32>,
}

impl Device {
    /// Whether it is plugged in.
    pub const fn is_connected(&self) -> bool {
        self.left.is_none()
    }

    /// The presence control.
    pub const fn presence(&self) -> ControlId {
        ControlId(self.first)
    }

    /// All its controls but presence.
    pub fn controls(
        &self,
    ) -> impl DoubleEndedIterator<Item = ControlId> + ExactSizeIterator + use<> {
        self.range().skip(1).map(ControlId)
    }

    /// The control with this name.
    pub fn control(&self, code: &str) -> Option<ControlId> {
        let at = self.info.controls.iter().position(|c| c.code == code)?;
        Some(ControlId(self.first + 1 + at as u16))
    }

    /// Presence and all controls.
    pub fn range(&self) -> Range<u16> {
        self.first..self.first + 1 + self.info.controls.len() as u16
    }

    /// How files write it: `pad1`, `keys`, `keys2`.
    pub fn address(&self) -> impl fmt::Display + '_ {
        Named { device: self, dot: "" }
    }

    /// How the screen writes it: `pad·1`, `keys`, `keys·2`.
    pub fn label(&self) -> impl fmt::Display + '_ {
        Named { device: self, dot: "·" }
    }
}

/// A device by its kind and number, with something between the two.
struct Named<'a> {
    /// The device.
    device: &'a Device,
    /// What stands between kind and number.
    dot: &'static str,
}

impl fmt::Display for Named<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let kind = self.device.info.kind;
        match self.device.number {
            1 if !kind.takes_slot() => f.write_str(kind.word()),
            0 => write!(f, "{}{}0", kind.word(), self.dot),
            n => write!(f, "{}{}{n}", kind.word(), self.dot),
        }
    }
}

/// A control on the roster.
#[derive(Clone, Copy, Debug)]
pub struct Control {
    /// The device it is on.
    pub device: DeviceId,
    /// What it reports; a [`ControlKind::Button`] for presence.
    pub kind: ControlKind,
    /// Whether it is the device's presence.
    pub is_presence: bool,
}

/// Why a device could not be put on the roster.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RosterError {
    /// The session already has [`MAX_CONTROLS`] controls, or would have.
    TooManyControls,
}

impl fmt::Display for RosterError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            RosterError::TooManyControls => write!(
                f,
                "too many controls: a session holds at most {MAX_CONTROLS} over all its devices"
            ),
        }
    }
}

impl core::error::Error for RosterError {}

/// Every device the session has seen. It only grows: an id stays valid, and
/// stays with its device, for as long as the session lasts, and a device keeps
/// its number. One that comes back and finds its slot taken is therefore put
/// on the roster anew.
///
/// ```
/// use gtrig_core::*;
///
/// let pad = |identity: &str| DeviceInfo {
///     identity: identity.into(),
///     kind: DeviceKind::Pad,
///     name: CleanText::new("trainer pad"),
///     bus: CleanText::default(),
///     slot: None,
///     controls: vec![ControlInfo::new("south", ControlKind::Button)],
/// };
/// let (mut roster, rules) = (Roster::default(), SlotRules::default());
/// let first = roster.admit(pad("usb-1"), &rules)?;
/// let second = roster.admit(pad("usb-2"), &rules)?;
/// let south = roster.device(second).control("south").unwrap();
/// assert_eq!(roster.address(south).to_string(), "pad2/south");
///
/// // Unplugged and back: the same device, the same ids, the same slot.
/// roster.dismiss(first);
/// assert_eq!(roster.admit(pad("usb-1"), &rules)?, first);
/// # Ok::<(), RosterError>(())
/// ```
#[derive(Clone, Debug, Default)]
pub struct Roster {
    /// By [`DeviceId`].
    devices: Vec<Device>,
    /// By [`ControlId`].
    controls: Vec<Control>,
    /// How often a device left: what orders them.
    departures: u32,
}

impl Roster {
    /// Puts a device on the roster, or finds the absent one that it is, and
    /// gives it its slot.
    ///
    /// # Errors
    /// When there is no room for its controls; see [`MAX_CONTROLS`].
    ///
    /// It is the same device if kind, identity and controls are those of one that left, and if that
    /// one's number is free again. Otherwise it is a new one, with new ids.
    pub fn admit(&mut self, info: DeviceInfo, rules: &SlotRules) -> Result<DeviceId, RosterError> {
        let is_it = |d: &Device| {
            d.left.is_some()
                && d.info.kind == info.kind
                && d.info.identity == info.identity
                && d.info.controls == info.controls
        };
        let mut known: Vec<usize> =
            (0..self.devices.len()).filter(|&at| is_it(&self.devices[at])).collect();
        // It may have been here under several numbers: the last one first.
        known.sort_by_key(|&at| Reverse(self.devices[at].left));
        let number = self.number_for(&info, &known, rules);
        if let Some(&at) = known.iter().find(|&&at| self.devices[at].number == number) {
            self.devices[at].left = None;
            return Ok(DeviceId(at as u16));
        }
        let first = self.controls.len();
        if first + 1 + info.controls.len() > MAX_CONTROLS {
            return Err(RosterError::TooManyControls);
        }
        let device = DeviceId(self.devices.len() as u16);
        self.controls.push(Control { device, kind: ControlKind::Button, is_presence: true });
        self.controls.extend(info.controls.iter().map(|c| Control {
            device,
            kind: c.kind,
            is_presence: false,
        }));
        self.devices.push(Device { info, number, first: first as u16, left: None });
        Ok(device)
    }

    /// Frees the slot of a device that was unplugged.
    ///
    /// Its ids stay valid. That it is gone for a run says an event of its presence; see
    /// [`Presence::Gone`].
    pub fn dismiss(&mut self, device: DeviceId) {
        self.departures += 1;
        self.devices[device.0 as usize].left = Some(self.departures);
    }

    /// The number of a device that arrives; `known` is what it was before. The first of these
    /// that it may have: the slot that the rig keeps for it, its own of before, the one its
    /// source asks for, the one that the rule deals. 0 where all slots are taken.
    fn number_for(&self, info: &DeviceInfo, known: &[usize], rules: &SlotRules) -> u8 {
        let kind = info.kind;
        let pinned = rules.pinned(info).filter(|_| kind.takes_slot());
        let last = if kind.takes_slot() { SLOTS } else { u8::MAX };
        let may_have = |&n: &u8| {
            let is_kept = kind.takes_slot() && rules.is_kept(n) && pinned != Some(n);
            (1..=last).contains(&n) && !is_kept && self.is_free(kind, n)
        };
        let own = known.iter().map(|&at| self.devices[at].number);
        let slot = info.slot.filter(|_| kind.takes_slot());
        let wishes = pinned.into_iter().chain(own).chain(slot);
        let wished = { wishes }.find(may_have);
        let dealt = || match rules.deal {
            Deal::LastUsed if kind.takes_slot() => {
                (1..=last).filter(may_have).min_by_key(|&n| self.given_up(n))
            }
            _ => (1..=last).find(may_have),
        };
        wished.or_else(dealt).unwrap_or(0)
    }

    /// The last time somebody left a slot; 0 if nobody ever did.
    fn given_up(&self, slot: u8) -> u32 {
        let holders = self.devices.iter().filter(|d| d.info.kind.takes_slot() && d.number == slot);
        holders.filter_map(|d| d.left).max().unwrap_or(0)
    }

    /// Whether no device that is connected has a number: pads and levers share theirs, all other
    /// kinds have numbers of their own.
    fn is_free(&self, kind: DeviceKind, number: u8) -> bool {
        number != 0
            && !self.devices.iter().any(|d| {
                let rival =
                    if kind.takes_slot() { d.info.kind.takes_slot() } else { d.info.kind == kind };
                d.left.is_none() && rival && d.number == number
            })
    }

    /// All devices, in the order they came.
    pub fn devices(&self) -> impl ExactSizeIterator<Item = (DeviceId, &Device)> {
        self.devices.iter().enumerate().map(|(i, d)| (DeviceId(i as u16), d))
    }

    /// One device.
    ///
    /// # Panics
    /// For an id of another roster.
    pub fn device(&self, id: DeviceId) -> &Device {
        &self.devices[id.0 as usize]
    }

    /// All controls, presences included, in the order of their ids.
    pub fn controls(&self) -> &[Control] {
        &self.controls
    }

    /// One control.
    ///
    /// # Panics
    /// For an id of another roster.
    pub fn control(&self, id: ControlId) -> Control {
        self.controls[id.index()]
    }

    /// The device a control is on.
    pub fn device_of(&self, id: ControlId) -> &Device {
        self.device(self.control(id).device)
    }

    /// The standard name of a control.
    pub fn code(&self, id: ControlId) -> &str {
        let device = self.device_of(id);
        match (id.0 - device.first).checked_sub(1) {
            None => Presence::CODE,
            Some(at) => &device.info.controls[at as usize].code,
        }
    }

    /// What its device says of a control.
    ///
    /// # Panics
    /// For a presence, of which no device says anything.
    pub fn info(&self, id: ControlId) -> &ControlInfo {
        let device = self.device_of(id);
        &device.info.controls[usize::from(id.0 - device.first - 1)]
    }

    /// Every stick, by its two axes, and every axis and trigger that is part of
    /// none.
    ///
    /// ```
    /// use gtrig_core::*;
    ///
    /// let kind = ControlKind::Axis { min: -9, centre: 0, max: 9 };
    /// let axis = |code: &str| ControlInfo::new(code, kind);
    /// let pad = DeviceInfo {
    ///     identity: "usb-1".into(),
    ///     kind: DeviceKind::Pad,
    ///     name: CleanText::default(),
    ///     bus: CleanText::default(),
    ///     slot: None,
    ///     controls: vec![axis("stick-l-y"), axis("stick-l-x"), axis("axis-9")],
    /// };
    /// let mut roster = Roster::default();
    /// roster.admit(pad, &SlotRules::default())?;
    /// let all: Vec<String> = roster.axes().map(|axes| roster.axes_address(axes)).collect();
    /// // A stick is found whichever of its axes comes first.
    /// assert_eq!(all, ["pad1/stick-l", "pad1/axis-9"]);
    /// # Ok::<(), RosterError>(())
    /// ```
    pub fn axes(&self) -> impl Iterator<Item = Axes> {
        let controls = self.devices().flat_map(|(_, device)| device.controls());
        let is_travel = |id: &ControlId| {
            matches!(self.control(*id).kind, ControlKind::Axis { .. } | ControlKind::Trigger { .. })
        };
        controls.filter(is_travel).filter_map(|id| {
            let (code, device) = (self.code(id), self.device_of(id));
            let partner = |ending: &str, other: &str| {
                device.control(&format!("{}{other}", code.strip_suffix(ending)?))
            };
            // The y of a stick goes with its x.
            match (partner("-x", "-y"), partner("-y", "-x")) {
                (_, Some(_)) => None,
                (y, None) => Some(Axes { x: id, y }),
            }
        })
    }

    /// How files write a stick, `pad1/stick-l`, or an axis that is part of none.
    pub fn axes_address(&self, axes: Axes) -> String {
        without_axis(self.address(axes.x).to_string(), axes)
    }

    /// How the screen writes it: `pad·1 stick-l`.
    pub fn axes_label(&self, axes: Axes) -> String {
        without_axis(self.label(axes.x).to_string(), axes)
    }

    /// The kinds of two axes; of a single one, its own twice.
    pub fn axes_kinds(&self, Axes { x, y }: Axes) -> [ControlKind; 2] {
        [x, y.unwrap_or(x)].map(|id| self.control(id).kind)
    }

    /// How files write a control: `pad1/south`.
    pub fn address(&self, id: ControlId) -> impl fmt::Display + '_ {
        Joined { device: self.device_of(id), dot: "", between: "/", code: self.code(id) }
    }

    /// How the screen writes a control: `pad·1 south`.
    pub fn label(&self, id: ControlId) -> impl fmt::Display + '_ {
        Joined { device: self.device_of(id), dot: "·", between: " ", code: self.code(id) }
    }
}

/// The name of a stick is that of its x without the axis.
fn without_axis(mut name: String, axes: Axes) -> String {
    if !axes.is_single() && name.ends_with("-x") {
        name.truncate(name.len() - 2);
    }
    name
}

/// A control by its device and its name.
struct Joined<'a> {
    /// The device.
    device: &'a Device,
    /// What stands between its kind and its number.
    dot: &'static str,
    /// What stands between device and control.
    between: &'static str,
    /// The name of the control.
    code: &'a str,
}

impl fmt::Display for Joined<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let device = Named { device: self.device, dot: self.dot };
        write!(f, "{device}{}{}", self.between, self.code)
    }
}

#[cfg(test)]
mod tests;
