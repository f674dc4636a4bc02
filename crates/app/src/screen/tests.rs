//! The full screen without a terminal: keys in, rows of text out.

mod arranging;
mod board;
mod finding;
mod game;
mod inviting;
mod naming;
mod pointing;
mod reading;
mod room;
mod timeline;
mod tour;

use super::{App, Theme, draw};
use crate::{commands, files};
use crossterm::event::{
    Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers, MouseButton, MouseEvent, MouseEventKind,
};
use gtrig_analysis::{Capacity, Session, clock::ClockReading, log};
use gtrig_core::{CleanText, ControlInfo, ControlKind, DeviceInfo, DeviceKind, Nanos, Tick};
use gtrig_formats::log::{LogFilter, LogLine};
use gtrig_sources::{HexLog, SenderIs, SenderState, Source, Story, Terminal, TerminalKeys};
use ratatui::{Terminal as Screen, backend::TestBackend, layout::Rect, style::Color};
use rstest::rstest;
use std::path::Path;

/// An application, its clock, and a screen to look at.
struct Bench {
    app: App,
    now: Nanos,
    screen: Screen<TestBackend>,
}

impl Bench {
    fn new(app: App, now: Nanos, (width, height): (u16, u16)) -> Self {
        let screen = Screen::new(TestBackend::new(width, height)).unwrap();
        let mut bench = Bench { app, now, screen };
        bench.app.advance(now);
        bench.frame();
        bench
    }

    fn story(story: Story) -> Self {
        let rig = files::rig(None, story.poll_hz()).unwrap();
        let app = App::take(files::shipped_take(story, rig).unwrap(), Theme::new(true));
        Bench::new(app, Nanos(0), (160, 47))
    }

    /// A take of this text.
    fn opened(text: &str) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("t.take.jsonl");
        std::fs::write(&path, text).unwrap();
        let rig = files::rig(None, None).unwrap();
        let opened = files::open_take(&path, rig, Capacity::DEFAULT).unwrap();
        Bench::new(App::take(opened, Theme::new(true)), Nanos(0), (160, 47))
    }

    /// The cab at work for ten seconds, and a terminal whose releases are
    /// reported.
    fn live(size: (u16, u16)) -> Self {
        let worked = Nanos::from_millis(10_000);
        let rig = files::rig(None, None).unwrap();
        let (mut session, cab) = commands::cab_session(rig, 1, worked);
        let terminal = Terminal::plug(&mut session, TerminalKeys::Reported, size, worked).unwrap();
        let sources: Vec<Box<dyn Source>> = vec![Box::new(cab)];
        let app = App::live(session, sources, Some(terminal), Theme::new(true));
        Bench::new(app, worked, size)
    }

    /// The reports of the demo's pendant, without the names that a person gave its bits.
    fn pendant() -> Self {
        let mut log = HexLog::parse(include_str!("../../../../demo/pendant.hid.txt"), &[]).unwrap();
        let rig = files::rig(None, None).unwrap();
        let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
        log.drain(&mut session, Nanos(4_000_000_000));
        session.run_until(Tick(240));
        let app = App::live(session, Vec::new(), None, Theme::new(true));
        Bench::new(app, Nanos(4_000_000_000), (160, 47))
    }

    fn frame(&mut self) {
        self.screen
            .draw(|frame| {
                self.app.fit(frame.area());
                draw(frame, &self.app);
            })
            .unwrap();
    }

    fn pass(&mut self, ms: u64) {
        self.now = Nanos(self.now.0 + ms * 1_000_000);
        self.app.advance(self.now);
        self.frame();
    }

    fn key(&mut self, code: KeyCode) {
        self.key_with(code, KeyModifiers::NONE, KeyEventKind::Press);
    }

    fn key_with(&mut self, code: KeyCode, modifiers: KeyModifiers, kind: KeyEventKind) {
        let key = KeyEvent::new_with_kind(code, modifiers, kind);
        self.app.event(&Event::Key(key), self.now);
        self.frame();
    }

    fn keys(&mut self, text: &str) {
        for c in text.chars() {
            self.key(KeyCode::Char(c));
        }
    }

    fn mouse(&mut self, kind: MouseEventKind, column: u16, row: u16) {
        let mouse = MouseEvent { kind, column, row, modifiers: KeyModifiers::NONE };
        self.app.event(&Event::Mouse(mouse), self.now);
        self.frame();
    }

    fn rows(&self) -> Vec<String> {
        let buffer = self.screen.backend().buffer();
        let Rect { width, height, .. } = buffer.area;
        let row = |y| (0..width).map(|x| buffer[(x, y)].symbol()).collect();
        (0..height).map(row).collect()
    }

    /// The only row with this text.
    fn row(&self, text: &str) -> String {
        let rows = self.rows();
        let found: Vec<&String> = rows.iter().filter(|row| row.contains(text)).collect();
        assert_eq!(found.len(), 1, "{text:?} in\n{}", rows.join("\n"));
        found[0].clone()
    }

    /// The row of a lane.
    fn lane(&self, name: &str) -> String {
        let lanes = self.app.view.hit.lanes;
        let rows = &self.rows()[usize::from(lanes.top())..usize::from(lanes.bottom())];
        let named = |row: &&String| row.contains(&format!(" {name} "));
        rows.iter().find(named).unwrap_or_else(|| panic!("{name} in\n{}", rows.join("\n"))).clone()
    }

    fn has_lane(&self, name: &str) -> bool {
        self.app.lanes().iter().any(|&l| super::view::lane_name(self.app.session(), l) == name)
    }

    fn shows(&self, text: &str) -> bool {
        self.rows().iter().any(|row| row.contains(text))
    }
}

#[test]
fn the_story_of_the_lost_tap_opens_on_the_lost_tap_and_says_why() {
    let bench = Bench::story(Story::LostTap);
    assert!(bench.row("lost 3").contains("tick 37"));
    let lane = bench.lane("pad·2 south");
    assert!(lane.contains("▸") && lane.contains("╳"), "{lane}");
    assert!(bench.shows(
        "pad·2 south went down at 1 204.31 ms and up at 1 211.87 ms, all between tick 36 (1 200.00 ms) and tick 37"
    ));
    assert!(bench.row("⚑ three quick taps").contains("⚑ a short tap: no horn"));
}

#[test]
fn edges_can_be_walked_from_one_to_the_next() {
    let mut bench = Bench::story(Story::LostTap);
    let mut ticks = Vec::new();
    for _ in 0..3 {
        bench.keys("]");
        ticks.push(bench.app.tick().0);
    }
    assert_eq!(ticks, [57, 58, 73]);
    bench.keys("[");
    assert_eq!(bench.app.tick(), Tick(58));
    assert!(
        bench.shows(
            "pad·2 south went up at 1 931.00 ms; tick 58 (1 933.33 ms) saw it 2.33 ms later."
        )
    );
}

#[test]
fn steps_stop_at_both_ends() {
    let mut bench = Bench::story(Story::LostTap);
    bench.key(KeyCode::Home);
    bench.key(KeyCode::Left);
    assert_eq!(bench.app.tick(), Tick(0));
    bench.key(KeyCode::End);
    bench.key(KeyCode::Right);
    assert_eq!(bench.app.tick(), bench.app.last());
    bench.key_with(KeyCode::Left, KeyModifiers::CONTROL, KeyEventKind::Press);
    assert_eq!(bench.app.tick().0, bench.app.last().0 - 10);
}

#[test]
fn a_take_plays_in_its_own_time_and_stops_at_its_end() {
    let mut bench = Bench::story(Story::LostTap);
    bench.key(KeyCode::Home);
    bench.keys(" ");
    bench.pass(1000);
    assert!(bench.shows("PLAYING"));
    assert_eq!(bench.app.tick(), Tick(30));
    bench.pass(60_000);
    assert!(bench.shows(" TAKE "));
    assert_eq!(bench.app.tick(), bench.app.last());
}

#[test]
fn freezing_the_view_does_not_stop_the_recording() {
    let mut bench = Bench::live((160, 47));
    bench.pass(1000);
    bench.keys(" ");
    let frozen = bench.app.tick();
    let events = bench.app.session().history().event_count();
    bench.pass(2000);
    assert_eq!(bench.app.tick(), frozen);
    assert!(bench.app.session().history().event_count() > events + 500);
    assert!(bench.row("FROZEN").contains("120 ticks behind; recording goes on"));
    bench.keys(" ");
    assert_eq!(bench.app.tick(), bench.app.last());
    assert!(bench.shows(" LIVE "));
}

/// A pad that is plugged in at its time, and pressed.
struct Newcomer(Option<Nanos>);

impl Source for Newcomer {
    fn drain(&mut self, session: &mut Session, now: Nanos) {
        let Some(time) = self.0.take_if(|time| *time <= now) else { return };
        let info = DeviceInfo {
            identity: "newcomer".to_owned(),
            kind: DeviceKind::Pad,
            name: CleanText::new("newcomer"),
            bus: CleanText::default(),
            slot: None,
            controls: vec![ControlInfo::new("south", ControlKind::Button)],
        };
        let device = session.plug(info, time).unwrap();
        let control = session.roster().device(device).control("south").unwrap();
        let marks = gtrig_core::Marks::empty();
        session.report(gtrig_core::Event { time, value: 1, control, marks });
    }
}

/// The time that stands still is one at which it was not there.
#[test]
fn a_device_may_come_while_the_view_is_frozen() {
    let rig = files::rig(None, None).unwrap();
    let worked = Nanos::from_millis(5_000);
    let (session, cab) = commands::cab_session(rig, 1, worked);
    let newcomer = Newcomer(Some(Nanos::from_millis(6_000)));
    let sources: Vec<Box<dyn Source>> = vec![Box::new(cab), Box::new(newcomer)];
    let app = App::live(session, sources, None, Theme::new(true));
    let mut bench = Bench::new(app, worked, (160, 47));
    bench.keys(" ");
    let shown = bench.app.tick();
    bench.pass(2_000);
    assert_eq!(bench.app.tick(), shown);
    for entry in super::bench::ALL {
        bench.keys(entry.key);
        bench.pass(20);
    }
    bench.key(KeyCode::End);
    bench.keys("2");
    bench.pass(20);
    let roster = bench.app.session().roster();
    let newcomer = roster.devices().last().unwrap().1.label().to_string();
    assert!(bench.rows().join("").contains(&newcomer), "{newcomer}");
}

#[test]
fn the_filter_finds_lanes_that_never_moved_and_escape_drops_it() {
    let mut bench = Bench::live((160, 47));
    assert!(!bench.has_lane("keys KeyM"));
    bench.keys("/keym");
    bench.key(KeyCode::Enter);
    assert!(bench.lane("keys KeyM").contains("up"));
    assert!(!bench.has_lane("▷ horn"));
    assert!(bench.shows("lanes / keym"));
    bench.key(KeyCode::Esc);
    assert!(bench.has_lane("▷ horn") && !bench.has_lane("keys KeyM"));
}

#[test]
fn captured_keys_go_to_the_rig_and_only_ctrl_g_comes_back() {
    let mut bench = Bench::live((160, 56));
    bench.keys("c");
    assert!(bench.shows("Ctrl+G lets go"));
    bench.key(KeyCode::Char('h'));
    bench.key(KeyCode::Char('q'));
    bench.pass(100);
    assert!(bench.lane("keys·2 KeyH").contains("down"));
    assert!(bench.app.captured, "q is a key under test now");
    bench.key_with(KeyCode::Char('g'), KeyModifiers::CONTROL, KeyEventKind::Press);
    bench.pass(100);
    assert!(!bench.app.captured && bench.shows("deaf"));
    let horn = bench.app.session().now().action(gtrig_core::ActionId(3));
    assert!(!horn.is_active(), "letting go releases what was held");
}

#[test]
fn losing_the_focus_releases_and_gaining_it_listens_again() {
    let mut bench = Bench::live((160, 47));
    bench.keys("c");
    bench.key(KeyCode::Char('h'));
    bench.pass(100);
    bench.app.event(&Event::FocusLost, bench.now);
    bench.pass(100);
    assert!(!bench.app.session().now().action(gtrig_core::ActionId(3)).is_active());
    bench.app.event(&Event::FocusGained, bench.now);
    bench.key(KeyCode::Char('h'));
    bench.pass(100);
    assert!(bench.app.session().now().action(gtrig_core::ActionId(3)).is_active());
}

#[test]
fn what_was_captured_is_not_thrown_away_by_one_key() {
    let mut bench = Bench::live((160, 47));
    let quit = KeyEvent::new(KeyCode::Char('q'), KeyModifiers::NONE);
    bench.keys("c");
    bench.key(KeyCode::Char('h'));
    bench.key_with(KeyCode::Char('g'), KeyModifiers::CONTROL, KeyEventKind::Press);
    assert_eq!(bench.app.event(&Event::Key(quit), bench.now), None);
    bench.frame();
    assert!(bench.shows("not saved"));
    assert!(bench.app.event(&Event::Key(quit), bench.now).is_some());
}

#[test]
fn a_click_puts_the_playhead_there_and_chooses_the_lane() {
    let mut bench = Bench::story(Story::LostTap);
    let rows = bench.rows();
    let y =
        rows.iter().position(|row| row.contains("  ▷ horn") || row.contains(" ▷ horn ")).unwrap();
    let x = bench.app.view.hit.traces.x + 13;
    let row = bench.app.view.hit.lanes.y.max(y as u16);
    bench.mouse(MouseEventKind::Down(MouseButton::Left), x, row);
    assert_eq!(bench.app.tick(), bench.app.view.stretch.tick_at(13));
    assert!(bench.shows("── why ▷ horn"), "{}", bench.rows().join("\n"));
    bench.mouse(MouseEventKind::Drag(MouseButton::Left), x + 9, 1);
    assert_eq!(bench.app.tick(), bench.app.view.stretch.tick_at(22));
}

#[test]
fn marks_are_set_walked_and_taken_away() {
    let mut bench = Bench::story(Story::LostTap);
    bench.key(KeyCode::Home);
    bench.key_with(KeyCode::Char('M'), KeyModifiers::SHIFT, KeyEventKind::Press);
    bench.keys("odd here");
    bench.key(KeyCode::Enter);
    assert!(bench.row("⚑ a short tap").contains("⚑ odd here"));
    bench.keys("n");
    assert_eq!(bench.app.tick(), Tick(37));
    bench.keys("m");
    assert!(!bench.shows("a short tap"));
}

#[test]
fn saved_history_opens_again_with_the_same_lanes() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("it.take.jsonl");
    let mut bench = Bench::live((160, 47));
    bench.pass(500);
    bench.keys("s");
    bench.key_with(KeyCode::Char('u'), KeyModifiers::CONTROL, KeyEventKind::Press);
    bench.keys(path.to_str().unwrap());
    bench.key(KeyCode::Enter);
    wait_until(&mut bench, |bench| bench.shows("saved "));
    let rig = files::rig(None, None).unwrap();
    let opened = files::open_take(&path, rig, Capacity::DEFAULT).unwrap();
    assert!(opened.loaded.is_sound());
    assert_eq!(opened.session.history().event_count(), bench.app.session().history().event_count());
}

#[test]
fn a_take_that_is_opened_on_the_polling_bench_is_audited_too() {
    let other = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/lost-tap.take.jsonl");
    let mut bench = Bench::story(Story::Drift);
    bench.keys("3");
    wait_until(&mut bench, |bench| !bench.shows("auditing the history"));
    bench.keys("o");
    bench.keys(other);
    bench.key(KeyCode::Enter);
    wait_until(&mut bench, |bench| bench.shows("The horn that did not sound"));
    wait_until(&mut bench, |bench| !bench.shows("auditing the history"));
}

#[test]
fn a_save_that_fails_says_why_and_loses_nothing() {
    let mut bench = Bench::live((160, 47));
    bench.keys("s");
    bench.key_with(KeyCode::Char('u'), KeyModifiers::CONTROL, KeyEventKind::Press);
    bench.keys("/nowhere/at/all");
    bench.key(KeyCode::Enter);
    wait_until(&mut bench, |bench| bench.shows("could not save /nowhere/at/all"));
    assert!(bench.app.session().history().event_count() > 1000);
}

/// Lets the application look at its jobs until something shows.
fn wait_until(bench: &mut Bench, shows: impl Fn(&Bench) -> bool) {
    let started = std::time::Instant::now();
    while !shows(bench) {
        assert!(started.elapsed().as_secs() < 20, "{}", bench.rows().join("\n"));
        std::thread::yield_now();
        bench.pass(0);
    }
}

#[rstest]
fn no_bench_needs_more_room_than_there_is(
    #[values(1, 3, 10, 24, 33, 40, 45, 50, 55, 56, 57, 64, 79, 129)] width: u16,
    #[values(1, 4, 9, 16, 24)] height: u16,
) {
    for story in [Story::Hasty, Story::Glass] {
        let mut bench = Bench::story(story);
        bench.screen.backend_mut().resize(width, height);
        for entry in super::bench::ALL {
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
        if matches!(lane, super::view::Lane::Control(_)) {
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
    for entry in super::bench::ALL {
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

#[test]
fn zoomed_in_the_chosen_lane_shows_what_was_reported_between_the_polls() {
    let mut bench = Bench::story(Story::LostTap);
    assert!(!bench.shows("as reported"));
    // Eight columns a tick.
    bench.keys("+++");
    let polled = bench.lane("pad·2 south");
    let reported = bench.row("as reported");
    let head = bench.app.view.hit.traces.x + bench.app.view.stretch.column_of(Tick(37)).unwrap();
    let at = |row: &str, column: u16| row.chars().nth(usize::from(column)).unwrap();
    assert_eq!(at(&polled, head), '╳');
    // Down 4.31 and up 11.87 ms after the poll before, of 33.33 ms: columns
    // 1.03 and 2.85 of the eight between the two polls.
    let between: String = (head - 8..head).map(|x| at(&reported, x)).collect();
    assert_eq!(between, "▁╱╲▁▁▁▁▁");
}

/// Types where the figure of what is shown shall go, and waits until the
/// status line says so: by its name, for what it said of the figure before is
/// still there while this one is drawn.
fn export(bench: &mut Bench, path: &Path, said: &str) {
    bench.keys("x");
    bench.key_with(KeyCode::Char('u'), KeyModifiers::CONTROL, KeyEventKind::Press);
    bench.keys(path.to_str().unwrap());
    bench.key(KeyCode::Enter);
    let name = path.file_name().unwrap().to_str().unwrap();
    wait_until(bench, |bench| {
        let last = bench.rows().pop().unwrap();
        last.contains(said) && last.contains(name)
    });
}

#[rstest]
#[case("v.svg", "drawn to")]
#[case("v.pdf", "drawn to")]
#[case("v.gif", "ends in .svg or .pdf")]
fn what_is_in_view_becomes_a_figure(#[case] name: &str, #[case] said: &str) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join(name);
    let mut bench = Bench::story(Story::LostTap);
    export(&mut bench, &path, said);
    if let Some("svg") = path.extension().and_then(|e| e.to_str()) {
        let svg = std::fs::read_to_string(&path).unwrap();
        assert!(svg.contains("pad·2 south") && svg.contains("three quick taps"));
    }
}

#[test]
fn a_stick_and_its_measurement_become_figures_on_their_benches() {
    let folder = tempfile::tempdir().unwrap();
    let mut bench = Bench::story(Story::Rim);
    for (key, name, words) in [
        ("5", "stick.svg", "response: output over travel"),
        ("7", "measured.svg", "reach in 72 directions"),
    ] {
        bench.keys(key);
        wait_until(&mut bench, |bench| key != "7" || bench.shows("+0.0310 -0.0181"));
        export(&mut bench, &folder.path().join(name), "drawn to");
        let svg = std::fs::read_to_string(folder.path().join(name)).unwrap();
        assert!(svg.contains(words), "{name}");
    }
}

#[test]
fn the_polling_bench_says_what_other_rates_would_have_lost() {
    let mut bench = Bench::story(Story::LostTap);
    bench.keys("3");
    wait_until(&mut bench, |bench| bench.shows("1000 Hz"));
    // The chosen lane is the pad's south, at the take's own rate.
    assert!(bench.row("30 Hz ◂").contains("7     4 ╳    3"), "{}", bench.row("30 Hz ◂"));
    assert!(bench.shows("Of pad·2 south nothing is lost at 1000 Hz"));
    assert!(bench.shows("a steady loop of 477 Hz or more cannot lose one"));
}

#[test]
fn the_stream_bench_lists_what_is_missing_and_e_jumps_there() {
    let mut bench = Bench::story(Story::Skips);
    assert!(bench.row(" TAKE ").contains("tick 137"), "it opens on the first gap");
    bench.keys("4");
    assert!(bench.row("▸   2 270.00 ms").contains("sent nothing for 140.21 ms"));
    // A hole on the lane, not a quiet hand.
    assert!(bench.lane("lever·3 travel").contains('░'));
    assert!(!bench.lane("▷ hoist").contains('░'));
    bench.keys("e");
    assert!(bench.row(" TAKE ").contains("tick 191"));
    assert!(bench.shows("▸   3 170.00 ms"));
    bench.keys("e");
    assert!(bench.shows("no trouble with a stream after this tick"));
    bench.keys("E");
    assert!(bench.row(" TAKE ").contains("tick 137"));
}

#[test]
fn a_held_key_moves_on_by_state_and_stands_still_by_events() {
    let mut bench = Bench::live((160, 47));
    bench.keys(" /slew x");
    bench.key(KeyCode::Enter);
    // The operator holds KeyA: by state it goes on, by events only its edges show.
    for _ in 0..400 {
        if bench.row("if on events").contains("····") {
            break;
        }
        bench.key(KeyCode::Char(','));
    }
    assert!(bench.row("if on events").contains("····"));
    assert!(bench.shows("▸▷ slew x"));
}

#[test]
fn the_device_bench_follows_the_chosen_lane_and_shows_the_state_word() {
    let mut bench = Bench::story(Story::LostTap);
    bench.keys("2]");
    assert!(bench.row("Quay trainer pad B").contains("bus simulated"));
    // South is bit 0, and is released in the very tick.
    let row = |name: &str| bench.row(&format!("  {name}  "));
    let bit = |name: &str| row(name).contains("0001");
    assert_eq!((bit("now "), bit("before"), bit("changed")), (true, false, true));
    assert!(row("changed").contains("╱ south"));
    assert!(bench.row(" trigger-r  ").contains("0 … 255  flat 128  fuzz 16"));
}

#[test]
fn an_audit_can_be_asked_of_other_loops() {
    let mut bench = Bench::story(Story::LostTap);
    bench.keys("A");
    assert!(bench.shows("20 30 60 120 240 1000"));
    bench.keys(" jitter=20 step=50");
    bench.key(KeyCode::Enter);
    wait_until(&mut bench, |bench| bench.shows("jitter 20 %"));
    assert!(bench.shows("read by a fixed step of 50 Hz"));
    bench.keys("A");
    bench.keys(" quick");
    bench.key(KeyCode::Enter);
    assert!(bench.shows("quick is no poll rate"));
}

#[test]
fn a_device_of_a_thousand_controls_and_a_long_name_fits_every_bench() {
    let controls: Vec<String> = (0..1000)
        .map(|n| match n % 2 {
            0 => format!(r#"{{"code":"b{n}","kind":"button"}}"#),
            _ => format!(r#"{{"code":"a{n}","kind":"axis","min":5,"centre":5,"max":5}}"#),
        })
        .collect();
    let name = "n".repeat(10_000);
    let text = format!(
        "{{\"take\":1}}\n{{\"t\":0,\"plug\":\"x\",\"kind\":\"other\",\"name\":\"{name}\",\"identity\":\"{name}\",\"controls\":[{}]}}\n{{\"t\":9000000,\"on\":\"x\",\"c\":\"a1\",\"v\":-7}}\n{{\"t\":0,\"plug\":\"none\",\"kind\":\"pad\",\"controls\":[]}}\n",
        controls.join(",")
    );
    let mut bench = Bench::opened(&text);
    for key in ['1', '2', '3', '4', '2'] {
        bench.keys(&key.to_string());
        assert!(bench.rows().iter().all(|row| row.chars().count() == 160));
    }
    assert!(bench.shows("word 1 of 16"));
    assert!(bench.shows("nnnn…"));
    bench.key(KeyCode::Tab);
    assert!(bench.shows("2 of 2, Tab: next"));
}

/// The story of the drifting hook, on the stick bench, with this rig in a file.
fn tuning(text: &str) -> (tempfile::TempDir, std::path::PathBuf, Bench) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("rig.toml");
    std::fs::write(&path, text).unwrap();
    let rig = files::rig(Some(&path), None).unwrap();
    let mut app = App::take(files::shipped_take(Story::Drift, rig).unwrap(), Theme::new(true));
    app.follow_rig(Some(files::RigSource::of(Some(&path), None).unwrap()));
    let mut bench = Bench::new(app, Nanos(0), (160, 47));
    bench.keys("5");
    (folder, path, bench)
}

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

const HOIST: &str = "# The hoist.\nrig = 1\n[action.hoist]\ngives = \"axis\"\nfrom = { axis = \"pad/stick-r-y\", dead-zone = 0.12 } # measured\n";

#[test]
fn a_nudge_runs_the_history_again_and_says_what_is_different() {
    let (_folder, _, mut bench) = tuning(HOIST);
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
    let (_folder, _, mut bench) = tuning(HOIST);
    assert!(bench.row(" TAKE ").contains("≠ recorded by Kestrel Quay: : rig"));
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
    let (_folder, _, mut bench) = tuning(HOIST);
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
    let (_folder, _, mut bench) = tuning(HOIST);
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
    let (_folder, _, mut bench) = tuning(HOIST);
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
    let (_folder, path, mut bench) = tuning(HOIST);
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

#[test]
fn the_main_device_is_marked_and_follows_the_hand() {
    let mut bench = Bench::live((160, 52));
    // A moment at which nobody in the cab does anything.
    bench.pass(750);
    // The terminal's keys are captured, and used: they are the main device now.
    bench.keys("c");
    bench.key(KeyCode::Char('h'));
    bench.pass(100);
    assert!(bench.shows("◉ keys·2"), "{}", bench.rows()[1]);
    // Deaf again, they cannot be.
    bench.key_with(KeyCode::Char('g'), KeyModifiers::CONTROL, KeyEventKind::Press);
    bench.pass(100);
    assert!(bench.shows("◌ keys·2") && bench.rows()[1].contains('◉'), "{}", bench.rows()[1]);
}

#[test]
fn a_stick_is_measured_and_the_rig_follows() {
    let mut bench = Bench::story(Story::Rim);
    bench.keys("7");
    wait_until(&mut bench, |bench| bench.shows("centre") && bench.shows("+0.0310 -0.0181"));
    assert!(bench.shows("all 72 directions, 8.0 % out of round"));
    assert!(bench.row("past the centre").contains("(4 releases)"));
    assert!(bench.row("snap-back zone").contains("0.15 would hold it"));
    // Calibrated, rest is 0, and the dead zone need not hold its offset.
    bench.keys("p");
    assert!(bench.shows("calibrated and set to what was measured"));
    bench.keys("5");
    let row = bench.row("  1: dead-zone");
    assert!(row.contains(" 0.03 ") && row.contains("was 0.12"), "{row}");
    assert!(bench.row("calibrate-x rest").contains(" 1015 "));
    bench.keys("u");
    assert!(!bench.shows("calibrate-x") && bench.row("▸ 1: dead-zone").contains("0.12"));
    // The hoist's stick never moved.
    bench.keys("7:lane hoist");
    bench.key(KeyCode::Enter);
    // Nor may it be set to what another stick was measured to do.
    bench.keys("p");
    assert!(bench.shows("this stick is not measured yet"));
    wait_until(&mut bench, |bench| bench.shows("▷ it never reported anything: move it"));
}

#[test]
fn a_trigger_that_is_a_button_shows_its_thresholds() {
    let mut bench = Bench::live((160, 52));
    bench.keys("5/trigger");
    bench.key(KeyCode::Enter);
    assert!(bench.shows("pad·1 trigger-r reported"), "{}", bench.rows().join("\n"));
    assert!(bench.shows("on at 0.60 off below 0.40") && bench.shows("press-at"));
}

#[test]
fn the_stick_of_another_device_can_be_laid_over() {
    let mut bench = Bench::live((160, 52));
    bench.keys("5l");
    assert!(bench.shows("reported ◌ pad·2 stick-l"), "{}", bench.rows()[3]);
    bench.keys("l");
    assert!(bench.shows("reported ◌ pad·1 stick-r"));
    bench.keys("ll");
    assert!(bench.shows("pad·1 stick-l reported"));
}

#[test]
fn the_yard_shows_the_right_way_beside_a_mistake() {
    let mut bench = Bench::live((160, 52));
    bench.keys("8");
    bench.pass(2_000);
    assert!(bench.shows("mistake: speed per frame"), "{}", bench.rows().join("\n"));
    // At 60 Hz a speed per frame that was tuned at 30 Hz is twice the right one.
    let speeds = |bench: &Bench| -> Vec<f32> {
        let row = bench.row("hook ");
        row.split_whitespace().filter_map(|word| word.parse().ok()).collect()
    };
    assert_eq!(speeds(&bench).len(), 2, "{}", bench.row("hook "));
    bench.keys("y");
    bench.pass(100);
    assert!(bench.shows("mistake: diagonal not clamped") && bench.shows("hooks "));
    bench.keys("Y>>");
    let row = bench.row("▸ slew speed");
    assert!(row.contains(" 17 was 16") && row.contains("units/s"), "{row}");
    bench.pass(100);
    assert!(bench.shows("mistake: speed per frame") && bench.shows("m apart"));
}

#[test]
fn a_rig_without_a_yard_says_so() {
    let (_folder, _, mut bench) = tuning(HOIST);
    bench.keys("8");
    assert!(bench.shows("the rig has no [yard]"));
}

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

/// A live session with the shipped rig and no device at all.
fn bare() -> Bench {
    let session = Session::new(files::rig(None, None).unwrap(), Tick(0), Capacity::DEFAULT);
    let app = App::live(session, Vec::new(), None, Theme::new(true));
    let mut bench = Bench::new(app, Nanos::from_millis(100), (160, 47));
    bench.keys("9");
    bench
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

#[test]
fn a_damaged_take_opens_and_says_where_it_stops() {
    let text = "{\"take\":1}\n{\"t\":0,\"plug\":\"p\",\"kind\":\"keys\",\"controls\":[]}\nbroken\n";
    let bench = Bench::opened(text);
    assert!(bench.shows("line 3, column 1: expected value"));
}

#[test]
fn a_device_is_named_on_its_bench() {
    let wide = ControlKind::Axis { min: 0, centre: 128, max: 255 };
    let controls = [("button-1", ControlKind::Button), ("z", wide)];
    let rig = files::rig(None, None).unwrap();
    let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
    let info = DeviceInfo {
        identity: "0003:6b71:0009:0100:here:Quay board".into(),
        kind: DeviceKind::Other,
        name: CleanText::new("Quay board"),
        bus: CleanText::default(),
        slot: None,
        controls: controls.map(|(code, kind)| ControlInfo::new(code, kind)).into(),
    };
    let board = session.plug(info, Nanos(0)).unwrap();
    let controls: Vec<_> = session.roster().device(board).controls().collect();
    let app = App::live(session, Vec::new(), None, Theme::new(true));
    let mut bench = Bench::new(app, Nanos(0), (160, 47));
    let say = |bench: &mut Bench, at: usize, value: i32| {
        bench.pass(50);
        let event = gtrig_core::Event::new(bench.now, controls[at], value);
        bench.app.document.session.report(event);
        bench.pass(50);
    };
    bench.keys("i");
    assert!(bench.shows("leave all of it alone, and press Enter"));
    bench.key(KeyCode::Enter);
    assert!(bench.shows("press the lowest of the four buttons under the right thumb"));
    say(&mut bench, 0, 1);
    assert!(bench.row("moving").contains("button-1"));
    say(&mut bench, 0, 0);
    assert!(bench.shows("south is button-1"));
    // On to the left stick: pushed to the right, the axis goes down.
    while !bench.shows("push the left stick all the way to the right") {
        bench.key(KeyCode::Right);
    }
    say(&mut bench, 1, 0);
    say(&mut bench, 1, 128);
    assert!(bench.shows("stick-l-x is z"));
    bench.key(KeyCode::Esc);
    assert!(bench.shows("write the names to the map"));
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("board.toml");
    bench.key_with(KeyCode::Char('u'), KeyModifiers::CONTROL, KeyEventKind::Press);
    bench.keys(path.to_str().unwrap());
    bench.key(KeyCode::Enter);
    let written = std::fs::read_to_string(&path).unwrap();
    assert!(written.contains(r#"south = { from = "button-1" }"#), "{written}");
    assert!(written.contains("min = 255, rest = 128, max = 0"), "{written}");
    assert!(bench.shows("the device goes by"));
}

#[test]
fn bytes_are_seen_bit_by_bit() {
    let mut bench = Bench::pendant();
    bench.keys("B");
    // The hoist is at rest, and its counter goes on above it.
    let row = bench.row("3:4");
    assert!(row.contains("counter 4-7, by 1"), "{row}");
    assert!(bench.row("3:6").contains("noise 60 to 64"));
    assert!(bench.row("3:1").contains("8 buttons, none on"));
    // While the horn sounds its bit is lit, and its button is named.
    for _ in 0..141 {
        bench.key(KeyCode::Left);
    }
    let row = bench.row("3:1");
    assert!(row.contains("0000 0001") && row.contains("on: 0 button-1"), "{row}");
    bench.keys("F");
    assert!(bench.shows("bits to name"));
    bench.key(KeyCode::Enter);
    assert!(bench.shows("bits and their name"), "what is proposed has no name yet");
}

#[test]
fn an_empty_session_is_no_reason_to_panic() {
    let rig = files::rig(None, None).unwrap();
    let session = Session::new(rig, Tick(0), Capacity::DEFAULT);
    let mut bench =
        Bench::new(App::live(session, Vec::new(), None, Theme::new(true)), Nanos(0), (80, 24));
    for key in "][ mnN-+f2c?".chars() {
        bench.keys(&key.to_string());
    }
    for code in [KeyCode::Home, KeyCode::End, KeyCode::Tab, KeyCode::PageDown, KeyCode::Up] {
        bench.key(code);
    }
    bench.pass(500);
}

/// As many lines as `gtrig tail` prints; Tab goes from one to the next of another tick, a
/// click to that which is under it, and the words that are typed choose some.
#[test]
fn the_log_says_what_happened_and_goes_from_line_to_line() {
    let mut bench = Bench::story(Story::Hasty);
    bench.keys("T");
    let mut count = 0;
    let session = bench.app.session();
    session.replay(|machine| log::of_tick(session, machine, |_| count += 1));
    while !bench.app.logbook.is_up_to_date(bench.app.session()) {
        bench.pass(33);
    }
    assert!(count > 100 && bench.app.logbook.len() == count, "{count}");
    bench.key(KeyCode::Home);
    let first = bench.app.tick();
    for _ in 0..20 {
        let before = bench.app.tick();
        bench.key(KeyCode::Tab);
        assert!(bench.app.tick() >= before);
    }
    assert!(bench.app.tick() > first);
    let here = bench.rows().iter().position(|row| row.starts_with(" ▸")).unwrap();
    let (clicked, before) = (here as u16 - 1, bench.app.tick());
    bench.mouse(MouseEventKind::Down(MouseButton::Left), 20, clicked);
    assert!(bench.app.tick() <= before);
    assert!(bench.rows().iter().any(|row| row.starts_with(" ▸")));
    bench.keys("/combo fired");
    bench.key(KeyCode::Enter);
    let shown = (0..bench.app.logbook.len()).map(|at| bench.app.logbook.entry(at).unwrap());
    let shown: Vec<_> = shown.collect();
    assert!((1..20).contains(&shown.len()), "{}", shown.len());
    assert!(shown.iter().all(|entry| matches!(entry.what, log::Happening::Combo(_))));
    bench.key(KeyCode::Esc);
    assert_eq!(bench.app.logbook.len(), count);
}

/// A line is shown when each of the words stands in it, wherever.
#[rstest]
#[case::kind("REPORT")]
#[case::device("report PAD2/")]
#[case::value("-l-x 1")]
#[case::what_came_of_it("south press")]
#[case::name_and_state("by on")]
#[case::the_same_twice("on on")]
#[case::not_one("report press")]
fn the_log_is_filtered_by_the_words_of_its_lines(#[case] words: &str) {
    let bench = Bench::story(Story::Hasty);
    let (session, filter) = (bench.app.session(), LogFilter::new(words));
    let (mut sieve, mut passed, mut count) = (filter.of(session), 0, 0);
    session.replay(|machine| {
        log::of_tick(session, machine, |entry| {
            let LogLine { kind, of, says, .. } = LogLine::new(session, &entry);
            let line = format!("{kind} {of} {says}").to_lowercase();
            let has_all = words.to_lowercase().split(' ').all(|word| line.contains(word));
            assert_eq!(sieve.passes(&entry), has_all, "{line}");
            passed += usize::from(has_all);
            count += 1;
        });
    });
    assert!(passed < count && (passed > 0) == (words != "report press"), "{passed} of {count}");
}

/// A device that comes before any tick is due is drawn all the same.
#[test]
fn what_comes_with_the_first_frame_is_drawn() {
    struct Early(Option<DeviceInfo>);
    impl Source for Early {
        fn drain(&mut self, session: &mut Session, now: Nanos) {
            if let Some(device) = self.0.take() {
                session.plug_in_batch(device, now).unwrap();
            }
        }
    }
    let kind = ControlKind::Axis { min: -1, centre: 0, max: 1 };
    let device = DeviceInfo {
        identity: "early".into(),
        kind: DeviceKind::Pad,
        name: CleanText::new("early"),
        bus: CleanText::new(""),
        slot: None,
        controls: vec![ControlInfo::new("stick-l-x", kind)],
    };
    let session = Session::new(files::rig(None, None).unwrap(), Tick(0), Capacity::DEFAULT);
    let sources: Vec<Box<dyn Source>> = vec![Box::new(Early(Some(device)))];
    let app = App::live(session, sources, None, Theme::new(true));
    let bench = Bench::new(app, Nanos(1_000_000), (160, 47));
    assert!(bench.rows().iter().any(|row| row.contains("pad·1")));
}

/// Programs that send, as a source says.
struct Sending(Vec<SenderState>);

impl Source for Sending {
    fn drain(&mut self, _: &mut Session, _: Nanos) {
        // They say more each time.
        self.0.iter_mut().for_each(|sender| sender.lines += 100);
    }

    fn senders(&self) -> Vec<SenderState> {
        self.0.clone()
    }
}

fn sender(name: &str, state: SenderIs) -> SenderState {
    SenderState {
        name: name.to_owned(),
        place: "unix:/tmp/s".to_owned(),
        state,
        came: 1,
        lines: 0,
        faults: 0,
        missed: 0,
        waiting: 0,
        slowed: 0,
        latency: Nanos(2_500_000),
        clock: None,
        is_our_clock: true,
        delay: Nanos(0),
    }
}

fn bench_of(senders: Vec<SenderState>, size: (u16, u16)) -> Bench {
    let session = Session::new(files::rig(None, None).unwrap(), Tick(0), Capacity::DEFAULT);
    let sources: Vec<Box<dyn Source>> = vec![Box::new(Sending(senders))];
    let mut bench = Bench::new(App::live(session, sources, None, Theme::new(true)), Nanos(0), size);
    bench.keys("4");
    (0..8).for_each(|_| bench.pass(250));
    bench
}

/// A row each: how it is, how it does, how its clock is known; Tab chooses what is drawn.
#[test]
fn each_sender_is_told_in_a_row() {
    let reading = ClockReading {
        offset_ns: 5,
        drift_ppm: 12.34,
        uncertainty: Some(Nanos(120_000)),
        jumps: 0,
    };
    let far = SenderState {
        is_our_clock: false,
        clock: Some(reading),
        missed: 7,
        ..sender("far-tool", SenderIs::Here)
    };
    let mut bench = bench_of(vec![sender("crane-game", SenderIs::Lost), far], (160, 47));
    let rows = bench.rows();
    let row = |name: &str| rows.iter().find(|row| row.contains(name)).unwrap().clone();
    let (crane, far) = (row("crane-game"), row("far-tool"));
    for part in ["○ gone", "400", "2.50", "this machine's"] {
        assert!(crane.contains(part), "{part}: {crane}");
    }
    for part in ["● here", "7", "± 0.12 ms, +12.3 ppm"] {
        assert!(far.contains(part), "{part}: {far}");
    }
    assert!(rows.iter().any(|row| row.contains("Tab: ms late")));
    bench.key(KeyCode::Tab);
    assert!(bench.rows().iter().any(|row| row.contains("Tab: lost")));
}

#[test]
fn sixty_four_senders_can_be_read_at_once() {
    let senders = (0..64).map(|n| sender(&format!("cab-{n:02}"), SenderIs::Here)).collect();
    let bench = bench_of(senders, (160, 47));
    let text = bench.rows().join("\n");
    for n in 0..64 {
        assert!(text.contains(&format!("● cab-{n:02}")), "cab-{n:02}\n{text}");
    }
}
