//! Findings of the core and of the analysis in words: every sentence about
//! them stands here, once. Screen, reports and figures take it from here.

mod agree;
mod combo;
mod explain;
mod gesture;
mod learn;
mod lint;
mod loops;
mod measure;
mod stream;

pub use agree::{cause_word, cause_words, difference_words, read_difference_words, read_word};
pub use combo::{
    almost_words, attempt_words, combo_words, copy_device, limit_words, measure_words, miss_words,
    rung_words, signal_words, span_words,
};
pub use explain::{explain_action, explain_control, explain_gesture, through_words};
pub use gesture::{verdict_brief, verdict_words};
pub use learn::{ask_words, learned_words};
pub use lint::{lint_subject, lint_words};
pub use loops::loop_words;
pub use measure::missing_words;
pub use stream::trouble_words;

/// So many of a thing: `1 report`, `2 reports`.
pub fn plural(n: usize, noun: &str) -> String {
    format!("{n} {noun}{}", if n == 1 { "" } else { "s" })
}
