//! Every event, a checkpoint now and then, and the lanes drawn from the run.
//!
//! The events are the truth; anything else can be computed from them. They
//! lie in segments, each of which begins with a copy of the machine as it was
//! then, so that any tick costs at most one short segment to compute again.
//! When the [`Capacity`] is reached, the oldest segment is dropped whole.

mod block;
mod lanes;

use alloc::{collections::VecDeque, sync::Arc, vec, vec::Vec};
use block::Block;
use gtrig_core::{Event, Machine, Marks, Nanos, Plan, Tick, run};
use lanes::Lanes;

/// How much history is kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Capacity {
    /// At most about this many events (16 bytes each).
    pub events: usize,
    /// At most about this many changes over all lanes (12 bytes each).
    pub changes: usize,
}

impl Capacity {
    /// Twenty million of each, about 610 MB when full: ten minutes of eight
    /// devices that each change four axes a thousand times a second, polled
    /// a thousand times a second. Ordinary devices leave it nearly empty.
    pub const DEFAULT: Capacity = Capacity { events: 20_000_000, changes: 20_000_000 };
}

/// The events that the next tick of a machine sees, and all later ones.
fn after<'e>(events: &'e [Event], machine: &Machine, plan: &Plan) -> &'e [Event] {
    let Tick(next) = machine.next_tick();
    let seen = match next {
        0 => 0,
        _ => {
            let last = plan.rate().time_of(Tick(next - 1));
            events.partition_point(|event| event.time <= last)
        }
    };
    &events[seen..]
}

/// A segment is closed at this many events or ticks, whichever comes first.
const SEGMENT_EVENTS: usize = 4096;

const SEGMENT_TICKS: u32 = 512;

/// The events of a stretch of ticks that is over, and the machine before the
/// first. Runs of the same history by different rigs share the events.
#[derive(Clone, Debug)]
pub(crate) struct Segment {
    pub(crate) start: Machine,
    block: Arc<Block>,
}

impl Segment {
    pub(crate) fn events(&self) -> &[Event] {
        self.block.all()
    }

    fn begins(&self) -> Tick {
        self.start.next_tick()
    }
}

/// The stretch that goes on.
#[derive(Clone, Debug)]
struct Open {
    start: Machine,
    events: Vec<Event>,
}

/// The past of a session. See the module documentation.
#[derive(Clone, Debug)]
pub struct History {
    closed: VecDeque<Arc<Segment>>,
    open: Open,
    /// Events of the open segment that a tick has seen; those after it wait.
    seen: usize,
    ticks_run: u32,
    event_count: usize,
    forgotten_events: u64,
    lanes: Lanes,
    capacity: Capacity,
}

impl History {
    pub(crate) fn capacity(&self) -> Capacity {
        self.capacity
    }

    pub(crate) fn new(machine: &Machine, plan: &Plan, capacity: Capacity) -> Self {
        let mut history = History {
            closed: VecDeque::new(),
            open: Open { start: machine.clone(), events: Vec::new() },
            seen: 0,
            ticks_run: 0,
            event_count: 0,
            forgotten_events: 0,
            lanes: Lanes::default(),
            capacity,
        };
        history.lanes.fit(machine, plan);
        history
    }

    pub(crate) fn fit(&mut self, machine: &Machine, plan: &Plan) {
        self.lanes.fit(machine, plan);
    }

    /// Adds an event after all those not later than it. It must be later than
    /// the last tick run.
    pub(crate) fn push(&mut self, event: Event) {
        let waiting = &self.open.events[self.seen..];
        // Most come in order.
        if waiting.last().is_none_or(|last| last.time <= event.time) {
            self.open.events.push(event);
        } else {
            let at = waiting.partition_point(|other| other.time <= event.time);
            self.open.events.insert(self.seen + at, event);
        }
        self.event_count += 1;
    }

    /// Runs `machine` to the end of tick `until` over the waiting events.
    pub(crate) fn run(&mut self, machine: &mut Machine, plan: &Plan, until: Tick) {
        while machine.next_tick() <= until {
            let waiting = &self.open.events[self.seen..];
            let stop = match waiting.get(SEGMENT_EVENTS) {
                // Stop where the segment will be full, but run one tick at least.
                Some(e) => {
                    plan.rate().tick_seeing(e.time).before().clamp(machine.next_tick(), until)
                }
                None => until,
            };
            let (lanes, ticks_run) = (&mut self.lanes, &mut self.ticks_run);
            self.seen += run(machine, plan, waiting, stop, |machine| {
                lanes.record(machine);
                *ticks_run += 1;
            });
            if self.seen >= SEGMENT_EVENTS || self.ticks_run >= SEGMENT_TICKS {
                let waiting = self.open.events.split_off(self.seen);
                let seen = core::mem::replace(&mut self.open.events, waiting);
                self.close_segment(Arc::new(Block::thinned(seen, plan)), machine);
            }
        }
    }

    /// Ends the open segment with these events.
    fn close_segment(&mut self, block: Arc<Block>, machine: &Machine) {
        let start = core::mem::replace(&mut self.open.start, machine.clone());
        self.closed.push_back(Arc::new(Segment { start, block }));
        (self.seen, self.ticks_run) = (0, 0);
        self.forget_excess();
    }

    /// Takes over segments of another run at the same rate and with the same
    /// rules of use, whose events this machine is run through again; those of
    /// the last one, of which `waiting` were not seen yet, are left to be run.
    pub(crate) fn rerun(
        &mut self,
        machine: &mut Machine,
        plan: &Plan,
        segments: &[Arc<Segment>],
        waiting: usize,
    ) {
        debug_assert!(self.closed.is_empty() && self.open.events.is_empty());
        for (segment, next) in segments.iter().zip(&segments[1..]) {
            let lanes = &mut self.lanes;
            let until = next.begins().before();
            run(machine, plan, segment.block.telling(), until, |machine| lanes.record(machine));
            self.event_count += segment.events().len();
            self.close_segment(Arc::clone(&segment.block), machine);
        }
        let last = segments.last().map_or(&[][..], |segment| segment.events());
        self.open.events.extend_from_slice(&last[..last.len() - waiting]);
        self.event_count += self.open.events.len();
    }

    fn forget_excess(&mut self) {
        let Capacity { events, changes } = self.capacity;
        let is_over =
            |history: &Self| history.event_count > events || history.lanes.changes > changes;
        // The segment just closed stays: a recorder that writes down what was seen
        // (see `seen_from`) has to read it first.
        while self.closed.len() > 1 && is_over(self) {
            let Some(oldest) = self.closed.pop_front() else { return };
            self.event_count -= oldest.events().len();
            self.forgotten_events += oldest.events().len() as u64;
            let horizon = self.begins();
            self.lanes.forget_before(horizon);
        }
    }

    /// The first tick that can still be looked at.
    pub fn begins(&self) -> Tick {
        self.first().next_tick()
    }

    /// The machine before the first tick that is kept.
    pub(crate) fn first(&self) -> &Machine {
        self.closed.front().map_or(&self.open.start, |segment| &segment.start)
    }

    /// Presses lost before the first tick that is kept.
    pub(crate) fn lost_before(&self) -> u64 {
        self.first().lost()
    }

    /// The events that ticks have seen, from number `from` on, counted over
    /// the whole session; those that were forgotten are skipped.
    pub(crate) fn seen_from(&self, from: u64) -> impl Iterator<Item = &Event> {
        let first = self.forgotten_events + (self.event_count - self.open.events.len()) as u64;
        // Callers mostly ask for the newest events: look from the back.
        let mut begins = first;
        let older = self.closed.iter().rev().take_while(|segment| {
            let wanted = begins > from;
            begins -= if wanted { segment.events().len() as u64 } else { 0 };
            wanted
        });
        let older = older.count();
        let skip = from.saturating_sub(begins) as usize;
        let older = self.closed.range(self.closed.len() - older..).flat_map(|s| s.events());
        older.chain(&self.open.events[..self.seen]).skip(skip)
    }

    /// The events that no tick has seen yet.
    pub(crate) fn waiting(&self) -> &[Event] {
        &self.open.events[self.seen..]
    }

    /// How many events ticks have seen over the whole session.
    pub(crate) fn seen_count(&self) -> u64 {
        let waiting = self.open.events.len() - self.seen;
        self.forgotten_events + (self.event_count - waiting) as u64
    }

    /// How many events are kept.
    pub fn event_count(&self) -> usize {
        self.event_count
    }

    /// The machine as it was after `tick`, computed again from the nearest
    /// checkpoint before it. A tick that was forgotten gives the first one
    /// kept; one that has not come yet gives the last one.
    pub(crate) fn at(&self, plan: &Plan, tick: Tick) -> Machine {
        let (start, events) = self.segment_of(tick);
        let mut machine = start.clone();
        machine.fit(plan);
        let tick = tick.max(machine.next_tick());
        run(&mut machine, plan, events, tick, |_| {});
        machine
    }

    /// Runs a machine that stands at a tick that is kept up to tick `last`.
    pub(crate) fn run_on(
        &self,
        machine: &mut Machine,
        plan: &Plan,
        last: Tick,
        mut after_tick: impl FnMut(&Machine),
    ) {
        machine.fit(plan);
        let begun = self.closed.partition_point(|segment| segment.begins() <= machine.next_tick());
        let closed = self.closed.range(begun.saturating_sub(1)..);
        let ends = closed.clone().skip(1).map(|next| next.begins());
        for (segment, end) in closed.zip(ends.chain([self.open.start.next_tick()])) {
            if machine.next_tick() < end {
                let events = after(segment.block.telling(), machine, plan);
                run(machine, plan, events, end.before().min(last), &mut after_tick);
            }
        }
        run(machine, plan, after(&self.open.events, machine, plan), last, &mut after_tick);
    }

    /// The ticks from `first` to `last`: the machine before the first, and the events that
    /// they saw.
    pub(crate) fn part(&self, plan: &Plan, first: Tick, last: Tick) -> Segment {
        let is_whole = first <= self.begins();
        let start = if is_whole { self.first().clone() } else { self.at(plan, first.before()) };
        let until = plan.rate().time_of(last);
        let events = match is_whole {
            true => {
                let closed = self.closed.iter().flat_map(|segment| segment.events());
                let all = closed.chain(&self.open.events);
                all.take_while(|event| event.time <= until).copied().collect()
            }
            false => self.events_between(plan, first.before(), last).copied().collect(),
        };
        Segment { start, block: Arc::new(Block::new(events)) }
    }

    /// The machine before the segment that `tick` is in, and its events.
    fn segment_of(&self, tick: Tick) -> (&Machine, &[Event]) {
        let begun = self.closed.partition_point(|segment| segment.begins() <= tick);
        let is_open = begun == self.closed.len() && self.open.start.next_tick() <= tick;
        match self.closed.get(begun.saturating_sub(1)) {
            Some(segment) if !is_open => (&segment.start, segment.events()),
            _ => (&self.open.start, &self.open.events),
        }
    }

    /// The events that `tick` saw: those after the tick before it.
    pub(crate) fn events_in(&self, plan: &Plan, tick: Tick) -> &[Event] {
        let (_, events) = self.segment_of(tick);
        let end = events.partition_point(|e| e.time <= plan.rate().time_of(tick));
        let start = match tick.0 {
            0 => 0,
            _ => events.partition_point(|e| e.time <= plan.rate().time_of(tick.before())),
        };
        &events[start..end]
    }

    /// The events after the instant of tick `first` and not after that of
    /// `last`, waiting ones included.
    pub(crate) fn events_between(
        &self,
        plan: &Plan,
        first: Tick,
        last: Tick,
    ) -> impl Iterator<Item = &Event> {
        let (from, to) = (plan.rate().time_of(first), plan.rate().time_of(last));
        let begun = self.closed.partition_point(|segment| segment.begins() <= first);
        let closed = self.closed.range(begun.saturating_sub(1)..);
        closed
            .map(|segment| (segment.begins(), segment.events()))
            .chain([(self.open.start.next_tick(), self.open.events.as_slice())])
            .take_while(move |(begins, _)| *begins <= last.next())
            .flat_map(move |(_, events)| {
                let start = events.partition_point(|event| event.time <= from);
                events[start..].iter().take_while(move |event| event.time <= to)
            })
    }

    /// How many reports each device sent in the last whole second before
    /// `now`. Events of the same instant are one report.
    pub(crate) fn reports_per_second(&self, plan: &Plan, now: Nanos) -> Vec<u32> {
        const SECOND: u64 = 1_000_000_000;
        let to = Nanos(now.0 / SECOND * SECOND);
        let from = Nanos(to.0.saturating_sub(SECOND));
        let mut reports = vec![(0, None); plan.device_count()];
        let first = plan.rate().tick_seeing(from);
        // Whole ticks, and of those what lies in the second.
        let events = self.events_between(plan, first.before(), plan.rate().tick_seeing(to));
        for event in events.filter(|event| event.time >= from && event.time < to) {
            let control = plan.control(event.control);
            let (count, last) = &mut reports[usize::from(control.device.0)];
            let is_said = !control.is_presence && !event.marks.contains(Marks::CARRIED);
            if is_said && *last != Some(event.time) {
                (*count, *last) = (*count + 1, Some(event.time));
            }
        }
        reports.into_iter().map(|(count, _)| count).collect()
    }

    /// All segments, the waiting events with the last. Cheap: closed segments
    /// are shared.
    pub(crate) fn segments(&self) -> Vec<Arc<Segment>> {
        let block = Arc::new(Block::new(self.open.events.clone()));
        let open = Arc::new(Segment { start: self.open.start.clone(), block });
        self.closed.iter().cloned().chain([open]).collect()
    }
}
