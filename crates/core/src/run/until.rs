//! The only loop: live, frozen, replayed and headless all run it.

use super::Machine;
use crate::base::Tick;
use crate::device::Event;
use crate::plan::Plan;

/// Runs a machine through `events`, which are in order, up to and including
/// tick `until`, and shows it after each tick that could have changed
/// anything. Ticks in which nothing can happen are jumped over. Returns how
/// many events were used.
///
/// A filter that moves, or an edge to clear, keeps it from jumping.
///
/// ```
/// use gtrig_core::{Machine, Plan, PollRate, Rig, Roster, Tick, run};
///
/// let plan = Plan::bind(&Rig::bare("idle", PollRate::DEFAULT), &Roster::default());
/// let mut machine = Machine::new(&plan, Tick(0));
/// // An hour in which nothing happens costs nothing.
/// let mut shown = 0;
/// assert_eq!(run(&mut machine, &plan, &[], Tick(216_000), |_| shown += 1), 0);
/// assert_eq!((shown, machine.next_tick()), (0, Tick(216_001)));
/// ```
pub fn run(
    machine: &mut Machine,
    plan: &Plan,
    events: &[Event],
    until: Tick,
    mut after_tick: impl FnMut(&Machine),
) -> usize {
    let rate = plan.rate();
    let mut used = 0;
    while machine.next_tick() <= until {
        if machine.is_settled() {
            let mut due = events.get(used).map(|event| event.time);
            if let Some(deadline) = machine.next_deadline() {
                due = Some(due.map_or(deadline, |time| time.min(deadline)));
            }
            let due = due.map(|time| rate.tick_seeing(time));
            let next = due.filter(|&tick| tick <= until).unwrap_or(until.next());
            machine.skip_to(next.max(machine.next_tick()));
            if machine.next_tick() > until {
                break;
            }
        }
        let now = rate.time_of(machine.next_tick());
        let here = events[used..].iter().take_while(|event| event.time <= now).count();
        machine.tick(plan, now, &events[used..used + here]);
        used += here;
        after_tick(machine);
    }
    used
}
