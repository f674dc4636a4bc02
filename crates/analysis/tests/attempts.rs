//! Attempts at combos beside each other: which of them fire, and what becomes of
//! the others.

mod common;

use common::presses::{Keys, Tap, rig_of};
use gtrig_analysis::{Capacity, Session, ladder::ComboAttemptOutcome};
use gtrig_core::*;
use proptest::prelude::*;
use rstest::rstest;

fn ms(n: u64) -> TimeSpan {
    TimeSpan::millis(n)
}

fn press(of: u16, within: u64) -> ComboStep {
    ComboStep::new(StepKind::press(SignalId(of)), ms(within))
}

/// A press that may come up to `buffer` before `after`.
fn early(of: u16, after: u64, buffer: u64) -> ComboStep {
    ComboStep { after: ms(after), buffer: ms(buffer), ..press(of, 900) }
}

/// So many taps of the first button, each within this after the one before.
fn taps(name: &str, count: usize, within: u64) -> Combo {
    let lift = ComboStep::new(StepKind::release(SignalId(0)), ms(200));
    let steps = (0..count).flat_map(|_| [press(0, within), lift.clone()]);
    Combo::new(name, steps.collect())
}

fn at(button: u16, ms: u64) -> Tap {
    Tap { button, at: ms, lasts: 30 }
}

/// Which combo fired, and at which millisecond it was met.
fn fired(combos: Vec<Combo>, taps: &[Tap]) -> Vec<(u16, u64)> {
    let keys = Keys::run(rig_of(combos), taps);
    let news = keys.session.history().combo_news().iter();
    let fired = news.filter(|news| news.outcome == ComboOutcome::Fired);
    fired.map(|news| (news.combo.0, news.met.time.0 / 1_000_000)).collect()
}

#[rstest]
#[case::it_counts_when_its_time_has_come(&[press(0, 0), early(1, 200, 80)], &[at(0, 100), at(1, 240)], &[300])]
#[case::it_is_not_delayed_where_it_is_in_time(
    &[press(0, 0), early(1, 200, 80)], &[at(0, 0), at(0, 100), at(1, 240)], &[240])]
#[case::too_early_is_too_early(&[press(0, 0), early(1, 200, 80)], &[at(0, 100), at(1, 210)], &[])]
#[case::what_follows_counts_from_then(
    &[press(0, 0), early(1, 200, 80), press(2, 100)],
    &[at(0, 100), at(1, 240), at(2, 390)], &[390])]
#[case::nothing_follows_before(
    &[press(0, 0), early(1, 200, 80), press(2, 100)],
    &[at(0, 100), at(1, 240), at(2, 290)], &[])]
#[case::two_may_wait_at_once(
    &[press(0, 0), early(1, 200, 190)],
    &[at(0, 0), at(1, 50), at(0, 100), at(1, 150)], &[200, 300])]
fn a_press_may_come_early(
    #[case] steps: &[ComboStep],
    #[case] taps: &[Tap],
    #[case] fires: &[u64],
) {
    let combo = Combo::new("c", steps.to_vec());
    let strict = Combo { strict: Some(Strict::AllBut(Vec::new())), ..combo.clone() };
    let met = |combo| fired(vec![combo], taps).into_iter().map(|(_, at)| at).collect::<Vec<_>>();
    assert_eq!(met(combo), fires);
    // Between an early press and its effect a strict one lets nothing pass either.
    let is_undisturbed = taps.len() == steps.len();
    if is_undisturbed {
        assert_eq!(met(strict), fires);
    }
}

/// Two early presses count at the same moment, and so does the one that follows either.
#[test]
fn of_attempts_that_a_press_meets_at_one_moment_one_is_met() {
    let either = StepKind::Press([SignalId(1), SignalId(2)].into());
    let steps =
        vec![press(0, 0), ComboStep { what: either, ..early(1, 200, 190) }, early(0, 100, 90)];
    let combo = Combo { again: true, ..Combo::new("c", steps) };
    let keys = Keys::run(rig_of(vec![combo]), &[at(0, 0), at(1, 50), at(2, 100), at(0, 250)]);
    let news = keys.session.history().combo_news();
    let met: Vec<u64> = news.iter().map(|news| news.met.time.0 / 1_000_000).collect();
    assert_eq!(met, [300]);
    let ladder = keys.ladder(ComboId(0));
    let met = ladder.attempts().iter().filter(|a| a.outcome == ComboAttemptOutcome::Met);
    assert_eq!(met.count(), 1);
}

/// Pressed 2 ms before a poll, let go 2 ms after one: reported 98 ms apart, and
/// seen 116.7 ms apart.
#[rstest]
#[case::by_reports(ComboClock::Reports, 0)]
#[case::by_ticks(ComboClock::Ticks, 1)]
fn a_hold_and_its_verdict_go_by_one_clock(#[case] clock: ComboClock, #[case] fires: usize) {
    let hold = ComboStep::new(StepKind::hold(SignalId(0), ms(100)), ms(0));
    let combo = Combo { clock, ..Combo::new("c", vec![hold]) };
    let rig = Rig { rate: PollRate::DEFAULT, ..rig_of(vec![combo]) };
    let keys = Keys::run(rig, &[Tap { button: 0, at: 98, lasts: 98 }]);
    assert_eq!(keys.session.history().combo_news().len(), fires);
    let ladder = keys.ladder(ComboId(0));
    let met = ladder.attempts().iter().filter(|a| a.outcome == ComboAttemptOutcome::Met);
    assert_eq!(met.count(), fires);
}

#[rstest]
#[case::two(&[0, 100], 1)]
#[case::three(&[0, 100, 200], 0)]
#[case::four(&[0, 100, 200, 300], 0)]
#[case::two_and_two(&[0, 100, 500, 600], 2)]
#[case::one(&[0], 0)]
fn exactly_two_presses_can_be_said(#[case] presses: &[u64], #[case] fires: usize) {
    let calm = Some(Calm { span: ms(250), text: None });
    let quiet = ComboStep::new(StepKind::Quiet(ms(250)), ms(0));
    // No third one in between, either.
    let next = ComboStep { unless: vec![SignalId(0)], ..press(0, 250) };
    let combo = Combo { calm, ..Combo::new("two", vec![press(0, 0), next, quiet]) };
    let taps: Vec<Tap> = presses.iter().map(|&ms| at(0, ms)).collect();
    assert_eq!(fired(vec![combo], &taps).len(), fires);
}

#[rstest]
#[case::the_one(0, 1)]
#[case::the_other(1, 1)]
#[case::neither(2, 0)]
fn either_of_two_will_do(#[case] button: u16, #[case] fires: usize) {
    let either = ComboStep::new(StepKind::Press(vec![SignalId(0), SignalId(1)]), ms(200));
    let combo = Combo::new("c", vec![press(2, 0), either]);
    assert_eq!(fired(vec![combo], &[at(2, 0), at(button, 100)]).len(), fires);
}

/// A tap ends with the release of its own press.
#[test]
fn the_release_of_another_press_is_none_of_a_tap() {
    let after =
        ComboStep { after: ms(60), ..ComboStep::new(StepKind::release(SignalId(0)), ms(200)) };
    let combo = Combo::new("c", vec![press(0, 0), after]);
    // The first press is let go too early, the second one too; but from the first to
    // the second release it is long enough.
    assert_eq!(fired(vec![combo], &[at(0, 0), at(0, 50)]), []);
}

/// Everything up to the last press of what fired is spent for it.
#[rstest]
#[case::crossed(&[at(0, 0), at(0, 50), at(1, 100), at(1, 150)], &[100])]
#[case::one_after_the_other(&[at(0, 0), at(1, 50), at(0, 100), at(1, 150)], &[50, 150])]
fn a_fire_spends_every_press_up_to_its_last(#[case] taps: &[Tap], #[case] fires: &[u64]) {
    let combo = Combo::new("c", vec![press(0, 0), press(1, 300)]);
    let met: Vec<u64> = fired(vec![combo], taps).into_iter().map(|(_, at)| at).collect();
    assert_eq!(met, fires);
}

/// A button that is down when the recording begins was pressed by nobody.
#[test]
fn what_was_carried_over_is_no_press() {
    let combo = Combo::new("c", vec![press(0, 0)]);
    let held = ComboStep::new(StepKind::hold(SignalId(0), ms(100)), ms(0));
    let lifted = ComboStep::new(StepKind::release(SignalId(0)), ms(0));
    let combos = vec![combo, Combo::new("held", vec![held]), Combo::new("lifted", vec![lifted])];
    let mut session = Session::new(rig_of(combos), Tick(0), Capacity::DEFAULT);
    let keys = session.plug(common::keys(), Nanos(0)).unwrap();
    let key = session.roster().device(keys).control(common::KEYS[0]).unwrap();
    let carried = Event { marks: Marks::CARRIED, ..Event::new(Nanos(0), key, 1) };
    session.report(carried);
    session.report(Event::new(Nanos::from_millis(400), key, 0));
    session.run_before(Nanos::from_millis(500));
    // Its release was seen, and is one.
    let fired: Vec<u16> = session.history().combo_news().iter().map(|n| n.combo.0).collect();
    assert_eq!(fired, [2]);
}

/// A device that cannot be heard any more lets go of everything, and no hand does.
#[rstest]
#[case::as_it_is(false, &[])]
#[case::where_the_combo_says_so(true, &[0])]
fn a_forced_release_fires_nothing(#[case] counts_forced: bool, #[case] fires: &[u16]) {
    let hold = ComboStep::new(StepKind::hold(SignalId(0), ms(100)), ms(0));
    let lift = ComboStep::new(StepKind::release(SignalId(0)), ms(500));
    let charge = Combo { counts_forced, ..Combo::new("charge", vec![hold, lift]) };
    let mut session = Session::new(rig_of(vec![charge]), Tick(0), Capacity::DEFAULT);
    let keys = session.plug(common::keys(), Nanos(0)).unwrap();
    let key = session.roster().device(keys).control(common::KEYS[0]).unwrap();
    session.report(Event::new(Nanos::from_millis(50), key, 1));
    session.set_presence(keys, Presence::Deaf, Nanos::from_millis(300));
    session.run_before(Nanos::from_millis(900));
    let fired: Vec<u16> = session.history().combo_news().iter().map(|n| n.combo.0).collect();
    assert_eq!(fired, fires);
}

/// Times of taps, close together and far apart.
fn times() -> impl Strategy<Value = Vec<u64>> {
    prop::collection::vec(prop_oneof![40..240u64, 260..700u64], 1..9).prop_map(|gaps| {
        let mut at = 0;
        let next = |gap| {
            let pressed = at + gap;
            at = pressed + 30;
            pressed
        };
        gaps.into_iter().map(next).collect()
    })
}

/// Taps that follow each other closely enough, taken together from the first on,
/// `count` at a time; each by its place.
fn groups(times: &[u64], count: usize, within: u64) -> Vec<Vec<usize>> {
    let mut groups = Vec::new();
    let mut group: Vec<usize> = Vec::new();
    for n in 0..times.len() {
        // From the release of the one before to the next press.
        let is_close = n > 0 && times[n] - (times[n - 1] + 30) <= within;
        if !is_close {
            group.clear();
        }
        group.push(n);
        if group.len() == count {
            groups.push(std::mem::take(&mut group));
        }
    }
    groups
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(800) })]

    /// Of one tap, two and three each fires exactly with those that no longer one
    /// has, and every attempt at any of them is told once.
    #[test]
    fn one_two_and_three_taps_are_told_apart(times in times()) {
        const WITHIN: u64 = 250;
        let waits = |combo: Combo, others: &[u16]| {
            Combo { waits_for: others.iter().copied().map(ComboId).collect(), ..combo }
        };
        let combos = vec![
            waits(taps("one", 1, WITHIN), &[1, 2]),
            waits(taps("two", 2, WITHIN), &[2]),
            taps("three", 3, WITHIN),
        ];
        let all: Vec<Tap> = times.iter().map(|&ms| at(0, ms)).collect();
        let keys = Keys::run(rig_of(combos), &all);
        let news = keys.session.history().combo_news();

        let groups = [1, 2, 3].map(|count| groups(&times, count, WITHIN));
        let has = |of: &[Vec<usize>], group: &[usize]| {
            of.iter().flatten().any(|tap| group.contains(tap))
        };
        for (n, of) in groups.iter().enumerate() {
            let combo = ComboId(n as u16);
            let its: Vec<&ComboNews> = news.iter().filter(|news| news.combo == combo).collect();
            prop_assert_eq!(its.len(), of.len(), "every attempt at {} once", n + 1);
            for group in of {
                let lifted = times[*group.last().unwrap()] + 30;
                let came = its.iter().find(|n| n.met.time == Nanos::from_millis(lifted));
                let came = came.expect("an attempt that ends with this tap");
                let by = (n + 1..3).find(|&longer| has(&groups[longer], group));
                match by {
                    None => prop_assert_eq!(came.outcome, ComboOutcome::Fired),
                    Some(_) => {
                        prop_assert!(matches!(came.outcome, ComboOutcome::Cancelled(_)));
                    }
                }
            }
        }
    }
}
