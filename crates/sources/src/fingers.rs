//! Fingers that a person draws with the mouse: a touch panel of two contacts.
//!
//! The owner of the mouse says where each finger is; what is drawn is reported
//! like any touch. The panel is plugged in when the first finger lands.

use gtrig_analysis::Session;
use gtrig_core::{
    AxisInfo, CleanText, ControlInfo, ControlKind, DeviceId, DeviceInfo, DeviceKind, Event, Marks,
    Nanos, RosterError,
};

/// How many fingers there are.
pub const FINGERS: usize = 2;

const UNITS_PER_MM: f32 = 100.0;

/// The panel, and where its fingers are.
#[derive(Debug)]
pub struct Fingers {
    /// In millimetres.
    size: [f32; 2],
    device: Option<DeviceId>,
    is_down: [bool; FINGERS],
}

impl Fingers {
    /// A panel of this size in millimetres, which is not plugged in yet.
    pub fn new(size: [f32; 2]) -> Self {
        Fingers { size: size.map(|mm| mm.max(1.0)), device: None, is_down: [false; FINGERS] }
    }

    /// The panel, once a finger has touched it.
    pub fn device(&self) -> Option<DeviceId> {
        self.device
    }

    /// Whether a finger is down.
    pub fn is_down(&self, finger: usize) -> bool {
        self.is_down[finger]
    }

    /// Puts a finger (0 or 1) down or moves it to a place in shares of the
    /// panel, held within it; or lifts it.
    ///
    /// # Errors
    /// When the roster has no room for the panel.
    pub fn touch(
        &mut self,
        session: &mut Session,
        finger: usize,
        place: Option<[f32; 2]>,
        now: Nanos,
    ) -> Result<(), RosterError> {
        if place.is_none() && !self.is_down[finger] {
            return Ok(());
        }
        let device = match self.device {
            Some(device) => device,
            None => *self.device.insert(session.plug(info(self.size), now)?),
        };
        let mut say = |part: &str, value: i32| {
            let code = format!("contact-{}{part}", finger + 1);
            if let Some(control) = session.roster().device(device).control(&code) {
                session.report(Event { time: now, value, control, marks: Marks::empty() });
            }
        };
        if let Some([x, y]) = place {
            let units = |share: f32, mm: f32| (share.clamp(0.0, 1.0) * mm * UNITS_PER_MM) as i32;
            say("-x", units(x, self.size[0]));
            say("-y", units(y, self.size[1]));
        }
        if place.is_some() != self.is_down[finger] {
            say("", i32::from(place.is_some()));
        }
        self.is_down[finger] = place.is_some();
        Ok(())
    }

    /// Lifts every finger.
    pub fn lift(&mut self, session: &mut Session, now: Nanos) {
        for finger in 0..FINGERS {
            // A panel whose finger is down is plugged in.
            let _ = self.touch(session, finger, None, now);
        }
    }
}

fn info([width, height]: [f32; 2]) -> DeviceInfo {
    let grain = AxisInfo { resolution: UNITS_PER_MM as i32, ..AxisInfo::default() };
    let place = |code: String, mm: f32| {
        let kind = ControlKind::Position { min: 0, max: (mm * UNITS_PER_MM) as i32 };
        ControlInfo { grain, ..ControlInfo::new(&code, kind) }
    };
    let finger = |n: usize| {
        [
            ControlInfo::new(&format!("contact-{n}"), ControlKind::Button),
            place(format!("contact-{n}-x"), width),
            place(format!("contact-{n}-y"), height),
        ]
    };
    DeviceInfo {
        identity: "drawn-fingers".to_owned(),
        kind: DeviceKind::Glass,
        name: CleanText::new("fingers drawn with the mouse"),
        bus: CleanText::new("terminal"),
        slot: None,
        controls: (1..=FINGERS).flat_map(finger).collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_analysis::Capacity;
    use gtrig_core::{PollRate, Rig, Tick};

    #[test]
    fn fingers_land_move_and_lift_on_a_panel_of_their_own() {
        let rig = Rig::bare("bare", PollRate::DEFAULT);
        let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
        let mut fingers = Fingers::new([160.0, 90.0]);
        let ms = Nanos::from_millis;
        fingers.touch(&mut session, 0, None, ms(1)).unwrap();
        assert_eq!(fingers.device(), None);
        fingers.touch(&mut session, 0, Some([0.5, 0.5]), ms(20)).unwrap();
        fingers.touch(&mut session, 1, Some([2.0, -1.0]), ms(21)).unwrap();
        session.run_until(Tick(4));
        let value = |session: &Session, code: &str| {
            let device = session.roster().device(fingers.device().unwrap());
            session.now().control(device.control(code).unwrap()).seen
        };
        let all =
            ["contact-1", "contact-1-x", "contact-1-y", "contact-2", "contact-2-x", "contact-2-y"];
        assert_eq!(all.map(|code| value(&session, code)), [1, 8_000, 4_500, 1, 16_000, 0]);
        fingers.lift(&mut session, ms(90));
        session.run_until(Tick(6));
        assert_eq!(
            [all[0], all[3]].map(|code| session
                .now()
                .control(session.roster().device(DeviceId(0)).control(code).unwrap())
                .seen),
            [0, 0]
        );
    }
}
