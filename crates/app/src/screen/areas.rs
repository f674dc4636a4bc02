//! Where everything goes.

use super::viewport::Hit;
use ratatui::layout::Rect;

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
    pub(crate) why_rule: Rect,
    pub(crate) why: Rect,
    pub(crate) hints: Rect,
    /// Columns of names left of the traces, and of values right of them.
    pub(crate) gutters: (u16, u16),
}

impl Areas {
    /// The areas of a screen; a row for marks only if there are any.
    pub(crate) fn of(whole: Rect, has_marks: bool) -> Self {
        // A column on either side is kept free for the edge that shows capture.
        let margin = u16::from(whole.width > 2);
        let mut rest =
            Rect { x: whole.x + margin, width: whole.width.saturating_sub(2 * margin), ..whole };
        let height = whole.height;
        let status = from_top(&mut rest, 1);
        let hints = from_bottom(&mut rest, 1);
        let devices = from_top(&mut rest, u16::from(height >= 12));
        let why = from_bottom(&mut rest, why_rows(height));
        let why_rule = from_bottom(&mut rest, u16::from(height >= 10));
        let bench_rule = from_top(&mut rest, u16::from(height >= 16));
        let bench = from_top(&mut rest, bench_rows(height));
        let ruler = from_top(&mut rest, 1);
        let has_marks = has_marks && height >= 12;
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
        Hit { traces, lanes, whole: self.whole, ..Hit::default() }
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

fn bench_rows(height: u16) -> u16 {
    match height {
        0..16 => 0,
        16..30 => (height - 12) / 2,
        _ => (height - 10) * 45 / 100,
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
