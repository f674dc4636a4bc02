//! Presses a button ten times; or, with "flood", says more than anybody reads.

#[path = "gtrig_sender.rs"]
mod gtrig_sender;

use gtrig_sender::{Kind, Sender};
use std::{env::args, thread, time::Duration};

const CONTROLS: [(&str, Kind); 3] = [
    ("south", Kind::Button),
    ("stick-l-x", Kind::Axis(-100, 0, 100)),
    ("trigger-r", Kind::Trigger(0, 255)),
];

fn main() {
    let mut sender = Sender::open("crane-rs", args().nth(1).unwrap());
    let pad = sender.plug("pad1", "pad", &CONTROLS);
    if args().nth(2).is_some() {
        for i in 0..200_000 {
            sender.value(pad, 1, i % 100);
            if i % 10 == 0 {
                sender.frame();
            }
        }
        println!("all said");
        for _ in 0..400 {
            sender.frame();
            thread::sleep(Duration::from_millis(5));
        }
    } else {
        for i in 0..20 {
            sender.value(pad, 0, i32::from(i % 2 == 0));
            sender.value(pad, 1, i);
            sender.value(pad, 2, i);
            for _ in 0..10 {
                sender.frame();
                thread::sleep(Duration::from_millis(5));
            }
        }
    }
    println!("{} lost", sender.lost);
}
