//! A pointer on zones and gestures: with a button, and without one.

mod common;

use common::hand::gesture_rig;
use common::*;
use gtrig_core::*;
use proptest::prelude::*;
use rstest::rstest;

fn by(all: &[Pointing]) -> PointingSet {
    all.iter().copied().collect()
}

fn place_on(zone: u8) -> InputSpec {
    let shape = ShapeUse::Own(Shape::default());
    InputSpec::Place { zone: ZoneId(zone), along: PlaceAxis::X, shape }
}

/// A mouse whose places are thousandths of its screen, which is twice as wide as
/// high.
fn mouse() -> DeviceInfo {
    let kind = |code: &str| match code {
        "x" => ControlKind::Position { min: 0, max: 1000 },
        "y" => ControlKind::Position { min: 0, max: 500 },
        "wheel-x" | "wheel-y" => ControlKind::Relative,
        _ => ControlKind::Button,
    };
    DeviceInfo {
        identity: "mouse".into(),
        kind: DeviceKind::Mouse,
        name: CleanText::new("yard mouse"),
        bus: CleanText::default(),
        slot: None,
        controls: vocabulary::MOUSE.iter().map(|code| ControlInfo::new(code, kind(code))).collect(),
    }
}

struct Hand {
    desk: Desk,
    tick: u32,
}

impl Hand {
    /// A session with a touch panel and a mouse, in this order.
    fn new(rig: Rig) -> Self {
        let mut desk = Desk::new(rig);
        desk.session.plug(glass(), Nanos(0)).unwrap();
        desk.session.plug(mouse(), Nanos(0)).unwrap();
        Hand { desk, tick: 0 }
    }

    /// Controls of the mouse take values; then a tick runs.
    fn tick(&mut self, values: &[(&str, i32)]) -> &mut Self {
        let ms = f64::from(self.tick) * 1000.0 / 60.0 + 1.0;
        for (code, value) in values {
            self.desk.set(ms, &format!("mouse/{code}"), *value);
        }
        self.tick += 1;
        self.desk.run_to(self.tick);
        self
    }

    fn goes_to(&mut self, x: i32, y: i32) -> &mut Self {
        self.tick(&[("x", x), ("y", y)])
    }

    fn is_on(&self, action: u16) -> bool {
        self.desk.action(action).is_active()
    }

    fn place(&self, action: u16) -> Option<[f32; 2]> {
        let state = self.desk.action(action);
        state.driver.map(|_| [state.x, state.y])
    }
}

/// The left half, made by these.
fn left_half(all: &[Pointing]) -> Rig {
    let from = vec![InputSpec::Zone(ZoneId(0))];
    let zone = Zone { by: by(all), ..zone("left", [0.0, 0.0], [0.5, 1.0]) };
    Rig { zones: vec![zone], ..rig(vec![action("over", Gives::On, from)]) }
}

#[test]
fn what_hovers_is_in_the_zone_under_it_wherever_it_came_from() {
    let mut hand = Hand::new(left_half(&[Pointing::Hover]));
    assert!(!hand.goes_to(100, 100).is_on(0), "it is not known to be there");
    assert!(hand.tick(&[("in-range", 1)]).is_on(0));
    assert!(!hand.goes_to(900, 100).is_on(0));
    assert!(hand.goes_to(400, 100).is_on(0), "the zone does not ask where it began");
    assert!(hand.tick(&[("left", 1)]).is_on(0), "it hovers while it is pressed");
    let over = hand.desk.control("mouse/in-range");
    assert_eq!(hand.desk.action(0).driver, Some(over));
    assert!(!hand.tick(&[("left", 0), ("in-range", 0)]).is_on(0));
}

/// Each button is a contact of its own, which a zone keeps as it does a finger.
#[rstest]
#[case::its_own(&[Pointing::Right], true)]
#[case::one_of_several(&[Pointing::Finger, Pointing::Right, Pointing::Forward], true)]
#[case::another(&[Pointing::Left], false)]
#[case::fingers(&[Pointing::Finger], false)]
#[case::hover(&[Pointing::Hover], false)]
fn a_button_presses_the_zones_made_by_it(#[case] all: &[Pointing], #[case] counts: bool) {
    let mut hand = Hand::new(left_half(all));
    assert!(!hand.goes_to(100, 100).is_on(0));
    assert_eq!(hand.tick(&[("right", 1)]).is_on(0), counts);
    assert_eq!(hand.goes_to(900, 100).is_on(0), counts, "it began there");
    assert!(!hand.tick(&[("right", 0)]).is_on(0));
    assert!(!hand.tick(&[("right", 1)]).is_on(0), "it begins elsewhere");
}

#[test]
fn a_finger_is_no_pointer() {
    let mut hand = Hand::new(left_half(&[Pointing::Left]));
    for (part, value) in [("-x", 100), ("-y", 100), ("", 1)] {
        hand.desk.set(1.0, &format!("glass/contact-1{part}"), value);
    }
    assert!(!hand.tick(&[]).is_on(0));
}

/// A place is told in the numbers of a space, y down, while something is there.
#[rstest]
#[case(Space::Panel, [0.25, 0.5])]
#[case(Space::Mm, [40.0, 40.0])]
#[case(Space::Px, [200.0, 200.0])]
// The view lies in the middle of the window, twice as large.
#[case(Space::View, [50.0, 50.0])]
#[case(Space::World, [5.0, -2.5])]
fn a_place_in_every_space(#[case] space: Space, #[case] expected: [f32; 2]) {
    let pointed = ActionSpec { space, ..action("at", Gives::Place, vec![place_on(0)]) };
    let all = by(&[Pointing::Hover]);
    let mut rig = rig(vec![pointed]);
    rig.surface = Surface {
        pixels: Some([800.0, 400.0]),
        window: Some(ViewWindow { at: [100.0, 100.0], size: [600.0, 200.0], view: [100.0, 100.0] }),
        camera: Some(Camera { at: [5.0, -2.5], zoom: 4.0 }),
        ..Surface::default()
    };
    rig.zones = vec![Zone { by: all, ..zone("all", [0.0, 0.0], [1.0, 1.0]) }];
    if matches!(space, Space::View | Space::World) {
        // The middle of the window.
        let mut hand = Hand::new(rig);
        let [x, y] = hand.tick(&[("x", 500), ("y", 250), ("in-range", 1)]).place(0).unwrap();
        assert!((x - expected[0]).abs() + (y - expected[1]).abs() < 1e-4, "{x} {y}");
        return;
    }
    let mut hand = Hand::new(rig);
    assert_eq!(hand.goes_to(250, 250).place(0), None);
    assert_eq!(hand.tick(&[("in-range", 1)]).place(0), Some(expected));
    assert_eq!(hand.goes_to(0, 0).place(0), Some([0.0; 2]), "it is at 0, and there");
    assert!(hand.is_on(0));
    assert_eq!(hand.tick(&[("in-range", 0)]).place(0), None);
}

/// A gate closes a place, and where two inputs are there the first one counts.
#[test]
fn a_place_has_gates_and_an_order() {
    let zones = [[0.5, 0.0], [0.0, 0.0]];
    let mut rig = rig(vec![
        ActionSpec {
            closed_while: vec![ActionId(1)],
            ..action("at", Gives::Place, vec![place_on(0), place_on(1)])
        },
        action("shut", Gives::On, vec![button("keys/KeyW")]),
    ]);
    rig.zones = zones
        .map(|at| {
            let by = by(&[Pointing::Left, Pointing::Right]);
            Zone { by, ..zone("half", at, [0.5, 1.0]) }
        })
        .into();
    let mut hand = Hand::new(rig);
    hand.tick(&[("x", 100), ("y", 0), ("left", 1)]);
    assert_eq!(hand.place(0), Some([0.1, 0.0]));
    hand.tick(&[("x", 900), ("right", 1)]);
    assert_eq!(hand.place(0), Some([0.9, 0.0]));
    hand.desk.set(f64::from(hand.tick) * 1000.0 / 60.0 + 1.0, "keys/KeyW", 1);
    assert_eq!(hand.tick(&[]).place(0), None);
}

fn gesture_by(all: &[Pointing], kind: GestureKind) -> Rig {
    gesture_rig(vec![Gesture { by: by(all), ..Gesture::new("it", kind) }])
}

#[test]
fn a_pointer_aims_without_being_pressed() {
    let mut hand = Hand::new(gesture_by(&[Pointing::Hover], GestureKind::Aim { origin: [0.5; 2] }));
    let aim = |hand: &Hand| [hand.desk.action(0).x, hand.desk.action(0).y].map(f32::round);
    assert_eq!(aim(hand.tick(&[("x", 900), ("y", 250), ("in-range", 1)])), [1.0, 0.0]);
    assert_eq!(aim(hand.goes_to(500, 0)), [0.0, 1.0]);
    assert_eq!(aim(hand.goes_to(500, 250)), [0.0, 0.0], "in the dead zone");
    assert_eq!(aim(hand.goes_to(100, 250)), [-1.0, 0.0]);
    assert_eq!(aim(hand.tick(&[("in-range", 0)])), [0.0, 0.0]);
}

#[rstest]
#[case(&[Pointing::Right], true)]
#[case(&[Pointing::Left, Pointing::Hover], false)]
fn a_button_does_what_a_finger_does(#[case] all: &[Pointing], #[case] fires: bool) {
    let mut hand = Hand::new(gesture_by(all, GestureKind::Tap { times: 1 }));
    hand.goes_to(300, 300);
    hand.tick(&[("right", 1)]);
    assert_eq!(hand.tick(&[("right", 0)]).is_on(0), fires);
}

proptest! {
    /// Zones against a second version that looks at each poll alone: where the
    /// pointer is, what is held, and where that began.
    #[test]
    fn zones_are_as_each_poll_finds_the_pointer(
        moves in prop::collection::vec((0i32..=1000, 0usize..4, any::<bool>()), 1..60),
        follows in any::<bool>(),
    ) {
        let made = [&[Pointing::Hover][..], &[Pointing::Left, Pointing::Right], &[Pointing::Left]];
        let edges = [[0.1, 0.5], [0.4, 0.4], [0.0, 0.3]];
        let mut rig = rig(Vec::new());
        rig.zones = made.iter().zip(edges).map(|(all, [at, wide])| Zone {
            by: by(all), follows, claim: Claim::Share, ..zone("z", [at, 0.0], [wide, 1.0])
        }).collect();
        rig.actions = (0..3)
            .map(|n| action(&format!("a{n}"), Gives::On, vec![InputSpec::Zone(ZoneId(n))]))
            .collect();
        let mut hand = Hand::new(rig);
        let codes = ["in-range", "left", "right", "middle"];
        let mut held = [false; 4];
        let mut began = [[false; 3]; 4];
        for (x, which, turns) in moves {
            let was = held;
            held[which] ^= turns;
            hand.tick(&[("x", x), (codes[which], i32::from(held[which]))]);
            let share = x as f32 / 1000.0;
            let is_under = edges.map(|[at, wide]| (at..at + wide).contains(&share));
            for n in 0..4 {
                if held[n] && !was[n] {
                    began[n] = is_under;
                }
            }
            for zone in 0..3usize {
                let has = |n: usize| {
                    let listens = made[zone].iter().any(|by| by.control() == Some(codes[n]));
                    let keeps = if follows || n == 0 { is_under[zone] } else { began[n][zone] };
                    held[n] && listens && keeps
                };
                prop_assert_eq!(hand.is_on(zone as u16), (0..4).any(has), "zone {} at {}", zone, x);
            }
        }
    }
}

/// One that says where it is has no motion, wherever it goes.
#[test]
fn a_place_is_no_motion() {
    let shape = ShapeUse::Own(Shape::default());
    let pointer = InputSpec::Pointer { pointer: reference("mouse/x"), counts: 400.0, shape };
    let mut hand = Hand::new(rig(vec![action("look", Gives::Plane, vec![pointer])]));
    hand.goes_to(500, 250).goes_to(900, 0);
    assert!(!hand.is_on(0));
    let counts = ["x", "y"].map(|code| ControlInfo::new(code, ControlKind::Relative));
    let ball = DeviceInfo { identity: "ball".into(), controls: counts.into(), ..mouse() };
    hand.desk.session.plug(ball, Nanos::from_millis(40)).unwrap();
    hand.desk.set(41.0, "mouse2/x", 100);
    hand.desk.run_to(4);
    assert_eq!(hand.desk.action(0).x, 0.25);
}
