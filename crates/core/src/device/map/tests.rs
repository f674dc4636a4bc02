use super::*;
use alloc::string::ToString;
use proptest::prelude::*;
use rstest::rstest;

const WIDE: ControlKind = ControlKind::Axis { min: 0, centre: 128, max: 255 };

fn device() -> DeviceInfo {
    let control = |(code, kind)| ControlInfo::new(code, kind);
    DeviceInfo {
        identity: "0003:6b71:0009:0100:usb-1:Quay bare board".into(),
        kind: DeviceKind::Other,
        name: CleanText::new("Quay bare board"),
        bus: CleanText::default(),
        slot: None,
        controls: [
            ("z", WIDE),
            ("gas", ControlKind::Trigger { min: 0, max: 255 }),
            ("brake", ControlKind::Trigger { min: 1023, max: 0 }),
            ("axis-40", ControlKind::Axis { min: 0, centre: 4, max: 8 }),
            ("button-1", ControlKind::Button),
        ]
        .map(control)
        .into(),
    }
}

fn map(controls: Vec<(&str, MappedFrom)>) -> DeviceMap {
    let control = |(code, from): (&str, _)| MappedControl { code: code.into(), from };
    DeviceMap {
        device: DeviceMatch {
            vendor: 0x6b71,
            product: 9,
            version: None,
            name: None,
            is_raw: false,
        },
        name: None,
        kind: Some(DeviceKind::Pad),
        controls: controls.into_iter().map(control).collect(),
        left_out: Vec::new(),
    }
}

fn control(code: &str, kind: Option<ControlKind>) -> MappedFrom {
    MappedFrom::Control { code: code.into(), kind }
}

/// What is told by a report of one value.
fn told(device: &mut MappedDevice, control: usize, value: i32) -> Vec<(String, i32)> {
    told_of(device, &[(control, value)])
}

/// What is told by a report of several values.
fn told_of(device: &mut MappedDevice, report: &[(usize, i32)]) -> Vec<(String, i32)> {
    let mut told = Vec::new();
    for (control, value) in report {
        device.report(*control, *value, |control, value| told.push((control, value)));
    }
    device.settle(|control, value| told.push((control, value)));
    let name =
        |(at, value): (u16, i32)| (device.info.controls[usize::from(at)].code.clone(), value);
    told.into_iter().map(name).collect()
}

#[test]
fn an_axis_is_split_at_its_rest() {
    let half = |max| Some(ControlKind::Trigger { min: 128, max });
    let map =
        map(vec![("trigger-l", control("z", half(0))), ("trigger-r", control("z", half(255)))]);
    let (mut device, faults) = map.apply(&device());
    assert_eq!(faults, []);
    assert_eq!(device.info.kind, DeviceKind::Pad);
    assert_eq!(told(&mut device, 0, 40), [("trigger-l".to_string(), 40)]);
    let both = [("trigger-l".to_string(), 128), ("trigger-r".to_string(), 200)];
    assert_eq!(told(&mut device, 0, 200), both);
    assert_eq!(told(&mut device, 0, 128), [("trigger-r".to_string(), 128)]);
    // Those that are not named stay.
    assert_eq!(told(&mut device, 4, 1), [("button-1".to_string(), 1)]);
}

#[test]
fn pedals_are_joined_each_from_its_own_rest() {
    let joined = MappedFrom::Joined { negative: "brake".into(), positive: "gas".into() };
    let (mut device, faults) = map(vec![("drive", joined)]).apply(&device());
    assert_eq!(faults, []);
    let kind = device.info.controls[0].kind;
    assert_eq!(kind, ControlKind::Axis { min: -1023, centre: 0, max: 255 });
    assert_eq!(told(&mut device, 2, 0), [("drive".to_string(), -1023)]);
    assert_eq!(told(&mut device, 1, 255), [("drive".to_string(), 255 - 1023)]);
    assert_eq!(told(&mut device, 2, 1023), [("drive".to_string(), 255)]);
    // Both in one report: it is told once, where both have moved.
    assert_eq!(told_of(&mut device, &[(1, 0), (2, 0)]), [("drive".to_string(), -1023)]);
    assert_eq!(told_of(&mut device, &[(1, 5), (1, 0)]), []);
}

#[test]
fn a_hat_of_eight_places_is_four_buttons() {
    let side = |values: &[i32]| MappedFrom::Level {
        code: "axis-40".into(),
        down: Levels::Among(values.into()),
    };
    let map = map(vec![("dpad-up", side(&[7, 0, 1])), ("dpad-right", side(&[1, 2, 3]))]);
    let (mut device, _) = map.apply(&device());
    assert_eq!(told(&mut device, 3, 0), [("dpad-up".to_string(), 1)]);
    assert_eq!(told(&mut device, 3, 1), [("dpad-right".to_string(), 1)]);
    assert_eq!(told(&mut device, 3, 2), [("dpad-up".to_string(), 0)]);
    assert_eq!(told(&mut device, 3, 8), [("dpad-right".to_string(), 0)]);
}

#[rstest]
#[case::none("wheel", MapFault::NoControl("wheel".into()))]
#[case::button("button-1", MapFault::NotAnalogue("button-1".into()))]
fn what_the_device_cannot_is_said(#[case] code: &str, #[case] fault: MapFault) {
    let joined = MappedFrom::Joined { negative: code.into(), positive: "gas".into() };
    let (mapped, faults) = map(vec![("drive", joined)]).apply(&device());
    assert_eq!(faults, [fault]);
    assert_eq!(mapped.info.controls.len(), device().controls.len());
}

#[test]
fn two_names_that_change_places_do() {
    let map = map(vec![("gas", control("brake", None))]);
    let (device, _) = map.apply(&device());
    let codes: Vec<&str> = device.info.controls.iter().map(|c| c.code.as_str()).collect();
    assert_eq!(codes, ["gas", "z", "other-gas", "axis-40", "button-1"]);
}

#[rstest]
#[case::version(Some(0x100), None, Some(1))]
#[case::other_version(Some(0x101), None, None)]
#[case::name(None, Some("Quay bare board"), Some(2))]
#[case::other_name(None, Some("Quay"), None)]
#[case::any(None, None, Some(0))]
fn a_map_is_for_devices_of_its_numbers(
    #[case] version: Option<u16>,
    #[case] name: Option<&str>,
    #[case] fits: Option<u8>,
) {
    let name = name.map(String::from);
    let asks = DeviceMatch { vendor: 0x6b71, product: 9, version, name, is_raw: false };
    assert_eq!(asks.fits(&device()), fits);
    let simulated = DeviceInfo { identity: "cab-pad-a".into(), ..device() };
    assert_eq!(asks.fits(&simulated), None);
    let raw = DeviceInfo { identity: format!("hid/{}", device().identity), ..device() };
    assert_eq!(asks.fits(&raw), None);
    assert_eq!(DeviceMatch { is_raw: true, ..asks }.fits(&raw), fits);
}

proptest! {
    /// Whatever the device says, what is told lies within the range that is stated
    /// here, and a control is told only what is new.
    #[test]
    fn what_is_told_is_in_range(
        reports in proptest::collection::vec((0usize..5, any::<i32>()), 1..40),
    ) {
        let half = |max| Some(ControlKind::Trigger { min: 128, max });
        let joined = MappedFrom::Joined { negative: "brake".into(), positive: "gas".into() };
        let map = map(vec![
            ("trigger-l", control("z", half(0))),
            ("trigger-r", control("z", half(255))),
            ("drive", joined),
        ]);
        let (mut mapped, _) = map.apply(&device());
        let kinds: Vec<ControlKind> = mapped.info.controls.iter().map(|c| c.kind).collect();
        let mut last: Vec<i32> = kinds.iter().map(|kind| kind.rest()).collect();
        for (control, value) in reports {
            let mut told = Vec::new();
            mapped.report(control, value, |control, value| told.push((control, value)));
            mapped.settle(|control, value| told.push((control, value)));
            for (control, value) in told.into_iter().filter(|(control, _)| *control < 3) {
                let at = usize::from(control);
                let (min, max) = kinds[at].range().unwrap();
                prop_assert!((min..=max).contains(&value));
                prop_assert_ne!(last[at], value);
                last[at] = value;
            }
        }
    }
}
