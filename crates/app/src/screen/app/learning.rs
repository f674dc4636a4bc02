//! Naming the controls of a device on its bench, by moving them.

use super::{App, Naming};
use crate::{
    maps::{self, Maps},
    screen::{
        bench::Bench,
        prompt::{Prompt, Purpose},
    },
};
use crossterm::event::{KeyCode, KeyEvent};
use gtrig_analysis::learn::{Ask, Learned, Learner};
use gtrig_core::{CleanText, ControlId, DeviceId, DeviceKind};
use gtrig_formats::words::learned_words;
use std::path::Path;

/// What is being named; meanwhile the device bench shows it, and keys are for it.
pub(crate) enum Lesson {
    /// The controls of a device, by moving them.
    Device(DeviceLesson),
    /// Addresses of messages.
    Addresses(Naming),
}

/// A device whose controls are being named.
pub(crate) struct DeviceLesson {
    pub(crate) device: DeviceId,
    /// As what it is named.
    pub(crate) kind: DeviceKind,
    pub(crate) learner: Learner,
    /// What was understood last.
    pub(crate) said: Option<String>,
    controls: Vec<ControlId>,
    /// How many events of the session were heard.
    heard: u64,
}

impl App {
    /// Begins to name the controls of the device that is shown, or says why not.
    pub(super) fn begin_lesson(&mut self) {
        if self.document.is_take {
            let text = "a take cannot be asked: `gtrig live` can, or `gtrig devices --learn`";
            return self.tell(text.to_owned(), true);
        }
        let Some(device) = self.device() else {
            return self.tell("no device has been connected".to_owned(), true);
        };
        let info = &self.session().roster().device(device).info;
        let is_terminal = matches!(info.kind, DeviceKind::Keys | DeviceKind::Mouse);
        let kind = if info.kind == DeviceKind::Lever { DeviceKind::Lever } else { DeviceKind::Pad };
        let learner = Learner::new(info.clone(), Ask::all_of(kind));
        let file = Maps::read(&[]).ok().and_then(|maps| Some(maps.of(info)?.path.clone()));
        let why = match file {
            _ if is_terminal => "keyboards and mice have their names".to_owned(),
            Some(file) => format!(
                "it has its names by {} already: take that away first, and plug the device in again",
                CleanText::new(&file.display().to_string())
            ),
            None if learner.map(kind).is_none() => {
                "it has no numbers by which a map could know it again".to_owned()
            }
            None => {
                let controls = self.session().roster().device(device).controls().collect();
                let heard = self.session().seen_count();
                self.bench = Bench::Device;
                let mut lesson =
                    DeviceLesson { device, kind, learner, said: None, controls, heard };
                lesson.take_in(self);
                self.lesson = Some(Lesson::Device(lesson));
                return;
            }
        };
        self.tell(why, true);
    }

    /// Goes on with what was reported since.
    pub(super) fn follow_lesson(&mut self) {
        let mut lesson = match self.lesson.take() {
            Some(Lesson::Device(lesson)) => lesson,
            other => {
                self.lesson = other;
                return self.follow_naming();
            }
        };
        let events = self.session().seen_from(lesson.heard);
        let mut learned = Learned::Nothing;
        for event in events {
            if let Some(at) = lesson.controls.iter().position(|own| *own == event.control) {
                let news = lesson.learner.hear(at, event.value);
                learned = if news == Learned::Nothing { learned } else { news };
            }
        }
        lesson.heard = self.session().seen_count();
        lesson.understood(&learned);
        self.lesson = Some(Lesson::Device(lesson));
        // Once: where the map could not be written, that is to be read first.
        if learned != Learned::Nothing {
            self.end_lesson_if_over();
        }
    }

    /// A key while a device is being named.
    pub(super) fn lesson_key(&mut self, key: &KeyEvent) {
        let lesson = match &mut self.lesson {
            Some(Lesson::Device(lesson)) => lesson,
            Some(Lesson::Addresses(_)) => return self.naming_key(key),
            None => return,
        };
        match key.code {
            KeyCode::Enter => {
                let learned = lesson.learner.accept();
                lesson.understood(&learned);
            }
            KeyCode::Right | KeyCode::Tab => lesson.learner.skip(),
            KeyCode::Left | KeyCode::BackTab => lesson.learner.back(),
            KeyCode::Char('k') if lesson.learner.is_at_rest() => {
                lesson.kind = match lesson.kind {
                    DeviceKind::Pad => DeviceKind::Lever,
                    _ => DeviceKind::Pad,
                };
                let device = lesson.learner.device().clone();
                lesson.learner = Learner::new(device, Ask::all_of(lesson.kind));
                let mut lesson = self.lesson.take();
                if let Some(Lesson::Device(lesson)) = &mut lesson {
                    lesson.take_in(self);
                }
                self.lesson = lesson;
            }
            KeyCode::Esc | KeyCode::Char('q') => return self.end_lesson(),
            _ => {}
        }
        self.end_lesson_if_over();
    }

    fn end_lesson_if_over(&mut self) {
        if let Some(Lesson::Device(lesson)) = &self.lesson
            && lesson.learner.is_over()
        {
            self.end_lesson();
        }
    }

    /// Asks where the map goes, if anything was named.
    fn end_lesson(&mut self) {
        let Some(Lesson::Device(lesson)) = &self.lesson else { return };
        let named = lesson.learner.answers().iter().flatten().count();
        let map = lesson.learner.map(lesson.kind).filter(|_| named > 0);
        let Some(map) = map else {
            self.lesson = None;
            return self.tell("nothing was named, and nothing is written".to_owned(), false);
        };
        if self.prompt.is_none() {
            let path = maps::proposed(&map, lesson.learner.device()).unwrap_or("pad.toml".into());
            self.prompt = Some(Prompt::new(Purpose::Map, &path.display().to_string()));
        }
    }

    /// The map goes to a file, and the device is seen through it from now on.
    pub(super) fn write_map(&mut self, path: &Path) {
        let Some(Lesson::Device(lesson)) = &self.lesson else { return };
        let Some(map) = lesson.learner.map(lesson.kind) else { return };
        let shown = CleanText::new(&path.display().to_string()).to_string();
        if let Err(error) = maps::write(path, &map) {
            return self.tell(format!("{shown} cannot be written: {error}"), true);
        }
        self.lesson = None;
        let now = self.now;
        self.document.use_map(&map, now);
        // It came anew, as the last.
        let count = self.session().roster().devices().len();
        self.device = count.saturating_sub(1);
        self.tell(format!("the device goes by {shown} from now on"), false);
    }
}

impl DeviceLesson {
    /// Takes in how the controls are now. One that is at its stated rest may not have
    /// been heard yet.
    fn take_in(&mut self, app: &App) {
        for (at, control) in self.controls.iter().enumerate() {
            let value = app.session().now().control(*control).seen;
            if value != self.learner.device().controls[at].kind.rest() {
                self.learner.hear(at, value);
            }
        }
    }

    fn understood(&mut self, learned: &Learned) {
        if let Some(words) = learned_words(&self.learner, learned) {
            self.said = Some(words);
        }
    }
}
