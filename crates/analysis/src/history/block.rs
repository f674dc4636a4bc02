//! The events of a segment, and those of them that tell a run anything.

use alloc::vec::Vec;
use gtrig_core::{ControlKind, Event, Marks, Plan, Tick};

/// Events that no longer change, in order.
///
/// Invariant: a machine that runs over [`Block::telling`] by a plan of the same
/// rate and the same rules of use comes to the same state after every tick as
/// over all of them.
#[derive(Clone, Debug)]
pub(crate) struct Block {
    all: Vec<Event>,
    /// `None` where leaving some out would not pay.
    telling: Option<Vec<Event>>,
}

impl Block {
    /// All of them tell.
    pub(crate) fn new(all: Vec<Event>) -> Self {
        Block { all, telling: None }
    }

    /// Of what an axis says between two polls only the first and the last word
    /// count, and where it begins or ends to be in use.
    pub(crate) fn thinned(mut all: Vec<Event>, plan: &Plan) -> Self {
        all.shrink_to_fit();
        let mut telling = Vec::with_capacity(all.len());
        let mut said = alloc::vec![Said::default(); plan.control_count()];
        let mut rest = all.as_slice();
        while let Some(event) = rest.first() {
            let tick = plan.rate().tick_seeing(event.time);
            let until = plan.rate().time_of(tick);
            let here = rest.iter().take_while(|event| event.time <= until).count();
            let (now, later) = rest.split_at(here);
            thin(now, tick, plan, &mut said, &mut telling);
            rest = later;
        }
        let pays = telling.len() <= all.len() / 2;
        telling.shrink_to_fit();
        Block { telling: pays.then_some(telling), all }
    }

    /// All events.
    pub(crate) fn all(&self) -> &[Event] {
        &self.all
    }

    /// Those that a run needs.
    pub(crate) fn telling(&self) -> &[Event] {
        self.telling.as_deref().unwrap_or(&self.all)
    }
}

/// What a control said so far in a tick.
#[derive(Clone, Copy, Default)]
struct Said {
    tick: Option<Tick>,
    /// The place of its last word among the events of the tick.
    last: usize,
    is_used: bool,
}

/// Takes over the events of one tick that tell anything.
fn thin(now: &[Event], tick: Tick, plan: &Plan, said: &mut [Said], telling: &mut Vec<Event>) {
    let is_presence = |event: &Event| plan.control(event.control).is_presence;
    // Who can be heard decides what counts at all.
    if now.len() == 1 || now.iter().any(is_presence) {
        telling.extend_from_slice(now);
        return;
    }
    for (at, event) in now.iter().enumerate() {
        said[event.control.index()].last = at;
    }
    for (at, event) in now.iter().enumerate() {
        let control = plan.control(event.control);
        let said = &mut said[event.control.index()];
        let is_first = said.tick != Some(tick);
        let is_used = plan.is_in_use(event.control, event.value);
        let is_turn = is_used != said.is_used;
        let is_state = !matches!(control.kind, ControlKind::Button | ControlKind::Relative);
        if is_first || is_turn || said.last == at || !is_state || event.marks != Marks::empty() {
            telling.push(*event);
        }
        (said.tick, said.is_used) = (Some(tick), is_used);
    }
}
