//! A machine that goes on with what is held on another one, as when a rig is edited while a game
//! runs.

use super::*;

impl Machine {
    /// A machine of another plan that has heard at `now` what is held on this one, as its first
    /// tick. `plan` is that of this machine. Both are of the same devices, and actions are the same
    /// where they have the same number.
    ///
    /// What is held goes on, in the order in which it was pressed, and is no press. What was held
    /// while its action was closed, or was taken by a combo, still has to be let go before it
    /// counts. A control as a button that is between its two thresholds is as it was, if they are
    /// the same. All else that has begun and is not over begins anew: see [`Machine::opening`].
    pub fn handed_over(&self, plan: &Plan, to: &Plan, now: Nanos) -> Machine {
        let opening = self.opening(plan, now);
        let opened = |mut machine: Machine| {
            machine.tick_lasting(to, now, 0.0, &opening);
            machine
        };
        let mut fresh = Machine::new(to, Tick(0));
        fresh.sampler.hold_as((&self.sampler, &plan.sample), &to.sample);
        // What is held has other numbers among the presses of a new run.
        let heard = opened(fresh.clone());
        let numbers = self.sampler.controls().iter().zip(heard.sampler.controls());
        // What has none here is held by a threshold that this machine does not follow.
        let presses = |until: u32| {
            let is_until = |control: &ControlState| (1..=until).contains(&control.press_order);
            let until = numbers.clone().filter(|(control, _)| is_until(control));
            until.map(|(_, heard)| heard.press_order).max().unwrap_or(0)
        };
        let presses = (heard.sampler.presses(), presses);
        let mut machine = fresh;
        machine.actions.hold_back((&self.actions, &plan.actions), &to.actions, presses);
        opened(machine)
    }
}
