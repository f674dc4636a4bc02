//! A map of a device: what is sound comes back as it was written.

#![no_main]

use gtrig_formats::map;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    if let Ok(read) = map::parse("fuzz.toml", text) {
        let again = map::parse("fuzz.toml", &map::write(&read)).expect("what is written is sound");
        let names = |map: &gtrig_core::DeviceMap| {
            let mut names: Vec<String> = map.controls.iter().map(|c| c.code.clone()).collect();
            names.sort();
            names
        };
        assert_eq!(names(&read), names(&again));
    }
});
