//! What the person looks at: playhead, stretch of time, lanes.

use gtrig_analysis::Session;
use gtrig_core::{ActionId, BoundInput, ComboId, ControlId, GestureId, Gives, Tick};

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

/// How many ticks a column holds, or how many columns a tick, as a power of
/// two: 0 is one tick a column, 3 is eight ticks a column, -2 is four columns
/// a tick.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Zoom(i8);

impl Zoom {
    const MIN: i8 = -3;
    // Two columns have every tick there can be.
    const MAX: i8 = 31;

    pub(crate) const NORMAL: Zoom = Zoom(0);

    pub(crate) fn by(self, steps: i32) -> Zoom {
        Zoom((i32::from(self.0) + steps).clamp(Self::MIN.into(), Self::MAX.into()) as i8)
    }

    pub(crate) fn ticks_per_column(self) -> u32 {
        1 << self.0.max(0)
    }

    pub(crate) fn columns_per_tick(self) -> u32 {
        1 << (-self.0).max(0)
    }

    /// How many ticks fit in so many columns; at least one.
    pub(crate) fn ticks_in(self, columns: u16) -> u32 {
        let columns = (u32::from(columns) / self.columns_per_tick()).max(1);
        columns.saturating_mul(self.ticks_per_column())
    }
}

/// The view of what happens now goes on by so many columns at a time.
const SCROLL: u16 = 8;

/// A stretch of time laid over columns. The first tick is a multiple of the
/// ticks per column, so that a column never changes what it sums up while the
/// view scrolls.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Stretch {
    pub(crate) first: Tick,
    pub(crate) columns: u16,
    pub(crate) zoom: Zoom,
}

impl Stretch {
    /// The stretch of so many columns that ends with `last`.
    pub(crate) fn ending(last: Tick, columns: u16, zoom: Zoom) -> Self {
        let width = zoom.ticks_per_column();
        let end = (u64::from(last.0) / u64::from(width) + 1) * u64::from(width);
        let first = end.saturating_sub(u64::from(zoom.ticks_in(columns)));
        Stretch { first: Tick(first as u32), columns, zoom }
    }

    /// The stretch of so many columns that has the newest tick near its end, and goes on in
    /// steps of [`SCROLL`] columns: what scrolls all the time cannot be read, and is much to
    /// send.
    pub(crate) fn following(last: Tick, columns: u16, zoom: Zoom) -> Self {
        let scroll = if columns < 8 * SCROLL { 1 } else { SCROLL };
        let step = u64::from(zoom.ticks_in(scroll));
        let end = (u64::from(last.0) / step + 1) * step - 1;
        let end = Tick(u32::try_from(end).unwrap_or(u32::MAX));
        Stretch::ending(end, columns, zoom)
    }

    /// The stretch of so many columns that has the ticks from `first` to `last`, as near
    /// as they fit.
    pub(crate) fn whole(first: Tick, last: Tick, columns: u16) -> Self {
        let ticks = (last.0 - first.0).saturating_add(1);
        let mut zooms = (-3..32).map(|steps| Zoom::NORMAL.by(steps));
        let fits =
            |zoom: &Zoom| zoom.ticks_in(columns) >= ticks.saturating_add(zoom.ticks_per_column());
        let zoom = zooms.find(fits).unwrap_or(Zoom::NORMAL.by(32));
        let width = zoom.ticks_per_column();
        Stretch { first: Tick(first.0 / width * width), columns, zoom }
    }

    /// The first tick of a column.
    pub(crate) fn tick_at(&self, column: u16) -> Tick {
        let column = u32::from(column) / self.zoom.columns_per_tick();
        Tick(self.first.0.saturating_add(column.saturating_mul(self.zoom.ticks_per_column())))
    }

    /// The tick after the last column.
    pub(crate) fn end(&self) -> Tick {
        Tick(self.first.0.saturating_add(self.zoom.ticks_in(self.columns)))
    }

    /// The first column of a tick, if it is in view.
    pub(crate) fn column_of(&self, tick: Tick) -> Option<u16> {
        let ticks = tick.0.checked_sub(self.first.0)?;
        let column = ticks / self.zoom.ticks_per_column() * self.zoom.columns_per_tick();
        u16::try_from(column).ok().filter(|&c| c < self.columns)
    }

    /// Moves the stretch as little as need be to have `tick` in view.
    pub(crate) fn show(&mut self, tick: Tick) {
        let width = self.zoom.ticks_per_column();
        let span = self.zoom.ticks_in(self.columns);
        if tick < self.first {
            self.first = Tick(tick.0 / width * width);
        } else if u64::from(tick.0) >= u64::from(self.first.0) + u64::from(span) {
            *self = Stretch::ending(tick, self.columns, self.zoom);
        }
    }

    /// Zooms so that `tick` stays in its column.
    pub(crate) fn zoom_around(&mut self, tick: Tick, steps: i32) {
        let column = self.column_of(tick).unwrap_or(self.columns / 2);
        self.zoom = self.zoom.by(steps);
        let columns = u32::from(column) / self.zoom.columns_per_tick();
        let left = columns.saturating_mul(self.zoom.ticks_per_column());
        let width = self.zoom.ticks_per_column();
        self.first = Tick(tick.0.saturating_sub(left) / width * width);
        self.show(tick);
    }

    /// Pans by quarters of the view, no further than `last`.
    pub(crate) fn pan(&mut self, quarters: i32, last: Tick) {
        let width = self.zoom.ticks_per_column();
        let step = i64::from((self.zoom.ticks_in(self.columns) / 4).max(1)) * i64::from(quarters);
        let first = (i64::from(self.first.0) + step).clamp(0, i64::from(last.0)) as u32;
        self.first = Tick(first / width * width);
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

#[cfg(test)]
mod tests {
    use super::*;
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
        let stretch = Stretch::ending(Tick(last), columns, Zoom::NORMAL.by(zoom));
        assert!(stretch.column_of(Tick(last)).is_some());
        assert!(stretch.first.0 <= last + 1 - ticks.min(last + 1));
        assert_eq!(stretch.first.0 % stretch.zoom.ticks_per_column(), 0);
    }

    #[rstest]
    #[case(-3)]
    #[case(0)]
    #[case(5)]
    fn columns_and_ticks_agree(#[case] zoom: i32) {
        let stretch = Stretch { first: Tick(640), columns: 120, zoom: Zoom::NORMAL.by(zoom) };
        for column in 0..120 {
            let tick = stretch.tick_at(column);
            let back = stretch.column_of(tick).unwrap();
            assert!(back <= column && column - back < stretch.zoom.columns_per_tick() as u16);
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
    ) {
        let whole = Stretch::whole(Tick(0), Tick(last), columns);
        assert!(whole.column_of(Tick(last)).is_some(), "{whole:?}");
        assert!(whole.end() > Tick(last) || last == u32::MAX);
        let mut zoomed = whole;
        zoomed.zoom_around(Tick(last), 40);
        assert!(zoomed.column_of(Tick(last)).is_some(), "{zoomed:?}");
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
