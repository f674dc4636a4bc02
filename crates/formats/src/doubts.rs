//! Doubts about a rig, each with its place in the file.

use crate::report::{Report, Table, json_line};
use crate::words::{lint_subject, lint_words, plural};
use gtrig_analysis::lint::{Lint, lint};
use gtrig_core::{AddressMap, DeviceMap, DeviceMatch, Rig};
use serde::Serialize;
use std::{
    collections::HashMap,
    io::{self, Write},
};
use toml::de::DeTable;

/// A doubt and where its table begins.
#[derive(Clone, Debug, Serialize)]
pub struct Placed {
    /// What kind of doubt; a word that stays the same.
    pub code: &'static str,
    /// The table that it is about: `combo.roll`.
    pub about: String,
    /// Its line in the file, from 1.
    pub line: usize,
    /// Why it matters and what to do.
    pub words: String,
}

/// What is to be said of a rig, or a map, without mistakes.
#[derive(Clone, Debug)]
pub struct CheckReport {
    /// That it is sound, and what it is.
    summary: String,
    /// Every doubt about it.
    pub doubts: Vec<Placed>,
}

impl CheckReport {
    /// A report about a rig that was read from the text of a file of this name.
    pub fn new(rig: &Rig, file: &str, text: &str) -> Self {
        let lines = lines_of_tables(text);
        let placed = |lint: Lint| {
            let about = lint_subject(rig, &lint);
            let line = lines.get(&about).copied().unwrap_or(1);
            Placed { code: lint.finding.code(), about, line, words: lint_words(rig, &lint) }
        };
        let (name, rate, count) = (&rig.name, rig.rate, rig.actions.len());
        CheckReport {
            summary: format!("{file}: sound. {name}, polled at {rate}, {count} actions."),
            doubts: lint(rig).into_iter().map(placed).collect(),
        }
    }
}

impl CheckReport {
    /// A report about a map of a device.
    pub fn of_map(map: &DeviceMap, file: &str) -> Self {
        let DeviceMatch { vendor, product, .. } = map.device;
        let count = map.controls.len();
        let summary =
            format!("{file}: sound. A map of {vendor:04x}:{product:04x}, {count} controls.");
        CheckReport { summary, doubts: Vec::new() }
    }

    /// A report about a map of addresses.
    pub fn of_addresses(map: &AddressMap, file: &str) -> Self {
        let controls: usize = map.devices.iter().map(|device| device.controls.len()).sum();
        let [devices, controls] =
            [(map.devices.len(), "device"), (controls, "control")].map(|(n, of)| plural(n, of));
        let summary = format!("{file}: sound. A map of addresses: {devices}, {controls}.");
        CheckReport { summary, doubts: Vec::new() }
    }
}

impl Report for CheckReport {
    fn write_text(&self, out: &mut dyn Write) -> io::Result<()> {
        writeln!(out, "{}", self.summary)?;
        self.doubts.iter().try_for_each(|Placed { code, about, line, words }| {
            writeln!(out, "  {code:<16}line {line}, {about}: {words}")
        })
    }

    fn write_json(&self, out: &mut dyn Write) -> io::Result<()> {
        self.doubts.iter().try_for_each(|doubt| json_line(doubt, out))
    }

    /// A row for each doubt.
    fn table(&self) -> Table {
        let cells = |doubt: &Placed| {
            let Placed { code, about, line, words } = doubt;
            vec![(*code).to_owned(), about.clone(), line.to_string(), words.clone()]
        };
        Table {
            columns: &["code", "about", "line", "words"],
            rows: self.doubts.iter().map(cells).collect(),
        }
    }
}

/// The line of each table `kind.name`.
fn lines_of_tables(text: &str) -> HashMap<String, usize> {
    let (document, _) = DeTable::parse_recoverable(text);
    let kinds = document.get_ref().iter();
    let tables = kinds.filter_map(|(kind, value)| Some((kind, value.get_ref().as_table()?)));
    let mut places: Vec<(usize, String)> = tables
        .flat_map(|(kind, table)| {
            let name = |key: &str| format!("{}.{key}", kind.get_ref());
            table.iter().map(move |(key, _)| (key.span().start, name(key.get_ref())))
        })
        .collect();
    places.sort_unstable();
    let (mut line, mut counted) = (1, 0);
    let at_line = |(place, name): (usize, String)| {
        line += text[counted..place].matches('\n').count();
        counted = place;
        (name, line)
    };
    places.into_iter().map(at_line).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rig::parse;

    #[test]
    fn a_doubt_has_the_line_of_its_table() {
        let text = "rig = 1\n\n[combo.a]\nsteps = \"press south\"\n\n[combo.b]\nsteps = \"press south, press east\"\n";
        let doubts = CheckReport::new(&parse("t", text).unwrap(), "t", text).doubts;
        let places: Vec<(&str, usize)> = doubts.iter().map(|d| (d.code, d.line)).collect();
        assert_eq!(places, [("combo-begins", 3)]);
    }
}
