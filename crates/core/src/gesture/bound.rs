//! A gesture tied to a plan: what a tick needs of it, laid out for it.

use crate::gesture::Check;
use crate::spec::{Gesture, GestureKind, LimitSense, PanelEdge, Quantity, SwipeDirections};
use alloc::vec::Vec;

/// Invariant: at most [`MAX_CHECKS`](super::MAX_CHECKS) checks.
#[derive(Clone, Debug)]
pub(crate) struct BoundGesture {
    pub(crate) kind: GestureKind,
    pub(crate) zone: Option<u8>,
    pub(crate) fingers: u8,
    pub(crate) checks: Vec<Check>,
    /// Full deflection, in the unit of its kind.
    pub(crate) scale: f32,
    pub(crate) toward: SwipeDirections,
    pub(crate) from_edge: Option<PanelEdge>,
    pub(crate) waits_for: Vec<u16>,
    pub(crate) takes: bool,
    pub(crate) beside: Vec<u16>,
}

impl BoundGesture {
    pub(crate) fn new(gesture: &Gesture) -> Self {
        let quantities = gesture.kind.quantities(gesture.fingers);
        let limits = quantities.iter().filter_map(|&(quantity, _)| {
            Some(Check { quantity, limit: gesture.limits.of(quantity)? })
        });
        let (checks, scales): (Vec<Check>, Vec<Check>) =
            limits.partition(|check| check.quantity.sense() != LimitSense::Scale);
        let (toward, from_edge) = match gesture.kind {
            GestureKind::Swipe { toward, from_edge, .. } => (toward, from_edge),
            _ => (SwipeDirections::Any, None),
        };
        let places = |list: &[usize]| list.iter().map(|&n| n as u16).collect();
        BoundGesture {
            kind: gesture.kind,
            zone: gesture.zone.map(|zone| zone as u8),
            fingers: gesture.fingers,
            checks,
            scale: scales.first().map_or(1.0, |scale| scale.limit),
            toward,
            from_edge,
            waits_for: places(&gesture.waits_for),
            takes: gesture.takes,
            beside: places(&gesture.beside),
        }
    }

    /// The limit of a quantity, if it asks anything of it.
    pub(crate) fn limit(&self, quantity: Quantity) -> Option<f32> {
        self.checks.iter().find(|check| check.quantity == quantity).map(|check| check.limit)
    }
}
