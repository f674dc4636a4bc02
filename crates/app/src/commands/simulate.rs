//! `gtrig simulate`.

use super::shared::{Status, cab_session, story};
use crate::{files, out};
use clap::Args;
use gtrig_analysis::{Capacity, Session};
use gtrig_core::{Nanos, Tick};
use gtrig_formats::take;
use gtrig_sources::{Cab, Story};
use std::io::Write;

/// Write a take of the simulated crane cab to standard output.
#[derive(Args, Debug)]
pub struct Simulate {
    /// A story that ships with the program; without one, the cab at work.
    #[arg(value_parser = story())]
    story: Option<Story>,
    /// What the operator's little variations are drawn from.
    #[arg(long, default_value_t = 1, conflicts_with = "story")]
    seed: u64,
    /// How long the operator works.
    #[arg(long, default_value_t = 12, conflicts_with = "story", value_parser = clap::value_parser!(u64).range(1..=3600))]
    seconds: u64,
    /// Instead, so many strokes on the glass panel, labelled with what was
    /// meant: `gtrig gestures` says how many of them a rig understands.
    #[arg(long, conflicts_with_all = ["story", "seconds"], value_parser = clap::value_parser!(u32).range(1..=i64::from(gtrig_sources::MAX_STROKES)))]
    strokes: Option<u32>,
}

impl Simulate {
    /// Runs it.
    ///
    /// # Errors
    /// When standard output cannot be written.
    pub fn run(self) -> anyhow::Result<Status> {
        let empty =
            |hz| anyhow::Ok(Session::new(files::rig(None, hz)?, Tick(0), Capacity::DEFAULT));
        let (session, title) = match (self.strokes, self.story) {
            (Some(count), _) => {
                let mut session = empty(None)?;
                Cab::strokes(&mut session, self.seed, count);
                (session, Some("Strokes on the glass panel, with what was meant"))
            }
            (None, Some(story)) => {
                let mut session = empty(story.poll_hz())?;
                story.play(&mut session);
                (session, Some(story.title()))
            }
            (None, None) => {
                let time = Nanos(self.seconds * 1_000_000_000);
                (cab_session(files::rig(None, None)?, self.seed, time).0, None)
            }
        };
        let mut out = out::stdout();
        take::write(&session.recording(), title, &mut out)?;
        out.flush()?;
        Ok(Status::Fine)
    }
}
