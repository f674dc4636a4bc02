//! One input or action in a row of cells, to be read at a glance.
//!
//! ```text
//!   ↗ ┄━━━━━●───    a stick: where to, how far, and the dead zone
//!   ─────┄┼━━●──    an axis, from -1 to +1
//!   ━━━━━━━┆━━●     a trigger, with where it presses
//!   ● down          a button
//!   ▴ · · ▸         keys of four sides
//!   ■■□□            a combo, two of four steps
//! ```

use crate::screen::{Theme, draw::paint};
use ratatui::{buffer::Buffer, layout::Rect, style::Style};

/// What a meter shows.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Meter {
    /// A word says it all.
    Word(&'static str),
    /// A button, which is down or up.
    Lamp(bool),
    /// The sides of a pair or a cross, those that are held lit.
    Sides(Vec<(&'static str, bool)>),
    /// A value from -1 to +1, and how far from its middle it counts as rest.
    Axis { at: f32, rest: f32 },
    /// A value from 0 to 1, and where it presses.
    Travel { at: f32, press_at: Option<f32>, rest: f32 },
    /// A stick, and how far from its middle it counts as rest.
    Stick { at: [f32; 2], rest: f32 },
    /// Steps that are met, of so many.
    Steps(usize, usize),
}

/// The styles of a meter.
#[derive(Clone, Copy, Debug)]
pub(super) struct Look {
    /// What is active.
    pub(super) lit: Style,
    pub(super) theme: Theme,
}

impl Meter {
    /// Draws it on the first row of an area.
    pub(super) fn draw(&self, buffer: &mut Buffer, area: Rect, look: Look) {
        let Look { lit, theme } = look;
        match *self {
            Meter::Word(word) => {
                paint::text(buffer, area, area.x, word, lit);
            }
            Meter::Lamp(is_down) => {
                paint::text(buffer, area, area.x, if is_down { "● down" } else { "○ up" }, lit);
            }
            Meter::Sides(ref sides) => {
                let mut x = area.x;
                for &(glyph, is_held) in sides {
                    let (glyph, style) = if is_held { (glyph, lit) } else { ("·", theme.faint()) };
                    x = paint::text(buffer, area, x, glyph, style) + 1;
                }
            }
            Meter::Steps(met, of) => {
                for step in 0..of {
                    let (glyph, style) =
                        if step < met { ("■", lit) } else { ("□", theme.faint()) };
                    paint::glyph(buffer, area, area.x + step as u16, glyph, style);
                }
            }
            Meter::Axis { at, rest } => Track { area, look }.two_sided(buffer, at, rest),
            Meter::Travel { at, press_at, rest } => {
                Track { area, look }.one_sided(buffer, at, rest, press_at);
            }
            Meter::Stick { at: [x, y], rest } => {
                let length = (x * x + y * y).sqrt();
                let glyph = if length > rest { arrow([x, y]) } else { "·" };
                paint::text(buffer, area, area.x, glyph, lit);
                let skipped = 2.min(area.width);
                let area = Rect { x: area.x + skipped, width: area.width - skipped, ..area };
                Track { area, look }.one_sided(buffer, length, rest, None);
            }
        }
    }
}

/// The arrow that points most nearly there; y points up.
fn arrow([x, y]: [f32; 2]) -> &'static str {
    const ARROWS: [&str; 8] = ["→", "↗", "↑", "↖", "←", "↙", "↓", "↘"];
    let eighth = (y.atan2(x) / std::f32::consts::FRAC_PI_4).round();
    ARROWS[eighth.rem_euclid(8.0) as usize]
}

/// A line of cells with a knob on it.
struct Track {
    area: Rect,
    look: Look,
}

impl Track {
    /// The cell of a share of the track.
    fn cell(&self, share: f32) -> u16 {
        let last = self.area.width.saturating_sub(1);
        (share.clamp(0.0, 1.0) * f32::from(last)).round() as u16
    }

    fn put(&self, buffer: &mut Buffer, cell: u16, glyph: &str, style: Style) {
        paint::glyph(buffer, self.area, self.area.x + cell, glyph, style);
    }

    /// A line, the cells that count as rest, and the way to the knob.
    fn line(&self, buffer: &mut Buffer, rest: Option<[u16; 2]>, way: [u16; 2]) {
        let theme = self.look.theme;
        for cell in 0..self.area.width {
            let is_rest = rest.is_some_and(|[from, to]| from <= cell && cell <= to);
            let is_way = way[0] <= cell && cell <= way[1];
            match (is_rest, is_way) {
                (true, _) => self.put(buffer, cell, "┄", theme.doubtful()),
                (false, true) => self.put(buffer, cell, "━", self.look.lit),
                (false, false) => self.put(buffer, cell, "─", theme.rule()),
            }
        }
    }

    fn two_sided(&self, buffer: &mut Buffer, at: f32, rest: f32) {
        let cell = |value: f32| self.cell((value + 1.0) / 2.0);
        let (knob, middle) = (cell(at), cell(0.0));
        let borders = (rest > 0.0).then_some([cell(-rest), cell(rest)]);
        self.line(buffer, borders, [knob.min(middle), knob.max(middle)]);
        self.put(buffer, middle, "┼", self.look.theme.faint());
        self.put(buffer, knob, "●", self.look.lit);
    }

    fn one_sided(&self, buffer: &mut Buffer, at: f32, rest: f32, press_at: Option<f32>) {
        let knob = self.cell(at);
        self.line(buffer, (rest > 0.0).then_some([0, self.cell(rest)]), [0, knob]);
        if let Some(press_at) = press_at {
            self.put(buffer, self.cell(press_at), "┆", self.look.theme.doubtful());
        }
        self.put(buffer, knob, "●", self.look.lit);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(Meter::Axis { at: 0.0, rest: 0.0 }, "──────●──────")]
    #[case(Meter::Axis { at: 1.0, rest: 0.0 }, "──────┼━━━━━●")]
    #[case(Meter::Axis { at: -0.5, rest: 0.15 }, "───●━┄┼┄─────")]
    #[case(Meter::Travel { at: 0.0, press_at: Some(0.6), rest: 0.0 }, "●──────┆─────")]
    #[case(Meter::Travel { at: 1.0, press_at: Some(0.6), rest: 0.0 }, "━━━━━━━┆━━━━●")]
    #[case(Meter::Stick { at: [0.0, 0.0], rest: 0.2 }, "· ●┄┄────────")]
    #[case(Meter::Stick { at: [0.6, 0.6], rest: 0.1 }, "↗ ┄┄━━━━━━●──")]
    #[case(Meter::Stick { at: [0.0, -1.0], rest: 0.0 }, "↓ ━━━━━━━━━━●")]
    #[case(Meter::Stick { at: [-1.0, -0.1], rest: 0.0 }, "← ━━━━━━━━━━●")]
    #[case(Meter::Lamp(true), "● down")]
    #[case(Meter::Lamp(false), "○ up")]
    #[case(Meter::Sides(vec![("◂", true), ("▸", false)]), "◂ ·")]
    #[case(Meter::Steps(2, 4), "■■□□")]
    #[case(Meter::Word("trying"), "trying")]
    fn meters(#[case] meter: Meter, #[case] expected: &str) {
        let area = Rect { x: 0, y: 0, width: 13, height: 1 };
        let mut buffer = Buffer::empty(area);
        let theme = Theme::new(true);
        meter.draw(&mut buffer, area, Look { lit: theme.signal(), theme });
        let row: String = (0..13).map(|x| buffer[(x, 0)].symbol()).collect();
        assert_eq!(row.trim_end(), expected);
    }
}
