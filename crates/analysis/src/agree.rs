//! Whether a game reads what its rules of input say it should.
//!
//! A game says of its frames when it polled, what it read, and what it made of it
//! ([`Frames`]). Here the rig is run at the instants of its polls, and both
//! are held against each other, frame by frame. Where they differ, the mistake that
//! explains it is looked for: the rig is run once more *with* a mistake (what the game
//! read instead of what the devices said, another number, an open gate, …), and a cause is
//! named only where what then comes out is what the game gave, in every frame of the
//! difference and in those beside it.

mod causes;
mod explain;
mod latency;
mod mistakes;
mod numbers;
mod reading;
mod road;
mod rows;
mod trace;
mod variants;

pub use causes::{Cause, Gate};
pub use latency::{Delays, Latency};
pub use reading::{ReadDifference, ReadKind};
pub use trace::{Trace, TracePoint};
pub use variants::Other;

use crate::frames::{Frames, GameId, NameId};
use crate::recording::Recording;
use alloc::{collections::BTreeSet, string::String, vec::Vec};
use explain::Explainer;
use gtrig_core::{Aspect, CleanText, Event, GameTarget, Nanos, Rig, Roster};
use road::{Heard, Road};
use rows::{Compared, Rows};

/// A session as far as a game is held against it.
#[derive(Clone, Copy, Debug)]
pub struct Held<'a> {
    /// The rules.
    pub rig: &'a Rig,
    /// The devices.
    pub roster: &'a Roster,
    /// What they said, in order.
    pub events: &'a [Event],
    /// What games said.
    pub frames: &'a Frames,
    /// From when on the events are known: frames from before are not compared.
    pub begins: Nanos,
}

impl<'a> Held<'a> {
    /// A recording with its events, which are held against a rig.
    pub fn of(rig: &'a Rig, recording: &'a Recording, events: &'a [Event]) -> Self {
        let Recording { roster, frames, begins_at: begins, .. } = recording;
        Held { rig, roster, events, frames, begins: *begins }
    }
}

/// What came of holding a game against a rig.
#[derive(Clone, Debug)]
pub struct Agreement {
    /// Which game.
    pub game: GameId,
    /// Its frames.
    pub frames: u64,
    /// Frames that are missing between those, by their numbers.
    pub missing: u64,
    /// How often the game was started again.
    pub restarts: u64,
    /// What the game gave, in the order in which it first did.
    pub values: Vec<Value>,
    /// The same over time; empty of a value that the rig knows nothing of.
    pub traces: Vec<Trace>,
    /// Where a value differed, in order of time.
    pub differences: Vec<Difference>,
    /// Where the game read something else than the device said, in order of time.
    pub reads: Vec<ReadDifference>,
    /// Differences that are no mistake: an event was on its way for no longer than the
    /// slack of the rig.
    pub close: u64,
    /// How long it took from the devices to the game's values.
    pub latency: Latency,
}

impl Agreement {
    /// Whether nothing differs, and something was compared.
    pub fn is_met(&self) -> bool {
        self.differences.is_empty() && self.reads.is_empty() && self.is_known()
    }

    /// Whether any value of the game was compared.
    pub fn is_known(&self) -> bool {
        self.values.iter().any(|value| value.compared > 0)
    }
}

/// A value of the game.
#[derive(Clone, Debug)]
pub struct Value {
    /// What the game calls it.
    pub name: NameId,
    /// What it should be; `None` of one that the rig knows nothing of.
    pub target: Option<GameTarget>,
    /// In how many frames it was compared.
    pub compared: u64,
    /// In how many it differed.
    pub differed: u64,
    /// By how much at most, in units of the action; of a way, a second.
    pub most: f64,
}

/// A frame of a difference.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FrameAt {
    /// Its number.
    pub number: u64,
    /// When it polled.
    pub polled: Nanos,
}

/// A value differed in frames one after the other.
#[derive(Clone, Debug, PartialEq)]
pub struct Difference {
    /// Which of [`Agreement::values`].
    pub value: usize,
    /// From this frame on.
    pub first: FrameAt,
    /// To this one.
    pub last: FrameAt,
    /// So many frames.
    pub frames: u64,
    /// What it should have been in the frame in which it was furthest off.
    pub ours: f64,
    /// What it was there.
    pub theirs: f64,
    /// By how much it was off there, in units of the action; of a way, a second.
    pub off: f64,
    /// Why.
    pub cause: Cause,
}

/// The games of a session that said something of frames.
pub fn games(frames: &Frames) -> Vec<GameId> {
    let found: BTreeSet<GameId> = frames.iter().map(|frame| frame.game).collect();
    found.into_iter().collect()
}

/// Holds a game against a rig. `progress` is told now and then what share is done.
pub fn agree(held: Held, game: GameId, mut progress: impl FnMut(f64)) -> Agreement {
    let rows = Rows::of(held, game);
    let put_back = reading::put_back(held, &rows);
    let held = Held { events: put_back.as_deref().unwrap_or(held.events), ..held };
    let road = Road::new(held, &rows);
    let reading = reading::Reading::of(held, &rows);
    let mut values = rows.values.clone();
    let said = Heard::said(held.events, &rows);
    let ours = road.series(held.rig, &said, &rows.compared);
    progress(0.2);
    let mut found = Found::default();
    let mut traces = alloc::vec![Trace::default(); values.len()];
    let explainer = Explainer::new(held, &said, &rows, &road, &reading);
    let count = rows.compared.len().max(1);
    for (n, compared) in rows.compared.iter().enumerate() {
        let spans = spans(&rows, compared, &ours[n]);
        let value = &mut values[compared.value];
        value.compared = compared.theirs.iter().filter(|theirs| !theirs.is_nan()).count() as u64;
        traces[compared.value] = Trace::of(&rows, compared, &ours[n]);
        let causes = explainer.explain(n, &ours[n], &spans);
        for (span, cause) in spans.iter().zip(causes) {
            let of = (&rows, compared, &*ours[n]);
            found.take_in(of, *span, (cause, held.rig.game.slack), value);
        }
        progress(0.2 + 0.8 * (n + 1) as f64 / count as f64);
    }
    let (reads, close_reads) = reading.differences(&rows, held.rig.game.slack);
    found.differences.sort_by_key(|difference| difference.first.polled);
    Agreement {
        game,
        frames: rows.list.len() as u64,
        missing: rows.missing,
        restarts: rows.restarts,
        values,
        traces,
        differences: found.differences,
        reads,
        close: found.close + close_reads,
        latency: latency::measure(held, &said, &rows, &road, &reading),
    }
}

/// The names of the values of a game, as a table of them shows them.
pub fn name_of(frames: &Frames, value: &Value) -> CleanText {
    frames.names().get(usize::from(value.name.0)).cloned().unwrap_or_default()
}

/// What a target is called in a rig: `slew.x`, `horn.pressed`.
pub fn target_name(rig: &Rig, target: GameTarget) -> String {
    let action = &rig.actions[target.action.index()];
    let part = match target.aspect {
        Aspect::Pressed => ".pressed",
        Aspect::Released => ".released",
        Aspect::X | Aspect::MovedX if !action.gives.is_double() => "",
        Aspect::X | Aspect::MovedX => ".x",
        Aspect::Y | Aspect::MovedY => ".y",
    };
    alloc::format!("{}{part}", action.name)
}

#[derive(Default)]
struct Found {
    differences: Vec<Difference>,
    close: u64,
}

impl Found {
    /// Takes in what was found of a span: as a difference of a value, or as a close call.
    fn take_in(
        &mut self,
        (rows, compared, ours): (&Rows, &Compared, &[f64]),
        span: Span,
        (cause, slack): (Cause, Nanos),
        value: &mut Value,
    ) {
        if cause.late().is_some_and(|late| late <= slack) {
            self.close += 1;
            return;
        }
        let worst = (span.first..=span.last)
            .max_by(|&a, &b| {
                rows.off(compared, ours, a).total_cmp(&rows.off(compared, ours, b)).then(b.cmp(&a))
            })
            .unwrap_or(span.first);
        let off = rows.off(compared, ours, worst);
        let frames = span.rows(rows, compared, ours).count() as u64;
        value.differed += frames;
        value.most = value.most.max(off);
        self.differences.push(Difference {
            value: compared.value,
            first: rows.at(span.first),
            last: rows.at(span.last),
            frames,
            ours: ours[worst],
            theirs: compared.theirs[worst],
            off,
            cause,
        });
    }
}

/// Rows, one after the other, in which a value differs; those between in which it is not
/// compared do not end it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Span {
    pub(crate) first: usize,
    pub(crate) last: usize,
}

impl Span {
    /// Those of its rows in which the value differs.
    fn rows<'a>(
        &self,
        rows: &'a Rows,
        compared: &'a Compared,
        ours: &'a [f64],
    ) -> impl Iterator<Item = usize> + 'a {
        (self.first..=self.last).filter(move |&row| rows.differs(compared, ours, row))
    }
}

fn spans(rows: &Rows, compared: &Compared, ours: &[f64]) -> Vec<Span> {
    let mut spans: Vec<Span> = Vec::new();
    let mut open = false;
    for row in 0..rows.list.len() {
        if rows.list[row].begins() {
            open = false;
        }
        if compared.theirs[row].is_nan() {
            continue;
        }
        let differs = rows.differs(compared, ours, row);
        match spans.last_mut() {
            Some(last) if differs && open => last.last = row,
            _ if differs => spans.push(Span { first: row, last: row }),
            _ => {}
        }
        open = differs;
    }
    spans
}
