//! A combo among many others, over more buttons than a machine word has bits: each does what it
//! does in a rig of its own.

use gtrig_analysis::{Capacity, Session};
use gtrig_core::*;
use proptest::{collection::vec, option, prelude::*};

/// With presses and releases these are more than 64 changes that lead to a step.
const BUTTONS: u16 = 80;

fn pad() -> DeviceInfo {
    let button = |n| ControlInfo::new(&format!("b{n}"), ControlKind::Button);
    DeviceInfo {
        identity: "many".to_owned(),
        kind: DeviceKind::Other,
        name: CleanText::new("many"),
        bus: CleanText::default(),
        slot: None,
        controls: (0..BUTTONS).map(button).collect(),
    }
}

fn rig(combos: Vec<Combo>) -> Rig {
    let signal = |n| Signal::Control {
        control: ControlRef { kind: DeviceKind::Other, number: None, code: format!("b{n}") },
        thresholds: Thresholds { press_at: 0.5, release_at: 0.5 },
    };
    let signals = (0..BUTTONS).map(signal).collect();
    Rig { combos, signals, ..Rig::bare("many", PollRate::from_hz(1000.0).unwrap()) }
}

/// A press of one of two buttons, and then of any: so one step has many that may follow it.
fn combo() -> impl Strategy<Value = Combo> {
    let any = || (0..BUTTONS).prop_map(SignalId);
    let within = || (60..300u64).prop_map(TimeSpan::millis);
    let second = (any(), prop::bool::weighted(0.2), within());
    let third = option::weighted(0.6, (any(), within()));
    ((0..2u16).prop_map(SignalId), second, third).prop_map(|(first, second, third)| {
        let (button, is_release, span) = second;
        let what = match is_release {
            true => StepKind::Release(vec![button]),
            false => StepKind::press(button),
        };
        let first = ComboStep::new(StepKind::press(first), TimeSpan::Time(0));
        let third = third.map(|(of, span)| ComboStep::new(StepKind::press(of), span));
        let steps = [first, ComboStep::new(what, span)].into_iter().chain(third);
        Combo::new("c", steps.collect())
    })
}

/// A hand that makes these combos in turn, with so many milliseconds between two steps, and
/// another one that presses whatever it finds at these instants. Each button is held for 5 ms.
fn hands(
    combos: &[Combo],
    made: &[(prop::sample::Index, u64)],
    other: &[(u64, u16)],
) -> Vec<(u64, u16, i32)> {
    let mut at = 100;
    let mut events = Vec::new();
    for &(at, button) in other {
        events.extend([(at, button, 1), (at + 5, button, 0)]);
    }
    for (which, gap) in made {
        for step in &which.get(combos).steps {
            let button = step.what.signals()[0].0;
            events.extend([(at, button, 1), (at + 5, button, 0)]);
            at += gap;
        }
    }
    events.sort_unstable();
    events
}

/// For each combo when it was met, in milliseconds.
fn met(combos: &[Combo], hand: &[(u64, u16, i32)]) -> Vec<Vec<u64>> {
    let mut session = Session::new(rig(combos.to_vec()), Tick(0), Capacity::DEFAULT);
    let pad = session.plug(pad(), Nanos(0)).unwrap();
    let controls: Vec<ControlId> = session.roster().device(pad).controls().collect();
    for &(ms, button, value) in hand {
        let (time, control) = (Nanos::from_millis(ms), controls[usize::from(button)]);
        session.report(Event::new(time, control, value));
    }
    session.run_before(Nanos::from_millis(10_000));
    let mut met = vec![Vec::new(); combos.len()];
    for news in session.history().combo_news() {
        met[news.combo.index()].push(news.met.time.0 / 1_000_000);
    }
    met
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    #[test]
    fn a_combo_among_many_is_met_as_if_it_were_alone(
        combos in vec(combo(), 100..140),
        made in vec((any::<prop::sample::Index>(), 20..200u64), 1..8),
        // Not while the first of them is made.
        other in vec((800..3000u64, 0..BUTTONS), 0..200),
    ) {
        let hand = hands(&combos, &made, &other);
        let among = met(&combos, &hand);
        for (combo, among) in combos.iter().zip(&among) {
            prop_assert_eq!(among, &met(std::slice::from_ref(combo), &hand)[0], "{:?}", combo);
        }
        // The first that the hand makes is met, if it is made of presses and in time.
        let (which, gap) = &made[0];
        let is_in_time = |step: &ComboStep| {
            matches!(step.what, StepKind::Press(_)) && TimeSpan::millis(*gap) <= step.within
        };
        if which.get(&combos).steps[1..].iter().all(is_in_time) {
            prop_assert!(!which.get(&among).is_empty());
        }
    }
}
