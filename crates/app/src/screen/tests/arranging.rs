//! Lanes that are pinned, moved, gathered and hidden.

use super::*;
use crate::{
    arrangements,
    screen::{app::Arranging, view::lane_name},
};

fn names(bench: &Bench) -> Vec<String> {
    let lanes = bench.app.lanes();
    lanes.into_iter().map(|lane| lane_name(bench.app.session(), lane)).collect()
}

fn choose(bench: &mut Bench, name: &str) {
    let lanes = bench.app.lanes();
    let named = |lane: &&super::super::view::Lane| lane_name(bench.app.session(), **lane) == name;
    let lane = *lanes.iter().find(named).unwrap_or_else(|| panic!("{name} in {:?}", names(bench)));
    bench.app.view.chosen = Some(lane);
    bench.frame();
}

fn with_ctrl(bench: &mut Bench, code: KeyCode) {
    bench.key_with(code, KeyModifiers::CONTROL, KeyEventKind::Press);
}

#[test]
fn pinned_lanes_come_first_in_the_order_they_are_given_and_are_never_folded() {
    let mut bench = Bench::story(Story::LostTap);
    for lane in ["pad·2 south", "▷ horn"] {
        choose(&mut bench, lane);
        bench.keys("I");
    }
    assert_eq!(names(&bench)[..2], ["pad·2 south", "▷ horn"]);
    assert!(bench.lane("pad·2 south").contains("▪"));
    with_ctrl(&mut bench, KeyCode::Up);
    assert_eq!(names(&bench)[..2], ["▷ horn", "pad·2 south"]);
    choose(&mut bench, "▷ slew x");
    with_ctrl(&mut bench, KeyCode::Down);
    assert!(bench.shows("only lanes that are pinned are moved: I pins it"));
    // Zoomed in far, nothing moves in view.
    bench.key(KeyCode::End);
    bench.keys("+++++++");
    assert_eq!(names(&bench)[..2], ["▷ horn", "pad·2 south"]);
    choose(&mut bench, "▷ horn");
    bench.keys("I");
    assert_eq!(names(&bench)[0], "pad·2 south");
}

#[test]
fn what_is_hidden_or_gathered_is_said_and_shown_again() {
    let mut bench = Bench::story(Story::LostTap);
    let before = names(&bench);
    choose(&mut bench, "pad·2 south");
    bench.keys("C");
    assert!(!names(&bench).contains(&"pad·2 south".to_owned()));
    assert!(bench.shows("▸▷ horn …"));
    bench.keys("C");
    assert_eq!(names(&bench), before);
    choose(&mut bench, "▷ slew x");
    bench.keys("X");
    assert!(bench.shows("▷ slew x is hidden from now on; V shows all that is"));
    assert!(bench.shows("1 hidden, V shows them"));
    choose(&mut bench, "pad·2 south");
    with_ctrl(&mut bench, KeyCode::Char('x'));
    assert_eq!(names(&bench), ["▷ horn"]);
    // What was lost is found there too, and then the lane is shown.
    bench.key(KeyCode::Home);
    bench.keys("K");
    assert!(names(&bench).contains(&"pad·2 south".to_owned()) && bench.app.tick() == Tick(37));
    choose(&mut bench, "▷ horn");
    assert_eq!(names(&bench), ["▷ horn"]);
    // Who looks for it by its name wants to see it.
    bench.keys("/south");
    bench.key(KeyCode::Enter);
    assert_eq!(names(&bench), ["pad·2 south"]);
    bench.key(KeyCode::Esc);
    bench.keys("V");
    assert_eq!(names(&bench), before);
}

/// What stands below the last action and feeds none is not gathered in it.
#[test]
fn only_what_feeds_an_action_is_gathered_in_it() {
    let rig = "rig = 1\n[action.horn]\ngives = \"on\"\nfrom = \"pad/south\"\n";
    let pad = r#""plug":"p","kind":"pad","controls":[{"code":"south","kind":"button"},{"code":"east","kind":"button"}]"#;
    let value = |t: u32, c: &str, v: u8| {
        format!("{{\"t\":{t}00000000,\"on\":\"p\",\"c\":\"{c}\",\"v\":{v}}}\n")
    };
    let presses = ["south", "east"].map(|c| value(2, c, 1)).concat();
    let releases = ["south", "east"].map(|c| value(3, c, 0)).concat();
    let folder = tempfile::tempdir().unwrap();
    let take = folder.path().join("t.take.jsonl");
    std::fs::write(&take, format!("{{\"take\":1}}\n{{\"t\":0,{pad}}}\n{presses}{releases}"))
        .unwrap();
    let rig = gtrig_formats::rig::parse("rig", rig).unwrap();
    let opened = files::open_take(&take, rig, Capacity::DEFAULT).unwrap();
    let mut bench = Bench::new(App::take(opened, Theme::new(true)), Nanos(0), (160, 47));
    assert_eq!(names(&bench), ["▷ horn", "pad·1 south", "pad·1 east"]);
    choose(&mut bench, "▷ horn");
    bench.keys("C");
    assert_eq!(names(&bench), ["▷ horn", "pad·1 east"]);
}

#[test]
fn every_lane_can_be_hidden_and_shown_again() {
    let mut bench = Bench::story(Story::LostTap);
    bench.keys("H");
    for _ in 0..60 {
        bench.keys("X");
    }
    assert!(names(&bench).is_empty() && bench.shows("every lane is hidden; V shows them"));
    bench.keys("]XICV");
    assert!(!names(&bench).is_empty());
}

#[test]
fn an_arrangement_is_kept_for_its_rig() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gtrig/lanes.json");
    let kept = || arrangements::read(&path).unwrap();
    let mut bench = Bench::story(Story::LostTap);
    bench.app.arrange(Arranging::kept(kept(), Some(path.clone())));
    bench.pass(1);
    choose(&mut bench, "pad·2 south");
    let (column, row) = (10, bench.app.view.hit.lanes.y);
    bench.keys("I");
    bench.mouse(MouseEventKind::Down(MouseButton::Right), column, row);
    choose(&mut bench, "▷ horn");
    bench.keys("I");
    assert!(bench.app.finish_saving().is_empty());
    let mut again = Bench::story(Story::Drift);
    again.app.arrange(Arranging::kept(kept(), Some(path.clone())));
    again.pass(1);
    assert_eq!(names(&again)[0], "▷ horn");
    again.keys("O");
    again.keys("lost");
    again.key(KeyCode::Enter);
    wait_until(&mut again, |bench| bench.shows("The horn that did not sound"));
    assert_eq!(names(&again)[0], "▷ horn", "it is the same rig");
}
