//! `gtrig agree`.

use super::{
    shared::{Printing, RigArgs, SlowBar, Status},
    takes::TakeArgs,
};
use clap::Args;
use gtrig_analysis::agree::{self, Held};
use gtrig_core::Event;
use gtrig_formats::agree::AgreeReport;

/// Say whether a game read what its rules say it should: its frames, held against the
/// rig, and why they differ. Exits with 1 when they do, or when no game says anything.
#[derive(Args, Debug)]
pub struct Agree {
    #[command(flatten)]
    takes: TakeArgs,
    #[command(flatten)]
    rig: RigArgs,
    #[command(flatten)]
    print: Printing,
}

impl Agree {
    /// Runs it.
    ///
    /// # Errors
    /// When a take cannot be opened, or standard output not written.
    pub fn run(self) -> anyhow::Result<Status> {
        self.takes.for_each(&self.rig.read()?, self.print.text(), |output, opened| {
            let session = &opened.session;
            let (recording, frames) = (session.recording(), session.frames());
            let events: Vec<Event> = recording.events().collect();
            let (rig, roster) = (session.rig(), session.roster());
            let held = Held::of(rig, &recording, &events);
            let games = agree::games(frames);
            let mut bar = SlowBar::new(games.len());
            let found: Vec<_> = games
                .iter()
                .zip(0u32..)
                .map(|(game, done)| {
                    agree::agree(held, *game, |share| bar.show(f64::from(done) + share))
                })
                .collect();
            bar.finish();
            let report = AgreeReport::new(rig, roster, frames, &found);
            output.report(&report)?;
            Ok(Status::no_if(!report.agrees()))
        })
    }
}
