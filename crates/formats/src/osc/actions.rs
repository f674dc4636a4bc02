//! What comes of a session as messages: actions, gestures, combos.

use super::{SAID_AGAIN, bundle::Bundles};
use crate::gestures::outcome_word;
use gtrig_analysis::{Cursor, Session};
use gtrig_core::{ActionId, ComboOutcome, Gives, Machine, Nanos};
use rosc::OscType;

/// So many actions are said again at a time, so that a rig of thousands floods nobody.
const AT_A_TIME: usize = 256;

/// Writes what happens in a session as packets of Open Sound Control.
///
/// A bundle for each tick in which something happened, and every action again once a second,
/// for packets are lost.
#[derive(Debug)]
pub struct ActionPackets {
    cursor: Cursor,
    bundles: Bundles,
    /// When all was said again last, and which action is next.
    said: Option<Nanos>,
    next: usize,
}

impl ActionPackets {
    /// Tells what happens from now on, and first how everything stands.
    pub fn new(session: &Session) -> Self {
        let (cursor, bundles) = (Cursor::at_end(session), Bundles::default());
        ActionPackets { cursor, bundles, said: None, next: 0 }
    }

    /// Hands each packet of the ticks that have run since to `send`.
    pub fn catch_up(&mut self, session: &Session, mut send: impl FnMut(&[u8])) {
        let bundles = &mut self.bundles;
        self.cursor.catch_up(session, |machine| {
            tick(session, machine, bundles, &mut send);
        });
        self.say_again(session, &mut send);
    }

    /// Goes on with a session that has seen the same by another rig, and says all again.
    pub fn go_on_with(&mut self, session: &Session) {
        *self = ActionPackets::new(session);
    }

    fn say_again(&mut self, session: &Session, send: &mut impl FnMut(&[u8])) {
        let machine = session.now();
        let now = session.plan().rate().time_of(machine.at());
        let count = session.plan().action_count();
        if self.said.is_none_or(|said| now.0.saturating_sub(said.0) >= SAID_AGAIN.0) {
            (self.said, self.next) = (Some(now), 0);
        }
        let end = count.min(self.next + AT_A_TIME);
        for at in self.next..end {
            say(session, machine, ActionId::at(at), &mut self.bundles, send);
        }
        self.next = end.max(self.next);
        self.bundles.flush(send);
    }
}

fn tick(session: &Session, machine: &Machine, bundles: &mut Bundles, send: &mut impl FnMut(&[u8])) {
    let verdicts = machine.verdicts();
    let news = machine.combo_news();
    if machine.changed().is_empty() && verdicts.is_empty() && news.is_empty() {
        return;
    }
    let rig = session.rig();
    let at = machine.at();
    let Nanos(time) = session.plan().rate().time_of(at);
    let number = vec![OscType::Int(at.0 as i32), OscType::Long(time as i64)];
    bundles.add_apart("/gtrig/tick", number, send);
    for verdict in verdicts {
        let name = &rig.gestures[verdict.gesture.index()].name;
        let word = outcome_word(verdict.outcome);
        let says = vec![OscType::String(word.to_owned())];
        bundles.add_apart(&format!("/gtrig/gesture/{name}"), says, send);
    }
    for news in news {
        let name = &rig.combos[news.combo.index()].name;
        let word = match news.outcome {
            ComboOutcome::Fired => "fired",
            ComboOutcome::Cancelled(_) => "cancelled",
            ComboOutcome::Forgotten => "forgotten",
        };
        let says = vec![OscType::String(word.to_owned())];
        bundles.add_apart(&format!("/gtrig/combo/{name}"), says, send);
    }
    let mut changed = machine.changed().to_vec();
    changed.sort_unstable();
    for action in changed {
        say(session, machine, action, bundles, send);
    }
    bundles.flush(send);
}

/// An action under its address: on and off as 1 and 0, which every receiver reads.
fn say(
    session: &Session,
    machine: &Machine,
    action: ActionId,
    bundles: &mut Bundles,
    send: &mut impl FnMut(&[u8]),
) {
    let rig = session.rig();
    let Some(spec) = rig.actions.get(action.index()) else { return };
    let state = machine.action(action);
    let says = match spec.gives {
        Gives::On | Gives::Pulse | Gives::Toggle => {
            vec![OscType::Int(i32::from(state.is_active()))]
        }
        Gives::Axis => vec![OscType::Float(state.x)],
        Gives::Plane | Gives::Polar | Gives::Place => [state.x, state.y].map(OscType::Float).into(),
    };
    let own = rig.osc.sent.iter().find(|sent| sent.action == action);
    let address =
        own.map_or_else(|| format!("/gtrig/action/{}", spec.name), |sent| sent.address.clone());
    bundles.add_apart(&address, says, send);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{osc::read_packet, rig};
    use gtrig_analysis::Capacity;
    use gtrig_core::{CleanText, ControlInfo, ControlKind, DeviceInfo, DeviceKind};
    use gtrig_core::{Event, Marks, Rig, Tick};

    const RIG: &str = r#"rig = 1
[sampling]
poll-hz = 100
[action.horn]
gives = "on"
from = "pad/south"
[action.slew]
gives = "axis"
from = { axis = "pad/stick-l-x" }
[action.walk]
gives = "plane"
from = { stick = "pad/stick-l" }
[combo.two]
steps = "press south, press south within 1 s"
[osc.out]
horn = "/crane/horn"
"#;

    fn session(rig: Rig) -> Session {
        let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
        let axis = ControlKind::Axis { min: -100, centre: 0, max: 100 };
        let controls = [("south", ControlKind::Button), ("stick-l-x", axis), ("stick-l-y", axis)];
        let info = DeviceInfo {
            identity: "pad-a".to_owned(),
            kind: DeviceKind::Pad,
            name: CleanText::new("pad"),
            bus: CleanText::default(),
            slot: None,
            controls: controls.map(|(code, kind)| ControlInfo::new(code, kind)).into(),
        };
        session.plug(info, Nanos(0)).unwrap();
        session
    }

    fn report(session: &mut Session, code: &str, value: i32, ms: u64) {
        let (_, device) = session.roster().devices().next().unwrap();
        let control = device.control(code).unwrap();
        let time = Nanos::from_millis(ms);
        session.report(Event { time, value, control, marks: Marks::empty() });
    }

    /// The packets that were sent, each as its messages.
    fn said(packets: &mut ActionPackets, session: &Session) -> Vec<Vec<(String, Vec<OscType>)>> {
        let mut all = Vec::new();
        packets.catch_up(session, |packet| {
            assert!(packet.len() <= 1400);
            let messages = read_packet(packet).unwrap().messages;
            all.push(messages.into_iter().map(|of| (of.says.addr, of.says.args)).collect());
        });
        all
    }

    fn of(address: &str, args: &[OscType]) -> (String, Vec<OscType>) {
        (address.to_owned(), args.to_vec())
    }

    #[test]
    fn what_happens_is_sent_and_all_again_each_second() {
        let mut session = session(rig::parse("rig", RIG).unwrap_or_else(|e| panic!("{e}")));
        let mut packets = ActionPackets::new(&session);
        session.run_until(Tick(1));
        let (zero, two) = (OscType::Float(0.0), OscType::Int(1));
        let rest = vec![
            of("/crane/horn", &[OscType::Int(0)]),
            of("/gtrig/action/slew", std::slice::from_ref(&zero)),
            of("/gtrig/action/walk", &[zero.clone(), zero]),
        ];
        assert_eq!(said(&mut packets, &session), [rest]);
        report(&mut session, "south", 1, 15);
        report(&mut session, "stick-l-x", 100, 15);
        report(&mut session, "south", 0, 35);
        report(&mut session, "south", 1, 55);
        session.run_until(Tick(6));
        let sent = said(&mut packets, &session);
        let tick =
            |n: i32, ms: i64| of("/gtrig/tick", &[OscType::Int(n), OscType::Long(ms * 1_000_000)]);
        assert_eq!(sent[0][..2], [tick(2, 20), of("/crane/horn", &[two])]);
        assert_eq!(sent[0][2], of("/gtrig/action/slew", &[OscType::Float(1.0)]));
        assert_eq!(sent[1], [tick(4, 40), of("/crane/horn", &[OscType::Int(0)])]);
        let fired = of("/gtrig/combo/two", &[OscType::String("fired".to_owned())]);
        assert_eq!(sent[2][..2], [tick(6, 60), fired]);
        assert_eq!(sent.len(), 3);
        session.run_until(Tick(100));
        assert_eq!(said(&mut packets, &session).len(), 0);
        session.run_until(Tick(101));
        let again = said(&mut packets, &session);
        assert_eq!(again[0][0], of("/crane/horn", &[OscType::Int(1)]));
        // By another rig all is said at once.
        packets.go_on_with(&session);
        assert_eq!(said(&mut packets, &session), again);
    }

    /// A rig of thousands of actions is said a part at a time, and each packet is small.
    #[test]
    fn many_actions_are_said_in_turns() {
        let mut text = "rig = 1\n".to_owned();
        for n in 0..600 {
            text += &format!("[action.action-number-{n}]\ngives = \"on\"\nfrom = \"pad/south\"\n");
        }
        let mut session = session(rig::parse("rig", &text).unwrap());
        session.run_until(Tick(1));
        let mut packets = ActionPackets::new(&session);
        let mut counts = Vec::new();
        for _ in 0..4 {
            counts.push(said(&mut packets, &session).iter().map(Vec::len).sum::<usize>());
        }
        assert_eq!(counts, [256, 256, 88, 0]);
    }
}
