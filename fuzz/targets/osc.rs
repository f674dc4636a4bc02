//! Packets of Open Sound Control: whatever arrives is read to an end, patterns match what the
//! simplest reading of their rules says, and fingers are never more than there is room for.

#![no_main]

use gtrig_formats::osc::{
    CURSORS, CursorReader, FINGERS, MAX_DEPTH, PacketFault, Pattern, is_address, number, read_packet,
};
use libfuzzer_sys::fuzz_target;

const ADDRESSES: [&str; 4] = ["/a", "/crane/slew", "/crane/slew/fine", "/b-1/~!"];

fuzz_target!(|bytes: &[u8]| {
    let packet = match read_packet(bytes) {
        Ok(packet) => packet,
        Err(fault) => {
            // Every bundle takes 20 bytes of the one that it is in.
            let is_deep = bytes.len() > 16 * (MAX_DEPTH + 1);
            assert!(fault != PacketFault::TooDeep || is_deep);
            return;
        }
    };
    let mut fingers = CursorReader::default();
    let mut touches = [0; FINGERS];
    for message in &packet.messages {
        let says = &message.says;
        if let Some(pattern) = Pattern::new(&says.addr) {
            assert!(!is_address(&says.addr), "an address is no pattern");
            ADDRESSES.iter().filter(|address| pattern.matches(address)).for_each(drop);
        }
        says.args.iter().filter_map(number).for_each(drop);
        // Whatever its address is: it is heard as one about fingers.
        let mut of_fingers = says.clone();
        CURSORS.clone_into(&mut of_fingers.addr);
        let Ok(Some(frame)) = fingers.hear(&of_fingers) else { continue };
        for (control, value) in frame.changes {
            match control % 3 {
                0 => {
                    let touch = &mut touches[usize::from(control / 3)];
                    assert_ne!(*touch, value, "a finger lands once, and goes once");
                    *touch = value;
                }
                _ => assert!((0..=1_000_000).contains(&value)),
            }
        }
    }
});
