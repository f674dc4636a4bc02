//! What several commands share: the rig, how to print, when to fail.

use super::listen::ListenArgs;
use crate::{
    files::{self, RigSource},
    maps::Maps,
    recorder::{self, Ring},
};
use clap::{
    Args, ValueEnum,
    builder::{PossibleValue, PossibleValuesParser, TypedValueParser},
};
use gtrig_analysis::{Capacity, Session};
use gtrig_core::{Keyword, Nanos, Rig, Tick, harmless};
use gtrig_live::ReaderDoor;
use gtrig_sources::{Cab, Source, Story};
#[cfg(target_os = "linux")]
use gtrig_sources::{HidRaw, Kernel, Wanted};
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use std::{
    io::{self, Write},
    path::{Path, PathBuf},
    time::{Duration, Instant},
};

/// How a command ended, for scripts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Status {
    /// All is well.
    Fine,
    /// The data says no.
    No,
}

impl Status {
    /// No, if something forbids it.
    pub const fn no_if(is_refused: bool) -> Self {
        if is_refused { Status::No } else { Status::Fine }
    }

    /// The worse of two.
    #[must_use]
    pub fn or(self, other: Status) -> Self {
        if self == Status::No { self } else { other }
    }
}

/// The rig, as every command takes it.
#[derive(Args, Clone, Debug, Default)]
pub struct RigArgs {
    /// The rig that says how to sample, shape and name (TOML; see
    /// docs/rig-format.md). Without it, the shipped Kestrel Quay rig.
    #[arg(long, value_name = "FILE")]
    pub rig: Option<PathBuf>,
    /// Poll at this rate instead of the rig's: 10 to 1000.
    #[arg(long, value_name = "HZ")]
    pub hz: Option<f64>,
}

/// How much of a reel is kept while it is recorded.
#[derive(Args, Clone, Copy, Debug, Default)]
pub struct RingArgs {
    /// Of a reel (a name that ends in .reel) keep so many GiB: the oldest segments go.
    /// Without it, 16.
    #[arg(long, value_name = "GIB", value_parser = amount)]
    keep_gib: Option<f64>,
    /// Of a reel keep so many hours: the oldest segments go. Without it, all that fits.
    #[arg(long, value_name = "HOURS", value_parser = amount)]
    keep_hours: Option<f64>,
}

/// A number that is more than nothing.
fn amount(text: &str) -> Result<f64, String> {
    let number = text.parse::<f64>().ok().filter(|number| *number > 0.0 && number.is_finite());
    number.ok_or_else(|| "a number above 0 is asked for, such as 2 or 0.5".to_owned())
}

impl RingArgs {
    /// What they say of a recording to `path`.
    ///
    /// # Errors
    /// When they are given for a take, which is one file.
    pub fn ring(self, path: Option<&Path>) -> anyhow::Result<Ring> {
        let is_given = self.keep_gib.is_some() || self.keep_hours.is_some();
        if is_given && !path.is_some_and(recorder::is_reel) {
            anyhow::bail!(
                "--keep-gib and --keep-hours are of a reel: record to a name that ends in .reel"
            );
        }
        let bytes = self.keep_gib.map(|gib| (gib * f64::from(1 << 30)) as u64);
        let age = self.keep_hours.map(|hours| Nanos((hours * 3.6e12) as u64));
        Ok(Ring {
            bytes: bytes.unwrap_or(Ring::DEFAULT.bytes),
            age: age.unwrap_or(Ring::DEFAULT.age),
        })
    }
}

impl RigArgs {
    /// Reads it.
    ///
    /// # Errors
    /// Those of [`files::rig`].
    pub fn read(&self) -> anyhow::Result<Rig> {
        files::rig(self.rig.as_deref(), self.hz)
    }

    /// Where it comes from, to be written back and followed.
    ///
    /// # Errors
    /// When the file cannot be read any more.
    pub fn source(&self) -> anyhow::Result<RigSource> {
        RigSource::of(self.rig.as_deref(), self.hz)
    }
}

/// By which maps devices are seen.
#[derive(Args, Clone, Debug, Default)]
pub struct MapArgs {
    /// A map that names the controls of a device (TOML; see docs/map-format.md). May be
    /// given several times; those in ~/.config/gtrig/maps are always in force.
    #[arg(long = "map", value_name = "FILE")]
    named: Vec<PathBuf>,
    /// Leave all maps out: controls go by the names they have without one.
    #[arg(long, conflicts_with = "named")]
    as_found: bool,
}

impl MapArgs {
    /// Reads them, and says what is wrong with those that nobody named.
    ///
    /// # Errors
    /// Those of [`Maps::read`].
    pub fn read(&self) -> anyhow::Result<Maps> {
        if self.as_found {
            return Ok(Maps::default());
        }
        let maps = Maps::read(&self.named)?;
        maps.troubles.iter().for_each(|trouble| complain(trouble));
        Ok(maps)
    }
}

/// How keys of a terminal end.
#[derive(Args, Clone, Copy, Debug)]
pub struct KeyArgs {
    /// Where the terminal reports no key releases, conclude one after this
    /// many milliseconds of silence of a key: longer holds keys through the
    /// pause before auto-repeat, shorter lets taps end sooner.
    #[arg(long, value_name = "MS", default_value_t = RELEASE_AFTER_MS, value_parser = clap::value_parser!(u64).range(20..=2000))]
    release_after: u64,
}

const RELEASE_AFTER_MS: u64 = 150;

impl Default for KeyArgs {
    fn default() -> Self {
        KeyArgs { release_after: RELEASE_AFTER_MS }
    }
}

impl KeyArgs {
    /// After which silence a key counts as released.
    pub const fn after(self) -> Nanos {
        Nanos::from_millis(self.release_after)
    }
}

/// How reports are printed.
#[derive(Args, Clone, Copy, Debug)]
pub struct Printing {
    /// Print JSON, one object a line, instead of text for people (see
    /// docs/reports.md).
    #[arg(long)]
    json: bool,
    /// Print CSV, with a line of titles; of several takes the first column says
    /// which.
    #[arg(long, conflicts_with = "json")]
    csv: bool,
    #[arg(long, value_enum, hide = true)]
    form: Option<Form>,
}

/// As what something is printed; also how that was asked for before there were
/// `--json` and `--csv`.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum Form {
    /// For people.
    Text,
    /// One object a line.
    Json,
    /// Rows.
    Csv,
}

impl Printing {
    /// As what reports are to be printed, if that is said.
    pub fn form(self) -> Option<Form> {
        match (self.json, self.csv) {
            (true, _) => Some(Form::Json),
            (_, true) => Some(Form::Csv),
            _ => self.form,
        }
    }

    /// The same of a command that prints text without being asked.
    pub fn text(self) -> Form {
        self.form().unwrap_or(Form::Text)
    }
}

/// Says something on standard error. File names and contents are from outside
/// and must not command the terminal.
pub fn complain(text: &str) {
    // Where nobody can be told, there is nothing to be done about it.
    let _ = writeln!(io::stderr(), "gtrig: {}", harmless(text));
}

/// So many names are told of those that could have been meant.
const NAMES: usize = 20;

/// That somebody asked for what is not there, with what is: `what` is as in "the rig has no shape".
pub fn missing<'n>(what: &str, name: &str, names: impl Iterator<Item = &'n str>) -> anyhow::Error {
    let names: Vec<&str> = names.collect();
    let told = match names.len() {
        0 => "none".to_owned(),
        count if count > NAMES => {
            format!("{} and {} more", names[..NAMES].join(", "), count - NAMES)
        }
        _ => names.join(", "),
    };
    anyhow::anyhow!("{what} \"{}\"; it has {told}", name.escape_debug())
}

/// An error and what caused it, without the causes that it names itself.
pub fn told(error: &anyhow::Error) -> String {
    error.chain().fold(String::new(), |told, cause| {
        let cause = cause.to_string();
        match told.is_empty() {
            true => cause,
            false if told.contains(&cause) => told,
            false => format!("{told}: {cause}"),
        }
    })
}

/// Reads the name of a story.
pub fn story() -> impl TypedValueParser<Value = Story> {
    let names = Story::ALL.iter().map(|story| PossibleValue::new(story.word()).help(story.title()));
    PossibleValuesParser::new(names)
        .map(|name| Story::from_word(&name).expect("the parser lets no other name pass"))
}

/// Which kernel devices to listen to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub enum KernelChoice {
    /// None.
    None,
    /// Pads, levers, panels and the like, but no keyboard and no mouse: what
    /// is typed in another window must not be recorded.
    Pads,
    /// Every one, keyboards and mice included, whichever window they are
    /// typing into.
    All,
}

/// Which of this machine's devices to listen to.
#[derive(Args, Clone, Debug)]
pub struct SourceArgs {
    /// Which kernel devices to listen to (Linux, /dev/input).
    #[arg(long, value_enum, default_value_t = KernelChoice::Pads)]
    pub kernel: KernelChoice,
    /// Listen to HID devices too, to their reports as they send them, without a driver
    /// between (Linux, /dev/hidraw*; see docs/hid.md).
    #[arg(long)]
    pub hid: bool,
    /// Where programs that send are heard.
    #[command(flatten)]
    pub listen: ListenArgs,
    #[command(flatten)]
    maps: MapArgs,
}

impl Default for SourceArgs {
    fn default() -> Self {
        let (listen, maps) = (ListenArgs::default(), MapArgs::default());
        SourceArgs { kernel: KernelChoice::Pads, hid: false, listen, maps }
    }
}

impl SourceArgs {
    /// The devices as sources, seen through maps; none where none are wanted. `now` is
    /// the instant of the session at which it is called; pages hand those who read over to
    /// `readers`; addresses of messages are controls by the rig.
    ///
    /// # Errors
    /// When they cannot be listened to, with what to do; on systems that are not Linux,
    /// where any are wanted. Those of the maps.
    pub fn start(
        &self,
        rig: &Rig,
        readers: Option<ReaderDoor>,
        now: Nanos,
    ) -> anyhow::Result<Vec<Box<dyn Source>>> {
        let maps = self.maps.read()?;
        let kernel = self.kernel(&maps, now)?;
        self.beside(kernel, &maps, (rig, readers), now)
    }

    /// The same where a machine without kernel devices will do, unless they were asked
    /// for.
    ///
    /// # Errors
    /// Those of [`SourceArgs::start`].
    pub fn start_if_there(
        &self,
        rig: &Rig,
        readers: Option<ReaderDoor>,
        now: Nanos,
    ) -> anyhow::Result<Vec<Box<dyn Source>>> {
        let maps = self.maps.read()?;
        let kernel = match self.kernel(&maps, now) {
            Err(_) if self.kernel == KernelChoice::Pads => Vec::new(),
            kernel => kernel?,
        };
        self.beside(kernel, &maps, (rig, readers), now)
    }

    /// The same for a command that has nothing else to do: where programs are heard, a
    /// machine without devices will do.
    ///
    /// # Errors
    /// Those of [`SourceArgs::start`]; when nothing is wanted.
    pub fn start_for_work(
        &self,
        rig: &Rig,
        readers: Option<ReaderDoor>,
        now: Nanos,
    ) -> anyhow::Result<Vec<Box<dyn Source>>> {
        let sources = match self.listen.places().is_empty() {
            true => self.start(rig, readers, now)?,
            false => self.start_if_there(rig, readers, now)?,
        };
        anyhow::ensure!(
            !sources.is_empty(),
            "there is nothing to hear with --kernel none; name a place for programs with --listen"
        );
        Ok(sources)
    }

    /// The other sources, after those of the kernel.
    fn beside(
        &self,
        mut sources: Vec<Box<dyn Source>>,
        maps: &Maps,
        (rig, readers): (&Rig, Option<ReaderDoor>),
        now: Nanos,
    ) -> anyhow::Result<Vec<Box<dyn Source>>> {
        sources.extend(self.hid(maps, now)?);
        sources.extend(self.listen.start(maps, rig, readers, now)?);
        Ok(sources)
    }

    #[cfg(target_os = "linux")]
    fn kernel(&self, maps: &Maps, now: Nanos) -> anyhow::Result<Vec<Box<dyn Source>>> {
        let wanted = match self.kernel {
            KernelChoice::None => return Ok(Vec::new()),
            KernelChoice::Pads => Wanted::NoKeysNorMice,
            KernelChoice::All => Wanted::All,
        };
        let kernel = Kernel::start(Path::new("/dev/input"), wanted, maps.all(), now)?;
        Ok(vec![Box::new(kernel)])
    }

    #[cfg(target_os = "linux")]
    fn hid(&self, maps: &Maps, now: Nanos) -> anyhow::Result<Option<Box<dyn Source>>> {
        if !self.hid {
            return Ok(None);
        }
        let is_all = self.kernel == KernelChoice::All;
        let wanted = if is_all { Wanted::All } else { Wanted::NoKeysNorMice };
        Ok(Some(Box::new(HidRaw::start(Path::new("/dev"), wanted, maps.all(), now)?)))
    }

    #[cfg(not(target_os = "linux"))]
    fn kernel(&self, _: &Maps, _: Nanos) -> anyhow::Result<Vec<Box<dyn Source>>> {
        match self.kernel {
            KernelChoice::None => Ok(Vec::new()),
            _ => anyhow::bail!("kernel devices are read on Linux only; use --kernel none"),
        }
    }

    #[cfg(not(target_os = "linux"))]
    fn hid(&self, _: &Maps, _: Nanos) -> anyhow::Result<Option<Box<dyn Source>>> {
        anyhow::ensure!(!self.hid, "HID devices are read on Linux only");
        Ok(None)
    }
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

/// A progress bar on standard error, shown only to a person, and only for work
/// that takes longer than half a second.
pub struct SlowBar {
    bar: ProgressBar,
    parts: usize,
    started: Instant,
}

/// Steps of the bar for each part of the work.
const BAR_STEPS: u64 = 1000;

impl SlowBar {
    /// A bar over so many parts.
    pub fn new(parts: usize) -> Self {
        let bar = ProgressBar::with_draw_target(
            Some(parts as u64 * BAR_STEPS),
            ProgressDrawTarget::hidden(),
        );
        SlowBar { bar, parts, started: Instant::now() }
    }

    /// How many parts are done.
    pub fn show(&mut self, done: f64) {
        if self.bar.is_hidden() && self.started.elapsed() > Duration::from_millis(500) {
            let style =
                ProgressStyle::with_template("auditing {wide_bar} {percent:>3} %, {eta} left");
            self.bar.set_style(style.unwrap_or_else(|_| ProgressStyle::default_bar()));
            // Hidden again by the bar itself where standard error is no terminal.
            self.bar.set_draw_target(ProgressDrawTarget::stderr());
        }
        let step = (done * BAR_STEPS as f64) as u64;
        self.bar.set_position(step.min(self.parts as u64 * BAR_STEPS));
    }

    /// All of them.
    pub fn finish(&self) {
        self.bar.finish_and_clear();
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(0, "no shape \"it\"; it has none")]
    #[case(2, "no shape \"it\"; it has s0, s1")]
    #[case(20, "s18, s19")]
    #[case(23, "s18, s19 and 3 more")]
    fn so_many_names_are_told(#[case] count: usize, #[case] expected: &str) {
        let names: Vec<String> = (0..count).map(|n| format!("s{n}")).collect();
        let told = missing("the rig has no shape", "it", names.iter().map(String::as_str));
        assert!(told.to_string().ends_with(expected), "{told}");
    }
}
