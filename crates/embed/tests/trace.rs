//! What a trace says is what the game read, and what the workbench says of its take.

mod common;

use common::pad;
use gtrig_analysis::Capacity;
use gtrig_core::{ActionId, Nanos, Presence, Rig, Tick};
use gtrig_embed::{Control, Input};
use gtrig_formats::{rig, take, words::explain_action};
use proptest::prelude::*;

const RIG: &str = r#"
rig = 1
[action.horn]
gives = "on"
from = "pad/south"
[action.lights]
gives = "toggle"
from = "pad/south"
[action.slew]
gives = "axis"
from = { axis = "pad/stick-l-x", dead-zone = 0.2 }
"#;

/// The game's clock began long before the game: a machine that has been up for years.
const BEGINS: u64 = 3 * 365 * 86_400 * 1_000_000_000;

fn rig() -> Rig {
    rig::parse("t.toml", RIG).unwrap()
}

/// A game whose frames are the ticks of its rig.
struct Game {
    input: Input,
    controls: [Control; 2],
    frames: u32,
}

impl Game {
    fn new(capacity: Capacity) -> Self {
        let mut input = Input::traced(rig(), capacity);
        let pad = input.plug(pad(), Nanos(BEGINS)).unwrap();
        let controls = ["south", "stick-l-x"].map(|code| input.control(pad, code).unwrap());
        input.frame(Nanos(BEGINS));
        Game { input, controls, frames: 0 }
    }

    /// A report just before the next frame, and the frame.
    fn frame(&mut self, report: Option<(usize, i32)>) {
        self.frames += 1;
        let now = BEGINS + rig().rate.time_of(Tick(self.frames)).0;
        if let Some((control, value)) = report {
            self.input.feed(Nanos(now - 1), &[(self.controls[control], value)]);
        }
        self.input.frame(Nanos(now));
    }
}

proptest! {
    #[test]
    fn a_trace_is_what_the_game_read(
        reports in prop::collection::vec(
            prop::option::of(prop_oneof![(Just(0), 0..2), (Just(1), -100..=100)]), 1..60),
    ) {
        let mut game = Game::new(Capacity::DEFAULT);
        for report in reports {
            game.frame(report);
            let trace = game.input.trace().unwrap();
            prop_assert_eq!(trace.session().now().at(), Tick(game.frames));
            for (name, n) in ["horn", "lights", "slew"].into_iter().zip(0..) {
                let action = game.input.action(name).unwrap();
                let told = trace.session().now().action(ActionId(n));
                prop_assert_eq!(told.x, game.input.value(action), "{}", name);
            }
        }
        // Written and read as a take it is the same again.
        let session = game.input.trace().unwrap().session();
        let mut bytes = Vec::new();
        take::write(&session.recording(), None, &mut bytes).unwrap();
        let reader = take::TakeReader::open(&bytes[..]).unwrap();
        let (read, loaded) = reader.load(rig(), Capacity::DEFAULT);
        prop_assert!(loaded.is_sound());
        for n in (0..3).map(ActionId) {
            prop_assert_eq!(read.now().action(n), session.now().action(n));
        }
    }
}

#[test]
fn what_drives_an_action_is_told() {
    let mut game = Game::new(Capacity::DEFAULT);
    game.frame(Some((1, 60)));
    let session = game.input.trace().unwrap().session();
    let why = explain_action(session, session.now(), ActionId(2));
    assert!(why.contains("stick-l-x"), "{why}");
}

#[test]
fn a_trace_keeps_no_more_than_it_may() {
    let capacity = Capacity { events: 500, changes: 500 };
    let mut game = Game::new(capacity);
    for n in 0..20_000 {
        game.frame(Some((1, n % 100)));
    }
    assert!(game.input.trace().unwrap().session().recording().len() < 2_000);
}

/// However long nothing happens, and at any rate.
#[test]
fn after_a_month_a_trace_stands_still() {
    let mut game = Game::new(Capacity::DEFAULT);
    game.frame(Some((0, 1)));
    let day = 86_400_000_000_000;
    let held = |game: &Game| {
        let trace = game.input.trace().unwrap();
        let mut bytes = Vec::new();
        take::write(&trace.session().recording(), None, &mut bytes).unwrap();
        let (read, loaded) =
            take::TakeReader::open(&bytes[..]).unwrap().load(rig(), Capacity::DEFAULT);
        assert!(loaded.is_sound());
        read.now().action(ActionId(0)).x
    };
    game.input.frame(Nanos(BEGINS + 29 * day));
    assert_eq!(held(&game), 1.0);
    for days in [31, 500] {
        game.input.feed(Nanos(BEGINS + days * day), &[(game.controls[0], 0)]);
        game.input.frame(Nanos(BEGINS + days * day + 1));
        assert!(!game.input.is_on(game.input.action("horn").unwrap()));
        assert_eq!(held(&game), 1.0, "after {days} days");
        game.input.feed(Nanos(BEGINS + days * day + 2), &[(game.controls[0], 1)]);
        game.input.frame(Nanos(BEGINS + days * day + 3));
    }
}

#[test]
fn a_device_that_goes_and_another_rig_are_told_too() {
    let mut game = Game::new(Capacity::DEFAULT);
    game.frame(Some((0, 1)));
    let other = RIG.replace("0.2", "0.5");
    game.input.reload(rig::parse("t.toml", &other).unwrap()).unwrap();
    game.frame(Some((1, 40)));
    let slew = game.input.action("slew").unwrap();
    let told = |game: &Game, n| game.input.trace().unwrap().session().now().action(ActionId(n)).x;
    assert_eq!((told(&game, 2), game.input.value(slew)), (0.0, 0.0), "by the new dead zone");
    assert_eq!(told(&game, 0), 1.0);
    let pad = game.input.roster().devices().next().unwrap().0;
    game.input.set_presence(pad, Presence::Deaf, Nanos(BEGINS + 40_000_000));
    game.frame(None);
    assert_eq!(told(&game, 0), 0.0, "a deaf device holds nothing");
}
