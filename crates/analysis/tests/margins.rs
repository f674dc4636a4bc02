//! The margins of verdicts are true: a limit that is loosened by what a miss
//! lacked fires, and by less does not; one that is tightened by what a verdict
//! had to spare still fires, and by more does not.

mod common;

use common::hand::*;
use gtrig_core::*;
use proptest::prelude::*;

/// How closely a limit is moved past a margin, in its unit: float arithmetic
/// with numbers of this size is ten times as exact.
fn hair(of: Quantity) -> f32 {
    match of.tunable().unit {
        "ms" => 0.01,
        "mm/s" | "degrees" => 0.02,
        "of the path" => 0.0001,
        _ => 0.001,
    }
}

fn kinds() -> impl Strategy<Value = (GestureKind, u8)> {
    let toward = prop_oneof![
        Just(SwipeDirections::Any),
        Just(SwipeDirections::FOUR),
        Just(SwipeDirections::EIGHT),
        (1u8..=255).prop_map(SwipeDirections::Some),
    ];
    let fires = prop_oneof![Just(SwipeFires::Passing), Just(SwipeFires::Release)];
    let edge = prop::option::of(prop::sample::select(PanelEdge::ALL.to_vec()));
    let swipe = (toward, fires, edge).prop_map(|(toward, fires, from_edge)| GestureKind::Swipe {
        toward,
        fires,
        from_edge,
    });
    prop_oneof![
        (1u8..4, 1u8..3).prop_map(|(times, fingers)| (GestureKind::Tap { times }, fingers)),
        Just((GestureKind::Press, 1)),
        (swipe, 1u8..3),
        (Just(GestureKind::Drag), 1u8..3),
        Just((GestureKind::Pinch, 2)),
        Just((GestureKind::Rotate, 2)),
        Just((GestureKind::Stick(StickCentre::Fixed([0.5, 0.5])), 1)),
        Just((GestureKind::Aim { origin: [0.5, 0.5] }, 1)),
        Just((GestureKind::Flick, 1)),
        Just((GestureKind::Click { lifts_in: ZoneId(0) }, 1)),
        (0u16..2).prop_map(|sign| (GestureKind::Sign { sign: SignId(sign) }, 1)),
    ]
}

/// A gesture that asks everything it can, around its defaults.
fn gestures() -> impl Strategy<Value = Gesture> {
    (kinds(), prop::collection::vec((0.3f32..2.0, any::<bool>()), Quantity::COUNT)).prop_map(
        |((kind, fingers), factors)| {
            let mut gesture = with_fingers("it", kind, fingers, &[]);
            for (quantity, _) in kind.quantities(fingers) {
                let (factor, is_said) = factors[quantity as usize];
                let default = quantity.tunable().default as f32;
                if gesture.limits.of(quantity).is_some() || is_said {
                    gesture.limits.set(quantity, Some(default * factor));
                }
            }
            gesture
        },
    )
}

/// A few strokes of one or two fingers: where each begins, its legs, how long
/// it takes, and how long the hand rests before.
fn strokes() -> impl Strategy<Value = Vec<Report>> {
    let place = (30.0f32..130.0, 10.0f32..70.0).prop_map(|(x, y)| [x, y]);
    let leg = prop_oneof![
        (-1.5f32..1.5, -1.5f32..1.5),
        (-5.0f32..5.0, -5.0f32..5.0),
        (-30.0f32..30.0, -30.0f32..30.0),
    ];
    let legs = prop::collection::vec(leg, 1..4);
    let second = prop::option::of(((-30.0f32..30.0, -20.0f32..20.0), 0.0f64..150.0));
    let one = (place, legs, second, 20.0f64..700.0, 10.0f64..600.0);
    prop::collection::vec(one, 1..4).prop_map(|strokes| {
        let (mut parts, mut at) = (Vec::new(), 50.0);
        for ([x, y], legs, second, ms, rest) in strokes {
            at += rest;
            let mut places = vec![[x, y]];
            places.extend(legs.iter().scan([x, y], |[x, y], (dx, dy)| {
                (*x, *y) = (*x + dx, *y + dy);
                Some([*x, *y])
            }));
            parts.push(path(at, 1, &places, ms));
            if let Some(((dx, dy), later)) = second {
                let other: Vec<[f32; 2]> =
                    places.iter().map(|[px, py]| [2.0 * x + dx - px, 2.0 * y + dy - py]).collect();
                parts.push(path(at + later, 2, &other, ms));
                at += later;
            }
            at += ms;
        }
        together(parts)
    })
}

fn rig_of(gesture: &Gesture) -> Rig {
    let sign =
        |name: &str, path: &[[f32; 2]]| Sign { name: name.into(), examples: vec![path.to_vec()] };
    let signs = vec![hook(), sign("dash", &[[0.0, 0.0], [20.0, 1.0]])];
    let left = common::zone("left", [0.0, 0.0], [0.5, 0.5]);
    let zones = vec![Zone { claim: Claim::Share, ..left }];
    Rig { signs, zones, ..gesture_rig(vec![gesture.clone()]) }
}

fn run(gesture: &Gesture, reports: &[Report]) -> Vec<GestureVerdict> {
    let mut hand = Hand::new(rig_of(gesture));
    hand.play(reports);
    hand.verdicts()
}

/// Whether the attempt fires with a limit moved by `by` towards asking more.
fn fires_with(
    gesture: &Gesture,
    reports: &[Report],
    verdict: &GestureVerdict,
    check: &CheckedLimit,
    by: f32,
) -> bool {
    let limit = match check.quantity.sense() {
        LimitSense::AtMost => check.limit - by,
        _ => check.limit + by,
    };
    let mut moved = gesture.clone();
    moved.limits.set(check.quantity, Some(limit));
    // Of several taps an earlier sequence may fire now, and spend some of these.
    let is_it = |other: &GestureVerdict| match gesture.kind {
        GestureKind::Tap { times: 2.. } => {
            other.ended >= verdict.began && other.began <= verdict.ended
        }
        _ => other.began == verdict.began && other.contact == verdict.contact,
    };
    run(&moved, reports).iter().any(|other| is_it(other) && other.outcome == GestureOutcome::Fired)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn a_margin_is_exact(gesture in gestures(), reports in strokes()) {
        for verdict in run(&gesture, &reports) {
            for check in verdict.checks().iter().filter(|check| check.is_alone) {
                let hair = hair(check.quantity);
                let fires = |by| fires_with(&gesture, &reports, &verdict, check, by);
                prop_assert!(
                    fires(check.margin - hair), "not by {} less a hair: {:?}", check.margin, verdict
                );
                // Of several taps others may fire in their place.
                let is_replaced = matches!(gesture.kind, GestureKind::Tap { times: 2.. });
                prop_assert!(
                    is_replaced || !fires(check.margin + hair),
                    "even by {} and a hair: {:?}", check.margin, verdict
                );
            }
        }
    }

    /// The same of a press that another gesture ends, whether it waits for that one or not:
    /// with a limit moved by less than its margin it would have met them all, by more not.
    #[test]
    fn a_margin_of_what_was_ended_is_exact(
        hold in 10.0f32..200.0, moves in 0.5f32..10.0, waits in any::<bool>(),
        reports in strokes(),
    ) {
        let press = |hold, moves| {
            let mut it = with_fingers("it", GestureKind::Press, 1, &[]);
            it.limits.set(Quantity::Hold, Some(hold));
            it.limits.set(Quantity::Move, Some(moves));
            it.waits_for = if waits { vec![GestureId(1)] } else { vec![] };
            // Another finger ends it, which moves while this one rests.
            let other = with_fingers("other", GestureKind::Pinch, 2, &[(Quantity::Slop, 1.0)]);
            let other = Gesture { takes: true, ..other };
            let mut hand = Hand::new(gesture_rig(vec![it, other]));
            hand.play(&reports);
            hand.verdicts()
        };
        let is_it = |verdict: &&GestureVerdict| verdict.gesture == GestureId(0);
        let was_ended =
            |verdict: &&GestureVerdict| matches!(verdict.outcome, GestureOutcome::Cancelled(_));
        for verdict in press(hold, moves).iter().filter(is_it).filter(was_ended) {
            for check in verdict.checks().iter().filter(|check| check.is_alone) {
                let is_met = |by: f32| {
                    let again = match check.quantity {
                        Quantity::Hold => press(hold + by, moves),
                        _ => press(hold, moves - by),
                    };
                    let same = |other: &&GestureVerdict| {
                        is_it(other) && other.began == verdict.began && other.contact == verdict.contact
                    };
                    again.iter().find(same).is_some_and(|again| again.met.is_some())
                };
                let hair = hair(check.quantity);
                prop_assert!(is_met(check.margin - hair), "not by less: {:?}", verdict);
                prop_assert!(!is_met(check.margin + hair), "even by more: {:?}", verdict);
            }
        }
    }

    /// Whatever is reported, what fired met every limit, and what did not
    /// missed one at least.
    #[test]
    fn a_verdict_is_what_its_margins_say(gesture in gestures(), reports in strokes()) {
        for verdict in run(&gesture, &reports) {
            let is_met = verdict.checks().iter().all(|check| check.margin >= 0.0);
            prop_assert_eq!(verdict.outcome == GestureOutcome::Fired, is_met, "{:?}", verdict);
            prop_assert_eq!(verdict.nearest().is_some(), !is_met && verdict.checks().iter().any(|c| c.is_alone));
        }
    }

    /// Looking back at any tick, and running it all again, shows what was there.
    #[test]
    fn gestures_look_back_and_replay_as_they_were(gesture in gestures(), reports in strokes()) {
        let mut hand = Hand::new(rig_of(&gesture));
        let mut were = Vec::new();
        for &(ms, contact, place) in &reports {
            hand.report(ms, contact, place);
            let now = hand.desk.session.now();
            were.push((now.at(), now.gesture(GestureId(0)), now.action(ActionId(0))));
        }
        hand.run_to(reports.last().unwrap().0 + 1000.0);
        let session = &hand.desk.session;
        let again = session.retuned(session.rig().clone());
        prop_assert_eq!(again.history().verdicts(), session.history().verdicts());
        for (tick, gesture, action) in were {
            for session in [session, &again] {
                let machine = session.at(tick);
                prop_assert_eq!(machine.gesture(GestureId(0)), gesture);
                prop_assert_eq!(machine.action(ActionId(0)), action);
            }
        }
        prop_assert!(session.now().candidates(session.plan()).is_empty());
    }
}
