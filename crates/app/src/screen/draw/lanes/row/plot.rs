//! The trace of an analogue lane that has several rows: a line of dots, four a row, with its
//! scale and what the value is held against.

use super::*;
use crate::screen::app::{Guide, GuideKind};

/// Dots in a row of cells.
const DOTS: u16 = 4;

/// Columns that the scale takes of the room of the name.
const SCALE: u16 = 6;

/// Where values lie in the rows of a lane.
struct Scale {
    top: f32,
    bottom: f32,
    rows: u16,
}

impl Scale {
    fn of(is_two_sided: bool, rows: u16) -> Self {
        Scale { top: 1.0, bottom: if is_two_sided { -1.0 } else { 0.0 }, rows }
    }

    /// The dot of a value, from the top.
    fn dot(&self, value: f32) -> u16 {
        let share = ((self.top - value) / (self.top - self.bottom)).clamp(0.0, 1.0);
        (share * f32::from(self.rows * DOTS - 1)).round() as u16
    }

    fn row(&self, value: f32) -> u16 {
        self.dot(value) / DOTS
    }
}

/// The part of a run of dots that lies in a row, as the bits of a braille sign: in the left
/// column of dots or in the right one.
fn bits(row: u16, [first, last]: [u16; 2], is_right: bool) -> u32 {
    const BITS: [[u32; 4]; 2] = [[0x01, 0x02, 0x04, 0x40], [0x08, 0x10, 0x20, 0x80]];
    let of_row = BITS[usize::from(is_right)].iter().zip(row * DOTS..);
    of_row.filter(|(_, dot)| (first..=last).contains(dot)).map(|(bit, _)| bit).sum()
}

/// The dots of the limits, a row of cells each: in every other column, which tells them from a
/// value.
struct Limits(Vec<u32>);

impl Limits {
    fn new(scale: &Scale, guides: &[Guide]) -> Self {
        let dots: Vec<u16> = guides.iter().map(|guide| scale.dot(guide.at)).collect();
        let of_row = |row| dots.iter().fold(0, |sign, &dot| sign | bits(row, [dot, dot], false));
        Limits((0..scale.rows).map(of_row).collect())
    }

    /// Those in a row and a column.
    fn at(&self, row: u16, column: usize) -> u32 {
        if column.is_multiple_of(2) { self.0[usize::from(row)] } else { 0 }
    }
}

impl Row<'_> {
    pub(super) fn plot(&mut self, columns: &[Column]) {
        let scale = Scale::of(self.app.is_two_sided(self.lane), self.area.height);
        let guides = self.app.guides(self.lane);
        self.scale(&scale, &guides);
        let limits = Limits::new(&scale, &guides);
        let mut before = None;
        for (at, &column) in columns.iter().enumerate() {
            let (Column::Summary(span) | Column::Same(span)) = column else {
                self.no_value(at, column);
                before = None;
                continue;
            };
            self.ground(at, &scale, &limits);
            let here = scale.dot(span.last);
            let [high, low] = [span.max, span.min].map(|value| scale.dot(value));
            // The line goes on from where it was.
            let was = before.replace(here).unwrap_or(here);
            let way = match column {
                Column::Same(_) => [here, here],
                _ => [high.min(was), low.max(was)],
            };
            let active = span.max != 0.0 || span.min != 0.0;
            if active || way[0] != way[1] {
                self.shade(at, [scale.row(0.0), here / DOTS]);
                let style = self.level_style(true);
                for row in way[0] / DOTS..=way[1] / DOTS {
                    let dots = bits(row, way, false) | bits(row, [here, here], true);
                    // A limit in the same cell shows on which side of it the value is.
                    let dots = dots | limits.at(row, at);
                    self.dots(row, at, dots, style);
                }
            }
            self.marked(at, span.marks);
        }
    }

    /// The line of rest, and the limits as dots, where no value lies over them.
    fn ground(&mut self, at: usize, scale: &Scale, limits: &Limits) {
        self.put(scale.row(0.0), at, "─", self.theme().rule());
        for row in 0..scale.rows {
            let dots = limits.at(row, at);
            if dots != 0 {
                self.dots(row, at, dots, self.theme().doubtful());
            }
        }
    }

    fn dots(&mut self, row: u16, at: usize, dots: u32, style: Style) {
        let sign = char::from_u32(0x2800 + dots).unwrap_or(' ');
        self.put(row, at, sign.encode_utf8(&mut [0; 4]), style);
    }

    /// Shades a column beyond the row of rest up to that of the value, which the eye finds
    /// sooner than a line.
    fn shade(&mut self, at: usize, [rest, value]: [u16; 2]) {
        let style = self.theme().shade();
        for row in (rest.min(value)..=rest.max(value)).filter(|row| *row != rest) {
            let place = (self.traces.x + at as u16, self.traces.y + row);
            if let Some(cell) = self.buffer.cell_mut(place) {
                cell.set_style(style);
            }
        }
    }

    /// Names the ends of the scale and the limits, right of the name.
    fn scale(&mut self, scale: &Scale, guides: &[Guide]) {
        let [zero, one] = self.app.extent_of(self.lane);
        let own = |value: f32| zero + value * (one - zero);
        let is_whole = |value: f32| value.fract() == 0.0;
        let words = |value: f32| match is_whole(value) {
            true => format!("{value:.0}"),
            false => format!("{value:.2}"),
        };
        let ends = [scale.top, scale.bottom].map(|value| (value, words(own(value))));
        let limits = guides.iter().map(|guide| {
            let sign = match guide.kind {
                GuideKind::DeadZone => "",
                GuideKind::Press => "≥",
                GuideKind::Release => "<",
            };
            (guide.at, format!("{sign}{}", words(guide.at)))
        });
        // The pointer, a pin, the indent and a blank besides.
        let name = lane_name(self.app.session(), self.lane).width() + 5;
        let mut taken = Vec::new();
        for (value, text) in ends.into_iter().chain(limits) {
            let row = scale.row(value);
            // Of two in a row the first is named, and beside a long name none.
            let gutter = usize::from(self.traces.x - self.area.x);
            let has_room = row > 0 || name + text.width() < gutter;
            if taken.contains(&row) || !has_room {
                continue;
            }
            taken.push(row);
            let place = Rect {
                x: self.traces.x.saturating_sub(SCALE + 1).max(self.area.x),
                y: self.area.y + row,
                width: SCALE.min(self.traces.x - self.area.x),
                height: 1,
            };
            paint::text_right(self.buffer, place, &text, self.theme().faint());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::top(true, 3, 1.0, 0)]
    #[case::bottom(true, 3, -1.0, 11)]
    #[case::beyond(true, 3, -1.4, 11)]
    #[case::one_sided_rest(false, 3, 0.0, 11)]
    #[case::one_sided_half(false, 2, 0.5, 4)]
    fn a_value_has_its_dot(
        #[case] is_two_sided: bool,
        #[case] rows: u16,
        #[case] value: f32,
        #[case] dot: u16,
    ) {
        assert_eq!(Scale::of(is_two_sided, rows).dot(value), dot);
    }

    #[rstest]
    #[case::a_whole_row(1, [3, 8], false, 0x47)]
    #[case::its_end(2, [3, 8], false, 0x01)]
    #[case::right(0, [3, 3], true, 0x80)]
    #[case::elsewhere(2, [0, 7], true, 0)]
    fn a_run_of_dots_is_a_sign_in_each_row(
        #[case] row: u16,
        #[case] run: [u16; 2],
        #[case] is_right: bool,
        #[case] expected: u32,
    ) {
        assert_eq!(bits(row, run, is_right), expected);
    }
}
