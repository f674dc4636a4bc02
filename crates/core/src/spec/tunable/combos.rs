//! The times of combos.
//!
//! Each can be said in milliseconds or in ticks (`within 250 ms`, `within 15 ticks`), and has a
//! tunable for either: a nudge moves what is written.

use super::Tunable;

/// A time in the steps of a combo, in milliseconds.
const fn span(name: &'static str, min: f64, default: f64, meaning: &'static str) -> Tunable {
    Tunable { name, unit: "ms", min, max: 60_000.0, step: 5.0, default, meaning }
}

/// The same in ticks.
const fn ticks(of: &Tunable) -> Tunable {
    Tunable { unit: "ticks", max: 10_000.0, step: 1.0, min: 1.0, default: 1.0, ..*of }
}

/// The earliest moment of a step of a combo.
///
/// [`ComboStep::after`](crate::ComboStep).
pub const AFTER: Tunable =
    span("after", 0.0, 0.0, "The earliest moment of a step after the one before it.");

/// The latest moment of a step of a combo.
///
/// [`ComboStep::within`](crate::ComboStep).
pub const WITHIN: Tunable =
    span("within", 1.0, 500.0, "The latest moment of a step after the one before it.");

/// How early a press may come.
///
/// [`ComboStep::buffer`](crate::ComboStep).
pub const BUFFERED: Tunable = span(
    "buffered",
    0.0,
    0.0,
    "How much earlier than its earliest moment a press may come, to count when that comes.",
);

/// How long a hold or a quiet lasts.
///
/// The span of [`StepKind::Hold`](crate::StepKind::Hold) and
/// [`StepKind::Quiet`](crate::StepKind::Quiet).
pub const FOR: Tunable =
    span("for", 1.0, 400.0, "How long something is held at least, or nothing is pressed.");

/// How long a chord or a tap takes.
///
/// The spread of [`StepKind::Together`](crate::StepKind::Together); of a tap the window of its
/// release.
pub const IN: Tunable = span(
    "in",
    1.0,
    50.0,
    "From the first press of a chord to the last, or from the press of a tap to its release, at most.",
);

/// From the first step of a combo to the last.
///
/// [`Combo::all`](crate::Combo).
pub const ALL_WITHIN: Tunable =
    span("all-within", 1.0, 1000.0, "From the first step of a combo to the last, at most.");

/// [`AFTER`] in ticks.
pub const AFTER_TICKS: Tunable = ticks(&AFTER);

/// [`WITHIN`] in ticks.
pub const WITHIN_TICKS: Tunable = ticks(&WITHIN);

/// [`FOR`] in ticks.
pub const FOR_TICKS: Tunable = ticks(&FOR);

/// [`IN`] in ticks.
pub const IN_TICKS: Tunable = ticks(&IN);

/// [`ALL_WITHIN`] in ticks.
pub const ALL_WITHIN_TICKS: Tunable = ticks(&ALL_WITHIN);

/// How long a tap of a combo takes at most where it does not say it, in
/// milliseconds.
pub const TAP_MS: u64 = 200;
