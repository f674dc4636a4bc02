//! A raw value by the calibration of a shape.

use crate::device::{ControlKind, normalise};
use crate::spec::Shape;

impl Shape {
    /// A raw value of each axis on its own scale: by the calibrated travel, or
    /// else by what the device says.
    ///
    /// `kinds` are what the device says of x and y; of a single axis give its own twice, and leave the
    /// second out.
    pub fn own_scale(&self, kinds: [ControlKind; 2], raw: [i32; 2]) -> [f32; 2] {
        [0, 1].map(|axis| {
            let kind = self.travel[axis].map_or(kinds[axis], |travel| travel.of(kinds[axis]));
            normalise(kind, raw[axis])
        })
    }
}
