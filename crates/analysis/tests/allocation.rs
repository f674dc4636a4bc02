//! Once running, a tick allocates nothing.

mod common;

use common::{hand::*, *};
use gtrig_core::*;

/// Every kind of step and of signal, in two modes.
fn combos(rig: &mut Rig) {
    let control = |text: &str| Signal::Control {
        control: reference(text),
        thresholds: Thresholds { press_at: 0.5, release_at: 0.3 },
    };
    rig.signals = vec![
        control("pad/south"),
        control("keys/KeyS"),
        control("pad/trigger-r"),
        Signal::Action(ActionId(6)),
        Signal::Zone(ZoneId(1)),
        Signal::Gesture(GestureId(0)),
        Signal::Way(ActionId(3), Direction::of("left").unwrap()),
    ];
    let step = |what| ComboStep::new(what, TimeSpan::millis(500));
    let of = |n| SignalId(n);
    let spread = TimeSpan::millis(100);
    let early = ComboStep {
        after: TimeSpan::Ticks(2),
        buffer: TimeSpan::Ticks(1),
        within: TimeSpan::Ticks(60),
        ..step(StepKind::press(of(1)))
    };
    rig.combos = vec![
        Combo {
            strict: Some(Strict::AllBut((1..7).map(of).collect())),
            ..Combo::new("any", vec![step(StepKind::press(of(0)))])
        },
        Combo { takes: true, ..Combo::new("early", vec![step(StepKind::press(of(0))), early]) },
        Combo {
            waits_for: vec![ComboId(1)],
            ..Combo::new(
                "both",
                vec![step(StepKind::Together { of: vec![of(0), of(2)], spread, in_order: false })],
            )
        },
        Combo::new(
            "held",
            vec![
                step(StepKind::hold(of(1), TimeSpan::millis(1))),
                step(StepKind::Quiet(TimeSpan::millis(1))),
            ],
        ),
    ];
    let mode = |enter, leave| Mode { name: "m".into(), enter, leave, freezes: enter.is_none() };
    rig.modes = vec![mode(None, None), mode(Some(ActionId(1)), Some(ActionId(2)))];
}

#[test]
fn a_tick_allocates_nothing() {
    let smooth =
        vec![Stage::Smooth(Smooth::HalfLife(0.05)), Stage::Directions { ways: 8, hysteresis: 5.0 }];
    let mut rig = rig(vec![
        action("horn", Gives::On, vec![button("pad/south"), button("pad1/trigger-r")]),
        action("brake", Gives::Pulse, vec![button("pad/east"), button("keys/KeyS")]),
        action("walk", Gives::Axis, vec![pair("keys/KeyA", "keys/KeyD", BothHeld::Last)]),
        action("slew", Gives::Plane, vec![stick("pad/stick-l", 0.1), cross(BothHeld::Last)]),
        action("reach", Gives::Polar, vec![shaped_stick("pad/stick-l", smooth)]),
        action("menu", Gives::Toggle, vec![button("keys/KeyW")]),
        action("lights", Gives::On, vec![InputSpec::Zone(ZoneId(0))]),
        action("bell", Gives::Pulse, vec![InputSpec::Zone(ZoneId(1))]),
    ]);
    // Values of a contact go from 0 to 100 of 1000 in x and of 500 in y.
    rig.zones =
        vec![zone("strip", [0.0, 0.05], [1.0, 0.1]), zone("plate", [0.01, 0.0], [0.03, 1.0])];
    rig.zones[1].follows = true;
    every_gesture(&mut rig);
    combos(&mut rig);
    rig.actions[3].closed_while = vec![ActionId(5)];
    rig.actions[0].main_only = true;
    let mut desk = Desk::new(rig);
    let glass = desk.session.plug(glass(), Nanos(0)).unwrap();
    let plan = desk.session.plan();
    let mut machine = desk.session.at(Tick(0));
    let devices = [desk.devices[0], desk.devices[1], desk.devices[2], glass];
    let ids: Vec<ControlId> =
        devices.iter().flat_map(|&d| desk.session.roster().device(d).controls()).collect();
    // Everything moves in every tick, and every device comes and goes.
    let events: Vec<Event> = (0..20_000u32)
        .flat_map(|i| {
            let time = Nanos(u64::from(i) * 1_000_000);
            let event = |&control: &ControlId| Event {
                time,
                value: (i as i32 * 37 + i32::from(control.0)) % 101 * i32::from(i % 3 != 0),
                control,
                marks: Marks::empty(),
            };
            let presence = desk.session.roster().device(devices[i as usize % 4]).presence();
            let value = i32::from(i % 1_000 != 999);
            let came = Event { time, value, control: presence, marks: Marks::empty() };
            ids.iter().map(event).chain([came]).collect::<Vec<_>>()
        })
        .collect();
    let (mut ticks, mut lit, mut rung, mut verdicts) = (0, 0, 0, 0);
    let mut combos = [0; 4];
    let count = allocation_counter::measure(|| {
        run(&mut machine, plan, &events, Tick(1_150), |machine| {
            ticks += 1;
            verdicts += machine.verdicts().len();
            for news in machine.combo_news() {
                combos[news.combo.index()] += 1;
            }
            lit += u32::from(machine.action(ActionId(6)).is_active());
            rung += u32::from(machine.action(ActionId(7)).is_active());
        });
    });
    assert!(ticks > 1_000 && machine.lost() > 0 && lit > 0 && rung > 0, "{ticks} {lit} {rung}");
    assert!(verdicts > 1_000, "{verdicts}");
    assert!(combos.iter().all(|&news| news > 0), "{combos:?}");
    assert_eq!(count.count_total, 0);
}

/// One gesture of each kind and number of fingers, which wait for each other
/// and take each other's contacts.
fn every_gesture(rig: &mut Rig) {
    rig.signs = vec![hook()];
    rig.gestures = every_kind()
        .into_iter()
        .flat_map(|kind| kind.fingers().take(2).map(move |fingers| (kind, fingers)))
        .map(|(kind, fingers)| with_fingers("it", kind, fingers, &[]))
        .collect();
    rig.gestures[0].waits_for = vec![GestureId(2)];
    rig.gestures
        .iter_mut()
        .filter(|g| g.kind == GestureKind::Drag)
        .for_each(|drag| drag.takes = true);
}
