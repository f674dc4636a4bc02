use super::*;
use gtrig_core::{Capacity, PollRate, Rig, Tick, stream::StreamWatch};
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
    assert_eq!(session.roster().devices().len(), Model::ALL.len());
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

#[rstest]
#[case::at_thirty(30.0, 3)]
#[case::at_a_thousand(1000.0, 0)]
fn the_story_of_the_lost_tap_loses_taps_at_thirty_hertz(#[case] hz: f64, #[case] lost: u64) {
    let mut session = Session::new(rig(hz), Tick(0), Capacity::DEFAULT);
    Story::LostTap.play(&mut session);
    assert_eq!(session.now().lost(), lost);
}
