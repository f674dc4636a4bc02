//! The bytes bench: the reports of a device that is read without a driver, bit by bit.
//!
//! ```text
//!   other·1  Bench pad    report 3, 5 bytes    Tab: next device   F: name some bits
//!   byte  hex  bit 7 … 0   turned        in the last 500 ms
//!    1     06   0000 0110  ········  ▁▁▁▁▁▁█▁   12 changes      8 buttons, on: 1 button-2
//!    4     51   0101 0001  ▴▴······  ▂▃▅█▁▁▁▁  125 changes  counter +1 in 4-7
//! ```

use super::{Bench, Entry};
use crate::maps;
use crate::screen::keymap::Command;
use crate::screen::{
    App,
    draw::paint,
    prompt::{Prompt, Purpose},
    view::Lane,
};
use gtrig_analysis::bytes::{ByteHabit, ByteKind, habits};
use gtrig_core::{CleanText, ControlId, ControlInfo, Device, DeviceId, Nanos, ReportBits, Tick};
use ratatui::{buffer::Buffer, layout::Rect};

/// What there is to know of it.
pub(crate) const ENTRY: Entry = Entry {
    bench: Bench::Bytes,
    key: "B",
    name: "bytes",
    help: "bench: the bytes of a device without a driver",
    keys: &[Command::NextDevice(1), Command::NameBits],
    draw,
    is_about: Some(is_about),
    shown: App::choose_first,
    next,
    ..Entry::PLAIN
};

/// So much of the past tells what a byte does.
const PAST_MS: u64 = 500;
/// Columns of a byte without the names of what is in it.
const BYTE: u16 = 74;

/// A byte of a report, as a control of its device.
#[derive(Clone, Copy)]
struct Byte {
    control: ControlId,
    report: u8,
    number: u32,
}

/// The bytes of a device.
fn bytes_of(app: &App, device: &Device) -> Vec<Byte> {
    let roster = app.session().roster();
    let byte = |control: ControlId| {
        let info = roster.info(control);
        let ReportBits { report, first, .. } = info.bits?;
        info.code.starts_with("byte-").then_some(Byte { control, report, number: first / 8 })
    };
    device.controls().filter_map(byte).collect()
}

/// Whether a device has bytes: they are the last of its controls.
fn has_bytes(app: &App, id: DeviceId) -> bool {
    let roster = app.session().roster();
    let last = roster.device(id).controls().next_back();
    last.is_some_and(|control| roster.code(control).starts_with("byte-"))
}

/// The device that is shown: the chosen one if it has bytes, or else the first that has.
fn shown(app: &App) -> Option<DeviceId> {
    let all = app.session().roster().devices().map(|(id, _)| id);
    app.device().into_iter().chain(all).find(|id| has_bytes(app, *id))
}

/// Goes on to the next device that has bytes.
fn next(app: &mut App, by: i32) {
    let count = app.session().roster().devices().len();
    for _ in 0..count {
        app.choose_device(by);
        if app.device().is_some_and(|id| has_bytes(app, id)) {
            return;
        }
    }
}

fn draw(buffer: &mut Buffer, area: Rect, app: &App) {
    let theme = app.theme;
    let mut rows = paint::rows(area);
    let Some(id) = shown(app) else {
        let words = [
            "no device is read without a driver",
            "`gtrig live --hid` listens to the reports of HID devices as they send them, and every",
            "byte of them is shown here; `gtrig hid LOG` makes a take of a log of reports",
        ];
        for (row, words) in rows.zip(words) {
            paint::text(buffer, row, row.x, words, theme.faint());
        }
        return;
    };
    if let Some(row) = rows.next() {
        head(buffer, row, app, id);
    }
    if let Some(row) = rows.next() {
        let title = format!(
            "{:<12}{:<7}{:<13}{:<11}{:<11}in the last {PAST_MS} ms",
            "report byte", "hex", "bits 7 to 0", "turned", "how often"
        );
        paint::text(buffer, row, row.x, &title, theme.faint());
    }
    let rows: Vec<Rect> = rows.collect();
    let bytes = bytes_of(app, app.session().roster().device(id));
    let done = habits_of(app, &bytes);
    // The last report is that of the last change of any byte.
    let last = done.iter().filter_map(|habit| Some(habit.turned?.1)).max();
    let (live, still): (Vec<_>, Vec<_>) =
        bytes.iter().zip(&done).partition(|(byte, habit)| is_of_note(app, **byte, **habit));
    // Those that say nothing fold into one row.
    let fit = rows.len().saturating_sub(usize::from(!still.is_empty()));
    for ((byte, habit), row) in live.iter().zip(rows.iter().take(fit)) {
        byte_row(buffer, *row, app, (**byte, **habit, last));
    }
    if let Some(row) = rows.get(live.len().min(fit)).filter(|_| !still.is_empty()) {
        let more = live.len().saturating_sub(fit);
        let names: Vec<String> = still.iter().map(|(byte, _)| name(**byte)).collect();
        let mut words = format!("never changed: {}", names.join(" "));
        if more > 0 {
            words = format!("{more} more change; {words}");
        }
        paint::text(buffer, *row, row.x, &words, theme.faint());
    }
}

fn name(byte: Byte) -> String {
    match byte.report {
        0 => byte.number.to_string(),
        report => format!("{report}:{}", byte.number),
    }
}

fn head(buffer: &mut Buffer, row: Rect, app: &App, id: DeviceId) {
    let theme = app.theme;
    let device = app.session().roster().device(id);
    let label = device.label().to_string();
    let x = paint::text(buffer, row, row.x, &label, theme.strong()) + 2;
    let x = paint::text(buffer, row, x, device.info.name.as_str(), theme.plain()) + 3;
    let rate = app.document.rates.of(id);
    let x = paint::text(buffer, row, x, &format!("{rate:>4} reports/s"), theme.plain()) + 3;
    let [names, next] = [Command::NameBits, Command::NextDevice(1)].map(|it| app.key_of(it));
    let text = format!("{names} names some bits   {next}: next device");
    paint::text(buffer, row, x, &text, theme.faint());
}

/// What each byte did in the last moments before the playhead.
fn habits_of(app: &App, bytes: &[Byte]) -> Vec<ByteHabit> {
    let Some(first) = bytes.first() else { return Vec::new() };
    let rate = app.session().plan().rate();
    let now = rate.time_of(app.tick());
    let from = rate.tick_at(Nanos(now.0.saturating_sub(PAST_MS * 1_000_000)));
    let events = app.session().reports_between(Tick(from.0.saturating_sub(1)), app.tick());
    habits(events, first.control, bytes.len())
}

/// Whether a byte has anything to say: it changes, it changed once, or it has a field.
fn is_of_note(app: &App, byte: Byte, habit: ByteHabit) -> bool {
    habit.changes > 0
        || app.session().history().control_lane(byte.control).len() > 1
        || !fields(app, byte).is_empty()
}

fn byte_row(
    buffer: &mut Buffer,
    row: Rect,
    app: &App,
    (byte, habit, last): (Byte, ByteHabit, Option<Nanos>),
) {
    let theme = app.theme;
    let cell = app.machine().control(byte.control);
    let turned = habit.turned.filter(|(_, at)| Some(*at) == last).map_or(0, |(bits, _)| bits);
    let now = cell.seen as u8;
    let style = if turned == 0 { theme.plain() } else { theme.signal() };
    paint::text(buffer, row, row.x, &format!("{:>11}", name(byte)), theme.strong());
    paint::text(buffer, row, row.x + 12, &format!("{now:02x}"), style);
    let most = habit.flips.iter().copied().max().unwrap_or(0).max(1);
    for bit in (0..8u8).rev() {
        let column = u16::from(7 - bit);
        let gap = u16::from(bit < 4);
        let is_on = now >> bit & 1 == 1;
        let style = if is_on { theme.signal() } else { theme.faint() };
        let digit = if is_on { "1" } else { "0" };
        paint::glyph(buffer, row, row.x + 19 + column + gap, digit, style);
        let is_turned = turned >> bit & 1 == 1;
        let (mark, style) = if is_turned { ("▴", theme.strong()) } else { ("·", theme.rule()) };
        paint::glyph(buffer, row, row.x + 32 + column, mark, style);
        let share = habit.flips[usize::from(bit)] as f32 / most as f32;
        let (level, style) = match habit.flips[usize::from(bit)] {
            0 => ("·", theme.rule()),
            _ => (paint::filled(share.max(0.125)), theme.wire()),
        };
        paint::glyph(buffer, row, row.x + 43 + column, level, style);
    }
    let words = habit_words(habit);
    let style = if matches!(habit.is, ByteKind::Moves) { theme.plain() } else { theme.faint() };
    paint::text(buffer, row, row.x + 54, &words, style);
    let x = row.x + BYTE;
    paint::text(buffer, row, x, &fields(app, byte).join("  "), theme.plain());
}

fn habit_words(ByteHabit { changes, is, .. }: ByteHabit) -> String {
    match is {
        ByteKind::Still => "still".to_owned(),
        ByteKind::Counter { width: 8, step, .. } => format!("counter, by {step}"),
        ByteKind::Counter { first, width, step } => {
            format!("counter {first}-{}, by {step}", first + width - 1)
        }
        ByteKind::Noise { between: (low, high) } => format!("noise {low:02x} to {high:02x}"),
        ByteKind::Moves if changes == 1 => "1 change".to_owned(),
        ByteKind::Moves => format!("{changes} changes"),
    }
}

/// What is in a byte: `0-3 throttle 291`, bits of this byte. Of fields of one bit, which
/// are many, those that are on.
fn fields(app: &App, byte: Byte) -> Vec<String> {
    let roster = app.session().roster();
    let device = roster.device(roster.control(byte.control).device);
    let begins = 8 * byte.number;
    let (mut wide, mut narrow, mut on) = (Vec::new(), 0, Vec::new());
    for control in device.controls() {
        let info = roster.info(control);
        let Some(ReportBits { report, first, width }) = info.bits else { continue };
        let (from, to) = (first.max(begins), (first + u32::from(width)).min(begins + 8));
        if report != byte.report || from >= to || info.code.starts_with("byte-") {
            continue;
        }
        let value = app.machine().control(control).seen;
        match width {
            1 if value == 0 => narrow += 1,
            1 => {
                narrow += 1;
                on.push(format!("{} {}", from - begins, info.code));
            }
            _ => wide.push(format!("{}-{} {} {value}", from - begins, to - begins - 1, info.code)),
        }
    }
    if narrow > 0 {
        let which =
            if on.is_empty() { "none on".to_owned() } else { format!("on: {}", on.join(", ")) };
        wide.push(format!("{narrow} buttons, {which}"));
    }
    wide
}

/// The lanes of the device that is shown come first.
fn is_about(app: &App, lane: Lane) -> bool {
    let Lane::Control(control) = lane else { return false };
    let device = app.session().roster().control(control).device;
    shown(app) == Some(device)
}

impl App {
    /// Asks for the name of some bits of the device that is shown.
    pub(in crate::screen) fn ask_for_field(&mut self) {
        let Some(id) = shown(self) else {
            self.tell(
                "no device is read without a driver: its bits have no names".to_owned(),
                true,
            );
            return;
        };
        self.bench = Bench::Bytes;
        let first = bytes_of(self, self.session().roster().device(id)).into_iter().next();
        let (report, number) = first.map_or((0, 0), |byte| (byte.report, byte.number));
        let text = format!("field-{report}-{}-8 ", 8 * number);
        self.prompt = Some(Prompt::new(Purpose::Field, &text));
    }

    /// Writes the name that was typed into the person's map of the device.
    pub(in crate::screen) fn name_field(&mut self, text: &str) {
        let mut words = text.split_whitespace();
        let (field, code) = (words.next().unwrap_or_default(), words.next().unwrap_or_default());
        let is_field = gtrig_sources::report_bits_of(field).is_some();
        if !ControlInfo::is_code(code) || !is_field || words.next().is_some() {
            let text = "bits and their name: `field-3-28-8s fine` is 8 bits of report 3 from bit 28 on, with a sign";
            self.tell(text.to_owned(), true);
            return;
        }
        let Some(id) = shown(self) else { return };
        let device = &self.session().roster().device(id).info;
        match maps::name_bits(device, code, field) {
            Ok(path) => {
                let path = CleanText::new(&path.display().to_string()).to_string();
                self.tell(
                    format!("{code} is in {path}, and is a control from the next start on"),
                    false,
                );
            }
            Err(error) => self.tell(format!("{error:#}"), true),
        }
    }
}
