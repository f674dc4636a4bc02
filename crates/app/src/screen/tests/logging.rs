//! The log bench.

use super::*;

/// As many lines as `gtrig tail` prints; Tab goes from one to the next of another tick, a
/// click to that which is under it, and the words that are typed choose some.
#[test]
fn the_log_says_what_happened_and_goes_from_line_to_line() {
    let mut bench = Bench::story(Story::Hasty);
    bench.keys("T");
    let mut count = 0;
    let session = bench.app.session();
    session.replay(|machine| log::of_tick(session, machine, |_| count += 1));
    while !bench.app.logbook.is_up_to_date(bench.app.session()) {
        bench.pass(33);
    }
    assert!(count > 100 && bench.app.logbook.len() == count, "{count}");
    bench.key(KeyCode::Home);
    let first = bench.app.tick();
    for _ in 0..20 {
        let before = bench.app.tick();
        bench.key(KeyCode::Tab);
        assert!(bench.app.tick() >= before);
    }
    assert!(bench.app.tick() > first);
    let here = bench.rows().iter().position(|row| row.starts_with(" ▸")).unwrap();
    let (clicked, before) = (here as u16 - 1, bench.app.tick());
    bench.mouse(MouseEventKind::Down(MouseButton::Left), 20, clicked);
    assert!(bench.app.tick() <= before);
    assert!(bench.rows().iter().any(|row| row.starts_with(" ▸")));
    bench.keys("/combo fired");
    bench.key(KeyCode::Enter);
    let shown = (0..bench.app.logbook.len()).map(|at| bench.app.logbook.entry(at).unwrap());
    let shown: Vec<_> = shown.collect();
    assert!((1..20).contains(&shown.len()), "{}", shown.len());
    assert!(shown.iter().all(|entry| matches!(entry.what, log::Happening::Combo(_))));
    bench.key(KeyCode::Esc);
    assert_eq!(bench.app.logbook.len(), count);
}

/// A line is shown when each of the words stands in it, wherever.
#[rstest]
#[case::kind("REPORT")]
#[case::device("report PAD2/")]
#[case::value("-l-x 1")]
#[case::what_came_of_it("south press")]
#[case::name_and_state("by on")]
#[case::the_same_twice("on on")]
#[case::not_one("report press")]
fn the_log_is_filtered_by_the_words_of_its_lines(#[case] words: &str) {
    let bench = Bench::story(Story::Hasty);
    let (session, filter) = (bench.app.session(), LogFilter::new(words));
    let (mut sieve, mut passed, mut count) = (filter.of(session), 0, 0);
    session.replay(|machine| {
        log::of_tick(session, machine, |entry| {
            let LogLine { kind, of, says, .. } = LogLine::new(session, &entry);
            let line = format!("{kind} {of} {says}").to_lowercase();
            let has_all = words.to_lowercase().split(' ').all(|word| line.contains(word));
            assert_eq!(sieve.passes(&entry), has_all, "{line}");
            passed += usize::from(has_all);
            count += 1;
        });
    });
    assert!(passed < count && (passed > 0) == (words != "report press"), "{passed} of {count}");
}
