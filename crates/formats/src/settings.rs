//! What a person sets for every run of the full screen (TOML): `docs/guide.md`.

mod key;

pub use key::{Key, KeyCode, NoKey};

use crate::document::{
    self,
    fields::{Fields, Value},
    problem::{Mistakes, Problems},
};
use std::{collections::BTreeMap, ops::RangeInclusive};

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
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Settings {
    /// The colours; without one what suits the terminal.
    pub theme: Option<ThemeName>,
    /// At most so many frames are drawn a second; without it as many as something happens in.
    pub frames: Option<u16>,
    /// The keys of what is not to have those it has by itself.
    pub keys: BTreeMap<String, Vec<Key>>,
}

/// Frames a second that can be asked for.
pub const FRAMES: RangeInclusive<u16> = 1..=240;

/// Something that keys are for, and those that it has by itself.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Bound {
    /// Its name in the settings.
    pub name: String,
    /// Its keys.
    pub keys: Vec<Key>,
}

/// Keys that do the same whatever is set, and what that is.
const FIXED: [(Key, &str); 2] = [
    (Key { ctrl: true, ..Key::plain(KeyCode::Char('c')) }, "ends the program"),
    (Key { ctrl: true, ..Key::plain(KeyCode::Char('g')) }, "lets go of captured keys"),
];

/// Reads settings. `file` names them in messages, and `bound` is all that keys can be set
/// for.
///
/// # Errors
/// All mistakes, in the order of their places.
pub fn parse(file: &str, text: &str, bound: &[Bound]) -> Result<Settings, Mistakes> {
    document::parse(file, text, "file of settings", |problems, root| read(problems, root, bound))
}

fn read(problems: &mut Problems, mut root: Fields, bound: &[Bound]) -> Settings {
    let theme = root.take("theme").and_then(|value| value.one_of(problems, &THEMES));
    let frames = root.take("frames").and_then(|value| frames(problems, value));
    let keys = root.take("keys").and_then(|value| value.table(problems));
    root.finish(problems);
    let keys = keys.map_or_else(BTreeMap::new, |keys| read_keys(problems, &keys, bound));
    Settings { theme, frames, keys }
}

fn frames(problems: &mut Problems, value: Value) -> Option<u16> {
    let frames = value.integer().and_then(|n| u16::try_from(n).ok());
    let frames = frames.filter(|n| FRAMES.contains(n));
    if frames.is_none() {
        let expected =
            format!("a whole number of frames a second, {} to {}", FRAMES.start(), FRAMES.end());
        problems.add(value.span(), problems.quote(value.span()), &expected);
    }
    frames
}

/// The keys that are set: of all that can be set none two have one key.
fn read_keys(
    problems: &mut Problems,
    fields: &Fields,
    bound: &[Bound],
) -> BTreeMap<String, Vec<Key>> {
    let names = || bound.iter().map(|bound| bound.name.as_str());
    let (mut set, mut places) = (BTreeMap::new(), Vec::new());
    for entry in fields.entries() {
        if !names().any(|name| name == entry.key) {
            let expected = "a name that `gtrig settings` lists";
            problems.add_unknown(entry.key_span, entry.key, names(), expected);
            continue;
        }
        let mut keys = Vec::new();
        // None takes away those that it has.
        let items = if entry.value.is_empty() { None } else { Some(entry.value.items(problems)) };
        for item in items.into_iter().flatten() {
            let Some(text) = item.string(problems) else { continue };
            let Ok(key) = text.parse::<Key>() else {
                problems.add(item.span(), problems.quote(item.span()), key::EXPECTED);
                continue;
            };
            match FIXED.iter().find(|(fixed, _)| *fixed == key) {
                Some((_, what)) => {
                    let expected = format!("another key: {key} always {what}");
                    problems.add(item.span(), problems.quote(item.span()), &expected);
                }
                None => places.push((key, entry.key, item.span())),
            }
            keys.push(key);
        }
        set.insert(entry.key.to_owned(), keys);
    }
    let defaults = bound.iter().filter(|bound| !set.contains_key(&bound.name));
    let mut taken: BTreeMap<Key, &str> = BTreeMap::new();
    for bound in defaults {
        taken.extend(bound.keys.iter().map(|&key| (key, bound.name.as_str())));
    }
    for (key, name, span) in places {
        if let Some(other) = taken.insert(key, name) {
            let expected = match other == name {
                true => format!("each key once: `{name}` has it already"),
                false => format!("another key, or another one for `{other}`, which has it already"),
            };
            problems.add(span.clone(), problems.quote(span), &expected);
        }
    }
    set
}

/// Settings as a person writes them into the file at `place`: `keys` is all that keys can be
/// set for with those in force, and what each does.
pub fn print(place: &str, settings: &Settings, keys: &[(Bound, &str)]) -> String {
    let mut text = format!("# {place}: what it says, and what holds where it says nothing.\n");
    let themes: Vec<&str> = THEMES.iter().map(|(name, _)| *name).collect();
    text += &format!("\n# The colours: {}.\n", themes.join(", "));
    let theme = settings.theme.and_then(|theme| THEMES.iter().find(|(_, it)| *it == theme));
    text += &match theme {
        Some((name, _)) => format!("theme = \"{name}\"\n"),
        None => "# theme = \"dark\"\n".to_owned(),
    };
    text += "\n# At most so many frames a second, for a slow line; without it as many as something\n# happens in.\n";
    text += &match settings.frames {
        Some(frames) => format!("frames = {frames}\n"),
        None => "# frames = 15\n".to_owned(),
    };
    text += "\n# A key, or several: [\"s\", \"Ctrl+S\", \"F5\"]; [] for none. Ctrl+C always ends the\n# program, Ctrl+G lets go of captured keys.\n[keys]\n";
    for (Bound { name, keys }, what) in keys {
        let quoted: Vec<String> = keys.iter().map(|key| quoted(&key.to_string())).collect();
        let value = match quoted.as_slice() {
            [one] => one.clone(),
            several => format!("[{}]", several.join(", ")),
        };
        text += &format!("{:<32} # {what}\n", format!("{name} = {value}"));
    }
    text
}

fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn bound() -> Vec<Bound> {
        let of = |(name, keys): (&str, &[&str])| Bound {
            name: name.to_owned(),
            keys: keys.iter().map(|key| key.parse().unwrap()).collect(),
        };
        [("save", ["s"].as_slice()), ("mark", &["m"]), ("help", &["?", "F1"])].map(of).to_vec()
    }

    fn parsed(text: &str) -> Result<Settings, Mistakes> {
        parse("settings.toml", text, &bound())
    }

    #[rstest]
    #[case("", None)]
    #[case("# nothing is set\n", None)]
    #[case("theme = \"light\"\n", Some(ThemeName::Light))]
    #[case("theme = \"sixteen\"\n", Some(ThemeName::Sixteen))]
    fn a_theme_is_read(#[case] text: &str, #[case] theme: Option<ThemeName>) {
        assert_eq!(parsed(text).unwrap(), Settings { theme, ..Settings::default() });
    }

    #[rstest]
    #[case::another("save = \"F2\"", "save F2")]
    #[case::several("save = [\"F2\", \"Ctrl+S\"]", "save F2 Ctrl+S")]
    #[case::none("save = []", "save")]
    #[case::exchanged("save = \"m\"\nmark = \"s\"", "mark s, save m")]
    #[case::one_of_several("help = \"?\"\nsave = \"F1\"", "help ?, save F1")]
    fn keys_are_read(#[case] text: &str, #[case] expected: &str) {
        let keys = parsed(&format!("[keys]\n{text}")).unwrap().keys;
        let shown = keys.iter().map(|(name, keys)| {
            let keys = keys.iter().map(Key::to_string);
            std::iter::once(name.clone()).chain(keys).collect::<Vec<_>>().join(" ")
        });
        assert_eq!(shown.collect::<Vec<_>>().join(", "), expected);
    }

    #[rstest]
    #[case("theme = \"ligth\"", "light")]
    #[case("theme = 3", "1:9")]
    #[case("colour = \"light\"", "theme")]
    #[case("theme = ", "TOML")]
    #[case("frames = 0", "1 to 240")]
    #[case("frames = 12.5", "1 to 240")]
    #[case("keys = 3", "a table")]
    #[case("[keys]\nsvae = \"F2\"", "save")]
    #[case("[keys]\nsave = \"Hyper+s\"", "2:8")]
    #[case("[keys]\nsave = 7", "a text in quotes")]
    #[case("[keys]\nsave = \"m\"", "another one for `mark`")]
    #[case("[keys]\nsave = \"F2\"\nmark = \"F2\"", "3:8")]
    #[case("[keys]\nsave = [\"F2\", \"f2\"]", "each key once")]
    #[case("[keys]\nsave = \"ctrl+c\"", "always ends the program")]
    #[case("[keys]\nsave = \"Ctrl+G\"", "always lets go")]
    fn a_mistake_is_told_with_its_place_and_what_helps(#[case] text: &str, #[case] told: &str) {
        let mistakes = parsed(text).unwrap_err();
        let places: Vec<String> = mistakes.problems.iter().map(ToString::to_string).collect();
        let all = format!("{mistakes} {}", places.join(" "));
        assert!(all.contains("settings.toml") && all.contains(told), "{all}");
    }

    #[rstest]
    #[case("")]
    #[case("theme = \"distinct\"\nframes = 20\n[keys]\nsave = ['\"', \"\\\\\"]\nmark = []\n")]
    fn what_is_printed_says_the_same(#[case] text: &str) {
        let settings = parsed(text).unwrap();
        let in_force: Vec<(Bound, &str)> = bound()
            .into_iter()
            .map(|bound| match settings.keys.get(&bound.name) {
                Some(keys) => (Bound { keys: keys.clone(), ..bound }, "does something"),
                None => (bound, "does something"),
            })
            .collect();
        let again = parsed(&print("settings.toml", &settings, &in_force)).unwrap();
        assert_eq!((again.theme, again.frames), (settings.theme, settings.frames));
        for (bound, _) in in_force {
            assert_eq!(again.keys[&bound.name], bound.keys);
        }
    }
}
