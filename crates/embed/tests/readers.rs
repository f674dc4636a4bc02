//! Every reader sees every edge once, however loops are interleaved.

mod common;

use common::pad;
use gtrig_core::{DeviceId, Nanos, Presence};
use gtrig_embed::{Action, Control, Input};
use proptest::prelude::*;
use rstest::rstest;

const RIG: &str = r#"
rig = 1
[action.horn]
gives = "on"
from = "pad/south"
[action.brake]
gives = "pulse"
from = "pad/south"
[action.lights]
gives = "toggle"
from = "pad/south"
[action.slew]
gives = "plane"
from = { stick = "pad/stick-l", dead-zone = 0.0 }
"#;

struct Game {
    input: Input,
    device: DeviceId,
    south: Control,
    stick: [Control; 2],
    actions: [Action; 4],
}

fn game() -> Game {
    let mut input = Input::new(gtrig_formats::rig::parse("t.toml", RIG).unwrap());
    let device = input.plug(pad(), Nanos(0)).unwrap();
    let control = |code| input.control(device, code).unwrap();
    let (south, stick) = (control("south"), ["stick-l-x", "stick-l-y"].map(control));
    let actions = ["horn", "brake", "lights", "slew"].map(|name| input.action(name).unwrap());
    Game { input, device, south, stick, actions }
}

fn ms(ms: u64) -> Nanos {
    Nanos::from_millis(ms)
}

/// What happens next.
#[derive(Clone, Copy, Debug)]
enum Next {
    South(bool),
    Push(i32),
    /// The pad can be heard, or not.
    Heard(bool),
    Frame(u64),
    Look(usize),
}

fn next() -> impl Strategy<Value = Next> {
    prop_oneof![
        3 => any::<bool>().prop_map(Next::South),
        2 => (-100i32..=100).prop_map(Next::Push),
        1 => any::<bool>().prop_map(Next::Heard),
        4 => (1u64..60).prop_map(Next::Frame),
        4 => (0usize..3).prop_map(Next::Look),
    ]
}

proptest! {
    /// Three readers look whenever they like: each is told every press, release and pulse
    /// once, and the whole way.
    #[test]
    fn nobody_loses_or_doubles_anything(all in prop::collection::vec(next(), 1..300)) {
        let mut game = game();
        let [horn, brake, lights, slew] = game.actions;
        let mut readers = [(); 3].map(|()| game.input.reader());
        let mut told = [[0u32; 5]; 3];
        let mut ways = [0.0f64; 3];
        let (mut now, mut at) = (0, 0);
        // By hand: what frames saw.
        let (mut down, mut was_down, mut push, mut is_lit) = (false, false, 0, false);
        let mut is_heard = true;
        let (mut expected, mut way, mut last_frame) = ([0u32; 5], 0.0f64, None);
        let look = |game: &Game, readers: &mut [gtrig_embed::Reader; 3], n: usize, told: &mut [[u32; 5]; 3], ways: &mut [f64; 3]| {
            let news = readers[n].look(&game.input);
            let here = [
                news.presses(horn), news.releases(horn), news.presses(brake),
                news.presses(lights), news.releases(lights),
            ];
            told[n].iter_mut().zip(here).for_each(|(sum, more)| *sum += more);
            ways[n] += news.way(slew)[0];
        };
        for next in all.into_iter().chain([Next::Frame(1), Next::Look(0), Next::Look(1), Next::Look(2)]) {
            match next {
                Next::South(is_down) => {
                    at += 1;
                    down = is_down && is_heard;
                    game.input.feed(Nanos(now + at), &[(game.south, i32::from(is_down))]);
                }
                Next::Push(value) => {
                    at += 1;
                    push = if is_heard { value } else { 0 };
                    game.input.feed(Nanos(now + at), &[(game.stick[0], value)]);
                }
                Next::Heard(heard) => {
                    at += 1;
                    is_heard = heard;
                    if !heard {
                        (down, push) = (false, 0);
                    }
                    let presence = if heard { Presence::Here } else { Presence::Deaf };
                    game.input.set_presence(game.device, presence, Nanos(now + at));
                }
                Next::Frame(after) => {
                    now += after * 1_000_000;
                    at = 0;
                    game.input.frame(Nanos(now));
                    let pressed = down && !was_down;
                    let was_lit = is_lit;
                    is_lit ^= pressed;
                    let of = [pressed, was_down && !down, pressed, is_lit && !was_lit, was_lit && !is_lit];
                    expected.iter_mut().zip(of).for_each(|(sum, is_so)| *sum += u32::from(is_so));
                    was_down = down;
                    let seconds = last_frame.map_or(0.0, |last| (now - last) as f64 / 1e9);
                    way += f64::from(game.input.value(slew)) * seconds;
                    prop_assert!((game.input.value(slew) - push as f32 / 100.0).abs() < 1e-6);
                    last_frame = Some(now);
                }
                Next::Look(n) => look(&game, &mut readers, n, &mut told, &mut ways),
            }
        }
        for n in 0..3 {
            prop_assert_eq!(told[n], expected);
            prop_assert!((ways[n] - way).abs() < 1e-9, "{} {}", ways[n], way);
        }
    }
}

/// A fixed step beside a variable frame: the press that a frame without a step saw is read by
/// the next step, and by one of two.
#[test]
fn a_fixed_step_reads_each_press_once() {
    let mut game = game();
    let (mut step, brake) = (game.input.reader(), game.actions[1]);
    let mut presses = |game: &Game| step.look(&game.input).presses(brake);
    game.input.frame(ms(1));
    game.input.feed(ms(5), &[(game.south, 1)]);
    game.input.frame(ms(8));
    game.input.feed(ms(9), &[(game.south, 0)]);
    game.input.frame(ms(16));
    assert_eq!(presses(&game), 1);
    assert_eq!(presses(&game), 0);
}

#[test]
fn what_is_held_is_released_when_the_focus_goes() {
    let mut game = game();
    let horn = game.actions[0];
    game.input.feed(ms(1), &[(game.south, 1)]);
    game.input.frame(ms(16));
    assert!(game.input.is_on(horn) && game.input.since(horn) == ms(16));
    assert_eq!(game.input.driver(horn), Some((game.device, "south")));
    game.input.set_presence(game.device, Presence::Deaf, ms(20));
    game.input.frame(ms(33));
    assert!(!game.input.is_on(horn));
    assert_eq!(game.input.driver(horn), None);
}

/// What is told of the past is seen by the next frame, in the order in which it was told.
#[test]
fn what_comes_late_is_not_lost() {
    let mut game = game();
    let mut reader = game.input.reader();
    game.input.frame(ms(16));
    game.input.feed(ms(3), &[(game.south, 1)]);
    game.input.frame(ms(33));
    assert_eq!(reader.look(&game.input).presses(game.actions[0]), 1);
}

#[test]
fn directions_are_given_both_ways() {
    let mut game = game();
    let slew = game.actions[3];
    game.input.feed(ms(1), &[(game.stick[0], 0), (game.stick[1], 50)]);
    game.input.frame(ms(16));
    assert_eq!(game.input.vector(slew), [0.0, 0.5]);
    assert_eq!(game.input.angle(slew), [90.0, 0.5]);
}

/// A rig that was edited takes the place of the one before; what is held is no press.
#[test]
fn a_rig_is_reloaded_while_the_game_runs() {
    let mut game = game();
    let mut reader = game.input.reader();
    game.input.feed(ms(1), &[(game.south, 1), (game.stick[0], 20)]);
    game.input.frame(ms(16));
    reader.look(&game.input);
    let edited = RIG.replace("dead-zone = 0.0", "dead-zone = 0.5");
    game.input.reload(gtrig_formats::rig::parse("t.toml", &edited).unwrap()).unwrap();
    game.input.frame(ms(33));
    assert_eq!(game.input.vector(game.actions[3]), [0.0, 0.0]);
    assert!(game.input.is_on(game.actions[0]));
    assert_eq!(reader.look(&game.input).presses(game.actions[0]), 0);
}

/// What a debounce holds back while the rig is reloaded no device says again.
#[rstest]
#[case::a_release(&[(1, 1), (9, 0)], false)]
#[case::a_press(&[(1, 1), (9, 0), (12, 1)], true)]
#[case::a_press_after_a_tap(&[(1, 1), (60, 0), (70, 1)], true)]
fn what_a_debounce_holds_back_outlives_a_reload(#[case] said: &[(u64, i32)], #[case] is_on: bool) {
    let mut game = game();
    let debounced = format!("{RIG}\n[[edge]]\nof = \"pad/south\"\ndebounce-ms = 50\n");
    let rig = gtrig_formats::rig::parse("t.toml", &debounced).unwrap();
    game.input.reload(rig.clone()).unwrap();
    for &(at, value) in said {
        game.input.feed(ms(at), &[(game.south, value)]);
        game.input.frame(ms(at + 1));
    }
    game.input.reload(rig).unwrap();
    game.input.frame(ms(500));
    assert_eq!(game.input.is_on(game.actions[0]), is_on);
}

#[rstest]
#[case::one_less("rig = 1\n[action.horn]\ngives = \"on\"\nfrom = \"pad/south\"\n", "brake")]
#[case::of_another_kind(
    "rig = 1\n[action.horn]\ngives = \"toggle\"\nfrom = \"pad/south\"\n",
    "horn"
)]
fn a_rig_with_other_actions_is_refused(#[case] rig: &str, #[case] missing: &str) {
    let mut game = game();
    let refused = game.input.reload(gtrig_formats::rig::parse("t.toml", rig).unwrap()).unwrap_err();
    assert_eq!(refused.missing, missing);
    assert_eq!(game.input.rig().actions.len(), 4);
}

/// A frame of a game, with all that it asks, asks for no memory.
#[test]
fn a_frame_allocates_nothing() {
    let mut game = game();
    let mut readers = [game.input.reader(), game.input.reader()];
    let mut frame = |n: u64| {
        let (south, stick) = (game.south, game.stick);
        game.input
            .feed(ms(n * 16 + 3), &[(south, (n % 2) as i32), (stick[0], (n % 200) as i32 - 100)]);
        game.input.frame(ms(n * 16 + 16));
        let pressed: u32 = readers
            .iter_mut()
            .map(|reader| reader.look(&game.input).presses(game.actions[0]))
            .sum();
        pressed
    };
    frame(0);
    let told = allocation_counter::measure(|| {
        for n in 1..1000 {
            frame(n);
        }
    });
    assert_eq!(told.count_total, 0);
}
