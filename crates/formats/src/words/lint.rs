//! What is worth a second look about a rig, and what to do.

use super::span_words;
use gtrig_analysis::lint::{Finding, Lint, Subject};
use gtrig_core::{PanelEdge, Rig};

/// The table of the rig that a finding is about: `zone.horn`.
pub fn lint_subject(rig: &Rig, lint: &Lint) -> String {
    match lint.about {
        Subject::Zone(id) => format!("zone.{}", rig.zones[id.index()].name),
        Subject::Gesture(id) => format!("gesture.{}", rig.gestures[id.index()].name),
        Subject::Combo(id) => format!("combo.{}", rig.combos[id.index()].name),
        Subject::Action(id) => format!("action.{}", rig.actions[id.index()].name),
    }
}

/// Why a finding matters and what to do.
pub fn lint_words(rig: &Rig, lint: &Lint) -> String {
    match &lint.finding {
        Finding::Outside | Finding::Beyond { .. } | Finding::Covered(_) | Finding::Scrolls => {
            zone(rig, &lint.finding)
        }
        Finding::ShortTap { .. }
        | Finding::WithTaps { .. }
        | Finding::Stalls(_)
        | Finding::GestureLate { .. } => gesture(rig, &lint.finding),
        Finding::FastCorners(ratio) if ratio.is_infinite() => {
            "where one axis alone is at its end, a stick gives nothing, and in a corner something"
                .to_owned()
        }
        Finding::FastCorners(ratio) => format!(
            "in a corner, where both axes are at their ends, a stick gives {ratio:.2} times what it gives where one of them is: dead zones, curves and sensitivity leave what is longer than 1; put {{ gate = \"circle\" }} before them"
        ),
        _ => combo(rig, &lint.finding),
    }
}

fn zone(rig: &Rig, finding: &Finding) -> String {
    match finding {
        Finding::Outside => {
            "it lies outside the panel, where no finger can meet it: is it in another space than its numbers?".to_owned()
        }
        Finding::Beyond { edge, share } => {
            let (edge, size) = match edge {
                PanelEdge::Left => ("left", "width"),
                PanelEdge::Right => ("right", "width"),
                PanelEdge::Top => ("upper", "height"),
                PanelEdge::Bottom => ("lower", "height"),
            };
            format!(
                "it reaches beyond the {edge} edge by {:.0} % of its {size}: was a full {size} given where a half was meant, or a value in another space?",
                share * 100.0
            )
        }
        Finding::Covered(by) => format!(
            "`{}` lies over all of it and takes every contact: no finger ever reaches it; give it a higher `layer`, or let the other one share",
            rig.zones[by.index()].name
        ),
        _ => "it is measured in the world and scrolls away with the camera; a button that stays where it is belongs in `in = \"view\"` or on the panel".to_owned(),
    }
}

fn gesture(rig: &Rig, finding: &Finding) -> String {
    match finding {
        Finding::ShortTap { ms, period_ms } => format!(
            "`lift-ms` is {ms} ms, shorter than the {period_ms:.1} ms between two polls: a finger that keeps it may be down at none of them, and is lost then unless its contact is `latched`"
        ),
        Finding::WithTaps { of, is_sure } => {
            let other = &rig.gestures[of.index()].name;
            let when = match is_sure {
                true => format!("it fires with every tap of `{other}` too"),
                false => format!("it may fire with taps of `{other}` too"),
            };
            format!(
                "{when}; with `waits-for = \"{other}\"` only one of the two does, and this one waits for the taps that may follow"
            )
        }
        Finding::Stalls(other) => {
            let other = &rig.gestures[other.index()].name;
            format!(
                "it waits for `{other}`, whose other finger may land at any time, and so fires only when its own lifts; give `{other}` a `together-ms`"
            )
        }
        Finding::GestureLate { by, ms } => format!(
            "it waits for `{}`, which makes it up to {ms:.0} ms late",
            rig.gestures[by.index()].name
        ),
        _ => String::new(),
    }
}

fn combo(rig: &Rig, finding: &Finding) -> String {
    let short = |what, span, period_ms| {
        format!(
            "{what} is {}, shorter than the {period_ms:.1} ms between two polls: what is done so fast is mostly seen in one tick, or not at all",
            span_words(span)
        )
    };
    match *finding {
        Finding::ShortWindow { span, period_ms } => short("a window", span, period_ms),
        Finding::ShortHold { span, period_ms } => short("a hold", span, period_ms),
        Finding::NoMode => "it listens in no mode of this rig".to_owned(),
        Finding::WaitsForItsBeginning { shorter, is_sure } => {
            let other = &rig.combos[shorter.index()].name;
            let so = match is_sure {
                true => "that is met first, and so this one never fires",
                false => {
                    "where the limits of both are kept, and the presses are not spent for that one, it is met first, and this one does not fire"
                }
            };
            format!(
                "it waits for `{other}`, with whose steps it begins: {so}; let `{other}` wait instead"
            )
        }
        Finding::SameSteps(other) => format!(
            "its steps are those of `{}`: where the limits of both are kept both are met",
            rig.combos[other.index()].name
        ),
        Finding::Begins { longer, at_most, is_sure } => {
            let longer = &rig.combos[longer.index()].name;
            let so = match is_sure {
                true => format!("so doing `{longer}` fires this one first"),
                false => "so where the limits of both are kept this one is met first".to_owned(),
            };
            format!(
                "`{longer}` begins with all steps of this one, {so}; with `waits-for = \"{longer}\"` only one of the two fires, and this one up to {} later",
                span_words(at_most)
            )
        }
        Finding::FiresAfterQuiet(span) => {
            format!("it fires {} after its last press: that is its price", span_words(span))
        }
        Finding::ComboLate { by, span } => format!(
            "it waits for `{}`, which makes it up to {} late",
            rig.combos[by.index()].name,
            span_words(span)
        ),
        _ => {
            "no action reads it: give one `from = { combo = … }`, or it fires for nobody".to_owned()
        }
    }
}
