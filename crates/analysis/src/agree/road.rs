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

    /// What values should be in each row by a rig that hears these events.
    pub(super) fn series(&self, rig: &Rig, events: &[Event], of: &[Compared]) -> Vec<Vec<f64>> {
        self.series_to(rig, events, of, self.rows.list.len())
    }

    /// The same of the first rows.
    pub(super) fn series_to(
        &self,
        rig: &Rig,
        events: &[Event],
        of: &[Compared],
        count: usize,
    ) -> Vec<Vec<f64>> {
        let mut series: Vec<Vec<f64>> = of.iter().map(|_| Vec::with_capacity(count)).collect();
        let mut was: Vec<ActionState> = of.iter().map(|_| ActionState::IDLE).collect();
        self.run(rig, events, count, |row, machine| {
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
        events: &[Event],
        count: usize,
        mut see: impl FnMut(&Row, &Machine),
    ) {
        let plan = Plan::bind(rig, self.roster);
        let mut run = Run { plan: &plan, machine: Machine::new(&plan, Tick(0)), events, used: 0 };
        for row in &self.rows.list[..count] {
            let poll = row.polled[0];
            if row.begins() {
                run.pass(poll);
            }
            let seconds = match row.start {
                Start::Follows => row.seconds as f32,
                _ => plan.rate().period_seconds(),
            };
            run.poll(poll, seconds);
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
    fn poll(&mut self, now: Nanos, seconds: f32) {
        let here = self.events[self.used..].iter().take_while(|event| event.time <= now).count();
        let is_due = self.machine.next_deadline().is_some_and(|deadline| deadline <= now);
        if here == 0 && self.machine.is_settled() && !is_due {
            self.machine.skip_to(self.machine.next_tick().next());
            return;
        }
        let events = &self.events[self.used..self.used + here];
        self.machine.tick_lasting(self.plan, now, seconds, events);
        self.used += here;
    }

    /// Polls at the rate of the rig for as long as no frame is known, up to and not at
    /// `until`.
    fn pass(&mut self, until: Nanos) {
        let rate = self.plan.rate();
        let mut last: Option<(Tick, Nanos)> = None;
        loop {
            let event = self.events.get(self.used).map(|event| rate.tick_seeing(event.time));
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
            self.poll(now, rate.period_seconds());
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
