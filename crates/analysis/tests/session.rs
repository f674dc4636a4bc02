//! One road: however a run is cut up, and wherever one looks into it, it is
//! the same run.

mod common;

use common::*;
use gtrig_analysis::*;
use gtrig_core::*;
use gtrig_formats::words::explain_control;
use proptest::prelude::*;
use rstest::rstest;

fn full_rig(hz: f64, latched: bool) -> Rig {
    let mut rig = rig(vec![
        action("horn", Gives::On, vec![button("pad/south"), button("pad1/trigger-r")]),
        action("brake", Gives::Pulse, vec![button("pad/east"), button("keys/KeyS")]),
        action("walk", Gives::Axis, vec![pair("keys/KeyA", "keys/KeyD", BothHeld::Last)]),
        action("slew", Gives::Plane, vec![smoothed_stick(), cross(BothHeld::Last)]),
        action("lamp", Gives::Toggle, vec![button("keys/KeyW")]),
        action("reach", Gives::Polar, vec![smoothed_stick()]),
    ]);
    // What remembers must be remembered.
    rig.actions[0].closed_while = vec![ActionId(4)];
    rig.actions[5].open_while = vec![ActionId(4)];
    rig.rate = PollRate::from_hz(hz).unwrap();
    if latched {
        let of = vec![Scope::Kind(DeviceKind::Pad), Scope::Kind(DeviceKind::Keys)];
        rig.edges = vec![EdgeRule { of, latched: Some(true), ..EdgeRule::default() }];
    }
    rig
}

fn smoothed_stick() -> InputSpec {
    let adaptive = Smooth::Adaptive { steady_hz: 2.0, follow: 3.0 };
    let stages = vec![
        Stage::DeadZone(DeadZone::radius(0.1)),
        Stage::Smooth(Smooth::HalfLife(0.03)),
        Stage::TurnLimit(500.0),
        Stage::Smooth(adaptive),
    ];
    shaped_stick("pad/stick-l", stages)
}

/// A value for one of the desk's controls, and how long after the one before.
type Step = (u32, usize, i32);

fn steps() -> impl Strategy<Value = Vec<Step>> {
    prop::collection::vec((0u32..30_000, 0usize..14, -100i32..=100), 0..400)
}

fn controls(desk: &Desk) -> Vec<ControlId> {
    let of = |device: &DeviceId| desk.session.roster().device(*device).controls();
    desk.devices.iter().flat_map(of).collect()
}

/// Feeds the steps, running ticks whenever `cut` says so, to the end.
fn play(rig: Rig, steps: &[Step], capacity: Capacity, cut: impl Fn(usize) -> bool) -> Desk {
    let mut desk = Desk::with_capacity(rig, capacity);
    let controls = controls(&desk);
    let mut time = Nanos(1);
    for (i, &(gap_us, control, value)) in steps.iter().enumerate() {
        time = Nanos(time.0 + u64::from(gap_us) * 1_000);
        if cut(i) {
            desk.session.run_before(time);
        }
        let control = controls[control % controls.len()];
        desk.session.report(Event { time, value, control, marks: Marks::empty() });
    }
    let last = desk.session.plan().rate().tick_seeing(time);
    // Time for what a latch owes and a debounce holds back.
    desk.session.run_until(Tick(last.0 + 200));
    desk
}

/// All that can be seen of a machine.
fn seen(desk: &Desk, machine: &Machine) -> (Vec<ControlState>, Vec<ActionState>, u64) {
    let cells = controls(desk).into_iter().map(|id| *machine.control(id)).collect();
    let actions = (0..6).map(|id| machine.action(ActionId(id))).collect();
    (cells, actions, machine.lost())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Every tick looked at afterwards is, to the bit, what the run saw then.
    #[test]
    fn looking_back_shows_what_was_seen(
        steps in steps(), hz in 10.0f64..1000.0, latched: bool, every in 1usize..50,
    ) {
        let desk = play(full_rig(hz, latched), &steps, Capacity::DEFAULT, |i| i % every == 0);
        let mut ticks = Vec::new();
        desk.session.replay(|machine| ticks.push((machine.at(), seen(&desk, machine))));
        for (tick, was) in &ticks {
            prop_assert_eq!(&seen(&desk, &desk.session.at(*tick)), was);
        }
        prop_assert_eq!(
            seen(&desk, &desk.session.at(desk.session.now().at())),
            seen(&desk, desk.session.now())
        );
    }

    /// It makes no difference how often ticks are run while events come in.
    #[test]
    fn cutting_a_run_up_changes_nothing(steps in steps(), latched: bool, every in 1usize..20) {
        let whole = play(full_rig(60.0, latched), &steps, Capacity::DEFAULT, |_| false);
        let cut = play(full_rig(60.0, latched), &steps, Capacity::DEFAULT, |i| i % every == 0);
        prop_assert_eq!(seen(&whole, whole.session.now()), seen(&cut, cut.session.now()));
        for id in controls(&whole) {
            let lanes = [&whole, &cut].map(|desk| desk.session.history().control_lane(id));
            let changes = lanes.map(|l| l.changes_before(Tick(u32::MAX)).collect::<Vec<_>>());
            prop_assert_eq!(&changes[0], &changes[1]);
        }
    }

    /// No press is unaccounted for: seen + lost + taken for chatter = sent, at
    /// every rate, with either sampling and any debounce.
    #[test]
    fn every_press_is_accounted_for(
        steps in steps(), hz in 10.0f64..1000.0, latched: bool, debounce_ms in 0u64..100,
    ) {
        let mut rig = full_rig(hz, latched);
        let of = vec![Scope::Kind(DeviceKind::Pad)];
        let debounce = Some(Nanos::from_millis(debounce_ms));
        rig.edges.push(EdgeRule { of, debounce, ..EdgeRule::default() });
        let desk = play(rig, &steps, Capacity::DEFAULT, |_| false);
        let buttons: Vec<ControlId> = controls(&desk)
            .into_iter()
            .filter(|&id| desk.session.roster().control(id).kind.is_button())
            .collect();
        let mut sent = 0;
        for &id in &buttons {
            let mut down = false;
            for event in desk.session.recording().events().filter(|e| e.control == id) {
                sent += u64::from(event.value != 0 && !down);
                down = event.value != 0;
            }
        }
        let mut shown = 0;
        desk.session.replay(|machine| {
            let edges = buttons.iter().filter(|&&id| machine.control(id).edge() == Some(Edge::Press));
            shown += edges.count() as u64;
        });
        let chatter = |&id: &ControlId| u64::from(desk.session.now().control(id).chatter());
        let chatter: u64 = buttons.iter().map(chatter).sum();
        prop_assert_eq!(shown + desk.session.now().lost() + chatter, sent);
    }

    /// A part of a history shows of its controls what the whole showed there.
    #[test]
    fn a_part_shows_what_the_whole_showed(
        steps in steps(), latched: bool, [from, to] in [0.0f64..1.0, 0.0..1.0],
    ) {
        let rig = full_rig(60.0, latched);
        let whole = play(rig.clone(), &steps, Capacity::DEFAULT, |i| i % 100 == 0);
        let tick = |share: f64| Tick((f64::from(whole.session.now().at().0) * share) as u32);
        let [first, last] = [tick(from.min(to)), tick(from.max(to))];
        let recording = whole.session.recording_between(first, last);
        let part = Session::replayed(&recording, rig);
        prop_assert_eq!((part.history().begins(), part.now().at()), (first, last));
        let kept = |lane: &LaneLog| {
            let within = lane.changes_after(first).take_while(|change| change.tick <= last);
            within.collect::<Vec<_>>()
        };
        for id in controls(&whole) {
            let lanes = [&whole.session, &part].map(|s| s.history().control_lane(id));
            prop_assert_eq!(kept(lanes[0]), kept(lanes[1]));
            prop_assert_eq!(lanes[0].value_at(first), lanes[1].value_at(first));
        }
        // Everything there is, it is the whole.
        let all = whole.session.recording_between(Tick(0), Tick(u32::MAX));
        let events = whole.session.recording();
        prop_assert!(all.events().eq(events.events()) && all.ends_at() == events.ends_at());
    }

    /// A bounded history forgets its oldest ticks and nothing else.
    #[test]
    fn forgetting_does_not_change_what_is_kept(steps in steps()) {
        // Many rounds of the same steps, so that there is something to forget.
        let many: Vec<Step> = steps.iter().cycle().take(steps.len() * 40).copied().collect();
        let small = Capacity { events: 5_000, changes: usize::MAX };
        let bounded = play(full_rig(60.0, false), &many, small, |i| i % 100 == 0);
        let unbounded = play(full_rig(60.0, false), &many, Capacity::DEFAULT, |i| i % 100 == 0);
        prop_assert!(bounded.session.history().event_count() <= 5_000 + 2 * 4_096 + 100);
        let begins = bounded.session.history().begins();
        let last = bounded.session.now().at();
        for tick in [begins, Tick((begins.0 + last.0) / 2), last] {
            prop_assert_eq!(
                seen(&bounded, &bounded.session.at(tick)),
                seen(&unbounded, &unbounded.session.at(tick))
            );
        }
    }
}

#[test]
fn an_event_that_comes_too_late_is_moved_behind_its_tick_and_marked() {
    let mut desk = Desk::new(full_rig(60.0, false));
    desk.run_to(60);
    desk.set(990.0, "pad1/south", 1);
    desk.run_to(61);
    let cell = *desk.session.now().control(desk.control("pad1/south"));
    assert!(cell.is_down() && cell.marks.contains(LaneMarks::LATE), "{cell:?}");
}

#[test]
fn events_of_two_sources_are_put_in_order() {
    let mut desk = Desk::new(full_rig(60.0, false));
    desk.set(12.0, "pad1/south", 0);
    desk.set(3.0, "pad1/south", 1);
    desk.run_to(1);
    assert_eq!(desk.session.now().lost(), 1, "down at 3 ms, up at 12 ms, both before tick 1");
}

#[test]
fn reports_between_two_ticks_are_found_across_segments() {
    let mut desk = Desk::new(full_rig(60.0, false));
    // Enough for several segments of history.
    for ms in 0..20_000 {
        desk.set(f64::from(ms) + 0.5, "pad1/stick-l-x", ms % 100);
        desk.set(f64::from(ms) + 0.6, "pad1/south", ms % 2);
    }
    desk.run_to(1_190);
    let x = desk.control("pad1/stick-l-x");
    for (first, last) in [(0, 3), (100, 101), (0, 1_190), (511, 513), (1_100, 1_190)] {
        let rate = desk.session.plan().rate();
        let inside = |ms: &f64| {
            let time = Nanos((ms * 1e6) as u64);
            time > rate.time_of(Tick(first)) && time <= rate.time_of(Tick(last))
        };
        let expected = (0..20_000).map(|ms| f64::from(ms) + 0.5).filter(inside).count();
        let found = desk.session.reports_of(x, Tick(first), Tick(last)).count();
        assert_eq!(found, expected, "{first}..{last}");
    }
}

#[test]
fn a_month_of_silence_costs_nothing() {
    let mut desk = Desk::new(full_rig(1000.0, false));
    desk.set(29.0 * 24.0 * 3_600_000.0, "pad1/south", 1);
    let last = desk.session.plan().rate().tick_seeing(LAST_TIME);
    desk.session.run_until(last);
    assert!(desk.action(0).is_active());
}

#[rstest]
#[case::lost(
    "pad1/south",
    5,
    "pad·1 south went down at 69.00 ms and up at 72.00 ms, all between tick 4 (66.67 ms) and tick 5 (83.33 ms): the state at both ticks was up. Latched sampling shows such taps."
)]
#[case::press(
    "pad1/east",
    1,
    "pad·1 east went down at 10.00 ms; tick 1 (16.67 ms) saw it 6.67 ms later."
)]
#[case::held("pad1/east", 4, "pad·1 east is held since tick 1 (16.67 ms): 3 ticks, 50.00 ms.")]
#[case::never("pad2/south", 5, "pad·2 south is up; it has not moved yet.")]
#[case::analogue(
    "pad1/stick-l-x",
    2,
    "pad·1 stick-l-x reads 50, +0.500 of its travel; 2 reports since the tick before, the last 3.33 ms old."
)]
fn why_in_words(#[case] control: &str, #[case] tick: u32, #[case] why: &str) {
    let mut desk = Desk::new(full_rig(60.0, false));
    for (ms, control, value) in [
        (10.0, "pad1/east", 1),
        (20.0, "pad1/stick-l-x", 20),
        (30.0, "pad1/stick-l-x", 50),
        (69.0, "pad1/south", 1),
        (72.0, "pad1/south", 0),
    ] {
        desk.set(ms, control, value);
    }
    desk.run_to(9);
    let machine = desk.session.at(Tick(tick));
    assert_eq!(explain_control(&desk.session, &machine, desk.control(control)), why);
}

#[test]
fn a_key_held_for_too_long_is_suspected() {
    let mut rig = full_rig(60.0, false);
    let of = vec![Scope::Kind(DeviceKind::Keys)];
    let stuck_after = Some(Nanos::from_millis(2_000));
    rig.edges = vec![EdgeRule { of, stuck_after, ..EdgeRule::default() }];
    let mut desk = Desk::new(rig);
    desk.set(1.0, "keys/KeyS", 1);
    desk.run_to(600);
    let why = |tick| {
        explain_control(&desk.session, &desk.session.at(Tick(tick)), desk.control("keys/KeyS"))
    };
    assert!(!why(110).contains("stuck"), "{}", why(110));
    assert!(why(130).contains("may be stuck"), "{}", why(130));
}

proptest! {
    /// Wherever a recording begins, a button comes to what its device said last.
    #[test]
    fn what_a_debounce_holds_back_is_in_the_opening(
        pauses in prop::collection::vec(1u32..40, 1..12), latched: bool,
    ) {
        let mut rig = full_rig(60.0, latched);
        let of = vec![Scope::Control(reference("pad/south"))];
        let debounce = Some(Nanos::from_millis(40));
        rig.edges.push(EdgeRule { of, debounce, ..EdgeRule::default() });
        let mut desk = Desk::new(rig);
        let (mut ms, mut value) = (0.0, 0);
        for pause in pauses {
            (ms, value) = (ms + f64::from(pause), 1 - value);
            desk.set(ms, "pad1/south", value);
        }
        let (plan, rate) = (desk.session.plan().clone(), desk.session.plan().rate());
        let last = rate.tick_seeing(Nanos((ms * 1e6) as u64));
        desk.run_to(last.0);
        let now = rate.time_of(last);
        let opening = desk.session.now().opening(&plan, now);
        let mut another = Machine::new(&plan, Tick(0));
        another.tick(&plan, now, &opening);
        for n in 1..30 {
            another.tick(&plan, Nanos(now.0 + n * 20_000_000), &[]);
        }
        let is_down = another.control(desk.control("pad1/south")).is_down();
        prop_assert_eq!(is_down, value == 1);
    }
}

#[test]
fn chatter_is_taken_out_counted_and_explained() {
    let mut rig = full_rig(60.0, false);
    let of = vec![Scope::Control(reference("pad/south"))];
    let debounce = Some(Nanos::from_millis(5));
    rig.edges = vec![EdgeRule { of, debounce, ..EdgeRule::default() }];
    let mut desk = Desk::new(rig);
    for (ms, value) in [(20.0, 1), (21.0, 0), (22.5, 1), (80.0, 0)] {
        desk.set(ms, "pad1/south", value);
    }
    desk.run_to(10);
    assert_eq!(desk.session.now().lost(), 0);
    let machine = desk.session.at(Tick(2));
    let why = explain_control(&desk.session, &machine, desk.control("pad1/south"));
    assert!(
        why.ends_with(
            "The debounce of 5.00 ms held back what moved too soon; 1 so far taken for chatter."
        ),
        "{why}"
    );
}

#[test]
fn why_in_words_of_a_tap_that_the_latch_caught() {
    let mut desk = Desk::new(full_rig(60.0, true));
    desk.set(69.0, "pad1/south", 1);
    desk.set(72.0, "pad1/south", 0);
    desk.run_to(9);
    let why = |tick| {
        let machine = desk.session.at(Tick(tick));
        explain_control(&desk.session, &machine, desk.control("pad1/south"))
    };
    assert!(why(5).ends_with("the latch shows it for one tick."), "{}", why(5));
    assert!(why(6).ends_with("the latch gives back the true state."), "{}", why(6));
}
