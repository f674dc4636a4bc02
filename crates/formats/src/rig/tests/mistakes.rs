//! Each mistake of a rig, with its place.

use super::*;

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
