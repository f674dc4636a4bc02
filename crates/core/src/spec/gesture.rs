//! Gestures: what fingers on a touch panel mean.
//!
//! A gesture is a state machine fed by contacts. An **attempt** begins when a
//! finger lands where the gesture listens: on its zone, or, without one, on any
//! part of a panel that no zone takes. Distances are millimetres of the
//! surface, and times are those of the reports, not of the ticks that see them.
//! When an attempt is over it gets a **verdict**: each limit with what was
//! measured and by how much it was met (see [`GestureVerdict`](crate::GestureVerdict)).
//!
//! Gestures run beside each other and know nothing of each other, unless the
//! rig says so: one that *waits for* others fires only once none of them can
//! fire any more, and one that *takes* its contacts ends all other attempts
//! with them, as far as they have not fired, when it fires.
//!
//! ```text
//!   lands                 fires                    lifts
//!     │                     │                        │
//!     ├── attempt: limits ──┤── on, while it lasts ──┤
//!     │   are watched       │   (press, drag, stick, │
//!     │                     │    pinch, …)           │
//!     └── fails ── verdict: which limit, by how much ┘
//! ```

use crate::base::{GestureId, SignId, ZoneId, length};
use crate::device::ControlRef;
use crate::spec::{GestureLimits, LengthUnit, PointingSet, Quantity};
use alloc::{string::String, vec::Vec};
use strum::{IntoStaticStr, VariantArray};

/// A gesture has at most this many fingers.
pub const MAX_FINGERS: usize = 5;

/// A gesture has at most this many taps.
pub const MAX_TAPS: usize = 5;

/// A sign has at most this many examples.
pub const MAX_EXAMPLES: usize = 16;

/// A rig has at most this many signs.
pub const MAX_SIGNS: usize = 64;

/// A rig has at most this many gestures.
pub const MAX_GESTURES: usize = 256;

/// A gesture of a rig.
///
/// ```
/// use gtrig_core::{Gesture, GestureKind, LengthUnit, Quantity};
///
/// let press = Gesture::new("pick up", GestureKind::Press);
/// assert_eq!(press.limits.of(Quantity::Hold), Some(500.0), "milliseconds");
/// assert_eq!((press.unit, press.zone), (LengthUnit::Mm, None));
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub struct Gesture {
    /// Its name.
    pub name: String,
    /// The zone it listens to; without one it listens
    /// to every contact that no zone takes.
    pub zone: Option<ZoneId>,
    /// What it is made by. Of several fingers or of a zone only if a pointer that
    /// hovers is not among it.
    pub by: PointingSet,
    /// What it looks for.
    pub kind: GestureKind,
    /// With how many fingers, 1 to [`MAX_FINGERS`]. A number that its
    /// [kind](GestureKind::fingers) cannot have counts as the nearest that it can.
    pub fingers: u8,
    /// What it asks, and how its output is measured.
    pub limits: GestureLimits,
    /// The gestures that must have failed first.
    pub waits_for: Vec<GestureId>,
    /// Whether it ends other attempts with its contacts when it fires, as far as
    /// they have not fired yet.
    pub takes: bool,
    /// Gestures that it does not end, and that do not end it.
    pub beside: Vec<GestureId>,
    /// From where what a drag, a pinch or a rotation gives is measured.
    pub measured_from: MeasuredFrom,
    /// Of an aim: the controls that say where its origin is, while their device is
    /// there: x from the left and y from the top, as shares of the surface. An axis
    /// counts from one end to the other.
    pub origin: Option<[ControlRef; 2]>,
    /// What the lengths among its limits are measured in.
    pub unit: LengthUnit,
}

impl Gesture {
    /// A gesture of a kind with the fewest fingers and the default limits, which
    /// listens to every contact that no zone takes.
    pub fn new(name: &str, kind: GestureKind) -> Self {
        let fingers = *kind.fingers().start();
        Gesture {
            name: name.into(),
            zone: None,
            by: PointingSet::FINGERS,
            kind,
            fingers,
            limits: kind.defaults(fingers),
            waits_for: Vec::new(),
            takes: false,
            beside: Vec::new(),
            measured_from: MeasuredFrom::Landing,
            origin: None,
            unit: LengthUnit::Mm,
        }
    }
}

/// From where a movement is measured.
///
/// A map that is dragged from `landing` jumps by the slop when the drag fires; one from `firing`
/// follows without a jump, and lags behind the finger by the slop.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum MeasuredFrom {
    /// From where its fingers landed: it begins with all of its slop.
    #[default]
    Landing,
    /// From where they were when it fired: it begins at 0.
    Firing,
}

/// What a gesture looks for.
///
/// | kind | fingers | fires | gives |
/// |---|---|---|---|
/// | tap | 1 to 5 | as the last finger lifts | on, for a tick |
/// | press | 1 | when it was held long enough | on, until it lifts |
/// | swipe | 1 to 5 | as its limits hold, or on lifting | a direction, for a tick |
/// | flick | 1 | as the finger lifts | a velocity, for a tick |
/// | click | 1 | as the finger lifts | on, for a tick |
/// | drag | 1 to 5 | beyond its slop | the way, until one lifts |
/// | pinch, rotate | 2 | beyond its slop | one number, until one lifts |
/// | stick | 1 | on landing | a deflection, until it lifts |
/// | aim | 1 | outside of the dead circle | a direction, until it lifts |
/// | sign | 1 | as the finger lifts | on, for a tick |
///
/// ```
/// use gtrig_core::{GestureKind, LimitUse, Quantity};
///
/// let double = GestureKind::Tap { times: 2 };
/// assert_eq!((double.word(), double.lasts(), double.fingers()), ("tap", false, 1..=5));
/// // A double tap is asked how far apart its taps are, without being told to.
/// assert!(double.quantities(1).contains(&(Quantity::Gap, LimitUse::Always)));
/// let single = GestureKind::Tap { times: 1 }.quantities(1);
/// assert!(!single.iter().any(|(of, _)| *of == Quantity::Gap));
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum GestureKind {
    /// Fingers that land and soon lift, a number of times (1 to [`MAX_TAPS`]).
    Tap {
        /// How often.
        times: u8,
    },
    /// A finger that stays where it landed. On until it lifts.
    Press,
    /// A quick straight movement.
    Swipe {
        /// In which directions.
        toward: SwipeDirections,
        /// When it fires.
        fires: SwipeFires,
        /// The edge of the surface from which it must come.
        from_edge: Option<PanelEdge>,
    },
    /// A finger that is lifted while it moves; gives its velocity.
    Flick,
    /// A finger that lands on the zone of the gesture and is lifted on this one.
    Click {
        /// The zone on which it is lifted.
        lifts_in: ZoneId,
    },
    /// Movement of one finger, or of the middle of several. On until one lifts;
    /// gives the way from where it began.
    Drag,
    /// Two fingers that move apart (+1) or together (-1).
    Pinch,
    /// Two fingers that turn about each other, counter-clockwise +1.
    Rotate,
    /// A stick on the screen.
    Stick(StickCentre),
    /// The direction from an origin, in shares of the surface, to the finger; of
    /// length 1, so that a far one is not faster, unless a reach is said.
    Aim {
        /// The origin.
        origin: [f32; 2],
    },
    /// A stroke like the examples of a sign.
    Sign {
        /// Which.
        sign: SignId,
    },
}

/// Where the centre of an on-screen stick is.
///
/// | centre | for |
/// |---|---|
/// | fixed | a ring that is drawn on the screen |
/// | floating | a thumb that lands anywhere and does not look |
/// | following | the same, with a way back that is never longer than the ring |
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum StickCentre {
    /// At a place, in shares of the surface.
    Fixed([f32; 2]),
    /// Where the finger landed.
    Floating,
    /// Where the finger landed, and drawn along when the finger leaves the
    /// ring.
    Following,
}

/// When a swipe fires.
///
/// `passing` is felt at once and cannot be taken back; `release` lets a hand go back on it.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum SwipeFires {
    /// As soon as its limits hold.
    #[default]
    Passing,
    /// When the finger lifts, if they hold then.
    Release,
}

/// An edge of the surface.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum PanelEdge {
    /// x = 0.
    Left,
    /// x = 1.
    Right,
    /// y = 0.
    Top,
    /// y = 1.
    Bottom,
}

impl PanelEdge {
    /// How far a place is from it, on a surface of this size.
    pub(crate) fn distance(self, [x, y]: [f32; 2], [width, height]: [f32; 2]) -> f32 {
        match self {
            PanelEdge::Left => x,
            PanelEdge::Right => width - x,
            PanelEdge::Top => y,
            PanelEdge::Bottom => height - y,
        }
    }
}

/// The directions in which a swipe may go.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SwipeDirections {
    /// Any; then nothing is asked of its axis.
    Any,
    /// Some of the eight, a bit for each in the order of [`SwipeDirections::WORDS`].
    Some(u8),
}

impl SwipeDirections {
    /// Up, down, left and right.
    pub const FOUR: SwipeDirections = SwipeDirections::Some(0b0101_0101);
    /// Those and the diagonals.
    pub const EIGHT: SwipeDirections = SwipeDirections::Some(0xff);

    /// The words for the eight directions in rigs, counter-clockwise from the
    /// right.
    pub const WORDS: [&'static str; 8] =
        ["right", "up-right", "up", "up-left", "left", "down-left", "down", "down-right"];

    /// How far `way` (y up) leads along the [nearest](SwipeDirections::nearest) of these, and how
    /// far beside that: the scalar product and the size of the cross product. `None` for a way of
    /// no length.
    ///
    /// The four and the eight are what most swipes ask for, and swipes are asked at every movement:
    /// for them both are told from the sizes of the parts of the way.
    pub(crate) fn along_and_beside(self, way: [f32; 2]) -> Option<[f32; 2]> {
        const HALF: f32 = core::f32::consts::FRAC_1_SQRT_2;
        let [x, y] = way.map(f32::abs);
        let [long, short] = if x < y { [y, x] } else { [x, y] };
        let diagonal = HALF * long + HALF * short;
        match self {
            // As short as this it has no length.
            _ if long * long == 0.0 => return None,
            SwipeDirections::FOUR => return Some([long, short]),
            SwipeDirections::EIGHT if diagonal < long => return Some([long, short]),
            SwipeDirections::EIGHT if diagonal > long => {
                return Some([diagonal, HALF * long - HALF * short]);
            }
            // Of two directions that are as near, their order decides.
            _ => {}
        }
        let axis = self.nearest(way)?;
        let along = axis[0] * way[0] + axis[1] * way[1];
        Some([along, (axis[0] * way[1] - axis[1] * way[0]).abs()])
    }

    /// The direction of these that is nearest to `way` (y up), as a vector of
    /// length 1: of two that are as near the later one, counter-clockwise from the
    /// right. `None` for a way of no length.
    ///
    /// The nearest is the one with the largest scalar product with the way; no angle is worked out.
    pub(crate) fn nearest(self, way: [f32; 2]) -> Option<[f32; 2]> {
        const HALF: f32 = core::f32::consts::FRAC_1_SQRT_2;
        const AXES: [[f32; 2]; 8] = [
            [1.0, 0.0],
            [HALF, HALF],
            [0.0, 1.0],
            [-HALF, HALF],
            [-1.0, 0.0],
            [-HALF, -HALF],
            [0.0, -1.0],
            [HALF, -HALF],
        ];
        let length = length(way);
        if length == 0.0 {
            return None;
        }
        let SwipeDirections::Some(bits) = self else {
            return Some(way.map(|part| part / length));
        };
        let [x, y] = way;
        // The products with the first four axes; those with the others are the same, negative.
        let [right, up] = [HALF * x + HALF * y, HALF * y - HALF * x];
        let alongs = [x, right, y, up, -x, -right, -y, -up];
        let (mut nearest, mut most) = (AXES.len(), f32::NEG_INFINITY);
        for (n, along) in alongs.into_iter().enumerate() {
            let is_nearer = (bits >> n) & 1 != 0 && along >= most;
            nearest = if is_nearer { n } else { nearest };
            most = if is_nearer { along } else { most };
        }
        AXES.get(nearest).copied()
    }
}

/// Whether a limit is in force without being said.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LimitUse {
    /// With the default of its tunable.
    Always,
    /// Only if the rig says so.
    IfSaid,
}

impl GestureKind {
    /// The words for the kinds in rigs, in the order they are listed to people.
    pub const WORDS: [&'static str; 11] = [
        "tap", "press", "swipe", "drag", "pinch", "rotate", "stick", "aim", "sign", "flick",
        "click",
    ];

    /// The word for it in rigs.
    pub const fn word(self) -> &'static str {
        GestureKind::WORDS[match self {
            GestureKind::Tap { .. } => 0,
            GestureKind::Press => 1,
            GestureKind::Swipe { .. } => 2,
            GestureKind::Drag => 3,
            GestureKind::Pinch => 4,
            GestureKind::Rotate => 5,
            GestureKind::Stick(_) => 6,
            GestureKind::Aim { .. } => 7,
            GestureKind::Sign { .. } => 8,
            GestureKind::Flick => 9,
            GestureKind::Click { .. } => 10,
        }]
    }

    /// What it can ask, and how its output is measured.
    pub fn quantities(self, fingers: u8) -> Vec<(Quantity, LimitUse)> {
        use LimitUse::{Always, IfSaid};
        use Quantity::*;
        let mut asked: Vec<(Quantity, LimitUse)> = match self {
            GestureKind::Tap { times: 1 } => [(Lift, Always), (Move, Always)].into(),
            GestureKind::Tap { .. } => {
                [(Lift, Always), (Move, Always), (Gap, Always), (Spread, Always)].into()
            }
            GestureKind::Press => [(Hold, Always), (Move, Always)].into(),
            GestureKind::Swipe { toward, from_edge, .. } => {
                let mut asked: Vec<_> =
                    [(Length, Always), (Time, Always), (Speed, IfSaid), (Straight, IfSaid)].into();
                if toward != SwipeDirections::Any {
                    asked.extend([(OffAxisDeg, Always), (OffAxisMm, IfSaid)]);
                }
                asked.extend(from_edge.map(|_| (Edge, Always)));
                asked
            }
            GestureKind::Flick => {
                [(Release, Always), (ReachSpeed, Always), (Length, IfSaid), (Time, IfSaid)].into()
            }
            GestureKind::Click { .. } => [(Outside, Always), (Lift, IfSaid), (Move, IfSaid)].into(),
            GestureKind::Drag => [(Slop, Always), (Reach, Always)].into(),
            GestureKind::Pinch => [(Slop, Always), (ReachTimes, Always)].into(),
            GestureKind::Rotate => [(SlopDeg, Always), (ReachDeg, Always)].into(),
            GestureKind::Stick(StickCentre::Fixed(_)) => [(Catch, Always), (Ring, Always)].into(),
            GestureKind::Stick(_) => [(Ring, Always)].into(),
            GestureKind::Aim { .. } => [(Dead, Always), (Reach, IfSaid)].into(),
            GestureKind::Sign { .. } => {
                [(Differs, Always), (Length, Always), (Lead, Always), (Time, IfSaid)].into()
            }
        };
        if fingers > 1 {
            // In a tap or a swipe the fingers land at once; before a pinch a finger
            // may rest until another one joins it.
            asked.push((Together, if self.lasts() { IfSaid } else { Always }));
        }
        asked
    }

    /// The limits of a rig that says nothing of them, in millimetres.
    pub fn defaults(self, fingers: u8) -> GestureLimits {
        self.defaults_in(LengthUnit::Mm, fingers)
    }

    /// The same in a unit.
    pub fn defaults_in(self, unit: LengthUnit, fingers: u8) -> GestureLimits {
        let asked = self.quantities(fingers).into_iter().filter(|(_, a)| *a == LimitUse::Always);
        asked.fold(GestureLimits::NONE, |limits, (quantity, _)| {
            limits.with(quantity, quantity.tunable_in(unit).default as f32)
        })
    }

    /// How many fingers it can have.
    pub const fn fingers(self) -> core::ops::RangeInclusive<u8> {
        match self {
            GestureKind::Tap { .. } | GestureKind::Drag | GestureKind::Swipe { .. } => {
                1..=MAX_FINGERS as u8
            }
            GestureKind::Pinch | GestureKind::Rotate => 2..=2,
            GestureKind::Press
            | GestureKind::Stick(_)
            | GestureKind::Aim { .. }
            | GestureKind::Flick
            | GestureKind::Click { .. }
            | GestureKind::Sign { .. } => 1..=1,
        }
    }

    /// The nearest number of fingers that it can have.
    pub(crate) fn nearest_fingers(self, fingers: u8) -> u8 {
        let can = self.fingers();
        fingers.clamp(*can.start(), *can.end())
    }

    /// Whether it goes on until a finger lifts, instead of firing for one tick.
    pub const fn lasts(self) -> bool {
        !matches!(
            self,
            GestureKind::Tap { .. }
                | GestureKind::Swipe { .. }
                | GestureKind::Sign { .. }
                | GestureKind::Flick
                | GestureKind::Click { .. }
        )
    }

    /// Whether it gives a vector or a length besides being on or off.
    pub const fn has_value(self) -> bool {
        !matches!(
            self,
            GestureKind::Tap { .. }
                | GestureKind::Press
                | GestureKind::Sign { .. }
                | GestureKind::Click { .. }
        )
    }

    /// Whether its value has two parts.
    pub const fn is_double(self) -> bool {
        self.has_value() && !matches!(self, GestureKind::Pinch | GestureKind::Rotate)
    }
}

/// A sign that a rig teaches.
///
/// Size, place and speed of an example do not count: strokes are brought to the same number of
/// places at equal distances, turned a little where that brings them closer
/// ([`TURN_DEG`](crate::TURN_DEG)), and compared by the angle between the two as vectors.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub struct Sign {
    /// Its name.
    pub name: String,
    /// How it was drawn: places in order, y down, in any unit. Each has two
    /// different places at least.
    pub examples: Vec<Vec<[f32; 2]>>,
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case(SwipeDirections::FOUR, [0.9, 0.5], Some([1.0, 0.0]))]
    #[case(SwipeDirections::FOUR, [-0.4, 0.5], Some([0.0, 1.0]))]
    #[case(SwipeDirections::EIGHT, [-0.6, -0.5], Some([-core::f32::consts::FRAC_1_SQRT_2; 2]))]
    #[case(SwipeDirections::Some(1), [-1.0, 0.1], Some([1.0, 0.0]))]
    #[case(SwipeDirections::Any, [3.0, 4.0], Some([0.6, 0.8]))]
    #[case(SwipeDirections::EIGHT, [0.0, 0.0], None)]
    fn a_way_has_a_nearest_direction(
        #[case] toward: SwipeDirections,
        #[case] way: [f32; 2],
        #[case] nearest: Option<[f32; 2]>,
    ) {
        assert_eq!(toward.nearest(way), nearest);
    }

    proptest! {
        /// The last of those directions whose products with the way are the largest, also where
        /// several are as near, and where a way is so short that its square is 0.
        #[test]
        fn the_nearest_direction_has_the_largest_product(
            bits in prop_oneof![Just(0x55u8), Just(0xff), any::<u8>()],
            way in [part(), part()],
        ) {
            let half = core::f32::consts::FRAC_1_SQRT_2;
            let parts = [1.0, half, 0.0, -half, -1.0, -half, 0.0, half];
            let along = |n: usize| parts[n] * way[0] + parts[(n + 6) % 8] * way[1];
            let most = (0..8)
                .filter(|n| bits & (1 << n) != 0 && length(way) > 0.0)
                .max_by(|&a, &b| along(a).partial_cmp(&along(b)).unwrap());
            let expected = most.map(|n| [parts[n], parts[(n + 6) % 8]]);
            let toward = SwipeDirections::Some(bits);
            prop_assert_eq!(toward.nearest(way), expected);
            let [x, y] = way;
            let split = expected.map(|axis| {
                [axis[0] * x + axis[1] * y, (axis[0] * y - axis[1] * x).abs()]
            });
            prop_assert_eq!(toward.along_and_beside(way), split);
        }
    }

    /// A part of a way, as large as that of another one at times.
    fn part() -> impl Strategy<Value = f32> {
        prop_oneof![
            2 => -200.0f32..200.0,
            2 => (-3i8..=3).prop_map(f32::from),
            1 => prop_oneof![Just(-0.0f32), Just(1e-30), Just(-1e-30)],
        ]
    }
}
