//! What the person looks at: playhead, stretch of time, lanes.

use crate::figure::round_step;
use gtrig_analysis::Session;
use gtrig_core::{ActionId, BoundInput, ComboId, ControlId, ControlKind, GestureId, Gives, Tick};

/// One row of the timeline.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Lane {
    /// A control, on its own scale.
    Control(ControlId),
    /// An action, and for a plane which of its axes.
    Action(ActionId, usize),
    /// A gesture, by its place in the rig.
    Gesture(GestureId),
    /// A combo, by its place in the rig.
    Combo(ComboId),
}

/// So many columns for so many ticks.
///
/// Where a person zooms, one of the two is 1 and the other a power of two. Where a stretch was
/// laid over all columns there are, they are those two numbers: then some columns hold a tick
/// more than others, or some ticks take a column more.
///
/// Invariant: neither is 0, and a tick takes at most eight columns.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Zoom {
    columns: u64,
    ticks: u64,
}

impl Zoom {
    /// As powers of two: eight columns a tick, and so many ticks a column that two of them have
    /// every tick there can be.
    const OCTAVES: std::ops::RangeInclusive<i32> = -3..=31;

    pub(crate) const NORMAL: Zoom = Zoom { columns: 1, ticks: 1 };

    /// Two to the power of `octave` ticks a column.
    fn octave(octave: i32) -> Zoom {
        let octave = octave.clamp(*Self::OCTAVES.start(), *Self::OCTAVES.end());
        match octave {
            0.. => Zoom { columns: 1, ticks: 1 << octave },
            _ => Zoom { columns: 1 << -octave, ticks: 1 },
        }
    }

    /// All of so many ticks in so many columns, as near as it gets.
    fn fitted(ticks: u64, columns: u16) -> Zoom {
        let nearest = Zoom::octave(*Self::OCTAVES.start());
        let (columns, ticks) = (u64::from(columns.max(1)), ticks.max(1));
        let fitted = match (columns.is_multiple_of(ticks), ticks.is_multiple_of(columns)) {
            (true, _) => Zoom { columns: columns / ticks, ticks: 1 },
            (_, true) => Zoom { columns: 1, ticks: ticks / columns },
            _ => Zoom { columns, ticks },
        };
        if fitted.shows_as_much_as(nearest) { fitted } else { nearest }
    }

    /// Whether as many columns have at least as many ticks.
    fn shows_as_much_as(self, other: Zoom) -> bool {
        self.ticks * other.columns >= other.ticks * self.columns
    }

    /// So many steps further out, or in where it is negative, each to a power of two.
    pub(crate) fn by(self, steps: i32) -> Zoom {
        let mut octaves = Self::OCTAVES;
        let from = match steps > 0 {
            true => octaves.rfind(|&octave| self.shows_as_much_as(Zoom::octave(octave))),
            false => octaves.find(|&octave| Zoom::octave(octave).shows_as_much_as(self)),
        };
        Zoom::octave(from.unwrap_or(*Self::OCTAVES.end()).saturating_add(steps))
    }

    /// Whether a tick has several columns, so that there is room between two polls.
    pub(crate) fn has_room_in_ticks(self) -> bool {
        self.columns >= 2 * self.ticks
    }

    /// Where a stretch may begin, so that a column does not change what it sums up while the view
    /// scrolls: at multiples of this.
    fn grain(self) -> u64 {
        if self.ticks.is_multiple_of(self.columns) { self.ticks / self.columns } else { 1 }
    }

    /// How many ticks fit in so many columns; at least one.
    fn ticks_in(self, columns: u16) -> u64 {
        (u64::from(columns) * self.ticks / self.columns).max(1)
    }
}

/// What is drawn as one thing: a column with all its ticks, or a tick with all its columns.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Cell {
    /// Its first tick.
    pub(crate) first: Tick,
    /// How many ticks it has; one if it has several columns.
    pub(crate) ticks: u32,
    /// Its first column.
    pub(crate) column: u16,
    /// How many columns it has; one if it has several ticks.
    pub(crate) columns: u16,
}

/// The view of what happens now goes on by so many columns at a time.
const SCROLL: u16 = 8;

/// A stretch of time laid over columns.
///
/// The first tick is a multiple of the ticks per column where that is a whole number, so that a
/// column never changes what it sums up while the view scrolls.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Stretch {
    pub(crate) first: Tick,
    pub(crate) columns: u16,
    pub(crate) zoom: Zoom,
}

/// A tick of the arithmetic here, which may go beyond the last one there can be.
fn tick(number: u64) -> Tick {
    Tick(u32::try_from(number).unwrap_or(u32::MAX))
}

impl Stretch {
    /// The stretch of so many columns that ends with `last`.
    pub(crate) fn ending(last: Tick, columns: u16, zoom: Zoom) -> Self {
        let grain = zoom.grain();
        let end = (u64::from(last.0) / grain + 1) * grain;
        Stretch { first: tick(end.saturating_sub(zoom.ticks_in(columns))), columns, zoom }
    }

    /// The stretch of so many columns that has the newest tick near its end, and goes on in
    /// steps of [`SCROLL`] columns: what scrolls all the time cannot be read, and is much to
    /// send.
    pub(crate) fn following(last: Tick, columns: u16, zoom: Zoom) -> Self {
        // What was fitted to the columns would sum up other ticks with every step.
        let zoom = zoom.by(0);
        let scroll = if columns < 8 * SCROLL { 1 } else { SCROLL };
        let step = zoom.ticks_in(scroll);
        let end = (u64::from(last.0) / step + 1) * step - 1;
        Stretch::ending(tick(end), columns, zoom)
    }

    /// The ticks from `first` to `last` over all of so many columns; fewer than an eighth of them
    /// leave some room.
    pub(crate) fn whole(first: Tick, last: Tick, columns: u16) -> Self {
        let ticks = u64::from(last.0 - first.0) + 1;
        Stretch { first, columns, zoom: Zoom::fitted(ticks, columns) }
    }

    /// The same of a history that grows: a column keeps what it has until all of it needs half of
    /// the room.
    pub(crate) fn whole_so_far(first: Tick, last: Tick, columns: u16) -> Self {
        let ticks = u64::from(last.0 - first.0) + 1;
        let mut zooms = Zoom::OCTAVES.map(Zoom::octave);
        // What begins with a whole column may take one more.
        let zoom = zooms.find(|zoom| zoom.ticks_in(columns) >= ticks + zoom.grain());
        let zoom = zoom.unwrap_or(Zoom::octave(*Zoom::OCTAVES.end()));
        let first = tick(u64::from(first.0) / zoom.grain() * zoom.grain());
        Stretch { first, columns, zoom }
    }

    /// How many ticks lie before a column: all those of a column that ends there.
    fn ticks_before(&self, column: u64) -> u64 {
        (column * self.zoom.ticks).div_ceil(self.zoom.columns)
    }

    /// How many columns lie before the first one of a tick, counted from the first one.
    fn columns_before(&self, ticks: u64) -> u64 {
        ticks * self.zoom.columns / self.zoom.ticks
    }

    /// The first tick of a column.
    pub(crate) fn tick_at(&self, column: u16) -> Tick {
        let column = u64::from(column);
        let ticks = match self.zoom.columns > self.zoom.ticks {
            // The tick that ends in the column or behind it.
            true => self.ticks_before(column + 1) - 1,
            false => self.ticks_before(column),
        };
        tick(u64::from(self.first.0) + ticks)
    }

    /// The tick after the last column.
    pub(crate) fn end(&self) -> Tick {
        tick(u64::from(self.first.0) + self.zoom.ticks_in(self.columns))
    }

    /// The first column of a tick, if it is in view.
    pub(crate) fn column_of(&self, tick: Tick) -> Option<u16> {
        let column = self.columns_before(tick.0.checked_sub(self.first.0)?.into());
        u16::try_from(column).ok().filter(|&c| c < self.columns)
    }

    /// The column in which an instant lies that is so large a share of a tick, `part` of `of`,
    /// after the poll of a tick from `first` on. It may be beyond the last one.
    pub(crate) fn column_between(&self, poll: Tick, part: u64, of: u64) -> usize {
        let since = u128::from(poll.0 - self.first.0) * u128::from(of) + u128::from(part);
        let column =
            since * u128::from(self.zoom.columns) / (u128::from(of) * u128::from(self.zoom.ticks));
        usize::try_from(column).unwrap_or(usize::MAX)
    }

    /// What is drawn, from left to right. Together they have all columns.
    pub(crate) fn cells(self) -> impl Iterator<Item = Cell> {
        let Zoom { columns, ticks } = self.zoom;
        let is_wide = columns > ticks;
        let (each, of) = if is_wide { (columns, ticks) } else { (ticks, columns) };
        // What is over of each adds up to one more now and then. A column has the tick that
        // begins in it, and a tick the column in which it begins.
        let (size, over, mut left) = (each / of, each % of, if is_wide { 0 } else { of - 1 });
        let (mut next, mut column) = (u64::from(self.first.0), 0u16);
        std::iter::from_fn(move || {
            let room = self.columns.checked_sub(column).filter(|&room| room > 0)?;
            left += over;
            let size = size + u64::from(left >= of);
            left -= if left >= of { of } else { 0 };
            let (ticks, columns) = match is_wide {
                true => (1, size.min(room.into()) as u16),
                false => (size, 1),
            };
            let first = tick(next);
            (next, column) = (next + ticks, column + columns);
            let ticks = u32::try_from(ticks).unwrap_or(u32::MAX);
            Some(Cell { first, ticks, column: column - columns, columns })
        })
    }

    /// How many ticks there are in what is drawn, from left to right.
    pub(crate) fn widths(self) -> impl Iterator<Item = u32> {
        self.cells().map(|cell| cell.ticks)
    }

    /// Something for each cell, as often as this has columns.
    pub(crate) fn spread<T: Clone>(
        self,
        each: impl IntoIterator<Item = T>,
    ) -> impl Iterator<Item = T> {
        let cells = self.cells().zip(each);
        cells.flat_map(|(cell, what)| std::iter::repeat_n(what, cell.columns.into()))
    }

    /// Moves the stretch as little as need be to have `tick` in view.
    pub(crate) fn show(&mut self, at: Tick) {
        let (grain, span) = (self.zoom.grain(), self.zoom.ticks_in(self.columns));
        if at < self.first {
            self.first = tick(u64::from(at.0) / grain * grain);
        } else if u64::from(at.0) >= u64::from(self.first.0) + span {
            *self = Stretch::ending(at, self.columns, self.zoom);
        }
    }

    /// Zooms so that `tick` stays in its column.
    pub(crate) fn zoom_around(&mut self, at: Tick, steps: i32) {
        let column = self.column_of(at).unwrap_or(self.columns / 2);
        self.zoom = self.zoom.by(steps);
        let left = u64::from(column) * self.zoom.ticks / self.zoom.columns;
        let grain = self.zoom.grain();
        self.first = tick(u64::from(at.0).saturating_sub(left) / grain * grain);
        self.show(at);
    }

    /// Pans by quarters of the view, no further than `last`.
    pub(crate) fn pan(&mut self, quarters: i32, last: Tick) {
        let grain = self.zoom.grain();
        let step = (self.zoom.ticks_in(self.columns) / 4).max(1) as i64 * i64::from(quarters);
        let first = (i64::from(self.first.0) + step).clamp(0, i64::from(last.0)) as u64;
        self.first = tick(first / grain * grain);
    }
}

/// The lanes to show, causes beside effects: each action is followed by the
/// gestures, the combos and the controls that feed it and have ever moved; then come
/// gestures and combos that drive nothing, and controls that moved but feed nothing. A filter also finds controls that never moved.
pub fn lanes(session: &Session, filter: &str) -> Vec<Lane> {
    if filter.is_empty() {
        return listed(session, false);
    }
    let mut lanes = all_lanes(session);
    lanes.retain(|&lane| has_words(session, lane, filter));
    lanes
}

/// Whether the name of a lane has every word of a filter.
pub(crate) fn has_words(session: &Session, lane: Lane, filter: &str) -> bool {
    let name = lane_name(session, lane).to_lowercase();
    filter.split_whitespace().all(|word| name.contains(&word.to_lowercase()))
}

/// Every lane there can be, in the same order.
pub(crate) fn all_lanes(session: &Session) -> Vec<Lane> {
    listed(session, true)
}

fn listed(session: &Session, with_unmoved: bool) -> Vec<Lane> {
    let (plan, roster) = (session.plan(), session.roster());
    let mut causes: Vec<Vec<ControlId>> = vec![Vec::new(); plan.action_count()];
    let mut rest = Vec::new();
    for id in (0..roster.controls().len() as u16).map(ControlId) {
        let changes = session.history().control_lane(id).len();
        // A presence is worth a lane once it has gone away.
        let has_moved = changes > usize::from(roster.control(id).is_presence);
        if has_moved || with_unmoved {
            match plan.fed_by(id).first() {
                Some(action) => causes[action.index()].push(id),
                None => rest.push(id),
            }
        }
    }
    let mut lanes = Vec::new();
    let mut gestures: Vec<GestureId> = GestureId::first(plan.gesture_count()).collect();
    let mut combos: Vec<ComboId> = ComboId::first(plan.combo_count()).collect();
    for (action, causes) in (0..).map(ActionId).zip(causes) {
        lanes.push(Lane::Action(action, 0));
        if plan.gives(action).is_double() {
            lanes.push(Lane::Action(action, 1));
        }
        for input in plan.inputs(action) {
            if let BoundInput::Gesture { gesture, .. } = input
                && let Some(at) = gestures.iter().position(|n| n == gesture)
            {
                lanes.push(Lane::Gesture(gestures.remove(at)));
            }
            if let BoundInput::Combo(combo) = input
                && let Ok(at) = combos.binary_search(combo)
            {
                lanes.push(Lane::Combo(combos.remove(at)));
            }
        }
        lanes.extend(causes.into_iter().map(Lane::Control));
    }
    lanes.extend(gestures.into_iter().map(Lane::Gesture));
    lanes.extend(combos.into_iter().map(Lane::Combo));
    lanes.extend(rest.into_iter().map(Lane::Control));
    lanes
}

/// The name of a lane.
pub fn lane_name(session: &Session, lane: Lane) -> String {
    match lane {
        Lane::Control(id) => session.roster().label(id).to_string(),
        Lane::Gesture(n) => {
            let gesture = &session.rig().gestures[n.index()];
            format!("{} {}", gesture.kind.word(), gesture.name)
        }
        Lane::Combo(n) => format!("combo {}", session.rig().combos[n.index()].name),
        Lane::Action(id, axis) => {
            let name = &session.rig().actions[id.index()].name;
            match session.plan().gives(id) {
                Gives::Plane | Gives::Place => format!("▷ {name} {}", ["x", "y"][axis]),
                Gives::Polar => format!("▷ {name} {}", ["angle", "length"][axis]),
                _ => format!("▷ {name}"),
            }
        }
    }
}

/// The values of a lane that are drawn as 0 and as 1.
///
/// Counts have no end of their own: theirs is the largest that is kept, or a little more, a round
/// number, so that it seldom changes.
pub fn lane_extent(session: &Session, lane: Lane) -> [f32; 2] {
    match lane {
        Lane::Action(id, axis) => session.plan().extent(id, axis),
        Lane::Control(id) if session.roster().control(id).kind == ControlKind::Relative => {
            let whole = session.history().control_lane(id).columns(Tick(0), [u32::MAX]).next();
            let most = whole.map_or(0.0, |all| all.max.max(-all.min));
            [0.0, round_step(f64::from(most.max(1.0))) as f32]
        }
        Lane::Control(_) | Lane::Gesture(_) | Lane::Combo(_) => [0.0, 1.0],
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case(0, 100, 900, 100)]
    #[case(2, 100, 900, 100)]
    #[case(-1, 50, 950, 25)]
    #[case(0, 100, 30, 31)]
    fn a_live_stretch_ends_with_the_last_tick(
        #[case] zoom: i32,
        #[case] columns: u16,
        #[case] last: u32,
        #[case] ticks: u32,
    ) {
        let stretch = Stretch::ending(Tick(last), columns, Zoom::octave(zoom));
        assert!(stretch.column_of(Tick(last)).is_some());
        assert!(stretch.first.0 <= last + 1 - ticks.min(last + 1));
        assert_eq!(u64::from(stretch.first.0) % stretch.zoom.grain(), 0);
    }

    /// Of a stretch that somebody zoomed, and of one that was fitted.
    fn some_stretch() -> impl Strategy<Value = Stretch> {
        let zoomed = (0u32..5000, 1u16..400, -3i32..=12).prop_map(|(first, columns, octave)| {
            Stretch { first: Tick(first), columns, zoom: Zoom::octave(octave) }
        });
        let fitted = (0u32..5000, 0u32..20_000, 1u16..400).prop_map(|(first, more, columns)| {
            Stretch::whole(Tick(first), Tick(first + more), columns)
        });
        prop_oneof![zoomed, fitted]
    }

    proptest! {
        /// Cells have each column once and each tick once; both ways agree with them.
        #[test]
        fn columns_and_ticks_agree(stretch in some_stretch()) {
            let (mut column, mut tick) = (0, stretch.first.0);
            for cell in stretch.cells() {
                prop_assert_eq!((cell.column, cell.first), (column, Tick(tick)));
                prop_assert!(cell.ticks == 1 || cell.columns == 1, "{:?}", cell);
                for n in 0..cell.columns {
                    prop_assert_eq!(stretch.tick_at(column + n), cell.first);
                }
                for n in [0, cell.ticks - 1] {
                    prop_assert_eq!(stretch.column_of(Tick(tick + n)), Some(column));
                    let part = stretch.column_between(Tick(tick + n), 0, 7);
                    prop_assert_eq!(part, usize::from(column));
                }
                column += cell.columns;
                tick += cell.ticks;
            }
            prop_assert_eq!(column, stretch.columns);
            // The last tick may have no room for all of its columns.
            let end = stretch.end().0;
            prop_assert!(end == tick || end + 1 == tick, "{} {}", end, tick);
            prop_assert_eq!(stretch.spread(0..).count(), usize::from(stretch.columns));
        }

        /// All of a take, and nothing else, is laid over all columns.
        #[test]
        fn the_whole_fills_the_width(
            first in 0u32..5000, more in 0u32..100_000, columns in 1u16..400,
        ) {
            let (first, last) = (Tick(first), Tick(first + more));
            let whole = Stretch::whole(first, last, columns);
            prop_assert_eq!(whole.column_of(first), Some(0));
            let end = whole.column_of(last).unwrap() + 1;
            match (more + 1) * 8 < u32::from(columns) {
                true => prop_assert_eq!(u32::from(end), more * 8 + 1),
                // The last tick has all columns to the end.
                false => {
                    prop_assert_eq!(whole.column_of(whole.tick_at(columns - 1)), Some(end - 1));
                }
            }
        }

        /// A step leads to a power of two, past none of them.
        #[test]
        fn a_step_leads_to_the_next_power_of_two(stretch in some_stretch()) {
            let (zoom, out, back) =
                (stretch.zoom, stretch.zoom.by(1), stretch.zoom.by(-1));
            prop_assert!(out.shows_as_much_as(zoom) && zoom.shows_as_much_as(back));
            let is_power = zoom == zoom.by(0);
            prop_assert_eq!(out.by(-1) == zoom, is_power);
            if !is_power {
                prop_assert_eq!((out, back), (zoom.by(0), out.by(-1)));
            }
        }
    }

    #[test]
    fn zooming_keeps_the_playhead_in_view() {
        let mut stretch = Stretch { first: Tick(1000), columns: 120, zoom: Zoom::NORMAL };
        for steps in [1, 1, 1, -1, -1, -1, -1, -1, -1, 20, -40] {
            stretch.zoom_around(Tick(1077), steps);
            assert!(stretch.column_of(Tick(1077)).is_some(), "{stretch:?}");
        }
    }

    /// Up to a month at 1000 Hz, and to the last tick there is.
    #[rstest]
    #[case(0)]
    #[case(5_000)]
    #[case(86_400_000)]
    #[case(2_592_000_000)]
    #[case(u32::MAX)]
    fn the_whole_fits_however_long_it_is(
        #[case] last: u32,
        #[values(2, 20, 125, 380)] columns: u16,
        #[values(Stretch::whole, Stretch::whole_so_far)] whole: fn(Tick, Tick, u16) -> Stretch,
    ) {
        let whole = whole(Tick(0), Tick(last), columns);
        assert!(whole.column_of(Tick(last)).is_some(), "{whole:?}");
        assert!(whole.end() > Tick(last) || last == u32::MAX);
        let mut zoomed = whole;
        zoomed.zoom_around(Tick(last), 40);
        assert!(zoomed.column_of(Tick(last)).is_some(), "{zoomed:?}");
    }

    /// While a history grows, columns begin where they began, until it needs half of the room.
    #[test]
    fn what_grows_keeps_its_columns() {
        let of = |last| Stretch::whole_so_far(Tick(100), Tick(last), 125);
        let zooms = (100..10_000).map(|last| of(last).zoom);
        let mut steps: Vec<Zoom> = zooms.collect();
        steps.dedup();
        assert_eq!(steps.len(), 11, "{steps:?}");
    }

    #[test]
    fn showing_a_tick_moves_as_little_as_possible() {
        let mut stretch = Stretch { first: Tick(100), columns: 50, zoom: Zoom::NORMAL };
        stretch.show(Tick(120));
        assert_eq!(stretch.first, Tick(100));
        stretch.show(Tick(150));
        assert_eq!(stretch.first, Tick(101));
        stretch.show(Tick(7));
        assert_eq!(stretch.first, Tick(7));
    }
}
