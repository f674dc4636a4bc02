//! `gtrig replay`.

use super::shared::{Form, Printing, RigArgs, Status, complain, for_each_take};
use clap::Args;
use gtrig_formats::ticks::{self, TickChoice, TickForm};
use std::path::PathBuf;

/// Run a take through a rig and print edges and actions, tick by tick.
///
/// The same take and rig always print the same bytes, and they are what
/// the full screen shows. Without `--csv` they are JSON: an object a tick, then one
/// of totals.
#[derive(Args, Debug)]
pub struct Replay {
    /// The recordings (JSON Lines; see docs/take-format.md).
    #[arg(required = true, value_name = "TAKE")]
    takes: Vec<PathBuf>,
    #[command(flatten)]
    rig: RigArgs,
    #[command(flatten)]
    print: Printing,
    /// Print every tick with all actions, not only those where something
    /// happened; of a pause the first 10 s.
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
        // There is no text for people of every tick.
        let form = match self.print.form() {
            Some(Form::Csv) => Form::Csv,
            _ => Form::Json,
        };
        let choice = if self.every_tick { TickChoice::Every } else { TickChoice::Eventful };
        for_each_take(&self.takes, &self.rig.read()?, form, |output, opened| {
            let totals = output.print(|output, out| {
                let form = match form {
                    Form::Csv => TickForm::Csv(output.rows()),
                    _ => TickForm::JsonLines,
                };
                ticks::write(&opened.session, form, choice, out)
            })?;
            if totals.left_out > 0 {
                let (take, seconds) =
                    (output.path.display(), ticks::LONGEST_PAUSE.0 / 1_000_000_000);
                let n = totals.left_out;
                complain(&format!(
                    "{take}: {n} ticks of pauses are left out: of each the first {seconds} s are printed"
                ));
            }
            let too_many_lost = self.deny_lost && totals.lost > 0;
            if too_many_lost {
                let (take, lost) = (output.path.display(), totals.lost);
                complain(&format!("{take}: {lost} press(es) lost between polls"));
            }
            Ok(Status::no_if(too_many_lost))
        })
    }
}
