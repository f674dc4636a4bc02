//! Where fingers went since they landed.
//!
//! Each is kept once for a contact, for all attempts with it.

use crate::gesture::{GesturePlan, Recent, Tracks, Trail};
use crate::spec::GestureKind;
use crate::touch::{Contact, ContactUpdate, Landing};
use alloc::vec::Vec;

/// The ways of all contacts, as far as the gestures of a rig ask for them.
#[derive(Clone, Debug, Default)]
pub(super) struct Ways {
    /// How far each contact got.
    pub(super) tracks: Tracks,
    /// For each contact the stroke that it draws; empty in a rig without signs.
    pub(super) trails: Vec<Trail>,
    /// For each contact its last places; empty in a rig without flicks.
    pub(super) recent: Vec<Recent>,
}

impl Ways {
    /// Makes room for so many contacts.
    pub(super) fn fit(&mut self, plan: &GesturePlan, contacts: usize) {
        self.tracks.fit(contacts);
        if !plan.signs.is_empty() {
            self.trails.resize(contacts, Trail::default());
            self.trails.iter_mut().for_each(Trail::fit);
        }
        if plan.gestures.iter().any(|gesture| gesture.kind == GestureKind::Flick) {
            self.recent.resize(contacts, Recent::EMPTY);
        }
    }

    /// A finger that was there went on.
    pub(super) fn go_on(&mut self, plan: &GesturePlan, update: &ContactUpdate) {
        let contact = update.contact.index();
        self.tracks.go_on(update, &plan.units);
        if let Some(trail) = self.trails.get_mut(contact) {
            trail.add(update.lifted.map_or(update.place, |lift| lift.place));
        }
        if let Some(recent) = self.recent.get_mut(contact)
            && update.lifted.is_none()
        {
            recent.add(update.at, update.place);
        }
    }

    /// All attempts have heard how a finger went on.
    pub(super) fn forget_news(&mut self, update: &ContactUpdate) {
        self.tracks.forget_news(update.contact);
        if let Some(trail) = self.trails.get_mut(update.contact.index())
            && update.lifted.is_some()
        {
            trail.end();
        }
    }

    /// A finger lands.
    pub(super) fn land(
        &mut self,
        plan: &GesturePlan,
        contact: &Contact,
        (update, landing): (&ContactUpdate, Landing),
    ) {
        if let Some(trail) = self.trails.get_mut(update.contact.index()) {
            trail.begin(update.place);
        }
        if let Some(recent) = self.recent.get_mut(update.contact.index()) {
            recent.begin(landing.time, update.place);
        }
        self.tracks.land(update, contact, &plan.units);
    }
}
