//! `gtrig hid`.

use super::shared::{MapArgs, RigArgs, Status, complain};
use crate::{files, out};
use anyhow::{Context, bail};
use clap::Args;
use gtrig_analysis::Session;
use gtrig_core::{Nanos, Tick};
use gtrig_formats::{Over, save_atomically, take};
use gtrig_sources::{HexLog, Source};
use std::{fs, io::Write, path::PathBuf};

/// Make a take of a log of HID reports: times and bytes in hexadecimal digits, with the
/// report descriptor of the device (see docs/hid.md).
#[derive(Args, Debug)]
pub struct Hid {
    /// The log.
    log: PathBuf,
    #[command(flatten)]
    rig: RigArgs,
    #[command(flatten)]
    maps: MapArgs,
    /// The take to write; it must not exist yet. Without it, standard output.
    #[arg(long, short, value_name = "FILE")]
    output: Option<PathBuf>,
}

impl Hid {
    /// Runs it.
    ///
    /// # Errors
    /// When the log cannot be read, or the take not be written.
    pub fn run(self) -> anyhow::Result<Status> {
        let shown = self.log.display();
        let bytes = fs::read(&self.log)
            .with_context(|| format!("cannot read the log {shown}; is the path right?"))?;
        let Ok(text) = String::from_utf8(bytes) else {
            bail!("the log {shown} is not text; docs/hid.md says what a log is");
        };
        let mut log = HexLog::parse(&text, &self.maps.read()?.all())
            .with_context(|| format!("{shown} is no log that can be read"))?;
        let mut session = Session::new(self.rig.read()?, Tick(0), files::UNLIMITED);
        let ends = log.ends().unwrap_or(Nanos(0));
        log.drain(&mut session, ends);
        let last = session.plan().rate().tick_seeing(ends);
        session.run_until(last);
        let troubles = log.troubles();
        troubles.iter().for_each(|trouble| complain(&format!("{shown}: {trouble}")));
        let recording = session.recording();
        match &self.output {
            None => {
                let mut out = out::stdout();
                take::write(&recording, None, &mut out)?;
                out.flush()?;
            }
            Some(path) => {
                save_atomically(path, Over::Nothing, |out| take::write(&recording, None, out))
                    .with_context(|| format!("cannot write {}", path.display()))?;
            }
        }
        Ok(Status::no_if(!troubles.is_empty()))
    }
}
