//! The commands that only print.

use crate::{
    cli::{KernelChoice, Verdict, complain},
    figure::{self, Excerpt, LadderSheet, StickSheet, TouchSheet},
    files::{self, Opened},
    recorder::Recorder,
    screen::{SETTLE, lanes},
};
use anyhow::Context;
use gtrig_analysis::{
    Capacity, Session,
    audit::{Loop, shortest_state},
    compare::{self, ActionRecord},
    loops::{self, LoopRun},
    measure::Samples,
};
use gtrig_core::{
    ActionId, BoundInput, Chain, ComboId, ControlKind, Event, GestureId, Nanos, Rig, Tick,
};
use gtrig_formats::{
    Report,
    audit::AuditReport,
    combos::{ComboLines, ComboReport},
    compare::CompareReport,
    doubts::{self, Placed},
    gestures::GestureReport,
    health::HealthReport,
    measure::MeasureReport,
    report::{self, Form},
    shape::{self, Passage, PassageError},
    take::{self, Loaded},
};
use gtrig_sources::{Cab, Source, Story};
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use signal_hook::{
    consts::{SIGHUP, SIGINT, SIGTERM},
    iterator::Signals,
};
use std::{
    io::{self, BufWriter, Write},
    path::{Path, PathBuf},
    thread,
    time::{Duration, Instant},
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

/// Says what is wrong with a take, and judges.
fn verdict(path: &Path, loaded: &Loaded, is_refused: bool) -> Verdict {
    for complaint in loaded.complaints() {
        complain(&format!("{}: {complaint}", path.display()));
    }
    if is_refused || !loaded.is_sound() { Verdict::No } else { Verdict::Fine }
}

/// Prints a finding for people, or as JSON where that is asked for.
fn print(report: &dyn Report, json: bool) -> io::Result<()> {
    let mut out = BufWriter::new(io::stdout().lock());
    match json {
        true => report.write_json(&mut out)?,
        false => write!(out, "{report}")?,
    }
    out.flush()
}

/// `gtrig replay`.
///
/// # Errors
/// When the take cannot be opened, or standard output not written.
pub fn replay(path: &Path, rig: Rig, options: ReplayOptions) -> anyhow::Result<Verdict> {
    let Opened { session, loaded, .. } = files::open_take(path, rig, UNLIMITED)?;
    let mut out = BufWriter::with_capacity(1 << 16, io::stdout().lock());
    let totals = report::write(&session, options.form, options.every_tick, &mut out)?;
    out.flush()?;
    let too_many_lost = options.deny_lost && totals.lost > 0;
    if too_many_lost {
        complain(&format!("{}: {} press(es) lost between polls", path.display(), totals.lost));
    }
    Ok(verdict(path, &loaded, too_many_lost))
}

/// `gtrig audit`.
///
/// # Errors
/// When the take cannot be opened, or standard output not written.
pub fn audit(
    path: &Path,
    rig: Rig,
    loops: &[Loop],
    json: bool,
    chart: Option<&Path>,
) -> anyhow::Result<Verdict> {
    let Opened { session, loaded, title, .. } = files::open_take(path, rig, UNLIMITED)?;
    let events: Vec<Event> = session.recording().events().collect();
    let plan = session.plan();
    let mut bar = SlowBar::new(loops.len());
    let audits: Vec<_> = loops
        .iter()
        .zip(0u32..)
        .map(|(of, done)| {
            let tell = |share| bar.show(f64::from(done) + share);
            gtrig_analysis::audit::audit_with(plan, &events, *of, tell)
        })
        .collect();
    bar.finish();
    if let Some(chart) = chart {
        let title = title.as_deref().unwrap_or("What other poll rates would have seen");
        figure::save(&figure::audit(title, &audits), chart)?;
    }
    let report = AuditReport::new(session.roster(), &audits, shortest_state(plan, &events));
    print(&report, json)?;
    Ok(verdict(path, &loaded, false))
}

/// A progress bar on standard error, shown only to a person, and only for work
/// that takes longer than half a second.
struct SlowBar {
    bar: ProgressBar,
    parts: usize,
    started: Instant,
}

/// Steps of the bar for each part of the work.
const BAR_STEPS: u64 = 1000;

impl SlowBar {
    fn new(parts: usize) -> Self {
        let bar = ProgressBar::with_draw_target(
            Some(parts as u64 * BAR_STEPS),
            ProgressDrawTarget::hidden(),
        );
        SlowBar { bar, parts, started: Instant::now() }
    }

    fn show(&mut self, done: f64) {
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

    fn finish(&self) {
        self.bar.finish_and_clear();
    }
}

/// `gtrig health`.
///
/// # Errors
/// When the take cannot be opened, or standard output not written.
pub fn health(path: &Path, rig: Rig, json: bool, strict: bool) -> anyhow::Result<Verdict> {
    let Opened { session, loaded, streams, .. } = files::open_take(path, rig, UNLIMITED)?;
    let report = HealthReport::new(session.roster(), &streams);
    print(&report, json)?;
    Ok(verdict(path, &loaded, strict && !report.is_well()))
}

/// `gtrig gestures`.
///
/// # Errors
/// When the take cannot be opened, the rig has no gestures, or standard output
/// cannot be written.
pub fn gestures(path: &Path, rig: Rig, json: bool, strict: bool) -> anyhow::Result<Verdict> {
    anyhow::ensure!(
        !rig.gestures.is_empty(),
        "the rig has no [gesture.…]: docs/rig-format.md says how to add one"
    );
    let Opened { session, loaded, .. } = files::open_take(path, rig, UNLIMITED)?;
    let report = GestureReport::new(&session);
    let mut out = BufWriter::new(io::stdout().lock());
    report.write(json, &mut out)?;
    out.flush()?;
    Ok(verdict(path, &loaded, strict && !report.is_understood()))
}

/// `gtrig combos`.
///
/// # Errors
/// When the take cannot be read, the rig has no combos, or standard output cannot
/// be written.
pub fn combos(
    path: &Path,
    rig: Rig,
    (which, loops): (ComboLines, &[Loop]),
    json: bool,
    strict: bool,
) -> anyhow::Result<Verdict> {
    anyhow::ensure!(
        !rig.combos.is_empty(),
        "the rig has no [combo.…]: docs/rig-format.md says how to add one"
    );
    let Opened { session, streams, loaded, .. } = files::open_take(path, rig, UNLIMITED)?;
    let mut report = ComboReport::new(&session, &streams, which);
    if !loops.is_empty() {
        let recording = session.recording();
        let run = |of: &Loop| LoopRun::run(&recording, session.rig(), *of);
        let paced: Vec<LoopRun> = loops.iter().map(run).collect();
        let differences = loops::differences(session.rig(), &paced);
        report.add_pace(session.rig(), &paced, &differences);
    }
    let mut out = BufWriter::new(io::stdout().lock());
    report.write(json, &mut out)?;
    out.flush()?;
    Ok(verdict(path, &loaded, strict && !report.is_clear()))
}

/// What `gtrig shape` is to do.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ShapeTo {
    /// Send standard input through the stages.
    Stages,
    /// Print the response.
    Table {
        /// At how many shares of the travel.
        points: usize,
        /// As JSON instead of CSV.
        is_json: bool,
    },
    /// Draw it.
    Chart(PathBuf),
}

/// `gtrig shape`.
///
/// # Errors
/// When the rig has no such shape, the range is none, a line is no value, or
/// standard output or the chart cannot be written.
pub fn shape(rig: &Rig, name: &str, range: &[i32], to: &ShapeTo) -> anyhow::Result<Verdict> {
    let Some(named) = rig.shapes.iter().find(|shape| shape.name == name) else {
        let names: Vec<&str> = rig.shapes.iter().map(|shape| shape.name.as_str()).collect();
        anyhow::bail!("the rig has no shape {name:?}; it has {}", names.join(", "));
    };
    let &[min, centre, max] = range else {
        anyhow::bail!("--range takes three whole numbers, such as -32768,0,32767");
    };
    anyhow::ensure!(
        min <= centre && centre < max,
        "--range {min},{centre},{max} does not rise: give one end, rest and the other end"
    );
    let kind = match min == centre {
        true => ControlKind::Trigger { min, max },
        false => ControlKind::Axis { min, centre, max },
    };
    let mut out = BufWriter::new(io::stdout().lock());
    match to {
        ShapeTo::Table { points, is_json } => {
            let points = shape::table(&named.shape.stages, *points);
            match is_json {
                true => shape::write_json(&points, &mut out)?,
                false => shape::write_csv(&points, &mut out)?,
            }
        }
        ShapeTo::Chart(path) => {
            let chain = Chain::from(named.shape.stages.as_slice());
            let sheet = StickSheet::of_shape(format!("The shape {name} of {}", rig.name), chain);
            figure::save(&figure::stick(&sheet), path)?;
        }
        ShapeTo::Stages => {
            let period = rig.rate.period_seconds();
            let passage = Passage { shape: &named.shape, kinds: [kind; 2], period };
            match passage.stream(io::stdin().lock(), &mut out) {
                Ok(()) => {}
                Err(PassageError::Io(error)) => return Err(error.into()),
                Err(PassageError::Line(why)) => {
                    out.flush()?;
                    complain(&why);
                    return Ok(Verdict::No);
                }
            }
        }
    }
    out.flush()?;
    Ok(Verdict::Fine)
}

/// `gtrig compare`.
///
/// # Errors
/// When the take cannot be opened, the rigs have other actions, or standard
/// output cannot be written.
pub fn compare(
    path: &Path,
    [before, after]: [Rig; 2],
    json: bool,
    strict: bool,
) -> anyhow::Result<Verdict> {
    let names = |rig: &Rig| rig.actions.iter().map(|a| a.name.clone()).collect::<Vec<_>>();
    anyhow::ensure!(
        names(&before) == names(&after),
        "the rigs have other actions, or have them in another order: name the same ones in both"
    );
    let Opened { session, loaded, .. } = files::open_take(path, before, UNLIMITED)?;
    let retuned = session.retuned(after, UNLIMITED);
    let found = compare::compare(&ActionRecord::of(&session), &ActionRecord::of(&retuned));
    let report = CompareReport::new(session.rig(), &found);
    print(&report, json)?;
    Ok(verdict(path, &loaded, strict && !found.is_empty()))
}

/// `gtrig measure`.
///
/// # Errors
/// When the take cannot be opened, has no such stick, or standard output or the
/// chart cannot be written.
pub fn measure(
    path: &Path,
    rig: Rig,
    of: Option<&str>,
    json: bool,
    chart: Option<&Path>,
) -> anyhow::Result<Verdict> {
    let Opened { session, loaded, .. } = files::open_take(path, rig, UNLIMITED)?;
    let roster = session.roster();
    let travels: Vec<_> =
        roster.travels().map(|travel| (roster.travel_address(travel), travel)).collect();
    let wanted: Vec<_> = travels.iter().filter(|(n, _)| of.is_none_or(|of| of == n)).collect();
    anyhow::ensure!(
        !wanted.is_empty(),
        "the take has no stick, lever or trigger {}; it has {}",
        of.unwrap_or("at all").escape_debug(),
        travels.iter().map(|(name, _)| name.as_str()).collect::<Vec<_>>().join(", ")
    );
    let mut out = BufWriter::new(io::stdout().lock());
    for &(ref name, (x, y)) in wanted {
        let kinds = [x, y.unwrap_or(x)].map(|id| roster.control(id).kind);
        let samples = Samples::of(session.recording().events(), (x, y), kinds);
        let found = gtrig_analysis::measure::measure(&samples);
        let proposal = gtrig_analysis::measure::propose(&found, kinds);
        let report = MeasureReport::new(name.clone(), &found, &proposal);
        if let Some(chart) = chart {
            figure::save(&figure::measurement(&samples, &found, &report), chart)?;
        }
        match json {
            true => report.write_json(&mut out)?,
            false => writeln!(out, "{report}")?,
        }
    }
    out.flush()?;
    Ok(verdict(path, &loaded, false))
}

/// What `gtrig figure` draws.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum FigureOf {
    /// The lanes whose names have these words.
    Lanes(String),
    /// The stick, axis or trigger of the action of this name.
    Stick(String),
    /// The first touch panel, with the gesture of this name or with all.
    Touch(Option<String>),
    /// The combo of this name.
    Ladder(String),
}

/// `gtrig figure`.
///
/// # Errors
/// When the take cannot be opened, no lane has the words, no stick drives the
/// action, or the figure cannot be written.
pub fn figure(
    path: &Path,
    rig: Rig,
    to_file: &Path,
    of: &FigureOf,
    (from, to): (Nanos, Option<Nanos>),
    title: Option<String>,
) -> anyhow::Result<Verdict> {
    let Opened { session, loaded, title: taken, streams } = files::open_take(path, rig, UNLIMITED)?;
    let last = session.plan().rate().time_of(session.now().at());
    let to = to.unwrap_or(last);
    anyhow::ensure!(from < to, "--from {from} is not before the end, {to}");
    let title = title.or(taken).unwrap_or_else(|| path.display().to_string());
    let svg = match of {
        FigureOf::Lanes(words) => {
            let lanes = lanes(&session, words);
            let words = words.escape_debug();
            anyhow::ensure!(!lanes.is_empty(), "no lane has \"{words}\" in its name");
            figure::timeline(&session, &streams, &Excerpt { title, from, to, lanes })
        }
        FigureOf::Stick(name) => {
            let input = shaped_input(&session, name)?;
            let rate = session.plan().rate();
            let ticks = (rate.tick_seeing(from), rate.tick_at(to));
            figure::stick(&StickSheet::of_input(title, &session, input, ticks))
        }
        FigureOf::Ladder(name) => {
            let combos = &session.rig().combos;
            let combo = combos.iter().position(|combo| combo.name == *name);
            let combo = combo.with_context(|| format!("the rig has no combo {name:?}"))?;
            let combo = ComboId::at(combo);
            figure::ladder(&session, &LadderSheet { title, combo, from, to })
        }
        FigureOf::Touch(name) => {
            let gestures = &session.rig().gestures;
            let gesture = match name {
                Some(name) => {
                    let place = gestures.iter().position(|gesture| gesture.name == *name);
                    let place =
                        place.with_context(|| format!("the rig has no gesture {name:?}"))?;
                    Some(GestureId::at(place))
                }
                None => None,
            };
            let sheet = TouchSheet { title, from, to, panel: 0, gesture };
            figure::touch(&session, &sheet).context("the take has no touch panel")?
        }
    };
    figure::save(&svg, to_file)?;
    Ok(verdict(path, &loaded, false))
}

/// The analogue input of an action that moved the most, or else the first.
fn shaped_input(session: &Session, name: &str) -> anyhow::Result<(ActionId, BoundInput)> {
    let actions = &session.rig().actions;
    let Some(action) = actions.iter().position(|action| action.name == name) else {
        let names: Vec<&str> = actions.iter().map(|action| action.name.as_str()).collect();
        anyhow::bail!(
            "the rig has no action \"{}\"; it has {}",
            name.escape_debug(),
            names.join(", ")
        );
    };
    let (action, plan) = (ActionId(action as u16), session.plan());
    let moved = |input: &&BoundInput| -> usize {
        let controls = plan.controls_of(**input).into_iter();
        controls.map(|control| session.history().control_lane(control).len()).sum()
    };
    let found =
        plan.inputs(action).iter().filter(|input| plan.is_analogue(**input)).max_by_key(moved);
    let input = found.with_context(|| format!("no stick, axis or trigger drives {name}"))?;
    Ok((action, *input))
}

/// `gtrig check`.
///
/// # Errors
/// When the rig cannot be read, or has mistakes.
pub fn check(path: &Path, json: bool) -> anyhow::Result<Verdict> {
    let rig = files::rig(Some(path), None)?;
    let text = std::fs::read_to_string(path)?;
    let doubts = doubts::placed(&rig, &text);
    if json {
        doubts::write_json(&doubts, &mut io::stdout().lock())?;
        return Ok(Verdict::Fine);
    }
    println!(
        "{}: sound. {}, polled at {}, {} actions.",
        path.display(),
        rig.name,
        rig.rate,
        rig.actions.len()
    );
    for Placed { code, about, line, words } in doubts {
        println!("  {code:<16}line {line}, {about}: {words}");
    }
    Ok(Verdict::Fine)
}

/// What `gtrig simulate` writes a take of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Simulated {
    /// A story that ships with the program.
    Story(Story),
    /// The cab at work for so long.
    Work(Nanos),
    /// So many strokes on the glass panel.
    Strokes(u32),
}

/// `gtrig simulate`.
///
/// # Errors
/// When standard output cannot be written.
pub fn simulate(what: &Simulated, seed: u64) -> anyhow::Result<Verdict> {
    let empty = |hz| anyhow::Ok(Session::new(files::rig(None, hz)?, Tick(0), Capacity::DEFAULT));
    let (session, title) = match *what {
        Simulated::Story(story) => {
            let mut session = empty(story.poll_hz())?;
            story.play(&mut session);
            (session, Some(story.title()))
        }
        Simulated::Work(time) => (cab_session(files::rig(None, None)?, seed, time).0, None),
        Simulated::Strokes(count) => {
            let mut session = empty(None)?;
            Cab::strokes(&mut session, seed, count);
            (session, Some("Strokes on the glass panel, with what was meant"))
        }
    };
    let mut out = BufWriter::new(io::stdout().lock());
    take::write(&session.recording(), title, &mut out)?;
    out.flush()?;
    Ok(Verdict::Fine)
}

/// The kernel's devices as a source; none where none are wanted.
///
/// # Errors
/// When they cannot be listened to, with what to do; on systems that are not
/// Linux, always.
pub fn kernel_source(choice: KernelChoice) -> anyhow::Result<Vec<Box<dyn Source>>> {
    #[cfg(target_os = "linux")]
    {
        use gtrig_sources::{Kernel, Wanted};
        let wanted = match choice {
            KernelChoice::None => return Ok(Vec::new()),
            KernelChoice::Pads => Wanted::NoKeysNorMice,
            KernelChoice::All => Wanted::All,
        };
        let kernel = Kernel::start(Path::new("/dev/input"), wanted, Nanos(0))?;
        Ok(vec![Box::new(kernel)])
    }
    #[cfg(not(target_os = "linux"))]
    match choice {
        KernelChoice::None => Ok(Vec::new()),
        _ => anyhow::bail!("kernel devices are read on Linux only; use --kernel none"),
    }
}

/// `gtrig record`.
///
/// # Errors
/// When the take cannot be made or not be written to its end.
pub fn record(
    path: &Path,
    rig: Rig,
    mut sources: Vec<Box<dyn Source>>,
    seconds: Option<u64>,
) -> anyhow::Result<Verdict> {
    let mut session = Session::new(rig, Tick(0), Capacity::DEFAULT);
    let mut recorder = Recorder::start(path, &session, None)
        .with_context(|| format!("cannot record to {}", path.display()))?;
    let mut signals = Signals::new([SIGINT, SIGTERM, SIGHUP])?;
    let start = Instant::now();
    let end = seconds.map(Duration::from_secs);
    while signals.pending().next().is_none() && end.is_none_or(|end| start.elapsed() < end) {
        let now = Nanos(start.elapsed().as_nanos() as u64);
        for source in &mut sources {
            source.drain(&mut session, now);
            source.troubles().iter().for_each(|trouble| complain(trouble));
        }
        session.run_before(Nanos(now.0.saturating_sub(SETTLE.0)));
        recorder.catch_up(&session, now);
        recorder.news().iter().for_each(|news| complain(news));
        thread::sleep(Duration::from_millis(5));
    }
    let last = session.plan().rate().tick_seeing(Nanos(start.elapsed().as_nanos() as u64));
    session.run_until(last);
    recorder.finish(&session).with_context(|| format!("{} is not complete", path.display()))?;
    eprintln!("{} events recorded to {}", session.seen_count(), path.display());
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
