//! Every key of the full screen, once: dispatch, hint bar and help overlay
//! read this table.

use crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// What a key does.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Command {
    FreezeOrGo,
    Step(i32),
    Pan(i32),
    Edge(i32),
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
    Measure,
    Border(i16),
    Whole(Room),
    Filter,
    NameBits,
    Learn,
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

/// A row of the table.
#[derive(Clone, Copy)]
pub(crate) struct Binding {
    keys: &'static [(KeyModifiers, KeyCode)],
    pub(crate) command: Command,
    /// The keys, as shown to people.
    pub(crate) shown: &'static str,
    /// A word or two for the hint bar; empty where the bar leaves it out.
    pub(crate) hint: &'static str,
    /// What it does, in a line.
    pub(crate) help: &'static str,
    pub(crate) group: &'static str,
}

const NONE: KeyModifiers = KeyModifiers::NONE;
const SHIFT: KeyModifiers = KeyModifiers::SHIFT;
const CTRL: KeyModifiers = KeyModifiers::CONTROL;

const fn row(
    group: &'static str,
    keys: &'static [(KeyModifiers, KeyCode)],
    shown: &'static str,
    command: Command,
    hint: &'static str,
    help: &'static str,
) -> Binding {
    Binding { keys, command, shown, hint, help, group }
}

use super::{
    bench::{self, Bench, Entry},
    viewport::Room,
};
use Command as C;
use KeyCode::Char;

/// The table, but for the keys of the benches.
#[rustfmt::skip]
const BINDINGS: &[Binding] = &[
    row("Time", &[(NONE, Char(' '))], "Space", C::FreezeOrGo, "freeze/go", "freeze the view, or go live again (a take: play, pause)"),
    row("Time", &[(NONE, KeyCode::Left)], "←", C::Step(-1), "", "one tick back"),
    row("Time", &[(NONE, KeyCode::Right)], "→", C::Step(1), "", "one tick on"),
    row("Time", &[(CTRL, KeyCode::Left), (NONE, Char(','))], ",", C::Step(-10), "", "ten ticks back (or Ctrl+←)"),
    row("Time", &[(CTRL, KeyCode::Right), (NONE, Char('.'))], ".", C::Step(10), "", "ten ticks on (or Ctrl+→)"),
    row("Time", &[(NONE, Char('['))], "[", C::Edge(-1), "", "the lane's edge before"),
    row("Time", &[(NONE, Char(']'))], "]", C::Edge(1), "[ ] edge", "the lane's next edge"),
    row("Time", &[(NONE, KeyCode::Home)], "Home", C::Begin, "", "the beginning of the history"),
    row("Time", &[(NONE, KeyCode::End)], "End", C::End, "", "the latest tick"),
    row("Time", &[(NONE, KeyCode::Enter)], "Enter", C::Measure, "measure", "measure from this tick to the playhead, or end that"),
    row("Time", &[(NONE, Char('m'))], "m", C::Mark, "mark", "mark this tick, or take its mark away"),
    row("Time", &[(SHIFT, Char('M'))], "M", C::MarkWithWords, "", "mark this tick with words"),
    row("Time", &[(NONE, Char('n'))], "n", C::NextMark(1), "", "the next mark"),
    row("Time", &[(SHIFT, Char('N'))], "N", C::NextMark(-1), "", "the mark before"),
    row("Time", &[(NONE, Char('e'))], "e", C::Trouble(1), "", "the next trouble with a stream"),
    row("Time", &[(SHIFT, Char('E'))], "E", C::Trouble(-1), "", "the trouble before"),
    row("Time", &[(NONE, Char('g'))], "g", C::Near(1), "", "the next combo that nearly fired"),
    row("Time", &[(SHIFT, Char('G'))], "G", C::Near(-1), "", "the one before"),
    row("Time", &[(SHIFT, Char('K'))], "K", C::Lost(1), "", "the next press that was lost, on any lane"),
    row("Time", &[(SHIFT, Char('J'))], "J", C::Lost(-1), "", "the one before"),
    row("View", &[(NONE, Char('+')), (NONE, Char('='))], "+", C::Zoom(-1), "", "zoom in"),
    row("View", &[(NONE, Char('-'))], "-", C::Zoom(1), "+ - zoom", "zoom out"),
    row("View", &[(NONE, Char('f'))], "f", C::FitAll, "", "fit the whole history, or what is measured, into the view"),
    row("View", &[(SHIFT, KeyCode::Left)], "Shift+←", C::Pan(-1), "", "pan back by a quarter"),
    row("View", &[(SHIFT, KeyCode::Right)], "Shift+→", C::Pan(1), "", "pan on by a quarter"),
    row("View", &[(NONE, KeyCode::Up)], "↑", C::Lane(-1), "", "the lane above"),
    row("View", &[(NONE, KeyCode::Down)], "↓", C::Lane(1), "↑ ↓ lane", "the lane below"),
    row("View", &[(NONE, KeyCode::PageUp)], "PgUp", C::LanePage(-1), "", "a page of lanes up"),
    row("View", &[(NONE, KeyCode::PageDown)], "PgDn", C::LanePage(1), "", "a page of lanes down"),
    row("View", &[(NONE, Char('t'))], "t", C::LaneHeight, "", "tall or low analogue lanes"),
    row("View", &[(SHIFT, Char('H'))], "H", C::Fold, "", "fold lanes at rest away, or show them"),
    row("View", &[(NONE, Char('}')), (SHIFT, Char('}'))], "}", C::Border(2), "", "more room for the bench"),
    row("View", &[(NONE, Char('{')), (SHIFT, Char('{'))], "{", C::Border(-2), "", "more for the timeline"),
    row("View", &[(NONE, Char('z'))], "z", C::Whole(Room::Bench), "", "the bench alone, or both again"),
    row("View", &[(SHIFT, Char('Z'))], "Z", C::Whole(Room::Lanes), "", "the timeline alone, or both again"),
    row("View", &[(NONE, Char('/'))], "/", C::Filter, "filter", "show only lanes, or log lines, that have these words"),
    row("View", &[(NONE, KeyCode::Esc)], "Esc", C::Dismiss, "", "drop the filter, close what is open"),
    row("View", &[(NONE, KeyCode::Tab)], "Tab", C::NextDevice(1), "", "a bench's next thing, such as a device"),
    row("View", &[(SHIFT, KeyCode::BackTab), (NONE, KeyCode::BackTab)], "Shift+Tab", C::NextDevice(-1), "", "the one before"),
    row("Tune", &[(NONE, Char('j'))], "j", C::Knob(1), "", "the next number"),
    row("Tune", &[(NONE, Char('k'))], "k", C::Knob(-1), "", "the number before"),
    row("Tune", &[(SHIFT, Char('>'))], ">", C::Nudge(1), "< > nudge", "nudge it up by a step"),
    row("Tune", &[(SHIFT, Char('<'))], "<", C::Nudge(-1), "", "nudge it down by a step"),
    row("Tune", &[(SHIFT, Char(')'))], ")", C::Nudge(10), "", "ten steps up"),
    row("Tune", &[(SHIFT, Char('('))], "(", C::Nudge(-10), "", "ten steps down"),
    row("Tune", &[(NONE, Char('v'))], "v", C::Value, "", "type its value"),
    row("Tune", &[(NONE, Char('p'))], "p", C::Propose, "", "calibrate, and set dead zone and rim, as was measured"),
    row("Tune", &[(NONE, Char('l'))], "l", C::Lay, "", "lay another stick over that of the bench, or none"),
    row("Tune", &[(NONE, Char('y'))], "y", C::Mistake(1), "", "the yard's next mistake"),
    row("Tune", &[(SHIFT, Char('Y'))], "Y", C::Mistake(-1), "", "the yard's mistake before"),
    row("Tune", &[(NONE, Char('0'))], "0", C::Reset, "", "reset it to what the file says"),
    row("Tune", &[(NONE, Char('u'))], "u", C::Undo, "", "undo a nudge"),
    row("Tune", &[(SHIFT, Char('U'))], "U", C::Redo, "", "do it again"),
    row("Tune", &[(NONE, Char('d'))], "d", C::Difference(1), "", "the next stretch that comes out different"),
    row("Tune", &[(SHIFT, Char('D'))], "D", C::Difference(-1), "", "the one before"),
    row("Tune", &[(NONE, Char('b'))], "b", C::Before, "", "compare from now on with what comes out now"),
    row("Tune", &[(NONE, Char('w'))], "w", C::WriteRig, "", "write the numbers into the rig's file"),
    row("Work", &[(NONE, Char('c'))], "c", C::Capture, "capture", "capture keyboard and mouse for the test; Ctrl+G lets go"),
    row("Work", &[(NONE, Char('a'))], "a", C::Audit, "", "audit the history again, up to now"),
    row("Work", &[(SHIFT, Char('A'))], "A", C::AuditBy, "", "audit by other rates, with jitter, hitches or a fixed step"),
    row("Work", &[(SHIFT, Char('O'))], "O", C::Stories, "stories", "open a story: a made-up take with something to find"),
    row("Work", &[(NONE, Char('s'))], "s", C::Save, "save", "save the history as a take"),
    row("Work", &[(NONE, Char('r'))], "r", C::Record, "record", "record to a take as it happens, or end that"),
    row("Work", &[(NONE, Char('x'))], "x", C::Export, "", "draw the lanes, or a bench's stick: SVG or PDF"),
    row("Work", &[(NONE, Char('i'))], "i", C::Learn, "", "name the controls of a device by moving them"),
    row("Work", &[(SHIFT, Char('F'))], "F", C::NameBits, "", "name some bits of a device that is read without a driver"),
    row("Work", &[(NONE, Char('o'))], "o", C::Open, "", "open a take"),
    row("Work", &[(NONE, Char(':')), (SHIFT, Char(':')), (CTRL, Char('f'))], ":", C::Find, "find", "find anything by a few letters: keys, lanes, numbers, takes"),
    row("Work", &[(NONE, Char('?')), (SHIFT, Char('?')), (NONE, Char('h')), (NONE, KeyCode::F(1))], "?", C::Help, "help", "this help"),
    row("Work", &[(CTRL, Char('z'))], "Ctrl+Z", C::Suspend, "", "suspend; the shell's fg brings it back"),
    row("Work", &[(NONE, Char('q')), (CTRL, Char('c'))], "q", C::Quit, "quit", "quit"),
];

/// Every row, in the order of the help: those of the benches stand before that
/// of Tab, which goes on within a bench.
pub(crate) fn bindings() -> impl Iterator<Item = Binding> {
    let at = BINDINGS.iter().position(|row| row.command == C::NextDevice(1)).unwrap_or(0);
    let (before, after) = BINDINGS.split_at(at);
    let benches = bench::ALL.into_iter().map(of_bench);
    before.iter().copied().chain(benches).chain(after.iter().copied())
}

fn of_bench(entry: &'static Entry) -> Binding {
    row("View", &[], entry.shown_key, C::Bench(entry.bench), "", entry.help)
}

/// The row of a command.
pub(crate) fn binding_of(command: Command) -> Option<Binding> {
    bindings().find(|binding| binding.command == command)
}

/// The one key that never reaches a captured device.
pub(crate) fn lets_go(key: &KeyEvent) -> bool {
    key.modifiers.contains(CTRL) && matches!(key.code, Char('g' | 'G'))
}

/// What a key does, if anything.
pub(crate) fn command(key: &KeyEvent) -> Option<Command> {
    let modifiers = key.modifiers & (SHIFT | CTRL | KeyModifiers::ALT);
    let is_it = |&(wanted, code): &(KeyModifiers, KeyCode)| {
        // Terminals differ in whether they report the Shift of a capital.
        let shift_is_free = matches!(code, Char(_));
        let same = modifiers == wanted
            || (shift_is_free && modifiers.difference(SHIFT) == wanted.difference(SHIFT));
        same && code == key.code
    };
    let row = BINDINGS.iter().find(|row| row.keys.iter().any(is_it)).map(|row| row.command);
    let bench = || bench::ALL.iter().find(|entry| is_it(&entry.key)).map(|e| C::Bench(e.bench));
    row.or_else(bench)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_two_rows_share_a_key() {
        let benches = bench::ALL.iter().map(|entry| &entry.key);
        let mut all: Vec<_> = BINDINGS.iter().flat_map(|b| b.keys).chain(benches).collect();
        let before = all.len();
        all.sort_by_key(|key| format!("{key:?}"));
        all.dedup();
        assert_eq!(all.len(), before);
    }

    #[test]
    fn capitals_work_with_and_without_a_reported_shift() {
        for modifiers in [NONE, SHIFT] {
            let key = KeyEvent::new(Char('M'), modifiers);
            assert_eq!(command(&key), Some(Command::MarkWithWords));
        }
        assert_eq!(command(&KeyEvent::new(Char('m'), NONE)), Some(Command::Mark));
    }
}
