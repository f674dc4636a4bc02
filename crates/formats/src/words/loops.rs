//! Why combos come out differently in loops of other rates.

use super::{attempt_words, signal_words};
use gtrig_analysis::loops::{LoopCause, LoopDifference};
use gtrig_core::Rig;

/// Why a combo came out differently in a loop.
pub fn loop_words(rig: &Rig, difference: &LoopDifference) -> String {
    match &difference.cause {
        LoopCause::NoEdge { edge, rate } => {
            let name = edge.signal.map_or(String::new(), |signal| signal_words(rig, signal));
            let what = if edge.is_on() { "press" } else { "release" };
            format!(
                "the {what} of {name} at {} left no edge at {rate}: it was over before the next poll",
                edge.reported(),
            )
        }
        LoopCause::Attempt { attempt, rate } => {
            let slow = Rig { rate: *rate, ..rig.clone() };
            let combo = &rig.combos[difference.combo.index()];
            format!("at {rate} it is {}", attempt_words(&slow, combo, attempt))
        }
        LoopCause::Waited { by: Some(by), rate } => {
            let by = &rig.combos[by.index()].name;
            format!("at {rate} it is met too, and {by} is met with one of its presses")
        }
        LoopCause::Waited { by: None, rate } => {
            format!(
                "at {rate} it is met too, and forgotten while it waits: another mode comes, or too many attempts wait"
            )
        }
        LoopCause::Spent { met, rate } => {
            format!("at {rate} one of its presses is spent: it is met at {met} already")
        }
        LoopCause::NoAttempt { rate } => {
            format!("at {rate} the same changes are no attempt at it")
        }
    }
}
