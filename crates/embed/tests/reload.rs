//! A rig takes the place of the one before: what is held goes on.

mod common;

use common::pad;
use gtrig_core::{
    CleanText, ControlInfo, ControlKind, DeviceId, DeviceInfo, DeviceKind, Nanos, Presence,
};
use gtrig_embed::{Action, Control, Input, News};
use proptest::prelude::*;

/// Nothing here goes by time, or turns over. The tap is over with its frame, and only its presses
/// are compared.
const RIG: &str = r#"
rig = 1
[action.menu]
gives = "on"
from = "keys/KeyM"
[action.horn]
gives = "on"
from = ["pad/south", "keys/KeyH"]
[action.bell]
gives = "on"
closed-while = "menu"
from = "pad/south"
[action.light]
gives = "on"
open-while = "menu"
from = ["keys/KeyH", "keys/KeyA"]
[action.walk]
gives = "axis"
from = [
    { pair = [["keys/KeyA", "keys/KeyH"], "keys/KeyD"], both = "last" },
    { axis = "pad/stick-l-x", dead-zone = 0.1 },
]
[action.climb]
gives = "axis"
closed-while = "menu"
from = { pair = [["keys/KeyA", "pad/stick-l-y"], "keys/KeyD"], both = "first" }
[action.lean]
gives = "axis"
from = { pair = ["pad/stick-l-x", ["keys/KeyD", "pad/stick-l-y"]], both = "last" }
[action.look]
gives = "plane"
from = { stick = "pad/stick-l", dead-zone = 0.1 }
[action.nod]
gives = "on"
from = { control = "pad/stick-l-y", press-at = 0.6, release-at = 0.3 }
[action.bow]
gives = "on"
closed-while = "menu"
from = { control = "pad/stick-l-y", press-at = 0.5, release-at = 0.1 }
[action.tap]
gives = "pulse"
closed-while = "menu"
from = ["pad/south", "keys/KeyA"]
[action.mine]
gives = "on"
devices = "main"
from = ["pad/south", "keys/KeyH"]
"#;

struct Game {
    input: Input,
    devices: [DeviceId; 2],
    controls: Vec<Control>,
    actions: Vec<Action>,
}

fn game() -> Game {
    let mut input = Input::new(rig());
    let keys = DeviceInfo {
        identity: "k".into(),
        kind: DeviceKind::Keys,
        name: CleanText::new("k"),
        bus: CleanText::default(),
        slot: None,
        controls: KEYS.map(|code| ControlInfo::new(code, ControlKind::Button)).into(),
    };
    let devices = [pad(), keys].map(|device| input.plug(device, Nanos(0)).unwrap());
    let of = |device: usize, code: &&str| input.control(devices[device], code).unwrap();
    let pad = ["south", "stick-l-x", "stick-l-y"];
    let controls = pad.iter().map(|code| of(0, code)).chain(KEYS.iter().map(|code| of(1, code)));
    let controls = controls.collect();
    let names = input.rig().actions.iter().map(|action| action.name.clone()).collect::<Vec<_>>();
    let actions = names.iter().map(|name| input.action(name).unwrap()).collect();
    Game { input, devices, controls, actions }
}

const KEYS: [&str; 4] = ["KeyM", "KeyH", "KeyA", "KeyD"];

fn rig() -> gtrig_core::Rig {
    gtrig_formats::rig::parse("t.toml", RIG).unwrap()
}

/// What a person changes of one action: its name, what stood there, and what stands there now.
const EDITS: [[&str; 3]; 11] = [
    ["look", "stick-l\", dead-zone = 0.1", "stick-l\", dead-zone = 0.4"],
    [
        "horn",
        "from = [\"pad/south\", \"keys/KeyH\"]\n[action.bell]",
        "from = \"keys/KeyD\"\n[action.bell]",
    ],
    [
        "bell",
        "closed-while = \"menu\"\nfrom = \"pad/south\"",
        "from = [\"keys/KeyD\", \"pad/south\"]",
    ],
    [
        "bell",
        "closed-while = \"menu\"\nfrom = \"pad/south\"",
        "closed-while = \"horn\"\nfrom = \"pad/south\"",
    ],
    ["light", "open-while = \"menu\"", "closed-while = \"horn\""],
    [
        "walk",
        "\"keys/KeyH\"], \"keys/KeyD\"], both = \"last\"",
        "\"keys/KeyH\"], \"keys/KeyD\"], both = \"neutral\"",
    ],
    ["climb", "closed-while = \"menu\"\nfrom = { pair", "open-while = \"menu\"\nfrom = { pair"],
    ["bow", "press-at = 0.5, release-at = 0.1", "press-at = 0.8, release-at = 0.4"],
    ["climb", "[\"keys/KeyA\", \"pad/stick-l-y\"]", "\"keys/KeyA\""],
    [
        "lean",
        "pair = [\"pad/stick-l-x\", [\"keys/KeyD\", \"pad/stick-l-y\"]]",
        "pair = [\"keys/KeyD\", \"keys/KeyH\"]",
    ],
    ["mine", "devices = \"main\"", "closed-while = \"menu\""],
];

/// The rig with one of the edits.
fn edited(at: usize) -> gtrig_core::Rig {
    let [_, old, new] = EDITS[at];
    assert_eq!(RIG.matches(old).count(), 1, "{old}");
    gtrig_formats::rig::parse("t.toml", &RIG.replace(old, new)).unwrap()
}

/// What happens next.
#[derive(Clone, Copy, Debug)]
enum Next {
    Button(usize, bool),
    Push(usize, i32),
    Presence(usize, bool),
    Frame,
    /// The same rig, or one with an edit.
    Reload(Option<usize>),
}

fn next() -> impl Strategy<Value = Next> {
    prop_oneof![
        6 => (prop_oneof![Just(0), 3usize..7], any::<bool>()).prop_map(|(n, down)| Next::Button(n, down)),
        2 => (1usize..3, -100i32..=100).prop_map(|(n, at)| Next::Push(n, at)),
        1 => (0usize..2, any::<bool>()).prop_map(|(n, is_here)| Next::Presence(n, is_here)),
        6 => Just(Next::Frame),
        2 => prop::option::of(0..EDITS.len()).prop_map(Next::Reload),
    ]
}

proptest! {
    /// The same rig once more changes nothing, whatever is held; nor does one that was edited, but
    /// for the action whose numbers, controls or gates are others.
    #[test]
    fn what_a_rig_does_not_change_goes_on(all in prop::collection::vec(next(), 1..120)) {
        let [mut plain, mut other] = [game(), game()];
        let (mut reader, mut other_reader) = (plain.input.reader(), other.input.reader());
        let (mut now, mut edits) = (Nanos(0), Vec::new());
        for next in all {
            if let Next::Reload(Some(at)) = next {
                edits.push(EDITS[at][0]);
            }
            now.0 += 1_000_000;
            for (n, game) in [&mut plain, &mut other].into_iter().enumerate() {
                match next {
                    Next::Button(n, down) => game.input.feed(now, &[(game.controls[n], i32::from(down))]),
                    Next::Push(n, at) => game.input.feed(now, &[(game.controls[n], at)]),
                    Next::Presence(n, is_here) => {
                        let presence = if is_here { Presence::Here } else { Presence::Deaf };
                        game.input.set_presence(game.devices[n], presence, now);
                    }
                    Next::Frame => game.input.frame(now),
                    Next::Reload(edit) if n == 1 => {
                        game.input.reload(edit.map_or_else(rig, edited)).unwrap();
                    }
                    Next::Reload(_) => {}
                }
            }
            let (news, other_news) = (reader.look(&plain.input), other_reader.look(&other.input));
            let specs = &rig().actions;
            let is_same = |name: &str| !edits.contains(&name);
            let same = plain.actions.iter().zip(specs).filter(|(_, spec)| is_same(&spec.name));
            for (&action, spec) in same {
                let told = |game: &Game, news: &News| {
                    let driver = game.input.driver(action);
                    let driver = driver.map(|(device, code)| (device, code.to_owned()));
                    let is = (spec.name != "tap").then(|| (game.input.vector(action), driver));
                    (is, news.presses(action), news.releases(action))
                };
                prop_assert_eq!(told(&plain, &news), told(&other, &other_news), "{}", spec.name);
            }
        }
    }
}

/// A button that a combo took counts once it was let go, as without the reload.
#[test]
fn what_a_combo_took_is_not_given_back() {
    let combo =
        "[combo.grab]\nsteps = \"press keys/KeyA, press pad/south within 500 ms\"\ntakes = true\n";
    let rig = || gtrig_formats::rig::parse("t.toml", &format!("{RIG}{combo}")).unwrap();
    let mut game = game();
    game.input.reload(rig()).unwrap();
    let (horn, [south, a]) = (game.actions[1], [game.controls[0], game.controls[5]]);
    for (ms, control, value) in [(10, a, 1), (20, a, 0), (30, south, 1)] {
        game.input.feed(Nanos::from_millis(ms), &[(control, value)]);
        game.input.frame(Nanos::from_millis(ms + 1));
    }
    assert!(!game.input.is_on(horn), "the combo took it");
    game.input.reload(rig()).unwrap();
    game.input.frame(Nanos::from_millis(50));
    assert!(!game.input.is_on(horn));
    for (ms, value, is_on) in [(60, 0, false), (70, 1, true)] {
        game.input.feed(Nanos::from_millis(ms), &[(south, value)]);
        game.input.frame(Nanos::from_millis(ms + 1));
        assert_eq!(game.input.is_on(horn), is_on);
    }
}

/// What is beyond half its travel when a rig first reads it as a side holds that side at once.
#[test]
fn a_travel_that_the_rig_before_did_not_follow_holds_its_side() {
    let mut game = game();
    let lean = EDITS.iter().position(|[name, ..]| *name == "lean").unwrap();
    game.input.reload(edited(lean)).unwrap();
    game.input.feed(Nanos(1_000_000), &[(game.controls[1], 90)]);
    game.input.frame(Nanos(2_000_000));
    game.input.reload(rig()).unwrap();
    game.input.frame(Nanos(3_000_000));
    let lean = game.input.action("lean").unwrap();
    assert_eq!(game.input.vector(lean), [-1.0, 0.0]);
}
