//! From a program or a page that sends to the screen: how long a value takes to be drawn while many
//! others come, whether any is lost, and how much memory that takes. `scripts/arrival` runs
//! it.

#[path = "../tests/common/pty.rs"]
mod pty;

use anyhow::{Context, ensure};
use pty::Pty;
use std::{
    env,
    fmt::Write as _,
    fs,
    io::{Read, Write},
    net::{TcpListener, TcpStream},
    os::unix::net::UnixStream,
    path::{Path, PathBuf},
    process::Command,
    sync::{
        Arc,
        atomic::{AtomicBool, AtomicU64, Ordering},
        mpsc::{Receiver, channel},
    },
    thread,
    time::{Duration, Instant},
};
use tungstenite::{Message, WebSocket, client::IntoClientRequest};

/// Nothing here takes this long.
const PATIENCE: Duration = Duration::from_secs(60);

/// Lines go out this often, as of a game at 60 frames a second.
const FRAME: Duration = Duration::from_micros(16_667);

fn main() -> anyhow::Result<()> {
    let mut arguments = env::args().skip(1);
    let usage = "usage: arrival PROGRAM SENDERS VALUES_A_SECOND TIMES POLLS_A_SECOND [page]";
    let program = arguments.next().context(usage)?;
    let senders: u64 = arguments.next().context(usage)?.parse()?;
    let rate: u64 = arguments.next().context(usage)?.parse()?;
    let times: usize = arguments.next().context(usage)?.parse()?;
    let polls: u32 = arguments.next().context(usage)?.parse()?;
    let is_page = arguments.next().is_some_and(|kind| kind == "page");
    ensure!(senders > 0 && times > 0, usage);
    let folder = tempfile::tempdir()?;
    let rig = folder.path().join("rig.toml");
    fs::write(&rig, format!("rig = 1\n[sampling]\npoll-hz = {polls}\n"))?;
    let take = folder.path().join("t.take.jsonl");
    let place = match is_page {
        // A port that is free now.
        true => format!("page:{}", TcpListener::bind("127.0.0.1:0")?.local_addr()?),
        false => format!("unix:{}", folder.path().join("s").display()),
    };
    let (drawn, screen) = channel();
    let mut command = Command::new(&program);
    command
        .args(["live", "--kernel", "none", "--rig"])
        .arg(&rig)
        .arg("--listen")
        .arg(&place)
        .arg("--record")
        .arg(&take);
    let watch = move |bytes: &[u8]| drop(drawn.send((Instant::now(), bytes.to_vec())));
    let mut pty = Pty::watched(&mut command, watch)?;
    let door = match place.strip_prefix("page:") {
        Some(address) => Door::Page(address.to_owned(), enter(address, &key_on(&screen)?)?),
        None => Door::Unix(folder.path().join("s")),
    };
    let mut probe = Probe { sender: Sender::connect(&door, "probe", "probe-x")? };
    // The log, and of it only what the probe reports.
    pty.keyboard.write_all(b"T/report probe-x\r")?;
    let load = Load::start(&door, senders, rate)?;
    let naps = Naps::start();
    let mut delays = Vec::new();
    let mut memory = Vec::new();
    for at in 0..times {
        // At another phase of a frame each time.
        thread::sleep(Duration::from_micros(100_000 + at as u64 * 7_919 % 33_000));
        let delay = probe.until_drawn(at, &screen)?;
        delays.push(delay);
        memory.push(resident_mib(pty.child.id())?);
    }
    let late = naps.end()?;
    let (sent, seconds) = load.end()?;
    let kept = settled(&take)?;
    delays.sort_unstable();
    let share = |share: f64| delays[((delays.len() - 1) as f64 * share).ceil() as usize];
    println!(
        "{senders} {}, {polls} ticks/s, {:.0} values/s, {sent} sent, {kept} kept; arrival to screen {} ms (median), {} ms (p99), {} ms (longest); the machine woke a thread {} ms late (p99); {} to {} MiB",
        if is_page { "pages" } else { "senders" },
        sent as f64 / seconds,
        ms(share(0.5)),
        ms(share(0.99)),
        ms(share(1.0)),
        ms(late),
        memory[0],
        memory[memory.len() - 1],
    );
    ensure!(kept == sent, "{} values were lost", sent - kept.min(sent));
    pty.keyboard.write_all(b"qq")?;
    pty.child.wait()?;
    Ok(())
}

fn ms(time: Duration) -> String {
    format!("{:.1}", time.as_secs_f64() * 1e3)
}

/// Where senders come in.
enum Door {
    Unix(PathBuf),
    /// An address, and the key of its page.
    Page(String, String),
}

/// The key of the page, of which the screen shows the address: its end is in the next row.
fn key_on(screen: &Receiver<(Instant, Vec<u8>)>) -> anyhow::Result<String> {
    let mut seen = Vec::new();
    loop {
        let (_, bytes) = screen.recv_timeout(PATIENCE).context("it shows no address")?;
        seen.extend_from_slice(&bytes);
        let text = String::from_utf8_lossy(&seen);
        let Some((_, rest)) = text.split_once("/#k=") else { continue };
        let end = rest.find(|of: char| !of.is_ascii_hexdigit()).unwrap_or(rest.len());
        let (first, rest) = rest.split_at(end);
        let parts = rest.split(|of: char| !of.is_ascii_hexdigit());
        if let Some(last) = parts.into_iter().find(|part| part.len() + first.len() == 32) {
            return Ok(format!("{first}{last}"));
        }
    }
}

/// Comes in by the key that the screen shows, and returns the page's own.
fn enter(address: &str, key: &str) -> anyhow::Result<String> {
    let mut stream = patiently(|| TcpStream::connect(address))?;
    write!(
        stream,
        "POST /enter?k={key} HTTP/1.1\r\nHost: {address}\r\nOrigin: http://{address}\r\n\r\n"
    )?;
    let mut answer = String::new();
    stream.read_to_string(&mut answer)?;
    let (_, own) = answer.split_once("\r\n\r\n").context("no answer")?;
    Ok(own.to_owned())
}

/// A program, or the page in a browser.
enum Sender {
    Program(UnixStream),
    Page(Box<WebSocket<TcpStream>>),
}

impl Sender {
    fn connect(door: &Door, name: &str, code: &str) -> anyhow::Result<Self> {
        let mut sender = match door {
            Door::Unix(socket) => Sender::Program(patiently(|| UnixStream::connect(socket))?),
            Door::Page(address, key) => {
                let mut request = format!("ws://{address}/send?k={key}").into_client_request()?;
                request.headers_mut().insert("Origin", format!("http://{address}").parse()?);
                let stream = patiently(|| TcpStream::connect(address))?;
                stream.set_nodelay(true)?;
                let (socket, _) = tungstenite::client(request, stream)?;
                Sender::Page(Box::new(socket))
            }
        };
        let boot = fs::read_to_string("/proc/sys/kernel/random/boot_id")?;
        let greeting = format!(
            "{{\"live\":1,\"name\":\"{name}\",\"clock\":\"monotonic\",\"boot\":\"{}\"}}\n{{\"plug\":\"d\",\"kind\":\"other\",\"controls\":[{{\"code\":\"{code}\",\"kind\":\"axis\",\"min\":-99999,\"centre\":0,\"max\":99999}}]}}\n",
            boot.trim()
        );
        sender.say(&greeting)?;
        Ok(sender)
    }

    /// Sends lines; a page sends them as one message.
    fn say(&mut self, lines: &str) -> anyhow::Result<()> {
        match self {
            Sender::Program(stream) => stream.write_all(lines.as_bytes())?,
            Sender::Page(socket) => socket.send(Message::text(lines))?,
        }
        Ok(())
    }
}

fn patiently<T>(connect: impl Fn() -> std::io::Result<T>) -> anyhow::Result<T> {
    let started = Instant::now();
    loop {
        match connect() {
            Ok(stream) => return Ok(stream),
            Err(error) => ensure!(started.elapsed() < PATIENCE, "{error}"),
        }
        thread::sleep(Duration::from_millis(5));
    }
}

/// A sender of values that can be found on the screen.
struct Probe {
    sender: Sender,
}

impl Probe {
    /// Sends a value of which every digit differs from those of the one before, so that all
    /// of it is drawn anew: how long until it is.
    fn until_drawn(
        &mut self,
        at: usize,
        screen: &Receiver<(Instant, Vec<u8>)>,
    ) -> anyhow::Result<Duration> {
        let value = 11_111 * (at % 9 + 1);
        while screen.try_recv().is_ok() {}
        let sent = Instant::now();
        self.sender.say(&format!("{{\"on\":\"d\",\"c\":\"probe-x\",\"v\":{value}}}\n"))?;
        let wanted = value.to_string();
        let mut drawn = Vec::new();
        loop {
            let (when, bytes) = screen.recv_timeout(PATIENCE).context("it was never drawn")?;
            drawn.extend_from_slice(&bytes);
            // It scrolls to the bottom row, and moves what was there up.
            let text = String::from_utf8_lossy(&drawn);
            if text.contains(&wanted) {
                return Ok(when - sent);
            }
        }
    }
}

/// Programs that send all the time.
struct Load {
    is_over: Arc<AtomicBool>,
    sent: Arc<AtomicU64>,
    threads: Vec<thread::JoinHandle<anyhow::Result<()>>>,
    began: Instant,
}

impl Load {
    fn start(door: &Door, senders: u64, rate: u64) -> anyhow::Result<Self> {
        let (is_over, sent) = (Arc::new(AtomicBool::new(false)), Arc::new(AtomicU64::new(0)));
        let per_frame = (rate as f64 * FRAME.as_secs_f64() / senders as f64).ceil() as u64;
        let mut threads = Vec::new();
        for n in 0..senders {
            let mut sender = Sender::connect(door, &format!("load-{n}"), "x")?;
            let (is_over, sent) = (Arc::clone(&is_over), Arc::clone(&sent));
            threads.push(thread::spawn(move || {
                let (mut value, mut lines) = (0, String::new());
                let mut next = Instant::now();
                while !is_over.load(Ordering::Relaxed) {
                    lines.clear();
                    for _ in 0..per_frame {
                        value = (value + 1) % 90_000;
                        writeln!(lines, "{{\"on\":\"d\",\"c\":\"x\",\"v\":{value}}}")?;
                    }
                    sender.say(&lines)?;
                    sent.fetch_add(per_frame, Ordering::Relaxed);
                    next += FRAME;
                    thread::sleep(next.saturating_duration_since(Instant::now()));
                }
                sender.say("{\"ends\":true}\n")
            }));
        }
        Ok(Load { is_over, sent, threads, began: Instant::now() })
    }

    /// How many values were sent, in how many seconds.
    fn end(self) -> anyhow::Result<(u64, f64)> {
        self.is_over.store(true, Ordering::Relaxed);
        let seconds = self.began.elapsed().as_secs_f64();
        for thread in self.threads {
            thread.join().map_err(|_| anyhow::anyhow!("a sender panicked"))??;
        }
        Ok((self.sent.load(Ordering::Relaxed), seconds))
    }
}

/// A thread that sleeps for a millisecond, over and over: how much later the machine wakes
/// it is what no program on it can do anything about.
struct Naps {
    is_over: Arc<AtomicBool>,
    thread: thread::JoinHandle<Vec<Duration>>,
}

impl Naps {
    fn start() -> Self {
        const NAP: Duration = Duration::from_millis(1);
        let is_over = Arc::new(AtomicBool::new(false));
        let ends = Arc::clone(&is_over);
        let thread = thread::spawn(move || {
            let mut late = Vec::new();
            while !ends.load(Ordering::Relaxed) {
                let began = Instant::now();
                thread::sleep(NAP);
                late.push(began.elapsed().saturating_sub(NAP));
            }
            late
        });
        Naps { is_over, thread }
    }

    /// How late it was woken at the 99th hundredth.
    fn end(self) -> anyhow::Result<Duration> {
        self.is_over.store(true, Ordering::Relaxed);
        let mut late = self.thread.join().map_err(|_| anyhow::anyhow!("the sleeper panicked"))?;
        late.sort_unstable();
        Ok(late[(late.len() - 1) * 99 / 100])
    }
}

/// How many values of the load a take has, once no more come.
fn settled(take: &Path) -> anyhow::Result<u64> {
    let mut before = 0;
    loop {
        thread::sleep(Duration::from_millis(500));
        let bytes = fs::read(take)?;
        let lines = bytes.split(|byte| *byte == b'\n');
        let now =
            lines.filter(|line| line.windows(8).any(|part| part == b"\"c\":\"x\",")).count() as u64;
        if now == before {
            return Ok(now);
        }
        before = now;
    }
}

fn resident_mib(process: u32) -> anyhow::Result<u64> {
    let status = fs::read_to_string(format!("/proc/{process}/status"))?;
    let line = status.lines().find(|line| line.starts_with("VmRSS")).context("no VmRSS")?;
    let kib: u64 = line.split_whitespace().nth(1).context("no number")?.parse()?;
    Ok(kib / 1024)
}
