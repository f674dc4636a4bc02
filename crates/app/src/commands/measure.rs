//! `gtrig measure`.

use super::shared::{Printing, RigArgs, Status, for_each_take};
use crate::figure;
use clap::Args;
use gtrig_analysis::{
    Session,
    measure::{self, Samples},
};
use gtrig_formats::measure::MeasureReport;
use std::{
    io::Write,
    path::{Path, PathBuf},
};

/// Measure the sticks of a take: noise, centre, reach, snap-back, levels; and
/// propose calibration and dead zone.
#[derive(Args, Debug)]
pub struct Measure {
    /// The recordings (JSON Lines; see docs/take-format.md).
    #[arg(required = true, value_name = "TAKE")]
    takes: Vec<PathBuf>,
    /// Only this one, such as pad1/stick-l; without it, all. It may also stand
    /// after the takes.
    #[arg(long, value_name = "NAME")]
    stick: Option<String>,
    #[command(flatten)]
    rig: RigArgs,
    #[command(flatten)]
    print: Printing,
    /// Draw the measurement of the stick that is named: a file that ends in
    /// .svg or .pdf.
    #[arg(long, value_name = "FILE")]
    chart: Option<PathBuf>,
}

impl Measure {
    /// Runs it.
    ///
    /// # Errors
    /// When a take cannot be opened, has no such stick, or an output cannot be
    /// written.
    pub fn run(mut self) -> anyhow::Result<Status> {
        if self.stick.is_none() && self.takes.len() > 1 {
            self.stick = self.stick_after_takes();
        }
        anyhow::ensure!(
            self.chart.is_none() || self.stick.is_some(),
            "--chart draws one stick: name it with --stick"
        );
        for_each_take(&self.takes, &self.rig.read()?, self.print.form(), |_, opened| {
            self.measure(&opened.session)?;
            Ok(Status::Fine)
        })
    }

    /// The last argument, if it is no file and reads like a stick.
    fn stick_after_takes(&mut self) -> Option<String> {
        let is_stick = |path: &PathBuf| {
            let text = path.to_string_lossy();
            !path.exists() && text.split_once('/').is_some_and(|(_, code)| !code.contains('/'))
        };
        let last = self.takes.pop_if(|path| is_stick(path))?;
        Some(last.to_string_lossy().into_owned())
    }

    fn measure(&self, session: &Session) -> anyhow::Result<()> {
        let of = self.stick.as_deref();
        let roster = session.roster();
        let travels: Vec<_> =
            roster.travels().map(|travel| (roster.travel_address(travel), travel)).collect();
        let wanted: Vec<_> = travels.iter().filter(|(n, _)| of.is_none_or(|of| of == n)).collect();
        anyhow::ensure!(
            !wanted.is_empty(),
            "the take has no stick, lever or trigger {}; it has {}",
            of.unwrap_or("at all").escape_debug(),
            travels.iter().map(|(name, _)| name.as_str()).collect::<Vec<_>>().join(", ")
        );
        for &(ref name, (x, y)) in wanted {
            let kinds = [x, y.unwrap_or(x)].map(|id| roster.control(id).kind);
            let samples = Samples::of(session.recording().events(), (x, y), kinds);
            let found = measure::measure(&samples);
            let proposal = measure::propose(&found, kinds);
            let report = MeasureReport::new(name.clone(), &found, &proposal);
            if let Some(chart) = &self.chart {
                figure::save(&figure::measurement(&samples, &found, &report), Path::new(chart))?;
            }
            self.print.lines(|is_json, out| match is_json {
                true => gtrig_formats::Report::write_json(&report, out),
                false => writeln!(out, "{report}"),
            })?;
        }
        Ok(())
    }
}
