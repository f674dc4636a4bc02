//! Many gestures at once, with any rules among them: whatever fingers do, every
//! attempt ends, and no rule is broken.

mod common;

use common::hand::*;
use gtrig_core::*;
use proptest::prelude::*;

/// Gestures of any kind. Each may wait for later ones only, so that none waits
/// in a circle.
fn gestures() -> impl Strategy<Value = Vec<Gesture>> {
    let one = (0usize..14, any::<u8>(), any::<bool>(), any::<u8>(), any::<bool>(), 0.2f32..1.5);
    prop::collection::vec(one, 2..6).prop_map(|all| {
        let count = all.len();
        let bits = |of: u8, from: usize| {
            let places = (from..count).filter(move |n| of >> n & 1 != 0);
            places.map(GestureId::at).collect()
        };
        type Drawn = (usize, u8, bool, u8, bool, f32);
        let build = |(n, drawn): (usize, Drawn)| {
            let (kind, waits, takes, beside, zoned, scale) = drawn;
            let kind = every_kind()[kind];
            let mut gesture: Gesture = gesture(&format!("g{n}"), kind, &[]);
            for (quantity, _) in kind.quantities(gesture.fingers) {
                let limit = gesture.limits.of(quantity).map(|limit| limit * scale);
                gesture.limits.set(quantity, limit);
            }
            let (waits_for, beside) = (bits(waits, n + 1), bits(beside, 0));
            Gesture { waits_for, takes, beside, zone: zoned.then_some(ZoneId(0)), ..gesture }
        };
        all.into_iter().enumerate().map(build).collect()
    })
}

/// Two contacts that land, wander and lift, each at its own time.
fn touches() -> impl Strategy<Value = Vec<Report>> {
    let place = (5.0f32..155.0, 5.0f32..75.0).prop_map(|(x, y)| [x, y]);
    let way = prop_oneof![(-2.0f32..2.0, -2.0f32..2.0), (-40.0f32..40.0, -30.0f32..30.0)];
    let one = (place, way, 20.0f64..600.0, 5.0f64..400.0);
    prop::collection::vec((any::<bool>(), one), 1..8).prop_map(|strokes| {
        let mut free = [50.0, 60.0];
        let draw = |(second, ([x, y], (dx, dy), ms, rest)): (bool, ([f32; 2], _, f64, f64))| {
            let (dx, dy): (f32, f32) = (dx, dy);
            let begin = free[usize::from(second)] + rest;
            free[usize::from(second)] = begin + ms + 2.0;
            stroke(begin, 1 + u32::from(second), [x, y], [x + dx, y + dy], ms)
        };
        together(strokes.into_iter().map(draw).collect::<Vec<_>>())
    })
}

fn played(gestures: &[Gesture], reports: &[Report]) -> Hand {
    let mut rig = gesture_rig(gestures.to_vec());
    let left = common::zone("left", [0.0, 0.0], [0.5, 1.0]);
    rig.zones = vec![Zone { claim: Claim::Share, ..left }];
    rig.signs = vec![hook()];
    let mut hand = Hand::new(rig);
    hand.play(reports);
    // Whoever waits has waited long enough by then.
    hand.run_to(reports.last().map_or(0.0, |report| report.0) + 5000.0);
    hand
}

/// Whether two attempts had a first finger in common.
fn share(one: &GestureVerdict, other: &GestureVerdict) -> bool {
    one.contact == other.contact && one.began <= other.ended && other.began <= one.ended
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn every_attempt_ends_and_nothing_sticks(gestures in gestures(), reports in touches()) {
        let hand = played(&gestures, &reports);
        let session = &hand.desk.session;
        // Two taps may still wait for a third; nothing else goes on.
        let going = session.now().candidates(session.plan());
        prop_assert!(going.is_empty(), "{:?}", going);
        prop_assert!(session.now().is_settled());
        for n in 0..gestures.len() {
            let state = session.now().gesture(GestureId::at(n));
            prop_assert!(!state.is_on() && state.trying == 0 && state.value == [0.0; 2]);
            prop_assert!(!hand.desk.action(n as u16).is_active());
        }
    }

    #[test]
    fn whoever_was_ended_was_ended_by_one_that_came_first(
        gestures in gestures(), reports in touches(),
    ) {
        let verdicts = played(&gestures, &reports).verdicts();
        for verdict in &verdicts {
            let GestureOutcome::Cancelled(by) = verdict.outcome else { continue };
            let (ended, ender) =
                (&gestures[verdict.gesture.index()], &gestures[by.index()]);
            // By one that it waits for, which was met; or that took its fingers.
            let did = |other: &GestureVerdict| {
                let is_met = ended.waits_for.contains(&by) && other.met == Some(verdict.tick);
                let takes = ender.takes || (by == verdict.gesture && !ender.kind.lasts());
                let has_fired = takes && other.fired == Some(verdict.tick);
                other.gesture == by && (is_met || has_fired)
            };
            prop_assert!(verdicts.iter().any(did), "{:?}", verdict);
        }
    }

    /// What took a finger leaves nothing of it to those that had begun with it.
    #[test]
    fn a_finger_that_was_taken_fires_nothing_else(gestures in gestures(), reports in touches()) {
        let verdicts = played(&gestures, &reports).verdicts();
        let fired = || verdicts.iter().filter_map(|verdict| Some((verdict, verdict.fired?)));
        for (taker, at) in fired().filter(|(v, _)| gestures[v.gesture.index()].takes) {
            let n = taker.gesture.index();
            for (other, later) in fired().filter(|(other, _)| other.gesture != taker.gesture) {
                let m = other.gesture.index();
                let is_beside =
                    gestures[n].beside.contains(&GestureId::at(m)) || gestures[m].beside.contains(&GestureId::at(n));
                // One finger each, the same, that landed before it was taken.
                let is_single = taker.fingers == 1 && other.fingers == 1;
                let landed = time_of(at) >= other.began.0 && taker.ended >= other.began;
                if is_single && !is_beside && share(taker, other) && landed && is_of_one_finger(&gestures[m]) {
                    prop_assert!(later <= at, "{:?}\n{:?}", taker, other);
                }
            }
        }
    }

    /// Nothing fires before it is met, and one that waits for nobody at once.
    #[test]
    fn only_those_that_wait_fire_late(gestures in gestures(), reports in touches()) {
        for verdict in played(&gestures, &reports).verdicts() {
            let Some(fired) = verdict.fired else { continue };
            let met = verdict.met.unwrap();
            let waits = !gestures[verdict.gesture.index()].waits_for.is_empty();
            prop_assert!(met <= fired && (waits || met == fired), "{:?}", verdict);
        }
    }
}

/// The instant of a tick at 60 Hz.
fn time_of(tick: Tick) -> u64 {
    PollRate::DEFAULT.time_of(tick).0
}

/// Whether all of a gesture is one finger: several taps are spread over many.
fn is_of_one_finger(gesture: &Gesture) -> bool {
    !matches!(gesture.kind, GestureKind::Tap { times: 2.. })
}
