//! Touch panels and the zones on them.

use super::Binder;
use crate::base::{ActionId, ContactId, ControlId, ZoneId};
use crate::device::{ControlKind, ControlRef, Device, DeviceKind, Roster};
use crate::gesture::{BoundGesture, GesturePlan, OriginAxis, Signs};
use crate::plan::ActionGate;
use crate::spec::{Gesture, Rig, Surface};
use crate::touch::Contact;
use alloc::{format, vec, vec::Vec};
use core::ops::Range;

impl Binder<'_> {
    /// Nothing where no zone and no gesture asks for it.
    pub(super) fn contact_of(&self) -> Vec<Option<ContactId>> {
        if self.rig.zones.is_empty() && self.rig.gestures.is_empty() {
            return Vec::new();
        }
        let mut contact_of = vec![None; self.roster.controls().len()];
        for (contact, id) in self.touch.contacts.iter().zip((0..).map(ContactId)) {
            for control in [contact.down, contact.x, contact.y] {
                contact_of[control.index()] = Some(id);
            }
        }
        contact_of
    }

    /// The contacts of each panel, by their places.
    pub(super) fn panels(&self) -> Vec<Range<usize>> {
        let mut first = 0;
        let panels = self.touch.contacts.chunk_by(|a, b| a.panel == b.panel);
        panels
            .map(|panel| {
                let range = first..first + panel.len();
                first = range.end;
                range
            })
            .collect()
    }

    /// The gestures of the rig.
    pub(super) fn gestures(&self) -> GesturePlan {
        let origins: Vec<Option<[OriginAxis; 2]>> =
            self.rig.gestures.iter().map(|gesture| self.origin(gesture)).collect();
        let bound = self.rig.gestures.iter().zip(&origins);
        let axes = origins.iter().flatten().flatten();
        GesturePlan {
            origins: axes.map(|axis| axis.control).collect(),
            gestures: bound
                .map(|(gesture, origin)| BoundGesture::new(gesture, &self.touch.zones, *origin))
                .collect(),
            signs: Signs::new(&self.rig.signs),
        }
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

/// The contacts of the touch panels of a roster, in its order.
pub(super) fn contacts(roster: &Roster, surface: &Surface) -> Vec<Contact> {
    let turn = surface.turn;
    let panels = roster.devices().filter(|(_, device)| device.info.kind == DeviceKind::Glass);
    let of = |device: &Device, panel: u16, n: u16| {
        let part = |axis: &str| device.control(&format!("contact-{n}{axis}"));
        let (down, x, y) = (part("")?, part("-x")?, part("-y")?);
        let size = surface.mm.unwrap_or_else(|| turn.size(size(roster, x, y)));
        let travel = [x, y].map(|axis| roster.info(axis).kind);
        let pixels = surface.pixels.map(|[width, _]| width);
        Some(Contact { down, x, y, size, turn, panel, travel, pixels })
    };
    let all = panels
        .zip(0..)
        .flat_map(|((_, device), panel)| (1..).map_while(move |n| of(device, panel, n)));
    all.collect()
}

/// How wide a surface is taken to be that does not say it: a hand-held one.
const NOMINAL_WIDTH_MM: f64 = 160.0;

/// How large a surface is, in millimetres. One that does not say it counts as of
/// a nominal width, and its units as square.
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
