//! `gtrig shape`.

use super::shared::{Form, Status, complain, missing};
use crate::{
    figure::{self, StickSheet},
    files, out,
};
use clap::Args;
use gtrig_core::{Chain, ControlKind, NamedShape, Rig};
use gtrig_formats::shape::{self, Passage, PassageError};
use std::{
    io::{self, Write},
    path::PathBuf,
};

/// Send raw values through a shape and print what comes of them after each
/// stage; or print the shape as a table.
///
/// Values are read from standard input, one or two whole numbers a line.
#[derive(Args, Debug)]
pub struct Shape {
    /// One of the [shape.*] tables of the rig. The rig may also stand before it.
    #[arg(required = true, num_args = 1..=2, value_name = "SHAPE")]
    shape: Vec<String>,
    /// The rig (TOML; see docs/rig-format.md). Without it, the shipped one.
    #[arg(long, value_name = "FILE")]
    rig: Option<PathBuf>,
    /// What the axes report: at one end, at rest and at the other end. Of a
    /// trigger the first two are the same.
    #[arg(long, value_name = "MIN,CENTRE,MAX", default_value = "-32768,0,32767")]
    #[arg(value_delimiter = ',', num_args = 1, allow_hyphen_values = true)]
    range: Vec<i32>,
    /// Values a second, for stages that remember; without it, the rig's
    /// poll rate.
    #[arg(long, value_name = "HZ")]
    hz: Option<f64>,
    /// Print the response at so many shares of the travel, and read nothing: to pushes from rest,
    /// after all smoothing.
    #[arg(long, value_name = "POINTS", value_parser = clap::value_parser!(u32).range(2..=1_000_000))]
    table: Option<u32>,
    /// Print the table as JSON.
    #[arg(long, requires = "table")]
    json: bool,
    /// Print the table as CSV. This is how it prints without being asked.
    #[arg(long, requires = "table", conflicts_with = "json")]
    csv: bool,
    #[arg(long, value_enum, hide = true, requires = "table")]
    form: Option<Form>,
    /// Draw its zones, its curve and its speed by direction instead, and read
    /// nothing: a file that ends in .svg or .pdf.
    #[arg(long, value_name = "FILE", conflicts_with = "table")]
    chart: Option<PathBuf>,
}

impl Shape {
    /// Runs it.
    ///
    /// # Errors
    /// When the rig has no such shape, the range has no length, a line is not a value, or
    /// an output cannot be written.
    pub fn run(mut self) -> anyhow::Result<Status> {
        let name = self.shape.pop().unwrap_or_default();
        let path = self.shape.pop().map(PathBuf::from).or(self.rig.take());
        let rig = files::rig(path.as_deref(), self.hz)?;
        let Some(named) = rig.shapes.iter().find(|shape| shape.name == name) else {
            let names = rig.shapes.iter().map(|shape| shape.name.as_str());
            return Err(missing("the rig has no shape", &name, names));
        };
        let kind = self.kind()?;
        match (self.table, &self.chart) {
            (Some(points), _) => self.table(named, points as usize)?,
            (None, Some(path)) => {
                let chain = Chain::from(named.shape.stages.as_slice());
                let title = format!("The shape {name} of {}", rig.name);
                figure::save(&figure::stick(&StickSheet::of_shape(title, chain)), path)?;
            }
            (None, None) => return stages(&rig, named, kind),
        }
        Ok(Status::Fine)
    }

    /// What the axes report.
    fn kind(&self) -> anyhow::Result<ControlKind> {
        let &[min, centre, max] = self.range.as_slice() else {
            anyhow::bail!("--range takes three whole numbers, such as -32768,0,32767");
        };
        anyhow::ensure!(
            min <= centre && centre < max,
            "--range {min},{centre},{max} does not rise: give one end, rest and the other end"
        );
        Ok(match min == centre {
            true => ControlKind::Trigger { min, max },
            false => ControlKind::Axis { min, centre, max },
        })
    }

    fn table(&self, named: &NamedShape, points: usize) -> io::Result<()> {
        let mut out = out::stdout();
        let points = shape::table(&named.shape.stages, points);
        match self.json || self.form == Some(Form::Json) {
            true => shape::write_json(&points, &mut out)?,
            false => shape::write_csv(&points, &mut out)?,
        }
        out.flush()
    }
}

/// Sends standard input through the stages.
fn stages(rig: &Rig, named: &NamedShape, kind: ControlKind) -> anyhow::Result<Status> {
    let mut out = out::stdout();
    let period = rig.rate.period_seconds();
    let passage = Passage { shape: &named.shape, kinds: [kind; 2], period };
    let status = match passage.stream(io::stdin().lock(), &mut out) {
        Ok(()) => Status::Fine,
        Err(PassageError::Io(error)) => return Err(error.into()),
        Err(PassageError::Line(why)) => {
            out.flush()?;
            complain(&why);
            Status::No
        }
    };
    out.flush()?;
    Ok(status)
}
