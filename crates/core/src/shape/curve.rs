//! Response curves: how much of the output a share of the travel is.
//!
//! Every curve maps 0 to 0 and 1 to 1, and never goes down. Beyond 1 it goes
//! on as the identity.

use super::{at_most, length};
use alloc::vec::Vec;

/// A response curve.
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

impl Curve {
    /// The output for a share of the travel of 0 or more.
    #[inline]
    pub fn at(&self, m: f32) -> f32 {
        if m >= 1.0 {
            return m;
        }
        let out = match self {
            Curve::Linear => m,
            Curve::Blend(b) => (1.0 - b) * m + b * m * m * m,
            costly => costly.worked_out(m),
        };
        at_most(out, 1.0)
    }

    /// Apart from the cheap ones, so that a run over those stays small.
    #[inline(never)]
    fn worked_out(&self, m: f32) -> f32 {
        match self {
            Curve::Linear | Curve::Blend(_) => m,
            Curve::Power(exponent) => libm::powf(m, *exponent),
            Curve::S(k) => {
                let (up, down) = (libm::powf(m, *k), libm::powf(1.0 - m, *k));
                up / (up + down)
            }
            Curve::Points(points) => points.at(m),
        }
    }

    /// Applied to the length of a vector, whose direction it keeps.
    pub fn on_length(&self, [x, y]: [f32; 2]) -> [f32; 2] {
        let r = length([x, y]);
        super::with_length([x, y], r, self.at(r))
    }

    /// Applied to each axis by itself.
    pub fn on_axes(&self, v: [f32; 2]) -> [f32; 2] {
        v.map(|v| self.at(v.abs()).copysign(v))
    }
}

/// A monotone cubic through points: Fritsch and Carlson, "Monotone Piecewise
/// Cubic Interpolation", SIAM J. Numerical Analysis 17(2), 1980.
///
/// Invariant: x strictly rises from 0 to 1, y never falls from 0 to 1.
#[derive(Clone, Debug, PartialEq)]
pub struct CurvePoints {
    x: Vec<f32>,
    y: Vec<f32>,
    slope: Vec<f32>,
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

    fn at(&self, m: f32) -> f32 {
        debug_assert!(m >= 0.0);
        let after = self.x.partition_point(|&x| x <= m).clamp(1, self.x.len() - 1);
        let at = after - 1;
        let width = self.x[after] - self.x[at];
        let t = (m - self.x[at]) / width;
        let (t2, t3) = (t * t, t * t * t);
        // The cubic Hermite basis.
        self.y[at] * (2.0 * t3 - 3.0 * t2 + 1.0)
            + self.slope[at] * width * (t3 - 2.0 * t2 + t)
            + self.y[after] * (3.0 * t2 - 2.0 * t3)
            + self.slope[after] * width * (t3 - t2)
    }
}

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
