//! What a sound rig probably does not mean, found without any input.

mod combos;

pub use combos::begins_alike;

use alloc::vec::Vec;
use gtrig_core::{
    ActionId, ActionSpec, Chain, Claim, ComboId, Gesture, GestureId, GestureKind, InputSpec,
    Outline, PanelEdge, Quantity, Response, Rig, Rim, Space, TimeSpan, Zone, ZoneId, Zones,
};

/// Something about a sound rig that is worth a second look.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Lint {
    /// What it is about.
    pub about: Subject,
    /// What was found.
    pub finding: Finding,
}

/// What a finding is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Subject {
    /// A zone.
    Zone(ZoneId),
    /// A gesture.
    Gesture(GestureId),
    /// A combo.
    Combo(ComboId),
    /// An action.
    Action(ActionId),
}

/// What was found, with the numbers that show it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Finding {
    /// The zone lies outside the panel.
    Outside,
    /// So much of the zone, as a share of its size, lies beyond an edge.
    Beyond {
        /// The edge.
        edge: PanelEdge,
        /// The share.
        share: f32,
    },
    /// Another zone lies over all of it, whenever it is open, and takes every contact that it could
    /// have.
    Covered(ZoneId),
    /// The zone is measured in the world and moves with the camera.
    Scrolls,
    /// A finger must be down for a shorter time than that between two polls.
    ShortTap {
        /// The limit, in milliseconds.
        ms: f64,
        /// Between two polls, in milliseconds.
        period_ms: f64,
    },
    /// The gesture fires with taps of another one.
    WithTaps {
        /// The other one.
        of: GestureId,
        /// With each of them: it asks no more of a tap, and nothing ends its attempts.
        is_sure: bool,
    },
    /// The gesture waits for this one, whose other finger may land at any time.
    Stalls(GestureId),
    /// The gesture is late by so many milliseconds at most, waiting for another.
    GestureLate {
        /// The one it waits for.
        by: GestureId,
        /// How late.
        ms: f32,
    },
    /// A window of the combo is shorter than the time between two polls.
    ShortWindow {
        /// The window.
        span: TimeSpan,
        /// Between two polls, in milliseconds.
        period_ms: f64,
    },
    /// A hold of the combo is shorter than the time between two polls.
    ShortHold {
        /// The hold.
        span: TimeSpan,
        /// Between two polls, in milliseconds.
        period_ms: f64,
    },
    /// The combo listens in no mode of the rig.
    NoMode,
    /// The combo waits for another one, with whose steps it begins.
    WaitsForItsBeginning {
        /// The other one.
        shorter: ComboId,
        /// That one is always met first: it asks no more of these steps, and has not spent them.
        is_sure: bool,
    },
    /// The combo has the same steps as this one.
    SameSteps(ComboId),
    /// This combo begins with all steps of the other.
    Begins {
        /// The longer one.
        longer: ComboId,
        /// What waiting for it would cost at most.
        at_most: TimeSpan,
        /// The shorter one always fires first: it asks no more of its steps.
        is_sure: bool,
    },
    /// The combo fires so long after its last press.
    FiresAfterQuiet(TimeSpan),
    /// The combo is late by so much at most, waiting for another.
    ComboLate {
        /// The one it waits for.
        by: ComboId,
        /// How late.
        span: TimeSpan,
    },
    /// Nothing reads the combo.
    Unread,
    /// A stick of the action gives so many times as much in a corner, where both
    /// axes are at their ends, as where one of them is. Infinite where it gives nothing there.
    FastCorners(f32),
}

impl Finding {
    /// What kind of finding it is; a word that stays the same.
    pub const fn code(&self) -> &'static str {
        match self {
            Finding::Outside | Finding::Beyond { .. } => "zone-beyond",
            Finding::Covered(_) => "zone-covered",
            Finding::Scrolls => "zone-scrolls",
            Finding::ShortTap { .. } => "gesture-short",
            Finding::WithTaps { .. } => "gesture-twice",
            Finding::Stalls(_) => "gesture-stalls",
            Finding::GestureLate { .. } => "gesture-waits",
            Finding::ShortWindow { .. } | Finding::ShortHold { .. } => "combo-short",
            Finding::NoMode | Finding::WaitsForItsBeginning { is_sure: true, .. } => "combo-never",
            Finding::SameSteps(_) => "combo-twice",
            Finding::Begins { .. } | Finding::WaitsForItsBeginning { .. } => "combo-begins",
            Finding::FiresAfterQuiet(_) | Finding::ComboLate { .. } => "combo-waits",
            Finding::Unread => "combo-unread",
            Finding::FastCorners(_) => "action-corners",
        }
    }
}

/// How far beyond the panel a zone may reach without a word, as a share of its
/// own size: a thumb at the rim needs some room.
const BEYOND: f32 = 0.25;

/// Every finding about a rig, in its order.
pub fn lint(rig: &Rig) -> Vec<Lint> {
    let zones = Zones::new(&rig.zones, &rig.surface);
    let proportion = rig.surface.mm.or(rig.surface.pixels).map_or(1.0, |[w, h]| h / w);
    let mut lints = Vec::new();
    for (n, zone) in zones.on_panel().iter().enumerate() {
        let about = Subject::Zone(ZoneId::at(n));
        let mut found = |finding| lints.push(Lint { about, finding });
        covered(rig, zones.on_panel(), n, proportion).map(Finding::Covered).map(&mut found);
        match rig.zones[n].space {
            // Where it is now says nothing.
            Space::World => found(Finding::Scrolls),
            _ => beyond(zone, proportion).into_iter().for_each(found),
        }
    }
    lints.extend(gestures(rig));
    lints.extend(combos::lints(rig));
    for (action, id) in rig.actions.iter().zip((0..).map(ActionId)) {
        let about = Subject::Action(id);
        lints.extend(fast_corners(rig, action).map(|finding| Lint { about, finding }));
    }
    lints
}

/// A corner may give so much more than a straight push without a word.
const FASTER: f32 = 1.02;

/// Shaped sticks leave what is longer than 1 as long as it is, unless a gate comes
/// first.
fn fast_corners(rig: &Rig, action: &ActionSpec) -> Option<Finding> {
    let ratio = |input: &InputSpec| {
        let InputSpec::Stick { shape, .. } = input else { return None };
        let stages = &shape.of(rig).stages;
        let chain = Chain::from(stages.as_slice());
        let response = Response { chain: &chain, clamp: action.clamp };
        (!stages.is_empty()).then(|| response.diagonal_ratio(Rim::Square))
    };
    let worst = action.inputs.iter().filter_map(ratio).max_by(f32::total_cmp)?;
    (worst > FASTER).then_some(Finding::FastCorners(worst))
}

/// How a zone reaches beyond the panel, if it does by much.
fn beyond(zone: &Zone, proportion: f32) -> Option<Finding> {
    let [left, top, right, bottom] = zone.outline.bounds(proportion);
    if left >= 1.0 || top >= 1.0 || right <= 0.0 || bottom <= 0.0 {
        return Some(Finding::Outside);
    }
    let over = [
        (-left, right - left, PanelEdge::Left),
        (-top, bottom - top, PanelEdge::Top),
        (right - 1.0, right - left, PanelEdge::Right),
        (bottom - 1.0, bottom - top, PanelEdge::Bottom),
    ];
    let (over, size, edge) = over.into_iter().find(|(over, size, _)| *over > BEYOND * size)?;
    Some(Finding::Beyond { edge, share: over / size })
}

/// The zone above one that takes every contact it could have.
fn covered(rig: &Rig, on_panel: &[Zone], n: usize, proportion: f32) -> Option<ZoneId> {
    let zone = &on_panel[n];
    let [left, top, right, bottom] = zone.outline.bounds(proportion);
    let is_above = |(m, other): &(usize, &Zone)| {
        let is_first = other.layer > zone.layer || (other.layer == zone.layer && *m < n);
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
        let keeps_out = other.follows || !zone.follows;
        let takes = other.claim == Claim::Take && zone.by.iter().all(|by| other.by.has(by));
        let is_there = is_there_with(&rig.zones[*m], &rig.zones[n]);
        is_first && takes && keeps_out && reaches && is_there
    };
    let mut others = on_panel.iter().enumerate().filter(|(m, _)| *m != n);
    others.find(is_above).map(|(m, _)| ZoneId::at(m))
}

/// Whether a zone is where it is, and open, whenever another one is.
fn is_there_with(zone: &Zone, other: &Zone) -> bool {
    let moves = |zone: &Zone| zone.space == Space::World;
    let are_among = |own: &[ActionId], all: &[ActionId]| own.iter().all(|gate| all.contains(gate));
    moves(zone) == moves(other)
        && are_among(&zone.closed_while, &other.closed_while)
        && are_among(&zone.open_while, &other.open_while)
}

fn gestures(rig: &Rig) -> Vec<Lint> {
    let period_ms = 1000.0 / rig.rate.hz();
    let mut lints = Vec::new();
    for (gesture, id) in rig.gestures.iter().zip((0..).map(GestureId)) {
        let mut found = |finding| lints.push(Lint { about: Subject::Gesture(id), finding });
        let lift = gesture.limits.of(Quantity::Lift).map(f64::from);
        if let Some(ms) = lift.filter(|ms| *ms < period_ms) {
            found(Finding::ShortTap { ms, period_ms });
        }
        tap_of_several(rig, gesture).map(&mut found);
        stalls(rig, gesture).map(Finding::Stalls).map(&mut found);
        latency(rig, gesture).map(&mut found);
    }
    lints
}

/// A tap that fires with taps of several.
fn tap_of_several(rig: &Rig, gesture: &Gesture) -> Option<Finding> {
    let GestureKind::Tap { times: 1 } = gesture.kind else { return None };
    let shares = |id: &GestureId| {
        let other = &rig.gestures[id.index()];
        matches!(other.kind, GestureKind::Tap { times: 2.. })
            && (other.zone, other.fingers) == (gesture.zone, gesture.fingers)
            && !gesture.waits_for.contains(id)
    };
    let of = GestureId::first(rig.gestures.len()).find(shares)?;
    let other = &rig.gestures[of.index()];
    let is_wider = |quantity| match [gesture, other].map(|of| of.limits.of(quantity)) {
        [Some(own), Some(limit)] => own >= limit,
        [own, _] => own.is_none(),
    };
    let asks_no_more =
        [Quantity::Lift, Quantity::Move, Quantity::Together].into_iter().all(is_wider);
    let is_free = gesture.waits_for.is_empty() && rig.gestures.iter().all(|of| !of.takes);
    let is_by_all = other.by.iter().all(|by| gesture.by.has(by));
    Some(Finding::WithTaps { of, is_sure: asks_no_more && is_free && is_by_all })
}

/// Limits that stay passed: once one is, an attempt is waited for no longer.
const PASSING: [Quantity; 6] = [
    Quantity::Lift,
    Quantity::Time,
    Quantity::Together,
    Quantity::Move,
    Quantity::Edge,
    Quantity::Catch,
];

/// A gesture that waits for one of several fingers, which can come at any time.
fn stalls(rig: &Rig, gesture: &Gesture) -> Option<GestureId> {
    let is_open = |id: &&GestureId| {
        let other = rig.gestures.get(id.index());
        other.is_some_and(|other| {
            let passes = |quantity: &Quantity| other.limits.of(*quantity).is_some();
            other.fingers > gesture.fingers && !PASSING.iter().any(passes)
        })
    };
    gesture.waits_for.iter().find(is_open).copied()
}

/// What waiting for others costs at most. Each further tap may land until its gap is over, and be
/// lifted until its own time is; of what is met while a finger is down, the first one too.
fn latency(rig: &Rig, gesture: &Gesture) -> Option<Finding> {
    let cost = |&by: &GestureId| {
        let other = rig.gestures.get(by.index())?;
        let limit = |quantity| other.limits.of(quantity);
        let ms = match other.kind {
            GestureKind::Tap { times: 1 } => limit(Quantity::Lift)?,
            GestureKind::Tap { times } => {
                let is_lifted = matches!(gesture.kind, GestureKind::Tap { .. })
                    && gesture.fingers >= other.fingers;
                let lifts = f32::from(if is_lifted { times - 1 } else { times });
                f32::from(times - 1) * limit(Quantity::Gap)? + lifts * limit(Quantity::Lift)?
            }
            GestureKind::Swipe { .. } => limit(Quantity::Time)?,
            GestureKind::Press => limit(Quantity::Hold)?,
            _ => return None,
        };
        Some((ms, by))
    };
    let costs = gesture.waits_for.iter().filter_map(cost);
    let (ms, by) = costs.max_by(|a, b| a.0.total_cmp(&b.0))?;
    Some(Finding::GestureLate { by, ms })
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use alloc::vec;
    use gtrig_core::{
        DeadZone, Gesture, GestureId, GestureKind, Gives, Outline, PollRate, Quantity, Rig, Shape,
        ShapeUse, Space, Stage, StickGate, Zone,
    };
    use rstest::rstest;
    use std::{format, string::String};

    fn zone(name: &str, at: [f32; 2], size: [f32; 2]) -> Zone {
        Zone::new(name, Outline::Rect { at, size })
    }

    fn codes(zones: Vec<Zone>) -> Vec<String> {
        codes_of(&Rig { zones, ..Rig::bare("r", PollRate::DEFAULT) })
    }

    pub(super) fn codes_of(rig: &Rig) -> Vec<String> {
        let about = |subject: Subject| match subject {
            Subject::Zone(id) => format!("zone.{}", rig.zones[id.index()].name),
            Subject::Gesture(id) => format!("gesture.{}", rig.gestures[id.index()].name),
            Subject::Combo(id) => format!("combo.{}", rig.combos[id.index()].name),
            Subject::Action(id) => format!("action.{}", rig.actions[id.index()].name),
        };
        let line = |lint: Lint| format!("{} {}", lint.finding.code(), about(lint.about));
        lint(rig).into_iter().map(line).collect()
    }

    fn gesture(name: &str, kind: GestureKind, waits_for: &[usize]) -> Gesture {
        let waits_for = waits_for.iter().copied().map(GestureId::at).collect();
        Gesture { waits_for, ..Gesture::new(name, kind) }
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

    /// What is longer than 1 stays as long: with a gate first it is not.
    #[rstest]
    #[case::no_shape(vec![], true, &[])]
    #[case::held_in_the_circle(vec![Stage::DeadZone(DeadZone::radius(0.1))], true, &[])]
    #[case::a_slower_stick(vec![Stage::Sensitivity(0.5)], true, &["action-corners action.slew"])]
    #[case::not_held(
        vec![Stage::DeadZone(DeadZone::radius(0.1))], false, &["action-corners action.slew"])]
    #[case::a_gate_first(
        vec![Stage::Gate(StickGate::Circle), Stage::Sensitivity(0.5)], false, &[])]
    fn a_stick_that_is_faster_in_its_corners(
        #[case] stages: Vec<Stage>,
        #[case] clamp: bool,
        #[case] expected: &[&str],
    ) {
        let shape = ShapeUse::Own(Shape { travel: [None; 2], stages });
        let stick = "pad/stick-l".parse().unwrap();
        let mut rig = Rig::bare("r", PollRate::DEFAULT);
        let inputs = vec![InputSpec::Stick { stick, shape }];
        rig.actions = vec![ActionSpec { clamp, ..ActionSpec::new("slew", Gives::Plane, inputs) }];
        assert_eq!(codes_of(&rig), expected);
    }

    /// A tap of ten milliseconds, and seventeen between two polls.
    #[test]
    fn a_limit_shorter_than_a_tick_is_told() {
        let mut tap = gesture("a", GestureKind::Tap { times: 2 }, &[]);
        tap.limits.set(Quantity::Lift, Some(10.0));
        let rig = Rig { gestures: vec![tap], ..Rig::bare("r", PollRate::DEFAULT) };
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
