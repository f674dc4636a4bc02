//! Every command of the full screen with its keys, once: what keys do, the row of hints,
//! the help and the settings read this table.

use crossterm::event::{KeyCode as Typed, KeyEvent, KeyModifiers};
use gtrig_formats::settings::{Bound, Key, KeyCode, Settings};
use std::{
    collections::{BTreeMap, HashMap},
    mem::discriminant,
    sync::{Arc, LazyLock},
};

/// What a key does.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Command {
    FreezeOrGo,
    Step(i32),
    Pan(i32),
    Edge(i32),
    Look,
    Mark,
    MarkWithWords,
    NextMark(i32),
    Trouble(i32),
    Near(i32),
    Lost(i32),
    Begin,
    End,
    Zoom(i32),
    FitAll,
    Lane(i32),
    LanePage(i32),
    LaneHeight,
    Fold,
    Pin,
    MoveLane(i32),
    HideLane,
    HideDevice,
    Gather,
    ShowHidden,
    Measure,
    Border(i16),
    Whole(Room),
    Filter,
    NameBits,
    Learn,
    NameAddresses,
    KeepLast,
    Dismiss,
    Bench(Bench),
    NextDevice(i32),
    Capture,
    Audit,
    AuditBy,
    Knob(i32),
    Nudge(i32),
    Value,
    Propose,
    Mistake(isize),
    Lay,
    Reset,
    Undo,
    Redo,
    Before,
    WriteRig,
    StarterRig,
    Tour,
    Page,
    Difference(i32),
    Export,
    Save,
    Record,
    Open,
    Stories,
    Find,
    Help,
    Suspend,
    Quit,
}

impl Command {
    /// How far it goes, whichever way.
    fn size(self) -> u32 {
        match self {
            Command::Step(by)
            | Command::Edge(by)
            | Command::NextMark(by)
            | Command::Zoom(by)
            | Command::Lane(by)
            | Command::MoveLane(by)
            | Command::Nudge(by)
            | Command::Knob(by) => by.unsigned_abs(),
            _ => 0,
        }
    }
}

/// A row of the table, as it is by itself.
struct Row {
    /// What the settings call it.
    name: &'static str,
    /// Its keys; the first is the one that people read.
    keys: &'static [&'static str],
    command: Command,
    hint: &'static str,
    help: &'static str,
    group: &'static str,
}

const fn row(
    group: &'static str,
    name: &'static str,
    keys: &'static [&'static str],
    command: Command,
    hint: &'static str,
    help: &'static str,
) -> Row {
    Row { name, keys, command, hint, help, group }
}

/// A command with the keys that it has now.
#[derive(Clone, Debug)]
pub(crate) struct Binding {
    /// What the settings call it.
    pub(crate) name: String,
    pub(crate) keys: Vec<Key>,
    /// The first key, as people read it; empty where it has none.
    pub(crate) shown: String,
    pub(crate) command: Command,
    /// A word for the row of hints; empty where that leaves it out.
    pub(crate) hint: &'static str,
    /// What it does, in a line.
    pub(crate) help: &'static str,
    pub(crate) group: &'static str,
}

use super::{
    bench::{self, Bench, Entry},
    viewport::Room,
};
use Command as C;

/// The table, but for the keys of the benches. Two rows that do the same there and back
/// stand side by side.
#[rustfmt::skip]
const ROWS: &[Row] = &[
    row("Time", "freeze", &["Space"], C::FreezeOrGo, "freeze/go", "freeze the view, or go live again (a take: play, pause)"),
    row("Time", "tick-back", &["Left"], C::Step(-1), "", "one tick back"),
    row("Time", "tick-on", &["Right"], C::Step(1), "", "one tick on"),
    row("Time", "ten-ticks-back", &[",", "Ctrl+Left"], C::Step(-10), "", "ten ticks back"),
    row("Time", "ten-ticks-on", &[".", "Ctrl+Right"], C::Step(10), "", "ten ticks on"),
    row("Time", "edge-before", &["["], C::Edge(-1), "", "the edge before, or what is looked for"),
    row("Time", "edge-next", &["]"], C::Edge(1), "edge", "the next"),
    row("Time", "look", &["S"], C::Look, "", "look for something else than edges, on any lane"),
    row("Time", "beginning", &["Home"], C::Begin, "", "the beginning of the history; again: of the reel"),
    row("Time", "latest", &["End"], C::End, "", "the latest tick; again: the end of the reel"),
    row("Time", "measure", &["Enter"], C::Measure, "measure", "measure from this tick to the playhead, or end that"),
    row("Time", "mark", &["m"], C::Mark, "mark", "mark this tick, or take its mark away"),
    row("Time", "mark-with-words", &["M"], C::MarkWithWords, "", "mark this tick with words"),
    row("Time", "mark-next", &["n"], C::NextMark(1), "", "the next mark"),
    row("Time", "mark-before", &["N"], C::NextMark(-1), "", "the mark before"),
    row("Time", "trouble-next", &["e"], C::Trouble(1), "", "the next trouble with a stream"),
    row("Time", "trouble-before", &["E"], C::Trouble(-1), "", "the trouble before"),
    row("Time", "near-next", &["g"], C::Near(1), "", "the next combo that nearly fired"),
    row("Time", "near-before", &["G"], C::Near(-1), "", "the one before"),
    row("Time", "lost-next", &["K"], C::Lost(1), "", "the next press that was lost, on any lane"),
    row("Time", "lost-before", &["J"], C::Lost(-1), "", "the one before"),
    row("View", "zoom-in", &["+", "="], C::Zoom(-1), "", "zoom in"),
    row("View", "zoom-out", &["-"], C::Zoom(1), "zoom", "zoom out"),
    row("View", "fit", &["f"], C::FitAll, "", "fit the whole history, or what is measured, into the view"),
    row("View", "pan-back", &["Shift+Left"], C::Pan(-1), "", "pan back by a quarter"),
    row("View", "pan-on", &["Shift+Right"], C::Pan(1), "", "pan on by a quarter"),
    row("View", "lane-above", &["Up"], C::Lane(-1), "", "the lane above"),
    row("View", "lane-below", &["Down"], C::Lane(1), "lane", "the lane below"),
    row("View", "lanes-page-up", &["PageUp"], C::LanePage(-1), "", "a page of lanes up"),
    row("View", "lanes-page-down", &["PageDown"], C::LanePage(1), "", "a page of lanes down"),
    row("View", "lane-height", &["t"], C::LaneHeight, "", "tall or low analogue lanes"),
    row("View", "fold", &["H"], C::Fold, "", "fold lanes at rest away, or show them"),
    row("View", "pin", &["I"], C::Pin, "", "pin the lane: it comes first and is never folded"),
    row("View", "move-up", &["Ctrl+Up"], C::MoveLane(-1), "", "move a pinned lane up"),
    row("View", "move-down", &["Ctrl+Down"], C::MoveLane(1), "", "down"),
    row("View", "gather", &["C"], C::Gather, "", "gather what feeds an action in its lane, or show it"),
    row("View", "hide-lane", &["X"], C::HideLane, "", "hide the lane from now on"),
    row("View", "hide-device", &["Ctrl+X"], C::HideDevice, "", "hide every lane of its device"),
    row("View", "show-hidden", &["V"], C::ShowHidden, "", "show all that is hidden or gathered again"),
    row("View", "bench-larger", &["}"], C::Border(2), "", "more room for the bench"),
    row("View", "bench-smaller", &["{"], C::Border(-2), "", "more for the timeline"),
    row("View", "bench-alone", &["z"], C::Whole(Room::Bench), "", "the bench alone, or both again"),
    row("View", "timeline-alone", &["Z"], C::Whole(Room::Lanes), "", "the timeline alone"),
    row("View", "filter", &["/"], C::Filter, "filter", "show only lanes, log lines or numbers with these words"),
    row("View", "close", &["Esc"], C::Dismiss, "", "drop the filter, close what is open"),
    row("View", "thing-next", &["Tab"], C::NextDevice(1), "", "a bench's next thing, such as a device"),
    row("View", "thing-before", &["Shift+Tab"], C::NextDevice(-1), "", "the one before"),
    row("Tune", "number-next", &["j"], C::Knob(1), "", "the next number"),
    row("Tune", "number-before", &["k"], C::Knob(-1), "", "the number before"),
    row("Tune", "nudge-down", &["<"], C::Nudge(-1), "", "nudge it down by a step"),
    row("Tune", "nudge-up", &[">"], C::Nudge(1), "nudge", "nudge it up by a step"),
    row("Tune", "nudge-far-down", &["("], C::Nudge(-10), "", "ten steps down"),
    row("Tune", "nudge-far-up", &[")"], C::Nudge(10), "", "ten steps up"),
    row("Tune", "value", &["v"], C::Value, "", "type its value"),
    row("Tune", "take-measured", &["p"], C::Propose, "", "calibrate, and set dead zone and rim, as was measured"),
    row("Tune", "lay-over", &["l"], C::Lay, "", "lay another stick over that of the bench, or none"),
    row("Tune", "mistake-next", &["y"], C::Mistake(1), "", "the yard's next mistake"),
    row("Tune", "mistake-before", &["Y"], C::Mistake(-1), "", "the yard's mistake before"),
    row("Tune", "reset", &["0"], C::Reset, "", "reset it to what the file says"),
    row("Tune", "undo", &["u"], C::Undo, "", "undo a nudge"),
    row("Tune", "redo", &["U"], C::Redo, "", "do it again"),
    row("Tune", "difference-next", &["d"], C::Difference(1), "", "the next stretch that comes out different"),
    row("Tune", "difference-before", &["D"], C::Difference(-1), "", "the one before"),
    row("Tune", "compare-from-now", &["b"], C::Before, "", "compare from now on with what comes out now"),
    row("Tune", "write-rig", &["w"], C::WriteRig, "", "write the numbers into the rig's file"),
    row("Tune", "starter-rig", &["R"], C::StarterRig, "", "write a rig for what is plugged in, and use it"),
    row("Work", "capture", &["c"], C::Capture, "capture", "capture keyboard and mouse for the test; Ctrl+G lets go"),
    row("Work", "audit", &["a"], C::Audit, "", "audit the history again, up to now"),
    row("Work", "audit-by", &["A"], C::AuditBy, "", "audit by other rates, with jitter, hitches or a fixed step"),
    row("Work", "stories", &["O"], C::Stories, "stories", "open a story: a made-up take with something to find"),
    row("Work", "save", &["s"], C::Save, "save", "save the history as a take"),
    row("Work", "keep-last", &["F3"], C::KeepLast, "", "keep the last five minutes as a take, at once"),
    row("Work", "record", &["r"], C::Record, "record", "record to a take as it happens, or end that"),
    row("Work", "draw", &["x"], C::Export, "", "draw the lanes, or a bench's stick: SVG or PDF"),
    row("Work", "name-controls", &["i"], C::Learn, "", "name the controls of a device by moving them"),
    row("Work", "name-addresses", &["W"], C::NameAddresses, "", "name addresses of Open Sound Control as controls"),
    row("Work", "name-bits", &["F"], C::NameBits, "", "name some bits of a device that is read without a driver"),
    row("Work", "open", &["o"], C::Open, "", "open a take"),
    row("Work", "find", &[":", "Ctrl+F"], C::Find, "find", "find anything: keys, lanes, numbers, takes"),
    row("Work", "help", &["?", "F1"], C::Help, "help", "this help"),
    row("Work", "tour", &["F2"], C::Tour, "", "a short tour with the real program; there it skips a step"),
    row("Work", "page", &["Q"], C::Page, "", "how phones and browsers get to the page"),
    row("Work", "suspend", &["Ctrl+Z"], C::Suspend, "", "suspend; the shell's fg brings it back"),
    row("Work", "quit", &["q"], C::Quit, "quit", "quit"),
];

/// The keys in force: the table, and what a person set.
///
/// Invariants: no two bindings have one key; `places` has each command of the bindings.
#[derive(Clone, Debug)]
pub(crate) struct Keymap {
    bindings: Vec<Binding>,
    /// Where a command stands among the bindings.
    places: HashMap<Command, usize>,
    commands: HashMap<Key, Command>,
}

/// The table as it is by itself. To read its keys takes as long as to read a rig, so it is
/// done once.
static OWN: LazyLock<Arc<Keymap>> = LazyLock::new(|| Arc::new(Keymap::new(&BTreeMap::new())));

impl Keymap {
    /// The table as it is by itself.
    pub(crate) fn own() -> Arc<Keymap> {
        Arc::clone(&OWN)
    }

    /// The table with other keys for what `set` names, which has no key twice
    /// ([`gtrig_formats::settings::parse`] sees to that).
    pub(crate) fn new(set: &BTreeMap<String, Vec<Key>>) -> Self {
        // Those of the benches stand before that of Tab, which goes on within a bench.
        let at = ROWS.iter().position(|row| row.command == C::NextDevice(1)).unwrap_or(0);
        let (before, after) = ROWS.split_at(at);
        let benches = bench::ALL.into_iter().map(of_bench);
        let rows = before.iter().map(of_row).chain(benches).chain(after.iter().map(of_row));
        let bindings: Vec<Binding> = rows
            .map(|mut binding| {
                if let Some(keys) = set.get(&binding.name) {
                    binding.keys.clone_from(keys);
                    binding.shown = shown(keys);
                }
                binding
            })
            .collect();
        let keys = |binding: &Binding| {
            let command = binding.command;
            binding.keys.clone().into_iter().map(move |key| (key, command))
        };
        let commands = bindings.iter().flat_map(keys).collect();
        // Where a command stands twice, the first place counts.
        let places = bindings.iter().enumerate().rev();
        let places = places.map(|(place, binding)| (binding.command, place)).collect();
        Keymap { bindings, places, commands }
    }

    /// Every binding, in the order of the help.
    pub(crate) fn bindings(&self) -> &[Binding] {
        &self.bindings
    }

    /// What a key does, if anything.
    pub(crate) fn command(&self, key: &KeyEvent) -> Option<Command> {
        if is_ctrl(key, 'c') {
            return Some(Command::Quit);
        }
        self.commands.get(&typed(key)?).copied()
    }

    /// The key of a command, as people read it, if it has one.
    pub(crate) fn shown(&self, command: Command) -> Option<&str> {
        Some(self.binding(command)?.shown.as_str()).filter(|shown| !shown.is_empty())
    }

    /// What the settings call a command.
    pub(crate) fn name(&self, command: Command) -> &str {
        self.binding(command).map_or("", |binding| binding.name.as_str())
    }

    /// What a command does, in a line.
    pub(crate) fn help(&self, command: Command) -> &'static str {
        self.binding(command).map_or("", |binding| binding.help)
    }

    fn binding(&self, command: Command) -> Option<&Binding> {
        self.places.get(&command).map(|place| &self.bindings[*place])
    }

    /// The keys of a command there and back: `[ ]`. Of one that has no other way its key.
    pub(crate) fn there_and_back(&self, command: Command) -> String {
        let is_way = |binding: &&Binding| {
            discriminant(&binding.command) == discriminant(&command)
                && binding.command.size() == command.size()
        };
        let keys = self.bindings.iter().filter(is_way).map(|binding| binding.shown.as_str());
        keys.filter(|shown| !shown.is_empty()).collect::<Vec<_>>().join(" ")
    }

    /// What the settings can say of keys, with those in force.
    fn bound(&self) -> Vec<(Bound, &'static str)> {
        let bound = |binding: &Binding| {
            let Binding { name, keys, help, .. } = binding.clone();
            (Bound { name, keys }, help)
        };
        self.bindings.iter().map(bound).collect()
    }
}

/// Everything that keys can be set for, with the keys that it has by itself.
pub fn bound() -> Vec<Bound> {
    OWN.bound().into_iter().map(|(bound, _)| bound).collect()
}

/// The same with the keys that hold by these settings, and what each does.
pub fn keys_in_force(settings: &Settings) -> Vec<(Bound, &'static str)> {
    Keymap::new(&settings.keys).bound()
}

fn of_row(row: &Row) -> Binding {
    let Row { name, keys, command, hint, help, group } = *row;
    // A test holds that the table has keys alone.
    let keys: Vec<Key> = keys.iter().filter_map(|key| key.parse().ok()).collect();
    Binding { name: name.to_owned(), shown: shown(&keys), keys, command, hint, help, group }
}

fn of_bench(entry: &'static Entry) -> Binding {
    let keys: Vec<Key> = entry.key.parse().into_iter().collect();
    Binding {
        name: format!("bench-{}", entry.name),
        shown: shown(&keys),
        keys,
        command: C::Bench(entry.bench),
        hint: "",
        help: entry.help,
        group: "View",
    }
}

fn shown(keys: &[Key]) -> String {
    keys.first().map(Key::to_string).unwrap_or_default()
}

/// The one key that never reaches a captured device.
pub(crate) fn lets_go(key: &KeyEvent) -> bool {
    is_ctrl(key, 'g')
}

fn is_ctrl(key: &KeyEvent, letter: char) -> bool {
    let is_letter = matches!(key.code, Typed::Char(c) if c.eq_ignore_ascii_case(&letter));
    is_letter && key.modifiers.contains(KeyModifiers::CONTROL)
}

/// A key as the terminal reports it. Terminals differ in whether they report the Shift of
/// a capital, and have a code of its own for Shift+Tab.
fn typed(key: &KeyEvent) -> Option<Key> {
    let code = match key.code {
        Typed::Char(c) => KeyCode::Char(c),
        Typed::F(n) => KeyCode::Function(n),
        Typed::Left => KeyCode::Left,
        Typed::Right => KeyCode::Right,
        Typed::Up => KeyCode::Up,
        Typed::Down => KeyCode::Down,
        Typed::Home => KeyCode::Home,
        Typed::End => KeyCode::End,
        Typed::PageUp => KeyCode::PageUp,
        Typed::PageDown => KeyCode::PageDown,
        Typed::Insert => KeyCode::Insert,
        Typed::Delete => KeyCode::Delete,
        Typed::Backspace => KeyCode::Backspace,
        Typed::Enter => KeyCode::Enter,
        Typed::Esc => KeyCode::Esc,
        Typed::Tab | Typed::BackTab => KeyCode::Tab,
        _ => return None,
    };
    let has = |modifier| key.modifiers.contains(modifier);
    let ctrl = has(KeyModifiers::CONTROL);
    let code = match code {
        KeyCode::Char(c) if ctrl => KeyCode::Char(c.to_ascii_lowercase()),
        code => code,
    };
    let is_char = matches!(code, KeyCode::Char(_));
    let shift = !is_char && (has(KeyModifiers::SHIFT) || key.code == Typed::BackTab);
    Some(Key { ctrl, alt: has(KeyModifiers::ALT), shift, code })
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;
    use std::collections::BTreeSet;

    #[test]
    fn the_table_has_keys_alone_and_none_twice() {
        let texts = ROWS.iter().flat_map(|row| row.keys.iter().copied());
        let texts: Vec<&str> = texts.chain(bench::ALL.iter().map(|entry| entry.key)).collect();
        let keys: Vec<Key> = texts.iter().map(|text| text.parse().unwrap()).collect();
        let keymap = Keymap::own();
        assert_eq!(keymap.commands.len(), keys.len());
        let names = || keymap.bindings().iter().map(|binding| &binding.name);
        assert_eq!(names().collect::<BTreeSet<_>>().len(), names().count());
    }

    #[rstest]
    #[case::with(KeyModifiers::SHIFT)]
    #[case::without(KeyModifiers::NONE)]
    fn capitals_work_with_and_without_a_reported_shift(#[case] modifiers: KeyModifiers) {
        let command = |code, modifiers| Keymap::own().command(&KeyEvent::new(code, modifiers));
        assert_eq!(command(Typed::Char('M'), modifiers), Some(Command::MarkWithWords));
        assert_eq!(command(Typed::Char('m'), KeyModifiers::NONE), Some(Command::Mark));
        assert_eq!(command(Typed::BackTab, modifiers), Some(Command::NextDevice(-1)));
        assert_eq!(command(Typed::Char('C'), KeyModifiers::CONTROL), Some(Command::Quit));
    }

    #[test]
    fn keys_that_are_set_take_the_place_of_those_that_were() {
        let text = "[keys]\nsave = \"F6\"\nmark = \"s\"\nzoom-in = []\nquit = []\n";
        let settings = gtrig_formats::settings::parse("settings.toml", text, &bound()).unwrap();
        let keymap = Keymap::new(&settings.keys);
        let command = |code| keymap.command(&KeyEvent::new(code, KeyModifiers::NONE));
        assert_eq!(command(Typed::F(6)), Some(Command::Save));
        assert_eq!(command(Typed::Char('s')), Some(Command::Mark));
        assert_eq!(command(Typed::Char('m')), None);
        assert_eq!(command(Typed::Char('+')), None);
        let way_out = KeyEvent::new(Typed::Char('c'), KeyModifiers::CONTROL);
        assert_eq!(keymap.command(&way_out), Some(Command::Quit));
        assert_eq!(
            (keymap.shown(Command::Save), keymap.shown(Command::Zoom(-1))),
            (Some("F6"), None)
        );
        assert_eq!(keymap.there_and_back(Command::Zoom(1)), "-");
        assert_eq!(keymap.there_and_back(Command::Edge(1)), "[ ]");
    }
}
