//! The command line: one file a command, with its arguments and what it does.

mod agree;
mod audit;
mod check;
mod combos;
mod compare;
mod compile;
mod convert;
mod demo;
mod devices;
mod figure;
mod gestures;
mod health;
mod hid;
mod listen;
mod live;
mod measure;
mod open;
mod publish;
mod record;
mod replay;
mod settings;
mod shape;
mod shared;
mod simulate;
mod tail;
mod takes;

pub use listen::hub;
pub use shared::{cab_session, complain};

use clap::{CommandFactory, FromArgMatches, Parser, Subcommand};
use gtrig_core::harmless;
use live::Live;
use shared::Status;
use std::{
    ffi::OsString,
    io::{self, Write},
    process::ExitCode,
};

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
  1  the data says no: a damaged take, mistakes in a rig, a game that does not agree
     with it, a lost press where --deny-lost forbids it, a doubtful stream where
     --strict does
  2  misuse: an unknown option, a file that cannot be read or is no take

Examples:
  gtrig demo                       a simulated crane cab, at work
  gtrig demo --tour                a tour in nine steps, with the real program
  gtrig demo lost-tap              a story: why the horn did not sound
  gtrig live --rig mine.toml       your keys, your rig
  gtrig devices                    what is plugged in, and what may not be read
  gtrig record bug.take.jsonl      pads and levers to a take, without a screen
  gtrig open bug.take.jsonl        look at a recording
  gtrig audit bug.take.jsonl       would another poll rate have seen it?
  gtrig agree bug.take.jsonl       did the game read what its rules say?
  gtrig health bug.take.jsonl      did all its reports come, and in time?
  gtrig measure bug.take.jsonl     what its sticks can really do
  gtrig compare bug.take.jsonl a.toml b.toml
                                   what another rig would have changed
  gtrig replay bug.take.jsonl      the same, as JSON Lines for a test
  gtrig live --listen unix:/tmp/quay.sock
                                   a running game sends what it reads
  gtrig tail --listen tcp:4710 --only edge
                                   the same without a screen, line by line

Memory: a take is held in memory while it is read, up to three times the size of its
file, for a figure up to five times, and 100 MB besides (docs/limits.md has every bound).

Colours, keys and how often the screen is drawn are set in ~/.config/gtrig/settings.toml, or
in gtrig/settings.toml of $XDG_CONFIG_HOME; `gtrig settings` prints such a file, with all that
can be set. NO_COLOR=1 draws no colours.";

/// Every command, in the order of the help. Only the one that is run works out its arguments.
#[derive(Debug, Subcommand)]
#[command(defer = true)]
enum Command {
    Live(Live),
    Record(record::Record),
    Devices(devices::Devices),
    Demo(demo::Demo),
    Open(open::Open),
    Replay(replay::Replay),
    Tail(tail::Tail),
    Agree(agree::Agree),
    Audit(audit::Audit),
    Health(health::Health),
    Hid(hid::Hid),
    Gestures(gestures::Gestures),
    Combos(combos::Combos),
    Measure(measure::Measure),
    Shape(shape::Shape),
    Compare(compare::Compare),
    Figure(figure::Figure),
    Check(check::Check),
    Compile(compile::Compile),
    Convert(convert::Convert),
    Simulate(simulate::Simulate),
    Settings(settings::Settings),
}

impl Command {
    fn run(self) -> anyhow::Result<Status> {
        match self {
            Command::Live(command) => command.run(),
            Command::Record(command) => command.run(),
            Command::Devices(command) => command.run(),
            Command::Demo(command) => command.run(),
            Command::Open(command) => command.run(),
            Command::Replay(command) => command.run(),
            Command::Tail(command) => command.run(),
            Command::Agree(command) => command.run(),
            Command::Audit(command) => command.run(),
            Command::Health(command) => command.run(),
            Command::Hid(command) => command.run(),
            Command::Gestures(command) => command.run(),
            Command::Combos(command) => command.run(),
            Command::Measure(command) => command.run(),
            Command::Shape(command) => command.run(),
            Command::Compare(command) => command.run(),
            Command::Figure(command) => command.run(),
            Command::Check(command) => command.run(),
            Command::Compile(command) => command.run(),
            Command::Convert(command) => command.run(),
            Command::Simulate(command) => command.run(),
            Command::Settings(command) => command.run(),
        }
    }
}

/// Options whose list of numbers may be left out.
const PERHAPS_NUMBERS: [&str; 1] = ["--rates"];

/// The arguments with such a list tied to its option: what follows it otherwise is
/// a take, not its value.
fn tied(args: impl Iterator<Item = OsString>) -> Vec<OsString> {
    let is_number = |part: &str| part.parse::<f64>().is_ok();
    let is_list = |arg: &OsString| arg.to_str().is_some_and(|arg| arg.split(',').all(is_number));
    let mut args = args.peekable();
    let mut tied = Vec::new();
    while let Some(mut arg) = args.next() {
        if PERHAPS_NUMBERS.iter().any(|option| arg == *option)
            && let Some(list) = args.next_if(is_list)
        {
            arg.push("=");
            arg.push(list);
        }
        tied.push(arg);
    }
    tied
}

/// What the arguments ask for.
fn parsed(args: Vec<OsString>) -> Result<Cli, clap::Error> {
    Cli::try_parse_from(&args).or_else(|_| {
        // The help, and what is told of a mistake, name other commands: all of them are worked
        // out for that.
        let mut all = Cli::command();
        all.build();
        Cli::from_arg_matches(&all.try_get_matches_from(args)?)
    })
}

/// Runs the program.
pub fn main() -> ExitCode {
    // clap itself exits with 2 on misuse.
    let command = match parsed(tied(std::env::args_os())) {
        Ok(cli) => cli.command,
        Err(error) => return misused(&error),
    };
    let command = command.unwrap_or_else(|| Command::Live(Live::default()));
    match command.run() {
        Ok(Status::Fine) => ExitCode::SUCCESS,
        Ok(Status::No) => ExitCode::from(1),
        Err(error) if is_closed_pipe(&error) => ExitCode::SUCCESS,
        Err(error) => {
            complain(&shared::told(&error));
            let data = error.is::<gtrig_formats::Mistakes>();
            ExitCode::from(if data { 1 } else { 2 })
        }
    }
}

/// Says what is wrong with the arguments, or prints the help that they ask for, and
/// exits as is usual. What was typed is in it.
fn misused(error: &clap::Error) -> ExitCode {
    let text = error.render().to_string();
    if harmless(&text) == text {
        // In colour, where the terminal has some.
        error.exit();
    }
    let _ = write!(io::stderr(), "{}", harmless(&text));
    ExitCode::from(error.exit_code() as u8)
}

/// The reader of our output closed the pipe: it has seen enough, and that is no
/// failure.
fn is_closed_pipe(error: &anyhow::Error) -> bool {
    let io = error.downcast_ref::<io::Error>();
    io.is_some_and(|e| e.kind() == io::ErrorKind::BrokenPipe)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::a_list(&["combos", "--rates", "60,120", "t.jsonl"], &["combos", "--rates=60,120", "t.jsonl"])]
    #[case::none(&["combos", "--rates", "t.jsonl"], &["combos", "--rates", "t.jsonl"])]
    #[case::at_the_end(&["combos", "t.jsonl", "--rates"], &["combos", "t.jsonl", "--rates"])]
    #[case::tied_already(&["combos", "--rates=60", "t"], &["combos", "--rates=60", "t"])]
    #[case::another_option(&["combos", "--hz", "60", "t"], &["combos", "--hz", "60", "t"])]
    fn a_list_that_may_be_left_out_takes_no_take(#[case] args: &[&str], #[case] expected: &[&str]) {
        let args = args.iter().map(OsString::from);
        assert_eq!(tied(args), expected.iter().map(OsString::from).collect::<Vec<_>>());
    }
}
