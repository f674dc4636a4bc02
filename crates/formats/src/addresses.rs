//! Which addresses are controls, as a person writes it (TOML): in a rig under `[osc.in]`, or
//! in a map of its own.
//!
//! `docs/osc.md` describes the keys.

use crate::{
    document::{
        self,
        fields::{Entry, Fields, Value, check_name},
        problem::{Mistakes, Problems},
    },
    map,
    osc::{MAX_ADDRESS, OWN_ADDRESSES, is_address},
};
use gtrig_core::{
    AddressMap, AddressedAs, AddressedControl, AddressedDevice, CleanText, DeviceKind, DownAt,
    Keyword, vocabulary,
};
use toml_edit::{DocumentMut, InlineTable, Item, Table, value};

/// At most so many devices are made of addresses.
pub const MAX_DEVICES: usize = 64;

/// They have at most so many controls altogether.
pub const MAX_CONTROLS: usize = 900;

/// Of the arguments of a message so many can be controls.
pub const MAX_ARGUMENTS: usize = 32;

/// What a device with addresses may be; the others have places or wheels.
const KINDS: [(&str, DeviceKind); 4] = [
    ("pad", DeviceKind::Pad),
    ("lever", DeviceKind::Lever),
    ("keys", DeviceKind::Keys),
    ("other", DeviceKind::Other),
];

#[derive(Clone, Copy)]
enum Word {
    Axis,
    Trigger,
    Button,
    Pulse,
}

const WORDS: [(&str, Word); 4] = [
    ("axis", Word::Axis),
    ("trigger", Word::Trigger),
    ("button", Word::Button),
    ("pulse", Word::Pulse),
];

/// Reads a map of addresses: `map = 1` and `[osc.in]`. `file` names it in messages.
///
/// # Errors
/// All mistakes, in the order of their places.
pub fn parse(file: &str, text: &str) -> Result<AddressMap, Mistakes> {
    document::parse(file, text, "map of addresses", |problems, mut root| {
        map::check_version(problems, &mut root);
        let mut read = AddressMap::default();
        if let Some(mut osc) = root.take("osc").and_then(|v| v.table(problems)) {
            read = osc.take("in").map(|v| devices(problems, &v)).unwrap_or_default();
            osc.finish(problems);
        }
        root.finish(problems);
        read
    })
}

/// Whether a text is meant to be such a map.
pub fn is_map(text: &str) -> bool {
    let (document, _) = toml::de::DeTable::parse_recoverable(text);
    let has = |key: &str| document.get_ref().iter().any(|(known, _)| known.get_ref() == key);
    has("map") && has("osc") && !has("rig")
}

/// Reads `[osc.in]`.
pub(crate) fn devices(problems: &mut Problems, table: &Value) -> AddressMap {
    let Some(fields) = table.table(problems) else { return AddressMap::default() };
    let devices: Vec<_> = fields.entries().filter_map(|entry| device(problems, &entry)).collect();
    let controls: usize = devices.iter().map(|device| device.controls.len()).sum();
    if devices.len() > MAX_DEVICES || controls > MAX_CONTROLS {
        let found = format!("{} devices with {controls} controls", devices.len());
        let expected = format!("at most {MAX_DEVICES} devices and {MAX_CONTROLS} controls");
        problems.add(table.span(), found, &expected);
    }
    AddressMap { devices }
}

fn device(problems: &mut Problems, entry: &Entry) -> Option<AddressedDevice> {
    check_name(problems, entry, "a device");
    let mut fields = entry.value.table(problems)?;
    let name = fields.take("name").and_then(|v| v.string(problems)).map(CleanText::new);
    let kind = fields.take("kind").and_then(|v| v.one_of(problems, &KINDS));
    let kind = kind.unwrap_or(DeviceKind::Other);
    let table = fields.take("control").and_then(|v| v.table(problems));
    if table.is_none() {
        let expected = "`control`, with an entry for each address that is one";
        problems.add(fields.span(), "no `control`".to_owned(), expected);
    }
    let entries = table.iter().flat_map(Fields::entries);
    let controls = entries.filter_map(|entry| control(problems, &entry, kind)).collect();
    fields.finish(problems);
    Some(AddressedDevice {
        id: entry.key.to_owned(),
        name: name.unwrap_or_default(),
        kind,
        controls,
    })
}

fn control(problems: &mut Problems, entry: &Entry, kind: DeviceKind) -> Option<AddressedControl> {
    check_name(problems, entry, "a");
    if !vocabulary::is_name(kind, entry.key) {
        let expected = format!("a control of a device of kind \"{}\"", kind.word());
        let known = vocabulary::names(kind).iter().copied();
        problems.add_unknown(entry.key_span.clone(), entry.key, known, &expected);
    }
    let mut fields = entry.value.table(problems)?;
    let address = fields.take("address").and_then(|v| address(problems, &v));
    let word = fields.take("as").and_then(|v| v.one_of(problems, &WORDS));
    let argument = match word {
        Some(Word::Pulse) => Some(0),
        _ => fields.take("argument").map_or(Some(0), |v| argument(problems, &v)),
    };
    let read_as = word.and_then(|word| read_as(problems, &mut fields, word));
    if word.is_none() || address.is_none() {
        let expected = "`address`, and `as`: \"axis\", \"trigger\", \"button\" or \"pulse\"";
        problems.add(fields.span(), "no `address` or no `as`".to_owned(), expected);
    }
    fields.finish(problems);
    let (code, address) = (entry.key.to_owned(), address?.to_owned());
    Some(AddressedControl { code, address, argument: argument?, read_as: read_as? })
}

/// An address of a message, and no pattern.
pub(crate) fn address<'a>(problems: &mut Problems, value: &Value<'a>) -> Option<&'a str> {
    let text = value.string(problems)?;
    let is_own = OWN_ADDRESSES.iter().any(|own| text.starts_with(own));
    if is_address(text) && !is_own {
        return Some(text);
    }
    let expected = format!(
        "an address such as \"/crane/slew\": at most {MAX_ADDRESS} characters, none of space # * , ? [ ] {{ }}, not below {}",
        OWN_ADDRESSES.join(" or ")
    );
    problems.add(value.span(), problems.quote(value.span()), &expected);
    None
}

fn argument(problems: &mut Problems, value: &Value) -> Option<u8> {
    let counted = value.integer().filter(|n| (1..=MAX_ARGUMENTS as i64).contains(n));
    if counted.is_none() {
        let expected = format!("which argument of the message it is, 1 to {MAX_ARGUMENTS}");
        problems.add(value.span(), problems.quote(value.span()), &expected);
    }
    counted.map(|n| n as u8 - 1)
}

fn read_as(problems: &mut Problems, fields: &mut Fields, word: Word) -> Option<AddressedAs> {
    let span = fields.span();
    let mut number = |key: &'static str, default: Option<f64>| match fields.take(key) {
        None => default,
        Some(value) => {
            let number = value.number().filter(|n| n.is_finite());
            if number.is_none() {
                problems.add(value.span(), problems.quote(value.span()), "a number");
            }
            number
        }
    };
    let (read_as, expected) = match word {
        Word::Pulse => return Some(AddressedAs::Pulse),
        Word::Button => {
            let [least, most] = ["at-least", "at-most"].map(|key| number(key, None));
            let down = match (least, most) {
                (None, None) => Some(AddressedAs::BUTTON),
                (Some(least), None) => Some(AddressedAs::Button(DownAt::Least(least))),
                (None, Some(most)) => Some(AddressedAs::Button(DownAt::Most(most))),
                (Some(_), Some(_)) => None,
            };
            (down, "one of `at-least` and `at-most`")
        }
        Word::Trigger => {
            let (rest, end) = (number("rest", Some(0.0))?, number("end", Some(1.0))?);
            let read_as = (rest != end).then_some(AddressedAs::Trigger { rest, end });
            (read_as, "an `end` that is not its `rest`")
        }
        Word::Axis => {
            let defaults = [("min", -1.0), ("rest", 0.0), ("max", 1.0)];
            let [min, rest, max] = defaults.map(|(key, n)| number(key, Some(n)));
            let (min, rest, max) = (min?, rest?, max?);
            let is_between = (min.min(max)..=min.max(max)).contains(&rest) && min != max;
            let read_as = is_between.then_some(AddressedAs::Axis { min, rest, max });
            (read_as, "`rest` between `min` and `max`, which differ")
        }
    };
    if read_as.is_none() {
        problems.add(span.clone(), problems.quote(span), expected);
    }
    read_as
}

/// A map of addresses as text; reading it gives the same map.
pub fn write(map: &AddressMap) -> String {
    let mut document = DocumentMut::new();
    document.insert("map", value(map::VERSION));
    let mut devices = Table::new();
    devices.set_implicit(true);
    for device in &map.devices {
        let mut table = Table::new();
        if !device.name.as_str().is_empty() {
            table.insert("name", value(device.name.as_str()));
        }
        if device.kind != DeviceKind::Other {
            table.insert("kind", value(device.kind.word()));
        }
        let mut controls = Table::new();
        for control in &device.controls {
            controls.insert(&control.code, value(of_control(control)));
        }
        table.insert("control", Item::Table(controls));
        devices.insert(&device.id, Item::Table(table));
    }
    let mut osc = Table::new();
    osc.set_implicit(true);
    osc.insert("in", Item::Table(devices));
    document.insert("osc", Item::Table(osc));
    document.to_string()
}

fn of_control(control: &AddressedControl) -> InlineTable {
    let mut table = InlineTable::new();
    table.insert("address", control.address.as_str().into());
    if control.argument > 0 {
        table.insert("argument", (i64::from(control.argument) + 1).into());
    }
    let (word, numbers): (_, &[(&str, f64)]) = match control.read_as {
        AddressedAs::Axis { min, rest, max } => {
            ("axis", &[("min", min), ("rest", rest), ("max", max)])
        }
        AddressedAs::Trigger { rest, end } => ("trigger", &[("rest", rest), ("end", end)]),
        AddressedAs::Button(DownAt::Least(least)) => ("button", &[("at-least", least)]),
        AddressedAs::Button(DownAt::Most(most)) => ("button", &[("at-most", most)]),
        AddressedAs::Pulse => ("pulse", &[]),
    };
    table.insert("as", word.into());
    for &(key, number) in numbers {
        table.insert(key, number.into());
    }
    table
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn map_of(controls: &str) -> String {
        format!("map = 1\n[osc.in.desk.control]\n{controls}\n")
    }

    #[test]
    fn what_is_not_said_is_taken() {
        let text = map_of(
            "a = { address = \"/a\", as = \"axis\" }\nt = { address = \"/t\", as = \"trigger\" }\n\
             b = { address = \"/b\", as = \"button\", argument = 2 }\n\
             p = { address = \"/p\", as = \"pulse\" }",
        );
        assert!(is_map(&text) && !map::is_map(&text));
        let map = parse("map", &text).unwrap_or_else(|e| panic!("{e}"));
        let [desk] = &map.devices[..] else { panic!("one device") };
        let read: Vec<_> = desk.controls.iter().map(|of| (of.argument, of.read_as)).collect();
        let (axis, trigger, button) =
            (AddressedAs::AXIS, AddressedAs::TRIGGER, AddressedAs::BUTTON);
        assert_eq!(read, [(0, axis), (0, trigger), (1, button), (0, AddressedAs::Pulse)]);
        assert_eq!((desk.kind, desk.name.as_str()), (DeviceKind::Other, ""));
    }

    #[rstest]
    #[case::no_address("a = { as = \"axis\" }", "no `address`")]
    #[case::no_as("a = { address = \"/a\" }", "no `as`")]
    #[case::a_pattern("a = { address = \"/a*\", as = \"axis\" }", "an address such as")]
    #[case::no_slash("a = { address = \"a\", as = \"axis\" }", "an address such as")]
    #[case::of_the_touch_protocol("a = { address = \"/tuio/2Dcur\", as = \"axis\" }", "not below")]
    #[case::argument_0("a = { address = \"/a\", as = \"axis\", argument = 0 }", "1 to 32")]
    #[case::argument_of_a_pulse(
        "a = { address = \"/a\", as = \"pulse\", argument = 1 }",
        "`argument`"
    )]
    #[case::no_way("a = { address = \"/a\", as = \"trigger\", end = 0 }", "not its `rest`")]
    #[case::rest_outside("a = { address = \"/a\", as = \"axis\", rest = 2 }", "between")]
    #[case::infinite("a = { address = \"/a\", as = \"axis\", max = inf }", "a number")]
    #[case::both_ways(
        "a = { address = \"/a\", as = \"button\", at-least = 1, at-most = 2 }",
        "one of"
    )]
    #[case::a_name("\"a b\" = { address = \"/a\", as = \"axis\" }", "letters, digits")]
    #[case::of_another_word("a = { address = \"/a\", as = \"knob\" }", "one of")]
    fn mistakes_have_their_place(#[case] controls: &str, #[case] says: &str) {
        let mistakes = parse("map", &map_of(controls)).unwrap_err();
        assert!(mistakes.to_string().contains(says), "{mistakes}");
        assert!(mistakes.problems.iter().all(|problem| problem.line == 3), "{mistakes}");
    }

    /// Names of a device of a kind that has names, and those of the kind.
    #[test]
    fn a_pad_has_its_names() {
        let text = |code: &str| {
            format!(
                "map = 1\n[osc.in.p]\nkind = \"pad\"\n[osc.in.p.control]\n{code} = {{ address = \"/a\", as = \"button\" }}\n"
            )
        };
        assert!(parse("map", &text("south")).is_ok());
        let mistakes = parse("map", &text("suoth")).unwrap_err().to_string();
        assert!(mistakes.contains("south"), "{mistakes}");
        let glass = text("south").replace("pad", "glass");
        assert!(parse("map", &glass).is_err());
    }

    #[test]
    fn there_is_room_for_so_many_controls() {
        let many = |count: usize| {
            let line = |n| format!("c{n} = {{ address = \"/{n}\", as = \"button\" }}\n");
            map_of(&(0..count).map(line).collect::<String>())
        };
        assert!(parse("map", &many(MAX_CONTROLS)).is_ok());
        let mistakes = parse("map", &many(MAX_CONTROLS + 1)).unwrap_err().to_string();
        assert!(mistakes.contains("at most 64 devices and 900 controls"), "{mistakes}");
    }

    fn any_reading() -> impl Strategy<Value = AddressedAs> {
        let number = || -1e6..1e6f64;
        prop_oneof![
            (number(), 0.0..=1.0f64, 0.5..1e6f64, any::<bool>()).prop_map(
                |(min, share, way, turned)| {
                    let (max, rest) = (min + way, min + share * way);
                    let (min, max) = if turned { (max, min) } else { (min, max) };
                    AddressedAs::Axis { min, rest: rest.clamp(min.min(max), min.max(max)), max }
                }
            ),
            (number(), 0.5..1e6f64)
                .prop_map(|(rest, way)| AddressedAs::Trigger { rest, end: rest - way }),
            number().prop_map(|n| AddressedAs::Button(DownAt::Least(n))),
            number().prop_map(|n| AddressedAs::Button(DownAt::Most(n))),
            Just(AddressedAs::Pulse),
        ]
    }

    proptest! {
        #[test]
        fn what_is_written_is_read_again(
            readings in proptest::collection::vec((any_reading(), 0..32u8), 1..8),
            name in "[ -~]{0,40}",
        ) {
            let control = |(at, (read_as, argument)): (usize, (AddressedAs, u8))| {
                let argument = if read_as == AddressedAs::Pulse { 0 } else { argument };
                AddressedControl {
                    code: format!("c{at}"),
                    address: format!("/a-{at}/~!$%&'"),
                    argument,
                    read_as,
                }
            };
            let device = AddressedDevice {
                id: "desk.1".into(),
                name: CleanText::new(&name),
                kind: DeviceKind::Other,
                controls: readings.into_iter().enumerate().map(control).collect(),
            };
            let map = AddressMap { devices: vec![device] };
            prop_assert_eq!(parse("map", &write(&map)).unwrap(), map);
        }
    }
}
