use super::*;
use gtrig_core::CleanText;
use proptest::prelude::*;

/// A board that says little: sticks on x, y, z and rz, one of them the other way
/// round, both triggers on one axis, a pedal that rests at its upper end, a counter.
fn board() -> DeviceInfo {
    let wide = ControlKind::Axis { min: 0, centre: 128, max: 255 };
    let controls = [
        ("x", wide),
        ("y", wide),
        ("rx", ControlKind::Axis { min: -512, centre: 0, max: 511 }),
        ("throttle", ControlKind::Trigger { min: 0, max: 255 }),
        ("axis-40", wide),
        ("button-1", ControlKind::Button),
        ("button-2", ControlKind::Button),
    ];
    DeviceInfo {
        identity: "0003:6b71:0009:0100:usb-1:Quay bare board".into(),
        kind: DeviceKind::Other,
        name: CleanText::new("Quay bare board"),
        bus: CleanText::default(),
        slot: None,
        controls: controls.map(|(code, kind)| ControlInfo::new(code, kind)).into(),
    }
}

fn learner(asks: &[(&str, Motion)]) -> Learner {
    let ask = |(code, motion): &(&str, Motion)| Ask { code: (*code).into(), motion: *motion };
    Learner::new(board(), asks.iter().map(ask).collect())
}

/// Moves a control through some values.
fn hear(learner: &mut Learner, code: &str, values: &[i32]) -> Learned {
    let at = board().controls.iter().position(|control| control.code == code).unwrap();
    let news = values.iter().map(|value| learner.hear(at, *value));
    news.filter(|news| *news != Learned::Nothing).last().unwrap_or(Learned::Nothing)
}

fn answer(learner: &Learner, code: &str) -> Option<MappedFrom> {
    let map = learner.map(DeviceKind::Pad).unwrap();
    map.controls.into_iter().find(|control| control.code == code).map(|control| control.from)
}

fn from(code: &str, kind: Option<ControlKind>) -> Option<MappedFrom> {
    Some(MappedFrom::Control { code: code.into(), kind })
}

#[test]
fn what_moves_is_what_was_asked_for() {
    use Motion::{Press, Push, Squeeze};
    let mut learner = learner(&[
        ("south", Press),
        ("stick-l-x", Push),
        ("stick-l-y", Push),
        ("trigger-l", Squeeze),
        ("trigger-r", Squeeze),
        ("clutch", Squeeze),
    ]);
    // It rests a little beside its centre, and counts.
    hear(&mut learner, "throttle", &[255, 254, 255]);
    hear(&mut learner, "axis-40", &[0, 50, 100, 200, 10]);
    hear(&mut learner, "x", &[130, 129]);
    learner.accept();
    assert_eq!(hear(&mut learner, "button-2", &[1]), Learned::Nothing);
    assert_eq!(hear(&mut learner, "button-2", &[0]), Learned::Answered(0, "button-2".into()));
    // A counter goes on meanwhile.
    hear(&mut learner, "axis-40", &[60, 255]);
    assert_eq!(hear(&mut learner, "x", &[200, 250, 180, 129]), Learned::Answered(1, "x".into()));
    assert_eq!(hear(&mut learner, "y", &[60, 0, 90, 128]), Learned::Answered(2, "y".into()));
    hear(&mut learner, "rx", &[-200, -500, 0]);
    hear(&mut learner, "rx", &[200, 511, 3]);
    hear(&mut learner, "throttle", &[90, 2, 250]);
    assert!(learner.is_over());
    assert_eq!(answer(&learner, "south"), from("button-2", None));
    assert_eq!(answer(&learner, "stick-l-x"), from("x", None));
    let turned = ControlKind::Axis { min: 255, centre: 128, max: 0 };
    assert_eq!(answer(&learner, "stick-l-y"), from("y", Some(turned)));
    let half = |max| Some(ControlKind::Trigger { min: 0, max });
    assert_eq!(answer(&learner, "trigger-l"), from("rx", half(-512)));
    assert_eq!(answer(&learner, "trigger-r"), from("rx", half(511)));
    let pedal = Some(ControlKind::Trigger { min: 255, max: 0 });
    assert_eq!(answer(&learner, "clutch"), from("throttle", pedal));
    assert_eq!(learner.map(DeviceKind::Pad).unwrap().left_out, ["axis-40"]);
}

#[test]
fn nothing_is_two_things() {
    let mut learner = learner(&[("south", Motion::Press), ("east", Motion::Press)]);
    learner.accept();
    hear(&mut learner, "button-1", &[1, 0]);
    let again = hear(&mut learner, "button-1", &[1, 0]);
    assert_eq!(again, Learned::Taken(0, "button-1".into()));
    assert_eq!(learner.asked(), Some(1));
    learner.back();
    assert_eq!(hear(&mut learner, "button-1", &[1, 0]), Learned::Answered(0, "button-1".into()));
}

#[test]
fn a_button_is_no_stick_but_an_axis_may_be_a_button() {
    let mut learner = learner(&[("stick-l-x", Motion::Push), ("horn", Motion::Press)]);
    learner.accept();
    let button = hear(&mut learner, "button-1", &[1, 0]);
    assert_eq!(button, Learned::OnlyButton("button-1".into()));
    learner.skip();
    hear(&mut learner, "x", &[0, 128]);
    let down = Levels::AtMost(64);
    assert_eq!(answer(&learner, "horn"), Some(MappedFrom::Level { code: "x".into(), down }));
}

#[test]
fn what_stays_where_it_is_put_is_taken_when_the_person_says_so() {
    let mut learner = learner(&[("travel", Motion::Squeeze), ("stick-l-x", Motion::Push)]);
    learner.accept();
    assert_eq!(hear(&mut learner, "throttle", &[40, 120, 250]), Learned::Nothing);
    assert_eq!(learner.moving().map(|(info, _)| info.code.as_str()), Some("throttle"));
    assert_eq!(learner.accept(), Learned::Answered(0, "throttle".into()));
    // It states a range of 0 to 255, and has only a part of it.
    hear(&mut learner, "x", &[140, 158]);
    learner.accept();
    // The throttle stays where it is, and is in nobody's way.
    let own = ControlKind::Axis { min: 98, centre: 128, max: 158 };
    assert_eq!(answer(&learner, "stick-l-x"), from("x", Some(own)));
}

proptest! {
    /// Whatever a device reports, each ask is answered by a control that moved, no
    /// two by the same side of one, and the map fits the device.
    #[test]
    fn every_answer_is_of_a_control_that_moved(
        reports in proptest::collection::vec((0usize..9, -600i32..600, 0u8..12), 0..200),
    ) {
        let asks = Ask::all_of(DeviceKind::Pad);
        let mut learner = Learner::new(board(), asks);
        learner.accept();
        let mut moved = Vec::new();
        for (control, value, what) in reports {
            match what {
                0 => learner.skip(),
                1 => learner.back(),
                2 => { learner.accept(); }
                _ => { learner.hear(control, value); }
            }
            moved.extend(board().controls.get(control).map(|info| info.code.clone()));
        }
        let map = learner.map(DeviceKind::Pad).unwrap();
        let (_, faults) = map.apply(&board());
        prop_assert_eq!(faults, []);
        for (n, control) in map.controls.iter().enumerate() {
            prop_assert!(control.from.parts().all(|part| moved.iter().any(|m| m == part)));
            for other in &map.controls[..n] {
                prop_assert_ne!(&other.from, &control.from);
            }
        }
    }
}
