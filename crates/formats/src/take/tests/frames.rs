//! Frames of games.

use super::*;

const FRAME: &str = r#"{"t":50000000,"frame":7,"game":"quay","polled":[49000000,49500000],"steps":2,"read":{"pad1":{"south":[0,1],"stick-l-x":-20}},"gives":{"Horn":1.0,"swing":-0.25}}"#;

#[test]
fn a_frame_is_kept_and_written_again() {
    let text = take_of(&[FRAME, r#"{"t":60000000,"frame":8,"read":{},"gives":{"swing":0}}"#]);
    let (session, loaded) = load(&text);
    assert!(loaded.is_sound(), "{loaded:?}");
    let frames = session.frames();
    let games: Vec<&str> = frames.games().iter().map(CleanText::as_str).collect();
    assert_eq!((games, frames.len()), (vec!["quay", "game"], 2));
    let first = frames.iter().next().unwrap();
    assert_eq!((first.number, first.steps), (7, Some(2)));
    assert_eq!(first.polled, [Nanos(49_000_000), Nanos(49_500_000)]);
    assert_eq!(
        first.reads.iter().map(|read| read.values).collect::<Vec<_>>(),
        [[0, 1], [-20, -20]]
    );
    let once = written(&session);
    assert!(once.contains(FRAME), "{once}");
    assert_eq!(written(&load(&once).0), once);
}

/// A recorder writes a frame when it is said, which may be after what came later.
#[test]
fn a_frame_may_stand_late_and_moves_nothing() {
    let press = r#"{"t":90000000,"on":"pad1","c":"south","v":1}"#;
    let (late, loaded) = load(&take_of(&[press, FRAME]));
    assert!(loaded.is_sound(), "{loaded:?}");
    let (in_order, _) = load(&take_of(&[FRAME, press]));
    assert_eq!(written(&late), written(&in_order));
    assert_eq!(reported(&late), reported(&load(&take_of(&[press])).0));
}

#[rstest]
#[case::polls_after_its_values(r#"{"t":5,"frame":1,"polled":6}"#, "`polled` is when")]
#[case::polls_back(r#"{"t":9,"frame":1,"polled":[6,5]}"#, "`polled` is when")]
#[case::three_polls(r#"{"t":9,"frame":1,"polled":[4,5,6]}"#, "")]
#[case::no_device(r#"{"t":9,"frame":1,"read":{"pad2":{"south":1}}}"#, "never plugged in")]
#[case::no_control(r#"{"t":9,"frame":1,"read":{"pad1":{"sout":1}}}"#, "did you mean \"south\"?")]
#[case::no_number(r#"{"t":9,"frame":1,"gives":{"Horn":"on"}}"#, "")]
#[case::infinite(r#"{"t":9,"frame":1,"gives":{"Horn":1e999}}"#, "")]
#[case::a_value_too(r#"{"t":9,"frame":1,"on":"pad1","c":"south","v":1}"#, "not exactly one of")]
#[case::too_many_steps(r#"{"t":9,"frame":1,"steps":70000}"#, "")]
fn a_frame_that_is_none_is_damage(#[case] line: &str, #[case] says: &str) {
    let (_, loaded) = load(&take_of(&[line]));
    let damage = loaded.damage.unwrap();
    assert_eq!(damage.line, 3);
    assert!(damage.to_string().contains(says), "{damage}");
}

#[test]
fn a_motion_has_no_state_to_be_read() {
    let mouse =
        r#"{"t":0,"plug":"mouse","kind":"mouse","controls":[{"code":"x","kind":"relative"}]}"#;
    let (_, loaded) = load(&take_of(&[mouse, r#"{"t":9,"frame":1,"read":{"mouse":{"x":1}}}"#]));
    assert!(loaded.damage.unwrap().to_string().contains("has no state"));
}

#[test]
fn a_take_has_room_for_so_many_games() {
    let frames: Vec<String> =
        (0..65).map(|n| format!(r#"{{"t":{n},"frame":1,"game":"g{n}"}}"#)).collect();
    let lines: Vec<&str> = frames.iter().map(String::as_str).collect();
    let (session, loaded) = load(&take_of(&lines));
    assert_eq!(session.frames().len(), 64);
    assert!(loaded.damage.unwrap().to_string().contains("64 games"));
}

proptest! {
    /// Whatever games say, a take that is read and written again is the same to the byte,
    /// and says the same.
    #[test]
    fn frames_come_through_a_take(
        frames in prop::collection::vec(
            (0u64..40_000_000, 0u64..3, any::<bool>(), 0i32..2, -100i32..100, 0u8..3, 0u8..2),
            1..60,
        ),
    ) {
        let (mut t, mut number) = (1_000_000, 1);
        let mut lines = Vec::new();
        for (after, more, says_all, south, stick, horn, game) in frames {
            (t, number) = (t + after, number + more);
            let stick = if says_all { format!(r#","stick-l-x":{stick}"#) } else { String::new() };
            let swing = if says_all { r#","swing":0.5"# } else { "" };
            lines.push(format!(
                r#"{{"t":{t},"frame":{number},"game":"g{game}","read":{{"pad1":{{"south":{south}{stick}}}}},"gives":{{"Horn":{horn}{swing}}}}}"#
            ));
        }
        let lines: Vec<&str> = lines.iter().map(String::as_str).collect();
        let (session, loaded) = load(&take_of(&lines));
        prop_assert!(loaded.is_sound());
        let once = written(&session);
        let (again, _) = load(&once);
        prop_assert_eq!(&written(&again), &once);
        let states = |session: &Session| {
            let mut states = Vec::new();
            for game in 0..session.frames().games().len() as u16 {
                session.frames().walk(gtrig_analysis::frames::GameId(game), |frame, state| {
                    states.push((frame.acted, frame.polled, state.clone()));
                });
            }
            states
        };
        // Names may be numbered otherwise; how things stood is the same.
        let named = |session: &Session| {
            let names = session.frames().names().to_vec();
            let of = |(acted, polled, state): (Nanos, [Nanos; 2], gtrig_analysis::frames::GameState)| {
                let mut gives: Vec<(String, f64)> = state.gives.iter()
                    .map(|(name, value)| (names[usize::from(name.0)].to_string(), *value)).collect();
                gives.sort_by(|one, other| one.0.cmp(&other.0));
                (acted, polled, state.number, state.reads, gives)
            };
            states(session).into_iter().map(of).collect::<Vec<_>>()
        };
        prop_assert_eq!(named(&again), named(&session));
    }
}
