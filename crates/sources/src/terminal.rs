//! The keyboard and mouse of the terminal, as devices under test.
//!
//! The owner of the terminal hands over its events while the devices are
//! captured; while they are not, the devices are connected but deaf.
//!
//! Where the terminal speaks the progressive keyboard protocol, presses,
//! repeats and releases are as the terminal saw them. Where it does not, it
//! sends a press, and while the key is held further presses after a pause; no
//! release ever comes. Then a release is **inferred** when nothing was heard
//! of a key for [`TerminalKeys::Inferred`]'s time, and marked so.

mod codes;

pub use codes::code_of;

use crate::Source;
use crossterm::event::{KeyEvent, KeyEventKind, MouseButton, MouseEvent, MouseEventKind};
use gtrig_analysis::Session;
use gtrig_core::{
    CleanText, ControlId, ControlInfo, ControlKind, DeviceId, DeviceInfo, DeviceKind, Event, Marks,
    Nanos, Presence, RosterError, vocabulary,
};

/// How releases of keys become known.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TerminalKeys {
    /// The terminal reports them.
    Reported,
    /// They are inferred after this much silence of a key.
    Inferred(Nanos),
}

/// The terminal's keyboard and mouse.
#[derive(Debug)]
pub struct Terminal {
    how: TerminalKeys,
    keys: DeviceId,
    mouse: DeviceId,
    /// Keys that are down, and when to conclude that they are not.
    held: Vec<(ControlId, Nanos)>,
    /// Whether the mouse has said where it is since it is listened to.
    is_in_range: bool,
    is_heard: bool,
    /// What comes until then was typed while the program stood still.
    late_until: Option<Nanos>,
}

/// What was typed while the program stood still is all read within this time afterwards.
const CATCHING_UP: Nanos = Nanos::from_millis(50);

impl Terminal {
    /// Plugs both devices in, deaf. The mouse's range is the terminal's size
    /// in cells.
    ///
    /// # Errors
    /// When the roster has no room for them.
    pub fn plug(
        session: &mut Session,
        how: TerminalKeys,
        (columns, rows): (u16, u16),
        now: Nanos,
    ) -> Result<Self, RosterError> {
        let keys = session.plug(keys_info(), now)?;
        let mouse = session.plug(mouse_info(columns, rows), now)?;
        let mut terminal = Terminal {
            how,
            keys,
            mouse,
            held: Vec::new(),
            is_in_range: false,
            is_heard: false,
            late_until: None,
        };
        terminal.listen(session, false, now);
        Ok(terminal)
    }

    /// How releases of keys become known.
    pub fn how(&self) -> TerminalKeys {
        self.how
    }

    /// The terminal reports releases, it has said so.
    pub fn report_releases(&mut self) {
        self.how = TerminalKeys::Reported;
    }

    /// Starts or stops hearing. When it stops, whatever is held is released.
    pub fn listen(&mut self, session: &mut Session, hear: bool, now: Nanos) {
        let presence = if hear { Presence::Here } else { Presence::Deaf };
        self.held.clear();
        self.is_in_range = false;
        self.is_heard = hear;
        session.set_presence(self.keys, presence, now);
        session.set_presence(self.mouse, presence, now);
    }

    /// The program stood still from one instant to another: nothing was heard
    /// meanwhile, whatever was held is released, and what is read at once afterwards was
    /// typed before, nobody knows when: it is marked as late.
    pub fn stood_still(&mut self, session: &mut Session, from: Nanos, to: Nanos) {
        if self.is_heard {
            self.listen(session, false, from);
            self.listen(session, true, to);
            self.late_until = Some(Nanos(to.0 + CATCHING_UP.0));
        }
    }

    /// What is special about everything that comes at `now`.
    fn marks(&self, now: Nanos) -> Marks {
        match self.late_until.is_some_and(|until| now <= until) {
            true => Marks::LATE,
            false => Marks::empty(),
        }
    }

    /// Takes in a key event that the terminal delivered at `now`.
    pub fn key(&mut self, session: &mut Session, key: &KeyEvent, now: Nanos) {
        let Some(code) = code_of(key) else { return };
        let Some(control) = session.roster().device(self.keys).control(code) else {
            return;
        };
        let late = self.marks(now);
        let mut report = |value, marks: Marks| {
            session.report(Event { time: now, value, control, marks: marks | late });
        };
        match (key.kind, self.how) {
            (KeyEventKind::Release, _) => report(0, Marks::empty()),
            (KeyEventKind::Repeat, _) => report(1, Marks::REPEAT),
            (KeyEventKind::Press, TerminalKeys::Reported) => report(1, Marks::empty()),
            (KeyEventKind::Press, TerminalKeys::Inferred(after)) => {
                let until = Nanos(now.0 + after.0);
                match self.held.iter_mut().find(|(id, _)| *id == control) {
                    Some(held) => {
                        held.1 = until;
                        report(1, Marks::REPEAT);
                    }
                    None => {
                        self.held.push((control, until));
                        report(1, Marks::empty());
                    }
                }
            }
        }
    }

    /// Takes in a mouse event that the terminal delivered at `now`.
    pub fn mouse(&mut self, session: &mut Session, mouse: &MouseEvent, now: Nanos) {
        let device = session.roster().device(self.mouse);
        let control = |code| device.control(code);
        let moved = match mouse.kind {
            MouseEventKind::Down(button) => control(button_code(button)).map(|c| (c, 1)),
            MouseEventKind::Up(button) => control(button_code(button)).map(|c| (c, 0)),
            MouseEventKind::ScrollUp => control("wheel-y").map(|c| (c, -1)),
            MouseEventKind::ScrollDown => control("wheel-y").map(|c| (c, 1)),
            MouseEventKind::ScrollLeft => control("wheel-x").map(|c| (c, -1)),
            MouseEventKind::ScrollRight => control("wheel-x").map(|c| (c, 1)),
            MouseEventKind::Drag(_) | MouseEventKind::Moved => None,
        };
        let place = [("x", mouse.column), ("y", mouse.row)]
            .map(|(code, cell)| control(code).map(|c| (c, i32::from(cell))));
        let in_range = control("in-range").filter(|_| !self.is_in_range).map(|c| (c, 1));
        self.is_in_range = true;
        // The place first: a click is where the pointer already is.
        for (control, value) in place.into_iter().chain([in_range, moved]).flatten() {
            session.report(Event { time: now, value, control, marks: self.marks(now) });
        }
    }
}

impl Source for Terminal {
    /// Releases the keys of which nothing was heard for too long.
    fn drain(&mut self, session: &mut Session, now: Nanos) {
        self.held.retain(|&(control, until)| {
            if until > now {
                return true;
            }
            session.report(Event { time: until, value: 0, control, marks: Marks::INFERRED });
            false
        });
    }
}

fn button_code(button: MouseButton) -> &'static str {
    match button {
        MouseButton::Left => "left",
        MouseButton::Middle => "middle",
        MouseButton::Right => "right",
    }
}

fn keys_info() -> DeviceInfo {
    let key = |code: &&str| ControlInfo::new(code, ControlKind::Button);
    DeviceInfo {
        identity: "terminal-keys".to_owned(),
        kind: DeviceKind::Keys,
        name: CleanText::new("this terminal's keyboard"),
        bus: CleanText::new("terminal"),
        slot: None,
        controls: vocabulary::KEYS.iter().map(key).collect(),
    }
}

fn mouse_info(columns: u16, rows: u16) -> DeviceInfo {
    let kind = |code: &str| match code {
        "x" => ControlKind::Position { min: 0, max: i32::from(columns.max(2)) - 1 },
        "y" => ControlKind::Position { min: 0, max: i32::from(rows.max(2)) - 1 },
        "wheel-x" | "wheel-y" => ControlKind::Relative,
        _ => ControlKind::Button,
    };
    let control = |code: &&str| ControlInfo::new(code, kind(code));
    DeviceInfo {
        identity: "terminal-mouse".to_owned(),
        kind: DeviceKind::Mouse,
        name: CleanText::new("this terminal's mouse"),
        bus: CleanText::new("terminal"),
        slot: None,
        controls: vocabulary::MOUSE.iter().map(control).collect(),
    }
}

#[cfg(test)]
mod tests;
