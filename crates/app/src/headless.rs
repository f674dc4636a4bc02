//! The commands that only print.

use crate::{
    cli::{Verdict, complain},
    files::{self, Opened},
};
use gtrig_core::{Capacity, Nanos, Rig, Session, Tick};
use gtrig_formats::{
    report::{self, Form},
    take,
};
use gtrig_sources::{Cab, Source, Story};
use std::{
    io::{self, BufWriter, Write},
    path::Path,
};

/// How `replay` prints and judges.
#[derive(Clone, Copy, Debug)]
pub struct ReplayOptions {
    /// JSON Lines or CSV.
    pub form: Form,
    /// Print ticks in which nothing happened too.
    pub every_tick: bool,
    /// Whether a lost press is a failure.
    pub deny_lost: bool,
}

/// A replay keeps everything: what a take holds fits or does not, but is
/// never silently forgotten.
const UNLIMITED: Capacity = Capacity { events: usize::MAX, changes: usize::MAX };

/// `gtrig replay`.
///
/// # Errors
/// When the take cannot be opened, or standard output not written.
pub fn replay(path: &Path, rig: Rig, options: ReplayOptions) -> anyhow::Result<Verdict> {
    let Opened { session, loaded, .. } = files::open_take(path, rig, UNLIMITED)?;
    let mut out = BufWriter::with_capacity(1 << 16, io::stdout().lock());
    let totals = report::write(&session, options.form, options.every_tick, &mut out)?;
    out.flush()?;
    for complaint in loaded.complaints() {
        complain(&format!("{}: {complaint}", path.display()));
    }
    let too_many_lost = options.deny_lost && totals.lost > 0;
    if too_many_lost {
        complain(&format!("{}: {} press(es) lost between polls", path.display(), totals.lost));
    }
    Ok(if too_many_lost || !loaded.is_sound() { Verdict::No } else { Verdict::Fine })
}

/// `gtrig check`.
///
/// # Errors
/// When the rig cannot be read, or has mistakes.
pub fn check(path: &Path) -> anyhow::Result<Verdict> {
    let rig = files::rig(Some(path), None)?;
    println!(
        "{}: sound. {}, polled at {}, {} actions.",
        path.display(),
        rig.name,
        rig.rate,
        rig.actions.len()
    );
    Ok(Verdict::Fine)
}

/// `gtrig simulate`.
///
/// # Errors
/// When standard output cannot be written.
pub fn simulate(story: Option<Story>, seed: u64, seconds: u64) -> anyhow::Result<Verdict> {
    let rig = files::rig(None, story.and_then(Story::poll_hz))?;
    let (session, title) = match story {
        Some(story) => {
            let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
            story.play(&mut session);
            (session, Some(story.title()))
        }
        None => (cab_session(rig, seed, Nanos(seconds * 1_000_000_000)).0, None),
    };
    let mut out = BufWriter::new(io::stdout().lock());
    take::write(&session.recording(), title, &mut out)?;
    out.flush()?;
    Ok(Verdict::Fine)
}

/// A session in which the simulated cab has been at work for a while, and the
/// cab, to go on.
pub fn cab_session(rig: Rig, seed: u64, worked: Nanos) -> (Session, Cab) {
    let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
    let mut cab = Cab::at_work(seed);
    cab.drain(&mut session, worked);
    session.run_before(worked);
    (session, cab)
}
