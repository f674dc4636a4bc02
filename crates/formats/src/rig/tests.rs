//! What a rig says, and what is said of a rig that is wrong.

use super::*;
use gtrig_core::{
    ActionId, BothHeld, ComboId, Deal, Direction, GestureKind, Gives, InputSpec, MainRule, ModeId,
    ModeSet, Quantity, SignalId, SwipeDirections, SwipeFires, Zones,
};
use rstest::rstest;

const HEAD: &str = "rig = 1\n";

/// The one-line form of every mistake in `HEAD` followed by `body`.
fn mistakes(body: &str) -> Vec<String> {
    let text = format!("{HEAD}{body}");
    parse("t.toml", &text).unwrap_err().problems.iter().map(ToString::to_string).collect()
}

#[test]
fn the_shipped_rig_is_sound() {
    let text = include_str!("../../../../demo/kestrel-quay.toml");
    let rig = parse("kestrel-quay.toml", text).unwrap_or_else(|e| panic!("{e}"));
    let names: Vec<&str> = rig.actions.iter().map(|a| a.name.as_str()).collect();
    assert_eq!(
        names,
        [
            "slew",
            "hoist",
            "grip",
            "horn",
            "brake",
            "cab-camera",
            "walk-gantry",
            "touch",
            "look-aside",
            "lights",
            "load-zoom",
            "call-crew",
            "stop",
            "damp-swing"
        ]
    );
    assert_eq!(rig.actions[0].gives, Gives::Plane);
    assert!(rig.actions[0].clamp);
}

/// The same half of the panel, measured in every way.
#[rstest]
#[case("in='panel'\nrect=[0.5,0,0.5,1]")]
#[case("in='mm'\nrect=[80,0,80,90]")]
#[case("in='px'\nrect=[960,0,960,1080]")]
#[case("in='view'\nrect=[640,0,640,720]")]
#[case("in='world'\nrect=[50,-52,320,360]")]
#[case("anchor='top-right'\nrect=[0,0,0.5,1]")]
#[case("in='mm'\nanchor='bottom-right'\nrect=[0,0,80,90]")]
#[case("in='view'\nanchor='bottom-left'\nrect=[640,0,640,720]")]
#[case("in='mm'\nanchor='bottom-right'\npolygon=[[0,0],[80,0],[80,90],[0,90]]")]
fn a_zone_is_where_its_space_says(#[case] zone: &str) {
    let surface = "pixels=[1920,1080]\nmm=[160,90]\nwindow={ size=[1920,1080], view=[1280,720] }\n\
                   world={ camera=[50,128], zoom=2 }";
    let rig = parse("t", &format!("rig = 1\n[surface]\n{surface}\n[zone.a]\n{zone}")).unwrap();
    let zones = Zones::new(&rig.zones, &rig.surface);
    let bounds = zones.on_panel()[0].outline.bounds(9.0 / 16.0);
    for (is, should) in bounds.into_iter().zip([0.5, 0.0, 1.0, 1.0]) {
        assert!((is - should).abs() < 1e-4, "{bounds:?}");
    }
}

#[test]
fn a_gesture_has_its_defaults_and_what_is_said_of_it() {
    let text = "rig = 1\n[gesture.a]\nkind='swipe'\nlength-mm=9\noff-axis-deg='none'\nstraight=0.9";
    let gesture = &parse("t", text).unwrap().gestures[0];
    let limit = |quantity| gesture.limits.of(quantity);
    let said = [limit(Quantity::Length), limit(Quantity::OffAxisDeg), limit(Quantity::Straight)];
    assert_eq!(said, [Some(9.0), None, Some(0.9)]);
    assert_eq!([limit(Quantity::Time), limit(Quantity::Speed)], [Some(500.0), None]);
    let kind = GestureKind::Swipe {
        toward: SwipeDirections::FOUR,
        fires: SwipeFires::Passing,
        from_edge: None,
    };
    assert_eq!((gesture.kind, gesture.fingers, gesture.zone), (kind, 1, None));
}

/// All kinds, and all that can be said of them.
#[test]
fn the_rig_of_every_gesture_is_sound() {
    let text = include_str!("../../../../demo/gestures.toml");
    let rig = parse("gestures.toml", text).unwrap_or_else(|e| panic!("{e}"));
    let mut words: Vec<&str> = rig.gestures.iter().map(|gesture| gesture.kind.word()).collect();
    words.sort_unstable();
    words.dedup();
    assert_eq!(words.len(), GestureKind::WORDS.len());
}

#[test]
fn defaults_are_filled_in() {
    let rig = parse("t", "rig = 1\n[action.a]\ngives = \"axis\"\nfrom = { pair = [\"keys/KeyA\", [\"keys/KeyD\", \"keys/KeyE\"]] }").unwrap();
    assert_eq!(rig.rate, PollRate::DEFAULT);
    let [InputSpec::Pair { negative, positive, both }] = &rig.actions[0].inputs[..] else {
        panic!("{rig:?}");
    };
    assert_eq!((negative.keys.len(), positive.keys.len(), *both), (1, 2, BothHeld::Neutral));
}

#[rstest]
#[case::sowth(
    "[action.a]\ngives='on'\nfrom='pad/sowth'",
    "4:6: found 'pad/sowth', expected a control of \"pad\", such as south, east, west (did you mean \"south\"?)"
)]
#[case::kind(
    "[action.a]\ngives='on'\nfrom='padd/south'",
    "4:6: found 'padd/south', expected a kind of device: pad, lever, keys, mouse, glass, system, other (did you mean \"pad\"?)"
)]
#[case::slot(
    "[action.a]\ngives='on'\nfrom='pad7/south'",
    "4:6: found 'pad7/south', expected no number for any device of the kind, or a slot from 1 to 4, such as \"pad2/south\""
)]
#[case::no_slash(
    "[action.a]\ngives='on'\nfrom='south'",
    "4:6: found 'south', expected a device and a control, such as \"pad/south\", \"pad1/stick-l-x\" or \"keys/KeyH\""
)]
#[case::nan("[sampling]\npoll-hz = nan", "3:11: found nan, expected a number from 10 to 1000 (Hz)")]
#[case::too_fast(
    "[sampling]\npoll-hz = 2e3",
    "3:11: found 2e3, expected a number from 10 to 1000 (Hz)"
)]
#[case::not_a_number(
    "[sampling]\npoll-hz = \"60\"",
    "3:11: found \"60\", expected a number from 10 to 1000 (Hz)"
)]
#[case::dead_zone(
    "[action.a]\ngives='plane'\nfrom={ stick='pad/stick-l', dead-zone=1.5 }",
    "4:39: found 1.5, expected a number from 0 to 0.95 (of full travel)"
)]
#[case::stick_as_button(
    "[action.a]\ngives='on'\nfrom='pad/stick-l'",
    "4:6: found 'pad/stick-l', expected one control; a stick is read with `stick = …`"
)]
#[case::frozen_from_the_beginning(
    "[mode.a]\nwindows='freeze'",
    "3:9: found \"freeze\" for the first mode, expected \"forget\": the first mode is on from the beginning, and no press counts for a combo while one freezes"
)]
#[case::wrong_input(
    "[action.a]\ngives='plane'\nfrom=['pad/south']",
    "4:7: found 'pad/south', expected what an action that gives \"plane\" can read: { stick = … }, { cross = {…} }, { pointer = … }, { place = … } or { gesture = … }"
)]
#[case::unknown_key(
    "[action.a]\ngives='on'\nfrm='x'\nfrom='pad/south'",
    "4:1: found the key `frm`, expected only the keys gives, clamp, from, devices, combine, in, closed-while, open-while, modes (did you mean \"from\"?)"
)]
#[case::clamp(
    "[action.a]\ngives='on'\nclamp=true\nfrom='pad/south'",
    "4:7: found `clamp`, expected no `clamp` here: only a plane is held in the unit circle"
)]
#[case::gives(
    "[action.a]\ngives='onn'\nfrom='pad/south'",
    "3:7: found 'onn', expected one of \"on\", \"pulse\", \"toggle\", \"axis\", \"plane\", \"polar\", \"place\" (did you mean \"on\"?)"
)]
#[case::place_of_a_stick(
    "[action.a]\ngives='place'\nfrom={ stick='pad/stick-l' }",
    "4:6: found { stick='pad/stick-l' }, expected what an action that gives \"place\" can read: { place = … }: a zone that has a contact"
)]
#[case::place_in_unknown_pixels(
    "[action.a]\ngives='place'\nin='px'\nfrom={ place='z' }\n[zone.z]\nrect=[0,0,1,1]",
    "4:4: found 'px', expected `pixels` in [surface]: how many the panel has"
)]
#[case::plane_in_a_space(
    "[action.a]\ngives='plane'\nin='panel'\nfrom={ stick='pad/stick-l' }",
    "4:4: found `in`, expected no `in` here: only an action that gives a \"place\" is measured in a space"
)]
#[case::places_together(
    "[action.a]\ngives='place'\ncombine='sum'\nfrom={ place='z' }\n[zone.z]\nrect=[0,0,1,1]",
    "4:9: found `combine`, expected no `combine` here: the first input that has a contact gives the place"
)]
#[case::shaped_place(
    "[action.a]\ngives='place'\nfrom={ place='z', dead-zone=0.1 }\n[zone.z]\nrect=[0,0,1,1]",
    "4:19: found the key `dead-zone`, expected only the keys control, zone, place, along"
)]
#[case::made_by_nothing_known(
    "[zone.z]\nrect=[0,0,1,1]\nby=['hand']",
    "4:5: found 'hand', expected one of \"finger\", \"hover\", \"left\", \"middle\", \"right\", \"back\", \"forward\""
)]
#[case::tap_by_hover(
    "[gesture.a]\nkind='tap'\nby=['left', 'hover']",
    "4:4: found ['left', 'hover'], expected a pointer that is pressed: without that it can only aim, or be a stick whose `centre` is \"fixed\""
)]
#[case::hover_in_a_zone(
    "[gesture.a]\nkind='aim'\nby='hover'\nzone='z'\n[zone.z]\nrect=[0,0,1,1]",
    "4:4: found 'hover', expected no `zone` beside \"hover\": a pointer that hovers lands in none"
)]
#[case::two_fingers_of_a_mouse(
    "[gesture.a]\nkind='pinch'\nby='left'",
    "4:4: found 'left', expected no `by` beside several `fingers`: a pointer has none"
)]
#[case::one_side(
    "[action.a]\ngives='axis'\nfrom={ pair=['keys/KeyA'] }",
    "4:13: found ['keys/KeyA'], expected two sides: [the -1 side, the +1 side]"
)]
#[case::half_cross(
    "[action.a]\ngives='plane'\nfrom={ cross={ left='keys/KeyA', right='keys/KeyD', up='keys/KeyW' } }",
    "4:14: found no `down`, expected a cross with all of left, right, up and down"
)]
#[case::release_above_press(
    "[action.a]\ngives='on'\nfrom={ control='pad/trigger-r', press-at=0.4, release-at=0.5 }",
    "4:58: found 0.5, expected a travel not above `press-at`, which is 0.4"
)]
#[case::zone_without_outline(
    "[zone.a]\nlayer=1",
    "2:7: found the zone `a`, expected one of `rect`, `circle` and `polygon`"
)]
#[case::zone_of_two_outlines(
    "[zone.a]\nrect=[0,0,1,1]\ncircle=[0.5,0.5,0.1]",
    "2:7: found the zone `a`, expected one of `rect`, `circle` and `polygon`"
)]
#[case::zone_outside(
    "[zone.a]\nrect=[1.5,0,1,1]",
    "3:6: found [1.5,0,1,1], expected four shares of the surface from 0 to 1: left, top, width and height"
)]
#[case::zone_that_nobody_can_meet(
    "[zone.a]\nrect=[1,0,0.5,1]",
    "3:6: found [1,0,0.5,1], expected a rectangle that a finger can meet"
)]
#[case::zone_of_two_corners(
    "[zone.a]\npolygon=[[0,0],[1,1]]",
    "3:9: found 2 corners, expected 3 to 64 corners"
)]
#[case::zone_that_crosses_itself(
    "[zone.a]\npolygon=[[0,0],[1,1],[1,0],[0,1]]",
    "3:9: found a border that crosses itself, expected corners in order along the border, which does not cross itself"
)]
#[case::zone_claim(
    "[zone.a]\nrect=[0,0,1,1]\ncontact='shares'",
    "4:9: found 'shares', expected one of \"take\", \"share\", \"pass\" (did you mean \"share\"?)"
)]
#[case::zone_layer(
    "[zone.a]\nrect=[0,0,1,1]\nlayer=0.5",
    "4:7: found 0.5, expected a whole number: higher is asked first"
)]
#[case::zone_unknown(
    "[zone.plate]\nrect=[0,0,1,1]\n[action.a]\ngives='on'\nfrom={ zone='palte' }",
    "6:13: found 'palte', expected the name of a [zone.…] of this rig (did you mean \"plate\"?)"
)]
#[case::surface_of_no_size(
    "[surface]\nmm=[160,0]",
    "3:4: found [160,0], expected a width and a height, each above 0 and at most 100000"
)]
#[case::surface_turned(
    "[surface]\nturned=45",
    "3:8: found 45, expected 0, 90, 180 or 270: degrees clockwise"
)]
#[case::window_without_pixels(
    "[surface]\nwindow={ size=[800,600] }",
    "3:8: found { size=[800,600] }, expected `pixels`: the size of the panel that the window is on"
)]
#[case::world_without_window(
    "[surface]\npixels=[800,600]\nworld={ zoom=2 }",
    "4:7: found { zoom=2 }, expected `window`: the view that shows the world"
)]
#[case::window_without_size(
    "[surface]\npixels=[800,600]\nwindow={ at=[0,0] }",
    "4:8: found a window without it, expected `size`: width and height of the window, in pixels of the panel"
)]
#[case::zone_in_an_unknown_space(
    "[zone.a]\nin='px'\nrect=[0,0,100,100]",
    "3:4: found 'px', expected `pixels` in [surface]: how many the panel has"
)]
#[case::zone_of_no_width_in_pixels(
    "[surface]\npixels=[800,600]\n[zone.a]\nin='px'\nrect=[0,0,0,100]",
    "6:6: found [0,0,0,100], expected a rectangle that a finger can meet"
)]
#[case::zone_anchored_to_the_world(
    "[surface]\npixels=[8,6]\nwindow={ size=[8,6] }\nworld={ zoom=2 }\n[zone.a]\nin='world'\nanchor='top-right'\nrect=[0,0,1,1]",
    "8:8: found 'top-right', expected no `anchor` here: the world has no corners"
)]
#[case::zone_gate_unknown(
    "[zone.a]\nrect=[0,0,1,1]\nclosed-while='meun'\n[action.menu]\ngives='on'\nfrom='pad/south'",
    "4:14: found 'meun', expected the name of an action of this rig (did you mean \"menu\"?)"
)]
#[case::zone_gate_that_is_no_switch(
    "[zone.a]\nrect=[0,0,1,1]\nclosed-while='menu'\n[action.menu]\ngives='axis'\nfrom={ axis='lever/travel' }",
    "1:1: found the gate `menu` of the zone `a`, expected a gate that gives \"on\" or \"toggle\""
)]
#[case::gesture_without_kind(
    "[gesture.a]\nlength-mm=3",
    "2:10: found the gesture `a` without it, expected `kind`: \"tap\", \"press\", \"swipe\", \"drag\", \"pinch\", \"rotate\", \"stick\", \"aim\", \"sign\", \"flick\", \"click\""
)]
#[case::gesture_kind(
    "[gesture.a]\nkind='swype'",
    "3:6: found 'swype', expected one of \"tap\", \"press\", \"swipe\", \"drag\", \"pinch\", \"rotate\", \"stick\", \"aim\", \"sign\", \"flick\", \"click\" (did you mean \"swipe\"?)"
)]
#[case::gesture_limit_of_another_kind(
    "[gesture.a]\nkind='press'\ngap-ms=3",
    "4:1: found the key `gap-ms`, expected only the keys zone, waits-for, beside, takes, kind, by, fingers, lengths-in, hold-ms, move-mm"
)]
#[case::gesture_limit(
    "[gesture.a]\nkind='press'\nhold-ms=1",
    "4:9: found 1, expected a number from 50 to 5000 (ms)"
)]
#[case::gesture_limit_that_must_be(
    "[gesture.a]\nkind='press'\nhold-ms='none'",
    "4:9: found 'none', expected a number from 50 to 5000 (ms)"
)]
#[case::gesture_fingers(
    "[gesture.a]\nkind='pinch'\nfingers=3",
    "4:9: found 3, expected 2: this kind has no other number of them"
)]
#[case::gesture_times(
    "[gesture.a]\nkind='tap'\ntimes=9",
    "4:7: found 9, expected a whole number from 1 to 5"
)]
#[case::gesture_zone(
    "[zone.plate]\nrect=[0,0,1,1]\n[gesture.a]\nkind='tap'\nzone='palte'",
    "6:6: found 'palte', expected the name of a [zone.…] of this rig (did you mean \"plate\"?)"
)]
#[case::gesture_zone_that_has_none(
    "[zone.plate]\nrect=[0,0,1,1]\ncontact='pass'\n[gesture.a]\nkind='tap'\nzone='plate'",
    "7:6: found 'plate', expected a zone that has contacts: this one lets them pass"
)]
#[case::gesture_toward(
    "[gesture.a]\nkind='swipe'\ntoward=['left', 'lft']",
    "4:17: found 'lft', expected one of \"right\", \"up-right\", \"up\", \"up-left\", \"left\", \"down-left\", \"down\", \"down-right\" (did you mean \"left\"?)"
)]
#[case::gesture_stick_without_a_place(
    "[gesture.a]\nkind='stick'\ncentre='fixed'",
    "3:6: found a fixed stick without it, expected `at`: where a fixed stick is, as shares of the surface"
)]
#[case::gesture_stick_with_a_place(
    "[gesture.a]\nkind='stick'\nat=[0.5,0.5]",
    "4:4: found `at`, expected no `at` here: only a stick whose `centre` is \"fixed\" has a place"
)]
#[case::gesture_origin(
    "[gesture.a]\nkind='aim'\norigin=[0.5,2]",
    "4:8: found [0.5,2], expected a place: x and y, shares of the surface from 0 to 1"
)]
#[case::gesture_that_waits_for_itself(
    "[gesture.a]\nkind='tap'\nwaits-for='a'",
    "2:10: found `a`, which waits for itself in the end, expected gestures that wait for others in no circle"
)]
#[case::gesture_unknown(
    "[gesture.pick]\nkind='tap'\nwaits-for='pik'",
    "4:11: found 'pik', expected the name of a [gesture.…] of this rig (did you mean \"pick\"?)"
)]
#[case::sign_unknown(
    "[sign.hook]\nexamples=[[[0,0],[1,1]]]\n[gesture.a]\nkind='sign'\nsign='hock'",
    "6:6: found 'hock', expected the name of a [sign.…] of this rig (did you mean \"hook\"?)"
)]
#[case::sign_that_goes_nowhere(
    "[sign.hook]\nexamples=[[[1,1],[1,1]]]",
    "3:11: found 2 places, expected a stroke of 2 to 1024 places that goes somewhere"
)]
#[case::sign_without_examples(
    "[sign.hook]",
    "2:7: found the sign `hook` without them, expected `examples`: one or more strokes, each a list of places [x, y]"
)]
#[case::gesture_that_gives_too_little(
    "[gesture.g]\nkind='tap'\n[action.a]\ngives='axis'\nfrom={ gesture='g' }",
    "6:16: found 'g', expected a gesture that gives as much as the action: a pinch or a rotation one axis, a swipe, a drag, a stick or an aim two"
)]
#[case::side_without_zone(
    "[action.a]\ngives='axis'\nfrom={ pair=[{}, 'keys/KeyA'] }",
    "4:14: found {}, expected a key, such as \"keys/KeyA\", or { zone = … }"
)]
#[case::yard_without_action(
    "[yard]\nslew={ speed=3 }",
    "3:6: found no `by`, expected `by`: the action that drives this part, such as \"hoist\" or \"slew.x\""
)]
#[case::yard_by_half_of_a_plane(
    "[action.a]\ngives='plane'\nfrom={ stick='pad/stick-l' }\n[yard]\nslew={ by='a' }",
    "6:11: found 'a', expected one value: an action that gives one, or `.x` or `.y` of a plane"
)]
#[case::yard_by_nobody(
    "[action.hoist]\ngives='on'\nfrom='pad/south'\n[yard]\nhoist={ by='hiost' }",
    "6:12: found 'hiost', expected an action of this rig (did you mean \"hoist\"?)"
)]
#[case::yard_too_fast(
    "[action.a]\ngives='axis'\nfrom={ axis='lever/travel' }\n[yard]\nhoist={ by='a', speed=0 }",
    "6:23: found 0, expected a number from 0.1 to 720 (units/s)"
)]
#[case::yard_of_nothing(
    "[yard]\ncrane='a'",
    "3:1: found the key `crane`, expected only the keys slew, trolley, hoist, view, grip"
)]
#[case::edge_of_nothing(
    "[[edge]]\nlatched=true",
    "2:1: found [[edge]], expected `of`: the controls or kinds of device it is for"
)]
#[case::debounce(
    "[[edge]]\nof='pad'\ndebounce-ms=500",
    "4:13: found 500, expected a number from 0 to 100 (ms)"
)]
#[case::repeats(
    "[[edge]]\nof='keys'\nrepeats='presss'",
    "4:9: found 'presss', expected one of \"ignore\", \"press\" (did you mean \"press\"?)"
)]
#[case::deal(
    "[slots]\ndeal='first'",
    "3:6: found 'first', expected one of \"first-free\", \"last-used\" (did you mean \"first-free\"?)"
)]
#[case::pin(
    "[slots]\n2=''",
    "3:3: found '', expected a part of the identity or the name of the device that the slot is for"
)]
#[case::fifth_slot(
    "[slots]\n5='a'",
    "3:1: found the key `5`, expected only the keys deal, 1, 2, 3, 4"
)]
#[case::main_among(
    "[main]\namong=['pad', 'mice']",
    "3:15: found 'mice', expected one of \"pad\", \"lever\", \"keys\", \"mouse\", \"glass\", \"system\", \"other\""
)]
#[case::use_at(
    "[main]\nuse-at=0",
    "3:8: found 0, expected a number from 0.05 to 1 (of full travel)"
)]
#[case::devices(
    "[action.a]\ngives='on'\nfrom='pad/south'\ndevices='mein'",
    "5:9: found 'mein', expected one of \"any\", \"main\" (did you mean \"main\"?)"
)]
#[case::zone_beyond_the_rim(
    "[shape.s]\nstages=[{ dead-zone=0.6, outer=0.5 }]",
    "3:21: found 0.6, expected a dead zone below `outer`, which is 0.5"
)]
#[case::points_go_back(
    "[shape.s]\nstages=[{ curve='points', points=[[0.5, 0.2], [0.4, 0.6]] }]",
    "3:47: found [0.4, 0.6], expected an x above that of the point before"
)]
#[case::points_fall(
    "[shape.s]\nstages=[{ curve='points', points=[[0.5, 0.6], [0.7, 0.2]] }]",
    "3:47: found [0.7, 0.2], expected a y not below that of the point before"
)]
#[case::no_points(
    "[shape.s]\nstages=[{ curve='points' }]",
    "3:17: found a curve without them, expected `points`: [[x, y], …] between [0, 0] and [1, 1]"
)]
#[case::no_travel(
    "[shape.s]\ncalibrate-x=[5, 5, 5]",
    "3:13: found [5, 5, 5], expected three whole numbers that rise: what is read at one end, at rest and at the other end; of a trigger the first two are the same"
)]
#[case::nan(
    "[shape.s]\nstages=[{ sensitivity=nan }]",
    "3:23: found nan, expected a number from 0.05 to 5 (times)"
)]
#[case::no_stage(
    "[shape.s]\nstages=[{ deadzone=0.1 }]",
    "3:9: found { deadzone=0.1 }, expected a stage, known by one of the keys invert, swap, offset, scale, gate, dead-zone, curve, sensitivity, half-life-ms, steady-hz, turn-limit, directions, facing"
)]
#[case::six_ways(
    "[shape.s]\nstages=[{ directions=6 }]",
    "3:22: found 6, expected 4 or 8 directions"
)]
#[case::unknown_shape(
    "[shape.worn]\nstages=[{ swap=true }]\n[action.a]\ngives='axis'\nfrom={ axis='lever/travel', shape='won' }",
    "6:35: found 'won', expected the name of a [shape.…] of this rig (did you mean \"worn\"?)"
)]
#[case::shape_and_zone(
    "[shape.s]\nstages=[{ swap=true }]\n[action.a]\ngives='axis'\nfrom={ axis='lever/travel', shape='s', dead-zone=0.1 }",
    "6:35: found 's', expected no `dead-zone`, `invert` or `calibrate-…` beside a shape: they are parts of it"
)]
#[case::gate_of_a_gate(
    "[action.a]\ngives='on'\nfrom='keys/KeyA'\n[action.b]\ngives='toggle'\nfrom='keys/KeyB'\nclosed-while='a'\n[action.c]\ngives='on'\nfrom='keys/KeyC'\nopen-while='b'",
    "9:9: found the gate `b` of `c`, expected a gate that gives \"on\" or \"toggle\" and has no gates itself"
)]
#[case::pointer(
    "[action.a]\ngives='plane'\nfrom={ pointer='pad' }",
    "4:16: found 'pad', expected a device that counts, such as \"mouse\" or \"other1\""
)]
#[case::empty("[action.a]\ngives='on'\nfrom=[]", "4:6: found [], expected at least one entry")]
#[case::escape_in_name(
    "[action.\"a\\u001b[2J\"]\ngives='on'\nfrom='pad/south'",
    "2:9: found the name `a\\u{1b}[2J`, expected an action name of 1 to 40 letters, digits, dots, dashes or underscores"
)]
fn each_mistake_has_its_place(#[case] body: &str, #[case] said: &str) {
    assert_eq!(mistakes(body), [said]);
}

#[test]
fn slots_and_main_device_are_read() {
    let text = "rig = 1\n[slots]\ndeal = 'last-used'\n2 = 'twin'\n[main]\nrule = 'last-used'\namong = ['pad', 'keys']\nuse-at = 0.3\n[action.a]\ngives = 'on'\nfrom = 'pad/south'\ndevices = 'main'\n";
    let rig = parse("t.toml", text).unwrap();
    assert_eq!(rig.slots.deal, Deal::LastUsed);
    assert_eq!(rig.slots.pins, [None, Some("twin".to_owned()), None, None]);
    assert_eq!((rig.main.rule, rig.main.use_at, rig.main.use_counts), (MainRule::LastUsed, 0.3, 4));
    assert_eq!(rig.main.among, [DeviceKind::Pad, DeviceKind::Keys]);
    assert!(rig.actions[0].main_only);
}

#[test]
fn edge_rules_say_what_they_say_and_no_more() {
    let text = "rig = 1\n[[edge]]\nof = ['pad/south', 'keys']\ndebounce-ms = 2.5\n[[edge]]\nof = 'keys'\nlatched = true\nstuck-after-s = 5\n";
    let rig = parse("t.toml", text).unwrap();
    assert_eq!(rig.edges[0].debounce, Some(gtrig_core::Nanos(2_500_000)));
    assert_eq!((rig.edges[0].of.len(), rig.edges[0].latched), (2, None));
    assert_eq!((rig.edges[1].latched, rig.edges[1].debounce), (Some(true), None));
}

#[test]
fn more_thresholds_than_there_are_bits_are_refused() {
    let inputs: Vec<String> =
        (1..=33).map(|n| format!("{{ control = 'pad/trigger-r', press-at = 0.{n:02} }}")).collect();
    let body = format!("[action.a]\ngives = 'on'\nfrom = [{}]", inputs.join(", "));
    assert!(mistakes(&body)[0].contains("33 different pairs"), "{:?}", mistakes(&body));
}

#[test]
fn all_mistakes_come_at_once_in_order() {
    let text =
        "[sampling]\npoll-hz = 5\n[action.a]\nfrom = 'pad/sowth'\n[action.b]\ngives = 'on'\n";
    let places: Vec<String> =
        mistakes(text).iter().map(|m| m.split(':').take(2).collect::<Vec<_>>().join(":")).collect();
    assert_eq!(places, ["3:11", "4:9", "5:8", "6:9"]);
}

#[test]
fn broken_toml_has_its_place_too() {
    let error = parse("t.toml", "rig = 1\n[action.a\ngives = \"on\"\n").unwrap_err();
    assert_eq!(error.problems[0].line, 2, "{error}");
}

#[rstest]
#[case("", "no `rig` version")]
#[case("rig = 2", "2")]
#[case("rig = \"1\"", "\"1\"")]
fn a_rig_says_its_version(#[case] text: &str, #[case] found: &str) {
    let error = parse("t.toml", text).unwrap_err();
    assert_eq!((error.problems[0].line, error.problems[0].found.as_str()), (1, found));
}

#[test]
fn the_message_shows_the_line() {
    let text = "rig = 1\n[action.horn]\ngives = \"on\"\nfrom = [\"pad/south\", \"keys/Keyh\"]\n";
    let shown = parse("quay.toml", text).unwrap_err().to_string();
    insta::assert_snapshot!(shown, @r#"
    error: found "keys/Keyh", expected a control of "keys", such as KeyA, KeyB, KeyC
     --> quay.toml:4:22
      |
    4 | from = ["pad/south", "keys/Keyh"]
      |                      ^^^^^^^^^^^
      |
      = help: did you mean "KeyH"?

    quay.toml: 1 mistake
    "#);
}

const COMBOS: &str = r#"
rig = 1

[action.slew]
gives = "plane"
from = { stick = "pad/stick-l" }

[action.facing-left]
gives = "on"
from = "pad/dpad-left"

[action.stop]
gives = "pulse"
from = { combo = "double" }
modes = ["driving"]

[mode.driving]
[mode.parked]
enter = "facing-left"
leave = "stop"
windows = "freeze"

[combo.double]
steps = "press south, press south within 250 ms"

[combo.sweep]
stick = "slew"
mirror-while = "action/facing-left"
all-within = "900 ms"
steps = [
  "push down",
  "push down-right within 12 ticks",   # a roll
  "push right after 20 ms within 200 ms unless east or keys/KeyH",
  "together south and west in 40 ms",
]

[combo.charge]
takes = true
modes = "driving"
waits-for = "double"
steps = "do double, hold south for 800 ms, release south within 2 s"
"#;

/// What ends an attempt is turned around like its steps.
#[test]
fn a_mirror_turns_what_may_not_be_pressed_too() {
    let text = r#"rig = 1
[action.slew]
gives = "plane"
from = { stick = "pad/stick-l" }
[action.flip]
gives = "on"
from = "pad/mode"
[combo.roll]
stick = "slew"
mirror-while = "action/flip"
steps = "push down-right, push up within 200 ms unless left or north"
"#;
    let rig = parse("t", text).unwrap();
    let variants = rig.combos[0].variants();
    let unless = |n: usize| variants[n].steps[1].unless.clone();
    let direction = |signal: SignalId| match rig.signals[signal.index()] {
        Signal::Way(_, Direction(way)) => Some(way),
        _ => None,
    };
    let ways = [0, 1].map(|n| unless(n).into_iter().map(direction).collect::<Vec<_>>());
    assert_eq!(ways, [[Some(4), None], [Some(0), None]]);
}

#[test]
fn combos_are_read() {
    use crate::words::combo_words;
    let rig = parse("t", COMBOS).unwrap();
    let words: Vec<String> = rig.combos.iter().map(|combo| combo_words(&rig, combo)).collect();
    assert_eq!(
        words,
        [
            "press pad/south, press pad/south within 250 ms",
            "push down, push down-right within 12 ticks, push right after 20 ms within 200 ms unless pad/east or keys/KeyH, together pad/south and pad/west in 40 ms within 500 ms, all within 900 ms",
            "press pad/south, press pad/south within 250 ms, hold pad/south for 800 ms within 500 ms, release pad/south within 2000 ms",
        ]
    );
    let mirror = rig.combos[1].mirror.as_ref().unwrap();
    assert_eq!(mirror.pairs.len(), 2);
    assert_eq!(
        (rig.combos[2].takes, &rig.combos[2].waits_for[..], rig.combos[2].modes),
        (true, &[ComboId(0)][..], ModeSet::EMPTY.with(ModeId(0)))
    );
    assert_eq!(
        (rig.modes[1].enter, rig.modes[1].freezes, rig.actions[2].modes),
        (Some(ActionId(1)), true, ModeSet::EMPTY.with(ModeId(0)))
    );
}

/// A count is short for steps, and one number of its words moves all of them.
#[test]
fn a_count_is_short_for_steps() {
    use crate::words::combo_words;
    let rig =
        |steps: &str| parse("t", &format!("rig = 1\n[combo.c]\nsteps = \"{steps}\"")).unwrap();
    let words = |rig: &Rig| combo_words(rig, &rig.combos[0]);
    let short = rig("press south exactly 3 times within 250 ms");
    let next = "press pad/south within 250 ms unless pad/south";
    assert_eq!(
        words(&short),
        format!("quiet for 250 ms, press pad/south, {next}, {next}, quiet for 250 ms")
    );
    let knobs = short.knobs();
    let places: Vec<String> =
        knobs.iter().map(|k| k.place.to_string()).filter(|p| p.starts_with("combo")).collect();
    assert_eq!(places, ["combo.c.steps[0].within"]);
    let place = &knobs.iter().find(|knob| knob.place.is_in("combo")).unwrap().place;
    let wider = rig("press south exactly 3 times within 300 ms");
    assert_eq!(short.with(place, 300.0).combos, wider.combos);

    let taps = rig("press east, tap south or west 2 times in 150 ms within 400 ms");
    assert_eq!(
        words(&taps),
        "press pad/east, press pad/south or pad/west within 400 ms, release pad/south or pad/west within 150 ms, press pad/south or pad/west within 400 ms, release pad/south or pad/west within 150 ms"
    );
    let faster = taps
        .knobs()
        .into_iter()
        .filter(|k| k.place.is_in("combo"))
        .fold(taps.clone(), |rig, knob| rig.with(&knob.place, 100.0));
    let expected = rig("press east, tap south or west 2 times in 100 ms within 100 ms");
    assert_eq!(faster.combos, expected.combos);
}

#[test]
fn lengths_of_gestures_may_be_pixels_or_shares() {
    let rig = |surface: &str, rest: &str| {
        parse("t", &format!("rig = 1\n{surface}\n[gesture.a]\nkind = \"swipe\"\n{rest}\n"))
    };
    let px = "lengths-in = \"px\"\nlength-px = 300";
    let gesture = &rig("[surface]\npixels = [1920, 1080]", px).unwrap().gestures[0];
    assert_eq!(
        (gesture.unit, gesture.limits.of(Quantity::Length)),
        (gtrig_core::LengthUnit::Px, Some(300.0))
    );
    let shares = &rig("", "lengths-in = \"share\"").unwrap().gestures[0];
    assert_eq!(shares.limits.of(Quantity::Length), Some(15.0 / 160.0));
    for (rest, words) in [
        (px, "expected `pixels` in [surface]"),
        ("lengths-in = \"share\"\nlength-mm = 15", "found the key `length-mm`"),
    ] {
        let error = rig("", rest).unwrap_err().to_string();
        assert!(error.contains(words), "{error}");
    }
}

#[test]
fn an_origin_may_be_two_controls() {
    let rig = |origin: &str, kind: &str| {
        parse("t", &format!("rig = 1\n[gesture.a]\nkind = \"{kind}\"\norigin = {origin}\n"))
    };
    let moving = r#"{ x = "other/boom-x", y = "other/boom-y" }"#;
    let gesture = &rig(moving, "aim").unwrap().gestures[0];
    assert_eq!(gesture.origin.as_ref().unwrap()[1].to_string(), "other/boom-y");
    assert_eq!(rig("[0.2, 0.3]", "aim").unwrap().gestures[0].origin, None);
    for (origin, kind, words) in [
        (moving, "drag", "no `origin` here: only an aim has one"),
        (r#"{ x = "other/a" }"#, "aim", "no `y`"),
    ] {
        let error = rig(origin, kind).unwrap_err().to_string();
        assert!(error.contains(words), "{error}");
    }
}

/// Other combos in the place of a step, once or several times.
#[rstest]
#[case::once("do double", "press pad/south, press pad/south within 250 ms")]
#[case::twice(
    "do double 2 times within 400 ms",
    "press pad/south, press pad/south within 250 ms, press pad/south within 400 ms, press pad/south within 250 ms"
)]
#[case::later(
    "press east, do double after 20 ms within 300 ms unless west",
    "press pad/east, press pad/south after 20 ms within 300 ms unless pad/west, press pad/south within 250 ms"
)]
#[case::a_d_pad(
    "push down, push down-right within 200 ms, press south",
    "push down, push down-right within 200 ms, press pad/south within 500 ms"
)]
fn a_combo_may_do_others(#[case] steps: &str, #[case] words: &str) {
    use crate::words::combo_words;
    let text = format!(
        "rig = 1\n[sampling]\npoll-hz = 60\n\
         [combo.double]\nsteps = \"press south, press south within 250 ms\"\n\
         [combo.it]\nstick = \"pad/dpad\"\nsteps = \"{steps}\"\n"
    );
    let rig = parse("t", &text).unwrap();
    assert_eq!(combo_words(&rig, &rig.combos[1]), words);
    // One number of the words of a `do` moves every time it is done.
    let within = rig
        .knobs()
        .into_iter()
        .find(|knob| knob.place.to_string().contains("combo.it") && knob.tunable.name == "within");
    let is_repeated = steps.contains("2 times");
    assert!(!is_repeated || within.is_some());
    if let Some(knob) = within.filter(|_| is_repeated) {
        let wider = rig.with(&knob.place, 450.0);
        assert_eq!(combo_words(&wider, &wider.combos[1]), words.replace("400", "450"));
    }
}

/// Why the steps of a combo cannot be asked of one device.
#[rstest]
#[case::a_key_beside_a_button("press south, press keys/KeyA", "not \"keys/KeyA\"")]
#[case::of_one_device_already("press pad2/south, press pad2/east", "not \"pad2/south\"")]
#[case::an_action("press south, press action/horn", "not an action")]
#[case::what_ends_it("press south, press east unless action/horn", "not an action")]
fn one_device_has_buttons_of_one_kind(#[case] steps: &str, #[case] said: &str) {
    let text = format!(
        "rig = 1\n[action.horn]\ngives = \"on\"\nfrom = \"pad/south\"\n\
         [combo.c]\nsteps = \"{steps}\"\none-device = true\n"
    );
    let problems = parse("t", &text).unwrap_err().problems;
    assert_eq!((problems.len(), problems[0].line), (1, 7));
    assert!(problems[0].expected.ends_with(said), "{}", problems[0].expected);
}

/// The step of a combo, and where and what is said of it.
#[rstest]
#[case::unknown_verb("pres south", "6:9: found `pres`", "did you mean \"press\"")]
#[case::unknown_button("press sowth", "6:15: found `sowth`", "did you mean \"south\"")]
#[case::unknown_action("press action/hron", "6:15", "did you mean \"horn\"")]
#[case::nothing("", "6:9: found nothing", "")]
#[case::an_empty_step("press south,", "6:21: found nothing", "a step, such as")]
#[case::no_name("press", "6:13: found the end of the step", "a name")]
#[case::no_time("press south, press east within", "", "a time, such as")]
#[case::no_unit("press south, press east within 200", "6:40: found `200`", "a unit after")]
#[case::unknown_unit("press south, press east within 200 mss", "6:44", "did you mean \"ms\"")]
#[case::a_window_of_zero("press south, press east within 0 ms", "6:40: found `0`", "from 1 to")]
#[case::half_a_tick("press south, press east within 0.5 ticks", "6:40", "whole number")]
#[case::stray_word("press south east", "6:21: found `east`", "a comma, or after")]
#[case::hold_without_time("hold south", "6:9: found a step without it", "`for` and a time")]
#[case::a_chord_of_one("together south", "6:9: found a chord of one", "joined by `and`")]
#[case::a_chord_with_itself("together south and south", "", "different names")]
#[case::a_limit_on_the_first("press south within 90 ms", "", "no step before it")]
#[case::a_limit_on_a_first_do("do d within 90 ms", "", "no step before it")]
#[case::no_exact_do("do d exactly 2 times", "", "a comma, or after")]
#[case::once("press south 1 times", "6:21: found a count", "from 2 to 12")]
#[case::no_times("press south exactly 2", "6:29: found a count", "and `times`")]
#[case::exactly_later("press east, press south exactly 2 times", "", "as the first step")]
#[case::too_many("tap south 12 times, tap east 12 times", "", "at most 24")]
#[case::quiet_alone("quiet for 90 ms", "", "a step beside it")]
#[case::quiet_within("press south, quiet for 90 ms, press east", "", "a step beside it")]
#[case::quiet_before_a_chord("quiet for 90 ms, together south and east", "", "before a press")]
#[case::the_same_twice("press south or south", "", "different names")]
#[case::beyond_the_default("press south, press east after 600 ms", "", "`within` beside it")]
#[case::never("press south, press east after 300 ms within 200 ms", "", "can never be met")]
#[case::buffered_alone("press south, press east buffered 20 ms", "", "beside `after`")]
#[case::itself("press south, do c", "6:25: found `c`, which contains itself", "")]
#[case::unknown_combo("do cc", "6:12: found `cc`", "did you mean \"c\"")]
#[case::a_direction_without_stick("push left", "6:14: found `left`", "`stick = …`")]
fn mistakes_in_combos_have_their_place(
    #[case] steps: &str,
    #[case] found: &str,
    #[case] said: &str,
) {
    let text = format!(
        "rig = 1\n[action.horn]\ngives = \"on\"\nfrom = \"pad/north\"\n[combo.c]\nsteps =\"{steps}\"\n[combo.d]\nsteps = \"press west\"\n"
    );
    let error = parse("t", &text).unwrap_err();
    let all: Vec<String> = error.problems.iter().map(ToString::to_string).collect();
    assert!(all[0].contains(found) && all[0].contains(said), "{all:?}");
}

#[test]
fn all_mistakes_of_a_combo_are_said_at_once() {
    let text = "rig = 1\n[combo.c]\nsteps = [\"pres south\", \"press sowth\", \"press east within 3\"]\nwaits-for = \"d\"\n";
    assert_eq!(parse("t", text).unwrap_err().problems.len(), 4);
}

#[test]
fn combos_that_wait_in_a_circle_are_refused() {
    let text = "rig = 1\n[combo.c]\nsteps = \"press south\"\nwaits-for = \"d\"\n[combo.d]\nsteps = \"press east\"\nwaits-for = \"c\"\n";
    let error = parse("t", text).unwrap_err();
    assert!(error.to_string().contains("waits for itself"), "{error}");
}

/// Of very many mistakes the first are listed, in their order, and the rest are counted.
#[test]
fn many_mistakes_are_counted() {
    let keys: String = (0..20_000).map(|n| format!("key-{n} = {n}\n")).collect();
    let error = parse("t", &format!("rig = 1\n{keys}")).unwrap_err();
    assert_eq!((error.problems.len(), error.more), (100, 19_900));
    let places: Vec<(usize, usize)> = error.problems.iter().map(|p| (p.line, p.column)).collect();
    assert_eq!(places, (2..102).map(|line| (line, 1)).collect::<Vec<_>>());
    let text = error.to_string();
    assert!(text.contains("t:101:1"), "the last one listed");
    assert!(
        text.ends_with("t: 20000 mistakes, of which the first 100 are listed"),
        "{}",
        text.len()
    );
}
