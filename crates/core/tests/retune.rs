//! The same history by another rig.

mod common;

use common::*;
use gtrig_core::{
    compare::{Difference, DifferenceKind, Outline, compare},
    shape::{DeadZone, Stage},
    *,
};
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
        let mut retuned = desk.session.retuned(tuned(zone), Capacity::DEFAULT);
        let mut ms = 1.0 + steps[..cut].iter().map(|s| f64::from(s.0)).sum::<f64>();
        for &(gap, control, value) in &steps[cut..] {
            ms += f64::from(gap);
            desk.set(ms, CONTROLS[control], value);
            desk.session.run_before(Nanos((ms * 1e6) as u64));
        }
        retuned.follow(&desk.session, from);
        for session in [&mut desk.session, &mut retuned] {
            session.run_until(Tick(2_000));
        }
        let mut fresh = play(tuned(zone), &steps);
        fresh.session.run_until(Tick(2_000));
        prop_assert_eq!(lanes(&retuned), lanes(&fresh.session));
        prop_assert_eq!(retuned.now().lost(), fresh.session.now().lost());
        // And back again.
        let back = retuned.retuned(tuned(0.1), Capacity::DEFAULT);
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
        let before = Outline::of(&desk.session);
        let after = Outline::of(&desk.session.retuned(tuned(zone), Capacity::DEFAULT));
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
    let before = Outline::of(&desk.session);
    let mut rig = tuned(0.2);
    let thresholds = Thresholds { press_at: 0.4, release_at: 0.3 };
    rig.actions[1].inputs[1] =
        InputSpec::Button { control: reference("pad1/trigger-r"), thresholds };
    let after = Outline::of(&desk.session.retuned(rig, Capacity::DEFAULT));
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
