//! A real terminal to drive: tmux, its keys and its screen.
#![allow(dead_code, reason = "each file of tests needs some of it")]

#[cfg(target_os = "linux")]
pub mod pty;

use std::{
    fs,
    path::Path,
    process::{Command, Output},
    thread,
    time::{Duration, Instant},
};

/// A tmux server of its own with one window.
pub struct Tmux {
    socket: String,
}

/// Nothing takes this long; a test that waits longer has failed.
const PATIENCE: Duration = Duration::from_secs(30);

impl Tmux {
    /// A window of this size in which a shell runs `command`.
    pub fn start(name: &str, (columns, rows): (u16, u16), command: &str) -> Self {
        let tmux = Tmux { socket: format!("gtrig-test-{name}-{}", std::process::id()) };
        let (columns, rows) = (columns.to_string(), rows.to_string());
        let output =
            tmux.run(&["-f", "/dev/null", "new-session", "-d", "-x", &columns, "-y", &rows, "sh"]);
        assert!(output.status.success(), "is tmux installed? {output:?}");
        tmux.run(&["set-option", "-g", "escape-time", "0"]);
        tmux.line(command);
        tmux
    }

    fn run(&self, args: &[&str]) -> Output {
        let mut command = Command::new("tmux");
        command.args(["-L", &self.socket]).args(args).env("LC_ALL", "C.UTF-8");
        command.output().expect("tmux runs; scripts/test installs it")
    }

    /// Keys by tmux's names: `Space`, `C-g`, `q`.
    pub fn keys(&self, keys: &[&str]) {
        let output = self.run(&[&["send-keys"], keys].concat());
        assert!(output.status.success(), "{output:?}");
    }

    /// Text as it is, and Enter.
    pub fn line(&self, text: &str) {
        self.run(&["send-keys", "-l", text]);
        self.keys(&["Enter"]);
    }

    /// Bytes as a terminal would send them.
    pub fn bytes(&self, bytes: &str) {
        let hex: Vec<String> = bytes.bytes().map(|byte| format!("{byte:x}")).collect();
        let hex: Vec<&str> = hex.iter().map(String::as_str).collect();
        self.run(&[&["send-keys", "-H"], &hex[..]].concat());
    }

    pub fn resize(&self, columns: u16, rows: u16) {
        let (columns, rows) = (columns.to_string(), rows.to_string());
        self.run(&["resize-window", "-x", &columns, "-y", &rows]);
    }

    /// What is on the screen.
    pub fn screen(&self) -> String {
        String::from_utf8_lossy(&self.run(&["capture-pane", "-p"]).stdout).into_owned()
    }

    /// What is on the screen, with its colours as escape sequences.
    pub fn coloured_screen(&self) -> String {
        String::from_utf8_lossy(&self.run(&["capture-pane", "-p", "-e"]).stdout).into_owned()
    }

    /// Waits until the screen is as wished, and returns it.
    pub fn wait(&self, wish: &str, is_so: impl Fn(&str) -> bool) -> String {
        let started = Instant::now();
        loop {
            let screen = self.screen();
            if is_so(&screen) {
                return screen;
            }
            assert!(started.elapsed() < PATIENCE, "never came: {wish}\n{screen}");
            thread::sleep(Duration::from_millis(20));
        }
    }

    pub fn wait_for(&self, text: &str) -> String {
        self.wait_for_all(&[text])
    }

    /// Waits until all of these are on the screen at once. Whatever a test asks
    /// of a frame it must wait for: a capture may see it half drawn.
    pub fn wait_for_all(&self, texts: &[&str]) -> String {
        self.wait(&texts.join("\n"), |screen| texts.iter().all(|text| screen.contains(text)))
    }

    /// The process that the window's shell runs.
    pub fn child(&self) -> u32 {
        let output = self.run(&["display-message", "-p", "#{pane_pid}"]);
        let shell = String::from_utf8_lossy(&output.stdout).trim().to_owned();
        let children = Command::new("pgrep").args(["-P", &shell]).output().unwrap();
        String::from_utf8_lossy(&children.stdout).trim().parse().expect("one child of the shell")
    }
}

impl Drop for Tmux {
    fn drop(&mut self) {
        self.run(&["kill-server"]);
    }
}

/// Waits until somebody listens at a socket: its path is there a moment before, and who connects
/// in between is refused.
pub fn wait_until_listening(socket: &Path) {
    let path = socket.to_str().unwrap();
    let is_listening =
        |line: &str| line.ends_with(path) && line.split_whitespace().nth(3) == Some("00010000");
    let started = Instant::now();
    while !fs::read_to_string("/proc/net/unix").unwrap().lines().any(is_listening) {
        assert!(started.elapsed() < PATIENCE, "nobody listens");
        thread::yield_now();
    }
}
