//! Gestures by hand: what fires, what misses, and by how much.

mod common;

use common::{Desk, glass, hand::*};
use gtrig_analysis::*;
use gtrig_core::*;
use rstest::rstest;

const SWIPE: GestureKind = GestureKind::Swipe {
    toward: SwipeDirections::FOUR,
    fires: SwipeFires::Release,
    from_edge: None,
};
const DOUBLE: GestureKind = GestureKind::Tap { times: 2 };

fn played(gestures: Vec<Gesture>, reports: &[Report]) -> Hand {
    let mut hand = Hand::new(gesture_rig(gestures));
    hand.play(reports);
    hand
}

/// The verdict on one gesture after some reports.
fn verdict(kind: GestureKind, limits: &[(Quantity, f32)], reports: &[Report]) -> GestureVerdict {
    let hand = played(vec![gesture("it", kind, limits)], reports);
    let verdicts = hand.verdicts();
    assert_eq!(verdicts.len(), 1, "{verdicts:?}");
    verdicts[0]
}

fn margin(verdict: &GestureVerdict, of: Quantity) -> f32 {
    verdict.checks().iter().find(|check| check.quantity == of).unwrap().margin
}

fn near(is: f32, should: f32) -> bool {
    (is - should).abs() < 0.02
}

#[rstest]
#[case::short_and_steady(tap(100.0, 1, [20.0, 20.0], 80.0), true, 170.0, 3.0)]
#[case::too_long(tap(100.0, 1, [20.0, 20.0], 262.4), false, -12.4, 3.0)]
#[case::too_far(stroke(100.0, 1, [20.0, 20.0], [24.0, 20.0], 99.0), false, 150.0, -1.0)]
#[case::away_and_back(
    path(100.0, 1, &[[20.0, 20.0], [24.0, 20.0], [20.0, 20.0]], 199.0), false, 50.0, -1.0)]
fn a_tap(#[case] reports: Vec<Report>, #[case] fires: bool, #[case] lift: f32, #[case] moved: f32) {
    let verdict = verdict(GestureKind::Tap { times: 1 }, &[], &reports);
    assert_eq!(verdict.outcome == GestureOutcome::Fired, fires);
    assert!(near(margin(&verdict, Quantity::Lift), lift), "{verdict:?}");
    // Polls see the way there and back a little short of its end.
    let is = margin(&verdict, Quantity::Move);
    assert!((is - moved).abs() < 0.4, "{verdict:?}");
}

/// Its lift is held back until 130 ms. The next finger lands before the poll at 133.3 ms.
#[test]
fn a_finger_that_a_debounce_held_back_is_lifted_where_it_was() {
    let mut rig = gesture_rig(vec![gesture("it", GestureKind::Tap { times: 1 }, &[])]);
    rig.edges.push(EdgeRule {
        of: vec![Scope::Kind(DeviceKind::Glass)],
        debounce: Some(Nanos::from_millis(30)),
        ..EdgeRule::default()
    });
    let mut hand = Hand::new(rig);
    hand.play(&together([tap(100.0, 1, [20.0, 20.0], 10.0), tap(132.0, 1, [60.0, 20.0], 100.0)]));
    let verdict = hand.verdicts()[0];
    assert_eq!((verdict.outcome, verdict.ended), (GestureOutcome::Fired, Nanos::from_millis(130)));
    assert_eq!(verdict.way, [[20.0, 20.0]; 2]);
}

#[rstest]
#[case::far_enough([20.0, 20.0], [41.0, 20.0], 200.0, true, 6.0, None)]
#[case::too_short([20.0, 20.0], [28.8, 20.0], 200.0, false, -6.2, Some(Quantity::Length))]
#[case::too_slow([20.0, 20.0], [41.0, 20.0], 611.4, false, 6.0, Some(Quantity::Time))]
#[case::off_axis([20.0, 20.0], [40.0, 35.0], 200.0, false, 10.0, Some(Quantity::OffAxisDeg))]
fn a_swipe(
    #[case] from: [f32; 2],
    #[case] to: [f32; 2],
    #[case] ms: f64,
    #[case] fires: bool,
    #[case] length: f32,
    #[case] missed: Option<Quantity>,
) {
    let verdict = verdict(SWIPE, &[], &stroke(100.0, 1, from, to, ms));
    assert_eq!(verdict.outcome == GestureOutcome::Fired, fires, "{verdict:?}");
    assert_eq!(verdict.nearest().map(|check| check.quantity), missed);
    let alone = verdict.checks().iter().find(|c| c.quantity == Quantity::Length).unwrap();
    if alone.is_alone {
        assert!(near(alone.margin, length), "{verdict:?}");
    }
    if fires {
        assert_eq!(verdict.value, [1.0, 0.0]);
    }
}

#[rstest]
#[case([20.0, 20.0], [20.0, 60.0], [0.0, -1.0])]
#[case([20.0, 60.0], [20.0, 20.0], [0.0, 1.0])]
#[case([60.0, 20.0], [20.0, 22.0], [-1.0, 0.0])]
fn a_swipe_has_the_nearest_direction_y_up(
    #[case] from: [f32; 2],
    #[case] to: [f32; 2],
    #[case] value: [f32; 2],
) {
    assert_eq!(verdict(SWIPE, &[], &stroke(100.0, 1, from, to, 200.0)).value, value);
}

#[test]
fn a_swipe_that_passes_its_length_fires_while_the_finger_is_down() {
    let kind = GestureKind::Swipe {
        toward: SwipeDirections::FOUR,
        fires: SwipeFires::Passing,
        from_edge: None,
    };
    let verdict = verdict(kind, &[], &stroke(100.0, 1, [20.0, 20.0], [60.0, 20.0], 400.0));
    // 15 mm of 40 in 400 ms take 150 ms; the tick at 250 ms sees that.
    assert_eq!(verdict.fired, Some(Tick(15)));
    assert!(near(margin(&verdict, Quantity::Length), 25.0), "{verdict:?}");
}

#[rstest]
#[case(4.0, true)]
#[case(9.0, false)]
fn a_swipe_from_an_edge_begins_there(#[case] x: f32, #[case] fires: bool) {
    let from_edge = Some(PanelEdge::Left);
    let kind = GestureKind::Swipe {
        toward: SwipeDirections::Some(1),
        fires: SwipeFires::Passing,
        from_edge,
    };
    let verdict = verdict(kind, &[], &stroke(100.0, 1, [x, 40.0], [x + 30.0, 40.0], 200.0));
    assert_eq!(verdict.outcome == GestureOutcome::Fired, fires);
    assert!(near(margin(&verdict, Quantity::Edge), 6.0 - x));
}

#[test]
fn a_long_press_fires_while_the_finger_stays_and_ends_when_it_lifts() {
    let mut hand = Hand::new(gesture_rig(vec![gesture("it", GestureKind::Press, &[])]));
    hand.report(100.0, 1, Some([20.0, 20.0]));
    hand.run_to(599.0);
    assert!(!hand.desk.action(0).is_active());
    hand.run_to(601.0);
    assert!(hand.desk.action(0).is_active());
    hand.report(900.0, 1, None);
    hand.run_to(1000.0);
    assert!(!hand.desk.action(0).is_active());
    let verdict = hand.verdicts()[0];
    assert_eq!(verdict.outcome, GestureOutcome::Fired);
    assert!(near(margin(&verdict, Quantity::Hold), 300.0), "{verdict:?}");
}

#[test]
fn a_long_press_that_slips_says_how_long_it_had_stayed() {
    let reports =
        [(100.0, 1, Some([20.0, 20.0])), (550.0, 1, Some([24.0, 20.0])), (800.0, 1, None)];
    let verdict = verdict(GestureKind::Press, &[], &reports);
    assert_eq!(verdict.outcome, GestureOutcome::Missed);
    // 450 ms at its place, or 4 mm from it.
    assert!(near(margin(&verdict, Quantity::Hold), -50.0), "{verdict:?}");
    assert!(near(margin(&verdict, Quantity::Move), -1.0), "{verdict:?}");
}

#[rstest]
#[case::in_time(100.0, true, 150.0)]
#[case::late_by_12_4(262.4, false, -12.4)]
fn a_double_tap(#[case] gap: f64, #[case] fires: bool, #[case] expected: f32) {
    let first = tap(100.0, 1, [20.0, 20.0], 80.0);
    let second = tap(180.0 + gap, 1, [22.0, 20.0], 80.0);
    let verdict = verdict(DOUBLE, &[], &together([first, second]));
    assert_eq!(verdict.outcome == GestureOutcome::Fired, fires);
    assert!(near(margin(&verdict, Quantity::Gap), expected), "{verdict:?}");
    assert!(near(margin(&verdict, Quantity::Spread), 8.0), "{verdict:?}");
    assert_eq!(verdict.began, Nanos::from_millis(100));
}

#[test]
fn between_two_taps_the_time_that_is_left_is_told() {
    let mut hand = Hand::new(gesture_rig(vec![gesture("it", DOUBLE, &[])]));
    for report in tap(100.0, 1, [20.0, 20.0], 80.0) {
        hand.report(report.0, report.1, report.2);
    }
    let gap = |hand: &mut Hand, ms| {
        hand.run_to(ms);
        let session = &hand.desk.session;
        let going = session.now().candidates(session.plan());
        going.first().map(|candidate| candidate.checks[0].value)
    };
    // Lifted at 180 ms; the last poll before 300 ms is that at 300.
    assert!(gap(&mut hand, 301.0).is_some_and(|gone| near(gone, 120.0)));
    assert_eq!(gap(&mut hand, 500.0), None);
}

#[test]
fn no_tap_counts_twice() {
    let taps = [100.0, 300.0, 500.0].map(|ms| tap(ms, 1, [20.0, 20.0], 80.0));
    assert_eq!(played(vec![gesture("double", DOUBLE, &[])], &together(taps)).fired(), ["double"]);
}

#[test]
fn a_tap_that_comes_late_for_one_pair_begins_the_next() {
    let taps = [100.0, 500.0, 700.0].map(|ms| tap(ms, 1, [20.0, 20.0], 80.0));
    let hand = played(vec![gesture("double", DOUBLE, &[])], &together(taps));
    let outcomes: Vec<GestureOutcome> =
        hand.verdicts().iter().map(|verdict| verdict.outcome).collect();
    assert_eq!(outcomes, [GestureOutcome::Missed, GestureOutcome::Fired]);
    assert!(hand.verdicts()[0].nearest().is_some_and(|check| check.quantity == Quantity::Gap));
}

#[rstest]
#[case::at_once(40.0, true, 80.0)]
#[case::one_after_the_other(150.0, false, -30.0)]
fn a_tap_with_two_fingers(#[case] apart: f64, #[case] fires: bool, #[case] expected: f32) {
    let kind = GestureKind::Tap { times: 1 };
    let hand = played(
        vec![with_fingers("it", kind, 2, &[])],
        &together([tap(100.0, 1, [20.0, 20.0], 200.0), tap(100.0 + apart, 2, [60.0, 20.0], 40.0)]),
    );
    let verdict = hand.verdicts()[0];
    assert_eq!((verdict.outcome == GestureOutcome::Fired, verdict.fingers), (fires, 2));
    assert!(near(margin(&verdict, Quantity::Together), expected), "{verdict:?}");
}

#[test]
fn what_two_fingers_do_is_measured_from_where_both_are_there() {
    let gestures = vec![with_fingers("it", GestureKind::Tap { times: 1 }, 2, &[])];
    // The first one is dragged before the second one lands.
    let first = [(100.0, Some([20.0, 20.0])), (140.0, Some([30.0, 20.0])), (225.0, None)];
    let first = first.map(|(ms, place)| (ms, 1, place)).to_vec();
    let hands = [first, tap(170.0, 2, [60.0, 20.0], 40.0)];
    let verdict = played(gestures, &together(hands)).verdicts()[0];
    assert_eq!(verdict.outcome, GestureOutcome::Fired, "{verdict:?}");
}

/// Both are lifted between the polls at 233.3 and 250 ms.
#[rstest]
#[case::tap_the_first_later(GestureKind::Tap { times: 1 }, Quantity::Lift, [145.0, 141.0], 250.0 - 145.0)]
#[case::tap_the_second_later(GestureKind::Tap { times: 1 }, Quantity::Lift, [141.0, 145.0], 250.0 - 145.0)]
#[case::swipe_the_first_later(SWIPE, Quantity::Time, [145.0, 141.0], 500.0 - 141.0)]
#[case::swipe_the_second_later(SWIPE, Quantity::Time, [141.0, 145.0], 500.0 - 141.0)]
fn a_tap_is_over_with_its_last_finger_and_a_swipe_with_its_first(
    #[case] kind: GestureKind,
    #[case] limit: Quantity,
    #[case] long: [f64; 2],
    #[case] spare: f32,
) {
    let hands = [1, 2].map(|n| tap(100.0, n, [20.0 * n as f32, 20.0], long[n as usize - 1]));
    let verdict = played(vec![with_fingers("it", kind, 2, &[])], &together(hands)).verdicts()[0];
    assert!(near(margin(&verdict, limit), spare), "{verdict:?}");
}

/// The middle of two fingers may get further than the first of them, whose path is asked for.
#[rstest]
#[case::the_first_rests(0.0, 60.0, 1.0)]
#[case::the_first_goes_half_as_far(20.0, 40.0, 1.0)]
#[case::none_goes_anywhere(0.0, 0.0, 0.0)]
fn no_swipe_is_straighter_than_straight(
    #[case] first: f32,
    #[case] second: f32,
    #[case] straight: f32,
) {
    let hands = [(1, 20.0, first), (2, 60.0, second)]
        .map(|(n, y, way)| stroke(100.0, n, [20.0, y], [20.0 + way, y], 200.0));
    let asked = [(Quantity::Straight, 0.5)];
    let verdict =
        played(vec![with_fingers("it", SWIPE, 2, &asked)], &together(hands)).verdicts()[0];
    assert_eq!(margin(&verdict, Quantity::Straight), straight - 0.5, "{verdict:?}");
}

#[test]
fn one_finger_of_two_is_no_attempt() {
    let gestures = vec![with_fingers("it", GestureKind::Tap { times: 1 }, 2, &[])];
    assert!(played(gestures, &tap(100.0, 1, [20.0, 20.0], 80.0)).verdicts().is_empty());
}

/// What an action gives while a finger is on its way, and afterwards.
fn given(kind: GestureKind, reports: &[Report], until: f64) -> [f32; 2] {
    let mut hand = Hand::new(gesture_rig(vec![gesture("it", kind, &[])]));
    for &(ms, contact, place) in reports.iter().filter(|report| report.0 <= until) {
        hand.report(ms, contact, place);
    }
    hand.run_to(until + 17.0);
    let ActionState { x, y, .. } = hand.desk.action(0);
    [x, y]
}

#[rstest]
#[case::a_drag_right_and_up(GestureKind::Drag, [20.0, 60.0], [32.0, 44.0], [0.6, 0.8])]
#[case::within_its_slop(GestureKind::Drag, [20.0, 60.0], [21.0, 60.0], [0.0, 0.0])]
#[case::a_floating_stick(GestureKind::Stick(StickCentre::Floating), [20.0, 40.0], [26.0, 40.0], [0.5, 0.0])]
#[case::held_in_its_ring(GestureKind::Stick(StickCentre::Floating), [20.0, 40.0], [20.0, 0.0], [0.0, 1.0])]
#[case::a_fixed_stick(GestureKind::Stick(StickCentre::Fixed([0.5, 0.5])), [80.0, 40.0], [80.0, 46.0], [0.0, -0.5])]
#[case::landed_beside_it(GestureKind::Stick(StickCentre::Fixed([0.5, 0.5])), [40.0, 40.0], [80.0, 46.0], [0.0, 0.0])]
#[case::an_aim(GestureKind::Aim { origin: [0.5, 0.5] }, [80.0, 40.0], [110.0, 40.0], [1.0, 0.0])]
#[case::a_near_aim_is_as_long(GestureKind::Aim { origin: [0.5, 0.5] }, [80.0, 40.0], [83.0, 44.0], [0.6, -0.8])]
#[case::too_near(GestureKind::Aim { origin: [0.5, 0.5] }, [80.0, 40.0], [81.0, 40.0], [0.0, 0.0])]
fn what_lasts_gives_a_vector_until_it_is_lifted(
    #[case] kind: GestureKind,
    #[case] from: [f32; 2],
    #[case] to: [f32; 2],
    #[case] expected: [f32; 2],
) {
    let reports = stroke(100.0, 1, from, to, 300.0);
    let [x, y] = given(kind, &reports, 400.0);
    assert!(near(x, expected[0]) && near(y, expected[1]), "{x} {y}");
    assert_eq!(given(kind, &reports, 600.0), [0.0, 0.0]);
}

#[test]
fn a_following_stick_turns_at_once() {
    // 40 mm right, and 12 back: one that follows is at rest again, and on.
    let reports = path(100.0, 1, &[[20.0, 40.0], [60.0, 40.0], [36.0, 40.0]], 400.0);
    let [floating, following] = [StickCentre::Floating, StickCentre::Following]
        .map(|centre| given(GestureKind::Stick(centre), &reports, 500.0)[0]);
    assert!(near(floating, 1.0) && near(following, -1.0), "{floating} {following}");
}

/// What a finger that rests gives does not change when another one moves, not even by the
/// last digit, though its stick was drawn along.
#[rstest]
fn a_stick_that_was_drawn_along_rests_with_its_finger(
    #[values(0.1, 0.3, 0.7, 1.1)] slope: f32,
    #[values(30.0, 37.0, 41.0)] far: f32,
) {
    let left = Zone { claim: Claim::Share, ..common::zone("left", [0.0, 0.0], [0.5, 1.0]) };
    let stick = GestureKind::Stick(StickCentre::Following);
    let stick = Gesture { zone: Some(ZoneId(0)), ..with_fingers("it", stick, 1, &[]) };
    let tap = with_fingers("tap", GestureKind::Tap { times: 1 }, 1, &[]);
    let mut hand = Hand::new(Rig { zones: vec![left], ..gesture_rig(vec![stick, tap]) });
    hand.report(100.0, 1, Some([20.0, 20.0]));
    hand.report(120.0, 1, Some([20.0 + far, 20.0 + far * slope]));
    hand.run_to(140.0);
    let value = |hand: &Hand| hand.desk.session.now().gesture(GestureId(0)).value;
    let held = value(&hand);
    assert!(near(held[0].hypot(held[1]), 1.0), "{held:?}");
    for step in 0..20 {
        hand.report(150.0 + f64::from(step) * 17.0, 2, Some([120.0 + step as f32, 30.0]));
        assert_eq!(value(&hand), held, "at step {step}");
    }
}

#[rstest]
#[case::apart(GestureKind::Pinch, [60.0, 40.0], [40.0, 40.0], [80.0, 40.0], [100.0, 40.0], 1.0)]
#[case::together(GestureKind::Pinch, [40.0, 40.0], [60.0, 40.0], [100.0, 40.0], [88.284, 40.0], -1.0)]
#[case::not_enough(GestureKind::Pinch, [60.0, 40.0], [59.5, 40.0], [80.0, 40.0], [80.5, 40.0], 0.0)]
#[case::a_quarter_counter_clockwise(
    GestureKind::Rotate, [60.0, 40.0], [80.0, 60.0], [100.0, 40.0], [80.0, 20.0], 1.0)]
#[case::an_eighth_clockwise(
    GestureKind::Rotate, [60.0, 40.0], [65.858, 25.858], [100.0, 40.0], [94.142, 54.142], -0.5)]
fn two_fingers(
    #[case] kind: GestureKind,
    #[case] from_1: [f32; 2],
    #[case] to_1: [f32; 2],
    #[case] from_2: [f32; 2],
    #[case] to_2: [f32; 2],
    #[case] expected: f32,
) {
    let reports =
        together([stroke(100.0, 1, from_1, to_1, 300.0), stroke(100.0, 2, from_2, to_2, 300.0)]);
    let [value, _] = given(kind, &reports, 400.0);
    assert!(
        (value - expected).abs() < 0.03 || expected.abs() == 1.0 && value * expected > 0.75,
        "{value}"
    );
    assert_eq!(given(kind, &reports, 600.0), [0.0, 0.0]);
}

/// Between two polls their line turns by 106 degrees clockwise, whichever moves first.
#[rstest]
#[case::the_one([100.0, 110.0])]
#[case::the_other([110.0, 100.0])]
fn two_fingers_turn_by_the_shorter_way_whichever_landed_first(#[case] landed: [f64; 2]) {
    let ways = [[[46.2, 36.8], [53.8, 38.7]], [[49.6, 35.2], [54.4, 42.4]]];
    let hand = |n: usize| {
        vec![(landed[n], n as u32 + 1, Some(ways[n][0])), (150.0, n as u32 + 1, Some(ways[n][1]))]
    };
    assert_eq!(given(GestureKind::Rotate, &together([hand(0), hand(1)]), 180.0), [-1.0, 0.0]);
}

/// Both fingers go the same way, further between two polls than the slop.
#[rstest]
#[case::no_pinch(GestureKind::Pinch)]
#[case::no_rotation(GestureKind::Rotate)]
fn two_fingers_side_by_side(#[case] kind: GestureKind) {
    let reports = together([
        stroke(100.0, 1, [20.0, 30.0], [110.0, 60.0], 150.0),
        stroke(100.0, 2, [40.0, 30.0], [130.0, 60.0], 150.0),
    ]);
    let hand = played(vec![gesture("it", kind, &[])], &reports);
    assert!(hand.fired().is_empty(), "{:?}", hand.verdicts());
}

fn signs(hand: &mut Rig) {
    let sign =
        |name: &str, path: &[[f32; 2]]| Sign { name: name.into(), examples: vec![path.to_vec()] };
    hand.signs = vec![hook(), sign("roof", &[[0.0, 10.0], [10.0, 0.0], [20.0, 10.0]])];
}

#[rstest]
#[case::a_hook(&[[40.0, 20.0], [41.0, 48.0], [56.0, 50.0]], &["hook"])]
#[case::a_roof(&[[40.0, 50.0], [58.0, 24.0], [70.0, 50.0]], &["roof"])]
#[case::neither(&[[40.0, 20.0], [80.0, 20.0]], &[])]
#[case::too_small(&[[40.0, 20.0], [40.0, 25.0], [42.0, 25.0]], &[])]
fn a_stroke_is_the_sign_it_is_like(#[case] places: &[[f32; 2]], #[case] expected: &[&str]) {
    let kind = |sign| GestureKind::Sign { sign: SignId(sign) };
    let mut rig = gesture_rig(vec![gesture("hook", kind(0), &[]), gesture("roof", kind(1), &[])]);
    signs(&mut rig);
    let mut hand = Hand::new(rig);
    hand.play(&path(100.0, 1, places, 500.0));
    assert_eq!(hand.fired(), expected, "{:?}", hand.verdicts());
    assert_eq!(hand.verdicts().len(), 2);
}

/// A tap that waits for a double tap.
fn waiting() -> Vec<Gesture> {
    let tap = gesture("tap", GestureKind::Tap { times: 1 }, &[]);
    vec![Gesture { waits_for: vec![GestureId(1)], ..tap }, gesture("double", DOUBLE, &[])]
}

#[test]
fn a_tap_that_waits_for_a_double_tap_is_late_by_the_gap() {
    let hand = played(waiting(), &tap(100.0, 1, [20.0, 20.0], 80.0));
    assert_eq!(hand.fired(), ["tap"]);
    let verdict = hand.verdicts()[0];
    // Met at 180 ms, fired once the 250 ms of the gap were over.
    assert_eq!((verdict.met, verdict.fired), (Some(Tick(11)), Some(Tick(26))));
}

#[test]
fn a_double_tap_ends_the_taps_that_wait_for_it() {
    let taps = [100.0, 300.0].map(|ms| tap(ms, 1, [20.0, 20.0], 80.0));
    let hand = played(waiting(), &together(taps));
    assert_eq!(hand.fired(), ["double"]);
    let cancelled = hand
        .verdicts()
        .iter()
        .filter(|v| v.outcome == GestureOutcome::Cancelled(GestureId(1)))
        .count();
    assert_eq!(cancelled, 2);
}

#[test]
fn a_second_tap_that_is_held_lets_both_taps_through() {
    let held = together([tap(100.0, 1, [20.0, 20.0], 80.0), tap(300.0, 1, [20.0, 20.0], 600.0)]);
    // The first fires as soon as the second finger has stayed too long.
    let hand = played(waiting(), &held);
    assert_eq!(hand.fired(), ["tap"]);
    assert_eq!(hand.verdicts().iter().find_map(|v| v.fired), Some(Tick(34)));
}

/// Files cannot say it, but code can.
#[rstest]
#[case::none(GestureKind::Tap { times: 1 }, 0, 1)]
#[case::a_press_has_one(GestureKind::Press, 9, 1)]
#[case::a_pinch_has_two(GestureKind::Pinch, 1, 2)]
fn fingers_that_a_kind_cannot_have_count_as_the_nearest_it_can(
    #[case] kind: GestureKind,
    #[case] says: u8,
    #[case] takes: u32,
) {
    let it = Gesture { fingers: says, ..gesture("it", kind, &[]) };
    let lasts = if kind == GestureKind::Press { 600.0 } else { 100.0 };
    let hands = (1..=takes).map(|n| {
        let x = 20.0 * n as f32;
        // Two fingers apart, if they pinch.
        let to = if kind == GestureKind::Pinch { 30.0 * n as f32 } else { x };
        stroke(100.0, n, [x, 20.0], [to, 20.0], lasts)
    });
    let hand = played(vec![it], &together(hands));
    assert_eq!(hand.fired(), ["it"], "{:?}", hand.verdicts());
}

/// Where fingers go is measured when all of them are there: one that moved far may still be the
/// first of two that tap, until the second one is too late.
#[rstest]
#[case::the_second_one_comes(true, &["both"], None)]
#[case::it_does_not(false, &["swipe"], Some(Tick(14)))]
fn a_swipe_waits_for_the_second_finger_of_a_tap(
    #[case] comes: bool,
    #[case] expected: &[&str],
    #[case] at: Option<Tick>,
) {
    let both = with_fingers("both", GestureKind::Tap { times: 1 }, 2, &[(Quantity::Move, 5.0)]);
    let (toward, fires) = (SwipeDirections::FOUR, SwipeFires::Passing);
    let swipe = GestureKind::Swipe { toward, fires, from_edge: None };
    let swipe = Gesture { waits_for: vec![GestureId(1)], ..gesture("swipe", swipe, &[]) };
    let mut first = stroke(100.0, 1, [20.0, 20.0], [60.0, 20.0], 50.0);
    first.pop();
    first.push((290.0, 1, None));
    let second = if comes { tap(190.0, 2, [90.0, 20.0], 90.0) } else { vec![] };
    let hand = played(vec![swipe, both], &together([first, second]));
    assert_eq!(hand.fired(), expected, "{:?}", hand.verdicts());
    let verdicts = hand.verdicts();
    let is_it = |v: &&GestureVerdict| v.gesture == GestureId(0) && v.way[0] == [20.0, 20.0];
    let swipe = verdicts.iter().find(is_it).unwrap();
    // The second finger may come until 220 ms.
    assert_eq!((swipe.met, swipe.fired), (Some(Tick(8)), at));
}

#[test]
fn a_drag_that_takes_its_contact_ends_the_long_press() {
    let drag = Gesture { takes: true, ..gesture("drag", GestureKind::Drag, &[]) };
    let press = gesture("press", GestureKind::Press, &[(Quantity::Move, 40.0)]);
    let slow = stroke(100.0, 1, [20.0, 20.0], [40.0, 20.0], 900.0);
    let hand = played(vec![drag.clone(), press.clone()], &slow);
    assert_eq!(hand.fired(), ["drag"]);
    assert!(
        hand.verdicts()
            .iter()
            .any(|verdict| verdict.outcome == GestureOutcome::Cancelled(GestureId(0)))
    );
    let beside = Gesture { beside: vec![GestureId(0)], ..press };
    assert_eq!(played(vec![drag, beside], &slow).fired(), ["drag", "press"]);
}

#[test]
fn a_zone_that_takes_a_contact_keeps_it_from_gestures_without_one() {
    let mut on_zone = gesture("on", GestureKind::Tap { times: 1 }, &[]);
    on_zone.zone = Some(ZoneId(0));
    let rig = gesture_rig(vec![on_zone, gesture("off", GestureKind::Tap { times: 1 }, &[])]);
    let left = common::zone("left", [0.0, 0.0], [0.5, 1.0]);
    let played = |claim| {
        let mut hand =
            Hand::new(Rig { zones: vec![Zone { claim, ..left.clone() }], ..rig.clone() });
        let taps = [[20.0, 20.0], [120.0, 20.0]].iter().zip([100.0, 300.0]);
        hand.play(&together(taps.map(|(at, ms)| tap(ms, 1, *at, 80.0))));
        hand.fired()
    };
    assert_eq!(played(Claim::Take), ["on", "off"]);
    assert_eq!(played(Claim::Share), ["on", "off", "off"]);
}

/// Bad input: nothing sticks, and nothing is made up.
mod trouble {
    use super::*;

    #[test]
    fn a_panel_that_goes_away_breaks_what_was_on_it() {
        let mut hand = Hand::new(gesture_rig(vec![
            gesture("press", GestureKind::Press, &[]),
            gesture("drag", GestureKind::Drag, &[]),
        ]));
        hand.report(100.0, 1, Some([20.0, 20.0]));
        hand.report(200.0, 1, Some([40.0, 20.0]));
        hand.run_to(300.0);
        assert!(hand.desk.action(1).is_active());
        let glass = hand.desk.session.roster().control(hand.desk.control("glass/contact-1")).device;
        hand.desk.session.unplug(glass, Nanos::from_millis(310));
        hand.run_to(2000.0);
        assert!(!hand.desk.action(0).is_active() && !hand.desk.action(1).is_active());
        let outcomes: Vec<GestureOutcome> = hand.verdicts().iter().map(|v| v.outcome).collect();
        assert_eq!(outcomes, [GestureOutcome::Broken, GestureOutcome::Fired]);
        assert!(hand.desk.session.now().candidates(hand.desk.session.plan()).is_empty());
    }

    /// The press would have been long enough at the poll that misses the panel.
    #[test]
    fn what_a_panel_breaks_is_judged_no_more_and_one_of_two_taps_is_none() {
        let press = gesture("press", GestureKind::Press, &[]);
        let mut hand = Hand::new(gesture_rig(vec![press, gesture("double", DOUBLE, &[])]));
        hand.report(101.0, 1, Some([20.0, 20.0]));
        hand.run_to(600.0);
        let glass = hand.desk.session.roster().control(hand.desk.control("glass/contact-1")).device;
        hand.desk.session.unplug(glass, Nanos::from_millis(610));
        hand.run_to(2000.0);
        let told: Vec<(GestureId, GestureOutcome)> =
            hand.verdicts().iter().map(|verdict| (verdict.gesture, verdict.outcome)).collect();
        assert_eq!(told, [(GestureId(0), GestureOutcome::Broken)]);
    }

    /// Gone, back, and touched elsewhere, all between two polls.
    #[test]
    fn a_panel_that_comes_back_at_once_has_other_fingers() {
        let mut hand =
            Hand::new(gesture_rig(vec![gesture("it", GestureKind::Tap { times: 1 }, &[])]));
        hand.report(100.0, 1, Some([20.0, 20.0]));
        hand.run_to(300.0);
        let contact = hand.desk.control("glass/contact-1");
        let glass = hand.desk.session.roster().control(contact).device;
        let info = hand.desk.session.roster().device(glass).info.clone();
        hand.desk.session.unplug(glass, Nanos::from_millis(302));
        assert_eq!(hand.desk.session.plug(info, Nanos::from_millis(304)), Ok(glass));
        hand.report(306.0, 1, Some([90.0, 20.0]));
        hand.report(380.0, 1, None);
        hand.run_to(1000.0);
        let verdicts = hand.verdicts();
        let told: Vec<(GestureOutcome, [f32; 2])> =
            verdicts.iter().map(|verdict| (verdict.outcome, verdict.way[1])).collect();
        let (broken, fired) = (GestureOutcome::Broken, GestureOutcome::Fired);
        assert_eq!(told, [(broken, [20.0, 20.0]), (fired, [90.0, 20.0])]);
    }

    /// A finger that rests is no second finger of those that tap.
    #[test]
    fn a_resting_finger_is_not_in_the_way_of_two_others() {
        let gestures = vec![with_fingers("it", GestureKind::Tap { times: 1 }, 2, &[])];
        let resting = vec![(100.0, 3, Some([120.0, 60.0])), (1500.0, 3, None)];
        let taps = [tap(900.0, 1, [20.0, 20.0], 80.0), tap(920.0, 2, [60.0, 20.0], 80.0)].concat();
        let hand = played(gestures, &together([resting, taps]));
        assert_eq!(hand.fired(), ["it"]);
    }

    /// Of three fingers that tap at once, two are one tap, and none counts twice.
    #[test]
    fn a_finger_counts_for_one_tap_alone() {
        let gestures = vec![with_fingers("it", GestureKind::Tap { times: 1 }, 2, &[])];
        let taps = [1, 2, 3].map(|n| tap(100.0, n, [30.0 * n as f32, 20.0], 80.0));
        let hand = played(gestures, &together(taps));
        assert_eq!(hand.fired(), ["it"]);
        let ended =
            hand.verdicts().iter().any(|v| v.outcome == GestureOutcome::Cancelled(GestureId(0)));
        assert!(ended, "{:?}", hand.verdicts());
    }

    /// A take that ends while fingers are down tells what they came to.
    #[test]
    fn what_goes_on_is_told_at_the_end() {
        let mut hand = Hand::new(gesture_rig(vec![
            gesture("press", GestureKind::Press, &[]),
            gesture("tap", GestureKind::Tap { times: 1 }, &[]),
            gesture("double", DOUBLE, &[]),
        ]));
        hand.report(100.0, 1, Some([20.0, 20.0]));
        hand.run_to(800.0);
        let told = hand.desk.session.attempts();
        let outcomes: Vec<(usize, GestureOutcome)> =
            told.iter().map(|verdict| (verdict.gesture.index(), verdict.outcome)).collect();
        // One tap of two is no attempt yet.
        let (fired, open) = (GestureOutcome::Fired, GestureOutcome::Open);
        assert_eq!(outcomes, [(0, fired), (1, open)]);
        assert!(near(margin(&told[1], Quantity::Lift), -450.0), "{:?}", told[1]);
    }

    /// The flat of a hand, as the panel finds out after a while.
    #[test]
    fn a_touch_that_is_taken_back_is_no_tap() {
        let mut hand =
            Hand::new(gesture_rig(vec![gesture("it", GestureKind::Tap { times: 1 }, &[])]));
        hand.report(100.0, 1, Some([20.0, 20.0]));
        let control = hand.desk.control("glass/contact-1");
        let time = Nanos::from_millis(180);
        hand.desk.session.report(Event { time, value: 0, control, marks: Marks::CANCELLED });
        hand.run_to(1000.0);
        assert_eq!(hand.verdicts()[0].outcome, GestureOutcome::Broken);
        assert!(hand.fired().is_empty());
        // The next one counts again.
        hand.play(&tap(1100.0, 1, [20.0, 20.0], 80.0));
        assert_eq!(hand.fired(), ["it"]);
    }

    /// A panel of many contacts, all of which land and lift at once.
    #[rstest]
    #[case(50)]
    #[case(300)]
    fn many_fingers_are_many_fingers(#[case] fingers: usize) {
        let mut session = Session::new(
            gesture_rig(vec![gesture("it", GestureKind::Tap { times: 1 }, &[])]),
            Tick(0),
            Capacity::DEFAULT,
        );
        let device = session.plug(glass_of(fingers), Nanos(0)).unwrap();
        let controls: Vec<ControlId> = session.roster().device(device).controls().collect();
        for (ms, value) in [(50, 1), (120, 0)] {
            for &control in controls.iter().step_by(3) {
                let time = Nanos::from_millis(ms);
                session.report(Event { time, value, control, marks: Marks::empty() });
            }
        }
        session.run_until(Tick(20));
        let fired = session.history().verdicts().iter().filter(|v| v.fired.is_some()).count();
        assert_eq!(fired, fingers);
        assert!(session.now().candidates(session.plan()).is_empty());
    }

    /// A panel for so many fingers.
    fn glass_of(fingers: usize) -> DeviceInfo {
        let mut info = glass();
        info.controls.clear();
        for n in 1..=fingers {
            info.controls.push(ControlInfo::new(&format!("contact-{n}"), ControlKind::Button));
            for axis in ["x", "y"] {
                let kind = ControlKind::Position { min: 0, max: 1000 };
                info.controls.push(ControlInfo::new(&format!("contact-{n}-{axis}"), kind));
            }
        }
        info
    }

    /// More than there is room for begin no attempt, and nothing breaks.
    #[test]
    fn so_many_attempts_go_on_at_once() {
        let taps = (0..MAX_GESTURES)
            .map(|n| gesture(&format!("g{n}"), GestureKind::Tap { times: 1 }, &[]));
        let mut desk = Desk::new(gesture_rig(taps.collect()));
        let panel = desk.session.plug(glass_of(5), Nanos(0)).unwrap();
        let controls = desk.session.roster().device(panel).controls();
        for control in controls.step_by(3) {
            let (time, marks) = (Nanos::from_millis(50), Marks::empty());
            desk.session.report(Event { time, value: 1, control, marks });
        }
        desk.run_to(5);
        let attempts = desk.session.now().candidates(desk.session.plan()).len();
        assert_eq!(attempts, MAX_ATTEMPTS);
    }

    #[test]
    fn a_surface_of_no_size_breaks_nothing() {
        let mut info = glass();
        for control in &mut info.controls {
            if let ControlKind::Position { max, .. } = &mut control.kind {
                *max = 0;
            }
        }
        let mut desk = Desk::new(gesture_rig(vec![gesture("it", SWIPE, &[])]));
        desk.session.plug(info, Nanos(0)).unwrap();
        desk.set(100.0, "glass/contact-1-x", 7);
        desk.set(100.0, "glass/contact-1", 1);
        desk.set(200.0, "glass/contact-1-x", 900);
        desk.set(300.0, "glass/contact-1", 0);
        desk.run_to(60);
        let verdict = desk.session.history().verdicts()[0];
        assert_eq!(verdict.outcome, GestureOutcome::Missed);
        assert!(verdict.way.as_flattened().iter().all(|part| part.is_finite()));
    }

    /// The contact is lifted and put down elsewhere between two polls.
    #[test]
    fn a_contact_used_again_at_once_is_another_finger() {
        let reports = [
            (100.0, 1, Some([20.0, 20.0])),
            (151.0, 1, None),
            (152.0, 1, Some([90.0, 20.0])),
            (240.0, 1, None),
        ];
        let hand = played(vec![gesture("it", GestureKind::Tap { times: 1 }, &[])], &reports);
        assert_eq!(hand.fired(), ["it", "it"]);
    }

    #[test]
    fn a_landing_said_twice_is_one() {
        let reports = [
            (100.0, 1, Some([20.0, 20.0])),
            (150.0, 1, Some([20.0, 20.0])),
            (200.0, 1, None),
            (230.0, 1, None),
        ];
        assert_eq!(
            played(vec![gesture("it", GestureKind::Tap { times: 1 }, &[])], &reports).fired(),
            ["it"]
        );
    }

    #[test]
    fn a_finger_outside_the_surface_is_still_a_finger() {
        let reports = stroke(100.0, 1, [150.0, 40.0], [190.0, 40.0], 200.0);
        let hand = played(vec![gesture("it", SWIPE, &[])], &reports);
        assert_eq!(hand.verdicts().len(), 1);
    }
}

/// What a movement gives from where it fired begins at 0.
#[rstest]
#[case::a_drag(GestureKind::Drag, [0.0, 0.0], [0.5, 0.0])]
#[case::from_landing(GestureKind::Drag, [0.1, 0.0], [0.6, 0.0])]
fn a_slop_can_be_left_out(
    #[case] kind: GestureKind,
    #[case] as_it_fires: [f32; 2],
    #[case] later: [f32; 2],
) {
    let measured_from = match as_it_fires[0] {
        0.0 => MeasuredFrom::Firing,
        _ => MeasuredFrom::Landing,
    };
    let gestures = vec![Gesture { measured_from, ..gesture("it", kind, &[]) }];
    let mut hand = Hand::new(gesture_rig(gestures));
    hand.report(100.0, 1, Some([20.0, 20.0]));
    hand.report(200.0, 1, Some([22.0, 20.0]));
    hand.run_to(220.0);
    let value = |hand: &Hand| [hand.desk.action(0).x, hand.desk.action(0).y];
    assert!(hand.desk.session.now().gesture(GestureId(0)).is_on());
    assert!(near(value(&hand)[0], as_it_fires[0]), "{:?}", value(&hand));
    hand.report(300.0, 1, Some([32.0, 20.0]));
    hand.run_to(320.0);
    assert!(near(value(&hand)[0], later[0]), "{:?}", value(&hand));
}

#[rstest]
#[case::thrown_to_the_right(&[(100.0, [20.0, 40.0]), (180.0, [44.0, 40.0])], 181.0, Some([0.5, 0.0]))]
#[case::slowed_down(&[(100.0, [20.0, 40.0]), (180.0, [44.0, 40.0])], 400.0, None)]
#[case::upwards(&[(100.0, [20.0, 40.0]), (260.0, [20.0, 10.0]), (340.0, [20.0, 0.0])], 341.0, Some([0.0, 0.2]))]
fn a_flick_gives_the_velocity_of_its_end(
    #[case] places: &[(f64, [f32; 2])],
    #[case] lifted: f64,
    #[case] expected: Option<[f32; 2]>,
) {
    let mut hand = Hand::new(gesture_rig(vec![gesture("it", GestureKind::Flick, &[])]));
    for &(ms, place) in places {
        hand.report(ms, 1, Some(place));
    }
    hand.report(lifted, 1, None);
    hand.run_to(1000.0);
    let verdict = hand.verdicts()[0];
    assert_eq!(verdict.fired.is_some(), expected.is_some(), "{verdict:?}");
    if let Some([x, y]) = expected {
        let [vx, vy] = verdict.value;
        assert!((vx - x).abs() < 0.02 && (vy - y).abs() < 0.02, "{vx} {vy}");
    }
}

/// Pressed here, released there: both must be inside.
#[rstest]
#[case::on_it([20.0, 20.0], [25.0, 22.0], true, 0.0)]
#[case::slid_off([20.0, 20.0], [45.0, 22.0], false, -5.0)]
#[case::slid_onto_it([100.0, 20.0], [20.0, 20.0], false, 0.0)]
fn a_click_needs_both_ends_inside(
    #[case] from: [f32; 2],
    #[case] to: [f32; 2],
    #[case] fires: bool,
    #[case] spare: f32,
) {
    let click = gesture("click", GestureKind::Click { lifts_in: ZoneId(0) }, &[]);
    let mut rig = gesture_rig(vec![Gesture { zone: Some(ZoneId(0)), ..click }]);
    rig.zones = vec![common::zone("item", [0.0, 0.0], [0.25, 0.5])];
    let hand = {
        let mut hand = Hand::new(rig);
        hand.play(&stroke(100.0, 1, from, to, 900.0));
        hand
    };
    assert_eq!(hand.fired().len(), usize::from(fires));
    for verdict in hand.verdicts() {
        assert!(near(margin(&verdict, Quantity::Outside), spare), "{verdict:?}");
    }
}

/// An aim from an origin that code moves, with its length.
#[test]
fn an_aim_follows_its_origin() {
    let aim = GestureKind::Aim { origin: [0.5, 0.5] };
    let origin = ["other/x", "other/y"].map(common::reference);
    let it = Gesture { origin: Some(origin), ..gesture("it", aim, &[(Quantity::Reach, 40.0)]) };
    let mut hand = Hand::new(gesture_rig(vec![it]));
    let value = |hand: &Hand| [hand.desk.action(0).x, hand.desk.action(0).y];
    // Until its device is there, the origin is that of the kind: 80 and 40 mm.
    hand.report(100.0, 1, Some([100.0, 40.0]));
    hand.run_to(120.0);
    assert_eq!(value(&hand), [0.5, 0.0]);
    let place = ControlKind::Position { min: 0, max: 1000 };
    let centred = ControlKind::Axis { min: -100, centre: 0, max: 100 };
    let boom = DeviceInfo {
        kind: DeviceKind::Other,
        controls: vec![ControlInfo::new("x", place), ControlInfo::new("y", centred)],
        ..common::pad("boom")
    };
    hand.desk.session.plug(boom, Nanos::from_millis(130)).unwrap();
    // A quarter from the left and in the middle: 40 and 40 mm; the finger rests.
    hand.desk.set(140.0, "other1/x", 250);
    hand.run_to(160.0);
    assert_eq!(value(&hand), [1.0, 0.0]);
    hand.desk.set(170.0, "other1/x", 625);
    hand.desk.set(170.0, "other1/y", 50);
    hand.run_to(200.0);
    // 100 and 60 mm: the finger is 20 mm above it.
    assert!(near(value(&hand)[0], 0.0) && near(value(&hand)[1], 0.5), "{:?}", value(&hand));
    // Over the finger it gives no direction, and goes on.
    hand.desk.set(210.0, "other1/y", 0);
    hand.run_to(230.0);
    assert_eq!(value(&hand), [0.0, 0.0]);
    hand.report(300.0, 1, None);
    hand.run_to(400.0);
    assert_eq!(hand.fired(), ["it"]);
}

/// The same gesture in another unit does the same, and says so in that unit.
#[rstest]
#[case::millimetres(LengthUnit::Mm, 1.0)]
#[case::pixels(LengthUnit::Px, 12.0)]
#[case::shares(LengthUnit::Share, 1.0 / 160.0)]
fn lengths_are_measured_in_any_unit(#[case] unit: LengthUnit, #[case] per_mm: f32) {
    let kinds = [
        (SWIPE, vec![(Quantity::Length, 20.0), (Quantity::OffAxisMm, 3.0)]),
        (GestureKind::Tap { times: 2 }, vec![(Quantity::Move, 2.0), (Quantity::Spread, 8.0)]),
        (GestureKind::Drag, vec![(Quantity::Slop, 4.0), (Quantity::Reach, 40.0)]),
        (GestureKind::Flick, vec![(Quantity::Release, 50.0), (Quantity::ReachSpeed, 500.0)]),
        (GestureKind::Aim { origin: [0.5, 0.5] }, vec![(Quantity::Dead, 5.0)]),
    ];
    let of = |unit: LengthUnit, per_mm: f32| {
        let gestures = kinds.iter().map(|(kind, limits)| {
            let limits: Vec<(Quantity, f32)> =
                limits.iter().map(|&(quantity, mm)| (quantity, mm * per_mm)).collect();
            Gesture { unit, ..gesture("it", *kind, &limits) }
        });
        let mut rig = gesture_rig(gestures.collect());
        rig.surface.pixels = Some([1920.0, 960.0]);
        let mut hand = Hand::new(rig);
        let taps = [1000.0, 1200.0].map(|ms| tap(ms, 2, [30.0, 30.0], 60.0));
        let strokes = [stroke(100.0, 1, [20.0, 20.0], [55.0, 22.0], 250.0), taps.concat()];
        hand.play(&together(strokes));
        hand.verdicts()
    };
    for (one, other) in of(LengthUnit::Mm, 1.0).iter().zip(of(unit, per_mm)) {
        assert_eq!(
            (one.gesture, one.outcome, one.fired),
            (other.gesture, other.outcome, other.fired)
        );
        let [vx, vy] = [0, 1].map(|n| (one.value[n] - other.value[n]).abs());
        assert!(vx < 1e-3 && vy < 1e-3, "{one:?} {other:?}");
        assert!((one.way[1][0] - other.way[1][0]).abs() < 1e-3);
        for (one, other) in one.checks().iter().zip(other.checks()) {
            let is_length = other.tunable().name != one.tunable().name || unit == LengthUnit::Mm;
            let by = if is_length && one.tunable().unit.starts_with("mm") { per_mm } else { 1.0 };
            let off = (one.margin * by - other.margin).abs();
            assert!(off <= 1e-3 * by.max(1.0) || !one.margin.is_finite(), "{one:?} {other:?}");
        }
    }
}
