//! What the terminal sends: keys, the mouse, focus.

use super::{App, Request, pointing::Pointed};
use crate::screen::{
    draw,
    jobs::Saving,
    keymap::{self, Command},
    prompt::{Prompt, Purpose, Typed},
    viewport::{Hit, Room},
};
use crossterm::event::{
    Event, KeyCode, KeyEvent, KeyEventKind, MouseButton, MouseEvent, MouseEventKind,
};
use gtrig_core::Nanos;
use std::path::{Path, PathBuf};

impl App {
    /// Takes in an event of the terminal, stamped with the time it came.
    pub fn event(&mut self, event: &Event, at: Nanos) -> Option<Request> {
        match event {
            Event::Key(key) if self.captured => self.captured_key(key, at),
            Event::Mouse(mouse) if self.captured => {
                if let Some(terminal) = &mut self.document.terminal {
                    terminal.mouse(&mut self.document.session, mouse, at);
                }
            }
            Event::Key(key) if key.kind != KeyEventKind::Release => {
                self.forget_pointer();
                return self.key(key, at);
            }
            Event::Mouse(mouse) if self.find.is_some() => return self.find_mouse(mouse, at),
            Event::Mouse(mouse) if self.help.is_some() => self.help_mouse(mouse),
            Event::Mouse(mouse)
                if (self.bench.entry().mouse)(self, mouse) || self.touch(mouse, at) => {}
            Event::Mouse(mouse) => return self.mouse(mouse, at),
            Event::FocusLost if !self.captured => self.lift_fingers(at),
            Event::FocusLost if self.captured => {
                self.listen(false, at);
                self.tell("focus lost: everything held was released".to_owned(), true);
            }
            Event::FocusGained if self.captured => self.listen(true, at),
            _ => {}
        }
        None
    }

    fn captured_key(&mut self, key: &KeyEvent, at: Nanos) {
        if keymap::lets_go(key) {
            if key.kind == KeyEventKind::Press {
                self.captured = false;
                self.listen(false, at);
            }
            return;
        }
        self.document.note_unsaved();
        if let Some(terminal) = &mut self.document.terminal {
            terminal.key(&mut self.document.session, key, at);
        }
    }

    pub(super) fn listen(&mut self, hear: bool, at: Nanos) {
        if let Some(terminal) = &mut self.document.terminal {
            terminal.listen(&mut self.document.session, hear, at);
        }
    }

    fn key(&mut self, key: &KeyEvent, at: Nanos) -> Option<Request> {
        if self.prompt.is_some() {
            self.prompt_key(*key);
            return None;
        }
        if self.find.is_some() {
            return self.find_key(*key, at);
        }
        if self.help.is_some() {
            self.help_key(*key);
            return None;
        }
        if self.lesson.is_some() {
            self.lesson_key(key);
            return None;
        }
        let command = self.keymap.command(key)?;
        if command != Command::Quit {
            self.quit_asked = false;
        }
        self.drop_notice();
        self.run(command, at)
    }

    /// Letters search the help; Esc drops what is searched for first.
    fn help_key(&mut self, key: KeyEvent) {
        let Some(help) = &mut self.help else { return };
        // What is typed is searched for, whatever else a letter does.
        let is_letter = matches!(key.code, KeyCode::Char(c) if c.is_alphanumeric());
        match key.code {
            KeyCode::Up => help.turn(-1),
            KeyCode::Down => help.turn(1),
            KeyCode::PageUp => help.turn(-10),
            KeyCode::PageDown => help.turn(10),
            _ if !is_letter && self.keymap.command(&key) == Some(Command::Help) => {
                self.help = None;
            }
            _ => {
                let typed = help.line.key(key);
                help.scroll = 0;
                let is_searched = !help.line.text().is_empty();
                match typed {
                    Typed::Going => {}
                    Typed::Dropped if is_searched => help.line = Prompt::new(Purpose::Help, ""),
                    Typed::Done | Typed::Dropped => self.help = None,
                }
            }
        }
    }

    /// The wheel turns it, a click closes it.
    fn help_mouse(&mut self, mouse: &MouseEvent) {
        let Some(help) = &mut self.help else { return };
        match mouse.kind {
            MouseEventKind::ScrollUp => help.turn(-3),
            MouseEventKind::ScrollDown => help.turn(3),
            MouseEventKind::Down(_) => self.help = None,
            _ => {}
        }
    }

    fn prompt_key(&mut self, key: KeyEvent) {
        let Some(prompt) = &mut self.prompt else {
            return;
        };
        let typed = prompt.key(key);
        let (purpose, text) = (prompt.purpose, prompt.text().to_owned());
        if purpose == Purpose::Filter {
            self.view.filter = if typed == Typed::Dropped { String::new() } else { text.clone() };
            self.view.first_lane = 0;
        }
        if purpose == Purpose::FilterLog {
            self.filter_log(if typed == Typed::Dropped { "" } else { &text });
        }
        if purpose == Purpose::FilterNumbers {
            self.tuning.filter = if typed == Typed::Dropped { String::new() } else { text.clone() };
            self.tuning.chosen = 0;
        }
        if typed != Typed::Going {
            self.prompt = None;
        }
        if typed == Typed::Dropped && matches!(purpose, Purpose::Map | Purpose::Addresses) {
            self.lesson = None;
            self.tell("the names are dropped: nothing is written".to_owned(), true);
        }
        if typed == Typed::Done {
            self.typed(purpose, text.trim());
        }
    }

    pub(super) fn typed(&mut self, purpose: Purpose, text: &str) {
        match purpose {
            Purpose::Filter
            | Purpose::FilterLog
            | Purpose::FilterNumbers
            | Purpose::Find
            | Purpose::Help => {}
            Purpose::Save
            | Purpose::SavePart
            | Purpose::Record
            | Purpose::Export
            | Purpose::Open
                if text.is_empty() =>
            {
                self.tell("no file was named: nothing done".to_owned(), true);
            }
            Purpose::Save => {
                // What is captured from now on is not in this recording.
                self.document.is_unsaved = false;
                let recording = self.session().recording();
                let title = self.document.title.clone();
                self.jobs.save(PathBuf::from(text), Saving::All, recording, title);
            }
            Purpose::SavePart => self.save_measured(Path::new(text)),
            Purpose::Export => self.export(Path::new(text)),
            Purpose::Record => self.start_recording(Path::new(text)),
            Purpose::Open if text == "-" => {
                let text = "standard input is for the keys here: gtrig open - reads a take from it";
                self.tell(text.to_owned(), true);
            }
            Purpose::Open => self.open_take(Path::new(text)),
            Purpose::Mark => self.add_mark(text),
            Purpose::MarkPart => self.mark_measured(text),
            Purpose::Value => self.type_value(text),
            Purpose::Map | Purpose::Addresses if text.is_empty() => {
                self.tell("no file was named: nothing done".to_owned(), true);
            }
            Purpose::Map => self.write_map(Path::new(text)),
            Purpose::Address => self.name_address(text),
            Purpose::Addresses => self.write_addresses(Path::new(text)),
            Purpose::Field => self.name_field(text),
            Purpose::Rig | Purpose::NewRig if text.is_empty() => {
                self.tell("no file was named: nothing done".to_owned(), true);
            }
            Purpose::Rig => self.write_rig_to(Path::new(text)),
            Purpose::NewRig => self.write_starter(Path::new(text)),
            Purpose::Audit => match text.parse() {
                Ok(loops) => {
                    self.polling.by = loops;
                    self.audit();
                }
                Err(why) => self.tell(why.to_string(), true),
            },
        }
    }

    fn mouse(&mut self, mouse: &MouseEvent, at: Nanos) -> Option<Request> {
        let Hit { traces, bench, ruler, overview, reel, .. } = self.view.hit;
        let place = (mouse.column, mouse.row).into();
        match self.point(mouse, at) {
            // On a trace the playhead goes there besides.
            Pointed::Done(None) if traces.contains(place) => {}
            Pointed::Done(request) => return request,
            Pointed::Nothing => {}
        }
        match mouse.kind {
            MouseEventKind::Down(MouseButton::Left) if traces.contains(place) => {
                self.go_to(self.view.stretch.tick_at(mouse.column - traces.x));
            }
            MouseEventKind::Down(MouseButton::Left) if ruler.contains(place) => {
                self.view.is_border_held = true;
            }
            MouseEventKind::Down(MouseButton::Left) | MouseEventKind::Drag(MouseButton::Left)
                if overview.contains(place) =>
            {
                self.go_to(draw::tick_of_overview(self, mouse.column));
            }
            MouseEventKind::Down(MouseButton::Left) if reel.contains(place) => {
                self.go_to_reel_column(mouse.column - reel.x, reel.width);
            }
            MouseEventKind::Drag(MouseButton::Left) if self.view.is_border_held => {
                let top = bench.top().min(ruler.top());
                self.view.room = Room::Rows(mouse.row.saturating_sub(top));
            }
            MouseEventKind::Up(MouseButton::Left) => self.view.is_border_held = false,
            MouseEventKind::Drag(MouseButton::Left) if !self.view.is_live() && traces.width > 0 => {
                let column = mouse.column.clamp(traces.x, traces.right() - 1) - traces.x;
                self.go_to(self.view.stretch.tick_at(column));
            }
            MouseEventKind::ScrollUp | MouseEventKind::ScrollDown if traces.contains(place) => {
                let steps = if mouse.kind == MouseEventKind::ScrollUp { -1 } else { 1 };
                self.zoom(self.view.stretch.tick_at(mouse.column - traces.x), steps);
            }
            _ => {}
        }
        None
    }
}
