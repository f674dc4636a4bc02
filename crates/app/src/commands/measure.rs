//! `gtrig measure`.

use super::{
    shared::{Printing, RigArgs, Status, complain, missing},
    takes::{Output, TakeArgs},
};
use crate::figure;
use clap::Args;
use gtrig_analysis::{
    Session,
    measure::{self, Samples},
};
use gtrig_formats::measure::MeasureReport;
use std::path::{Path, PathBuf};

/// Measure the sticks of a take: noise, centre, reach, snap-back, levels; and
/// propose calibration and dead zone.
#[derive(Args, Debug)]
pub struct Measure {
    #[command(flatten)]
    takes: TakeArgs,
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
        if self.stick.is_none() && self.takes.takes.len() > 1 {
            self.stick = self.stick_after_takes();
        }
        anyhow::ensure!(
            self.chart.is_none() || self.stick.is_some(),
            "--chart draws one stick: name it with --stick"
        );
        self.takes.for_each(&self.rig.read()?, self.print.text(), |output, opened| {
            let count = self.measure(output, &opened.session)?;
            if count == 0 {
                let take = output.path.display();
                complain(&format!("{take}: it has no stick, lever or trigger to measure"));
            }
            Ok(Status::no_if(count == 0))
        })
    }

    /// The last argument, if it is no file and reads like a stick.
    fn stick_after_takes(&mut self) -> Option<String> {
        let is_stick = |path: &PathBuf| {
            let text = path.to_string_lossy();
            !path.exists() && text.split_once('/').is_some_and(|(_, code)| !code.contains('/'))
        };
        let last = self.takes.takes.pop_if(|path| is_stick(path))?;
        Some(last.to_string_lossy().into_owned())
    }

    /// Measures what is wanted. Returns how many that were.
    fn measure(&self, output: &mut Output, session: &Session) -> anyhow::Result<usize> {
        let of = self.stick.as_deref();
        let roster = session.roster();
        let all: Vec<_> = roster.axes().map(|axes| (roster.axes_address(axes), axes)).collect();
        let wanted: Vec<_> = all.iter().filter(|(n, _)| of.is_none_or(|of| of == n)).collect();
        if let Some(of) = of.filter(|_| wanted.is_empty()) {
            let names = all.iter().map(|(name, _)| name.as_str());
            return Err(missing("the take has no stick, lever or trigger", of, names));
        }
        for &&(ref name, axes) in &wanted {
            let samples = Samples::of(roster, axes, session.recording().events());
            let found = measure::measure(&samples);
            let proposal = measure::propose(&samples, &found);
            let report = MeasureReport::new(name.clone(), &found, &proposal);
            if let Some(chart) = &self.chart {
                figure::save(&figure::measurement(&samples, &found, &report), Path::new(chart))?;
            }
            output.report(&report)?;
        }
        Ok(wanted.len())
    }
}
