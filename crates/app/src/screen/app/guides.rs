//! The limits that a value is held against: dead zones and thresholds.

use super::App;
use crate::screen::view::Lane;
use gtrig_core::{BoundInput, Stage, StickGate, Thresholds};

/// A value at which something changes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Guide {
    pub(crate) at: f32,
    pub(crate) kind: GuideKind,
}

/// What changes there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum GuideKind {
    /// Nearer to the middle it counts as rest.
    DeadZone,
    /// From there on it counts as pressed.
    Press,
    /// Below it counts as released again.
    Release,
}

/// A lane has no more of them, however many actions its control feeds.
const MOST: usize = 6;

impl App {
    /// How far from its middle an input counts as rest, if its dead zone sees what the
    /// device reports: nothing comes before it but what turns signs.
    pub(crate) fn rest_of(&self, input: BoundInput) -> f32 {
        let chain = self.session().plan().chain_of(input);
        let before = |stage: &&Stage| {
            matches!(stage, Stage::Invert { .. } | Stage::Swap | Stage::Gate(StickGate::Circle))
        };
        let is_single = !matches!(input, BoundInput::Stick { .. } | BoundInput::Pointer { .. });
        match chain.stages().iter().find(|stage| !before(stage)) {
            Some(Stage::DeadZone(zone)) if is_single || zone.is_round() => zone.inner,
            _ => 0.0,
        }
    }

    /// What the value of a control is held against, on its own scale.
    pub(crate) fn guides(&self, lane: Lane) -> Vec<Guide> {
        let Lane::Control(control) = lane else { return Vec::new() };
        let plan = self.session().plan();
        let mut guides = Vec::new();
        let mut add = |at: f32, kind| {
            let guide = Guide { at, kind };
            if at != 0.0 && guides.len() < MOST && !guides.contains(&guide) {
                guides.push(guide);
            }
        };
        for &action in plan.fed_by(control) {
            for &input in plan.inputs(action) {
                match input {
                    BoundInput::Button { control: own, thresholds, .. } if own == control => {
                        add(thresholds.press_at, GuideKind::Press);
                        if thresholds.release_at < thresholds.press_at {
                            add(thresholds.release_at, GuideKind::Release);
                        }
                    }
                    BoundInput::Axis { .. } | BoundInput::Stick { .. }
                        if plan.controls_of(input).contains(&control) =>
                    {
                        let rest = self.rest_of(input);
                        add(rest, GuideKind::DeadZone);
                        if self.is_two_sided(lane) {
                            add(-rest, GuideKind::DeadZone);
                        }
                    }
                    BoundInput::Pair(_) | BoundInput::Cross { .. }
                        if plan.controls_of(input).contains(&control) =>
                    {
                        add(Thresholds::HALF.press_at, GuideKind::Press);
                    }
                    _ => {}
                }
            }
        }
        guides
    }
}
