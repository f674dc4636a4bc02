//! How devices are polled, and when a control counts as pressed.
//!
//! Shares of the travel are of the way from rest to the end that is meant; times are of the
//! reports, and not of the polls.

use super::Tunable;

/// Polls per second.
///
/// Times are those of reports, and filters know how long a tick is, so that a rig may be run at
/// another rate; combos that count in ticks change with it.
pub const POLL_HZ: Tunable = Tunable::new(
    "poll-hz",
    "Hz",
    (10.0, 1000.0),
    (1.0, 60.0),
    "How often the state of every device is polled.",
);

/// The travel at which an axis or trigger counts as a pressed button.
///
/// [`Thresholds::press_at`](crate::Thresholds).
pub const PRESS_AT: Tunable = Tunable::new(
    "press-at",
    "of full travel",
    (0.01, 1.0),
    (0.01, 0.5),
    "Travel at which an axis or trigger used as a button counts as pressed.",
);

/// The travel below which a pressed axis or trigger counts as released again.
pub const RELEASE_AT: Tunable = Tunable::new(
    "release-at",
    "of full travel",
    (0.0, 1.0),
    (0.01, 0.5),
    "Travel below which it counts as released again, not above `press-at`; the same as `press-at` when absent.",
);

/// How long a button is not believed after it moved.
///
/// It costs no latency: the first movement counts at once. A press that is shorter than this is
/// seen as long as this.
pub const DEBOUNCE_MS: Tunable = Tunable::new(
    "debounce-ms",
    "ms",
    (0.0, 100.0),
    (0.5, 0.0),
    "After a button moved, further movements this soon are chatter of its switch and do not count.",
);

/// How long a key may be held before it is suspected to be stuck.
///
/// It only makes a finding; nothing is released by it.
pub const STUCK_AFTER_S: Tunable = Tunable::new(
    "stuck-after-s",
    "s",
    (1.0, 3600.0),
    (1.0, 30.0),
    "A button held for longer is suspected to be stuck: its release may never have been reported.",
);

/// From which travel on moving an analogue control makes its device the one
/// used last.
///
/// See [`MainRules`](crate::MainRules).
pub const USE_AT: Tunable = Tunable::new(
    "use-at",
    "of full travel",
    (0.05, 1.0),
    (0.05, 0.5),
    "Travel that a stick, lever or trigger must reach to make its device the one used last: noise stays below it.",
);

/// From how many counts on a mouse is used.
pub const USE_COUNTS: Tunable = Tunable::new(
    "use-counts",
    "counts",
    (1.0, 1000.0),
    (1.0, 4.0),
    "Counts in one report from which on a mouse or wheel is the device used last.",
);
