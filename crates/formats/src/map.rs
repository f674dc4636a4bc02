//! Maps of devices: what a person called the controls of a device (TOML).
//!
//! `docs/map-format.md` describes the format.

mod write;

pub use write::write;

use crate::document::{
    self,
    fields::{Entry, Fields, Value, check_name},
    problem::{Mistakes, Problems},
};
use gtrig_core::{
    CleanText, ControlInfo, ControlKind, DeviceKind, DeviceMap, DeviceMatch, Keyword, Levels,
    MappedControl, MappedFrom, vocabulary,
};
use toml::de::DeTable;

/// The version of the format that this program reads and writes.
pub const VERSION: i64 = 1;

/// What a control may be read as.
#[derive(Clone, Copy, PartialEq)]
enum ReadAs {
    Axis,
    Trigger,
    Button,
}

const READ_AS: [(&str, ReadAs); 3] =
    [("axis", ReadAs::Axis), ("trigger", ReadAs::Trigger), ("button", ReadAs::Button)];

/// Reads a map. `file` names it in messages.
///
/// # Errors
/// All mistakes, in the order of their places.
pub fn parse(file: &str, text: &str) -> Result<DeviceMap, Mistakes> {
    document::parse(file, text, "map of a device", read)
}

/// Whether a text is meant to be a map, and not a rig.
pub fn is_map(text: &str) -> bool {
    let (document, _) = DeTable::parse_recoverable(text);
    let has = |key: &str| document.get_ref().iter().any(|(known, _)| known.get_ref() == key);
    has("map") && !has("rig") && !has("osc")
}

/// Takes the version of the format.
pub(crate) fn check_version(problems: &mut Problems, root: &mut Fields) {
    let expected = format!("`map = {VERSION}`, the version of the format this program reads");
    match root.take("map") {
        None => problems.add(0..0, "no `map` version".to_owned(), &expected),
        Some(value) if value.integer() == Some(VERSION) => {}
        Some(value) => problems.add(value.span(), problems.quote(value.span()), &expected),
    }
}

fn read(problems: &mut Problems, mut root: Fields) -> DeviceMap {
    check_version(problems, &mut root);
    let name = root.take("name").and_then(|v| v.string(problems)).map(CleanText::new);
    let kind = root.take("kind").and_then(|v| v.word::<DeviceKind>(problems));
    let device = match root.take("device") {
        Some(value) => value.table(problems).and_then(|table| device(problems, table)),
        None => {
            let expected = "`[device]` with the `vendor` and `product` that the map is for";
            problems.add(root.span(), "no `[device]`".to_owned(), expected);
            None
        }
    };
    let left_out = root.take("leave-out").map(|v| names(problems, v)).unwrap_or_default();
    let table = root.take("control").and_then(|v| v.table(problems));
    let entries = table.iter().flat_map(Fields::entries);
    let controls = entries.filter_map(|entry| control(problems, &entry, kind)).collect();
    root.finish(problems);
    // Without a device nothing is given out: there is a mistake then.
    let nobody = DeviceMatch { vendor: 0, product: 0, version: None, name: None, is_raw: false };
    DeviceMap { device: device.unwrap_or(nobody), name, kind, controls, left_out }
}

fn device(problems: &mut Problems, mut table: Fields) -> Option<DeviceMatch> {
    let [vendor, product, version] =
        ["vendor", "product", "version"].map(|key| table.take(key).map(|v| number(problems, &v)));
    let name = table.take("reports-name").and_then(|v| v.string(problems)).map(str::to_owned);
    let is_raw = table.take("raw").and_then(|v| v.bool(problems)).unwrap_or(false);
    for (key, is_there) in [("vendor", vendor.is_some()), ("product", product.is_some())] {
        if !is_there {
            let expected = "both `vendor` and `product`, as `gtrig devices` says them";
            problems.add(table.span(), format!("no `{key}`"), expected);
        }
    }
    table.finish(problems);
    Some(DeviceMatch {
        vendor: vendor??,
        product: product??,
        version: version.flatten(),
        name,
        is_raw,
    })
}

/// A number of a device: an integer, or hexadecimal digits in quotes.
fn number(problems: &mut Problems, value: &Value) -> Option<u16> {
    let number = match value.is_string() {
        true => {
            let text = value.string(problems)?;
            u16::from_str_radix(text.trim_start_matches("0x"), 16).ok()
        }
        false => value.integer().and_then(|n| u16::try_from(n).ok()),
    };
    if number.is_none() {
        let expected = "a number from 0x0000 to 0xffff, as `gtrig devices` says it";
        problems.add(value.span(), problems.quote(value.span()), expected);
    }
    number
}

fn names(problems: &mut Problems, value: Value) -> Vec<String> {
    let items: Vec<Value> = value.items(problems).collect();
    items.iter().filter_map(|item| code(problems, item)).collect()
}

/// The name of a control of the device.
fn code(problems: &mut Problems, value: &Value) -> Option<String> {
    let text = value.string(problems)?;
    if ControlInfo::is_code(text) {
        return Some(text.to_owned());
    }
    let expected = "the name of a control, as `gtrig devices --as-found` lists it";
    problems.add(value.span(), problems.quote(value.span()), expected);
    None
}

fn control(
    problems: &mut Problems,
    entry: &Entry,
    kind: Option<DeviceKind>,
) -> Option<MappedControl> {
    check_name(problems, entry, "a");
    if let Some(kind) = kind.filter(|kind| !vocabulary::is_name(*kind, entry.key)) {
        let found = format!("the name `{}`", entry.key.escape_debug());
        let expected = format!("a control of a device of kind \"{}\"", kind.word());
        let hint = crate::nearest::nearest(entry.key, vocabulary::names(kind).iter().copied());
        problems.push(entry.key_span.clone(), found, &expected, hint.map(str::to_owned));
    }
    let mut fields = entry.value.table(problems)?;
    let from = fields.take("from").map(|v| (v, names(problems, v)));
    let read_as = fields.take("as").and_then(|v| v.one_of(problems, &READ_AS));
    let parts = from.as_ref().map(|(_, parts)| parts.as_slice());
    let made = match (parts, read_as) {
        (Some([_]), Some(ReadAs::Button)) => levels(problems, &mut fields),
        (Some([_]), Some(ReadAs::Axis)) => axis(problems, &mut fields),
        (Some([_]), Some(ReadAs::Trigger)) => trigger(problems, &mut fields),
        (Some([_]), None) => Some(Made::As(None)),
        (Some([_, _]), None | Some(ReadAs::Axis)) => Some(Made::Joined),
        _ => {
            let span = from.as_ref().map_or(fields.span(), |(value, _)| value.span());
            let expected = "`from`: a control of the device, or two that are joined to one axis";
            problems.add(span.clone(), problems.quote(span), expected);
            None
        }
    };
    fields.finish(problems);
    let mut parts = from?.1.into_iter();
    let code = parts.next()?;
    let from = match made? {
        Made::As(kind) => MappedFrom::Control { code, kind },
        Made::Levels(down) => MappedFrom::Level { code, down },
        Made::Joined => MappedFrom::Joined { negative: code, positive: parts.next()? },
    };
    Some(MappedControl { code: entry.key.to_owned(), from })
}

/// What a control is made to be.
enum Made {
    As(Option<ControlKind>),
    Levels(Levels),
    Joined,
}

/// A value that a device reports.
fn raw(problems: &mut Problems, value: &Value) -> Option<i32> {
    let number = value.integer().and_then(|n| i32::try_from(n).ok());
    if number.is_none() {
        let expected = "a whole number, as the device reports it";
        problems.add(value.span(), problems.quote(value.span()), expected);
    }
    number
}

fn axis(problems: &mut Problems, fields: &mut Fields) -> Option<Made> {
    let [min, rest, max] = ends(problems, fields, ["min", "rest", "max"])?;
    if !(min.min(max)..=min.max(max)).contains(&rest) {
        let found = format!("a `rest` of {rest}, which is not between {min} and {max}");
        problems.add(fields.span(), found, "`rest` between `min` and `max`");
    }
    Some(Made::As(Some(ControlKind::Axis { min, centre: rest, max })))
}

fn trigger(problems: &mut Problems, fields: &mut Fields) -> Option<Made> {
    let [rest, end] = ends(problems, fields, ["rest", "end"])?;
    if rest == end {
        let expected = "an `end` that is not its rest";
        problems.add(fields.span(), format!("a trigger from {rest} to {end}"), expected);
    }
    Some(Made::As(Some(ControlKind::Trigger { min: rest, max: end })))
}

/// Raw values that are all needed.
fn ends<const N: usize>(
    problems: &mut Problems,
    fields: &mut Fields,
    keys: [&'static str; N],
) -> Option<[i32; N]> {
    let values = keys.map(|key| (key, fields.take(key).map(|v| raw(problems, &v))));
    for (key, _) in values.iter().filter(|(_, value)| value.is_none()) {
        let expected = format!("all of {}, as the device reports them", keys.join(", "));
        problems.add(fields.span(), format!("no `{key}`"), &expected);
    }
    let values: Option<Vec<i32>> = values.into_iter().map(|(_, value)| value.flatten()).collect();
    values.and_then(|values| values.try_into().ok())
}

/// At which values a button is down: exactly one of three keys says it.
fn levels(problems: &mut Problems, fields: &mut Fields) -> Option<Made> {
    let at_least = fields.take("at-least").map(|v| raw(problems, &v).map(Levels::AtLeast));
    let at_most = fields.take("at-most").map(|v| raw(problems, &v).map(Levels::AtMost));
    let among = fields.take("among").map(|value| {
        let items: Vec<Value> = value.items(problems).collect();
        let values: Option<Vec<i32>> = items.iter().map(|v| raw(problems, v)).collect();
        values.map(Levels::Among)
    });
    let mut said = [at_least, at_most, among].into_iter().flatten();
    match (said.next(), said.next()) {
        // A button that is read as a button is as it is.
        (None, _) => Some(Made::As(Some(ControlKind::Button))),
        (Some(levels), None) => Some(Made::Levels(levels?)),
        (Some(_), Some(_)) => {
            let expected = "one of `at-least`, `at-most` and `among`";
            problems.add(fields.span(), "several of them".to_owned(), expected);
            None
        }
    }
}

#[cfg(test)]
mod tests;
