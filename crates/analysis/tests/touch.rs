//! Zones of a touch panel as inputs of actions.

mod common;

use common::*;
use gtrig_analysis::strokes::{Stroke, strokes};
use gtrig_core::*;
use proptest::prelude::*;
use rstest::rstest;

/// The left and the right half, and a plate in the middle above both.
fn halves(follows: bool) -> Rig {
    let mut rig = rig(vec![
        action("left", Gives::On, vec![InputSpec::Zone(ZoneId(0))]),
        action("right", Gives::On, vec![InputSpec::Zone(ZoneId(1))]),
        action("plate", Gives::Pulse, vec![InputSpec::Zone(ZoneId(2))]),
        action("lamp", Gives::Toggle, vec![InputSpec::Zone(ZoneId(2))]),
    ]);
    let plate = zone("plate", [0.4, 0.4], [0.2, 0.2]);
    rig.zones = vec![
        Zone { follows, ..zone("left", [0.0, 0.0], [0.5, 1.0]) },
        Zone { follows, ..zone("right", [0.5, 0.0], [0.5, 1.0]) },
        Zone { layer: 1, ..plate },
    ];
    rig
}

/// A panel whose contacts are moved in thousandths of its width and height.
struct Panel {
    desk: Desk,
    tick: u32,
}

impl Panel {
    fn new(rig: Rig) -> Self {
        let mut desk = Desk::new(rig);
        desk.session.plug(glass(), Nanos(0)).unwrap();
        Panel { desk, tick: 0 }
    }

    /// One contact is moved, put down or lifted; then a tick runs. Returns which
    /// actions are on.
    fn tick(&mut self, contact: u32, place: Option<[i32; 2]>) -> Vec<&'static str> {
        self.step(contact, place);
        let names = ["left", "right", "plate", "lamp"];
        let is_on = |(n, _): &(u16, &'static str)| self.desk.action(*n).is_active();
        (0..).zip(names).filter(is_on).map(|(_, name)| name).collect()
    }

    fn step(&mut self, contact: u32, place: Option<[i32; 2]>) {
        let ms = f64::from(self.tick) * 1000.0 / 60.0 + 1.0;
        let part = |axis: &str| format!("glass/contact-{contact}{axis}");
        if let Some([x, y]) = place {
            self.desk.set(ms, &part("-x"), x);
            self.desk.set(ms, &part("-y"), y / 2);
        }
        self.desk.set(ms, &part(""), i32::from(place.is_some()));
        self.tick += 1;
        self.desk.run_to(self.tick);
    }
}

#[test]
fn a_zone_keeps_the_contacts_that_began_on_it() {
    let mut panel = Panel::new(halves(false));
    assert_eq!(panel.tick(1, Some([100, 100])), ["left"]);
    assert_eq!(panel.tick(1, Some([900, 100])), ["left"]);
    assert_eq!(panel.tick(2, Some([800, 100])), ["left", "right"]);
    assert_eq!(panel.tick(1, None), ["right"]);
    assert_eq!(panel.tick(2, None), [""; 0]);
}

#[test]
fn one_that_follows_has_the_contacts_that_are_on_it() {
    let mut panel = Panel::new(halves(true));
    assert_eq!(panel.tick(1, Some([100, 100])), ["left"]);
    assert_eq!(panel.tick(1, Some([900, 100])), ["right"]);
    assert_eq!(panel.tick(1, Some([499, 900])), ["left"]);
    assert_eq!(panel.tick(1, None), [""; 0]);
}

#[test]
fn a_layer_above_takes_the_contact_and_presses_once() {
    let mut panel = Panel::new(halves(false));
    assert_eq!(panel.tick(1, Some([450, 450])), ["plate", "lamp"]);
    assert_eq!(panel.tick(1, Some([100, 450])), ["lamp"]);
    assert_eq!(panel.tick(1, None), ["lamp"]);
    assert_eq!(panel.tick(2, Some([550, 550])), ["plate"]);
    assert_eq!(panel.desk.action(2).driver, Some(panel.desk.control("glass/contact-2")));
}

/// Both held is what the rule says, and letting go of one falls to the other.
#[rstest]
#[case(BothHeld::Neutral, 0.0)]
#[case(BothHeld::Last, 1.0)]
#[case(BothHeld::First, -1.0)]
fn opposite_zones_are_as_opposite_keys(#[case] both: BothHeld, #[case] together: f32) {
    let side = |zone| SideSpec { keys: Vec::new(), zones: vec![ZoneId(zone)] };
    let walk = InputSpec::Pair { negative: side(0), positive: side(1), both };
    let zones = halves(true).zones;
    let mut panel = Panel::new(Rig { zones, ..rig(vec![action("walk", Gives::Axis, vec![walk])]) });
    let mut walk = |contact, place| {
        panel.step(contact, place);
        panel.desk.action(0).x
    };
    assert_eq!(walk(1, Some([100, 100])), -1.0);
    assert_eq!(walk(2, Some([900, 100])), together);
    assert_eq!(walk(1, None), 1.0);
    // Sliding over the middle turns round at once.
    assert_eq!(walk(2, Some([300, 100])), -1.0);
    assert_eq!(walk(2, None), 0.0);
}

#[test]
fn a_zone_that_did_not_begin_with_a_contact_does_not_stand_in_its_way() {
    let mut panel = Panel::new(halves(true));
    assert_eq!(panel.tick(1, Some([100, 500])), ["left"]);
    // Over the plate, which has only what begins on it, and on to the other half.
    assert_eq!(panel.tick(1, Some([450, 500])), ["left"]);
    assert_eq!(panel.tick(1, Some([550, 500])), ["right"]);
    // What began on the plate stays its own, and walks nowhere.
    assert_eq!(panel.tick(2, Some([500, 500])), ["right", "plate", "lamp"]);
    assert_eq!(panel.tick(1, None), ["lamp"]);
    assert_eq!(panel.tick(2, Some([100, 500])), ["lamp"]);
}

/// A panel is turned clockwise: its own left top corner goes round the picture.
#[rstest]
#[case::upright(Turn::None, [["left-top", "right-top"], ["left-bottom", "right-bottom"]])]
#[case::by_90(Turn::Quarter, [["right-top", "right-bottom"], ["left-top", "left-bottom"]])]
#[case::by_180(Turn::Half, [["right-bottom", "left-bottom"], ["right-top", "left-top"]])]
#[case::by_270(Turn::ThreeQuarters, [["left-bottom", "left-top"], ["right-bottom", "right-top"]])]
fn corners_are_those_of_the_picture(#[case] turn: Turn, #[case] expected: [[&str; 2]; 2]) {
    let corners = [
        ("left-top", [0.0, 0.0]),
        ("right-top", [0.9, 0.0]),
        ("left-bottom", [0.0, 0.9]),
        ("right-bottom", [0.9, 0.9]),
    ];
    let on = |n, name| action(name, Gives::On, vec![InputSpec::Zone(ZoneId(n))]);
    let actions = (0..).zip(corners).map(|(n, (name, _))| on(n, name)).collect();
    let zones = corners.iter().map(|(name, at)| zone(name, *at, [0.1, 0.1])).collect();
    let surface = Surface { turn, ..Surface::default() };
    let mut panel = Panel::new(Rig { zones, surface, ..rig(actions) });
    // The corners of the panel itself: by rows, from the left.
    for (y, row) in [0, 1000].into_iter().zip(expected) {
        for (x, name) in [0, 1000].into_iter().zip(row) {
            panel.step(1, Some([x, y]));
            let is_on = |n: &u16| panel.desk.action(*n).is_active();
            let touched: Vec<&str> =
                (0..4).filter(is_on).map(|n| corners[usize::from(n)].0).collect();
            assert_eq!(touched, [name], "{x} {y}");
            panel.step(1, None);
        }
    }
}

/// A zone that is closed is as if it were not there; what was held on it must
/// land again.
#[test]
fn a_zone_is_closed_by_an_action() {
    let mut rig = halves(false);
    rig.actions.push(action("menu", Gives::On, vec![button("pad1/south")]));
    rig.zones[2].closed_while = vec![ActionId(4)];
    let mut panel = Panel::new(rig);
    let press = |panel: &mut Panel, value| {
        let ms = f64::from(panel.tick) * 1000.0 / 60.0 + 0.5;
        panel.desk.set(ms, "pad1/south", value);
    };
    assert_eq!(panel.tick(1, Some([450, 450])), ["plate", "lamp"]);
    press(&mut panel, 1);
    panel.tick(1, Some([451, 450]));
    // Seen in the tick after the action was.
    panel.tick(1, Some([452, 450]));
    let has = |panel: &Panel, zone| panel.desk.session.now().zone_has(ZoneId(zone), ContactId(0));
    assert!(!has(&panel, 2) && !has(&panel, 0));
    // A new finger goes to what lies below.
    assert_eq!(panel.tick(2, Some([455, 455])), ["left", "lamp"]);
    press(&mut panel, 0);
    panel.tick(1, Some([453, 450]));
    assert_eq!(panel.tick(1, Some([454, 450])), ["left", "lamp"]);
    assert!(!has(&panel, 2));
    panel.tick(1, None);
    assert_eq!(panel.tick(1, Some([450, 450])), ["left", "plate"]);
}

#[test]
fn a_panel_that_goes_away_lets_go() {
    let mut panel = Panel::new(halves(false));
    assert_eq!(panel.tick(1, Some([100, 100])), ["left"]);
    let glass = panel.desk.session.roster().control(panel.desk.control("glass/contact-1")).device;
    panel.desk.session.unplug(glass, Nanos::from_millis(40));
    panel.desk.run_to(5);
    assert!(!panel.desk.action(0).is_active());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Looking back at any tick, and running it all again, shows what was there.
    #[test]
    fn zones_look_back_and_replay_as_they_were(
        steps in prop::collection::vec(
            (1u32..3, prop::option::of((0i32..1000, 0i32..1000))), 1..60),
        follows: bool,
    ) {
        let mut panel = Panel::new(halves(follows));
        let mut were = Vec::new();
        for (contact, place) in steps {
            panel.tick(contact, place.map(|(x, y)| [x, y]));
            were.push([0, 1, 2, 3].map(|n| panel.desk.action(n)));
        }
        let session = &panel.desk.session;
        let again = session.retuned(session.rig().clone());
        for (n, were) in were.iter().enumerate() {
            let tick = Tick(n as u32 + 1);
            for session in [session, &again] {
                let machine = session.at(tick);
                prop_assert_eq!(&[0, 1, 2, 3].map(|n| machine.action(ActionId(n))), were);
            }
        }
        // Both halves are never touched by the same contact.
        let [left, right] = [0, 1].map(|zone| session.now().zone_has(ZoneId(zone), ContactId(0)));
        prop_assert!(!(left && right));
    }
}

/// A trolley that goes where the thumb is, inside its strip, and ignores a thumb
/// that began elsewhere.
#[test]
fn a_place_on_a_zone_is_the_value() {
    let place =
        |along| InputSpec::Place { zone: ZoneId(0), along, shape: ShapeUse::Own(Shape::default()) };
    let mut rig = rig(vec![
        action("trolley", Gives::Axis, vec![place(PlaceAxis::X)]),
        action("hoist", Gives::Axis, vec![place(PlaceAxis::Y)]),
        ActionSpec { clamp: false, ..action("both", Gives::Plane, vec![place(PlaceAxis::X)]) },
    ]);
    rig.zones = vec![zone("strip", [0.2, 0.4], [0.4, 0.4])];
    let mut panel = Panel::new(rig);
    let mut at = |contact, place| {
        panel.step(contact, place);
        let [x, y, both] = [0, 1, 2].map(|n| panel.desk.action(n));
        assert_eq!([both.x, both.y], [x.x, y.x]);
        [x.x, y.x].map(|v| (v * 100.0).round() as i32)
    };
    assert_eq!(at(1, Some([300, 500])), [-50, 50]);
    // It moves without a zone being got or lost, and stays at the border beyond it.
    assert_eq!(at(1, Some([500, 700])), [50, -50]);
    assert_eq!(at(1, Some([900, 100])), [100, 100]);
    // The thumb that landed last, and the one before again.
    assert_eq!(at(2, Some([400, 700])), [0, -50]);
    assert_eq!(at(1, Some([800, 100])), [0, -50]);
    assert_eq!(at(2, None), [100, 100]);
    assert_eq!(at(1, None), [0, 0]);
    assert_eq!(at(1, Some([100, 500])), [0, 0]);
    assert_eq!(at(1, Some([300, 500])), [0, 0]);
}

/// What a contact says between two polls, and where a finger was when the first saw it and the
/// second.
#[rstest]
#[case::it_moves(0, &[("-x", 300)], vec![vec![0.1, 0.3]])]
#[case::it_says_again_that_it_is_down(0, &[("", 1)], vec![vec![0.1, 0.1]])]
#[case::it_is_lifted(0, &[("", 0)], vec![vec![0.1]])]
#[case::another_one_lands(0, &[("", 0), ("-x", 900), ("", 1)], vec![vec![0.1], vec![0.9]])]
#[case::it_trembles(20, &[("", 0), ("-x", 200), ("", 1)], vec![vec![0.1, 0.2]])]
fn a_stroke_is_that_of_one_finger(
    #[case] debounce_ms: u64,
    #[case] said: &[(&str, i32)],
    #[case] asked: Vec<Vec<f32>>,
) {
    let mut rig = halves(false);
    rig.edges = vec![EdgeRule {
        of: vec![Scope::Kind(DeviceKind::Glass)],
        debounce: Some(Nanos::from_millis(debounce_ms)),
        ..EdgeRule::default()
    }];
    let mut panel = Panel::new(rig);
    panel.step(1, Some([100, 0]));
    for (part, value) in said {
        panel.desk.set(20.0, &format!("glass/contact-1{part}"), *value);
    }
    panel.desk.run_to(2);
    let Panel { desk: Desk { session, .. }, .. } = &panel;
    let contact = &session.plan().contacts()[0];
    let all = strokes(session.history(), contact, [Tick(0), Tick(2)]);
    let across = |stroke: &Stroke| stroke.places.iter().map(|place| place[0]).collect::<Vec<_>>();
    assert_eq!(all.iter().map(across).collect::<Vec<_>>(), asked);
    let is_lifted = session.now().control(contact.down).seen == 0;
    assert_eq!(all.last().unwrap().last(), Tick(2 - u32::from(is_lifted)));
}
