//! Programs that send: where they come to.

use crate::maps::Maps;
use anyhow::Context;
use clap::Args;
use gtrig_core::Nanos;
use gtrig_live::{Hub, Options, Place};
use gtrig_sources::Source;

/// Where programs that send are heard.
#[derive(Args, Clone, Debug, Default)]
pub struct ListenArgs {
    /// Hear programs that send lines there (docs/live-format.md): - is standard input, a
    /// path that of a named pipe, unix:PATH a Unix socket, tcp:PORT a port of this machine
    /// alone, tcp:ADDRESS:PORT one that others reach, which needs a secret in GTRIG_TOKEN.
    /// May be given several times.
    #[arg(long, value_name = "PLACE")]
    pub listen: Vec<Place>,
}

impl ListenArgs {
    /// Whether standard input is one of the places.
    pub fn takes_stdin(&self) -> bool {
        self.listen.contains(&Place::Stdin)
    }

    /// Begins to listen, if anywhere.
    ///
    /// # Errors
    /// Those of [`hub`].
    pub fn start(&self, maps: &Maps, now: Nanos) -> anyhow::Result<Option<Box<dyn Source>>> {
        if self.listen.is_empty() {
            return Ok(None);
        }
        Ok(Some(Box::new(hub(&self.listen, maps, now)?)))
    }
}

/// Begins to listen at some places.
///
/// # Errors
/// When nobody can come to one of them, with what to do.
pub fn hub(places: &[Place], maps: &Maps, now: Nanos) -> anyhow::Result<Hub> {
    Ok(Hub::open(places, Options { token: token()?, maps: maps.all() }, now)?)
}

/// What programs of other machines have to say.
///
/// # Errors
/// When it is no text.
pub fn token() -> anyhow::Result<Option<String>> {
    match std::env::var("GTRIG_TOKEN") {
        Ok(token) => Ok(Some(token)),
        Err(std::env::VarError::NotPresent) => Ok(None),
        Err(error) => Err(error).context("GTRIG_TOKEN"),
    }
}
