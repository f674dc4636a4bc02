//! Colours and glyphs.
//!
//! Green means *fired*, and nothing else is green. Lost and near miss have
//! hues and glyphs of their own. Nothing is told by colour alone: without
//! colours (`NO_COLOR`) the same glyphs, bold and reversed cells remain.

use gtrig_core::LaneMarks;
use gtrig_formats::settings::ThemeName;
use ratatui::style::{Color, Modifier, Style};

/// The colours of a theme.
#[derive(Debug)]
struct Palette {
    fired: Color,
    lost: Color,
    doubtful: Color,
    /// A control that is down or off its rest.
    signal: Color,
    /// The wire that drives an action now.
    wire: Color,
    faint: Color,
    rule: Color,
    /// Behind the row the person chose, and what of the whole is in view.
    chosen: Color,
    /// Behind the column of the playhead.
    playhead: Color,
    captured: Color,
    /// Behind the tab of the bench that is shown.
    tab: Color,
    /// What is written on a badge.
    on_badge: Color,
}

const fn indexed(colours: [u8; 12]) -> Palette {
    let [
        fired,
        lost,
        doubtful,
        signal,
        wire,
        faint,
        rule,
        chosen,
        playhead,
        captured,
        tab,
        on_badge,
    ] = colours;
    Palette {
        fired: Color::Indexed(fired),
        lost: Color::Indexed(lost),
        doubtful: Color::Indexed(doubtful),
        signal: Color::Indexed(signal),
        wire: Color::Indexed(wire),
        faint: Color::Indexed(faint),
        rule: Color::Indexed(rule),
        chosen: Color::Indexed(chosen),
        playhead: Color::Indexed(playhead),
        captured: Color::Indexed(captured),
        tab: Color::Indexed(tab),
        on_badge: Color::Indexed(on_badge),
    }
}

const DARK: Palette = indexed([83, 206, 215, 117, 229, 242, 238, 236, 239, 208, 250, 16]);
const LIGHT: Palette = indexed([28, 162, 130, 25, 94, 243, 250, 254, 252, 166, 240, 231]);
const CONTRAST: Palette = indexed([46, 213, 214, 51, 226, 252, 246, 238, 240, 208, 231, 16]);
/// The colours of M. Okabe and K. Ito ("Color Universal Design", 2008), as near as 256 have
/// them: bluish green, vermilion, orange, sky blue, yellow.
const DISTINCT: Palette = indexed([36, 202, 178, 74, 227, 244, 239, 236, 239, 202, 250, 16]);
/// As the terminal itself defines them.
const SIXTEEN: Palette = Palette {
    fired: Color::LightGreen,
    lost: Color::LightMagenta,
    doubtful: Color::Yellow,
    signal: Color::LightCyan,
    wire: Color::LightYellow,
    faint: Color::Gray,
    rule: Color::DarkGray,
    chosen: Color::DarkGray,
    playhead: Color::DarkGray,
    captured: Color::Yellow,
    tab: Color::Gray,
    on_badge: Color::Black,
};

/// The styles of a frame.
#[derive(Clone, Copy, Debug)]
pub struct Theme {
    /// None without colours.
    palette: Option<&'static Palette>,
}

impl Theme {
    /// The one that is set, or that suits the terminal; without colours if the environment
    /// has a non-empty `NO_COLOR`.
    pub fn of(set: Option<ThemeName>) -> Self {
        let has = |name: &str| std::env::var(name).ok().filter(|value| !value.is_empty());
        match (has("NO_COLOR"), set) {
            (Some(_), _) => Theme::named(ThemeName::Plain),
            (None, Some(name)) => Theme::named(name),
            (None, None) => Theme::named(suiting(&has("TERM").unwrap_or_default())),
        }
    }

    /// One by its name.
    pub const fn named(name: ThemeName) -> Self {
        let palette = match name {
            ThemeName::Dark => Some(&DARK),
            ThemeName::Light => Some(&LIGHT),
            ThemeName::Contrast => Some(&CONTRAST),
            ThemeName::Distinct => Some(&DISTINCT),
            ThemeName::Sixteen => Some(&SIXTEEN),
            ThemeName::Plain => None,
        };
        Theme { palette }
    }

    /// The usual one, or without colours.
    pub const fn new(has_colours: bool) -> Self {
        Theme::named(if has_colours { ThemeName::Dark } else { ThemeName::Plain })
    }

    fn coloured(self, colour: fn(&Palette) -> Color) -> Style {
        self.palette.map_or(Style::new(), |palette| Style::new().fg(colour(palette)))
    }

    pub(crate) fn fired(self) -> Style {
        self.coloured(|palette| palette.fired).add_modifier(Modifier::BOLD)
    }

    pub(crate) fn lost(self) -> Style {
        self.coloured(|palette| palette.lost).add_modifier(Modifier::BOLD)
    }

    pub(crate) fn doubtful(self) -> Style {
        self.coloured(|palette| palette.doubtful)
    }

    /// A control that is down or off its rest.
    pub(crate) fn signal(self) -> Style {
        self.coloured(|palette| palette.signal)
    }

    /// The wire that drives an action now.
    pub(crate) fn wire(self) -> Style {
        self.coloured(|palette| palette.wire).add_modifier(Modifier::BOLD)
    }

    pub(crate) fn faint(self) -> Style {
        self.coloured(|palette| palette.faint)
    }

    pub(crate) fn rule(self) -> Style {
        self.coloured(|palette| palette.rule)
    }

    pub(crate) fn plain(self) -> Style {
        Style::new()
    }

    pub(crate) fn strong(self) -> Style {
        Style::new().add_modifier(Modifier::BOLD)
    }

    /// Of a code for a camera: bright on black, whatever the terminal has.
    pub(crate) fn code(self) -> Style {
        let style = Style::new().fg(Color::Indexed(231)).bg(Color::Indexed(16));
        self.palette.map_or(Style::new(), |_| style)
    }

    /// The row the person chose.
    pub(crate) fn chosen(self) -> Style {
        let style = Style::new().add_modifier(Modifier::BOLD);
        self.palette.map_or(style, |palette| style.bg(palette.chosen))
    }

    /// The way from rest to a value; nothing without colours.
    pub(crate) fn shade(self) -> Style {
        self.palette.map_or(Style::new(), |palette| Style::new().bg(palette.chosen))
    }

    /// Text that what is typed takes the place of.
    pub(crate) fn marked(self) -> Style {
        Style::new().add_modifier(Modifier::REVERSED)
    }

    /// What of the whole is in view.
    pub(crate) fn in_view(self) -> Style {
        let without = Style::new().add_modifier(Modifier::UNDERLINED);
        self.palette.map_or(without, |palette| Style::new().bg(palette.chosen))
    }

    /// A word that stands out as a block.
    pub(crate) fn badge(self, kind: Badge) -> Style {
        let Some(palette) = self.palette else {
            return Style::new().add_modifier(Modifier::REVERSED | Modifier::BOLD);
        };
        let colour = match kind {
            Badge::Live => palette.signal,
            Badge::Frozen => palette.wire,
            Badge::Captured => palette.captured,
            Badge::Tab => palette.tab,
        };
        Style::new().fg(palette.on_badge).bg(colour).add_modifier(Modifier::BOLD)
    }

    /// The column of the playhead.
    pub(crate) fn playhead(self) -> Style {
        let without = Style::new().add_modifier(Modifier::REVERSED);
        self.palette.map_or(without, |palette| Style::new().bg(palette.playhead))
    }
}

/// What suits a terminal of this name: the console of Linux and others that say so have
/// sixteen colours.
fn suiting(term: &str) -> ThemeName {
    let has_few = ["linux", "ansi", "vt"].iter().any(|name| term.starts_with(name));
    if has_few || term.ends_with("-16color") { ThemeName::Sixteen } else { ThemeName::Dark }
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

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_formats::settings::THEMES;
    use rstest::rstest;

    #[rstest]
    #[case("xterm-256color", ThemeName::Dark)]
    #[case("tmux-256color", ThemeName::Dark)]
    #[case("linux", ThemeName::Sixteen)]
    #[case("linux-16color", ThemeName::Sixteen)]
    #[case("xterm-16color", ThemeName::Sixteen)]
    #[case("vt220", ThemeName::Sixteen)]
    #[case("", ThemeName::Dark)]
    fn a_terminal_gets_what_suits_it(#[case] term: &str, #[case] expected: ThemeName) {
        assert_eq!(suiting(term), expected);
    }

    /// Fired, lost, doubtful, signal and wire mean other things, and so are other colours;
    /// what is faint is neither.
    #[test]
    fn no_theme_gives_two_meanings_one_colour() {
        for (name, theme) in THEMES {
            let Some(palette) = Theme::named(theme).palette else { continue };
            let Palette { fired, lost, doubtful, signal, wire, faint, .. } = *palette;
            let all = [fired, lost, doubtful, signal, wire, faint];
            for (at, one) in all.iter().enumerate() {
                assert!(!all[at + 1..].contains(one), "{name}: {one:?} twice");
            }
        }
    }
}
