//! What functions return, and the text of an error.

use std::{
    cell::RefCell,
    ffi::{CString, c_char},
    panic::{AssertUnwindSafe, catch_unwind},
};

/// What came of a call.
#[repr(C)]
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(non_camel_case_types, clippy::upper_case_acronyms)]
pub enum gt_status {
    /// All is well.
    GT_OK = 0,
    /// A pointer that must point somewhere is null.
    GT_NULL = 1,
    /// A text is no UTF-8.
    GT_NOT_UTF8 = 2,
    /// The rig has mistakes; the text names each with its place. Or the compiled rig is
    /// damaged, or of another version.
    GT_NO_RIG = 3,
    /// The device is described wrongly, or there is no room for it.
    GT_NO_DEVICE = 4,
    /// There is nothing of this name or with this handle.
    GT_NOT_FOUND = 5,
    /// The new rig has not the same actions in the same order.
    GT_OTHER_ACTIONS = 6,
    /// A reader was asked with an input that is not its own.
    GT_OTHER_INPUT = 7,
    /// An error inside the library, which is a mistake in it. The input may only be freed.
    GT_BROKEN = 8,
}

/// Why a call does not succeed.
pub(crate) struct Refusal(pub(crate) gt_status, pub(crate) String);

impl Refusal {
    pub(crate) fn null(what: &str) -> Self {
        Refusal(gt_status::GT_NULL, format!("{what} is null"))
    }

    pub(crate) fn not_found(what: impl Into<String>) -> Self {
        Refusal(gt_status::GT_NOT_FOUND, what.into())
    }
}

thread_local! {
    static TEXT: RefCell<CString> = RefCell::default();
}

/// What went wrong in this thread's last call that did not return GT_OK, in words; empty
/// before the first. It stays until the next such call of this thread.
#[unsafe(no_mangle)]
pub extern "C" fn gt_error_text() -> *const c_char {
    TEXT.try_with(|text| text.borrow().as_ptr()).unwrap_or(c"the thread ends".as_ptr())
}

/// Runs what a function does: nothing that goes wrong inside leaves it.
pub(crate) fn call(run: impl FnOnce() -> Result<(), Refusal>) -> gt_status {
    let refusal = match catch_unwind(AssertUnwindSafe(run)) {
        Ok(Ok(())) => return gt_status::GT_OK,
        Ok(Err(refusal)) => refusal,
        Err(_) => Refusal(gt_status::GT_BROKEN, "an error inside the library".to_owned()),
    };
    let Refusal(status, text) = refusal;
    let text = CString::new(text.replace('\0', "\u{fffd}")).unwrap_or_default();
    // Where the thread ends nobody asks any more.
    let _ = TEXT.try_with(|place| *place.borrow_mut() = text);
    status
}
