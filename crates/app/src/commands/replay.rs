//! `gtrig replay`.

use super::shared::{self, OldForm, RigArgs, Status, complain, for_each_take};
use clap::Args;
use gtrig_formats::report::{self, Form};
use std::{
    io::{self, BufWriter, Write},
    path::PathBuf,
};

/// Run a take through a rig and print edges and actions, tick by tick.
///
/// The same take and rig always print the same bytes, and they are what
/// the full screen shows.
#[derive(Args, Debug)]
pub struct Replay {
    /// The recordings (JSON Lines; see docs/take-format.md).
    #[arg(required = true, value_name = "TAKE")]
    takes: Vec<PathBuf>,
    #[command(flatten)]
    rig: RigArgs,
    /// Print JSON Lines: an object a tick, then one of totals. This is how it
    /// prints without being asked.
    #[arg(long, conflicts_with = "csv")]
    json: bool,
    /// Print CSV: a row for each edge and each changed action.
    #[arg(long)]
    csv: bool,
    #[arg(long, value_enum, hide = true)]
    form: Option<OldForm>,
    /// Print every tick with all actions, not only those where something
    /// happened.
    #[arg(long)]
    every_tick: bool,
    /// Exit with 1 when any press was lost between two polls.
    #[arg(long)]
    deny_lost: bool,
}

impl Replay {
    /// Runs it.
    ///
    /// # Errors
    /// When a take cannot be opened, or standard output not written.
    pub fn run(self) -> anyhow::Result<Status> {
        let (form, named_as) = match self.csv || self.form == Some(OldForm::Csv) {
            true => (Form::Csv, shared::Form::Csv),
            false => (Form::JsonLines, shared::Form::Json),
        };
        for_each_take(&self.takes, &self.rig.read()?, named_as, |path, opened| {
            let mut out = BufWriter::with_capacity(1 << 16, io::stdout().lock());
            let totals = report::write(&opened.session, form, self.every_tick, &mut out)?;
            out.flush()?;
            let too_many_lost = self.deny_lost && totals.lost > 0;
            if too_many_lost {
                let lost = totals.lost;
                complain(&format!("{}: {lost} press(es) lost between polls", path.display()));
            }
            Ok(Status::no_if(too_many_lost))
        })
    }
}
