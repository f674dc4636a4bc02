//! A report descriptor and reports of its device: the length of the descriptor in two
//! bytes, the descriptor, and then reports, each with its length in a byte before it.

#![no_main]

use gtrig_analysis::{Capacity, Session};
use gtrig_core::{Nanos, PollRate, Rig, Tick};
use gtrig_sources::{HexLog, Source};
use libfuzzer_sys::fuzz_target;
use std::fmt::Write;

fuzz_target!(|data: &[u8]| {
    let Some((length, rest)) = data.split_first_chunk::<2>() else { return };
    let length = usize::from(u16::from_le_bytes(*length)).min(rest.len());
    let (descriptor, mut rest) = rest.split_at(length);
    let mut log = String::from("id 0003:6b71:0031\n");
    let mut line = |word: &str, bytes: &[u8]| {
        log.push_str(word);
        bytes.iter().for_each(|byte| write!(log, " {byte:02x}").unwrap());
        log.push('\n');
    };
    line("descriptor", descriptor);
    let mut n = 0;
    while let Some((length, more)) = rest.split_first() {
        let (report, more) = more.split_at(usize::from(*length).min(more.len()));
        if !report.is_empty() {
            line(&format!("0.{n:04}"), report);
        }
        n += 1;
        rest = more;
    }
    let Ok(mut log) = HexLog::parse(&log, &[]) else { return };
    let rig = Rig::bare("fuzz", PollRate::DEFAULT);
    let mut session = Session::new(rig, Tick(0), Capacity { events: 1 << 16, changes: 1 << 16 });
    log.drain(&mut session, Nanos(1_000_000_000));
    session.run_until(Tick(60));
});
