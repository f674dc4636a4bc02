//! Whatever happened is read again as it was written.

use super::*;
use gtrig_analysis::frames::{Frame, Read};

/// One thing that can happen, and how long after the one before.
#[derive(Clone, Debug)]
enum Happening {
    Value {
        device: usize,
        control: usize,
        value: i32,
        marks: Marks,
    },
    Presence(usize, Presence),
    /// A device comes if it is not there, and goes if it is.
    ComesOrGoes(usize),
    /// It is written about an instant that may be long past.
    Label(String, u64),
    /// A game says what it read of a device, an instant ago that may be before the device came.
    Frame {
        device: usize,
        control: usize,
        value: i32,
        ago: u64,
    },
    /// Time goes on, and ticks run.
    Runs,
    /// What comes next is reported after its tick.
    Late(u64),
}

/// Devices that may come: pads that want slots, keyboards and mice that cannot have
/// one, two that are told apart only by their controls, and one under a name that
/// another has too.
fn devices() -> Vec<DeviceInfo> {
    let axis = ControlInfo::new("stick-l-x", ControlKind::Axis { min: -128, centre: 0, max: 127 });
    let place = ControlInfo::new("x", ControlKind::Position { min: 0, max: 99 });
    let count = ControlInfo::new("wheel-y", ControlKind::Relative);
    let of = |kind, identity: &str, slot, more: &[&ControlInfo]| {
        let mut info = pad();
        info.controls.extend(more.iter().map(|&control| control.clone()));
        DeviceInfo { kind, identity: identity.into(), slot, ..info }
    };
    vec![
        of(DeviceKind::Pad, "p", None, &[&axis]),
        of(DeviceKind::Pad, "p", Some(3), &[]),
        of(DeviceKind::Pad, "q", Some(3), &[&axis]),
        of(DeviceKind::Lever, "r", Some(1), &[&axis]),
        of(DeviceKind::Lever, "p", None, &[&axis]),
        of(DeviceKind::Keys, "k", Some(2), &[]),
        of(DeviceKind::Keys, "k", None, &[]),
        of(DeviceKind::Mouse, "m", Some(4), &[&place, &count]),
    ]
}

fn happening() -> impl Strategy<Value = (u64, Happening)> {
    let marks = prop_oneof![
        6 => Just(Marks::empty()),
        1 => Just(Marks::REPEAT),
        1 => Just(Marks::INFERRED | Marks::RESYNCED),
    ];
    let device = 0usize..devices().len();
    let value = (device.clone(), 0usize..5, -130i32..130, marks);
    let value = value.prop_map(|(device, control, value, marks)| Happening::Value {
        device,
        control,
        value,
        marks,
    });
    let ago = prop_oneof![2 => Just(0), 1 => 0u64..3_000_000_000];
    let frame = (device.clone(), 0usize..4, -130i32..130, ago)
        .prop_map(|(device, control, value, ago)| Happening::Frame { device, control, value, ago });
    let presence = prop_oneof![Just(Presence::Here), Just(Presence::Deaf)];
    let what = prop_oneof![
        30 => value,
        4 => frame,
        3 => (device.clone(), presence).prop_map(|(device, p)| Happening::Presence(device, p)),
        5 => device.prop_map(Happening::ComesOrGoes),
        1 => (".{0,20}", 0u64..3_000_000_000).prop_map(|(text, ago)| Happening::Label(text, ago)),
        2 => Just(Happening::Runs),
        2 => (0u64..100_000_000).prop_map(Happening::Late),
    ];
    let gap = prop_oneof![20 => 0u64..40_000_000, 1 => 0u64..4_000_000_000];
    (gap, what)
}

fn session_of(happenings: &[(u64, Happening)], deal: Deal, capacity: Capacity) -> Session {
    let mut rig = rig();
    rig.slots.deal = deal;
    rig.slots.pins[1] = Some("q".to_owned());
    let mut session = Session::new(rig, Tick(0), capacity);
    let mut here = vec![None; devices().len()];
    here[0] = Some(session.plug(devices()[0].clone(), Nanos(0)).unwrap());
    let game = session.frames_mut().game(&CleanText::new("quay")).unwrap();
    let (mut time, mut late) = (0, 0);
    for ((gap, what), number) in happenings.iter().zip(1..) {
        time += gap;
        let now = Nanos(time - std::mem::take(&mut late).min(time));
        match what {
            Happening::Value { device, control, value, marks } => {
                let Some(device) = here[*device] else { continue };
                let mut controls = session.roster().device(device).controls();
                let Some(control) = controls.nth(*control) else { continue };
                session.report(Event { time: now, value: *value, control, marks: *marks });
            }
            Happening::Presence(device, presence) => {
                let Some(device) = here[*device] else { continue };
                session.set_presence(device, *presence, now);
            }
            Happening::ComesOrGoes(device) => match here[*device].take() {
                Some(id) => session.unplug(id, now),
                None => {
                    let info = devices()[*device].clone();
                    here[*device] = Some(session.plug(info, now).unwrap());
                }
            },
            Happening::Label(text, ago) => {
                let time = Nanos(time.saturating_sub(*ago));
                session.add_label(Label { time, text: CleanText::new(text) });
            }
            Happening::Frame { device, control, value, ago } => {
                let Some(device) = here[*device] else { continue };
                let mut controls = session.roster().device(device).controls();
                let Some(control) = controls.nth(*control) else { continue };
                if session.roster().control(control).kind == ControlKind::Relative {
                    continue;
                }
                let acted = Nanos(time.saturating_sub(*ago));
                session.add_frame(Frame {
                    game,
                    number,
                    acted,
                    polled: [acted; 2],
                    steps: None,
                    reads: vec![Read { control, values: [*value; 2] }],
                    gives: Vec::new(),
                    devices_came: Nanos(0),
                });
            }
            Happening::Runs => session.run_before(Nanos(time)),
            Happening::Late(by) => late = *by,
        }
    }
    let last = session.plan().rate().tick_seeing(Nanos(time));
    session.run_until(last);
    session
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(256))]

    /// Written and read again, a take has the same bytes and the same ticks.
    #[test]
    fn round_trip(
        happenings in prop::collection::vec(happening(), 0..200),
        deal in prop::sample::select(<Deal as Keyword>::ALL),
    ) {
        let session = session_of(&happenings, deal, Capacity::DEFAULT);
        let text = written(&session);
        let (again, loaded) = load_by(session.rig().clone(), &text);
        prop_assert!(loaded.is_sound(), "{:?}\n{}", loaded, text);
        prop_assert_eq!(written(&again), text);
        prop_assert_eq!(reported(&again), reported(&session));
        let frames = |session: &Session| session.frames().iter().cloned().collect::<Vec<_>>();
        prop_assert_eq!(frames(&again), frames(&session));
    }

    /// So has one whose beginning was forgotten, but for what nobody knows any more of
    /// the time before.
    #[test]
    fn round_trip_of_a_rest(
        happenings in prop::collection::vec(happening(), 0..400),
        deal in prop::sample::select(<Deal as Keyword>::ALL),
    ) {
        let session = session_of(&happenings, deal, Capacity { events: 60, changes: usize::MAX });
        let text = written(&session);
        let (again, loaded) = load_by(session.rig().clone(), &text);
        prop_assert!(loaded.is_sound(), "{:?}\n{}", loaded, text);
        prop_assert_eq!(written(&again), text);
        prop_assert_eq!(again.now().at(), session.now().at());
    }

    /// However a take comes in pieces, what is printed of it while it comes is what is printed
    /// of it when it was read whole.
    #[test]
    fn pieces_print_the_same(
        happenings in prop::collection::vec(happening(), 0..200),
        deal in prop::sample::select(<Deal as Keyword>::ALL),
        piece in 1usize..3_000,
        choice in prop::sample::select(vec![TickChoice::Eventful, TickChoice::Every]),
    ) {
        let text = written(&session_of(&happenings, deal, Capacity::DEFAULT));
        let (whole, _) = load(&text);
        let mut at_once = Vec::new();
        ticks::write(&whole, TickForm::JsonLines, choice, &mut at_once).unwrap();
        let input = BufReader::with_capacity(piece, text.as_bytes());
        let mut intake = TakeReader::open(input).unwrap().into_intake(rig(), Capacity::DEFAULT);
        let mut in_pieces = Vec::new();
        let session = intake.session();
        let mut lines =
            ticks::TickWriter::new(session, TickForm::JsonLines, choice, &mut in_pieces).unwrap();
        while intake.take_in_what_comes() {
            lines.catch_up(intake.session()).unwrap();
        }
        let (session, loaded) = intake.finish();
        prop_assert!(loaded.is_sound());
        lines.catch_up(&session).unwrap();
        lines.finish(&session).unwrap();
        prop_assert_eq!(String::from_utf8(in_pieces), String::from_utf8(at_once));
    }

    /// Whatever bytes a file holds, reading it ends in words, not in a panic.
    #[test]
    fn any_bytes_are_survived(bytes in prop::collection::vec(any::<u8>(), 0..400)) {
        let text = take_of(&[&String::from_utf8_lossy(&bytes)]);
        let (_, loaded) = load(&text);
        prop_assert!(loaded.complaints().iter().all(|c| !c.chars().any(char::is_control)));
    }
}
