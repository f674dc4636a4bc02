use super::*;
use crate::hid::{
    descriptor::{Descriptor, parse},
    layout::{Identity, field_of},
};
use gtrig_core::{CleanText, DeviceMap, DeviceMatch, MappedControl, MappedFrom, ReportBits};
use proptest::prelude::*;
use rstest::rstest;

/// A pad of the workshop: two buttons, a hat, x, a throttle of twelve bits, and a counter
/// that its maker keeps to himself.
#[rustfmt::skip]
const PAD: &[u8] = &[
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, 0x85, 0x03, // game pad, report 3
    0x05, 0x09, 0x19, 0x01, 0x29, 0x02, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x02, 0x81, 0x02,
    0x05, 0x01, 0x09, 0x39, 0x15, 0x00, 0x25, 0x07, 0x75, 0x04, 0x95, 0x01, 0x81, 0x42, // hat
    0x75, 0x02, 0x81, 0x03, // padding
    0x09, 0x30, 0x15, 0x81, 0x25, 0x7f, 0x75, 0x08, 0x81, 0x02, // x, signed
    0x05, 0x02, 0x09, 0xbb, 0x15, 0x00, 0x26, 0xff, 0x0f, 0x75, 0x0c, 0x81, 0x02, // throttle
    0x06, 0x00, 0xff, 0x09, 0x21, 0x25, 0x0f, 0x75, 0x04, 0x81, 0x02, // vendor's
    0xc0,
];

fn identity() -> Identity {
    Identity { bus: 3, vendor: 0x6b71, product: 9, place: "p".into(), name: "Bench pad".into() }
}

fn decoder(descriptor: &Descriptor, maps: &[DeviceMap]) -> Decoder {
    Decoder::new(Layout::new(&identity(), descriptor, maps))
}

fn report(decoder: &mut Decoder, bytes: &[u8]) -> Result<Vec<String>, ReportFault> {
    let mut told = Vec::new();
    decoder.report(bytes, |control, value| told.push((control, value)))?;
    let controls = &decoder.layout().info.controls;
    let name = |(at, value): (u16, i32)| format!("{}={value}", controls[usize::from(at)].code);
    let all: Vec<String> = told.into_iter().map(name).collect();
    Ok(all.into_iter().filter(|told| !told.starts_with("byte-")).collect())
}

#[test]
fn a_report_is_decoded_by_hand() {
    let descriptor = parse(PAD).unwrap();
    let mut decoder = decoder(&descriptor, &[]);
    let names: Vec<&str> = decoder.layout().info.controls.iter().map(|c| c.code.as_str()).collect();
    #[rustfmt::skip]
    assert_eq!(names, [
        "button-1", "button-2", "hat-up", "hat-right", "hat-down", "hat-left", "x", "throttle",
        "vendor-ff00-0021", "byte-3-1", "byte-3-2", "byte-3-3", "byte-3-4",
    ]);
    // Button 2, the hat at its upper right, x at -3, the throttle at 0x123, the counter at 4.
    let told = report(&mut decoder, &[3, 0b0000_0110, 0xfd, 0x23, 0x41]).unwrap();
    let expected =
        ["button-2=1", "hat-up=1", "hat-right=1", "x=-3", "throttle=291", "vendor-ff00-0021=4"];
    assert_eq!(told, expected);
    // Only what changed, and a hat that points nowhere.
    let told = report(&mut decoder, &[3, 0b0010_0010, 0xfd, 0x23, 0x51]).unwrap();
    assert_eq!(told, ["hat-up=0", "hat-right=0", "vendor-ff00-0021=5"]);
}

#[rstest]
#[case::empty(&[], ReportFault::Empty)]
#[case::unknown(&[4, 0, 0, 0, 0], ReportFault::NoSuchReport(4))]
#[case::short(&[3, 0, 0], ReportFault::Short(3, 5))]
fn what_is_no_report_is_said(#[case] bytes: &[u8], #[case] fault: ReportFault) {
    let descriptor = parse(PAD).unwrap();
    assert_eq!(report(&mut decoder(&descriptor, &[]), bytes), Err(fault));
}

/// A keyboard lists what is down.
#[test]
fn a_list_of_what_is_on() {
    #[rustfmt::skip]
    let bytes = [
        0x05, 0x07, 0x19, 0x00, 0x29, 0x65, 0x15, 0x00, 0x25, 0x65, 0x75, 0x08, 0x95, 0x03,
        0x81, 0x00,
    ];
    let descriptor = parse(&bytes).unwrap();
    assert!(Layout::is_private(&descriptor));
    let mut decoder = decoder(&descriptor, &[]);
    assert_eq!(report(&mut decoder, &[0x0b, 0, 0]).unwrap(), ["KeyH=1"]);
    let told = report(&mut decoder, &[0x0b, 0x04, 0]).unwrap();
    assert_eq!(told, ["KeyA=1"]);
    // Too many keys are down: which, nobody knows.
    assert_eq!(report(&mut decoder, &[1, 1, 1]).unwrap(), ["errorrollover=1"]);
    let told = report(&mut decoder, &[0x04, 0x0b, 0x05]).unwrap();
    assert_eq!(told, ["errorrollover=0", "KeyB=1"]);
    assert_eq!(report(&mut decoder, &[0x04, 0xff, 0]).unwrap(), ["KeyB=0", "KeyH=0"]);
}

/// Counts are told again, though they are the same.
#[test]
fn counts_are_told_each_time() {
    #[rustfmt::skip]
    let bytes = [
        0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x09, 0x30, 0x15, 0x81, 0x25, 0x7f, 0x75, 0x08,
        0x95, 0x01, 0x81, 0x06, 0xc0,
    ];
    let descriptor = parse(&bytes).unwrap();
    assert!(Layout::is_private(&descriptor), "it moves the pointer");
    let mut decoder = decoder(&descriptor, &[]);
    for _ in 0..2 {
        assert_eq!(report(&mut decoder, &[0xfe]).unwrap(), ["x=-2"]);
    }
    assert_eq!(report(&mut decoder, &[0]).unwrap(), [""; 0]);
}

/// Four thousand fields of one usage, found by fuzzing: each has a name of its own, and
/// finding them takes no longer than there are fields.
#[test]
fn many_fields_of_one_usage_have_names() {
    let bytes = [0x05, 1, 0x09, 4, 0x75, 8, 0x96, 0x00, 0x0f, 0x81, 2];
    let decoder = decoder(&parse(&bytes).unwrap(), &[]);
    let last = &decoder.layout().info.controls[3839];
    assert_eq!(last.code, "joystick-3840");
}

#[rstest]
#[case("field-3-28-4", Some((3, 28, 4, false)))]
#[case("field-0-0-32s", Some((0, 0, 32, true)))]
#[case("field-0-0-33", None)]
#[case("field-0-0-0", None)]
#[case("field-256-0-1", None)]
#[case("field-0-0", None)]
#[case("field-0-0-1-2", None)]
#[case("field-a-0-1", None)]
#[case("byte-0-0", None)]
fn a_name_means_bits(#[case] name: &str, #[case] expected: Option<(u8, u32, u8, bool)>) {
    let bits = field_of(name);
    let parts =
        bits.map(|(ReportBits { report, first, width }, sign)| (report, first, width, sign));
    assert_eq!(parts, expected);
}

/// A person who knows the device names bits of which the descriptor says nothing.
#[test]
fn a_field_of_a_map_becomes_a_control() {
    let from = |code: &str| MappedFrom::Control { code: code.into(), kind: None };
    let control = |code: &str, of: &str| MappedControl { code: code.into(), from: from(of) };
    let map = DeviceMap {
        device: DeviceMatch { vendor: 0x6b71, product: 9, version: None, name: None, is_raw: true },
        name: Some(CleanText::new("Bench pad")),
        kind: None,
        controls: vec![control("fine", "field-3-28-8s"), control("none", "field-3-40-1")],
        left_out: Vec::new(),
    };
    let descriptor = parse(PAD).unwrap();
    let mut decoder = decoder(&descriptor, &[map]);
    assert_eq!(decoder.layout().left_out, ["field-3-40-1: no report has these bits"]);
    let told = report(&mut decoder, &[3, 0x20, 0, 0xf3, 0x0f]).unwrap();
    assert_eq!(told, ["x=0", "throttle=4083", "vendor-ff00-0021=0", "field-3-28-8s=-1"]);
}

#[rstest]
#[case(8, &[(0, "#..."), (1, "##.."), (2, ".#.."), (3, ".##."), (5, "..##"), (7, "#..#"), (8, "....")])]
#[case(4, &[(0, "#..."), (1, ".#.."), (3, "...#"), (4, "....")])]
#[case(2, &[(0, "....")])]
fn hats_have_sides(#[case] places: i32, #[case] expected: &[(i32, &str)]) {
    for (place, shown) in expected {
        let sides: String =
            sides(*place, places).iter().map(|on| if *on { '#' } else { '.' }).collect();
        assert_eq!(sides, *shown, "{place} of {places}");
    }
}

/// The same, a bit at a time.
fn slow_value(bytes: &[u8], bits: &Range<u32>, is_signed: bool) -> i64 {
    let bit = |n: u32| i64::from(bytes[n as usize / 8] >> (n % 8) & 1);
    let plain: i64 = bits.clone().map(|n| bit(n) << (n - bits.start)).sum();
    let is_negative = is_signed && bit(bits.end - 1) == 1;
    if is_negative { plain - (1i64 << bits.len()) } else { plain }
}

proptest! {
    #[test]
    fn bits_are_read_as_a_bit_at_a_time(
        bytes in proptest::collection::vec(any::<u8>(), 9),
        first in 0u32..40,
        width in 1u32..=32,
        is_signed in any::<bool>(),
    ) {
        let bits = first..first + width;
        let slow = slow_value(&bytes, &bits, is_signed).min(i64::from(i32::MAX));
        prop_assert_eq!(i64::from(value_of(&bytes, &bits, is_signed)), slow);
    }

    /// Whatever a device says of itself, and then reports: nothing ends, and every
    /// control has a name of its own. Descriptors are made of items, so that they get
    /// further than bytes by chance would.
    #[test]
    fn any_descriptor_and_any_report_end_well(
        items in proptest::collection::vec(any_item(), 0..60),
        reports in proptest::collection::vec(proptest::collection::vec(any::<u8>(), 0..70), 0..8),
    ) {
        let bytes: Vec<u8> = items.concat();
        let Ok(descriptor) = parse(&bytes) else { return Ok(()) };
        let mut decoder = decoder(&descriptor, &[]);
        let mut names: Vec<&str> =
            decoder.layout().info.controls.iter().map(|c| c.code.as_str()).collect();
        let count = names.len();
        names.sort_unstable();
        names.dedup();
        prop_assert_eq!(names.len(), count);
        prop_assert!(decoder.layout().info.controls.iter().all(|c| gtrig_core::ControlInfo::is_code(&c.code)));
        for bytes in reports {
            let mut told = Vec::new();
            let _ = decoder.report(&bytes, |control, value| told.push((control, value)));
            prop_assert!(told.iter().all(|(control, _)| usize::from(*control) < count));
        }
    }
}

/// An item of a descriptor: mostly one that means something.
fn any_item() -> impl Strategy<Value = Vec<u8>> {
    let prefix = prop_oneof![
        8 => proptest::sample::select(vec![
            0x04u8, 0x08, 0x14, 0x18, 0x24, 0x28, 0x34, 0x44, 0x74, 0x80, 0x80, 0x84, 0x94, 0xa0,
            0xa4, 0xb4, 0xc0,
        ]),
        1 => any::<u8>().prop_map(|byte| byte & 0xfc),
    ];
    let data = prop_oneof![
        4 => (0u32..40).prop_map(|n| (1usize, n)),
        1 => (0usize..4, any::<u32>()),
    ];
    (prefix, data).prop_map(|(prefix, (size, data))| {
        let mut item = vec![prefix | size as u8];
        item.extend(&data.to_le_bytes()[..[0, 1, 2, 4][size]]);
        item
    })
}
