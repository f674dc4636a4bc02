//! A gesture tied to a plan: what a tick needs of it, laid out for it.
//!
//! Every question that a tick asks of a gesture again and again (is it judged by movements, does
//! it give something, what has to be measured) is answered here once, when the rig is bound.

use crate::base::{ControlId, GestureId, ZoneId};
use crate::gesture::{Apart, Check, Signs};
use crate::spec::{
    Gesture, GestureKind, LengthUnit, LimitSense, MeasuredFrom, Outline, PanelEdge, PointingSet,
    Quantity, StickCentre, SwipeDirections, SwipeFires,
};
use crate::touch::Zones;
use alloc::vec::Vec;
use strum::VariantArray;

/// The gestures of a rig, in its order.
///
/// Invariant: `waits_for` and `beside` of its gestures name gestures of it.
#[derive(Clone, Debug, Default)]
pub(crate) struct GesturePlan {
    /// By [`GestureId`].
    pub(crate) gestures: Vec<BoundGesture>,
    /// The strokes that signs are compared with.
    pub(crate) signs: Signs,
    /// The controls that say where the origins of aims are.
    pub(crate) origins: Vec<ControlId>,
    /// What the lengths of the gestures are measured in, each once.
    pub(crate) units: Vec<LengthUnit>,
}

impl GesturePlan {
    /// Finds out besides which gestures others wait for, and which units are used.
    pub(crate) fn new(
        mut gestures: Vec<BoundGesture>,
        signs: Signs,
        origins: Vec<ControlId>,
    ) -> Self {
        let waited_for = gestures.iter().flat_map(|gesture| gesture.waits_for.clone());
        for other in waited_for.collect::<Vec<GestureId>>() {
            if let Some(gesture) = gestures.get_mut(other.index()) {
                gesture.is_waited_for = true;
            }
        }
        let is_used = |unit: &LengthUnit| gestures.iter().any(|gesture| gesture.unit == *unit);
        let units = LengthUnit::VARIANTS.iter().copied().filter(is_used).collect();
        GesturePlan { gestures, signs, origins, units }
    }

    /// The gesture of an id.
    ///
    /// # Panics
    /// When the rig has no such gesture: an id is of the rig that the plan was made of.
    #[inline]
    pub(crate) fn gesture(&self, gesture: GestureId) -> &BoundGesture {
        &self.gestures[gesture.index()]
    }
}

/// A control that says where an origin is along one axis of the surface.
#[derive(Clone, Copy, Debug)]
pub(crate) struct OriginAxis {
    /// The control.
    pub(crate) control: ControlId,
    /// Whether it goes from -1 to +1, not from 0.
    pub(crate) is_centred: bool,
}

impl OriginAxis {
    /// A value of the control as a share of the surface.
    pub(crate) fn share(self, value: f32) -> f32 {
        if self.is_centred { (value + 1.0) / 2.0 } else { value }
    }
}

/// A gesture of a rig, tied to devices and zones.
///
/// Invariant: at most [`MAX_CHECKS`](super::MAX_CHECKS) checks.
#[derive(Clone, Debug)]
pub(crate) struct BoundGesture {
    /// What it looks for.
    pub(crate) kind: GestureKind,
    /// The zone whose contacts it listens to; without one, all contacts that no zone takes.
    pub(crate) zone: Option<ZoneId>,
    /// What may make it: fingers, or what of a pointer.
    pub(crate) by: PointingSet,
    /// How many fingers it takes, as many as its kind can have.
    pub(crate) fingers: u8,
    /// Its limits, in the order of the kind.
    pub(crate) checks: Vec<Check>,
    /// What its lengths are measured in.
    pub(crate) unit: LengthUnit,
    /// Full deflection, in the unit of its kind; of an aim only if it is said.
    pub(crate) scale: f32,
    /// Whether the rig says how far full deflection is.
    pub(crate) has_scale: bool,
    /// The controls that say where the origin of an aim is.
    pub(crate) origin: Option<[OriginAxis; 2]>,
    /// Of a swipe: the directions that count.
    pub(crate) toward: SwipeDirections,
    /// Of a swipe: the edge of the panel near which it has to begin.
    pub(crate) from_edge: Option<PanelEdge>,
    /// Gestures that are given the first say about its fingers.
    pub(crate) waits_for: Vec<GestureId>,
    /// Whether another one waits for it.
    pub(crate) is_waited_for: bool,
    /// Whether it ends other attempts with one of its fingers when it fires.
    pub(crate) takes: bool,
    /// Gestures that it does not end then, nor they it.
    pub(crate) beside: Vec<GestureId>,
    /// Where what it gives begins: at the landing, or where it fired.
    pub(crate) measured_from: MeasuredFrom,
    /// Of a click: where the finger must be lifted, in shares of the panel.
    pub(crate) lifts_in: Option<Outline>,
    /// Whether every movement is a moment at which it is judged.
    pub(crate) follows: bool,
    /// Whether it is a press, which time alone can bring further: of two moments at which its
    /// finger had got as far, the later one says more.
    pub(crate) is_press: bool,
    /// Whether it gives something while it lasts.
    pub(crate) gives: bool,
    /// Whether what an attempt gives depends on more than where its fingers are now: on where
    /// they were before, or where its origin was when they moved last.
    pub(crate) remembers: bool,
    /// Whether an attempt with a single finger is told of its movements: it is judged by
    /// them, or gives something.
    pub(crate) is_watching: bool,
    /// Whether it asks for the length of the path of its first finger.
    pub(crate) needs_path: bool,
    /// Whether it asks how far any finger got from where it landed.
    pub(crate) needs_moved: bool,
    /// Whether it asks for the line between two fingers.
    pub(crate) needs_line: bool,
    /// Whether it asks how far that line has turned.
    pub(crate) needs_turn: bool,
}

impl BoundGesture {
    /// A gesture of a rig, with the zones of the rig on the panel, and the controls of its origin
    /// where it has some.
    ///
    /// Limits are told apart here: those that ask something become checks, one that is a scale
    /// becomes what the output is divided by.
    pub(crate) fn new(gesture: &Gesture, zones: &Zones, origin: Option<[OriginAxis; 2]>) -> Self {
        let fingers = gesture.kind.nearest_fingers(gesture.fingers);
        let quantities = gesture.kind.quantities(fingers);
        let limits = quantities.iter().filter_map(|&(quantity, _)| {
            let (limit, unit) = (gesture.limits.of(quantity)?, gesture.unit);
            Some(Check { quantity, limit, unit })
        });
        let (checks, scales): (Vec<Check>, Vec<Check>) =
            limits.partition(|check| check.quantity.sense() != LimitSense::Scale);
        let (toward, from_edge) = match gesture.kind {
            GestureKind::Swipe { toward, from_edge, .. } => (toward, from_edge),
            _ => (SwipeDirections::Any, None),
        };
        let asks = |quantity| checks.iter().any(|check: &Check| check.quantity == quantity);
        let is_alone = fingers == 1;
        let gives = gesture.kind.lasts() && gesture.kind.has_value();
        let is_press = matches!(gesture.kind, GestureKind::Press);
        BoundGesture {
            is_watching: is_press || is_alone && (follows(gesture.kind) || gives),
            needs_path: matches!(gesture.kind, GestureKind::Sign { .. })
                || asks(Quantity::Straight),
            needs_moved: asks(Quantity::Move),
            needs_line: matches!(gesture.kind, GestureKind::Pinch | GestureKind::Rotate),
            needs_turn: matches!(gesture.kind, GestureKind::Rotate),
            follows: follows(gesture.kind),
            gives,
            remembers: gesture.kind == GestureKind::Stick(StickCentre::Following)
                || origin.is_some(),
            is_press,
            kind: gesture.kind,
            zone: gesture.zone,
            by: gesture.by,
            fingers,
            checks,
            unit: gesture.unit,
            scale: scales.first().map_or(1.0, |scale| scale.limit),
            has_scale: !scales.is_empty(),
            origin,
            toward,
            from_edge,
            waits_for: gesture.waits_for.clone(),
            is_waited_for: false,
            takes: gesture.takes,
            beside: gesture.beside.clone(),
            measured_from: gesture.measured_from,
            lifts_in: match gesture.kind {
                GestureKind::Click { lifts_in } => {
                    zones.on_panel().get(lifts_in.index()).map(|zone| zone.outline.clone())
                }
                _ => None,
            },
        }
    }

    /// How far apart two of its taps may be.
    pub(crate) fn apart(&self) -> Apart {
        let limit = |quantity| self.limit(quantity).unwrap_or(f32::INFINITY);
        Apart { gap: limit(Quantity::Gap), spread: limit(Quantity::Spread) }
    }

    /// The limit of a quantity, if it asks anything of it.
    pub(crate) fn limit(&self, quantity: Quantity) -> Option<f32> {
        self.checks.iter().find(|check| check.quantity == quantity).map(|check| check.limit)
    }
}

/// Whether a kind is judged at every movement.
///
/// The others are judged once: where they land, or when a finger is lifted; and a press by time.
const fn follows(kind: GestureKind) -> bool {
    match kind {
        GestureKind::Swipe { fires, .. } => matches!(fires, SwipeFires::Passing),
        GestureKind::Drag | GestureKind::Pinch | GestureKind::Rotate | GestureKind::Aim { .. } => {
            true
        }
        GestureKind::Tap { .. }
        | GestureKind::Press
        | GestureKind::Stick(_)
        | GestureKind::Flick
        | GestureKind::Click { .. }
        | GestureKind::Sign { .. } => false,
    }
}
