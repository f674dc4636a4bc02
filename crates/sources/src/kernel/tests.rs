//! Layouts and packets by hand; the real kernel has a proof of its own,
//! `scripts/kernel-proof`.

mod contacts;
mod losses;

use super::{
    Kernel,
    decode::{Decoder, Next, Raw, Slot, State},
    layout::{Abilities, AbsAxis, Layout, Route},
};
use crate::{
    Source,
    listener::{Change, Heard, Listener, NodeId},
    nodes::Wanted,
};
use gtrig_analysis::{Capacity, Session};
use gtrig_core::{
    AxisInfo, ControlInfo, ControlKind, DeviceInfo, DeviceKind, DeviceMap, DeviceMatch, Keyword,
    MappedControl, MappedFrom, Marks, Nanos, PollRate, Rig, Tick,
};
use rstest::rstest;

const SYN: u16 = 0;

const KEY: u16 = 1;

const ABS: u16 = 3;

const SOUTH: u16 = 0x130;

/// Axes of a code and a range each.
fn axes(axes: &[(u16, i32, i32)]) -> Vec<AbsAxis> {
    let grain = AxisInfo::default();
    let axis = |&(code, min, max)| AbsAxis { code, range: (min, max), value: 0, grain };
    axes.iter().map(axis).collect()
}

fn pad() -> Abilities {
    Abilities {
        name: "Pad".into(),
        identity: "p".into(),
        keys: vec![SOUTH, 0x138],
        axes: axes(&[(0, -32768, 32767), (2, 0, 255), (0x10, -1, 1)]),
        ..Abilities::default()
    }
}

/// The pad with numbers by which [`map`] knows it.
fn mapped_pad() -> DeviceInfo {
    let mut abilities = pad();
    abilities.identity = "0003:6b71:0009:0100:here:Pad".into();
    abilities.layout().unwrap().info
}

fn map(kind: DeviceKind, controls: Vec<MappedControl>) -> DeviceMap {
    let (version, name, is_raw) = (None, None, false);
    let device = DeviceMatch { vendor: 0x6b71, product: 9, version, name, is_raw };
    DeviceMap { device, name: None, kind: Some(kind), controls, left_out: Vec::new() }
}

fn glass() -> Abilities {
    let axes =
        axes(&[(0, 0, 99), (0x2f, 0, 4), (0x35, 0, 1919), (0x36, 0, 1079), (0x39, 0, 65535)]);
    Abilities { keys: vec![0x14a], axes, ..pad() }
}

fn names(layout: &Layout) -> Vec<&str> {
    layout.info.controls.iter().map(|c| c.code.as_str()).collect()
}

/// Runs events `(kind, code, value)` and returns `name=value` of the changes.
fn run(decoder: &mut Decoder, layout: &Layout, events: &[(u16, u16, i32)]) -> (Vec<String>, Next) {
    let mut changes = Vec::new();
    let mut next = Next::GoOn;
    for (i, &(kind, code, value)) in events.iter().enumerate() {
        let raw = Raw { time: Nanos(i as u64), kind, code, value };
        if decoder.event(raw, &mut changes) == Next::AskForState {
            next = Next::AskForState;
        }
    }
    (said(layout, &changes), next)
}

fn said(layout: &Layout, changes: &[Change]) -> Vec<String> {
    let name = |c: &Change| layout.info.controls[usize::from(c.control)].code.clone();
    let mark = |c: &Change| match c.marks {
        Marks::REPEAT => "~",
        Marks::RESYNCED => "≈",
        Marks::CARRIED => "^",
        _ => "",
    };
    changes.iter().map(|c| format!("{}={}{}", name(c), c.value, mark(c))).collect()
}

#[test]
fn a_pad_has_the_standard_names() {
    let layout = pad().layout().unwrap();
    assert_eq!(layout.info.kind, DeviceKind::Pad);
    assert_eq!(
        names(&layout),
        ["south", "trigger-l-button", "stick-l-x", "trigger-l", "dpad-left", "dpad-right"]
    );
    assert_eq!(
        layout.info.controls[2].kind,
        ControlKind::Axis { min: -32768, centre: 0, max: 32767 }
    );
}

#[rstest]
#[case::keys(Abilities { keys: (1..120).collect(), ..Abilities::default() }, Some(DeviceKind::Keys))]
#[case::mouse(Abilities { keys: vec![0x110], relative: vec![0, 1, 8], ..Abilities::default() }, Some(DeviceKind::Mouse))]
#[case::two_back_buttons(Abilities { keys: vec![0x110, 0x113, 0x116], relative: vec![0], ..Abilities::default() }, Some(DeviceKind::Mouse))]
#[case::glass(glass(), Some(DeviceKind::Glass))]
#[case::wheel(Abilities { axes: axes(&[(0, 0, 1023)]), ..Abilities::default() }, Some(DeviceKind::Other))]
#[case::backwards_range(Abilities { axes: axes(&[(0, 9, -9)]), ..Abilities::default() }, Some(DeviceKind::Other))]
#[case::no_range(Abilities { axes: axes(&[(0, 5, 5)]), ..Abilities::default() }, Some(DeviceKind::Other))]
#[case::widest(Abilities { axes: axes(&[(0, i32::MIN, i32::MAX)]), ..Abilities::default() }, Some(DeviceKind::Other))]
#[case::nothing(Abilities::default(), None)]
#[case::a_thousand(Abilities { keys: (0x2c0..0x6a8).collect(), ..Abilities::default() }, Some(DeviceKind::Other))]
fn any_device_has_a_sound_layout(#[case] abilities: Abilities, #[case] kind: Option<DeviceKind>) {
    let layout = abilities.layout();
    assert_eq!(layout.as_ref().map(|l| l.info.kind), kind);
    let Some(layout) = layout else { return };
    let mut names = names(&layout);
    names.sort_unstable();
    names.dedup();
    assert_eq!(names.len(), layout.info.controls.len(), "each name once");
    for control in &layout.info.controls {
        if let ControlKind::Axis { min, centre, max } = control.kind {
            assert!(min <= centre && centre <= max, "{control:?}");
        }
    }
}

/// What people plug in, by keys, axes and what else is said of it; and what becomes
/// of it.
#[rstest]
#[case::a_right_stick_on_z_with_gas_and_brake(
    &[0x130, 0x131, 0x138, 0x139], &[(0, 0, 255), (1, 0, 255), (2, 0, 255), (5, 0, 255), (9, 0, 255), (10, 0, 255)],
    "pad south east trigger-l-button trigger-r-button stick-l-x| stick-l-y| stick-r-x| stick-r-y| trigger-r trigger-l")]
#[case::triggers_on_the_third_hat(
    &[0x130, 0x131], &[(0, -9, 9), (3, -9, 9), (4, -9, 9), (0x14, 0, 255), (0x15, 0, 255)],
    "pad south east stick-l-x| stick-r-x| stick-r-y| trigger-r trigger-l")]
#[case::no_south_button(&[0x131, 0x133], &[], "pad east north")]
#[case::one_button_is_no_pad(&[0x130], &[], "other south")]
#[case::a_flight_stick(
    &[0x120, 0x121, 0x126], &[(0, 0, 1023), (1, 0, 1023), (5, 0, 255), (6, 0, 255), (0x10, -1, 1), (0x11, -1, 1), (0x12, -1, 1)],
    "other trigger thumb base x| y| rz| throttle hat-left. hat-right. hat-up. hat-down. hat-2-left. hat-2-right.")]
#[case::a_wheel_with_pedals(
    &[0x120, 0x150, 0x151], &[(8, 0, 16383), (9, 0, 255), (10, 0, 255)],
    "other trigger gear-down gear-up wheel| gas brake")]
#[case::a_button_box(&[0x100, 0x101, 0x2c0, 0x2c1], &[], "other button-0 button-1 extra-1 extra-2")]
#[case::a_keypad(&[71, 72, 73, 96], &[], "keys Numpad7 Numpad8 Numpad9 NumpadEnter")]
#[case::a_power_button(&[116], &[], "system button-116")]
#[case::a_remote(&[113, 114, 115, 164], &[], "system AudioVolumeMute AudioVolumeDown AudioVolumeUp MediaPlayPause")]
#[case::hotkeys(&[224, 225, 227], &[], "system button-224 button-225 button-227")]
#[case::volume_keys_with_a_knob(&[113, 114, 115], &[(0x20, 0, 100)], "system AudioVolumeMute AudioVolumeDown AudioVolumeUp volume")]
#[case::a_macro_pad(&[183, 184, 185], &[], "other F13 F14 F15")]
#[case::a_pen(
    &[0x140, 0x141, 0x14a, 0x14b, 0x14c], &[(0, 0, 9000), (1, 0, 6000), (0x18, 0, 2047), (0x1a, -60, 60)],
    "mouse in-range rubber left right middle x@ y@ pressure tilt-x|")]
#[case::an_absolute_pointer(
    &[0x110, 0x111], &[(0, 0, 32767), (1, 0, 32767)], "mouse left right x@ y@ in-range.")]
#[case::a_panel_for_one_finger(
    &[0x14a], &[(0, 0, 4095), (1, 0, 4095), (0x18, 0, 255)],
    "glass contact-1 contact-1-x@ contact-1-y@ contact-1-pressure")]
#[case::a_touchpad_with_a_click(
    &[0x110, 0x145, 0x14a], &[(0, 0, 99), (1, 0, 99), (0x2f, 0, 0), (0x35, 0, 99), (0x36, 0, 99), (0x39, 0, 9)],
    "glass left contact-1. contact-1-x@. contact-1-y@.")]
#[case::a_panel_with_a_stick_and_keys(
    &[30, 0x130, 0x14a], &[(0, 0, 99), (1, 0, 99), (3, -5, 5), (4, -5, 5), (0x2f, 0, 0), (0x35, 0, 99), (0x36, 0, 99)],
    "glass KeyA south rx| ry| contact-1. contact-1-x@. contact-1-y@.")]
fn a_device_is_what_its_codes_say(
    #[case] keys: &[u16],
    #[case] its_axes: &[(u16, i32, i32)],
    #[case] expected: &str,
) {
    let abilities = Abilities { keys: keys.to_vec(), axes: axes(its_axes), ..Abilities::default() };
    let layout = abilities.layout().unwrap();
    let routes: Vec<u16> = layout
        .routes
        .values()
        .filter_map(|route| match *route {
            Route::Plain(control) => Some(control),
            Route::Hat(..) => None,
        })
        .collect();
    let word = |(n, control): (usize, &ControlInfo)| {
        let kind = match control.kind {
            ControlKind::Axis { .. } => "|",
            ControlKind::Position { .. } => "@",
            _ => "",
        };
        // A hat and a contact have no code of their own.
        let own = if routes.contains(&(n as u16)) { "" } else { "." };
        format!(" {}{kind}{own}", control.code)
    };
    let controls: String = layout.info.controls.iter().enumerate().map(word).collect();
    assert_eq!(format!("{}{controls}", layout.info.kind.word()), expected);
}

/// What was found at an end rests there, but for a throttle; one that reads 0 may just
/// not have been reported.
#[rstest]
#[case::lever_at_its_lower_end(2, -512, Some((-512, 511)))]
#[case::lever_in_between(2, -100, None)]
#[case::lever_at_its_upper_end(2, 511, Some((511, -512)))]
#[case::not_reported(2, 0, None)]
#[case::pedal_that_is_turned_round(0x0a, 511, Some((511, -512)))]
#[case::pedal_in_between(0x0a, 44, Some((-512, 511)))]
#[case::throttle_left_at_its_upper_end(6, 511, Some((-512, 511)))]
fn an_axis_that_rests_at_an_end_is_one_sided(
    #[case] code: u16,
    #[case] value: i32,
    #[case] trigger: Option<(i32, i32)>,
) {
    let lever = AbsAxis { value, ..axes(&[(code, -512, 511)])[0] };
    let layout = Abilities { axes: vec![lever], ..Abilities::default() }.layout().unwrap();
    let expected = match trigger {
        Some((min, max)) => ControlKind::Trigger { min, max },
        None => ControlKind::Axis { min: -512, centre: 0, max: 511 },
    };
    assert_eq!(layout.info.controls[0].kind, expected);
}

/// The kernel names the parts of a keyboard that steer the machine, whatever keys they
/// say that they have.
#[rstest]
#[case("Quay keyboard Consumer Control", DeviceKind::System)]
#[case("Quay keyboard System Control", DeviceKind::System)]
#[case("Quay button box", DeviceKind::Other)]
fn a_part_that_steers_the_machine_is_told_by_its_name(
    #[case] name: &str,
    #[case] kind: DeviceKind,
) {
    let keys = vec![28, 103, 113, 116];
    let abilities = Abilities { name: name.into(), keys, ..Abilities::default() };
    assert_eq!(abilities.kind(), kind);
}

#[rstest]
#[case::keyboard(&(1..120).collect::<Vec<u16>>(), true)]
#[case::keypad(&[71, 96], true)]
#[case::half_a_keyboard(&[16, 17, 18], true)]
#[case::letters_on_a_panel(&[30, 0x14a], true)]
#[case::arrows_and_enter(&[28, 103, 105, 106, 108], false)]
#[case::remote(&[113, 164], false)]
#[case::pad(&[0x130, 0x131], false)]
fn what_types_is_private(#[case] keys: &[u16], #[case] types: bool) {
    assert_eq!(Abilities { keys: keys.to_vec(), ..Abilities::default() }.types(), types);
}

#[test]
fn switches_and_fine_wheels_have_names() {
    let abilities = Abilities {
        switches: vec![0, 1, 0x1f],
        relative: vec![0x0b, 0x0c, 7],
        ..Abilities::default()
    };
    let layout = abilities.layout().unwrap();
    let expected = ["lid", "tablet-mode", "switch-31", "wheel-y-fine", "wheel-x-fine", "dial"];
    assert_eq!(names(&layout), expected);
}

/// A panel that lists its contacts in every packet.
#[test]
fn listed_contacts_are_told_apart() {
    let axes = axes(&[(0x35, 0, 99), (0x36, 0, 99)]);
    let layout = Abilities { axes, ..Abilities::default() }.layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    let touch = |x| [(ABS, 0x35, x), (ABS, 0x36, 5), (SYN, 2, 0)];
    let two = [touch(10), touch(90)].concat();
    let one = touch(88).to_vec();
    let packet = |mut events: Vec<(u16, u16, i32)>| {
        events.push((SYN, 0, 0));
        events
    };
    let mut said = |events| run(&mut decoder, &layout, &packet(events)).0;
    assert_eq!(said(two).len(), 6);
    assert_eq!(said(one), ["contact-1=0", "contact-2-x=88"]);
    assert_eq!(said(vec![(SYN, 2, 0)]), ["contact-2=0"]);
    assert_eq!(said(vec![]), [""; 0]);
}

/// A pointer that is always somewhere is in range once it has said where.
#[test]
fn an_absolute_pointer_comes_into_range() {
    let axes = axes(&[(0, 0, 99), (1, 0, 99)]);
    let layout = Abilities { keys: vec![0x110], axes, ..Abilities::default() }.layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    let (said, _) =
        run(&mut decoder, &layout, &[(ABS, 0, 7), (SYN, 0, 0), (ABS, 1, 8), (SYN, 0, 0)]);
    assert_eq!(said, ["x=7", "in-range=1", "y=8"]);
}

#[test]
fn a_packet_counts_when_it_is_closed() {
    let layout = pad().layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    let open = run(&mut decoder, &layout, &[(KEY, SOUTH, 1), (ABS, 0, 500)]);
    assert_eq!(open.0, [""; 0]);
    let closed = run(&mut decoder, &layout, &[(SYN, 0, 0), (KEY, SOUTH, 2), (SYN, 0, 0)]);
    assert_eq!(closed.0, ["south=1", "stick-l-x=500", "south=1~"]);
}

#[test]
fn a_report_ends_with_the_last_change_of_its_packet() {
    let mut decoder = Decoder::new(pad().layout().unwrap());
    let mut changes = Vec::new();
    for (kind, code, value) in [(KEY, SOUTH, 1), (ABS, 0, 5), (SYN, 0, 0), (ABS, 0, 9), (SYN, 0, 0)]
    {
        decoder.event(Raw { time: Nanos(1), kind, code, value }, &mut changes);
    }
    let last: Vec<bool> = changes.iter().map(|change| change.is_last).collect();
    assert_eq!(last, [false, true, true]);
}

/// Both sides of an axis move in one report: it is never where only one of them has moved.
#[test]
fn a_joined_axis_is_told_once_for_a_report() {
    let info = mapped_pad();
    let from = MappedFrom::Joined { negative: "trigger-l".into(), positive: "stick-l-x".into() };
    let map = map(DeviceKind::Other, vec![MappedControl { code: "drive".into(), from }]);
    let (mut kernel, says, _) = Listener::new(vec![map], Nanos(0));
    let mut session = Session::new(Rig::bare("t", PollRate::DEFAULT), Tick(0), Capacity::DEFAULT);
    let node = NodeId(0);
    let at = |code: &str| info.controls.iter().position(|c| c.code == code).unwrap() as u16;
    let [left, right] = ["trigger-l", "stick-l-x"].map(at);
    says.send(Heard::Arrived(node, Box::new(info), Nanos(0))).unwrap();
    for (control, value, is_last) in [(left, 40, true), (right, 90, false), (left, 0, true)] {
        let change = Change { control, value, marks: Marks::empty(), time: Nanos(1), is_last };
        says.send(Heard::Changed(node, change)).unwrap();
    }
    kernel.drain(&mut session, Nanos(2));
    session.run_until(Tick(1));
    let values: Vec<i32> = session.seen_from(1).map(|event| event.value).collect();
    assert_eq!(values, [-40, 90]);
}

#[test]
fn a_hat_is_two_buttons() {
    let layout = pad().layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    let mut hat = |value| run(&mut decoder, &layout, &[(ABS, 0x10, value), (SYN, 0, 0)]).0;
    assert_eq!(hat(-1), ["dpad-left=1"]);
    assert_eq!(hat(1), ["dpad-left=0", "dpad-right=1"]);
    assert_eq!(hat(0), ["dpad-right=0"]);
}

/// To the other side and back within one packet.
#[test]
fn a_hat_may_turn_within_a_packet() {
    let layout = pad().layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    let hat = |value| (ABS, 0x10, value);
    let (said, _) = run(&mut decoder, &layout, &[hat(1), hat(0), hat(-1), (SYN, 0, 0)]);
    assert_eq!(said, ["dpad-right=1", "dpad-right=0", "dpad-left=1"]);
    assert_eq!(run(&mut decoder, &layout, &[hat(0), (SYN, 0, 0)]).0, ["dpad-left=0"]);
}

#[test]
fn pressure_and_size_are_reported_where_a_panel_knows_them() {
    let mut abilities = glass();
    let grain = AxisInfo { resolution: 12, ..AxisInfo::default() };
    for (code, range) in [(0x3a, (0, 255)), (0x30, (0, 15))] {
        abilities.axes.push(AbsAxis { code, range, value: 0, grain });
    }
    let layout = abilities.layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    let events = [
        (ABS, 0x2f, 1),
        (ABS, 0x39, 5),
        (ABS, 0x36, 20),
        (ABS, 0x3a, 90),
        (ABS, 0x30, 4),
        (SYN, 0, 0),
    ];
    let (said, _) = run(&mut decoder, &layout, &events);
    assert_eq!(
        said,
        ["contact-2=1", "contact-2-y=20", "contact-2-pressure=90", "contact-2-size=4"]
    );
}

#[test]
fn releases_that_the_kernel_makes_up_at_unplug_are_left_out() {
    let layout = pad().layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    let events =
        [(KEY, SOUTH, 1), (SYN, 0, 0), (KEY, SOUTH, 2), (SYN, 0, 1), (KEY, SOUTH, 0), (SYN, 0, 1)];
    assert_eq!(run(&mut decoder, &layout, &events).0, ["south=1", "south=1~"]);
}

#[test]
fn a_device_is_seen_through_its_map() {
    let info = mapped_pad();
    let half = |max| Some(ControlKind::Trigger { min: 0, max });
    let control = |code: &str, from: &str, kind| MappedControl {
        code: code.into(),
        from: MappedFrom::Control { code: from.into(), kind },
    };
    let controls = vec![
        control("thumb", "south", None),
        control("travel", "stick-l-x", half(-32768)),
        control("detent", "nowhere", None),
    ];
    let lever = map(DeviceKind::Lever, controls);
    let (mut kernel, says, _) = Listener::new(vec![lever], Nanos(0));
    let mut session = Session::new(Rig::bare("t", PollRate::DEFAULT), Tick(0), Capacity::DEFAULT);
    let node = NodeId(0);
    let at = |code: &str| info.controls.iter().position(|c| c.code == code).unwrap() as u16;
    let change = |code: &str, value| {
        let marks = Marks::empty();
        let (control, time) = (at(code), Nanos(1));
        Heard::Changed(node, Change { control, value, marks, time, is_last: true })
    };
    says.send(Heard::Arrived(node, Box::new(info.clone()), Nanos(0))).unwrap();
    for (code, value) in [("south", 1), ("stick-l-x", -40), ("stick-l-x", 90), ("trigger-l", 7)] {
        says.send(change(code, value)).unwrap();
    }
    kernel.drain(&mut session, Nanos(2));
    session.run_until(Tick(1));
    let reports: Vec<String> = { session.seen_from(1) }
        .map(|event| format!("{}={}", session.roster().code(event.control), event.value))
        .collect();
    assert_eq!(reports, ["thumb=1", "travel=-40", "travel=0", "trigger-l=7"]);
    assert_eq!(kernel.troubles(), ["the map of Pad: the device has no control `nowhere`"]);
    // Another map while it runs: the device goes and comes again, and what is held is
    // carried over.
    let pad = map(DeviceKind::Pad, vec![control("east", "south", None)]);
    let seen = session.seen_count();
    kernel.use_map(&mut session, &pad, Nanos(20_000_000));
    session.run_until(Tick(2));
    let reports: Vec<String> = { session.seen_from(seen) }
        .map(|event| format!("{}={}", session.roster().code(event.control), event.value))
        .collect();
    assert_eq!(reports, ["presence=0", "presence=1", "east=1", "stick-l-x=90", "trigger-l=7"]);
}

/// A folder that goes away is said, and so is another one that takes its place.
#[test]
fn a_folder_that_is_replaced_is_said() {
    let parent = tempfile::tempdir().unwrap();
    let folder = parent.path().join("input");
    std::fs::create_dir(&folder).unwrap();
    let mut kernel = Kernel::start(&folder, Wanted::All, Vec::new(), Nanos(0)).unwrap();
    let mut session = Session::new(Rig::bare("t", PollRate::DEFAULT), Tick(0), Capacity::DEFAULT);
    let mut hear = |part: &str| {
        for _ in 0..1000 {
            kernel.drain(&mut session, Nanos(0));
            if kernel.troubles().iter().any(|trouble| trouble.contains(part)) {
                return;
            }
            std::thread::sleep(std::time::Duration::from_millis(10));
        }
        panic!("nothing was said with `{part}`");
    };
    std::fs::rename(&folder, parent.path().join("other")).unwrap();
    hear("went away");
    std::fs::create_dir(&folder).unwrap();
    hear("is there again");
}

#[test]
fn an_axis_that_reads_zero_has_not_been_reported_yet() {
    let mut abilities = pad();
    abilities.axes[1].range = (10, 255);
    let layout = abilities.layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    let state = State { down: vec![SOUTH], axes: vec![(0, 0), (2, 0)], ..State::default() };
    let mut changes = Vec::new();
    decoder.begin(&state, Nanos(0), &mut changes);
    assert_eq!(said(&layout, &changes), ["south=1^"]);
}
