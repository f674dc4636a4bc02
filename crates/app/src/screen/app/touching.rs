//! The touch bench: which panel it shows, and what the mouse does on it: it draws
//! fingers, and takes hold of zones.

use super::App;
use crate::screen::bench::Bench;
use crossterm::event::{KeyModifiers, MouseButton, MouseEvent, MouseEventKind};
use gtrig_core::{Contact, DeviceId, Nanos, Zone, ZoneId};
use gtrig_sources::Fingers;
use ratatui::layout::Rect;
use std::ops::Range;

/// How far the picture of a panel goes beyond it, in widths.
pub(crate) const MARGIN: f32 = 0.01;

/// Columns of the words at the right; the panel takes what is left.
const WORDS: u16 = 62;

/// How large a panel is where none has been connected, in millimetres.
const USUAL_SIZE: [f32; 2] = [160.0, 90.0];

/// What the touch bench remembers.
#[derive(Debug, Default)]
pub(crate) struct Touching {
    /// The panel that is shown, counted over all of them.
    panel: u16,
    /// The fingers that the mouse draws, once it has.
    fingers: Option<Fingers>,
    /// The zone that the mouse has hold of.
    pub(super) grip: Option<Grip>,
}

/// A zone that is moved or resized.
#[derive(Clone, Copy, Debug)]
pub(super) struct Grip {
    /// Its place in the rig.
    zone: ZoneId,
    /// From its handle to where it was taken, in its own space; `None` while it
    /// is resized.
    hold: Option<[f32; 2]>,
    /// Whether it has been moved: the first step can be undone, the rest belong
    /// to it.
    has_moved: bool,
}

impl App {
    /// The contacts of the panel that is shown, by their places in the plan.
    pub(crate) fn panel(&self) -> Range<usize> {
        let contacts = self.session().plan().contacts();
        let is_before = |contact: &Contact| contact.panel < self.touching.panel;
        let first = contacts.partition_point(is_before);
        let count = contacts[first..].partition_point(|c| c.panel == self.touching.panel);
        first..first + count
    }

    /// Which panel is shown, counted over all of them.
    pub(in crate::screen) fn shown_panel(&self) -> u16 {
        self.touching.panel
    }

    /// How large the panel is that is shown, in millimetres.
    pub(crate) fn panel_size(&self) -> [f32; 2] {
        let shown = self.session().plan().contacts().get(self.panel().start);
        shown.map_or(USUAL_SIZE, |contact| contact.size)
    }

    /// Where on the bench the panel is.
    pub(crate) fn panel_area(&self, bench: Rect) -> Rect {
        if self.bench != Bench::Touch {
            return Rect::default();
        }
        let [wide, high] = self.panel_size();
        // A cell is twice as tall as wide.
        let proportion = 2.0 * wide / high;
        let width = (f32::from(bench.height) * proportion) as u16;
        // On a wide screen the words, which tell a place in every space, have the larger part.
        let words = WORDS.max(bench.width * 4 / 7);
        let width = width.min(bench.width.saturating_sub(words)).max(20);
        let height = bench.height.min((f32::from(width) / proportion).ceil() as u16);
        Rect { width, height, ..bench }.intersection(bench)
    }

    pub(in crate::screen) fn next_panel(&mut self, by: i32) {
        let last = self.session().plan().contacts().last();
        let count = last.map_or(1, |contact| i32::from(contact.panel) + 1);
        self.touching.panel = (i32::from(self.touching.panel) + by).rem_euclid(count) as u16;
    }

    /// Lets the mouse take hold of a zone: with Ctrl its left button moves the
    /// topmost one under it, its right button resizes it. Returns whether it was
    /// for a zone.
    pub(in crate::screen) fn grip(&mut self, mouse: &MouseEvent) -> bool {
        let area = self.view.hit.panel;
        let is_on_it = area.contains((mouse.column, mouse.row).into());
        let place = share(area, self.panel_size(), mouse);
        match mouse.kind {
            MouseEventKind::Down(button @ (MouseButton::Left | MouseButton::Right))
                if is_on_it && mouse.modifiers.contains(KeyModifiers::CONTROL) =>
            {
                self.touching.grip = self.grip_at(place, button == MouseButton::Left);
                if self.touching.grip.is_none() {
                    self.tell("there is no zone to take hold of".to_owned(), false);
                }
                true
            }
            MouseEventKind::Drag(_) => match self.touching.grip {
                Some(grip) => {
                    self.drag_zone(grip, place);
                    true
                }
                None => false,
            },
            MouseEventKind::Up(_) => self.touching.grip.take().is_some(),
            _ => false,
        }
    }

    fn grip_at(&self, place: [f32; 2], moves: bool) -> Option<Grip> {
        let [wide, high] = self.panel_size();
        let zone = self.session().plan().zones().under(place, high / wide).next()?;
        let of = self.wanted_rig().zones.get(zone.index())?;
        let [x, y] = self.in_numbers_of(of, place)?;
        let [from_x, from_y] = of.outline.handle();
        let hold = moves.then_some([x - from_x, y - from_y]);
        Some(Grip { zone, hold, has_moved: false })
    }

    /// A place in shares of the panel as the numbers of a zone measure it.
    fn in_numbers_of(&self, zone: &Zone, place: [f32; 2]) -> Option<[f32; 2]> {
        Some(zone.to_panel(&self.session().rig().surface)?.inverse().place(place))
    }

    fn drag_zone(&mut self, grip: Grip, place: [f32; 2]) {
        let rig = self.wanted_rig();
        let Some(zone) = rig.zones.get(grip.zone.index()) else { return };
        let Some([x, y]) = self.in_numbers_of(zone, place) else { return };
        let outline = match grip.hold {
            Some([dx, dy]) => zone.outline.moved_to([x - dx, y - dy]),
            None => zone.outline.stretched_to([x, y], 0.0),
        };
        let next = rig.with_zone(grip.zone, &outline);
        let Some(next) = self.as_written(next) else { return };
        match grip.has_moved {
            false => self.tune(next),
            true => self.tune_to(next),
        }
        self.touching.grip = Some(Grip { has_moved: true, ..grip });
    }

    /// Lets the mouse touch the panel: the left button is a finger, the right
    /// one pins a second finger or lifts it. Returns whether it was for the panel.
    pub(super) fn touch(&mut self, mouse: &MouseEvent, now: Nanos) -> bool {
        let area = self.view.hit.panel;
        let is_on_it = area.contains((mouse.column, mouse.row).into());
        let is_drawing = self.touching.fingers.as_ref().is_some_and(|f| f.is_down(0));
        let place = Some(share(area, self.panel_size(), mouse));
        let (finger, place) = match mouse.kind {
            MouseEventKind::Down(MouseButton::Left) if is_on_it => (0, place),
            MouseEventKind::Drag(MouseButton::Left) if is_drawing => (0, place),
            MouseEventKind::Up(MouseButton::Left) if is_drawing => (0, None),
            MouseEventKind::Down(MouseButton::Right) if is_on_it => {
                let is_pinned = self.touching.fingers.as_ref().is_some_and(|f| f.is_down(1));
                (1, place.filter(|_| !is_pinned))
            }
            _ => return false,
        };
        if self.document.is_take {
            let text = "a take cannot be touched: gtrig live or gtrig demo can";
            self.tell(text.to_owned(), true);
            return true;
        }
        // The picture may be turned against the panel that is drawn on.
        let turn = self.session().rig().surface.turn.back();
        let (size, place) = (turn.size(self.panel_size()), place.map(|place| turn.apply(place)));
        let fingers = self.touching.fingers.get_or_insert_with(|| Fingers::new(size));
        let touched = fingers.touch(&mut self.document.session, finger, place, now);
        self.document.note_unsaved();
        match (touched, fingers.device()) {
            (Ok(()), Some(device)) => self.show_panel_of(device),
            (Ok(()), None) => {}
            (Err(why), _) => self.tell(why.to_string(), true),
        }
        true
    }

    fn show_panel_of(&mut self, device: DeviceId) {
        let roster = self.session().roster();
        let is_its = |contact: &&Contact| roster.control(contact.down).device == device;
        if let Some(contact) = self.session().plan().contacts().iter().find(is_its) {
            self.touching.panel = contact.panel;
        }
    }

    /// The mouse goes elsewhere: every finger it draws lifts.
    pub(super) fn lift_fingers(&mut self, now: Nanos) {
        if let Some(fingers) = &mut self.touching.fingers {
            fingers.lift(&mut self.document.session, now);
        }
    }
}

/// Where on the panel a cell of its picture lies.
fn share(area: Rect, [wide, high]: [f32; 2], mouse: &MouseEvent) -> [f32; 2] {
    let across = |at: u16, from: u16, cells: u16| {
        (f32::from(at) - f32::from(from) + 0.5) / f32::from(cells.max(1))
    };
    let x = across(mouse.column, area.x, area.width) * (1.0 + 2.0 * MARGIN) - MARGIN;
    let proportion = high / wide;
    let y = across(mouse.row, area.y, area.height) * (proportion + 2.0 * MARGIN) - MARGIN;
    [x, y / proportion]
}
