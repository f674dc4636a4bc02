//! Fingers on two panels at once: what is made of those of one is what would be
//! made of them alone. And zones that close under a finger while a gesture goes on.

mod common;

use common::{hand::*, zone, *};
use gtrig_analysis::{Capacity, Session};
use gtrig_core::*;
use proptest::prelude::*;
use rstest::rstest;

/// A report of a finger of one of the panels.
#[derive(Clone, Copy, Debug)]
struct OnPanel {
    panel: usize,
    report: Report,
}

/// Up to three strokes and taps on each of two panels.
fn hands() -> impl Strategy<Value = Vec<OnPanel>> {
    let place = || (10.0f32..150.0, 10.0f32..70.0).prop_map(|(x, y)| [x, y]);
    let way = prop_oneof![
        2 => Just([0.0f32, 0.0]),
        3 => (-40.0f32..40.0, -30.0f32..30.0).prop_map(|(x, y)| [x, y]),
    ];
    let lasts = prop_oneof![20.0f64..240.0, 240.0f64..900.0];
    let one = (0usize..2, 1u32..4, place(), way, 40.0f64..900.0, lasts);
    prop::collection::vec(one, 1..6).prop_map(|drawn| {
        let mut free = [[20.0f64; 4]; 2];
        let mut all: Vec<OnPanel> = Vec::new();
        for (panel, contact, from, by, rest, lasts) in drawn {
            let begin = free[panel][contact as usize] + rest;
            free[panel][contact as usize] = begin + lasts + 30.0;
            let to = [(from[0] + by[0]).clamp(0.0, 160.0), (from[1] + by[1]).clamp(0.0, 80.0)];
            let reports = stroke(begin, contact, from, to, lasts);
            all.extend(reports.into_iter().map(|report| OnPanel { panel, report }));
        }
        all.sort_by(|a, b| a.report.0.total_cmp(&b.report.0));
        all
    })
}

/// One gesture of each kind, a double tap and a pan of two fingers, some of which wait
/// for others or take their fingers.
fn rig_of(bears: &[(usize, usize, bool)]) -> Rig {
    let kinds = every_kind();
    let mut gestures: Vec<Gesture> =
        kinds.iter().enumerate().map(|(n, &kind)| gesture(&format!("g{n}"), kind, &[])).collect();
    gestures.push(with_fingers("pan", GestureKind::Drag, 2, &[]));
    gestures.push(with_fingers("two", GestureKind::Tap { times: 1 }, 2, &[]));
    let count = gestures.len();
    for &(one, other, takes) in bears {
        let (one, other) = (one % count, other % count);
        match takes {
            true => gestures[one].takes = true,
            // None waits for one that may wait for it.
            false if one < other => gestures[one].waits_for.push(GestureId::at(other)),
            false => {}
        }
    }
    let mut rig = gesture_rig(gestures);
    rig.signs = vec![hook()];
    rig.zones = vec![Zone { claim: Claim::Share, ..zone("item", [0.3, 0.3], [0.4, 0.4]) }];
    rig
}

/// Plays the reports of some of the panels, both of which are there, and runs on for so long.
fn played(rig: Rig, hands: &[OnPanel], panels: &[usize], ms: f64) -> (Session, [DeviceId; 2]) {
    let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
    let there = ["left", "right"].map(|name| {
        let info = DeviceInfo { identity: name.into(), ..fine_glass() };
        session.plug(info, Nanos(0)).unwrap()
    });
    let mut last = 0.0f64;
    for &OnPanel { panel, report: (ms, contact, place) } in hands {
        last = last.max(ms);
        if !panels.contains(&panel) {
            continue;
        }
        let device = session.roster().device(there[panel]);
        let part = |axis: &str| device.control(&format!("contact-{contact}{axis}")).unwrap();
        let (x, y, down) = (part("-x"), part("-y"), part(""));
        let time = Nanos((ms * 1e6).round() as u64);
        let units = |mm: f32| (mm * 100.0).round() as i32;
        let place = place.map(|[px, py]| [(x, units(px)), (y, units(py))]);
        for (control, value) in place.into_iter().flatten() {
            session.report(Event::new(time, control, value));
        }
        session.report(Event::new(time, down, i32::from(place.is_some())));
    }
    session.run_before(Nanos(((last + ms) * 1e6) as u64));
    (session, there)
}

/// The verdicts about one of the panels.
fn verdicts(rig: Rig, hands: &[OnPanel], panels: &[usize], of: usize) -> Vec<GestureVerdict> {
    let (session, there) = played(rig, hands, panels, 5000.0);
    let range = session.roster().device(there[of]).range();
    let is_its = |verdict: &GestureVerdict| range.contains(&verdict.contact.0);
    let mut found: Vec<GestureVerdict> =
        session.history().verdicts().iter().copied().filter(is_its).collect();
    found.sort_by_key(|verdict| (verdict.tick, verdict.gesture, verdict.began, verdict.contact));
    found
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(128))]

    /// Every verdict with all its margins, who waited, who was ended by whom.
    #[test]
    fn each_panel_is_as_if_it_were_alone(
        hands in hands(),
        bears in prop::collection::vec((0usize..16, 0usize..16, any::<bool>()), 0..6),
    ) {
        let rig = rig_of(&bears);
        for of in [0, 1] {
            let both = verdicts(rig.clone(), &hands, &[0, 1], of);
            let alone = verdicts(rig.clone(), &hands, &[of], of);
            prop_assert_eq!(both, alone);
        }
    }
}

/// A place on a zone is that of the finger that landed last, on whatever panel it is.
#[rstest]
#[case::left_first([0, 1])]
#[case::right_first([1, 0])]
fn the_finger_that_landed_last_says_the_place(#[case] panels: [usize; 2]) {
    let shape = || ShapeUse::Own(Shape::default());
    let input = || InputSpec::Place { zone: ZoneId(0), along: PlaceAxis::X, shape: shape() };
    let mut rig = rig(vec![
        action("at", Gives::Place, vec![input()]),
        action("along", Gives::Axis, vec![input()]),
    ]);
    rig.zones = vec![zone("all", [0.0, 0.0], [1.0, 1.0])];
    // The first one is further from the middle, so that it is the stronger one.
    let landed = [(100.0, 16.0), (300.0, 96.0)];
    let land = |(panel, (ms, x))| OnPanel { panel, report: (ms, 1, Some([x, 40.0])) };
    let hands: Vec<OnPanel> = panels.into_iter().zip(landed).map(land).collect();
    let (session, there) = played(rig, &hands, &[0, 1], 200.0);
    let last = session.roster().device(there[panels[1]]).control("contact-1");
    let [at, along] = [0, 1].map(|n| session.now().action(ActionId(n)));
    assert_eq!((at.driver, along.driver), (last, last));
    assert!((along.x - 0.2).abs() < 1e-4 && (at.x - 0.6).abs() < 1e-4, "{at:?} {along:?}");
}

/// A zone closes while a gesture on it goes on: the finger goes on with it, and the
/// next one finds it closed.
#[rstest]
#[case::drag(GestureKind::Drag)]
#[case::stick(GestureKind::Stick(StickCentre::Floating))]
#[case::aim(GestureKind::Aim { origin: [0.1, 0.1] })]
fn a_gesture_outlives_the_zone_it_began_on(#[case] kind: GestureKind) {
    let mut on_zone = gesture("it", kind, &[]);
    on_zone.zone = Some(ZoneId(0));
    let mut rig = gesture_rig(vec![on_zone]);
    rig.actions.push(action("shut", Gives::On, vec![button("keys/KeyW")]));
    let all = zone("all", [0.0, 0.0], [1.0, 1.0]);
    rig.zones = vec![Zone { closed_while: vec![ActionId(1)], ..all }];
    let mut hand = Hand::new(rig);
    let is_on = |hand: &Hand| hand.desk.session.now().gesture(GestureId(0)).is_on();
    hand.report(100.0, 1, Some([40.0, 40.0]));
    hand.report(150.0, 1, Some([60.0, 40.0]));
    hand.run_to(200.0);
    assert!(is_on(&hand));
    hand.desk.set(210.0, "keys/KeyW", 1);
    hand.run_to(300.0);
    assert!(is_on(&hand), "its finger is still down");
    hand.report(310.0, 1, Some([80.0, 40.0]));
    hand.run_to(400.0);
    let value = hand.desk.action(0);
    assert!(is_on(&hand) && value.x > 0.0, "{value:?}");
    hand.report(410.0, 1, None);
    hand.run_to(500.0);
    assert!(!is_on(&hand));
    hand.report(510.0, 2, Some([40.0, 40.0]));
    hand.report(560.0, 2, Some([60.0, 40.0]));
    hand.run_to(700.0);
    assert!(!is_on(&hand), "nothing begins on a zone that is closed");
    assert_eq!(hand.verdicts().len(), 1);
}
