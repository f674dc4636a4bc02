//! Combos whose presses must all come from one device: two pads played at once
//! come to what each of them comes to alone.

mod common;

use common::pad;
use gtrig_analysis::ladder::{ComboAttempt, Ladder};
use gtrig_analysis::*;
use gtrig_core::*;
use proptest::prelude::*;
use rstest::rstest;

/// A button of one of the pads is pressed or let go.
#[derive(Clone, Copy, Debug)]
struct Move {
    pad: usize,
    button: usize,
    at_ms: u64,
}

const BUTTONS: [&str; 8] =
    ["south", "east", "west", "start", "dpad-up", "dpad-down", "dpad-left", "dpad-right"];

/// Plays the moves of some pads; each turns its button over.
fn play(text: &str, moves: &[Move], pads: &[usize]) -> Session {
    let rig = gtrig_formats::rig::parse("pads", text).unwrap();
    let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
    let pads_there = ["a", "b"].map(|name| session.plug(buttons(name), Nanos(0)).unwrap());
    let mut held = [[0; BUTTONS.len()]; 2];
    for Move { pad, button, at_ms } in moves.iter().copied() {
        let value = &mut held[pad][button];
        *value ^= 1;
        if pads.contains(&pad) {
            let device = session.roster().device(pads_there[pad]);
            let control = device.control(BUTTONS[button]).unwrap();
            session.report(Event::new(Nanos::from_millis(at_ms), control, *value));
        }
    }
    session.run_before(Nanos::from_millis(moves.last().map_or(0, |last| last.at_ms) + 3000));
    session
}

fn buttons(name: &str) -> DeviceInfo {
    let controls = BUTTONS.iter().map(|code| ControlInfo::new(code, ControlKind::Button));
    DeviceInfo { controls: controls.collect(), ..pad(name) }
}

/// What became of combos that were met, without which device it was.
fn news(session: &Session) -> Vec<ComboNews> {
    let mut news: Vec<ComboNews> = session.history().combo_news().iter().copied().collect();
    news.iter_mut().for_each(|news| news.copy = 0);
    in_order(news)
}

fn in_order(mut news: Vec<ComboNews>) -> Vec<ComboNews> {
    news.sort_by_key(|news| (news.met, news.combo, news.began, news.by));
    news
}

fn attempts(session: &Session) -> Vec<ComboAttempt> {
    let now = session.now().combo_now(session.plan());
    let edges = || session.history().signal_edges().iter();
    let of = |combo| {
        let mut ladder = Ladder::read(session.rig(), combo, edges(), now);
        ladder.finish();
        ladder.attempts().to_vec()
    };
    let mut all: Vec<ComboAttempt> =
        ComboId::first(session.rig().combos.len()).flat_map(of).collect();
    all.iter_mut().for_each(|attempt| attempt.copy = 0);
    // Who broke it has another number.
    all.sort_by(|a, b| format!("{a:?}").cmp(&format!("{b:?}")));
    all
}

const DASH: &str = "steps = \"press south, press east within 300 ms\"";

/// The first button on one pad and the second on the other are no combo, and two
/// players that play at once make two.
#[rstest]
#[case::on_one(&[(0, 0, 100), (0, 1, 200)], 1)]
#[case::on_two(&[(0, 0, 100), (1, 1, 200)], 0)]
#[case::on_both(&[(0, 0, 100), (1, 0, 150), (1, 1, 200), (0, 1, 250)], 2)]
#[case::while_the_other_one_holds_it(&[(1, 0, 50), (0, 0, 100), (0, 1, 200)], 1)]
fn the_presses_of_a_combo_come_from_one_pad(
    #[case] moves: &[(usize, usize, u64)],
    #[case] fires: usize,
) {
    let text = format!("rig = 1\n[combo.dash]\n{DASH}\none-device = true\n");
    let moves: Vec<Move> =
        moves.iter().map(|&(pad, button, at_ms)| Move { pad, button, at_ms }).collect();
    let session = play(&text, &moves, &[0, 1]);
    let fired = session.history().combo_news().iter();
    let on: Vec<u8> = fired.map(|news| news.copy).collect();
    assert_eq!(on.len(), fires);
    let found = attempts(&session);
    assert_eq!(
        found.iter().filter(|a| a.outcome == ladder::ComboAttemptOutcome::Met).count(),
        fires
    );
}

/// What the other player presses breaks no strict combo, be it a name of the rig
/// or not; what one presses oneself does.
#[rstest]
#[case::nothing_else(&[], 1)]
#[case::a_name_on_the_other_pad(&[(1, 2)], 1)]
#[case::a_name_on_its_own(&[(0, 2)], 0)]
#[case::no_name_on_the_other_pad(&[(1, 3)], 1)]
#[case::no_name_on_its_own(&[(0, 3)], 0)]
fn a_strict_one_is_broken_on_its_own_pad(#[case] between: &[(usize, usize)], #[case] fires: usize) {
    let text = format!(
        "rig = 1\n[combo.dash]\n{DASH}\none-device = true\nstrict = true\n\
         [combo.other]\nsteps = \"press west\"\n"
    );
    let mut moves = vec![Move { pad: 0, button: 0, at_ms: 100 }];
    moves.extend(between.iter().map(|&(pad, button)| Move { pad, button, at_ms: 150 }));
    moves.push(Move { pad: 0, button: 1, at_ms: 200 });
    let session = play(&text, &moves, &[0, 1]);
    let dashes = session.history().combo_news().iter().filter(|news| news.combo == ComboId(0));
    assert_eq!(dashes.count(), fires);
}

/// One press that turns two signals on is one press: a combo over any pad is not
/// broken by its own press as that of the first pad.
#[test]
fn a_strict_one_is_not_broken_by_its_own_press() {
    let text = format!(
        "rig = 1\n[combo.before]\nsteps = \"press pad1/south, press pad1/east\"\n\
         [combo.dash]\n{DASH}\nstrict = true\n\
         [combo.after]\nsteps = \"press pad1/east, press pad1/south, press action/horn\"\n\
         [action.horn]\ngives = \"on\"\nfrom = [\"pad/south\", \"pad/east\"]\n"
    );
    let moves = [(0, 100), (1, 200)].map(|(button, at_ms)| Move { pad: 0, button, at_ms });
    let session = play(&text, &moves, &[0]);
    let dashes = session.history().combo_news().iter().filter(|news| news.combo == ComboId(1));
    assert_eq!(dashes.count(), 1);
    let now = session.now().combo_now(session.plan());
    let edges = session.history().signal_edges().iter();
    let ladder = Ladder::read(session.rig(), ComboId(1), edges, now);
    assert_eq!(ladder.attempts()[0].outcome, ladder::ComboAttemptOutcome::Met);
}

fn steps() -> impl Strategy<Value = &'static str> {
    prop::sample::select(vec![
        "press south, press east within 300 ms",
        "press south, press south within 250 ms",
        "press south exactly 2 times within 200 ms",
        "tap east 2 times in 150 ms within 300 ms",
        "hold east for 100 ms, press west within 300 ms",
        "together south and east in 80 ms, press west within 300 ms unless start",
        "press south or west, press east after 100 ms within 400 ms buffered 60 ms",
        "push down, push down-right within 300 ms, push right within 300 ms",
        "push left, push right within 300 ms, press south within 300 ms",
        "quiet for 150 ms, press south, release south within 300 ms",
        "press west",
    ])
}

/// A few combos, some of which wait for the one before.
fn combos() -> impl Strategy<Value = String> {
    let flags = prop::sample::subsequence(
        vec![
            "strict = true",
            "again = true",
            "on = \"while-held\"",
            "takes = true",
            "clock = \"ticks\"",
            "all-within = \"700 ms\"",
        ],
        0..4,
    );
    let combo = (steps(), flags, any::<bool>(), any::<bool>());
    prop::collection::vec(combo, 1..4).prop_map(|combos| {
        let mut text = String::from("rig = 1\n");
        for (n, (steps, flags, waits, passes)) in combos.into_iter().enumerate() {
            text += &format!("[combo.c{n}]\nstick = \"pad/dpad\"\nsteps = \"{steps}\"\n");
            text += &flags.join("\n");
            if waits && n > 0 {
                text += &format!("\nwaits-for = \"c{}\"", n - 1);
            }
            if passes && flags.contains(&"strict = true") {
                text += "\npassing = [\"west\", \"up\"]";
            }
            text += "\nONE\n";
        }
        text
    })
}

fn moves() -> impl Strategy<Value = Vec<Move>> {
    let gaps = (0..2usize, 0..BUTTONS.len(), 1u64..140);
    prop::collection::vec(gaps, 1..60).prop_map(|moves| {
        let mut at_ms = 20;
        let next = |(pad, button, gap)| {
            at_ms += gap;
            Move { pad, button, at_ms }
        };
        moves.into_iter().map(next).collect()
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(192))]

    /// Two pads at once are as each of them alone, with combos that do not ask for
    /// one device: what is met and what becomes of it, every attempt and every
    /// margin.
    #[test]
    fn each_pad_is_as_if_it_were_alone(combos in combos(), moves in moves()) {
        let both = play(&combos.replace("ONE", "one-device = true"), &moves, &[0, 1]);
        let alone = [0, 1].map(|pad| play(&combos.replace("ONE", ""), &moves, &[pad]));
        let expected = in_order(alone.iter().flat_map(news).collect());
        prop_assert_eq!(news(&both), expected, "{}", combos);
        let of_one = |session| attempts(session).into_iter().map(plain);
        let mut expected: Vec<String> = alone.iter().flat_map(of_one).collect();
        let mut found: Vec<String> = attempts(&both).into_iter().map(plain).collect();
        expected.sort();
        found.sort();
        prop_assert_eq!(found, expected, "{}", combos);
    }
}

/// An attempt, whatever the numbers of signals are.
fn plain(mut attempt: ComboAttempt) -> String {
    use ladder::ComboAttemptOutcome::Broken;
    if let Broken(_) = attempt.outcome {
        attempt.outcome = Broken(None);
    }
    format!("{attempt:?}")
}
