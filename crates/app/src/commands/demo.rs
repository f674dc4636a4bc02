//! `gtrig demo`.

use super::{
    publish::PublishArgs,
    shared::{KeyArgs, RigArgs, Status, cab_session, story},
};
use crate::{
    files,
    screen::{self, Clock, Start},
};
use clap::Args;
use gtrig_core::Nanos;
use gtrig_sources::{Source, Story};

/// Watch a simulated crane cab at work, or one of its stories, full screen.
#[derive(Args, Debug)]
pub struct Demo {
    /// A story that ships with the program; without one, the cab goes on
    /// for ever.
    #[arg(value_parser = story())]
    story: Option<Story>,
    /// Take a short tour through one of the stories: the program says what to press, and
    /// goes on when it was done.
    #[arg(long, conflicts_with_all = ["story", "seed"])]
    tour: bool,
    /// What the operator's little variations are drawn from.
    #[arg(long, default_value_t = 1, conflicts_with = "story")]
    seed: u64,
    #[command(flatten)]
    rig: RigArgs,
    #[command(flatten)]
    keys: KeyArgs,
    #[command(flatten)]
    publish: PublishArgs,
}

impl Demo {
    /// Runs it.
    ///
    /// # Errors
    /// When the rig cannot be read, or the terminal not be used.
    pub fn run(self) -> anyhow::Result<Status> {
        let mut rig = self.rig;
        let told = self.story.or(self.tour.then_some(Story::LostTap));
        if let Some(story) = told {
            rig.hz = rig.hz.or(story.poll_hz());
        }
        let source = rig.source()?;
        let start = match told {
            Some(story) if self.tour => {
                Start::Tour(Box::new(files::shipped_take(story, rig.read()?)?))
            }
            Some(story) => Start::Take(Box::new(files::shipped_take(story, rig.read()?)?)),
            None => {
                let (session, cab) = cab_session(rig.read()?, self.seed, ALREADY_WORKED);
                let sources = vec![Box::new(cab) as Box<dyn Source>];
                let session = Box::new(session);
                let clock = Clock::starting_at(ALREADY_WORKED);
                let broadcast = self.publish.start(&session)?;
                Start::Live { session, clock, sources, record: None, broadcast }
            }
        };
        screen::run(start, source, self.keys.after())?;
        Ok(Status::Fine)
    }
}

/// The demo opens with this much behind it, so that there is something to see.
const ALREADY_WORKED: Nanos = Nanos::from_millis(29_600);
