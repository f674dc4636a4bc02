//! How bench and timeline share the height.

use super::{super::bench, *};

fn heights(bench: &Bench) -> (u16, u16) {
    (bench.app.view.hit.bench.height, bench.app.view.hit.lanes.height)
}

#[test]
fn a_bench_that_needs_little_leaves_the_rest_to_the_timeline() {
    let mut bench = Bench::story(Story::LostTap);
    bench.keys("9");
    let (touch, few) = heights(&bench);
    bench.keys("4");
    let (stream, many) = heights(&bench);
    assert!(stream < touch / 2 && many > few, "{stream} of {touch}");
    assert!(bench.shows("nothing wrong"), "all of it is there");
}

#[test]
fn the_border_moves_by_keys_and_by_the_mouse() {
    let mut bench = Bench::story(Story::LostTap);
    bench.keys("9");
    let (before, _) = heights(&bench);
    bench.keys("}");
    assert_eq!(heights(&bench).0, before + 2);
    bench.keys("{{");
    assert_eq!(heights(&bench).0, before - 2);
    let ruler = bench.app.view.hit.ruler;
    let (left, tick) = (MouseButton::Left, bench.app.tick());
    bench.mouse(MouseEventKind::Down(left), ruler.x + 40, ruler.y);
    bench.mouse(MouseEventKind::Drag(left), ruler.x + 70, ruler.y - 5);
    assert_eq!((bench.app.view.hit.ruler.y, bench.app.tick()), (ruler.y - 5, tick));
    bench.mouse(MouseEventKind::Drag(left), 0, 0);
    assert_eq!(heights(&bench).0, 0);
    bench.mouse(MouseEventKind::Up(left), 0, 0);
    bench.mouse(MouseEventKind::Drag(left), 90, ruler.y + 5);
    assert_eq!(heights(&bench).0, 0, "it was let go");
}

#[test]
fn either_can_have_the_whole_screen() {
    let mut bench = Bench::story(Story::LostTap);
    let both = heights(&bench);
    bench.keys("z");
    let (alone, lanes) = heights(&bench);
    assert!(alone > 40 && lanes == 0);
    bench.keys("Z");
    let (none, lanes) = heights(&bench);
    assert!(none == 0 && lanes > 35);
    bench.keys("Z");
    assert_eq!(heights(&bench), both);
}

#[rstest]
fn every_bench_can_be_seen_on_a_low_screen(#[values(10, 24)] height: u16) {
    let mut bench = Bench::story(Story::LostTap);
    bench.screen.backend_mut().resize(80, height);
    bench.keys("z");
    // The status, the tabs and the keys; and the devices where there is room.
    let others = if height < 12 { 3 } else { 4 };
    for entry in bench::ALL {
        bench.keys(entry.key);
        assert_eq!(heights(&bench), (height - others, 0), "{}", entry.name);
        assert!(bench.shows(entry.name) && bench.shows("q quit"));
    }
}
