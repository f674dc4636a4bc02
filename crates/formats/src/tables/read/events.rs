//! Events that another program wrote as CSV, as a take.

use super::*;

/// A row of events that another program wrote.
struct Said {
    time: Nanos,
    control: usize,
    value: f64,
    marks: Marks,
}

/// A control that such rows are about.
struct Told {
    device: usize,
    code: String,
    range: [f64; 2],
    is_whole: bool,
}

/// A device that such rows are about, and the first line that is.
struct Named {
    kind: DeviceKind,
    /// Its slot, or which one of its kind it is, counted from 1.
    number: u8,
    line: u64,
}

/// A device of the take, and what the roster knows it by once it is plugged in.
struct Plugged {
    info: DeviceInfo,
    here: Option<DeviceId>,
}

/// Writes a take of events in a table with a time (`time_ns`, `time_us`, `time_ms` or
/// `time_s`), an `address` such as `pad1/south` and a `value`. What each control is, is found
/// from its name and its values. Returns how many events it has.
///
/// # Errors
/// When a column is missing, or a row says what cannot be, with its line; those of `out`.
pub fn take_of_events(file: &str, from: impl Read, out: impl Write) -> Result<u64, TableFault> {
    let mut sheet = Sheet::new(file, from)?;
    let Events { rows, told, devices: named } = said(&mut sheet)?;
    let plugged = |of: &Named| Plugged { info: of.info(), here: None };
    let mut devices: Vec<Plugged> = named.iter().map(plugged).collect();
    let mut places = Vec::new();
    let mut units = Vec::new();
    for of in &told {
        let (kind, per_unit) = kind_of(of);
        let controls = &mut devices[of.device].info.controls;
        places.push(controls.len());
        controls.push(ControlInfo::new(&of.code, kind));
        units.push(per_unit);
    }
    let mut take = TakeWriter::begin(out, None, "", Nanos(0))?;
    let mut roster = Roster::default();
    let mut last = Nanos(0);
    for Said { time, control, value, marks } in &rows {
        let device = told[*control].device;
        for at in plugged_first(&named, device) {
            let Plugged { info, here: here @ None } = &mut devices[at] else { continue };
            let id = roster.admit(info.clone(), &SlotRules::default());
            let id = *here.insert(id.map_err(|error| sheet.wrong(error.to_string()))?);
            let (value, marks) = (Presence::Here.value(), Marks::empty());
            let control = roster.device(id).presence();
            take.event(&roster, Event { time: *time, value, control, marks })?;
        }
        let Some(id) = devices[device].here else { continue };
        let Some(at) = roster.device(id).controls().nth(places[*control]) else { continue };
        let value = (value * units[*control]).round() as i32;
        take.event(&roster, Event { time: *time, value, control: at, marks: *marks })?;
        last = *time;
    }
    take.end(last)?;
    take.out().flush()?;
    Ok(rows.len() as u64)
}

/// The devices to be plugged in before this one says something, and this one: where a kind of
/// device is counted, those of lower numbers, or it would have another address in the take.
fn plugged_first(named: &[Named], device: usize) -> impl Iterator<Item = usize> {
    let Named { kind, number, .. } = named[device];
    let least = if kind.takes_slot() { number } else { 1 };
    (least..=number).filter_map(move |number| place_of(named, kind, number))
}

/// Which of some devices this is.
fn place_of(named: &[Named], kind: DeviceKind, number: u8) -> Option<usize> {
    named.iter().position(|of| of.kind == kind && of.number == number)
}

/// All rows in order of time, the controls that they are about, and their devices.
struct Events {
    rows: Vec<Said>,
    told: Vec<Told>,
    devices: Vec<Named>,
}

fn said<R: Read>(sheet: &mut Sheet<R>) -> Result<Events, TableFault> {
    const TIMES: [(&str, f64); 4] =
        [("time_ns", 1.0), ("time_us", 1e3), ("time_ms", 1e6), ("time_s", 1e9)];
    let time = TIMES.iter().find_map(|(name, unit)| Some((sheet.find(name)?, *unit)));
    let Some((time_at, unit)) = time else {
        let file = sheet.file.clone();
        return Err(TableFault::NoColumn { file, column: "time_ns, time_us, time_ms or time_s" });
    };
    let (address_at, value_at) = (sheet.column("address")?, sheet.column("value")?);
    let marks_at = sheet.find("marks");
    let (mut rows, mut told, mut devices) = (Vec::new(), Vec::<Told>::new(), Vec::<Named>::new());
    let mut places: HashMap<String, usize> = HashMap::new();
    while sheet.next()? {
        let time: f64 = sheet.needed(time_at)?;
        // Nanoseconds are whole, and may be more than a number of 64 bits holds exactly.
        let time = match sheet.text(time_at).parse() {
            Ok(whole) if unit == 1.0 => Nanos(whole),
            _ if time.is_finite() && time >= 0.0 => Nanos((time * unit).round() as u64),
            _ => return Err(sheet.wrong("a time is no number from 0 on")),
        };
        if time > LAST_TIME {
            return Err(sheet.wrong("a time is later than 30 days: times count from 0"));
        }
        let value: f64 = sheet.needed(value_at)?;
        if !(f64::from(i32::MIN)..=f64::from(i32::MAX)).contains(&value) {
            return Err(sheet.wrong("a value is no number of 32 bits"));
        }
        let address = sheet.text(address_at);
        let control = match places.get(address) {
            Some(at) => *at,
            None => {
                let ((kind, number), code) = named(address).ok_or_else(|| {
                    sheet.wrong(format!(
                        "{address:?} names no control, such as pad1/south or other/slew"
                    ))
                })?;
                let device = match place_of(&devices, kind, number) {
                    Some(known) => known,
                    None => {
                        let line = sheet.line();
                        devices.push(Named { kind, number, line });
                        devices.len() - 1
                    }
                };
                // `pad/south` is `pad1/south`.
                let known = told.iter().position(|of| of.device == device && of.code == code);
                let at = known.unwrap_or(told.len());
                if known.is_none() {
                    let (code, range) = (code.to_owned(), [f64::MAX, f64::MIN]);
                    told.push(Told { device, code, range, is_whole: true });
                }
                places.insert(address.to_owned(), at);
                at
            }
        };
        let of = &mut told[control];
        of.range = [of.range[0].min(value), of.range[1].max(value)];
        of.is_whole &= value.fract() == 0.0;
        rows.push(Said { time, control, value, marks: sheet.marks(marks_at)? });
    }
    for (of, at) in devices.iter().zip(0..) {
        if let Some(what) = of.is_wrong(&devices[..at], &devices) {
            let (file, line) = (sheet.file.clone(), of.line);
            return Err(TableFault::Row { file, line, what });
        }
    }
    rows.sort_by_key(|row: &Said| row.time);
    Ok(Events { rows, told, devices })
}

impl Named {
    /// Why it cannot have its number beside all others, of which some came before it.
    fn is_wrong(&self, before: &[Named], all: &[Named]) -> Option<String> {
        let Named { kind, number, .. } = *self;
        if kind.takes_slot() {
            let same = |other: &&Named| other.kind.takes_slot() && other.number == number;
            let other = before.iter().find(same)?.kind.word();
            let kind = kind.word();
            return Some(format!(
                "{kind}{number} and {other}{number} cannot both be: pads and levers share the slots"
            ));
        }
        let before = number.checked_sub(1).filter(|before| *before > 0)?;
        let is_there = place_of(all, kind, before).is_some();
        let kind = kind.word();
        (!is_there).then(|| {
            let first = if before == 1 { String::new() } else { before.to_string() };
            format!("{kind}{number}, but no row of {kind}{first}: devices are counted from 1")
        })
    }

    fn info(&self) -> DeviceInfo {
        let Named { kind, number, .. } = *self;
        let slot = Some(number).filter(|_| kind.takes_slot());
        let name = match number {
            1 if slot.is_none() => kind.word().to_owned(),
            _ => format!("{}{number}", kind.word()),
        };
        DeviceInfo {
            identity: format!("table-{name}"),
            kind,
            name: CleanText::new(&name),
            bus: CleanText::new("table"),
            slot,
            controls: Vec::new(),
        }
    }
}

/// The device and the control of an address, where both may be.
fn named(address: &str) -> Option<((DeviceKind, u8), &str)> {
    let (device, code) = address.split_once('/')?;
    let (kind, number) = kind_and_number(device)?;
    let is_control = ControlInfo::is_code(code) && vocabulary::is_name(kind, code);
    is_control.then_some(((kind, number), code))
}

/// `pad2` as a pad with the number 2; without a number it is the first.
fn kind_and_number(device: &str) -> Option<(DeviceKind, u8)> {
    let word = device.trim_end_matches(|c: char| c.is_ascii_digit());
    let kind = DeviceKind::ALL.iter().copied().find(|kind| kind.word() == word)?;
    let number = &device[word.len()..];
    if number.is_empty() {
        return Some((kind, 1));
    }
    let number = number.parse().ok().filter(|number| *number > 0)?;
    let is_slot = (1..=SLOTS).contains(&number);
    (is_slot || !kind.takes_slot()).then_some((kind, number))
}

/// Parts that values which are not whole are reported in: the finest that 32 bits have room for.
const UNITS: [f64; 6] = [1e6, 1e5, 1e4, 1e3, 1e2, 1e1];

/// What a control is, and by what its values are multiplied to be whole.
fn kind_of(told: &Told) -> (ControlKind, f64) {
    let Told { range, is_whole, code, .. } = told;
    let furthest = range[0].abs().max(range[1].abs());
    let fits = |unit: &f64| furthest * unit <= f64::from(i32::MAX);
    let unit = if *is_whole { 1.0 } else { UNITS.into_iter().find(fits).unwrap_or(1.0) };
    let is_place = code.starts_with("contact-") && code.ends_with(['x', 'y']);
    let is_stick = code.starts_with("stick-");
    let is_axis = |of: &AddressedAs| matches!(of, AddressedAs::Axis { .. });
    let all = readings(Some(*range), *is_whole);
    let raw = |n: f64| (n * unit).clamp(f64::from(i32::MIN), f64::from(i32::MAX)).round() as i32;
    if code.starts_with("wheel-") {
        return (ControlKind::Relative, unit);
    }
    let likeliest = if is_stick { all.iter().copied().find(is_axis) } else { all.first().copied() };
    let kind = match likeliest {
        Some(AddressedAs::Trigger { end, .. }) if is_place => {
            ControlKind::Position { min: 0, max: raw(end) }
        }
        _ if is_place => {
            ControlKind::Position { min: raw(range[0]).min(0), max: raw(range[1]).max(1) }
        }
        // A stick that was only ever moved to one side goes to the other one as far.
        Some(AddressedAs::Axis { max, .. }) => {
            ControlKind::Axis { min: -raw(max), centre: 0, max: raw(max) }
        }
        Some(AddressedAs::Trigger { end, .. }) => ControlKind::Trigger { min: 0, max: raw(end) },
        _ => ControlKind::Button,
    };
    (kind, unit)
}
