//! The crane of the yard over a history.

mod common;

use common::*;
use gtrig_analysis::{
    motion::{Crane, CraneTrack, MotionRule},
    *,
};
use gtrig_core::*;
use rstest::rstest;

fn yard_rig(hz: f64) -> Rig {
    let drive = |by| Some(Drive { by, speed: 10.0, acceleration: 20.0, braking: 40.0 });
    let mut rig = rig(vec![
        action("slew", Gives::Plane, vec![stick("pad/stick-l", 0.2), cross(BothHeld::Last)]),
        action("grip", Gives::On, vec![button("pad/south")]),
    ]);
    rig.rate = PollRate::from_hz(hz).unwrap();
    let (slew, grip) = (ActionId(0), ActionId(1));
    rig.yard =
        YardSpec { drives: [drive((slew, 0)), drive((slew, 1)), None, None], grip: Some(grip) };
    rig
}

/// A hand over three seconds.
fn play(rig: Rig, hand: &[(f64, &str, i32)]) -> Session {
    let mut desk = Desk::new(rig);
    for &(ms, control, value) in hand {
        desk.set(ms, control, value);
    }
    let rate = desk.session.plan().rate();
    desk.session.run_until(rate.tick_at(Nanos::from_millis(3_000)));
    desk.session
}

fn last(session: &Session, way: MotionRule) -> Crane {
    let mut track = CraneTrack::new(session, way);
    assert!(track.catch_up(session, u32::MAX));
    *track.until(session, session.now().at(), 1).last().unwrap()
}

const PUSH: [(f64, &str, i32); 4] = [
    (100.0, "pad1/stick-l-x", 60),
    (100.0, "pad1/south", 1),
    (1_500.0, "pad1/stick-l-x", -100),
    (2_000.0, "pad1/stick-l-x", 0),
];

#[test]
fn the_rate_does_not_matter_unless_speed_is_per_frame() {
    let at = |hz, way| last(&play(yard_rig(hz), &PUSH), way).at[0];
    assert!((at(60.0, MotionRule::Right) - at(240.0, MotionRule::Right)).abs() < 0.2);
    assert!((at(30.0, MotionRule::PerFrame) - at(30.0, MotionRule::Right)).abs() < 1e-4);
    assert!(at(240.0, MotionRule::PerFrame).abs() > 3.0 * at(240.0, MotionRule::Right).abs());
}

#[test]
fn looking_back_is_what_it_was() {
    let session = play(yard_rig(240.0), &PUSH);
    let mut track = CraneTrack::new(&session, MotionRule::Right);
    let mut seen = Vec::new();
    while !track.catch_up(&session, 1) {
        seen.extend(track.until(&session, Tick(u32::MAX - 1), 1));
    }
    for (at, count) in [(0usize, 1usize), (255, 1), (256, 3), (300, 299), (700, 20)] {
        let again = track.until(&session, Tick(at as u32), count as u32);
        assert_eq!(again, seen[(at + 1 - count)..=at]);
    }
    assert!(seen[300].is_gripping && !seen[10].is_gripping);
}

#[rstest]
#[case::unclamped(MotionRule::Unclamped, &[(100.0, "keys/KeyW", 1), (100.0, "keys/KeyD", 1)], std::f32::consts::SQRT_2)]
#[case::unclamped_alone(MotionRule::Unclamped, &[(100.0, "keys/KeyD", 1)], 1.0)]
#[case::normalised(MotionRule::AlwaysNormalised, &[(100.0, "pad1/stick-l-x", 30)], 8.0)]
#[case::unstretched(MotionRule::Unstretched, &[(100.0, "pad1/stick-l-x", 30)], 2.4)]
fn mistakes_by_hand(
    #[case] way: MotionRule,
    #[case] hand: &[(f64, &str, i32)],
    #[case] times_too_fast: f32,
) {
    let right = play(yard_rig(60.0), hand);
    let wrong = way.rig(right.rig()).map(|rig| right.retuned(rig));
    let speed = |crane: Crane| crane.velocity[0];
    let found =
        speed(last(wrong.as_ref().unwrap_or(&right), way)) / speed(last(&right, MotionRule::Right));
    assert!((found - times_too_fast).abs() < 0.01, "{found}");
}

/// A run with a mistake follows the live one.
#[test]
fn a_wrong_run_follows() {
    let mut desk = Desk::new(yard_rig(60.0));
    let rig = MotionRule::Unclamped.rig(desk.session.rig()).unwrap();
    let mut from = desk.session.seen_count();
    let mut wrong = desk.session.retuned(rig);
    for n in 1..30 {
        desk.set(f64::from(n) * 50.0, ["keys/KeyW", "keys/KeyD"][n as usize % 2], n / 2 % 2);
        desk.run_to(n as u32 * 3 - 1);
        wrong.follow(&desk.session, from);
        from = desk.session.seen_count();
    }
    assert_eq!(wrong.seen_count(), desk.session.seen_count());
    let fresh = desk.session.retuned(wrong.rig().clone());
    let lane = |session: &Session| -> Vec<Change> {
        session.history().action_lanes(ActionId(0))[0].changes_before(Tick(u32::MAX)).collect()
    };
    assert_eq!(lane(&wrong), lane(&fresh));
}
