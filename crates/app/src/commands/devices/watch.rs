//! Which devices come and go.

use crate::{
    commands::shared::{Form, Printing, complain},
    maps::Maps,
    out,
    screen::Clock,
};
use gtrig_analysis::{Capacity, Session};
use gtrig_core::{DeviceId, Keyword, Nanos, PollRate, Rig, Tick};
use gtrig_formats::json_line;
use gtrig_sources::{Kernel, Source, Wanted};
use signal_hook::{
    consts::{SIGINT, SIGTERM},
    iterator::Signals,
};
use std::{
    collections::BTreeSet,
    io::{self, Write},
    path::Path,
    thread,
    time::Duration,
};

/// Says until Ctrl+C.
pub(super) fn watch(folder: &Path, maps: &Maps, print: Printing) -> anyhow::Result<()> {
    let mut signals = Signals::new([SIGINT, SIGTERM])?;
    let mut session =
        Session::new(Rig::bare("devices", PollRate::DEFAULT), Tick(0), Capacity::DEFAULT);
    let clock = Clock::starting_at(Nanos(0));
    let mut kernel = Kernel::start(folder, Wanted::All, maps.all(), clock.now())?;
    let mut there = None;
    while signals.pending().next().is_none() {
        let now = clock.now();
        kernel.drain(&mut session, now);
        kernel.troubles().iter().for_each(|trouble| complain(trouble));
        session.run_before(now);
        let roster = session.roster();
        let are: BTreeSet<DeviceId> = roster
            .devices()
            .filter(|(_, device)| device.is_connected())
            .map(|(id, _)| id)
            .collect();
        // Those of the list are no news.
        let were = there.replace(are.clone()).unwrap_or_else(|| are.clone());
        let came = are.difference(&were).map(|id| ("came", *id));
        let gone = were.difference(&are).map(|id| ("gone", *id));
        for (line, id) in came.chain(gone) {
            say(print, &session, (line, id))?;
        }
        thread::sleep(Duration::from_millis(50));
    }
    Ok(())
}

fn say(print: Printing, session: &Session, (line, id): (&'static str, DeviceId)) -> io::Result<()> {
    let device = session.roster().device(id);
    let (address, info) = (device.address().to_string(), &device.info);
    let mut out = out::stdout();
    match print.text() {
        Form::Text => writeln!(out, "{line} {address}  {}", info.name)?,
        Form::Csv => writeln!(out, "{line},{address},{}", info.kind.word())?,
        Form::Json => {
            let (kind, name) = (info.kind.word(), info.name.as_str());
            let identity = info.identity.as_str();
            let news = serde_json::json!({
                "line": line, "device": address, "kind": kind, "name": name, "identity": identity,
            });
            json_line(&news, &mut out)?;
        }
    }
    out.flush()
}
