//! TOML documents that a person writes: rigs and maps of devices.
//!
//! They are walked by hand, not deserialised, because a person wants all mistakes at
//! once, each with its place, what was found and what was expected.

pub(crate) mod fields;
pub(crate) mod problem;

use fields::Fields;
use problem::{Mistakes, Problems};
use toml::de::DeTable;

/// A document larger than this is refused.
pub const MAX_BYTES: usize = 4 << 20;

/// Reads a document with `read`, which takes its keys. `file` names it in messages,
/// `what` says what it should be.
///
/// # Errors
/// All mistakes, in the order of their places.
pub(crate) fn parse<T>(
    file: &str,
    text: &str,
    what: &str,
    read: impl FnOnce(&mut Problems, Fields) -> T,
) -> Result<T, Mistakes> {
    let mut problems = Problems::new(text);
    if text.len() > MAX_BYTES {
        let expected = format!("a {what} of at most 4 MiB");
        problems.add(0..0, format!("a file of {} bytes", text.len()), &expected);
        return Err(problems.into_error(file));
    }
    let (document, errors) = DeTable::parse_recoverable(text);
    for error in errors {
        let span = error.span().unwrap_or(0..0);
        problems.add(span, error.message().to_owned(), "well-formed TOML");
    }
    let whole = read(&mut problems, Fields::root(document.get_ref(), document.span()));
    if problems.is_empty() { Ok(whole) } else { Err(problems.into_error(file)) }
}
