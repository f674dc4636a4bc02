//! Gestures against a second, slow version that is written from the documents:
//! fingers first, then polls, then every choice of taps.

mod common;

use common::{hand::*, zone};
use gtrig_core::*;
use proptest::prelude::*;

/// A finger, from landing to lifting; times in microseconds.
#[derive(Clone, Debug)]
struct Touch {
    contact: u32,
    landed: u64,
    lifted: u64,
    /// When it was reported where, the landing first.
    reports: Vec<(u64, [f32; 2])>,
}

impl Touch {
    /// Where it was last reported by an instant.
    fn at(&self, time: u64) -> [f32; 2] {
        self.reports.iter().rev().find(|report| report.0 <= time).unwrap_or(&self.reports[0]).1
    }
}

/// The instant of a tick at 60 Hz, in whole microseconds.
fn instant(tick: u64) -> u64 {
    tick * 1_000_000 / 60
}

/// The first tick that sees what is reported at an instant.
fn tick_at(time: u64) -> u64 {
    (0..).find(|&tick| PollRate::DEFAULT.time_of(Tick(tick as u32)).0 >= time * 1000).unwrap()
}

/// Fingers of two contacts, some of which land where another one was lifted less
/// than a poll before.
fn touches() -> impl Strategy<Value = Vec<Touch>> {
    let spot = prop::sample::select(vec![[30.0f32, 30.0], [32.0, 33.0], [120.0, 40.0]]);
    let way = prop_oneof![
        3 => (-1.0f32..1.0, -1.0f32..1.0),
        2 => (-30.0f32..30.0, -20.0f32..20.0),
    ];
    let rest = prop_oneof![1u64..20_000, 20_000u64..400_000, 400_000u64..900_000];
    let lasts = prop_oneof![1u64..20_000, 20_000u64..240_000, 240_000u64..900_000];
    let steps = prop_oneof![Just(0u64), 1u64..12];
    let one = (any::<bool>(), spot, way, rest, lasts, steps);
    prop::collection::vec(one, 1..14).prop_map(|drawn| {
        let mut free = [40_000, 55_000];
        let touch =
            |(second, [x, y], (dx, dy), rest, lasts, steps): (_, [f32; 2], _, _, _, u64)| {
                let (dx, dy): (f32, f32) = (dx, dy);
                let landed = free[usize::from(second)] + rest;
                let lifted = landed + lasts;
                free[usize::from(second)] = lifted;
                let report = |n: u64| {
                    let share = n as f32 / steps.max(1) as f32;
                    // As a panel says it, which decides where a limit is just met.
                    let mm = |v: f32, size: f32| (v * 100.0).round() / (size * 100.0) * size;
                    let place = [mm(x + dx * share, 160.0), mm(y + dy * share, 80.0)];
                    (landed + lasts * n / (steps + 1), place)
                };
                let mut reports: Vec<(u64, [f32; 2])> = (0..=steps).map(report).collect();
                reports.dedup_by_key(|report| report.0);
                Touch { contact: 1 + u32::from(second), landed, lifted, reports }
            };
        drawn.into_iter().map(touch).collect()
    })
}

/// The reports of fingers in order; where one lifts as another lands, the lift
/// comes first.
fn reports(touches: &[Touch]) -> Vec<Report> {
    let mut all: Vec<(u64, bool, Report)> = Vec::new();
    for touch in touches {
        let ms = |time: u64| time as f64 / 1000.0;
        for &(time, place) in &touch.reports {
            all.push((time, true, (ms(time), touch.contact, Some(place))));
        }
        all.push((touch.lifted, false, (ms(touch.lifted), touch.contact, None)));
    }
    all.sort_by_key(|&(time, lands, _)| (time, lands));
    all.into_iter().map(|(_, _, report)| report).collect()
}

fn played(rig: Rig, touches: &[Touch]) -> Vec<GestureVerdict> {
    let mut hand = Hand::new(rig);
    hand.play(&reports(touches));
    hand.run_to(touches.iter().map(|t| t.lifted).max().unwrap() as f64 / 1000.0 + 5000.0);
    hand.verdicts()
}

/// The fingers that some poll sees, with the ticks that see the landing and the
/// lift, in the order in which polls see them land.
fn seen(touches: &[Touch]) -> Vec<(&Touch, u64, u64)> {
    let mut seen: Vec<(&Touch, u64, u64)> = touches
        .iter()
        .map(|touch| (touch, tick_at(touch.landed), tick_at(touch.lifted)))
        .filter(|(_, landing, lift)| landing < lift)
        .collect();
    seen.sort_by_key(|(touch, _, _)| touch.landed);
    seen
}

fn far([x1, y1]: [f32; 2], [x2, y2]: [f32; 2]) -> f32 {
    ((x1 - x2).powi(2) + (y1 - y2).powi(2)).sqrt()
}

fn ms(micros: u64) -> f32 {
    micros as f32 / 1000.0
}

/// The whole microsecond that a report was made from.
fn micros(ms: f64) -> u64 {
    (ms * 1000.0).round() as u64
}

/// The polls that hear of a finger: when it was reported on last, and where it is.
fn moments(touch: &Touch, landing: u64, lift: u64) -> Vec<(u64, [f32; 2])> {
    (landing..=lift)
        .filter_map(|tick| {
            let (after, until) = (instant(tick.saturating_sub(1)), instant(tick));
            let end = touch.lifted <= until;
            let until = until.min(touch.lifted);
            let last = touch.reports.iter().map(|report| report.0).filter(|&t| t <= until).max()?;
            match (end, last > after) {
                (true, _) => Some((touch.lifted, touch.at(touch.lifted))),
                (false, true) => Some((last, touch.at(last))),
                (false, false) => None,
            }
        })
        .collect()
}

/// Whether a finger alone does what a gesture asks.
fn fires(kind: GestureKind, touch: &Touch, landing: u64, lift: u64) -> bool {
    let moments = moments(touch, landing, lift);
    let start = moments[0].1;
    let moved =
        |until: usize| moments[..=until].iter().map(|m| far(m.1, start)).fold(0.0, f32::max);
    let last = moments.len() - 1;
    let lasted = ms(touch.lifted - touch.landed);
    match kind {
        GestureKind::Tap { .. } => lasted <= 250.0 && moved(last) <= 3.0,
        // Until a poll hears of it again it is as it was.
        GestureKind::Press => (0..moments.len()).any(|n| {
            let until = moments.get(n + 1).map_or(touch.lifted, |next| next.0);
            ms(until - touch.landed) >= 500.0 && moved(n) <= 3.0
        }),
        GestureKind::Swipe { fires: SwipeFires::Release, .. } => {
            far(moments[last].1, start) >= 15.0 && lasted <= 500.0
        }
        GestureKind::Swipe { .. } => {
            let holds =
                |m: &(u64, [f32; 2])| far(m.1, start) >= 15.0 && ms(m.0 - touch.landed) <= 500.0;
            moments[1..].iter().any(holds)
        }
        GestureKind::Flick => {
            let begins = touch.lifted.saturating_sub(80_000);
            let times = std::iter::once(touch.landed).chain(moments[1..].iter().map(|m| m.0));
            let places = times.zip(moments.iter().map(|m| m.1)).take(last.max(1));
            let (first, from) = places
                .clone()
                .filter(|(time, _)| *time <= begins)
                .last()
                .or(places.clone().next())
                .unwrap();
            let lifted = touch.at(touch.lifted);
            far(lifted, from) / ms(touch.lifted - first) * 1000.0 >= 120.0
        }
        GestureKind::Click { .. } => {
            let [x, y] = touch.at(touch.lifted);
            (0.0..=80.0).contains(&x) && (0.0..=40.0).contains(&y)
        }
        GestureKind::Drag => moments[1..last].iter().any(|m| far(m.1, start) >= 2.0),
        _ => unreachable!("not asked here"),
    }
}

const TOWARD: SwipeDirections = SwipeDirections::Any;

fn kinds() -> [GestureKind; 7] {
    [
        GestureKind::Tap { times: 1 },
        GestureKind::Press,
        GestureKind::Swipe { toward: TOWARD, fires: SwipeFires::Passing, from_edge: None },
        GestureKind::Swipe { toward: TOWARD, fires: SwipeFires::Release, from_edge: None },
        GestureKind::Drag,
        GestureKind::Flick,
        GestureKind::Click { lifts_in: ZoneId(0) },
    ]
}

/// Taps that make sequences of so many: for each sequence the places of its taps
/// among those that polls see.
fn sequences(touches: &[(&Touch, u64, u64)], times: usize) -> Vec<Vec<usize>> {
    let start = |n: usize| touches[n].0.at(instant(touches[n].1));
    let follows = |one: usize, next: usize| {
        let (one_touch, next_touch) = (touches[one].0, touches[next].0);
        next_touch.landed >= one_touch.lifted
            && ms(next_touch.landed - one_touch.lifted) <= 250.0
            && far(start(one), start(next)) <= 10.0
    };
    let is_good =
        |n: usize| fires(GestureKind::Tap { times: 1 }, touches[n].0, touches[n].1, touches[n].2);
    let mut ends: Vec<usize> = (0..touches.len()).collect();
    ends.sort_by_key(|&n| (touches[n].2, n));
    let (mut spent, mut found) = (vec![false; touches.len()], Vec::new());
    for (at, &newest) in ends.iter().enumerate() {
        if !is_good(newest) {
            continue;
        }
        // Of the last eight, this one included.
        let earlier = &ends[at.saturating_sub(7)..at];
        let usable: Vec<usize> =
            earlier.iter().copied().filter(|&n| !spent[n] && is_good(n)).collect();
        // The latest taps first.
        let mut chains = vec![vec![newest]];
        for _ in 1..times {
            chains = chains
                .into_iter()
                .flat_map(|chain| {
                    let first = *chain.first().unwrap();
                    let before = usable.iter().rev().copied().filter(move |&n| follows(n, first));
                    before.map(move |n| [vec![n], chain.clone()].concat()).collect::<Vec<_>>()
                })
                .collect();
        }
        if let Some(chain) = chains.first() {
            chain.iter().for_each(|&n| spent[n] = true);
            found.push(chain.clone());
        }
    }
    found
}

fn tap(name: &str, times: u8) -> Gesture {
    gesture(name, GestureKind::Tap { times }, &[])
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    /// Every finger that a poll sees is one attempt at every gesture, and fires
    /// where it alone does what that asks.
    #[test]
    fn every_finger_is_an_attempt(touches in touches()) {
        let gestures = kinds().map(|kind| gesture("it", kind, &[])).to_vec();
        let quarter = zone("quarter", [0.0, 0.0], [0.5, 0.5]);
        let zones = vec![Zone { claim: Claim::Share, ..quarter }];
        let verdicts = played(Rig { zones, ..gesture_rig(gestures) }, &touches);
        let seen = seen(&touches);
        for (kind, id) in kinds().into_iter().zip((0..).map(GestureId)) {
            let mut told: Vec<(u64, u64, bool)> = verdicts
                .iter()
                .filter(|verdict| verdict.gesture == id)
                .map(|v| (v.began.0 / 1000, v.ended.0 / 1000, v.fired.is_some()))
                .collect();
            let mut expected: Vec<(u64, u64, bool)> = seen
                .iter()
                .map(|&(t, landing, lift)| (t.landed, t.lifted, fires(kind, t, landing, lift)))
                .collect();
            told.sort_unstable();
            expected.sort_unstable();
            prop_assert_eq!(told, expected, "{:?}", kind);
        }
    }

    /// Taps make sequences by time and place, whatever other hands do, and one that
    /// waits for them fires exactly for the taps of none.
    #[test]
    fn taps_are_counted_by_place(touches in touches(), times in 2u8..4) {
        let single = Gesture { waits_for: vec![GestureId(1)], ..tap("one", 1) };
        let verdicts = played(gesture_rig(vec![single, tap("several", times)]), &touches);
        let seen = seen(&touches);
        let sequences = sequences(&seen, usize::from(times));
        let of = |id: u16| verdicts.iter().filter(move |v| v.gesture == GestureId(id));
        let mut fired: Vec<(u64, u64)> = of(1)
            .filter(|verdict| verdict.fired.is_some())
            .map(|verdict| (verdict.began.0 / 1000, verdict.ended.0 / 1000))
            .collect();
        let ends = |taps: &Vec<usize>| {
            (seen[taps[0]].0.landed, seen[*taps.last().unwrap()].0.lifted)
        };
        let mut expected: Vec<(u64, u64)> = sequences.iter().map(ends).collect();
        fired.sort_unstable();
        expected.sort_unstable();
        prop_assert_eq!(fired, expected);
        for (n, (touch, landing, lift)) in seen.iter().enumerate() {
            let verdict = of(0).find(|v| v.began.0 == touch.landed * 1000).unwrap();
            let is_tap = fires(GestureKind::Tap { times: 1 }, touch, *landing, *lift);
            let outcome = match sequences.iter().any(|taps| taps.contains(&n)) {
                true => GestureOutcome::Cancelled(GestureId(1)),
                false if is_tap => GestureOutcome::Fired,
                false => GestureOutcome::Missed,
            };
            prop_assert_eq!(verdict.outcome, outcome, "{:?}", touch);
            // It waits for taps that can still come, and for no others.
            let latest = touch.lifted + u64::from(times - 1) * 500_000 + 40_000;
            prop_assert!(verdict.fired.is_none_or(|at| u64::from(at.0) <= tick_at(latest)));
        }
    }

    /// With a latch, too, whatever lands where another finger was moves nothing of
    /// that one.
    #[test]
    fn a_verdict_is_about_one_finger(touches in touches(), is_latched: bool) {
        let swipe = GestureKind::Swipe { toward: TOWARD, fires: SwipeFires::Release, from_edge: None };
        let gestures = vec![gesture("swipe", swipe, &[]), tap("tap", 1)];
        let edge = EdgeRule { of: vec![Scope::Kind(DeviceKind::Glass)], ..EdgeRule::default() };
        let edges = vec![EdgeRule { latched: Some(is_latched), ..edge }];
        let verdicts = played(Rig { edges, ..gesture_rig(gestures) }, &touches);
        for verdict in &verdicts {
            let is_it = |touch: &&Touch| {
                let came = touch.reports.iter().any(|r| far(r.1, verdict.way[0]) < 0.02);
                let went = touch.reports.iter().any(|r| far(r.1, verdict.way[1]) < 0.02);
                let times = (touch.landed * 1000, touch.lifted * 1000);
                came && went && times == (verdict.began.0, verdict.ended.0)
            };
            prop_assert!(touches.iter().any(|touch| is_it(&touch)), "{:?}", verdict);
        }
    }

    /// A stick, a drag and an aim go by the finger that began last, and fall back
    /// to the one before.
    #[test]
    fn the_finger_that_began_last_gives_the_value(touches in touches()) {
        let stick = gesture("it", GestureKind::Stick(StickCentre::Floating), &[]);
        let rig = gesture_rig(vec![stick]);
        let mut hand = Hand::new(rig);
        let all = reports(&touches);
        let (mut next, seen) = (0, seen(&touches));
        for tick in 1..tick_at(touches.iter().map(|t| t.lifted).max().unwrap()) + 2 {
            while let Some(&(ms, contact, place)) = all.get(next).filter(|r| micros(r.0) <= instant(tick)) {
                hand.report(ms, contact, place);
                next += 1;
            }
            hand.desk.run_to(tick as u32);
            prop_assert_eq!(hand.desk.session.now().at(), Tick(tick as u32));
            let mut down = seen.iter().filter(|(_, landing, lift)| *landing <= tick && tick < *lift);
            let expected = match down.next_back() {
                None => [0.0; 2],
                Some((touch, landing, _)) => {
                    let (from, to) = (touch.at(instant(*landing)), touch.at(instant(tick)));
                    let [x, y] = [(to[0] - from[0]) / 12.0, (from[1] - to[1]) / 12.0];
                    let far = (x * x + y * y).sqrt().max(1.0);
                    [x / far, y / far]
                }
            };
            let ActionState { x, y, .. } = hand.desk.action(0);
            prop_assert!(far([x, y], expected) < 1e-3, "tick {}: {} {} {:?}", tick, x, y, expected);
        }
    }
}

/// Two zones and a thumb that rests on the one: the other stick works.
#[test]
fn a_resting_finger_blocks_nobody() {
    let mut rig = gesture_rig(vec![gesture("drag", GestureKind::Drag, &[])]);
    rig.zones = vec![Zone { claim: Claim::Share, ..zone("all", [0.0, 0.0], [1.0, 1.0]) }];
    let mut hand = Hand::new(rig);
    hand.report(100.0, 1, Some([20.0, 20.0]));
    hand.report(200.0, 2, Some([100.0, 20.0]));
    hand.report(300.0, 2, Some([110.0, 20.0]));
    hand.run_to(400.0);
    assert_eq!(hand.desk.action(0).x, 0.5);
}
