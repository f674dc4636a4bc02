//! `gtrig convert`.

use super::{
    shared::{RigArgs, Status, complain},
    takes::{FollowArgs, judged},
};
use anyhow::{Context, bail, ensure};
use clap::{Args, ValueEnum};
use gtrig_analysis::Capacity;
use gtrig_core::CleanText;
use gtrig_formats::{
    Over, save_atomically,
    tables::{TableForm, Tables, take_of_events, take_of_tables},
};
use std::{
    fs::File,
    io::{self, BufReader, BufWriter},
    path::PathBuf,
};

/// Write a take as tables for tools of data, CSV or Parquet, or tables as a take.
///
/// From a take a folder is made with a file each of devices, controls, events, labels,
/// ticks, edges, actions and what came of gestures and combos (docs/tables.md). From a
/// folder with such CSV files, or from one CSV file of events that another program wrote, a
/// take is made.
#[derive(Args, Debug)]
pub struct Convert {
    /// A take, a folder of tables, or a file of events whose name ends in .csv.
    from: PathBuf,
    /// The folder, or the take, to make; it must not exist yet.
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
        if is_csv || self.from.is_dir() {
            return self.take();
        }
        self.tables()
    }

    /// Tables of a take. All of them are there, or none.
    fn tables(self) -> anyhow::Result<Status> {
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
            (Err(_), Some(fault)) => bail!("{from}: {fault}"),
            (Err(error), None) => {
                Err(error).with_context(|| format!("cannot write {}", self.to.display()))
            }
        }
    }
}
