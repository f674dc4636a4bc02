//! A log of HID reports, as text.

#![no_main]

use gtrig_sources::HexLog;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    let _ = HexLog::parse(text, &[]);
});
