use super::*;
use gtrig_analysis::{
    Capacity,
    measure::{Samples, measure, propose},
    stream::StreamWatch,
};
use gtrig_core::{Axes, DeadZone, PollRate, Rig, Tick};
use rstest::rstest;

fn rig(hz: f64) -> Rig {
    let rate = PollRate::from_hz(hz).unwrap();
    Rig::bare("bare", rate)
}

fn events(seed: u64, drains: &[u64]) -> Vec<Event> {
    let mut session = Session::new(rig(60.0), Tick(0), Capacity::DEFAULT);
    let mut cab = Cab::at_work(seed);
    for &ms in drains {
        cab.drain(&mut session, Nanos::from_millis(ms));
    }
    session.recording().events().collect()
}

#[test]
fn the_same_seed_gives_the_same_events_however_often_it_is_drained() {
    let every_frame: Vec<u64> = (0..30_000).step_by(16).chain([30_000]).collect();
    let at_once = events(7, &[30_000]);
    assert!(at_once.len() > 10_000, "{}", at_once.len());
    assert_eq!(events(7, &every_frame), at_once);
}

#[test]
fn another_seed_gives_other_events() {
    assert_ne!(events(7, &[5_000]), events(8, &[5_000]));
}

#[test]
fn events_come_in_order_and_within_range() {
    let mut session = Session::new(rig(60.0), Tick(0), Capacity::DEFAULT);
    Cab::at_work(3).drain(&mut session, Nanos::from_millis(60_000));
    let events: Vec<Event> = session.recording().events().collect();
    assert!(events.windows(2).all(|pair| pair[0].time <= pair[1].time));
    let roster = session.roster();
    for event in events.iter().filter(|e| !roster.control(e.control).is_presence) {
        let (min, max) = roster.control(event.control).kind.range().unwrap();
        assert!((min..=max).contains(&event.value), "{event:?}");
    }
}

#[test]
fn the_loose_pad_comes_back_as_the_same_device() {
    let mut session = Session::new(rig(60.0), Tick(0), Capacity::DEFAULT);
    Cab::at_work(3).drain(&mut session, Nanos::from_millis(60_000));
    assert_eq!(session.roster().devices().len(), Model::VARIANTS.len());
}

#[test]
fn nothing_is_wrong_with_the_streams_of_a_working_cab() {
    let mut session = Session::new(rig(60.0), Tick(0), Capacity::DEFAULT);
    Cab::at_work(5).drain(&mut session, Nanos::from_millis(120_000));
    session.run_before(Nanos::from_millis(120_000));
    assert_eq!(StreamWatch::over(&session).troubles().len(), 0);
}

#[test]
fn the_story_of_the_jerking_hook_has_two_gaps_and_a_silence_that_is_none() {
    let mut session = Session::new(rig(60.0), Tick(0), Capacity::DEFAULT);
    Story::Skips.play(&mut session);
    let watch = StreamWatch::over(&session);
    let ends: Vec<u64> = watch.troubles().iter().map(|t| t.to.0 / 1_000_000).collect();
    assert_eq!(ends, [2_270, 3_170]);
}

/// What the simulator was set to is what is measured: offset, noise, reach and
/// the swing after a release.
#[test]
fn a_measurement_recovers_what_the_stick_was_made_to_do() {
    let mut session = Session::new(rig(60.0), Tick(0), Capacity::DEFAULT);
    Story::Rim.play(&mut session);
    let roster = session.roster();
    let (_, pad) = roster.devices().next().unwrap();
    let [x, y] = ["stick-l-x", "stick-l-y"].map(|code| pad.control(code).unwrap());
    let samples = Samples::of(session.roster(), Axes::stick(x, y), session.recording().events());
    let found = measure(&samples);
    let is_near = |value: f32, set: f32, within: f32| (value - set).abs() <= within;
    let [cx, cy] = found.centre.unwrap();
    assert!(is_near(cx, 0.031, 0.002) && is_near(cy, -0.018, 0.002), "{cx} {cy}");
    assert!(is_near(found.noise.unwrap(), 0.006, 0.001), "{:?}", found.noise);
    // Sigma 0.006 on both axes: 99.9 % of a Rayleigh distribution lie within
    // 3.72 of it.
    assert!(is_near(found.rest_radius.unwrap(), 3.72 * 0.006, 0.006), "{:?}", found.rest_radius);
    assert!(found.drift_per_minute.unwrap() < 0.01, "{:?}", found.drift_per_minute);
    assert_eq!(found.reach.iter().flatten().count(), 72);
    // Off centre and held at the end of its range: at most 1 and some noise.
    let reach: Vec<f32> = found.reach.iter().flatten().copied().collect();
    assert!(reach.iter().all(|r| is_near(*r, 1.0, 0.06)), "{reach:?}");
    assert!(is_near(found.hold_jitter.unwrap(), 0.006, 0.0015), "{:?}", found.hold_jitter);
    let snap = found.snap_back.unwrap();
    assert_eq!(snap.releases, 4);
    assert!(is_near(snap.overshoot, 0.14 * 0.95, 0.03), "{snap:?}");
    assert!(found.levels.iter().all(|levels| *levels > 300), "{:?}", found.levels);
    let proposal = propose(&samples, &found);
    let travel = proposal.travel[0].unwrap();
    assert!((travel.centre - 1_016).abs() < 80, "{travel:?}");
    assert!((0.02..=0.05).contains(&proposal.dead_zone.unwrap()), "{proposal:?}");
    // Nothing moves at rest with the dead zone that is proposed, either way.
    let zones = [(proposal.dead_zone, [cx, cy]), (proposal.uncalibrated_dead_zone, [0.0; 2])];
    for (zone, [cx, cy]) in zones {
        let zone = DeadZone::radius(zone.unwrap());
        let at_rest = samples.points().filter(|(_, t)| (1.0..2.9).contains(t));
        let moved = at_rest.filter(|([x, y], _)| zone.apply([x - cx, y - cy]) != [0.0; 2]);
        assert_eq!(moved.count(), 0, "{zone:?}");
    }
}

#[test]
fn too_little_data_is_said_and_not_guessed() {
    let mut session = Session::new(rig(60.0), Tick(0), Capacity::DEFAULT);
    Story::Drift.play(&mut session);
    let (_, pad) = session.roster().devices().next().unwrap();
    let [x, y] = ["stick-l-x", "stick-l-y"].map(|code| pad.control(code).unwrap());
    // Nobody touched the left stick.
    let samples = Samples::of(session.roster(), Axes::stick(x, y), session.recording().events());
    let found = measure(&samples);
    assert!(matches!(found.centre, Err(gtrig_analysis::measure::Missing::Reports)));
    assert!(found.snap_back.is_err() && found.circularity_error.is_err());
    assert!(propose(&samples, &found).dead_zone.is_err());
}

#[rstest]
#[case::at_thirty(30.0, 3)]
#[case::at_a_thousand(1000.0, 0)]
fn the_story_of_the_lost_tap_loses_taps_at_thirty_hertz(#[case] hz: f64, #[case] lost: u64) {
    let mut session = Session::new(rig(hz), Tick(0), Capacity::DEFAULT);
    Story::LostTap.play(&mut session);
    assert_eq!(session.now().lost(), lost);
}
