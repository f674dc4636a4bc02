//! Response curves: how much of the output a share of the travel is.
//!
//! Every curve maps 0 to 0 and 1 to 1, and never goes down. Beyond 1 it goes
//! on as the identity.
//!
//! | curve | formula | slope at 0 | slope at 1 |
//! |---|---|---|---|
//! | linear | `m` | 1 | 1 |
//! | power | `m^n` | 0 for n above 1 | n |
//! | blend | `(1 - b) m + b m^3` | 1 - b | 1 + 2b |
//! | s | `m^k / (m^k + (1 - m)^k)` | 0 for k above 1 | 0 for k above 1 |
//! | points | monotone cubic through them | by the points | by the points |

use crate::base::{at_most, length, with_length};
use crate::spec::{Curve, CurvePoints};

impl Curve {
    /// The output for a share of the travel of 0 or more.
    #[inline]
    pub fn at(&self, m: f32) -> f32 {
        if m >= 1.0 {
            return m;
        }
        let out = match self {
            Curve::Linear => m,
            Curve::Blend(bend) => blend(1.0 - bend, *bend, m),
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
        with_length([x, y], r, self.at(r))
    }

    /// Applied to each axis by itself.
    pub fn on_axes(&self, v: [f32; 2]) -> [f32; 2] {
        v.map(|v| self.at(v.abs()).copysign(v))
    }
}

/// So much of a line and so much of a cubic.
#[inline]
pub(super) fn blend(line: f32, bend: f32, m: f32) -> f32 {
    line * m + bend * m * m * m
}

impl CurvePoints {
    /// The curve at a deflection from 0 on, between the two points around it.
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
