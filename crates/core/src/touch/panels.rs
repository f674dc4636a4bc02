//! All contacts of a run, located once per tick.
//!
//! ```text
//!  events ──▶ receive: which fingers ended or landed
//!  polls  ──▶ read:    which contacts are to be located
//!             locate:  zones for each, and what gestures are told
//! ```

use super::{Contact, ContactState, ContactUpdate, Zones};
use crate::base::{ContactId, ControlId, Nanos, SparseSet, ZoneId, ZoneSet};
use crate::device::Event;
use crate::sample::ControlState;
use alloc::vec::Vec;

/// The touch panels of a roster and the zones of a rig.
#[derive(Clone, Debug, Default)]
pub(crate) struct TouchPlan {
    /// The zones, in shares of a panel.
    pub(crate) zones: Zones,
    /// The contacts of every touch panel and of every pointer that the rig asks for,
    /// those of a panel together.
    pub(crate) contacts: Vec<Contact>,
    /// For each control the contacts it is part of, which lie side by side: the first
    /// and how many. Empty where no zone and no gesture asks.
    pub(crate) contacts_of: Vec<(ContactId, u16)>,
    /// Whether contacts hear of every movement. Otherwise they ask their controls, when they are
    /// polled or a finger is lifted, and most events need not be told. (While a debounce holds
    /// something back all are, so that it is known where a finger was at its end.) That is not
    /// enough where something else than a button says that a finger is there, or something else
    /// than a place, which has no rest to go back to, says where.
    pub(crate) hears_movements: bool,
}

impl TouchPlan {
    /// Whether a zone or a gesture asks for contacts.
    #[inline]
    pub(crate) fn is_asked(&self) -> bool {
        !self.contacts_of.is_empty()
    }

    /// The contact of an id of the same plan.
    #[inline]
    pub(crate) fn contact(&self, contact: ContactId) -> &Contact {
        &self.contacts[contact.index()]
    }

    /// The contacts that a control is part of.
    #[inline]
    pub(crate) fn contacts_of(&self, control: ControlId) -> impl Iterator<Item = ContactId> {
        let none = (ContactId(0), 0);
        let (first, count) = self.contacts_of.get(control.index()).copied().unwrap_or(none);
        (first.0..first.0 + count).map(ContactId)
    }
}

/// The state of every contact.
///
/// Invariant: after a tick no contact is due, and `updates` has each contact at most once.
#[derive(Clone, Debug, Default)]
pub(crate) struct Panels {
    /// By [`ContactId`].
    contacts: Vec<ContactState>,
    /// Those to be located in this tick.
    due: SparseSet<ContactId>,
    /// Those that a zone got or lost in this tick.
    changed: Vec<ContactId>,
    /// What this tick found out about contacts that are down or were, for the gestures.
    updates: Vec<ContactUpdate>,
    /// The zones that are closed now.
    closed: ZoneSet,
}

impl Panels {
    /// Makes room for the contacts of a plan.
    ///
    /// A roster only grows, so the contacts that are there keep their numbers.
    pub(crate) fn fit(&mut self, plan: &TouchPlan) {
        let count = plan.contacts.len();
        self.contacts.resize(count, ContactState::default());
        self.due.grow(count);
        self.changed.reserve(count - self.changed.len());
        self.updates.clear();
        self.updates.reserve(count);
    }

    /// Whether a zone got a contact in the last tick, or lost one.
    pub(crate) fn has_changed(&self) -> bool {
        !self.changed.is_empty()
    }

    /// What this tick found out about contacts: lifts and movements first, then landings in the
    /// order in which they were.
    pub(crate) fn updates(&self) -> &[ContactUpdate] {
        &self.updates
    }

    /// Every contact, in the order of the plan.
    pub(crate) fn contacts(&self) -> &[ContactState] {
        &self.contacts
    }

    /// A contact, if the plan has it.
    pub(crate) fn contact(&self, contact: ContactId) -> Option<&ContactState> {
        self.contacts.get(contact.index())
    }

    /// The first contact that a zone has.
    pub(crate) fn first_in(&self, zone: ZoneId) -> Option<ContactId> {
        self.contacts.iter().position(|contact| contact.is_in(zone)).map(ContactId::at)
    }

    /// The contacts that are in any of these zones.
    pub(crate) fn in_any(&self, zones: ZoneSet) -> impl Iterator<Item = ContactId> {
        let all = ContactId::first(self.contacts.len());
        all.filter(move |id| !zones.is_empty() && self.contacts[id.index()].is_in_any(zones))
    }

    /// Ends the tick before.
    #[inline]
    pub(crate) fn begin_tick(&mut self) {
        for contact in self.changed.drain(..) {
            self.contacts[contact.index()].age();
        }
        self.updates.clear();
    }

    /// Takes in an event of a control that may be part of a contact. Movements need be told only
    /// where contacts [hear](TouchPlan::hears_movements) of them.
    ///
    /// Apart, so that taking in events stays small where nobody asks for contacts.
    #[inline(never)]
    pub(crate) fn receive(&mut self, plan: &TouchPlan, controls: &[ControlState], event: &Event) {
        for id in plan.contacts_of(event.control) {
            self.contacts[id.index()].hear(plan.contact(id), controls, event);
        }
    }

    /// A control was polled: the contact it is part of is to be located.
    #[inline]
    pub(crate) fn read(&mut self, plan: &TouchPlan, control: ControlId) {
        for contact in plan.contacts_of(control) {
            self.due.insert(contact);
        }
    }

    /// Closes these zones and opens all others; the contacts that are down are
    /// located again where that is another set than before.
    ///
    /// A finger that stays where it is can so get out of a zone or into one.
    pub(crate) fn close(&mut self, closed: ZoneSet) {
        if core::mem::replace(&mut self.closed, closed) == closed {
            return;
        }
        for id in ContactId::first(self.contacts.len()) {
            if self.contacts[id.index()].is_down() {
                self.due.insert(id);
            }
        }
    }

    /// Finds out which zones have the contacts that are due. `found` is called once for each of them,
    /// with the zones that have it now and those that got it or lost it.
    #[inline]
    pub(crate) fn locate(
        &mut self,
        plan: &TouchPlan,
        controls: &[ControlState],
        now: Nanos,
        mut found: impl FnMut(ZoneSet, ZoneSet),
    ) {
        let Panels { contacts, due, changed: list, updates, closed } = self;
        for id in due.drain() {
            let contact = (plan.contact(id), id);
            let state = &mut contacts[id.index()];
            let (zones, update) = state.poll(&plan.zones, contact, controls, (*closed, now));
            if update.lifted.is_some() || state.is_down() {
                updates.push(update);
            }
            if !zones.is_empty() {
                list.push(id);
            }
            found(update.zones, zones);
        }
        // Fingers begin their attempts in the order in which they landed.
        updates.sort_unstable_by_key(|update| update.landed.map(|landing| landing.id));
    }
}
