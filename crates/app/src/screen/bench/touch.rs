//! The touch bench: a panel to scale, its zones, the contacts on it with their
//! trails, who has them, and the numbers of the zones.
//!
//! ```text
//!  ┌────────────────────────────┐   glass  4096 × 2304 units, 160 × 90 mm
//!  │ left-half     │            │   contact-1   0.42 0.13   67.2 11.7 mm
//!  │      ○···     │ ┌────────┐ │     left-half has it; below: deck
//!  │               │ │ horn   │ │   contact-2   up
//!  └────────────────────────────┘   ▸ horn left 0.70 …
//! ```

mod names;

use super::{Bench, Entry};
use super::{
    gestures::{self, Sheet},
    tune,
};
use crate::figure::{self, Excerpt, TouchSheet};
use crate::screen::draw::{paint, ring::Ring};
use crate::screen::keymap::Command;
use crate::screen::view::Lane;
use crate::screen::{App, app::MARGIN};
use gtrig_analysis::strokes::strokes;
use gtrig_core::{
    Claim, Contact, ContactId, ControlId, Keyword, Outline, Space, Tick, Zone, ZoneId,
};
use names::Names;
use ratatui::{
    buffer::Buffer,
    layout::Rect,
    style::{Color, Style},
    symbols::Marker,
    widgets::{
        Widget,
        canvas::{Canvas, Context, Line, Points, Rectangle},
    },
};

/// How many ticks of the past the trails show.
const TRAIL: u32 = 60;

/// What there is to know of it.
pub(crate) const ENTRY: Entry = Entry {
    bench: Bench::Touch,
    key: "9",
    name: "touch",
    help: "bench: a touch panel, its zones and contacts",
    keys: &[Command::NextDevice(1)],
    draw,
    numbers: Some(App::numbers_of_panel),
    figure: |app, excerpt| {
        let gesture = match app.view.chosen {
            Some(Lane::Gesture(gesture)) => Some(gesture),
            _ => None,
        };
        let Excerpt { title, from, to, .. } = excerpt;
        let sheet = TouchSheet { title, from, to, panel: app.shown_panel(), gesture };
        figure::touch(app.session(), &sheet).ok_or("no touch panel has been connected")
    },
    is_about: Some(App::is_touch),
    mouse: App::grip,
    next: App::next_panel,
    ..Entry::PLAIN
};

fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    let panel = app.panel();
    let [wide, high] = app.panel_size();
    let contacts = &app.session().plan().contacts()[panel.clone()];
    let bench = Touch { app, contacts, first: panel.start, proportion: high / wide };
    let panel = app.panel_area(area);
    bench.panel(buffer, panel);
    let left = (panel.right() + 2).min(area.right());
    let words = Rect { x: left, width: area.right() - left, ..area };
    if contacts.is_empty() {
        let text = [
            "no touch panel has been connected:",
            if app.document.is_take { "this take has none" } else { "drag on it with the mouse" },
        ];
        for (row, text) in paint::rows(words).zip(text) {
            paint::text(buffer, row, row.x + 2, text, app.theme.faint());
        }
        return;
    }
    bench.words(buffer, words);
}

struct Touch<'a> {
    app: &'a App,
    /// Those of the panel that is shown.
    contacts: &'a [Contact],
    /// The place of the first of them in the plan.
    first: usize,
    proportion: f32,
}

impl Touch<'_> {
    fn colour(&self, style: Style) -> Color {
        style.fg.unwrap_or(Color::Reset)
    }

    fn value(&self, control: ControlId) -> f32 {
        self.app.machine().control(control).value
    }

    fn place(&self, contact: &Contact) -> Option<[f32; 2]> {
        let is_down = self.app.machine().control(contact.down).is_down();
        is_down.then(|| contact.place([self.value(contact.x), self.value(contact.y)]))
    }

    /// Whether a zone has any contact.
    fn is_touched(&self, zone: ZoneId) -> bool {
        let contacts = self.first..self.first + self.contacts.len();
        contacts.map(ContactId::at).any(|contact| self.app.machine().zone_has(zone, contact))
    }

    /// From shares of the surface to the canvas, whose y points up.
    fn at(&self, [x, y]: [f32; 2]) -> (f64, f64) {
        (f64::from(x), f64::from((1.0 - y) * self.proportion))
    }

    fn panel(&self, buffer: &mut Buffer, area: Rect) {
        let theme = self.app.theme;
        let trails: Vec<Vec<Vec<(f64, f64)>>> =
            self.contacts.iter().map(|contact| self.trail(contact)).collect();
        let margin = f64::from(MARGIN);
        Canvas::default()
            .marker(Marker::Braille)
            .x_bounds([-margin, 1.0 + margin])
            .y_bounds([-margin, f64::from(self.proportion) + margin])
            .paint(|context| {
                let (width, height) = (1.0, f64::from(self.proportion));
                let color = self.colour(theme.rule());
                context.draw(&Rectangle { x: 0.0, y: 0.0, width, height, color });
                // Those that have a contact last, so that their borders are whole, and first of
                // the names, so that theirs are.
                let mut names = Names::on(area, f64::from(self.proportion));
                let [others, touched] = [false, true].map(|is| self.zones(is));
                for zone in &others {
                    self.zone(context, zone, theme.plain());
                }
                for zone in &touched {
                    self.zone(context, zone, theme.fired());
                }
                let [others, touched] = [(others, theme.plain()), (touched, theme.fired())];
                for (zones, style) in [touched, others] {
                    for zone in zones {
                        names.print(context, self.name_at(zone), &zone.name, style);
                    }
                }
                Sheet { app: self.app, context, size: self.app.panel_size() }.draw();
                let color = self.colour(theme.signal());
                for (contact, trail) in self.contacts.iter().zip(&trails) {
                    // A fast stroke has few reports, and is a line all the same.
                    for stroke in trail {
                        context.draw(&Points { coords: stroke, color });
                        for step in stroke.windows(2) {
                            let [(x1, y1), (x2, y2)] = [step[0], step[1]];
                            context.draw(&Line { x1, y1, x2, y2, color });
                        }
                    }
                    if let Some((x, y)) = self.place(contact).map(|place| self.at(place)) {
                        context.draw(&Ring { x, y, radius: 0.02, color });
                    }
                }
            })
            .render(area, buffer);
    }

    /// The zones that have a contact, or those that have none.
    fn zones(&self, touched: bool) -> Vec<&Zone> {
        let zones = self.app.session().plan().zones().on_panel().iter().enumerate();
        let zones = zones.filter(|(n, _)| self.is_touched(ZoneId::at(*n)) == touched);
        zones.map(|(_, zone)| zone).collect()
    }

    fn zone(&self, context: &mut Context, zone: &Zone, style: Style) {
        let color = self.colour(style);
        match &zone.outline {
            Outline::Rect { at: [left, top], size: [width, height] } => {
                let (x, y) = self.at([*left, top + height]);
                let height = f64::from(height * self.proportion);
                context.draw(&Rectangle { x, y, width: f64::from(*width), height, color });
            }
            Outline::Circle { centre, radius } => {
                let (x, y) = self.at(*centre);
                context.draw(&Ring { x, y, radius: f64::from(*radius), color });
            }
            Outline::Polygon(corners) => {
                for (n, from) in corners.iter().enumerate() {
                    let ((x1, y1), (x2, y2)) =
                        (self.at(*from), self.at(corners[(n + 1) % corners.len()]));
                    context.draw(&Line { x1, y1, x2, y2, color });
                }
            }
        }
    }

    /// Where the name of a zone begins: within its border, a row below it.
    fn name_at(&self, zone: &Zone) -> (f64, f64) {
        let (x, y) = self.at(match &zone.outline {
            Outline::Rect { at, .. } => *at,
            Outline::Circle { centre: [x, y], radius } => [x - radius * 0.6, *y],
            Outline::Polygon(corners) => corners[0],
        });
        (x + 0.02, y - 0.06)
    }

    /// Where the fingers of a contact were.
    fn trail(&self, contact: &Contact) -> Vec<Vec<(f64, f64)>> {
        let history = self.app.session().history();
        let last = self.app.tick();
        let first = Tick(last.0.saturating_sub(TRAIL)).max(history.begins());
        let strokes = strokes(history, contact, [first, last]).into_iter();
        strokes.map(|stroke| stroke.places.iter().map(|&place| self.at(place)).collect()).collect()
    }

    fn words(&self, buffer: &mut Buffer, area: Rect) {
        let theme = self.app.theme;
        let mut rows = paint::rows(area);
        let mut say = |text: &str, style: Style| {
            if let Some(row) = rows.next() {
                paint::text(buffer, row, row.x + 2, text, style);
            }
        };
        say(&self.surface(), theme.faint());
        for (n, contact) in self.contacts.iter().enumerate() {
            let name = self.app.session().roster().code(contact.down);
            let Some(place) = self.place(contact) else { continue };
            let words =
                format!("{name:<10} {}{}", self.where_is(contact, place), self.extras(name));
            say(&words, theme.signal());
            say(&format!("  {}", self.stack(ContactId::at(self.first + n), place)), theme.plain());
        }
        if self.contacts.iter().all(|contact| self.place(contact).is_none()) {
            say("nobody touches it", theme.faint());
        }
        let mut rows: Vec<Rect> = rows.collect();
        if !self.app.session().rig().gestures.is_empty() {
            // What happens gets two thirds of the room, the numbers the rest.
            let numbers = rows.split_off(rows.len() - (rows.len() / 3).min(7));
            let mut upper = rows.into_iter();
            gestures::candidates(buffer, &mut upper, self.app);
            gestures::verdicts(buffer, &mut upper, self.app);
            rows = numbers;
        }
        let rig = self.app.session().rig();
        let text = match rig.zones.is_empty() && rig.gestures.is_empty() {
            true => "the rig has no [zone.…] and no [gesture.…]: see docs/rig-format.md",
            false => "numbers",
        };
        let Some((&head, rows)) = rows.split_first() else { return };
        tune::head(buffer, head, self.app, text);
        tune::list(buffer, rows, self.app, |knob| (knob.label(), ""));
    }

    /// The panel: its units, and how large it is.
    fn surface(&self) -> String {
        let Contact { down, x, y, size: [wide, high], .. } = self.contacts[0];
        let roster = self.app.session().roster();
        let name = roster.device_of(down).label();
        let units = |control: ControlId| {
            let (min, max) = roster.info(control).kind.range().unwrap_or((0, 0));
            i64::from(max) - i64::from(min)
        };
        let is_known = self.app.session().rig().surface.mm.is_some()
            || [x, y].iter().all(|&id| roster.info(id).grain.resolution > 0);
        let taken = if is_known { "" } else { "taken to be " };
        format!("{name}   {} × {} units, {taken}{wide:.0} × {high:.0} mm", units(x), units(y))
    }

    /// A place in every space that the rig knows.
    fn where_is(&self, contact: &Contact, place: [f32; 2]) -> String {
        let [x, y] = place;
        let [wide, high] = contact.size;
        let mut words = format!("{x:.3} {y:.3}   {:.1} {:.1} mm", x * wide, y * high);
        let surface = self.app.session().rig().surface;
        for space in [Space::Px, Space::View, Space::World] {
            if let Some(map) = surface.to_panel(space) {
                let [x, y] = map.inverse().place(place);
                let is_beside = space == Space::View && !surface.is_in_view(place);
                let beside = if is_beside { " (beside it)" } else { "" };
                words += &format!("   {} {x:.0} {y:.0}{beside}", space.word());
            }
        }
        words
    }

    /// Pressure and size of a contact, where its panel reports them.
    fn extras(&self, contact: &str) -> String {
        let device = self.app.session().roster().device_of(self.contacts[0].down);
        let named = |part: &str| {
            let control = device.control(&format!("{contact}-{part}"))?;
            Some(format!("   {part} {:.2}", self.value(control)))
        };
        ["pressure", "size"].into_iter().filter_map(named).collect()
    }

    /// The whole stack under a contact, and who has it.
    fn stack(&self, contact: ContactId, place: [f32; 2]) -> String {
        let zones = &self.app.session().rig().zones;
        let machine = self.app.machine();
        let under: Vec<ZoneId> =
            self.app.session().plan().zones().under(place, self.proportion).collect();
        let say = |&id: &ZoneId| {
            let Zone { name, claim, .. } = &zones[id.index()];
            match (machine.zone_has(id, contact), claim) {
                (true, _) => format!("{name} has it"),
                (false, Claim::Pass) => format!("{name} lets it through"),
                (false, _) => name.clone(),
            }
        };
        let mut words: Vec<String> = under.iter().map(say).collect();
        // One that keeps what began on it may have it from afar.
        let is_afar = |id: &ZoneId| machine.zone_has(*id, contact) && !under.contains(id);
        let afar = ZoneId::first(zones.len()).filter(is_afar);
        words.extend(afar.map(|id| format!("{} keeps it", zones[id.index()].name)));
        if words.is_empty() { "on no zone".to_owned() } else { words.join(", ") }
    }
}
