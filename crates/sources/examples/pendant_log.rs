//! Writes `demo/pendant.hid.txt`: the reports of a crane pendant of Kestrel Quay, whose
//! maker says what the buttons and the paddle are and keeps the rest to himself.
//!
//! Report 3 has 8 bytes: its number, eight buttons, a paddle from -127 to 127, the
//! hoist lever of twelve bits with a counter of four, a byte that is always the same,
//! one that is noise, and one for a check sum.

use std::f64::consts::TAU;

#[rustfmt::skip]
const DESCRIPTOR: &[u8] = &[
    0x05, 0x01, 0x09, 0x04, 0xa1, 0x01, 0x85, 0x03, // joystick, report 3
    0x05, 0x09, 0x19, 0x01, 0x29, 0x08, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x95, 0x08, 0x81, 0x02,
    0x05, 0x01, 0x09, 0x30, 0x15, 0x81, 0x25, 0x7f, 0x75, 0x08, 0x95, 0x01, 0x81, 0x02,
    0x06, 0x00, 0xff, 0x09, 0x21, 0x15, 0x00, 0x26, 0xff, 0x00, 0x95, 0x05, 0x81, 0x02,
    0xc0,
];

fn main() {
    println!("# A crane pendant of Kestrel Quay: 4 s of reports, one every 8 ms.");
    println!("name Quay pendant");
    println!("id 0003:6b71:0031");
    println!("descriptor {}", hex(DESCRIPTOR));
    let mut chance: u32 = 0x2545_f491;
    for n in 0..500u32 {
        chance ^= chance << 13;
        chance ^= chance >> 17;
        chance ^= chance << 5;
        let seconds = f64::from(n) * 0.008;
        let paddle = (127.0 * (seconds * TAU / 2.0).sin()).round() as i8;
        // The hoist is pulled after a second, and let go of after three.
        let pull = ((seconds - 1.0) * 2.0).min((3.0 - seconds) * 2.0).clamp(0.0, 1.0);
        let hoist = (f64::from(0xfffu16) * pull).round() as u16;
        let horn = u8::from((1.5..1.7).contains(&seconds));
        let light = u8::from((2.0..2.08).contains(&seconds)) << 3;
        let [low, high] = hoist.to_le_bytes();
        let counter = (n % 16) as u8;
        let noise = 0x60 + (chance % 5) as u8;
        let mut report =
            [3, horn | light, paddle.cast_unsigned(), low, high | counter << 4, 0x2a, noise, 0];
        report[7] = report.iter().fold(0, |sum, byte| sum ^ byte);
        println!("{seconds:.3} {}", hex(&report));
    }
}

fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect::<Vec<_>>().join(" ")
}
