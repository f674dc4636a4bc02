use super::*;
use gtrig_sources::Story;

fn recording() -> Recording {
    let rig = files::rig(None, None).unwrap();
    files::shipped_take(Story::LostTap, rig).unwrap().session.recording()
}

#[test]
fn a_save_goes_on_when_another_take_is_opened() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("kept.take.jsonl");
    let mut jobs = Jobs::default();
    jobs.save(path.clone(), Saving::All, recording(), None);
    jobs.save("/nowhere/at/all".into(), Saving::All, recording(), None);
    jobs.begin_document();
    let failures = jobs.finish();
    assert_eq!(failures.len(), 1);
    assert!(failures[0].starts_with("could not save /nowhere/at/all"), "{failures:?}");
    let rig = files::rig(None, None).unwrap();
    assert!(files::open_take(&path, rig, Capacity::DEFAULT).unwrap().loaded.is_sound());
}

#[test]
fn a_worker_does_one_thing_after_another_and_goes_on_after_a_panic() {
    let mut worker = Worker::new("test");
    let (said, heard) = channel();
    let by_whom = |said: &Sender<thread::ThreadId>| {
        let said = said.clone();
        move || said.send(thread::current().id()).unwrap()
    };
    worker.give(Box::new(by_whom(&said)));
    worker.give(Box::new(by_whom(&said)));
    let first = heard.recv().unwrap();
    assert_eq!(heard.recv(), Ok(first));
    assert_ne!(first, thread::current().id());
    worker.give(Box::new(|| panic::resume_unwind(Box::new("made by the test"))));
    worker.give(Box::new(by_whom(&said)));
    assert_eq!(heard.recv(), Ok(first));
}

/// A save of the take before is told; an audit of it would be shown as one of
/// the take that is shown now.
#[test]
fn what_was_asked_of_the_take_before_is_dropped_but_for_its_files() {
    let rig = files::rig(None, None).unwrap();
    let session = files::shipped_take(Story::LostTap, rig).unwrap().session;
    let mut jobs = Jobs::default();
    jobs.audit(&session, Vec::new());
    // Whatever was sent before it was sent in order.
    let audited = jobs.outcomes.recv().unwrap();
    jobs.sender.send(audited).unwrap();
    jobs.save("/nowhere/at/all".into(), Saving::All, session.recording(), None);
    let failed = jobs.outcomes.recv().unwrap();
    let second = jobs.outcomes.recv().unwrap();
    jobs.sender.send(failed).unwrap();
    jobs.sender.send(second).unwrap();
    jobs.begin_document();
    let (outcome, is_current) = jobs.next().unwrap();
    assert!(matches!(outcome, Outcome::Saved { result: Err(_), .. }) && !is_current);
    assert!(jobs.next().is_none());
}
