use super::*;
use crossterm::event::{KeyCode, KeyEventState, KeyModifiers};
use gtrig_analysis::Capacity;
use gtrig_core::{ControlState, Edge, LaneMarks, PollRate, Rig, Tick};
use rstest::rstest;

struct Desk {
    session: Session,
    terminal: Terminal,
}

impl Desk {
    fn new(how: TerminalKeys) -> Self {
        let rig = Rig::bare("bare", PollRate::DEFAULT);
        let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
        let mut terminal = Terminal::plug(&mut session, how, (80, 24), Nanos(0)).unwrap();
        terminal.listen(&mut session, true, Nanos(0));
        Desk { session, terminal }
    }

    fn inferring() -> Self {
        Desk::new(TerminalKeys::Inferred(Nanos::from_millis(150)))
    }

    fn key(&mut self, c: char, kind: KeyEventKind, ms: u64) {
        let key = KeyEvent::new_with_kind(KeyCode::Char(c), KeyModifiers::NONE, kind);
        self.terminal.key(&mut self.session, &key, Nanos::from_millis(ms));
    }

    fn at(&mut self, ms: u64, device: &str, code: &str) -> ControlState {
        let now = Nanos::from_millis(ms);
        self.terminal.drain(&mut self.session, now);
        let tick = self.session.plan().rate().tick_at(now);
        self.session.run_until(tick);
        let roster = self.session.roster();
        let found = roster.devices().find(|(_, d)| d.address().to_string() == device);
        *self.session.now().control(found.unwrap().1.control(code).unwrap())
    }
}

#[test]
fn reported_keys_are_as_reported() {
    let mut desk = Desk::new(TerminalKeys::Reported);
    desk.key('h', KeyEventKind::Press, 10);
    assert!(desk.at(900, "keys", "KeyH").is_down(), "a reported key is held until its release");
    desk.key('h', KeyEventKind::Repeat, 910);
    desk.key('h', KeyEventKind::Release, 950);
    let cell = desk.at(960, "keys", "KeyH");
    assert!(!cell.is_down());
    assert!(!cell.marks.contains(LaneMarks::INFERRED));
}

#[test]
fn what_was_held_when_the_program_stood_still_is_released_and_what_follows_at_once_is_late() {
    let mut desk = Desk::new(TerminalKeys::Reported);
    desk.key('h', KeyEventKind::Press, 10);
    assert!(desk.at(50, "keys", "KeyH").is_down());
    let (from, to) = (Nanos::from_millis(60), Nanos::from_millis(5_000));
    desk.terminal.stood_still(&mut desk.session, from, to);
    desk.key('h', KeyEventKind::Release, 5_001);
    desk.key('j', KeyEventKind::Press, 5_002);
    desk.key('k', KeyEventKind::Press, 5_100);
    assert!(!desk.at(100, "keys", "KeyH").is_down(), "it was held no longer");
    let late = |cell: ControlState| cell.is_down() && cell.marks.contains(LaneMarks::LATE);
    assert!(late(desk.at(5_020, "keys", "KeyJ")));
    let typed = desk.at(5_110, "keys", "KeyK");
    assert!(typed.is_down() && !typed.marks.contains(LaneMarks::LATE));
}

#[test]
fn a_missing_release_is_inferred_and_marked() {
    let mut desk = Desk::inferring();
    desk.key('h', KeyEventKind::Press, 10);
    assert!(desk.at(150, "keys", "KeyH").is_down());
    let cell = desk.at(167, "keys", "KeyH");
    assert!(!cell.is_down());
    assert!(cell.marks.contains(LaneMarks::INFERRED));
}

#[test]
fn presses_of_a_key_that_is_down_are_repeats_and_keep_it_down() {
    let mut desk = Desk::inferring();
    for ms in [10, 100, 190, 280] {
        desk.key('h', KeyEventKind::Press, ms);
        assert!(desk.at(ms + 20, "keys", "KeyH").is_down());
    }
    let roster = desk.session.roster();
    let (_, keys) = roster.devices().next().unwrap();
    let lane = desk.session.history().control_lane(keys.control("KeyH").unwrap());
    assert_eq!(lane.len(), 1, "one press and no more edges");
}

#[test]
fn losing_the_focus_releases_everything() {
    let mut desk = Desk::new(TerminalKeys::Reported);
    desk.key('h', KeyEventKind::Press, 10);
    assert!(desk.at(100, "keys", "KeyH").is_down());
    desk.terminal.listen(&mut desk.session, false, Nanos::from_millis(110));
    let cell = desk.at(117, "keys", "KeyH");
    assert!(!cell.is_down());
    assert!(cell.marks.contains(LaneMarks::SYNTHETIC));
    desk.key('h', KeyEventKind::Press, 130);
    assert!(!desk.at(200, "keys", "KeyH").is_down(), "a deaf device hears nothing");
}

#[test]
fn a_click_reports_its_place_and_the_wheel_its_counts() {
    let mut desk = Desk::inferring();
    let mouse = |kind| MouseEvent { kind, column: 79, row: 12, modifiers: KeyModifiers::NONE };
    for kind in [
        MouseEventKind::Down(MouseButton::Left),
        MouseEventKind::ScrollDown,
        MouseEventKind::ScrollDown,
    ] {
        desk.terminal.mouse(&mut desk.session, &mouse(kind), Nanos::from_millis(5));
    }
    assert!(desk.at(17, "mouse", "left").is_down());
    assert_eq!(desk.at(17, "mouse", "wheel-y").seen, 2);
    assert_eq!(desk.at(17, "mouse", "x").value, 1.0);
}

/// It has a place from its first report on, until nothing can be heard of it.
#[test]
fn a_mouse_is_in_range_while_it_has_a_place() {
    let mut desk = Desk::inferring();
    let moved = MouseEvent {
        kind: MouseEventKind::Moved,
        column: 3,
        row: 2,
        modifiers: KeyModifiers::NONE,
    };
    assert!(!desk.at(17, "mouse", "in-range").is_down());
    for ms in [20, 25] {
        desk.terminal.mouse(&mut desk.session, &moved, Nanos::from_millis(ms));
    }
    assert_eq!(desk.at(34, "mouse", "in-range").edge(), Some(Edge::Press));
    desk.terminal.listen(&mut desk.session, false, Nanos::from_millis(40));
    assert!(!desk.at(51, "mouse", "in-range").is_down());
    desk.terminal.listen(&mut desk.session, true, Nanos::from_millis(60));
    assert!(!desk.at(68, "mouse", "in-range").is_down(), "where it is now is not known");
    desk.terminal.mouse(&mut desk.session, &moved, Nanos::from_millis(70));
    assert!(desk.at(85, "mouse", "in-range").is_down());
}

#[rstest]
#[case(KeyCode::Char('H'), KeyEventState::NONE, Some("KeyH"))]
#[case(KeyCode::Char('?'), KeyEventState::NONE, Some("Slash"))]
#[case(KeyCode::Char('('), KeyEventState::NONE, Some("Digit9"))]
#[case(KeyCode::Char('5'), KeyEventState::KEYPAD, Some("Numpad5"))]
#[case(KeyCode::Enter, KeyEventState::KEYPAD, Some("NumpadEnter"))]
#[case(KeyCode::F(12), KeyEventState::NONE, Some("F12"))]
#[case(KeyCode::F(0), KeyEventState::NONE, None)]
#[case(
    KeyCode::Modifier(crossterm::event::ModifierKeyCode::RightShift),
    KeyEventState::NONE,
    Some("ShiftRight")
)]
#[case(KeyCode::Char('é'), KeyEventState::NONE, None)]
fn keys_have_codes(
    #[case] code: KeyCode,
    #[case] state: KeyEventState,
    #[case] expected: Option<&str>,
) {
    let key = KeyEvent { state, ..KeyEvent::new(code, KeyModifiers::NONE) };
    assert_eq!(code_of(&key), expected);
    assert!(expected.is_none_or(|code| vocabulary::KEYS.contains(&code)));
}
