//! Finding by a few letters: what there is, and what is done with it.

use super::{App, Request, Search, SearchPlace, Sought};
use crate::screen::{
    bench::Bench,
    find::{Find, Finding, Goal, Item},
    keymap::Command,
    view::{all_lanes, lane_name},
};
use crossterm::event::{KeyEvent, MouseButton, MouseEvent, MouseEventKind};
use gtrig_core::{CleanText, Keyword, Nanos};
use gtrig_sources::Story;
use std::path::{Path, PathBuf};

/// So many takes of the folder are listed, and so many rigs.
const MOST_TAKES: usize = 200;

impl App {
    /// Lists everything that has these words.
    pub(super) fn begin_finding(&mut self, words: &str) {
        self.find = Some(Find::new(self.all_items(), words));
    }

    fn all_items(&self) -> Vec<Item> {
        let session = self.session();
        // What leads to this list is not found in it.
        let is_other = |command: &Command| {
            !matches!(command, Command::Find | Command::Stories | Command::Look)
        };
        let keys = self.keymap.bindings().iter().filter(|binding| is_other(&binding.command)).map(
            |binding| {
                let words = match binding.command {
                    Command::Bench(bench) => binding.help.replacen("bench", bench.entry().name, 1),
                    _ => binding.help.to_owned(),
                };
                Item::new(words, &binding.shown, Goal::Do(binding.command)).or(&binding.name)
            },
        );
        let lanes = all_lanes(session).into_iter().map(|lane| {
            let name = lane_name(session, lane).trim_start_matches("▷ ").to_owned();
            Item::new(name, "", Goal::Lane(lane))
        });
        let numbers = self.wanted_rig().knobs().into_iter().map(|knob| {
            let words = format!("{}  {}", knob.place, knob.tunable.meaning);
            Item::new(words, "", Goal::Number(knob.place))
        });
        let devices = session.roster().devices().map(|(id, device)| {
            let words = format!("{}  {}", device.label(), device.info.name);
            Item::new(words, "", Goal::Device(id))
        });
        let marks = self
            .marks()
            .map(|(tick, text)| Item::new(format!("{text}  at tick {tick}"), "", Goal::Mark(tick)));
        let places = [SearchPlace::ChosenLane, SearchPlace::AnyLane];
        let searches = places
            .into_iter()
            .flat_map(|place| Sought::ALL.map(|what| Search { what, place }))
            .map(|search| Item::new(search.words(), "", Goal::Search(search)));
        let stories = Story::ALL.iter().map(|&story| {
            let words = format!("{}  {}", story.word(), story.title());
            Item::new(words, "", Goal::Story(story))
        });
        // In the folder that the program was started in.
        let here = Path::new(".");
        let name = |path: &Path| CleanText::new(&path.to_string_lossy()).to_string();
        let takes = files_in(here, ".take.jsonl")
            .into_iter()
            .map(|path| Item::new(name(&path), "", Goal::Take(path)));
        let rigs = files_in(here, ".toml")
            .into_iter()
            .map(|path| Item::new(name(&path), "", Goal::Rig(Some(path))));
        let shipped = "Kestrel Quay  the rig that ships with the program".to_owned();
        let rigs = std::iter::once(Item::new(shipped, "", Goal::Rig(None))).chain(rigs);
        let all = keys.chain(lanes).chain(numbers).chain(devices).chain(searches).chain(marks);
        all.chain(stories).chain(rigs).chain(takes).collect()
    }

    pub(super) fn find_key(&mut self, key: KeyEvent, at: Nanos) -> Option<Request> {
        match self.find.as_mut()?.key(key) {
            Finding::Going => None,
            Finding::Dropped => {
                self.find = None;
                None
            }
            Finding::Found(goal) => self.found(goal, at),
        }
    }

    /// A click does what is under it, or closes the list; the wheel goes along it.
    pub(super) fn find_mouse(&mut self, mouse: &MouseEvent, at: Nanos) -> Option<Request> {
        let rows = self.view.hit.found;
        let find = self.find.as_mut()?;
        match mouse.kind {
            MouseEventKind::ScrollUp => find.choose(-1),
            MouseEventKind::ScrollDown => find.choose(1),
            MouseEventKind::Down(MouseButton::Left) => {
                if !rows.contains((mouse.column, mouse.row).into()) {
                    self.find = None;
                    return None;
                }
                let row = usize::from(mouse.row - rows.y);
                let goal = find.goal(find.first_row(rows.height.into()) + row)?;
                return self.found(goal, at);
            }
            _ => {}
        }
        None
    }

    fn found(&mut self, goal: Goal, at: Nanos) -> Option<Request> {
        self.find = None;
        match goal {
            Goal::Do(command) => return self.run(command, at),
            Goal::Lane(lane) => {
                // One that never moved is shown only when it is asked for.
                if !self.listed_lanes().contains(&lane) {
                    self.view.filter = lane_name(self.session(), lane);
                }
                self.pick(lane);
            }
            Goal::Number(place) => {
                self.show_bench(Bench::Tune);
                self.tuning.filter.clear();
                let at = self.knobs().iter().position(|knob| knob.place == place);
                self.tuning.chosen = at.unwrap_or(0);
            }
            Goal::Device(device) => {
                self.device = device.index();
                self.show_bench(Bench::Device);
            }
            Goal::Search(search) => self.look_for(search),
            Goal::Mark(tick) => self.go_to(tick),
            Goal::Story(story) => _ = self.open_story(story),
            Goal::Rig(path) => self.use_rig(path.as_deref()),
            Goal::Take(path) => self.open_take(&path),
            Goal::Time(time) => self.go_to_time(time),
        }
        None
    }
}

/// The files in a folder whose names end like that.
fn files_in(folder: &Path, ending: &str) -> Vec<PathBuf> {
    let Ok(files) = std::fs::read_dir(folder) else { return Vec::new() };
    let name =
        |file: std::io::Result<std::fs::DirEntry>| Some(PathBuf::from(file.ok()?.file_name()));
    let is_take = |path: &PathBuf| path.to_string_lossy().ends_with(ending);
    let mut takes: Vec<PathBuf> = files.filter_map(name).filter(is_take).take(MOST_TAKES).collect();
    takes.sort();
    takes
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn of_many_takes_some_are_listed() {
        let folder = tempfile::tempdir().unwrap();
        for n in 0..=MOST_TAKES {
            std::fs::write(folder.path().join(format!("{n:03}.take.jsonl")), "").unwrap();
        }
        std::fs::write(folder.path().join("rig.toml"), "").unwrap();
        let takes = files_in(folder.path(), ".take.jsonl");
        assert_eq!(takes.len(), MOST_TAKES);
        assert!(
            takes.is_sorted() && takes.iter().all(|path| path.parent().unwrap() == Path::new(""))
        );
        assert!(files_in(&folder.path().join("gone"), ".toml").is_empty());
    }
}
