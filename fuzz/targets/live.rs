//! Lines of a running program: however they are cut, they say the same, with a space as without
//! one, and nothing that is said breaks a session.

#![no_main]

use gtrig_analysis::{Capacity, Session};
use gtrig_core::{Event, Marks, Nanos, PollRate, Presence, Rig, Tick};
use gtrig_formats::live::{Greeting, LineSplitter, LiveDecoder, Piece, Said};
use libfuzzer_sys::fuzz_target;
use std::collections::HashMap;

const ROOM: Capacity = Capacity { events: 1 << 12, changes: 1 << 12 };

/// What each line says, but for why it is none.
fn said_with_a_space(bytes: &[u8]) -> Vec<Option<(Option<Nanos>, Said)>> {
    let (mut splitter, mut decoder) = (LineSplitter::default(), None);
    let mut all = Vec::new();
    splitter.feed(bytes, |piece| {
        let Piece::Line(line) = piece else { return };
        let Some(decoder) = &mut decoder else {
            decoder = Greeting::read(line, "take").ok().map(|_| LiveDecoder::default());
            return;
        };
        let spaced = line.strip_prefix(b"{").map(|rest| [b"{ ", rest].concat());
        all.push(decoder.line(spaced.as_deref().unwrap_or(line)).ok());
    });
    all
}

/// What the lines say, in so many bytes at a time.
fn said(bytes: &[u8], at_a_time: usize) -> Vec<Result<(Option<Nanos>, Said), String>> {
    let (mut splitter, mut decoder) = (LineSplitter::default(), None);
    let mut all = Vec::new();
    for chunk in bytes.chunks(at_a_time) {
        splitter.feed(chunk, |piece| {
            let Piece::Line(line) = piece else { return };
            match &mut decoder {
                None => decoder = Greeting::read(line, "take").ok().map(|_| LiveDecoder::default()),
                Some(decoder) => all.push(decoder.line(line).map_err(|fault| fault.to_string())),
            }
        });
    }
    all
}

fuzz_target!(|bytes: &[u8]| {
    let all = said(bytes, 4096);
    assert_eq!(all, said(bytes, 7));
    // A line with a space is left to the parser of JSON, which must say the same.
    let spaced = said_with_a_space(bytes);
    assert!(all.iter().map(|said| said.as_ref().ok()).eq(spaced.iter().map(Option::as_ref)));
    let mut session = Session::new(Rig::bare("fuzz", PollRate::DEFAULT), Tick(0), ROOM);
    let mut devices = HashMap::new();
    for (at, (_, said)) in all.into_iter().flatten().enumerate() {
        let time = Nanos(at as u64 * 1_000_000);
        match said {
            Said::Arrived(number, info) => {
                if let Ok(device) = session.plug(info, time) {
                    devices.insert(number, device);
                }
            }
            Said::Value { device, control, value, marks } => {
                let Some(device) = devices.get(&device) else { continue };
                let mut controls = session.roster().device(*device).controls();
                let Some(control) = controls.nth(control.into()) else { continue };
                let marks = marks | Marks::empty();
                session.report(Event { time, value, control, marks });
            }
            Said::Presence(number, Presence::Gone) => {
                if let Some(device) = devices.remove(&number) {
                    session.unplug(device, time);
                }
            }
            Said::Presence(number, presence) => {
                if let Some(device) = devices.get(&number) {
                    session.set_presence(*device, presence, time);
                }
            }
            Said::Frame(frame) => {
                assert!(frame.polled.is_none_or(|[first, last]| first <= last));
            }
            Said::Label(_) | Said::Answer(_) | Said::End => {}
        }
        session.run_before(time);
    }
});
