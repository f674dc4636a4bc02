//! Edges for whoever asks.

use crate::{
    input::{give, gt_input},
    status::{Refusal, call, gt_status},
    values::gt_action,
};
use gtrig_embed::Reader;

/// What one loop of a game has seen of an input.
#[derive(Debug)]
#[allow(non_camel_case_types)]
pub struct gt_reader {
    reader: Reader,
    /// The input that it reads.
    serial: u64,
}

/// What happened to an action between two looks of a reader.
#[repr(C)]
#[derive(Clone, Copy, Debug, Default, PartialEq)]
#[allow(non_camel_case_types)]
pub struct gt_news {
    /// How often it turned on. Of a pulse: how often it fired.
    pub presses: u32,
    /// How often it turned off.
    pub releases: u32,
    /// How far it went: its values, each times the seconds of its frame.
    pub way: [f64; 2],
}

/// # Safety
/// `reader` is null or from `gt_reader_new`, and not freed; nobody else uses it.
unsafe fn of<'r>(reader: *mut gt_reader) -> Result<&'r mut gt_reader, Refusal> {
    // SAFETY: the caller says so.
    unsafe { reader.as_mut() }.ok_or_else(|| Refusal::null("the reader"))
}

/// Makes a reader for one loop of the game: it sees what happens from now on.
///
/// # Safety
/// `input` is one, and `reader` points at a pointer.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_reader_new(
    input: *mut gt_input,
    reader: *mut *mut gt_reader,
) -> gt_status {
    call(|| {
        // SAFETY: the caller says so.
        let input = unsafe { gt_input::of(input) }?;
        if reader.is_null() {
            return Err(Refusal::null("where the reader goes"));
        }
        let made = gt_reader { reader: input.input().reader(), serial: input.serial };
        // SAFETY: the caller says so.
        unsafe { give(reader, Box::into_raw(Box::new(made))) }
    })
}

/// Frees a reader. Null is nothing.
///
/// # Safety
/// `reader` is null or from `gt_reader_new`, and not freed yet.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_reader_free(reader: *mut gt_reader) {
    if !reader.is_null() {
        call(|| {
            // SAFETY: it came from a box, and the caller gives it up.
            drop(unsafe { Box::from_raw(reader) });
            Ok(())
        });
    }
}

/// Looks: what happened since this reader looked last is its news.
///
/// # Safety
/// Both are what they are called.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_look(reader: *mut gt_reader, input: *mut gt_input) -> gt_status {
    call(|| {
        // SAFETY: the caller says so.
        let (reader, input) = unsafe { (of(reader)?, gt_input::of(input)?) };
        if reader.serial != input.serial {
            let text = "the reader was made for another input".to_owned();
            return Err(Refusal(gt_status::GT_OTHER_INPUT, text));
        }
        reader.reader.look(input.input());
        Ok(())
    })
}

/// What the last look of a reader found of an action.
///
/// # Safety
/// `reader` is one, and `news` may be written.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn gt_news_of(
    reader: *mut gt_reader,
    action: gt_action,
    news: *mut gt_news,
) -> gt_status {
    call(|| {
        // SAFETY: the caller says so.
        let reader = unsafe { of(reader) }?;
        let found = reader.reader.news();
        let action = found.action_at(action as usize);
        let action = action.ok_or_else(|| Refusal::not_found("there is no such action"))?;
        let found = gt_news {
            presses: found.presses(action),
            releases: found.releases(action),
            way: found.way(action),
        };
        // SAFETY: the caller says so.
        unsafe { give(news, found) }
    })
}
