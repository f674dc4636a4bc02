//! Writing a map, for people to read and to change.

use super::VERSION;
use gtrig_core::{ControlKind, DeviceMap, DeviceMatch, Keyword, Levels, MappedControl, MappedFrom};
use toml_edit::{Array, DocumentMut, InlineTable, Item, Table, Value, value};

/// A map as text; reading it gives the same map, with its controls in the order of
/// their names.
pub fn write(map: &DeviceMap) -> String {
    let DeviceMap { device, name, kind, controls, left_out } = map;
    let mut document = DocumentMut::new();
    document.insert("map", value(VERSION));
    if let Some(name) = name {
        document.insert("name", value(name.as_str()));
    }
    if let Some(kind) = kind {
        document.insert("kind", value(kind.word()));
    }
    if !left_out.is_empty() {
        document.insert("leave-out", value(left_out.iter().map(String::as_str).collect::<Array>()));
    }
    document.insert("device", Item::Table(of_device(device)));
    if !controls.is_empty() {
        let mut table = Table::new();
        for control in controls {
            table.insert(&control.code, value(of_control(control)));
        }
        document.insert("control", Item::Table(table));
    }
    document.to_string()
}

fn of_device(device: &DeviceMatch) -> Table {
    let DeviceMatch { vendor, product, version, name, is_raw } = device;
    let mut table = Table::new();
    let numbers = [("vendor", Some(*vendor)), ("product", Some(*product)), ("version", *version)];
    for (key, number) in numbers {
        if let Some(number) = number {
            table.insert(key, value(format!("{number:04x}")));
        }
    }
    if let Some(name) = name {
        table.insert("reports-name", value(name));
    }
    if *is_raw {
        table.insert("raw", value(true));
    }
    table
}

fn of_control(control: &MappedControl) -> InlineTable {
    let mut table = InlineTable::new();
    let mut add = |key: &str, value: Value| table.insert(key, value);
    match &control.from {
        MappedFrom::Control { code, kind } => {
            add("from", code.into());
            let ends: &[(&str, i32)] = match *kind {
                Some(ControlKind::Axis { min, centre, max }) => {
                    add("as", "axis".into());
                    &[("min", min), ("rest", centre), ("max", max)]
                }
                Some(ControlKind::Trigger { min, max }) => {
                    add("as", "trigger".into());
                    &[("rest", min), ("end", max)]
                }
                Some(ControlKind::Button) => {
                    add("as", "button".into());
                    &[]
                }
                // A place and a count are as the device says.
                Some(ControlKind::Position { .. } | ControlKind::Relative) | None => &[],
            };
            for &(key, end) in ends {
                add(key, i64::from(end).into());
            }
        }
        MappedFrom::Level { code, down } => {
            add("from", code.into());
            add("as", "button".into());
            match down {
                Levels::AtLeast(least) => add("at-least", i64::from(*least).into()),
                Levels::AtMost(most) => add("at-most", i64::from(*most).into()),
                Levels::Among(values) => {
                    let values: Array = values.iter().map(|n| i64::from(*n)).collect();
                    add("among", values.into())
                }
            };
        }
        MappedFrom::Joined { negative, positive } => {
            add(
                "from",
                Value::Array([negative, positive].into_iter().map(String::as_str).collect()),
            );
        }
    }
    table
}
