//! Rigs and takes from disk, and those that ship with the program.

use crate::loops::rate;
use crate::{
    commands::complain,
    followed::{self, Followed, Growing},
    packed::packed,
    programs::Programs,
    reels::ReelPart,
};
use anyhow::{Context, bail};
use gtrig_analysis::{Capacity, Session, stream::StreamWatch};
use gtrig_core::{CleanText, Nanos, PollRate, Rig};
use gtrig_formats::{
    MAX_DOCUMENT_BYTES,
    reel::{Reel, ReelText},
    rig,
    take::{Intake, Loaded, TakeLines, TakeReader},
};
use gtrig_live::Place;
use gtrig_sources::{Source, Story};
use std::{
    fs::File,
    io::{self, BufRead, BufReader, Read},
    ops::Range,
    path::{Path, PathBuf},
};

/// The rig of the demo, and of a session started without one.
const KESTREL_QUAY: (&str, &str) = ("kestrel-quay.toml", include_str!("../demo/kestrel-quay.toml"));

/// Of a take that is only read nothing is forgotten: it fits or does not.
pub const UNLIMITED: Capacity = Capacity { events: usize::MAX, changes: usize::MAX };

/// Reads the rig at `path`, or the shipped one, and sets its poll rate.
///
/// # Errors
/// When the file cannot be read, with what to do; when the rig has mistakes,
/// with all of them; when `hz` is no poll rate.
pub fn rig(path: Option<&Path>, hz: Option<f64>) -> anyhow::Result<Rig> {
    let mut rig = match path {
        None => rig::parse(KESTREL_QUAY.0, KESTREL_QUAY.1)?,
        Some(path) => rig::parse(&path.display().to_string(), &rig_text(path)?)?,
    };
    if let Some(hz) = hz {
        rig.rate = rate(hz)?;
    }
    Ok(rig)
}

/// Reads the text of a rig.
///
/// # Errors
/// When the file cannot be read, with what to do; when it is no text, or too large.
pub fn rig_text(path: &Path) -> anyhow::Result<String> {
    let mut bytes = Vec::new();
    let read = File::open(path)
        .and_then(|file| file.take(MAX_DOCUMENT_BYTES as u64 + 1).read_to_end(&mut bytes));
    read.with_context(|| format!("cannot read the rig {}; is the path right?", path.display()))?;
    if bytes.len() > MAX_DOCUMENT_BYTES {
        bail!("the rig {} is larger than 4 MiB; is it a rig at all?", path.display());
    }
    match String::from_utf8(bytes) {
        Ok(text) => Ok(text),
        Err(_) => bail!("the rig {} is not UTF-8 text; a rig is a TOML file", path.display()),
    }
}

/// Where a rig came from, so that it can be written back and followed.
#[derive(Clone, Debug)]
pub struct RigSource {
    /// The file; none for the shipped rig.
    pub path: Option<PathBuf>,
    /// What it said.
    pub text: String,
    /// The poll rate that is used instead of the file's, whatever it says.
    pub hz: Option<f64>,
}

impl RigSource {
    /// The source of what [`rig()`] reads from `path` with the rate `hz`.
    ///
    /// # Errors
    /// When the file cannot be read any more.
    pub fn of(path: Option<&Path>, hz: Option<f64>) -> anyhow::Result<Self> {
        let text = match path {
            None => KESTREL_QUAY.1.to_owned(),
            Some(path) => rig_text(path)?,
        };
        Ok(RigSource { path: path.map(Path::to_owned), text, hz })
    }

    /// A rig that its file says, at the rate that is used instead of the file's.
    pub fn at_its_rate(&self, rig: Rig) -> Rig {
        let rate = self.hz.and_then(PollRate::from_hz).unwrap_or(rig.rate);
        Rig { rate, ..rig }
    }
}

/// A take that was read into a session of its own.
#[derive(Debug)]
pub struct Opened {
    /// What the take holds.
    pub session: Session,
    /// What it says it is about.
    pub title: Option<String>,
    /// The name of the rig that it was recorded by.
    pub recorded_by: Option<CleanText>,
    /// How reading went.
    pub loaded: Loaded,
    /// How well the reports of its devices came.
    pub streams: StreamWatch,
}

/// Reads a take that ships with the program.
///
/// # Errors
/// When it is damaged, which the tests rule out.
pub fn shipped_take(story: Story, rig: Rig) -> anyhow::Result<Opened> {
    let take = match story {
        Story::LostTap => packed!("lost-tap.take.jsonl"),
        Story::Drift => packed!("drifting-hook.take.jsonl"),
        Story::HandOver => packed!("hand-over.take.jsonl"),
        Story::StuckHorn => packed!("stuck-horn.take.jsonl"),
        Story::Skips => packed!("jerking-hook.take.jsonl"),
        Story::Rim => packed!("worn-stick.take.jsonl"),
        Story::Glass => packed!("lazy-thumb.take.jsonl"),
        Story::Hasty => packed!("hasty-hands.take.jsonl"),
    };
    Ok(load(TakeReader::open(take.reader())?, rig, Capacity::DEFAULT))
}

fn load<R: BufRead>(reader: TakeReader<R>, rig: Rig, capacity: Capacity) -> Opened {
    let title = reader.header.title.as_ref().map(ToString::to_string);
    let recorded_by = reader.header.rig.clone();
    let (session, loaded) = reader.load(rig, capacity);
    let streams = StreamWatch::over(&session);
    Opened { session, title, recorded_by, loaded, streams }
}

/// Reads a take.
///
/// # Errors
/// When the file cannot be read or is no take at all. A take that is damaged
/// further down is no error; see [`Loaded`].
pub fn open_take(path: &Path, rig: Rig, capacity: Capacity) -> anyhow::Result<Opened> {
    Ok(load(take_reader(path, false)?, rig, capacity))
}

/// So many lines of a take are read between two looks at the keys: some milliseconds.
pub const PIECE: u32 = 1 << 14;

/// So many pieces are read before anything is shown: most takes have no more.
const AT_ONCE: u32 = 8;

/// A take that is shown while the rest of it is read.
#[derive(Debug)]
pub struct Begun {
    /// What has been read so far.
    pub session: Session,
    /// What it says it is about.
    pub title: Option<String>,
    /// The name of the rig that it was recorded by.
    pub recorded_by: Option<CleanText>,
    /// What reads on.
    pub reading: Reading,
    /// The reel that it is a part of.
    pub reel: Option<ReelPart>,
}

/// The rest of a take that is shown while it is read.
#[derive(Debug)]
pub struct Reading {
    lines: TakeLines<Buffered>,
    /// Lines in a piece.
    piece: u32,
    end: End,
}

/// Where what is read ends.
#[derive(Clone, Copy, Debug)]
enum End {
    /// The file has so many bytes.
    Bytes(u64),
    /// From an instant to another one.
    Time([Nanos; 2]),
}

impl Reading {
    /// Reads a piece into the session. Returns whether there may be more.
    pub fn read_on(&mut self, session: &mut Session) -> bool {
        self.lines.take_in(session, self.piece)
    }

    /// Reads on until the tick has run that sees an instant, or to the end.
    pub fn read_to(&mut self, session: &mut Session, at: Nanos) {
        let tick = session.plan().rate().tick_seeing(at);
        while session.now().next_tick() <= tick {
            if !self.read_on(session) {
                return self.lines.run_to_last(session);
            }
        }
    }

    /// What share has been read, by what the session came to.
    pub fn share(&self, session: &Session) -> f64 {
        let (read, of) = match self.end {
            End::Bytes(of) => (self.lines.bytes(), of),
            End::Time([from, to]) => {
                let now = session.plan().rate().time_of(session.now().at());
                (now.0.saturating_sub(from.0), to.0.saturating_sub(from.0))
            }
        };
        (read as f64 / of.max(1) as f64).min(1.0)
    }

    /// It ends there.
    pub fn is_until(&mut self, to: Nanos) {
        if let End::Time([_, end]) = &mut self.end {
            *end = to;
        }
    }

    /// Runs the session to the last line. Returns how reading went.
    pub fn finish(self, session: &mut Session) -> Loaded {
        self.lines.finish(session)
    }
}

/// A take that can be shown.
#[derive(Debug)]
pub enum Take {
    /// All of it has been read.
    Whole(Box<Opened>),
    /// It is large, and is shown while it is read.
    Begun(Box<Begun>),
}

/// Opens a take to be shown: a short one is read, of a long file the beginning, in pieces
/// of so many lines. What is no file is read to its end, for it may keep a reader waiting.
///
/// # Errors
/// As of [`open_take`].
pub fn begin_take(path: &Path, rig: Rig, capacity: Capacity, piece: u32) -> anyhow::Result<Take> {
    let reader = take_reader(path, false)?;
    let length = std::fs::metadata(path).ok().filter(std::fs::Metadata::is_file);
    let Some(length) = length.filter(|_| path != Path::new("-")) else {
        return Ok(Take::Whole(Box::new(load(reader, rig, capacity))));
    };
    let title = reader.header.title.as_ref().map(ToString::to_string);
    let recorded_by = reader.header.rig.clone();
    let (mut session, lines) = reader.begin(rig, capacity);
    let mut reading = Reading { lines, piece, end: End::Bytes(length.len()) };
    if (0..AT_ONCE).all(|_| reading.read_on(&mut session)) {
        let reel = None;
        return Ok(Take::Begun(Box::new(Begun { session, title, recorded_by, reading, reel })));
    }
    let loaded = reading.finish(&mut session);
    let streams = StreamWatch::over(&session);
    Ok(Take::Whole(Box::new(Opened { session, title, recorded_by, loaded, streams })))
}

/// Begins to read these segments of a reel. None of their lines is taken in yet.
///
/// # Errors
/// When the first of them cannot be read.
pub fn begin_part(
    reel: &Reel,
    part: Range<usize>,
    rig: Rig,
    capacity: Capacity,
) -> anyhow::Result<Begun> {
    let input = Input::Reel(Box::new(ReelText::of(reel, part)));
    let reader = TakeReader::open(BufReader::with_capacity(1 << 16, input))
        .context("this reel cannot be read")?
        .ahead();
    let title = reader.header.title.as_ref().map(ToString::to_string);
    let (recorded_by, begins) = (reader.header.rig.clone(), reader.header.begins);
    let (session, lines) = reader.begin(rig, capacity);
    let reading = Reading { lines, piece: PIECE, end: End::Time([begins; 2]) };
    Ok(Begun { session, title, recorded_by, reading, reel: None })
}

/// A take that is still being written: the session so far, what it is about, the time that
/// it has come to, and the source that goes on.
pub struct Unfinished {
    /// What the take holds so far.
    pub session: Session,
    /// What it says it is about.
    pub title: Option<String>,
    /// What reads on.
    pub rest: Box<dyn Source>,
}

/// Opens a take that is still being written.
///
/// # Errors
/// When it is no file, cannot be opened or is no take at all.
pub fn unfinished_take(path: &Path, rig: Rig) -> anyhow::Result<Unfinished> {
    let open = || File::open(path);
    let mut file = open().with_context(|| format!("cannot open the take {}", path.display()))?;
    let what = || format!("{} cannot be followed", path.display());
    refuse_to_follow_reel(path)?;
    if !file.metadata().is_ok_and(|meta| meta.is_file()) {
        bail!("{}: it is no file; gtrig live --listen hears pipes and sockets", what());
    }
    let length = followed::whole_lines(&mut file).with_context(what)?;
    let there = BufReader::with_capacity(1 << 16, open()?.take(length));
    let reader = TakeReader::open(there)
        .with_context(|| format!("{} is no take that can be read", path.display()))?;
    let title = reader.header.title.as_ref().map(ToString::to_string);
    let (session, rest) = reader.into_intake(rig, Capacity::DEFAULT).into_rest();
    let rest = Growing::begin(file, path, length, rest).with_context(what)?;
    Ok(Unfinished { session, title, rest: Box::new(rest) })
}

/// A take that is read while it comes.
#[derive(Debug)]
pub struct Coming {
    title: Option<String>,
    recorded_by: Option<CleanText>,
    from: From,
}

#[derive(Debug)]
enum From {
    Lines { intake: Box<Intake<Buffered>>, is_followed: bool },
    Programs(Box<Programs>),
}

/// What lines are read from.
pub type Buffered = BufReader<Input>;

/// Opens a take to read it while it comes, from a file, a pipe, standard input (`-`) or
/// the programs that come to a place (`pipe:PATH`, `unix:PATH`, `tcp:PORT`). One that is
/// followed goes on at the end of its file, until the line that ends a take has come, or the
/// person interrupts.
///
/// # Errors
/// When it cannot be opened or is no take at all.
pub fn coming_take(
    path: &Path,
    is_followed: bool,
    rig: Rig,
    capacity: Capacity,
) -> anyhow::Result<Coming> {
    if let Some(text) = path.to_str().filter(|text| Place::is_named(text)) {
        let programs = Programs::hear(&text.parse()?, rig, capacity)?;
        let from = From::Programs(Box::new(programs));
        return Ok(Coming { title: None, recorded_by: None, from });
    }
    let reader = take_reader(path, is_followed)?;
    let title = reader.header.title.as_ref().map(ToString::to_string);
    let recorded_by = reader.header.rig.clone();
    let intake = Box::new(reader.into_intake(rig, capacity));
    Ok(Coming { title, recorded_by, from: From::Lines { intake, is_followed } })
}

impl Coming {
    /// Waits for a line and takes in all that came with it. Returns whether there may be
    /// more.
    pub fn take_in(&mut self) -> bool {
        match &mut self.from {
            From::Lines { intake, is_followed } => {
                !(*is_followed && intake.has_ended()) && intake.take_in_what_comes()
            }
            From::Programs(programs) => {
                let may_be_more = programs.take_in();
                programs.troubles().iter().for_each(|trouble| complain(trouble));
                may_be_more
            }
        }
    }

    /// The session so far.
    pub fn session(&self) -> &Session {
        match &self.from {
            From::Lines { intake, .. } => intake.session(),
            From::Programs(programs) => programs.session(),
        }
    }

    /// All of it.
    pub fn finish(self) -> Opened {
        let Coming { title, recorded_by, from } = self;
        let (session, loaded) = match from {
            From::Lines { intake, .. } => intake.finish(),
            From::Programs(programs) => {
                let (session, left_out) = programs.finish();
                let events = session.seen_count();
                (session, Loaded { events, left_out, ..Loaded::default() })
            }
        };
        let streams = StreamWatch::over(&session);
        Opened { session, title, recorded_by, loaded, streams }
    }
}

/// All of a reel, as the text of a take.
///
/// # Errors
/// When it has no segments.
pub fn reel_text(path: &Path) -> anyhow::Result<ReelText> {
    let reel = Reel::open(path)
        .with_context(|| format!("{} is no reel that can be read", path.display()))?;
    Ok(ReelText::of(&reel, 0..reel.segments().len()))
}

/// Where a take comes from.
#[derive(Debug)]
pub enum Input {
    /// Standard input.
    Stdin(io::Stdin),
    /// A file, to its end.
    File(File),
    /// A file that is still written.
    Followed(Followed),
    /// Segments of a reel.
    Reel(Box<ReelText>),
}

impl Read for Input {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        match self {
            Input::Stdin(stdin) => stdin.read(buffer),
            Input::File(file) => file.read(buffer),
            Input::Followed(file) => file.read(buffer),
            Input::Reel(text) => text.read(buffer),
        }
    }
}

/// Nobody has asked for it yet.
fn refuse_to_follow_reel(path: &Path) -> anyhow::Result<()> {
    if Reel::is_at(path) {
        bail!(
            "{} is a reel, and only a take can be followed; a reel that is still written is \
             opened as far as it goes, without --follow",
            path.display()
        );
    }
    Ok(())
}

/// Opens a take, or a reel, to be read line by line.
///
/// # Errors
/// When it cannot be opened, or is neither.
pub fn take_reader(path: &Path, is_followed: bool) -> anyhow::Result<TakeReader<Buffered>> {
    let is_stdin = path == Path::new("-");
    if !is_stdin && is_followed {
        refuse_to_follow_reel(path)?;
    }
    if !is_stdin && Reel::is_at(path) {
        let input = Input::Reel(Box::new(reel_text(path)?));
        return TakeReader::open(BufReader::with_capacity(1 << 16, input))
            .map(TakeReader::ahead)
            .with_context(|| format!("{} is no reel that can be read", path.display()));
    }
    let input = match (is_stdin, is_followed) {
        (true, _) => Ok(Input::Stdin(io::stdin())),
        (false, false) => File::open(path).map(Input::File),
        (false, true) => Followed::open(path).map(Input::Followed),
    };
    let input = input.with_context(|| format!("cannot open the take {}", path.display()))?;
    let is_worth_it = matches!(&input, Input::File(file) if is_large(file));
    TakeReader::open(BufReader::with_capacity(1 << 16, input))
        .map(|take| if is_worth_it { take.ahead() } else { take })
        .with_context(|| format!("{} is no take that can be read", path.display()))
}

/// Whether all of a file is there, and it takes longer to read than to begin a thread.
fn is_large(file: &File) -> bool {
    file.metadata().is_ok_and(|meta| meta.is_file() && meta.len() > 1 << 18)
}
