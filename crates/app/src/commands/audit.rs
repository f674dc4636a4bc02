//! `gtrig audit`.

use super::{
    shared::{Printing, RigArgs, SlowBar, Status},
    takes::TakeArgs,
};
use crate::{
    figure,
    files::Opened,
    loops::{self, AuditBy},
};
use clap::Args;
use gtrig_analysis::{
    audit::{self, Hitches, shortest_state},
    phase::phase_losses,
};
use gtrig_core::Event;
use gtrig_formats::audit::AuditReport;
use std::path::PathBuf;

/// Poll a take by loops of other kinds, and say what each would have lost,
/// seen late, or read twice.
#[derive(Args, Debug)]
pub struct Audit {
    #[command(flatten)]
    takes: TakeArgs,
    #[command(flatten)]
    rig: RigArgs,
    /// The poll rates to try.
    #[arg(
        long,
        value_name = "HZ,…",
        value_delimiter = ',',
        default_value = loops::USUAL_RATES
    )]
    rates: Vec<f64>,
    /// How far polls stray, in percent of the period to either side: 0 to 50.
    #[arg(long, value_name = "PERCENT", default_value_t = 0)]
    #[arg(value_parser = clap::value_parser!(u8).range(0..=50))]
    jitter: u8,
    /// Stalls: one that lasts LASTS milliseconds begins every EVERY milliseconds.
    #[arg(long, value_name = "EVERY:LASTS", value_parser = loops::hitches)]
    hitch: Option<Hitches>,
    /// Take the loops for frames that feed a fixed step of this rate.
    #[arg(long, value_name = "HZ")]
    step: Option<f64>,
    #[command(flatten)]
    print: Printing,
    /// Exit with 1 when a loop loses a press, in this phase or in another.
    #[arg(long)]
    deny_lost: bool,
    /// Draw a chart too: a file that ends in .svg or .pdf.
    #[arg(long, value_name = "FILE")]
    chart: Option<PathBuf>,
}

impl Audit {
    /// Runs it.
    ///
    /// # Errors
    /// When a take cannot be opened, a text is not a rate, or an output cannot be written.
    pub fn run(self) -> anyhow::Result<Status> {
        let rig = self.rig.read()?;
        let by = AuditBy {
            rates: self.rates.into_iter().map(loops::rate).collect::<Result<_, _>>()?,
            jitter: self.jitter,
            hitches: self.hitch,
            step: self.step.map(loops::rate).transpose()?,
        };
        self.takes.for_each(&rig, self.print.text(), |output, opened| {
            let Opened { session, title, .. } = opened;
            let events: Vec<Event> = session.recording().events().collect();
            let (plan, loops) = (session.plan(), by.loops());
            let mut bar = SlowBar::new(loops.len());
            let audits: Vec<_> = loops
                .iter()
                .zip(0u32..)
                .map(|(of, done)| {
                    let tell = |share| bar.show(f64::from(done) + share);
                    audit::audit_with(plan, &events, *of, tell)
                })
                .collect();
            bar.finish();
            if let Some(chart) = &self.chart {
                let title = title.as_deref().unwrap_or("What other poll rates would have seen");
                figure::save(&figure::audit(title, &audits), chart)?;
            }
            let shortest = shortest_state(plan, &events);
            let losses = audits.into_iter().map(|audit| {
                let losses = phase_losses(plan, &events, audit.of.rate);
                (audit, losses)
            });
            let losses: Vec<_> = losses.collect();
            let report = AuditReport::new(session.roster(), &losses, shortest);
            output.report(&report)?;
            Ok(Status::no_if(self.deny_lost && !report.is_lossless()))
        })
    }
}
