//! The board: the road from what devices report to what game code reads.
//!
//! ```text
//!     reported         raw       own scale    shaped       action
//!   pad·1 stick-l  +1016 -28640  +0.03 -0.87  +0.00 -0.86 ━┳━▶ slew
//!   pad·2 stick-l     +0     +0  +0.00 +0.00  +0.00 +0.00 ─┤   +0.00 -0.86
//!   keys WASD      · · · ·                     0.00  0.00 ─┘   by pad·1 stick-l-y
//! ```

use super::{Bench, Entry};
use crate::screen::App;
use crate::screen::draw::paint;
use crossterm::event::{KeyCode, KeyModifiers};
use gtrig_core::{
    ActionId, ActionState, BoundInput, BoundSide, ComboId, ContactId, ControlId, ControlKind, Edge,
    GestureId, Gives, LaneMarks, Opposites,
};
use ratatui::{buffer::Buffer, layout::Rect};

/// The width of a block with its wire and its action.
const BLOCK: u16 = 79;

// Columns within a block.
const LABEL: u16 = 2;
const RAW: u16 = 22;
const OWN: u16 = 36;
const SHAPED: u16 = 48;
const WIRE: u16 = 60;
const ACTION: u16 = 64;

/// What there is to know of it.
pub(crate) const ENTRY: Entry = Entry {
    bench: Bench::Board,
    key: (KeyModifiers::NONE, KeyCode::Char('1')),
    shown_key: "1",
    name: "board",
    help: "bench: the board, from controls to actions",
    wants: |app, width| {
        let heights: Vec<u16> = app.actions().map(|id| Block::new(app, id).rows()).collect();
        1 + fits(&heights, columns(width))
    },
    draw,
    ..Entry::PLAIN
};

fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    if area.height == 0 {
        return;
    }
    let blocks: Vec<Block> = app.actions().map(|id| Block::new(app, id)).collect();
    if blocks.is_empty() {
        paint::text(buffer, area, area.x, "the rig names no actions", app.theme.faint());
        return;
    }
    let columns = columns(area.width);
    let titles = u16::from(area.height > 4);
    let room = area.height - titles;
    let mut heights: Vec<u16> = blocks.iter().map(Block::rows).collect();
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
    for (from, to, title) in
        [(RAW, OWN, "raw"), (OWN, SHAPED, "own scale"), (SHAPED, WIRE, "shaped")]
    {
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
}

impl<'a> Block<'a> {
    fn new(app: &'a App, id: ActionId) -> Self {
        let plan = app.session().plan();
        let inputs = plan.inputs(id);
        let state = app.machine().action(id);
        let through = |input: &BoundInput| app.machine().through(plan, id, *input);
        let winner = inputs.iter().position(|input| state.is_active() && through(input) == state);
        Block { id, inputs, state, winner }
    }

    fn rows(&self) -> u16 {
        (self.inputs.len() as u16).max(2)
    }

    fn draw(&self, buffer: &mut Buffer, area: Rect, app: &App) {
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
        let value = self.value(app);
        let mut rows = paint::rows(area);
        let Some(first) = rows.next() else { return };
        let after = paint::text(buffer, first, x, name, style) + 1;
        let by = self.state.driver.map(|by| app.session().roster().label(by).to_string());
        match rows.next() {
            Some(second) => {
                paint::text(buffer, second, x, &value, style);
                if let (Some(by), Some(third)) = (by, rows.next()) {
                    paint::text(buffer, third, x, &by, app.theme.faint());
                }
            }
            None => {
                paint::text(buffer, first, after, &value, style);
            }
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

/// One input: what it reports, on its own scale, and shaped.
struct InputRow<'a> {
    app: &'a App,
    action: ActionId,
    input: BoundInput,
    wins: bool,
}

impl InputRow<'_> {
    fn draw(&self, buffer: &mut Buffer, row: Rect) {
        let out = self.app.machine().through(self.app.session().plan(), self.action, self.input);
        let style = match (self.wins, out.is_active()) {
            (true, _) => self.app.theme.wire(),
            (false, true) => self.app.theme.signal(),
            (false, false) => self.app.theme.faint(),
        };
        let (label, raw, own, shaped) = match self.input {
            BoundInput::Button { control, thresholds, .. } => {
                self.button(control, thresholds.press_at)
            }
            BoundInput::Axis { control, .. } => {
                let cell = self.app.machine().control(control);
                let own = format!("{:+.2}", cell.value);
                (self.label(control), format!("{:+}", cell.seen), own, format!("{:+.2}", out.x))
            }
            BoundInput::Zone { zone, .. } => {
                let name = &self.app.session().rig().zones[zone.index()].name;
                let state = if out.is_active() { "touched" } else { "free" };
                (format!("glass {name}"), state.to_owned(), String::new(), String::new())
            }
            BoundInput::Place { zone, .. } => {
                let name = &self.app.session().rig().zones[zone.index()].name;
                let state = if out.driver.is_some() { "there" } else { "free" };
                let shaped = match self.app.session().plan().gives(self.action) {
                    Gives::Place => String::new(),
                    _ => format!("{:+.2} {:+.2}", out.x, out.y),
                };
                (format!("place on {name}"), state.to_owned(), String::new(), shaped)
            }
            BoundInput::Gesture { gesture, .. } => self.gesture(gesture, out),
            BoundInput::Combo(combo) => self.combo(combo, out),
            BoundInput::Stick { x, y, .. } => self.stick(x, y, out),
            BoundInput::Pointer { x, y, .. } => self.pointer(x, y, out),
            BoundInput::Pair(pair) => {
                let (label, held) = self.pair(pair);
                (label, held, String::new(), format!("{:+.2}", out.x))
            }
            BoundInput::Cross { x, y } => self.cross(x, y, out),
        };
        self.edge(buffer, row);
        let name = field(row, LABEL, RAW);
        paint::text(buffer, name, name.x, &label, style);
        for (from, to, text) in [(RAW, OWN, raw), (OWN, SHAPED, own), (SHAPED, WIRE, shaped)] {
            paint::text_right(buffer, field(row, from, to), &text, style);
        }
    }

    /// How far a combo is, and whether it is on.
    fn combo(&self, combo: ComboId, out: ActionState) -> (String, String, String, String) {
        let spec = &self.app.session().rig().combos[combo.index()];
        let met = self.app.machine().combo_progress(self.app.session().plan(), combo);
        let progress = format!("{met}/{}", spec.steps.len());
        let state = if out.is_active() { "fires" } else { "" };
        (format!("combo {}", spec.name), progress, String::new(), state.to_owned())
    }

    fn label(&self, control: ControlId) -> String {
        self.app.session().roster().label(control).to_string()
    }

    fn button(&self, control: ControlId, press_at: f32) -> (String, String, String, String) {
        let cell = self.app.machine().control(control);
        let label = self.label(control);
        if self.app.session().roster().control(control).kind != ControlKind::Button {
            let rule = format!("on ≥ {press_at:.2}");
            return (label, format!("{:+}", cell.seen), format!("{:+.2}", cell.value), rule);
        }
        let state = if cell.is_down() { "down" } else { "up" };
        let since = self.app.ticks_since_change(control);
        let raw = since.map_or(state.to_owned(), |ticks| format!("{state} {ticks:>5} t"));
        (label, raw, String::new(), String::new())
    }

    fn gesture(&self, gesture: GestureId, out: ActionState) -> (String, String, String, String) {
        let of = &self.app.session().rig().gestures[gesture.index()];
        let state = self.app.machine().gesture(gesture);
        let word = match state {
            _ if state.is_on() => "fired",
            _ if state.trying > 0 => "trying",
            _ => "idle",
        };
        let [x, y] = state.value;
        let (own, shaped) = match (of.kind.has_value(), of.kind.is_double()) {
            (false, _) => (String::new(), String::new()),
            (true, false) => (format!("{x:+.2}"), format!("{:+.2}", out.x)),
            (true, true) => (format!("{x:+.2} {y:+.2}"), format!("{:+.2} {:+.2}", out.x, out.y)),
        };
        (format!("{} {}", of.kind.word(), of.name), word.to_owned(), own, shaped)
    }

    fn stick(
        &self,
        x: ControlId,
        y: ControlId,
        out: ActionState,
    ) -> (String, String, String, String) {
        let machine = self.app.machine();
        let (cx, cy) = (machine.control(x), machine.control(y));
        let label = self.label(x).trim_end_matches("-x").to_owned();
        (
            label,
            format!("{:+} {:>+6}", cx.seen, cy.seen),
            format!("{:+.2} {:+.2}", cx.value, cy.value),
            format!("{:+.2} {:+.2}", out.x, out.y),
        )
    }

    fn pointer(
        &self,
        x: ControlId,
        y: ControlId,
        out: ActionState,
    ) -> (String, String, String, String) {
        let machine = self.app.machine();
        let label = format!("{} motion", self.app.session().roster().device_of(x).label());
        let raw = format!("{:+} {:>+6}", machine.control(x).seen, machine.control(y).seen);
        let sum = machine.stages(self.app.session().plan(), self.input);
        let sum = sum.first().map_or(String::new(), |[x, y]| format!("{x:+.2} {y:+.2}"));
        (label, raw, sum, format!("{:+.2} {:+.2}", out.x, out.y))
    }

    fn pair(&self, pair: Opposites) -> (String, String) {
        let sides = [pair.negative, pair.positive];
        let held = sides.map(|side| self.is_held(side));
        (self.sides_label(&sides), arrows(&held, &["◂", "▸"]))
    }

    fn cross(
        &self,
        x: Opposites,
        y: Opposites,
        out: ActionState,
    ) -> (String, String, String, String) {
        let sides = [y.positive, x.negative, y.negative, x.positive];
        let held = sides.map(|side| self.is_held(side));
        let shaped = format!("{:+.2} {:+.2}", out.x, out.y);
        (self.sides_label(&sides), arrows(&held, &["▴", "◂", "▾", "▸"]), String::new(), shaped)
    }

    /// Whether any key of a side is down, or any zone of it has a contact.
    fn is_held(&self, side: BoundSide) -> bool {
        let (machine, plan) = (self.app.machine(), self.app.session().plan());
        let is_down = |&key: &ControlId| machine.control(key).is_down();
        let contacts = ContactId::first(plan.contacts().len());
        let has_any = |zone| contacts.clone().any(|contact| machine.zone_has(zone, contact));
        plan.side(side).iter().any(is_down) || side.zones().iter().any(has_any)
    }

    /// Zones by their names, keys by what they share.
    fn sides_label(&self, sides: &[BoundSide]) -> String {
        let plan = self.app.session().plan();
        let zones = &self.app.session().rig().zones;
        let names: Vec<&str> = sides
            .iter()
            .filter_map(|side| side.zones().iter().next().map(|id| zones[id.index()].name.as_str()))
            .collect();
        let keys: Vec<&[ControlId]> = sides.iter().map(|&side| plan.side(side)).collect();
        match names.is_empty() {
            true => self.keys_label(&keys),
            false => format!("glass {}", names.join(" ")),
        }
    }

    /// `keys W A S D`, `pad·1 dpad`: what the codes share, once; which side is
    /// held is for the arrows to show.
    fn keys_label(&self, sides: &[&[ControlId]]) -> String {
        let roster = self.app.session().roster();
        let firsts: Vec<ControlId> =
            sides.iter().filter_map(|side| side.first().copied()).collect();
        let Some(&first) = firsts.first() else {
            return "no device".to_owned();
        };
        let device = roster.device_of(first).label();
        let codes: Vec<&str> = firsts.iter().map(|&id| roster.code(id)).collect();
        let shared = codes[0].split_once('-').map(|(shared, _)| shared).filter(|shared| {
            let rest = |code: &str| code.strip_prefix(*shared).is_some_and(|r| r.starts_with('-'));
            codes.iter().all(|code| rest(code))
        });
        if let Some(shared) = shared {
            return format!("{device} {shared}");
        }
        let short = |code: &&str| {
            let stem = ["Key", "Arrow"].iter().find_map(|prefix| code.strip_prefix(prefix));
            stem.unwrap_or(code).to_owned()
        };
        format!("{device} {}", codes.iter().map(short).collect::<Vec<_>>().join(" "))
    }

    /// What happened in this very tick.
    fn edge(&self, buffer: &mut Buffer, row: Rect) {
        let machine = self.app.machine();
        let theme = self.app.theme;
        for control in self.app.session().plan().controls_of(self.input) {
            if !self.app.session().roster().control(control).kind.is_button() {
                continue;
            }
            let cell = machine.control(control);
            let (glyph, style) = match cell.edge() {
                _ if cell.marks.contains(LaneMarks::LOST) => ("╳", theme.lost()),
                Some(Edge::Press) => ("╱", theme.wire()),
                Some(Edge::Release) => ("╲", theme.wire()),
                None => continue,
            };
            paint::glyph(buffer, row, row.x, glyph, style);
        }
    }
}

fn arrows(held: &[bool], glyphs: &[&str]) -> String {
    let shown = held.iter().zip(glyphs).map(|(&held, &glyph)| if held { glyph } else { "·" });
    shown.collect::<Vec<_>>().join(" ")
}
