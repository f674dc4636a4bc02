//! The top two rows and the bottom one.

use super::{hints, paint};
use crate::screen::{App, app::Trend, bench::Bench, keymap::Command, spots::Spot, theme::Badge};
use gtrig_core::{Device, DeviceId, DeviceKind, Nanos, Presence};
use gtrig_sources::{SenderIs, TerminalKeys};
use ratatui::{buffer::Buffer, layout::Rect, style::Style};
use unicode_width::UnicodeWidthStr;

/// Mode, rate, tick, time, rig, length of the history, lost presses.
pub(super) fn line(buffer: &mut Buffer, area: Rect, app: &App) {
    let theme = app.theme;
    if app.captured {
        let style = theme.badge(Badge::Captured);
        for x in area.left()..area.right() {
            paint::glyph(buffer, area, x, " ", style);
        }
        let text = " CAPTURED   keyboard and mouse are the device under test   Ctrl+G lets go ";
        paint::text(buffer, area, area.x, text, style);
        return;
    }
    let badge = match (app.document.is_take, app.view.is_live(), app.view.is_playing()) {
        (true, _, true) => (" PLAYING ", Badge::Live),
        (true, ..) => (" TAKE ", Badge::Frozen),
        (false, true, _) => (" LIVE ", Badge::Live),
        (false, false, _) => (" FROZEN ", Badge::Frozen),
    };
    let mut x = paint::text(buffer, area, area.x, badge.0, theme.badge(badge.1)) + 2;
    let session = app.session();
    let rate = session.plan().rate();
    let tick = app.tick();
    for text in [
        format!("{rate}"),
        format!("tick {tick:<7}"),
        format!("{:>14}", rate.time_of(tick).to_string()),
    ] {
        x = paint::text(buffer, area, x, &text, theme.strong()) + 3;
    }
    x = paint::text(buffer, area, x, session.rig().name.as_str(), theme.plain()) + 3;
    if let Some(other) = app.document.other_rig() {
        let find = app.key_of(Command::Find);
        let text = format!("≠ recorded by {other} ({find} rig)");
        x = paint::text(buffer, area, x, &text, theme.doubtful()) + 3;
    }
    let begins = rate.time_of(session.history().begins());
    let length = Nanos(rate.time_of(app.last()).0.saturating_sub(begins.0));
    x = paint::text(buffer, area, x, &format!("history {}", clock(length)), theme.faint()) + 3;
    let lost = session.now().lost();
    let style = if lost > 0 { theme.lost() } else { theme.faint() };
    x = paint::text(buffer, area, x, &format!("lost {lost}"), style) + 3;
    let modes = &session.rig().modes;
    if !modes.is_empty() {
        let on = app.machine().modes().iter().filter_map(|&n| modes.get(n.index()));
        let names: Vec<&str> = on.map(|mode| mode.name.as_str()).collect();
        let text = format!("mode {}", names.join(" › "));
        x = paint::text(buffer, area, x, &text, theme.wire()) + 3;
    }
    if !app.document.streams.troubles().is_empty() {
        let text = format!("streams ░ {}", app.document.streams.troubles().len());
        x = paint::text(buffer, area, x, &text, theme.doubtful()) + 3;
    }
    let here = |trend: &&Trend| trend.state.state == SenderIs::Here;
    let senders = app.sending.senders.iter().filter(here).count();
    if !app.sending.senders.is_empty() {
        x = paint::text(buffer, area, x, &format!("senders {senders}"), theme.plain()) + 3;
    }
    if let Some(readers) = app.document.readers() {
        x = paint::text(buffer, area, x, &format!("readers {readers}"), theme.plain()) + 3;
    }
    if let Some(share) = app.document.share_read() {
        let text = format!("{:.0} % of the take read", (100.0 * share).floor().min(99.0));
        x = paint::text(buffer, area, x, &text, theme.doubtful()) + 3;
    }
    if let Some(recorder) = app.document.recording() {
        let name = recorder.path().file_name().unwrap_or_default().to_string_lossy();
        let name = gtrig_core::CleanText::new(&name);
        x = paint::text(buffer, area, x, &format!("● REC {name}"), theme.doubtful()) + 3;
    }
    let behind = app.last().0 - tick.0;
    if let Some(title) = &app.document.title {
        paint::text(buffer, area, x, title, theme.faint());
    } else if !app.document.is_take && !app.view.is_live() {
        let text = format!("{behind} ticks behind; recording goes on");
        paint::text(buffer, area, x, &text, theme.faint());
    }
}

/// `04:12`, or `1:04:12`.
pub(super) fn clock(time: Nanos) -> String {
    let seconds = time.0 / 1_000_000_000;
    let (hours, minutes, seconds) = (seconds / 3600, seconds / 60 % 60, seconds % 60);
    match hours {
        0 => format!("{minutes:02}:{seconds:02}"),
        _ => format!("{hours}:{minutes:02}:{seconds:02}"),
    }
}

/// The devices: whether each is there, its slot, how often it reports. Where there is
/// no room for all, those that are played with stay, and the others are counted; what
/// belongs to the machine is always only counted.
pub(super) fn devices(buffer: &mut Buffer, area: Rect, app: &App) {
    let roster = app.session().roster();
    if roster.devices().len() == 0 {
        paint::text(buffer, area, area.x, "no device has been connected", app.theme.faint());
        return;
    }
    let words: Vec<DeviceWords> =
        roster.devices().map(|(id, device)| DeviceWords::of(app, id, device)).collect();
    let places = places(&words, area);
    for ((words, place), id) in words.iter().zip(&places).zip((0..).map(DeviceId::at)) {
        let Some(place) = *place else { continue };
        app.view.spots.note(place, Spot::Device(id));
        let (dot, state, style) = &words.state;
        let x = paint::text(buffer, place, place.x, dot, *style) + 1;
        let x = paint::text(buffer, place, x, &words.label, app.theme.strong()) + 1;
        paint::text(buffer, place, x, state, *style);
    }
    let folded = places.iter().filter(|place| place.is_none()).count();
    if folded > 0 {
        let end = places.iter().flatten().last().map_or(area.x, |last| last.right() + GAP as u16);
        let keys = [Command::NextDevice(1), Command::Bench(Bench::Device)];
        let [next, bench] = keys.map(|command| app.key_of(command));
        let text = format!("+{folded}, {next} on {bench}");
        paint::text(buffer, area, end, &text, app.theme.faint());
    }
}

/// Where each device stands; `None` for one that is only counted.
fn places(words: &[DeviceWords], area: Rect) -> Vec<Option<Rect>> {
    let mut x = area.x;
    let shown = those_with_room(words, usize::from(area.width));
    let place = |(words, is_shown): (&DeviceWords, bool)| {
        let width = (words.width() - GAP) as u16;
        let place = is_shown.then_some(Rect { x, width, ..area });
        x += if is_shown { width + GAP as u16 } else { 0 };
        place
    };
    words.iter().zip(shown).map(place).collect()
}

/// Columns between two devices.
const GAP: usize = 3;
/// Columns of how many are folded.
const FOLDED: usize = "+999, Tab on 2".len();

/// A device as the row of devices has it.
struct DeviceWords {
    label: String,
    /// A dot, how it is, and how both look.
    state: (&'static str, String, Style),
    /// Those of the lowest are shown first; `None` where it is only counted.
    rank: Option<u8>,
}

impl DeviceWords {
    fn of(app: &App, id: DeviceId, device: &Device) -> Self {
        let (theme, reports) = (app.theme, app.document.rates.of(id));
        let is_main = app.machine().main() == Some(id);
        let presence = app.machine().device(id).presence;
        let state = match presence {
            Presence::Here => {
                (if is_main { "◉" } else { "●" }, format!("{reports:>4}/s"), theme.signal())
            }
            Presence::Deaf => ("◌", "  deaf".to_owned(), theme.faint()),
            Presence::Gone => ("○", "  gone".to_owned(), theme.doubtful()),
        };
        let is_gone = presence == Presence::Gone;
        let rank = match device.info.kind {
            DeviceKind::System => None,
            DeviceKind::Pad | DeviceKind::Lever => Some(if is_gone { 2 } else { 0 }),
            _ => Some(if is_gone { 3 } else { 1 }),
        };
        DeviceWords { label: device.label().to_string(), state, rank }
    }

    fn width(&self) -> usize {
        1 + 1 + self.label.width() + 1 + self.state.1.width() + GAP
    }
}

/// Which devices are shown in a row of so many columns: by rank, of equals the first.
/// The order in which they stand does not change by it.
fn those_with_room(words: &[DeviceWords], width: usize) -> Vec<bool> {
    let mut order: Vec<usize> = (0..words.len()).filter(|&at| words[at].rank.is_some()).collect();
    order.sort_by_key(|&at| words[at].rank);
    let all: usize = order.iter().map(|&at| words[at].width()).sum();
    let is_whole = order.len() == words.len() && all <= width + GAP;
    let room = if is_whole { all } else { width.saturating_sub(FOLDED) };
    let mut shown = vec![false; words.len()];
    let mut used = 0;
    for at in order {
        used += words[at].width();
        if used > room {
            break;
        }
        shown[at] = true;
    }
    shown
}

/// The bottom row: what is typed, or news, or the keys. Returns where the
/// cursor is to be shown, if anywhere.
pub(super) fn bottom(buffer: &mut Buffer, area: Rect, app: &App) -> Option<(u16, u16)> {
    let theme = app.theme;
    if let Some(terminal) = app.is_captured_by() {
        let style = theme.badge(Badge::Captured);
        for x in area.left()..area.right() {
            paint::glyph(buffer, area, x, " ", style);
        }
        let how = match terminal.how() {
            TerminalKeys::Reported => "this terminal reports releases".to_owned(),
            TerminalKeys::Inferred(after) => format!(
                "this terminal reports no releases: inferred after {} ms, marked ?",
                after.0 / 1_000_000
            ),
        };
        let text = app.notice().map_or(how, |notice| notice.text.clone());
        paint::text(buffer, area, area.x, &format!(" Ctrl+G lets go   {text}"), style);
        return None;
    }
    if let Some(prompt) = &app.prompt {
        let title = format!("{}: ", prompt.purpose.title());
        let x = paint::text(buffer, area, area.x, &title, theme.strong());
        // What is typed takes the place of what is marked.
        let style = if prompt.is_replaced { theme.marked() } else { theme.plain() };
        paint::text(buffer, area, x, prompt.text(), style);
        let cursor = (x + prompt.cursor() as u16).min(area.right().saturating_sub(1));
        return (area.height > 0).then_some((cursor, area.y));
    }
    if let Some(notice) = app.notice() {
        let style = if notice.is_bad { theme.doubtful() } else { theme.strong() };
        paint::text(buffer, area, area.x, &notice.text, style);
        return None;
    }
    match &app.lesson {
        Some(lesson) => hints::lesson(buffer, area, app, lesson),
        None => hints::draw(buffer, area, app),
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn device(label: &str, rank: Option<u8>) -> DeviceWords {
        let state = ("●", " 125/s".to_owned(), Style::default());
        DeviceWords { label: label.to_owned(), state, rank }
    }

    /// A device takes 17 columns here, 14 without the gap, and the count takes 14.
    #[rstest]
    #[case::all_fit(&[Some(1), Some(0), Some(1)], 48, "###")]
    #[case::the_pad_stays(&[Some(1), Some(0), Some(1)], 47, ".#.")]
    #[case::so_it_does_behind_many(&[Some(1), Some(1), Some(1), Some(1), Some(0)], 60, "#...#")]
    #[case::what_went_goes_first(&[Some(2), Some(1), Some(0), Some(1)], 64, ".##.")]
    #[case::of_the_machine(&[None, Some(1), None], 100, ".#.")]
    #[case::no_room(&[Some(0)], 3, ".")]
    fn what_is_played_with_stays(
        #[case] ranks: &[Option<u8>],
        #[case] width: usize,
        #[case] expected: &str,
    ) {
        let words: Vec<DeviceWords> = ranks.iter().map(|rank| device("pad·1", *rank)).collect();
        let shown = those_with_room(&words, width);
        let shown: String = shown.iter().map(|s| if *s { '#' } else { '.' }).collect();
        assert_eq!(shown, expected);
    }
}
