//! `gtrig health`.

use super::{
    shared::{Printing, RigArgs, Status},
    takes::TakeArgs,
};
use clap::Args;
use gtrig_formats::health::HealthReport;

/// Say how well the reports of each device of a take came: intervals, and
/// what is missing, late, out of order or twice.
#[derive(Args, Debug)]
pub struct Health {
    #[command(flatten)]
    takes: TakeArgs,
    #[command(flatten)]
    rig: RigArgs,
    #[command(flatten)]
    print: Printing,
    /// Exit with 1 when anything is wrong with a stream.
    #[arg(long)]
    strict: bool,
}

impl Health {
    /// Runs it.
    ///
    /// # Errors
    /// When a take cannot be opened, or standard output not written.
    pub fn run(self) -> anyhow::Result<Status> {
        self.takes.for_each(&self.rig.read()?, self.print.text(), |output, opened| {
            let report = HealthReport::new(opened.session.roster(), &opened.streams);
            output.report(&report)?;
            Ok(Status::no_if(self.strict && !report.is_well()))
        })
    }
}
