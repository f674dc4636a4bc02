//! Where in a document the person looks.

use super::{
    app::Search,
    spots::Spots,
    view::{Lane, Stretch, Zoom},
};
use gtrig_core::{Machine, Nanos, Plan, Tick};
use ratatui::layout::Rect;

/// Where the playhead is.
#[derive(Clone, Debug)]
pub(crate) enum Playhead {
    /// At the latest tick.
    Live,
    /// At a tick of the past, with the state as it was then.
    Frozen(Box<Machine>),
}

/// How the bench and the timeline share the height.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub(crate) enum Room {
    /// The bench has what it wants, up to a little more than half.
    #[default]
    ByNeed,
    /// The bench has so many rows, as somebody set it.
    Rows(u16),
    /// The bench has all.
    Bench,
    /// The timeline has all.
    Lanes,
}

/// Where the last frame put things that a mouse can hit.
#[derive(Clone, Copy, Debug, Default)]
pub struct Hit {
    /// The screen.
    pub(crate) whole: Rect,
    pub(crate) bench: Rect,
    /// The border between the bench and the timeline.
    pub(crate) ruler: Rect,
    /// The whole history in a row.
    pub(crate) overview: Rect,
    /// All of the reel in a row, of which a part is shown.
    pub(crate) reel: Rect,
    /// The traces of the lanes, without their names.
    pub(crate) traces: Rect,
    /// The lanes, names and values included.
    pub(crate) lanes: Rect,
    /// The picture of a touch panel.
    pub(crate) panel: Rect,
    /// The lines of the log.
    pub(crate) log: Rect,
    /// Where a game differs, on its bench.
    pub(crate) places: Rect,
    /// What is found by typing.
    pub(crate) found: Rect,
}

/// An analogue lane with so many rows is drawn as a line of dots.
pub(crate) const PLOT: u16 = 3;

/// The playhead, the stretch of time and the lanes that are in view.
pub(crate) struct Viewport {
    pub(super) playhead: Playhead,
    /// Since when a take plays, and from which tick.
    pub(super) playing: Option<(Nanos, Tick)>,
    pub(crate) stretch: Stretch,
    pub(crate) filter: String,
    pub(crate) chosen: Option<Lane>,
    /// The lanes as the last frame has them, and those that it folds away.
    pub(crate) shown: Vec<Lane>,
    pub(crate) folded: Vec<Lane>,
    pub(crate) first_lane: usize,
    /// Lanes at rest in view are folded away.
    pub(super) folds: bool,
    /// From where time is measured to the playhead.
    pub(crate) measured_from: Option<Tick>,
    /// What is looked for along time.
    pub(crate) search: Search,
    /// Analogue lanes take more than a row where there is room.
    pub(super) is_tall: bool,
    /// So many rows an analogue lane takes; fewer than [`PLOT`] where there is no room for
    /// a line of dots.
    pub(super) plot_rows: u16,
    /// Whether what came of gestures and combos has a row of its own below their lanes.
    pub(super) has_verdict_rows: bool,
    /// The next frame is to show the whole take.
    pub(super) opens_whole: bool,
    pub(crate) hit: Hit,
    /// What the last frame put there.
    pub(crate) spots: Spots,
    pub(crate) room: Room,
    /// The mouse holds the border between the bench and the timeline.
    pub(super) is_border_held: bool,
}

impl Default for Viewport {
    fn default() -> Self {
        Viewport {
            playhead: Playhead::Live,
            playing: None,
            stretch: Stretch { first: Tick(0), columns: 80, zoom: Zoom::NORMAL },
            filter: String::new(),
            chosen: None,
            shown: Vec::new(),
            folded: Vec::new(),
            first_lane: 0,
            folds: true,
            measured_from: None,
            search: Search::default(),
            is_tall: true,
            plot_rows: 0,
            has_verdict_rows: false,
            opens_whole: false,
            hit: Hit::default(),
            spots: Spots::default(),
            room: Room::ByNeed,
            is_border_held: false,
        }
    }
}

impl Viewport {
    pub(crate) fn is_live(&self) -> bool {
        matches!(self.playhead, Playhead::Live)
    }

    pub(crate) fn is_playing(&self) -> bool {
        self.playing.is_some()
    }

    /// Shows the end of a history.
    pub(super) fn follow(&mut self, last: Tick) {
        self.stretch = Stretch::following(last, self.stretch.columns, self.stretch.zoom);
    }

    /// Puts the playhead on the tick of a state of the past.
    pub(super) fn freeze(&mut self, then: Machine) {
        self.stretch.show(then.at());
        self.playhead = Playhead::Frozen(Box::new(then));
    }

    /// Devices may have come since the time stood still: what was before they came is
    /// that they were not there.
    pub(super) fn fit(&mut self, plan: &Plan) {
        if let Playhead::Frozen(machine) = &mut self.playhead
            && !machine.fits(plan)
        {
            machine.fit(plan);
        }
    }

    /// Shows the history from `first` to `last`, as near as it fits.
    pub(super) fn show_all(&mut self, first: Tick, last: Tick) {
        self.stretch = Stretch::whole(first, last, self.stretch.columns);
    }

    /// The last tick in view.
    pub(super) fn end(&self, last: Tick) -> Tick {
        self.stretch.end().min(last)
    }

    /// Moves the border between the bench and the timeline down by so many rows.
    pub(super) fn move_border(&mut self, by: i16) {
        let rows = self.hit.bench.height.saturating_add_signed(by);
        self.room = Room::Rows(rows.min(self.hit.whole.height));
    }

    /// Gives one of the two the whole height, or both their share again.
    pub(super) fn give_all(&mut self, to: Room) {
        self.room = if self.room == to { Room::ByNeed } else { to };
    }

    /// Takes over how another viewport was laid out, but not where it looked.
    pub(super) fn lay_out_like(&mut self, other: &Viewport) {
        self.is_tall = other.is_tall;
        self.folds = other.folds;
        self.room = other.room;
        self.hit = other.hit;
        self.stretch.columns = other.stretch.columns;
    }
}
