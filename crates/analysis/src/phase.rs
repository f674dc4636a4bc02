//! What a steady loop loses on average over all its phases.
//!
//! An audit polls at certain instants. The same loop started a little earlier or
//! later polls at others, and may lose what this one saw. A loop that compares
//! the state of two polls sees a press exactly if one poll finds the button up and
//! the next one finds it down. So over all phases, each as likely as any other, it
//! sees
//!
//! ```text
//! 1/P × (the time t for which the button is up at t - P and down at t)
//! ```
//!
//! presses, `P` being its period. This is exact: the polls of one phase are `P`
//! apart, and those of all phases together fill the time.

use alloc::{collections::BTreeSet, vec, vec::Vec};
use gtrig_core::{ControlId, Event, Marks, Nanos, Plan, PollRate, Presence};

/// The presses of one control, and how many of them a steady loop loses on average.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PhaseLoss {
    /// The control.
    pub control: ControlId,
    /// Presses in the events, without those that a debounce takes out.
    pub sent: u64,
    /// Of these lost on average over all phases; 0 exactly if no phase loses any. The
    /// period is taken in whole nanoseconds.
    pub lost: f64,
}

/// When a button was down, in order: from a press up to its release, both in
/// nanoseconds, and whether that was pressed, not carried over from before the
/// recording. The last may go on for ever.
#[derive(Clone, Debug, Default)]
struct Downs {
    spans: Vec<(u64, u64, bool)>,
    /// Of each the time for which the button had been down before it.
    before: Vec<u64>,
    sent: u64,
    since: Option<(u64, bool)>,
}

impl Downs {
    fn press(&mut self, at: u64, counts: bool) {
        if self.since.is_none() {
            self.since = Some((at, counts));
            self.sent += u64::from(counts);
        }
    }

    fn release(&mut self, at: u64) {
        let Some((since, counts)) = self.since.take() else { return };
        if at > since {
            let before = self.spans.last().map_or(0, |(from, to, _)| to - from);
            let before = self.before.last().map_or(0, |sum| sum + before);
            self.before.push(before);
            self.spans.push((since, at, counts));
        }
    }

    /// For how long the button was down before an instant.
    fn down_before(&self, at: u64) -> u64 {
        let n = self.spans.partition_point(|(from, ..)| *from < at);
        match n.checked_sub(1) {
            None => 0,
            Some(n) => {
                let (from, to, _) = self.spans[n];
                self.before[n] + to.min(at) - from
            }
        }
    }

    /// For how long it is down, having been up a period before.
    fn found(&self, period: u64) -> u64 {
        let found = |&(from, to, _): &(u64, u64, bool)| {
            // Further on it was down a period before as well.
            let to = to.min(from.saturating_add(period));
            let early = |at: u64| self.down_before(at.saturating_sub(period));
            (to - from) - (early(to) - early(from))
        };
        self.spans.iter().filter(|(.., counts)| *counts).map(found).sum()
    }
}

/// A button as a debounce believes it: its first movement at once, and what it is when
/// the debounce is over.
#[derive(Clone, Debug, Default)]
struct Believed {
    downs: Downs,
    is_down: bool,
    reported: bool,
    quiet_until: u64,
}

impl Believed {
    fn report(&mut self, is_down: bool, at: u64, debounce: Nanos, counts: bool) {
        self.pass(at, debounce);
        self.reported = is_down;
        if at >= self.quiet_until {
            self.believe(at, debounce, counts);
        }
    }

    /// Lets through what was held back, if its time is over by an instant.
    fn pass(&mut self, at: u64, debounce: Nanos) {
        if self.reported != self.is_down && at >= self.quiet_until {
            self.believe(self.quiet_until, debounce, true);
        }
    }

    fn believe(&mut self, at: u64, debounce: Nanos, counts: bool) {
        if self.reported == self.is_down {
            return;
        }
        self.quiet_until = at + debounce.0;
        self.is_down = self.reported;
        match self.is_down {
            true => self.downs.press(at, counts),
            false => self.downs.release(at),
        }
    }

    /// It can be heard no more: it is up, and what it does next counts at once.
    fn rest(&mut self, at: u64, debounce: Nanos) {
        self.pass(at, debounce);
        (self.is_down, self.reported, self.quiet_until) = (false, false, 0);
        self.downs.release(at);
    }
}

/// What a steady loop of a rate loses of each button that was pressed, in the order
/// of ids. Buttons that are latched are left out: for them the state of two polls is
/// not all that counts.
pub fn phase_losses(plan: &Plan, events: &[Event], rate: PollRate) -> Vec<PhaseLoss> {
    let mut buttons = vec![Believed::default(); plan.control_count()];
    let mut silent = BTreeSet::new();
    let debounce = |control| plan.edges(control).debounce;
    for event in events {
        let control = plan.control(event.control);
        let (at, marks) = (event.time.0, event.marks);
        if control.is_presence {
            if Presence::from_value(event.value) == Presence::Here {
                silent.remove(&control.device);
            } else {
                silent.insert(control.device);
                let its = (0..).map(ControlId).zip(&mut buttons);
                its.filter(|(id, _)| plan.control(*id).device == control.device)
                    .for_each(|(id, button)| button.rest(at, debounce(id)));
            }
        } else if control.kind.is_button()
            && !marks.contains(Marks::REPEAT)
            && !silent.contains(&control.device)
        {
            let counts = !marks.contains(Marks::CARRIED);
            let button = &mut buttons[event.control.index()];
            button.report(event.value != 0, at, debounce(event.control), counts);
        }
    }
    let period = libm::round(1e9 / rate.hz()) as u64;
    let losses = buttons.into_iter().zip(0..).filter_map(|(mut button, id)| {
        let control = ControlId(id);
        button.pass(u64::MAX / 2, debounce(control));
        let mut downs = button.downs;
        if downs.sent == 0 || plan.edges(control).latched {
            return None;
        }
        downs.release(u64::MAX);
        let lost = (downs.sent * period).saturating_sub(downs.found(period));
        let lost = lost as f64 / period as f64;
        Some(PhaseLoss { control, sent: downs.sent, lost })
    });
    losses.collect()
}
