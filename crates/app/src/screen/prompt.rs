//! A line to type in.

use crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};
use gtrig_core::showable;
use tui_input::{Input, backend::crossterm::EventHandler};

/// What the typed line is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Purpose {
    Find,
    Help,
    Filter,
    FilterLog,
    FilterNumbers,
    Save,
    SavePart,
    Record,
    Export,
    Open,
    Mark,
    MarkPart,
    Audit,
    Value,
    Rig,
    NewRig,
    Field,
    Map,
    Address,
    Addresses,
}

impl Purpose {
    pub(crate) fn title(self) -> &'static str {
        match self {
            Purpose::Find => "find",
            Purpose::Help => "search the help",
            Purpose::Filter => "show lanes whose name has",
            Purpose::FilterLog => "show lines that have",
            Purpose::FilterNumbers => "show numbers that have",
            Purpose::Save => "save the history as",
            Purpose::SavePart => "save what is measured as",
            Purpose::Record => "record from now on to",
            Purpose::Export => "draw the view to (.svg or .pdf)",
            Purpose::Open => "open the take",
            Purpose::Mark => "mark this tick with",
            Purpose::MarkPart => "mark what is measured with",
            Purpose::Value => "the new value",
            Purpose::Field => {
                "bits to name (field-REPORT-BIT-WIDTH, an s behind for a sign, and the name)"
            }
            Purpose::Map => "write the names to the map",
            Purpose::Address => "the control that it is, such as desk/slew",
            Purpose::Addresses => "write the names to",
            Purpose::Rig => "write the rig to",
            Purpose::NewRig => "write a rig for what is plugged in to",
            Purpose::Audit => "audit by loops of (Hz …, jitter=% hitch=EVERY:LASTS step=HZ)",
        }
    }
}

/// A line being typed.
#[derive(Clone, Debug)]
pub(crate) struct Prompt {
    pub(crate) purpose: Purpose,
    input: Input,
    /// What is typed first takes the place of the text.
    pub(crate) is_replaced: bool,
}

/// What came of a key.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Typed {
    Going,
    Done,
    Dropped,
}

impl Prompt {
    pub(crate) fn new(purpose: Purpose, text: &str) -> Self {
        Prompt { purpose, input: Input::new(text.to_owned()), is_replaced: false }
    }

    /// The same with a text that what is typed takes the place of, unless the cursor is
    /// moved first.
    pub(crate) fn replacing(purpose: Purpose, text: &str) -> Self {
        Prompt { is_replaced: true, ..Prompt::new(purpose, text) }
    }

    pub(crate) fn text(&self) -> &str {
        self.input.value()
    }

    /// The cursor, in columns from the start of the text.
    pub(crate) fn cursor(&self) -> usize {
        self.input.visual_cursor()
    }

    pub(crate) fn key(&mut self, key: KeyEvent) -> Typed {
        match key.code {
            KeyCode::Enter => Typed::Done,
            KeyCode::Esc => Typed::Dropped,
            KeyCode::Char('c') if key.modifiers.contains(KeyModifiers::CONTROL) => Typed::Dropped,
            _ => {
                let before = self.input.clone();
                let is_other = std::mem::take(&mut self.is_replaced);
                if is_other && matches!(key.code, KeyCode::Char(_) | KeyCode::Backspace) {
                    self.input.reset();
                }
                self.input.handle_event(&Event::Key(key));
                // What was pasted may hold what is not to be shown, and not to be typed.
                if showable(self.text()).any(|(_, may_be)| !may_be) {
                    self.input = before;
                }
                Typed::Going
            }
        }
    }
}
