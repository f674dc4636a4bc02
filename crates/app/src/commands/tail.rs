//! `gtrig tail`.

use super::{
    listen::Invited,
    shared::{RigArgs, SourceArgs, Status, complain},
    takes::{FollowArgs, judged},
};
use crate::{out, screen::Clock, settling::Settling};
use clap::Args;
use gtrig_analysis::{Capacity, Session};
use gtrig_core::{Nanos, Rig, Tick};
use gtrig_formats::log::{LogForm, LogWriter};
use signal_hook::{
    consts::{SIGHUP, SIGINT, SIGTERM},
    iterator::Signals,
};
use std::{path::PathBuf, thread, time::Duration};

/// Print what happens, a line each, as it happens: reports, edges, gestures, combos and
/// actions, of this machine's devices and programs that send, or of a take.
#[derive(Args, Debug)]
pub struct Tail {
    /// A recording instead (- is standard input, pipe:PATH, unix:PATH and tcp:PORT are
    /// programs that send).
    take: Option<PathBuf>,
    #[command(flatten)]
    follow: FollowArgs,
    #[command(flatten)]
    rig: RigArgs,
    #[command(flatten)]
    sources: SourceArgs,
    /// Only lines that have all these words: of a kind (report, edge, gesture, combo,
    /// action), a name, a value or a mark.
    #[arg(long, value_name = "WORDS", default_value = "")]
    only: String,
    /// Print JSON, an object a line.
    #[arg(long)]
    json: bool,
}

/// So much history is enough to print what has just happened.
const LITTLE: Capacity = Capacity { events: 100_000, changes: 100_000 };

/// What came is printed this often.
const STEP: Duration = Duration::from_millis(5);

impl Tail {
    /// Runs it.
    ///
    /// # Errors
    /// When the take cannot be opened, nothing can be listened to, or standard output not
    /// written.
    pub fn run(self) -> anyhow::Result<Status> {
        let rig = self.rig.read()?;
        let Some(take) = &self.take else {
            return self.live(rig);
        };
        let mut coming = self.follow.open(take, rig)?;
        let mut lines = self.lines(coming.session());
        while coming.take_in() {
            lines.catch_up(coming.session())?;
        }
        let opened = coming.finish();
        lines.catch_up(&opened.session)?;
        Ok(judged(take, &opened.loaded, Status::Fine))
    }

    fn lines(&self, session: &Session) -> LogWriter<out::Output> {
        let form = if self.json { LogForm::Json } else { LogForm::Text };
        LogWriter::new(session, form, &self.only, out::stdout())
    }

    fn live(&self, rig: Rig) -> anyhow::Result<Status> {
        let clock = Clock::starting_at(Nanos(0));
        let mut sources = self.sources.start_for_work(&rig, None, clock.now())?;
        let (mut invited, mut settling) = (Invited::default(), Settling::default());
        invited.tell(&sources);
        let mut session = Session::new(rig, Tick(0), LITTLE);
        let mut lines = self.lines(&session);
        let mut signals = Signals::new([SIGINT, SIGTERM, SIGHUP])?;
        while signals.pending().next().is_none() {
            let now = clock.now();
            for source in &mut sources {
                source.drain(&mut session, now);
                source.troubles().iter().for_each(|trouble| complain(trouble));
            }
            invited.tell(&sources);
            session.run_before(settling.until(now, &sources));
            lines.catch_up(&session)?;
            thread::sleep(STEP);
        }
        Ok(Status::Fine)
    }
}
