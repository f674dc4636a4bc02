//! What comes of a session, published while it goes on.

use anyhow::Context;
use gtrig_analysis::Session;
use gtrig_formats::{
    osc::{ActionPackets, CursorPackets},
    ticks::{TickWriter, write_greeting, write_state},
};
use gtrig_live::{OscTarget, Place, Publisher, ReaderDoor};

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
    /// Who is sent packets, whether anybody listens or not.
    targets: Vec<(Packets, OscTarget)>,
}

/// What a target is sent.
#[derive(Debug)]
enum Packets {
    Actions(Box<ActionPackets>),
    Fingers(Box<CursorPackets>),
}

impl Packets {
    fn catch_up(&mut self, session: &Session, send: impl FnMut(&[u8])) {
        match self {
            Packets::Actions(packets) => packets.catch_up(session, send),
            Packets::Fingers(packets) => packets.catch_up(session, send),
        }
    }

    fn go_on_with(&mut self, session: &Session) {
        match self {
            Packets::Actions(packets) => packets.go_on_with(session),
            Packets::Fingers(packets) => packets.go_on_with(session),
        }
    }
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
        let (mut doors, mut targets) = (Vec::new(), Vec::new());
        for place in places {
            let (packets, to) = match *place {
                Place::Osc(to) => (Packets::Actions(Box::new(ActionPackets::new(session))), to),
                Place::Tuio(to) => (Packets::Fingers(Box::new(CursorPackets::new(session))), to),
                _ => {
                    doors.push(place.clone());
                    continue;
                }
            };
            let target = OscTarget::new(to).with_context(|| format!("cannot send to {place}"))?;
            targets.push((packets, target));
        }
        let publisher = Publisher::open(&doors, token, &greeting)?;
        Ok(Broadcast { publisher, greeting, ticks: None, targets })
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
        for (packets, target) in &mut self.targets {
            packets.catch_up(session, |packet| target.send(packet));
        }
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

    /// Tells by which rig it goes on, if that is another one, and how everything stands by it.
    fn greet(&mut self, session: &Session) {
        let Ok(greeting) = greeting(session) else { return };
        if greeting != self.greeting {
            self.publisher.greet(&greeting);
            self.greeting = greeting;
            let mut state = Vec::new();
            let _ = write_state(session, &mut state);
            self.publisher.lines(&state);
        }
    }

    /// The session is another one that has seen the same.
    pub fn go_on_with(&mut self, old: &Session, new: &Session) {
        self.catch_up(old);
        self.ticks = None;
        for (packets, _) in &mut self.targets {
            packets.go_on_with(new);
        }
    }
}

/// The line with which readers are greeted.
fn greeting(session: &Session) -> anyhow::Result<String> {
    let mut greeting = Vec::new();
    write_greeting(session, &mut greeting)?;
    let greeting = String::from_utf8(greeting).context("a greeting is text")?;
    Ok(greeting.trim_end().to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_analysis::Capacity;
    use gtrig_core::{Rig, Tick};
    use std::{
        io::{BufRead, BufReader},
        os::unix::net::UnixStream,
        time::{Duration, Instant},
    };

    fn session(zone: &str) -> Session {
        let text = format!(
            "rig = 1\nname = \"Quay\"\n[zone.horn]\nrect = {zone}\n\
             [action.horn]\ngives = \"on\"\nfrom = {{ zone = \"horn\" }}\n"
        );
        let rig: Rig = gtrig_formats::rig::parse("quay.toml", &text).unwrap();
        Session::new(rig, Tick(0), Capacity::DEFAULT)
    }

    /// A zone that is moved is told to those who draw it.
    #[test]
    fn another_rig_is_told_to_those_who_read() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("out");
        let (mut before, mut after) = (session("[0, 0, 0.5, 1]"), session("[0.25, 0, 0.5, 1]"));
        let mut broadcast = Broadcast::open(&[Place::Unix(path.clone())], None, &before).unwrap();
        let stream = UnixStream::connect(&path).unwrap();
        stream.set_read_timeout(Some(Duration::from_secs(30))).unwrap();
        let mut lines = BufReader::new(stream).lines().map_while(Result::ok);
        let started = Instant::now();
        while broadcast.readers() == 0 {
            assert!(started.elapsed() < Duration::from_secs(30), "it is not let in");
        }
        // It is greeted once it is told how things stand.
        let (told, heard) = std::sync::mpsc::channel();
        std::thread::spawn(move || lines.try_for_each(|line| told.send(line)));
        let mut until = |session: &mut Session, words: &str| {
            let started = Instant::now();
            loop {
                broadcast.catch_up(session);
                let line = heard.recv_timeout(Duration::from_millis(5)).unwrap_or_default();
                if line.contains(words) {
                    break broadcast.go_on_with(session, session);
                }
                assert!(started.elapsed() < Duration::from_secs(30), "never told of {words}");
            }
        };
        until(&mut before, r#""rect":[0.0,0.0,0.5,1.0]"#);
        until(&mut before, r#""action":"horn""#);
        until(&mut after, r#""rect":[0.25,0.0,0.5,1.0]"#);
        // What it knew of the actions was by the other rig.
        until(&mut after, r#""action":"horn""#);
    }
}
