//! The frames of a game as a table: a row for each frame, a column for each value.

use super::{FrameAt, Held, Value};
use crate::frames::{Frame, GameId, NameId};
use alloc::{collections::BTreeMap, vec::Vec};
use gtrig_core::{ControlId, GameTarget, Gives, Nanos};

/// What is known of how a row follows the one before.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Start {
    /// It is the next frame.
    Follows,
    /// Frames are missing between, or it is the first that is known.
    AfterGap,
    /// The game was started again.
    Again,
}

/// A frame.
#[derive(Clone, Copy, Debug)]
pub(super) struct Row {
    pub(super) number: u64,
    pub(super) polled: [Nanos; 2],
    pub(super) acted: Nanos,
    pub(super) steps: Option<u16>,
    pub(super) start: Start,
    /// Seconds since the frame before polled; of one that follows none, 0.
    pub(super) seconds: f64,
}

impl Row {
    /// Whether nothing is known of the frame before it.
    pub(super) fn begins(&self) -> bool {
        self.start != Start::Follows
    }
}

/// A value that the rig knows.
#[derive(Clone, Debug)]
pub(super) struct Compared {
    /// Its place among all values.
    pub(super) value: usize,
    pub(super) target: GameTarget,
    pub(super) gives: Gives,
    /// Whether it counts what happened in a frame.
    pub(super) is_count: bool,
    /// What the game gave in each row; not a number where it is not compared.
    pub(super) theirs: Vec<f64>,
}

/// What a game read of a control in each row, if that is known.
pub(super) type Column = Vec<Option<[i32; 2]>>;

/// The whole table.
#[derive(Clone, Debug)]
pub(super) struct Rows {
    pub(super) list: Vec<Row>,
    pub(super) values: Vec<Value>,
    pub(super) compared: Vec<Compared>,
    pub(super) reads: BTreeMap<ControlId, Column>,
    pub(super) missing: u64,
    pub(super) restarts: u64,
    tolerance: f64,
}

impl Rows {
    pub(super) fn of(held: Held, game: GameId) -> Self {
        let Held { rig, frames, .. } = held;
        let mut rows = Rows {
            list: Vec::new(),
            values: Vec::new(),
            compared: Vec::new(),
            reads: BTreeMap::new(),
            missing: 0,
            restarts: 0,
            tolerance: rig.game.tolerance,
        };
        let mut columns: BTreeMap<NameId, Vec<f64>> = BTreeMap::new();
        let mut order: Vec<NameId> = Vec::new();
        frames.walk(game, |frame, state| {
            if frame.polled[0] < held.begins {
                return;
            }
            let at = rows.list.len();
            rows.push(frame);
            for (&name, &value) in &state.gives {
                let column = columns.entry(name).or_insert_with(|| {
                    order.push(name);
                    Vec::new()
                });
                column.resize(at, f64::NAN);
                column.push(value);
            }
            for (&control, &value) in &state.reads {
                let column = rows.reads.entry(control).or_default();
                column.resize(at, None);
                column.push(Some([value; 2]));
            }
            for read in &frame.reads {
                if let Some(column) = rows.reads.get_mut(&read.control) {
                    column[at] = Some(read.values);
                }
            }
        });
        let count = rows.list.len();
        rows.reads.values_mut().for_each(|column| column.resize(count, None));
        for name in order {
            let mut theirs = columns.remove(&name).unwrap_or_default();
            theirs.resize(count, f64::NAN);
            let target = frames
                .names()
                .get(usize::from(name.0))
                .and_then(|text| rig.game_target(text.as_str()));
            let value = rows.values.len();
            rows.values.push(Value { name, target, compared: 0, differed: 0, most: 0.0 });
            if let Some(target) = target {
                rows.compare(value, target, rig.actions[target.action.index()].gives, theirs);
            }
        }
        rows
    }

    fn push(&mut self, frame: &Frame) {
        let before = self.list.last();
        let start = match before {
            None => Start::AfterGap,
            Some(before) if before.number.checked_add(1) == Some(frame.number) => Start::Follows,
            Some(before) if before.number < frame.number => {
                let missing = frame.number - before.number - 1;
                self.missing = self.missing.saturating_add(missing);
                Start::AfterGap
            }
            Some(_) => {
                self.restarts += 1;
                Start::Again
            }
        };
        // A frame polls after the one before, whatever it says.
        let least = before.map_or(Nanos(0), |before| before.polled[0]);
        let polled = frame.polled.map(|at| at.max(least));
        let seconds = match (start, before) {
            (Start::Follows, Some(before)) => (polled[0].0 - before.polled[0].0) as f64 / 1e9,
            _ => 0.0,
        };
        self.list.push(Row {
            number: frame.number,
            polled,
            acted: frame.acted,
            steps: frame.steps,
            start,
            seconds,
        });
    }

    /// Adds a column, without the rows in which it cannot be compared: what happened
    /// before the first frame that is known, nobody knows; and a frame that runs no step
    /// shows what the last one came to.
    fn compare(&mut self, value: usize, target: GameTarget, gives: Gives, mut theirs: Vec<f64>) {
        let is_count = target.aspect.is_count(gives);
        // What waits for a step may have happened in a frame that nobody knows.
        let mut may_wait = false;
        for (row, theirs) in self.list.iter().zip(&mut theirs) {
            let waited = may_wait || row.begins();
            may_wait = waited && row.steps == Some(0);
            let is_unknown = match (is_count, target.aspect.is_way()) {
                (true, _) => waited,
                (false, true) => row.begins() || row.seconds == 0.0,
                (false, false) => row.steps == Some(0),
            };
            if is_unknown {
                *theirs = f64::NAN;
            }
        }
        self.compared.push(Compared { value, target, gives, is_count, theirs });
    }

    /// What one unit of the action is in a row, for the game.
    pub(super) fn unit(&self, compared: &Compared, row: usize) -> f64 {
        let times = compared.target.times.abs();
        match compared.target.aspect.is_way() {
            true => times * self.list[row].seconds,
            false => times,
        }
    }

    /// By how much a row is off, in units of the action; 0 where it is not compared.
    pub(super) fn off(&self, compared: &Compared, ours: &[f64], row: usize) -> f64 {
        let off = (compared.theirs[row] - ours[row]).abs() / self.unit(compared, row);
        if off.is_nan() { 0.0 } else { off }
    }

    pub(super) fn differs(&self, compared: &Compared, ours: &[f64], row: usize) -> bool {
        self.off(compared, ours, row) > self.tolerance
    }

    /// Whether the game gives as good as nothing in a row, or nobody knows what.
    pub(super) fn is_at_rest(&self, compared: &Compared, row: usize) -> bool {
        let size = compared.theirs[row].abs() / self.unit(compared, row);
        size.is_nan() || size <= self.tolerance
    }

    pub(super) fn at(&self, row: usize) -> FrameAt {
        let Row { number, polled, .. } = self.list[row];
        FrameAt { number, polled: polled[0] }
    }
}
