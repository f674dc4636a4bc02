//! What came of holding a game against a rig, as a report.

use crate::{
    report::{Report, Table, cell, json_line},
    words::{cause_word, cause_words, difference_words, read_difference_words, read_word},
};
use gtrig_analysis::agree::{
    Agreement, Cause, Delays, Difference, FrameAt, ReadDifference, name_of, target_name,
};
use gtrig_analysis::frames::Frames;
use gtrig_core::{Nanos, Rig, Roster};
use serde::Serialize;
use std::{
    fmt,
    io::{self, Write},
};

/// So many places are printed as text.
const LISTED: usize = 40;

/// Games held against a rig, to be printed.
#[derive(Clone, Debug, Serialize)]
pub struct AgreeReport {
    games: Vec<Game>,
}

#[derive(Clone, Debug, Serialize)]
struct Game {
    game: String,
    agrees: bool,
    frames: u64,
    /// Frames that were never said, by their numbers.
    left_out: u64,
    restarts: u64,
    close: u64,
    values: Vec<ValueRow>,
    differences: Vec<DifferenceRow>,
    reads: Vec<ReadRow>,
    latency: LatencyRow,
}

#[derive(Clone, Debug, Serialize)]
struct ValueRow {
    name: String,
    /// What of the rig it should be; none where the rig knows nothing of it.
    is: Option<String>,
    compared: u64,
    differed: u64,
    most: f64,
    /// Each cause of it, with how many frames it explains; the most first.
    causes: Vec<CauseRow>,
}

#[derive(Clone, Debug, Serialize)]
struct CauseRow {
    kind: &'static str,
    frames: u64,
    places: u64,
    /// Of the place with the most frames.
    words: String,
}

#[derive(Clone, Debug, Serialize)]
struct DifferenceRow {
    name: String,
    is: String,
    kind: &'static str,
    #[serde(flatten)]
    stretch: Stretch,
    ours: f64,
    theirs: f64,
    off: f64,
    #[serde(skip_serializing_if = "Option::is_none")]
    late_ms: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    number: Option<NumberRow>,
    words: String,
}

/// Frames one after the other.
#[derive(Clone, Copy, Debug, Serialize)]
struct Stretch {
    from_frame: u64,
    to_frame: u64,
    from_ns: u64,
    to_ns: u64,
    frames: u64,
}

impl Stretch {
    const fn new(first: FrameAt, last: FrameAt, frames: u64) -> Self {
        Stretch {
            from_frame: first.number,
            to_frame: last.number,
            from_ns: first.polled.0,
            to_ns: last.polled.0,
            frames,
        }
    }

    fn cells(&self) -> [String; 5] {
        let Stretch { from_frame, to_frame, from_ns, to_ns, frames } = self;
        [from_frame, to_frame, from_ns, to_ns, frames].map(u64::to_string)
    }
}

#[derive(Clone, Debug, Serialize)]
struct NumberRow {
    place: String,
    unit: &'static str,
    ours: f64,
    from: f64,
    to: f64,
}

#[derive(Clone, Debug, Serialize)]
struct ReadRow {
    control: String,
    kind: &'static str,
    #[serde(flatten)]
    stretch: Stretch,
    said: i32,
    read: [i32; 2],
    #[serde(skip_serializing_if = "Option::is_none")]
    late_ms: Option<f64>,
    words: String,
}

#[derive(Clone, Debug, Serialize)]
struct LatencyRow {
    presses: usize,
    report_ms: Option<Times>,
    to_poll_ms: Option<Times>,
    to_value_ms: Option<Times>,
    whole_ms: Option<Times>,
}

#[derive(Clone, Copy, Debug, Serialize)]
struct Times {
    median: f64,
    p95: f64,
    longest: f64,
}

impl Times {
    fn of(delays: &Delays) -> Option<Self> {
        let at = |share| delays.at(share).map(Nanos::as_millis);
        Some(Times { median: at(0.5)?, p95: at(0.95)?, longest: at(1.0)? })
    }
}

impl AgreeReport {
    /// A report of games of one session.
    pub fn new(rig: &Rig, roster: &Roster, frames: &Frames, found: &[Agreement]) -> Self {
        let game = |agreement: &Agreement| {
            let names: Vec<String> =
                agreement.values.iter().map(|value| name_of(frames, value).to_string()).collect();
            let context = Context { rig, roster, names: &names, agreement };
            context.game(frames.games()[usize::from(agreement.game.0)].as_str())
        };
        AgreeReport { games: found.iter().map(game).collect() }
    }

    /// Whether there is a game, and each agrees.
    pub fn agrees(&self) -> bool {
        !self.games.is_empty() && self.games.iter().all(|game| game.agrees)
    }
}

#[derive(Clone, Copy)]
struct Context<'a> {
    rig: &'a Rig,
    roster: &'a Roster,
    names: &'a [String],
    agreement: &'a Agreement,
}

impl Context<'_> {
    fn game(self, name: &str) -> Game {
        let Agreement { values, differences, reads, latency, .. } = self.agreement;
        Game {
            game: name.to_owned(),
            agrees: self.agreement.is_met(),
            frames: self.agreement.frames,
            left_out: self.agreement.missing,
            restarts: self.agreement.restarts,
            close: self.agreement.close,
            values: (0..values.len()).map(|at| self.value(at)).collect(),
            differences: differences.iter().map(|difference| self.difference(difference)).collect(),
            reads: reads.iter().map(|read| self.read(read)).collect(),
            latency: LatencyRow {
                presses: latency.whole.count(),
                report_ms: Times::of(&latency.report),
                to_poll_ms: Times::of(&latency.to_poll),
                to_value_ms: Times::of(&latency.to_value),
                whole_ms: Times::of(&latency.whole),
            },
        }
    }

    fn is(self, value: usize) -> Option<String> {
        self.agreement.values[value].target.map(|target| target_name(self.rig, target))
    }

    fn value(self, at: usize) -> ValueRow {
        let value = &self.agreement.values[at];
        let mut causes: Vec<(CauseRow, u64)> = Vec::new();
        for difference in self.agreement.differences.iter().filter(|of| of.value == at) {
            let (kind, frames) = (cause_word(&difference.cause), difference.frames);
            let place = causes.iter().position(|(row, _)| row.kind == kind).unwrap_or_else(|| {
                let row = CauseRow { kind, frames: 0, places: 0, words: String::new() };
                causes.push((row, 0));
                causes.len() - 1
            });
            let (row, most) = &mut causes[place];
            row.frames += frames;
            row.places += 1;
            if frames > *most {
                *most = frames;
                row.words = cause_words(self.rig, self.roster, &difference.cause);
            }
        }
        causes.sort_by_key(|(row, _)| std::cmp::Reverse(row.frames));
        ValueRow {
            name: self.names[at].clone(),
            is: self.is(at),
            compared: value.compared,
            differed: value.differed,
            most: value.most,
            causes: causes.into_iter().map(|(row, _)| row).collect(),
        }
    }

    fn difference(self, of: &Difference) -> DifferenceRow {
        let name = &self.names[of.value];
        let number = match &of.cause {
            Cause::Number { place, unit, ours, from, to } => Some(NumberRow {
                place: place.to_string(),
                unit,
                ours: *ours,
                from: *from,
                to: *to,
            }),
            _ => None,
        };
        DifferenceRow {
            name: name.clone(),
            is: self.is(of.value).unwrap_or_default(),
            kind: cause_word(&of.cause),
            stretch: Stretch::new(of.first, of.last, of.frames),
            ours: of.ours,
            theirs: of.theirs,
            off: of.off,
            late_ms: of.cause.late().map(Nanos::as_millis),
            number,
            words: difference_words(self.rig, self.roster, name, of),
        }
    }

    fn read(self, of: &ReadDifference) -> ReadRow {
        ReadRow {
            control: self.roster.address(of.control).to_string(),
            kind: read_word(of.kind),
            stretch: Stretch::new(of.first, of.last, of.frames),
            said: of.said,
            read: of.read,
            late_ms: of.kind.late().map(Nanos::as_millis),
            words: read_difference_words(self.roster, of),
        }
    }
}

impl Report for AgreeReport {
    fn write_text(&self, out: &mut dyn Write) -> io::Result<()> {
        write!(out, "{self}")
    }

    /// An object for each game.
    fn write_json(&self, out: &mut dyn Write) -> io::Result<()> {
        self.games.iter().try_for_each(|game| json_line(game, out))
    }

    /// A row for each difference, of values and of what was read.
    fn table(&self) -> Table {
        let mut rows = Vec::new();
        for game in &self.games {
            let row = |name: &str, is: &str, kind: &str, stretch: &Stretch, rest: [String; 4]| {
                let first = [&*game.game, name, is, kind].map(str::to_owned);
                first.into_iter().chain(stretch.cells()).chain(rest).collect::<Vec<_>>()
            };
            rows.extend(game.differences.iter().map(|of| {
                let rest = [
                    of.ours.to_string(),
                    of.theirs.to_string(),
                    cell(of.late_ms),
                    of.words.clone(),
                ];
                row(&of.name, &of.is, of.kind, &of.stretch, rest)
            }));
            rows.extend(game.reads.iter().map(|of| {
                let rest = [
                    of.said.to_string(),
                    of.read[0].to_string(),
                    cell(of.late_ms),
                    of.words.clone(),
                ];
                row("", &of.control, of.kind, &of.stretch, rest)
            }));
        }
        Table {
            columns: &[
                "game",
                "name",
                "is",
                "kind",
                "from_frame",
                "to_frame",
                "from_ns",
                "to_ns",
                "frames",
                "ours",
                "theirs",
                "late_ms",
                "words",
            ],
            rows,
        }
    }
}

impl fmt::Display for AgreeReport {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.games.is_empty() {
            return writeln!(
                f,
                "no game says anything of its frames here (docs/live-format.md, Frames)"
            );
        }
        self.games.iter().try_for_each(|game| game.fmt(f))
    }
}

impl fmt::Display for Game {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let compared = self.values.iter().filter(|value| value.compared > 0);
        let differ = compared.clone().filter(|value| value.differed > 0).count();
        write!(f, "{}: {} frames", self.game, self.frames)?;
        for (count, what) in
            [(self.left_out, "missing"), (self.restarts, "restarts"), (self.close, "close calls")]
        {
            if count > 0 {
                write!(f, ", {count} {what}")?;
            }
        }
        match (compared.count(), differ) {
            (0, _) => writeln!(f, "; none of its values is known to the rig")?,
            (all, 0) => writeln!(f, "; {all} values compared, all agree")?,
            (all, differ) => writeln!(f, "; {all} values compared, {differ} differ")?,
        }
        self.values.iter().try_for_each(|value| value.fmt(f))?;
        write_reads(f, &self.reads)?;
        if !self.differences.is_empty() {
            writeln!(f, "\nplaces:")?;
            let rows = self.differences.iter();
            places(f, rows.map(|row| (row.stretch.from_ns, row.stretch.from_frame, &*row.words)))?;
        }
        self.latency.fmt(f)
    }
}

/// What was read otherwise, each control and kind once.
fn write_reads(f: &mut fmt::Formatter<'_>, reads: &[ReadRow]) -> fmt::Result {
    let mut groups: Vec<(&ReadRow, u64, u64)> = Vec::new();
    for row in reads {
        let same = |(other, ..): &&mut (&ReadRow, u64, u64)| {
            (&other.control, other.kind) == (&row.control, row.kind)
        };
        match groups.iter_mut().find(same) {
            Some((worst, frames, places)) => {
                *frames += row.stretch.frames;
                *places += 1;
                if row.late_ms > worst.late_ms {
                    *worst = row;
                }
            }
            None => groups.push((row, row.stretch.frames, 1)),
        }
    }
    if !groups.is_empty() {
        writeln!(f, "\nread otherwise than the devices said; the worst of each:")?;
    }
    for (row, frames, places) in groups {
        let (frames, places) = (counted(frames, "frame"), counted(places, "place"));
        writeln!(f, "  {frames} in {places}, frame {}: {}", row.stretch.from_frame, row.words)?;
    }
    Ok(())
}

fn counted(count: u64, what: &str) -> String {
    format!("{count} {what}{}", if count == 1 { "" } else { "s" })
}

fn places<'a>(
    f: &mut fmt::Formatter<'_>,
    rows: impl ExactSizeIterator<Item = (u64, u64, &'a str)>,
) -> fmt::Result {
    let left = rows.len().saturating_sub(LISTED);
    for (time, frame, words) in rows.take(LISTED) {
        writeln!(f, "{:>14}  frame {frame}: {words}", Nanos(time).to_string())?;
    }
    if left > 0 {
        writeln!(f, "{left} more; --json lists all")?;
    }
    Ok(())
}

impl fmt::Display for ValueRow {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let name = format!("{:<20}", self.name);
        let Some(is) = &self.is else {
            return writeln!(f, "  {name} not compared: the rig knows nothing of that name");
        };
        let name = format!("{name} {is:<20}");
        if self.differed == 0 {
            return writeln!(f, "  {name} agrees in {} frames", self.compared);
        }
        let (differed, compared, most) = (self.differed, self.compared, self.most);
        writeln!(f, "  {name} differs in {differed} of {compared} frames, by up to {most:.3}")?;
        for CauseRow { frames, places, words, .. } in &self.causes {
            let (frames, places) = (counted(*frames, "frame"), counted(*places, "place"));
            writeln!(f, "      {frames} in {places}: the game {words}")?;
        }
        Ok(())
    }
}

impl fmt::Display for LatencyRow {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.presses == 0 {
            return Ok(());
        }
        writeln!(f, "\nfrom a press to the value it turns on ({} presses, in ms):", self.presses)?;
        writeln!(f, "  {:<34} {:>8} {:>8} {:>8}", "", "median", "p95", "longest")?;
        let parts = [
            ("device: from report to report", self.report_ms),
            ("event → the poll that read it", self.to_poll_ms),
            ("poll → value", self.to_value_ms),
            ("event → value", self.whole_ms),
        ];
        for (name, times) in parts {
            if let Some(Times { median, p95, longest }) = times {
                writeln!(f, "  {name:<34} {median:>8.2} {p95:>8.2} {longest:>8.2}")?;
            }
        }
        Ok(())
    }
}
