//! `gtrig convert`.

use super::{
    shared::{RigArgs, Status, complain},
    takes::{FollowArgs, judged},
};
use crate::{files, recorder};
use anyhow::{Context, bail, ensure};
use clap::{Args, ValueEnum};
use gtrig_analysis::Capacity;
use gtrig_core::CleanText;
use gtrig_formats::{
    Over,
    reel::{Copied, Reel, SegmentSize, copy_to_reel},
    save_atomically,
    tables::{TableForm, Tables, take_of_events, take_of_tables},
};
use std::{
    fs::File,
    io::{self, BufRead, BufReader, BufWriter, Write},
    path::{Path, PathBuf},
};

/// Write a take as tables for tools of data, CSV or Parquet, or as a reel; and back.
///
/// From a take, or a reel, a folder is made with a file each of devices, controls, events,
/// labels, ticks, edges, actions and what came of gestures and combos (docs/tables.md). From a
/// folder with such CSV files, or from one CSV file of events that another program wrote, a
/// take is made. Where the name of what is to be made ends in .reel, a take becomes a reel
/// (docs/reel-format.md); where it ends in .jsonl, a reel becomes a take, both line by line.
#[derive(Args, Debug)]
pub struct Convert {
    /// A take, a reel, a folder of tables, or a file of events whose name ends in .csv.
    from: PathBuf,
    /// The folder, the reel or the take to make; it must not exist yet.
    to: PathBuf,
    /// As what the tables are written.
    #[arg(long = "as", value_enum, default_value_t = Form::Parquet)]
    form: Form,
    #[command(flatten)]
    follow: FollowArgs,
    #[command(flatten)]
    rig: RigArgs,
}

/// Of a take so much is kept in memory.
const KEPT: Capacity = Capacity { events: 2_000_000, changes: 2_000_000 };

#[derive(Clone, Copy, Debug, ValueEnum)]
enum Form {
    /// Comma-separated values, which any tool reads, and `gtrig convert` again.
    Csv,
    /// Apache Parquet, small and quick for tools that query.
    Parquet,
}

/// Whether a name has the ending of a file of tables or lines, so that nobody expects a folder.
fn names_a_file(to: &Path) -> bool {
    to.extension().is_some_and(|of| ["csv", "parquet", "json", "jsonl"].iter().any(|is| of == *is))
}

impl Convert {
    /// Runs it.
    ///
    /// # Errors
    /// When what is to be read cannot be, or what is to be made is there already or cannot
    /// be written.
    pub fn run(self) -> anyhow::Result<Status> {
        let to = self.to.display();
        ensure!(!self.to.exists(), "{to} is there already: name another one, or take it away");
        let is_csv = self.from.extension().is_some_and(|ending| ending == "csv");
        let (is_reel, to_reel) = (Reel::is_at(&self.from), recorder::is_reel(&self.to));
        if is_csv || (self.from.is_dir() && !is_reel) {
            ensure!(
                !to_reel,
                "of tables a take is made: name it NAME.take.jsonl, and make a reel of that"
            );
            return self.take();
        }
        if to_reel {
            return self.reel();
        }
        if is_reel && self.to.extension().is_some_and(|ending| ending == "jsonl") {
            return self.take_of_reel();
        }
        self.tables()
    }

    /// A reel of a take, or of a reel in segments of another size.
    fn reel(&self) -> anyhow::Result<Status> {
        let take = files::take_reader(&self.from, false)?;
        let copied = copy_to_reel(take, self.rig.read()?, &self.to, SegmentSize::DEFAULT)
            .with_context(|| format!("cannot write {}", self.to.display()))?;
        let Copied { segments, loaded } = copied;
        complain(&format!("{segments} segment(s) to {}", self.to.display()));
        Ok(judged(&self.from, &loaded, Status::Fine))
    }

    /// A take of a reel, up to where it is damaged.
    fn take_of_reel(&self) -> anyhow::Result<Status> {
        let mut text = files::reel_text(&self.from)?;
        let mut fault = None;
        let mut bytes = 0;
        let saved = save_atomically(&self.to, Over::Nothing, |out| {
            loop {
                let lines = match text.fill_buf() {
                    Ok([]) => return Ok(()),
                    Ok(lines) => lines,
                    Err(error) => {
                        fault = Some(error);
                        return Ok(());
                    }
                };
                let length = lines.len();
                out.write_all(lines)?;
                text.consume(length);
                bytes += length as u64;
            }
        });
        saved.with_context(|| format!("cannot write {}", self.to.display()))?;
        complain(&format!("{bytes} bytes of lines to {}", self.to.display()));
        let fault = fault.as_ref();
        if let Some(fault) = fault {
            complain(&format!(
                "{}: {fault}; what stands before it was written",
                self.from.display()
            ));
        }
        Ok(Status::no_if(fault.is_some()))
    }

    /// Tables of a take. All of them are there, or none.
    fn tables(self) -> anyhow::Result<Status> {
        ensure!(
            !names_a_file(&self.to),
            "{} reads as a file, and of a take a folder with a table each is made: name a folder, \
             and --as csv for CSV",
            self.to.display()
        );
        let form = match self.form {
            Form::Csv => TableForm::Csv,
            Form::Parquet => TableForm::Parquet,
        };
        let mut coming = self.follow.open_within(&self.from, self.rig.read()?, KEPT)?;
        let about = || format!("cannot write {}", self.to.display());
        let mut tables = Tables::create(&self.to, form, coming.session()).with_context(about)?;
        while coming.take_in() {
            tables.catch_up(coming.session()).with_context(about)?;
        }
        let opened = coming.finish();
        let of = (opened.title.as_deref(), opened.recorded_by.as_ref().map(CleanText::as_str));
        let is_whole = tables.finish(&opened.session, &opened.streams, of).with_context(about)?;
        if !is_whole {
            complain("it was too long to be kept whole: gestures has no rows of what labels meant");
        }
        complain(&format!("{} events to {}", opened.session.seen_count(), self.to.display()));
        let frames = opened.session.frames().len();
        if frames > 0 {
            complain(&format!("{frames} frames of games are in no table: gtrig agree reads them"));
        }
        Ok(judged(&self.from, &opened.loaded, Status::Fine))
    }

    /// A take of tables.
    fn take(&self) -> anyhow::Result<Status> {
        let from = self.from.display();
        let has = |table: &str| self.from.join(table).exists();
        ensure!(
            has("devices.csv") || !has("devices.parquet"),
            "{from} has tables of Parquet, which are not read again: make some with --as csv"
        );
        let mut fault = None;
        let saved = save_atomically(&self.to, Over::Nothing, |out| {
            let out = BufWriter::with_capacity(1 << 16, out);
            let made = if self.from.is_dir() {
                take_of_tables(&self.from, out)
            } else {
                let file = BufReader::with_capacity(1 << 16, File::open(&self.from)?);
                take_of_events(&self.from.display().to_string(), file, out)
            };
            match made {
                Ok(count) => {
                    complain(&format!("{count} events to {}", self.to.display()));
                    Ok(())
                }
                Err(error) => {
                    fault = Some(error);
                    Err(io::Error::other("the tables are none of a take"))
                }
            }
        });
        match (saved, fault) {
            (Ok(()), _) => Ok(Status::Fine),
            (Err(_), Some(fault)) if self.from.is_dir() => bail!("{from}: {fault}"),
            (Err(_), Some(fault)) => bail!("{fault}"),
            (Err(error), None) => {
                Err(error).with_context(|| format!("cannot write {}", self.to.display()))
            }
        }
    }
}
