//! Four devices that report a thousand times a second, with the screen open, beside a
//! reader that does nothing else.

use anyhow::ensure;
use input_linux::{EvdevHandle, sys};
use std::{
    collections::BTreeMap,
    fs::{self, File},
    path::Path,
    process::{Command, Stdio},
    thread::{self, sleep},
    time::Duration,
};

use crate::{made::*, play::node_of};

const NAMES: [&str; 4] = ["proof fast a", "proof fast b", "proof fast c", "proof fast d"];
const SECONDS: i32 = 5;

/// What a plain reader had of one device.
#[derive(Default)]
struct Plain {
    values: usize,
    dropped: usize,
}

/// Reads a node until it goes, as plainly as one can.
fn read_plainly(node: &Path) -> Plain {
    let mut plain = Plain::default();
    let Ok(file) = File::open(node) else { return plain };
    let handle = EvdevHandle::new(file);
    let none = sys::input_event {
        time: sys::timeval { tv_sec: 0, tv_usec: 0 },
        type_: 0,
        code: 0,
        value: 0,
    };
    let mut events = [none; 64];
    while let Ok(count) = handle.read(&mut events) {
        for event in &events[..count] {
            plain.values += usize::from(event.type_ == ABS as u16);
            plain.dropped += usize::from(event.type_ == 0 && event.code == 3);
        }
    }
    plain
}

/// Sends, and compares what both have.
pub fn fast(folder: &Path) -> anyhow::Result<()> {
    let take = folder.join("fast.take.jsonl");
    let pads = NAMES.map(pad);
    let pads: Vec<Made> = pads.into_iter().collect::<Result<_, _>>()?;
    let nodes: Vec<String> = NAMES.iter().map(|name| node_of(name)).collect::<Result<_, _>>()?;
    let plain: Vec<_> = nodes
        .iter()
        .cloned()
        .map(|node| thread::spawn(move || read_plainly(node.as_ref())))
        .collect();
    let command = format!("stty cols 160 rows 47; exec gtrig live --record {}", take.display());
    let mut screen = Command::new("script")
        .args(["-q", "-c", &command, "/dev/null"])
        .stdout(Stdio::null())
        .spawn()?;
    let text = || fs::read_to_string(&take).unwrap_or_default();
    while !NAMES.iter().all(|name| text().contains(name)) {
        sleep(Duration::from_millis(100));
    }
    sleep(Duration::from_millis(500));
    // By the clock, so that a late packet is made up for.
    let begins = now();
    for n in 0..1000 * SECONDS {
        while now() < begins + n as u64 * 1_000_000 {
            sleep(Duration::from_micros(200));
        }
        for pad in &pads {
            pad.packet(&[(ABS, 0, n + 1)])?;
        }
    }
    let took = (now() - begins) / 1_000_000;
    sleep(Duration::from_millis(1_500));
    drop(pads);
    let plain: Vec<Plain> =
        plain.into_iter().map(|reader| reader.join().unwrap_or_default()).collect();
    sleep(Duration::from_millis(1_500));
    Command::new("killall").args(["-TERM", "gtrig"]).status()?;
    screen.wait()?;
    compare(&text(), &plain, took)
}

fn compare(text: &str, plain: &[Plain], took: u64) -> anyhow::Result<()> {
    let mut ids = BTreeMap::new();
    let mut recorded = BTreeMap::<String, usize>::new();
    for line in text.lines().skip(1) {
        let line: serde_json::Value = serde_json::from_str(line)?;
        if let (Some(id), Some(name)) = (line["plug"].as_str(), line["name"].as_str()) {
            ids.insert(id.to_owned(), name.to_owned());
        }
        let name = line["on"].as_str().and_then(|id| ids.get(id));
        if let Some(name) = name.filter(|_| line["c"] == "stick-l-x") {
            *recorded.entry(name.clone()).or_default() += 1;
        }
    }
    let of: Vec<usize> = NAMES.iter().map(|n| recorded.get(*n).copied().unwrap_or(0)).collect();
    let plainly: Vec<usize> = plain.iter().map(|plain| plain.values).collect();
    let dropped: usize = plain.iter().map(|plain| plain.dropped).sum();
    println!(
        "four devices at 1 kHz for {took} ms with the screen open: {of:?} values recorded, {plainly:?} read plainly ({dropped} overruns)"
    );
    ensure!(of.iter().zip(&plainly).all(|(of, plainly)| of >= plainly), "values are missing");
    Ok(())
}
