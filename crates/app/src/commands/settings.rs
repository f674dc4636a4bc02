//! `gtrig settings`.

use super::shared::Status;
use crate::{screen, settings};
use clap::Args;
use gtrig_core::harmless;
use gtrig_formats::settings::print;
use std::io::{self, Write};

/// Print the settings in force, and all that can be set: colours, keys, frames a second.
///
/// What is printed is such a file itself: change what you want in it, and put it where the
/// first line says. What it leaves out stays as it is.
#[derive(Args, Debug)]
pub struct Settings {}

impl Settings {
    /// Runs it.
    ///
    /// # Errors
    /// When the settings that are there have mistakes or cannot be read.
    pub fn run(self) -> anyhow::Result<Status> {
        let set = settings::read(&screen::bound())?;
        let path = settings::path().unwrap_or_else(|| "gtrig/settings.toml".into());
        let place = harmless(&path.to_string_lossy()).replace('\n', "\u{fffd}");
        let text = print(&place, &set, &screen::keys_in_force(&set));
        io::stdout().lock().write_all(text.as_bytes())?;
        Ok(Status::Fine)
    }
}
