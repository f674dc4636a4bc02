//! The sender to paste into a program in Rust asks for no memory once devices are plugged.

#[path = "../../../senders/gtrig_sender.rs"]
mod gtrig_sender;

use gtrig_sender::{Kind, Sender};
use std::{io::Read, os::unix::net::UnixListener, thread};

const CONTROLS: [(&str, Kind); 3] = [
    ("south", Kind::Button),
    ("stick-l-x", Kind::Axis(-100, 0, 100)),
    ("trigger-r", Kind::Trigger(0, 255)),
];

/// Neither while somebody reads nor when nobody does any more.
#[test]
fn it_allocates_nothing_for_an_event() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("s");
    let listener = UnixListener::bind(&path).unwrap();
    let mut sender = Sender::open("crane-rs", &path);
    let pad = sender.plug("pad1", "pad", &CONTROLS);
    let (mut stream, _) = listener.accept().unwrap();
    let reading = thread::spawn(move || {
        let mut bytes = vec![0; 1 << 16];
        stream.read_exact(&mut bytes).unwrap();
        stream
    });
    let mut value = 0;
    let mut send = |sender: &mut Sender| {
        value = (value + 1) % 100;
        sender.value(pad, 1, value);
        sender.frame();
    };
    // The first frame may still connect.
    send(&mut sender);
    let info = allocation_counter::measure(|| (0..60_000).for_each(|_| send(&mut sender)));
    assert_eq!(info.count_total, 0);
    assert!(sender.lost > 0, "nobody read the rest");
    drop(reading.join().unwrap());
}
