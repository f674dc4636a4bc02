//! Where everything goes.

use super::viewport::{Hit, Room};
use ratatui::layout::Rect;

/// What the height is shared by.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Shares {
    /// How somebody wants it.
    pub(crate) room: Room,
    /// So many rows show all of the bench.
    pub(crate) bench_wants: u16,
    /// Whether there are marks, which take a row.
    pub(crate) has_marks: bool,
    /// Whether what is shown is a part of a reel, which takes a row.
    pub(crate) has_reel: bool,
}

/// The parts of the screen. A part that has no room is empty.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Areas {
    pub(crate) whole: Rect,
    pub(crate) status: Rect,
    pub(crate) devices: Rect,
    pub(crate) bench_rule: Rect,
    pub(crate) bench: Rect,
    pub(crate) ruler: Rect,
    /// The row of marks; empty while there are none.
    pub(crate) marks: Rect,
    pub(crate) lanes: Rect,
    /// The whole history in a row, where there is room.
    pub(crate) overview: Rect,
    /// All of the reel in a row, of which a part is shown.
    pub(crate) reel: Rect,
    pub(crate) why_rule: Rect,
    pub(crate) why: Rect,
    pub(crate) hints: Rect,
    /// Columns of names left of the traces, and of values right of them.
    pub(crate) gutters: (u16, u16),
}

impl Areas {
    /// The areas of a screen.
    pub(crate) fn of(whole: Rect, shares: Shares) -> Self {
        // A column on either side is kept free for the edge that shows capture.
        let margin = u16::from(whole.width > 2);
        let mut rest =
            Rect { x: whole.x + margin, width: whole.width.saturating_sub(2 * margin), ..whole };
        let height = whole.height;
        let status = from_top(&mut rest, 1);
        let hints = from_bottom(&mut rest, 1);
        let devices = from_top(&mut rest, u16::from(height >= 12));
        let is_bench_alone = shares.room == Room::Bench;
        let (why, why_rule) = match is_bench_alone {
            true => (0, 0),
            false => (why_rows(height), u16::from(height >= 10)),
        };
        let why = from_bottom(&mut rest, why);
        let why_rule = from_bottom(&mut rest, why_rule);
        let has_reel = shares.has_reel && height >= 16;
        let reel = from_bottom(&mut rest, u16::from(has_reel));
        let overview = from_bottom(&mut rest, u16::from(height >= 30 && !is_bench_alone));
        let bench_rule = from_top(&mut rest, u16::from(height >= 16 || is_bench_alone));
        let bench_rows = bench_rows(height, rest.height, shares);
        let bench = from_top(&mut rest, bench_rows);
        let ruler = from_top(&mut rest, 1);
        let has_marks = shares.has_marks && height >= 12;
        let marks = from_top(&mut rest, u16::from(has_marks));
        let gutters = match whole.width {
            0..40 => (12, 0),
            40..110 => (18, 8),
            _ => (24, 9),
        };
        Areas {
            whole,
            status,
            devices,
            bench_rule,
            bench,
            ruler,
            marks,
            lanes: rest,
            overview,
            reel,
            why_rule,
            why,
            hints,
            gutters,
        }
    }

    /// The part of a row of the timeline that is traces.
    pub(crate) fn traces(&self, rows: Rect) -> Rect {
        let (left, right) = self.gutters;
        Rect {
            x: rows.x + left.min(rows.width),
            width: rows.width.saturating_sub(left + right),
            ..rows
        }
    }

    /// What a mouse can hit.
    pub(crate) fn hit(&self) -> Hit {
        let (traces, lanes) = (self.traces(self.lanes), self.lanes);
        let (bench, ruler, whole) = (self.bench, self.ruler, self.whole);
        let [overview, reel] = [self.overview, self.reel].map(|row| self.traces(row));
        Hit { traces, lanes, bench, ruler, overview, reel, whole, ..Hit::default() }
    }
}

fn why_rows(height: u16) -> u16 {
    match height {
        0..8 => 0,
        8..16 => 1,
        16..30 => 2,
        _ => 3,
    }
}

/// The rows of the bench on a screen of so many, of the `rest` that it shares with the
/// timeline. The timeline keeps its ruler and a row, unless the bench is alone.
fn bench_rows(height: u16, rest: u16, shares: Shares) -> u16 {
    match shares.room {
        Room::Bench => rest,
        Room::Lanes => 0,
        Room::Rows(rows) => rows.min(rest.saturating_sub(2)),
        Room::ByNeed if height < 16 => 0,
        Room::ByNeed if height < 30 => shares.bench_wants.min((height - 12) / 2),
        Room::ByNeed => shares.bench_wants.min(rest * 58 / 100),
    }
}

fn from_top(rest: &mut Rect, rows: u16) -> Rect {
    let rows = rows.min(rest.height);
    let taken = Rect { height: rows, ..*rest };
    rest.y += rows;
    rest.height -= rows;
    taken
}

fn from_bottom(rest: &mut Rect, rows: u16) -> Rect {
    let rows = rows.min(rest.height);
    rest.height -= rows;
    Rect { y: rest.y + rest.height, height: rows, ..*rest }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::as_much_as_it_wants(47, Room::ByNeed, 8, 8)]
    #[case::no_more_than_its_share(47, Room::ByNeed, 99, 22)]
    #[case::none_on_a_low_screen(15, Room::ByNeed, 8, 0)]
    #[case::alone_on_a_low_screen(15, Room::Bench, 8, 11)]
    #[case::by_hand(47, Room::Rows(30), 8, 30)]
    #[case::the_timeline_keeps_two_rows(47, Room::Rows(99), 8, 36)]
    #[case::alone(47, Room::Bench, 8, 43)]
    #[case::the_timeline_alone(47, Room::Lanes, 8, 0)]
    fn bench_and_timeline_share_the_height(
        #[case] height: u16,
        #[case] room: Room,
        #[case] bench_wants: u16,
        #[case] rows: u16,
    ) {
        let whole = Rect { x: 0, y: 0, width: 160, height };
        let areas =
            Areas::of(whole, Shares { room, bench_wants, has_marks: false, has_reel: false });
        assert_eq!(areas.bench.height, rows);
        let fixed = [
            areas.status,
            areas.devices,
            areas.bench_rule,
            areas.ruler,
            areas.why_rule,
            areas.overview,
        ];
        let used: u16 = fixed.iter().map(|area| area.height).sum();
        let shared = areas.bench.height + areas.lanes.height + areas.why.height;
        assert_eq!(used + shared + areas.hints.height, height);
    }
}
