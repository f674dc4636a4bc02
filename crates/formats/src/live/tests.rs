use super::*;
use gtrig_core::{Marks, Nanos, Presence};
use proptest::prelude::*;
use rstest::rstest;

const PAD: &str = r#"{"plug":"p","kind":"pad","controls":[{"code":"south","kind":"button"},{"code":"east","kind":"button"}]}"#;

fn pieces(chunks: &[&[u8]]) -> Vec<Option<Vec<u8>>> {
    let mut splitter = LineSplitter::default();
    let mut all = Vec::new();
    for chunk in chunks {
        splitter.feed(chunk, |piece| {
            all.push(match piece {
                Piece::Line(line) => Some(line.to_vec()),
                Piece::TooLong => None,
            });
        });
    }
    all
}

#[rstest]
#[case::one(&["abc\n"], &["abc"])]
#[case::in_pieces(&["a", "b", "c\nd", "\n"], &["abc", "d"])]
#[case::carriage_returns(&["abc\r", "\nd\r\n"], &["abc", "d"])]
#[case::empty(&["\n\n\r\na\n"], &["a"])]
#[case::no_end(&["abc\nd"], &["abc"])]
fn bytes_are_cut_into_lines(#[case] chunks: &[&str], #[case] expected: &[&str]) {
    let chunks: Vec<&[u8]> = chunks.iter().map(|chunk| chunk.as_bytes()).collect();
    let expected: Vec<_> = expected.iter().map(|line| Some(line.as_bytes().to_vec())).collect();
    assert_eq!(pieces(&chunks), expected);
}

#[rstest]
#[case::just_fits(MAX_LINE_BYTES, true)]
#[case::too_long(MAX_LINE_BYTES + 1, false)]
fn a_long_line_is_left_out_however_it_comes(
    #[case] length: usize,
    #[case] fits: bool,
    #[values(1_000, 60_000, 1 << 20)] chunk: usize,
) {
    let mut text = vec![b'x'; length];
    text.extend_from_slice(b"\nnext\n");
    let found = pieces(&text.chunks(chunk).collect::<Vec<_>>());
    assert_eq!(found.len(), 2);
    assert_eq!(found[0].is_some(), fits);
    assert_eq!(found[1].as_deref(), Some(&b"next"[..]));
}

#[rstest]
#[case::least(r#"{"live":1,"name":"a"}"#, PeerClock::Own, 0, false)]
#[case::own(
    r#"{"live":1,"name":"a","clock":"own","delay":5,"answers":true}"#,
    PeerClock::Own,
    5,
    true
)]
#[case::monotonic(
    r#"{"live":1,"name":"a","clock":"monotonic","boot":"00000000-0000-0000-0000-0000000000ff"}"#,
    PeerClock::Monotonic(255),
    0,
    false
)]
#[case::a_take(r#"{"take":1,"title":"x"}"#, PeerClock::Own, 0, false)]
fn a_greeting_says_who_sends(
    #[case] line: &str,
    #[case] clock: PeerClock,
    #[case] delay: u64,
    #[case] answers: bool,
) {
    let greeting = Greeting::read(line.as_bytes(), "a").unwrap();
    let expected = Greeting { name: "a".into(), clock, delay: Nanos(delay), answers, token: None };
    assert_eq!(greeting, expected);
}

fn said(lines: &[&str]) -> Vec<Result<(Option<Nanos>, Said), String>> {
    let mut decoder = LiveDecoder::default();
    let say = |line: &&str| decoder.line(line.as_bytes()).map_err(|fault| fault.to_string());
    lines.iter().map(say).collect()
}

#[test]
fn lines_say_what_happens() {
    let found = said(&[
        PAD,
        r#"{"t":5,"on":"p","c":"east","v":1,"mark":"carried"}"#,
        r#"{"deaf":"p"}"#,
        r#"{"heard":"p"}"#,
        r#"{"t":6,"label":"here"}"#,
        r#"{"t":7,"sync":3}"#,
        r#"{"unplug":"p"}"#,
        r#"{"t":8,"ends":true}"#,
    ]);
    let found: Vec<_> = found.into_iter().map(Result::unwrap).collect();
    assert!(matches!(&found[0], (None, Said::Arrived(0, info)) if info.controls.len() == 2));
    let value = Said::Value { device: 0, control: 1, value: 1, marks: Marks::CARRIED };
    let expected = [
        (Some(Nanos(5)), value),
        (None, Said::Presence(0, Presence::Deaf)),
        (None, Said::Presence(0, Presence::Here)),
        (Some(Nanos(6)), Said::Label(gtrig_core::CleanText::new("here"))),
        (Some(Nanos(7)), Said::Answer(3)),
        (None, Said::Presence(0, Presence::Gone)),
        (Some(Nanos(8)), Said::End),
    ];
    assert_eq!(found[1..], expected);
}

#[rstest]
#[case::no_json("{", "EOF")]
#[case::an_unknown_key(r#"{"on":"p","c":"east","v":1,"x":2}"#, "unknown field")]
#[case::two_sorts(r#"{"deaf":"p","heard":"p"}"#, "not exactly one")]
#[case::no_device(r#"{"on":"q","c":"east","v":1}"#, "was never plugged in")]
#[case::no_control(r#"{"on":"p","c":"eazt","v":1}"#, "did you mean \"east\"")]
#[case::no_value(r#"{"on":"p","c":"east"}"#, "a value needs")]
#[case::plugged_already(PAD, "plugged in already")]
#[case::a_label_without_a_text(r#"{"label":""}"#, "a label has no text")]
#[case::a_time_beyond_all(r#"{"t":4611686018427387904,"deaf":"p"}"#, "at most 2^62 - 1")]
fn a_line_that_is_none_changes_nothing(#[case] line: &str, #[case] why: &str) {
    let press = r#"{"on":"p","c":"east","v":1}"#;
    let found = said(&[PAD, line, press]);
    let fault = found[1].as_ref().unwrap_err();
    assert!(fault.contains(why), "{fault}");
    assert!(found[2].is_ok());
}

/// What is bad is not lost as well.
#[rstest]
#[case::its_own("{\"unplug\":\"nobody\",\"n\":2}", 0)]
#[case::its_own_after_a_gap("{\"unplug\":\"nobody\",\"n\":3}", 1)]
#[case::one_that_cannot_be_read("{\"v\":true,\"n\":2}", 0)]
#[case::none("{\"unplug\":\"nobody\"}", 0)]
#[case::too_long(&"x".repeat(MAX_LINE_BYTES + 1), 0)]
fn a_bad_line_has_a_number_like_any_other(#[case] bad: &str, #[case] missed: u64) {
    let mut decoder = LiveDecoder::default();
    decoder.line(b"{\"ends\":true,\"n\":1}").unwrap();
    decoder.line(bad.as_bytes()).unwrap_err();
    let next = 3 + missed;
    decoder.line(format!("{{\"ends\":true,\"n\":{next}}}").as_bytes()).unwrap();
    assert_eq!(decoder.missed(), missed);
}

/// The same device again is the same; another under its name is another.
#[test]
fn devices_are_counted_as_long_as_they_are_known() {
    let other = PAD.replace("east", "west");
    let unplug = r#"{"unplug":"p"}"#;
    let found = said(&[PAD, unplug, PAD, unplug, &other]);
    let number = |at: usize| match found[at] {
        Ok((_, Said::Arrived(number, _))) => number,
        _ => panic!("line {at}"),
    };
    assert_eq!((number(0), number(2), number(4)), (0, 0, 1));
    let many: Vec<String> =
        (0..=MAX_DEVICES).map(|at| PAD.replace("\"p\"", &format!("\"p{at}\""))).collect();
    let found = said(&many.iter().map(String::as_str).collect::<Vec<_>>());
    assert!(found[MAX_DEVICES - 1].is_ok());
    assert!(found[MAX_DEVICES].as_ref().unwrap_err().contains("at most 64 devices"));
}

#[rstest]
#[case::none_missing(&[1, 2, 3], 0)]
#[case::some(&[1, 2, 5, 9], 5)]
#[case::one_that_begins_anywhere(&[100, 101], 0)]
#[case::back(&[5, 3, 4], 0)]
#[case::as_far_as_it_goes(&[0, u64::MAX], u64::MAX - 1)]
fn missing_numbers_are_counted(#[case] numbers: &[u64], #[case] missed: u64) {
    let mut decoder = LiveDecoder::default();
    for number in numbers {
        decoder.line(format!("{{\"ends\":true,\"n\":{number}}}").as_bytes()).unwrap();
    }
    assert_eq!((decoder.missed(), decoder.missed()), (missed, 0));
}

proptest! {
    /// However the bytes are cut, the lines are the same.
    #[test]
    fn the_cuts_do_not_matter(
        bytes in prop::collection::vec(prop::sample::select(b"ab\n\r{".to_vec()), 0..200),
        cuts in prop::collection::vec(1usize..20, 0..40),
    ) {
        let mut rest = bytes.as_slice();
        let mut chunks = Vec::new();
        for cut in cuts {
            let (chunk, later) = rest.split_at(cut.min(rest.len()));
            chunks.push(chunk);
            rest = later;
        }
        chunks.push(rest);
        prop_assert_eq!(pieces(&chunks), pieces(&[&bytes]));
    }
}

#[rstest]
#[case::own(
    r#"{"t":9,"frame":3,"polled":5,"read":{"p":{"east":1}},"gives":{"Horn":1}}"#,
    ReadOf::Own(0, 1)
)]
#[case::of_another(r#"{"t":9,"frame":3,"polled":5,"read":{"pad1":{"east":1}},"gives":{"Horn":1}}"#, ReadOf::Other("pad1".to_owned(), "east".to_owned()))]
fn a_frame_says_what_it_read(#[case] line: &str, #[case] of: ReadOf) {
    let mut decoder = LiveDecoder::default();
    decoder.line(PAD.as_bytes()).unwrap();
    let (time, said) = decoder.line(line.as_bytes()).unwrap();
    let Said::Frame(frame) = said else { panic!("{said:?}") };
    assert_eq!((time, frame.number, frame.polled), (Some(Nanos(9)), 3, Some([Nanos(5); 2])));
    assert_eq!(frame.reads, [(of, [1, 1])]);
    assert_eq!(frame.gives, [(gtrig_core::CleanText::new("Horn"), 1.0)]);
}

#[rstest]
#[case::without_its_time(r#"{"frame":1,"polled":5}"#, "`polled`")]
#[case::polls_later(r#"{"t":4,"frame":1,"polled":5}"#, "`polled`")]
#[case::no_control(r#"{"t":4,"frame":1,"read":{"p":{"wst":1}}}"#, "no control")]
fn a_frame_that_is_none_changes_nothing(#[case] line: &str, #[case] says: &str) {
    let mut decoder = LiveDecoder::default();
    decoder.line(PAD.as_bytes()).unwrap();
    let fault = decoder.line(line.as_bytes()).unwrap_err();
    assert!(fault.to_string().contains(says), "{fault}");
}

#[test]
fn a_game_has_so_many_names() {
    let mut decoder = LiveDecoder::default();
    for n in 0..=MAX_VALUES {
        let line = format!(r#"{{"frame":{n},"gives":{{"v{n}":1}}}}"#);
        assert_eq!(decoder.line(line.as_bytes()).is_ok(), n < MAX_VALUES, "{n}");
    }
    // Those that it has are good all the same.
    assert!(decoder.line(br#"{"frame":1,"gives":{"v0":1}}"#).is_ok());
}

/// Lines of senders: values, of devices and controls that are there or not, and what makes
/// them be there.
fn lines() -> impl Strategy<Value = Vec<String>> {
    let plug = |text: &'static str| Just(text.to_owned());
    let value = (
        prop::option::of(0..5_000_000_000_000_000_000_u64),
        prop::sample::select(vec!["p", "q", "r"]),
        prop::sample::select(vec!["south", "east", "west"]),
        prop::sample::select(vec!["1", "0", "-32768", "2147483648", "1.5"]),
        prop::sample::select(vec!["", r#","mark":"late""#, r#","mark":"lat""#]),
    );
    let value = value.prop_map(|(t, on, c, v, mark)| {
        let t = t.map_or(String::new(), |t| format!("\"t\":{t},"));
        format!(r#"{{{t}"on":"{on}","c":"{c}","v":{v}{mark}}}"#)
    });
    let line = prop_oneof![
        8 => value,
        2 => plug(PAD),
        1 => plug(r#"{"plug":"q","kind":"pad","controls":[{"code":"west","kind":"button"}]}"#),
        1 => plug(r#"{"plug":"p","kind":"pad","controls":[{"code":"west","kind":"button"}]}"#),
        1 => plug(r#"{"unplug":"p"}"#),
        1 => plug(r#"{"deaf":"p"}"#),
    ];
    let numbered = (line, prop::option::of(0..30_u64)).prop_map(|(line, n)| match n {
        Some(n) => format!("{},\"n\":{n}}}", &line[..line.len() - 1]),
        None => line,
    });
    prop::collection::vec(numbered, 0..40)
}

proptest! {
    /// With a space a line is read by the parser of JSON, and says the same.
    #[test]
    fn a_space_changes_nothing(lines in lines()) {
        let (mut plain, mut spaced) = (LiveDecoder::default(), LiveDecoder::default());
        for line in lines {
            // A fault of the text has its column.
            let without_column = |fault: LiveFault| match fault {
                LiveFault::Line(crate::take::Fault::NoJson(error)) => {
                    error.to_string().split(" at line").next().map(str::to_owned)
                }
                fault => Some(fault.to_string()),
            };
            let said = plain.line(line.as_bytes()).map_err(without_column);
            let same = spaced.line(format!("{{ {}", &line[1..]).as_bytes());
            prop_assert_eq!(said, same.map_err(without_column), "{}", line);
            prop_assert_eq!(plain.missed(), spaced.missed(), "{}", line);
        }
    }
}
