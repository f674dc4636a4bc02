use super::*;
use crate::base::{GestureId, ModeSet, PollRate, ShapeId};
use crate::spec::{
    ActionSpec, Combine, DeadZone, Gives, InputSpec, NamedShape, Outline, PlaceAxis, Rig, Shape,
    ShapeUse, Smooth, Space, Stage, Zone,
};
use std::string::{String, ToString};

fn rig() -> Rig {
    let stages =
        vec![Stage::DeadZone(DeadZone::radius(0.12)), Stage::Smooth(Smooth::HalfLife(0.02))];
    let shape = Shape { travel: [None; 2], stages };
    let own = Shape { stages: vec![Stage::DeadZone(DeadZone::radius(0.08))], ..Shape::default() };
    let stick = |shape| InputSpec::Stick { stick: "pad/stick-l".parse().unwrap(), shape };
    let action = ActionSpec {
        name: "slew".into(),
        gives: Gives::Plane,
        inputs: vec![stick(ShapeUse::Named(ShapeId(0))), stick(ShapeUse::Own(own))],
        combine: Combine::Strongest,
        clamp: true,
        main_only: false,
        closed_while: Vec::new(),
        open_while: Vec::new(),
        modes: ModeSet::ALL,
        space: Space::Panel,
    };
    let mut rig = Rig::bare("t", PollRate::DEFAULT);
    rig.shapes = vec![NamedShape { name: "worn".into(), shape }];
    rig.actions = vec![action];
    rig
}

#[test]
fn every_number_is_listed_with_its_place() {
    let listed: Vec<(String, f64)> =
        rig().knobs().into_iter().map(|k| (k.place.to_string(), k.value)).collect();
    let expected = [
        ("sampling.poll-hz", 60.0),
        ("shape.worn.stages[0].dead-zone", 0.12),
        ("shape.worn.stages[0].outer", 1.0),
        ("shape.worn.stages[1].half-life-ms", 20.0),
        ("action.slew.from[1].dead-zone", 0.08),
    ];
    assert_eq!(listed, expected.map(|(place, value)| (place.to_string(), value)));
}

#[test]
fn a_number_can_be_set_and_is_held_in_its_range() {
    let rig = rig();
    for knob in rig.knobs() {
        let next = knob.value + knob.tunable.step;
        let changed = rig.with(&knob.place, next);
        let found = changed.knobs().into_iter().find(|k| k.place == knob.place).unwrap();
        let expected = next.min(knob.tunable.max);
        assert!((found.value - expected).abs() < 1e-6, "{}: {}", found.place, found.value);
        let least = rig.with(&knob.place, -1e9);
        let found = least.knobs().into_iter().find(|k| k.place == knob.place).unwrap();
        assert!(found.value >= knob.tunable.min, "{}", found.place);
        // Nothing else moved, and back again is where it was.
        assert_eq!(changed.with(&knob.place, knob.value), rig);
    }
}

#[test]
fn a_zone_stays_one_that_a_finger_can_meet() {
    let zone = |name: &str, outline| Zone::new(name, outline);
    let mut rig = Rig::bare("t", PollRate::DEFAULT);
    rig.zones = vec![
        zone("a", Outline::Rect { at: [0.5, 0.5], size: [0.2, 0.2] }),
        zone("b", Outline::Circle { centre: [0.5, 0.5], radius: 0.1 }),
    ];
    let ends = |end: f64| {
        let knobs = rig.knobs().into_iter().filter(|knob| knob.place.is_in("zone"));
        knobs.fold(rig.clone(), |rig, knob| rig.with(&knob.place, end))
    };
    let (least, most) = (ends(0.0).zones, ends(1.0).zones);
    assert_eq!(least[0].outline, Outline::Rect { at: [0.0; 2], size: [0.01; 2] });
    assert_eq!(least[1].outline, Outline::Circle { centre: [0.0; 2], radius: 0.01 });
    assert_eq!(most[0].outline, Outline::Rect { at: [0.99; 2], size: [1.0; 2] });
}

#[test]
fn an_input_has_the_numbers_of_its_shape() {
    let places = |input| {
        let places = places_of(&rig(), ActionId(0), input);
        places.iter().map(ToString::to_string).collect::<Vec<_>>()
    };
    assert_eq!(places(0).len(), 3);
    assert_eq!(places(1), ["action.slew.from[1].dead-zone"]);
}

#[test]
fn a_place_on_a_zone_and_a_gesture_have_the_numbers_of_the_shape_that_they_share() {
    let shape = ShapeUse::Named(ShapeId(0));
    let place = InputSpec::Place { zone: ZoneId(0), along: PlaceAxis::X, shape: shape.clone() };
    let gesture = InputSpec::Gesture { gesture: GestureId(0), shape };
    let mut rig = rig();
    rig.actions[0].inputs = vec![place, gesture];
    for input in 0..2 {
        let places = places_of(&rig, ActionId(0), input);
        assert!(places.iter().any(|place| place.is_of("shape", "worn")), "input {input}");
    }
}
