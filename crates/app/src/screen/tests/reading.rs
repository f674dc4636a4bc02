//! A take that is shown while it is read.

use super::*;
use crate::files::{Begun, Take};

const TAKE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/worn-stick.take.jsonl");

fn begun(path: &Path, piece: u32) -> Box<Begun> {
    let rig = files::rig(None, None).unwrap();
    match files::begin_take(path, rig, Capacity::DEFAULT, piece).unwrap() {
        Take::Begun(begun) => begun,
        Take::Whole(_) => panic!("all of it was read at once"),
    }
}

/// Its beginning is there at once and can be worked with; when all is read it is what it
/// would have been if it had been read first.
#[test]
fn a_long_take_is_shown_while_it_is_read() {
    let app = App::begun(*begun(Path::new(TAKE), 100), Theme::new(true));
    let mut bench = Bench::new(app, Nanos(0), (160, 47));
    assert!(bench.row(" TAKE ").contains("% of the take read"), "{}", bench.row(" TAKE "));
    assert!(bench.shows("The worn stick"));
    let first = bench.app.last();
    bench.pass(1);
    assert!(bench.app.last() > first && bench.app.is_reading());
    bench.keys("s");
    assert!(bench.shows("the take is still being read"));
    // A number is nudged in the middle of it.
    let before = bench.app.session().rig().clone();
    bench.keys("5>");
    let mut passes = 0;
    while bench.app.is_reading() {
        bench.pass(1);
        passes += 1;
        assert!(passes < 100, "it must end");
    }
    assert!(!bench.row(" TAKE ").contains("% of the take read"));
    wait_until(&mut bench, |bench| *bench.app.session().rig() != before);
    let rig = bench.app.session().rig().clone();
    let whole = files::open_take(Path::new(TAKE), rig, Capacity::DEFAULT).unwrap();
    let session = bench.app.session();
    assert_eq!(session.seen_count(), whole.session.seen_count());
    assert_eq!(session.ends_at(), whole.session.ends_at());
    assert!(session.recording().events().eq(whole.session.recording().events()));
    assert_eq!(bench.app.document.streams.troubles(), whole.streams.troubles());
    let changes = |session: &Session| {
        let mut changes = Vec::new();
        session.replay(|machine| changes.push((machine.at(), machine.changed().to_vec())));
        changes
    };
    assert_eq!(changes(session), changes(&whole.session));
}

/// What somebody wrote about the part that was read is there, and it opens on it.
#[test]
fn a_long_take_opens_on_its_first_label() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("t.take.jsonl");
    let text = std::fs::read_to_string(TAKE).unwrap();
    let (head, rest) = text.split_once('\n').unwrap();
    let label = r#"{"t":100000000,"label":"here it rests"}"#;
    std::fs::write(&path, format!("{head}\n{label}\n{rest}")).unwrap();
    let app = App::begun(*begun(&path, 100), Theme::new(true));
    let bench = Bench::new(app, Nanos(0), (160, 47));
    assert!(bench.app.is_reading() && bench.shows("here it rests"));
    let rate = bench.app.session().plan().rate();
    assert_eq!(bench.app.tick(), rate.tick_seeing(Nanos::from_millis(100)));
}

/// What is damaged further down is told when reading comes there.
#[test]
fn damage_is_told_when_it_is_read() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("t.take.jsonl");
    let mut text = std::fs::read_to_string(TAKE).unwrap();
    let cut = text.len() / 2;
    text.truncate(cut);
    std::fs::write(&path, text).unwrap();
    let app = App::begun(*begun(&path, 100), Theme::new(true));
    let mut bench = Bench::new(app, Nanos(0), (160, 47));
    assert!(!bench.shows("before it were read"));
    for _ in 0..60 {
        bench.pass(1);
    }
    assert!(!bench.app.is_reading());
    assert!(bench.shows("before it were read"), "{}", bench.rows().join("\n"));
}

/// A short one is read first, and so is what no file holds.
#[test]
fn a_short_take_is_read_first() {
    let rig = || files::rig(None, None).unwrap();
    let begin = |piece| files::begin_take(Path::new(TAKE), rig(), Capacity::DEFAULT, piece);
    assert!(matches!(begin(1_000).unwrap(), Take::Whole(_)));
    let Take::Whole(opened) = begin(files::PIECE).unwrap() else { panic!("it has 7604 lines") };
    assert!(opened.loaded.is_sound());
}

/// Another take that is opened meanwhile takes its place, and a file that is cut while it is
/// read ends where it was cut.
#[test]
fn another_take_is_opened_while_one_is_read() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("t.take.jsonl");
    std::fs::copy(TAKE, &path).unwrap();
    let mut bench =
        Bench::new(App::begun(*begun(&path, 100), Theme::new(true)), Nanos(0), (160, 47));
    std::fs::File::options().write(true).open(&path).unwrap().set_len(200_000).unwrap();
    for _ in 0..100 {
        bench.pass(1);
    }
    assert!(!bench.app.is_reading() && bench.app.session().seen_count() > 1_000);
    let other = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/lost-tap.take.jsonl");
    let app = App::begun(*begun(Path::new(TAKE), 10), Theme::new(true));
    let mut bench = Bench::new(app, Nanos(0), (160, 47));
    bench.keys("o");
    bench.keys(other);
    bench.key(KeyCode::Enter);
    wait_until(&mut bench, |bench| bench.shows("The horn that did not sound"));
    assert!(!bench.app.is_reading());
    assert!(bench.row("lost 3").contains(" TAKE "));
}
