//! What a programmer who only wants the numbers of a line would write.

use serde::Deserialize;
use std::borrow::Cow;

/// A line of a take, or of a running program.
#[derive(Deserialize)]
pub struct PlainLine<'a> {
    #[serde(default)]
    pub t: u64,
    #[serde(borrow, default)]
    pub on: Cow<'a, str>,
    #[serde(borrow, default)]
    pub c: Cow<'a, str>,
    #[serde(default)]
    pub v: i32,
}
