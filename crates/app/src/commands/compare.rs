//! `gtrig compare`.

use super::{
    shared::{Printing, RigArgs, Status},
    takes::TakeArgs,
};
use crate::files;
use anyhow::Context;
use clap::Args;
use gtrig_analysis::compare::{self, ActionRecord};
use gtrig_core::Rig;
use gtrig_formats::compare::CompareReport;
use std::path::PathBuf;

/// Run a take by two rigs and print what comes out differently.
#[derive(Args, Debug)]
pub struct Compare {
    #[command(flatten)]
    takes: TakeArgs,
    #[command(flatten)]
    rig: RigArgs,
    /// The rig after; --rig is the one before. Both may also stand after the take.
    #[arg(long, value_name = "FILE")]
    with: Option<PathBuf>,
    #[command(flatten)]
    print: Printing,
    /// Exit with 1 when anything comes out differently.
    #[arg(long)]
    strict: bool,
}

impl Compare {
    /// Runs it.
    ///
    /// # Errors
    /// When a take cannot be opened, the rigs have other actions, or standard
    /// output cannot be written.
    pub fn run(mut self) -> anyhow::Result<Status> {
        // The older way to write it: TAKE BEFORE AFTER.
        if self.with.is_none() && self.takes.takes.len() == 3 && self.rig.rig.is_none() {
            self.with = self.takes.takes.pop();
            self.rig.rig = self.takes.takes.pop();
        }
        let with = self.with.as_deref().context("name the other rig: --with FILE")?;
        let (before, after) = (self.rig.read()?, files::rig(Some(with), self.rig.hz)?);
        let names = |rig: &Rig| rig.actions.iter().map(|a| a.name.clone()).collect::<Vec<_>>();
        anyhow::ensure!(
            names(&before) == names(&after),
            "the rigs have other actions, or have them in another order: name the same ones in both"
        );
        self.takes.for_each(&before, self.print.text(), |output, opened| {
            let session = &opened.session;
            let retuned = session.retuned(after.clone());
            let found = compare::compare(&ActionRecord::of(session), &ActionRecord::of(&retuned));
            output.report(&CompareReport::new(session.rig(), &found))?;
            Ok(Status::no_if(self.strict && !found.is_empty()))
        })
    }
}
