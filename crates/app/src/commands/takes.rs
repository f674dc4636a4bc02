//! The takes that a command reads, one after the other or while they come, and where what
//! it says about them goes.

use super::shared::{Form, Printing, Status, complain};
use crate::{
    files::{self, Coming, Opened, UNLIMITED},
    out,
};
use clap::Args;
use gtrig_analysis::Capacity;
use gtrig_core::Rig;
use gtrig_formats::{Report, Rows, json_line, take::Loaded};
use std::{
    io::{self, Write},
    path::{Path, PathBuf},
};

/// The takes of a command.
#[derive(Args, Clone, Debug)]
pub struct TakeArgs {
    /// The recordings (JSON Lines; see docs/take-format.md); - is standard input,
    /// pipe:PATH, unix:PATH and tcp:PORT are programs that send (docs/live-format.md).
    #[arg(required = true, value_name = "TAKE")]
    pub takes: Vec<PathBuf>,
    #[command(flatten)]
    pub follow: FollowArgs,
}

/// Whether a take is still being written.
#[derive(Args, Clone, Copy, Debug)]
pub struct FollowArgs {
    /// Go on with a take that is still being written, until its end comes or Ctrl+C.
    #[arg(long)]
    follow: bool,
}

impl FollowArgs {
    /// Opens a take.
    ///
    /// # Errors
    /// Those of [`files::coming_take`].
    pub fn open(self, take: &Path, rig: Rig) -> anyhow::Result<Coming> {
        self.open_within(take, rig, UNLIMITED)
    }

    /// The same where the session forgets what is too old.
    ///
    /// # Errors
    /// Those of [`files::coming_take`].
    pub fn open_within(self, take: &Path, rig: Rig, capacity: Capacity) -> anyhow::Result<Coming> {
        files::coming_take(take, self.follow, rig, capacity)
    }

    /// Reads a take to its end.
    ///
    /// # Errors
    /// Those of [`files::coming_take`].
    pub fn read(self, take: &Path, rig: Rig) -> anyhow::Result<Opened> {
        let mut coming = self.open(take, rig)?;
        while coming.take_in() {}
        Ok(coming.finish())
    }
}

/// Where the reports of a command go, and what was printed there before.
#[derive(Debug)]
pub struct Output<'a> {
    /// As what they are printed.
    form: Form,
    /// The file of the take that they are about; empty without one.
    pub path: &'a Path,
    /// The take that they are about, if it is one of several.
    take: Option<&'a str>,
    /// Whether the titles of the columns have been printed.
    has_titles: bool,
}

impl Output<'static> {
    /// Where the reports of a command go that reads no takes.
    pub fn without_take(print: Printing) -> Output<'static> {
        Output { form: print.text(), path: Path::new(""), take: None, has_titles: false }
    }
}

impl Output<'_> {
    /// Prints a report.
    ///
    /// # Errors
    /// Those of standard output.
    pub fn report(&mut self, report: &dyn Report) -> io::Result<()> {
        self.print(|this, out| match this.form {
            Form::Text => report.write_text(out),
            Form::Json => report.write_json(out),
            Form::Csv => this.rows().write(&report.table(), out),
        })
    }

    /// Prints what `write` writes.
    ///
    /// # Errors
    /// Those of standard output.
    pub fn print<T>(
        &mut self,
        write: impl FnOnce(&mut Self, &mut out::Output) -> io::Result<T>,
    ) -> io::Result<T> {
        let mut out = out::stdout();
        let written = write(self, &mut out)?;
        out.flush()?;
        Ok(written)
    }

    /// How the next rows are written: the titles go before the first ones.
    pub fn rows(&mut self) -> Rows<'_> {
        let has_titles = !std::mem::replace(&mut self.has_titles, true);
        Rows { take: self.take, has_titles }
    }
}

impl TakeArgs {
    /// Reads takes one after the other and shows each to `report`; the command says no if
    /// any of them does, or is damaged. Of several each is named: by a line with its path,
    /// as JSON by an object with `take`, as CSV in the first column.
    ///
    /// # Errors
    /// When a take cannot be opened, and those of `report`.
    pub fn for_each(
        &self,
        rig: &Rig,
        form: Form,
        mut report: impl FnMut(&mut Output, &Opened) -> anyhow::Result<Status>,
    ) -> anyhow::Result<Status> {
        self.for_each_coming(rig, form, |output, mut coming| {
            while coming.take_in() {}
            let opened = coming.finish();
            Ok((report(output, &opened)?, opened.loaded))
        })
    }

    /// The same while they come: `report` reads each take itself.
    ///
    /// # Errors
    /// Those of [`TakeArgs::for_each`].
    pub fn for_each_coming(
        &self,
        rig: &Rig,
        form: Form,
        mut report: impl FnMut(&mut Output, Coming) -> anyhow::Result<(Status, Loaded)>,
    ) -> anyhow::Result<Status> {
        let mut status = Status::Fine;
        let mut has_titles = false;
        for path in &self.takes {
            let coming = self.follow.open(path, rig.clone())?;
            let name = path.display().to_string();
            let take = (self.takes.len() > 1).then_some(name.as_str());
            let mut out = out::stdout();
            match (take, form) {
                (Some(take), Form::Text) => writeln!(out, "{take}")?,
                (Some(take), Form::Json) => {
                    json_line(&serde_json::json!({ "take": take }), &mut out)?;
                }
                (_, Form::Csv) | (None, _) => {}
            }
            out.flush()?;
            drop(out);
            let mut output = Output { form, path, take, has_titles };
            let (of_report, loaded) = report(&mut output, coming)?;
            has_titles = output.has_titles;
            status = status.or(judged(path, &loaded, of_report));
        }
        Ok(status)
    }
}

/// Says what is wrong with a take, and judges.
pub fn judged(path: &Path, loaded: &Loaded, status: Status) -> Status {
    for complaint in loaded.complaints() {
        complain(&format!("{}: {complaint}", path.display()));
    }
    status.or(Status::no_if(!loaded.is_sound()))
}
