//! A circle on a canvas.

use ratatui::{
    style::Color,
    widgets::canvas::{Painter, Shape},
};
use std::{array, sync::LazyLock};

/// The same as the circle of the library, dot for dot. A frame has many of them, and here the
/// sines of a whole turn are worked out once.
pub(in crate::screen) struct Ring {
    /// Where its centre is.
    pub(in crate::screen) x: f64,
    /// The same from top to bottom.
    pub(in crate::screen) y: f64,
    /// In the unit of the canvas.
    pub(in crate::screen) radius: f64,
    pub(in crate::screen) color: Color,
}

/// The cosine and the sine of each degree.
static TURN: LazyLock<[(f64, f64); 360]> = LazyLock::new(|| {
    array::from_fn(|degrees| {
        let angle = (degrees as f64).to_radians();
        (angle.cos(), angle.sin())
    })
});

impl Shape for Ring {
    fn draw(&self, painter: &mut Painter) {
        for (cos, sin) in TURN.iter() {
            let place = (self.radius.mul_add(*cos, self.x), self.radius.mul_add(*sin, self.y));
            if let Some((x, y)) = painter.get_point(place.0, place.1) {
                painter.paint(x, y, self.color);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use ratatui::{
        buffer::Buffer,
        layout::Rect,
        symbols::Marker,
        widgets::{
            Widget,
            canvas::{Canvas, Circle},
        },
    };

    fn drawn(shape: &impl Shape, (width, height): (u16, u16)) -> Buffer {
        let mut buffer = Buffer::empty(Rect::new(0, 0, width, height));
        Canvas::default()
            .marker(Marker::Braille)
            .x_bounds([-1.2, 1.2])
            .y_bounds([-1.2, 1.2])
            .paint(|context| context.draw(shape))
            .render(buffer.area, &mut buffer);
        buffer
    }

    proptest! {
        #[test]
        fn it_is_the_circle_of_the_library(
            x in -1.5..1.5f64, y in -1.5..1.5f64, radius in 0.0..2.0f64,
            size in (1u16..60, 1u16..40),
        ) {
            let color = Color::Green;
            let circle = drawn(&Circle { x, y, radius, color }, size);
            prop_assert_eq!(drawn(&Ring { x, y, radius, color }, size), circle);
        }
    }
}
