//! What a loop of another kind would have seen of the same events.
//!
//! An audit polls the same events with the same sampler ([`Machine::tick`]) at
//! the instants of a modelled loop, and follows every press: was it seen, lost
//! between two polls, seen late, or, where a variable frame loop feeds a fixed
//! step, read twice or not at all.
//!
//! A press that is seen has a latency: from the instant of its event to that of
//! the poll which showed it. Percentiles are by nearest rank: the smallest
//! latency that at least so large a share of them does not exceed.

use alloc::vec::Vec;
use gtrig_core::{
    Control, ControlId, Edge, Event, Machine, Marks, Nanos, Plan, PollRate, Presence, Tick,
};
use rand_pcg::{Pcg32, rand_core::Rng};

/// A loop that polls.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Loop {
    /// How often it means to poll.
    pub rate: PollRate,
    /// How far a poll strays from its instant, as a share of the period, to
    /// either side: 0 to 0.5. Polls keep their order.
    pub jitter: f64,
    /// Stalls, if it has any.
    pub hitches: Option<Hitches>,
    /// The fixed step that it feeds, if it is a frame loop: edges are flagged
    /// per frame and read by every step that the frame runs.
    pub step: Option<PollRate>,
}

/// Stalls at regular intervals: for so long no poll happens, and then one.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Hitches {
    /// From the beginning of one to that of the next.
    pub every: Nanos,
    /// How long each lasts.
    pub lasts: Nanos,
}

impl Loop {
    /// A loop that polls at its rate and does nothing else.
    pub const fn steady(rate: PollRate) -> Self {
        Loop { rate, jitter: 0.0, hitches: None, step: None }
    }

    /// Its polls from instant 0 on. The same loop always strays the same way.
    pub(crate) fn polls(self) -> Polls {
        Polls { of: self, rng: Pcg32::new(1, 1), next: Tick(0), last: None }
    }

    /// Whether every poll comes at its instant.
    pub(crate) fn is_steady(self) -> bool {
        self.jitter == 0.0 && self.hitches.is_none()
    }

    fn after_hitch(self, at: Nanos) -> Nanos {
        let Some(Hitches { every, lasts }) = self.hitches.filter(|h| h.every.0 > 0) else {
            return at;
        };
        // The first hitch begins after the first interval.
        let into = at.0 % every.0;
        if at.0 >= every.0 && into < lasts.0 { Nanos(at.0 - into + lasts.0) } else { at }
    }
}

/// The polls of a loop, one after the other.
#[derive(Clone, Debug)]
pub(crate) struct Polls {
    of: Loop,
    /// One number is drawn for each tick.
    rng: Pcg32,
    next: Tick,
    last: Option<Nanos>,
}

impl Polls {
    /// The next poll; there is always one.
    pub(crate) fn next_poll(&mut self) -> Nanos {
        let period = 1e9 / self.of.rate.hz();
        loop {
            // A whole number between -1 and 1, exact in f64.
            let stray = f64::from(self.rng.next_u32() >> 8) / f64::from(1 << 23) - 1.0;
            let shift = stray * self.of.jitter.clamp(0.0, 0.5) * period;
            let meant = self.of.rate.time_of(self.next).0 as f64 + shift;
            self.next = self.next.next();
            let at = self.of.after_hitch(Nanos(meant.max(0.0) as u64));
            // All polls that a hitch holds up are one poll.
            if self.last.is_none_or(|last| at > last) {
                self.last = Some(at);
                return at;
            }
        }
    }

    /// Leaves out polls well before a time, in one step; those that are left are the
    /// same. Returns how many ticks of the loop that were, each a poll where the loop is
    /// steady. A few polls before the time are left, so that a loop that was silent has
    /// its usual frame before what comes next.
    pub(crate) fn skip_before(&mut self, time: Nanos) -> u32 {
        const LEFT: u32 = 4;
        let held_up = self.of.hitches.map_or(0, |hitches| hitches.lasts.0);
        let early = Nanos(time.0.saturating_sub(held_up));
        let to = self.of.rate.tick_at(early).0.saturating_sub(LEFT);
        let count = to.saturating_sub(self.next.0);
        self.rng.advance(u64::from(count));
        self.next = Tick(self.next.0 + count);
        count
    }
}

/// What became of the presses of one control, or of all.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Presses {
    /// Presses in the events.
    pub sent: u64,
    /// Those that a poll showed.
    pub seen: u64,
    /// Those that no poll showed.
    pub lost: u64,
    /// Those that a debounce took out.
    pub chatter: u64,
    /// Of those seen, shown later than one period after their event.
    pub delayed: u64,
    /// Of those seen, flagged in a frame that ran no step: the step never
    /// read them.
    pub missed_by_step: u64,
    /// Of those seen, flagged in a frame that ran several steps: each of them
    /// read the press.
    pub doubled_by_step: u64,
    /// Of those seen, from event to poll, shortest first.
    latencies: Vec<u64>,
}

impl Presses {
    /// The latency that a share of the presses seen does not exceed (nearest
    /// rank); 0 is the shortest, 1 the longest. `None` when none was seen.
    pub fn latency(&self, share: f64) -> Option<Nanos> {
        let rank = libm::ceil(share.clamp(0.0, 1.0) * self.latencies.len() as f64) as usize;
        self.latencies.get(rank.saturating_sub(1)).copied().map(Nanos)
    }

    fn add(&mut self, other: &Presses) {
        self.sent += other.sent;
        self.seen += other.seen;
        self.lost += other.lost;
        self.chatter += other.chatter;
        self.delayed += other.delayed;
        self.missed_by_step += other.missed_by_step;
        self.doubled_by_step += other.doubled_by_step;
        self.latencies.extend(&other.latencies);
    }
}

/// What one loop made of the events.
#[derive(Clone, Debug)]
pub struct LoopAudit {
    /// The loop.
    pub of: Loop,
    /// Every button that was pressed, in the order of ids.
    pub controls: Vec<(ControlId, Presses)>,
    /// All of them together.
    pub total: Presses,
}

/// The shortest time for which any button was down, or up between two
/// presses: a state loop that polls at least this often cannot lose a press,
/// whatever its phase. `None` when no button was pressed and released.
pub fn shortest_state(plan: &Plan, events: &[Event]) -> Option<Nanos> {
    let mut moved: Vec<Option<Nanos>> = alloc::vec![None; plan.control_count()];
    let mut held = Held::new(plan);
    let mut shortest: Option<Nanos> = None;
    for event in buttons(plan, events) {
        held.hear(plan, event, |id, _| {
            if let Some(last) = moved[id.index()].replace(event.time) {
                let lasted = Nanos(event.time.0 - last.0);
                shortest = Some(shortest.map_or(lasted, |s| s.min(lasted)));
            }
        });
    }
    shortest
}

fn buttons<'e>(plan: &'e Plan, events: &'e [Event]) -> impl Iterator<Item = &'e Event> {
    events.iter().filter(|event| plan.control(event.control).kind.is_button())
}

/// After so many polls an audit says how far it is.
const POLLS_PER_WORD: usize = 8192;

/// So long after the last event a loop goes on at most: a press that a debounce holds
/// back shows much sooner, and a shape that never comes to rest shows none.
const AFTERMATH: Nanos = Nanos::from_millis(10_000);

/// Polls `events`, which are in order, by a modelled loop. How edges are
/// derived is the plan's; its own rate plays no part.
pub fn audit(plan: &Plan, events: &[Event], of: Loop) -> LoopAudit {
    audit_with(plan, events, of, |_| {})
}

/// The same, and tells now and then what share of the time of the events has
/// been polled, from 0 to 1.
pub fn audit_with(
    plan: &Plan,
    events: &[Event],
    of: Loop,
    mut progress: impl FnMut(f64),
) -> LoopAudit {
    let events: Vec<Event> = buttons(plan, events).copied().collect();
    let end = events.last().map_or(1, |event| event.time.0.max(1));
    let mut auditor = Auditor::new(plan, of);
    let mut used = 0;
    let mut polls = of.polls();
    for poll in 0usize.. {
        // However long nothing happens, it costs nothing.
        if let Some(next) = events.get(used).filter(|_| auditor.machine.is_settled()) {
            polls.skip_before(next.time);
        }
        let now = polls.next_poll();
        if poll.is_multiple_of(POLLS_PER_WORD) {
            progress((now.0 as f64 / end as f64).min(1.0));
        }
        let here = events[used..].iter().take_while(|event| event.time <= now).count();
        auditor.poll(now, &events[used..used + here]);
        used += here;
        let is_over = auditor.machine.is_settled() || now.0 > end + AFTERMATH.0;
        if used == events.len() && is_over {
            break;
        }
    }
    auditor.finish()
}

/// Which buttons the events hold down, on devices that can be heard.
struct Held {
    /// By control.
    down: Vec<bool>,
    /// By device.
    is_heard: Vec<bool>,
}

impl Held {
    fn new(plan: &Plan) -> Self {
        Held {
            down: alloc::vec![false; plan.control_count()],
            is_heard: alloc::vec![false; plan.device_count()],
        }
    }

    /// Takes in an event of a button or a presence, and tells of each button that moved by it, and
    /// whether it is down now. A device that cannot be heard lets go of its buttons, and what it
    /// says then moves none.
    fn hear(&mut self, plan: &Plan, event: &Event, mut moved: impl FnMut(ControlId, bool)) {
        let Control { device, is_presence, .. } = plan.control(event.control);
        if is_presence {
            let is_here = Presence::from_value(event.value) == Presence::Here;
            self.is_heard[device.index()] = is_here;
            for (down, id) in self.down.iter_mut().zip((0..).map(ControlId)) {
                if *down && !is_here && plan.control(id).device == device {
                    *down = false;
                    moved(id, false);
                }
            }
        } else if self.is_heard[device.index()] && !event.marks.contains(Marks::REPEAT) {
            let is_down = event.value != 0;
            let was_down = &mut self.down[event.control.index()];
            if core::mem::replace(was_down, is_down) != is_down {
                moved(event.control, is_down);
            }
        }
    }
}

struct Auditor<'p> {
    plan: &'p Plan,
    of: Loop,
    machine: Machine,
    /// Per control: its presses, and when those were reported of which no edge was seen yet.
    presses: Vec<(Presses, Vec<Nanos>)>,
    held: Held,
    /// Steps that the frame loop has run.
    steps: u32,
}

impl<'p> Auditor<'p> {
    fn new(plan: &'p Plan, of: Loop) -> Self {
        let count = plan.control_count();
        Auditor {
            plan,
            of,
            machine: Machine::new(plan, Tick(0)),
            presses: alloc::vec![(Presses::default(), Vec::new()); count],
            held: Held::new(plan),
            steps: 0,
        }
    }

    fn poll(&mut self, now: Nanos, events: &[Event]) {
        for event in events {
            self.note(event);
        }
        let steps = self.steps_of_frame(now);
        if events.is_empty() && self.machine.is_settled() {
            return;
        }
        self.machine.tick(self.plan, now, events);
        for i in 0..self.machine.touched().len() {
            let id = self.machine.touched()[i];
            let cell = self.machine.control(id);
            if cell.edge() == Some(Edge::Press) && !self.plan.control(id).is_presence {
                self.saw(id, now, steps);
            }
        }
    }

    /// Counts a press of the events themselves.
    fn note(&mut self, event: &Event) {
        let all = &mut self.presses;
        self.held.hear(self.plan, event, |id, is_down| {
            if is_down && !event.marks.contains(Marks::CARRIED) {
                let (presses, reports) = &mut all[id.index()];
                presses.sent += 1;
                reports.push(event.time);
            }
        });
    }

    /// How many fixed steps the frame at `now` runs.
    fn steps_of_frame(&mut self, now: Nanos) -> Option<u32> {
        let due = self.of.step?.tick_at(now).0;
        let run = due - self.steps;
        self.steps = due;
        Some(run)
    }

    fn saw(&mut self, id: ControlId, now: Nanos, steps: Option<u32>) {
        let (presses, reports) = &mut self.presses[id.index()];
        // A debounce may have it count later than it was reported; chatter that came after that
        // is no part of it.
        let counted = self.machine.control(id).pressed_at();
        let later = reports.partition_point(|report| *report <= counted);
        let reported = reports.drain(..later).next_back().unwrap_or(counted);
        let latency = now.0.saturating_sub(reported.0);
        presses.seen += 1;
        presses.delayed += u64::from(latency as f64 > 1e9 / self.of.rate.hz());
        presses.missed_by_step += u64::from(steps == Some(0));
        presses.doubled_by_step += u64::from(steps.is_some_and(|steps| steps > 1));
        presses.latencies.push(latency);
    }

    fn finish(self) -> LoopAudit {
        let mut total = Presses::default();
        let mut controls = Vec::new();
        for ((mut presses, _), id) in self.presses.into_iter().zip(0..) {
            if presses.sent == 0 {
                continue;
            }
            presses.chatter = u64::from(self.machine.control(ControlId(id)).chatter());
            presses.lost = presses.sent - presses.seen.min(presses.sent);
            presses.lost = presses.lost.saturating_sub(presses.chatter);
            presses.latencies.sort_unstable();
            total.add(&presses);
            controls.push((ControlId(id), presses));
        }
        total.latencies.sort_unstable();
        LoopAudit { of: self.of, controls, total }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_core::{
        ControlInfo, ControlKind, DeviceInfo, DeviceKind, Presence, Rig, Roster, SlotRules,
    };
    use proptest::prelude::*;

    const DAY: u64 = 86_400_000_000_000;

    proptest! {
        /// Polls that were left out do not change those that are left.
        #[test]
        fn the_polls_that_are_left_are_the_same(
            hz in 10.0..1000.0f64,
            jitter in 0.0..0.5f64,
            hitch in proptest::option::of((100_000_000u64..2_000_000_000, 1_000_000u64..90_000_000)),
            until in 0u64..20_000_000_000,
        ) {
            let hitches = hitch.map(|(every, lasts)| Hitches { every: Nanos(every), lasts: Nanos(lasts) });
            let of = Loop { rate: PollRate::from_hz(hz).unwrap(), jitter, hitches, step: None };
            let (mut all, mut left) = (of.polls(), of.polls());
            left.skip_before(Nanos(until));
            let from = |polls: &mut Polls| -> Vec<Nanos> {
                let mut found = Vec::new();
                while found.len() < 20 {
                    let poll = polls.next_poll();
                    found.extend((poll.0 >= until).then_some(poll));
                }
                found
            };
            prop_assert_eq!(from(&mut all), from(&mut left));
        }
    }

    /// A press today and one thirty days later: found at once, by any loop.
    #[test]
    fn a_pause_costs_nothing() {
        let mut roster = Roster::default();
        let info = DeviceInfo {
            identity: "p".into(),
            kind: DeviceKind::Pad,
            name: gtrig_core::CleanText::new("p"),
            bus: gtrig_core::CleanText::default(),
            slot: None,
            controls: alloc::vec![ControlInfo::new("south", ControlKind::Button)],
        };
        let pad = roster.admit(info, &SlotRules::default()).unwrap();
        let device = roster.device(pad);
        let (presence, south) = (device.presence(), device.control("south").unwrap());
        let plan = Plan::bind(&Rig::bare("t", PollRate::DEFAULT), &roster);
        let press = |at: u64| {
            [Event::new(Nanos(at), south, 1), Event::new(Nanos(at + 50_000_000), south, 0)]
        };
        let here = Event::new(Nanos(0), presence, Presence::Here.value());
        let events = [here].into_iter().chain(press(DAY)).chain(press(29 * DAY));
        let events: Vec<Event> = events.collect();
        let rate = PollRate::from_hz(1000.0).unwrap();
        let hitches = Some(Hitches { every: Nanos(500_000_000), lasts: Nanos(40_000_000) });
        for of in [
            Loop::steady(rate),
            Loop { jitter: 0.3, ..Loop::steady(rate) },
            Loop { hitches, step: PollRate::from_hz(50.0), ..Loop::steady(rate) },
        ] {
            let found = audit(&plan, &events, of);
            assert_eq!((found.total.sent, found.total.seen), (2, 2), "{of:?}");
        }
    }
}
