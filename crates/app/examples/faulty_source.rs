//! A source that panics after a moment, to see that the terminal comes back
//! in order and the message is there to read. The tests run it.

use gtrig::{
    files,
    screen::{Clock, Start, run},
};
use gtrig_analysis::{Capacity, Session};
use gtrig_core::{Nanos, Tick};
use gtrig_sources::Source;

struct Faulty;

impl Source for Faulty {
    fn drain(&mut self, _: &mut Session, now: Nanos) {
        assert!(now < Nanos::from_millis(300), "the faulty source is faulty");
    }
}

fn main() -> anyhow::Result<()> {
    let session = Box::new(Session::new(files::rig(None, None)?, Tick(0), Capacity::DEFAULT));
    let sources: Vec<Box<dyn Source>> = vec![Box::new(Faulty)];
    let start = Start::Live {
        session,
        clock: Clock::starting_at(Nanos(0)),
        sources,
        record: None,
        broadcast: None,
    };
    run(start, files::RigSource::of(None, None)?, Nanos::from_millis(150))?;
    Ok(())
}
