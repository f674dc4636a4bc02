//! `gtrig combos`.

use super::{
    shared::{Printing, RigArgs, Status},
    takes::TakeArgs,
};
use crate::loops::{self, AuditBy};
use clap::Args;
use gtrig_analysis::{
    audit::{Hitches, Loop},
    loops::LoopRun,
};
use gtrig_formats::combos::{ComboLines, ComboReports};

/// Say what came of every attempt at a combo of a take, with all margins, as soon as
/// nothing of it can change; and what comes out differently in loops of other rates.
#[derive(Args, Debug)]
pub struct Combos {
    #[command(flatten)]
    takes: TakeArgs,
    #[command(flatten)]
    rig: RigArgs,
    /// Only what nearly fired, the nearest first.
    #[arg(long)]
    near: bool,
    /// Compare loops of these poll rates; without a value the usual ones.
    #[arg(long, value_name = "HZ,…", value_delimiter = ',', num_args = 0.., require_equals = true)]
    #[arg(default_missing_value = "30,60,120,240")]
    rates: Vec<f64>,
    /// Compare loops with stalls: one that lasts LASTS milliseconds begins every
    /// EVERY milliseconds.
    #[arg(long, value_name = "EVERY:LASTS", value_parser = loops::hitches, requires = "rates")]
    hitch: Option<Hitches>,
    #[command(flatten)]
    print: Printing,
    /// Exit with 1 when something nearly fired, or comes out differently.
    #[arg(long)]
    strict: bool,
}

impl Combos {
    /// Runs it.
    ///
    /// # Errors
    /// When a take cannot be read, the rig has no combos, or standard output cannot
    /// be written.
    pub fn run(self) -> anyhow::Result<Status> {
        let rig = self.rig.read()?;
        anyhow::ensure!(
            !rig.combos.is_empty(),
            "the rig has no [combo.…]: docs/rig-format.md says how to add one"
        );
        let rates = self.rates.into_iter().map(loops::rate).collect::<Result<_, _>>()?;
        let loops = AuditBy { rates, hitches: self.hitch, ..AuditBy::default() }.loops();
        let which = if self.near { ComboLines::Near } else { ComboLines::All };
        self.takes.for_each_coming(&rig, self.print.text(), |output, mut coming| {
            let mut reports = ComboReports::new(&rig, which);
            while coming.take_in() {
                if let Some(report) = reports.so_far(coming.session()) {
                    output.report(&report)?;
                }
            }
            let opened = coming.finish();
            let session = &opened.session;
            let mut report = reports.rest(session, &opened.streams);
            if !loops.is_empty() {
                let recording = session.recording();
                let run = |of: &Loop| LoopRun::run(&recording, session.rig(), *of);
                let runs: Vec<LoopRun> = loops.iter().map(run).collect();
                let differences = gtrig_analysis::loops::differences(session.rig(), &runs);
                report.add_pace(session.rig(), &runs, &differences);
            }
            output.report(&report)?;
            Ok((Status::no_if(self.strict && !report.is_clear()), opened.loaded))
        })
    }
}
