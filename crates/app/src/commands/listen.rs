//! Programs that send: where they come to.

use super::shared::complain;
use crate::{maps::Maps, qr};
use anyhow::Context;
use clap::Args;
use gtrig_core::{Nanos, Rig};
use gtrig_live::{Hub, Options, Place, ReaderDoor};
use gtrig_sources::{Invitation, Source};
use std::{
    io::{self, IsTerminal, Write},
    net::IpAddr,
};

/// Where programs that send are heard.
#[derive(Args, Clone, Debug, Default)]
pub struct ListenArgs {
    /// Hear programs that send lines there (docs/live-format.md): - is standard input, a
    /// path that of a named pipe, unix:PATH a Unix socket, tcp:PORT a port of this machine
    /// alone, tcp:ADDRESS:PORT one that others reach, which needs a secret in GTRIG_TOKEN.
    /// osc:PORT and osc:ADDRESS:PORT hear Open Sound Control and TUIO over UDP (docs/osc.md).
    /// May be given several times.
    #[arg(long, value_name = "PLACE")]
    listen: Vec<Place>,
    /// Hear Open Sound Control of this other machine without a token. May be given several
    /// times.
    #[arg(long, value_name = "ADDRESS", requires = "listen")]
    osc_from: Vec<IpAddr>,
    /// Serve a page to browsers: opened on a phone or another machine, its fingers, pen,
    /// mouse and keys become devices, and the page shows the rig's zones and what fires. Its
    /// address has a key in it that lets one browser in; then the address for the next one is
    /// shown. A port, 4711 without one, or ADDRESS:PORT.
    #[arg(long, value_name = "PORT", num_args = 0..=1, default_missing_value = PAGE_PORT,
        value_parser = |text: &str| Place::page(text, false))]
    page: Option<Place>,
    /// The same over TLS, with a certificate made at the start: browsers warn of it, and give
    /// the pads that are plugged into them.
    #[arg(long, value_name = "PORT", num_args = 0..=1, default_missing_value = PAGE_PORT,
        value_parser = |text: &str| Place::page(text, true), conflicts_with = "page")]
    page_tls: Option<Place>,
}

/// Where a page is when nothing else is said.
const PAGE_PORT: &str = "4711";

impl ListenArgs {
    /// Whether standard input is one of the places.
    pub fn takes_stdin(&self) -> bool {
        self.listen.contains(&Place::Stdin)
    }

    /// Where programs and browsers come to.
    pub fn places(&self) -> Vec<Place> {
        [&self.listen[..], self.page.as_slice(), self.page_tls.as_slice()].concat()
    }

    /// Whether one of the places is a page.
    pub fn has_page(&self) -> bool {
        self.places().iter().any(|place| matches!(place, Place::Page { .. }))
    }

    /// Begins to listen, if anywhere. Pages hand those who read over to `readers`.
    ///
    /// # Errors
    /// Those of [`hub`].
    pub fn start(
        &self,
        maps: &Maps,
        rig: &Rig,
        readers: Option<ReaderDoor>,
        now: Nanos,
    ) -> anyhow::Result<Option<Box<dyn Source>>> {
        let places = self.places();
        if places.is_empty() {
            return Ok(None);
        }
        let options = Options {
            token: token()?,
            maps: maps.all(),
            readers,
            of_rig: rig.osc.heard.clone(),
            named: maps.addresses.clone(),
            osc_from: self.osc_from.clone(),
        };
        Ok(Some(Box::new(Hub::open(&places, options, now)?)))
    }
}

/// Begins to listen at some places.
///
/// # Errors
/// When nobody can come to one of them, with what to do.
pub fn hub(places: &[Place], maps: &Maps, now: Nanos) -> anyhow::Result<Hub> {
    let options = Options { token: token()?, maps: maps.all(), ..Options::default() };
    Ok(Hub::open(places, options, now)?)
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

/// How browsers get to the pages that are served, as it was said last.
#[derive(Default)]
pub struct Invited(Vec<Invitation>);

impl Invited {
    /// Says it where it is not known yet, for an address lets one browser in; with a code for
    /// a camera where a person sees it.
    pub fn tell(&mut self, sources: &[Box<dyn Source>]) {
        let invitations = sources.iter().flat_map(|source| source.invitations());
        for (n, invitation) in invitations.enumerate() {
            match self.0.get_mut(n) {
                None => {
                    say("the page is at", invitation);
                    self.0.push(invitation.clone());
                }
                Some(known) if known != invitation => {
                    say("a browser came in; for the next one the page is at", invitation);
                    known.clone_from(invitation);
                }
                Some(_) => {}
            }
        }
    }
}

fn say(words: &str, invitation: &Invitation) {
    let Some(address) = invitation.addresses.first() else { return };
    if io::stderr().is_terminal() {
        for row in qr::rows(address).unwrap_or_default() {
            // Bright on black, whatever the terminal has.
            let _ = writeln!(io::stderr(), "\x1b[97;40m{row}\x1b[0m");
        }
    }
    complain(&format!("{words} {}", invitation.addresses.join(" and ")));
    if let Some(fingerprint) = &invitation.fingerprint {
        complain(&format!("the SHA-256 of its certificate is {fingerprint}"));
    }
}
