//! Sizes, colours and names from outside: what every bench has to keep to.

use super::*;

#[rstest]
fn no_bench_needs_more_room_than_there_is(
    #[values(1, 3, 10, 24, 33, 40, 45, 50, 55, 56, 57, 64, 79, 129)] width: u16,
    #[values(1, 4, 9, 16, 24)] height: u16,
) {
    for story in [Story::Hasty, Story::Glass] {
        let mut bench = Bench::story(story);
        bench.screen.backend_mut().resize(width, height);
        for entry in crate::screen::bench::ALL {
            bench.keys(entry.key);
            assert_eq!(bench.app.bench, entry.bench);
            bench.pass(20);
        }
    }
}

#[rstest]
fn no_size_is_too_small(
    #[values(0, 1, 2, 20, 39, 80, 160, 400)] width: u16,
    #[values(0, 1, 2, 5, 9, 16, 24, 47, 120)] height: u16,
) {
    let mut bench = Bench::live((width, height));
    for key in " 2\t345678y9?31/x".chars() {
        bench.keys(&key.to_string());
        bench.pass(20);
    }
    bench.key(KeyCode::Esc);
    bench.keys("c");
    bench.pass(20);
    bench.mouse(MouseEventKind::Down(MouseButton::Left), width / 2, height / 2);
}

#[rstest]
#[case(160, 47)]
#[case(80, 24)]
fn at_usual_sizes_every_part_has_room(#[case] width: u16, #[case] height: u16) {
    let bench = Bench::live((width, height));
    for part in [" LIVE ", "pad·1", "1 board", "lanes", "why", "Space"] {
        assert!(bench.shows(part), "{part} in\n{}", bench.rows().join("\n"));
    }
    assert!(bench.app.view.hit.lanes.height >= 9);
}

#[test]
fn nothing_moves_sideways_while_values_change() {
    let mut bench = Bench::live((160, 47));
    let columns = |bench: &Bench| {
        let row = bench.row("action");
        (row.find("raw"), row.find("action"), bench.row(" LIVE ").find("Kestrel"))
    };
    let before = columns(&bench);
    for _ in 0..100 {
        bench.pass(37);
        assert_eq!(columns(&bench), before);
    }
}

#[test]
fn without_colours_no_colour_is_used() {
    let rig = files::rig(None, None).unwrap();
    let (session, _) = commands::cab_session(rig, 1, Nanos::from_millis(10_000));
    let app = App::live(session, Vec::new(), None, Theme::new(false));
    let bench = Bench::new(app, Nanos::from_millis(10_000), (160, 47));
    let buffer = bench.screen.backend().buffer();
    assert!(buffer.content.iter().all(|cell| cell.fg == Color::Reset && cell.bg == Color::Reset));
}

#[test]
fn green_is_for_what_fired_and_nothing_else() {
    let bench = Bench::live((160, 47));
    let buffer = bench.screen.backend().buffer();
    let green = Color::Indexed(83);
    let lanes = bench.app.view.hit.lanes;
    let actions: Vec<u16> = (lanes.top()..lanes.bottom())
        .filter(|&y| (0..buffer.area.width).any(|x| buffer[(x, y)].fg == green))
        .collect();
    let mut below = lanes.y;
    for lane in bench.app.lanes().into_iter().skip(bench.app.view.first_lane) {
        let rows = below..below + bench.app.lane_height(lane);
        below = rows.end;
        if matches!(lane, crate::screen::view::Lane::Control(_)) {
            assert!(!actions.iter().any(|y| rows.contains(y)), "{lane:?}");
        }
    }
    assert!(!actions.is_empty());
}

/// What would command a terminal, hide, reorder or tower.
const HOSTILE: &str = "\u{1b}[2J\u{9b}31m\u{7}\u{202e}\u{61c}\u{ad}\u{180e}\u{34f}\u{115f}\u{3164}\u{e0041}\u{200b}e\u{301}\u{302}\u{303}\u{304}";

/// What is wrong with what is on the screen.
fn harm(bench: &Bench) -> Option<String> {
    let rows = bench.rows();
    let harm = |row: &&String| gtrig_core::showable(row).any(|(_, may_be)| !may_be);
    rows.iter().find(harm).cloned()
}

#[test]
fn names_from_outside_reach_no_bench_with_what_commands_a_terminal() {
    let json = serde_json::to_string(HOSTILE).unwrap();
    let text = format!(
        "{{\"take\":1,\"title\":{json},\"rig\":{json}}}\n{{\"t\":0,\"plug\":{json},\"kind\":\"pad\",\"name\":{json},\"identity\":{json},\"bus\":{json},\"controls\":[{{\"code\":\"south\",\"kind\":\"button\"}}]}}\n{{\"t\":5,\"on\":{json},\"c\":\"south\",\"v\":1}}\n{{\"t\":5,\"label\":{json}}}\n{{\"t\":6,\"on\":{json},\"c\":{json}}}\n"
    );
    let rig = files::rig(None, None).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join(format!("{HOSTILE}.take.jsonl"));
    std::fs::write(&path, text).unwrap();
    let opened = files::open_take(&path, rig, Capacity::DEFAULT).unwrap();
    let mut bench = Bench::new(App::take(opened, Theme::new(true)), Nanos(0), (160, 47));
    assert_eq!(harm(&bench), None, "the damage is told");
    for entry in crate::screen::bench::ALL {
        bench.keys(entry.key);
        bench.pass(20);
        assert_eq!(harm(&bench), None, "{:?}", entry.bench);
    }
    bench.keys("2");
    assert!(bench.shows("identity"));
    // Files by their names, in what is told and asked.
    for (key, name) in
        [("o", HOSTILE), ("s", path.to_str().unwrap()), ("r", path.to_str().unwrap())]
    {
        bench.keys(key);
        bench.key_with(KeyCode::Char('u'), KeyModifiers::CONTROL, KeyEventKind::Press);
        bench.keys(name);
        assert_eq!(harm(&bench), None, "typed after {key}");
        bench.key(KeyCode::Enter);
        wait_until(&mut bench, |bench| bench.app.notice().is_some_and(|notice| notice.is_bad));
        assert_eq!(harm(&bench), None, "told after {key}");
    }
}
