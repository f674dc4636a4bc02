//! Contacts of panels.

use super::*;

#[test]
fn contacts_go_by_their_slots() {
    let layout = glass().layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    let events = [
        (ABS, 0x2f, 1),
        (ABS, 0x39, 77),
        (ABS, 0x35, 10),
        (ABS, 0x36, 20),
        (SYN, 0, 0),
        (ABS, 0x2f, 9),
        (ABS, 0x39, 78),
        (SYN, 0, 0),
        (ABS, 0x2f, 1),
        (ABS, 0x39, -1),
        (SYN, 0, 0),
    ];
    let (said, _) = run(&mut decoder, &layout, &events);
    assert_eq!(said, ["contact-2=1", "contact-2-x=10", "contact-2-y=20", "contact-2=0"]);
}

#[test]
fn another_id_in_a_slot_is_another_finger() {
    let layout = glass().layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    let events =
        [(ABS, 0x39, 5), (SYN, 0, 0), (ABS, 0x39, 6), (SYN, 0, 0), (ABS, 0x39, -1), (SYN, 0, 0)];
    let (said, _) = run(&mut decoder, &layout, &events);
    assert_eq!(said, ["contact-1=1", "contact-1=0", "contact-1=1", "contact-1=0"]);
}

#[test]
fn a_palm_takes_its_touch_back() {
    let layout = glass().layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    let events = [
        (ABS, 0x39, 5),
        (SYN, 0, 0),
        (ABS, 0x37, 2),
        (SYN, 0, 0),
        // Nobody lifts what was taken back, and it takes back no other.
        (ABS, 0x39, -1),
        (ABS, 0x37, 2),
        (SYN, 0, 0),
    ];
    let mut changes = Vec::new();
    for (kind, code, value) in events {
        decoder.event(Raw { time: Nanos(0), kind, code, value }, &mut changes);
    }
    let marks: Vec<(i32, Marks)> = changes.iter().map(|c| (c.value, c.marks)).collect();
    assert_eq!(marks, [(1, Marks::empty()), (0, Marks::CANCELLED)]);
}

/// Where a palm goes on does not matter, nor does what is left of it in its slot.
#[test]
fn what_was_taken_back_does_not_go_on() {
    let layout = glass().layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    let events = [
        (ABS, 0x39, 5),
        (ABS, 0x35, 100),
        (SYN, 0, 0),
        (ABS, 0x37, 2),
        (ABS, 0x35, 200),
        (SYN, 0, 0),
        (ABS, 0x35, 300),
        (SYN, 0, 0),
        (ABS, 0x39, 6),
        (ABS, 0x35, 400),
        (SYN, 0, 0),
    ];
    let (said, _) = run(&mut decoder, &layout, &events);
    let expected =
        ["contact-1=1", "contact-1-x=100", "contact-1=0", "contact-1=1", "contact-1-x=400"];
    assert_eq!(said, expected);
}

#[test]
fn more_contacts_than_are_followed_are_noticed() {
    let layout = glass().layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    run(&mut decoder, &layout, &[(ABS, 0x2f, 4), (ABS, 0x39, 5), (SYN, 0, 0)]);
    assert!(!decoder.takes_more_contacts());
    run(&mut decoder, &layout, &[(ABS, 0x2f, 5), (ABS, 0x39, 6), (SYN, 0, 0)]);
    assert!(decoder.takes_more_contacts());
    assert!(!decoder.takes_more_contacts(), "said once");
    // Slots that no panel has are none.
    for slot in [i32::MAX, -1] {
        let (said, _) =
            run(&mut decoder, &layout, &[(ABS, 0x2f, slot), (ABS, 0x35, 1), (SYN, 0, 0)]);
        assert_eq!(said, [""; 0]);
    }
}

/// While nothing was heard one finger was replaced, one turned out to be a palm, one
/// stayed and one came.
#[test]
fn contacts_are_read_back_slot_by_slot() {
    let layout = glass().layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    let mut events = Vec::new();
    for (slot, id) in [(0, 5), (1, 6), (2, 7)] {
        events.extend([(ABS, 0x2f, slot), (ABS, 0x39, id), (ABS, 0x35, 10 + slot)]);
    }
    events.push((SYN, 0, 0));
    run(&mut decoder, &layout, &events);
    let slot = |id, x, is_palm| Slot { id, parts: vec![x, 0], is_palm };
    let slots = vec![
        slot(9, 50, false),
        slot(6, 11, true),
        slot(7, 12, false),
        slot(10, 60, false),
        slot(-1, 0, false),
    ];
    let state = State { axes: vec![(0x2f, 3)], slots, ..State::default() };
    let mut changes = Vec::new();
    decoder.resync(&state, Nanos(9), &mut changes);
    let cancelled = changes.iter().filter(|change| change.marks.contains(Marks::CANCELLED));
    assert_eq!(cancelled.count(), 1);
    let mut said: Vec<String> =
        said(&layout, &changes).into_iter().map(|text| text.replace('≈', "")).collect();
    assert_eq!(
        said.split_off(2),
        ["contact-1=1", "contact-1-x=50", "contact-4=1", "contact-4-x=60"]
    );
    assert_eq!(said, ["contact-1=0", "contact-2=0"]);
    // What follows is said of the slot that the kernel is at.
    let (after, _) = run(&mut decoder, &layout, &[(ABS, 0x35, 61), (SYN, 0, 0)]);
    assert_eq!(after, ["contact-4-x=61"]);
}
