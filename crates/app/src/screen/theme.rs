//! Colours and glyphs.
//!
//! Green means *fired*, and nothing else is green. Lost and near miss have
//! hues and glyphs of their own. Nothing is told by colour alone: without
//! colours (`NO_COLOR`) the same glyphs, bold and reversed cells remain.

use gtrig_core::LaneMarks;
use ratatui::style::{Color, Modifier, Style};

/// The styles of a frame.
#[derive(Clone, Copy, Debug)]
pub struct Theme {
    has_colours: bool,
}

const FIRED: Color = Color::Indexed(83);
const LOST: Color = Color::Indexed(206);
const DOUBTFUL: Color = Color::Indexed(215);
const SIGNAL: Color = Color::Indexed(117);
const WIRE: Color = Color::Indexed(229);
const FAINT: Color = Color::Indexed(242);
const RULE: Color = Color::Indexed(238);
const CHOSEN: Color = Color::Indexed(236);

impl Theme {
    /// With colours, unless the environment has a non-empty `NO_COLOR`.
    pub fn from_environment() -> Self {
        let refused = std::env::var_os("NO_COLOR").is_some_and(|value| !value.is_empty());
        Theme { has_colours: !refused }
    }

    /// With or without colours.
    pub const fn new(has_colours: bool) -> Self {
        Theme { has_colours }
    }

    fn coloured(self, colour: Color) -> Style {
        if self.has_colours { Style::new().fg(colour) } else { Style::new() }
    }

    pub(crate) fn fired(self) -> Style {
        self.coloured(FIRED).add_modifier(Modifier::BOLD)
    }

    pub(crate) fn lost(self) -> Style {
        self.coloured(LOST).add_modifier(Modifier::BOLD)
    }

    pub(crate) fn doubtful(self) -> Style {
        self.coloured(DOUBTFUL)
    }

    /// A control that is down or off its rest.
    pub(crate) fn signal(self) -> Style {
        self.coloured(SIGNAL)
    }

    /// The wire that drives an action now.
    pub(crate) fn wire(self) -> Style {
        self.coloured(WIRE).add_modifier(Modifier::BOLD)
    }

    pub(crate) fn faint(self) -> Style {
        self.coloured(FAINT)
    }

    pub(crate) fn rule(self) -> Style {
        self.coloured(RULE)
    }

    pub(crate) fn plain(self) -> Style {
        Style::new()
    }

    pub(crate) fn strong(self) -> Style {
        Style::new().add_modifier(Modifier::BOLD)
    }

    /// The row the person chose.
    pub(crate) fn chosen(self) -> Style {
        match self.has_colours {
            true => Style::new().bg(CHOSEN).add_modifier(Modifier::BOLD),
            false => Style::new().add_modifier(Modifier::BOLD),
        }
    }

    /// What of the whole is in view.
    pub(crate) fn in_view(self) -> Style {
        match self.has_colours {
            true => Style::new().bg(CHOSEN),
            false => Style::new().add_modifier(Modifier::UNDERLINED),
        }
    }

    /// A word that stands out as a block.
    pub(crate) fn badge(self, kind: Badge) -> Style {
        if !self.has_colours {
            return Style::new().add_modifier(Modifier::REVERSED | Modifier::BOLD);
        }
        let colour = match kind {
            Badge::Live => SIGNAL,
            Badge::Frozen => WIRE,
            Badge::Captured => Color::Indexed(208),
            Badge::Tab => Color::Indexed(250),
        };
        Style::new().fg(Color::Indexed(16)).bg(colour).add_modifier(Modifier::BOLD)
    }

    /// The column of the playhead.
    pub(crate) fn playhead(self) -> Style {
        match self.has_colours {
            true => Style::new().bg(Color::Indexed(239)),
            false => Style::new().add_modifier(Modifier::REVERSED),
        }
    }
}

/// What a badge says.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Badge {
    Live,
    Frozen,
    Captured,
    /// The bench that is shown.
    Tab,
}

/// The glyph of the weightiest mark, its style, and its meaning.
pub(crate) const MARKS: [(LaneMarks, &str, &str); 10] = [
    (LaneMarks::LOST, "╳", "a press was lost between two polls"),
    (LaneMarks::RESYNCED, "≈", "events were lost before it; the state was asked for again"),
    (LaneMarks::CAUGHT, "◈", "a tap between two polls, caught by the latch"),
    (LaneMarks::CHATTER, "∿", "chatter of a switch, taken out by the debounce"),
    (LaneMarks::REPEATED, "↻", "auto-repeat that counts as a press here"),
    (LaneMarks::SYNTHETIC, "⊥", "released because its device could not be heard"),
    (LaneMarks::INFERRED, "?", "release inferred from silence, not reported"),
    (LaneMarks::LATE, "«", "reported after its own tick had run"),
    (LaneMarks::NEAR, "◇", "a gesture missed by little: one number alone kept it"),
    (LaneMarks::CANCELLED, "⊣", "a gesture ended by another one, or a touch taken back"),
];

/// The glyph and style of marks; `None` when there are none.
pub(crate) fn mark(theme: Theme, marks: LaneMarks) -> Option<(&'static str, Style)> {
    let (mark, glyph, _) = MARKS.iter().find(|(mark, ..)| marks.contains(*mark))?;
    let style = if *mark == LaneMarks::LOST { theme.lost() } else { theme.doubtful() };
    Some((glyph, style))
}
