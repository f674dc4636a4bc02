//! What all findings have in common: text for people, JSON and CSV for programs.
//!
//! The same thing has the same name in every report, as a key of JSON and as a
//! column of CSV; `docs/reports.md` lists them, and a test compares.

use serde::Serialize;
use std::io::{self, Write};

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

impl<W: Write> RowWriter<'_, W> {
    pub(crate) fn row<C: AsRef<str>>(&mut self, cells: &[C]) -> io::Result<()> {
        let cells = cells.iter().map(AsRef::as_ref);
        Ok(self.csv.write_record(self.take.into_iter().chain(cells))?)
    }

    pub(crate) fn finish(mut self) -> io::Result<()> {
        self.csv.flush()
    }
}

/// A JSON object and a line feed.
pub(crate) fn json_line(value: &impl Serialize, out: &mut dyn Write) -> io::Result<()> {
    serde_json::to_writer(&mut *out, value)?;
    out.write_all(b"\n")
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
