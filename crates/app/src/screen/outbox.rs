//! Frames on their way to the terminal. A terminal may take its time (a slow line, a
//! person who pressed Ctrl+S): a thread waits for it, so that nothing else does. While
//! one frame is on its way no other is drawn.

use std::{
    cell::RefCell,
    io::{self, Write, stdout},
    rc::Rc,
    sync::mpsc::{Receiver, Sender, channel},
    thread,
    time::Duration,
};

/// Around each frame: a terminal that knows synchronized updates shows it whole.
const BEGIN: &[u8] = b"\x1b[?2026h";
const END: &[u8] = b"\x1b[?2026l";

/// A terminal that takes nothing for so long is not waited for at the end.
const PATIENCE: Duration = Duration::from_secs(1);

/// Collects what is written and hands it to the thread when it is flushed. A clone is
/// another handle of the same.
#[derive(Clone, Debug)]
pub(super) struct Outbox(Rc<RefCell<Letters>>);

#[derive(Debug)]
struct Letters {
    bytes: Vec<u8>,
    to_terminal: Sender<Vec<u8>>,
    done: Receiver<io::Result<()>>,
    on_its_way: usize,
}

impl Outbox {
    /// One to standard output.
    pub(super) fn new() -> Self {
        Self::to(stdout())
    }

    fn to(mut terminal: impl Write + Send + 'static) -> Self {
        let (to_terminal, sent) = channel::<Vec<u8>>();
        let (tell, done) = channel();
        thread::spawn(move || {
            for bytes in sent {
                let result = terminal.write_all(&bytes).and_then(|()| terminal.flush());
                if tell.send(result).is_err() {
                    return;
                }
            }
        });
        let letters = Letters { bytes: Vec::new(), to_terminal, done, on_its_way: 0 };
        Outbox(Rc::new(RefCell::new(letters)))
    }

    /// Whether the terminal has taken all that was handed over.
    ///
    /// # Errors
    /// When the terminal is gone.
    pub(super) fn is_free(&self) -> io::Result<bool> {
        let mut letters = self.0.borrow_mut();
        while letters.on_its_way > 0 {
            match letters.done.try_recv() {
                Ok(result) => result?,
                Err(_) => return Ok(false),
            }
            letters.on_its_way -= 1;
        }
        Ok(true)
    }

    /// Waits until the terminal has taken all, but not for ever.
    ///
    /// # Errors
    /// When the terminal is gone, or takes nothing.
    pub(super) fn wait(&self) -> io::Result<()> {
        let mut letters = self.0.borrow_mut();
        while letters.on_its_way > 0 {
            letters.done.recv_timeout(PATIENCE).map_err(io::Error::other)??;
            letters.on_its_way -= 1;
        }
        Ok(())
    }
}

impl Write for Outbox {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.borrow_mut().bytes.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        let mut letters = self.0.borrow_mut();
        if !letters.bytes.is_empty() {
            let bytes = [BEGIN, &std::mem::take(&mut letters.bytes), END].concat();
            letters.to_terminal.send(bytes).map_err(|_| io::ErrorKind::BrokenPipe)?;
            letters.on_its_way += 1;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_terminal_that_takes_nothing_keeps_nobody_waiting() {
        let (mut reader, writer) = io::pipe().unwrap();
        let mut outbox = Outbox::to(writer);
        let frame = vec![b'x'; 1 << 20];
        outbox.write_all(&frame).unwrap();
        outbox.flush().unwrap();
        assert!(!outbox.is_free().unwrap(), "no pipe holds a MiB");
        let whole = [BEGIN, &frame, END].concat();
        let mut taken = vec![0; whole.len()];
        io::Read::read_exact(&mut reader, &mut taken).unwrap();
        outbox.wait().unwrap();
        assert!(taken == whole && outbox.is_free().unwrap());
    }

    #[test]
    fn a_terminal_that_is_gone_is_an_error() {
        let (reader, writer) = io::pipe().unwrap();
        let mut outbox = Outbox::to(writer);
        drop(reader);
        outbox.write_all(b"x").unwrap();
        outbox.flush().unwrap();
        assert_eq!(outbox.wait().unwrap_err().kind(), io::ErrorKind::BrokenPipe);
    }
}
