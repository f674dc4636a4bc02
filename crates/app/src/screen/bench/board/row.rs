//! The row of an input: its name, a meter of what it reports, and its numbers.

use super::{
    LABEL, METER, OWN, SHAPED, WIRE, field,
    meter::{Look, Meter},
};
use crate::screen::{App, draw::paint};
use gtrig_core::{
    ActionId, ActionState, BoundInput, BoundSide, ComboId, ContactId, ControlId, ControlKind,
    DeviceId, Edge, GestureId, Gives, LaneMarks, Nanos, Tick,
};
use ratatui::{buffer::Buffer, layout::Rect};

/// One input: what it reports, on its own scale, and shaped.
pub(super) struct InputRow<'a> {
    pub(super) app: &'a App,
    pub(super) action: ActionId,
    pub(super) input: BoundInput,
    pub(super) wins: bool,
}

impl InputRow<'_> {
    pub(super) fn draw(&self, buffer: &mut Buffer, row: Rect) {
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
        paint::text(buffer, name, name.x, &label, lit);
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
            BoundInput::Zone(zone) => {
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

    /// Whether any control of a side holds it, or any zone of it has a contact.
    fn is_held(&self, side: BoundSide) -> bool {
        let (machine, plan) = (self.app.machine(), self.app.session().plan());
        let holds = |&key: &ControlId| plan.holds_side(key, machine.control(key));
        let contacts = ContactId::first(plan.contacts().len());
        let has_any = |zone| contacts.clone().any(|contact| machine.zone_has(zone, contact));
        plan.side(side).iter().any(holds) || side.zones().iter().any(has_any)
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

    /// The first control of each side, device by device; which side is held is for the arrows to
    /// show.
    fn keys_label(&self, sides: &[&[ControlId]]) -> String {
        let roster = self.app.session().roster();
        let firsts = sides.iter().filter_map(|side| side.first().copied());
        let mut devices: Vec<(DeviceId, Vec<&str>)> = Vec::new();
        for id in firsts {
            let (device, code) = (roster.control(id).device, roster.code(id));
            match devices.iter_mut().find(|(of, _)| *of == device) {
                Some((_, codes)) => codes.push(code),
                None => devices.push((device, vec![code])),
            }
        }
        let labels = devices.iter().map(|(device, codes)| self.codes_label(*device, codes));
        match labels.collect::<Vec<_>>().join(", ") {
            none if none.is_empty() => "no device".to_owned(),
            label => label,
        }
    }

    /// `keys W A S D`, `pad·1 dpad`: what the codes share, once.
    fn codes_label(&self, device: DeviceId, codes: &[&str]) -> String {
        let device = self.app.session().roster().device(device).label();
        let shared = codes[0].split_once('-').map(|(shared, _)| shared).filter(|shared| {
            let rest = |code: &str| code.strip_prefix(*shared).is_some_and(|r| r.starts_with('-'));
            codes.len() > 1 && codes.iter().all(|code| rest(code))
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
