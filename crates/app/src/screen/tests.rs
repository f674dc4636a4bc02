//! The full screen without a terminal: keys in, rows of text out.

mod arranging;

mod board;

mod figures;

mod finding;

mod fitting;

mod game;

mod inviting;

mod logging;

mod measuring;

mod naming;

mod pointing;

mod reading;

mod room;

mod sending;

mod timeline;

mod touching;

mod tour;

mod tuning;

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
        Bench::opened_with(files::rig(None, None).unwrap(), text)
    }

    /// The same with a rig.
    fn opened_with(rig: gtrig_core::Rig, text: &str) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("t.take.jsonl");
        std::fs::write(&path, text).unwrap();
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

    /// Time goes by, and the program looks as often as its loop does.
    fn pass(&mut self, ms: u64) {
        const LOOK: u64 = 33_000_000;
        let until = self.now.0 + ms * 1_000_000;
        loop {
            self.now = Nanos(until.min(self.now.0 + LOOK));
            self.app.advance(self.now);
            if self.now.0 == until {
                break;
            }
        }
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

/// The story of the drifting hook, on the stick bench, with this rig in a file.
fn tuned(text: &str) -> (tempfile::TempDir, std::path::PathBuf, Bench) {
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

const HOIST: &str = "# The hoist.\nrig = 1\n[action.hoist]\ngives = \"axis\"\nfrom = { axis = \"pad/stick-r-y\", dead-zone = 0.12 } # measured\n";

/// A live session with the shipped rig and no device at all.
fn bare() -> Bench {
    bare_of((160, 47))
}

/// The same on a screen of this size.
fn bare_of(size: (u16, u16)) -> Bench {
    let session = Session::new(files::rig(None, None).unwrap(), Tick(0), Capacity::DEFAULT);
    let app = App::live(session, Vec::new(), None, Theme::new(true));
    let mut bench = Bench::new(app, Nanos::from_millis(100), size);
    bench.keys("9");
    bench
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
