//! What the kernel could not say: packets that were cut, and losses.

use super::*;

/// A packet that is too long for the kernel is cut, and its first part is closed as
/// what the kernel makes up is.
#[test]
fn a_packet_that_was_cut_is_whole_again() {
    let layout = pad().layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    let cut = [(ABS, 0, 500), (KEY, SOUTH, 1), (SYN, 0, 1), (ABS, 2, 9), (SYN, 0, 0)];
    let (said, _) = run(&mut decoder, &layout, &cut);
    assert_eq!(said, ["stick-l-x=500", "south=1", "trigger-l=9"]);
}

/// A pad of so many buttons, all of which are down.
fn held(count: u16) -> (Layout, Decoder) {
    let keys = (0x2c0..0x2c0 + count).collect();
    let layout = Abilities { keys, ..Abilities::default() }.layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    let mut press: Vec<_> = (0..count).map(|n| (KEY, 0x2c0 + n, 1)).collect();
    press.push((SYN, 0, 0));
    run(&mut decoder, &layout, &press);
    (layout, decoder)
}

/// Releases of all that is held, closed as what the kernel makes up is: fewer than a
/// packet that was cut has are nobody's; of more it is not known until the device
/// says more, or is still there after a while.
#[rstest]
#[case::too_few_to_be_cut(7, 7, false, None)]
#[case::enough_to_be_cut(8, 8, false, Some(8))]
#[case::with_what_a_driver_says(4, 4, true, None)]
#[case::not_all_that_is_held(9, 8, false, None)]
fn releases_are_a_hand_s_or_nobody_s(
    #[case] down: u16,
    #[case] released: u16,
    #[case] with_scan_codes: bool,
    #[case] waiting: Option<usize>,
) {
    let release = || {
        let mut events = Vec::new();
        for n in 0..released {
            if with_scan_codes {
                events.push((4, 4, i32::from(n)));
            }
            events.push((KEY, 0x2c0 + n, 0));
        }
        events.push((SYN, 0, 1));
        events
    };
    let (layout, mut decoder) = held(down);
    let (said_at_once, _) = run(&mut decoder, &layout, &release());
    assert_eq!(decoder.holds_back(), waiting.is_some());
    let is_told = with_scan_codes || released < down;
    assert_eq!(said_at_once.len(), if is_told { usize::from(released) } else { 0 });
    let mut later = Vec::new();
    decoder.let_go(&mut later);
    assert_eq!(later.len(), waiting.unwrap_or(0));
    // Whatever it says next tells that it was there.
    let (layout, mut decoder) = held(down);
    run(&mut decoder, &layout, &release());
    let (said_next, _) = run(&mut decoder, &layout, &[(SYN, 0, 0)]);
    assert_eq!(said_next.len(), waiting.unwrap_or(0));
}

/// What no event told: only that is another state than is known.
#[test]
fn a_state_that_no_event_told_is_noticed() {
    let layout = pad().layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    let state = |down: &[u16], x| State {
        down: down.to_vec(),
        axes: vec![(0, x), (2, 0), (0x10, 0)],
        ..State::default()
    };
    let mut changes = Vec::new();
    decoder.begin(&state(&[], 0), Nanos(0), &mut changes);
    assert!(!decoder.differs(&state(&[], 0)));
    assert!(decoder.differs(&state(&[SOUTH], 0)));
    assert!(decoder.differs(&state(&[], 40)));
    run(&mut decoder, &layout, &[(KEY, SOUTH, 1), (ABS, 0, 40), (SYN, 0, 0)]);
    assert!(!decoder.differs(&state(&[SOUTH], 40)));
    // A key that the layout does not have is nobody's.
    assert!(!decoder.differs(&state(&[SOUTH, 0x1ff], 40)));
}

#[test]
fn after_a_loss_the_state_is_asked_for_and_what_differs_is_marked() {
    let layout = pad().layout().unwrap();
    let mut decoder = Decoder::new(layout.clone());
    let events = [(KEY, SOUTH, 1), (SYN, 0, 0), (SYN, 3, 0), (ABS, 0, 42), (SYN, 0, 0)];
    let (before, next) = run(&mut decoder, &layout, &events);
    assert_eq!((before, next), (vec!["south=1".to_owned()], Next::AskForState));
    let state = State { axes: vec![(0, 42), (2, 9), (0x10, 1)], ..State::default() };
    let mut changes = Vec::new();
    decoder.resync(&state, Nanos(9), &mut changes);
    assert_eq!(
        said(&layout, &changes),
        ["south=0≈", "stick-l-x=42≈", "trigger-l=9≈", "dpad-right=1≈"]
    );
    // And when it goes after that, its releases are still nobody's.
    let events = [(KEY, SOUTH, 1), (SYN, 0, 0), (KEY, SOUTH, 0), (SYN, 0, 1)];
    assert_eq!(run(&mut decoder, &layout, &events).0, ["south=1"]);
}
