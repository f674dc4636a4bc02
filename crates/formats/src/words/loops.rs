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
        LoopCause::InItsWay { rate } => {
            format!("at {rate} another combo was in its way, or its presses were spent")
        }
    }
}
