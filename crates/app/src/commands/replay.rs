//! `gtrig replay`.

use super::{
    shared::{Form, Printing, RigArgs, Status, complain},
    takes::TakeArgs,
};
use crate::out;
use clap::Args;
use gtrig_formats::ticks::{self, TickChoice, TickForm, TickWriter};

/// Run a take through a rig and print edges and actions, tick by tick.
///
/// The same take and rig always print the same bytes, and they are what
/// the full screen shows. Without `--csv` they are JSON: an object a tick, then one
/// of totals.
#[derive(Args, Debug)]
pub struct Replay {
    #[command(flatten)]
    takes: TakeArgs,
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
        self.takes.for_each_coming(&self.rig.read()?, form, |output, mut coming| {
            let form = match form {
                Form::Csv => TickForm::Csv(output.rows()),
                _ => TickForm::JsonLines,
            };
            let mut lines = TickWriter::new(coming.session(), form, choice, out::stdout())?;
            while coming.take_in() {
                lines.catch_up(coming.session())?;
                lines.flush()?;
            }
            let opened = coming.finish();
            lines.catch_up(&opened.session)?;
            let totals = lines.finish(&opened.session)?;
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
            Ok((Status::no_if(too_many_lost), opened.loaded))
        })
    }
}
