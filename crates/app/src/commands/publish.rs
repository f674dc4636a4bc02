//! Programs that read what comes of a session.

use super::listen::token;
use crate::broadcast::Broadcast;
use clap::Args;
use gtrig_analysis::Session;
use gtrig_live::Place;

/// Where what comes of a session is published.
#[derive(Args, Clone, Debug, Default)]
pub struct PublishArgs {
    /// Publish edges, actions and verdicts there as they happen, as lines for any number of
    /// programs (docs/live-format.md): unix:PATH or tcp:PORT, tcp:ADDRESS:PORT for other
    /// machines, with a secret in GTRIG_TOKEN. osc:PORT and osc:ADDRESS:PORT send actions,
    /// gestures and combos there by Open Sound Control, tuio:PORT and tuio:ADDRESS:PORT the
    /// fingers on touch panels by TUIO (docs/osc.md). May be given several times.
    #[arg(long, value_name = "PLACE")]
    publish: Vec<Place>,
}

impl PublishArgs {
    /// Lets readers in, if anywhere.
    ///
    /// # Errors
    /// When nobody can come to one of the places, with what to do.
    pub fn start(&self, session: &Session) -> anyhow::Result<Option<Broadcast>> {
        self.start_with(session, false)
    }

    /// The same; with a page there are readers in any case.
    ///
    /// # Errors
    /// Those of [`PublishArgs::start`].
    pub fn start_with(
        &self,
        session: &Session,
        has_page: bool,
    ) -> anyhow::Result<Option<Broadcast>> {
        if self.publish.is_empty() && !has_page {
            return Ok(None);
        }
        Broadcast::open(&self.publish, token()?, session).map(Some)
    }
}
