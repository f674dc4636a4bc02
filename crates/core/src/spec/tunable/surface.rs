//! Zones, and how the view lies on a panel.
//!
//! A zone has one number for each part of its outline, all with one range; a zone in shares is
//! held on the panel, one in other units is not.

use super::Tunable;

/// A rectangle on a touch surface.
///
/// One number for each of the four; see [`Outline::Rect`](crate::Outline::Rect).
pub const RECT: Tunable = Tunable::new(
    "rect",
    "of the surface",
    (0.0, 1.0),
    (0.01, 0.5),
    "Left, top, width and height of a zone.",
);

/// A circle on a touch surface.
///
/// One number for each of the three; see [`Outline::Circle`](crate::Outline::Circle).
pub const CIRCLE: Tunable = Tunable::new(
    "circle",
    "of the surface",
    (0.0, 1.0),
    (0.01, 0.5),
    "Centre of a zone, and its radius as a share of the width.",
);

/// `rect`, in units that are no shares.
pub const RECT_UNITS: Tunable = Tunable::new(
    "rect",
    "units",
    (-100_000.0, 100_000.0),
    (1.0, 100.0),
    "The same of a zone measured in mm, px, view or world.",
);

/// `circle`, in units that are no shares.
pub const CIRCLE_UNITS: Tunable = Tunable::new(
    "circle",
    "units",
    (-100_000.0, 100_000.0),
    (1.0, 100.0),
    "The same of a zone measured in mm, px, view or world.",
);

/// A corner of a polygon on a touch surface.
///
/// See [`Outline::Polygon`](crate::Outline::Polygon).
pub const POLYGON: Tunable = Tunable::new(
    "polygon",
    "of the surface",
    (0.0, 1.0),
    (0.01, 0.5),
    "The corners of a zone, x and y of each.",
);

/// `polygon`, in units that are no shares.
pub const POLYGON_UNITS: Tunable = Tunable::new(
    "polygon",
    "units",
    (-100_000.0, 100_000.0),
    (1.0, 100.0),
    "The same of a zone measured in mm, px, view or world.",
);

/// `camera`.
///
/// [`Camera::at`](crate::Camera), x and y.
pub const CAMERA: Tunable = Tunable::new(
    "camera",
    "units",
    (-1_000_000.0, 1_000_000.0),
    (10.0, 0.0),
    "The place of the world in the middle of the view.",
);

/// `zoom`.
///
/// [`Camera::zoom`](crate::Camera).
pub const ZOOM: Tunable = Tunable::new(
    "zoom",
    "px a unit",
    (0.01, 1000.0),
    (0.1, 1.0),
    "Pixels of the view to a unit of the world.",
);
