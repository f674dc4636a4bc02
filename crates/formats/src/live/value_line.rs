//! The line of a value, read without a parser of JSON where it is written as senders write it.

use crate::take::{NamedValue, last_number, number};

/// What the line of a value says. Its time is below that from which on times are refused.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct LiveValue<'a> {
    /// When, if it says so.
    pub(super) t: Option<u64>,
    /// The value.
    pub(super) value: NamedValue<'a>,
    /// The number of the line, if it has one.
    pub(super) n: Option<u64>,
}

impl<'a> LiveValue<'a> {
    /// Reads a line with exactly `t`, `on`, `c`, `v`, `mark` and `n`, in this order, of which
    /// `t`, `mark` and `n` may be missing, without spaces or escapes, and in ASCII. Of any
    /// other line, good or bad, it is `None`, or what it [names](NamedValue::named) is nothing.
    pub(super) fn of(line: &'a [u8]) -> Option<Self> {
        let rest = line.strip_prefix(b"{")?.strip_suffix(b"}")?;
        let (t, rest) = match rest.strip_prefix(b"\"t\":") {
            Some(timed) => {
                let (t, rest) = number(timed)?;
                (Some(t), rest.strip_prefix(b",")?)
            }
            None => (None, rest),
        };
        let numbered = |(rest, n): (&'a [u8], u64)| Some((rest.strip_suffix(b",\"n\":")?, n));
        let (rest, n) = match last_number(rest).and_then(numbered) {
            Some((rest, n)) => (rest, Some(n)),
            None => (rest, None),
        };
        Some(LiveValue { t, value: NamedValue::of(rest)?, n })
    }
}

#[cfg(test)]
mod tests {
    use super::LiveValue;
    use crate::take::{Line, changed, changes, names};
    use proptest::prelude::*;
    use rstest::rstest;

    /// All that a line can say of a value.
    type Read = (Option<u64>, String, String, i32, Option<String>, Option<u64>);

    /// What the parser of JSON makes of a line, if that is a value and nothing else.
    fn parsed(line: &[u8]) -> Option<Read> {
        let line: Line = serde_json::from_slice(line).ok()?;
        let Line { t, on: Some(on), c: Some(c), v: Some(v), mark, n, .. } = line else {
            return None;
        };
        Some((t, on.0.into(), c.0.into(), v, mark.map(|mark| mark.0.into()), n))
    }

    fn read(line: &[u8]) -> Option<Read> {
        let LiveValue { t, value, n } = LiveValue::of(line)?;
        let [on, c] = names(value.named)?;
        Some((t, on.into(), c.into(), value.v, value.mark.map(Into::into), n))
    }

    #[rstest]
    #[case::all(r#"{"t":204310000,"on":"pad1","c":"south","v":-1,"mark":"late","n":17}"#, true)]
    #[case::least(r#"{"on":"pad1","c":"south","v":1}"#, true)]
    #[case::of_a_take(r#"{"t":5,"on":"pad1","c":"south","v":1,"mark":"late"}"#, true)]
    #[case::numbered(r#"{"on":"pad1","c":"south","v":1,"n":0}"#, true)]
    #[case::the_largest_number(r#"{"on":"a","c":"b","v":1,"n":999999999999999999}"#, true)]
    #[case::larger_still(r#"{"on":"a","c":"b","v":1,"n":18446744073709551615}"#, false)]
    #[case::a_time_too_late(r#"{"t":4611686018427387904,"on":"a","c":"b","v":1}"#, false)]
    #[case::a_negative_number(r#"{"on":"a","c":"b","v":1,"n":-1}"#, false)]
    #[case::a_needless_nought(r#"{"on":"a","c":"b","v":1,"n":01}"#, false)]
    #[case::two_numbers(r#"{"on":"a","c":"b","v":1,"n":1,"n":2}"#, false)]
    #[case::two_times(r#"{"t":1,"t":1,"on":"a","c":"b","v":1}"#, false)]
    #[case::a_number_first(r#"{"n":1,"on":"a","c":"b","v":1}"#, false)]
    #[case::a_mark_last(r#"{"on":"a","c":"b","v":1,"n":1,"mark":"late"}"#, false)]
    #[case::a_number_alone(r#"{"on":"a","c":"b","n":1}"#, false)]
    #[case::no_time(r#"{"t":,"on":"a","c":"b","v":1}"#, false)]
    #[case::a_comma_too_much(r#"{,"on":"a","c":"b","v":1}"#, false)]
    #[case::spaces(r#"{"t":1,"on":"a","c":"b","v":1, "n":1}"#, false)]
    #[case::another_sort(r#"{"t":1,"sync":5}"#, false)]
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
            t in prop::option::of(any::<u64>()), v: i32, n in prop::option::of(0..1_000u64),
            mark in prop::option::of("[a-z+]{0,9}"),
            changes in changes(),
        ) {
            let t = t.map_or(String::new(), |t| format!("\"t\":{t},"));
            let mark = mark.map_or(String::new(), |mark| format!(",\"mark\":\"{mark}\""));
            let n = n.map_or(String::new(), |n| format!(",\"n\":{n}"));
            let line = format!("{{{t}\"on\":\"pad1\",\"c\":\"stick-l-x\",\"v\":{v}{mark}{n}}}");
            let line = changed(line, changes);
            if let Some(read) = read(&line) {
                prop_assert_eq!(Some(read), parsed(&line), "{}", String::from_utf8_lossy(&line));
            }
        }
    }
}
