//! `gtrig devices`.

#[cfg(target_os = "linux")]
mod learn;
#[cfg(target_os = "linux")]
mod list;
#[cfg(target_os = "linux")]
mod watch;

use super::{
    shared::{MapArgs, Printing, Status},
    takes::Output,
};
use clap::{Args, ValueEnum};
use gtrig_analysis::learn::{Ask, Motion};
use gtrig_core::{ControlInfo, DeviceKind};
#[cfg(target_os = "linux")]
use std::path::Path;
use std::{path::PathBuf, str::FromStr};

/// List the kernel's input devices: what each is, its controls with their codes
/// and ranges, and what may not be read and what to do about it.
///
/// With --learn a device is named by hand: you are asked to press or to move one
/// control after the other, and a map is written that every command uses from then on.
#[derive(Args, Debug)]
pub struct Devices {
    /// The folder of the devices.
    #[arg(long, value_name = "DIR", default_value = "/dev/input")]
    folder: PathBuf,
    /// List the HID devices instead, as their reports say it, without a driver between:
    /// each control with its bits (Linux, /dev/hidraw*; see docs/hid.md).
    #[arg(long, conflicts_with_all = ["listen", "watch", "learn", "named"])]
    hid: bool,
    #[command(flatten)]
    maps: MapArgs,
    /// Listen to them for so many seconds, and say how often each reports.
    #[arg(long, value_name = "S", value_parser = clap::value_parser!(u64).range(1..=3600))]
    listen: Option<u64>,
    /// Then say which devices come and go, until Ctrl+C.
    #[arg(long)]
    watch: bool,
    /// Name the controls of a device, asked one by one. Without a part of its name or
    /// identity it is the first one on which something is pressed or moved.
    #[arg(
        long, value_name = "DEVICE", num_args = 0..=1, default_missing_value = "",
        conflicts_with_all = ["watch", "listen", "json", "csv", "named"]
    )]
    learn: Option<String>,
    /// As what it is named: a pad or a lever is asked for all that it has.
    #[arg(long = "as", value_name = "KIND", default_value = "pad", requires = "learn")]
    kind: LearnedKind,
    /// What to ask for instead: names, each with what it is, such as
    /// steering=axis,clutch=trigger,horn=button.
    #[arg(long, value_name = "NAME=WHAT", value_delimiter = ',', requires = "learn")]
    controls: Vec<AskedControl>,
    /// The map to write; it must not exist yet. Without it, a new file in
    /// ~/.config/gtrig/maps.
    #[arg(long, short, value_name = "FILE", requires = "learn")]
    output: Option<PathBuf>,
    #[command(flatten)]
    print: Printing,
}

/// As what a device is named.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum LearnedKind {
    /// A pad with two sticks.
    Pad,
    /// A lever with one long travel.
    Lever,
    /// Anything else; say with --controls what it has.
    Other,
}

impl LearnedKind {
    #[cfg_attr(not(target_os = "linux"), expect(dead_code))]
    const fn kind(self) -> DeviceKind {
        match self {
            LearnedKind::Pad => DeviceKind::Pad,
            LearnedKind::Lever => DeviceKind::Lever,
            LearnedKind::Other => DeviceKind::Other,
        }
    }
}

/// A control that is asked for by name.
#[derive(Clone, Debug)]
struct AskedControl(Ask);

impl FromStr for AskedControl {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let (code, what) = text.split_once('=').unwrap_or((text, ""));
        let motion = match what {
            "button" => Motion::Press,
            "trigger" => Motion::Squeeze,
            "axis" => Motion::Push,
            _ => return Err("a name and what it is: NAME=button, =trigger or =axis".to_owned()),
        };
        if !ControlInfo::is_code(code) {
            return Err(
                "a name has 1 to 40 letters, digits, dots, dashes or underscores".to_owned()
            );
        }
        Ok(AskedControl(Ask { code: code.to_owned(), motion }))
    }
}

#[cfg(target_os = "linux")]
impl Devices {
    /// Runs it.
    ///
    /// # Errors
    /// When there is no such folder, standard output cannot be written, or a map
    /// cannot be read or written.
    pub fn run(self) -> anyhow::Result<Status> {
        if self.learn.is_some() {
            return learn::learn(&self);
        }
        if self.hid {
            Output::without_take(self.print).report(&list::hid_report(Path::new("/dev"))?)?;
            return Ok(Status::Fine);
        }
        let maps = self.maps.read()?;
        let report = list::report(&self.folder, &maps, self.listen)?;
        Output::without_take(self.print).report(&report)?;
        if self.watch {
            watch::watch(&self.folder, &maps, self.print)?;
        }
        Ok(Status::Fine)
    }
}

#[cfg(not(target_os = "linux"))]
impl Devices {
    /// Says that there is nothing to list.
    ///
    /// # Errors
    /// Always.
    pub fn run(self) -> anyhow::Result<Status> {
        anyhow::bail!("kernel devices are read on Linux only")
    }
}
