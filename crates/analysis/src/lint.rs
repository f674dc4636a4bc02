//! What a sound rig probably does not mean, found without any input.

mod combos;

pub use combos::begins_alike;

use alloc::{
    format,
    string::{String, ToString},
    vec::Vec,
};
use gtrig_core::{
    Claim, Gesture, GestureId, GestureKind, Outline, Quantity, Rig, Space, Zone, Zones,
};

/// Something about a rig that is worth a second look.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Lint {
    /// What kind of doubt; a word that stays the same.
    pub code: &'static str,
    /// The table that it is about: `zone.horn`.
    pub about: String,
    /// Why it matters and what to do.
    pub words: String,
}

/// How far beyond the panel a zone may reach without a word, as a share of its
/// own size: a thumb at the rim needs some room.
const BEYOND: f32 = 0.25;

/// Every doubt about a rig, in its order.
pub fn lint(rig: &Rig) -> Vec<Lint> {
    let zones = Zones::new(&rig.zones, &rig.surface);
    let proportion = rig.surface.mm.or(rig.surface.pixels).map_or(1.0, |[w, h]| h / w);
    let mut doubts = Vec::new();
    for (n, zone) in zones.on_panel().iter().enumerate() {
        let about = format!("zone.{}", zone.name);
        let mut doubt = |code, words| {
            doubts.push(Lint { code, about: about.clone(), words });
        };
        if let Some(words) = beyond(zone, proportion) {
            doubt("zone-beyond", words);
        }
        if let Some(above) = covered(zones.on_panel(), n, proportion) {
            let words = format!(
                "`{above}` lies over all of it and takes every contact: no finger ever reaches it; give it a higher `layer`, or let the other one share"
            );
            doubt("zone-covered", words);
        }
        if rig.zones[n].space == Space::World {
            let words = "it is measured in the world and scrolls away with the camera; a button that stays where it is belongs in `in = \"view\"` or on the panel";
            doubt("zone-scrolls", words.to_string());
        }
    }
    doubts.extend(gestures(rig));
    doubts.extend(combos::doubts(rig));
    doubts
}

/// How a zone reaches beyond the panel, if it does by much.
fn beyond(zone: &Zone, proportion: f32) -> Option<String> {
    let [left, top, right, bottom] = zone.outline.bounds(proportion);
    if left >= 1.0 || top >= 1.0 || right <= 0.0 || bottom <= 0.0 {
        return Some(
            "it lies outside the panel, where no finger can meet it: is it in another space than its numbers?".to_string(),
        );
    }
    let over = [
        (-left, right - left, "left"),
        (-top, bottom - top, "upper"),
        (right - 1.0, right - left, "right"),
        (bottom - 1.0, bottom - top, "lower"),
    ];
    let worst = over.into_iter().find(|(over, size, _)| *over > BEYOND * size)?;
    let (over, size, edge) = worst;
    Some(format!(
        "{:.0} % of it lies beyond the {edge} edge: was a full width given where a half was meant, or a value in another space?",
        over / size * 100.0
    ))
}

/// The zone above one that takes every contact it could have.
fn covered(zones: &[Zone], n: usize, proportion: f32) -> Option<&str> {
    let [left, top, right, bottom] = zones[n].outline.bounds(proportion);
    let is_above = |(m, other): &(usize, &Zone)| {
        let is_first = other.layer > zones[n].layer || (other.layer == zones[n].layer && *m < n);
        // A rectangle that reaches around its bounds covers anything.
        let reaches = match &other.outline {
            Outline::Rect { at, size } => {
                at[0] <= left
                    && at[1] <= top
                    && at[0] + size[0] >= right
                    && at[1] + size[1] >= bottom
            }
            _ => false,
        };
        // Of one that does not follow, what slides in from beside is not kept out.
        let keeps_out = other.follows || !zones[n].follows;
        is_first && other.claim == Claim::Take && keeps_out && reaches
    };
    zones.iter().enumerate().filter(|(m, _)| *m != n).find(is_above).map(|(_, z)| z.name.as_str())
}

fn gestures(rig: &Rig) -> Vec<Lint> {
    let period = 1000.0 / rig.rate.hz();
    let mut doubts = Vec::new();
    for gesture in &rig.gestures {
        let about = format!("gesture.{}", gesture.name);
        let limit = |quantity| gesture.limits.of(quantity).map(f64::from);
        for quantity in [Quantity::Lift, Quantity::Gap, Quantity::Together] {
            if let Some(ms) = limit(quantity).filter(|ms| *ms < period) {
                let words = format!(
                    "`{}` is {ms} ms, shorter than the {period:.1} ms between two polls: most fingers that keep it are never seen",
                    quantity.tunable().name
                );
                doubts.push(Lint { code: "gesture-short", about: about.clone(), words });
            }
        }
        doubts.extend(tap_of_double(rig, gesture).map(|words| Lint {
            code: "gesture-twice",
            about: about.clone(),
            words,
        }));
        doubts.extend(stalls(rig, gesture).map(|words| Lint {
            code: "gesture-stalls",
            about: about.clone(),
            words,
        }));
        if let Some(words) = latency(rig, gesture) {
            doubts.push(Lint { code: "gesture-waits", about, words });
        }
    }
    doubts
}

/// A tap that fires with each tap of several.
fn tap_of_double(rig: &Rig, gesture: &Gesture) -> Option<String> {
    let GestureKind::Tap { times: 1 } = gesture.kind else { return None };
    let shares = |(n, other): &(usize, &Gesture)| {
        matches!(other.kind, GestureKind::Tap { times: 2.. })
            && (other.zone, other.fingers) == (gesture.zone, gesture.fingers)
            && !gesture.waits_for.contains(&GestureId::at(*n))
    };
    let (_, other) = rig.gestures.iter().enumerate().find(shares)?;
    Some(format!(
        "it fires with every tap of `{}` too; with `waits-for = \"{}\"` only one of the two does, at the price of its `gap-ms`",
        other.name, other.name
    ))
}

/// A gesture that waits for one of several fingers, which can come at any time.
fn stalls(rig: &Rig, gesture: &Gesture) -> Option<String> {
    let others = gesture.waits_for.iter().filter_map(|n| rig.gestures.get(n.index()));
    let other = others
        .filter(|other| other.fingers > gesture.fingers)
        .find(|other| other.limits.of(Quantity::Together).is_none())?;
    Some(format!(
        "it waits for `{}`, whose other finger may land at any time, and so fires only when its own lifts; give `{}` a `together-ms`",
        other.name, other.name
    ))
}

/// What waiting for others costs at most.
fn latency(rig: &Rig, gesture: &Gesture) -> Option<String> {
    let cost = |n: &GestureId| {
        let other = rig.gestures.get(n.index())?;
        let ms = match other.kind {
            GestureKind::Tap { times: 2.. } => other.limits.of(Quantity::Gap)?,
            GestureKind::Swipe { .. } => other.limits.of(Quantity::Time)?,
            GestureKind::Press => other.limits.of(Quantity::Hold)?,
            _ => return None,
        };
        Some((ms, other.name.as_str()))
    };
    let (ms, name) =
        gesture.waits_for.iter().filter_map(cost).max_by(|a, b| a.0.total_cmp(&b.0))?;
    Some(format!("it waits for `{name}`, which makes it up to {ms:.0} ms late"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use alloc::vec;
    use gtrig_core::{
        Gesture, GestureId, GestureKind, Outline, PollRate, Quantity, Rig, Space, Zone,
    };
    use rstest::rstest;

    fn zone(name: &str, at: [f32; 2], size: [f32; 2]) -> Zone {
        Zone::new(name, Outline::Rect { at, size })
    }

    fn codes(zones: Vec<Zone>) -> Vec<String> {
        codes_of(&Rig { zones, ..Rig::bare("r", PollRate::DEFAULT) })
    }

    fn codes_of(rig: &Rig) -> Vec<String> {
        lint(rig).into_iter().map(|doubt| format!("{} {}", doubt.code, doubt.about)).collect()
    }

    fn gesture(name: &str, kind: GestureKind, waits_for: &[usize]) -> Gesture {
        let fingers = *kind.fingers().start();
        Gesture {
            name: name.to_string(),
            zone: None,
            kind,
            fingers,
            limits: kind.defaults(fingers),
            waits_for: waits_for.iter().copied().map(GestureId::at).collect(),
            takes: false,
            beside: Vec::new(),
        }
    }

    #[rstest]
    #[case::a_tap_and_a_double(
        vec![gesture("a", GestureKind::Tap { times: 1 }, &[]), gesture("b", GestureKind::Tap { times: 2 }, &[])],
        &["gesture-twice gesture.a"])]
    #[case::a_tap_that_waits(
        vec![gesture("a", GestureKind::Tap { times: 1 }, &[1]), gesture("b", GestureKind::Tap { times: 2 }, &[])],
        &["gesture-waits gesture.a"])]
    #[case::a_drag_that_waits_for_a_second_finger(
        vec![gesture("a", GestureKind::Drag, &[1]), gesture("b", GestureKind::Pinch, &[])],
        &["gesture-stalls gesture.a"])]
    fn gestures_that_are_worth_a_second_look(
        #[case] gestures: Vec<Gesture>,
        #[case] expected: &[&str],
    ) {
        assert_eq!(codes_of(&Rig { gestures, ..Rig::bare("r", PollRate::DEFAULT) }), expected);
    }

    /// Ten milliseconds between two taps, and seventeen between two polls.
    #[test]
    fn a_limit_shorter_than_a_tick_is_told() {
        let mut double = gesture("a", GestureKind::Tap { times: 2 }, &[]);
        double.limits.set(Quantity::Gap, Some(10.0));
        let rig = Rig { gestures: vec![double], ..Rig::bare("r", PollRate::DEFAULT) };
        assert_eq!(codes_of(&rig), ["gesture-short gesture.a"]);
    }

    #[rstest]
    #[case::two_halves(vec![zone("a", [0.0; 2], [0.5, 1.0]), zone("b", [0.5, 0.0], [0.5, 1.0])], &[])]
    #[case::a_full_width_for_a_half(
        vec![zone("a", [0.0; 2], [0.5, 1.0]), zone("b", [0.5, 0.0], [1.0, 1.0])],
        &["zone-beyond zone.b"])]
    #[case::pixels_for_shares(vec![zone("a", [960.0, 0.0], [960.0, 1080.0])], &["zone-beyond zone.a"])]
    #[case::under_another(
        vec![zone("a", [0.0; 2], [1.0, 1.0]), zone("b", [0.2, 0.2], [0.1, 0.1])],
        &["zone-covered zone.b"])]
    #[case::in_the_world(
        vec![Zone { space: Space::World, ..zone("a", [0.0; 2], [0.5, 1.0]) }],
        &["zone-scrolls zone.a"])]
    fn zones_that_are_worth_a_second_look(#[case] zones: Vec<Zone>, #[case] expected: &[&str]) {
        assert_eq!(codes(zones), expected);
    }
}
