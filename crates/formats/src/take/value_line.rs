//! The line of a value, read without a parser of JSON where it is written as programs write
//! it: most of the lines of a take are, and of those of a running program.

/// What the line of a value says.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct ValueLine<'a> {
    /// When.
    pub(super) t: u64,
    /// The value.
    pub(super) value: NamedValue<'a>,
}

/// A value and what it is of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct NamedValue<'a> {
    /// What names the device and the control, as it is written: see [`names`].
    pub(crate) named: &'a [u8],
    /// The value.
    pub(crate) v: i32,
    /// What is special about it.
    pub(crate) mark: Option<&'a str>,
}

impl<'a> ValueLine<'a> {
    /// Reads a line with exactly `t`, `on`, `c`, `v` and perhaps `mark`, in this order,
    /// without spaces or escapes, and in ASCII. Of any other line, good or bad, it is `None`,
    /// or its [`names`] are: what stands between `t` and `v` is not looked at, for a reader
    /// mostly knows it already.
    pub(super) fn of(line: &'a [u8]) -> Option<Self> {
        let (t, rest) = number(line.strip_prefix(b"{\"t\":")?)?;
        let value = NamedValue::of(rest.strip_prefix(b",")?.strip_suffix(b"}")?)?;
        Some(ValueLine { t, value })
    }
}

impl<'a> NamedValue<'a> {
    /// Reads `on`, `c`, `v` and perhaps `mark`, as [`ValueLine::of`] does.
    pub(crate) fn of(text: &'a [u8]) -> Option<Self> {
        let (rest, mark) = match text.strip_suffix(b"\"") {
            Some(marked) => {
                let begins = marked.iter().rposition(|&byte| byte == b'"')? + 1;
                let (rest, mark) = marked.split_at(begins);
                (rest.strip_suffix(b",\"mark\":\"")?, Some(plain(mark)?))
            }
            None => (text, None),
        };
        let (rest, v) = value(rest)?;
        let named = rest.strip_suffix(b",\"v\":")?;
        Some(NamedValue { named, v, mark })
    }
}

/// The device and the control that a line [names](NamedValue::named).
pub(crate) fn names(named: &[u8]) -> Option<[&str; 2]> {
    let rest = named.strip_prefix(b"\"on\":\"")?.strip_suffix(b"\"")?;
    let ends = rest.iter().position(|&byte| byte == b'"')?;
    let (on, rest) = rest.split_at(ends);
    Some([plain(on)?, plain(rest.strip_prefix(b"\",\"c\":\"")?)?])
}

/// Eighteen digits fit into any of the numbers here before they are held against their
/// bounds; what has more is left to the parser.
const DIGITS: usize = 18;

/// A number without a sign, and what follows it.
pub(crate) fn number(text: &[u8]) -> Option<(u64, &[u8])> {
    let (mut number, mut digits) = (0_u64, 0);
    if let Some(eight) = text.first_chunk().and_then(eight_digits) {
        (number, digits) = (eight, 8);
    }
    for byte in &text[digits..] {
        let digit = byte.wrapping_sub(b'0');
        if digit > 9 {
            break;
        }
        // Of too many digits it is wrong, and is not used.
        number = number.wrapping_mul(10).wrapping_add(u64::from(digit));
        digits += 1;
    }
    // No number of JSON begins with a needless nought.
    let is_needless = digits > 1 && text[0] == b'0';
    ((1..=DIGITS).contains(&digits) && !is_needless).then(|| (number, &text[digits..]))
}

/// The number that eight digits are. All of them are looked at together, and neighbours are
/// put together until one number is left: pairs, fours, eight.
fn eight_digits(text: &[u8; 8]) -> Option<u64> {
    let word = u64::from_le_bytes(*text);
    let highs = 0xF0F0_F0F0_F0F0_F0F0;
    // Of a digit the upper half is 3, and stays so when 6 is added.
    let sixes = word.wrapping_add(0x0606_0606_0606_0606);
    if word & highs != 0x3030_3030_3030_3030 || sixes & highs != 0x3030_3030_3030_3030 {
        return None;
    }
    let digits = word & !highs;
    let pairs = (digits * 10 + (digits >> 8)) & 0x00FF_00FF_00FF_00FF;
    let fours = (pairs * 100 + (pairs >> 16)) & 0x0000_FFFF_0000_FFFF;
    Some((fours * 10_000 + (fours >> 32)) & 0xFFFF_FFFF)
}

/// What stands before a number without a sign, and the number.
pub(crate) fn last_number(text: &[u8]) -> Option<(&[u8], u64)> {
    let (mut number, mut place, mut begins) = (0_u64, 1_u64, text.len());
    while let Some(digit @ b'0'..=b'9') = text[..begins].last() {
        // Of too many digits it is wrong, and is not used.
        number = number.wrapping_add(u64::from(digit - b'0').wrapping_mul(place));
        place = place.wrapping_mul(10);
        begins -= 1;
    }
    let (rest, digits) = text.split_at(begins);
    let is_needless = digits.len() > 1 && digits[0] == b'0';
    ((1..=DIGITS).contains(&digits.len()) && !is_needless).then_some((rest, number))
}

/// What stands before a value, and the value.
fn value(text: &[u8]) -> Option<(&[u8], i32)> {
    let (rest, number) = last_number(text)?;
    let number = number as i64;
    match rest.strip_suffix(b"-") {
        None => Some((rest, i32::try_from(number).ok()?)),
        // What a negative nought is the parser may say.
        Some(_) if number == 0 => None,
        Some(rest) => Some((rest, i32::try_from(-number).ok()?)),
    }
}

/// A text that stands for itself between two quotes.
fn plain(text: &[u8]) -> Option<&str> {
    let is_plain = |byte: &u8| matches!(byte, b' '..=b'~') && !matches!(byte, b'"' | b'\\');
    text.iter().all(is_plain).then(|| str::from_utf8(text).ok())?
}

#[cfg(test)]
pub(crate) mod tests {
    use super::{super::line::Line, *};
    use proptest::{prelude::*, sample::Index};
    use rstest::rstest;

    /// Up to two bytes of a line to be others.
    pub(crate) fn changes() -> impl Strategy<Value = Vec<(Index, u8)>> {
        prop::collection::vec((any::<Index>(), any::<u8>()), 0..3)
    }

    /// A line with those changes.
    pub(crate) fn changed(line: String, changes: Vec<(Index, u8)>) -> Vec<u8> {
        let mut line = line.into_bytes();
        for (at, byte) in changes {
            let at = at.index(line.len());
            line[at] = byte;
        }
        line
    }

    /// What the parser of JSON makes of a line, if that is a value and nothing else.
    fn parsed(line: &[u8]) -> Option<(u64, String, String, i32, Option<String>)> {
        let Line { t: Some(t), on: Some(on), c: Some(c), v: Some(v), mark, .. } =
            serde_json::from_slice(line).ok()?
        else {
            return None;
        };
        Some((t, on.0.into(), c.0.into(), v, mark.map(|mark| mark.0.into())))
    }

    fn read(line: &[u8]) -> Option<(u64, String, String, i32, Option<String>)> {
        let ValueLine { t, value: NamedValue { named, v, mark } } = ValueLine::of(line)?;
        let [on, c] = names(named)?;
        Some((t, on.into(), c.into(), v, mark.map(Into::into)))
    }

    #[rstest]
    #[case::as_it_is_written(r#"{"t":204310000,"on":"pad1","c":"south","v":1}"#, true)]
    #[case::negative(r#"{"t":0,"on":"pad1","c":"stick-l-x","v":-2147483648}"#, true)]
    #[case::marked(r#"{"t":550000000,"on":"keys","c":"KeyH","v":0,"mark":"inferred+late"}"#, true)]
    #[case::empty_names(r#"{"t":0,"on":"","c":"","v":0}"#, true)]
    #[case::too_large(r#"{"t":0,"on":"a","c":"b","v":2147483648}"#, false)]
    #[case::too_small(r#"{"t":0,"on":"a","c":"b","v":-2147483649}"#, false)]
    #[case::as_many_digits_as_it_reads(r#"{"t":999999999999999999,"on":"a","c":"b","v":1}"#, true)]
    #[case::more_digits(r#"{"t":18446744073709551615,"on":"a","c":"b","v":1}"#, false)]
    #[case::too_many_digits(r#"{"t":18446744073709551616,"on":"a","c":"b","v":1}"#, false)]
    #[case::a_needless_nought(r#"{"t":007,"on":"a","c":"b","v":1}"#, false)]
    #[case::a_negative_nought(r#"{"t":7,"on":"a","c":"b","v":-0}"#, false)]
    #[case::a_fraction(r#"{"t":7.5,"on":"a","c":"b","v":1}"#, false)]
    #[case::an_exponent(r#"{"t":7,"on":"a","c":"b","v":1e2}"#, false)]
    #[case::an_escape(r#"{"t":7,"on":"a\n","c":"b","v":1}"#, false)]
    #[case::not_ascii(r#"{"t":7,"on":"ä","c":"b","v":1}"#, false)]
    #[case::another_order(r#"{"on":"a","t":7,"c":"b","v":1}"#, false)]
    #[case::spaces(r#"{"t": 7,"on":"a","c":"b","v":1}"#, false)]
    #[case::more_after_it(r#"{"t":7,"on":"a","c":"b","v":1} "#, false)]
    #[case::another_key(r#"{"t":7,"on":"a","c":"b","v":1,"n":3}"#, false)]
    #[case::twice(r#"{"t":7,"on":"a","c":"b","v":1,"v":2}"#, false)]
    #[case::cut(r#"{"t":7,"on":"a","c":"b","v":1"#, false)]
    #[case::no_value(r#"{"t":7,"on":"a","c":"b","v":}"#, false)]
    #[case::no_digit(r#"{"t":7,"on":"a","c":"b","v":-}"#, false)]
    #[case::two_values(r#"{"t":7,"on":"a","c":"b","v":1,"v":2}"#, false)]
    #[case::two_marks(r#"{"t":7,"on":"a","c":"b","v":1,"mark":"late","mark":"late"}"#, false)]
    #[case::a_mark_first(r#"{"t":7,"on":"a","c":"b","mark":"late","v":1}"#, false)]
    #[case::a_mark_without_its_end(r#"{"t":7,"on":"a","c":"b","v":1,"mark":"late}"#, false)]
    #[case::a_mark_with_an_escape(
        "{\"t\":7,\"on\":\"a\",\"c\":\"b\",\"v\":1,\"mark\":\"l\\\\\"}",
        false
    )]
    #[case::another_text_last(r#"{"t":7,"on":"a","c":"b","v":1,"label":"late"}"#, false)]
    #[case::a_third_name(r#"{"t":7,"on":"a","on":"a","c":"b","v":1}"#, false)]
    #[case::nothing_named(r#"{"t":7,"v":1}"#, false)]
    fn what_it_reads_is_what_the_parser_reads(#[case] line: &str, #[case] is_read: bool) {
        assert_eq!(read(line.as_bytes()).is_some(), is_read);
        if is_read {
            assert_eq!(read(line.as_bytes()), parsed(line.as_bytes()));
        }
    }

    proptest! {
        /// Any eight bytes, most of them digits.
        #[test]
        fn eight_digits_are_the_number_they_say(
            mut text in prop::array::uniform8(b'0'..=b'9'),
            change in prop::option::of((0..8_usize, any::<u8>())),
        ) {
            if let Some((at, byte)) = change {
                text[at] = byte;
            }
            let said = text.iter().all(u8::is_ascii_digit).then(|| {
                str::from_utf8(&text).unwrap().parse().unwrap()
            });
            prop_assert_eq!(eight_digits(&text), said);
        }

        /// Any line that a byte or two make of a good one.
        #[test]
        fn what_it_reads_of_a_changed_line_is_what_the_parser_reads(
            t in prop_oneof![0..2_592_000_000_000_000u64, any::<u64>()], v: i32,
            mark in prop::option::of("[a-z+]{0,9}"),
            changes in changes(),
        ) {
            let mark = mark.map_or(String::new(), |mark| format!(",\"mark\":\"{mark}\""));
            let line = format!("{{\"t\":{t},\"on\":\"pad1\",\"c\":\"stick-l-x\",\"v\":{v}{mark}}}");
            let line = changed(line, changes);
            if let Some(read) = read(&line) {
                prop_assert_eq!(Some(read), parsed(&line), "{}", String::from_utf8_lossy(&line));
            }
        }
    }
}
