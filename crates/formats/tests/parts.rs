//! Which parts of a rig bear on an action.

use gtrig_core::{ActionId, Nearness, Part, Rig};
use gtrig_formats::rig;
use rstest::rstest;

const RIG: &str = r#"rig = 1
[shape.worn]
stages = [{ dead-zone = 0.1 }]
[surface]
pixels = [1920, 1080]
window = { size = [1920, 1080] }
world = { camera = [0, 0], zoom = 2 }
[zone.above]
rect = [0.1, 0.1, 0.2, 0.2]
layer = 2
closed-while = "menu"
[zone.deck]
in = "world"
rect = [0, 0, 90, 90]
[zone.glass]
rect = [0, 0, 1, 1]
contact = "pass"
layer = 9
[zone.below]
rect = [0.1, 0.1, 0.5, 0.5]
layer = -1
[gesture.tap]
kind = "tap"
[gesture.double]
kind = "tap"
times = 2
zone = "above"
[gesture.late]
kind = "tap"
zone = "above"
waits-for = ["double"]
[gesture.hook]
kind = "flick"
zone = "deck"
takes = true
beside = ["late", "double"]
[combo.roll]
steps = "press south, make gesture/double within 400 ms"
[combo.lash]
steps = "press east, press north within 300 ms"
takes = true
waits-for = ["roll"]
[combo.turned]
steps = "press west, press pad/north within 300 ms unless zone/below"
modes = ["crane"]
[mode.walk]
[mode.crane]
enter = "menu"
[action.menu]
gives = "toggle"
from = "pad/start"
[action.slew]
gives = "plane"
from = { stick = "pad/stick-l", shape = "worn" }
open-while = "menu"
[action.horn]
gives = "on"
from = "pad2/east"
[action.far]
gives = "on"
from = "keys/KeyE"
[action.lights]
gives = "pulse"
from = { gesture = "late" }
[action.walk]
gives = "axis"
from = { pair = [{ zone = "deck" }, { zone = "below" }] }
[action.damp]
gives = "pulse"
from = { combo = "turned" }
"#;

fn name(rig: &Rig, part: Part) -> String {
    match part {
        Part::Action(id) => format!("action {}", rig.actions[id.index()].name),
        Part::Shape(id) => format!("shape {}", rig.shapes[id.index()].name),
        Part::Surface => "surface".to_owned(),
        Part::Zone(id) => format!("zone {}", rig.zones[id.index()].name),
        Part::Gesture(id) => format!("gesture {}", rig.gestures[id.index()].name),
        Part::Combo(id) => format!("combo {}", rig.combos[id.index()].name),
    }
}

#[rstest]
#[case::a_shape_and_a_gate("slew", "shape worn", "action menu")]
#[case::a_combo_that_takes_its_button(
    "horn",
    "",
    "combo lash, combo roll, gesture double, zone above, action menu"
)]
#[case::another_key("far", "", "")]
#[case::a_gesture("lights", "gesture late", "zone above, gesture double, action menu")]
#[case::zones_of_a_pair("walk", "zone deck, zone below", "zone above, surface, action menu")]
#[case::what_breaks_a_combo_and_its_modes(
    "damp",
    "combo turned",
    "zone below, action menu, zone above, zone deck, surface"
)]
fn what_bears_on_an_action(#[case] action: &str, #[case] read: &str, #[case] beyond: &str) {
    let rig = rig::parse("the rig", RIG).unwrap();
    let at = rig.actions.iter().position(|of| of.name == action).unwrap();
    let parts = rig.parts_of(ActionId::at(at));
    let of = |wanted: Nearness| {
        let parts = parts.iter().filter(|(_, nearness)| *nearness == wanted);
        parts.map(|(part, _)| name(&rig, *part)).collect::<Vec<_>>().join(", ")
    };
    let own = format!("action {action}");
    let read = if read.is_empty() { own } else { format!("{own}, {read}") };
    assert_eq!((of(Nearness::Read), of(Nearness::Beyond)), (read, beyond.to_owned()));
}
