//! Everything that can be found by typing a few letters of it: what a key does,
//! benches, lanes, numbers, devices, marks, stories and takes.

use super::{
    app::Search,
    keymap::Command,
    prompt::{Prompt, Purpose, Typed},
    view::Lane,
};
use crate::reels::instant;
use crossterm::event::{KeyCode, KeyEvent};
use gtrig_core::{DeviceId, Nanos, Place, Tick};
use gtrig_sources::Story;
use std::path::PathBuf;

/// What is done with something that was found.
#[derive(Clone, Debug)]
pub(crate) enum Goal {
    /// What a key does.
    Do(Command),
    /// The lane is chosen.
    Lane(Lane),
    /// The number is chosen, to be nudged.
    Number(Place),
    /// The device bench shows it.
    Device(DeviceId),
    /// It is looked for along time.
    Search(Search),
    /// The playhead goes there.
    Mark(Tick),
    /// The story is opened.
    Story(Story),
    /// The rig is used: of a file, or the one that ships with the program.
    Rig(Option<PathBuf>),
    /// The take is opened.
    Take(PathBuf),
    /// The playhead goes to an instant.
    Time(Nanos),
}

impl Goal {
    /// What kind of thing it is, in a word.
    pub(crate) const fn word(&self) -> &'static str {
        match self {
            Goal::Do(Command::Bench(_)) => "bench",
            Goal::Do(_) => "key",
            Goal::Lane(_) => "lane",
            Goal::Number(_) => "number",
            Goal::Device(_) => "device",
            Goal::Search(_) => "search",
            Goal::Mark(_) => "mark",
            Goal::Story(_) => "story",
            Goal::Rig(_) => "rig",
            Goal::Take(_) => "take",
            Goal::Time(_) => "time",
        }
    }
}

/// Something that can be found.
#[derive(Clone, Debug)]
pub(crate) struct Item {
    /// What it is called.
    pub(crate) words: String,
    /// The key that does the same; empty where none does.
    pub(crate) key: String,
    pub(crate) goal: Goal,
    /// The kind and the words in lower case.
    searched: String,
}

impl Item {
    pub(crate) fn new(words: String, key: &str, goal: Goal) -> Self {
        let searched = format!("{} {words}", goal.word()).to_lowercase();
        Item { words, key: key.to_owned(), goal, searched }
    }

    /// The same, found by another name as well.
    pub(crate) fn or(mut self, name: &str) -> Self {
        self.searched = format!("{} {name}", self.searched);
        self
    }
}

/// What came of a key.
#[derive(Debug)]
pub(crate) enum Finding {
    Going,
    Found(Goal),
    Dropped,
}

/// What is typed, and what has it.
///
/// Invariant: `found` are the places of the items that have every typed word, the
/// best first, and `chosen` is one of them, if there is any.
#[derive(Clone, Debug)]
pub(crate) struct Find {
    pub(crate) line: Prompt,
    items: Vec<Item>,
    /// So many of them are there whatever is typed.
    listed: usize,
    found: Vec<usize>,
    pub(crate) chosen: usize,
}

impl Find {
    /// What has these words.
    pub(crate) fn new(items: Vec<Item>, words: &str) -> Self {
        let line = Prompt::new(Purpose::Find, words);
        let listed = items.len();
        let mut find = Find { line, items, listed, found: Vec::new(), chosen: 0 };
        find.search();
        find
    }

    /// Those that have what is typed, the best first.
    pub(crate) fn found(&self) -> impl ExactSizeIterator<Item = &Item> {
        self.found.iter().map(|&at| &self.items[at])
    }

    /// How many there are of which these were found.
    pub(crate) fn of(&self) -> usize {
        self.listed
    }

    /// The first of so many rows that have the chosen one in their middle.
    pub(crate) fn first_row(&self, rows: usize) -> usize {
        self.chosen.saturating_sub(rows / 2).min(self.found.len().saturating_sub(rows))
    }

    /// Chooses one further down or up.
    pub(crate) fn choose(&mut self, by: i32) {
        let last = self.found.len().saturating_sub(1);
        self.chosen = self.chosen.saturating_add_signed(by as isize).min(last);
    }

    /// What is to be done with the one at a place of those that were found.
    pub(crate) fn goal(&self, at: usize) -> Option<Goal> {
        self.found().nth(at).map(|item| item.goal.clone())
    }

    /// Takes in a key.
    pub(crate) fn key(&mut self, key: KeyEvent) -> Finding {
        match key.code {
            KeyCode::Up | KeyCode::BackTab => self.choose(-1),
            KeyCode::Down | KeyCode::Tab => self.choose(1),
            KeyCode::PageUp => self.choose(-10),
            KeyCode::PageDown => self.choose(10),
            _ => match self.line.key(key) {
                Typed::Dropped => return Finding::Dropped,
                Typed::Done => {
                    return self.goal(self.chosen).map_or(Finding::Going, Finding::Found);
                }
                Typed::Going => self.search(),
            },
        }
        Finding::Going
    }

    fn search(&mut self) {
        let typed = self.line.text().to_lowercase();
        self.items.truncate(self.listed);
        // A number alone is sought in the names; with a colon or a point it is an instant.
        let is_instant = typed.contains([':', '.']);
        if let Some(time) = instant(typed.trim()).ok().filter(|_| is_instant) {
            let words = format!("{}  go to this instant", typed.trim());
            self.items.push(Item::new(words, "", Goal::Time(time)));
        }
        let words: Vec<&str> = typed.split_whitespace().collect();
        let ranked = self.items.iter().enumerate();
        let mut ranked: Vec<(u32, usize)> =
            ranked.filter_map(|(at, item)| Some((rank(&item.searched, &words)?, at))).collect();
        // Of equals, as they were listed.
        ranked.sort_unstable();
        self.found = ranked.into_iter().map(|(_, at)| at).collect();
        self.chosen = 0;
    }
}

/// How far a text is from what is typed: 0 is best. A word that the text does not
/// have may still be the first letters of its words, as `dz` is of dead zone.
/// `None` where some word is neither.
fn rank(text: &str, words: &[&str]) -> Option<u32> {
    words.iter().map(|word| distance(text, word)).sum()
}

fn distance(text: &str, word: &str) -> Option<u32> {
    let begins = |part: &&str| part.starts_with(word);
    let mut parts = text.split(|c: char| !c.is_alphanumeric()).filter(|part| !part.is_empty());
    if parts.clone().any(|part| part == word) {
        Some(0)
    } else if parts.clone().any(|part| begins(&part)) {
        Some(1)
    } else if text.contains(word) {
        Some(2)
    } else {
        let initials: String = parts.by_ref().filter_map(|part| part.chars().next()).collect();
        (word.chars().count() > 1 && initials.contains(word)).then_some(3)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crossterm::event::KeyModifiers;
    use rstest::rstest;

    #[rstest]
    #[case::whole_word("number dead-zone", "zone", Some(0))]
    #[case::beginning("number dead-zone", "zo", Some(1))]
    #[case::inside("number dead-zone", "ad-z", Some(2))]
    #[case::initials("number dead-zone", "dz", Some(3))]
    #[case::every_word("lane pad·1 south", "south pad", Some(0))]
    #[case::one_is_missing("lane pad·1 south", "south key", None)]
    #[case::nothing_typed("lane pad·1 south", "", Some(0))]
    #[case::one_letter_is_no_initials("bench touch", "o", Some(2))]
    fn words_are_found(#[case] text: &str, #[case] typed: &str, #[case] expected: Option<u32>) {
        let words: Vec<&str> = typed.split_whitespace().collect();
        assert_eq!(rank(text, &words), expected);
    }

    fn find(words: &[&str]) -> Find {
        let item = |words: &&str| Item::new(words.to_string(), "", Goal::Do(Command::Mark));
        Find::new(words.iter().map(item).collect(), "")
    }

    fn type_in(find: &mut Find, text: &str) {
        for c in text.chars() {
            find.key(KeyEvent::new(KeyCode::Char(c), KeyModifiers::NONE));
        }
    }

    #[test]
    fn the_best_comes_first_and_the_choice_stays_within_what_was_found() {
        let mut find = find(&["a tall mark", "marking", "remark", "other"]);
        find.choose(3);
        type_in(&mut find, "mark");
        let words: Vec<&str> = find.found().map(|item| item.words.as_str()).collect();
        assert_eq!(words, ["a tall mark", "marking", "remark"]);
        assert_eq!(find.chosen, 0);
        find.choose(99);
        assert_eq!(find.chosen, 2);
        type_in(&mut find, "zzz");
        assert_eq!((find.found().len(), find.goal(find.chosen).is_none()), (0, true));
        let enter = find.key(KeyEvent::new(KeyCode::Enter, KeyModifiers::NONE));
        assert!(matches!(enter, Finding::Going), "nothing was found, so nothing is done");
    }
}
