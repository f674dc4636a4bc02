//! A program on a pseudo terminal that answers as plain terminals do, and reads what is
//! drawn only for as long as it is asked to.
#![allow(dead_code, reason = "each program that includes it needs some of it")]

use nix::{
    fcntl::{FcntlArg, FdFlag, fcntl},
    pty::{Winsize, openpty},
};
use std::{
    fs::File,
    io::{self, Read, Write},
    os::fd::AsRawFd,
    process::{Child, Command},
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    thread,
};

/// The keys of a terminal, of 160 by 47 if nothing else is said, and the program that runs in it.
pub struct Pty {
    pub keyboard: File,
    pub child: Child,
    is_stalled: Arc<AtomicBool>,
}

impl Pty {
    /// Starts a program in one.
    pub fn start(command: &mut Command) -> io::Result<Self> {
        Pty::watched(command, |_| {})
    }

    /// The same with somebody who is shown all that is drawn.
    pub fn watched(
        command: &mut Command,
        watch: impl FnMut(&[u8]) + Send + 'static,
    ) -> io::Result<Self> {
        Pty::sized(command, [160, 47], watch)
    }

    /// The same on a terminal that says that it has so many columns and rows.
    pub fn sized(
        command: &mut Command,
        [ws_col, ws_row]: [u16; 2],
        mut watch: impl FnMut(&[u8]) + Send + 'static,
    ) -> io::Result<Self> {
        let size = Winsize { ws_row, ws_col, ws_xpixel: 0, ws_ypixel: 0 };
        let pty = openpty(&size, None)?;
        // A program that held this end itself would never see that it is gone.
        fcntl(pty.master.as_raw_fd(), FcntlArg::F_SETFD(FdFlag::FD_CLOEXEC))?;
        let child = command
            .env("TERM", "xterm-256color")
            .stdin(pty.slave.try_clone()?)
            .stdout(pty.slave.try_clone()?)
            .stderr(pty.slave)
            .spawn()?;
        let mut keyboard = File::from(pty.master);
        let mut screen = keyboard.try_clone()?;
        let is_stalled = Arc::new(AtomicBool::new(false));
        let stalls = Arc::clone(&is_stalled);
        thread::spawn(move || {
            let mut bytes = [0; 1 << 16];
            while !stalls.load(Ordering::Relaxed)
                && let Ok(read @ 1..) = screen.read(&mut bytes)
            {
                watch(&bytes[..read]);
            }
        });
        // What a terminal without releases answers when it is asked what it can do.
        keyboard.write_all(b"\x1b[?62c")?;
        Ok(Pty { keyboard, child, is_stalled })
    }

    /// From now on nobody reads what is drawn.
    pub fn stall(&self) {
        self.is_stalled.store(true, Ordering::Relaxed);
    }
}

impl Drop for Pty {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}
