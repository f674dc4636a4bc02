//! The rig, run at the instants at which a game polled.

use super::{
    Held,
    rows::{Compared, Row, Rows, Start},
};
use alloc::vec::Vec;
use gtrig_core::{ActionState, Aspect, Event, Gives, Machine, Nanos, Plan, Rig, Roster, Tick};

/// So long after its last event a machine that goes on by itself is run between frames:
/// then it has come to rest, or never will.
const AFTERMATH: Nanos = Nanos::from_millis(10_000);

/// Events, and how many of them have been heard by the poll of each row.
///
/// Two frames may poll at one instant, and read different values then: times alone do not tell
/// which of them heard what.
#[derive(Clone, Debug, Default)]
pub(super) struct Heard {
    events: Vec<Event>,
    /// For each row; they never fall.
    ends: Vec<usize>,
}

impl Heard {
    /// What devices had said by each poll.
    pub(super) fn said(events: &[Event], rows: &Rows) -> Self {
        let end = |row: &Row| events.partition_point(|event| event.time <= row.polled[0]);
        Heard { events: events.to_vec(), ends: rows.list.iter().map(end).collect() }
    }

    /// The next row hears what lies in `events` beyond what the rows before it have heard.
    pub(super) fn add_row(&mut self, events: &mut Vec<Event>) {
        events.sort_by_key(|event| event.time);
        self.events.append(events);
        self.ends.push(self.events.len());
    }

    /// All of the events.
    pub(super) fn events(&self) -> &[Event] {
        &self.events
    }

    /// Some of them alone.
    pub(super) fn only(&self, is_heard: impl Fn(&Event) -> bool) -> Self {
        let mut left = Heard::default();
        let mut begin = 0;
        for &end in &self.ends {
            left.events.extend(self.events[begin..end].iter().filter(|event| is_heard(event)));
            left.ends.push(left.events.len());
            begin = end;
        }
        left
    }
}

/// The frames along which rigs are run.
#[derive(Clone, Copy, Debug)]
pub(super) struct Road<'a> {
    roster: &'a Roster,
    rows: &'a Rows,
}

impl<'a> Road<'a> {
    pub(super) fn new(held: Held<'a>, rows: &'a Rows) -> Self {
        Road { roster: held.roster, rows }
    }

    /// What values should be in each row by a rig that hears this.
    pub(super) fn series(&self, rig: &Rig, heard: &Heard, of: &[Compared]) -> Vec<Vec<f64>> {
        self.series_to(rig, heard, of, self.rows.list.len())
    }

    /// The same of the first rows.
    pub(super) fn series_to(
        &self,
        rig: &Rig,
        heard: &Heard,
        of: &[Compared],
        count: usize,
    ) -> Vec<Vec<f64>> {
        let mut series: Vec<Vec<f64>> = of.iter().map(|_| Vec::with_capacity(count)).collect();
        let mut was: Vec<ActionState> = of.iter().map(|_| ActionState::IDLE).collect();
        self.run(rig, heard, count, |row, machine| {
            for ((column, was), compared) in series.iter_mut().zip(&mut was).zip(of) {
                let now = machine.action(compared.target.action);
                column.push(value(compared, row, *was, now));
                *was = now;
            }
        });
        for (column, compared) in series.iter_mut().zip(of) {
            if compared.is_count {
                wait_for_steps(&self.rows.list, column);
            } else if compared.gives == Gives::Toggle {
                turn_with(&self.rows.list, compared, column);
            }
        }
        series
    }

    /// Runs a rig along the first rows and shows the machine after each.
    pub(super) fn run(
        &self,
        rig: &Rig,
        heard: &Heard,
        count: usize,
        mut see: impl FnMut(&Row, &Machine),
    ) {
        let plan = Plan::bind(rig, self.roster);
        let machine = Machine::new(&plan, Tick(0));
        let mut run = Run { plan: &plan, machine, events: &heard.events, used: 0 };
        for (row, &end) in self.rows.list[..count].iter().zip(&heard.ends) {
            let poll = row.polled[0];
            if row.begins() {
                run.pass(poll, end);
            }
            let seconds = match row.start {
                Start::Follows => row.seconds as f32,
                _ => plan.rate().period_seconds(),
            };
            run.poll(poll, seconds, end);
            if row.start == Start::Again {
                run.start_again(poll);
            }
            see(row, &run.machine);
        }
    }
}

/// A machine and what it has heard.
struct Run<'p> {
    plan: &'p Plan,
    machine: Machine,
    events: &'p [Event],
    used: usize,
}

impl Run<'_> {
    /// Polls, and hears what lies before `end`.
    fn poll(&mut self, now: Nanos, seconds: f32, end: usize) {
        let is_due = self.machine.next_deadline().is_some_and(|deadline| deadline <= now);
        if self.used == end && self.machine.is_settled() && !is_due {
            self.machine.skip_to(self.machine.next_tick().next());
            return;
        }
        self.machine.tick_lasting(self.plan, now, seconds, &self.events[self.used..end]);
        self.used = end;
    }

    /// Polls at the rate of the rig for as long as no frame is known, up to and not at
    /// `until`, and hears what lies before `end`.
    fn pass(&mut self, until: Nanos, end: usize) {
        let rate = self.plan.rate();
        let mut last: Option<(Tick, Nanos)> = None;
        loop {
            let left = &self.events[self.used..end];
            let event = left.first().map(|event| rate.tick_seeing(event.time));
            let heard = self.events[..self.used].last().map_or(Nanos(0), |event| event.time);
            let next = last.map(|(tick, _)| tick.next());
            let by_itself = next.filter(|tick| {
                !self.machine.is_settled() && rate.time_of(*tick).0 <= heard.0 + AFTERMATH.0
            });
            let wakes = self.machine.next_deadline().map(|time| rate.tick_seeing(time));
            let Some(due) = [event, by_itself, wakes].into_iter().flatten().min() else { return };
            let due = next.map_or(due, |next| due.max(next));
            let now = rate.time_of(due);
            if now >= until {
                return;
            }
            let here = left.partition_point(|event| event.time <= now);
            self.poll(now, rate.period_seconds(), self.used + here);
            last = Some((due, now));
        }
    }

    /// The game begins anew, with the devices as they are: what is held is no press.
    fn start_again(&mut self, now: Nanos) {
        let opening = self.machine.opening(self.plan, now);
        self.machine = Machine::new(self.plan, Tick(0));
        self.machine.tick(self.plan, now, &opening);
    }
}

/// What a value of the game should be in a row.
fn value(compared: &Compared, row: &Row, was: ActionState, now: ActionState) -> f64 {
    let times = compared.target.times;
    let turned = |is_so: bool| if is_so { times } else { 0.0 };
    let part = f64::from(if compared.target.aspect.is_second() { now.y } else { now.x });
    match compared.target.aspect {
        Aspect::X | Aspect::Y => part * times,
        // A pulse is over after one frame, and on again when it fires in the next.
        Aspect::Pressed => {
            let is_pulse = compared.gives == Gives::Pulse;
            turned(now.is_active() && (!was.is_active() || is_pulse))
        }
        Aspect::Released => turned(was.is_active() && !now.is_active()),
        Aspect::MovedX | Aspect::MovedY => part * times * row.seconds,
    }
}

/// What happens in a frame that runs no fixed step is read by the next step that is run.
fn wait_for_steps(rows: &[Row], column: &mut [f64]) {
    let mut waiting = 0.0;
    for (row, value) in rows.iter().zip(column) {
        if row.begins() {
            waiting = 0.0;
        }
        waiting += *value;
        *value = if row.steps == Some(0) { 0.0 } else { core::mem::take(&mut waiting) };
    }
}

/// How often a toggle turned in frames that nobody knows is not known, not even in the
/// first of a game: it goes on from what the game said first.
fn turn_with(rows: &[Row], compared: &Compared, column: &mut [f64]) {
    let mut is_known = true;
    let mut is_turned = false;
    for (at, value) in column.iter_mut().enumerate() {
        is_known &= !rows[at].begins();
        let theirs = compared.theirs[at];
        if !is_known && !theirs.is_nan() {
            is_known = true;
            is_turned = (theirs != 0.0) != (*value != 0.0);
        }
        if is_turned {
            *value = if *value == 0.0 { compared.target.times } else { 0.0 };
        }
    }
}
