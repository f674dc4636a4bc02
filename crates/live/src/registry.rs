//! Who sends, who ever did, and what is known of each.

use gtrig_analysis::clock::ClockReading;
use gtrig_core::{DeviceInfo, Nanos};
use gtrig_formats::live::{Greeting, MAX_CONTROLS, MAX_DEVICES};
use gtrig_sources::{SenderIs, SenderState};
use std::{
    collections::{BTreeMap, HashMap},
    sync::{
        Arc, Mutex, MutexGuard, PoisonError,
        atomic::{AtomicBool, AtomicU64, Ordering},
    },
};
use subtle::ConstantTimeEq;

/// So many names of senders are known; no more are let in.
pub const MAX_NAMES: usize = 64;

/// What the thread of a sender counts.
#[derive(Debug, Default)]
pub(crate) struct Counts {
    pub(crate) lines: AtomicU64,
    pub(crate) faults: AtomicU64,
    pub(crate) missed: AtomicU64,
    /// Handed to the queue, and taken from it.
    pub(crate) queued: AtomicU64,
    pub(crate) taken: AtomicU64,
    pub(crate) slowed: AtomicU64,
    pub(crate) labels: AtomicU64,
    pub(crate) latency: AtomicU64,
}

/// A count goes up by one.
pub(crate) fn count(counter: &AtomicU64) {
    counter.fetch_add(1, Ordering::Relaxed);
}

/// A name, and who has it.
#[derive(Debug)]
struct Known {
    place: String,
    state: SenderIs,
    came: u32,
    delay: Nanos,
    is_our_clock: bool,
    clock: Option<ClockReading>,
    counts: Arc<Counts>,
    /// Tells the connection that has the name to close.
    is_replaced: Arc<AtomicBool>,
    /// Every device that was ever named, with how many controls it has.
    devices: HashMap<String, (DeviceInfo, usize)>,
}

/// A sender that was let in.
#[derive(Clone, Debug)]
pub(crate) struct Ticket {
    pub(crate) name: String,
    /// How often one of this name came before.
    pub(crate) came: u32,
    pub(crate) counts: Arc<Counts>,
    pub(crate) is_replaced: Arc<AtomicBool>,
}

/// Why a sender is not let in, or a device not taken in.
#[derive(Debug, thiserror::Error)]
pub(crate) enum Refusal {
    #[error("a token is needed here: `token` in the greeting, the value of GTRIG_TOKEN there")]
    NoToken,
    #[error("there are {MAX_NAMES} names of senders already, and no more are taken")]
    TooManyNames,
    #[error(
        "a sender has at most {MAX_DEVICES} devices and {MAX_CONTROLS} controls, counted over every time it came"
    )]
    TooManyDevices,
}

/// Everyone.
#[derive(Debug)]
pub(crate) struct Registry {
    known: Mutex<BTreeMap<String, Known>>,
    token: Option<String>,
}

impl Registry {
    pub(crate) fn new(token: Option<String>) -> Self {
        Registry { known: Mutex::default(), token }
    }

    fn known(&self) -> MutexGuard<'_, BTreeMap<String, Known>> {
        // A thread that panicked left nothing half done that matters here.
        self.known.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Lets a sender in. One of the same name that is still there is told to go: a
    /// connection can be dead for minutes before the system knows.
    pub(crate) fn enter(
        &self,
        greeting: &Greeting,
        place: &str,
        needs_token: bool,
        is_our_clock: bool,
    ) -> Result<Ticket, Refusal> {
        if needs_token {
            let expected = self.token.as_deref().unwrap_or_default().as_bytes();
            let said = greeting.token.as_deref().unwrap_or_default().as_bytes();
            // In a time that does not depend on what is said, but for its length.
            if expected.is_empty() || !bool::from(expected.ct_eq(said)) {
                return Err(Refusal::NoToken);
            }
        }
        let mut all = self.known();
        if !all.contains_key(&greeting.name) && all.len() == MAX_NAMES {
            return Err(Refusal::TooManyNames);
        }
        let known = all.entry(greeting.name.clone()).or_insert_with(|| Known {
            place: String::new(),
            state: SenderIs::Here,
            came: 0,
            delay: Nanos(0),
            is_our_clock,
            clock: None,
            counts: Arc::default(),
            is_replaced: Arc::default(),
            devices: HashMap::new(),
        });
        known.is_replaced.store(true, Ordering::Relaxed);
        known.is_replaced = Arc::default();
        // What was queued of the one before is not taken any more.
        known.counts.taken.store(known.counts.queued.load(Ordering::Relaxed), Ordering::Relaxed);
        known.came += 1;
        known.state = SenderIs::Here;
        known.place = place.to_owned();
        (known.delay, known.is_our_clock, known.clock) = (greeting.delay, is_our_clock, None);
        Ok(Ticket {
            name: greeting.name.clone(),
            came: known.came,
            counts: Arc::clone(&known.counts),
            is_replaced: Arc::clone(&known.is_replaced),
        })
    }

    /// Whether there is room for a device.
    pub(crate) fn admit(&self, ticket: &Ticket, info: &DeviceInfo) -> Result<(), Refusal> {
        let mut all = self.known();
        let Some(known) = all.get_mut(&ticket.name) else { return Ok(()) };
        let new = info.controls.len();
        if known.devices.get(&info.identity).is_some_and(|(before, _)| before == info) {
            return Ok(());
        }
        let controls: usize = known.devices.values().map(|(_, controls)| controls).sum();
        // One that comes with other controls is another one, and both stay known.
        let before = known.devices.get(&info.identity).map_or(0, |(_, controls)| *controls);
        let is_room = known.devices.len() < MAX_DEVICES || before > 0;
        if !is_room || controls + new > MAX_CONTROLS {
            return Err(Refusal::TooManyDevices);
        }
        known.devices.insert(info.identity.clone(), (info.clone(), before + new));
        Ok(())
    }

    /// What is known of its clock by now.
    pub(crate) fn read_clock(&self, ticket: &Ticket, reading: Option<ClockReading>) {
        if let Some(known) = self.known().get_mut(&ticket.name) {
            known.clock = reading;
        }
    }

    /// A sender went, unless another has its name by now.
    pub(crate) fn left(&self, ticket: &Ticket, state: SenderIs) {
        if let Some(known) = self.known().get_mut(&ticket.name)
            && known.came == ticket.came
        {
            known.state = state;
        }
    }

    /// Everyone who ever came, by name.
    pub(crate) fn states(&self) -> Vec<SenderState> {
        let load = |counter: &AtomicU64| counter.load(Ordering::Relaxed);
        let state = |(name, known): (&String, &Known)| {
            let counts = &known.counts;
            SenderState {
                name: name.clone(),
                place: known.place.clone(),
                state: known.state,
                came: known.came,
                lines: load(&counts.lines),
                faults: load(&counts.faults),
                missed: load(&counts.missed),
                waiting: load(&counts.queued).saturating_sub(load(&counts.taken)),
                slowed: load(&counts.slowed),
                latency: Nanos(load(&counts.latency)),
                clock: known.clock,
                is_our_clock: known.is_our_clock,
                delay: known.delay,
            }
        };
        self.known().iter().map(state).collect()
    }

    /// The longest delay of those who are here.
    pub(crate) fn delay(&self) -> Nanos {
        let all = self.known();
        let here = all.values().filter(|known| known.state == SenderIs::Here);
        here.map(|known| known.delay).max().unwrap_or_default()
    }
}
