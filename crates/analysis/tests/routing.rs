//! Modes, and what combos do to actions.

mod common;

use common::{
    action, button,
    presses::{Keys, Tap, rig_of},
    reference,
};
use gtrig_analysis::{Capacity, Session, ladder::ComboAttemptOutcome};
use gtrig_core::*;
use rstest::rstest;
use std::ops::Range;

fn mode_set(mode: u8) -> ModeSet {
    ModeSet::EMPTY.with(ModeId(mode))
}

fn press(of: u16, within: u64) -> ComboStep {
    ComboStep::new(StepKind::press(SignalId(of)), TimeSpan::millis(within))
}

fn tap(button: u16, at: u64, lasts: u64) -> Tap {
    Tap { button, at, lasts }
}

fn mode(name: &str, enter: Option<usize>, leave: Option<usize>, freezes: bool) -> Mode {
    let [enter, leave] = [enter, leave].map(|place: Option<usize>| place.map(ActionId::at));
    Mode { name: name.to_owned(), enter, leave, freezes }
}

/// Key 0 enters the second mode and leaves it again; key 1 is read in the first mode
/// only, by an action and by a combo.
fn two_modes(freezes: bool) -> Rig {
    let combo =
        Combo { modes: mode_set(0), ..Combo::new("double", vec![press(1, 0), press(1, 200)]) };
    let mut rig = rig_of(vec![combo]);
    let mut enter = action("enter", Gives::Pulse, vec![button("keys/KeyW")]);
    let mut leave = enter.clone();
    (enter.modes, leave.modes) = (mode_set(0), mode_set(1));
    let mut horn = action("horn", Gives::On, vec![button("keys/KeyA")]);
    horn.modes = mode_set(0);
    rig.actions = vec![enter, leave, horn];
    rig.modes = vec![mode("driving", None, None, false), mode("menu", Some(0), Some(1), freezes)];
    rig
}

/// The ticks at which an action was on.
fn on(keys: &Keys, action: u16) -> Vec<u32> {
    let lane = &keys.session.history().action_lanes(ActionId(action))[0];
    (0..1500).filter(|&tick| lane.value_at(Tick(tick)) != 0.0).collect()
}

fn met(keys: &Keys) -> Vec<u64> {
    keys.session.history().combo_news().iter().map(|n| n.met.time.0 / 1_000_000).collect()
}

#[test]
fn a_mode_closes_what_is_not_open_in_it_until_it_is_let_go() {
    let taps = [tap(1, 90, 30), tap(0, 100, 10), tap(1, 130, 150), tap(0, 200, 10), tap(1, 300, 9)];
    let keys = Keys::run(two_modes(false), &taps);
    // Held from 90 on; the menu counts from tick 101 on. What was pressed in the menu
    // must be let go after it.
    let expected: Vec<u32> = (90..101).chain(300..309).collect();
    assert_eq!(on(&keys, 2), expected);
    assert_eq!(keys.session.now().modes(), [ModeId(0)]);
}

/// One key hands the action over to the other after the mode was left.
#[test]
fn an_action_that_stays_on_enters_its_mode_once() {
    let keys = ["keys/KeyW", "keys/KeyA"].map(button).to_vec();
    let mut rig = rig_of(Vec::new());
    rig.actions = vec![
        action("enter", Gives::On, keys),
        action("leave", Gives::Pulse, vec![button("keys/KeyS")]),
    ];
    rig.modes = vec![mode("driving", None, None, false), mode("menu", Some(0), Some(1), false)];
    let taps = [tap(0, 100, 250), tap(2, 200, 10), tap(1, 300, 200)];
    let keys = Keys::run(rig, &taps);
    assert_eq!(on(&keys, 0), (100..500).collect::<Vec<_>>());
    assert_eq!(keys.session.now().modes(), [ModeId(0)]);
}

/// A key is held while the menu comes and goes, and let go in it or after it. Its time counts
/// outside of the menu alone: it is held for 50 ms before, and 250 ms after.
#[rstest]
#[case::in_the_menu(250, false)]
#[case::after_it(650, true)]
fn what_is_let_go_while_the_clock_stands_still_is_held_no_more(
    #[case] until: u64,
    #[case] fires: bool,
) {
    let span = TimeSpan::millis(200);
    let mut rig = two_modes(true);
    rig.combos[0].steps = vec![ComboStep::new(StepKind::hold(SignalId(1), span), span)];
    let keys = Keys::run(rig, &[tap(1, 50, until - 50), tap(0, 100, 10), tap(0, 400, 10)]);
    assert_eq!(met(&keys), [250].repeat(usize::from(fires)));
    let ladder = keys.ladder(ComboId(0));
    let margin = ladder.attempts()[0].checks[0].margin / 1_000_000;
    assert_eq!((ladder.attempts().len(), margin), (1, if fires { 100 } else { -150 }));
}

/// A quiet that is over at the tick at which the menu comes is over before it.
#[test]
fn what_is_over_at_the_tick_of_a_switch_is_met() {
    let mut rig = two_modes(false);
    let quiet = ComboStep::new(StepKind::Quiet(TimeSpan::millis(50)), TimeSpan::millis(0));
    rig.combos[0].steps = vec![press(1, 0), quiet];
    // The poll at 100 ms sees what was pressed 5 ms before.
    rig.rate = PollRate::DEFAULT;
    let keys = Keys::run(rig, &[tap(1, 50, 30), tap(0, 95, 30)]);
    assert_eq!(met(&keys), [100]);
    assert_eq!(keys.ladder(ComboId(0)).attempts()[0].outcome, ComboAttemptOutcome::Met);
}

/// A tick is no whole number of nanoseconds; a clock that stood still for many is not late. The
/// menu comes and goes, and the key is pressed, at every third of a tick.
#[rstest]
fn a_clock_in_ticks_is_on_time_after_it_stood_still(
    #[values(100, 108, 116)] enters: u64,
    #[values(200, 208, 216)] leaves: u64,
    #[values(300, 308, 316)] at: u64,
) {
    let mut rig = two_modes(true);
    rig.rate = PollRate::from_hz(120.0).unwrap();
    let hold = StepKind::hold(SignalId(1), TimeSpan::millis(75));
    rig.combos[0].steps = vec![ComboStep::new(hold, TimeSpan::millis(75))];
    rig.combos[0].clock = ComboClock::Ticks;
    let pressed = rig.rate.tick_seeing(Nanos::from_millis(at));
    let keys = Keys::run(rig, &[tap(0, enters, 20), tap(0, leaves, 20), tap(1, at, 200)]);
    let news = keys.session.history().combo_news();
    let known: Vec<u32> = news.iter().map(|news| news.known.0).collect();
    assert_eq!(known, [pressed.0 + 9]);
}

/// Out of the menu into a third mode: what the first one had begun is over.
#[rstest]
#[case::back(0, &[350])]
#[case::to_another(2, &[])]
fn what_had_begun_goes_on_where_its_mode_comes_back(#[case] key: u16, #[case] fires: &[u64]) {
    let mut rig = two_modes(true);
    rig.combos[0].modes = ModeSet::ALL;
    rig.actions.push(action("park", Gives::Pulse, vec![button("keys/KeyS")]));
    rig.modes.push(mode("parked", Some(3), None, false));
    let taps = [tap(1, 50, 10), tap(0, 100, 10), tap(key, 300, 10), tap(1, 350, 10)];
    let keys = Keys::run(rig, &taps);
    let news = keys.session.history().combo_news().iter();
    let known: Vec<u64> = news.map(|news| u64::from(news.known.0)).collect();
    assert_eq!(known, fires);
}

#[rstest]
#[case::forgotten(false, &[])]
#[case::frozen(true, &[400])]
fn what_a_combo_had_begun_is_forgotten_or_waits(#[case] freezes: bool, #[case] fires: &[u64]) {
    // 100 ms before the menu and 90 ms after it, and 210 ms in it.
    let taps = [tap(1, 0, 9), tap(0, 99, 9), tap(0, 309, 9), tap(1, 400, 9)];
    let keys = Keys::run(two_modes(freezes), &taps);
    let reported: Vec<u64> = fires.iter().map(|at| at - 210).collect();
    assert_eq!(met(&keys), reported);
    // The ladder reads the same clock.
    assert_eq!(keys.ladder(ComboId(0)).attempts().len(), fires.len());
}

#[test]
fn a_combo_takes_its_buttons_from_actions_until_they_are_released() {
    let chord = StepKind::Together {
        of: vec![SignalId(0), SignalId(1)],
        spread: TimeSpan::millis(50),
        in_order: false,
    };
    let combo = Combo {
        takes: true,
        ..Combo::new("both", vec![ComboStep::new(chord, TimeSpan::millis(0))])
    };
    let mut rig = rig_of(vec![combo]);
    rig.actions = vec![
        action("one", Gives::On, vec![button("keys/KeyW")]),
        action("other", Gives::Pulse, vec![button("keys/KeyA")]),
        action("both", Gives::Pulse, vec![InputSpec::Combo(ComboId(0))]),
    ];
    let taps = [tap(0, 100, 200), tap(1, 130, 100), tap(0, 400, 5)];
    let keys = Keys::run(rig, &taps);
    assert_eq!(on(&keys, 0), (100..130).chain(400..405).collect::<Vec<_>>());
    assert_eq!((on(&keys, 1), on(&keys, 2)), (vec![], vec![130]));
}

#[test]
fn a_combo_that_lasts_is_on_until_its_last_signal_goes_off() {
    let hold =
        ComboStep::new(StepKind::hold(SignalId(0), TimeSpan::millis(50)), TimeSpan::millis(0));
    let combo = Combo { lasts: true, ..Combo::new("held", vec![hold]) };
    let mut rig = rig_of(vec![combo]);
    rig.actions = vec![action("held", Gives::On, vec![InputSpec::Combo(ComboId(0))])];
    let keys = Keys::run(rig, &[tap(0, 100, 120), tap(0, 400, 49)]);
    assert_eq!(on(&keys, 0), (150..220).collect::<Vec<_>>());
}

/// Of several names it lasts by the one that was pressed, turned around or not; of a chord by all.
#[rstest]
#[case::the_first(&[tap(0, 100, 50)], 100..150)]
#[case::the_second(&[tap(1, 100, 50), tap(0, 120, 70)], 100..190)]
#[case::turned_around(&[tap(2, 50, 200), tap(1, 100, 50)], 100..150)]
fn a_combo_lasts_by_what_was_pressed(#[case] taps: &[Tap], #[case] ticks: Range<u32>) {
    let either = StepKind::Press(vec![SignalId(0), SignalId(1)]);
    let turned = taps[0].button == 2;
    let step = if turned { StepKind::press(SignalId(0)) } else { either };
    let mirror = Mirror { while_on: SignalId(2), pairs: vec![(SignalId(0), SignalId(1))] };
    let steps = vec![ComboStep::new(step, TimeSpan::millis(0))];
    let combo = Combo { lasts: true, mirror: turned.then_some(mirror), ..Combo::new("c", steps) };
    let mut rig = rig_of(vec![combo]);
    rig.actions = vec![action("held", Gives::On, vec![InputSpec::Combo(ComboId(0))])];
    let keys = Keys::run(rig, taps);
    assert_eq!(on(&keys, 0), ticks.collect::<Vec<_>>());
}

/// While key 2 is held, left and right change places.
#[rstest]
#[case::as_written(&[tap(1, 100, 30)], 1)]
#[case::the_other_way(&[tap(0, 100, 30)], 0)]
#[case::turned_around(&[tap(2, 50, 100), tap(0, 100, 30)], 1)]
#[case::turned_around_the_other_way(&[tap(2, 50, 100), tap(1, 100, 30)], 0)]
fn a_combo_can_be_turned_around(#[case] taps: &[Tap], #[case] fires: usize) {
    let mut rig = rig_of(Vec::new());
    let pair = common::pair("keys/KeyW", "keys/KeyA", BothHeld::Neutral);
    let InputSpec::Pair { negative, positive, both } = pair else { unreachable!() };
    let cross = CrossSpec {
        left: negative,
        right: positive,
        up: SideSpec::default(),
        down: SideSpec::default(),
        both,
    };
    rig.actions = vec![action("go", Gives::Plane, vec![InputSpec::Cross(cross)])];
    let way = |word| Signal::Way(ActionId(0), Direction::of(word).unwrap());
    rig.signals.extend([way("right"), way("left")]);
    let mirror = Mirror { while_on: SignalId(2), pairs: vec![(SignalId(3), SignalId(4))] };
    rig.combos = vec![Combo { mirror: Some(mirror), ..Combo::new("go", vec![press(3, 0)]) }];
    let keys = Keys::run(rig, taps);
    assert_eq!(met(&keys).len(), fires);
    assert_eq!(keys.ladder(ComboId(0)).attempts().len(), fires);
}

/// Both ways are met by the press at 400 ms: it fires once, with the attempt that began last.
#[rstest]
fn of_two_ways_that_are_met_at_once_the_later_one_counts(#[values(false, true)] again: bool) {
    let either = StepKind::Press(vec![SignalId(0), SignalId(1)]);
    let after = TimeSpan::millis(150);
    let late = ComboStep { after, ..ComboStep::new(either, TimeSpan::millis(400)) };
    let mirror = Mirror { while_on: SignalId(2), pairs: vec![(SignalId(0), SignalId(1))] };
    let mirror = Some(mirror);
    let combo = Combo { again, mirror, ..Combo::new("c", vec![press(0, 0), late]) };
    let taps = [tap(0, 100, 30), tap(2, 150, 400), tap(1, 200, 30), tap(0, 400, 30)];
    let keys = Keys::run(rig_of(vec![combo]), &taps);
    let began = |moment: Moment| moment.time.0 / 1_000_000;
    let news: Vec<u64> =
        keys.session.history().combo_news().iter().map(|news| began(news.began)).collect();
    let ladder = keys.ladder(ComboId(0));
    // The press at 200 ms came too early for the way that is not turned.
    let met = ladder.attempts().iter().filter(|of| of.outcome == ComboAttemptOutcome::Met);
    let told: Vec<u64> = met.map(|attempt| began(attempt.began)).collect();
    assert_eq!((news, told), (vec![200], vec![200]));
}

/// An action that a combo drives is seen by combos a tick later.
#[test]
fn a_combo_may_read_what_another_one_drives() {
    let mut rig = rig_of(Vec::new());
    rig.signals.push(Signal::Action(ActionId(0)));
    rig.combos = vec![
        Combo::new("one", vec![press(0, 0)]),
        Combo::new("two", vec![press(3, 0), press(3, 200)]),
    ];
    rig.actions = vec![
        action("one", Gives::Pulse, vec![InputSpec::Combo(ComboId(0))]),
        action("two", Gives::Pulse, vec![InputSpec::Combo(ComboId(1))]),
    ];
    let keys = Keys::run(rig, &[tap(0, 100, 30), tap(0, 250, 30)]);
    assert_eq!((on(&keys, 0), on(&keys, 1)), (vec![100, 250], vec![251]));
}

/// A pad of four buttons, and which directions went on, in order.
#[rstest]
#[case::straight(&[("up", 20, 1), ("up", 60, 0)], &[(20, "up")])]
#[case::a_roll(
    &[("down", 20, 1), ("right", 40, 1), ("down", 60, 0), ("right", 80, 0)],
    &[(20, "down"), (40, "down-right"), (60, "right")])]
#[case::opposite_ones_cancel_out(
    &[("left", 20, 1), ("right", 40, 1), ("up", 60, 1), ("left", 80, 0)],
    &[(20, "left"), (60, "up"), (80, "up-right")])]
fn a_d_pad_has_directions(#[case] reports: &[(&str, u64, i32)], #[case] expected: &[(u64, &str)]) {
    let mut rig = rig_of(Vec::new());
    rig.signals.clear();
    let dpad = reference("pad/dpad");
    let ways = SwipeDirections::WORDS.map(|word| Direction::of(word).unwrap());
    rig.signals.extend(ways.map(|way| Signal::Dpad(dpad.clone(), way)));
    rig.combos = (0..8).map(|n| Combo::new(ways[n].word(), vec![press(n as u16, 0)])).collect();
    let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
    let sides = ["left", "right", "up", "down"];
    // Two pads: what one of them does is no half of what the other one does.
    for name in ["a", "b"] {
        let controls =
            sides.map(|side| ControlInfo::new(&format!("dpad-{side}"), ControlKind::Button));
        session
            .plug(DeviceInfo { controls: controls.into(), ..common::pad(name) }, Nanos(0))
            .unwrap();
    }
    let control = |pad: u8, side: &str| {
        reference(&format!("pad{pad}/dpad-{side}")).resolve(session.roster()).next().unwrap()
    };
    let event = |&(side, ms, value): &(&str, u64, i32)| {
        Event::new(Nanos::from_millis(ms), control(1, side), value)
    };
    let mut events: Vec<Event> = reports.iter().map(event).collect();
    events.insert(0, Event::new(Nanos::from_millis(5), control(2, "down"), 1));
    events.insert(1, Event::new(Nanos::from_millis(10), control(2, "down"), 0));
    events.into_iter().for_each(|event| session.report(event));
    session.run_until(Tick(200));
    let fired = session.history().signal_edges().iter().filter(|edge| edge.is_press());
    let told = fired
        .map(|edge| (edge.reported().0 / 1_000_000, ways[edge.signal.unwrap().index()].word()));
    let expected: Vec<(u64, &str)> =
        [(5, "down")].into_iter().chain(expected.iter().copied()).collect();
    assert_eq!(told.collect::<Vec<_>>(), expected);
}
