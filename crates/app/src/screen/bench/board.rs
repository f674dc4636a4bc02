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

use super::{Bench, Entry};
use crate::screen::{App, draw::paint, keymap::Command, spots::Spot, view::Lane};
use gtrig_core::{
    ActionId, ActionState, BoundInput, BoundSide, ComboId, ContactId, ControlId, ControlKind, Edge,
    GestureId, Gives, LaneMarks, Nanos, Tick,
};
use meter::{Look, Meter};
use ratatui::{buffer::Buffer, layout::Rect};
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
            paint::text(buffer, first, after, &paint::cut(short, room), style);
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
                let room = row.right().saturating_sub(x + width + 1);
                paint::text(buffer, row, x + width + 1, &paint::cut(text, room), style);
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

/// One input: what it reports, on its own scale, and shaped.
struct InputRow<'a> {
    app: &'a App,
    action: ActionId,
    input: BoundInput,
    wins: bool,
}

impl InputRow<'_> {
    fn draw(&self, buffer: &mut Buffer, row: Rect) {
        let theme = self.app.theme;
        let out = self.app.machine().through(self.app.session().plan(), self.action, self.input);
        let lit = match (self.wins, out.is_active()) {
            (true, _) => theme.wire(),
            (false, true) => theme.signal(),
            (false, false) => theme.faint(),
        };
        let Reading { label, meter, own, shaped } = self.reading(out);
        self.edge(buffer, row);
        let name = field(row, LABEL, METER);
        paint::text(buffer, name, name.x, &paint::cut(&label, name.width), lit);
        meter.draw(buffer, field(row, METER, OWN), Look { lit, theme });
        for (from, to, text) in [(OWN, SHAPED, own), (SHAPED, WIRE, shaped)] {
            paint::text_right(buffer, field(row, from, to), &text, lit);
        }
    }

    fn reading(&self, out: ActionState) -> Reading {
        let app = self.app;
        let zones = &app.session().rig().zones;
        let both = format!("{:+.2} {:+.2}", out.x, out.y);
        match self.input {
            BoundInput::Button { control, thresholds, .. } => {
                self.button(control, thresholds.press_at)
            }
            BoundInput::Axis { control, .. } => {
                let at = app.machine().control(control).value;
                let meter = match app.session().roster().control(control).kind {
                    ControlKind::Trigger { .. } => {
                        Meter::Travel { at, press_at: None, rest: self.rest() }
                    }
                    _ => Meter::Axis { at, rest: self.rest() },
                };
                let own = format!("{at:+.2}");
                Reading { label: self.label(control), meter, own, shaped: format!("{:+.2}", out.x) }
            }
            BoundInput::Zone { zone, .. } => {
                let word = if out.is_active() { "● touched" } else { "○ free" };
                Reading::plain(format!("glass {}", zones[zone.index()].name), Meter::Word(word))
            }
            BoundInput::Place { zone, .. } => {
                let word = if out.driver.is_some() { "● there" } else { "○ free" };
                let shaped = match app.session().plan().gives(self.action) {
                    Gives::Place => String::new(),
                    _ => both,
                };
                let label = format!("place on {}", zones[zone.index()].name);
                Reading { shaped, ..Reading::plain(label, Meter::Word(word)) }
            }
            BoundInput::Gesture { gesture, .. } => self.gesture(gesture, out),
            BoundInput::Combo(combo) => self.combo(combo, out),
            BoundInput::Stick { x, y, .. } => {
                let at = [x, y].map(|control| app.machine().control(control).value);
                let turned = app.session().plan().chain_of(self.input).turned(at);
                let label = self.label(x).trim_end_matches("-x").to_owned();
                let meter = Meter::Stick { at: turned, rest: self.rest() };
                let own = format!("{:+.2} {:+.2}", at[0], at[1]);
                Reading { label, meter, own, shaped: both }
            }
            BoundInput::Pointer { x, .. } => {
                let label = format!("{} motion", app.session().roster().device_of(x).label());
                let sum = app.machine().stages(app.session().plan(), self.input);
                let at = sum.first().copied().unwrap_or_default();
                let own = format!("{:+.2} {:+.2}", at[0], at[1]);
                Reading { label, meter: Meter::Stick { at, rest: self.rest() }, own, shaped: both }
            }
            BoundInput::Pair(pair) => {
                let (label, meter) = self.sides([(pair.negative, "◂"), (pair.positive, "▸")]);
                Reading { shaped: format!("{:+.2}", out.x), ..Reading::plain(label, meter) }
            }
            BoundInput::Cross { x, y } => {
                let sides =
                    [(y.positive, "▴"), (x.negative, "◂"), (y.negative, "▾"), (x.positive, "▸")];
                let (label, meter) = self.sides(sides);
                Reading { shaped: both, ..Reading::plain(label, meter) }
            }
        }
    }

    fn rest(&self) -> f32 {
        self.app.rest_of(self.input)
    }

    /// How far a combo is, and whether it is on.
    fn combo(&self, combo: ComboId, out: ActionState) -> Reading {
        let spec = &self.app.session().rig().combos[combo.index()];
        let met = self.app.machine().combo_progress(self.app.session().plan(), combo);
        let own = format!("{met} of {}", spec.steps.len());
        let shaped = if out.is_active() { "fires" } else { "" }.to_owned();
        let meter = Meter::Steps(met, spec.steps.len());
        Reading { label: format!("combo {}", spec.name), meter, own, shaped }
    }

    fn label(&self, control: ControlId) -> String {
        self.app.session().roster().label(control).to_string()
    }

    fn button(&self, control: ControlId, press_at: f32) -> Reading {
        let cell = self.app.machine().control(control);
        let label = self.label(control);
        if self.app.session().roster().control(control).kind != ControlKind::Button {
            let meter = Meter::Travel { at: cell.value, press_at: Some(press_at), rest: 0.0 };
            let (own, shaped) = (format!("{:+.2}", cell.value), format!("on ≥ {press_at:.2}"));
            return Reading { label, meter, own, shaped };
        }
        let rate = self.app.session().plan().rate();
        let since = self.app.ticks_since_change(control);
        let own = since.map_or(String::new(), |ticks| how_long(rate.time_of(Tick(ticks))));
        Reading { own, ..Reading::plain(label, Meter::Lamp(cell.is_down())) }
    }

    fn gesture(&self, gesture: GestureId, out: ActionState) -> Reading {
        let of = &self.app.session().rig().gestures[gesture.index()];
        let state = self.app.machine().gesture(gesture);
        let word = match state {
            _ if state.is_on() => "● fired",
            _ if state.trying > 0 => "◌ trying",
            _ => "○ idle",
        };
        let [x, y] = state.value;
        let (own, shaped) = match (of.kind.has_value(), of.kind.is_double()) {
            (false, _) => (String::new(), String::new()),
            (true, false) => (format!("{x:+.2}"), format!("{:+.2}", out.x)),
            (true, true) => (format!("{x:+.2} {y:+.2}"), format!("{:+.2} {:+.2}", out.x, out.y)),
        };
        let label = format!("{} {}", of.kind.word(), of.name);
        Reading { own, shaped, ..Reading::plain(label, Meter::Word(word)) }
    }

    fn sides<const N: usize>(&self, sides: [(BoundSide, &'static str); N]) -> (String, Meter) {
        let held = sides.map(|(side, glyph)| (glyph, self.is_held(side)));
        (self.sides_label(&sides.map(|(side, _)| side)), Meter::Sides(held.to_vec()))
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

/// What a row says of an input.
struct Reading {
    label: String,
    meter: Meter,
    /// On its own scale.
    own: String,
    /// What the action has of it.
    shaped: String,
}

impl Reading {
    /// Without numbers.
    fn plain(label: String, meter: Meter) -> Self {
        Reading { label, meter, own: String::new(), shaped: String::new() }
    }
}

/// A time as people say it: `217 ms`, `8.3 s`, `5 min`.
fn how_long(time: Nanos) -> String {
    let ms = time.0 / 1_000_000;
    match ms {
        0..1_000 => format!("{ms} ms"),
        1_000..100_000 => format!("{:.1} s", ms as f64 / 1e3),
        _ => format!("{} min", ms / 60_000),
    }
}
