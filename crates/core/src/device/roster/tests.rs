use super::*;
use crate::base::CleanText;
use crate::device::{ControlInfo, ControlKind, Deal, DeviceInfo, DeviceKind, SlotRules};
use rstest::rstest;
use std::{
    string::{String, ToString},
    vec,
};

fn device(kind: DeviceKind, identity: &str, slot: Option<u8>) -> DeviceInfo {
    DeviceInfo {
        identity: identity.into(),
        kind,
        name: CleanText::new(identity),
        bus: CleanText::default(),
        slot,
        controls: vec![ControlInfo::new("south", ControlKind::Button)],
    }
}

fn rules(deal: Deal, pins: &[(u8, &str)]) -> SlotRules {
    let mut rules = SlotRules { deal, ..SlotRules::default() };
    for &(slot, pin) in pins {
        rules.pins[usize::from(slot) - 1] = Some(pin.to_string());
    }
    rules
}

/// Pads come (`+a`) and go (`-a`); who has which slot in the end.
#[rstest]
#[case::the_first_free(Deal::FirstFree, &[], "+a +b -a +c", "c1 b2")]
#[case::own_slot_again(Deal::FirstFree, &[], "+a +b -a +a", "a1 b2")]
#[case::own_slot_taken(Deal::FirstFree, &[], "+a +b -a +c +a", "c1 b2 a3")]
#[case::own_slot_free_again(Deal::FirstFree, &[], "+a -a +c +a -a -c +a", "a2")]
#[case::kept_for_who_may_return(Deal::LastUsed, &[], "+a +b -a +c +a", "a1 b2 c3")]
#[case::longest_away(Deal::LastUsed, &[], "+a +b +c +d -b -a +e", "e2 c3 d4")]
#[case::pinned(Deal::FirstFree, &[(2, "b")], "+a +c +b", "a1 b2 c3")]
#[case::pinned_and_full(Deal::FirstFree, &[(1, "x"), (2, "y")], "+a +b +c", "a3 b4 c0")]
#[case::pinned_twice(Deal::FirstFree, &[(3, "b")], "+b +b", "b1 b3")]
fn slots(#[case] deal: Deal, #[case] pins: &[(u8, &str)], #[case] story: &str, #[case] end: &str) {
    let rules = rules(deal, pins);
    let mut roster = Roster::default();
    for step in story.split(' ') {
        let (way, name) = step.split_at(1);
        if way == "+" {
            roster.admit(device(DeviceKind::Pad, name, None), &rules).unwrap();
        } else {
            let is_it = |d: &Device| d.left.is_none() && d.info.identity == name;
            let here = roster.devices().find(|(_, d)| is_it(d)).unwrap().0;
            roster.dismiss(here);
        }
    }
    let here = roster.devices().filter(|(_, d)| d.left.is_none());
    let mut here: Vec<(u8, &str)> =
        here.map(|(_, d)| (d.number, d.info.identity.as_str())).collect();
    here.sort_by_key(|(number, _)| (*number == 0, *number));
    let here: Vec<String> = here.iter().map(|(n, name)| std::format!("{name}{n}")).collect();
    assert_eq!(here.join(" "), end);
}

fn labels(roster: &Roster) -> Vec<String> {
    roster.devices().map(|(_, d)| d.label().to_string()).collect()
}

#[test]
fn slots_go_to_pads_and_levers_alone() {
    let mut roster = Roster::default();
    for (kind, id) in [
        (DeviceKind::Pad, "a"),
        (DeviceKind::Keys, "k"),
        (DeviceKind::Other, "injected"),
        (DeviceKind::Lever, "b"),
        (DeviceKind::Keys, "k2"),
        (DeviceKind::Other, "injected too"),
    ] {
        roster.admit(device(kind, id, None), &SlotRules::default()).unwrap();
    }
    assert_eq!(labels(&roster), ["pad·1", "keys", "other", "lever·2", "keys·2", "other·2"]);
}

#[test]
fn a_wanted_slot_is_given_when_free() {
    let mut roster = Roster::default();
    roster.admit(device(DeviceKind::Pad, "a", Some(3)), &SlotRules::default()).unwrap();
    roster.admit(device(DeviceKind::Pad, "b", Some(3)), &SlotRules::default()).unwrap();
    roster.admit(device(DeviceKind::Pad, "c", Some(9)), &SlotRules::default()).unwrap();
    assert_eq!(labels(&roster), ["pad·3", "pad·1", "pad·2"]);
}

#[test]
fn a_fifth_pad_has_no_slot() {
    let mut roster = Roster::default();
    for id in ["a", "b", "c", "d", "e"] {
        roster.admit(device(DeviceKind::Pad, id, None), &SlotRules::default()).unwrap();
    }
    assert_eq!(labels(&roster).last().unwrap(), "pad·0");
}

#[test]
fn a_device_that_comes_back_is_the_same_device() {
    let mut roster = Roster::default();
    let a = roster.admit(device(DeviceKind::Pad, "a", None), &SlotRules::default()).unwrap();
    roster.admit(device(DeviceKind::Pad, "b", None), &SlotRules::default()).unwrap();
    roster.dismiss(a);
    assert_eq!(roster.admit(device(DeviceKind::Pad, "a", None), &SlotRules::default()), Ok(a));
    assert_eq!(labels(&roster), ["pad·1", "pad·2"]);
}

#[test]
fn two_devices_with_one_identity_are_two_devices() {
    let mut roster = Roster::default();
    let a = roster.admit(device(DeviceKind::Pad, "same", None), &SlotRules::default()).unwrap();
    let b = roster.admit(device(DeviceKind::Pad, "same", None), &SlotRules::default()).unwrap();
    assert_ne!(a, b);
}

#[test]
fn controls_have_addresses() {
    let mut roster = Roster::default();
    let pad = roster.admit(device(DeviceKind::Pad, "a", None), &SlotRules::default()).unwrap();
    let south = roster.device(pad).control("south").unwrap();
    assert_eq!(roster.address(south).to_string(), "pad1/south");
    assert_eq!(roster.label(south).to_string(), "pad·1 south");
    assert_eq!(roster.code(roster.device(pad).presence()), "presence");
}

#[test]
fn a_session_has_room_for_so_many_controls() {
    let mut roster = Roster::default();
    let mut big = device(DeviceKind::Other, "big", None);
    big.controls = vec![big.controls[0].clone(); MAX_CONTROLS];
    assert_eq!(roster.admit(big, &SlotRules::default()), Err(RosterError::TooManyControls));
}
