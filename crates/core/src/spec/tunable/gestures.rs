//! The limits and scales of gestures.
//!
//! The defaults are those of a hand on a panel of a usual size: 160 mm wide, with ten pixels to a
//! millimetre. A key ends with its unit; the same limit has a key for each of the units that its
//! gesture may be measured in (`move-mm`, `move-px`, `move-share`), and a rig states one of them.

use super::Tunable;

/// `lift-ms`.
///
/// The most of [`Quantity::Lift`](crate::Quantity::Lift): a finger that stays longer did not tap,
/// and whoever waits for the tap goes on.
pub const LIFT_MS: Tunable = Tunable::new(
    "lift-ms",
    "ms",
    (10.0, 2000.0),
    (5.0, 250.0),
    "A tap: the longest time from landing to lifting.",
);

/// `hold-ms`.
///
/// The least of [`Quantity::Hold`](crate::Quantity::Hold): the press fires at the first tick that
/// is not before it.
pub const HOLD_MS: Tunable = Tunable::new(
    "hold-ms",
    "ms",
    (50.0, 5000.0),
    (10.0, 500.0),
    "A long press: the time that the finger must stay.",
);

/// `move-mm`.
///
/// The most of [`Quantity::Move`](crate::Quantity::Move): larger forgives a thumb that rolls,
/// smaller tells a tap from a drag sooner.
pub const MOVE_MM: Tunable = Tunable::new(
    "move-mm",
    "mm",
    (0.1, 50.0),
    (0.1, 3.0),
    "A tap or a long press: how far the finger may get from where it landed.",
);

/// `gap-ms`.
///
/// The most of [`Quantity::Gap`](crate::Quantity::Gap). It is also for how long a single tap that
/// waits for a double one is late.
pub const GAP_MS: Tunable = Tunable::new(
    "gap-ms",
    "ms",
    (10.0, 2000.0),
    (5.0, 250.0),
    "Several taps: the longest time from lifting to the next landing.",
);

/// `spread-mm`.
///
/// The most of [`Quantity::Spread`](crate::Quantity::Spread), between the landings of first
/// fingers.
pub const SPREAD_MM: Tunable = Tunable::new(
    "spread-mm",
    "mm",
    (0.5, 200.0),
    (0.5, 10.0),
    "Several taps: how far a tap may land from the one before.",
);

/// `together-ms`.
///
/// The most of [`Quantity::Together`](crate::Quantity::Together).
pub const TOGETHER_MS: Tunable = Tunable::new(
    "together-ms",
    "ms",
    (1.0, 1000.0),
    (5.0, 120.0),
    "Several fingers: the longest time from the first landing to the last.",
);

/// `length-mm`.
///
/// The least of [`Quantity::Length`](crate::Quantity::Length).
pub const LENGTH_MM: Tunable = Tunable::new(
    "length-mm",
    "mm",
    (0.5, 500.0),
    (0.5, 15.0),
    "A swipe or a sign: how far from its start it must get; of a sign, how long its path must be.",
);

/// `time-ms`.
///
/// The most of [`Quantity::Time`](crate::Quantity::Time).
pub const TIME_MS: Tunable = Tunable::new(
    "time-ms",
    "ms",
    (20.0, 5000.0),
    (10.0, 500.0),
    "A swipe: the longest time from landing on.",
);

/// `speed-mm-s`.
///
/// The least of [`Quantity::Speed`](crate::Quantity::Speed); asked only where the rig says it.
pub const SPEED_MM_S: Tunable = Tunable::new(
    "speed-mm-s",
    "mm/s",
    (1.0, 5000.0),
    (5.0, 60.0),
    "A swipe: the least mean speed, its length over its time.",
);

/// `release-mm-s`.
///
/// The least of [`Quantity::Release`](crate::Quantity::Release).
pub const RELEASE_MM_S: Tunable = Tunable::new(
    "release-mm-s",
    "mm/s",
    (1.0, 5000.0),
    (5.0, 120.0),
    "A flick: the least speed at which the finger is lifted.",
);

/// `reach-mm-s`.
///
/// The scale of what a flick gives; see [`Quantity::ReachSpeed`](crate::Quantity::ReachSpeed).
pub const REACH_MM_S: Tunable = Tunable::new(
    "reach-mm-s",
    "mm/s",
    (1.0, 10_000.0),
    (10.0, 600.0),
    "A flick: the speed that gives 1.",
);

/// `outside-mm`.
///
/// The most of [`Quantity::Outside`](crate::Quantity::Outside): 0 asks for the zone itself.
pub const OUTSIDE_MM: Tunable = Tunable::new(
    "outside-mm",
    "mm",
    (0.0, 50.0),
    (0.5, 0.0),
    "A click: how far outside of its zone the finger may be lifted.",
);

/// `off-axis-deg`.
///
/// The most of [`Quantity::OffAxisDeg`](crate::Quantity::OffAxisDeg). With four directions, 45
/// leaves no gap between them; with eight, 22.5.
pub const OFF_AXIS_DEG: Tunable = Tunable::new(
    "off-axis-deg",
    "degrees",
    (0.5, 90.0),
    (0.5, 30.0),
    "A swipe: the angle by which it may leave its direction.",
);

/// `off-axis-mm`.
///
/// The most of [`Quantity::OffAxisMm`](crate::Quantity::OffAxisMm); asked only where the rig says
/// it.
pub const OFF_AXIS_MM: Tunable = Tunable::new(
    "off-axis-mm",
    "mm",
    (0.1, 200.0),
    (0.1, 8.0),
    "A swipe: the distance by which its end may lie beside its direction.",
);

/// `straight`.
///
/// The least of [`Quantity::Straight`](crate::Quantity::Straight); asked only where the rig says
/// it.
pub const STRAIGHT: Tunable = Tunable::new(
    "straight",
    "of the path",
    (0.05, 1.0),
    (0.01, 0.85),
    "A swipe: its length as a share of the path of the finger, 1 for a straight line.",
);

/// `edge-mm`.
///
/// The most of [`Quantity::Edge`](crate::Quantity::Edge).
pub const EDGE_MM: Tunable = Tunable::new(
    "edge-mm",
    "mm",
    (0.5, 100.0),
    (0.5, 6.0),
    "A swipe from an edge: how far from that edge it may begin.",
);

/// `slop-mm`.
///
/// The least of [`Quantity::Slop`](crate::Quantity::Slop); 0 begins at the first movement.
pub const SLOP_MM: Tunable = Tunable::new(
    "slop-mm",
    "mm",
    (0.0, 50.0),
    (0.1, 2.0),
    "A drag or a pinch: how far the finger must get, or how much the distance of the two must change, to begin it.",
);

/// `slop-deg`.
///
/// The least of [`Quantity::SlopDeg`](crate::Quantity::SlopDeg), in either direction.
pub const SLOP_DEG: Tunable = Tunable::new(
    "slop-deg",
    "degrees",
    (0.0, 90.0),
    (0.5, 6.0),
    "Rotating: how far the line through two fingers must turn to begin it.",
);

/// `catch-mm`.
///
/// The most of [`Quantity::Catch`](crate::Quantity::Catch).
pub const CATCH_MM: Tunable = Tunable::new(
    "catch-mm",
    "mm",
    (0.5, 200.0),
    (0.5, 15.0),
    "A fixed on-screen stick: how far from its centre a finger may land.",
);

/// `at`.
///
/// Two numbers; see [`StickCentre::Fixed`](crate::StickCentre::Fixed).
pub const AT: Tunable = Tunable::new(
    "at",
    "of the surface",
    (0.0, 1.0),
    (0.01, 0.5),
    "A fixed stick: its centre, x and y.",
);

/// `origin`.
///
/// Two numbers, where no controls say it; see [`GestureKind::Aim`](crate::GestureKind::Aim).
pub const ORIGIN: Tunable = Tunable::new(
    "origin",
    "of the surface",
    (0.0, 1.0),
    (0.01, 0.5),
    "Aiming: where a direction begins, x and y.",
);

/// `dead-mm`.
///
/// The least of [`Quantity::Dead`](crate::Quantity::Dead): close to the origin a trembling finger
/// would point everywhere.
pub const DEAD_MM: Tunable = Tunable::new(
    "dead-mm",
    "mm",
    (0.0, 50.0),
    (0.1, 2.0),
    "Aiming: how far from the origin the finger must be to give a direction.",
);

/// `differs-deg`.
///
/// The most of [`Quantity::Differs`](crate::Quantity::Differs).
pub const DIFFERS_DEG: Tunable = Tunable::new(
    "differs-deg",
    "degrees",
    (1.0, 90.0),
    (0.5, 25.0),
    "A sign: how much it may differ from the nearest example, as an angle.",
);

/// `lead-deg`.
///
/// The least of [`Quantity::Lead`](crate::Quantity::Lead): between two signs that are much alike
/// nothing fires.
pub const LEAD_DEG: Tunable = Tunable::new(
    "lead-deg",
    "degrees",
    (0.0, 90.0),
    (0.5, 3.0),
    "A sign: by how much every other sign must differ more.",
);

/// `ring-mm`.
///
/// The scale of what a stick gives; see [`Quantity::Ring`](crate::Quantity::Ring).
pub const RING_MM: Tunable = Tunable::new(
    "ring-mm",
    "mm",
    (1.0, 200.0),
    (0.5, 12.0),
    "An on-screen stick: from its centre to full deflection.",
);

/// `reach-mm`.
///
/// The scale of what a drag gives, and an aim that has one.
pub const REACH_MM: Tunable =
    Tunable::new("reach-mm", "mm", (1.0, 500.0), (1.0, 20.0), "A drag: the distance that gives 1.");

/// `reach-times`.
///
/// The scale of what a pinch gives, on a logarithmic scale: its square root gives one half.
pub const REACH_TIMES: Tunable = Tunable::new(
    "reach-times",
    "times",
    (1.1, 10.0),
    (0.1, 2.0),
    "A pinch: how many times as far apart gives 1.",
);

/// `reach-deg`.
///
/// The scale of what a rotation gives.
pub const REACH_DEG: Tunable = Tunable::new(
    "reach-deg",
    "degrees",
    (5.0, 360.0),
    (5.0, 90.0),
    "Rotating: the angle that gives 1.",
);

/// The lengths and speeds of gestures in every unit they may be said in, in the
/// order of [`LengthUnit`](crate::LengthUnit).
static IN_UNITS: [[Tunable; 3]; 14] = [
    length(MOVE_MM, "move-px", "move-share"),
    length(SPREAD_MM, "spread-px", "spread-share"),
    length(LENGTH_MM, "length-px", "length-share"),
    length(OFF_AXIS_MM, "off-axis-px", "off-axis-share"),
    length(EDGE_MM, "edge-px", "edge-share"),
    length(SLOP_MM, "slop-px", "slop-share"),
    length(CATCH_MM, "catch-px", "catch-share"),
    length(DEAD_MM, "dead-px", "dead-share"),
    length(OUTSIDE_MM, "outside-px", "outside-share"),
    length(RING_MM, "ring-px", "ring-share"),
    length(REACH_MM, "reach-px", "reach-share"),
    speed(SPEED_MM_S, "speed-px-s", "speed-share-s"),
    speed(RELEASE_MM_S, "release-px-s", "release-share-s"),
    speed(REACH_MM_S, "reach-px-s", "reach-share-s"),
];

/// So many pixels count as a millimetre where no panel is known, as on a hand-held
/// one.
const PX_PER_MM: f64 = 10.0;

/// And so many millimetres as the width of the panel.
const MM_PER_WIDTH: f64 = 160.0;

/// A length in each of the units that it may be measured in, by a panel of a usual size.
const fn length(mm: Tunable, px: &'static str, share: &'static str) -> [Tunable; 3] {
    [mm, mm.times(px, "px", PX_PER_MM), mm.times(share, "widths", 1.0 / MM_PER_WIDTH)]
}

/// A speed in each of these.
const fn speed(mm: Tunable, px: &'static str, share: &'static str) -> [Tunable; 3] {
    [mm, mm.times(px, "px/s", PX_PER_MM), mm.times(share, "widths/s", 1.0 / MM_PER_WIDTH)]
}

/// The same number in another unit; the n-th of those of a gesture's lengths.
pub(crate) fn in_unit(tunable: &'static Tunable, unit: usize) -> &'static Tunable {
    let row = IN_UNITS.iter().find(|row| row[0].name == tunable.name);
    row.map_or(tunable, |row| &row[unit])
}
