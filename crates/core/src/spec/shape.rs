//! How the value of a stick, an axis or a trigger is shaped: a calibration and
//! stages, each with its numbers. What the stages do is in `shape`.
//!
//! The usual order, and what each stage is for:
//!
//! | stage | for |
//! |---|---|
//! | `invert`, `swap`, `offset`, `scale` | a device that is built in another way |
//! | `gate` | corners: a diagonal that is not faster than a straight push |
//! | `dead-zone` | rest that is not quite rest, and a rim that is not quite reached |
//! | `curve`, `sensitivity` | a hand that wants finer or faster movement |
//! | `smooth`, `turn-limit` | noise, and a movement with weight |
//! | `directions`, `facing` | a stick that is read as a few directions |

use crate::base::{Keyword, ShapeId};
use crate::device::ControlKind;
use crate::spec::Rig;
use alloc::{string::String, vec::Vec};
use core::fmt;
use strum::{IntoStaticStr, VariantArray};

/// How the value of a stick, an axis or a trigger is shaped.
///
/// ```
/// use gtrig_core::{ControlKind, Shape, Travel};
///
/// // A lever that says 0 to 1023 and really goes from 90 over 500 to 980.
/// let worn = Travel { min: 90, centre: 500, max: 980 };
/// let shape = Shape { travel: [Some(worn), None], stages: vec![] };
/// let says = ControlKind::Axis { min: 0, centre: 512, max: 1023 };
/// assert_eq!(shape.own_scale([says, says], [980, 512]), [1.0, 0.0]);
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Shape {
    /// Where the travel of x and of y really begins, rests and ends; without it
    /// the device is believed.
    pub travel: [Option<Travel>; 2],
    /// The stages, in the order in which they are applied.
    pub stages: Vec<Stage>,
}

/// A shape that several inputs can share.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub struct NamedShape {
    /// Its name.
    pub name: String,
    /// What it does.
    pub shape: Shape,
}

/// The calibrated travel of one axis, in device units; each side has its own
/// scale. `min < centre < max`, but for a trigger `min = centre`.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Travel {
    /// Reads as -1.
    pub min: i32,
    /// Reads as 0.
    pub centre: i32,
    /// Reads as +1.
    pub max: i32,
}

impl Travel {
    /// What a control of a kind is that really reads so; of a trigger only
    /// the ends count.
    pub const fn of(self, kind: ControlKind) -> ControlKind {
        let Travel { min, centre, max } = self;
        match kind {
            ControlKind::Trigger { .. } => ControlKind::Trigger { min, max },
            _ => ControlKind::Axis { min, centre, max },
        }
    }
}

/// The shape of an input.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub enum ShapeUse {
    /// One of the rig's.
    Named(ShapeId),
    /// Its own.
    Own(Shape),
}

impl ShapeUse {
    /// The shape that is meant.
    pub fn of<'r>(&'r self, rig: &'r Rig) -> &'r Shape {
        match self {
            ShapeUse::Named(at) => &rig.shapes[at.index()].shape,
            ShapeUse::Own(shape) => shape,
        }
    }
}

/// One stage of shaping.
///
/// Values are vectors: the two axes of a stick with y up, or one axis with
/// y = 0. Every stage maps finite values to finite values.
///
/// ```
/// use gtrig_core::{DeadZone, Smooth, Stage};
///
/// let zone = Stage::DeadZone(DeadZone { outer: 0.96, ..DeadZone::radius(0.12) });
/// assert_eq!(zone.to_string(), "dead-zone radius, 0.12 to 0.96");
/// assert!(!zone.has_memory() && Stage::Smooth(Smooth::HalfLife(0.02)).has_memory());
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub enum Stage {
    /// Turns signs: a stick that reports up as minus needs it on y.
    Invert {
        /// On x.
        x: bool,
        /// On y.
        y: bool,
    },
    /// Exchanges the axes.
    Swap,
    /// Adds to each axis.
    Offset([f32; 2]),
    /// Multiplies each axis.
    Scale([f32; 2]),
    /// Sees to the corners.
    Gate(StickGate),
    /// Takes out rest, and the rim.
    DeadZone(DeadZone),
    /// Bends the response.
    Curve {
        /// How.
        curve: Curve,
        /// Whether each axis is bent by itself, instead of the length.
        on_axes: bool,
    },
    /// Multiplies; what was within the unit circle stays in it.
    Sensitivity(f32),
    /// Calms the hand.
    Smooth(Smooth),
    /// Turns by at most so many degrees a second.
    TurnLimit(f32),
    /// Snaps to four or eight directions.
    Directions {
        /// Four or eight.
        ways: u8,
        /// Degrees beyond its sector for which a direction is kept.
        hysteresis: f32,
    },
    /// Keeps the side of x last pushed to, from this deflection on.
    Facing(f32),
}

impl Stage {
    /// Its name on screen and in reports.
    pub const fn name(&self) -> &'static str {
        match self {
            Stage::Invert { .. } => "invert",
            Stage::Swap => "swap",
            Stage::Offset(_) => "offset",
            Stage::Scale(_) => "scale",
            Stage::Gate(_) => "gate",
            Stage::DeadZone(_) => "dead-zone",
            Stage::Curve { .. } => "curve",
            Stage::Sensitivity(_) => "sensitivity",
            Stage::Smooth(_) => "smooth",
            Stage::TurnLimit(_) => "turn-limit",
            Stage::Directions { .. } => "directions",
            Stage::Facing(_) => "facing",
        }
    }

    /// Whether it remembers.
    pub const fn has_memory(&self) -> bool {
        matches!(
            self,
            Stage::Smooth(_) | Stage::TurnLimit(_) | Stage::Directions { .. } | Stage::Facing(_)
        )
    }
}

/// Its name and its numbers, as in `dead-zone radius, 0.12 to 0.96`.
impl fmt::Display for Stage {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())?;
        match self {
            Stage::Swap => Ok(()),
            Stage::Invert { x, y } => {
                let axes = [(x, " x"), (y, " y")].into_iter().filter(|(is_so, _)| **is_so);
                axes.map(|(_, axis)| axis).try_for_each(|axis| f.write_str(axis))
            }
            Stage::Offset([x, y]) => write!(f, " by {x}, {y}"),
            Stage::Scale([x, y]) => write!(f, " by {x}, {y}"),
            Stage::Gate(gate) => write!(f, " {}", gate.word()),
            Stage::DeadZone(zone) => {
                write!(f, " {}, {} to {}", zone.kind.word(), zone.inner, zone.outer)?;
                if zone.kind == DeadZoneKind::Sloped {
                    write!(f, ", slope {}", zone.slope)?;
                }
                Ok(())
            }
            Stage::Curve { curve, on_axes } => {
                match curve {
                    Curve::Linear => f.write_str(" linear")?,
                    Curve::Power(n) => write!(f, " power {n}")?,
                    Curve::Blend(n) => write!(f, " blend {n}")?,
                    Curve::S(n) => write!(f, " s {n}")?,
                    Curve::Points(points) => {
                        write!(f, " through {} points", points.inner().count())?;
                    }
                }
                f.write_str(if *on_axes { ", on each axis" } else { "" })
            }
            Stage::Sensitivity(by) => write!(f, " {by}"),
            Stage::Smooth(Smooth::HalfLife(s)) => write!(f, ", half-life {:.1} ms", s * 1000.0),
            Stage::Smooth(Smooth::Adaptive { steady_hz, follow }) => {
                write!(f, ", {steady_hz} Hz at rest, follow {follow}")
            }
            Stage::TurnLimit(limit) => write!(f, " {limit} degrees a second"),
            Stage::Directions { ways, hysteresis } => {
                write!(f, " {ways}, hysteresis {hysteresis} degrees")
            }
            Stage::Facing(from) => write!(f, " from {from}"),
        }
    }
}

/// Which part of a deflection counts as rest, and which as full.
///
/// All of it in full travel: 0 is rest and 1 the rim.
///
/// ```
/// use gtrig_core::DeadZone;
///
/// let zone = DeadZone { outer: 0.9, ..DeadZone::radius(0.1) };
/// assert_eq!(zone.apply([0.05, 0.05]), [0.0, 0.0]);
/// // Half-way between the two borders is half.
/// assert!((zone.apply([0.5, 0.0])[0] - 0.5).abs() < 1e-6);
/// assert_eq!(zone.apply([0.95, 0.0]), [1.0, 0.0]);
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
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

impl DeadZone {
    /// A zone around rest, stretched, with nothing taken off at the rim.
    pub const fn radius(inner: f32) -> Self {
        DeadZone { kind: DeadZoneKind::Radius, inner, outer: 1.0, slope: 0.0 }
    }
}

/// What a dead zone is measured on.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
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

/// What is done about the corners of a stick's range.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq, Eq, VariantArray, IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum StickGate {
    /// A vector longer than 1 is divided by its length; shorter ones keep
    /// their analogue precision.
    Circle,
    /// The square in which some sticks travel is mapped onto the circle:
    /// `x sqrt(1 - y^2 / 2)` and the like (the elliptical grid mapping; Fong,
    /// "Analytical Methods for Squaring the Disc", 2015).
    Square,
}

/// A response curve.
///
/// ```
/// use gtrig_core::Curve;
///
/// let fine = Curve::Power(2.0);
/// assert_eq!((fine.at(0.0), fine.at(0.5), fine.at(1.0)), (0.0, 0.25, 1.0));
/// // A blend is never dead around rest.
/// assert_eq!(Curve::Blend(1.0).at(0.5), 0.125);
/// assert_eq!(Curve::Blend(0.0).at(0.5), 0.5);
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub enum Curve {
    /// The identity.
    Linear,
    /// `m^exponent`: above 1 finer around rest.
    Power(f32),
    /// `(1 - b) m + b m^3`: finer around rest, but never dead there.
    Blend(f32),
    /// `m^k / (m^k + (1 - m)^k)`: fine around rest and around the end.
    S(f32),
    /// A monotone curve through points.
    Points(CurvePoints),
}

/// A monotone cubic through points: Fritsch and Carlson, "Monotone Piecewise
/// Cubic Interpolation", SIAM J. Numerical Analysis 17(2), 1980.
///
/// Invariant: x strictly rises from 0 to 1, y never falls from 0 to 1.
///
/// ```
/// use gtrig_core::{Curve, CurvePoints, CurvePointsError};
///
/// let points = CurvePoints::new(&[[0.25, 0.1], [0.75, 0.9]])?;
/// assert_eq!(Curve::Points(points).at(0.25), 0.1);
/// assert_eq!(CurvePoints::new(&[[0.5, 0.6], [0.7, 0.2]]), Err(CurvePointsError::Falls(1)));
/// # Ok::<(), CurvePointsError>(())
/// ```
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Debug, PartialEq)]
pub struct CurvePoints {
    /// Where the points are, rising, from 0 to 1.
    pub(crate) x: Vec<f32>,
    /// What the curve is there, never falling.
    pub(crate) y: Vec<f32>,
    /// How steep it is there.
    pub(crate) slope: Vec<f32>,
}

/// Why points make no curve.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum CurvePointsError {
    /// The point with this number, from 0, lies outside 0 to 1, ends included
    /// for y only.
    Outside(usize),
    /// Its x is not above that of the point before.
    Back(usize),
    /// Its y is below that of the point before.
    Falls(usize),
}

impl CurvePoints {
    /// A curve through `inner` points between (0, 0) and (1, 1).
    ///
    /// # Errors
    /// When the points go back, fall, or lie outside.
    pub fn new(inner: &[[f32; 2]]) -> Result<Self, CurvePointsError> {
        let mut before = [0.0, 0.0];
        for (n, &[x, y]) in inner.iter().enumerate() {
            if !(x > 0.0 && x < 1.0 && (0.0..=1.0).contains(&y)) {
                return Err(CurvePointsError::Outside(n));
            }
            if x <= before[0] {
                return Err(CurvePointsError::Back(n));
            }
            if y < before[1] {
                return Err(CurvePointsError::Falls(n));
            }
            before = [x, y];
        }
        let all = [[0.0, 0.0]].into_iter().chain(inner.iter().copied()).chain([[1.0, 1.0]]);
        let (x, y): (Vec<f32>, Vec<f32>) = all.map(|[x, y]| (x, y)).unzip();
        let slope = tangents(&x, &y);
        Ok(CurvePoints { x, y, slope })
    }

    /// The points a person gave, without the ends.
    pub fn inner(&self) -> impl Iterator<Item = [f32; 2]> + '_ {
        let all = self.x.iter().zip(&self.y).map(|(&x, &y)| [x, y]);
        all.skip(1).take(self.x.len() - 2)
    }
}

/// How steep a monotone cubic is at its points, after F. N. Fritsch and R. E. Carlson, "Monotone
/// piecewise cubic interpolation", 1980.
fn tangents(x: &[f32], y: &[f32]) -> Vec<f32> {
    let secants: Vec<f32> =
        x.windows(2).zip(y.windows(2)).map(|(x, y)| (y[1] - y[0]) / (x[1] - x[0])).collect();
    let mut slope: Vec<f32> = Vec::with_capacity(x.len());
    slope.push(secants[0]);
    slope.extend(secants.windows(2).map(|pair| (pair[0] + pair[1]) / 2.0));
    slope.push(secants[secants.len() - 1]);
    for (at, &secant) in secants.iter().enumerate() {
        if secant == 0.0 {
            (slope[at], slope[at + 1]) = (0.0, 0.0);
            continue;
        }
        // Within the circle of radius 3 the cubic is monotone.
        let (a, b) = (slope[at] / secant, slope[at + 1] / secant);
        let size = a * a + b * b;
        if size > 9.0 {
            let scale = 3.0 / libm::sqrtf(size);
            (slope[at], slope[at + 1]) = (scale * a * secant, scale * b * secant);
        }
    }
    slope
}

/// How a value is smoothed.
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Smooth {
    /// Exponentially: after so many seconds half of a step is made up.
    HalfLife(f32),
    /// By a low-pass whose cut-off rises with the speed, so that a resting hand
    /// is calm and a fast one is not delayed: the 1 EUR filter (Casiez, Roussel
    /// and Vogel, "1 EUR Filter: A Simple Speed-based Low-pass Filter for Noisy
    /// Input in Interactive Systems", CHI 2012), with its derivative cut-off of
    /// 1 Hz.
    Adaptive {
        /// The cut-off at rest, in hertz.
        steady_hz: f32,
        /// By how much the cut-off rises with the speed: hertz per unit a second.
        follow: f32,
    },
}
