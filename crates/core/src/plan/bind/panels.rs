//! Touch panels and pointers, and the zones and gestures on them.
//!
//! A panel with five fingers is five contacts. A pointer is a contact for each of its buttons
//! that the rig asks for, and one for hover; all of them are where its x and y are. Contacts are
//! numbered in the order of the roster, those of a panel side by side.

use super::Binder;
use crate::base::{ActionId, ContactId, ControlId, ZoneId};
use crate::device::{ControlKind, ControlRef, Device, DeviceKind, Roster};
use crate::gesture::{BoundGesture, GesturePlan, OriginAxis, Signs};
use crate::plan::ActionGate;
use crate::spec::{Gesture, Pointing, PointingSet, Rig, Surface, Turn};
use crate::touch::Contact;
use alloc::{format, vec, vec::Vec};
use core::ops::Range;

impl Binder<'_> {
    /// For each control the contacts that it is part of: the first and how many. Nothing at all
    /// where no zone and no gesture asks for it.
    pub(super) fn contacts_of(&self) -> Vec<(ContactId, u16)> {
        if self.rig.zones.is_empty() && self.rig.gestures.is_empty() {
            return Vec::new();
        }
        let mut contacts_of = vec![(ContactId(0), 0); self.roster.controls().len()];
        for (contact, id) in self.touch.contacts.iter().zip((0..).map(ContactId)) {
            for part in [contact.down, contact.x, contact.y] {
                // Those of one device come one after the other.
                let (first, count) = &mut contacts_of[part.index()];
                *first = if *count == 0 { id } else { *first };
                *count += 1;
            }
        }
        contacts_of
    }

    /// The gestures of the rig.
    pub(super) fn gestures(&self) -> GesturePlan {
        let origins: Vec<Option<[OriginAxis; 2]>> =
            self.rig.gestures.iter().map(|gesture| self.origin(gesture)).collect();
        let bound = self.rig.gestures.iter().zip(&origins);
        let axes = origins.iter().flatten().flatten();
        GesturePlan::new(
            bound
                .map(|(gesture, origin)| BoundGesture::new(gesture, &self.touch.zones, *origin))
                .collect(),
            Signs::new(&self.rig.signs),
            axes.map(|axis| axis.control).collect(),
        )
    }

    /// The controls that say where the origin of an aim is: of several devices that
    /// have them the first.
    fn origin(&self, gesture: &Gesture) -> Option<[OriginAxis; 2]> {
        let axis = |reference: &ControlRef| {
            let control = reference.resolve(self.roster).next()?;
            let is_centred = matches!(self.roster.control(control).kind, ControlKind::Axis { .. });
            Some(OriginAxis { control, is_centred })
        };
        let [x, y] = gesture.origin.as_ref()?;
        Some([axis(x)?, axis(y)?])
    }

    /// Some contacts feed an action.
    pub(super) fn feed_by(&mut self, contacts: Range<usize>, action: ActionId) {
        let of = &self.touch.contacts[contacts];
        let controls = of.iter().flat_map(|contact| [contact.down, contact.x, contact.y]);
        self.feeds.extend(controls.map(|control| (control, action)));
    }
}

/// The contacts of a roster, in its order: those of touch panels, and those of
/// pointers that a rig asks for.
///
/// Buttons of a pointer that no zone and no gesture asks for make no contact, so that a mouse costs
/// nothing in a rig for a touch panel.
pub(super) fn contacts(roster: &Roster, rig: &Rig) -> Vec<Contact> {
    let asked = asked(rig);
    let mut contacts = Vec::new();
    let mut panel = 0;
    for (_, device) in roster.devices() {
        let surface = Panel { roster, device, surface: &rig.surface, panel };
        let before = contacts.len();
        match device.info.kind {
            DeviceKind::Glass => contacts.extend((1..).map_while(|n| surface.finger(n))),
            DeviceKind::Mouse => contacts.extend(asked.iter().filter_map(|by| surface.pointer(by))),
            _ => {}
        }
        panel += u16::from(contacts.len() > before || device.info.kind == DeviceKind::Glass);
    }
    contacts
}

/// Whether a contact has to hear of every movement; see [`crate::touch::TouchPlan::hears_movements`].
pub(super) fn hears_movements(contact: &Contact, roster: &Roster) -> bool {
    let is_place = |kind: &ControlKind| matches!(kind, ControlKind::Position { .. });
    !roster.control(contact.down).kind.is_button() || !contact.travel.iter().all(is_place)
}

/// What the zones and gestures of a rig are made by.
fn asked(rig: &Rig) -> PointingSet {
    let of_zones = rig.zones.iter().map(|zone| zone.by);
    let of_gestures = rig.gestures.iter().map(|gesture| gesture.by);
    of_zones.chain(of_gestures).fold(PointingSet::FINGERS, PointingSet::or)
}

/// A device on whose surface something points.
struct Panel<'a> {
    /// The devices.
    roster: &'a Roster,
    /// The one.
    device: &'a Device,
    /// What the rig says of panels.
    surface: &'a Surface,
    /// Its number among all that have contacts.
    panel: u16,
}

impl Panel<'_> {
    /// The finger of a number, from 1, where the device has controls for it.
    fn finger(&self, n: u16) -> Option<Contact> {
        let part = |axis: &str| self.device.control(&format!("contact-{n}{axis}"));
        let controls = [part("")?, part("-x")?, part("-y")?];
        Some(self.contact(controls, Pointing::Finger, self.surface.turn))
    }

    /// What a pointer makes: nothing, if it has no such button, or no place.
    ///
    /// A mouse that reports motion alone has no place on a surface; one with a position, and a pen,
    /// have.
    fn pointer(&self, by: Pointing) -> Option<Contact> {
        let control = |code: &str| self.device.control(code);
        let controls = [control(by.control()?)?, control("x")?, control("y")?];
        let is_place =
            |id: ControlId| matches!(self.roster.info(id).kind, ControlKind::Position { .. });
        // The picture of a pointer is upright, however a panel is turned.
        let there = controls[1..].iter().all(|&axis| is_place(axis));
        there.then(|| self.contact(controls, by, Turn::None))
    }

    /// A contact that these controls report: whether it is there, x and y.
    ///
    /// What the rig says of the size goes before what the device says; that is turned with the
    /// picture.
    fn contact(&self, [down, x, y]: [ControlId; 3], by: Pointing, turn: Turn) -> Contact {
        let Panel { roster, surface, panel, .. } = *self;
        let size = surface.mm.unwrap_or_else(|| turn.size(size(roster, x, y)));
        let travel = [x, y].map(|axis| roster.info(axis).kind);
        let pixels = surface.pixels.map(|[width, _]| width);
        Contact { down, x, y, size, turn, by, panel, travel, pixels }
    }
}

/// How wide a surface is taken to be that does not say it: a hand-held one.
const NOMINAL_WIDTH_MM: f64 = 160.0;

/// How large a surface is, in millimetres. One that does not say it counts as of
/// a nominal width, and its units as square.
///
/// `(max - min) / resolution` along each axis, where the driver says how many units are a
/// millimetre. Without that a width of 160 mm is taken, and for the height the same units.
fn size(roster: &Roster, x: ControlId, y: ControlId) -> [f32; 2] {
    let extent = |id: ControlId| {
        let info = roster.info(id);
        let (min, max) = info.kind.range().unwrap_or((0, 1));
        (f64::from(max) - f64::from(min), f64::from(info.grain.resolution))
    };
    let ((width, per_x), (height, per_y)) = (extent(x), extent(y));
    // A surface without extent is as good as a square one.
    if !(width > 0.0 && height > 0.0) {
        return [NOMINAL_WIDTH_MM as f32; 2];
    }
    let size = match per_x > 0.0 && per_y > 0.0 {
        true => [width / per_x, height / per_y],
        false => [NOMINAL_WIDTH_MM, NOMINAL_WIDTH_MM * height / width],
    };
    size.map(|mm| mm as f32)
}

/// The actions that open and close zones, each with its zone.
pub(super) fn zone_gates(rig: &Rig) -> Vec<(ZoneId, ActionGate)> {
    let mut gates = Vec::new();
    for (zone, id) in rig.zones.iter().zip((0..).map(ZoneId)) {
        for (by, closes) in [(&zone.closed_while, true), (&zone.open_while, false)] {
            gates.extend(by.iter().map(|&by| (id, ActionGate { by, closes })));
        }
    }
    gates
}

#[cfg(test)]
mod tests {
    use crate::base::{CleanText, PollRate};
    use crate::device::{ControlInfo, ControlKind, DeviceInfo, DeviceKind, Roster, SlotRules};
    use crate::plan::Plan;
    use crate::spec::{Gesture, GestureKind, Rig};
    use alloc::vec;
    use rstest::rstest;

    const POSITION: ControlKind = ControlKind::Position { min: 0, max: 100 };
    const AXIS: ControlKind = ControlKind::Axis { min: -100, centre: 0, max: 100 };
    const TRIGGER: ControlKind = ControlKind::Trigger { min: 0, max: 100 };

    #[rstest]
    #[case::as_panels_are(ControlKind::Button, POSITION, false)]
    #[case::places_that_rest_in_the_middle(ControlKind::Button, AXIS, true)]
    #[case::how_hard_it_is_touched(TRIGGER, POSITION, true)]
    fn movements_are_heard_of_what_is_no_touch_or_no_place(
        #[case] touch: ControlKind,
        #[case] place: ControlKind,
        #[case] heard: bool,
    ) {
        let controls = [("contact-1", touch), ("contact-1-x", POSITION), ("contact-1-y", place)];
        let glass = DeviceInfo {
            identity: "glass".into(),
            kind: DeviceKind::Glass,
            name: CleanText::default(),
            bus: CleanText::default(),
            slot: None,
            controls: controls.map(|(code, kind)| ControlInfo::new(code, kind)).into(),
        };
        let mut roster = Roster::default();
        roster.admit(glass, &SlotRules::default()).unwrap();
        let mut rig = Rig::bare("it", PollRate::DEFAULT);
        rig.gestures = vec![Gesture::new("press", GestureKind::Press)];
        assert_eq!(Plan::bind(&rig, &roster).touch.hears_movements, heard);
    }
}
