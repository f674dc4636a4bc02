//! The crane of the yard.

use super::Tunable;

/// The full speed of a part of the yard's crane.
///
/// [`Drive::speed`](crate::Drive).
pub const SPEED: Tunable = Tunable::new(
    "speed",
    "units/s",
    (0.1, 720.0),
    (0.5, 10.0),
    "Full speed of a part of the crane, in degrees or metres a second.",
);

/// How fast a part of the crane gets faster.
///
/// [`Drive::acceleration`](crate::Drive).
pub const ACCELERATION: Tunable = Tunable::new(
    "acceleration",
    "units/s²",
    (0.1, 10_000.0),
    (0.5, 10.0),
    "What its speed gains in a second.",
);

/// How fast a part of the crane gets slower.
///
/// [`Drive::braking`](crate::Drive).
pub const BRAKING: Tunable = Tunable::new(
    "braking",
    "units/s²",
    (0.1, 10_000.0),
    (0.5, 20.0),
    "What its speed loses in a second.",
);
