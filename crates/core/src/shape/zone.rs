//! Dead zones and gates.

use super::{at_most, length};
use alloc::vec::Vec;

/// Which part of a deflection counts as rest, and which as full.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct DeadZone {
    /// What the zone is measured on.
    pub kind: DeadZoneKind,
    /// Deflection that counts as rest; below `outer`.
    pub inner: f32,
    /// Deflection from which on it counts as full.
    pub outer: f32,
    /// By how much the zone of an axis widens with the deflection of the other
    /// one, for [`DeadZoneKind::Sloped`].
    pub slope: f32,
}

/// What a dead zone is measured on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DeadZoneKind {
    /// The length, stretched so that output starts at 0 at the edge:
    /// `(r - inner) / (outer - inner)` along the same direction.
    Radius,
    /// The length, not stretched: what is outside keeps its value, and output
    /// jumps at the edge.
    Cut,
    /// Each axis by itself, stretched.
    Axes,
    /// Each axis by itself, stretched, in a zone that widens with the other
    /// axis: `inner + slope |other|`. It keeps a straight push straight and
    /// leaves small movements around the centre alone.
    Sloped,
}

impl DeadZoneKind {
    /// Every kind, in the order they are listed to people.
    pub const ALL: [DeadZoneKind; 4] =
        [DeadZoneKind::Radius, DeadZoneKind::Cut, DeadZoneKind::Axes, DeadZoneKind::Sloped];

    /// The word for it in rigs.
    pub const fn word(self) -> &'static str {
        match self {
            DeadZoneKind::Radius => "radius",
            DeadZoneKind::Cut => "cut",
            DeadZoneKind::Axes => "axes",
            DeadZoneKind::Sloped => "sloped",
        }
    }
}

/// A border of a zone, in the plane of the stick.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum DeadZoneBorder {
    /// Around the origin.
    Circle(f32),
    /// From here to there.
    Line([[f32; 2]; 2]),
}

impl DeadZone {
    /// A zone around rest, stretched, with nothing taken off at the rim.
    pub const fn radius(inner: f32) -> Self {
        DeadZone { kind: DeadZoneKind::Radius, inner, outer: 1.0, slope: 0.0 }
    }

    /// Applies it. Output is never longer than the longer of 1 and the input.
    pub fn apply(&self, [x, y]: [f32; 2]) -> [f32; 2] {
        match self.kind {
            DeadZoneKind::Radius | DeadZoneKind::Cut => {
                let r = length([x, y]);
                super::with_length([x, y], r, self.on_length(r))
            }
            DeadZoneKind::Axes => [self.axis(x, self.inner), self.axis(y, self.inner)],
            DeadZoneKind::Sloped => {
                let zone = |other: f32| (self.inner + self.slope * other.abs()).min(0.95);
                [self.axis(x, zone(y)), self.axis(y, zone(x))]
            }
        }
    }

    /// Its borders, to be drawn.
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
    at_most((size - inner) / (outer - inner), if size > 1.0 { size } else { 1.0 })
}

/// What is done about the corners of a stick's range.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum StickGate {
    /// A vector longer than 1 is divided by its length; shorter ones keep
    /// their analogue precision.
    Circle,
    /// The square in which some sticks travel is mapped onto the circle:
    /// `x sqrt(1 - y^2 / 2)` and the like (the elliptical grid mapping; Fong,
    /// "Analytical Methods for Squaring the Disc", 2015).
    Square,
}

impl StickGate {
    /// Every gate, in the order they are listed to people.
    pub const ALL: [StickGate; 2] = [StickGate::Circle, StickGate::Square];

    /// The word for it in rigs.
    pub const fn word(self) -> &'static str {
        match self {
            StickGate::Circle => "circle",
            StickGate::Square => "square",
        }
    }

    /// Applies it.
    pub fn apply(self, [x, y]: [f32; 2]) -> [f32; 2] {
        match self {
            StickGate::Circle => super::clamp_to_circle([x, y]),
            StickGate::Square => {
                let (x, y) = (x.clamp(-1.0, 1.0), y.clamp(-1.0, 1.0));
                [x * libm::sqrtf(1.0 - y * y / 2.0), y * libm::sqrtf(1.0 - x * x / 2.0)]
            }
        }
    }
}
