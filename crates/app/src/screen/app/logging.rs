//! The log: what happened, line by line, as far as it has been read.

use super::App;
use crate::screen::bench::Bench;
use crossterm::event::{MouseButton, MouseEvent, MouseEventKind};
use gtrig_analysis::{
    Cursor, Session,
    log::{Happening, LogEntry, of_tick},
};
use gtrig_core::Tick;
use gtrig_formats::log::LogFilter;
use std::collections::VecDeque;

/// So many entries are kept, the newest.
pub(crate) const KEPT: usize = 200_000;

/// A history is read by so many reports at a time, so that no frame waits.
const REPORTS: usize = 4_000;

/// So many entries are compared with the words at a time.
const COMPARED: u64 = 20_000;

/// Of the reports that wait for their tick so many are listed, the newest: more than any
/// screen has rows.
const WAITING: usize = 500;

/// What the log bench remembers.
#[derive(Debug, Default)]
pub(crate) struct LogBook {
    /// How far the history has been read; not at all before the bench was shown.
    read: Option<(Cursor, u64)>,
    entries: VecDeque<LogEntry>,
    /// The number of the first entry that is kept.
    first: u64,
    /// What a line must have to be shown.
    words: String,
    filter: LogFilter,
    /// The numbers of those that do, up to entry `compared`.
    shown: VecDeque<u64>,
    compared: u64,
    /// Reports that have the words and that no tick has seen yet. While live they stand
    /// below the lines that are shown, so that nobody waits for a tick to see them.
    waiting: Vec<LogEntry>,
}

impl LogBook {
    /// Reads on, a little.
    fn read_on(&mut self, session: &Session) {
        let seen = session.seen_count();
        let (cursor, read) = self.read.get_or_insert_with(|| (Cursor::at_beginning(session), 0));
        let stop = session.seen_from(*read).nth(REPORTS).map(|event| event.time);
        let last = match stop {
            Some(time) => session.plan().rate().tick_seeing(time).max(cursor.next_tick()),
            None => session.now().at(),
        };
        let entries = &mut self.entries;
        cursor.go_to(session, last, |machine| {
            of_tick(session, machine, |entry| entries.push_back(entry));
        });
        *read = if stop.is_some() { *read + REPORTS as u64 } else { seen };
        let excess = self.entries.len().saturating_sub(KEPT);
        self.entries.drain(..excess);
        self.first += excess as u64;
        let forgotten = self.shown.partition_point(|number| *number < self.first);
        self.shown.drain(..forgotten);
        self.compare(session);
    }

    /// Lists what no tick has seen yet.
    fn list_waiting(&mut self, session: &Session) {
        self.waiting.clear();
        if !self.is_up_to_date(session) {
            return;
        }
        let (rate, mut sieve) = (session.plan().rate(), self.filter.of(session));
        for &event in session.waiting().iter().rev().take(COMPARED as usize) {
            let tick = rate.tick_seeing(event.time);
            let entry = LogEntry { time: event.time, tick, what: Happening::Report(event) };
            if sieve.passes(&entry) {
                self.waiting.push(entry);
            }
            if self.waiting.len() == WAITING {
                break;
            }
        }
        self.waiting.reverse();
    }

    fn compare(&mut self, session: &Session) {
        self.compared = self.compared.max(self.first);
        let last = (self.first + self.entries.len() as u64).min(self.compared + COMPARED);
        let mut sieve = self.filter.of(session);
        for number in self.compared..last {
            let entry = &self.entries[(number - self.first) as usize];
            if sieve.passes(entry) {
                self.shown.push_back(number);
            }
        }
        self.compared = last;
    }

    /// Shows only lines that have these words.
    pub(super) fn filter(&mut self, words: &str) {
        if self.words != words {
            words.clone_into(&mut self.words);
            self.filter = LogFilter::new(words);
            self.shown.clear();
            self.compared = self.first;
        }
    }

    /// What a line must have to be shown.
    pub(crate) fn words(&self) -> &str {
        &self.words
    }

    /// How many lines are shown.
    pub(crate) fn len(&self) -> usize {
        self.shown.len()
    }

    /// A line that is shown, by its place; those that wait for their tick come after all
    /// others.
    pub(crate) fn entry(&self, at: usize) -> Option<&LogEntry> {
        match at.checked_sub(self.shown.len()) {
            Some(waiting) => self.waiting.get(waiting),
            None => self.entries.get(self.shown[at].checked_sub(self.first)? as usize),
        }
    }

    /// The place of the last line that is shown of a tick or of one before it.
    pub(crate) fn at_tick(&self, tick: Tick) -> Option<usize> {
        let is_by_then = |number: &u64| self.entries[(number - self.first) as usize].tick <= tick;
        self.shown.partition_point(is_by_then).checked_sub(1)
    }

    /// Whether everything that has happened has been read and compared.
    pub(crate) fn is_up_to_date(&self, session: &Session) -> bool {
        let is_read = |(cursor, _): &(Cursor, u64)| cursor.next_tick() == session.now().next_tick();
        self.read.as_ref().is_some_and(is_read)
            && self.compared == self.first + self.entries.len() as u64
    }

    /// Whether older entries were dropped.
    pub(crate) const fn has_forgotten(&self) -> bool {
        self.first > 0
    }
}

impl App {
    /// Reads the log on, while it is shown.
    pub(in crate::screen) fn follow_log(&mut self) {
        self.logbook.read_on(&self.document.session);
        match self.lists_waiting() {
            true => self.logbook.list_waiting(&self.document.session),
            false => self.logbook.waiting.clear(),
        }
    }

    /// Whether reports are on the screen before a tick has seen them.
    pub(in crate::screen) fn lists_waiting(&self) -> bool {
        self.bench == Bench::Log && self.view.is_live()
    }

    /// The history was run by another rig: what came of it is read again.
    pub(super) fn read_log_again(&mut self) {
        let LogBook { words, filter, .. } = std::mem::take(&mut self.logbook);
        self.logbook = LogBook { words, filter, ..LogBook::default() };
    }

    /// Shows only lines that have these words; without any, all.
    pub(super) fn filter_log(&mut self, words: &str) {
        self.logbook.filter(words);
        self.logbook.compare(&self.document.session);
    }

    /// Puts the playhead on the next line of another tick, or the one before.
    pub(in crate::screen) fn next_log_line(&mut self, by: i32) {
        let tick = self.tick();
        let here = self.logbook.at_tick(tick);
        let wanted = match by > 0 {
            true => here.map_or(0, |here| here + 1),
            false => {
                let first = tick.0.checked_sub(1).and_then(|t| self.logbook.at_tick(Tick(t)));
                let Some(before) = first else { return };
                before
            }
        };
        if let Some(tick) = self.logbook.entry(wanted).map(|entry| entry.tick) {
            self.go_to(tick);
        }
    }

    /// The place of the line in the first row of so many: the newest at the bottom while
    /// live, otherwise that of the playhead a third from it.
    pub(crate) fn first_log_line(&self, rows: usize) -> usize {
        let len = self.logbook.len();
        let end = match self.view.is_live() {
            true => len + self.logbook.waiting.len(),
            false => {
                let here = self.logbook.at_tick(self.tick()).map_or(0, |at| at + 1);
                (here + rows / 3).min(len)
            }
        };
        end.saturating_sub(rows)
    }

    /// A click on a line puts the playhead there, and the wheel goes from line to line.
    pub(in crate::screen) fn log_mouse(&mut self, mouse: &MouseEvent) -> bool {
        let area = self.view.hit.log;
        if self.bench != Bench::Log || !area.contains((mouse.column, mouse.row).into()) {
            return false;
        }
        match mouse.kind {
            MouseEventKind::Down(MouseButton::Left) => {
                let row = usize::from(mouse.row - area.y);
                let at = self.first_log_line(area.height.into()) + row;
                if let Some(tick) = self.logbook.entry(at).map(|entry| entry.tick) {
                    self.go_to(tick);
                }
            }
            MouseEventKind::ScrollUp => self.next_log_line(-1),
            MouseEventKind::ScrollDown => self.next_log_line(1),
            _ => return false,
        }
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_analysis::Capacity;
    use gtrig_core::{
        CleanText, ControlInfo, ControlKind, DeviceInfo, DeviceKind, Event, Marks, Nanos, PollRate,
        Rig,
    };

    /// A session in which a control reports so often.
    fn reported(times: u64) -> Session {
        let mut session =
            Session::new(Rig::bare("t", PollRate::DEFAULT), Tick(0), Capacity::DEFAULT);
        let kind = ControlKind::Position { min: 0, max: 1000 };
        let device = DeviceInfo {
            identity: "d".into(),
            kind: DeviceKind::Other,
            name: CleanText::new("d"),
            bus: CleanText::new(""),
            slot: None,
            controls: vec![ControlInfo::new("x", kind)],
        };
        let device = session.plug(device, Nanos(0)).unwrap();
        let control = session.roster().device(device).controls().next().unwrap();
        for at in 1..=times {
            let (time, value) = (Nanos(at * 100_000), (at % 1000) as i32);
            session.report(Event { time, value, control, marks: Marks::empty() });
            session.run_before(time);
        }
        let end = session.plan().rate().tick_seeing(Nanos(times * 100_000));
        session.run_until(end);
        session
    }

    /// What waits for its tick stands below what ticks saw, the newest at the bottom, until
    /// one has seen it.
    #[test]
    fn reports_are_listed_before_their_tick() {
        let mut session = reported(10);
        let control = session.roster().devices().next().unwrap().1.controls().next().unwrap();
        let ran_to = session.plan().rate().time_of(session.now().at());
        for value in 1..=WAITING as i32 + 2 {
            let time = Nanos(ran_to.0 + value as u64);
            session.report(Event { time, value: 10_000 + value, control, marks: Marks::empty() });
        }
        let mut book = LogBook::default();
        book.list_waiting(&session);
        assert!(book.waiting.is_empty(), "what comes before them has not been read");
        book.filter("1000");
        book.read_on(&session);
        book.list_waiting(&session);
        let values = |book: &LogBook| -> Vec<i32> {
            let entries = (0..).map_while(|at| book.entry(at));
            let reports = entries.filter_map(|entry| match entry.what {
                Happening::Report(event) => Some(event.value),
                _ => None,
            });
            reports.collect()
        };
        assert_eq!(values(&book), (10_001..=10_009).collect::<Vec<_>>());
        book.filter("");
        book.read_on(&session);
        book.list_waiting(&session);
        let before = book.len();
        let all = values(&book);
        assert_eq!(book.waiting.len(), WAITING);
        assert_eq!(all.last(), Some(&(10_000 + WAITING as i32 + 2)), "the newest are listed");
        session.run_until(session.now().next_tick());
        book.read_on(&session);
        book.list_waiting(&session);
        assert!(book.waiting.is_empty() && book.len() > before + WAITING);
    }

    #[test]
    fn the_log_keeps_so_many_lines() {
        let session = reported(KEPT as u64 + 50_000);
        let mut book = LogBook::default();
        book.filter("report");
        let mut steps = 0;
        while !book.is_up_to_date(&session) {
            book.read_on(&session);
            steps += 1;
            assert!(book.entries.len() <= KEPT && steps < 1_000);
        }
        assert!(book.has_forgotten());
        assert_eq!(book.len(), KEPT);
        let last = book.entry(KEPT - 1).unwrap();
        assert_eq!(last.time, Nanos((KEPT as u64 + 50_000) * 100_000));
        // However it is narrowed and widened again.
        book.filter("report 999");
        while !book.is_up_to_date(&session) {
            book.read_on(&session);
        }
        assert_eq!(book.len(), KEPT / 1000);
    }
}
