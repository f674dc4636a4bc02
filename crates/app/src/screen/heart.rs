//! Whether the program stood still: it was stopped by a signal, held by a debugger, or
//! the machine slept. What happened meanwhile nobody saw, and what was typed meanwhile
//! comes all at once afterwards.

use std::{
    fmt,
    sync::{Arc, Mutex, PoisonError},
    thread,
    time::{Duration, Instant},
};

/// The heart beats this often, by a thread that does nothing else.
const BEAT: Duration = Duration::from_millis(100);

/// Where there is no beat for longer, the whole program stood still: no thread that does
/// nothing else waits so long for a processor.
const STANDSTILL: Duration = Duration::from_secs(1);

/// A time in which the program stood still.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Hole {
    /// The last beat before.
    pub(super) from: Instant,
    /// The first one after.
    pub(super) to: Instant,
}

/// Knows when anybody last was awake.
pub(super) struct Heart {
    last: Mutex<Moment>,
    tell: Box<dyn Fn(Hole) + Send + Sync>,
}

/// An instant, by the clock of the session and by one that goes on while the machine
/// sleeps.
#[derive(Clone, Copy, Debug)]
struct Moment {
    awake: Instant,
    always: Duration,
}

impl Moment {
    fn now() -> Self {
        Moment { awake: Instant::now(), always: since_boot() }
    }
}

/// The time since the machine was started, its sleep included; nothing where the system
/// does not tell.
#[cfg(target_os = "linux")]
fn since_boot() -> Duration {
    use nix::time::{ClockId, clock_gettime};
    clock_gettime(ClockId::CLOCK_BOOTTIME).map_or(Duration::ZERO, Duration::from)
}

#[cfg(not(target_os = "linux"))]
fn since_boot() -> Duration {
    Duration::ZERO
}

impl Heart {
    /// One that beats, and tells of every hole once. A hole is told before [`Heart::beat`]
    /// returns to anybody.
    pub(super) fn beating(tell: impl Fn(Hole) + Send + Sync + 'static) -> Arc<Self> {
        let heart = Arc::new(Heart { last: Mutex::new(Moment::now()), tell: Box::new(tell) });
        let weak = Arc::downgrade(&heart);
        thread::spawn(move || {
            while let Some(heart) = weak.upgrade() {
                heart.beat();
                drop(heart);
                thread::sleep(BEAT);
            }
        });
        heart
    }

    /// Somebody is awake.
    pub(super) fn beat(&self) {
        self.beat_at(Moment::now());
    }

    fn beat_at(&self, now: Moment) {
        // A beat is one assignment: whoever panicked left nothing half done.
        let mut last = self.last.lock().unwrap_or_else(PoisonError::into_inner);
        let awake = now.awake.saturating_duration_since(last.awake);
        if awake.max(now.always.saturating_sub(last.always)) > STANDSTILL {
            (self.tell)(Hole { from: last.awake, to: now.awake });
        }
        *last = now;
    }
}

impl fmt::Debug for Heart {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Heart").field("last", &self.last).finish_non_exhaustive()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::beats_as_usual(100, 100, None)]
    #[case::waits_for_a_processor(900, 900, None)]
    #[case::stopped(60_000, 60_000, Some(60_000))]
    #[case::asleep_with_the_machine(100, 3_600_000, Some(100))]
    fn a_hole_is_told_once(
        #[case] awake_ms: u64,
        #[case] always_ms: u64,
        #[case] hole_ms: Option<u64>,
    ) {
        let told = Arc::new(Mutex::new(Vec::new()));
        let tell = Arc::clone(&told);
        let first = Moment::now();
        let heart = Heart {
            last: Mutex::new(first),
            tell: Box::new(move |hole: Hole| tell.lock().unwrap().push(hole.to - hole.from)),
        };
        let later = Moment {
            awake: first.awake + Duration::from_millis(awake_ms),
            always: first.always + Duration::from_millis(always_ms),
        };
        heart.beat_at(later);
        heart.beat_at(later);
        let expected: Vec<Duration> = hole_ms.map(Duration::from_millis).into_iter().collect();
        assert_eq!(*told.lock().unwrap(), expected);
    }
}
