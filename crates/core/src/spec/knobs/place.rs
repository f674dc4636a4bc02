//! Numbers of a rig, and where they stand.

use crate::spec::tunable::Tunable;
use alloc::{format, string::String, vec::Vec};

/// A step on the way from the root of a rig file to a value.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Selector {
    /// An entry of a table.
    Key(String),
    /// An entry of an array; a value that is no array is its own entry 0.
    At(usize),
}

/// Where a number stands in a rig file.
///
/// ```
/// use gtrig_core::{Place, Selector};
///
/// let place = Place(vec![
///     Selector::Key("shape".into()),
///     Selector::Key("worn".into()),
///     Selector::Key("stages".into()),
///     Selector::At(0),
///     Selector::Key("dead-zone".into()),
/// ]);
/// assert_eq!(place.to_string(), "shape.worn.stages[0].dead-zone");
/// assert!(place.is_of("shape", "worn") && !place.is_in("action"));
/// ```
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Place(pub Vec<Selector>);

impl Place {
    /// Whether it is about an entry of a table of the root.
    pub fn is_of(&self, table: &str, entry: &str) -> bool {
        let is_it = |at: usize, name: &str| matches!(self.0.get(at), Some(Selector::Key(key)) if key == name);
        is_it(0, table) && is_it(1, entry)
    }

    /// Whether it is in a table of the root.
    pub fn is_in(&self, table: &str) -> bool {
        matches!(self.0.first(), Some(Selector::Key(key)) if key == table)
    }
}

/// `action.slew.from[0].dead-zone`
impl core::fmt::Display for Place {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        for (n, step) in self.0.iter().enumerate() {
            match step {
                Selector::Key(key) if n == 0 => f.write_str(key)?,
                Selector::Key(key) => write!(f, ".{key}")?,
                Selector::At(at) => write!(f, "[{at}]")?,
            }
        }
        Ok(())
    }
}

/// A number of a rig.
///
/// Its value is what a person would write, not what a float of it is: 0.12 and not
/// 0.119999997.
#[derive(Clone, Debug, PartialEq)]
pub struct Knob {
    /// Where it stands.
    pub place: Place,
    /// Its unit, range, step and meaning.
    pub tunable: &'static Tunable,
    /// What it is, in the unit of its tunable.
    pub value: f64,
}

impl Knob {
    /// The name to show beside its value: the last words of its place.
    ///
    /// A person who looks at one bench knows which action or gesture it is about; so its name is
    /// left out where the rest says enough.
    pub fn label(&self) -> String {
        match self.place.0.as_slice() {
            [Selector::Key(yard), Selector::Key(part), Selector::Key(key)] if yard == "yard" => {
                format!("{part} {key}")
            }
            [.., Selector::At(stage), Selector::Key(key)] => format!("{}: {key}", stage + 1),
            [.., Selector::Key(key), Selector::At(at)] if key.starts_with("calibrate-") => {
                format!("{key} {}", ["low", "rest", "high"][(*at).min(2)])
            }
            [Selector::Key(gesture), Selector::Key(name), Selector::Key(key)]
                if gesture == "gesture" =>
            {
                format!("{name} {key}")
            }
            [
                Selector::Key(gesture),
                Selector::Key(name),
                Selector::Key(key),
                Selector::At(axis),
            ] if gesture == "gesture" => {
                format!("{name} {key} {}", axis_word(*axis))
            }
            [.., Selector::At(stage), Selector::Key(key), Selector::At(n), Selector::At(axis)] => {
                format!("{}: {key} {} {}", stage + 1, n + 1, axis_word(*axis))
            }
            [Selector::Key(zone), Selector::Key(name), Selector::Key(key), Selector::At(at)]
                if zone == "zone" =>
            {
                let rect = ["left", "top", "width", "height"];
                let part =
                    if key == "rect" { rect[(*at).min(3)] } else { ["x", "y", "r"][(*at).min(2)] };
                format!("{name} {part}")
            }
            [.., Selector::Key(key), Selector::At(axis)] => {
                format!("{key} {}", axis_word(*axis))
            }
            _ => format!("{}", self.place),
        }
    }
}

/// The name of one number of a pair.
const fn axis_word(axis: usize) -> &'static str {
    if axis == 0 { "x" } else { "y" }
}
