//! What `kill -9` costs a recording: types into `gtrig live --record` on a pseudo
//! terminal, kills it, and looks which keys its take lacks, again and again, on an idle
//! machine and on one that is busy. `scripts/kills` runs it.

#[path = "../tests/common/pty.rs"]
mod pty;

use anyhow::{Context, ensure};
use gtrig_formats::reel::{Reel, ReelText};
use pty::Pty;
use std::{
    env, fs,
    io::{Read, Write},
    path::Path,
    process::Command,
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    thread,
    time::{Duration, Instant},
};

/// The same key comes again after 80 ms, by when its release was inferred.
const KEYS: &[u8] = b"abcdefghijklmnoprstu";
const BETWEEN: Duration = Duration::from_millis(4);
const RELEASE_AFTER_MS: &str = "40";

/// No start of the program takes this long.
const PATIENCE: Duration = Duration::from_secs(60);

fn main() -> anyhow::Result<()> {
    let mut arguments = env::args().skip(1);
    let usage = "usage: kills PROGRAM TIMES BUSY .take.jsonl|.reel";
    let program = arguments.next().context(usage)?;
    let times: u32 = arguments.next().context(usage)?.parse()?;
    let busy: usize = arguments.next().context(usage)?.parse()?;
    let ending = arguments.next().context(usage)?;
    ensure!(times > 0, usage);
    let folder = tempfile::tempdir()?;
    let load = Load::of(busy);
    let mut missing = Vec::new();
    for n in 0..times {
        let take = folder.path().join(format!("{n}{ending}"));
        missing.push(killed(&program, &take, n)?);
    }
    drop(load);
    missing.sort_unstable();
    let at = |share: f64| missing[((missing.len() - 1) as f64 * share).ceil() as usize];
    println!(
        "{ending}, {times} kills, {busy} busy threads: missing {} ms (median), {} ms (p99), {} ms (longest)",
        ms(at(0.5)),
        ms(at(0.99)),
        ms(at(1.0))
    );
    ensure!(at(0.99) <= Duration::from_millis(100), "more is lost than 100 ms");
    Ok(())
}

fn ms(time: Duration) -> String {
    format!("{:.1}", time.as_secs_f64() * 1e3)
}

/// Threads that never rest.
struct Load {
    is_over: Arc<AtomicBool>,
}

impl Load {
    fn of(threads: usize) -> Self {
        let is_over = Arc::new(AtomicBool::new(false));
        for _ in 0..threads {
            let is_over = Arc::clone(&is_over);
            thread::spawn(move || while !is_over.load(Ordering::Relaxed) {});
        }
        Load { is_over }
    }
}

impl Drop for Load {
    fn drop(&mut self) {
        self.is_over.store(true, Ordering::Relaxed);
    }
}

/// Kills one in the middle of typing: how long before its death the first key was typed
/// that its take lacks.
fn killed(program: &str, take: &Path, n: u32) -> anyhow::Result<Duration> {
    let mut command = Command::new(program);
    command
        .args(["live", "--kernel", "none", "--release-after", RELEASE_AFTER_MS, "--record"])
        .arg(take);
    let mut pty = Pty::start(&mut command)?;
    let started = Instant::now();
    while presses(take, "KeyZ") == 0 {
        ensure!(started.elapsed() < PATIENCE, "no key came to the take");
        pty.keyboard.write_all(b"cz")?;
        thread::sleep(Duration::from_millis(100));
    }
    // What was typed to get there is all in the take after this time.
    thread::sleep(Duration::from_millis(200));
    let before = presses(take, "");
    let mut typed = Vec::new();
    // Killed at another phase of whatever it waits for each time.
    let until = Instant::now() + Duration::from_micros(200_000 + u64::from(n) * 1_700 % 50_000);
    for key in KEYS.iter().cycle() {
        let now = Instant::now();
        if now >= until {
            break;
        }
        typed.push(now);
        pty.keyboard.write_all(&[*key])?;
        thread::sleep(BETWEEN);
    }
    pty.child.kill()?;
    let died = Instant::now();
    pty.child.wait()?;
    let kept = presses(take, "") - before;
    ensure!(kept <= typed.len(), "more keys than were typed");
    Ok(typed.get(kept).map_or(Duration::ZERO, |typed| died - *typed))
}

/// How many presses of keys a take has, of those whose code begins so.
fn presses(take: &Path, code: &str) -> usize {
    let text = text_of(take).unwrap_or_default();
    let pressed = |line: &&str| {
        line.contains(&format!("\"on\":\"keys\",\"c\":\"{code}"))
            && line.contains("\"v\":1")
            && line.ends_with('}')
    };
    text.lines().filter(pressed).count()
}

/// What can be read of a take, or of a reel.
fn text_of(path: &Path) -> anyhow::Result<String> {
    if !path.is_dir() {
        return Ok(fs::read_to_string(path)?);
    }
    let reel = Reel::open(path)?;
    let mut text = String::new();
    ReelText::of(&reel, 0..reel.segments().len()).read_to_string(&mut text)?;
    Ok(text)
}
