//! What the full screen asks of a terminal, and how soon it answers: the first frame beside
//! that of an empty program, bytes a second while the demo runs, and a key until what it
//! does is drawn. `scripts/calm` runs it.

#[path = "../tests/common/pty.rs"]
mod pty;

use anyhow::{Context, ensure};
use pty::Pty;
use std::{
    env, fs,
    io::Write,
    process::Command,
    sync::mpsc::{Receiver, channel},
    thread,
    time::{Duration, Instant},
};

/// Nothing here takes this long.
const PATIENCE: Duration = Duration::from_secs(20);

/// So many starts of each program, by turns.
const STARTS: usize = 15;

/// So many keys are typed, this far apart on average.
const KEYS: u32 = 300;
const APART: Duration = Duration::from_millis(37);

/// What was drawn, and when it was read.
type Drawn = (Instant, Vec<u8>);

fn main() -> anyhow::Result<()> {
    let usage = "usage: calm PROGRAM EMPTY SECONDS";
    let mut arguments = env::args().skip(1);
    let mut next = || arguments.next().context(usage);
    let (program, empty, seconds) = (next()?, next()?, next()?.parse::<u64>()?);
    let mut starts = [Vec::new(), Vec::new()];
    for _ in 0..STARTS {
        starts[0].push(first_frame(&mut Command::new(&empty), "ready")?);
        starts[1].push(first_frame(Command::new(&program).args(["demo", "lost-tap"]), "history")?);
    }
    let [empty, ours] = starts.map(|mut times| {
        times.sort();
        times[STARTS / 2].as_secs_f64() * 1e3
    });
    println!(
        "first frame  {ours:.1} ms, an empty program {empty:.1} ms: {:.2} times",
        ours / empty
    );
    for frames in [None, Some(15)] {
        let rate = bytes_a_second(&program, frames, seconds)?;
        let how = frames.map_or("as fast as it likes".to_owned(), |n| format!("frames = {n}"));
        println!("the demo     {rate} bytes a second over {seconds} s, {how}");
    }
    let mut times = key_to_screen(&program)?;
    times.sort();
    let at = |share: usize| times[times.len() * share / 100].as_secs_f64() * 1e3;
    println!("a key        on the screen after {:.1} ms (median), {:.1} ms (p99)", at(50), at(99));
    Ok(())
}

fn start(command: &mut Command) -> anyhow::Result<(Pty, Receiver<Drawn>)> {
    let (drawn, screen) = channel();
    let watch = move |bytes: &[u8]| drop(drawn.send((Instant::now(), bytes.to_vec())));
    Ok((Pty::watched(command, watch)?, screen))
}

fn end(mut pty: Pty) -> anyhow::Result<()> {
    pty.keyboard.write_all(b"q")?;
    pty.child.wait()?;
    Ok(())
}

/// When a text is drawn.
fn wait_for(screen: &Receiver<Drawn>, text: &str) -> anyhow::Result<Instant> {
    let mut seen = Vec::new();
    loop {
        let (when, bytes) = screen.recv_timeout(PATIENCE).context("it was never drawn")?;
        seen.extend_from_slice(&bytes);
        if String::from_utf8_lossy(&seen).contains(text) {
            return Ok(when);
        }
    }
}

fn first_frame(command: &mut Command, text: &str) -> anyhow::Result<Duration> {
    let began = Instant::now();
    let (pty, screen) = start(command)?;
    let drawn = wait_for(&screen, text)?;
    end(pty)?;
    Ok(drawn - began)
}

/// What the demo sends while it runs, once the first screen is there.
fn bytes_a_second(program: &str, frames: Option<u16>, seconds: u64) -> anyhow::Result<u64> {
    let settings = tempfile::tempdir()?;
    fs::create_dir(settings.path().join("gtrig"))?;
    let text = frames.map_or(String::new(), |frames| format!("frames = {frames}\n"));
    fs::write(settings.path().join("gtrig/settings.toml"), text)?;
    let mut demo = Command::new(program);
    let (pty, screen) = start(demo.arg("demo").env("XDG_CONFIG_HOME", settings.path()))?;
    wait_for(&screen, "history")?;
    thread::sleep(Duration::from_secs(2));
    while screen.try_recv().is_ok() {}
    let until = Instant::now() + Duration::from_secs(seconds);
    let mut count = 0;
    while let Ok((_, bytes)) = screen.recv_timeout(until - Instant::now().min(until)) {
        count += bytes.len() as u64;
    }
    end(pty)?;
    Ok(count / seconds)
}

/// How long it takes from a key until the terminal is sent what it does: the playhead of a
/// take that stands still goes there and back.
fn key_to_screen(program: &str) -> anyhow::Result<Vec<Duration>> {
    let (mut pty, screen) = start(Command::new(program).args(["demo", "lost-tap"]))?;
    wait_for(&screen, "history")?;
    thread::sleep(Duration::from_secs(2));
    let mut times = Vec::new();
    for n in 0..KEYS {
        while screen.try_recv().is_ok() {}
        let typed = Instant::now();
        pty.keyboard.write_all(if n % 2 == 0 { b"\x1b[D" } else { b"\x1b[C" })?;
        let (drawn, _) = screen.recv_timeout(PATIENCE).context("a key did nothing")?;
        times.push(drawn - typed);
        // Not in step with anything that the program does by itself.
        thread::sleep(APART + Duration::from_micros(u64::from(n * 7919 % 9000)));
    }
    ensure!(times.len() == KEYS as usize, "keys were lost");
    end(pty)?;
    Ok(times)
}
