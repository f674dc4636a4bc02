//! A table as comma-separated values (RFC 4180).

use super::{Cell, TableSpec};
use crate::report::begins_a_formula;
use std::{
    borrow::Cow,
    io::{self, Write},
};

/// Text that a spreadsheet does not take for a formula: what begins like one has an apostrophe
/// before it, and so has what begins like that.
fn escaped(text: &str) -> Cow<'_, str> {
    let is_one = begins_a_formula(text.trim_start_matches('\''));
    match is_one && text.parse::<f64>().is_err() {
        true => Cow::Owned(format!("'{text}")),
        false => Cow::Borrowed(text),
    }
}

/// The text that was [escaped].
pub(super) fn unescaped(text: &str) -> &str {
    let rest = text.strip_prefix('\'');
    rest.filter(|rest| begins_a_formula(rest.trim_start_matches('\''))).unwrap_or(text)
}

/// A file with rows.
pub(super) struct Sheet<W: Write> {
    out: csv::Writer<W>,
    text: String,
}

impl<W: Write> Sheet<W> {
    pub(super) fn new(spec: &TableSpec, out: W) -> io::Result<Self> {
        let mut out = csv::Writer::from_writer(out);
        out.write_record(spec.columns.iter().map(|(name, _)| name))?;
        Ok(Sheet { out, text: String::new() })
    }

    pub(super) fn row(&mut self, cells: &[Cell]) -> io::Result<()> {
        use std::fmt::Write;
        for cell in cells {
            self.text.clear();
            // Writing to a text cannot fail.
            let _ = match *cell {
                Cell::Empty => Ok(()),
                Cell::Whole(n) => write!(self.text, "{n}"),
                Cell::Single(n) => write!(self.text, "{n}"),
                Cell::Number(n) => write!(self.text, "{n}"),
                Cell::Flag(is_so) => write!(self.text, "{is_so}"),
                Cell::Text(text) => {
                    self.out.write_field(&*escaped(text))?;
                    continue;
                }
            };
            self.out.write_field(&self.text)?;
        }
        Ok(self.out.write_record(None::<&[u8]>)?)
    }

    pub(super) fn finish(mut self) -> io::Result<()> {
        self.out.flush()
    }
}
