//! The real terminal: taken over, and given back whatever happens.

use crossterm::{
    cursor,
    event::{
        DisableFocusChange, DisableMouseCapture, EnableFocusChange, EnableMouseCapture,
        KeyboardEnhancementFlags, PopKeyboardEnhancementFlags, PushKeyboardEnhancementFlags,
    },
    execute, style, terminal,
};
use std::{
    io::{self, Write, stdout},
    panic,
    sync::{
        Once,
        atomic::{AtomicBool, Ordering},
    },
};

/// Whether the terminal is ours now, and whether all keys are reported.
static TAKEN: AtomicBool = AtomicBool::new(false);
static ALL_KEYS: AtomicBool = AtomicBool::new(false);

/// While it lives, the terminal is ours: alternate screen, raw keys, mouse.
pub(super) struct Taken(());

impl Taken {
    pub(super) fn take() -> io::Result<Self> {
        give_back_on_panic();
        terminal::enable_raw_mode()?;
        TAKEN.store(true, Ordering::SeqCst);
        let taken = Taken(());
        execute!(
            stdout(),
            terminal::EnterAlternateScreen,
            terminal::Clear(terminal::ClearType::All),
            EnableMouseCapture,
            EnableFocusChange,
            cursor::Hide
        )?;
        Ok(taken)
    }

    /// Asks for every key as the progressive keyboard protocol reports it, or
    /// ends that.
    pub(super) fn report_all_keys(&self, all: bool, out: &mut impl Write) -> io::Result<()> {
        if ALL_KEYS.swap(all, Ordering::SeqCst) == all {
            return Ok(());
        }
        if all {
            let flags = KeyboardEnhancementFlags::DISAMBIGUATE_ESCAPE_CODES
                | KeyboardEnhancementFlags::REPORT_EVENT_TYPES
                | KeyboardEnhancementFlags::REPORT_ALL_KEYS_AS_ESCAPE_CODES;
            execute!(out, PushKeyboardEnhancementFlags(flags))
        } else {
            execute!(out, PopKeyboardEnhancementFlags)
        }
    }
}

impl Taken {
    /// Leaves a terminal that takes nothing any more: what is written to it would wait
    /// for ever.
    pub(super) fn abandon(self) {
        TAKEN.store(false, Ordering::SeqCst);
        let _ = terminal::disable_raw_mode();
    }
}

impl Drop for Taken {
    fn drop(&mut self) {
        give_back();
    }
}

/// Columns and rows of a terminal that does not tell how many it has, as on a serial line.
const USUAL: [u16; 2] = [80, 24];

/// So many columns and rows are drawn at most: more than the largest displays have, in memory that
/// any machine has.
const MOST: [u16; 2] = [1_500, 600];

/// How many columns and rows there are to draw in.
pub(super) fn size() -> (u16, u16) {
    let (columns, rows) = terminal::size().unwrap_or_default();
    to_draw_in(columns, rows)
}

/// What can be drawn in on a terminal that tells this size.
pub(super) fn to_draw_in(columns: u16, rows: u16) -> (u16, u16) {
    let within = |told: u16, usual, most| if told == 0 { usual } else { told.min(most) };
    (within(columns, USUAL[0], MOST[0]), within(rows, USUAL[1], MOST[1]))
}

/// Whether the terminal can report presses, repeats and releases. It is asked; one that does
/// not answer is waited for, two seconds long.
pub(super) fn reports_releases() -> bool {
    terminal::supports_keyboard_enhancement().unwrap_or(false)
}

/// Whether nobody is at the other end of the terminal any more, as when its window was killed. A
/// signal says so only to a program that the terminal controls, and who reads its keys reads
/// nothing then, again and again.
#[cfg(target_os = "linux")]
pub(super) fn is_gone() -> bool {
    use nix::poll::{PollFd, PollFlags, PollTimeout, poll};
    use std::os::fd::AsFd;
    let out = stdout();
    let mut terminal = [PollFd::new(out.as_fd(), PollFlags::empty())];
    let is_told = poll(&mut terminal, PollTimeout::ZERO).is_ok_and(|count| count > 0);
    is_told && terminal[0].revents().is_none_or(|what| !what.is_empty())
}

#[cfg(not(target_os = "linux"))]
pub(super) const fn is_gone() -> bool {
    false
}

/// Gives the terminal back. Errors are of no use here: there is nobody left
/// to tell them to.
fn give_back() {
    if !TAKEN.swap(false, Ordering::SeqCst) {
        return;
    }
    if ALL_KEYS.swap(false, Ordering::SeqCst) {
        let _ = execute!(stdout(), PopKeyboardEnhancementFlags);
    }
    let _ = execute!(
        stdout(),
        style::ResetColor,
        style::SetAttribute(style::Attribute::Reset),
        DisableFocusChange,
        DisableMouseCapture,
        terminal::LeaveAlternateScreen,
        cursor::Show
    );
    let _ = terminal::disable_raw_mode();
}

/// A panic must not leave a person with a dead terminal and no message.
fn give_back_on_panic() {
    static ONCE: Once = Once::new();
    ONCE.call_once(|| {
        let usual = panic::take_hook();
        panic::set_hook(Box::new(move |info| {
            give_back();
            usual(info);
        }));
    });
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::as_told([160, 47], (160, 47))]
    #[case::one_cell([1, 1], (1, 1))]
    #[case::nothing_told([0, 0], (80, 24))]
    #[case::no_columns_told([0, 40], (80, 40))]
    #[case::no_rows_told([120, 0], (120, 24))]
    #[case::more_than_is_drawn([u16::MAX; 2], (1_500, 600))]
    fn a_screen_has_the_size_of_its_terminal(#[case] told: [u16; 2], #[case] size: (u16, u16)) {
        assert_eq!(to_draw_in(told[0], told[1]), size);
    }
}
