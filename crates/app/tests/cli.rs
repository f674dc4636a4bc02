//! The commands that only print: what they print, and how they exit.

#[path = "common/command.rs"]
mod command;

use command::{demo, file, gtrig, stderr, stdout};
use gtrig_core::Keyword;
use gtrig_sources::Story;
use rstest::rstest;
use std::{
    collections::BTreeSet,
    fs,
    io::Write,
    process::{Command, Stdio},
};

#[test]
fn the_shipped_takes_are_what_the_cab_plays() {
    for &story in Story::ALL {
        let shipped = fs::read_to_string(demo(&format!("{}.take.jsonl", story.word()))).unwrap();
        let played = gtrig(&["simulate", story.word()]);
        assert!(stdout(&played) == shipped, "{}: write it anew with gtrig simulate", story.word());
    }
}

#[test]
fn a_replay_gives_the_same_bytes_every_time() {
    for &story in Story::ALL {
        let take = demo(&format!("{}.take.jsonl", story.word()));
        for form in ["json", "csv"] {
            let runs = [(); 2].map(|()| gtrig(&["replay", "--form", form, &take]));
            assert!(!runs[0].stdout.is_empty() && runs[0].status.success());
            assert_eq!(runs[0].stdout, runs[1].stdout);
        }
    }
}

#[test]
fn the_lost_tap_is_lost_at_thirty_hertz_and_not_at_a_thousand() {
    let take = demo("lost-tap.take.jsonl");
    let slow = gtrig(&["replay", "--hz", "30", "--deny-lost", &take]);
    assert_eq!(slow.status.code(), Some(1));
    assert!(stderr(&slow).contains("3 press(es) lost between polls"));
    assert!(stdout(&slow).contains(
        r#"{"tick":37,"time_ns":1233333333,"edges":[{"control":"pad2/south","edge":"none","marks":["lost"]}]}"#
    ));
    let fast = gtrig(&["replay", "--hz", "1000", "--deny-lost", &take]);
    assert_eq!(fast.status.code(), Some(0));
    assert!(stdout(&fast).ends_with("\"presses\":7,\"releases\":7,\"lost\":0}}\n"));
}

#[test]
fn what_was_meant_on_the_glass_is_held_against_what_fired() {
    let take = demo("lazy-thumb.take.jsonl");
    let output = gtrig(&["gestures", "--strict", &take]);
    assert_eq!(output.status.code(), Some(1));
    let text = stdout(&output);
    assert!(text.ends_with("9 meant: 6 hits, 3 misses; 0 false alarms\n"), "{text}");
    assert!(text.contains("gap-ms 262 where at most 250 was asked, 12 ms over; all else held"));
    let json = gtrig(&["gestures", "--form", "json", &take]);
    let lines: Vec<serde_json::Value> =
        stdout(&json).lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let of = |word: &str| lines.iter().filter(|l| l["line"] == word).count();
    // Thirteen landings at two swipes; seven sequences of two taps that are near
    // each other, two pinches.
    assert_eq!((of("verdict"), of("meant"), of("score")), (2 * 13 + 7 + 2, 9, 1));
    let nothing = lines.iter().filter(|l| l["line"] == "confusion" && l["fired_gesture"].is_null());
    assert_eq!(nothing.map(|line| line["count"].as_u64().unwrap()).sum::<u64>(), 3);
    let gap = lines.iter().filter(|l| l["gesture"] == "lights" && l["near"] == true);
    let checks: Vec<&serde_json::Value> =
        gap.flat_map(|l| l["checks"].as_array().unwrap()).collect();
    let gap = checks.iter().find(|check| check["limit"] == "gap-ms").unwrap();
    assert_eq!((gap["margin"].as_f64(), gap["alone"].as_bool()), (Some(-12.0), Some(true)));
}

/// A hand that moves as hands do, never twice the same.
#[rstest]
#[case(1)]
#[case(2)]
fn strokes_are_understood_as_they_were_meant(#[case] seed: u32) {
    let folder = tempfile::tempdir().unwrap();
    let take = folder.path().join("strokes.take.jsonl");
    let drawn = gtrig(&["simulate", "--strokes", "300", "--seed", &seed.to_string()]);
    fs::write(&take, drawn.stdout).unwrap();
    // What was meant is understood at any poll rate.
    for hz in ["30", "240"] {
        let output = gtrig(&["gestures", "--hz", hz, take.to_str().unwrap()]);
        let last = stdout(&output).lines().last().unwrap().to_owned();
        let numbers: Vec<u32> =
            last.split(|c: char| !c.is_ascii_digit()).filter_map(|n| n.parse().ok()).collect();
        let [meant, hits, misses, alarms] = numbers[..] else { panic!("{last}") };
        assert!(meant > 200 && hits + misses == meant, "{last}");
        assert!(misses * 100 <= meant && alarms == 0, "{hz} Hz: {last}");
    }
}

#[test]
fn a_sound_rig_is_doubted_where_it_hardly_means_what_it_says() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("doubtful.toml");
    let rig = "rig = 1\n[zone.left]\nrect = [0, 0, 0.5, 1]\n[zone.right]\nrect = [0.5, 0, 1, 1]\n\
               [gesture.pick]\nkind = \"tap\"\n[gesture.twice]\nkind = \"tap\"\ntimes = 2\n";
    fs::write(&path, rig).unwrap();
    let output = gtrig(&["check", path.to_str().unwrap()]);
    assert_eq!(output.status.code(), Some(0));
    let text = stdout(&output);
    assert!(
        text.contains("zone-beyond     line 4, zone.right: it reaches beyond the right edge by 50 % of its width"),
        "{text}"
    );
    assert!(
        text.contains(
            "gesture-twice   line 6, gesture.pick: it fires with every tap of `twice` too"
        )
    );
}

#[rstest]
#[case(&["--touch"], "every gesture: 6 of 9 fired")]
#[case(&["--touch", "lights"], "tap lights: 1 of 3 fired")]
fn a_panel_becomes_a_figure(#[case] of: &[&str], #[case] words: &str) {
    let folder = tempfile::tempdir().unwrap();
    let figure = folder.path().join("panel.svg");
    let args = ["figure", &demo("lazy-thumb.take.jsonl"), figure.to_str().unwrap()];
    assert!(gtrig(&[&args[..], of].concat()).status.success());
    let svg = fs::read_to_string(figure).unwrap();
    assert!(svg.contains(words), "{svg}");
}

#[rstest]
#[case("lazy-thumb", "wave", "the rig has no gesture \"wave\"")]
#[case("lost-tap", "lights", "the take has no touch panel")]
fn what_cannot_be_drawn_is_said(#[case] take: &str, #[case] gesture: &str, #[case] why: &str) {
    let take = demo(&format!("{take}.take.jsonl"));
    let output = gtrig(&["figure", &take, "/nowhere/x.svg", "--touch", gesture]);
    assert_eq!(output.status.code(), Some(2));
    assert!(stderr(&output).contains(why), "{}", stderr(&output));
}

#[test]
fn a_rig_without_gestures_has_none_to_judge() {
    let folder = tempfile::tempdir().unwrap();
    let rig = folder.path().join("bare.toml");
    fs::write(&rig, "rig = 1\n").unwrap();
    let take = demo("lazy-thumb.take.jsonl");
    let output = gtrig(&["gestures", "--rig", rig.to_str().unwrap(), &take]);
    assert_eq!(output.status.code(), Some(2));
    assert!(stderr(&output).contains("the rig has no [gesture.…]"), "{}", stderr(&output));
}

#[test]
fn a_forgotten_pad_takes_the_hoist_from_the_lever() {
    let rows = gtrig(&["replay", "--form", "csv", &demo("hand-over.take.jsonl")]);
    let drivers: Vec<&str> = stdout(&rows)
        .lines()
        .filter(|row| row.contains(",hoist,"))
        .filter_map(|row| row.split(',').nth(8))
        .collect();
    let mut order = drivers.clone();
    order.dedup();
    assert_eq!(
        order,
        ["lever3/travel", "pad2/stick-r-y", "lever3/travel", "", "lever3/travel", ""]
    );
}

#[rstest]
#[case::damaged(b"{\"take\":1}\nbroken\n".as_slice(), 1, "line 2, column 1: expected value; the 0 event(s) before it were read")]
#[case::empty(b"", 2, "line 1: the file is empty; a take begins with a header line")]
#[case::binary(b"\x7fELF\x00\x01", 2, "no header of a take")]
fn a_bad_take_is_said_and_has_its_exit_code(
    #[case] content: &[u8],
    #[case] code: i32,
    #[case] said: &str,
) {
    let (_folder, path) = file("t.take.jsonl", content);
    let output = gtrig(&["replay", path.to_str().unwrap()]);
    assert_eq!(output.status.code(), Some(code), "{}", stderr(&output));
    assert!(stderr(&output).contains(said), "{}", stderr(&output));
}

#[rstest]
#[case::no_file(&["replay", "/nowhere.take.jsonl"], "cannot open the take /nowhere.take.jsonl")]
#[case::folder(&["open", "/"], "no take that can be read")]
#[case::no_rig(&["check", "/nowhere.toml"], "cannot read the rig /nowhere.toml; is the path right?")]
#[case::rate(&["replay", "--hz", "5000", "x"], "5000 Hz is no poll rate; choose 10 to 1000")]
#[case::nan(&["replay", "--hz", "NaN", "x"], "NaN Hz is no poll rate")]
#[case::option(&["replay", "--fast", "x"], "unexpected argument '--fast'")]
#[case::story(&["demo", "no-such"], "[possible values: lost-tap")]
#[case::hitch(&["audit", "--hitch", "40:500", "x"], "the second smaller, such as 500:40")]
#[case::jitter(&["audit", "--jitter", "60", "x"], "60 is not in 0..=50")]
#[case::audit_rate(&["audit", "--rates", "5", "x"], "5 Hz is no poll rate")]
#[case::record_nothing(&["record", "--kernel", "none", "x"], "there is nothing to hear")]
#[case::no_map(&["devices", "--map", "/nowhere.toml"], "cannot read the map /nowhere.toml; is the path right?")]
#[case::no_ask(&["devices", "--learn", "--controls", "horn"], "a name and what it is: NAME=button")]
#[case::nothing_to_ask(&["devices", "--learn", "--as", "other"], "say with --controls what it has")]
#[case::no_terminal(&["demo"], "the full screen needs a terminal")]
fn misuse_exits_with_two_and_says_what_to_do(#[case] args: &[&str], #[case] said: &str) {
    let output = gtrig(args);
    assert_eq!(output.status.code(), Some(2), "{}", stderr(&output));
    assert!(stderr(&output).contains(said), "{}", stderr(&output));
}

#[test]
fn a_rig_with_mistakes_lists_them_all_and_exits_with_one() {
    let (_folder, path) = file("bad.toml", "rig = 1\n[sampling]\npoll-hz = 5\nx\u{7} = 1\n");
    let output = gtrig(&["check", path.to_str().unwrap()]);
    assert_eq!(output.status.code(), Some(1));
    let text = stderr(&output);
    assert!(text.contains("bad.toml:3:11") && text.contains("poll-hz = 5"), "{text}");
    assert!(!text.contains('\u{7}'), "{text:?}");
}

#[rstest]
#[case::sound(
    "map = 1\n[device]\nvendor = 1\nproduct = 2\n[control]\nhorn = { from = \"button-1\" }\n",
    0,
    "sound. A map of 0001:0002, 1 controls."
)]
#[case::a_mistake("map = 1\n[device]\nvendor = 1\n", 1, "no `product`")]
fn a_map_is_checked_like_a_rig(#[case] text: &str, #[case] code: i32, #[case] said: &str) {
    let (_folder, path) = file("pedals.toml", text);
    let output = gtrig(&["check", path.to_str().unwrap()]);
    assert_eq!(output.status.code(), Some(code), "{}", stderr(&output));
    let all = format!("{}{}", stdout(&output), stderr(&output));
    assert!(all.contains(said), "{all}");
}

#[test]
fn a_file_name_cannot_command_the_terminal() {
    let output = gtrig(&["open", "/no\u{1b}]0;owned\u{7}where"]);
    assert_eq!(output.status.code(), Some(2));
    assert!(stderr(&output).contains("owned"));
    assert!(!stderr(&output).trim_end().chars().any(char::is_control));
}

/// What was written before all commands took the rig, the form and the stick
/// alike still says the same.
#[rstest]
#[case::json(&["health", "TAKE", "--form", "json"], &["health", "TAKE", "--json"])]
#[case::csv(&["replay", "TAKE", "--form", "csv"], &["replay", "TAKE", "--csv"])]
#[case::plain(&["replay", "TAKE"], &["replay", "TAKE", "--json"])]
#[case::text(&["audit", "TAKE", "--form", "text"], &["audit", "TAKE"])]
#[case::a_stick(
    &["measure", "TAKE", "pad1/stick-l"], &["measure", "TAKE", "--stick", "pad1/stick-l"])]
#[case::two_rigs(
    &["compare", "TAKE", "RIG", "RIG"], &["compare", "TAKE", "--rig", "RIG", "--with", "RIG"])]
#[case::a_rig(&["check", "PANEL"], &["check", "--rig", "PANEL"])]
#[case::a_shape(
    &["shape", "SHAPES", "worn", "--table", "5", "--form", "csv"],
    &["shape", "--rig", "SHAPES", "worn", "--table", "5", "--csv"])]
fn an_older_spelling_says_the_same(#[case] old: &[&str], #[case] new: &[&str]) {
    let (_folder, shapes) = file("rig.toml", SHAPED);
    let named = |args: &[&str]| -> Vec<String> {
        let name = |arg: &&str| match *arg {
            "TAKE" => demo("worn-stick.take.jsonl"),
            "RIG" => demo("kestrel-quay.toml"),
            "PANEL" => demo("panel.toml"),
            "SHAPES" => shapes.to_str().unwrap().to_owned(),
            other => other.to_owned(),
        };
        args.iter().map(name).collect()
    };
    let run = |args: &[&str]| {
        let args = named(args);
        gtrig(&args.iter().map(String::as_str).collect::<Vec<_>>())
    };
    let (old, new) = (run(old), run(new));
    assert_eq!((old.status.code(), stderr(&old)), (new.status.code(), stderr(&new)));
    assert!(!old.stdout.is_empty());
    assert_eq!(stdout(&old), stdout(&new));
}

#[test]
fn several_takes_are_told_one_after_the_other_each_by_its_name() {
    let takes = ["lost-tap", "jerking-hook"].map(|story| demo(&format!("{story}.take.jsonl")));
    let both = gtrig(&["health", "--json", "--strict", &takes[0], &takes[1]]);
    assert_eq!(both.status.code(), Some(1), "the second one skips");
    let lines: Vec<serde_json::Value> =
        stdout(&both).lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!(lines.len(), 4);
    assert_eq!(lines[0]["take"], takes[0].as_str());
    assert_eq!(lines[2]["take"], takes[1].as_str());
    let alone = gtrig(&["health", "--json", &takes[1]]);
    assert!(stdout(&both).ends_with(stdout(&alone)));
    let rows = gtrig(&["replay", "--csv", &takes[0], &takes[1]]);
    let mut rows = stdout(&rows).lines();
    assert_eq!(
        rows.next(),
        Some("take,tick,time_ns,control,edge,marks,action,x,y,by,via,since_ns")
    );
    let by: Vec<&str> = rows.filter_map(|row| row.split(',').next()).collect();
    assert!(takes.iter().all(|take| by.contains(&take.as_str())) && by.len() > 4, "{by:?}");
}

#[test]
fn a_sound_rig_is_called_sound() {
    let output = gtrig(&["check", &demo("kestrel-quay.toml")]);
    assert_eq!(output.status.code(), Some(0));
    assert!(stdout(&output).ends_with("sound. Kestrel Quay, polled at 60 Hz, 14 actions.\n"));
}

#[test]
fn a_reader_that_has_seen_enough_is_no_failure() {
    let command = format!(
        "{} replay --every-tick {} | head -n 1",
        env!("CARGO_BIN_EXE_gtrig"),
        demo("drifting-hook.take.jsonl")
    );
    let script = format!("set -o pipefail; {command}");
    let output = Command::new("bash").args(["-c", &script]).output().unwrap();
    assert!(output.status.success(), "{}", stderr(&output));
    assert_eq!(stdout(&output).lines().count(), 1);
}

#[test]
fn a_full_disk_is_said() {
    let full = fs::OpenOptions::new().write(true).open("/dev/full").unwrap();
    let output = Command::new(env!("CARGO_BIN_EXE_gtrig"))
        .args(["simulate", "lost-tap"])
        .stdout(full)
        .stderr(Stdio::piped())
        .output()
        .unwrap();
    assert_eq!(output.status.code(), Some(2));
    assert!(stderr(&output).contains("No space left on device"), "{}", stderr(&output));
}

#[test]
fn an_audit_says_which_rate_would_have_seen_it() {
    let output = gtrig(&["audit", "--rates", "30,1000", &demo("lost-tap.take.jsonl")]);
    let text = stdout(&output);
    assert!(text.contains("Nothing is lost at 1000 Hz, the lowest of these rates"), "{text}");
    assert!(text.contains("a steady loop of 477 Hz or more cannot lose one"), "{text}");
    let demanded = |rate| {
        let take = demo("lost-tap.take.jsonl");
        gtrig(&["audit", "--deny-lost", "--rates", rate, &take]).status.code()
    };
    assert_eq!(["240", "480"].map(demanded), [Some(1), Some(0)]);
    let widths: Vec<usize> = text.lines().take(5).map(|l| l.chars().count()).collect();
    assert!(widths.windows(2).all(|pair| pair[0] == pair[1]), "aligned: {widths:?}\n{text}");
}

#[test]
fn an_audit_as_json_has_the_same_numbers_every_time() {
    let args = ["audit", "--form", "json", "--jitter", "30", "--hitch", "500:40", "--step", "60"];
    let take = demo("lost-tap.take.jsonl");
    let runs = [(); 2].map(|()| gtrig(&[&args[..], &[take.as_str()]].concat()));
    assert_eq!(runs[0].stdout, runs[1].stdout);
    let report: serde_json::Value = serde_json::from_slice(&runs[0].stdout).unwrap();
    for row in report["loops"].as_array().unwrap() {
        let total = &row["total"];
        let count = |key: &str| total[key].as_u64().unwrap();
        assert_eq!(count("seen") + count("lost") + count("chatter"), count("sent"), "{row}");
        assert_eq!(row["hitch_lasts_ms"], 40.0);
    }
}

#[test]
fn a_take_without_a_stick_says_so_and_the_next_one_is_measured() {
    let takes = ["lazy-thumb", "worn-stick"].map(|story| demo(&format!("{story}.take.jsonl")));
    let output = gtrig(&["measure", &takes[0], &takes[1]]);
    assert_eq!(output.status.code(), Some(1));
    assert!(stderr(&output).contains("no stick, lever or trigger to measure"));
    assert!(stdout(&output).contains("pad1/stick-l"));
}

#[test]
fn a_stick_is_measured() {
    let output =
        gtrig(&["measure", "--form", "json", &demo("worn-stick.take.jsonl"), "pad1/stick-l"]);
    assert_eq!(output.status.code(), Some(0), "{}", stderr(&output));
    let report: serde_json::Value = serde_json::from_str(stdout(&output)).unwrap();
    assert!((report["centre"][0].as_f64().unwrap() - 0.031).abs() < 0.002);
    assert_eq!(report["reach_by_5_degrees"].as_array().unwrap().len(), 72);
    let text = gtrig(&["measure", &demo("worn-stick.take.jsonl")]);
    assert!(stdout(&text).contains("not known: it never reported anything"));
    let other = gtrig(&["measure", &demo("worn-stick.take.jsonl"), "pad9/stick"]);
    assert_eq!(other.status.code(), Some(2));
    assert!(
        stderr(&other).contains("it has pad1/trigger-l, pad1/trigger-r, pad1/stick-l"),
        "{}",
        stderr(&other)
    );
}

#[test]
fn two_rigs_are_compared_over_a_take() {
    let rig = fs::read_to_string(demo("kestrel-quay.toml")).unwrap();
    let (_before, before) = file("before.toml", &rig);
    let wider = rig.replace("dead-zone = 0.12, invert = true", "dead-zone = 0.2, invert = true");
    let (_after, after) = file("after.toml", &wider);
    let (before, after) = (before.to_str().unwrap(), after.to_str().unwrap());
    let take = demo("drifting-hook.take.jsonl");
    let same = gtrig(&["compare", "--strict", &take, before, before]);
    assert_eq!((same.status.code(), stdout(&same)), (Some(0), "nothing comes out differently\n"));
    let other = gtrig(&["compare", "--strict", &take, before, after]);
    assert_eq!(other.status.code(), Some(1));
    assert!(stdout(&other).ends_with("4 changed, 2 moved, 2 vanished\n"), "{}", stdout(&other));
}

/// What begins at the last tick is on at that tick by both rigs.
#[test]
fn a_take_that_ends_with_a_press_differs_from_itself_in_nothing() {
    let plug =
        r#"{"t":0,"plug":"pad1","kind":"pad","controls":[{"code":"south","kind":"button"}]}"#;
    let press = r#"{"t":500000000,"on":"pad1","c":"south","v":1}"#;
    let (_take, take) = file("it.take.jsonl", format!("{{\"take\":1}}\n{plug}\n{press}\n"));
    let (_rig, rig) = file("it.toml", "rig = 1\n[action.horn]\ngives = 'on'\nfrom = 'pad/south'\n");
    let (take, rig) = (take.to_str().unwrap(), rig.to_str().unwrap());
    let same = gtrig(&["compare", "--strict", take, rig, rig]);
    assert_eq!((same.status.code(), stdout(&same)), (Some(0), "nothing comes out differently\n"));
}

const SHAPED: &str =
    "rig = 1\n[shape.worn]\nstages = [{ dead-zone = 0.2 }, { curve = \"power\", exponent = 2 }]\n";

#[test]
fn raw_values_go_through_a_shape_stage_by_stage() {
    let (_folder, rig) = file("rig.toml", SHAPED);
    let rig = rig.to_str().unwrap();
    let mut command = Command::new(env!("CARGO_BIN_EXE_gtrig"));
    command.args(["shape", rig, "worn", "--range", "-100,0,100"]);
    let mut child = command.stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
    child.stdin.take().unwrap().write_all(b"60 0\n-100\n").unwrap();
    let output = child.wait_with_output().unwrap();
    let rows: Vec<&str> = stdout(&output).lines().collect();
    assert!(rows[0].ends_with("1-dead-zone-x,1-dead-zone-y,2-curve-x,2-curve-y"), "{rows:?}");
    let row: Vec<f32> = rows[1].split(',').map(|cell| cell.parse().unwrap()).collect();
    let expected = [60.0, 0.0, 0.6, 0.0, 0.5, 0.0, 0.25, 0.0];
    assert!(row.iter().zip(expected).all(|(a, b)| (a - b).abs() < 1e-5), "{rows:?}");
    assert!(rows[2].contains("-100,0,-1,0,-1"), "{rows:?}");
}

#[test]
fn a_shape_is_a_table_too() {
    let (_folder, rig) = file("rig.toml", SHAPED);
    let rig = rig.to_str().unwrap();
    let table = gtrig(&["shape", rig, "worn", "--table", "6", "--form", "json"]);
    let points: serde_json::Value = serde_json::from_str(stdout(&table)).unwrap();
    assert_eq!(points.as_array().unwrap().len(), 6);
    assert!((points[3]["output"].as_f64().unwrap() - 0.25).abs() < 1e-6);
    let unknown = gtrig(&["shape", rig, "torn", "--table", "6"]);
    assert_eq!(unknown.status.code(), Some(2));
    assert!(stderr(&unknown).contains("no shape \"torn\"; it has worn"), "{}", stderr(&unknown));
    // The shipped rig has none.
    assert!(stderr(&gtrig(&["shape", "worn"])).contains("no shape \"worn\"; it has none"));
    let flat = gtrig(&["shape", rig, "worn", "--range", "5,5,5"]);
    assert!(stderr(&flat).contains("does not rise"), "{}", stderr(&flat));
}

#[test]
fn sticks_shapes_and_measurements_are_drawn() {
    let (folder, rig) = file("rig.toml", SHAPED);
    let take = demo("worn-stick.take.jsonl");
    let path = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let (shape, stick, measured) = (path("shape.svg"), path("stick.pdf"), path("measured.svg"));
    for args in [
        &["shape", rig.to_str().unwrap(), "worn", "--chart", &shape][..],
        &["figure", &take, &stick, "--stick", "slew"],
        &["measure", &take, "pad1/stick-l", "--chart", &measured],
    ] {
        let output = gtrig(args);
        assert!(output.status.success(), "{args:?}: {}", stderr(&output));
    }
    let read = |path: &str| fs::read(path).unwrap();
    assert!(read(&shape).starts_with(b"<svg") && read(&stick).starts_with(b"%PDF-"));
    assert!(String::from_utf8(read(&measured)).unwrap().contains("8.0 % out of round"));
    for (name, said) in [("horn", "no stick, axis or trigger drives horn"), ("x", "no action")] {
        let output = gtrig(&["figure", &take, &stick, "--stick", name]);
        assert_eq!(output.status.code(), Some(2));
        assert!(stderr(&output).contains(said), "{}", stderr(&output));
    }
}

#[test]
fn health_names_the_gaps_and_strict_refuses_them() {
    let output = gtrig(&["health", &demo("jerking-hook.take.jsonl")]);
    assert_eq!(output.status.code(), Some(0));
    assert!(stdout(&output).contains("2 gap\n"), "{}", stdout(&output));
    let strict = gtrig(&["health", "--strict", "--form", "json", &demo("jerking-hook.take.jsonl")]);
    assert_eq!(strict.status.code(), Some(1));
    let report: serde_json::Value = serde_json::from_str(stdout(&strict)).unwrap();
    assert_eq!(report["devices"][0]["device"], "lever3");
    assert_eq!(report["troubles"][0]["control"], "lever3/travel");
    assert_eq!(report["troubles"][0]["to_ns"], 2_270_000_000u64);
    let sound = gtrig(&["health", "--strict", &demo("lost-tap.take.jsonl")]);
    assert_eq!(sound.status.code(), Some(0));
}

#[test]
fn a_figure_is_written_where_its_ending_is_known() {
    let folder = tempfile::tempdir().unwrap();
    let take = demo("hand-over.take.jsonl");
    for name in ["f.svg", "f.pdf"] {
        let path = folder.path().join(name);
        let path = path.to_str().unwrap();
        let output = gtrig(&["figure", "--lanes", "hoist", "--from", "1000", &take, path]);
        assert_eq!(output.status.code(), Some(0), "{}", stderr(&output));
        assert!(fs::metadata(path).unwrap().len() > 1_000);
    }
    let output = gtrig(&["figure", "--lanes", "nothing at all", &take, "x.svg"]);
    assert_eq!(output.status.code(), Some(2));
    assert!(stderr(&output).contains("no lane has \"nothing at all\" in its name"));
}

#[test]
fn help_names_every_command_and_the_exit_codes() {
    let output = gtrig(&["--help"]);
    let text = stdout(&output);
    for word in [
        "live",
        "demo",
        "open",
        "replay",
        "audit",
        "record",
        "combos",
        "figure",
        "check",
        "simulate",
        "Exit codes:",
        "settings.toml",
        // What a command is for is said by the command itself.
        "Poll a take by loops of other kinds",
    ] {
        assert!(text.contains(word), "{word}");
    }
}

#[test]
fn combos_are_told_with_their_margins_the_nearest_miss_first() {
    let take = demo("hasty-hands.take.jsonl");
    let output = gtrig(&["combos", &take, "--near", "--strict"]);
    assert_eq!(output.status.code(), Some(1), "{}", stderr(&output));
    let text = stdout(&output);
    let lines: Vec<&str> = text.lines().collect();
    assert!(lines[0].contains("two-blasts") && lines[0].contains("12.4 ms (1 tick) too late"));
    assert!(
        lines[1].contains("both-hands") && lines[1].contains("18.6 ms (2 ticks) too far apart")
    );
    assert!(lines[2].contains("roll"), "{text}");
    assert_eq!(lines[3], "4 met, 4 fired, 3 nearly, 1 missed, 0 broken, 0 stopped on the way");
}

#[test]
fn what_other_rates_make_of_combos_is_told_with_the_reason() {
    let take = demo("hasty-hands.take.jsonl");
    let output = gtrig(&["combos", &take, "--rates", "30,240", "--form", "json"]);
    assert_eq!(output.status.code(), Some(0), "{}", stderr(&output));
    let lines: Vec<serde_json::Value> =
        stdout(&output).lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let of = |kind: &str| lines.iter().filter(|l| l["line"] == kind).cloned().collect::<Vec<_>>();
    let fired: Vec<_> = of("pace").iter().map(|pace| pace["fired"].clone()).collect();
    assert_eq!(fired, [4, 5]);
    let [difference] = &of("difference")[..] else { panic!("{lines:?}") };
    assert_eq!(
        (difference["poll_hz"].clone(), difference["combo"].clone()),
        (30.0.into(), "two-blasts".into())
    );
    assert!(difference["why"].as_str().unwrap().contains("left no edge at 30 Hz"));
    let margins = of("attempt")
        .iter()
        .flat_map(|a| a["checks"].as_array().unwrap().clone())
        .collect::<Vec<_>>();
    assert!(margins.iter().any(|check| check["margin"] == -12_400_000 && check["alone"] == true));
}

#[test]
fn a_ladder_is_drawn() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("l.svg");
    let path = path.to_str().unwrap();
    let take = demo("hasty-hands.take.jsonl");
    assert!(gtrig(&["figure", &take, path, "--ladder", "roll"]).status.success());
    let svg = fs::read_to_string(path).unwrap();
    assert!(svg.contains("118.67 ms (8 ticks) too late"), "{svg}");
    assert!(svg.contains("intervals to press pad/north"));
    let unknown = gtrig(&["figure", &take, path, "--ladder", "rol"]);
    assert!(stderr(&unknown).contains("the rig has no combo \"rol\""));
}

#[test]
fn the_rig_of_every_combo_is_sound_and_doubted_where_it_costs() {
    let output = gtrig(&["check", &demo("combos.toml"), "--form", "json"]);
    let codes: Vec<String> = stdout(&output)
        .lines()
        .map(|line| serde_json::from_str::<serde_json::Value>(line).unwrap()["code"].to_string())
        .collect();
    assert_eq!(codes, ["\"combo-waits\"", "\"combo-waits\"", "\"combo-begins\""]);
}

/// What is there is listed, what is none is left out, and a folder that is not there
/// is told in words.
#[cfg(target_os = "linux")]
#[test]
fn the_devices_of_a_folder_are_listed() {
    let folder = tempfile::tempdir().unwrap();
    let list = |path: &std::path::Path, form: &[&str]| {
        let path = path.to_str().unwrap();
        gtrig(&[&["devices", "--folder", path], form].concat())
    };
    let empty = list(folder.path(), &[]);
    assert!(empty.status.success());
    assert_eq!(stdout(&empty), "no input devices\n");
    // No device answers there, and its name does not command the terminal.
    fs::write(folder.path().join("event3"), "").unwrap();
    fs::write(folder.path().join("mouse0\u{1b}[2J"), "").unwrap();
    let refused = list(folder.path(), &["--json"]);
    let line: serde_json::Value = serde_json::from_str(stdout(&refused)).unwrap();
    assert_eq!(line["line"], "refused");
    assert!(line["node"].as_str().unwrap().ends_with("event3"));
    let missing = list(&folder.path().join("none"), &[]);
    assert_eq!(missing.status.code(), Some(2));
    assert!(stderr(&missing).contains("there is no "), "{}", stderr(&missing));
}

/// Where nothing can be said, the exit code still says it.
#[cfg(target_os = "linux")]
#[rstest]
#[case::no_rig(&["check", "nowhere.toml"], 2)]
#[case::a_mistake(&["check", "MISTAKE"], 1)]
#[case::a_damaged_take(&["replay", "DAMAGED"], 1)]
#[case::no_take(&["audit", "nowhere.jsonl"], 2)]
fn a_full_standard_error_is_no_panic(#[case] args: &[&str], #[case] code: i32) {
    let (_one, mistake) = file("m.toml", "rig = 1\n[action.a]\n");
    let (_two, damaged) = file("d.take.jsonl", "{\"take\":1}\nnothing\n");
    let arg = |arg: &&str| match *arg {
        "MISTAKE" => mistake.to_str().unwrap().to_owned(),
        "DAMAGED" => damaged.to_str().unwrap().to_owned(),
        other => other.to_owned(),
    };
    let full = fs::File::options().write(true).open("/dev/full").unwrap();
    let mut command = Command::new(env!("CARGO_BIN_EXE_gtrig"));
    let status = command.args(args.iter().map(arg)).stdout(Stdio::null()).stderr(full).status();
    assert_eq!(status.unwrap().code(), Some(code));
}

#[test]
fn rates_do_not_swallow_the_take() {
    let take = demo("hasty-hands.take.jsonl");
    for args in [&["combos", "--rates", "60,120", &take][..], &["combos", "--rates", &take]] {
        let output = gtrig(args);
        assert!(output.status.success(), "{args:?}: {}", stderr(&output));
        assert!(stdout(&output).contains("at 60 Hz"), "{args:?}");
    }
}

/// The demo log of a pendant, with and without the names that a person gave its bits.
#[test]
fn a_log_of_reports_becomes_a_take() {
    let folder = tempfile::tempdir().unwrap();
    let take = folder.path().join("p.take.jsonl");
    let take = take.to_str().unwrap();
    let (log, map) = (demo("pendant.hid.txt"), demo("pendant.map.toml"));
    let plain = gtrig(&["hid", &log]);
    assert!(plain.status.success(), "{}", stderr(&plain));
    assert!(stdout(&plain).contains(r#""code":"vendor-ff00-0021-2","kind":"axis""#));
    let made = gtrig(&["hid", &log, "--map", &map, "-o", take]);
    assert!(made.status.success(), "{}", stderr(&made));
    let text = fs::read_to_string(take).unwrap();
    // Twelve bits: from rest to their most and back, beside a counter.
    let values: Vec<i64> = text
        .lines()
        .map(|line| serde_json::from_str::<serde_json::Value>(line).unwrap())
        .filter(|line| line["c"] == "hoist")
        .map(|line| line["v"].as_i64().unwrap())
        .collect();
    assert_eq!(values.iter().max(), Some(&4095));
    assert_eq!((values.first(), values.last()), (Some(&0), Some(&0)));
    let replayed = gtrig(&["replay", take]);
    assert!(replayed.status.success(), "{}", stderr(&replayed));
    let again = gtrig(&["hid", &log, "-o", take]);
    assert_eq!(again.status.code(), Some(2));
    assert!(stderr(&again).contains("is there already"), "{}", stderr(&again));
}

#[rstest]
#[case::no_file("", 2, "cannot read the log")]
#[case::no_log("hello\n", 2, "line 1: neither `name`")]
#[case::short(
    "descriptor 05 01 09 30 75 10 95 01 81 02\n0.1 01\n",
    1,
    "line 2: left out: a report of 1 bytes, where its descriptor says 2"
)]
fn a_bad_log_is_said(#[case] text: &str, #[case] code: i32, #[case] said: &str) {
    let (_folder, path) = file("l.hid.txt", text);
    let path = if text.is_empty() { "/nowhere.hid.txt" } else { path.to_str().unwrap() };
    let output = gtrig(&["hid", path]);
    assert_eq!(output.status.code(), Some(code), "{}", stderr(&output));
    assert!(stderr(&output).contains(said), "{}", stderr(&output));
}

/// A take as tables, those as a take again, and nothing half done.
#[test]
fn a_take_becomes_tables_and_tables_a_take() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let take = demo("lost-tap.take.jsonl");
    let (csv, parquet, again) = (path("csv"), path("parquet"), path("again.take.jsonl"));
    let made = gtrig(&["convert", &take, &csv, "--as", "csv"]);
    assert_eq!(made.status.code(), Some(0), "{made:?}");
    assert_eq!(gtrig(&["convert", &take, &parquet]).status.code(), Some(0));
    assert!(fs::metadata(format!("{parquet}/events.parquet")).unwrap().len() > 500);
    let back = gtrig(&["convert", &csv, &again]);
    assert!(stderr(&back).contains("84 events to"), "{back:?}");
    assert_eq!(fs::read(&again).unwrap(), fs::read(&take).unwrap());
    // What is there stays as it is.
    for args in [["convert", &take, &csv], ["convert", &csv, &again]] {
        let refused = gtrig(&args);
        assert_eq!(refused.status.code(), Some(2));
        assert!(stderr(&refused).contains("is there already"), "{refused:?}");
    }
    // A folder does not get the name of a file, and Parquet is not read again.
    for name in ["bug.csv", "bug.parquet", "bug.take.jsonl"] {
        let refused = gtrig(&["convert", &take, &path(name), "--as", "csv"]);
        assert!(stderr(&refused).contains("reads as a file"), "{refused:?}");
    }
    let refused = gtrig(&["convert", &parquet, &path("broken.take.jsonl")]);
    assert!(stderr(&refused).contains("make some with --as csv"), "{refused:?}");
    // What cannot be made leaves nothing behind.
    fs::remove_file(format!("{csv}/events.csv")).unwrap();
    let broken = gtrig(&["convert", &csv, &path("broken.take.jsonl")]);
    assert_eq!(broken.status.code(), Some(2));
    assert!(stderr(&broken).contains("events.csv"), "{broken:?}");
    assert_eq!(gtrig(&["convert", &path("nowhere"), &path("tables")]).status.code(), Some(2));
    let left: BTreeSet<_> =
        fs::read_dir(folder.path()).unwrap().map(|entry| entry.unwrap().file_name()).collect();
    assert_eq!(left, ["again.take.jsonl", "csv", "parquet"].map(Into::into).into());
}

/// What an engine logged as rows is a take like any other.
#[test]
fn events_of_an_engine_become_a_take() {
    let rows =
        "time_s,address,value\n0.5,pad1/south,1\n0.52,pad1/south,0\n0.6,pad1/stick-l-x,-0.25\n";
    let (folder, log) = file("engine.csv", rows);
    let take = folder.path().join("engine.take.jsonl");
    let made = gtrig(&["convert", log.to_str().unwrap(), take.to_str().unwrap()]);
    assert_eq!(made.status.code(), Some(0), "{made:?}");
    let replayed = gtrig(&["replay", take.to_str().unwrap()]);
    assert!(
        stdout(&replayed).contains(r#"{"control":"pad1/south","edge":"press"}"#),
        "{replayed:?}"
    );
    let (_other, bad) = file("bad.csv", "time_s,address,value\n1,pad1/suoth,1\n");
    let refused =
        gtrig(&["convert", bad.to_str().unwrap(), folder.path().join("x").to_str().unwrap()]);
    assert!(stderr(&refused).contains("line 2: \"pad1/suoth\" names no control"), "{refused:?}");
}
