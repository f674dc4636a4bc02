//! How a game is held against a rig.

use super::Tunable;

/// How far a number of a game may be off.
///
/// [`GameSpec::tolerance`](crate::GameSpec).
pub const TOLERANCE: Tunable = Tunable::new(
    "tolerance",
    "",
    (0.0, 1000.0),
    (0.005, 0.01),
    "How far a number of a game may be from the rig's, in units of the action.",
);

/// How long an event may be on its way.
///
/// [`GameSpec::slack`](crate::GameSpec).
pub const SLACK_MS: Tunable = Tunable::new(
    "slack-ms",
    "ms",
    (0.0, 100.0),
    (0.5, 1.0),
    "A poll that missed an event which came at most so long before it is no mistake.",
);
