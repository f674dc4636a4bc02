//! From the command to the screen: when the first frame of a long take is there, and when
//! all of it has been read. `scripts/opening` runs it.

#[path = "../tests/common/pty.rs"]
mod pty;

use anyhow::{Context, ensure};
use pty::Pty;
use std::{
    env,
    fs::{self, File},
    io::{BufRead, BufReader, BufWriter, Write},
    path::Path,
    process::{Command, Stdio},
    sync::mpsc::{Receiver, channel},
    thread,
    time::{Duration, Instant},
};

/// Nothing here takes this long.
const PATIENCE: Duration = Duration::from_secs(120);

const HOUR_NS: u64 = 3_600_000_000_000;

fn main() -> anyhow::Result<()> {
    let usage = "usage: opening PROGRAM HOURS";
    let mut arguments = env::args().skip(1);
    let program = arguments.next().context(usage)?;
    let hours: u64 = arguments.next().context(usage)?.parse()?;
    let folder = tempfile::tempdir()?;
    let take = folder.path().join("long.take.jsonl");
    write_take(&program, &take, hours)?;
    let (drawn, screen) = channel();
    let began = Instant::now();
    let watch = move |bytes: &[u8]| drop(drawn.send((Instant::now(), bytes.to_vec())));
    let mut pty = Pty::watched(Command::new(&program).arg("open").arg(&take), watch)?;
    let first = drawn_first(&screen)?;
    // It is read for as long as it is open.
    while is_open(pty.child.id(), &take)? {
        ensure!(began.elapsed() < PATIENCE, "it is never read to its end");
        thread::sleep(Duration::from_millis(5));
    }
    let last = Instant::now();
    let mib = take.metadata()?.len() >> 20;
    println!(
        "{mib} MiB: first frame after {} ms, all read after {:.1} s",
        (first - began).as_millis(),
        (last - began).as_secs_f64()
    );
    pty.keyboard.write_all(b"q")?;
    pty.child.wait()?;
    Ok(())
}

/// When the first frame is there.
fn drawn_first(screen: &Receiver<(Instant, Vec<u8>)>) -> anyhow::Result<Instant> {
    let mut seen = Vec::new();
    loop {
        let (when, bytes) = screen.recv_timeout(PATIENCE).context("it was never drawn")?;
        seen.extend_from_slice(&bytes);
        if String::from_utf8_lossy(&seen).contains("history") {
            return Ok(when);
        }
    }
}

/// Whether a process has a file open.
fn is_open(process: u32, path: &Path) -> anyhow::Result<bool> {
    let mut files = fs::read_dir(format!("/proc/{process}/fd"))?.flatten();
    Ok(files.any(|file| fs::read_link(file.path()).is_ok_and(|file| file == path)))
}

/// The cab at work for an hour, over and over.
fn write_take(program: &str, path: &Path, hours: u64) -> anyhow::Result<()> {
    let mut simulate = Command::new(program);
    let mut simulate =
        simulate.args(["simulate", "--seconds", "3600"]).stdout(Stdio::piped()).spawn()?;
    let lines = BufReader::new(simulate.stdout.take().context("no output")?).lines();
    let lines: Vec<String> = lines.collect::<Result<_, _>>()?;
    ensure!(simulate.wait()?.success(), "gtrig simulate failed");
    let mut out = BufWriter::new(File::create(path)?);
    for line in lines.iter().filter(|line| !line.contains(r#""v":"#) && !line.contains(r#""ends""#))
    {
        writeln!(out, "{line}")?;
    }
    for hour in 0..hours {
        for line in lines.iter().filter(|line| line.contains(r#""v":"#)) {
            let (time, rest) = line
                .strip_prefix(r#"{"t":"#)
                .and_then(|line| line.split_once(','))
                .context("a line without its time first")?;
            let time: u64 = time.parse()?;
            writeln!(out, r#"{{"t":{},{rest}"#, time + hour * HOUR_NS)?;
        }
    }
    out.flush()?;
    Ok(())
}
