//! The line of a value, read without a parser of JSON where it is written as programs write
//! it: most of the lines of a take are.

/// What the line of a value says.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct ValueLine<'a> {
    /// When.
    pub(super) t: u64,
    /// The device.
    pub(super) on: &'a str,
    /// The control.
    pub(super) c: &'a str,
    /// The value.
    pub(super) v: i32,
    /// What is special about it.
    pub(super) mark: Option<&'a str>,
}

impl<'a> ValueLine<'a> {
    /// Reads a line with exactly `t`, `on`, `c`, `v` and perhaps `mark`, in this order,
    /// without spaces or escapes, and in ASCII. Of any other line, good or bad, it is `None`.
    pub(super) fn of(line: &'a [u8]) -> Option<Self> {
        let rest = line.strip_prefix(b"{\"t\":")?;
        let (t, rest) = number(rest)?;
        let (on, rest) = text(rest.strip_prefix(b",\"on\":\"")?)?;
        let (c, rest) = text(rest.strip_prefix(b",\"c\":\"")?)?;
        let (v, rest) = value(rest.strip_prefix(b",\"v\":")?)?;
        let (mark, rest) = match rest.strip_prefix(b",\"mark\":\"") {
            Some(rest) => text(rest).map(|(mark, rest)| (Some(mark), rest))?,
            None => (None, rest),
        };
        (rest == b"}").then_some(ValueLine { t, on, c, v, mark })
    }
}

/// Eighteen digits fit into any of the numbers here before they are held against their
/// bounds; what has more is left to the parser.
const DIGITS: usize = 18;

/// A number without a sign, and what follows it.
fn number(text: &[u8]) -> Option<(u64, &[u8])> {
    let (mut number, mut digits) = (0, 0);
    while let Some(byte @ b'0'..=b'9') = text.get(digits) {
        if digits == DIGITS {
            return None;
        }
        number = number * 10 + u64::from(byte - b'0');
        digits += 1;
    }
    // No number of JSON begins with a needless nought.
    let is_needless = digits > 1 && text[0] == b'0';
    (digits > 0 && !is_needless).then(|| (number, &text[digits..]))
}

/// A value, and what follows it.
fn value(text: &[u8]) -> Option<(i32, &[u8])> {
    let (is_negative, text) = match text.strip_prefix(b"-") {
        Some(rest) => (true, rest),
        None => (false, text),
    };
    let (number, rest) = number(text)?;
    let number = number as i64;
    // What a negative nought is the parser may say.
    if is_negative && number == 0 {
        return None;
    }
    i32::try_from(if is_negative { -number } else { number }).ok().map(|value| (value, rest))
}

/// A text up to its quote, and what follows that.
fn text(text: &[u8]) -> Option<(&str, &[u8])> {
    let is_plain = |byte: &u8| matches!(byte, b' '..=b'~') && !matches!(byte, b'"' | b'\\');
    let length = text.iter().take_while(|byte| is_plain(byte)).count();
    let (text, rest) = text.split_at(length);
    Some((str::from_utf8(text).ok()?, rest.strip_prefix(b"\"")?))
}

#[cfg(test)]
mod tests {
    use super::{super::line::Line, *};
    use proptest::prelude::*;
    use rstest::rstest;

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
        let ValueLine { t, on, c, v, mark } = ValueLine::of(line)?;
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
    fn what_it_reads_is_what_the_parser_reads(#[case] line: &str, #[case] is_read: bool) {
        assert_eq!(read(line.as_bytes()).is_some(), is_read);
        if is_read {
            assert_eq!(read(line.as_bytes()), parsed(line.as_bytes()));
        }
    }

    proptest! {
        /// Any line that a byte or two make of a good one.
        #[test]
        fn what_it_reads_of_a_changed_line_is_what_the_parser_reads(
            t in prop_oneof![0..2_592_000_000_000_000u64, any::<u64>()], v: i32,
            mark in prop::option::of("[a-z+]{0,9}"),
            changes in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 0..3),
        ) {
            let mark = mark.map_or(String::new(), |mark| format!(",\"mark\":\"{mark}\""));
            let line = format!("{{\"t\":{t},\"on\":\"pad1\",\"c\":\"stick-l-x\",\"v\":{v}{mark}}}");
            let mut line = line.into_bytes();
            for (at, byte) in changes {
                let at = at.index(line.len());
                line[at] = byte;
            }
            if let Some(read) = read(&line) {
                prop_assert_eq!(Some(read), parsed(&line), "{}", String::from_utf8_lossy(&line));
            }
        }
    }
}
