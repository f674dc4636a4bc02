//! `gtrig live`.

use super::shared::{KernelChoice, KeyArgs, MapArgs, RigArgs, Status, kernel_source};
use crate::{
    maps::Maps,
    screen::{self, Clock, Start},
};
use clap::Args;
use gtrig_analysis::{Capacity, Session};
use gtrig_core::{Nanos, Tick};
use gtrig_sources::Source;
use std::path::PathBuf;

/// Watch this terminal's keyboard and mouse, full screen.
#[derive(Args, Debug)]
pub struct Live {
    #[command(flatten)]
    rig: RigArgs,
    #[command(flatten)]
    keys: KeyArgs,
    /// Which kernel devices to listen to besides (Linux, /dev/input).
    #[arg(long, value_enum, default_value_t = KernelChoice::Pads)]
    kernel: KernelChoice,
    #[command(flatten)]
    maps: MapArgs,
    /// Record to this take as it happens; it must not exist yet.
    #[arg(long, value_name = "FILE")]
    record: Option<PathBuf>,
}

impl Live {
    /// Runs it.
    ///
    /// # Errors
    /// When the rig cannot be read, the devices not be listened to, or the
    /// terminal not be used.
    pub fn run(self) -> anyhow::Result<Status> {
        let session = Box::new(Session::new(self.rig.read()?, Tick(0), Capacity::DEFAULT));
        let clock = Clock::starting_at(Nanos(0));
        let sources = sources(self.kernel, &self.maps.read()?, clock.now())?;
        let start = Start::Live { session, clock, sources, record: self.record };
        screen::run(start, self.rig.source()?, self.keys.after())?;
        Ok(Status::Fine)
    }
}

/// What a bare `gtrig` does.
impl Default for Live {
    fn default() -> Self {
        Live {
            rig: RigArgs::default(),
            keys: KeyArgs::default(),
            kernel: KernelChoice::Pads,
            maps: MapArgs::default(),
            record: None,
        }
    }
}

/// The kernel's devices where there are any. A machine without them can
/// still watch its terminal, so only an express wish makes that an error.
fn sources(kernel: KernelChoice, maps: &Maps, now: Nanos) -> anyhow::Result<Vec<Box<dyn Source>>> {
    match kernel_source(kernel, maps, now) {
        Err(_) if kernel == KernelChoice::Pads => Ok(Vec::new()),
        sources => sources,
    }
}
