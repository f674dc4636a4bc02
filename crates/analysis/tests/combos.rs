//! Combos against a slow and obvious version of the same, and their margins
//! against what really happens when a limit is moved.

mod common;

use common::presses::{Keys, Tap, rig_of};
use gtrig_analysis::ladder::{
    Attempts, ComboAttempt, ComboAttemptOutcome, Ladder, LimitCheck, is_least,
};
use gtrig_core::*;
use proptest::{collection::vec, option, prelude::*, sample::select};
use rstest::rstest;

const MS: i64 = 1_000_000;

fn ms(n: u64) -> TimeSpan {
    TimeSpan::millis(n)
}

/// A change of a button, as the slow version knows it: at which moment by the
/// clock of the combo.
#[derive(Clone, Copy, Debug)]
struct Change {
    button: u16,
    is_press: bool,
    at: i64,
    /// When it was reported.
    raw: i64,
}

/// A step that was met: by which change, and when.
#[derive(Clone, Copy, Debug)]
struct Met {
    change: usize,
    /// The first change of a chord.
    first: usize,
    began: i64,
    at: i64,
}

/// The slow and obvious version: tries every chain of changes.
struct Reference<'a> {
    combo: &'a Combo,
    changes: &'a [Change],
    /// Chains begin after this change.
    spent: Option<usize>,
}

impl Reference<'_> {
    /// When the combo is met, in nanoseconds, and by which change.
    fn fires(&self) -> Vec<(i64, usize)> {
        let mut chains = Vec::new();
        self.grow(&mut Vec::new(), &mut chains);
        chains.sort_by_key(|chain| (chain.1.at, chain.1.change));
        let (mut fires, mut spent) = (Vec::new(), self.spent);
        for (first, last) in chains {
            if spent.is_none_or(|spent| first > spent) {
                fires.push((last.at, last.change));
                spent = Some(last.change);
            }
        }
        fires
    }

    fn grow(&self, chain: &mut Vec<Met>, chains: &mut Vec<(usize, Met)>) {
        let steps = &self.combo.steps;
        if chain.len() == steps.len() {
            let (first, last) = (chain[0], chain[chain.len() - 1]);
            let is_short = self.combo.all.is_none_or(|all| last.at - first.began <= all.amount());
            if is_short {
                chains.push((first.first, last));
            }
            return;
        }
        let step = &steps[chain.len()];
        let before = chain.last().copied();
        if let StepKind::Quiet(span) = step.what {
            chain.extend(self.quiet(before.unwrap(), span));
            if chain.len() > steps.len() - 1 {
                self.grow(chain, chains);
                chain.pop();
            }
            return;
        }
        for n in 0..self.changes.len() {
            let Some(met) = self.met(step, n) else { continue };
            let met = match before {
                None => Some(met).filter(|_| self.is_calm(n)),
                Some(before) => self.follow(chain.len(), before, met),
            };
            if let Some(met) = met {
                chain.push(met);
                self.grow(chain, chains);
                chain.pop();
            }
        }
    }

    /// What a change makes of a step that has nothing before it.
    fn met(&self, step: &ComboStep, n: usize) -> Option<Met> {
        let Change { button, is_press, at, .. } = self.changes[n];
        let plain = Met { change: n, first: n, began: at, at };
        let is = |of: SignalId| of.0 == button;
        let any = |of: &[SignalId]| of.iter().any(|&of| is(of));
        match &step.what {
            StepKind::Press(of) => (is_press && any(of)).then_some(plain),
            StepKind::Release(of) => (!is_press && any(of)).then_some(plain),
            StepKind::Hold(of, span) => {
                let due = at + span.amount();
                let mut later = self.changes[n + 1..].iter();
                let is_let_go = later.any(|c| !c.is_press && c.button == button && c.at < due);
                let is_broken = (n + 1..self.changes.len())
                    .any(|m| self.changes[m].at < due && self.breaks(step, m));
                (is_press && any(of) && !is_let_go && !is_broken)
                    .then_some(Met { at: due, ..plain })
            }
            StepKind::Together { of, spread, in_order } => {
                if !is_press || !of.iter().any(|&of| is(of)) {
                    return None;
                }
                let downs: Option<Vec<usize>> = of.iter().map(|of| self.down(*of, n)).collect();
                let downs = downs?;
                let first = *downs.iter().min()?;
                let began = self.changes[first].at;
                let is_ordered = !in_order || downs.is_sorted();
                (is_ordered && at - began <= spread.amount()).then_some(Met {
                    change: n,
                    first,
                    began,
                    at,
                })
            }
            StepKind::Quiet(_) => unreachable!(),
        }
    }

    /// The press since which a button is down at change `n`.
    fn down(&self, of: SignalId, n: usize) -> Option<usize> {
        let last = (0..=n).rev().find(|&m| self.changes[m].button == of.0)?;
        self.changes[last].is_press.then_some(last)
    }

    fn quiet(&self, before: Met, span: TimeSpan) -> Option<Met> {
        let due = before.at + span.amount();
        let noise = self.changes.iter().enumerate().skip(before.change + 1);
        let mut noise = noise.filter(|(_, c)| c.is_press && c.at < due);
        let step = self.combo.steps.last().unwrap();
        // A press of its own counts from when the quiet begins, what breaks it from
        // the press before.
        let is_own = |c: &Change| self.is_own(c) && c.at >= before.at;
        let is_noisy = noise.any(|(n, c)| is_own(c) || self.breaks(step, n));
        (!is_noisy).then_some(Met { at: due, ..before })
    }

    /// Whether a change is a press that a step does not bear.
    fn breaks(&self, step: &ComboStep, n: usize) -> bool {
        let Change { button, is_press, .. } = self.changes[n];
        let button = SignalId(button);
        let members: &[SignalId] = match &step.what {
            StepKind::Together { of, .. } => of,
            _ => &[],
        };
        let is_foreign = match &self.combo.strict {
            Some(Strict::AllBut(passing)) => {
                !passing.contains(&button) && !members.contains(&button)
            }
            Some(Strict::Only(banned)) => banned.contains(&button) && !members.contains(&button),
            None => false,
        };
        is_press && (is_foreign || step.unless.contains(&button))
    }

    fn is_own(&self, change: &Change) -> bool {
        self.combo.signals().any(|of| of.0 == change.button)
    }

    /// Whether nothing of the combo was pressed for long enough before a change.
    fn is_calm(&self, n: usize) -> bool {
        let Some(calm) = self.combo.calm else { return true };
        let last = self.changes[..n].iter().rev().find(|c| c.is_press && self.is_own(c));
        last.is_none_or(|last| self.changes[n].at - last.at >= calm.span.amount())
    }

    /// Step `n` after the one before it: when it is met, if it may come then.
    fn follow(&self, n: usize, before: Met, met: Met) -> Option<Met> {
        let step = &self.combo.steps[n];
        let pressed = self.changes[met.change].at;
        let gap = pressed - before.at;
        let least = (step.after.amount() - step.buffer.amount()).max(0);
        let mut between = before.change + 1..met.change;
        let is_another = step.lifts(&self.combo.steps[n - 1]) && {
            let button = self.changes[met.change].button;
            let its = |c: &Change| c.is_press && c.button == button;
            self.changes[..met.change].iter().rposition(its) != Some(before.change)
        };
        let is_kept = met.first > before.change
            && (least..=step.within.amount()).contains(&gap)
            && !is_another
            && !between.any(|n| self.breaks(step, n));
        // What came early counts when its time has come.
        let opens = if step.buffer.amount() > 0 { before.at + step.after.amount() } else { met.at };
        is_kept.then_some(Met { at: met.at.max(opens), ..met })
    }
}

/// Presses of three buttons at random times, none so short that a poll every 4 ms
/// could miss it.
fn taps() -> impl Strategy<Value = Vec<Tap>> {
    let tap = (0..3u16, 0..900u64, 9..220u64);
    vec(tap, 1..9).prop_map(|taps| {
        let mut free = [0; 3];
        let mut taps: Vec<_> = taps;
        taps.sort_by_key(|&(_, at, _)| at);
        let placed = taps.into_iter().map(|(button, at, lasts)| {
            let at = at.max(free[usize::from(button)]);
            free[usize::from(button)] = at + lasts + 9;
            Tap { button, at, lasts }
        });
        placed.collect()
    })
}

/// One button, or either of two.
fn any_of() -> impl Strategy<Value = Vec<SignalId>> {
    prop_oneof![
        4 => (0..3u16).prop_map(|of| vec![SignalId(of)]),
        1 => select(vec![[0u16, 1], [1, 2]]).prop_map(|of| of.map(SignalId).to_vec()),
    ]
}

fn what() -> impl Strategy<Value = StepKind> {
    prop_oneof![
        4 => any_of().prop_map(StepKind::Press),
        3 => any_of().prop_map(StepKind::Release),
        2 => (any_of(), 20..200u64).prop_map(|(of, span)| StepKind::Hold(of, ms(span))),
        1 => (select(vec![[0u16, 1], [1, 0], [1, 2]]), 10..150u64, any::<bool>()).prop_map(
            |(of, spread, in_order)| {
                let of = of.map(SignalId).to_vec();
                StepKind::Together { of, spread: ms(spread), in_order }
            }
        ),
    ]
}

fn step() -> impl Strategy<Value = ComboStep> {
    let after = prop_oneof![3 => Just(0), 1 => 10..120u64];
    let buffer = prop_oneof![2 => Just(0), 1 => 1..120u64];
    let unless = option::weighted(0.15, (0..3u16).prop_map(SignalId));
    (what(), after, buffer, 60..400u64, unless).prop_map(|(what, after, buffer, within, unless)| {
        let is_hold = matches!(what, StepKind::Hold(..));
        ComboStep {
            after: ms(after),
            buffer: ms(if is_hold { 0 } else { buffer.min(after) }),
            unless: unless.into_iter().collect(),
            ..ComboStep::new(what, ms(within.max(after)))
        }
    })
}

fn combo() -> impl Strategy<Value = Combo> {
    let steps = vec(step(), 1..4);
    let quiet = option::weighted(0.2, 30..250u64);
    let all = option::weighted(0.3, 100..700u64);
    let passing = option::weighted(0.3, vec((0..3u16).prop_map(SignalId), 0..2));
    let calm = option::weighted(0.25, 20..300u64);
    let clock = select(vec![ComboClock::Reports, ComboClock::Ticks]);
    (steps, quiet, all, passing, calm, clock).prop_map(
        |(mut steps, quiet, all, passing, calm, clock)| {
            (steps[0].after, steps[0].buffer) = (ms(0), ms(0));
            steps[0].unless.clear();
            let is_chord = matches!(steps[0].what, StepKind::Together { .. });
            let calm = calm.filter(|_| !is_chord).map(|span| Calm { span: ms(span), text: None });
            steps.extend(quiet.map(|span| ComboStep::new(StepKind::Quiet(ms(span)), ms(1000))));
            let strict = passing.map(Strict::AllBut);
            Combo { all: all.map(ms), strict, calm, clock, ..Combo::new("c", steps) }
        },
    )
}

/// How often the buttons are polled: every report by itself, or several in a tick.
fn rate() -> impl Strategy<Value = PollRate> {
    select(vec![1000.0, 250.0]).prop_map(|hz| PollRate::from_hz(hz).unwrap())
}

fn changes(combo: &Combo, rate: PollRate, taps: &[Tap]) -> Vec<Change> {
    let mut changes: Vec<Change> = taps
        .iter()
        .flat_map(|tap| {
            let change = |is_press, ms: u64| {
                let at = ms as i64 * MS;
                Change { button: tap.button, is_press, at, raw: at }
            };
            [change(true, tap.at), change(false, tap.at + tap.lasts)]
        })
        .collect();
    changes.sort_by_key(|change| (change.at, change.is_press, change.button));
    for change in &mut changes {
        let seen = rate.tick_seeing(Nanos(change.at as u64));
        if combo.clock == ComboClock::Ticks {
            change.at = rate.time_of(seen).0 as i64;
        }
    }
    changes
}

fn reference(combo: &Combo, rate: PollRate, taps: &[Tap]) -> Vec<i64> {
    let changes = changes(combo, rate, taps);
    let fires = Reference { combo, changes: &changes, spent: None }.fires();
    fires.into_iter().map(|(at, _)| at).collect()
}

/// When the machine found it to be met, and what the ladder makes of it.
fn run(combo: &Combo, rate: PollRate, taps: &[Tap]) -> (Vec<i64>, Vec<ComboAttempt>) {
    let keys = Keys::run(Rig { rate, ..rig_of(vec![combo.clone()]) }, taps);
    let news = keys.session.history().combo_news().iter();
    let met = news.map(|news| news.met.time.0 as i64).collect();
    let ladder = keys.ladder(ComboId(0));
    (met, ladder.attempts().to_vec())
}

/// Every attempt at any combo, in the order in which they ended.
fn all_attempts(keys: &Keys) -> Vec<(ComboId, ComboAttempt)> {
    let combos = ComboId::first(keys.session.rig().combos.len());
    let mut all: Vec<(ComboId, ComboAttempt)> = combos
        .flat_map(|combo| {
            let mut ladder = keys.ladder(combo);
            ladder.finish();
            ladder.attempts().iter().map(|attempt| (combo, attempt.clone())).collect::<Vec<_>>()
        })
        .collect();
    all.sort_by_key(|(combo, attempt)| (attempt.ended, *combo));
    all
}

/// The attempts as they are told to somebody who asks so often, in milliseconds; and all of them as
/// they are told at the end.
fn told_in_pieces(rig: Rig, taps: &[Tap], every: u64) -> [Vec<(ComboId, ComboAttempt)>; 2] {
    let mut attempts = Attempts::new(&rig);
    let mut told = Vec::new();
    let keys = Keys::run_watched(rig, taps, every, |session| {
        told.extend(attempts.settled(session));
    });
    told.extend(attempts.rest(&keys.session));
    let all = all_attempts(&keys);
    [told, all]
}

/// Polled so often that every report has a tick of its own.
const FAST: f64 = 1000.0;

fn fast() -> PollRate {
    PollRate::from_hz(FAST).unwrap()
}

fn met(attempts: &[ComboAttempt]) -> Vec<i64> {
    let met = attempts.iter().filter(|attempt| attempt.outcome == ComboAttemptOutcome::Met);
    met.map(|attempt| attempt.ended.time.0 as i64).collect()
}

proptest! {
    #![proptest_config(ProptestConfig {
        cases: 4000,
        max_global_rejects: 100_000,
        failure_persistence: None,
        ..ProptestConfig::default()
    })]

    /// Whatever the pieces in which a session comes, the same is told in the same order,
    /// and all of it.
    #[test]
    fn attempts_are_told_the_same_in_pieces(
        combos in vec(combo(), 1..4), waits in any::<bool>(), taps in taps(), every in 1..700u64,
    ) {
        let mut rig = rig_of(combos);
        if waits && rig.combos.len() > 1 {
            rig.combos[0].waits_for.push(ComboId(1));
        }
        let [told, all] = told_in_pieces(rig, &taps, every);
        prop_assert_eq!(told, all);
    }

    #[test]
    fn machine_ladder_and_reference_agree(
        combo in combo(), rate in rate(), taps in taps(),
    ) {
        let expected = reference(&combo, rate, &taps);
        let (machine, attempts) = run(&combo, rate, &taps);
        prop_assert_eq!(&machine, &expected, "the machine");
        prop_assert_eq!(&met(&attempts), &expected, "the ladder");
    }

    /// Moved by its margin a limit still lets a combo fire, and by a nanosecond
    /// more it does not.
    #[test]
    fn a_margin_is_what_decides(combo in combo(), rate in rate(), taps in taps()) {
        let (_, attempts) = run(&combo, rate, &taps);
        let changes = changes(&combo, rate, &taps);
        // Of two changes at once an attempt does not say which it was.
        let once: std::collections::BTreeSet<i64> = changes.iter().map(|c| c.raw).collect();
        prop_assume!(once.len() == changes.len());
        let fired = Reference { combo: &combo, changes: &changes, spent: None }.fires();
        for attempt in &attempts {
            let end = attempt.ended.time.0 as i64;
            let pressed = attempt.rungs.last().unwrap().reported.0 as i64;
            // What fired before is spent, whatever is moved.
            let is_before = |&&(at, change): &&(i64, usize)| {
                at < end || (at == end && changes[change].raw < pressed)
            };
            let spent = fired.iter().rev().find(is_before).map(|(_, change)| *change);
            let fires = |combo: &Combo| Reference { combo, changes: &changes, spent }.fires();
            // What went on to the end has no margin yet.
            let is_known = |check: &&LimitCheck| check.is_alone && check.margin < 10_000 * MS;
            let is_near = attempt.outcome != ComboAttemptOutcome::Met;
            let is_missed = attempt.outcome == ComboAttemptOutcome::Missed;
            if is_missed && attempt.is_met_if_all_change(&combo) {
                // Changed all at once by what they were missed by, they are all kept.
                let missed = attempt.checks.iter().filter(|check| check.margin < 0);
                let moved = missed.fold(combo.clone(), |combo, check| {
                    let toward = if is_least(&combo, check.limit) { 1 } else { -1 };
                    let amount = check.asked.amount() + toward * check.margin;
                    combo.with_limit(check.limit, amount)
                });
                prop_assert!(!fires(&moved).is_empty(), "{:?}", attempt);
            }
            for check in attempt.checks.iter().filter(is_known) {
                let is_coupled = matches!(check.limit, ComboLimit::Own(n) if usize::from(n) + 1 < combo.steps.len());
                // When a press that may come early counts moves with its earliest moment.
                let last = combo.steps.len() - 1;
                let may_move = check.limit == ComboLimit::After(last as u8)
                    && combo.steps[last].buffer.amount() > 0;
                let is_there = |(at, change): (i64, usize), there: i64| {
                    changes[change].raw == pressed && (at == there || may_move)
                };
                let toward = if is_least(&combo, check.limit) { 1 } else { -1 };
                let moved = |by: i64| {
                    let amount = check.asked.amount().checked_add(toward * by)?;
                    (amount >= 0).then(|| combo.with_limit(check.limit, amount))
                };
                if let Some(moved) = moved(check.margin) {
                    let came = fires(&moved);
                    let there = end_of(&moved, attempt);
                    // Loosened, an earlier press may be enough already; so it may when
                    // a hold must be longer, for then what follows may be later.
                    // Where the last press counts later, another attempt may come first.
                    let is_met = came.iter().any(|&(at, change)| {
                        is_there((at, change), there)
                            || (at <= there && (is_near || is_coupled))
                            || may_move
                    });
                    prop_assert!(is_met, "{:?} by its margin: {:?}", check, attempt);
                }
                if let Some(moved) = check.margin.checked_add(1).and_then(moved) {
                    let there = end_of(&moved, attempt);
                    let is_met =
                        fires(&moved).into_iter().any(|fire| is_there(fire, there));
                    prop_assert!(!is_met, "{:?} beyond: {:?}", check, attempt);
                }
            }
        }
    }
}

/// When an attempt would be over with these limits: a hold or a quiet whose
/// length is moved ends elsewhere.
fn end_of(combo: &Combo, attempt: &ComboAttempt) -> i64 {
    let pressed = |n: usize| attempt.rungs[n].press.time.0 as i64;
    let steps = &combo.steps;
    let met = |n: usize| match steps[n].what {
        StepKind::Hold(_, span) => pressed(n) + span.amount(),
        // What came early counts later.
        _ => attempt.rungs[n].met.time.0 as i64,
    };
    let last = steps.len() - 1;
    match steps[last].what {
        StepKind::Quiet(span) => met(last - 1) + span.amount(),
        _ => met(last),
    }
}

fn press(of: u16, within: u64) -> ComboStep {
    ComboStep::new(StepKind::press(SignalId(of)), ms(within))
}

fn tap(button: u16, at: u64) -> Tap {
    Tap { button, at, lasts: 30 }
}

/// Fires at these milliseconds, and misses by these many on this limit.
#[rstest]
#[case::in_time(&[press(0, 0), press(0, 250)], &[tap(0, 100), tap(0, 340)], &[340], None)]
#[case::to_the_instant(&[press(0, 0), press(0, 250)], &[tap(0, 100), tap(0, 350)], &[350], None)]
#[case::a_little_late(
    &[press(0, 0), press(0, 250)], &[tap(0, 100), tap(0, 362)], &[], Some((ComboLimit::Within(1), 12)))]
#[case::spent_once(
    &[press(0, 0), press(0, 250)], &[tap(0, 0), tap(0, 100), tap(0, 200), tap(0, 300)],
    &[100, 300], None)]
#[case::the_later_beginning_counts(
    &[press(0, 0), press(1, 200)], &[tap(0, 0), tap(0, 150), tap(1, 300)], &[300], None)]
#[case::the_earlier_beginning_counts(
    &[press(0, 0), ComboStep { after: ms(100), ..press(1, 200) }],
    &[tap(0, 0), tap(0, 100), tap(1, 150)], &[150], None)]
#[case::too_early(
    &[press(0, 0), ComboStep { after: ms(100), ..press(1, 200) }], &[tap(0, 0), tap(1, 80)], &[],
    Some((ComboLimit::After(1), 20)))]
#[case::held_too_short(
    &[ComboStep::new(StepKind::hold(SignalId(0), ms(50)), ms(0))], &[tap(0, 0)], &[],
    Some((ComboLimit::Own(0), 20)))]
#[case::repeated_beginnings(
    &[press(0, 0), press(0, 250), press(1, 250)],
    &[tap(0, 0), tap(0, 100), tap(0, 200), tap(1, 300)], &[300], None)]
#[case::a_signal_named_again_and_again(
    &[ComboStep::new(StepKind::Press(vec![SignalId(0); 4]), ms(0))], &[tap(0, 100)], &[100], None)]
fn a_combo_fires_or_says_by_how_much_it_missed(
    #[case] steps: &[ComboStep],
    #[case] taps: &[Tap],
    #[case] fires: &[i64],
    #[case] missed: Option<(ComboLimit, i64)>,
) {
    let combo = Combo::new("c", steps.to_vec());
    let (machine, attempts) = run(&combo, fast(), taps);
    let fires: Vec<i64> = fires.iter().map(|at| at * MS).collect();
    assert_eq!((&machine, &met(&attempts)), (&fires, &fires));
    let near = attempts.iter().find(|attempt| attempt.outcome == ComboAttemptOutcome::Near);
    let nearest = near.and_then(ComboAttempt::nearest).map(|check| (check.limit, -check.margin));
    assert_eq!(nearest, missed.map(|(limit, by)| (limit, by * MS)));
}

/// A press that comes up to 80 ms before its time fires when that has come.
#[test]
fn an_early_press_is_buffered_and_fires_when_its_time_has_come() {
    let early = ComboStep { after: ms(200), buffer: ms(80), ..press(1, 400) };
    let rig = rig_of(vec![Combo::new("c", vec![press(0, 0), early])]);
    let keys = Keys::run(rig, &[tap(0, 100), tap(1, 240)]);
    let news = keys.session.history().combo_news();
    let ticks: Vec<(u64, u32)> = news.iter().map(|n| (n.met.time.0, n.tick.0)).collect();
    // Polled at 1000 Hz.
    assert_eq!(ticks, [(300_000_000, 300)]);
}

#[test]
fn a_window_may_be_a_number_of_ticks() {
    let within = ComboStep::new(StepKind::press(SignalId(1)), TimeSpan::Ticks(100));
    let combo = Combo::new("c", vec![press(0, 0), within]);
    let (fires, _) = run(&combo, fast(), &[tap(0, 0), tap(1, 100)]);
    assert_eq!(fires, [100 * MS]);
    let (fires, attempts) = run(&combo, fast(), &[tap(0, 0), tap(1, 101)]);
    assert!(fires.is_empty());
    assert_eq!(attempts[0].nearest().map(|check| check.margin), Some(-1));
}

/// Reported 251 ms apart, and seen by ticks 250 ms apart.
#[rstest]
#[case::by_reports(ComboClock::Reports, 0)]
#[case::by_ticks(ComboClock::Ticks, 1)]
fn a_combo_may_know_the_times_of_ticks_only(#[case] clock: ComboClock, #[case] fires: usize) {
    let combo = Combo { clock, ..Combo::new("c", vec![press(0, 0), press(0, 250)]) };
    let rig = Rig { rate: PollRate::DEFAULT, ..rig_of(vec![combo]) };
    let keys = Keys::run(rig, &[tap(0, 101), tap(0, 352)]);
    assert_eq!(keys.session.history().combo_news().len(), fires);
    assert_eq!(met(keys.ladder(ComboId(0)).attempts()).len(), fires);
}

#[rstest]
#[case::nothing_else(&[tap(0, 0), tap(1, 400)], &[(0, 251)], &[])]
#[case::a_second_tap(&[tap(0, 0), tap(0, 200)], &[(1, 200)], &[0, 0])]
fn one_waits_for_another(
    #[case] taps: &[Tap],
    #[case] fired: &[(u16, u32)],
    #[case] cancelled: &[u16],
) {
    let one = Combo { waits_for: vec![ComboId(1)], ..Combo::new("one", vec![press(0, 0)]) };
    let two = Combo::new("two", vec![press(0, 0), press(0, 250)]);
    let keys = Keys::run(rig_of(vec![one, two]), taps);
    let news = keys.session.history().combo_news();
    let came: Vec<(u16, u32)> = news
        .iter()
        .filter(|n| n.outcome == ComboOutcome::Fired)
        .map(|n| (n.combo.0, n.tick.0))
        .collect();
    assert_eq!(came, fired);
    // Both taps of the double were met as single ones.
    let lost =
        news.iter().filter(|n| n.outcome == ComboOutcome::Cancelled(ComboId(1))).map(|n| n.combo.0);
    assert_eq!(lost.collect::<Vec<_>>(), cancelled);
}

/// What it shares with others makes no difference to a combo.
#[test]
fn many_combos_fire_as_each_of_them_alone() {
    let mut runner = proptest::test_runner::TestRunner::deterministic();
    for _ in 0..60 {
        use proptest::strategy::ValueTree;
        let combos = vec(combo(), 20).new_tree(&mut runner).unwrap().current();
        let taps = taps().new_tree(&mut runner).unwrap().current();
        let keys = Keys::run(rig_of(combos.clone()), &taps);
        for (combo, n) in combos.iter().zip(0..) {
            let news = keys.session.history().combo_news();
            let its = news.iter().filter(|news| news.combo.0 == n);
            let mut fires: Vec<i64> = its.map(|news| news.met.time.0 as i64).collect();
            fires.sort_unstable();
            assert_eq!(fires, reference(combo, fast(), &taps), "{combo:?}\n{taps:?}");
        }
    }
}

/// Those that one press meets are told in the order of the rig, whichever began first.
#[rstest]
#[case(&[0, 1])]
#[case(&[1, 0])]
fn what_one_press_meets_is_told_in_the_order_of_the_rig(#[case] before: &[u16]) {
    let combo = |n, first| Combo::new(n, vec![press(first, 0), press(2, 900)]);
    let rig = rig_of(vec![combo("a", 1), combo("b", 0), combo("c", 1)]);
    let taps = before.iter().chain(&[2]).zip(1..).map(|(of, n)| tap(*of, 100 * n));
    let keys = Keys::run(rig, &taps.collect::<Vec<_>>());
    let fired = keys.session.history().combo_news().iter().map(|news| news.combo.0);
    assert_eq!(fired.collect::<Vec<_>>(), [0, 1, 2]);
}

/// Its window was missed, and nothing else: the press that may not come during the hold comes when
/// that is over.
#[rstest]
fn a_press_after_a_hold_breaks_nothing_of_it(#[values(1, 163, 5_000)] every: u64) {
    let hold = ComboStep::new(StepKind::Hold(vec![SignalId(0)], ms(26)), ms(60));
    let hold = ComboStep { unless: vec![SignalId(1)], ..hold };
    let quiet = ComboStep::new(StepKind::Quiet(ms(131)), ms(1_000));
    let rig = rig_of(vec![Combo::new("c", vec![press(0, 60), hold, quiet])]);
    let held = Tap { lasts: 157, ..tap(0, 298) };
    let [told, all] = told_in_pieces(rig, &[tap(0, 0), held, tap(1, 410)], every);
    assert_eq!(told, all);
    assert!(matches!(&all[..], [(_, ComboAttempt { outcome: ComboAttemptOutcome::Missed, .. })]));
}

/// One that is met and one that is missed, each told before the end; one that is held
/// only when it is let go.
#[test]
fn an_attempt_is_told_as_soon_as_nothing_of_it_can_change() {
    let hold = ComboStep::new(StepKind::hold(SignalId(2), ms(100)), ms(0));
    let combos =
        vec![Combo::new("c", vec![press(0, 0), press(1, 200)]), Combo::new("held", vec![hold])];
    let held = Tap { button: 2, at: 5_000, lasts: 3_000 };
    let taps = [tap(0, 0), tap(1, 150), tap(0, 400), tap(1, 650), held];
    let rig = rig_of(combos);
    let mut attempts = Attempts::new(&rig);
    let mut told = Vec::new();
    Keys::run_watched(rig, &taps, 100, |session| {
        let at = session.now().at().0;
        told.extend(attempts.settled(session).into_iter().map(|(combo, _)| (combo.0, at)));
    });
    // A second after it ended, which is four windows and a tenth for each step.
    assert_eq!(told, [(0, 1_199), (0, 1_699), (1, 8_099)]);
}

#[test]
fn a_ladder_that_reads_piece_by_piece_reads_the_same() {
    let combo = Combo::new("c", vec![press(0, 0), press(1, 200)]);
    let taps = [tap(0, 0), tap(1, 150), tap(0, 400), tap(1, 650)];
    let keys = Keys::run(rig_of(vec![combo]), &taps);
    let mut ladder = Ladder::new(keys.session.rig(), ComboId(0));
    for edge in keys.session.history().signal_edges() {
        ladder.advance(edge.moment());
        ladder.feed([edge]);
    }
    assert_eq!(ladder.attempts(), keys.ladder(ComboId(0)).attempts());
}
