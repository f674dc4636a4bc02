//! The names of the zones on the panel, none of which stands on another.

use super::MARGIN;
use crate::screen::draw::paint;
use ratatui::{
    layout::Rect,
    style::{Color, Style},
    text::Span,
    widgets::canvas::Context,
};
use std::{borrow::Cow, ops::Range};
use unicode_width::UnicodeWidthStr;

/// Names that were printed on a panel.
pub(super) struct Names {
    /// The cells of the panel, with its border.
    size: [u16; 2],
    /// Where its left and its upper edge are, and how wide and high it is, on the canvas.
    corner: [f64; 2],
    extent: [f64; 2],
    taken: Taken,
}

/// The columns of each row that have a name.
#[derive(Debug, Default)]
struct Taken(Vec<(u16, Range<u16>)>);

impl Names {
    /// On a panel of width 1 and this height, with its margin.
    pub(super) fn on(area: Rect, height: f64) -> Self {
        let margin = f64::from(MARGIN);
        Names {
            size: [area.width, area.height],
            corner: [-margin, height + margin],
            extent: [1.0 + 2.0 * margin, height + 2.0 * margin],
            taken: Taken::default(),
        }
    }

    /// Prints a name there, or as near to the left as it has room, or as much of it as has room.
    pub(super) fn print(
        &mut self,
        context: &mut Context,
        (x, y): (f64, f64),
        name: &str,
        style: Style,
    ) {
        let [columns, rows] = self.size.map(|cells| cells.saturating_sub(1));
        let [left, top] = self.corner;
        let [width, height] = self.extent;
        // As the canvas places them.
        let column = ((x - left) * f64::from(columns) / width) as u16;
        let row = ((top - y) * f64::from(rows) / height) as u16;
        if let Some((column, text)) = self.taken.place(row, 1..columns, column, name) {
            // Not on the edge of a cell, where what is rounded may be of the one before.
            let x = left + (f64::from(column) + 0.1) * width / f64::from(columns);
            // What is drawn below it must not show through in a style that names no colour.
            let style = Style { fg: style.fg.or(Some(Color::Reset)), ..style };
            context.print(x, y, Span::styled(text.into_owned(), style));
        }
    }
}

impl Taken {
    /// Where a name that is wanted at a column stands, and as much of it as has room; `None` where
    /// there is none.
    fn place<'n>(
        &mut self,
        row: u16,
        columns: Range<u16>,
        wanted: u16,
        name: &'n str,
    ) -> Option<(u16, Cow<'n, str>)> {
        let width = u16::try_from(name.width()).unwrap_or(u16::MAX);
        let wanted = wanted.min(columns.end.saturating_sub(width)).max(columns.start);
        let others = || self.0.iter().filter(|(other, _)| *other == row).map(|(_, range)| range);
        // A column stays free between two of them.
        let before = others().filter(|range| range.start <= wanted).map(|range| range.end + 1);
        let behind = others().filter(|range| range.start > wanted).map(|range| range.start - 1);
        let from = before.max().unwrap_or(0).max(columns.start);
        let to = behind.min().unwrap_or(u16::MAX).min(columns.end);
        let room = to.checked_sub(from).filter(|&room| room > 0)?;
        let start = wanted.min(to.saturating_sub(width.min(room))).max(from);
        self.0.push((row, start..start + width.min(room)));
        Some((start, paint::cut(name, room)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    /// A row of twenty columns on which these are wanted.
    fn shown(names: &[(u16, &str)]) -> String {
        let mut row = Taken::default();
        let mut cells = [' '; 20];
        for &(wanted, name) in names {
            if let Some((column, text)) = row.place(0, 1..19, wanted, name) {
                for (cell, c) in cells[usize::from(column)..].iter_mut().zip(text.chars()) {
                    *cell = c;
                }
            }
        }
        String::from_iter(cells).trim_end().to_owned()
    }

    #[rstest]
    #[case::where_it_is_wanted(&[(3, "deck")], "   deck")]
    #[case::before_the_edge(&[(17, "deck")], "               deck")]
    #[case::within_the_border(&[(0, "deck")], " deck")]
    #[case::too_long(&[(5, "a-very-long-name-of-a-zone")], " a-very-long-name-…")]
    #[case::two_sides(&[(0, "walk-left"), (17, "walk-right")], " walk-left walk-ri…")]
    #[case::the_first_is_whole(&[(17, "walk-right"), (0, "walk-left")], " walk-l… walk-right")]
    #[case::behind_one_at_the_same_place(&[(4, "deck"), (4, "horn")], "    deck horn")]
    #[case::no_room(&[(0, "all-of-the-columns"), (4, "horn")], " all-of-the-columns")]
    fn names_on_a_row(#[case] names: &[(u16, &str)], #[case] expected: &str) {
        assert_eq!(shown(names), expected);
    }

    proptest! {
        /// Whatever is wanted where, a column is free between two names, and none is on the border.
        #[test]
        fn no_name_stands_on_another(
            names in prop::collection::vec((0u16..3, 0u16..40, "[a-z]{1,12}"), 0..12),
            end in 1u16..40,
        ) {
            let mut rows = Taken::default();
            let mut taken = [[false; 42]; 3];
            for (row, wanted, name) in &names {
                let Some((column, text)) = rows.place(*row, 1..end, *wanted, name) else { continue };
                let cells = usize::from(column)..usize::from(column) + text.width();
                prop_assert!(cells.start >= 1 && cells.end <= usize::from(end));
                let around = cells.start - 1..cells.end + 1;
                prop_assert!(!taken[usize::from(*row)][around].contains(&true));
                taken[usize::from(*row)][cells].fill(true);
                prop_assert!(text == *name || text.ends_with('…'));
            }
        }
    }
}
