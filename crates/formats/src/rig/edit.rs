//! Numbers written back into a rig file, whose comments and layout stay.

use super::parse;
use crate::Mistakes;
use gtrig_core::{Knob, Place, Rig, Selector};
use toml_edit::{Array, DocumentMut, Formatted, InlineTable, Item, TomlError, Value};

/// Why numbers could not be written back: the text was changed meanwhile.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum EditError {
    /// The text is no sound rig any more.
    #[error(transparent)]
    NoRig(#[from] Mistakes),
    /// The text is no TOML any more.
    #[error("{}", .0.message())]
    NoToml(#[from] TomlError),
    /// What a number belongs to is gone.
    #[error("the file has no {0} any more")]
    NoPlace(Place),
}

/// Some numbers follow others where a file does not mention them: after those
/// are set there is more to set.
const ROUNDS: usize = 3;

/// Brings the numbers in the text of a rig to those of `wanted`. What stands
/// there otherwise stays as it is, to the byte; a key that is not there yet is
/// added to its table.
///
/// # Errors
/// When the text is no sound rig any more, or has no such place: it was changed
/// meanwhile.
pub fn update_numbers(text: &str, wanted: &Rig) -> Result<String, EditError> {
    let mut text = text.to_owned();
    for _ in 0..ROUNDS {
        let knobs = parse("the file", &text)?.knobs();
        let all = wanted.knobs();
        let others: Vec<&Knob> = all.iter().filter(|knob| !knobs.contains(knob)).collect();
        if others.is_empty() {
            break;
        }
        text = set_numbers(&text, &others, &all)?;
    }
    Ok(text)
}

/// Sets numbers; of a list that is not there yet, all that it has among `all`.
fn set_numbers(text: &str, numbers: &[&Knob], all: &[Knob]) -> Result<String, EditError> {
    let mut document: DocumentMut = text.parse()?;
    for knob in numbers {
        let whole = match knob.place.0.as_slice() {
            [list @ .., Selector::At(_)] if !is_there(document.as_item(), list) => {
                all.iter().filter(|other| is_in_list(&other.place, list)).collect()
            }
            _ => vec![*knob],
        };
        for Knob { place, value, .. } in whole {
            set(document.as_item_mut(), &place.0, *value)
                .ok_or_else(|| EditError::NoPlace(place.clone()))?;
        }
    }
    Ok(document.to_string())
}

fn is_in_list(place: &Place, list: &[Selector]) -> bool {
    matches!(place.0.strip_prefix(list), Some([Selector::At(_)]))
}

/// Whether a text has something at a place. What is no list is its own entry 0.
fn is_there(item: &Item, steps: &[Selector]) -> bool {
    match steps {
        [] => true,
        [Selector::Key(key), rest @ ..] => item.get(key).is_some_and(|item| is_there(item, rest)),
        [Selector::At(at), rest @ ..] => match item.get(*at) {
            Some(entry) => is_there(entry, rest),
            None => *at == 0 && is_there(item, rest),
        },
    }
}

fn set(item: &mut Item, steps: &[Selector], number: f64) -> Option<()> {
    match steps {
        [] => set_value(item.as_value_mut()?, &[], number),
        [Selector::At(at), rest @ ..] => match item {
            Item::ArrayOfTables(tables) => {
                let table = tables.get_mut(*at)?;
                let (Selector::Key(key), rest) = rest.split_first()? else { return None };
                set(&mut table[key], rest, number)
            }
            Item::Value(value) => set_value(value, steps, number),
            _ => None,
        },
        [Selector::Key(key), rest @ ..] => match item {
            Item::Value(value) => set_value(value, steps, number),
            Item::Table(table) if rest.is_empty() && !table.contains_key(key) => {
                table.insert(key, Item::Value(plain(number)));
                Some(())
            }
            // A list whose first number this is.
            Item::Table(table) if *rest == [Selector::At(0)] && !table.contains_key(key) => {
                table.insert(key, Item::Value(Value::Array(Array::from_iter([plain(number)]))));
                Some(())
            }
            // A section that is not there yet.
            Item::Table(table) if !table.contains_key(key) => {
                table.insert(key, Item::Table(toml_edit::Table::new()));
                set(table.get_mut(key)?, rest, number)
            }
            Item::Table(table) => set(table.get_mut(key)?, rest, number),
            _ => None,
        },
    }
}

fn set_value(value: &mut Value, steps: &[Selector], number: f64) -> Option<()> {
    match steps {
        [] if value.is_str() => {
            let text = set_time(value.as_str()?, gtrig_core::tunable::ALL_WITHIN.name, number)?;
            replace_text(value, &text);
            Some(())
        }
        [] => {
            replace(value, number);
            Some(())
        }
        [Selector::At(at), rest @ ..] => match value {
            Value::Array(array) if rest.is_empty() && *at == array.len() => {
                array.push_formatted(plain(number).decorated(" ", ""));
                Some(())
            }
            // The one text of a list may have several steps of a combo.
            Value::Array(array) if array.len() == 1 && array.get(0).is_some_and(Value::is_str) => {
                set_value(array.get_mut(0)?, steps, number)
            }
            Value::Array(array) => set_value(array.get_mut(*at)?, rest, number),
            // Several steps of a combo may stand in one text.
            single if single.is_str() && !rest.is_empty() => {
                let text = single.as_str()?;
                let mut parts: Vec<String> = text.split(',').map(str::to_owned).collect();
                let [Selector::Key(word)] = rest else { return None };
                let part = parts.get_mut(*at)?;
                *part = set_time(part, word, number)?;
                replace_text(single, &parts.join(","));
                Some(())
            }
            // A single number stands for both of a pair.
            single if rest.is_empty() && (single.is_float() || single.is_integer()) => {
                let mut half = single.clone();
                half.decor_mut().clear();
                let mut pair = Array::from_iter([half.clone(), half]);
                replace(pair.get_mut(*at)?, number);
                let decor = single.decor().clone();
                *single = Value::Array(pair);
                *single.decor_mut() = decor;
                Some(())
            }
            // A single value is its own list.
            single if *at == 0 => set_value(single, rest, number),
            _ => None,
        },
        // A number within the text of a step of a combo.
        [Selector::Key(word)] if value.is_str() => {
            let text = set_time(value.as_str()?, word, number)?;
            replace_text(value, &text);
            Some(())
        }
        [Selector::Key(key), rest @ ..] => {
            let table = value.as_inline_table_mut()?;
            if !table.contains_key(key) {
                match rest {
                    [] => add(table, key, plain(number)),
                    [Selector::At(0)] => add(table, key, Array::from_iter([plain(number)]).into()),
                    _ => return None,
                }
                return Some(());
            }
            set_value(table.get_mut(key)?, rest, number)
        }
    }
}

/// Sets the time after a word in a text, in the unit that stands there, or adds both; of
/// a time that stands alone its number. Numbers are in ms or ticks.
fn set_time(text: &str, word: &str, number: f64) -> Option<String> {
    let mut words = text.split_whitespace();
    let found = match words.find(|other| *other == word) {
        Some(_) => words.next(),
        None if word == gtrig_core::tunable::ALL_WITHIN.name => {
            words = text.split_whitespace();
            words.next()
        }
        None => return Some(format!("{} {word} {number} ms", text.trim_end())),
    };
    let found = found?;
    let at = found.as_ptr() as usize - text.as_ptr() as usize;
    let number = if words.next() == Some("s") { number / 1000.0 } else { number };
    Some(format!("{}{number}{}", &text[..at], &text[at + found.len()..]))
}

/// Another text in the place of one, with the space around it.
fn replace_text(value: &mut Value, text: &str) {
    let decor = value.decor().clone();
    *value = Value::from(text);
    *value.decor_mut() = decor;
}

/// Adds a key at the end, with the space that stood before the brace after it.
fn add(table: &mut InlineTable, key: &str, mut value: Value) {
    let last = table.iter_mut().last();
    let end = last.and_then(|(_, last)| {
        let end = last.decor().suffix()?.as_str()?.to_owned();
        last.decor_mut().set_suffix("");
        Some(end)
    });
    value.decor_mut().set_prefix(" ");
    value.decor_mut().set_suffix(end.unwrap_or_default());
    table.insert(key, value);
}

fn replace(value: &mut Value, number: f64) {
    let decor = value.decor().clone();
    *value = plain(number);
    *value.decor_mut() = decor;
}

/// A whole number without a point, any other as short as it can be.
fn plain(number: f64) -> Value {
    match number.fract() == 0.0 && number.abs() < 1e15 {
        true => Value::Integer(Formatted::new(number as i64)),
        false => Value::Float(Formatted::new(number)),
    }
}

#[cfg(test)]
mod generated;

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_core::{TimeSpan, Travel};
    use rstest::rstest;

    const RIG: &str = "# A rig.\nrig = 1\n\n[shape.worn]  # the left one\nstages = [\n  { invert = \"y\" },\n  { dead-zone = 0.12 },   # measured\n  { half-life-ms = 20 },\n]\n\n[[edge]]\nof = \"pad\"\ndebounce-ms = 3\n\n[action.slew]\ngives = \"plane\"\nfrom = { stick = \"pad/stick-l\", shape = \"worn\" }\n\n[action.grip]\ngives = \"on\"\nfrom = [{ control = \"pad/trigger-r\" }, \"keys/KeyG\"]\n";

    #[rstest]
    #[case::a_stage("shape.worn.stages[1].dead-zone", 0.15, "{ dead-zone = 0.15 },   # measured")]
    #[case::one_more_key(
        "shape.worn.stages[1].outer",
        0.9,
        "{ dead-zone = 0.12, outer = 0.9 },   # measured"
    )]
    #[case::an_edge("edge[0].debounce-ms", 4.5, "debounce-ms = 4.5\n")]
    #[case::a_button(
        "action.grip.from[0].press-at",
        0.6,
        "{ control = \"pad/trigger-r\", press-at = 0.6, release-at = 0.5 }"
    )]
    #[case::a_new_section("sampling.poll-hz", 120.0, "[sampling]\npoll-hz = 120\n")]
    fn one_number_changes_and_nothing_else(
        #[case] place: &str,
        #[case] value: f64,
        #[case] found: &str,
    ) {
        let rig = parse("t", RIG).unwrap();
        let knob = rig.knobs().into_iter().find(|knob| knob.place.to_string() == place).unwrap();
        let wanted = rig.with(&knob.place, value);
        let text = update_numbers(RIG, &wanted).unwrap();
        assert!(text.contains(found), "{text}");
        // Every line but one is still there.
        let kept = RIG.lines().filter(|line| text.lines().any(|other| other == *line)).count();
        assert!(kept >= RIG.lines().count() - 1, "{text}");
        assert_eq!(parse("t", &text).unwrap(), wanted);
    }

    const COMBO: &str = "rig = 1\n\n[combo.c]  # twice\nall-within = \"600 ms\"\nsteps = \"tap south, press south within 250 ms\"\n\n[combo.d]\nsteps = [\n  \"press south\",   # first\n  \"hold east for 3 ticks\",\n]\n";

    #[rstest]
    #[case("combo.c.all-within", 700.0, "all-within = \"700 ms\"")]
    #[case("combo.c.steps[1].within", 255.0, "\"tap south, press south within 255 ms\"")]
    #[case("combo.c.steps[0].in", 180.0, "\"tap south in 180 ms, press south within 250 ms\"")]
    #[case("combo.d.steps[1].for", 4.0, "  \"hold east for 4 ticks\",\n")]
    #[case("combo.d.steps[1].within", 90.0, "\"hold east for 3 ticks within 90 ms\"")]
    fn a_time_in_a_combo_changes_and_nothing_else(
        #[case] place: &str,
        #[case] value: f64,
        #[case] found: &str,
    ) {
        let rig = parse("t", COMBO).unwrap();
        let knob = rig.knobs().into_iter().find(|knob| knob.place.to_string() == place).unwrap();
        let wanted = rig.with(&knob.place, value);
        let text = update_numbers(COMBO, &wanted).unwrap();
        assert!(text.contains(found), "{text}");
        assert_eq!(parse("t", &text).unwrap(), wanted);
    }

    #[rstest]
    #[case::of_a_shape("worn", "calibrate-x = [-90, 1, 95]\n")]
    #[case::of_an_input(
        "own",
        "{ stick = \"pad/stick-l\", dead-zone = 0.1, calibrate-x = [-90, 1, 95] }"
    )]
    fn a_calibration_is_added(#[case] which: &str, #[case] found: &str) {
        let text = match which {
            "worn" => RIG.to_owned(),
            _ => RIG.replace("shape = \"worn\"", "dead-zone = 0.1"),
        };
        let rig = parse("t", &text).unwrap();
        let wanted = rig.calibrated(
            gtrig_core::ActionId(0),
            0,
            [Some(Travel { min: -90, centre: 1, max: 95 }), None],
        );
        let written = update_numbers(&text, &wanted).unwrap();
        assert!(written.contains(found), "{written}");
        assert_eq!(parse("t", &written).unwrap(), wanted);
    }

    #[test]
    fn a_combo_follows_the_one_that_it_does() {
        let text = "rig = 1\n[combo.all]\nsteps = \"do double 2 times within 400 ms\"\n\
                    [combo.double]\nsteps = \"press south, press south within 250 ms\"\n";
        let rig = parse("t", text).unwrap();
        let place = |knob: &Knob| knob.place.to_string();
        let knobs = rig.knobs();
        let double = knobs.iter().find(|of| place(of) == "combo.double.steps[1].within").unwrap();
        let wanted = rig.with(&double.place, 200.0);
        let within = wanted.combos[0].steps.iter().skip(1).map(|step| step.within);
        assert!(within.eq([200, 400, 200].map(TimeSpan::millis)));
        assert_eq!(parse("t", &update_numbers(text, &wanted).unwrap()).unwrap(), wanted);
    }

    #[test]
    fn a_place_that_is_gone_is_said() {
        let rig = parse("t", RIG).unwrap();
        let knob = rig.knobs().into_iter().nth(2).unwrap();
        let error = set_numbers("rig = 1\nshape = 3\n", &[&knob], &[]).unwrap_err();
        assert_eq!(error.to_string(), "the file has no shape.worn.stages[1].dead-zone any more");
    }
}
