//! Modelled loops, by hand and by property.

mod common;

use common::*;
use gtrig_analysis::{
    audit::{Hitches, Loop, LoopAudit, audit, shortest_state},
    phase::phase_losses,
};
use gtrig_core::*;
use proptest::prelude::*;
use rstest::rstest;

fn hz(hz: f64) -> PollRate {
    PollRate::from_hz(hz).unwrap()
}

/// The events of a pad's south going down and up at these milliseconds.
fn taps(taps: &[(f64, f64)]) -> (Desk, Vec<Event>) {
    taps_with(taps, 0)
}

/// The same by a rig that debounces for so many milliseconds.
fn taps_with(taps: &[(f64, f64)], debounce: u64) -> (Desk, Vec<Event>) {
    let mut rig = rig(Vec::new());
    let (of, debounce) = (vec![Scope::Kind(DeviceKind::Pad)], Some(Nanos::from_millis(debounce)));
    rig.edges = vec![EdgeRule { of, debounce, ..EdgeRule::default() }];
    let mut desk = Desk::new(rig);
    for &(down, up) in taps {
        desk.set(down, "pad1/south", 1);
        desk.set(up, "pad1/south", 0);
    }
    let events = desk.session.recording().events().collect();
    (desk, events)
}

/// Taps one after another: for each, how long up before it and how long down,
/// in milliseconds.
fn one_after_another(gaps: &[(u32, u32)]) -> Vec<(f64, f64)> {
    let mut at = 0.0;
    let tap = |&(up, down): &(u32, u32)| {
        let from = at + f64::from(up);
        at = from + f64::from(down);
        (from, at)
    };
    gaps.iter().map(tap).collect()
}

fn audited(taps_ms: &[(f64, f64)], of: Loop) -> LoopAudit {
    let (desk, events) = taps(taps_ms);
    audit(desk.session.plan(), &events, of)
}

#[rstest]
// At 20 Hz polls are at 0, 50, 100 …: the second tap lies between two.
#[case::between_two_polls(20.0, &[(10.0, 60.0), (101.0, 149.0)], 2, 1, 1)]
#[case::both_seen(50.0, &[(10.0, 60.0), (101.0, 149.0)], 2, 2, 0)]
#[case::two_taps_merged(10.0, &[(10.0, 20.0), (30.0, 110.0)], 2, 1, 1)]
fn presses_are_followed(
    #[case] rate: f64,
    #[case] taps: &[(f64, f64)],
    #[case] sent: u64,
    #[case] seen: u64,
    #[case] lost: u64,
) {
    let total = audited(taps, Loop::steady(hz(rate))).total;
    assert_eq!((total.sent, total.seen, total.lost), (sent, seen, lost));
}

#[test]
fn latency_is_from_the_event_to_the_poll_that_shows_it() {
    // Polls every 50 ms: 40, 30, 20 and 10 ms.
    let taps = [(10.0, 80.0), (120.0, 180.0), (230.0, 280.0), (340.0, 390.0)];
    let total = audited(&taps, Loop::steady(hz(20.0))).total;
    let at = |share| total.latency(share).unwrap().0 / 1_000_000;
    assert_eq!([at(0.0), at(0.5), at(0.75), at(0.95), at(1.0)], [10, 20, 30, 40, 40]);
    assert_eq!(total.delayed, 0);
}

#[rstest]
// Polls every 25 ms, a debounce of 30 ms: down at 10 ms counts at once, the rest is chatter.
#[case::chatter_after_it(&[(10.0, 12.0), (15.0, 120.0)], &[15])]
// Up at 60 ms counts at once; down at 70 ms counts when that is over, at 90 ms.
#[case::held_back(&[(10.0, 60.0), (70.0, 200.0)], &[15, 30])]
fn with_a_debounce_latency_is_from_the_report_of_the_press_that_counted(
    #[case] taps: &[(f64, f64)],
    #[case] latencies: &[u64],
) {
    let (desk, events) = taps_with(taps, 30);
    let total = audit(desk.session.plan(), &events, Loop::steady(hz(40.0))).total;
    let found = [0.0, 1.0].map(|share| total.latency(share).unwrap().0 / 1_000_000);
    assert_eq!(found, [latencies[0], latencies[latencies.len() - 1]]);
    assert_eq!(total.seen as usize, latencies.len());
}

/// A key is held when the window loses the focus, and pressed again when it has it: that is a
/// press of its own.
#[test]
fn what_a_device_lets_go_of_can_be_pressed_again() {
    let (mut desk, _) = taps(&[(100.0, 250.0)]);
    let (pad, at) = (desk.devices[0], Nanos::from_millis);
    desk.set(400.0, "pad1/south", 1);
    desk.session.set_presence(pad, Presence::Deaf, at(550));
    desk.set(600.0, "pad1/south", 1);
    desk.session.set_presence(pad, Presence::Here, at(650));
    desk.set(710.0, "pad1/south", 1);
    desk.set(770.0, "pad1/south", 0);
    let events: Vec<Event> = desk.session.recording().events().collect();
    let total = audit(desk.session.plan(), &events, Loop::steady(hz(20.0))).total;
    assert_eq!((total.sent, total.seen, total.lost), (3, 3, 0));
    assert_eq!(total.latency(1.0), Some(at(40)));
    assert_eq!(shortest_state(desk.session.plan(), &events), Some(at(60)));
}

#[test]
fn a_hitch_delays_and_loses() {
    // No poll from 100 to 180 ms.
    let hitches = Some(Hitches { every: Nanos::from_millis(100), lasts: Nanos::from_millis(80) });
    let of = Loop { hitches, ..Loop::steady(hz(100.0)) };
    let total = audited(&[(110.0, 150.0), (160.0, 300.0)], of).total;
    assert_eq!((total.seen, total.lost, total.delayed), (1, 1, 1));
    assert_eq!(total.latency(1.0), Some(Nanos::from_millis(20)));
}

#[rstest]
// Frames at 100 Hz, steps at 50 Hz: every other frame runs none.
#[case::frame_without_a_step(100.0, 50.0, 22.0, 1, 0)]
#[case::frame_with_its_step(100.0, 50.0, 31.0, 0, 0)]
// Frames at 25 Hz, steps at 50 Hz: each frame runs two.
#[case::frame_with_two_steps(25.0, 50.0, 30.0, 0, 1)]
#[case::in_step(50.0, 50.0, 30.0, 0, 0)]
fn edges_flagged_per_frame_are_missed_or_doubled_by_a_fixed_step(
    #[case] frames: f64,
    #[case] steps: f64,
    #[case] down: f64,
    #[case] missed: u64,
    #[case] doubled: u64,
) {
    let of = Loop { step: Some(hz(steps)), ..Loop::steady(hz(frames)) };
    let total = audited(&[(down, down + 100.0)], of).total;
    assert_eq!((total.seen, total.missed_by_step, total.doubled_by_step), (1, missed, doubled));
}

#[test]
fn the_shortest_state_bounds_the_rate() {
    let (desk, events) = taps(&[(10.0, 60.0), (101.0, 108.5), (300.0, 400.0)]);
    let shortest = shortest_state(desk.session.plan(), &events);
    assert_eq!(shortest, Some(Nanos(7_500_000)));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Whatever the loop: seen + lost = sent, and none is lost by a loop that
    /// polls at least once in the shortest state.
    #[test]
    fn no_press_is_unaccounted_for(
        gaps in prop::collection::vec((1u32..80, 1u32..80), 1..60),
        rate in 10.0f64..1000.0, jitter in 0.0f64..0.5, hitch in 0u64..200,
    ) {
        let times = one_after_another(&gaps);
        let (desk, events) = taps(&times);
        let hitches = Some(Hitches { every: Nanos::from_millis(500), lasts: Nanos::from_millis(hitch) });
        let of = Loop { rate: hz(rate), jitter, hitches, step: Some(hz(60.0)) };
        let total = audit(desk.session.plan(), &events, of).total;
        prop_assert_eq!(total.sent, times.len() as u64);
        prop_assert_eq!(total.seen + total.lost, total.sent);
        let shortest = shortest_state(desk.session.plan(), &events).unwrap();
        let steady = Loop::steady(hz(rate));
        if 1e9 / rate <= shortest.0 as f64 - 1.0 {
            prop_assert_eq!(audit(desk.session.plan(), &events, steady).total.lost, 0);
        }
    }

    /// An audit at the plan's own rate loses what the run itself lost.
    #[test]
    fn an_audit_at_the_plans_rate_agrees_with_the_run(
        gaps in prop::collection::vec((1u32..40, 1u32..40), 1..60),
    ) {
        let times = one_after_another(&gaps);
        let (mut desk, events) = taps(&times);
        desk.run_to(3_000);
        let total = audit(desk.session.plan(), &events, Loop::steady(PollRate::DEFAULT)).total;
        prop_assert_eq!(total.lost, desk.session.now().lost());
    }
}

proptest! {
    /// What is lost on average over all phases is the mean of what the audits of all
    /// phases lose: taps at whole milliseconds, and loops that begin between them.
    #[test]
    fn the_mean_loss_is_the_mean_of_all_phases(
        gaps in prop::collection::vec((1u32..60, 1u32..60), 1..12),
        // Their rates are whole numbers of millihertz.
        period in prop::sample::select(vec![2u32, 4, 5, 8, 10, 16, 20, 25, 32, 40, 50]),
        debounce in prop_oneof![Just(0u64), 1u64..12],
    ) {
        let rate = hz(1000.0 / f64::from(period));
        let taps_ms = one_after_another(&gaps);
        let lost = (0..period).map(|phase| {
            let shift = f64::from(phase) + 0.5;
            let shifted: Vec<_> = taps_ms.iter().map(|(a, b)| (a + shift, b + shift)).collect();
            let (desk, events) = taps_with(&shifted, debounce);
            audit(desk.session.plan(), &events, Loop::steady(rate)).total.lost
        });
        let mean = lost.sum::<u64>() as f64 / f64::from(period);
        let (desk, events) = taps_with(&taps_ms, debounce);
        let losses = phase_losses(desk.session.plan(), &events, rate);
        prop_assert_eq!(losses.len(), 1);
        prop_assert!((losses[0].lost - mean).abs() < 1e-9, "{} {}", losses[0].lost, mean);
        // Of the shortest press or pause it follows from which rate on that is none.
        let shortest = shortest_state(desk.session.plan(), &events).unwrap();
        let is_sure = shortest.0 >= u64::from(period) * 1_000_000;
        prop_assert!(!is_sure || debounce > 0 || losses[0].lost == 0.0);
    }
}
