//! A raw value by the calibration of a shape.

use crate::device::{ControlKind, normalise};
use crate::spec::{Shape, Travel};

impl Shape {
    /// A raw value of each axis on its own scale: by the calibrated travel, or
    /// else by what the device says.
    pub fn own_scale(&self, kinds: [ControlKind; 2], raw: [i32; 2]) -> [f32; 2] {
        [0, 1].map(|axis| {
            let kind = match self.travel[axis] {
                None => kinds[axis],
                Some(Travel { min, centre, max }) => match kinds[axis] {
                    ControlKind::Trigger { .. } => ControlKind::Trigger { min, max },
                    _ => ControlKind::Axis { min, centre, max },
                },
            };
            normalise(kind, raw[axis])
        })
    }
}
