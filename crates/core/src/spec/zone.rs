//! Zones on a touch surface, and which of them has which contact.
//!
//! Places are shares of the surface: x from 0 at the left to 1 at the right, y
//! from 0 at the top to 1 at the bottom. A circle is round on the surface, not
//! in shares, so it needs the surface's proportion. A zone may be measured in
//! another space (see [`Surface`]); it is brought to shares
//! when the rig is bound.

use crate::base::{ActionId, length, minus};
use crate::spec::{Anchor, PointingSet, Space, SpaceMap, Surface};
use alloc::{string::String, vec::Vec};
use strum::{IntoStaticStr, VariantArray};

/// A rig has at most this many zones: a contact keeps a bit for each.
pub const MAX_ZONES: usize = 64;

/// A part of a touch surface.
///
/// ```text
///  layer 2   ┌── menu (take) ──┐              a finger that lands at  ●
///  layer 1   │   ┌── map (share) ──┐          is asked from the top:
///  layer 0   │   │ ●           │   │          menu takes it: nobody below
///            └───│─────────────┘   │          has it. Were menu to share
///                └─────────────────┘          it, map would have it too.
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub struct Zone {
    /// Its name.
    pub name: String,
    /// Where it is, in its space.
    pub outline: Outline,
    /// What its outline is measured in.
    pub space: Space,
    /// And from which corner.
    pub anchor: Anchor,
    /// Of zones that lie over each other the one with the higher layer is asked
    /// first; of equals the one that the rig names first.
    pub layer: i32,
    /// What it does with a contact.
    pub claim: Claim,
    /// Whether it has the contacts that are on it now, instead of those that
    /// began on it: sliding in presses, sliding out releases. It always has a pointer
    /// that hovers only while that is on it.
    pub follows: bool,
    /// What it has contacts of; all others pass it.
    pub by: PointingSet,
    /// Actions that close it while they are on: then
    /// it is as if it were not there.
    pub closed_while: Vec<ActionId>,
    /// Actions without which it is closed.
    pub open_while: Vec<ActionId>,
}

impl Zone {
    /// A zone that takes what begins on it; in shares of the panel.
    pub fn new(name: &str, outline: Outline) -> Self {
        Zone {
            name: name.into(),
            outline,
            space: Space::Panel,
            anchor: Anchor::default(),
            layer: 0,
            claim: Claim::Take,
            follows: false,
            by: PointingSet::FINGERS,
            closed_while: Vec::new(),
            open_while: Vec::new(),
        }
    }

    /// From its own numbers to shares of the panel.
    pub fn to_panel(&self, surface: &Surface) -> Option<SpaceMap> {
        surface.from_corner(self.space, self.anchor)
    }
}

/// Where a zone is.
///
/// ```
/// use gtrig_core::Outline;
///
/// let right_half = Outline::Rect { at: [0.5, 0.0], size: [0.5, 1.0] };
/// // Its left edge belongs to it.
/// assert!(right_half.contains([0.5, 0.3], 0.5) && !right_half.contains([0.49, 0.3], 0.5));
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub enum Outline {
    /// A rectangle; its left and top edges belong to it.
    Rect {
        /// Left and top.
        at: [f32; 2],
        /// Width and height.
        size: [f32; 2],
    },
    /// A circle; its rim belongs to it.
    Circle {
        /// Its centre.
        centre: [f32; 2],
        /// Its radius; in shares that of the width.
        radius: f32,
    },
    /// The inside of a closed line, by the even-odd rule.
    Polygon(Vec<[f32; 2]>),
}

/// What a zone does with a contact on it.
///
/// A game has `take` for its buttons, `share` for an area that watches what happens on top of
/// another, and `pass` for one that is only drawn: no input and no gesture can name it.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Claim {
    /// Has it, and no zone below does.
    #[default]
    Take,
    /// Has it, and so may the zones below.
    Share,
    /// Leaves it to the zones below.
    Pass,
}

impl Outline {
    /// The same by another measure.
    pub fn mapped(&self, map: &SpaceMap) -> Outline {
        match self {
            Outline::Rect { at, size } => {
                let near = map.place(*at);
                let far = map.place([at[0] + size[0], at[1] + size[1]]);
                let at = [near[0].min(far[0]), near[1].min(far[1])];
                Outline::Rect { at, size: map.size(*size) }
            }
            Outline::Circle { centre, radius } => {
                let [radius, _] = map.size([*radius; 2]);
                Outline::Circle { centre: map.place(*centre), radius }
            }
            Outline::Polygon(corners) => {
                Outline::Polygon(corners.iter().map(|&corner| map.place(corner)).collect())
            }
        }
    }

    /// The place by which it is moved: left and top, the centre, or the first
    /// corner.
    pub fn handle(&self) -> [f32; 2] {
        match self {
            Outline::Rect { at, .. } => *at,
            Outline::Circle { centre, .. } => *centre,
            Outline::Polygon(corners) => corners.first().copied().unwrap_or([0.0; 2]),
        }
    }

    /// The same outline with its handle at another place.
    #[must_use]
    pub fn moved_to(&self, place: [f32; 2]) -> Outline {
        let from = self.handle();
        let by = [place[0] - from[0], place[1] - from[1]];
        let moved = |[x, y]: [f32; 2]| [x + by[0], y + by[1]];
        match self {
            Outline::Rect { size, .. } => Outline::Rect { at: place, size: *size },
            Outline::Circle { radius, .. } => Outline::Circle { centre: place, radius: *radius },
            Outline::Polygon(corners) => {
                Outline::Polygon(corners.iter().map(|&corner| moved(corner)).collect())
            }
        }
    }

    /// The same outline, as large that its lower right corner or its rim is at a
    /// place; a polygon stays as it is, and nothing becomes smaller than `least`.
    ///
    /// ```
    /// use gtrig_core::Outline;
    ///
    /// let rect = Outline::Rect { at: [0.25, 0.25], size: [0.25, 0.25] };
    /// let wide = Outline::Rect { at: [0.25, 0.25], size: [0.5, 0.125] };
    /// assert_eq!(rect.stretched_to([0.75, 0.375], 0.01), wide);
    /// assert_eq!(rect.moved_to([0.5, 0.0]).handle(), [0.5, 0.0]);
    /// ```
    #[must_use]
    pub fn stretched_to(&self, place: [f32; 2], least: f32) -> Outline {
        match self {
            Outline::Rect { at, .. } => {
                let size = [0, 1].map(|axis| (place[axis] - at[axis]).max(least));
                Outline::Rect { at: *at, size }
            }
            Outline::Circle { centre, .. } => {
                let [dx, dy] = [place[0] - centre[0], place[1] - centre[1]];
                let radius = libm::sqrtf(dx * dx + dy * dy).max(least);
                Outline::Circle { centre: *centre, radius }
            }
            Outline::Polygon(_) => self.clone(),
        }
    }

    /// The smallest rectangle around it: left, top, right and bottom; on a
    /// surface `proportion` times as high as wide.
    ///
    /// In shares. A place on a zone is measured across it.
    pub fn bounds(&self, proportion: f32) -> [f32; 4] {
        match self {
            Outline::Rect { at, size } => [at[0], at[1], at[0] + size[0], at[1] + size[1]],
            Outline::Circle { centre: [x, y], radius } => {
                let high = radius / proportion;
                [x - radius, y - high, x + radius, y + high]
            }
            Outline::Polygon(corners) => {
                let none = [f32::INFINITY, f32::INFINITY, f32::NEG_INFINITY, f32::NEG_INFINITY];
                corners.iter().fold(none, |[left, top, right, bottom], [x, y]| {
                    [left.min(*x), top.min(*y), right.max(*x), bottom.max(*y)]
                })
            }
        }
    }

    /// Whether a place lies in it, both in shares of the panel, which is
    /// `proportion` times as high as wide. A left and a top edge belong to it, a
    /// right and a bottom edge do not, but for those of the panel itself: its last
    /// row and column are in whatever reaches that far.
    ///
    /// ```
    /// use gtrig_core::Outline;
    ///
    /// // Round on the glass: on a panel half as high as wide it is twice as high in shares.
    /// let dial = Outline::Circle { centre: [0.5, 0.5], radius: 0.1 };
    /// assert!(dial.contains([0.5, 0.69], 0.5) && !dial.contains([0.61, 0.5], 0.5));
    /// ```
    pub fn contains(&self, place: [f32; 2], proportion: f32) -> bool {
        let [x, y] = within_last(place);
        match self {
            Outline::Rect { at, size } => {
                let holds =
                    |number, axis: usize| (at[axis]..at[axis] + size[axis]).contains(number);
                holds(&x, 0) && holds(&y, 1)
            }
            Outline::Circle { centre, radius } => {
                let (dx, dy) = (x - centre[0], (y - centre[1]) * proportion);
                dx * dx + dy * dy <= radius * radius
            }
            Outline::Polygon(corners) => {
                let edges = corners.iter().zip(corners.iter().cycle().skip(1));
                // A line to the right crosses the border an odd number of times.
                let crosses = |(from, to): &(&[f32; 2], &[f32; 2])| {
                    (from[1] > y) != (to[1] > y)
                        && x < (to[0] - from[0]) * (y - from[1]) / (to[1] - from[1]) + from[0]
                };
                edges.filter(crosses).count() % 2 == 1
            }
        }
    }
}

/// A place in shares; one in the last row or column of the panel lies within that.
pub(crate) fn within_last(place: [f32; 2]) -> [f32; 2] {
    place.map(|share| if share == 1.0 { 1.0 - f32::EPSILON } else { share })
}

impl Outline {
    /// How far outside of it a place lies, in millimetres; 0 within it and on its
    /// border. The place is in millimetres from the top left of a panel of this
    /// size, the outline in shares of it.
    ///
    /// A thumb that slides off a button by a millimetre still meant it: this is what a click
    /// allows.
    pub fn outside(&self, place: [f32; 2], size: [f32; 2]) -> f32 {
        let mm = |share: [f32; 2]| [share[0] * size[0], share[1] * size[1]];
        match self {
            Outline::Rect { at, size: extent } => {
                let (from, to) = (mm(*at), mm([at[0] + extent[0], at[1] + extent[1]]));
                length([0, 1].map(|n| (from[n] - place[n]).max(place[n] - to[n]).max(0.0)))
            }
            Outline::Circle { centre, radius } => {
                (length(minus(place, mm(*centre))) - radius * size[0]).max(0.0)
            }
            Outline::Polygon(corners) => {
                let share = [place[0] / size[0], place[1] / size[1]];
                if self.contains(share, size[1] / size[0]) {
                    return 0.0;
                }
                let edges = corners.iter().zip(corners.iter().cycle().skip(1));
                let far = |(from, to): (&[f32; 2], &[f32; 2])| to_line(place, mm(*from), mm(*to));
                edges.map(far).fold(f32::INFINITY, f32::min)
            }
        }
    }
}

/// How far a place is from the nearest one between two others.
fn to_line(place: [f32; 2], from: [f32; 2], to: [f32; 2]) -> f32 {
    let ([wx, wy], [px, py]) = (minus(to, from), minus(place, from));
    let share = ((px * wx + py * wy) / (wx * wx + wy * wy).max(f32::MIN_POSITIVE)).clamp(0.0, 1.0);
    length([px - wx * share, py - wy * share])
}

/// Whether the line through `corners`, closed, crosses itself.
///
/// Two edges cross if the ends of each lie on different sides of the other. Edges that only touch
/// do not.
///
/// ```
/// use gtrig_core::crosses_itself;
///
/// let square = [[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]];
/// let bow_tie = [[0.0, 0.0], [1.0, 1.0], [1.0, 0.0], [0.0, 1.0]];
/// assert!(!crosses_itself(&square) && crosses_itself(&bow_tie));
/// ```
pub fn crosses_itself(corners: &[[f32; 2]]) -> bool {
    let edge = |n: usize| (corners[n], corners[(n + 1) % corners.len()]);
    let turn = |a: [f32; 2], b: [f32; 2], c: [f32; 2]| {
        (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
    };
    let crosses = |(a, b): ([f32; 2], [f32; 2]), (c, d): ([f32; 2], [f32; 2])| {
        turn(a, b, c) * turn(a, b, d) < 0.0 && turn(c, d, a) * turn(c, d, b) < 0.0
    };
    (0..corners.len()).any(|n| (n + 1..corners.len()).any(|m| crosses(edge(n), edge(m))))
}
