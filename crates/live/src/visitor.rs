//! The thread of a program that came: its greeting, its lines, its end.

use crate::{
    connection::Connection,
    registry::Registry,
    sender::{Arrival, Sender},
};
use gtrig_core::Nanos;
use gtrig_formats::live::{Greeting, LineSplitter, LiveFault, Piece, Said};
use gtrig_sources::{SenderIs, monotonic_now};
use std::{
    sync::{Weak, atomic::Ordering, mpsc::Sender as Channel},
    time::{Duration, Instant},
};

/// It must have greeted by then.
const PATIENCE: Duration = Duration::from_secs(5);

/// Whether anybody still listens is looked at this often.
const LOOK: Duration = Duration::from_millis(100);

/// What all senders share.
#[derive(Debug)]
pub(crate) struct House {
    pub(crate) registry: Registry,
    /// Of this machine, since it was started; none where the system has none.
    pub(crate) boot: Option<u128>,
    /// While it lives, somebody listens.
    pub(crate) alive: Weak<()>,
    pub(crate) arrivals: Channel<Arrival>,
    /// What went wrong where there is no sender to say it of.
    pub(crate) troubles: Channel<String>,
}

impl House {
    pub(crate) fn is_open(&self) -> bool {
        self.alive.strong_count() > 0
    }
}

/// Where a sender came in.
#[derive(Clone, Debug)]
pub(crate) struct Entrance {
    pub(crate) place: String,
    pub(crate) needs_token: bool,
    /// What a take is called that comes in here.
    pub(crate) name_of_take: String,
}

/// Why a connection ends, if not because the program closed it.
#[derive(Debug)]
pub(crate) enum Ending {
    /// Something is wrong with it.
    Refused(String),
    /// Nobody listens any more, or another has its name.
    Closed,
}

/// Hears a program until it goes.
pub(crate) fn serve(house: &House, entrance: &Entrance, mut connection: Connection) {
    let mut visitor = Visitor { house, entrance, sender: None, is_over: false };
    let ending = visitor.hear(&mut connection);
    if let Err(Ending::Refused(why)) = &ending {
        connection.say(&serde_json::json!({ "error": why }).to_string());
        visitor.tell(&format!("{why}; it was closed"));
    }
    let is_replaced = |sender: &Sender| sender.ticket.is_replaced.load(Ordering::Relaxed);
    if visitor.sender.as_ref().is_some_and(is_replaced) {
        let why = "another sender came under this name";
        connection.say(&serde_json::json!({ "error": why, "replaced": true }).to_string());
    }
    visitor.leave(SenderIs::Lost);
    connection.close();
}

impl Entrance {
    /// The greeting of another program, if this line is one. In a pipe one follows the other, and
    /// nobody sees an end between them where the second opens it before the first has closed it:
    /// where the first was cut off in the middle of a line, it stands at the end of that.
    fn greeting_of_next<'l>(&self, connection: &Connection, line: &'l [u8]) -> Option<&'l [u8]> {
        const BEGINS: &[u8] = br#"{"live":"#;
        if connection.has_way_back() {
            return None;
        }
        let cut_off = line.windows(BEGINS.len()).rposition(|part| part == BEGINS);
        let parts = [Some(0), cut_off].into_iter().flatten().map(|at| &line[at..]);
        parts.into_iter().find(|part| Greeting::read(part, &self.name_of_take).is_ok())
    }
}

/// A program that came, and perhaps was let in.
struct Visitor<'h> {
    house: &'h House,
    entrance: &'h Entrance,
    sender: Option<Sender>,
    /// What it says counts for nothing: it said that it is done, or was refused.
    is_over: bool,
}

impl Visitor<'_> {
    fn hear(&mut self, connection: &mut Connection) -> Result<(), Ending> {
        let came = Instant::now();
        let mut lines = LineSplitter::default();
        let mut buffer = vec![0; 1 << 16];
        loop {
            if !self.house.is_open() {
                return Err(Ending::Closed);
            }
            match &mut self.sender {
                None if came.elapsed() > PATIENCE && connection.has_way_back() => {
                    let secs = PATIENCE.as_secs();
                    return Err(Ending::Refused(format!("no greeting came within {secs} s")));
                }
                None => {}
                Some(sender) => sender.now_and_then(self.house, connection)?,
            }
            let refused = |error| Ending::Refused(format!("cannot be read: {error}"));
            if !connection.is_ready(LOOK).map_err(refused)? {
                continue;
            }
            let read = connection.read(&mut buffer).map_err(refused)?;
            if read == 0 {
                return Ok(());
            }
            let now = monotonic_now().map_err(refused)?;
            let mut result = Ok(());
            lines.feed(&buffer[..read], |piece| {
                if result.is_ok() {
                    result = self.line(connection, piece, now);
                }
            });
            result?;
            self.settle(connection, now)?;
            // In a pipe another program may follow.
            if self.is_over && connection.has_way_back() {
                return Ok(());
            }
        }
    }

    /// Takes in a line.
    fn line(
        &mut self,
        connection: &mut Connection,
        piece: Piece,
        now: Nanos,
    ) -> Result<(), Ending> {
        let result = self.heard(connection, piece, now);
        self.or_the_next(connection, result)
    }

    /// Takes in what was held back until all that came at once was read.
    fn settle(&mut self, connection: &mut Connection, now: Nanos) -> Result<(), Ending> {
        let Some(sender) = &mut self.sender else { return Ok(()) };
        let result = sender.settle(self.house, connection, now);
        self.or_the_next(connection, result)
    }

    /// A pipe cannot be closed to one program and stay open to the next: what is left of one that
    /// is refused is read, and counts for nothing.
    fn or_the_next(
        &mut self,
        connection: &Connection,
        result: Result<(), Ending>,
    ) -> Result<(), Ending> {
        match result {
            Err(Ending::Refused(why)) if !connection.has_way_back() => {
                self.tell(&format!("{why}; the rest of what it says is left out"));
                self.leave(SenderIs::Lost);
                self.is_over = true;
                Ok(())
            }
            result => result,
        }
    }

    fn heard(
        &mut self,
        connection: &mut Connection,
        piece: Piece,
        now: Nanos,
    ) -> Result<(), Ending> {
        let Some(sender) = &mut self.sender else { return self.first(connection, piece) };
        let line = sender.decode(piece);
        if let (Err(_), Piece::Line(text)) = (&line.means, piece)
            && let Some(greeting) = self.entrance.greeting_of_next(connection, text)
        {
            self.settle(connection, now)?;
            self.leave(SenderIs::Lost);
            return self.greeted(greeting);
        }
        let is_end = matches!(line.means, Ok((_, Said::End)));
        sender.take_in(self.house, connection, line, now)?;
        if is_end {
            self.settle(connection, now)?;
            self.leave(SenderIs::Done);
            self.is_over = true;
        }
        Ok(())
    }

    /// The first line of a program, or one behind the end of a program.
    fn first(&mut self, connection: &Connection, piece: Piece) -> Result<(), Ending> {
        let greeting = match piece {
            Piece::Line(line) => self.entrance.greeting_of_next(connection, line),
            Piece::TooLong => None,
        };
        match (greeting, piece) {
            (Some(greeting), _) => {
                self.is_over = false;
                self.greeted(greeting)
            }
            (None, _) if self.is_over => Ok(()),
            (None, Piece::Line(line)) => self.greeted(line),
            (None, Piece::TooLong) => Err(Ending::Refused(LiveFault::TooLong.to_string())),
        }
    }

    /// Tells of a trouble with the program.
    fn tell(&self, what: &str) {
        let who = self.sender.as_ref().map_or(&self.entrance.place, |sender| &sender.ticket.name);
        let _ = self.house.troubles.send(format!("{who}: {what}"));
    }

    /// The program that was let in goes.
    fn leave(&mut self, state: SenderIs) {
        if let Some(sender) = self.sender.take() {
            // Once it counts as gone, all that it said waits to be taken in.
            let ticket = sender.ticket.clone();
            sender.leave();
            self.house.registry.left(&ticket, state);
        }
    }

    fn greeted(&mut self, line: &[u8]) -> Result<(), Ending> {
        let greeting = Greeting::read(line, &self.entrance.name_of_take);
        let greeting = greeting.map_err(|fault| Ending::Refused(fault.to_string()))?;
        self.sender = Some(Sender::enter(self.house, self.entrance, &greeting)?);
        Ok(())
    }
}
