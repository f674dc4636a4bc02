//! Numbers that are nudged, written and taken back.

use super::*;

#[test]
fn a_rate_of_the_command_line_outlives_a_reload_of_the_rig() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("rig.toml");
    std::fs::write(&path, HOIST).unwrap();
    let rig = files::rig(Some(&path), Some(120.0)).unwrap();
    let mut app = App::take(files::shipped_take(Story::Drift, rig).unwrap(), Theme::new(true));
    app.follow_rig(Some(files::RigSource::of(Some(&path), Some(120.0)).unwrap()));
    let mut bench = Bench::new(app, Nanos(0), (160, 47));
    std::fs::write(&path, HOIST.replace("0.12", "0.2")).unwrap();
    wait_until(&mut bench, |bench| bench.shows("was changed and read again"));
    let knob = |bench: &Bench, name: &str| {
        let knobs = bench.app.session().rig().knobs().into_iter();
        knobs.filter(|knob| knob.tunable.name == name).map(|knob| knob.value).collect::<Vec<_>>()
    };
    wait_until(&mut bench, |bench| knob(bench, "dead-zone") == [0.2]);
    assert_eq!(knob(&bench, "poll-hz"), [120.0]);
}

#[test]
fn a_nudge_runs_the_history_again_and_says_what_is_different() {
    let (_folder, _, mut bench) = tuned(HOIST);
    assert!(bench.row("▸ 1: dead-zone").contains("0.12 of full travel"));
    bench.keys(">>>>>>>>");
    assert!(bench.row("▸ 1: dead-zone").contains("0.2 was 0.12  of full travel"));
    assert!(bench.shows("2 vanished"), "{}", bench.rows().join("\n"));
    bench.key(KeyCode::Home);
    bench.keys("d");
    assert!(bench.shows("hoist moved at"));
    bench.keys("d");
    assert!(bench.shows("hoist vanished at"), "{}", bench.rows().last().unwrap());
    bench.keys("u");
    assert!(bench.row("▸ 1: dead-zone").contains("0.19"));
    bench.keys("U0");
    assert!(bench.shows("nothing comes out differently"));
    // What is typed takes the place of what was there, unless the cursor is moved first.
    bench.keys("v");
    bench.keys("0.3");
    bench.key(KeyCode::Enter);
    assert!(bench.row("▸ 1: dead-zone").contains(" 0.3 "));
    bench.keys("v");
    bench.key(KeyCode::End);
    bench.keys("7");
    bench.key(KeyCode::Enter);
    assert!(bench.row("▸ 1: dead-zone").contains("0.37"));
    bench.keys("vx");
    bench.key(KeyCode::Enter);
    assert!(bench.shows("dead-zone is a number from 0 to 0.95"));
    bench.keys("b");
    assert!(!bench.shows("vanished"));
}

#[test]
fn the_rig_that_recorded_a_take_can_be_used() {
    let (_folder, _, mut bench) = tuned(HOIST);
    assert!(bench.row(" TAKE ").contains("≠ recorded by Kestrel Quay (: rig)"));
    bench.keys(":rig ships");
    bench.key(KeyCode::Enter);
    assert!(bench.shows("Kestrel Quay is in force"));
    let top = bench.row(" TAKE ");
    assert!(top.contains("Kestrel Quay") && !top.contains("recorded by"), "{top}");
    assert_eq!(bench.app.unwritten(), 0);
    bench.app.use_rig(Some(Path::new("gone.toml")));
    bench.frame();
    assert!(bench.shows("gone.toml is not used: "), "{}", bench.rows().last().unwrap());
    let folder = tempfile::tempdir().unwrap();
    let wrong = folder.path().join("wrong.toml");
    std::fs::write(&wrong, "rig = 1\n[action.a]\ngives = \"onn\"\n").unwrap();
    bench.app.use_rig(Some(&wrong));
    bench.frame();
    assert!(bench.shows("wrong.toml is not used: 2:9: found"), "{}", bench.rows().last().unwrap());
    assert!(bench.shows("Kestrel Quay"));
}

#[test]
fn nudges_that_are_not_written_are_not_thrown_away_by_one_key() {
    let (_folder, _, mut bench) = tuned(HOIST);
    let quit = Event::Key(KeyEvent::new(KeyCode::Char('q'), KeyModifiers::NONE));
    bench.keys("><");
    assert!(bench.app.event(&quit, bench.now).is_some(), "there and back is nothing");
    bench.keys(">>");
    assert_eq!(bench.app.event(&quit, bench.now), None);
    bench.frame();
    let told = "1 nudged number is not written (w writes): q again quits without";
    assert!(bench.shows(told), "{}", bench.rows().last().unwrap());
    bench.keys(":story lost");
    bench.key(KeyCode::Enter);
    assert!(bench.shows("1 nudged number is not written and would be gone: w writes first"));
    bench.keys("w");
    assert!(bench.app.event(&quit, bench.now).is_some(), "they are written");
}

#[test]
fn so_many_nudges_can_be_undone() {
    let (_folder, _, mut bench) = tuned(HOIST);
    for n in 0..250 {
        bench.keys(if n % 2 == 0 { ">" } else { "<" });
    }
    let mut undone = 0;
    while !bench.shows("nothing to undo") {
        bench.keys("u");
        undone += 1;
    }
    assert_eq!(undone, 200 + 1, "the last one finds nothing");
}

#[test]
fn before_and_after_are_drawn_together() {
    let (_folder, _, mut bench) = tuned(HOIST);
    bench.keys(">>>>>>>>");
    let rows = bench.rows();
    let at = rows.iter().position(|row| row.contains(" before ")).expect("a row of what was");
    // The drift was an action before, and is none now.
    assert_ne!(rows[at - 2], rows[at]);
    bench.keys("6");
    assert!(bench.row("from[0].dead-zone ").contains("was 0.12"));
}

#[test]
fn what_was_tuned_is_written_and_an_editor_is_followed() {
    let (_folder, path, mut bench) = tuned(HOIST);
    bench.keys(">>>w");
    assert!(bench.shows("the rig was written to"));
    let text = std::fs::read_to_string(&path).unwrap();
    assert_eq!(text, HOIST.replace("0.12", "0.15"));
    // An editor makes a mistake, and then none.
    std::fs::write(&path, text.replace("dead-zone", "deadzone")).unwrap();
    wait_until(&mut bench, |bench| bench.shows("rig.toml:5:34: found the key `deadzone`"));
    assert!(bench.row("▸ 1: dead-zone").contains("0.15"));
    std::fs::write(&path, text.replace("0.15", "0.3")).unwrap();
    wait_until(&mut bench, |bench| bench.shows("was changed and read again"));
    assert!(bench.row("▸ 1: dead-zone").contains("0.3 of full travel"));
}

#[test]
fn a_long_live_history_is_run_again_beside_the_screen() {
    let worked = Nanos::from_millis(150_000);
    let (session, cab) = commands::cab_session(files::rig(None, None).unwrap(), 1, worked);
    let sources: Vec<Box<dyn Source>> = vec![Box::new(cab)];
    let app = App::live(session, sources, None, Theme::new(true));
    let mut bench = Bench::new(app, worked, (160, 47));
    bench.keys("5>");
    assert!(bench.shows("running the history again …"));
    // The screen goes on, and so does the cab.
    let tick = bench.app.tick();
    bench.pass(500);
    bench.keys(">");
    assert!(bench.app.tick() > tick);
    // What is wanted shows at once, what comes of it when it is known.
    assert!(bench.row("▸ 1: dead-zone").contains("0.14 was 0.12  of full travel"));
    wait_until(&mut bench, |bench| !bench.shows("running the history again …"));
    bench.pass(500);
    assert!(bench.shows(" changed"));
}
