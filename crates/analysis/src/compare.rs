//! What came out differently: the same history by two rigs.

use crate::lane::LaneLog;
use crate::session::Session;
use alloc::vec::Vec;
use gtrig_core::{ActionId, Gives, Nanos, PollRate, Tick};
use strum::{IntoStaticStr, VariantArray};

/// What all actions of a session came to, kept while the session goes on.
#[derive(Clone, Debug)]
pub struct ActionRecord {
    rate: PollRate,
    last: Tick,
    actions: Vec<(Gives, [LaneLog; 2])>,
}

impl ActionRecord {
    /// The actions of a session, up to its last tick.
    pub fn of(session: &Session) -> Self {
        let plan = session.plan();
        let ids = (0..plan.action_count() as u16).map(ActionId);
        let lanes = |id| (plan.gives(id), session.history().action_lanes(id).clone());
        ActionRecord {
            rate: plan.rate(),
            last: session.now().at(),
            actions: ids.map(lanes).collect(),
        }
    }

    /// The lanes of an action: x and y.
    pub fn lanes(&self, action: ActionId) -> Option<&[LaneLog; 2]> {
        self.actions.get(action.index()).map(|(_, lanes)| lanes)
    }

    /// Its last tick.
    pub fn last(&self) -> Tick {
        self.last
    }

    /// The stretches in which an action was on, or off its rest, at ticks up to an instant. One
    /// without an end there ends after that instant, so that no stretch is empty.
    fn stretches(&self, action: usize, until: Nanos) -> Vec<(Nanos, Nanos)> {
        let after = Nanos(until.0 + 1);
        let (_, [x, y]) = &self.actions[action];
        let mut ticks: Vec<Tick> = [x, y].into_iter().flat_map(changes).collect();
        ticks.sort_unstable();
        ticks.dedup();
        let mut stretches = Vec::new();
        let mut since = None;
        for tick in ticks {
            let is_on = x.value_at(tick) != 0.0 || y.value_at(tick) != 0.0;
            let time = self.rate.time_of(tick);
            match (since, is_on) {
                (None, true) => since = Some(time),
                (Some(from), false) => {
                    stretches.push((from, time.min(after)));
                    since = None;
                }
                _ => {}
            }
        }
        stretches.extend(since.map(|from| (from, after)));
        stretches.retain(|(from, _)| *from <= until);
        stretches
    }
}

fn changes(lane: &LaneLog) -> impl Iterator<Item = Tick> + '_ {
    lane.value_at(Tick(0))
        .ne(&0.0)
        .then_some(Tick(0))
        .into_iter()
        .chain(lane.changes_after(Tick(0)).map(|change| change.tick))
}

/// How an action came out differently.
#[derive(Clone, Copy, Debug, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum DifferenceKind {
    /// It was not on before.
    Appeared,
    /// It is not on any more.
    Vanished,
    /// It begins or ends at another time.
    Moved,
    /// It has another value.
    Changed,
}

/// A stretch of an action that came out differently.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Difference {
    /// Which action.
    pub action: ActionId,
    /// How.
    pub kind: DifferenceKind,
    /// From when on.
    pub from: Nanos,
    /// Until when.
    pub to: Nanos,
    /// By how much at most, on the action's own scale.
    pub by: f32,
}

/// Values that differ by no more are the same: a four-hundredth of the travel of an axis is below
/// what any hand can hold.
pub const SAME: f32 = 0.005;

/// What came out differently, in order of time. Actions are compared by their
/// place in the rig.
///
/// A stretch in which an action is on is the same as one of the other run when
/// the two overlap. What still is on at the end of the shorter run overlaps with what is on then in
/// the other one, even if both have just begun.
pub fn compare(before: &ActionRecord, after: &ActionRecord) -> Vec<Difference> {
    let ends = [before, after].map(|outline| outline.rate.time_of(outline.last));
    let until = ends[0].min(ends[1]);
    let mut differences = Vec::new();
    for at in 0..before.actions.len().min(after.actions.len()) {
        let action = ActionId(at as u16);
        let (old, new) = (before.stretches(at, until), after.stretches(at, until));
        let overlap = |a: &(Nanos, Nanos), b: &(Nanos, Nanos)| a.0 < b.1 && b.0 < a.1;
        let add = |kind, (from, to): (Nanos, Nanos), by| {
            let to = to.min(until);
            Difference { action, kind, from, to, by }
        };
        for stretch in &old {
            match new.iter().find(|other| overlap(stretch, other)) {
                None => differences.push(add(DifferenceKind::Vanished, *stretch, 0.0)),
                Some(other) if other != stretch => {
                    let whole = (stretch.0.min(other.0), stretch.1.max(other.1));
                    differences.push(add(DifferenceKind::Moved, whole, 0.0));
                }
                Some(_) => {}
            }
        }
        let is_new = |stretch: &&(Nanos, Nanos)| !old.iter().any(|other| overlap(stretch, other));
        differences
            .extend(new.iter().filter(is_new).map(|s| add(DifferenceKind::Appeared, *s, 0.0)));
        if !before.actions[at].0.is_digital() {
            let changed = changed(before, after, at, until);
            differences.extend(changed.map(|(s, by)| add(DifferenceKind::Changed, s, by)));
        }
    }
    differences.sort_by_key(|difference| (difference.from, difference.action));
    differences
}

/// The stretches in which the values of an action differ, and by how much.
fn changed(
    before: &ActionRecord,
    after: &ActionRecord,
    action: usize,
    until: Nanos,
) -> impl Iterator<Item = ((Nanos, Nanos), f32)> {
    let mut times: Vec<Nanos> = Vec::new();
    for outline in [before, after] {
        let lanes = outline.actions[action].1.iter().flat_map(changes);
        times.extend(lanes.map(|tick| outline.rate.time_of(tick)));
    }
    times.retain(|time| *time <= until);
    times.sort_unstable();
    times.dedup();
    let value = |outline: &ActionRecord, axis: usize, time| {
        outline.actions[action].1[axis].value_at(outline.rate.tick_at(time))
    };
    let mut stretches: Vec<((Nanos, Nanos), f32)> = Vec::new();
    let mut is_open = false;
    for (n, &time) in times.iter().enumerate() {
        let by = [0, 1].map(|axis| (value(before, axis, time) - value(after, axis, time)).abs());
        let by = by[0].max(by[1]);
        let end = times.get(n + 1).copied().unwrap_or(until);
        match stretches.last_mut().filter(|_| is_open && by > SAME) {
            Some(((_, to), most)) => (*to, *most) = (end, most.max(by)),
            None if by > SAME => stretches.push(((time, end), by)),
            None => {}
        }
        is_open = by > SAME;
    }
    stretches.into_iter()
}
