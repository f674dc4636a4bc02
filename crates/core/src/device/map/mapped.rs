//! A map applied to a device, and a device seen through it.

use super::*;

/// A device seen through a map.
///
/// It keeps the last value of every control, for a joined axis is made of two values that a report
/// of the device says one after the other: it is told once both are known, when the report ends.
///
/// ```
/// use gtrig_core::*;
///
/// let pedal = |code: &str| ControlInfo::new(code, ControlKind::Trigger { min: 0, max: 255 });
/// let pedals = DeviceInfo {
///     identity: "0003:6b71:0002:0100:usb-2".into(),
///     kind: DeviceKind::Other,
///     name: CleanText::new("pedals"),
///     bus: CleanText::default(),
///     slot: None,
///     controls: vec![pedal("left"), pedal("right")],
/// };
/// let from = MappedFrom::Joined { negative: "left".into(), positive: "right".into() };
/// let map = DeviceMap {
///     device: DeviceMatch {
///         vendor: 0x6b71,
///         product: 2,
///         version: None,
///         name: None,
///         is_raw: false,
///     },
///     name: None,
///     kind: None,
///     controls: vec![MappedControl { code: "rudder".into(), from }],
///     left_out: vec![],
/// };
/// let (mut mapped, faults) = map.apply(&pedals);
/// assert!(faults.is_empty() && mapped.info.controls[0].code == "rudder");
/// let mut heard = vec![];
/// // Right alone, and then both against each other in one report.
/// for report in [&[(1, 200)][..], &[(0, 50), (1, 180)]] {
///     for (control, value) in report {
///         mapped.report(*control, *value, |control, value| heard.push((control, value)));
///     }
///     mapped.settle(|control, value| heard.push((control, value)));
/// }
/// assert_eq!(heard, [(0, 200), (0, 130)]);
/// ```
#[derive(Clone, Debug)]
pub struct MappedDevice {
    /// What it is here; its identity stays.
    pub info: DeviceInfo,
    /// For each control of the device, what becomes of it.
    uses: Vec<Vec<Use>>,
    /// The last value of each control of the device.
    values: Vec<i32>,
    /// The last value of each control here.
    reported: Vec<i32>,
    /// The axes that are joined.
    joined: Vec<Joined>,
}

/// What becomes of the value of one control of the device.
#[derive(Clone, Debug)]
struct Use {
    /// The control here that takes it.
    control: u16,
    /// What it makes of the value.
    how: How,
}

/// What a control here makes of the values of the device.
///
/// Worked out once, when the map is applied, so that a report costs no search by name.
#[derive(Clone, Debug)]
enum How {
    /// As it is.
    Same,
    /// Held in a range.
    Held(i32, i32),
    /// A button that is down at some values.
    Level(Levels),
    /// A side of a joined axis, by the place of this among [`MappedDevice::joined`].
    Side(usize),
}

/// An axis that two controls share.
#[derive(Clone, Copy, Debug)]
struct Joined {
    /// The control here that it is.
    control: u16,
    /// The side that goes down.
    negative: Part,
    /// The side that goes up.
    positive: Part,
    /// Whether a side of it was reported since it was told.
    is_due: bool,
}

/// A side of a joined axis.
#[derive(Clone, Copy, Debug)]
struct Part {
    /// Its place among the controls of the device.
    control: usize,
    /// What it reports at rest.
    rest: i32,
    /// What it reports at the end of its way.
    end: i32,
}

impl Part {
    /// The side that a control of a device is.
    ///
    /// # Errors
    /// When the device has no such control, or it is no axis or trigger.
    fn new(info: &DeviceInfo, code: &str) -> Result<Self, MapFault> {
        let control = place_of(info, code)?;
        let kind = info.controls[control].kind;
        let (ControlKind::Axis { max: end, .. } | ControlKind::Trigger { max: end, .. }) = kind
        else {
            return Err(MapFault::NotAnalogue(code.into()));
        };
        Ok(Part { control, rest: kind.rest(), end })
    }

    /// How far it is on its way, in its own units: 0 to [`Part::length`].
    fn way(&self, values: &[i32]) -> i64 {
        let (rest, end) = (i64::from(self.rest), i64::from(self.end));
        let way = (i64::from(values[self.control]) - rest) * (end - rest).signum();
        way.clamp(0, self.length())
    }

    /// How long its way is, in its own units.
    fn length(&self) -> i64 {
        (i64::from(self.end) - i64::from(self.rest)).abs()
    }
}

/// Where a control is among those of a device.
///
/// # Errors
/// When the device has none of this name.
fn place_of(info: &DeviceInfo, code: &str) -> Result<usize, MapFault> {
    let place = info.controls.iter().position(|control| control.code == code);
    place.ok_or_else(|| MapFault::NoControl(code.into()))
}

/// As large as the value of a control can be.
///
/// The difference of two 32-bit values needs 33 bits.
fn narrow(value: i64) -> i32 {
    value.clamp(i64::from(i32::MIN), i64::from(i32::MAX)) as i32
}

impl DeviceMap {
    /// Of several maps the one for a device that asks the most of it; of equals the
    /// first.
    pub fn best<'m>(maps: &'m [DeviceMap], info: &DeviceInfo) -> Option<&'m DeviceMap> {
        let fits = maps.iter().filter_map(|map| Some((map.device.fits(info)?, map)));
        fits.rev().max_by_key(|(fits, _)| *fits).map(|(_, map)| map)
    }

    /// A device as it is by this map, and what of the map it cannot keep. Controls that
    /// the map does not name stay as they are; one whose name the map gives to another
    /// becomes `other-` and its name.
    ///
    /// The controls that it names come first, in its order; then those that are left as they are,
    /// in the order of the device.
    pub fn apply(&self, device: &DeviceInfo) -> (MappedDevice, Vec<MapFault>) {
        let mut info = DeviceInfo {
            name: self.name.clone().unwrap_or_else(|| device.name.clone()),
            kind: self.kind.unwrap_or(device.kind),
            controls: Vec::new(),
            ..device.clone()
        };
        let mut uses = vec![Vec::new(); device.controls.len()];
        let (mut joined, mut faults) = (Vec::new(), Vec::new());
        for MappedControl { code, from } in &self.controls {
            let control = info.controls.len() as u16;
            match from.bind(device, control, (&mut uses, &mut joined)) {
                Ok(kind) => {
                    let first = from.parts().next().and_then(|code| place_of(device, code).ok());
                    let (grain, bits) = first.map_or(Default::default(), |at| {
                        (device.controls[at].grain, device.controls[at].bits)
                    });
                    info.controls.push(ControlInfo { code: code.clone(), kind, grain, bits });
                }
                Err(fault) => faults.push(fault),
            }
        }
        for (control, uses) in device.controls.iter().zip(&mut uses) {
            if uses.is_empty() && !self.left_out.contains(&control.code) {
                uses.push(Use { control: info.controls.len() as u16, how: How::Same });
                let code = free_name(&info, &control.code);
                info.controls.push(ControlInfo { code, ..control.clone() });
            }
        }
        for code in &self.left_out {
            faults.extend(place_of(device, code).err());
        }
        let values = device.controls.iter().map(|control| control.kind.rest()).collect();
        let reported = info.controls.iter().map(|control| control.kind.rest()).collect();
        (MappedDevice { info, uses, values, reported, joined }, faults)
    }
}

/// A name that no control has yet: its own, or `other-` and its own.
fn free_name(info: &DeviceInfo, code: &str) -> String {
    let is_free = |name: &String| info.controls.iter().all(|control| control.code != *name);
    let numbered = (2..).map(|n| format!("other-{n}-{code}"));
    let names = [String::from(code), format!("other-{code}")].into_iter().chain(numbered);
    let short = |name: String| name.chars().take(MAX_CODE).collect();
    names.map(short).find(is_free).expect("there are fewer controls than numbers")
}

impl MappedFrom {
    /// Ties it to a device: what it is there.
    fn bind(
        &self,
        device: &DeviceInfo,
        control: u16,
        (uses, joined): (&mut [Vec<Use>], &mut Vec<Joined>),
    ) -> Result<ControlKind, MapFault> {
        let mut add = |at: usize, how| uses[at].push(Use { control, how });
        Ok(match self {
            MappedFrom::Control { code, kind } => {
                let at = place_of(device, code)?;
                let held = |kind: &ControlKind| {
                    kind.range().map_or(How::Same, |(min, max)| How::Held(min, max))
                };
                add(at, kind.as_ref().map_or(How::Same, held));
                kind.unwrap_or(device.controls[at].kind)
            }
            MappedFrom::Level { code, down } => {
                add(place_of(device, code)?, How::Level(down.clone()));
                ControlKind::Button
            }
            MappedFrom::Joined { negative, positive } => {
                let negative = Part::new(device, negative)?;
                let positive = Part::new(device, positive)?;
                for part in [negative, positive] {
                    add(part.control, How::Side(joined.len()));
                }
                joined.push(Joined { control, negative, positive, is_due: false });
                let (min, max) = (narrow(-negative.length()), narrow(positive.length()));
                ControlKind::Axis { min, centre: 0, max }
            }
        })
    }
}

impl MappedDevice {
    /// A device without a map: all as it says.
    pub fn plain(info: DeviceInfo) -> Self {
        let uses = (0..info.controls.len() as u16)
            .map(|control| vec![Use { control, how: How::Same }])
            .collect();
        let values: Vec<i32> = info.controls.iter().map(|control| control.kind.rest()).collect();
        MappedDevice { info, uses, reported: values.clone(), values, joined: Vec::new() }
    }

    /// The control here that says just what a control of the device says, if one does.
    pub fn same_as(&self, control: usize) -> Option<usize> {
        match self.uses.get(control)?.as_slice() {
            [Use { control, how: How::Same }] => Some(usize::from(*control)),
            _ => None,
        }
    }

    /// The controls of the device that a control here is made of, by their places.
    pub fn parts(&self, control: usize) -> impl Iterator<Item = usize> {
        let is_part = move |uses: &[Use]| uses.iter().any(|to| usize::from(to.control) == control);
        self.uses.iter().zip(0..).filter(move |(uses, _)| is_part(uses)).map(|(_, at)| at)
    }

    /// The device reported a value of the control at a place; `tell` hears each control
    /// here that is told something by it. What is as it was said before is said again
    /// only where the device says a value as it is here. A joined axis is told by
    /// [`MappedDevice::settle`].
    pub fn report(&mut self, control: usize, value: i32, mut tell: impl FnMut(u16, i32)) {
        let Some(uses) = self.uses.get(control) else { return };
        self.values[control] = value;
        for Use { control, how } in uses {
            let (value, is_as_told) = match how {
                How::Same => (value, true),
                How::Held(min, max) => (value.clamp(*min, *max), false),
                How::Level(levels) => (i32::from(levels.has(value)), false),
                How::Side(of) => {
                    self.joined[*of].is_due = true;
                    continue;
                }
            };
            let reported = &mut self.reported[usize::from(*control)];
            if is_as_told || *reported != value {
                *reported = value;
                tell(*control, value);
            }
        }
    }

    /// The report ends that said the values since the last time: `tell` hears each joined axis
    /// that is elsewhere. Between two values of one report it is nowhere.
    pub fn settle(&mut self, mut tell: impl FnMut(u16, i32)) {
        for Joined { control, negative, positive, is_due } in &mut self.joined {
            if !core::mem::take(is_due) {
                continue;
            }
            let value = narrow(positive.way(&self.values) - negative.way(&self.values));
            let reported = &mut self.reported[usize::from(*control)];
            if core::mem::replace(reported, value) != value {
                tell(*control, value);
            }
        }
    }
}
