//! What is wrong with a stream of reports is listed; what is not, is not.

mod common;

use common::*;
use gtrig_analysis::stream::{MAX_LISTED, StreamWatch, Trouble, TroubleKind};
use gtrig_core::*;
use proptest::prelude::*;
use rstest::rstest;

/// Reports of pad·1's left stick every 4 ms, at `(ms, x)`.
type Reports = Vec<(f64, i32)>;

/// Small movements, by which the usual interval is known.
fn moving(reports: i32) -> Reports {
    (0..reports).map(|n| (4.0 * f64::from(n), n % 3)).collect()
}

/// A second of them: not enough to take the device for one that never pauses.
fn settled() -> Reports {
    moving(250)
}

/// A push from rest to the end in `reports` reports, along a minimum-jerk path.
fn push(from_ms: f64, reports: u32) -> Reports {
    let place = |n: u32| {
        let s = f64::from(n) / f64::from(reports);
        (100.0 * s * s * s * (10.0 - 15.0 * s + 6.0 * s * s)) as i32
    };
    let tail = (1..40).map(|n| (reports + n, 99 + (n as i32 % 2)));
    let moves = (1..=reports).map(|n| (n, place(n))).chain(tail);
    moves.map(|(n, x)| (from_ms + 4.0 * f64::from(n), x)).collect()
}

fn watch(reports: &[(f64, i32)]) -> (StreamWatch, Desk) {
    let mut desk = Desk::new(rig(Vec::new()));
    for &(ms, x) in reports {
        desk.set(ms + 0.5, "pad1/stick-l-x", x);
    }
    desk.run_to(600);
    (StreamWatch::over(&desk.session), desk)
}

fn kinds(watch: &StreamWatch) -> Vec<TroubleKind> {
    watch.troubles().iter().map(|trouble| trouble.kind).collect()
}

fn only(watch: &StreamWatch, kind: TroubleKind) -> Trouble {
    assert_eq!(kinds(watch), [kind]);
    watch.troubles()[0]
}

proptest! {
    /// A quiet hand that then moves is no gap, however fast a hand can move;
    /// the same move with reports missing is one.
    #[test]
    fn a_gap_is_told_from_a_quiet_hand(
        reports in 16u32..60, quiet_ms in 100.0f64..3000.0, from in 0.3f64..0.5,
    ) {
        // Half of the time the stick lies still before it is pushed.
        let begin = (996.0 + quiet_ms).floor();
        let honest = [settled(), push(begin, reports)].concat();
        prop_assert_eq!(kinds(&watch(&honest).0), []);
        let first = 250 + (f64::from(reports) * from) as usize;
        let mut broken = honest;
        let lost = broken.drain(first..first + 8).count();
        let trouble = only(&watch(&broken).0, TroubleKind::Gap);
        prop_assert_eq!(trouble.count as usize, lost);
        prop_assert!((trouble.to.as_millis() - broken[first].0 - 0.5).abs() < 1e-6);
        prop_assert!((trouble.from.as_millis() - broken[first - 1].0 - 0.5).abs() < 1e-6);
    }
}

#[test]
fn a_device_that_always_reports_must_not_stop() {
    let mut reports = moving(1_100);
    reports.extend((0..100).map(|n| (4_500.0 + 4.0 * f64::from(n), n % 3)));
    let (watch, desk) = watch(&reports);
    let stall = only(&watch, TroubleKind::Stall);
    assert_eq!(
        gtrig_formats::words::trouble_words(&stall, desk.session.roster()),
        "pad·1, which reports all the time, sent nothing for 104.00 ms from 4 396.50 ms on (about 25 reports)."
    );
    let pad = desk.devices[0];
    let holes = |from, to| watch.holes(pad, Nanos::from_millis(from), Nanos::from_millis(to));
    assert_eq!(holes(0, 4_300).count(), 0);
    assert_eq!(holes(4_400, 4_450).count(), 1);
    assert_eq!(holes(4_600, 4_700).count(), 0);
}

#[test]
fn reports_that_come_all_at_once_are_a_burst() {
    let mut reports = settled();
    reports.extend((0..9).map(|n| (1_000.0 + 0.1 * f64::from(n), n % 3)));
    reports.extend([(1_004.0, 0), (1_008.0, 1)]);
    let burst = only(&watch(&reports).0, TroubleKind::Burst);
    assert_eq!(burst.count, 9);
}

/// Also when nothing follows it, or the device goes.
#[rstest]
#[case::nothing_follows(false)]
#[case::the_device_goes(true)]
fn a_burst_at_the_end_is_one(#[case] goes: bool) {
    let mut reports = settled();
    reports.extend((0..9).map(|n| (1_000.0 + 0.1 * f64::from(n), n % 3)));
    let (along, mut desk) = watch(&reports);
    assert_eq!(kinds(&along), []);
    let over = if goes {
        desk.session.unplug(desk.devices[0], Nanos::from_millis(11_000));
        desk.run_to(700);
        StreamWatch::over(&desk.session)
    } else {
        along.finished()
    };
    let burst = only(&over, TroubleKind::Burst);
    assert_eq!((burst.count, burst.to.as_millis()), (9, 1_001.3));
}

#[test]
fn a_gap_before_the_last_report_is_one() {
    let mut reports = settled();
    reports.push((1_100.0, 90));
    let (along, _) = watch(&reports);
    assert_eq!(kinds(&along), []);
    only(&along.finished(), TroubleKind::Gap);
}

/// Before there are 64 intervals none is usual: a flick with the report that completes them is no
/// gap.
#[test]
fn nothing_is_judged_before_the_usual_interval_is_known() {
    for still in 60..70 {
        let mut reports = moving(still);
        let begins = 4.0 * f64::from(still);
        reports.extend((0..9).map(|n| (begins + 4.0 * f64::from(n), 90 + n % 3)));
        assert_eq!(kinds(&watch(&reports).0.finished()), [], "after {still} reports");
    }
}

/// All that a report says after an overrun is one trouble, whatever other devices have meanwhile.
#[test]
fn an_overrun_of_a_report_is_one_trouble() {
    let mut desk = Desk::new(rig(Vec::new()));
    let pad = desk.session.plug(pad("b"), Nanos(0)).unwrap();
    let south = desk.session.roster().device(pad).control("south").unwrap();
    let report = |desk: &mut Desk, ms: u64, control, marks| {
        let time = Nanos::from_millis(ms);
        desk.session.report(Event { time, value: 1, control, marks });
    };
    desk.set(10.0, "pad1/stick-l-x", 1);
    report(&mut desk, 20, south, Marks::LATE);
    for code in ["pad1/stick-l-x", "pad1/stick-l-y", "pad1/south"] {
        let control = desk.control(code);
        report(&mut desk, 30, control, Marks::RESYNCED);
    }
    desk.run_to(10);
    let watch = StreamWatch::over(&desk.session);
    assert_eq!(kinds(&watch), [TroubleKind::Overrun, TroubleKind::Late]);
    assert_eq!(watch.troubles()[0].count, 3);
}

#[test]
fn an_absence_is_no_gap() {
    let mut desk = Desk::new(rig(Vec::new()));
    for (ms, x) in settled() {
        desk.set(ms + 0.5, "pad1/stick-l-x", x);
    }
    desk.session.unplug(desk.devices[0], Nanos::from_millis(1_010));
    desk.session.plug(pad("a"), Nanos::from_millis(2_010)).unwrap();
    for ms in 2_020..2_100 {
        desk.set(f64::from(ms), "pad1/stick-l-x", 90);
    }
    desk.run_to(300);
    assert_eq!(kinds(&StreamWatch::over(&desk.session)), []);
}

/// What an event's own marks or time say.
#[rstest]
#[case::late(Marks::LATE, 60.0, 1, TroubleKind::Late, 1)]
#[case::back(Marks::empty(), 40.0, 1, TroubleKind::Disordered, 1)]
#[case::twice(Marks::empty(), 50.0, 0, TroubleKind::Duplicate, 2)]
#[case::overrun(Marks::RESYNCED, 60.0, 0, TroubleKind::Overrun, 1)]
fn what_events_say_themselves(
    #[case] marks: Marks,
    #[case] ms: f64,
    #[case] value: i32,
    #[case] kind: TroubleKind,
    #[case] count: u32,
) {
    let mut desk = Desk::new(rig(Vec::new()));
    desk.set(50.0, "pad1/south", 1);
    let (time, control) = (Nanos((ms * 1e6) as u64), desk.control("pad1/south"));
    desk.session.report(Event { time, value, control, marks });
    desk.run_to(10);
    let trouble = only(&StreamWatch::over(&desk.session), kind);
    assert_eq!(trouble.count, count);
}

#[test]
fn the_newest_troubles_are_listed_and_all_are_counted() {
    let mut desk = Desk::new(rig(Vec::new()));
    let control = desk.control("pad1/south");
    let all = MAX_LISTED as u64 + 500;
    for n in 0..all {
        let time = Nanos::from_millis(2 * n);
        desk.session.report(Event { time, value: 1, control, marks: Marks::RESYNCED });
        desk.session.run_before(time);
    }
    desk.session.run_until(Tick(2_000));
    let streams = StreamWatch::over(&desk.session);
    assert_eq!(streams.troubles().len(), MAX_LISTED);
    let of_pad = streams.device(desk.devices[0]).unwrap();
    assert_eq!(of_pad.count(TroubleKind::Overrun), all);
    assert!(streams.troubles()[0].from > Nanos::from_millis(900), "the oldest are not listed");
}

#[test]
fn following_along_and_looking_afterwards_agree() {
    let mut reports = [settled(), push(1_300.0, 20)].concat();
    reports.drain(255..265);
    let mut desk = Desk::new(rig(Vec::new()));
    let mut along = StreamWatch::default();
    for (n, &(ms, x)) in reports.iter().enumerate() {
        desk.set(ms + 0.5, "pad1/stick-l-x", x);
        if n % 7 == 0 {
            desk.session.run_before(Nanos((ms * 1e6) as u64));
            along.catch_up(&desk.session);
        }
    }
    desk.run_to(600);
    along.catch_up(&desk.session);
    let after = StreamWatch::over(&desk.session);
    assert_eq!(along.troubles(), after.troubles());
    assert_eq!(kinds(&along), [TroubleKind::Gap]);
    let stream = along.device(desk.devices[0]).unwrap();
    assert_eq!((stream.count(TroubleKind::Gap), stream.troubles()), (1, 1));
    assert_eq!((stream.reports, stream.events), (reports.len() as u64, reports.len() as u64));
}

#[test]
fn time_that_jumps_an_hour_is_a_long_silence_and_no_more() {
    let mut reports = settled();
    reports.extend((0..20).map(|n| (3_600_000.0 + 4.0 * f64::from(n), n % 3)));
    let (_, mut desk) = watch(&reports);
    desk.run_to(216_100);
    let stream_watch = StreamWatch::over(&desk.session);
    let pad = stream_watch.device(desk.devices[0]).unwrap();
    let (from, to) = pad.intervals.longest().unwrap();
    assert_eq!((from.as_millis(), to.as_millis()), (996.5, 3_600_000.5));
    assert!(pad.intervals.percentile(0.5).unwrap().as_millis() < 4.1);
}
