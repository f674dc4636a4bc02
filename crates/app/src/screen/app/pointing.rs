//! What the mouse points at, and what it does there.

use super::{App, Request};
use crate::screen::{
    bench::Bench,
    spots::Spot,
    view::{Lane, lane_name},
};
use crossterm::event::{MouseButton, MouseEvent, MouseEventKind};
use gtrig_core::Nanos;
use ratatui::layout::Position;

/// A second click so soon after the first is a double click.
const DOUBLE: Nanos = Nanos::from_millis(400);

/// Where the mouse is, and what it clicked last.
#[derive(Debug, Default)]
pub(crate) struct Pointing {
    /// Where it rests, until a key is pressed.
    place: Option<Position>,
    clicked: Option<(Nanos, Spot)>,
}

impl App {
    /// A key was pressed: what the mouse points at is not what matters now.
    pub(super) fn forget_pointer(&mut self) {
        self.pointing.place = None;
    }

    /// Does what the mouse does to what is under it. Returns whether there was anything.
    pub(super) fn point(&mut self, mouse: &MouseEvent, at: Nanos) -> Pointed {
        let place = (mouse.column, mouse.row).into();
        let rests = matches!(mouse.kind, MouseEventKind::Moved | MouseEventKind::Down(_));
        self.pointing.place = rests.then_some(place);
        let Some(spot) = self.view.spots.at(place) else { return Pointed::Nothing };
        match (mouse.kind, spot) {
            (MouseEventKind::Down(MouseButton::Left), _) => {
                let was = self.pointing.clicked.replace((at, spot));
                let is_double =
                    was.is_some_and(|(then, on)| on == spot && at.0 <= then.0 + DOUBLE.0);
                return self.click(spot, is_double, at);
            }
            (MouseEventKind::Down(MouseButton::Right), Spot::Lane(lane)) => self.turn_pin_of(lane),
            (MouseEventKind::ScrollUp, Spot::Number(number)) => self.turn_number(number, 1),
            (MouseEventKind::ScrollDown, Spot::Number(number)) => self.turn_number(number, -1),
            _ => return Pointed::Nothing,
        }
        Pointed::Done(None)
    }

    fn click(&mut self, spot: Spot, is_double: bool, at: Nanos) -> Pointed {
        match spot {
            Spot::Command(command) => return Pointed::Done(self.run(command, at)),
            Spot::Device(device) => {
                self.device = device.index();
                self.show_bench(Bench::Device);
            }
            Spot::Number(number) => {
                self.tuning.chosen = number;
                if is_double {
                    self.ask_for_value();
                }
            }
            Spot::Lane(lane) => self.pick(lane),
            Spot::Block(action) => {
                self.pick(Lane::Action(action, 0));
                if is_double {
                    self.gather();
                }
            }
        }
        Pointed::Done(None)
    }

    fn turn_number(&mut self, number: usize, steps: i32) {
        self.tuning.chosen = number;
        self.nudge(steps);
    }

    /// What the mouse rests on, and what can be done with it.
    pub(crate) fn hover(&self) -> Option<(Position, String)> {
        let place = self.pointing.place?;
        let words = match self.view.spots.at(place)? {
            Spot::Command(command) => {
                let key = self.key_of(command);
                format!("{key}  {}", self.keymap.help(command))
            }
            Spot::Device(id) => {
                let device = self.session().roster().device(id);
                let count = device.info.controls.len();
                format!("{}, {count} controls; a click shows them", device.info.name)
            }
            Spot::Number(number) => {
                let knob = self.knobs().into_iter().nth(number)?;
                let tunable = knob.tunable;
                format!(
                    "{} to {} {}, a step is {}; the wheel nudges, a double click types",
                    tunable.min, tunable.max, tunable.unit, tunable.step
                )
            }
            Spot::Lane(lane) => self.lane_hint(lane),
            Spot::Block(action) => {
                let name = &self.session().rig().actions[action.index()].name;
                let count = self.session().plan().inputs(action).len();
                let inputs =
                    if count == 1 { "1 input".to_owned() } else { format!("{count} inputs") };
                format!(
                    "{name}, {inputs}: a click chooses it, a double click gathers them or shows all"
                )
            }
        };
        Some((place, words))
    }

    fn lane_hint(&self, lane: Lane) -> String {
        let name = lane_name(self.session(), lane);
        let of = match lane {
            Lane::Action(..) => "an action",
            Lane::Control(id) => match self.session().plan().fed_by(id).first() {
                Some(_) => "a control of the action above",
                None => "a control that feeds no action",
            },
            Lane::Gesture(_) => "a gesture",
            Lane::Combo(_) => "a combo",
        };
        format!("{name}: {of}; a click chooses it, a right click pins it")
    }
}

/// What came of the mouse.
pub(super) enum Pointed {
    /// There was nothing to point at.
    Nothing,
    Done(Option<Request>),
}
