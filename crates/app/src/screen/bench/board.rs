//! The board: the road from what devices report to what game code reads.
//!
//! ```text
//!   control                      own scale    shaped       action
//!   pad·1 stick-l  ↓ ┄┄━━━━━●──  +0.03 -0.87  +0.00 -0.86 ━┳━▶ slew
//!   pad·2 stick-l  · ●┄────────  +0.00 +0.00  +0.00 +0.00 ─┤   ⢎⡱ +0.00
//!   keys W A S D   · · · ·                     0.00  0.00 ─┘      -0.86
//! ```

mod dial;
mod meter;
mod panel;
mod row;

use super::{Bench, Entry};
use crate::screen::{App, draw::paint, keymap::Command, spots::Spot, view::Lane};
use gtrig_core::{ActionId, ActionState, BoundInput, Gives};
use meter::{Look, Meter};
use ratatui::{buffer::Buffer, layout::Rect};
use row::InputRow;
use unicode_width::UnicodeWidthStr;

/// The width of a block with its wire and its action.
const BLOCK: u16 = 79;

// Columns within a block.
const LABEL: u16 = 2;
const METER: u16 = 22;
const OWN: u16 = 36;
const SHAPED: u16 = 48;
const WIRE: u16 = 60;
const ACTION: u16 = 64;

/// Rows of a dial, and the fewest that show anything.
const DIAL: [u16; 2] = [4, 3];

/// What there is to know of it.
pub(crate) const ENTRY: Entry = Entry {
    bench: Bench::Board,
    key: "1",
    name: "board",
    help: "bench: the board, from controls to actions",
    wants: |app, width| {
        let panel = panel::action_of(app);
        let heights: Vec<u16> = app.actions().map(|id| rows_of(app, id, panel)).collect();
        1 + fits(&heights, columns(width))
    },
    keys: &[Command::Gather],
    draw,
    ..Entry::PLAIN
};

fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    if area.height == 0 {
        return;
    }
    let panel = panel::action_of(app);
    let blocks: Vec<Block> = app.actions().map(|id| Block::new(app, id, panel)).collect();
    if blocks.is_empty() {
        paint::text(buffer, area, area.x, "the rig names no actions", app.theme.faint());
        return;
    }
    let columns = columns(area.width);
    let titles = u16::from(area.height > 4);
    let room = area.height - titles;
    let mut heights: Vec<u16> = blocks.iter().map(|block| rows_of(app, block.id, panel)).collect();
    let rows = squeeze(&mut heights, columns, room);
    // Where even a row each is too much, the last row says how many are left out.
    let places = usize::from(room * columns);
    let shown = if heights.len() > places && rows == room { places - 1 } else { heights.len() };
    let mut place = Rect { y: area.y, height: 0, width: area.width.min(BLOCK), ..area };
    for (at, (block, &height)) in blocks.iter().zip(&heights).enumerate() {
        let is_full = place.bottom() + height > area.y + titles + rows;
        if at == 0 || is_full {
            place.x = if at == 0 { area.x } else { place.x + BLOCK };
            place = Rect { y: area.y, height: titles, ..place };
            head(buffer, place, app);
        }
        place = Rect { y: place.bottom(), height, ..place };
        if at == shown {
            let more =
                format!("… {} more actions; a taller terminal shows them", blocks.len() - at);
            paint::text(buffer, place, place.x + LABEL, &more, app.theme.faint());
            return;
        }
        block.draw(buffer, place.intersection(area), app);
    }
}

/// Rows that show all of an action: its inputs, and its dial or the panel below its name;
/// one where they are gathered.
fn rows_of(app: &App, id: ActionId, panel: Option<ActionId>) -> u16 {
    if app.is_gathered(Lane::Action(id, 0)) {
        return 1;
    }
    let inputs = app.session().plan().inputs(id);
    let has_dial = dial::stick_of(inputs, None).is_some() || panel == Some(id);
    let own = if has_dial { 1 + DIAL[0] } else { 2 };
    (inputs.len() as u16).max(own)
}

/// How many columns of blocks a width has.
fn columns(width: u16) -> u16 {
    (width / BLOCK).clamp(1, 4)
}

/// Makes blocks lower, the tallest first and none lower than a row, until they
/// fit into columns of `room` rows. Returns how tall the columns are.
fn squeeze(heights: &mut [u16], columns: u16, room: u16) -> u16 {
    loop {
        let rows = fits(heights, columns);
        match heights.iter_mut().max() {
            Some(tallest) if rows > room && *tallest > 1 => *tallest -= 1,
            _ => return rows.min(room),
        }
    }
}

/// How tall the columns must be to hold blocks of these heights, in order.
fn fits(heights: &[u16], columns: u16) -> u16 {
    let total: u16 = heights.iter().sum();
    let tallest = heights.iter().copied().max().unwrap_or(0);
    (tallest.max(total / columns)..=total)
        .find(|&rows| {
            let (mut used, mut y) = (1, 0);
            for &height in heights {
                if y + height > rows {
                    (used, y) = (used + 1, 0);
                }
                y += height;
            }
            used <= columns
        })
        .unwrap_or(total)
}

fn head(buffer: &mut Buffer, row: Rect, app: &App) {
    let style = app.theme.faint();
    paint::text(buffer, row, row.x + LABEL, "control", style);
    for (from, to, title) in [(OWN, SHAPED, "own scale"), (SHAPED, WIRE, "shaped")] {
        paint::text_right(buffer, field(row, from, to), title, style);
    }
    paint::text(buffer, row, row.x + ACTION, "action", style);
}

/// The columns `from..to` of a row, but for a gap at the end.
fn field(row: Rect, from: u16, to: u16) -> Rect {
    Rect { x: row.x + from, width: to - from - 1, ..row }.intersection(row)
}

/// An action and everything that could drive it.
struct Block<'a> {
    id: ActionId,
    inputs: &'a [BoundInput],
    state: ActionState,
    /// Which of the inputs drives it.
    winner: Option<usize>,
    /// Whether the panel is drawn beside it.
    has_panel: bool,
}

impl<'a> Block<'a> {
    fn new(app: &'a App, id: ActionId, panel: Option<ActionId>) -> Self {
        let plan = app.session().plan();
        let inputs = plan.inputs(id);
        let state = app.machine().action(id);
        let through = |input: &BoundInput| app.machine().through(plan, id, *input);
        let gives_it = |input: &BoundInput| {
            let ActionState { x, y, driver, .. } = through(input);
            (x, y, driver) == (state.x, state.y, state.driver)
        };
        let winner = inputs.iter().position(|input| state.is_active() && gives_it(input));
        Block { id, inputs, state, winner, has_panel: panel == Some(id) }
    }

    fn draw(&self, buffer: &mut Buffer, area: Rect, app: &App) {
        app.view.spots.note(area, Spot::Block(self.id));
        // With too few rows for all, the one that matters is among them.
        let rows = usize::from(area.height).min(self.inputs.len()).max(1);
        let mut shown: Vec<usize> = (0..rows).collect();
        if let Some(winner) = self.winner.filter(|winner| *winner >= rows) {
            shown[rows - 1] = winner;
        }
        let last = shown.len().saturating_sub(1);
        for (row, (place, &at)) in paint::rows(area).zip(&shown).enumerate() {
            match self.inputs.get(at) {
                Some(&input) => {
                    InputRow { app, action: self.id, input, wins: self.winner == Some(at) }
                        .draw(buffer, place);
                    self.wire(buffer, place, app, at, (row, last));
                }
                None => {
                    let text = "no device for it has been connected";
                    paint::text(buffer, place, place.x + LABEL, text, app.theme.faint());
                }
            }
        }
        self.action(buffer, area, app);
    }

    /// The wire of a row: heavy where the winner's signal runs.
    fn wire(
        &self,
        buffer: &mut Buffer,
        row: Rect,
        app: &App,
        at: usize,
        (y, last): (usize, usize),
    ) {
        let lit_left = self.winner == Some(at);
        let lit_below = y < last && self.winner.is_some_and(|winner| winner > at);
        let lit = lit_left || lit_below;
        let junction = match (y == 0, y == last, lit_left, lit_below) {
            (true, true, left, _) => {
                if left {
                    "━"
                } else {
                    "─"
                }
            }
            (true, false, true, _) => "┯",
            (true, false, _, true) => "┲",
            (true, false, ..) => "┬",
            (false, false, true, _) => "┩",
            (false, false, _, true) => "┨",
            (false, false, ..) => "┤",
            (false, true, true, _) => "┛",
            (false, true, ..) => "┘",
        };
        let style = |lit| {
            if lit { app.theme.wire() } else { app.theme.rule() }
        };
        let x = row.x + WIRE;
        paint::glyph(buffer, row, x, if lit_left { "━" } else { "─" }, style(lit_left));
        paint::glyph(buffer, row, x + 1, junction, style(lit));
        if y == 0 {
            let active = self.winner.is_some();
            paint::text(buffer, row, x + 2, if active { "▶" } else { "▷" }, style(active));
        }
    }

    fn action(&self, buffer: &mut Buffer, area: Rect, app: &App) {
        let active = self.state.is_active();
        let style = if active { app.theme.fired() } else { app.theme.plain() };
        let name = &app.session().rig().actions[self.id.index()].name;
        let x = area.x + ACTION;
        let mut rows = paint::rows(area);
        let Some(first) = rows.next() else { return };
        let after = paint::text(buffer, first, x, name, style) + 1;
        let after = match app.is_gathered(Lane::Action(self.id, 0)) {
            true => paint::text(buffer, first, after, "…", app.theme.faint()) + 1,
            false => after,
        };
        let Some(second) = rows.next() else {
            // In a row with its name there is room for the number, or for the lamp alone.
            let value = self.value(app);
            let room = first.right().saturating_sub(after);
            let is_whole = usize::from(room) >= value.width();
            let short = value.split(' ').next().filter(|_| !is_whole).unwrap_or(&value);
            paint::text(buffer, first, after, short, style);
            return;
        };
        if let Some(stick) = dial::stick_of(self.inputs, self.winner)
            && area.height > DIAL[1]
        {
            let height = DIAL[0].min(area.height - 1);
            let width = 2 * height;
            let place = Rect { x, width, height, ..second };
            dial::draw(buffer, place.intersection(area), app, (self.id, stick));
            let right = Rect { height: area.bottom() - second.y, ..second };
            let parts = self.parts(app);
            for (part, row) in parts.iter().zip(paint::rows(right).skip(1)) {
                paint::text(buffer, row, x + width + 1, part, style);
            }
            return;
        }
        if self.has_panel && area.height > DIAL[1] {
            let height = DIAL[0].min(area.height - 1);
            let width = 2 * height;
            let place = Rect { x, width, height, ..second };
            panel::draw(buffer, place.intersection(area), app);
            let right = Rect { height: area.bottom() - second.y, ..second };
            let words = [self.value(app), panel::fingers_in_words(app)];
            for ((text, style), row) in
                words.iter().zip([style, app.theme.faint()]).zip(paint::rows(right).skip(1))
            {
                paint::text(buffer, row, x + width + 1, text, style);
            }
            return;
        }
        let end = paint::text(buffer, second, x, &self.value(app), style) + 1;
        if app.session().plan().gives(self.id) == Gives::Axis {
            let area = Rect { x: end, width: area.right().saturating_sub(end + 1), ..second };
            let look = Look { lit: style, theme: app.theme };
            Meter::Axis { at: self.state.x, rest: 0.0 }.draw(buffer, area, look);
        }
        let by = self.state.driver.map(|by| app.session().roster().label(by).to_string());
        if let (Some(by), Some(third)) = (by, rows.next()) {
            paint::text(buffer, third, x, &by, app.theme.faint());
        }
    }

    /// The two numbers of a stick, one below the other.
    fn parts(&self, app: &App) -> [String; 2] {
        let ActionState { x, y, .. } = self.state;
        match app.session().plan().gives(self.id) {
            Gives::Polar => [format!("{x:+.0}°"), format!("{y:.2}")],
            _ => [format!("{x:+.2}"), format!("{y:+.2}")],
        }
    }

    fn value(&self, app: &App) -> String {
        let ActionState { x, y, .. } = self.state;
        match app.session().plan().gives(self.id) {
            Gives::On | Gives::Pulse | Gives::Toggle if self.state.is_active() => "● on".to_owned(),
            Gives::On | Gives::Pulse | Gives::Toggle => "○ off".to_owned(),
            Gives::Polar => format!("{x:+.0}° {y:.2}"),
            Gives::Axis => format!("{x:+.2}"),
            Gives::Plane => format!("{x:+.2} {y:+.2}"),
            Gives::Place if self.state.is_active() => format!("{x:.1} {y:.1}"),
            Gives::Place => "○ nowhere".to_owned(),
        }
    }
}
