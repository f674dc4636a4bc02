//! The touch bench: contacts, zones and gestures.

use super::*;

/// The cab's panel, whose zones have a rig of their own.
fn panel() -> Bench {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/panel.toml");
    let worked = Nanos::from_millis(10_000);
    let (session, cab) = commands::cab_session(files::rig(Some(&path), None).unwrap(), 1, worked);
    let app = App::live(session, vec![Box::new(cab)], None, Theme::new(true));
    let mut bench = Bench::new(app, worked, (160, 47));
    bench.keys("9");
    bench
}

#[test]
fn the_touch_bench_says_who_has_a_contact() {
    let mut bench = panel();
    assert!(bench.shows("glass   1919 × 1079 units, 160 × 90 mm") && bench.shows("deck-lights"));
    assert!(bench.shows("nobody touches it"));
    bench.keys("/contact-1");
    bench.key(KeyCode::Enter);
    // To the press before, and ten ticks on.
    bench.keys("[[.");
    assert!(bench.shows("0.513 0.476   82.1 42.8 mm"), "{}", bench.rows().join("\n"));
    assert!(bench.shows("walk-right has it"));
}

impl Bench {
    /// Drags the mouse over cells of the panel, a step every 20 ms.
    fn drag(&mut self, columns: impl IntoIterator<Item = u16>, row: u16) {
        let area = self.app.view.hit.panel;
        let mut kind = MouseEventKind::Down(MouseButton::Left);
        for column in columns {
            self.mouse(kind, area.x + column, area.y + row);
            self.pass(20);
            kind = MouseEventKind::Drag(MouseButton::Left);
        }
    }

    /// The same with Ctrl and a button: takes hold of a zone.
    fn grip(&mut self, button: MouseButton, cells: [(u16, u16); 2]) {
        let area = self.app.view.hit.panel;
        let kinds = [MouseEventKind::Down(button), MouseEventKind::Drag(button)];
        for (kind, (column, row)) in kinds.into_iter().zip(cells) {
            let (column, row) = (area.x + column, area.y + row);
            let mouse = MouseEvent { kind, column, row, modifiers: KeyModifiers::CONTROL };
            self.app.event(&Event::Mouse(mouse), self.now);
            self.pass(20);
        }
        self.mouse(MouseEventKind::Up(button), 0, 0);
    }

    fn lift(&mut self) {
        self.mouse(MouseEventKind::Up(MouseButton::Left), 0, 0);
        self.pass(40);
    }
}

#[test]
fn the_mouse_is_a_finger_on_the_touch_bench() {
    let mut bench = bare();
    assert!(bench.shows("no touch panel has been connected"));
    assert!(bench.shows("walk-left"), "zones are drawn before the first touch");
    bench.drag([10, 14, 18, 22, 26], 6);
    assert!(bench.shows("attempts go on") && bench.shows("contact-1"));
    bench.lift();
    assert!(bench.shows("● look-right") && bench.shows("nobody touches it"));
    // The other way, too short: what it lacked is said.
    bench.drag([30, 28, 25, 23], 6);
    bench.lift();
    let rows = bench.rows();
    let row = rows.iter().find(|row| row.contains("◇ look-left")).unwrap();
    assert!(row.contains("length-mm") && row.contains("mm short"), "{row}");
}

/// The names of two narrow zones at both edges of a small panel.
#[test]
fn names_of_zones_keep_apart_on_a_small_panel() {
    let bench = bare_of((80, 24));
    assert!(bench.shows("walk-left walk-ri…"), "{:#?}", bench.rows());
}

/// A live session with a rig of this text after its version, and no device.
fn bare_by(rig: &str) -> Bench {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("r.toml");
    std::fs::write(&path, format!("rig = 1\n{rig}")).unwrap();
    let session = Session::new(files::rig(Some(&path), None).unwrap(), Tick(0), Capacity::DEFAULT);
    let app = App::live(session, Vec::new(), None, Theme::new(true));
    let mut bench = Bench::new(app, Nanos::from_millis(100), (160, 47));
    bench.keys("9");
    bench
}

/// A panel of 1920 by 1080 pixels with a view of half the size below a bar.
const SPACES: &str = "[surface]\npixels = [1920, 1080]\nmm = [160, 90]\n\
    window = { at = [0, 180], size = [1920, 900], view = [960, 450] }\n\
    world = { camera = [100, 50], zoom = 10 }\n";

#[test]
fn a_contact_is_shown_in_every_space() {
    let mut bench = bare_by(SPACES);
    let height = bench.app.view.hit.panel.height;
    bench.drag([20], height / 2);
    let row = bench.row("mm   px");
    let numbers: Vec<f32> = row.split_whitespace().filter_map(|word| word.parse().ok()).collect();
    let [x, y, mm_x, mm_y, px_x, px_y, view_x, view_y, world_x, world_y] = numbers[..] else {
        panic!("{row}");
    };
    // The shares are shown to a thousandth, which is two pixels.
    let near = |is: f32, should: f32| (is - should).abs() <= 1.5;
    assert!(near(mm_x, x * 160.0) && near(mm_y, y * 90.0), "{row}");
    assert!(near(px_x, x * 1920.0) && near(px_y, y * 1080.0), "{row}");
    assert!(near(view_x, px_x / 2.0) && near(view_y, (px_y - 180.0) / 2.0), "{row}");
    assert!(near(world_x, 100.0 + (view_x - 480.0) / 10.0), "{row}");
    assert!(near(world_y, 50.0 + (view_y - 225.0) / 10.0), "{row}");
    // The bar above the view is no part of it.
    bench.drag([20], 1);
    bench.pass(40);
    assert!(bench.row("mm   px").contains("(beside it)"));
}

#[test]
fn a_finger_is_where_it_is_drawn_however_the_panel_is_turned() {
    let mut bench = bare_by("[surface]\nmm = [90, 160]\nturned = 90\n");
    bench.drag([5], 2);
    let contact = bench.app.session().plan().contacts()[0];
    let value = |id| bench.app.session().now().control(id).value;
    let [x, y] = contact.place([value(contact.x), value(contact.y)]);
    assert!(x < 0.4 && y < 0.3, "{x} {y}");
}

#[test]
fn what_has_a_place_of_its_own_is_seen_where_a_nudge_puts_it() {
    let mut bench = bare_by(
        "[gesture.helm]\nkind = \"stick\"\ncentre = \"fixed\"\nat = [0.2, 0.7]\n\
         [gesture.spot]\nkind = \"aim\"\n",
    );
    // The mouse becomes a panel, and lets go.
    bench.drag([5], 2);
    bench.lift();
    bench.pass(40);
    let column = |bench: &Bench| {
        let panel = usize::from(bench.app.view.hit.panel.right());
        let rows = bench.rows();
        let columns = rows.iter().filter_map(|row| row.find("helm").map(|at| &row[..at]));
        columns.map(|before| before.chars().count()).find(|at| *at < panel).unwrap()
    };
    let before = column(&bench);
    bench.keys(")");
    assert!(bench.row("helm at x").contains("0.3"));
    assert!(column(&bench) > before);
}

#[test]
fn a_pinned_finger_makes_a_pinch_of_a_drag() {
    let mut bench = bare();
    let area = bench.app.view.hit.panel;
    let right = MouseEventKind::Down(MouseButton::Right);
    bench.mouse(right, area.x + 10, area.y + 6);
    bench.drag([14, 18, 22, 26, 30], 6);
    assert!(bench.row("● zoom").contains("slop"), "{}", bench.rows().join("\n"));
    bench.lift();
    bench.mouse(right, area.x + 10, area.y + 6);
    bench.pass(40);
    assert!(bench.shows("nobody touches it"));
}

#[test]
fn fingers_lift_when_the_focus_goes() {
    let mut bench = bare();
    bench.drag([10, 12], 6);
    bench.app.event(&Event::FocusLost, bench.now);
    bench.pass(40);
    assert!(bench.shows("nobody touches it"));
}

#[test]
fn a_take_cannot_be_touched() {
    let mut bench = Bench::story(Story::Glass);
    bench.keys("9");
    bench.drag([10, 20], 6);
    assert!(bench.shows("a take cannot be touched"));
}

#[test]
fn what_was_meant_wears_what_became_of_it() {
    let mut bench = Bench::story(Story::Glass);
    bench.keys("9");
    assert!(bench.shows("meant: 6 hits, 3 misses, 0 false alarms"));
    let marks = bench.row("marks");
    assert!(marks.contains("✓ lights") && marks.contains("✗ lights"), "{marks}");
    // On the lane of a gesture a mark with words begins with what was meant.
    bench.keys("/tap lights");
    bench.key(KeyCode::Enter);
    bench.key(KeyCode::Down);
    bench.keys("M");
    assert!(bench.shows("meant: lights"));
}

/// Combos are not scored: the flag of one is no answer, and moves none to its neighbours.
#[test]
fn a_combo_that_was_meant_is_a_mark_like_others() {
    let mut bench = Bench::story(Story::Glass);
    let flags = |bench: &Bench| {
        bench.row("marks").chars().filter(|c| "✓✗⚑".contains(*c)).collect::<String>()
    };
    let before = flags(&bench);
    let combo = bench.app.session().rig().combos[0].name.clone();
    // On the lane of a gesture the mark would begin with its name.
    bench.keys("/contact-1");
    bench.key(KeyCode::Enter);
    bench.key(KeyCode::Home);
    bench.keys(&format!("Mmeant: {combo}"));
    bench.key(KeyCode::Enter);
    assert_eq!(flags(&bench), format!("⚑{before}"));
}

#[test]
fn the_numbers_of_a_gesture_are_nudged_where_its_margin_is_seen() {
    let mut bench = Bench::story(Story::Glass);
    bench.keys("9/tap lights");
    bench.key(KeyCode::Enter);
    bench.key(KeyCode::Down);
    assert!(bench.row("▸ lights lift-ms").contains("250"));
    // The second pair of taps came 12 ms too late.
    bench.keys("jj>>>");
    wait_until(&mut bench, |bench| bench.shows("meant: 7 hits, 2 misses"));
    assert!(bench.row("▸ lights gap-ms").contains("265 was 250"));
}

#[test]
fn zones_are_moved_and_resized_with_the_mouse() {
    let mut bench = panel();
    bench.keys("jjjjjj");
    let bounds = |bench: &Bench, zone: usize| {
        bench.app.session().plan().zones().on_panel()[zone].outline.bounds(9.0 / 16.0)
    };
    let before = bounds(&bench, 0);
    // The left half, a few columns to the right and two rows up.
    bench.grip(MouseButton::Left, [(8, 12), (13, 10)]);
    wait_until(&mut bench, |bench| bounds(bench, 0)[0] > 0.05);
    let moved = bounds(&bench, 0);
    assert!(moved[1] < before[1] && (moved[2] - moved[0] - 0.5).abs() < 1e-4, "{moved:?}");
    bench.grip(MouseButton::Right, [(20, 10), (20, 12)]);
    wait_until(&mut bench, |bench| bounds(bench, 0)[2] < moved[2]);
    assert_eq!(bounds(&bench, 0)[..2], moved[..2]);
    // One undo for each drag.
    bench.keys("uu");
    wait_until(&mut bench, |bench| bounds(bench, 0) == before);
}

#[test]
fn a_zone_is_resized_where_it_is_seen() {
    let mut bench = panel();
    bench.keys("jj<<<<");
    let row = bench.row("▸ walk-left width");
    assert!(row.contains("0.46 was 0.5"), "{row}");
}
