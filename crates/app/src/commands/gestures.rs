//! `gtrig gestures`.

use super::{
    shared::{Printing, RigArgs, Status},
    takes::TakeArgs,
};
use clap::Args;
use gtrig_formats::gestures::GestureReport;

/// Say what came of every attempt at a gesture of a take, with all margins, as soon as
/// each is over; and, where labels read `meant: NAME`, what was understood.
#[derive(Args, Debug)]
pub struct Gestures {
    #[command(flatten)]
    takes: TakeArgs,
    #[command(flatten)]
    rig: RigArgs,
    #[command(flatten)]
    print: Printing,
    /// Exit with 1 when a label was missed or something fired that nobody
    /// meant.
    #[arg(long)]
    strict: bool,
}

impl Gestures {
    /// Runs it.
    ///
    /// # Errors
    /// When a take cannot be opened, the rig has no gestures, or standard output
    /// cannot be written.
    pub fn run(self) -> anyhow::Result<Status> {
        let rig = self.rig.read()?;
        anyhow::ensure!(
            !rig.gestures.is_empty(),
            "the rig has no [gesture.…]: docs/rig-format.md says how to add one"
        );
        self.takes.for_each_coming(&rig, self.print.text(), |output, mut coming| {
            let mut told = 0;
            while coming.take_in() {
                let report = GestureReport::so_far(coming.session(), told);
                if report.count() > 0 {
                    told += report.count();
                    output.report(&report)?;
                }
            }
            let opened = coming.finish();
            let report = GestureReport::rest(&opened.session, told);
            output.report(&report)?;
            Ok((Status::no_if(self.strict && !report.is_understood()), opened.loaded))
        })
    }
}
