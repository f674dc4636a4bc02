//! The fingers on the panels of a session, as TUIO 1.1 tells of them: 2-D cursors.

use super::{CURSORS, SAID_AGAIN, bundle::Bundles};
use gtrig_analysis::{Cursor, Session};
use gtrig_core::{Contact, DeviceKind, Machine, Nanos};
use rosc::OscType;
use std::collections::BTreeMap;

/// Writes the fingers of all touch panels as packets: a frame for each panel and each tick in
/// which a report of it counted, and all of it again once a second.
#[derive(Debug)]
pub struct CursorPackets {
    cursor: Cursor,
    said: Option<Nanos>,
    panels: Panels,
}

/// What was told of the panels.
#[derive(Debug, Default)]
struct Panels {
    bundles: Bundles,
    /// By the number of the panel.
    known: BTreeMap<u16, Panel>,
    /// The number of the newest finger.
    newest: i32,
}

#[derive(Debug, Default)]
struct Panel {
    frames: i32,
    /// By the place of the contact on it.
    fingers: BTreeMap<usize, Finger>,
}

/// A finger that touches.
#[derive(Clone, Copy, Debug)]
struct Finger {
    number: i32,
    place: [f32; 2],
    /// In widths and heights a second.
    speed: [f32; 2],
    /// By how much the speed grows in a second.
    growth: f32,
    told: Nanos,
}

impl CursorPackets {
    /// Tells of fingers from now on, and first of those that touch.
    pub fn new(session: &Session) -> Self {
        let (cursor, panels) = (Cursor::at_end(session), Panels::default());
        CursorPackets { cursor, said: None, panels }
    }

    /// Goes on with a session that has seen the same by another rig; fingers keep their
    /// numbers.
    pub fn go_on_with(&mut self, session: &Session) {
        (self.cursor, self.said) = (Cursor::at_end(session), None);
    }

    /// Hands each packet of the ticks that have run since to `send`.
    pub fn catch_up(&mut self, session: &Session, mut send: impl FnMut(&[u8])) {
        let panels = &mut self.panels;
        self.cursor.catch_up(session, |machine| {
            panels.look(session, machine, false, &mut send);
        });
        let machine = session.now();
        let now = session.plan().rate().time_of(machine.at());
        if self.said.is_none_or(|said| now.0.saturating_sub(said.0) >= SAID_AGAIN.0) {
            self.said = Some(now);
            self.panels.look(session, machine, true, &mut send);
        }
    }
}

impl Panels {
    /// Tells of the panels of which something was reported; `again` of all, as they are.
    fn look(
        &mut self,
        session: &Session,
        machine: &Machine,
        again: bool,
        send: &mut impl FnMut(&[u8]),
    ) {
        let roster = session.roster();
        let is_finger =
            |contact: &&Contact| roster.device_of(contact.down).info.kind == DeviceKind::Glass;
        let mut contacts: Vec<&Contact> =
            session.plan().contacts().iter().filter(is_finger).collect();
        contacts.sort_by_key(|contact| contact.panel);
        for fingers in contacts.chunk_by(|one, other| one.panel == other.panel) {
            let parts = |contact: &&Contact| [contact.down, contact.x, contact.y];
            let is_new = fingers.iter().flat_map(parts).any(|id| machine.touched().contains(&id));
            if again || is_new {
                let name = roster.device_of(fingers[0].down).address().to_string();
                self.frame(session, machine, (&name, fingers), again, send);
            }
        }
    }

    fn frame(
        &mut self,
        session: &Session,
        machine: &Machine,
        (name, contacts): (&str, &[&Contact]),
        again: bool,
        send: &mut impl FnMut(&[u8]),
    ) {
        let now = session.plan().rate().time_of(machine.at());
        let panel = self.known.entry(contacts[0].panel).or_default();
        for (at, contact) in contacts.iter().enumerate() {
            let down = machine.control(contact.down);
            if down.seen == 0 {
                panel.fingers.remove(&at);
                continue;
            }
            let place = contact.place([contact.x, contact.y].map(|id| machine.control(id).value));
            let finger = panel.fingers.entry(at).or_insert_with(|| {
                self.newest = self.newest.wrapping_add(1);
                Finger::landing(self.newest, place, now)
            });
            finger.move_to(place, now);
        }
        panel.frames = if again { panel.frames } else { panel.frames.wrapping_add(1).max(1) };
        let word = |text: &str| OscType::String(text.to_owned());
        let numbers = panel.fingers.values().map(|finger| OscType::Int(finger.number));
        let mut say = |args| self.bundles.add(CURSORS, args);
        say(vec![word("source"), OscType::String(format!("green-trigger-{name}"))]);
        say([word("alive")].into_iter().chain(numbers).collect());
        for finger in panel.fingers.values() {
            let Finger { number, place, speed, growth, .. } = *finger;
            let of_it = [place[0], place[1], speed[0], speed[1], growth].map(OscType::Float);
            say([word("set"), OscType::Int(number)].into_iter().chain(of_it).collect());
        }
        let frame = if again { -1 } else { panel.frames };
        say(vec![word("fseq"), OscType::Int(frame)]);
        self.bundles.flush(send);
    }
}

impl Finger {
    fn landing(number: i32, place: [f32; 2], now: Nanos) -> Self {
        Finger { number, place, speed: [0.0; 2], growth: 0.0, told: now }
    }

    fn move_to(&mut self, place: [f32; 2], now: Nanos) {
        let seconds = now.0.saturating_sub(self.told.0) as f32 / 1e9;
        if seconds <= 0.0 {
            return;
        }
        let speed = [0, 1].map(|axis| (place[axis] - self.place[axis]) / seconds);
        let length = |of: [f32; 2]| of[0].hypot(of[1]);
        self.growth = (length(speed) - length(self.speed)) / seconds;
        (self.place, self.speed, self.told) = (place, speed, now);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::osc::{CursorReader, FINGERS, finger_controls, read_packet};
    use gtrig_analysis::Capacity;
    use gtrig_core::{
        ADDRESSED_UNITS, CleanText, ControlId, DeviceInfo, Event, Marks, PollRate, Rig, Tick,
    };
    use proptest::prelude::*;
    use rosc::OscMessage;

    fn panel(name: &str) -> DeviceInfo {
        DeviceInfo {
            identity: name.to_owned(),
            kind: DeviceKind::Glass,
            name: CleanText::new(name),
            bus: CleanText::default(),
            slot: None,
            controls: finger_controls(),
        }
    }

    fn session(panels: &[&str]) -> (Session, Vec<Vec<ControlId>>) {
        let rig = Rig::bare("fingers", PollRate::from_hz(100.0).unwrap());
        let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
        for name in panels {
            session.plug(panel(name), Nanos(0)).unwrap();
        }
        let controls = session.roster().devices().map(|(_, of)| of.controls().collect());
        let controls = controls.collect();
        (session, controls)
    }

    fn report(session: &mut Session, control: ControlId, value: i32, ms: u64) {
        let time = Nanos::from_millis(ms);
        session.report(Event { time, value, control, marks: Marks::empty() });
    }

    /// What was sent, as its arguments in words.
    fn said(packets: &mut CursorPackets, session: &Session) -> Vec<String> {
        let mut all = Vec::new();
        packets.catch_up(session, |packet| {
            let word = |of: &OscType| match of {
                OscType::String(text) => text.clone(),
                OscType::Int(n) => n.to_string(),
                OscType::Float(n) => n.to_string(),
                other => format!("{other:?}"),
            };
            let words = |of: OscMessage| of.args.iter().map(word).collect::<Vec<_>>().join(" ");
            let packet = read_packet(packet).unwrap();
            assert_eq!(packet.faults, []);
            all.extend(packet.messages.into_iter().map(|message| words(message.says)));
        });
        all
    }

    #[test]
    fn a_finger_has_its_number_place_and_speed() {
        let (mut session, controls) = session(&["glass-a"]);
        let [down, x, y] = [0, 1, 2].map(|at| controls[0][at]);
        let mut packets = CursorPackets::new(&session);
        for (control, value, ms) in
            [(x, 250_000, 5), (y, 500_000, 5), (down, 1, 5), (x, 500_000, 15), (down, 0, 35)]
        {
            report(&mut session, control, value, ms);
        }
        session.run_until(Tick(5));
        let source = "source green-trigger-glass";
        let expected = [
            source,
            "alive 1",
            "set 1 0.25 0.5 0 0 0",
            "fseq 1",
            source,
            "alive 1",
            "set 1 0.5 0.5 25 0 2500",
            "fseq 2",
            source,
            "alive",
            "fseq 3",
            // All of it again, for packets are lost.
            source,
            "alive",
            "fseq -1",
        ];
        let told = said(&mut packets, &session);
        assert_eq!(told, expected);
        // A second later once more, and nothing in between.
        session.run_until(Tick(60));
        assert_eq!(said(&mut packets, &session), [""; 0]);
        session.run_until(Tick(110));
        assert_eq!(said(&mut packets, &session), [source, "alive", "fseq -1"]);
        report(&mut session, down, 1, 1_105);
        session.run_until(Tick(115));
        let told = said(&mut packets, &session);
        assert_eq!(told[1], "alive 2", "another finger has another number");
    }

    #[test]
    fn every_panel_is_a_source() {
        let (mut session, controls) = session(&["glass-a", "glass-b"]);
        let mut packets = CursorPackets::new(&session);
        session.run_until(Tick(1));
        said(&mut packets, &session);
        report(&mut session, controls[1][0], 1, 25);
        session.run_until(Tick(5));
        let told = said(&mut packets, &session);
        assert_eq!((told.len(), &*told[0]), (4, "source green-trigger-glass2"));
    }

    proptest! {
        /// What is sent is heard again as it was, whatever the fingers do.
        #[test]
        fn what_is_sent_is_heard_again(
            moves in proptest::collection::vec(
                (0..FINGERS, 0..3usize, 0..=ADDRESSED_UNITS, 1..40u64), 1..120
            ),
        ) {
            let (mut session, controls) = session(&["glass-a"]);
            let (mut packets, mut reader) = (CursorPackets::new(&session), CursorReader::default());
            let mut heard = vec![0; controls[0].len()];
            let mut now = 0;
            for (finger, part, value, after) in moves {
                now += after;
                let value = if part == 0 { value % 2 } else { value };
                report(&mut session, controls[0][3 * finger + part], value, now);
                session.run_before(Nanos::from_millis(now));
                packets.catch_up(&session, |packet| {
                    for message in read_packet(packet).unwrap().messages {
                        if let Some(frame) = reader.hear(&message.says).unwrap() {
                            assert!(!frame.is_late && frame.left_out == 0);
                            frame.changes.into_iter().for_each(|(at, value)| heard[at as usize] = value);
                        }
                    }
                });
                // Contacts may be others there: fingers are compared by where they are.
                let sent = |at: usize| session.now().control(controls[0][at]).seen;
                let places = |of: &dyn Fn(usize) -> i32| {
                    let down = (0..FINGERS).filter(|finger| of(3 * finger) != 0);
                    let mut all: Vec<_> = down.map(|n| (of(3 * n + 1), of(3 * n + 2))).collect();
                    all.sort_unstable();
                    all
                };
                prop_assert_eq!(places(&sent), places(&|at| heard[at]));
            }
        }
    }
}
