//! Takes in, takes out, and what is said of damaged ones.

mod frames;
mod generated;

use super::*;
use crate::{
    Rows,
    ticks::{self, TickChoice, TickForm},
};
use gtrig_analysis::{Capacity, Label, Session};
use gtrig_core::{
    CleanText, ControlInfo, ControlKind, Deal, DeviceInfo, DeviceKind, Event, Keyword, Marks,
    Nanos, Presence, Rig, Tick,
};
use proptest::prelude::*;
use rstest::rstest;
use std::io::BufReader;

const PLUG: &str = r#"{"t":0,"plug":"pad1","kind":"pad","slot":1,"name":"Pad","identity":"p","controls":[{"code":"south","kind":"button"},{"code":"stick-l-x","kind":"axis","min":-128,"centre":0,"max":127}]}"#;

fn rig() -> Rig {
    let text = "rig = 1\n[action.horn]\ngives = 'on'\nfrom = 'pad/south'\n[action.swing]\ngives = 'axis'\nfrom = { axis = 'pad/stick-l-x', dead-zone = 0.1 }\n[action.go]\ngives = 'axis'\nfrom = { pair = ['pad/west', 'pad/east'], both = 'last' }";
    crate::rig::parse("t.toml", text).unwrap()
}

/// A take of these lines after the header and a pad.
fn take_of(lines: &[&str]) -> String {
    let mut text = format!("{{\"take\":1}}\n{PLUG}\n");
    for line in lines {
        text += line;
        text += "\n";
    }
    text
}

fn load(text: &str) -> (Session, Loaded) {
    load_by(rig(), text)
}

fn load_by(rig: Rig, text: &str) -> (Session, Loaded) {
    TakeReader::open(text.as_bytes()).unwrap().load(rig, Capacity::DEFAULT)
}

fn written(session: &Session) -> String {
    let mut out = Vec::new();
    write(&session.recording(), None, &mut out).unwrap();
    String::from_utf8(out).unwrap()
}

fn reported(session: &Session) -> String {
    let mut out = Vec::new();
    ticks::write(session, TickForm::JsonLines, TickChoice::Eventful, &mut out).unwrap();
    String::from_utf8(out).unwrap()
}

#[test]
fn a_take_becomes_edges_and_actions() {
    let (session, loaded) = load(&take_of(&[
        r#"{"t":20000000,"on":"pad1","c":"south","v":1}"#,
        r#"{"t":90000000,"on":"pad1","c":"stick-l-x","v":127}"#,
        r#"{"t":120000000,"on":"pad1","c":"south","v":0}"#,
        r#"{"t":204310000,"on":"pad1","c":"south","v":1}"#,
        r#"{"t":211870000,"on":"pad1","c":"south","v":0}"#,
    ]));
    assert!(loaded.is_sound());
    assert_eq!(loaded.events, 5);
    insta::assert_snapshot!(reported(&session), @r#"
    {"tick":2,"time_ns":33333333,"edges":[{"control":"pad1/south","edge":"press"}],"actions":[{"action":"horn","value":true,"by":"pad1/south"}]}
    {"tick":6,"time_ns":100000000,"actions":[{"action":"swing","value":1.0,"by":"pad1/stick-l-x"}]}
    {"tick":8,"time_ns":133333333,"edges":[{"control":"pad1/south","edge":"release"}],"actions":[{"action":"horn","value":false}]}
    {"tick":13,"time_ns":216666666,"edges":[{"control":"pad1/south","edge":"none","marks":["lost"]}]}
    {"end":{"last_tick":13,"presses":1,"releases":1,"lost":1}}
    "#);
}

/// What a line names is remembered: not beyond the device that was named.
#[test]
fn a_name_is_of_the_device_that_is_there() {
    let south = |t: u64, v: u8| format!(r#"{{"t":{t},"on":"pad1","c":"south","v":{v}}}"#);
    let gone = r#"{"t":40000000,"unplug":"pad1"}"#;
    let back = PLUG.replace(r#""t":0"#, r#""t":60000000"#).replace("\"p\"", "\"another\"");
    let [first, between, later] =
        [south(20_000_000, 1), south(50_000_000, 1), south(90_000_000, 1)];

    let (session, loaded) = load(&take_of(&[&first, &first, gone, &back, &later]));
    assert!(loaded.is_sound());
    let pressed = session.seen_from(0).filter(|e| !session.plan().control(e.control).is_presence);
    let of: Vec<_> =
        pressed.map(|e| session.roster().device_of(e.control).info.identity.clone()).collect();
    assert_eq!(of.iter().map(ToString::to_string).collect::<Vec<_>>(), ["p", "p", "another"]);

    let (_, loaded) = load(&take_of(&[&first, &first, gone, &between]));
    let said = loaded.damage.unwrap().to_string();
    assert!(said.starts_with("line 6: ") && said.contains("pad1"), "{said}");
}

/// How a line is written makes no difference, whatever the lines before it looked like.
#[test]
fn a_value_may_be_written_in_any_way() {
    let plainly = r#"{"t":20000000,"on":"pad1","c":"south","v":1}"#;
    let ways = [
        plainly,
        r#"{"t":20000000, "on":"pad1","c":"south","v":1}"#,
        r#"{"on":"pad1","c":"south","v":1,"t":20000000}"#,
        r#"{"t":20000000,"on":"p\u0061d1","c":"south","v":1}"#,
        plainly,
    ];
    let (session, loaded) = load(&take_of(&ways));
    assert!(loaded.is_sound());
    let first = session.seen_from(0).last().unwrap();
    assert_eq!(session.seen_from(0).filter(|event| *event == first).count(), ways.len());
}

#[test]
fn the_same_report_as_rows() {
    let (session, _) = load(&take_of(&[
        r#"{"t":20000000,"on":"pad1","c":"south","v":1}"#,
        r#"{"t":90000000,"on":"pad1","c":"stick-l-x","v":127}"#,
    ]));
    let mut out = Vec::new();
    ticks::write(&session, TickForm::Csv(Rows::ALONE), TickChoice::Eventful, &mut out).unwrap();
    insta::assert_snapshot!(String::from_utf8(out).unwrap(), @"
    tick,time_ns,control,edge,marks,action,x,y,by,via,since_ns
    2,33333333,pad1/south,press,,,,,,,
    2,33333333,,,,horn,1,,pad1/south,,
    6,100000000,,,,swing,1,,pad1/stick-l-x,,
    ");
}

#[test]
fn every_tick_means_every_tick() {
    let (session, _) = load(&take_of(&[r#"{"t":200000000,"on":"pad1","c":"south","v":1}"#]));
    let mut out = Vec::new();
    ticks::write(&session, TickForm::JsonLines, TickChoice::Every, &mut out).unwrap();
    let text = String::from_utf8(out).unwrap();
    // Ticks 0 to 12, and the totals.
    assert_eq!(text.lines().count(), 14);
    assert!(text.lines().take(13).all(|line| line.contains(r#""action":"swing""#)), "{text}");
}

#[rstest]
#[case::empty("", "line 1: the file is empty; a take begins with a header line")]
#[case::binary(
    "\u{0}\u{1}\u{2}\n",
    "line 1, column 1: no header of a take (expected value); expected {\"take\":1,…}"
)]
#[case::other_json(
    "{\"a\":1}\n",
    "line 1, column 4: no header of a take (unknown field `a`, expected one of `take`, `title`, `rig`, `begins`); expected {\"take\":1,…}"
)]
#[case::greeting(
    "{\"live\":1,\"name\":\"game\"}\n",
    "line 1: this is a program that sends, not a take: read it as pipe:PATH, or pipe:- for standard input, or with --listen"
)]
#[case::version(
    "{\"take\":2}\n",
    "line 1: this take has version 2 of the format; this program reads version 1"
)]
#[case::begins(
    "{\"take\":1,\"begins\":9000000000000000}\n",
    "line 1: `begins` is 9000000000000000 ns; a take ends before 2592000000000000 ns (30 days)"
)]
fn no_take_at_all(#[case] text: &str, #[case] said: &str) {
    assert_eq!(TakeReader::open(text.as_bytes()).unwrap_err().to_string(), said);
}

const GOOD: &str = r#"{"t":1,"on":"pad1","c":"south","v":1}"#;

#[rstest]
#[case::cut(r#"{"t":2,"on":"pa"#, "line 4, column 15: EOF while parsing a string")]
#[case::not_json("\u{1b}[2J", "line 4, column 1: expected value")]
#[case::nan(r#"{"t":2,"on":"pad1","c":"south","v":NaN}"#, "line 4, column 36: expected value")]
#[case::fraction(
    r#"{"t":2,"on":"pad1","c":"south","v":0.5}"#,
    "line 4, column 38: invalid type: floating point `0.5`, expected i32"
)]
#[case::range(
    r#"{"t":2,"on":"pad1","c":"south","v":3000000000}"#,
    "line 4, column 45: invalid value: integer `3000000000`, expected i32"
)]
#[case::negative_time(
    r#"{"t":-2,"on":"pad1","c":"south","v":1}"#,
    "line 4, column 7: invalid value: integer `-2`, expected u64"
)]
#[case::far_future(
    r#"{"t":9000000000000000,"on":"pad1","c":"south","v":1}"#,
    "line 4: `t` is 9000000000000000 ns; a take ends before 2592000000000000 ns (30 days)"
)]
#[case::no_time(
    r#"{"on":"pad1","c":"south","v":1}"#,
    "line 4: `t`, the time in nanoseconds, is missing"
)]
#[case::unknown_control(
    r#"{"t":2,"on":"pad1","c":"sowth","v":1}"#,
    "line 4: device \"pad1\" has no control \"sowth\" (did you mean \"south\"?)"
)]
#[case::unknown_key(
    r#"{"t":2,"on":"pad1","c":"south","v":1,"x":1}"#,
    "line 4, column 40: unknown field `x`"
)]
#[case::unknown_mark(
    r#"{"t":2,"on":"pad1","c":"south","v":1,"mark":"odd"}"#,
    "line 4: `mark` has \"odd\", not one of repeat, inferred, late, carried, resynced"
)]
#[case::two_sorts(
    r#"{"t":2,"unplug":"pad1","label":"x"}"#,
    "line 4: not exactly one of `on`, `plug`, `unplug`, `deaf`, `heard`, `label`, `frame` and `ends`"
)]
#[case::half_a_value(
    r#"{"t":2,"on":"pad1","v":1}"#,
    "line 4: a value needs `c`, the control, and `v`, a whole number"
)]
#[case::ends_or_not(
    r#"{"t":2,"ends":false}"#,
    "line 4, column 20: `ends` is `true`, or is not there"
)]
#[case::plugged_twice(PLUG, "line 4: device \"pad1\" is plugged in already")]
#[case::place_backwards(r#"{"t":2,"plug":"p","kind":"glass","controls":[{"code":"a","kind":"position","min":2,"max":1}]}"#, "line 4: control \"a\": `min` 2 is above `max` 1")]
#[case::bits_without_a_width(r#"{"t":2,"plug":"p","kind":"pad","controls":[{"code":"a","kind":"button","report":1,"bit":8}]}"#, "line 4: control \"a\": `report`, `bit` and `width` (1 to 32) go together")]
#[case::centre_outside(r#"{"t":2,"plug":"p","kind":"pad","controls":[{"code":"a","kind":"axis","min":1,"centre":5,"max":2}]}"#, "line 4: control \"a\": `centre` 5 is not between 1 and 2")]
#[case::twice(r#"{"t":2,"plug":"p","kind":"pad","controls":[{"code":"a","kind":"button"},{"code":"a","kind":"button"}]}"#, "line 4: the control \"a\" is listed twice")]
fn a_damaged_take_opens_up_to_the_damage(#[case] bad: &str, #[case] said: &str) {
    let (session, loaded) = load(&take_of(&[GOOD, bad, GOOD]));
    let damage = loaded.damage.unwrap().to_string();
    assert!(damage.starts_with(said), "{damage}");
    assert_eq!((loaded.events, session.history().event_count()), (1, 2));
    assert!(!damage.contains('\u{1b}'));
}

const EARLY: &str = r#"{"t":2,"on":"pad2","c":"south","v":1}"#;

/// Values of a device that no line plugs in are left out; what follows is read.
#[test]
fn values_of_a_device_that_never_came_are_left_out() {
    let (_, loaded) = load(&take_of(&[GOOD, EARLY, EARLY]));
    assert_eq!((loaded.events, loaded.left_out), (1, 2));
    let said =
        "line 4: device \"pad2\" was never plugged in; 2 such value(s) were left out, and 1 read";
    assert_eq!(loaded.complaints(), [said]);
}

/// Recorders of busy devices once wrote values before the line of the device.
#[test]
fn values_before_their_device_are_moved_to_it_and_marked() {
    let plug = PLUG.replace("pad1", "pad2").replace("\"p\"", "\"q\"").replace("\"t\":0", "\"t\":7");
    let later = EARLY.replace("\"t\":2", "\"t\":9").replace("\"v\":1", "\"v\":0");
    let wrong = EARLY.replace("south", "sowth");
    let (session, loaded) = load(&take_of(&[EARLY, &plug, &later]));
    assert_eq!((loaded.events, loaded.before_plug, loaded.first_before_plug), (2, 1, Some(3)));
    assert!(!loaded.is_sound() && loaded.damage.is_none());
    let moved = r#"{"t":7,"on":"pad2","c":"south","v":1,"mark":"late"}"#;
    assert!(written(&session).contains(moved), "{}", written(&session));
    // What no device can say is still a mistake.
    let (_, loaded) = load(&take_of(&[&wrong, &plug]));
    assert!(loaded.damage.is_some_and(|damage| damage.to_string().contains("sowth")));
}

#[test]
fn so_many_values_wait_for_their_device() {
    let plug = PLUG.replace("pad1", "pad2").replace("\"p\"", "\"q\"").replace("\"t\":0", "\"t\":7");
    let waiting = |count: usize| {
        let mut lines = vec![EARLY; count];
        lines.push(&plug);
        load(&take_of(&lines)).1
    };
    let fits = waiting(loader::MAX_EARLY);
    assert_eq!((fits.before_plug, fits.damage.is_none()), (loader::MAX_EARLY as u64, true));
    let too_many = waiting(loader::MAX_EARLY + 1).damage.unwrap();
    assert!(too_many.to_string().contains("\"pad2\" was never plugged in"), "{too_many}");
}

#[test]
fn a_damage_says_what_it_came_from() {
    let (_, loaded) = load(&take_of(&[GOOD, "{\"t\":"]));
    let damage = loaded.damage.unwrap();
    let fault = std::error::Error::source(&damage).unwrap();
    assert!(matches!(fault.downcast_ref(), Some(Fault::NoJson(_))), "{fault:?}");
    assert!(fault.source().unwrap().is::<serde_json::Error>());
}

#[test]
fn a_last_line_without_its_line_feed_is_good_if_it_is_whole() {
    let text = take_of(&[GOOD]);
    let (_, loaded) = load(text.trim_end());
    assert!(loaded.is_sound());
    assert_eq!(loaded.events, 1);
    let (_, loaded) = load(&text[..text.len() - 3]);
    assert!(loaded.damage.is_some_and(|damage| damage.line == 3));
}

#[test]
fn a_huge_line_is_damage_and_is_not_kept_in_memory() {
    let huge = "x".repeat(3 * MAX_LINE_BYTES);
    let (_, loaded) = load(&take_of(&[GOOD, &huge]));
    let damage = loaded.damage.unwrap();
    assert_eq!(damage.to_string(), "line 4: longer than 1 MiB: no line of a take");
}

#[test]
fn time_that_goes_back_is_moved_counted_and_marked() {
    let (session, loaded) = load(&take_of(&[
        r#"{"t":50000000,"on":"pad1","c":"south","v":1}"#,
        r#"{"t":40000000,"on":"pad1","c":"south","v":0}"#,
        r#"{"t":90000000,"on":"pad1","c":"south","v":1}"#,
    ]));
    assert_eq!((loaded.backwards, loaded.first_backwards), (1, Some(4)));
    assert!(!loaded.is_sound());
    let moved = r#"{"t":50000000,"on":"pad1","c":"south","v":0,"mark":"late+disordered"}"#;
    assert!(written(&session).contains(moved), "{}", written(&session));
}

#[test]
fn names_from_outside_are_cleaned() {
    let plug = r#"{"t":0,"plug":"k","kind":"keys","name":"bad\u001b]0;x\u0007","controls":[]}"#;
    let (session, loaded) = load(&take_of(&[plug, r#"{"t":1,"label":"\u001b[31mred"}"#]));
    assert!(loaded.is_sound(), "{loaded:?}");
    assert!(!written(&session).contains("\\u001b"));
    assert_eq!(session.labels()[0].text.as_str(), "\u{fffd}[31mred");
}

#[test]
fn a_device_may_come_and_go_and_be_deaf() {
    let lines = [
        r#"{"t":10,"on":"pad1","c":"south","v":1}"#,
        r#"{"t":20000000,"deaf":"pad1"}"#,
        r#"{"t":30000000,"heard":"pad1"}"#,
        r#"{"t":40000000,"unplug":"pad1"}"#,
    ];
    let (session, loaded) = load(&take_of(&lines));
    assert!(loaded.is_sound(), "{loaded:?}");
    for line in lines {
        assert!(written(&session).contains(line), "{line}");
    }
    let released = r#""edges":[{"control":"pad1/south","edge":"release","marks":["synthetic"]}]"#;
    assert!(reported(&session).contains(released), "{}", reported(&session));
}

/// A session that began long ago, whose first half was forgotten.
fn forgetful() -> Session {
    let mut session = Session::new(rig(), Tick(0), Capacity { events: 6000, changes: usize::MAX });
    let pad = pad();
    let id = session.plug(pad, Nanos(0)).unwrap();
    let [south, west, east] =
        ["south", "west", "east"].map(|code| session.roster().device(id).control(code).unwrap());
    let press = |ms, control, value| Event {
        time: Nanos::from_millis(ms),
        value,
        control,
        marks: Marks::empty(),
    };
    session.report(press(1, east, 1));
    session.report(press(2, west, 1));
    for ms in 3..20_000 {
        session.report(press(ms, south, i32::from(ms % 100 < 50)));
        session.run_before(Nanos::from_millis(ms));
    }
    session
}

fn pad() -> DeviceInfo {
    let button = |code: &str| ControlInfo::new(code, ControlKind::Button);
    DeviceInfo {
        identity: "p".into(),
        kind: DeviceKind::Pad,
        name: CleanText::new("Pad"),
        bus: CleanText::new("usb"),
        slot: None,
        controls: vec![button("south"), button("west"), button("east")],
    }
}

#[test]
fn a_take_of_half_a_session_gives_the_same_ticks() {
    let session = forgetful();
    assert!(session.history().begins() > Tick(0), "the test must forget something");
    let text = written(&session);
    let (again, loaded) =
        TakeReader::open(text.as_bytes()).unwrap().load(session.rig().clone(), Capacity::DEFAULT);
    assert!(loaded.is_sound(), "{loaded:?}");
    assert_eq!(again.history().begins(), session.history().begins());
    // The last pressed of the two keys is still known, though both presses
    // were forgotten.
    let last = session.now().at().min(again.now().at());
    let go = session.now().action(gtrig_core::ActionId(2));
    assert_eq!((go.x, again.at(last).action(gtrig_core::ActionId(2)).x), (-1.0, -1.0));
    let edges = |s: &Session| {
        let all = reported(s);
        all.lines().filter(|l| l.contains("\"edges\"")).map(str::to_owned).collect::<Vec<_>>()
    };
    let (ours, theirs) = (edges(&session), edges(&again));
    assert!(ours.len() > 50);
    assert_eq!(ours[..theirs.len() - 1], theirs[..theirs.len() - 1]);
}

/// A damaged line is not believed, not even when it says when it was.
#[rstest]
#[case::unknown_control(r#"{"t":9000000000,"on":"pad1","c":"sowth","v":1}"#)]
#[case::unknown_device(r#"{"t":9000000000,"on":"pad9","c":"south","v":1}"#)]
#[case::plugged_twice(r#"{"t":9000000000,"plug":"pad1","kind":"pad","controls":[]}"#)]
#[case::after_the_end("{\"t\":20000000,\"ends\":true}\n{\"t\":9000000000,\"unplug\":\"pad1\"}")]
fn the_time_of_a_damaged_line_does_not_lengthen_the_session(#[case] bad: &str) {
    let (session, loaded) = load(&take_of(&[GOOD, bad]));
    assert!(!loaded.is_sound());
    assert!(session.now().at() <= Tick(2), "it runs to {:?}", session.now().at());
}

/// Of labels the empty one takes back those before it that are about its instant, wherever they
/// stand, and nothing else.
#[rstest]
#[case::all_of_an_instant(&[(5, "a"), (5, "b"), (6, "c"), (5, "")], &["c"])]
#[case::none_after_it(&[(5, "a"), (5, ""), (5, "b"), (4, "c")], &["c", "b"])]
#[case::none(&[(5, ""), (5, "a")], &["a"])]
fn labels_are_taken_back(
    #[case] lines: &[(u64, &str)],
    #[case] left: &[&str],
    #[values(false, true)] is_ended_between: bool,
) {
    let label = |(time, text): &(u64, &str)| format!(r#"{{"t":{time},"label":"{text}"}}"#);
    let mut all: Vec<String> = lines.iter().map(label).collect();
    if is_ended_between {
        all.insert(1, r#"{"t":9,"ends":true}"#.to_owned());
    }
    let all: Vec<&str> = all.iter().map(String::as_str).collect();
    let (session, loaded) = load(&take_of(&all));
    assert!(loaded.is_sound(), "{loaded:?}");
    let texts: Vec<&str> = session.labels().iter().map(|label| label.text.as_str()).collect();
    assert_eq!(texts, left);
}

#[test]
fn a_take_goes_on_to_its_end_and_only_labels_stand_after_it() {
    let end = r#"{"t":2000000000,"ends":true}"#;
    let label = r#"{"t":5,"label":"written later"}"#;
    let (session, loaded) = load(&take_of(&[GOOD, end, label]));
    assert!(loaded.is_sound(), "{loaded:?}");
    assert_eq!((session.now().at(), session.labels().len()), (Tick(120), 1));
    assert!(written(&session).ends_with(&format!("{end}\n")));
    let (_, loaded) = load(&take_of(&[end, GOOD]));
    let said = "line 4: stands after the line with `ends`, where only labels may stand";
    assert!(loaded.damage.unwrap().to_string().starts_with(said));
}

#[test]
fn a_slot_is_not_heeded_for_a_kind_that_takes_none() {
    let mouse = |slot| format!(r#"{{"t":0,"plug":"m","kind":"mouse",{slot}"controls":[]}}"#);
    let texts = ["", r#""slot":3,"#].map(|slot| written(&load(&take_of(&[&mouse(slot)])).0));
    assert_eq!(texts[0], texts[1]);
    assert!(texts[0].contains(r#""plug":"mouse","#), "{}", texts[0]);
}
