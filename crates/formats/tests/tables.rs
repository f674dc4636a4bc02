//! Takes as tables, and back.

use gtrig_analysis::{Capacity, Session, stream::StreamWatch};
use gtrig_core::{ControlKind, PollRate, Rig};
use gtrig_formats::{
    rig,
    tables::{TABLES, TableForm, Tables, take_of_events, take_of_tables},
    take::{self, TakeReader},
};
use parquet::{
    file::metadata::RowGroupMetaData,
    file::reader::{FileReader, SerializedFileReader},
    record::Field,
};
use proptest::prelude::*;
use rstest::rstest;
use std::{
    fs::{self, File},
    io::BufReader,
    path::{Path, PathBuf},
};

const DOCUMENT: &str = include_str!("../../../docs/tables.md");

fn demo(name: &str) -> String {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    fs::read_to_string(folder.join(name)).unwrap()
}

fn read(text: &str, rig: Rig) -> (Session, Option<String>) {
    let reader = TakeReader::open(text.as_bytes()).unwrap();
    let title = reader.header.title.as_ref().map(ToString::to_string);
    (reader.load(rig, Capacity::DEFAULT).0, title)
}

/// The tables of a take, in a folder.
fn tables(text: &str, rig: &str, form: TableForm) -> (tempfile::TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let to = folder.path().join("tables");
    let rig = rig::parse("rig", &demo(rig)).unwrap();
    let (session, title) = read(text, rig);
    let recorded_by: serde_json::Value =
        serde_json::from_str(text.lines().next().unwrap()).unwrap();
    let tables = Tables::create(&to, form, &session).unwrap();
    assert!(!to.exists(), "there is nothing until all of it is there");
    let of = (title.as_deref(), recorded_by["rig"].as_str());
    tables.finish(&session, &StreamWatch::over(&session), of).unwrap();
    (folder, to)
}

const TAKES: [(&str, &str); 8] = [
    ("drifting-hook", "kestrel-quay.toml"),
    ("hand-over", "kestrel-quay.toml"),
    ("hasty-hands", "combos.toml"),
    ("jerking-hook", "kestrel-quay.toml"),
    ("lazy-thumb", "gestures.toml"),
    ("lost-tap", "kestrel-quay.toml"),
    ("stuck-horn", "kestrel-quay.toml"),
    ("worn-stick", "kestrel-quay.toml"),
];

/// Byte for byte, whatever was plugged in and out.
#[test]
fn a_take_comes_back_from_its_tables() {
    for (name, rig) in TAKES {
        let text = demo(&format!("{name}.take.jsonl"));
        let (_folder, to) = tables(&text, rig, TableForm::Csv);
        let mut back = Vec::new();
        take_of_tables(&to, &mut back).unwrap();
        assert_eq!(String::from_utf8(back).unwrap(), text, "{name}");
    }
}

/// A cell of Parquet as it stands in CSV.
fn shown(field: &Field) -> String {
    match field {
        Field::Null => String::new(),
        Field::Long(n) => n.to_string(),
        Field::Float(n) => n.to_string(),
        Field::Double(n) => n.to_string(),
        Field::Bool(is_so) => is_so.to_string(),
        Field::Str(text) => text.clone(),
        other => panic!("{other:?} is in no table"),
    }
}

/// Both forms have the same cells, and the columns that are listed.
#[test]
fn both_forms_say_the_same() {
    for (name, rig) in [TAKES[2], TAKES[4], TAKES[5]] {
        let text = demo(&format!("{name}.take.jsonl"));
        let (_csv, csv) = tables(&text, rig, TableForm::Csv);
        let (_parquet, parquet) = tables(&text, rig, TableForm::Parquet);
        for spec in TABLES {
            let file = |folder: &Path, ending| folder.join(spec.name).with_extension(ending);
            let mut rows = csv::Reader::from_path(file(&csv, "csv")).unwrap();
            let titles: Vec<_> = spec.columns.iter().map(|(name, _)| *name).collect();
            assert_eq!(rows.headers().unwrap().iter().collect::<Vec<_>>(), titles);
            let in_csv: Vec<Vec<String>> = rows
                .records()
                .map(|row| row.unwrap().iter().map(str::to_owned).collect())
                .collect();
            let reader = SerializedFileReader::new(File::open(file(&parquet, "parquet")).unwrap());
            let reader = reader.unwrap();
            let in_parquet: Vec<Vec<String>> = reader
                .get_row_iter(None)
                .unwrap()
                .map(|row| row.unwrap().get_column_iter().map(|(_, of)| shown(of)).collect())
                .collect();
            assert_eq!(in_csv, in_parquet, "{name}: {}", spec.name);
        }
    }
}

/// More rows than are written together.
#[test]
fn many_rows_are_written_in_groups() {
    let mut text = demo("lost-tap.take.jsonl")
        .lines()
        .take(2)
        .fold(String::new(), |all, line| all + line + "\n");
    let plug: serde_json::Value = serde_json::from_str(text.lines().nth(1).unwrap()).unwrap();
    let (id, code) = (&plug["plug"], &plug["controls"][0]["code"]);
    for n in 0..300_000u64 {
        text += &format!("{{\"t\":{},\"on\":{id},\"c\":{code},\"v\":{}}}\n", n * 1_000, n % 2);
    }
    let (_folder, to) = tables(&text, "kestrel-quay.toml", TableForm::Parquet);
    let reader = SerializedFileReader::new(File::open(to.join("events.parquet")).unwrap()).unwrap();
    let groups: Vec<i64> =
        reader.metadata().row_groups().iter().map(RowGroupMetaData::num_rows).collect();
    assert_eq!(groups, [131_072, 131_072, 300_001 - 262_144]);
}

/// A take so many times one after the other.
fn repeated(text: &str, times: u64) -> String {
    let lines: Vec<serde_json::Value> =
        text.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let ends = lines.last().unwrap()["t"].as_u64().unwrap();
    let mut all = lines[0].to_string() + "\n";
    for time in 0..times {
        for line in &lines[1..lines.len() - 1] {
            let mut line = line.clone();
            if time > 0 && line.get("plug").is_some() {
                continue;
            }
            line["t"] = (line["t"].as_u64().unwrap() + time * ends).into();
            all += &(line.to_string() + "\n");
        }
    }
    all
}

/// A take that is far too long for the memory: all of it is in the tables.
#[test]
fn what_is_forgotten_meanwhile_is_written() {
    for (name, rig) in [TAKES[2], TAKES[4], TAKES[7]] {
        let text = repeated(&demo(&format!("{name}.take.jsonl")), 40);
        let (_whole, whole) = tables(&text, rig, TableForm::Csv);
        let folder = tempfile::tempdir().unwrap();
        let to = folder.path().join("tables");
        // A few seconds of it, which attempts at combos take until all is known of them.
        let little = Capacity { events: 3000, changes: 3000 };
        let rig = rig::parse("rig", &demo(rig)).unwrap();
        // Through a pipe of few bytes, so that it comes in pieces.
        let slow = BufReader::with_capacity(256, text.as_bytes());
        let mut intake = TakeReader::open(slow).unwrap().into_intake(rig, little);
        let mut tables = Tables::create(&to, TableForm::Csv, intake.session()).unwrap();
        while intake.take_in_what_comes() {
            tables.catch_up(intake.session()).unwrap();
        }
        let (session, _) = intake.finish();
        let of = (None, None);
        let is_whole = tables.finish(&session, &StreamWatch::over(&session), of).unwrap();
        assert!(!is_whole, "{name}");
        for table in ["events", "ticks", "edges", "actions", "gestures", "combos", "labels"] {
            let read = |folder: &Path| {
                let text = fs::read_to_string(folder.join(table).with_extension("csv")).unwrap();
                // What labels meant is known of what is kept whole alone.
                let kept = text.lines().filter(|line| !line.starts_with("meant,"));
                kept.map(str::to_owned).collect::<Vec<_>>()
            };
            let (of_little, of_whole) = (read(&to), read(&whole));
            let differs = of_little.iter().zip(&of_whole).find(|(one, other)| one != other);
            assert_eq!(differs, None, "{name}: {table}");
            assert_eq!(of_little.len(), of_whole.len(), "{name}: {table}");
        }
    }
}

#[test]
fn every_table_is_documented() {
    for spec in TABLES {
        assert!(DOCUMENT.contains(&format!("## `{}`", spec.name)), "{}", spec.name);
        let (_, of_it) = DOCUMENT.split_once(&format!("## `{}`", spec.name)).unwrap();
        let of_it = of_it.split("\n## ").next().unwrap();
        assert!(of_it.contains(spec.about.split(':').next().unwrap()), "{}", spec.about);
        for (column, _) in spec.columns {
            assert!(of_it.contains(&format!("`{column}`")), "{} {column}", spec.name);
        }
    }
}

/// Takes a table out of a folder of them, or a row, and says what is wrong then.
fn without(change: impl Fn(&Path)) -> String {
    let (_folder, to) = tables(&demo("lost-tap.take.jsonl"), "kestrel-quay.toml", TableForm::Csv);
    change(&to);
    take_of_tables(&to, Vec::new()).map(|_| ()).map_err(|fault| fault.to_string()).unwrap_err()
}

fn replace(file: &'static str, from: &'static str, to: &'static str) -> impl Fn(&Path) {
    move |folder| {
        let path = folder.join(file);
        let text = fs::read_to_string(&path).unwrap();
        assert!(text.contains(from), "{file} has no {from:?}: {text}");
        fs::write(path, text.replacen(from, to, 1)).unwrap();
    }
}

#[rstest]
#[case::no_table(|folder: &Path| fs::remove_file(folder.join("controls.csv")).unwrap(), "controls.csv")]
#[case::no_column(replace("events.csv", "value", "worth"), "events.csv: no column value")]
#[case::no_number(
    replace("events.csv", "\n0,0,0,", "\n0,0,zero,"),
    "events.csv, line 2: \"zero\" is no number that control may be"
)]
#[case::no_control(
    replace("events.csv", "\n0,0,0,", "\n0,0,9999,"),
    "controls.csv has no control 9999"
)]
#[case::a_mark(replace("events.csv", "1,1,\n", "1,1,lately\n"), "events.csv, line 2")]
#[case::no_kind(replace("devices.csv", ",pad,", ",wheel,"), "\"wheel\" is none of pad, lever")]
#[case::two_slots(replace("devices.csv", ",pad,2,", ",pad,9,"), "slots are numbered from 1 to 4")]
#[case::no_order(
    replace("controls.csv", "\n1,", "\n7,"),
    "controls.csv, line 3: controls are numbered from 0"
)]
#[case::no_such_kind(replace("controls.csv", ",button,", ",knob,"), "\"knob\" is none of presence")]
#[case::a_label_without_a_text(
    |folder: &Path| fs::write(folder.join("labels.csv"), "time_ns,text\n5,\n").unwrap(),
    "labels.csv, line 2: a label has no text"
)]
#[case::too_late(
    replace("events.csv", "\n0,0,0,", "\n9999999999999999,0,0,"),
    "later than 30 days"
)]
fn what_is_wrong_with_tables_is_said_with_its_line(
    #[case] change: impl Fn(&Path),
    #[case] says: &str,
) {
    let fault = without(change);
    assert!(fault.contains(says), "{fault}");
}

fn of_events(text: &str) -> Result<Session, String> {
    let mut out = Vec::new();
    take_of_events("log.csv", text.as_bytes(), &mut out).map_err(|fault| fault.to_string())?;
    let rig = Rig::bare("table", PollRate::DEFAULT);
    Ok(read(&String::from_utf8(out).unwrap(), rig).0)
}

/// The events of a session: when in microseconds, of what, and which value.
fn told(session: &Session) -> Vec<(u64, String, i32)> {
    let roster = session.roster();
    let recording = session.recording();
    let events = recording.events().filter(|of| !roster.control(of.control).is_presence);
    let event = |of: gtrig_core::Event| {
        (of.time.0 / 1_000, roster.address(of.control).to_string(), of.value)
    };
    events.map(event).collect()
}

fn kind(session: &Session, address: &str) -> ControlKind {
    let roster = session.roster();
    let ids = (0..roster.controls().len()).map(|at| gtrig_core::ControlId(at as u16));
    let id = ids.into_iter().find(|id| roster.address(*id).to_string() == address).unwrap();
    roster.control(id).kind
}

/// What an engine logged, in its own units and order.
#[test]
fn events_of_another_program_are_a_take() {
    let text = "frame,value,time_ms,address\n\
                1,1,20.5,pad1/south\n\
                2,0.25,10,pad1/stick-l-x\n\
                3,-1,30,pad1/stick-l-x\n\
                4,0,40,pad1/south\n\
                5,90,35,pad2/trigger-l\n\
                6,12,36,glass/contact-1-x\n\
                7,0.5,50,other/lamp\n";
    let session = of_events(text).unwrap();
    let expected = [
        (10_000, "pad1/stick-l-x", 250_000),
        (20_500, "pad1/south", 1),
        (30_000, "pad1/stick-l-x", -1_000_000),
        (35_000, "pad2/trigger-l", 90),
        (36_000, "glass/contact-1-x", 12),
        (40_000, "pad1/south", 0),
        (50_000, "other/lamp", 500_000),
    ];
    let expected: Vec<_> = expected.iter().map(|(t, of, v)| (*t, (*of).to_owned(), *v)).collect();
    assert_eq!(told(&session), expected);
    let million = 1_000_000;
    let stick = ControlKind::Axis { min: -million, centre: 0, max: million };
    assert_eq!(kind(&session, "pad1/stick-l-x"), stick);
    assert_eq!(kind(&session, "pad1/south"), ControlKind::Button);
    assert_eq!(kind(&session, "pad2/trigger-l"), ControlKind::Trigger { min: 0, max: 127 });
    assert_eq!(kind(&session, "glass/contact-1-x"), ControlKind::Position { min: 0, max: 127 });
}

/// A device has the address in the take that it has in the table, whichever spoke first, and
/// values that millionths have no room for keep as much as there is room for.
#[test]
fn devices_keep_their_addresses() {
    let text = "time_s,address,value\n\
                1,other2/a,1\n\
                2,other/a,3000.25\n\
                3,pad2/south,1\n\
                4,pad/south,1\n\
                5,pad1/south,0\n";
    let session = of_events(text).unwrap();
    let expected = [
        (1_000_000, "other2/a", 1),
        (2_000_000, "other/a", 300_025_000),
        (3_000_000, "pad2/south", 1),
        (4_000_000, "pad1/south", 1),
        (5_000_000, "pad1/south", 0),
    ];
    let expected: Vec<_> = expected.iter().map(|(t, of, v)| (*t, (*of).to_owned(), *v)).collect();
    assert_eq!(told(&session), expected);
    let end = ControlKind::Trigger { min: 0, max: 300_025_000 };
    assert_eq!(kind(&session, "other/a"), end);
}

#[rstest]
#[case::no_time("address,value\n", "no column time_ns, time_us, time_ms or time_s")]
#[case::no_address("time_s,value\n", "no column address")]
#[case::a_time("time_s,address,value\n-1,pad/south,1\n", "line 2: a time is no number from 0 on")]
#[case::too_late("time_s,address,value\n9999999,pad/south,1\n", "later than 30 days")]
#[case::no_kind("time_s,address,value\n1,wheel/x,1\n", "\"wheel/x\" names no control")]
#[case::no_slot("time_s,address,value\n1,pad5/south,1\n", "names no control")]
#[case::no_name("time_s,address,value\n1,pad/suoth,1\n", "names no control")]
#[case::a_value(
    "time_s,address,value\n1,pad/south,down\n",
    "\"down\" is no number that value may be"
)]
#[case::too_large("time_s,address,value\n1,pad/south,1e10\n", "no number of 32 bits")]
#[case::nothing("time_s,address,value\n1,pad/south,\n", "line 2: no value")]
#[case::a_mark("time_s,address,value,marks\n1,pad/south,1,soon\n", "line 2")]
#[case::a_slot_for_two(
    "time_s,address,value\n1,pad/south,1\n2,lever1/travel,1\n",
    "line 3: lever1 and pad1 cannot both be"
)]
#[case::not_counted(
    "time_s,address,value\n1,other/a,1\n2,other3/a,1\n",
    "line 3: other3, but no row of other2"
)]
#[case::not_from_one(
    "time_s,address,value\n1,keys2/KeyA,1\n",
    "line 2: keys2, but no row of keys:"
)]
#[case::too_few("time_s,address,value\n1,pad/south\n", "cannot read log.csv")]
fn what_is_wrong_with_events_is_said(#[case] text: &str, #[case] says: &str) {
    let fault = of_events(text).map(drop).unwrap_err();
    assert!(fault.contains(says), "{fault}");
}

fn any_text() -> impl Strategy<Value = String> {
    prop_oneof!["[ -~]{0,12}", "'{0,2}[=+@'-][ -~]{0,6}", "\\PC{0,8}"]
}

proptest! {
    /// Whatever a device is called and a person writes.
    #[test]
    fn text_comes_back_as_it_was(name in any_text(), label in any_text(), title in any_text()) {
        let clean = |text: &str| gtrig_core::CleanText::new(text).to_string();
        let line = |value: serde_json::Value| value.to_string() + "\n";
        let text = line(serde_json::json!({ "take": 1, "title": clean(&title), "rig": clean(&label) }))
            + &line(serde_json::json!({
                "t": 5, "plug": "other", "kind": "other", "name": clean(&name), "identity": "x",
                "controls": [{ "code": "a", "kind": "button" }],
            }))
            + &line(serde_json::json!({ "t": 9, "label": clean(&label) }));
        let (session, read_title) = read(&text, Rig::bare(&clean(&label), PollRate::DEFAULT));
        let mut as_taken = Vec::new();
        take::write(&session.recording(), read_title.as_deref(), &mut as_taken).unwrap();
        let folder = tempfile::tempdir().unwrap();
        let to = folder.path().join("tables");
        let tables = Tables::create(&to, TableForm::Csv, &session).unwrap();
        let of = (read_title.as_deref(), None);
        tables.finish(&session, &StreamWatch::over(&session), of).unwrap();
        let mut back = Vec::new();
        take_of_tables(&to, &mut back).unwrap();
        let [back, as_taken] = [back, as_taken].map(|bytes| String::from_utf8(bytes).unwrap());
        // A take without a title and one with an empty one are the same table.
        prop_assert_eq!(back, as_taken.replacen("\"title\":\"\",", "", 1));
    }

    #[test]
    fn any_table_is_read_to_an_end(text in "(time_ns,address,value\n)?([0-9a-z/,.\"\n-]{0,200})") {
        let _ = of_events(&text);
    }
}
