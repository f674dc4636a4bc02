//! The limits of a gesture as shapes on the surface, to be drawn.

use alloc::{vec, vec::Vec};
use core::f32::consts::PI;
use gtrig_core::{Gesture, GestureKind, Quantity, SwipeDirections};

/// A limit on the surface; places in millimetres from the top left.
#[derive(Clone, Debug, PartialEq)]
pub enum LimitShape {
    /// As far as this from a place.
    Circle {
        /// The place.
        centre: [f32; 2],
        /// How far.
        radius: f32,
    },
    /// A line along places; a closed one ends where it begins.
    Line(Vec<[f32; 2]>),
}

/// Parts of the arc of a wedge.
const ARC: u8 = 8;

/// The limits of an attempt that began at `start`; `centre` is that of a stick
/// or the origin of an aim. A tap may move as far as its circle; a swipe must
/// leave its wedges by their arcs, or where any direction will do its circle. So
/// many of the unit of the gesture are a millimetre.
pub fn limit_shapes(
    gesture: &Gesture,
    per_mm: f32,
    start: [f32; 2],
    centre: [f32; 2],
) -> Vec<LimitShape> {
    let around = |centre: [f32; 2], of: Quantity| {
        let radius = gesture.limits.of(of)? / per_mm;
        Some(LimitShape::Circle { centre, radius })
    };
    match gesture.kind {
        GestureKind::Tap { .. } | GestureKind::Press => {
            around(start, Quantity::Move).into_iter().collect()
        }
        GestureKind::Drag => around(start, Quantity::Slop).into_iter().collect(),
        GestureKind::Stick(_) => [Quantity::Ring, Quantity::Catch]
            .into_iter()
            .filter_map(|of| around(centre, of))
            .collect(),
        GestureKind::Aim { .. } => around(centre, Quantity::Dead).into_iter().collect(),
        GestureKind::Swipe { toward, .. } => wedges(gesture, per_mm, toward, start)
            .unwrap_or_else(|| around(start, Quantity::Length).into_iter().collect()),
        GestureKind::Pinch
        | GestureKind::Rotate
        | GestureKind::Sign { .. }
        | GestureKind::Flick
        | GestureKind::Click { .. } => Vec::new(),
    }
}

fn wedges(
    gesture: &Gesture,
    per_mm: f32,
    toward: SwipeDirections,
    start: [f32; 2],
) -> Option<Vec<LimitShape>> {
    let SwipeDirections::Some(bits) = toward else { return None };
    let off = gesture.limits.of(Quantity::OffAxisDeg)?;
    let length = gesture.limits.of(Quantity::Length)? / per_mm;
    let at = |degrees: f32| {
        let angle = degrees / 180.0 * PI;
        [start[0] + length * libm::cosf(angle), start[1] - length * libm::sinf(angle)]
    };
    let wedge = |axis: u8| {
        let middle = 45.0 * f32::from(axis);
        let share = |n: u8| f32::from(n) / f32::from(ARC) * 2.0 - 1.0;
        let mut line = vec![start];
        line.extend((0..=ARC).map(|n| at(middle + off * share(n))));
        line.push(start);
        LimitShape::Line(line)
    };
    Some((0..8).filter(|axis| bits >> axis & 1 != 0).map(wedge).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use gtrig_core::{Gesture, GestureKind, GestureLimits, Quantity, SwipeDirections, SwipeFires};

    fn swipe(toward: SwipeDirections) -> Gesture {
        let kind = GestureKind::Swipe { toward, fires: SwipeFires::Passing, from_edge: None };
        let limits =
            GestureLimits::NONE.with(Quantity::Length, 10.0).with(Quantity::OffAxisDeg, 30.0);
        Gesture { limits, ..Gesture::new("swipe", kind) }
    }

    /// What leaves the wedge by its arc is long enough and on its axis.
    #[test]
    fn the_arc_of_a_wedge_is_where_the_limits_begin_to_hold() {
        let shapes =
            limit_shapes(&swipe(SwipeDirections::Some(0b100)), 1.0, [50.0, 50.0], [0.0; 2]);
        let [LimitShape::Line(places)] = &shapes[..] else { panic!("{shapes:?}") };
        assert_eq!((places[0], places[places.len() - 1]), ([50.0, 50.0], [50.0, 50.0]));
        for [x, y] in &places[1..places.len() - 1] {
            let [dx, dy] = [x - 50.0, 50.0 - y];
            assert!((libm::hypotf(dx, dy) - 10.0).abs() < 1e-3);
            assert!(libm::atan2f(dx.abs(), dy) <= 30.01 / 180.0 * PI);
        }
    }

    #[test]
    fn where_any_direction_will_do_the_length_is_a_circle() {
        let shapes = limit_shapes(&swipe(SwipeDirections::Any), 1.0, [50.0, 50.0], [0.0; 2]);
        assert_eq!(shapes, [LimitShape::Circle { centre: [50.0, 50.0], radius: 10.0 }]);
    }
}
