use super::*;
use crate::base::{ControlId, DeviceId, Nanos};
use crate::device::{Control, ControlKind, Event, Marks};
use crate::sample::SampledControl;
use crate::spec::EdgeSettings;
use rstest::rstest;
use std::{string::String, vec::Vec};

fn of_kind(kind: ControlKind, edges: EdgeSettings) -> SampledControl {
    SampledControl::with(Control { device: DeviceId(0), kind, is_presence: false }, edges)
}

fn button(latched: bool, debounce: Nanos) -> SampledControl {
    let edges = EdgeSettings { latched, debounce, ..EdgeSettings::DEFAULT };
    of_kind(ControlKind::Button, edges)
}

fn event(ms: u64, value: i32, marks: Marks) -> Event {
    Event { time: Nanos::from_millis(ms), value, control: ControlId(0), marks }
}

fn let_through(cell: &mut ControlState, how: &SampledControl, ms: u64) {
    if cell.held_until().is_some_and(|time| time <= Nanos::from_millis(ms)) {
        cell.let_through(how.edges.debounce);
    }
}

/// Runs ticks, ten milliseconds each, written as the events between polls
/// (`d` down, `u` up, `r` repeat, a millisecond apart) and returns what each
/// poll saw: `_` up, `#` down, then `!` for each lost press.
fn run(ticks: &str, how: &SampledControl) -> (String, u32) {
    let mut cell = ControlState::at_rest(ControlKind::Button);
    let mut seen = Vec::new();
    for (tick, events) in (0..).zip(ticks.split('|')) {
        cell.age();
        for (ms, c) in (10 * tick + 1..).zip(events.chars()) {
            let (value, marks) = match c {
                'd' => (1, Marks::empty()),
                'u' => (0, Marks::empty()),
                '.' => continue,
                _ => (1, Marks::REPEAT),
            };
            let_through(&mut cell, how, ms);
            cell.receive(how, &[], &event(ms, value, marks));
        }
        let_through(&mut cell, how, 10 * (tick + 1));
        let lost = cell.sample(how);
        let state = if cell.is_down() { "#" } else { "_" };
        seen.push(String::from(state) + &"!".repeat(lost.into()));
    }
    (seen.join("|"), cell.chatter())
}

fn polls(ticks: &str, latched: bool) -> String {
    run(ticks, &button(latched, Nanos(0))).0
}

#[rstest]
#[case::bounce_is_one_press("dudud|..|u", 5, "#|#|_", 2)]
#[case::bounce_on_release("d|.|ududu|.", 5, "#|#|_|_", 2)]
#[case::short_tap_is_let_through_late("du||", 5, "_!|_|_", 0)]
#[case::tap_longer_than_the_debounce("d...u||", 3, "_!|_|_", 0)]
#[case::press_held_back_counts_when_time_is_over("d|ud|", 15, "#|#|#", 1)]
#[case::release_held_back_over_a_tick("d|u||", 25, "#|#|_|_", 0)]
#[case::without_debounce("dudud||u", 0, "#!!|#|_", 0)]
fn debounce(#[case] events: &str, #[case] ms: u64, #[case] seen: &str, #[case] chatter: u32) {
    let how = button(false, Nanos::from_millis(ms));
    assert_eq!(run(events, &how), (seen.into(), chatter));
}

#[test]
fn auto_repeat_counts_as_a_press_only_where_the_rig_says_so() {
    for repeats_press in [false, true] {
        let mut how = button(false, Nanos(0));
        how.edges.repeats_press = repeats_press;
        let mut cell = ControlState::at_rest(ControlKind::Button);
        cell.receive(&how, &[], &event(1, 1, Marks::empty()));
        cell.sample(&how);
        cell.age();
        cell.receive(&how, &[], &event(20, 1, Marks::REPEAT));
        cell.sample(&how);
        assert_eq!((cell.edge(), cell.is_pressed()), (None, repeats_press));
    }
}

#[rstest]
#[case::press_and_release("|d||u|", "_|#|#|_|_")]
#[case::tap_between_polls("|du||", "_|_!|_|_")]
#[case::release_between_polls("d|ud|u", "#|#!|_")]
#[case::bounce_on_press("dud||u", "#!|#|_")]
#[case::bounce_on_release("d|udu|", "#|_!|_")]
#[case::two_taps_between_polls("dudu|", "_!!|_")]
#[case::auto_repeat_is_no_press("d|r|r|u|r", "#|#|#|_|_")]
#[case::pressed_twice_without_release("dd|u", "#|_")]
fn state_sampling(#[case] events: &str, #[case] seen: &str) {
    assert_eq!(polls(events, false), seen);
}

#[rstest]
#[case::tap_is_caught_and_falls_back("|du||", "_|#|_|_")]
#[case::release_is_caught_and_comes_back("d|ud||u", "#|_|#|_")]
#[case::two_taps_are_one("dudu|", "#!|_")]
#[case::taps_in_a_row("du|du|du|", "#|_!|#|_")]
#[case::plain_press("d||u", "#|#|_")]
fn latched_sampling(#[case] events: &str, #[case] seen: &str) {
    assert_eq!(polls(events, true), seen);
}

#[test]
fn relative_counts_are_summed_per_tick_and_then_gone() {
    let how = of_kind(ControlKind::Relative, EdgeSettings::DEFAULT);
    let mut cell = ControlState::at_rest(ControlKind::Relative);
    cell.receive(&how, &[], &event(1, 2, Marks::empty()));
    cell.receive(&how, &[], &event(2, -5, Marks::empty()));
    cell.sample(&how);
    assert_eq!(cell.seen, -3);
    assert!(cell.age(), "the count must be cleared on the next tick");
    cell.sample(&how);
    assert_eq!(cell.seen, 0);
}
