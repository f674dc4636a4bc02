//! A take: whatever can be read is written, and read again as it was.

#![no_main]

use gtrig_analysis::{Capacity, Session};
use gtrig_core::{PollRate, Rig};
use gtrig_formats::take::{self, TakeReader};
use libfuzzer_sys::fuzz_target;

const ROOM: Capacity = Capacity { events: 1 << 16, changes: 1 << 16 };

fn read(bytes: &[u8]) -> Option<Session> {
    let rig = Rig::bare("fuzz", PollRate::DEFAULT);
    Some(TakeReader::open(bytes).ok()?.load(rig, ROOM).0)
}

fuzz_target!(|bytes: &[u8]| {
    let Some(session) = read(bytes) else { return };
    let written = |session: &Session| {
        let mut out = Vec::new();
        take::write(&session.recording(), None, &mut out).expect("memory takes it");
        out
    };
    let first = written(&session);
    let again = read(&first).expect("what is written can be read");
    assert_eq!(String::from_utf8(first), String::from_utf8(written(&again)));
});
