//! What comes of a session, published while it goes on.

use anyhow::Context;
use gtrig_analysis::Session;
use gtrig_formats::ticks::{TickWriter, write_greeting, write_state};
use gtrig_live::{Place, Publisher, ReaderDoor};

/// Publishes the ticks of a session to whoever reads.
///
/// A second machine follows the session, as when a take is printed; while nobody reads it
/// does not run.
#[derive(Debug)]
pub struct Broadcast {
    publisher: Publisher,
    /// What readers were greeted with last.
    greeting: String,
    ticks: Option<Box<TickWriter<'static, Vec<u8>>>>,
}

impl Broadcast {
    /// Lets readers in at these places.
    ///
    /// # Errors
    /// When nobody can come to one of them, with what to do.
    pub fn open(
        places: &[Place],
        token: Option<String>,
        session: &Session,
    ) -> anyhow::Result<Broadcast> {
        let greeting = greeting(session)?;
        let publisher = Publisher::open(places, token, &greeting)?;
        Ok(Broadcast { publisher, greeting, ticks: None })
    }

    /// Where a page hands over those who read by way of it.
    pub fn door(&self) -> ReaderDoor {
        self.publisher.door()
    }

    /// How many programs read.
    pub fn readers(&self) -> usize {
        self.publisher.readers()
    }

    /// Hands on what the session has run since. Never waits.
    pub fn catch_up(&mut self, session: &Session) {
        if self.readers() == 0 {
            self.ticks = None;
            return;
        }
        if self.ticks.is_none() {
            self.greet(session);
        }
        let ticks =
            self.ticks.get_or_insert_with(|| Box::new(TickWriter::publishing(session, Vec::new())));
        // Writing to memory cannot fail.
        let _ = ticks.catch_up(session);
        if let Some(lines) = ticks.out() {
            self.publisher.lines(lines);
            lines.clear();
            if self.publisher.is_state_wanted() {
                let _ = write_state(session, lines);
                self.publisher.state(lines);
                lines.clear();
            }
        }
    }

    /// Tells by which rig it goes on, if that is another one.
    fn greet(&mut self, session: &Session) {
        let Ok(greeting) = greeting(session) else { return };
        if greeting != self.greeting {
            self.publisher.greet(&greeting);
            self.greeting = greeting;
        }
    }

    /// The session is another one that has seen the same.
    pub fn go_on_with(&mut self, old: &Session) {
        self.catch_up(old);
        self.ticks = None;
    }
}

/// The line with which readers are greeted.
fn greeting(session: &Session) -> anyhow::Result<String> {
    let mut greeting = Vec::new();
    write_greeting(session, &mut greeting)?;
    let greeting = String::from_utf8(greeting).context("a greeting is text")?;
    Ok(greeting.trim_end().to_owned())
}
