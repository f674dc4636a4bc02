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
    Save,
    Record,
    Export,
    Open,
    Mark,
    Audit,
    Value,
    Rig,
    Field,
    Map,
}

impl Purpose {
    pub(crate) fn title(self) -> &'static str {
        match self {
            Purpose::Find => "find",
            Purpose::Help => "search the help",
            Purpose::Filter => "show lanes whose name has",
            Purpose::FilterLog => "show lines that have",
            Purpose::Save => "save the history as",
            Purpose::Record => "record from now on to",
            Purpose::Export => "draw the view to (.svg or .pdf)",
            Purpose::Open => "open the take",
            Purpose::Mark => "mark this tick with",
            Purpose::Value => "the new value",
            Purpose::Field => {
                "bits to name (field-REPORT-BIT-WIDTH, an s behind for a sign, and the name)"
            }
            Purpose::Map => "write the names to the map",
            Purpose::Rig => "write the rig to",
            Purpose::Audit => "audit by loops of (Hz …, jitter=% hitch=EVERY:LASTS step=HZ)",
        }
    }
}

/// A line being typed.
#[derive(Clone, Debug)]
pub(crate) struct Prompt {
    pub(crate) purpose: Purpose,
    input: Input,
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
        Prompt { purpose, input: Input::new(text.to_owned()) }
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
