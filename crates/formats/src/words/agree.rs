//! Why a game does not give what the rig says.

use gtrig_analysis::agree::{Cause, Difference, Gate, Other, ReadDifference, ReadKind};
use gtrig_core::{Keyword, Nanos, Rig, Roster};

/// The word of a cause in reports.
pub const fn cause_word(cause: &Cause) -> &'static str {
    match cause {
        Cause::Read { kind, .. } => read_word(*kind),
        Cause::Between { .. } => "between-polls",
        Cause::StepLost(_) => "step-lost",
        Cause::StepRepeated(..) => "step-repeated",
        Cause::OtherDevice { .. } => "other-device",
        Cause::GateOpen(_) => "gate-open",
        Cause::GateClosed(_) => "gate-closed",
        Cause::PerFrame { .. } => "per-frame",
        Cause::Number { .. } => "number",
        Cause::Otherwise(_) => "otherwise",
        Cause::Times(_) => "times",
        Cause::Unheard => "unheard",
        Cause::FramesLate(_) => "frames-late",
        _ => "unknown",
    }
}

/// The word of how something was read otherwise.
pub const fn read_word(kind: ReadKind) -> &'static str {
    match kind {
        ReadKind::Old { .. } => "read-old",
        ReadKind::Ahead { .. } => "read-ahead",
        ReadKind::Other => "read-other",
        ReadKind::Twice => "read-twice",
    }
}

/// What explains a difference, in a sentence without its subject: the game.
pub fn cause_words(rig: &Rig, roster: &Roster, cause: &Cause) -> String {
    let action = |id: gtrig_core::ActionId| rig.actions[id.index()].name.as_str();
    match cause {
        Cause::Read { control, kind } => read_words(&roster.address(*control).to_string(), *kind),
        Cause::Between { control, moved, back } => {
            let lasted = Nanos(back.0.saturating_sub(moved.0)).as_millis();
            format!(
                "looks at {} only when it polls: it moved and moved back within {lasted:.1} ms, between two polls",
                roster.address(*control)
            )
        }
        Cause::StepLost(at) => format!(
            "lost it in its fixed step: frame {} ran no step, and what happened in it was gone for the next",
            at.number
        ),
        Cause::StepRepeated(at, steps) => {
            format!("read it again in each fixed step: frame {} ran {steps} of them", at.number)
        }
        Cause::OtherDevice { ours, theirs } => {
            let name = |id| roster.device(id).address().to_string();
            let ours = ours.map_or("nothing".to_owned(), name);
            format!("follows {}, where by the rig {ours} drives it", name(*theirs))
        }
        Cause::GateOpen(gate) => {
            let why = match gate {
                Gate::While(id) => format!("while {} is on", action(*id)),
                Gate::Without(id) => format!("while {} is off", action(*id)),
                Gate::Modes => "in this mode".to_owned(),
            };
            format!("has it open {why}, where by the rig it is closed")
        }
        Cause::GateClosed(gate) => {
            let why = match gate {
                Gate::While(id) => format!("{} is on there", action(*id)),
                Gate::Without(id) => format!("{} is off there", action(*id)),
                Gate::Modes => "another mode is on there".to_owned(),
            };
            format!("has it closed, because {why} and not by the rig")
        }
        Cause::PerFrame { seconds, lasted: [shortest, longest] } => format!(
            "moves the same way in every frame, right for {:.2} ms; these frames lasted {:.2} to {:.2} ms",
            seconds * 1e3,
            shortest.as_millis(),
            longest.as_millis()
        ),
        Cause::Number { place, unit, ours, from, to } => {
            // Of a share the place says enough.
            let is_word = unit.is_empty() || unit.contains(' ');
            let unit = if is_word { String::new() } else { format!(" {unit}") };
            // The end that is nearer to the rig's tells by how much it is another at least.
            let (by, more) = match from > ours {
                true => (from - ours, "more above"),
                false => (ours - to, "more below"),
            };
            let (from, to) = (number(*from), number(*to));
            format!(
                "does as {place} = {from} to {to}{unit} would: {} or {more} the rig's {}",
                number(by),
                number(*ours),
            )
        }
        Cause::Otherwise(other) => other_words(*other),
        Cause::Times(by) if (*by + 1.0).abs() < 1e-3 => {
            "turns it round: -1 times as much".to_owned()
        }
        Cause::Times(by) => format!("gives {} times as much", number(*by)),
        Cause::Unheard => "goes on with it though its device cannot be heard".to_owned(),
        Cause::FramesLate(1) => "is one frame late".to_owned(),
        Cause::FramesLate(frames) => format!("is {frames} frames late"),
        _ => "does something that no known mistake explains".to_owned(),
    }
}

/// How something was read; `control` is what it is called in the sentence.
pub(crate) fn read_words(control: &str, kind: ReadKind) -> String {
    match kind {
        ReadKind::Old { by } => format!(
            "read {control} before the event came, which was there {:.2} ms before the poll",
            by.as_millis()
        ),
        ReadKind::Ahead { by } => format!(
            "read {control} before it is said to have happened, by up to {:.2} ms",
            by.as_millis()
        ),
        ReadKind::Other => format!(
            "read a value of {control} that the device had not said by then, and did not say within a second"
        ),
        ReadKind::Twice => format!("read {control} twice in the frame, and differently"),
    }
}

fn other_words(other: Other) -> String {
    match other {
        Other::NoClamp => "does not hold it in the unit circle".to_owned(),
        Other::Clamp => "holds it in the unit circle".to_owned(),
        Other::DeadZone { ours, theirs } => format!(
            "has a dead zone of the kind {}, where the rig has {}",
            theirs.word(),
            ours.word()
        ),
        Other::Without(stage) => format!("leaves out the {stage}"),
        Other::Both { ours, theirs } => format!(
            "takes opposite keys together as {}, where the rig takes them as {}",
            theirs.word(),
            ours.word()
        ),
        Other::Combine { ours, theirs } => format!(
            "takes of several inputs the {}, where the rig takes the {}",
            theirs.word(),
            ours.word()
        ),
    }
}

/// A number without more digits than it needs.
fn number(value: f64) -> String {
    let text = format!("{value:.4}");
    match text.trim_end_matches('0').trim_end_matches('.') {
        "-0" => "0".to_owned(),
        short => short.to_owned(),
    }
}

/// What differs, in a sentence.
pub fn difference_words(rig: &Rig, roster: &Roster, name: &str, difference: &Difference) -> String {
    let Difference { ours, theirs, frames, cause, .. } = difference;
    let frames = if *frames == 1 { "1 frame".to_owned() } else { format!("{frames} frames") };
    let (ours, theirs) = (number(*ours), number(*theirs));
    format!(
        "{name} is {theirs} instead of {ours} ({frames}): the game {}",
        cause_words(rig, roster, cause)
    )
}

/// What was read otherwise, in a sentence.
pub fn read_difference_words(roster: &Roster, difference: &ReadDifference) -> String {
    let ReadDifference { control, said, read: [first, last], kind, frames, .. } = difference;
    let control = roster.address(*control).to_string();
    let frames = if *frames == 1 { "1 frame".to_owned() } else { format!("{frames} frames") };
    let read = if first == last { first.to_string() } else { format!("{first}, then {last}") };
    format!("{control} was {said}, read as {read} ({frames}): the game {}", read_words("it", *kind))
}
