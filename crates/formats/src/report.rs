//! What all findings have in common: text for people, JSON and CSV for programs.
//!
//! The same thing has the same name in every report, as a key of JSON and as a
//! column of CSV; `docs/reports.md` lists them, and a test compares.

use gtrig_core::showable;
use serde::Serialize;
use std::{
    borrow::Cow,
    fmt,
    io::{self, Write},
};

/// A finding that can be printed.
pub trait Report {
    /// Writes it for people.
    ///
    /// # Errors
    /// Those of `out`.
    fn write_text(&self, out: &mut dyn Write) -> io::Result<()>;

    /// Writes one or more JSON objects, each with a line feed after it.
    ///
    /// # Errors
    /// Those of `out`.
    fn write_json(&self, out: &mut dyn Write) -> io::Result<()>;

    /// What of it fits into rows.
    fn table(&self) -> Table;
}

/// Rows of a report. A row has a cell for each column; what is not known is
/// empty.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Table {
    /// The names of the columns.
    pub columns: &'static [&'static str],
    /// The cells, row by row.
    pub rows: Vec<Vec<String>>,
}

/// How the rows of a take stand among those of other takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Rows<'a> {
    /// What the first column says, which only several takes have.
    pub take: Option<&'a str>,
    /// Whether the names of the columns go before them.
    pub has_titles: bool,
}

impl<'a> Rows<'a> {
    /// The rows of the only take.
    pub const ALONE: Rows<'static> = Rows { take: None, has_titles: true };

    /// Writes a table as CSV.
    ///
    /// # Errors
    /// Those of `out`.
    pub fn write(self, table: &Table, out: &mut dyn Write) -> io::Result<()> {
        let mut writer = self.writer(table.columns, out)?;
        table.rows.iter().try_for_each(|row| writer.row(row))?;
        writer.finish()
    }

    /// A writer of rows one by one, the titles written where there are to be some.
    pub(crate) fn writer<W: Write>(self, columns: &[&str], out: W) -> io::Result<RowWriter<'a, W>> {
        let mut writer = RowWriter { csv: csv::Writer::from_writer(out), take: self.take };
        if self.has_titles {
            let title = self.take.map(|_| "take");
            writer.csv.write_record(title.iter().chain(columns))?;
        }
        Ok(writer)
    }
}

/// Writes rows as CSV.
pub(crate) struct RowWriter<'a, W: Write> {
    csv: csv::Writer<W>,
    take: Option<&'a str>,
}

impl<W: Write> fmt::Debug for RowWriter<'_, W> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("RowWriter").field("take", &self.take).finish_non_exhaustive()
    }
}

impl<W: Write> RowWriter<'_, W> {
    pub(crate) fn row<C: AsRef<str>>(&mut self, cells: &[C]) -> io::Result<()> {
        let cells = self.take.into_iter().chain(cells.iter().map(AsRef::as_ref));
        Ok(self.csv.write_record(cells.map(no_formula).collect::<Vec<_>>().iter().map(|c| &**c))?)
    }

    pub(crate) fn flush(&mut self) -> io::Result<()> {
        self.csv.flush()
    }

    pub(crate) fn finish(mut self) -> io::Result<()> {
        self.flush()
    }
}

/// Writes JSON in which what may not be shown stands as escapes.
///
/// # Errors
/// Those of `out`.
pub(crate) fn json(value: &(impl Serialize + ?Sized), out: impl Write) -> io::Result<()> {
    Ok(value.serialize(&mut serde_json::Serializer::with_formatter(out, Escaping))?)
}

/// Compact JSON whose strings hold nothing that may not be shown.
struct Escaping;

impl serde_json::ser::Formatter for Escaping {
    fn write_string_fragment<W: ?Sized + Write>(
        &mut self,
        out: &mut W,
        fragment: &str,
    ) -> io::Result<()> {
        if fragment.bytes().all(|byte| (b' '..=b'~').contains(&byte)) {
            return out.write_all(fragment.as_bytes());
        }
        for (c, may_be_shown) in showable(fragment) {
            if may_be_shown {
                write!(out, "{c}")?;
                continue;
            }
            for unit in c.encode_utf16(&mut [0; 2]) {
                write!(out, "\\u{unit:04x}")?;
            }
        }
        Ok(())
    }
}

/// A JSON object and a line feed.
///
/// # Errors
/// Those of `out`.
pub fn json_line(value: &impl Serialize, out: &mut dyn Write) -> io::Result<()> {
    json(value, &mut *out)?;
    out.write_all(b"\n")
}

/// Whether a spreadsheet takes a text that begins so for a formula.
pub(crate) fn begins_a_formula(text: &str) -> bool {
    text.starts_with(['=', '+', '-', '@', '\t', '\r'])
}

/// A cell that a spreadsheet does not take for a formula: text that begins like one has an
/// apostrophe before it.
fn no_formula(cell: &str) -> Cow<'_, str> {
    match begins_a_formula(cell) && cell.parse::<f64>().is_err() {
        true => Cow::Owned(format!("'{cell}")),
        false => Cow::Borrowed(cell),
    }
}

/// A cell of what may not be known.
pub(crate) fn cell(value: Option<impl ToString>) -> String {
    value.map_or(String::new(), |value| value.to_string())
}

/// A row for each of some things; one without any of them if there are none.
pub(crate) fn rows_of<T>(
    things: &[T],
    row: impl Fn(Option<&T>) -> Vec<String>,
) -> Vec<Vec<String>> {
    match things {
        [] => vec![row(None)],
        things => things.iter().map(|thing| row(Some(thing))).collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_cell_is_a_formula() {
        let row = ["-1.5", "+2", "=SUM(A1)", "@x", "-12 ms", "\t=1", "plain", ""];
        let mut out = Vec::new();
        let mut rows =
            Rows { take: Some("=take"), has_titles: false }.writer(&[], &mut out).unwrap();
        rows.row(&row).unwrap();
        rows.finish().unwrap();
        let text = String::from_utf8(out).unwrap();
        assert_eq!(text, "'=take,-1.5,+2,'=SUM(A1),'@x,'-12 ms,'\t=1,plain,\n");
    }

    #[test]
    fn json_escapes_what_may_not_be_shown_and_loses_nothing() {
        let text = "a\u{1b}\u{7f}\u{9b}\u{202e}\u{e0041}ü\"";
        let mut out = Vec::new();
        json_line(&text, &mut out).unwrap();
        let written = String::from_utf8(out).unwrap();
        assert_eq!(written, "\"a\\u001b\\u007f\\u009b\\u202e\\udb40\\udc41ü\\\"\"\n");
        assert_eq!(serde_json::from_str::<String>(&written).unwrap(), text);
    }

    #[test]
    fn rows_of_several_takes_say_which() {
        let table =
            Table { columns: &["a", "b"], rows: vec![vec!["1".to_owned(), "x, y".to_owned()]] };
        let written = |rows: Rows| {
            let mut out = Vec::new();
            rows.write(&table, &mut out).unwrap();
            String::from_utf8(out).unwrap()
        };
        assert_eq!(written(Rows::ALONE), "a,b\n1,\"x, y\"\n");
        let first = Rows { take: Some("one"), has_titles: true };
        let second = Rows { take: Some("two"), has_titles: false };
        assert_eq!(written(first) + &written(second), "take,a,b\none,1,\"x, y\"\ntwo,1,\"x, y\"\n");
    }
}
