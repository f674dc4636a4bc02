//! What a person writes on a timeline.

use gtrig_core::{CleanText, Nanos};

/// A mark that a person put on the timeline.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Label {
    /// Where.
    pub time: Nanos,
    /// What they wrote.
    pub text: CleanText,
}
