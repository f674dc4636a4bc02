//! What the screen shows: a session, and what feeds it and writes it down.

use super::rates::Rates;
use crate::{
    broadcast::Broadcast,
    files::{Begun, Opened, Reading},
    recorder::Recorder,
    reels::ReelPart,
    settling::Settling,
};
use anyhow::Context;
use gtrig_analysis::{Session, stream::StreamWatch};
use gtrig_core::{AddressMap, CleanText, DeviceMap, Nanos, Tick};
use gtrig_sources::{AddressHeard, Invitation, SenderState, Source, Terminal};

/// A live session or a take. Opening another take puts another document in its
/// place.
pub(crate) struct Document {
    pub(crate) session: Session,
    /// What feeds the session while it is live; a take has no sources.
    sources: Vec<Box<dyn Source>>,
    settling: Settling,
    /// The keys of the terminal, which feed it while they are captured.
    pub(super) terminal: Option<Terminal>,
    pub(crate) is_take: bool,
    /// What reads the rest of a take that is shown meanwhile.
    reading: Option<Reading>,
    /// The reel that the take is a part of.
    pub(crate) reel: Option<ReelPart>,
    pub(crate) title: Option<String>,
    /// The name of the rig that a take was recorded by.
    recorded_by: Option<CleanText>,
    /// How well the reports of the devices come.
    pub(crate) streams: StreamWatch,
    pub(crate) rates: Rates,
    /// The take that is written as it happens.
    recorder: Option<Recorder>,
    /// Who reads what comes of it.
    broadcast: Option<Broadcast>,
    /// Whether there is something that no file holds.
    pub(super) is_unsaved: bool,
}

impl Document {
    /// What no source feeds and no file holds.
    pub(super) fn new(session: Session) -> Self {
        Document {
            session,
            sources: Vec::new(),
            settling: Settling::default(),
            terminal: None,
            is_take: false,
            reading: None,
            reel: None,
            title: None,
            recorded_by: None,
            streams: StreamWatch::default(),
            rates: Rates::default(),
            recorder: None,
            broadcast: None,
            is_unsaved: false,
        }
    }

    /// A session that `sources` and the terminal feed.
    pub(super) fn live(
        session: Session,
        sources: Vec<Box<dyn Source>>,
        terminal: Option<Terminal>,
    ) -> Self {
        Document { sources, terminal, ..Document::new(session) }
    }

    /// A take that was read.
    pub(super) fn take(opened: Opened) -> Self {
        Document {
            is_take: true,
            title: opened.title,
            recorded_by: opened.recorded_by,
            streams: opened.streams,
            ..Document::new(opened.session)
        }
    }

    /// A take of which the beginning was read.
    pub(super) fn begun(begun: Begun) -> Self {
        Document {
            is_take: true,
            title: begun.title,
            recorded_by: begun.recorded_by,
            reading: Some(begun.reading),
            reel: begun.reel,
            ..Document::new(begun.session)
        }
    }

    /// The name of the rig that the take was recorded by, if another one runs it.
    pub(crate) fn other_rig(&self) -> Option<&CleanText> {
        self.recorded_by.as_ref().filter(|name| **name != self.session.rig().name)
    }

    /// What share of the take has been read, while there is some left to read.
    pub(crate) fn share_read(&self) -> Option<f64> {
        self.reading.as_ref().map(|reading| reading.share(&self.session))
    }

    /// Whether there will be more of it.
    pub(crate) fn is_growing(&self) -> bool {
        !self.is_take || self.reading.is_some()
    }

    /// Reads on a little. At the end returns what the person has to be told of it.
    fn read_on(&mut self) -> Vec<String> {
        let is_over = self.reading.as_mut().is_some_and(|rest| !rest.read_on(&mut self.session));
        let over = self.reading.take_if(|_| is_over);
        let complaints = over.map(|reading| reading.finish(&mut self.session).complaints());
        self.streams.catch_up(&self.session);
        complaints.unwrap_or_default()
    }

    /// The last tick that has run.
    pub(crate) fn last(&self) -> Tick {
        self.session.now().at()
    }

    /// When the next tick may run; none of a take does.
    pub(super) fn next_settles(&self) -> Option<Nanos> {
        let next = self.session.plan().rate().time_of(self.last().next());
        (!self.is_take).then(|| self.settling.settles(next, &self.sources))
    }

    /// Drains the sources and runs the ticks whose events have had time to
    /// arrive; a take has them all. Returns what the person has to be told.
    pub(super) fn advance(&mut self, now: Nanos) -> Vec<String> {
        if self.is_take {
            return self.read_on();
        }
        let mut news = Vec::new();
        for source in &mut self.sources {
            source.drain(&mut self.session, now);
            news.extend(source.troubles());
        }
        if let Some(terminal) = &mut self.terminal {
            terminal.drain(&mut self.session, now);
        }
        self.session.run_before(self.settling.until(now, &self.sources));
        self.streams.catch_up(&self.session);
        if let Some(recorder) = &mut self.recorder {
            recorder.catch_up(&self.session, now);
            news.extend(recorder.news());
        }
        if let Some(broadcast) = &mut self.broadcast {
            broadcast.catch_up(&self.session);
        }
        news
    }

    /// Has what comes of it published.
    pub(super) fn publish(&mut self, broadcast: Broadcast) {
        self.broadcast = Some(broadcast);
    }

    /// How many programs read what comes of it, where any may.
    pub(crate) fn readers(&self) -> Option<usize> {
        self.broadcast.as_ref().map(Broadcast::readers)
    }

    /// The programs that send.
    pub(crate) fn senders(&self) -> Vec<SenderState> {
        self.sources.iter().flat_map(|source| source.senders()).collect()
    }

    /// How a browser gets to the page, where one is served.
    pub(crate) fn invitation(&self) -> Option<&Invitation> {
        self.sources.iter().flat_map(|source| source.invitations()).next()
    }

    /// A map was made: from `now` on the sources see devices through it.
    pub(super) fn use_map(&mut self, map: &DeviceMap, now: Nanos) {
        self.sources.iter_mut().for_each(|source| source.use_map(&mut self.session, map, now));
    }

    /// The addresses under which messages came; `None` where none are heard.
    pub(crate) fn addresses_heard(&self) -> Option<Vec<AddressHeard>> {
        self.sources.iter().find_map(|source| source.addresses_heard())
    }

    /// A person named addresses: they are controls from now on.
    pub(super) fn use_addresses(&mut self, map: &AddressMap) {
        self.sources.iter_mut().for_each(|source| source.use_addresses(map));
    }

    /// Has everything written to a take as it happens.
    pub(super) fn record(&mut self, recorder: Recorder) {
        self.recorder = Some(recorder);
        self.is_unsaved = false;
    }

    /// Something came that only a recording would keep.
    pub(super) fn note_unsaved(&mut self) {
        self.is_unsaved = self.recorder.is_none();
    }

    /// Goes on with a session that has seen the same by another rig.
    pub(super) fn go_on_with(&mut self, session: Session) {
        self.streams.catch_up(&self.session);
        if let Some(recorder) = &mut self.recorder {
            recorder.go_on_with(&self.session, &session);
        }
        if let Some(broadcast) = &mut self.broadcast {
            broadcast.go_on_with(&self.session, &session);
        }
        self.streams.go_on_from(&session);
        self.session = session;
        let rig = self.session.rig();
        self.sources.iter_mut().for_each(|source| source.use_rig(rig));
    }

    /// The take that is being written, if there is one.
    pub(crate) fn recording(&self) -> Option<&Recorder> {
        self.recorder.as_ref()
    }

    /// Ends the recording and writes its take to the end. Returns where it is,
    /// or `None` when nothing was recorded.
    ///
    /// # Errors
    /// When the take could not be written to its end.
    pub(super) fn stop_recording(&mut self) -> anyhow::Result<Option<String>> {
        let Some(mut recorder) = self.recorder.take() else { return Ok(None) };
        let result = recorder.finish(&self.session);
        let path = recorder.path().display().to_string();
        result.with_context(|| format!("{path} could not be written to its end"))?;
        Ok(Some(path))
    }
}
