//! A program that was let in: its clock, its devices, and what it says.

use crate::{
    connection::Connection,
    registry::{Ticket, count},
    visitor::{Ending, Entrance, House},
};
use gtrig_analysis::clock::{ClockMap, JUMP};
use gtrig_core::{CleanText, Marks, Nanos, Presence};
use gtrig_formats::live::{
    FrameSaid, Greeting, LiveDecoder, LiveFault, MAX_LABELS, PeerClock, Piece, ReadOf as SaidOf,
    Said,
};
use gtrig_sources::{Change, FrameHeard, Heard, NodeId, ReadHeard, ReadOf, monotonic_now};
use std::{
    collections::{BTreeSet, VecDeque},
    sync::{
        atomic::Ordering,
        mpsc::{Receiver, SyncSender, TrySendError, sync_channel},
    },
    time::{Duration, Instant},
};

/// So many lines of a sender wait to be taken in; then it is read no further until there
/// is room, and its own system holds it up.
pub const QUEUE: usize = 1 << 14;

/// A sender is closed after so many lines that cannot be read.
pub const MAX_FAULTS: u64 = 100;

/// One that answers is asked for its clock, and every clock is read, this often.
const ASK: Duration = Duration::from_millis(500);

/// The same trouble is told this often.
const TELL: Duration = Duration::from_secs(1);

/// So many questions may be without an answer.
const MAX_ASKED: usize = 16;

/// A sender that was let in, as the session hears it.
#[derive(Debug)]
pub(crate) struct Arrival {
    pub(crate) ticket: Ticket,
    pub(crate) heard: Receiver<Heard>,
}

/// By which clock a sender tells.
#[derive(Debug)]
enum Clock {
    Ours,
    Theirs(ClockMap),
}

/// A line of a program that was let in.
#[derive(Debug)]
pub(crate) struct Line {
    /// How many before it were lost.
    missed: u64,
    /// When by its clock, and what; or why it cannot be used.
    pub(crate) means: Result<(Option<Nanos>, Said), LiveFault>,
}

/// A program that was let in.
#[derive(Debug)]
pub(crate) struct Sender {
    pub(crate) ticket: Ticket,
    queue: SyncSender<Heard>,
    decoder: LiveDecoder,
    clock: Clock,
    /// What came at once before anything was known of its clock.
    held: Vec<Line>,
    answers: bool,
    /// The devices that it has.
    here: BTreeSet<u16>,
    /// Those of which lines may have been lost since they were last heard of.
    unknown: BTreeSet<u16>,
    /// Questions without an answer, and when they were asked.
    asked: VecDeque<(u64, Nanos)>,
    questions: u64,
    last_asked: Option<Instant>,
    /// When a trouble was told last.
    told: Option<Instant>,
}

impl Line {
    /// The time of their clock at which it was written; a label may be about any other.
    fn tells_of_clock(&self) -> Option<Nanos> {
        match &self.means {
            Ok((theirs, said)) if !matches!(said, Said::Label(_)) => *theirs,
            _ => None,
        }
    }
}

impl Sender {
    /// Lets a program in.
    pub(crate) fn enter(
        house: &House,
        entrance: &Entrance,
        greeting: &Greeting,
    ) -> Result<Self, Ending> {
        let clock = match greeting.clock {
            PeerClock::Monotonic(boot) if house.boot == Some(boot) => Clock::Ours,
            PeerClock::Monotonic(_) | PeerClock::Own => Clock::Theirs(ClockMap::default()),
        };
        let is_our_clock = matches!(clock, Clock::Ours);
        let Entrance { place, needs_token, .. } = entrance;
        let ticket = house.registry.enter(greeting, place, *needs_token, is_our_clock);
        let ticket = ticket.map_err(|refusal| Ending::Refused(refusal.to_string()))?;
        let (queue, heard) = sync_channel(QUEUE);
        let arrival = Arrival { ticket: ticket.clone(), heard };
        house.arrivals.send(arrival).map_err(|_| Ending::Closed)?;
        Ok(Sender {
            ticket,
            queue,
            decoder: LiveDecoder::default(),
            clock,
            held: Vec::new(),
            answers: greeting.answers,
            here: BTreeSet::new(),
            unknown: BTreeSet::new(),
            asked: VecDeque::new(),
            questions: 0,
            last_asked: None,
            told: None,
        })
    }

    /// What a line of it means.
    pub(crate) fn decode(&mut self, piece: Piece) -> Line {
        let means = match piece {
            Piece::Line(line) => match self.decoder.line(line) {
                Ok((_, Said::Label(_))) if !self.may_write_a_label() => {
                    Err(LiveFault::TooManyLabels)
                }
                means => means,
            },
            Piece::TooLong => Err(self.decoder.too_long()),
        };
        Line { missed: self.decoder.missed(), means }
    }

    /// Takes in a line, or holds it back until all that came at once was read.
    pub(crate) fn take_in(
        &mut self,
        house: &House,
        connection: &mut Connection,
        line: Line,
        now: Nanos,
    ) -> Result<(), Ending> {
        let is_clock_unknown = matches!(&self.clock, Clock::Theirs(map) if !map.is_known());
        if is_clock_unknown {
            self.held.push(line);
            return Ok(());
        }
        self.line(house, connection, line, now)
    }

    /// Asks for its clock, and shows what is known of it.
    pub(crate) fn now_and_then(
        &mut self,
        house: &House,
        connection: &mut Connection,
    ) -> Result<(), Ending> {
        if self.ticket.is_replaced.load(Ordering::Relaxed) {
            return Err(Ending::Closed);
        }
        if self.last_asked.is_some_and(|last| last.elapsed() < ASK) {
            return Ok(());
        }
        self.last_asked = Some(Instant::now());
        if let Clock::Theirs(map) = &self.clock {
            house.registry.read_clock(&self.ticket, map.reading());
            if let (true, Ok(now)) = (self.answers, monotonic_now()) {
                self.questions += 1;
                self.asked.truncate(MAX_ASKED - 1);
                self.asked.push_front((self.questions, now));
                connection.say(&format!("{{\"sync\":{}}}", self.questions));
            }
        }
        Ok(())
    }

    fn may_write_a_label(&self) -> bool {
        self.ticket.counts.labels.fetch_add(1, Ordering::Relaxed) < MAX_LABELS
    }

    /// Takes in what was held back. Where the program could not be heard for a while, the line
    /// that was written last waited least: its time tells most of the clock, and is heard first,
    /// so that those before it stand where they happened and not all at the instant at which they
    /// arrived. If they tell of a longer time than that, they were not written as it went by.
    pub(crate) fn settle(
        &mut self,
        house: &House,
        connection: &mut Connection,
        now: Nanos,
    ) -> Result<(), Ending> {
        let held = std::mem::take(&mut self.held);
        let times = || held.iter().filter_map(Line::tells_of_clock);
        if let (Clock::Theirs(map), Some(oldest), Some(newest)) =
            (&mut self.clock, times().min(), times().max())
            && newest.0 - oldest.0 <= JUMP.0
        {
            map.heard(newest, now);
        }
        held.into_iter().try_for_each(|line| self.line(house, connection, line, now))
    }

    fn line(
        &mut self,
        house: &House,
        connection: &mut Connection,
        line: Line,
        now: Nanos,
    ) -> Result<(), Ending> {
        count(&self.ticket.counts.lines);
        self.count_missed(line.missed)?;
        match line.means {
            Ok((theirs, said)) => self.said(house, theirs, said, now),
            Err(fault) => self.fault(connection, &fault),
        }
    }

    /// Where a line stands in our time.
    fn time(&mut self, theirs: Option<Nanos>, said: &Said, now: Nanos) -> Nanos {
        let Some(theirs) = theirs else { return now };
        match (&mut self.clock, said) {
            (Clock::Ours, _) => theirs.min(now),
            (Clock::Theirs(map), Said::Answer(number)) => {
                let at = self.asked.iter().position(|(asked, _)| asked == number);
                if let Some((_, asked)) = at.and_then(|at| self.asked.remove(at)) {
                    map.answered(asked, theirs, now);
                }
                map.place(theirs, now)
            }
            // A label may be about any instant: it tells nothing of the clock.
            (Clock::Theirs(map), Said::Label(_)) => map.map(theirs, now),
            (Clock::Theirs(map), _) => {
                map.heard(theirs, now);
                map.map(theirs, now)
            }
        }
    }

    fn said(
        &mut self,
        house: &House,
        theirs: Option<Nanos>,
        said: Said,
        now: Nanos,
    ) -> Result<(), Ending> {
        let time = self.time(theirs, &said, now);
        self.ticket.counts.latency.store(now.0.saturating_sub(time.0), Ordering::Relaxed);
        let node = |device: u16| NodeId(device.into());
        let heard = match said {
            Said::Value { device, control, value, mut marks } => {
                if self.unknown.remove(&device) {
                    marks |= Marks::RESYNCED;
                }
                Heard::Changed(node(device), Change { control, value, marks, time, is_last: true })
            }
            Said::Arrived(device, mut info) => {
                // Two senders may have a device of the same name.
                info.identity = format!("{}/{}", self.ticket.name, info.identity);
                if let Err(refusal) = house.registry.admit(&self.ticket, &info) {
                    return Err(Ending::Refused(refusal.to_string()));
                }
                self.here.insert(device);
                Heard::Arrived(node(device), Box::new(info), time)
            }
            Said::Presence(device, Presence::Gone) => {
                self.here.remove(&device);
                self.unknown.remove(&device);
                Heard::Gone(node(device), time)
            }
            Said::Presence(device, presence) => Heard::Presence(node(device), presence, time),
            Said::Label(text) => Heard::Labelled(text, time),
            Said::Frame(frame) => Heard::Frame(Box::new(self.frame(*frame, time, now))),
            Said::Answer(_) | Said::End => return Ok(()),
        };
        self.hand_over(heard)
    }

    /// A frame, its times in ours.
    fn frame(&mut self, said: FrameSaid, acted: Nanos, now: Nanos) -> FrameHeard {
        let map = |theirs: Nanos| match &mut self.clock {
            Clock::Ours => theirs.min(acted),
            Clock::Theirs(map) => map.map(theirs, now).min(acted),
        };
        let reads = said.reads.into_iter().map(|(of, values)| {
            let of = match of {
                SaidOf::Own(device, control) => ReadOf::Node(NodeId(device.into()), control),
                SaidOf::Other(device, code) => ReadOf::Address(device, code),
            };
            ReadHeard { of, values }
        });
        FrameHeard {
            game: CleanText::new(&self.ticket.name),
            number: said.number,
            acted,
            polled: said.polled.map_or([acted; 2], |polled| polled.map(map)),
            steps: said.steps,
            reads: reads.collect(),
            gives: said.gives,
        }
    }

    /// Of what was lost nothing is known but that it was.
    fn count_missed(&mut self, missed: u64) -> Result<(), Ending> {
        if missed > 0 {
            self.ticket.counts.missed.fetch_add(missed, Ordering::Relaxed);
            self.unknown.extend(&self.here);
            self.tell(|counts| format!("{} line(s) of it were lost so far", counts.0))?;
        }
        Ok(())
    }

    fn fault(&mut self, connection: &mut Connection, fault: &LiveFault) -> Result<(), Ending> {
        count(&self.ticket.counts.faults);
        let number = self.ticket.counts.lines.load(Ordering::Relaxed);
        let why = format!("line {number}: {fault}");
        connection.say(&serde_json::json!({ "error": why }).to_string());
        if self.ticket.counts.faults.load(Ordering::Relaxed) >= MAX_FAULTS {
            return Err(Ending::Refused(format!("{MAX_FAULTS} lines could not be read; {why}")));
        }
        self.tell(|_| format!("{why}; it was left out"))
    }

    /// Tells of a trouble, but not all the time. What is told may count lines that were
    /// lost.
    fn tell(&mut self, what: impl FnOnce((u64,)) -> String) -> Result<(), Ending> {
        if self.told.is_some_and(|told| told.elapsed() < TELL) {
            return Ok(());
        }
        self.told = Some(Instant::now());
        let missed = self.ticket.counts.missed.load(Ordering::Relaxed);
        let text = format!("{}: {}", self.ticket.name, what((missed,)));
        self.hand_over(Heard::Trouble(text))
    }

    fn hand_over(&mut self, heard: Heard) -> Result<(), Ending> {
        count(&self.ticket.counts.queued);
        match self.queue.try_send(heard) {
            Ok(()) => Ok(()),
            Err(TrySendError::Disconnected(_)) => Err(Ending::Closed),
            Err(TrySendError::Full(heard)) => {
                count(&self.ticket.counts.slowed);
                self.queue.send(heard).map_err(|_| Ending::Closed)
            }
        }
    }

    /// Its devices go with it.
    pub(crate) fn leave(mut self) {
        let Ok(now) = monotonic_now() else { return };
        for device in std::mem::take(&mut self.here) {
            if self.hand_over(Heard::Gone(NodeId(device.into()), now)).is_err() {
                return;
            }
        }
    }
}
