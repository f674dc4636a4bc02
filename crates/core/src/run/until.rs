//! The only loop: live, frozen, replayed and headless all run it.

use super::Machine;
use crate::base::Tick;
use crate::device::Event;
use crate::plan::Plan;

/// Runs a machine through `events`, which are in order, up to and including
/// tick `until`, and shows it after each tick that could have changed
/// anything. Ticks in which nothing can happen are jumped over. Returns how
/// many events were used.
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
