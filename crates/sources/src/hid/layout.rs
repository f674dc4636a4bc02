//! Which control is where in the reports of a device.

use super::{
    descriptor::{Descriptor, Field, FieldKind, MAX_FIELDS, Physical, UsageId},
    usage,
};
use gtrig_core::{
    CleanText, ControlInfo, ControlKind, DeviceInfo, DeviceKind, DeviceMap, RAW, ReportBits,
};
use std::{
    collections::{HashMap, HashSet},
    ops::Range,
};

/// No more bytes of reports become controls than these.
const MAX_BYTES: usize = 1024;
/// A list of what is on that could name more controls than these becomes none.
const MAX_LISTED: usize = 1024;

/// A device as it is plugged into a session, and where its controls are.
#[derive(Clone, Debug)]
pub(crate) struct Layout {
    pub(crate) info: DeviceInfo,
    pub(super) reports: Vec<Report>,
    pub(super) is_numbered: bool,
    /// What of the descriptor became no control, in words.
    pub(crate) left_out: Vec<String>,
    /// What each control is in the world, where its field says it.
    pub(crate) physical: Vec<Option<Physical>>,
    names: Names,
}

/// The names that controls have, so that each has one of its own.
#[derive(Clone, Debug, Default)]
struct Names {
    taken: HashSet<String>,
    /// For each name the number to put behind it when it comes again.
    next: HashMap<String, u32>,
}

impl Names {
    /// A name that no control has yet: the name itself, or with a number behind it.
    fn free(&mut self, name: &str) -> String {
        let next = self.next.entry(name.to_owned()).or_insert(1);
        loop {
            let code = match *next {
                1 => name.to_owned(),
                n => {
                    let end = format!("-{n}");
                    name.chars().take(40 - end.len()).collect::<String>() + &end
                }
            };
            *next += 1;
            if self.taken.insert(code.clone()) {
                return code;
            }
        }
    }
}

/// What becomes of one report.
#[derive(Clone, Debug)]
pub(super) struct Report {
    pub(super) id: u8,
    /// How long it is, its number included.
    pub(super) bytes: usize,
    pub(super) fields: Vec<Route>,
    /// The control of the first byte that has one, and which byte that is.
    pub(super) bytes_at: (u16, usize),
    /// So many bytes have controls.
    pub(super) byte_count: usize,
}

/// Which control some bits are.
#[derive(Clone, Debug)]
pub(super) struct Route {
    pub(super) bits: Range<u32>,
    pub(super) is_signed: bool,
    pub(super) becomes: Becomes,
}

#[derive(Clone, Debug)]
pub(super) enum Becomes {
    /// A button or a value.
    Value(u16),
    /// Counts since the last report.
    Count(u16),
    /// Up, right, down and left of a hat whose first place is up.
    Hat { controls: [u16; 4], first: i32, places: i32 },
    /// What is on.
    List(List),
}

/// A list of what is on: numbers of so many bits, of which `first` names the first control.
#[derive(Clone, Debug)]
pub(super) struct List {
    pub(super) width: u32,
    pub(super) first: i32,
    pub(super) controls: Vec<Listed>,
}

/// What a number of a list names.
#[derive(Clone, Copy, Debug)]
pub(super) enum Listed {
    /// Nothing: the number stands where there is nothing to name.
    Nothing,
    /// A button that is on.
    Button(u16),
    /// That the device cannot tell what is on. It is a button too.
    Unknown(u16),
}

/// What a device is known by.
#[derive(Clone, Debug, Default)]
pub(crate) struct Identity {
    pub(crate) bus: u16,
    pub(crate) vendor: u16,
    pub(crate) product: u16,
    pub(crate) place: String,
    pub(crate) name: String,
}

impl Identity {
    /// As the identity of a device: that of the kernel's events behind [`RAW`]; the
    /// version is not told here.
    fn text(&self) -> String {
        let Identity { bus, vendor, product, place, name } = self;
        CleanText::new(&format!("{RAW}{bus:04x}:{vendor:04x}:{product:04x}:0000:{place}:{name}"))
            .to_string()
    }
}

impl Layout {
    /// The layout of a device, with the fields that the best of some maps asks for.
    pub(crate) fn new(identity: &Identity, descriptor: &Descriptor, maps: &[DeviceMap]) -> Self {
        let bus = match identity.bus {
            3 => "usb",
            5 => "bluetooth",
            0x18 => "i2c",
            _ => "",
        };
        let info = DeviceInfo {
            identity: identity.text(),
            kind: DeviceKind::Other,
            name: CleanText::new(&identity.name),
            bus: CleanText::new(bus),
            slot: None,
            controls: Vec::new(),
        };
        let is_numbered = descriptor.is_numbered;
        let (reports, left_out) = (Vec::new(), Vec::new());
        let (names, physical) = (Names::default(), Vec::new());
        let mut layout = Layout { info, reports, is_numbered, left_out, physical, names };
        for of in &descriptor.reports {
            let report = Report {
                id: of.id,
                bytes: of.bytes(),
                fields: Vec::new(),
                bytes_at: (0, 0),
                byte_count: 0,
            };
            layout.reports.push(report);
            of.fields.iter().for_each(|field| layout.add(field, of.id));
        }
        layout.add_wanted(maps);
        layout.add_bytes();
        layout.physical.resize(layout.info.controls.len(), None);
        layout
    }

    /// Whether what is typed into it could be read, or it moves the pointer.
    pub(crate) fn is_private(descriptor: &Descriptor) -> bool {
        let fields = descriptor.reports.iter().flat_map(|report| &report.fields);
        let usages = fields.clone().flat_map(|field| match &field.kind {
            FieldKind::Variable { usage, .. } => std::slice::from_ref(usage),
            FieldKind::List { usages, .. } => usages.as_slice(),
            FieldKind::Padding => &[],
        });
        // Letters, digits, signs and the numeric pad.
        let writes = |usage: &UsageId| {
            usage.page == usage::KEYBOARD && matches!(usage.id, 0x04..=0x38 | 0x54..=0x64)
        };
        let points = |field: &Field| {
            field.application == Some(usage::MOUSE)
                && matches!(field.kind, FieldKind::Variable { usage: usage::X, is_relative: true })
        };
        usages.clone().any(writes) || fields.clone().any(points)
    }

    fn control(&mut self, name: &str, kind: ControlKind, bits: Option<ReportBits>) -> u16 {
        let code = self.names.free(name);
        self.info.controls.push(ControlInfo { bits, ..ControlInfo::new(&code, kind) });
        self.info.controls.len() as u16 - 1
    }

    fn route(&mut self, report: u8, route: Route) {
        let report = self.reports.iter_mut().find(|own| own.id == report);
        report.expect("a field is of a report").fields.push(route);
    }

    fn add(&mut self, field: &Field, report: u8) {
        let bits = Some(place(report, &field.bits));
        let becomes = match &field.kind {
            FieldKind::Padding => return,
            FieldKind::Variable { usage, is_relative: true } => {
                Becomes::Count(self.control(&usage::name(*usage), ControlKind::Relative, bits))
            }
            FieldKind::Variable { usage: usage::HAT, .. } => self.hat(field, bits),
            FieldKind::Variable { usage, .. } => {
                let name = usage::name(*usage);
                let control = self.control(&name, kind(*usage, field), bits);
                self.physical.resize(usize::from(control), None);
                self.physical.push(field.physical.clone());
                Becomes::Value(control)
            }
            FieldKind::List { usages, width } => match self.list(usages, report) {
                Some(controls) => {
                    Becomes::List(List { width: *width, first: field.logical.0, controls })
                }
                None => return,
            },
        };
        let route = Route { bits: field.bits.clone(), is_signed: field.logical.0 < 0, becomes };
        self.route(report, route);
    }

    fn hat(&mut self, field: &Field, bits: Option<ReportBits>) -> Becomes {
        let is_hat = |code: &str| code.starts_with("hat-") && code.ends_with("-up");
        let which = self.info.controls.iter().filter(|c| is_hat(&c.code)).count();
        let prefix = if which == 0 { "hat".to_owned() } else { format!("hat-{}", which + 1) };
        let controls = ["up", "right", "down", "left"]
            .map(|side| self.control(&format!("{prefix}-{side}"), ControlKind::Button, bits));
        let (first, last) = field.logical;
        let places = last.saturating_sub(first).saturating_add(1);
        Becomes::Hat { controls, first, places }
    }

    /// The controls of a list of what is on, if it names no more than there may be.
    fn list(&mut self, usages: &[UsageId], report: u8) -> Option<Vec<Listed>> {
        if usages.len() > MAX_LISTED || self.info.controls.len() + usages.len() > MAX_FIELDS {
            self.left_out.push(format!("a list of {} controls in report {report}", usages.len()));
            return None;
        }
        let listed = |&usage: &UsageId| match usage {
            UsageId { id: 0, .. } => Listed::Nothing,
            _ => {
                let control = self.control(&usage::name(usage), ControlKind::Button, None);
                let is_unknown = usage::says_nothing_of_keys(usage);
                if is_unknown { Listed::Unknown(control) } else { Listed::Button(control) }
            }
        };
        Some(usages.iter().map(listed).collect())
    }

    /// The fields that a person named, who knows better than the descriptor: the map
    /// speaks of them as `field-1-16-12`, with an `s` behind where they have a sign.
    fn add_wanted(&mut self, maps: &[DeviceMap]) {
        let Some(map) = DeviceMap::best(maps, &self.info) else { return };
        let parts = map.controls.iter().flat_map(|control| control.from.parts());
        let wanted: Vec<&str> = parts.filter(|part| part.starts_with("field-")).collect();
        for name in wanted {
            let known = self.info.controls.iter().any(|control| control.code == name);
            let Some((bits, is_signed)) = field_of(name).filter(|_| !known) else { continue };
            let end = bits.first + u32::from(bits.width);
            let report = self.reports.iter().find(|report| report.id == bits.report);
            if report.is_none_or(|report| end as usize > 8 * report.bytes) {
                self.left_out.push(format!("{name}: no report has these bits"));
                continue;
            }
            let most = if is_signed { bits.width - 1 } else { bits.width.min(31) };
            let most = ((1i64 << most) - 1) as i32;
            let kind = match (bits.width, is_signed) {
                (1, _) => ControlKind::Button,
                (_, true) => ControlKind::Axis { min: -most - 1, centre: 0, max: most },
                (_, false) => ControlKind::Trigger { min: 0, max: most },
            };
            let control = self.control(name, kind, Some(bits));
            let becomes = Becomes::Value(control);
            self.route(bits.report, Route { bits: bits.first..end, is_signed, becomes });
        }
    }

    /// Every byte is a control too, so that whatever a device says is in the take.
    fn add_bytes(&mut self) {
        let mut room = MAX_BYTES;
        for n in 0..self.reports.len() {
            let Report { id, bytes, .. } = self.reports[n];
            let first = usize::from(self.is_numbered);
            let count = bytes.saturating_sub(first).min(room);
            room -= count;
            if count + first < bytes {
                self.left_out.push(format!("{} bytes of report {id}", bytes - first - count));
            }
            let control = self.info.controls.len() as u16;
            for byte in first..first + count {
                let kind = ControlKind::Position { min: 0, max: 255 };
                let bits = ReportBits { report: id, first: 8 * byte as u32, width: 8 };
                self.control(&format!("byte-{id}-{byte}"), kind, Some(bits));
            }
            self.reports[n].bytes_at = (control, first);
            self.reports[n].byte_count = count;
        }
    }
}

/// The bits that the name of a field means, and whether they have a sign:
/// `field-1-16-12`, or `field-1-16-12s`.
pub fn field_of(name: &str) -> Option<(ReportBits, bool)> {
    let rest = name.strip_prefix("field-")?;
    let (rest, is_signed) = match rest.strip_suffix('s') {
        Some(rest) => (rest, true),
        None => (rest, false),
    };
    let mut numbers = rest.split('-').map(|part| part.parse::<u32>().ok());
    let [report, first, width] = [(); 3].map(|()| numbers.next().flatten());
    if numbers.next().is_some() {
        return None;
    }
    let width = u8::try_from(width?).ok().filter(|width| (1..=32).contains(width))?;
    let bits = ReportBits { report: u8::try_from(report?).ok()?, first: first?, width };
    Some((bits, is_signed))
}

fn place(report: u8, bits: &Range<u32>) -> ReportBits {
    ReportBits { report, first: bits.start, width: bits.len() as u8 }
}

/// What a field is read as: two values are a button, anything else goes by degrees.
fn kind(usage: UsageId, field: &Field) -> ControlKind {
    let (min, max) = field.logical;
    let is_key = matches!(usage.page, usage::BUTTON | usage::KEYBOARD);
    let is_button = is_key || field.bits.len() == 1 || (min, max) == (0, 1);
    let centre = (i64::from(min) + i64::from(max) + 1).div_euclid(2) as i32;
    match usage {
        _ if is_button => ControlKind::Button,
        _ if usage::is_one_sided(usage) => ControlKind::Trigger { min, max },
        _ => ControlKind::Axis { min, centre: centre.min(max), max },
    }
}
