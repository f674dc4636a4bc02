//! The row of tabs, a bench each.

use super::paint;
use crate::screen::{
    App,
    bench::{self, Bench, Entry},
    keymap::{Command, Keymap},
    spots::Spot,
};
use ratatui::{buffer::Buffer, layout::Rect};
use unicode_width::UnicodeWidthStr;

/// A tab: its key and, where there is room, its name.
struct Tab {
    entry: &'static Entry,
    place: Rect,
    /// The key that shows it; a dot where none does.
    key: String,
    is_named: bool,
}

/// Columns before the first tab.
const LEAD: u16 = 2;

/// Columns of a tab with its gap.
fn width(entry: &Entry, key: &str, is_named: bool, gap: u16) -> u16 {
    let name = if is_named { 1 + entry.name.width() as u16 } else { 0 };
    key.width() as u16 + name + gap
}

/// The tabs of a row: all have their key; the bench that is shown has its name, and so
/// have the first ones, as many as fit.
fn layout(area: Rect, shown: Bench, keymap: &Keymap) -> Vec<Tab> {
    let key = |entry: &Entry| keymap.shown(Command::Bench(entry.bench)).unwrap_or("·");
    let width = |entry: &Entry, is_named, gap| width(entry, key(entry), is_named, gap);
    let total = |gap| bench::ALL.iter().map(|entry| width(entry, true, gap)).sum::<u16>();
    let room = area.width.saturating_sub(LEAD);
    // None needs a gap after it at the right edge.
    let gap = if total(3) <= room + 3 { 3 } else { 2 };
    let room = room + gap;
    let name = |entry: &Entry| width(entry, true, gap) - width(entry, false, gap);
    let keys: u16 = bench::ALL.iter().map(|entry| width(entry, false, gap)).sum();
    let mut left = room.saturating_sub(keys + name(shown.entry()));
    let mut x = area.x + LEAD.min(area.width);
    let mut is_full = false;
    let tab = |entry: &&'static Entry| {
        let is_shown = entry.bench == shown;
        is_full |= !is_shown && name(entry) > left;
        let is_named = is_shown || !is_full;
        if is_named && !is_shown {
            left -= name(entry);
        }
        let place = Rect { x, width: width(entry, is_named, 0), ..area }.intersection(area);
        x += width(entry, is_named, gap);
        Tab { entry, place, key: key(entry).to_owned(), is_named }
    };
    bench::ALL.iter().map(tab).collect()
}

pub(super) fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    paint::rule(buffer, area, app.theme);
    for Tab { entry, place, key, is_named } in layout(area, app.bench, &app.keymap) {
        app.view.spots.note(place, Spot::Command(Command::Bench(entry.bench)));
        let style = match app.bench == entry.bench {
            true => app.theme.badge(crate::screen::theme::Badge::Tab),
            false => app.theme.faint(),
        };
        let title = if is_named { format!(" {key} {} ", entry.name) } else { format!(" {key} ") };
        // The blanks on either side belong to the gaps.
        paint::text(buffer, area, place.x.saturating_sub(1), &title, style);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case(160, Bench::Board, 13)]
    #[case(120, Bench::Game, 13)]
    #[case(78, Bench::Board, 6)]
    #[case(78, Bench::Game, 6)]
    #[case(43, Bench::Log, 1)]
    fn every_tab_has_a_place_and_the_shown_one_its_name(
        #[case] width: u16,
        #[case] shown: Bench,
        #[case] named: usize,
    ) {
        let area = Rect { x: 1, y: 2, width, height: 1 };
        let tabs = layout(area, shown, &Keymap::own());
        assert!(tabs.iter().all(|tab| tab.place.width >= 1));
        assert!(tabs.windows(2).all(|two| two[0].place.right() < two[1].place.x));
        assert!(tabs[shown as usize].is_named);
        assert_eq!(tabs.iter().filter(|tab| tab.is_named).count(), named);
    }
}
