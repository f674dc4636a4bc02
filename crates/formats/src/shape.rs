//! Raw values through a shape, stage by stage; and the shape as a table.

use crate::report::json;
use gtrig_core::{Chain, ControlKind, Shape, Stage, StageMemory, length};
use serde::Serialize;
use std::io::{self, BufRead, Write};

/// How values go through a shape.
#[derive(Clone, Debug)]
pub struct Passage<'a> {
    /// The shape.
    pub shape: &'a Shape,
    /// What the axes report.
    pub kinds: [ControlKind; 2],
    /// Seconds between two values.
    pub period: f32,
}

/// Why values could not be shaped.
#[derive(Debug)]
pub enum PassageError {
    /// A line is no value.
    Line(String),
    /// Reading or writing failed.
    Io(io::Error),
}

impl From<io::Error> for PassageError {
    fn from(error: io::Error) -> Self {
        PassageError::Io(error)
    }
}

impl From<csv::Error> for PassageError {
    fn from(error: csv::Error) -> Self {
        PassageError::Io(error.into())
    }
}

impl Passage<'_> {
    /// Reads raw values, one or two whole numbers a line, and writes a CSV row
    /// for each: the raw values, then x and y on their own scale and after each
    /// stage.
    ///
    /// # Errors
    /// At the first line that is no value, by its number; those of reading and
    /// writing.
    pub fn stream(&self, input: impl BufRead, out: impl Write) -> Result<(), PassageError> {
        let mut writer = csv::Writer::from_writer(out);
        let chain = Chain::from(self.shape.stages.as_slice());
        let stages = chain.stages();
        let names = stages.iter().zip(1..).map(|(stage, n)| format!("{n}-{}", stage.name()));
        let names = ["own-scale".to_owned()].into_iter().chain(names);
        let columns = names.flat_map(|name| ["x", "y"].map(|axis| format!("{name}-{axis}")));
        writer.write_record(["x", "y"].map(str::to_owned).into_iter().chain(columns))?;
        let mut memories = vec![StageMemory::default(); chain.memory_count()];
        for (line, number) in input.lines().zip(1..) {
            let line = line?;
            if line.trim().is_empty() {
                continue;
            }
            let raw = values(&line).ok_or_else(|| {
                PassageError::Line(format!(
                    "line {number}: {:?} is not one or two whole numbers",
                    line.chars().take(40).collect::<String>()
                ))
            })?;
            let own = self.shape.own_scale(self.kinds, raw);
            let mut row = vec![raw[0].to_string(), raw[1].to_string()];
            row.extend(own.map(|v| v.to_string()));
            chain.run_each(own, self.period, &mut memories, |_, v| {
                row.extend(v.map(|v| v.to_string()));
            });
            writer.write_record(&row)?;
        }
        writer.flush()?;
        Ok(())
    }
}

fn values(line: &str) -> Option<[i32; 2]> {
    let separators = |c: char| c == ',' || c.is_whitespace();
    let mut parts = line.split(separators).filter(|part| !part.is_empty());
    let x = parts.next()?.parse().ok()?;
    let y = parts.next().map_or(Some(0), |part| part.parse().ok())?;
    parts.next().is_none().then_some([x, y])
}

/// A point of a table.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Point {
    /// Share of the travel, to the right.
    pub travel: f32,
    /// Length of the output.
    pub output: f32,
}

/// The response to pushes from rest, after all smoothing, at `count` shares of the
/// travel from 0 to 1, both included; at least two.
pub fn table(stages: &[Stage], count: usize) -> Vec<Point> {
    let chain = Chain::from(stages);
    let last = (count.max(2) - 1) as f32;
    (0..count.max(2))
        .map(|n| n as f32 / last)
        .map(|travel| {
            let output = length(chain.from_rest([travel, 0.0]));
            Point { travel, output }
        })
        .collect()
}

/// Writes a table as CSV.
///
/// # Errors
/// Those of `out`.
pub fn write_csv(points: &[Point], out: impl Write) -> io::Result<()> {
    let mut writer = csv::Writer::from_writer(out);
    points.iter().try_for_each(|point| writer.serialize(point))?;
    writer.flush()
}

/// Writes a table as a JSON array and a line feed.
///
/// # Errors
/// Those of `out`.
pub fn write_json(points: &[Point], out: &mut impl Write) -> io::Result<()> {
    json(points, &mut *out)?;
    out.write_all(b"\n")
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_core::{DeadZone, Smooth};
    use rstest::rstest;

    fn shape() -> Shape {
        let stages = vec![
            Stage::DeadZone(DeadZone::radius(0.2)),
            Stage::Smooth(Smooth::HalfLife(1.0 / 60.0)),
        ];
        Shape { travel: [None; 2], stages }
    }

    fn passed(input: &str) -> Result<String, PassageError> {
        let axis = ControlKind::Axis { min: -100, centre: 0, max: 100 };
        let shape = shape();
        let mut out = Vec::new();
        let passage = Passage { shape: &shape, kinds: [axis; 2], period: 1.0 / 60.0 };
        passage.stream(input.as_bytes(), &mut out)?;
        Ok(String::from_utf8(out).unwrap())
    }

    #[test]
    fn every_stage_is_written() {
        let text = passed("60\n60, 0\n\n").unwrap();
        let rows: Vec<&str> = text.lines().collect();
        assert_eq!(
            rows[0],
            "x,y,own-scale-x,own-scale-y,1-dead-zone-x,1-dead-zone-y,2-smooth-x,2-smooth-y"
        );
        let number = |row: &str, at: usize| row.split(',').nth(at).unwrap().parse::<f32>().unwrap();
        // A half-life of one tick: half of it, then three quarters.
        for (row, expected) in rows[1..].iter().zip([0.25, 0.375]) {
            assert!((number(row, 4) - 0.5).abs() < 1e-6, "{row}");
            assert!((number(row, 6) - expected).abs() < 1e-5, "{row}");
        }
        assert_eq!(rows.len(), 3);
    }

    #[rstest]
    #[case::nan("1\nnan", "line 2: \"nan\" is not one or two whole numbers")]
    #[case::three("1 2 3", "line 1: \"1 2 3\" is not one or two whole numbers")]
    #[case::escape("\u{1b}[2J", "line 1: \"\\u{1b}[2J\" is not one or two whole numbers")]
    fn a_line_that_is_no_value_is_said(#[case] input: &str, #[case] said: &str) {
        let Err(PassageError::Line(why)) = passed(input) else { panic!("{input:?} passed") };
        assert_eq!(why, said);
    }

    #[test]
    fn a_table_has_both_ends() {
        let points = table(&shape().stages, 3);
        let outputs: Vec<f32> = points.iter().map(|point| point.output).collect();
        assert_eq!(outputs, [0.0, 0.375, 1.0]);
        let mut csv = Vec::new();
        write_csv(&points, &mut csv).unwrap();
        assert_eq!(String::from_utf8(csv).unwrap(), "travel,output\n0.0,0.0\n0.5,0.375\n1.0,1.0\n");
    }
}
