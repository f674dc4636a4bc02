//! Doubts about a rig, each with its place in the file.

use crate::words::{lint_subject, lint_words};
use gtrig_analysis::lint::{Lint, lint};
use gtrig_core::Rig;
use serde::Serialize;
use std::io::{self, Write};
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

/// Every doubt about a rig that was read from `text`.
pub fn placed(rig: &Rig, text: &str) -> Vec<Placed> {
    let (document, _) = DeTable::parse_recoverable(text);
    let placed = |lint: Lint| {
        let about = lint_subject(rig, &lint);
        let line = line_of(document.get_ref(), text, &about).unwrap_or(1);
        Placed { code: lint.finding.code(), about, line, words: lint_words(rig, &lint) }
    };
    lint(rig).into_iter().map(placed).collect()
}

/// The line of the table `kind.name`.
fn line_of(document: &DeTable, text: &str, about: &str) -> Option<usize> {
    let (kind, name) = about.split_once('.')?;
    let kind = document.iter().find(|(key, _)| key.get_ref() == kind)?.1;
    let table = kind.get_ref().as_table()?;
    let (key, _) = table.iter().find(|(key, _)| key.get_ref() == name)?;
    Some(text[..key.span().start].matches('\n').count() + 1)
}

/// Writes one object a line.
///
/// # Errors
/// Those of `out`.
pub fn write_json(doubts: &[Placed], out: &mut impl Write) -> io::Result<()> {
    for doubt in doubts {
        serde_json::to_writer(&mut *out, doubt)?;
        out.write_all(b"\n")?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::rig::parse;

    #[test]
    fn a_doubt_has_the_line_of_its_table() {
        let text = "rig = 1\n\n[combo.a]\nsteps = \"press south\"\n\n[combo.b]\nsteps = \"press south, press east\"\n";
        let doubts = placed(&parse("t", text).unwrap(), text);
        let places: Vec<(&str, usize)> = doubts.iter().map(|d| (d.code, d.line)).collect();
        assert_eq!(places, [("combo-begins", 3)]);
    }
}
