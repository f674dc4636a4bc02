use super::*;
use rstest::rstest;

const PAD: &[u8] = &[
    0x05, 0x01, 0x09, 0x05, 0xa1, 0x01, // generic desktop, game pad, application
    0x05, 0x09, 0x19, 0x01, 0x29, 0x02, 0x15, 0x00, 0x25, 0x01, // buttons 1 and 2, 0 to 1
    0x75, 0x01, 0x95, 0x02, 0x81, 0x02, // two of one bit
    0x75, 0x06, 0x95, 0x01, 0x81, 0x03, // six bits of padding
    0x05, 0x01, 0x09, 0x30, 0x15, 0x81, 0x25, 0x7f, // x, -127 to 127
    0x75, 0x08, 0x81, 0x02, 0xc0,
];

fn usage(page: u16, id: u16) -> UsageId {
    UsageId { page, id }
}

#[test]
fn a_pad_by_hand() {
    let descriptor = parse(PAD).unwrap();
    assert!(!descriptor.is_numbered);
    let report = &descriptor.reports[0];
    assert_eq!((report.id, report.bits, report.bytes()), (0, 16, 2));
    let kinds: Vec<_> = report
        .fields
        .iter()
        .map(|field| match field.kind {
            FieldKind::Variable { usage, .. } => (field.bits.clone(), Some(usage), field.logical),
            _ => (field.bits.clone(), None, field.logical),
        })
        .collect();
    let expected = [
        (0..1, Some(usage(9, 1)), (0, 1)),
        (1..2, Some(usage(9, 2)), (0, 1)),
        (2..8, None, (0, 1)),
        (8..16, Some(usage(1, 0x30)), (-127, 127)),
    ];
    assert_eq!(kinds, expected);
    assert!(report.fields.iter().all(|field| field.application == Some(usage(1, 5))));
}

/// Two reports with numbers, the second one spoken of in between.
#[test]
fn reports_have_numbers() {
    let bytes = [
        0x05, 0x01, 0x85, 1, 0x75, 8, 0x95, 1, 0x09, 0x30, 0x81, 2, // report 1: x
        0x85, 2, 0x09, 0x31, 0x81, 2, // report 2: y
        0x85, 1, 0x09, 0x32, 0x81, 2, // report 1: z
    ];
    let descriptor = parse(&bytes).unwrap();
    assert!(descriptor.is_numbered);
    let of = |n: usize| {
        let report = &descriptor.reports[n];
        let bits: Vec<u32> = report.fields.iter().map(|f| f.bits.start).collect();
        (report.id, bits)
    };
    assert_eq!(of(0), (1, vec![8, 16]));
    assert_eq!(of(1), (2, vec![8]));
}

#[rstest]
#[case::signed(&[0x15, 0x81, 0x25, 0x7f], (-127, 127))]
#[case::unsigned(&[0x15, 0x00, 0x25, 0xff], (0, 255))]
#[case::a_negative_range_written_unsigned(&[0x16, 0x00, 0x80, 0x26, 0xff, 0x7f], (-32768, 32767))]
#[case::of_four_bytes(&[0x17, 0, 0, 0, 0x80, 0x27, 0xff, 0xff, 0xff, 0x7f], (i32::MIN, i32::MAX))]
#[case::too_large_for_a_sign(&[0x15, 0, 0x27, 0xff, 0xff, 0xff, 0xff], (0, i32::MAX))]
#[case::none(&[], (0, 255))]
#[case::backwards(&[0x15, 0x10, 0x25, 0x05], (0, 255))]
fn the_range_of_a_byte(#[case] says: &[u8], #[case] range: (i32, i32)) {
    let mut bytes = vec![0x05, 0x01, 0x09, 0x30, 0x75, 8, 0x95, 1];
    bytes.extend(says);
    bytes.extend([0x81, 2]);
    assert_eq!(parse(&bytes).unwrap().reports[0].fields[0].logical, range);
}

#[rstest]
#[case::empty(&[], "1 to 4096 bytes, and this one 0")]
#[case::cut(&[0x26, 0xff], "no items")]
#[case::ends_too_often(&[0xc0], "never began")]
#[case::nothing_kept(&[0xb4], "nothing was kept")]
#[case::number_nought(&[0x85, 0], "1 to 255")]
#[case::too_many_bits(&[0x09, 1, 0x77, 0xff, 0xff, 0xff, 0xff, 0x97, 0xff, 0xff, 0xff, 0xff, 0x81, 2], "too many bits")]
#[case::too_many_fields(&[0x09, 1, 0x75, 1, 0x96, 0xff, 0xff, 0x81, 2], "too many fields")]
#[case::ten_thousand_usages(&[0x1b, 0, 0, 0, 0, 0x2b, 0xff, 0xff, 0xff, 0xff], "too many usages")]
#[case::long_item(&[0xfe, 1, 0, 0x05, 0x01], "a long item")]
fn what_lies_is_refused(#[case] bytes: &[u8], #[case] words: &str) {
    let error = parse(bytes).unwrap_err().to_string();
    assert!(error.contains(words), "{error}");
}

/// A throttle of 0 to 127 that turns by 30.5 degrees to either side.
#[test]
fn a_field_may_say_what_it_is_in_the_world() {
    #[rustfmt::skip]
        let bytes = [
            0x05, 0x02, 0x09, 0xbb, 0x15, 0, 0x25, 127, 0x36, 0xcf, 0xfe, 0x46, 0x31, 0x01, 0x65, 0x14,
            0x55, 0x0f, 0x75, 8, 0x95, 1, 0x81, 2,
        ];
    let field = &parse(&bytes).unwrap().reports[0].fields[0];
    let unit = "deg".to_owned();
    assert_eq!(field.physical, Some(Physical { min: -30.5, max: 30.5, unit }));
}

#[test]
fn nesting_is_bounded() {
    let bytes: Vec<u8> = [0xa1, 1].repeat(MAX_DEPTH + 1);
    assert!(parse(&bytes).unwrap_err().to_string().contains("too deeply"));
    let kept: Vec<u8> = vec![0xa4; MAX_DEPTH + 1];
    assert!(parse(&kept).unwrap_err().to_string().contains("kept"));
}

/// Without a usage it is padding, and takes its room.
#[test]
fn what_has_no_usage_is_padding() {
    let bytes = [0x75, 8, 0x95, 2, 0x81, 2, 0x05, 1, 0x09, 0x30, 0x95, 1, 0x81, 2];
    let fields = &parse(&bytes).unwrap().reports[0].fields;
    assert_eq!(fields[0].kind, FieldKind::Padding);
    assert_eq!(fields[1].bits, 16..24);
}
