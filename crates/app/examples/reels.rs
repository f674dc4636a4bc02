//! A reel that fits in no memory: how fast it is made, and how soon any instant of it is
//! there. `scripts/reels` runs it.

#[path = "../tests/common/pty.rs"]
mod pty;

use anyhow::{Context, ensure};
use gtrig::{files, reels::ReelPart};
use gtrig_core::Nanos;
use gtrig_formats::reel::Reel;
use pty::Pty;
use std::{
    env,
    fmt::Write as _,
    fs,
    io::Write,
    path::Path,
    process::{ChildStdin, Command, Stdio},
    sync::mpsc::channel,
    time::{Duration, Instant},
};

const PATIENCE: Duration = Duration::from_secs(60);

const HOUR_MS: u64 = 3_600_000;

/// So many instants are looked at by the program, and by what reads a part.
const FRAMES: u64 = 10;
const PARTS: u64 = 100;

fn main() -> anyhow::Result<()> {
    let usage = "usage: reels PROGRAM HOURS FOLDER";
    let mut arguments = env::args().skip(1);
    let program = arguments.next().context(usage)?;
    let hours: u64 = arguments.next().context(usage)?.parse()?;
    let folder = arguments.next().context(usage)?;
    let path = Path::new(&folder).join("days.reel");
    if !path.exists() {
        make(&program, &path, hours)?;
    }
    let reel = Reel::open(&path)?;
    let bytes: u64 = reel.segments().iter().map(|segment| segment.bytes).sum();
    println!("{} segments, {} MiB", reel.segments().len(), bytes >> 20);
    let instants = |count: u64| {
        // Anywhere, but the same in every run.
        (0..count).map(move |n| {
            Nanos((n * 7919 + 13) % count * (hours * HOUR_MS / count) * 1_000_000 + 777_000_000)
        })
    };
    let mut frames = Vec::new();
    let mut memory = 0;
    for at in instants(FRAMES) {
        let (took, kib) = first_frame(&program, &path, at)?;
        frames.push(took);
        memory = memory.max(kib);
    }
    println!(
        "first frame of gtrig open --at: {}; at most {} MiB",
        middle(&mut frames),
        memory >> 10
    );
    let rig = files::rig(None, None)?;
    let whole = ReelPart::of(&path, Nanos(0))?;
    let mut parts = Vec::new();
    for at in instants(PARTS) {
        let began = Instant::now();
        let begun = whole.around(at).open(rig.clone(), at)?;
        parts.push(began.elapsed());
        let seen = begun.session.plan().rate().time_of(begun.session.now().at());
        ensure!(seen >= at || begun.session.seen_count() == 0, "{at} was not reached: {seen}");
    }
    println!("an instant of the reel, another part read: {}", middle(&mut parts));
    Ok(())
}

/// The median and the longest of some times.
fn middle(times: &mut [Duration]) -> String {
    times.sort();
    let ms = |time: Duration| time.as_secs_f64() * 1000.0;
    let count = times.len();
    format!(
        "median {:.0} ms, longest {:.0} ms of {count}",
        ms(times[count / 2]),
        ms(times[count - 1])
    )
}

/// Four pads that each report a stick a thousand times a second, and a button now and then.
fn make(program: &str, path: &Path, hours: u64) -> anyhow::Result<()> {
    let mut convert =
        Command::new(program).args(["convert", "-"]).arg(path).stdin(Stdio::piped()).spawn()?;
    let began = Instant::now();
    let bytes = write_lines(convert.stdin.take().context("no input")?, hours)?;
    ensure!(convert.wait()?.success(), "gtrig convert failed");
    let took = began.elapsed().as_secs_f64();
    let values = hours * HOUR_MS * 4;
    println!(
        "{values} values, {} MiB of lines, made and converted in {took:.1} s: {:.1} MB/s, {:.2} million values/s",
        bytes >> 20,
        bytes as f64 / 1e6 / took,
        values as f64 / 1e6 / took,
    );
    Ok(())
}

fn write_lines(mut to: ChildStdin, hours: u64) -> anyhow::Result<u64> {
    let mut text = "{\"take\":1,\"title\":\"days at the crane\"}\n".to_owned();
    let pads = ["pad1", "pad2", "pad3", "pad4"];
    for pad in pads {
        writeln!(
            text,
            "{{\"t\":0,\"plug\":\"{pad}\",\"kind\":\"pad\",\"controls\":[{{\"code\":\"south\",\"kind\":\"button\"}},{{\"code\":\"stick-l-x\",\"kind\":\"axis\",\"min\":-32768,\"centre\":0,\"max\":32767}}]}}"
        )?;
    }
    let mut bytes = 0;
    for ms in 1..=hours * HOUR_MS {
        for (pad, n) in pads.iter().zip(0u64..) {
            let t = ms * 1_000_000 + n * 10_000;
            let value = ((ms * (n + 3)) % 60_000) as i64 - 30_000 + (ms * 7919 % 97) as i64;
            match (ms + n * 50) % 250 {
                0 => writeln!(
                    text,
                    "{{\"t\":{t},\"on\":\"{pad}\",\"c\":\"south\",\"v\":{}}}",
                    ms / 250 % 2
                )?,
                _ => writeln!(
                    text,
                    "{{\"t\":{t},\"on\":\"{pad}\",\"c\":\"stick-l-x\",\"v\":{value}}}"
                )?,
            }
        }
        if text.len() > 1 << 18 {
            bytes += text.len() as u64;
            to.write_all(text.as_bytes())?;
            text.clear();
        }
    }
    writeln!(text, "{{\"t\":{},\"ends\":true}}", (hours * HOUR_MS + 1) * 1_000_000)?;
    bytes += text.len() as u64;
    to.write_all(text.as_bytes())?;
    Ok(bytes)
}

/// When the first frame is there, and the most memory that the program had then, in KiB.
fn first_frame(program: &str, path: &Path, at: Nanos) -> anyhow::Result<(Duration, u64)> {
    let (drawn, screen) = channel();
    let began = Instant::now();
    let watch = move |bytes: &[u8]| drop(drawn.send((Instant::now(), bytes.to_vec())));
    let mut open = Command::new(program);
    open.arg("open").arg(path).arg("--at").arg(format!(
        "{}.{:09}",
        at.0 / 1_000_000_000,
        at.0 % 1_000_000_000
    ));
    let mut pty = Pty::watched(&mut open, watch)?;
    let mut seen = Vec::new();
    let first = loop {
        let (when, bytes) = screen.recv_timeout(PATIENCE).context("it was never drawn")?;
        seen.extend_from_slice(&bytes);
        if String::from_utf8_lossy(&seen).contains("the reel") {
            break when;
        }
    };
    let status = fs::read_to_string(format!("/proc/{}/status", pty.child.id()))?;
    let peak = status.lines().find_map(|line| line.strip_prefix("VmHWM:"));
    let peak = peak.and_then(|peak| peak.trim().trim_end_matches(" kB").parse().ok());
    pty.keyboard.write_all(b"q")?;
    pty.child.wait()?;
    Ok((first - began, peak.context("no VmHWM")?))
}
