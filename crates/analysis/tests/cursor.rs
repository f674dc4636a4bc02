//! A cursor shows what a replay shows, however often it is asked.

mod common;

use common::*;
use gtrig_analysis::*;
use gtrig_core::*;
use rstest::rstest;

/// Every value of a control that a cursor passes, with its tick.
fn follow(desk: &Desk, cursor: &mut Cursor, all: &mut Vec<(u32, f32)>) {
    let control = desk.control("pad1/south");
    cursor.catch_up(&desk.session, |machine| {
        if machine.touched().contains(&control) {
            all.push((machine.at().0, machine.control(control).value));
        }
    });
}

#[rstest]
#[case::after_every_tick(1)]
#[case::now_and_then(77)]
#[case::at_the_end(100_000)]
fn it_shows_what_a_replay_shows(#[case] every: u32) {
    let mut desk = Desk::new(rig(vec![action("horn", Gives::On, vec![button("pad/south")])]));
    let mut cursor = Cursor::at_beginning(&desk.session);
    let mut followed = Vec::new();
    let rate = desk.session.plan().rate();
    for tick in 1..5_000u32 {
        let time = rate.time_of(Tick(tick));
        if tick == 2_000 {
            desk.session.plug(pad("c"), time).unwrap();
        }
        desk.set(time.as_millis(), "pad1/south", i32::from(tick % 3 == 0));
        desk.run_to(tick);
        if tick.is_multiple_of(every) {
            follow(&desk, &mut cursor, &mut followed);
        }
    }
    follow(&desk, &mut cursor, &mut followed);
    let mut replayed = Vec::new();
    follow(&desk, &mut Cursor::at_beginning(&desk.session), &mut replayed);
    assert!(replayed.len() > 3_000);
    assert_eq!(followed, replayed);
    assert_eq!(cursor.next_tick(), desk.session.now().next_tick());
}

#[test]
fn what_the_session_forgot_is_passed_over_and_counted() {
    let capacity = Capacity { events: 1_000, changes: usize::MAX };
    let mut desk = Desk::with_capacity(rig(Vec::new()), capacity);
    let mut cursor = Cursor::at_beginning(&desk.session);
    for at in 1..30_000u32 {
        desk.set(f64::from(at), "pad1/south", (at % 2) as i32);
        desk.session.run_before(Nanos::from_millis(at.into()));
    }
    let begins = desk.session.history().begins();
    let mut first = None;
    let forgotten = cursor.catch_up(&desk.session, |machine| _ = first.get_or_insert(machine.at()));
    assert_eq!((forgotten, first), (begins.0, Some(begins)));
    assert!(begins > Tick(0));
}
