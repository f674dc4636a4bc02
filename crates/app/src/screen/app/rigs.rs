//! The rig's file: nudges written into it, what an editor makes of it followed, another one
//! used.

use super::{
    App,
    tuning::{Originals, Tuning},
};
use crate::{
    files::RigSource,
    screen::{
        jobs::ChangedRig,
        prompt::{Prompt, Purpose},
    },
};
use gtrig_core::{CleanText, Knob, Rig};
use gtrig_formats::{Mistakes, Over, rig, save_atomically};
use std::{
    io::{self, Write},
    path::Path,
};

impl App {
    pub(super) fn write_rig(&mut self) {
        match self.tuning.source.as_ref().map(|source| source.path.clone()) {
            None => self.tell("this session has no rig file".to_owned(), true),
            Some(Some(path)) => self.write_rig_to(&path),
            Some(None) => self.prompt = Some(Prompt::new(Purpose::Rig, "my-rig.toml")),
        }
    }

    /// Writes what was tuned, and nothing else, into the text the rig came from.
    pub(super) fn write_rig_to(&mut self, path: &Path) {
        let Some(source) = &self.tuning.source else { return };
        let is_new = source.path.as_deref() != Some(path);
        let over = if is_new { Over::Nothing } else { Over::Same(source.text.as_bytes()) };
        let hz = source.hz;
        match self.tuned_text(&source.text) {
            Err(why) => {
                self.tell(format!("the rig was not written: {}", first_mistake(&why)), true);
            }
            Ok(text) => match save_atomically(path, over, |out| out.write_all(text.as_bytes())) {
                Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
                    let text = format!("{} exists already: choose another name", path.display());
                    self.tell(text, true);
                }
                Err(error) => {
                    self.tell(format!("cannot write {}: {error}", path.display()), true);
                }
                Ok(()) => {
                    self.tell(format!("the rig was written to {}", path.display()), false);
                    self.tuning.original = Some(Originals::of(self.session().rig()));
                    self.tuning.source = Some(RigSource { path: Some(path.to_owned()), text, hz });
                    self.watch_rig();
                }
            },
        }
    }

    /// Goes on by the rig of a file, or by the one that ships with the program.
    pub(in crate::screen) fn use_rig(&mut self, path: Option<&Path>) {
        if !self.may_drop_rig() {
            return;
        }
        let named = path.map_or("the shipped rig".to_owned(), |path| path.display().to_string());
        let read = RigSource::of(path, None).and_then(|source| {
            let rig = rig::parse(&named, &source.text)?;
            Ok((rig, source))
        });
        match read {
            Ok((rig, source)) => {
                let text = format!("{} is in force", rig.name);
                self.go_by(rig, source);
                self.tell(text, false);
            }
            Err(why) => {
                let why = match why.downcast::<Mistakes>() {
                    Ok(mistakes) => {
                        let first = mistakes.problems.first().map(ToString::to_string);
                        first.unwrap_or_default()
                    }
                    Err(why) => format!("{why:#}"),
                };
                self.tell(format!("{named} is not used: {why}"), true);
            }
        }
    }

    /// Goes on by another rig, of which nothing was nudged yet.
    fn go_by(&mut self, rig: Rig, source: RigSource) {
        self.tuning = Tuning::of(source);
        self.tuning.original = Some(Originals::of(&rig));
        self.tune_to(rig);
        self.tuning.before = None;
        self.watch_rig();
    }

    /// Writes a rig for what is plugged in, and goes on with it.
    pub(super) fn write_starter(&mut self, path: &Path) {
        let stem = path.file_stem().map(|stem| stem.to_string_lossy()).unwrap_or_default();
        let text = rig::starter(CleanText::new(&stem).as_str(), self.session().roster());
        let rig = match rig::parse("the rig", &text) {
            Ok(rig) => rig,
            // Names that a source gave may be none of a rig.
            Err(mistakes) => {
                self.tell(format!("no rig was written: {mistakes}"), true);
                return;
            }
        };
        match save_atomically(path, Over::Nothing, |out| out.write_all(text.as_bytes())) {
            Err(error) => self.tell(format!("cannot write {}: {error}", path.display()), true),
            Ok(()) => {
                let source = RigSource { path: Some(path.to_owned()), text, hz: None };
                let count = rig.actions.len();
                self.go_by(rig, source);
                let text = format!(
                    "{count} actions were written to {}; what an editor changes there is followed",
                    path.display()
                );
                self.tell(text, false);
            }
        }
    }

    /// A rate that the command line set is not written.
    fn tuned_text(&self, text: &str) -> Result<String, rig::EditError> {
        let file = rig::parse("the rig", text)?;
        let mut wanted = self.session().rig().clone();
        for knob in file.knobs() {
            let is_untouched = |now: &&Knob| self.original(now) == Some(now.value);
            let now = self.session().rig().knobs();
            let now = now.iter().find(|now| now.place == knob.place);
            if now.filter(is_untouched).is_some() {
                wanted = wanted.with(&knob.place, knob.value);
            }
        }
        rig::update_numbers(text, &wanted)
    }

    /// Looks at the rig's file from now on, to follow what an editor makes of it.
    pub(crate) fn watch_rig(&mut self) {
        let path = self.tuning.source.as_ref().and_then(|source| source.path.clone());
        if self.tuning.watched == path {
            return;
        }
        self.tuning.watched.clone_from(&path);
        if let Some(path) = path
            && let Err(error) = self.jobs.follow(path.clone())
        {
            let text = format!("cannot follow {}: {error}; changes are not seen", path.display());
            self.tell(text, true);
        }
    }

    /// The rig's file was changed by somebody else.
    pub(super) fn rig_changed(&mut self, changed: ChangedRig) {
        let ChangedRig { path, text, rig } = changed;
        let is_it = |source: &&mut RigSource| source.path.as_ref() == Some(&path);
        let Some(source) = self.tuning.source.as_mut().filter(is_it) else { return };
        if source.text == text {
            return;
        }
        match rig.map(|rig| source.at_its_rate(rig)) {
            Ok(rig) => {
                source.text = text;
                self.tuning.original = Some(Originals::of(&rig));
                self.turn_to(rig, |tuning| &mut tuning.undo);
                self.tell(format!("{} was changed and read again", path.display()), false);
            }
            Err(error) => {
                let first = error.problems.first().map(ToString::to_string).unwrap_or_default();
                let text = format!(
                    "{}:{first}: the rig as it was before goes on",
                    path.file_name().unwrap_or_default().to_string_lossy()
                );
                self.tell(text, true);
            }
        }
    }
}

/// The first mistake of a rig that cannot be, in a line.
pub(super) fn first_mistake(error: &rig::EditError) -> String {
    match error {
        rig::EditError::NoRig(mistakes) => {
            mistakes.problems.first().map(ToString::to_string).unwrap_or_default()
        }
        error => error.to_string(),
    }
}
