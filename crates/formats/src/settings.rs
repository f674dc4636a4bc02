//! What a person sets for every run of the full screen (TOML): `docs/guide.md`.

use crate::document::{
    self,
    fields::Fields,
    problem::{Mistakes, Problems},
};

/// The colours of the full screen.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum ThemeName {
    /// For dark terminals.
    #[default]
    Dark,
    /// For light terminals.
    Light,
    /// Dark, with nothing faint.
    Contrast,
    /// Colours that eyes without red or green tell apart.
    Distinct,
    /// The sixteen colours that a terminal itself defines.
    Sixteen,
    /// None: as `NO_COLOR` asks for.
    Plain,
}

/// Every theme and its name.
pub const THEMES: [(&str, ThemeName); 6] = [
    ("dark", ThemeName::Dark),
    ("light", ThemeName::Light),
    ("contrast", ThemeName::Contrast),
    ("distinct", ThemeName::Distinct),
    ("sixteen", ThemeName::Sixteen),
    ("plain", ThemeName::Plain),
];

/// What a person sets.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Settings {
    /// The colours; without one what suits the terminal.
    pub theme: Option<ThemeName>,
}

/// Reads settings. `file` names them in messages.
///
/// # Errors
/// All mistakes, in the order of their places.
pub fn parse(file: &str, text: &str) -> Result<Settings, Mistakes> {
    document::parse(file, text, "file of settings", read)
}

fn read(problems: &mut Problems, mut root: Fields) -> Settings {
    let theme = root.take("theme").and_then(|value| value.one_of(problems, &THEMES));
    root.finish(problems);
    Settings { theme }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("", None)]
    #[case("# nothing is set\n", None)]
    #[case("theme = \"light\"\n", Some(ThemeName::Light))]
    #[case("theme = \"sixteen\"\n", Some(ThemeName::Sixteen))]
    fn settings_are_read(#[case] text: &str, #[case] theme: Option<ThemeName>) {
        assert_eq!(parse("settings.toml", text).unwrap(), Settings { theme });
    }

    #[rstest]
    #[case("theme = \"ligth\"", "light")]
    #[case("theme = 3", "1:9")]
    #[case("colour = \"light\"", "theme")]
    #[case("theme = ", "TOML")]
    fn a_mistake_is_told_with_its_place_and_what_helps(#[case] text: &str, #[case] told: &str) {
        let mistakes = parse("settings.toml", text).unwrap_err().to_string();
        assert!(mistakes.contains("settings.toml") && mistakes.contains(told), "{mistakes}");
    }
}
