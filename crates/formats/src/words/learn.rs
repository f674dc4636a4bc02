//! What a person is asked to move, so that a control gets its name.

use gtrig_analysis::learn::{Ask, Learned, Learner, Motion};

/// What is to be done: `press the lowest of the four buttons under the right thumb`.
pub fn ask_words(ask: &Ask) -> String {
    let Ask { code, motion } = ask;
    let known = match code.as_str() {
        "south" => "press the lowest of the four buttons under the right thumb",
        "east" => "press the right one of those four",
        "west" => "press the left one of those four",
        "north" => "press the highest of those four",
        "shoulder-l" => "press the upper left shoulder button",
        "shoulder-r" => "press the upper right shoulder button",
        "trigger-l" => "squeeze the left trigger all the way",
        "trigger-r" => "squeeze the right trigger all the way",
        "select" => "press the small button on the left of the middle",
        "start" => "press the small button on the right of the middle",
        "mode" => "press the button in the middle",
        "thumb-l" => "press the left stick in",
        "thumb-r" => "press the right stick in",
        "dpad-up" => "press the cross up",
        "dpad-down" => "press the cross down",
        "dpad-left" => "press the cross left",
        "dpad-right" => "press the cross right",
        "stick-l-x" => "push the left stick all the way to the right",
        "stick-l-y" => "push the left stick all the way down",
        "stick-r-x" => "push the right stick all the way to the right",
        "stick-r-y" => "push the right stick all the way down",
        "travel" => "move the lever from one end to the other, to where it is full on",
        "thumb" => "press the button under the thumb",
        "detent" => "press what clicks when the lever snaps in",
        _ => {
            return match motion {
                Motion::Press => format!("press `{code}`"),
                Motion::Squeeze => format!("move `{code}` from its rest all the way to its end"),
                Motion::Push => format!("move `{code}` all the way to the right, or down"),
            };
        }
    };
    known.to_owned()
}

/// What a report meant, if it has to be told.
pub fn learned_words(learner: &Learner, learned: &Learned) -> Option<String> {
    Some(match learned {
        Learned::Answered(at, code) => format!("{} is {code}", learner.asks()[*at].code),
        Learned::Taken(at, code) => {
            let other = &learner.asks()[*at].code;
            format!("{code} is {other} already: move another one, or skip this")
        }
        Learned::OnlyButton(code) => {
            format!("{code} is a button, which has no ways to go: move a stick, or skip this")
        }
        // What is asked next says it.
        Learned::Nothing => return None,
    })
}
