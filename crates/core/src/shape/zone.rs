//! Dead zones and gates.
//!
//! ```text
//!  out                              radius: stretched      cut: as it is
//!   1 ┤          ╭────                          ╭──            ╭──
//!     │        ╱                              ╱              ╱
//!     │      ╱                              ╱               │
//!   0 ┼─────┴────────── in             ────╯            ────╯
//!     0   inner  outer
//! ```

use crate::base::{at_most, clamp_to_circle, length, with_length};
use crate::spec::{DeadZone, DeadZoneKind, StickGate};
use alloc::vec::Vec;

/// A border of a zone, in the plane of the stick.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum DeadZoneBorder {
    /// Around the origin.
    Circle(f32),
    /// From here to there.
    Line([[f32; 2]; 2]),
}

impl DeadZone {
    /// Applies it. Output is never longer than the longer of 1 and the input.
    ///
    /// Deflections are in full travel. See [`DeadZoneKind`] for the formulas.
    pub fn apply(&self, [x, y]: [f32; 2]) -> [f32; 2] {
        match self.kind {
            DeadZoneKind::Radius | DeadZoneKind::Cut => {
                let r = length([x, y]);
                with_length([x, y], r, self.on_length(r))
            }
            DeadZoneKind::Axes => [self.axis(x, self.inner), self.axis(y, self.inner)],
            DeadZoneKind::Sloped => {
                let zone = |other: f32| (self.inner + self.slope * other.abs()).min(0.95);
                [self.axis(x, zone(y)), self.axis(y, zone(x))]
            }
        }
    }

    /// Its borders, to be drawn.
    ///
    /// Of a round zone one or two circles; of a zone on the axes eight lines, from the axes to the
    /// rim, where the zone of a sloped one is wider.
    pub fn borders(&self) -> Vec<DeadZoneBorder> {
        let (inner, sloped) = (self.inner, self.kind == DeadZoneKind::Sloped);
        match self.kind {
            DeadZoneKind::Radius | DeadZoneKind::Cut => {
                let outer = (self.outer < 1.0).then_some(DeadZoneBorder::Circle(self.outer));
                [DeadZoneBorder::Circle(inner)].into_iter().chain(outer).collect()
            }
            DeadZoneKind::Axes | DeadZoneKind::Sloped => {
                let rim = inner + if sloped { self.slope } else { 0.0 };
                let sides = [[-1.0, -1.0], [-1.0, 1.0], [1.0, -1.0], [1.0, 1.0]];
                let lines = sides.into_iter().flat_map(|[side, end]| {
                    let (from, to) = (side * inner, side * rim);
                    [[[0.0, from], [end, to]], [[from, 0.0], [to, end]]]
                });
                lines.map(DeadZoneBorder::Line).collect()
            }
        }
    }

    /// Whether rest is a circle: it is measured on the length.
    pub const fn is_round(&self) -> bool {
        matches!(self.kind, DeadZoneKind::Radius | DeadZoneKind::Cut)
    }

    /// What becomes of a length; a zone of the axes leaves it.
    #[inline]
    pub(super) fn on_length(&self, r: f32) -> f32 {
        match self.kind {
            DeadZoneKind::Radius | DeadZoneKind::Cut if r <= self.inner => 0.0,
            DeadZoneKind::Radius => stretch(r, self.inner, self.outer),
            DeadZoneKind::Cut if r >= self.outer => r.max(1.0),
            DeadZoneKind::Cut | DeadZoneKind::Axes | DeadZoneKind::Sloped => r,
        }
    }

    /// One axis by itself, with an inner border of its own: 0 up to it, and stretched from there
    /// to the outer one. A border that would leave no way to the outer one moves that outwards.
    fn axis(&self, v: f32, inner: f32) -> f32 {
        let size = v.abs();
        let outer = self.outer.max(inner + 0.01);
        if size <= inner { 0.0 } else { stretch(size, inner, outer).copysign(v) }
    }
}

/// What is left of a deflection above `inner`, as a share of the way to
/// `outer`; above 1 only where the deflection itself is.
#[inline]
fn stretch(size: f32, inner: f32, outer: f32) -> f32 {
    stretch_over(size, inner, outer - inner)
}

/// The same with the way from `inner` to the outer border.
#[inline]
pub(super) fn stretch_over(size: f32, inner: f32, width: f32) -> f32 {
    at_most((size - inner) / width, if size > 1.0 { size } else { 1.0 })
}

impl StickGate {
    /// Applies it.
    pub fn apply(self, [x, y]: [f32; 2]) -> [f32; 2] {
        match self {
            StickGate::Circle => clamp_to_circle([x, y]),
            StickGate::Square => {
                let (x, y) = (x.clamp(-1.0, 1.0), y.clamp(-1.0, 1.0));
                [x * libm::sqrtf(1.0 - y * y / 2.0), y * libm::sqrtf(1.0 - x * x / 2.0)]
            }
        }
    }
}
