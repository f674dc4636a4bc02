//! Once running, a tick allocates nothing.

mod common;

use common::*;
use gtrig_core::*;

#[test]
fn a_tick_allocates_nothing() {
    let smooth = vec![
        shape::Stage::Smooth(shape::Smooth::HalfLife(0.05)),
        shape::Stage::Directions { ways: 8, hysteresis: 5.0 },
    ];
    let mut rig = rig(vec![
        action("horn", Gives::On, vec![button("pad/south"), button("pad1/trigger-r")]),
        action("brake", Gives::Pulse, vec![button("pad/east"), button("keys/KeyS")]),
        action("walk", Gives::Axis, vec![pair("keys/KeyA", "keys/KeyD", BothHeld::Last)]),
        action("slew", Gives::Plane, vec![stick("pad/stick-l", 0.1), cross(BothHeld::Last)]),
        action("reach", Gives::Polar, vec![shaped_stick("pad/stick-l", smooth)]),
        action("menu", Gives::Toggle, vec![button("keys/KeyW")]),
    ]);
    rig.actions[3].closed_while = vec![5];
    rig.actions[0].main_only = true;
    let desk = Desk::new(rig);
    let plan = desk.session.plan();
    let mut machine = desk.session.at(Tick(0));
    let ids: Vec<ControlId> =
        desk.devices.iter().flat_map(|&d| desk.session.roster().device(d).controls()).collect();
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
            let presence = desk.session.roster().device(desk.devices[i as usize % 3]).presence();
            let value = i32::from(i % 1_000 != 999);
            let came = Event { time, value, control: presence, marks: Marks::empty() };
            ids.iter().map(event).chain([came]).collect::<Vec<_>>()
        })
        .collect();
    let mut ticks = 0;
    let count = allocation_counter::measure(|| {
        run(&mut machine, plan, &events, Tick(1_150), |_| ticks += 1);
    });
    assert!(ticks > 1_000 && machine.lost() > 0);
    assert_eq!(count.count_total, 0);
}
