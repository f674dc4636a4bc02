//! Events in a table of another program: whatever it says, it is no take, or one that is read
//! without a fault and has as many events as the table had rows.

#![no_main]

use gtrig_analysis::Capacity;
use gtrig_core::{PollRate, Rig};
use gtrig_formats::{tables::take_of_events, take::TakeReader};
use libfuzzer_sys::fuzz_target;

const ROOM: Capacity = Capacity { events: 1 << 16, changes: 1 << 16 };

fuzz_target!(|bytes: &[u8]| {
    let mut take = Vec::new();
    let Ok(rows) = take_of_events("fuzz.csv", bytes, &mut take) else { return };
    let reader = TakeReader::open(&take[..]).expect("a take begins with its header");
    let (_, loaded) = reader.load(Rig::bare("fuzz", PollRate::DEFAULT), ROOM);
    assert!(loaded.is_sound(), "{loaded:?}");
    assert_eq!(loaded.events, rows);
});
