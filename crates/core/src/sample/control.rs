//! One control, sampled once per tick: current state, previous state, and the
//! edges between the two.
//!
//! *State sampling* compares the state at two polls, so a press and a release
//! between them leave no trace: the press is **lost**. *Latched sampling*
//! remembers that something happened: the poll shows the other state for one
//! tick, and the true one on the next. Of several taps between two polls a
//! latch still catches only one.
//!
//! A *debounce* believes the first movement of a button at once and nothing
//! for a while after it; what the button is when that while is over counts
//! again. What it took out is **chatter**, and is counted.
//!
//! Every press is accounted for: over any run, `presses sent = press edges
//! seen + presses lost + presses taken for chatter (+ 1 while a latch owes
//! one)`.
//!
//! ```text
//!  reports   ──┐  ┌──────┐┌──────────       up, down, up, down
//!              └──┘      └┘
//!  polls     |    |    |    |    |
//!  state     1    1    1    1    1          the releases between two polls leave no trace
//!  latched   1    0    1    0    1          each is shown for one poll
//! ```

use crate::base::Nanos;
use crate::device::{ControlKind, Event, Marks, Presence, Scale, normalise};
use crate::sample::{BoundThresholds, LaneMarks, SampledControl};

/// A change of state between two polls.
///
/// Just these two; a control that stays as it is has none, however many reports came.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Edge {
    /// Down now and up before.
    Press,
    /// Up now and down before.
    Release,
}

/// The sampled state of one control.
///
/// Invariant: outside [`Machine::tick`](crate::Machine::tick), `value` is
/// `normalise(seen)`.
///
/// What a reader asks of it, of a button that was pressed since the poll before:
///
/// ```
/// use gtrig_core::*;
///
/// let mut roster = Roster::default();
/// let keys = DeviceInfo {
///     identity: "k".into(),
///     kind: DeviceKind::Keys,
///     name: CleanText::default(),
///     bus: CleanText::default(),
///     slot: None,
///     controls: vec![ControlInfo::new("KeyH", ControlKind::Button)],
/// };
/// let keys = roster.admit(keys, &SlotRules::default())?;
/// let key = roster.device(keys).control("KeyH").unwrap();
/// let here = roster.device(keys).presence();
/// let plan = Plan::bind(&Rig::bare("watch", PollRate::DEFAULT), &roster);
/// let mut machine = Machine::new(&plan, Tick(0));
///
/// let at = Nanos::from_millis;
/// machine.tick(&plan, at(0), &[Event::new(at(0), here, Presence::Here.value())]);
/// // Down and up again between two polls: the state is as before, and the press is lost.
/// machine.tick(&plan, at(16), &[Event::new(at(5), key, 1), Event::new(at(9), key, 0)]);
/// let state = machine.control(key);
/// assert_eq!((state.is_down(), state.edge()), (false, None));
/// assert!(state.marks.contains(LaneMarks::LOST) && machine.lost() == 1);
/// # Ok::<(), RosterError>(())
/// ```
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ControlState {
    /// Raw value at this tick, as the poll saw it.
    pub seen: i32,
    /// Raw value at the tick before.
    pub before: i32,
    /// `seen` on its own scale; see [`normalise`].
    pub value: f32,
    /// What happened in this tick besides the change of value.
    pub marks: LaneMarks,
    /// Raw value after the last event, which a latch may hide from the poll.
    pub(crate) actual: i32,
    /// When it was last pressed, as a count over all controls; of a control that is no button when
    /// it last passed the thresholds by which it holds a side.
    pub(crate) press_order: u32,
    /// Presses since the last poll.
    presses: u16,
    /// A latch hides a press that the next tick will show.
    owes_press: bool,
    /// What the last report said, which a debounce may hold back.
    pub(crate) reported: i32,
    /// Until then a debounce holds back.
    quiet_until: Nanos,
    /// Presses that a debounce took out, over the whole run.
    chatter: u32,
    /// For a control that is no button: which of the rig's thresholds it is past, a bit each. None
    /// while its device cannot be heard.
    past: u32,
    /// The same at the tick before.
    past_before: u32,
    /// When it was released and pressed last; of a control that is no button
    /// both are when it was heard last.
    turned: [Nanos; 2],
    /// A combo took it from the actions, until it is released.
    pub(crate) taken: bool,
    /// It was so before the recording began, says what this tick saw of it.
    pub(crate) carried: bool,
}

impl ControlState {
    /// A control that never said anything.
    pub(crate) fn at_rest(kind: ControlKind) -> Self {
        let rest = kind.rest();
        ControlState {
            seen: rest,
            before: rest,
            value: normalise(kind, rest),
            marks: LaneMarks::empty(),
            actual: rest,
            press_order: 0,
            presses: 0,
            owes_press: false,
            reported: rest,
            quiet_until: Nanos(0),
            chatter: 0,
            past: 0,
            past_before: 0,
            turned: [Nanos(0); 2],
            taken: false,
            carried: false,
        }
    }

    /// Whether a button is down at this tick.
    pub const fn is_down(&self) -> bool {
        self.seen != 0
    }

    /// Whether a button was down at the tick before.
    pub(crate) const fn was_down(&self) -> bool {
        self.before != 0
    }

    /// The edge of a button at this tick.
    pub const fn edge(&self) -> Option<Edge> {
        match (self.before != 0, self.seen != 0) {
            (false, true) => Some(Edge::Press),
            (true, false) => Some(Edge::Release),
            _ => None,
        }
    }

    /// Whether a button was pressed in this tick: by an edge, or by an
    /// auto-repeat where the rig has that count.
    pub fn is_pressed(&self) -> bool {
        self.edge() == Some(Edge::Press) || self.marks.contains(LaneMarks::REPEATED)
    }

    /// Presses that a debounce took for chatter, over the whole run.
    pub const fn chatter(&self) -> u32 {
        self.chatter
    }

    /// When a button was pressed last: the instant of the report, or where a debounce held that
    /// back, of its end. 0 of one that never was.
    ///
    /// It is the last press that counted, also where a poll saw none of it.
    pub const fn pressed_at(&self) -> Nanos {
        self.turned(true)
    }

    /// When it was pressed last, or released; of a control that is no button
    /// when it was heard last.
    pub(crate) const fn turned(&self, is_press: bool) -> Nanos {
        self.turned[is_press as usize]
    }

    /// When it moved last.
    pub(crate) fn heard(&self) -> Nanos {
        self.turned[0].max(self.turned[1])
    }

    /// Whether it is past the threshold of a bit: pressed, of a control that is no button.
    pub(crate) const fn is_past(&self, bit: u32) -> bool {
        self.past >> bit & 1 != 0
    }

    /// Whether it is on as a button: down, or of another control past the threshold of a bit.
    pub(crate) const fn is_on(&self, kind: ControlKind, bit: u32) -> bool {
        match kind {
            ControlKind::Button => self.is_down(),
            _ => self.is_past(bit),
        }
    }

    /// Whether it is past the thresholds by which it holds a side.
    pub(crate) fn holds_side(&self, thresholds: &[BoundThresholds]) -> bool {
        thresholds.iter().any(|pair| pair.holds_side && self.is_past(pair.bit))
    }

    /// Whether it is so at this tick, and was not at the tick before.
    pub(crate) fn takes_side(&self, thresholds: &[BoundThresholds]) -> bool {
        self.past != self.past_before
            && self.holds_side(thresholds)
            && !thresholds.iter().any(|pair| pair.holds_side && self.was_past(pair.bit))
    }

    /// Whether this tick found it elsewhere than the tick before: pressed,
    /// released, or past another threshold.
    pub(crate) const fn has_moved(&self) -> bool {
        (self.before != 0) != (self.seen != 0) || self.past != self.past_before
    }

    /// Whether it was past a threshold at the tick before.
    pub(crate) const fn was_past(&self, bit: u32) -> bool {
        self.past_before >> bit & 1 != 0
    }

    /// Ends the tick before: what was seen then is what was before now.
    /// Returns whether this control has unfinished business.
    ///
    /// Called for the controls that were touched; of all others both states are the same already.
    pub(crate) fn age(&mut self) -> bool {
        self.before = self.seen;
        self.past_before = self.past;
        self.marks = LaneMarks::empty();
        self.actual != self.seen || self.reported != self.actual
    }

    /// An axis, a trigger or a place reports where it is, which is what most events are.
    #[inline]
    pub(crate) fn stand_at(&mut self, value: i32, time: Nanos) {
        (self.actual, self.reported) = (value, value);
        self.turned = [time; 2];
    }

    /// Takes in an event of any kind. Returns whether it pressed the control, or carried it over
    /// as held.
    ///
    /// A repeat moves nothing, a state that was carried over makes no edge, a relative control adds
    /// up what it counts until the next poll, a button may be held back by its debounce.
    pub(crate) fn receive(
        &mut self,
        how: &SampledControl,
        thresholds: &[BoundThresholds],
        event: &Event,
    ) -> bool {
        let kind = how.control.kind;
        if event.marks.contains(Marks::REPEAT) {
            let counts = how.edges.repeats_press && self.actual != 0;
            self.marks |= if counts { LaneMarks::REPEATED } else { LaneMarks::empty() };
            return false;
        }
        let value = if kind.is_button() { i32::from(event.value != 0) } else { event.value };
        if event.marks.contains(Marks::CARRIED) {
            (self.actual, self.reported) = (value, value);
            (self.seen, self.before) = (value, value);
            self.value = normalise(kind, value);
            self.pass(thresholds);
            self.past_before = self.past;
            self.turned = [event.time; 2];
            self.carried = true;
            return if kind.is_button() { value != 0 } else { self.holds_side(thresholds) };
        }
        self.marks |= LaneMarks::of(event.marks);
        match kind {
            ControlKind::Relative => {
                self.actual = self.actual.saturating_add(value);
                self.reported = self.actual;
                self.turned = [event.time; 2];
                false
            }
            ControlKind::Button => self.move_to(value, event.time, how.edges.debounce),
            _ => {
                self.stand_at(value, event.time);
                false
            }
        }
    }

    /// A button moves, of which nothing is held back whose time is over. Returns whether that
    /// pressed it.
    ///
    /// While it is held back, a press that comes is counted as chatter; if it is still down when
    /// the time is over, [`ControlState::let_through`] takes that back.
    fn move_to(&mut self, value: i32, time: Nanos, debounce: Nanos) -> bool {
        if time < self.quiet_until {
            let is_press = self.reported == 0 && value != 0;
            self.chatter += u32::from(is_press);
            if value != self.reported {
                self.marks |= LaneMarks::CHATTER;
            }
            self.reported = value;
            return false;
        }
        self.reported = value;
        self.believe(time, debounce)
    }

    /// Until when a debounce holds back what was reported last, if it does.
    pub(crate) fn held_until(&self) -> Option<Nanos> {
        (self.reported != self.actual).then_some(self.quiet_until)
    }

    /// Believes what was held back, whose time is over. Returns whether that
    /// was a press.
    pub(crate) fn let_through(&mut self, debounce: Nanos) -> bool {
        let press = self.believe(self.quiet_until, debounce);
        // It had been taken for chatter.
        self.chatter -= u32::from(press);
        press
    }

    /// Takes the last report for the truth. Returns whether it is a press.
    fn believe(&mut self, time: Nanos, debounce: Nanos) -> bool {
        let press = self.actual == 0 && self.reported != 0;
        if self.actual != self.reported {
            self.quiet_until = Nanos(time.0 + debounce.0);
            self.turned[usize::from(self.reported != 0)] = time;
            self.carried = false;
        }
        self.actual = self.reported;
        self.presses = self.presses.saturating_add(u16::from(press));
        press
    }

    /// Returns the control to rest because its device can no longer be heard.
    /// A place on a surface has no rest and stays, but is past no threshold any more.
    ///
    /// Returns whether that moved anything. A debounce holds nothing back of it, for the device may
    /// be gone for good, nor of what comes next.
    pub(crate) fn let_go(&mut self, kind: ControlKind, time: Nanos) -> bool {
        let is_off = self.actual != kind.rest() || self.reported != kind.rest();
        let has_rest = !matches!(kind, ControlKind::Position { .. });
        let held = is_off && has_rest || self.past != 0;
        (self.quiet_until, self.past) = (Nanos(0), 0);
        if has_rest {
            (self.actual, self.reported) = (kind.rest(), kind.rest());
        }
        if held {
            self.marks |= LaneMarks::SYNTHETIC;
            self.turned[0] = time;
        }
        held
    }

    /// Polls the presence of a device.
    pub(crate) fn see_presence(&mut self) {
        self.seen = self.actual;
        self.reported = self.actual;
        self.value = f32::from(u8::from(self.seen == Presence::Here.value()));
    }

    /// Polls the control, of which nothing is held back whose time is over; what thresholds it is
    /// past is for [`ControlState::pass`] to say. Returns how many presses left no edge.
    ///
    /// Of a button: with a latch it shows the other state for one poll where it *flickered*, that
    /// is, was pressed and is as it was. A press that the latch hid (a release shown while the
    /// button is down again) is owed, and shown at the next poll.
    #[inline]
    pub(crate) fn sample(&mut self, how: &SampledControl) -> u16 {
        self.value = match &how.scale {
            Scale::OnOff => return self.sample_button(how.edges.latched),
            Scale::Travel(travel) => travel.at(self.actual),
            Scale::Count => self.actual as f32,
        };
        self.seen = self.actual;
        if matches!(how.scale, Scale::Count) {
            (self.actual, self.reported) = (0, 0);
        }
        0
    }

    /// Polls a button; see [`ControlState::sample`].
    fn sample_button(&mut self, latched: bool) -> u16 {
        let was_owed = u16::from(self.owes_press);
        let flickered = self.presses > 0 && self.actual == self.before;
        self.seen = if latched && flickered { 1 - self.before } else { self.actual };
        self.value = self.seen as f32;
        self.taken &= self.is_down();
        self.owes_press = self.actual != 0 && self.seen == 0;
        let shown = u16::from(self.edge() == Some(Edge::Press));
        let lost = (self.presses + was_owed).saturating_sub(shown + u16::from(self.owes_press));
        self.presses = 0;
        self.marks.set(LaneMarks::CAUGHT, latched && flickered);
        self.marks.set(LaneMarks::LOST, lost > 0);
        lost
    }

    /// It is held before the first event: taken by a combo, or past some thresholds.
    pub(crate) fn hold_as<'t>(
        &mut self,
        is_taken: bool,
        past: impl Iterator<Item = &'t BoundThresholds>,
    ) {
        self.taken = is_taken;
        self.past = past.fold(0, |bits, pair| bits | 1 << pair.bit);
        self.past_before = self.past;
    }

    /// Which thresholds the value is past now: a bit turns on from `press_at`
    /// on, and off below `release_at`.
    ///
    /// Between the two numbers of a pair its bit stays as it was.
    pub(crate) fn pass(&mut self, thresholds: &[BoundThresholds]) {
        for pair in thresholds {
            if self.value >= pair.thresholds.press_at {
                self.past |= 1 << pair.bit;
            } else if self.value < pair.thresholds.release_at {
                self.past &= !(1 << pair.bit);
            }
        }
    }
}

#[cfg(test)]
mod tests;
