//! The game bench.

use super::*;

/// A story of the made-up game, held against its rules.
fn story(name: &str) -> Bench {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    let rig = files::rig(Some(&demo.join("game.toml")), None).unwrap();
    let take = demo.join(format!("game/{name}.take.jsonl"));
    let opened = files::open_take(&take, rig, Capacity::DEFAULT).unwrap();
    let mut bench = Bench::new(App::take(opened, Theme::new(true)), Nanos(0), (160, 47));
    bench.keys("P");
    wait_until(&mut bench, |bench| bench.shows("crane-game  "));
    bench
}

#[test]
fn what_differs_is_listed_and_jumped_to() {
    let mut bench = story("wide-rest");
    assert!(bench.row("crane-game  ").contains("≠ 2 of 9 values differ"));
    assert!(bench.row(" CallCrew ").contains("✓"));
    let cause = "does as action.slew.from[0].dead-zone = 0.19";
    assert!(bench.rows().iter().any(|row| row.contains("SlewX  ") && row.contains(cause)));
    bench.key(KeyCode::Tab);
    let first = bench.row("▸ ").to_owned();
    assert!(first.contains("place 1 of") || bench.shows("place 1 of"), "{first}");
    let tick = bench.app.tick();
    assert!(bench.shows(" why ▷ slew "));
    assert!(bench.rows()[43..].iter().any(|row| row.contains("the game does as")));
    bench.key(KeyCode::Tab);
    assert!(bench.shows("place 2 of") && bench.app.tick() > tick);
    bench.key(KeyCode::BackTab);
    assert!(bench.shows("place 1 of") && bench.app.tick() == tick);
    let places = bench.app.view.hit.places;
    bench.mouse(MouseEventKind::Down(MouseButton::Left), 20, places.y + 2);
    assert!(bench.shows("place 3 of"));
    bench.mouse(MouseEventKind::ScrollDown, 20, places.y);
    assert!(bench.shows("place 4 of"));
}

/// The game's lane stands below the rig's, with a mark wherever it differs.
#[test]
fn the_lane_of_the_game_stands_below_the_rigs() {
    let mut bench = story("late-read");
    // Each tick has a column of its own.
    bench.keys("+");
    let lanes = usize::from(bench.app.view.hit.lanes.top());
    let rows = bench.rows();
    let below = rows[lanes..].windows(2).find(|pair| pair[0].contains("▷ horn ")).unwrap();
    assert!(below[1].contains("in the game") && below[1].contains("≠"), "{}", below[1]);
    // On another bench that of the chosen lane alone.
    bench.key(KeyCode::Tab);
    bench.keys("1");
    assert_eq!(bench.rows().iter().filter(|row| row.contains("in the game")).count(), 1);
}

/// What is tuned is held against the game again: with its number, it agrees.
#[test]
fn with_the_number_of_the_game_the_rig_agrees() {
    let mut bench = story("wide-rest");
    bench.key(KeyCode::Tab);
    bench.keys("5v");
    bench.key_with(KeyCode::Char('u'), KeyModifiers::CONTROL, KeyEventKind::Press);
    bench.keys("0.2");
    bench.key(KeyCode::Enter);
    bench.keys("P");
    wait_until(&mut bench, |bench| bench.shows("✓ all 9 values agree"));
    assert!(bench.shows("nothing differs"));
}

#[test]
fn where_no_game_says_anything_it_is_said_what_to_do() {
    let mut bench = Bench::story(Story::LostTap);
    bench.keys("P");
    assert!(bench.shows("no game says anything of its frames here"));
    bench.key(KeyCode::Tab);
    assert!(bench.shows("senders/gtrig_frames.h"));
}

/// A person edits the rig's file meanwhile, and takes actions away that the game was held
/// against: what was found is not read by the new rig.
#[test]
fn a_rig_that_loses_actions_meanwhile_breaks_nothing() {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo");
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("rules.toml");
    std::fs::copy(demo.join("game.toml"), &path).unwrap();
    let rig = files::rig(Some(&path), None).unwrap();
    let take = demo.join("game/late-read.take.jsonl");
    let opened = files::open_take(&take, rig, Capacity::DEFAULT).unwrap();
    let mut app = App::take(opened, Theme::new(true));
    app.follow_rig(Some(files::RigSource::of(Some(&path), None).unwrap()));
    let mut bench = Bench::new(app, Nanos(0), (160, 47));
    bench.keys("P");
    wait_until(&mut bench, |bench| bench.shows("≠ 8 of 9 values differ"));
    let one = "rig = 1\n[action.lights]\ngives = \"toggle\"\nfrom = \"pad/north\"\n[game.names]\nLights = \"lights\"\n";
    std::fs::write(&path, one).unwrap();
    wait_until(&mut bench, |bench| bench.shows("≠ 1 of 1 values differ"));
    bench.key(KeyCode::Tab);
    assert!(bench.shows(" why ▷ lights "));
}
