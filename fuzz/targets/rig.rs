//! A rig.

#![no_main]

use gtrig_analysis::lint::lint;
use gtrig_core::{Plan, Roster};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    if let Ok(rig) = gtrig_formats::rig::parse("fuzz.toml", text) {
        let _ = Plan::bind(&rig, &Roster::default());
        let _ = lint(&rig);
    }
});
