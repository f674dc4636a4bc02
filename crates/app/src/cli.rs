//! The command line.

use crate::{
    files::{self, RigSource},
    headless::{self, FigureOf, ShapeTo, Simulated},
    loops::{self, AuditBy},
    screen::{self, Start},
};
use clap::{Args, Parser, Subcommand, ValueEnum};
use gtrig_analysis::{Capacity, Session, audit::Hitches};
use gtrig_core::{Nanos, Tick};
use gtrig_formats::combos::ComboLines;
use gtrig_sources::{Source, Story};
use std::{path::PathBuf, process::ExitCode};

/// Watch raw input become presses, shaped sticks and actions, tick by tick.
///
/// Green Trigger reads devices once per tick as a game engine does, shows what
/// was reported, what the poll saw and what game code would read, keeps the
/// whole history, and says why. Press ? on the full screen for all its keys.
#[derive(Debug, Parser)]
#[command(name = "gtrig", version, max_term_width = 100, after_help = AFTER_HELP)]
pub struct Cli {
    #[command(subcommand)]
    command: Option<Command>,
}

const AFTER_HELP: &str = "\
Without a command, gtrig watches this terminal's keyboard and mouse with the
shipped rig (the same as `gtrig live`).

Exit codes:
  0  all is well
  1  the data says no: a damaged take, mistakes in a rig, a lost press where
     --deny-lost forbids it, a doubtful stream where --strict does
  2  misuse: an unknown option, a file that cannot be read or is no take

Examples:
  gtrig demo                       a simulated crane cab, at work
  gtrig demo lost-tap              a story: why the horn did not sound
  gtrig live --rig mine.toml       your keys, your rig
  gtrig record bug.take.jsonl      pads and levers to a take, without a screen
  gtrig open bug.take.jsonl        look at a recording
  gtrig audit bug.take.jsonl       would another poll rate have seen it?
  gtrig health bug.take.jsonl      did all its reports come, and in time?
  gtrig measure bug.take.jsonl     what its sticks can really do
  gtrig compare bug.take.jsonl a.toml b.toml
                                   what another rig would have changed
  gtrig replay bug.take.jsonl      the same, as JSON Lines for a test";

#[derive(Debug, Subcommand)]
enum Command {
    /// Watch this terminal's keyboard and mouse, full screen.
    Live {
        #[command(flatten)]
        rig: RigArgs,
        #[command(flatten)]
        keys: KeyArgs,
        /// Which kernel devices to listen to besides (Linux, /dev/input).
        #[arg(long, value_enum, default_value_t = KernelChoice::Pads)]
        kernel: KernelChoice,
        /// Record to this take as it happens; it must not exist yet.
        #[arg(long, value_name = "FILE")]
        record: Option<PathBuf>,
    },
    /// Record kernel devices to a take, without a screen, until Ctrl+C.
    Record {
        /// The take to write; it must not exist yet.
        take: PathBuf,
        #[command(flatten)]
        rig: RigArgs,
        /// Which kernel devices to listen to (Linux, /dev/input).
        #[arg(long, value_enum, default_value_t = KernelChoice::Pads)]
        kernel: KernelChoice,
        /// Stop after this many seconds.
        #[arg(long, value_name = "S")]
        seconds: Option<u64>,
    },
    /// Watch a simulated crane cab at work, or one of its stories, full screen.
    Demo {
        /// A story that ships with the program; without one, the cab goes on
        /// for ever.
        story: Option<StoryName>,
        /// What the operator's little variations are drawn from.
        #[arg(long, default_value_t = 1, conflicts_with = "story")]
        seed: u64,
        #[command(flatten)]
        rig: RigArgs,
        #[command(flatten)]
        keys: KeyArgs,
    },
    /// Look at a take, full screen.
    Open {
        /// The recording (JSON Lines; see docs/take-format.md).
        take: PathBuf,
        #[command(flatten)]
        rig: RigArgs,
    },
    /// Run a take through a rig and print edges and actions, tick by tick.
    ///
    /// The same take and rig always print the same bytes, and they are what
    /// the full screen shows.
    Replay {
        /// The recording (JSON Lines; see docs/take-format.md).
        take: PathBuf,
        #[command(flatten)]
        rig: RigArgs,
        /// How to print.
        #[arg(long, value_enum, default_value_t = Form::Json)]
        form: Form,
        /// Print every tick with all actions, not only those where something
        /// happened.
        #[arg(long)]
        every_tick: bool,
        /// Exit with 1 when any press was lost between two polls.
        #[arg(long)]
        deny_lost: bool,
    },
    /// Poll a take by loops of other kinds, and say what each would have lost,
    /// seen late, or read twice.
    Audit {
        /// The recording (JSON Lines; see docs/take-format.md).
        take: PathBuf,
        #[command(flatten)]
        rig: RigArgs,
        /// The poll rates to try.
        #[arg(
            long,
            value_name = "HZ,…",
            value_delimiter = ',',
            default_value = loops::USUAL_RATES
        )]
        rates: Vec<f64>,
        /// How far polls stray, in percent of the period to either side: 0 to 50.
        #[arg(long, value_name = "PERCENT", default_value_t = 0)]
        #[arg(value_parser = clap::value_parser!(u8).range(0..=50))]
        jitter: u8,
        /// Stalls: one that lasts LASTS milliseconds begins every EVERY milliseconds.
        #[arg(long, value_name = "EVERY:LASTS", value_parser = loops::hitches)]
        hitch: Option<Hitches>,
        /// Take the loops for frames that feed a fixed step of this rate.
        #[arg(long, value_name = "HZ")]
        step: Option<f64>,
        /// How to print.
        #[arg(long, value_enum, default_value_t = ReportForm::Text)]
        form: ReportForm,
        /// Draw a chart too: a file that ends in .svg or .pdf.
        #[arg(long, value_name = "FILE")]
        chart: Option<PathBuf>,
    },
    /// Say how well the reports of each device of a take came: intervals, and
    /// what is missing, late, out of order or twice.
    Health {
        /// The recording (JSON Lines; see docs/take-format.md).
        take: PathBuf,
        #[command(flatten)]
        rig: RigArgs,
        /// How to print.
        #[arg(long, value_enum, default_value_t = ReportForm::Text)]
        form: ReportForm,
        /// Exit with 1 when anything is wrong with a stream.
        #[arg(long)]
        strict: bool,
    },
    /// Say what came of every attempt at a gesture of a take, with all margins;
    /// and, where labels read `meant: NAME`, what was understood.
    Gestures {
        /// The recording (JSON Lines; see docs/take-format.md).
        take: PathBuf,
        #[command(flatten)]
        rig: RigArgs,
        /// How to print: JSON is one object a line.
        #[arg(long, value_enum, default_value_t = ReportForm::Text)]
        form: ReportForm,
        /// Exit with 1 when a label was missed or something fired that nobody
        /// meant.
        #[arg(long)]
        strict: bool,
    },
    /// Say what came of every attempt at a combo of a take, with all margins; and
    /// what comes out differently in loops of other rates.
    Combos {
        /// The recording (JSON Lines; see docs/take-format.md).
        take: PathBuf,
        #[command(flatten)]
        rig: RigArgs,
        /// Only what nearly fired, the nearest first.
        #[arg(long)]
        near: bool,
        /// Compare loops of these poll rates; without a value the usual ones.
        #[arg(long, value_name = "HZ,…", value_delimiter = ',', num_args = 0..)]
        #[arg(default_missing_value = "30,60,120,240")]
        rates: Vec<f64>,
        /// Compare loops with stalls: one that lasts LASTS milliseconds begins every
        /// EVERY milliseconds.
        #[arg(long, value_name = "EVERY:LASTS", value_parser = loops::hitches, requires = "rates")]
        hitch: Option<Hitches>,
        /// How to print: JSON is one object a line.
        #[arg(long, value_enum, default_value_t = ReportForm::Text)]
        form: ReportForm,
        /// Exit with 1 when something nearly fired, or comes out differently.
        #[arg(long)]
        strict: bool,
    },
    /// Measure the sticks of a take: noise, centre, reach, snap-back, levels; and
    /// propose calibration and dead zone.
    Measure {
        /// The recording (JSON Lines; see docs/take-format.md).
        take: PathBuf,
        /// Only this one, such as pad1/stick-l; without it, all.
        stick: Option<String>,
        #[command(flatten)]
        rig: RigArgs,
        /// How to print.
        #[arg(long, value_enum, default_value_t = ReportForm::Text)]
        form: ReportForm,
        /// Draw the measurement of the stick that is named: a file that ends in
        /// .svg or .pdf.
        #[arg(long, value_name = "FILE", requires = "stick")]
        chart: Option<PathBuf>,
    },
    /// Send raw values through a shape and print what comes of them after each
    /// stage; or print the shape as a table.
    ///
    /// Values are read from standard input, one or two whole numbers a line.
    Shape {
        /// The rig (TOML; see docs/rig-format.md).
        rig: PathBuf,
        /// One of its [shape.*] tables.
        shape: String,
        /// What the axes report: at one end, at rest and at the other end. Of a
        /// trigger the first two are the same.
        #[arg(long, value_name = "MIN,CENTRE,MAX", default_value = "-32768,0,32767")]
        #[arg(value_delimiter = ',', num_args = 1, allow_hyphen_values = true)]
        range: Vec<i32>,
        /// Values a second, for stages that remember; without it, the rig's
        /// poll rate.
        #[arg(long, value_name = "HZ")]
        hz: Option<f64>,
        /// Print the response at so many shares of the travel, and read nothing.
        #[arg(long, value_name = "POINTS", value_parser = clap::value_parser!(u32).range(2..=1_000_000))]
        table: Option<u32>,
        /// How to print the table.
        #[arg(long, value_enum, default_value_t = TableForm::Csv, requires = "table")]
        form: TableForm,
        /// Draw its zones, its curve and its speed by direction instead, and read
        /// nothing: a file that ends in .svg or .pdf.
        #[arg(long, value_name = "FILE", conflicts_with = "table")]
        chart: Option<PathBuf>,
    },
    /// Run a take by two rigs and print what comes out differently.
    Compare {
        /// The recording (JSON Lines; see docs/take-format.md).
        take: PathBuf,
        /// The rig before.
        before: PathBuf,
        /// The rig after.
        after: PathBuf,
        /// How to print.
        #[arg(long, value_enum, default_value_t = ReportForm::Text)]
        form: ReportForm,
        /// Exit with 1 when anything comes out differently.
        #[arg(long)]
        strict: bool,
    },
    /// Draw lanes of a take over time, or a stick with its shape, as SVG or PDF.
    Figure {
        /// The recording (JSON Lines; see docs/take-format.md).
        take: PathBuf,
        /// The figure: a file that ends in .svg or .pdf.
        figure: PathBuf,
        #[command(flatten)]
        rig: RigArgs,
        /// Show only lanes whose name has these words, as / does on the screen.
        #[arg(long, default_value = "")]
        lanes: String,
        /// Draw the stick, axis or trigger of this action instead of lanes: where it
        /// was, zones and gate, what came of it, its curve, its speed by direction.
        #[arg(long, value_name = "ACTION", conflicts_with = "lanes")]
        stick: Option<String>,
        /// Draw a touch panel instead: its zones, the paths of its contacts, what
        /// fired and what missed by little. With the name of a gesture, all that
        /// came of that one, and its limits where each attempt began.
        #[arg(long, value_name = "GESTURE", num_args = 0..=1, conflicts_with_all = ["lanes", "stick"])]
        touch: Option<Option<String>>,
        /// Draw the ladder of this combo instead: of the attempts in the stretch the
        /// nearest miss, or else the last, with its windows; and all intervals.
        #[arg(long, value_name = "COMBO", conflicts_with_all = ["lanes", "stick", "touch"])]
        ladder: Option<String>,
        /// From this instant on, in milliseconds.
        #[arg(long, value_name = "MS", default_value_t = 0)]
        from: u64,
        /// Up to this instant; without it, to the end.
        #[arg(long, value_name = "MS")]
        to: Option<u64>,
        /// The title; without it, that of the take.
        #[arg(long)]
        title: Option<String>,
    },
    /// Check a rig: list every mistake with its place, and what a sound one
    /// probably does not mean.
    Check {
        /// The rig (TOML; see docs/rig-format.md).
        rig: PathBuf,
        /// How to print: JSON is one object a line, a doubt each.
        #[arg(long, value_enum, default_value_t = ReportForm::Text)]
        form: ReportForm,
    },
    /// Write a take of the simulated crane cab to standard output.
    Simulate {
        /// A story that ships with the program; without one, the cab at work.
        story: Option<StoryName>,
        /// What the operator's little variations are drawn from.
        #[arg(long, default_value_t = 1, conflicts_with = "story")]
        seed: u64,
        /// How long the operator works.
        #[arg(long, default_value_t = 12, conflicts_with = "story", value_parser = clap::value_parser!(u64).range(1..=3600))]
        seconds: u64,
        /// Instead, so many strokes on the glass panel, labelled with what was
        /// meant: `gtrig gestures` says how many of them a rig understands.
        #[arg(long, conflicts_with_all = ["story", "seconds"], value_parser = clap::value_parser!(u32).range(1..=i64::from(gtrig_sources::MAX_STROKES)))]
        strokes: Option<u32>,
    },
}

#[derive(Args, Debug)]
struct RigArgs {
    /// The rig that says how to sample, shape and name (TOML; see
    /// docs/rig-format.md). Without it, the shipped Kestrel Quay rig.
    #[arg(long, value_name = "FILE")]
    rig: Option<PathBuf>,
    /// Poll at this rate instead of the rig's: 10 to 1000.
    #[arg(long, value_name = "HZ")]
    hz: Option<f64>,
}

#[derive(Args, Debug)]
struct KeyArgs {
    /// Where the terminal reports no key releases, conclude one after this
    /// many milliseconds of silence of a key: longer holds keys through the
    /// pause before auto-repeat, shorter lets taps end sooner.
    #[arg(long, value_name = "MS", default_value_t = 150, value_parser = clap::value_parser!(u64).range(20..=2000))]
    release_after: u64,
}

/// Which kernel devices to listen to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum KernelChoice {
    /// None.
    None,
    /// Pads, levers, panels and the like, but no keyboard and no mouse: what
    /// is typed elsewhere is nobody's business.
    Pads,
    /// Every one, keyboards and mice included, whichever window they are
    /// typing into.
    All,
}

/// How replay prints.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum Form {
    /// A JSON object a tick, then one of totals.
    Json,
    /// A row for each edge and each changed action.
    Csv,
}

/// How a report prints.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum ReportForm {
    /// A table for people.
    Text,
    /// One JSON object.
    Json,
}

/// How a table prints.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum TableForm {
    /// Two columns.
    Csv,
    /// An array of objects.
    Json,
}

/// A story, as the command line names it.
#[derive(Clone, Copy, Debug)]
struct StoryName(Story);

impl ValueEnum for StoryName {
    fn value_variants<'a>() -> &'a [Self] {
        const ALL: [StoryName; Story::ALL.len()] = {
            let mut all = [StoryName(Story::ALL[0]); Story::ALL.len()];
            let mut i = 0;
            while i < all.len() {
                all[i] = StoryName(Story::ALL[i]);
                i += 1;
            }
            all
        };
        &ALL
    }

    fn to_possible_value(&self) -> Option<clap::builder::PossibleValue> {
        Some(clap::builder::PossibleValue::new(self.0.name()).help(self.0.title()))
    }
}

/// The demo opens with this much behind it, so that there is something to see.
const ALREADY_WORKED: Nanos = Nanos::from_millis(29_600);

/// How a command ended, for scripts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Verdict {
    /// All is well.
    Fine,
    /// The data says no.
    No,
}

/// Runs the program.
pub fn main() -> ExitCode {
    // clap itself exits with 2 on misuse.
    match run(Cli::parse()) {
        Ok(Verdict::Fine) => ExitCode::SUCCESS,
        Ok(Verdict::No) => ExitCode::from(1),
        Err(error) if is_closed_pipe(&error) => ExitCode::SUCCESS,
        Err(error) => {
            complain(&format!("{error:#}"));
            let data = error.is::<gtrig_formats::rig::RigError>();
            ExitCode::from(if data { 1 } else { 2 })
        }
    }
}

/// Says something on standard error. File names and contents are from outside
/// and must not command the terminal.
pub(crate) fn complain(text: &str) {
    let harmless =
        |c: char| if c.is_control() && c != '\n' { char::REPLACEMENT_CHARACTER } else { c };
    eprintln!("gtrig: {}", text.chars().map(harmless).collect::<String>());
}

/// Whoever read our output has seen enough: no failure.
fn is_closed_pipe(error: &anyhow::Error) -> bool {
    let io = error.downcast_ref::<std::io::Error>();
    io.is_some_and(|e| e.kind() == std::io::ErrorKind::BrokenPipe)
}

fn run(cli: Cli) -> anyhow::Result<Verdict> {
    let command = cli.command.unwrap_or(Command::Live {
        rig: RigArgs { rig: None, hz: None },
        keys: KeyArgs { release_after: 150 },
        kernel: KernelChoice::Pads,
        record: None,
    });
    match command {
        Command::Live { rig, keys, kernel, record } => {
            let source = RigSource::of(rig.rig.as_deref())?;
            let rig = files::rig(rig.rig.as_deref(), rig.hz)?;
            let session = Box::new(Session::new(rig, Tick(0), Capacity::DEFAULT));
            let sources = live_sources(kernel)?;
            let start = Start::Live { session, began: Nanos(0), sources, record };
            screen::run(start, source, keys.after())
        }
        Command::Record { take, rig, kernel, seconds } => {
            let rig = files::rig(rig.rig.as_deref(), rig.hz)?;
            let sources = headless::kernel_source(kernel)?;
            anyhow::ensure!(!sources.is_empty(), "there is nothing to record with --kernel none");
            headless::record(&take, rig, sources, seconds)
        }
        Command::Demo { story: None, seed, rig, keys } => {
            let source = RigSource::of(rig.rig.as_deref())?;
            let rig = files::rig(rig.rig.as_deref(), rig.hz)?;
            let (session, cab) = headless::cab_session(rig, seed, ALREADY_WORKED);
            let (session, sources) = (Box::new(session), vec![Box::new(cab) as Box<dyn Source>]);
            let start = Start::Live { session, began: ALREADY_WORKED, sources, record: None };
            screen::run(start, source, keys.after())
        }
        Command::Demo { story: Some(StoryName(story)), rig, keys, .. } => {
            let source = RigSource::of(rig.rig.as_deref())?;
            let rig = files::rig(rig.rig.as_deref(), rig.hz.or(story.poll_hz()))?;
            let opened = files::shipped_take(story, rig)?;
            screen::run(Start::Take(Box::new(opened)), source, keys.after())
        }
        Command::Open { take, rig } => {
            let source = RigSource::of(rig.rig.as_deref())?;
            let rig = files::rig(rig.rig.as_deref(), rig.hz)?;
            let opened = files::open_take(&take, rig, Capacity::DEFAULT)?;
            screen::run(Start::Take(Box::new(opened)), source, Nanos(0))
        }
        Command::Replay { take, rig, form, every_tick, deny_lost } => {
            let rig = files::rig(rig.rig.as_deref(), rig.hz)?;
            let form = match form {
                Form::Json => gtrig_formats::report::Form::JsonLines,
                Form::Csv => gtrig_formats::report::Form::Csv,
            };
            headless::replay(&take, rig, headless::ReplayOptions { form, every_tick, deny_lost })
        }
        Command::Audit { take, rig, rates, jitter, hitch, step, form, chart } => {
            let rig = files::rig(rig.rig.as_deref(), rig.hz)?;
            let by = AuditBy {
                rates: rates.into_iter().map(files::rate).collect::<anyhow::Result<_>>()?,
                jitter,
                hitches: hitch,
                step: step.map(files::rate).transpose()?,
            };
            headless::audit(&take, rig, &by.loops(), form == ReportForm::Json, chart.as_deref())
        }
        Command::Measure { take, stick, rig, form, chart } => {
            let rig = files::rig(rig.rig.as_deref(), rig.hz)?;
            let (stick, is_json) = (stick.as_deref(), form == ReportForm::Json);
            headless::measure(&take, rig, stick, is_json, chart.as_deref())
        }
        Command::Shape { rig, shape, range, hz, table, form, chart } => {
            let rig = files::rig(Some(&rig), hz)?;
            let to = match (table, chart) {
                (Some(points), _) => {
                    ShapeTo::Table { points: points as usize, is_json: form == TableForm::Json }
                }
                (None, Some(path)) => ShapeTo::Chart(path),
                (None, None) => ShapeTo::Stages,
            };
            headless::shape(&rig, &shape, &range, &to)
        }
        Command::Compare { take, before, after, form, strict } => {
            let rigs = [files::rig(Some(&before), None)?, files::rig(Some(&after), None)?];
            headless::compare(&take, rigs, form == ReportForm::Json, strict)
        }
        Command::Health { take, rig, form, strict } => {
            let rig = files::rig(rig.rig.as_deref(), rig.hz)?;
            headless::health(&take, rig, form == ReportForm::Json, strict)
        }
        Command::Gestures { take, rig, form, strict } => {
            let rig = files::rig(rig.rig.as_deref(), rig.hz)?;
            headless::gestures(&take, rig, form == ReportForm::Json, strict)
        }
        Command::Figure { take, figure, rig, lanes, stick, touch, ladder, from, to, title } => {
            let rig = files::rig(rig.rig.as_deref(), rig.hz)?;
            let time = (Nanos::from_millis(from), to.map(Nanos::from_millis));
            let of = match (stick, touch, ladder) {
                (Some(action), ..) => FigureOf::Stick(action),
                (None, Some(gesture), _) => FigureOf::Touch(gesture),
                (None, None, Some(combo)) => FigureOf::Ladder(combo),
                (None, None, None) => FigureOf::Lanes(lanes),
            };
            headless::figure(&take, rig, &figure, &of, time, title)
        }
        Command::Combos { take, rig, near, rates, hitch, form, strict } => {
            let rig = files::rig(rig.rig.as_deref(), rig.hz)?;
            let rates = rates.into_iter().map(files::rate).collect::<anyhow::Result<_>>()?;
            let by = AuditBy { rates, hitches: hitch, ..AuditBy::default() };
            let which = if near { ComboLines::Near } else { ComboLines::All };
            let is_json = form == ReportForm::Json;
            headless::combos(&take, rig, (which, &by.loops()), is_json, strict)
        }
        Command::Check { rig, form } => headless::check(&rig, form == ReportForm::Json),
        Command::Simulate { strokes: Some(count), seed, .. } => {
            headless::simulate(&Simulated::Strokes(count), seed)
        }
        Command::Simulate { story: Some(StoryName(story)), seed, .. } => {
            headless::simulate(&Simulated::Story(story), seed)
        }
        Command::Simulate { seed, seconds, .. } => {
            headless::simulate(&Simulated::Work(Nanos(seconds * 1_000_000_000)), seed)
        }
    }
}

/// The kernel's devices where there are any. A machine without them can
/// still watch its terminal, so only an express wish makes that an error.
fn live_sources(kernel: KernelChoice) -> anyhow::Result<Vec<Box<dyn Source>>> {
    match headless::kernel_source(kernel) {
        Err(_) if kernel == KernelChoice::Pads => Ok(Vec::new()),
        sources => sources,
    }
}

impl KeyArgs {
    fn after(&self) -> Nanos {
        Nanos::from_millis(self.release_after)
    }
}
