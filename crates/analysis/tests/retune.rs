//! The same history by another rig.

mod common;

use common::*;
use gtrig_analysis::{
    compare::{ActionRecord, Difference, DifferenceKind, compare},
    *,
};
use gtrig_core::*;
use proptest::prelude::*;

fn tuned(dead_zone: f32) -> Rig {
    let zone = Stage::DeadZone(DeadZone::radius(dead_zone));
    rig(vec![
        action("slew", Gives::Plane, vec![shaped_stick("pad/stick-l", vec![zone])]),
        action("horn", Gives::On, vec![button("pad/south"), button("pad1/trigger-r")]),
    ])
}

const CONTROLS: [&str; 4] = ["pad1/stick-l-x", "pad1/stick-l-y", "pad2/stick-l-x", "pad1/south"];

fn play(rig: Rig, steps: &[(u32, usize, i32)]) -> Desk {
    let mut desk = Desk::new(rig);
    let mut ms = 1.0;
    for &(gap, control, value) in steps {
        ms += f64::from(gap);
        desk.set(ms, CONTROLS[control], value);
        desk.session.run_before(Nanos((ms * 1e6) as u64));
    }
    desk
}

fn lanes(session: &Session) -> Vec<Vec<Change>> {
    let ids = (0..session.plan().action_count() as u16).map(ActionId);
    let logs = ids.flat_map(|id| session.history().action_lanes(id));
    logs.map(|log| log.changes_before(Tick(u32::MAX)).collect()).collect()
}

/// What a device says between its comings and goings is where it was, not where the
/// last of them is.
#[test]
fn devices_that_come_and_go_meanwhile_are_followed_as_they_were() {
    let mut desk = play(tuned(0.1), &[(20, 3, 1), (20, 3, 0)]);
    let from = desk.session.seen_count();
    let mut retuned = desk.session.retuned(tuned(0.5));
    let pad = desk.devices[0];
    let info = desk.session.roster().device(pad).info.clone();
    desk.set(100.0, "pad1/south", 1);
    desk.session.set_presence(pad, Presence::Deaf, Nanos::from_millis(150));
    desk.session.set_presence(pad, Presence::Here, Nanos::from_millis(200));
    desk.set(250.0, "pad1/south", 0);
    desk.session.unplug(pad, Nanos::from_millis(300));
    desk.session.plug(info, Nanos::from_millis(400)).unwrap();
    desk.set(450.0, "pad1/south", 1);
    desk.session.run_until(Tick(30));
    desk.set(600.0, "pad1/south", 0);
    desk.session.unplug(pad, Nanos::from_millis(700));
    retuned.follow(&desk.session, from);
    retuned.take_waiting(&desk.session);
    for session in [&mut desk.session, &mut retuned] {
        session.run_until(Tick(60));
    }
    let events = |session: &Session| session.recording().events().collect::<Vec<_>>();
    assert_eq!(events(&retuned), events(&desk.session));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Retuning gives what a run with the other rig would have given, also when
    /// the session goes on meanwhile.
    #[test]
    fn retuning_is_running_again(
        steps in prop::collection::vec((0u32..40, 0usize..4, -100i32..=100), 1..300),
        zone in 0.0f32..0.9, cut in 0usize..300,
    ) {
        let cut = cut.min(steps.len());
        let mut desk = play(tuned(0.1), &steps[..cut]);
        let from = desk.session.seen_count();
        let mut retuned = desk.session.retuned(tuned(zone));
        let mut ms = 1.0 + steps[..cut].iter().map(|s| f64::from(s.0)).sum::<f64>();
        for &(gap, control, value) in &steps[cut..] {
            ms += f64::from(gap);
            desk.set(ms, CONTROLS[control], value);
            desk.session.run_before(Nanos((ms * 1e6) as u64));
        }
        retuned.follow(&desk.session, from);
        retuned.take_waiting(&desk.session);
        for session in [&mut desk.session, &mut retuned] {
            session.run_until(Tick(2_000));
        }
        let mut fresh = play(tuned(zone), &steps);
        fresh.session.run_until(Tick(2_000));
        prop_assert_eq!(lanes(&retuned), lanes(&fresh.session));
        prop_assert_eq!(retuned.now().lost(), fresh.session.now().lost());
        // And back again.
        let back = retuned.retuned(tuned(0.1));
        prop_assert_eq!(lanes(&back), lanes(&desk.session));
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// What appeared one way vanished the other, and nothing differs from itself.
    #[test]
    fn differences_turn_over_with_before_and_after(
        steps in prop::collection::vec((0u32..40, 0usize..4, -100i32..=100), 1..200),
        zone in 0.0f32..0.9,
    ) {
        let mut desk = play(tuned(0.1), &steps);
        desk.session.run_until(Tick(1_000));
        let before = ActionRecord::of(&desk.session);
        let after = ActionRecord::of(&desk.session.retuned(tuned(zone)));
        prop_assert_eq!(compare(&before, &before), []);
        let count = |found: &[Difference], kind| found.iter().filter(|d| d.kind == kind).count();
        let (there, back) = (compare(&before, &after), compare(&after, &before));
        use DifferenceKind::{Appeared, Changed, Vanished};
        prop_assert_eq!(count(&there, Appeared), count(&back, Vanished));
        prop_assert_eq!(count(&there, Vanished), count(&back, Appeared));
        prop_assert_eq!(count(&there, Changed), count(&back, Changed));
        // A wider dead zone only takes away from a stick.
        if zone >= 0.1 {
            prop_assert_eq!(count(&there, Appeared), 0);
        }
    }
}

#[test]
fn differences_are_named() {
    // A drift of 0.15, a real push, and a push on the trigger in the end.
    let mut desk = Desk::new(tuned(0.1));
    for (ms, control, value) in [
        (100.0, "pad1/stick-l-x", 15),
        (300.0, "pad1/stick-l-x", 0),
        (500.0, "pad1/stick-l-x", 80),
        (700.0, "pad1/stick-l-x", 0),
        (900.0, "pad1/trigger-r", 45),
        (1000.0, "pad1/trigger-r", 0),
        (1200.0, "pad1/south", 1),
        (1300.0, "pad1/south", 0),
    ] {
        desk.set(ms, control, value);
    }
    desk.run_to(90);
    let before = ActionRecord::of(&desk.session);
    let mut rig = tuned(0.2);
    let thresholds = Thresholds { press_at: 0.4, release_at: 0.3 };
    rig.actions[1].inputs[1] =
        InputSpec::Button { control: reference("pad1/trigger-r"), thresholds };
    let after = ActionRecord::of(&desk.session.retuned(rig));
    let found = compare(&before, &after);
    let words: Vec<_> = found.iter().map(|d| (d.action.0, d.kind, d.from.0 / 1_000_000)).collect();
    use DifferenceKind::{Appeared, Changed, Vanished};
    assert_eq!(
        words,
        [(0, Vanished, 100), (0, Changed, 100), (0, Changed, 500), (1, Appeared, 900)]
    );
    let Difference { by, .. } = found[2];
    assert!((by - (0.7 / 0.9 - 0.6 / 0.8)).abs() < 1e-4, "{by}");
    assert_eq!(compare(&before, &before), []);
}

/// Reports so close together that most of them tell a run nothing: axes that
/// cross the range of use to and fro, buttons, and devices that go and come.
fn crowd(rig: Rig, seed: u64) -> Desk {
    let mut desk = Desk::new(rig);
    let mut random = seed | 1;
    let mut next = |below: u64| {
        // Xorshift: Marsaglia, "Xorshift RNGs", J. Statistical Software 8(14), 2003.
        random ^= random << 13;
        random ^= random >> 7;
        random ^= random << 17;
        random % below
    };
    let mut us = 1;
    for _ in 0..12_000 {
        us += next(900);
        match next(2_000) {
            0 => desk.session.unplug(desk.devices[1], Nanos(us * 1_000)),
            1 => desk.session.set_presence(desk.devices[1], Presence::Here, Nanos(us * 1_000)),
            2..100 => desk.set(us as f64 / 1e3, "pad1/south", next(2) as i32),
            n => {
                let most = if next(10) == 0 { 100 } else { 10 };
                let value = next(2 * most + 1) as i32 - most as i32;
                desk.set(us as f64 / 1e3, CONTROLS[n as usize % 3], value);
            }
        }
        desk.session.run_before(Nanos(us * 1_000));
    }
    desk.run_to(700);
    desk
}

fn handed_over(zone: f32) -> Rig {
    let mut rig = tuned(zone);
    rig.main.rule = MainRule::LastUsed;
    rig.actions[0].main_only = true;
    rig
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(12))]

    /// Leaving out what tells nothing changes nothing, whoever runs it again.
    #[test]
    fn a_crowd_of_reports_is_run_again_as_it_was(seed: u64, zone in 0.0f32..0.9) {
        let desk = crowd(handed_over(0.1), seed);
        let retuned = desk.session.retuned(handed_over(zone));
        let fresh = crowd(handed_over(zone), seed);
        prop_assert_eq!(lanes(&retuned), lanes(&fresh.session));
        prop_assert_eq!(retuned.now().main(), fresh.session.now().main());
        prop_assert_eq!(retuned.seen_count(), fresh.session.seen_count());
        for tick in (0..700).step_by(61).map(Tick) {
            let (again, was) = (retuned.at(tick), fresh.session.at(tick));
            prop_assert_eq!(again.action(ActionId(0)), was.action(ActionId(0)));
            let last = |machine: &Machine| machine.device(DeviceId(0)).last_report;
            prop_assert_eq!(last(&again), last(&was));
        }
        let mut replayed = 0;
        retuned.replay(|machine| replayed += machine.changed().len());
        let mut were = 0;
        fresh.session.replay(|machine| were += machine.changed().len());
        prop_assert_eq!(replayed, were);
    }
}

#[test]
fn reports_are_counted_by_the_whole_second() {
    let mut desk = Desk::new(tuned(0.1));
    for n in 0..250 {
        // Both axes in one report, every 10 ms.
        desk.set(f64::from(n) * 10.0 + 5.0, "pad1/stick-l-x", n % 90);
        desk.set(f64::from(n) * 10.0 + 5.0, "pad1/stick-l-y", n % 80);
    }
    desk.set(1_700.0, "keys/KeyW", 1);
    desk.run_to(160);
    let at = |tick| desk.session.reports_per_second(Tick(tick));
    assert_eq!(at(30), [0, 0, 0]);
    assert_eq!(at(70), [100, 0, 0]);
    assert_eq!(at(130), [100, 0, 1]);
}
